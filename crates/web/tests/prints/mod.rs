//! Pulls that come finished, from a drop to a line-up: tables without time, peaks on paper, a log alone.

use crate::common::{Cell, by, ticked};
use axum::http::StatusCode;
use jamjar_core::analysis::Finished;
use jamjar_core::printed::{Applied, Place};
use std::fmt::Write;

/// Runs of a table in hp over rpm, each with its name and a factor.
fn table(runs: &[(&str, f64)]) -> String {
    runs.iter().fold(String::new(), |mut out, (name, by)| {
        let _ = writeln!(out, "{name}\nRPM,Power (hp)");
        for k in 20..=65 {
            let rpm = 100.0 * f64::from(k);
            let _ = writeln!(out, "{rpm},{:.3}", by * (20.0 + 0.02 * rpm - 1.1e-9 * rpm.powi(3)));
        }
        out
    })
}

async fn finished(cell: &Cell, pull: i64) -> Finished {
    cell.store.finished_of_pull(pull).await.unwrap().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_table_without_time_becomes_sets_that_say_what_they_are() {
    let cell = Cell::start("prints").await;
    let day = cell.new_day("Tern", "4.1").await;
    let file = table(&[("Stock map", 1.0), ("C3 map", 1.08)]);
    let page = cell.drop_files(&day, &[("tern prints.csv", file.as_bytes())]).await.text();
    assert!(page.contains("a finished table: 2 runs"), "{page}");
    assert!(
        page.contains("Correction in it") && page.contains("<option value=\"hub\" selected>"),
        "asked, and the place that fits is chosen"
    );
    assert_eq!(ticked(&page).len(), 2);
    let named = [("map.0", "Stock"), ("fuel.0", "E10"), ("map.1", "C3"), ("fuel.1", "E10")];
    let said = [
        ("place.0", "wheel"),
        ("applied.0", "din_70020"),
        ("place.1", "wheel"),
        ("applied.1", "unknown"),
        ("smoothing.1", "5"),
    ];
    cell.store_ticked(&day, &page, &[&named[..], &said[..]].concat()).await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    assert_eq!(sets.len(), 2);
    let pulls: Vec<i64> = sets.iter().map(|s| s.pulls[0].0.id).collect();
    let print = finished(&cell, pulls[1]).await;
    let print = print.print().unwrap();
    assert_eq!(
        (print.place, print.applied, print.smoothing.as_str()),
        (Some(Place::Wheel), Applied::Unknown, "5")
    );
    let sheet = cell.get(&day).await.text();
    assert!(sheet.contains("a print") && sheet.contains("nothing was recorded"), "{sheet}");
    let read = cell.get(&format!("/pulls/{}", pulls[1])).await.text();
    assert!(
        read.contains("a curve that came finished") && read.contains("by an unknown correction"),
        "{read}"
    );
    assert!(read.contains("polyline") || read.contains("<path"), "its curve is drawn");
    assert!(!read.contains("NaN"));
    let line_up = format!("/line-up?sets={},{}", sets[0].set.id, sets[1].set.id);
    assert!(
        cell.get(&line_up).await.text().contains("unknown correction"),
        "one of them cannot be brought to the other"
    );
    // What it says of itself is put right, and the line-up follows.
    let form = cell.get(&format!("/pulls/{}/edit", pulls[1])).await.text();
    let seen = form.split("name=\"seen\" value=\"").nth(1).unwrap().split('"').next().unwrap();
    let fields = [
        ("place", "wheel"),
        ("applied", "din_70020"),
        ("smoothing", "5"),
        ("why", "asked the cell"),
        ("seen", seen),
    ];
    let put = cell.post(&format!("/pulls/{}/print", pulls[1]), &fields).await;
    assert_eq!(put.status, StatusCode::SEE_OTHER, "{}", put.text());
    assert!(!cell.get(&line_up).await.text().contains("carries an unknown correction"));
    let again = cell.post(&format!("/pulls/{}/print", pulls[1]), &fields).await;
    assert_eq!(again.status, StatusCode::CONFLICT, "a form of before is told");
    let trail = cell.get(&format!("/pulls/{}/edit", pulls[1])).await.text();
    assert!(trail.contains("asked the cell") && trail.contains("by an unknown correction"));
    // The day is measured again from what is stored, not from what was kept.
    cell.store
        .edit_set(
            sets[0].set.id,
            &sets[0].set.config,
            &jamjar_store::Configuration { gear: "4".into(), ..sets[0].set.config.clone() },
            &by(),
        )
        .await
        .unwrap();
    assert!(cell.get(&format!("/pulls/{}", pulls[0])).await.text().contains("a curve that came finished"));
    let bytes = cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].0.dyno_file_id;
    assert_eq!(
        cell.get(&format!("/files/{bytes}")).await.body,
        file.as_bytes(),
        "the print is downloaded as it came"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn peaks_are_typed_from_paper_and_an_import_of_them_is_taken_back() {
    let cell = Cell::start("typed").await;
    let day = cell.new_day("Tern", "4.1").await;
    let typed = |power: &'static str| {
        [
            ("name", "stock run"),
            ("power", power),
            ("power_unit", "hp"),
            ("power_rpm", "6100"),
            ("torque", "160"),
            ("torque_unit", "lb·ft"),
            ("torque_rpm", ""),
        ]
    };
    let bad = cell.post(&format!("{day}/typed"), &typed("lots")).await;
    assert_eq!(bad.status, StatusCode::UNPROCESSABLE_ENTITY);
    let bad = bad.text();
    assert!(bad.contains("“lots” is not a number") && bad.contains("value=\"6100\""), "kept as typed: {bad}");
    let page = cell.post(&format!("{day}/typed"), &typed("162")).await.text();
    assert!(page.contains("peaks typed from a print"), "{page}");
    cell.store_ticked(
        &day,
        &page,
        &[("map.0", "Stock"), ("fuel.0", "E10"), ("place.0", "hub"), ("applied.0", "none")],
    )
    .await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let pull = sets[0].pulls[0].0.id;
    let read = cell.get(&format!("/pulls/{pull}")).await.text();
    assert!(read.contains("peaks typed from a print") && read.contains("at 6100 rpm"), "{read}");
    assert!(!read.contains("NaN") && !cell.get(&day).await.text().contains("NaN"));
    assert!(
        (cell.store.peak_of(pull).await.unwrap().unwrap() - 162.0 * 0.7457).abs() < 0.05,
        "found by its power"
    );
    let run = cell.get(&format!("{day}/edit")).await.text();
    let run = run.split("name=\"run\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    cell.post(&format!("{day}/undo"), &[("run", &run)]).await;
    let sheet = cell.get(&day).await.text();
    assert!(sheet.contains("peaks typed from a print") && ticked(&sheet).len() == 1, "they wait again");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_log_of_an_engine_computer_alone_is_a_pull_without_power() {
    let cell = Cell::start("alone").await;
    let day = cell.new_day("Tern", "4.1").await;
    let mut log = String::from("Time (s),Engine speed (rpm),Throttle (%),Lambda 1\n");
    for i in 0..500 {
        let t = 0.04 * f64::from(i);
        let on = (4.0..12.0).contains(&t);
        let rpm = if on {
            2000.0 + 550.0 * (t - 4.0)
        } else if t < 4.0 {
            2000.0
        } else {
            (6400.0 - 900.0 * (t - 12.0)).max(900.0)
        };
        let _ =
            writeln!(log, "{t:.2},{rpm:.0},{},{}", if on { 100 } else { 12 }, if on { 0.86 } else { 1.0 });
    }
    let page = cell.drop_files(&day, &[("c3 p1 ecu.csv", log.as_bytes())]).await.text();
    assert!(page.contains("no dyno recording: limits and timing, no power"), "{page}");
    cell.store_ticked(&day, &page, &[("map.0", "C3"), ("fuel.0", "E10")]).await;
    let pull = cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].0.clone();
    assert_eq!(
        (finished(&cell, pull.id).await, pull.ecu_file_id),
        (Finished::LogOnly, Some(pull.dyno_file_id))
    );
    let read = cell.get(&format!("/pulls/{}", pull.id)).await.text();
    assert!(read.contains("limits and timing, no power") && read.contains("mixture"), "{read}");
    // Its columns are put right like any recording's.
    let form = [("source", "ecu"), ("column", "Lambda 1"), ("channel", "lambda_2"), ("unit", "")];
    let put = cell.post(&format!("/pulls/{}/columns", pull.id), &form).await;
    assert_eq!(put.status, StatusCode::SEE_OTHER, "{}", put.text());
    let (_, ecu) = cell.store.samples(pull.id).await.unwrap();
    assert!(ecu.unwrap().has("lambda_2"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_table_that_cannot_be_read_says_where_and_a_column_is_put_right_before_storing() {
    let cell = Cell::start("tables").await;
    let day = cell.new_day("Tern", "4.1").await;
    let broken = table(&[("", 1.0)]).replace("3000,", "3000,about ");
    let page = cell.drop_files(&day, &[("broken.csv", broken.as_bytes())]).await.text();
    assert!(page.contains("broken.csv:13:2") && page.contains("is not a number"), "{page}");
    assert!(cell.store.inbox(1).await.unwrap().is_empty(), "nothing waits of it");
    let plain = table(&[("", 1.0)]).replace("Power (hp)", "P");
    let page = cell.drop_files(&day, &[("plain.csv", plain.as_bytes())]).await.text();
    assert!(page.contains("role=\"alert\""), "a table without power or torque is refused: {page}");
    let odd = table(&[("", 1.0)]).replace("Power (hp)", "Power");
    let page = cell.drop_files(&day, &[("odd.csv", odd.as_bytes())]).await.text();
    assert!(page.contains("power taken as kW"), "{page}");
    let source = cell.store.inbox(1).await.unwrap()[0].source.clone();
    let said =
        [("source", source.as_str()), ("column", "Power"), ("channel", "power"), ("unit", "horse_power")];
    let page = cell.post(&format!("{day}/answers"), &said).await.text();
    assert!(!page.contains("power taken as kW") && page.contains("you said so"), "{page}");
    let settings = cell.get("/settings").await.text();
    assert!(settings.contains("“Power” is") && settings.contains("forget"), "{settings}");
    cell.post("/settings/forget", &[("source", &source)]).await;
    assert!(!cell.get("/settings").await.text().contains("“Power” is"));
    cell.store_ticked(&day, &page, &[("map.0", "Stock"), ("fuel.0", "E10")]).await;
    let pull = cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].0.id;
    let kw = cell.store.peak_of(pull).await.unwrap().unwrap();
    let hp: f64 = (20..=65)
        .map(|k| {
            let r = 100.0 * f64::from(k);
            20.0 + 0.02 * r - 1.1e-9 * r.powi(3)
        })
        .fold(0.0, f64::max);
    assert!((kw / (hp * 0.7457) - 1.0).abs() < 0.001, "{kw} of {hp} hp");
}
