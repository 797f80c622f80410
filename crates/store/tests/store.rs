//! The store against a real MariaDB, on a port of its own.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod shop;

use jamjar_store::private::PrivateDb;
use jamjar_store::{NewInboxItem, NewSet, NewVehicle, Role, RunState, Store, StoreError};
use shop::{Server, commit, day, new_pull, new_set, recording, vehicle};

#[tokio::test(flavor = "multi_thread")]
async fn a_day_goes_in_and_comes_out_whole() {
    let (_server, store) = Server::start("whole").await;
    assert_eq!(store.migrate().await.unwrap(), 0, "migrations run once");
    let day_id = day(&store).await;
    let bytes: Vec<u8> = (0..9_000_000u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 13) as u8).collect();
    let item = NewInboxItem {
        day_id,
        name: "p1.csv".into(),
        role: Role::Dyno,
        source: "0011223344556677".into(),
        report: "{}".into(),
    };
    let first = store.drop_file(&item, std::io::Cursor::new(bytes.clone())).await.unwrap();
    let again = store.drop_file(&item, std::io::Cursor::new(bytes.clone())).await.unwrap();
    assert!(!first.known && again.known && first.id == again.id, "the same bytes are one file");
    assert_eq!(store.file_bytes(first.id).await.unwrap(), bytes, "larger than one chunk, byte for byte");
    let waiting = store.inbox(day_id).await.unwrap();
    assert_eq!((waiting.len(), waiting[0].role), (1, Role::Dyno));

    let ids = commit(&store, day_id, &[new_set(first.id, 2)], &[waiting[0].id], None).await.unwrap();
    assert!(store.inbox(day_id).await.unwrap().is_empty());
    let sets = store.sets_of_day(day_id).await.unwrap();
    assert_eq!((sets.len(), sets[0].set.id, sets[0].pulls.len()), (1, ids[0], 2));
    assert_eq!(sets[0].set.config.factors()["boost"], "120 kPa");
    assert_eq!(sets[0].pulls[0].1, new_pull(first.id).summary, "cached measurement survives");
    let (dyno, ecu) = store.samples(sets[0].pulls[0].0.id).await.unwrap();
    assert_eq!((dyno, ecu), (recording(), None));

    let used = store.drop_file(&item, std::io::Cursor::new(bytes)).await.unwrap();
    assert!(used.known, "recognised after commit too");

    let pull = sets[0].pulls[1].0.id;
    store.exclude_pull(pull, Some("heat-soaked"), "the calibrator").await.unwrap();
    assert_eq!(
        store.sets_of_day(day_id).await.unwrap()[0].pulls[1].1.measured.excluded.as_deref(),
        Some("heat-soaked")
    );
    store.exclude_pull(pull, None, "the calibrator").await.unwrap();
    assert_eq!(store.sets_of_day(day_id).await.unwrap()[0].pulls[1].1.measured.excluded, None);
}

#[tokio::test(flavor = "multi_thread")]
async fn refusals_have_names() {
    let (_server, store) = Server::start("names").await;
    let day_id = day(&store).await;
    let twice = store
        .add_vehicle(&NewVehicle {
            vehicle: vehicle(),
            limits: vec![],
            sheet: Default::default(),
            demo: false,
        })
        .await;
    assert!(matches!(twice, Err(StoreError::Duplicate)), "{twice:?}");
    assert!(matches!(store.day(999).await, Err(StoreError::NotFound { what: "day", id: 999 })));
    let mut bad = new_set(1, 0);
    bad.config.map_kind = "borrowed".into();
    let refused = commit(&store, day_id, &[bad], &[], None).await;
    assert!(matches!(refused, Err(StoreError::Check)), "error 4025 is recognised: {refused:?}");
    assert!(store.sets_of_day(day_id).await.unwrap().is_empty());
    let half = commit(&store, day_id, &[new_set(1, 0), new_set(12_345, 1)], &[], None).await;
    assert!(half.is_err(), "the second set names a file that does not exist");
    assert!(store.sets_of_day(day_id).await.unwrap().is_empty(), "and the first one is not there either");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_killed_server_keeps_all_or_nothing_of_an_import() {
    let (mut server, store) = Server::start("kill").await;
    let day_id = day(&store).await;
    let file = store.receive_file("p1.csv", std::io::Cursor::new(vec![7u8; 1000])).await.unwrap();
    commit(&store, day_id, &[new_set(file.id, 1)], &[], None).await.unwrap();
    let many: Vec<NewSet> = (0..60).map(|_| new_set(file.id, 10)).collect();
    let writer = {
        let store = store.clone();
        tokio::spawn(async move { commit(&store, day_id, &many, &[], None).await })
    };
    tokio::time::sleep(std::time::Duration::from_millis(120)).await;
    let finished_first = writer.is_finished();
    server.db.kill().unwrap();
    let result = writer.await.unwrap();
    assert!(finished_first || result.is_err(), "the import cannot succeed without a server");
    server.db = PrivateDb::start(server.folder.path(), 0).unwrap();
    let store = Store::new(&server.db.url("jamjar"), 2).unwrap();
    let n = store.sets_of_day(day_id).await.unwrap().len();
    assert!(n == 1 || n == 61, "all or nothing, found {n}");
    assert_eq!(n == 61, result.is_ok());
    assert_eq!(store.file_bytes(file.id).await.unwrap(), vec![7u8; 1000]);
}

#[tokio::test(flavor = "multi_thread")]
async fn long_work_reports_and_can_be_cancelled() {
    let (_server, store) = Server::start("runs").await;
    let run = store.start_run(None, "demo", 12).await.unwrap();
    assert!(!store.progress(run, 3, "three").await.unwrap());
    store.cancel_run(run).await.unwrap();
    assert!(store.progress(run, 4, "four").await.unwrap(), "told to stop");
    store.end_run(run, RunState::Cancelled, "stopped").await.unwrap();
    let r = store.latest_run("demo").await.unwrap().unwrap();
    assert_eq!((r.state, r.done, r.total), (RunState::Cancelled, 4, 12));
    assert_eq!(store.remembered_mapping("0011223344556677").await.unwrap(), None);
    store.remember_mapping("0011223344556677", "{}").await.unwrap();
    store.remember_mapping("0011223344556677", "{\"a\":1}").await.unwrap();
    assert_eq!(store.remembered_mapping("0011223344556677").await.unwrap().as_deref(), Some("{\"a\":1}"));
}
