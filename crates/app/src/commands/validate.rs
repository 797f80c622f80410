//! `jamjar validate --days N [--only STUDY]`.

use super::bad_input;
use jamjar_workflow::validate::{
    claim_rows, fault_rows, faults, fitted, markdown, never_clear, run, to_json,
};
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

/// Recordings in which a crossing is hidden, for each day asked for.
const HIDDEN_A_DAY: usize = 5;

/// One study alone.
pub(crate) fn only(study: &str, days: usize) -> ExitCode {
    let kinds = faults::kinds(study);
    if !kinds.is_empty() {
        return match faults::study_of(&kinds, days) {
            Ok(f) => {
                println!("{}", fault_rows(&f));
                ExitCode::SUCCESS
            }
            Err(e) => bad_input(e),
        };
    }
    let claims = match study {
        "fitted" => Ok(fitted::study(days)),
        "hidden" => never_clear::study(days * HIDDEN_A_DAY),
        other => Err(format!(
            "“{other}” is no study: say fitted, hidden, faults, or one fault, such as boost_leak"
        )),
    };
    match claims {
        Ok(c) => {
            println!("{}", claim_rows(&c));
            ExitCode::SUCCESS
        }
        Err(e) => bad_input(e),
    }
}
