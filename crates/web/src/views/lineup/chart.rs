//! The line-up's chart: curves, gains with their band, lanes of margin used, and the same as data for the
//! cursor.

use super::names::{label_of, name_of};
use crate::prefs::Prefs;
use crate::views::common::{Encoding, count};
use jamjar_chart::{Gain, Lane, LineUpChart, Series};
use jamjar_core::analysis::{Corrected, Figure, SetResult, Verdict};
use jamjar_core::correction::Correction;
use jamjar_core::limits::Verdict as LimitVerdict;
use jamjar_core::units::Units;
use jamjar_core::words::{limit_rule, verdict_line};
use jamjar_workflow::lineup::LineUp;

/// The chart's view model in the units chosen.
pub(crate) fn chart_of(l: &LineUp, e: &Encoding, prefs: &Prefs, focus: Option<usize>) -> LineUpChart {
    let prefs = &prefs.fitting(&l.vehicle.vehicle.engine);
    let u = prefs.power;
    let place = l.vehicle.vehicle.dyno.kind.place();
    let series = l
        .results
        .iter()
        .enumerate()
        .map(|(i, r)| {
            let s = &l.sets[i].set;
            let peak = r.figure(Figure::PeakPower);
            let detail = label_of(l, i);
            Series {
                key: s.id.to_string(),
                name: s.config.map.clone(),
                detail,
                tone: e.tone(s),
                dash: e.dash(s),
                baseline: i == l.base,
                rpm: r.drawn().rpm.clone(),
                power: r.drawn().power_kw.iter().map(|p| u.from_kw(*p)).collect(),
                peak: peak.rpm.and_then(|rpm| Some((r.place(rpm)?, u.from_kw(r.mean_curve.power_at(rpm)?)))),
                headline: peak
                    .headline
                    .zip(peak.rpm)
                    .map_or_else(String::new, |(p, rpm)| format!("{:.1} at {rpm:.0}", u.from_kw(p))),
            }
        })
        .collect();
    let gains = l
        .comparisons
        .iter()
        .filter(|c| {
            c.figure(Figure::PeakPower)
                .is_some_and(|f| f.verdict != Verdict::CantTell || f.mean_difference.is_some())
        })
        .map(|c| Gain {
            series: c.candidate,
            rpm: c.drawn().rpm.clone(),
            gain: c.drawn().gain_kw.iter().map(|v| u.from_kw(*v)).collect(),
            half: c.drawn().half_kw.iter().map(|v| u.from_kw(*v)).collect(),
        })
        .collect();
    let shown = focus.map_or(l.base, |f| l.comparisons[f].candidate);
    let along = l.settings.along;
    let looked_at = &l.results[shown];
    let (grid, lane_rpm): (Vec<f64>, Vec<f64>) =
        looked_at.mean_curve.rpm.iter().filter_map(|r| Some((*r, looked_at.place(*r)?))).unzip();
    LineUpChart {
        power_title: format!("power {place}, {}, {}", u.label(), family_words(l, prefs.correction)),
        gain_title: format!("gain over {}, {}; 95 % band, whole curve", name_of(l, l.base), u.label()),
        lane_title: format!(
            "margin used by {}, worst of {}",
            name_of(l, shown),
            count(l.measured[shown].len(), "pull")
        ),
        lanes: lanes_of(l, shown, &grid, prefs.units()),
        focus: shown,
        series,
        gains,
        lane_rpm,
        axis: along.label().to_owned(),
        unit: u.label().to_owned(),
        scale: 1.0,
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

fn lanes_of(l: &LineUp, set: usize, grid: &[f64], units: Units) -> Vec<Lane> {
    l.vehicle
        .limits
        .iter()
        .filter_map(|limit| l.verdicts[set].iter().find(|o| o.limit == limit.id).map(|o| (limit, o)))
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
                    limit.channel.label(),
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
    let round = |v: &[f64]| v.iter().map(|x| (x * 100.0).round() / 100.0).collect::<Vec<_>>();
    let series: Vec<_> = c
        .series
        .iter()
        .map(|s| serde_json::json!({"key": s.key, "x": round(&s.rpm), "power": round(&s.power)}))
        .collect();
    let gains: Vec<_> = c
        .gains
        .iter()
        .map(|g| serde_json::json!({"key": c.series[g.series].key, "x": round(&g.rpm), "gain": round(&g.gain), "half": round(&g.half)}))
        .collect();
    serde_json::json!({"series": series, "gains": gains, "unit": c.unit, "axis": c.axis})
        .to_string()
        .replace('<', "\\u003c")
}
