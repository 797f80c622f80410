//! Several writers, several instances, and what a change leaves when it dies half way.
#![allow(clippy::unwrap_used)]

mod shop;

use jamjar_store::private::{Owner, PrivateDb, PrivateError};
use jamjar_store::{
    Begun, NewDay, NewInboxItem, Role, RunState, SheetAir, Stamps, Store, StoreError, Subject, Thing,
};
use shop::{Server, by, commit, day, new_set, note};
use std::time::Duration;

async fn waiting(store: &Store, day_id: i64, names: &[&str]) -> Vec<(i64, i64)> {
    for name in names {
        let item = NewInboxItem {
            day_id,
            name: (*name).into(),
            role: Role::Dyno,
            source: "0011223344556677".into(),
            report: "{}".into(),
        };
        store.drop_file(&item, std::io::Cursor::new(name.as_bytes().to_vec())).await.unwrap();
    }
    store.inbox(day_id).await.unwrap().into_iter().map(|i| (i.id, i.file_id)).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn two_storings_at_the_same_moment_store_once() {
    let (_server, store) = Server::start("twice").await;
    let day_id = day(&store).await;
    let files = waiting(&store, day_id, &["a.csv", "b.csv"]).await;
    let both: Vec<i64> = files.iter().map(|f| f.0).collect();
    let storing = |ids: Vec<i64>| {
        let (store, file) = (store.clone(), files[0].1);
        tokio::spawn(async move { commit(&store, day_id, &[new_set(file, 2)], &ids, None).await })
    };
    let (first, second, part) = (storing(both.clone()), storing(both.clone()), storing(both[..1].to_vec()));
    let results = [first.await.unwrap(), second.await.unwrap(), part.await.unwrap()];
    assert_eq!(results.iter().filter(|r| r.is_ok()).count(), 1, "{results:?}");
    assert!(results.iter().all(|r| matches!(r, Ok(_) | Err(StoreError::Taken))), "{results:?}");
    assert_eq!(store.sets_of_day(day_id).await.unwrap().len(), 1, "n is not inflated");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_claim_is_given_once_and_given_back_when_the_work_was_not_done() {
    let (_server, store) = Server::start("claim").await;
    let claim = "0123456789abcdef0123456789abcdef";
    let asking = || {
        let store = store.clone();
        tokio::spawn(async move { store.claim_run(None, "commit 1", 3, Some(claim)).await.unwrap() })
    };
    let all: Vec<_> = (0..6).map(|_| asking()).collect();
    let mut begun = Vec::new();
    for a in all {
        begun.push(a.await.unwrap());
    }
    let new: Vec<i64> =
        begun.iter().filter_map(|b| if let Begun::New(id) = b { Some(*id) } else { None }).collect();
    assert_eq!(new.len(), 1, "{begun:?}");
    assert!(begun.iter().all(|b| matches!(b, Begun::New(id) | Begun::Before(id) if *id == new[0])));
    store.end_run(new[0], RunState::Failed, "a file could not be read").await.unwrap();
    let again = store.claim_run(None, "commit 1", 3, Some(claim)).await.unwrap();
    assert!(matches!(again, Begun::New(id) if id != new[0]), "what was not done may be asked for again");
}

#[tokio::test(flavor = "multi_thread")]
async fn work_whose_owner_is_gone_ends_as_interrupted() {
    let (server, store) = Server::start("orphan").await;
    let run = store.start_run(None, "demo", 9).await.unwrap();
    assert_eq!(store.end_orphans().await.unwrap(), 0, "its owner is this very process");
    let other = Store::new(&server.db.url("jamjar"), 2).unwrap();
    assert_eq!(
        other.end_orphans().await.unwrap(),
        1,
        "another owner of the same process number was a process before this one"
    );
    let r = store.run(run).await.unwrap();
    assert_eq!(r.state, RunState::Interrupted);
    assert!(
        store.progress(run, 5, "five").await.unwrap(),
        "the orphan is told to stop, should it still live"
    );
    store.end_run(run, RunState::Done, "late").await.unwrap();
    assert_eq!(
        store.run(run).await.unwrap().state,
        RunState::Interrupted,
        "and cannot call itself done any more"
    );
    let day_id = day(&store).await;
    let files = waiting(&store, day_id, &["a.csv"]).await;
    let late = commit(&store, day_id, &[new_set(files[0].1, 1)], &[files[0].0], Some(run)).await;
    assert!(matches!(late, Err(StoreError::Taken)), "nor store anything: {late:?}");
    assert!(store.sets_of_day(day_id).await.unwrap().is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn many_writers_of_one_day_all_get_through() {
    let (server, store) = Server::start("many").await;
    let day_id = day(&store).await;
    let version = store.day(day_id).await.unwrap().version;
    let mut writers = Vec::new();
    for w in 0..8 {
        let store = Store::new(&server.db.url("jamjar"), 2).unwrap();
        writers.push(tokio::spawn(async move {
            for i in 0..10 {
                store
                    .add_note(day_id, &note(None, "load", &format!("writer {w} note {i}"), "the apprentice"))
                    .await
                    .unwrap();
            }
        }));
    }
    for w in writers {
        w.await.unwrap();
    }
    assert_eq!(store.day_sheet(day_id).await.unwrap().notes.len(), 80, "no write lost");
    assert_eq!(store.day(day_id).await.unwrap().version, version + 80, "every one counted");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_second_of_two_editors_is_told() {
    let (_server, store) = Server::start("editors").await;
    let day_id = day(&store).await;
    let seen = store.day(day_id).await.unwrap();
    let air = |t: f64| jamjar_core::air::AirState::new(t, 0.5, 1000.0).ok();
    store.update_day(&seen, air(22.0), "first", &[], &by()).await.unwrap();
    let second = store.update_day(&seen, air(30.0), "second", &[], &by()).await;
    assert!(matches!(second, Err(StoreError::Changed { .. })), "{second:?}");
    let now = store.day(day_id).await.unwrap();
    assert_eq!((now.note.as_str(), now.air), ("first", air(22.0)));
    let file = store.receive_file("a.csv", std::io::Cursor::new(b"x".to_vec())).await.unwrap().id;
    let set = commit(&store, day_id, &[new_set(file, 1)], &[], None).await.unwrap()[0];
    store.note_set(set, "mine", Some("after the rattle".into()), &by()).await.unwrap();
    assert!(matches!(
        store.note_set(set, "yours", Some("after the rattle".into()), &by()).await,
        Err(StoreError::Changed { .. })
    ));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_change_of_the_air_meets_another_of_its_kind_and_no_note_and_no_pull_left_out() {
    let (_server, store) = Server::start("air").await;
    let day_id = day(&store).await;
    let file = store.receive_file("a.csv", std::io::Cursor::new(b"x".to_vec())).await.unwrap().id;
    let set = commit(&store, day_id, &[new_set(file, 2)], &[], None).await.unwrap()[0];
    let pull = store.sets_of_day(day_id).await.unwrap()[0].pulls[0].0.id;
    let air = jamjar_core::air::AirState::new(24.0, 0.5, 1000.0).unwrap();
    let at = |h| chrono::NaiveTime::from_hms_opt(h, 0, 0).unwrap();
    let mut stamps = Stamps::default();
    store.changes(&mut stamps).await.unwrap();

    let seen = store.day(day_id).await.unwrap();
    store.add_note(day_id, &note(None, "", "a strap slipped", "the calibrator")).await.unwrap();
    store.note_pull(pull, "second gear", None, &by()).await.unwrap();
    store.note_set(set, "again", None, &by()).await.unwrap();
    store.put_fuel_on_hand(day_id, "E85", 12.0, "").await.unwrap();
    assert_eq!(
        store.changes(&mut stamps).await.unwrap(),
        [Thing::Day(day_id), Thing::Names],
        "words are no figures"
    );
    store.exclude_pull(pull, Some("slipped"), "the calibrator").await.unwrap();
    assert_eq!(
        store.changes(&mut stamps).await.unwrap(),
        [Thing::Day(day_id), Thing::Figures(day_id)],
        "what counts is"
    );
    store.mark_set(set, Some("wrong fuel"), "the calibrator").await.unwrap();
    assert_eq!(store.changes(&mut stamps).await.unwrap(), [Thing::Day(day_id), Thing::Figures(day_id)]);

    store.add_air(&[SheetAir::of(seen.clone())], at(9), air, &by()).await.unwrap();
    assert_eq!(store.changes(&mut stamps).await.unwrap(), [Thing::Day(day_id), Thing::Figures(day_id)]);
    assert!(
        matches!(
            store.add_air(&[SheetAir::of(seen.clone())], at(10), air, &by()).await,
            Err(StoreError::Changed { .. })
        ),
        "measured with the air before"
    );
    assert!(matches!(
        store.set_lag(pull, Some(0.2), seen.measured, &[], &by()).await,
        Err(StoreError::Changed { .. })
    ));
    assert!(
        matches!(
            store.commit_sets(&seen, &[new_set(file, 1)], &[], None).await,
            Err(StoreError::Changed { .. })
        ),
        "a storing too"
    );
    assert_eq!(store.air_of_days(&[day_id]).await.unwrap()[&day_id].readings, [(at(9), air)]);
    assert_eq!(store.sets_of_day(day_id).await.unwrap().len(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn names_are_told_apart_by_their_bytes() {
    let (_server, store) = Server::start("bytes").await;
    let mut ids = Vec::new();
    for name in ["🚗", "🏍", "Café", "Cafe", "cafe", "cafe ", "Straße", "Strasse"] {
        ids.push(store.put_fuel(name, None).await.unwrap());
    }
    let mut different = ids.clone();
    different.sort_unstable();
    different.dedup();
    assert_eq!(different.len(), ids.len(), "{ids:?}");
    assert_eq!(store.put_fuel("Café", None).await.unwrap(), ids[2], "a name is found");
    let making = |n: usize| {
        let store = store.clone();
        tokio::spawn(async move { store.put_fuel(&format!("new {}", n % 2), None).await.unwrap() })
    };
    let all: Vec<_> = (0..12).map(making).collect();
    let mut made = Vec::new();
    for a in all {
        made.push(a.await.unwrap());
    }
    made.sort_unstable();
    made.dedup();
    assert_eq!(made.len(), 2, "or made, by however many at once");
}

#[tokio::test(flavor = "multi_thread")]
async fn no_change_slips_past_a_reader_whatever_the_order_of_commits() {
    use diesel_async::{AsyncConnection, AsyncMysqlConnection, SimpleAsyncConnection};
    let (server, store) = Server::start("log").await;
    let day_id = day(&store).await;
    let mut stamps = Stamps::default();
    assert_eq!(store.changes(&mut stamps).await.unwrap(), [Thing::All]);
    let mut slow = AsyncMysqlConnection::establish(&server.db.url("jamjar")).await.unwrap();
    slow.batch_execute("START TRANSACTION; INSERT INTO change_log (kind, thing) VALUES ('d', 777)")
        .await
        .unwrap();
    store.note_day_for_test(day_id).await;
    assert_eq!(
        store.changes(&mut stamps).await.unwrap(),
        [Thing::Day(day_id)],
        "the later number is seen first"
    );
    assert!(store.changes(&mut stamps).await.unwrap().is_empty());
    slow.batch_execute("COMMIT").await.unwrap();
    assert_eq!(
        store.changes(&mut stamps).await.unwrap(),
        [Thing::Day(777)],
        "the earlier one, committed late, is not lost"
    );
    let mut gone = AsyncMysqlConnection::establish(&server.db.url("jamjar")).await.unwrap();
    gone.batch_execute("START TRANSACTION; INSERT INTO change_log (kind, thing) VALUES ('d', 778); ROLLBACK")
        .await
        .unwrap();
    store.note_day_for_test(day_id).await;
    assert_eq!(
        store.changes(&mut stamps).await.unwrap(),
        [Thing::Day(day_id)],
        "one rolled back is a gap and no change"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_that_comes_or_goes_is_a_change_of_its_vehicle() {
    let (_server, store) = Server::start("comes").await;
    let first = store.day(day(&store).await).await.unwrap();
    let mut stamps = Stamps::default();
    store.changes(&mut stamps).await.unwrap();
    let (vehicle_id, place) = (first.vehicle_id, first.place.clone());
    let date = first.date.succ_opt().unwrap();
    let new = NewDay { vehicle_id, date, place, air: None, note: String::new(), demo: false };
    let second = store.add_day(&new).await.unwrap();
    let mut of_vehicle = async |after: &str| {
        let seen = store.changes(&mut stamps).await.unwrap();
        assert!(seen.contains(&Thing::Vehicle(vehicle_id)), "{after}: {seen:?}");
    };
    of_vehicle("it came").await;
    store.archive(&[Subject::Day(second)], &by()).await.unwrap();
    of_vehicle("it was put away").await;
    store.restore(Subject::Day(second), &by()).await.unwrap();
    of_vehicle("it came back").await;
}

trait ForTest {
    async fn note_day_for_test(&self, day_id: i64);
}

impl ForTest for Store {
    async fn note_day_for_test(&self, day_id: i64) {
        let seen = self.day(day_id).await.unwrap();
        self.update_day(&seen, seen.air, "changed", &[], &by()).await.unwrap();
    }
}

/// The statements of a migration: a semicolon at the end of a line ends one.
fn statements(sql: &str) -> Vec<String> {
    let clean: String =
        sql.lines().filter(|l| !l.trim_start().starts_with("--")).collect::<Vec<_>>().join("\n");
    clean.split(";\n").map(|s| s.trim().trim_end_matches(';').to_owned()).filter(|s| !s.is_empty()).collect()
}

#[derive(diesel::QueryableByName)]
struct Word {
    #[diesel(sql_type = diesel::sql_types::Text)]
    word: String,
}

/// Every column of a database but those of its list of migrations, in words.
async fn columns(c: &mut diesel_async::AsyncMysqlConnection, name: &str) -> Vec<String> {
    use diesel_async::RunQueryDsl;
    let q = format!(
        "SELECT CONCAT_WS(' ', table_name, column_name, column_type, is_nullable, COALESCE(column_default, '-')) AS word \
         FROM information_schema.columns \
         WHERE table_schema = '{name}' AND table_name <> '__diesel_schema_migrations' ORDER BY 1"
    );
    let rows: Vec<Word> = diesel::sql_query(q).load(c).await.unwrap();
    rows.into_iter().map(|w| w.word).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_migration_can_be_run_again_after_dying_at_any_statement() {
    use diesel_async::{AsyncConnection, AsyncMysqlConnection, SimpleAsyncConnection};
    let (server, _) = Server::start("migrate").await;
    let folder = format!("{}/migrations", env!("CARGO_MANIFEST_DIR"));
    let mut names: Vec<_> = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()).collect();
    names.sort();
    assert!(names.len() >= 8, "{names:?}");
    let all: Vec<String> = names.iter().map(|m| std::fs::read_to_string(m.join("up.sql")).unwrap()).collect();
    let mut c = AsyncMysqlConnection::establish(&server.db.url("jamjar")).await.unwrap();
    let make = |name: &str| {
        format!("CREATE DATABASE {name} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci; USE {name}")
    };
    // One database dies after each statement of each migration in turn, and begins that migration again.
    c.batch_execute(&make("jamjar_dies")).await.unwrap();
    let mut tried = 0;
    for (k, sql) in all.iter().enumerate() {
        let parts = statements(sql);
        for dies_after in 1..=parts.len() {
            for statement in &parts[..dies_after] {
                c.batch_execute(statement)
                    .await
                    .unwrap_or_else(|e| panic!("migration {}, died after {dies_after}: {e}", k + 1));
            }
            tried += 1;
        }
    }
    assert!(tried > 100, "{tried}");
    let (died, whole) = (columns(&mut c, "jamjar_dies").await, columns(&mut c, "jamjar").await);
    assert!(died.len() > 200 && died == whole, "what was begun again is what was never interrupted");
    c.batch_execute("DROP DATABASE jamjar_dies; USE jamjar").await.unwrap();

    // And through the program itself, half-way through every third migration and the newest.
    for (k, sql) in all.iter().enumerate().filter(|(k, _)| k % 3 == 0 || k + 1 == all.len()) {
        let (parts, name) = (statements(sql), format!("jamjar_dies_{k}"));
        c.batch_execute(&make(&name)).await.unwrap();
        for earlier in &all[..k] {
            c.batch_execute(earlier).await.unwrap();
        }
        for statement in &parts[..parts.len().div_ceil(2)] {
            c.batch_execute(statement).await.unwrap();
        }
        c.batch_execute("CREATE TABLE IF NOT EXISTS __diesel_schema_migrations (version VARCHAR(50) PRIMARY KEY NOT NULL, run_on TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP)").await.unwrap();
        for i in 0..k {
            let done = format!("INSERT INTO __diesel_schema_migrations (version) VALUES ('{:04}')", i + 1);
            c.batch_execute(&done).await.unwrap();
        }
        let store = Store::new(&server.db.url(&name), 1).unwrap();
        let made = store.migrate().await;
        assert_eq!(made.unwrap_or_else(|e| panic!("migration {}: {e}", k + 1)), all.len() - k);
        assert!(store.vehicles().await.unwrap().is_empty());
        drop(store);
        c.batch_execute(&format!("DROP DATABASE {name}; USE jamjar")).await.unwrap();
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn data_of_a_newer_version_is_refused_by_name() {
    use diesel_async::{AsyncConnection, AsyncMysqlConnection, SimpleAsyncConnection};
    let (server, store) = Server::start("newer").await;
    let mut c = AsyncMysqlConnection::establish(&server.db.url("jamjar")).await.unwrap();
    c.batch_execute("INSERT INTO __diesel_schema_migrations (version) VALUES ('0099')").await.unwrap();
    let refused = store.migrate().await;
    assert!(matches!(&refused, Err(StoreError::Newer(v)) if v == "0099"), "{refused:?}");
}

#[test]
fn a_folder_has_one_owner_and_a_half_made_database_is_none() {
    let kept = tempfile::tempdir().unwrap();
    let folder = kept.path();
    let owner = Owner::take(folder).unwrap();
    let second = Owner::take(folder).unwrap_err();
    assert!(
        matches!(&second, PrivateError::Held { holder, .. } if holder.contains(&std::process::id().to_string())),
        "{second}"
    );
    assert!(second.to_string().contains("--join"), "{second}");
    assert!(matches!(PrivateDb::join(folder), Err(PrivateError::NothingToJoin { .. })));
    // What a start that was killed while installing leaves behind: today's kind, and the kind before.
    std::fs::create_dir_all(folder.join("db.new/mysql")).unwrap();
    std::fs::create_dir_all(folder.join("db")).unwrap();
    std::fs::write(folder.join("db/ibdata1"), b"half").unwrap();
    std::fs::write(folder.join("db.secret"), b"").unwrap();
    let mut db = PrivateDb::start(folder, 0).unwrap();
    assert!(folder.join("db.broken-1/ibdata1").exists(), "what is not ours is kept aside");
    let joined = PrivateDb::join(folder).unwrap();
    assert_eq!((joined.port(), joined.is_ours()), (db.port(), false));
    let mut joined = joined;
    joined.release();
    assert!(jamjar_store::private::running(folder).is_some(), "who joined stops nothing");
    db.stop();
    drop(owner);
    assert!(Owner::take(folder).is_ok(), "free again");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_dies_is_started_again_while_requests_wait() {
    let (mut server, store) = Server::start("revive").await;
    let day_id = day(&store).await;
    let pid = jamjar_store::private::running(server.folder.path()).unwrap().0;
    let asking = {
        let store = store.clone();
        tokio::spawn(async move {
            tokio::time::sleep(Duration::from_millis(200)).await;
            store.add_note(day_id, &note(None, "", "while it was away", "the calibrator")).await?;
            store.day(day_id).await
        })
    };
    rustix::process::kill_process(
        rustix::process::Pid::from_raw(pid).unwrap(),
        rustix::process::Signal::KILL,
    )
    .unwrap();
    tokio::time::sleep(Duration::from_millis(600)).await;
    assert!(tokio::task::block_in_place(|| server.db.revive()).unwrap(), "it had died");
    assert!(!tokio::task::block_in_place(|| server.db.revive()).unwrap(), "and lives");
    assert_eq!(asking.await.unwrap().unwrap().id, day_id);
    assert_eq!(store.day_sheet(day_id).await.unwrap().notes.len(), 1, "written once");
}
