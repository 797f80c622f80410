//! A channel over the pulls of a set: its mean at each engine speed, and the extremes of the samples around it.

use crate::analysis::measured::RawGrid;
use crate::curve::index_of;
use crate::log::Series;
use crate::signal::median::median_in_place;

/// A value is read between samples no further apart than so many usual steps, and never over less than
/// [`LEAST_GAP_S`] (our choice: a recorder may miss a few samples; a hole is not read across).
const GAP_STEPS: f64 = 5.0;
const LEAST_GAP_S: f64 = 0.3;

/// A channel of one pull on the pull's grid; NaN where it has no samples. Channel units.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct ChannelOnGrid {
    /// Engine speed, rpm.
    pub rpm: Vec<f64>,
    /// Mean of the samples nearest to each speed, or the value between its neighbours.
    pub mean: Vec<f64>,
    /// Lowest of them.
    pub low: Vec<f64>,
    /// Highest of them.
    pub high: Vec<f64>,
}

impl ChannelOnGrid {
    /// Reads a channel on the dyno's clock at the times of a grid.
    ///
    /// # Formula
    /// The samples of a speed are those between the middles of the times of its neighbours; where there are
    /// none, the value on the line between the samples around it (our choice: so that no spike between two
    /// grid speeds is lost, at any rate of recording).
    ///
    /// ```
    /// use jamjar_core::analysis::{ChannelOnGrid, RawGrid};
    /// use jamjar_core::log::Series;
    /// let grid = RawGrid { rpm: vec![3000.0, 3050.0, 3100.0], time_s: vec![1.0, 1.1, 1.2], ..RawGrid::default() };
    /// let t: Vec<f64> = (0..30).map(|i| 0.1 * f64::from(i)).collect();
    /// let v = t.iter().map(|t| 10.0 * t).collect();
    /// assert!((ChannelOnGrid::read(&Series { t, v }, &grid).mean[1] - 11.0).abs() < 1e-9);
    /// ```
    pub fn read(s: &Series, grid: &RawGrid) -> Self {
        let n = grid.rpm.len().min(grid.time_s.len());
        let mut steps: Vec<f64> = s.t.windows(2).map(|w| w[1] - w[0]).collect();
        let widest = if steps.is_empty() {
            LEAST_GAP_S
        } else {
            (GAP_STEPS * median_in_place(&mut steps)).max(LEAST_GAP_S)
        };
        let mut out = Self { rpm: grid.rpm[..n].to_vec(), ..Self::default() };
        for i in 0..n {
            let t = grid.time_s[i];
            let middle = |j: usize| 0.5 * (t + grid.time_s[j]);
            let ends = [i.checked_sub(1).map_or(t, middle), if i + 1 < n { middle(i + 1) } else { t }];
            let (from, to) = (ends[0].min(ends[1]), ends[0].max(ends[1]));
            let (a, b) = (s.t.partition_point(|x| *x < from), s.t.partition_point(|x| *x <= to));
            let here = &s.v[a.min(b)..b];
            let (mean, low, high) = if t.is_nan() {
                (f64::NAN, f64::NAN, f64::NAN)
            } else if here.is_empty() {
                let between = b.checked_sub(1).filter(|k| b < s.t.len() && s.t[b] - s.t[*k] <= widest);
                let v = between.and_then(|_| s.at(t)).unwrap_or(f64::NAN);
                (v, v, v)
            } else {
                let fold = |f: fn(f64, f64) -> f64| here.iter().copied().fold(f64::NAN, f);
                let mean = here.iter().sum::<f64>() / here.len() as f64;
                // The cell of an end lies on one side of it only.
                let is_end = i == 0 || i + 1 == n;
                let mean = s.at(t).filter(|_| is_end).unwrap_or(mean);
                (mean, fold(f64::min), fold(f64::max))
            };
            out.mean.push(mean);
            out.low.push(low);
            out.high.push(high);
        }
        out
    }
}

/// A channel of a set by engine speed. Channel units.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SetChannel {
    /// Engine speeds that every pull covers that logged it, rpm.
    pub rpm: Vec<f64>,
    /// Mean over these pulls.
    pub mean: Vec<f64>,
    /// Lowest sample of any.
    pub low: Vec<f64>,
    /// Highest sample of any.
    pub high: Vec<f64>,
    /// How many pulls logged it.
    pub logged: usize,
    /// Of how many.
    pub of: usize,
}

/// A level and the engine speed it was read at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Level {
    /// Channel units.
    pub value: f64,
    /// rpm.
    pub rpm: f64,
}

/// What a channel did over a set. Channel units.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ChannelFigures {
    /// Mean over pulls at the lowest speed.
    pub start: f64,
    /// Lowest sample of any pull.
    pub min: Level,
    /// Mean over speed.
    pub mean: f64,
    /// Highest sample of any pull.
    pub max: Level,
    /// From the lowest to the highest speed, of the mean.
    pub rise: f64,
}

impl SetChannel {
    /// Puts the pulls of a set together; `None` stands for a pull that did not log the channel.
    pub fn of(pulls: &[Option<ChannelOnGrid>]) -> Self {
        let logged: Vec<&ChannelOnGrid> =
            pulls.iter().flatten().filter(|p| p.mean.iter().any(|v| v.is_finite())).collect();
        let mut out = Self { logged: logged.len(), of: pulls.len(), ..Self::default() };
        let Some(first) = logged.first() else { return out };
        for rpm in &first.rpm {
            let at: Option<Vec<usize>> = logged.iter().map(|p| index_of(&p.rpm, *rpm)).collect();
            let Some(at) = at.filter(|at| logged.iter().zip(at).all(|(p, i)| p.mean[*i].is_finite())) else {
                continue;
            };
            let all = || logged.iter().zip(&at);
            out.rpm.push(*rpm);
            out.mean.push(all().map(|(p, i)| p.mean[*i]).sum::<f64>() / logged.len() as f64);
            out.low.push(all().map(|(p, i)| p.low[*i]).fold(f64::NAN, f64::min));
            out.high.push(all().map(|(p, i)| p.high[*i]).fold(f64::NAN, f64::max));
        }
        out
    }

    /// What it did; `None` where nothing is known.
    pub fn figures(&self) -> Option<ChannelFigures> {
        let (first, last) = (*self.mean.first()?, *self.mean.last()?);
        let level = |v: &[f64], i: usize| Level { value: v[i], rpm: self.rpm[i] };
        let ends = |v: &[f64], highest: bool| {
            let by = |a: &usize, b: &usize| v[*a].total_cmp(&v[*b]);
            if highest { (0..v.len()).max_by(by) } else { (0..v.len()).min_by(by) }
        };
        Some(ChannelFigures {
            start: first,
            min: level(&self.low, ends(&self.low, false)?),
            mean: self.mean.iter().sum::<f64>() / self.mean.len() as f64,
            max: level(&self.high, ends(&self.high, true)?),
            rise: last - first,
        })
    }

    /// The mean less that of another set, where both are known.
    #[must_use]
    pub fn minus(&self, base: &Self) -> Self {
        let mut out = Self { logged: self.logged, of: self.of, ..Self::default() };
        for (i, rpm) in self.rpm.iter().enumerate() {
            if let Some(k) = index_of(&base.rpm, *rpm) {
                out.rpm.push(*rpm);
                out.mean.push(self.mean[i] - base.mean[k]);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn grid() -> RawGrid {
        let rpm: Vec<f64> = (0..41).map(|k| 2000.0 + 50.0 * f64::from(k)).collect();
        RawGrid { time_s: rpm.iter().map(|r| (r - 2000.0) / 500.0).collect(), rpm, ..RawGrid::default() }
    }

    fn series(hz: f64, of: impl Fn(f64) -> f64) -> Series {
        let t: Vec<f64> = (0..(5.0 * hz) as usize).map(|i| i as f64 / hz).collect();
        Series { v: t.iter().map(|t| of(*t)).collect(), t }
    }

    #[test]
    fn a_spike_between_two_grid_speeds_is_among_the_extremes_and_not_lost() {
        let g = grid();
        let spiky = series(1000.0, |t| if (t - 2.043).abs() < 0.0005 { 9.0 } else { 1.0 });
        let c = ChannelOnGrid::read(&spiky, &g);
        assert!(c.high.iter().copied().fold(0.0, f64::max) > 8.9 && c.mean.iter().all(|v| *v < 1.2));
        let down = RawGrid { time_s: g.time_s.iter().map(|t| 4.0 - t).collect(), ..g };
        let c = ChannelOnGrid::read(&spiky, &down);
        assert!(c.high.iter().copied().fold(0.0, f64::max) > 8.9, "a lug-down's times fall");
    }

    #[test]
    fn a_slow_channel_is_read_between_its_samples_and_a_hole_is_not() {
        let mut slow = series(5.0, |t| 10.0 * t);
        let c = ChannelOnGrid::read(&slow, &grid());
        assert!(c.mean.iter().zip(&c.rpm).all(|(v, r)| (v - (r - 2000.0) / 50.0).abs() < 1e-9));
        let keep: Vec<usize> = (0..slow.t.len()).filter(|i| !(1.0..3.0).contains(&slow.t[*i])).collect();
        slow = Series {
            t: keep.iter().map(|i| slow.t[*i]).collect(),
            v: keep.iter().map(|i| slow.v[*i]).collect(),
        };
        let c = ChannelOnGrid::read(&slow, &grid());
        assert!(c.mean[20].is_nan() && c.mean[2].is_finite(), "two seconds without a sample");
    }

    #[test]
    fn the_pulls_that_logged_it_make_the_mean_and_the_others_are_counted() {
        let g = grid();
        let pull = |up: f64| Some(ChannelOnGrid::read(&series(100.0, |t| 100.0 + 5.0 * t + up), &g));
        let c = SetChannel::of(&[pull(0.0), None, pull(4.0)]);
        assert_eq!((c.logged, c.of), (2, 3));
        let f = c.figures().unwrap();
        assert!((f.start - 102.0).abs() < 0.1 && (f.rise - 20.0).abs() < 0.3 && (f.mean - 112.0).abs() < 0.3);
        assert!((f.min.value - 100.0).abs() < 0.1 && f.min.rpm < 2100.0 && f.max.rpm > 3900.0);
        assert!((f.max.value - 124.0).abs() < 0.3);
        let other = SetChannel::of(&[pull(-8.0)]);
        let d = c.minus(&other);
        assert!(d.mean.iter().all(|v| (v - 10.0).abs() < 1e-9) && d.low.is_empty());
        assert_eq!(SetChannel::of(&[None, None]).figures(), None);
    }
}
