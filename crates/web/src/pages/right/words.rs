//! Words of maps, fuels, build states and notes, put right.

use super::{again, why};
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::page;
use crate::pages::vehicles::Fields;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::typed::{Wrong, blank_or, ethanol, optional};
use crate::views::{Field, FieldForm, RightPage, Shell, trail};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveTime;
use jamjar_core::calculators::kind::{FuelFacts, Kind};
use jamjar_core::calculators::octane::Scale;
use jamjar_store::{BuildWords, By, FuelWords, MapWords, NoteWords, StoreError, Subject};

/// Longest name.
const NAME: usize = 120;
/// Longest text.
const TEXT: usize = 10_000;

fn get<'f>(f: &'f Fields, name: &str) -> &'f str {
    f.get(name).map_or("", |s| s.trim())
}

fn name_of(f: &Fields, what: &str) -> Result<String, Wrong> {
    match get(f, "name") {
        "" => Err(("name", format!("{what} needs a name"))),
        n if n.chars().count() > NAME => Err(("name", format!("the name is longer than {NAME} characters"))),
        n => Ok(n.to_owned()),
    }
}

fn text_of(f: &Fields, name: &'static str, most: usize) -> Result<String, Wrong> {
    match get(f, name) {
        t if t.chars().count() > most => Err((name, format!("that is longer than {most} characters"))),
        t => Ok(t.to_owned()),
    }
}

fn some(text: String) -> Option<String> {
    (!text.is_empty()).then_some(text)
}

/// A number as its field shows it.
fn number_text(v: Option<f64>) -> String {
    v.map_or_else(String::new, |v| v.to_string())
}

/// Scales of octane numbers to choose from.
fn scales() -> Vec<(String, String)> {
    let none = (String::new(), "none".to_owned());
    let each = Scale::ALL.map(|s| (s.label().to_owned(), s.label().to_owned()));
    [none].into_iter().chain(each).collect()
}

/// Kinds of fuel to choose from.
fn kinds_of_fuel() -> Vec<(String, String)> {
    let none = (String::new(), "not said".to_owned());
    let each = Kind::ALL.map(|k| (k.id().to_owned(), k.label().to_owned()));
    [none].into_iter().chain(each).collect()
}

/// A page for the words of one thing: its kind and id in the address, the way here and its trail.
struct Sheet {
    kind: &'static str,
    id: i64,
    title: String,
    crumb: (String, String),
    fields: Vec<Field>,
    seen: String,
    /// Whose trail shows the changes.
    trail: Subject,
    says: &'static str,
}

impl Sheet {
    async fn page(&self, state: &AppState, prefs: &Prefs, person: &str) -> Result<RightPage, WebError> {
        let mut fields = self.fields.clone();
        fields.push(Field::text("why", "Why", "").wide(30));
        let form = FieldForm {
            action: format!("/{}s/{}/edit", self.kind, self.id),
            seen: self.seen.clone(),
            button: "Put it right",
            fields,
            says: self.says.to_owned(),
        };
        let shell = Shell::new(format!("Put right: {}", self.title), &prefs.theme, "vehicles");
        let mut p = RightPage::new(shell, self.kind, self.id, self.title.clone(), form);
        p.crumbs = vec![self.crumb.clone()];
        p.trail = trail(&state.store.trail(self.trail).await?, &prefs.written);
        p.lasting = match self.trail {
            of @ (Subject::Map(_) | Subject::Fuel(_)) => {
                state.store.lasting_id(of).await?.unwrap_or_default()
            }
            _ => String::new(),
        };
        p.person = person.to_owned();
        Ok(p)
    }

    /// The form as it was typed, with what is wrong at its field.
    async fn refuse(
        &self,
        state: &AppState,
        prefs: &Prefs,
        person: &str,
        typed: &Fields,
        wrong: Wrong,
    ) -> Result<Response, WebError> {
        let mut p = self.page(state, prefs, person).await?;
        for f in &mut p.form.fields {
            if let Some(v) = typed.get(f.name) {
                f.value.clone_from(v);
            }
        }
        again(p, wrong.1.clone(), wrong)
    }
}

/// A kind of thing whose words stand in a form.
trait Words: Sized + Send + Sync {
    async fn read(state: &AppState, id: i64) -> Result<(Self, Sheet), WebError>;
    fn typed(f: &Fields) -> Result<Self, Wrong>;
    async fn keep(&self, state: &AppState, id: i64, was: &Self, by: &By) -> Result<(), StoreError>;
}

impl Words for MapWords {
    async fn read(state: &AppState, id: i64) -> Result<(Self, Sheet), WebError> {
        let (w, vehicle) = (state.store.map_words(id).await?, state.store.vehicle_of_map(id).await?);
        let kinds = [
            ("stock", "stock"),
            ("off_the_shelf", "off the shelf"),
            ("custom", "custom"),
            ("unknown", "unknown as found"),
        ];
        let kinds = kinds.map(|(id, words)| (id.to_owned(), words.to_owned())).to_vec();
        let sheet = Sheet {
            kind: "map",
            id,
            title: format!("Map {}", w.name),
            crumb: (format!("/vehicles/{vehicle}#maps"), state.store.vehicle(vehicle).await?.vehicle.name),
            fields: vec![
                Field::text("name", "Name", &w.name).wide(20),
                Field::one_of("kind", "Kind", &w.kind, kinds),
                Field::text("parent", "Made from", w.parent.clone().unwrap_or_default()),
                Field::text("for_fuel", "For", w.for_fuel.clone().unwrap_or_default()),
                Field { kind: "area", ..Field::text("note", "Why it was made", &w.note).wide(50) },
            ],
            seen: mark(&(&w.name, &w.kind, &w.parent, &w.for_fuel, &w.note)),
            trail: Subject::Map(id),
            says: "Its file stays as it is: a changed file is a new revision.",
        };
        Ok((w, sheet))
    }

    fn typed(f: &Fields) -> Result<Self, Wrong> {
        let kind = get(f, "kind");
        if !["stock", "off_the_shelf", "custom", "unknown"].contains(&kind) {
            return Err(("kind", "choose the kind of map".into()));
        }
        Ok(Self {
            name: name_of(f, "a map")?,
            kind: kind.to_owned(),
            parent: some(text_of(f, "parent", NAME)?),
            for_fuel: some(text_of(f, "for_fuel", NAME)?),
            note: text_of(f, "note", 500)?,
        })
    }

    async fn keep(&self, state: &AppState, id: i64, was: &Self, by: &By) -> Result<(), StoreError> {
        state.store.edit_map(id, was, self, by).await
    }
}

impl Words for FuelWords {
    async fn read(state: &AppState, id: i64) -> Result<(Self, Sheet), WebError> {
        let w = state.store.fuel_words(id).await?;
        let per_cent = w.ethanol.map_or_else(String::new, |e| ((e * 1e4).round() / 100.0).to_string());
        let sheet = Sheet {
            kind: "fuel",
            id,
            title: format!("Fuel {}", w.name),
            crumb: ("/fuels".into(), "Fuels".into()),
            fields: vec![
                Field::text("name", "Name", &w.name).wide(20),
                Field::text("ethanol", "Ethanol measured, % of volume", per_cent).wide(7),
                Field::text("octane", "Octane", number_text(w.octane)).wide(5),
                Field::one_of("octane_scale", "on the scale", &w.octane_scale, scales()),
                Field::text("price", "Price of a litre", number_text(w.price)).wide(7),
                Field::one_of("kind", "Made from", &w.kind, kinds_of_fuel()),
                Field::text("density_kg_l", "Density, kg/L", number_text(w.density_kg_l)).wide(6),
                Field::text("stoich_afr", "Stoichiometric air-fuel ratio", number_text(w.stoich_afr)).wide(6),
                Field::text("lhv_mj_kg", "Heating value, MJ/kg", number_text(w.lhv_mj_kg)).wide(6),
            ],
            seen: mark(&(
                (&w.name, w.ethanol, w.octane, &w.octane_scale, w.price),
                (&w.kind, w.density_kg_l, w.stoich_afr, w.lhv_mj_kg),
            )),
            trail: Subject::Fuel(id),
            says: "Every set on it carries the new name. Density, ratio and heating value left blank are what is typical of its kind and its ethanol.",
        };
        Ok((w, sheet))
    }

    fn typed(f: &Fields) -> Result<Self, Wrong> {
        let held = blank_or(get(f, "ethanol"), |s| ethanol("ethanol", s)).map_err(|e| ("ethanol", e))?;
        let octane = optional("octane", get(f, "octane")).map_err(|e| ("octane", e))?;
        if let Some(o) = octane.filter(|o| !(60.0..=130.0).contains(o)) {
            return Err(("octane", format!("{o} is no octane number: 60 to 130")));
        }
        let scale = Scale::named(get(f, "octane_scale"));
        if octane.is_some() && scale.is_none() {
            return Err((
                "octane_scale",
                "say the scale of the octane number: the same fuel has three".into(),
            ));
        }
        let property = |name: &'static str, what: &str| optional(what, get(f, name)).map_err(|e| (name, e));
        let kind = get(f, "kind");
        if !kind.is_empty() && Kind::of(kind).is_none() {
            return Err(("kind", "choose what it is made from".into()));
        }
        let facts = FuelFacts {
            kind: Kind::of(kind),
            ethanol: held,
            density_kg_l: property("density_kg_l", "density")?,
            stoich_afr: property("stoich_afr", "stoichiometric ratio")?,
            lhv_mj_kg: property("lhv_mj_kg", "heating value")?,
        };
        facts.check().map_err(|e| ("density_kg_l", e.to_string()))?;
        if matches!(facts.kind, Some(Kind::Methanol | Kind::Diesel)) && held.is_some_and(|e| e > 0.0) {
            return Err((
                "ethanol",
                "ethanol is measured in gasoline: leave it blank, or type the properties".into(),
            ));
        }
        let price = optional("price", get(f, "price")).map_err(|e| ("price", e))?;
        if let Some(p) = price.filter(|p| !(0.0..=1e6).contains(p)) {
            return Err(("price", format!("{p} is no price of a litre")));
        }
        Ok(Self {
            name: name_of(f, "a fuel")?,
            ethanol: held,
            octane,
            octane_scale: octane.and(scale).map_or("", Scale::label).to_owned(),
            kind: kind.to_owned(),
            density_kg_l: facts.density_kg_l,
            stoich_afr: facts.stoich_afr,
            lhv_mj_kg: facts.lhv_mj_kg,
            price,
        })
    }

    async fn keep(&self, state: &AppState, id: i64, was: &Self, by: &By) -> Result<(), StoreError> {
        state.store.edit_fuel(id, was, self, by).await
    }
}

impl Words for BuildWords {
    async fn read(state: &AppState, id: i64) -> Result<(Self, Sheet), WebError> {
        let (w, vehicle) = (state.store.build_words(id).await?, state.store.vehicle_of_build(id).await?);
        let since = w.since.map_or_else(String::new, |d| d.to_string());
        let sheet = Sheet {
            kind: "build",
            id,
            title: format!("Build state {}", w.name),
            crumb: (format!("/vehicles/{vehicle}#builds"), state.store.vehicle(vehicle).await?.vehicle.name),
            fields: vec![
                Field::text("name", "Name", &w.name),
                Field { kind: "date", ..Field::text("since", "Since", since) },
                Field { kind: "area", ..Field::text("note", "What changed", &w.note).wide(50) },
            ],
            seen: mark(&(&w.name, w.since, &w.note)),
            trail: Subject::Vehicle(vehicle),
            says: "Every set in it carries the new name.",
        };
        Ok((w, sheet))
    }

    fn typed(f: &Fields) -> Result<Self, Wrong> {
        let since = match get(f, "since") {
            "" => None,
            d => Some(d.parse().map_err(|_| ("since", format!("“{d}” is not a date such as 2026-03-24")))?),
        };
        Ok(Self { name: name_of(f, "a build state")?, since, note: text_of(f, "note", 2000)? })
    }

    async fn keep(&self, state: &AppState, id: i64, was: &Self, by: &By) -> Result<(), StoreError> {
        state.store.edit_build(id, was, self, by).await
    }
}

impl Words for NoteWords {
    async fn read(state: &AppState, id: i64) -> Result<(Self, Sheet), WebError> {
        let (w, day) = (state.store.note_words(id).await?, state.store.day_of_note(id).await?);
        let at = w.at_time.map_or_else(String::new, |t| t.format("%H:%M").to_string());
        let sheet = Sheet {
            kind: "note",
            id,
            title: "A note".into(),
            crumb: (format!("/days/{day}#notes"), "day sheet".into()),
            fields: vec![
                Field { kind: "time", ..Field::text("at", "At", at) },
                Field::text("tag", "Tag", &w.tag),
                Field { kind: "area", ..Field::text("text", "Note", &w.text).wide(60) },
            ],
            seen: mark(&(w.at_time, &w.tag, &w.text)),
            trail: Subject::Day(day),
            says: "Emptied, the note is taken away. What it said stands in the trail of the day.",
        };
        Ok((w, sheet))
    }

    fn typed(f: &Fields) -> Result<Self, Wrong> {
        let at_time = match get(f, "at") {
            "" => None,
            t => Some(
                NaiveTime::parse_from_str(t, "%H:%M")
                    .map_err(|_| ("at", format!("“{t}” is not a time of day such as 14:30")))?,
            ),
        };
        Ok(Self { at_time, tag: text_of(f, "tag", 40)?, text: text_of(f, "text", TEXT)? })
    }

    async fn keep(&self, state: &AppState, id: i64, was: &Self, by: &By) -> Result<(), StoreError> {
        state.store.edit_note(id, was, (!self.text.is_empty()).then_some(self), by).await
    }
}

async fn shown<W: Words>(
    state: AppState,
    prefs: Prefs,
    person: String,
    id: i64,
) -> Result<Response, WebError> {
    let (_, sheet) = W::read(&state, id).await?;
    Ok(page(&sheet.page(&state, &prefs, &person).await?)?.into_response())
}

async fn edited<W: Words>(
    state: AppState,
    prefs: Prefs,
    (person, by): (String, By),
    id: i64,
    f: Fields,
) -> Result<Response, WebError> {
    let (was, sheet) = W::read(&state, id).await?;
    unchanged(get(&f, "seen"), &sheet.seen, &sheet.title, String::new)?;
    let now = match W::typed(&f) {
        Ok(now) => now,
        Err(wrong) => return sheet.refuse(&state, &prefs, &person, &f, wrong).await,
    };
    match now.keep(&state, id, &was, &by).await {
        Err(StoreError::Duplicate) => {
            let problem = format!("another {} is called {} already", sheet.kind, get(&f, "name"));
            sheet.refuse(&state, &prefs, &person, &f, ("name", problem)).await
        }
        other => {
            other?;
            Ok(Redirect::to(&sheet.crumb.0).into_response())
        }
    }
}

/// The two handlers of a kind.
macro_rules! handlers {
    ($show:ident, $edit:ident, $words:ty) => {
        pub(crate) async fn $show(
            Calibrator(who): Calibrator,
            prefs: Prefs,
            State(state): State<AppState>,
            Path(id): Path<i64>,
        ) -> Result<Response, WebError> {
            shown::<$words>(state, prefs, who.name, id).await
        }

        pub(crate) async fn $edit(
            Calibrator(who): Calibrator,
            prefs: Prefs,
            State(state): State<AppState>,
            Path(id): Path<i64>,
            Form(f): Form<Fields>,
        ) -> Result<Response, WebError> {
            let by = who.by(why(get(&f, "why"))?);
            edited::<$words>(state, prefs, (who.name, by), id, f).await
        }
    };
}

handlers!(map_show, map_edit, MapWords);
handlers!(fuel_show, fuel_edit, FuelWords);
handlers!(build_show, build_edit, BuildWords);
handlers!(note_show, note_edit, NoteWords);
