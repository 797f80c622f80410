//! The lanes of a pull: which channels share one, what stands on the axis, and the chart made of them.

use super::held::factor_at;
use crate::prefs::Prefs;
use jamjar_chart::{LaneLine, TraceChart, TraceLane};
use jamjar_core::log::Series;
use jamjar_core::pull::held::HeldStep;
use jamjar_core::signal::interp::linear;
use jamjar_core::units::GASOLINE_STOICH_AFR;
use jamjar_core::words::event_short;
use jamjar_workflow::reading::Reading;

/// Kept around the pull on a time axis, s.
const AROUND_S: f64 = 2.0;
/// Lanes shown until a person chooses.
const SHOWN: usize = 6;
/// Lines of one lane: channels are not maps, so the first is ink.
const COLOURS: [&str; 5] = ["ink", "bilberry", "quince", "greengage", "medlar"];

/// What the lanes share.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Axis {
    Rpm,
    Time,
    Road,
}

impl Axis {
    pub(crate) const ALL: [Self; 3] = [Self::Rpm, Self::Time, Self::Road];

    pub(crate) fn id(self) -> &'static str {
        match self {
            Self::Rpm => "rpm",
            Self::Time => "time",
            Self::Road => "road",
        }
    }

    pub(crate) fn label(self) -> &'static str {
        match self {
            Self::Rpm => "engine rpm",
            Self::Time => "s from tip-in",
            Self::Road => "road km/h",
        }
    }

    pub(crate) fn from_id(id: &str) -> Self {
        Self::ALL.into_iter().find(|a| a.id() == id).unwrap_or(Self::Rpm)
    }
}

/// A lane that may be shown: its id in links, its name, and the kinds of channel on it.
struct Def {
    id: &'static str,
    label: &'static str,
    kinds: &'static [&'static str],
}

const DEFS: &[Def] = &[
    Def { id: "power", label: "power", kinds: &[] },
    Def { id: "torque", label: "torque", kinds: &[] },
    Def {
        id: "pressure",
        label: "manifold pressure",
        kinds: &["manifold_pressure", "boost_target", "back_pressure"],
    },
    Def { id: "mixture", label: "mixture", kinds: &["lambda_target", "lambda"] },
    Def { id: "spark", label: "spark", kinds: &["spark_advance"] },
    Def { id: "knock", label: "knock retard", kinds: &["knock_retard"] },
    Def { id: "exhaust", label: "exhaust temperature", kinds: &["exhaust_temp"] },
    Def { id: "duty", label: "duty", kinds: &["injector_duty", "wastegate_duty", "vane_position"] },
    Def { id: "rail", label: "rail pressure", kinds: &["rail_pressure"] },
    Def { id: "fuel", label: "fuel pressure", kinds: &["fuel_pressure"] },
    Def { id: "heat", label: "temperatures", kinds: &["intake_temp", "oil_temp", "coolant_temp"] },
    Def { id: "throttle", label: "throttle and pedal", kinds: &["throttle", "pedal"] },
    Def { id: "ears", label: "knock level", kinds: &["knock_level"] },
    Def { id: "oil", label: "oil pressure", kinds: &["oil_pressure"] },
    Def { id: "pulse", label: "injector pulse width", kinds: &["injector_pulse_width"] },
    Def { id: "flow", label: "fuel and air flow", kinds: &["fuel_flow", "air_flow"] },
    Def { id: "turbo", label: "turbo speed", kinds: &["turbo_speed"] },
    Def { id: "blower", label: "blower speed", kinds: &["blower_speed"] },
    Def { id: "injection", label: "injection start", kinds: &["injection_start"] },
    Def { id: "duration", label: "injection duration", kinds: &["injection_duration"] },
    Def { id: "cuts", label: "cuts", kinds: &["fuel_cut", "spark_cut"] },
    Def { id: "road", label: "road speed", kinds: &["road_speed"] },
    Def { id: "brake", label: "torque as recorded", kinds: &["hub_torque", "brake_torque"] },
    Def { id: "speeds", label: "speeds", kinds: &["engine_speed", "roller_speed"] },
    Def { id: "ratio", label: "engine ÷ shaft", kinds: &[] },
];

/// A lane by id, with its words; lanes of channels without a definition carry the channel's name.
pub(crate) struct Offered {
    pub(crate) id: String,
    pub(crate) label: String,
    lines: Vec<LaneLine>,
}

/// Where a sample stands on the axis.
struct Along<'a> {
    axis: Axis,
    reading: &'a Reading,
    road: Option<Series>,
    from: f64,
    to: f64,
}

impl Along<'_> {
    fn x(&self, t: f64) -> Option<f64> {
        match self.axis {
            Axis::Time => Some(t - self.from),
            Axis::Road => self.road.as_ref().and_then(|s| s.at(t)).filter(|_| t >= self.from && t <= self.to),
            Axis::Rpm => self.reading.trace.as_ref().and_then(|p| linear(&p.t, &p.rpm, t)),
        }
    }

    /// On the speed axis of a step test each held speed is one point: a line through all samples would go
    /// back and forth.
    fn by_step(&self) -> Option<&[HeldStep]> {
        let steps = &self.reading.measured.steps;
        (self.axis == Axis::Rpm && !steps.is_empty()).then_some(steps)
    }

    fn line(&self, s: &Series, scale: impl Fn(f64) -> f64) -> Vec<(f64, f64)> {
        if let Some(steps) = self.by_step() {
            let mut out: Vec<(f64, f64)> = steps
                .iter()
                .filter_map(|h| Some((h.rpm, scale(s.mean_between(h.from_s, h.to_s)?))))
                .collect();
            out.sort_by(|a, b| a.0.total_cmp(&b.0));
            return out;
        }
        let mut out: Vec<(f64, f64)> =
            s.t.iter().zip(&s.v).filter_map(|(t, v)| Some((self.x(*t)?, scale(*v)))).collect();
        if let (Some(a), Some(b)) = (out.first(), out.last())
            && a.0 > b.0
        {
            out.reverse();
        }
        out
    }
}

/// Every lane that has something on it, in the order offered.
pub(crate) fn offered(r: &Reading, prefs: &Prefs, axis: Axis, tone: &'static str) -> Vec<Offered> {
    let beside = r.beside();
    let span = r.measured.span;
    let (from, to) = span
        .map_or((r.dyno.t.first().copied().unwrap_or(0.0), r.dyno.t.last().copied().unwrap_or(0.0)), |s| {
            (s.from_s, s.to_s)
        });
    let along = Along { axis, reading: r, road: beside.series("road_speed"), from, to };
    let mut used: Vec<String> = vec!["time".into()];
    let mut out = Vec::new();
    for d in DEFS {
        let mut lines = Vec::new();
        let mut unit = String::new();
        match d.id {
            "power" | "torque" => {
                unit = if d.id == "power" { prefs.power.label() } else { prefs.torque.label() }.to_owned();
                lines = curve_lines(r, prefs, &along, (d.id == "power", tone));
            }
            "ratio" => lines = ratio_line(r, &along),
            _ => {
                for kind in d.kinds {
                    for (c, s) in beside.of_kind(kind) {
                        used.push(c.as_str().to_owned());
                        let afr = prefs.afr && c.unit() == "λ";
                        unit = if afr { "AFR".into() } else { c.unit().to_owned() };
                        let target = c.as_str().ends_with("_target");
                        let drawn = lines.iter().filter(|l: &&LaneLine| !l.thin).count();
                        let colour = if target { "mid" } else { COLOURS[drawn % COLOURS.len()] };
                        let points = along.line(&s, |v| if afr { v * GASOLINE_STOICH_AFR } else { v });
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
            out.push(Offered { id: d.id.to_owned(), label, lines });
        }
    }
    let names = r.dyno.channels.keys().chain(r.ecu.iter().flat_map(|e| e.channels.keys()));
    for c in names {
        if used.iter().any(|u| u == c.as_str()) {
            continue;
        }
        used.push(c.as_str().to_owned());
        let Some(points) = beside.series(c.as_str()).map(|s| along.line(&s, |v| v)).filter(|p| !p.is_empty())
        else {
            continue;
        };
        let label = if c.unit().is_empty() { c.label() } else { format!("{}, {}", c.label(), c.unit()) };
        out.push(Offered {
            id: c.as_str().to_owned(),
            label,
            lines: vec![LaneLine { label: c.label(), colour: "ink", dash: "", thin: false, points }],
        });
    }
    out
}

/// Corrected power or torque: filtered bold, raw thin behind it.
fn curve_lines(
    r: &Reading,
    prefs: &Prefs,
    along: &Along<'_>,
    (power, tone): (bool, &'static str),
) -> Vec<LaneLine> {
    let plain = r.measured.grid.curve();
    let factor = |rpm: f64| match (
        linear(&plain.rpm, &plain.power_kw, rpm),
        linear(&r.corrected.curve.rpm, &r.corrected.curve.power_kw, rpm),
    ) {
        (Some(p), Some(c)) if p.abs() > 1e-9 => c / p,
        _ => r.corrected.factor,
    };
    if let Some(steps) = along.by_step() {
        let value = |h: &HeldStep| {
            if power { prefs.power.from_kw(h.power_kw) } else { prefs.torque.from_nm(h.torque_nm) }
        };
        let mut points: Vec<(f64, f64)> =
            steps.iter().map(|h| (h.rpm, value(h) * factor_at(r, h.rpm))).collect();
        points.sort_by(|a, b| a.0.total_cmp(&b.0));
        return vec![LaneLine { label: "held".into(), colour: tone, dash: "", thin: false, points }];
    }
    let mut out = Vec::new();
    for (trace, label, thin) in [(&r.raw, "raw", true), (&r.trace, "filtered", false)] {
        let Some(p) = trace else { continue };
        let value = |i: usize| {
            let v =
                if power { prefs.power.from_kw(p.power_kw[i]) } else { prefs.torque.from_nm(p.torque_nm[i]) };
            v * factor(p.rpm[i])
        };
        let mut points: Vec<(f64, f64)> = (0..p.t.len())
            .filter_map(|i| Some((along.x(p.t[i])?, value(i))))
            .filter(|v| v.1.is_finite())
            .collect();
        if points.len() > 1 && points[0].0 > points[points.len() - 1].0 {
            points.reverse();
        }
        out.push(LaneLine {
            label: label.into(),
            colour: if thin { "mid" } else { tone },
            dash: "",
            thin,
            points,
        });
    }
    out
}

fn ratio_line(r: &Reading, along: &Along<'_>) -> Vec<LaneLine> {
    let Some(c) = &r.coupling else { return Vec::new() };
    let at = |rpm: f64| match along.axis {
        Axis::Rpm => Some(rpm),
        _ => {
            let i = r.measured.grid.rpm.iter().position(|g| (g - rpm).abs() < 1.0)?;
            along.x(r.measured.grid.time_s[i])
        }
    };
    let line = |of: &dyn Fn(usize) -> f64| {
        (0..c.rpm.len()).filter_map(|i| Some((at(c.rpm[i])?, of(i)))).collect::<Vec<_>>()
    };
    vec![
        LaneLine {
            label: "reference".into(),
            colour: "mid",
            dash: "5 3",
            thin: true,
            points: line(&|_| c.reference),
        },
        LaneLine {
            label: "measured".into(),
            colour: "ink",
            dash: "",
            thin: false,
            points: line(&|i| c.ratio[i]),
        },
    ]
}

/// Ids of the lanes shown: those asked for that exist, else the first few.
pub(crate) fn chosen(offered: &[Offered], asked: &str) -> Vec<String> {
    let mut ids: Vec<String> = Vec::new();
    for id in asked.split(',').filter(|id| offered.iter().any(|o| o.id == *id)) {
        if !ids.iter().any(|known| known == id) {
            ids.push(id.to_owned());
        }
    }
    if ids.is_empty() { offered.iter().take(SHOWN).map(|o| o.id.clone()).collect() } else { ids }
}

/// The chart of some lanes, between two places of the axis when zoomed.
pub(crate) fn chart(
    r: &Reading,
    offered: &[Offered],
    shown: &[String],
    axis: Axis,
    zoom: Option<[f64; 2]>,
    scale: f64,
) -> TraceChart {
    let lanes: Vec<TraceLane> = shown
        .iter()
        .filter_map(|id| offered.iter().find(|o| o.id == *id))
        .map(|o| TraceLane { label: o.label.clone(), lines: o.lines.clone() })
        .collect();
    let all = || offered.iter().flat_map(|o| o.lines.iter().flat_map(|l| l.points.iter().map(|p| p.0)));
    let whole = match (axis, r.measured.span) {
        (Axis::Time, Some(s)) => [-AROUND_S, s.to_s - s.from_s + AROUND_S],
        _ => [all().fold(f64::INFINITY, f64::min), all().fold(f64::NEG_INFINITY, f64::max)],
    };
    let whole = if whole[1] > whole[0] { whole } else { [0.0, 1.0] };
    let road = r.beside().series("road_speed");
    let start = r.measured.span.map_or(0.0, |s| s.from_s);
    let marks = r
        .events
        .iter()
        .filter_map(|e| {
            let x = match axis {
                Axis::Rpm => e.rpm?,
                Axis::Time => e.at_s - start,
                Axis::Road => road.as_ref()?.at(e.at_s)?,
            };
            Some((x, event_short(e)))
        })
        .collect();
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
        ids.iter().map(|i| Offered { id: (*i).into(), label: (*i).into(), lines: Vec::new() }).collect()
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
        assert!(Axis::ALL.iter().all(|a| Axis::from_id(a.id()) == *a));
        assert_eq!(Axis::from_id("?"), Axis::Rpm);
    }
}
