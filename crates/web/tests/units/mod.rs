//! How numbers are read: the shop's units, dates, money and files, and sensors that are not one.

use crate::common::Cell;
use crate::record::{another_day, recordings};
use axum::http::StatusCode;

const IMPERIAL: [(&str, &str); 8] = [
    ("power", "hp"),
    ("torque", "lbft"),
    ("pressure", "psi"),
    ("zero", "gauge"),
    ("temperature", "f"),
    ("speed", "mph"),
    ("scale", "own"),
    ("volume", "usgal"),
];

/// What is read on a page or a drawing.
fn text_of(page: &str) -> String {
    let parts = page.split('<').skip(1).filter(|p| !p.starts_with("script") && !p.starts_with("style"));
    parts.filter_map(|p| p.split_once('>')).flat_map(|p| [p.1, " "]).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_shop_chooses_units_dates_money_and_files_once_and_every_browser_follows() {
    let cell = Cell::with_demo().await;
    let line_up = "/line-up?sets=1,2&base=1&lanes=pressure,mixture";
    let before = cell.get(line_up).await.text();
    assert!(before.contains("manifold pressure, kPa absolute") && before.contains("mixture, λ"));
    let writing = [("dates", "year"), ("currency", "crowns"), ("decimal", "comma")];
    let said: Vec<(&str, &str)> = IMPERIAL.into_iter().chain(writing).collect();
    assert_eq!(cell.post("/settings/ways", &said).await.status, StatusCode::SEE_OTHER);

    let page = cell.get(line_up).await.text();
    assert!(page.contains("manifold pressure, psi gauge"), "{page}");
    assert!(page.contains("mixture, AFR, own fuel") && page.contains(" hp"), "both burn one fuel");
    assert!(page.contains("2026-0"), "dates begin with the year");
    // Two fuels on one axis have no scale of their own.
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let other = sets.iter().find(|s| s.set.config.fuel != sets[0].set.config.fuel).unwrap().set.id;
    let two = cell.get(&format!("/line-up?sets=1,{other}&base=1&lanes=mixture")).await.text();
    assert!(
        two.contains("mixture, λ") && two.contains("several fuels, or ethanol not known: λ here"),
        "{two}"
    );

    // Gauge is what absolute is less the air of the baseline's pulls.
    let station = |set: usize| {
        let air: Vec<f64> =
            sets[set].pulls.iter().filter_map(|p| Some(p.1.measured.air?.pressure_hpa / 10.0)).collect();
        air.iter().sum::<f64>() / air.len() as f64
    };
    assert!(
        page.contains(&format!("above the station’s {:.1} kPa", station(0)).replace('.', ",")),
        "the zero is said: {}",
        station(0)
    );

    let picture = cell.get("/line-up/chart.svg?sets=1,2&base=1&lanes=pressure").await.text();
    assert!(picture.contains("manifold pressure, psi gauge"), "a picture taken away reads as the page does");

    let csv = cell.get("/line-up/data.csv?sets=1,2&base=1").await.text();
    let row = csv.lines().find(|l| l.starts_with("4000;")).expect("semicolons between columns");
    assert!(row.split(';').nth(1).unwrap().contains(',') && !row.contains('.'), "{row}");

    // On a screen too: the answer, the chart and what the script is told, but neither data nor what a name holds.
    let text = text_of(&page);
    assert!(page.contains("<html data-decimal=\",\""), "scripts are told");
    let stands_alone = |s: &str, mark: char| {
        s.split(|c: char| !(c.is_ascii_digit() || c == mark))
            .any(|w| w.split_once(mark).is_some_and(|(a, b)| !a.is_empty() && !b.is_empty()))
    };
    assert!(stands_alone(&text, ','), "{text}");
    assert!(page.contains("<path d=\"M") && picture.contains("viewBox=\"0 0"), "drawings are drawn");
    let labels = text_of(&picture);
    assert!(!stands_alone(&labels, '.'), "{labels}");

    let day = cell.get("/days/1").await.text();
    assert!(day.contains(" °F, ") && day.contains("density altitude") && day.contains(" ft"), "{day}");
    assert!(day.contains("<label>US gal"));
    cell.post("/days/1/fuel", &[("fuel", "RON 95 E5"), ("litres", "10"), ("note", "")]).await;
    cell.post("/days/1/fuel", &[("fuel", "E30"), ("litres", "20 L"), ("note", "")]).await;
    let kept = cell.store.day_sheet(1).await.unwrap().fuels;
    let litres = |name: &str| kept.iter().find(|f| f.fuel == name).unwrap().litres;
    assert!((litres("RON 95 E5") - 37.854).abs() < 0.01 && (litres("E30") - 20.0).abs() < 1e-9);

    let map = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.name == "C1").unwrap();
    cell.post(&format!("/vehicles/1/maps/{}/price", map.id), &[("price", "690,50")]).await;
    assert!(cell.get(line_up).await.text().contains("C1 costs 690 crowns"));

    // A switch in a link holds for the view, and nothing else.
    assert!(cell.get(&format!("{line_up}&pressure=bar&zero=absolute")).await.text().contains("bar absolute"));
    let long = "x".repeat(13);
    let refused: Vec<(&str, &str)> =
        said.iter().map(|(k, v)| if *k == "currency" { (*k, long.as_str()) } else { (*k, *v) }).collect();
    let refused = cell.post("/settings/ways", &refused).await;
    assert!(refused.status == StatusCode::BAD_REQUEST && refused.text().contains("longer than 12"));
    assert!(cell.get("/settings").await.text().contains("value=\"crowns\""), "and nothing changed");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_limit_may_be_typed_in_the_unit_it_is_thought_in() {
    let cell = Cell::with_demo().await;
    let limits = cell.store.vehicle(1).await.unwrap().limits;
    let hot = limits.iter().find(|l| l.channel.as_str().starts_with("exhaust_temp")).unwrap();
    let form = |threshold: &'static str| {
        [
            ("was.0", hot.id.as_str().to_owned()),
            ("id.0", hot.id.clone()),
            ("channel.0", hot.channel.to_string()),
            ("direction.0", "above".into()),
            ("threshold.0", threshold.into()),
            ("sustain.0", hot.sustain_s.to_string()),
            ("caution.0", hot.caution.to_string()),
            ("severity.0", "stop".into()),
        ]
    };
    let put = async |threshold: &'static str| {
        let form = form(threshold);
        let form: Vec<(&str, &str)> = form.iter().map(|(k, v)| (*k, v.as_str())).collect();
        cell.post("/vehicles/1/limits", &form).await
    };
    assert_eq!(put("1562 °F").await.status, StatusCode::SEE_OTHER);
    let now = cell.store.vehicle(1).await.unwrap().limits;
    let at = now.iter().find(|l| l.id == hot.id).unwrap().threshold.at(3000.0).unwrap();
    assert!((at - 850.0).abs() < 1e-9, "{at}");
    assert!(cell.get("/vehicles/1?temperature=f").await.text().contains("above 1562 °F"));
    let refused = put("1562 psi").await;
    assert!(refused.text().contains("850, or 1560 °F"), "what would be right: {}", refused.text());
}

#[tokio::test(flavor = "multi_thread")]
async fn one_channel_from_two_sensors_is_cautioned_where_they_are_laid_over_each_other() {
    let cell = Cell::with_demo().await;
    let (day, id) = another_day(&cell).await;
    let mut files = recordings(&cell, 1, 0).await;
    let text = String::from_utf8(files[1].1.clone()).unwrap();
    assert!(text.contains("IAT"));
    files[1].1 = text.replacen("IAT", "Intake air temperature", 1).into_bytes();
    let dropped: Vec<(&str, &[u8])> = files.iter().map(|(n, b)| (n.as_str(), b.as_slice())).collect();
    let page = cell.drop_files(&day, &dropped).await.text();
    cell.store_ticked(&day, &page, &[("map.0", "C1"), ("fuel.0", "RON 95 E5"), ("gear.0", "4")]).await;
    let there = cell.store.sets_of_day(id).await.unwrap();
    let here = cell.store.sets_of_day(1).await.unwrap();
    let [a, b] = [here[1].set.id, there[0].set.id];
    let page = cell.get(&format!("/line-up?sets={a},{b}&base={a}&lanes=heat")).await.text();
    assert!(page.contains("not one sensor: see below"), "{page}");
    assert!(page.contains("“IAT” in °C by the engine computer"), "{page}");
    assert!(page.contains("“Intake air temperature” in °C by the engine computer"), "{page}");
    let one = cell.get(&format!("/line-up?sets={a},{b}&base={a}&lanes=mixture")).await.text();
    assert!(!one.contains("not one sensor"), "the others are called alike");
    let [p, q] = [here[1].pulls[0].0.id, there[0].pulls[0].0.id];
    let pull = cell.get(&format!("/pulls/{p}?beside={q}&lanes=heat,mixture")).await.text();
    assert!(pull.contains("Intake temperature: “IAT” in °C"), "{pull}");
}
