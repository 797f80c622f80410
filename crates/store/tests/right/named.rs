//! What names something by its name follows it, and what two doubled things hold is in the one that is left.

use super::{by, shop};
use crate::shop::{commit, new_day, new_vehicle, slip};
use chrono::{NaiveDate, NaiveTime};
use jamjar_core::factors::Factors;
use jamjar_core::limits::Limit;
use jamjar_store::{
    Attached, Configuration, Contact, FuelWords, LadderWord, MapWords, NewAttachment, NewFlash, NewMap,
    RunsNow, SlipRecord, Store, Subject,
};
use std::io::Cursor;

fn limit(id: &str, factor: &str, value: &str) -> Limit {
    serde_json::from_value(serde_json::json!({
        "id": id, "channel": "lambda_1", "direction": "above", "threshold": 0.9, "applies_to": {factor: [value]}
    }))
    .unwrap()
}

fn map(name: &str, parent: Option<&str>) -> NewMap {
    NewMap {
        name: name.into(),
        kind: "custom".into(),
        parent: parent.map(str::to_owned),
        for_fuel: Some("RON 95 E5".into()),
        note: String::new(),
        file_name: format!("{name}.map"),
    }
}

fn factors(c: &Configuration) -> Factors {
    c.factors()
}

/// A stop, a slip, a limit for each of map, fuel and build, a set that is planned and one that runs.
async fn say_everything(store: &Store, vehicle: i64, day: i64, c: &Configuration) {
    let word = LadderWord {
        kind: "stop".into(),
        map: c.map.clone(),
        fuel: c.fuel.clone(),
        build: c.build.clone(),
        at_rung: "150 kPa".into(),
        reason: "head studs".into(),
        ..LadderWord::now()
    };
    store.say_of_ladder(vehicle, &word).await.unwrap();
    let slip = SlipRecord { map: c.map.clone(), fuel: c.fuel.clone(), ..slip(Some(12.9), 3) };
    store.add_slip(vehicle, &slip, &by("")).await.unwrap();
    let limits = [
        limit("of map", "map", &c.map),
        limit("of fuel", "fuel", &c.fuel),
        limit("of build", "build", &c.build),
    ];
    store.change_limits(vehicle, None, &limits, &[], &by("")).await.unwrap();
    store.plan(vehicle, &factors(c), 3, "at 140 kPa").await.unwrap();
    store.run_now(day, Some(RunsNow::New(c.clone()))).await.unwrap();
}

/// Everything that was said is said of a configuration now.
async fn all_say(store: &Store, vehicle: i64, day: i64, c: &Configuration) {
    let word = store.ladder_words(vehicle).await.unwrap().remove(0);
    assert_eq!(
        (word.map.as_str(), word.fuel.as_str(), word.build.as_str()),
        (c.map.as_str(), c.fuel.as_str(), c.build.as_str()),
        "a ladder that was stopped stays stopped"
    );
    let slip = store.slips(vehicle).await.unwrap().remove(0);
    assert_eq!((slip.map.as_str(), slip.fuel.as_str()), (c.map.as_str(), c.fuel.as_str()));
    for l in store.vehicle(vehicle).await.unwrap().limits {
        assert!(l.applies(&factors(c)), "{} judges nothing any more: {:?}", l.id, l.applies_to);
    }
    assert_eq!(store.planned(vehicle).await.unwrap()[0].factors, factors(c));
    let runs = store.running(day).await.unwrap().unwrap().config;
    assert_eq!((&runs.map, &runs.fuel, &runs.build), (&c.map, &c.fuel, &c.build));
}

#[tokio::test(flavor = "multi_thread")]
async fn limits_stops_slips_and_plans_follow_a_name() {
    let (_server, store, day, sets) = shop().await;
    let vehicle = store.day(day).await.unwrap().vehicle_id;
    let mut c = store.set(sets[0]).await.unwrap().config;
    c.note = String::new();
    let id = store.put_map(vehicle, &map("C4", Some("C3")), Cursor::new(b"four")).await.unwrap();
    say_everything(&store, vehicle, day, &c).await;
    all_say(&store, vehicle, day, &c).await;

    let c3 = store.maps(vehicle).await.unwrap().into_iter().find(|m| m.name == "C3").unwrap().id;
    let was = store.map_words(c3).await.unwrap();
    store.edit_map(c3, &was, &MapWords { name: "C3 final".into(), ..was.clone() }, &by("")).await.unwrap();
    c.map = "C3 final".into();
    all_say(&store, vehicle, day, &c).await;
    assert_eq!(
        store.map_words(id).await.unwrap().parent.as_deref(),
        Some("C3 final"),
        "and its child knows it"
    );

    let fuel = store.fuels().await.unwrap().into_iter().find(|f| f.1 == "RON 95 E5").unwrap().0;
    let was = store.fuel_words(fuel).await.unwrap();
    store
        .edit_fuel(fuel, &was, &FuelWords { name: "95 of the corner".into(), ..was.clone() }, &by(""))
        .await
        .unwrap();
    c.fuel = "95 of the corner".into();
    all_say(&store, vehicle, day, &c).await;
    assert_eq!(store.map_words(id).await.unwrap().for_fuel, Some(c.fuel.clone()));

    let build = store.builds(vehicle).await.unwrap()[0].id;
    let was = store.build_words(build).await.unwrap();
    let long = "a".repeat(80);
    let now = jamjar_store::BuildWords { name: long.clone(), note: "another turbo".into(), ..was.clone() };
    store.edit_build(build, &was, &now, &by("")).await.unwrap();
    let again = jamjar_store::BuildWords { note: "the old one".into(), ..now.clone() };
    store.edit_build(build, &now, &again, &by("a name of 80 letters is no fault")).await.unwrap();
    c.build = long;
    all_say(&store, vehicle, day, &c).await;
    let trail = store.trail(Subject::Vehicle(vehicle)).await.unwrap();
    let of = |f: &str| trail.iter().filter(|t| t.field == f).map(|t| t.new_value.clone()).collect::<Vec<_>>();
    assert_eq!(of("limit of fuel, for fuel"), ["95 of the corner"]);
    assert_eq!(of("limit of map, for map"), ["C3 final"]);
}

#[tokio::test(flavor = "multi_thread")]
async fn of_two_maps_made_one_nothing_is_left_behind() {
    let (_server, store, day, sets) = shop().await;
    let vehicle = store.day(day).await.unwrap().vehicle_id;
    let was = store.set(sets[0]).await.unwrap().config;
    let typed = Configuration { map: "c3".into(), ..was.clone() };
    store.edit_set(sets[0], &was, &typed, &by("")).await.unwrap();
    say_everything(&store, vehicle, day, &typed).await;
    let id = async |name: &str| {
        store.maps(vehicle).await.unwrap().into_iter().find(|m| m.name == name).unwrap().id
    };
    let child = store.put_map(vehicle, &map("C4", Some("c3")), Cursor::new(b"four")).await.unwrap();
    let (double, right) = (id("c3").await, id("C3").await);
    // The double serves another vehicle, which pulls with it.
    let other = store.add_vehicle(&new_vehicle("Marrow 48")).await.unwrap();
    store.lend_map(double, other, &by("")).await.unwrap();
    let date = NaiveDate::from_ymd_opt(2026, 3, 5).unwrap();
    store
        .add_flash(
            other,
            &NewFlash { map_id: double, on: date, at: NaiveTime::from_hms_opt(9, 0, 0), note: String::new() },
            &by(""),
        )
        .await
        .unwrap();
    store.merge_maps(double, right, &by("one map")).await.unwrap();
    all_say(&store, vehicle, day, &was).await;
    assert_eq!(store.map_words(child).await.unwrap().parent.as_deref(), Some("C3"));
    assert_eq!(store.vehicles_of_revision(right).await.unwrap(), [vehicle, other], "it serves both");
    assert_eq!(store.flashes(other).await.unwrap()[0].map, "C3");

    // One that was made from its own double is made from what that was made from.
    let base = store.put_map(vehicle, &map("C8", Some("C4")), Cursor::new(b"8")).await.unwrap();
    let own = store.put_map(vehicle, &map("C8 again", Some("C8")), Cursor::new(b"8")).await.unwrap();
    store.merge_maps(base, own, &by("")).await.unwrap();
    assert_eq!(
        store.map_words(own).await.unwrap().parent.as_deref(),
        Some("C4"),
        "no map descends from itself"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn of_two_fuels_made_one_each_says_what_the_other_leaves_open_and_no_limit_goes_blind() {
    let (_server, store, day, sets) = shop().await;
    let vehicle = store.day(day).await.unwrap().vehicle_id;
    let was = store.set(sets[0]).await.unwrap().config;
    let typed = Configuration { fuel: "95 e5".into(), ..was.clone() };
    store.edit_set(sets[0], &was, &typed, &by("")).await.unwrap();
    say_everything(&store, vehicle, day, &typed).await;
    let id = async |name: &str| store.fuels().await.unwrap().into_iter().find(|f| f.1 == name).unwrap().0;
    let (double, right) = (id("95 e5").await, id("RON 95 E5").await);
    let say = async |id: i64, change: &dyn Fn(&mut FuelWords)| {
        let was = store.fuel_words(id).await.unwrap();
        let mut now = was.clone();
        change(&mut now);
        store.edit_fuel(id, &was, &now, &by("")).await.unwrap();
    };
    say(double, &|f| {
        (f.octane, f.octane_scale, f.price) = (Some(95.0), "RON".into(), Some(1.7));
        f.kind = "gasoline".into();
        f.density_kg_l = Some(0.744);
    })
    .await;
    for (change, words) in [
        (
            (&|f: &mut FuelWords| f.kind = "diesel".into()) as &dyn Fn(&mut FuelWords),
            "is made from gasoline and RON 95 E5 diesel",
        ),
        (
            &|f: &mut FuelWords| (f.kind, f.density_kg_l) = (String::new(), Some(0.73)),
            "density 0.744 kg/L and RON 95 E5 0.73 kg/L",
        ),
        (&|f: &mut FuelWords| (f.density_kg_l, f.octane) = (None, Some(98.0)), "octane 95 and RON 95 E5 98"),
        (
            &|f: &mut FuelWords| (f.octane, f.octane_scale) = (Some(95.0), "AKI".into()),
            "octane by RON and RON 95 E5 AKI",
        ),
    ] {
        say(right, change).await;
        let refused = store.merge_fuels(double, right, &by("")).await.unwrap_err().to_string();
        assert!(refused.contains(words), "{refused}");
        assert_eq!(store.set(sets[0]).await.unwrap().config.fuel, "95 e5", "and nothing is half done");
    }
    say(right, &|f| (f.octane, f.octane_scale, f.lhv_mj_kg) = (None, String::new(), Some(42.1))).await;
    store.merge_fuels(double, right, &by("one pump")).await.unwrap();
    let one = store.fuel_words(right).await.unwrap();
    assert_eq!((one.name.as_str(), one.octane, one.octane_scale.as_str()), ("RON 95 E5", Some(95.0), "RON"));
    assert_eq!((one.price, one.kind.as_str(), one.density_kg_l), (Some(1.7), "gasoline", Some(0.744)));
    assert_eq!(one.lhv_mj_kg, Some(42.1));
    all_say(&store, vehicle, day, &was).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn of_two_vehicles_made_one_no_file_no_limit_and_no_word_stays_behind() {
    let (_server, store, day, sets) = shop().await;
    let double = store.day(day).await.unwrap().vehicle_id;
    let right = store.add_vehicle(&new_vehicle("Tolvern T3, silver")).await.unwrap();
    let mut c = store.set(sets[0]).await.unwrap().config;
    c.note = String::new();
    say_everything(&store, double, day, &c).await;
    store.put_map(double, &map("C3", None), Cursor::new(b"three")).await.unwrap();
    store.put_map(double, &map("C4", Some("C3")), Cursor::new(b"four")).await.unwrap();
    store.put_map(right, &map("C3", None), Cursor::new(b"another three")).await.unwrap();
    store
        .set_contact(double, &Contact { name: "the owner".into(), ..Contact::default() }, &by(""))
        .await
        .unwrap();
    let photo = NewAttachment {
        name: "bay.png".into(),
        media: "image/png".into(),
        by: "the calibrator".into(),
        bytes: vec![1; 9],
    };
    store.attach(Attached::Vehicle(double), &photo).await.unwrap();
    let refused = store.merge_vehicles(double, right, &by("")).await.unwrap_err().to_string();
    assert!(refused.contains("C3 with different files"), "{refused}");
    assert_eq!(store.days_of_vehicle(double, 9).await.unwrap().len(), 1, "and nothing is half done");

    let theirs = store.maps(right).await.unwrap().remove(0).id;
    let was = store.map_words(theirs).await.unwrap();
    store
        .edit_map(theirs, &was, &MapWords { name: "C3 of last year".into(), ..was.clone() }, &by(""))
        .await
        .unwrap();
    // The other knows a map of that name without its file.
    let other_day = store.add_day(&new_day(right, "cell 1", 7)).await.unwrap();
    let file = crate::file(&store, 3).await;
    commit(&store, other_day, &[crate::shop::new_set(file, 1)], &[], None).await.unwrap();
    store.change_limits(right, None, &[limit("of fuel", "fuel", "E85")], &[], &by("")).await.unwrap();

    store.merge_vehicles(double, right, &by("one car")).await.unwrap();
    let mut maps: Vec<(String, bool)> =
        store.maps(right).await.unwrap().into_iter().map(|m| (m.name, m.file.is_some())).collect();
    maps.sort();
    let held = [("C3", true), ("C3 of last year", true), ("C4", true)].map(|(n, f)| (n.to_owned(), f));
    assert_eq!(maps, held, "each with its file");
    let limits: Vec<String> = store.vehicle(right).await.unwrap().limits.into_iter().map(|l| l.id).collect();
    assert_eq!(limits, ["of fuel", "of map", "of build"], "those it lacked judge its pulls now");
    assert_eq!(store.contact(right).await.unwrap().name, "the owner");
    assert_eq!(store.attached(Attached::Vehicle(right)).await.unwrap().len(), 1);
    assert_eq!(store.ladder_words(right).await.unwrap().len(), 1);
    assert_eq!(store.slips(right).await.unwrap().len(), 1);
    assert_eq!(store.days_of_vehicle(right, 9).await.unwrap().len(), 2);
    for set in store.sets_of_day(day).await.unwrap() {
        assert_eq!((set.set.vehicle_id, set.set.config.map.as_str()), (right, "C3"));
    }
    assert!(store.is_archived(Subject::Vehicle(double)).await.unwrap());
}
