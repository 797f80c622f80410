//! A limit being edited beside the pulls it would judge, and limits in words.

use super::Shell;
use super::common::{Encoding, cylinder_words, named_with_unit};
use super::right::{Trail, trail};
use crate::prefs::Prefs;
use crate::seen::mark;
use askama::Template;
use jamjar_chart::{LimitLine, Paint, PullLine, UnderLimit as Picture};
use jamjar_core::channel::{Channel, KINDS};
use jamjar_core::limits::{Direction, Limit, Severity, Threshold, Verdict};
use jamjar_core::units::Units;
use jamjar_core::words::{Said, gate_words, limit_rule, sentence_case, threshold_text, would_flag};
use jamjar_store::{AuditEntry, VehicleRecord};
use jamjar_workflow::under_limit::UnderLimit;
use std::collections::{BTreeSet, HashMap};

/// A limit on the vehicle's page, in words.
pub(crate) struct LimitInWords {
    pub(crate) id: String,
    pub(crate) what: String,
    /// "above 0.900", with its unit.
    pub(crate) rule: String,
    pub(crate) when: String,
    /// "for E85": blank where it is for all.
    pub(crate) only: String,
    pub(crate) stop: bool,
    pub(crate) starting: bool,
    pub(crate) source: String,
}

pub(crate) fn in_words(l: &Limit, cylinders: &[String], units: Units) -> LimitInWords {
    let held = if l.sustain_s > 0.0 { format!(", held for {} s", l.sustain_s) } else { String::new() };
    LimitInWords {
        id: l.id.clone(),
        what: sentence_case(&cylinder_words(&l.channel, cylinders)),
        rule: limit_rule(l, units),
        when: format!("{}{held}", gate_words(l)),
        only: only_words(l),
        stop: l.severity == Severity::Stop,
        starting: l.starting_point,
        source: [l.source.clone(), l.by.as_ref().map(|by| format!("set by {by}"))]
            .into_iter()
            .flatten()
            .collect::<Vec<_>>()
            .join("; "),
    }
}

fn only_words(l: &Limit) -> String {
    let each = l.applies_to.iter().map(|(factor, any)| format!("{factor} {}", any.join(" or ")));
    let all: Vec<String> = each.collect();
    if all.is_empty() { String::new() } else { format!("for {}", all.join(", ")) }
}

/// Gate terms the form has room for.
const GATES: usize = 4;
/// Factors a limit can be for, by name in the form.
pub(crate) const FACTORS: [&str; 4] = ["fuel", "build", "boost", "map"];

/// The fields of a form that shows a limit, or a new one on a channel.
pub(crate) fn limit_fields(l: Option<&Limit>, channel: &str) -> HashMap<String, String> {
    let mut f = HashMap::new();
    let mut put = |k: &str, v: String| {
        if !v.is_empty() {
            f.insert(format!("{k}.0"), v);
        }
    };
    let Some(l) = l else {
        put("channel", channel.to_owned());
        put("gate_channel.0", "throttle".into());
        put("gate_above.0", "90".into());
        put("sustain", "0.2".into());
        return f;
    };
    put("was", l.id.clone());
    put("seen", mark(l));
    put("id", l.id.clone());
    put("channel", l.channel.to_string());
    put("direction", l.direction.label().into());
    put("threshold", threshold_text(&l.threshold));
    if let Threshold::Curve { over, .. } = &l.threshold {
        put("over", over.to_string());
    }
    put("sustain", l.sustain_s.to_string());
    put("caution", l.caution.to_string());
    put("span", l.span.map_or_else(String::new, |s| s.to_string()));
    put("severity", if l.severity == Severity::Stop { "stop" } else { "caution" }.into());
    put("source", l.source.clone().unwrap_or_default());
    for (factor, any) in &l.applies_to {
        put(&format!("for_{factor}"), any.join(", "));
    }
    for (k, g) in l.gate.iter().enumerate() {
        put(&format!("gate_channel.{k}"), g.channel.to_string());
        put(&format!("gate_above.{k}"), g.above.map_or_else(String::new, |v| v.to_string()));
        put(&format!("gate_below.{k}"), g.below.map_or_else(String::new, |v| v.to_string()));
        put(&format!("gate_logged.{k}"), if g.if_logged { "yes".into() } else { String::new() });
    }
    f
}

/// A channel to choose, with whether it is chosen.
pub(crate) struct ChannelChoice {
    pub(crate) id: String,
    pub(crate) label: String,
    pub(crate) on: bool,
}

/// A set that the limit says something of beside "clear".
pub(crate) struct SetSaid {
    pub(crate) swatch: String,
    pub(crate) name: String,
    pub(crate) pulls: Vec<PullSaid>,
}

pub(crate) struct PullSaid {
    pub(crate) id: i64,
    pub(crate) words: String,
    pub(crate) loud: bool,
}

#[derive(Template)]
#[template(path = "limit.html")]
pub(crate) struct LimitPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) title: String,
    pub(crate) fields: HashMap<String, String>,
    pub(crate) problem: String,
    pub(crate) logged: Vec<ChannelChoice>,
    pub(crate) others: Vec<ChannelChoice>,
    pub(crate) gates: Vec<(usize, Vec<ChannelChoice>)>,
    pub(crate) unit: String,
    /// The same in the reader's units, where those are others.
    pub(crate) as_read: String,
    pub(crate) sentence: String,
    pub(crate) picture: String,
    pub(crate) said: Vec<SetSaid>,
    pub(crate) fuels: Vec<String>,
    pub(crate) builds: Vec<String>,
    pub(crate) maps: Vec<String>,
    pub(crate) trail: Vec<Trail>,
}

impl LimitPage {
    /// What a field shows.
    pub(crate) fn f(&self, name: &str) -> &str {
        self.fields.get(&format!("{name}.0")).map_or("", String::as_str)
    }

    /// What a field of a gate shows.
    pub(crate) fn g(&self, name: &str, k: &usize) -> &str {
        self.fields.get(&format!("{name}.{k}.0")).map_or("", String::as_str)
    }
}

fn choice(c: &Channel, on: &str) -> ChannelChoice {
    ChannelChoice { id: c.to_string(), label: named_with_unit(c, Units::CANONICAL), on: c.as_str() == on }
}

pub(crate) fn limit_page(
    v: &VehicleRecord,
    prefs: &Prefs,
    fields: HashMap<String, String>,
    under: Option<&(Limit, UnderLimit)>,
    (e, known): (&Encoding, &BTreeSet<Channel>),
    entries: &[AuditEntry],
    builds: Vec<String>,
) -> LimitPage {
    let get = |name: &str| fields.get(name).map_or("", String::as_str);
    let chosen = get("channel.0").to_owned();
    let own: Vec<&Channel> = known.iter().filter(|c| c.as_str() != "time").collect();
    let kinds = KINDS.iter().filter(|k| k.name != "time").filter_map(|k| {
        Channel::new(if k.numbered { format!("{}_1", k.name) } else { k.name.to_owned() }).ok()
    });
    let mut others: Vec<Channel> = kinds.filter(|c| !known.contains(c)).collect();
    // A limit may rest on what no pull of these days holds.
    if let Ok(c) = Channel::new(chosen.clone())
        && !known.contains(&c)
        && !others.contains(&c)
    {
        others.push(c);
    }
    let filled = (0..GATES).rev().find(|k| !get(&format!("gate_channel.{k}.0")).is_empty());
    let gates = (0..GATES.min(filled.map_or(1, |k| k + 2)))
        .map(|k| {
            let on = get(&format!("gate_channel.{k}.0"));
            let mut all: Vec<ChannelChoice> = own.iter().map(|c| choice(c, on)).collect();
            if !on.is_empty() && all.iter().all(|c| !c.on) {
                all.extend(Channel::new(on).ok().map(|c| choice(&c, on)));
            }
            if k == 0 && all.iter().all(|c| c.id != "throttle") {
                all.extend(Channel::new("throttle").ok().map(|c| choice(&c, on)));
            }
            (k, all)
        })
        .collect();
    let unit = Channel::new(chosen.clone()).map_or_else(|_| String::new(), |c| c.unit().to_owned());
    let name = get("was.0");
    let title = if name.is_empty() { "A new limit".to_owned() } else { format!("The limit “{name}”") };
    let own_trail: Vec<AuditEntry> =
        entries.iter().filter(|a| !name.is_empty() && a.field.contains(name)).cloned().collect();
    let as_read = under.map_or_else(String::new, |(l, _)| {
        let (plain, read) = (limit_rule(l, Units::CANONICAL), limit_rule(l, prefs.units()));
        if plain == read { String::new() } else { read }
    });
    LimitPage {
        shell: Shell::new(format!("{title}, {}", v.vehicle.name), &prefs.theme, "vehicles"),
        id: v.id,
        vehicle: v.vehicle.name.clone(),
        title,
        problem: String::new(),
        logged: own.iter().map(|c| choice(c, &chosen)).collect(),
        others: others.iter().map(|c| choice(c, &chosen)).collect(),
        gates,
        unit,
        as_read,
        sentence: under.map_or_else(String::new, |(_, u)| sentence(u)),
        picture: under.map_or_else(String::new, |(l, u)| picture(l, u, e)),
        said: under.map_or_else(Vec::new, |(l, u)| said(l, u, e, prefs)),
        fuels: e.fuels.clone(),
        maps: e.maps.clone(),
        builds,
        trail: trail(&own_trail, &prefs.written).into_iter().map(|t| in_short(t, prefs.units())).collect(),
        fields,
    }
}

/// What stood there and what stands there, as limits read.
fn in_short(t: Trail, units: Units) -> Trail {
    let words = |s: &str| match serde_json::from_str::<Limit>(s) {
        Ok(l) => {
            let w = in_words(&l, &[], units);
            [w.rule, w.when, w.only].into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(", ")
        }
        Err(_) => s.to_owned(),
    };
    Trail { old: words(&t.old), new: words(&t.new), ..t }
}

fn name_of(u: &UnderLimit, set: usize) -> String {
    let c = &u.sets[set].config;
    let boost = if c.boost.is_empty() { String::new() } else { format!(", {}", c.boost) };
    format!("{} on {}{boost}", c.map, c.fuel)
}

fn sentence(u: &UnderLimit) -> String {
    let names: Vec<String> = (0..u.sets.len()).map(|k| name_of(u, k)).collect();
    let said: Vec<Said<'_>> =
        u.pulls.iter().map(|p| Said { of: &names[p.set], verdict: p.judged.outcome.verdict }).collect();
    would_flag(&said, u.of, u.not_for)
}

/// Pulls over the limit, in the channel's own unit: the one that is typed.
fn picture(l: &Limit, u: &UnderLimit, e: &Encoding) -> String {
    let plain = Units::CANONICAL;
    let (axis, limit, handles) = match &l.threshold {
        Threshold::Constant(v) => {
            let one = LimitLine { points: vec![(0.0, *v)], above: l.direction == Direction::Above };
            ("engine speed, rpm".to_owned(), Some(one), Vec::new())
        }
        Threshold::Curve { over, at, value } => {
            let points: Vec<(f64, f64)> = at.iter().copied().zip(value.iter().copied()).collect();
            let limit = LimitLine { points: points.clone(), above: l.direction == Direction::Above };
            (named_with_unit(over, plain), Some(limit), points)
        }
    };
    let pull = |p: &jamjar_workflow::under_limit::PullUnder| {
        let o = &p.judged.outcome;
        let worst = o.worst.zip(o.rpm).filter(|_| o.verdict == Verdict::Over);
        // On another axis the worst sample is found again by its value.
        let place = |(v, rpm): (f64, f64)| match &l.threshold {
            Threshold::Curve { over, .. } if over.as_str() != "engine_speed" => p
                .judged
                .points
                .iter()
                .copied()
                .min_by(|a, b| (a.1 - v).abs().total_cmp(&(b.1 - v).abs()))
                .unwrap_or((rpm, v)),
            _ => (rpm, v),
        };
        PullLine {
            colour: e.tone(&u.sets[p.set]).name(),
            label: format!("{}, pull {}", name_of(u, p.set), p.position),
            points: p.judged.points.clone(),
            worst: worst.map(place),
        }
    };
    Picture {
        axis,
        value: named_with_unit(&l.channel, plain),
        pulls: u.pulls.iter().map(pull).collect(),
        limit,
        handles,
    }
    .svg(Paint::Page)
}

/// Sets of which the limit says more than "clear", the worst pulls named.
fn said(l: &Limit, u: &UnderLimit, e: &Encoding, prefs: &Prefs) -> Vec<SetSaid> {
    let mut out = Vec::new();
    for (k, set) in u.sets.iter().enumerate() {
        let pulls: Vec<PullSaid> = u
            .pulls
            .iter()
            .filter(|p| p.set == k && p.judged.outcome.verdict != Verdict::Clear)
            .map(|p| {
                let o = &p.judged.outcome;
                let line = jamjar_core::words::verdict_line(l, o, prefs.units());
                let because = match o.verdict {
                    Verdict::CantTell | Verdict::NotMeasured => o
                        .why
                        .as_ref()
                        .map(|w| format!(": {}", jamjar_core::words::why(w)))
                        .unwrap_or_default(),
                    _ => String::new(),
                };
                PullSaid {
                    id: p.pull_id,
                    words: format!("pull {}: {line}{because}", p.position),
                    loud: o.verdict == Verdict::Over,
                }
            })
            .collect();
        if !pulls.is_empty() {
            let tag = e.tag(set, false, &[]);
            let date = prefs.written.date(set.date);
            out.push(SetSaid { swatch: tag.swatch, name: format!("{}, {date}", name_of(u, k)), pulls });
        }
    }
    out
}
