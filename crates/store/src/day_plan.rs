//! A day's plan as somebody kept it: what was typed into it, and by whom.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::cell_day;
use crate::vehicles::damaged;
use chrono::{NaiveDateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A plan that was kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct KeptPlan {
    /// What was typed, by the name of its field.
    pub fields: BTreeMap<String, String>,
    /// Who kept it.
    pub by: String,
    /// When, UTC.
    pub at: NaiveDateTime,
}

impl Store {
    /// The plan that was kept of a day.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day.
    #[boxed]
    pub async fn kept_plan(&self, day_id: i64) -> Result<Option<KeptPlan>, StoreError> {
        let mut c = self.conn().await?;
        let text: String = cell_day::table
            .find(day_id)
            .select(cell_day::plan)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("day", day_id))?;
        match text.as_str() {
            "" => Ok(None),
            text => serde_json::from_str(text).map(Some).map_err(damaged),
        }
    }

    /// Keeps a plan instead of the one before; `None` forgets it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day.
    #[boxed]
    pub async fn keep_plan(
        &self,
        day_id: i64,
        fields: Option<&BTreeMap<String, String>>,
        by: &str,
    ) -> Result<(), StoreError> {
        let kept =
            fields.map(|f| KeptPlan { fields: f.clone(), by: by.to_owned(), at: Utc::now().naive_utc() });
        let text = kept.map(|k| serde_json::to_string(&k)).transpose();
        let text = text.map_err(|e| StoreError::Other(e.to_string()))?.unwrap_or_default();
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            diesel::update(cell_day::table.find(day_id)).set(cell_day::plan.eq(&text)).execute(c).await?;
            Ok(())
        })
        .await
    }
}
