//! Corrections in any order: whatever people do, no pull is lost, none counts that was left out, places are as they
//! were asked for, an index that follows sees what one sees that reads everything, and an import taken back is gone
//! whole.

use super::erased::pointing_nowhere;
use super::{by, order, shop};
use crate::find::Watcher;
use crate::shop::{commit, new_day, new_set};
use jamjar_store::{RunState, Store, StoreError, Subject, To};
use std::collections::{BTreeMap, BTreeSet};

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

/// What should stand: the pulls of every set in their order, and those of them that are in the archive. A set none of
/// whose pulls is in use is in the archive itself.
#[derive(Debug, Default)]
struct Model {
    sets: BTreeMap<i64, Vec<i64>>,
    archived: BTreeSet<i64>,
}

impl Model {
    async fn of(store: &Store, day_id: i64) -> Self {
        let sets = store.sets_of_day(day_id).await.unwrap();
        let sets = sets.iter().map(|s| (s.set.id, s.pulls.iter().map(|p| p.0.id).collect())).collect();
        Self { sets, archived: BTreeSet::new() }
    }

    /// Sets with the pulls in use of each.
    fn seen(&self) -> BTreeMap<i64, Vec<i64>> {
        let seen =
            |all: &[i64]| all.iter().copied().filter(|p| !self.archived.contains(p)).collect::<Vec<_>>();
        self.sets.iter().map(|(id, all)| (*id, seen(all))).filter(|s| !s.1.is_empty()).collect()
    }

    /// Takes pulls out of all sets and puts them into one, at a place or behind the others.
    fn put(&mut self, pulls: &[i64], set: i64, place: Option<usize>) {
        for own in self.sets.values_mut() {
            own.retain(|p| !pulls.contains(p));
        }
        let own = self.sets.entry(set).or_default();
        let at = place.map_or(own.len(), |p| (p - 1).min(own.len()));
        own.splice(at..at, pulls.iter().copied());
    }
}

/// One correction by chance, done to the store and to the model.
async fn correct(store: &Store, model: &mut Model, dice: &mut Dice) {
    let seen = model.seen();
    let ids: Vec<i64> = seen.keys().copied().collect();
    let Some(set) = dice.one_of(&ids) else {
        let pull = *model.archived.iter().next().expect("everything is archived");
        store.restore(Subject::Pull(pull), &by("")).await.unwrap();
        model.archived.remove(&pull);
        return;
    };
    let pulls = &seen[&set];
    let chosen: Vec<i64> = pulls.iter().copied().filter(|_| dice.below(2) == 0).collect();
    match dice.below(7) {
        0 | 1 if !chosen.is_empty() => {
            let (to, place) = (ids[dice.below(ids.len())], dice.below(5) + 1);
            store.move_pulls(set, &chosen, To::Set { id: to, place: Some(place) }, &by("")).await.unwrap();
            model.put(&chosen, to, Some(place));
        }
        2 if !chosen.is_empty() => {
            let made = store.move_pulls(set, &chosen, To::Own, &by("")).await;
            if chosen.len() == pulls.len() {
                assert!(matches!(made, Err(StoreError::Refused(_))), "the same set again: {made:?}");
            } else {
                model.put(&chosen, made.unwrap(), None);
            }
        }
        3 => {
            let into = ids[dice.below(ids.len())];
            let made = store.merge_sets(set, into, &by("")).await;
            if into == set {
                assert!(matches!(made, Err(StoreError::Refused(_))), "{made:?}");
            } else {
                made.unwrap();
                // What is in the archive goes along: brought back it stands where the others are.
                let all = model.sets[&set].clone();
                model.put(&all, into, None);
            }
        }
        4 => {
            let pull = dice.one_of(pulls).unwrap();
            store.archive(&[Subject::Pull(pull)], &by("")).await.unwrap();
            model.archived.insert(pull);
        }
        5 => {
            if let Some(pull) = dice.one_of(&model.archived.iter().copied().collect::<Vec<_>>()) {
                store.restore(Subject::Pull(pull), &by("")).await.unwrap();
                model.archived.remove(&pull);
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
            assert_eq!(Model::of(&store, day_id).await.sets, model.seen(), "seed {seed}, step {step}");
            for s in store.sets_of_day(day_id).await.unwrap() {
                let places: Vec<usize> = model.sets[&s.set.id]
                    .iter()
                    .enumerate()
                    .filter(|(_, p)| !model.archived.contains(p))
                    .map(|(i, _)| i + 1)
                    .collect();
                let called: Vec<String> = s.pulls.iter().map(|p| p.1.measured.id.clone()).collect();
                assert_eq!(called, places.iter().map(|p| format!("p{p}")).collect::<Vec<_>>());
            }
        }
        follows.look(&store).await;
        let mut anew = Watcher::default();
        anew.look(&store).await;
        let ids = |w: &Watcher| w.find("").iter().map(|h| h.place.pull).collect::<BTreeSet<_>>();
        assert_eq!(ids(&follows), ids(&anew));
        let in_use: BTreeSet<i64> = model.seen().into_values().flatten().collect();
        assert_eq!(ids(&anew), in_use, "and what is archived is in no search");
        assert_eq!(in_use.len() + model.archived.len(), 5);
        for pull in &model.archived {
            assert!(store.samples(*pull).await.is_ok(), "archived is not gone");
        }
        assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_place_is_the_number_a_pull_is_called_by() {
    let (_server, store, day_id, sets) = shop().await;
    let [a, b, c] = order(&store, day_id).await[0][..] else { panic!("three pulls") };
    let called = async || {
        let all = store.sets_of_day(day_id).await.unwrap();
        all[0].pulls.iter().map(|p| (p.0.id, p.1.measured.id.clone())).collect::<Vec<_>>()
    };
    store.archive(&[Subject::Pull(a)], &by("a cough")).await.unwrap();
    assert_eq!(
        called().await,
        [(b, "p2".into()), (c, "p3".into())],
        "the others keep the names they were written down by"
    );
    store.move_pulls(sets[0], &[c], To::Set { id: sets[0], place: Some(2) }, &by("")).await.unwrap();
    assert_eq!(called().await, [(c, "p2".into()), (b, "p3".into())]);
    let said = &store.trail(Subject::Pull(c)).await.unwrap()[0];
    assert!(said.old_value.ends_with("place 3") && said.new_value.ends_with("place 2"), "{said:?}");
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
    let vehicle = store.vehicles().await.unwrap()[0].id;
    let other = store.add_day(&new_day(vehicle, "cell 1", 9)).await.unwrap();
    assert_eq!(store.last_import(other).await.unwrap(), None);
}
