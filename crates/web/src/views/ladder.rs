//! The boost ladder on a page: what each rung gave, and whether the next may be tried.

use super::Shell;
use super::common::{Choice, Encoding, cylinder_words, signed};
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Paint, jar_svg};
use jamjar_core::analysis::{Figure, Would};
use jamjar_core::limits::Severity;
use jamjar_core::words::{NextWords, chance, limit_rule, next_rung_sentence, no_forecast};
use jamjar_workflow::ladder::{Ladder, LadderOf, NextOf, NotForecast, Rung};

/// A rung in the table.
pub(crate) struct RungRow {
    pub(crate) href: String,
    pub(crate) jar: String,
    pub(crate) name: String,
    pub(crate) n: usize,
    pub(crate) power: String,
    pub(crate) step: String,
    pub(crate) expected: String,
    pub(crate) per_kpa: String,
    pub(crate) boost: String,
    pub(crate) spool: String,
    pub(crate) overshoot: String,
    pub(crate) back: String,
    /// From 1.4 a caution, from 1.5 a reason to stop (domain, section 9).
    pub(crate) back_warn: bool,
}

/// A limit at the next rung.
pub(crate) struct NextRow {
    pub(crate) limit: String,
    pub(crate) rule: String,
    pub(crate) word: String,
    pub(crate) point: String,
    pub(crate) bound: String,
    pub(crate) p_over: String,
    pub(crate) warn: bool,
    pub(crate) loud: bool,
}

#[derive(Template)]
#[template(path = "ladder.html")]
pub(crate) struct LadderPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) answer: String,
    pub(crate) warn: bool,
    pub(crate) worth: String,
    pub(crate) what: String,
    pub(crate) ladders: Vec<Choice>,
    pub(crate) next: String,
    pub(crate) rungs: Vec<RungRow>,
    pub(crate) forecasts: Vec<NextRow>,
    pub(crate) unit: &'static str,
}

/// A ladder as it stands in an address.
pub(crate) fn ladder_id(l: &LadderOf) -> String {
    serde_json::to_string(&[&l.map, &l.fuel, &l.build, &l.gear]).unwrap_or_default()
}

fn words(l: &LadderOf) -> String {
    let mut out = format!("{} on {}", l.map, l.fuel);
    if !l.build.is_empty() {
        out += &format!(", build {}", l.build);
    }
    if !l.gear.is_empty() {
        out += &format!(", gear {}", l.gear);
    }
    out
}

fn row(r: &Rung, e: &Encoding, prefs: &Prefs) -> RungRow {
    let u = prefs.power;
    let of = |v: Option<f64>, decimals: usize| {
        v.map_or_else(|| "not measured".into(), |v| format!("{v:.decimals$}"))
    };
    let half = |ci: [f64; 2]| 0.5 * (ci[1] - ci[0]);
    let set = &r.set.stored.set;
    RungRow {
        href: format!("/days/{}#set-{}", set.day_id, set.id),
        jar: jar_svg(
            super::common::jar_of(&r.set.verdicts),
            e.tone(set),
            &format!("l{}", set.id),
            Paint::Page,
        ),
        name: if r.name.is_empty() { "not said".into() } else { r.name.clone() },
        n: r.set.result.n(),
        power: of(r.set.result.figure(Figure::PeakPower).mean.map(|p| u.from_kw(p)), 1),
        step: r.step.map_or_else(String::new, |s| {
            format!("{} ± {:.1}", signed(u.from_kw(s.difference)), u.from_kw(half(s.ci95)))
        }),
        expected: r.expected_kw.map_or_else(String::new, |p| format!("{:.1}", u.from_kw(p))),
        per_kpa: r
            .per_kpa
            .map_or_else(String::new, |(v, ci)| format!("{:+.2} ± {:.2}", u.from_kw(v), u.from_kw(half(ci)))),
        boost: match (r.boost_kpa, r.target_kpa) {
            (Some(b), Some(t)) => format!("{b:.0} of {t:.0}"),
            (Some(b), None) => format!("{b:.0}, target not logged"),
            _ => "not measured".into(),
        },
        spool: of(r.spool_rpm, 0),
        overshoot: of(r.overshoot_kpa, 0),
        back: of(r.back_ratio, 2),
        back_warn: r.back_ratio.is_some_and(|b| b >= 1.4),
    }
}

fn next_row(n: &NextOf, l: &Ladder, prefs: &Prefs) -> NextRow {
    let unit = prefs.units().shown(&n.limit.channel);
    let side = n.limit.direction.sign();
    let read = |excess: f64| {
        let over = side * excess;
        // A difference has no zero that would have to be named.
        let plain = unit.unit();
        let plain = plain.trim_end_matches(" absolute").trim_end_matches(" gauge");
        format!("{:+.*} {plain}", unit.digits, unit.value(over) - unit.value(0.0))
    };
    let (word, warn, loud) = match &n.forecast {
        Ok(f) => match f.would {
            Would::Cross => ("would cross", true, true),
            Would::PerhapsCross => ("could cross", true, true),
            Would::Close => {
                (if f.rungs < 3 { "close: two rungs never say clear" } else { "comes close" }, false, true)
            }
            Would::StayClear => ("stays clear", false, false),
        },
        Err(NotForecast::Unmeasured) => ("can't tell: not measured on every rung", false, true),
        Err(NotForecast::Too(_)) => ("can't tell", false, true),
    };
    let why = match &n.forecast {
        Err(NotForecast::Too(why)) => format!("{word}: {}", no_forecast(*why)),
        _ => word.to_owned(),
    };
    let f = n.forecast.as_ref().ok();
    NextRow {
        limit: cylinder_words(&n.limit.channel, &l.vehicle.sheet.cylinders)
            + if n.limit.starting_point { " (starting point)" } else { "" },
        rule: limit_rule(&n.limit, prefs.units()),
        word: why,
        point: f.map_or_else(String::new, |f| read(f.point)),
        bound: f.map_or_else(String::new, |f| read(f.bound)),
        p_over: f.map_or_else(String::new, |f| chance(f.p_over)),
        warn,
        loud,
    }
}

/// What the last step was worth, and whether pressure still pays.
fn worth(l: &Ladder, prefs: &Prefs) -> String {
    let [.., below, last] = l.rungs.as_slice() else { return String::new() };
    let Some((v, [a, b])) = last.per_kpa else { return String::new() };
    let u = prefs.power;
    let half = u.from_kw(0.5 * (b - a));
    let said = format!(
        "From {} to {} each kPa gave {:+.2} ± {half:.2} {}",
        below.name,
        last.name,
        u.from_kw(v),
        u.label()
    );
    if b < 0.0 {
        format!("{said}: more pressure takes power away.")
    } else if a <= 0.0 {
        format!("{said}: no gain is shown for the last step.")
    } else {
        format!("{said}.")
    }
}

pub(crate) fn ladder_page(l: &Ladder, e: &Encoding, prefs: &Prefs) -> LadderPage {
    let prefs = &prefs.fitting(&l.vehicle.vehicle.engine);
    let rules: Vec<(String, String)> = l
        .forecasts
        .iter()
        .map(|n| {
            let name = cylinder_words(&n.limit.channel, &l.vehicle.sheet.cylinders);
            (name, limit_rule(&n.limit, prefs.units()))
        })
        .collect();
    let said: Vec<_> = l
        .forecasts
        .iter()
        .zip(&rules)
        .map(|(n, (name, rule))| {
            let threshold = rule.trim_start_matches("above ").trim_start_matches("below ");
            // What nobody looked at for this engine stops nothing by itself.
            let stop = n.limit.severity == Severity::Stop && !n.limit.starting_point;
            (NextWords { name, threshold, rpm: n.rpm, stop }, n.forecast.ok())
        })
        .collect();
    let answer = match (l.rungs.len(), l.next) {
        (0, _) => {
            "No map of this vehicle was pulled at two boost targets yet: there is no ladder.".to_owned()
        }
        (1, _) | (_, None) => "One rung shows no slope: nothing is forecast.".to_owned(),
        (_, Some(next)) => next_rung_sentence(next, &said),
    };
    let warn = answer.ends_with("don't run.");
    LadderPage {
        shell: Shell::new(format!("Ladder, {}", l.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: l.vehicle.id,
        vehicle: l.vehicle.vehicle.name.clone(),
        answer,
        warn,
        worth: worth(l, prefs),
        what: l.of.as_ref().map(words).unwrap_or_default(),
        ladders: l
            .ladders
            .iter()
            .map(|x| Choice { id: ladder_id(x), label: words(x), on: l.of.as_ref() == Some(x) })
            .collect(),
        next: l.next.map_or_else(String::new, |n| format!("{n:.0}")),
        rungs: l.rungs.iter().map(|r| row(r, e, prefs)).collect(),
        forecasts: l.forecasts.iter().map(|n| next_row(n, l, prefs)).collect(),
        unit: prefs.power.label(),
    }
}
