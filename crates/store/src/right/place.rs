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
use chrono::NaiveDateTime;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// Beyond any place a pull or a set can have; on the way from one order to another.
const ON_THE_WAY: i32 = 1_000_000;

/// Run of a pull that came with no import anybody knows of, among pulls of one.
const NO_IMPORT: i64 = 0;

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

/// A pull as it stands in its set.
#[derive(Clone, Queryable)]
struct Standing {
    id: i64,
    archived_at: Option<NaiveDateTime>,
    excluded_reason: Option<String>,
    run_id: Option<i64>,
}

impl Standing {
    fn in_use(&self) -> bool {
        self.archived_at.is_none()
    }
}

/// Pulls of a set in order, archived ones too.
async fn pulls_of(c: &mut AsyncMysqlConnection, set_id: i64) -> Result<Vec<Standing>, StoreError> {
    Ok(pull::table
        .filter(pull::set_id.eq(set_id))
        .order(pull::position)
        .select((pull::id, pull::archived_at, pull::excluded_reason, pull::run_id))
        .load(c)
        .await?)
}

/// Gives a set these pulls in this order.
async fn arrange(c: &mut AsyncMysqlConnection, set_id: i64, pulls: &[Standing]) -> Result<(), StoreError> {
    for from in [ON_THE_WAY, 1] {
        for (i, p) in pulls.iter().enumerate() {
            diesel::update(pull::table.find(p.id))
                .set((pull::set_id.eq(set_id), pull::position.eq(from + i as i32)))
                .execute(c)
                .await?;
        }
    }
    Ok(())
}

/// The place a pull is called by, from 1; those in the archive keep theirs, so that p2 stays p2 when p1 is put away.
fn place_of(order: &[Standing], id: i64) -> usize {
    order.iter().position(|p| p.id == id).map_or(0, |i| i + 1)
}

/// What pulls bring along from the set they leave: that it was left out of figures, and the import it came with.
async fn bring_along(
    c: &mut AsyncMysqlConnection,
    moved: &[Standing],
    (from, into): (i64, i64),
    by: &By,
) -> Result<(), StoreError> {
    let (invalid, run): (Option<String>, Option<i64>) =
        pull_set::table.find(from).select((pull_set::invalid_reason, pull_set::run_id)).first(c).await?;
    let other: Option<i64> = pull_set::table.find(into).select(pull_set::run_id).first(c).await?;
    for p in moved {
        if let Some(why) = invalid.as_ref().filter(|_| p.excluded_reason.is_none()) {
            let why = format!("its set was marked invalid: {why}");
            diesel::update(pull::table.find(p.id))
                .set((pull::excluded_reason.eq(&why), pull::excluded_by.eq(&by.who)))
                .execute(c)
                .await?;
            keep(c, Subject::Pull(p.id), by, &[Change::new("left out of figures", "", why)]).await?;
        }
        if run != other && p.run_id.is_none() {
            let own = run.unwrap_or(NO_IMPORT);
            diesel::update(pull::table.find(p.id)).set(pull::run_id.eq(own)).execute(c).await?;
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
    let (build, map, fuel, extras, run): (i64, i64, i64, String, Option<i64>) = pull_set::table
        .find(of.id)
        .select((pull_set::build_id, pull_set::map_id, pull_set::fuel_id, pull_set::extras, pull_set::run_id))
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
            pull_set::run_id.eq(run),
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

/// Moves pulls of a set in use, where its pulls stand as given, in the transaction of the caller; says the set they are
/// in.
async fn move_within(
    c: &mut AsyncMysqlConnection,
    (source, standing): (&Set, &[Standing]),
    pulls: &[i64],
    to: To,
    by: &By,
) -> Result<i64, StoreError> {
    let from = source.id;
    let target = match to {
        To::Set { id, .. } => alive_set(c, id).await?,
        To::Own if standing.iter().filter(|p| p.in_use()).all(|p| pulls.contains(&p.id)) => {
            return Err(StoreError::Refused(
                "all pulls of the set are chosen: that would be the same set again".into(),
            ));
        }
        To::Own => {
            let id = twin(c, source).await?;
            alive_set(c, id).await?
        }
    };
    if target.day_id != source.day_id {
        return Err(StoreError::Refused(
            "pulls are moved within their day: recordings of another day belong to it".into(),
        ));
    }
    let (moved, stay): (Vec<Standing>, Vec<Standing>) =
        standing.iter().cloned().partition(|p| pulls.contains(&p.id));
    let mut order = if target.id == from { stay.clone() } else { pulls_of(c, target.id).await? };
    let at = match to {
        To::Set { place: Some(p), .. } => p.clamp(1, order.len() + 1) - 1,
        To::Set { place: None, .. } | To::Own => order.len(),
    };
    order.splice(at..at, moved.iter().cloned());
    arrange(c, target.id, &order).await?;
    if target.id != from {
        arrange(c, from, &stay).await?;
        bring_along(c, &moved, (from, target.id), by).await?;
    }
    if is_empty(c, from).await? {
        let said = Change::new("archived", "", "empty: its pulls were moved");
        archive_saying(c, Subject::Set(from), by, said).await?;
    }
    for p in &moved {
        let old = format!("{}, place {}", said(source), place_of(standing, p.id));
        let new = format!("{}, place {}", said(&target), place_of(&order, p.id));
        keep(c, Subject::Pull(p.id), by, &[Change::new("set", old, new)]).await?;
    }
    measure_again(c, source.day_id).await?;
    Ok(target.id)
}

impl Store {
    /// Moves pulls of one set, in their order, to another place. Returns the set they are in; a set that is
    /// empty by then is archived. What was left out with its set stays left out.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for a set or pull that is not there, archived, or not in the set named;
    /// [`StoreError::Refused`] when the sets are not of one day, or when all pulls of a set are to get a set
    /// of their own.
    #[boxed]
    pub async fn move_pulls(&self, from: i64, pulls: &[i64], to: To, by: &By) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let source = claim_set(c, from).await?;
            let standing = pulls_of(c, from).await?;
            let here = |id: &i64| standing.iter().any(|p| p.id == *id && p.in_use());
            if let Some(lost) = pulls.iter().find(|id| !here(id)) {
                return Err(StoreError::NotFound { what: "in this set, pull", id: *lost });
            }
            move_within(c, (&source, &standing), pulls, to, by).await
        })
        .await
    }

    /// Moves all pulls of a set behind those of another of the same day and configuration, archived ones too.
    ///
    /// # Errors
    /// [`StoreError::Refused`] naming what differs; as for [`Self::move_pulls`] else.
    #[boxed]
    pub async fn merge_sets(&self, from: i64, into: i64, by: &By) -> Result<i64, StoreError> {
        if from == into {
            return Err(StoreError::Refused("that is the same set".into()));
        }
        self.transact(async |c| {
            let a = claim_set(c, from).await?;
            let b = alive_set(c, into).await?;
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
            let standing = pulls_of(c, from).await?;
            let pulls: Vec<i64> = standing.iter().map(|p| p.id).collect();
            move_within(c, (&a, &standing), &pulls, To::Set { id: into, place: None }, by).await
        })
        .await
    }
}

/// Takes the day of a set for a change of what its figures rest on, then reads the set: nobody changes it from then on.
async fn claim_set(c: &mut AsyncMysqlConnection, id: i64) -> Result<Set, StoreError> {
    let day = alive_set(c, id).await?.day_id;
    claim_day(c, day, Touch::Measurements, Seen::Nothing).await?;
    alive_set(c, id).await
}
