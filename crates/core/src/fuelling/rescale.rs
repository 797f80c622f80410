//! The same table on other axes, and what of it cannot be carried over.

use crate::maps::{Axis, Table};

/// A table on new places.
#[derive(Debug, Clone, PartialEq)]
pub struct Rescaled {
    /// The table.
    pub table: Table,
    /// New places beyond the old axes: the old edge was held there, and nobody has mapped it.
    pub beyond: Vec<(usize, usize)>,
    /// Largest departure of the new table from the old one at the old places, in the table's unit: what lies between
    /// fewer places is lost.
    pub lost: f64,
    /// Where that is: place along a row and down the rows.
    pub lost_at: Option<[f64; 2]>,
}

/// Reads a table at new places, bilinear between the old, held at the edges.
///
/// # Formula
/// `v'(x', y') = bilinear(v; x', y')`; lost = `max |v(x, y) − bilinear(v'; x, y)|` over the old places that lie within
/// the new axes (our choice of what to show: domain, section 7, asks that it be said).
///
/// ```
/// use jamjar_core::fuelling::rescale::rescale;
/// use jamjar_core::maps::{Axis, Table};
/// let axis = |at: &[f64]| Axis { channel: "engine_speed".into(), unit: "rpm".into(), at: at.to_vec() };
/// let t = Table {
///     name: "fuel".into(), unit: "ms".into(), x: axis(&[1000.0, 3000.0]), y: None, rows: vec![vec![2.0, 6.0]],
/// };
/// let r = rescale(&t, &[1000.0, 2000.0, 4000.0], None);
/// assert_eq!((r.table.rows, r.beyond), (vec![vec![2.0, 4.0, 6.0]], vec![(2, 0)]));
/// ```
pub fn rescale(old: &Table, x: &[f64], y: Option<&[f64]>) -> Rescaled {
    let down: Vec<f64> = match (&old.y, y) {
        (Some(_), Some(y)) => y.to_vec(),
        (Some(own), None) => own.at.clone(),
        (None, _) => vec![0.0],
    };
    let outside = |axis: &Axis, v: f64| v < axis.at[0] || v > axis.at[axis.at.len() - 1];
    let mut beyond = Vec::new();
    let mut rows = Vec::new();
    for (j, py) in down.iter().enumerate() {
        for (i, px) in x.iter().enumerate() {
            if outside(&old.x, *px) || old.y.as_ref().is_some_and(|a| outside(a, *py)) {
                beyond.push((i, j));
            }
        }
        rows.push(x.iter().map(|px| old.at(*px, *py)).collect());
    }
    let along = |own: &Axis, at: &[f64]| Axis { at: at.to_vec(), ..own.clone() };
    let table =
        Table { x: along(&old.x, x), y: old.y.as_ref().map(|own| along(own, &down)), rows, ..old.clone() };
    let mut lost = (0.0_f64, None);
    let single = [0.0];
    let old_down = old.y.as_ref().map_or(&single[..], |a| &a.at);
    for (row, py) in old.rows.iter().zip(old_down) {
        for (v, px) in row.iter().zip(&old.x.at) {
            if outside(&table.x, *px) || table.y.as_ref().is_some_and(|a| outside(a, *py)) {
                continue;
            }
            let d = (v - table.at(*px, *py)).abs();
            if d > lost.0 {
                lost = (d, Some([*px, *py]));
            }
        }
    }
    Rescaled { table, beyond, lost: lost.0, lost_at: lost.1 }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table() -> Table {
        let axis = |c: &str, at: &[f64]| Axis { channel: c.into(), unit: String::new(), at: at.to_vec() };
        Table {
            name: "fuel".into(),
            unit: "ms".into(),
            x: axis("engine_speed", &[1000.0, 2000.0, 3000.0]),
            y: Some(axis("manifold_pressure", &[50.0, 100.0])),
            rows: vec![vec![2.0, 2.6, 3.0], vec![4.0, 5.4, 6.0]],
        }
    }

    #[test]
    fn finer_axes_lose_nothing_and_coarser_ones_say_what() {
        let fine = rescale(&table(), &[1000.0, 1500.0, 2000.0, 2500.0, 3000.0], Some(&[50.0, 75.0, 100.0]));
        assert_eq!((fine.lost, fine.beyond.len()), (0.0, 0));
        assert!((fine.table.at(1500.0, 75.0) - table().at(1500.0, 75.0)).abs() < 1e-12);
        let coarse = rescale(&table(), &[1000.0, 3000.0], None);
        assert!((coarse.lost - 0.4).abs() < 1e-12, "{coarse:?}");
        assert_eq!(coarse.lost_at, Some([2000.0, 100.0]));
    }

    #[test]
    fn beyond_the_old_axes_the_edge_is_held_and_said() {
        let r = rescale(&table(), &[500.0, 2000.0, 4000.0], Some(&[50.0, 120.0]));
        assert_eq!(r.beyond, [(0, 0), (2, 0), (0, 1), (1, 1), (2, 1)]);
        assert_eq!(r.table.rows[1], [4.0, 5.4, 6.0]);
        assert_eq!(r.lost_at, Some([3000.0, 100.0]), "the old corner lies between the new places: {r:?}");
    }
}
