//! Vehicles and day sheets in the store: sheets, builds, limits, maps in custody, notes, air, fuel; the demo
//! taken away; bulk data.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

#[path = "find/mod.rs"]
mod find;
#[path = "handled/mod.rs"]
mod handled;
#[path = "right/mod.rs"]
mod right;
mod shop;

use chrono::{NaiveDate, NaiveTime};
use find::Watcher;
use jamjar_core::air::AirState;
use jamjar_core::limits::Limit;
use jamjar_core::vehicle_sheet::VehicleSheet;
use jamjar_store::{Checklist, NewDay, NewMap, NewVehicle, SheetAir, Store, StoreError};
use shop::{Server, by, commit, day, new_pull, new_set, note, vehicle};
use std::io::Cursor;

fn limit(id: &str, threshold: f64) -> Limit {
    serde_json::from_value(serde_json::json!({"id": id, "channel": "lambda_1", "direction": "above", "threshold": threshold, "caution": 0.03}))
        .unwrap()
}

fn map(name: &str) -> NewMap {
    NewMap {
        name: name.into(),
        kind: "custom".into(),
        parent: Some("Stock".into()),
        for_fuel: Some("E30".into()),
        note: "two degrees more".into(),
        file_name: format!("{name}.map"),
    }
}

fn at(h: u32, m: u32) -> NaiveTime {
    NaiveTime::from_hms_opt(h, m, 0).unwrap()
}

async fn file(store: &Store, bytes: u8) -> i64 {
    store.receive_file("p1.csv", std::io::Cursor::new(vec![bytes; 100])).await.unwrap().id
}

#[tokio::test(flavor = "multi_thread")]
async fn a_vehicle_keeps_its_sheet_builds_and_limits() {
    let (_server, store) = Server::start("garage").await;
    let day_id = day(&store).await;
    let v = store.day(day_id).await.unwrap().vehicle_id;
    assert_eq!(
        store.vehicle(v).await.unwrap().sheet,
        VehicleSheet::default(),
        "an empty sheet to begin with"
    );
    let sheet = VehicleSheet {
        model: "saloon".into(),
        gears: vec![3.6, 2.05],
        final_drive: Some(3.94),
        driven: Some(jamjar_core::driven::Driven::Band([2500.0, 6500.0])),
        ..VehicleSheet::default()
    };
    store.set_sheet(v, &sheet, None, &by()).await.unwrap();
    store.change_limits(v, None, &[limit("lean", 0.9), limit("leaner", 0.95)], &[], &by()).await.unwrap();
    let stored = store.vehicle(v).await.unwrap();
    assert_eq!((stored.sheet, stored.limits.len()), (sheet, 2));
    let seen = store.vehicle(v).await.unwrap().version;
    store.change_limits(v, Some(seen), &[limit("lean", 0.88)], &["leaner".into()], &by()).await.unwrap();
    let second = store.change_limits(v, Some(seen), &[limit("lean", 0.95)], &[], &by()).await;
    assert!(matches!(second, Err(StoreError::Changed { .. })), "{second:?}");
    let now = store.vehicle(v).await.unwrap().limits;
    assert_eq!(now, [limit("lean", 0.88)], "the first change stands");
    store.change_limits(v, None, &[limit("leaner", 0.95)], &[], &by()).await.unwrap();

    let since = NaiveDate::from_ymd_opt(2026, 3, 1).unwrap();
    let first = store.put_build(v, "A", Some(since), "as it came").await.unwrap();
    assert_eq!(
        store.put_build(v, "A", Some(since), "as it came, new plugs").await.unwrap(),
        first,
        "the same build, said better"
    );
    let f = file(&store, 1).await;
    commit(&store, day_id, &[new_set(f, 2)], &[], None).await.unwrap();
    let builds = store.builds(v).await.unwrap();
    assert_eq!(
        (builds.len(), builds[0].sets, builds[0].changed.as_str(), builds[0].since),
        (1, 1, "as it came, new plugs", Some(since))
    );
    assert_eq!(store.vehicle_counts(v).await.unwrap(), (1, 2));
    assert_eq!(store.days_of_vehicle(v, 10).await.unwrap()[0].id, day_id);
    assert!(store.newest_stock_set(v).await.unwrap().is_none(), "C3 is no stock map");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_map_file_is_never_replaced() {
    let (_server, store) = Server::start("maps").await;
    let v = store.day(day(&store).await).await.unwrap().vehicle_id;
    let id = store.put_map(v, &map("C3"), Cursor::new(b"jamjar map 1\n")).await.unwrap();
    assert_eq!(
        store.put_map(v, &map("C3"), Cursor::new(b"jamjar map 1\n")).await.unwrap(),
        id,
        "the same bytes again are no harm"
    );
    assert!(matches!(store.put_map(v, &map("C3"), Cursor::new(b"other")).await, Err(StoreError::Duplicate)));
    let maps = store.maps(v).await.unwrap();
    let jamjar_store::HeldFile { id: file_id, sha256: sha, name } = maps[0].file.clone().unwrap();
    assert_eq!(
        (maps.len(), name.as_str(), sha.len(), maps[0].parent.as_deref()),
        (1, "C3.map", 64, Some("Stock"))
    );
    assert_eq!(store.file_bytes(file_id).await.unwrap(), b"jamjar map 1\n");
    let mut odd = map("C4");
    odd.kind = "borrowed".into();
    assert!(matches!(store.put_map(v, &odd, Cursor::new(b"x")).await, Err(StoreError::Check)));
    assert_eq!(store.maps(v).await.unwrap().len(), 1, "and nothing of it is there");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_sheet_is_kept_in_order_of_time() {
    let (_server, store) = Server::start("sheet").await;
    let day_id = day(&store).await;
    store.add_note(day_id, &note(None, "", "without a time", "the calibrator")).await.unwrap();
    store.add_note(day_id, &note(Some(at(15, 0)), "limit", "no further", "the calibrator")).await.unwrap();
    store.add_note(day_id, &note(Some(at(9, 5)), "cell", "straps", "the calibrator")).await.unwrap();
    let air = |t| AirState::new(t, 0.5, 1002.0).unwrap();
    let sheet = async || [SheetAir::of(store.day(day_id).await.unwrap())];
    store.add_air(&sheet().await, at(9, 0), air(20.0), &by()).await.unwrap();
    store.add_air(&sheet().await, at(9, 0), air(21.0), &by()).await.unwrap();
    store.add_air(&sheet().await, at(8, 0), air(18.0), &by()).await.unwrap();
    store.put_fuel_on_hand(day_id, "E85", 40.0, "measured 0.78").await.unwrap();
    store.put_fuel_on_hand(day_id, "E85", 31.5, "").await.unwrap();
    assert!(matches!(store.put_fuel_on_hand(day_id, "E30", -1.0, "").await, Err(StoreError::Check)));
    store.set_checklist(day_id, &Checklist::from([("straps".into(), "yes".into())])).await.unwrap();
    let sheet = store.day_sheet(day_id).await.unwrap();
    assert_eq!(
        sheet.notes.iter().map(|n| n.text.as_str()).collect::<Vec<_>>(),
        ["straps", "no further", "without a time"]
    );
    assert_eq!(
        sheet.air.iter().map(|a| (a.0, a.1.temperature_c)).collect::<Vec<_>>(),
        [(at(8, 0), 18.0), (at(9, 0), 21.0)]
    );
    assert_eq!(sheet.fuels.iter().map(|f| (f.fuel.as_str(), f.litres)).collect::<Vec<_>>(), [("E85", 31.5)]);
    assert_eq!(sheet.checklist["straps"], "yes");
    assert!(matches!(store.day_sheet(999).await, Err(StoreError::NotFound { .. })));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pull_keeps_its_time_and_air_and_a_set_can_be_marked() {
    let (_server, store) = Server::start("times").await;
    let day_id = day(&store).await;
    let f = file(&store, 1).await;
    let mut set = new_set(f, 0);
    let air = AirState::new(38.4, 0.3, 1004.0).unwrap();
    set.pulls = vec![
        jamjar_store::NewPull { started_at: Some(at(9, 12)), air: Some(air), ..new_pull(f) },
        jamjar_store::NewPull { excluded: Some("third gear".into()), ..new_pull(f) },
    ];
    let id = commit(&store, day_id, &[set], &[], None).await.unwrap()[0];
    let read = async || store.sets_of_day(day_id).await.unwrap().remove(0);
    let s = read().await;
    assert_eq!((s.pulls[0].0.started_at, s.pulls[0].0.air), (Some(at(9, 12)), Some(air)));
    assert_eq!(s.pulls[1].1.measured.excluded.as_deref(), Some("third gear"), "left out from the start");
    assert_eq!(store.mark_set(id, Some("strap slipped"), "the calibrator").await.unwrap(), day_id);
    let s = read().await;
    assert_eq!(s.set.invalid.as_deref(), Some("strap slipped"));
    assert_eq!(s.pulls[0].1.measured.excluded.as_deref(), Some("set marked invalid: strap slipped"));
    assert_eq!(s.pulls[1].1.measured.excluded.as_deref(), Some("third gear"), "its own reason comes first");
    store.mark_set(id, None, "the calibrator").await.unwrap();
    assert_eq!(read().await.pulls[0].1.measured.excluded, None);
    assert!(matches!(store.mark_set(999, None, "x").await, Err(StoreError::NotFound { .. })));
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_goes_and_what_is_the_users_own_stays() {
    let (_server, store) = Server::start("demo").await;
    let own = day(&store).await;
    let f = file(&store, 1).await;
    commit(&store, own, &[new_set(f, 1)], &[], None).await.unwrap();
    let mut other = vehicle();
    other.name = "Marrow 48".into();
    let demo_vehicle = store
        .add_vehicle(&NewVehicle {
            vehicle: other,
            limits: vec![limit("lean", 0.9)],
            sheet: VehicleSheet::default(),
            demo: true,
        })
        .await
        .unwrap();
    let date = NaiveDate::from_ymd_opt(2026, 2, 12).unwrap();
    let new = |vehicle_id, demo| NewDay {
        vehicle_id,
        date,
        place: "yard".into(),
        air: None,
        note: String::new(),
        demo,
    };
    let demo_day = store.add_day(&new(demo_vehicle, true)).await.unwrap();
    let also = store.add_day(&new(store.day(own).await.unwrap().vehicle_id, true)).await.unwrap();
    commit(&store, demo_day, &[new_set(f, 2)], &[], None).await.unwrap();
    commit(&store, also, &[new_set(f, 1)], &[], None).await.unwrap();
    store.add_note(demo_day, &note(Some(at(9, 0)), "", "x", "y")).await.unwrap();
    store.put_map(demo_vehicle, &map("C3"), Cursor::new(b"whole")).await.unwrap();
    assert!(store.has_demo().await.unwrap());
    assert!(store.remove_demo().await.unwrap().is_empty());
    assert!(!store.has_demo().await.unwrap());
    assert_eq!(store.pull_count().await.unwrap(), 1, "only the user's own pull is left");
    assert!(matches!(store.vehicle(demo_vehicle).await, Err(StoreError::NotFound { .. })));
    assert_eq!(store.sets_of_day(own).await.unwrap().len(), 1);
    assert_eq!(store.file_bytes(f).await.unwrap(), vec![1; 100], "raw files stay in custody");

    let again = store
        .add_vehicle(&NewVehicle {
            vehicle: jamjar_core::analysis::Vehicle { name: "Quillet 650".into(), ..vehicle() },
            limits: vec![],
            sheet: VehicleSheet::default(),
            demo: true,
        })
        .await
        .unwrap();
    store.add_day(&new(again, false)).await.unwrap();
    assert_eq!(
        store.remove_demo().await.unwrap(),
        ["Quillet 650"],
        "a demo vehicle stays where a day of the user's own stands on it"
    );
    assert!(!store.vehicle(again).await.unwrap().demo, "and is the user's from then on");
}

#[tokio::test(flavor = "multi_thread")]
async fn bulk_pulls_have_figures_of_their_own_and_share_samples() {
    let (_server, store) = Server::start("bulk").await;
    let day_id = day(&store).await;
    let f = file(&store, 1).await;
    commit(&store, day_id, &[new_set(f, 1)], &[], None).await.unwrap();
    let real = store.sets_of_day(day_id).await.unwrap()[0].pulls[0].0.id;
    let run = store.start_run(None, "bulk", 1).await.unwrap();
    store.add_bulk(1000, real, run).await.unwrap();
    assert_eq!(store.pull_count().await.unwrap(), 1001);
    let mut w = Watcher::default();
    w.look(&store).await;
    let hits = w.find("vehicle \"Bulk 01\", map Stock");
    assert!(hits.len() >= 4 && hits.len().is_multiple_of(4), "{}", hits.len());
    let powers: std::collections::BTreeSet<u64> =
        hits.iter().filter_map(|h| h.power).map(|p| p.0.to_bits()).collect();
    assert_eq!(powers.len(), hits.len(), "no two pulls made the same power");
    let set = &store.sets_by_id(&[hits[0].place.set]).await.unwrap()[0];
    assert_eq!(set.pulls[0].0.shares, Some(real));
    assert_eq!(store.samples(set.pulls[0].0.id).await.unwrap(), store.samples(real).await.unwrap());
    store.add_bulk(500, real, run).await.unwrap();
    assert_eq!(store.pull_count().await.unwrap(), 1501, "more can be added");
    assert_eq!(w.look(&store).await, None, "which an index reads as a whole");
    assert_eq!(w.count(""), 1501);
    store.remove_demo().await.unwrap();
    assert_eq!(store.pull_count().await.unwrap(), 1, "and all of it goes with the demo");
    w.look(&store).await;
    assert_eq!(w.count(""), 1);
    assert!(matches!(store.add_bulk(10, 999, run).await, Err(StoreError::NotFound { .. })));
}

#[tokio::test(flavor = "multi_thread")]
async fn sets_that_need_a_look_are_found_by_their_worst_limit() {
    let (_server, store) = Server::start("look").await;
    let day_id = day(&store).await;
    let f = file(&store, 1).await;
    let ids = commit(&store, day_id, &[new_set(f, 1), new_set(f, 1)], &[], None).await.unwrap();
    assert!(store.sets_to_look_at(5).await.unwrap().is_empty());
    let sets = store.sets_of_day(day_id).await.unwrap();
    let (pull, mut summary) = sets[1].pulls[0].clone();
    let measured = std::sync::Arc::make_mut(&mut summary.measured);
    measured.alignment = measured.alignment.clone().refuse(jamjar_core::findings::Refusal::NoLag);
    let version = store.day(day_id).await.unwrap().measured;
    assert!(store.keep_summaries(day_id, version, &[(pull.id, summary.pack().unwrap())]).await.unwrap());
    store.note_pull(pull.id, "x", None, &by()).await.unwrap();
    assert!(
        store.keep_summaries(day_id, version, &[(pull.id, summary.pack().unwrap())]).await.unwrap(),
        "nothing rests on a note"
    );
    store
        .add_air(
            &[SheetAir::of(store.day(day_id).await.unwrap())],
            chrono::NaiveTime::MIN,
            jamjar_core::air::AirState::new(30.0, 0.5, 990.0).unwrap(),
            &by(),
        )
        .await
        .unwrap();
    assert!(
        !store.keep_summaries(day_id, version, &[(pull.id, summary.pack().unwrap())]).await.unwrap(),
        "the day has changed since"
    );
    assert_eq!(store.sets_to_look_at(5).await.unwrap(), [ids[1]]);
    assert_eq!(store.latest_sets(1).await.unwrap()[0].id, ids[1], "the newest first");
}
