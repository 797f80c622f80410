//! The boost ladder: what each rung gave, and what the next would do.

use crate::common::Cell;
use axum::http::StatusCode;

#[tokio::test(flavor = "multi_thread")]
async fn the_next_rung_is_forecast_from_those_below_and_never_past_one_step() {
    let cell = Cell::with_demo().await;
    assert!(cell.get("/vehicles/1").await.text().contains("/vehicles/1/ladder"), "the way there");
    let page = cell.get("/vehicles/1/ladder").await.text();
    assert!(
        page.contains("<h1 class=\"warn\">Next rung"),
        "the top of the demo's ladder crosses its duty: {page}"
    );
    assert!(
        page.contains("cross") && page.contains("% sure") && page.contains("don&#39;t run")
            || page.contains("don't run")
    );
    assert!(page.contains("60 kPa") && page.contains("160 kPa"), "its rungs");
    assert!(page.contains("each kPa gave"), "what the last step was worth");
    let leap = cell.get("/vehicles/1/ladder?next=400").await.text();
    assert!(leap.contains("is larger than the last"), "{leap}");
    let below = cell.get("/vehicles/1/ladder?next=50").await.text();
    assert!(below.contains("at or below a rung that was pulled"));
    assert_eq!(cell.get("/vehicles/1/ladder?next=lots").await.status, StatusCode::BAD_REQUEST);
    assert_eq!(cell.get("/vehicles/1/ladder?of=nothing").await.status, StatusCode::BAD_REQUEST);
}

#[tokio::test(flavor = "multi_thread")]
async fn without_rungs_or_limits_nothing_is_forecast() {
    let cell = Cell::with_demo().await;
    let all = cell.store.vehicles().await.unwrap();
    let twin = all.iter().find(|v| v.vehicle.name == "Quillet 650").unwrap().id;
    let page = cell.get(&format!("/vehicles/{twin}/ladder")).await.text();
    assert!(page.contains("there is no ladder"), "{page}");
    let v = cell.store.vehicle(1).await.unwrap();
    let ids: Vec<String> = v.limits.iter().map(|l| l.id.clone()).collect();
    cell.store.change_limits(1, Some(v.version), &[], &ids, &crate::common::by()).await.unwrap();
    let bare = cell.get("/vehicles/1/ladder").await.text();
    assert!(bare.contains("no limits are set, so nothing can be said of it"), "{bare}");
}
