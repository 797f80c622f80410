//! Home: today's work, search, what needs attention.

use super::Shell;
use super::common::{Encoding, SetTag, count};
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::limits::{Verdict, judged};
use jamjar_core::words::{tightest, verdict_line, why};
use jamjar_store::{Day, Run, RunState, VehicleRecord};
use jamjar_workflow::sets::SetRead;
use std::collections::HashMap;

pub(crate) struct DayRow {
    pub(crate) id: i64,
    pub(crate) date: String,
    pub(crate) vehicle: String,
    pub(crate) place: String,
    pub(crate) sets: String,
    pub(crate) note: String,
}

pub(crate) struct SetRow {
    pub(crate) day_id: i64,
    pub(crate) tag: SetTag,
    pub(crate) vehicle: String,
    pub(crate) date: String,
    pub(crate) pulls: String,
    pub(crate) best: String,
    pub(crate) limits: String,
    pub(crate) loud: bool,
}

pub(crate) struct Attention {
    pub(crate) day_id: i64,
    pub(crate) what: String,
    pub(crate) text: String,
    pub(crate) warn: bool,
}

/// Progress of long work.
#[derive(Template)]
#[template(path = "run.html")]
pub(crate) struct RunFragment {
    pub(crate) id: i64,
    pub(crate) title: &'static str,
    pub(crate) done: i32,
    pub(crate) total: i32,
    pub(crate) message: String,
    pub(crate) running: bool,
    pub(crate) failed: bool,
    pub(crate) cancelled: bool,
}

pub(crate) fn run_fragment(r: &Run) -> RunFragment {
    RunFragment {
        id: r.id,
        title: if r.what == "demo" { "Loading the demo" } else { "Storing the pulls" },
        done: r.done,
        total: r.total.max(1),
        message: r.message.clone(),
        running: r.state == RunState::Running,
        failed: r.state == RunState::Failed,
        cancelled: r.state == RunState::Cancelled,
    }
}

#[derive(Template)]
#[template(path = "workshop.html")]
pub(crate) struct WorkshopPage {
    pub(crate) shell: Shell,
    pub(crate) headline: String,
    pub(crate) days: Vec<DayRow>,
    pub(crate) sets: Vec<SetRow>,
    pub(crate) attention: Vec<Attention>,
    pub(crate) run: Option<RunFragment>,
    pub(crate) empty: bool,
    pub(crate) correction: &'static str,
}

/// `sets` are the newest `shown`, then others that need a look.
pub(crate) fn workshop_page(
    prefs: &Prefs,
    days: Vec<(Day, usize)>,
    sets: &[SetRead],
    shown: usize,
    vehicles: &HashMap<i64, (VehicleRecord, Encoding)>,
    run: Option<RunFragment>,
) -> WorkshopPage {
    let headline = match days.first() {
        Some((d, n)) => {
            format!(
                "Last in the cell: {} on {}, {}.",
                d.vehicle,
                prefs.written.date(d.date),
                count(*n, "set")
            )
        }
        None => "Nothing has been pulled yet.".into(),
    };
    let known = || sets.iter().filter_map(|s| vehicles.get(&s.stored.set.vehicle_id).map(|(v, e)| (s, v, e)));
    let rows = known().take(shown).map(|(s, v, e)| set_row(s, v, e, prefs)).collect();
    let attention = known().flat_map(|(s, v, _)| attention(s, v, prefs)).collect();
    WorkshopPage {
        shell: Shell::new("Workshop", &prefs.theme, "workshop"),
        headline,
        correction: match prefs.usual {
            Some(u) if u.spark != u.diesel => "by the usual correction",
            _ => prefs.correction.label(),
        },
        empty: days.is_empty(),
        days: days
            .into_iter()
            .map(|(d, n)| DayRow {
                id: d.id,
                date: prefs.written.date(d.date),
                vehicle: d.vehicle,
                place: d.place,
                sets: count(n, "set"),
                note: d.note,
            })
            .collect(),
        sets: rows,
        attention,
        run,
    }
}

fn set_row(read: &SetRead, v: &VehicleRecord, e: &Encoding, prefs: &Prefs) -> SetRow {
    let s = &read.stored;
    let (limits, loud) = tightest(&read.verdicts, &v.limits, prefs.units());
    SetRow {
        day_id: s.set.day_id,
        tag: e.tag(&s.set, false, &read.verdicts),
        vehicle: s.set.vehicle.clone(),
        date: prefs.written.date(s.set.date),
        pulls: count(s.pulls.len(), "pull"),
        best: read.best_kw().map_or_else(
            || "–".into(),
            |kw| format!("{:.1} {}", prefs.power.from_kw(kw), prefs.power.label()),
        ),
        limits,
        loud,
    }
}

fn attention(read: &SetRead, v: &VehicleRecord, prefs: &Prefs) -> Vec<Attention> {
    let s = &read.stored;
    let what = format!("{} on {}, {}", s.set.config.map, s.set.config.fuel, prefs.written.date(s.set.date));
    let mut out: Vec<Attention> = judged(&read.verdicts, &v.limits)
        .filter(|(_, o)| matches!(o.verdict, Verdict::Over | Verdict::CantTell))
        .map(|(l, o)| Attention {
            day_id: s.set.day_id,
            what: what.clone(),
            warn: o.verdict == Verdict::Over,
            text: match o.verdict {
                Verdict::Over if l.starting_point => {
                    let line = verdict_line(l, o, prefs.units());
                    format!("{} {line}, a starting point: look at it, or is it a fault?", l.channel.label())
                }
                Verdict::Over => {
                    format!("{} {}. Don't run this.", l.channel.label(), verdict_line(l, o, prefs.units()))
                }
                v @ (Verdict::CantTell
                | Verdict::NotMeasured
                | Verdict::NotReached
                | Verdict::Close
                | Verdict::Clear) => {
                    let why = o.why.as_ref().map(why).unwrap_or_default();
                    format!("{}: {}. {why}", l.channel.label(), v.label())
                }
            },
        })
        .collect();
    let refused = read.refused();
    if refused > 0 {
        out.push(Attention {
            day_id: s.set.day_id,
            what,
            warn: false,
            text: format!("{} not aligned with the engine computer.", count(refused, "pull")),
        });
    }
    out
}
