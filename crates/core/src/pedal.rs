//! Pedal to plate: how far the throttle plate opens for a pedal at an engine speed, from what was recorded, and how two
//! maps differ in it.

use crate::log::Series;
use crate::signal::median::median_in_place;
use serde::Serialize;

/// Width of a bin of pedal, points, and of engine speed, rpm (our choice: a foot finds about ten places).
pub const PEDAL_BIN: f64 = 10.0;
/// Width of a bin of engine speed, rpm.
pub const SPEED_BIN: f64 = 500.0;
/// Bins of pedal, 0 to 100 %.
pub const PEDALS: usize = 10;
/// Bins of engine speed, up to 10 000 rpm.
const SPEEDS: usize = 20;
/// The plate follows the pedal within this, s; a pedal that moved by more than so many points within it is on its way
/// (our choice).
const FOLLOWS_S: f64 = 0.3;
const STILL_POINTS: f64 = 2.0;
/// Samples of one cell below which it is told as seen but not read.
pub const LEAST_HITS: usize = 5;
/// A plate this much further shut than its cell usually is, points, under a pedal that stays, is a closure (our choice).
const CLOSURE_POINTS: f64 = 10.0;
/// Below so much pedal nobody asks for torque, %.
const ASKS_FROM: f64 = 15.0;

/// What was seen of one cell.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct Cell {
    /// Samples with a pedal that stayed.
    pub hits: usize,
    /// Median opening of the plate, %; `None` below [`LEAST_HITS`].
    pub plate: Option<f64>,
    /// Samples in which the plate was shut by much more than the cell usually has it, with the pedal held.
    pub closures: usize,
}

/// Plate opening by pedal and engine speed.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct PedalMap {
    /// Lower edges of the bins of engine speed that anything was seen in, and those between, rpm.
    pub rpm: Vec<f64>,
    /// Cells: for every bin of engine speed those of pedal, from the lowest.
    pub cells: Vec<[Cell; PEDALS]>,
}

/// Samples of recordings, cell by cell.
#[derive(Debug, Clone)]
pub struct Seen(Vec<Vec<f64>>);

impl Default for Seen {
    fn default() -> Self {
        Self(vec![Vec::new(); SPEEDS * PEDALS])
    }
}

impl Seen {
    /// Adds a recording: engine speed, rpm, and pedal and plate, %, each on its own times of one clock.
    pub fn add(&mut self, speed: &Series, pedal: &Series, plate: &Series) {
        let (mut rpm, mut open) = (speed.reader(), plate.reader());
        let mut first = 0;
        for (i, (t, p)) in pedal.t.iter().zip(&pedal.v).enumerate() {
            while pedal.t[first] < t - FOLLOWS_S {
                first += 1;
            }
            // What was before the recording nobody knows: a pedal is still from the first full stretch on.
            let lasted = t - pedal.t[0] >= FOLLOWS_S;
            let still = pedal.v[first..=i].iter().all(|v| (v - p).abs() <= STILL_POINTS);
            if !(lasted && still) {
                continue;
            }
            let Some((n, a)) = rpm.at(*t).zip(open.at(*t)) else { continue };
            let bins = bin(*p, PEDAL_BIN, PEDALS).zip(bin(n, SPEED_BIN, SPEEDS));
            if let Some((k, row)) = bins.filter(|_| a.is_finite()) {
                self.0[row * PEDALS + k].push(a);
            }
        }
    }

    /// Adds what others saw.
    pub fn join(&mut self, other: Self) {
        self.0.iter_mut().zip(other.0).for_each(|(own, more)| own.extend(more));
    }

    /// The map; `None` when no pedal stayed anywhere.
    ///
    /// # Formula
    /// `α(p, n) = median { α_i : p_i ∈ bin p, n_i ∈ bin n, |p_j − p_i| ≤ 2 for t_i − 0.3 s ≤ t_j ≤ t_i }`;
    /// a closure is a sample with `α_i < q₇₅ − 10`
    ///
    /// where
    /// - `p`: pedal, %; `n`: engine speed, rpm; `α`: plate, %;
    /// - `q₇₅`: upper quartile of the cell, as the plate stands when nothing closes it.
    ///
    /// The map: domain, section 13; widths, stillness and what counts as a closure are our choice.
    pub fn map(self) -> Option<PedalMap> {
        let cells: Vec<Cell> = self.0.into_iter().enumerate().map(|(k, v)| cell(k % PEDALS, v)).collect();
        let hit = |row: usize| cells[row * PEDALS..(row + 1) * PEDALS].iter().any(|c| c.hits > 0);
        let (from, to) = ((0..SPEEDS).find(|r| hit(*r))?, (0..SPEEDS).rfind(|r| hit(*r))?);
        let row = |r: usize| std::array::from_fn(|k| cells[r * PEDALS + k]);
        Some(PedalMap {
            rpm: (from..=to).map(|r| r as f64 * SPEED_BIN).collect(),
            cells: (from..=to).map(row).collect(),
        })
    }
}

fn bin(v: f64, wide: f64, bins: usize) -> Option<usize> {
    // A pedal to the floor may read a little over.
    let v = v.max(0.0).min(if wide == PEDAL_BIN { 100.0 - 1e-9 } else { f64::INFINITY });
    Some((v / wide) as usize).filter(|k| *k < bins && v.is_finite())
}

fn cell(pedal: usize, mut plate: Vec<f64>) -> Cell {
    let hits = plate.len();
    if hits < LEAST_HITS {
        return Cell { hits, ..Cell::default() };
    }
    plate.sort_by(f64::total_cmp);
    let usual = plate[(hits - 1) * 3 / 4];
    let asks = pedal as f64 * PEDAL_BIN >= ASKS_FROM;
    let closures = if asks { plate.partition_point(|a| *a < usual - CLOSURE_POINTS) } else { 0 };
    let median = median_in_place(&mut plate[closures..]);
    Cell { hits, plate: Some(median), closures }
}

/// How far two maps differ where both were seen.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Difference {
    /// Lower edges of the bins of engine speed both have.
    pub rpm: Vec<f64>,
    /// This plate less the other's, points; `None` where one of them was not seen.
    pub points: Vec<[Option<f64>; PEDALS]>,
    /// Where it is largest: pedal, %, and engine speed, rpm, as middles of the bin, and the points.
    pub largest: Option<([f64; 2], f64)>,
}

impl PedalMap {
    /// Cells that a closure was seen in: pedal, %, and engine speed, rpm, as middles of the bin, samples shut and all.
    pub fn closures(&self) -> Vec<([f64; 2], usize, usize)> {
        let of = |(row, cells): (usize, &[Cell; PEDALS])| {
            let at = self.rpm[row];
            cells
                .iter()
                .enumerate()
                .filter(|c| c.1.closures > 0)
                .map(move |(k, c)| (middle(k, at), c.closures, c.hits))
                .collect::<Vec<_>>()
        };
        self.cells.iter().enumerate().flat_map(of).collect()
    }

    /// This map less another.
    pub fn less(&self, other: &Self) -> Difference {
        let both: Vec<(f64, &[Cell; PEDALS], &[Cell; PEDALS])> = self
            .rpm
            .iter()
            .zip(&self.cells)
            .filter_map(|(n, own)| {
                let k = other.rpm.iter().position(|m| (m - n).abs() < 1.0)?;
                Some((*n, own, &other.cells[k]))
            })
            .collect();
        let points: Vec<[Option<f64>; PEDALS]> =
            both.iter().map(|(_, a, b)| std::array::from_fn(|k| Some(a[k].plate? - b[k].plate?))).collect();
        let largest = both
            .iter()
            .zip(&points)
            .flat_map(|((n, ..), p)| {
                p.iter().enumerate().filter_map(move |(k, d)| d.map(|d| (middle(k, *n), d)))
            })
            .max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()));
        Difference { rpm: both.iter().map(|b| b.0).collect(), points, largest }
    }
}

fn middle(k: usize, rpm: f64) -> [f64; 2] {
    [(k as f64 + 0.5) * PEDAL_BIN, rpm + 0.5 * SPEED_BIN]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn series(of: impl Fn(f64) -> f64) -> Series {
        let t: Vec<f64> = (0..1000).map(|i| f64::from(i) * 0.02).collect();
        Series { v: t.iter().map(|t| of(*t)).collect(), t }
    }

    /// Five pedals, four seconds each, while the engine slowly gains speed.
    fn stairs(plate: impl Fn(f64, f64) -> f64) -> Option<PedalMap> {
        let pedal = |t: f64| 15.0 + 20.0 * (t / 4.0).floor();
        let mut s = Seen::default();
        s.add(&series(|t| 2000.0 + 100.0 * t), &series(pedal), &series(|t| plate(pedal(t), t)));
        s.map()
    }

    #[test]
    fn each_place_of_the_pedal_has_its_plate_and_what_was_not_visited_is_blank() {
        let m = stairs(|p, _| 0.8 * p).unwrap();
        assert_eq!((m.rpm.first(), m.rpm.last()), (Some(&2000.0), Some(&3500.0)));
        let seen: Vec<(usize, f64)> = m
            .cells
            .iter()
            .flat_map(|r| r.iter().enumerate().filter_map(|(k, c)| Some((k, c.plate?))))
            .collect();
        assert!(!seen.is_empty() && m.closures().is_empty());
        for (k, plate) in &seen {
            assert!(k % 2 == 1, "only 15, 35, 55, 75 and 95 % were pressed: {seen:?}");
            assert!((plate - 0.8 * (*k as f64 * 10.0 + 5.0)).abs() < 1e-9, "{seen:?}");
        }
        assert_eq!(m.cells[0][4], Cell::default());
    }

    #[test]
    fn a_pedal_on_its_way_is_not_read() {
        let mut s = Seen::default();
        s.add(&series(|_| 3000.0), &series(|t| 5.0 * t), &series(|t| 5.0 * t));
        let still: usize = s.clone().map().map_or(0, |m| m.cells.iter().flatten().map(|c| c.hits).sum());
        assert!(still > 0, "5 points a second is 1.5 in 0.3 s");
        let mut s = Seen::default();
        s.add(&series(|_| 3000.0), &series(|t| (10.0 * t) % 100.0), &series(|t| (10.0 * t) % 100.0));
        assert_eq!(s.map(), None);
    }

    #[test]
    fn a_plate_that_shuts_under_a_held_pedal_is_a_closure_and_does_not_move_the_median() {
        let shut = |p: f64, t: f64| if (17.0..17.5).contains(&t) { 40.0 } else { p };
        let m = stairs(shut).unwrap();
        let [([pedal, rpm], closed, hits)] = m.closures()[..] else { panic!("{:?}", m.closures()) };
        assert_eq!((pedal, rpm, closed), (95.0, 3750.0, 25));
        assert!(hits > 100);
        let plate = m.cells.last().unwrap()[9].plate.unwrap();
        assert!((plate - 95.0).abs() < 1e-9, "{plate}");
    }

    #[test]
    fn two_maps_differ_only_where_both_were_seen() {
        let (stock, eager) = (stairs(|p, _| p).unwrap(), stairs(|p, _| (p * 1.4).min(100.0)).unwrap());
        let d = eager.less(&stock);
        assert_eq!(d.rpm.len(), stock.rpm.len());
        let (at, points) = d.largest.unwrap();
        assert_eq!((at[0], points.round()), (65.0 + 10.0, 25.0), "{d:?}");
        assert!(d.points.iter().flatten().filter(|p| p.is_some()).count() >= 5);
        assert_eq!(d.points[0][4], None);
        assert!(stock.less(&stock).points.iter().flatten().flatten().all(|d| *d == 0.0));
    }
}
