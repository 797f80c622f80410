#![allow(clippy::float_cmp)]

use crate::burn::friction_nm;
use crate::dialect::{Dialect, write};
use crate::fault::{FaultKind, FaultSpec, Faults};
use crate::fuel::SimFuel;
use crate::instruments::{Column, Recorded};
use crate::noise::Noise;
use crate::thermal::Thermal;
use crate::{Scenario, ScenarioError};
use proptest::prelude::*;

const GOOD: &str = r#"
jamjar_scenario = 1
name = "one"
seed = 1
map = [{ name = "Stock", file = "s.map" }]
fuel = [{ name = "E30", ethanol = 0.3 }]

[vehicle]
name = "Tern"
engine = "tolvern-t3"

[cell]
dyno = "hub"
ratio = 4.1

[sweep]
from_rpm = 1800
to_rpm = 6700

[dyno]
dialect = "brackets"
rate_hz = 100
channels = ["roller_speed", "hub_torque"]

[[day]]
date = "2026-03-03"
temperature_c = 20.0
humidity = 0.5
pressure_hpa = 1000.0

[[day.set]]
id = "a"
map = "Stock"
fuel = "E30"
"#;

fn refused(from: &str, to: &str) -> ScenarioError {
    assert!(GOOD.contains(from), "{from}");
    Scenario::parse(&GOOD.replace(from, to)).unwrap_err()
}

#[test]
fn a_scenario_reads_and_a_fault_in_it_has_its_place() {
    assert_eq!(Scenario::parse(GOOD).unwrap().day[0].set[0].pulls, 3);
    let cases = [
        ("seed = 1", "seed = yes", "4:8: "),
        ("seed = 1", "sead = 1", "unknown field `sead`"),
        ("dyno = \"hub\"", "dyno = \"chassis\"", "unknown variant `chassis`"),
        ("tolvern-t3", "quick-one", "there is no engine “quick-one”; there are: tolvern-t3"),
        ("map = \"Stock\"", "map = \"C9\"", "day 2026-03-03, set a: there is no map “C9”"),
        ("fuel = \"E30\"", "fuel = \"E31\"", "there is no fuel “E31”"),
        ("humidity = 0.5", "humidity = 50", "relative humidity 50 is above 1"),
        ("ethanol = 0.3", "ethanol = 30", "a fraction from 0 to 1"),
        ("hub_torque", "torque_hub", "the simulator has no channel “torque_hub”"),
        ("rate_hz = 100", "rate_hz = 0", "samples 1 to 500"),
        ("jamjar_scenario = 1", "jamjar_scenario = 7", "reads version 1"),
        ("ratio = 4.1", "ratio = -1", "must be positive"),
        ("id = \"a\"", "id = \"a\"\npulls = 99", "a set has 1 to 30"),
        (
            "engine = \"tolvern-t3\"",
            "engine = \"tolvern-t3\"\nchange = { displacement_l = -1 }",
            "displacement_l must be a positive number",
        ),
        (
            "engine = \"tolvern-t3\"",
            "engine = \"tolvern-t3\"\nchange = { pistons = 3 }",
            "unknown field `pistons`",
        ),
    ];
    for (from, to, want) in cases {
        let e = refused(from, to).to_string();
        assert!(e.contains(want), "{to}: wanted “{want}”, got “{e}”");
    }
    let fault = format!("{GOOD}\n[[day.set.fault]]\nkind = \"wrong_fuel\"\n");
    assert!(Scenario::parse(&fault).unwrap_err().to_string().contains("wrong_fuel needs fuel"));
    let fault = format!("{GOOD}\n[[day.set.fault]]\nkind = \"heat_soak\"\npulls = [4]\n");
    assert!(Scenario::parse(&fault).unwrap_err().to_string().contains("a fault on pull 4, but there are 3"));
}

#[test]
fn ethanol_cools_burns_more_and_resists_knock() {
    let e0 = SimFuel::blend("E0", 0.0, None).unwrap();
    let e85 = SimFuel::blend("E85", 0.85, None).unwrap();
    assert!(e0.cooling_k.abs() < 1e-9 && (10.0..40.0).contains(&e85.cooling_k), "{e85:?}");
    assert!(
        (e0.ron - 93.0).abs() < 1e-9 && (105.0..109.0).contains(&e85.ron),
        "molar blending lifts octane early: {e85:?}"
    );
    assert!(e85.stoich_afr < 10.0 && e85.lhv_mj_kg < 30.0);
    assert!(SimFuel::blend("x", 1.2, None).is_none());
}

#[test]
fn faults_act_on_their_pulls_only_and_every_kind_says_its_size() {
    let spec = |kind, pulls: &[usize], size| FaultSpec {
        kind,
        pulls: pulls.to_vec(),
        size,
        at_rpm: Some(4000.0),
        cylinder: Some(2),
        map: None,
        fuel: None,
    };
    let list = [spec(FaultKind::HeatSoak, &[3], Some(18.0)), spec(FaultKind::Knock, &[], None)];
    let (first, third) = (Faults::of(&list, 1), Faults::of(&list, 3));
    assert_eq!((first.inlet_extra_c, third.inlet_extra_c), (0.0, 18.0));
    assert_eq!((first.planted.len(), third.planted.len()), (1, 2));
    assert_eq!(first.planted[0].rpm, Some([3500.0, 4500.0]));
    for kind in FaultKind::ALL {
        let plain = Faults::default();
        let f = Faults::of(
            &[FaultSpec { map: Some("x".into()), fuel: Some("y".into()), ..spec(kind, &[], None) }],
            1,
        );
        assert_ne!(Faults { planted: Vec::new(), ..f.clone() }, plain, "{} changes nothing", kind.id());
        assert!(!kind.id().is_empty() && !kind.size().1.is_empty());
    }
}

#[test]
fn heat_comes_back_to_rest_and_cold_oil_drags() {
    let mut t = Thermal::morning(20.0, 20.0);
    let cold = t.oil_c;
    t.rest(3600.0, 20.0);
    assert!(t.oil_c > cold + 15.0 && (t.metal_c - 26.0).abs() < 0.1);
    let engine = Scenario::parse(GOOD).unwrap().engine("A").unwrap();
    assert!(friction_nm(&engine, 3000.0, 40.0) > 1.15 * friction_nm(&engine, 3000.0, 90.0));
}

#[test]
fn a_seed_and_a_purpose_have_a_stream_of_their_own() {
    let draw = |seed, purpose| Noise::new(seed, purpose).normal(1.0);
    assert_eq!(draw(1, "pull"), draw(1, "pull"));
    assert_ne!(draw(1, "pull"), draw(2, "pull"));
    assert_ne!(draw(1, "pull"), draw(1, "knock"));
}

#[test]
fn dialects_write_what_they_say() {
    let r = Recorded {
        t: vec![0.0, 0.04],
        columns: vec![
            Column { channel: "engine_speed".into(), step: 1.0, values: vec![1800.0, 1825.0] },
            Column { channel: "lambda_1".into(), step: 0.001, values: vec![0.861, f64::NAN] },
        ],
    };
    let text = |d| String::from_utf8_lossy(&write(&r, d, "cell 1", 36_000.0, false)).into_owned();
    assert_eq!(
        text(Dialect::Brackets),
        "# cell 1\nTime (s),Engine speed (rpm),Lambda 1 (λ)\n0.000,1800,0.861\n0.040,1825,\n"
    );
    assert_eq!(text(Dialect::UnitsRow), "Time;RPM;WB1\ns;1/min;AFR\n0,000;1800;12,66\n0,040;1825;\n");
    assert!(text(Dialect::ClockTime).contains("\n10:00:00.040,1825"), "{}", text(Dialect::ClockTime));
    assert!(text(Dialect::TabMilliseconds).contains("\n40.0\t1825\t\n"));
    assert!(
        text(Dialect::QuotedCrlf).starts_with("\u{feff}\"Time [s]\",\"Engine speed [rpm]\"")
            && text(Dialect::QuotedCrlf).contains("\r\n")
    );
    assert!(write(&r, Dialect::Utf16, "", 0.0, false).starts_with(&[0xFF, 0xFE]));
    assert!(text(Dialect::Underscores).starts_with("time_s,engine_speed_rpm,lambda_1\n"));
    assert!(text(Dialect::Trailing).contains("0.861;\n"));
    let all: std::collections::BTreeSet<Vec<u8>> =
        Dialect::ALL.iter().map(|d| write(&r, *d, "h", 0.0, false)).collect();
    assert_eq!(all.len(), 10, "no two dialects write the same");
}

proptest! {
    #[test]
    fn rest_never_overshoots(seconds in 0.0..20_000.0f64, ambient in -10.0..45.0f64, short in 0.0..30.0f64) {
        let mut t = Thermal::morning(ambient, short);
        let before = t.oil_c;
        t.rest(seconds, ambient);
        prop_assert!(t.oil_c >= before.min(92.0) - 1e-9 && t.oil_c <= before.max(92.0) + 1e-9);
    }
}
