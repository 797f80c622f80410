//! Links that show exactly one report until a day. Only the hash of what stands in them is kept.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::reports::sha;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{report, share_link};
use chrono::{NaiveDate, NaiveDateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// A link that shows one report.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
#[allow(missing_docs)]
pub struct ShareLink {
    pub id: i64,
    pub until: NaiveDate,
    pub made_by: String,
    pub made_at: NaiveDateTime,
    pub withdrawn_at: Option<NaiveDateTime>,
}

/// What a shared link leads to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Shared {
    /// The report of that id.
    Report(i64),
    /// Its day has passed, or it was withdrawn.
    Over,
}

impl Store {
    /// Makes a link that shows one report until the end of a day. Only the hash of its secret is kept.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn share_report(
        &self,
        id: i64,
        secret: &str,
        until: NaiveDate,
        by: &By,
    ) -> Result<(), StoreError> {
        let hash = sha(secret.as_bytes());
        self.transact(async |c| {
            let number: String = report::table
                .find(id)
                .select(report::number)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("report", id))?;
            diesel::insert_into(share_link::table)
                .values((
                    share_link::report_id.eq(id),
                    share_link::token_sha.eq(&hash),
                    share_link::until_date.eq(until),
                    share_link::made_by.eq(&by.who),
                    share_link::made_at.eq(Utc::now().naive_utc()),
                ))
                .execute(c)
                .await?;
            let vehicle: i64 = report::table.find(id).select(report::vehicle_id).first(c).await?;
            let said = Change::new("report shared", "", format!("{number} until {until}"));
            keep(c, Subject::Vehicle(vehicle), by, &[said]).await
        })
        .await
    }

    /// Links of a report, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn share_links(&self, report_id: i64) -> Result<Vec<ShareLink>, StoreError> {
        let mut c = self.conn().await?;
        Ok(share_link::table
            .filter(share_link::report_id.eq(report_id))
            .order(share_link::id.desc())
            .select((
                share_link::id,
                share_link::until_date,
                share_link::made_by,
                share_link::made_at,
                share_link::withdrawn_at,
            ))
            .load(&mut c)
            .await?)
    }

    /// Withdraws a link: it shows nothing from now on.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the report has none of that id.
    #[boxed]
    pub async fn withdraw_link(&self, report_id: i64, id: i64) -> Result<(), StoreError> {
        let mut c = self.conn().await?;
        let open = share_link::report_id.eq(report_id).and(share_link::withdrawn_at.is_null());
        let n = diesel::update(share_link::table.find(id).filter(open))
            .set(share_link::withdrawn_at.eq(Utc::now().naive_utc()))
            .execute(&mut c)
            .await?;
        if n == 0 { Err(StoreError::NotFound { what: "link", id }) } else { Ok(()) }
    }

    /// What a link shows on a day; `None` for a link nobody made.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn shared(&self, secret: &str, today: NaiveDate) -> Result<Option<Shared>, StoreError> {
        let mut c = self.conn().await?;
        let found: Option<(i64, NaiveDate, Option<NaiveDateTime>)> = share_link::table
            .filter(share_link::token_sha.eq(sha(secret.as_bytes())))
            .select((share_link::report_id, share_link::until_date, share_link::withdrawn_at))
            .first(&mut c)
            .await
            .optional()?;
        Ok(found.map(|(report, until, withdrawn)| {
            if withdrawn.is_some() || today > until { Shared::Over } else { Shared::Report(report) }
        }))
    }
}
