//! One pull, stepped through time: tip-in, sweep, lift; what every instrument could see in each instant.

use crate::computer::{Adaptation, MapProblem};
use crate::instant::{Instant, PEDAL_S, Phase, PullSetup, STEP_S};
use crate::noise::Noise;
use crate::rig::Rig;
use crate::sweep::{Held, Sweep};
use crate::thermal::Thermal;

/// Time after the lift that is still recorded, s.
const AFTER_S: f64 = 1.6;
/// Longest a sweep is loaded, s, and a step test.
const LONGEST_S: [f64; 2] = [60.0, 300.0];
/// Time the engine is left on a limiter before the driver lifts, s.
const ON_LIMITER_S: f64 = 0.9;
/// Where the pedal rests before tip-in, %.
const RESTING_PEDAL: f64 = 18.0;

/// A pull as it happened.
#[derive(Debug, Clone)]
pub(crate) struct Trace {
    pub(crate) instants: Vec<Instant>,
    pub(crate) tip_s: f64,
    pub(crate) lift_s: f64,
    pub(crate) mean_retard_deg: f64,
    /// Begin and end of each held speed, s.
    pub(crate) holds: Vec<[f64; 2]>,
}

/// The brake's set speed in a step test: it holds, then goes on to the next at the ramp's rate.
#[derive(Debug)]
struct Stair {
    held: Held,
    sign: f64,
    set_rpm: f64,
    last_rpm: f64,
    since: Option<f64>,
}

impl Stair {
    fn new(s: &Sweep, sign: f64) -> Option<Self> {
        s.held.map(|held| Self { held, sign, set_rpm: s.from_rpm, last_rpm: s.to_rpm, since: None })
    }

    /// Share of the ramp's rate the brake allows at a time and speed, and whether the last speed has been
    /// held.
    fn go(&mut self, t: f64, rpm: f64, rate: f64, holds: &mut Vec<[f64; 2]>) -> (f64, bool) {
        let left = self.sign * (self.set_rpm - rpm);
        match self.since {
            None if left > 2.0 => ((left / (0.12 * rate)).clamp(0.02, 1.0), false),
            None => {
                self.since = Some(t);
                (0.0, false)
            }
            // The controller hunts a little around its set speed.
            Some(since) if t - since < self.held.seconds => {
                (((self.set_rpm - rpm) * self.sign * 3.0 + 9.0 * (4.1 * t).sin()) / rate, false)
            }
            Some(since) => {
                holds.push([since, t]);
                self.since = None;
                self.set_rpm += self.sign * self.held.every_rpm;
                (0.0, self.sign * (self.set_rpm - self.last_rpm) > 1.0)
            }
        }
    }
}

/// How this one pull is driven: the sweep with the driver's and the controller's scatter.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Drive {
    /// +1 up, −1 down.
    pub(crate) sign: f64,
    pub(crate) tip_at_s: f64,
    pub(crate) lift_rpm: f64,
    pub(crate) rate_rpm_s: f64,
    /// Phase of the controller's hunting.
    pub(crate) hunting: f64,
}

impl Drive {
    fn new(s: &PullSetup<'_>) -> Self {
        let mut noise = Noise::new(s.seed, "pull");
        let sign = if s.sweep.lug_down { -1.0 } else { 1.0 };
        let lift_rpm = match s.faults.abort_share {
            Some(share) => s.sweep.from_rpm + share * (s.sweep.to_rpm - s.sweep.from_rpm),
            None => s.sweep.to_rpm + noise.normal(20.0).clamp(-45.0, 45.0),
        };
        let tip_at_s = 1.6 + noise.normal(0.25).clamp(-0.6, 0.9);
        let rate_rpm_s = s.sweep.rate_rpm_s * (1.0 + noise.normal(0.012));
        Self { sign, tip_at_s, lift_rpm, rate_rpm_s, hunting: noise.normal(2.0) }
    }

    /// Whether a sweep has reached its end, or anything takes too long.
    fn is_over(&self, s: &PullSetup<'_>, t: f64, rpm: f64) -> bool {
        let longest = LONGEST_S[usize::from(s.sweep.held.is_some())];
        (s.sweep.held.is_none() && self.sign * (rpm - self.lift_rpm) >= 0.0) || t > self.tip_at_s + longest
    }

    fn pedal(phase: Phase, full: f64, t: f64) -> f64 {
        match phase {
            Phase::Hold => RESTING_PEDAL,
            Phase::Loaded { since } => {
                RESTING_PEDAL + (full - RESTING_PEDAL) * ((t - since) / PEDAL_S).clamp(0.0, 1.0)
            }
            Phase::Lifted { .. } => 0.0,
        }
    }

    /// Rate a controlled dyno allows, engine rpm/s: it settles within half a second and hunts by a few per
    /// cent.
    fn ramp(&self, lug_down: bool, phase: Phase, t: f64, limited: bool) -> f64 {
        let rate = self.rate_rpm_s;
        let size = match phase {
            Phase::Hold => 0.0,
            Phase::Loaded { .. } if limited => 0.0,
            Phase::Loaded { since } => {
                rate * ((t - since - 0.15) / 0.35).clamp(0.0, 1.0)
                    * (1.0 + 0.035 * (7.3 * t + self.hunting).sin())
            }
            Phase::Lifted { since } => {
                let to = if lug_down { -0.3 } else { -1500.0 / rate };
                rate * to * ((t - since) / 0.1).clamp(0.0, 1.0)
            }
        };
        size * self.sign
    }
}

/// Runs a pull. Heat and what knock control learnt stay in `thermal` and `adaptation`.
///
/// # Errors
/// [`MapProblem`] when the map lacks a table the engine needs.
pub(crate) fn run_pull(
    s: &PullSetup<'_>,
    thermal: &mut Thermal,
    adaptation: &mut Adaptation,
) -> Result<Trace, MapProblem> {
    let drive = Drive::new(s);
    let mut rig = Rig::new(s, thermal, adaptation)?;
    let (mut phase, mut t, mut rpm, mut limited_for) = (Phase::Hold, 0.0, s.sweep.from_rpm, 0.0);
    let (mut retard_sum, mut loaded_steps) = (0.0, 0u32);
    let mut out = Trace {
        instants: Vec::with_capacity(9000),
        tip_s: drive.tip_at_s,
        lift_s: 0.0,
        mean_retard_deg: 0.0,
        holds: Vec::new(),
    };
    let mut stair = Stair::new(&s.sweep, drive.sign);
    loop {
        let mut ramp = drive.ramp(s.sweep.lug_down, phase, t, limited_for > 0.0);
        let mut held_all = false;
        if let (Some(stair), Phase::Loaded { .. }) = (&mut stair, phase) {
            let (share, done) = stair.go(t, rpm, drive.rate_rpm_s, &mut out.holds);
            (ramp, held_all) = (drive.sign * drive.rate_rpm_s * share, done);
        }
        let step = rig.step(thermal, phase, t, rpm, Drive::pedal(phase, s.sweep.pedal, t), ramp);
        let now = step.instant;
        if now.loaded {
            retard_sum += now.retard[..s.engine.cylinders].iter().sum::<f64>() / s.engine.cylinders as f64;
            loaded_steps += 1;
        }
        out.instants.push(now);
        if now.loaded && (limited_for > 0.0 || step.on_limiter) {
            limited_for += STEP_S;
        }
        rpm = match step.held_rpm.filter(|_| limited_for > 0.0 && matches!(phase, Phase::Loaded { .. })) {
            Some(held) => rpm + (held - rpm) * 0.05,
            None => (rpm + step.rpm_rate * STEP_S).max(0.75 * s.sweep.from_rpm.min(s.sweep.to_rpm)),
        };
        t += STEP_S;
        phase = match phase {
            Phase::Hold if t >= drive.tip_at_s => Phase::Loaded { since: t },
            Phase::Loaded { .. } if held_all || drive.is_over(s, t, rpm) || limited_for > ON_LIMITER_S => {
                out.lift_s = t;
                Phase::Lifted { since: t }
            }
            Phase::Lifted { since } if t - since >= AFTER_S => break,
            other => other,
        };
    }
    out.mean_retard_deg = retard_sum / f64::from(loaded_steps.max(1));
    adaptation.learn(out.mean_retard_deg);
    Ok(out)
}
