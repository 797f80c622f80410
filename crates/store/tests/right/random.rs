//! Corrections in any order: whatever people do, no pull is lost, none counts that was left out, places are as they
//! were asked for, an index that follows sees what one sees that reads everything, and an import taken back is gone
//! whole.

use super::erased::pointing_nowhere;
use super::{by, order, shop};
use crate::find::Watcher;
use crate::shop::{commit, new_set};
use jamjar_store::{RunState, Store, StoreError, Subject, To};
use std::collections::BTreeSet;

/// Numbers that look like chance and are the same in every run.
struct Dice(u64);

impl Dice {
    fn below(&mut self, n: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % n.max(1)
    }

    fn one_of<T: Copy>(&mut self, all: &[T]) -> Option<T> {
        (!all.is_empty()).then(|| all[self.below(all.len())])
    }
}

/// What should stand: sets in order with the pulls in use of each, and pulls in the archive.
#[derive(Debug, Default)]
struct Model {
    sets: Vec<(i64, Vec<i64>)>,
    archived: BTreeSet<i64>,
}

impl Model {
    async fn of(store: &Store, day_id: i64) -> Self {
        let sets = store.sets_of_day(day_id).await.unwrap();
        let sets =
            sets.iter().map(|s| (s.set.id, s.pulls.iter().map(|p| p.0.id).collect())).collect::<Vec<_>>();
        Self { sets, archived: BTreeSet::new() }
    }

    fn of_set(&mut self, id: i64) -> &mut Vec<i64> {
        &mut self.sets.iter_mut().find(|s| s.0 == id).expect("a set in use").1
    }

    fn take(&mut self, pulls: &[i64]) {
        for (_, own) in &mut self.sets {
            own.retain(|p| !pulls.contains(p));
        }
    }

    fn drop_empty(&mut self) {
        self.sets.retain(|s| !s.1.is_empty());
    }
}

/// One correction by chance, done to the store and to the model.
async fn correct(store: &Store, model: &mut Model, dice: &mut Dice) {
    let Some((set, pulls)) =
        dice.one_of(&(0..model.sets.len()).collect::<Vec<_>>()).map(|i| model.sets[i].clone())
    else {
        let pull = *model.archived.iter().next().expect("everything is archived");
        store.restore(Subject::Pull(pull), &by("")).await.unwrap();
        model.archived.remove(&pull);
        let own = store.set_of_pull(pull).await.unwrap();
        model.sets.push((own, vec![pull]));
        return;
    };
    let chosen: Vec<i64> = pulls.iter().copied().filter(|_| dice.below(2) == 0).collect();
    match dice.below(7) {
        0 | 1 if !chosen.is_empty() => {
            let to = model.sets[dice.below(model.sets.len())].0;
            let place = dice.below(5) + 1;
            store.move_pulls(set, &chosen, To::Set { id: to, place: Some(place) }, &by("")).await.unwrap();
            model.take(&chosen);
            let own = model.of_set(to);
            let at = (place - 1).min(own.len());
            own.splice(at..at, chosen);
            model.drop_empty();
        }
        2 if !chosen.is_empty() => {
            let made = store.move_pulls(set, &chosen, To::Own, &by("")).await;
            if chosen.len() == pulls.len() {
                assert!(matches!(made, Err(StoreError::Refused(_))), "the same set again: {made:?}");
            } else {
                model.take(&chosen);
                let at = model.sets.iter().position(|s| s.0 == set).unwrap();
                model.sets.insert(at + 1, (made.unwrap(), chosen));
            }
        }
        3 => {
            let into = model.sets[dice.below(model.sets.len())].0;
            let made = store.merge_sets(set, into, &by("")).await;
            if into == set {
                assert!(matches!(made, Err(StoreError::Refused(_))), "{made:?}");
            } else {
                made.unwrap();
                model.take(&pulls);
                model.of_set(into).extend(pulls);
                model.drop_empty();
            }
        }
        4 => {
            let pull = dice.one_of(&pulls).unwrap();
            store.archive(&[Subject::Pull(pull)], &by("")).await.unwrap();
            model.take(&[pull]);
            model.archived.insert(pull);
            model.drop_empty();
        }
        5 => {
            if let Some(pull) = dice.one_of(&model.archived.iter().copied().collect::<Vec<_>>()) {
                store.restore(Subject::Pull(pull), &by("")).await.unwrap();
                model.archived.remove(&pull);
                // Where it stands now is the store's to say, among others in the order they had.
                let own = store.set_of_pull(pull).await.unwrap();
                let standing = store.sets_by_id(&[own]).await.unwrap().remove(0);
                let now: Vec<i64> = standing.pulls.iter().map(|p| p.0.id).collect();
                assert!(now.contains(&pull), "what was restored stands in its set");
                let others: Vec<i64> = now.iter().copied().filter(|p| *p != pull).collect();
                match model.sets.iter_mut().find(|s| s.0 == own) {
                    Some(s) => {
                        assert_eq!(s.1, others);
                        s.1 = now;
                    }
                    None => {
                        assert!(others.is_empty());
                        model.sets.push((own, now));
                    }
                }
            }
        }
        _ => {
            let stranger = model.archived.iter().next().copied().unwrap_or(999_999);
            let refused = store.move_pulls(set, &[stranger], To::Set { id: set, place: None }, &by("")).await;
            assert!(
                matches!(refused, Err(StoreError::NotFound { .. })),
                "in the archive, or nowhere: {refused:?}"
            );
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_is_put_right_no_pull_is_lost_and_each_stands_where_it_was_put() {
    for seed in 0..4 {
        let (server, store, day_id, _) = shop().await;
        let mut dice = Dice(seed);
        let mut model = Model::of(&store, day_id).await;
        let mut follows = Watcher::default();
        follows.look(&store).await;
        for step in 0..40 {
            correct(&store, &mut model, &mut dice).await;
            let mut stands = Model::of(&store, day_id).await.sets;
            // A set that comes back takes its old place among the others; which ones there are is what counts.
            stands.sort_unstable();
            let mut wanted = model.sets.clone();
            wanted.sort_unstable();
            assert_eq!(stands, wanted, "seed {seed}, step {step}");
        }
        follows.look(&store).await;
        let mut anew = Watcher::default();
        anew.look(&store).await;
        let ids = |w: &Watcher| w.find("").iter().map(|h| h.place.pull).collect::<BTreeSet<_>>();
        assert_eq!(ids(&follows), ids(&anew));
        let in_use: BTreeSet<i64> = model.sets.iter().flat_map(|s| s.1.clone()).collect();
        assert_eq!(ids(&anew), in_use, "and what is archived is in no search");
        assert_eq!(in_use.len() + model.archived.len(), 5);
        for pull in &model.archived {
            assert!(store.samples(*pull).await.is_ok(), "archived is not gone");
        }
        assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_place_is_counted_among_the_pulls_that_are_seen() {
    let (_server, store, day_id, sets) = shop().await;
    let [a, b, c] = order(&store, day_id).await[0][..] else { panic!("three pulls") };
    store.archive(&[Subject::Pull(a)], &by("a cough")).await.unwrap();
    assert_eq!(order(&store, day_id).await[0], [b, c]);
    store.move_pulls(sets[0], &[b], To::Set { id: sets[0], place: Some(2) }, &by("")).await.unwrap();
    assert_eq!(order(&store, day_id).await[0], [c, b], "second of the two that are seen");
    let said = &store.trail(Subject::Pull(b)).await.unwrap()[0];
    assert!(said.old_value.ends_with("place 1") && said.new_value.ends_with("place 2"), "{said:?}");
    let all = store.move_pulls(sets[0], &[b, c], To::Own, &by("")).await;
    assert!(matches!(all, Err(StoreError::Refused(_))), "nothing that is seen would be left: {all:?}");
    store.restore(Subject::Pull(a), &by("")).await.unwrap();
    assert_eq!(order(&store, day_id).await[0], [a, c, b]);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_left_out_does_not_count_because_it_was_moved() {
    let (_server, store, day_id, sets) = shop().await;
    store.mark_set(sets[0], Some("strap slipped"), "the calibrator").await.unwrap();
    let [a, b, c] = order(&store, day_id).await[0][..] else { panic!("three pulls") };
    let out = async |pull: i64| {
        let all = store.sets_of_day(day_id).await.unwrap();
        let found = all.iter().flat_map(|s| &s.pulls).find(|p| p.0.id == pull).unwrap();
        found.1.measured.excluded.clone()
    };
    let own = store.move_pulls(sets[0], &[a], To::Own, &by("")).await.unwrap();
    store.move_pulls(sets[0], &[b], To::Set { id: sets[1], place: None }, &by("")).await.unwrap();
    for pull in [a, b, c] {
        let why = out(pull).await.expect("left out with its set, and still after it left it");
        assert!(why.contains("strap slipped"), "{why}");
    }
    store.merge_sets(own, sets[1], &by("")).await.unwrap();
    assert!(out(a).await.is_some());
    // Taken in again by a person it counts.
    store.exclude_pull(a, None, "the calibrator").await.unwrap();
    assert_eq!(out(a).await, None);
    let trail = store.trail(Subject::Pull(b)).await.unwrap();
    assert!(
        trail.iter().any(|t| t.field == "left out of figures" && t.new_value.contains("strap slipped")),
        "{trail:?}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn an_import_taken_back_is_gone_whole_and_takes_nothing_else_along() {
    let (_server, store, day_id, old) = shop().await;
    let run = async || {
        let run = store.start_run(Some(day_id), "import", 1).await.unwrap();
        let file = crate::file(&store, 40).await;
        let sets =
            commit(&store, day_id, &[new_set(file, 3), new_set(file, 2)], &[], Some(run)).await.unwrap();
        store.end_run(run, RunState::Done, "").await.unwrap();
        (run, sets)
    };
    let before = order(&store, day_id).await;
    let (_, first) = run().await;
    let (second_run, second) = run().await;
    let of = |all: &[Vec<i64>], i: usize| all[i].clone();
    let all = order(&store, day_id).await;
    let (mine, older) = (of(&all, 4), of(&all, 2));
    // A pull of the second import to a set of the first, one to a set of its own, one to a set from before imports; and
    // one of the first import and one from before into the second.
    store.move_pulls(second[0], &[mine[0]], To::Set { id: first[0], place: Some(1) }, &by("")).await.unwrap();
    store.move_pulls(second[0], &[mine[1]], To::Own, &by("")).await.unwrap();
    store.move_pulls(second[1], &[all[5][0]], To::Set { id: old[0], place: None }, &by("")).await.unwrap();
    store.move_pulls(first[0], &[older[0]], To::Set { id: second[0], place: None }, &by("")).await.unwrap();
    store.move_pulls(old[1], &[before[1][0]], To::Set { id: second[1], place: None }, &by("")).await.unwrap();
    let last = store.last_import(day_id).await.unwrap().unwrap();
    assert_eq!(last.run_id, second_run);
    store.undo_import(day_id, &last, &[], &by("wrong day")).await.unwrap();
    let left: BTreeSet<i64> = order(&store, day_id).await.into_iter().flatten().collect();
    let wanted: BTreeSet<i64> = all[..4].iter().flatten().copied().collect();
    assert_eq!(left, wanted, "all of the second import is put away, and nothing of what was there before");
    assert!(
        store.sets_of_day(day_id).await.unwrap().iter().all(|s| !s.pulls.is_empty()),
        "no set stands empty"
    );
    let stale = store.undo_import(day_id, &last, &[], &by("")).await;
    assert!(matches!(stale, Err(StoreError::Changed { .. })), "not twice: {stale:?}");
    let next = store.last_import(day_id).await.unwrap().unwrap();
    assert_ne!(next.run_id, second_run, "the import before is the last one now");
    store.undo_import(day_id, &next, &[], &by("")).await.unwrap();
    let left: BTreeSet<i64> = order(&store, day_id).await.into_iter().flatten().collect();
    assert_eq!(left, before.into_iter().flatten().collect());
    assert_eq!(store.last_import(day_id).await.unwrap(), None);
    let other = day_of_another(&store).await;
    assert_eq!(store.last_import(other).await.unwrap(), None);
}

async fn day_of_another(store: &Store) -> i64 {
    let vehicle_id = store.vehicles().await.unwrap()[0].id;
    let date = chrono::NaiveDate::from_ymd_opt(2026, 3, 9).unwrap();
    let new = jamjar_store::NewDay {
        vehicle_id,
        date,
        place: "cell 1".into(),
        air: None,
        note: String::new(),
        demo: false,
    };
    store.add_day(&new).await.unwrap()
}
