//! What may be concluded from one set against another: intervals that can be stood behind, verdicts, and the
//! caveats beside them.

mod caveats;
mod comparable;
mod comparison;
mod detune;
mod difference;
mod effect_matrix;
mod equal_output;
mod figure;
mod gain_of_gains;
mod hollows;
mod injection;
mod next_rung;
mod noted;
mod notes;
mod now;
mod octane;
mod own_window;
mod pair;
mod recommend;
mod repeats;
mod speeds;
mod suspects;

pub use caveats::{Caveat, Separation};
pub use comparable::NotComparable;
pub use comparison::{Comparison, compare_all};
pub use detune::{Detune, NoDetune, USABLE, detune, usable};
pub use difference::Verdict;
pub use effect_matrix::{APART_P, EffectMatrix, EffectRow, effect_matrix};
pub use equal_output::{AtOutput, NotRead, OfPulls, UP_TO, at_equal_output, shared_output};
pub use figure::FigureComparison;
pub use gain_of_gains::{GainOfGains, NoRatio, gain_of_gains};
pub use hollows::{Became, FILLED_WITHIN, HollowCompared, hollows_compared};
pub use injection::{InjectionSays, Untold};
pub use next_rung::{Forecast, NoForecast, RungSeen, Would, next_rung};
pub use noted::note_pulls;
pub use now::{Now, now};
pub use octane::{OctaneSays, octane_step};
pub use own_window::{OwnWindow, own_windows};
pub use recommend::{
    Barred, Candidate, Danger, HeldAgainst, Recommendation, RunnerUp, Wish, dangers, recommend,
    recommend_held,
};
pub use repeats::{PullFinding, find_days, find_pulls};
pub use speeds::{AtSpeed, at_speeds};
pub use suspects::{Has, Sign, Suspect, Suspicion, WouldTell, suspicions};
