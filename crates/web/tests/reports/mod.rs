//! Sheets that leave the shop: issued once, never changed, shared until a day.

use crate::common::{Cell, Reply, by};
use axum::http::StatusCode;
use chrono::{Days, Local};

/// Sets of the first day as a line-up asks for them.
async fn first_sets(cell: &Cell, n: usize) -> String {
    let sets = cell.store.sets_of_day(1).await.unwrap();
    sets.iter().take(n).map(|s| s.set.id.to_string()).collect::<Vec<_>>().join(",")
}

async fn issue(cell: &Cell, sets: &str, form: &[(&str, &str)]) -> String {
    let reply = cell.post(&format!("/reports?sets={sets}"), form).await;
    assert_eq!(reply.status, StatusCode::SEE_OTHER, "{}", reply.text());
    reply.location()
}

fn policy(reply: &Reply) -> &str {
    reply.headers["content-security-policy"].to_str().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_report_says_what_was_gained_what_was_checked_and_what_was_not() {
    let cell = Cell::with_demo().await;
    let sets = first_sets(&cell, 4).await;
    let asked = cell.get(&format!("/line-up?sets={sets}")).await.text();
    assert!(asked.contains("/reports/new?"), "the way there");
    let form = cell.get(&format!("/reports/new?sets={sets}")).await.text();
    assert!(form.contains("Issue it") && form.contains("Tolvern T3: "), "{form}");
    let shop = [("name", "Saltgrass Calibration"), ("line", "the estuary, cell 1")];
    cell.post("/settings/shop", &shop).await;
    let remarks = "Pulled after new plugs.\n\nComes back in spring <b>.";
    let at = issue(&cell, &sets, &[("customer", "the owner"), ("remarks", remarks)]).await;
    let page = cell.get(&at).await;
    let text = page.text();
    for wanted in [
        "Saltgrass Calibration",
        "for the owner",
        "Pulled after new plugs.",
        "Comes back in spring &#60;b&#62;.",
        "What was checked, and what was not",
        "not measured",
        "Left in the unit",
        "does not say that the engine is safe",
        "Every pull",
        "set by the calibrator for this engine",
        "95 % confidence",
        "SHA-256",
        "It is none of the maps above",
        "was driven and signed by the calibrator",
    ] {
        assert!(text.contains(wanted), "{wanted} is missing");
    }
    assert!(!text.contains("<script"), "a sheet runs nothing");
    assert!(policy(&page).starts_with("default-src 'none'; style-src 'unsafe-inline'"));
    let year = Local::now().format("%Y").to_string();
    assert!(text.contains(&format!("{year}-001")));
    let file = cell.get(&format!("{at}/sheet.html")).await;
    assert!(file.body.len() < 400_000, "{} bytes", file.body.len());
    assert!(file.text().contains("font-family: \"Other letters\"; src: url("), "λ needs them");
    let outside: Vec<&str> = ["http://", "https://", "src=\"/", "href=\"/", "url(\"/"]
        .into_iter()
        .filter(|s| file.text().replace("http://www.w3.org/2000/svg", "").contains(*s))
        .collect();
    assert!(outside.is_empty(), "a sheet stands alone: {outside:?}");
    for paper in ["a4", "letter"] {
        let pdf = cell.get(&format!("{at}/paper/{paper}.pdf")).await;
        assert!(
            pdf.body.starts_with(b"%PDF-") && pdf.body.len() < 400_000,
            "{paper}: {} bytes",
            pdf.body.len()
        );
    }
    assert_eq!(cell.get(&format!("{at}/paper/a3.pdf")).await.status, StatusCode::NOT_FOUND);
    let figures: serde_json::Value =
        serde_json::from_slice(&cell.get(&format!("{at}/figures.json")).await.body).unwrap();
    let part = &figures["parts"][0];
    assert_eq!(part["vehicle"], "Tolvern T3");
    assert_eq!(part["comparison"]["jamjar_result"], 1);
    assert_eq!(part["comparison"]["comparisons"].as_array().unwrap().len(), 3);
    assert!(!part["limits"].as_array().unwrap().is_empty());
    assert!(cell.get("/reports?about=1").await.text().contains(&format!("{year}-001")));
    let json: serde_json::Value =
        serde_json::from_slice(&cell.get(&format!("/line-up/comparison.json?sets={sets}")).await.body)
            .unwrap();
    assert_eq!(json["comparisons"], part["comparison"]["comparisons"], "one JSON of a comparison");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_issued_report_stays_as_it_was_and_another_takes_its_place() {
    let cell = Cell::with_demo().await;
    let sets = first_sets(&cell, 3).await;
    let first = issue(&cell, &sets, &[]).await;
    let bytes = cell.get(&format!("{first}/sheet.html")).await.body;
    // What it rests on changes: a limit goes, a pull is left out.
    let v = cell.store.vehicle(1).await.unwrap();
    let all: Vec<String> = v.limits.iter().map(|l| l.id.clone()).collect();
    cell.store.change_limits(1, Some(v.version), &[], &all, &by()).await.unwrap();
    let pull = cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].0.id;
    cell.post(&format!("/pulls/{pull}/exclude"), &[("reason", "straps slipped")]).await;
    assert_eq!(cell.get(&format!("{first}/sheet.html")).await.body, bytes, "byte for byte");
    let year = Local::now().format("%Y").to_string();
    let one = format!("{year}-001");
    let no_reason = cell.post(&format!("/reports?sets={sets}"), &[("supersedes", &one)]).await;
    assert_eq!(no_reason.status, StatusCode::BAD_REQUEST);
    assert!(no_reason.text().contains("Say why it takes the place"));
    let second = issue(&cell, &sets, &[("supersedes", &one), ("why", "a pull was left out since")]).await;
    let new = cell.get(&second).await.text();
    assert!(new.contains(&format!("takes the place of {one}: a pull was left out since.")));
    assert!(new.contains("straps slipped") && new.contains("No limits are set for this vehicle"), "{new}");
    assert!(cell.get(&first).await.text().contains("Superseded: report"), "the first says so");
    let twice = cell.post(&format!("/reports?sets={sets}"), &[("supersedes", &one), ("why", "again")]).await;
    assert_eq!(twice.status, StatusCode::BAD_REQUEST);
    assert!(twice.text().contains("supersede that one"), "{}", twice.text());
    assert_eq!(cell.store.reports(None).await.unwrap().len(), 2, "nothing half-written");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_link_shows_exactly_one_report_until_its_day() {
    let cell = Cell::with_demo().await;
    let at = issue(&cell, &first_sets(&cell, 2).await, &[]).await;
    let today = Local::now().date_naive();
    let until = (today + Days::new(3)).to_string();
    let made = cell.post(&format!("{at}/share"), &[("until", &until)]).await.text();
    let link = made.split("<code>/shared/").nth(1).unwrap().split('<').next().unwrap().to_owned();
    assert_eq!(link.len(), 48);
    assert!(!cell.get(&at).await.text().contains(&link), "shown once");
    let seen = cell.get(&format!("/shared/{link}")).await;
    assert_eq!(seen.status, StatusCode::OK);
    let text = seen.text();
    assert!(
        text.contains("Every pull") && !text.contains("/vehicles/") && !text.contains("<form"),
        "nothing else"
    );
    assert_eq!(cell.get("/shared/0000").await.status, StatusCode::NOT_FOUND);
    let after = cell.store.shared(&link, today + Days::new(4)).await.unwrap();
    assert_eq!(after, Some(jamjar_store::Shared::Over), "its day has passed");
    let one = cell.store.share_links(1).await.unwrap()[0].id;
    cell.post(&format!("{at}/links/{one}/withdraw"), &[]).await;
    let gone = cell.get(&format!("/shared/{link}")).await;
    assert_eq!(gone.status, StatusCode::GONE);
    assert!(gone.text().contains("This link has ended"));
    for bad in ["yesterday", "2001-01-01", "2999-01-01"] {
        let reply = cell.post(&format!("{at}/share"), &[("until", bad)]).await;
        assert_eq!(reply.status, StatusCode::BAD_REQUEST, "{bad}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn sets_of_two_days_and_two_vehicles_stand_on_one_sheet() {
    let cell = Cell::with_demo().await;
    let (mut ids, mut names) = (Vec::new(), Vec::new());
    for v in cell.store.vehicles().await.unwrap().iter().take(2) {
        for day in cell.store.days_of_vehicle(v.id, 2).await.unwrap().iter() {
            ids.extend(cell.store.sets_of_day(day.id).await.unwrap().first().map(|s| s.set.id.to_string()));
        }
        names.push(v.vehicle.name.clone());
    }
    assert!(ids.len() >= 3, "{ids:?}");
    let at = issue(&cell, &ids.join(","), &[]).await;
    let text = cell.get(&at).await.text();
    for name in &names {
        assert!(text.contains(&format!("Appendix: {name}")), "{name}");
    }
    let listed = cell.get("/reports?about=2").await.text();
    assert!(listed.contains("-001"), "it is about both");
    let none = cell.get("/reports/new?sets=").await;
    assert_eq!(none.status, StatusCode::BAD_REQUEST);
    assert_eq!(cell.get("/reports/99").await.status, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_has_two_reports_under_its_own_shops_name_and_the_first_is_superseded() {
    let cell = Cell::with_demo().await;
    for _ in 0..2 {
        jamjar_web::issue_demo_reports(&cell.state()).await.unwrap();
    }
    let all = cell.store.reports(Some(1)).await.unwrap();
    assert_eq!(all.len(), 2, "once is enough");
    for r in &all {
        let sheet = cell.store.report_sheet(r.id).await.unwrap();
        assert!(sheet.contains("Saltgrass Calibration"), "{}", r.number);
    }
    let listed = cell.get("/reports?about=1").await.text();
    assert!(listed.contains("has taken the place of this one"), "{listed}");
}
