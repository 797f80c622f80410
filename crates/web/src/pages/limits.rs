//! One limit edited with the pulls it would judge in sight, and the channels a shop computes.

use super::limit_form::typed_limit;
use super::vehicles::{Fields, back, figures_follow};
use super::{encoding, page};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::views::{ComputedPage, LimitPage, computed_page, limit_fields, limit_page};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use jamjar_core::channel::Channel;
use jamjar_core::computed::{Computed, compile_all};
use jamjar_core::limits::Limit;
use jamjar_store::{Subject, VehicleRecord};
use jamjar_workflow::sets::recent_days;
use jamjar_workflow::under_limit::under_limit;
use serde::Deserialize;
use std::collections::BTreeSet;

#[derive(Deserialize)]
pub(crate) struct Which {
    /// Id of a limit; blank for a new one.
    #[serde(default)]
    limit: String,
    /// Channel a new one is on.
    #[serde(default)]
    channel: String,
}

/// Channels that the newest pulls of a vehicle hold.
async fn logged(state: &AppState, v: &VehicleRecord) -> Result<BTreeSet<Channel>, WebError> {
    let mut out = BTreeSet::new();
    for (_, sets) in recent_days(&state.store, v, 3).await? {
        let measured = sets.iter().flat_map(|s| s.pulls.iter().map(|p| &p.1.measured));
        out.extend(measured.flat_map(|m| m.channels.iter().map(|c| c.channel.clone())));
    }
    Ok(out)
}

async fn built(
    state: &AppState,
    prefs: &Prefs,
    v: &VehicleRecord,
    fields: Fields,
    read: Result<Limit, String>,
) -> Result<LimitPage, WebError> {
    let under = match &read {
        Ok(l) => Some((l.clone(), under_limit(&state.store, v, l).await?)),
        Err(_) => None,
    };
    let (e, logged) = (encoding(state, v.id).await?, logged(state, v).await?);
    let trail = state.store.trail(Subject::Vehicle(v.id)).await?;
    let builds = state.store.builds(v.id).await?.into_iter().map(|b| b.name).collect();
    let mut p = limit_page(v, prefs, fields, under.as_ref(), (&e, &logged), &trail, builds);
    p.problem = read.err().unwrap_or_default();
    Ok(p)
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<Which>,
) -> Result<Html<String>, WebError> {
    let v = state.store.vehicle(id).await?;
    let held = v.limits.iter().find(|l| l.id == q.limit);
    if held.is_none() && !q.limit.is_empty() {
        return Err(WebError::NotFound(format!("There is no limit “{}” of this vehicle any more.", q.limit)));
    }
    let fields = limit_fields(held, &q.channel);
    let read = match held {
        Some(l) => Ok(l.clone()),
        None => typed_limit(&fields, &v.limits),
    };
    let mut p = built(&state, &prefs, &v, fields, read).await?;
    // Nothing is wrong with a form nobody has filled in yet.
    if held.is_none() {
        p.problem.clear();
    }
    page(&p)
}

/// What the limit as typed would say; nothing is kept.
pub(crate) async fn preview(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Html<String>, WebError> {
    let v = state.store.vehicle(id).await?;
    let read = typed_limit(&f, &v.limits);
    page(&built(&state, &prefs, &v, f, read).await?)
}

pub(crate) async fn computed(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<Idea>,
) -> Result<Html<String>, WebError> {
    let v = state.store.vehicle(id).await?;
    let logged = logged(&state, &v).await?;
    let mut p = computed_page(&v, &prefs, &logged);
    if let Some(idea) = q.idea {
        p.start_from(idea);
    }
    page(&p)
}

#[derive(Deserialize)]
pub(crate) struct Idea {
    idea: Option<usize>,
}

/// Rows as typed: name, unit, expression.
fn rows(f: &Fields) -> Vec<[String; 3]> {
    let get = |name: &str, i: usize| f.get(&format!("{name}.{i}")).map(|s| s.trim().to_owned());
    (0..=jamjar_core::computed::MOST)
        .map(|i| ["name", "unit", "expr"].map(|n| get(n, i).unwrap_or_default()))
        .filter(|r| !(r[0].is_empty() && r[2].is_empty()))
        .collect()
}

/// A channel that is kept under the name it has, or named by its words and unit.
fn read(rows: &[[String; 3]], held: &[Computed]) -> Result<Vec<Computed>, (usize, String)> {
    let mut out: Vec<Computed> = Vec::new();
    for (i, [words, unit, expr]) in rows.iter().enumerate() {
        let same = |c: &&Computed| c.unit == *unit && c.name.label() == *words;
        let name = match held.iter().find(same) {
            Some(c) => c.name.clone(),
            None => Channel::named(words, unit)
                .map_err(|_| (i, format!("“{words}” is no name: use letters and digits")))?,
        };
        out.push(Computed { name, unit: unit.clone(), expr: expr.clone() });
        compile_all(&out).map_err(|e| (i, e.to_string()))?;
    }
    Ok(out)
}

pub(crate) async fn keep_computed(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let v = state.store.vehicle(id).await?;
    let seen = f.get("seen").map(String::as_str).unwrap_or_default();
    unchanged(seen, &mark(&v.sheet.computed), "the computed channels", || {
        v.sheet.computed.iter().map(|c| c.name.label()).collect::<Vec<_>>().join(", ")
    })?;
    let typed = rows(&f);
    match read(&typed, &v.sheet.computed) {
        Ok(computed) => {
            let used = v.limits.iter().find(|l| {
                let gone = |c: &Computed| c.name == l.channel && computed.iter().all(|n| n.name != c.name);
                v.sheet.computed.iter().any(gone)
            });
            if let Some(l) = used {
                let problem = format!("a limit rests on {}: drop that first", l.channel.label());
                return refused(&state, &prefs, &v, &typed, (typed.len(), problem)).await;
            }
            let sheet = jamjar_core::vehicle_sheet::VehicleSheet { computed, ..v.sheet.clone() };
            state.store.set_sheet(id, &sheet, Some(v.version), &who.by("")).await?;
            figures_follow(&state, id);
            Ok(back(id, "computed"))
        }
        Err(wrong) => refused(&state, &prefs, &v, &typed, wrong).await,
    }
}

async fn refused(
    state: &AppState,
    prefs: &Prefs,
    v: &VehicleRecord,
    typed: &[[String; 3]],
    (row, problem): (usize, String),
) -> Result<Response, WebError> {
    let logged = logged(state, v).await?;
    let mut p: ComputedPage = computed_page(v, prefs, &logged);
    p.typed(typed, row, problem);
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response())
}
