//! Reference values computed elsewhere, by a second reading of the same formulas. The files in `golden/` are
//! never edited.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

use jamjar_core::air::AirState;
use jamjar_core::calculators::{fuel, injector::QuantityMap, shift::shift_points, spark::mbt, strip};
use jamjar_core::correction::{Correction, DieselState, iso1585_diesel};
use jamjar_core::signal::savgol::smooth_uniform;
use jamjar_core::stats::{plan, two_sets};

/// Relative tolerance for closed forms; the files carry ten digits.
const TIGHT: f64 = 2e-9;

struct Table {
    name: &'static str,
    rows: Vec<Vec<String>>,
}

fn table(name: &'static str) -> Table {
    let text =
        std::fs::read_to_string(format!("{}/tests/golden/{name}", env!("CARGO_MANIFEST_DIR"))).unwrap();
    let rows: Vec<Vec<String>> = text
        .lines()
        .skip(1)
        .filter(|l| !l.is_empty())
        .map(|l| l.split(',').map(str::to_owned).collect())
        .collect();
    assert!(!rows.is_empty(), "{name} is empty");
    Table { name, rows }
}

impl Table {
    fn numbers(&self) -> Vec<Vec<f64>> {
        self.rows.iter().map(|r| r.iter().map(|c| c.parse().unwrap()).collect()).collect()
    }

    fn close(&self, row: usize, what: &str, got: f64, want: f64, tolerance: f64) {
        assert!(
            (got - want).abs() <= tolerance * want.abs().max(1.0),
            "{} row {}: {what} {got}, expected {want}",
            self.name,
            row + 2
        );
    }
}

fn list(cell: &str) -> Vec<f64> {
    cell.split_whitespace().map(|v| v.parse().unwrap()).collect()
}

#[test]
fn air_state_and_spark_ignition_factors() {
    let t = table("air.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        let a = AirState::new(r[0], r[1], r[2]).unwrap();
        let cf = |c: Correction| c.air_factor(&a).unwrap();
        for (what, got, want) in [
            ("es", a.saturation_hpa(), r[3]),
            ("e", a.vapour_hpa(), r[4]),
            ("pd", a.dry_hpa(), r[5]),
            ("density", a.density_kg_m3(), r[6]),
            ("altitude", a.density_altitude_m(), r[7]),
            ("J1349", cf(Correction::SaeJ1349), r[8]),
            ("J607", cf(Correction::SaeJ607), r[9]),
            ("DIN", cf(Correction::Din70020), r[10]),
            ("ISO", cf(Correction::Iso1585Si), r[11]),
        ] {
            t.close(i, what, got, want, if what == "altitude" { 1e-8 } else { TIGHT });
        }
    }
}

#[test]
fn iso_1585_diesel_factor() {
    let t = table("iso1585_diesel.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        let s = DieselState {
            dry_kpa: r[0],
            temp_c: r[1],
            turbocharged: r[2] > 0.5,
            two_stroke: false,
            fuel_g_s: r[3],
            displacement_l: r[4],
            rpm: r[5],
            boost_pressure_ratio: r[6],
        };
        let f = iso1585_diesel(&s).unwrap();
        for (what, got, want) in [
            ("q", f.q, r[7]),
            ("qc", f.qc, r[8]),
            ("fa", f.fa, r[9]),
            ("fm", f.fm, r[10]),
            ("alpha_d", f.alpha_d, r[11]),
        ] {
            t.close(i, what, got, want, TIGHT);
        }
    }
}

#[test]
fn ethanol_blends() {
    let t = table("ethanol_blend.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        let b = fuel::ethanol_blend(r[0]).unwrap();
        for (what, got, want) in [
            ("density", b.density_kg_l, r[1]),
            ("mass fraction", b.ethanol_mass_fraction, r[2]),
            ("stoich", b.stoich_afr, r[3]),
            ("heating value", b.lhv_mj_kg, r[4]),
            ("volume ratio", b.volume_flow_ratio, r[5]),
        ] {
            t.close(i, what, got, want, TIGHT);
        }
    }
}

#[test]
fn litres_to_add() {
    let t = table("blend_volume.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        t.close(i, "litres", fuel::blend_volume(r[0], r[1], r[2], r[3]).unwrap(), r[4], TIGHT);
    }
}

#[test]
fn savitzky_golay_with_ends_by_the_last_full_window() {
    let t = table("savitzky_golay_25_2.csv");
    let n = t.numbers();
    let raw: Vec<f64> = n.iter().map(|r| r[1]).collect();
    let s = smooth_uniform(&raw, 25, 2, 0.01).unwrap();
    for (i, r) in n.iter().enumerate() {
        t.close(i, "smoothed", s.smoothed[i], r[2], 1e-8);
        t.close(i, "derivative", s.derivative[i], r[3], 1e-8);
    }
}

#[test]
fn repeats_pooled_and_welch() {
    let t = table("repeats.csv");
    for (i, row) in t.rows.iter().enumerate() {
        let r = two_sets::compare(&list(&row[0]), &list(&row[1])).unwrap();
        let w = r.welch.unwrap();
        let want: Vec<f64> = row[2..].iter().map(|c| c.parse().unwrap()).collect();
        let got =
            [r.difference, r.pooled_sd, r.df, r.ci95[0], r.ci95[1], r.p, w.ci95[0], w.ci95[1], w.df, w.p];
        assert_eq!(want.len(), got.len());
        for (k, (g, x)) in got.iter().zip(&want).enumerate() {
            t.close(i, &format!("column {}", k + 3), *g, *x, 5e-9);
        }
    }
}

#[test]
fn pulls_needed_and_smallest_detectable() {
    let t = table("pulls_needed.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        let p = plan::pulls_needed(r[0], r[1]).unwrap();
        assert_eq!(f64::from(p.pulls_per_set), r[2], "row {}", i + 2);
        t.close(i, "power", p.power, r[3], 1e-6);
    }
    let t = table("smallest_detectable.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        let d = plan::smallest_detectable(r[0], r[1] as u32).unwrap();
        t.close(i, "difference", d.difference, r[2], 1e-6);
        t.close(i, "repeatability limit", d.repeatability_limit, r[3], TIGHT);
    }
}

#[test]
fn best_spark_by_parabola() {
    let t = table("mbt_quadratic.csv");
    for (i, row) in t.rows.iter().enumerate() {
        let m = mbt(&list(&row[0]), &list(&row[1])).unwrap();
        for (what, got, cell) in [
            ("vertex", m.vertex_deg, &row[2]),
            ("value", m.vertex_value, &row[3]),
            ("curvature", m.curvature, &row[4]),
        ] {
            t.close(i, what, got, cell.parse().unwrap(), 1e-7);
        }
    }
}

#[test]
fn injector_map_and_its_inverse() {
    let map = table("injector_map.csv");
    let header =
        std::fs::read_to_string(format!("{}/tests/golden/injector_map.csv", env!("CARGO_MANIFEST_DIR")))
            .unwrap();
    let durations = header.lines().next().unwrap().split(',').skip(1).map(|c| c.parse().unwrap()).collect();
    let rows = map.numbers();
    let q = QuantityMap::new(
        rows.iter().map(|r| r[0]).collect(),
        durations,
        rows.iter().map(|r| r[1..].to_vec()).collect(),
    )
    .unwrap();
    let t = table("injector_lookup.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        t.close(i, "mass", q.mass(r[0], r[1]).unwrap(), r[2], TIGHT);
        t.close(i, "duration", q.duration(r[0], r[2]).unwrap(), r[3], 1e-8);
    }
}

fn torque_curve() -> (Vec<f64>, Vec<f64>) {
    table("shift_torque_curve.csv").numbers().iter().map(|r| (r[0], r[1])).unzip()
}

#[test]
fn shift_points_of_equal_tractive_force() {
    let (rpm, torque) = torque_curve();
    let t = table("shift_points.csv");
    let rows = t.numbers();
    let ratios: Vec<f64> = rows.iter().map(|r| r[0]).chain([rows[rows.len() - 1][1]]).collect();
    let points = shift_points(&rpm, &torque, &ratios, 7500.0).unwrap();
    assert!(!rows.is_empty() && points.len() == rows.len());
    for (i, (r, s)) in rows.iter().zip(points).enumerate() {
        assert!((s.upshift_rpm - r[2]).abs() <= 1.0, "row {}: {} {}", i + 2, s.upshift_rpm, r[2]);
        assert!((s.after_rpm - r[3]).abs() <= 1.0, "row {}", i + 2);
    }
}

#[test]
fn strip_runs() {
    let (rpm, torque_nm) = torque_curve();
    let t = table("strip_run.csv");
    for (i, r) in t.numbers().iter().enumerate() {
        let run = strip::strip(&strip::StripInput {
            mass_kg: 1240.0,
            tyre_friction: 1.05,
            driven_axle_load_fraction: 0.62,
            drag_area_m2: 0.68,
            rolling_coefficient: 0.012,
            tyre_radius_m: 0.305,
            final_drive: 4.1,
            drivetrain_efficiency: 1.0,
            air_density_kg_m3: 1.19,
            gears: vec![3.45, 1.95, 1.36, 1.03, 0.82],
            rpm: rpm.clone(),
            torque_nm: torque_nm.clone(),
            shift_rpm: r[0],
            launch_rpm: r[1],
            shift_pause_s: r[2],
        })
        .unwrap();
        for (what, got, want) in [
            ("18 m", run.t_18m_s, r[3]),
            ("201 m", run.t_201m_s, r[4]),
            ("v 201", run.v_201m_kmh, r[5]),
            ("402 m", run.t_402m_s, r[6]),
            ("v 402", run.v_402m_kmh, r[7]),
        ] {
            t.close(i, what, got, want, 2e-4);
        }
    }
}
