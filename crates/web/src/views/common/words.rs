//! Small wordings shared by pages.

use jamjar_core::pull::dyno::DynoKind;
use jamjar_core::quoted::{QuotedAt, against_quoted};
use jamjar_core::units::typed;
use jamjar_core::words::quoted_sentence;
use jamjar_store::VehicleRecord;
use serde::Serialize;
use std::collections::BTreeMap;

/// An engine speed as people type it, rpm.
pub(crate) fn engine_speed(s: &str) -> Option<f64> {
    typed(s).filter(|v| (100.0..=30_000.0).contains(v))
}

/// Two engine speeds as people type them, the lower first: "3000-6500".
pub(crate) fn stretch(s: &str) -> Option<[f64; 2]> {
    let (a, b) = s.split_once(['-', '–'])?;
    Some([engine_speed(a)?, engine_speed(b)?]).filter(|s| s[1] > s[0])
}

/// With its sign, and none where it rounds to nothing.
pub(crate) fn signed(v: f64) -> String {
    if v.abs() < 0.05 { "0.0".into() } else { format!("{v:+.1}") }
}

/// Names with their values as people type them: "switch = 2; cover = off".
pub(crate) fn assignments(of: &BTreeMap<String, String>) -> String {
    of.iter().map(|(name, value)| format!("{name} = {value}")).collect::<Vec<_>>().join("; ")
}

/// "3 pulls", "1 pull".
pub(crate) fn count(n: usize, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}

/// The word a value is stored as; blank when it is more than a word.
pub(crate) fn id_of(v: &impl Serialize) -> String {
    serde_json::to_value(v).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

/// A measured baseline against what its engine is quoted at; blank where one of the two is not known.
pub(crate) fn against_quoted_words(measured_kw: Option<f64>, v: &VehicleRecord) -> String {
    let kind = v.vehicle.dyno.kind;
    let at = QuotedAt::read(&v.sheet.quoted_at, kind);
    let against = measured_kw.zip(v.sheet.quoted_power_kw);
    let against = against.and_then(|(m, q)| against_quoted(m, (q, at), kind));
    against.map_or_else(String::new, |a| quoted_sentence(&a, kind.place()))
}

/// Kinds of dyno: ids and words.
pub(crate) fn dyno_kinds() -> Vec<(String, String)> {
    let words = |k: DynoKind| match k {
        DynoKind::Hub => "hub, torque channel",
        DynoKind::RollerBrake => "roller with brake, torque channel",
        DynoKind::RollerInertia => "inertia drum",
        DynoKind::Engine => "engine brake",
        DynoKind::Pto => "power take-off brake",
    };
    [DynoKind::Hub, DynoKind::RollerBrake, DynoKind::RollerInertia, DynoKind::Engine, DynoKind::Pto]
        .into_iter()
        .map(|k| (id_of(&k), words(k).to_owned()))
        .collect()
}

/// A number with the digits that tell something.
pub(crate) fn number_words(v: f64) -> String {
    let digits = if v.abs() >= 1000.0 {
        0
    } else if v.abs() >= 10.0 {
        1
    } else {
        3
    };
    let text = format!("{v:.digits$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn counts_read_like_words() {
        assert_eq!((count(1, "pull"), count(3, "pull")), ("1 pull".into(), "3 pulls".into()));
    }
}
