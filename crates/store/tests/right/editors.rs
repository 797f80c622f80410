//! Several people put the same thing right at the same moment: one is first, the others are told, and what the
//! first wrote stands.

use super::{by, shop};
use crate::shop::{new_vehicle, note};
use jamjar_store::{
    BuildWords, CellWords, Configuration, FuelWords, MapWords, NoteWords, Store, StoreError, Subject,
};
use std::future::Future;

const EDITORS: usize = 8;

/// Lets eight editors write at once what each of them alone would be allowed to; says whose stands by its own account.
async fn one_is_first<F, Fut, T>(what: &str, store: &Store, edit: F) -> usize
where
    F: Fn(Store, usize) -> Fut,
    Fut: Future<Output = Result<T, StoreError>> + Send + 'static,
    T: Send + std::fmt::Debug + 'static,
{
    let all: Vec<_> = (0..EDITORS).map(|i| tokio::spawn(edit(store.clone(), i))).collect();
    let mut first = Vec::new();
    for (i, one) in all.into_iter().enumerate() {
        match one.await.unwrap() {
            Ok(_) => first.push(i),
            Err(StoreError::Changed { .. }) => {}
            Err(e) => panic!("{what}: {e}"),
        }
    }
    assert_eq!(first.len(), 1, "{what}: {first:?} were all told that theirs stands");
    first[0]
}

#[tokio::test(flavor = "multi_thread")]
async fn of_eight_who_edit_a_set_or_a_note_at_once_one_is_first() {
    let (_server, store, day_id, sets) = shop().await;
    let set = sets[0];
    let was = store.set(set).await.unwrap().config;
    let now = |i: usize| Configuration { gear: format!("gear {i}"), ..was.clone() };
    let i = one_is_first("a set", &store, |s, i| {
        let (was, now) = (was.clone(), now(i));
        async move { s.edit_set(set, &was, &now, &by("")).await }
    })
    .await;
    assert_eq!(store.set(set).await.unwrap().config, now(i));
    assert_eq!(store.trail(Subject::Set(set)).await.unwrap().len(), 1, "and the trail knows of no other");

    let i = one_is_first("the note of a set", &store, |s, i| async move {
        s.note_set(set, &format!("note {i}"), Some("after the rattle".into()), &by("")).await
    })
    .await;
    assert_eq!(store.set(set).await.unwrap().config.note, format!("note {i}"));

    let pull = store.sets_of_day(day_id).await.unwrap()[0].pulls[0].0.id;
    let i = one_is_first("the note of a pull", &store, |s, i| async move {
        s.note_pull(pull, &format!("note {i}"), Some(String::new()), &by("")).await
    })
    .await;
    assert_eq!(store.note_of_pull(pull).await.unwrap(), format!("note {i}"));

    store.add_note(day_id, &note(None, "smoke", "grey", "the calibrator")).await.unwrap();
    let n = store.day_sheet(day_id).await.unwrap().notes.remove(0);
    let seen = NoteWords { at_time: None, tag: "smoke".into(), text: "grey".into() };
    let i = one_is_first("a note of the day", &store, |s, i| {
        let (seen, now) = (seen.clone(), NoteWords { text: format!("colour {i}"), ..seen.clone() });
        async move { s.edit_note(n.id, &seen, Some(&now), &by("")).await }
    })
    .await;
    assert_eq!(store.day_sheet(day_id).await.unwrap().notes[0].text, format!("colour {i}"));
}

#[tokio::test(flavor = "multi_thread")]
async fn of_eight_who_edit_words_of_the_shop_at_once_one_is_first() {
    let (_server, store, day_id, _) = shop().await;
    let vehicle = store.vehicle(store.day(day_id).await.unwrap().vehicle_id).await.unwrap();
    let i = one_is_first("a vehicle", &store, |s, i| {
        let seen = vehicle.clone();
        let mut now = seen.vehicle.clone();
        now.dyno.overall_ratio = Some(5.0 + i as f64);
        async move { s.edit_vehicle(&seen, &now, &by("")).await }
    })
    .await;
    assert_eq!(store.vehicle(vehicle.id).await.unwrap().vehicle.dyno.overall_ratio, Some(5.0 + i as f64));

    let map = store.maps(vehicle.id).await.unwrap()[0].id;
    let seen = store.map_words(map).await.unwrap();
    let i = one_is_first("a map", &store, |s, i| {
        let (seen, now) = (seen.clone(), MapWords { note: format!("note {i}"), ..seen.clone() });
        async move { s.edit_map(map, &seen, &now, &by("")).await }
    })
    .await;
    assert_eq!(store.map_words(map).await.unwrap().note, format!("note {i}"));

    let fuel = store.fuels().await.unwrap()[0].0;
    let seen = store.fuel_words(fuel).await.unwrap();
    let i = one_is_first("a fuel", &store, |s, i| {
        let (seen, now) = (seen.clone(), FuelWords { price: Some(1.5 + i as f64), ..seen.clone() });
        async move { s.edit_fuel(fuel, &seen, &now, &by("")).await }
    })
    .await;
    assert_eq!(store.fuel_words(fuel).await.unwrap().price, Some(1.5 + i as f64));

    let build = store.builds(vehicle.id).await.unwrap()[0].id;
    let seen = store.build_words(build).await.unwrap();
    let i = one_is_first("a build state", &store, |s, i| {
        let (seen, now) = (seen.clone(), BuildWords { note: format!("note {i}"), ..seen.clone() });
        async move { s.edit_build(build, &seen, &now, &by("")).await }
    })
    .await;
    assert_eq!(store.build_words(build).await.unwrap().note, format!("note {i}"));

    let cell = store.cell_of_day(day_id).await.unwrap().unwrap();
    let i = one_is_first("a cell", &store, |s, i| {
        let seen = cell.clone();
        let now = CellWords {
            name: seen.name.clone(),
            dyno: seen.dyno.clone(),
            folder: seen.folder.clone(),
            calibrations: Vec::new(),
            note: format!("note {i}"),
        };
        async move { s.edit_cell(&seen, &now, &by("")).await }
    })
    .await;
    assert_eq!(store.cell(cell.id).await.unwrap().note, format!("note {i}"));
}

/// Two make two sets one while a third says that they differ: whoever is second is told.
#[tokio::test(flavor = "multi_thread")]
async fn sets_that_come_to_differ_meanwhile_are_not_made_one() {
    for round in 0..6 {
        let (_server, store, day_id, sets) = shop().await;
        let was = store.set(sets[0]).await.unwrap().config;
        let other = Configuration { fuel: "E85".into(), ..was.clone() };
        let (a, b) = (store.clone(), store.clone());
        let (from, into) = (sets[0], sets[1]);
        let merged = tokio::spawn(async move { a.merge_sets(from, into, &by("one mounting")).await });
        let edited = tokio::spawn(async move { b.edit_set(from, &was, &other, &by("another fuel")).await });
        let (merged, edited) = (merged.await.unwrap(), edited.await.unwrap());
        assert!(
            merged.is_ok() != edited.is_ok(),
            "round {round}: pulls of E85 stand under another fuel: {merged:?}, {edited:?}"
        );
        let pulls: usize = store.sets_of_day(day_id).await.unwrap().iter().map(|s| s.pulls.len()).sum();
        assert_eq!(pulls, 5, "and no pull is gone");
    }
}

/// A trail says what was there before: of writers that come one after the other each finds what the one before left.
#[tokio::test(flavor = "multi_thread")]
async fn the_trail_of_many_writers_is_a_chain() {
    let (_server, store, day_id, _) = shop().await;
    let pull = store.sets_of_day(day_id).await.unwrap()[0].pulls[0].0.id;
    let all: Vec<_> = (0..EDITORS)
        .map(|i| {
            let s = store.clone();
            tokio::spawn(
                async move { s.exclude_pull(pull, Some(&format!("reason {i}")), "the calibrator").await },
            )
        })
        .collect();
    for one in all {
        one.await.unwrap().unwrap();
    }
    let trail = store.trail(Subject::Pull(pull)).await.unwrap();
    assert_eq!(trail.len(), EDITORS);
    for pair in trail.windows(2) {
        assert_eq!(pair[0].old_value, pair[1].new_value, "newest first: {trail:?}");
    }
    assert_eq!(trail.last().unwrap().old_value, "");
    let stands = store.sets_of_day(day_id).await.unwrap()[0].pulls[0].1.measured.excluded.clone();
    assert_eq!(stands.as_ref(), Some(&trail[0].new_value));
}

/// What is read of a shop for an archive is of one moment, whatever is written meanwhile.
#[tokio::test(flavor = "multi_thread")]
async fn an_archive_holds_no_half_of_a_change_made_meanwhile() {
    let (_server, store, day_id, sets) = shop().await;
    let vehicle = store.day(day_id).await.unwrap().vehicle_id;
    let writer = {
        let store = store.clone();
        tokio::spawn(async move {
            for _ in 0..40 {
                // Pulls go to and fro: at each moment there are five of them, in one set or two.
                let standing = store.sets_of_day(day_id).await.unwrap();
                let last = standing[0].pulls.last().unwrap().0.id;
                let own = store
                    .move_pulls(standing[0].set.id, &[last], jamjar_store::To::Own, &by(""))
                    .await
                    .unwrap();
                store.merge_sets(own, standing[0].set.id, &by("")).await.unwrap();
            }
        })
    };
    let mut looked = 0;
    while !writer.is_finished() {
        let taken = store.take_out(&[vehicle]).await.unwrap();
        let sets: std::collections::BTreeSet<i64> = taken.sets.iter().filter_map(|s| s.id).collect();
        assert_eq!(taken.pulls.len(), 5);
        for p in &taken.pulls {
            assert!(sets.contains(&p.set_id), "a pull of a set that is not in the archive");
        }
        looked += 1;
    }
    writer.await.unwrap();
    assert!(looked > 0);
    assert_eq!(store.sets_by_id(&sets).await.unwrap().iter().map(|s| s.pulls.len()).sum::<usize>(), 5);
}

/// A name that many give at once is one thing.
#[tokio::test(flavor = "multi_thread")]
async fn a_vehicle_of_a_name_is_made_once() {
    let (_server, store, ..) = shop().await;
    let all: Vec<_> = (0..EDITORS)
        .map(|_| {
            let s = store.clone();
            tokio::spawn(async move { s.add_vehicle(&new_vehicle("Marrow 48")).await })
        })
        .collect();
    let mut made = 0;
    for one in all {
        match one.await.unwrap() {
            Ok(_) => made += 1,
            Err(StoreError::Duplicate) => {}
            Err(e) => panic!("{e}"),
        }
    }
    assert_eq!((made, store.vehicles().await.unwrap().len()), (1, 2));
}
