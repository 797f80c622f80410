//! Archiving and restoring. What is archived leaves lists, figures and search; its rows, samples and files
//! stay.

use super::audit::{By, Change, Subject, keep};
use super::set::measure_again;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::{cell_day, fuel, map_revision, pull, pull_set, vehicle};
use crate::vehicles::claim_vehicle;
use chrono::{NaiveDateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// What holds a thing that can be archived.
struct Held {
    day: Option<i64>,
    vehicle: Option<i64>,
    archived_at: Option<NaiveDateTime>,
}

async fn held(c: &mut AsyncMysqlConnection, of: Subject) -> Result<Held, StoreError> {
    let day = |(day, archived_at)| Held { day: Some(day), vehicle: None, archived_at };
    let vehicle = |(vehicle, archived_at)| Held { day: None, vehicle: Some(vehicle), archived_at };
    let found = match of {
        Subject::Pull(id) => pull::table
            .inner_join(pull_set::table)
            .filter(pull::id.eq(id))
            .select((pull_set::day_id, pull::archived_at))
            .first(c)
            .await
            .map(day),
        Subject::Set(id) => {
            pull_set::table.find(id).select((pull_set::day_id, pull_set::archived_at)).first(c).await.map(day)
        }
        Subject::Day(id) => {
            cell_day::table.find(id).select((cell_day::id, cell_day::archived_at)).first(c).await.map(day)
        }
        Subject::Vehicle(id) => {
            vehicle::table.find(id).select((vehicle::id, vehicle::archived_at)).first(c).await.map(vehicle)
        }
        Subject::Map(id) => map_revision::table
            .find(id)
            .select((map_revision::vehicle_id, map_revision::archived_at))
            .first(c)
            .await
            .map(vehicle),
        Subject::Fuel(_) => {
            return Err(StoreError::Refused(
                "a fuel belongs to every vehicle: merge it with another instead".into(),
            ));
        }
        Subject::Cell(_) => {
            return Err(StoreError::Refused("a cell stands as long as its days do".into()));
        }
    };
    found.map_err(|e| StoreError::from(e).about(of.kind(), of.id()))
}

/// Sets or clears the moment of archiving, in the transaction of the caller.
async fn put(c: &mut AsyncMysqlConnection, of: Subject, at: Option<NaiveDateTime>) -> Result<(), StoreError> {
    let id = of.id();
    match of {
        Subject::Pull(_) => {
            diesel::update(pull::table.find(id)).set(pull::archived_at.eq(at)).execute(c).await?
        }
        Subject::Set(_) => {
            diesel::update(pull_set::table.find(id)).set(pull_set::archived_at.eq(at)).execute(c).await?
        }
        Subject::Day(_) => {
            diesel::update(cell_day::table.find(id)).set(cell_day::archived_at.eq(at)).execute(c).await?
        }
        Subject::Vehicle(_) => {
            diesel::update(vehicle::table.find(id)).set(vehicle::archived_at.eq(at)).execute(c).await?
        }
        Subject::Map(_) => {
            diesel::update(map_revision::table.find(id))
                .set(map_revision::archived_at.eq(at))
                .execute(c)
                .await?
        }
        Subject::Fuel(_) | Subject::Cell(_) => 0,
    };
    Ok(())
}

/// What a thing stands in, from the inside out.
async fn around(c: &mut AsyncMysqlConnection, of: Subject) -> Result<Vec<Subject>, StoreError> {
    let mut out = Vec::new();
    let mut at = of;
    loop {
        at = match at {
            Subject::Pull(id) => Subject::Set(pull::table.find(id).select(pull::set_id).first(c).await?),
            Subject::Set(id) => {
                Subject::Day(pull_set::table.find(id).select(pull_set::day_id).first(c).await?)
            }
            Subject::Day(id) => {
                Subject::Vehicle(cell_day::table.find(id).select(cell_day::vehicle_id).first(c).await?)
            }
            _ => return Ok(out),
        };
        out.push(at);
    }
}

async fn claim(c: &mut AsyncMysqlConnection, h: &Held) -> Result<(), StoreError> {
    if let Some(day) = h.day {
        claim_day(c, day, Touch::Measurements, Seen::Nothing).await?;
    }
    if let Some(vehicle) = h.vehicle {
        claim_vehicle(c, vehicle, None).await?;
    }
    Ok(())
}

/// Archives one thing within the transaction of the caller.
pub(super) async fn archive_one(
    c: &mut AsyncMysqlConnection,
    of: Subject,
    by: &By,
) -> Result<(), StoreError> {
    archive_saying(c, of, by, Change::new("archived", "no", "yes")).await
}

/// The same, with other words on its trail.
pub(super) async fn archive_saying(
    c: &mut AsyncMysqlConnection,
    of: Subject,
    by: &By,
    said: Change,
) -> Result<(), StoreError> {
    put(c, of, Some(Utc::now().naive_utc())).await?;
    keep(c, of, by, &[said]).await
}

/// Whether no pull of a set is left outside the archive.
pub(super) async fn is_empty(c: &mut AsyncMysqlConnection, set: i64) -> Result<bool, StoreError> {
    let left = pull::table.filter(pull::set_id.eq(set).and(pull::archived_at.is_null()));
    Ok(left.count().get_result::<i64>(c).await? == 0)
}

async fn archive_whole(c: &mut AsyncMysqlConnection, of: Subject, by: &By) -> Result<(), StoreError> {
    let h = held(c, of).await?;
    claim(c, &h).await?;
    if held(c, of).await?.archived_at.is_some() {
        return Err(StoreError::Changed { what: of.kind(), now: Some("archived".into()) });
    }
    archive_one(c, of, by).await?;
    if let Subject::Pull(id) = of {
        let set: i64 = pull::table.find(id).select(pull::set_id).first(c).await?;
        if is_empty(c, set).await? {
            archive_one(c, Subject::Set(set), by).await?;
        }
    }
    if let (Subject::Pull(_) | Subject::Set(_), Some(day)) = (of, h.day) {
        measure_again(c, day).await?;
    }
    Ok(())
}

/// Something that is archived, with what a list says of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Archived {
    /// The thing.
    pub what: Subject,
    /// Its name, or what it was pulled with.
    pub name: String,
    /// Pulls of a set.
    pub holds: usize,
}

impl Store {
    /// Archives things, all of them or none. The last pull of a set takes the set with it.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when somebody archived it meanwhile; [`StoreError::NotFound`];
    /// [`StoreError::Refused`] for what cannot be archived.
    #[boxed]
    pub async fn archive(&self, things: &[Subject], by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            for of in things {
                archive_whole(c, *of, by).await?;
            }
            Ok(())
        })
        .await
    }

    /// Brings a thing back, with what it stands in.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such thing.
    #[boxed]
    pub async fn restore(&self, of: Subject, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            let h = held(c, of).await?;
            claim(c, &h).await?;
            for thing in std::iter::once(of).chain(around(c, of).await?) {
                if held(c, thing).await?.archived_at.is_some() {
                    put(c, thing, None).await?;
                    keep(c, thing, by, &[Change::new("archived", "yes", "no")]).await?;
                }
            }
            if let (Subject::Pull(_) | Subject::Set(_), Some(day)) = (of, h.day) {
                measure_again(c, day).await?;
            }
            Ok(())
        })
        .await
    }

    /// Whether a thing, or what it stands in, is archived.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such thing.
    #[boxed]
    pub async fn is_archived(&self, of: Subject) -> Result<bool, StoreError> {
        let mut c = self.conn().await?;
        let mut any = held(&mut c, of).await?.archived_at.is_some();
        for thing in around(&mut c, of).await? {
            any |= held(&mut c, thing).await?.archived_at.is_some();
        }
        Ok(any)
    }

    /// Sets of a day that are archived, and archived pulls of those that are not.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn archived_on_day(&self, day_id: i64) -> Result<Vec<Archived>, StoreError> {
        let mut c = self.conn().await?;
        let sets: Vec<(i64, i32, String, String)> = pull_set::table
            .inner_join(map_revision::table)
            .inner_join(fuel::table)
            .filter(pull_set::day_id.eq(day_id).and(pull_set::archived_at.is_not_null()))
            .order(pull_set::position)
            .select((pull_set::id, pull_set::position, map_revision::name, fuel::name))
            .load(&mut c)
            .await?;
        let mut out = Vec::new();
        for (id, position, map, fuel) in sets {
            let holds: i64 = pull::table.filter(pull::set_id.eq(id)).count().get_result(&mut c).await?;
            let name = format!("set {position}: {map} on {fuel}");
            out.push(Archived { what: Subject::Set(id), name, holds: holds as usize });
        }
        let pulls: Vec<(i64, i32, i32)> = pull::table
            .inner_join(pull_set::table)
            .filter(pull_set::day_id.eq(day_id))
            .filter(pull_set::archived_at.is_null().and(pull::archived_at.is_not_null()))
            .order((pull_set::position, pull::position))
            .select((pull::id, pull_set::position, pull::position))
            .load(&mut c)
            .await?;
        out.extend(pulls.into_iter().map(|(id, set, place)| Archived {
            what: Subject::Pull(id),
            name: format!("p{place} of set {set}"),
            holds: 0,
        }));
        Ok(out)
    }

    /// Days and maps of a vehicle that are archived.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn archived_of_vehicle(&self, vehicle_id: i64) -> Result<Vec<Archived>, StoreError> {
        let mut c = self.conn().await?;
        let days: Vec<(i64, chrono::NaiveDate)> = cell_day::table
            .filter(cell_day::vehicle_id.eq(vehicle_id).and(cell_day::archived_at.is_not_null()))
            .order(cell_day::on_date.desc())
            .select((cell_day::id, cell_day::on_date))
            .load(&mut c)
            .await?;
        let maps: Vec<(i64, String)> = map_revision::table
            .filter(map_revision::vehicle_id.eq(vehicle_id).and(map_revision::archived_at.is_not_null()))
            .order(map_revision::id)
            .select((map_revision::id, map_revision::name))
            .load(&mut c)
            .await?;
        let day = |(id, date): (i64, chrono::NaiveDate)| Archived {
            what: Subject::Day(id),
            name: date.to_string(),
            holds: 0,
        };
        let map = |(id, name)| Archived { what: Subject::Map(id), name: format!("map {name}"), holds: 0 };
        Ok(days.into_iter().map(day).chain(maps.into_iter().map(map)).collect())
    }

    /// Vehicles that are archived, by name.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn archived_vehicles(&self) -> Result<Vec<Archived>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, String)> = vehicle::table
            .filter(vehicle::archived_at.is_not_null())
            .order(vehicle::name)
            .select((vehicle::id, vehicle::name))
            .load(&mut c)
            .await?;
        Ok(rows
            .into_iter()
            .map(|(id, name)| Archived { what: Subject::Vehicle(id), name, holds: 0 })
            .collect())
    }

    /// The vehicle a map belongs to.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such map.
    #[boxed]
    pub async fn vehicle_of_map(&self, map_id: i64) -> Result<i64, StoreError> {
        let mut c = self.conn().await?;
        let of = map_revision::table.find(map_id).select(map_revision::vehicle_id).first(&mut c).await;
        of.map_err(|e| StoreError::from(e).about("map", map_id))
    }
}
