//! One pull, measured: its part of the recordings, its clocks, its curve, its limits, what happened; and what
//! only the pulls of a whole job show of each other.

mod beside;
pub(in crate::analysis) mod boost;
mod carried;
mod causes;
mod coupling;
mod dips;
mod drawn;
mod events;
mod finished;
mod frozen;
mod happened;
mod judged_again;
mod log_only;
mod measure;
mod printed;
mod ratio;
mod raw_grid;
mod result;
mod retrace;
mod runs;
mod sensor;
mod summaries;
mod targets;
mod tells;
mod together;
mod window;

pub use beside::Beside;
pub use coupling::{Against, Coupling, CouplingKind, belt, coupling};
pub use dips::{Dip, find_dips};
pub(in crate::analysis) use dips::{Hollow, hollows};
pub use events::events;
pub use happened::{Cause, Cut, Event, Happened};
pub use judged_again::{JudgedAgain, judge_again};
pub use measure::measure;
pub use printed::Printed;
pub use raw_grid::RawGrid;
pub(in crate::analysis) use result::refs;
pub use result::{ChannelSummary, Lane, MeasureError, Measured, RatioSource};
pub use retrace::retrace;
pub use sensor::{Recorder, Sensor};
pub use tells::{Level as ToldLevel, Tells};
pub use together::{measure_sets, measure_sets_unless};
pub use window::own_bounds;
