//! Barriers on the pages: what axe calls serious or critical, and pages wider than their window, in both themes, on a
//! phone, a tablet and a desk.

use crate::common::Cell;
use crate::driver::{see, walk_through};
use serde_json::json;
use thirtyfour::prelude::*;

/// axe-core, injected into each page.
const AXE: &str = include_str!("../vendor/axe.min.js");

/// Runs it and answers with one line for each barrier.
const LOOK: &str = r#"
const done = arguments[0];
axe.run(document, {resultTypes: ["violations"]}).then((r) => done(r.violations
  .filter((v) => v.impact === "serious" || v.impact === "critical")
  .map((v) => v.id + " " + v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160)).join(" | ")))).catch((e) => done(["" + e]));
"#;

const PAGES: [&str; 32] = [
    "/",
    "/days/2",
    "/pulls/1",
    "/line-up?sets=1,2,3,4&base=1&lanes=pressure&speeds=3000,5000&equal=manifold_pressure",
    "/line-up?sets=2,40",
    "/search?q=162+kW",
    "/vehicles/1",
    "/settings",
    "/cells/1/now",
    "/cells/1/days/2026-03-24",
    "/sets/1/edit",
    "/days/new",
    "/vehicles/1/margins",
    "/vehicles/1/limits/edit?limit=lean",
    "/vehicles/1/computed",
    "/sets/2/fuel?target=0.86",
    "/fuel-table",
    "/vehicles/2/injection",
    "/vehicles/1/shelf",
    "/vehicles/1/ladder",
    "/vehicles/1/shifts",
    "/settings/checks?engine=spark&dyno=hub",
    "/days/1/plan",
    "/vehicles/1/maps",
    "/vehicles/1/decision?per_100_km=9",
    "/blend?tank=50&tank_e=5&capacity=60&want=40&e1=85&e2=5&sample=80&water=20&layer=82",
    "/fuels",
    "/vehicles/1/road",
    "/vehicles/1/sign-off",
    "/vehicles/3/sign-off",
    "/threads?vehicle=1",
    "/threads/1",
];

async fn look(d: WebDriver, base: String) {
    let mut found: Vec<String> = Vec::new();
    for at in PAGES {
        d.goto(format!("{base}{at}")).await.unwrap();
        see(&d, "main h1").await;
        d.execute(AXE, vec![]).await.unwrap();
        for width in [360_i64, 768, 1280] {
            let size = json!({"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": width < 500});
            d.cdp().send_raw("Emulation.setDeviceMetricsOverride", size).await.unwrap();
            let wide = d.execute("return document.documentElement.scrollWidth", vec![]).await.unwrap();
            let wide = wide.json().as_i64().unwrap();
            if wide > width + 1 {
                found.push(format!("{at} {width}: the page is {wide} wide"));
            }
            for theme in ["light", "dark"] {
                let script = format!("document.documentElement.dataset.theme = {theme:?}");
                d.execute(script, vec![]).await.unwrap();
                let said = d.execute_async(LOOK, vec![]).await.unwrap();
                let lines: Vec<String> = serde_json::from_value(said.json().clone()).unwrap();
                found.extend(lines.into_iter().map(|l| format!("{at} {width} {theme}: {l}")));
            }
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
}

#[tokio::test(flavor = "multi_thread")]
async fn no_page_has_a_serious_barrier_or_is_wider_than_its_window_at_any_width() {
    walk_through(Cell::with_demo().await, look).await;
}
