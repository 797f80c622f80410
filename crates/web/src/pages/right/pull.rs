//! A pull: its trail, archiving it and bringing it back. Its place is put right with its set.

use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::page;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{FieldForm, RightPage, Shell, date_words, trail};
use axum::extract::{Path, State};
use axum::response::Html;
use jamjar_store::Subject;

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    let set = state.store.set(state.store.set_of_pull(id).await?).await?;
    let title = format!("Pull {id} of set {}: {} on {}", set.position, set.config.map, set.config.fuel);
    let shell = Shell::new("Put a pull right", &prefs.theme, "");
    let mut p = RightPage::new(shell, "pull", id, title, FieldForm::default());
    p.crumbs = vec![
        (format!("/vehicles/{}", set.vehicle_id), set.vehicle.clone()),
        (format!("/days/{}#set-{}", set.day_id, set.id), date_words(set.date)),
        (format!("/sets/{}/edit", set.id), format!("set {}, where it is moved", set.position)),
    ];
    p.archived = state.store.is_archived(Subject::Pull(id)).await?;
    p.archive_says = "The pull leaves lists, figures, limits and search. It can be brought back. To leave it out of figures alone, say so on its page.".into();
    p.trail = trail(&state.store.trail(Subject::Pull(id)).await?);
    p.person = who.name;
    page(&p)
}
