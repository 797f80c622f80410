//! Work at a distance on a vehicle: revisions out, recordings back, remarks on them. Every thread and step has an id that
//! is the same in every shop, so that a thread may go back and forth and nothing comes in twice.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{map_revision, pull, pull_set, raw_file, thread, thread_step, vehicle};
use crate::vehicles::claim_vehicle;
use chrono::{NaiveDateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use std::collections::BTreeMap;

/// What a step is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum StepKind {
    /// A revision goes out, with its questions.
    Revision,
    /// Recordings come back.
    Recordings,
    /// Something said of a channel at a moment of a recording.
    Remark,
    /// Anything else that is said.
    Word,
}

impl StepKind {
    const ALL: [(Self, &'static str); 4] = [
        (Self::Revision, "revision"),
        (Self::Recordings, "recordings"),
        (Self::Remark, "remark"),
        (Self::Word, "word"),
    ];

    fn id(self) -> &'static str {
        Self::ALL.iter().find(|k| k.0 == self).map_or("word", |k| k.1)
    }

    fn of(id: &str) -> Self {
        Self::ALL.iter().find(|k| k.1 == id).map_or(Self::Word, |k| k.0)
    }
}

/// A thread.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = thread)]
#[allow(missing_docs)]
pub struct Thread {
    pub id: i64,
    /// The same in every shop.
    pub uid: String,
    pub vehicle_id: i64,
    #[diesel(select_expression = vehicle::name)]
    pub vehicle: String,
    pub title: String,
    pub opened_by: String,
    pub opened_at: NaiveDateTime,
    pub closed_at: Option<NaiveDateTime>,
}

/// A step of a thread.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Step {
    pub id: i64,
    /// The same in every shop.
    pub uid: String,
    pub kind: StepKind,
    pub by: String,
    pub at: NaiveDateTime,
    pub words: String,
    /// The revision that went out, with its name.
    pub map: Option<(i64, String)>,
    /// SHA-256 of the files it is about, in hexadecimal: the map's, or those of recordings.
    pub files: Vec<String>,
    pub channel: Option<String>,
    /// Moment in the recording, s.
    pub at_s: Option<f64>,
}

/// A step that is to be written; `uid` and `at` are given when it comes from another shop.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct NewStep {
    pub uid: Option<String>,
    pub kind: StepKind,
    pub by: String,
    pub at: Option<NaiveDateTime>,
    pub words: String,
    pub map_id: Option<i64>,
    pub files: Vec<String>,
    pub channel: Option<String>,
    pub at_s: Option<f64>,
}

/// A pull whose recordings hold a file.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct HeldIn {
    pub pull_id: i64,
    pub set_id: i64,
    pub position: i32,
}

/// A step as it stands in its row; `map` is the name of the revision.
#[derive(Queryable, Selectable)]
#[diesel(table_name = thread_step)]
struct StepRow {
    id: i64,
    uid: String,
    kind: String,
    written_by: String,
    written_at: NaiveDateTime,
    words: String,
    map_id: Option<i64>,
    #[diesel(select_expression = map_revision::name.nullable())]
    map: Option<String>,
    files: String,
    channel: Option<String>,
    at_s: Option<f64>,
}

impl From<StepRow> for Step {
    fn from(r: StepRow) -> Self {
        Self {
            id: r.id,
            uid: r.uid,
            kind: StepKind::of(&r.kind),
            by: r.written_by,
            at: r.written_at,
            words: r.words,
            map: r.map_id.zip(r.map),
            files: r.files.split_whitespace().map(str::to_owned).collect(),
            channel: r.channel,
            at_s: r.at_s,
        }
    }
}

async fn one(c: &mut AsyncMysqlConnection, id: i64) -> Result<Thread, StoreError> {
    let found = thread::table
        .inner_join(vehicle::table)
        .filter(thread::id.eq(id))
        .select(Thread::as_select())
        .first(c);
    found.await.map_err(|e| StoreError::from(e).about("thread", id))
}

impl Store {
    /// Threads, the newest first; of one vehicle or of all.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn threads(&self, of_vehicle: Option<i64>) -> Result<Vec<Thread>, StoreError> {
        let mut c = self.conn().await?;
        let mut q = thread::table.inner_join(vehicle::table).select(Thread::as_select()).into_boxed();
        q = q.filter(vehicle::archived_at.is_null());
        if let Some(id) = of_vehicle {
            q = q.filter(thread::vehicle_id.eq(id));
        }
        Ok(q.order(thread::id.desc()).load(&mut c).await?)
    }

    /// A thread with its steps, as they were written.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such thread.
    #[boxed]
    pub async fn thread(&self, id: i64) -> Result<(Thread, Vec<Step>), StoreError> {
        let mut c = self.conn().await?;
        let t = one(&mut c, id).await?;
        let rows: Vec<StepRow> = thread_step::table
            .left_join(map_revision::table)
            .filter(thread_step::thread_id.eq(id))
            .order((thread_step::written_at, thread_step::id))
            .select(StepRow::as_select())
            .load(&mut c)
            .await?;
        Ok((t, rows.into_iter().map(Step::from).collect()))
    }

    /// Remarks on a recording in the threads of a vehicle, in the order of time, each with its thread.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn remarks_on(
        &self,
        vehicle_id: i64,
        recording: &str,
    ) -> Result<Vec<(Thread, Step)>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(Thread, StepRow)> = thread_step::table
            .left_join(map_revision::table)
            .inner_join(thread::table.inner_join(vehicle::table))
            .filter(thread::vehicle_id.eq(vehicle_id).and(thread_step::kind.eq(StepKind::Remark.id())))
            .filter(thread_step::files.like(format!("%{recording}%")))
            .order((thread_step::written_at, thread_step::id))
            .select((Thread::as_select(), StepRow::as_select()))
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().map(|(t, s)| (t, s.into())).collect())
    }

    /// Begins a thread; one of an id that is here already is that one. Its id.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle; [`StoreError::Refused`] for an id that belongs to another
    /// vehicle here.
    #[boxed]
    pub async fn open_thread(
        &self,
        vehicle_id: i64,
        title: &str,
        from_elsewhere: Option<&(String, NaiveDateTime)>,
        by: &By,
    ) -> Result<i64, StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            if let Some((uid, _)) = from_elsewhere {
                let here: Option<(i64, i64)> = thread::table
                    .filter(thread::uid.eq(uid))
                    .select((thread::id, thread::vehicle_id))
                    .first(c)
                    .await
                    .optional()?;
                match here {
                    Some((id, own)) if own == vehicle_id => return Ok(id),
                    Some(_) => {
                        return Err(StoreError::Refused(
                            "this thread is here already, with another vehicle".into(),
                        ));
                    }
                    None => {}
                }
            }
            let at = from_elsewhere.map_or_else(|| Utc::now().naive_utc(), |f| f.1);
            let own = (
                thread::vehicle_id.eq(vehicle_id),
                thread::title.eq(title),
                thread::opened_by.eq(&by.who),
                thread::opened_at.eq(at),
            );
            match from_elsewhere {
                Some((uid, _)) => {
                    diesel::insert_into(thread::table).values((own, thread::uid.eq(uid))).execute(c).await?
                }
                None => diesel::insert_into(thread::table).values(own).execute(c).await?,
            };
            let id = inserted(c).await?;
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("thread", "", title)]).await?;
            Ok(id)
        })
        .await
    }

    /// Writes steps of a thread, all or none; those that are here already stay as they are. How many are new.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such thread; [`StoreError::Refused`] for a map that does not serve its
    /// vehicle.
    #[boxed]
    pub async fn add_steps(&self, thread_id: i64, steps: &[NewStep]) -> Result<usize, StoreError> {
        self.transact(async |c| {
            let t = one(c, thread_id).await?;
            claim_vehicle(c, t.vehicle_id, None).await?;
            let mut new = 0;
            for s in steps {
                if let Some(uid) = &s.uid {
                    let here: i64 =
                        thread_step::table.filter(thread_step::uid.eq(uid)).count().get_result(c).await?;
                    if here > 0 {
                        continue;
                    }
                }
                if let Some(map) = s.map_id {
                    crate::flashes::serving(c, map, t.vehicle_id).await?;
                }
                let own = (
                    thread_step::thread_id.eq(thread_id),
                    thread_step::kind.eq(s.kind.id()),
                    thread_step::written_by.eq(&s.by),
                    thread_step::written_at.eq(s.at.unwrap_or_else(|| Utc::now().naive_utc())),
                    thread_step::words.eq(&s.words),
                    thread_step::map_id.eq(s.map_id),
                    thread_step::files.eq(s.files.join(" ")),
                    thread_step::channel.eq(&s.channel),
                    thread_step::at_s.eq(s.at_s),
                );
                match &s.uid {
                    Some(uid) => {
                        let own = (own, thread_step::uid.eq(uid));
                        diesel::insert_into(thread_step::table).values(own).execute(c).await?
                    }
                    None => diesel::insert_into(thread_step::table).values(own).execute(c).await?,
                };
                new += 1;
            }
            Ok(new)
        })
        .await
    }

    /// Closes a thread, or opens it again.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such thread.
    #[boxed]
    pub async fn close_thread(&self, id: i64, closed: bool, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            let t = one(c, id).await?;
            claim_vehicle(c, t.vehicle_id, None).await?;
            let at = closed.then(|| Utc::now().naive_utc());
            diesel::update(thread::table.find(id)).set(thread::closed_at.eq(at)).execute(c).await?;
            let said = if closed { "closed" } else { "open again" };
            keep(c, Subject::Vehicle(t.vehicle_id), by, &[Change::new("thread", t.title, said)]).await
        })
        .await
    }

    /// Files in custody by what they hold: SHA-256 in hexadecimal to id.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn files_called(&self, sha: &[String]) -> Result<BTreeMap<String, i64>, StoreError> {
        let wanted: Vec<Vec<u8>> = sha.iter().filter_map(|s| hex::decode(s).ok()).collect();
        let mut c = self.conn().await?;
        let rows: Vec<(Vec<u8>, i64)> = raw_file::table
            .filter(raw_file::sha256.eq_any(wanted))
            .select((raw_file::sha256, raw_file::id))
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().map(|(sha, id)| (hex::encode(sha), id)).collect())
    }

    /// Pulls of a vehicle that rest on recordings, by file: archived ones left out.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn pulls_on(
        &self,
        vehicle_id: i64,
        files: &[i64],
    ) -> Result<BTreeMap<i64, Vec<HeldIn>>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, Option<i64>, i64, i64, i32)> = pull::table
            .inner_join(pull_set::table.inner_join(crate::schema::cell_day::table))
            .filter(crate::schema::cell_day::vehicle_id.eq(vehicle_id))
            .filter(pull::archived_at.is_null().and(pull_set::archived_at.is_null()))
            .filter(pull::dyno_file_id.eq_any(files).or(pull::ecu_file_id.eq_any(files)))
            .order((pull_set::id, pull::position))
            .select((pull::dyno_file_id, pull::ecu_file_id, pull::id, pull_set::id, pull::position))
            .load(&mut c)
            .await?;
        let mut out: BTreeMap<i64, Vec<HeldIn>> = BTreeMap::new();
        for (dyno, ecu, pull_id, set_id, position) in rows {
            for f in [Some(dyno), ecu].into_iter().flatten().filter(|f| files.contains(f)) {
                let at = out.entry(f).or_default();
                if at.iter().all(|h| h.pull_id != pull_id) {
                    at.push(HeldIn { pull_id, set_id, position });
                }
            }
        }
        Ok(out)
    }
}
