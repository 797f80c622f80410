//! The Shelf: which map, on which fuel, at which boost gave what and used how much of its margins, at a glance.

use super::common::{Choice, Encoding, count, cylinder_words, in_unit, jar_of, query_of, signed, unit_of};
use super::{Shell, ladder_id};
use crate::pages::margins::FIGURES;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Jar, Paint, Tone, jar_svg};
use jamjar_core::analysis::{Figure, FigureComparison, Verdict, Would};
use jamjar_core::factors::Factors;
use jamjar_core::limits::{Severity, Verdict as LimitVerdict, judged};
use jamjar_core::words::{NextWords, next_rung_short, sentence_case};
use jamjar_workflow::ladder::{BOOST, LadderOf};
use jamjar_workflow::shelf::{Asked, OnShelf, Shelf, Spot};

/// A jar as it stands.
pub(crate) struct JarView {
    pub(crate) svg: String,
    pub(crate) set: i64,
    pub(crate) href: String,
    pub(crate) rung: String,
    /// "+18.0 ± 0.8", or what it makes where it is the baseline.
    pub(crate) label: String,
    pub(crate) n: usize,
    /// The word for its margins, in front of everything else.
    pub(crate) margin: String,
    pub(crate) warn: bool,
    pub(crate) loud: bool,
    pub(crate) hides: usize,
    /// The whole of it for who hears the page.
    pub(crate) spoken: String,
}

/// A spot: its jars, or what would stand there.
pub(crate) struct SpotView {
    pub(crate) jars: Vec<JarView>,
    /// The configuration as the plan takes it, where nothing was pulled.
    pub(crate) plan: String,
    pub(crate) plan_words: String,
    /// The rung above the highest: its name, what it would do, and the ladder; blank where there is no forecast.
    pub(crate) next: Option<NextJar>,
}

/// A rung nobody pulled, with its forecast.
pub(crate) struct NextJar {
    pub(crate) rung: String,
    pub(crate) words: String,
    pub(crate) href: String,
    pub(crate) warn: bool,
}

pub(crate) struct ShelfRow {
    pub(crate) name: String,
    pub(crate) tone: &'static str,
    pub(crate) spots: Vec<SpotView>,
}

#[derive(Template)]
#[template(path = "shelf.html")]
pub(crate) struct ShelfPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) answer: String,
    pub(crate) second: String,
    pub(crate) columns: Vec<String>,
    pub(crate) rows: Vec<ShelfRow>,
    pub(crate) unit: &'static str,
    pub(crate) empty: String,
    pub(crate) axes: [Vec<Choice>; 3],
    pub(crate) builds: Vec<Choice>,
    pub(crate) gears: Vec<Choice>,
    pub(crate) figures: Vec<Choice>,
    pub(crate) count: String,
    pub(crate) more: usize,
    /// Too many for whole sentences at each jar.
    pub(crate) dense: bool,
    /// Those that stand on no baseline of their day, in a sentence; blank where all do.
    pub(crate) unbased: String,
}

/// From so many jars on labels are short (our choice: what fits three screens then).
const DENSE: usize = 60;

/// A gain with its interval, in the unit read.
fn gain(f: &FigureComparison, figure: Figure, prefs: &Prefs) -> String {
    let read = |v: f64| in_unit(figure, v, prefs);
    match (f.mean_difference.or(f.difference), f.ci95) {
        (Some(d), Some([a, b])) => format!("{} ± {:.1}", signed(read(d)), read(0.5 * (b - a))),
        (Some(d), None) => format!("{}, no interval", signed(read(d))),
        (None, _) => "can't tell".into(),
    }
}

/// How its tightest limit stands: the words, two of them where `short`, whether it is over, whether it is anything but
/// clear.
fn margin(s: &OnShelf, v: &jamjar_store::VehicleRecord, short: bool) -> (String, bool, bool) {
    let mut all: Vec<_> = judged(&s.set.verdicts, &v.limits).collect();
    all.sort_by_key(|j| j.1.verdict);
    let Some((limit, worst)) = all.first() else {
        return (if short { "no limits" } else { "no limits set" }.into(), false, true);
    };
    let missing = |verdict: LimitVerdict| all.iter().filter(|j| j.1.verdict == verdict).count();
    let name = limit.channel.label();
    match worst.verdict {
        LimitVerdict::Over => (format!("over: {name}"), true, true),
        LimitVerdict::CantTell => (format!("can't tell: {name}"), false, true),
        LimitVerdict::NotMeasured => {
            let n = missing(LimitVerdict::NotMeasured);
            let one = n == 1 && !short;
            (if one { format!("{name} not measured") } else { format!("{n} not measured") }, false, true)
        }
        LimitVerdict::NotReached if short => ("not reached".into(), false, true),
        LimitVerdict::NotReached => (format!("{name}: its gate was never reached"), false, true),
        LimitVerdict::Close | LimitVerdict::Clear => {
            let used = all.iter().filter_map(|j| Some((j.0.channel.label(), j.1.share_used?)));
            let tight = used.max_by(|a, b| a.1.total_cmp(&b.1));
            let close = all.iter().any(|j| j.1.verdict == LimitVerdict::Close);
            let word = if close { "close" } else { "clear" };
            let said = tight.map_or_else(
                || word.to_owned(),
                |(name, u)| {
                    let of = if short { String::new() } else { format!(" of {name}") };
                    format!("{word}, {:.0} %{of}", 100.0 * u.max(0.0))
                },
            );
            (said, false, close)
        }
    }
}

/// Whether every stop limit was measured and kept.
fn kept(s: &OnShelf, v: &jamjar_store::VehicleRecord) -> bool {
    let stops: Vec<_> =
        judged(&s.set.verdicts, &v.limits).filter(|j| j.0.severity == Severity::Stop).collect();
    !stops.is_empty() && stops.iter().all(|j| j.1.verdict.is_kept())
}

fn place(s: &Shelf, i: usize, j: usize, rung: &str) -> String {
    let said = |factor: &str, value: &str| match (factor, value) {
        (_, "") => format!("no {factor}"),
        ("map" | "fuel", v) => v.to_owned(),
        (f, v) => format!("{f} {v}"),
    };
    let mut parts = vec![said(&s.axes[0], &s.rows[i]), said(&s.axes[1], &s.columns[j])];
    if !rung.is_empty() {
        parts.push(said(&s.axes[2], rung));
    }
    parts.join(", ")
}

fn jar_view(
    s: &Shelf,
    (i, j): (usize, usize),
    o: &OnShelf,
    (figure, e, prefs): (Figure, &Encoding, &Prefs),
    dense: bool,
) -> JarView {
    let set = &o.set.stored.set;
    let (words, warn, loud) = margin(o, &s.vehicle, false);
    let jar = match jar_of(&o.set.verdicts) {
        // Pulled with nothing to judge it by is unmonitored; empty is what was not pulled.
        Jar::NoLimits => Jar::Unmonitored,
        jar => jar,
    };
    let makes = || {
        let v = o.set.result.figure(figure).headline;
        v.map_or_else(
            || "no figure".into(),
            |v| format!("{:.1} {}", in_unit(figure, v, prefs), unit_of(figure, prefs)),
        )
    };
    let label = match &o.gain {
        Some(g) => gain(g, figure, prefs),
        None if o.is_base => makes(),
        None => format!("{}, no baseline that day", makes()),
    };
    let shown = match o.gain.as_ref().map(|g| g.verdict) {
        Some(Verdict::NoDifferenceShown) => format!("{label}: no difference shown"),
        Some(Verdict::CantTell) if !label.contains("can't tell") => format!("{label}: can't tell"),
        Some(Verdict::ProvisionalGain | Verdict::ProvisionalLoss) => format!("{label}, provisional"),
        _ if o.is_base => format!("baseline, {label}"),
        _ => label,
    };
    let n = o.set.result.n();
    JarView {
        svg: jar_svg(jar, e.tone(set), &format!("s{}", set.id), Paint::Page),
        set: set.id,
        href: format!("/days/{}#set-{}", set.day_id, set.id),
        rung: o.rung.clone(),
        spoken: format!("{}: {shown}, {}, {words}", place(s, i, j, &o.rung), count(n, "pull")),
        label: match &o.gain {
            Some(g) if dense && g.verdict == Verdict::CantTell => "can't tell".into(),
            Some(g) if dense => gain(g, figure, prefs),
            None if dense => makes(),
            _ => shown,
        },
        n,
        margin: if dense { margin(o, &s.vehicle, true).0 } else { words },
        warn,
        loud,
        hides: o.hides,
    }
}

/// The rung above the highest of a spot.
fn next_jar(s: &Shelf, spot: &Spot) -> Option<NextJar> {
    let (at, forecasts) = spot.next.as_ref()?;
    let top = &spot.jars.last()?.set.stored;
    let names: Vec<String> =
        forecasts.iter().map(|n| cylinder_words(&n.limit.channel, &s.vehicle.sheet.cylinders)).collect();
    let said: Vec<_> = forecasts
        .iter()
        .zip(&names)
        .map(|(n, name)| (NextWords { name, threshold: "", rpm: n.rpm, stop: true }, n.forecast.ok()))
        .collect();
    let of = ladder_id(&LadderOf::of(top, BOOST)?);
    Some(NextJar {
        rung: format!("{at:.0} kPa"),
        words: next_rung_short(&said),
        href: format!("/vehicles/{}/ladder?{}", s.vehicle.id, query_of(&[("of", of)])),
        warn: said.iter().any(|(_, f)| f.as_ref().is_some_and(|f| f.would == Would::Cross)),
    })
}

/// The best that kept its limits, and the larger gain that did not.
fn answers(s: &Shelf, figure: Figure, prefs: &Prefs) -> (String, String) {
    let all = s.spots.iter().enumerate().flat_map(|(i, row)| {
        row.iter().enumerate().flat_map(move |(j, spot)| spot.jars.iter().map(move |o| (i, j, o)))
    });
    let gained: Vec<_> = all
        .filter_map(|(i, j, o)| {
            let g = o.gain.as_ref().filter(|g| g.verdict == Verdict::Gain)?;
            Some((g.mean_difference?, (i, j), o))
        })
        .collect();
    let best = |kept_only: bool| {
        let fits = gained.iter().filter(|g| !kept_only || kept(g.2, &s.vehicle));
        fits.max_by(|a, b| a.0.total_cmp(&b.0))
    };
    let words = |g: &(f64, (usize, usize), &OnShelf)| {
        let f = g.2.gain.as_ref().map_or_else(String::new, |f| gain(f, figure, prefs));
        format!("{}: {f} {} of {}", place(s, g.1.0, g.1.1, &g.2.rung), unit_of(figure, prefs), figure.label())
    };
    match (best(true), best(false)) {
        (Some(k), Some(any)) => {
            let second = if any.0 > k.0 {
                format!("More was gained by {}; {}.", words(any), margin(any.2, &s.vehicle, false).0)
            } else {
                String::new()
            };
            // A kept limit may be a close one: it is said in the same breath.
            let first = format!(
                "most with every stop limit measured and kept is {}; {}.",
                words(k),
                margin(k.2, &s.vehicle, false).0
            );
            (sentence_case(&first), second)
        }
        (None, Some(any)) => (
            "Nothing that gained has every stop limit measured and kept.".into(),
            format!("The most was gained by {}; {}.", words(any), margin(any.2, &s.vehicle, false).0),
        ),
        _ if s.jars().all(|o| o.is_base || o.gain.is_none()) => {
            ("Nothing here can be held against a baseline of its own day and gear.".into(), String::new())
        }
        _ => ("No gain is shown by anything that was pulled.".into(), String::new()),
    }
}

pub(crate) fn shelf_page(s: &Shelf, asked: &Asked, e: &Encoding, prefs: &Prefs) -> ShelfPage {
    let prefs = &prefs.fitting(&s.vehicle.vehicle.engine);
    let figure = asked.figure.unwrap_or(Figure::PeakPower);
    let choice = |id: &str, label: String, on: bool| Choice { id: id.into(), label, on };
    let plan = |i: usize, j: usize| {
        let mut f = Factors::new();
        f.insert(s.axes[0].clone(), s.rows[i].clone());
        f.insert(s.axes[1].clone(), s.columns[j].clone());
        if !s.build.is_empty() {
            f.insert("build".into(), s.build.clone());
        }
        if !s.gear.is_empty() {
            f.insert("gear".into(), s.gear.clone());
        }
        f.retain(|_, v| !v.is_empty());
        serde_json::to_string(&f).unwrap_or_default()
    };
    let (dense, unbased) =
        (s.jars().count() > DENSE, s.jars().filter(|o| !o.is_base && o.gain.is_none()).count());
    let spot = |i: usize, j: usize| SpotView {
        jars: s.spots[i][j].jars.iter().map(|o| jar_view(s, (i, j), o, (figure, e, prefs), dense)).collect(),
        plan: if s.spots[i][j].jars.is_empty() { plan(i, j) } else { String::new() },
        plan_words: place(s, i, j, ""),
        next: next_jar(s, &s.spots[i][j]),
    };
    let tone = |i: usize| {
        let first = s.spots[i].iter().flat_map(|c| &c.jars).next();
        first.filter(|_| s.axes[0] == "map").map_or(Tone::Ink, |o| e.tone(&o.set.stored.set)).name()
    };
    let (answer, second) = if s.rows.is_empty() {
        ("Nothing has been pulled yet.".into(), String::new())
    } else {
        answers(s, figure, prefs)
    };
    let axis = |k: usize| s.factors.iter().map(|f| choice(f, f.clone(), *f == s.axes[k])).collect::<Vec<_>>();
    let narrowed = |all: &[String], chosen: &String| {
        let mut out: Vec<Choice> = all.iter().map(|v| choice(v, v.clone(), v == chosen)).collect();
        out.insert(0, choice("all", "every one".into(), chosen.is_empty()));
        out
    };
    ShelfPage {
        shell: Shell::new(format!("The Shelf, {}", s.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: s.vehicle.id,
        vehicle: s.vehicle.vehicle.name.clone(),
        answer,
        second,
        columns: s.columns.iter().map(|c| if c.is_empty() { "not said".into() } else { c.clone() }).collect(),
        rows: (0..s.rows.len())
            .map(|i| ShelfRow {
                name: if s.rows[i].is_empty() { "not said".into() } else { s.rows[i].clone() },
                tone: tone(i),
                spots: (0..s.columns.len()).map(|j| spot(i, j)).collect(),
            })
            .collect(),
        unit: unit_of(figure, prefs),
        empty: jar_svg(Jar::NotPulled, Tone::Ink, "empty", Paint::Page),
        axes: [axis(0), axis(1), axis(2)],
        builds: narrowed(&s.builds, &s.build),
        gears: narrowed(&s.gears, &s.gear),
        figures: FIGURES.into_iter().map(|f| choice(f.id(), f.label().into(), f == figure)).collect(),
        count: count(s.configurations, "configuration"),
        more: s.more,
        dense,
        unbased: if dense && unbased > 0 {
            format!(
                "{unbased} of them stand on no baseline of their day and gear: what they made is shown, and no gain."
            )
        } else {
            String::new()
        },
    }
}
