//! Dropping files: upload, preview, questions, commit with progress.

use super::page;
use super::print_said::print_of;
use super::right::extras_of;
use super::spool::{Sent, cut};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::state::AppState;
use crate::views::{InboxFragment, RunFragment, assignments, inbox_fragment, run_fragment};
use axum::Form;
use axum::extract::{Multipart, Path, State};
use axum::http::HeaderMap;
use axum::http::header::CONTENT_LENGTH;
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use jamjar_core::channel::Channel;
use jamjar_core::units::Unit;
use jamjar_store::{Begun, BuildState, Received, RunState};
use jamjar_workflow::WorkflowError;
use jamjar_workflow::import::catalogue::called;
use jamjar_workflow::import::{self, ChosenPull, ChosenSet, ColumnAnswer, MadeOf};
use serde::Deserialize;
use std::collections::HashMap;
use std::sync::Arc;

/// Largest upload in one request, bytes.
pub(crate) const UPLOAD_LIMIT: usize = 1 << 30;

/// Most sets of a form (our choice: sixty days of a back-catalogue at thirty sets each).
const MOST_SETS: usize = 1_800;

/// The inbox as it stands.
pub(crate) async fn fragment(state: &AppState, day_id: i64) -> Result<InboxFragment, WebError> {
    let items = state.store.inbox(day_id).await?;
    if items.is_empty() {
        return Ok(InboxFragment::empty(day_id));
    }
    let day = state.store.day(day_id).await?;
    let (maps, fuels) = state.store.known_names(day.vehicle_id).await?;
    let proposals = import::propose(&items, &maps, &fuels);
    let build = build_on(&state.store.builds(day.vehicle_id).await?, day.date);
    let kind = state.store.vehicle(day.vehicle_id).await?.vehicle.dyno.kind;
    let stored = state.store.sets_of_day(day_id).await?;
    let running = state.store.running(day_id).await?;
    let mut out = inbox_fragment(day_id, &items, &proposals, maps, fuels, build, kind);
    out.extras = state.store.known_extras(day.vehicle_id).await?.iter().map(assignments).collect();
    out.goes_to(&stored, running.as_ref());
    Ok(out)
}

/// The build state a vehicle was in on a date: the newest that had begun, else one nobody dated, else the first.
fn build_on(all: &[BuildState], date: NaiveDate) -> String {
    let begun = all.iter().rev().find(|b| b.since.is_some_and(|s| s <= date));
    let undated = || all.iter().rev().find(|b| b.since.is_none());
    begun.or_else(undated).or(all.first()).map_or_else(|| "A".to_owned(), |b| b.name.clone())
}

/// The running commit of a day, if any.
pub(crate) async fn running(state: &AppState, day_id: i64) -> Result<Option<RunFragment>, WebError> {
    let latest = state.store.latest_run(&import::run_name(day_id)).await?;
    Ok(latest.filter(|r| r.state == RunState::Running).map(|r| run_fragment(&r)))
}

pub(crate) async fn inbox(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    page(&fragment(&state, id).await?)
}

pub(crate) async fn upload(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    mut form: Multipart,
) -> Result<Response, WebError> {
    let declared =
        headers.get(CONTENT_LENGTH).and_then(|v| v.to_str().ok()).and_then(|v| v.parse().ok()).unwrap_or(0);
    state.spool.room_for(declared)?;
    let day = state.store.day(id).await?;
    let vehicle = state.store.vehicle(day.vehicle_id).await?;
    let (mut errors, mut known) = (Vec::new(), Vec::new());
    while let Some(field) = form.next_field().await.map_err(cut)? {
        if field.file_name().is_none_or(str::is_empty) {
            continue;
        }
        let file = Sent::take(&state, field).await?;
        let _turn = file.turn(&state).await;
        let ambient = day.air.map(|a| a.pressure_hpa / 10.0);
        let ratio = vehicle.vehicle.dyno.overall_ratio;
        let mut said = |name: &str, taken: Result<Received, WorkflowError>| match taken {
            Ok(r) if r.known => {
                known.push(format!("{name} is here already, byte for byte; it was not taken twice."));
                Ok(())
            }
            Ok(r) if r.elsewhere => {
                known.push(format!(
                    "{name} is already stored on another day; storing it here makes a second pull of it."
                ));
                Ok(())
            }
            Ok(_) => Ok(()),
            Err(WorkflowError::Format(e)) => {
                errors.push(e.to_string());
                Ok(())
            }
            Err(e) => Err(e),
        };
        match file.members().await {
            Err(e) => said(&file.name, Err(WorkflowError::Format(e)))?,
            Ok(None) => {
                let path = file.file.path();
                let taken = import::drop_spooled(&state.store, id, ratio, ambient, &file.name, path).await;
                said(&file.name, taken)?;
            }
            // Several recordings in one archive: each is a file of its own.
            Ok(Some(mut all)) => {
                for k in 0..all.len() {
                    let (path, _) = all.about(k).map_err(WorkflowError::Format)?;
                    let name = called(&path);
                    let taken = match all.read(k) {
                        Ok(bytes) => {
                            import::take_in(&state.store, id, ratio, ambient, &name, Arc::new(bytes)).await
                        }
                        Err(e) => Err(WorkflowError::Format(e)),
                    };
                    said(&name, taken)?;
                }
            }
        }
    }
    if headers.contains_key("x-part") {
        let mut f = fragment(&state, id).await?;
        (f.errors, f.known) = (errors, known);
        return Ok(page(&f)?.into_response());
    }
    match errors.first() {
        Some(e) => Err(WebError::Bad(e.clone())),
        None => Ok(Redirect::to(&format!("/days/{id}")).into_response()),
    }
}

#[derive(Deserialize)]
pub(crate) struct Answer {
    pub(super) source: String,
    column: String,
    #[serde(default)]
    channel: String,
    #[serde(default)]
    unit: String,
}

impl Answer {
    /// The answer, when channel and unit are such.
    pub(super) fn said(&self) -> Result<ColumnAnswer, WebError> {
        let channel = match self.channel.trim() {
            "" | "not used" => None,
            name => Some(Channel::new(name).map_err(|e| WebError::Bad(e.to_string()))?),
        };
        let unit = match self.unit.as_str() {
            "" => None,
            id => Some(
                serde_json::from_value::<Unit>(serde_json::Value::String(id.to_owned()))
                    .map_err(|_| WebError::Bad("that is not a unit we know".into()))?,
            ),
        };
        Ok(ColumnAnswer { column: self.column.clone(), channel, unit })
    }
}

pub(crate) async fn answer(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(a): Form<Answer>,
) -> Result<Html<String>, WebError> {
    let day = state.store.day(id).await?;
    let vehicle = state.store.vehicle(day.vehicle_id).await?;
    let said = a.said()?;
    let ratio = vehicle.vehicle.dyno.overall_ratio;
    if let Err(e) = import::answer(&state.store, id, ratio, &a.source, &said).await {
        // The files stay as they were read; the sheet says why the answer cannot be.
        let mut f = fragment(&state, id).await?;
        f.errors.push(WebError::from(e).text());
        return page(&f);
    }
    page(&fragment(&state, id).await?)
}

pub(crate) async fn clear(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    state.store.clear_inbox(id, None).await?;
    page(&fragment(&state, id).await?)
}

/// The sets a form says, each with map and fuel, or what is wrong with them.
pub(super) fn wanted(fields: &[(String, String)]) -> Result<Vec<ChosenSet>, String> {
    let sets = chosen(fields).map_err(|e| format!("Nothing was stored. {e}."))?;
    for s in sets.iter().filter(|s| !s.pulls.is_empty() && s.into.is_none()) {
        for (what, said) in [("map", &s.config.map), ("fuel", &s.config.fuel)] {
            if said.trim().is_empty() {
                return Err(format!(
                    "Say which {what} was in the vehicle for every set, or write “unknown”."
                ));
            }
        }
    }
    if sets.iter().all(|s| s.pulls.is_empty()) {
        return Err("No pull is ticked.".into());
    }
    Ok(sets)
}

/// What a pull of the form is made of, and the rest of its value.
fn made_of(value: &str) -> (MadeOf, &str) {
    let as_ = |m, prefix| value.strip_prefix(prefix).map(|rest| (m, rest));
    let other = as_(MadeOf::LogAlone, "log-").or_else(|| as_(MadeOf::Print, "print-"));
    other.unwrap_or((MadeOf::Recordings, value))
}

/// Reads `map.0`, `fuel.0`, `pull.0` (repeated), … into sets.
fn chosen(fields: &[(String, String)]) -> Result<Vec<ChosenSet>, String> {
    let mut out: Vec<ChosenSet> = Vec::new();
    let mut said: Vec<[String; 3]> = Vec::new();
    let mut paired: HashMap<(usize, i64), Option<i64>> = HashMap::new();
    for (key, value) in fields {
        let Some((name, index)) = key
            .split_once('.')
            .and_then(|(n, i)| i.parse::<usize>().ok().filter(|i| *i < MOST_SETS).map(|i| (n, i)))
        else {
            continue;
        };
        if out.len() <= index {
            out.resize(index + 1, ChosenSet::default());
        }
        let set = &mut out[index];
        let refused = |e: String| format!("Extras: {e}");
        match name {
            "map" => set.config.map.clone_from(value),
            "kind" => set.config.map_kind.clone_from(value),
            "fuel" => set.config.fuel.clone_from(value),
            "boost" => set.config.boost.clone_from(value),
            "gear" => set.config.gear.clone_from(value),
            "build" => set.config.build.clone_from(value),
            "note" => set.config.note.clone_from(value),
            "extras" => set.config.extras = extras_of(value).map_err(refused)?,
            "into" => set.into = value.parse().ok(),
            "runs" => set.runs = value == "yes",
            "place" | "applied" | "smoothing" => {
                said.resize(out.len(), Default::default());
                let [place, applied, smoothing] = &mut said[index];
                let slot = match name {
                    "place" => place,
                    "applied" => applied,
                    _ => smoothing,
                };
                slot.clone_from(value);
            }
            // Which engine computer's file belongs to a dyno's: “12:15”, “12:” for none.
            "log" => {
                if let Some((dyno, ecu)) = value.split_once(':').and_then(|(d, e)| Some((d.parse().ok()?, e)))
                {
                    paired.insert((index, dyno), ecu.parse::<i64>().ok());
                }
            }
            "pull" => {
                let (made_of, value) = made_of(value);
                let mut parts = value.split(':');
                let dyno = parts.next().and_then(|p| p.parse().ok());
                let ecu = parts.next().and_then(|p| p.parse().ok());
                let number = parts.next().and_then(|p| p.parse().ok());
                set.pulls.extend(dyno.map(|dyno| ChosenPull {
                    made_of,
                    dyno,
                    ecu,
                    number,
                    ..ChosenPull::default()
                }));
            }
            _ => {}
        }
    }
    for (k, set) in out.iter_mut().enumerate() {
        for p in set.pulls.iter_mut().filter(|p| p.made_of == MadeOf::Recordings) {
            p.ecu = paired.get(&(k, p.dyno)).copied().unwrap_or(p.ecu);
        }
    }
    // A log that was given to a dyno's recording stands alone no longer.
    let given: Vec<i64> = out.iter().flat_map(|s| &s.pulls).filter_map(|p| p.ecu).collect();
    for set in &mut out {
        set.pulls.retain(|p| p.made_of != MadeOf::LogAlone || !given.contains(&p.dyno));
    }
    for (set, [place, applied, smoothing]) in out.iter_mut().zip(&said) {
        set.print = print_of(place, applied, smoothing)?;
    }
    Ok(out)
}

pub(crate) async fn commit(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(fields): Form<Vec<(String, String)>>,
) -> Result<Html<String>, WebError> {
    state.store.day(id).await?;
    let sets = match wanted(&fields) {
        Ok(sets) => sets,
        Err(problem) => return page(&InboxFragment { problem, ..fragment(&state, id).await? }),
    };
    let run = begin(&state, id, sets).await?;
    page(&run_fragment(&state.store.run(run).await?))
}

/// Begins to store sets of a day; says the run.
pub(super) async fn begin(state: &AppState, id: i64, sets: Vec<ChosenSet>) -> Result<i64, WebError> {
    let total = sets.iter().map(|s| s.pulls.len()).sum::<usize>() as i32;
    Ok(match state.store.claim_run(Some(id), &import::run_name(id), total, Some(&claim(id, &sets))).await? {
        Begun::New(run) => {
            tokio::spawn(work(state.clone(), run, id, sets));
            run
        }
        // The same files, asked for again or at the same moment: whoever was first tells how it went.
        Begun::Before(run) => run,
    })
}

/// What a storing takes: its files, and the pulls in them. The same again is the same storing.
fn claim(day_id: i64, sets: &[ChosenSet]) -> String {
    let pulls = sets.iter().flat_map(|s| &s.pulls);
    let mut taken: Vec<_> = pulls.map(|p| (p.dyno, p.ecu, p.number, p.made_of as u8)).collect();
    taken.sort_unstable();
    crate::seen::mark(&(day_id, taken))
}

async fn work(state: AppState, run: i64, day_id: i64, sets: Vec<ChosenSet>) {
    let store = &state.store;
    let result = match store.inbox_bytes(day_id).await {
        Ok(bytes) => {
            let _turn = state.share(bytes).await;
            import::commit(store, run, 0, day_id, &sets, true).await
        }
        Err(e) => Err(e.into()),
    };
    let (state, message) = match result {
        Ok(_) => return,
        Err(WorkflowError::Internal(e)) => {
            tracing::error!(%e, "a storing broke");
            (RunState::Failed, "something broke; nothing was stored, and the log has the details".into())
        }
        Err(WorkflowError::Cancelled) => (RunState::Cancelled, "cancelled; nothing was stored".into()),
        Err(e) => (RunState::Failed, e.to_string()),
    };
    if let Err(e) = store.end_run(run, state, &message).await {
        tracing::error!(%e, "a run could not be ended");
    }
}

pub(crate) async fn run(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let r = state.store.run(id).await?;
    let body = page(&run_fragment(&r))?;
    if r.state == RunState::Done {
        return Ok(([("hx-refresh", "true")], body).into_response());
    }
    Ok(body.into_response())
}

pub(crate) async fn cancel(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    state.store.cancel_run(id).await?;
    page(&run_fragment(&state.store.run(id).await?))
}

pub(crate) async fn load_demo(_: Calibrator, State(state): State<AppState>) -> Result<Response, WebError> {
    super::demo_reports::start_demo(&state).await?;
    Ok(Redirect::to("/").into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn form_fields_become_sets() {
        let f = |k: &str, v: &str| (k.to_owned(), v.to_owned());
        let sets = chosen(&[
            f("map.0", "C3"),
            f("pull.0", "4:5:"),
            f("pull.0", "6::1"),
            f("fuel.1", "E30"),
            f("pull.1", "x"),
            f("map.99999", "no"),
            f("odd", "x"),
        ])
        .unwrap();
        assert_eq!(sets.len(), 2);
        assert_eq!(
            sets[0].pulls,
            vec![
                ChosenPull { dyno: 4, ecu: Some(5), ..ChosenPull::default() },
                ChosenPull { dyno: 6, number: Some(1), ..ChosenPull::default() }
            ]
        );
        assert_eq!(
            (sets[0].config.map.as_str(), sets[1].config.fuel.as_str(), sets[1].pulls.len()),
            ("C3", "E30", 0)
        );
    }

    #[test]
    fn the_build_of_a_day_is_the_one_it_was_in() {
        let d = |m| NaiveDate::from_ymd_opt(2026, m, 1);
        let state = |name: &str, since| BuildState {
            id: 0,
            name: name.into(),
            since,
            changed: String::new(),
            sets: 0,
        };
        let all = [state("A", d(1)), state("B", d(3))];
        for (date, want) in [(d(2), "A"), (d(4), "B"), (NaiveDate::from_ymd_opt(2025, 3, 24), "A")] {
            assert_eq!(build_on(&all, date.unwrap()), want, "{date:?}");
        }
        assert_eq!(build_on(&[state("x", None)], d(1).unwrap()), "x");
        assert_eq!(build_on(&[], d(1).unwrap()), "A");
    }

    #[test]
    fn a_pairing_said_by_hand_holds_and_a_log_given_away_stands_alone_no_longer() {
        let f = |k: &str, v: &str| (k.to_owned(), v.to_owned());
        let sets = chosen(&[
            f("pull.0", "4:5:0"),
            f("pull.0", "4:5:1"),
            f("pull.0", "6::"),
            f("log.0", "4:"),
            f("log.0", "6:7"),
            f("pull.1", "log-7::"),
            f("pull.1", "log-8::"),
        ])
        .unwrap();
        let pairs: Vec<_> = sets[0].pulls.iter().map(|p| (p.dyno, p.ecu)).collect();
        assert_eq!(pairs, [(4, None), (4, None), (6, Some(7))]);
        assert_eq!(sets[1].pulls.iter().map(|p| p.dyno).collect::<Vec<_>>(), [8]);
    }

    #[test]
    fn nothing_is_stored_of_sets_that_say_too_little() {
        let whole = [("map.0", "C3"), ("fuel.0", "E30"), ("pull.0", "4:5:")];
        let with = |more: &[(&str, &str)]| {
            let all = whole.iter().chain(more).map(|(k, v)| ((*k).to_owned(), (*v).to_owned()));
            wanted(&all.collect::<Vec<_>>())
        };
        assert_eq!(with(&[]).unwrap().len(), 1);
        for (more, says) in [
            (&[("fuel.0", " ")][..], "Say which fuel"),
            (&[("map.0", ""), ("fuel.0", "")], "Say which map"),
            (&[("extras.0", "switch")], "Nothing was stored. Extras: “switch”"),
        ] {
            assert!(with(more).unwrap_err().starts_with(says), "{says}");
        }
        assert_eq!(wanted(&[]).unwrap_err(), "No pull is ticked.");
    }
}
