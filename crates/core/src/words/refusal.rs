//! Why two recordings were not aligned, in words.

use crate::findings::Refusal;

/// A refusal.
pub fn refusal(r: &Refusal) -> String {
    match r {
        Refusal::NotCovered => "the engine-computer log does not cover this pull anywhere".into(),
        Refusal::NoLag => "no lag makes the two speed traces agree".into(),
        Refusal::Coverage { share } => {
            format!("the engine-computer log covers only {:.0} % of the pull", 100.0 * share)
        }
        Refusal::Clocks { off_s } => {
            format!("the files' own clocks contradict the lag that fits by {off_s:.0} s: another pull's log?")
        }
        Refusal::Residual { share, limit, ratio_off } => {
            let ratio = match ratio_off {
                Some(off) => format!(
                    "; the measured ratio is {:.1} % off the geometry: wrong gear, slip, or another pull's log?",
                    100.0 * off
                ),
                None => ": another pull's log?".to_owned(),
            };
            format!(
                "the two speeds differ by {:.2} % rms at the best lag (limit {:.1} %){ratio}",
                100.0 * share,
                100.0 * limit
            )
        }
        Refusal::Ends { rpm, limit_rpm } => {
            format!("the ends of the pull differ by {rpm:.0} rpm (limit {limit_rpm:.0}): another pull's log?")
        }
        Refusal::Kinks { gap_s } => {
            format!(
                "tip-in and lift are {:.0} ms further apart in one log than in the other: another pull's log?",
                1000.0 * gap_s.abs()
            )
        }
        Refusal::Rate { ppm } => {
            format!(
                "the clocks would have to run {:.1} % apart, which no recorder's does: another pull's log?",
                ppm.abs() / 1e4
            )
        }
        Refusal::Uncertain { sigma_s } => {
            format!(
                "the lag is known only to ± {sigma_s:.1} s, as the speed hardly moves: anchor the clocks by hand"
            )
        }
        Refusal::Shape { rpm } => {
            format!(
                "the ramps differ in shape by {rpm:.0} rpm rms, which a rigid coupling cannot do: another pull's log?"
            )
        }
        Refusal::BareRamp => {
            "neither log shows tip-in or lift and the ratio is not known: a bare ramp has no identifiable lag"
                .into()
        }
        Refusal::Rivals { lag_s, rival_s } => {
            format!(
                "two lags fit this pull alike, {lag_s:.2} s and {rival_s:.2} s: another pull of the same ramp? Anchor the clocks by hand"
            )
        }
        Refusal::NoPull => "there is no pull in the dyno recording to align".into(),
        Refusal::NoSpeed => "the engine-computer log has no engine speed".into(),
        Refusal::AnotherRatio { measured, geometry } => {
            format!(
                "the two speeds agree with a ratio of {measured:.3}, and the geometry says {geometry:.3}: wrong gear, or slip?"
            )
        }
        Refusal::FitsAnother { pull } => {
            format!("this engine-computer log fits pull {pull} clearly better than this one: swapped files?")
        }
        Refusal::AnotherFits { pull } => {
            format!(
                "the engine-computer log of pull {pull} fits this pull clearly better than its own: swapped files?"
            )
        }
        Refusal::OddRate { ppm, usual_ppm } => {
            format!(
                "the clocks would have to run {ppm:.0} ppm apart here and {usual_ppm:.0} ppm in the other pulls: another pull's log?"
            )
        }
    }
}
