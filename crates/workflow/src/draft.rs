//! Cell corrections as a draft of the next map revision: the map in custody with its fuel table corrected, taken into
//! custody under a name of its own. Nothing is flashed by it.

use crate::error::WorkflowError;
use crate::fuelling::{Asked, read_fuel};
use crate::map_text::map_text;
use jamjar_core::fuelling::cells::{Cell, Corrections};
use jamjar_core::maps::{Axis, MapFile, Table};
use jamjar_formats::write_map;
use jamjar_store::{NewMap, Store, StoreError};
use std::io::Cursor;

/// Tables that give fuel, by name: what a correction multiplies. The last is the one a draft adds where a map has none.
const FUEL_TABLES: [&str; 6] =
    ["volumetric_efficiency", "fuel_mass", "injector_pulse_width", "injection_time", "fuel_quantity", ADDED];
const ADDED: &str = "fuel_correction";

/// Makes a draft of what a set's pulls say of its map's fuel; the id of the new map, or why there is none.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn draft(
    store: &Store,
    set_id: i64,
    asked: &Asked,
    name: &str,
) -> Result<Result<i64, String>, WorkflowError> {
    let r = read_fuel(store, set_id, asked).await?;
    let cells = match &r.cells {
        Ok(c) => c,
        Err(why) => return Ok(Err(why.clone())),
    };
    let Some(y) = &r.y else { return Ok(Err("no load was logged to stand down the rows".into())) };
    let config = &r.set.config;
    let maps = store.maps(r.vehicle.id).await?;
    let Some(own) = maps.iter().find(|m| m.name == config.map) else {
        return Ok(Err(format!("no map {} is known here", config.map)));
    };
    let text = match map_text(store, own).await? {
        Ok(t) => t,
        Err(why) => return Ok(Err(why)),
    };
    let pulls = r.pulls;
    let why = format!(
        "draft: fuel by {} cells of {pulls} pulls on {}, {}",
        cells.count(Cell::Corrected) + cells.count(Cell::Clamped),
        config.fuel,
        r.day.date
    );
    let new = match corrected(&text, cells, y.as_str(), y.unit(), name, &config.map, why) {
        Ok(m) => m,
        Err(why) => return Ok(Err(why)),
    };
    let put = NewMap {
        name: new.name.clone(),
        kind: new.kind.clone(),
        parent: new.revision_of.clone(),
        for_fuel: new.for_fuel.clone(),
        note: new.note.clone().unwrap_or_default(),
        file_name: format!("{}.map", name.replace(['/', '\\'], "-")),
    };
    match store.put_map(r.vehicle.id, &put, Cursor::new(write_map(&new).into_bytes())).await {
        Ok(id) => Ok(Ok(id)),
        Err(StoreError::Duplicate) => {
            Ok(Err(format!("{name} already has another file: give the draft another name")))
        }
        Err(StoreError::Refused(why)) => Ok(Err(why)),
        Err(e) => Err(e.into()),
    }
}

/// The map with its fuel table corrected, or with a table of corrections where it has none over these axes.
fn corrected(
    map: &MapFile,
    cells: &Corrections,
    y: &str,
    y_unit: &str,
    name: &str,
    parent: &str,
    why: String,
) -> Result<MapFile, String> {
    if cells.count(Cell::Corrected) + cells.count(Cell::Clamped) == 0 {
        return Err("no cell is corrected: there is nothing to draft".into());
    }
    let mut out = map.clone();
    let fits = |t: &Table| {
        let load = t.y.as_ref().is_some_and(|a| a.channel == y && (a.unit.is_empty() || a.unit == y_unit));
        FUEL_TABLES.contains(&t.name.as_str()) && t.x.channel == "engine_speed" && load
    };
    match out.tables.iter().position(fits) {
        Some(i) => out.tables[i] = rounded(cells.applied(&out.tables[i])),
        None if out.table(ADDED).is_some() => {
            return Err(format!(
                "the map's own {ADDED} stands over other axes: choose those, or correct it by hand"
            ));
        }
        None => {
            let axis = |channel: &str, unit: &str, at: &[f64]| Axis {
                channel: channel.into(),
                unit: unit.into(),
                at: at.to_vec(),
            };
            out.tables.push(rounded(Table {
                name: ADDED.into(),
                unit: String::new(),
                x: axis("engine_speed", "rpm", &cells.x),
                y: Some(axis(y, y_unit, &cells.y)),
                rows: (0..cells.y.len()).map(|j| cells.row(j).iter().map(|c| c.apply).collect()).collect(),
            }));
        }
    }
    out.name = name.to_owned();
    out.kind = "custom".into();
    out.revision_of = Some(parent.to_owned());
    out.note = Some(why);
    Ok(out)
}

/// Digits beyond the fourth are noise in a table somebody reads.
fn rounded(mut t: Table) -> Table {
    t.rows.iter_mut().flatten().for_each(|v| *v = (*v * 1e4).round() / 1e4);
    t
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::fuelling::cells::Corrected;

    fn cells(said: Cell) -> Corrections {
        let cell = |apply: f64| Corrected {
            hits: 50.0,
            visits: 3,
            factor: Some(apply),
            half_width: None,
            apply,
            said,
        };
        Corrections {
            x: vec![2000.0, 4000.0],
            y: vec![100.0, 200.0],
            cells: vec![cell(1.0), cell(1.05), cell(1.0), cell(1.1)],
            samples: 200,
            left_out: 0,
        }
    }

    fn map(table: Option<&str>) -> MapFile {
        let axis = |channel: &str, unit: &str, at: &[f64]| Axis {
            channel: channel.into(),
            unit: unit.into(),
            at: at.to_vec(),
        };
        let table = table.map(|name| Table {
            name: name.into(),
            unit: "%".into(),
            x: axis("engine_speed", "rpm", &[2000.0, 3000.0, 4000.0]),
            y: Some(axis("manifold_pressure", "kPa", &[100.0, 200.0])),
            rows: vec![vec![80.0; 3], vec![90.0; 3]],
        });
        MapFile {
            name: "C6".into(),
            kind: "custom".into(),
            tables: table.into_iter().collect(),
            ..MapFile::default()
        }
    }

    fn made(m: &MapFile, c: &Corrections) -> Result<MapFile, String> {
        corrected(m, c, "manifold_pressure", "kPa", "C7", "C6", "why".into())
    }

    #[test]
    fn a_fuel_table_is_corrected_between_the_cells_and_another_is_left() {
        let d = made(&map(Some("volumetric_efficiency")), &cells(Cell::Corrected)).unwrap();
        assert_eq!((d.name.as_str(), d.revision_of.as_deref()), ("C7", Some("C6")));
        assert_eq!(d.tables[0].rows, vec![vec![80.0, 82.0, 84.0], vec![90.0, 94.5, 99.0]]);
        let spark = made(&map(Some("spark_advance")), &cells(Cell::Corrected)).unwrap();
        assert!(
            (spark.tables[0].rows[0][0] - 80.0).abs() < 1e-12,
            "no fuel table is touched by another name"
        );
        assert_eq!(spark.tables[1].name, "fuel_correction");
        assert_eq!(spark.tables[1].rows, vec![vec![1.0, 1.05], vec![1.0, 1.1]]);
        // A draft of a draft multiplies what stands there.
        let again = made(&spark, &cells(Cell::Corrected)).unwrap();
        assert_eq!(again.tables[1].rows[1], vec![1.0, 1.21]);
    }

    #[test]
    fn nothing_corrected_is_no_draft() {
        assert!(made(&map(None), &cells(Cell::TooFew)).unwrap_err().contains("nothing to draft"));
    }
}
