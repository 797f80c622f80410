//! What was found in recordings and pulls, in words. No full stop: a list or a sentence goes on.

use super::{count, refusal};
use crate::correction::Correction;
use crate::findings::{Finding, Limiter, TimeFault, UnitDoubt};
use crate::printed::Applied;
use crate::pull::span::PullKind;
use crate::units::Units;

/// The correction that a print carries.
pub fn applied_words(a: Applied) -> String {
    match a {
        Applied::Family(Correction::None) => "uncorrected".to_owned(),
        Applied::Family(f) => format!("corrected by {} before it came", f.label()),
        Applied::Unknown => "by an unknown correction".to_owned(),
    }
}

/// A finding.
pub fn finding(f: &Finding, units: Units) -> String {
    match f {
        Finding::BarometerAssumed { channels, kpa } => format!(
            "no barometer on record: gauge values of {} are taken over a standard {kpa} kPa. Enter the cell's air, or log the barometer",
            channels.iter().map(|c| c.label()).collect::<Vec<_>>().join(", ")
        ),
        Finding::Printed { kind, applied, place, smoothing } => {
            let what = if *kind == PullKind::PeaksOnly { "peaks typed from a print" } else { "a curve that came finished" };
            let place = place.map_or_else(String::new, |p| format!(", {}", p.words()));
            let applied = applied_words(*applied);
            let smoothing = if smoothing.trim().is_empty() { "smoothing not stated".to_owned() } else { format!("smoothing: {}", smoothing.trim()) };
            format!("{what}{place}, {applied}; {smoothing}. No recording stands behind it, so no limit was measured")
        }
        Finding::PrintedDisagree { share, rpm } => format!(
            "printed power is {:+.1} % off printed torque times speed at {rpm:.0} rpm: is a unit or a column another one?",
            100.0 * share
        ),
        Finding::InterventionTime { what, same_day: true } => format!(
            "{what} was changed on this day, and whether before or after this set is not known: give both a time"
        ),
        Finding::InterventionTime { what, same_day: false } => {
            format!("when {what} was changed is told by its day alone")
        }
        Finding::PowerRecorded => {
            "power was recorded and not torque: torque is power over speed, and what smoothing is in it is not stated".into()
        }
        Finding::LogOnly => "the engine computer's recording alone: limits and timing, no power".into(),
        Finding::AnotherGear { stated, measured, ratio } => {
            let stated = stated.as_deref().map_or_else(|| "no gear is stated".to_owned(), |g| format!("gear {g} is stated"));
            format!("{stated}, and the measured ratio of {ratio:.3} is that of gear {measured}: which was it?")
        }
        Finding::Truncated => "the last line was cut short and left out".into(),
        Finding::UnitGuess { header, doubt, taken } => format!("{} Taken as {}.", unit_doubt(header, doubt), taken.label()),
        Finding::Impossible { n, channel, first_line } => {
            let kind = channel.kind().map_or_else(|| channel.to_string(), |k| k.label.to_owned());
            format!("{n} readings of {kind} that cannot be were left out, the first in line {first_line}")
        }
        Finding::TimeRepaired { n, of, fault } => {
            let what = match fault {
                TimeFault::Repeated => "repeated an earlier time stamp",
                TimeFault::Back => "stepped back in time",
                TimeFault::Blank => "had no time",
            };
            format!("{n} of {of} samples {what} and were left out")
        }
        Finding::Gap { log, lasts_s, from_s } => format!("{log}: nothing was recorded for {lasts_s:.1} s from {from_s:.2} s"),
        Finding::Saturated { channel, top, value, lasts_s } => {
            let end = if *top { "top" } else { "bottom" };
            format!("{} sat at the {end} of its range ({value}) for {lasts_s:.1} s", channel.label())
        }
        Finding::Frozen { channel, value, lasts_s } => {
            format!("{} stood still at {value} for {lasts_s:.1} s while the engine swept", channel.label())
        }
        Finding::FrozenHere { channel, value } => super::limits::stood_still_here(channel, *value),
        Finding::OffGrid { rpm, within_rpm } => {
            format!("the step at {rpm:.0} rpm is not on the curve: no grid speed of its own within {within_rpm:.0} rpm")
        }
        Finding::NotSettled { rpm, share } => {
            format!("torque was still moving by more than {:.0} % at {} rpm: hold longer there", 100.0 * share, speeds(rpm, ""))
        }
        Finding::LoadUnknown => "no throttle or pedal on the dyno's clock: whether the held speeds were at full load is not known".into(),
        Finding::Unfiltered { step_s, window_s } => {
            format!("samples are {step_s:.3} s apart: too few in the {window_s} s window, so the curve is unfiltered")
        }
        Finding::PowerCut { n, rpm } => {
            let times = if *n == 1 { "once".to_owned() } else { format!("{n} times") };
            format!("power was cut {times} within the pull, at {}: the curve is split there, and nothing is read across", speeds(rpm, " rpm"))
        }
        Finding::Spikes { n, in_torque } => {
            let what = if *in_torque { "torque" } else { "speed" };
            format!("{} in {what} left out of the curve; limits still see them", count(*n, "spike"))
        }
        Finding::SeveralPulls { n, log, taken } => format!("{n} pulls in {log}: number {taken} was taken; the others need entries of their own"),
        Finding::NotAligned(why) => refusal(why),
        Finding::ClockZone { apart_s } => {
            format!("the two recorders' clocks are {:.1} h apart: another time zone, summer time, or midnight in between", apart_s / 3600.0)
        }
        Finding::AxisIsShaftSpeed => "the overall ratio is not known and no engine speed is aligned: the axis is dyno-shaft speed".into(),
        Finding::RatioDiffers { geometry, slip: Some(slip), .. } => format!(
            "the dyno turns up to {:.1} % slower under load than the ratio of {geometry:.3} says: slip of tyre, clutch or converter",
            100.0 * slip
        ),
        Finding::RatioDiffers { geometry, measured, slip: None } => {
            let off = 100.0 * (measured / geometry - 1.0);
            format!("the measured ratio is {measured:.3}, the geometry says {geometry:.3} ({off:+.1} %): wrong gear, or slip?")
        }
        Finding::SpeedMeasured { most, rpm } => format!(
            "shaft speed times the ratio is off the measured engine speed by up to {:.1} % ({rpm:.0} rpm): axis, torque and limits of this pull go by the measured one",
            100.0 * most
        ),
        Finding::SpeedFellBack { from_rpm, by_rpm } => format!(
            "engine speed fell back by {by_rpm:.0} rpm from {from_rpm:.0} rpm within the pull, as when a converter closes: each speed is read where it was first passed"
        ),
        Finding::NoPull { log } => {
            format!("no pull found in {log}: under full load speed never rises by 1000 rpm for 1.5 s, nor is it held at three speeds")
        }
        Finding::HeldSteps => "speeds held one after the other".into(),
        Finding::LugDown => "speed pulled down under load".into(),
        Finding::LimiterUnsure => {
            "no recording shows the engine turning faster than this plateau and its rev limit is not given: it may be the speed limiter".into()
        }
        Finding::Cut { rpm, by } => {
            let by = match by {
                Limiter::Rev => "rev limiter",
                Limiter::Speed => "speed limiter",
            };
            format!("cut at {rpm:.0} rpm by {by}: no peak beyond it is known")
        }
        Finding::HeatSoak { warmer_c, less } => {
            format!("intake air {warmer_c:.0} °C warmer than in the best earlier pull, {:.1} % less power: heat soak", 100.0 * less)
        }
        Finding::OtherTargets { target, most, rpm } => {
            let off = match target.unit() {
                "λ" => format!("{most:+.3}"),
                u => format!("{most:+.0} {u}"),
            };
            format!("{} up to {off} off that of the other pulls of this map, at {rpm:.0} rpm: another map in the unit?", target.label())
        }
        Finding::Conditions { channel, off_c, usual_c } => {
            let what = match channel.as_str() {
                "oil_temp" => "oil".to_owned(),
                "coolant_temp" => "coolant".to_owned(),
                "intake_temp" => "intake air".to_owned(),
                _ => channel.label(),
            };
            let side = if *off_c > 0.0 { "warmer" } else { "colder" };
            format!("{what} {:.0} °C {side} at the start than the day's usual {usual_c:.0} °C", off_c.abs())
        }
        Finding::WarmUp { colder_c, less } => {
            format!("oil {colder_c:.0} °C colder than in the warmest pull of the set, {:.1} % less power: warm-up", 100.0 * less)
        }
        Finding::Outlier { off_kw, times } => {
            let side = if *off_kw > 0.0 { "above" } else { "below" };
            format!("peak power {} {side} the set's other pulls, {times:.1} times what scatter explains", units.power.say(off_kw.abs()))
        }
        Finding::Earlier { text, .. } => text.clone(),
    }
}

/// Engine speeds in a row, each with what follows it.
fn speeds(rpm: &[f64], each: &str) -> String {
    rpm.iter().map(|r| format!("{r:.0}{each}")).collect::<Vec<_>>().join(", ")
}

/// The question a person is asked about the unit of a column.
pub fn unit_doubt(header: &str, doubt: &UnitDoubt) -> String {
    match doubt {
        UnitDoubt::Afr { low, high } => {
            format!("“{header}” reads {low:.1} to {high:.1}: AFR on the gasoline scale (14.7 at λ 1)?")
        }
        UnitDoubt::Fahrenheit { low, high } => format!("“{header}” reads {low:.0} to {high:.0}: °F?"),
        UnitDoubt::Fraction { high } => {
            format!("“{header}” never exceeds {high:.2}: a fraction, not per cent?")
        }
        UnitDoubt::NoZero { low } => {
            format!("“{header}” does not say whether it is gauge or absolute; its lowest value is {low:.1}.")
        }
        UnitDoubt::CannotBe { channel, middle, stated, would_be } => format!(
            "“{header}” reads {middle:.1} in the middle: as {} that would be {would_be:.0} {}, which cannot be.",
            stated.label(),
            channel.unit()
        ),
        UnitDoubt::GrowsLikePower { half, top } => format!(
            "“{header}” grows with engine speed towards the top ({top:.0} there, {half:.0} at half that speed), as power does and torque does not: is it power?"
        ),
        UnitDoubt::Earlier(text) => text.clone(),
    }
}
