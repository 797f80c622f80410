//! A shop in one file: taken out, read back, and refused where it is not whole.

mod threads;

use crate::common::{Cell, by};
use axum::http::StatusCode;
use jamjar_store::{FuelRecord, Store, Subject};
use std::collections::BTreeSet;
use std::io::{Cursor, Read, Write};
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

/// Every figure of every pull of a shop, day by day, as JSON; ids left out.
async fn figures(cell: &Cell) -> Vec<String> {
    let mut out = Vec::new();
    for day in cell.store.day_ids().await.unwrap() {
        let vehicle = cell.store.vehicle(cell.store.day(day).await.unwrap().vehicle_id).await.unwrap();
        for set in jamjar_workflow::sets::day_sets(&cell.store, day, &vehicle).await.unwrap() {
            out.push(format!("{} {} {:?}", vehicle.vehicle.name, set.set.date, set.set.config));
            out.extend(set.pulls.iter().map(|(p, s)| {
                format!(
                    "{:?} {:?} {}",
                    p.note,
                    p.excluded_reason,
                    serde_json::to_string(&s.measured).unwrap()
                )
            }));
        }
    }
    out
}

/// Hashes of all files in custody.
async fn hashes(cell: &Cell) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for id in cell.store.file_ids().await.unwrap() {
        out.insert(cell.store.file(id).await.unwrap().sha256);
    }
    out
}

/// The archive with one of its entries changed, or left out.
fn changed(archive: &[u8], name: &str, to: Option<&dyn Fn(Vec<u8>) -> Vec<u8>>) -> Vec<u8> {
    let (mut from, mut out) =
        (ZipArchive::new(Cursor::new(archive)).unwrap(), ZipWriter::new(Cursor::new(Vec::new())));
    for i in 0..from.len() {
        let mut entry = from.by_index(i).unwrap();
        let (own, mut bytes) = (entry.name().unwrap().into_owned(), Vec::new());
        entry.read_to_end(&mut bytes).unwrap();
        let bytes = match to {
            Some(to) if own.starts_with(name) => to(bytes),
            None if own.starts_with(name) => continue,
            _ => bytes,
        };
        let plain = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
        out.start_file(own, plain).unwrap();
        out.write_all(&bytes).unwrap();
    }
    out.finish().unwrap().into_inner()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_shop_read_back_has_the_same_figures_to_the_last_digit() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.sets_of_day(1).await.unwrap();
    let (a, b) = (&sets[0], &sets[1]);
    let pull = &a.pulls[1].0;
    cell.store.exclude_pull(pull.id, Some("coughed"), "the calibrator").await.unwrap();
    cell.store.note_pull(pull.id, "smoke at tip-in", None, &by()).await.unwrap();
    let named = [
        ("vehicle_id", "1".to_owned()),
        ("name", "evening".to_owned()),
        ("query", format!("sets={},{}", b.set.id, a.set.id)),
    ];
    let named: Vec<(&str, &str)> = named.iter().map(|(k, v)| (*k, v.as_str())).collect();
    cell.post("/line-ups", &named).await;
    cell.store.archive(&[Subject::Set(sets[2].set.id)], &by()).await.unwrap();
    let ways =
        jamjar_store::Ways { currency: "crowns".into(), units: "power:ps".into(), ..Default::default() };
    cell.store.set_ways(&ways).await.unwrap();
    let typed = [("hours".to_owned(), "3.5".to_owned())].into();
    cell.store.keep_plan(1, Some(&typed), "the calibrator").await.unwrap();
    let archive = cell.get("/archive.zip").await;
    assert_eq!(archive.status, StatusCode::OK);
    let mut zip = ZipArchive::new(Cursor::new(archive.body.clone())).unwrap();
    assert_eq!(zip.by_index(0).unwrap().name().unwrap(), "jamjar-archive.json", "what it is stands first");
    let empty = Cell::start("empty").await;
    let back = empty.upload("/archive", "archive", &[("shop.zip", &archive.body)]).await;
    assert_eq!(back.status, StatusCode::SEE_OTHER, "{}", back.text());
    let (before, after) = (figures(&cell).await, figures(&empty).await);
    assert!(before.len() > 100 && before.len() == after.len(), "{} {}", before.len(), after.len());
    for (x, y) in before.iter().zip(&after) {
        assert_eq!(x, y);
    }
    // What stands beside the figures came along.
    let pulls: Vec<_> = empty.store.sets_of_day(1).await.unwrap();
    let trail = empty.store.trail(Subject::Pull(pulls[0].pulls[1].0.id)).await.unwrap();
    assert!(
        trail.iter().any(|t| t.new_value == "coughed")
            && trail.iter().any(|t| t.new_value == "smoke at tip-in")
    );
    assert_eq!(pulls.len(), sets.len() - 1, "what was archived is archived");
    let plan = empty.store.kept_plan(1).await.unwrap();
    assert_eq!(plan, cell.store.kept_plan(1).await.unwrap(), "a kept plan came with its day");
    assert_eq!(plan.unwrap().fields, typed);
    assert_eq!(empty.store.ways().await.unwrap(), ways, "the shop reads in its own units");
    let said = |store: &Store, v| {
        let store = store.clone();
        async move {
            let flashed: Vec<_> =
                store.flashes(v).await.unwrap().into_iter().map(|f| (f.map, f.on, f.at)).collect();
            let poured: Vec<_> =
                store.poured(v).await.unwrap().into_iter().map(|p| (p.at, p.batch, p.litres)).collect();
            (flashed, poured, store.batches().await.unwrap().len(), store.fuel_records().await.unwrap())
        }
    };
    let (there, here) = (said(&cell.store, 1).await, said(&empty.store, 1).await);
    assert!(
        !there.0.is_empty() && !there.1.is_empty() && there.2 > 0,
        "the demo has flashes, fills and a delivery"
    );
    assert_eq!((there.0, there.1, there.2), (here.0, here.1, here.2));
    let facts = |all: Vec<FuelRecord>| all.into_iter().map(|f| f.said).collect::<Vec<_>>();
    assert_eq!(facts(there.3), facts(here.3));
    assert!(empty.get("/days/1/edit").await.text().contains("Archived here"));
    assert_eq!(hashes(&cell).await, hashes(&empty).await, "every file is in custody there");
    let verified = jamjar_workflow::verify::verify(&empty.store).await.unwrap();
    assert!(verified.is_whole(), "{}", verified.words());
    // Once more is refused, and nothing is stored twice.
    let again = empty.upload("/archive", "archive", &[("shop.zip", &archive.body)]).await;
    assert!(again.text().contains("is here already"), "{}", again.text());
    assert_eq!(figures(&empty).await.len(), after.len());
}

#[tokio::test(flavor = "multi_thread")]
async fn an_archive_that_is_not_whole_is_refused_with_words_and_nothing_is_stored() {
    let cell = Cell::with_demo().await;
    let vehicle = cell.store.vehicles().await.unwrap()[0].id;
    let archive = cell.get(&format!("/archive.zip?vehicle={vehicle}")).await.body;
    assert_eq!(cell.get("/archive.zip?vehicle=9999").await.status, StatusCode::NOT_FOUND);
    let empty = Cell::start("refused").await;
    let flip = |mut b: Vec<u8>| {
        let at = b.len() / 2;
        b[at] ^= 1;
        b
    };
    let newer = |_: Vec<u8>| br#"{"jamjar_archive": 2}"#.to_vec();
    let torn =
        |b: Vec<u8>| String::from_utf8(b).unwrap().replacen("\"set_id\":", "\"set_id\":9", 1).into_bytes();
    for (bytes, says) in [
        (archive[..archive.len() * 2 / 3].to_vec(), "cut short or damaged"),
        (b"not an archive".to_vec(), "cut short or damaged"),
        (changed(&archive, "jamjar-archive.json", None), "not an archive of Jamjar"),
        (changed(&archive, "jamjar-archive.json", Some(&newer)), "read it with a newer Jamjar"),
        (changed(&archive, "files/", Some(&flip)), "is not what its hash says"),
        (changed(&archive, "samples/", None), "are missing"),
        (changed(&archive, "samples/", Some(&flip)), "samples of pull"),
        (changed(&archive, "record.json", Some(&torn)), "points at set"),
        (changed(&archive, "record.json", Some(&|_| b"{".to_vec())), "cut short or damaged"),
    ] {
        let refused = empty.upload("/archive", "archive", &[("shop.zip", &bytes)]).await;
        assert!(refused.status.is_client_error(), "{} {}", refused.status, refused.text());
        assert!(refused.text().contains(says), "{says}: {}", refused.text());
        assert!(
            empty.store.vehicles().await.unwrap().is_empty()
                && empty.store.day_ids().await.unwrap().is_empty()
        );
    }
    let back = empty.upload("/archive", "archive", &[("one.zip", &archive)]).await;
    assert_eq!(back.status, StatusCode::SEE_OTHER, "the whole one is read: {}", back.text());
    assert_eq!(empty.store.vehicles().await.unwrap().len(), 1);
}
