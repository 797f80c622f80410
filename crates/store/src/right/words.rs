//! What is said of maps, fuels, build states and notes, put right as it was last seen.

use super::audit::{By, Change, Subject, keep};
use super::follow::{Named, follow};
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::garage::refuse_circle;
use crate::lent::served_by;
use crate::schema::{build_state, cell_day, change_log, day_note, fuel, map_revision, pull_set, vehicle};
use crate::vehicles::claim_vehicle;
use chrono::{NaiveDate, NaiveTime};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::calculators::kind::{FuelFacts, Kind};

/// Words of a map revision; its file is never replaced.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, AsChangeset)]
#[diesel(table_name = map_revision, treat_none_as_null = true)]
#[allow(missing_docs)]
pub struct MapWords {
    pub name: String,
    /// `stock`, `off_the_shelf`, `custom` or `unknown`.
    pub kind: String,
    pub parent: Option<String>,
    pub for_fuel: Option<String>,
    pub note: String,
}

/// Words of a fuel.
#[derive(Debug, Clone, PartialEq, Queryable, Selectable, AsChangeset)]
#[diesel(table_name = fuel, treat_none_as_null = true)]
#[allow(missing_docs)]
pub struct FuelWords {
    pub name: String,
    /// Ethanol, share of volume; `None` when nobody measured it.
    pub ethanol: Option<f64>,
    /// Octane number on its scale.
    pub octane: Option<f64>,
    /// `RON`, `MON`, `AKI` or blank.
    pub octane_scale: String,
    /// Price of a litre, in the shop's currency.
    pub price: Option<f64>,
    /// `gasoline`, `methanol`, `diesel`, or blank where nobody said it.
    pub kind: String,
    /// Density, kg/L, in place of what is typical of its kind; so the two behind it.
    pub density_kg_l: Option<f64>,
    /// Stoichiometric air-fuel ratio by mass.
    pub stoich_afr: Option<f64>,
    /// Lower heating value, MJ/kg.
    pub lhv_mj_kg: Option<f64>,
}

impl FuelWords {
    /// What the computation takes of it.
    pub fn facts(&self) -> FuelFacts {
        FuelFacts {
            kind: Kind::of(&self.kind),
            ethanol: self.ethanol,
            density_kg_l: self.density_kg_l,
            stoich_afr: self.stoich_afr,
            lhv_mj_kg: self.lhv_mj_kg,
        }
    }
}

/// Words of a build state.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, AsChangeset)]
#[diesel(table_name = build_state, treat_none_as_null = true)]
#[allow(missing_docs)]
pub struct BuildWords {
    pub name: String,
    pub since: Option<NaiveDate>,
    /// What changed.
    pub note: String,
}

/// A note on a day.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, AsChangeset)]
#[diesel(table_name = day_note, treat_none_as_null = true)]
#[allow(missing_docs)]
pub struct NoteWords {
    pub at_time: Option<NaiveTime>,
    pub tag: String,
    pub text: String,
}

/// As the trail says what may be missing.
fn text<T: ToString>(v: Option<T>) -> String {
    v.map_or_else(String::new, |v| v.to_string())
}

/// Figures of the days on which something stands are named by its words: they are made again, and lists know.
async fn claim_days_of(c: &mut AsyncMysqlConnection, days: Vec<i64>) -> Result<(), StoreError> {
    for day in days {
        claim_day(c, day, Touch::Words, Seen::Nothing).await?;
        diesel::insert_into(change_log::table)
            .values((change_log::kind.eq("f"), change_log::thing.eq(day)))
            .execute(c)
            .await?;
    }
    Ok(())
}

macro_rules! seen_as {
    ($c:ident, $table:ident, $id:ident, $words:ty, $seen:expr, $what:literal) => {{
        let was: $words = $table::table
            .find($id)
            .select(<$words>::as_select())
            .for_update()
            .first($c)
            .await
            .map_err(|e| StoreError::from(e).about($what, $id))?;
        if was != *$seen {
            return Err(StoreError::Changed { what: concat!("the ", $what), now: None });
        }
        was
    }};
}

/// Reads the words of a thing.
macro_rules! words_of {
    ($(#[$doc:meta])* $name:ident, $table:ident, $words:ty, $what:literal) => {
        $(#[$doc])*
        ///
        /// # Errors
        /// [`StoreError::NotFound`].
        #[boxed]
        pub async fn $name(&self, id: i64) -> Result<$words, StoreError> {
            let mut c = self.conn().await?;
            let row = $table::table.find(id).select(<$words>::as_select()).first(&mut c).await;
            row.map_err(|e| StoreError::from(e).about($what, id))
        }
    };
}

impl Store {
    words_of! {
        /// What is said of a map.
        map_words, map_revision, MapWords, "map"
    }
    words_of! {
        /// What is said of a fuel.
        fuel_words, fuel, FuelWords, "fuel"
    }
    words_of! {
        /// What is said of a build state.
        build_words, build_state, BuildWords, "build state"
    }
    words_of! {
        /// What a note says.
        note_words, day_note, NoteWords, "note"
    }

    /// The vehicle of a build state.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn vehicle_of_build(&self, id: i64) -> Result<i64, StoreError> {
        let mut c = self.conn().await?;
        let of = build_state::table.find(id).select(build_state::vehicle_id).first(&mut c).await;
        of.map_err(|e| StoreError::from(e).about("build state", id))
    }

    /// Puts the words of a map right.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when they are no longer as they were seen; [`StoreError::Duplicate`] when another map
    /// of the vehicle has the name; [`StoreError::NotFound`].
    #[boxed]
    pub async fn edit_map(
        &self,
        id: i64,
        seen: &MapWords,
        now: &MapWords,
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let home: i64 = map_revision::table
                .find(id)
                .select(map_revision::vehicle_id)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("map", id))?;
            claim_vehicle(c, home, None).await?;
            let was = seen_as!(c, map_revision, id, MapWords, seen, "map");
            if let Some(parent) = &now.parent {
                refuse_circle(c, home, (id, &now.name), parent).await?;
            }
            let changes = [
                Change::new("name", &was.name, &now.name),
                Change::new("kind", &was.kind, &now.kind),
                Change::new("made from", text(was.parent.as_ref()), text(now.parent.as_ref())),
                Change::new("for", text(was.for_fuel.as_ref()), text(now.for_fuel.as_ref())),
                Change::new("note", &was.note, &now.note),
            ];
            diesel::update(map_revision::table.find(id)).set(now).execute(c).await?;
            let served = served_by(c, id, home).await?;
            follow(c, Named::Map, &served, (&was.name, &now.name), by).await?;
            let own = pull_set::table.filter(pull_set::map_id.eq(id)).select(pull_set::day_id).distinct();
            let days = own.load(c).await?;
            claim_days_of(c, days).await?;
            keep(c, Subject::Map(id), by, &changes).await
        })
        .await
    }

    /// Puts the words of a fuel right.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when they are no longer as they were seen; [`StoreError::Duplicate`] when another fuel
    /// has the name; [`StoreError::Check`] for ethanol outside 0–1; [`StoreError::NotFound`].
    #[boxed]
    pub async fn edit_fuel(
        &self,
        id: i64,
        seen: &FuelWords,
        now: &FuelWords,
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let was = seen_as!(c, fuel, id, FuelWords, seen, "fuel");
            let changes = [
                Change::new("name", &was.name, &now.name),
                Change::new("ethanol", text(was.ethanol), text(now.ethanol)),
                Change::new("octane", text(was.octane), text(now.octane)),
                Change::new("octane scale", &was.octane_scale, &now.octane_scale),
                Change::new("price", text(was.price), text(now.price)),
                Change::new("made from", &was.kind, &now.kind),
                Change::new("density, kg/L", text(was.density_kg_l), text(now.density_kg_l)),
                Change::new("stoichiometric ratio", text(was.stoich_afr), text(now.stoich_afr)),
                Change::new("heating value, MJ/kg", text(was.lhv_mj_kg), text(now.lhv_mj_kg)),
            ];
            diesel::update(fuel::table.find(id)).set(now).execute(c).await?;
            let all: Vec<i64> = vehicle::table.order(vehicle::id).select(vehicle::id).load(c).await?;
            follow(c, Named::Fuel, &all, (&was.name, &now.name), by).await?;
            let own = pull_set::table.filter(pull_set::fuel_id.eq(id)).select(pull_set::day_id).distinct();
            let days = own.load(c).await?;
            claim_days_of(c, days).await?;
            diesel::insert_into(change_log::table)
                .values((change_log::kind.eq("n"), change_log::thing.eq(0)))
                .execute(c)
                .await?;
            keep(c, Subject::Fuel(id), by, &changes).await
        })
        .await
    }

    /// Puts the words of a build state right; they stand in the trail of its vehicle.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when they are no longer as they were seen; [`StoreError::Duplicate`] when another build
    /// state of the vehicle has the name; [`StoreError::NotFound`].
    #[boxed]
    pub async fn edit_build(
        &self,
        id: i64,
        seen: &BuildWords,
        now: &BuildWords,
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let vehicle: i64 = build_state::table
                .find(id)
                .select(build_state::vehicle_id)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("build state", id))?;
            claim_vehicle(c, vehicle, None).await?;
            let was = seen_as!(c, build_state, id, BuildWords, seen, "build state");
            let field = |what: &str| format!("build {}, {what}", was.name);
            let changes = [
                Change::new(field("name"), &was.name, &now.name),
                Change::new(field("since"), text(was.since), text(now.since)),
                Change::new(field("what changed"), &was.note, &now.note),
            ];
            diesel::update(build_state::table.find(id)).set(now).execute(c).await?;
            follow(c, Named::Build, &[vehicle], (&was.name, &now.name), by).await?;
            let own = pull_set::table.filter(pull_set::build_id.eq(id)).select(pull_set::day_id).distinct();
            let days = own.load(c).await?;
            claim_days_of(c, days).await?;
            keep(c, Subject::Vehicle(vehicle), by, &changes).await
        })
        .await
    }

    /// Puts a note of a day right, or takes it away; it stands in the trail of the day.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when it is no longer as it was seen; [`StoreError::NotFound`].
    #[boxed]
    pub async fn edit_note(
        &self,
        id: i64,
        seen: &NoteWords,
        now: Option<&NoteWords>,
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let day: i64 = day_note::table
                .find(id)
                .select(day_note::day_id)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("note", id))?;
            let _: i64 = cell_day::table.find(day).select(cell_day::id).first(c).await?;
            claim_day(c, day, Touch::Words, Seen::Nothing).await?;
            let was = seen_as!(c, day_note, id, NoteWords, seen, "note");
            let said =
                |n: &NoteWords| [text(n.at_time), n.tag.clone(), n.text.clone()].join(" ").trim().to_owned();
            keep(
                c,
                Subject::Day(day),
                by,
                &[Change::new("note", said(&was), now.map_or_else(String::new, said))],
            )
            .await?;
            match now {
                Some(now) => diesel::update(day_note::table.find(id)).set(now).execute(c).await?,
                None => diesel::delete(day_note::table.find(id)).execute(c).await?,
            };
            Ok(())
        })
        .await
    }
}
