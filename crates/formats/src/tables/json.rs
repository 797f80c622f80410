//! Tables as one JSON object.
//!
//! ```json
//! {"jamjar_map": 1, "name": "C3", "kind": "custom", "revision_of": "C2", "for_fuel": "E30", "note": "…",
//!  "values": {"rev_limit": {"value": 6800, "unit": "rpm"}},
//!  "tables": [{"name": "spark_advance", "unit": "° before TDC",
//!              "x": {"channel": "engine_speed", "unit": "rpm", "at": [1500, 3000]},
//!              "y": {"channel": "manifold_pressure", "unit": "kPa", "at": [100, 200]},
//!              "rows": [[28, 30.5], [12, 15]]}]}
//! ```
//! A curve has no `y` and one row. Unknown fields are refused by their name.

use crate::error::{FormatError, FormatProblem, MapProblem};
use jamjar_core::maps::{Axis, MapFile, Scalar, Table};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

const KINDS: [&str; 4] = ["stock", "off_the_shelf", "custom", "unknown"];

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct AxisText {
    channel: String,
    #[serde(default)]
    unit: String,
    at: Vec<f64>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct TableText {
    name: String,
    #[serde(default)]
    unit: String,
    x: AxisText,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    y: Option<AxisText>,
    rows: Vec<Vec<f64>>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct ValueText {
    value: f64,
    #[serde(default)]
    unit: String,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct MapText {
    jamjar_map: u32,
    name: String,
    #[serde(default = "unknown")]
    kind: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    revision_of: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    for_fuel: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    note: Option<String>,
    #[serde(default)]
    values: BTreeMap<String, ValueText>,
    #[serde(default)]
    tables: Vec<TableText>,
}

fn unknown() -> String {
    "unknown".into()
}

fn axis(a: AxisText) -> Axis {
    Axis { channel: a.channel, unit: a.unit, at: a.at }
}

fn axis_text(a: &Axis) -> AxisText {
    AxisText { channel: a.channel.clone(), unit: a.unit.clone(), at: a.at.clone() }
}

/// Reads a map.
///
/// # Errors
/// [`FormatError`] with line and column where the text is no JSON of this form, and with the table where one makes no
/// sense.
pub fn read_map_json(text: &str, file: &str) -> Result<MapFile, FormatError> {
    let read: MapText = serde_json::from_str(text.trim_start_matches('\u{feff}')).map_err(|e| {
        let problem = FormatProblem::Map(MapProblem::Syntax { text: e.to_string() });
        match e.line() {
            0 => FormatError::whole(file, problem),
            line => FormatError::at(file, line as u64, e.column() as u64, problem),
        }
    })?;
    let whole = |p: MapProblem| FormatError::whole(file, p);
    if read.jamjar_map != 1 {
        return Err(whole(MapProblem::Version { found: read.jamjar_map }));
    }
    if !KINDS.contains(&read.kind.as_str()) {
        return Err(whole(MapProblem::Kind { text: read.kind, kinds: KINDS.join(", ") }));
    }
    let tables = read.tables.into_iter().map(|t| Table {
        name: t.name,
        unit: t.unit,
        x: axis(t.x),
        y: t.y.map(axis),
        rows: t.rows,
    });
    let map = MapFile {
        name: read.name,
        kind: read.kind,
        revision_of: read.revision_of,
        for_fuel: read.for_fuel,
        note: read.note,
        scalars: read.values.into_iter().map(|(k, v)| (k, Scalar { value: v.value, unit: v.unit })).collect(),
        tables: tables.collect(),
    };
    super::text::whole(&map).map_err(whole)?;
    Ok(map)
}

/// Writes a map; [`read_map_json`] gives the same map back.
pub fn write_map_json(map: &MapFile) -> String {
    let table = |t: &Table| TableText {
        name: t.name.clone(),
        unit: t.unit.clone(),
        x: axis_text(&t.x),
        y: t.y.as_ref().map(axis_text),
        rows: t.rows.clone(),
    };
    let value = |(k, v): (&String, &Scalar)| (k.clone(), ValueText { value: v.value, unit: v.unit.clone() });
    let text = MapText {
        jamjar_map: 1,
        name: map.name.clone(),
        kind: map.kind.clone(),
        revision_of: map.revision_of.clone(),
        for_fuel: map.for_fuel.clone(),
        note: map.note.clone(),
        values: map.scalars.iter().map(value).collect(),
        tables: map.tables.iter().map(table).collect(),
    };
    // Strings and finite numbers: nothing of it can fail to be written.
    serde_json::to_string_pretty(&text).unwrap_or_default() + "\n"
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fault_has_its_place() {
        let good = r#"{"jamjar_map": 1, "name": "C3", "tables": [{"name": "boost_target", "unit": "kPa",
 "x": {"channel": "engine_speed", "unit": "rpm", "at": [1500, 3000]}, "rows": [[200, 220]]}]}"#;
        let m = read_map_json(good, "c3.json").unwrap();
        assert_eq!((m.kind.as_str(), m.tables[0].at(2250.0, 0.0)), ("unknown", 210.0));
        for (text, want) in [
            (good.replace("220", "x"), "c3.json:2:"),
            (good.replace("\"rows\"", "\"cells\""), "c3.json:2:"),
            (good.replace("\"jamjar_map\": 1", "\"jamjar_map\": 2"), "c3.json: version 2"),
            (good.replace("[1500, 3000]", "[3000, 1500]"), "c3.json: table boost_target: the places"),
            (good.replace("[[200, 220]]", "[[200]]"), "c3.json: table boost_target: row 1 has 1 values"),
            (good.replace("\"C3\"", "\"\""), "c3.json: the map has no name"),
        ] {
            let got = read_map_json(&text, "c3.json").unwrap_err().to_string();
            assert!(got.starts_with(want), "wanted {want}\n   got {got}");
        }
    }
}
