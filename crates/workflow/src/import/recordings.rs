//! Recordings of a storing: read out of custody one after the other, no more held than is measured together.

use super::chosen::{ChosenPull, ChosenSet, MadeOf};
use super::prints;
use super::report::FilePreview;
use crate::error::{WorkflowError, blocking};
use jamjar_core::analysis::{Finished, PullInput, SetInput, own_bounds};
use jamjar_core::log::Recording;
use jamjar_core::printed::Print;
use jamjar_formats::{Mapping, read_log};
use jamjar_store::{InboxItem, Store, VehicleRecord};
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::sync::Arc;

/// The files a pull comes from.
pub(super) struct Files {
    pub(super) dyno: InboxItem,
    pub(super) ecu: Option<InboxItem>,
}

/// Values of recordings that may be held at one time, while they are measured and stored together (our
/// choice: 144 MB).
const MOST_HELD: usize = 18_000_000;

/// Reads files out of custody: of those that hold several pulls one is kept for the next of them. Counts what
/// is held of them.
pub(super) struct Recordings<'a> {
    store: &'a Store,
    injections_per_rev: Option<f64>,
    last: Option<(i64, Arc<Recording>)>,
    held: usize,
}

impl<'a> Recordings<'a> {
    pub(super) fn new(store: &'a Store, vehicle: &VehicleRecord) -> Self {
        Self { store, injections_per_rev: vehicle.vehicle.engine.injections_per_rev(), last: None, held: 0 }
    }

    async fn read(&mut self, item: &InboxItem, keep: bool) -> Result<Arc<Recording>, WorkflowError> {
        if let Some((_, known)) = self.last.as_ref().filter(|l| l.0 == item.id) {
            return Ok(known.clone());
        }
        self.last = None;
        let mut file = self.store.open_file(item.file_id).await?;
        let (name, mapping) = (item.name.clone(), mapping_of(item));
        let per_rev = self.injections_per_rev;
        let read = move || -> Result<Recording, WorkflowError> {
            let read = read_log(&mut file, &name, &mapping);
            file.intact()?;
            Ok(read?.log.with_duty(per_rev))
        };
        let log = Arc::new(blocking(read).await??);
        self.last = keep.then(|| (item.id, log.clone()));
        Ok(log)
    }

    /// Counts a recording as held.
    ///
    /// # Errors
    /// When it is too much together with the others.
    fn hold(&mut self, log: Recording) -> Result<Recording, WorkflowError> {
        self.held += log.t.len() * (log.channels.len() + 1);
        if self.held > MOST_HELD {
            let millions = MOST_HELD / 1_000_000;
            let what = format!(
                "these pulls hold more than {millions} million values together: store fewer sets at a time, or split long logs"
            );
            return Err(WorkflowError::Bad(what));
        }
        Ok(log)
    }

    /// The dyno recording of a pull: its own part of a file that holds several.
    ///
    /// # Errors
    /// When the file cannot be read, or there is too much to hold.
    pub(super) async fn of_pull(
        &mut self,
        item: &InboxItem,
        number: Option<usize>,
    ) -> Result<Recording, WorkflowError> {
        let whole = self.read(item, number.is_some()).await?;
        self.hold(part_of(whole, item, number))
    }

    /// What stands behind a chosen pull, but for the engine computer's log beside a dyno recording.
    ///
    /// # Errors
    /// When the file cannot be read, or there is too much to hold.
    pub(super) async fn own(
        &mut self,
        item: &InboxItem,
        chosen: &ChosenPull,
        print: &Print,
    ) -> Result<PullInput, WorkflowError> {
        let named = Recording { name: item.name.clone(), ..Recording::default() };
        Ok(match chosen.made_of {
            MadeOf::Recordings => {
                PullInput { dyno: self.of_pull(item, chosen.number).await?, ..PullInput::default() }
            }
            MadeOf::LogAlone => PullInput {
                dyno: named,
                ecu: Some(Arc::new(self.of_pull(item, chosen.number).await?)),
                finished: Some(Finished::LogOnly),
                ..PullInput::default()
            },
            MadeOf::Print => {
                let mut file = self.store.open_file(item.file_id).await?;
                let preview = preview_of(item).unwrap_or_default();
                let (name, number, print) = (item.name.clone(), chosen.number.unwrap_or(0), print.clone());
                let read = move || {
                    let read = prints::finished(&mut file, &name, &preview, number, print);
                    file.intact()?;
                    read
                };
                PullInput { dyno: named, finished: Some(blocking(read).await??), ..PullInput::default() }
            }
        })
    }

    /// Gives the pulls their engine computer's logs, each read once and shared: whose samples they are shows
    /// only when all are measured.
    ///
    /// # Errors
    /// When a file cannot be read, or there is too much to hold.
    pub(super) async fn engine_logs(
        &mut self,
        sets: &mut [SetInput],
        origins: &[(&ChosenSet, Vec<Files>)],
    ) -> Result<(), WorkflowError> {
        self.last = None;
        let mut read: HashMap<i64, Arc<Recording>> = HashMap::new();
        for (set, (_, files)) in sets.iter_mut().zip(origins) {
            for (pull, ecu) in set.pulls.iter_mut().zip(files).filter_map(|(p, f)| Some((p, f.ecu.as_ref()?)))
            {
                let log = match read.entry(ecu.id) {
                    Entry::Occupied(known) => known.into_mut(),
                    Entry::Vacant(slot) => {
                        let log = Arc::unwrap_or_clone(self.read(ecu, false).await?);
                        slot.insert(Arc::new(self.hold(log)?))
                    }
                };
                pull.ecu = Some(log.clone());
            }
        }
        Ok(())
    }
}

/// The part of a recording that belongs to the pull of that number among those previewed; all of it without a
/// number.
fn part_of(log: Arc<Recording>, item: &InboxItem, number: Option<usize>) -> Recording {
    let spans = preview_of(item)
        .map(|r| r.pulls.iter().map(|p| [p.from_s, p.to_s]).collect::<Vec<_>>())
        .unwrap_or_default();
    match number.and_then(|n| own_bounds(&spans, n)) {
        Some([a, b]) => log.window(a, b),
        None => Arc::unwrap_or_clone(log),
    }
}

fn preview_of(item: &InboxItem) -> Option<FilePreview> {
    serde_json::from_str(&item.report).ok()
}

pub(super) fn mapping_of(item: &InboxItem) -> Mapping {
    preview_of(item).map(|r| r.mapping).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn more_than_may_be_held_is_refused_with_what_to_do() {
        let store = Store::new("mysql://nobody@127.0.0.1:9/none", 1).unwrap();
        let mut r = Recordings { store: &store, injections_per_rev: None, last: None, held: MOST_HELD - 20 };
        let log = |rows| Recording { t: vec![0.0; rows], ..Recording::default() };
        assert!(r.hold(log(20)).is_ok());
        let e = r.hold(log(1)).unwrap_err().to_string();
        assert!(e.contains("18 million values") && e.contains("fewer sets"), "{e}");
    }
}
