//! The line-up's chart: curves, gains with their band, lanes of margin used, and the same as data for the
//! cursor.

use super::names::{label_of, name_of};
use crate::prefs::Prefs;
use crate::views::common::{Encoding, count, cylinder_words, in_quantity, quantity_unit};
use jamjar_chart::{CurveOf, Gain, Lane, LineUpChart, Panel, Series, Track};
use jamjar_core::analysis::{Comparison, Corrected, Figure, SetResult};
use jamjar_core::correction::Correction;
use jamjar_core::curve::Quantity;
use jamjar_core::limits::{LimitOutcome, Verdict as LimitVerdict, judged};
use jamjar_core::units::Units;
use jamjar_core::words::{limit_rule, verdict_line};
use jamjar_store::Set;
use jamjar_workflow::lineup::LineUp;
use serde_json::json;

/// The chart's view model in the units chosen, as they hold for this line-up; `tracks` are the lanes of channels.
pub(crate) fn chart_of(
    l: &LineUp,
    e: &Encoding,
    prefs: &Prefs,
    focus: Option<usize>,
    tracks: Vec<Track>,
) -> LineUpChart {
    let sets: Vec<&Set> = l.sets.iter().map(|s| &s.set).collect();
    let series = Encoding::rungs(&sets)
        .into_iter()
        .enumerate()
        .map(|(i, rung)| Series {
            key: sets[i].id.to_string(),
            name: sets[i].config.map.clone(),
            detail: label_of(l, i),
            tone: e.tone(sets[i]),
            dash: e.dash(sets[i]),
            baseline: i == l.base,
            rung,
            rpm: l.results[i].drawn().rpm.clone(),
        })
        .collect();
    let shown = focus.map_or(l.base, |f| l.comparisons[f].candidate);
    let looked_at = &l.results[shown];
    let (grid, lane_rpm): (Vec<f64>, Vec<f64>) =
        looked_at.mean_curve.rpm.iter().filter_map(|r| Some((*r, looked_at.place(*r)?))).unzip();
    LineUpChart {
        panels: prefs.shown.quantities().iter().map(|q| panel(l, prefs, *q)).collect(),
        tracks,
        lane_title: format!(
            "margin used by {}, worst of {}{}",
            name_of(l, shown),
            count(l.measured[shown].len(), "pull"),
            match l.verdicts[shown].len() {
                n if n > MOST_LANES => format!("; the {MOST_LANES} tightest of {n}"),
                _ => String::new(),
            }
        ),
        lanes: lanes_of(l, shown, &grid, prefs.units()),
        focus: shown,
        series,
        lane_rpm,
        axis: l.settings.along.label().to_owned(),
        scale: 1.0,
    }
}

/// Curves of a quantity and the gains in it.
fn panel(l: &LineUp, prefs: &Prefs, q: Quantity) -> Panel {
    let (u, place) = (quantity_unit(q, prefs), l.vehicle.vehicle.dyno.kind.place());
    let v = |x: f64| in_quantity(q, x, prefs);
    let figure = match q {
        Quantity::Power => Figure::PeakPower,
        Quantity::Torque => Figure::PeakTorque,
    };
    let curve = |r: &SetResult| {
        let peak = r.figure(figure);
        CurveOf {
            y: r.drawn().values(q).iter().map(|x| v(*x)).collect(),
            peak: peak.rpm.and_then(|rpm| Some((r.place(rpm)?, v(r.mean_curve.at(q, rpm)?)))),
            headline: peak
                .headline
                .zip(peak.rpm)
                .map_or_else(String::new, |(p, rpm)| format!("{:.1} at {rpm:.0}", v(p))),
        }
    };
    let known = |c: &&Comparison| c.figure(figure).is_some_and(|f| f.mean_difference.is_some());
    let gain = |c: &Comparison| {
        let drawn = c.gains(q).drawn();
        Gain {
            series: c.candidate,
            rpm: drawn.rpm.clone(),
            gain: drawn.gain.iter().map(|x| v(*x)).collect(),
            half: drawn.half.iter().map(|x| v(*x)).collect(),
        }
    };
    Panel {
        id: q.label(),
        title: format!("{} {place}, {u}, {}", q.label(), family_words(l, prefs.correction)),
        gain_title: format!("gain over {}, {u}; 95 % band, whole curve", name_of(l, l.base)),
        unit: u.to_owned(),
        curves: l.results.iter().map(curve).collect(),
        gains: l.comparisons.iter().filter(known).map(gain).collect(),
    }
}

/// The family in which the curves stand, or that they are left uncorrected.
fn family_words(l: &LineUp, family: Correction) -> String {
    let left = |r: &SetResult| r.pulls.iter().all(Corrected::is_left_uncorrected);
    let without: Vec<usize> = (0..l.results.len()).filter(|i| left(&l.results[*i])).collect();
    match without.as_slice() {
        _ if family == Correction::None => family.label().to_owned(),
        [] => family.label().to_owned(),
        all if all.len() == l.results.len() => Correction::None.label().to_owned(),
        some => {
            let names: Vec<String> = some.iter().map(|i| name_of(l, *i)).collect();
            format!("{}, {} uncorrected", family.label(), names.join(", "))
        }
    }
}

/// Lanes of margins drawn at most (our choice: one screen); every limit stands in the matrix below.
const MOST_LANES: usize = 16;

fn lanes_of(l: &LineUp, set: usize, grid: &[f64], units: Units) -> Vec<Lane> {
    let mut all: Vec<_> = judged(&l.verdicts[set], &l.vehicle.limits).collect();
    if all.len() > MOST_LANES {
        let used = |o: &LimitOutcome| o.share_used.unwrap_or(f64::NEG_INFINITY);
        all.sort_by(|a, b| used(b.1).total_cmp(&used(a.1)));
        all.truncate(MOST_LANES);
    }
    all.into_iter()
        .map(|(limit, o)| {
            let mut share: Vec<Option<f64>> = vec![None; grid.len()];
            let mut drawn = false;
            for m in &l.measured[set] {
                let Some(values) =
                    m.lanes.iter().find(|x| x.limit == limit.id).and_then(|x| x.share.as_ref())
                else {
                    continue;
                };
                drawn = true;
                for (rpm, v) in m.grid.rpm.iter().zip(values) {
                    if let (Some(v), Ok(i)) = (v, grid.binary_search_by(|g| g.total_cmp(rpm))) {
                        share[i] = Some(share[i].map_or(*v, |old: f64| old.max(*v)));
                    }
                }
            }
            Lane {
                label: format!(
                    "{}, {}{}",
                    cylinder_words(&limit.channel, &l.vehicle.sheet.cylinders),
                    limit_rule(limit, units),
                    if limit.starting_point { " (starting point)" } else { "" }
                ),
                share: (drawn && !matches!(o.verdict, LimitVerdict::NotMeasured)).then_some(share),
                note: verdict_line(limit, o, units)
                    + if limit.starting_point { ", starting point" } else { "" },
                over: o.verdict == LimitVerdict::Over,
                unknown: matches!(
                    o.verdict,
                    LimitVerdict::NotMeasured | LimitVerdict::CantTell | LimitVerdict::NotReached
                ),
            }
        })
        .collect()
}

/// Curves for the cursor, as JSON that cannot close its script element.
pub(super) fn data_json(c: &LineUpChart) -> String {
    let round = |v: &[f64], k: f64| {
        let one = |x: &f64| x.is_finite().then(|| (x * k).round() / k);
        v.iter().map(one).collect::<Vec<_>>()
    };
    let panel = |p: &Panel| {
        let series: Vec<_> = c
            .series
            .iter()
            .zip(&p.curves)
            .map(|(s, o)| json!({"key": s.key, "x": round(&s.rpm, 100.0), "y": round(&o.y, 100.0)}))
            .collect();
        let gains: Vec<_> = p
            .gains
            .iter()
            .map(|g| {
                json!({"key": c.series[g.series].key, "x": round(&g.rpm, 100.0), "gain": round(&g.gain, 100.0),
                       "half": round(&g.half, 100.0)})
            })
            .collect();
        json!({"id": p.id, "unit": p.unit, "series": series, "gains": gains})
    };
    let track = |t: &Track| {
        let lines: Vec<_> = t
            .lines
            .iter()
            .filter(|l| !l.target)
            .map(|l| {
                json!({"key": c.series[l.series].key, "label": l.label, "x": round(&l.x, 100.0), "y": round(&l.y, 1000.0)})
            })
            .collect();
        json!({"label": t.label, "digits": t.digits, "lines": lines})
    };
    let panels: Vec<_> = c.panels.iter().map(panel).collect();
    let tracks: Vec<_> = c.tracks.iter().map(track).collect();
    json!({"panels": panels, "tracks": tracks, "axis": c.axis}).to_string().replace('<', "\\u003c")
}
