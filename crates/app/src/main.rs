//! The `jamjar` command.

mod commands;

use clap::{Parser, Subcommand};
use std::path::PathBuf;
use std::process::ExitCode;

/// Measures what a map really gained, and what it cost in margin.
#[derive(Parser)]
#[command(name = "jamjar", version, about)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Analyse a job file, with no database.
    Analyse {
        /// Job file; paths in it are relative to it.
        job: PathBuf,
        /// Print the result as JSON.
        #[arg(long)]
        json: bool,
        /// Exit 3 when a stop limit was over, 4 when none was over but some are not clear.
        #[arg(long)]
        check: bool,
    },
    /// Simulate a day in the cell: recordings, job file and truth.
    Simulate {
        /// Scenario; `first-light` is the one there is.
        scenario: String,
        /// Folder to write to.
        #[arg(long)]
        out: PathBuf,
        /// Seed.
        #[arg(long, default_value_t = 3)]
        seed: u64,
    },
    /// Run a calculator: JSON lines on standard input, one JSON line out for each.
    Calc {
        /// Its name.
        name: String,
        /// Accepted for symmetry: output is always JSON.
        #[arg(long)]
        json: bool,
    },
}

fn main() -> ExitCode {
    match Cli::parse().command {
        Command::Analyse { job, json, check } => commands::analyse::run(&job, json, check),
        Command::Simulate { scenario, out, seed } => commands::simulate::run(&scenario, &out, seed),
        Command::Calc { name, json: _ } => commands::calc::run(&name),
    }
}
