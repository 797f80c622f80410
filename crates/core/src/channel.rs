//! Canonical channels: the names and units every log is brought to.

use serde::{Deserialize, Serialize};
use std::borrow::Borrow;
use std::fmt;
use std::str::FromStr;
use thiserror::Error;

/// Canonical name of a channel, such as `engine_speed` or `lambda_1`.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Channel(String);

/// As its name: it is looked up by it, and comes in the same order.
impl Borrow<str> for Channel {
    fn borrow(&self) -> &str {
        &self.0
    }
}

/// A name that cannot be a channel.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("“{name}” is not a channel name: use lower-case letters, digits and underscores, such as lambda_1")]
pub struct BadChannel {
    /// The name given.
    pub name: String,
}

/// What a channel does when nothing is wrong with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Rest {
    /// It may stand still: targets, switches, plates, retard, slow temperatures.
    Natural,
    /// Something holds it: flat at its target is right, flat with a closed throttle and an open one is not.
    Regulated,
    /// It goes with the engine and cannot stand still while the engine sweeps.
    Driven,
}

/// Facts about one kind of channel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Kind {
    /// Name without its sensor number.
    pub name: &'static str,
    /// Words shown to a person.
    pub label: &'static str,
    /// Canonical unit.
    pub unit: &'static str,
    /// Plausible range in that unit: outside it the unit is doubted.
    pub plausible: (f64, f64),
    /// True when several sensors are numbered `_1`, `_2`, …
    pub numbered: bool,
    /// Longest time, s, that a live sensor stays at one exact value while the engine is swept; `None`: not
    /// judged.
    pub frozen_after_s: Option<f64>,
    /// True when a run of the extreme value means the sensor's end of range.
    pub saturates: bool,
    /// Whether it may stand still.
    pub rest: Rest,
}

impl Kind {
    /// What a reading can be at all: beyond it no sensor reads, so a unit or a recording has gone wrong. Wide
    /// enough for what sensors say in free air, on a broken wire or at rest (our choice).
    pub fn possible(&self) -> (f64, f64) {
        let (low, high) = self.plausible;
        let room = high - low;
        (low - 4.0 * room, high + 4.0 * room)
    }

    /// What a limit can be set to; a number beyond it is in another unit. Charge pressures of compound
    /// engines reach twice the usual (our choice).
    pub fn limitable(&self) -> (f64, f64) {
        let (low, high) = self.plausible;
        let room = high - low;
        (low - 0.25 * room, if self.unit == "kPa" { 2.0 * high } else { high + 0.25 * room })
    }
}

const fn kind(name: &'static str, label: &'static str, unit: &'static str, low: f64, high: f64) -> Kind {
    Kind {
        name,
        label,
        unit,
        plausible: (low, high),
        numbered: false,
        frozen_after_s: None,
        saturates: false,
        rest: Rest::Natural,
    }
}
/// A sensor that something regulates.
const fn held(mut k: Kind, numbered: bool, frozen_after_s: f64) -> Kind {
    k.numbered = numbered;
    k.frozen_after_s = Some(frozen_after_s);
    k.saturates = true;
    k.rest = Rest::Regulated;
    k
}
/// A sensor that goes with the engine.
const fn driven(mut k: Kind, numbered: bool, frozen_after_s: f64) -> Kind {
    k = held(k, numbered, frozen_after_s);
    k.rest = Rest::Driven;
    k
}
/// A speed, flow or share that goes with the engine and has no end of its own.
const fn endless(mut k: Kind) -> Kind {
    k.rest = Rest::Driven;
    k
}
const fn many(mut k: Kind) -> Kind {
    k.numbered = true;
    k
}

/// Every kind the analysis knows. Plausible ranges and freezing times are our choice: wide enough for any
/// engine we meet.
pub const KINDS: &[Kind] = &[
    kind("time", "time", "s", -1e12, 1e12),
    endless(kind("engine_speed", "engine speed", "rpm", 0.0, 25_000.0)),
    endless(kind("roller_speed", "dyno shaft speed", "rpm", 0.0, 25_000.0)),
    endless(kind("road_speed", "road speed", "km/h", 0.0, 500.0)),
    kind("hub_torque", "hub torque", "N·m", -2_000.0, 20_000.0),
    kind("brake_torque", "brake torque", "N·m", -2_000.0, 20_000.0),
    endless(kind("power", "power", "kW", -500.0, 5_000.0)),
    kind("throttle", "throttle", "%", -5.0, 110.0),
    kind("pedal", "pedal", "%", -5.0, 110.0),
    held(kind("manifold_pressure", "manifold pressure", "kPa", 5.0, 600.0), false, 2.0),
    kind("ambient_pressure", "ambient pressure", "kPa", 50.0, 110.0),
    kind("boost_target", "boost target", "kPa", 5.0, 600.0),
    kind("wastegate_duty", "wastegate duty", "%", -1.0, 101.0),
    kind("lambda_target", "λ target", "λ", 0.4, 3.0),
    held(kind("lambda", "λ", "λ", 0.4, 3.0), true, 1.0),
    kind("spark_advance", "spark advance", "°", -40.0, 70.0),
    many(kind("knock_retard", "knock retard", "°", -25.0, 25.0)),
    held(kind("knock_level", "knock level", "", 0.0, 1e6), false, 1.0),
    driven(kind("intake_depression", "intake depression", "kPa", -1.0, 40.0), false, 3.0),
    kind("intake_temp", "intake temperature", "°C", -40.0, 200.0),
    kind("ambient_temp", "ambient temperature", "°C", -40.0, 60.0),
    many(kind("head_temp", "head temperature", "°C", -40.0, 400.0)),
    kind("coolant_temp", "coolant temperature", "°C", -40.0, 150.0),
    kind("oil_temp", "oil temperature", "°C", -40.0, 180.0),
    driven(kind("exhaust_temp", "exhaust temperature", "°C", -40.0, 1_300.0), true, 3.0),
    held(kind("oil_pressure", "oil pressure", "kPa", 0.0, 1_500.0), false, 3.0),
    held(kind("fuel_pressure", "fuel pressure", "kPa", 0.0, 2_000.0), false, 3.0),
    driven(kind("back_pressure", "back pressure", "kPa", 20.0, 900.0), false, 2.0),
    driven(kind("interstage_pressure", "pressure between the compressors", "kPa", 50.0, 700.0), false, 2.0),
    driven(
        kind("interstage_drive_pressure", "pressure between the turbines", "kPa", 50.0, 900.0),
        false,
        2.0,
    ),
    driven(kind("filter_pressure", "pressure across the particulate filter", "kPa", -5.0, 80.0), false, 3.0),
    kind("soot_load", "soot in the particulate filter", "g", 0.0, 300.0),
    kind("smoke_opacity", "smoke opacity", "%", -1.0, 101.0),
    kind("injector_pulse_width", "injector pulse width", "ms", 0.0, 60.0),
    endless(kind("injector_duty", "injector duty", "%", 0.0, 200.0)),
    driven(kind("fuel_flow", "fuel flow", "g/s", 0.0, 500.0), false, 0.5),
    driven(kind("air_flow", "air flow", "g/s", 0.0, 3_000.0), false, 0.5),
    driven(kind("turbo_speed", "turbo speed", "rpm", 0.0, 400_000.0), false, 0.5),
    driven(kind("low_stage_speed", "speed of the low-pressure turbo", "rpm", 0.0, 400_000.0), false, 0.5),
    driven(kind("blower_speed", "blower speed", "rpm", 0.0, 150_000.0), false, 0.5),
    kind("ethanol_content", "ethanol content", "%", 0.0, 100.0),
    held(kind("rail_pressure", "rail pressure", "MPa", 0.0, 350.0), false, 2.0),
    kind("rail_target", "rail pressure target", "MPa", 0.0, 350.0),
    kind("injection_start", "injection start", "°", -60.0, 90.0),
    kind("injection_duration", "injection duration", "µs", 0.0, 10_000.0),
    kind("vane_position", "vane position", "%", -5.0, 105.0),
    kind("gear", "gear", "", -1.0, 20.0),
    kind("fuel_cut", "fuel cut", "", 0.0, 1.0),
    kind("spark_cut", "spark cut", "", 0.0, 1.0),
];

/// Units that a name of no kind may end in: what a person computes says so what it is in.
const ENDINGS: &[(&str, &str)] = &[
    ("_kpa", "kPa"),
    ("_mpa", "MPa"),
    ("_percent", "%"),
    ("_deg", "°"),
    ("_degc", "°C"),
    ("_k", "K"),
    ("_rpm", "rpm"),
    ("_g_s", "g/s"),
    ("_ms", "ms"),
    ("_us", "µs"),
    ("_nm", "N·m"),
    ("_kw", "kW"),
    ("_km_h", "km/h"),
    ("_lambda", "λ"),
];

impl Channel {
    /// The name of a channel computed by a person, from what they call it and its unit: "drive over boost" in kPa is
    /// `drive_over_boost_kpa`.
    ///
    /// # Errors
    /// [`BadChannel`] when nothing is left of the words.
    pub fn named(words: &str, unit: &str) -> Result<Self, BadChannel> {
        let mut name = String::new();
        for c in words.trim().to_lowercase().chars() {
            match c {
                'a'..='z' | '0'..='9' => name.push(c),
                'λ' => name.push_str("lambda"),
                _ if name.ends_with('_') || name.is_empty() => {}
                _ => name.push('_'),
            }
        }
        let name = name.trim_end_matches('_');
        let ending = ENDINGS.iter().find(|e| e.1 == unit.trim()).map_or("", |e| e.0);
        let full = if name.ends_with(ending) { name.to_owned() } else { format!("{name}{ending}") };
        Self::new(full).map_err(|_| BadChannel { name: words.to_owned() })
    }

    /// The unit a name of no kind ends in, and where.
    fn ending(&self) -> Option<&'static (&'static str, &'static str)> {
        ENDINGS.iter().find(|e| self.0.len() > e.0.len() && self.0.ends_with(e.0))
    }

    /// Wraps a canonical name.
    ///
    /// # Errors
    /// [`BadChannel`] when it is not lower-case letters, digits and underscores starting with a letter.
    pub fn new(name: impl Into<String>) -> Result<Self, BadChannel> {
        let name = name.into();
        let ok = name.len() <= 64
            && name.starts_with(|c: char| c.is_ascii_lowercase())
            && name.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '_');
        if ok { Ok(Self(name)) } else { Err(BadChannel { name }) }
    }

    /// A known name, written in code.
    pub(crate) fn known(name: &'static str) -> Self {
        Self(name.to_owned())
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The kind this channel is of, sensor number aside.
    pub fn kind(&self) -> Option<&'static Kind> {
        let stem = match self.0.rsplit_once('_') {
            Some((stem, digits)) if !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit()) => stem,
            _ => &self.0,
        };
        KINDS
            .iter()
            .find(|k| k.name == self.0)
            .or_else(|| KINDS.iter().find(|k| k.name == stem && k.numbered))
    }

    /// Canonical unit; of a name of no kind the one it ends in, else empty.
    pub fn unit(&self) -> &'static str {
        self.kind().map_or_else(|| self.ending().map_or("", |e| e.1), |k| k.unit)
    }

    /// Words for a person: "λ 1", "exhaust temperature 2".
    pub fn label(&self) -> String {
        match (self.kind(), self.0.rsplit_once('_')) {
            (Some(k), Some((_, n))) if k.numbered => format!("{} {n}", k.label),
            (Some(k), _) => k.label.to_owned(),
            (None, _) => {
                let words = self.ending().map_or(self.0.as_str(), |e| &self.0[..self.0.len() - e.0.len()]);
                words.replace('_', " ")
            }
        }
    }
}

impl fmt::Display for Channel {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl FromStr for Channel {
    type Err = BadChannel;
    fn from_str(s: &str) -> Result<Self, BadChannel> {
        Self::new(s)
    }
}

impl TryFrom<String> for Channel {
    type Error = BadChannel;
    fn try_from(s: String) -> Result<Self, BadChannel> {
        Self::new(s)
    }
}

impl From<Channel> for String {
    fn from(c: Channel) -> Self {
        c.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sensor_numbers_share_a_kind() {
        let c = Channel::new("exhaust_temp_3").unwrap();
        assert_eq!(c.unit(), "°C");
        assert_eq!(c.label(), "exhaust temperature 3");
        assert_eq!(Channel::new("lambda_target").unwrap().kind().unwrap().name, "lambda_target");
        assert!(Channel::new("engine_speed_2").unwrap().kind().is_none());
    }

    #[test]
    fn a_name_of_no_kind_says_its_unit_at_its_end() {
        let c = Channel::named("Drive − boost", "kPa").unwrap();
        assert_eq!((c.as_str(), c.unit(), c.label().as_str()), ("drive_boost_kpa", "kPa", "drive boost"));
        let ratio = Channel::named("Back pressure : boost", "").unwrap();
        assert_eq!((ratio.as_str(), ratio.unit()), ("back_pressure_boost", ""));
        assert_eq!(Channel::named("spread λ", "λ").unwrap().label(), "spread");
        assert!(Channel::named(" − ", "kPa").is_err());
        assert_eq!(Channel::new("oil_deg").unwrap().unit(), "°");
        assert_eq!(Channel::new("lambda_1").unwrap().label(), "λ 1", "known kinds keep their words");
    }

    #[test]
    fn names_are_checked() {
        for bad in ["", "Lambda", "1x", "a b", "λ"] {
            assert!(Channel::new(bad).is_err(), "{bad}");
        }
    }
}
