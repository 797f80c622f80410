//! From logs and settings to sets, comparisons and limits: the one computation behind pages, commands and
//! reports.
//!
//! Its floors, from the ground up; each builds on those before it and never on one after it: [`given`]
//! (recordings, vehicle, choices), [`measured`] (one pull), [`set`] (its pulls together), [`set_vs_set`] (one
//! against another), [`verdict`] (what may be concluded). What is found is data; [`crate::words`] says it.

pub mod given;
pub mod measured;
pub mod set;
pub mod set_vs_set;
#[cfg(test)]
mod tests;
pub mod verdict;

pub use given::{
    Along, Aspiration, Cycle, Engine, Finished, Headline, Ignition, Injection, PrintedCurve, PullInput,
    SetInput, Settings, TypedPeaks, Usual, Vehicle,
};
pub use measured::{
    Beside, ChannelSummary, Coupling, CouplingKind, Dip, Event, Happened, JudgedAgain, Lane, MeasureError,
    Measured, Printed, RatioSource, RawGrid, Recorder, Sensor, Tells, belt, coupling, events, find_dips,
    judge_again, measure, measure_sets, measure_sets_unless, own_bounds, retrace,
};
pub use set::{
    BoostHold, BoostSeen, ChannelFigures, ChannelOnGrid, Corrected, Figure, HoldCause, Level, OtherAxis,
    SetChannel, SetFigures, SetResult, Settled, analyse_sets, boost_hold, corrected, figures_of,
    set_verdicts,
};
pub use set_vs_set::{
    Crossover, GainCurve, Gains, LargestGain, OrderFree, SecondLooks, Share, Split, StateDifference, Step,
    crossovers, differs, habit_of,
};
pub use verdict::{
    APART_P, AtOutput, AtSpeed, Barred, Became, Candidate, Caveat, Comparison, Danger, Detune, EffectMatrix,
    EffectRow, FILLED_WITHIN, FigureComparison, Forecast, GainOfGains, HeldAgainst, HollowCompared,
    InjectionSays, NoDetune, NoForecast, NoRatio, NotRead, Now, OctaneSays, OfPulls, OwnWindow, PullFinding,
    Recommendation, RungSeen, RunnerUp, Sign, Suspect, Suspicion, UP_TO, USABLE, Untold, Verdict, Wish,
    Would, WouldTell, at_equal_output, at_speeds, compare_all, dangers, detune, effect_matrix, find_days,
    find_pulls, gain_of_gains, hollows_compared, next_rung, note_pulls, now, octane_step, own_windows,
    recommend, recommend_held, shared_output, usable,
};
