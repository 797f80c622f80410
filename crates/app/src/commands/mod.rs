//! One module per command. Exit 0 fine, 2 bad input with the place on stderr.

pub(crate) mod analyse;
pub(crate) mod archive;
pub(crate) mod calc;
pub(crate) mod convert;
pub(crate) mod db;
pub(crate) mod fuzz;
pub(crate) mod recorder;
pub(crate) mod serve;
pub(crate) mod simulate;
pub(crate) mod validate;

use std::process::ExitCode;

/// Prints an error and gives exit code 2.
pub(crate) fn bad_input(message: impl std::fmt::Display) -> ExitCode {
    eprintln!("{message}");
    ExitCode::from(2)
}
