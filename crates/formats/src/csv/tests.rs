use crate::{Confidence, Mapping, Rule, read_log};
use jamjar_core::channel::Channel;
use jamjar_core::findings::{Finding, UnitDoubt};
use jamjar_core::log::Recording;
use jamjar_core::units::Unit;
use std::fmt::Write;

fn rows(separator: &str, number: impl Fn(f64) -> String, time: impl Fn(usize) -> String) -> String {
    let mut s = String::new();
    for i in 0..50 {
        let rpm = 2000.0 + 40.0 * i as f64;
        writeln!(s, "{}{separator}{}{separator}{}", time(i), number(rpm), number(100.5 + i as f64)).unwrap();
    }
    s
}

fn plain(v: f64) -> String {
    v.to_string()
}

fn comma(v: f64) -> String {
    v.to_string().replace('.', ",")
}

fn read(bytes: &[u8]) -> Recording {
    read_log(bytes, "p1.csv", &Mapping::default()).unwrap().log
}

#[test]
fn every_dialect_of_the_contract_gives_the_same_log() {
    let t = |i: usize| format!("{}", 12.5 + i as f64 * 0.1);
    let tc = |i: usize| t(i).replace('.', ",");
    let ms = |i: usize| format!("{}", 12_500 + i * 100);
    let clock = |i: usize| format!("10:00:{:02}.{}", 12 + (5 + i) / 10, (5 + i) % 10);
    let cases: Vec<(&str, Vec<u8>, f64)> = vec![
        ("comma", format!("Time (s),Engine speed (rpm),Torque (N·m)\n{}", rows(",", plain, t)).into(), 12.5),
        (
            "semicolon and decimal comma",
            format!("Time [s];Engine speed [rpm];Torque [Nm]\n{}", rows(";", comma, tc)).into(),
            12.5,
        ),
        (
            "tab with units row",
            format!("Time\tEngine speed\tTorque\ns\trpm\tNm\n{}", rows("\t", plain, t)).into(),
            12.5,
        ),
        ("byte order mark", format!("\u{feff}Time (s),RPM,Torque\n{}", rows(",", plain, t)).into(), 12.5),
        (
            "carriage returns",
            format!("Time (s),RPM,Torque\n{}", rows(",", plain, t)).replace('\n', "\r\n").into(),
            12.5,
        ),
        (
            "preamble",
            format!("# cell 2\nOperator: the calibrator\n\nTime (s),RPM,Torque\n{}", rows(",", plain, t))
                .into(),
            12.5,
        ),
        ("milliseconds", format!("time_ms,rpm,torque\n{}", rows(",", plain, ms)).into(), 12.5),
        ("milliseconds by their step", format!("time,rpm,torque\n{}", rows(",", plain, ms)).into(), 12.5),
        ("clock time", format!("Time,RPM,Torque\n{}", rows(",", plain, clock)).into(), 36_012.5),
        (
            "latin-1",
            encoding_rs::WINDOWS_1252
                .encode(&format!(
                    "Time (s);RPM;Torque (N·m);Température (°C)\n{}",
                    rows(";", plain, t).replace('\n', ";20\n")
                ))
                .0
                .into_owned(),
            12.5,
        ),
        (
            "utf-16",
            format!("Time (s),RPM,Torque\n{}", rows(",", plain, t)).encode_utf16().fold(
                vec![0xFF, 0xFE],
                |mut v, u| {
                    v.extend(u.to_le_bytes());
                    v
                },
            ),
            12.5,
        ),
        (
            "trailing separators",
            format!("Time (s),RPM,Torque,\n{}", rows(",", plain, t).replace('\n', ",\n")).into(),
            12.5,
        ),
        (
            "quoted",
            format!(
                "\"Time (s)\",\"RPM\",\"Torque\"\n{}",
                rows("\",\"", plain, t).lines().map(|l| format!("\"{l}\"\n")).collect::<String>()
            )
            .into(),
            12.5,
        ),
    ];
    for (name, bytes, start) in cases {
        let log = read_log(bytes.as_slice(), "p1.csv", &Mapping::default())
            .unwrap_or_else(|e| panic!("{name}: {e}"))
            .log;
        assert_eq!(log.t.len(), 50, "{name}");
        assert!(
            (log.t[0] - start).abs() < 1e-9 && (log.t[10] - start - 1.0).abs() < 1e-9,
            "{name}: {} {}",
            log.t[0],
            log.t[10]
        );
        assert_eq!(log.column("engine_speed").unwrap()[2], 2080.0, "{name}");
        assert_eq!(log.column("brake_torque").unwrap()[3], 103.5, "{name}");
    }
}

#[test]
fn bad_files_say_what_and_where() {
    let good = format!("Time (s),RPM,Torque\n{}", rows(",", plain, |i| format!("{}", i as f64 * 0.1)));
    let cases: Vec<(&str, Vec<u8>, &str)> = vec![
        ("empty", b"".to_vec(), "p1.csv: the file is empty"),
        ("blank lines", b"\n\n \n".to_vec(), "p1.csv: the file is empty"),
        (
            "header only",
            b"Time,RPM,Torque\n".to_vec(),
            "p1.csv:1:1: there are no rows of numbers below the header",
        ),
        (
            "binary",
            [0x7f, 0x45, 0x00, 0x01, 0x02].repeat(50),
            "p1.csv: this is not a text file: export the log as CSV",
        ),
        (
            "no header",
            b"0,1,2\n1,2,3\n2,3,4\n".to_vec(),
            "p1.csv:1:1: there is no header row: add a line with the channel names above the numbers",
        ),
        (
            "one column",
            b"just words\nmore words\n".to_vec(),
            "p1.csv: no columns found: separate the fields with comma, semicolon or tab",
        ),
        (
            "text in a number",
            good.replace("2080", "abc").into(),
            "p1.csv:4:2: “abc” is not a number in column “RPM”",
        ),
        (
            "infinite",
            good.replace("2080", "inf").into(),
            "p1.csv:4:2: “inf” is an infinite value: leave the cell blank if it was not measured in column “RPM”",
        ),
        (
            "ragged",
            good.replace("0.2,2080,", "0.2,").into(),
            "p1.csv:4:2: 2 fields, but the header has 3: is the delimiter “,”?",
        ),
        (
            "no time",
            good.replace("Time (s)", "Lap").into(),
            "p1.csv:1:1: no time column found among: Lap, RPM, Torque",
        ),
        (
            "long field",
            good.replace("2080", &"9".repeat(70_000)).into(),
            "p1.csv:4:2: a field of 70000 bytes is not a measurement",
        ),
        (
            "3 MB field",
            good.replace("2080", &"9".repeat(3_000_000)).into(),
            "p1.csv:4:1: a line longer than 1024 KiB: is this really a log?",
        ),
    ];
    for (name, bytes, want) in cases {
        let e = read_log(bytes.as_slice(), "p1.csv", &Mapping::default()).expect_err(name);
        assert_eq!(e.to_string(), want, "{name}");
    }
}

#[test]
fn time_that_restarts_is_refused_at_its_line() {
    let mut text = format!("Time (s),RPM,Torque\n{}", rows(",", plain, |i| format!("{}", i as f64 * 0.1)));
    text += &rows(",", plain, |i| format!("{}", i as f64 * 0.1));
    let e = read_log(text.as_bytes(), "p1.csv", &Mapping::default()).unwrap_err();
    assert_eq!((e.line, e.column), (Some(52), Some(1)));
    assert!(matches!(*e.problem, crate::FormatProblem::TimeRunsBackward { .. }));
}

#[test]
fn a_cut_last_line_is_left_out_and_said() {
    let text =
        format!("Time (s),RPM,Torque\n{}5.0,4000", rows(",", plain, |i| format!("{}", i as f64 * 0.1)));
    let log = read(text.as_bytes());
    assert_eq!((log.t.len(), &log.flags[..]), (50, &[Finding::Truncated][..]));
}

#[test]
fn midnight_does_not_run_backward() {
    let clock = |i: usize| {
        let s = 86_395 + i;
        format!("{:02}:{:02}:{:02}", s / 3600 % 24, s / 60 % 60, s % 60)
    };
    let log = read(format!("Time,RPM,Torque\n{}", rows(",", plain, clock)).as_bytes());
    assert_eq!(log.t.len(), 50);
    assert_eq!(log.t[49] - log.t[0], 49.0);
}

fn one(header: &str, values: &[f64]) -> crate::ReadLog {
    let mut s = format!("Time (s),{header},RPM\n");
    for (i, v) in values.iter().cycle().take(40).enumerate() {
        writeln!(s, "{},{v},{}", i as f64 * 0.1, 2000 + i).unwrap();
    }
    read_log(s.as_bytes(), "e.csv", &Mapping::default()).unwrap()
}

#[test]
fn ambiguous_units_are_guessed_flagged_and_asked() {
    for (header, values, channel, unit, first) in [
        ("WB1", &[12.5, 14.7][..], "lambda_1", Unit::AfrGasoline, 12.5 / 14.7),
        ("Manifold pressure (kPa)", &[2.0, 60.0], "manifold_pressure", Unit::KpaGauge, 103.325),
        ("Coolant temp", &[190.0, 200.0], "coolant_temp", Unit::Fahrenheit, 87.777_777),
        ("Throttle", &[0.12, 0.99], "throttle", Unit::Fraction, 12.0),
    ] {
        let r = one(header, values);
        assert_eq!(r.questions.len(), 1, "{header}");
        assert_eq!(r.questions[0].options[0], unit, "{header}");
        assert!(
            (r.log.column(channel).unwrap()[0] - first).abs() < 1e-4,
            "{header}: {}",
            r.log.column(channel).unwrap()[0]
        );
        assert!(r.log.flags.iter().any(|f| f.kind() == "unit_guess"));
    }
}

#[test]
fn clear_units_ask_nothing() {
    for (header, values, channel, first) in [
        ("Lambda", &[0.85, 0.9][..], "lambda_1", 0.85),
        ("AFR gasoline [AFR gasoline]", &[12.5, 13.0], "lambda_1", 12.5 / 14.7),
        ("MAP (kPa)", &[35.0, 180.0], "manifold_pressure", 35.0),
        ("Boost (psi)", &[-5.0, 15.0], "manifold_pressure", 101.325 - 34.473_785),
        ("EGT 1 (°F)", &[1400.0, 1500.0], "exhaust_temp_1", 760.0),
        ("Rail pressure (bar)", &[900.0, 1600.0], "rail_pressure", 90.0),
    ] {
        let r = one(header, values);
        assert!(r.questions.is_empty(), "{header}: {:?}", r.questions);
        assert!((r.log.column(channel).unwrap()[0] - first).abs() < 1e-4, "{header}");
    }
}

#[test]
fn a_persons_rule_wins_and_a_missing_column_is_named() {
    let text = format!("Time (s),RPM,X7\n{}", rows(",", plain, |i| format!("{}", i as f64 * 0.1)));
    let rule = |column: &str| Mapping {
        rules: vec![Rule {
            channel: Channel::new("lambda_1").unwrap(),
            column: column.into(),
            unit: Some(Unit::AfrGasoline),
        }],
        ambient_kpa: None,
        ..Mapping::default()
    };
    let r = read_log(text.as_bytes(), "e.csv", &rule("X7")).unwrap();
    assert!((r.log.column("lambda_1").unwrap()[0] - 100.5 / 14.7).abs() < 1e-9);
    assert_eq!(r.columns[2].confidence, Confidence::Given);
    let e = read_log(text.as_bytes(), "e.csv", &rule("X8")).unwrap_err();
    assert_eq!(e.to_string(), "e.csv:1:1: there is no column “X8”; the header has: Time (s), RPM, X7");
}

#[test]
fn power_in_a_column_called_torque_is_asked_and_the_answer_makes_it_power() {
    let kw = |i: usize| 20.0 + 0.5 * i as f64;
    let mut text = String::from("Time (s),RPM,Torque\n");
    for i in 0..160 {
        writeln!(text, "{:.2},{},{}", i as f64 * 0.05, 1800 + 30 * i, kw(i)).unwrap();
    }
    let r = read_log(text.as_bytes(), "p1.csv", &Mapping::default()).unwrap();
    let asked: Vec<_> = r.questions.iter().map(|q| (q.column.as_str(), &q.doubt)).collect();
    assert!(matches!(asked[..], [("Torque", UnitDoubt::GrowsLikePower { .. })]), "{asked:?}");
    assert_eq!(r.columns[2].confidence, Confidence::Low);
    assert_eq!(r.questions[0].options[0], Unit::NewtonMetre, "as the header says until somebody answers");
    let told = |unit| {
        let rules = vec![Rule {
            channel: Channel::new("brake_torque").unwrap(),
            column: "Torque".into(),
            unit: Some(unit),
        }];
        read_log(text.as_bytes(), "p1.csv", &Mapping { rules, ..Mapping::default() }).unwrap()
    };
    let power = told(Unit::KiloWatt);
    assert!(power.log.column("brake_torque").is_none() && power.questions.is_empty());
    assert!((power.log.column("power").unwrap()[10] - kw(10)).abs() < 1e-9);
    let torque = told(Unit::NewtonMetre);
    assert!(torque.log.column("power").is_none() && torque.questions.is_empty(), "a person's word is taken");
}

#[test]
fn blank_cells_are_not_numbers() {
    let log = read(b"Time (s),RPM,Torque\n0,2000,\n0.1,,5\n0.2,2010,NaN\n0.3,2020,6\n");
    assert!(
        log.column("brake_torque").unwrap()[0].is_nan() && log.column("engine_speed").unwrap()[1].is_nan()
    );
    assert_eq!(log.series("brake_torque").unwrap().v, vec![5.0, 6.0]);
}

#[test]
fn a_stated_unit_that_cannot_be_is_doubted_and_the_likely_one_is_offered_first() {
    let mut text = String::from("Time (s),Engine speed (rpm),MAP (bar),IAT (°C)\n");
    for i in 0..60 {
        writeln!(text, "{:.2},{},{:.1},{}", f64::from(i) * 0.1, 2000 + 50 * i, 120.0 + f64::from(i), 31)
            .unwrap();
    }
    let r = read_log(text.as_bytes(), "p1.csv", &Mapping::default()).unwrap();
    assert_eq!(r.questions.len(), 1, "{:?}", r.questions);
    let q = &r.questions[0];
    assert!(matches!(q.doubt, UnitDoubt::CannotBe { stated: Unit::BarAbs, .. }), "{q:?}");
    assert_eq!((q.options[0], q.options.last()), (Unit::KpaAbs, Some(&Unit::BarAbs)));
    assert!(
        (r.log.column("manifold_pressure").unwrap()[0] - 120.0).abs() < 1e-9,
        "taken as the likely one until somebody answers"
    );
    let rule = Rule {
        channel: Channel::new("manifold_pressure").unwrap(),
        column: "MAP (bar)".into(),
        unit: Some(Unit::KpaAbs),
    };
    assert!(
        read_log(text.as_bytes(), "p1.csv", &Mapping { rules: vec![rule], ..Mapping::default() })
            .unwrap()
            .questions
            .is_empty()
    );
    let right = text.replace("(bar)", "(kPa abs)");
    assert!(read_log(right.as_bytes(), "p1.csv", &Mapping::default()).unwrap().questions.is_empty());
}

#[test]
fn gauge_pressure_stands_on_the_barometer_that_was_logged_or_says_what_was_assumed() {
    let file = |header: &str, barometer: &str| {
        let mut text = format!("Time (s),Boost (kPa gauge){header}\n");
        for i in 0..60 {
            writeln!(text, "{},{}{barometer}", f64::from(i) * 0.05, 80.0 + 0.1 * f64::from(i % 7)).unwrap();
        }
        text
    };
    let at = |text: &str, cell: Option<f64>| {
        let log = read_log(text.as_bytes(), "e.csv", &Mapping { ambient_kpa: cell, ..Mapping::default() })
            .unwrap()
            .log;
        let said = log
            .flags
            .iter()
            .any(|f| matches!(f, Finding::BarometerAssumed { kpa, .. } if (kpa - 101.325).abs() < 1e-9));
        (log.column("manifold_pressure").unwrap()[0], said)
    };
    let (logged, said) = at(&file(",Barometer (kPa)", ",95.0"), Some(100.0));
    assert!((logged - 175.0).abs() < 1e-9 && !said, "the logged one before the cell's: {logged}");
    let (cell, said) = at(&file("", ""), Some(98.0));
    assert!((cell - 178.0).abs() < 1e-9 && !said, "{cell}");
    let (standard, said) = at(&file("", ""), None);
    assert!((standard - 181.325).abs() < 1e-9 && said, "{standard}: standard air is said");
}

#[test]
fn a_speed_that_is_none_is_refused_and_a_stray_reading_is_left_out_and_said() {
    let file = |scale: f64, stray: bool| {
        let mut text = String::from("Time (s),Engine speed (rpm)\n");
        for i in 0..400 {
            let v = if stray && i == 77 { 1e15 } else { scale * (2000.0 + 10.0 * f64::from(i)) };
            writeln!(text, "{},{v}", f64::from(i) * 0.02).unwrap();
        }
        text
    };
    let e = read_log(file(1e12, false).as_bytes(), "e.csv", &Mapping::default()).unwrap_err().to_string();
    assert!(e.starts_with("e.csv:2:2: “Engine speed") && e.contains("cannot be"), "{e}");
    let log = read(file(1.0, true).as_bytes());
    assert!(log.column("engine_speed").unwrap()[77].is_nan());
    assert!(matches!(log.flags[..], [Finding::Impossible { n: 1, first_line: 79, .. }]), "{:?}", log.flags);
    let days: String = (0..50)
        .fold(String::from("Time (s),RPM\n"), |s, i| s + &format!("{},{}\n", f64::from(i) * 1e6, 2000 + i));
    assert!(
        read_log(days.as_bytes(), "e.csv", &Mapping::default()).unwrap_err().to_string().contains("days")
    );
}
