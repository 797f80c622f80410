//! Tables as one CSV of blocks, for spreadsheets.
//!
//! ```csv
//! map,C3
//! kind,custom
//! revision of,C2
//! value,rev_limit,rpm,6800
//!
//! table,spark_advance,° before TDC
//! over,engine_speed,rpm,manifold_pressure,kPa
//! ,1500,3000
//! 100,28,30.5
//! 200,12,15
//! ```
//! A table begins with its line and ends before the next; a curve names one axis and has one row with a blank in front.
//! Comma or semicolon between fields; with semicolons a comma may stand for the point.

use crate::error::{FormatError, FormatProblem, MapProblem};
use jamjar_core::maps::{Axis, MapFile, Scalar, Table};
use jamjar_core::units::typed;

const KINDS: [&str; 4] = ["stock", "off_the_shelf", "custom", "unknown"];

fn separator(text: &str) -> u8 {
    let first = text.lines().find(|l| !l.trim().is_empty()).unwrap_or_default();
    // What stands behind the first word is the one of this file.
    first.bytes().find(|b| matches!(b, b',' | b';' | b'\t')).unwrap_or(b',')
}

/// Whether a text begins as these files do.
pub(super) fn is_ours(text: &str) -> bool {
    let first = text.lines().next().unwrap_or_default();
    let mut fields = first.split(separator(first) as char);
    fields.next().is_some_and(|f| f.trim().trim_matches('"') == "map") && fields.next().is_some()
}

/// One line with where it stands.
struct Line {
    at: u64,
    fields: Vec<String>,
}

impl Line {
    fn field(&self, i: usize) -> &str {
        self.fields.get(i).map_or("", |s| s.trim())
    }

    /// How many fields stand there, blanks at the end left out.
    fn len(&self) -> usize {
        self.fields.iter().rposition(|f| !f.trim().is_empty()).map_or(0, |i| i + 1)
    }

    /// Numbers from a field on.
    fn numbers(&self, from: usize, file: &str) -> Result<Vec<f64>, FormatError> {
        let each = (from..self.len()).map(|i| {
            let text = self.field(i);
            typed(text).filter(|v| v.is_finite()).ok_or_else(|| {
                let problem = MapProblem::NotANumber { text: text.chars().take(40).collect() };
                FormatError::at(file, self.at, i as u64 + 1, FormatProblem::Map(problem))
            })
        });
        each.collect()
    }
}

/// Reads a map.
///
/// # Errors
/// [`FormatError`] with line and field of the first fault.
pub fn read_map_csv(text: &str, file: &str) -> Result<MapFile, FormatError> {
    let text = text.trim_start_matches('\u{feff}');
    let mut reader = ::csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator(text))
        .from_reader(text.as_bytes());
    let mut lines = Vec::new();
    let (mut seen, mut line) = (0_usize, 1_u64);
    for record in reader.records() {
        let record = record.map_err(|e| {
            let at = e.position().map_or(0, ::csv::Position::line);
            let problem = FormatProblem::Map(MapProblem::Syntax { text: e.to_string() });
            FormatError::at(file, at.max(1), 1, problem)
        })?;
        // The reader counts from where it began to look: blank lines before the record are not its own.
        let begins = record.position().map_or(0, |p| p.byte() as usize);
        while seen < begins || text.as_bytes().get(seen).is_some_and(|b| matches!(b, b'\r' | b'\n')) {
            line += u64::from(text.as_bytes()[seen] == b'\n');
            seen += 1;
        }
        let at = line;
        let fields: Vec<String> = record.iter().map(str::to_owned).collect();
        if fields.iter().any(|f| !f.trim().is_empty()) {
            lines.push(Line { at, fields });
        }
    }
    let bad =
        |l: &Line, column: u64, p: MapProblem| FormatError::at(file, l.at, column, FormatProblem::Map(p));
    let mut out = MapFile { kind: "unknown".into(), ..MapFile::default() };
    let mut lines = lines.into_iter().peekable();
    while let Some(l) = lines.next() {
        let said = || Some(l.field(1).to_owned()).filter(|s| !s.is_empty());
        match l.field(0) {
            "map" => out.name = l.field(1).to_owned(),
            "kind" if KINDS.contains(&l.field(1)) => out.kind = l.field(1).to_owned(),
            "kind" => {
                return Err(bad(
                    &l,
                    2,
                    MapProblem::Kind { text: l.field(1).into(), kinds: KINDS.join(", ") },
                ));
            }
            "revision of" => out.revision_of = said(),
            "for fuel" => out.for_fuel = said(),
            "note" => out.note = said(),
            "value" => {
                let value = *l
                    .numbers(3, file)?
                    .first()
                    .ok_or_else(|| bad(&l, 4, MapProblem::NotANumber { text: String::new() }))?;
                let scalar = Scalar { value, unit: l.field(2).to_owned() };
                if out.scalars.insert(l.field(1).to_owned(), scalar).is_some() {
                    return Err(bad(&l, 2, MapProblem::Twice { what: "value", name: l.field(1).into() }));
                }
            }
            "table" => {
                let mut body = Vec::new();
                while lines.peek().is_some_and(|n| !matches!(n.field(0), "table" | "value" | "map")) {
                    body.extend(lines.next());
                }
                let table = table_of(&l, &body, file)?;
                table.validate().map_err(|e| bad(&l, 1, e.into()))?;
                out.tables.push(table);
            }
            other => return Err(bad(&l, 1, MapProblem::Line { text: other.chars().take(40).collect() })),
        }
    }
    super::text::whole(&out).map_err(|p| FormatError::whole(file, p))?;
    Ok(out)
}

fn table_of(head: &Line, body: &[Line], file: &str) -> Result<Table, FormatError> {
    let name = head.field(1).to_owned();
    let cut =
        || FormatError::at(file, head.at, 1, FormatProblem::Map(MapProblem::Cut { table: name.clone() }));
    let [over, places, rows @ ..] = body else { return Err(cut()) };
    if over.field(0) != "over" || rows.is_empty() {
        let problem = MapProblem::NoAxes { table: name.clone() };
        return Err(if rows.is_empty() {
            cut()
        } else {
            FormatError::at(file, over.at, 1, FormatProblem::Map(problem))
        });
    }
    let axis = |i: usize, at: Vec<f64>| Axis {
        channel: over.field(i).to_owned(),
        unit: over.field(i + 1).to_owned(),
        at,
    };
    let (mut down, mut values) = (Vec::new(), Vec::new());
    let has_y = !over.field(3).is_empty();
    for r in rows {
        if has_y {
            let all = r.numbers(0, file)?;
            down.extend(all.first());
            values.push(all[1.min(all.len())..].to_vec());
        } else {
            values.push(r.numbers(1, file)?);
        }
    }
    Ok(Table {
        unit: head.field(2).to_owned(),
        x: axis(1, places.numbers(1, file)?),
        y: has_y.then(|| axis(3, down)),
        rows: values,
        name,
    })
}

/// Writes a map, commas between fields; [`read_map_csv`] gives the same map back.
pub fn write_map_csv(map: &MapFile) -> String {
    let mut w = ::csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    // Writing to memory cannot fail.
    let mut put = |fields: &[String]| drop(w.write_record(fields));
    let text = |s: &str| s.to_owned();
    put(&[text("map"), map.name.clone()]);
    put(&[text("kind"), map.kind.clone()]);
    for (key, value) in [("revision of", &map.revision_of), ("for fuel", &map.for_fuel), ("note", &map.note)]
    {
        if let Some(v) = value {
            put(&[text(key), v.clone()]);
        }
    }
    for (name, v) in &map.scalars {
        put(&[text("value"), name.clone(), v.unit.clone(), v.value.to_string()]);
    }
    for t in &map.tables {
        put(&[text("table"), t.name.clone(), t.unit.clone()]);
        let axes = [Some(&t.x), t.y.as_ref()];
        let named = axes.into_iter().flatten().flat_map(|a| [a.channel.clone(), a.unit.clone()]);
        put(&std::iter::once(text("over")).chain(named).collect::<Vec<_>>());
        let line = |first: String, values: &[f64]| -> Vec<String> {
            std::iter::once(first).chain(values.iter().map(ToString::to_string)).collect()
        };
        put(&line(String::new(), &t.x.at));
        for (i, row) in t.rows.iter().enumerate() {
            put(&line(t.y.as_ref().map_or_else(String::new, |y| y.at[i].to_string()), row));
        }
    }
    String::from_utf8(w.into_inner().unwrap_or_default()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    const GOOD: &str = "map,C3\nkind,custom\nvalue,rev_limit,rpm,6800\n\ntable,spark_advance,°\nover,engine_speed,rpm,manifold_pressure,kPa\n,1500,3000\n100,28,30.5\n200,12,15\n";

    #[test]
    fn a_spreadsheet_with_decimal_commas_is_read_too() {
        let m = read_map_csv(GOOD, "c3.csv").unwrap();
        assert_eq!(m.table("spark_advance").unwrap().rows, vec![vec![28.0, 30.5], vec![12.0, 15.0]]);
        let german = GOOD.replace(',', ";").replace("30.5", "30,5");
        assert_eq!(read_map_csv(&german, "c3.csv").unwrap(), m);
    }

    #[test]
    fn a_fault_has_its_place() {
        for (text, want) in [
            (GOOD.replace("30.5", "3O.5"), "c3.csv:8:3: “3O.5” is not a number"),
            (GOOD.replace("kind,custom", "kind,secret"), "c3.csv:2:2: “secret” is not a kind of map"),
            (
                GOOD.replace("200,12,15", "200,12"),
                "c3.csv:5:1: table spark_advance: row 2 has 1 values for 2",
            ),
            (GOOD.replace("over,", "across,"), "c3.csv:6:1: "),
            (GOOD.replace("map,C3", "kind,custom"), "c3.csv: the map has no name"),
            ("map,C3\ntable,x,°\n".into(), "c3.csv:2:1: "),
            ("map,C3\nsomething,else\n".into(), "c3.csv:2:1: “something"),
        ] {
            let got = read_map_csv(&text, "c3.csv").unwrap_err().to_string();
            assert!(got.starts_with(want), "wanted {want}\n   got {got}");
        }
    }
}
