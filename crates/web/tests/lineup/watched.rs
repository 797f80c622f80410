//! A recording that appears in a cell's folder, and the view that follows it.

use crate::common::Cell;
use crate::record::{another_day, recordings};
use jamjar_store::Watched;
use jamjar_workflow::watch::{AT_REST, Watch};
use std::path::Path;

/// Looks until something was taken or stored, or the bound of looks is reached.
async fn looks(watch: &mut Watch, cell: &Cell, watched: &[Watched]) -> bool {
    let mut any = false;
    for _ in 0..3 {
        any |= watch.look(&cell.store, watched).await.unwrap();
        tokio::time::sleep(AT_REST + AT_REST / 5).await;
    }
    any | watch.look(&cell.store, watched).await.unwrap()
}

fn put(folder: &Path, name: &str, bytes: &[u8]) {
    std::fs::write(folder.join(name), bytes).unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn what_appears_in_the_folder_of_a_cell_is_stored_in_the_set_that_runs_and_stands_on_its_view() {
    let cell = Cell::with_demo().await;
    let (day, id) = another_day(&cell).await;
    let room = cell.store.cell_of_day(id).await.unwrap().unwrap();
    let folder = tempfile::tempdir().unwrap();
    assert!(cell.store.watched().await.unwrap().is_empty());
    let seen = jamjar_store::CellWords {
        name: "cell 2".into(),
        dyno: String::new(),
        folder: folder.path().to_str().unwrap().to_owned(),
        calibrations: Vec::new(),
        note: String::new(),
    };
    cell.store.edit_cell(&room, &seen, &crate::common::by()).await.unwrap();
    assert!(cell.store.watched().await.unwrap().is_empty(), "nothing runs: files wait where they are");
    let view = format!("/cells/{}/now", room.id);
    assert!(cell.get(&view).await.text().contains("nothing is said to run"));
    cell.post(&format!("{day}/running"), &[("map", "Stock"), ("fuel", "E30")]).await;
    let watched = cell.store.watched().await.unwrap();
    assert_eq!(watched.iter().map(|w| w.day).collect::<Vec<_>>(), [id]);
    let empty = cell.get(&view).await.text();
    assert!(empty.contains("No pull yet") && empty.contains("stands here") && empty.contains("Stock, E30"));

    let files = recordings(&cell, 0, 0).await;
    let mut watch = Watch::default();
    // Half a file is no recording yet; a dyno's alone waits for its log.
    put(folder.path(), "a1_dyno.csv", &files[0].1[..files[0].1.len() / 2]);
    assert!(!watch.look(&cell.store, &watched).await.unwrap());
    put(folder.path(), "a1_dyno.csv", &files[0].1);
    assert!(looks(&mut watch, &cell, &watched).await);
    assert!(cell.store.sets_of_day(id).await.unwrap().is_empty());
    assert!(watch.news()[&room.id].waiting[0].contains("waits for the engine computer's log"));
    put(folder.path(), "a1_ecu.csv", &files[1].1);
    put(folder.path(), "broken.csv", b"no numbers here");
    assert!(looks(&mut watch, &cell, &watched).await);
    let sets = cell.store.sets_of_day(id).await.unwrap();
    assert_eq!((sets.len(), sets[0].pulls.len(), sets[0].set.config.map.as_str()), (1, 1, "Stock"));
    let news = &watch.news()[&room.id];
    assert!(
        news.waiting.is_empty() && news.refused.len() == 1 && news.refused[0].starts_with("broken.csv"),
        "{news:?}"
    );
    let page = cell.get(&view).await.text();
    assert!(page.contains(">Pull again</p>") && page.contains("One pull knows no scatter"), "{page}");

    let sheet = cell.get(&day).await.text();
    let first = sheet.find("id=\"newest\"").unwrap();
    assert!(
        first < sheet.find("setcard").unwrap() && sheet[first..].contains(">Pull again</p>"),
        "it stands first"
    );
    assert!(!cell.get("/days/1").await.text().contains("id=\"newest\""), "a past day keeps its order");

    // The same recording under another name is the same file.
    put(folder.path(), "copy_dyno.csv", &files[0].1);
    looks(&mut watch, &cell, &watched).await;
    assert_eq!(cell.store.sets_of_day(id).await.unwrap()[0].pulls.len(), 1);
    // A second pull settles it or not; what it asks for is said.
    let more = recordings(&cell, 0, 1).await;
    put(folder.path(), "a2_dyno.csv", &more[0].1);
    put(folder.path(), "a2_ecu.csv", &more[1].1);
    assert!(looks(&mut watch, &cell, &watched).await);
    assert_eq!(cell.store.sets_of_day(id).await.unwrap()[0].pulls.len(), 2);
    let page = cell.get(&view).await.text();
    assert!(
        page.contains("against the mean of its set") && page.contains("pull 2 of Stock on E30"),
        "{page}"
    );

    // A folder that vanishes is said, and taken up again when it is back.
    let away =
        [Watched { folder: folder.path().join("gone").to_str().unwrap().to_owned(), ..watched[0].clone() }];
    assert!(!watch.look(&cell.store, &away).await.unwrap());
    assert!(watch.news()[&room.id].away.is_some());
    watch.look(&cell.store, &watched).await.unwrap();
    assert!(watch.news()[&room.id].away.is_none());
}
