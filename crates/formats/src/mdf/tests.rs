//! Written and read again, and what must be refused. Files of others are read in the tests of interchange.

use super::{Master, OutChannel, OutGroup, write_mdf};
use crate::{Mapping, read_log};
use proptest::prelude::*;

fn written(groups: &[OutGroup<'_>], pack: bool) -> Vec<u8> {
    let mut out = Vec::new();
    write_mdf(&mut out, groups, ("a pull", 1_772_000_000_000_000_000), pack).unwrap();
    out
}

fn channel<'a>(name: &'a str, unit: &'a str, values: &'a [f64]) -> OutChannel<'a> {
    OutChannel { name, unit, comment: "", values }
}

#[test]
fn groups_of_differing_rates_stand_on_one_time_with_blanks() {
    let fast: Vec<f64> = (0..20).map(|i| f64::from(i) / 100.0).collect();
    let slow: Vec<f64> = (0..4).map(|i| f64::from(5 * i) / 100.0).collect();
    let (rpm, lambda): (Vec<f64>, Vec<f64>) =
        (fast.iter().map(|t| 2000.0 + 100.0 * t).collect(), slow.iter().map(|t| 0.8 + t).collect());
    let groups = [
        OutGroup {
            name: "fast",
            by: Master::Time,
            t: &fast,
            channels: vec![channel("engine_speed", "rpm", &rpm)],
        },
        OutGroup {
            name: "slow",
            by: Master::Time,
            t: &slow,
            channels: vec![channel("lambda_1", "", &lambda)],
        },
    ];
    let log = read_log(written(&groups, true).as_slice(), "p.mf4", &Mapping::default()).unwrap().log;
    assert_eq!(log.t, fast, "every slow time is a fast one");
    assert_eq!(log.series("engine_speed").unwrap().v, rpm);
    let own = log.series("lambda_1").unwrap();
    assert_eq!((own.t, own.v), (slow, lambda));
}

#[test]
fn what_is_cut_short_or_packed_otherwise_is_refused_in_words() {
    let t: Vec<f64> = (0..50).map(f64::from).collect();
    let groups =
        [OutGroup { name: "x", by: Master::Time, t: &t, channels: vec![channel("engine_speed", "rpm", &t)] }];
    let said = |bytes: &[u8]| read_log(bytes, "p.mf4", &Mapping::default()).unwrap_err().to_string();
    let plain = written(&groups, false);
    for n in [70, 200, plain.len() - 9, plain.len() - 1] {
        let e = said(&plain[..n]);
        assert!(e.contains("cut short") || e.contains("damaged"), "{n}: {e}");
    }
    let mut packed = written(&groups, true);
    let dz = packed.windows(4).position(|w| w == b"##DZ").unwrap();
    packed[dz + 26] = 2;
    assert!(said(&packed).contains("packed in a way (kind 2)"), "{}", said(&packed));
    let mut old = plain.clone();
    old[8..12].copy_from_slice(b"3.30");
    assert!(said(&old).contains("version 3.30"));
    let mut open = plain.clone();
    open[..8].copy_from_slice(b"UnFinMF ");
    assert!(said(&open).contains("never finished"));
    let mut round = plain;
    let hd = 64 + 24;
    let dg = u64::from_le_bytes(round[hd..hd + 8].try_into().unwrap()) as usize;
    round[dg + 24..dg + 32].copy_from_slice(&(dg as u64).to_le_bytes());
    assert!(said(&round).contains("damaged"), "a circle of links ends");
}

proptest! {
    #[test]
    fn no_sample_is_lost_and_none_changes(steps in prop::collection::vec(0.001..0.2f64, 2..60), values in prop::collection::vec(prop::option::of(-1e6..1e6f64), 60), pack: bool) {
        let mut t = vec![0.0];
        for s in &steps { t.push(t[t.len() - 1] + s); }
        let v: Vec<f64> = values[..t.len().min(60)].iter().map(|v| v.unwrap_or(f64::NAN)).collect();
        let t = &t[..v.len()];
        let bytes = written(&[OutGroup { name: "x", by: Master::Time, t, channels: vec![channel("engine_speed", "rpm", t), channel("mine", "", &v)] }], pack);
        let rule = crate::Rule { channel: jamjar_core::channel::Channel::new("mine").unwrap(), column: "mine".into(), unit: None };
        let log = read_log(bytes.as_slice(), "p.mf4", &Mapping { rules: vec![rule], ..Mapping::default() }).unwrap().log;
        prop_assert_eq!(&log.t, &t.to_vec());
        let back: Vec<u64> = log.column("mine").unwrap().iter().map(|v| v.to_bits()).collect();
        prop_assert_eq!(back, v.iter().map(|v| v.to_bits()).collect::<Vec<_>>());
    }

    #[test]
    fn bytes_that_are_no_file_are_refused_and_end(mut bytes in prop::collection::vec(any::<u8>(), 64..400), at in 0usize..2000, value: u8) {
        let t: Vec<f64> = (0..20).map(f64::from).collect();
        let mut whole = written(&[OutGroup { name: "x", by: Master::Time, t: &t, channels: vec![channel("engine_speed", "rpm", &t)] }], true);
        let n = whole.len();
        whole[at % n] = value;
        let _ = read_log(whole.as_slice(), "p.mf4", &Mapping::default());
        bytes[..8].copy_from_slice(b"MDF     ");
        prop_assert!(read_log(bytes.as_slice(), "p.mf4", &Mapping::default()).is_err());
    }
}
