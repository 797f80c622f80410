//! Sheets that left the shop: numbered, hashed, never changed; another may take the place of one, and says so.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::files::hex;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{pull, report, report_about, report_print, report_year, vehicle};
use crate::vehicles::claim_vehicle;
use chrono::NaiveDateTime;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use sha2::{Digest, Sha256};

/// A sheet about to be issued.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewReport {
    /// Its number; the next one is [`Store::next_report_number`].
    pub number: String,
    /// Vehicles it speaks of, the first in front.
    pub vehicles: Vec<i64>,
    /// Its answer, in a line.
    pub title: String,
    /// What was asked for, as the query of the line-up.
    pub asked: String,
    /// The whole sheet, a file of its own.
    pub sheet: String,
    /// Its own copy of limits and figures, JSON.
    pub figures: String,
    /// The same as PDF, each for a size of paper.
    pub prints: Vec<(String, Vec<u8>)>,
    /// Number of the report whose place it takes, and why.
    pub supersedes: Option<String>,
    /// Why it takes that place.
    pub why: String,
    /// When.
    pub issued_at: NaiveDateTime,
}

/// An issued report, without its sheet.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
#[allow(missing_docs)]
pub struct Report {
    pub id: i64,
    pub number: String,
    pub vehicle_id: i64,
    pub vehicle: String,
    pub title: String,
    pub asked: String,
    pub sheet_sha: String,
    pub figures_sha: String,
    pub supersedes: Option<String>,
    pub why: String,
    pub issued_by: String,
    pub issued_at: NaiveDateTime,
}

/// A pull that was left out of figures, why and by whom.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
#[allow(missing_docs)]
pub struct LeftOut {
    pub pull_id: i64,
    pub reason: Option<String>,
    pub by: Option<String>,
}

/// SHA-256 in hexadecimal.
pub(crate) fn sha(bytes: &[u8]) -> String {
    hex(&Sha256::digest(bytes))
}

pub(crate) fn packed(text: &str) -> Result<Vec<u8>, StoreError> {
    zstd::encode_all(text.as_bytes(), 9).map_err(|e| StoreError::Other(e.to_string()))
}

/// What was packed, if it still has its hash.
fn unpacked(data: &[u8], wanted: &str, number: &str) -> Result<String, StoreError> {
    let broken = |why: String| StoreError::Damaged(format!("report {number}: {why}"));
    let bytes = zstd::decode_all(data).map_err(|e| broken(e.to_string()))?;
    if sha(&bytes) != wanted {
        return Err(broken("it no longer has the hash it was issued with".into()));
    }
    String::from_utf8(bytes).map_err(|e| broken(e.to_string()))
}

/// Numbers run within a year: 2026-014.
fn next_after(year: i32, last: Option<&str>) -> String {
    let n: u32 = last.and_then(|l| l.rsplit_once('-')?.1.parse().ok()).unwrap_or(0);
    format!("{year}-{:03}", n + 1)
}

type Columns = (
    report::id,
    report::number,
    report::vehicle_id,
    vehicle::name,
    report::title,
    report::asked,
    report::sheet_sha,
    report::figures_sha,
    report::supersedes,
    report::why,
    report::issued_by,
    report::issued_at,
);

fn columns() -> Columns {
    Columns::default()
}

/// Number of the report that took the place of another.
async fn successor(
    c: &mut AsyncMysqlConnection,
    of: &str,
    vehicle: i64,
) -> Result<Option<String>, StoreError> {
    let after = report::supersedes.eq(of).and(report::vehicle_id.eq(vehicle));
    let found = report::table.filter(after).select(report::number);
    Ok(found.first(c).await.optional()?)
}

impl Store {
    /// The number the next report of a year has.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn next_report_number(&self, year: i32) -> Result<String, StoreError> {
        let mut c = self.conn().await?;
        let of_year: Vec<String> = report::table
            .filter(report::number.like(format!("{year}-%")))
            .select(report::number)
            .load(&mut c)
            .await?;
        // A number that was given is not given again, not when its vehicle was erased either.
        let given: Option<String> =
            report_year::table.find(year).select(report_year::last).first(&mut c).await.optional()?;
        let of_year: Vec<String> = of_year.into_iter().chain(given).collect();
        let place = |n: &String| n.rsplit_once('-').and_then(|p| p.1.parse::<u32>().ok());
        Ok(next_after(year, of_year.iter().max_by_key(|n| place(n)).map(String::as_str)))
    }

    /// Issues a report.
    ///
    /// # Errors
    /// [`StoreError::Duplicate`] when its number was given meanwhile; [`StoreError::Refused`] when it would supersede
    /// one that is not there, or was superseded already.
    #[boxed]
    pub async fn issue_report(&self, new: &NewReport, by: &By) -> Result<i64, StoreError> {
        let (sheet, figures) = (packed(&new.sheet)?, packed(&new.figures)?);
        let hashes = (sha(new.sheet.as_bytes()), sha(new.figures.as_bytes()));
        let &[first, ..] = new.vehicles.as_slice() else {
            return Err(StoreError::Refused("a report is about a vehicle".into()));
        };
        self.transact(async |c| {
            claim_vehicle(c, first, None).await?;
            let year = new.number.split('-').next().and_then(|y| y.parse::<i32>().ok()).unwrap_or_default();
            diesel::insert_into(report_year::table)
                .values((report_year::year.eq(year), report_year::last.eq(&new.number)))
                .on_conflict(diesel::dsl::DuplicatedKeys)
                .do_update()
                .set(report_year::last.eq(&new.number))
                .execute(c)
                .await?;
            let given: Option<i64> = report::table
                .filter(report::number.eq(&new.number))
                .select(report::id)
                .for_update()
                .first(c)
                .await
                .optional()?;
            if given.is_some() {
                return Err(StoreError::Duplicate);
            }
            if let Some(old) = &new.supersedes {
                let own = report::number.eq(old).and(report::vehicle_id.eq(first));
                let there: i64 = report::table.filter(own).count().get_result(c).await?;
                if there == 0 {
                    return Err(StoreError::Refused(format!("there is no report {old} about this vehicle")));
                }
                if let Some(after) = successor(c, old, first).await? {
                    return Err(StoreError::Refused(format!(
                        "{old} was superseded by {after}: supersede that one"
                    )));
                }
            }
            diesel::insert_into(report::table)
                .values((
                    report::number.eq(&new.number),
                    report::vehicle_id.eq(first),
                    report::title.eq(&new.title),
                    report::asked.eq(&new.asked),
                    report::sheet.eq(&sheet),
                    report::sheet_sha.eq(&hashes.0),
                    report::figures.eq(&figures),
                    report::figures_sha.eq(&hashes.1),
                    report::supersedes.eq(&new.supersedes),
                    report::why.eq(&new.why),
                    report::issued_by.eq(&by.who),
                    report::issued_at.eq(new.issued_at),
                ))
                .execute(c)
                .await?;
            let id = inserted(c).await?;
            for (paper, data) in &new.prints {
                diesel::insert_into(report_print::table)
                    .values((
                        report_print::report_id.eq(id),
                        report_print::paper.eq(paper),
                        report_print::data.eq(data),
                        report_print::sha.eq(sha(data)),
                    ))
                    .execute(c)
                    .await?;
            }
            for v in &new.vehicles {
                diesel::insert_or_ignore_into(report_about::table)
                    .values((report_about::report_id.eq(id), report_about::vehicle_id.eq(*v)))
                    .execute(c)
                    .await?;
            }
            let was = new.supersedes.clone().unwrap_or_default();
            keep(c, Subject::Vehicle(first), by, &[Change::new("report", was, new.number.clone())]).await?;
            Ok(id)
        })
        .await
    }

    /// Reports about a vehicle, or all of the shop, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn reports(&self, about: Option<i64>) -> Result<Vec<Report>, StoreError> {
        let mut c = self.conn().await?;
        let mut query =
            report::table.inner_join(vehicle::table).order(report::id.desc()).select(columns()).into_boxed();
        if let Some(v) = about {
            let ids: Vec<i64> = report_about::table
                .filter(report_about::vehicle_id.eq(v))
                .select(report_about::report_id)
                .load(&mut c)
                .await?;
            query = query.filter(report::id.eq_any(ids));
        }
        Ok(query.load(&mut c).await?)
    }

    /// One report, and the number of the one that took its place.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn report(&self, id: i64) -> Result<(Report, Option<String>), StoreError> {
        let mut c = self.conn().await?;
        let found: Report = report::table
            .inner_join(vehicle::table)
            .filter(report::id.eq(id))
            .select(columns())
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("report", id))?;
        let after = successor(&mut c, &found.number, found.vehicle_id).await?;
        Ok((found, after))
    }

    /// Pulls of some sets that were left out of figures.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn left_out(&self, sets: &[i64]) -> Result<Vec<LeftOut>, StoreError> {
        let mut c = self.conn().await?;
        Ok(pull::table
            .filter(pull::set_id.eq_any(sets).and(pull::excluded_reason.is_not_null()))
            .select((pull::id, pull::excluded_reason, pull::excluded_by))
            .load(&mut c)
            .await?)
    }

    /// The sheet of a report, byte for byte as it was issued.
    ///
    /// # Errors
    /// [`StoreError::NotFound`]; [`StoreError::Damaged`] when it no longer has its hash.
    #[boxed]
    pub async fn report_sheet(&self, id: i64) -> Result<String, StoreError> {
        let mut c = self.conn().await?;
        let (data, hash, number): (Vec<u8>, String, String) = report::table
            .find(id)
            .select((report::sheet, report::sheet_sha, report::number))
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("report", id))?;
        unpacked(&data, &hash, &number)
    }

    /// Sizes of paper a report was issued for.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn report_papers(&self, id: i64) -> Result<Vec<String>, StoreError> {
        let mut c = self.conn().await?;
        let own = report_print::table.filter(report_print::report_id.eq(id)).order(report_print::paper);
        Ok(own.select(report_print::paper).load(&mut c).await?)
    }

    /// A report as PDF, byte for byte as it was issued.
    ///
    /// # Errors
    /// [`StoreError::NotFound`]; [`StoreError::Damaged`] when it no longer has its hash.
    #[boxed]
    pub async fn report_print(&self, id: i64, paper: &str) -> Result<Vec<u8>, StoreError> {
        let mut c = self.conn().await?;
        let (data, hash): (Vec<u8>, String) = report_print::table
            .find((id, paper))
            .select((report_print::data, report_print::sha))
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("print of report", id))?;
        if sha(&data) != hash {
            return Err(StoreError::Damaged(format!(
                "report {id}: its print no longer has the hash it was issued with"
            )));
        }
        Ok(data)
    }

    /// A report's own copy of limits and figures, JSON.
    ///
    /// # Errors
    /// [`StoreError::NotFound`]; [`StoreError::Damaged`] when it no longer has its hash.
    #[boxed]
    pub async fn report_figures(&self, id: i64) -> Result<String, StoreError> {
        let mut c = self.conn().await?;
        let (data, hash, number): (Vec<u8>, String, String) = report::table
            .find(id)
            .select((report::figures, report::figures_sha, report::number))
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("report", id))?;
        unpacked(&data, &hash, &number)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_run_within_a_year_and_beyond_a_thousand() {
        assert_eq!(next_after(2026, None), "2026-001");
        assert_eq!(next_after(2026, Some("2026-009")), "2026-010");
        assert_eq!(next_after(2026, Some("2026-999")), "2026-1000");
    }

    #[test]
    fn a_sheet_that_was_touched_is_said() {
        let data = packed("<p>gain</p>").unwrap();
        assert_eq!(unpacked(&data, &sha(b"<p>gain</p>"), "2026-001").unwrap(), "<p>gain</p>");
        let other = unpacked(&data, &sha(b"<p>gain!</p>"), "2026-001").unwrap_err().to_string();
        assert!(other.contains("2026-001") && other.contains("hash"), "{other}");
    }
}
