//! Pulls, their sample blocks and cached summaries.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::{Store, inserted};
use crate::decoded::Decoded;
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{cell_day, pull, pull_set, pull_summary, sample_block};
use crate::summaries::{PackedSummary, Summary, insert_summary, put_summaries};
use chrono::NaiveTime;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::air::AirState;
use jamjar_core::analysis::Finished;
use jamjar_core::log::Recording;
use jamjar_packed::{BLOCK_VERSION, decode_block, encode_block};
use std::collections::HashMap;
use std::sync::Arc;

/// A pull to be committed.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct NewPull {
    pub dyno_file_id: i64,
    pub ecu_file_id: Option<i64>,
    pub dyno_mapping: String,
    pub ecu_mapping: Option<String>,
    pub number_in_file: Option<i32>,
    /// Time of day it began, when known.
    pub started_at: Option<NaiveTime>,
    /// Air of its own; the day's when absent.
    pub air: Option<AirState>,
    /// Reason to leave it out of figures from the start.
    pub excluded: Option<String>,
    /// What it is when it is not two recordings.
    pub finished: Option<Finished>,
    pub dyno: Recording,
    pub ecu: Option<Arc<Recording>>,
    pub summary: Summary,
}

/// A stored pull.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Pull {
    pub id: i64,
    pub set_id: i64,
    pub position: i32,
    pub dyno_file_id: i64,
    pub ecu_file_id: Option<i64>,
    pub number_in_file: Option<i32>,
    pub lag_s: Option<f64>,
    pub excluded_reason: Option<String>,
    pub note: String,
    /// Time of day it began, when known.
    pub started_at: Option<NaiveTime>,
    /// Air of its own, when measured for it.
    pub air: Option<AirState>,
    /// Pull whose samples it shares (bulk data for load work).
    pub shares: Option<i64>,
    /// What it is when it is not two recordings.
    pub finished: Option<Finished>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = pull)]
struct PullRow {
    id: i64,
    set_id: i64,
    position: i32,
    dyno_file_id: i64,
    ecu_file_id: Option<i64>,
    number_in_file: Option<i32>,
    lag_s: Option<f64>,
    excluded_reason: Option<String>,
    note: String,
    started_at: Option<NaiveTime>,
    temperature_c: Option<f64>,
    humidity: Option<f64>,
    pressure_hpa: Option<f64>,
    shares_pull_id: Option<i64>,
    finished: Option<String>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = pull_summary)]
struct SummaryRow {
    algorithm: i32,
    settings: String,
    measured: Vec<u8>,
}

fn pull_of(r: PullRow) -> Result<Pull, StoreError> {
    let finished = r.finished.as_deref().map(serde_json::from_str).transpose();
    Ok(Pull {
        finished: finished.map_err(|e| StoreError::Damaged(format!("pull {}: {e}", r.id)))?,
        id: r.id,
        set_id: r.set_id,
        position: r.position,
        dyno_file_id: r.dyno_file_id,
        ecu_file_id: r.ecu_file_id,
        number_in_file: r.number_in_file,
        lag_s: r.lag_s,
        excluded_reason: r.excluded_reason,
        note: r.note,
        started_at: r.started_at,
        air: AirState::whole([r.temperature_c, r.humidity, r.pressure_hpa]),
        shares: r.shares_pull_id,
    })
}

/// Pulls of several sets in order of running.
pub(crate) async fn pulls_of(
    c: &mut AsyncMysqlConnection,
    decoded: &Decoded,
    set_ids: &[i64],
) -> Result<Vec<(Pull, Summary)>, StoreError> {
    let rows: Vec<(PullRow, SummaryRow)> = pull::table
        .inner_join(pull_summary::table)
        .filter(pull::set_id.eq_any(set_ids).and(pull::archived_at.is_null()))
        .order((pull::set_id, pull::position))
        .select((PullRow::as_select(), SummaryRow::as_select()))
        .load(c)
        .await?;
    let shared: Vec<i64> = rows.iter().filter_map(|(p, _)| p.shares_pull_id).collect();
    let lent: HashMap<i64, Vec<u8>> = if shared.is_empty() {
        HashMap::new()
    } else {
        let rows: Vec<(i64, Vec<u8>)> = pull_summary::table
            .filter(pull_summary::pull_id.eq_any(shared))
            .select((pull_summary::pull_id, pull_summary::measured))
            .load(c)
            .await?;
        rows.into_iter().collect()
    };
    rows.into_iter()
        .map(|(p, s)| {
            let packed = p.shares_pull_id.and_then(|id| lent.get(&id)).unwrap_or(&s.measured);
            let (p, mut measured) = (pull_of(p)?, decoded.read(packed)?);
            let id = format!("p{}", p.position);
            if measured.id != id || measured.excluded != p.excluded_reason {
                let own = Arc::make_mut(&mut measured);
                own.excluded.clone_from(&p.excluded_reason);
                own.id = id;
            }
            Ok((p, Summary { algorithm: s.algorithm as u32, settings: s.settings, measured }))
        })
        .collect()
}

/// A pull ready to be stored.
pub(crate) struct PackedPull<'a> {
    pull: &'a NewPull,
    block: Vec<u8>,
    finished: Option<String>,
    summary: PackedSummary,
}

impl<'a> PackedPull<'a> {
    /// Encodes block and summary.
    pub(crate) fn new(pull: &'a NewPull) -> Result<Self, StoreError> {
        let finished = pull.finished.as_ref().map(serde_json::to_string).transpose();
        Ok(Self {
            block: encode_block(&pull.dyno, pull.ecu.as_deref()),
            finished: finished.map_err(|e| StoreError::Other(e.to_string()))?,
            summary: pull.summary.pack()?,
            pull,
        })
    }
}

/// Inserts a pull with block and summary within the caller's transaction.
pub(crate) async fn insert_pull(
    c: &mut AsyncMysqlConnection,
    set_id: i64,
    position: i32,
    packed: &PackedPull<'_>,
) -> Result<i64, StoreError> {
    let p = packed.pull;
    diesel::insert_into(pull::table)
        .values((
            pull::set_id.eq(set_id),
            pull::position.eq(position),
            pull::dyno_file_id.eq(p.dyno_file_id),
            pull::ecu_file_id.eq(p.ecu_file_id),
            pull::dyno_mapping.eq(&p.dyno_mapping),
            pull::ecu_mapping.eq(&p.ecu_mapping),
            pull::number_in_file.eq(p.number_in_file),
            pull::note.eq(""),
            pull::started_at.eq(p.started_at),
            pull::temperature_c.eq(p.air.map(|a| a.temperature_c)),
            pull::humidity.eq(p.air.map(|a| a.humidity)),
            pull::pressure_hpa.eq(p.air.map(|a| a.pressure_hpa)),
            pull::finished.eq(&packed.finished),
            pull::excluded_reason.eq(&p.excluded),
            pull::excluded_by.eq(p.excluded.as_ref().map(|_| "import")),
        ))
        .execute(c)
        .await?;
    let id = inserted(c).await?;
    diesel::insert_into(sample_block::table)
        .values((
            sample_block::pull_id.eq(id),
            sample_block::version.eq(BLOCK_VERSION as i16),
            sample_block::data.eq(&packed.block),
        ))
        .execute(c)
        .await?;
    insert_summary(c, id, &packed.summary).await?;
    Ok(id)
}

impl Store {
    /// Replaces cached measurements of a day's pulls, when what they rest on is still in the version they
    /// were made from; false when it is not. Nothing else changes: whoever reads meanwhile makes them again.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn keep_summaries(
        &self,
        day_id: i64,
        seen: i64,
        all: &[(i64, PackedSummary)],
    ) -> Result<bool, StoreError> {
        self.transact(async |c| {
            let now: Option<i64> = cell_day::table
                .find(day_id)
                .select(cell_day::measured)
                .for_update()
                .first(c)
                .await
                .optional()?;
            if now != Some(seen) {
                return Ok(false);
            }
            put_summaries(c, all).await?;
            Ok(true)
        })
        .await
    }

    /// The block of a pull as it is stored; of the pull it shares samples with, where it has none.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    #[boxed]
    pub async fn block(&self, pull_id: i64) -> Result<Vec<u8>, StoreError> {
        let mut c = self.conn().await?;
        let shares: Option<i64> = pull::table
            .find(pull_id)
            .select(pull::shares_pull_id)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("pull", pull_id))?;
        sample_block::table
            .find(shares.unwrap_or(pull_id))
            .select(sample_block::data)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("pull", pull_id))
    }

    /// Blocks of several pulls that have samples of their own: one query for all of them.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when one has none.
    #[boxed]
    pub async fn blocks(&self, pulls: &[i64]) -> Result<HashMap<i64, Vec<u8>>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, Vec<u8>)> = sample_block::table
            .filter(sample_block::pull_id.eq_any(pulls))
            .select((sample_block::pull_id, sample_block::data))
            .load(&mut c)
            .await?;
        let out: HashMap<i64, Vec<u8>> = rows.into_iter().collect();
        match pulls.iter().find(|id| !out.contains_key(id)) {
            Some(id) => Err(StoreError::NotFound { what: "samples of pull", id: *id }),
            None => Ok(out),
        }
    }

    /// The samples of a pull.
    ///
    /// # Errors
    /// [`StoreError::NotFound`], or [`StoreError::Damaged`] when the block fails its checksum.
    #[boxed]
    pub async fn samples(&self, pull_id: i64) -> Result<(Recording, Option<Recording>), StoreError> {
        decode_block(&self.block(pull_id).await?).map_err(|e| StoreError::Damaged(e.to_string()))
    }

    /// The peak power that is searched, uncorrected, kW.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull.
    #[boxed]
    pub async fn peak_of(&self, pull_id: i64) -> Result<Option<f64>, StoreError> {
        let mut c = self.conn().await?;
        let peak = pull_summary::table.find(pull_id).select(pull_summary::peak_power_kw).first(&mut c).await;
        peak.map_err(|e| StoreError::from(e).about("pull", pull_id))
    }

    /// Pulls that lack a part every pull has: figures, and samples unless they are shared.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn pulls_without_parts(&self) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        let rows = pull::table
            .left_join(pull_summary::table)
            .left_join(sample_block::table)
            .filter(
                pull_summary::pull_id
                    .nullable()
                    .is_null()
                    .or(sample_block::pull_id.nullable().is_null().and(pull::shares_pull_id.is_null())),
            )
            .select(pull::id)
            .load(&mut c)
            .await?;
        Ok(rows)
    }

    /// Size of a stored block, bytes.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    #[boxed]
    pub async fn block_size(&self, pull_id: i64) -> Result<usize, StoreError> {
        Ok(self.block(pull_id).await?.len())
    }

    /// Excludes a pull from figures with a reason, or includes it again. Limits are not touched.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull.
    #[boxed]
    pub async fn exclude_pull(
        &self,
        pull_id: i64,
        reason: Option<&str>,
        by: &str,
    ) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let (set_id, day_id) = place_of(c, pull_id).await?;
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let was: Option<String> =
                pull::table.find(pull_id).select(pull::excluded_reason).first(c).await?;
            let change =
                Change::new("left out of figures", was.unwrap_or_default(), reason.unwrap_or_default());
            keep(c, Subject::Pull(pull_id), &By::new(by, reason.unwrap_or_default()), &[change]).await?;
            diesel::update(pull::table.find(pull_id))
                .set((pull::excluded_reason.eq(reason), pull::excluded_by.eq(reason.map(|_| by))))
                .execute(c)
                .await?;
            Ok(set_id)
        })
        .await
    }

    /// The set a pull belongs to.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull.
    #[boxed]
    pub async fn set_of_pull(&self, pull_id: i64) -> Result<i64, StoreError> {
        let mut c = self.conn().await?;
        pull::table
            .find(pull_id)
            .select(pull::set_id)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("pull", pull_id))
    }

    /// The place of a pull in its set, from 1.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull.
    #[boxed]
    pub async fn position_of_pull(&self, pull_id: i64) -> Result<i32, StoreError> {
        let mut c = self.conn().await?;
        let place = pull::table.find(pull_id).select(pull::position).first(&mut c).await;
        place.map_err(|e| StoreError::from(e).about("pull", pull_id))
    }

    /// What a pull is when it is not two recordings.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull; [`StoreError::Damaged`] when it cannot be read.
    #[boxed]
    pub async fn finished_of_pull(&self, pull_id: i64) -> Result<Option<Finished>, StoreError> {
        let mut c = self.conn().await?;
        let text: Option<String> = pull::table
            .find(pull_id)
            .select(pull::finished)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("pull", pull_id))?;
        let read = text.as_deref().map(serde_json::from_str).transpose();
        read.map_err(|e| StoreError::Damaged(format!("pull {pull_id}: {e}")))
    }

    /// The note on a pull.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull.
    #[boxed]
    pub async fn note_of_pull(&self, pull_id: i64) -> Result<String, StoreError> {
        let mut c = self.conn().await?;
        pull::table
            .find(pull_id)
            .select(pull::note)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("pull", pull_id))
    }

    /// Sets the lag of the engine-computer log by hand, or leaves it to be found again, with what that makes
    /// of the day's measurements, in one transaction: the pulls of a day are looked at together.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull; [`StoreError::Changed`] when what the day's
    /// measurements rest on is no longer in the version that was seen.
    #[boxed]
    pub async fn set_lag(
        &self,
        pull_id: i64,
        lag_s: Option<f64>,
        seen: i64,
        summaries: &[(i64, PackedSummary)],
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let (_, day_id) = place_of(c, pull_id).await?;
            claim_day(c, day_id, Touch::Measurements, Seen::Measurements(seen)).await?;
            let was: Option<f64> = pull::table.find(pull_id).select(pull::lag_s).first(c).await?;
            let text = |lag: Option<f64>| lag.map_or_else(|| "found".into(), |s| format!("{s} s by hand"));
            let change = Change::new("lag", text(was), text(lag_s));
            keep(c, Subject::Pull(pull_id), by, &[change]).await?;
            diesel::update(pull::table.find(pull_id)).set(pull::lag_s.eq(lag_s)).execute(c).await?;
            put_summaries(c, summaries).await
        })
        .await
    }

    /// Sets the note of a pull; `was` is what it said when the person began, `None` when nobody saw it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull; [`StoreError::Changed`] when it says something
    /// else by now.
    #[boxed]
    pub async fn note_pull(
        &self,
        pull_id: i64,
        note: &str,
        was: Option<String>,
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let (_, day_id) = place_of(c, pull_id).await?;
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let now: String = pull::table.find(pull_id).select(pull::note).first(c).await?;
            note_as_seen(was.as_deref(), &now, "the note of the pull")?;
            let change = Change::new("note", now, note);
            keep(c, Subject::Pull(pull_id), by, &[change]).await?;
            diesel::update(pull::table.find(pull_id)).set(pull::note.eq(note)).execute(c).await?;
            Ok(())
        })
        .await
    }
}

/// Refuses when a note is no longer what a person saw; line ends are not compared.
pub(crate) fn note_as_seen(was: Option<&str>, now: &str, what: &'static str) -> Result<(), StoreError> {
    if was.is_some_and(|w| w != now.replace("\r\n", "\n").trim()) {
        Err(StoreError::Changed { what, now: Some(now.trim().to_owned()) })
    } else {
        Ok(())
    }
}

/// Set and day of a pull.
pub(crate) async fn place_of(c: &mut AsyncMysqlConnection, pull_id: i64) -> Result<(i64, i64), StoreError> {
    let place = pull::table
        .inner_join(pull_set::table)
        .filter(pull::id.eq(pull_id))
        .select((pull::set_id, pull_set::day_id))
        .first(c)
        .await;
    place.map_err(|e| StoreError::from(e).about("pull", pull_id))
}
