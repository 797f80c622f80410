//! Map files in custody: taken in whole, given out checked, priced.

use super::spool::{fields_and_file, lost};
use super::stream::Sent;
use super::vehicles::{Fields, back, refuse};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use axum::Form;
use axum::body::Body;
use axum::extract::{Multipart, Path, State};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_LENGTH, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use jamjar_formats::TableForm;
use jamjar_store::NewMap;
use jamjar_workflow::map_text::{LARGEST_TEXT, map_text};
use std::fs::File;

/// A dropped map file: read, checked, taken into custody whole.
pub(crate) async fn map(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    form: Multipart,
) -> Result<Response, WebError> {
    state.store.vehicle(id).await?;
    let (fields, file) = fields_and_file(&state, form).await?;
    let Some(file) = file else { return refuse(&state, &prefs, id, "choose a map file first".into()).await };
    let _turn = file.turn(&state).await;
    // What is larger than any text is kept as it is, and streamed.
    let head = if file.file.bytes() <= LARGEST_TEXT { file.read().await? } else { Vec::new() };
    let new = match map_of(&fields, &file.name, &head) {
        Ok(n) => n,
        Err(problem) => return refuse(&state, &prefs, id, problem).await,
    };
    let bytes = File::open(file.file.path()).map_err(lost)?;
    match state.store.put_map(id, &new, bytes).await {
        Ok(_) => Ok(back(id, "maps")),
        Err(jamjar_store::StoreError::Duplicate) => {
            let text = format!(
                "{} already has another file. A file in custody is never replaced: give the changed map a name of its own.",
                new.name
            );
            refuse(&state, &prefs, id, text).await
        }
        Err(jamjar_store::StoreError::Refused(why)) => refuse(&state, &prefs, id, why).await,
        Err(e) => Err(e.into()),
    }
}

/// A map in one of the open forms says its own name; any other file is kept as it is under the name given.
fn map_of(f: &Fields, file_name: &str, bytes: &[u8]) -> Result<NewMap, String> {
    let given = f.get("name").map(|s| s.trim().chars().take(120).collect::<String>()).unwrap_or_default();
    let kind = f
        .get("kind")
        .cloned()
        .filter(|k| ["stock", "off_the_shelf", "custom", "unknown"].contains(&k.as_str()));
    let ours = std::str::from_utf8(bytes).ok().and_then(|t| Some((TableForm::of(t)?, t)));
    let own = match ours {
        Some((form, text)) => Some(form.read(text, file_name).map_err(|e| e.to_string())?),
        None => None,
    };
    let name =
        if given.is_empty() { own.as_ref().map(|m| m.name.clone()).unwrap_or_default() } else { given };
    if name.is_empty() {
        return Err(format!("{file_name} does not say its name: give the map a name"));
    }
    let own = own.unwrap_or_default();
    Ok(NewMap {
        name,
        kind: kind.unwrap_or(if own.kind.is_empty() { "unknown".into() } else { own.kind }),
        parent: own.revision_of,
        for_fuel: own.for_fuel,
        note: own.note.unwrap_or_default(),
        file_name: file_name.to_owned(),
    })
}

/// What a map costs; an empty field takes the price away.
pub(crate) async fn price(
    _: Calibrator,
    State(state): State<AppState>,
    prefs: Prefs,
    Path((id, map)): Path<(i64, i64)>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let typed = f.get("price").map(|p| p.trim().to_owned()).unwrap_or_default();
    let price = match (typed.is_empty(), jamjar_core::units::typed(&typed)) {
        (true, _) => None,
        (_, Some(p)) if p.is_finite() && (0.0..=1e9).contains(&p) => Some(p),
        _ => {
            return refuse(
                &state,
                &prefs,
                id,
                format!("price: “{typed}” is not an amount; write it as 690 or 690.50"),
            )
            .await;
        }
    };
    if !state.store.set_map_price(id, map, price).await? {
        return Err(WebError::NotFound("this vehicle has no such map".into()));
    }
    Ok(back(id, "maps"))
}

/// A file out of custody: held against its hash first, then sent as it is read.
pub(crate) async fn file(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let info = state.store.file(id).await?;
    let whole = state.store.open_file(id).await?;
    tokio::task::spawn_blocking(move || whole.intact())
        .await
        .map_err(|e| WebError::Internal(e.to_string()))??;
    let body = Body::new(Sent::of(state.store.open_file(id).await?));
    let name = ascii(&info.name);
    let headers = [
        (CONTENT_TYPE, "application/octet-stream".to_owned()),
        (CONTENT_LENGTH, info.bytes.to_string()),
        (CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")),
    ];
    Ok((headers, body).into_response())
}

/// The tables of a map in one of the open forms.
pub(crate) async fn tables(
    _: Reader,
    State(state): State<AppState>,
    Path((id, form)): Path<(i64, String)>,
) -> Result<Response, WebError> {
    let form = TableForm::named(&form)
        .ok_or_else(|| WebError::NotFound("tables are given as map, json or csv".into()))?;
    let vehicle = state.store.vehicle_of_map(id).await?;
    let maps = state.store.maps(vehicle).await?;
    let map =
        maps.iter().find(|m| m.id == id).ok_or_else(|| WebError::NotFound("there is no such map".into()))?;
    let read = map_text(&state.store, map).await?.map_err(WebError::Bad)?;
    let kind = match form {
        TableForm::Text => "text/plain; charset=utf-8",
        TableForm::Json => "application/json",
        TableForm::Csv => "text/csv; charset=utf-8",
    };
    let name = format!("attachment; filename=\"{}.{}\"", ascii(&map.name), form.suffix());
    Ok(([(CONTENT_TYPE, kind.to_owned()), (CONTENT_DISPOSITION, name)], form.write(&read)).into_response())
}

/// A name for a file, in letters any system takes.
fn ascii(name: &str) -> String {
    name.chars().map(|c| if c.is_ascii_alphanumeric() || "._- ".contains(c) { c } else { '_' }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fields(pairs: &[(&str, &str)]) -> Fields {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
    }

    #[test]
    fn a_map_of_ours_names_itself_and_another_needs_a_name() {
        let text = b"jamjar map 1\nname C7\nkind custom\nrevision of C6\n".to_vec();
        let m = map_of(&fields(&[]), "c7.map", &text).unwrap();
        assert_eq!((m.name.as_str(), m.parent.as_deref(), m.kind.as_str()), ("C7", Some("C6"), "custom"));
        assert!(map_of(&fields(&[]), "x.bin", &[0, 1, 2]).unwrap_err().contains("give the map a name"));
        let other =
            map_of(&fields(&[("name", "As found"), ("kind", "unknown")]), "x.bin", &[0, 1, 2]).unwrap();
        assert_eq!((other.name.as_str(), other.kind.as_str()), ("As found", "unknown"));
        let broken = b"jamjar map 1\nname C7\noops\n".to_vec();
        assert!(map_of(&fields(&[]), "c7.map", &broken).unwrap_err().starts_with("c7.map:3:1"));
    }
}
