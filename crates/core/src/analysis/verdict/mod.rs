//! What may be concluded from one set against another: intervals that can be stood behind, verdicts, and the
//! caveats beside them.

mod caveats;
mod comparable;
mod comparison;
mod difference;
mod figure;
mod gain_of_gains;
mod noted;
mod notes;
mod now;
mod repeats;
mod speeds;

pub use caveats::{Caveat, Separation};
pub use comparable::NotComparable;
pub use comparison::{Comparison, compare_all};
pub use difference::Verdict;
pub use figure::FigureComparison;
pub use gain_of_gains::{GainOfGains, NoRatio, gain_of_gains};
pub use noted::note_pulls;
pub use now::{Now, now};
pub use repeats::{PullFinding, find_days, find_pulls};
pub use speeds::{AtSpeed, at_speeds};
