//! Putting right what is stored: every change with its trail, nothing torn, nothing gone.

mod carried;
mod editors;
mod erased;
mod named;
mod random;

use crate::find::Watcher;
use crate::shop::{Server, commit, day, new_set};
use jamjar_store::{By, Configuration, DayWords, NewVehicle, Store, StoreError, Subject, To};

fn by(why: &str) -> By {
    By::new("the apprentice", why)
}

/// Ids of the pulls of each set of a day, in order.
async fn order(store: &Store, day: i64) -> Vec<Vec<i64>> {
    let sets = store.sets_of_day(day).await.unwrap();
    sets.iter().map(|s| s.pulls.iter().map(|p| p.0.id).collect()).collect()
}

async fn shop() -> (Server, Store, i64, Vec<i64>) {
    let (server, store) = Server::start("right").await;
    let day_id = day(&store).await;
    let file = crate::file(&store, 1).await;
    let sets = commit(&store, day_id, &[new_set(file, 3), new_set(file, 2)], &[], None).await.unwrap();
    (server, store, day_id, sets)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_set_is_edited_as_it_was_seen_and_the_trail_says_what_who_and_why() {
    let (_server, store, day_id, sets) = shop().await;
    let was = store.set(sets[0]).await.unwrap().config;
    let now = Configuration {
        map: "C4".into(),
        map_kind: "custom".into(),
        fuel: "E30".into(),
        extras: [("switch".to_owned(), "2".to_owned())].into(),
        ..was.clone()
    };
    let mut w = Watcher::default();
    w.look(&store).await;
    assert_eq!(w.count("C4"), 0);
    assert_eq!(store.edit_set(sets[0], &was, &now, &by("read the jar label wrong")).await.unwrap(), 3);
    assert_eq!(w.look(&store).await, Some(vec![day_id]));
    assert_eq!((w.count("C4"), w.count("E30"), w.count("C3")), (3, 3, 2), "the search follows");
    let trail = store.trail(Subject::Set(sets[0])).await.unwrap();
    let said: Vec<String> =
        trail.iter().map(|e| format!("{}: {}→{}", e.field, e.old_value, e.new_value)).collect();
    assert_eq!(said, ["switch: →2", "fuel: RON 95 E5→E30", "map: C3→C4"]);
    assert!(trail.iter().all(|e| e.who == "the apprentice" && e.why == "read the jar label wrong"));
    let measured: Vec<u32> = store
        .sets_of_day(day_id)
        .await
        .unwrap()
        .iter()
        .flat_map(|s| s.pulls.iter().map(|p| p.1.algorithm))
        .collect();
    assert_eq!(measured, [0; 5], "all pulls of the day are measured again at the next look");
    // Somebody who still sees the old one is told.
    let late =
        store.edit_set(sets[0], &was, &Configuration { gear: "3".into(), ..was.clone() }, &by("")).await;
    assert!(matches!(late, Err(StoreError::Changed { .. })), "{late:?}");
    assert_eq!(store.set(sets[0]).await.unwrap().config, now, "and changes nothing");
    assert_eq!(store.edit_set(sets[0], &now, &now, &by("")).await.unwrap(), 0, "nothing to do is no change");
    assert_eq!(store.trail(Subject::Set(sets[0])).await.unwrap().len(), 3);
}

#[tokio::test(flavor = "multi_thread")]
async fn pulls_move_between_sets_of_a_day_and_within_one() {
    let (_server, store, day_id, sets) = shop().await;
    let first = order(&store, day_id).await;
    let [a, b, c] = first[0][..] else { panic!("three pulls") };
    store
        .move_pulls(sets[0], &[b], To::Set { id: sets[1], place: Some(1) }, &by("wrong folder"))
        .await
        .unwrap();
    assert_eq!(order(&store, day_id).await, [vec![a, c], vec![b, first[1][0], first[1][1]]]);
    store.move_pulls(sets[1], &[b], To::Set { id: sets[1], place: Some(3) }, &by("")).await.unwrap();
    assert_eq!(order(&store, day_id).await[1], [first[1][0], first[1][1], b]);
    let names: Vec<String> =
        store.sets_of_day(day_id).await.unwrap()[1].pulls.iter().map(|p| p.1.measured.id.clone()).collect();
    assert_eq!(names, ["p1", "p2", "p3"], "a pull is called by its place");
    let trail = store.trail(Subject::Pull(b)).await.unwrap();
    assert_eq!(trail.len(), 2);
    assert!(trail[1].old_value.contains("set 1") && trail[1].new_value.contains("set 2"), "{trail:?}");
    // Split: a set of its own stands behind the one it comes from.
    let own = store.move_pulls(sets[1], &[first[1][0], b], To::Own, &by("")).await.unwrap();
    assert_eq!(order(&store, day_id).await, [vec![a, c], vec![first[1][1]], vec![first[1][0], b]]);
    assert_eq!(
        store.set(own).await.unwrap().config.factors(),
        store.set(sets[1]).await.unwrap().config.factors()
    );
    let all = store.move_pulls(sets[1], &[first[1][1]], To::Own, &by("")).await;
    assert!(matches!(all, Err(StoreError::Refused(_))), "{all:?}");
    let foreign = store.move_pulls(sets[0], &[b], To::Own, &by("")).await;
    assert!(matches!(foreign, Err(StoreError::NotFound { .. })), "{foreign:?}");
    // Merge: the emptied set goes into the archive, its pulls are behind the others.
    store.merge_sets(own, sets[1], &by("one mounting")).await.unwrap();
    assert_eq!(order(&store, day_id).await, [vec![a, c], vec![first[1][1], first[1][0], b]]);
    assert!(store.is_archived(Subject::Set(own)).await.unwrap());
    let was = store.set(sets[0]).await.unwrap().config;
    store
        .edit_set(sets[0], &was, &Configuration { gear: "3".into(), ..was.clone() }, &by("typed"))
        .await
        .unwrap();
    let differ = store.merge_sets(sets[0], sets[1], &by("")).await.unwrap_err();
    assert!(differ.to_string().contains("differ in gear"), "{differ}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_archived_leaves_lists_and_search_and_comes_back_whole() {
    let (_server, store, day_id, sets) = shop().await;
    let vehicle = store.day(day_id).await.unwrap().vehicle_id;
    let pull = order(&store, day_id).await[1][0];
    let mut w = Watcher::default();
    w.look(&store).await;
    assert_eq!(w.count("C3"), 5);
    store.archive(&[Subject::Pull(pull)], &by("a cough")).await.unwrap();
    w.look(&store).await;
    assert_eq!((w.count("C3"), order(&store, day_id).await[1].len()), (4, 1));
    let twice = store.archive(&[Subject::Pull(pull)], &by("")).await;
    assert!(matches!(twice, Err(StoreError::Changed { .. })), "{twice:?}");
    let last = order(&store, day_id).await[1][0];
    store.archive(&[Subject::Pull(last)], &by("")).await.unwrap();
    assert_eq!(store.sets_of_day(day_id).await.unwrap().len(), 1, "an empty set goes with its last pull");
    assert_eq!(store.archived_on_day(day_id).await.unwrap().len(), 1);
    let was = store.set(sets[1]).await.unwrap().config;
    let late = store.edit_set(sets[1], &was, &Configuration::default(), &by("")).await;
    assert!(
        matches!(late, Err(StoreError::Changed { .. })),
        "an edit of what was archived meanwhile: {late:?}"
    );
    store.restore(Subject::Pull(last), &by("")).await.unwrap();
    assert_eq!(order(&store, day_id).await[1], [last], "a pull brings its set back");

    store.archive(&[Subject::Day(day_id)], &by("")).await.unwrap();
    w.look(&store).await;
    assert_eq!((w.count("C3"), store.latest_days(10).await.unwrap().len()), (0, 0));
    assert!(store.sets_by_id(&sets).await.unwrap().is_empty() && store.day(day_id).await.unwrap().archived);
    store.archive(&[Subject::Vehicle(vehicle)], &by("sold")).await.unwrap();
    assert!(store.vehicles().await.unwrap().is_empty());
    store.restore(Subject::Pull(pull), &by("")).await.unwrap();
    w.look(&store).await;
    assert_eq!((w.count("C3"), store.vehicles().await.unwrap().len()), (5, 1), "all it stands in is back");
    // One of several that cannot be archived: none is.
    store.archive(&[Subject::Pull(pull)], &by("")).await.unwrap();
    let half = store.archive(&[Subject::Pull(last), Subject::Pull(pull)], &by("")).await;
    assert!(half.is_err() && order(&store, day_id).await[1] == [last], "nothing half done");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_changes_its_date_and_its_vehicle_and_takes_its_maps_along() {
    let (_server, store, day_id, sets) = shop().await;
    let mut other = crate::shop::vehicle();
    other.name = "Brae kart-cross".into();
    let other = NewVehicle { vehicle: other, limits: vec![], sheet: Default::default(), demo: false };
    let to = store.add_vehicle(&other).await.unwrap();
    let seen = store.day(day_id).await.unwrap();
    let now = DayWords {
        date: "2026-03-04".parse().unwrap(),
        zone: "UTC+1".into(),
        place: "cell 2".into(),
        vehicle_id: to,
    };
    assert_eq!(store.edit_day(&seen, &now, &by("the other car")).await.unwrap(), 4);
    let set = store.set(sets[0]).await.unwrap();
    assert_eq!(
        (set.vehicle_id, set.vehicle.as_str(), set.config.map.as_str()),
        (to, "Brae kart-cross", "C3")
    );
    assert_eq!(store.maps(to).await.unwrap().len(), 1, "the map is known there now");
    let day = store.day(day_id).await.unwrap();
    assert_eq!((day.date, day.zone.as_str(), day.place.as_str()), (now.date, "UTC+1", "cell 2"));
    let late = store.edit_day(&seen, &now, &by("")).await;
    assert!(matches!(late, Err(StoreError::Changed { .. })), "{late:?}");
    let nowhere = store.edit_day(&day, &DayWords { vehicle_id: 99, ..now }, &by("")).await;
    assert!(matches!(nowhere, Err(StoreError::NotFound { what: "vehicle", .. })), "{nowhere:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn doubled_vehicles_maps_and_fuels_become_one() {
    let (_server, store, day_id, sets) = shop().await;
    let v = store.day(day_id).await.unwrap().vehicle_id;
    let was = store.set(sets[0]).await.unwrap().config;
    let other = Configuration { map: "c3".into(), fuel: "ron 95".into(), ..was.clone() };
    store.edit_set(sets[0], &was, &other, &by("")).await.unwrap();
    let id = |name: &str, all: &[(i64, String)]| all.iter().find(|f| f.1 == name).unwrap().0;
    let fuels = store.fuels().await.unwrap();
    store.merge_fuels(id("ron 95", &fuels), id("RON 95 E5", &fuels), &by("")).await.unwrap();
    let maps = store.maps(v).await.unwrap();
    let of = |name: &str| maps.iter().find(|m| m.name == name).unwrap().id;
    store.merge_maps(of("c3"), of("C3"), &by("")).await.unwrap();
    assert_eq!(store.set(sets[0]).await.unwrap().config, was, "as if it had never been doubled");
    assert_eq!(store.maps(v).await.unwrap().len(), 1, "the other is in the archive");
    assert_eq!(store.archived_of_vehicle(v).await.unwrap()[0].name, "map c3");

    let mut twin = crate::shop::vehicle();
    twin.name = "Tolvern T3 (2)".into();
    let twin = NewVehicle { vehicle: twin, limits: vec![], sheet: Default::default(), demo: false };
    let to = store.add_vehicle(&twin).await.unwrap();
    store.merge_vehicles(v, to, &by("one car")).await.unwrap();
    assert_eq!(store.days_of_vehicle(to, 10).await.unwrap().len(), 1);
    assert_eq!(store.archived_vehicles().await.unwrap()[0].what, Subject::Vehicle(v));
    assert!(store.merge_vehicles(to, to, &by("")).await.is_err());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_vehicle_is_edited_as_it_was_seen_and_names_stay_unique() {
    let (_server, store, day_id, _) = shop().await;
    let seen = store.vehicle(store.day(day_id).await.unwrap().vehicle_id).await.unwrap();
    let mut now = seen.vehicle.clone();
    now.dyno.overall_ratio = Some(5.36);
    now.engine.displacement_l = Some(1.6);
    assert_eq!(store.edit_vehicle(&seen, &now, &by("third gear")).await.unwrap(), 2);
    let said: Vec<String> = store
        .trail(Subject::Vehicle(seen.id))
        .await
        .unwrap()
        .iter()
        .map(|e| format!("{}: {}→{}", e.field, e.old_value, e.new_value))
        .collect();
    assert_eq!(said, ["overall ratio: 4.0→5.36", "displacement l: →1.6"]);
    assert!(matches!(store.edit_vehicle(&seen, &now, &by("")).await, Err(StoreError::Changed { .. })));
    let mut other = crate::shop::vehicle();
    other.name = "Quillet 650".into();
    store
        .add_vehicle(&NewVehicle { vehicle: other, limits: vec![], sheet: Default::default(), demo: false })
        .await
        .unwrap();
    let seen = store.vehicle(seen.id).await.unwrap();
    let taken = jamjar_core::analysis::Vehicle { name: "Quillet 650".into(), ..now };
    assert!(matches!(store.edit_vehicle(&seen, &taken, &by("")).await, Err(StoreError::Duplicate)));
}
