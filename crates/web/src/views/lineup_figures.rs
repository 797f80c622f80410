//! Figures of a line-up: which there are, in which unit, what they are called, and where their evidence is.

use super::encode::{Encoding, SetTag};
use super::evidence::FigureAsked;
use super::lineup::name_of;
use super::lineup_ask::LineUpAsked;
use crate::prefs::Prefs;
use jamjar_core::analysis::{Figure, FigureComparison};
use jamjar_core::figures::{FALL_OFF_RPM, PLATEAU_SHARE};
use jamjar_core::stats::plan::{pulls_needed, smallest_detectable};
use jamjar_workflow::evidence::read_at;
use jamjar_workflow::lineup::LineUp;

/// Difference a plan aims at until a person says what is the same to them, kW (our choice).
const WANTED_KW: f64 = 2.0;

pub(crate) struct FigureCell {
    pub(crate) value: String,
    pub(crate) difference: String,
    pub(crate) interval: String,
    pub(crate) family: String,
    pub(crate) verdict: &'static str,
    pub(crate) evidence: String,
    pub(crate) pulls: String,
}

pub(crate) struct FigureRow {
    pub(crate) tag: SetTag,
    pub(crate) name: String,
    pub(crate) n: String,
    pub(crate) cells: Vec<FigureCell>,
    /// The largest gain anywhere along the curve and where, and what the band says of it.
    pub(crate) largest: [String; 2],
    pub(crate) differs: String,
}

/// A value in the unit shown.
pub(super) fn in_unit(f: Figure, v: f64, prefs: &Prefs) -> f64 {
    match f {
        Figure::PeakTorque => prefs.torque.from_nm(v),
        Figure::PlateauRpm | Figure::FallOffPct => v,
        _ => prefs.power.from_kw(v),
    }
}

/// The unit shown.
pub(super) fn unit_of(f: Figure, prefs: &Prefs) -> &'static str {
    match f {
        Figure::PeakTorque => prefs.torque.label(),
        Figure::PlateauRpm | Figure::FallOffPct => f.unit(),
        _ => prefs.power.label(),
    }
}

/// What the figure is, with the speeds it was read at: "mean power from 3000 to 6500 rpm".
pub(super) fn place_of(f: Figure, l: &LineUp) -> String {
    let s = &l.settings;
    let span = |b: Option<[f64; 2]>| {
        b.map_or_else(|| "not set".to_owned(), |b| format!("{:.0} to {:.0} rpm", b[0], b[1]))
    };
    match f {
        Figure::PeakPower => "power at peak".into(),
        Figure::PeakTorque => "torque at peak".into(),
        Figure::BandMeanPower => format!("mean power from {}", span(s.band_rpm)),
        Figure::PowerAt => {
            s.at_rpm.map_or_else(|| "power at one speed".into(), |r| format!("power at {r:.0} rpm"))
        }
        Figure::DrivenPower => {
            format!("mean power where it is driven ({})", span(s.driven.map(|d| d.span())))
        }
        Figure::ShiftPower => format!("mean power in the shift window ({})", span(s.shift_rpm)),
        Figure::PlateauRpm => format!("width within {:.0} % of peak", 100.0 * PLATEAU_SHARE),
        Figure::FallOffPct => format!("fall-off {FALL_OFF_RPM:.0} rpm after the peak"),
    }
}

/// Why a figure is not there for any set.
pub(super) fn missing(f: Figure, l: &LineUp) -> Option<&'static str> {
    let s = &l.settings;
    match f {
        Figure::DrivenPower if s.driven.is_none() => {
            Some("the vehicle's sheet does not say where it is driven")
        }
        Figure::ShiftPower if s.shift_rpm.is_none() => {
            Some("the vehicle's sheet names no gears, or its curve shows no shift")
        }
        _ if l.results.iter().all(|r| r.figure(f).values.is_empty()) => Some("no curve covers it"),
        _ => None,
    }
}

/// Headings of the table; figures without any value are left out of it.
pub(super) fn shown(l: &LineUp) -> Vec<Figure> {
    Figure::ALL.into_iter().filter(|f| missing(*f, l).is_none()).collect()
}

pub(super) fn half(f: &FigureComparison) -> Option<f64> {
    f.ci95.map(|c| (c[1] - c[0]) / 2.0)
}

/// Address of the pull nearest to the set's mean, opened where the figure was read; and every pull's value in
/// words.
fn evidence(f: Figure, l: &LineUp, i: usize, prefs: &Prefs, back: &str) -> (String, String) {
    let r = &l.results[i];
    let values: Vec<(usize, f64)> =
        (0..r.pulls.len()).filter_map(|k| Some((k, f.of(&r.pull_figures[k])?))).collect();
    let digits = if f == Figure::PlateauRpm { 0 } else { 1 };
    let words: Vec<String> = values
        .iter()
        .map(|(k, v)| {
            format!(
                "pull {}: {:.digits$}{}",
                k + 1,
                in_unit(f, *v, prefs),
                if r.included[*k] { "" } else { " (left out)" }
            )
        })
        .collect();
    let mean = r.figure(f).mean.unwrap_or(f64::NAN);
    let counted = values.iter().filter(|(k, _)| r.included[*k]);
    let near = counted.min_by(|a, b| (a.1 - mean).abs().total_cmp(&(b.1 - mean).abs()));
    let asked = FigureAsked { figure: f, looks: l.settings.looks(), back: back.to_owned() };
    let address = near.and_then(|(k, _)| Some((l.sets[i].pulls.get(*k)?.0.id, &r.pulls[*k].curve)));
    let address = address.map_or(String::new(), |(id, curve)| {
        format!("/pulls/{id}?{}", asked.query(read_at(f, curve, &asked.looks)))
    });
    (address, words.join(", "))
}

/// A set's figures, each with its difference from the baseline.
pub(super) fn figure_row(l: &LineUp, e: &Encoding, prefs: &Prefs, i: usize, back: &str) -> FigureRow {
    let (s, r) = (&l.sets[i].set, &l.results[i]);
    let c = l.comparisons.iter().find(|c| c.candidate == i);
    let cells = shown(l)
        .iter()
        .map(|f| {
            let x = c.and_then(|c| c.figure(*f));
            let v = |v: f64| in_unit(*f, v, prefs);
            let digits = if *f == Figure::PlateauRpm { 0 } else { 1 };
            let (evidence, pulls) = evidence(*f, l, i, prefs, back);
            let headline = r.figure(*f).headline;
            // A wider plateau or a steeper fall is no gain or loss by itself.
            let judged = !matches!(f, Figure::PlateauRpm | Figure::FallOffPct);
            FigureCell {
                evidence,
                pulls,
                value: headline.map_or_else(|| "–".into(), |h| format!("{:.digits$}", v(h))),
                difference: x
                    .and_then(|x| x.difference)
                    .map_or_else(String::new, |d| format!("{:+.digits$}", v(d))),
                interval: x.and_then(|x| x.ci95).map_or_else(String::new, |ci| {
                    format!("{:+.digits$} to {:+.digits$}", v(ci[0]), v(ci[1]))
                }),
                family: x.and_then(|x| x.ci95_family).map_or_else(String::new, |ci| {
                    format!("all together {:+.digits$} to {:+.digits$}", v(ci[0]), v(ci[1]))
                }),
                verdict: match (headline, f) {
                    (None, Figure::FallOffPct) => "ends before",
                    (None, _) => "not covered",
                    _ => x
                        .filter(|x| x.difference.is_some() && (judged || x.ci95.is_none()))
                        .map_or("", |x| x.verdict.label()),
                },
            }
        })
        .collect();
    FigureRow {
        tag: e.tag(s, i == l.base, &l.verdicts[i]),
        name: name_of(l, i),
        n: format!("{} of {}", r.n(), r.pulls.len()),
        cells,
        largest: c.and_then(|c| c.largest).map_or_else(Default::default, |g| {
            let verdict = match g.significant {
                Some(true) => "beyond the band",
                Some(false) => "within the band: may be chance",
                None => "can't tell: no band",
            };
            [format!("{:+.1} at {:.0}", prefs.power.from_kw(g.difference), g.rpm), verdict.to_owned()]
        }),
        differs: c.map_or_else(
            || "baseline".into(),
            |c| match c.confounding.factors_differ.as_slice() {
                [] => "the same again".into(),
                [one] => format!("{one} differs"),
                all => format!("{} differ", all.join(" and ")),
            },
        ),
    }
}

/// What these pulls can show, and what more would: of the figure looked at.
pub(super) fn can_show(l: &LineUp, focus: Option<usize>, asked: &LineUpAsked, prefs: &Prefs) -> String {
    let Some(f) = focus.and_then(|f| l.comparisons[f].figure(asked.view)) else { return String::new() };
    let (Some(sd), Some(now)) = (f.pull_sd, f.smallest_detectable) else { return String::new() };
    let n = l.results[l.base].n().min(focus.map_or(0, |f| l.results[l.comparisons[f].candidate].n())) as u32;
    let (u, v) = (unit_of(asked.view, prefs), |x: f64| in_unit(asked.view, x, prefs));
    let next = smallest_detectable(sd, n + 1).map(|d| d.difference).unwrap_or(now);
    let now_words = format!(
        "These pulls can show a difference of {:.1} {u} (80 times in 100); one more pull of each, {:.1}.",
        v(now),
        v(next)
    );
    let wanted = prefs.margin_kw.unwrap_or(WANTED_KW);
    let needed = (f.figure.unit() == "kW" && wanted < now).then(|| pulls_needed(sd, wanted).ok()).flatten();
    match needed.map(|p| p.pulls_per_set.saturating_sub(n)).filter(|more| *more > 1) {
        Some(more) => format!("{now_words} To see {:.1} {u}, pull each {more} more times.", v(wanted)),
        None => now_words,
    }
}
