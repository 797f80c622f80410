//! Files as they arrive: plain text, gzip, a zip with one file in it, or a spreadsheet, all of them as text
//! to be read on. Bombs are refused.

use crate::error::{FormatError, FormatProblem};
use calamine::{Data, Ods, Range, Reader, Xlsx};
use flate2::read::MultiGzDecoder;
use std::io::{self, Cursor, Read};
use zip::ZipArchive;

/// Largest archive or spreadsheet taken, bytes (the contract's 32 MiB).
const MOST_PACKED: u64 = 32 << 20;
/// Most cells of a spreadsheet (the contract's five million).
const MOST_CELLS: usize = 5_000_000;
/// Nothing unpacks to more than this, bytes, nor to so many times its size once it is large (our choice: text
/// packs ten to twenty times).
const MOST_UNPACKED: u64 = 1 << 30;
const MOST_TIMES: u64 = 200;
const SMALL: u64 = 16 << 20;

/// Reads the first bytes of a file, as many as there are; says how many.
pub(crate) fn begins(input: &mut impl Read, head: &mut [u8]) -> io::Result<usize> {
    let mut n = 0;
    while n < head.len() {
        match input.read(&mut head[n..]) {
            Ok(0) => break,
            Ok(k) => n += k,
            Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
            Err(e) => return Err(e),
        }
    }
    Ok(n)
}

/// A file as text, whatever it is wrapped in.
///
/// # Errors
/// [`FormatError`] for archives of several files, damaged or too large ones, and spreadsheets without
/// numbers.
pub(crate) fn unpacked<'a>(mut input: impl Read + 'a, file: &str) -> Result<Box<dyn Read + 'a>, FormatError> {
    let mut magic = [0u8; 4];
    let n = begins(&mut input, &mut magic).map_err(|e| FormatError::unreadable(file, &e))?;
    let whole = Cursor::new(magic[..n].to_vec()).chain(input);
    match &magic[..n] {
        [0x1f, 0x8b, ..] => Ok(Box::new(Bounded::new(MultiGzDecoder::new(Counted::new(whole)), file))),
        [b'P', b'K', 3, 4] => archive(whole, file),
        [0xd0, 0xcf, 0x11, 0xe0] => Err(FormatError::whole(file, FormatProblem::OldSpreadsheet)),
        _ => Ok(Box::new(whole)),
    }
}

fn damaged(file: &str) -> FormatError {
    FormatError::whole(file, FormatProblem::Damaged)
}

/// Counts what was read of something packed.
struct Counted<R> {
    inner: R,
    n: u64,
}

impl<R> Counted<R> {
    fn new(inner: R) -> Self {
        Self { inner, n: 0 }
    }
}

impl<R: Read> Read for Counted<R> {
    fn read(&mut self, buf: &mut [u8]) -> io::Result<usize> {
        let n = self.inner.read(buf)?;
        self.n += n as u64;
        Ok(n)
    }
}

/// A gzip that may not swell beyond measure.
struct Bounded<R: Read> {
    inner: MultiGzDecoder<Counted<R>>,
    out: u64,
    file: String,
}

impl<R: Read> Bounded<R> {
    fn new(inner: MultiGzDecoder<Counted<R>>, file: &str) -> Self {
        Self { inner, out: 0, file: file.to_owned() }
    }
}

impl<R: Read> Read for Bounded<R> {
    fn read(&mut self, buf: &mut [u8]) -> io::Result<usize> {
        let n = self
            .inner
            .read(buf)
            .map_err(|e| io::Error::other(format!("{}: {}: {e}", self.file, FormatProblem::Damaged)))?;
        self.out += n as u64;
        if swells(self.out, self.inner.get_ref().n) {
            return Err(io::Error::other(FormatProblem::Swells.to_string()));
        }
        Ok(n)
    }
}

pub(crate) fn swells(out: u64, packed: u64) -> bool {
    out > MOST_UNPACKED || (out > SMALL && out > MOST_TIMES * packed)
}

fn archive<'a>(input: impl Read + 'a, file: &str) -> Result<Box<dyn Read + 'a>, FormatError> {
    let mut bytes = Vec::new();
    input.take(MOST_PACKED + 1).read_to_end(&mut bytes).map_err(|e| FormatError::unreadable(file, &e))?;
    if bytes.len() as u64 > MOST_PACKED {
        return Err(FormatError::whole(file, FormatProblem::TableTooLarge { mib: MOST_PACKED >> 20 }));
    }
    let mut zip = ZipArchive::new(Cursor::new(bytes.as_slice())).map_err(|_| damaged(file))?;
    let mut names = Vec::new();
    let mut total = 0u64;
    for i in 0..zip.len() {
        let entry = zip.by_index_raw(i).map_err(|_| damaged(file))?;
        total += entry.size();
        if entry.is_file() {
            names.push(entry.name().map_err(|_| damaged(file))?.into_owned());
        }
    }
    if swells(total, bytes.len() as u64) {
        return Err(FormatError::whole(file, FormatProblem::Swells));
    }
    let has = |name: &str| names.iter().any(|n| n == name);
    if has("xl/workbook.xml") {
        let book: Xlsx<_> = Xlsx::new(Cursor::new(bytes.clone())).map_err(|_| damaged(file))?;
        return sheet(book, file);
    }
    if has("content.xml") && has("mimetype") {
        let book: Ods<_> = Ods::new(Cursor::new(bytes.clone())).map_err(|_| damaged(file))?;
        return sheet(book, file);
    }
    let [name] = names.as_slice() else {
        return Err(FormatError::whole(
            file,
            FormatProblem::SeveralFiles { n: names.len(), among: some_of(&names) },
        ));
    };
    let entry = zip.by_name(name).map_err(|_| damaged(file))?;
    let mut out = Vec::new();
    let most = MOST_UNPACKED.min(SMALL.max(MOST_TIMES * bytes.len() as u64));
    entry.take(most + 1).read_to_end(&mut out).map_err(|_| damaged(file))?;
    if out.len() as u64 > most {
        return Err(FormatError::whole(file, FormatProblem::Swells));
    }
    Ok(Box::new(Cursor::new(out)))
}

fn some_of(names: &[String]) -> String {
    let shown = names.iter().take(6).cloned().collect::<Vec<_>>().join(", ");
    if names.len() > 6 { format!("{shown}, …") } else { shown }
}

/// The first sheet that holds numbers, as tab-separated text.
fn sheet<'a, R: Reader<Cursor<Vec<u8>>>>(mut book: R, file: &str) -> Result<Box<dyn Read + 'a>, FormatError> {
    let names = book.sheet_names();
    for name in &names {
        let Ok(range) = book.worksheet_range(name) else { return Err(damaged(file)) };
        let (rows, width) = range.get_size();
        if rows.saturating_mul(width) > MOST_CELLS {
            let problem = FormatProblem::TooManyCells { cells: MOST_CELLS };
            return Err(FormatError::whole(file, problem));
        }
        let numbers = range.used_cells().filter(|c| number(c.2).is_some()).count();
        if numbers >= 2 {
            return Ok(Box::new(Cursor::new(text_of(&range).into_bytes())));
        }
    }
    Err(FormatError::whole(file, FormatProblem::NoRows))
}

fn number(d: &Data) -> Option<f64> {
    match d {
        Data::Int(i) => Some(*i as f64),
        Data::Float(v) => Some(*v),
        _ => None,
    }
}

/// A sheet as lines: rows above its first cell are kept as blank lines, so that places are those of the
/// spreadsheet.
fn text_of(range: &Range<Data>) -> String {
    let (top, left) = range.start().unwrap_or((0, 0));
    let mut out = "\n".repeat(top as usize);
    for row in range.rows() {
        out.push_str(&"\t".repeat(left as usize));
        for (i, cell) in row.iter().enumerate() {
            if i > 0 {
                out.push('\t');
            }
            match (number(cell), cell) {
                (Some(v), _) => out.push_str(&v.to_string()),
                (None, Data::Empty) => {}
                (None, other) => {
                    let text = other.to_string();
                    out.extend(
                        text.chars().map(|c| if matches!(c, '\t' | '\n' | '\r' | '"') { ' ' } else { c }),
                    );
                }
            }
        }
        out.push('\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use flate2::write::GzEncoder;
    use std::io::Write;
    use zip::write::SimpleFileOptions;

    fn gz(text: &[u8]) -> Vec<u8> {
        let mut e = GzEncoder::new(Vec::new(), flate2::Compression::best());
        e.write_all(text).unwrap();
        e.finish().unwrap()
    }

    fn zipped(files: &[(&str, &[u8])]) -> Vec<u8> {
        let mut z = zip::ZipWriter::new(Cursor::new(Vec::new()));
        for (name, bytes) in files {
            z.start_file(*name, SimpleFileOptions::default()).unwrap();
            z.write_all(bytes).unwrap();
        }
        z.finish().unwrap().into_inner()
    }

    fn text(bytes: &[u8]) -> Result<String, String> {
        let mut out = String::new();
        let mut r = unpacked(bytes, "f").map_err(|e| e.to_string())?;
        r.read_to_string(&mut out).map_err(|e| e.to_string())?;
        Ok(out)
    }

    #[test]
    fn text_comes_out_of_whatever_it_is_wrapped_in() {
        let plain = b"time,rpm\n0,1\n";
        for bytes in [
            plain.to_vec(),
            gz(plain),
            zipped(&[("log.csv", plain)]),
            [gz(b"time,rpm\n"), gz(b"0,1\n")].concat(),
        ] {
            assert_eq!(text(&bytes).unwrap(), "time,rpm\n0,1\n");
        }
        assert_eq!(text(b"ab").unwrap(), "ab", "shorter than any mark");
    }

    #[test]
    fn bombs_and_broken_wrappings_are_refused() {
        let bomb = vec![b' '; 18 << 20];
        assert!(text(&gz(&bomb)).unwrap_err().contains("swells"), "a gzip");
        assert!(text(&zipped(&[("a.csv", &bomb)])).unwrap_err().contains("swells"), "a zip");
        let two = zipped(&[("a.csv", b"x"), ("b.csv", b"y")]);
        assert!(text(&two).unwrap_err().contains("2 files: a.csv, b.csv"));
        let whole = gz(b"time,rpm\n0,1\n");
        assert!(text(&whole[..whole.len() - 6]).unwrap_err().contains("damaged or cut short"));
        let whole = zipped(&[("a.csv", b"time,rpm\n0,1\n")]);
        assert!(text(&whole[..whole.len() / 2]).unwrap_err().contains("damaged or cut short"));
        assert!(text(&[0xd0, 0xcf, 0x11, 0xe0, 0, 0]).unwrap_err().contains(".xlsx"));
    }

    /// The least a workbook can be: one sheet with what is given as its rows.
    fn workbook(rows: &str) -> Vec<u8> {
        let types = r#"<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>"#;
        let rels = r#"<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>"#;
        let book = r#"<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="pull" sheetId="1" r:id="r1"/></sheets></workbook>"#;
        let book_rels = r#"<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>"#;
        let sheet = format!(
            r#"<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{rows}</sheetData></worksheet>"#
        );
        zipped(&[
            ("[Content_Types].xml", types.as_bytes()),
            ("_rels/.rels", rels.as_bytes()),
            ("xl/workbook.xml", book.as_bytes()),
            ("xl/_rels/workbook.xml.rels", book_rels.as_bytes()),
            ("xl/worksheets/sheet1.xml", sheet.as_bytes()),
        ])
    }

    #[test]
    fn a_spreadsheet_is_its_cells_at_their_places() {
        let rows = r#"<row r="2"><c r="A2" t="inlineStr"><is><t>rpm</t></is></c><c r="B2" t="inlineStr"><is><t>power (kW)</t></is></c></row><row r="3"><c r="A3"><v>2000</v></c><c r="B3"><v>30.5</v></c></row><row r="4"><c r="A4"><v>2500</v></c></row>"#;
        let bytes = workbook(rows);
        assert_eq!(text(&bytes).unwrap(), "\nrpm\tpower (kW)\n2000\t30.5\n2500\t\n");
        assert!(
            text(&bytes[..bytes.len() / 2]).unwrap_err().contains("damaged or cut short"),
            "half a spreadsheet"
        );
        assert!(text(&workbook("")).unwrap_err().contains("no rows of numbers"));
        let cells = crate::csv::read_cells(bytes.as_slice(), "t.xlsx").unwrap();
        let t = crate::finished::read_finished(&cells, "t.xlsx", &Default::default()).unwrap();
        assert_eq!(
            (t.runs[0].rpm.as_slice(), t.runs[0].power_kw[0]),
            (&[2000.0][..], 30.5),
            "a blank cell is no point"
        );
    }
}
