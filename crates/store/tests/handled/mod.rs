//! What people do beside pulling: deliveries, fills, flashes, words about ladders.

mod after;
mod waiting;

use crate::shop::{Server, by, day};
use chrono::{NaiveDate, NaiveTime};
use jamjar_store::{
    LadderWord, NewBatch, NewFlash, NewMap, NewPour, NewReport, ReportRow, Shared, StoreError, Subject,
};
use std::io::Cursor;

fn at(h: u32) -> NaiveTime {
    NaiveTime::from_hms_opt(h, 0, 0).unwrap()
}

fn batch(name: &str, ethanol: Option<f64>) -> NewBatch {
    NewBatch {
        name: name.into(),
        source: "pump".into(),
        bought_on: NaiveDate::from_ymd_opt(2026, 3, 1),
        ethanol,
        measured_by: if ethanol.is_some() { "water test".into() } else { String::new() },
        note: String::new(),
    }
}

fn map(name: &str, parent: Option<&str>) -> NewMap {
    NewMap {
        name: name.into(),
        kind: "custom".into(),
        parent: parent.map(str::to_owned),
        for_fuel: None,
        note: "why".into(),
        file_name: format!("{name}.map"),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_poured_is_of_its_batch_and_can_be_taken_back() {
    let (_server, store) = Server::start("poured").await;
    let day_id = day(&store).await;
    let vehicle = store.day(day_id).await.unwrap().vehicle_id;
    let (e85, e5) =
        (store.put_fuel("E85", Some(0.85)).await.unwrap(), store.put_fuel("E5", Some(0.05)).await.unwrap());
    store.add_batch(e85, &batch("drum 7", Some(0.78)), &by()).await.unwrap();
    assert!(matches!(store.add_batch(e85, &batch("x", Some(78.0)), &by()).await, Err(StoreError::Check)));
    assert!(matches!(store.add_batch(999, &batch("x", None), &by()).await, Err(StoreError::NotFound { .. })));
    let drum = store.batches().await.unwrap()[0].id;
    let pour = |fuel_id, batch_id, h, left_l| NewPour { at: at(h), fuel_id, batch_id, litres: 20.0, left_l };
    store.pour(day_id, &pour(e5, None, 9, Some(0.0)), &by()).await.unwrap();
    store.pour(day_id, &pour(e85, Some(drum), 8, None), &by()).await.unwrap();
    assert!(
        matches!(
            store.pour(day_id, &pour(e5, Some(drum), 10, None), &by()).await,
            Err(StoreError::Refused(_))
        ),
        "a drum of another fuel"
    );
    let all = store.poured(vehicle).await.unwrap();
    assert_eq!(
        all.iter().map(|p| (p.fuel.as_str(), p.ethanol())).collect::<Vec<_>>(),
        [("E85", Some(0.78)), ("E5", Some(0.05))]
    );
    store.unpour(day_id, all[0].id, &by()).await.unwrap();
    assert_eq!(store.poured(vehicle).await.unwrap().len(), 1);
    assert!(matches!(store.unpour(day_id, all[0].id, &by()).await, Err(StoreError::NotFound { .. })));
    store.archive_batch(drum, &by()).await.unwrap();
    assert!(store.batches().await.unwrap().is_empty());
    let trail = store.trail(Subject::Day(day_id)).await.unwrap();
    assert_eq!(trail.iter().filter(|t| t.field == "poured into the tank").count(), 3);
    // Made one, a fuel takes its fills and deliveries along.
    store.add_batch(e85, &batch("drum 8", None), &by()).await.unwrap();
    let other = store.put_fuel("E 85", None).await.unwrap();
    store.merge_fuels(e85, other, &by()).await.unwrap();
    assert_eq!(store.batches().await.unwrap()[0].fuel_id, other);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_flash_is_of_a_map_that_serves_the_vehicle_and_no_map_descends_from_itself() {
    let (_server, store) = Server::start("flashed").await;
    let day_id = day(&store).await;
    let vehicle = store.day(day_id).await.unwrap().vehicle_id;
    let c1 = store.put_map(vehicle, &map("C1", Some("Stock")), Cursor::new(b"one")).await.unwrap();
    let c2 = store.put_map(vehicle, &map("C2", Some("C1")), Cursor::new(b"two")).await.unwrap();
    let on = |d| NaiveDate::from_ymd_opt(2026, 3, d).unwrap();
    let flash = |map_id, d, at| NewFlash { map_id, on: on(d), at, note: String::new() };
    store.add_flash(vehicle, &flash(c1, 2, Some(at(9))), &by()).await.unwrap();
    store.add_flash(vehicle, &flash(c2, 3, None), &by()).await.unwrap();
    store.add_flash(vehicle, &flash(c1, 3, Some(at(8))), &by()).await.unwrap();
    let all = store.flashes(vehicle).await.unwrap();
    assert_eq!(
        all.iter().map(|f| f.map.as_str()).collect::<Vec<_>>(),
        ["C1", "C2", "C1"],
        "a time goes after none"
    );
    store.take_flash_back(vehicle, all[0].id, &by()).await.unwrap();
    assert_eq!(store.flashes(vehicle).await.unwrap()[0].map, "C2");
    let other = crate::shop::vehicle();
    let stranger = store
        .add_vehicle(&jamjar_store::NewVehicle {
            vehicle: jamjar_core::analysis::Vehicle { name: "another".into(), ..other },
            limits: vec![],
            sheet: Default::default(),
            demo: false,
        })
        .await
        .unwrap();
    assert!(matches!(
        store.add_flash(stranger, &flash(c1, 3, None), &by()).await,
        Err(StoreError::Refused(_))
    ));
    assert_eq!(store.vehicles_of_revision(c1).await.unwrap(), [vehicle]);
    store.lend_map(c1, stranger, &by()).await.unwrap();
    store.add_flash(stranger, &flash(c1, 3, None), &by()).await.unwrap();
    assert_eq!(store.vehicles_of_revision(c1).await.unwrap(), [vehicle, stranger]);

    let was = store.map_words(c1).await.unwrap();
    let round = jamjar_store::MapWords { parent: Some("C2".into()), ..was.clone() };
    let refused = store.edit_map(c1, &was, &round, &by()).await.unwrap_err();
    assert!(refused.to_string().contains("C1 was made from C2 was made from C1"), "{refused}");
    assert!(matches!(
        store.put_map(vehicle, &map("C3", Some("C3")), Cursor::new(b"three")).await,
        Err(StoreError::Refused(_))
    ));
    // A lost file that comes later leaves what was said of its map.
    let words = jamjar_store::MapWords { name: "C9".into(), note: "said".into(), ..was };
    let lost = NewMap { kind: "unknown".into(), parent: None, note: String::new(), ..map("C9", None) };
    let id = store
        .put_map(vehicle, &NewMap { note: words.note.clone(), ..map("C9", Some("C1")) }, Cursor::new(b"nine"))
        .await
        .unwrap();
    assert_eq!(store.put_map(vehicle, &lost, Cursor::new(b"nine")).await.unwrap(), id);
    let after = store.map_words(id).await.unwrap();
    assert_eq!(
        (after.kind.as_str(), after.parent.as_deref(), after.note.as_str()),
        ("custom", Some("C1"), "said")
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_word_about_a_ladder_stands_until_it_is_taken_back() {
    let (_server, store) = Server::start("ladderword").await;
    let day_id = day(&store).await;
    let vehicle = store.day(day_id).await.unwrap().vehicle_id;
    let word = LadderWord {
        kind: "stop".into(),
        map: "C6".into(),
        fuel: "E85".into(),
        at_rung: "150 kPa".into(),
        reason: "head studs".into(),
        written_by: "the calibrator".into(),
        ..LadderWord::now()
    };
    store.say_of_ladder(vehicle, &word).await.unwrap();
    let all = store.ladder_words(vehicle).await.unwrap();
    assert_eq!((all.len(), all[0].reason.as_str()), (1, "head studs"));
    store.unsay_of_ladder(vehicle, all[0].id.unwrap(), &by()).await.unwrap();
    assert!(store.ladder_words(vehicle).await.unwrap().is_empty());
    let trail = store.trail(Subject::Vehicle(vehicle)).await.unwrap();
    assert_eq!(trail.iter().filter(|t| t.field == "ladder stopped at").count(), 2);
}

fn sheet(number: &str, vehicle: i64, supersedes: Option<&str>) -> NewReport {
    NewReport {
        number: number.into(),
        vehicles: vec![vehicle],
        title: "C6 gained".into(),
        asked: "sets=1".into(),
        sheet: "<p>gain</p>".into(),
        figures: "{}".into(),
        prints: vec![("a4".into(), b"%PDF-".to_vec())],
        supersedes: supersedes.map(str::to_owned),
        why: "another fuel".into(),
        issued_at: NaiveDate::from_ymd_opt(2026, 3, 2).unwrap().and_time(at(10)),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_issued_is_numbered_once_superseded_once_and_never_changed() {
    use diesel_async::{AsyncConnection, AsyncMysqlConnection, SimpleAsyncConnection};
    let (server, store) = Server::start("issued").await;
    let vehicle = store.day(day(&store).await).await.unwrap().vehicle_id;
    assert_eq!(store.next_report_number(2026).await.unwrap(), "2026-001");
    let first = store.issue_report(&sheet("2026-001", vehicle, None), &by()).await.unwrap();
    assert_eq!(store.next_report_number(2026).await.unwrap(), "2026-002");
    assert_eq!(store.next_report_number(2027).await.unwrap(), "2027-001");
    let again = store.issue_report(&sheet("2026-001", vehicle, None), &by()).await;
    assert!(matches!(again, Err(StoreError::Duplicate)), "{again:?}");
    // Eight at once under one number: one gets it.
    let at_once = (0..8).map(|_| {
        let store = store.clone();
        tokio::spawn(
            async move { store.issue_report(&sheet("2026-002", vehicle, Some("2026-001")), &by()).await },
        )
    });
    let mut issued = 0;
    for one in at_once.collect::<Vec<_>>() {
        match one.await.unwrap() {
            Ok(_) => issued += 1,
            Err(StoreError::Duplicate) => {}
            Err(e) => panic!("{e}"),
        }
    }
    assert_eq!(issued, 1);
    assert_eq!(store.report(first).await.unwrap().1.as_deref(), Some("2026-002"));
    for (old, what) in [("2026-001", "supersede that one"), ("2025-009", "no report 2025-009")] {
        let e =
            store.issue_report(&sheet("2026-003", vehicle, Some(old)), &by()).await.unwrap_err().to_string();
        assert!(e.contains(what), "{e}");
    }
    assert_eq!(store.reports(Some(vehicle)).await.unwrap().len(), 2, "nothing half-written");
    let mut c = AsyncMysqlConnection::establish(&server.db.url("jamjar")).await.unwrap();
    for around in [
        "UPDATE report SET sheet = 'x'",
        "UPDATE report SET title = 'x'",
        "DELETE FROM report",
        "UPDATE report_print SET data = 'x'",
    ] {
        let refused = c.batch_execute(around).await.unwrap_err().to_string();
        assert!(refused.contains("an issued report is not"), "{around}: {refused}");
    }
    assert_eq!(store.report_sheet(first).await.unwrap(), "<p>gain</p>");
    let day = NaiveDate::from_ymd_opt(2026, 4, 1).unwrap();
    store.share_report(first, "secret", day, &by()).await.unwrap();
    assert_eq!(store.shared("secret", day).await.unwrap(), Some(Shared::Report(first)));
    assert_eq!(store.shared("secret", day.succ_opt().unwrap()).await.unwrap(), Some(Shared::Over));
    assert_eq!(store.shared("secre", day).await.unwrap(), None);
    let link = store.share_links(first).await.unwrap()[0].id;
    assert!(matches!(store.withdraw_link(first + 1, link).await, Err(StoreError::NotFound { .. })));
    store.withdraw_link(first, link).await.unwrap();
    assert_eq!(store.shared("secret", day).await.unwrap(), Some(Shared::Over));
    // Taken out and read back it is the same, with its number and its sheet.
    let taken = store.take_out(&[vehicle]).await.unwrap();
    assert_eq!((taken.reports.len(), taken.reports_about.len()), (2, 2));
    let text = serde_json::to_string(&taken.reports).unwrap();
    assert!(text.contains("<p>gain</p>") && !text.contains("secret"));
    assert_eq!(store.report_print(first, "a4").await.unwrap(), b"%PDF-");
    assert_eq!(taken.report_prints.len(), 2);
    assert_eq!(store.report_papers(first).await.unwrap(), ["a4"]);
    let back: Vec<ReportRow> = serde_json::from_str(&text).unwrap();
    assert_eq!(back, taken.reports);
}
