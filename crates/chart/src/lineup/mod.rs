//! Gain over margin: power and torque with names on the lines, gain with its band, any channel of any set, one
//! lane per limit, on one axis.

mod curves;
mod gain;
mod lanes;
mod mark;
#[cfg(test)]
mod tests;
mod track;

pub use track::{Track, TrackLine};

use crate::paint::{Dash, Paint, Tone};
use crate::scale::Scale;
use crate::svg::{escape, n, shorten};
use std::fmt::Write;

/// One set, and how it is told from the others.
#[derive(Debug, Clone, PartialEq)]
pub struct Series {
    /// Stable key, for hovering and the cursor.
    pub key: String,
    /// Map name.
    pub name: String,
    /// Fuel and whatever else tells it apart.
    pub detail: String,
    /// Hue of the map.
    pub tone: Tone,
    /// Dash of the fuel.
    pub dash: Dash,
    /// The baseline is thin.
    pub baseline: bool,
    /// Which rung of one map on one fuel, from the lowest; `None` when it stands alone.
    pub rung: Option<usize>,
    /// Axis values.
    pub rpm: Vec<f64>,
}

impl Series {
    /// Whether its points stand far apart, as held speeds do: then each is marked.
    fn is_stepped(&self) -> bool {
        usual_gap(&self.rpm) >= STEPPED_RPM
    }

    /// Thin for the baseline; higher rungs are heavier.
    fn weight(&self) -> f64 {
        match (self.baseline, self.rung) {
            (true, _) => 1.5,
            (false, None) => 2.6,
            (false, Some(k)) => 1.9 + 0.5 * k.min(4) as f64,
        }
    }
}

/// A set's curve of one quantity, in the unit shown.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct CurveOf {
    /// One value for each axis value of the set.
    pub y: Vec<f64>,
    /// Peak of the curve drawn: place and value.
    pub peak: Option<(f64, f64)>,
    /// The headline figure in words, under the name.
    pub headline: String,
}

/// Curves of one quantity, and the gains in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Panel {
    /// Key for the cursor.
    pub id: &'static str,
    /// Words over the curves.
    pub title: String,
    /// Words over the gains.
    pub gain_title: String,
    /// Unit of both.
    pub unit: String,
    /// A curve for each series.
    pub curves: Vec<CurveOf>,
    /// Gains.
    pub gains: Vec<Gain>,
}

/// Gain of one series over the baseline.
#[derive(Debug, Clone, PartialEq)]
pub struct Gain {
    /// Index into the series.
    pub series: usize,
    /// Axis values.
    pub rpm: Vec<f64>,
    /// Gain.
    pub gain: Vec<f64>,
    /// Half-width of the band; empty when there is none.
    pub half: Vec<f64>,
}

/// One limit of the chosen set.
#[derive(Debug, Clone, PartialEq)]
pub struct Lane {
    /// Name of the channel.
    pub label: String,
    /// Share of margin used at each axis value; `None` draws "not measured".
    pub share: Option<Vec<Option<f64>>>,
    /// What remains, in words.
    pub note: String,
    /// Over its limit.
    pub over: bool,
    /// Neither clear nor close nor over: said as loudly.
    pub unknown: bool,
}

/// Everything the chart shows.
#[derive(Debug, Clone, PartialEq)]
pub struct LineUpChart {
    /// Sets, in the order of legend and table.
    pub series: Vec<Series>,
    /// Quantities, from the top.
    pub panels: Vec<Panel>,
    /// Channels under them.
    pub tracks: Vec<Track>,
    /// Words over the lanes.
    pub lane_title: String,
    /// Grid of the lanes.
    pub lane_rpm: Vec<f64>,
    /// Lanes.
    pub lanes: Vec<Lane>,
    /// The set looked at, whose lanes these are: index into the series.
    pub focus: usize,
    /// What stands along the axis, with its unit.
    pub axis: String,
    /// Size of text and lanes: 1 at a desk, larger for the cell theme.
    pub scale: f64,
}

const WIDTH: f64 = 880.0;
const TOP: f64 = 10.0;
/// Heights of the panels of curves and of gains, alone and one of several; more where the names need more.
const CURVE_HEIGHT: [f64; 2] = [242.0, 176.0];
const GAIN_HEIGHT: [f64; 2] = [112.0, 84.0];
/// More sets than this have names of one row, and only the set looked at shows its band.
const MANY: usize = 8;
const LANE: f64 = 20.0;
const LEFT: f64 = 46.0;
const RIGHT: f64 = 176.0;

/// Points this far apart are steps, not a sweep: no other axis has points so far apart.
const STEPPED_RPM: f64 = 100.0;
/// A line is broken where points are further apart than so many usual gaps: nothing was measured there. A
/// sweep of sparse samples may leave out a few points of its grid.
const HOLE: f64 = 5.0;
/// The same where points are steps.
const STEP_HOLE: f64 = 2.5;

fn usual_gap(x: &[f64]) -> f64 {
    let mut gaps: Vec<f64> = x.windows(2).map(|w| w[1] - w[0]).collect();
    gaps.sort_by(f64::total_cmp);
    gaps.get(gaps.len() / 2).copied().unwrap_or(0.0)
}

/// Stretches of an axis without a hole.
fn stretches(x: &[f64]) -> Vec<std::ops::Range<usize>> {
    let gap = usual_gap(x);
    let hole = 1e-6 + gap * if gap >= STEPPED_RPM { STEP_HOLE } else { HOLE };
    let mut out = Vec::new();
    let mut start = 0;
    for i in 0..x.len() {
        if i + 1 == x.len() || x[i + 1] - x[i] > hole {
            out.push(start..i + 1);
            start = i + 1;
        }
    }
    out
}

struct Frame<'a> {
    chart: &'a LineUpChart,
    paint: Paint,
    x: Scale,
    /// Text size factor.
    k: f64,
    /// Left and right edge of the plots.
    left: f64,
    right: f64,
    out: String,
}

/// Draws the chart. `paint` decides whether colours are the page's or fixed.
pub fn lineup_svg(chart: &LineUpChart, paint: Paint) -> String {
    let all = || chart.series.iter().flat_map(|s| s.rpm.iter().copied());
    let (from, to) = (all().fold(f64::INFINITY, f64::min), all().fold(f64::NEG_INFINITY, f64::max));
    let (from, to) = if from.is_finite() { (from, to) } else { (1000.0, 7000.0) };
    let k = chart.scale.clamp(0.5, 2.0);
    let (left, right) = (LEFT * k, WIDTH - RIGHT * k);
    let mut f =
        Frame { chart, paint, x: Scale::new((from, to), (left, right)), k, left, right, out: String::new() };
    let mut y = TOP;
    for (i, panel) in chart.panels.iter().enumerate() {
        y = f.curves(if i == 0 { y } else { y + 20.0 }, panel);
        if !panel.gains.is_empty() {
            y = f.gain(y + 22.0, panel);
        }
    }
    for track in &chart.tracks {
        y = f.track(y + 12.0, track);
    }
    if !chart.lanes.is_empty() {
        y = f.lanes(y + 14.0);
    }
    let height = f.axis(y, from, to);
    let background = if paint == Paint::Page {
        String::new()
    } else {
        format!(r#"<rect width="{WIDTH}" height="{}" fill="{}"/>"#, n(height), paint.colour("paper"))
    };
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" class="lineup-chart" viewBox="0 0 {WIDTH} {}" role="img" aria-label="{}" data-x0="{}" data-x1="{}" data-p0="{}" data-p1="{}" data-bottom="{}">{background}{}</svg>"#,
        n(height),
        escape(&chart.words()),
        n(from),
        n(to),
        n(left),
        n(right),
        n(y),
        f.out
    )
}

impl LineUpChart {
    /// Everything on it by name, for those who do not see it.
    fn words(&self) -> String {
        let panels = self.panels.iter().flat_map(|p| [p.title.as_str(), p.gain_title.as_str()]);
        panels.chain(self.tracks.iter().map(|t| t.label.as_str())).collect::<Vec<_>>().join("; ")
    }

    /// Heights of a panel's curves and of its gains.
    fn heights(&self) -> (f64, f64) {
        let several = usize::from(self.panels.len() > 1);
        (CURVE_HEIGHT[several], GAIN_HEIGHT[several])
    }
}

impl Frame<'_> {
    fn is_dense(&self) -> bool {
        self.chart.series.len() > MANY
    }

    fn colour(&self, name: &str) -> String {
        self.paint.colour(name)
    }

    #[allow(clippy::too_many_arguments)]
    fn text(
        &mut self,
        x: f64,
        y: f64,
        anchor: &str,
        role: &str,
        size: f64,
        weight: u32,
        colour: &str,
        s: &str,
    ) {
        let _ = write!(
            self.out,
            r#"<text x="{}" y="{}" text-anchor="{anchor}" font-family="{}" font-size="{}" font-weight="{weight}" fill="{}">{}</text>"#,
            n(x),
            n(y),
            self.paint.font(role),
            n(size * self.k),
            self.colour(colour),
            escape(s)
        );
    }

    /// Words over a panel, cut where the names begin.
    fn title(&mut self, y: f64, words: &str) {
        let room = (self.right - self.left) / (7.1 * self.k);
        self.text(self.left + 6.0, y, "start", "text", 13.0, 600, "mid", &shorten(words, room as usize));
    }

    fn line(&mut self, x1: f64, y1: f64, x2: f64, y2: f64, colour: &str, extra: &str) {
        let _ = write!(
            self.out,
            r#"<line x1="{}" y1="{}" x2="{}" y2="{}" stroke="{}" {extra}/>"#,
            n(x1),
            n(y1),
            n(x2),
            n(y2),
            self.colour(colour)
        );
    }

    fn axis(&mut self, bottom: f64, from: f64, to: f64) -> f64 {
        let s = Scale::new((from, to), (self.left, self.right));
        for t in s.ticks(10) {
            self.line(s.at(t), bottom, s.at(t), bottom + 4.0, "mid", "");
            self.text(s.at(t), bottom + 4.0 + 13.0 * self.k, "middle", "figure", 12.0, 400, "mid", &n(t));
        }
        self.text(
            self.right + 18.0,
            bottom + 4.0 + 13.0 * self.k,
            "start",
            "text",
            12.5,
            400,
            "mid",
            &self.chart.axis.clone(),
        );
        bottom + 4.0 + 20.0 * self.k
    }
}
