//! Putting right on the pages: what a person sees before, while and after.

use crate::common::Cell;
use axum::http::StatusCode;

/// The mark a form carries.
pub(crate) fn seen(page: &str) -> String {
    page.split("name=\"seen\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned()
}

/// Peak gains that a line-up's table of numbers gives, by candidate.
async fn line_up(cell: &Cell, sets: &str) -> String {
    cell.get(&format!("/line-up?sets={sets}")).await.text()
}

#[tokio::test(flavor = "multi_thread")]
async fn an_edited_set_changes_the_line_up_and_keeps_its_trail() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let (a, b) = (&sets[0].set, &sets[1].set);
    let ids = format!("{},{}", a.id, b.id);
    let before = line_up(&cell, &ids).await;
    assert!(before.contains(&b.config.map) && !before.contains("C9 prototype"));
    let form = cell.get(&format!("/sets/{}/edit", b.id)).await.text();
    assert!(form.contains("measured again at the next look"), "an edit says what it will recompute");
    let mark = seen(&form);
    let typed = |map: &'static str, gear: &'static str, why: &'static str| {
        vec![
            ("map", map.to_owned()),
            ("map_kind", "custom".to_owned()),
            ("fuel", b.config.fuel.clone()),
            ("boost", b.config.boost.clone()),
            ("gear", gear.to_owned()),
            ("build", b.config.build.clone()),
            ("extras", "switch = 2".to_owned()),
            ("note", "seen twice".to_owned()),
            ("why", why.to_owned()),
            ("seen", mark.clone()),
        ]
    };
    let post = async |f: Vec<(&'static str, String)>| {
        let pairs: Vec<(&str, &str)> = f.iter().map(|(k, v)| (*k, v.as_str())).collect();
        cell.post(&format!("/sets/{}/edit", b.id), &pairs).await
    };
    let refused = post(typed("C9 prototype", "3", "")).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    let page = refused.text();
    assert!(
        page.contains("why the gear was another") && page.contains("aria-invalid"),
        "the field is marked"
    );
    assert!(page.contains("C9 prototype") && page.contains("switch = 2"), "what was typed is still there");
    let gear = b.config.gear.clone();
    let gear: &'static str = Box::leak(gear.into_boxed_str());
    assert_eq!(post(typed("C9 prototype", gear, "wrong jar")).await.status, StatusCode::SEE_OTHER);
    let after = line_up(&cell, &ids).await;
    assert!(after.contains("C9 prototype"), "the line-up follows");
    assert!(after.contains("switch"), "an extra is a factor that differs");
    let again = post(typed("C8", gear, "")).await;
    assert_eq!(again.status, StatusCode::CONFLICT, "a form of before is told");
    let trail = cell.get(&format!("/sets/{}/edit", b.id)).await.text();
    assert!(
        trail.contains("wrong jar") && trail.contains("the calibrator") && trail.contains("C9 prototype")
    );
    assert!(cell.get("/search?q=C9+prototype").await.text().contains("C9 prototype"));
}

#[tokio::test(flavor = "multi_thread")]
async fn pulls_are_moved_split_off_and_archived_and_come_back() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let (a, b) = (&sets[0], &sets[1]);
    let pull = a.pulls[2].0.id.to_string();
    let to = b.set.id.to_string();
    let address = format!("/sets/{}/pulls", a.set.id);
    let none = cell.post(&address, &[("to", &to)]).await;
    assert!(none.text().contains("no pull is ticked"));
    let moved =
        cell.post(&address, &[("pull", &pull), ("to", &to), ("place", "1"), ("why", "misfiled")]).await;
    assert_eq!(moved.location(), format!("/days/1#set-{to}"));
    let day = cell.store.sets_of_day(1).await.unwrap();
    assert_eq!((day[0].pulls.len(), day[1].pulls[0].0.id.to_string()), (a.pulls.len() - 1, pull.clone()));
    let read = cell.get(&format!("/pulls/{pull}")).await.text();
    assert!(read.contains(&b.set.config.map), "the pull's page knows its new set");
    let address = format!("/sets/{to}/pulls");
    cell.post(&address, &[("pull", &pull), ("to", "archive"), ("why", "coughed")]).await;
    let gone = cell.get(&format!("/pulls/{pull}")).await;
    assert_eq!(
        gone.location(),
        format!("/pulls/{pull}/edit"),
        "an old link leads to where it is brought back"
    );
    let page = cell.get(&gone.location()).await.text();
    assert!(page.contains("Bring it back") && page.contains("misfiled") && page.contains("coughed"));
    assert!(cell.get("/days/1/edit").await.text().contains("Archived here"));
    cell.post(&format!("/restore/pull/{pull}"), &[]).await;
    assert_eq!(cell.get(&format!("/pulls/{pull}")).await.status, StatusCode::OK);
    let whole = cell.get("/days/1").await.text();
    assert_eq!(whole.matches("aligned ±").count(), 24, "and all is measured as before");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_and_a_vehicle_are_put_right_and_archived() {
    let cell = Cell::with_demo().await;
    let form = cell.get("/days/1/edit").await.text();
    let mark = seen(&form);
    let vehicle = cell.store.day(1).await.unwrap().vehicle_id.to_string();
    let edit = |date: &'static str| {
        [("date", date), ("zone", ""), ("place", "cell 2"), ("vehicle", "1"), ("seen", "")]
    };
    let bad = cell.post("/days/1/edit", &edit("24.13.2026")).await;
    assert_eq!(bad.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(bad.text().contains("24.13.2026") && bad.text().contains("is not a date such as"));
    let ok = cell
        .post(
            "/days/1/edit",
            &[
                ("date", "2026-03-01"),
                ("zone", "UTC+1"),
                ("place", "cell 2"),
                ("vehicle", &vehicle),
                ("seen", &mark),
            ],
        )
        .await;
    assert_eq!(ok.location(), "/days/1");
    let day = cell.get("/days/1").await.text();
    assert!(day.contains("cell 2") && day.contains("1 March 2026"));

    let form = cell.get("/vehicles/1/edit").await.text();
    assert!(form.contains("Tolvern T3") && form.contains("4.1"));
    let named = cell.post("/who", &[("name", "The  apprentice")]).await;
    assert!(named.headers["set-cookie"].to_str().unwrap().contains("The+apprentice"));
    cell.post("/archive/vehicle/1", &[("why", "sold")]).await;
    assert!(!cell.get("/vehicles").await.text().contains("Tolvern T3"));
    assert!(cell.get("/settings").await.text().contains("Archived vehicles"));
    assert!(!cell.get("/").await.text().contains("Tolvern"), "the workshop has forgotten it");
    assert!(cell.get("/vehicles/1").await.text().contains("This vehicle is archived"));
    assert_eq!(cell.post("/restore/vehicle/1", &[]).await.location(), "/vehicles/1");
    assert!(cell.get("/vehicles").await.text().contains("Tolvern T3"));
    assert_eq!(cell.post("/archive/fuel/1", &[("why", "")]).await.status, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_unit_is_corrected_after_storing_and_what_rests_on_it_follows() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let pull = sets[1].pulls[0].0.id;
    let mean = async |name: &str| {
        let (_, ecu) = cell.store.samples(pull).await.unwrap();
        ecu.unwrap().column(name).map(|v| v.iter().sum::<f64>() / v.len() as f64)
    };
    let shown = async || {
        let page = cell.get(&format!("/pulls/{pull}")).await.text();
        let at = page.find("<td>intake temperature</td>").expect("the table of channels");
        page[at..at + 300].to_owned()
    };
    let page = cell.get(&format!("/pulls/{pull}/edit")).await.text();
    assert!(page.contains("Columns of the engine computer") && page.contains("Injector duty"), "{page}");
    let (before, in_table) = (mean("intake_temp").await.unwrap(), shown().await);
    let set = async |channel: &str, unit: &str| {
        let form = [("source", "ecu"), ("column", "IAT"), ("channel", channel), ("unit", unit)];
        cell.post(&format!("/pulls/{pull}/columns"), &form).await
    };
    let ok = set("intake_temp", "fahrenheit").await;
    assert_eq!(ok.status, StatusCode::SEE_OTHER, "{}", ok.text());
    let after = mean("intake_temp").await;
    assert!((after.unwrap() - (before - 32.0) / 1.8).abs() < 1e-6, "read as °F: {before} → {after:?}");
    assert_ne!(shown().await, in_table, "and measured again when it is looked at");
    let day = cell.store.sets_of_day(1).await.unwrap();
    assert_eq!(day.iter().map(|s| s.pulls.len()).sum::<usize>(), 24, "no pull was lost");
    let trail = cell.get(&format!("/pulls/{pull}/edit")).await.text();
    assert!(trail.contains("column IAT") && trail.contains("as recognised") && trail.contains("°F"));
    let impossible = set("intake_temp", "kelvin").await;
    assert_eq!(impossible.status, StatusCode::BAD_REQUEST, "{}", impossible.text());
    assert!(impossible.text().contains("cannot be"), "{}", impossible.text());
    assert_eq!(mean("intake_temp").await, after, "a refused answer changes nothing");
    assert_eq!(set("", "").await.status, StatusCode::SEE_OTHER);
    assert_eq!(mean("intake_temp").await, None, "a column that is not used is gone");
    assert_eq!(set("intake_temp", "celsius").await.status, StatusCode::SEE_OTHER);
    assert!((mean("intake_temp").await.unwrap() - before).abs() < 1e-9, "and comes back");
    assert!(set("time", "second").await.text().contains("the time of stored samples stays"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_comparison_across_a_change_on_the_vehicle_names_it() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let (first, last) = (&sets[0], &sets[sets.len() - 1]);
    let between = last.pulls[0].0.started_at.unwrap() - chrono::Duration::minutes(1);
    let ids = format!("{},{}", first.set.id, last.set.id);
    assert!(!line_up(&cell, &ids).await.contains("gearbox software"));
    let at = between.format("%H:%M").to_string();
    let said = |what: &'static str, to: &'static str| {
        [("at", at.clone()), ("what", what.into()), ("from", "A14".into()), ("to", to.into())]
    };
    let post = async |f: [(&'static str, String); 4]| {
        let pairs: Vec<(&str, &str)> = f.iter().map(|(k, v)| (*k, v.as_str())).collect();
        cell.post("/days/1/changed", &pairs).await
    };
    assert_eq!(
        post(said("gear", "4")).await.status,
        StatusCode::UNPROCESSABLE_ENTITY,
        "a factor of the set is none"
    );
    assert_eq!(post(said("gearbox software", "A17")).await.location(), "/days/1#changed");
    let crossed = line_up(&cell, &ids).await;
    assert!(crossed.contains("gearbox software"), "the line-up names it");
    let same_side = format!("{},{}", first.set.id, sets[1].set.id);
    assert!(!line_up(&cell, &same_side).await.contains("gearbox software"), "and only across it");
    assert!(cell.get("/days/1").await.text().contains("gearbox software: A14 → A17"));
    let id = cell.store.interventions(1).await.unwrap()[0].id;
    cell.post(&format!("/days/1/changed/{id}/back"), &[]).await;
    assert!(!line_up(&cell, &ids).await.contains("gearbox software"), "taken back it counts no more");
    let trail = cell.get("/days/1/edit").await.text();
    assert_eq!(trail.matches("changed on the vehicle").count(), 2, "and both stand in the trail");
}
