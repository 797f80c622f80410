//! How long do its gear changes take, and did the gearbox's software change that? For the calibrator at a desk.

use super::Shell;
use super::common::count;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::dots_svg;
use jamjar_core::stats::two_sets::{mean, mean_of};
use jamjar_core::words::{sentence_case, shift_words, shifts_compared};
use jamjar_store::VehicleRecord;
use jamjar_workflow::shifts::{Group, Recorded, Shifts};

pub(crate) struct ShiftGroup {
    pub(crate) gears: String,
    pub(crate) software: String,
    pub(crate) dots: String,
    /// Mean with its interval, how often, what was not told.
    pub(crate) takes: String,
    pub(crate) gone: String,
    pub(crate) flares: String,
}

pub(crate) struct ShiftRecording {
    pub(crate) pull_id: i64,
    pub(crate) head: String,
    pub(crate) shifts: Vec<String>,
}

#[derive(Template)]
#[template(path = "shifts.html")]
pub(crate) struct ShiftsPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) answer: String,
    pub(crate) more: Vec<String>,
    pub(crate) groups: Vec<ShiftGroup>,
    pub(crate) axis: String,
    pub(crate) recordings: Vec<ShiftRecording>,
    pub(crate) looked_at: String,
}

fn group(g: &Group, top: f64) -> ShiftGroup {
    let takes = match (mean_of(&g.takes_s), g.interval) {
        (Some(m), Some([a, b])) => {
            format!("{m:.2} ± {:.2} s, {}", 0.5 * (b - a), count(g.takes_s.len(), "time"))
        }
        (Some(m), None) => format!("{m:.2} s, once: no interval"),
        (None, _) => "can't tell".to_owned(),
    };
    ShiftGroup {
        gears: g.gears.clone(),
        software: g.software.clone().unwrap_or_else(|| "software not said".into()),
        dots: dots_svg(&g.takes_s, g.interval, top),
        takes: match g.unclear {
            0 => takes,
            n => format!("{takes}; {n} not timed"),
        },
        gone: match g.interrupted_s.len() {
            0 => "not measured".to_owned(),
            _ => format!("{:.2} s", mean(&g.interrupted_s)),
        },
        flares: match g.flares {
            0 => String::new(),
            n => format!("{n} of {}", g.takes_s.len()),
        },
    }
}

fn recording(r: &Recorded, prefs: &Prefs) -> ShiftRecording {
    let c = &r.set.config;
    let software = r.software.as_ref().map_or_else(String::new, |s| format!(", gearbox software {s}"));
    ShiftRecording {
        pull_id: r.pull_id,
        head: format!("{}: {} on {}, {}{software}", r.file, c.map, c.fuel, prefs.written.date(r.date)),
        shifts: r.shifts.iter().map(|(gears, s)| format!("{gears}: {}", shift_words(s))).collect(),
    }
}

pub(crate) fn shifts_page(v: &VehicleRecord, s: &Shifts, prefs: &Prefs) -> ShiftsPage {
    let top = s.groups.iter().flat_map(|g| &g.takes_s).copied().fold(0.1, f64::max) * 1.1;
    let mut said: Vec<String> = s
        .compared
        .iter()
        .map(|(gears, [now, before], r)| sentence_case(&shifts_compared(gears, now, before, r)))
        .collect();
    let found: usize = s.recorded.iter().map(|r| r.shifts.len()).sum();
    if said.is_empty() {
        said.push(match found {
            0 => "No recording here shows a change of gear".to_owned(),
            1 => "1 change of gear in 1 recording".to_owned(),
            n => format!("{n} changes of gear in {}", count(s.recorded.len(), "recording")),
        });
    }
    let more = said.split_off(1);
    ShiftsPage {
        shell: Shell::new(format!("Shifts, {}", v.vehicle.name), &prefs.theme, "vehicles"),
        id: v.id,
        vehicle: v.vehicle.name.clone(),
        answer: said.remove(0),
        more,
        groups: s.groups.iter().map(|g| group(g, top)).collect(),
        axis: format!("0 to {top:.1} s"),
        recordings: s.recorded.iter().map(|r| recording(r, prefs)).collect(),
        looked_at: count(s.looked_at, "recording"),
    }
}
