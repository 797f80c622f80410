//! Where the lead changes hands along the curve.

use super::gain::GainCurve;

/// A change of the lead: claimed only between a stretch marked gain and one marked loss (domain, section 4).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Crossover {
    /// The stretch between the two in which it lies, rpm.
    pub between: [f64; 2],
    /// The candidate leads above it; else below.
    pub leads_above: bool,
}

/// Changes of the lead, in order of speed, and whether the difference also changes sign where the band cannot tell.
///
/// ```
/// use jamjar_core::analysis::{GainCurve, crossovers};
/// let rpm: Vec<f64> = (0..=40).map(|i| 3000.0 + 50.0 * f64::from(i)).collect();
/// let gain = rpm.iter().map(|n| (n - 4010.0) / 100.0).collect();
/// let (found, unresolved) = crossovers(&GainCurve { half: vec![2.0; rpm.len()], rpm, gain });
/// assert_eq!(found.len(), 1);
/// assert!(found[0].leads_above && found[0].between == [3800.0, 4250.0] && !unresolved);
/// ```
pub fn crossovers(g: &GainCurve) -> (Vec<Crossover>, bool) {
    let mut found = Vec::new();
    let mut unresolved = false;
    // The last marked place and its sign, and the sign last seen since.
    let mut marked: Option<(f64, bool)> = None;
    let mut sign: Option<bool> = None;
    let mut flips = 0;
    for (i, rpm) in g.rpm.iter().enumerate() {
        let Some(half) = g.half.get(i).filter(|h| h.is_finite()) else { continue };
        let gain = g.gain[i];
        if !gain.is_finite() {
            continue;
        }
        let up = gain > 0.0;
        if gain != 0.0 && sign.replace(up).is_some_and(|s| s != up) {
            flips += 1;
        }
        if gain.abs() > *half {
            match marked {
                Some((at, was)) if was != up => {
                    found.push(Crossover { between: [at, *rpm], leads_above: up });
                    // One of the changes is this one; others beside it are not resolved.
                    unresolved |= flips > 1;
                }
                _ => unresolved |= flips > 0,
            }
            (marked, flips) = (Some((*rpm, up)), 0);
        }
    }
    (found, unresolved || flips > 0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn curve(gain: &[f64], half: f64) -> GainCurve {
        let rpm = (0..gain.len()).map(|i| 2000.0 + 100.0 * i as f64).collect();
        GainCurve {
            rpm,
            gain: gain.to_vec(),
            half: if half > 0.0 { vec![half; gain.len()] } else { Vec::new() },
        }
    }

    #[test]
    fn a_crossing_is_claimed_only_between_a_gain_and_a_loss() {
        let (found, open) = crossovers(&curve(&[-3.0, -2.0, -0.5, 0.5, 2.0, 3.0], 1.0));
        assert_eq!(found, [Crossover { between: [2100.0, 2400.0], leads_above: true }]);
        assert!(!open);
        let (found, open) = crossovers(&curve(&[3.0, 0.5, -0.5, 0.4, 3.0], 1.0));
        assert!(found.is_empty() && open, "a dip below nothing that is not shown");
        let (found, open) = crossovers(&curve(&[3.0, 2.0, -2.0, -3.0, 2.0, 3.0], 1.0));
        assert_eq!(found.iter().map(|c| c.leads_above).collect::<Vec<_>>(), [false, true]);
        assert!(!open);
        assert_eq!(crossovers(&curve(&[-3.0, 3.0], 0.0)), (Vec::new(), false), "no band, nothing claimed");
        let (found, open) = crossovers(&curve(&[-3.0, 0.5, -0.5, 0.5, 3.0], 1.0));
        assert!(found.len() == 1 && open, "where exactly is not resolved");
    }
}
