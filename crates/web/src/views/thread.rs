//! What did each revision change, and what is being asked of whom? For the remote calibrator and the one in the cell, at a
//! desk.

use super::Shell;
use super::common::{LANES, count};
use super::lineage::gain_words;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::analysis::Figure;
use jamjar_core::channel::Channel;
use jamjar_core::words::{sentence_case, tightest};
use jamjar_store::{Set, StepKind, Thread, VehicleRecord};
use jamjar_workflow::lineage::StepGain;
use jamjar_workflow::thread::{Recorded, StepRead, ThreadRead};

/// Shown around the moment of a remark, s.
const AROUND_S: f64 = 1.5;

pub(crate) struct ThreadRow {
    pub(crate) id: i64,
    pub(crate) title: String,
    pub(crate) vehicle: String,
    pub(crate) when: String,
    pub(crate) closed: bool,
}

#[derive(Template)]
#[template(path = "threads.html")]
pub(crate) struct ThreadsPage {
    pub(crate) shell: Shell,
    /// The vehicle they are of, where one was asked for.
    pub(crate) of: Option<(i64, String)>,
    pub(crate) rows: Vec<ThreadRow>,
}

pub(crate) struct PullLink {
    pub(crate) href: String,
    pub(crate) label: String,
}

pub(crate) struct StepView {
    pub(crate) id: i64,
    /// What it is, in a word or two.
    pub(crate) what: String,
    pub(crate) by: String,
    pub(crate) words: String,
    /// The file that went out: address and name.
    pub(crate) file: Option<(String, String)>,
    /// What the revision gained, and over what.
    pub(crate) gain: String,
    /// What its limits came to, then and before.
    pub(crate) margins: Vec<String>,
    pub(crate) over: bool,
    pub(crate) line_up: Option<String>,
    pub(crate) pulls: Vec<PullLink>,
    /// Files that did not come along.
    pub(crate) missing: usize,
    /// Files that came and are on no sheet yet.
    pub(crate) waiting: usize,
}

#[derive(Template)]
#[template(path = "thread.html")]
pub(crate) struct ThreadPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle_id: i64,
    pub(crate) vehicle: String,
    pub(crate) title: String,
    pub(crate) about: String,
    pub(crate) closed: bool,
    pub(crate) steps: Vec<StepView>,
    pub(crate) maps: Vec<(i64, String)>,
    pub(crate) sets: Vec<(i64, String)>,
}

pub(crate) fn threads_page(of: Option<&VehicleRecord>, threads: &[Thread], prefs: &Prefs) -> ThreadsPage {
    let row = |t: &Thread| ThreadRow {
        id: t.id,
        title: t.title.clone(),
        vehicle: t.vehicle.clone(),
        when: format!("{}, {}", prefs.written.date(t.opened_at.date()), t.opened_by),
        closed: t.closed_at.is_some(),
    };
    ThreadsPage {
        shell: Shell::new("Threads".to_owned(), &prefs.theme, "vehicles"),
        of: of.map(|v| (v.id, v.vehicle.name.clone())),
        rows: threads.iter().map(row).collect(),
    }
}

/// "+8.2 ± 2.1 kW over C5 (E60, 120 kPa; 3 March 2026)."
fn gain_of(before: &str, g: &StepGain, prefs: &Prefs) -> String {
    let gain = gain_words(&g.gain, Figure::PeakPower, prefs);
    format!("{gain} over {before} ({}; {}).", g.with.join(", "), prefs.written.date(g.date))
}

/// Lanes that show a channel.
fn lane_of(channel: &str) -> Option<&str> {
    let c = Channel::new(channel).ok()?;
    let kind = c.kind()?.name;
    Some(LANES.iter().find(|d| d.kinds.contains(&kind)).map_or(channel, |d| d.id))
}

fn pull_links(r: &Recorded, channel: Option<&str>, at_s: Option<f64>) -> Vec<PullLink> {
    let lanes = channel.and_then(lane_of).map_or_else(String::new, |l| format!("&lanes=power,{l}"));
    let place = |id: i64, begins: Option<f64>| match at_s.zip(begins) {
        Some((t, b)) => {
            let (from, to) = (t - b - AROUND_S, t - b + AROUND_S);
            format!("/pulls/{id}?axis=time&from={from:.2}&to={to:.2}{lanes}")
        }
        None => format!("/pulls/{id}"),
    };
    r.pulls
        .iter()
        .map(|(p, begins)| PullLink {
            href: place(p.pull_id, *begins),
            label: format!("pull {}", p.position),
        })
        .collect()
}

/// The sets its recordings are of here, by map and fuel.
fn of_sets(s: &StepRead, sets: &[Set]) -> String {
    let mut out: Vec<String> = Vec::new();
    for (p, _) in s.recorded.iter().flat_map(|r| &r.pulls) {
        let of = sets.iter().find(|own| own.id == p.set_id);
        let of = of.map(|s| format!("{} on {}", s.config.map, s.config.fuel));
        out.extend(of.filter(|o| !out.contains(o)));
    }
    out.join(" and ")
}

fn step(s: &StepRead, vehicle: &VehicleRecord, sets: &[Set], prefs: &Prefs) -> StepView {
    let own = &s.step;
    let what = match (own.kind, &own.map) {
        (StepKind::Revision, Some((_, name))) => format!("{name} goes out"),
        (StepKind::Revision, None) => "A revision goes out".to_owned(),
        (StepKind::Recordings, _) => match of_sets(s, sets) {
            of if of.is_empty() => "Recordings come back".to_owned(),
            of => format!("Recordings of {of} come back"),
        },
        (StepKind::Remark, _) => {
            let channel = own.channel.as_deref().and_then(|c| Channel::new(c).ok());
            let channel = channel.map_or_else(|| "the pull".to_owned(), |c| c.label());
            let begins = s.recorded.iter().flat_map(|r| &r.pulls).find_map(|p| p.1);
            match own.at_s.zip(begins) {
                Some((t, b)) => format!("Of {channel}, {:.1} s after tip-in", t - b),
                None => format!("Of {channel}"),
            }
        }
        (StepKind::Word, _) => format!("{} says", sentence_case(&own.by)),
    };
    let judged = s.gain.as_ref().map(|g| {
        let of = |k: usize| tightest(&g.verdicts[k], &vehicle.limits, prefs.units());
        (of(1), of(0), s.before.clone().unwrap_or_default())
    });
    let count_of = |may: bool, is: &dyn Fn(&Recorded) -> bool| match may {
        true => s.recorded.iter().filter(|r| is(r)).count(),
        false => 0,
    };
    let gone = s
        .before
        .as_ref()
        .map(|b| format!("{b} and this were never pulled alike on one day: what it gained can't be told."));
    let mut pulls: Vec<PullLink> = Vec::new();
    for r in &s.recorded {
        for l in pull_links(r, own.channel.as_deref(), own.at_s) {
            if pulls.iter().all(|p| p.href != l.href) {
                pulls.push(l);
            }
        }
    }
    StepView {
        id: own.id,
        what,
        by: format!("{}, {} {}", own.by, prefs.written.date(own.at.date()), own.at.format("%H:%M")),
        words: own.words.clone(),
        file: s
            .recorded
            .first()
            .filter(|_| own.kind == StepKind::Revision)
            .and_then(|r| r.file.as_ref())
            .map(|f| (format!("/files/{}", f.id), f.name.clone())),
        gain: match (&s.gain, &s.before) {
            (Some(g), Some(b)) => sentence_case(&gain_of(b, g, prefs)),
            _ if own.kind == StepKind::Revision => gone.unwrap_or_default(),
            _ => String::new(),
        },
        over: judged.as_ref().is_some_and(|j| j.0.1),
        margins: judged
            .map(|((now, _), (then, _), b)| vec![sentence_case(&now), format!("{b}: {then}")])
            .unwrap_or_default(),
        line_up: s
            .gain
            .as_ref()
            .map(|g| format!("/line-up?sets={},{}&base={}", g.sets[0], g.sets[1], g.sets[0])),
        pulls,
        // A revision whose file did not come along has none to take away: no recording is missing.
        missing: count_of(own.kind != StepKind::Revision, &|r| r.file.is_none()),
        waiting: count_of(own.kind == StepKind::Recordings, &|r| r.file.is_some() && r.pulls.is_empty()),
    }
}

pub(crate) fn thread_page(r: &ThreadRead, prefs: &Prefs) -> ThreadPage {
    let t = &r.thread;
    let revisions = r.steps.iter().filter(|s| s.step.kind == StepKind::Revision).count();
    ThreadPage {
        shell: Shell::new(t.title.clone(), &prefs.theme, "vehicles"),
        id: t.id,
        vehicle_id: t.vehicle_id,
        vehicle: t.vehicle.clone(),
        title: t.title.clone(),
        about: format!(
            "Begun by {} on {}; {}, {}.",
            t.opened_by,
            prefs.written.date(t.opened_at.date()),
            count(revisions, "revision"),
            count(r.steps.len(), "step")
        ),
        closed: t.closed_at.is_some(),
        steps: r.steps.iter().map(|s| step(s, &r.vehicle, &r.sets, prefs)).collect(),
        maps: r.maps.iter().map(|m| (m.id, m.name.clone())).collect(),
        sets: r
            .sets
            .iter()
            .take(40)
            .map(|s| {
                let c = &s.config;
                let boost = if c.boost.is_empty() { String::new() } else { format!(", {}", c.boost) };
                (s.id, format!("{} on {}{boost}, {}", c.map, c.fuel, prefs.written.date(s.date)))
            })
            .collect(),
    }
}
