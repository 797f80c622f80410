//! A day's plan: the order over the clock, each stop with what goes before it and what it lets say, and what it reckons with.

mod reckoned;

use reckoned::{Reckoned, heat_words, reckoned, scatter_words};

use super::common::Encoding;
use super::{Shell, Typed};
use crate::prefs::Prefs;
use askama::Template;
use chrono::{NaiveTime, TimeDelta, Timelike};
use jamjar_chart::{DayPlanChart, Paint, PlanBand, PlanBlock, Tone};
use jamjar_core::factors::{Factors, USUAL};
use jamjar_core::planning::{Known, Ran, Short, Step, Stop, Withheld};
use jamjar_core::words::{
    day_sentence, gap_sentence, known_sentence, lasts, sentence_case, volume_words, withheld_words,
};
use jamjar_store::{Day, KeptPlan, VehicleRecord};
use jamjar_workflow::planned::{Asked, PlannedDay};
use std::collections::BTreeMap;

/// One stop.
pub(crate) struct StopRow {
    /// Id of the plan's line; `None` for a baseline.
    pub(crate) id: Option<i64>,
    pub(crate) begins: String,
    pub(crate) ends: String,
    pub(crate) name: String,
    pub(crate) tone: &'static str,
    pub(crate) baseline: bool,
    pub(crate) pulls: u32,
    /// What goes before its first pull.
    pub(crate) before: String,
    pub(crate) level: String,
    pub(crate) known: String,
    /// Orders with this set one place earlier and later; blank where it cannot be.
    pub(crate) earlier: String,
    pub(crate) later: String,
}

#[derive(Template)]
#[template(path = "planned.html")]
pub(crate) struct PlannedPage {
    pub(crate) shell: Shell,
    pub(crate) day_id: i64,
    pub(crate) day: String,
    pub(crate) vehicle_id: i64,
    pub(crate) vehicle: String,
    /// The answer.
    pub(crate) sentence: String,
    pub(crate) gap: String,
    /// What it lacks, and what to drop for it.
    pub(crate) lacks: Vec<String>,
    pub(crate) picture: String,
    pub(crate) stops: Vec<StopRow>,
    pub(crate) withheld: Vec<String>,
    pub(crate) fuels: Vec<String>,
    /// Where the numbers of pulls come from.
    pub(crate) scatter: String,
    pub(crate) heat: String,
    pub(crate) first: Vec<Reckoned>,
    pub(crate) rest: Vec<Reckoned>,
    pub(crate) problem: String,
    /// The quickest order's address, where another is shown.
    pub(crate) quickest: String,
    pub(crate) own_order: String,
    /// An order that was asked for and cannot be.
    pub(crate) cannot: bool,
    /// Who kept a plan of this day, and when; blank where nobody did.
    pub(crate) kept: String,
    /// That is the plan shown.
    pub(crate) is_kept: bool,
}

fn name_of(f: &Factors) -> String {
    let shown = |k: &&str| f.get(*k).filter(|v| !v.is_empty() && *v != "as mapped").cloned();
    USUAL[..3].iter().filter_map(shown).collect::<Vec<_>>().join(" ")
}

/// Without its fuel, which stands below it in the picture.
fn short_name(f: &Factors) -> String {
    name_of(&f.iter().filter(|(k, _)| *k != "fuel").map(|(k, v)| (k.clone(), v.clone())).collect())
}

/// A time of day so many minutes later.
fn clock(from: NaiveTime, minutes: f64) -> String {
    let (at, days) = from.overflowing_add_signed(TimeDelta::seconds((minutes * 60.0).round() as i64));
    let next = if days > 0 { " the next day" } else { "" };
    format!("{}{next}", at.format("%H:%M"))
}

struct View<'a> {
    p: &'a PlannedDay,
    typed: &'a Typed,
    prefs: &'a Prefs,
    e: &'a Encoding,
    day_id: i64,
}

impl View<'_> {
    fn name(&self, i: usize) -> String {
        name_of(&self.p.sets[i].factors)
    }

    fn factors(&self, step: Step) -> &Factors {
        match step {
            Step::Baseline => &self.p.baseline,
            Step::Set(i) => &self.p.sets[i].factors,
        }
    }

    fn tone(&self, step: Step) -> Tone {
        let kind = if step == Step::Baseline { "stock" } else { "" };
        let map = self.factors(step).get("map").map_or("", String::as_str);
        self.e.map_tone(map, if map.eq_ignore_ascii_case("stock") { "stock" } else { kind })
    }

    fn volume(&self, litres: f64) -> String {
        volume_words(litres, self.prefs.volume)
    }

    /// What goes before the pulls of a stop, in the order in which it is done.
    fn before(&self, s: &Stop) -> String {
        let f = self.factors(s.step);
        let said = |k: &str| f.get(k).map_or("", String::as_str);
        let mut parts = Vec::new();
        if s.refuel_min > 0.0 {
            parts.push(format!(
                "drain, rinse with {}, fill {} to {} ({})",
                self.volume(s.rinsed),
                said("fuel"),
                self.volume(s.level + s.burnt),
                lasts(s.refuel_min)
            ));
        } else if s.poured > 0.05 {
            parts.push(format!("{} of {} on top", self.volume(s.poured), said("fuel")));
        }
        if s.flash_min > 0.0 {
            parts.push(format!("flash {} ({})", said("map"), lasts(s.flash_min)));
        }
        if s.warm_up_min > 0.0 {
            parts.push(format!("warm up ({})", lasts(s.warm_up_min)));
        }
        parts.join(", ")
    }

    /// The address of the same plan in another order.
    fn address(&self, order: &[i64]) -> String {
        let mut q = form_urlencoded::Serializer::new(String::new());
        let mut typed: Vec<_> = self.typed.0.iter().filter(|(k, v)| *k != "order" && !v.is_empty()).collect();
        typed.sort();
        q.extend_pairs(typed);
        let ids: Vec<String> = order.iter().map(i64::to_string).collect();
        // An address that says nothing is that of the plan that was kept.
        q.append_pair("order", &ids.join(","));
        format!("/days/{}/plan?{}", self.day_id, q.finish())
    }

    fn stops(&self) -> Vec<StopRow> {
        let plan = self.p.plan();
        let order: Vec<usize> = plan
            .stops
            .iter()
            .filter_map(|s| if let Step::Set(i) = s.step { Some(i) } else { None })
            .collect();
        // An order that cannot be is not offered: a rung before a lower one.
        let moved = |at: usize, to: Option<usize>| {
            let to = to.filter(|t| *t < order.len())?;
            let mut other = order.clone();
            other.swap(at, to);
            self.p.quickest.reordered(&other, &self.p.wanted, &self.p.cell)?;
            Some(self.address(&other.iter().map(|i| self.p.sets[*i].id).collect::<Vec<_>>()))
        };
        let kw = |v: f64| self.prefs.power.say(v);
        let row = |(k, s): (usize, &Stop)| {
            // What the stop before it let say already is not said again.
            let before: &[Known] = k.checked_sub(1).map_or(&[], |b| plan.stops[b].known.as_slice());
            let adds: Vec<Known> = s.known.iter().filter(|x| !before.contains(x)).copied().collect();
            let at = match s.step {
                Step::Set(i) => order.iter().position(|k| *k == i),
                Step::Baseline => None,
            };
            StopRow {
                id: at.map(|a| self.p.sets[order[a]].id),
                begins: clock(self.p.begins, s.begins),
                ends: clock(self.p.begins, s.ends),
                name: name_of(self.factors(s.step)),
                tone: self.tone(s.step).name(),
                baseline: s.step == Step::Baseline,
                pulls: s.pulls,
                before: self.before(s),
                level: self.volume(s.level),
                known: known_sentence(
                    &adds,
                    |i| self.p.wanted[i].pulls,
                    |i| self.name(i),
                    self.p.scatter.map(|x| x.sd_kw),
                    kw,
                ),
                earlier: at.and_then(|a| moved(a, a.checked_sub(1))).unwrap_or_default(),
                later: at.and_then(|a| moved(a, Some(a + 1))).unwrap_or_default(),
            }
        };
        plan.stops.iter().enumerate().map(row).collect()
    }

    fn picture(&self, asked: &Asked) -> String {
        let plan = self.p.plan();
        let blocks = plan.stops.iter().map(|s| PlanBlock {
            label: short_name(self.factors(s.step)),
            tone: self.tone(s.step),
            pulls: [s.ends - s.pulls_min, s.ends],
            baseline: s.step == Step::Baseline,
        });
        let bands = |what: &str, work: &dyn Fn(&Stop) -> f64, before: &dyn Fn(&Stop) -> f64| {
            let mut out: Vec<PlanBand> = Vec::new();
            for s in &plan.stops {
                let label = self.factors(s.step).get(what).cloned().unwrap_or_default();
                match out.last_mut().filter(|b| b.label == label) {
                    Some(b) => b.minutes[2] = s.ends,
                    None => {
                        let from = s.begins + before(s);
                        let tone = if what == "map" { self.tone(s.step) } else { Tone::Ink };
                        out.push(PlanBand { label, tone, minutes: [from, from + work(s), s.ends] });
                    }
                }
            }
            out
        };
        let chart = DayPlanChart {
            begins: f64::from(self.p.begins.num_seconds_from_midnight()) / 60.0,
            blocks: blocks.collect(),
            fuels: bands("fuel", &|s| s.refuel_min, &|_| 0.0),
            maps: bands("map", &|s| s.flash_min, &|s| s.refuel_min),
            until: asked.hours.map(|h| h * 60.0),
            words: day_sentence(plan),
        };
        chart.svg(Paint::Page)
    }

    /// What there is too little of, and which wish to drop.
    fn lacks(&self) -> Vec<String> {
        let short = |s: &Short| match s {
            Short::Time(m) => format!("It takes {} longer than there is.", lasts(*m)),
            Short::Fuel(f, l) => {
                format!("{} of {} are lacking.", sentence_case(&self.volume(*l)), self.p.fuels[*f])
            }
        };
        let mut out: Vec<String> = self.p.short.iter().map(short).collect();
        let names = |sets: &[usize]| sets.iter().map(|i| self.name(*i)).collect::<Vec<_>>().join(" and ");
        let drops: Vec<String> = self
            .p
            .drops
            .iter()
            .take(3)
            .map(|d| format!("{} ({} then)", names(&d.sets), lasts(d.minutes)))
            .collect();
        if !drops.is_empty() {
            out.push(format!("It fits without {}.", drops.join(", or without ")));
        }
        out
    }

    fn withheld(&self) -> Vec<String> {
        let plan = self.p.plan();
        let words = |h: &Withheld| {
            let set = &self.p.sets[h.wanted];
            let lower = set.lower.as_ref();
            let lower = lower.map(|(boost, on)| format!("{boost} on {}", self.prefs.written.date(*on)));
            let why = withheld_words(h.why, set.meant_for.as_deref(), lower.as_deref(), |i| self.name(i));
            format!("{}: {why}", self.name(h.wanted))
        };
        let ran = (0..self.p.wanted.len()).filter(|&i| self.p.wanted[i].ran != Ran::Not).map(|i| {
            let clear = self.p.wanted[i].ran == Ran::Clear;
            let how = if clear {
                "every stop limit watched and clear"
            } else {
                "not every stop limit watched and clear"
            };
            format!("{}: pulled, {how}", self.name(i))
        });
        plan.withheld.iter().map(words).chain(ran).collect()
    }

    fn fuels(&self) -> Vec<String> {
        let plan = self.p.plan();
        let words = |i: usize| {
            let hand = match self.p.cell.fuels[i].litres {
                Some(l) => format!("{} on hand", self.volume(l)),
                None => "how much is on hand nobody wrote down".into(),
            };
            format!(
                "{}: {} poured with what rinsing takes and what stays in the tank; {hand}",
                self.p.fuels[i],
                self.volume(plan.poured[i])
            )
        };
        let mut out: Vec<String> =
            (0..plan.poured.len()).filter(|&i| plan.poured[i] > 0.0).map(words).collect();
        if !out.is_empty() {
            let now = &self.p.cell.now;
            out.push(match now.fuel.filter(|_| now.level_l > 0.0) {
                Some(f) => format!(
                    "{} of {} are in the tank now at least, by what was poured and pulled; they are poured no second time.",
                    sentence_case(&self.volume(now.level_l)),
                    self.p.fuels[f]
                ),
                None => "What is in the tank now is counted as nothing.".into(),
            });
        }
        out
    }
}

/// Whether what is typed is what was kept; time that has passed makes no other plan.
fn same(kept: &BTreeMap<String, String>, typed: &Typed) -> bool {
    let timeless = |k: &str| k != "begins" && k != "hours";
    let said = typed.0.iter().filter(|(k, v)| timeless(k) && !v.is_empty());
    said.map(|(k, v)| (k.as_str(), v.as_str())).collect::<BTreeMap<_, _>>()
        == kept.iter().filter(|(k, _)| timeless(k)).map(|(k, v)| (k.as_str(), v.as_str())).collect()
}

pub(crate) fn planned_page(
    day: &Day,
    vehicle: &VehicleRecord,
    planned: Option<&PlannedDay>,
    (asked, kept): (&Asked, Option<&KeptPlan>),
    (typed, problem): (Typed, String),
    e: &Encoding,
    prefs: &Prefs,
) -> PlannedPage {
    let (first, rest) = reckoned(asked, &typed, prefs);
    let date = prefs.written.date(day.date);
    let mut out = PlannedPage {
        shell: Shell::new(format!("Plan of {date}, {}", vehicle.vehicle.name), &prefs.theme, "workshop"),
        day_id: day.id,
        day: date,
        vehicle_id: vehicle.id,
        vehicle: vehicle.vehicle.name.clone(),
        sentence: String::new(),
        gap: String::new(),
        lacks: Vec::new(),
        picture: String::new(),
        stops: Vec::new(),
        withheld: Vec::new(),
        fuels: Vec::new(),
        scatter: String::new(),
        heat: String::new(),
        first,
        rest,
        problem,
        quickest: String::new(),
        own_order: typed.of("order").to_owned(),
        cannot: false,
        kept: kept
            .map_or_else(String::new, |k| format!("Kept by {} on {}", k.by, prefs.written.date(k.at.date()))),
        is_kept: kept.is_some_and(|k| same(&k.fields, &typed)),
    };
    let Some(p) = planned else { return out };
    let v = View { p, typed: &typed, prefs, e, day_id: day.id };
    let plan = p.plan();
    if !plan.stops.is_empty() {
        out.sentence = format!("{}: done at {}", day_sentence(plan), clock(p.begins, plan.minutes));
        out.gap = gap_sentence(plan, p.own.is_some());
    }
    out.cannot = !asked.order.is_empty() && p.own.is_none();
    if p.own.is_some() {
        out.quickest = v.address(&[]);
    }
    out.lacks = v.lacks();
    out.picture = v.picture(asked);
    out.stops = v.stops();
    out.withheld = v.withheld();
    out.fuels = v.fuels();
    out.scatter = scatter_words(p, asked, prefs);
    out.heat = heat_words(p, asked);
    out
}
