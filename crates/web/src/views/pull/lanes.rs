//! The lanes of a pull: which channels share one, what stands on the axis, and the chart made of them.

use crate::prefs::Prefs;
use crate::views::common::{LANES, LaneDef, cylinder_words, lane_ids, limit_line, named_with_unit};
use jamjar_chart::{LaneLine, LimitLine, TraceChart, TraceLane};
use jamjar_core::analysis::Along;
use jamjar_core::channel::Channel;
use jamjar_core::limits::Limit;
use jamjar_core::log::Series;
use jamjar_core::words::event_short;
use jamjar_workflow::reading::{CurveKind, CurveLine, Lines, Reading};

/// Kept around the pull on a time axis, s.
const AROUND_S: f64 = 2.0;
/// Lanes shown until a person chooses.
const SHOWN: usize = 6;
/// Lines of one lane: channels are not maps, so the first is ink.
const COLOURS: [&str; 5] = ["ink", "bilberry", "quince", "greengage", "medlar"];

/// What the lanes of one pull may share.
pub(crate) const AXES: [Along; 3] = [Along::EngineSpeed, Along::Time, Along::RoadSpeed];

/// The axis of an address; engine speed for anything else.
pub(crate) fn axis_of(id: &str) -> Along {
    Along::from_id(id).filter(|a| AXES.contains(a)).unwrap_or_default()
}

/// A lane by id, with its words; lanes of channels without a definition carry the channel's name.
pub(crate) struct Offered {
    pub(crate) id: String,
    pub(crate) label: String,
    lines: Vec<LaneLine>,
    limits: Vec<LimitLine>,
}

impl Offered {
    fn new(id: &str, label: String) -> Self {
        Self { id: id.to_owned(), label, lines: Vec::new(), limits: Vec::new() }
    }
}

/// Every lane that has something on an axis, in the order offered; nothing is drawn on them yet.
pub(crate) fn offered(r: &Reading, prefs: &Prefs, axis: Along) -> Vec<Offered> {
    let (beside, lines) = (r.beside(), Lines::new(r, axis));
    let holding = |c: &&Channel| beside.column(c).is_some_and(|column| lines.holds(column));
    let names: Vec<&Channel> = beside.names().into_iter().filter(holding).collect();
    let on = |d: &LaneDef, c: &Channel| c.kind().is_some_and(|k| d.kinds.contains(&k.name));
    let defined = LANES.iter().filter_map(|d| {
        let unit = match d.id {
            "power" | "torque" => {
                let some = lines.curves(d.id == "power").iter().any(|c| !c.points.is_empty());
                some.then(|| {
                    if d.id == "power" { prefs.power.label() } else { prefs.torque.label() }.to_owned()
                })
            }
            "ratio" => lines.ratio().filter(|l| l.iter().any(|l| !l.is_empty())).map(|_| String::new()),
            _ => {
                let last =
                    |kind: &&str| names.iter().rfind(|c| c.kind().is_some_and(|k| k.name == *kind)).copied();
                d.kinds.iter().rev().find_map(last).map(|c| prefs.units().shown(c).unit())
            }
        }?;
        let label = match unit.as_str() {
            "" | "λ" => d.label.to_owned(),
            unit => format!("{}, {unit}", d.label),
        };
        Some(Offered::new(d.id, label))
    });
    let alone = |c: &&&Channel| c.as_str() != "time" && !LANES.iter().any(|d| on(d, c));
    let others = names.iter().filter(alone);
    defined.chain(others.map(|c| Offered::new(c.as_str(), named_with_unit(c, prefs.units())))).collect()
}

/// Draws those lanes that are shown.
pub(crate) fn draw(
    all: &mut [Offered],
    r: &Reading,
    prefs: &Prefs,
    (axis, tone): (Along, &'static str),
    shown: &[String],
) {
    let (beside, lines) = (r.beside(), Lines::new(r, axis));
    for lane in all.iter_mut().filter(|o| shown.contains(&o.id)) {
        let definition = LANES.iter().find(|d| d.id == lane.id);
        lane.lines = match lane.id.as_str() {
            "power" | "torque" => curve_lines(&lines, prefs, lane.id == "power", tone),
            "ratio" => ratio_lines(&lines),
            _ => {
                let own = || {
                    let c = Channel::new(lane.id.as_str()).ok()?;
                    let s = beside.series(c.as_str())?;
                    Some((c, s))
                };
                let of = definition.map_or_else(
                    || own().into_iter().collect(),
                    |d| d.kinds.iter().flat_map(|k| beside.of_kind(k)).collect(),
                );
                channel_lines(&lines, (prefs, &r.vehicle.sheet.cylinders), of)
            }
        };
        lane.lines.retain(|l| !l.points.is_empty());
        lane.limits = definition.map_or_else(Vec::new, |d| limits_of(r, prefs, axis, d.kinds));
    }
}

/// Channels of one lane: what is commanded thin and dashed, the others each in a colour of its own.
fn channel_lines(
    lines: &Lines<'_>,
    (prefs, cylinders): (&Prefs, &[String]),
    of: Vec<(Channel, Series)>,
) -> Vec<LaneLine> {
    let mut out: Vec<LaneLine> = Vec::new();
    for (c, s) in of {
        let shown = prefs.units().shown(&c);
        let points = scaled(lines.series(&s), |v| shown.value(v));
        let drawn = out.iter().filter(|l| !l.thin).count();
        out.push(if c.as_str().ends_with("_target") {
            LaneLine { label: "target".into(), colour: "mid", dash: "5 3", thin: true, points }
        } else {
            let colour = COLOURS[drawn % COLOURS.len()];
            LaneLine { label: cylinder_words(&c, cylinders), colour, dash: "", thin: false, points }
        });
    }
    out
}

/// Beyond any axis: a limit that is the same everywhere is drawn from edge to edge.
const EVERYWHERE: [f64; 2] = [-1e6, 1e6];

/// Limits on the channels of a lane.
fn limits_of(r: &Reading, prefs: &Prefs, axis: Along, kinds: &[&str]) -> Vec<LimitLine> {
    let on = |l: &&Limit| l.channel.kind().is_some_and(|k| kinds.contains(&k.name));
    let line = |l: &Limit| limit_line(l, prefs.units(), axis, EVERYWHERE);
    r.vehicle.limits.iter().filter(on).filter_map(line).collect()
}

/// Lays the lanes of another pull beside those shown: its lines dotted, in the colours of the same channels; and
/// says which of them it has nothing for.
pub(crate) fn lay_beside(own: &mut [Offered], other: &[Offered], shown: &[String]) -> Vec<String> {
    let mut without = Vec::new();
    for lane in own.iter_mut().filter(|o| shown.contains(&o.id)) {
        let Some(beside) = other.iter().find(|o| o.id == lane.id) else {
            without.push(lane.label.clone());
            continue;
        };
        // What is commanded and what lies behind a filter would only crowd the lane.
        for l in beside.lines.iter().filter(|l| !l.thin) {
            let same = lane.lines.iter().find(|o| o.label == l.label).map_or("mid", |o| o.colour);
            lane.lines.push(LaneLine {
                label: if lane.lines.iter().filter(|o| !o.thin).count() > 1 {
                    format!("beside: {}", l.label)
                } else {
                    "beside".to_owned()
                },
                colour: same,
                dash: "2 3",
                thin: true,
                points: l.points.clone(),
            });
        }
    }
    without
}

fn scaled(points: Vec<(f64, f64)>, scale: impl Fn(f64) -> f64) -> Vec<(f64, f64)> {
    points.into_iter().map(|(x, v)| (x, scale(v))).collect()
}

/// Corrected power or torque: filtered bold, raw thin behind it.
fn curve_lines(lines: &Lines<'_>, prefs: &Prefs, power: bool, tone: &'static str) -> Vec<LaneLine> {
    let unit = |v: f64| if power { prefs.power.from_kw(v) } else { prefs.torque.from_nm(v) };
    let line = |c: CurveLine| {
        let (label, thin) = match c.what {
            CurveKind::Raw => ("raw", true),
            CurveKind::Filtered => ("filtered", false),
            CurveKind::Held => ("held", false),
            CurveKind::Printed => ("printed", false),
        };
        let colour = if thin { "mid" } else { tone };
        LaneLine { label: label.into(), colour, dash: "", thin, points: scaled(c.points, unit) }
    };
    lines.curves(power).into_iter().map(line).collect()
}

fn ratio_lines(lines: &Lines<'_>) -> Vec<LaneLine> {
    let Some([reference, measured]) = lines.ratio() else { return Vec::new() };
    let line = |label: &str, colour, dash, thin, points| LaneLine {
        label: label.into(),
        colour,
        dash,
        thin,
        points,
    };
    vec![line("reference", "mid", "5 3", true, reference), line("measured", "ink", "", false, measured)]
}

/// Ids of the lanes shown: those asked for that exist, else the first few.
pub(crate) fn chosen(offered: &[Offered], asked: &str) -> Vec<String> {
    let mut ids = lane_ids(asked);
    ids.retain(|id| offered.iter().any(|o| o.id == *id));
    if ids.is_empty() { offered.iter().take(SHOWN).map(|o| o.id.clone()).collect() } else { ids }
}

/// The chart of some lanes, between two places of the axis when zoomed, with what was remarked on at moments of the
/// recording.
pub(crate) fn chart(
    r: &Reading,
    (offered, shown): (&[Offered], &[String]),
    axis: Along,
    zoom: Option<[f64; 2]>,
    remarks: &[(f64, String)],
    scale: f64,
) -> TraceChart {
    let lanes: Vec<TraceLane> = shown
        .iter()
        .filter_map(|id| offered.iter().find(|o| o.id == *id))
        .map(|o| TraceLane { label: o.label.clone(), lines: o.lines.clone(), limits: o.limits.clone() })
        .collect();
    let lines = Lines::new(r, axis);
    let around = if axis == Along::Time && r.measured.span.is_some() { AROUND_S } else { 0.0 };
    let whole = lines.span().map_or([0.0, 1.0], |[a, b]| [a - around, b + around]);
    let events = r.events.iter().filter_map(|e| Some((lines.event(e)?, event_short(e))));
    let remarks = remarks.iter().filter_map(|(t, label)| Some((lines.place(*t)?, label.clone())));
    let marks = events.chain(remarks).collect();
    TraceChart {
        axis: axis.label().to_owned(),
        span: zoom.unwrap_or(whole),
        lanes,
        marks,
        region: None,
        scale,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn some(ids: &[&str]) -> Vec<Offered> {
        ids.iter().map(|i| Offered::new(i, (*i).into())).collect()
    }

    #[test]
    fn lanes_asked_for_keep_their_order_and_nonsense_is_left_out() {
        let all = some(&["power", "torque", "mixture"]);
        assert_eq!(chosen(&all, "mixture,power,mixture,<b>"), ["mixture", "power"]);
        assert_eq!(chosen(&all, ""), ["power", "torque", "mixture"]);
        assert_eq!(chosen(&all, "none"), ["power", "torque", "mixture"]);
    }

    #[test]
    fn axes_come_back_from_their_ids() {
        assert!(AXES.iter().all(|a| axis_of(a.id()) == *a));
        assert_eq!((axis_of("?"), axis_of("shaft")), (Along::EngineSpeed, Along::EngineSpeed));
    }
}
