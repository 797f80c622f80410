//! Which rung makes a wanted power: between two that were pulled, read back from their means.

use crate::stats::distributions::t_quantile;
use crate::stats::pooled::within;
use crate::stats::two_sets::mean;
use serde::Serialize;

/// Share of the peak from which power counts as usable (our choice, as the field says it: 90 % of the peak).
pub const USABLE: f64 = 0.9;
/// Places between two rungs at which the interval is looked for (our choice: finer than any controller holds).
const STEPS: usize = 400;

/// Where a wanted power lies on a ladder.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Detune {
    /// The rung below it, by its index, and the one above.
    pub between: [usize; 2],
    /// Where on the ladder, in the unit of the rungs.
    pub at: f64,
    /// 95 % interval of that; an end at a rung may lie beyond it. `None` without scatter.
    pub interval: Option<[f64; 2]>,
    /// Whether each end of the interval is cut off at a rung.
    pub open: [bool; 2],
}

/// Why no place between rungs makes it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[allow(missing_docs)]
pub enum NoDetune {
    /// The lowest rung makes more.
    BelowAll { lowest: f64 },
    /// No rung makes as much.
    AboveAll { highest: f64 },
    /// Fewer than two rungs have the figure.
    TooFew,
}

/// Finds the lowest two neighbouring rungs whose means hold a wanted figure between them, and the place on the straight
/// line between.
///
/// # Formula
/// `x = x_a + u·(x_b − x_a)`, `u = (P − P̄_a)/(P̄_b − P̄_a)`; its interval holds every `u` in 0 to 1 for which
/// `|P̄(u) − P| ≤ t·s·√((1 − u)²/n_a + u²/n_b)`
///
/// where
/// - `P`: the wanted figure; `P̄`, `n`: mean and pulls of a rung; `s`: scatter of a pull pooled over all rungs (inverse
///   regression, our choice for two rungs: nothing between them was pulled).
///
/// # Errors
/// [`NoDetune`] when none does. Nothing is ever read beyond the rungs that were pulled.
pub fn detune(rungs: &[(f64, &[f64])], wanted: f64) -> Result<Detune, NoDetune> {
    let means: Vec<(usize, f64, f64)> =
        rungs.iter().enumerate().filter(|(_, r)| !r.1.is_empty()).map(|(i, r)| (i, r.0, mean(r.1))).collect();
    if means.len() < 2 {
        return Err(NoDetune::TooFew);
    }
    let bracket = means.windows(2).find(|w| {
        let (a, b) = (w[0].2, w[1].2);
        (a.min(b)..=a.max(b)).contains(&wanted) && (b - a).abs() > 0.0
    });
    let Some([(i, xa, pa), (j, xb, pb)]) = bracket.and_then(|w| <[_; 2]>::try_from(w).ok()) else {
        let low = means.iter().map(|m| m.2).fold(f64::INFINITY, f64::min);
        let high = means.iter().map(|m| m.2).fold(f64::NEG_INFINITY, f64::max);
        return Err(if wanted < low {
            NoDetune::BelowAll { lowest: low }
        } else {
            NoDetune::AboveAll { highest: high }
        });
    };
    let at = |u: f64| xa + u * (xb - xa);
    let sets: Vec<&[f64]> = rungs.iter().map(|r| r.1).collect();
    let inside = within(&sets).map(|w| {
        let t = t_quantile(0.975, w.df) * w.sd;
        let (na, nb) = (rungs[i].1.len() as f64, rungs[j].1.len() as f64);
        let fits = |u: &f64| {
            let half = t * ((1.0 - u).powi(2) / na + u * u / nb).sqrt();
            (pa + u * (pb - pa) - wanted).abs() <= half
        };
        let all: Vec<f64> = (0..=STEPS).map(|k| k as f64 / STEPS as f64).filter(fits).collect();
        let best = (wanted - pa) / (pb - pa);
        [all.first().copied().unwrap_or(best), all.last().copied().unwrap_or(best)]
    });
    Ok(Detune {
        between: [i, j],
        at: at((wanted - pa) / (pb - pa)),
        interval: inside.map(|u| u.map(at)),
        open: inside.map_or([true; 2], |[a, b]| [a <= 0.0, b >= 1.0]),
    })
}

/// Engine speeds over which a curve holds a share of its peak: from the first to the last around the peak without a gap.
pub fn usable(rpm: &[f64], power: &[f64], share: f64) -> Option<[f64; 2]> {
    let top = (0..power.len().min(rpm.len())).max_by(|&a, &b| power[a].total_cmp(&power[b]))?;
    let least = share * power[top];
    if !least.is_finite() || least <= 0.0 {
        return None;
    }
    let from = (0..=top).rev().take_while(|&i| power[i] >= least).last()?;
    let to = (top..power.len().min(rpm.len())).take_while(|&i| power[i] >= least).last()?;
    Some([rpm[from], rpm[to]])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_power_between_two_rungs_has_its_place_and_one_beyond_has_none() {
        let rungs: [(f64, &[f64]); 3] =
            [(60.0, &[118.0, 120.0, 122.0]), (100.0, &[148.0, 150.0, 152.0]), (120.0, &[159.0, 161.0])];
        let d = detune(&rungs, 135.0).unwrap();
        assert_eq!(d.between, [0, 1]);
        assert!((d.at - 80.0).abs() < 1e-9);
        let [low, high] = d.interval.unwrap();
        assert!(low < 80.0 && high > 80.0 && high - low < 10.0 && d.open == [false, false], "{d:?}");
        assert_eq!(detune(&rungs, 100.0), Err(NoDetune::BelowAll { lowest: 120.0 }));
        assert_eq!(detune(&rungs, 170.0), Err(NoDetune::AboveAll { highest: 160.0 }));
        assert_eq!(detune(&rungs[..1], 120.0), Err(NoDetune::TooFew));
        let near = detune(&rungs, 120.5).unwrap();
        assert_eq!(near.open, [true, false], "within scatter of a rung the interval is cut there");
        let single: [(f64, &[f64]); 2] = [(60.0, &[120.0]), (100.0, &[150.0])];
        assert_eq!(detune(&single, 135.0).unwrap().interval, None, "no scatter, no interval");
    }

    #[test]
    fn the_usable_window_ends_where_power_first_falls_off() {
        let rpm: Vec<f64> = (0..10).map(|i| 2000.0 + 500.0 * f64::from(i)).collect();
        let power = [50.0, 92.0, 60.0, 91.0, 95.0, 100.0, 96.0, 90.0, 70.0, 95.0];
        assert_eq!(usable(&rpm, &power, USABLE), Some([3500.0, 5500.0]));
        assert_eq!(usable(&[], &[], USABLE), None);
        assert_eq!(usable(&[1000.0], &[0.0], USABLE), None);
    }

    proptest! {
        #[test]
        fn the_place_lies_between_its_rungs(p in 121.0..149.0f64, noise in prop::array::uniform6(-2.0..2.0f64)) {
            let a: Vec<f64> = noise[..3].iter().map(|e| 120.0 + e).collect();
            let b: Vec<f64> = noise[3..].iter().map(|e| 150.0 + e).collect();
            let rungs: [(f64, &[f64]); 2] = [(60.0, &a), (100.0, &b)];
            if let Ok(d) = detune(&rungs, p) {
                prop_assert!((60.0..=100.0).contains(&d.at));
                let [low, high] = d.interval.unwrap();
                prop_assert!(low <= d.at + 0.11 && high >= d.at - 0.11);
            }
        }
    }
}
