//! What a study of planted faults found of one kind.

use super::Share;
use jamjar_sim::FaultKind;

/// What was found for one kind.
#[derive(Debug, Clone)]
#[allow(missing_docs)]
pub struct Found {
    pub kind: FaultKind,
    pub size: f64,
    pub meaning: &'static str,
    /// How the analysis says it; `None` when nothing claims to find it yet.
    pub said_by: Option<&'static str>,
    /// Share of planted pulls of which it was said.
    pub recall: Option<Share>,
    /// The same at half the size (nearer to nothing), where a half makes sense.
    pub recall_half: Option<(f64, Share)>,
    /// Share of other pulls of the same days of which it was said.
    pub false_alarms: Option<Share>,
    pub pulls: usize,
}
