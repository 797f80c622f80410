//! Hardware planted bad in a set that repeats the one before: how often the comparison of the two says so, and how
//! often it says so of a set where nothing was planted.

use super::found::Found;
use super::{Share, Subject};
use jamjar_core::analysis::{Caveat, Settings, Suspect, analyse_sets, compare_all};
use jamjar_sim::{FaultKind, FaultSpec};
use rayon::prelude::*;

/// A kind with where it is planted and whom the comparison must name for it.
struct Case {
    kind: FaultKind,
    scenario: &'static str,
    said_by: &'static str,
    names: &'static [Suspect],
    /// Channels taken from the engine computer's log.
    without: &'static [&'static str],
}

const CASES: &[Case] = &[
    Case {
        kind: FaultKind::BoostLeak,
        scenario: "tolvern",
        said_by: "turbo speed at equal pressure ratio, with the depression logged: “boost leak” alone",
        names: &[Suspect::BoostLeak],
        without: &[],
    },
    Case {
        kind: FaultKind::BoostLeak,
        scenario: "tolvern",
        said_by: "the same without the depression: “can't tell apart: boost leak, dirty filter”",
        names: &[Suspect::BoostLeak, Suspect::DirtyFilter],
        without: &["intake_depression"],
    },
    Case {
        kind: FaultKind::LazyWastegate,
        scenario: "tolvern",
        said_by: "boost that arrives late with the gate driven shut, overshoot, or gate duty, turbo speed as it was at equal pressure ratio",
        names: &[Suspect::LazyWastegate],
        without: &[],
    },
    Case {
        kind: FaultKind::DirtyFilter,
        scenario: "tolvern",
        said_by: "depression before the compressor: “dirty filter” alone",
        names: &[Suspect::DirtyFilter],
        without: &[],
    },
    Case {
        kind: FaultKind::LowTyrePressure,
        scenario: "quillet",
        said_by: "coast after the lift",
        names: &[Suspect::LowTyrePressure],
        without: &[],
    },
];

/// Pulls a set in the study.
const PULLS: usize = 3;

/// The rows of one kind over `seeds` days.
///
/// # Errors
/// A sentence when a built-in scenario is broken.
pub fn of(kind: FaultKind, seeds: usize) -> Result<Vec<Found>, String> {
    CASES.iter().filter(|c| c.kind == kind).map(|c| one(c, seeds)).collect()
}

fn one(c: &Case, seeds: usize) -> Result<Found, String> {
    let subject = Subject::new(c.scenario)?;
    let (size, meaning) = c.kind.size();
    let run = |size: Option<f64>| -> Result<Vec<Option<Vec<Suspect>>>, String> {
        (0..seeds as u64).into_par_iter().map(|seed| said(&subject, c, size, 5000 + seed)).collect()
    };
    let share = |all: &[Option<Vec<Suspect>>], right: &dyn Fn(&Option<Vec<Suspect>>) -> bool| {
        Share::clustered(&all.iter().map(|s| f64::from(u8::from(right(s)))).collect::<Vec<_>>())
    };
    let named = |s: &Option<Vec<Suspect>>| match s {
        // The wastegate's look-alike may stand beside it; nothing else may stand beside anything.
        Some(s) if c.kind == FaultKind::LazyWastegate => s.first() == Some(&Suspect::LazyWastegate),
        Some(s) => s == c.names,
        None => false,
    };
    Ok(Found {
        kind: c.kind,
        size,
        meaning,
        said_by: Some(c.said_by),
        recall: Some(share(&run(Some(size))?, &named)),
        recall_half: match c.kind.half() {
            Some(h) => Some((h, share(&run(Some(h))?, &named))),
            None => None,
        },
        false_alarms: Some(share(&run(None)?, &|s| s.is_some())),
        pulls: seeds * PULLS,
    })
}

/// Whom the comparison of a set and its repetition names; the fault is in the second where it has a size.
fn said(subject: &Subject, c: &Case, size: Option<f64>, seed: u64) -> Result<Option<Vec<Suspect>>, String> {
    let mut l = subject.loaded.clone();
    l.scenario.day.truncate(1);
    if let Some(ecu) = l.scenario.ecu.as_mut() {
        ecu.channels.push("intake_depression".into());
    }
    let d = &mut l.scenario.day[0];
    d.set.truncate(1);
    d.set[0].fault.clear();
    d.set[0].without = c.without.iter().map(|name| (*name).to_owned()).collect();
    d.set[0].left_out.clear();
    d.set[0].pulls = PULLS;
    let mut again = d.set[0].clone();
    again.id = "again".into();
    let fault = |size| FaultSpec::new(c.kind, &[], Some(size));
    again.fault = size.map(fault).into_iter().collect();
    // The first set warms the engine; the second is the one compared with.
    let mut base = d.set[0].clone();
    base.id = "base".into();
    d.set.extend([base, again]);
    let run = l.run(Some(seed), None)?;
    let (sets, measured) = subject.measure(&run.days[0])?;
    let results = analyse_sets(&sets, &measured, &subject.vehicle.engine, &Settings::default());
    let comparisons = compare_all(&results, 1, &[2], &subject.vehicle, &Settings::default());
    let notes = comparisons.into_iter().flat_map(|c| c.notes);
    Ok(notes.into_iter().find_map(|n| if let Caveat::Suspected(s) = n { Some(s.suspects) } else { None }))
}
