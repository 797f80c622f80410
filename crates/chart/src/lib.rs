//! View models to SVG: one renderer for page, report and download. Strings in, strings out.

mod day_plan;
mod frame;
mod front;
mod hatch;
mod injection;
mod jar;
mod lanes;
mod lineage;
mod lineup;
mod paint;
mod pour;
mod scale;
mod spark;
mod svg;
mod sweep;
mod timeline;
mod traction;
mod under_limit;
mod waterfall;

pub use day_plan::{DayPlanChart, PlanBand, PlanBlock};
pub use front::{Front, FrontMark};
pub use hatch::LimitLine;
pub use injection::{InjectionBand, InjectionChart};
pub use jar::{Jar, jar_svg};
pub use lanes::{LaneLine, TraceChart, TraceLane};
pub use lineage::lineage_svg;
pub use lineup::{CurveOf, Gain, Lane, LineUpChart, Panel, Series, Track, TrackLine, lineup_svg};
pub use paint::{Dash, Paint, Tone};
pub use pour::{Layer, PourChart};
pub use spark::spark_svg;
pub use sweep::{SweepChart, SweepMark};
pub use timeline::{Timeline, TimelineSeries, TimelineSet};
pub use traction::{TractionChart, TractionLine};
pub use under_limit::{PullLine, UnderLimit};
pub use waterfall::{Waterfall, WaterfallStep, waterfall_svg};
