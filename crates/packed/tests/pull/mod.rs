//! A pull of closed form, measured: a ramp on a hub with an engine computer's log beside it.
#![allow(clippy::unwrap_used)]

use jamjar_core::analysis::{Measured, PullInput, Settings, Vehicle, measure};
use jamjar_core::channel::Channel;
use jamjar_core::limits::Limit;
use jamjar_core::log::Recording;
use std::sync::Arc;

fn recording(name: &str, rate_hz: f64, channels: &[(&str, &dyn Fn(f64) -> f64)]) -> Recording {
    let t: Vec<f64> = (0..(14.0 * rate_hz) as usize).map(|i| i as f64 / rate_hz).collect();
    let mut r = Recording { name: name.into(), t: t.clone(), ..Recording::default() };
    for (channel, f) in channels {
        r.channels.insert(Channel::new(*channel).unwrap(), t.iter().map(|t| f(*t)).collect());
    }
    r
}

/// Both recordings.
pub(crate) fn recordings() -> (Recording, Recording) {
    let rpm = |t: f64| if t < 12.0 { 1800.0 + 390.0 * t } else { 6480.0 - 900.0 * (t - 12.0) };
    let wave = |t: f64| 0.4 * (17.0 * t).sin();
    let dyno = recording(
        "hub.csv",
        100.0,
        &[
            ("roller_speed", &|t| rpm(t) / 4.1),
            ("hub_torque", &|t| if t < 12.0 { 700.0 + wave(t) } else { -40.0 }),
        ],
    );
    let ecu = recording(
        "log.csv",
        25.0,
        &[
            ("engine_speed", &rpm),
            ("throttle", &|t| if t < 12.0 { 98.0 } else { 0.0 }),
            ("manifold_pressure", &|t| 180.0 + wave(t)),
            ("lambda_1", &|t| 0.84 + 0.01 * wave(t)),
            ("knock_retard_1", &|t| if (6.0..6.4).contains(&t) { 2.0 } else { 0.0 }),
            ("exhaust_temp_1", &|t| 640.0 + 20.0 * t),
        ],
    );
    (dyno, ecu)
}

/// Measured, under two limits.
pub(crate) fn measured() -> Measured {
    let (dyno, ecu) = recordings();
    let vehicle: Vehicle =
        serde_json::from_str(r#"{"name": "bench", "dyno": {"kind": "hub", "overall_ratio": 4.1}}"#).unwrap();
    let limits: Vec<Limit> = serde_json::from_str(
        r#"[{"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.9, "caution": 0.02},
            {"id": "hot", "channel": "exhaust_temp_1", "direction": "above", "threshold": {"over": "engine_speed", "at": [2000, 6500], "value": [820, 860]}}]"#,
    )
    .unwrap();
    let input = PullInput { id: "p1".into(), dyno, ecu: Some(Arc::new(ecu)), ..PullInput::default() };
    measure(&input, &vehicle, &Settings::default(), &limits).unwrap()
}
