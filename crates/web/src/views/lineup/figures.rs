//! Figures of a line-up: which there are, in which unit, what they are called, and where their evidence is.

use super::asked::LineUpAsked;
use super::names::name_of;
use super::places::{half, shown};
use crate::prefs::Prefs;
use crate::views::common::{
    AxisLink, Encoding, FigureAsked, SetTag, in_quantity, in_unit, listed_query, quantity_unit,
};
use jamjar_core::analysis::{Comparison, Figure, Verdict};
use jamjar_core::curve::Quantity;
use jamjar_workflow::evidence::read_at;
use jamjar_workflow::lineup::LineUp;

pub(crate) struct FigureCell {
    pub(crate) value: String,
    /// Difference and half-width: "+21.4 ±1.3".
    pub(crate) gain: String,
    /// Interval, and the one that holds for all candidates together; said on focus.
    pub(crate) interval: String,
    /// Said where the difference alone would mislead.
    pub(crate) verdict: &'static str,
    pub(crate) evidence: String,
    pub(crate) pulls: String,
}

pub(crate) struct FigureRow {
    pub(crate) tag: SetTag,
    pub(crate) name: String,
    pub(crate) n: String,
    pub(crate) cells: Vec<FigureCell>,
    /// The largest gain of each quantity anywhere and within the band: how much and where, and what the band says
    /// of it.
    pub(crate) largest: Vec<[String; 2]>,
    pub(crate) differs: String,
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
pub(crate) fn figure_row(
    l: &LineUp,
    e: &Encoding,
    prefs: &Prefs,
    i: usize,
    (back, columns): (&str, &[Figure]),
) -> FigureRow {
    let (s, r) = (&l.sets[i].set, &l.results[i]);
    let c = l.comparisons.iter().find(|c| c.candidate == i);
    let cells = columns
        .iter()
        .map(|f| {
            let x = c.and_then(|c| c.figure(*f));
            let v = |v: f64| in_unit(*f, v, prefs);
            let digits = if *f == Figure::PlateauRpm { 0 } else { 1 };
            let (evidence, pulls) = evidence(*f, l, i, prefs, back);
            let headline = r.figure(*f).headline;
            // A wider plateau or a steeper fall is no gain or loss by itself.
            let judged = !matches!(f, Figure::PlateauRpm | Figure::FallOffPct);
            let interval =
                x.and_then(|x| x.ci95).map(|ci| format!("{:+.digits$} to {:+.digits$}", v(ci[0]), v(ci[1])));
            let family = x.and_then(|x| x.ci95_family).map(|ci| {
                format!("all candidates together {:+.digits$} to {:+.digits$}", v(ci[0]), v(ci[1]))
            });
            let gain = x.and_then(|x| x.difference).map_or_else(String::new, |d| {
                let half = x.and_then(half).map_or_else(|| "?".to_owned(), |h| format!("{:.digits$}", v(h)));
                format!("{:+.digits$} ±{half}", v(d))
            });
            FigureCell {
                evidence,
                pulls,
                value: headline.map_or_else(|| "–".into(), |h| format!("{:.digits$}", v(h))),
                gain,
                interval: interval.into_iter().chain(family).collect::<Vec<_>>().join("; "),
                verdict: match (headline, f) {
                    (None, Figure::FallOffPct) => "ends before",
                    (None, _) => "not covered",
                    _ => x
                        .filter(|x| x.difference.is_some() && (judged || x.ci95.is_none()))
                        .filter(|x| !matches!(x.verdict, Verdict::Gain | Verdict::Loss))
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
        largest: largest_asked(l, prefs)
            .iter()
            .map(|(q, within)| c.map_or_else(Default::default, |c| largest(c, *q, *within, prefs)))
            .collect(),
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

/// Where the largest gain is looked for: anywhere in each quantity shown, and within the band that a person typed.
fn largest_asked(l: &LineUp, prefs: &Prefs) -> Vec<(Quantity, Option<[f64; 2]>)> {
    let each = |q: &Quantity| [(*q, None), (*q, l.settings.band_rpm)];
    prefs.shown.quantities().iter().flat_map(each).filter(|a| a.1.is_none() || l.band_asked).collect()
}

/// Heads of these columns.
pub(super) fn largest_heads(l: &LineUp, prefs: &Prefs) -> Vec<String> {
    let head = |(q, within): &(Quantity, Option<[f64; 2]>)| {
        let place =
            within.map_or_else(|| "anywhere".to_owned(), |[a, b]| format!("from {a:.0} to {b:.0} rpm"));
        format!("largest gain in {} {place}, {} at rpm", q.label(), quantity_unit(*q, prefs))
    };
    largest_asked(l, prefs).iter().map(head).collect()
}

fn largest(c: &Comparison, q: Quantity, within: Option<[f64; 2]>, prefs: &Prefs) -> [String; 2] {
    let gains = c.gains(q);
    let found = within.map_or(gains.largest, |span| gains.curve.largest_within(span));
    let Some(g) = found else { return Default::default() };
    let verdict = match g.significant {
        Some(true) => "",
        Some(false) => "within the band: may be chance",
        None => "can't tell: no band",
    };
    let half = g.half.map_or_else(|| "?".to_owned(), |h| format!("{:.1}", in_quantity(q, h, prefs)));
    [format!("{:+.1} ±{half} at {:.0}", in_quantity(q, g.difference, prefs), g.rpm), verdict.to_owned()]
}

/// Figures that stand in columns: those a person chose, else peak and band mean of what is shown, and the figure the
/// sets are compared by. Single speeds have a table of their own.
pub(super) fn columns_shown(l: &LineUp, prefs: &Prefs, asked: &LineUpAsked) -> Vec<Figure> {
    let usual = |f: &Figure| {
        let plain = matches!(
            f,
            Figure::PeakPower | Figure::PeakTorque | Figure::BandMeanPower | Figure::BandMeanTorque
        );
        plain && prefs.shown.quantities().contains(&f.quantity()) || *f == asked.view
    };
    let chosen = |f: &Figure| if asked.columns.is_empty() { usual(f) } else { asked.columns.contains(f) };
    shown(l).into_iter().filter(chosen).collect()
}

/// Every figure there is as a link that shows or hides its column.
pub(super) fn column_links(
    l: &LineUp,
    hidden: &[(&'static str, String)],
    asked: &LineUpAsked,
    columns: &[Figure],
) -> Vec<AxisLink> {
    let link = |f: Figure| {
        let mut now: Vec<Figure> = columns.iter().copied().filter(|c| *c != f).collect();
        if !columns.contains(&f) {
            now.push(f);
        }
        let pairs: Vec<(&'static str, String)> =
            hidden.iter().cloned().chain(LineUpAsked { columns: now, ..asked.clone() }.pairs()).collect();
        format!("/line-up?{}#figures", listed_query(&pairs))
    };
    shown(l)
        .into_iter()
        .map(|f| AxisLink { href: link(f), label: f.label(), on: columns.contains(&f) })
        .collect()
}
