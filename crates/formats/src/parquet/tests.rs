//! Written and read again. Files of others are read in the tests of interchange.

use super::{ParquetColumn, write_parquet};
use crate::{Mapping, Rule, read_log};
use jamjar_core::channel::Channel;
use proptest::prelude::*;

fn written(columns: &[(&str, &str, &[f64])]) -> Vec<u8> {
    let all: Vec<ParquetColumn<'_>> =
        columns.iter().map(|(name, unit, values)| ParquetColumn { name, unit, values }).collect();
    let mut out = Vec::new();
    write_parquet(&mut out, &all, "a pull").unwrap();
    out
}

#[test]
fn channels_and_units_are_recognised_as_in_text() {
    let t: Vec<f64> = (0..50).map(|i| 0.02 * f64::from(i)).collect();
    let psi: Vec<f64> = t.iter().map(|t| 20.0 + t).collect();
    let lambda: Vec<f64> =
        t.iter().enumerate().map(|(i, t)| if i % 5 == 0 { 0.8 + 0.01 * t } else { f64::NAN }).collect();
    let bytes = written(&[("Time", "s", &t), ("MAP", "psia", &psi), ("WB1 [lambda]", "", &lambda)]);
    let log = read_log(bytes.as_slice(), "p.parquet", &Mapping::default()).unwrap().log;
    assert_eq!(log.t, t);
    let map = log.series("manifold_pressure").unwrap();
    assert!((map.v[0] - 20.0 * 6.894_757).abs() < 1e-3, "{}", map.v[0]);
    assert_eq!(log.series("lambda_1").unwrap().len(), 10, "nulls are blanks");
}

#[test]
fn a_damaged_file_is_refused_in_words() {
    let t: Vec<f64> = (0..50).map(f64::from).collect();
    let whole = written(&[("time", "s", &t), ("engine_speed", "rpm", &t)]);
    for n in [4, 12, whole.len() / 2, whole.len() - 1] {
        let e = read_log(&whole[..n], "p.parquet", &Mapping::default()).unwrap_err().to_string();
        assert!(e.contains("damaged or cut short"), "{n}: {e}");
    }
    let long = ParquetColumn { name: "a", unit: "", values: &t[..3] };
    let other = ParquetColumn { name: "b", unit: "", values: &t };
    assert!(write_parquet(Vec::new(), &[long, other], "").is_err());
    assert!(write_parquet(Vec::new(), &[other, other], "").is_err());
}

proptest! {
    #[test]
    fn no_sample_is_lost_and_none_changes(values in prop::collection::vec(prop::option::of(-1e9..1e9f64), 2..200)) {
        let t: Vec<f64> = (0..values.len()).map(|i| i as f64 * 0.01).collect();
        let v: Vec<f64> = values.iter().map(|v| v.unwrap_or(f64::NAN)).collect();
        let rule = Rule { channel: Channel::new("mine").unwrap(), column: "mine".into(), unit: None };
        let mapping = Mapping { rules: vec![rule], ..Mapping::default() };
        let log = read_log(written(&[("time", "s", &t), ("mine", "", &v)]).as_slice(), "p", &mapping).unwrap().log;
        prop_assert_eq!(&log.t, &t);
        let back: Vec<u64> = log.column("mine").unwrap().iter().map(|v| v.to_bits()).collect();
        prop_assert_eq!(back, v.iter().map(|v| v.to_bits()).collect::<Vec<_>>());
    }
}
