//! The calculators of the command line: a JSON object in, a JSON object out.

use jamjar_core::air::AirState;
use jamjar_core::bounds::{Bound, DISPLACEMENT_L, ENGINE_RPM};
use jamjar_core::calculators::{fuel, injector::QuantityMap, shift::shift_points, spark, strip};
use jamjar_core::correction::{Correction, DieselState, iso1585_diesel};
use jamjar_core::signal::savgol::smooth_uniform;
use jamjar_core::stats::{plan, two_sets};
use serde::Deserialize;
use serde::de::DeserializeOwned;
use serde_json::{Value, json};

/// Names of all calculators.
pub const NAMES: [&str; 12] = [
    "air",
    "iso1585_diesel",
    "ethanol_blend",
    "blend_volume",
    "savitzky_golay",
    "repeats",
    "pulls_needed",
    "smallest_detectable",
    "mbt",
    "injector",
    "shift",
    "strip",
];

fn read<T: DeserializeOwned>(v: &Value) -> Result<T, String> {
    serde_json::from_value(v.clone()).map_err(|e| e.to_string())
}

fn words(e: impl std::fmt::Display) -> String {
    e.to_string()
}

fn flag(v: &Value) -> bool {
    v.as_bool().unwrap_or_else(|| v.as_f64().is_some_and(|x| x > 0.5))
}

/// Runs one calculator on one input.
///
/// # Errors
/// A sentence saying which field is wrong, or that the calculator is not known.
pub fn run(name: &str, input: &Value) -> Result<Value, String> {
    let Some(fields) = input.as_object() else { return Err("expected a JSON object".into()) };
    for (field, value) in fields {
        possible(field, value)?;
    }
    let out = compute(name, input)?;
    // JSON knows no infinity: what overflowed would come out as null.
    if nulls(&out) > NULLS_MEANT.iter().filter(|n| **n == name).count() {
        return Err("the result is no finite number: an input is far from anything possible".into());
    }
    Ok(out)
}

/// Calculators one of whose results may be absent.
const NULLS_MEANT: [&str; 1] = ["mbt"];

fn nulls(v: &Value) -> usize {
    match v {
        Value::Null => 1,
        Value::Array(a) => a.iter().map(nulls).sum(),
        Value::Object(o) => o.values().map(nulls).sum(),
        _ => 0,
    }
}

/// Ranges of fields by name, each in the unit the name says. What has no range of its own must stay within
/// the last.
const RANGES: [Bound; 24] = [
    Bound::new("dry_kpa", "kPa", 40.0, 110.0),
    Bound::new("fuel_g_s", "g/s", 0.0, 1_000.0),
    Bound::new("displacement_l", "L", DISPLACEMENT_L.min, DISPLACEMENT_L.max),
    Bound::new("rpm", "rpm", 0.0, ENGINE_RPM.max),
    Bound::new("boost_pressure_ratio", "", 0.2, 20.0),
    Bound::new("dt_s", "s", 1e-7, 3_600.0),
    Bound::new("spark_deg", "°", -60.0, 90.0),
    Bound::new("pressures_mpa", "MPa", 0.0, 500.0),
    Bound::new("pressure_mpa", "MPa", 0.0, 500.0),
    Bound::new("durations_us", "µs", 0.0, 50_000.0),
    Bound::new("duration_us", "µs", 0.0, 50_000.0),
    Bound::new("mass_mg", "mg", 0.0, 10_000.0),
    Bound::new("mass_mg_wanted", "mg", 0.0, 10_000.0),
    Bound::new("limit_rpm", "rpm", ENGINE_RPM.min, ENGINE_RPM.max),
    Bound::new("shift_rpm", "rpm", ENGINE_RPM.min, ENGINE_RPM.max),
    Bound::new("launch_rpm", "rpm", 0.0, ENGINE_RPM.max),
    Bound::new("torque_nm", "N·m", -10_000.0, 50_000.0),
    Bound::new("mass_kg", "kg", 10.0, 100_000.0),
    Bound::new("tyre_friction", "", 0.01, 10.0),
    Bound::new("driven_axle_load_fraction", "", 0.0, 2.0),
    Bound::new("drivetrain_efficiency", "", 0.05, 1.0),
    Bound::new("tyre_radius_m", "m", 0.05, 3.0),
    Bound::new("air_density_kg_m3", "kg/m³", 0.0, 3.0),
    Bound::new("shift_pause_s", "s", 0.0, 30.0),
];
const ANY: Bound = Bound::new("a number", "", -1e12, 1e12);

/// Refuses values that cannot be, with the field's name.
fn possible(field: &str, value: &Value) -> Result<(), String> {
    match value {
        Value::Number(n) => {
            let bound = RANGES.iter().find(|b| b.name == field).copied().unwrap_or(ANY);
            let v = n.as_f64().unwrap_or(f64::NAN);
            bound
                .check(v)
                .map(|_| ())
                .map_err(|e| if bound.name == field { e.to_string() } else { format!("{field}: {e}") })
        }
        Value::Array(a) => a.iter().try_for_each(|v| possible(field, v)),
        _ => Ok(()),
    }
}

fn compute(name: &str, input: &Value) -> Result<Value, String> {
    match name {
        "air" => air(input),
        "iso1585_diesel" => diesel(input),
        "ethanol_blend" => {
            #[derive(Deserialize)]
            struct In {
                ethanol: f64,
            }
            let b = fuel::ethanol_blend(read::<In>(input)?.ethanol).map_err(words)?;
            serde_json::to_value(b).map_err(words)
        }
        "blend_volume" => {
            #[derive(Deserialize)]
            struct In {
                litres_in_tank: f64,
                ethanol_in_tank: f64,
                ethanol_of_added: f64,
                ethanol_target: f64,
            }
            let i: In = read(input)?;
            Ok(
                json!({"litres_to_add": fuel::blend_volume(i.litres_in_tank, i.ethanol_in_tank, i.ethanol_of_added, i.ethanol_target).map_err(words)?}),
            )
        }
        "savitzky_golay" => {
            #[derive(Deserialize)]
            struct In {
                y: Vec<f64>,
                window: usize,
                order: usize,
                dt_s: f64,
            }
            let i: In = read(input)?;
            serde_json::to_value(smooth_uniform(&i.y, i.window, i.order, i.dt_s).map_err(words)?)
                .map_err(words)
        }
        "repeats" => {
            #[derive(Deserialize)]
            struct In {
                base: Vec<f64>,
                candidate: Vec<f64>,
            }
            let i: In = read(input)?;
            serde_json::to_value(two_sets::compare(&i.base, &i.candidate).map_err(words)?).map_err(words)
        }
        "pulls_needed" => {
            #[derive(Deserialize)]
            struct In {
                sd: f64,
                difference: f64,
            }
            let i: In = read(input)?;
            serde_json::to_value(plan::pulls_needed(i.sd, i.difference).map_err(words)?).map_err(words)
        }
        "smallest_detectable" => {
            #[derive(Deserialize)]
            struct In {
                sd: f64,
                pulls_per_set: u32,
            }
            let i: In = read(input)?;
            serde_json::to_value(plan::smallest_detectable(i.sd, i.pulls_per_set).map_err(words)?)
                .map_err(words)
        }
        "mbt" => {
            #[derive(Deserialize)]
            struct In {
                spark_deg: Vec<f64>,
                value: Vec<f64>,
            }
            let i: In = read(input)?;
            serde_json::to_value(spark::mbt(&i.spark_deg, &i.value).map_err(words)?).map_err(words)
        }
        "injector" => injector(input),
        "shift" => {
            #[derive(Deserialize)]
            struct In {
                rpm: Vec<f64>,
                torque_nm: Vec<f64>,
                ratios: Vec<f64>,
                limit_rpm: f64,
            }
            let i: In = read(input)?;
            Ok(json!({"shifts": shift_points(&i.rpm, &i.torque_nm, &i.ratios, i.limit_rpm).map_err(words)?}))
        }
        "strip" => serde_json::to_value(strip::strip(&read(input)?).map_err(words)?).map_err(words),
        other => Err(format!("there is no calculator “{other}”; there are: {}", NAMES.join(", "))),
    }
}

fn air(input: &Value) -> Result<Value, String> {
    #[derive(Deserialize)]
    struct In {
        temp_c: f64,
        humidity: f64,
        pressure_hpa: f64,
    }
    let i: In = read(input)?;
    let a = AirState::new(i.temp_c, i.humidity, i.pressure_hpa).map_err(words)?;
    let cf: serde_json::Map<String, Value> =
        [Correction::SaeJ1349, Correction::SaeJ607, Correction::Din70020, Correction::Iso1585Si]
            .into_iter()
            .map(|c| (c.id().to_owned(), json!(c.air_factor(&a))))
            .collect();
    Ok(json!({
        "sat_vapour_hpa": a.saturation_hpa(), "vapour_hpa": a.vapour_hpa(), "dry_hpa": a.dry_hpa(), "density_kg_m3": a.density_kg_m3(),
        "density_altitude_m": a.density_altitude_m(), "cf": cf,
    }))
}

fn diesel(input: &Value) -> Result<Value, String> {
    #[derive(Deserialize)]
    struct In {
        dry_kpa: f64,
        temp_c: f64,
        turbocharged: Value,
        fuel_g_s: f64,
        displacement_l: f64,
        rpm: f64,
        boost_pressure_ratio: f64,
        #[serde(default)]
        two_stroke: Value,
    }
    let i: In = read(input)?;
    let s = DieselState {
        dry_kpa: i.dry_kpa,
        temp_c: i.temp_c,
        turbocharged: flag(&i.turbocharged),
        two_stroke: flag(&i.two_stroke),
        fuel_g_s: i.fuel_g_s,
        displacement_l: i.displacement_l,
        rpm: i.rpm,
        boost_pressure_ratio: i.boost_pressure_ratio,
    };
    serde_json::to_value(iso1585_diesel(&s).map_err(words)?).map_err(words)
}

fn injector(input: &Value) -> Result<Value, String> {
    #[derive(Deserialize)]
    struct In {
        pressures_mpa: Vec<f64>,
        durations_us: Vec<f64>,
        mass_mg: Vec<Vec<f64>>,
        pressure_mpa: f64,
        #[serde(default)]
        duration_us: Option<f64>,
        #[serde(default)]
        mass_mg_wanted: Option<f64>,
    }
    let i: In = read(input)?;
    let map = QuantityMap::new(i.pressures_mpa, i.durations_us, i.mass_mg).map_err(words)?;
    match (i.duration_us, i.mass_mg_wanted) {
        (Some(d), None) => {
            Ok(json!({"mass_mg": map.mass(i.pressure_mpa, d).map_err(words)?, "duration_us": d}))
        }
        (None, Some(m)) => {
            Ok(json!({"mass_mg": m, "duration_us": map.duration(i.pressure_mpa, m).map_err(words)?}))
        }
        (Some(d), Some(m)) => Ok(
            json!({"mass_mg": map.mass(i.pressure_mpa, d).map_err(words)?, "duration_us": map.duration(i.pressure_mpa, m).map_err(words)?}),
        ),
        (None, None) => Err("give duration_us or mass_mg_wanted".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_calculator_answers_with_the_contract_names() {
        let cases = [
            (
                "air",
                json!({"temp_c": 25, "humidity": 0, "pressure_hpa": 990}),
                vec!["sat_vapour_hpa", "vapour_hpa", "dry_hpa", "density_kg_m3", "density_altitude_m", "cf"],
            ),
            (
                "iso1585_diesel",
                json!({"dry_kpa": 99.96, "temp_c": 36.6, "turbocharged": 0, "fuel_g_s": 1.995, "displacement_l": 2, "rpm": 3000, "boost_pressure_ratio": 1}),
                vec!["q", "qc", "fa", "fm", "alpha_d"],
            ),
            (
                "ethanol_blend",
                json!({"ethanol": 0.3}),
                vec!["density_kg_l", "ethanol_mass_fraction", "stoich_afr", "lhv_mj_kg", "volume_flow_ratio"],
            ),
            (
                "blend_volume",
                json!({"litres_in_tank": 36, "ethanol_in_tank": 0.031, "ethanol_of_added": 0.57, "ethanol_target": 0.132}),
                vec!["litres_to_add"],
            ),
            (
                "savitzky_golay",
                json!({"y": [1, 2, 3, 4, 5, 6, 7], "window": 5, "order": 2, "dt_s": 0.1}),
                vec!["smoothed", "derivative"],
            ),
            (
                "repeats",
                json!({"base": [1, 2, 3], "candidate": [2, 3, 5]}),
                vec!["difference", "pooled_sd", "df", "ci95", "p", "welch"],
            ),
            ("pulls_needed", json!({"sd": 0.8, "difference": 2}), vec!["pulls_per_set", "power"]),
            (
                "smallest_detectable",
                json!({"sd": 0.8, "pulls_per_set": 3}),
                vec!["difference", "repeatability_limit"],
            ),
            (
                "mbt",
                json!({"spark_deg": [10, 12, 14, 16], "value": [1, 3, 4, 4.2]}),
                vec!["vertex_deg", "vertex_value", "curvature"],
            ),
            (
                "injector",
                json!({"pressures_mpa": [40, 80], "durations_us": [200, 500], "mass_mg": [[3, 27], [4, 38]], "pressure_mpa": 60, "duration_us": 300}),
                vec!["mass_mg", "duration_us"],
            ),
            (
                "shift",
                json!({"rpm": [2000, 7000], "torque_nm": [200, 150], "ratios": [3, 2], "limit_rpm": 7000}),
                vec!["shifts"],
            ),
        ];
        for (name, input, keys) in cases {
            let out = run(name, &input).unwrap_or_else(|e| panic!("{name}: {e}"));
            for k in keys {
                assert!(!out[k].is_null(), "{name} lacks {k}: {out}");
            }
        }
    }

    #[test]
    fn values_that_cannot_be_are_refused_by_field_and_nothing_runs_without_end() {
        let shift = |limit: f64| json!({"rpm": [2000, 7000], "torque_nm": [200, 150], "ratios": [3, 2], "limit_rpm": limit});
        let strip = json!({"mass_kg": 1200, "tyre_friction": 1, "driven_axle_load_fraction": 0.6, "drag_area_m2": 0.7, "rolling_coefficient": 0.015,
            "tyre_radius_m": 0.3, "final_drive": 4, "drivetrain_efficiency": 90, "air_density_kg_m3": 1.2, "gears": [3, 2], "rpm": [1000, 7000],
            "torque_nm": [200, 150], "shift_rpm": 6500, "launch_rpm": 3000, "shift_pause_s": 0.3});
        let diesel = json!({"dry_kpa": 99.96, "temp_c": 36.6, "turbocharged": 0, "fuel_g_s": 1.995, "displacement_l": -2, "rpm": 3000, "boost_pressure_ratio": 1});
        let bars = json!({"pressures_mpa": [400, 1800], "durations_us": [200, 500], "mass_mg": [[3, 27], [4, 38]], "pressure_mpa": 60, "duration_us": 300});
        for (name, input, field) in [
            ("shift", shift(1e12), "limit_rpm"),
            ("strip", strip, "drivetrain_efficiency"),
            ("iso1585_diesel", diesel, "displacement_l"),
            ("injector", bars, "pressures_mpa"),
            ("repeats", json!({"base": [1e308, 2], "candidate": [2, 3]}), "base"),
            (
                "savitzky_golay",
                json!({"y": [1, 2, 3, 4, 5, 6, 7], "window": 5, "order": 2, "dt_s": 0}),
                "dt_s",
            ),
        ] {
            let e = run(name, &input).unwrap_err();
            assert!(e.contains(field), "{name}: {e}");
        }
    }

    #[test]
    fn bad_input_names_the_field() {
        assert!(
            run("air", &json!({"temp_c": 25, "humidity": 52, "pressure_hpa": 990}))
                .unwrap_err()
                .contains("0.52")
        );
        assert!(run("air", &json!({"temp_c": 25, "humidity": 0.5})).unwrap_err().contains("pressure_hpa"));
        assert!(run("nothing", &json!({})).unwrap_err().contains("ethanol_blend"));
        assert!(run("air", &json!([1])).is_err());
        assert!(
            run("injector", &json!({"pressures_mpa": [40, 80], "durations_us": [200, 500], "mass_mg": [[3, 27], [4, 38]], "pressure_mpa": 60}))
                .unwrap_err()
                .contains("duration_us")
        );
    }
}
