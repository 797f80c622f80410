//! Files that wait, cells and what runs in them, and who changed what on a vehicle.

use super::at;
use crate::shop::{Server, by, commit, day, new_day, new_set, new_vehicle};
use chrono::NaiveDate;
use jamjar_store::{
    CellWords, Configuration, NewInboxItem, NewIntervention, Role, RunsNow, Store, StoreError, Subject,
};
use std::collections::BTreeMap;
use std::io::Cursor;

fn item(day_id: i64, name: &str) -> NewInboxItem {
    NewInboxItem { day_id, name: name.into(), role: Role::Ecu, source: "aa".into(), report: "{}".into() }
}

async fn day_in(store: &Store, vehicle_id: i64, place: &str, d: u32) -> i64 {
    store.add_day(&new_day(vehicle_id, place, d)).await.unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_waits_once_on_a_day_and_is_known_where_it_was_used() {
    let (_server, store) = Server::start("waits").await;
    let first = day(&store).await;
    let vehicle = store.day(first).await.unwrap().vehicle_id;
    let second = day_in(&store, vehicle, "cell 1", 4).await;
    let drop = async |day: i64, name: &str, bytes: &[u8]| {
        let r = store.drop_file(&item(day, name), Cursor::new(bytes.to_vec())).await.unwrap();
        (r.id, r.known, r.elsewhere)
    };
    let (a, known, elsewhere) = drop(first, "a.csv", b"aaaa").await;
    assert!(!known && !elsewhere);
    assert_eq!(drop(first, "the same by another name.csv", b"aaaa").await, (a, true, false));
    assert_eq!(drop(second, "a.csv", b"aaaa").await, (a, false, false), "it waits on both days, kept once");
    let (b, ..) = drop(first, "b.csv", b"bbbbbb").await;
    assert_eq!(store.inbox_bytes(first).await.unwrap(), 10);
    assert_eq!(store.inbox_bytes(second).await.unwrap(), 4);
    let waiting = store.inbox(first).await.unwrap();
    assert_eq!(
        waiting.iter().map(|w| (w.file_id, w.name.as_str())).collect::<Vec<_>>(),
        [(a, "a.csv"), (b, "b.csv")]
    );
    assert!(waiting.iter().all(|w| w.role == Role::Ecu && w.source == "aa"));
    store.update_inbox_report(waiting[1].id, "{\"rows\":3}").await.unwrap();
    assert_eq!(store.inbox(first).await.unwrap()[1].report, "{\"rows\":3}");

    commit(&store, first, &[new_set(a, 1)], &[waiting[0].id], None).await.unwrap();
    assert_eq!(drop(first, "again.csv", b"aaaa").await, (a, true, false), "used on this day");
    assert_eq!(drop(second, "x.csv", b"aaaa").await, (a, true, true), "waits there, used elsewhere");
    store.clear_inbox(second, None).await.unwrap();
    assert_eq!(drop(second, "x.csv", b"aaaa").await, (a, false, true));
    // A file of the other day is not cleared by its number.
    let theirs = store.inbox(second).await.unwrap()[0].id;
    store.clear_inbox(first, Some(theirs)).await.unwrap();
    assert_eq!(store.inbox(second).await.unwrap().len(), 1);
    let taken = commit(&store, first, &[new_set(b, 1)], &[theirs], None).await;
    assert!(matches!(taken, Err(StoreError::Taken)), "nor taken for it: {taken:?}");
    assert_eq!(store.file_bytes(b).await.unwrap(), b"bbbbbb");
    store.clear_inbox(first, None).await.unwrap();
    assert_eq!(store.file_bytes(b).await.unwrap(), b"bbbbbb", "what leaves the inbox stays in custody");

    assert_eq!(store.remembered_sources().await.unwrap(), []);
    store.remember_mapping("aa", "{}").await.unwrap();
    assert_eq!(store.remembered_sources().await.unwrap().len(), 1);
    store.forget_source("aa").await.unwrap();
    assert!(matches!(store.forget_source("aa").await, Err(StoreError::NotFound { .. })));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cell_shows_the_day_on_which_something_runs() {
    let (_server, store) = Server::start("cells").await;
    let first = day(&store).await;
    let vehicle = store.day(first).await.unwrap().vehicle_id;
    let cell = store.cell_of_day(first).await.unwrap().unwrap();
    let other = store.add_vehicle(&new_vehicle("Marrow 48")).await.unwrap();
    let beside = day_in(&store, other, "cell 1", 3).await;
    let yard = day_in(&store, other, "the yard", 3).await;
    let newest = day_in(&store, vehicle, "cell 1", 6).await;
    assert_eq!(
        store.cells().await.unwrap().iter().map(|c| c.name.as_str()).collect::<Vec<_>>(),
        ["cell 1", "the yard"]
    );
    assert_eq!(store.beside_day(first).await.unwrap(), [(beside, "Marrow 48".into())]);
    assert!(store.beside_day(yard).await.unwrap().is_empty(), "another cell");
    let date = NaiveDate::from_ymd_opt(2026, 3, 3).unwrap();
    assert_eq!(store.sheets_of_cell(cell.id, date).await.unwrap(), [first, beside]);
    let before = NaiveDate::from_ymd_opt(2026, 3, 6).unwrap();
    assert_eq!(
        store.earlier_in_cell("cell 1", before, 9).await.unwrap(),
        [(beside, other), (first, vehicle)]
    );
    assert_eq!(store.day_on(vehicle, date).await.unwrap(), Some(first));

    assert_eq!(store.day_now(cell.id).await.unwrap(), Some(newest), "its newest while nothing runs");
    assert!(store.watched().await.unwrap().is_empty(), "no folder is named");
    let runs = Configuration {
        map: "C3".into(),
        map_kind: "custom".into(),
        fuel: "E5".into(),
        ..Configuration::default()
    };
    store.run_now(beside, Some(RunsNow::New(runs.clone()))).await.unwrap();
    assert_eq!(store.day_now(cell.id).await.unwrap(), Some(beside));
    assert_eq!(store.running(beside).await.unwrap().unwrap().config, runs);
    let now = CellWords {
        name: "the old cell".into(),
        dyno: "hub".into(),
        folder: "/tmp/recordings".into(),
        calibrations: vec![before, date],
        note: String::new(),
    };
    let (version, measured) = {
        let d = store.day(first).await.unwrap();
        (d.version, d.measured)
    };
    store.edit_cell(&cell, &now, &by()).await.unwrap();
    let d = store.day(first).await.unwrap();
    assert_eq!(d.place, "the old cell", "its days carry its name");
    assert!(
        d.version > version && d.measured > measured,
        "and their figures may rest on another calibration"
    );
    assert_eq!(store.cell(cell.id).await.unwrap().calibrations(), [before, date]);
    assert!(matches!(store.edit_cell(&cell, &now, &by()).await, Err(StoreError::Changed { .. })));
    let seen = store.cell(cell.id).await.unwrap();
    let taken = CellWords { name: "the yard".into(), ..now };
    assert!(matches!(store.edit_cell(&seen, &taken, &by()).await, Err(StoreError::Duplicate)));
    let watched = store.watched().await.unwrap();
    assert_eq!((watched.len(), watched[0].day, watched[0].folder.as_str()), (1, beside, "/tmp/recordings"));
    store.archive(&[Subject::Day(beside)], &by()).await.unwrap();
    assert!(store.watched().await.unwrap().is_empty(), "nothing goes to a day that was put away");
    assert_eq!(store.day_now(cell.id).await.unwrap(), Some(newest));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_runs_is_a_set_of_the_day_in_use_or_nothing() {
    let (_server, store) = Server::start("runsnow").await;
    let first = day(&store).await;
    let vehicle = store.day(first).await.unwrap().vehicle_id;
    let second = day_in(&store, vehicle, "cell 1", 4).await;
    let file = crate::file(&store, 1).await;
    let set = commit(&store, first, &[new_set(file, 1)], &[], None).await.unwrap()[0];
    assert_eq!(store.running(first).await.unwrap(), None);
    store.run_now(first, Some(RunsNow::Set(set))).await.unwrap();
    assert_eq!(store.running(first).await.unwrap().unwrap().set, Some(set));
    let foreign = store.run_now(second, Some(RunsNow::Set(set))).await;
    assert!(matches!(foreign, Err(StoreError::NotFound { what: "set", .. })), "{foreign:?}");
    store.archive(&[Subject::Set(set)], &by()).await.unwrap();
    assert_eq!(store.running(first).await.unwrap(), None, "what is put away runs no more");
    assert!(store.run_now(first, Some(RunsNow::Set(set))).await.is_err());
    let mut into = new_set(file, 1);
    into.into = Some(set);
    let gone = commit(&store, first, &[into], &[], None).await;
    assert!(matches!(gone, Err(StoreError::Refused(_))), "nor do pulls go to it: {gone:?}");
    store.restore(Subject::Set(set), &by()).await.unwrap();
    assert_eq!(store.running(first).await.unwrap().unwrap().set, Some(set));
    store.run_now(first, None).await.unwrap();
    assert_eq!(store.running(first).await.unwrap(), None);
    // New pulls make their set the one that runs, where that is asked.
    let mut next = new_set(file, 1);
    next.runs = true;
    let made = commit(&store, first, &[next], &[], None).await.unwrap()[0];
    assert_eq!(store.running(first).await.unwrap().unwrap().set, Some(made));
    assert!(matches!(store.running(999).await, Err(StoreError::NotFound { what: "day", .. })));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_changed_on_a_vehicle_crosses_its_sets_until_it_is_taken_back() {
    let (_server, store) = Server::start("crosses").await;
    let first = day(&store).await;
    let vehicle = store.day(first).await.unwrap().vehicle_id;
    let second = day_in(&store, vehicle, "cell 1", 4).await;
    let file = crate::file(&store, 1).await;
    commit(&store, second, &[new_set(file, 1)], &[], None).await.unwrap();
    let new = |at, what: &str| NewIntervention { at, what: what.into(), from: "7".into(), to: "8".into() };
    store.intervene(first, &new(Some(at(14)), "plugs"), &by()).await.unwrap();
    store.intervene(first, &new(Some(at(9)), "oil"), &by()).await.unwrap();
    store.intervene(first, &new(None, "belt"), &by()).await.unwrap();
    let words: Vec<String> = store.interventions(first).await.unwrap().iter().map(|i| i.words()).collect();
    assert_eq!(
        words,
        ["belt: 7 → 8", "oil: 7 → 8", "plugs: 7 → 8"],
        "in order of time, what has none in front"
    );
    let known = async || store.sets_of_day(second).await.unwrap()[0].set.interventions.len();
    assert_eq!(
        (store.changed_on(vehicle).await.unwrap().len(), known().await),
        (3, 3),
        "on every day of the vehicle"
    );
    let oil = store.interventions(first).await.unwrap()[1].id;
    assert!(matches!(store.take_back(second, oil, &by()).await, Err(StoreError::NotFound { .. })));
    store.take_back(first, oil, &by()).await.unwrap();
    assert!(matches!(store.take_back(first, oil, &by()).await, Err(StoreError::NotFound { .. })));
    assert_eq!(known().await, 2);
    store.archive(&[Subject::Day(first)], &by()).await.unwrap();
    assert_eq!(known().await, 0, "a day that was put away changed nothing");
    let fields = BTreeMap::from([("pulls".to_owned(), "3".to_owned())]);
    assert_eq!(store.kept_plan(second).await.unwrap(), None);
    store.keep_plan(second, Some(&fields), "the calibrator").await.unwrap();
    let kept = store.kept_plan(second).await.unwrap().unwrap();
    assert_eq!((kept.fields, kept.by.as_str()), (fields, "the calibrator"));
    store.keep_plan(second, None, "the calibrator").await.unwrap();
    assert_eq!(store.kept_plan(second).await.unwrap(), None);
}
