//! Everything stored held against everything else: files against their hashes, blocks against their
//! checksums, figures against the samples and the air they are said to rest on, runs against their owners.

use crate::error::{WorkflowError, blocking};
use crate::import::MeasureKey;
use crate::import::air::DayAir;
use crate::input::input_of;
use jamjar_core::ALGORITHM_VERSION;
use jamjar_core::analysis::Settings;
use jamjar_store::{Day, Pull, Store, StoreError, Summary, decode_block};
use serde_json::{Value, json};

/// What was looked at and what does not agree.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Verified {
    pub files: usize,
    pub days: usize,
    pub pulls: usize,
    pub reports: usize,
    /// Pulls whose measurement is out of date: made again when somebody looks at them.
    pub stale: usize,
    /// What is wrong and what to do, a sentence each.
    pub problems: Vec<String>,
}

impl Verified {
    /// Whether everything agrees.
    pub fn is_whole(&self) -> bool {
        self.problems.is_empty()
    }

    /// For a person.
    pub fn words(&self) -> String {
        let looked = format!("{} files, {} days and {} pulls looked at", self.files, self.days, self.pulls);
        let stale = if self.stale > 0 {
            format!("; {} measurements are out of date and will be made again when looked at", self.stale)
        } else {
            String::new()
        };
        if self.is_whole() {
            return format!("{looked}{stale}: everything agrees");
        }
        format!("{looked}{stale}; {} do not agree:\n{}", self.problems.len(), self.problems.join("\n"))
    }

    /// For a program.
    pub fn to_json(&self) -> Value {
        json!({"files": self.files, "days": self.days, "pulls": self.pulls, "reports": self.reports, "stale": self.stale, "problems": self.problems, "whole": self.is_whole()})
    }
}

/// Looks at everything.
///
/// # Errors
/// [`WorkflowError`] when the store cannot answer; what is wrong with the data is no error but a finding.
pub async fn verify(store: &Store) -> Result<Verified, WorkflowError> {
    let mut out = Verified::default();
    for id in store.file_ids().await? {
        out.files += 1;
        let file = store.open_file(id).await?;
        match blocking(move || file.intact()).await? {
            Ok(()) => {}
            Err(StoreError::Damaged(why)) => out
                .problems
                .push(format!("file {id}: {why}. Take it in again from where it came, or from a backup")),
            Err(e) => return Err(e.into()),
        }
    }
    store.end_orphans().await?;
    for id in store.day_ids().await? {
        let day = store.day(id).await?;
        let vehicle = store.vehicle(day.vehicle_id).await?;
        let airs = DayAir::of_day(store, id).await?;
        let keys = MeasureKey::new(&vehicle.vehicle, &vehicle.limits, &Settings::default());
        out.days += 1;
        for s in store.sets_of_day(id).await? {
            let keys = keys.under(&input_of(&s).factors);
            for (pull, summary) in &s.pulls {
                out.pulls += 1;
                check_pull(store, &mut out, &day, &keys, &airs, pull, summary).await?;
            }
        }
    }
    check_reports(store, &mut out).await?;
    for pull in store.pulls_without_parts().await? {
        out.problems.push(format!(
            "pull {pull} lacks its samples or its figures: half of it is missing. Restore a backup"
        ));
    }
    Ok(out)
}

/// What was issued is still what was issued.
async fn check_reports(store: &Store, out: &mut Verified) -> Result<(), WorkflowError> {
    for r in store.reports(None).await? {
        out.reports += 1;
        let mut looked =
            vec![store.report_sheet(r.id).await.map(drop), store.report_figures(r.id).await.map(drop)];
        for paper in store.report_papers(r.id).await? {
            looked.push(store.report_print(r.id, &paper).await.map(drop));
        }
        for one in looked {
            match one {
                Ok(()) => {}
                Err(StoreError::Damaged(why)) => out.problems.push(format!("{why}. Restore a backup")),
                Err(e) => return Err(e.into()),
            }
        }
    }
    Ok(())
}

async fn check_pull(
    store: &Store,
    out: &mut Verified,
    day: &Day,
    keys: &MeasureKey,
    airs: &DayAir,
    pull: &Pull,
    summary: &Summary,
) -> Result<(), WorkflowError> {
    let place = format!("pull {} of {} on {}", pull.id, day.vehicle, day.date);
    if pull.shares.is_none() {
        let block = store.block(pull.id).await?;
        if let Err(e) = blocking(move || decode_block(&block).map(|_| ())).await? {
            out.problems
                .push(format!("{place}: its samples: {e}. The raw files are in custody: store them again"));
        }
        if summary.algorithm != ALGORITHM_VERSION || summary.settings != keys.of(airs.of(pull), pull.lag_s) {
            out.stale += 1;
            return Ok(());
        }
    }
    if summary.measured.air != airs.of(pull) {
        out.problems.push(format!(
            "{place}: its figures rest on another air than the day's. Enter the day's air again"
        ));
    }
    if pull.lag_s.is_some() && summary.measured.alignment.lag_s != pull.lag_s {
        out.problems.push(format!(
            "{place}: its figures rest on another lag than the one set by hand. Set the lag again"
        ));
    }
    let peak = summary.measured.grid.curve().figures(None).peak_power.map(|p| p.value);
    let row = store.peak_of(pull.id).await?;
    if pull.shares.is_none() && row != peak {
        out.problems
            .push(format!("{place}: the figure that is searched ({row:?}) is not the one that was measured ({peak:?}). Enter the day's air again"));
    }
    Ok(())
}
