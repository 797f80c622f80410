//! Figures of a line-up: which there are, in which unit, what they are called, and where their evidence is.

use super::names::name_of;
use super::places::shown;
use crate::prefs::Prefs;
use crate::views::common::{Encoding, FigureAsked, SetTag, in_unit};
use jamjar_core::analysis::Figure;
use jamjar_workflow::evidence::read_at;
use jamjar_workflow::lineup::LineUp;

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
