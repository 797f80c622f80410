//! The boost ladder on a page: what each rung gave, and whether the next may be tried.

use super::Shell;
use super::common::{Choice, Encoding, cylinder_words, signed};
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Paint, jar_svg};
use jamjar_core::analysis::{Figure, Would};
use jamjar_core::limits::Severity;
use jamjar_core::words::{NextWords, chance, detune_sentence, limit_rule, next_rung_sentence, no_forecast};
use jamjar_store::LadderWord;
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

/// What a person said of a ladder.
pub(crate) struct SaidRow {
    pub(crate) id: i64,
    pub(crate) words: String,
    pub(crate) by: String,
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
    /// Where it is usable; blank where nothing shows it.
    pub(crate) usable: String,
    /// What a wanted peak would take; blank where nobody asked.
    pub(crate) detune: String,
    pub(crate) wanted: String,
    /// The ladder as it stands in an address.
    pub(crate) of: String,
    /// What people said of it.
    pub(crate) said: Vec<SaidRow>,
    /// The forecast says not to run the next rung, and nobody has overridden it.
    pub(crate) refused: bool,
    /// The highest rung, by its name.
    pub(crate) top: String,
    /// The next rung as it would be planned; blank where it must not be.
    pub(crate) plan: String,
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

fn usable_words(l: &Ladder) -> String {
    let round = |v: f64| (v / 50.0).round() * 50.0;
    match l.usable() {
        Some([[a, b], [low, high]]) if a < b => format!(
            "Every rung holds nine tenths of its own peak from {:.0} to {:.0} rpm{}.",
            round(a),
            round(b),
            if (a - low).abs() < 100.0 && (b - high).abs() < 100.0 {
                String::new()
            } else {
                format!("; one or another from {:.0} to {:.0}", round(low), round(high))
            }
        ),
        Some(_) => "No engine speed has every rung at nine tenths of its peak: they peak apart.".into(),
        None => String::new(),
    }
}

fn said_row(w: &LadderWord, prefs: &Prefs) -> SaidRow {
    let words = match w.kind.as_str() {
        "stop" => format!("Stopped on purpose at {}: {}", w.at_rung, w.reason),
        _ => format!("Goes on to {} against its forecast: {}", w.at_rung, w.reason),
    };
    let by = format!("{}, {}", w.written_by, prefs.written.date(w.written_at.date()));
    SaidRow { id: w.id.unwrap_or_default(), words, by }
}

/// The next rung as a planned set: as the highest, at the next boost.
fn plan_of(l: &Ladder) -> String {
    let Some((top, next)) = l.rungs.last().zip(l.next) else { return String::new() };
    let mut factors = top.set.stored.set.config.factors();
    factors.insert("boost".into(), format!("{next:.0} kPa"));
    serde_json::to_string(&factors).unwrap_or_default()
}

pub(crate) fn ladder_page(l: &Ladder, wanted: Option<f64>, e: &Encoding, prefs: &Prefs) -> LadderPage {
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
    let overridden = l.next.is_some_and(|n| l.word("override", Some(n)).is_some());
    let stopped = l.word("stop", None).is_some();
    let u = prefs.power;
    let say = |kw: f64| u.say(kw);
    let names: Vec<String> = l.rungs.iter().filter(|r| r.at.is_some()).map(|r| r.name.clone()).collect();
    let detune = wanted.map_or_else(String::new, |w| {
        let kw = w / u.from_kw(1.0);
        detune_sentence(&say(kw), l.detuned(kw), &names, say)
    });
    LadderPage {
        shell: Shell::new(format!("Ladder, {}", l.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: l.vehicle.id,
        vehicle: l.vehicle.vehicle.name.clone(),
        answer,
        warn,
        worth: worth(l, prefs),
        usable: usable_words(l),
        detune,
        wanted: wanted.map_or_else(String::new, |w| w.to_string()),
        of: l.of.as_ref().map(ladder_id).unwrap_or_default(),
        said: l.said.iter().map(|w| said_row(w, prefs)).collect(),
        refused: warn && !overridden,
        top: l.rungs.last().map_or_else(String::new, |r| r.name.clone()),
        plan: if stopped || warn && !overridden { String::new() } else { plan_of(l) },
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
