//! Maps that learn: spark that moves from pull to pull of one configuration.

use serde::Serialize;

/// Movement between neighbouring pulls that counts, degrees (our choice: ten times a log's last digit).
const MOVES_DEG: f64 = 0.4;

/// What delivered spark did over the pulls of a set.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Adapts {
    /// It stayed.
    Steady,
    /// It moved by so much in all, and stays from this pull on, counted from 1.
    Settled { moved_deg: f64, from_pull: usize },
    /// It still moved between the last two.
    StillMoving { moved_deg: f64 },
}

/// Judges mean delivered spark of each pull, over speeds all of them have, in the order of running. `None` below two.
pub fn adapts(mean_deg: &[f64]) -> Option<Adapts> {
    let n = mean_deg.len();
    if n < 2 {
        return None;
    }
    let steps: Vec<f64> = mean_deg.windows(2).map(|w| w[1] - w[0]).collect();
    let moved_deg = mean_deg[n - 1] - mean_deg[0];
    let last = steps.iter().rposition(|s| s.abs() >= MOVES_DEG);
    Some(match last {
        None if moved_deg.abs() < 2.0 * MOVES_DEG => Adapts::Steady,
        None => Adapts::StillMoving { moved_deg },
        Some(i) if i + 1 == steps.len() => Adapts::StillMoving { moved_deg },
        Some(i) => Adapts::Settled { moved_deg, from_pull: i + 2 },
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn movement_is_told_from_scatter_and_its_end_is_named() {
        assert_eq!(adapts(&[18.0]), None);
        assert_eq!(adapts(&[18.0, 18.1, 17.9]), Some(Adapts::Steady));
        let settled = adapts(&[15.0, 17.0, 18.0, 18.1, 18.0]);
        assert_eq!(settled, Some(Adapts::Settled { moved_deg: 3.0, from_pull: 3 }));
        assert!(matches!(adapts(&[15.0, 16.0, 17.0]), Some(Adapts::StillMoving { .. })));
        let creeping = adapts(&[15.0, 15.3, 15.6, 15.9]);
        assert!(matches!(creeping, Some(Adapts::StillMoving { .. })), "{creeping:?}");
    }
}
