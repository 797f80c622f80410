//! One pull on a page: the answer, the lanes, what happened, and everything each number rests on.

use super::beside::{BesideView, beside_view};
use super::evidence::EvidenceView;
use super::families::{FamilyRow, family_rows};
use super::held::{StepTable, step_table};
use super::lanes::{AXES, Offered, axis_of, chart, chosen, draw, lay_beside, offered};
use super::remarks::{RemarkRow, remark_rows};
use crate::prefs::Prefs;
use crate::views::Shell;
use crate::views::common::{
    AttachedRow, AxisLink, Encoding, LimitRow, OBSERVED_KINDS, ObservedRow, SetTag, Setting, air_words,
    cylinder_words, here_of, limit_rows, observed_rows, settings,
};
use askama::Template;
use jamjar_chart::{LaneLine, Paint, TraceChart, TraceLane};
use jamjar_core::analysis::{Along, RatioSource};
use jamjar_core::correction::Correction;
use jamjar_core::printed::{Place, PrintedAxis};
use jamjar_core::pull::align::{Alignment, Status};
use jamjar_core::pull::engine_speed::SpeedFrom;
use jamjar_core::pull::span::PullKind;
use jamjar_core::words;
use jamjar_store::{Observation, Step, Thread};
use jamjar_workflow::reading::Reading;

/// What the link asks for.
#[derive(Default)]
pub(crate) struct Asked {
    pub(crate) axis: String,
    pub(crate) zoom: Option<[f64; 2]>,
    pub(crate) lanes: String,
    /// What the address says of the pull beside it: an id, `none`, or nothing.
    pub(crate) beside: String,
    /// A figure whose evidence this pull is.
    pub(crate) evidence: Option<EvidenceView>,
    /// The note on the pull.
    pub(crate) note: String,
    /// What was observed in it.
    pub(crate) observed: Vec<Observation>,
    /// What was remarked on it, each with its thread.
    pub(crate) remarks: Vec<(Thread, Step)>,
    /// Threads that a remark may go to.
    pub(crate) threads: Vec<Thread>,
}

pub(crate) struct LaneRow {
    pub(crate) label: String,
    pub(crate) up: Option<String>,
    pub(crate) toggle: String,
}

pub(crate) struct StatRow {
    pub(crate) label: String,
    pub(crate) unit: String,
    pub(crate) values: [String; 5],
}

#[derive(Template)]
#[template(path = "pull.html")]
pub(crate) struct PullPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) day_id: i64,
    pub(crate) set_id: i64,
    /// Gear and measured ratio that could be learned.
    pub(crate) learn: Option<(String, f64)>,
    pub(crate) attached: Vec<AttachedRow>,
    pub(crate) attach_to: Vec<(String, String)>,
    pub(crate) vehicle: String,
    pub(crate) vehicle_id: i64,
    pub(crate) date: String,
    pub(crate) name: String,
    pub(crate) tag: SetTag,
    pub(crate) rest: String,
    pub(crate) answer: String,
    /// Its recordings as they came: raw files and whose they are.
    pub(crate) files: Vec<(i64, &'static str)>,
    pub(crate) evidence: Option<EvidenceView>,
    pub(crate) excluded: Option<String>,
    pub(crate) flags: Vec<String>,
    pub(crate) chart: String,
    pub(crate) data: String,
    pub(crate) axis: &'static str,
    pub(crate) axes: Vec<AxisLink>,
    pub(crate) zoomed: Option<String>,
    pub(crate) shown: Vec<LaneRow>,
    pub(crate) hidden: Vec<LaneRow>,
    pub(crate) form: Vec<(&'static str, String)>,
    pub(crate) beside: BesideView,
    pub(crate) events: Vec<(String, String)>,
    pub(crate) observed: Vec<ObservedRow>,
    pub(crate) observed_kinds: [&'static str; 8],
    pub(crate) remarks: Vec<RemarkRow>,
    pub(crate) threads: Vec<(i64, String)>,
    pub(crate) channels: Vec<(String, String)>,
    pub(crate) facts: Vec<(&'static str, String)>,
    pub(crate) refused: bool,
    pub(crate) by_hand: bool,
    pub(crate) lag: String,
    pub(crate) clocks: String,
    pub(crate) limits: Vec<LimitRow>,
    pub(crate) steps: StepTable,
    pub(crate) stats: Vec<StatRow>,
    pub(crate) families: Vec<FamilyRow>,
    pub(crate) peak_at: String,
    /// It came finished.
    pub(crate) printed: bool,
    pub(crate) note: String,
    pub(crate) previous: Option<i64>,
    pub(crate) next: Option<i64>,
    pub(crate) settings: Vec<Setting>,
}

/// The pull shown and what the address says of the one beside it.
struct At<'a> {
    id: i64,
    beside: &'a str,
}

fn link(here: &At<'_>, axis: Along, lanes: &[String], zoom: Option<[f64; 2]>) -> String {
    let zoom = zoom.map_or_else(String::new, |z| format!("&from={}&to={}", z[0], z[1]));
    let beside = if here.beside.is_empty() { String::new() } else { format!("&beside={}", here.beside) };
    format!("/pulls/{}?axis={}&lanes={}{zoom}{beside}", here.id, axis.id(), lanes.join(","))
}

/// A link that keeps what it switches.
fn by_hand(link: String) -> String {
    format!("{link}{}keep=1", if link.contains('?') { '&' } else { '?' })
}

pub(crate) fn pull_page(
    r: &Reading,
    e: &Encoding,
    prefs: &Prefs,
    asked: Asked,
    beside: Option<&Reading>,
) -> PullPage {
    let engine = &r.vehicle.vehicle.engine;
    let prefs = &prefs.fitting(engine).reading(here_of(engine, &r.set, r.measured.air.into_iter()));
    let held = r.measured.span.is_some_and(|s| s.kind == PullKind::HeldSteps);
    let road = r.measured.printed.as_ref().is_some_and(|p| p.axis == PrintedAxis::RoadSpeed);
    let axis = match (held && asked.axis.is_empty(), &r.measured.printed) {
        (_, Some(_)) if road => Along::RoadSpeed,
        (_, Some(_)) => Along::EngineSpeed,
        (true, None) => Along::Time,
        (false, None) => axis_of(&asked.axis),
    };
    let tag = e.tag(&r.set, false, &r.measured.limits);
    let mut all = offered(r, prefs, axis);
    let shown = chosen(&all, &asked.lanes);
    draw(&mut all, r, prefs, (axis, tag.tone), &shown);
    let id = r.pull.id;
    let here = &At { id, beside: &asked.beside };
    let without = beside.map_or_else(Vec::new, |b| {
        let mut other = offered(b, prefs, axis);
        draw(&mut other, b, prefs, (axis, tag.tone), &shown);
        lay_beside(&mut all, &other, &shown)
    });
    let scale = if prefs.theme == "dark" { 1.15 } else { 1.0 };
    let numbered = asked.remarks.iter().enumerate();
    let at: Vec<(f64, String)> =
        numbered.filter_map(|(i, m)| Some((m.1.at_s?, format!("remark {}", i + 1)))).collect();
    let mut trace = chart(r, (&all, &shown), axis, asked.zoom, &at, scale);
    trace.region = asked.evidence.as_ref().and_then(|e| e.region).filter(|_| axis == Along::EngineSpeed);
    let name = format!("pull {}", r.pull.position);
    let title = format!("{} {} on {}, {name}", r.set.vehicle, r.set.config.map, r.set.config.fuel);
    let row = |i: usize, label: &str| LaneRow {
        label: label.to_owned(),
        up: (i > 0).then(|| {
            let mut order = shown.clone();
            order.swap(i - 1, i);
            by_hand(link(here, axis, &order, asked.zoom))
        }),
        toggle: by_hand(link(
            here,
            axis,
            &shown.iter().enumerate().filter(|(k, _)| *k != i).map(|(_, s)| s.clone()).collect::<Vec<_>>(),
            asked.zoom,
        )),
    };
    let label_of = |id: &str| all.iter().find(|o| o.id == id).map_or("", |o| o.label.as_str());
    let more = |o: &Offered| LaneRow {
        label: o.label.clone(),
        up: None,
        toggle: by_hand(link(
            here,
            axis,
            &shown.iter().cloned().chain([o.id.clone()]).collect::<Vec<_>>(),
            asked.zoom,
        )),
    };
    let c = &r.set.config;
    let rest: Vec<&str> =
        [c.boost.as_str(), c.gear.as_str(), c.build.as_str()].into_iter().filter(|s| !s.is_empty()).collect();
    PullPage {
        shell: Shell::new(title, &prefs.theme, "pull"),
        id,
        day_id: r.day.id,
        set_id: r.set.id,
        learn: to_learn(r),
        attached: Vec::new(),
        attach_to: vec![(format!("pull:{id}"), "this pull".to_owned())],
        files: files(r),
        vehicle: r.set.vehicle.clone(),
        vehicle_id: r.vehicle.id,
        date: prefs.written.date(r.day.date),
        name,
        tag,
        rest: rest.join(" · "),
        answer: answer(r, prefs),
        evidence: asked.evidence,
        excluded: r.measured.excluded.clone(),
        flags: r
            .measured
            .flags
            .iter()
            .filter(|f| !f.is_said_elsewhere())
            .map(|f| words::finding(f, prefs.units()))
            .collect(),
        axes: AXES
            .into_iter()
            .filter(|a| *a != Along::RoadSpeed || r.measured.has_road_speed)
            .filter(|a| r.measured.printed.is_none() || *a == axis)
            .map(|a| AxisLink { href: link(here, a, &shown, None), label: a.label(), on: a == axis })
            .collect(),
        zoomed: asked.zoom.map(|_| link(here, axis, &shown, None)),
        form: [("axis", axis.id().to_owned()), ("lanes", shown.join(",")), ("beside", asked.beside.clone())]
            .into_iter()
            .filter(|f| !f.1.is_empty())
            .collect(),
        beside: beside_view(r, beside, &without, &shown, prefs),
        data: trace.data(),
        axis: axis.id(),
        chart: trace.svg(Paint::Page),
        shown: shown.iter().enumerate().map(|(i, s)| row(i, label_of(s))).collect(),
        hidden: all.iter().filter(|o| !shown.contains(&o.id)).map(more).collect(),
        events: r
            .events
            .iter()
            .map(|e| (e.rpm.map_or_else(|| "–".into(), |v| format!("{v:.0}")), words::event(e)))
            .collect(),
        observed: observed_rows(&asked.observed),
        observed_kinds: OBSERVED_KINDS,
        remarks: remark_rows(r, &asked.remarks),
        threads: asked.threads.iter().map(|t| (t.id, t.title.clone())).collect(),
        channels: r.beside().names().into_iter().map(|c| (c.as_str().to_owned(), c.label())).collect(),
        facts: facts(r, prefs),
        refused: r.measured.alignment.status == Status::Refused,
        by_hand: r.measured.alignment.status == Status::Manual,
        lag: r.measured.alignment.lag_s.map_or_else(String::new, |l| format!("{l:.3}")),
        clocks: clocks_svg(r, scale),
        limits: limit_rows(&r.measured.limits, &r.vehicle, prefs.units()),
        steps: step_table(r, prefs),
        stats: stats(r, prefs),
        families: family_rows(r, prefs),
        peak_at: r
            .figures
            .peak_power
            .map_or_else(|| "at peak".into(), |p| at_speed(r, p.rpm).trim_start().to_owned()),
        printed: r.measured.printed.is_some(),
        note: asked.note,
        previous: r.neighbours[0],
        next: r.neighbours[1],
        settings: settings(prefs).into_iter().filter(|s| s.name != "headline").collect(),
    }
}

/// Files behind it, each once.
fn files(r: &Reading) -> Vec<(i64, &'static str)> {
    let first = if r.measured.printed.is_some() { "print" } else { "dyno" };
    let alone = r.measured.log_only;
    let own = (!alone).then_some((r.pull.dyno_file_id, first));
    own.into_iter().chain(r.pull.ecu_file_id.map(|f| (f, "engine computer"))).collect()
}

/// The first sentence: what it made, how it ended, and the worst of its limits.
/// The set's gear with the ratio this pull shows, where the vehicle does not know that gear's yet.
pub(crate) fn to_learn(r: &Reading) -> Option<(String, f64)> {
    let (v, gear) = (&r.vehicle.vehicle, r.set.config.gear.trim());
    let known = v.gears.overall_if(gear, v.dyno.overall_ratio).is_some();
    let a = &r.measured.alignment;
    let measured = a.measured_ratio.filter(|_| a.usable() && v.dyno.kind.is_rigid())?;
    (!gear.is_empty() && !known).then(|| (gear.to_owned(), (measured * 1e4).round() / 1e4))
}

fn answer(r: &Reading, prefs: &Prefs) -> String {
    let f = &r.figures;
    let made = match (f.peak_power, f.peak_torque) {
        (Some(p), Some(t)) => format!(
            "{:.1} {}{}, {:.0} {}{}",
            prefs.power.from_kw(p.value),
            prefs.power.label(),
            at_speed(r, p.rpm),
            prefs.torque.from_nm(t.value),
            prefs.torque.label(),
            at_speed(r, t.rpm)
        ),
        (Some(p), None) => format!("{}{}", prefs.power.say(p.value), at_speed(r, p.rpm)),
        (None, Some(t)) => {
            format!("{:.0} {}{}", prefs.torque.from_nm(t.value), prefs.torque.label(), at_speed(r, t.rpm))
        }
        (None, None) => "No power figure".into(),
    };
    match r.measured.kind() {
        Some(PullKind::CurveOnly) => return format!("{made}; a curve that came finished"),
        Some(PullKind::PeaksOnly) => return format!("{made}; peaks typed from a print"),
        Some(PullKind::LogOnly) => {
            return "The engine computer's log alone: limits and timing, no power".into();
        }
        _ => {}
    }
    let Some(span) = r.measured.span else { return "No pull was found in this recording.".into() };
    match span.kind {
        PullKind::HeldSteps => format!("{made}; {} speeds held", r.measured.steps.len()),
        PullKind::LugDown => format!("{made}; a lug-down, ended by {}", span.ended_by.label()),
        PullKind::SweepUp => format!("{made}; ended by {}", span.ended_by.label()),
        PullKind::CurveOnly | PullKind::PeaksOnly | PullKind::LogOnly => made,
    }
}

/// Where a peak stands, on the axis of its pull; nothing where nobody said.
fn at_speed(r: &Reading, at: f64) -> String {
    let road = r.measured.printed.as_ref().is_some_and(|p| p.axis == PrintedAxis::RoadSpeed);
    match (at.is_finite(), road) {
        (false, _) => String::new(),
        (true, true) => format!(" at {at:.0} km/h"),
        (true, false) => format!(" at {at:.0} rpm"),
    }
}

/// Pairs of words: conditions, filter, correction, clocks, coupling.
fn facts(r: &Reading, prefs: &Prefs) -> Vec<(&'static str, String)> {
    let m = &r.measured;
    let mut out = Vec::new();
    let air = m.air.map_or_else(|| "not given: power is uncorrected".to_owned(), |a| air_words(&a, prefs));
    out.push(("Air", air));
    let family = if r.corrected.is_left_uncorrected() { Correction::None } else { prefs.correction };
    let mut correction = format!("{}, factor {:.4}", family.label(), r.corrected.factor);
    r.corrected.cautions.iter().for_each(|c| correction.push_str(&format!("; {}", words::caution(c))));
    out.push(("Correction", correction));
    if let Some(p) = &m.printed {
        let place = p.print.place.map_or(r.vehicle.vehicle.dyno.kind.place(), Place::words);
        out.push(("Measured", format!("{place}, {}", words::applied_words(p.print.applied))));
        let smoothing = p.print.smoothing.trim();
        let said = if smoothing.is_empty() { "not stated" } else { smoothing };
        out.push(("Smoothing in it", said.to_owned()));
        return out;
    }
    let filter = match m.filter {
        Some(f) if f.samples > 0 => format!(
            "local quadratic over {} s ({} samples{}), for power and display only; limits use raw samples",
            f.window_s,
            f.samples,
            if f.real_timestamps { ", on real timestamps" } else { "" }
        ),
        _ => "none".into(),
    };
    out.push(("Filter", filter));
    if let Some(s) = m.span {
        let own = [s.from_rpm * m.ratio, s.to_rpm * m.ratio];
        let ends = if m.speed_from.is_shaft() { own } else { r.corrected.curve.span_rpm().unwrap_or(own) };
        let rate = m.rate_rpm_s.map_or_else(String::new, |v| format!(", {v:.0} rpm/s"));
        let what = if s.kind == PullKind::HeldSteps { "Steps" } else { "Ramp" };
        out.push((what, format!("{:.0} to {:.0} rpm in {:.1} s{rate}", ends[0], ends[1], s.to_s - s.from_s)));
    }
    if let Some(area) = &r.area {
        let (u, [a, b]) = (prefs.power, area.span_rpm);
        let text = format!(
            "{:.0} {} × 1000 rpm from {a:.0} to {b:.0} rpm, a mean of {:.1} {}",
            u.from_kw(area.area) / 1000.0,
            u.label(),
            u.from_kw(area.mean_kw),
            u.label()
        );
        out.push(("Area", text));
    }
    let from = match m.ratio_from {
        RatioSource::Geometry => "from the geometry given",
        RatioSource::DynoRecording => "from the two speeds of the dyno recording",
        RatioSource::Gear => "of the gear that was measured, by the vehicle's list",
        RatioSource::Alignment => "fitted while aligning",
        RatioSource::Unknown => "not known: the axis is shaft speed",
    };
    out.push(("Ratio", format!("{:.3}, {from}", m.ratio)));
    let speed = match (m.ratio_from, m.speed_from) {
        (RatioSource::Unknown, _) => "that of the dyno's shaft",
        (_, SpeedFrom::Measured) => "measured",
        (_, SpeedFrom::Shaft) => "from the shaft: its speed times the ratio",
    };
    out.push(("Engine speed", speed.to_owned()));
    out.push((
        "Coupling",
        r.coupling.as_ref().map_or_else(
            || "not measured: it takes both speeds on one clock".into(),
            words::coupling_sentence,
        ),
    ));
    if let Some(b) = &r.belt {
        out.push(("Belt", words::belt_sentence(b)));
    }
    out.push(("Clocks", clocks(&m.alignment)));
    out
}

fn clocks(a: &Alignment) -> String {
    let mut parts = Vec::new();
    match a.status {
        Status::SingleLog => return "one recording: nothing to align".into(),
        Status::Refused => parts.push("refused".into()),
        Status::Manual => parts.push("lag set by hand".into()),
        Status::Aligned => parts.push("aligned".to_owned()),
    }
    parts.extend(a.refusal.as_ref().map(words::refusal));
    if let Some(l) = a.lag_s {
        let sigma = a.sigma_lag_s.map_or_else(String::new, |s| format!(" ± {:.1} ms", 1000.0 * s));
        parts.push(format!("lag {l:.4} s{sigma}"));
    }
    parts.extend(a.r.map(|r| format!("r {r:.5}")));
    parts.extend(a.residual_rpm.map(|v| format!("residual {v:.1} rpm")));
    parts.extend(
        a.runner_up_s
            .zip(a.runner_up_residual_rpm)
            .map(|(s, v)| format!("runner-up {s:.2} s leaves {v:.0} rpm")),
    );
    parts.extend(a.drift_ppm.filter(|_| a.usable()).map(|d| format!("clock rate {d:+.0} ppm")));
    parts.join("; ")
}

/// Both speeds over time, the engine computer's shifted by the lag found: the evidence for it.
fn clocks_svg(r: &Reading, scale: f64) -> String {
    let Some(c) = &r.clocks else { return String::new() };
    let line = |label: &str, colour, thin, points: &[(f64, f64)]| LaneLine {
        label: label.into(),
        colour,
        dash: "",
        thin,
        points: points.to_vec(),
    };
    TraceChart {
        axis: "s from tip-in".into(),
        span: [-4.0, c.lasts_s + 4.0],
        lanes: vec![TraceLane {
            label: "engine speed, rpm".into(),
            lines: vec![
                line("dyno × ratio", "bilberry", false, &c.dyno),
                line("engine computer", "rosehip", true, &c.ecu),
            ],
            limits: Vec::new(),
        }],
        region: None,
        marks: Vec::new(),
        scale,
    }
    .svg(Paint::Page)
}

fn stats(r: &Reading, prefs: &Prefs) -> Vec<StatRow> {
    r.measured
        .channels
        .iter()
        .map(|c| {
            let unit = prefs.units().shown(&c.channel);
            let digits = unit.digits;
            let show = |v: f64| format!("{:.digits$}", unit.value(v));
            let at = r.at_peak(c.channel.as_str()).map_or_else(|| "–".into(), show);
            StatRow {
                label: cylinder_words(&c.channel, &r.vehicle.sheet.cylinders),
                unit: unit.unit(),
                values: [show(c.start), show(c.min), show(c.mean), show(c.max), at],
            }
        })
        .collect()
}
