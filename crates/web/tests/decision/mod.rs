//! The maps of a vehicle as a tree, what is in the unit, and which map goes home.

mod planned;
mod road;
mod sign_off;

use crate::common::Cell;
use axum::http::StatusCode;
use std::time::Duration;

/// A page once it says something: what rests on another vehicle is told of a moment later.
async fn until(cell: &Cell, path: &str, says: &str) -> String {
    for _ in 0..50 {
        let page = cell.get(path).await.text();
        if page.contains(says) {
            return page;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    cell.get(path).await.text()
}

#[tokio::test(flavor = "multi_thread")]
async fn maps_stand_under_what_they_were_made_from_with_what_each_step_gained() {
    let cell = Cell::with_demo().await;
    assert!(cell.get("/vehicles/1").await.text().contains("/vehicles/1/maps\""), "the way there");
    let page = cell.get("/vehicles/1/maps").await.text();
    assert!(page.contains("is in the unit, flashed on") || page.contains("was not written down"), "{page}");
    let (c2, c3) = (page.find(">C2</a>").unwrap(), page.find(">C3</a>").unwrap());
    assert!(c2 < c3, "a child stands below its parent");
    assert!(
        page.contains(" ± ") && page.contains("/line-up?sets="),
        "what a step gained, and what it stands on: {page}"
    );
    assert!(cell.get("/vehicles/1/maps?by=peak_torque").await.text().contains("N·m"));
    let maps = cell.store.maps(1).await.unwrap();
    let c3 = maps.iter().find(|m| m.name == "C3").unwrap().id.to_string();
    let before = cell.store.flashes(1).await.unwrap().len();
    let form = [("map", c3.as_str()), ("on", "2026-09-01"), ("note", "for the hill")];
    assert_eq!(cell.post("/vehicles/1/flashes", &form).await.status, StatusCode::SEE_OTHER);
    let page = until(&cell, "/vehicles/1/maps", "for the hill").await;
    assert!(
        page.contains("C3 is in the unit, flashed on 1 September 2026.") && page.contains("in the unit</b>"),
        "{page}"
    );
    let newest = cell.store.flashes(1).await.unwrap()[0].id;
    cell.post(&format!("/vehicles/1/flashes/{newest}/back"), &[]).await;
    assert_eq!(cell.store.flashes(1).await.unwrap().len(), before);
    assert_eq!(
        cell.post("/vehicles/1/flashes", &[("map", "x"), ("on", "2026-09-01")]).await.status,
        StatusCode::BAD_REQUEST
    );
    // Two names for one file are said.
    let bytes = cell
        .store
        .file_bytes(maps.iter().find(|m| m.name == "C3").unwrap().file.as_ref().unwrap().id)
        .await
        .unwrap();
    cell.upload_with("/vehicles/1/maps", &[("name", "C3 again")], "again.map", &bytes).await;
    assert!(until(&cell, "/vehicles/1/maps", "the same file as").await.contains("the same file as C3"));
}

#[tokio::test(flavor = "multi_thread")]
async fn the_decision_says_why_what_bars_the_rest_and_what_to_pull_next() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/decision").await.text();
    assert!(page.contains("of those whose stop limits are all clear"), "{page}");
    assert!(page.contains("Fuel by fuel") && page.contains("E85"));
    assert!(!page.contains(" costs "), "no price, no money");
    for map in cell.store.maps(1).await.unwrap().iter().filter(|m| m.kind != "stock") {
        cell.post(&format!("/vehicles/1/maps/{}/price", map.id), &[("price", "690")]).await;
    }
    let page = until(&cell, "/vehicles/1/decision", " costs ").await;
    assert!(page.contains(" a kW at peak (") && page.contains(" a kW of band mean ("), "{page}");
    // Without a limit on boost nothing that was pulled is known to have kept it: nothing is recommended.
    let v = cell.store.vehicle(1).await.unwrap();
    let boost = v.limits.iter().find(|l| l.id == "boost").unwrap().clone();
    cell.store.change_limits(1, Some(v.version), &[], &["boost".into()], &crate::common::by()).await.unwrap();
    let page = until(&cell, "/vehicles/1/decision", "Boost was not watched").await;
    assert!(page.contains("No map can be recommended") && page.contains("Boost was not watched"), "{page}");
    let v = cell.store.vehicle(1).await.unwrap();
    cell.store.change_limits(1, Some(v.version), &[boost], &[], &crate::common::by()).await.unwrap();
    let page = until(&cell, "/vehicles/1/decision?per_100_km=9", "100 km take").await;
    assert!(
        page.contains("of those whose stop limits are all clear") || page.contains("can be recommended"),
        "{page}"
    );
    assert!(page.contains("100 km take 9.0 L"), "on the baseline's fuel as typed: {page}");
    assert!(page.contains("/vehicles/1/margins#limit-"), "what limits say is on the page of margins");
    assert_eq!(cell.get("/vehicles/1/decision?least=much").await.status, StatusCode::BAD_REQUEST);
    assert_eq!(cell.get("/vehicles/1/decision?per_100_km=9000").await.status, StatusCode::BAD_REQUEST);
    assert_eq!(cell.get("/vehicles/999/decision").await.status, StatusCode::NOT_FOUND);
}
