//! The Shelf: what stands where, what it says, and where it leads.

use crate::common::Cell;
use axum::http::StatusCode;

/// The text of every jar, as it is spoken.
fn jars(page: &str) -> Vec<String> {
    page.split("<span class=\"sr\">").skip(1).map(|p| p[..p.find("</span>").unwrap()].to_owned()).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn an_outlined_jar_above_a_ladder_says_what_its_rung_would_do() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/shelf").await.text();
    let next = page
        .split("aria-label=\"next rung ")
        .nth(1)
        .expect("a ladder has a next rung")
        .split('"')
        .next()
        .unwrap();
    assert!(
        next.contains("kPa: ")
            && (next.contains("would cross") || next.contains("clear") || next.contains("can")),
        "{next}"
    );
    assert!(page.contains("/vehicles/1/ladder?of="), "and leads to its ladder");
    let head = page.split("<h1>").nth(1).unwrap().split("</h1>").next().unwrap();
    assert!(
        head.contains("kept is") && (head.contains("; close, ") || head.contains("; clear, ")),
        "a close limit is said at once: {head}"
    );
    let across = cell.get("/vehicles/1/shelf?rows=boost&columns=fuel&jars=map").await.text();
    assert!(!across.contains("next rung "), "only rungs of boost stand on a ladder");
}

#[tokio::test(flavor = "multi_thread")]
async fn every_configuration_stands_on_its_spot_with_gain_and_margin_in_words() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/shelf").await.text();
    let all = jars(&page);
    assert!(all.len() >= 6, "{all:#?}");
    assert!(all.iter().all(|j| j.contains(" pull")), "each says how many pulls stand behind it: {all:#?}");
    let stock = all.iter().find(|j| j.starts_with("Stock")).unwrap();
    assert!(stock.contains("baseline, ") && !stock.contains('±'), "{stock}");
    assert!(all.iter().any(|j| j.contains(" ± ")), "gains with their intervals");
    // Rows, columns and what was not pulled are there without a picture.
    assert!(page.contains("<table class=\"shelf\"") && page.contains("scope=\"row\""));
    assert!(page.contains("not pulled") && page.contains("plan one that was not pulled"));
    assert!(page.contains("never that an engine is safe"));

    // Another figure, and other axes.
    let torque = cell.get("/vehicles/1/shelf?by=peak_torque").await.text();
    assert!(torque.contains("N·m over the baseline") && jars(&torque).len() == all.len());
    let by_build = cell.get("/vehicles/1/shelf?columns=build&gear=all").await.text();
    assert!(
        jars(&by_build).len() >= all.len() && by_build.contains(">fuel</option>"),
        "build is a column now"
    );
    let twice = cell.get("/vehicles/1/shelf?rows=fuel").await;
    assert_eq!(twice.status, StatusCode::BAD_REQUEST);
    assert!(twice.text().contains("three different factors"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_map_nobody_watched_is_never_called_clear_on_the_shelf() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/shelf?build=all&gear=all").await.text();
    let harbour = jars(&page).into_iter().filter(|j| j.starts_with("Harbour A")).collect::<Vec<_>>();
    assert!(!harbour.is_empty(), "the off-the-shelf map of the demo");
    let v = cell.store.vehicle(1).await.unwrap();
    for j in &harbour {
        assert!(!j.contains("clear"), "knock or exhaust temperature was not logged: {j}");
    }
    // Without limits nothing can be clear.
    let ids: Vec<String> = v.limits.iter().map(|l| l.id.clone()).collect();
    cell.store.change_limits(1, Some(v.version), &[], &ids, &crate::common::by()).await.unwrap();
    let bare = cell.get("/vehicles/1/shelf").await.text();
    assert!(jars(&bare).iter().all(|j| j.contains("no limits set") && !j.contains("clear")), "{bare}");
    assert!(bare.contains("Nothing that gained has every stop limit measured and kept."));
}

#[tokio::test(flavor = "multi_thread")]
async fn an_empty_place_goes_on_the_plan_and_two_jars_to_a_line_up() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/shelf").await.text();
    let from = page.find("name=\"factors\" value=\"").unwrap() + 22;
    let factors =
        page[from..from + page[from..].find('"').unwrap()].replace("&#34;", "\"").replace("&quot;", "\"");
    let form = [("vehicle_id", "1"), ("factors", factors.as_str()), ("why", "an empty place")];
    assert_eq!(cell.post("/plan", &form).await.status, StatusCode::SEE_OTHER);
    assert_eq!(cell.store.planned(1).await.unwrap().iter().filter(|p| p.why == "an empty place").count(), 1);
    let sets: Vec<&str> =
        page.split("name=\"set\" value=\"").skip(1).map(|p| &p[..p.find('"').unwrap()]).collect();
    let chosen = cell.get(&format!("/line-up/choose?set={}&set={}", sets[0], sets[1])).await;
    assert!(chosen.status.is_redirection() && chosen.location().contains("/line-up?"), "{}", chosen.text());
}

#[tokio::test(flavor = "multi_thread")]
async fn the_mean_over_a_band_is_a_figure_of_the_shelf_and_the_decision() {
    let cell = Cell::with_demo().await;
    let shelf = cell.get("/vehicles/1/shelf?by=band_mean_power").await.text();
    let gained = jars(&shelf).into_iter().filter(|j| j.contains(" ± ")).count();
    assert!(gained >= 3 && !shelf.contains("baseline, no figure"), "{gained} jars with a gain: {shelf}");
    let decision = cell.get("/vehicles/1/decision?by=band_mean_power").await.text();
    assert!(
        decision.contains("band mean power") && decision.contains(" kW over the baseline ("),
        "{decision}"
    );
}
