//! Starting points for limits: shown on the stock baseline, looked at, kept.

use crate::common::{Cell, by};
use axum::http::StatusCode;
use jamjar_core::limits::{Limit, Threshold};
use serde_json::json;

/// A starting point that the stock engine of the demo crosses.
fn too_low() -> Limit {
    serde_json::from_value(json!({
        "id": "hot", "channel": "exhaust_temp_1", "direction": "above", "threshold": 500, "sustain_s": 0.5,
        "caution": 25, "source": "starting point, our choice", "starting_point": true
    }))
    .unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_starting_point_is_shown_on_stock_and_says_what_it_is_until_somebody_has_looked() {
    let cell = Cell::with_demo().await;
    cell.store.change_limits(1, None, &[too_low()], &[], &by()).await.unwrap();
    let vehicle = cell.get("/vehicles/1").await.text();
    assert!(vehicle.contains("1 of these is a starting point"), "{vehicle}");
    let line_up = cell.get("/line-up?sets=1,2&base=1&focus=1").await.text();
    assert!(line_up.contains("(starting point)"), "beside the verdict it causes");

    let shown = cell.get("/vehicles/1/template").await.text();
    assert!(shown.contains("Stock crosses 1 of them") && shown.contains("stock crosses this at"), "{shown}");
    assert!(shown.contains("or is it a fault?"));

    let refused =
        cell.post("/vehicles/1/template", &[("keep", "hot"), ("at.hot", "hot"), ("looked", "yes")]).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    let text = refused.text();
    assert!(text.contains("value=\"hot\" size") && text.contains("“hot” is not a number"), "{text}");
    assert!(cell.store.vehicle(1).await.unwrap().limits.iter().any(|l| *l == too_low()), "nothing was kept");

    cell.post("/vehicles/1/template", &[("keep", "hot"), ("at.hot", "940"), ("looked", "yes")]).await;
    let limits = cell.store.vehicle(1).await.unwrap().limits;
    let hot = limits.iter().find(|l| l.id == "hot").unwrap();
    assert_eq!((hot.threshold.clone(), hot.starting_point), (Threshold::Constant(940.0), false));
    let line_up = cell.get("/line-up?sets=1,2&base=1&focus=1").await.text();
    assert!(!line_up.contains("(starting point)"));
    let again = cell.get("/vehicles/1/template").await.text();
    assert!(again.contains("Nothing to look at here"), "{again}");
}
