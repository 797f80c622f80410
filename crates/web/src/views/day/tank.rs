//! What is in the tank on a day, and what was poured into it.

use super::sheet::hhmm;
use crate::prefs::Prefs;
use chrono::NaiveDate;
use jamjar_core::factors::tank::{Fill, in_tank, refuelled_between};
use jamjar_core::words::{tank_sentence, volume_words};
use jamjar_store::{FuelBatch, FuelRecord, Pour, SetWithPulls};

/// Something that was poured on the day.
pub(crate) struct PourRow {
    pub(crate) id: i64,
    pub(crate) at: String,
    pub(crate) words: String,
    pub(crate) by: String,
}

/// The tank on a day.
#[derive(Default)]
pub(crate) struct TankView {
    /// What is in it after the last fill of the day.
    pub(crate) sentence: String,
    pub(crate) fills: Vec<PourRow>,
    /// Fuels and deliveries to choose from: value and words.
    pub(crate) choices: Vec<(String, String)>,
}

fn name(p: &Pour) -> String {
    p.batch.as_ref().map_or_else(|| p.fuel.clone(), |b| format!("{}, {b}", p.fuel))
}

/// A pour as what a tank holds is reckoned from.
pub(crate) fn fill(p: &Pour) -> Fill {
    Fill { fuel: name(p), ..p.fill() }
}

pub(crate) fn tank_view(
    date: NaiveDate,
    poured: &[Pour],
    (fuels, batches): (&[FuelRecord], &[FuelBatch]),
    prefs: &Prefs,
) -> TankView {
    let litres = |v: f64| volume_words(v, prefs.volume);
    let until: Vec<Fill> = poured.iter().filter(|p| p.date <= date).map(fill).collect();
    let row = |p: &Pour| {
        let onto = match p.left_l {
            None => ", onto an unknown rest".to_owned(),
            Some(0.0) => ", into the drained tank".to_owned(),
            Some(l) => format!(", onto {}", litres(l)),
        };
        PourRow {
            id: p.id,
            at: hhmm(p.at),
            words: format!("{} of {}{onto}", litres(p.litres), name(p)),
            by: p.by.clone(),
        }
    };
    let mut choices = Vec::new();
    for f in fuels {
        choices.push((f.id.to_string(), f.said.name.clone()));
        let own = batches.iter().filter(|b| b.fuel_id == f.id);
        choices.extend(own.map(|b| (format!("{}:{}", f.id, b.id), format!("{}, {}", f.said.name, b.name))));
    }
    TankView {
        sentence: in_tank(&until).map_or_else(String::new, |t| tank_sentence(&t, prefs.volume)),
        fills: poured.iter().filter(|p| p.date == date).map(row).collect(),
        choices,
    }
}

/// "refuelled at 14:10 between its pulls: they stand on two mixtures", where that is so.
pub(crate) fn refuelled(date: NaiveDate, set: &SetWithPulls, poured: &[Pour]) -> String {
    let fills: Vec<Fill> = poured.iter().map(fill).collect();
    let times: Vec<_> = set.pulls.iter().filter_map(|p| p.0.started_at).collect();
    refuelled_between(date, &times, &fills).map_or_else(String::new, |at| {
        format!("Refuelled at {} between its pulls: they stand on two mixtures. Split the set, or say why it is one.", hhmm(at))
    })
}
