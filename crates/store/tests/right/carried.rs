//! A shop taken out and put back is the same shop, whatever was said of it; rows that do not hold together are refused
//! and leave nothing.

use super::erased::{pointing_nowhere, say_everything};
use super::{by, shop};
use jamjar_store::{Configuration, PackedSummary, Shop, Store, StoreError, Subject, To};
use serde_json::Value;
use std::collections::HashMap;

/// Everything an archive carries of a vehicle beside its rows.
struct Taken {
    shop: Shop,
    summaries: HashMap<i64, PackedSummary>,
    blocks: HashMap<i64, Vec<u8>>,
}

impl Taken {
    async fn of(store: &Store, vehicle: i64, summaries: HashMap<i64, PackedSummary>) -> Self {
        let shop = store.take_out(&[vehicle]).await.unwrap();
        let pulls: Vec<i64> = shop.pulls.iter().filter_map(|p| p.id).collect();
        let blocks = store.blocks(&pulls).await.unwrap();
        Self { shop, summaries, blocks }
    }

    /// Puts it back where its files are in custody.
    async fn put_back(&self, store: &Store, shop: &Shop) -> Result<Vec<i64>, StoreError> {
        let mut files = HashMap::new();
        for f in &shop.files {
            let here = store.files_called(std::slice::from_ref(&f.sha256)).await?;
            files.insert(f.id, here[&f.sha256]);
        }
        let blocks = self.blocks.clone();
        let block = move |pull: i64| Ok(blocks[&pull].clone());
        store.put_back(shop, &files, &self.summaries, &block).await
    }
}

/// Rows without their ids, which are given anew, each list in an order of its own.
fn said(v: &Value) -> Value {
    match v {
        Value::Object(o) => {
            let is_id =
                |k: &str| k == "id" || k.ends_with("_id") || k == "thing" || k == "asked" || k == "query";
            o.iter().filter(|(k, _)| !is_id(k)).map(|(k, v)| (k.clone(), said(v))).collect()
        }
        Value::Array(a) => {
            let mut all: Vec<Value> = a.iter().map(said).collect();
            all.sort_by_key(Value::to_string);
            Value::Array(all)
        }
        other => other.clone(),
    }
}

/// What was measured of the pulls of a day, archived ones too.
async fn summaries(store: &Store, day: i64) -> HashMap<i64, PackedSummary> {
    let sets = store.sets_of_day(day).await.unwrap();
    sets.iter().flat_map(|s| &s.pulls).map(|(p, s)| (p.id, s.pack().unwrap())).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_shop_that_was_put_right_in_every_way_comes_back_as_it_was() {
    let (server, store, day, sets) = shop().await;
    let vehicle = store.day(day).await.unwrap().vehicle_id;
    let all = summaries(&store, day).await;
    say_everything(&store, vehicle, day).await;
    let was = store.set(sets[0]).await.unwrap().config;
    let now =
        Configuration { fuel: "E85".into(), extras: [("switch".into(), "2".into())].into(), ..was.clone() };
    store.edit_set(sets[0], &was, &now, &by("the wrong label")).await.unwrap();
    let pulls: Vec<i64> = store.sets_of_day(day).await.unwrap()[0].pulls.iter().map(|p| p.0.id).collect();
    store.move_pulls(sets[0], &pulls[..1], To::Own, &by("")).await.unwrap();
    store.archive(&[Subject::Pull(pulls[1])], &by("a cough")).await.unwrap();
    store.mark_set(sets[1], Some("strap slipped"), "the calibrator").await.unwrap();
    let before = Taken::of(&store, vehicle, all).await;
    // Files of what is erased go with it: they come back from the archive first.
    let mut bytes = Vec::new();
    for f in &before.shop.files {
        bytes.push((f.name.clone(), store.file_bytes(f.id).await.unwrap()));
    }
    store.erase_vehicle(vehicle).await.unwrap();
    for (name, bytes) in bytes {
        store.receive_file(&name, std::io::Cursor::new(bytes)).await.unwrap();
    }
    let back = before.put_back(&store, &before.shop).await.unwrap();
    assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());
    let after = store.take_out(&back).await.unwrap();
    let (x, y) = (serde_json::to_value(&before.shop).unwrap(), serde_json::to_value(&after).unwrap());
    for (part, rows) in x.as_object().unwrap() {
        assert_eq!(said(rows), said(&y[part]), "{part}");
    }
    let filled =
        x.as_object().unwrap().values().filter(|v| v.as_array().is_some_and(|a| !a.is_empty())).count();
    assert!(filled > 22, "nearly every kind of row was there to be lost: {filled}");
    // What it looks like is the same too: places, what counts, what is put away.
    let new_day = store.days_of_vehicle(back[0], 9).await.unwrap()[0].id;
    let seen = store.sets_of_day(new_day).await.unwrap();
    assert_eq!(seen.iter().map(|s| s.pulls.len()).collect::<Vec<_>>(), [1, 1, 2]);
    assert_eq!(seen[0].pulls[0].1.measured.id, "p2", "a pull that was put away keeps its place");
    assert_eq!(seen[2].set.invalid.as_deref(), Some("strap slipped"));
    // Once more under another name it would be the same things twice.
    let again = before.put_back(&store, &before.shop).await;
    assert!(again.is_err(), "{again:?}");
    assert_eq!(store.vehicle_names().await.unwrap().len(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn rows_that_point_nowhere_are_refused_and_leave_nothing() {
    let (server, store, day, _) = shop().await;
    let vehicle = store.day(day).await.unwrap().vehicle_id;
    let all = summaries(&store, day).await;
    say_everything(&store, vehicle, day).await;
    let taken = Taken::of(&store, vehicle, all).await;
    store.erase_vehicle(vehicle).await.unwrap();
    for f in &taken.shop.files {
        // Any bytes do: what is in them is not looked at here, and their hash is what names them.
        let received =
            store.receive_file(&f.name, std::io::Cursor::new(f.name.clone().into_bytes())).await.unwrap();
        assert!(received.id > 0);
    }
    type Breaks = fn(&mut Shop);
    let broken: [(&str, Breaks); 6] = [
        ("map", |s| s.maps.retain(|m| m.name != "C3")),
        ("fuel", |s| s.fuels.clear()),
        ("day", |s| s.days.clear()),
        ("set", |s| s.sets.clear()),
        ("build", |s| s.builds.clear()),
        ("pull", |s| s.pulls.truncate(1)),
    ];
    for (what, breaks) in broken {
        let mut shop = taken.shop.clone();
        shop.files.clear();
        for m in &mut shop.maps {
            m.file_id = None;
        }
        shop.attachments.clear();
        shop.waiting.clear();
        breaks(&mut shop);
        let refused = taken.put_back(&store, &shop).await;
        assert!(refused.is_err(), "without its {what} it is not whole: {refused:?}");
        assert!(store.vehicle_names().await.unwrap().is_empty(), "{what}: something was stored");
        assert_eq!(pointing_nowhere(&server).await, Vec::<String>::new());
    }
}
