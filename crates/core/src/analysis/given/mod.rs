//! What an analysis starts from: recordings, the vehicle, and a person's choices.

mod along;
mod finished;
mod pulls;
mod settings;
mod vehicle;

pub use along::Along;
pub use finished::{Finished, PrintedCurve, TypedPeaks};
pub use pulls::{PullInput, SetInput};
pub use settings::{Headline, Settings, Usual};
pub use vehicle::{Aspiration, Cycle, Engine, Ignition, Injection, Vehicle};
