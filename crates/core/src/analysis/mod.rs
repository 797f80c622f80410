//! From logs and settings to sets, comparisons and limits: the one computation behind pages, commands and reports.

mod along;
mod boost;
mod carried;
mod compare;
mod corrected;
mod coupling;
mod differs;
mod dips;
#[cfg(test)]
mod edge_tests;
mod events;
mod frozen;
mod gain;
mod input;
mod measure;
#[cfg(test)]
mod noise_tests;
mod notes;
mod pool;
mod raw_grid;
mod repeats;
mod retrace;
mod second_looks;
#[cfg(test)]
mod second_tests;
mod sentence;
mod sets;
mod split;
#[cfg(test)]
mod split_tests;
mod targets;
#[cfg(test)]
mod tests;
mod together;
mod window;

pub use along::{Along, OtherAxis};
pub use compare::{Comparison, FigureComparison, compare_all};
pub use corrected::{Corrected, corrected};
pub use coupling::{Coupling, CouplingKind, belt, coupling};
pub use differs::{StateDifference, differs};
pub use dips::{Beside, Dip, find_dips};
pub use events::{Event, EventKind, events};
pub use gain::{GainCurve, LargestGain};
pub use input::{Aspiration, Cycle, Engine, Headline, Ignition, Injection, PullInput, SetInput, Settings, Vehicle};
pub use measure::{ChannelSummary, Lane, MeasureError, Measured, RatioSource, measure};
pub use notes::sentence_case;
pub use raw_grid::RawGrid;
pub use repeats::{PullFlag, Settled, flag_days, flag_pulls, note_pulls};
pub use retrace::retrace;
pub use second_looks::SecondLooks;
pub use sentence::{headline_sentence, limit_sentence, sentence_about};
pub use sets::{Figure, SetFigures, SetResult, analyse_sets, set_verdicts};
pub use split::{OrderFree, Split, Step};
pub use together::{measure_sets, measure_sets_unless};
pub use window::own_bounds;

use serde::{Deserialize, Serialize};

/// What may be said of a difference.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// The interval lies above zero.
    Gain,
    /// The interval lies below zero.
    Loss,
    /// The interval includes zero.
    NoDifferenceShown,
    /// No interval can be stood behind.
    CantTell,
}

impl Verdict {
    /// The words shown.
    pub fn label(self) -> &'static str {
        match self {
            Self::Gain => "gain",
            Self::Loss => "loss",
            Self::NoDifferenceShown => "no difference shown",
            Self::CantTell => "can't tell",
        }
    }

    /// From an interval.
    pub fn of(ci95: [f64; 2]) -> Self {
        if ci95[0] > 0.0 {
            Self::Gain
        } else if ci95[1] < 0.0 {
            Self::Loss
        } else {
            Self::NoDifferenceShown
        }
    }
}
