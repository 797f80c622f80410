//! Pulls read closely, and pages that keep up with what changes; on the demo.

use crate::common::Cell;
use axum::body::Body;
use axum::http::{Request, StatusCode};

/// Each keeps pages and an index of its own; what one writes the other shows at once.
#[tokio::test(flavor = "multi_thread")]
async fn two_instances_tell_each_other() {
    let cell = Cell::with_demo().await;
    let other = cell.another();
    let (line_up, search) = ("/line-up?sets=1,3&base=1", "/search?q=%22seen+from+afar%22");
    assert!(cell.get_elsewhere(&other, search).await.text().contains("No pull matches"));
    let before = cell.get_elsewhere(&other, line_up).await.text();
    assert_eq!(cell.get(line_up).await.text(), before, "both compute the same");
    cell.post("/pulls/7/note", &[("note", "seen from afar")]).await;
    cell.post("/pulls/7/exclude", &[("reason", "clutch slipped")]).await;
    assert!(cell.get_elsewhere(&other, search).await.text().contains("One pull of 174"));
    let after = cell.get_elsewhere(&other, line_up).await.text();
    assert!(after != before && after.contains("2 of 3 pulls"), "an exclusion made elsewhere counts here");
    cell.post("/pulls/7/exclude", &[("include", "true")]).await;
    assert_eq!(cell.get_elsewhere(&other, line_up).await.text(), before);
    assert!(
        cell.get_elsewhere(&other, "/search?q=left+out,+%22clutch+slipped%22")
            .await
            .text()
            .contains("No pull matches")
    );
}

/// Two thousand characters and whatever they hold: kept whole, found by their last word, shown as text.
#[tokio::test(flavor = "multi_thread")]
async fn long_notes_and_markup_stay_text() {
    let cell = Cell::with_demo().await;
    let long = format!("<script>alert(1)</script> {} zanzibar", "smoke & fumes, ".repeat(130));
    assert!(long.len() > 1950);
    cell.post("/pulls/5/note", &[("note", &long)]).await;
    let page = cell.get("/pulls/5").await.text();
    assert!(
        page.contains("zanzibar")
            && page.contains("&#60;script&#62;alert(1)")
            && !page.contains("<script>alert")
    );
    let found = cell.get("/search?q=zanzibar").await.text();
    assert!(found.contains("One pull of 174"));
    let asked = cell.get("/search?q=%3Cimg+src%3Dx%3E").await.text();
    assert!(!asked.contains("<img src=x"), "a query is text too");
    let endless = cell.get(&format!("/search?q={}", "smoke+".repeat(300))).await;
    assert_eq!(endless.status, StatusCode::OK, "a query too long to read is read as far as it goes");
    let name = "a \"quoted\" <b>name</b>";
    cell.post("/line-ups", &[("vehicle_id", "1"), ("name", name), ("query", "sets=1,2")]).await;
    let vehicle = cell.get("/vehicles/1").await.text();
    assert!(vehicle.contains("&#60;b&#62;name") && !vehicle.contains("<b>name</b>"));
    assert_eq!(
        cell.post("/line-ups", &[("vehicle_id", "1"), ("name", " "), ("query", "sets=1,2")]).await.status,
        StatusCode::BAD_REQUEST
    );
    assert_eq!(
        cell.post("/plan", &[("vehicle_id", "1"), ("factors", "{")]).await.status,
        StatusCode::BAD_REQUEST
    );
    assert_eq!(cell.post("/plan/999/drop", &[]).await.status, StatusCode::NOT_FOUND);
    assert_eq!(cell.post("/line-ups/999/forget", &[]).await.status, StatusCode::NOT_FOUND);
}

/// What cannot be compared is a page that says so; what cannot be asked is refused.
#[tokio::test(flavor = "multi_thread")]
async fn sets_that_cannot_be_compared_are_told_apart_from_errors() {
    let cell = Cell::with_demo().await;
    assert!(cell.get("/line-up?sets=1").await.text().contains("one set, nothing to compare it with yet"));
    assert_eq!(cell.get("/line-up?sets=99999").await.status, StatusCode::BAD_REQUEST);
    assert_eq!(cell.get("/line-up?sets=").await.status, StatusCode::BAD_REQUEST);
    let mut own = Vec::new();
    for day in cell.store.days_of_vehicle(1, 100).await.unwrap() {
        own.extend(cell.store.sets_of_day(day.id).await.unwrap().iter().map(|s| s.set.id.to_string()));
    }
    let many = |n: usize| format!("/line-up?sets={}", own[..n].join(","));
    assert!(cell.get(&many(17)).await.text().contains("16 of 17 drawn: choose"));
    let most = cell.get(&many(16)).await;
    assert_eq!((most.status, most.text().matches("class=\"setrow").count()), (StatusCode::OK, 16));
    assert!(cell.get("/line-up?sets=1,2&at=fast").await.text().contains("is no engine speed"));
    let unknown = cell.get("/line-up?sets=1,2&view=nonsense").await.text();
    assert!(unknown.contains("C1 on RON 95 E5 gains "), "an unknown figure is the usual one");
}

/// Pages are kept in memory; the store is changed behind the application's back, as another instance would.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_kept_is_forgotten_when_it_changes() {
    let cell = Cell::with_demo().await;
    let (line_up, pull) = ("/line-up?sets=1,2&base=1", "/pulls/2");
    let (first, first_pull) = (cell.get(line_up).await.text(), cell.get(pull).await.text());
    assert_eq!(cell.get(line_up).await.text(), first, "nothing changed, nothing changes");
    cell.store.exclude_pull(2, Some("heat-soaked"), "the apprentice").await.unwrap();
    assert!(cell.get(line_up).await.text().contains("2 of 3 pulls"));
    assert!(cell.get(pull).await.text().contains("heat-soaked"));
    cell.store.exclude_pull(2, None, "the apprentice").await.unwrap();
    assert_eq!(cell.get(line_up).await.text(), first);
    assert_eq!(cell.get(pull).await.text(), first_pull);

    let limits = cell.store.vehicle(1).await.unwrap().limits;
    let gone: Vec<String> = limits[1..].iter().map(|l| l.id.clone()).collect();
    cell.store.change_limits(1, None, &[], &gone, &crate::common::by()).await.unwrap();
    let fewer = cell.get(line_up).await.text();
    assert!(
        first.contains("injector duty, above") && !fewer.contains("injector duty, above"),
        "limits of the vehicle are looked at anew"
    );
    cell.store.change_limits(1, None, &limits, &[], &crate::common::by()).await.unwrap();
    assert_eq!(cell.get(line_up).await.text(), first);

    let dark = Request::get(line_up)
        .header("host", "127.0.0.1:1")
        .header("cookie", "jj_theme=dark")
        .body(Body::empty())
        .unwrap();
    assert!(
        cell.send(dark).await.text().contains("data-theme=\"dark\""),
        "so does the theme, kept in a cookie of its own"
    );
    assert!(!cell.get(line_up).await.text().contains("data-theme=\"dark\""));
    let other = cell.get(&format!("{line_up}&correction=none")).await.text();
    assert_ne!(other, first, "settings belong to the key");
    assert_eq!(cell.get(line_up).await.text(), first);
    cell.store.note_set(2, "a <b>note</b> on the candidate", None, &crate::common::by()).await.unwrap();
    assert!(cell.get("/search?q=%22on+the+candidate%22").await.text().contains(" pulls of 174"));
}

#[tokio::test(flavor = "multi_thread")]
async fn reads_one_pull_closely() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/pulls/10").await;
    let text = page.text();
    assert!(
        text.contains("ended by lift")
            && text.contains("tip-in settled at")
            && text.contains("peak power at"),
        "what happened stands in words"
    );
    assert!(text.contains("with it: manifold pressure fell"), "a dip names what moved with it");
    assert!(
        text.contains("the two speeds follow the ratio of 4.100") && text.contains("aligned; lag"),
        "coupling and clocks are said"
    );
    assert!(
        text.contains("back pressure was not logged") && text.contains("not measured"),
        "no limit is silently missing"
    );
    assert!(text.contains("/pulls/9\"") && text.contains("/pulls/11\""), "previous and next pull");
    assert_eq!(text.matches("class=\"traces\"").count(), 2, "lanes and clocks");

    let asked = "/pulls/10?axis=time&lanes=mixture,power&from=2&to=4";
    let two = cell.get(asked).await;
    assert!(!two.headers.contains_key("set-cookie"), "a link that was sent keeps nothing");
    let kept = cell
        .get(&format!("{asked}&keep=1"))
        .await
        .headers
        .get_all("set-cookie")
        .iter()
        .filter_map(|c| c.to_str().ok())
        .find(|c| c.starts_with("jj_lanes_1="))
        .unwrap()
        .to_owned();
    let text = two.text();
    assert!(
        text.contains("aria-label=\"mixture, power, kW over s from tip-in\"")
            && text.contains("data-x0=\"2\""),
        "lanes in the order asked, zoomed"
    );
    assert!(text.contains("whole pull"), "and a way back");
    let cookie = kept.split(';').next().unwrap().to_owned();
    let again = cell
        .send(
            Request::get("/pulls/11")
                .header("host", "localhost")
                .header("cookie", cookie)
                .body(Body::empty())
                .unwrap(),
        )
        .await;
    assert!(
        again.text().contains("aria-label=\"mixture, power, kW over engine rpm\""),
        "lanes are remembered for the vehicle"
    );
    let afr = cell.get("/pulls/10?lanes=mixture&scale=afr").await.text();
    assert!(afr.contains("mixture, AFR, gasoline scale over"), "mixture follows the scale chosen");
    assert!(
        cell.get("/pulls/10?from=9&to=2").await.text().contains("the lower first"),
        "a stretch upside down is refused with a reason"
    );
    assert_eq!(cell.get("/pulls/99999").await.status, StatusCode::NOT_FOUND);

    let hand = cell.post("/pulls/10/lag", &[("lag", "5726,5")]).await;
    assert_eq!(hand.status, StatusCode::SEE_OTHER);
    let text = cell.get("/pulls/10").await.text();
    assert!(text.contains("lag set by hand; lag 5726.5000 s"), "a lag by hand is recorded as such");
    cell.post("/pulls/10/lag", &[("lag", "")]).await;
    assert!(
        cell.get("/pulls/10").await.text().contains("aligned; lag 5726.33"),
        "and found again when taken back"
    );
    assert!(cell.post("/pulls/10/lag", &[("lag", "soon")]).await.text().contains("not a lag in seconds"));

    cell.post("/pulls/10/note", &[("note", "<b>pinked</b> once")]).await;
    assert!(cell.get("/pulls/10").await.text().contains("&#60;b&#62;pinked"), "a note is text, never markup");
    let out = cell.post("/pulls/10/exclude", &[("reason", "heard knock"), ("back", "pull")]).await;
    assert_eq!(out.location(), "/pulls/10");
    assert!(cell.get("/pulls/10").await.text().contains("Left out of figures: heard knock"));
    cell.post("/pulls/10/exclude", &[("include", "true"), ("back", "pull")]).await;
}

/// Speeds held one after the other: a table of steps, and no comparison with a sweep.
#[tokio::test(flavor = "multi_thread")]
async fn reads_held_steps() {
    let cell = Cell::with_demo().await;
    let mut held = None;
    for day in 1..=9 {
        for s in cell.store.sets_of_day(day).await.unwrap() {
            if s.pulls.iter().all(|p| !p.1.measured.steps.is_empty()) && held.is_none() {
                held = Some((day, s));
            }
        }
    }
    let (day, set) = held.expect("the tractor's last day holds steps");
    let page = cell.get(&format!("/pulls/{}", set.pulls[0].0.id)).await.text();
    assert!(
        page.contains("; 7 speeds held")
            && page.contains("Speeds held")
            && page.contains("Nothing was measured between the steps"),
        "{page}"
    );
    assert!(
        page.contains("held at 1500 rpm: ") && page.contains("data-lanes=\"time\""),
        "time is its axis until a person chooses"
    );
    assert!(
        cell.get(&format!("/pulls/{}?axis=rpm", set.pulls[0].0.id))
            .await
            .text()
            .contains("data-lanes=\"rpm\"")
    );
    let sheet = cell.get(&format!("/days/{day}")).await.text();
    assert!(sheet.contains("1100–2300, 7 held"), "{sheet}");
    assert!(
        !sheet.contains("another map in the unit"),
        "no map is taken for another when a day's sets are stored together"
    );
    let found = cell.get("/search?q=flag+held+steps").await.text();
    assert!(found.contains("4 pulls of 174"), "held steps are found as such");
    let swept = cell.store.sets_of_day(day).await.unwrap()[0].set.id;
    let both = cell.get(&format!("/line-up?sets={swept},{}&base={swept}", set.set.id)).await.text();
    assert!(both.contains("sweeps against held steps") && both.contains("can&#39;t tell"), "{both}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_samples_of_a_pull_come_out_in_every_open_form() {
    let cell = Cell::with_demo().await;
    let pull = cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].0.id;
    let (dyno, ecu) = cell.store.samples(pull).await.unwrap();
    let ecu = ecu.unwrap();
    let page = cell.get(&format!("/pulls/{pull}")).await.text();
    for (way, log, channel) in [
        ("csv", &dyno, "hub_torque"),
        ("parquet", &dyno, "hub_torque"),
        ("csv?log=ecu", &ecu, "lambda_1"),
        ("parquet?log=ecu", &ecu, "lambda_1"),
    ] {
        let at = format!("/pulls/{pull}/recording/{way}");
        assert!(page.contains(&at), "the way there: {at}");
        let bytes = cell.get(&at).await.body;
        let read = jamjar_formats::read_log(bytes.as_slice(), way, &Default::default()).unwrap().log;
        assert_eq!(read.t, log.t, "{way}");
        assert_eq!(read.series(channel), log.series(channel), "{way}");
    }
    let both = cell.get(&format!("/pulls/{pull}/recording/mf4")).await.body;
    let read = jamjar_formats::read_log(both.as_slice(), "p.mf4", &Default::default()).unwrap().log;
    assert_eq!(read.series("hub_torque"), dyno.series("hub_torque"));
    assert_eq!(read.series("lambda_1"), ecu.series("lambda_1"));
    let none = cell.get(&format!("/pulls/{pull}/recording/xls")).await.status;
    assert_eq!(none, axum::http::StatusCode::NOT_FOUND);
}
