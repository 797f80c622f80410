//! Stretches of a channel over which something holds.

use crate::log::Series;

/// Stretches where a condition holds, joined across gaps under 0.3 s.
pub(super) fn runs(s: &Series, holds: impl Fn(f64) -> bool) -> Vec<(f64, f64)> {
    let mut out: Vec<(f64, f64)> = Vec::new();
    for (t, _) in s.t.iter().zip(&s.v).filter(|(_, v)| holds(**v)) {
        match out.last_mut() {
            Some(last) if t - last.1 < 0.3 => last.1 = *t,
            _ => out.push((*t, *t)),
        }
    }
    out
}
