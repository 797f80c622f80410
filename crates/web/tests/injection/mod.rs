//! What a diesel's injectors do, their sheet and their map; what was observed in a pull; cruise and cylinders by name.

use crate::common::Cell;
use axum::http::StatusCode;

/// The demo's diesel.
async fn diesel(cell: &Cell) -> i64 {
    let all = cell.store.vehicles().await.unwrap();
    all.iter().find(|v| v.vehicle.name == "Marrow 48").unwrap().id
}

/// A value of the page's form.
fn seen(page: &str, form: &str) -> String {
    let at = page.find(&format!("action=\"{form}\"")).unwrap();
    let from = at + page[at..].find("name=\"seen\" value=\"").unwrap() + 19;
    page[from..from + page[from..].find('"').unwrap()].to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn injection_is_drawn_in_degrees_and_the_sheet_names_the_injector_that_is_off() {
    let cell = Cell::with_demo().await;
    let id = diesel(&cell).await;
    let path = format!("/vehicles/{id}/injection");
    assert!(cell.get(&format!("/vehicles/{id}")).await.text().contains(&path), "the way there");
    let page = cell.get(&path).await.text();
    assert!(page.contains("<svg class=\"injection\"") && page.contains("TDC"), "{page}");
    assert!(page.contains("injects longest at") && page.contains("% of it before TDC"));
    assert!(page.contains("Injector 3 gives +8."), "the demo's sheet has one that is off");
    assert!(page.contains("Shots of injector 3 scatter"));

    // The map and its inverse: 0.072·(600 − 260)·√(100/100) lies between its rows.
    let mass = cell.get(&format!("{path}?pressure=80&duration=900")).await.text();
    assert!(mass.contains("900 µs at 80 MPa give 41.20 mg a shot"), "{mass}");
    let back = cell.get(&format!("{path}?pressure=80&mass=41.2")).await.text();
    assert!(back.contains("41.2 mg at 80 MPa take 900 µs"));
    let outside = cell.get(&format!("{path}?pressure=300&duration=900")).await.text();
    assert!(outside.contains("tell: pressure_mpa 300 lies outside the map"), "{outside}");

    let bad = b"injector,pressure (MPa),duration (us),mass (mg)\n1,60,500,20\n2,60,often,20\n";
    let own = seen(&page, &format!("/vehicles/{id}/flow-sheet"));
    let refused =
        cell.upload_with(&format!("/vehicles/{id}/flow-sheet"), &[("seen", &own)], "bench.csv", bad).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    let text = refused.text();
    assert!(text.contains("bench.csv:3:3") && text.contains("Injector 3 gives"), "and the old one stays");
    let two = b"injector;pressure (bar);duration (us);mass (mg)\n1;600;500;20,0\n2;600;500;22,0\n";
    let kept = cell
        .upload_with(
            &format!("/vehicles/{id}/flow-sheet"),
            &[("seen", &own), ("source", "bench B")],
            "b.csv",
            two,
        )
        .await;
    assert_eq!(kept.status, StatusCode::SEE_OTHER, "{}", kept.text());
    let now = cell.get(&path).await.text();
    assert!(now.contains("which of them is off, a sheet of two cannot tell") && now.contains("bench B"));
    let late = cell.upload_with(&format!("/vehicles/{id}/flow-sheet"), &[("seen", &own)], "b.csv", two).await;
    assert_eq!(late.status, StatusCode::CONFLICT, "somebody kept another meanwhile");

    // The vehicle's own form leaves what has a page of its own alone.
    let sheet = cell.get(&format!("/vehicles/{id}")).await.text();
    let mark = seen(&sheet, &format!("/vehicles/{id}/sheet"));
    let form = [("seen", mark.as_str()), ("model", "tractor"), ("cylinders", "front, second, third, rear")];
    assert_eq!(cell.post(&format!("/vehicles/{id}/sheet"), &form).await.status, StatusCode::SEE_OTHER);
    let v = cell.store.vehicle(id).await.unwrap();
    assert_eq!(v.sheet.cylinders, ["front", "second", "third", "rear"]);
    assert!(v.sheet.flow_sheet.is_some() && v.sheet.quantity_map.is_some());
    let margins = cell.get(&format!("/vehicles/{id}/margins")).await.text();
    assert!(margins.contains("exhaust temperature front"), "limits go by the names of cylinders: {margins}");

    let wrong = [("table", "MPa\t300\t600\n40\t1\t2\n80\t3"), ("seen", "")];
    let refused = cell.post(&format!("/vehicles/{id}/quantity-map"), &wrong).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(cell.store.vehicle(id).await.unwrap().sheet.quantity_map.is_some(), "nothing was lost");
}

#[tokio::test(flavor = "multi_thread")]
async fn smoke_is_kept_with_its_engine_speed_and_load() {
    let cell = Cell::with_demo().await;
    let id = diesel(&cell).await;
    let day = cell.store.days_of_vehicle(id, 1).await.unwrap()[0].id;
    let set = &cell.store.sets_of_day(day).await.unwrap()[0];
    let pull = set.pulls[0].0.id;
    let form =
        [("tag", "smoke"), ("rpm_from", "1500"), ("rpm_to", "1250"), ("load_from", "90"), ("text", "grey")];
    let kept = cell.post(&format!("/pulls/{pull}/observed"), &form).await;
    assert_eq!(kept.status, StatusCode::SEE_OTHER);
    let page = cell.get(&format!("/pulls/{pull}")).await.text();
    assert!(page.contains("1250 to 1500 rpm, 90 % load") && page.contains("grey"), "either order");
    let sheet = cell.get(&format!("/days/{day}")).await.text();
    assert!(
        sheet.contains("1250 to 1500 rpm, 90 % load") && sheet.contains(&format!("/pulls/{pull}\">the pull"))
    );
    let of_vehicle = cell.get(&format!("/vehicles/{id}/injection")).await.text();
    assert!(of_vehicle.contains(&format!("/pulls/{pull}#observed")), "{of_vehicle}");
    let odd = cell.post(&format!("/pulls/{pull}/observed"), &[("tag", "smoke"), ("rpm_from", "fast")]).await;
    assert_eq!(odd.status, StatusCode::BAD_REQUEST);
    let beyond = cell.post(&format!("/pulls/{pull}/observed"), &[("tag", "smoke"), ("load_to", "900")]).await;
    assert!(beyond.text().contains("load is 900 %"), "{}", beyond.text());
    assert_eq!(cell.store.observed_in(pull).await.unwrap().len(), 1, "nothing of what was refused");
    assert_eq!(cell.post("/pulls/999999/observed", &[("tag", "smoke")]).await.status, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_target_comes_from_the_map_in_custody_and_cruise_stands_beside_the_baseline() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/sets/2/fuel").await.text();
    assert!(page.contains("Its target is the table of the map file in custody."), "{page}");
    assert!(page.contains("class=\"cellmap\""), "so there are cells without anything typed");
    assert!(page.contains("Steady cruise spots") && page.contains("rpm, plate"), "{page}");
    let typed = cell.get("/sets/2/fuel?target=0.86").await.text();
    assert!(typed.contains("Its target was typed"), "what a person says goes before the map");
}
