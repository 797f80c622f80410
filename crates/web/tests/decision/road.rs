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
    for wrong in ["mass=nothing", "mass=1", "grip=90", "limit=200"] {
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
