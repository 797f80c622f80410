//! The open text form of a calibration map: readable in any editor, compared line by line.
//!
//! ```text
//! jamjar map 1
//! name         C3
//! kind         custom
//! revision of  C2
//! for fuel     E30
//! note         two degrees more above 4000
//!
//! value rev_limit [rpm] 6800
//!
//! table spark_advance [° before TDC] over engine_speed [rpm], manifold_pressure [kPa]
//!          1500   3000   4500
//!   100      28     30     33
//!   200      12     15     20
//! ```
//! Blank lines end a table; `#` starts a comment. A table over one axis has one row of values and no leading
//! place.

use crate::error::{FormatError, FormatProblem, MapProblem};
use jamjar_core::maps::{Axis, MapFile, Scalar, Table};
use std::fmt::Write;

/// Version written and read.
pub const MAP_VERSION: &str = "jamjar map 1";

/// Reads a map.
///
/// # Errors
/// [`FormatError`] with line and column of the first fault.
pub fn read_map(text: &str, file: &str) -> Result<MapFile, FormatError> {
    let mut lines = text
        .trim_start_matches('\u{feff}')
        .lines()
        .enumerate()
        .map(|(i, l)| (i as u64 + 1, l.split('#').next().unwrap_or_default().trim_end()));
    let bad = |line: u64, column: u64, problem: MapProblem| {
        Err(FormatError::at(file, line, column, FormatProblem::Map(problem)))
    };
    let at = |line: u64, column: u64| {
        move |p: MapProblem| FormatError::at(file, line, column, FormatProblem::Map(p))
    };
    match lines.by_ref().find(|(_, l)| !l.trim().is_empty()) {
        Some((_, l)) if l.trim() == MAP_VERSION => {}
        Some((n, l)) => return bad(n, 1, MapProblem::FirstLine { text: shown(l), wanted: MAP_VERSION }),
        None => return Err(FormatError::whole(file, FormatProblem::Empty)),
    }
    let mut out = MapFile { kind: "unknown".into(), ..MapFile::default() };
    while let Some((n, l)) = lines.next() {
        let line = l.trim();
        if line.is_empty() {
            continue;
        }
        if let Some(rest) = line.strip_prefix("value ") {
            let (name, scalar) = scalar(rest).map_err(at(n, 7))?;
            if out.scalars.insert(name.clone(), scalar).is_some() {
                return bad(n, 7, MapProblem::Twice { what: "value", name });
            }
        } else if let Some(rest) = line.strip_prefix("table ") {
            let mut table = heading(rest).map_err(at(n, 7))?;
            fill(&mut table, &mut lines, file, n)?;
            table.validate().map_err(|e| at(n, 1)(e.into()))?;
            if out.table(&table.name).is_some() {
                return bad(n, 7, MapProblem::Twice { what: "table", name: table.name });
            }
            out.tables.push(table);
        } else {
            header(&mut out, line).map_err(at(n, 1))?;
        }
    }
    whole(&out).map_err(|p| FormatError::whole(file, p))?;
    Ok(out)
}

/// What makes a map one, whatever it is written in: its name, tables that make sense, each there once.
pub(super) fn whole(map: &MapFile) -> Result<(), MapProblem> {
    if map.name.trim().is_empty() {
        return Err(MapProblem::NoName);
    }
    for (i, t) in map.tables.iter().enumerate() {
        t.validate()?;
        if map.tables[..i].iter().any(|o| o.name == t.name) {
            return Err(MapProblem::Twice { what: "table", name: t.name.clone() });
        }
    }
    Ok(())
}

fn shown(s: &str) -> String {
    s.trim().chars().take(40).collect()
}

fn header(out: &mut MapFile, line: &str) -> Result<(), MapProblem> {
    const KINDS: [&str; 4] = ["stock", "off_the_shelf", "custom", "unknown"];
    for key in ["name", "kind", "revision of", "for fuel", "note"] {
        let Some(value) =
            line.strip_prefix(key).filter(|r| r.starts_with(char::is_whitespace)).map(str::trim)
        else {
            continue;
        };
        match key {
            "name" => out.name = value.to_owned(),
            "kind" if KINDS.contains(&value) => out.kind = value.to_owned(),
            "kind" => return Err(MapProblem::Kind { text: value.to_owned(), kinds: KINDS.join(", ") }),
            "revision of" => out.revision_of = Some(value.to_owned()),
            "for fuel" => out.for_fuel = Some(value.to_owned()),
            _ => out.note = Some(value.to_owned()),
        }
        return Ok(());
    }
    Err(MapProblem::Line { text: shown(line) })
}

/// `name [unit] rest`.
struct Named<'a> {
    name: String,
    unit: String,
    rest: &'a str,
}

fn named(s: &str) -> Result<Named<'_>, MapProblem> {
    let s = s.trim();
    let (name, rest) = s.split_once(char::is_whitespace).unwrap_or((s, ""));
    if name.is_empty() || !name.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '_') {
        return Err(MapProblem::Name { text: shown(name) });
    }
    match rest.trim_start().strip_prefix('[').and_then(|r| r.split_once(']')) {
        Some((unit, rest)) => {
            Ok(Named { name: name.to_owned(), unit: unit.trim().to_owned(), rest: rest.trim() })
        }
        None => Err(MapProblem::NoUnit { name: name.to_owned() }),
    }
}

fn number(s: &str) -> Result<f64, MapProblem> {
    s.parse::<f64>().ok().filter(|v| v.is_finite()).ok_or_else(|| MapProblem::NotANumber { text: shown(s) })
}

fn scalar(rest: &str) -> Result<(String, Scalar), MapProblem> {
    let Named { name, unit, rest } = named(rest)?;
    Ok((name, Scalar { value: number(rest)?, unit }))
}

fn heading(rest: &str) -> Result<Table, MapProblem> {
    let Named { name, unit, rest: over } = named(rest)?;
    let axes = over.strip_prefix("over ").ok_or_else(|| MapProblem::NoAxes { table: name.clone() })?;
    let mut axes =
        axes.split(',').map(|a| named(a).map(|n| Axis { channel: n.name, unit: n.unit, at: Vec::new() }));
    let x = axes.next().ok_or_else(|| MapProblem::NoAxes { table: name.clone() })??;
    let y = axes.next().transpose()?;
    if axes.next().is_some() {
        return Err(MapProblem::ManyAxes { table: name });
    }
    Ok(Table { name, unit, x, y, rows: Vec::new() })
}

fn in_table(word: &str, table: &str) -> MapProblem {
    MapProblem::NotANumberIn { text: shown(word), table: table.to_owned() }
}

fn fill<'a>(
    table: &mut Table,
    lines: &mut impl Iterator<Item = (u64, &'a str)>,
    file: &str,
    from: u64,
) -> Result<(), FormatError> {
    let mut first = true;
    for (n, l) in lines {
        if l.trim().is_empty() {
            if first {
                continue;
            }
            break;
        }
        let mut values = Vec::new();
        for word in l.split_whitespace() {
            let column = word.as_ptr() as usize - l.as_ptr() as usize;
            values.push(number(word).map_err(|_| {
                FormatError::at(file, n, l[..column].chars().count() as u64 + 1, in_table(word, &table.name))
            })?);
        }
        if first {
            table.x.at = values;
            first = false;
        } else if let Some(y) = &mut table.y {
            y.at.push(values.remove(0));
            table.rows.push(values);
        } else {
            table.rows.push(values);
        }
    }
    if first {
        return Err(FormatError::at(file, from, 1, MapProblem::Cut { table: table.name.clone() }));
    }
    Ok(())
}

/// Writes a map; [`read_map`] gives the same map back.
pub fn write_map(map: &MapFile) -> String {
    let mut s = format!("{MAP_VERSION}\nname         {}\nkind         {}\n", map.name, map.kind);
    for (key, value) in [("revision of", &map.revision_of), ("for fuel", &map.for_fuel), ("note", &map.note)]
    {
        if let Some(v) = value {
            let _ = writeln!(s, "{key:<12} {}", v.replace('\n', " "));
        }
    }
    if !map.scalars.is_empty() {
        s.push('\n');
    }
    for (name, v) in &map.scalars {
        let _ = writeln!(s, "value {name} [{}] {}", v.unit, v.value);
    }
    for t in &map.tables {
        let axis = |a: &Axis| format!("{} [{}]", a.channel, a.unit);
        let over =
            [Some(axis(&t.x)), t.y.as_ref().map(axis)].into_iter().flatten().collect::<Vec<_>>().join(", ");
        let _ = writeln!(s, "\ntable {} [{}] over {over}", t.name, t.unit);
        let lead = if t.y.is_some() { " ".repeat(8) } else { String::new() };
        let cells = |row: &[f64]| row.iter().map(|v| format!(" {v:>7}")).collect::<String>();
        let _ = writeln!(s, "{lead}{}", cells(&t.x.at));
        for (i, row) in t.rows.iter().enumerate() {
            let place = t.y.as_ref().map_or_else(String::new, |y| format!("{:>8}", y.at[i]));
            let _ = writeln!(s, "{place}{}", cells(row));
        }
    }
    s
}

#[cfg(test)]
mod tests {
    use super::*;

    const GOOD: &str = "jamjar map 1\nname  C3  # third\nkind custom\nrevision of C2\nfor fuel E30\nnote  two degrees more\n\nvalue rev_limit [rpm] 6800\n\ntable spark_advance [°] over engine_speed [rpm], manifold_pressure [kPa]\n   1500 3000\n 100 28 30.5\n 200 12 15\n\ntable lambda_target [] over engine_speed [rpm]\n 1000 6000\n 0.9 0.84\n";

    #[test]
    fn a_map_reads_and_comes_back_the_same() {
        let m = read_map(GOOD, "c3.map").unwrap();
        assert_eq!(
            (m.name.as_str(), m.revision_of.as_deref(), m.scalar("rev_limit")),
            ("C3", Some("C2"), Some(6800.0))
        );
        assert_eq!(m.table("spark_advance").unwrap().at(2250.0, 150.0), (28.0 + 30.5 + 12.0 + 15.0) / 4.0);
        assert_eq!(m.table("lambda_target").unwrap().rows, vec![vec![0.9, 0.84]]);
        assert_eq!(read_map(&write_map(&m), "again.map").unwrap(), m);
    }

    #[test]
    fn a_fault_has_its_place() {
        let cases = [
            (
                GOOD.replace("jamjar map 1", "something else"),
                "c3.map:1:1: “something else” is not the first line",
            ),
            (GOOD.replace("kind custom", "kind secret"), "c3.map:3:1: “secret” is not a kind of map"),
            (GOOD.replace("30.5", "3O.5"), "c3.map:12:9: “3O.5” is not a number in table spark_advance"),
            (GOOD.replace("12 15", "12"), "c3.map:10:1: table spark_advance: row 2 has 1 values for 2"),
            (GOOD.replace("[rpm] 6800", "6800"), "c3.map:8:7: rev_limit needs its unit in brackets"),
            (GOOD.replace("revision of", "child of"), "c3.map:4:1: “child of C2” is neither"),
            (
                GOOD.replace("lambda_target", "spark_advance"),
                "c3.map:15:7: the table spark_advance stands here twice",
            ),
            (GOOD.replace("name  C3", "note x"), "c3.map: the map has no name"),
            (String::new(), "c3.map: the file is empty"),
        ];
        for (text, want) in cases {
            let got = read_map(&text, "c3.map").unwrap_err().to_string();
            assert!(got.starts_with(want), "wanted {want}\n   got {got}");
        }
    }
}
