//! Channels of the sets under the curves: which may be shown, their lines, their figures.

use super::asked::LineUpAsked;
use super::names::name_of;
use crate::prefs::Prefs;
use crate::views::common::{
    LANES, LaneDef, count, cylinder_words, limit_line, listed_query, named_with_unit,
};
use jamjar_chart::{Track, TrackLine};
use jamjar_core::analysis::{Level, SetChannel};
use jamjar_core::channel::Channel;
use jamjar_core::units::Shown;
use jamjar_core::words::sensors_differ;
use jamjar_workflow::lineup::{Channels, LineUp, RATIO};
use std::collections::BTreeSet;

/// A lane as a link that shows or hides it.
pub(crate) struct LaneLink {
    pub(crate) href: String,
    pub(crate) label: String,
    pub(crate) on: bool,
}

/// What a channel did over a set, in words and numbers.
pub(crate) struct ChannelRow {
    pub(crate) name: String,
    pub(crate) tone: &'static str,
    /// Start, lowest and where, mean, highest and where, rise; empty where the set did not log it.
    pub(crate) cells: Vec<String>,
    /// How much of the set logged it, where that is not all.
    pub(crate) note: String,
}

/// A channel with its unit and the sets.
pub(crate) struct ChannelTable {
    pub(crate) label: String,
    pub(crate) rows: Vec<ChannelRow>,
    /// Where it comes from other sensors in some sets than in others.
    pub(crate) sensors: String,
}

/// Lanes that any set of the line-up has something for: defined ones first, then channels by their own name.
fn known(l: &LineUp) -> Vec<(String, String)> {
    let logged: BTreeSet<&Channel> =
        l.measured.iter().flatten().flat_map(|m| m.channels.iter().map(|c| &c.channel)).collect();
    let has = |d: &LaneDef| logged.iter().any(|c| c.kind().is_some_and(|k| d.kinds.contains(&k.name)));
    let named = |n: &str| logged.iter().any(|c| c.as_str() == n);
    let ratio = named("engine_speed") && named("roller_speed");
    let defined = LANES.iter().filter(|d| has(d) || (d.id == RATIO && ratio));
    let mut out: Vec<(String, String)> = defined.map(|d| (d.id.to_owned(), d.label.to_owned())).collect();
    let own = logged.iter().filter(|c| {
        c.as_str() != "time" && c.kind().is_none_or(|k| LANES.iter().all(|d| !d.kinds.contains(&k.name)))
    });
    out.extend(own.map(|c| (c.as_str().to_owned(), cylinder_words(c, &l.vehicle.sheet.cylinders))));
    out
}

/// Every lane as a link; those shown first, in their order.
pub(super) fn lane_links(
    l: &LineUp,
    hidden: &[(&'static str, String)],
    asked: &LineUpAsked,
) -> Vec<LaneLink> {
    let link = |lanes: Vec<String>| {
        let pairs: Vec<(&'static str, String)> =
            hidden.iter().cloned().chain(LineUpAsked { lanes, ..asked.clone() }.pairs()).collect();
        format!("/line-up?{}#lanes", listed_query(&pairs))
    };
    let all = known(l);
    let shown = asked.lanes.iter().filter_map(|id| all.iter().find(|k| k.0 == *id));
    let others = all.iter().filter(|k| !asked.lanes.contains(&k.0));
    let on = |(id, label): &(String, String)| LaneLink {
        href: link(asked.lanes.iter().filter(|x| *x != id).cloned().collect()),
        label: label.clone(),
        on: true,
    };
    let off = |(id, label): &(String, String)| LaneLink {
        href: link(asked.lanes.iter().cloned().chain([id.clone()]).collect()),
        label: label.clone(),
        on: false,
    };
    shown.map(on).chain(others.map(off)).collect()
}

/// Channels of a lane, in the order of their kinds: λ target before λ 1.
fn channels_of(id: &str, all: &Channels) -> Vec<Channel> {
    let names = all.names();
    match LANES.iter().find(|d| d.id == id) {
        Some(d) if d.id == RATIO => names.into_iter().filter(|c| c.as_str() == RATIO).cloned().collect(),
        Some(d) => d
            .kinds
            .iter()
            .flat_map(|kind| names.iter().filter(move |c| c.kind().is_some_and(|k| k.name == *kind)))
            .map(|c| (*c).clone())
            .collect(),
        None => names.into_iter().filter(|c| c.as_str() == id).cloned().collect(),
    }
}

/// Every channel of the lanes asked for.
pub(crate) fn channels_shown(asked: &LineUpAsked, all: &Channels) -> Vec<Channel> {
    asked.lanes.iter().flat_map(|id| channels_of(id, all)).collect()
}

fn label_of(id: &str, channels: &[Channel]) -> String {
    let defined = LANES.iter().find(|d| d.id == id).map(|d| d.label.to_owned());
    defined.or_else(|| channels.first().map(Channel::label)).unwrap_or_else(|| id.to_owned())
}

/// The lanes asked for.
pub(crate) fn tracks(l: &LineUp, all: &Channels, asked: &LineUpAsked, prefs: &Prefs) -> Vec<Track> {
    if all.sets.len() != l.sets.len() {
        return Vec::new();
    }
    let there = known(l);
    let shown = asked.lanes.iter().filter(|id| there.iter().any(|k| k.0 == **id));
    shown.map(|id| track(l, all, asked, prefs, id)).collect()
}

fn track(l: &LineUp, all: &Channels, asked: &LineUpAsked, prefs: &Prefs, id: &str) -> Track {
    let channels = channels_of(id, all);
    let measured: Vec<&Channel> = channels.iter().filter(|c| !is_target(c)).collect();
    let mut out = Track { label: label_of(id, &channels), ..Track::default() };
    let unit = channels.first().map(|c| prefs.units().shown(c));
    if let Some(u) = unit.filter(|u| !u.label.is_empty()) {
        let of = if asked.minus { format!("{}, less the baseline's", u.label) } else { u.unit() };
        out.label = format!("{}, {of}", out.label);
    }
    out.digits = unit.map_or(1, |u| u.digits);
    let mut without = Vec::new();
    for i in 0..l.sets.len() {
        let mut any = false;
        for c in &channels {
            let Some(own) = all.sets[i].get(c) else { continue };
            any |= !is_target(c);
            let base = all.sets[l.base].get(c);
            let line = match (asked.minus, base) {
                (false, _) => Some(own.clone()),
                (true, Some(base)) if i != l.base && !is_target(c) => Some(own.minus(base)),
                (true, _) => None,
            };
            let several = measured.len() > 1 && !is_target(c);
            let label = if several { cylinder_words(c, &l.vehicle.sheet.cylinders) } else { String::new() };
            out.lines.extend(
                line.map(|s| line_of(l, i, &s, &prefs.units().shown(c), (label, is_target(c)), asked.minus)),
            );
        }
        if !any {
            without.push(name_of(l, i));
        } else if let Some(part) = partly(&channels, all, i) {
            without.push(format!("{} in {part}", name_of(l, i)));
        }
    }
    let mut notes = Vec::new();
    if !without.is_empty() {
        notes.push(format!("not measured: {}", without.join(", ")));
    }
    if channels.iter().any(|c| sensors_of(l, all, c).is_some()) {
        notes.push("not one sensor: see below".to_owned());
    }
    out.missing = notes.join("; ");
    if !asked.minus {
        let ends = ends(l);
        out.limits = l
            .vehicle
            .limits
            .iter()
            .filter(|k| channels.contains(&k.channel))
            .filter_map(|k| limit_line(k, prefs.units(), l.settings.along, ends))
            .collect();
    }
    out
}

/// What is to be said of the sensors of a channel.
fn sensors_of(l: &LineUp, all: &Channels, c: &Channel) -> Option<String> {
    let each = all.sensors.iter().enumerate();
    let named =
        each.flat_map(|(i, s)| s.get(c).into_iter().flatten().map(move |s| (name_of(l, i), s.clone())));
    sensors_differ(&named.collect::<Vec<_>>())
}

fn is_target(c: &Channel) -> bool {
    c.as_str().ends_with("_target")
}

/// "2 of its 3 pulls" for a set of which not all pulls logged a channel.
fn partly(channels: &[Channel], all: &Channels, i: usize) -> Option<String> {
    let least = channels.iter().filter_map(|c| all.sets[i].get(c)).min_by_key(|s| s.logged)?;
    (least.logged < least.of)
        .then(|| format!("{} of its {}", least.of - least.logged, count(least.of, "pull")))
}

fn line_of(
    l: &LineUp,
    i: usize,
    s: &SetChannel,
    unit: &Shown,
    (label, target): (String, bool),
    minus: bool,
) -> TrackLine {
    let result = &l.results[i];
    let known: Vec<(usize, f64)> =
        s.rpm.iter().enumerate().filter_map(|(k, rpm)| Some((k, result.place(*rpm)?))).collect();
    let of = |v: &[f64]| -> Vec<f64> {
        let one = |v: f64| if minus { unit.difference(v) } else { unit.value(v) };
        if v.len() == s.rpm.len() { known.iter().map(|(k, _)| one(v[*k])).collect() } else { Vec::new() }
    };
    let veil = |v: &[f64]| if target { Vec::new() } else { of(v) };
    TrackLine {
        series: i,
        label,
        x: known.iter().map(|k| k.1).collect(),
        y: of(&s.mean),
        low: veil(&s.low),
        high: veil(&s.high),
        target,
    }
}

/// Ends of the axis.
fn ends(l: &LineUp) -> [f64; 2] {
    let all = || l.results.iter().flat_map(|r| r.drawn().rpm.iter().copied());
    [all().fold(f64::INFINITY, f64::min), all().fold(f64::NEG_INFINITY, f64::max)]
}

/// What the chosen channels did, set by set.
pub(super) fn channel_tables(
    l: &LineUp,
    all: &Channels,
    asked: &LineUpAsked,
    prefs: &Prefs,
    (order, tone): (&[usize], &dyn Fn(usize) -> &'static str),
) -> Vec<ChannelTable> {
    let table = |c: Channel| {
        let unit = prefs.units().shown(&c);
        let row = |i: usize| {
            let own = all.sets[i].get(&c);
            ChannelRow {
                name: name_of(l, i),
                tone: tone(i),
                cells: own.and_then(|s| cells(s, &unit)).unwrap_or_default(),
                note: own
                    .filter(|s| s.logged < s.of)
                    .map_or_else(String::new, |s| format!("{} of {}", s.logged, count(s.of, "pull"))),
            }
        };
        ChannelTable {
            label: named_with_unit(&c, prefs.units()),
            rows: order.iter().map(|i| row(*i)).collect(),
            sensors: sensors_of(l, all, &c).unwrap_or_default(),
        }
    };
    channels_shown(asked, all).into_iter().map(table).collect()
}

fn cells(s: &SetChannel, unit: &Shown) -> Option<Vec<String>> {
    let f = s.figures()?;
    let digits = unit.digits;
    let value = |v: f64| format!("{:.digits$}", unit.value(v));
    let level = |l: Level| format!("{} at {:.0}", value(l.value), l.rpm);
    Some(vec![
        value(f.start),
        level(f.min),
        value(f.mean),
        level(f.max),
        format!("{:+.digits$}", unit.difference(f.rise)),
    ])
}
