//! The configuration of a stored set, put right.

use super::audit::{By, Change, Subject, keep};
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::configuration::Configuration;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::{pull, pull_set, pull_summary};
use crate::sets::alive_set;
use crate::vehicles::{build_named, fuel_named, map_named};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use std::collections::BTreeSet;

/// Every field of a configuration with what it was and what it becomes; those that stay are left out.
fn changes(was: &Configuration, now: &Configuration) -> Vec<Change> {
    let mut out: Vec<Change> = [
        ("map", &was.map, &now.map),
        ("fuel", &was.fuel, &now.fuel),
        ("boost", &was.boost, &now.boost),
        ("gear", &was.gear, &now.gear),
        ("build", &was.build, &now.build),
        ("note", &was.note, &now.note),
    ]
    .map(|(field, old, new)| Change::new(field, old, new))
    .into();
    let names: BTreeSet<&String> = was.extras.keys().chain(now.extras.keys()).collect();
    let value = |c: &Configuration, name: &String| c.extras.get(name).cloned().unwrap_or_default();
    out.extend(names.into_iter().map(|n| Change::new(n.clone(), value(was, n), value(now, n))));
    out.retain(Change::differs);
    out
}

/// Has every pull of a day measured again when it is next looked at: what the pulls of a set share is seen
/// beside the other sets of the day.
pub(super) async fn measure_again(c: &mut AsyncMysqlConnection, day_id: i64) -> Result<(), StoreError> {
    let pulls: Vec<i64> = pull::table
        .inner_join(pull_set::table)
        .filter(pull_set::day_id.eq(day_id).and(pull::shares_pull_id.is_null()))
        .select(pull::id)
        .load(c)
        .await?;
    for part in pulls.chunks(1000) {
        diesel::update(pull_summary::table.filter(pull_summary::pull_id.eq_any(part)))
            .set(pull_summary::algorithm.eq(0))
            .execute(c)
            .await?;
    }
    Ok(())
}

impl Store {
    /// Puts the configuration of a set right. Says how many fields changed.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when it is no longer what it `was`, or the set was archived meanwhile;
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn edit_set(
        &self,
        id: i64,
        was: &Configuration,
        now: &Configuration,
        by: &By,
    ) -> Result<usize, StoreError> {
        let changes = changes(was, now);
        let extras = serde_json::to_string(&now.extras).map_err(|e| StoreError::Other(e.to_string()))?;
        let only_words = changes.iter().all(|c| c.field == "note");
        self.transact(async |c| {
            let set = alive_set(c, id).await?;
            let touch = if only_words { Touch::Words } else { Touch::Measurements };
            claim_day(c, set.day_id, touch, Seen::Nothing).await?;
            if alive_set(c, id).await?.config != *was {
                return Err(StoreError::Changed { what: "the set", now: None });
            }
            if changes.is_empty() {
                return Ok(0);
            }
            let build_id = build_named(c, set.vehicle_id, &now.build).await?;
            let map_id = map_named(c, set.vehicle_id, &now.map, &now.map_kind).await?;
            let fuel_id = fuel_named(c, &now.fuel).await?;
            diesel::update(pull_set::table.find(id))
                .set((
                    pull_set::build_id.eq(build_id),
                    pull_set::map_id.eq(map_id),
                    pull_set::fuel_id.eq(fuel_id),
                    pull_set::boost.eq(&now.boost),
                    pull_set::gear.eq(&now.gear),
                    pull_set::extras.eq(&extras),
                    pull_set::note.eq(&now.note),
                ))
                .execute(c)
                .await?;
            if !only_words {
                measure_again(c, set.day_id).await?;
            }
            keep(c, Subject::Set(id), by, &changes).await?;
            Ok(changes.len())
        })
        .await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_differs_is_a_change_and_an_extra_that_went_is_one() {
        let was = Configuration {
            map: "C3".into(),
            extras: [("switch".to_owned(), "2".to_owned())].into(),
            ..Configuration::default()
        };
        let now = Configuration { map: "C3".into(), gear: "3".into(), ..Configuration::default() };
        let said: Vec<String> =
            changes(&was, &now).iter().map(|c| format!("{} {}→{}", c.field, c.old, c.new)).collect();
        assert_eq!(said, ["gear →3", "switch 2→"]);
        assert!(changes(&was, &was).is_empty());
    }
}
