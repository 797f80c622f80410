//! Gear changes: when the engine leaves one ratio and stays in the next, what that costs, and what it does meanwhile.

use crate::log::Series;
use crate::signal::median::median_interval;

/// Ratios are read over so long, s (domain, section 12).
const READ_S: f64 = 0.3;
/// A ratio is left beyond this share, or four of its own standard deviations (domain, section 12).
const LEFT_SHARE: f64 = 0.02;
const LEFT_SD: f64 = 4.0;
/// Two gears lie further apart than this (our choice: the closest of any gearbox are).
const APART: f64 = 0.08;
/// What takes longer than this between two gears is no change under load, s (our choice).
const LONGEST_S: f64 = 3.0;
/// The slower clock may step by this share of a change, and two clocks be unsure by this (domain, section 12).
const STEP_SHARE: f64 = 0.2;
const CLOCK_SHARE: f64 = 0.1;
/// Engine speed above the old ratio that is a flare, rpm (domain, section 12).
pub const FLARE_RPM: f64 = 50.0;
/// Below this share of its power before, the drive is interrupted (domain, section 12).
const INTERRUPTED: f64 = 0.5;
/// Power is looked at so long behind the end of a change, s (our choice: torque comes back after the ratio is there).
const BACK_WITHIN_S: f64 = 0.5;
/// Shares of the highest speeds below which nothing is read (our choice: standing and pulling away).
const MOVES: f64 = 0.05;

/// Speeds on one clock, and what is known of that clock.
#[derive(Debug, Clone, Copy)]
pub struct ShiftSeen<'a> {
    /// Engine speed, rpm.
    pub engine: &'a Series,
    /// A speed behind the gearbox: shaft, wheel or road, in any unit.
    pub shaft: &'a Series,
    /// Power at the dyno, in any unit.
    pub power: Option<&'a Series>,
    /// How unsure the clocks of the two speeds are against each other, s; nothing where it is one clock.
    pub clock_sd_s: f64,
}

/// Why the times of a change cannot be told.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Unclear {
    /// Samples come this far apart, s.
    TooCoarse(f64),
    /// The two clocks are unsure by this, s.
    Clocks(f64),
}

/// A change of gear.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shift {
    /// When the old ratio is left, s.
    pub from_s: f64,
    /// Until the new one stays, s.
    pub takes_s: f64,
    /// Engine over shaft, before and after.
    pub ratio: [f64; 2],
    /// Engine speed, before and after, rpm.
    pub rpm: [f64; 2],
    /// Most that the engine ran above the old ratio, rpm; a flare from [`FLARE_RPM`].
    pub flare_rpm: f64,
    /// Share by which the engine still runs ahead of its new ratio just after: clutch or lock-up slip.
    pub slip: f64,
    /// How long power lay below half of that before, s; `None` where none was recorded.
    pub interrupted_s: Option<f64>,
    /// Why its times cannot be told.
    pub unclear: Option<Unclear>,
}

impl Shift {
    /// Into a higher gear.
    pub fn is_up(&self) -> bool {
        self.ratio[1] < self.ratio[0]
    }
}

/// A stretch in one gear: its samples, from and to.
type Stay = [usize; 2];

/// Finds changes of gear.
///
/// # Formula
/// With r = engine ÷ shaft: a gear is where r stays within 2 % for 0.3 s. Of two neighbouring gears more than 8 % apart the
/// change begins at the last sample within max(2 %, 4 σ) of the mean of the last 0.3 s of the old, and ends at the first from
/// which r stays as close to the new. Interruption: time below half of the mean power of the last 0.3 s; flare: engine speed
/// above old ratio × shaft. Times are not told where samples come further apart than a fifth of the change, or the two
/// clocks are unsure by a tenth of it (domain, section 12).
///
/// ```
/// use jamjar_core::log::Series;
/// use jamjar_core::pull::shifts::{ShiftSeen, shifts};
/// let t: Vec<f64> = (0..600).map(|i| 0.01 * f64::from(i)).collect();
/// let shaft: Vec<f64> = t.iter().map(|t| 1000.0 + 100.0 * t).collect();
/// // Third gear to 3 s, fourth from 3.4 s, and a straight line between.
/// let r = |t: f64| 4.0 - (t - 3.0).clamp(0.0, 0.4) / 0.4;
/// let engine = t.iter().zip(&shaft).map(|(t, s)| r(*t) * s).collect();
/// let (engine, shaft) = (Series { t: t.clone(), v: engine }, Series { t, v: shaft });
/// let all = shifts(&ShiftSeen { engine: &engine, shaft: &shaft, power: None, clock_sd_s: 0.0 });
/// assert!(all.len() == 1 && all[0].is_up() && (all[0].takes_s - 0.35).abs() < 0.03, "{all:?}");
/// ```
pub fn shifts(seen: &ShiftSeen<'_>) -> Vec<Shift> {
    let highest = |s: &Series| s.v.iter().copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
    let least = [MOVES * highest(seen.engine), MOVES * highest(seen.shaft)];
    let mut shaft = seen.shaft.reader();
    let at = seen.engine.t.iter().zip(&seen.engine.v);
    let ratio: Vec<(f64, f64)> = at
        .filter_map(|(t, e)| {
            let s = shaft.at(*t).filter(|s| *s > least[1])?;
            (*e > least[0]).then_some((*t, e / s))
        })
        .filter(|(_, r)| r.is_finite())
        .collect();
    let step = median_interval(&seen.engine.t).max(median_interval(&seen.shaft.t));
    let stays = stays(&ratio);
    stays.windows(2).filter_map(|w| between(seen, &ratio, [w[0], w[1]], step)).collect()
}

/// Stretches of at least [`READ_S`] over which a ratio stays: each sample within [`LEFT_SHARE`] of the mean of those of the
/// last [`READ_S`] before it.
fn stays(ratio: &[(f64, f64)]) -> Vec<Stay> {
    let mut out: Vec<Stay> = Vec::new();
    let mut from = 0;
    while from < ratio.len() {
        let mut to = from;
        let (mut sum, mut low) = (ratio[from].1, from);
        for k in from + 1..ratio.len() {
            let m = sum / (k - low) as f64;
            // A hole in the recording ends a stretch as well as another ratio does.
            if (ratio[k].1 / m - 1.0).abs() > LEFT_SHARE || ratio[k].0 - ratio[k - 1].0 > READ_S {
                break;
            }
            to = k;
            sum += ratio[k].1;
            while ratio[k].0 - ratio[low].0 > READ_S {
                sum -= ratio[low].1;
                low += 1;
            }
        }
        if ratio[to].0 - ratio[from].0 >= READ_S {
            out.push([from, to]);
            from = to + 1;
        } else {
            from += 1;
        }
    }
    out
}

fn mean(v: &[f64]) -> f64 {
    v.iter().sum::<f64>() / v.len() as f64
}

/// Mean and tolerance of a ratio over some samples.
fn level(ratio: &[(f64, f64)]) -> (f64, f64) {
    let v: Vec<f64> = ratio.iter().map(|r| r.1).collect();
    let m = mean(&v);
    let sd = (v.iter().map(|x| (x - m) * (x - m)).sum::<f64>() / (v.len() - 1).max(1) as f64).sqrt();
    (m, (LEFT_SHARE * m).max(LEFT_SD * sd))
}

fn between(seen: &ShiftSeen<'_>, ratio: &[(f64, f64)], [a, b]: [Stay; 2], step: f64) -> Option<Shift> {
    let last = |s: Stay| {
        let from = ratio[s[0]..=s[1]].partition_point(|r| r.0 < ratio[s[1]].0 - READ_S) + s[0];
        level(&ratio[from..=s[1]])
    };
    let first_second = |s: Stay| {
        let until = ratio[s[0]..=s[1]].partition_point(|r| r.0 <= ratio[s[0]].0 + 1.0) + s[0];
        let from = ratio[s[0]..until].partition_point(|r| r.0 < ratio[s[0]].0 + READ_S) + s[0];
        if from < until { level(&ratio[from..until]) } else { level(&ratio[s[0]..=s[1]]) }
    };
    let ((old, off_old), (new, off_new)) = (last(a), first_second(b));
    if (new / old - 1.0).abs() < APART || ratio[b[0]].0 - ratio[a[1]].0 > LONGEST_S {
        return None;
    }
    let begin = (a[0]..=b[0]).rev().find(|k| (ratio[*k].1 - old).abs() <= off_old)?;
    let end =
        (begin..=b[1]).rev().take_while(|k| (ratio[*k].1 - new).abs() <= off_new || *k > b[0]).last()?;
    let (from_s, to_s) = (ratio[begin].0, ratio[end].0);
    let takes_s = to_s - from_s;
    let engine = seen.engine.between(from_s, to_s);
    let ahead = engine.t.iter().zip(&engine.v).filter_map(|(t, e)| Some(e - old * seen.shaft.at(*t)?));
    let just_after: Vec<f64> =
        ratio[end..=b[1]].iter().take_while(|r| r.0 <= to_s + 0.1).map(|r| r.1).collect();
    Some(Shift {
        from_s,
        takes_s,
        ratio: [old, new],
        rpm: [seen.engine.at(from_s)?, seen.engine.at(to_s)?],
        flare_rpm: ahead.fold(0.0, f64::max),
        slip: mean(&just_after) / new - 1.0,
        interrupted_s: seen.power.and_then(|p| interrupted(p, from_s, to_s)),
        unclear: if step > STEP_SHARE * takes_s {
            Some(Unclear::TooCoarse(step))
        } else if seen.clock_sd_s > CLOCK_SHARE * takes_s {
            Some(Unclear::Clocks(seen.clock_sd_s))
        } else {
            None
        },
    })
}

/// How long power lies below half of what it was before a change, s.
fn interrupted(power: &Series, from_s: f64, to_s: f64) -> Option<f64> {
    let before = power.mean_between(from_s - READ_S, from_s).filter(|p| *p > 0.0)?;
    // Torque may be taken out before the ratio moves.
    let around = power.between(from_s - READ_S, to_s + BACK_WITHIN_S);
    let low = around.t.windows(2).zip(around.v.windows(2)).map(|(t, v)| {
        let below = v.iter().filter(|v| **v < INTERRUPTED * before).count();
        0.5 * below as f64 * (t[1] - t[0])
    });
    Some(low.sum())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A run through three gears; each change takes `takes` s, begins `flare` rpm above its ratio, and cuts power.
    struct Run {
        takes: f64,
        flare: f64,
        hz: f64,
        noise: f64,
    }

    const RUN: Run = Run { takes: 0.35, flare: 0.0, hz: 100.0, noise: 0.0 };

    fn run(r: &Run) -> (Series, Series, Series) {
        let t: Vec<f64> = (0..(12.0 * r.hz) as usize).map(|i| i as f64 / r.hz).collect();
        let gears = [8.0, 5.6, 4.2];
        let shift_at = [4.0, 8.0];
        let shaft: Vec<f64> = t.iter().map(|t| 500.0 + 60.0 * t).collect();
        let mut rng = 7_u64;
        let mut noise = || {
            rng = rng.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            r.noise * ((rng >> 33) as f64 / f64::from(1_u32 << 30) - 1.0)
        };
        let engine: Vec<f64> = t
            .iter()
            .zip(&shaft)
            .map(|(t, s)| {
                let done = |at: f64| ((t - at) / r.takes).clamp(0.0, 1.0);
                let ratio = gears[0] + (gears[1] - gears[0]) * done(4.0) + (gears[2] - gears[1]) * done(8.0);
                let bump = shift_at.iter().map(|a| done(*a)).filter(|d| *d > 0.0 && *d < 0.3).count() as f64;
                (ratio * s + bump * r.flare) * (1.0 + noise())
            })
            .collect();
        let power = t
            .iter()
            .map(|t| if shift_at.iter().any(|a| (*a..a + 0.6 * r.takes).contains(t)) { 2.0 } else { 100.0 })
            .collect();
        let of = |v: Vec<f64>| Series { t: t.clone(), v };
        (of(engine), of(shaft), of(power))
    }

    fn found(r: &Run, clock_sd_s: f64) -> Vec<Shift> {
        let (engine, shaft, power) = run(r);
        shifts(&ShiftSeen { engine: &engine, shaft: &shaft, power: Some(&power), clock_sd_s })
    }

    #[test]
    fn changes_are_found_with_their_time_their_speeds_and_what_they_interrupt() {
        for noise in [0.0, 0.002] {
            let all = found(&Run { noise, ..RUN }, 0.0);
            assert_eq!(all.len(), 2, "{all:?}");
            for (s, at) in all.iter().zip([4.0, 8.0]) {
                assert!(s.is_up() && s.unclear.is_none(), "{s:?}");
                // The ends lie where the ratio has gone 2 % of itself.
                assert!((s.from_s - at).abs() < 0.05 && (s.takes_s - 0.30).abs() < 0.06, "{s:?}");
                assert!((s.interrupted_s.unwrap() - 0.21).abs() < 0.03, "{s:?}");
                assert!(s.flare_rpm < FLARE_RPM && s.slip.abs() < 0.02, "{s:?}");
            }
            assert!((all[0].ratio[0] - 8.0).abs() < 0.05 && (all[1].ratio[1] - 4.2).abs() < 0.05);
        }
    }

    #[test]
    fn an_engine_that_runs_away_is_a_flare() {
        let all = found(&Run { flare: 900.0, ..RUN }, 0.0);
        assert!(all.len() == 2 && all.iter().all(|s| s.flare_rpm > 200.0), "{all:?}");
    }

    #[test]
    fn what_is_sampled_too_slowly_or_by_unsure_clocks_is_seen_and_not_timed() {
        let slow = found(&Run { hz: 8.0, ..RUN }, 0.0);
        assert!(
            !slow.is_empty() && slow.iter().all(|s| matches!(s.unclear, Some(Unclear::TooCoarse(_)))),
            "{slow:?}"
        );
        let unsure = found(&RUN, 0.06);
        assert!(unsure.iter().all(|s| s.unclear == Some(Unclear::Clocks(0.06))), "{unsure:?}");
    }

    #[test]
    fn one_gear_has_no_change_and_neither_has_a_slipping_tyre() {
        let t: Vec<f64> = (0..1000).map(|i| 0.01 * f64::from(i)).collect();
        let shaft: Vec<f64> = t.iter().map(|t| 500.0 + 60.0 * t).collect();
        // Five per cent of slip that comes and goes.
        let engine =
            t.iter().zip(&shaft).map(|(t, s)| s * 5.0 * (1.0 + 0.05 * (t / 2.0).sin().max(0.0))).collect();
        let (engine, shaft) = (Series { t: t.clone(), v: engine }, Series { t, v: shaft });
        assert_eq!(shifts(&ShiftSeen { engine: &engine, shaft: &shaft, power: None, clock_sd_s: 0.0 }), []);
        let none = Series { t: Vec::new(), v: Vec::new() };
        assert_eq!(shifts(&ShiftSeen { engine: &none, shaft: &none, power: None, clock_sd_s: 0.0 }), []);
    }
}
