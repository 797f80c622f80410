//! The list that is walked before the first pull, as the shop has it for its engines and dynos.

use super::checklist::own_checks;
use super::page;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::within;
use crate::views::{Typed, checks_page, dyno_of, engine_of, query_of};
use axum::Form;
use axum::extract::{Query, State};
use axum::response::{Html, Redirect};
use jamjar_workflow::checklist::{Change, For, GROUPS, Item, On, takes, usual};
use std::collections::HashMap;

/// Longest text of a line, and of what it does.
const LONGEST: usize = 300;
/// What bounds have to be.
const CANNOT_BE: &str = "the lowest lies below the highest, a share between 0 and 100 %";
/// Most lines of a shop's own (our choice: a list that is longer is not walked).
const MOST_OWN: usize = 60;

/// For which engine and dyno something is meant; blank is any.
fn only(f: &Typed) -> For {
    For { engine: engine_of(f.of("engine")), dyno: dyno_of(f.of("dyno")) }
}

/// The list as it is for an engine on a dyno: those asked for, else those of a day, else the most usual.
pub(crate) async fn show(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(q): Query<HashMap<String, String>>,
) -> Result<Html<String>, WebError> {
    let f = Typed(q);
    let own = own_checks(&state).await?.1;
    let asked = only(&f);
    let of_day = match f.of("day").parse::<i64>() {
        Ok(id) => {
            let v = state.store.vehicle(state.store.day(id).await?.vehicle_id).await?.vehicle;
            let on = On::of(&v);
            For { engine: Some(on.engine), dyno: Some(on.dyno) }
        }
        Err(_) => For::default(),
    };
    let only = For { engine: asked.engine.or(of_day.engine), dyno: asked.dyno.or(of_day.dyno) };
    page(&checks_page(&own, only, &prefs))
}

/// Bounds as they were typed: two numbers, or a share in per cent.
fn bounds(f: &Typed, shares: bool) -> Result<Vec<f64>, String> {
    let number = |name: &str, what: &str| within(what, f.of(name), [-1e6, 1e6]);
    if shares {
        let share = number("high", "largest share, %")?.ok_or("say the largest share that is good, %")?;
        return Ok(vec![share / 100.0]);
    }
    let both = [number("low", "lowest that is good")?, number("high", "highest that is good")?];
    both.into_iter()
        .collect::<Option<Vec<f64>>>()
        .ok_or_else(|| "say the lowest and the highest that are good".into())
}

fn new_item(f: &Typed) -> Result<Item, String> {
    let text: String = f.of("text").trim().chars().take(LONGEST).collect();
    if text.is_empty() {
        return Err("say what is looked at".into());
    }
    let kind = f.of("takes");
    let takes = match kind {
        "" => None,
        "codes" | "words" => takes(kind, "", &[]),
        _ => {
            let unit: String = f.of("unit").trim().chars().take(20).collect();
            let within = bounds(f, kind == "each" || kind == "held")?;
            Some(takes(kind, &unit, &within).ok_or(CANNOT_BE)?)
        }
    };
    let guards = f.of("guards") == "yes";
    let group = GROUPS.iter().find(|g| **g == f.of("group")).copied().unwrap_or(GROUPS[1]);
    Ok(Item {
        id: String::new(),
        group: if guards { GROUPS[0] } else { group }.to_owned(),
        text,
        guards,
        takes,
        does: f.of("does").trim().chars().take(LONGEST).collect(),
    })
}

/// Changes one thing of the list.
pub(crate) async fn change(
    _: Calibrator,
    State(state): State<AppState>,
    Form(f): Form<HashMap<String, String>>,
) -> Result<Redirect, WebError> {
    let f = Typed(f);
    let (was, mut own) = own_checks(&state).await?;
    let (id, only) = (f.of("id").to_owned(), only(&f));
    let known = || usual().into_iter().chain(own.own.iter().map(|o| o.item.clone())).any(|i| i.id == id);
    if f.of("do") != "add" && !known() {
        return Err(WebError::NotFound("There is no such line.".into()));
    }
    match f.of("do") {
        "add" if own.own.len() >= MOST_OWN => {
            return Err(WebError::Bad(format!(
                "{MOST_OWN} lines of your own are enough: nobody walks a longer list"
            )));
        }
        "add" => own.add(new_item(&f).map_err(WebError::Bad)?, only),
        "drop" => own.drop_own(&id),
        "leave" => own.change(&id, only, Some(Change::LeftOut)),
        "back" => own.changed.retain(|c| c.id != id),
        "within" => {
            let item = own.list(only.one(), &Default::default()).into_iter().find(|i| i.id == id);
            let takes = item
                .and_then(|i| i.takes)
                .ok_or_else(|| WebError::Bad("this line takes no number".into()))?;
            let within = bounds(&f, takes.bounds().len() == 1).map_err(WebError::Bad)?;
            if takes.bounded(&within).is_none() {
                return Err(WebError::Bad(CANNOT_BE.into()));
            }
            own.change(&id, only, Some(Change::Within(within)));
        }
        _ => return Err(WebError::Bad("say what is to be changed".into())),
    }
    let now = serde_json::to_string(&own).map_err(|e| WebError::Internal(e.to_string()))?;
    state.store.set_own_checks(&was, &now).await?;
    let q = query_of(&[("engine", f.of("engine").to_owned()), ("dyno", f.of("dyno").to_owned())]);
    Ok(Redirect::to(&format!("/settings/checks?{q}")))
}
