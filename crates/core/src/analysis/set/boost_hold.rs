//! Whether boost holds once the charger has spooled: creep, taper, and what moved with it.

use crate::analysis::measured::boost::{BOOST_FROM_KPA, DUTY_MOST, MIN_OFF_KPA, MIN_OFF_SHARE, SPOOLED};

/// Smoothed over so wide a window, rpm; the end of a pull is its last one (our choice: wider than control hunts by).
const WINDOW_RPM: f64 = 300.0;
/// Left out after spooling, rpm (our choice: control settles there).
const SETTLES_RPM: f64 = 300.0;
/// A gate driven to so little, %, stands open (our choice).
const OPEN_PCT: f64 = 10.0;

/// Boost by engine speed: a set's means, or one pull. NaN where there is none.
#[derive(Debug, Clone, Copy)]
pub struct BoostSeen<'a> {
    /// Engine speed, rpm, rising.
    pub rpm: &'a [f64],
    /// Manifold pressure, kPa absolute.
    pub manifold_kpa: &'a [f64],
    /// Its target, kPa absolute.
    pub target_kpa: Option<&'a [f64]>,
    /// Drive of the gate, %: the more, the more boost.
    pub gate_pct: Option<&'a [f64]>,
    /// Air around it, kPa.
    pub ambient_kpa: f64,
}

/// What moved with a change of boost.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HoldCause {
    /// Its target did.
    Commanded,
    /// It falls with the gate driven to its end: out of flow, or a leak.
    OutOfFlow,
    /// It rises with the gate open: creep.
    GateOpen,
    /// The gate was not recorded.
    GateUnknown,
    /// The gate still had something to give, or to take.
    Control,
}

/// How boost went on to the end of the pull.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BoostHold {
    /// From its turning point to the end, kPa: negative where it falls; nothing where it holds.
    pub by_kpa: f64,
    /// Where it turns, and where the pull ends, rpm.
    pub rpm: [f64; 2],
    /// Line through all of it, kPa for each 1000 rpm.
    pub slope: f64,
    /// Gate over the last 300 rpm, %.
    pub gate_pct: Option<f64>,
    /// What moved with it; `None` where it holds.
    pub cause: Option<HoldCause>,
}

/// Reads creep and taper; `None` where nothing shows boost, it never spooled, or too little follows.
///
/// # Formula
/// From 300 rpm behind the speed of 90 % of the target (of the highest gauge pressure where no target was logged) to the end:
/// fall = highest − last mean over 300 rpm, rise = last − lowest; the larger counts from max(6 kPa, 6 % of the gauge
/// pressure). It is commanded where the target moves by half of it or more between the same places; else a gate driven to
/// 90 % or more leaves a fall out of flow, and one at 10 % or less makes a rise creep (domain, section 9; thresholds are our
/// choice).
///
/// ```
/// use jamjar_core::analysis::{BoostSeen, HoldCause, boost_hold};
/// let rpm: Vec<f64> = (0..90).map(|i| 2500.0 + 50.0 * f64::from(i)).collect();
/// let manifold_kpa: Vec<f64> = rpm.iter().map(|r| 240.0 - 0.02 * (r - 4500.0_f64).max(0.0)).collect();
/// let gate = vec![96.0; rpm.len()];
/// let seen = BoostSeen { rpm: &rpm, manifold_kpa: &manifold_kpa, target_kpa: None, gate_pct: Some(&gate), ambient_kpa: 100.0 };
/// let held = boost_hold(&seen).unwrap();
/// assert_eq!(held.cause, Some(HoldCause::OutOfFlow));
/// assert!((held.by_kpa + 47.0).abs() < 3.0);
/// ```
pub fn boost_hold(seen: &BoostSeen<'_>) -> Option<BoostHold> {
    let at = |v: &[f64], i: usize| v.get(i).copied().unwrap_or(f64::NAN);
    let gauge = |i: usize| at(seen.manifold_kpa, i) - seen.ambient_kpa;
    let wanted = |i: usize| seen.target_kpa.map(|t| at(t, i) - seen.ambient_kpa).filter(|t| t.is_finite());
    let all: Vec<usize> = (0..seen.rpm.len()).filter(|i| gauge(*i).is_finite()).collect();
    let highest = all.iter().map(|i| gauge(*i)).fold(f64::NAN, f64::max);
    let aimed = all.iter().filter_map(|i| wanted(*i)).fold(f64::NAN, f64::max);
    let level = if aimed.is_nan() { highest } else { aimed };
    if !level.is_finite() || level < BOOST_FROM_KPA {
        return None;
    }
    let spooled =
        all.iter().find(|i| gauge(**i) >= SPOOLED * wanted(**i).unwrap_or(level).max(BOOST_FROM_KPA))?;
    let from = seen.rpm[*spooled] + SETTLES_RPM;
    let after: Vec<usize> = all.iter().copied().filter(|i| seen.rpm[*i] >= from).collect();
    let to = seen.rpm[*after.last()?];
    if to - from < 2.0 * WINDOW_RPM {
        return None;
    }
    let mean = |v: &dyn Fn(usize) -> Option<f64>, a: f64, b: f64| {
        let own = after.iter().filter(|i| (a..=b).contains(&seen.rpm[**i]));
        let own: Vec<f64> = own.filter_map(|i| v(*i)).filter(|v| v.is_finite()).collect();
        (!own.is_empty()).then(|| own.iter().sum::<f64>() / own.len() as f64)
    };
    let half = 0.5 * WINDOW_RPM;
    let around = |v: &dyn Fn(usize) -> Option<f64>, r: f64| mean(v, r - half, r + half);
    let boost = |i: usize| Some(gauge(i));
    let last = to - half;
    let end = around(&boost, last)?;
    let windows: Vec<(f64, f64)> = after
        .iter()
        .map(|i| seen.rpm[*i])
        .filter(|r| (from + half..=last).contains(r))
        .filter_map(|r| Some((r, around(&boost, r)?)))
        .collect();
    let top = windows.iter().copied().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let bottom = windows.iter().copied().min_by(|a, b| a.1.total_cmp(&b.1))?;
    let (fall, rise) = (top.1 - end, end - bottom.1);
    let gate = |i: usize| seen.gate_pct.map(|g| at(g, i));
    let gate_pct = around(&gate, last);
    let (turn, by_kpa) = if fall >= rise { (top.0, -fall) } else { (bottom.0, rise) };
    let counts = by_kpa.abs() >= MIN_OFF_KPA.max(MIN_OFF_SHARE * level);
    let follows =
        around(&wanted, last).zip(around(&wanted, turn)).is_some_and(|(e, t)| (e - t) / by_kpa >= 0.5);
    let cause = match gate_pct {
        _ if follows => HoldCause::Commanded,
        None => HoldCause::GateUnknown,
        Some(g) if by_kpa < 0.0 && g >= DUTY_MOST => HoldCause::OutOfFlow,
        Some(g) if by_kpa > 0.0 && g <= OPEN_PCT => HoldCause::GateOpen,
        Some(_) => HoldCause::Control,
    };
    Some(BoostHold {
        by_kpa: if counts { by_kpa } else { 0.0 },
        rpm: [turn, to],
        slope: 1000.0 * slope(after.iter().map(|i| (seen.rpm[*i], gauge(*i)))),
        gate_pct,
        cause: counts.then_some(cause),
    })
}

/// Slope of the line of least squares.
fn slope(points: impl Iterator<Item = (f64, f64)> + Clone) -> f64 {
    let n = points.clone().count() as f64;
    let (sx, sy) = points.clone().fold((0.0, 0.0), |(a, b), (x, y)| (a + x, b + y));
    let (mx, my) = (sx / n, sy / n);
    let (xy, xx) =
        points.fold((0.0, 0.0), |(a, b), (x, y)| (a + (x - mx) * (y - my), b + (x - mx) * (x - mx)));
    xy / xx
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A pull from 2000 to 6500 rpm that has spooled at 3000; `shape` is its gauge pressure from there.
    fn held(
        shape: impl Fn(f64) -> f64,
        target: Option<&dyn Fn(f64) -> f64>,
        gate: Option<f64>,
    ) -> Option<BoostHold> {
        let rpm: Vec<f64> = (0..=90).map(|i| 2000.0 + 50.0 * f64::from(i)).collect();
        let spool = |r: f64| if r < 3000.0 { 120.0 * (r - 2000.0) / 1000.0 } else { shape(r) };
        // Control hunts by 2 kPa all along.
        let manifold_kpa: Vec<f64> = rpm.iter().map(|r| 100.0 + spool(*r) + 2.0 * (r / 40.0).sin()).collect();
        let target_kpa: Option<Vec<f64>> = target.map(|t| rpm.iter().map(|r| 100.0 + t(*r)).collect());
        let gate_pct = gate.map(|g| vec![g; rpm.len()]);
        boost_hold(&BoostSeen {
            rpm: &rpm,
            manifold_kpa: &manifold_kpa,
            target_kpa: target_kpa.as_deref(),
            gate_pct: gate_pct.as_deref(),
            ambient_kpa: 100.0,
        })
    }

    #[test]
    fn a_level_pressure_holds_and_control_that_hunts_is_no_creep() {
        let level = held(|_| 120.0, Some(&|_| 120.0), Some(60.0)).unwrap();
        assert_eq!((level.by_kpa, level.cause), (0.0, None));
        assert!(level.slope.abs() < 1.0, "{}", level.slope);
    }

    #[test]
    fn a_fall_is_told_by_what_falls_with_it() {
        let falls = |r: f64| 120.0 - 0.015 * (r - 4500.0).max(0.0);
        let cause = |target: Option<&dyn Fn(f64) -> f64>, gate| held(falls, target, gate).unwrap().cause;
        assert_eq!(cause(Some(&falls), Some(55.0)), Some(HoldCause::Commanded));
        assert_eq!(cause(Some(&falls), Some(97.0)), Some(HoldCause::Commanded), "it has what was asked for");
        assert_eq!(cause(Some(&|_| 120.0), Some(97.0)), Some(HoldCause::OutOfFlow));
        assert_eq!(cause(Some(&|_| 120.0), Some(55.0)), Some(HoldCause::Control));
        assert_eq!(cause(Some(&|_| 120.0), None), Some(HoldCause::GateUnknown));
        assert_eq!(cause(None, Some(97.0)), Some(HoldCause::OutOfFlow));
        let seen = held(falls, Some(&|_| 120.0), Some(97.0)).unwrap();
        assert!((seen.by_kpa + 27.0).abs() < 3.0, "{seen:?}");
        assert!((seen.slope + 10.0).abs() < 3.0, "{seen:?}");
    }

    #[test]
    fn a_rise_with_the_gate_open_is_creep_and_with_the_target_is_not() {
        let rises = |r: f64| 120.0 + 0.012 * (r - 4000.0).max(0.0);
        let cause = |target: Option<&dyn Fn(f64) -> f64>, gate| held(rises, target, gate).unwrap().cause;
        assert_eq!(cause(Some(&|_| 120.0), Some(2.0)), Some(HoldCause::GateOpen));
        assert_eq!(cause(Some(&rises), Some(2.0)), Some(HoldCause::Commanded));
        assert_eq!(cause(Some(&|_| 120.0), Some(40.0)), Some(HoldCause::Control));
        assert!((held(rises, Some(&|_| 120.0), Some(2.0)).unwrap().by_kpa - 28.0).abs() < 3.0);
        // Without a target boost that creeps has spooled late, and little of the creep is left to be seen.
        assert_eq!(held(rises, None, Some(2.0)).unwrap().cause, None);
    }

    #[test]
    fn nothing_is_said_where_boost_never_came_or_the_pull_ends_with_it() {
        assert_eq!(held(|_| 60.0, Some(&|_| 160.0), Some(97.0)), None, "it never reached its target");
        assert_eq!(
            boost_hold(&BoostSeen {
                rpm: &[],
                manifold_kpa: &[],
                target_kpa: None,
                gate_pct: None,
                ambient_kpa: 100.0
            }),
            None
        );
        let short: Vec<f64> = (0..12).map(|i| 3000.0 + 50.0 * f64::from(i)).collect();
        let p = vec![220.0; 12];
        let seen =
            BoostSeen { rpm: &short, manifold_kpa: &p, target_kpa: None, gate_pct: None, ambient_kpa: 100.0 };
        assert_eq!(boost_hold(&seen), None);
    }
}
