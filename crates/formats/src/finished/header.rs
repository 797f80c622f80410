//! What a cell above a column of a finished table names: a quantity, a unit, a run.

use crate::units::{Said, said};
use jamjar_core::units::Unit;

/// What a column of a finished table holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) enum Holds {
    EngineSpeed,
    RoadSpeed,
    Power,
    Torque,
}

impl Holds {
    /// Units a column of it may have.
    pub(super) fn takes(self, u: Unit) -> bool {
        match self {
            Self::EngineSpeed => matches!(u, Unit::Rpm | Unit::RadPerS),
            Self::RoadSpeed => matches!(u, Unit::KmPerH | Unit::Mph | Unit::MPerS),
            Self::Power => matches!(u, Unit::KiloWatt | Unit::HorsePower | Unit::MetricHorsePower),
            Self::Torque => matches!(u, Unit::NewtonMetre | Unit::PoundFoot),
        }
    }

    /// The word for it.
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::EngineSpeed => "engine_speed",
            Self::RoadSpeed => "road_speed",
            Self::Power => "power",
            Self::Torque => "torque",
        }
    }
}

/// A header cell, read.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Named {
    pub(super) holds: Holds,
    pub(super) unit: Option<Unit>,
    pub(super) run: Option<String>,
}

/// Words that name what a column holds, in five languages, lower case.
const WORDS: [(Holds, &[&str]); 4] = [
    (
        Holds::EngineSpeed,
        &[
            "rpm",
            "engine speed",
            "engine rpm",
            "motor rpm",
            "revs",
            "rev",
            "n",
            "drehzahl",
            "motordrehzahl",
            "régime",
            "regime",
            "régime moteur",
            "regime moteur",
            "tr min",
            "régimen",
            "régimen motor",
            "revoluciones",
            "giri",
            "giri motore",
            "regime motore",
            "speed rpm",
            "crank speed",
            "shaft speed",
        ],
    ),
    (
        Holds::RoadSpeed,
        &[
            "road speed",
            "vehicle speed",
            "wheel speed",
            "speed",
            "km h",
            "kmh",
            "mph",
            "geschwindigkeit",
            "vitesse",
            "velocidad",
            "velocità",
            "velocita",
        ],
    ),
    (
        Holds::Power,
        &[
            "power",
            "wheel power",
            "hub power",
            "engine power",
            "crank power",
            "flywheel power",
            "brake power",
            "kw",
            "hp",
            "bhp",
            "whp",
            "ps",
            "leistung",
            "radleistung",
            "motorleistung",
            "puissance",
            "potencia",
            "potenza",
            "corrected power",
        ],
    ),
    (
        Holds::Torque,
        &[
            "torque",
            "wheel torque",
            "hub torque",
            "engine torque",
            "crank torque",
            "brake torque",
            "nm",
            "lbft",
            "drehmoment",
            "moment",
            "couple",
            "par",
            "par motor",
            "coppia",
            "corrected torque",
        ],
    ),
];

/// Words before the number or name of a run.
const RUN: [&str; 10] = ["run", "pull", "test", "lauf", "messung", "essai", "prueba", "prova", "curve", "no"];

/// A run's name as it is looked for: `Run 2`, `run #2` and `2` are one.
pub(super) fn run_key(text: &str) -> String {
    let clean: String = text
        .to_lowercase()
        .chars()
        .map(|c| if c.is_alphanumeric() || c == '.' || c == '-' { c } else { ' ' })
        .collect();
    let words: Vec<&str> = clean.split_whitespace().collect();
    let rest = match words.first() {
        Some(w) if RUN.contains(w) && words.len() > 1 => &words[1..],
        _ => &words[..],
    };
    rest.join(" ")
}

/// Reads a header cell: `Power run 2 (kW)`, `Torque_2 [Nm]`, `RPM`.
pub(super) fn read(text: &str) -> Option<Named> {
    let mut unit = None;
    let mut bare = text.trim().to_owned();
    if let (Some(open), Some(close)) = (bare.rfind(['[', '(']), bare.rfind([']', ')']))
        && open < close
    {
        unit = unit_of(&bare[open + 1..close]);
        bare.replace_range(open..=close, " ");
    }
    let clean: String =
        bare.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { ' ' }).collect();
    let mut words: Vec<String> = clean.split_whitespace().map(str::to_owned).collect();
    let mut run = None;
    if let Some(i) = words.iter().position(|w| RUN.contains(&w.as_str()) && w != "no") {
        if i + 1 < words.len() {
            run = Some(words[i + 1..].join(" "));
            words.truncate(i);
        } else if i > 0 {
            return None;
        }
    }
    if run.is_none() && words.len() > 1 && words.last().is_some_and(|w| w.bytes().all(|b| b.is_ascii_digit()))
    {
        run = words.pop();
    }
    // What stands behind the name is a unit, or the name is another one.
    let (holds, name) = (1..=words.len()).rev().find_map(|k| {
        let name = words[..k].join(" ");
        let holds = WORDS.iter().find(|(_, names)| names.contains(&name.as_str()))?.0;
        let behind = unit_of(&words[k..].concat()).or_else(|| unit_of(&words[k..].join("/")));
        if k < words.len() {
            unit = unit.or(Some(behind?));
        }
        Some((holds, name))
    })?;
    unit = unit.or_else(|| unit_of(&name)).filter(|u| holds.takes(*u));
    // “Speed” in rpm is an engine's.
    let holds = if holds == Holds::RoadSpeed && unit_says_rpm(text) { Holds::EngineSpeed } else { holds };
    Some(Named { holds, unit, run })
}

fn unit_says_rpm(text: &str) -> bool {
    let t = text.to_lowercase();
    t.contains("rpm") || t.contains("1/min") || t.contains("min-1")
}

/// A unit that means one thing.
pub(super) fn unit_of(text: &str) -> Option<Unit> {
    match text.trim().to_lowercase().as_str() {
        "whp" => return Some(Unit::HorsePower),
        "cv" | "ch" | "pk" => return Some(Unit::MetricHorsePower),
        _ => {}
    }
    match said(text) {
        Some(Said::Unit(u)) => Some(u),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_name_quantity_unit_and_run() {
        for (text, holds, unit, run) in [
            ("RPM", Holds::EngineSpeed, Some(Unit::Rpm), None),
            ("Engine speed [1/min]", Holds::EngineSpeed, Some(Unit::Rpm), None),
            ("Speed (rpm)", Holds::EngineSpeed, None, None),
            ("Power run 2", Holds::Power, None, Some("2")),
            ("Power run 2 (kW)", Holds::Power, Some(Unit::KiloWatt), Some("2")),
            ("Torque_2 [Nm]", Holds::Torque, Some(Unit::NewtonMetre), Some("2")),
            ("Leistung [PS]", Holds::Power, Some(Unit::MetricHorsePower), None),
            ("Drehmoment", Holds::Torque, None, None),
            ("Couple (N·m)", Holds::Torque, Some(Unit::NewtonMetre), None),
            ("hp", Holds::Power, Some(Unit::HorsePower), None),
            ("Power hp", Holds::Power, Some(Unit::HorsePower), None),
            ("Velocità km/h", Holds::RoadSpeed, None, None),
            ("Road speed (mph)", Holds::RoadSpeed, Some(Unit::Mph), None),
        ] {
            let named = read(text).unwrap_or_else(|| panic!("{text}"));
            assert_eq!(named.holds, holds, "{text}");
            if unit.is_some() {
                assert_eq!(named.unit, unit, "{text}");
            }
            assert_eq!(named.run.as_deref(), run, "{text}");
        }
        for text in ["", "Comment", "AFR", "Run 2", "Time (s)", "boost"] {
            assert_eq!(read(text), None, "{text}");
        }
        assert_eq!(
            (run_key("Run #2"), run_key("2"), run_key("Stock map")),
            ("2".into(), "2".into(), "stock map".into())
        );
    }
}
