//! Margins: limits against maps, blind spots, and which map should go home.

use super::Shell;
use super::common::{Choice, Column, Encoding, Matrix, cylinder_words, in_unit, matrix, unit_of};
use crate::pages::margins::FIGURES;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Front, FrontMark, Paint};
use jamjar_core::analysis::{Barred, Figure, Recommendation};
use jamjar_core::limits::{Blind, Severity, Verdict};
use jamjar_core::words::{About, Clause, Speech, recommendation, sentence_case};
use jamjar_workflow::margins::{Asked, Margins};
use std::sync::Arc;

/// A clause with where it leads; blank for none.
pub(crate) struct Linked {
    pub(crate) text: String,
    pub(crate) href: String,
}

/// A sensor to fit.
pub(crate) struct ToFit {
    pub(crate) what: String,
    pub(crate) because: String,
}

#[derive(Template)]
#[template(path = "margins.html")]
pub(crate) struct MarginsPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) day: String,
    /// The answer in one line.
    pub(crate) answer: String,
    pub(crate) warn: bool,
    pub(crate) matrix: Matrix,
    pub(crate) more: usize,
    pub(crate) fit: Vec<ToFit>,
    pub(crate) sentences: Vec<Vec<Linked>>,
    pub(crate) front: String,
    pub(crate) fuels: Vec<Choice>,
    pub(crate) builds: Vec<Choice>,
    pub(crate) figures: Vec<Choice>,
    pub(crate) least: String,
    pub(crate) unit: &'static str,
}

/// How many of the unit read in one of the figure's own.
pub(crate) fn figure_scale(f: Figure, prefs: &Prefs) -> f64 {
    in_unit(f, 1.0, prefs)
}

/// What tells sets apart beside map and fuel: boost, gear, build and extras, where they are not all the same.
fn apart(m: &Margins, i: usize) -> Vec<String> {
    let said = |(name, value): (&String, &String)| match name.as_str() {
        "gear" => format!("gear {value}"),
        "build" => format!("build {value}"),
        _ => value.clone(),
    };
    let own = m.sets[i].stored.set.config.factors();
    let tells = |(name, value): &(&String, &String)| {
        !matches!(name.as_str(), "map" | "fuel") && !value.is_empty() && m.varying.contains(*name)
    };
    own.iter().filter(tells).map(said).collect()
}

pub(super) fn name_of(m: &Margins, i: usize) -> String {
    let c = &m.sets[i].stored.set.config;
    let mut parts = vec![format!("{} on {}", c.map, c.fuel)];
    parts.extend(apart(m, i));
    parts.join(", ")
}

pub(crate) fn margins_page(m: &Margins, asked: &Asked, e: &Encoding, prefs: &Prefs) -> MarginsPage {
    let prefs = &prefs.fitting(&m.vehicle.vehicle.engine);
    let column = |i: usize| {
        let s = &m.sets[i];
        let c = &s.stored.set.config;
        let mut rest = vec![c.fuel.clone()];
        rest.extend(apart(m, i));
        Column {
            name: name_of(m, i),
            map: c.map.clone(),
            detail: rest.join(" · "),
            tone: e.tone(&s.stored.set).name(),
            factors: s.result.factors.clone(),
            verdicts: &s.verdicts,
            pulls: s.stored.pulls.iter().map(|p| p.0.id).zip(s.measured.iter().map(Arc::as_ref)).collect(),
        }
    };
    let columns: Vec<Column<'_>> = (0..m.sets.len()).map(column).collect();
    let (answer, warn) = answer(m);
    let figure = asked.figure.unwrap_or(Figure::PeakPower);
    let choice = |id: &str, label: &str, on: bool| Choice { id: id.into(), label: label.into(), on };
    let smallest = m.recommended.as_ref().map_or(jamjar_workflow::margins::SMALLEST, |r| r.wish.smallest);
    let day =
        asked.day.and(m.sets.first()).map(|s| prefs.written.date(s.stored.set.date)).unwrap_or_default();
    let links = Links { m, prefs, limits_at: String::new(), bases: &[] };
    MarginsPage {
        shell: Shell::new(format!("Margins, {}", m.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: m.vehicle.id,
        vehicle: m.vehicle.vehicle.name.clone(),
        day,
        answer,
        warn,
        matrix: matrix(&m.vehicle, &columns, prefs),
        more: m.more,
        fit: m.blind.iter().map(|b| to_fit(b, m)).collect(),
        sentences: m.recommended.as_ref().map_or_else(Vec::new, |r| links.sentences(r)),
        front: m.recommended.as_ref().map_or_else(String::new, |r| front(r, m, e, prefs)),
        fuels: m.fuels.iter().map(|f| choice(f, f, *f == m.wanted[0])).collect(),
        builds: m.builds.iter().map(|b| choice(b, b, *b == m.wanted[1])).collect(),
        figures: FIGURES.into_iter().map(|f| choice(f.id(), f.label(), f == figure)).collect(),
        least: format!("{:.1}", in_unit(figure, smallest, prefs)),
        unit: unit_of(figure, prefs),
    }
}

/// The worst thing first: what is over, what nobody measured, what is close.
fn answer(m: &Margins) -> (String, bool) {
    let stop = |id: &str| m.vehicle.limits.iter().any(|l| l.id == id && l.severity == Severity::Stop);
    let with = |v: Verdict| {
        let has = |i: &usize| m.sets[*i].verdicts.iter().any(|o| o.verdict == v && stop(&o.limit));
        (0..m.sets.len()).filter(has).collect::<Vec<_>>()
    };
    if m.sets.is_empty() {
        return ("No set has been pulled yet: there are no margins to show.".into(), false);
    }
    if m.vehicle.limits.is_empty() {
        return ("No limits are set for this vehicle, so nothing can be said of its margins.".into(), true);
    }
    let listed = |of: &[usize]| match of {
        [one] => name_of(m, *one),
        [a, b] => format!("{} and {}", name_of(m, *a), name_of(m, *b)),
        [a, rest @ ..] => format!("{} and {} more", name_of(m, *a), rest.len()),
        [] => String::new(),
    };
    let of = m.sets.len();
    let (over, unsure) = (with(Verdict::Over), {
        let mut all = with(Verdict::NotMeasured);
        all.extend(with(Verdict::CantTell));
        all.sort_unstable();
        all.dedup();
        all
    });
    let close = with(Verdict::Close);
    let mut parts = Vec::new();
    if !over.is_empty() {
        parts.push(format!("a stop limit is over in {} of {of} sets: {}", over.len(), listed(&over)));
    }
    if !unsure.is_empty() {
        parts.push(format!("in {} a stop limit was not measured or can't be told", unsure.len()));
    }
    if !close.is_empty() {
        parts.push(format!("close in {}", close.len()));
    }
    if parts.is_empty() {
        return (
            format!(
                "Every stop limit that was reached is clear in all {of} sets, as far as these sensors saw."
            ),
            false,
        );
    }
    (format!("{}.", sentence_case(&parts.join("; "))), !over.is_empty())
}

fn to_fit(b: &Blind, m: &Margins) -> ToFit {
    let stops = if b.stop { "stop" } else { "caution" };
    let n = b.limits.len();
    let limits =
        if n == 1 { format!("one {stops} limit waits for it") } else { format!("{n} limits wait for it") };
    let decides = match b.decides {
        0 if !b.stop => String::new(),
        0 => ", other sensors are missing there too".to_owned(),
        1 => ", it alone keeps one set from being judged".to_owned(),
        k => format!(", it alone keeps {k} sets from being judged"),
    };
    let sets = if b.sets.len() == m.sets.len() {
        "every set".to_owned()
    } else {
        format!("{} of {} sets", b.sets.len(), m.sets.len())
    };
    ToFit {
        what: sentence_case(&cylinder_words(&b.channel, &m.vehicle.sheet.cylinders)),
        because: format!("missing in {sets}: {limits}{decides}"),
    }
}

pub(super) struct Links<'a> {
    pub(super) m: &'a Margins,
    pub(super) prefs: &'a Prefs,
    /// The page on which limits are rows; blank where it is this one.
    pub(super) limits_at: String,
    /// For each set the one it is held against; empty where all are held against one.
    pub(super) bases: &'a [Option<i64>],
}

impl Links<'_> {
    pub(super) fn sentences(&self, r: &Recommendation) -> Vec<Vec<Linked>> {
        let name = |id: &str| {
            let i = self.m.sets.iter().position(|s| s.result.id == id);
            i.map_or_else(|| id.to_owned(), |i| name_of(self.m, i))
        };
        let speech = Speech { units: self.prefs.units(), name: &name };
        let said = recommendation(r, &self.m.results(), &self.m.vehicle.limits, &speech);
        let linked = |c: Clause| Linked { href: self.href(r, &c.about), text: c.text };
        said.into_iter().map(|s| s.into_iter().map(linked).collect()).collect()
    }

    fn href(&self, r: &Recommendation, about: &About) -> String {
        let id = |i: usize| self.m.sets[i].stored.set.id;
        match about {
            About::Nothing => String::new(),
            About::Set(i) => format!("/days/{}#set-{}", self.m.sets[*i].stored.set.day_id, id(*i)),
            About::Gain(i) if !self.bases.is_empty() => match self.bases[*i].filter(|b| *b != id(*i)) {
                Some(base) => format!("/line-up?sets={base},{}&base={base}", id(*i)),
                None => format!("/line-up?sets={}", id(*i)),
            },
            About::Gain(i) => match r.base.map(|b| r.candidates[b].set).filter(|b| b != i) {
                Some(base) => format!("/line-up?sets={},{}&base={}", id(base), id(*i), id(base)),
                None => format!("/line-up?sets={}", id(*i)),
            },
            About::Versus(a, b) => format!("/line-up?sets={},{}&base={}", id(*a), id(*b), id(*a)),
            About::Limit { limit, .. } => format!("{}#limit-{limit}", self.limits_at),
            About::Sensor(c) => format!("/vehicles/{}/limits/edit?channel={c}", self.m.vehicle.id),
        }
    }
}

pub(super) fn front(r: &Recommendation, m: &Margins, e: &Encoding, prefs: &Prefs) -> String {
    let read = |v: f64| in_unit(r.wish.figure, v, prefs);
    let bars_danger = |c: &jamjar_core::analysis::Candidate| {
        c.barred.iter().any(|b| matches!(b, Barred::Unmonitored { .. }))
    };
    // What is said of all is said of none.
    let all_unwatched = r.candidates.iter().all(bars_danger);
    let fuel_of = |c: &jamjar_core::analysis::Candidate| &m.sets[c.set].stored.set.config.fuel;
    let one_fuel = r.candidates.windows(2).all(|w| fuel_of(&w[0]) == fuel_of(&w[1]));
    let mark = |c: &jamjar_core::analysis::Candidate| {
        let set = &m.sets[c.set].stored.set;
        let unwatched = c.barred.iter().any(|b| matches!(b, Barred::Unmonitored { .. }));
        let fuel = if one_fuel { String::new() } else { format!(" {}", set.config.fuel) };
        // A target in words tells nothing apart here: only rungs are named.
        let rung = set.config.boost.contains(|c: char| c.is_ascii_digit());
        let boost = if rung { format!(" {}", set.config.boost) } else { String::new() };
        Some(FrontMark {
            label: format!(
                "{}{fuel}{boost}{}",
                set.config.map,
                if unwatched && !all_unwatched { ", unmonitored" } else { "" }
            ),
            colour: e.tone(set).name(),
            used: c.tightest.as_ref()?.1,
            gain: read(c.gain?),
            interval: c.interval.map(|i| i.map(read)),
            clear: c.barred.is_empty(),
            on_front: c.on_front && !unwatched,
        })
    };
    let marks: Vec<FrontMark> = r.candidates.iter().filter_map(mark).collect();
    if marks.len() < 2 {
        return String::new();
    }
    let value = format!("gain in {}, {}", r.wish.figure.label(), unit_of(r.wish.figure, prefs));
    Front { value, marks, smallest: read(r.wish.smallest) }.svg(Paint::Page)
}
