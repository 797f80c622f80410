//! A limit beside what was found of it.

use super::cylinder_words;
use jamjar_core::limits::{LimitOutcome, Verdict, judged};
use jamjar_core::units::Units;
use jamjar_core::words::{verdict_line, why};
use jamjar_store::VehicleRecord;

pub(crate) struct LimitRow {
    pub(crate) label: String,
    pub(crate) verdict: &'static str,
    pub(crate) text: String,
    pub(crate) why: String,
    /// Over.
    pub(crate) warn: bool,
    /// Anything but clear.
    pub(crate) strong: bool,
}

/// A row for each limit that was judged, in the order of the verdicts.
pub(crate) fn limit_rows(verdicts: &[LimitOutcome], v: &VehicleRecord, units: Units) -> Vec<LimitRow> {
    judged(verdicts, &v.limits)
        .map(|(l, o)| LimitRow {
            label: cylinder_words(&l.channel, &v.sheet.cylinders),
            verdict: o.verdict.label(),
            text: verdict_line(l, o, units) + if l.starting_point { ", starting point" } else { "" },
            why: o.why.as_ref().map(why).unwrap_or_default(),
            warn: o.verdict == Verdict::Over,
            strong: o.verdict != Verdict::Clear,
        })
        .collect()
}
