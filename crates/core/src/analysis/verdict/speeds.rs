//! Sets against the baseline at several engine speeds.

use super::difference::Verdict;
use super::pair::Pair;
use crate::analysis::set::SetResult;
use crate::curve::Quantity;
use crate::stats::two_sets::mean_of;
use crate::units::RAD_S_PER_RPM;

/// A set at one engine speed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AtSpeed {
    /// rpm.
    pub rpm: f64,
    /// Mean power, kW, and torque, N·m; `None` where a pull that counts does not cover the speed.
    pub value: [Option<f64>; 2],
    /// Difference to the baseline, kW and N·m.
    pub difference: [Option<f64>; 2],
    /// Half of its 95 % interval.
    pub half: [Option<f64>; 2],
    /// Of the two together: at one speed torque is power over speed.
    pub verdict: Verdict,
}

/// A set at each speed against the baseline; against itself there is no difference. `others` lend their scatter
/// beside the sets themselves.
pub fn at_speeds(
    sets: &[SetResult],
    others: &[SetResult],
    [base, set]: [usize; 2],
    speeds: &[f64],
    across_gears: bool,
) -> Vec<AtSpeed> {
    let (a, b) = (&sets[base], &sets[set]);
    let pair = Pair::new([a, b], sets.iter().chain(others), across_gears);
    let at = |s: &SetResult, q: Quantity, rpm: f64| s.of_pulls(|c| c.at(q, rpm));
    let one = |rpm: f64| {
        let of = |s: &SetResult| Quantity::ALL.map(|q| mean_of(&at(s, q, rpm)));
        let (x, y) = (of(a), of(b));
        let mut out =
            AtSpeed { rpm, value: y, difference: [None; 2], half: [None; 2], verdict: Verdict::CantTell };
        if base == set {
            return out;
        }
        out.difference = std::array::from_fn(|i| Some(y[i]? - x[i]?));
        let (Some(d), Some(level)) = (out.difference[0], x[0]) else { return out };
        let scatter = pair.scatter(|s| at(s, Quantity::Power, rpm)).filter(|s| s.is_carried(level));
        let Some(scatter) = scatter else { return out };
        let i = pair.interval(&scatter, d, level);
        out.half = [Some(i.half_width), Some(i.half_width * 1000.0 / (rpm * RAD_S_PER_RPM))];
        out.verdict = Verdict::of(i.ci95());
        out
    };
    speeds.iter().map(|rpm| one(*rpm)).collect()
}
