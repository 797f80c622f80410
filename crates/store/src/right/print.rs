//! What prints say of themselves, put right.

use super::audit::{By, Change, Subject, keep};
use super::set::measure_again;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::pull;
use crate::sets::alive_set;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jamjar_core::analysis::Finished;
use jamjar_core::printed::Print;

impl Store {
    /// Puts right what the prints of a set say of themselves: all that say what `was` said. Says how many.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when none of them says that any more; [`StoreError::Damaged`] when one cannot be
    /// read; [`StoreError::NotFound`].
    #[boxed]
    pub async fn edit_prints(
        &self,
        set_id: i64,
        was: &Print,
        now: &Print,
        changes: &[Change],
        by: &By,
    ) -> Result<usize, StoreError> {
        self.transact(async |c| {
            let set = alive_set(c, set_id).await?;
            claim_day(c, set.day_id, Touch::Measurements, Seen::Nothing).await?;
            let rows: Vec<(i64, Option<String>)> = pull::table
                .filter(pull::set_id.eq(set_id).and(pull::archived_at.is_null()))
                .select((pull::id, pull::finished))
                .load(c)
                .await?;
            let mut n = 0;
            for (id, text) in rows {
                let Some(text) = text else { continue };
                let old: Finished = serde_json::from_str(&text)
                    .map_err(|e| StoreError::Damaged(format!("pull {id}: {e}")))?;
                if old.print() != Some(was) {
                    continue;
                }
                let new = serde_json::to_string(&old.saying(now.clone()))
                    .map_err(|e| StoreError::Other(e.to_string()))?;
                diesel::update(pull::table.find(id)).set(pull::finished.eq(new)).execute(c).await?;
                keep(c, Subject::Pull(id), by, changes).await?;
                n += 1;
            }
            if n == 0 {
                return Err(StoreError::Changed { what: "what the print says of itself", now: None });
            }
            measure_again(c, set.day_id).await?;
            Ok(n)
        })
        .await
    }
}
