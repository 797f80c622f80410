//! Several vehicles beside each other, for the shop lead who asks whether a map does as much elsewhere: per cent of
//! each one's own baseline, never kilowatts.

use super::names::{detail_of, focus_of, name_of};
use super::page::CELL_SCALE;
use super::places::half;
use crate::prefs::Prefs;
use crate::views::Shell;
use crate::views::common::{Encoding, SetTag};
use askama::Template;
use jamjar_chart::{CurveOf, LineUpChart, Paint, Panel, Series, lineup_svg};
use jamjar_core::analysis::{Comparison, Figure, FigureComparison, Verdict};
use jamjar_core::curve::{Quantity, index_of};
use jamjar_core::words::{GainOn, several_sentence};
use jamjar_workflow::lineup::LineUp;

/// A set of one of the vehicles.
pub(crate) struct SeveralRow {
    pub(crate) vehicle: String,
    pub(crate) own: String,
    pub(crate) tag: SetTag,
    pub(crate) against: String,
    /// At peak power and peak torque: per cent, and the verdict.
    pub(crate) gains: [[String; 2]; 2],
}

#[derive(Template)]
#[template(path = "several.html")]
pub(crate) struct SeveralPage {
    pub(crate) shell: Shell,
    pub(crate) sentence: String,
    pub(crate) chart: String,
    pub(crate) rows: Vec<SeveralRow>,
}

/// Difference and half of its interval in per cent of the baseline.
fn percent(f: &FigureComparison, base: Option<f64>) -> Option<(f64, Option<f64>)> {
    let base = base.filter(|b| *b > 0.0)?;
    let share = |v: f64| 100.0 * v / base;
    Some((share(f.mean_difference?), half(f).map(share)))
}

fn of_figure(l: &LineUp, c: &Comparison, figure: Figure) -> (Option<(f64, Option<f64>)>, Verdict) {
    let base = l.results[c.base].figure(figure).mean;
    c.figure(figure).map_or((None, Verdict::CantTell), |f| (percent(f, base), f.verdict))
}

pub(crate) fn several_page(all: &[(LineUp, Encoding)], prefs: &Prefs) -> SeveralPage {
    let best = |(l, _): &(LineUp, Encoding)| {
        let c = focus_of(l, None, Figure::PeakPower).map(|f| &l.comparisons[f]);
        let (told, verdict) = c.map_or((None, Verdict::CantTell), |c| of_figure(l, c, Figure::PeakPower));
        GainOn {
            vehicle: l.vehicle.vehicle.name.clone(),
            set: c.map_or_else(String::new, |c| name_of(l, c.candidate)),
            percent: told.map(|t| t.0),
            half: told.and_then(|t| t.1),
            verdict,
        }
    };
    SeveralPage {
        shell: Shell::new("Line-up of several vehicles", &prefs.theme, "lineup"),
        sentence: several_sentence(&all.iter().map(best).collect::<Vec<_>>()),
        chart: lineup_svg(&chart(all, prefs), Paint::Page),
        rows: all.iter().flat_map(|(l, e)| l.comparisons.iter().map(move |c| row(l, e, c))).collect(),
    }
}

fn row(l: &LineUp, e: &Encoding, c: &Comparison) -> SeveralRow {
    let ids: Vec<String> = l.sets.iter().map(|s| s.set.id.to_string()).collect();
    let (s, base) = (&l.sets[c.candidate].set, l.sets[c.base].set.id);
    let told = |f: Figure| {
        let (told, verdict) = of_figure(l, c, f);
        let gain = match told {
            Some((d, Some(h))) => format!("{d:+.1} ± {h:.1}"),
            Some((d, None)) => format!("{d:+.1} ±?"),
            None => "–".to_owned(),
        };
        [gain, verdict.label().to_owned()]
    };
    SeveralRow {
        vehicle: l.vehicle.vehicle.name.clone(),
        own: format!("/line-up?sets={}&base={base}&focus={}", ids.join(","), s.id),
        tag: SetTag { fuel: detail_of(l, c.candidate), ..e.tag(s, false, &l.verdicts[c.candidate]) },
        against: name_of(l, c.base),
        gains: [told(Figure::PeakPower), told(Figure::PeakTorque)],
    }
}

/// Gain of every candidate in per cent of its own baseline, over engine speed.
fn chart(all: &[(LineUp, Encoding)], prefs: &Prefs) -> LineUpChart {
    let (mut series, mut curves) = (Vec::new(), Vec::new());
    for (l, e) in all {
        let base = &l.results[l.base].mean_curve;
        for c in &l.comparisons {
            let g = &c.gains(Quantity::Power).curve;
            let own = |(rpm, d): (&f64, &f64)| {
                let level = base.power_kw[index_of(&base.rpm, *rpm)?];
                (level > 0.0).then_some((*rpm, 100.0 * d / level))
            };
            let (rpm, y): (Vec<f64>, Vec<f64>) = g.rpm.iter().zip(&g.gain).filter_map(own).unzip();
            let s = &l.sets[c.candidate].set;
            series.push(Series {
                key: s.id.to_string(),
                name: s.config.map.clone(),
                detail: l.vehicle.vehicle.name.clone(),
                tone: e.tone(s),
                dash: e.dash(s),
                baseline: false,
                rung: None,
                rpm,
            });
            let (told, _) = of_figure(l, c, Figure::PeakPower);
            let headline = told.map_or_else(String::new, |(d, _)| format!("{d:+.1} % at peak"));
            curves.push(CurveOf { y, peak: None, headline });
        }
    }
    LineUpChart {
        series,
        panels: vec![Panel {
            id: "power",
            title: "gain in power over each one's own baseline, %".into(),
            gain_title: String::new(),
            unit: "%".into(),
            curves,
            gains: Vec::new(),
        }],
        tracks: Vec::new(),
        lane_title: String::new(),
        lane_rpm: Vec::new(),
        lanes: Vec::new(),
        focus: 0,
        axis: "engine speed, rpm".into(),
        scale: if prefs.theme == "dark" { CELL_SCALE } else { 1.0 },
    }
}
