//! What was found in recordings and pulls, as data with units. `words` puts it into sentences; nothing here
//! is a sentence.

mod doubt;
mod refusal;

pub use doubt::UnitDoubt;
pub use refusal::Refusal;

use crate::channel::Channel;
use crate::printed::{Applied, Place};
use crate::pull::span::PullKind;
use crate::units::Unit;
use serde::{Deserialize, Serialize};

/// How much a finding weighs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Severity {
    /// Good to know; no number is doubted.
    Note,
    /// A number may be off by more than its interval says.
    Caution,
    /// Something is not known that would have been wanted.
    Unknown,
}

/// What was wrong with a time stamp.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TimeFault {
    /// It repeats an earlier one.
    Repeated,
    /// It steps back.
    Back,
    /// There is none.
    Blank,
}

/// What a limiter limits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Limiter {
    /// Engine speed.
    Rev,
    /// Road speed.
    Speed,
}

/// One thing a person should know about a recording or a pull. Shares are of one, not of a hundred.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Finding {
    /// Gauge values stand on a standard atmosphere, as no barometer is on record.
    BarometerAssumed { channels: Vec<Channel>, kpa: f64 },
    /// The last line was cut short and left out.
    Truncated,
    /// A curve or peaks that came finished, with what is known of them.
    Printed { kind: PullKind, applied: Applied, place: Option<Place>, smoothing: String },
    /// Printed power departs from printed torque times speed by this share, most at this speed.
    PrintedDisagree { share: f64, rpm: f64 },
    /// When something was changed is known by its day alone; on the `same_day` not even whether before or
    /// after.
    InterventionTime { what: String, same_day: bool },
    /// Power was recorded in place of torque, with a smoothing nobody stated.
    PowerRecorded,
    /// There is no dyno recording.
    LogOnly,
    /// The measured ratio is that of another gear than the one stated.
    AnotherGear { stated: Option<String>, measured: String, ratio: f64 },
    /// A unit was guessed.
    UnitGuess { header: String, doubt: UnitDoubt, taken: Unit },
    /// Readings that no sensor of that kind gives were left out.
    Impossible { n: usize, channel: Channel, first_line: u32 },
    /// Samples with a bad time stamp were left out.
    TimeRepaired { n: usize, of: usize, fault: TimeFault },
    /// The longest time in which a recorder wrote nothing.
    Gap { log: String, lasts_s: f64, from_s: f64 },
    /// A sensor sat at an end of its range.
    Saturated { channel: Channel, top: bool, value: f64, lasts_s: f64 },
    /// A sensor stood still while the engine swept.
    Frozen { channel: Channel, value: f64, lasts_s: f64 },
    /// A sensor stood still through this pull and moved in the job's others.
    FrozenHere { channel: Channel, value: f64 },
    /// A held step lies between the speeds of the grid.
    OffGrid { rpm: f64, within_rpm: f64 },
    /// Torque was still moving where speeds were held.
    NotSettled { rpm: Vec<f64>, share: f64 },
    /// Whether held speeds were at full load is not known.
    LoadUnknown,
    /// Samples are too far apart for the filter.
    Unfiltered { step_s: f64, window_s: f64 },
    /// Power was cut within the pull; the speeds are those that are known.
    PowerCut { n: usize, rpm: Vec<f64> },
    /// Spikes left out of the curve.
    Spikes { n: usize, in_torque: bool },
    /// A recording holds several pulls and nobody said which.
    SeveralPulls { n: usize, log: String, taken: usize },
    /// The engine computer's log was refused.
    NotAligned(Refusal),
    /// Two clocks of day differ by hours.
    ClockZone { apart_s: f64 },
    /// Neither a ratio nor an engine speed: the axis is dyno-shaft speed.
    AxisIsShaftSpeed,
    /// The measured ratio is not the geometry's; the share of slip under load where it was fitted.
    RatioDiffers { geometry: f64, measured: f64, slip: Option<f64> },
    /// The pull goes by the engine speed that was measured: the shaft's times the ratio departs by this share
    /// at most, there.
    SpeedMeasured { most: f64, rpm: f64 },
    /// Engine speed fell back within the pull by so much, from there.
    SpeedFellBack { from_rpm: f64, by_rpm: f64 },
    /// No pull was found.
    NoPull { log: String },
    /// Speeds held one after the other.
    HeldSteps,
    /// Speed pulled down under load.
    LugDown,
    /// The plateau at the end may be either limiter.
    LimiterUnsure,
    /// A limiter ended the pull.
    Cut { rpm: f64, by: Limiter },
    /// Hotter intake air and less power than in the best earlier pull.
    HeatSoak { warmer_c: f64, less: f64 },
    /// A target differs from that of the other pulls of this map: the most by which, in the channel's unit,
    /// and where.
    OtherTargets { target: Channel, most: f64, rpm: f64 },
    /// A temperature at the start is not the day's usual one.
    Conditions { channel: Channel, off_c: f64, usual_c: f64 },
    /// Colder oil and less power than in the warmest pull of the set.
    WarmUp { colder_c: f64, less: f64 },
    /// Peak power off the set's other pulls, kW, and how many times what scatter explains.
    Outlier { off_kw: f64, times: f64 },
    /// Found by an earlier version, which kept only words.
    #[serde(untagged)]
    Earlier { kind: String, text: String },
}

impl Finding {
    /// Its kind in files, search and the interface for programs.
    pub fn kind(&self) -> &str {
        match self {
            Self::Printed { .. } => "printed",
            Self::PrintedDisagree { .. } => "printed_disagree",
            Self::LogOnly => "log_only",
            Self::PowerRecorded => "power_recorded",
            Self::InterventionTime { .. } => "intervention_time",
            Self::AnotherGear { .. } => "another_gear",
            Self::BarometerAssumed { .. } => "barometer_assumed",
            Self::Truncated => "truncated",
            Self::UnitGuess { .. } => "unit_guess",
            Self::Impossible { .. } => "impossible",
            Self::TimeRepaired { .. } => "time_repaired",
            Self::Gap { .. } => "gap",
            Self::Saturated { .. } => "saturated",
            Self::Frozen { .. } | Self::FrozenHere { .. } => "frozen",
            Self::OffGrid { .. } => "off_grid",
            Self::NotSettled { .. } => "not_settled",
            Self::LoadUnknown => "load_unknown",
            Self::Unfiltered { .. } => "unfiltered",
            Self::PowerCut { .. } => "power_cut",
            Self::Spikes { .. } => "spikes",
            Self::SeveralPulls { .. } => "several_pulls",
            Self::NotAligned(_) => "not_aligned",
            Self::ClockZone { .. } => "clock_zone",
            Self::AxisIsShaftSpeed => "axis_is_shaft_speed",
            Self::RatioDiffers { .. } => "ratio_differs",
            Self::SpeedMeasured { .. } => "speed_measured",
            Self::SpeedFellBack { .. } => "speed_fell_back",
            Self::NoPull { .. } => "no_pull",
            Self::HeldSteps => "held_steps",
            Self::LugDown => "lug_down",
            Self::LimiterUnsure => "limiter_unsure",
            Self::Cut { .. } => "cut",
            Self::HeatSoak { .. } => "heat_soak",
            Self::OtherTargets { .. } => "other_targets",
            Self::Conditions { .. } => "conditions",
            Self::WarmUp { .. } => "warm_up",
            Self::Outlier { .. } => "outlier",
            Self::Earlier { kind, .. } => kind,
        }
    }

    /// How much it weighs.
    pub fn severity(&self) -> Severity {
        match self {
            Self::HeldSteps
            | Self::Printed { .. }
            | Self::LogOnly
            | Self::SpeedMeasured { .. }
            | Self::PowerRecorded
            | Self::InterventionTime { same_day: false, .. }
            | Self::LugDown
            | Self::Cut { .. }
            | Self::Spikes { .. }
            | Self::TimeRepaired { .. }
            | Self::Truncated => Severity::Note,
            Self::NoPull { .. }
            | Self::NotAligned(_)
            | Self::Saturated { .. }
            | Self::Frozen { .. }
            | Self::FrozenHere { .. }
            | Self::LoadUnknown
            | Self::LimiterUnsure
            | Self::Gap { .. } => Severity::Unknown,
            Self::BarometerAssumed { .. }
            | Self::PrintedDisagree { .. }
            | Self::InterventionTime { .. }
            | Self::AnotherGear { .. }
            | Self::UnitGuess { .. }
            | Self::Impossible { .. }
            | Self::OffGrid { .. }
            | Self::NotSettled { .. }
            | Self::Unfiltered { .. }
            | Self::PowerCut { .. }
            | Self::SeveralPulls { .. }
            | Self::ClockZone { .. }
            | Self::AxisIsShaftSpeed
            | Self::RatioDiffers { .. }
            | Self::SpeedFellBack { .. }
            | Self::HeatSoak { .. }
            | Self::OtherTargets { .. }
            | Self::Conditions { .. }
            | Self::WarmUp { .. }
            | Self::Outlier { .. }
            | Self::Earlier { .. } => Severity::Caution,
        }
    }

    /// Whether every page that shows the pull says it in other words: a question at import, or what kind of
    /// pull it is.
    pub fn is_said_elsewhere(&self) -> bool {
        matches!(self.kind(), "unit_guess" | "held_steps" | "lug_down")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn findings_come_back_from_files_and_those_of_earlier_versions_keep_their_words() {
        let found = [
            Finding::Truncated,
            Finding::NotAligned(Refusal::Coverage { share: 0.4 }),
            Finding::HeatSoak { warmer_c: 9.5, less: 0.012 },
            Finding::UnitGuess {
                header: "MAP".into(),
                doubt: UnitDoubt::NoZero { low: 22.0 },
                taken: Unit::KpaAbs,
            },
        ];
        let text = serde_json::to_string(&found).unwrap();
        assert_eq!(serde_json::from_str::<Vec<Finding>>(&text).unwrap(), found);
        let old: Finding =
            serde_json::from_str(r#"{"kind": "gap", "text": "nothing was recorded"}"#).unwrap();
        assert_eq!(old, Finding::Earlier { kind: "gap".into(), text: "nothing was recorded".into() });
        assert_eq!((old.kind(), old.severity()), ("gap", Severity::Caution));
    }
}
