//! Calibration maps: named tables over engine axes, as an engine computer reads them.

pub mod difference;
pub mod driven;
pub mod lineage;

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use thiserror::Error;

/// One axis of a table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Axis {
    /// Canonical channel on the axis, such as `engine_speed`.
    pub channel: String,
    /// Unit of the places.
    pub unit: String,
    /// Places, strictly ascending.
    pub at: Vec<f64>,
}

/// A table: values over one or two axes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Table {
    /// Name, such as `spark_advance`.
    pub name: String,
    /// Unit of the values.
    pub unit: String,
    /// Axis along a row.
    pub x: Axis,
    /// Axis down the rows; `None` for a curve.
    pub y: Option<Axis>,
    /// Values row by row: one row for a curve, else one for each place of `y`.
    pub rows: Vec<Vec<f64>>,
}

/// A table whose shape or numbers make no sense.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("table {table}: {problem}")]
pub struct TableError {
    /// Name of the table.
    pub table: String,
    /// What is wrong and what to do.
    pub problem: String,
}

impl Axis {
    fn problem(&self) -> Option<String> {
        if self.at.is_empty() {
            return Some(format!("the axis {} has no places", self.channel));
        }
        let bad = self.at.iter().any(|v| !v.is_finite()) || self.at.windows(2).any(|w| w[1] <= w[0]);
        bad.then(|| format!("the places of {} must be finite and strictly ascending", self.channel))
    }

    /// Index below and share towards the next place; held at the ends.
    fn place(&self, v: f64) -> (usize, f64) {
        let n = self.at.len();
        let i = self.at.partition_point(|a| *a <= v);
        if i == 0 {
            (0, 0.0)
        } else if i == n {
            (n - 1, 0.0)
        } else {
            (i - 1, (v - self.at[i - 1]) / (self.at[i] - self.at[i - 1]))
        }
    }
}

impl Table {
    /// Checks axes, shape and numbers.
    ///
    /// # Errors
    /// [`TableError`] naming the table and the fault.
    pub fn validate(&self) -> Result<(), TableError> {
        let fail = |problem| Err(TableError { table: self.name.clone(), problem });
        if let Some(p) = self.x.problem().or_else(|| self.y.as_ref().and_then(Axis::problem)) {
            return fail(p);
        }
        let rows = self.y.as_ref().map_or(1, |y| y.at.len());
        if self.rows.len() != rows {
            return fail(format!("{} rows of values for {rows} places down", self.rows.len()));
        }
        if let Some((i, r)) = self.rows.iter().enumerate().find(|(_, r)| r.len() != self.x.at.len()) {
            return fail(format!(
                "row {} has {} values for {} places across",
                i + 1,
                r.len(),
                self.x.at.len()
            ));
        }
        if self.rows.iter().flatten().any(|v| !v.is_finite()) {
            return fail("a value is not a finite number".into());
        }
        Ok(())
    }

    /// Value at a place, bilinear between the cells and held at the edges, as engine computers do.
    pub fn at(&self, x: f64, y: f64) -> f64 {
        let (i, u) = self.x.place(x);
        let along = |row: &[f64]| if u > 0.0 { row[i] + u * (row[i + 1] - row[i]) } else { row[i] };
        match &self.y {
            None => along(&self.rows[0]),
            Some(axis) => {
                let (j, v) = axis.place(y);
                let low = along(&self.rows[j]);
                if v > 0.0 { low + v * (along(&self.rows[j + 1]) - low) } else { low }
            }
        }
    }

    /// Largest value.
    pub fn max(&self) -> f64 {
        self.rows.iter().flatten().copied().fold(f64::NEG_INFINITY, f64::max)
    }
}

/// A number that belongs to a map, such as a rev limit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Scalar {
    /// The number.
    pub value: f64,
    /// Its unit.
    pub unit: String,
}

/// A whole map: who it is, its numbers, its tables.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct MapFile {
    /// Name and revision.
    pub name: String,
    /// `stock`, `off_the_shelf`, `custom` or `unknown`.
    pub kind: String,
    /// Revision it was made from.
    pub revision_of: Option<String>,
    /// Fuel it is meant for.
    pub for_fuel: Option<String>,
    /// Why it was made.
    pub note: Option<String>,
    /// Numbers by name.
    pub scalars: BTreeMap<String, Scalar>,
    /// Tables in the order of the file.
    pub tables: Vec<Table>,
}

impl MapFile {
    /// A table by name.
    pub fn table(&self, name: &str) -> Option<&Table> {
        self.tables.iter().find(|t| t.name == name)
    }

    /// A number by name.
    pub fn scalar(&self, name: &str) -> Option<f64> {
        self.scalars.get(name).map(|s| s.value)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn axis(channel: &str, at: &[f64]) -> Axis {
        Axis { channel: channel.into(), unit: String::new(), at: at.to_vec() }
    }

    fn table() -> Table {
        let rows = vec![vec![10.0, 20.0, 40.0], vec![0.0, 10.0, 20.0]];
        Table {
            name: "spark_advance".into(),
            unit: "°".into(),
            x: axis("engine_speed", &[1000.0, 2000.0, 4000.0]),
            y: Some(axis("manifold_pressure", &[100.0, 200.0])),
            rows,
        }
    }

    #[test]
    fn between_cells_it_is_bilinear_and_at_the_edges_held() {
        let t = table();
        for (x, y, want) in [
            (1000.0, 100.0, 10.0),
            (1500.0, 100.0, 15.0),
            (1500.0, 150.0, 10.0),
            (9000.0, 300.0, 20.0),
            (0.0, 0.0, 10.0),
            (3000.0, 200.0, 15.0),
        ] {
            assert!((t.at(x, y) - want).abs() < 1e-12, "{x} {y}: {}", t.at(x, y));
        }
        let curve = Table { y: None, rows: vec![vec![1.0, 2.0, 4.0]], ..t };
        assert_eq!(curve.at(3000.0, 77.0), 3.0);
    }

    #[test]
    fn a_bent_table_says_what_is_wrong() {
        let fault = |f: &dyn Fn(&mut Table)| {
            let mut t = table();
            f(&mut t);
            t.validate().unwrap_err().to_string()
        };
        assert!(fault(&|t| t.x.at[1] = 500.0).contains("strictly ascending"));
        assert!(fault(&|t| t.rows[1].truncate(2)).contains("row 2 has 2 values for 3 places across"));
        assert!(fault(&|t| t.rows.truncate(1)).contains("1 rows of values for 2"));
        assert!(fault(&|t| t.rows[0][0] = f64::NAN).contains("finite"));
        assert!(fault(&|t| t.x.at.clear()).contains("no places"));
    }

    proptest! {
        #[test]
        fn no_place_gives_more_than_the_largest_cell(x in -1e4..1e5f64, y in -1e3..1e4f64) {
            let t = table();
            prop_assert!((0.0..=40.0).contains(&t.at(x, y)));
            prop_assert!(t.at(x, y) <= t.max());
        }
    }
}
