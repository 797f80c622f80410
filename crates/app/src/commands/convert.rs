//! `jamjar convert FROM TO`.

use super::bad_input;
use jamjar_formats::LogForm;
use jamjar_workflow::convert::{read_whole, write_whole};
use std::fs::File;
use std::io::BufWriter;
use std::path::Path;
use std::process::ExitCode;

pub(crate) fn run(from: &Path, to: &Path, json: bool) -> ExitCode {
    let shown = |p: &Path| p.display().to_string();
    let Some(form) = LogForm::of(&shown(to)) else {
        return bad_input(format!("{}: end the name in .csv, .mf4 or .parquet", to.display()));
    };
    let whole = match read_whole(|| File::open(from), &shown(from)) {
        Ok(w) => w,
        Err(e) => return bad_input(e),
    };
    let file = match File::create_new(to) {
        Ok(f) => f,
        Err(e) => return bad_input(format!("{}: cannot be written: {e}", to.display())),
    };
    let name = from.file_name().map_or_else(|| shown(from), |n| n.to_string_lossy().into_owned());
    if let Err(e) = write_whole(BufWriter::new(file), form, &name, &whole) {
        // Half a file is none.
        let _ = std::fs::remove_file(to);
        return bad_input(format!("{}: cannot be written: {e}", to.display()));
    }
    let (rows, channels) = (whole.log.t.len(), whole.log.channels.len());
    if json {
        let names: Vec<&str> = whole.log.channels.keys().map(|c| c.as_str()).collect();
        println!("{}", serde_json::json!({"rows": rows, "channels": names}));
    } else {
        println!("{}: {rows} rows, {channels} channels", to.display());
    }
    ExitCode::SUCCESS
}
