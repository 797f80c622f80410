//! Name, engine and dyno of a vehicle, put right.

use super::audit::{By, Change, Subject, keep};
use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::vehicle;
use crate::vehicles::{VehicleRecord, claim_vehicle, damaged};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jamjar_core::analysis::Vehicle;
use serde::Serialize;
use serde_json::{Map, Value};

/// What of a thing with named parts differs, part by part.
pub(crate) fn parts_changed<T: Serialize>(was: &T, now: &T) -> Result<Vec<Change>, StoreError> {
    let parts = |v: &T| -> Result<Map<String, Value>, StoreError> {
        match serde_json::to_value(v).map_err(damaged)? {
            Value::Object(o) => Ok(o),
            other => Err(damaged(other)),
        }
    };
    let (was, now) = (parts(was)?, parts(now)?);
    let text = |v: Option<&Value>| match v {
        None | Some(Value::Null) => String::new(),
        Some(Value::String(s)) => s.clone(),
        Some(other) => other.to_string(),
    };
    let mut names: Vec<&String> = was.keys().chain(now.keys()).collect();
    names.sort();
    names.dedup();
    let mut out: Vec<Change> = names
        .into_iter()
        .map(|n| Change::new(n.replace('_', " "), text(was.get(n)), text(now.get(n))))
        .collect();
    out.retain(Change::differs);
    Ok(out)
}

impl Store {
    /// Puts name, engine and dyno of a vehicle right, as it was last seen. Its pulls are measured again when
    /// they are next looked at.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when it is no longer as it was seen; [`StoreError::Duplicate`] when another
    /// vehicle has the name.
    #[boxed]
    pub async fn edit_vehicle(
        &self,
        seen: &VehicleRecord,
        now: &Vehicle,
        by: &By,
    ) -> Result<usize, StoreError> {
        let was = &seen.vehicle;
        let mut changes = vec![Change::new("name", &was.name, &now.name)];
        changes.retain(Change::differs);
        changes.extend(parts_changed(&was.engine, &now.engine)?);
        changes.extend(parts_changed(&was.dyno, &now.dyno)?);
        let engine = serde_json::to_string(&now.engine).map_err(damaged)?;
        let dyno = serde_json::to_string(&now.dyno).map_err(damaged)?;
        self.transact(async |c| {
            claim_vehicle(c, seen.id, Some(seen.version)).await?;
            diesel::update(vehicle::table.find(seen.id))
                .set((vehicle::name.eq(&now.name), vehicle::engine.eq(&engine), vehicle::dyno.eq(&dyno)))
                .execute(c)
                .await?;
            keep(c, Subject::Vehicle(seen.id), by, &changes).await?;
            Ok(changes.len())
        })
        .await
    }
}
