//! Whether a map drives as well as it pulls: what a person tried, and what recordings say of the pedal, of consistency and
//! of complaints before and after.

use crate::error::WorkflowError;
use crate::samples::each_pull;
use crate::sets::{baseline_of, read_sets, recent_days};
use chrono::NaiveDate;
use jamjar_core::analysis::{Figure, Settings};
use jamjar_core::log::Recording;
use jamjar_core::pedal::{Difference, PedalMap, Seen};
use jamjar_core::stats::pooled::within;
use jamjar_core::stats::spread::{SpreadRatio, spread_ratio};
use jamjar_store::{
    Checklist, Flash, HeldFile, MapRecord, Observation, Set, SetWithPulls, SignOff, Store, VehicleRecord,
};
use std::collections::BTreeMap;

/// Days looked through, newest first, and pulls whose samples are read for the pedal of one map (our choice).
const DAYS: i64 = 20;
const MOST_PULLS: usize = 12;
/// Two pulls of one set that differ by more than this share were not pulled alike (our choice: many times any scatter).
const CUT_SHORT: f64 = 0.05;
/// Observations looked through.
const MOST_OBSERVED: i64 = 200;

/// One thing to try.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Item {
    pub id: &'static str,
    /// What it is called where it is not right.
    pub name: &'static str,
    pub text: &'static str,
    /// Told in words only, never right or wrong by itself.
    pub words_only: bool,
}

const fn item(id: &'static str, name: &'static str, text: &'static str) -> Item {
    Item { id, name, text, words_only: false }
}

/// All of them, in the order they are driven (domain, section 13).
pub const ITEMS: &[Item] = &[
    item("cold", "cold start", "Starts cold at the first try and settles"),
    item("idle", "idle", "Idles steadily, with lamps, fan and climate control on and off"),
    item("tip_in", "tip-in", "Takes the throttle and lets it go without a jerk or a hole"),
    item("cruise", "cruise", "Holds a speed without surging"),
    item("part", "part throttle", "Part throttle gives what the foot asks"),
    item("shifting", "shifting", "Shifts as before: no flare, no bang, no hunting"),
    item("limp", "limp mode", "No limp mode, no throttle taken back"),
    item("lamp", "warning lamp", "No warning lamp, no fault code afterwards"),
    item("hot", "hot start", "Starts hot, after it stood ten minutes"),
    item("same", "consistency", "The same at the end of the drive as at its beginning"),
    Item {
        id: "road",
        name: "where",
        text: "Where it was driven, how far, in what weather",
        words_only: true,
    },
    Item {
        id: "feel",
        name: "feel",
        text: "Feel against the numbers: stronger or weaker than they say, and where",
        words_only: true,
    },
];

/// Under which key stands what was said beside an answer.
pub fn words_of(id: &str) -> String {
    format!("{id}.words")
}

/// Under which key stands the answer to a complaint.
pub fn complaint_of(tag: &str) -> String {
    format!("complaint.{}", tag.to_lowercase())
}

/// Names of what is not right, and of what nobody tried.
pub fn standing(answers: &Checklist, complaints: &[Complaint]) -> (Vec<String>, Vec<String>) {
    let asked = ITEMS.iter().filter(|i| !i.words_only).map(|i| (i.id.to_owned(), i.name.to_owned()));
    let mut all: Vec<(String, String)> = asked.collect();
    all.extend(complaints.iter().map(|c| (complaint_of(&c.tag), c.tag.clone())));
    // One that was answered and is among those shown no more still counts.
    for key in answers.keys().filter(|k| !k.ends_with(".words")) {
        if let Some(tag) = key.strip_prefix("complaint.").filter(|_| all.iter().all(|a| a.0 != *key)) {
            all.push((key.clone(), tag.to_owned()));
        }
    }
    let (mut wrong, mut untried) = (Vec::new(), Vec::new());
    for (key, name) in all {
        match answers.get(&key).map(String::as_str) {
            Some("yes") => {}
            Some("no") => wrong.push(name),
            _ => untried.push(name),
        }
    }
    (wrong, untried)
}

/// Where something was observed.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Once {
    pub map: String,
    pub date: NaiveDate,
    pub pull_id: Option<i64>,
    pub words: String,
    pub rpm: Option<[f64; 2]>,
    pub load: Option<[f64; 2]>,
}

/// Something a person complained of: on other maps, and on this one.
#[derive(Debug, Clone, PartialEq)]
pub struct Complaint {
    /// What kind of thing it is.
    pub tag: String,
    /// On other maps, or where nobody said on which, newest first.
    pub before: Vec<Once>,
    /// On this map.
    pub after: Vec<Once>,
    /// Pulls of this map on the day it was last observed on another, and since.
    pub pulls_since: usize,
}

/// What recordings say of a pedal.
#[derive(Debug, Clone, PartialEq)]
pub struct Pedal {
    /// Plate by pedal and engine speed.
    pub map: PedalMap,
    /// Pulls it was read from.
    pub pulls: usize,
}

/// A sign-off with what it is about.
#[derive(Debug, Clone)]
pub struct Driven {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Maps and fuels to choose from: those that were pulled or flashed, newest first.
    pub choices: Vec<Choice>,
    /// The one shown; `None` where there is nothing to choose.
    pub chosen: Option<Choice>,
    /// Its file, where it is in custody.
    pub file: Option<HeldFile>,
    /// What went into the unit last, and when.
    pub in_unit: Option<Flash>,
    /// What was answered, newest.
    pub newest: Option<SignOff>,
    /// The last one that was signed, where a newer is open.
    pub signed: Option<SignOff>,
    /// Complaints.
    pub complaints: Vec<Complaint>,
    /// Sets of the days it was read from, newest day first.
    pub days: Vec<(i64, Vec<SetWithPulls>)>,
}

impl Driven {
    /// Reads its answers again.
    ///
    /// # Errors
    /// [`WorkflowError`] when the store refuses.
    pub async fn reread(&mut self, store: &Store) -> Result<(), WorkflowError> {
        let Some(c) = &self.chosen else { return Ok(()) };
        let mut given = store.sign_offs(self.vehicle.id).await?;
        given.retain(|s| (s.map_id, s.fuel_id) == (c.map_id, c.fuel_id));
        self.signed = given.iter().find(|s| s.signed.is_some()).cloned();
        self.newest = given.into_iter().next();
        Ok(())
    }
}

/// What recordings say of a map that was driven.
#[derive(Debug, Clone)]
pub struct Evidence {
    /// Consistency against the stock map on the same day, with what it is held against, or why there is none.
    pub spread: Result<(SpreadRatio, Set), &'static str>,
    /// Its pedal; `None` where pedal or plate was not recorded.
    pub pedal: Option<Pedal>,
    /// That of the stock map, and the difference.
    pub stock: Option<(Pedal, Difference)>,
}

/// A map on a fuel.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Choice {
    pub map_id: i64,
    pub map: String,
    pub kind: String,
    pub fuel_id: i64,
    pub fuel: String,
}

/// The newest map and fuel of each set that was pulled, stock last.
fn choices(days: &[(i64, Vec<SetWithPulls>)], maps: &[MapRecord], fuels: &[(i64, String)]) -> Vec<Choice> {
    let mut out: Vec<Choice> = Vec::new();
    for s in days.iter().flat_map(|d| d.1.iter().rev()) {
        let c = &s.set.config;
        let (map, fuel) = (maps.iter().find(|m| m.name == c.map), fuels.iter().find(|f| f.1 == c.fuel));
        let (Some(map), Some(fuel)) = (map, fuel) else { continue };
        if out.iter().all(|o| (o.map_id, o.fuel_id) != (map.id, fuel.0)) {
            out.push(Choice {
                map_id: map.id,
                map: map.name.clone(),
                kind: c.map_kind.clone(),
                fuel_id: fuel.0,
                fuel: fuel.1.clone(),
            });
        }
    }
    out.sort_by_key(|c| c.kind == "stock");
    out
}

/// Reads the answers on a map on a fuel; on the map in the unit, or the newest that was pulled, where none is asked for.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn driven(
    store: &Store,
    vehicle: VehicleRecord,
    asked: (Option<i64>, Option<i64>),
) -> Result<Driven, WorkflowError> {
    let days = recent_days(store, &vehicle, DAYS).await?;
    let (maps, fuels) = (store.maps(vehicle.id).await?, store.fuels().await?);
    let choices = choices(&days, &maps, &fuels);
    let in_unit = store.flashes(vehicle.id).await?.into_iter().next();
    let is = |map: Option<i64>, fuel: Option<i64>| {
        choices.iter().find(|c| map.is_none_or(|m| m == c.map_id) && fuel.is_none_or(|f| f == c.fuel_id))
    };
    let chosen = match asked {
        (None, None) => in_unit.as_ref().and_then(|f| is(Some(f.map_id), None)).or_else(|| choices.first()),
        (map, fuel) => is(map, fuel).or_else(|| is(map, None)),
    };
    let chosen = chosen.cloned();
    let mut out = Driven {
        choices,
        file: None,
        in_unit,
        newest: None,
        signed: None,
        complaints: Vec::new(),
        days,
        chosen,
        vehicle,
    };
    out.reread(store).await?;
    let Some(c) = &out.chosen else { return Ok(out) };
    out.file = maps.into_iter().find(|m| m.id == c.map_id).and_then(|m| m.file);
    let observed = store.observed_of(out.vehicle.id, MOST_OBSERVED).await?;
    out.complaints = complaints(&observed, &out.days, c);
    Ok(out)
}

/// Reads what its recordings say.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn evidence_of(store: &Store, d: &Driven, settings: &Settings) -> Result<Evidence, WorkflowError> {
    let Some(c) = &d.chosen else {
        return Ok(Evidence { spread: Err("no set of it was pulled"), pedal: None, stock: None });
    };
    let own = pedal(store, &d.vehicle, &d.days, |s| s.set.config.map == c.map).await?;
    let mut stock = None;
    if let Some(own) = own.as_ref().filter(|_| c.kind != "stock") {
        let of_stock = pedal(store, &d.vehicle, &d.days, |s| s.set.config.map_kind == "stock").await?;
        stock = of_stock.map(|s| {
            let less = own.map.less(&s.map);
            (s, less)
        });
    }
    Ok(Evidence { spread: spread(&d.days, c, &d.vehicle, settings), pedal: own, stock })
}

/// Scatter of a map on a fuel against that of the stock map, on the newest day that has both with a second pull.
fn spread(
    days: &[(i64, Vec<SetWithPulls>)],
    c: &Choice,
    vehicle: &VehicleRecord,
    settings: &Settings,
) -> Result<(SpreadRatio, Set), &'static str> {
    if c.kind == "stock" {
        return Err("the stock map has nothing to be held against");
    }
    let own = |s: &SetWithPulls| (&s.set.config.map, &s.set.config.fuel) == (&c.map, &c.fuel);
    let mut why = "no set of it was pulled";
    for (_, sets) in days.iter().filter(|d| d.1.iter().any(own)) {
        let gear = sets.iter().find(|s| own(s)).map_or("", |s| s.set.config.gear.as_str());
        let Some(base) = baseline_of(sets, gear) else {
            why = "no stock set was pulled in its gear on its day";
            continue;
        };
        let like = base.set.config.factors();
        let base_set = base.set.clone();
        let read = read_sets(sets.clone(), vehicle, settings);
        let figures = |of: &dyn Fn(&SetWithPulls) -> bool| -> Vec<&[f64]> {
            let used = read.iter().filter(|s| of(&s.stored));
            used.map(|s| s.result.figure(Figure::PeakPower).values.as_slice()).collect()
        };
        let (own_sets, base_sets) = (figures(&own), figures(&|s| s.set.config.factors() == like));
        // A pull that was cut short, or an engine that warms up, is no scatter of a map.
        let apart = |v: &&[f64]| v.windows(2).any(|w| (w[1] - w[0]).abs() > CUT_SHORT * w[0].abs());
        if own_sets.iter().chain(&base_sets).any(apart) {
            return Err(
                "two pulls of a set differ by more than 5 %: look at them, and leave out what was cut short",
            );
        }
        let (one, other) = (within(&own_sets), within(&base_sets));
        match one.zip(other).and_then(|(a, b)| spread_ratio(a, b)) {
            Some(r) => return Ok((r, base_set)),
            None => why = "one of the two has no second pull, or shows no scatter at all",
        }
    }
    Err(why)
}

/// Complaints by what kind of thing they are.
fn complaints(observed: &[Observation], days: &[(i64, Vec<SetWithPulls>)], c: &Choice) -> Vec<Complaint> {
    let map_of = |pull: i64| {
        let sets = days.iter().flat_map(|d| &d.1);
        sets.filter(|s| s.pulls.iter().any(|p| p.0.id == pull)).map(|s| s.set.config.map.as_str()).next()
    };
    let mut all: BTreeMap<String, Complaint> = BTreeMap::new();
    for o in observed.iter().filter(|o| !o.tag.trim().is_empty()) {
        let map = o.place.pull_id.and_then(map_of);
        let once = Once {
            map: map.unwrap_or_default().to_owned(),
            date: o.date,
            pull_id: o.place.pull_id,
            words: o.text.clone(),
            rpm: o.place.rpm,
            load: o.place.load,
        };
        let own = all.entry(o.tag.to_lowercase()).or_insert_with(|| Complaint {
            tag: o.tag.clone(),
            before: Vec::new(),
            after: Vec::new(),
            pulls_since: 0,
        });
        if map == Some(c.map.as_str()) { own.after.push(once) } else { own.before.push(once) }
    }
    let mut out: Vec<Complaint> = all.into_values().collect();
    for own in &mut out {
        let since = own.before.first().map(|b| b.date);
        let of_map = |s: &&SetWithPulls| s.set.config.map == c.map && since.is_none_or(|d| s.set.date >= d);
        own.pulls_since = days.iter().flat_map(|d| &d.1).filter(of_map).map(|s| s.pulls.len()).sum();
    }
    out
}

/// Pedal and plate of the newest pulls of some sets.
async fn pedal(
    store: &Store,
    vehicle: &VehicleRecord,
    days: &[(i64, Vec<SetWithPulls>)],
    of: impl Fn(&SetWithPulls) -> bool,
) -> Result<Option<Pedal>, WorkflowError> {
    let pulls =
        days.iter().flat_map(|d| d.1.iter().rev()).filter(|s| of(s)).flat_map(|s| s.pulls.iter().rev());
    let recorded = pulls.filter(|(p, m)| m.measured.printed.is_none() && p.shares.is_none());
    let asked: Vec<_> = recorded
        .take(MOST_PULLS)
        .map(|(p, m)| {
            let lag = m.measured.lag();
            let read = move |dyno: Recording, ecu: Option<Recording>| {
                let mut seen = Seen::default();
                let read = one_of(&dyno, ecu.as_ref(), lag, &mut seen);
                (read, seen)
            };
            ((), p.id, read)
        })
        .collect();
    let mut all = Seen::default();
    let mut pulls = 0;
    for (_, (read, seen)) in each_pull(store, vehicle.vehicle.engine.injections_per_rev(), asked).await? {
        pulls += usize::from(read);
        all.join(seen);
    }
    Ok(all.map().map(|map| Pedal { map, pulls }))
}

/// Adds one pull's pedal where the three channels are on one clock; whether they are.
fn one_of(dyno: &Recording, ecu: Option<&Recording>, lag: Option<f64>, seen: &mut Seen) -> bool {
    let of =
        |log: &Recording| Some((log.series("engine_speed")?, log.series("pedal")?, log.series("throttle")?));
    // The engine computer knows all three by its own clock; the dyno's speed helps out where the clocks agree.
    let found = ecu.and_then(of).or_else(|| of(dyno)).or_else(|| {
        let (ecu, lag) = (ecu?, lag?);
        let mut speed = dyno.series("engine_speed")?;
        speed.t.iter_mut().for_each(|t| *t += lag);
        Some((speed, ecu.series("pedal")?, ecu.series("throttle")?))
    });
    if let Some((speed, pedal, plate)) = &found {
        seen.add(speed, pedal, plate);
    }
    found.is_some()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_wrong_is_told_from_what_nobody_tried_and_words_are_neither() {
        let mut answers = Checklist::new();
        for i in ITEMS.iter().filter(|i| i.id != "idle") {
            answers.insert(i.id.to_owned(), "yes".to_owned());
        }
        assert_eq!(standing(&answers, &[]), (vec![], vec!["idle".to_owned()]));
        answers.insert("idle".into(), "no".into());
        let rattle = Complaint { tag: "Rattle".into(), before: vec![], after: vec![], pulls_since: 0 };
        let (wrong, untried) = standing(&answers, std::slice::from_ref(&rattle));
        assert_eq!((wrong, untried), (vec!["idle".to_owned()], vec!["Rattle".to_owned()]));
        answers.insert(complaint_of("RATTLE"), "yes".into());
        assert!(standing(&answers, &[rattle]).1.is_empty());
        answers.insert(complaint_of("Smoke"), "no".into());
        answers.insert(words_of(&complaint_of("Smoke")), "at tip-in".into());
        assert_eq!(standing(&answers, &[]).0, ["idle", "smoke"], "one that is shown no more still counts");
    }

    #[test]
    fn ids_are_unique_and_none_is_a_key_of_another_kind() {
        let mut ids: Vec<&str> = ITEMS.iter().map(|i| i.id).collect();
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), ITEMS.len());
        assert!(ids.iter().all(|i| !i.contains('.')));
    }
}
