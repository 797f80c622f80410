//! Blends, deliveries, the tank of a day, and drafts of fuel corrections.

use crate::common::Cell;
use axum::http::StatusCode;

#[tokio::test(flavor = "multi_thread")]
async fn what_to_pour_is_said_with_what_nobody_measured() {
    let cell = Cell::start("blend").await;
    assert!(cell.get("/").await.text().contains("href=\"/blend\""), "the way there");
    let one = cell.get("/blend?tank=30&tank_e=10&want=40&e1=85&sure1=yes").await.text();
    assert!(one.contains("<h1>Pour 20.0 L of E85: 50.0 L with 40.0 % ethanol.</h1>"), "{one}");
    assert!(!one.contains("Measure it."), "it was measured");
    let unsure = cell.get("/blend?tank=30&tank_e=10&want=40&e1=85").await.text();
    assert!(unsure.contains("the tank may end anywhere from 26.4 % to 39.2 %"), "{unsure}");
    let drain = cell.get("/blend?tank=50&tank_e=10&capacity=60&want=40&e1=85&sure1=yes").await.text();
    assert!(drain.contains("Drain 14.0 L first, then pour 24.0 L of E85"), "{drain}");
    for (query, said) in [
        ("tank=30&tank_e=10&want=90&e1=85", "the target must lie between"),
        ("tank=30&tank_e=10&want=40&e1=0.85", "write 85 for 85 %"),
        ("tank=30&want=40&e1=85", "how much ethanol the fuel in the tank holds"),
        ("tank=30&tank_e=10&want=40", "say what can be poured"),
        ("tank=70&tank_e=10&capacity=60&want=40&e1=85", "one of the two is wrong"),
        ("tank=lots&tank_e=10&want=40&e1=85", "is not a number"),
        ("sample=80&water=20&layer=15", "smaller than the 20 mL of water"),
        ("left=50&rinse=1&from=85&to=5", "more than 40 rinses"),
        ("on=95&blend=185", "cannot be"),
        ("nozzle=0.4&rated=700&pump=1000&start=60&full=120&methanol=50&boost=90&lambda=9&air=100", "λ is 9"),
    ] {
        let r = cell.get(&format!("/blend?{query}")).await;
        assert_eq!(r.status, StatusCode::UNPROCESSABLE_ENTITY, "{query}");
        assert!(r.text().contains(said), "{query}: {}", r.text());
    }
    let rest = cell.get("/blend?sample=80&water=20&layer=82.4").await.text();
    assert!(rest.contains("78 % ethanol, 76 to 80 %."));
    assert!(
        cell.get("/blend?left=2&rinse=8&from=85&to=5")
            .await
            .text()
            .contains("3 times with 8.0 L each, 24.0 L in all")
    );
    assert!(
        cell.get("/blend?on=95&scale=RON&on_e=5&blend=85")
            .await
            .text()
            .contains("an estimate, to put fuels in order by")
    );
    let aux = cell
        .get("/blend?nozzle=0.4&rated=700&pump=1000&start=60&full=120&methanol=50&boost=300&lambda=0.85&air=150&aux_tank=4")
        .await
        .text();
    assert!(
        aux.contains("2.64 g/s methanol") && aux.contains("to 0.775") && aux.contains("lasts 10.0 minutes"),
        "{aux}"
    );
    let gallons = cell.get("/blend?tank=30&tank_e=10&want=40&e1=85&volume=usgal").await.text();
    assert!(gallons.contains("Pour 20.0 US gal"), "what is typed is read in the unit shown: {gallons}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_delivery_is_kept_and_its_measured_share_is_what_is_poured() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/fuels").await.text();
    assert!(page.contains("drum 7") && page.contains("78 % ethanol by water test"), "{page}");
    let e30 = cell.store.fuel_records().await.unwrap().into_iter().find(|f| f.said.name == "E30").unwrap();
    let at = format!("/fuels/{}/batches", e30.id);
    let kept = [("name", "can 3"), ("ethanol", "28"), ("measured_by", "sensor"), ("bought_on", "2026-03-20")];
    assert_eq!(cell.post(&at, &kept).await.status, StatusCode::SEE_OTHER);
    let mixed = cell.get(&format!("/blend?want=20&fuel1={}&tank=10&tank_e=5", e30.id)).await.text();
    assert!(mixed.contains("Pour 18.8 L of E30"), "by the delivery's own 28 %: {mixed}");
    let wrong = cell.post(&at, &[("name", "can 4"), ("ethanol", "0.28"), ("measured_by", "sensor")]).await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(
        wrong.text().contains("write 28 for 28 %") && wrong.text().contains("value=\"can 4\""),
        "typed stays"
    );
    let edit = cell.get(&format!("/fuels/{}/edit", e30.id)).await.text();
    assert!(edit.contains("RON"), "{edit}");

    // A fill between two pulls of a set is said at the set.
    let day = cell.get("/days/1").await.text();
    assert!(day.contains("In the tank") && day.contains("right after the last fill"), "{day}");
    assert!(!day.contains("between its pulls"));
    let set = &cell.store.sets_of_day(1).await.unwrap()[0];
    let times: Vec<_> = set.pulls.iter().filter_map(|p| p.0.started_at).collect();
    let last = times.iter().max().unwrap().format("%H:%M").to_string();
    let what = e30.id.to_string();
    let pour = [("at", last.as_str()), ("what", what.as_str()), ("litres", "5")];
    assert_eq!(cell.post("/days/1/tank", &pour).await.status, StatusCode::SEE_OTHER);
    let day = cell.get("/days/1").await.text();
    assert!(day.contains("between its pulls: they stand on two mixtures"), "{day}");
    let bad = cell.post("/days/1/tank", &[("at", ""), ("what", what.as_str()), ("litres", "5")]).await;
    assert!(bad.text().contains("Nothing was kept: say when"), "{}", bad.text());
    let pours = cell.store.poured(1).await.unwrap();
    let own = pours.iter().find(|p| p.day_id == 1 && p.left_l.is_none()).unwrap();
    cell.post(&format!("/days/1/tank/{}/back", own.id), &[]).await;
    assert!(!cell.get("/days/1").await.text().contains("between its pulls"));
}

#[tokio::test(flavor = "multi_thread")]
async fn corrections_become_a_draft_in_custody_and_injectors_are_asked_about_another_blend() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/sets/2/fuel?target=0.80").await.text();
    assert!(page.contains("action=\"/sets/2/draft\""), "{page}");
    let map = cell.store.set(2).await.unwrap().config.map;
    let made = cell.post("/sets/2/draft", &[("target", "0.80"), ("draft", "next fuel")]).await;
    assert_eq!(made.status, StatusCode::SEE_OTHER, "{}", made.text());
    let shown = cell.get(&made.location()).await.text();
    assert!(
        shown.contains(&format!("next fuel against {map}"))
            && shown.contains("Fuel correction is only in the second")
            && shown.contains("1 table stands in one of them alone"),
        "{shown}"
    );
    let maps = cell.store.maps(1).await.unwrap();
    let draft = maps.iter().find(|m| m.name == "next fuel").unwrap();
    assert_eq!((draft.parent.as_deref(), draft.kind.as_str()), (Some(map.as_str()), "custom"));
    assert!(draft.note.starts_with("draft: fuel by"));
    // The same name with other corrections is no second file of one revision.
    let again = cell.post("/sets/2/draft", &[("target", "0.90"), ("draft", "next fuel")]).await;
    assert_eq!(again.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(again.text().contains("give the draft another name"));
    // In the open forms it is the same map, and comes back into custody as such.
    for form in ["map", "json", "csv"] {
        let out = cell.get(&format!("/maps/{}/tables/{form}", draft.id)).await;
        assert_eq!(out.status, StatusCode::OK);
        let name = format!("as {form}");
        let file = format!("x.{form}");
        let back = cell.upload_with("/vehicles/1/maps", &[("name", &name)], &file, &out.body).await;
        assert_eq!(back.status, StatusCode::SEE_OTHER, "{}", back.text());
        let id = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.name == name).unwrap().id;
        let same = cell.get(&format!("/maps/{id}/against?other={}", draft.id)).await.text();
        assert!(same.contains("no table differs"), "{form}: {same}");
    }
    assert_eq!(cell.get(&format!("/maps/{}/tables/xls", draft.id)).await.status, StatusCode::NOT_FOUND);

    let blend = cell.get("/sets/2/fuel?target=0.80&blend=85").await.text();
    assert!(
        blend.contains("times the fuel: the highest duty") && blend.contains("it is this at most"),
        "{blend}"
    );
    let odd = cell.get("/sets/2/fuel?target=0.80&blend=0.85").await;
    assert_eq!(odd.status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_fuel_of_another_kind_is_read_on_its_own_scale_and_asked_for_by_its_name() {
    let cell = Cell::with_demo().await;
    let race = cell.store.put_fuel("Race spirit", None).await.unwrap();
    let at = format!("/fuels/{race}/edit");
    let edit = async |changes: &[(&str, &str)]| {
        let seen = crate::right::seen(&cell.get(&at).await.text());
        let mut all = vec![("name", "Race spirit"), ("seen", seen.as_str()), ("why", "")];
        all.extend(changes);
        cell.post(&at, &all).await
    };
    let wrong = edit(&[("kind", "methanol"), ("density_kg_l", "792")]).await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(wrong.text().contains("density"), "{}", wrong.text());
    let both = edit(&[("kind", "methanol"), ("ethanol", "20")]).await;
    assert!(both.text().contains("leave it blank"), "{}", both.text());
    assert!(edit(&[("kind", "snow")]).await.text().contains("choose what it is made from"));
    assert_eq!(edit(&[("kind", "methanol"), ("density_kg_l", "0.80")]).await.status, StatusCode::SEE_OTHER);
    let page = cell.get("/fuels").await.text();
    assert!(page.contains("methanol · 0.8 kg/L"), "{page}");
    assert!(!cell.get("/blend").await.text().contains("Race spirit"), "it is blended by no ethanol");

    // What it takes of the injectors: by its own ratio, with the density that was typed.
    let set = cell.store.set(2).await.unwrap();
    let own = cell.store.vehicle(1).await.unwrap().vehicle.engine.burns(&set.fuel).unwrap();
    let ratio = own.stoich_afr * own.density_kg_l / (6.46 * 0.80);
    let said = cell.get("/sets/2/fuel?target=0.80&blend=race+spirit").await.text();
    assert!(
        said.contains(&format!("to Race spirit, at the same air and λ, it takes {ratio:.3} times the fuel")),
        "{said}"
    );
    let nobody = cell.store.put_fuel("Somebody's can", None).await.unwrap();
    let said = cell.get("/sets/2/fuel?target=0.80&blend=Somebody%27s+can").await.text();
    assert!(nobody > race && said.contains("nobody said how much ethanol"), "{said}");
}
