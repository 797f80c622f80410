//! What a line-up concludes, and what its numbers rest on; on the demo.

use crate::common::Cell;
use axum::http::StatusCode;

#[tokio::test(flavor = "multi_thread")]
async fn a_line_up_is_looked_at_by_other_figures() {
    let cell = Cell::with_demo().await;
    let at = cell.get("/line-up?sets=1,2&base=1&view=power_at&at=4000").await.text();
    assert!(
        at.contains("more power at 4000 rpm than Stock on RON 95 E5")
            && at.contains("difference in power at 4000 rpm, kW"),
        "{at}"
    );
    let shift = cell.get("/line-up?sets=1,2&base=1&view=shift_power").await.text();
    assert!(
        shift.contains("mean power in the shift window (") && shift.contains(">width of the plateau<"),
        "the sheet names the gears"
    );
    assert!(
        !shift.contains("fall-off 300 rpm after the peak, %"),
        "power still rises where the limiter cuts: what comes after it is not power"
    );
    let band = cell.get("/line-up?sets=1,2&base=1&view=band_mean_power&band=2500-5000").await.text();
    assert!(
        band.contains("mean power from 2500 to 5000 rpm")
            && band.contains("figure=band_mean_power&#38;read=2500-5000&#38;from=2000&#38;to=5500"),
        "evidence is one click away"
    );
    assert_eq!(cell.get("/line-up?sets=1,2&band=6000-3000").await.status, StatusCode::BAD_REQUEST);
    let timed = cell.get("/line-up?sets=1,2&base=1&along=time").await.text();
    assert!(
        timed.contains(r#""axis":"s from tip-in""#)
            && timed.contains(r#"aria-current="true" class="strong">s from tip-in"#),
        "{timed}"
    );
    assert!(
        timed.contains("Below ") && !timed.contains(">road km/h</a>"),
        "words stay at engine speed, and a hub log has no road speed"
    );
    let table = cell.get("/line-up/data.csv?sets=1,2&base=1&along=shaft").await.text();
    assert!(table.lines().nth(1).unwrap().starts_with("dyno-shaft speed (rpm),"), "{table}");
    assert!(
        cell.get("/line-up?sets=1,2&base=1&along=road").await.text().contains("Not drawn along road km/h"),
        "asked for in an old link"
    );

    let query = "sets=1,2&base=1&view=power_at&at=4000";
    let kept = cell
        .post("/line-ups", &[("vehicle_id", "1"), ("name", "the <first> answer"), ("query", query)])
        .await;
    assert_eq!(kept.status, StatusCode::SEE_OTHER);
    let vehicle = cell.get("/vehicles/1").await.text();
    assert!(
        vehicle.contains("the &#60;first&#62; answer")
            && vehicle.contains("/line-up?sets=1,2&#38;base=1&#38;view=power_at"),
        "{vehicle}"
    );
    assert!(
        cell.post("/line-ups", &[("vehicle_id", "1"), ("name", "x"), ("query", "https://elsewhere")])
            .await
            .text()
            .contains("cannot be kept")
    );
    cell.post("/line-ups/1/forget", &[]).await;
    assert!(!cell.get("/vehicles/1").await.text().contains("answer</a>"));

    let factors = r#"{"map":"C2","fuel":"RON 95 E5"}"#;
    cell.post(
        "/plan",
        &[("vehicle_id", "1"), ("factors", factors), ("why", "tells map and fuel apart"), ("day", "1")],
    )
    .await;
    cell.post("/plan", &[("vehicle_id", "1"), ("factors", factors), ("why", "again"), ("day", "1")]).await;
    let day = cell.get("/days/1").await.text();
    assert_eq!(day.matches("C2, RON 95 E5").count(), 1, "planned once");
    assert!(day.contains("again") && !day.contains("tells map and fuel apart"));
    let planned = cell.store.planned(1).await.unwrap();
    let own = planned.iter().find(|p| p.why == "again").unwrap().id;
    cell.post(&format!("/plan/{own}/drop"), &[]).await;
    assert!(!cell.get("/days/1").await.text().contains("again</span>"));
}

/// Several changes split by factor, the corners that would split them without an order, and money per
/// kilowatt.
#[tokio::test(flavor = "multi_thread")]
async fn what_did_it_and_what_it_costs() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let focus = sets.iter().find(|s| s.set.config.map == "C2" && s.set.config.fuel == "E30").unwrap();
    let page = format!("/line-up?sets=1,2,3,4,5,6&base=1&focus={}", focus.set.id);
    let text = cell.get(&page).await.text();
    assert!(
        text.contains("Which change did it") && text.contains("class=\"waterfall\""),
        "the path that was run is drawn"
    );
    assert!(
        text.contains("largest gain in power anywhere, kW at rpm")
            && text.contains("The largest gain of a whole curve looks large by chance"),
        "the largest is judged by the band"
    );
    assert!(text.contains("corners, for a split in no order") && text.contains(": run</span>"), "{text}");
    assert!(!text.contains("a kW at peak"), "no price, no money");

    let map = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.name == "C2").unwrap();
    let price = format!("/vehicles/1/maps/{}/price", map.id);
    assert!(cell.post(&price, &[("price", "a lot")]).await.text().contains("is not an amount"));
    assert_eq!(
        cell.post("/vehicles/1/maps/9999/price", &[("price", "1")]).await.status,
        StatusCode::NOT_FOUND
    );
    assert_eq!(cell.post(&price, &[("price", "690,50")]).await.status, StatusCode::SEE_OTHER);
    assert!(cell.get("/vehicles/1").await.text().contains("value=\"690.5\""));
    let text = cell.get(&page).await.text();
    assert!(
        text.contains("C2 costs 690: ")
            && text.contains(" a kW at peak (")
            && text.contains("of band mean ("),
        "{text}"
    );
    cell.post(&price, &[("price", "")]).await;
    assert!(!cell.get(&page).await.text().contains("a kW at peak"), "an empty field takes the price away");
}

/// A figure is a link to the pull it was read from, with the set's other pulls beside it.
#[tokio::test(flavor = "multi_thread")]
async fn a_figure_opens_what_it_rests_on() {
    let cell = Cell::with_demo().await;
    let text = cell.get("/line-up?sets=1,2&base=1&view=band_mean_power&band=2500-5000").await.text();
    let link = text
        .split("href=\"")
        .find(|p| p.starts_with("/pulls/") && p.contains("figure=band_mean_power"))
        .unwrap();
    let link = link.split('"').next().unwrap().replace("&#38;", "&");
    let pull = cell.get(&link).await.text();
    assert!(
        pull.contains("The set&#39;s band mean power is ") && pull.contains("the mean of 3 of 3 pulls"),
        "{pull}"
    );
    assert!(
        pull.contains(", this one</b>")
            && pull.contains("2500 to 5000 rpm")
            && pull.contains("class=\"read\"")
    );
    assert!(pull.contains("/line-up?sets=1,2&#38;base=1"), "the way back is kept");
    assert!(!cell.get("/pulls/1").await.text().contains("id=\"evidence\""));
}

/// A recording made on the road weighs where the vehicle is driven.
#[tokio::test(flavor = "multi_thread")]
async fn a_road_recording_says_where_it_is_driven() {
    let cell = Cell::with_demo().await;
    let before = cell.store.vehicle(1).await.unwrap().sheet;
    let log = |columns: &str, row: &dyn Fn(u32) -> String| {
        let rows: Vec<String> = (0..400).map(row).collect();
        format!("{columns}\n{}\n", rows.join("\n")).into_bytes()
    };
    let bare = log("Time (s),Engine speed (rpm)", &|i| format!("{:.1},{}", f64::from(i) * 0.1, 3000 + i));
    let refused = cell.upload("/vehicles/1/driven", "file", &[("road.csv", &bare)]).await.text();
    assert!(
        refused.contains("road.csv: where it is driven: the recording has neither throttle nor pedal"),
        "{refused}"
    );
    let road = log("Time (s),Engine speed (rpm),Throttle (%)", &|i| {
        format!("{:.1},{},{}", f64::from(i) * 0.1, 3000 + 5 * i, if i % 3 == 0 { 20 } else { 90 })
    });
    assert_eq!(
        cell.upload("/vehicles/1/driven", "file", &[("road.csv", &road)]).await.status,
        StatusCode::SEE_OTHER
    );
    assert!(cell.get("/vehicles/1").await.text().contains("3000–5000 rpm, weighed by time at load"));
    let text = cell.get("/line-up?sets=1,2&base=1&view=driven_power").await.text();
    assert!(text.contains("mean power where it is driven (3000 to 5000 rpm)"), "{text}");
    cell.store.set_sheet(1, &before, None, &crate::common::by()).await.unwrap();
}
