//! Two revisions of a map, cell by cell.

use crate::common::Cell;
use axum::http::StatusCode;

#[tokio::test(flavor = "multi_thread")]
async fn what_changed_between_two_revisions_is_said_and_shown_where_the_pulls_ran() {
    let cell = Cell::with_demo().await;
    let maps = cell.store.maps(1).await.unwrap();
    let id = |name: &str| maps.iter().find(|m| m.name == name).unwrap().id;
    assert!(
        cell.get("/vehicles/1").await.text().contains(&format!("/maps/{}/against", id("C3"))),
        "the way there"
    );
    let page = cell.get(&format!("/maps/{}/against", id("C3"))).await.text();
    assert!(page.contains("C3 against C2"), "the one it was made from: {page}");
    assert!(page.contains("Spark advance: +") && page.contains("on average"), "{page}");
    assert!(page.contains("class=\"more") && page.contains(" ran\""), "heat, and the cells its pulls passed");
    assert!(page.contains("the same in both"));
    let percent = cell.get(&format!("/maps/{}/against?show=percent", id("C3"))).await.text();
    assert!(percent.contains(" %</td>"));
    let stock = cell.get(&format!("/maps/{}/against?other={}", id("C3"), id("Stock"))).await.text();
    assert!(stock.contains("C3 against Stock") && stock.contains("tables changed"));
    assert_eq!(cell.get("/maps/999999/against").await.status, StatusCode::NOT_FOUND);

    // Beside what changed stands what it gained, where both were pulled alike on one day.
    let did = cell.get(&format!("/maps/{}/against?other={}", id("C2"), id("C1"))).await.text();
    let did =
        did.split("id=\"did\"").nth(1).unwrap_or_else(|| panic!("{did}")).split("</table>").next().unwrap();
    assert!(did.contains(" to ") && did.contains(" ± ") && did.contains("kW"), "{did}");
    assert!(did.matches("<tr data-row>").count() >= 1, "{did}");
    assert!(!stock.contains("id=\"did\""), "never pulled alike: nothing is said of what it did");

    // A file of another kind is kept whole and says that its tables cannot be read.
    let sent = cell
        .upload_with(
            "/vehicles/1/maps",
            &[("name", "Opaque"), ("kind", "unknown")],
            "x.bin",
            &[0, 159, 146, 150],
        )
        .await;
    assert_eq!(sent.status, StatusCode::SEE_OTHER, "{}", sent.text());
    let opaque = cell.store.maps(1).await.unwrap().into_iter().find(|m| m.name == "Opaque").unwrap().id;
    let none = cell.get(&format!("/maps/{opaque}/against")).await.text();
    assert!(none.contains("The file of Opaque is in none of the open forms"), "{none}");
}
