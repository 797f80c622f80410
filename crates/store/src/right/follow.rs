//! What names a map, a fuel or a build by its name follows when that gets another: a limit that is for E85 would
//! otherwise judge nothing any more, and a ladder that was stopped would go on.

use super::audit::{By, Change, Subject, keep};
use crate::error::StoreError;
use crate::schema::{cell_day, ladder_word, map_revision, plan_item, slip, vehicle_limit};
use crate::vehicles::{claim_vehicle, damaged, limit_values};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::limits::{Limit, is_same_value};
use std::collections::BTreeSet;

/// What got another name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Named {
    Map,
    Fuel,
    Build,
}

impl Named {
    /// As factors call it.
    fn factor(self) -> &'static str {
        match self {
            Self::Map => "map",
            Self::Fuel => "fuel",
            Self::Build => "build",
        }
    }
}

/// Limits that were for the old name are for the new one, each with its change on the trail of its vehicle.
async fn limits(
    c: &mut AsyncMysqlConnection,
    what: Named,
    vehicles: &[i64],
    (old, new): (&str, &str),
    by: &By,
) -> Result<(), StoreError> {
    let rows: Vec<(i64, i64, String, String)> = vehicle_limit::table
        .filter(vehicle_limit::vehicle_id.eq_any(vehicles))
        .order((vehicle_limit::vehicle_id, vehicle_limit::id))
        .select((
            vehicle_limit::id,
            vehicle_limit::vehicle_id,
            vehicle_limit::name,
            vehicle_limit::definition,
        ))
        .load(c)
        .await?;
    let mut claimed = BTreeSet::new();
    for (id, vehicle, name, text) in rows {
        let mut limit: Limit = serde_json::from_str(&text).map_err(damaged)?;
        let Some(values) = limit.applies_to.get_mut(what.factor()) else { continue };
        let was = values.join(", ");
        values.iter_mut().filter(|v| is_same_value(v, old)).for_each(|v| *v = new.to_owned());
        let change = Change::new(format!("limit {name}, for {}", what.factor()), was, values.join(", "));
        if !change.differs() {
            continue;
        }
        if claimed.insert(vehicle) {
            claim_vehicle(c, vehicle, None).await?;
        }
        diesel::update(vehicle_limit::table.find(id)).set(limit_values(&limit)?).execute(c).await?;
        keep(c, Subject::Vehicle(vehicle), by, &[change]).await?;
    }
    Ok(())
}

/// Sets that are planned, and the one that runs before its first pull.
async fn intentions(
    c: &mut AsyncMysqlConnection,
    what: Named,
    vehicles: &[i64],
    (old, new): (&str, &str),
) -> Result<(), StoreError> {
    let key = what.factor();
    let renamed = |of: &mut serde_json::Value| match of.get_mut(key) {
        Some(v) if v.as_str().is_some_and(|v| is_same_value(v, old)) => {
            *v = new.into();
            true
        }
        _ => false,
    };
    let planned: Vec<(i64, serde_json::Value)> = plan_item::table
        .filter(plan_item::vehicle_id.eq_any(vehicles))
        .select((plan_item::id, plan_item::factors))
        .load(c)
        .await?;
    for (id, mut factors) in planned {
        if renamed(&mut factors) {
            diesel::update(plan_item::table.find(id)).set(plan_item::factors.eq(factors)).execute(c).await?;
        }
    }
    let running: Vec<(i64, String)> = cell_day::table
        .filter(cell_day::vehicle_id.eq_any(vehicles).and(cell_day::running.like("{\"new\"%")))
        .select((cell_day::id, cell_day::running))
        .load(c)
        .await?;
    for (day, text) in running {
        let Ok(mut kept) = serde_json::from_str::<serde_json::Value>(&text) else { continue };
        if kept.get_mut("new").is_some_and(renamed) {
            let text = kept.to_string();
            diesel::update(cell_day::table.find(day)).set(cell_day::running.eq(text)).execute(c).await?;
        }
    }
    Ok(())
}

/// A column of rows of some vehicles that says the old name says the new one.
macro_rules! say {
    ($c:ident, $table:ident :: $column:ident of $vehicles:ident, $old:ident to $new:ident) => {
        diesel::update(
            $table::table.filter($table::vehicle_id.eq_any($vehicles)).filter($table::$column.eq($old)),
        )
        .set($table::$column.eq($new))
        .execute($c)
        .await?
    };
}

/// Lets everything of some vehicles that names a thing follow it to its new name, in the transaction of the caller.
pub(super) async fn follow(
    c: &mut AsyncMysqlConnection,
    what: Named,
    vehicles: &[i64],
    (old, new): (&str, &str),
    by: &By,
) -> Result<(), StoreError> {
    if old == new {
        return Ok(());
    }
    limits(c, what, vehicles, (old, new), by).await?;
    intentions(c, what, vehicles, (old, new)).await?;
    match what {
        Named::Map => {
            say!(c, ladder_word::map of vehicles, old to new);
            say!(c, slip::map of vehicles, old to new);
            // No map is made from itself.
            let child = map_revision::vehicle_id.eq_any(vehicles).and(map_revision::parent.eq(old));
            diesel::update(map_revision::table.filter(child).filter(map_revision::name.ne(new)))
                .set(map_revision::parent.eq(new))
                .execute(c)
                .await?;
        }
        Named::Fuel => {
            say!(c, ladder_word::fuel of vehicles, old to new);
            say!(c, slip::fuel of vehicles, old to new);
            say!(c, map_revision::for_fuel of vehicles, old to new);
        }
        Named::Build => {
            say!(c, ladder_word::build of vehicles, old to new);
        }
    }
    Ok(())
}
