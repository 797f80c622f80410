//! View models to SVG: one renderer for page, report and download. Strings in, strings out.

mod hatch;
mod jar;
mod lanes;
mod lineup;
mod paint;
mod scale;
mod spark;
mod svg;
mod timeline;
mod waterfall;

pub use hatch::LimitLine;
pub use jar::{Jar, jar_svg};
pub use lanes::{LaneLine, TraceChart, TraceLane};
pub use lineup::{CurveOf, Gain, Lane, LineUpChart, Panel, Series, Track, TrackLine, lineup_svg};
pub use paint::{Dash, Paint, Tone};
pub use spark::spark_svg;
pub use timeline::{Timeline, TimelineSeries, TimelineSet};
pub use waterfall::{Waterfall, WaterfallStep, waterfall_svg};
