//! What a step in octane showed: it gained or not, and knock control took spark or not.

use super::difference::Verdict;
use serde::Serialize;

/// What limits the engine, as far as the step shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum OctaneSays {
    /// It gained, and retard went: knock limited it on the lower fuel.
    WasKnockLimited,
    /// It gained without retard before: not by knock; another property, or the map adds spark by itself.
    GainedOtherwise,
    /// No gain is shown and no retard was there: not octane-limited: near MBT, or the map does not add spark.
    NotOctaneLimited,
    /// No gain is shown although retard was there and went: the spark that came back is worth too little to show.
    RetardWentForNothing,
    /// Retard is there on both: the higher fuel is not enough.
    StillKnockLimited,
    /// It lost.
    Lost,
    /// Knock control was not heard, or the difference cannot be told.
    CantTell,
}

/// Judges a step to more octane. `retard_deg` is the sustained retard on the lower and on the higher fuel, each `None`
/// where nobody knows whether knock control listened.
///
/// Domain, sections 6 and 8: without a live knock control nothing is concluded.
pub fn octane_step(gain: Verdict, retard_deg: [Option<f64>; 2]) -> OctaneSays {
    /// Retard that counts, degrees (our choice).
    const COUNTS: f64 = 0.5;
    let [Some(low), Some(high)] = retard_deg.map(|r| r.map(|d| d.abs() >= COUNTS)) else {
        return OctaneSays::CantTell;
    };
    match (gain, low, high) {
        (Verdict::Loss | Verdict::ProvisionalLoss, ..) => OctaneSays::Lost,
        (Verdict::CantTell, ..) => OctaneSays::CantTell,
        (_, _, true) => OctaneSays::StillKnockLimited,
        (Verdict::Gain | Verdict::ProvisionalGain, true, false) => OctaneSays::WasKnockLimited,
        (Verdict::Gain | Verdict::ProvisionalGain, false, false) => OctaneSays::GainedOtherwise,
        (Verdict::NoDifferenceShown, true, false) => OctaneSays::RetardWentForNothing,
        (Verdict::NoDifferenceShown, false, false) => OctaneSays::NotOctaneLimited,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_step_is_judged_by_gain_and_retard_together_and_never_without_a_listener() {
        let of = |v, low: f64, high: f64| octane_step(v, [Some(low), Some(high)]);
        assert_eq!(of(Verdict::Gain, 3.0, 0.0), OctaneSays::WasKnockLimited);
        assert_eq!(of(Verdict::Gain, 0.0, 0.0), OctaneSays::GainedOtherwise);
        assert_eq!(of(Verdict::NoDifferenceShown, 0.0, 0.0), OctaneSays::NotOctaneLimited);
        assert_eq!(of(Verdict::NoDifferenceShown, -2.0, 0.1), OctaneSays::RetardWentForNothing);
        assert_eq!(of(Verdict::Gain, 3.0, 2.0), OctaneSays::StillKnockLimited);
        assert_eq!(of(Verdict::Loss, 0.0, 0.0), OctaneSays::Lost);
        assert_eq!(of(Verdict::CantTell, 0.0, 0.0), OctaneSays::CantTell);
        assert_eq!(octane_step(Verdict::NoDifferenceShown, [Some(0.0), None]), OctaneSays::CantTell);
    }
}
