//! Searching on the pages: what a channel reached, gains, near misses, archived things.

use crate::common::{Cell, by};
use jamjar_core::find::Extreme;
use jamjar_store::Subject;

/// The headline of a search.
async fn headline(cell: &Cell, q: &str) -> String {
    let page = cell.get(&format!("/search?q={q}")).await.text();
    page.split("aria-live=\"polite\">").nth(1).unwrap().split('<').next().unwrap().to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_file_that_was_in_it_when_it_made_162_kw_is_one_search() {
    let cell = Cell::with_demo().await;
    let page = cell.get("/search?q=162+kW").await.text();
    let at = page.split("href=\"/files/").nth(1).expect("its file is there").split('"').next().unwrap();
    let file = cell.get(&format!("/files/{at}")).await;
    let map = page.split("<span class=\"jarname\">").nth(1).unwrap().split('<').next().unwrap();
    assert!(file.text().contains(&format!("name         {map}")), "byte for byte the map it was pulled with");
}

#[tokio::test(flavor = "multi_thread")]
async fn questions_about_channels_gains_and_names_are_answered() {
    let cell = Cell::with_demo().await;
    let days = cell.store.day_ids().await.unwrap();
    let mut hot = Vec::new();
    for day in &days {
        for set in cell.store.sets_of_day(*day).await.unwrap() {
            for (p, s) in &set.pulls {
                hot.extend(Extreme::Exhaust.of(&s.measured.channels).map(|v| (v, p.id)));
            }
        }
    }
    let over = |c: f64| hot.iter().filter(|h| h.0 as f32 > c as f32).count();
    assert!(over(850.0) > 0 && over(850.0) < hot.len(), "{} of {}", over(850.0), hot.len());
    let said = headline(&cell, "exhaust+over+850").await;
    assert!(said.starts_with(&format!("{} pulls of", over(850.0))), "{said}");
    let (gained, lost) =
        (headline(&cell, "gain+over+10+kW").await, headline(&cell, "gain+under+-10+kW").await);
    assert!(gained.contains("pulls of") && gained != lost, "{gained} {lost}");
    assert!(headline(&cell, "last+3+pulls").await.starts_with("3 pulls of"));
    let near = cell.get("/search?q=Tolvurn").await.text();
    assert!(near.contains("Did you mean") && near.contains(">Tolvern"), "{near}");
    let text = cell.get("/search?q=smoke").await.text();
    assert!(text.contains("the text “smoke”"), "what was taken for text says so");
    assert!(!cell.get("/search?q=E60").await.text().contains("the text"), "a name is none");
    let described = headline(&cell, "saloon").await;
    assert!(described.contains("pulls of"), "a vehicle is found by what its sheet says: {described}");
}

#[tokio::test(flavor = "multi_thread")]
async fn archived_pulls_are_found_on_request() {
    let cell = Cell::with_demo().await;
    let all = headline(&cell, "").await;
    let set = cell.store.sets_of_day(1).await.unwrap()[0].set.id;
    cell.store.archive(&[Subject::Set(set)], &by()).await.unwrap();
    let less = headline(&cell, "").await;
    assert_ne!(all, less);
    let archived = headline(&cell, "archived").await;
    assert!(archived.contains("pulls of") || archived.contains("pull of"), "{archived}");
    cell.store.restore(Subject::Set(set), &by()).await.unwrap();
    assert_eq!(headline(&cell, "").await, all);
    assert_eq!(headline(&cell, "archived").await, "No pull matches");
}
