//! An archive of several files: a back-catalogue, or the recordings of a day in one zip.

use crate::error::{FormatError, FormatProblem};
use crate::packed::swells;
use chrono::NaiveDate;
use std::io::{Read, Seek, SeekFrom};
use zip::ZipArchive;

/// Most files of an archive (our choice: ten years of a busy shop's days come in several).
const MOST_FILES: usize = 20_000;
/// Largest file of it, unpacked, bytes.
const MOST_BYTES: u64 = 256 << 20;

/// The files of an archive, one after the other.
pub struct Members<R> {
    zip: ZipArchive<R>,
    file: String,
    /// Place in the archive and path, as it stands there.
    paths: Vec<(usize, String)>,
}

/// Opens an archive of several files; `None` for anything else: a plain file, a spreadsheet, a zip with one file in
/// it. What operating systems leave behind (`__MACOSX`, names that begin with a dot) is no file.
///
/// # Errors
/// [`FormatError`] for an archive that is damaged, holds too many files or swells beyond measure.
pub fn members<R: Read + Seek>(mut input: R, file: &str) -> Result<Option<Members<R>>, FormatError> {
    let whole = |problem| FormatError::whole(file, problem);
    let mut magic = [0u8; 4];
    input.rewind().map_err(|_| whole(FormatProblem::Damaged))?;
    let zipped = input.read_exact(&mut magic).is_ok() && magic == *b"PK\x03\x04";
    let size = input.seek(SeekFrom::End(0)).map_err(|_| whole(FormatProblem::Damaged))?;
    if !zipped || input.rewind().is_err() {
        return Ok(None);
    }
    let mut zip = ZipArchive::new(input).map_err(|_| whole(FormatProblem::Damaged))?;
    let (mut paths, mut total) = (Vec::new(), 0u64);
    for i in 0..zip.len() {
        let entry = zip.by_index_raw(i).map_err(|_| whole(FormatProblem::Damaged))?;
        total = total.saturating_add(entry.size());
        if !entry.is_file() {
            continue;
        }
        let path = entry.name().map_err(|_| whole(FormatProblem::Damaged))?.replace('\\', "/");
        let left_behind = |p: &str| p == "__MACOSX" || p.starts_with('.');
        if !path.split('/').any(left_behind) {
            paths.push((i, path));
        }
    }
    let has = |name: &str| paths.iter().any(|p| p.1 == name);
    if has("xl/workbook.xml") || has("content.xml") && has("mimetype") || paths.len() < 2 {
        return Ok(None);
    }
    if paths.len() > MOST_FILES || swells(total, size) {
        return Err(whole(FormatProblem::Swells));
    }
    paths.sort_by(|a, b| a.1.cmp(&b.1));
    Ok(Some(Members { zip, file: file.to_owned(), paths }))
}

impl<R: Read + Seek> Members<R> {
    /// How many.
    pub fn len(&self) -> usize {
        self.paths.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.paths.is_empty()
    }

    /// The path of one, in the order of paths, and the day its entry was last changed where the archive says it.
    ///
    /// # Errors
    /// [`FormatError`] when the archive is damaged.
    pub fn about(&mut self, k: usize) -> Result<(String, Option<NaiveDate>), FormatError> {
        let (i, path) = self.paths[k].clone();
        let broken = || FormatError::whole(&self.file, FormatProblem::Damaged);
        let entry = self.zip.by_index_raw(i).map_err(|_| broken())?;
        let day = entry.last_modified().and_then(|t| {
            NaiveDate::from_ymd_opt(i32::from(t.year()), u32::from(t.month()), u32::from(t.day()))
        });
        Ok((path, day))
    }

    /// The bytes of one, in the order of paths.
    ///
    /// # Errors
    /// [`FormatError`] when it is damaged, encrypted or larger than any recording.
    pub fn read(&mut self, k: usize) -> Result<Vec<u8>, FormatError> {
        let (i, path) = self.paths[k].clone();
        let at = format!("{}, {path}", self.file);
        let broken = || FormatError::whole(&at, FormatProblem::Damaged);
        let entry = self.zip.by_index(i).map_err(|_| broken())?;
        let mut out = Vec::new();
        entry.take(MOST_BYTES + 1).read_to_end(&mut out).map_err(|_| broken())?;
        if out.len() as u64 > MOST_BYTES {
            return Err(FormatError::whole(&at, FormatProblem::Swells));
        }
        Ok(out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{Cursor, Write};
    use zip::ZipWriter;
    use zip::write::SimpleFileOptions;

    fn zipped(files: &[(&str, &[u8])]) -> Cursor<Vec<u8>> {
        let mut out = ZipWriter::new(Cursor::new(Vec::new()));
        for (name, bytes) in files {
            out.start_file(*name, SimpleFileOptions::default()).unwrap();
            out.write_all(bytes).unwrap();
        }
        out.finish().unwrap()
    }

    #[test]
    fn several_files_come_one_by_one_and_what_systems_leave_behind_does_not() {
        let zip = zipped(&[
            ("b/p1_dyno.csv", b"one"),
            ("__MACOSX/b/._p1_dyno.csv", b"x"),
            ("a/.DS_Store", b"x"),
            ("a/p1_dyno.csv", b"two"),
        ]);
        let mut m = members(zip, "days.zip").unwrap().unwrap();
        assert_eq!(m.len(), 2);
        assert_eq!(m.about(0).unwrap().0, "a/p1_dyno.csv");
        assert_eq!((m.read(0).unwrap(), m.read(1).unwrap()), (b"two".to_vec(), b"one".to_vec()));
    }

    #[test]
    fn anything_else_is_none_and_a_damaged_one_is_said() {
        let none = |c: Cursor<Vec<u8>>| members(c, "f").unwrap().is_none();
        assert!(none(Cursor::new(b"time,rpm\n0,1\n".to_vec())) && none(Cursor::new(Vec::new())));
        assert!(none(zipped(&[("one.csv", b"x")])));
        assert!(none(zipped(&[("xl/workbook.xml", b"x"), ("xl/a.xml", b"y")])));
        let whole = zipped(&[("a.csv", b"x"), ("b.csv", b"y")]).into_inner();
        let cut = Cursor::new(whole[..whole.len() - 30].to_vec());
        assert!(members(cut, "cut.zip").map(|_| ()).unwrap_err().to_string().starts_with("cut.zip"));
    }
}
