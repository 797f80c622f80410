//! The ladder on a page: what each rung gave, and whether the next may be tried.

mod beside;
mod more;

use crate::prefs::Prefs;
use crate::views::Shell;
use crate::views::common::{Choice, Encoding, cylinder_words};
use crate::views::computed::PART_TORQUE;
use crate::views::lineage::gain_words;
use crate::views::lineup::{Fields, LineUpAsked, chart_of, tracks};
use askama::Template;
use beside::{BesideView, beside_view};
use jamjar_chart::{Dash, Paint, jar_svg, lineup_svg};
use jamjar_core::analysis::{Figure, Would};
use jamjar_core::limits::Severity;
use jamjar_core::words::{
    NextWords, boost_hold_sentences, chance, detune_sentence, limit_rule, next_rung_sentence, no_forecast,
    rung_words,
};
use jamjar_store::LadderWord;
use jamjar_workflow::ladder::{BOOST, Beside, Ladder, LadderOf, NextOf, NotForecast, Rung};
use more::{MoreRow, more_rows};

/// A rung in the table.
pub(crate) struct RungRow {
    pub(crate) href: String,
    pub(crate) jar: String,
    pub(crate) name: String,
    pub(crate) n: usize,
    pub(crate) power: String,
    pub(crate) step: String,
    pub(crate) expected: String,
    pub(crate) per_unit: String,
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
    /// Ladders of the same kind, to stand beside it.
    pub(crate) others: Vec<Choice>,
    pub(crate) beside: Option<BesideView>,
    /// What else each rung did, a row a channel.
    pub(crate) more: Vec<MoreRow>,
    /// The rungs over each other: power, and manifold pressure with its target.
    pub(crate) chart: String,
    /// The same as a line-up.
    pub(crate) line_up: String,
    /// What boost did on the rungs where it did not hold.
    pub(crate) holds: Vec<String>,
    /// Where the torque that a part is rated for is computed.
    pub(crate) part: String,
    /// Unit of the rungs, as it stands behind a number; and the next rung with it.
    pub(crate) step_unit: String,
    pub(crate) next_rung: String,
    pub(crate) next: String,
    pub(crate) rungs: Vec<RungRow>,
    pub(crate) forecasts: Vec<NextRow>,
    pub(crate) unit: &'static str,
}

/// A ladder as it stands in an address.
pub(crate) fn ladder_id(l: &LadderOf) -> String {
    serde_json::to_string(&(&l.rungs, &l.held)).unwrap_or_default()
}

/// A ladder out of an address: as it is written now, or as map, fuel, build and gear, which older links have.
pub(crate) fn read_ladder_id(text: &str) -> Result<LadderOf, serde_json::Error> {
    if let Ok((rungs, held)) = serde_json::from_str(text) {
        return Ok(LadderOf { rungs, held });
    }
    let old: [String; 4] = serde_json::from_str(text)?;
    let named = ["map", "fuel", "build", "gear"].into_iter().map(str::to_owned).zip(old);
    Ok(LadderOf { rungs: BOOST.into(), held: named.filter(|(_, v)| !v.is_empty()).collect() })
}

fn words(l: &LadderOf) -> String {
    let mut out = format!("{} on {}", l.said("map"), l.said("fuel"));
    for (factor, value) in l.held.iter().filter(|(k, _)| !["map", "fuel"].contains(&k.as_str())) {
        // A boost stands for itself: "120 kPa".
        out += &if factor == BOOST { format!(", {value}") } else { format!(", {factor} {value}") };
    }
    if l.rungs == BOOST { out } else { format!("{out}, by {}", l.rungs) }
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
            crate::views::common::jar_of(&r.set.verdicts),
            e.tone(set),
            &format!("l{}", set.id),
            Paint::Page,
        ),
        name: if r.name.is_empty() { "not said".into() } else { r.name.clone() },
        n: r.set.result.n(),
        power: of(r.set.result.figure(Figure::PeakPower).mean.map(|p| u.from_kw(p)), 1),
        step: r.step.as_ref().map_or_else(String::new, |s| gain_words(s, Figure::PeakPower, prefs)),
        expected: r.expected_kw.map_or_else(String::new, |p| format!("{:.1}", u.from_kw(p))),
        per_unit: r
            .per_unit
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
        Err(NotForecast::Too(why)) => format!("{word}: {}", no_forecast(*why, &l.unit)),
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

/// What a step is counted in.
fn unit_words(l: &Ladder) -> &str {
    if l.unit.is_empty() { "step" } else { &l.unit }
}

/// What boost did where it did not hold.
fn holds(l: &Ladder) -> Vec<String> {
    let told: Vec<_> = l.rungs.iter().filter_map(|r| Some((r.name.as_str(), r.hold?))).collect();
    boost_hold_sentences(&told)
}

/// The rungs over each other: power, and manifold pressure with its target.
fn chart(l: &Ladder, e: &Encoding, prefs: &Prefs) -> String {
    let (Some(all), Some(of)) = (&l.line_up, &l.of) else { return String::new() };
    let fields = Fields { lanes: "pressure", ..Fields::default() };
    // Back pressure has a column; beside boost and target of every rung nobody would find it.
    let mut channels = l.channels.clone();
    for own in &mut channels.sets {
        own.retain(|c, _| ["manifold_pressure", "boost_target"].contains(&c.as_str()));
    }
    let mut lanes = LineUpAsked::read(&fields).map(|a| tracks(all, &channels, &a, prefs)).unwrap_or_default();
    lanes.iter_mut().for_each(|t| t.tall = true);
    let mut out = chart_of(all, e, prefs, None, lanes);
    // All rungs are of one map on one fuel: what they differ in is their name, and a dash is a target.
    for (s, set) in out.series.iter_mut().zip(&all.sets) {
        s.name = set.set.config.factors().remove(&of.rungs).unwrap_or_default();
        s.detail.clear();
        s.dash = Dash(0);
    }
    out.lanes.clear();
    lineup_svg(&out, Paint::Page)
}

/// What the last step was worth, and whether pressure still pays.
fn worth(l: &Ladder, prefs: &Prefs) -> String {
    let [.., below, last] = l.rungs.as_slice() else { return String::new() };
    let Some((v, [a, b])) = last.per_unit else { return String::new() };
    let u = prefs.power;
    let half = u.from_kw(0.5 * (b - a));
    let said = format!(
        "From {} to {} each {} gave {:+.2} ± {half:.2} {}",
        below.name,
        last.name,
        unit_words(l),
        u.from_kw(v),
        u.label()
    );
    if b < 0.0 {
        format!("{said}: more of it takes power away.")
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
    let Some(of) = &l.of else { return String::new() };
    factors.insert(of.rungs.clone(), rung_words(next, &l.unit));
    serde_json::to_string(&factors).unwrap_or_default()
}

pub(crate) fn ladder_page(
    l: &Ladder,
    beside: Option<&Beside>,
    wanted: Option<f64>,
    e: &Encoding,
    prefs: &Prefs,
) -> LadderPage {
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
        (_, Some(next)) => next_rung_sentence(&rung_words(next, &l.unit), &said),
    };
    let warn = answer.ends_with("don't run.");
    let overridden = l.next.is_some_and(|n| l.word("override", Some(n)).is_some());
    let stopped = l.word("stop", None).is_some();
    let u = prefs.power;
    let say = |kw: f64| u.say(kw);
    let names: Vec<String> = l.rungs.iter().filter(|r| r.at.is_some()).map(|r| r.name.clone()).collect();
    let detune = wanted.map_or_else(String::new, |w| {
        let kw = w / u.from_kw(1.0);
        detune_sentence(&say(kw), l.detuned(kw), (&names, &l.unit), say)
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
        others: l
            .ladders
            .iter()
            .filter(|x| l.of.as_ref().is_some_and(|o| o.rungs == x.rungs && o != *x))
            .map(|x| Choice { id: ladder_id(x), label: words(x), on: beside.is_some_and(|b| b.of == *x) })
            .collect(),
        beside: beside.zip(l.of.as_ref()).map(|(b, own)| beside_view(own, b, l, prefs)),
        more: more_rows(&l.rungs, &l.vehicle, prefs),
        chart: chart(l, e, prefs),
        line_up: l.line_up.as_ref().map_or_else(String::new, |all| {
            let ids: Vec<String> = all.sets.iter().map(|s| s.set.id.to_string()).collect();
            format!("/line-up?sets={}&lanes=pressure", ids.join(","))
        }),
        holds: holds(l),
        part: format!("/vehicles/{}/computed?idea={PART_TORQUE}", l.vehicle.id),
        step_unit: unit_words(l).to_owned(),
        next_rung: l.next.map_or_else(String::new, |n| rung_words(n, &l.unit)),
        next: l.next.map_or_else(String::new, |n| rung_words(n, "")),
        rungs: l.rungs.iter().map(|r| row(r, e, prefs)).collect(),
        forecasts: l.forecasts.iter().map(|n| next_row(n, l, prefs)).collect(),
        unit: prefs.power.label(),
    }
}
