//! Writing a simulated day to a folder: recordings, job file, truth.

use jamjar_sim::{Day, truth_grid};
use serde_json::{Value, json};
use std::path::Path;

/// The limits of the demo vehicle: starting points to be edited, never promises.
pub fn demo_limits() -> Value {
    let load = json!([{"channel": "throttle", "above": 90}, {"channel": "manifold_pressure", "above": 140}]);
    json!([
        {"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.90, "gate": load, "sustain_s": 0.2, "caution": 0.025, "severity": "stop", "source": "starting point, our choice"},
        {"id": "knock", "channel": "knock_retard_1", "direction": "above", "threshold": 4.0, "gate": load, "sustain_s": 0.2, "caution": 1.0, "severity": "stop", "source": "starting point, our choice"},
        {"id": "egt", "channel": "exhaust_temp_1", "direction": "above", "threshold": {"over": "engine_speed", "at": [1000, 4000, 8000], "value": [880, 940, 985]},
         "sustain_s": 0.5, "caution": 30, "span": 120, "severity": "stop", "source": "starting point, our choice"},
        {"id": "duty", "channel": "injector_duty", "direction": "above", "threshold": 85, "gate": load, "sustain_s": 0.2, "caution": 3, "span": 30, "severity": "stop", "source": "starting point, our choice"},
        {"id": "back", "channel": "back_pressure", "direction": "above", "threshold": 300, "caution": 15, "severity": "caution", "source": "starting point, our choice"}
    ])
}

/// The job file of a simulated day.
pub fn job_of(day: &Day) -> Value {
    json!({
        "jamjar_job": 1,
        "vehicle": {"name": "Tolvern T3", "engine": {"cylinders": 3, "displacement_l": 1.6, "cycle": "four_stroke", "ignition": "spark", "aspiration": "turbocharged"},
                    "dyno": {"kind": "hub", "overall_ratio": day.overall_ratio}},
        "correction": "sae_j1349", "band_rpm": [3000, 6500], "baseline": day.sets[0].id,
        "channels": {"ecu": {"lambda_1": {"column": "WB1", "unit": "AFR gasoline"}}},
        "limits": demo_limits(),
        "sets": day.sets.iter().map(|s| json!({
            "id": s.id, "day": day.date, "factors": {"map": s.map.name, "fuel": s.fuel.name, "gear": "4"},
            "pulls": s.pulls.iter().enumerate().map(|(i, p)| json!({
                "id": format!("p{}", i + 1), "dyno": p.dyno.name, "ecu": p.ecu.name,
                "conditions": {"temperature_c": day.air[0], "humidity": day.air[1], "pressure_hpa": day.air[2]}})).collect::<Vec<_>>()})).collect::<Vec<_>>()
    })
}

/// What was true of a simulated day.
pub fn truth_of(day: &Day) -> Value {
    json!({
        "rpm": truth_grid(),
        "sets": day.sets.iter().map(|s| json!({
            "id": s.id, "true_uncorrected_power_kw": s.true_power_kw, "pulls": s.pulls.iter().map(|p| json!({"dyno": p.dyno.name, "lag_s": p.truth.lag_s})).collect::<Vec<_>>()
        })).collect::<Vec<_>>()
    })
}

/// Writes recordings, `job.json` and `truth.json` into a folder, creating it.
///
/// # Errors
/// The first file that cannot be written.
pub fn write_day(day: &Day, folder: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(folder)?;
    for f in day.sets.iter().flat_map(|s| &s.pulls).flat_map(|p| [&p.dyno, &p.ecu]) {
        std::fs::write(folder.join(&f.name), &f.bytes)?;
    }
    std::fs::write(folder.join("job.json"), serde_json::to_vec_pretty(&job_of(day))?)?;
    std::fs::write(folder.join("truth.json"), serde_json::to_vec_pretty(&truth_of(day))?)
}
