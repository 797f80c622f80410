//! Power over delivered spark at one speed: the best angle with its interval, and what another degree is worth.

use crate::calculators::spark::{Mbt, MbtError, Place, mbt};
use serde::Serialize;

/// Retard above which a pull is left out of a sweep, degrees (our choice: half of what knock control takes at once).
pub const RETARDED_DEG: f64 = 0.5;

/// One pull at the speed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Point {
    /// Delivered spark, degrees before top dead centre.
    pub spark_deg: f64,
    /// Power or torque there.
    pub value: f64,
    /// Retard of the worst cylinder there, degrees.
    pub retard_deg: f64,
}

/// Where the best angle lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Best {
    /// The whole interval lies inside what was tried.
    AtMbt,
    /// Beyond, and the pulls with the most spark were retarded: knock came first.
    KnockLimited,
    /// Beyond, and no pull was retarded.
    StillGaining,
    /// Below the smallest angle tried.
    LessNotTried,
    /// The scatter allows it anywhere, or power does not curve downward.
    NotResolved,
}

/// A sweep.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Sweep {
    /// What it says.
    pub best: Best,
    /// The parabola; `None` where there is none.
    pub fit: Option<Mbt>,
    /// What one more degree is worth at the largest angle that was not retarded, per degree.
    pub per_degree: Option<f64>,
    /// Points used, and those left out because knock control had taken spark.
    pub used: usize,
    /// Left out.
    pub retarded: usize,
}

/// Why no sweep can be read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TooFew {
    /// Distinct angles there are.
    pub angles: usize,
}

/// Reads a sweep from pulls at different delivered spark; retarded ones are left out.
///
/// # Formula
/// The vertex of `value = c0 + c1·θ + c2·θ²` with its Fieller interval; one degree at θ is worth `2·c2·(θ − θ_v)`
/// (domain, section 8).
///
/// # Errors
/// [`TooFew`] below four distinct angles.
pub fn sweep(points: &[Point]) -> Result<Sweep, TooFew> {
    let whole = |p: &&Point| p.retard_deg.abs() < RETARDED_DEG;
    let (used, out): (Vec<&Point>, Vec<&Point>) = points.iter().partition(whole);
    let (deg, value): (Vec<f64>, Vec<f64>) = used.iter().map(|p| (p.spark_deg, p.value)).unzip();
    let bare = |best, fit, per_degree| Sweep { best, fit, per_degree, used: used.len(), retarded: out.len() };
    let fit = match mbt(&deg, &value) {
        Ok(f) => f,
        Err(MbtError::TooFew { distinct }) => return Err(TooFew { angles: distinct }),
        Err(MbtError::NotConcave) => return Ok(bare(Best::NotResolved, None, None)),
        Err(MbtError::Lengths { .. } | MbtError::NotFinite { .. }) => return Err(TooFew { angles: 0 }),
    };
    let top = fit.tested_deg[1];
    // Asked for as much as the most that was tried, and not given it: knock came first.
    let knocked = out.iter().any(|p| p.spark_deg + p.retard_deg.abs() >= top - 0.25);
    let best = match fit.verdict {
        Place::AtMbt => Best::AtMbt,
        Place::BeyondTested if knocked => Best::KnockLimited,
        Place::BeyondTested => Best::StillGaining,
        Place::BelowTested => Best::LessNotTried,
        Place::NotResolved => Best::NotResolved,
    };
    let per_degree = (best != Best::NotResolved).then_some(2.0 * fit.curvature * (top - fit.vertex_deg));
    Ok(bare(best, Some(fit), per_degree))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(angles: &[f64], vertex: f64, retard: impl Fn(f64) -> f64) -> Vec<Point> {
        let noise = [0.03, -0.05, 0.04, -0.02, 0.05, -0.04, 0.01, -0.03];
        let value = |(x, e): (&f64, f64)| Point {
            spark_deg: *x,
            value: 100.0 - 0.06 * (x - vertex).powi(2) + e,
            retard_deg: retard(*x),
        };
        angles.iter().zip(noise).map(value).collect()
    }

    #[test]
    fn each_place_of_the_best_angle_has_its_word() {
        let tried = [12.0, 14.0, 16.0, 18.0, 20.0, 22.0];
        let none = |_: f64| 0.0;
        let s = sweep(&at(&tried, 17.0, none)).unwrap();
        assert_eq!((s.best, s.used, s.retarded), (Best::AtMbt, 6, 0));
        assert!((s.fit.unwrap().vertex_deg - 17.0).abs() < 0.5 && s.per_degree.unwrap() < 0.0);
        let s = sweep(&at(&tried, 25.0, none)).unwrap();
        assert_eq!(s.best, Best::StillGaining);
        assert!((s.per_degree.unwrap() - 0.36).abs() < 0.1, "{s:?}");
        let s = sweep(&at(&[8.0, 11.0, 14.0, 16.0, 17.0, 18.0, 19.0, 19.5], 25.0, |x| {
            if x > 18.5 { 2.0 } else { 0.0 }
        }))
        .unwrap();
        assert_eq!((s.best, s.retarded), (Best::KnockLimited, 2));
        assert_eq!(sweep(&at(&tried, 10.0, none)).unwrap().best, Best::LessNotTried);
        let straight: Vec<Point> =
            tried.iter().map(|x| Point { spark_deg: *x, value: 80.0 + x * x, retard_deg: 0.0 }).collect();
        assert_eq!(sweep(&straight).unwrap().best, Best::NotResolved);
        assert_eq!(sweep(&at(&tried, 17.0, |x| if x > 15.0 { 3.0 } else { 0.0 })), Err(TooFew { angles: 2 }));
    }
}
