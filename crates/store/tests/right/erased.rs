//! What destroys: a vehicle of which everything is known is erased and leaves nothing that points at it; what another
//! vehicle stands on stays, files above all.

use super::{by, shop};
use crate::shop::{Server, commit, new_day, new_pull, new_set, new_vehicle, note};
use chrono::{NaiveDate, NaiveTime};
use diesel::sql_types::{BigInt, Text};
use diesel_async::{AsyncConnection, AsyncMysqlConnection, RunQueryDsl};
use jamjar_store::{
    Attached, Configuration, Contact, LadderWord, NewAttachment, NewDay, NewFlash, NewInboxItem,
    NewIntervention, NewMap, NewPour, NewReport, NewStep, NewVehicle, Role, RunsNow, StepKind, Store,
    Subject,
};
use std::io::Cursor;

/// Columns that name a row of another table, by their own names.
const POINTS_AT: &[(&str, &str)] = &[
    ("vehicle_id", "vehicle"),
    ("day_id", "cell_day"),
    ("set_id", "pull_set"),
    ("pull_id", "pull"),
    ("shares_pull_id", "pull"),
    ("map_id", "map_revision"),
    ("fuel_id", "fuel"),
    ("build_id", "build_state"),
    ("batch_id", "fuel_batch"),
    ("file_id", "raw_file"),
    ("dyno_file_id", "raw_file"),
    ("ecu_file_id", "raw_file"),
    ("report_id", "report"),
    ("thread_id", "thread"),
    ("cell_id", "cell"),
];
/// Tables whose rows name a thing by its kind, and the table of each kind.
const KINDS: &[(&str, &str)] = &[
    ("vehicle", "vehicle"),
    ("day", "cell_day"),
    ("set", "pull_set"),
    ("pull", "pull"),
    ("map", "map_revision"),
    ("note", "day_note"),
];

#[derive(diesel::QueryableByName)]
struct Column {
    #[diesel(sql_type = Text)]
    in_table: String,
    #[diesel(sql_type = Text)]
    called: String,
}

#[derive(diesel::QueryableByName)]
struct Count {
    #[diesel(sql_type = BigInt)]
    n: i64,
}

/// Every row of the database that points at one that is not there, in words.
pub(super) async fn pointing_nowhere(server: &Server) -> Vec<String> {
    let mut c = AsyncMysqlConnection::establish(&server.db.url("jamjar")).await.unwrap();
    let columns: Vec<Column> = diesel::sql_query(
        "SELECT c.TABLE_NAME AS in_table, c.COLUMN_NAME AS called FROM information_schema.COLUMNS c \
         JOIN information_schema.TABLES t USING (TABLE_SCHEMA, TABLE_NAME) \
         WHERE c.TABLE_SCHEMA = 'jamjar' AND t.TABLE_TYPE = 'BASE TABLE' ORDER BY 1, 2",
    )
    .load(&mut c)
    .await
    .unwrap();
    let mut questions = Vec::new();
    for Column { in_table, called } in &columns {
        if let Some((_, of)) = POINTS_AT.iter().find(|p| p.0 == called) {
            questions.push((
                format!("{in_table}.{called}"),
                format!("FROM {in_table} x WHERE x.{called} IS NOT NULL AND x.{called} NOT IN (SELECT id FROM {of})"),
            ));
        }
    }
    for table in ["audit", "attachment"] {
        for (kind, of) in KINDS {
            questions.push((
                format!("{table} of a {kind}"),
                format!("FROM {table} x WHERE x.kind = '{kind}' AND x.thing NOT IN (SELECT id FROM {of})"),
            ));
        }
    }
    assert!(questions.len() > 45, "the tables are looked at: {}", questions.len());
    let mut out = Vec::new();
    for (what, from) in questions {
        let n = diesel::sql_query(format!("SELECT COUNT(*) AS n {from}"))
            .get_result::<Count>(&mut c)
            .await
            .unwrap()
            .n;
        if n > 0 {
            out.push(format!("{what}: {n}"));
        }
    }
    out
}

fn map(name: &str) -> NewMap {
    NewMap {
        name: name.into(),
        kind: "custom".into(),
        parent: None,
        for_fuel: None,
        note: String::new(),
        file_name: format!("{name}.map"),
    }
}

fn photo(bytes: u8) -> NewAttachment {
    NewAttachment {
        name: "bay.png".into(),
        media: "image/png".into(),
        by: "the calibrator".into(),
        bytes: vec![bytes; 9],
    }
}

/// Everything a shop can say of a vehicle, on a day that is there with two sets.
pub(super) async fn say_everything(store: &Store, id: i64, day: i64) {
    let noon = NaiveTime::from_hms_opt(12, 0, 0).unwrap();
    let date = NaiveDate::from_ymd_opt(2026, 3, 4).unwrap();
    let sets = store.sets_of_day(day).await.unwrap();
    let (set, pull) = (sets[0].set.id, sets[0].pulls[0].0.id);
    let fuel = store.put_fuel("E85", Some(0.8)).await.unwrap();
    let c3 = store.put_map(id, &map("C3"), Cursor::new(b"three".to_vec())).await.unwrap();
    store
        .add_flash(id, &NewFlash { map_id: c3, on: date, at: None, note: String::new() }, &by(""))
        .await
        .unwrap();
    store.answer_sign_off(id, (c3, fuel), &[("straps", Some("yes"))], true, (date, &by(""))).await.unwrap();
    let thread = store.open_thread(id, "from afar", None, &by("")).await.unwrap();
    let step = NewStep {
        uid: None,
        kind: StepKind::Revision,
        by: "the calibrator".into(),
        at: None,
        words: "pull it twice".into(),
        map_id: Some(c3),
        files: vec![],
        channel: None,
        at_s: None,
    };
    store.add_steps(thread, &[step]).await.unwrap();
    store
        .set_contact(id, &Contact { name: "the owner".into(), ..Contact::default() }, &by(""))
        .await
        .unwrap();
    let word = LadderWord { kind: "stop".into(), map: "C3".into(), ..LadderWord::now() };
    store.say_of_ladder(id, &word).await.unwrap();
    store.plan(id, &sets[0].set.config.factors(), 3, "again").await.unwrap();
    store.run_now(day, Some(RunsNow::Set(set))).await.unwrap();
    let poured = NewPour { at: noon, fuel_id: fuel, batch_id: None, litres: 20.0, left_l: None };
    store.pour(day, &poured, &by("")).await.unwrap();
    store.put_fuel_on_hand(day, "E85", 40.0, "").await.unwrap();
    let changed = NewIntervention { at: None, what: "plugs".into(), from: "7".into(), to: "8".into() };
    store.intervene(day, &changed, &by("")).await.unwrap();
    store.add_note(day, &note(None, "smoke", "grey", "the calibrator")).await.unwrap();
    let said = store.day_sheet(day).await.unwrap().notes.remove(0).id;
    for (to, bytes) in [
        (Attached::Vehicle(id), 1),
        (Attached::Day(day), 2),
        (Attached::Set(set), 3),
        (Attached::Pull(pull), 4),
        (Attached::Note(said), 5),
    ] {
        store.attach(to, &photo(bytes)).await.unwrap();
    }
    store.note_pull(pull, "belt squeal", None, &by("")).await.unwrap();
    store.note_set(set, "hot", None, &by("")).await.unwrap();
    store.exclude_pull(pull, Some("clutch"), "the calibrator").await.unwrap();
    let waits = NewInboxItem {
        day_id: day,
        name: "late.csv".into(),
        role: Role::Dyno,
        source: "00".into(),
        report: "{}".into(),
    };
    store.drop_file(&waits, Cursor::new(b"late".to_vec())).await.unwrap();
    let sheet = NewReport {
        number: store.next_report_number(2026).await.unwrap(),
        vehicles: vec![id],
        title: "C3 gained".into(),
        asked: format!("sets={set}"),
        sheet: "<p>gain</p>".into(),
        figures: "{}".into(),
        prints: vec![("a4".into(), b"%PDF-".to_vec())],
        supersedes: None,
        why: String::new(),
        issued_at: date.and_time(noon),
    };
    let report = store.issue_report(&sheet, &by("")).await.unwrap();
    store.share_report(report, "secret", date, &by("")).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_vehicle_of_which_everything_is_known_is_erased_whole_and_nothing_else_is() {
    let (server, store, day, _) = shop().await;
    let id = store.day(day).await.unwrap().vehicle_id;
    say_everything(&store, id, day).await;
    // Another vehicle stands on one of its maps, and on a file of its pulls.
    let other = store.add_vehicle(&new_vehicle("Marrow 48")).await.unwrap();
    let c3 = store.maps(id).await.unwrap().into_iter().find(|m| m.name == "C3").unwrap().id;
    store.lend_map(c3, other, &by("")).await.unwrap();
    let other_day = store.add_day(&new_day(other, "cell 1", 4)).await.unwrap();
    let shared = crate::file(&store, 1).await;
    commit(&store, other_day, &[new_set(shared, 1)], &[], None).await.unwrap();
    let own = crate::file(&store, 77).await;
    commit(&store, day, &[new_set(own, 1)], &[], None).await.unwrap();
    assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());

    let gone = store.erase_vehicle(id).await.unwrap();
    assert_eq!((gone.vehicle.as_str(), gone.pulls), ("Tolvern T3", 6));
    assert_eq!(gone.files, 7, "its recording, what waited and five photographs");
    assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());
    assert_eq!(store.vehicle_names().await.unwrap(), ["Marrow 48"]);
    assert!(store.shared("secret", NaiveDate::from_ymd_opt(2026, 3, 4).unwrap()).await.unwrap().is_none());
    let kept = store.maps(other).await.unwrap();
    assert_eq!(kept.iter().map(|m| (m.name.as_str(), m.file.is_some())).collect::<Vec<_>>(), [("C3", true)]);
    assert_eq!(store.file_bytes(kept[0].file.as_ref().unwrap().id).await.unwrap(), b"three");
    assert_eq!(store.file_bytes(shared).await.unwrap(), vec![1; 100]);
    assert!(store.file_bytes(own).await.is_err(), "nobody else stood on it");
    assert!(store.trail(Subject::Vehicle(id)).await.unwrap().is_empty());
    assert_eq!(store.sets_of_day(other_day).await.unwrap()[0].set.config.map, "C3");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_goes_with_everything_said_of_it_and_leaves_what_the_users_own_stands_on() {
    let (server, store, own_day, _) = shop().await;
    let own = store.day(own_day).await.unwrap().vehicle_id;
    let demo = store.add_vehicle(&NewVehicle { demo: true, ..new_vehicle("Quillet 650") }).await.unwrap();
    let demo_day = store.add_day(&NewDay { demo: true, ..new_day(demo, "cell 1", 4) }).await.unwrap();
    let file = crate::file(&store, 9).await;
    commit(&store, demo_day, &[new_set(file, 2)], &[], None).await.unwrap();
    say_everything(&store, demo, demo_day).await;
    // The user tries a map of the demo in a vehicle of their own, and pulls with it.
    let m = store.put_map(demo, &map("C9"), Cursor::new(b"nine".to_vec())).await.unwrap();
    store.lend_map(m, own, &by("")).await.unwrap();
    let mut set = new_set(file, 0);
    set.config = Configuration { map: "C9".into(), ..set.config };
    set.pulls = vec![new_pull(file)];
    let mine = commit(&store, own_day, &[set], &[], None).await.unwrap()[0];
    assert!(store.remove_demo().await.unwrap().is_empty());
    assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());
    assert_eq!(store.vehicle_names().await.unwrap(), ["Tolvern T3"]);
    assert_eq!(store.set(mine).await.unwrap().config.map, "C9");
    let maps = store.maps(own).await.unwrap();
    let c9 = maps.iter().find(|m| m.name == "C9").unwrap();
    assert!(!c9.lent, "it is the user's own now");
    assert_eq!(store.file_bytes(c9.file.as_ref().unwrap().id).await.unwrap(), b"nine");
    assert_eq!(store.remove_demo().await.unwrap(), Vec::<String>::new(), "again there is nothing to do");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_vehicle_is_erased_once_and_an_unknown_one_is_named() {
    let (server, store, day, _) = shop().await;
    let id = store.day(day).await.unwrap().vehicle_id;
    store.archive(&[Subject::Vehicle(id)], &by("sold")).await.unwrap();
    store.erase_vehicle(id).await.unwrap();
    let again = store.erase_vehicle(id).await.unwrap_err();
    assert!(again.to_string().contains("vehicle"), "{again}");
    assert_eq!(store.pull_count().await.unwrap(), 0);
    assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());
}
