//! A stored set: its configuration, its pulls and their places.

use super::{again, why};
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::page;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::typed::Wrong;
use crate::views::{Field, FieldForm, RightPage, Shell, Standing, assignments, count, trail};
use axum::Form;
use axum::extract::{Path, RawForm, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_core::factors::{Factors, USUAL};
use jamjar_store::{Configuration, Set, Subject, To};
use serde::Deserialize;

#[derive(Deserialize, Clone)]
pub(crate) struct Typed {
    map: String,
    #[serde(default)]
    map_kind: String,
    fuel: String,
    #[serde(default)]
    boost: String,
    #[serde(default)]
    gear: String,
    #[serde(default)]
    build: String,
    #[serde(default)]
    extras: String,
    #[serde(default)]
    note: String,
    #[serde(default)]
    why: String,
    #[serde(default)]
    seen: String,
}

/// What a form shows of a configuration.
fn typed_of(c: &Configuration) -> Typed {
    Typed {
        map: c.map.clone(),
        map_kind: c.map_kind.clone(),
        fuel: c.fuel.clone(),
        boost: c.boost.clone(),
        gear: c.gear.clone(),
        build: c.build.clone(),
        extras: assignments(&c.extras),
        note: c.note.clone(),
        why: String::new(),
        seen: String::new(),
    }
}

/// Names and values of extras, as `switch = 2; cover = off`.
pub(crate) fn extras_of(text: &str) -> Result<Factors, String> {
    let mut out = Factors::new();
    for part in text.split([';', '\n']).map(str::trim).filter(|p| !p.is_empty()) {
        let (name, value) = part
            .split_once(['=', ':'])
            .map(|(n, v)| (n.trim(), v.trim()))
            .filter(|(n, v)| !n.is_empty() && !v.is_empty())
            .ok_or_else(|| {
                format!("“{part}” is not a name with a value; write for example switch = 2; cover = off")
            })?;
        if USUAL.contains(&name) {
            return Err(format!("{name} has a field of its own"));
        }
        if name.chars().count() > 60 || value.chars().count() > 120 {
            return Err(format!("“{part}” is longer than an extra may be"));
        }
        if out.insert(name.to_owned(), value.to_owned()).is_some() {
            return Err(format!("{name} is said twice"));
        }
    }
    Ok(out)
}

/// The configuration a form says, or the field that is wrong and why.
fn config_of(f: &Typed, was: &Configuration) -> Result<Configuration, Wrong> {
    for (name, text, most, needed) in [
        ("map", &f.map, 120, true),
        ("fuel", &f.fuel, 120, true),
        ("build", &f.build, 120, true),
        ("boost", &f.boost, 60, false),
        ("gear", &f.gear, 20, false),
        ("note", &f.note, 10_000, false),
        ("why", &f.why, 500, false),
    ] {
        if text.chars().count() > most {
            return Err((name, format!("at most {most} characters fit")));
        }
        if needed && text.trim().is_empty() {
            return Err((name, "say which it was, or “unknown”".into()));
        }
    }
    if f.gear.trim() != was.gear && f.why.trim().is_empty() {
        return Err(("why", "say why the gear was another: ratios and clocks rest on it".into()));
    }
    let kind = KINDS.iter().map(|k| k.0).find(|k| *k == f.map_kind).unwrap_or("unknown");
    Ok(Configuration {
        build: f.build.trim().to_owned(),
        map: f.map.trim().to_owned(),
        map_kind: if f.map.trim() == was.map { was.map_kind.clone() } else { kind.to_owned() },
        fuel: f.fuel.trim().to_owned(),
        boost: f.boost.trim().to_owned(),
        gear: f.gear.trim().to_owned(),
        extras: extras_of(&f.extras).map_err(|e| ("extras", e))?,
        note: f.note.trim().replace("\r\n", "\n"),
    })
}

fn mark_of(c: &Configuration) -> String {
    mark(&(&c.map, &c.fuel, &c.boost, &c.gear, &c.build, &c.extras, &c.note))
}

const KINDS: [(&str, &str); 4] = [
    ("custom", "custom"),
    ("stock", "stock"),
    ("off_the_shelf", "off the shelf"),
    ("unknown", "unknown as found"),
];

/// A set in a list.
fn name_of(s: &Set) -> String {
    format!("set {}: {} on {}", s.position, s.config.map, s.config.fuel)
}

async fn form_page(
    state: &AppState,
    prefs: &Prefs,
    person: &str,
    set: &Set,
    f: &Typed,
) -> Result<RightPage, WebError> {
    let (maps, fuels) = state.store.known_names(set.vehicle_id).await?;
    let extras = state.store.known_extras(set.vehicle_id).await?;
    let builds = state.store.builds(set.vehicle_id).await?.into_iter().map(|b| b.name).collect();
    let kinds = KINDS.map(|(id, words)| (id.to_owned(), words.to_owned())).into();
    let sets = state.store.sets_of_day(set.day_id).await?;
    let pulls = sets.iter().find(|s| s.set.id == set.id).map_or(0, |s| s.pulls.len());
    let all: usize = sets.iter().map(|s| s.pulls.len()).sum();
    let fields = vec![
        Field::text("map", "Map", &f.map).offering(maps),
        Field::one_of("map_kind", "Kind, if it is a new one", &f.map_kind, kinds),
        Field::text("fuel", "Fuel", &f.fuel).offering(fuels),
        Field::text("boost", "Boost target", &f.boost),
        Field::text("gear", "Gear", &f.gear).wide(5),
        Field::text("build", "Build", &f.build).offering(builds),
        Field::text("extras", "Extras", &f.extras)
            .wide(36)
            .hint("switch = 2; cover = off")
            .offering(extras.iter().map(assignments).collect()),
        Field { kind: "area", ..Field::text("note", "Note", &f.note).wide(40) },
        Field::text("why", "Why", &f.why).wide(30).hint("asked for a gear, free elsewhere"),
    ];
    let form = FieldForm {
        action: format!("/sets/{}/edit", set.id),
        fields,
        seen: if f.seen.is_empty() { mark_of(&set.config) } else { f.seen.clone() },
        button: "Put it right",
        says: format!(
            "The {} of this day are measured again at the next look; every line-up with this set follows.",
            count(all, "pull")
        ),
    };
    let mut p = RightPage::new(
        Shell::new("Put a set right", &prefs.theme, ""),
        "set",
        set.id,
        format!("S{}, {}", name_of(set).trim_start_matches('s'), count(pulls, "pull")),
        form,
    );
    p.crumbs = vec![
        (format!("/vehicles/{}", set.vehicle_id), set.vehicle.clone()),
        (format!("/days/{}#set-{}", set.day_id, set.id), prefs.written.date(set.date)),
    ];
    p.archived = set.archived;
    p.archive_says =
        "The set and its pulls leave lists, figures and search. They can be brought back.".into();
    p.person = person.to_owned();
    p.lasting = state.store.lasting_id(Subject::Set(set.id)).await?.unwrap_or_default();
    for s in &sets {
        if s.set.id == set.id {
            p.pulls = s
                .pulls
                .iter()
                .map(|(pull, summary)| Standing {
                    id: pull.id,
                    name: format!("p{}", pull.position),
                    words: pull
                        .started_at
                        .map(|t| t.format("%H:%M").to_string())
                        .into_iter()
                        .chain(summary.measured.excluded.clone().map(|w| format!("left out: {w}")))
                        .collect::<Vec<_>>()
                        .join(", "),
                })
                .collect();
        } else if s.set.config.factors() == set.config.factors() {
            p.twins.push((s.set.id.to_string(), name_of(&s.set)));
        }
    }
    p.places = std::iter::once(("own".to_owned(), "to a set of their own".to_owned()))
        .chain([(set.id.to_string(), "to another place of this set".to_owned())])
        .chain(
            sets.iter()
                .filter(|s| s.set.id != set.id)
                .map(|s| (s.set.id.to_string(), format!("to {}", name_of(&s.set)))),
        )
        .chain([("archive".to_owned(), "into the archive".to_owned())])
        .collect();
    p.merge_says = "Its pulls go behind those of the other, which has the same configuration.";
    p.trail = trail(&state.store.trail(Subject::Set(set.id)).await?, &prefs.written);
    Ok(p)
}

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    let set = state.store.set(id).await?;
    page(&form_page(&state, &prefs, &who.name, &set, &typed_of(&set.config)).await?)
}

pub(crate) async fn edit(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Typed>,
) -> Result<Response, WebError> {
    let set = state.store.set(id).await?;
    let c = &set.config;
    unchanged(&f.seen, &mark_of(c), "the set", || {
        let now = typed_of(c);
        format!(
            "{} on {}, boost “{}”, gear “{}”, build {}, extras “{}”, note “{}”",
            now.map, now.fuel, now.boost, now.gear, now.build, now.extras, now.note
        )
    })?;
    match config_of(&f, c) {
        Ok(now) => {
            state.store.edit_set(id, c, &now, &who.by(f.why.trim())).await?;
            Ok(Redirect::to(&format!("/days/{}#set-{id}", set.day_id)).into_response())
        }
        Err(wrong) => {
            let p = form_page(&state, &prefs, &who.name, &set, &f).await?;
            again(p, format!("{}: {}", wrong.0, wrong.1), wrong)
        }
    }
}

/// Moves, splits off or archives the ticked pulls.
pub(crate) async fn pulls(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    RawForm(body): RawForm,
) -> Result<Redirect, WebError> {
    let pairs: Vec<(String, String)> = form_urlencoded::parse(&body).into_owned().collect();
    let of = |name: &str| pairs.iter().find(|p| p.0 == name).map(|p| p.1.trim()).unwrap_or_default();
    let ticked: Vec<i64> = pairs.iter().filter(|p| p.0 == "pull").filter_map(|p| p.1.parse().ok()).collect();
    if ticked.is_empty() {
        return Err(WebError::Bad("no pull is ticked: tick those that are meant".into()));
    }
    let by = who.by(why(of("why"))?);
    let set = state.store.set(id).await?;
    let place = match of("place") {
        "" => None,
        text => Some(
            text.parse()
                .map_err(|_| WebError::Bad(format!("place: “{text}” is not a whole number from 1")))?,
        ),
    };
    let now_in = match of("to") {
        "archive" => {
            let things: Vec<Subject> = ticked.into_iter().map(Subject::Pull).collect();
            state.store.archive(&things, &by).await?;
            id
        }
        "own" => state.store.move_pulls(id, &ticked, To::Own, &by).await?,
        text => {
            let to = text.parse().map_err(|_| WebError::Bad("say where the pulls go".into()))?;
            state.store.move_pulls(id, &ticked, To::Set { id: to, place }, &by).await?
        }
    };
    Ok(Redirect::to(&format!("/days/{}#set-{now_in}", set.day_id)))
}

#[derive(Deserialize)]
pub(crate) struct Target {
    pub(super) into: i64,
    #[serde(default)]
    pub(super) why: String,
}

pub(crate) async fn merge(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Target>,
) -> Result<Redirect, WebError> {
    let day = state.store.set(id).await?.day_id;
    let set = state.store.merge_sets(id, f.into, &who.by(why(&f.why)?)).await?;
    Ok(Redirect::to(&format!("/days/{day}#set-{set}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn extras_are_names_with_values_and_a_field_of_its_own_is_none() {
        let e = extras_of("switch = 2; cover: off;").unwrap();
        assert_eq!((e["switch"].as_str(), e["cover"].as_str(), e.len()), ("2", "off", 2));
        for (text, says) in
            [("switch", "not a name with a value"), ("gear = 3", "field of its own"), ("a=1;a=2", "twice")]
        {
            assert!(extras_of(text).unwrap_err().contains(says), "{text}");
        }
    }

    #[test]
    fn another_gear_needs_a_reason() {
        let was = Configuration {
            map: "C3".into(),
            fuel: "E30".into(),
            build: "A".into(),
            gear: "4".into(),
            ..Configuration::default()
        };
        let f = Typed { gear: "3".into(), ..typed_of(&was) };
        assert_eq!(config_of(&f, &was).unwrap_err().0, "why");
        let f = Typed { why: "typed wrong".into(), ..f };
        assert_eq!(config_of(&f, &was).unwrap().gear, "3");
        assert_eq!(config_of(&Typed { fuel: " ".into(), ..typed_of(&was) }, &was).unwrap_err().0, "fuel");
    }
}
