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

/// The sets of the demo's ladder, from the lowest rung.
async fn rungs(cell: &Cell) -> Vec<jamjar_store::Set> {
    let mut out = Vec::new();
    for d in cell.store.days_of_vehicle(1, 20).await.unwrap() {
        let sets = cell.store.sets_of_day(d.id).await.unwrap().into_iter().map(|s| s.set);
        out.extend(sets.filter(|s| s.config.map == "C4"));
    }
    let kpa = |s: &jamjar_store::Set| s.config.boost.split(' ').next().unwrap().parse::<f64>().unwrap_or(0.0);
    out.sort_by(|a, b| kpa(a).total_cmp(&kpa(b)));
    assert_eq!(out.len(), 5, "{out:?}");
    out
}

async fn edited(cell: &Cell, set: &jamjar_store::Set, change: impl FnOnce(&mut jamjar_store::Configuration)) {
    let mut now = set.config.clone();
    change(&mut now);
    cell.store.edit_set(set.id, &set.config, &now, &crate::common::by()).await.unwrap();
}

/// A page once it has heard of what changed.
async fn once(cell: &Cell, path: &str, words: &str) -> String {
    for _ in 0..50 {
        let page = cell.get(path).await.text();
        if page.contains(words) {
            return page;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    panic!("{path} never said {words}: {}", cell.get(path).await.text())
}

/// The value of an option of the page by its label.
fn option(page: &str, label: &str) -> String {
    let at = page.find(&format!(">{label}</option>")).unwrap_or_else(|| panic!("no {label}: {page}"));
    let value = page[..at].rsplit("value=\"").next().unwrap().split('"').next().unwrap();
    let plain = value.replace("&quot;", "\"").replace("&#34;", "\"");
    plain.bytes().map(|b| format!("%{b:02X}")).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_rungs_lie_over_each_other_with_what_their_boost_did() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/vehicles/1/ladder").await.text();
    assert!(
        page.contains("<figure class=\"wide\"") && page.contains("manifold pressure"),
        "boost against its target"
    );
    assert!(page.contains("lanes=pressure\">Read them as a line-up"), "and the way to the line-up");
    assert!(
        page.contains("boost holds to the end")
            || page.contains(" boost falls by ")
            || page.contains(" boost rises by "),
        "{page}"
    );
    let more = page.split("id=\"more\"").nth(1).unwrap().split("</table>").next().unwrap();
    assert!(more.contains("turbo speed, rpm") && more.contains("exhaust temperature 1, °C"), "{more}");
    assert_eq!(
        more.matches("<tr data-row>").count() * 5,
        more.matches("<td class=\"r num\">").count(),
        "a value a rung"
    );
    // An address of before, with map, fuel, build and gear, still finds its ladder.
    let first = &rungs(&cell).await[0].config;
    let old = serde_json::to_string(&[&first.map, &first.fuel, &first.build, &first.gear]).unwrap();
    let old: String = old.bytes().map(|b| format!("%{b:02X}")).collect();
    assert!(cell.get(&format!("/vehicles/1/ladder?of={old}")).await.text().contains("ladder, C4 on "));
}

#[tokio::test(flavor = "multi_thread")]
async fn an_extra_in_numbers_is_a_ladder_and_two_that_changed_at_once_are_none() {
    let cell = Cell::with_demo().await;
    let sets = rungs(&cell).await;
    for (s, dose) in sets.iter().zip(["1 ml", "2 ml", "4 ml"]) {
        edited(&cell, s, |c| {
            c.boost = "as mapped".into();
            c.extras.insert("dose".into(), dose.into());
        })
        .await;
    }
    let of = option(
        &once(&cell, "/vehicles/1/ladder", "by dose").await,
        "C4 on E85, as mapped, build B, gear 4, by dose",
    );
    let page = once(&cell, &format!("/vehicles/1/ladder?of={of}"), "4 ml").await;
    assert!(page.contains("Next rung 6 ml"), "the step of the last: {page}");
    assert!(page.contains("each ml gave"), "{page}");
    assert!(page.contains("Next rung, ml<input"), "no gauge pressure: {page}");
    let leap = cell.get(&format!("/vehicles/1/ladder?of={of}&next=20")).await.text();
    assert!(leap.contains("a step of 16 ml is larger than the last, 2"), "{leap}");
    // 60 kPa without a dose and 120 kPa with one differ in two things.
    edited(&cell, &sets[3], |c| {
        c.extras.insert("dose".into(), "2 ml".into());
    })
    .await;
    let page = once(&cell, "/vehicles/1/ladder", "by dose").await;
    assert!(
        !page.contains("C4 on E85, build B, gear 4</option>"),
        "one boost with a dose and one without are no ladder"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn two_builds_stand_beside_each_other_rung_by_rung() {
    let cell = Cell::with_demo().await;
    let sets = rungs(&cell).await;
    for (k, like) in [(1, 0), (3, 2)] {
        let boost = sets[like].config.boost.clone();
        edited(&cell, &sets[k], |c| {
            c.boost = boost;
            c.build = "larger intercooler".into();
        })
        .await;
    }
    let page = once(&cell, "/vehicles/1/ladder", "larger intercooler").await;
    let other = option(&page, "C4 on E85, build larger intercooler, gear 4");
    let page = once(&cell, &format!("/vehicles/1/ladder?beside={other}"), "Rung by rung").await;
    let side = page.split("id=\"beside\"").nth(1).unwrap().split("id=\"rungs\"").next().unwrap();
    assert!(side.contains("Build larger intercooler over "), "{side}");
    assert_eq!(side.matches("not pulled").count(), 1, "160 kPa was pulled on one build only: {side}");
    assert_eq!(side.matches(" ± ").count(), 2, "and two rungs on both: {side}");
}
