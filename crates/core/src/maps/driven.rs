//! What of a change was driven: along engine speed, the change of each table in the cells that pulls ran in.

use super::difference::{MapDifference, TableDifference};

/// Stretches narrower than this, rpm, go with the one before (our choice: a mean over less says little).
const NARROWEST_RPM: f64 = 300.0;
/// A mean change below this share of the largest anywhere in the table is none (our choice).
const NONE_SHARE: f64 = 0.15;

/// A stretch of engine speed over which the same tables changed where pulls ran.
#[derive(Debug, Clone, PartialEq)]
pub struct Stretch {
    /// From, to, rpm.
    pub rpm: [f64; 2],
    /// Tables that changed there, by their place in [`MapDifference::tables`], each with its mean change over the samples of
    /// the pulls; empty where nothing changed.
    pub changes: Vec<(usize, f64)>,
}

/// A table along engine speed: its places, and the mean change at each over the samples there; `None` where none was.
struct Along {
    table: usize,
    /// Where each place begins and ends: halfway to its neighbours.
    edges: Vec<f64>,
    by: Vec<Option<f64>>,
    least: f64,
}

fn along(k: usize, t: &TableDifference, visits: &[Vec<u32>]) -> Option<Along> {
    let across = t.now.x.channel == "engine_speed";
    let down = t.now.y.as_ref().filter(|y| y.channel == "engine_speed");
    let at = if across { &t.now.x.at } else { &down?.at };
    let (mut sum, mut n) = (vec![0.0; at.len()], vec![0_u64; at.len()]);
    let (mut largest, cells) = (0.0_f64, t.now.rows.len());
    for row in 0..cells {
        for column in 0..t.now.x.at.len() {
            let (here, by) = (if across { column } else { row }, t.by(row, column));
            largest = largest.max(by.abs());
            let hits = u64::from(*visits.get(row)?.get(column)?);
            sum[here] += by * hits as f64;
            n[here] += hits;
        }
    }
    let mut edges: Vec<f64> = at.windows(2).map(|w| 0.5 * (w[0] + w[1])).collect();
    // The outermost places reach as far beyond as their neighbour lies within.
    let ends = [2.0 * at.first()? - edges.first()?, 2.0 * at.last()? - edges.last()?];
    edges.insert(0, ends[0]);
    edges.push(ends[1]);
    let by = sum.iter().zip(&n).map(|(s, n)| (*n > 0).then(|| s / *n as f64)).collect();
    Some(Along { table: k, edges, by, least: NONE_SHARE * largest })
}

/// Stretches of engine speed from the lowest, over which the same tables rose or fell where pulls ran; stretches in which nothing
/// changed are among them, for what a comparison shows there is no work of the map. `visits` are samples in each cell, by the
/// name of the table.
///
/// ```
/// use jamjar_core::maps::difference::difference;
/// use jamjar_core::maps::driven::stretches;
/// use jamjar_core::maps::{Axis, MapFile, Table};
/// let of = |late: f64| {
///     let x = Axis { channel: "engine_speed".into(), unit: "rpm".into(), at: vec![2000.0, 3000.0, 4000.0, 5000.0] };
///     let t = Table { name: "spark_advance".into(), unit: "°".into(), x, y: None, rows: vec![vec![10.0, 10.0, late, late]] };
///     MapFile { tables: vec![t], ..MapFile::default() }
/// };
/// let d = difference(&of(10.0), &of(12.0));
/// let all = stretches(&d, &[("spark_advance".into(), vec![vec![40, 40, 40, 40]])]);
/// assert_eq!(all[0].rpm, [1500.0, 3500.0]);
/// assert!(all[0].changes.is_empty() && all[1].changes == [(0, 2.0)]);
/// ```
pub fn stretches(d: &MapDifference, visits: &[(String, Vec<Vec<u32>>)]) -> Vec<Stretch> {
    let seen = |t: &TableDifference| visits.iter().find(|v| v.0 == t.now.name).map(|v| &v.1);
    let tables = d.tables.iter().enumerate().filter(|t| t.1.changed > 0);
    let all: Vec<Along> = tables.filter_map(|(k, t)| along(k, t, seen(t)?)).collect();
    let mut edges: Vec<f64> = all.iter().flat_map(|a| a.edges.iter().copied()).collect();
    edges.sort_by(f64::total_cmp);
    edges.dedup_by(|a, b| (*a - *b).abs() < 1.0);
    let mut out: Vec<(Stretch, f64)> = Vec::new();
    for w in edges.windows(2) {
        let middle = 0.5 * (w[0] + w[1]);
        let here: Vec<(&Along, Option<f64>)> = all
            .iter()
            .filter_map(|a| {
                let i = a.edges.partition_point(|e| *e <= middle).checked_sub(1)?;
                Some((a, *a.by.get(i)?))
            })
            .collect();
        // Where no pull ran nothing is known of it.
        if here.iter().all(|h| h.1.is_none()) {
            continue;
        }
        let changed = here.iter().filter_map(|(a, by)| Some((a.table, by.filter(|b| b.abs() > a.least)?)));
        let changes: Vec<(usize, f64)> = changed.collect();
        let same = |s: &Stretch| {
            s.changes.len() == changes.len()
                && s.changes.iter().zip(&changes).all(|(a, b)| a.0 == b.0 && a.1.signum() == b.1.signum())
        };
        let width = w[1] - w[0];
        match out.last_mut() {
            Some((s, wide)) if s.rpm[1] >= w[0] && (same(s) || width < NARROWEST_RPM) => {
                // Means over the whole stretch, by its width.
                for (table, by) in &mut s.changes {
                    let new = changes.iter().find(|c| c.0 == *table).map_or(0.0, |c| c.1);
                    *by = (*by * *wide + new * width) / (*wide + width);
                }
                s.rpm[1] = w[1];
                *wide += width;
            }
            _ => out.push((Stretch { rpm: [w[0], w[1]], changes }, width)),
        }
    }
    out.into_iter().map(|s| s.0).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::maps::difference::difference;
    use crate::maps::{Axis, MapFile, Table};

    fn axis(channel: &str, at: &[f64]) -> Axis {
        Axis { channel: channel.into(), unit: String::new(), at: at.to_vec() }
    }

    fn map(more: [f64; 4]) -> MapFile {
        let rpm = [2000.0, 3000.0, 4000.0, 5000.0];
        let spark = Table {
            name: "spark_advance".into(),
            unit: "°".into(),
            x: axis("engine_speed", &rpm),
            y: Some(axis("manifold_pressure", &[100.0, 200.0])),
            // The lower row changes by a lot, and no pull goes there.
            rows: vec![vec![10.0 + 5.0 * more[0]; 4], more.iter().map(|m| 10.0 + m).collect()],
        };
        let lambda = Table {
            name: "lambda_target".into(),
            unit: String::new(),
            x: axis("manifold_pressure", &[100.0, 200.0]),
            y: Some(axis("engine_speed", &rpm)),
            rows: more.iter().map(|m| vec![1.0, if *m > 2.0 { 0.84 } else { 0.88 }]).collect(),
        };
        MapFile { tables: vec![spark, lambda], ..MapFile::default() }
    }

    fn visits(spark: [u32; 4]) -> Vec<(String, Vec<Vec<u32>>)> {
        let lambda = spark.iter().map(|n| vec![0, *n]).collect();
        vec![("spark_advance".into(), vec![vec![0; 4], spark.to_vec()]), ("lambda_target".into(), lambda)]
    }

    #[test]
    fn tables_that_change_together_are_one_stretch_and_what_no_pull_ran_in_is_none() {
        let d = difference(&map([0.0; 4]), &map([0.0, 1.0, 2.0, 3.0]));
        let all = stretches(&d, &visits([10, 10, 10, 10]));
        let tables: Vec<Vec<usize>> = all.iter().map(|s| s.changes.iter().map(|c| c.0).collect()).collect();
        assert_eq!(tables, [vec![], vec![0], vec![0, 1]], "{all:?}");
        assert_eq!(
            all.iter().map(|s| s.rpm).collect::<Vec<_>>(),
            [[1500.0, 2500.0], [2500.0, 4500.0], [4500.0, 5500.0]]
        );
        assert!((all[1].changes[0].1 - 1.5).abs() < 1e-9, "the mean over both places: {all:?}");
        assert!((all[2].changes[1].1 + 0.04).abs() < 1e-9);
        let part = stretches(&d, &visits([10, 10, 0, 10]));
        assert_eq!(part.len(), 3, "a hole where nobody ran: {part:?}");
        assert_eq!((part[1].rpm, part[2].rpm), ([2500.0, 3500.0], [4500.0, 5500.0]));
        assert_eq!(stretches(&d, &[]), [], "nobody knows where it ran");
    }

    #[test]
    fn a_change_where_no_pull_goes_is_none() {
        let far = |low: f64| {
            let mut m = map([0.0; 4]);
            m.tables[0].rows[0] = vec![low; 4];
            m
        };
        let all = stretches(&difference(&far(10.0), &far(15.0)), &visits([10; 4]));
        assert!(all.len() == 1 && all[0].changes.is_empty(), "{all:?}");
    }
}
