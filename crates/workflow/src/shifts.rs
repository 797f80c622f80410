//! Gear changes in the recordings of a vehicle, beside each other by gears and by the gearbox's software.

use crate::error::{WorkflowError, blocking};
use crate::import::columns_of;
use crate::sets::recent_days;
use chrono::NaiveDate;
use jamjar_core::log::{Recording, Series};
use jamjar_core::pull::shifts::{Shift, ShiftSeen, shifts};
use jamjar_core::software::version_on;
use jamjar_core::stats::two_sets::{Repeats, compare, mean_ci95};
use jamjar_store::{FileRef, Set, Store, VehicleRecord};
use std::collections::BTreeSet;

/// Days looked through, newest first, and recordings read whole (our choice: more a page does not wait for).
const DAYS: i64 = 20;
const MOST_FILES: usize = 12;
/// A step between two ratios is that of two gears within this share, and no other pair fits within it.
const GEAR_WITHIN: f64 = 0.03;
/// A change may end this long behind the pull it began in, s.
const BEYOND_S: f64 = 3.0;

/// One recording with its changes.
#[derive(Debug, Clone)]
pub struct Recorded {
    /// Its name.
    pub file: String,
    /// When it was made.
    pub date: NaiveDate,
    /// A set that rests on it, and one of its pulls.
    pub set: Set,
    /// That pull.
    pub pull_id: i64,
    /// Software of the gearbox then; `None` where nobody said.
    pub software: Option<String>,
    /// Changes by the gears they lead from and to, in words.
    pub shifts: Vec<(String, Shift)>,
}

/// Changes between the same gears under the same software.
#[derive(Debug, Clone, PartialEq)]
pub struct Group {
    /// "2 to 3".
    pub gears: String,
    /// Software of the gearbox; `None` where nobody said.
    pub software: Option<String>,
    /// Times of those that could be timed, s.
    pub takes_s: Vec<f64>,
    /// 95 % interval of their mean, s, from two on.
    pub interval: Option<[f64; 2]>,
    /// Times without drive, s, of those that tell.
    pub interrupted_s: Vec<f64>,
    /// How many flared.
    pub flares: usize,
    /// How many could not be timed.
    pub unclear: usize,
}

/// All of them.
#[derive(Debug, Clone)]
pub struct Shifts {
    /// Recordings with a change, newest first.
    pub recorded: Vec<Recorded>,
    /// Groups, by gears and then by software.
    pub groups: Vec<Group>,
    /// The newest software against the one before, gears by gears: newer, older, difference.
    pub compared: Vec<(String, [String; 2], Repeats)>,
    /// Recordings looked at.
    pub looked_at: usize,
    /// Days they are of.
    pub days: Vec<i64>,
}

/// Looks through the newest recordings of a vehicle that know two speeds.
///
/// # Errors
/// [`WorkflowError`] when the store refuses, or a recording in custody cannot be read any more.
pub async fn shifts_of(store: &Store, vehicle: &VehicleRecord) -> Result<Shifts, WorkflowError> {
    let days = recent_days(store, vehicle, DAYS).await?;
    let changes = store.changed_on(vehicle.id).await?;
    let (mut recorded, mut looked, mut seen) = (Vec::new(), 0, BTreeSet::new());
    for (day_id, sets) in &days {
        if looked >= MOST_FILES {
            break;
        }
        let of_day = store.sample_files(*day_id).await?;
        for s in sets.iter().rev() {
            for (p, m) in &s.pulls {
                if m.measured.printed.is_some() || looked >= MOST_FILES {
                    continue;
                }
                let Some(files) = of_day.iter().find(|f| f.pull_id == p.id) else { continue };
                let sigma = m.measured.alignment.sigma_lag_s.unwrap_or(f64::INFINITY);
                let clocks = m.measured.lag().map(|lag| (lag, sigma));
                let key = (files.dyno.id, files.ecu.as_ref().map(|f| f.id));
                if !seen.insert(key) {
                    continue;
                }
                looked += 1;
                let dyno = whole(store, &files.dyno).await?;
                let ecu = match &files.ecu {
                    Some(f) if f.id != files.dyno.id => Some(whole(store, f).await?),
                    _ => None,
                };
                let found = blocking(move || in_recordings(&dyno, ecu.as_ref(), clocks)).await?;
                if found.is_empty() {
                    continue;
                }
                let gears = &vehicle.sheet.gears;
                recorded.push(Recorded {
                    file: files.dyno.name.clone(),
                    date: s.set.date,
                    pull_id: p.id,
                    software: version_on("gearbox", &vehicle.sheet.software, &changes, s.set.date),
                    shifts: found.into_iter().map(|f| (gears_of(&f, gears), f)).collect(),
                    set: s.set.clone(),
                });
            }
        }
    }
    let groups = groups(&recorded);
    Ok(Shifts {
        compared: compared(&groups),
        groups,
        recorded,
        looked_at: looked,
        days: days.into_iter().map(|d| d.0).collect(),
    })
}

async fn whole(store: &Store, file: &FileRef) -> Result<Recording, WorkflowError> {
    Ok(columns_of(store, file).await?.log)
}

/// Changes in a recording, or between the two recordings of a pull whose clocks are known against each other.
fn in_recordings(dyno: &Recording, ecu: Option<&Recording>, clocks: Option<(f64, f64)>) -> Vec<Shift> {
    let shaft = |r: &Recording| r.series("roller_speed").or_else(|| r.series("road_speed"));
    let power = power_of(dyno);
    for (one, power) in [Some(dyno), ecu].into_iter().flatten().zip([power.as_ref(), None]) {
        if let Some((engine, shaft)) = one.series("engine_speed").zip(shaft(one)) {
            return shifts(&ShiftSeen { engine: &engine, shaft: &shaft, power, clock_sd_s: 0.0 });
        }
    }
    let engine = ecu.and_then(|e| e.series("engine_speed"));
    let (Some(engine), Some(shaft), Some((lag, clock_sd_s))) = (engine, shaft(dyno), clocks) else {
        return Vec::new();
    };
    let engine = engine.shifted(-lag);
    let mut out = shifts(&ShiftSeen { engine: &engine, shaft: &shaft, power: power.as_ref(), clock_sd_s });
    // The lag holds where the two recordings overlap.
    let span = dyno.span();
    out.retain(|s| span.is_some_and(|(a, b)| s.from_s >= a && s.from_s <= b + BEYOND_S));
    out
}

/// Torque times speed, in no unit: only its shares are read.
fn power_of(dyno: &Recording) -> Option<Series> {
    let torque = dyno.series("hub_torque").or_else(|| dyno.series("brake_torque"))?;
    let speed = dyno.series("roller_speed")?;
    let v = torque.t.iter().zip(&torque.v).map(|(t, q)| speed.at(*t).map_or(f64::NAN, |s| q * s)).collect();
    Some(Series { t: torque.t, v })
}

/// Gears by the step between their ratios: "2 to 3"; the step itself where no pair of the sheet fits, or two do.
fn gears_of(s: &Shift, gears: &[f64]) -> String {
    let step = s.ratio[1] / s.ratio[0];
    let mut fits = Vec::new();
    for (i, from) in gears.iter().enumerate() {
        for (j, to) in gears.iter().enumerate().filter(|(j, _)| *j != i) {
            if (step / (to / from) - 1.0).abs() < GEAR_WITHIN {
                fits.push((i.abs_diff(j), format!("{} to {}", i + 1, j + 1)));
            }
        }
    }
    // Two neighbours before two that skip a gear.
    fits.sort();
    match &fits[..] {
        [one] => one.1.clone(),
        [one, two, ..] if one.0 < two.0 => one.1.clone(),
        _ => format!("{}, step {step:.2}", if s.is_up() { "up" } else { "down" }),
    }
}

fn groups(all: &[Recorded]) -> Vec<Group> {
    let mut out: Vec<Group> = Vec::new();
    for r in all {
        for (gears, s) in &r.shifts {
            let same = |g: &&mut Group| g.gears == *gears && g.software == r.software;
            let at = match out.iter_mut().find(same) {
                Some(g) => g,
                None => {
                    out.push(Group {
                        gears: gears.clone(),
                        software: r.software.clone(),
                        takes_s: Vec::new(),
                        interval: None,
                        interrupted_s: Vec::new(),
                        flares: 0,
                        unclear: 0,
                    });
                    let last = out.len() - 1;
                    &mut out[last]
                }
            };
            if s.unclear.is_some() {
                at.unclear += 1;
                continue;
            }
            at.takes_s.push(s.takes_s);
            at.interrupted_s.extend(s.interrupted_s);
            at.flares += usize::from(s.flare_rpm >= jamjar_core::pull::shifts::FLARE_RPM);
        }
    }
    for g in &mut out {
        g.interval = mean_ci95(&g.takes_s);
    }
    // Stable: within the same gears the newest software stays first.
    out.sort_by(|a, b| a.gears.cmp(&b.gears));
    out
}

/// The newest software of each pair of gears against the one before it.
fn compared(groups: &[Group]) -> Vec<(String, [String; 2], Repeats)> {
    let mut out: Vec<(String, [String; 2], Repeats)> = Vec::new();
    for g in groups.iter().filter(|g| g.software.is_some()) {
        if out.iter().any(|o| o.0 == g.gears) {
            continue;
        }
        let older =
            groups.iter().filter(|o| o.gears == g.gears && o.software.is_some() && o.software != g.software);
        for o in older {
            if let Ok(r) = compare(&o.takes_s, &g.takes_s) {
                let names = [g, o].map(|x| x.software.clone().unwrap_or_default());
                out.push((g.gears.clone(), names, r));
                break;
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shift(ratio: [f64; 2]) -> Shift {
        Shift {
            from_s: 0.0,
            takes_s: 0.3,
            ratio,
            rpm: [6000.0, 4200.0],
            flare_rpm: 0.0,
            slip: 0.0,
            interrupted_s: None,
            unclear: None,
        }
    }

    #[test]
    fn gears_are_told_by_the_step_between_their_ratios_and_never_guessed() {
        let gears = [3.6, 2.05, 1.36, 1.041, 0.85, 0.72];
        assert_eq!(gears_of(&shift([20.5, 13.6]), &gears), "2 to 3");
        assert_eq!(gears_of(&shift([13.6, 20.5]), &gears), "3 to 2");
        assert_eq!(gears_of(&shift([10.0, 7.0]), &[]), "up, step 0.70");
        let even = [4.0, 2.8, 1.96];
        assert_eq!(gears_of(&shift([10.0, 7.0]), &even), "up, step 0.70", "two pairs step alike");
    }

    #[test]
    fn a_mean_of_one_has_no_interval() {
        assert_eq!(mean_ci95(&[0.3]), None);
        assert_eq!(mean_ci95(&[]), None);
        let [a, b] = mean_ci95(&[0.30, 0.32]).unwrap();
        assert!((0.5 * (a + b) - 0.31).abs() < 1e-9 && b - a > 0.2, "two repeats say little: {a} {b}");
    }
}
