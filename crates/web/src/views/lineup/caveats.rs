//! The caveats beside the answer of a line-up.

use super::names::name_of;
use jamjar_core::analysis::{Along, Caveat};
use jamjar_workflow::lineup::LineUp;

/// Two words that stand before a caveat.
pub(super) fn tag(c: &Caveat) -> &'static str {
    match c {
        Caveat::Confounded { .. } => "changed together",
        Caveat::CrossDay { .. } => "different days",
        Caveat::CantTell(_) => "can't tell",
        Caveat::Provisional(_) => "provisional",
        Caveat::OneMounting => "one mounting",
        Caveat::FewMountings => "few mountings",
        Caveat::UnevenScatter { .. } => "uneven scatter",
        Caveat::BorrowedScatter | Caveat::NoRepeats | Caveat::TooCoarse => "few pulls",
        Caveat::SpeedOrigins => "engine speed",
        Caveat::AtShaftSpeed(_) => "at shaft speed",
        Caveat::RampRate { .. } | Caveat::WindowSpan { .. } => "ramp rate",
        Caveat::Correction { .. } | Caveat::SameUnknown { .. } => "correction",
        Caveat::OneCurve => "one curve",
        Caveat::Excluded { .. } => "excluded",
        Caveat::Bracketed(_) => "before and after",
        Caveat::Drift(_) => "drift",
        Caveat::Across { .. } | Caveat::NoSharedBaseline => "both days",
        Caveat::Equivalence(_) => "same?",
        Caveat::BestOf(_) => "best of",
        Caveat::Flagged { .. } => "look at it",
        Caveat::Unsettled { .. } => "not settled",
        Caveat::Suspected(_) => "look at it",
        Caveat::Octane { .. } => "octane",
        Caveat::Injection(_) => "injection",
        Caveat::AcrossGears(_) => "across gears",
        Caveat::Copies | Caveat::HeldSteps { .. } | Caveat::Headline(_) => "note",
    }
}

/// Sets that have no curve along the axis asked for, and why.
pub(super) fn not_drawn(l: &LineUp, along: Along) -> Option<(String, String)> {
    let missing: Vec<String> = (0..l.sets.len())
        .filter(|&i| l.results[i].n() > 0 && l.results[i].drawn().rpm.is_empty())
        .map(|i| name_of(l, i))
        .collect();
    let why = match along {
        Along::RoadSpeed => "no road speed was logged with it, or speeds were held",
        _ => "speeds were held, so there is nothing between them",
    };
    (along != Along::EngineSpeed && !missing.is_empty()).then(|| {
        ("axis".to_owned(), format!("Not drawn along {}: {} ({why}).", along.label(), missing.join(", ")))
    })
}
