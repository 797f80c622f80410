//! Where pulls stand: moved between sets of a day, a set split, two sets of one configuration made one.

use super::archive::{archive_saying, is_empty};
use super::audit::{By, Change, Subject, keep};
use super::set::measure_again;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::schema::{pull, pull_set};
use crate::set_rows::Set;
use crate::sets::alive_set;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// Beyond any place a pull or a set can have; on the way from one order to another.
const ON_THE_WAY: i32 = 1_000_000;

/// Where a pull goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum To {
    /// A set of the same day, at a place from 1; behind its last pull without one.
    Set {
        /// The set.
        id: i64,
        /// The place.
        place: Option<usize>,
    },
    /// A set of its own, of the same configuration, behind the set it comes from.
    Own,
}

/// Pulls of a set in order, archived ones too.
async fn pulls_of(c: &mut AsyncMysqlConnection, set_id: i64) -> Result<Vec<i64>, StoreError> {
    Ok(pull::table.filter(pull::set_id.eq(set_id)).order(pull::position).select(pull::id).load(c).await?)
}

/// Gives a set these pulls in this order.
async fn arrange(c: &mut AsyncMysqlConnection, set_id: i64, pulls: &[i64]) -> Result<(), StoreError> {
    for from in [ON_THE_WAY, 1] {
        for (i, id) in pulls.iter().enumerate() {
            diesel::update(pull::table.find(id))
                .set((pull::set_id.eq(set_id), pull::position.eq(from + i as i32)))
                .execute(c)
                .await?;
        }
    }
    Ok(())
}

/// An empty set of the same configuration, behind a set.
async fn twin(c: &mut AsyncMysqlConnection, of: &Set) -> Result<i64, StoreError> {
    let order: Vec<i64> = pull_set::table
        .filter(pull_set::day_id.eq(of.day_id))
        .order(pull_set::position)
        .select(pull_set::id)
        .load(c)
        .await?;
    let (build, map, fuel, extras): (i64, i64, i64, String) = pull_set::table
        .find(of.id)
        .select((pull_set::build_id, pull_set::map_id, pull_set::fuel_id, pull_set::extras))
        .first(c)
        .await?;
    diesel::insert_into(pull_set::table)
        .values((
            pull_set::day_id.eq(of.day_id),
            pull_set::build_id.eq(build),
            pull_set::map_id.eq(map),
            pull_set::fuel_id.eq(fuel),
            pull_set::position.eq(2 * ON_THE_WAY),
            pull_set::boost.eq(&of.config.boost),
            pull_set::gear.eq(&of.config.gear),
            pull_set::extras.eq(extras),
            pull_set::note.eq(""),
        ))
        .execute(c)
        .await?;
    let id = inserted(c).await?;
    let behind = order.iter().position(|s| *s == of.id).map_or(order.len(), |i| i + 1);
    let mut order = order;
    order.insert(behind, id);
    for from in [ON_THE_WAY, 1] {
        for (i, id) in order.iter().enumerate() {
            diesel::update(pull_set::table.find(id))
                .set(pull_set::position.eq(from + i as i32))
                .execute(c)
                .await?;
        }
    }
    Ok(id)
}

fn said(s: &Set) -> String {
    format!("set {}, {} on {}", s.position, s.config.map, s.config.fuel)
}

impl Store {
    /// Moves pulls of one set, in their order, to another place. Returns the set they are in; a set that is
    /// empty by then is archived.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for a set or pull that is not there, archived, or not in the set named;
    /// [`StoreError::Refused`] when the sets are not of one day, or when all pulls of a set are to get a set
    /// of their own.
    #[boxed]
    pub async fn move_pulls(&self, from: i64, pulls: &[i64], to: To, by: &By) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let source = alive_set(c, from).await?;
            claim_day(c, source.day_id, Touch::Measurements, Seen::Nothing).await?;
            let standing = pulls_of(c, from).await?;
            if let Some(lost) = pulls.iter().find(|p| !standing.contains(p)) {
                return Err(StoreError::NotFound { what: "in this set, pull", id: *lost });
            }
            let target = match to {
                To::Set { id, .. } => alive_set(c, id).await?,
                To::Own if standing.iter().all(|p| pulls.contains(p)) => {
                    return Err(StoreError::Refused(
                        "all pulls of the set are chosen: that would be the same set again".into(),
                    ));
                }
                To::Own => {
                    let id = twin(c, &source).await?;
                    alive_set(c, id).await?
                }
            };
            if target.day_id != source.day_id {
                return Err(StoreError::Refused(
                    "pulls are moved within their day: recordings of another day belong to it".into(),
                ));
            }
            let moved: Vec<i64> = standing.iter().copied().filter(|p| pulls.contains(p)).collect();
            let stay: Vec<i64> = standing.iter().copied().filter(|p| !pulls.contains(p)).collect();
            let mut order = if target.id == from { stay.clone() } else { pulls_of(c, target.id).await? };
            let place = match to {
                To::Set { place: Some(p), .. } => p.clamp(1, order.len() + 1) - 1,
                _ => order.len(),
            };
            order.splice(place..place, moved.iter().copied());
            arrange(c, target.id, &order).await?;
            if target.id != from {
                arrange(c, from, &stay).await?;
            }
            if is_empty(c, from).await? {
                let said = Change::new("archived", "", "empty: its pulls were moved");
                archive_saying(c, Subject::Set(from), by, said).await?;
            }
            for id in &moved {
                let place = |order: &[i64]| order.iter().position(|p| p == id).map_or(0, |i| i + 1);
                let old = format!("{}, place {}", said(&source), place(&standing));
                let new = format!("{}, place {}", said(&target), place(&order));
                keep(c, Subject::Pull(*id), by, &[Change::new("set", old, new)]).await?;
            }
            measure_again(c, source.day_id).await?;
            Ok(target.id)
        })
        .await
    }

    /// Moves all pulls of a set behind those of another of the same day and configuration.
    ///
    /// # Errors
    /// [`StoreError::Refused`] naming what differs; as for [`Self::move_pulls`] else.
    #[boxed]
    pub async fn merge_sets(&self, from: i64, into: i64, by: &By) -> Result<i64, StoreError> {
        let (a, b) = (self.set(from).await?, self.set(into).await?);
        if from == into {
            return Err(StoreError::Refused("that is the same set".into()));
        }
        let (fa, fb) = (a.config.factors(), b.config.factors());
        let differ: Vec<&str> = fa
            .keys()
            .chain(fb.keys())
            .filter(|k| fa.get(*k) != fb.get(*k))
            .map(String::as_str)
            .collect::<std::collections::BTreeSet<_>>()
            .into_iter()
            .collect();
        if !differ.is_empty() {
            return Err(StoreError::Refused(format!(
                "the two sets differ in {}: put that right first, or move single pulls",
                differ.join(", ")
            )));
        }
        let pulls = {
            let mut c = self.conn().await?;
            pulls_of(&mut c, from).await?
        };
        self.move_pulls(from, &pulls, To::Set { id: into, place: None }, by).await
    }
}
