//! Expressions against values worked out by hand, and every way in which one must be refused.
#![allow(clippy::float_cmp)]

use super::*;
use crate::log::Recording;
use std::borrow::Cow;

fn one(expr: &str, unit: &str) -> Result<Formula, ComputedError> {
    let c = Computed { name: Channel::new("x").unwrap(), unit: unit.into(), expr: expr.into() };
    compile_all(&[c]).map(|mut all| all.remove(0))
}

fn log(channels: &[(&str, &[f64])]) -> Recording {
    let n = channels[0].1.len();
    let mut out = Recording { t: (0..n).map(|i| i as f64 * 0.1).collect(), ..Recording::default() };
    for (name, v) in channels {
        out.channels.insert(Channel::new(*name).unwrap(), v.to_vec());
    }
    out
}

fn values(expr: &str, unit: &str, log: &Recording) -> Vec<f64> {
    let f = one(expr, unit).unwrap();
    let (dyno, _, lacking) = with_computed(&[f], Cow::Borrowed(log), None, None);
    assert!(lacking.is_empty(), "{lacking:?}");
    dyno.channels[&Channel::new("x").unwrap()].clone()
}

fn near(a: f64, b: f64) -> bool {
    (a - b).abs() <= 1e-9 * b.abs().max(1.0)
}

#[test]
fn expressions_give_what_they_give_by_hand() {
    let l = log(&[
        ("back_pressure", &[280.0]),
        ("manifold_pressure", &[220.0]),
        ("ambient_pressure", &[100.0]),
        ("engine_speed", &[6000.0]),
        ("blower_speed", &[11_400.0]),
        ("injector_pulse_width", &[10.0]),
        ("lambda_1", &[0.82]),
        ("lambda_2", &[0.86]),
        ("lambda_3", &[0.81]),
        ("lambda_target", &[0.80]),
        ("exhaust_temp_1", &[880.0]),
        ("exhaust_temp_2", &[910.0]),
        ("intake_temp", &[27.0]),
        ("rail_pressure", &[180.0]),
        ("fuel_pressure", &[400.0]),
        ("road_speed", &[36.0]),
        ("brake_torque", &[200.0]),
        ("fuel_flow", &[12.0]),
        ("filter_dp", &[4.0]),
    ]);
    for (expr, unit, want) in [
        ("(back_pressure - ambient_pressure) / (manifold_pressure - ambient_pressure)", "", 1.5),
        ("([back pressure] − [ambient pressure]) ÷ ([manifold pressure] − 100 kPa)", "ratio", 1.5),
        ("100 * (1 - blower_speed / (engine_speed * 2))", "%", 5.0),
        ("1 - blower_speed / (2 * engine_speed)", "", 0.05),
        ("injector_pulse_width * engine_speed / 1200", "%", 50.0),
        ("injector_pulse_width / (2 rev / engine_speed)", "%", 50.0),
        ("spread(lambda)", "λ", 0.05),
        ("max(lambda) - lambda_target", "λ", 0.06),
        ("max(lambda_1, lambda_2) / lambda_target", "", 1.075),
        ("spread(exhaust_temp)", "K", 30.0),
        ("exhaust_temp_2 - exhaust_temp_1", "°C", 30.0),
        ("mean(exhaust_temp_1, exhaust_temp_2)", "°C", 895.0),
        ("exhaust_temp_1 - 20", "°C", 860.0),
        ("manifold_pressure / (intake_temp + 273.15)", "kPa/K", f64::NAN),
        ("rail_pressure / fuel_pressure", "", 450.0),
        ("rail_pressure - fuel_pressure", "MPa", 179.6),
        ("rail_pressure - 2 bar", "kPa", 179_800.0),
        ("road_speed", "m/s", 10.0),
        ("engine_speed * 0.10471975511965977 * brake_torque / 1000", "kW", 125.663_706_143_591_72),
        ("-manifold_pressure^2 / manifold_pressure", "kPa", -220.0),
        ("2 + 3 * manifold_pressure / 110 kPa - -1", "", 9.0),
        ("abs(ambient_pressure - manifold_pressure)", "kPa", 120.0),
        ("sqrt(manifold_pressure * manifold_pressure)", "bar", 2.2),
        ("min(manifold_pressure, 150)", "kPa", 150.0),
        ("filter_dp + 1", "kPa", 5.0),
        ("λ1 / lambda_target", "", 1.025),
    ] {
        if want.is_nan() {
            assert!(one(expr, unit).unwrap_err().problem.contains("no unit known"), "{expr}");
            continue;
        }
        let got = values(expr, unit, &l)[0];
        assert!(near(got, want), "{expr}: {got}, not {want}");
    }
}

#[test]
fn what_cannot_be_is_refused_with_its_place() {
    for (expr, unit, column, words) in [
        ("back_pressure + engine_speed", "kPa", Some(15), "kPa and rpm cannot be added"),
        ("lambda_1 + throttle", "λ", Some(10), "λ and % cannot be added"),
        ("back_pressure / manifold_pressure", "kPa", None, "in a plain number, not in kPa"),
        ("back_pressure", "°C", None, "in kPa, not in °C"),
        ("intake_temp * 2", "°C", Some(13), "no zero to multiply from"),
        ("intake_temp + exhaust_temp_1", "°C", Some(13), "make no sum"),
        ("road_speed / 3.6", "m/s", None, "by itself"),
        ("rail_pressure / fuel_pressure / 10", "", None, "by itself"),
        ("(back_pressure", "kPa", Some(1), "not closed"),
        ("back_pressure)", "kPa", Some(14), "closes nothing"),
        ("back_pressure manifold_pressure", "", Some(15), "operator"),
        ("back_pressure *", "kPa", None, "ends where"),
        ("log(back_pressure)", "", Some(1), "no function “log”"),
        ("lambda", "λ", Some(1), "family of sensors"),
        ("spread(lambda_1)", "λ", Some(1), "two values or more"),
        ("back_pressure ^ 9", "", Some(15), "whole number from 1 to 4"),
        ("back_pressure; drop", "", Some(14), "means nothing"),
        ("3 + 4", "", None, "reads no channel"),
        ("", "", None, "ends where"),
        ("[back pressure", "", Some(1), "not closed by ]"),
        ("Back", "", Some(1), "no channel"),
        ("back_pressure", "furlong", None, "no unit known"),
        ("sqrt(engine_speed)", "", Some(1), "no root of rpm"),
    ] {
        let e = one(expr, unit).expect_err(expr);
        assert!(e.problem.contains(words) && e.column == column, "{expr}: {e:?}");
    }
    let deep = format!("{}back_pressure{}", "(".repeat(60), ")".repeat(60));
    assert!(one(&deep, "kPa").unwrap_err().problem.contains("deeper"));
    let long = vec!["back_pressure"; 40].join("+");
    assert!(one(&long, "kPa").unwrap_err().problem.contains("longer"));
}

#[test]
fn names_are_taken_once_and_later_ones_build_on_earlier() {
    let c = |name: &str, unit: &str, expr: &str| Computed {
        name: Channel::new(name).unwrap(),
        unit: unit.into(),
        expr: expr.into(),
    };
    let boost = c("boost", "kPa", "manifold_pressure - ambient_pressure");
    let all =
        compile_all(&[boost.clone(), c("drive", "", "(back_pressure - ambient_pressure) / boost")]).unwrap();
    let l =
        log(&[("back_pressure", &[250.0]), ("manifold_pressure", &[200.0]), ("ambient_pressure", &[100.0])]);
    let (with, _, _) = with_computed(&all, Cow::Borrowed(&l), None, None);
    assert_eq!(with.channels[&all[1].name], [1.5]);
    for (list, words) in [
        (vec![boost.clone(), boost.clone()], "twice"),
        (vec![c("lambda_1", "", "lambda_2 / 1 λ")], "measured"),
        (
            vec![c("a", "", "b / 1 kPa"), c("b", "kPa", "back_pressure")],
            "“b” is computed after it: put that first",
        ),
        (vec![c("a", "kPa", "a + back_pressure")], "computed from itself"),
    ] {
        let e = compile_all(&list).unwrap_err();
        assert!(e.problem.contains(words), "{e}");
    }
}

#[test]
fn blanks_zeros_and_holes_leave_blanks_and_nothing_else() {
    let nan = f64::NAN;
    let l = log(&[
        ("back_pressure", &[200.0, 200.0, 200.0, nan, 200.0, 200.0, 200.0, 200.0, 200.0, 200.0, 200.0]),
        ("manifold_pressure", &[150.0, 100.0, 150.0, 150.0, 150.0, 150.0, 150.0, 150.0, 150.0, 150.0, 150.0]),
        ("ambient_pressure", &[100.0, 100.0, 100.0, 100.0, 100.0, nan, nan, nan, nan, 100.0, 100.0]),
    ]);
    let ratio = values("back_pressure / (manifold_pressure - 100)", "", &l);
    assert_eq!(ratio[0], 4.0);
    assert!(ratio[1].is_nan(), "a division by nothing has no value");
    assert_eq!(ratio[3], 4.0, "one blank of 0.2 s is bridged along the line");
    let far = values("manifold_pressure - ambient_pressure", "kPa", &l);
    assert_eq!((far[0], far[10]), (50.0, 50.0));
    assert!(far[6].is_nan(), "0.5 s without a reading is a hole");
}

#[test]
fn parts_of_two_logs_need_their_clocks() {
    let on_shaft = log(&[("back_pressure", &[200.0, 210.0, 220.0])]);
    let mut ecu = log(&[("manifold_pressure", &[100.0, 100.0, 100.0])]);
    ecu.t = vec![5.0, 5.1, 5.2];
    let f = one("back_pressure / manifold_pressure", "").unwrap();
    let of = |lag| {
        with_computed(std::slice::from_ref(&f), Cow::Borrowed(&on_shaft), Some(Cow::Borrowed(&ecu)), lag)
    };
    let (d, e, lacking) = of(Some(5.0));
    assert!(lacking.is_empty() && d.channels.len() == 1);
    let got = &e.unwrap().channels[&f.name];
    assert!(near(got[0], 2.0) && near(got[1], 2.1), "{got:?}");
    let lacks = |l: Vec<(Channel, Lacking)>| l.into_iter().next().unwrap().1;
    assert_eq!(lacks(of(None).2), Lacking::NotAligned(Channel::new("back_pressure").unwrap()));
    let alone = with_computed(&[f], Cow::Borrowed(&on_shaft), None, None).2;
    assert_eq!(lacks(alone), Lacking::Channel(Channel::new("manifold_pressure").unwrap()));
    let spread = one("spread(lambda)", "λ").unwrap();
    let single = log(&[("lambda_1", &[0.8])]);
    let lacking = with_computed(&[spread], Cow::Borrowed(&single), None, None).2;
    assert_eq!(lacks(lacking), Lacking::Family("lambda"), "one sensor has no spread");
}

mod properties {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn no_text_makes_it_panic(text in "[a-z_0-9 .+*/()^,\\[\\]λ°%-]{0,60}") {
            let _ = one(&text, "kPa");
        }

        #[test]
        fn sums_and_products_are_those_of_numbers(a in 1.0..500.0f64, b in 1.0..500.0f64, c in 1.0..500.0f64) {
            let l = log(&[("back_pressure", &[a]), ("manifold_pressure", &[b]), ("ambient_pressure", &[c])]);
            let got = values("back_pressure - manifold_pressure * ambient_pressure / (back_pressure + 1 kPa)", "kPa", &l)[0];
            prop_assert!(near(got, a - b * c / (a + 1.0)));
        }
    }
}
