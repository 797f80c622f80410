//! Configurations, in words.

use crate::factors::{Factors, Hazard};

/// Why a configuration must not be proposed, without a full stop.
pub fn hazard(h: &Hazard) -> String {
    match h {
        Hazard::MeantForOther { map, meant_for, fuel } => {
            format!("{map} is meant for {meant_for}, not for {fuel}")
        }
        Hazard::CrossedNearby { limit, share } => {
            format!(
                "the limit “{limit}” was crossed one change away from it ({:.0} % of its margin used)",
                100.0 * share
            )
        }
        Hazard::WouldCross { limit, share } => {
            format!(
                "the limit “{limit}” would be crossed if the changes add up ({:.0} % of its margin used)",
                100.0 * share
            )
        }
    }
}

/// "map C1, fuel E60".
pub(super) fn configuration(f: &Factors) -> String {
    let mut parts: Vec<(&String, &String)> = f.iter().collect();
    parts.sort_by_key(|(k, _)| (k.as_str() != "map", k.as_str() != "fuel", k.as_str()));
    // A cell is called by its name.
    let one = |(k, v): (&String, &String)| if k == "cell" { v.clone() } else { format!("{k} {v}") };
    parts.into_iter().map(one).collect::<Vec<_>>().join(", ")
}
