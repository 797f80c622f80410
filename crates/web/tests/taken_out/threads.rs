//! Work at a distance: a thread goes to another shop and back, and nothing comes in twice.

use super::changed;
use crate::common::Cell;
use axum::http::StatusCode;
use std::io::Cursor;

async fn map_of(cell: &Cell, name: &str) -> i64 {
    cell.store.maps(1).await.unwrap().into_iter().find(|m| m.name == name).unwrap().id
}

#[tokio::test(flavor = "multi_thread")]
async fn a_thread_goes_out_and_comes_back_with_revisions_recordings_and_remarks() {
    let (shop, afar) = (Cell::with_demo().await, Cell::start("afar").await);
    assert!(shop.get("/vehicles/1").await.text().contains("/threads?vehicle=1\""), "the way there");
    assert!(shop.get("/threads?vehicle=1").await.text().contains("Begin a thread"));
    let begun = shop.post("/threads", &[("vehicle", "1"), ("title", "Knock on the hill")]).await;
    assert_eq!(begun.status, StatusCode::SEE_OTHER);
    let at = begun.location();
    let step = async |form: &[(&str, &str)]| shop.post(&format!("{at}/step"), form).await;

    // A revision goes out with its file, held against the one it was made from.
    let c2 = map_of(&shop, "C2").await.to_string();
    let sent = step(&[
        ("kind", "revision"),
        ("map", c2.as_str()),
        ("words", "Pull it on E30, look at the third cylinder."),
    ])
    .await;
    assert_eq!(sent.status, StatusCode::SEE_OTHER, "{}", sent.text());
    let page = shop.get(&at).await.text();
    assert!(page.contains("C2 goes out") && page.contains("look at the third cylinder"), "{page}");
    assert!(page.contains(" over C1 (") || page.contains("C1 and this were never pulled alike"), "{page}");
    let set =
        shop.store.sets_of_day(1).await.unwrap().into_iter().find(|s| s.set.config.map == "C1").unwrap();
    let (set_id, pull) = (set.set.id.to_string(), set.pulls[0].0.id);
    step(&[("kind", "recordings"), ("set", set_id.as_str()), ("words", "Hot, 24 °C.")]).await;
    let on_pull = format!("/pulls/{pull}/remark");
    let thread = at.rsplit('/').next().unwrap().to_owned();
    let remark = [
        ("thread", thread.as_str()),
        ("channel", "knock_retard_1"),
        ("at", "2,5"),
        ("words", "Here it knocks."),
    ];
    assert_eq!(shop.post(&on_pull, &remark).await.location(), format!("/pulls/{pull}#remarks"));
    let page = shop.get(&format!("/pulls/{pull}?axis=time")).await.text();
    assert!(page.contains("Here it knocks.") && page.contains("2.5 s after tip-in"), "{page}");
    assert!(page.contains("remark 1"), "it stands on the lanes");
    let page = shop.get(&at).await.text();
    assert!(
        page.contains("2.5 s after tip-in") && page.contains(&format!("/pulls/{pull}?axis=time")),
        "{page}"
    );
    let nothing = step(&[("kind", "word"), ("words", " ")]).await;
    assert!(nothing.status == StatusCode::BAD_REQUEST && nothing.text().contains("say something first"));

    // Elsewhere: the vehicle is made, the file is in custody, the recordings wait to be taken in.
    let file = shop.get(&format!("{at}/thread.zip")).await;
    assert_eq!(file.status, StatusCode::OK);
    let came = afar.upload("/threads/arrived", "file", &[("thread.zip", &file.body)]).await;
    assert_eq!(came.status, StatusCode::SEE_OTHER, "{}", came.text());
    let there = came.location();
    let page = afar.get(&there).await.text();
    assert!(
        page.contains("Here it knocks.") && page.contains("C2 goes out") && page.contains("Hot, 24 °C."),
        "{page}"
    );
    assert!(page.contains("recordings in on a day sheet"), "{page}");
    let maps = afar.store.maps(1).await.unwrap();
    let (own, sent) = (maps.iter().find(|m| m.name == "C2").unwrap(), shop.store.maps(1).await.unwrap());
    let sent = sent.iter().find(|m| m.name == "C2").unwrap();
    assert_eq!(own.file.as_ref().unwrap().sha256, sent.file.as_ref().unwrap().sha256);
    let steps = afar.store.thread(1).await.unwrap().1;
    let back = steps.iter().find(|s| s.words == "Hot, 24 °C.").unwrap();
    let day = afar.post(&format!("{there}/steps/{}/take-in", back.id), &[]).await;
    assert_eq!(day.status, StatusCode::SEE_OTHER, "{}", day.text());
    let inbox = afar.get(&day.location()).await.text();
    let name = shop.store.file(set.pulls[0].0.dyno_file_id).await.unwrap().name;
    assert!(inbox.contains(&name), "{name} waits on its day: {inbox}");

    // An answer comes back; what was here stays as it is, and the same file again brings nothing.
    afar.post(&format!("{there}/step"), &[("kind", "word"), ("words", "Two degrees less from 5000.")]).await;
    let answer = afar.get(&format!("{there}/thread.zip")).await.body;
    for _ in 0..2 {
        let home = shop.upload("/threads/arrived", "file", &[("thread.zip", &answer)]).await;
        assert_eq!(home.location(), at);
        assert_eq!(shop.store.thread(thread.parse().unwrap()).await.unwrap().1.len(), 4);
    }
    assert!(shop.get(&at).await.text().contains("Two degrees less from 5000."));
    assert_eq!(shop.store.vehicles().await.unwrap().iter().filter(|v| v.id == 1).count(), 1);

    // A map of the same name that holds something else is not replaced.
    let other = Cell::start("other").await;
    other.upload("/threads/arrived", "file", &[("thread.zip", &file.body)]).await;
    let c9 = jamjar_store::NewMap {
        name: "C9".into(),
        kind: "custom".into(),
        parent: None,
        for_fuel: None,
        note: String::new(),
        file_name: "c9.map".into(),
    };
    for (cell, bytes) in [(&shop, b"one".as_slice()), (&other, b"two".as_slice())] {
        cell.store.put_map(1, &c9, Cursor::new(bytes.to_vec())).await.unwrap();
    }
    let c9 = map_of(&shop, "C9").await.to_string();
    step(&[("kind", "revision"), ("map", c9.as_str()), ("words", "")]).await;
    let newer = shop.get(&format!("{at}/thread.zip")).await.body;
    let refused = other.upload("/threads/arrived", "file", &[("thread.zip", &newer)]).await;
    assert!(
        refused.status == StatusCode::BAD_REQUEST
            && refused.text().contains("C9 is here already with another file")
    );
    assert_eq!(other.store.thread(1).await.unwrap().1.len(), 3, "and nothing of what it says was stored");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_thread_that_is_not_whole_is_refused_in_words() {
    let (shop, afar) = (Cell::with_demo().await, Cell::start("afar").await);
    let at = shop.post("/threads", &[("vehicle", "1"), ("title", "Short")]).await.location();
    let set = shop.store.sets_of_day(1).await.unwrap()[0].set.id.to_string();
    shop.post(&format!("{at}/step"), &[("kind", "recordings"), ("set", set.as_str()), ("words", "")]).await;
    let whole = shop.get(&format!("{at}/thread.zip")).await.body;
    let newer = |json: Vec<u8>| {
        String::from_utf8(json).unwrap().replace("\"jamjar_thread\": 1", "\"jamjar_thread\": 9").into_bytes()
    };
    let odd = |json: Vec<u8>| String::from_utf8(json).unwrap().replace("\"title\"", "\"titel\"").into_bytes();
    let broken = |mut bytes: Vec<u8>| {
        bytes[0] ^= 1;
        bytes
    };
    for (file, says) in [
        (b"nothing".to_vec(), "it is no zip archive"),
        (whole[..whole.len() / 2].to_vec(), "it is no zip archive"),
        (changed(&whole, "thread.json", None), "it has no thread.json"),
        (changed(&whole, "thread.json", Some(&newer)), "is of form 9"),
        (changed(&whole, "thread.json", Some(&odd)), "thread.json, line "),
        (changed(&whole, "files/", Some(&broken)), "is cut short or damaged"),
        (changed(&whole, "files/", None), "is cut short or damaged"),
    ] {
        let refused = afar.upload("/threads/arrived", "file", &[("thread.zip", &file)]).await;
        assert!(
            refused.status == StatusCode::BAD_REQUEST && refused.text().contains(says),
            "{says}: {}",
            refused.text()
        );
        assert!(
            afar.store.threads(None).await.unwrap().is_empty()
                && afar.store.vehicles().await.unwrap().is_empty()
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn whose_a_vehicle_is_stays_in_the_shop() {
    let cell = Cell::with_demo().await;
    let form = [("name", "the hill climber"), ("reached", "the farm behind the dyke"), ("note", "")];
    assert_eq!(cell.post("/vehicles/1/contact", &form).await.status, StatusCode::SEE_OTHER);
    assert!(cell.get("/vehicles/1").await.text().contains("the hill climber; the farm behind the dyke"));
    let trail = cell.store.trail(jamjar_store::Subject::Vehicle(1)).await.unwrap();
    assert!(
        trail.iter().any(|t| t.field == "customer" && t.new_value.contains("behind the dyke")),
        "{trail:?}"
    );
    let thread = cell.store.threads(Some(1)).await.unwrap()[0].id;
    let file = jamjar_workflow::thread_file::pack(&cell.store, thread).await.unwrap();
    let mut zip = zip::ZipArchive::new(Cursor::new(file)).unwrap();
    let record = std::io::read_to_string(zip.by_name("thread.json").unwrap()).unwrap();
    assert!(
        record.contains("Tolvern T3") && !record.contains("hill climber") && !record.contains("dyke"),
        "{record}"
    );
    // A whole shop takes it along, with what was signed and said.
    let empty = Cell::start("empty").await;
    let archive = cell.get("/archive.zip?vehicle=1").await.body;
    empty.upload("/archive", "archive", &[("shop.zip", &archive)]).await;
    assert_eq!(empty.store.contact(1).await.unwrap().name, "the hill climber");
    let said = |all: Vec<jamjar_store::SignOff>| {
        all.into_iter().map(|s| (s.map, s.fuel, s.answers, s.signed.map(|s| s.0))).collect::<Vec<_>>()
    };
    let (here, there) = (cell.store.sign_offs(1).await.unwrap(), empty.store.sign_offs(1).await.unwrap());
    assert!(!here.is_empty());
    assert_eq!(said(there), said(here));
    let (one, other) = (cell.store.thread(thread).await.unwrap().1, empty.store.thread(1).await.unwrap().1);
    let words = |s: &[jamjar_store::Step]| {
        s.iter().map(|s| (s.uid.clone(), s.words.clone(), s.map.clone().map(|m| m.1))).collect::<Vec<_>>()
    };
    assert_eq!(words(&other), words(&one));
    cell.post("/vehicles/1/contact", &[("name", " "), ("reached", ""), ("note", "")]).await;
    assert_eq!(cell.store.contact(1).await.unwrap(), jamjar_store::Contact::default());
}
