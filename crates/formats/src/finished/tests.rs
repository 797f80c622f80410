//! Tables as cells hand them over.

use super::*;
use crate::csv::read_cells;
use crate::error::FormatError;
use jamjar_core::units::Unit;

fn table(text: &str) -> Result<FinishedTable, FormatError> {
    with(text, &FinishedColumns::default())
}

fn with(text: &str, said: &FinishedColumns) -> Result<FinishedTable, FormatError> {
    read_finished(&read_cells(text.as_bytes(), "t.csv")?, "t.csv", said)
}

#[test]
fn one_run_with_units_in_the_header_or_below_it() {
    for text in [
        "RPM,Power (kW),Torque (Nm)\n2000,30,143.24\n2500,42,160.43\n",
        "exported yesterday\n\nEngine speed;Power;Torque\nrpm;kW;Nm\n2000;30,0;143,24\n2500;42,0;160,43\n",
        "Drehzahl [1/min]\tLeistung [kW]\tDrehmoment [Nm]\r\n2000\t30\t143.24\r\n2500\t42\t160.43\r\n",
        "Régime,Couple (N·m),Puissance (kW)\n2500,160.43,42\n2000,143.24,30\n",
    ] {
        let t = table(text).unwrap();
        assert_eq!(t.runs.len(), 1, "{text}");
        let r = &t.runs[0];
        assert_eq!(
            (r.rpm.as_slice(), r.power_kw.as_slice()),
            (&[2000.0, 2500.0][..], &[30.0, 42.0][..]),
            "{text}"
        );
        assert_eq!(r.torque_nm, [143.24, 160.43], "{text}");
        assert!(r.guessed.is_empty(), "{text}");
    }
}

#[test]
fn several_runs_below_each_other_or_side_by_side_of_unequal_length() {
    let below = "Run 1\nrpm,power kW\n2000,30\n2500,42\n\nRun 2\nrpm,power kW\n2000,31\n2500,43\n3000,50\n";
    let beside = "RPM,Power run 1 (kW),Power run 2 (kW)\n2000,30,31\n2500,42,43\n3000,,50\n";
    let pairs = "rpm,kW,rpm,kW\n2000,30,2000,31\n2500,42,2500,43\n,,3000,50\n";
    for text in [below, beside, pairs] {
        let t = table(text).unwrap();
        let (first, second) = (t.run("t.csv", Some("1")).unwrap(), t.run("t.csv", Some("run 2")).unwrap());
        assert_eq!((first.rpm.len(), second.power_kw.as_slice()), (2, &[31.0, 43.0, 50.0][..]), "{text}");
        let gone = t.run("t.csv", Some("3")).unwrap_err().to_string();
        assert!(gone.contains("no run “3”") && gone.contains("1") && gone.contains("2"), "{gone}");
        assert!(t.run("t.csv", None).unwrap_err().to_string().contains("say which"));
    }
    let named = table("rpm,Power run Stock (hp),Power run C3 (hp)\n3000,100,110\n3500,120,133\n").unwrap();
    assert!((named.run("t.csv", Some("c3")).unwrap().power_kw[0] - 82.027).abs() < 1e-3);
}

#[test]
fn a_unit_nobody_said_is_taken_from_the_other_quantity_or_said_to_be_a_guess() {
    // 100 hp at 5252.1 rpm are 100 lb·ft.
    let t = table("rpm,Power,Torque\n4000,76.16,100\n5252.113,100,100\n").unwrap();
    let r = &t.runs[0];
    assert!((r.power_kw[1] - 74.57).abs() < 0.01 && (r.torque_nm[1] - 135.58).abs() < 0.01, "{r:?}");
    assert!(r.guessed.is_empty(), "two quantities settle it");
    let r = &table("rpm,Torque\n4000,100\n5000,101\n").unwrap().runs[0];
    assert_eq!(r.guessed, [("torque", Unit::NewtonMetre)]);
    let said = FinishedColumns {
        torque: Some(ColumnSaid { column: "Torque".into(), unit: Some(Unit::PoundFoot) }),
        ..FinishedColumns::default()
    };
    let r = &with("rpm,Torque\n4000,100\n5000,101\n", &said).unwrap().runs[0];
    assert!(r.guessed.is_empty() && (r.torque_nm[0] - 135.58).abs() < 0.01);
}

#[test]
fn road_speed_alone_is_an_axis() {
    let r = &table("Speed (mph),Power (hp)\n60,100\n70,120\n").unwrap().runs[0];
    assert!(r.rpm.is_empty() && (r.road_kmh[0] - 96.56).abs() < 0.01);
}

#[test]
fn what_is_wrong_is_said_with_its_place() {
    for (text, at, says) in [
        ("rpm,power (kW)\n2000,30\n2500,abc\n3000,50\n", "t.csv:3:2", "“abc” is not a number"),
        ("speed of light,mood\n1,2\n2,3\n", "t.csv:1:1", "no engine speed and no road speed"),
        ("rpm,boost\n1000,2\n2000,3\n", "t.csv:1:1", "neither power nor torque"),
        ("rpm,power (kW)\n2000,30\n2000,31\n", "t.csv:3:1", "stands twice"),
        (
            "Run 1\nrpm,kW\n1000,2\n2000,3\nRun 1\nrpm,kW\n1000,2\n2000,3\n",
            "t.csv",
            "“Run 1” stands here twice",
        ),
        ("", "t.csv", "empty"),
    ] {
        let e = table(text).unwrap_err().to_string();
        assert!(e.starts_with(at) && e.contains(says), "{text} → {e}");
    }
    let said = FinishedColumns {
        power: Some(ColumnSaid { column: "P".into(), unit: None }),
        ..FinishedColumns::default()
    };
    let e = with("rpm,power (kW),torque (Nm)\n2000,30,143\n2500,40,150\n", &said).unwrap_err().to_string();
    assert!(e.contains("no column “P”"), "{e}");
}

#[test]
fn power_in_a_column_called_torque_of_a_table_is_asked_and_the_answer_makes_it_power() {
    let rows = |of: &dyn Fn(f64) -> f64| {
        (0..18).map(|i| f64::from(2000 + 250 * i)).map(|n| format!("{n},{:.1}\n", of(n))).collect::<String>()
    };
    let torque = |n: f64| 210.0 - ((n - 4000.0) / 300.0).powi(2);
    let text = format!("rpm,Torque\n{}", rows(&|n| torque(n) * n / 9549.3));
    let t = table(&text).unwrap();
    assert_eq!(t.questions.len(), 1, "{:?}", t.questions);
    assert_eq!((t.questions[0].column.as_str(), t.questions[0].options[0]), ("Torque", Unit::NewtonMetre));
    let told = |unit| FinishedColumns {
        torque: Some(ColumnSaid { column: "Torque".into(), unit: Some(unit) }),
        ..FinishedColumns::default()
    };
    let power = with(&text, &told(Unit::KiloWatt)).unwrap();
    assert!(power.questions.is_empty() && power.runs[0].torque_nm.is_empty());
    assert!((power.runs[0].power_kw[8] - torque(4000.0) * 4000.0 / 9549.3).abs() < 0.06);
    let vouched = with(&text, &told(Unit::NewtonMetre)).unwrap();
    assert!(vouched.questions.is_empty() && vouched.runs[0].power_kw.is_empty());
    let plain = table(&format!("rpm,Torque (Nm)\n{}", rows(&torque))).unwrap();
    assert!(plain.questions.is_empty());
    let both = rows(&|n| torque(n) * n / 9549.3).replace('\n', ",50\n");
    assert!(table(&format!("rpm,Torque,Power\n{both}")).unwrap().questions.is_empty(), "power tells");
}
