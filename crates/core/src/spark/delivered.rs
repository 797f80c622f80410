//! Commanded against delivered spark. Recorders log either; which of them a channel is shows where knock control acts.

use crate::log::Series;
use serde::Serialize;

/// Retard that moves by this much within [`WITHIN_S`] shows which of the two was logged, degrees (our choice).
const STEP_DEG: f64 = 1.0;
const WITHIN_S: f64 = 0.3;
/// A share of the step above which the spark followed it, and below which it did not (our choice).
const FOLLOWED: f64 = 0.6;
const IGNORED: f64 = 0.3;

/// What a recorded spark is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Recorded {
    /// It moved with the retard: as the plug fired.
    Delivered,
    /// It did not: as the map asked.
    Commanded,
    /// No retard stood out, so the two are the same here.
    Same,
    /// Some steps were followed and some not.
    Unsure,
}

/// Both, on the times of the recorded spark, degrees before top dead centre.
#[derive(Debug, Clone, PartialEq)]
pub struct Spark {
    /// What was recorded.
    pub recorded: Recorded,
    /// As the map asked.
    pub commanded: Series,
    /// As the plugs fired, mean over the cylinders.
    pub delivered: Series,
}

/// Mean retard of the cylinders at the times of the spark; retard is told as a positive number whichever sign it was
/// logged with.
fn retard_at(spark: &Series, retards: &[Series]) -> Vec<f64> {
    let mut readers: Vec<_> = retards.iter().map(Series::reader).collect();
    let n = readers.len().max(1) as f64;
    spark
        .t
        .iter()
        .map(|t| readers.iter_mut().filter_map(|r| r.at(*t)).map(f64::abs).sum::<f64>() / n)
        .collect()
}

/// Tells what was recorded and gives both.
///
/// # Formula
/// `delivered = commanded − retard`, the retard the mean of the cylinders' (domain, section 8).
pub fn spark(recorded: &Series, retards: &[Series]) -> Spark {
    let retard = retard_at(recorded, retards);
    let (mut followed, mut ignored) = (0, 0);
    let (mut i, mut j) = (0, 0);
    while j < recorded.len() {
        while recorded.t[j] - recorded.t[i] > WITHIN_S {
            i += 1;
        }
        let step = retard[j] - retard[i];
        if step >= STEP_DEG {
            let share = (recorded.v[i] - recorded.v[j]) / step;
            followed += u32::from(share >= FOLLOWED);
            ignored += u32::from(share <= IGNORED);
            // Each step counts once.
            i = j;
        }
        j += 1;
    }
    let is = match (followed, ignored) {
        (0, 0) => Recorded::Same,
        (f, g) if f >= 3 * g.max(1) || f > 0 && g == 0 => Recorded::Delivered,
        (f, g) if g >= 3 * f.max(1) || g > 0 && f == 0 => Recorded::Commanded,
        _ => Recorded::Unsure,
    };
    let moved = |sign: f64| Series {
        t: recorded.t.clone(),
        v: recorded.v.iter().zip(&retard).map(|(v, r)| v + sign * r).collect(),
    };
    let (commanded, delivered) = match is {
        Recorded::Commanded => (recorded.clone(), moved(-1.0)),
        _ => (moved(1.0), recorded.clone()),
    };
    Spark { recorded: is, commanded, delivered }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn series(f: impl Fn(f64) -> f64) -> Series {
        let t: Vec<f64> = (0..400).map(|i| f64::from(i) * 0.02).collect();
        Series { v: t.iter().map(|t| f(*t)).collect(), t }
    }

    #[test]
    fn a_log_shows_which_of_the_two_it_holds() {
        let map = |t: f64| 12.0 + t;
        let retard = |t: f64| if (3.0..3.6).contains(&t) || (5.0..5.5).contains(&t) { 3.0 } else { 0.0 };
        let fired = spark(&series(|t| map(t) - retard(t)), &[series(retard)]);
        assert_eq!(fired.recorded, Recorded::Delivered);
        let asked = spark(&series(map), &[series(|t| -retard(t))]);
        assert_eq!(asked.recorded, Recorded::Commanded, "whichever sign the retard was logged with");
        for s in [&fired, &asked] {
            assert!((s.delivered.at(3.3).unwrap() - 12.3).abs() < 1e-9);
            assert!((s.commanded.at(3.3).unwrap() - 15.3).abs() < 1e-9);
        }
        assert_eq!(spark(&series(map), &[series(|_| 0.0)]).recorded, Recorded::Same);
        let two = spark(&series(map), &[series(retard), series(|_| 0.0)]);
        assert!((two.delivered.at(3.3).unwrap() - (15.3 - 1.5)).abs() < 1e-9, "the mean of the cylinders");
    }
}
