//! What a column is, said by a person: for files that wait, and for recordings that are stored already.

use super::preview::preview;
use super::prints;
use super::report::{FilePreview, source_of};
use crate::error::{WorkflowError, blocking, internal};
use jamjar_core::channel::Channel;
use jamjar_core::log::Recording;
use jamjar_core::units::Unit;
use jamjar_formats::dialect_of;
use jamjar_formats::{ColumnReport, Mapping, ReadLog, Rule, conversion, read_log};
use jamjar_store::{By, FileRef, Reread, SampleFiles, Store, StoreError};
use std::collections::HashMap;

/// Sea-level standard, kPa: near enough to tell what can be.
const STANDARD_KPA: f64 = 101.325;

/// What a person said of a column.
#[derive(Debug, Clone, PartialEq)]
pub struct ColumnAnswer {
    /// Header text, exactly.
    pub column: String,
    /// Its channel; `None`: it is not used.
    pub channel: Option<Channel>,
    /// Its unit; `None`: as guessed.
    pub unit: Option<Unit>,
}

impl ColumnAnswer {
    /// The mapping with this answer in it: nothing else is that column, and no other column is that channel
    /// by hand.
    fn put(&self, mapping: &Mapping) -> Mapping {
        let mut out = mapping.clone();
        out.rules.retain(|r| r.column != self.column && Some(&r.channel) != self.channel.as_ref());
        out.unused.retain(|c| *c != self.column);
        match &self.channel {
            Some(channel) => out.rules.push(Rule {
                channel: channel.clone(),
                column: self.column.clone(),
                unit: self.unit,
            }),
            None => out.unused.push(self.column.clone()),
        }
        out
    }

    /// In words, for the trail.
    fn words(&self) -> String {
        match (&self.channel, self.unit) {
            (None, _) => "not used".into(),
            (Some(c), None) => c.label(),
            (Some(c), Some(u)) => format!("{} in {}", c.label(), u.label()),
        }
    }
}

fn said_before(m: &Mapping, column: &str) -> String {
    match m.rules.iter().find(|r| r.column == column) {
        Some(r) => {
            ColumnAnswer { column: column.to_owned(), channel: Some(r.channel.clone()), unit: r.unit }.words()
        }
        None if m.unused.iter().any(|c| c == column) => "not used".into(),
        None => "as recognised".into(),
    }
}

/// Whether what a person said of a column can be: the middle of its range, read that way, is one its kind of
/// channel can have.
fn believable(columns: &[ColumnReport], said: &ColumnAnswer) -> Result<(), WorkflowError> {
    let Some((channel, kind)) = said.channel.as_ref().and_then(|c| Some((c, c.kind()?))) else {
        return Ok(());
    };
    let column = columns.iter().find(|c| c.header == said.column);
    let Some((unit, [low, high])) = column.and_then(|c| Some((c.unit?, c.range?))) else { return Ok(()) };
    if kind.name == "time" {
        return Ok(());
    }
    // Where the zero of a gauge lies is not at stake here.
    let (scale, offset) = conversion(channel, unit, STANDARD_KPA);
    let middle = 0.5 * (low + high) * scale + offset;
    let slack = 0.1 * (kind.plausible.1 - kind.plausible.0);
    if (kind.plausible.0 - slack..=kind.plausible.1 + slack).contains(&middle) {
        return Ok(());
    }
    Err(WorkflowError::Bad(format!(
        "“{}” as {} in {} would read about {middle:.3} {}, which it cannot be: nothing was changed",
        said.column,
        kind.label,
        unit.label(),
        kind.unit
    )))
}

/// Takes a person's word for a column in every waiting file of one source, when all of them can be read that
/// way; it is remembered for the source.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or a file cannot be read that way; then nothing has changed.
pub async fn answer(
    store: &Store,
    day_id: i64,
    ratio: Option<f64>,
    source: &str,
    said: &ColumnAnswer,
) -> Result<(), WorkflowError> {
    let mut made: Vec<(i64, FilePreview)> = Vec::new();
    for item in store.inbox(day_id).await?.into_iter().filter(|i| i.source == source) {
        let old: FilePreview = serde_json::from_str(&item.report).map_err(internal)?;
        let mapping = said.put(&old.mapping);
        let mut file = store.open_file(item.file_id).await?;
        let again = move || -> Result<FilePreview, WorkflowError> {
            let read = match old.print {
                Some(_) => {
                    prints::table(&mut file, &item.name, &mapping).map(|t| prints::described(&t, &mapping))
                }
                None => preview(&mut file, &item.name, &mapping, ratio).map(|r| r.1),
            };
            file.intact()?;
            Ok(read?)
        };
        let report = blocking(again).await??;
        believable(&report.columns, said)?;
        made.push((item.id, report));
    }
    for (id, report) in &made {
        store.update_inbox_report(*id, &serde_json::to_string(report).map_err(internal)?).await?;
    }
    if let Some((_, report)) = made.first() {
        let kept = Mapping { ambient_kpa: None, ..report.mapping.clone() };
        store.remember_mapping(source, &serde_json::to_string(&kept).map_err(internal)?).await?;
    }
    Ok(())
}

/// A stored recording read from its file again, with the account of its columns.
///
/// # Errors
/// [`WorkflowError`] when the file is damaged or cannot be read.
pub async fn columns_of(store: &Store, file: &FileRef) -> Result<ReadLog, WorkflowError> {
    let mapping: Mapping = serde_json::from_str(&file.mapping).unwrap_or_default();
    read(store, file, mapping).await
}

async fn read(store: &Store, file: &FileRef, mapping: Mapping) -> Result<ReadLog, WorkflowError> {
    let mut input = store.open_file(file.id).await?;
    let name = file.name.clone();
    let read = move || -> Result<ReadLog, WorkflowError> {
        let read = read_log(&mut input, &name, &mapping);
        input.intact()?;
        Ok(read?)
    };
    blocking(read).await?
}

async fn source_of_file(store: &Store, file: &FileRef) -> Result<String, WorkflowError> {
    let (mut input, name) = (store.open_file(file.id).await?, file.name.clone());
    let dialect = blocking(move || dialect_of(&mut input, &name)).await??;
    Ok(source_of(&dialect.headers))
}

/// Recordings read anew for one correction: each file once.
struct Again<'a> {
    store: &'a Store,
    said: &'a ColumnAnswer,
    source: String,
    sources: HashMap<i64, String>,
    last: Option<(i64, Mapping, Recording)>,
}

impl Again<'_> {
    /// A stored recording under the answer, cut as it is stored; `None` when it comes from another source.
    async fn of(
        &mut self,
        file: &FileRef,
        stored: &Recording,
    ) -> Result<Option<(Recording, Mapping)>, WorkflowError> {
        if !self.sources.contains_key(&file.id) {
            let source = source_of_file(self.store, file).await?;
            self.sources.insert(file.id, source);
        }
        if self.sources.get(&file.id) != Some(&self.source) {
            return Ok(None);
        }
        let mapping = self.said.put(&serde_json::from_str(&file.mapping).unwrap_or_default());
        let known = self.last.as_ref().is_some_and(|l| l.0 == file.id && l.1 == mapping);
        if !known {
            let read = read(self.store, file, mapping.clone()).await?;
            believable(&read.columns, self.said)?;
            self.last = Some((file.id, mapping.clone(), read.log));
        }
        let Some((_, _, log)) = &self.last else { return Ok(None) };
        let cut = match stored.span() {
            Some((a, b)) => log.window(a - 1e-9, b + 1e-9),
            None => log.clone(),
        };
        if cut.t.len() != stored.t.len() {
            return Err(WorkflowError::Bad(
                "under this answer the samples are others than those stored: undo the import and store it again".into(),
            ));
        }
        Ok(Some((cut, mapping)))
    }
}

/// Corrects what a column is in the stored recordings of a day that come from one source: they are read from
/// their files again, and everything that rests on them is made anew at the next look. Says how many pulls
/// changed.
///
/// # Errors
/// [`WorkflowError`] when a file cannot be read that way, or the day changed meanwhile; then nothing has
/// changed.
pub async fn correct(
    store: &Store,
    day_id: i64,
    like: &FileRef,
    said: &ColumnAnswer,
    by: &By,
) -> Result<usize, WorkflowError> {
    if said.channel.as_ref().is_some_and(|c| c.as_str() == "time") {
        return Err(WorkflowError::Bad(
            "the time of stored samples stays: undo the import and store it again".into(),
        ));
    }
    let day = store.day(day_id).await?;
    let per_rev = store.vehicle(day.vehicle_id).await?.vehicle.engine.injections_per_rev();
    let source = source_of_file(store, like).await?;
    let mut again = Again { store, said, source, sources: HashMap::new(), last: None };
    let mut made = Vec::new();
    for p in store.sample_files(day_id).await? {
        let (dyno, ecu) = store.samples(p.pull_id).await?;
        // A print holds no samples, and neither does the dyno's side of a log that stands alone.
        let new_dyno = if dyno.t.is_empty() { None } else { again.of(&p.dyno, &dyno).await? };
        let new_ecu = match (&p.ecu, &ecu) {
            (Some(file), Some(log)) => again.of(file, log).await?,
            _ => None,
        };
        if new_dyno.is_none() && new_ecu.is_none() {
            continue;
        }
        made.push(reread(&p, (dyno, new_dyno), (ecu, new_ecu), per_rev, said).await?);
    }
    if made.is_empty() {
        return Ok(0);
    }
    let kept =
        Mapping { ambient_kpa: None, ..said.put(&serde_json::from_str(&like.mapping).unwrap_or_default()) };
    store.replace_samples(&day, &made, by).await?;
    store.remember_mapping(&again.source, &serde_json::to_string(&kept).map_err(internal)?).await?;
    Ok(made.len())
}

type New = Option<(Recording, Mapping)>;

async fn reread(
    p: &SampleFiles,
    (dyno, new_dyno): (Recording, New),
    (ecu, new_ecu): (Option<Recording>, New),
    per_rev: Option<f64>,
    said: &ColumnAnswer,
) -> Result<Reread, WorkflowError> {
    let text = |m: &Mapping| serde_json::to_string(m).map_err(internal);
    let dyno_mapping = new_dyno.as_ref().map(|n| text(&n.1)).transpose()?;
    let ecu_mapping = new_ecu.as_ref().map(|n| text(&n.1)).transpose()?;
    let old = if new_dyno.is_some() { Some(&p.dyno) } else { p.ecu.as_ref() };
    let was: Mapping = old.and_then(|f| serde_json::from_str(&f.mapping).ok()).unwrap_or_default();
    let (pull_id, column) = (p.pull_id, said.column.clone());
    let (old_words, new_words) = (said_before(&was, &column), said.words());
    let block = blocking(move || {
        let dyno = new_dyno.map_or(dyno, |n| n.0.with_duty(per_rev));
        let ecu = new_ecu.map(|n| n.0.with_duty(per_rev)).or(ecu);
        jamjar_store::encode_block(&dyno, ecu.as_ref())
    })
    .await?;
    Ok(Reread { pull_id, block, dyno_mapping, ecu_mapping, column, was: old_words, now: new_words })
}

/// The files of one pull; [`StoreError::NotFound`] when it has no samples of its own.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn files_of(store: &Store, day_id: i64, pull_id: i64) -> Result<SampleFiles, WorkflowError> {
    let found = store.sample_files(day_id).await?.into_iter().find(|p| p.pull_id == pull_id);
    Ok(found.ok_or(StoreError::NotFound { what: "recordings of pull", id: pull_id })?)
}
