//! Writing simulated days to a folder: recordings, maps, job file, truth.

use crate::scenarios::Loaded;
use jamjar_core::correction::Correction;
use jamjar_core::vehicle_sheet::VehicleSheet;
use jamjar_sim::{SimDay, SimDyno, SimSet, Simulated, TrueCurve};
use serde_json::{Value, json};
use std::path::Path;

/// The vehicle of a scenario as a job file has it.
pub fn vehicle_json(l: &Loaded) -> Value {
    let s = &l.scenario;
    let e = s.engine(s.day.first().and_then(|d| d.set.first()).map_or("A", |s| &s.build)).ok();
    let (c, spec) = (&s.cell, e.as_ref());
    let aspiration = match spec {
        Some(e) if e.turbo.is_some() => "turbocharged",
        Some(e) if e.blower.is_some() => "supercharged",
        _ => "naturally_aspirated",
    };
    let mut dyno = json!({"kind": c.dyno.id(), "overall_ratio": c.ratio});
    if c.dyno == SimDyno::RollerInertia {
        dyno["inertia_kg_m2"] = json!(c.inertia_kg_m2);
    }
    if let Some(e) = spec {
        dyno["rotating_inertia_kg_m2"] = json!(e.rotating_inertia_kg_m2);
    }
    json!({
        "name": s.vehicle.name,
        "engine": {"cylinders": spec.map(|e| e.cylinders), "displacement_l": spec.map(|e| e.displacement_l), "cycle": "four_stroke",
                   "ignition": if spec.is_some_and(|e| e.diesel.is_some()) { "compression" } else { "spark" }, "aspiration": aspiration},
        "dyno": dyno,
    })
}

/// Correction family that suits the engine.
pub fn correction(l: &Loaded) -> Correction {
    if l.scenario.fuel.iter().any(|f| f.diesel) { Correction::Iso1585Ci } else { Correction::SaeJ1349 }
}

/// What a set declares, as factors.
pub fn factors(s: &SimSet) -> Value {
    let mut f = json!({"map": s.spec.map, "fuel": s.spec.fuel, "gear": s.spec.gear, "build": s.spec.build});
    if let Some(b) = s.spec.boost_kpa {
        f["boost"] = json!(format!("{b} kPa"));
    }
    for (k, v) in &s.spec.extras {
        f[k] = json!(v);
    }
    f
}

/// λ columns that are written as AFR need to be told; the dialect with a units row writes them so.
pub fn channels_json(l: &Loaded) -> Value {
    let Some(ecu) = l.scenario.ecu.as_ref().filter(|e| e.dialect == jamjar_sim::Dialect::UnitsRow) else {
        return json!({});
    };
    let columns: serde_json::Map<String, Value> = ecu
        .channels
        .iter()
        .filter_map(|c| c.strip_prefix("lambda_").filter(|n| n.bytes().all(|b| b.is_ascii_digit())))
        .map(|n| (format!("lambda_{n}"), json!({"column": format!("WB{n}"), "unit": "AFR gasoline"})))
        .collect();
    json!({ "ecu": columns })
}

/// Seconds of a day as `HH:MM:SS`.
fn clock(seconds: f64) -> String {
    let s = seconds as u32;
    format!("{:02}:{:02}:{:02}", s / 3600 % 24, s / 60 % 60, s % 60)
}

/// The job file of simulated days.
pub fn job_of(l: &Loaded, days: &[SimDay]) -> Value {
    let sets: Vec<Value> = days
        .iter()
        .flat_map(|d| d.sets.iter().map(move |s| (d, s)))
        .map(|(d, s)| {
            let pulls: Vec<Value> = s
                .pulls
                .iter()
                .enumerate()
                .map(|(i, p)| {
                    let mut v = json!({"id": format!("p{}", i + 1), "dyno": p.dyno.name,
                        "conditions": {"temperature_c": p.air.temperature_c, "humidity": p.air.humidity, "pressure_hpa": p.air.pressure_hpa}});
                    if d.spec.changed.iter().any(|c| !c.at.is_empty()) {
                        v["at"] = json!(format!("{}T{}", d.spec.date, clock(p.at_s)));
                    }
                    if let Some(e) = &p.ecu {
                        v["ecu"] = json!(e.name);
                    }
                    if let Some(x) = s.spec.left_out.iter().find(|x| x.pull == i + 1) {
                        v["exclude"] = json!(x.reason);
                    }
                    v
                })
                .collect();
            json!({"id": s.spec.id, "day": d.spec.date, "factors": factors(s), "pulls": pulls})
        })
        .collect();
    let mut job = json!({
        "jamjar_job": 1, "vehicle": vehicle_json(l), "correction": correction(l).id(), "channels": channels_json(l),
        "baseline": days.first().and_then(|d| d.sets.first()).map(|s| s.spec.id.clone()), "sets": sets,
    });
    let sheet: VehicleSheet = serde_json::from_value(l.scenario.vehicle.sheet.clone()).unwrap_or_default();
    let gears = sheet.as_gears();
    if let Some(reference) = gears.reference {
        job["vehicle"]["gears"] = json!(gears.ratios);
        job["vehicle"]["dyno"]["reference_gear"] = json!(reference);
    }
    let changed: Vec<Value> = days
        .iter()
        .flat_map(|d| {
            d.spec.changed.iter().map(|c| {
        json!({"at": format!("{}T{}", d.spec.date, c.at), "what": c.what, "from": c.from, "to": c.to})
    })
        })
        .collect();
    if !changed.is_empty() {
        job["interventions"] = json!(changed);
    }
    if let Some(b) = l.scenario.band_rpm {
        job["band_rpm"] = json!(b);
    }
    if !l.scenario.limits.is_null() {
        job["limits"] = l.scenario.limits.clone();
    }
    job
}

/// True gain of `b` over `a` where both have a value, kW: difference of the true curves at equal conditions.
pub fn true_gain(a: &TrueCurve, b: &TrueCurve) -> TrueCurve {
    let both = a.rpm.iter().zip(&a.power_kw).filter_map(|(r, p)| {
        b.rpm.iter().position(|x| (x - r).abs() < 1e-9).map(|j| (*r, b.power_kw[j] - p))
    });
    let (rpm, power_kw) = both.unzip();
    TrueCurve { rpm, power_kw }
}

/// What was true of simulated days.
pub fn truth_of(days: &[SimDay]) -> Value {
    let day = |d: &SimDay| {
        let base = d.sets.first().map(|s| &s.truth);
        let sets: Vec<Value> = d
            .sets
            .iter()
            .map(|s| {
                json!({
                    "id": s.spec.id,
                    "true_uncorrected_power_kw": s.truth,
                    "true_gain_over_first_set_kw": base.map(|b| true_gain(b, &s.truth)),
                    "pulls": s.pulls.iter().map(|p| json!({
                        "dyno": p.dyno.name, "ecu": p.ecu.as_ref().map(|e| &e.name), "lag_s": p.truth.lag_s, "clock_drift_ppm": p.truth.drift_ppm,
                        "loaded_s": p.truth.loaded_s, "mean_knock_retard_deg": p.truth.mean_retard_deg, "curve": p.truth.curve, "planted": p.truth.planted,
                    })).collect::<Vec<_>>(),
                })
            })
            .collect();
        json!({"date": d.spec.date, "air": d.air, "sets": sets})
    };
    json!({"jamjar_truth": 1, "days": days.iter().map(day).collect::<Vec<_>>()})
}

/// Writes recordings, map files, `job.json` and `truth.json` into a folder, creating it.
///
/// # Errors
/// The first file that cannot be written.
pub fn write_days(l: &Loaded, run: &Simulated, folder: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(folder.join("maps"))?;
    for p in run.days.iter().flat_map(|d| &d.sets).flat_map(|s| &s.pulls) {
        for f in [Some(&p.dyno), p.ecu.as_ref()].into_iter().flatten() {
            std::fs::write(folder.join(&f.name), &f.bytes)?;
        }
    }
    if let Some(c) = &run.coast_down {
        std::fs::write(folder.join(&c.name), &c.bytes)?;
    }
    for (file, text) in l.texts.values() {
        std::fs::write(folder.join("maps").join(file), text)?;
    }
    std::fs::write(folder.join("job.json"), serde_json::to_vec_pretty(&job_of(l, &run.days))?)?;
    std::fs::write(folder.join("truth.json"), serde_json::to_vec_pretty(&truth_of(&run.days))?)
}
