//! Recordings of a pull, in the open forms.

use crate::auth::Reader;
use crate::error::WebError;
use crate::state::AppState;
use axum::extract::{Path, Query, State};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use jamjar_formats::{LogForm, OutLog, write_recordings};
use serde::Deserialize;

#[derive(Deserialize)]
pub(crate) struct Which {
    /// `dyno` or `ecu`, for forms that hold one recording.
    #[serde(default)]
    log: String,
}

/// The samples of a pull as they are judged, each recording on its own clock.
pub(crate) async fn of_pull(
    _: Reader,
    State(state): State<AppState>,
    Path((id, ending)): Path<(i64, String)>,
    Query(q): Query<Which>,
) -> Result<Response, WebError> {
    let none = || WebError::NotFound("A recording is given out as csv, mf4 or parquet.".into());
    let form = LogForm::ALL.into_iter().find(|f| f.ending() == ending).ok_or_else(none)?;
    let (dyno, ecu) = state.store.samples(id).await?;
    let which = match (form.holds_several(), q.log.as_str()) {
        (true, _) => "",
        (false, "ecu") => "-ecu",
        (false, _) => "-dyno",
    };
    if which == "-ecu" && ecu.is_none() {
        return Err(WebError::NotFound("this pull has no recording of the engine computer".into()));
    }
    let name = format!("pull-{id}{which}.{ending}");
    let about = format!("pull {id}; units are those of the columns; each recording on its own clock");
    let written = tokio::task::spawn_blocking(move || {
        let dyno = (which != "-ecu").then(|| OutLog::new("dyno", &dyno));
        let ecu = ecu.as_ref().filter(|_| which != "-dyno").map(|e| OutLog::new("ecu", e));
        let logs: Vec<OutLog<'_>> = dyno.into_iter().chain(ecu).collect();
        let mut out = Vec::new();
        write_recordings(&mut out, form, &logs, (&about, 0)).map(|()| out)
    });
    let bytes = written
        .await
        .map_err(|e| WebError::Internal(e.to_string()))?
        .map_err(|e| WebError::Internal(e.to_string()))?;
    let attachment = format!("attachment; filename=\"{name}\"");
    Ok(([(CONTENT_TYPE, form.media().to_owned()), (CONTENT_DISPOSITION, attachment)], bytes).into_response())
}
