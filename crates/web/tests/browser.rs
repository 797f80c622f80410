//! The whole path in a real browser: open, drop files, answer a question, store, line up, switch, read the
//! gain, download.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod common;
mod driver;

use common::Cell;
use driver::{see, walk_through};
use std::time::Duration;
use thirtyfour::prelude::*;

async fn set(d: &WebDriver, css: &str, value: &str) {
    let e = see(d, css).await;
    e.clear().await.unwrap();
    e.send_keys(value).await.unwrap();
}

/// How wide the page is, px.
async fn width(d: &WebDriver) -> f64 {
    let asked = d.execute("return document.documentElement.scrollWidth", vec![]).await.unwrap();
    asked.json().as_f64().unwrap()
}

async fn choose(d: &WebDriver, css: &str, value: &str) {
    see(d, &format!("{css} option[value='{value}']")).await.click().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_is_entered_by_hand_on_a_phone() {
    walk_through(Cell::start("phone").await, by_hand).await;
}

async fn by_hand(d: WebDriver, base: String) {
    let phone = serde_json::json!({"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": true});
    d.cdp().send_raw("Emulation.setDeviceMetricsOverride", phone).await.unwrap();
    d.goto(format!("{base}/days/new")).await.unwrap();
    set(&d, "input[name=name]", "Quillet 650").await;
    choose(&d, "select[name=dyno]", "roller_inertia").await;
    set(&d, "input[name=inertia]", "6.2").await;
    see(&d, "main form button.btn").await.click().await.unwrap();

    assert!(see(&d, "#checklist summary").await.text().await.unwrap().contains("No go yet: 6"));
    see(&d, "#checklist summary").await.click().await.unwrap();
    for id in ["straps", "guards", "air", "fire", "hearing", "abort"] {
        see(&d, &format!("#checklist input[name={id}][value=yes]")).await.click().await.unwrap();
        // The attribute is the server's word; the tick alone is only the browser's.
        let kept = format!("#checklist input[name={id}][value=yes][checked]");
        d.query(By::Css(kept))
            .wait(Duration::from_secs(30), Duration::from_millis(50))
            .first()
            .await
            .unwrap();
    }
    d.query(By::XPath("//*[@id='checklist']//b[contains(., 'Go: 6 of 20')]"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap();
    d.refresh().await.unwrap();
    see(&d, "#air summary").await.click().await.unwrap();
    for (field, value) in [("temperature", "16,5"), ("humidity", "61"), ("pressure", "1008")] {
        set(&d, &format!("#air form[action$='/air'] input[name={field}]"), value).await;
    }
    see(&d, "#air form[action$='/air'] button").await.click().await.unwrap();
    d.query(By::XPath("//*[contains(., '16.5 °C')]"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap();
    set(&d, "form[action$='/notes'] input[name=text]", "rear tyre to 2.4 bar").await;
    see(&d, "form[action$='/notes'] button").await.click().await.unwrap();
    assert!(see(&d, ".daynotes").await.text().await.unwrap().contains("rear tyre to 2.4 bar"));
    let wide = width(&d).await;
    assert!(wide <= 390.0, "nothing hangs over the edge: {wide} px");
    d.goto(format!("{base}/vehicles/1")).await.unwrap();
    let wide = width(&d).await;
    assert!(wide <= 390.0, "on the vehicle page neither: {wide} px");
}

#[tokio::test(flavor = "multi_thread")]
async fn from_two_sets_of_files_to_an_honest_gain() {
    walk_through(Cell::start("browser").await, walk).await;
}

/// Opens a pull from the day sheet, reads a value at the cursor, drags over a stretch, and comes back by key.
async fn looks_closer_at_a_pull(d: &WebDriver) {
    let day = d.current_url().await.unwrap();
    let pull = see(d, "td a[href^='/pulls/']").await;
    pull.scroll_into_view().await.unwrap();
    pull.click().await.unwrap();
    let lanes = see(d, "[data-lanes] svg").await;
    let whole: f64 = lanes.attr("data-x1").await.unwrap().unwrap().parse().unwrap();
    lanes.send_keys(Key::Right + "").await.unwrap();
    assert!(
        see(d, ".readout").await.text().await.unwrap().contains("engine rpm"),
        "the cursor reads by keyboard"
    );
    d.action_chain()
        .move_to_element_center(&lanes)
        .click_and_hold()
        .move_by_offset(120, 0)
        .release()
        .perform()
        .await
        .unwrap();
    see(d, "a[data-link='0']").await;
    let zoomed: f64 =
        see(d, "[data-lanes] svg").await.attr("data-x1").await.unwrap().unwrap().parse().unwrap();
    assert!(
        zoomed < whole && d.current_url().await.unwrap().query().is_some_and(|q| q.contains("from=")),
        "the stretch is a link: {zoomed} {whole}"
    );
    d.find(By::Css("body")).await.unwrap().send_keys("]").await.unwrap();
    d.query(By::XPath("//div[@class='crumbs']/b[.='pull 2']"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap();
    d.goto(day.to_string()).await.unwrap();
}

async fn walk(d: WebDriver, base: String) {
    let kept = tempfile::tempdir().unwrap();
    let folder = kept.path();
    let (loaded, run) = jamjar_workflow::scenarios::first_light(9, 0.001).unwrap();
    jamjar_workflow::simulate::write_days(&loaded, &run, folder).unwrap();

    d.goto(&base).await.unwrap();
    see(&d, "main a.btn").await.click().await.unwrap();
    set(&d, "input[name=name]", "Tolvern T3").await;
    set(&d, "input[name=ratio]", "4.1").await;
    choose(&d, "select[name=aspiration]", "turbocharged").await;
    for (field, value) in [("temperature", "21.4"), ("humidity", "52"), ("pressure", "1002.1")] {
        set(&d, &format!("input[name={field}]"), value).await;
    }
    see(&d, "main form button.btn").await.click().await.unwrap();

    let names = ["stock-95", "c2-95"]
        .iter()
        .flat_map(|s| (1..=3).flat_map(move |i| [format!("{s}-p{i}_dyno.csv"), format!("{s}-p{i}_ecu.csv")]));
    let paths: Vec<String> = names.map(|n| folder.join(n).display().to_string()).collect();
    see(&d, "[data-drop]").await;
    d.find(By::Css("[data-drop] input[type=file]")).await.unwrap().send_keys(paths.join("\n")).await.unwrap();
    assert!(see(&d, ".question").await.text().await.unwrap().contains("AFR on the gasoline scale"));
    let answer = see(&d, ".question button").await;
    answer.scroll_into_view().await.unwrap();
    answer.click().await.unwrap();
    d.query(By::Css(".question"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .not_exists()
        .await
        .unwrap();

    for (i, map) in [(0, "Stock"), (1, "C2")] {
        set(&d, &format!("input[name='map.{i}']"), map).await;
        set(&d, &format!("input[name='fuel.{i}']"), "RON 95 E5").await;
        set(&d, &format!("input[name='gear.{i}']"), "4").await;
    }
    let store = see(&d, "#commit button.btn").await;
    store.scroll_into_view().await.unwrap();
    store.click().await.unwrap();
    see(&d, "tbody.setcard").await;
    assert!(d.find(By::Css("body")).await.unwrap().text().await.unwrap().contains("aligned ±"));

    looks_closer_at_a_pull(&d).await;
    let line_up = see(&d, "[data-lineup]").await;
    line_up.scroll_into_view().await.unwrap();
    line_up.click().await.unwrap();
    let answer = see(&d, "#answer").await.text().await.unwrap();
    assert!(
        answer.starts_with("C2 on RON 95 E5 gains ") && answer.contains("kW over Stock on RON 95 E5 at peak"),
        "{answer}"
    );
    let kw: f64 = answer.split("gains ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap();
    assert!((13.0..19.0).contains(&kw), "the simulator's truth is about 16 kW: {answer}");
    assert!(
        d.find(By::Css("body")).await.unwrap().text().await.unwrap().contains("λ 1"),
        "the limit under load is there"
    );

    let at = see(&d, "#at").await.text().await.unwrap();
    d.find(By::Css("[data-chart] svg")).await.unwrap().send_keys(Key::Right + "").await.unwrap();
    assert_ne!(see(&d, "#at").await.text().await.unwrap(), at, "the cursor moves by keyboard");
    let power = see(&d, "#cursor-rows tr").await.text().await.unwrap();
    assert!(power.starts_with("power") && power.contains('.'), "{power}");
    see(&d, "#figure-table thead .sorter").await.send_keys(Key::Enter + "").await.unwrap();
    assert_eq!(
        see(&d, "#figure-table thead th").await.attr("aria-sort").await.unwrap().as_deref(),
        Some("descending"),
        "a press on a head sorts"
    );

    choose(&d, "select[name=correction]", "none").await;
    d.query(By::Css("svg[aria-label*='uncorrected']"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap();
    see(&d, ".unitset summary").await.click().await.unwrap();
    choose(&d, "select[name=power]", "ps").await;
    d.query(By::Css("svg[aria-label*=', PS,']"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap();

    let link = d.find(By::Css("a[href*='data.csv']")).await.unwrap().prop("href").await.unwrap().unwrap();
    let script = "const done = arguments[1]; fetch(arguments[0]).then(r => r.text()).then(t => done(t)).catch(e => done(String(e)));";
    let csv = d
        .execute_async(script, vec![serde_json::json!(link)])
        .await
        .unwrap()
        .json()
        .as_str()
        .unwrap()
        .to_owned();
    assert!(csv.lines().count() > 60 && csv.contains("gain (kW)"), "{csv}");

    let search = d.find(By::Css("input[type=search]")).await.unwrap();
    d.find(By::Css("body")).await.unwrap().send_keys("/").await.unwrap();
    assert_eq!(
        d.active_element().await.unwrap().attr("name").await.unwrap(),
        search.attr("name").await.unwrap(),
        "/ goes to search"
    );
    d.active_element().await.unwrap().send_keys("c2" + Key::Enter).await.unwrap();
    d.query(By::Css("#found .chip"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap();
    d.find(By::Css("[data-ask]")).await.unwrap().send_keys(", strongest").await.unwrap();
    let live = d
        .query(By::Css("#found .chip[href*='strongest']"))
        .wait(Duration::from_secs(30), Duration::from_millis(50));
    live.first().await.expect("the answer follows what is typed");
    d.active_element().await.unwrap().send_keys(Key::Down).await.unwrap();
    assert!(
        d.active_element().await.unwrap().attr("data-row").await.unwrap().is_some(),
        "down goes to the first row"
    );
    d.active_element().await.unwrap().send_keys(Key::Enter).await.unwrap();
    see(&d, "[data-lanes]").await;

    choose(&d, "select[name=theme]", "dark").await;
    d.query(By::Css("html[data-theme=dark]"))
        .wait(Duration::from_secs(30), Duration::from_millis(50))
        .first()
        .await
        .unwrap();
}
