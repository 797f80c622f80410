//! What must be known beside a comparison, as data; `words` says it.

use super::comparable::NotComparable;
use super::injection::InjectionSays;
use super::octane::OctaneSays;
use super::repeats::PullFinding;
use super::suspects::Suspicion;
use crate::analysis::given::Headline;
use crate::analysis::set::Settled;
use crate::analysis::set_vs_set::{FairBest, LargestGain, Split, Undrifted};
use crate::correction::Caution;
use crate::factors::{Factors, Hazard};
use crate::findings::Severity;
use crate::stats::across::Relative;
use crate::stats::equivalence::Equivalence;
use crate::stats::habit::Habit;
use crate::stats::pooled::Interval;

/// What can be done about factors that changed together.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub enum Separation {
    /// Nothing safe.
    NotSafe(Vec<Hazard>),
    /// What was run already splits the difference.
    Split(Box<Split>),
    /// What was run already separates them, without a split.
    AlreadyRun(Vec<Factors>),
    /// These configurations would.
    Pull(Vec<Factors>),
    /// These would, the first of them a fresh baseline, or candidate, after what time has changed.
    Fresh { sets: Vec<Factors>, after: Vec<String>, of_base: bool },
    /// All of it was changed between the two, and nothing stands in between.
    Bygone,
}

/// One caveat. Sets go by their id; powers in kW, shares of one.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub enum Caveat {
    /// The two sets cannot be compared.
    CantTell(NotComparable),
    /// Factors changed together.
    Confounded { factors: Vec<String>, separation: Separation },
    /// Compared across gears, because a person accepts it.
    AcrossGears([Option<String>; 2]),
    /// Different days: the interval is wider by a share of power, `weight` times the difference of the
    /// correction factors.
    CrossDay { days: [String; 2], share: f64, weight: f64, factors: [f64; 2] },
    /// One pull each and no repeats that day.
    NoRepeats,
    /// One recording stands for several pulls.
    Copies,
    /// The pulls scatter by less than the recordings can carry.
    TooCoarse,
    /// A set has one pull and borrows its scatter.
    BorrowedScatter,
    /// Both carry the same unknown correction: only the share, of one, holds; `None` when there is no
    /// difference to give.
    SameUnknown { share: Option<f64> },
    /// One finished curve each knows no scatter.
    OneCurve,
    /// Held steps, with so many speeds in common.
    HeldSteps { shared: usize },
    /// The interval is that of the cell's habit.
    Provisional(Habit),
    /// Nothing was run again: within one mounting only.
    OneMounting,
    /// Few sets were run again.
    FewMountings,
    /// One set scatters much more than the other.
    UnevenScatter { sd_kw: [f64; 2] },
    /// One goes by a measured engine speed and the other by the shaft's.
    SpeedOrigins,
    /// The largest gain at equal shaft speed, which is said beside that at equal engine speed.
    AtShaftSpeed(LargestGain),
    /// Ramp rates differ by a share, rpm/s each, and no rotating inertia is given.
    RampRate { apart: f64, rpm_s: [f64; 2] },
    /// The filter covers spans that differ by a share.
    WindowSpan { window_s: f64, apart: f64 },
    /// A set has pulls that do not count.
    Excluded { set: String, n: usize, of: usize },
    /// A caution of the correction behind a set.
    Correction { set: String, caution: Caution },
    /// The headline is not the mean.
    Headline(Headline),
    /// Against the baseline as it stood between its runs before and after.
    Bracketed(Interval),
    /// The day drifts.
    Drift(Undrifted),
    /// Through a baseline that both days have.
    Across { base: String, candidate: String, relative: Relative },
    /// The two days share no baseline.
    NoSharedBaseline,
    /// Whether the two are the same within a margin set before.
    Equivalence(Equivalence),
    /// Best of many against best of few.
    BestOf(FairBest),
    /// Something is known about one pull of a set.
    Flagged { set: String, found: PullFinding },
    /// Hardware that may have changed, where nothing was meant to differ.
    Suspected(Suspicion),
    /// What a step to more octane showed; the scale and both numbers.
    Octane { says: OctaneSays, scale: &'static str, octane: [f64; 2] },
    /// An auxiliary injection was switched: what the mixture says of it.
    Injection(InjectionSays),
    /// A set has not settled.
    Unsettled { set: String, settled: Settled },
}

impl Caveat {
    /// Its kind in files and in the interface for programs.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::CantTell(_) => "cant_tell",
            Self::Confounded { .. } => "confounded",
            Self::AcrossGears(_) => "gears",
            Self::CrossDay { .. } => "cross_day",
            Self::NoRepeats | Self::TooCoarse => "no_scatter",
            Self::Copies => "copies",
            Self::BorrowedScatter => "borrowed_scatter",
            Self::SameUnknown { .. } => "unknown_correction",
            Self::OneCurve => "one_curve",
            Self::HeldSteps { .. } => "held_steps",
            Self::Provisional(_) => "provisional",
            Self::OneMounting => "one_mounting",
            Self::FewMountings => "few_mountings",
            Self::UnevenScatter { .. } => "uneven_scatter",
            Self::SpeedOrigins => "speed_origins",
            Self::AtShaftSpeed(_) => "at_shaft_speed",
            Self::RampRate { .. } => "ramp_rate",
            Self::WindowSpan { .. } => "window_span",
            Self::Excluded { .. } => "excluded",
            Self::Correction { .. } => "correction",
            Self::Headline(_) => "headline",
            Self::Bracketed(_) => "bracket",
            Self::Drift(_) => "drift",
            Self::Across { .. } | Self::NoSharedBaseline => "across",
            Self::Equivalence(_) => "equivalence",
            Self::BestOf(_) => "best_of",
            Self::Flagged { .. } => "flagged",
            Self::Suspected(_) => "suspected",
            Self::Octane { .. } => "octane",
            Self::Injection(_) => "injection",
            Self::Unsettled { .. } => "unsettled",
        }
    }

    /// How much it weighs.
    pub fn severity(&self) -> Severity {
        match self {
            Self::CantTell(_)
            | Self::OneCurve
            | Self::NoRepeats
            | Self::Copies
            | Self::TooCoarse
            | Self::NoSharedBaseline => Severity::Unknown,
            Self::HeldSteps { .. }
            | Self::Excluded { .. }
            | Self::Headline(_)
            | Self::AtShaftSpeed(_)
            | Self::Bracketed(_)
            | Self::Across { .. }
            | Self::Octane { .. }
            | Self::Injection(InjectionSays::Same { .. })
            | Self::Equivalence(_) => Severity::Note,
            Self::Confounded { .. }
            | Self::SpeedOrigins
            | Self::SameUnknown { .. }
            | Self::AcrossGears(_)
            | Self::CrossDay { .. }
            | Self::BorrowedScatter
            | Self::Provisional(_)
            | Self::OneMounting
            | Self::FewMountings
            | Self::UnevenScatter { .. }
            | Self::RampRate { .. }
            | Self::WindowSpan { .. }
            | Self::Correction { .. }
            | Self::Drift(_)
            | Self::BestOf(_)
            | Self::Flagged { .. }
            | Self::Suspected(_)
            | Self::Injection(_)
            | Self::Unsettled { .. } => Severity::Caution,
        }
    }
}
