//! `jamjar validate --days N`.

use super::bad_input;
use jamjar_workflow::validate::{markdown, run, to_json};
use std::path::PathBuf;
use std::process::ExitCode;

pub(crate) fn validate(days: usize, json: bool, out: Option<PathBuf>) -> ExitCode {
    let v = match run(days) {
        Ok(v) => v,
        Err(e) => return bad_input(e),
    };
    let page = markdown(&v);
    if let Some(path) = out
        && let Err(e) = std::fs::write(&path, &page)
    {
        return bad_input(format!("{}: cannot be written: {e}", path.display()));
    }
    if json {
        println!("{}", to_json(&v));
    } else {
        println!("{page}");
    }
    ExitCode::SUCCESS
}
