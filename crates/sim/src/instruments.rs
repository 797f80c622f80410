//! Recorders: which channels, how often, with what noise, steps, offsets, drift, gaps and ends of range.

use crate::computer::MOST;
use crate::instant::{Instant, STEP_S};
use crate::noise::Noise;
use crate::pull::Trace;
use serde::Deserialize;
use std::collections::BTreeMap;

/// Quirks of one sensor; what is absent keeps the usual value of its kind.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SensorSpec {
    /// Standard deviation of its noise.
    pub noise: Option<f64>,
    /// Step of its last digit.
    pub step: Option<f64>,
    /// Constant offset.
    #[serde(default)]
    pub offset: f64,
    /// Drift per minute.
    #[serde(default)]
    pub drift_per_min: f64,
    /// Lowest and highest reading.
    pub range: Option<[f64; 2]>,
    /// Samples between readings; the cells between stay blank.
    #[serde(default)]
    pub every: usize,
}

/// A recorder.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RecorderSpec {
    /// Channels in the order of the columns, by canonical name.
    pub channels: Vec<String>,
    /// Samples per second.
    pub rate_hz: f64,
    /// How the file is written; see [`crate::Dialect`].
    pub dialect: crate::Dialect,
    /// Share of samples that are lost.
    #[serde(default)]
    pub lost: f64,
    /// Quirks by channel.
    #[serde(default)]
    pub sensor: BTreeMap<String, SensorSpec>,
}

/// One column as recorded: readings in the canonical unit; NaN where blank.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Column {
    pub(crate) channel: String,
    pub(crate) step: f64,
    pub(crate) values: Vec<f64>,
}

/// A recording before it becomes text.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Recorded {
    pub(crate) t: Vec<f64>,
    pub(crate) columns: Vec<Column>,
}

/// A channel as its usual sensor gives it. Numbered channels carry their cylinder from 1.
struct Usual {
    read: fn(&Instant, usize) -> f64,
    noise: f64,
    step: f64,
}

fn usual(stem: &str) -> Option<Usual> {
    let of = |read, noise, step| Some(Usual { read, noise, step });
    match stem {
        "engine_speed" => of(|i, _| i.rpm, 3.0, 1.0),
        "roller_speed" => of(|i, _| i.shaft_rpm, 0.3, 0.01),
        "hub_torque" | "brake_torque" => of(|i, _| i.shaft_nm, 0.0, 0.1),
        "road_speed" => of(|i, _| i.road_kmh, 0.05, 0.1),
        "pedal" => of(|i, _| i.pedal, 0.05, 0.1),
        "throttle" => of(|i, _| i.throttle, 0.05, 0.1),
        "manifold_pressure" => of(|i, _| i.manifold_kpa, 0.5, 0.1),
        "back_pressure" => of(|i, _| i.back_kpa, 1.5, 0.1),
        "intake_depression" => of(|i, _| i.depression_kpa, 0.05, 0.01),
        "boost_target" => of(|i, _| i.boost_target_kpa, 0.0, 0.1),
        "wastegate_duty" | "vane_position" => of(|i, _| i.duty, 0.1, 0.1),
        "lambda_target" => of(|i, _| i.lambda_target, 0.0, 0.001),
        "lambda" => of(|i, k| i.lambda[k], 0.004, 0.001),
        "spark_advance" => of(|i, k| i.spark_deg - i.retard[k], 0.0, 0.1),
        "knock_retard" => of(|i, k| i.retard[k], 0.0, 0.1),
        "knock_level" => of(|i, _| i.knock_level, 0.07, 0.01),
        "exhaust_temp" => of(|i, k| i.exhaust_c[k], 0.8, 1.0),
        "intake_temp" => of(|i, _| i.intake_c, 0.1, 0.1),
        "coolant_temp" => of(|i, _| i.coolant_c, 0.1, 0.1),
        "oil_temp" => of(|i, _| i.oil_c, 0.1, 0.1),
        "oil_pressure" => of(|i, _| 110.0 + 0.062 * i.rpm - 1.6 * (i.oil_c - 90.0), 3.0, 1.0),
        "injector_pulse_width" => of(|i, _| i.pulse_ms, 0.02, 0.01),
        "injector_duty" => of(|i, _| i.duty_percent, 0.15, 0.1),
        "fuel_pressure" => of(|i, _| i.fuel_kpa, 1.5, 0.1),
        "fuel_flow" => of(|i, _| i.fuel_g_s, 0.05, 0.001),
        "air_flow" => of(|i, _| i.air_g_s, 0.4, 0.1),
        "turbo_speed" => of(|i, _| i.turbo_rpm, 150.0, 10.0),
        "blower_speed" => of(|i, _| i.blower_rpm, 8.0, 1.0),
        "rail_pressure" => of(|i, _| i.rail_mpa, 0.4, 0.1),
        "injection_start" => of(|i, _| i.start_deg, 0.0, 0.1),
        "injection_duration" => of(|i, _| i.duration_us, 1.0, 1.0),
        "smoke_opacity" => of(|i, _| i.smoke, 0.4, 0.1),
        "fuel_cut" => of(|i, _| i.fuel_cut, 0.0, 1.0),
        _ => None,
    }
}

/// Splits `lambda_2` into its stem and cylinder index.
fn split(name: &str) -> (&str, usize) {
    match name.rsplit_once('_') {
        Some((stem, n)) if !n.is_empty() && n.bytes().all(|b| b.is_ascii_digit()) => {
            (stem, n.parse::<usize>().unwrap_or(1).clamp(1, MOST) - 1)
        }
        _ => (name, 0),
    }
}

/// Whether a recorder can be given this channel.
pub(crate) fn is_known(channel: &str) -> bool {
    usual(split(channel).0).is_some()
}

/// Offset and drift of a torque cell and whatever else a day's mounting leaves behind.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Clock {
    /// Recorder time at the start of the pull, s.
    pub(crate) start_s: f64,
    /// Fast by this much.
    pub(crate) ppm: f64,
}

/// What goes wrong at this recorder in this pull.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Upset {
    /// λ at which the sensor ends.
    pub(crate) lambda_end: Option<f64>,
    /// Time on the pull's own clock after which λ stands still, s.
    pub(crate) lambda_frozen_s: Option<f64>,
    /// Noise of a torque cell, N·m.
    pub(crate) torque_noise: f64,
}

/// Samples a trace. The first sample lies a random part of a period after the start: no two recorders sample
/// together.
pub(crate) fn record(
    r: &RecorderSpec,
    trace: &Trace,
    clock: Clock,
    upset: Upset,
    noise: &mut Noise,
) -> Recorded {
    let end = trace.instants.len() as f64 * STEP_S;
    let phase = noise.uniform() / r.rate_hz;
    let count = ((end - phase) * r.rate_hz) as usize;
    let mut times = Vec::with_capacity(count);
    for k in 0..count {
        let at = phase + k as f64 / r.rate_hz;
        if r.lost <= 0.0 || k == 0 || noise.uniform() >= r.lost {
            times.push(at);
        }
    }
    let columns = r
        .channels
        .iter()
        .filter_map(|name| {
            let (stem, cylinder) = split(name);
            let usual = usual(stem)?;
            let quirk = r.sensor.get(name).cloned().unwrap_or_default();
            let torque = matches!(stem, "hub_torque" | "brake_torque");
            let sd = quirk.noise.unwrap_or(if torque { upset.torque_noise } else { usual.noise });
            let step = quirk.step.unwrap_or(usual.step);
            let mut held: Option<f64> = None;
            let values = times
                .iter()
                .enumerate()
                .map(|(k, at)| {
                    if quirk.every > 1 && k % quirk.every != 0 {
                        return f64::NAN;
                    }
                    if let (Some(from), Some(v)) = (upset.lambda_frozen_s.filter(|_| stem == "lambda"), held)
                        && *at >= from
                    {
                        return v;
                    }
                    let mut v = (usual.read)(&between(&trace.instants, *at), cylinder)
                        + quirk.offset
                        + quirk.drift_per_min * at / 60.0
                        + noise.normal(sd);
                    if matches!(
                        stem,
                        "knock_retard" | "fuel_cut" | "smoke_opacity" | "knock_level" | "fuel_flow"
                    ) {
                        v = v.max(0.0);
                    }
                    if let Some(end) = upset.lambda_end.filter(|_| stem == "lambda") {
                        v = v.min(end);
                    }
                    if let Some([low, high]) = quirk.range {
                        v = v.clamp(low, high);
                    }
                    let v = (v / step).round() * step;
                    held = Some(v);
                    v
                })
                .collect();
            Some(Column { channel: name.clone(), step, values })
        })
        .collect();
    Recorded { t: times.iter().map(|at| clock.start_s + at * (1.0 + clock.ppm * 1e-6)).collect(), columns }
}

/// The instant nearest to a time, with speed and torque interpolated: those move most within a step.
fn between(instants: &[Instant], at: f64) -> Instant {
    let x = at / STEP_S;
    let i = (x as usize).min(instants.len() - 1);
    let mut out = instants[i];
    if let Some(next) = instants.get(i + 1) {
        let u = x - i as f64;
        out.rpm += u * (next.rpm - out.rpm);
        out.shaft_rpm += u * (next.shaft_rpm - out.shaft_rpm);
        out.shaft_nm += u * (next.shaft_nm - out.shaft_nm);
    }
    out
}
