//! Pages on the demo, through the real router on a real database; every test has a shop of its own.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod barriers;
mod common;
mod deciding;
mod decision;
mod driver;
mod fuels;
mod injection;
mod ladder;
mod lineup;
mod maps;
mod margins;
mod reading;
mod record;
mod reports;
mod right;
mod searching;
mod shelf;
mod starting;
mod taken_out;
mod units;

use axum::body::Body;
use axum::http::{Request, StatusCode};
use common::Cell;
use jamjar_core::limits::Threshold;

#[tokio::test(flavor = "multi_thread")]
async fn an_empty_workshop_says_what_to_do_next() {
    let cell = Cell::start("empty").await;
    let empty = cell.get("/").await.text();
    assert!(
        empty.contains("Start a day") && empty.contains("Load the demo"),
        "an empty workshop says what to do next"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn the_workshop_and_the_day_sheet_say_what_was_pulled_and_what_was_not_measured() {
    let cell = Cell::with_demo().await;
    let home = cell.get("/").await.text();
    assert!(
        home.contains("Tolvern T3")
            && home.contains("Needs attention")
            && home.contains("Don&#39;t run this")
    );

    let day = cell.get("/days/1").await.text();
    assert!(day.contains("back pressure: not measured"), "not measured is said");
    assert_eq!(day.matches("aligned ±").count(), 24);
    let first = &cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].0;
    let csv = cell.store.file(first.dyno_file_id).await.unwrap().bytes
        + cell.store.file(first.ecu_file_id.unwrap()).await.unwrap().bytes;
    let csv = csv as usize;
    let block = cell.store.block_size(1).await.unwrap();
    assert!(block < csv * 3 / 4, "a stored pull of {block} bytes against {csv} of CSV");
    assert!(day.contains("CO alarm"), "the caution is where the hand is");
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_stand_in_the_shops_family_for_the_kind_of_engine_and_say_where_they_stay_uncorrected() {
    let cell = Cell::with_demo().await;
    let spark = "/line-up?sets=1,2&base=1";
    assert!(cell.get(spark).await.text().contains("kW, SAE J1349"));
    let wanted = [("spark", "din_70020"), ("diesel", "none")];
    assert_eq!(cell.post("/settings/correction", &wanted).await.status, StatusCode::SEE_OTHER);
    let page = cell.get(spark).await.text();
    assert!(
        page.contains("kW, DIN 70020") && page.contains("DIN 70020, as usual"),
        "a kept page is made again"
    );
    assert!(cell.get(&format!("{spark}&correction=sae_j607")).await.text().contains("kW, SAE J607"));
    // No fuel flow was logged, which the diesel form needs: the chart says that it stands uncorrected.
    let page = cell.get(&format!("{spark}&correction=iso_1585_ci")).await.text();
    assert!(page.contains("kW, uncorrected"), "{page}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_answer_of_a_line_up_stands_first_with_its_terms() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let two = sets.iter().find(|s| s.set.config.map == "C2" && s.set.config.fuel == "E30").unwrap().set.id;
    let page = cell.get(&format!("/line-up?sets=1,2,3,4,5,6&base=1&focus={two}")).await;
    assert_eq!(page.status, StatusCode::OK);
    let text = page.text();
    assert!(
        text.contains("C2 on E30 gains") && text.contains("over Stock on RON 95 E5 at peak"),
        "the answer stands first"
    );
    assert!(text.contains("changed together") && text.contains("kW is the fuel"));
    assert!(
        text.contains("(3 pulls each, same day, another fuel)"),
        "the terms of the comparison stand in its sentence"
    );
    assert!(text.contains("What else differed") && text.contains("manifold pressure"));
    let both = cell.get("/line-up?sets=1,2,7&base=1&focus=2").await.text();
    assert!(
        both.contains("The baseline was run before and after"),
        "the baseline again at the end brackets the day"
    );
    let same = cell.get("/line-up?sets=1,7&base=1&same=2").await.text();
    assert!(same.contains("quivalent within ± 2.0 kW"), "sameness is asked for, then answered");
    assert!(text.contains("over by") && text.contains("not measured"));
}

#[tokio::test(flavor = "multi_thread")]
async fn view_settings_are_kept_and_sentences_speak_the_unit_chosen() {
    let cell = Cell::with_demo().await;
    let hp = cell.get("/line-up?sets=1,2&base=1&power=hp&correction=none").await;
    assert!(hp.text().contains("power at the hub, hp, uncorrected"));
    assert!(!hp.headers.contains_key("set-cookie"), "a link that was sent keeps nothing");
    let hp = cell.get("/line-up?sets=1%2C2&base=1&power=hp&correction=none&keep=1").await;
    assert_eq!(
        hp.headers["location"], "/line-up?sets=1%2C2&base=1&power=hp&correction=none",
        "nor says that it was a switch"
    );
    let bracket = cell.get("/line-up?sets=1,2,7&base=1&focus=2&power=hp").await.text();
    let said = bracket.split("the difference at peak is ").nth(1).unwrap();
    assert!(said[..20].contains(" hp"), "sentences speak the unit chosen: {}", &said[..40]);
    let cookie = hp.headers["set-cookie"].to_str().unwrap().split(';').next().unwrap().to_owned();
    let kept = cell
        .send(
            Request::get("/line-up?sets=1,2")
                .header("host", "localhost")
                .header("cookie", cookie)
                .body(Body::empty())
                .unwrap(),
        )
        .await;
    assert!(kept.text().contains("power at the hub, hp, uncorrected"), "the preference is kept");
    for smooth in ["0", "0.1", "0.5"] {
        assert!(
            cell.get(&format!("/line-up?sets=1,2&smooth={smooth}"))
                .await
                .text()
                .contains("C1 on RON 95 E5 gains"),
            "{smooth}"
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn pulls_are_found_by_what_they_are_and_by_what_is_noted_on_them() {
    let cell = Cell::with_demo().await;
    let found = cell.get("/search?q=c2+e30").await.text();
    assert!(found.contains(" pulls of 174") && found.contains("class=\"spark\""), "{found}");
    let none = cell.get("/search?q=zzz,+gear+4").await.text();
    assert!(none.contains("No pull matches") && none.contains(">Without the text “zzz”: 129</a>"), "{none}");
    let one = cell.get("/search?q=strongest+first").await.text();
    let best = one.split("class=\"num strong\">").nth(1).unwrap().split(' ').next().unwrap().to_owned();
    let where_is = cell.get(&format!("/search?q=where+is+the+pull+that+made+{best}+kW%3F")).await.text();
    assert!(where_is.contains(&format!(": {best} kW")) && where_is.contains("power about"), "{where_is}");
    assert!(
        cell.get("/search?q=power+over+150+Nm")
            .await
            .text()
            .contains("N·m is a unit of torque, not of power")
    );
    cell.post("/pulls/1/note", &[("note", "white smoke <b>")]).await;
    let smoke = cell.get("/search?q=%22white+smoke%22").await.text();
    assert!(smoke.contains("One pull of 174"), "a note is found as soon as it is written: {smoke}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_up_is_taken_away_as_picture_and_table() {
    let cell = Cell::with_demo().await;
    let svg = cell.get("/line-up/chart.svg?sets=1,2").await;
    assert!(svg.text().starts_with("<svg") && !svg.text().contains("var(--"));
    let png = cell.get("/line-up/chart.png?sets=1,2").await;
    assert!(png.body.starts_with(&[0x89, b'P', b'N', b'G']));
    let csv = cell.get("/line-up/data.csv?sets=1,3").await.text();
    let line = csv.lines().find(|l| l.starts_with("5000,")).unwrap();
    let cells: Vec<f64> = line.split(',').map(|c| c.parse().unwrap_or(f64::NAN)).collect();
    for (base, own, gain) in [(1, 7, 9), (2, 8, 11)] {
        let off = cells[own] - cells[base] - cells[gain];
        assert!(off.abs() < 0.01, "gain is candidate minus base, in power and in torque: {line}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_left_out_of_figures_comes_back_when_it_is_taken_in_again() {
    let cell = Cell::with_demo().await;
    let reply = cell.post("/pulls/2/exclude", &[("reason", "heat-soaked")]).await;
    assert_eq!(reply.status, StatusCode::SEE_OTHER);
    let day = cell.get("/days/1").await.text();
    assert!(day.contains("Left out of figures: heat-soaked") && day.contains("2 of 3 pulls"));
    cell.post("/pulls/2/exclude", &[("include", "true")]).await;
    assert!(!cell.get("/days/1").await.text().contains("Left out of figures"));

    assert!(cell.post("/sets/2/mark", &[("reason", " ")]).await.text().contains("say why"));
    cell.post("/sets/2/mark", &[("reason", "strap slipped")]).await;
    let day = cell.get("/days/1").await.text();
    assert!(
        day.contains("Left out of figures: strap slipped") && day.contains("0 of 3 pulls"),
        "the whole set is out"
    );
    assert!(
        cell.get("/line-up?sets=1,2&base=1").await.text().contains("an&#39;t tell"),
        "and cannot be compared"
    );
    cell.post("/sets/2/mark", &[("valid", "true")]).await;
    assert!(!cell.get("/days/1").await.text().contains("strap slipped"));
}

#[tokio::test(flavor = "multi_thread")]
async fn the_hot_day_tells_its_stories_and_the_vehicle_its_papers() {
    let cell = Cell::with_demo().await;
    let hot = cell.get("/days/3").await.text();
    assert!(
        hot.contains("heat soak")
            && hot.contains("is that of gear 3: which was it?")
            && hot.contains("Left out of figures: third gear"),
        "the stories of the hot day"
    );
    assert!(
        hot.contains("class=\"timeline\"") && hot.contains("15 pulls from"),
        "pulls stand on the timeline"
    );
    let vehicle = cell.get("/vehicles/1").await.text();
    assert!(
        vehicle.contains("Quoted 118.0 kW (at the crank, by its papers)")
            && vehicle.contains("between the crankshaft and where it is measured, at the hub")
    );
    assert!(
        vehicle.contains("tolvern-c6.map") && !vehicle.contains("no file kept"),
        "every map of the demo is in custody"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_changed_limit_judges_old_pulls_anew() {
    let cell = Cell::with_demo().await;
    let first = cell.store.vehicle(1).await.unwrap();
    let mut limits = first.limits.clone();
    limits.iter_mut().find(|l| l.id == "duty").unwrap().threshold = Threshold::Constant(60.0);
    cell.store.change_limits(1, None, &limits, &[], &crate::common::by()).await.unwrap();
    assert!(
        cell.get("/days/1").await.text().contains("injector duty: over by"),
        "a changed limit judges old pulls anew"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_goes_and_comes_again_and_days_of_ones_own_stay() {
    let cell = Cell::with_demo().await;
    let first = cell.store.vehicle(1).await.unwrap();
    let mut limits = first.limits.clone();
    limits.iter_mut().find(|l| l.id == "duty").unwrap().threshold = Threshold::Constant(60.0);
    cell.store.change_limits(1, None, &limits, &[], &crate::common::by()).await.unwrap();
    let own = cell
        .store
        .add_day(&jamjar_store::NewDay {
            vehicle_id: 1,
            date: "2026-06-01".parse().unwrap(),
            place: "cell 1".into(),
            air: None,
            note: "mine".into(),
            demo: false,
        })
        .await
        .unwrap();
    assert!(cell.get("/settings").await.text().contains("Take the demo away"));
    let gone = cell.post("/demo/remove", &[]).await;
    assert!(cell.get(&gone.location()).await.text().contains("Days of your own stand on Tolvern T3"));
    assert_eq!(cell.store.pull_count().await.unwrap(), 0);
    assert!(cell.get(&format!("/days/{own}")).await.text().contains("mine"), "a day of the user's own stays");
    assert_eq!(cell.store.vehicle(1).await.unwrap().limits, limits, "with the limits set there");
    assert_eq!(cell.store.vehicles().await.unwrap().len(), 1, "the other demo vehicles are gone");
    cell.load_demo().await;
    assert!(cell.store.has_demo().await.unwrap() && cell.store.pull_count().await.unwrap() > 140);
    assert_eq!(cell.store.vehicle(1).await.unwrap().limits, limits);
}
