//! What is packed comes back, in the form of today and in the one before it.
#![allow(clippy::unwrap_used)]

mod pull;

use jamjar_packed::{decode_block, encode_block, pack, unpack};

/// A measurement as text: what is not a number equals itself there.
fn text(m: &jamjar_core::analysis::Measured) -> String {
    serde_json::to_string(m).unwrap()
}

#[test]
fn a_measurement_comes_back_to_the_last_bit() {
    let m = pull::measured();
    assert!(
        m.limits.len() == 2 && m.channels.len() > 4 && m.grid.rpm.len() > 50,
        "a whole one: {}",
        text(&m)
    );
    let back = unpack(&pack(&m).unwrap()).unwrap();
    assert_eq!(text(&back), text(&m));
    let bits = |v: &[f64]| v.iter().map(|x| x.to_bits()).collect::<Vec<_>>();
    assert_eq!(bits(&back.grid.power_kw), bits(&m.grid.power_kw));
}

#[test]
fn one_that_was_kept_as_text_is_read_and_the_new_form_takes_no_more_room() {
    let m = pull::measured();
    let before = zstd::encode_all(text(&m).as_bytes(), 3).unwrap();
    assert_eq!(text(&unpack(&before).unwrap()), text(&m));
    assert!(pack(&m).unwrap().len() <= before.len() * 11 / 10);
}

#[test]
fn damage_is_an_error_and_never_another_measurement() {
    let good = pack(&pull::measured()).unwrap();
    assert!(unpack(&good[1..]).is_err() && unpack(&good[..good.len() / 2]).is_err() && unpack(b"").is_err());
    for plain in [&b"{"[..], b"{\"id\": 3}", b"\x80", b"\x93\x01\x02\x03", b""] {
        assert!(unpack(&zstd::encode_all(plain, 3).unwrap()).is_err(), "{plain:?}");
    }
}

#[test]
fn samples_come_back_as_they_were_logged() {
    let (dyno, ecu) = pull::recordings();
    let (d, e) = decode_block(&encode_block(&dyno, Some(&ecu))).unwrap();
    assert_eq!((d, e), (dyno, Some(ecu)));
}
