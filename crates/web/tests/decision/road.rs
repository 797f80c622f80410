//! Road and strip: shift points and a standing start by measured curves.

use crate::common::Cell;
use axum::http::StatusCode;

#[tokio::test(flavor = "multi_thread")]
async fn two_maps_are_driven_through_the_same_gears_and_differ_with_an_interval() {
    let cell = Cell::with_demo().await;
    assert!(cell.get("/vehicles/1").await.text().contains("/vehicles/1/road"), "the way there");
    let page = cell.get("/vehicles/1/road").await.text();
    assert!(page.contains("s over 402 m, ") && page.contains("s less than Stock on"), "{page}");
    assert!(
        page.contains("class=\"traction\"") && page.contains("shift 1 → 2") && page.contains(" ± "),
        "{page}"
    );
    assert!(page.contains("A limit 300 rpm higher"));
    let mph = cell.get("/vehicles/1/road?speed=mph").await.text();
    assert!(mph.contains(" mph"), "in the unit read in");
    let heavy = cell.get("/vehicles/1/road?mass=2400").await.text();
    assert_ne!(page.split("<h1>").nth(1), heavy.split("<h1>").nth(1), "mass counts");
    assert!(cell.get("/vehicles/1/road?limit=9000").await.text().contains("Nothing was measured above"));
    // A wanted time is turned into power, or into the tyres that hold it up.
    let wanted = cell.get("/vehicles/1/road?wanted=13.5").await.text();
    assert!(
        wanted.contains("13.50 s over 402 m takes ") && wanted.contains(" times the power of "),
        "{wanted}"
    );
    assert!(cell.get("/vehicles/1/road?wanted=6").await.text().contains("is not by power: traction"));
    for wrong in ["wanted=1", "mass=nothing", "mass=1", "grip=90", "limit=200"] {
        assert_eq!(
            cell.get(&format!("/vehicles/1/road?{wrong}")).await.status,
            StatusCode::BAD_REQUEST,
            "{wrong}"
        );
    }
    // A sheet without gears says what is missing, and draws nothing.
    let all = cell.store.vehicles().await.unwrap();
    let bare = all.iter().find(|v| v.sheet.gears.len() < 2).map(|v| v.id);
    if let Some(id) = bare {
        let page = cell.get(&format!("/vehicles/{id}/road")).await.text();
        assert!(
            page.contains("The vehicle&#39;s sheet does not say: gear ratios")
                || page.contains("does not say: gear ratios"),
            "{page}"
        );
        assert!(!page.contains("class=\"traction\""));
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn slips_are_held_against_each_other_and_against_the_estimate() {
    let cell = Cell::with_demo().await;
    let map = cell.store.sets_of_day(1).await.unwrap()[0].set.config.clone();
    let before = cell.store.slips(1).await.unwrap().len();
    let post = async |form: &[(&str, &str)]| cell.post("/vehicles/1/slips", form).await.status;
    let first = [
        ("on", "2026-06-01"),
        ("at", "10:05"),
        ("map", &*map.map),
        ("fuel", &*map.fuel),
        ("t18", "2.31"),
        ("t201", "9.41"),
        ("v201", "121"),
        ("t402", "14.62"),
        ("v402", "152"),
        ("temperature", "18"),
        ("pressure", "1009"),
    ];
    assert_eq!(post(&first).await, StatusCode::SEE_OTHER);
    assert_eq!(
        post(&[
            ("on", "2026-06-01"),
            ("at", "11:10"),
            ("map", "C6"),
            ("t18", "2.25"),
            ("t402", "14.02"),
            ("v402", "159,5")
        ])
        .await,
        StatusCode::SEE_OTHER
    );
    let page = cell.get("/vehicles/1/road").await.text();
    assert!(page.contains("C6, 1 June 2026 11:10 took 0.60 s less than"), "{page}");
    assert!(page.contains("-0.06 s of it up to 18 m, the launch, and -0.54 s after it"), "{page}");
    let row = page.split("10:05<br>").nth(1).unwrap();
    assert!(row.contains("14.62 s<br><span class=\"small quiet\">"), "with its estimate: {row}");
    assert!(page.contains("rollout 0.3 m, 18 °C, 1009 hPa"));
    for wrong in [
        vec![("on", "2026-06-01"), ("map", "C6")],
        vec![("on", "yesterday"), ("map", "C6"), ("t402", "14")],
        vec![("on", "2026-06-01"), ("map", "C6"), ("t18", "2.2"), ("t402", "1.9")],
        vec![("on", "2026-06-01"), ("map", ""), ("t402", "14")],
        vec![("on", "2026-06-01"), ("map", "C6"), ("t201", "14"), ("t402", "13.9")],
    ] {
        assert_eq!(post(&wrong).await, StatusCode::BAD_REQUEST, "{wrong:?}");
    }
    // Only a trap speed: what of it is launch is not said.
    assert_eq!(post(&[("on", "2026-06-02"), ("map", "C6"), ("v402", "161")]).await, StatusCode::SEE_OTHER);
    assert!(cell.get("/vehicles/1/road").await.text().contains("which part is launch can&#39;t be told"));
    let newest = cell.store.slips(1).await.unwrap()[0].id.unwrap();
    cell.post(&format!("/vehicles/1/slips/{newest}/off"), &[]).await;
    assert_eq!(cell.store.slips(1).await.unwrap().len(), before + 2);
}

/// A road log that goes through second, third and fourth gear; each change takes `takes` s.
fn through_the_gears(takes: f64) -> String {
    let gears = [120.0, 79.0, 61.0];
    let mut csv = String::from(
        "Time (s),Engine Speed (rpm),Vehicle Speed (km/h),Throttle (%),Manifold Pressure (kPa)\n",
    );
    for i in 0..1600 {
        let t = f64::from(i) * 0.01;
        let speed = 25.0 + 7.5 * (t - 1.0).clamp(0.0, 13.0);
        let done = |at: f64| ((t - at) / takes).clamp(0.0, 1.0);
        let ratio = gears[0] + (gears[1] - gears[0]) * done(5.0) + (gears[2] - gears[1]) * done(9.5);
        let open = (1.0..14.0).contains(&t);
        let wiggle = 0.6 * f64::from(i % 3 - 1);
        csv += &format!(
            "{t:.2},{:.1},{speed:.2},{},{}\n",
            ratio * speed + wiggle,
            if open { 100 } else { 5 },
            if open { 180 } else { 40 }
        );
    }
    csv
}

#[tokio::test(flavor = "multi_thread")]
async fn changes_of_gear_are_read_from_a_road_log_and_held_apart_by_the_gearboxs_software() {
    let cell = Cell::start("shifts").await;
    let day = cell.new_day("On the road", "4").await;
    assert!(cell.get("/vehicles/1/shifts").await.text().contains("No recording here shows a change of gear"));
    for (k, takes) in [0.42, 0.40, 0.41].into_iter().enumerate() {
        let name = format!("run {k}.csv");
        let page =
            cell.drop_files(&day, &[(name.as_str(), through_the_gears(takes).as_bytes())]).await.text();
        assert!(page.contains("name=\"pull."), "a road log has pulls to store: {page}");
        cell.store_ticked(&day, &page, &[("map.0", "Stock"), ("fuel.0", "RON 95 E5")]).await;
    }
    let page = cell.get("/vehicles/1/shifts").await.text();
    assert!(page.contains("6 changes of gear in 3 recordings"), "{page}");
    assert!(
        page.contains("up, step 0.66") && page.contains("up, step 0.77"),
        "no gears on the sheet: {page}"
    );
    assert!(page.contains("software not said") && page.contains("not measured"), "{page}");
    assert!(page.contains(" ± ") && page.contains("3 times"), "{page}");
}
