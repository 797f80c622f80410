//! What was driven before a map goes home: answers, complaints, the pedal, and the signature.

use crate::common::{Cell, by};
use axum::http::StatusCode;
use jamjar_store::{NewNote, ObservedAt};
use jamjar_workflow::sign_off::ITEMS;

/// Map and fuel of the newest set of a map.
async fn of(cell: &Cell, map: &str) -> (i64, i64) {
    let map_id = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.name == map).unwrap().id;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let fuel = sets.iter().find(|s| s.set.config.map == map).unwrap().set.config.fuel.clone();
    let fuels = cell.store.fuels().await.unwrap();
    (map_id, fuels.into_iter().find(|f| f.1 == fuel).unwrap().0)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_map_goes_home_when_it_was_driven_and_somebody_signed_it() {
    let cell = Cell::with_demo().await;
    assert!(cell.get("/vehicles/1").await.text().contains("/vehicles/1/sign-off\""), "the way there");
    let (map, fuel) = of(&cell, "C1").await;
    let at = format!("/vehicles/1/sign-off?of={map}-{fuel}");
    let page = cell.get(&at).await.text();
    assert!(page.contains("is not signed off. Not tried: cold start, idle"), "{page}");
    assert!(page.contains("C1 scatters by ") && page.contains("By the F interval"), "{page}");
    assert!(!page.contains("sign it</button>"), "nothing was answered yet");

    let (map, fuel) = (map.to_string(), fuel.to_string());
    let all = |idle: &'static str| {
        let mut form = vec![("map", map.as_str()), ("fuel", fuel.as_str())];
        form.extend(
            ITEMS.iter().filter(|i| !i.words_only).map(|i| (i.id, if i.id == "idle" { idle } else { "yes" })),
        );
        form
    };
    let mut wrong = all("no");
    wrong.extend([("idle.words", "hunts with the fan on"), ("sign", "yes")]);
    assert_eq!(cell.post("/vehicles/1/sign-off", &wrong).await.status, StatusCode::SEE_OTHER);
    let page = cell.get(&at).await.text();
    assert!(
        page.contains("does not go home: idle is not right.") && page.contains("hunts with the fan on"),
        "{page}"
    );
    let own = async || {
        let mut all = cell.store.sign_offs(1).await.unwrap();
        all.retain(|s| s.map == "C1");
        all
    };
    assert!(own().await[0].signed.is_none(), "nobody signs what is not right");

    let mut right = all("yes");
    right.extend([("feel", "yes"), ("feel.words", "pulls harder from 3000"), ("sign", "yes")]);
    cell.post("/vehicles/1/sign-off", &right).await;
    let page = cell.get(&at).await.text();
    assert!(page.contains("was driven and signed by ") && page.contains("pulls harder from 3000"), "{page}");
    let trail = cell.store.trail(jamjar_store::Subject::Vehicle(1)).await.unwrap();
    assert!(trail.iter().any(|t| t.field == "sign-off" && t.new_value.contains("C1 on")), "{trail:?}");

    // What was signed stands: a later answer begins a new sheet, and says so.
    let hot = [("map", map.as_str()), ("fuel", fuel.as_str()), ("hot", "no")];
    cell.post("/vehicles/1/sign-off", &hot).await;
    let all = own().await;
    assert_eq!((all.len(), all[0].signed.is_some(), all[1].signed.is_some()), (2, false, true));
    assert_eq!(all[1].answers["hot"], "yes");
    let page = cell.get(&at).await.text();
    assert!(page.contains("hot start is not right") && page.contains("Signed before by "), "{page}");

    let never = [("map", map.as_str()), ("fuel", "999999")];
    assert_eq!(cell.post("/vehicles/1/sign-off", &never).await.status, StatusCode::NOT_FOUND);
    assert_eq!(own().await.len(), 2, "and nothing is written");
}

#[tokio::test(flavor = "multi_thread")]
async fn complaints_are_held_against_the_maps_they_were_made_on() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let pull = |map: &str| sets.iter().find(|s| s.set.config.map == map).unwrap().pulls[0].0.id;
    let stock = sets.iter().find(|s| s.set.config.map_kind == "stock").unwrap().pulls[0].0.id;
    let note = |tag: &str, pull_id: i64, rpm: [f64; 2]| NewNote {
        tag: tag.into(),
        text: "from the left bank".into(),
        by: "the calibrator".into(),
        place: ObservedAt { pull_id: Some(pull_id), rpm: Some(rpm), load: None },
        ..NewNote::default()
    };
    cell.store.add_note(1, &note("rattle", stock, [3000.0, 3400.0])).await.unwrap();
    cell.store.add_note(1, &note("hesitation", pull("C1"), [2000.0, 2300.0])).await.unwrap();
    let (map, fuel) = of(&cell, "C1").await;
    let at = format!("/vehicles/1/sign-off?of={map}-{fuel}");
    let page = cell.get(&at).await.text();
    assert!(
        page.contains("Rattle: gone") && page.contains("from 3000 to 3400 rpm, “from the left bank”"),
        "{page}"
    );
    assert!(page.contains("Nobody noted it in the ") && page.contains("Again on C1"), "{page}");
    assert!(page.contains("Not tried: cold start") && page.contains("hesitation"), "{page}");
    let (m, f) = (map.to_string(), fuel.to_string());
    let form = [("map", m.as_str()), ("fuel", f.as_str()), ("complaint.hesitation", "no")];
    cell.post("/vehicles/1/sign-off", &form).await;
    assert!(cell.get(&at).await.text().contains("does not go home: hesitation is not right"));
    // Two fuels or two maps made one take their sheets along.
    let other = cell.store.put_fuel("Another", None).await.unwrap();
    cell.store.merge_fuels(fuel, other, &by()).await.unwrap();
    let all = cell.store.sign_offs(1).await.unwrap();
    assert_eq!(all.iter().find(|s| s.map == "C1").unwrap().fuel, "Another");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_has_a_map_that_went_home_and_one_that_did_not() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/sign-off").await.text();
    assert!(page.contains("C6 on ") && page.contains("was driven and signed by the calibrator"), "{page}");
    let file = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.name == "C6").unwrap().file.unwrap();
    assert!(page.contains(&format!("Its file begins with {}.", file.begin())), "{page}");
    assert!(
        page.contains("It went into the unit on ") || page.contains("was driven then is not C6"),
        "{page}"
    );
    assert!(page.contains("Not tried: hot start"), "what was not tried is as loud as the rest: {page}");
    let c3 = cell.store.sign_offs(1).await.unwrap().into_iter().find(|s| s.map == "C3").unwrap();
    let page = cell.get(&format!("/vehicles/1/sign-off?of={}-{}", c3.map_id, c3.fuel_id)).await.text();
    assert!(
        page.contains("does not go home: idle is not right") && page.contains("hunts by 150 rpm"),
        "{page}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pull_that_was_cut_short_is_no_scatter_of_a_map_and_a_pedal_is_held_against_stock() {
    let cell = Cell::with_demo().await;
    let maps = cell.store.maps(3).await.unwrap();
    let q2 = maps.iter().find(|m| m.name == "Q2").unwrap().id;
    let page = cell.get(&format!("/vehicles/3/sign-off?of={q2}")).await.text();
    // The last pull of its newest day was lifted early.
    assert!(page.contains("differ by more than 5 %") && !page.contains("By the F interval"), "{page}");
    assert!(page.contains("Q2 opens the plate") && page.contains("Plate of Q2 less stock, points"), "{page}");
    let none = cell.get("/vehicles/1/sign-off").await.text();
    assert!(none.contains("Pedal to plate: not measured."), "{none}");
}
