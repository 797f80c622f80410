//! The lanes of a pull: which channels share one, what stands on the axis, and the chart made of them.

use crate::prefs::Prefs;
use crate::views::common::{LANES, lane_ids, limit_line, named_with_unit};
use jamjar_chart::{LaneLine, LimitLine, TraceChart, TraceLane};
use jamjar_core::analysis::Along;
use jamjar_core::channel::Channel;
use jamjar_core::limits::Limit;
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

/// Every lane that has something on it, in the order offered; of `only` these where they are named.
pub(crate) fn offered(
    r: &Reading,
    prefs: &Prefs,
    axis: Along,
    tone: &'static str,
    only: Option<&[String]>,
) -> Vec<Offered> {
    let wanted = |id: &str| only.is_none_or(|ids| ids.iter().any(|i| i == id));
    let (beside, lines_of) = (r.beside(), Lines::new(r, axis));
    let mut used: Vec<String> = vec!["time".into()];
    let mut out = Vec::new();
    for d in LANES {
        if !wanted(d.id) {
            // Its channels are on a lane of their own kind all the same.
            let all = r.dyno.channels.keys().chain(r.ecu.iter().flat_map(|e| e.channels.keys()));
            let of = |c: &&Channel| c.kind().is_some_and(|k| d.kinds.contains(&k.name));
            used.extend(all.filter(of).map(|c| c.as_str().to_owned()));
            continue;
        }
        let mut lines = Vec::new();
        let mut unit = String::new();
        match d.id {
            "power" | "torque" => {
                unit = if d.id == "power" { prefs.power.label() } else { prefs.torque.label() }.to_owned();
                lines = curve_lines(&lines_of, prefs, d.id == "power", tone);
            }
            "ratio" => lines = ratio_lines(&lines_of),
            _ => {
                for kind in d.kinds {
                    for (c, s) in beside.of_kind(kind) {
                        used.push(c.as_str().to_owned());
                        let shown = prefs.units().shown(&c);
                        unit = shown.unit();
                        let target = c.as_str().ends_with("_target");
                        let drawn = lines.iter().filter(|l: &&LaneLine| !l.thin).count();
                        let colour = if target { "mid" } else { COLOURS[drawn % COLOURS.len()] };
                        let points = scaled(lines_of.series(&s), |v| shown.value(v));
                        let label = if target { "target".into() } else { c.label() };
                        lines.push(LaneLine {
                            label,
                            colour,
                            dash: if target { "5 3" } else { "" },
                            thin: target,
                            points,
                        });
                    }
                }
            }
        }
        lines.retain(|l| !l.points.is_empty());
        if !lines.is_empty() {
            let label = if unit.is_empty() || unit == "λ" {
                d.label.to_owned()
            } else {
                format!("{}, {unit}", d.label)
            };
            let limits = limits_of(r, prefs, axis, d.kinds);
            out.push(Offered { id: d.id.to_owned(), label, lines, limits });
        }
    }
    let names = r.dyno.channels.keys().chain(r.ecu.iter().flat_map(|e| e.channels.keys()));
    for c in names {
        if used.iter().any(|u| u == c.as_str()) || !wanted(c.as_str()) {
            continue;
        }
        used.push(c.as_str().to_owned());
        let Some(points) = beside.series(c.as_str()).map(|s| lines_of.series(&s)).filter(|p| !p.is_empty())
        else {
            continue;
        };
        let shown = prefs.units().shown(c);
        let points = scaled(points, |v| shown.value(v));
        let label = named_with_unit(c, prefs.units());
        out.push(Offered {
            id: c.as_str().to_owned(),
            label,
            lines: vec![LaneLine { label: c.label(), colour: "ink", dash: "", thin: false, points }],
            limits: Vec::new(),
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

/// Lays the lanes of another pull beside these: its lines dotted, in the colours of the same channels; and says
/// which of these lanes it has nothing for.
pub(crate) fn lay_beside(own: &mut [Offered], other: Vec<Offered>, shown: &[String]) -> Vec<String> {
    let mut without = Vec::new();
    for lane in own {
        let Some(beside) = other.iter().find(|o| o.id == lane.id) else {
            if shown.contains(&lane.id) {
                without.push(lane.label.clone());
            }
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

/// The chart of some lanes, between two places of the axis when zoomed.
pub(crate) fn chart(
    r: &Reading,
    offered: &[Offered],
    shown: &[String],
    axis: Along,
    zoom: Option<[f64; 2]>,
    scale: f64,
) -> TraceChart {
    let lanes: Vec<TraceLane> = shown
        .iter()
        .filter_map(|id| offered.iter().find(|o| o.id == *id))
        .map(|o| TraceLane { label: o.label.clone(), lines: o.lines.clone(), limits: o.limits.clone() })
        .collect();
    let all = || offered.iter().flat_map(|o| o.lines.iter().flat_map(|l| l.points.iter().map(|p| p.0)));
    let whole = match (axis, r.measured.span) {
        (Along::Time, Some(s)) => [-AROUND_S, s.to_s - s.from_s + AROUND_S],
        _ => [all().fold(f64::INFINITY, f64::min), all().fold(f64::NEG_INFINITY, f64::max)],
    };
    let whole = if whole[1] > whole[0] { whole } else { [0.0, 1.0] };
    let lines = Lines::new(r, axis);
    let marks = r.events.iter().filter_map(|e| Some((lines.event(e)?, event_short(e)))).collect();
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
        ids.iter()
            .map(|i| Offered { id: (*i).into(), label: (*i).into(), lines: Vec::new(), limits: Vec::new() })
            .collect()
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
