//! Two revisions cell by cell: what changed, where, and by how much.

use super::{Axis, MapFile, Table};

/// A cell counts as changed from this share of the table's largest value on (our choice: finer is how a file was
/// written, not what somebody meant).
const CHANGED_SHARE: f64 = 1e-4;
/// A region that reaches over this share of an axis is said to reach over all of it (our choice).
const ALL_OF_IT: f64 = 0.9;
/// Cells that changed by this share of the largest change are where it is strongest (our choice).
const STRONG: f64 = 0.8;

/// One table in both, on the places of the second.
#[derive(Debug, Clone, PartialEq)]
pub struct TableDifference {
    /// The first, read on the second's places.
    pub was: Vec<Vec<f64>>,
    /// The second.
    pub now: Table,
    /// Whether the places differ, so that the first is read between its cells.
    pub resampled: bool,
    /// Cells that changed.
    pub changed: usize,
}

/// Where a table rose, or fell: the mean and the largest change over the cells that did, and the region they lie in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Region {
    /// Mean change of its cells.
    pub mean: f64,
    /// Largest change by size, with its sign.
    pub most: f64,
    /// Cells.
    pub cells: usize,
    /// First and last place along a row; `None` where it reaches over nearly all of it.
    pub x: Option<[f64; 2]>,
    /// First and last place down the rows.
    pub y: Option<[f64; 2]>,
    /// The same of the cells that changed by nearly as much as the largest.
    pub most_x: Option<[f64; 2]>,
    /// Down the rows.
    pub most_y: Option<[f64; 2]>,
}

/// What differs between two maps.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct MapDifference {
    /// Tables in both.
    pub tables: Vec<TableDifference>,
    /// Tables of one alone, by name, and whether it is the second.
    pub alone: Vec<(String, bool)>,
    /// Numbers that differ: name, unit, in the first and in the second.
    pub numbers: Vec<(String, String, Option<f64>, Option<f64>)>,
}

impl TableDifference {
    /// Change of a cell.
    pub fn by(&self, row: usize, column: usize) -> f64 {
        self.now.rows[row][column] - self.was[row][column]
    }

    /// The least change that counts.
    fn least(&self) -> f64 {
        let all = self.now.rows.iter().chain(&self.was).flatten();
        CHANGED_SHARE * all.fold(0.0_f64, |m, v| m.max(v.abs()))
    }

    /// Where it rose and where it fell, the larger first.
    pub fn regions(&self) -> Vec<Region> {
        let least = self.least();
        let mut out: Vec<Region> =
            [1.0, -1.0].into_iter().filter_map(|side| self.region(side, least)).collect();
        out.sort_by_key(|r| std::cmp::Reverse(r.cells));
        out
    }

    fn region(&self, side: f64, least: f64) -> Option<Region> {
        let (rows, columns) = (self.now.rows.len(), self.now.x.at.len());
        let cells: Vec<(usize, usize, f64)> = (0..rows)
            .flat_map(|j| (0..columns).map(move |i| (j, i)))
            .map(|(j, i)| (j, i, self.by(j, i)))
            .filter(|c| side * c.2 > least)
            .collect();
        let most = cells.iter().map(|c| c.2).max_by(|a, b| a.abs().total_cmp(&b.abs()))?;
        let strong: Vec<(usize, usize, f64)> =
            cells.iter().copied().filter(|c| c.2.abs() >= STRONG * most.abs()).collect();
        let ends = |cells: &[(usize, usize, f64)], axis: &Axis, of: fn(&(usize, usize, f64)) -> usize| {
            let (a, b) = cells.iter().map(of).fold((usize::MAX, 0), |(a, b), i| (a.min(i), b.max(i)));
            let whole = (b - a + 1) as f64 >= ALL_OF_IT * axis.at.len() as f64;
            (!whole).then(|| [axis.at[a], axis.at[b]])
        };
        Some(Region {
            mean: cells.iter().map(|c| c.2).sum::<f64>() / cells.len() as f64,
            most,
            cells: cells.len(),
            x: ends(&cells, &self.now.x, |c| c.1),
            y: self.now.y.as_ref().and_then(|y| ends(&cells, y, |c| c.0)),
            most_x: ends(&strong, &self.now.x, |c| c.1),
            most_y: self.now.y.as_ref().and_then(|y| ends(&strong, y, |c| c.0)),
        })
    }
}

/// Compares two maps; tables in the order of the second.
///
/// Where places differ the first is read on those of the second as an engine computer reads it: bilinear, held at its
/// edges.
pub fn difference(a: &MapFile, b: &MapFile) -> MapDifference {
    let mut out = MapDifference::default();
    for now in &b.tables {
        let Some(was) = a.table(&now.name) else {
            out.alone.push((now.name.clone(), true));
            continue;
        };
        let down = |t: &Table| t.y.as_ref().map(|y| y.at.clone());
        let resampled = was.x.at != now.x.at || down(was) != down(now);
        let places = now.y.as_ref().map_or_else(|| vec![0.0], |y| y.at.clone());
        let read = |y: &f64| now.x.at.iter().map(|x| was.at(*x, *y)).collect::<Vec<f64>>();
        let mut d = TableDifference {
            was: if resampled { places.iter().map(read).collect() } else { was.rows.clone() },
            now: now.clone(),
            resampled,
            changed: 0,
        };
        let least = d.least();
        let cells = |j: usize| (0..now.x.at.len()).map(move |i| (j, i));
        d.changed = (0..now.rows.len()).flat_map(cells).filter(|(j, i)| d.by(*j, *i).abs() > least).count();
        out.tables.push(d);
    }
    out.alone.extend(a.tables.iter().filter(|t| b.table(&t.name).is_none()).map(|t| (t.name.clone(), false)));
    let names: std::collections::BTreeSet<&String> = a.scalars.keys().chain(b.scalars.keys()).collect();
    for name in names {
        let (x, y) = (a.scalars.get(name), b.scalars.get(name));
        let unit = y.or(x).map_or_else(String::new, |s| s.unit.clone());
        let (x, y) = (x.map(|s| s.value), y.map(|s| s.value));
        let same = x.zip(y).is_some_and(|(x, y)| (x - y).abs() <= 1e-9 * x.abs().max(1.0));
        if !same {
            out.numbers.push((name.clone(), unit, x, y));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn map(x: &[f64], rows: Vec<Vec<f64>>) -> MapFile {
        let axis = |channel: &str, at: &[f64]| Axis {
            channel: channel.into(),
            unit: String::new(),
            at: at.to_vec(),
        };
        let down: Vec<f64> = (0..rows.len()).map(|j| 100.0 + 50.0 * j as f64).collect();
        let t = Table {
            name: "spark_advance".into(),
            unit: "°".into(),
            x: axis("engine_speed", x),
            y: Some(axis("manifold_pressure", &down)),
            rows,
        };
        MapFile { tables: vec![t], ..MapFile::default() }
    }

    #[test]
    fn a_change_is_found_with_its_region_and_what_is_the_same_is_not() {
        let x = [1000.0, 2000.0, 3000.0, 4000.0];
        let a = map(&x, vec![vec![10.0; 4], vec![10.0; 4]]);
        let b = map(&x, vec![vec![10.0; 4], vec![10.0, 10.0, 12.0, 13.0]]);
        let d = difference(&a, &b);
        assert_eq!((d.tables[0].changed, d.tables[0].resampled), (2, false));
        let [r] = d.tables[0].regions()[..] else { panic!("{:?}", d.tables[0].regions()) };
        assert_eq!((r.mean, r.most, r.cells), (2.5, 3.0, 2));
        assert_eq!((r.x, r.y), (Some([3000.0, 4000.0]), Some([150.0, 150.0])));
        assert!(difference(&a, &a).tables[0].regions().is_empty());
        let less = difference(&b, &a);
        assert_eq!(less.tables[0].regions()[0].most, -3.0, "the other way round it falls");
    }

    #[test]
    fn other_places_are_read_between_cells_and_tables_of_one_alone_are_named() {
        let a = map(&[1000.0, 3000.0], vec![vec![10.0, 20.0], vec![10.0, 20.0]]);
        let mut b = map(&[1000.0, 2000.0, 3000.0], vec![vec![10.0, 15.0, 20.0], vec![10.0, 15.0, 22.0]]);
        b.tables.push(Table { name: "boost_target".into(), ..b.tables[0].clone() });
        let d = difference(&a, &b);
        assert_eq!((d.tables[0].resampled, d.tables[0].changed), (true, 1));
        assert_eq!(d.alone, [("boost_target".to_owned(), true)]);
    }
}
