//! The day sheet: checklist, notes with time and tag, air through the day, fuel on hand.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::day_air::{Reading, air_readings, air_text, own_air};
use crate::days::Day;
use crate::db::Store;
use crate::error::StoreError;
use crate::interventions::Intervention;
use crate::observed::{ObservedAt, PLACE, PlaceRow, observed_at};
use crate::right::{By, Change, Subject, keep};
use crate::schema::{cell_day, day_air, day_fuel, day_note, fuel};
use crate::summaries::{PackedSummary, put_summaries};
use crate::vehicles::fuel_named;
use chrono::NaiveTime;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::air::AirState;
use std::collections::{BTreeMap, HashMap};

/// A note on a day.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct DayNote {
    pub id: i64,
    pub at: Option<NaiveTime>,
    pub tag: String,
    pub text: String,
    pub by: String,
    /// Where in a pull it was observed.
    pub place: ObservedAt,
}

/// Fuel on hand.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct FuelOnHand {
    pub fuel: String,
    pub litres: f64,
    pub note: String,
}

/// Answers of a checklist: item id to `yes`, `no` or `na`, with who and when in words.
pub type Checklist = BTreeMap<String, String>;

/// Gives or takes back some answers; the others stay as they are.
pub fn answer<S: AsRef<str>>(list: &mut Checklist, given: &[(S, Option<S>)]) {
    for (item, answer) in given {
        match answer {
            Some(a) => list.insert(item.as_ref().to_owned(), a.as_ref().to_owned()),
            None => list.remove(item.as_ref()),
        };
    }
}

/// Everything on a day's sheet beside its sets.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct DaySheet {
    /// Notes in order of time; those without a time last.
    pub notes: Vec<DayNote>,
    /// Air readings in order of time.
    pub air: Vec<(NaiveTime, AirState)>,
    /// Fuel on hand.
    pub fuels: Vec<FuelOnHand>,
    /// Checklist answers.
    pub checklist: Checklist,
    /// What was changed on the vehicle, in order of time.
    pub interventions: Vec<Intervention>,
}

/// The air of a day: its own, and readings in order of time.
#[derive(Debug, Clone, Default, PartialEq)]
#[allow(missing_docs)]
pub struct AirOfDay {
    pub whole: Option<AirState>,
    pub readings: Vec<(NaiveTime, AirState)>,
}

/// A sheet that a reading of the air is written on: the day as it was seen, and its measurements under that air.
#[derive(Debug, Clone)]
pub struct SheetAir {
    /// The day of one vehicle.
    pub day: Day,
    /// What is measured again.
    pub summaries: Vec<(i64, PackedSummary)>,
}

impl SheetAir {
    /// One on which nothing was measured yet.
    pub fn of(day: Day) -> Self {
        Self { day, summaries: Vec::new() }
    }
}

/// One reading on one sheet.
async fn put_air(
    c: &mut AsyncMysqlConnection,
    s: &SheetAir,
    at: NaiveTime,
    a: AirState,
    by: &By,
) -> Result<(), StoreError> {
    let (seen, day_id) = (&s.day, s.day.id);
    claim_day(c, day_id, Touch::Measurements, Seen::Measurements(seen.measured)).await?;
    if seen.air.is_none() {
        diesel::update(cell_day::table.find(day_id)).set(own_air(Some(a))).execute(c).await?;
    }
    let was = day_air::table
        .filter(day_air::day_id.eq(day_id).and(day_air::at_time.eq(at)))
        .select(Reading::as_select())
        .first(c)
        .await
        .optional()?;
    if let Some(was) = was {
        let what = format!("air at {}", at.format("%H:%M"));
        let change = Change::new(what, air_text(was.air()), air_text(Some(a)));
        keep(c, Subject::Day(day_id), by, &[change]).await?;
    }
    let values = (
        day_air::temperature_c.eq(a.temperature_c),
        day_air::humidity.eq(a.humidity),
        day_air::pressure_hpa.eq(a.pressure_hpa),
    );
    diesel::insert_into(day_air::table)
        .values((day_air::day_id.eq(day_id), day_air::at_time.eq(at), values))
        .on_conflict(diesel::dsl::DuplicatedKeys)
        .do_update()
        .set(values)
        .execute(c)
        .await?;
    put_summaries(c, &s.summaries).await
}

async fn checklist(c: &mut AsyncMysqlConnection, day_id: i64) -> Result<Checklist, StoreError> {
    let json: String = cell_day::table
        .find(day_id)
        .select(cell_day::checklist)
        .first(c)
        .await
        .map_err(|e| StoreError::from(e).about("day", day_id))?;
    Ok(serde_json::from_str(&json).unwrap_or_default())
}

impl Store {
    /// The air of days; days that are not there are left out.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn air_of_days(&self, ids: &[i64]) -> Result<HashMap<i64, AirOfDay>, StoreError> {
        let mut c = self.conn().await?;
        let own = |(id, t, h, p)| (id, AirOfDay { whole: AirState::whole([t, h, p]), readings: Vec::new() });
        let mut out: HashMap<i64, AirOfDay> = cell_day::table
            .filter(cell_day::id.eq_any(ids))
            .select((cell_day::id, cell_day::temperature_c, cell_day::humidity, cell_day::pressure_hpa))
            .load(&mut c)
            .await?
            .into_iter()
            .map(own)
            .collect();
        for r in air_readings(&mut c, ids).await? {
            if let Some((d, air)) = out.get_mut(&r.day_id).zip(r.air()) {
                d.readings.push((r.at_time, air));
            }
        }
        Ok(out)
    }

    /// The sheet of a day.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day.
    #[boxed]
    pub async fn day_sheet(&self, day_id: i64) -> Result<DaySheet, StoreError> {
        let mut c = self.conn().await?;
        let checklist = checklist(&mut c, day_id).await?;
        let mut notes: Vec<DayNote> = day_note::table
            .filter(day_note::day_id.eq(day_id))
            .order(day_note::id)
            .select((
                day_note::id,
                day_note::at_time,
                day_note::tag,
                day_note::text,
                day_note::written_by,
                PLACE,
            ))
            .load::<(i64, Option<NaiveTime>, String, String, String, PlaceRow)>(&mut c)
            .await?
            .into_iter()
            .map(|(id, at, tag, text, by, place)| DayNote {
                id,
                at,
                tag,
                text,
                by,
                place: observed_at(place),
            })
            .collect();
        notes.sort_by_key(|n| (n.at.is_none(), n.at, n.id));
        let air = air_readings(&mut c, &[day_id])
            .await?
            .iter()
            .filter_map(|r| Some((r.at_time, r.air()?)))
            .collect();
        let fuels = day_fuel::table
            .inner_join(fuel::table)
            .filter(day_fuel::day_id.eq(day_id))
            .order(day_fuel::id)
            .select((fuel::name, day_fuel::litres, day_fuel::note))
            .load::<(String, f64, String)>(&mut c)
            .await?
            .into_iter()
            .map(|(fuel, litres, note)| FuelOnHand { fuel, litres, note })
            .collect();
        drop(c);
        let interventions = self.interventions(day_id).await?;
        Ok(DaySheet { notes, air, fuels, checklist, interventions })
    }

    /// Writes an air reading on the sheets of all vehicles that stand in a cell on a day, or replaces theirs of that
    /// minute, with the measurements that rest on it, in one transaction. The first of a sheet is its own air as
    /// well.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when what the measurements of one rest on is no longer as it was seen; then none of
    /// them has it.
    #[boxed]
    pub async fn add_air(
        &self,
        sheets: &[SheetAir],
        at: NaiveTime,
        a: AirState,
        by: &By,
    ) -> Result<(), StoreError> {
        let mut sheets: Vec<&SheetAir> = sheets.iter().collect();
        // Writers of several sheets take them in one order.
        sheets.sort_by_key(|s| s.day.id);
        self.transact(async |c| {
            for s in &sheets {
                put_air(c, s, at, a, by).await?;
            }
            Ok(())
        })
        .await
    }

    /// Says how much of a fuel is on hand.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn put_fuel_on_hand(
        &self,
        day_id: i64,
        name: &str,
        litres: f64,
        note: &str,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let fuel_id = fuel_named(c, name).await?;
            let values = (day_fuel::litres.eq(litres), day_fuel::note.eq(note));
            diesel::insert_into(day_fuel::table)
                .values((day_fuel::day_id.eq(day_id), day_fuel::fuel_id.eq(fuel_id), values))
                .on_conflict(diesel::dsl::DuplicatedKeys)
                .do_update()
                .set(values)
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }

    /// The answers of a day's checklist.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day.
    #[boxed]
    pub async fn checklist(&self, day_id: i64) -> Result<Checklist, StoreError> {
        checklist(&mut *self.conn().await?, day_id).await
    }

    /// Gives or takes back some answers of a day's checklist; the others stay as they are, whoever gives them
    /// at the same moment. All of them as they are then.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day.
    #[boxed]
    pub async fn answer_checklist(
        &self,
        day_id: i64,
        given: &[(&str, Option<&str>)],
    ) -> Result<Checklist, StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let mut answers = checklist(c, day_id).await?;
            answer(&mut answers, given);
            let json = serde_json::to_string(&answers).map_err(|e| StoreError::Other(e.to_string()))?;
            diesel::update(cell_day::table.find(day_id))
                .set(cell_day::checklist.eq(&json))
                .execute(c)
                .await?;
            Ok(answers)
        })
        .await
    }

    /// Replaces the answers of a day's checklist.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn set_checklist(&self, day_id: i64, answers: &Checklist) -> Result<(), StoreError> {
        let json = serde_json::to_string(answers).map_err(|e| StoreError::Other(e.to_string()))?;
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            diesel::update(cell_day::table.find(day_id))
                .set(cell_day::checklist.eq(&json))
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }
}
