//! Limits edited over the pulls they judge, computed channels, margins, and fuel corrections.

use crate::common::{Cell, by};
use crate::driver::{see, walk_through};
use axum::http::StatusCode;
use jamjar_core::limits::{GateTerm, Limit, Threshold};
use thirtyfour::prelude::*;

/// The form of one limit as the editor posts it.
fn form<'a>(threshold: &'a str, more: &[(&'a str, &'a str)]) -> Vec<(&'a str, &'a str)> {
    let mut out = vec![
        ("id.0", "boosted"),
        ("channel.0", "manifold_pressure"),
        ("direction.0", "above"),
        ("threshold.0", threshold),
        ("gate_channel.0.0", "throttle"),
        ("gate_above.0.0", "90"),
        ("sustain.0", "0.2"),
        ("caution.0", "5"),
        ("severity.0", "stop"),
    ];
    out.extend_from_slice(more);
    out
}

#[tokio::test(flavor = "multi_thread")]
async fn a_limit_shows_whose_pulls_it_would_flag_before_it_is_kept() {
    let cell = Cell::with_demo().await;
    let before = cell.store.vehicle(1).await.unwrap().limits;
    let empty = cell.get("/vehicles/1/limits/edit").await.text();
    assert!(!empty.contains("role=\"alert\""), "a form nobody has filled in yet is not wrong");
    let shown = cell.post("/vehicles/1/limits/preview", &form("120", &[])).await.text();
    assert!(shown.contains("Would flag ") && shown.contains(" pulls, "), "{shown}");
    assert!(shown.contains("<svg class=\"under\"") && shown.contains("<circle"), "the pulls over the limit");
    let none = cell.post("/vehicles/1/limits/preview", &form("500", &[])).await.text();
    assert!(none.contains("Would flag none of "), "{none}");
    let curve = cell.post("/vehicles/1/limits/preview", &form("120 at 2000, 260 at 6500", &[])).await.text();
    assert_eq!(curve.matches("class=\"handle\"").count(), 2, "places that can be dragged");
    let wrong = cell.post("/vehicles/1/limits/preview", &form("lots", &[])).await.text();
    assert!(wrong.contains("role=\"alert\"") && wrong.contains("“lots” is not a number"));
    assert!(wrong.contains("value=\"lots\""), "and what was typed stays");
    assert_eq!(cell.store.vehicle(1).await.unwrap().limits, before, "nothing was kept by looking");

    // Only for one fuel: the others are none of its business, on every page.
    let e85 = form("120", &[("for_fuel.0", "E85"), ("span.0", "60"), ("source.0", "maker, page 4")]);
    let said = cell.post("/vehicles/1/limits/preview", &e85).await.text();
    assert!(said.contains("of other configurations"), "{said}");
    assert_eq!(cell.post("/vehicles/1/limits", &e85).await.status, StatusCode::SEE_OTHER);
    let kept = cell.store.vehicle(1).await.unwrap().limits;
    let l = kept.iter().find(|l| l.id == "boosted").unwrap();
    assert_eq!(l.applies_to["fuel"], ["E85"]);
    assert_eq!((l.span, l.caution, l.gate.len()), (Some(60.0), 5.0, 1));
    assert_eq!(l.gate[0], GateTerm { above: Some(90.0), ..l.gate[0].clone() });
    let page = cell.get("/vehicles/1").await.text();
    assert!(page.contains("for fuel E85") && page.contains("limits/edit?limit=boosted"), "{page}");
    let margins = cell.get("/vehicles/1/margins").await.text();
    assert!(margins.contains("not for this"), "a set on another fuel");
    let again = cell.get("/vehicles/1/limits/edit?limit=boosted").await.text();
    assert!(again.contains("value=\"E85\"") && again.contains("What it was before"), "{again}");
    assert_eq!(cell.get("/vehicles/1/limits/edit?limit=nothing").await.status, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_computed_channel_stands_in_lanes_and_limits() {
    let cell = Cell::with_demo().await;
    let row = |expr: &'static str| [("name.0", "over target"), ("unit.0", "kPa"), ("expr.0", expr)];
    let refused = cell.post("/vehicles/1/computed", &row("manifold_pressure - engine_speed")).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    let text = refused.text();
    assert!(text.contains("kPa and rpm cannot be subtracted") && text.contains("column 19"), "{text}");
    assert!(text.contains("value=\"manifold_pressure - engine_speed\""), "what was typed stays");
    let kept = cell.post("/vehicles/1/computed", &row("manifold_pressure - 100 kPa")).await;
    assert_eq!(kept.status, StatusCode::SEE_OTHER);
    let name = cell.store.vehicle(1).await.unwrap().sheet.computed[0].name.clone();
    assert_eq!(
        (name.as_str(), name.unit(), name.label().as_str()),
        ("over_target_kpa", "kPa", "over target")
    );

    let pull = cell.get("/pulls/4?lanes=over_target_kpa").await.text();
    assert!(pull.contains("over target, kPa"), "a lane of the pull");
    let line_up = cell.get("/line-up?sets=1,2&base=1&lanes=over_target_kpa").await.text();
    assert!(line_up.contains("over target"), "a lane of the line-up");
    // Every pull is measured anew behind the person's back; a search knows what the channel reached then.
    let asked = async |q: &str| cell.get(&format!("/search?q={}", q.replace(' ', "+"))).await.text();
    let mut tries = 0;
    let mut found = asked("highest over target over 0.2 bar, E85").await;
    while found.contains("No pull matches") && tries < 300 {
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        tries += 1;
        found = asked("highest over target over 0.2 bar, E85").await;
    }
    assert!(
        found.contains("highest over target over 0.2 bar") && !found.contains("No pull matches"),
        "the condition as it was understood: {found}"
    );
    assert!(asked("over target over 5000").await.contains("highest over target over 5000 kPa"));
    let wrong = asked("over target over 3 kW").await;
    assert!(wrong.contains("kW is no unit of over target, which is kPa"), "{wrong}");
    let limit = [
        ("id.0", "overshoot"),
        ("channel.0", "over_target_kpa"),
        ("direction.0", "above"),
        ("threshold.0", "1"),
        ("severity.0", "caution"),
        ("caution.0", "1"),
    ];
    cell.post("/vehicles/1/limits", &limit).await;
    let margins = cell.get("/vehicles/1/margins").await.text();
    assert!(margins.contains("over target") && margins.contains("limit-overshoot"), "{margins}");
    let drop = cell.post("/vehicles/1/computed", &[("name.0", "")]).await;
    assert!(drop.text().contains("a limit rests on over target"), "{}", drop.text());
    // The sheet is kept by another form: what is computed stays.
    let sheet = [("model", "T3"), ("mass_kg", "1240")];
    assert_eq!(cell.post("/vehicles/1/sheet", &sheet).await.status, StatusCode::SEE_OTHER);
    assert_eq!(cell.store.vehicle(1).await.unwrap().sheet.computed.len(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn margins_are_as_loud_about_what_nobody_measured_as_about_what_is_over() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/margins").await.text();
    let vehicle = cell.store.vehicle(1).await.unwrap();
    for l in &vehicle.limits {
        assert!(page.contains(&format!("id=\"limit-{}\"", l.id)), "{}", l.id);
    }
    assert!(page.contains(">not measured<") && page.contains("Which sensor to fit first"), "{page}");
    assert!(page.contains("It does not mean the engine is safe"));
    assert!(page.contains("Which map that speaks for"), "{page}");
    let cells = page.split("<td class=\"").filter(|c| c.contains(">not measured<"));
    assert!(cells.into_iter().all(|c| c.starts_with("strong") || c.starts_with("warn")), "as loud as close");

    // Without any limit nothing is said of margins, and nothing is recommended.
    let ids: Vec<String> = vehicle.limits.iter().map(|l| l.id.clone()).collect();
    cell.store.change_limits(1, None, &[], &ids, &by()).await.unwrap();
    let bare = cell.get("/vehicles/1/margins").await.text();
    assert!(bare.contains("nothing can be said of its margins"), "{bare}");
    assert!(bare.contains("No map can be recommended"), "{bare}");
    assert!(bare.contains("Mixture was not watched in any of them: it takes "), "{bare}");
    assert!(bare.contains("limits/edit?channel=lambda_1"), "the limit it lacks is one click away: {bare}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_fuel_of_a_set_is_corrected_cell_by_cell_and_pasted_back() {
    let cell = Cell::with_demo().await;
    // A map nobody has the file of says nothing of what it wanted.
    let set = cell.store.set(1).await.unwrap();
    let form = cell.get("/sets/1/edit").await.text();
    let from = form.find("name=\"seen\" value=\"").unwrap() + 19;
    let mark = form[from..from + form[from..].find('"').unwrap()].to_owned();
    let c = &set.config;
    let lost = [
        ("map", "Lost"),
        ("map_kind", "unknown"),
        ("fuel", c.fuel.as_str()),
        ("boost", c.boost.as_str()),
        ("gear", c.gear.as_str()),
        ("build", c.build.as_str()),
        ("seen", mark.as_str()),
    ];
    assert_eq!(cell.post("/sets/1/edit", &lost).await.status, StatusCode::SEE_OTHER);
    let bare = cell.get("/sets/1/fuel").await.text();
    assert!(
        bare.contains("No λ target was logged, and the set&#39;s map file in custody has no table of it"),
        "{bare}"
    );
    let page = cell.get("/sets/2/fuel?target=0.86").await.text();
    assert!(page.contains("cells are corrected") || page.contains("No cell is corrected"), "{page}");
    assert!(page.contains("λ is read ") || page.contains("λ is taken to be read"), "the delay is said");
    let csv = cell
        .get("/sets/2/fuel.csv?target=0.86&x_at=1000+2000+3000+4000+5000+6000&y_at=50+100+150+200")
        .await
        .text();
    let lines: Vec<&str> = csv.lines().collect();
    assert_eq!(lines.len(), 1 + 24);
    assert!(
        lines[0].starts_with("engine speed (rpm),manifold pressure (kPa),hits,visits,factor"),
        "{}",
        lines[0]
    );
    assert!(lines.iter().any(|l| l.ends_with(",unvisited")), "{csv}");

    let places = [("target", "0.86"), ("x_at", "1000 2000 3000 4000 5000 6000"), ("y_at", "50 100 150 200")];
    let table = "2 2 2 2 2 2\n4 4 4 4 4 4\n6 6 6 6 6 6\n8 8 8 8 8 8";
    let mut pasted = places.to_vec();
    pasted.push(("table", table));
    let after = cell.post("/sets/2/fuel", &pasted).await.text();
    assert!(after.contains("id=\"after\"") && after.contains("<span class=\"was\">8.000</span>"), "{after}");
    let mut short = places.to_vec();
    short.push(("table", "1 2\n3 x"));
    let refused = cell.post("/sets/2/fuel", &short).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().contains("line 2, column 2: “x” is not a number"));
    assert_eq!(cell.get("/sets/2/fuel?y_at=50+40").await.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(cell.get("/sets/999999/fuel").await.status, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_table_is_made_over_and_says_what_is_lost() {
    let cell = Cell::with_demo().await;
    let table = "\t1000\t2000\t3000\n50\t2\t2.6\t3\n100\t4\t5.4\t6";
    let page = cell.post("/fuel-table", &[("table", table), ("new_x", "1000 3000 4000")]).await.text();
    assert!(page.contains("2 of 6 places lie beyond the old axes"), "{page}");
    assert!(page.contains("reads 0.400 otherwise than before"), "{page}");
    let injector =
        [("table", table), ("flow_old", "440"), ("flow_new", "880"), ("dead_old", "1"), ("dead_new", "0.8")];
    let page = cell.post("/fuel-table", &injector).await.text();
    assert!(page.contains("2.000 times the fuel") && page.contains("50\t1.300\t1.600\t1.800"), "{page}");
    let half = cell.post("/fuel-table", &[("table", table), ("flow_old", "440")]).await;
    assert_eq!(half.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(half.text().contains("give it for the old and for the new injector"));
    let blend = [("pulse", "9"), ("dead", "1"), ("rpm", "6000"), ("now", "5"), ("then", "85")];
    let page = cell.post("/fuel-table", &blend).await.text();
    assert!(page.contains("Injector duty") && page.contains("times"), "{page}");
}

/// A click into the picture becomes places of a curve in the field, and what it would say is said anew.
async fn draw(d: WebDriver, base: String) {
    d.goto(format!("{base}/vehicles/1/limits/edit?limit=lean")).await.unwrap();
    see(&d, "svg.under").await;
    let threshold = || async {
        let field = d.find(By::Css("[data-threshold]")).await.unwrap();
        field.prop("value").await.unwrap().unwrap_or_default()
    };
    assert_eq!(threshold().await, "0.9");
    let picture = d.find(By::Css("svg.under")).await.unwrap();
    d.action_chain().move_to_element_center(&picture).click().perform().await.unwrap();
    see(&d, "svg.under rect.handle").await;
    let drawn = threshold().await;
    assert_eq!(
        drawn.matches(" at ").count(),
        3,
        "the ends of the old line and the place of the click: {drawn}"
    );
    let said = d.find(By::Css("#preview .would")).await.unwrap().text().await.unwrap();
    assert!(said.starts_with("Would flag "), "{said}");
    assert!(!said.starts_with("Would flag none"), "the middle of the picture lies among the pulls: {said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_limit_is_drawn_with_the_hand() {
    walk_through(Cell::with_demo().await, draw).await;
}

/// Sixty limits more than the demo has: what is pressing stands first and the rest is counted, nowhere left out.
#[tokio::test(flavor = "multi_thread")]
async fn sixty_limits_are_read_the_pressing_ones_first() {
    let cell = Cell::with_demo().await;
    let v = cell.store.vehicle(1).await.unwrap();
    let like = v.limits.iter().find(|l| l.id == "boost").unwrap().clone();
    let more: Vec<Limit> = (0..60)
        .map(|k| Limit {
            id: format!("more {k}"),
            threshold: Threshold::Constant(100.0 + 5.0 * f64::from(k)),
            ..like.clone()
        })
        .collect();
    cell.store.change_limits(1, Some(v.version), &more, &[], &by()).await.unwrap();
    let page = cell.get("/vehicles/1/margins?day=1").await.text();
    let rows: Vec<&str> = page.split("<tr").filter(|r| r.contains("id=\"limit-")).collect();
    assert_eq!(rows.len(), v.limits.len() + 60, "every limit has its row");
    let over = |r: &&str| r.contains("●");
    let last_over = rows.iter().rposition(over).unwrap();
    assert!(rows[..=last_over].iter().all(over), "those that are over come first");
    let day = cell.get("/days/1").await.text();
    assert!(day.contains("more, ") && day.contains(" of them over"), "{day}");
    assert!(day.contains("Every limit against every set"));
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let ids: Vec<String> = sets.iter().take(2).map(|s| s.set.id.to_string()).collect();
    let line_up = cell.get(&format!("/line-up?sets={}&base={}", ids.join(","), ids[0])).await.text();
    assert!(line_up.contains(&format!("the 16 tightest of {}", v.limits.len() + 60)), "{line_up}");
    let dont =
        line_up.split("Don&#39;t run this: ").nth(1).or_else(|| line_up.split("Don't run this: ").nth(1));
    let sentence = dont.unwrap().split('<').next().unwrap();
    assert_eq!(sentence.matches(" over by ").count(), 8, "{sentence}");
    assert!(sentence.contains("; and ") && sentence.contains(" more."), "{sentence}");
}
