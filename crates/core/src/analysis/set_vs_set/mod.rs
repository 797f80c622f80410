//! One set against another: whose scatter counts, the gain along the axis, the difference split by factor,
//! second looks.

mod crossover;
mod days;
mod differs;
mod drift;
mod gain;
mod habit;
mod pool;
mod scatter;
mod second_looks;
mod split;

pub use crossover::{Crossover, crossovers};
pub use differs::{StateDifference, differs};
pub use drift::Per;
pub use gain::{GainCurve, Gains, LargestGain};
pub use habit::habit_of;
pub use second_looks::{FairBest, SecondLooks, Undrifted};
pub use split::{OrderFree, Share, Split, Step};

pub(super) use days::{CROSS_DAY_SHARE, cross_day_share};
pub(super) use gain::{Curves, gain_curve};
pub(super) use pool::Pool;
pub(super) use scatter::{Alike, Scatter};
pub(super) use second_looks::{relative_between, second_looks};
pub(super) use split::splits;
