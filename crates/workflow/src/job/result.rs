//! The result of a job as JSON, version 1.

use super::{Analysed, Prepared};
use jamjar_core::analysis::{
    Along, Caveat, Comparison, Corrected, Figure, FigureComparison, GainCurve, GainOfGains, Gains, Measured,
    PullFinding, SetResult, Settings, Share, Split, Verdict, find_days,
};
use jamjar_core::figures::{Figures, Peak};
use jamjar_core::findings::{Finding, Severity};
use jamjar_core::limits::LimitOutcome;
use jamjar_core::printed::PrintedAxis;
use jamjar_core::pull::align::Alignment;
use jamjar_core::pull::held::HeldStep;
use jamjar_core::units::Units;
use jamjar_core::words::{self, Speech};
use serde_json::{Map, Value, json};
use std::sync::Arc;

/// What a result is told from: a job, or a line-up of stored sets.
pub(crate) struct Told<'a> {
    pub(crate) settings: &'a Settings,
    /// Where the dyno measures.
    pub(crate) place: &'static str,
    pub(crate) sets: &'a [SetResult],
    pub(crate) measured: &'a [Vec<Arc<Measured>>],
    pub(crate) comparisons: &'a [Comparison],
    pub(crate) gain_of_gains: Option<&'a GainOfGains>,
    pub(crate) across_gears: Option<&'a str>,
}

/// Renders everything a job found.
pub fn to_json(job: &Prepared, a: &Analysed) -> Value {
    told(&Told {
        settings: &job.settings,
        place: job.vehicle.dyno.kind.place(),
        sets: &a.sets,
        measured: &a.measured,
        comparisons: &a.comparisons,
        gain_of_gains: a.gain_of_gains.as_ref(),
        across_gears: job.across_gears.as_deref(),
    })
}

/// Renders everything found.
pub(crate) fn told(a: &Told<'_>) -> Value {
    let s = a.settings;
    let said = find_days(a.sets, a.measured);
    let mut out = json!({
        "jamjar_result": 1,
        "correction": s.correction,
        "headline": s.headline,
        "grid_rpm": s.grid_rpm,
        "smoothing_s": s.smoothing_s,
        "place": a.place,
        "sets": a.sets.iter().zip(a.measured).enumerate().map(|(i, (set, measured))| set_json(set, measured, &of_set(&said, i), s.band_rpm)).collect::<Vec<_>>(),
        "comparisons": a.comparisons.iter().map(|c| comparison_json(c, a.sets, s.along)).collect::<Vec<_>>(),
        "limits": a.sets.iter().zip(a.measured).flat_map(|(set, pulls)| pulls.iter().flat_map(|m| m.limits.iter().map(|o| limit_json(set, m, o)))).collect::<Vec<_>>(),
    });
    if let Some(g) = a.gain_of_gains {
        let step = |[from, to]: [usize; 2]| json!({"from": a.sets[from].id, "to": a.sets[to].id});
        out["gain_of_gains"] = json!([{
            "steps": g.steps.map(step),
            "figure": "peak_power",
            "ratio": g.ratio.map(|r| r.ratio),
            "ci95": g.ratio.and_then(|r| r.ci95),
            "verdict": g.verdict,
            "baselines_differ": g.baselines_differ,
            "text": words::gain_of_gains_sentence(g, a.sets, &Speech::PLAIN),
        }]);
    }
    if let Some(why) = a.across_gears {
        out["across_gears"] = json!(why);
    }
    out
}

/// What the day's other pulls say of the pulls of a set, each with its place.
fn of_set(said: &[PullFinding], set: usize) -> Vec<&PullFinding> {
    said.iter().filter(|f| f.set == set).collect()
}

fn set_json(
    set: &SetResult,
    measured: &[Arc<Measured>],
    said: &[&PullFinding],
    band: Option<[f64; 2]>,
) -> Value {
    let mut figures = Map::new();
    for f in Figure::ALL {
        let x = set.figure(f);
        if x.headline.is_none()
            && !matches!(
                f,
                Figure::PeakPower | Figure::PeakTorque | Figure::BandMeanPower | Figure::BandMeanTorque
            )
        {
            continue;
        }
        let value = x.headline.map_or(Value::Null, |v| {
            let mut o = json!({"value": v, "unit": f.unit(), "sd": x.sd, "mean": x.mean});
            if matches!(f, Figure::PeakPower | Figure::PeakTorque | Figure::PowerAt | Figure::TorqueAt) {
                o["rpm"] = json!(x.rpm);
            }
            o
        });
        figures.insert(f.id().to_owned(), value);
    }
    json!({
        "id": set.id, "day": set.day, "factors": set.factors, "n": set.n(), "figures": figures,
        "pulls": measured.iter().zip(&set.pulls).zip(set.pull_figures.iter().zip(&set.included)).enumerate().map(|(i, ((m, c), (f, included)))| pull_json(m, c, (f, *included), said.iter().filter(|s| s.pull == i).map(|s| &s.found), band)).collect::<Vec<_>>(),
    })
}

fn peak(p: Option<Peak>, unit: &str) -> Value {
    p.map_or(Value::Null, |p| json!({"value": p.value, "unit": unit, "rpm": p.rpm}))
}

fn pull_json<'a>(
    m: &'a Measured,
    c: &Corrected,
    (f, included): (&Figures, bool),
    said: impl Iterator<Item = &'a Finding>,
    band: Option<[f64; 2]>,
) -> Value {
    let mut flags: Vec<Value> = m
        .flags
        .iter()
        .chain(said)
        .map(|f| flag(f.kind(), f.severity(), words::finding(f, Units::default())))
        .collect();
    flags.extend(c.cautions.iter().map(|c| flag("correction", Severity::Caution, words::caution(c))));
    flags.extend(m.excluded.iter().map(|why| flag("excluded", Severity::Note, why.clone())));
    let mut out = json!({
        "id": m.id,
        "included": included,
        "flags": flags,
        "correction_factor": c.factor,
        "alignment": alignment_json(&m.alignment),
        "span_rpm": c.curve.span_rpm(),
        "ended_by": m.span.map(|s| s.ended_by),
        "kind": m.kind(),
        "engine_speed_from": engine_speed_from(m),
        "from_s": m.span.map(|s| s.from_s),
        "to_s": m.span.map(|s| s.to_s),
        "overall_ratio": m.ratio,
        "overall_ratio_from": m.ratio_from,
        "ramp_rpm_s": m.rate_rpm_s,
        "filter": m.filter,
        "estimated": m.estimated,
        "peak_power": peak(f.peak_power, "kW"),
        "peak_torque": peak(f.peak_torque, "N·m"),
        "band_mean_power": f.band_mean_power.map(|v| json!({"value": v, "unit": "kW"})),
        "band_mean_torque": f.band_mean_torque.map(|v| json!({"value": v, "unit": "N·m"})),
        "band_area": f.band_mean_power.zip(band).map(|(v, [a, b])| json!({"value": v * (b - a), "unit": "kW·rpm"})),
        "curve": curve_json(m, c),
    });
    if m.printed.as_ref().is_some_and(|p| p.axis == PrintedAxis::RoadSpeed) {
        out["peak_power"] = f
            .peak_power
            .map_or(Value::Null, |p| json!({"value": p.value, "unit": "kW", "road_speed_kmh": p.rpm}));
        out["span_rpm"] = Value::Null;
    }
    if !m.steps.is_empty() {
        let step = |s: &HeldStep| {
            json!({"from_s": s.from_s, "to_s": s.to_s, "rpm": s.rpm, "uncorrected_power_kw": s.power_kw, "uncorrected_torque_nm": s.torque_nm,
                   "torque_moved": s.moved, "settled": !s.is_moving()})
        };
        out["steps"] = m.steps.iter().map(step).collect();
    }
    out
}

/// Where the engine speed of a pull comes from.
fn engine_speed_from(m: &Measured) -> Value {
    match (&m.printed, m.log_only) {
        (Some(p), _) if p.axis == PrintedAxis::RoadSpeed => Value::Null,
        (Some(_), _) => "table".into(),
        (None, true) => "measured".into(),
        (None, false) => json!(m.speed_from),
    }
}

/// A curve against engine speed, or road speed; torque where it is known.
fn curve_json(m: &Measured, c: &Corrected) -> Value {
    match &m.printed {
        Some(p) if p.axis == PrintedAxis::RoadSpeed => {
            json!({"road_speed_kmh": c.curve.rpm, "power_kw": c.curve.power_kw})
        }
        _ => json!({"rpm": c.curve.rpm, "power_kw": c.curve.power_kw, "torque_nm": c.curve.torque_nm}),
    }
}

fn flag(kind: &str, severity: Severity, text: String) -> Value {
    json!({"kind": kind, "severity": severity, "text": text})
}

/// Its fields, and why it was refused in words.
fn alignment_json(a: &Alignment) -> Value {
    let mut v = json!(a);
    if let (Some(fields), Some(why)) = (v.as_object_mut(), &a.refusal) {
        fields.shift_remove("refusal");
        fields.insert("reason".into(), words::refusal(why).into());
    }
    v
}

fn figure_json(f: &FigureComparison) -> Value {
    let mut out = json!({
        "difference": f.difference, "unit": f.figure.unit(), "ci95": f.ci95, "ci95_family": f.ci95_family, "verdict": f.verdict,
        "mean_difference": f.mean_difference, "smallest_detectable": f.smallest_detectable, "pull_sd": f.pull_sd,
    });
    if f.provisional {
        out["provisional"] = json!(true);
    }
    out
}

fn split_json(s: &Split) -> Value {
    let share = |s: &Share| json!({"factor": s.factor, "difference": s.interval.difference, "ci95": s.interval.ci95()});
    let named = |v: &[Share]| v.iter().map(share).collect::<Vec<_>>();
    json!({
        "figure": s.figure.id(), "unit": s.figure.unit(),
        "path": s.steps.iter().map(|t| json!({"factor": t.factor, "to": t.to, "confounded": t.confounded, "difference": t.interval.difference, "ci95": t.interval.ci95()})).collect::<Vec<_>>(),
        "order_free": s.free.as_ref().map(|f| named(&f.shares)),
        "main_effects": s.free.as_ref().map(|f| named(&f.main)),
        "interaction": s.free.as_ref().map(|f| json!({"difference": f.together.difference, "ci95": f.together.ci95()})),
    })
}

fn comparison_json(c: &Comparison, sets: &[SetResult], along: Along) -> Value {
    let figures: Map<String, Value> = c
        .figures
        .iter()
        .filter(|f| {
            f.difference.is_some()
                || f.mean_difference.is_some()
                || f.verdict != Verdict::CantTell
                || f.figure == Figure::PeakPower
        })
        .map(|f| (f.figure.id().to_owned(), figure_json(f)))
        .collect();
    let half = |g: &GainCurve| (!g.half.is_empty()).then(|| g.half.clone());
    let largest = |g: &Gains| {
        g.largest.map(|l| json!({"difference": l.difference, "rpm": l.rpm, "half_width": l.half, "significant": l.significant}))
    };
    let mut out = json!({
        "base": sets[c.base].id,
        "candidate": sets[c.candidate].id,
        "factors_differ": c.confounding.factors_differ,
        "confounded": c.confounding.confounded,
        "separate_with": c.confounding.separate_with,
        "already_run": c.confounding.already_run,
        "not_safely_separable": c.confounding.not_safe.iter().map(words::hazard).collect::<Vec<_>>(),
        "splits": c.splits.iter().map(split_json).collect::<Vec<_>>(),
        "figures": figures,
        "largest_gain": largest(&c.power),
        "largest_gain_torque": largest(&c.torque),
        "significant_rpm": c.power.significant_rpm,
        "significant_rpm_torque": c.torque.significant_rpm,
        "gain_curve": {
            "rpm": c.power.curve.rpm, "gain_kw": c.power.curve.gain, "half_width_kw": half(&c.power.curve),
            "gain_nm": c.torque.curve.gain, "half_width_nm": half(&c.torque.curve),
        },
        "notes": c.notes.iter().map(|n: &Caveat| words::caveat(n, &Speech::PLAIN)).collect::<Vec<_>>(),
    });
    if let (Some(g), Some(q)) = (&c.power.other, &c.torque.other) {
        out["gain_along"] = json!({
            "axis": along, "at": g.rpm, "gain_kw": g.gain, "half_width_kw": half(g),
            "gain_nm": q.gain, "half_width_nm": half(q),
        });
    }
    if let Some(g) = &c.at_shaft {
        out["gain_at_shaft_speed"] = json!({"at": g.rpm, "gain_kw": g.gain, "half_width_kw": half(g)});
    }
    out
}

fn limit_json(set: &SetResult, m: &Measured, o: &LimitOutcome) -> Value {
    let mut v = json!({"set": set.id, "pull": m.id});
    if let (Some(out), Ok(Value::Object(fields))) = (v.as_object_mut(), serde_json::to_value(o)) {
        out.extend(fields);
        out.shift_remove("why");
        out.insert("reason".into(), o.why.as_ref().map_or(Value::Null, |w| words::why(w).into()));
    }
    v
}
