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

#[tokio::test(flavor = "multi_thread")]
async fn a_refused_rung_is_overridden_only_with_a_reason_and_a_stop_holds() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/ladder").await.text();
    assert!(
        page.contains("Override the forecast") && !page.contains("Plan "),
        "what is refused cannot be planned: {page}"
    );
    assert!(page.contains("nine tenths of its own peak from"), "where the hardware is usable");
    let of = page.split("name=\"of\" value=\"").nth(1).unwrap().split('"').next().unwrap();
    let of = of.replace("&quot;", "\"").replace("&#34;", "\"");
    let next = page.split("name=\"next\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let at = format!("{next} kPa");
    let form = |kind: &'static str, at: &str, reason: &str| {
        [
            ("of", of.clone()),
            ("kind", kind.to_owned()),
            ("at", at.to_owned()),
            ("reason", reason.to_owned()),
            ("next", next.clone()),
        ]
    };
    let send = async |f: [(&'static str, String); 5]| {
        let pairs: Vec<(&str, &str)> = f.iter().map(|(k, v)| (*k, v.as_str())).collect();
        cell.post("/vehicles/1/ladder/say", &pairs).await
    };
    assert_eq!(send(form("override", &at, " ")).await.status, StatusCode::BAD_REQUEST, "without a reason");
    assert_eq!(send(form("perhaps", &at, "why")).await.status, StatusCode::BAD_REQUEST);
    let there = send(form("override", &at, "one short pull to the knee")).await;
    assert_eq!(there.status, StatusCode::SEE_OTHER);
    let says = async |words: &str| {
        for _ in 0..50 {
            let page = cell.get(&there.location()).await.text();
            if page.contains(words) {
                return page;
            }
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        }
        panic!("the ladder never said {words}")
    };
    let page = says("against its forecast: one short pull").await;
    assert!(page.contains("don&#39;t run") && page.contains(&format!("Plan {next} kPa")), "{page}");
    send(form("stop", "160 kPa", "head studs")).await;
    let page = says("Stopped on purpose at 160 kPa: head studs").await;
    assert!(!page.contains("Plan "), "a ladder that was stopped is not gone on with");
    let word = cell.store.ladder_words(1).await.unwrap()[0].clone();
    assert!(word.kind == "stop" && word.map == "C6" || !word.map.is_empty());
    cell.post(&format!("/vehicles/1/ladder/{}/back", word.id.unwrap()), &[]).await;
    says(&format!("Plan {next} kPa")).await;
    let detuned = cell.get("/vehicles/1/ladder?wanted=150").await.text();
    assert!(
        detuned.contains("on a straight line between the two")
            || detuned.contains("every rung that was pulled")
            || detuned.contains("No rung that was pulled"),
        "{detuned}"
    );
}
