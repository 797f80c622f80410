//! Two maps at the same power: what a channel reads there, and at which engine speed it is reached.

use super::pair::Pair;
use crate::analysis::set::{ChannelOnGrid, Figure, SetResult};
use crate::curve::Curve;
use crate::signal::interp;
use crate::stats::pooled::Interval;
use crate::stats::two_sets::mean_of;

/// Levels are read up to this share of the lower of the two peaks (domain, section 4).
pub const UP_TO: f64 = 0.95;

/// Why a level is not read in a set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NotRead {
    /// A pull makes more from its lowest speed on, or never as much.
    Outside,
    /// A pull reaches it more than once on the way up: the stretches stand apart.
    Twice,
    /// A pull did not log the channel there.
    NotLogged,
}

/// Two sets at one power.
#[derive(Debug, Clone, PartialEq)]
pub struct AtOutput {
    /// kW.
    pub level_kw: f64,
    /// Mean engine speed in base and candidate, rpm.
    pub rpm: [Result<f64, NotRead>; 2],
    /// Mean of the channel there, channel units.
    pub value: [Result<f64, NotRead>; 2],
    /// Difference of the channel; `None` without scatter, or where the two cannot be compared.
    pub difference: Option<Interval>,
    /// Difference of engine speed, rpm.
    pub rpm_difference: Option<Interval>,
}

/// The engine speed at which a pull's power first reaches a level on the way to its peak.
fn reached(c: &Curve, level: f64) -> Result<f64, NotRead> {
    let power = &c.power_kw;
    let peak =
        (0..power.len()).filter(|i| power[*i].is_finite()).max_by(|a, b| power[*a].total_cmp(&power[*b]));
    let Some(peak) = peak else { return Err(NotRead::Outside) };
    let up: Vec<usize> = (1..=peak).filter(|i| power[i - 1] < level && power[*i] >= level).collect();
    match up.as_slice() {
        [] => Err(NotRead::Outside),
        [i] => {
            let (x, y) = (power[i - 1], power[*i]);
            Ok(c.rpm[i - 1] + (c.rpm[*i] - c.rpm[i - 1]) * (level - x) / (y - x))
        }
        _ => Err(NotRead::Twice),
    }
}

/// A channel of each included pull of a set, in order; `None` where it was not logged.
pub type OfPulls<'a> = Vec<Option<&'a ChannelOnGrid>>;

/// Two sets at several levels of power, pull by pull: so the error of power is carried through the slope of the
/// channel over it. `channels` goes with `sets`.
///
/// # Formula
/// `x(P) = c(n(P))`, `n(P)`: where power first reaches `P` on the way up; differences of the means of pulls with the
/// scatter of pulls pooled over the sets shown
///
/// where
/// - `c`: the channel on the pull's grid; `P`: corrected power, kW, up to 0.95 of the lower set peak (domain,
///   section 4).
pub fn at_equal_output(
    sets: &[SetResult],
    channels: &[OfPulls<'_>],
    [base, candidate]: [usize; 2],
    levels_kw: &[f64],
) -> Vec<AtOutput> {
    let (a, b) = (&sets[base], &sets[candidate]);
    let pair = Pair::new([a, b], sets.iter(), false);
    let at = |s: &SetResult| sets.iter().position(|o| std::ptr::eq(o, s));
    let rpm_of = |s: &SetResult, level: f64| -> Result<Vec<f64>, NotRead> {
        s.included_curves().map(|c| reached(c, level)).collect()
    };
    let value_of = |s: &SetResult, level: f64| -> Result<Vec<f64>, NotRead> {
        let own = at(s).and_then(|i| channels.get(i)).ok_or(NotRead::NotLogged)?;
        let read = |(k, rpm): (usize, f64)| {
            let c = own.get(k).copied().flatten().ok_or(NotRead::NotLogged)?;
            interp::linear(&c.rpm, &c.mean, rpm).filter(|v| v.is_finite()).ok_or(NotRead::NotLogged)
        };
        rpm_of(s, level)?.into_iter().enumerate().map(read).collect()
    };
    let means = |v: Result<Vec<f64>, NotRead>| mean_of(&v?).ok_or(NotRead::Outside);
    let one = |level: &f64| {
        let level = *level;
        let rpm = [a, b].map(|s| means(rpm_of(s, level)));
        let value = [a, b].map(|s| means(value_of(s, level)));
        let between = |[x, y]: [Result<f64, NotRead>; 2], of: &dyn Fn(&SetResult) -> Vec<f64>| {
            let (x, y) = (x.ok()?, y.ok()?);
            let s = pair.scatter(of)?;
            (s.within.sd > 1e-9 * x.abs().max(1e-9)).then(|| pair.interval(&s, y - x, 0.0))
        };
        AtOutput {
            level_kw: level,
            difference: between(value, &|s| value_of(s, level).unwrap_or_default()),
            rpm_difference: between(rpm, &|s| rpm_of(s, level).unwrap_or_default()),
            rpm,
            value,
        }
    };
    levels_kw.iter().map(one).collect()
}

/// Lowest and highest level that two sets share, kW; `None` where they share none.
pub fn shared_output(a: &SetResult, b: &SetResult) -> Option<[f64; 2]> {
    let lowest = |s: &SetResult| {
        s.included_curves()
            .filter_map(|c| c.power_kw.iter().copied().find(|p| p.is_finite()))
            .reduce(f64::max)
    };
    let low = lowest(a)?.max(lowest(b)?);
    let peak = |s: &SetResult| s.figure(Figure::PeakPower).mean;
    let high = UP_TO * peak(a)?.min(peak(b)?);
    (low < high).then_some([low, high])
}
