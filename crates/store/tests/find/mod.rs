//! What the index of pulls is told: everything at first, then each change by whatever way it came.

use crate::shop::{Server, by, commit, day, new_set, note};
use chrono::NaiveDate;
use diesel_async::{AsyncConnection, AsyncMysqlConnection, SimpleAsyncConnection};
use jamjar_core::correction::Correction;
use jamjar_core::find::{Index, Reading, parse};
use jamjar_core::units::Units;
use jamjar_store::{NewDay, Stamps, Store, Thing};

/// An index kept up to date as an instance keeps it.
#[derive(Default)]
pub(crate) struct Watcher {
    index: Index,
    stamps: Stamps,
}

impl Watcher {
    /// Looks for changes; which days had to be read, or `None` for all.
    pub(crate) async fn look(&mut self, store: &Store) -> Option<Vec<i64>> {
        let changes = store.changes(&mut self.stamps).await.unwrap();
        let all = changes.contains(&Thing::All);
        let mut days: Vec<i64> =
            changes.iter().filter_map(|c| if let Thing::Day(d) = c { Some(*d) } else { None }).collect();
        if all {
            days = store.day_ids().await.unwrap();
            self.index = Index::default();
        }
        let names = store.find_names().await.unwrap();
        let mut found = store.found_days(&days).await.unwrap();
        for day in &days {
            let d = found.remove(day).unwrap_or_default();
            let records: Vec<_> = d.pulls.iter().map(|p| p.record(&names).unwrap()).collect();
            self.index.put_day(*day, &records, &d.notes);
        }
        (!all).then_some(days)
    }

    pub(crate) fn count(&self, text: &str) -> usize {
        self.find(text).len()
    }

    pub(crate) fn find(&self, text: &str) -> Vec<jamjar_core::find::Hit> {
        let today = NaiveDate::from_ymd_opt(2026, 11, 25).unwrap();
        let q = parse(text, &Reading { today, usual: Units::default(), own: &[] }).unwrap();
        self.index.find(&q, Correction::None, 0, 10_000).hits
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn every_change_is_seen_and_nothing_else() {
    let (_server, store) = Server::start("find").await;
    let day_id = day(&store).await;
    let file = crate::file(&store, 1).await;
    let mut w = Watcher::default();
    assert_eq!(w.look(&store).await, None, "everything at first");
    assert_eq!(w.look(&store).await, Some(vec![]), "then nothing until something happens");

    let set = commit(&store, day_id, &[new_set(file, 2), new_set(file, 1)], &[], None).await.unwrap()[0];
    assert_eq!(w.look(&store).await, Some(vec![day_id]));
    for (text, n) in [
        ("", 3),
        ("C3, RON 95 E5", 3),
        ("rattle", 3),
        ("windy", 3),
        ("march 2026", 3),
        ("120 kPa", 3),
        ("gear 4, power over 50", 3),
        ("E85", 0),
    ] {
        assert_eq!(w.count(text), n, "{text}");
    }
    let pull = store.sets_by_id(&[set]).await.unwrap()[0].pulls[1].0.id;

    store.note_pull(pull, "belt squeal", None, &by()).await.unwrap();
    store.exclude_pull(pull, Some("clutch slipped"), "the apprentice").await.unwrap();
    assert_eq!(w.look(&store).await, Some(vec![day_id]), "two changes of a day are one");
    assert_eq!(w.find("squeal").iter().map(|h| h.place.pull).collect::<Vec<_>>(), [pull]);
    assert_eq!((w.count("left out"), w.count("by the apprentice"), w.count("\"clutch slipped\"")), (1, 1, 1));

    store.add_note(day_id, &note(None, "smoke", "white at tip-in", "the calibrator")).await.unwrap();
    store.note_set(set, "hot", None, &by()).await.unwrap();
    store.mark_set(set, Some("wrong gear"), "the calibrator").await.unwrap();
    w.look(&store).await;
    assert_eq!(
        (w.count("#smoke"), w.count("note hot"), w.count("\"wrong gear\""), w.count("rattle")),
        (3, 2, 2, 1)
    );

    let (_, mut summary) = store.sets_by_id(&[set]).await.unwrap()[0].pulls[0].clone();
    let measured = std::sync::Arc::make_mut(&mut summary.measured);
    measured.alignment = measured.alignment.clone().refuse(jamjar_core::findings::Refusal::NoLag);
    measured.flags.push(jamjar_core::findings::Finding::HeatSoak { warmer_c: 9.0, less: 0.02 });
    let version = store.day(day_id).await.unwrap().measured;
    assert!(store.keep_summaries(day_id, version, &[(pull, summary.pack().unwrap())]).await.unwrap());
    assert_eq!(w.look(&store).await, Some(vec![day_id]));
    assert_eq!((w.count("clocks refused"), w.count("flag heat soak")), (1, 1));
    assert_eq!(w.look(&store).await, Some(vec![]), "and nothing after that");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_change_committed_late_is_still_seen() {
    let (server, store) = Server::start("late").await;
    let first = day(&store).await;
    let vehicle_id = store.vehicles().await.unwrap()[0].id;
    let date = NaiveDate::from_ymd_opt(2026, 3, 4).unwrap();
    let second = store
        .add_day(&NewDay {
            vehicle_id,
            date,
            place: "cell 1".into(),
            air: None,
            note: String::new(),
            demo: false,
        })
        .await
        .unwrap();
    let file = crate::file(&store, 1).await;
    for d in [first, second] {
        commit(&store, d, &[new_set(file, 1)], &[], None).await.unwrap();
    }
    let mut w = Watcher::default();
    w.look(&store).await;
    // Someone changes a set of the first day and has not committed yet; the second day is changed and seen;
    // then comes the commit.
    let mut slow = AsyncMysqlConnection::establish(&server.db.url("jamjar")).await.unwrap();
    slow.batch_execute("BEGIN").await.unwrap();
    slow.batch_execute(&format!("UPDATE pull_set SET note = 'slowly' WHERE day_id = {first}")).await.unwrap();
    store.add_note(second, &note(None, "", "later", "the calibrator")).await.unwrap();
    assert_eq!(w.look(&store).await, Some(vec![second]));
    slow.batch_execute("COMMIT").await.unwrap();
    assert_eq!(w.look(&store).await, Some(vec![first]), "its stamp is older than the newest seen");
    assert_eq!((w.count("slowly"), w.count("later"), w.count("rattle")), (1, 1, 1));
}
