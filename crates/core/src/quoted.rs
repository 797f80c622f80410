//! A measured baseline against what the engine is quoted at: is anything missing before a map is touched?

use crate::pull::dyno::DynoKind;

/// Share of quoted output that a healthy driveline and the tolerance of engines and dynos may leave out or add, by where power
/// is measured (our choice: places to begin; what a driveline takes is measured by coasting down, never reckoned back).
fn usual(at: DynoKind, quoted: QuotedAt) -> [f64; 2] {
    match at {
        _ if quoted == QuotedAt::SamePlace => [-0.05, 0.05],
        DynoKind::Engine => [-0.05, 0.05],
        DynoKind::Pto => [-0.02, 0.15],
        DynoKind::Hub => [0.03, 0.18],
        DynoKind::RollerBrake | DynoKind::RollerInertia => [0.05, 0.25],
    }
}

/// Where a quoted figure belongs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum QuotedAt {
    /// Where the baseline was measured.
    SamePlace,
    /// At the crankshaft.
    Crank,
    /// Nobody said; taken as at the crankshaft.
    Unsaid,
}

impl QuotedAt {
    /// Reads it out of what somebody wrote, such as "at the crank, by its papers".
    pub fn read(words: &str, measured: DynoKind) -> Self {
        let words = words.to_lowercase();
        let says = |of: &[&str]| of.iter().any(|w| words.contains(w));
        let crank = says(&["crank", "flywheel", "engine"]);
        let same = match measured {
            DynoKind::Engine => crank,
            DynoKind::Pto => says(&["pto", "take-off"]),
            DynoKind::Hub => says(&["hub"]),
            DynoKind::RollerBrake | DynoKind::RollerInertia => says(&["wheel", "roller"]),
        };
        match (same, crank) {
            (true, _) => Self::SamePlace,
            (false, true) => Self::Crank,
            (false, false) => Self::Unsaid,
        }
    }
}

/// What a baseline comes to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AgainstQuoted {
    /// Share of the quoted output that is missing; negative where there is more.
    pub missing: f64,
    /// Shares that driveline and tolerances explain.
    pub explained: [f64; 2],
    /// Where the quoted figure belongs.
    pub quoted: QuotedAt,
    /// What is left.
    pub says: Says,
}

/// Whether that is all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Says {
    /// The driveline explains it.
    Explained,
    /// More is missing than it explains.
    Missing,
    /// There is more than it leaves.
    More,
}

/// Holds a measured peak against a quoted one.
///
/// # Formula
/// missing = 1 − P/P_quoted, held against the share that a driveline may take where it was measured.
///
/// ```
/// use jamjar_core::pull::dyno::DynoKind;
/// use jamjar_core::quoted::{QuotedAt, Says, against_quoted};
/// let crank = QuotedAt::read("at the crank, by its papers", DynoKind::Hub);
/// assert_eq!(against_quoted(103.0, (118.0, crank), DynoKind::Hub).unwrap().says, Says::Explained);
/// assert_eq!(against_quoted(80.0, (118.0, crank), DynoKind::Hub).unwrap().says, Says::Missing);
/// ```
pub fn against_quoted(
    measured_kw: f64,
    (quoted_kw, quoted): (f64, QuotedAt),
    at: DynoKind,
) -> Option<AgainstQuoted> {
    let missing = 1.0 - measured_kw / quoted_kw;
    if !missing.is_finite() || quoted_kw <= 0.0 {
        return None;
    }
    let explained = usual(at, quoted);
    let says = match missing {
        m if m > explained[1] => Says::Missing,
        m if m < explained[0] => Says::More,
        _ => Says::Explained,
    };
    Some(AgainstQuoted { missing, explained, quoted, says })
}
