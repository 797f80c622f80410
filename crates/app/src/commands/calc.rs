//! `jamjar calc NAME`.

use super::bad_input;
use std::io::{BufRead, Write};
use std::process::ExitCode;

pub(crate) fn run(name: &str) -> ExitCode {
    if !jamjar_workflow::calc::NAMES.contains(&name) {
        return bad_input(format!(
            "there is no calculator “{name}”; there are: {}",
            jamjar_workflow::calc::NAMES.join(", ")
        ));
    }
    let mut out = std::io::stdout().lock();
    for (i, line) in std::io::stdin().lock().lines().enumerate() {
        let line = match line {
            Ok(l) => l,
            Err(e) => return bad_input(format!("line {}: cannot be read: {e}", i + 1)),
        };
        if line.trim().is_empty() {
            continue;
        }
        let result = serde_json::from_str(&line)
            .map_err(|e| format!("not JSON: {e}"))
            .and_then(|v| jamjar_workflow::calc::run(name, &v));
        match result {
            Ok(v) => {
                if writeln!(out, "{v}").is_err() {
                    return ExitCode::SUCCESS;
                }
            }
            Err(e) => return bad_input(format!("line {}: {e}", i + 1)),
        }
    }
    ExitCode::SUCCESS
}
