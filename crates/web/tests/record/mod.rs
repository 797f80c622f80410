//! The record as a shop keeps it: the set that runs, papers, cells, maps of several vehicles, lasting addresses, and
//! what is erased.

use crate::common::{Cell, by};
use axum::http::StatusCode;
use jamjar_store::{Attached, Subject};

/// The dyno's and the engine computer's file of a pull of the demo's first day, and their bytes.
pub(crate) async fn recordings(cell: &Cell, set: usize, pull: usize) -> Vec<(String, Vec<u8>)> {
    let p = cell.store.sets_of_day(1).await.unwrap()[set].pulls[pull].0.clone();
    let mut out = Vec::new();
    for (id, which) in [(p.dyno_file_id, "dyno"), (p.ecu_file_id.unwrap(), "ecu")] {
        let bytes = cell.store.file_bytes(id).await.unwrap();
        out.push((format!("x{pull}_{which}.csv"), bytes));
    }
    out
}

async fn dropped(cell: &Cell, day: &str, files: &[(String, Vec<u8>)]) -> String {
    let files: Vec<(&str, &[u8])> = files.iter().map(|(n, b)| (n.as_str(), b.as_slice())).collect();
    cell.drop_files(day, &files).await.text()
}

/// A map of the first vehicle, in custody, whose name no other vehicle has.
async fn released(cell: &Cell) -> jamjar_store::MapRecord {
    let new = jamjar_store::NewMap {
        name: "Release 4".into(),
        kind: "custom".into(),
        parent: None,
        for_fuel: None,
        note: String::new(),
        file_name: "r4.bin".into(),
    };
    let id = cell.store.put_map(1, &new, std::io::Cursor::new(vec![4; 4000])).await.unwrap();
    cell.store.maps(1).await.unwrap().into_iter().find(|m| m.id == id).unwrap()
}

/// A second day of the demo's first vehicle.
pub(crate) async fn another_day(cell: &Cell) -> (String, i64) {
    let form = [("vehicle_id", "1"), ("date", "2026-05-04"), ("place", "cell 2")];
    let at = cell.post("/days", &form).await.location();
    let id = at.rsplit('/').next().unwrap().parse().unwrap();
    (at, id)
}

#[tokio::test(flavor = "multi_thread")]
async fn recordings_go_to_the_set_that_runs_and_one_import_is_undone_pull_by_pull() {
    let cell = Cell::with_demo().await;
    let (day, id) = another_day(&cell).await;
    assert!(cell.get(&day).await.text().contains("Nothing runs."));
    let half = cell.post(&format!("{day}/running"), &[("map", "C2")]).await;
    assert!(half.text().contains("which fuel"), "{}", half.text());
    cell.post(&format!("{day}/running"), &[("map", "C2"), ("fuel", "E30"), ("boost", "150 kPa")]).await;

    let page = dropped(&cell, &day, &recordings(&cell, 0, 0).await).await;
    assert!(page.contains("These pulls go to it") && page.contains("value=\"150 kPa\""), "{page}");
    assert!(page.contains("<option value=\"switch = 2\">"), "extras of earlier days are offered: {page}");
    let said =
        [("map.0", "C2"), ("fuel.0", "E30"), ("boost.0", "150 kPa"), ("build.0", "A"), ("runs.0", "yes")];
    cell.store_ticked(&day, &page, &said).await;
    let sets = cell.store.sets_of_day(id).await.unwrap();
    let set = sets[0].set.id;
    assert_eq!((sets.len(), sets[0].pulls.len()), (1, 1));
    assert_eq!(cell.store.running(id).await.unwrap().unwrap().set, Some(set), "the set it made runs");

    let page = dropped(&cell, &day, &recordings(&cell, 0, 1).await).await;
    assert!(page.contains(&format!("<option value=\"{set}\" selected>")), "{page}");
    cell.store_ticked(&day, &page, &[("into.0", &set.to_string()), ("runs.0", "yes")]).await;
    let sets = cell.store.sets_of_day(id).await.unwrap();
    assert_eq!(sets[0].pulls.iter().map(|p| p.0.position).collect::<Vec<_>>(), [1, 2], "behind the first");
    assert_eq!(sets.len(), 1);

    let last = cell.store.last_import(id).await.unwrap().unwrap();
    assert_eq!((last.sets.len(), last.pulls.len(), last.files.len()), (0, 1, 2));
    assert!(cell.get(&format!("{day}/edit")).await.text().contains("1 pull in sets that hold others"));
    cell.post(&format!("{day}/undo"), &[("run", &last.run_id.to_string())]).await;
    assert_eq!(cell.store.sets_of_day(id).await.unwrap()[0].pulls.len(), 1, "only what came last is gone");
    assert_eq!(cell.store.inbox(id).await.unwrap().len(), 2, "and its files wait again");

    // A set that is archived meanwhile takes no pulls.
    cell.store.archive(&[Subject::Set(set)], &by()).await.unwrap();
    assert!(cell.store.running(id).await.unwrap().is_none(), "what is archived does not run");
    let page = cell.get(&format!("{day}/inbox")).await.text();
    let pulls = crate::common::ticked(&page);
    let into = set.to_string();
    let mut form: Vec<(&str, &str)> = pulls.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    form.push(("into.0", &into));
    let run = cell.post(&format!("{day}/commit"), &form).await.text();
    let address = run.split("hx-get=\"").nth(1).unwrap().split('"').next().unwrap();
    assert!(cell.finished(address).await.text().contains("archived or gone"));
    assert!(cell.store.sets_of_day(id).await.unwrap().is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn papers_stand_beside_what_they_belong_to_and_nothing_else_is_taken_for_one() {
    let cell = Cell::with_demo().await;
    let set = cell.store.sets_of_day(1).await.unwrap()[0].set.id;
    let png: &[u8] = b"\x89PNG\r\n\x1a\nnot much of a picture";
    let to = format!("set:{set}");
    let sent = async |to: &str, name: &str, bytes: &[u8]| {
        cell.upload_with("/attach", &[("to", to)], name, bytes).await
    };
    assert_eq!(sent(&to, "belt.png", png).await.status, StatusCode::SEE_OTHER);
    for (to, name, bytes, says) in [
        (to.as_str(), "evil.png", &b"<svg onload=alert(1)>"[..], "is no picture"),
        ("set:99999", "belt.png", png, "does not exist"),
        ("shop:1", "belt.png", png, "say what it belongs to"),
    ] {
        let refused = sent(to, name, bytes).await;
        assert!(
            refused.status.is_client_error() && refused.text().contains(says),
            "{says}: {}",
            refused.text()
        );
    }
    let day = cell.get("/days/1").await.text();
    assert!(day.contains("belt.png") && day.contains("set 1: "), "{day}");
    let attached = cell.store.attached(Attached::Set(set)).await.unwrap();
    let got = cell.get(&format!("/attachments/{}", attached[0].id)).await;
    assert_eq!(got.body, png);
    assert_eq!(got.headers["content-type"], "image/png");
    assert!(got.headers["content-security-policy"].to_str().unwrap().contains("sandbox"));

    let archive = cell.get("/archive.zip").await.body;
    let empty = Cell::start("papers").await;
    let back = empty.upload("/archive", "archive", &[("shop.zip", &archive)]).await;
    assert_eq!(back.status, StatusCode::SEE_OTHER, "{}", back.text());
    let there = empty.store.sets_of_day(1).await.unwrap()[0].set.id;
    let copy = empty.store.attached(Attached::Set(there)).await.unwrap();
    assert_eq!(empty.get(&format!("/attachments/{}", copy[0].id)).await.body, png);

    cell.post(&format!("/attachments/{}/off", attached[0].id), &[]).await;
    assert!(!cell.get("/days/1").await.text().contains("belt.png"));
    let trail = cell.store.trail(Subject::Set(set)).await.unwrap();
    assert_eq!((trail[0].field.as_str(), trail[0].old_value.as_str()), ("attached", "belt.png"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_lasting_address_survives_merging_and_another_shop() {
    let cell = Cell::with_demo().await;
    let set = cell.store.sets_of_day(1).await.unwrap()[1].set.clone();
    let uid = cell.store.lasting_id(Subject::Set(set.id)).await.unwrap().unwrap();
    assert!(cell.get(&format!("/sets/{}/edit", set.id)).await.text().contains(&format!("/id/{uid}")));
    assert_eq!(cell.get(&format!("/id/{uid}")).await.location(), format!("/days/1#set-{}", set.id));
    assert_eq!(cell.get("/id/00000000000000000000000000000000").await.status, StatusCode::NOT_FOUND);
    assert_eq!(cell.get("/id/nonsense").await.status, StatusCode::NOT_FOUND);

    // One map under two names.
    let twin = jamjar_store::NewMap {
        name: "C2 again".into(),
        kind: "custom".into(),
        parent: None,
        for_fuel: None,
        note: String::new(),
        file_name: "c2.bin".into(),
    };
    let from = cell.store.put_map(1, &twin, std::io::Cursor::new([1, 2, 3])).await.unwrap();
    let into = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.file.is_none()).map(|m| m.id);
    let into = into.unwrap_or(
        cell.store
            .put_map(1, &jamjar_store::NewMap { name: "C9".into(), ..twin }, std::io::Cursor::new([1, 2, 3]))
            .await
            .unwrap(),
    );
    let old = cell.store.lasting_id(Subject::Map(from)).await.unwrap().unwrap();
    cell.store.merge_maps(from, into, &by()).await.unwrap();
    assert_eq!(
        cell.store.by_lasting_id(&old).await.unwrap(),
        Some(Subject::Map(into)),
        "found where it went"
    );

    let archive = cell.get("/archive.zip").await.body;
    let empty = Cell::start("lasting").await;
    empty.upload("/archive", "archive", &[("shop.zip", &archive)]).await;
    let there = empty.store.by_lasting_id(&uid).await.unwrap();
    let Some(Subject::Set(id)) = there else { panic!("{there:?}") };
    assert_eq!(empty.store.set(id).await.unwrap().config, set.config);
    let Some(Subject::Map(map)) = empty.store.by_lasting_id(&old).await.unwrap() else { panic!() };
    let maps = empty.store.maps(1).await.unwrap();
    assert!(maps.iter().any(|m| m.id == map), "a merged id goes along");

    // The same vehicle under another name is the same vehicle.
    let other = cell.store.vehicle(1).await.unwrap();
    let one = cell.get("/archive.zip?vehicle=1").await.body;
    let mut renamed = empty.store.vehicle(1).await.unwrap().vehicle;
    assert_eq!(renamed.name, other.vehicle.name);
    renamed.name = "Another name".into();
    let seen = empty.store.vehicle(1).await.unwrap();
    empty.store.edit_vehicle(&seen, &renamed, &by()).await.unwrap();
    let again = empty.upload("/archive", "archive", &[("one.zip", &one)]).await;
    assert!(again.text().contains("is here already, as Another name"), "{}", again.text());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_erased_is_gone_whole_and_says_what_came_back() {
    let cell = Cell::with_demo().await;
    let name = cell.store.vehicle(1).await.unwrap().vehicle.name;
    let lent = released(&cell).await;
    cell.store.lend_map(lent.id, 2, &by()).await.unwrap();
    let (pulls, all) =
        (cell.store.vehicle_counts(1).await.unwrap().1, cell.store.pull_count().await.unwrap());
    let files = cell.store.file_ids().await.unwrap().len();
    let page = cell.get("/vehicles/1/erase").await.text();
    assert!(page.contains("/archive.zip?vehicle=1") && page.contains("Nothing brings it back"), "{page}");
    for form in [&[("name", "Tern"), ("archive", "settled")][..], &[("name", name.as_str())][..]] {
        let refused = cell.post("/vehicles/1/erase", form).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{}", refused.text());
    }
    assert_eq!(cell.store.pull_count().await.unwrap(), all, "nothing is erased by halves");
    let done = cell.post("/vehicles/1/erase", &[("name", &name), ("archive", "settled")]).await.text();
    assert!(
        done.contains(&format!("{name} is erased: {pulls} pulls")) && done.contains("MB came back"),
        "{done}"
    );
    assert_eq!(cell.store.pull_count().await.unwrap(), all - pulls);
    assert!(cell.store.file_ids().await.unwrap().len() < files);
    assert_eq!(cell.get("/vehicles/1").await.status, StatusCode::NOT_FOUND);
    let verified = jamjar_workflow::verify::verify(&cell.store).await.unwrap();
    assert!(verified.is_whole(), "{}", verified.words());
    let serves = cell.store.maps(2).await.unwrap().into_iter().find(|m| m.id == lent.id).unwrap();
    assert_eq!(serves.file, lent.file, "a map that serves another vehicle stays, with its file");
    assert!(!serves.lent, "and is that one's own now");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cell_is_a_thing_of_its_own_and_holds_several_vehicles_a_day() {
    let cell = Cell::with_demo().await;
    let (day, id) = another_day(&cell).await;
    let room = cell.store.cell_of_day(id).await.unwrap().unwrap();
    assert_eq!(room.name, "cell 2");
    let beside = cell.get(&format!("/days/new?beside={id}")).await.text();
    assert!(beside.contains("value=\"2026-05-04\"") && beside.contains("value=\"cell 2\""), "{beside}");
    let second = [("vehicle_id", "2"), ("date", "2026-05-04"), ("place", "cell 2")];
    let other = cell.post("/days", &second).await.location();
    let name = cell.store.vehicle(2).await.unwrap().vehicle.name;
    let page = cell.get(&day).await.text();
    assert!(
        page.contains("Also in the cell this day") && page.contains(&format!("<a href=\"{other}\">{name}"))
    );

    // A reading written on one sheet stands on the other, on one begun later, and on the page of the cell's day.
    let reading = [("at", "09:10"), ("temperature", "31.5"), ("humidity", "40"), ("pressure", "991")];
    assert!(cell.post(&format!("{other}/air"), &reading).await.status.is_redirection());
    let page = cell.get(&day).await.text();
    assert!(page.contains("31.5 °C, 40 % humidity, 991.0 hPa"), "{page}");
    let third = [("vehicle_id", "3"), ("date", "2026-05-04"), ("place", "cell 2")];
    let third = cell.post("/days", &third).await.location();
    assert!(cell.get(&third).await.text().contains("31.5 °C, 40 % humidity"));
    let whole = format!("/cells/{}/days/2026-05-04", room.id);
    assert!(cell.get(&day).await.text().contains(&whole));
    let page = cell.get(&whole).await.text();
    for of in [&day, &other, &third] {
        assert!(page.contains(&format!("<a href=\"{of}\">")), "{of}: {page}");
    }
    assert_eq!(
        page.matches("31.5 °C, 40 % humidity, 991.0 hPa").count(),
        2,
        "in the line and the table, once: {page}"
    );
    assert_eq!(cell.get(&format!("/cells/{}/days/2026-05-05", room.id)).await.status, StatusCode::NOT_FOUND);

    let own = cell.store.vehicle(1).await.unwrap().vehicle.dyno.kind;
    let kind = if own == jamjar_core::pull::dyno::DynoKind::Engine { "hub" } else { "engine" };
    let at = format!("/cells/{}", room.id);
    let said = [("name", "north cell"), ("dyno", kind), ("calibrated", "2026-01-12"), ("why", "new brake")];
    assert_eq!(cell.post(&at, &said).await.status, StatusCode::SEE_OTHER);
    let page = cell.get(&day).await.text();
    assert!(page.contains("north cell") && page.contains("has another dyno"), "{page}");
    let trail = cell.get(&at).await.text();
    assert!(trail.contains("new brake") && trail.contains("4 May 2026"), "{trail}");
    let demo = cell.store.cells().await.unwrap().into_iter().find(|c| c.id != room.id).unwrap().name;
    for (form, says) in [
        (&[("name", " ")][..], "needs a name"),
        (&[("name", "x"), ("calibrated", "soon")][..], "is not a date"),
        (&[("name", demo.as_str())][..], "already"),
    ] {
        let refused = cell.post(&at, form).await;
        assert!(refused.text().contains(says), "{says}: {}", refused.text());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn one_revision_serves_two_vehicles_with_one_file() {
    let cell = Cell::with_demo().await;
    let lent = released(&cell).await;
    let answer = cell.post("/vehicles/2/lend", &[("map", &lent.id.to_string())]).await;
    assert!(answer.status.is_redirection(), "{}", answer.text());
    let there = cell.store.maps(2).await.unwrap().into_iter().find(|m| m.id == lent.id).unwrap();
    assert!(there.lent && there.file == lent.file && there.sets == 0);
    let again = cell.post("/vehicles/2/lend", &[("map", &lent.id.to_string())]).await;
    assert!(again.text().contains("has a map of that name already"));
    // Alone in an archive it goes along as one of the vehicle it serves.
    let archive = cell.get("/archive.zip?vehicle=2").await.body;
    let empty = Cell::start("lent").await;
    let back = empty.upload("/archive", "archive", &[("two.zip", &archive)]).await;
    assert_eq!(back.status, StatusCode::SEE_OTHER, "{}", back.text());
    assert!(empty.store.maps(1).await.unwrap().iter().any(|m| m.name == lent.name && !m.lent));
}

fn zipped(files: &[(&str, &[u8])]) -> Vec<u8> {
    use std::io::Write;
    let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in files {
        out.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
        out.write_all(bytes).unwrap();
    }
    out.finish().unwrap().into_inner()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_back_catalogue_of_many_days_is_taken_in_at_one_go_and_stored_after_one_look() {
    let cell = Cell::with_demo().await;
    let (a, b, c) =
        (recordings(&cell, 0, 0).await, recordings(&cell, 0, 1).await, recordings(&cell, 1, 0).await);
    let archive = zipped(&[
        ("old/2025-03-24/stock e30/p1_dyno.csv", &a[0].1),
        ("old/2025-03-24/stock e30/p1_ecu.csv", &a[1].1),
        ("old/2025-03-24/stock e30/p2_dyno.csv", &b[0].1),
        ("old/2025-03-24/stock e30/p2_ecu.csv", &b[1].1),
        ("old/07.04.2025/c1 e30/p1_dyno.csv", &c[0].1),
        ("old/07.04.2025/c1 e30/p1_ecu.csv", &c[1].1),
        ("old/07.04.2025/straps.txt", b"buy straps\nand oil\n"),
    ]);
    let before = cell.store.day_ids().await.unwrap().len();
    let fields = [("vehicle", "1"), ("place", "cell 3")];
    let page = cell.upload_with("/catalogue", &fields, "old.zip", &archive).await.text();
    assert!(page.contains("6 recordings of 2 days") && page.contains("1 not taken"), "{page}");
    assert!(page.contains("24 March 2025") && page.contains("7 April 2025") && page.contains("straps.txt"));
    assert!(page.contains("name=\"map.0\" list=\"maps\" value=\"Stock\""), "sets are named by their folders");
    // In order of their dates, as they stand on the page.
    let number = |n: usize| {
        let value = page.split(&format!("name=\"day.{n}\" value=\"")).nth(1).unwrap();
        value.split('"').next().unwrap().parse::<i64>().unwrap()
    };
    let days = [number(0), number(1)];
    for d in &days {
        assert!(cell.store.sets_of_day(*d).await.unwrap().is_empty(), "nothing is stored before the look");
    }
    let at = page.split("action=\"/catalogue/store").nth(1).unwrap().split('"').next().unwrap();
    let at = format!("/catalogue/store{}", at.replace("&#38;", "&"));
    let ticks = crate::common::ticked(&page);
    let (first, second) = (days[0].to_string(), days[1].to_string());
    let mut form: Vec<(&str, &str)> = ticks.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    form.extend([("day.0", first.as_str()), ("map.0", "Stock"), ("fuel.0", ""), ("build.0", "A")]);
    form.extend([("day.1", second.as_str()), ("map.1", "C1"), ("fuel.1", "E30"), ("build.1", "A")]);
    let refused = cell.post(&at, &form).await;
    assert!(
        refused.text().contains("which fuel") && refused.text().contains("value=\"C1\""),
        "{}",
        refused.text()
    );
    for f in &mut form {
        if f.0 == "fuel.0" {
            f.1 = "E30";
        }
    }
    assert_eq!(cell.post(&at, &form).await.status, StatusCode::SEE_OTHER);
    for (d, pulls) in [(days[0], 2), (days[1], 1)] {
        let run = cell.store.latest_run(&format!("commit {d}")).await.unwrap().unwrap();
        let done = cell.finished(&format!("/runs/{}", run.id)).await.text();
        assert!(!done.contains("error"), "{done}");
        let sets = cell.store.sets_of_day(d).await.unwrap();
        assert_eq!((sets.len(), sets[0].pulls.len()), (1, pulls), "day {d}");
    }
    // The same once more: every file is known, and no day is doubled.
    let again = cell.upload_with("/catalogue", &fields, "old.zip", &archive).await.text();
    assert!(again.contains("0 recordings") || again.contains("is here already"), "{again}");
    assert_eq!(cell.store.day_ids().await.unwrap().len(), before + 2);
    let undated = zipped(&[("x/p1_dyno.csv", &a[0].1), ("x/p1_ecu.csv", &a[1].1)]);
    let cut = cell.upload_with("/catalogue", &fields, "cut.zip", &undated[..undated.len() / 2]).await.text();
    assert!(cut.contains("not taken") && cut.contains("cut.zip"), "{cut}");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_archive_of_a_days_recordings_is_its_files() {
    let cell = Cell::with_demo().await;
    let (day, id) = another_day(&cell).await;
    let a = recordings(&cell, 0, 0).await;
    let archive =
        zipped(&[("stock/p1_dyno.csv", &a[0].1), ("stock/p1_ecu.csv", &a[1].1), ("stock/x.png", b"\x89PNG")]);
    let page = cell.drop_files(&day, &[("evening.zip", &archive)]).await.text();
    assert!(page.contains("stock p1_dyno.csv + stock p1_ecu.csv") && page.contains("x.png"), "{page}");
    assert!(page.contains("<select name=\"log.0\""), "the pairing can be put right: {page}");
    assert_eq!(cell.store.inbox(id).await.unwrap().len(), 2);
}

#[tokio::test(flavor = "multi_thread")]
async fn words_of_maps_fuels_builds_and_notes_are_put_right_as_they_were_seen() {
    let cell = Cell::with_demo().await;
    let map = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.kind == "custom").unwrap();
    let at = format!("/maps/{}/edit", map.id);
    let page = cell.get(&at).await.text();
    let seen = page.split("name=\"seen\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let form = |name: &'static str| vec![("name", name), ("kind", "custom"), ("note", "leaner")];
    let taken = cell.post(&at, &form("Stock")).await;
    assert!(taken.text().contains("is called Stock already") && taken.text().contains(">leaner</textarea>"));
    let mut right = form("C1 as released");
    right.push(("seen", &seen));
    assert_eq!(cell.post(&at, &right).await.status, StatusCode::SEE_OTHER);
    assert!(cell.get("/days/1").await.text().contains("C1 as released") || map.name != "C1");
    let trail = cell.store.trail(Subject::Map(map.id)).await.unwrap();
    assert!(trail.iter().any(|t| t.field == "name" && t.old_value == map.name), "{trail:?}");
    assert_eq!(cell.post(&at, &right).await.status, StatusCode::CONFLICT, "seen before it changed");

    let (fuel, name) = cell.store.fuels().await.unwrap()[0].clone();
    let at = format!("/fuels/{fuel}/edit");
    let refused = cell.post(&at, &[("name", &name), ("ethanol", "140")]).await;
    assert!(
        refused.text().contains("0 to 100") && refused.text().contains("value=\"140\""),
        "{}",
        refused.text()
    );
    cell.post(&at, &[("name", "Premium 95"), ("ethanol", "4.6")]).await;
    assert_eq!(cell.store.fuel_words(fuel).await.unwrap().ethanol, Some(0.046));
    let build = cell.store.builds(1).await.unwrap()[0].id;
    let said = [("name", "A0"), ("since", "2026-01-02"), ("note", "as bought")];
    assert_eq!(cell.post(&format!("/builds/{build}/edit"), &said).await.status, StatusCode::SEE_OTHER);
    let sets = cell.store.sets_of_day(1).await.unwrap();
    assert!(
        sets.iter().any(|s| s.set.config.build == "A0")
            && sets.iter().any(|s| s.set.config.fuel == "Premium 95")
    );

    let note = cell.store.day_sheet(1).await.unwrap().notes[0].clone();
    let at = format!("/notes/{}/edit", note.id);
    cell.post(&at, &[("at", "08:15"), ("tag", "heat"), ("text", "warm already")]).await;
    assert!(cell.get("/days/1").await.text().contains("warm already"));
    cell.post(&at, &[("at", "08:15"), ("tag", "heat"), ("text", " ")]).await;
    assert!(!cell.get("/days/1").await.text().contains("warm already"), "emptied, it is gone");
    assert!(cell.store.trail(Subject::Day(1)).await.unwrap()[0].old_value.contains("warm already"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_refused_line_of_the_day_sheet_stands_in_its_form_as_it_was_typed() {
    let cell = Cell::with_demo().await;
    for (at, form, says, kept) in [
        (
            "changed",
            &[("what", "belt"), ("from", "old"), ("to", "")][..],
            "say what it is now",
            "value=\"belt\"",
        ),
        (
            "changed",
            &[("what", "map"), ("from", "a"), ("to", "b")][..],
            "put right on the set",
            "value=\"map\"",
        ),
        (
            "air",
            &[("temperature", "hot"), ("humidity", "50"), ("pressure", "1002")][..],
            "hot",
            "value=\"50\"",
        ),
        (
            "air",
            &[("temperature", "72 °F"), ("humidity", "50"), ("pressure", "102")][..],
            "",
            "value=\"72 °F\"",
        ),
        ("fuel", &[("fuel", "E85"), ("litres", "some")][..], "some", "value=\"E85\""),
        ("notes", &[("at", "25:00"), ("text", "x")][..], "is not a time", "value=\"25:00\""),
    ] {
        let r = cell.post(&format!("/days/1/{at}"), form).await;
        let text = r.text();
        assert_eq!(r.status, StatusCode::UNPROCESSABLE_ENTITY, "{at} {form:?}: {text}");
        assert!(
            text.contains("Nothing was kept:") && text.contains(says) && text.contains(kept),
            "{at} {form:?}"
        );
        assert!(
            text.contains("24 custom") || text.contains("Tolvern T3"),
            "the whole sheet stands around it"
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_gear_is_learned_from_a_pull_where_the_vehicle_has_no_ratio_for_it() {
    let cell = Cell::with_demo().await;
    let form =
        [("name", "Tern"), ("dyno", "hub"), ("ratio", ""), ("date", "2026-05-04"), ("ignition", "spark")];
    let day = cell.post("/days", &form).await.location();
    let id: i64 = day.rsplit('/').next().unwrap().parse().unwrap();
    let page = dropped(&cell, &day, &recordings(&cell, 0, 0).await).await;
    cell.store_ticked(&day, &page, &[("map.0", "Stock"), ("fuel.0", "E10"), ("gear.0", "4")]).await;
    let pull = cell.store.sets_of_day(id).await.unwrap()[0].pulls[0].0.id;
    let shown = cell.get(&format!("/pulls/{pull}")).await.text();
    assert!(shown.contains("Learn it as gear 4"), "{shown}");
    assert_eq!(cell.post(&format!("/pulls/{pull}/learn"), &[]).await.status, StatusCode::SEE_OTHER);
    let vehicle = cell.store.vehicle_named("Tern").await.unwrap().unwrap();
    let truth = cell.store.vehicle(1).await.unwrap().vehicle.dyno.overall_ratio.unwrap();
    let learned = vehicle.sheet.learned["4"];
    assert!((learned / truth - 1.0).abs() < 0.005, "{learned} against {truth}");
    let shown = cell.get(&format!("/pulls/{pull}")).await.text();
    assert!(!shown.contains("Learn it as gear 4"));
    let again = cell.post(&format!("/pulls/{pull}/learn"), &[]).await;
    assert!(again.text().contains("not known already"));
    let page = cell.get(&format!("/vehicles/{}", vehicle.id)).await.text();
    assert!(
        page.contains(&format!("value=\"4 = {learned}\"")),
        "it stands on the sheet, where it can be put right"
    );
    let seen = [("learned", "4 = about four")];
    let refused = cell.post(&format!("/vehicles/{}/sheet", vehicle.id), &seen).await;
    assert!(refused.text().contains("is no gear with its ratio"));
}

#[tokio::test(flavor = "multi_thread")]
async fn another_cell_is_a_factor_of_what_is_compared_across_it() {
    let cell = Cell::with_demo().await;
    let (day, id) = another_day(&cell).await;
    let page = dropped(&cell, &day, &recordings(&cell, 1, 0).await).await;
    cell.store_ticked(&day, &page, &[("map.0", "C1"), ("fuel.0", "RON 95 E5"), ("gear.0", "4")]).await;
    let there = cell.store.sets_of_day(id).await.unwrap()[0].set.id;
    let page = cell.get(&format!("/line-up?sets=1,{there}&base=1")).await.text();
    assert!(page.contains("changed together") && page.contains("cell"), "{page}");
    let mut now = cell.store.day(id).await.unwrap();
    let words = jamjar_store::DayWords {
        date: now.date,
        zone: now.zone.clone(),
        place: cell.store.day(1).await.unwrap().place,
        vehicle_id: 1,
    };
    cell.store.edit_day(&now, &words, &by()).await.unwrap();
    now = cell.store.day(id).await.unwrap();
    assert_eq!(now.place, words.place);
    let settings = jamjar_core::analysis::Settings::default();
    let l = jamjar_workflow::lineup::line_up(&cell.store, &[1, there], Some(1), &settings).await.unwrap();
    assert!(
        !l.comparisons[0].confounding.factors_differ.contains(&"cell".to_owned()),
        "{:?}",
        l.comparisons[0].confounding
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_calibration_between_two_days_differs_like_another_cell_and_a_fresh_baseline_is_proposed() {
    let cell = Cell::with_demo().await;
    let sets = cell.store.latest_sets(200).await.unwrap();
    fn of(s: &jamjar_store::Set) -> impl PartialEq + use<'_> {
        let c = &s.config;
        (s.vehicle_id, &s.cell, &c.fuel, &c.gear, &c.boost, &c.build, &c.extras)
    }
    // Before the day on which the gearbox got other software.
    let sets: Vec<_> = sets.into_iter().filter(|s| s.date.to_string().as_str() < "2026-05-01").collect();
    let (late, early) = sets
        .iter()
        .flat_map(|a| sets.iter().map(move |b| (a, b)))
        .find(|(a, b)| {
            // The base's map was not pulled again on the later day.
            let again =
                sets.iter().any(|s| of(s) == of(a) && s.date == a.date && s.config.map == b.config.map);
            of(a) == of(b) && a.date > b.date && a.config.map != b.config.map && !again
        })
        .unwrap();
    let at = format!("/line-up?sets={},{}&base={}", early.id, late.id, early.id);
    let before = cell.get(&at).await.text();
    assert!(!before.contains("fresh baseline"), "{before}");
    let room = cell.store.cells().await.unwrap().into_iter().find(|c| c.name == late.cell).unwrap();
    let said = [("name", room.name.clone()), ("calibrated", late.date.to_string())];
    let said: Vec<(&str, &str)> = said.iter().map(|(k, v)| (*k, v.as_str())).collect();
    assert_eq!(cell.post(&format!("/cells/{}", room.id), &said).await.status, StatusCode::SEE_OTHER);
    let after = cell.get(&at).await.text();
    assert!(after.contains("a fresh baseline after the change of cell"), "{after}");
    assert!(after.contains(&format!("calibrated {}", late.date)), "{after}");
}
