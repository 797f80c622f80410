//! What the demo's people did after the figures: they drove the maps, and worked on one of them with somebody afar.

use crate::error::WorkflowError;
use crate::sign_off::{ITEMS, words_of};
use crate::thread::{remark, say, send_recordings, send_revision};
use chrono::NaiveDate;
use jamjar_store::{By, SetWithPulls, Store};

const CALIBRATOR: &str = "the calibrator";
const AFAR: &str = "the remote calibrator";

/// The newest set of a map over the vehicle's days.
async fn newest_of(store: &Store, vehicle_id: i64, map: &str) -> Result<Option<SetWithPulls>, WorkflowError> {
    for d in store.days_of_vehicle(vehicle_id, 60).await? {
        let sets = store.sets_of_day(d.id).await?;
        if let Some(s) = sets.into_iter().rev().find(|s| s.set.config.map == map && !s.pulls.is_empty()) {
            return Ok(Some(s));
        }
    }
    Ok(None)
}

/// The map that went home, driven and signed; and one that did not, because of its idle.
pub(super) async fn sign_offs(store: &Store, vehicle_id: i64) -> Result<(), WorkflowError> {
    let on = NaiveDate::from_ymd_opt(2026, 5, 31).ok_or_else(|| super::bad("a date"))?;
    let (maps, fuels) = (store.maps(vehicle_id).await?, store.fuels().await?);
    let of = |set: &SetWithPulls| {
        let map = maps.iter().find(|m| m.name == set.set.config.map)?.id;
        Some((map, fuels.iter().find(|f| f.1 == set.set.config.fuel)?.0))
    };
    for (map, sign, wrong) in [("C6", true, ""), ("C3", false, "idle")] {
        let Some(which) = newest_of(store, vehicle_id, map).await?.as_ref().and_then(of) else { continue };
        let mut given: Vec<(String, String)> = Vec::new();
        for i in ITEMS.iter().filter(|i| !i.words_only && i.id != "hot") {
            given.push((i.id.into(), if i.id == wrong { "no" } else { "yes" }.into()));
        }
        let words = if sign {
            [
                ("road", "forty minutes, dry, 14 °C, with the hill at the end"),
                ("feel", "as the figures say from 3000 up; below that no stronger than stock"),
            ]
        } else {
            [("road", "round the airfield"), ("idle", "hunts by 150 rpm with the fan on")]
        };
        given.extend(words.map(|(id, said)| (words_of(id), said.to_owned())));
        let given: Vec<(&str, Option<&str>)> =
            given.iter().map(|(k, v)| (k.as_str(), Some(v.as_str()))).collect();
        store.answer_sign_off(vehicle_id, which, &given, sign, (on, &By::new(CALIBRATOR, ""))).await?;
    }
    Ok(())
}

/// Two revisions out, recordings back, a remark on them.
pub(super) async fn thread(store: &Store, vehicle_id: i64) -> Result<(), WorkflowError> {
    let id = store.open_thread(vehicle_id, "E30: how far λ lets us go", None, &By::new(AFAR, "")).await?;
    let thread = store.thread(id).await?.0;
    let maps = store.maps(vehicle_id).await?;
    let named = |name: &str| maps.iter().find(|m| m.name == name && m.file.is_some()).map(|m| m.id);
    let (Some(first), Some(second)) = (named("C1"), named("C2")) else { return Ok(()) };
    let ask = "Three pulls on E30, engine at 90 °C, with λ and knock retard logged. Stop when λ goes over its limit.";
    send_revision(store, &thread, first, ask, AFAR).await?;
    if let Some(set) = newest_of(store, vehicle_id, "C1").await? {
        let said = "As asked.";
        send_recordings(store, &thread, set.set.id, said, CALIBRATOR).await?;
        let at = (set.pulls[0].0.id, "lambda_1", Some(8.0));
        remark(
            store,
            &thread,
            at,
            "Leanest here, close to its limit: look at this place in the next one.",
            AFAR,
        )
        .await?;
    }
    let ask = "More boost below. The same three pulls; λ at the top is what to watch.";
    send_revision(store, &thread, second, ask, AFAR).await?;
    say(store, &thread, "λ is over at the top with it. It comes out again until that is mended.", CALIBRATOR)
        .await
}

/// What is left to pull on the vehicle's newest day, and how much of that day there is.
pub(super) async fn plan(store: &Store, vehicle_id: i64) -> Result<(), WorkflowError> {
    let Some(day) = store.days_of_vehicle(vehicle_id, 1).await?.pop() else { return Ok(()) };
    if !store.planned(vehicle_id).await?.is_empty() || store.kept_plan(day.id).await?.is_some() {
        return Ok(());
    }
    let Some(set) = newest_of(store, vehicle_id, "M2").await? else { return Ok(()) };
    let why = "as on 12 March, now beside this day's baseline";
    store.plan(vehicle_id, &set.set.config.factors(), 3, why).await?;
    let fields = [("hours", "3"), ("begins", "13:00"), ("difference", "1.5"), ("every", "1")];
    let fields = fields.map(|(k, v)| (k.to_owned(), v.to_owned())).into_iter().collect();
    Ok(store.keep_plan(day.id, Some(&fields), CALIBRATOR).await?)
}
