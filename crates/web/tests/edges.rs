//! Two people at one form, a disk that is full, and a file as large as they come.
#![allow(clippy::unwrap_used)]

mod common;

use axum::body::Body;
use axum::http::{Request, StatusCode};
use common::Cell;
use sha2::{Digest, Sha256};
use tower::ServiceExt;

/// The value of a hidden field of a page.
fn hidden(page: &str, name: &str) -> String {
    page.split(&format!("name=\"{name}\" value=\"")).nth(1).unwrap().split('"').next().unwrap().to_owned()
}

async fn a_day(cell: &Cell) -> String {
    let form = [
        ("name", "Saloon"),
        ("dyno", "hub"),
        ("date", "2026-11-26"),
        ("temperature", "20"),
        ("humidity", "50"),
        ("pressure", "1000"),
    ];
    cell.post("/days", &form).await.location()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_second_of_two_people_is_shown_what_the_first_one_wrote() {
    let cell = Cell::start("two").await;
    let day = a_day(&cell).await;
    let seen = hidden(&cell.get(&day).await.text(), "seen");
    let form = |note: &'static str| {
        [("temperature", "24"), ("humidity", "50"), ("pressure", "1001"), ("note", note)]
    };
    let with = |note, seen: &str| {
        form(note)
            .into_iter()
            .map(|(k, v)| (k.to_owned(), v.to_owned()))
            .chain([("seen".to_owned(), seen.to_owned())])
            .collect::<Vec<_>>()
    };
    let send = async |pairs: Vec<(String, String)>| {
        let borrowed: Vec<(&str, &str)> = pairs.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
        cell.post(&day, &borrowed).await
    };
    assert_eq!(send(with("the fan is weak", &seen)).await.status, 303);
    let second = send(with("the fan is loud", &seen)).await;
    assert_eq!(second.status, 409);
    assert!(
        second.text().contains("Somebody was faster")
            && second.text().contains("the fan is weak")
            && second.text().contains("24.0"),
        "{}",
        second.text()
    );
    let page = cell.get(&day).await.text();
    assert!(page.contains("the fan is weak") && !page.contains("the fan is loud"), "the first one's stands");
    assert_eq!(
        send(with("the fan is loud", &hidden(&page, "seen"))).await.status,
        303,
        "who has seen it decides"
    );

    let sheet = hidden(&cell.get("/vehicles/1").await.text(), "seen");
    let change =
        async |model: &str| cell.post("/vehicles/1/sheet", &[("model", model), ("seen", &sheet)]).await;
    assert_eq!(change("T3").await.status, 303);
    let second = change("T4").await;
    assert_eq!(second.status, 409, "{}", second.text());
    assert!(second.text().contains("It now says: model “T3”."), "{}", second.text());
    assert_eq!(cell.store.vehicle(1).await.unwrap().sheet.model, "T3");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_that_was_kept_shows_every_later_word() {
    let cell = Cell::start("words").await;
    let day = a_day(&cell).await;
    let elsewhere = cell.another();
    for i in 0..3 {
        for path in [&day, "/vehicles/1"] {
            cell.get(path).await;
            cell.get_elsewhere(&elsewhere, path).await;
        }
        let (note, fuel) = (format!("note {i}"), format!("E{i}0"));
        cell.post(&format!("{day}/notes"), &[("text", &note)]).await;
        cell.post(&format!("{day}/fuel"), &[("fuel", &fuel), ("litres", "12")]).await;
        cell.post(&format!("{day}/checklist"), &[("air", if i % 2 == 0 { "no" } else { "yes" })]).await;
        cell.post("/plan", &[("vehicle_id", "1"), ("factors", &format!(r#"{{"map":"C{i}","fuel":"E85"}}"#))])
            .await;
        for page in [cell.get(&day).await.text(), cell.get_elsewhere(&elsewhere, &day).await.text()] {
            assert!(page.contains(&note) && page.contains(&format!("C{i}")), "{i}: {page}");
            assert!(page.matches(&fuel).count() >= 2, "on hand, and to choose from");
            assert_eq!(page.contains("No go: "), i % 2 == 0, "{i}");
        }
    }
    let log = "time (s),hub speed (rpm),hub torque (N·m)\n0,2000,100\n0.1,2100,101\n0.2,2200,102\n";
    cell.drop_files(&day, &[("p1.csv", log.as_bytes())]).await;
    assert!(
        cell.get_elsewhere(&elsewhere, &day).await.text().contains("p1.csv"),
        "what waits to be stored is seen from everywhere"
    );
    cell.post(&format!("{day}/inbox/clear"), &[]).await;
    assert!(!cell.get_elsewhere(&elsewhere, &day).await.text().contains("p1.csv"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_full_disk_is_said_before_anything_is_written_and_reading_goes_on() {
    let cell = Cell::start("full").await;
    let day = a_day(&cell).await;
    let full = cell.on_a_full_disk();
    let post = async |path: String, form: &'static str| {
        let request = Request::post(path)
            .header("host", "127.0.0.1:1")
            .header("origin", "http://127.0.0.1:1")
            .header("content-type", "application/x-www-form-urlencoded")
            .body(Body::from(form))
            .unwrap();
        full.clone().oneshot(request).await.unwrap()
    };
    let refused = post(format!("{day}/notes"), "text=windy").await;
    assert_eq!(refused.status(), 507);
    let text = String::from_utf8(axum::body::to_bytes(refused.into_body(), 1 << 20).await.unwrap().to_vec())
        .unwrap();
    assert!(text.contains("MiB are free") && text.contains("nothing of this was stored"), "{text}");
    assert!(cell.store.day_sheet(1).await.unwrap().notes.is_empty());
    assert_eq!(cell.get_elsewhere(&full, &day).await.status, 200, "reading goes on");
    assert_eq!(post(format!("{day}/inbox/clear"), "").await.status(), 200, "and making room");
    assert_eq!(
        cell.post(&format!("{day}/notes"), &[("text", "windy")]).await.status,
        303,
        "with room it works"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_comes_out_of_custody_piece_by_piece_as_it_went_in() {
    let cell = Cell::start("pieces").await;
    a_day(&cell).await;
    let bytes: Vec<u8> = (0..9_000_000u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 13) as u8).collect();
    let taken = cell.upload("/vehicles/1/maps?name=x", "file", &[("c7.bin", &bytes)]).await;
    assert!(taken.text().contains("give the map a name"), "a file alone has no name: {}", taken.text());
    let id = cell.store.receive_file("c7.bin", std::io::Cursor::new(bytes.clone())).await.unwrap().id;
    let out = cell.get(&format!("/files/{id}")).await;
    assert_eq!((out.status.as_u16(), out.headers["content-length"].to_str().unwrap()), (200, "9000000"));
    assert!(out.body == bytes, "byte for byte");
}

/// A sweep on a hub dyno; no two have the same bytes.
fn sweep(number: u32) -> String {
    let mut text = String::from("time (s),hub speed (rpm),hub torque (N·m)\n");
    for i in 0..600 {
        let t = f64::from(i) / 50.0;
        let up = (t - 2.0).clamp(0.0, 8.0) / 8.0;
        let torque = if (2.0..10.0).contains(&t) { 240.0 - 60.0 * up * up } else { 5.0 };
        text += &format!("{t:.2},{:.1},{:.3}\n", 2000.0 + 4500.0 * up, torque + f64::from(number) / 1000.0);
    }
    text
}

/// Stores what waits on the day as one set; the run's last page.
async fn store_all(cell: &Cell, day: &str, kind: &str) -> String {
    let inbox = cell.get(&format!("{day}/inbox")).await.text();
    let pulls: Vec<&str> =
        inbox.split("name=\"pull.0\" value=\"").skip(1).filter_map(|p| p.split('"').next()).collect();
    let mut form = vec![("map.0", "C1"), ("fuel.0", "E85"), ("build.0", "A"), ("kind.0", kind)];
    form.extend(pulls.iter().map(|p| ("pull.0", *p)));
    let run = cell.post(&format!("{day}/commit"), &form).await.text();
    let Some(at) = run
        .split("/runs/")
        .nth(1)
        .and_then(|r| r.split(|c: char| !c.is_ascii_digit()).next())
        .map(str::to_owned)
    else {
        return run;
    };
    cell.finished(&format!("/runs/{at}")).await.text()
}

#[tokio::test(flavor = "multi_thread")]
async fn pulls_stored_while_the_air_is_corrected_rest_on_the_air_that_the_day_has() {
    let cell = Cell::start("race").await;
    let day = a_day(&cell).await;
    for round in 0..6u32 {
        let files: Vec<(String, String)> =
            (0..3).map(|i| (format!("p{round}-{i}.csv"), sweep(10 * round + i))).collect();
        let borrowed: Vec<(&str, &[u8])> = files.iter().map(|(n, t)| (n.as_str(), t.as_bytes())).collect();
        cell.drop_files(&day, &borrowed).await;
        let warmer = format!("{}", 20 + round);
        let air =
            [("at", "10:00"), ("temperature", warmer.as_str()), ("humidity", "50"), ("pressure", "1000")];
        let wait = std::time::Duration::from_millis(u64::from(round) * 15);
        let later = async {
            tokio::time::sleep(wait).await;
            cell.post(&format!("{day}/air"), &air).await
        };
        let (stored, changed) = tokio::join!(store_all(&cell, &day, "custom"), later);
        assert!(stored.contains("done"), "{stored}");
        assert_eq!(changed.status, 303, "{}", changed.text());
        let found = jamjar_workflow::verify::verify(&cell.store).await.unwrap();
        assert!(
            found.is_whole() && found.stale == 0,
            "round {round}: {} stale: {}",
            found.stale,
            found.words()
        );
    }
    assert_eq!(
        cell.store.sets_of_day(1).await.unwrap().iter().map(|s| s.pulls.len()).collect::<Vec<_>>(),
        [3; 6]
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_change_in_a_kept_line_up_when_a_pull_is_left_out_and_words_do_not() {
    let cell = Cell::start("kept").await;
    let day = a_day(&cell).await;
    for (k, torque) in [0, 400].into_iter().enumerate() {
        let files: Vec<(String, String)> =
            (0..3).map(|i| (format!("s{k}-{i}.csv"), sweep(torque + 90 * i))).collect();
        let borrowed: Vec<(&str, &[u8])> = files.iter().map(|(n, t)| (n.as_str(), t.as_bytes())).collect();
        cell.drop_files(&day, &borrowed).await;
        assert!(store_all(&cell, &day, "custom").await.contains("done"));
    }
    let (link, elsewhere) = ("/line-up?sets=1,2&base=1", cell.another());
    let before = cell.get(link).await.text();
    assert!(before.contains(", n 3"), "{before}");
    let pull = cell.store.sets_of_day(1).await.unwrap()[1].pulls[0].0.id;
    cell.post(&format!("/pulls/{pull}/note"), &[("note", "a rattle")]).await;
    cell.post(&format!("{day}/notes"), &[("text", "windy")]).await;
    assert_eq!(cell.get(link).await.text(), before, "a word changes no figure");
    assert!(
        cell.get(&format!("/pulls/{pull}")).await.text().contains("a rattle"),
        "and stands where it was written"
    );
    cell.get_elsewhere(&elsewhere, link).await;
    cell.post(&format!("/pulls/{pull}/exclude"), &[("reason", "a strap slipped")]).await;
    for after in [cell.get(link).await.text(), cell.get_elsewhere(&elsewhere, link).await.text()] {
        assert!(after != before && after.contains(", n 2"), "a pull left out does, in every instance");
    }
    cell.post(&format!("/pulls/{pull}/note"), &[("note", "no rattle")]).await;
    let second = cell.post(&format!("/pulls/{pull}/note"), &[("note", "a knock"), ("was", "a rattle")]).await;
    assert!(second.status == 409 && second.text().contains("It now says: “no rattle”"), "{}", second.text());
    let page = cell.get(&format!("/pulls/{pull}")).await.text();
    assert!(page.contains("no rattle") && page.contains("a strap slipped"), "{page}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_baseline_that_rests_on_something_else_by_now_is_not_shown() {
    let cell = Cell::start("baseline").await;
    let day = a_day(&cell).await;
    let files: Vec<(String, String)> = (0..3).map(|i| (format!("b{i}.csv"), sweep(i))).collect();
    let borrowed: Vec<(&str, &[u8])> = files.iter().map(|(n, t)| (n.as_str(), t.as_bytes())).collect();
    cell.drop_files(&day, &borrowed).await;
    assert!(store_all(&cell, &day, "stock").await.contains("done"));
    let whole = cell.get("/vehicles/1").await.text();
    let of_day = cell.store.day(1).await.unwrap().measured;
    // What an earlier version left behind: other figures, under another key.
    let (pull, mut old) = cell.store.sets_of_day(1).await.unwrap()[0].pulls[0].clone();
    std::sync::Arc::make_mut(&mut old.measured).grid.power_kw.iter_mut().for_each(|p| *p *= 3.0);
    old.settings = "0000000000000000".into();
    assert!(cell.store.keep_summaries(1, of_day, &[(pull.id, old.pack().unwrap())]).await.unwrap());
    assert_eq!(cell.get("/vehicles/1").await.text(), whole, "measured again, not shown as it was");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_new_limit_is_searched_without_anybody_looking_at_the_pulls() {
    let cell = Cell::with_demo().await;
    let over = async || {
        let page = cell.get("/search?q=over+a+limit,+Tolvern+T3").await.text();
        page.split(" pulls of ")
            .next()
            .unwrap()
            .rsplit(|c: char| !c.is_ascii_digit())
            .next()
            .unwrap()
            .parse::<usize>()
            .unwrap_or(0)
    };
    let before = over().await;
    let row = [
        ("id.0", "everything"),
        ("channel.0", "engine_speed"),
        ("direction.0", "above"),
        ("threshold.0", "1000"),
        ("severity.0", "stop"),
    ];
    assert_eq!(cell.post("/vehicles/1/limits", &row).await.status, 303);
    let all = cell.store.vehicle_counts(1).await.unwrap();
    let mut now = before;
    for _ in 0..600 {
        now = over().await;
        if now > before + 50 {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert!(now > before + 50, "every pull is over it now: {before}, then {now} of {all:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_map_file_of_two_hundred_megabytes_is_kept_byte_for_byte_and_a_larger_one_is_refused_in_words() {
    let cell = Cell::start("large").await;
    cell.new_day("Tern <2>", "4,1").await;
    let vehicle = cell.store.vehicles().await.unwrap()[0].id;
    let large = |mib: u32| {
        let block: Vec<u8> = (0..1u32 << 20).map(|i| (i.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
        let mut bytes = Vec::with_capacity((mib as usize) << 20);
        for k in 0..mib {
            bytes.extend(&block);
            let end = bytes.len();
            bytes[end - 4..].copy_from_slice(&k.to_le_bytes());
        }
        bytes
    };
    let (at, bytes) = (format!("/vehicles/{vehicle}/maps"), large(200));
    let kept = cell.upload_with(&at, &[("name", "Whole unit")], "unit.bin", &bytes).await;
    assert_eq!(kept.status, StatusCode::SEE_OTHER, "{}", kept.text());
    let maps = cell.store.maps(vehicle).await.unwrap();
    let file = maps[0].file.as_ref().unwrap();
    assert_eq!(file.sha256, hex::encode(Sha256::digest(&bytes)));
    let back = cell.get(&format!("/files/{}", file.id)).await;
    assert!(back.status == StatusCode::OK && back.body == bytes, "{} bytes came back", back.body.len());
    drop((back, bytes));
    let refused = cell.upload_with(&at, &[("name", "Too much")], "more.bin", &large(258)).await;
    assert!(refused.status.is_client_error() && refused.text().contains("256 MiB"), "{}", refused.text());
    assert_eq!(cell.store.maps(vehicle).await.unwrap().len(), maps.len());
}
