//! What is looked at before the first pull of a day: the vehicle's health, the cell, the running state.

mod own;

pub use own::{Change, Changed, For, On, OwnCheck, OwnChecks, takes};

use jamjar_core::health::{Read, Takes, Unread};
use jamjar_store::Checklist;
use serde::{Deserialize, Serialize};

/// Where lines stand, in the order they are walked.
pub const GROUPS: [&str; 3] = ["Cell", "Vehicle", "Running state"];

/// One thing to look at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Item {
    pub id: String,
    pub group: String,
    pub text: String,
    /// A person can be hurt when it is not right: no pull before it is answered.
    pub guards: bool,
    /// The value it takes beside a tick.
    pub takes: Option<Takes>,
    /// What it does to a comparison when its value is out of its window.
    pub does: String,
}

fn item(id: &str, group: &str, text: &str) -> Item {
    let (id, group, text) = (id.to_owned(), group.to_owned(), text.to_owned());
    Item { id, group, text, guards: false, takes: None, does: String::new() }
}
fn guard(id: &str, text: &str) -> Item {
    Item { guards: true, ..item(id, GROUPS[0], text) }
}

impl Item {
    fn taking(self, takes: Takes, does: &str) -> Self {
        Self { takes: Some(takes), does: does.to_owned(), ..self }
    }

    /// What was written beside its tick.
    pub fn written<'a>(&self, answers: &'a Checklist) -> &'a str {
        answers.get(&value_of(&self.id)).map_or("", String::as_str)
    }

    /// The same, read and judged.
    ///
    /// # Errors
    /// [`Unread`] where it is none.
    pub fn read(&self, answers: &Checklist) -> Result<Option<Read>, Unread> {
        self.takes.as_ref().map_or(Ok(None), |t| t.read(self.written(answers)))
    }
}

/// Under which key a line's value stands among the answers.
pub fn value_of(id: &str) -> String {
    format!("{id}.value")
}

/// Under which key stands who said go, and when.
pub const SIGNED: &str = "signed";

/// All of them, in the order they are walked. Windows are places to begin (our choice): the maker's data comes first.
pub fn usual() -> Vec<Item> {
    vec![
    guard("straps", "Straps or hubs tight, wheels chocked, nobody in line with rollers or shafts"),
    guard("guards", "Guards on, rotating parts covered, loose clothing and hair away"),
    guard("air", "Exhaust extraction running, fresh air coming in, CO alarm on and tested"),
    guard("fire", "Extinguisher at hand, fuel shut-off known, no fuel or rags near hot parts"),
    guard("hearing", "Hearing protection on"),
    guard("abort", "Abort words and limits agreed: who lifts, and at what").taking(Takes::Words, ""),
    item("zero", "Cell", "Torque zero taken, calibration date seen, fan and duct in place").taking(
        Takes::Number { unit: "N·m".into(), window: [-2.0, 2.0] },
        "every torque of the day is off by it: take the zero again",
    ),
    item("codes", "Vehicle", "No fault codes, no warning lamp").taking(
        Takes::Codes,
        "a fault may cut spark, boost or fuel in any pull: read what it is first; a baseline with it is none",
    ),
    item("fluids", "Vehicle", "Oil, coolant and fuel level, no leaks"),
    item("leak", "Vehicle", "Boost or intake leak test, belts, hoses").taking(
        Takes::Held { share: 0.10 },
        "boost that leaks differs from pull to pull: mend it, then pull a fresh baseline",
    ),
    item("compression", "Vehicle", "Compression or leak-down, cylinder by cylinder, where it was taken").taking(
        Takes::Each { unit: "bar".into(), spread: 0.10 },
        "a weak cylinder gives less on every map and may knock or run lean alone: find it before any boost",
    ),
    item("trims", "Vehicle", "Fuel trims at idle and cruise").taking(
        Takes::All { unit: "%".into(), window: [-10.0, 10.0] },
        "the mixture is being corrected by much: find air that is not measured, or a wrong injector, first",
    ),
    item("tyres", "Vehicle", "Tyre pressure and date, chain or shafts").taking(
        Takes::Each { unit: "kPa".into(), spread: 0.08 },
        "a soft tyre takes power by grip and heat: set them, and let them cool, before a baseline",
    ),
    item("plugs", "Vehicle", "Plugs or injectors known, their gap")
        .taking(Takes::All { unit: "mm".into(), window: [0.4, 1.2] }, "a gap too wide may misfire under boost"),
    item("filter", "Vehicle", "Particulate filter: soot load, last regeneration").taking(
        Takes::Number { unit: "%".into(), window: [0.0, 80.0] },
        "a regeneration may start in any pull, and a baseline before it is confounded with it: burn it free, write that \
         down as a change, pull a fresh baseline",
    ),
    item("wideband", "Vehicle", "λ sensor checked in free air, age known").taking(
        Takes::Number { unit: "% O₂".into(), window: [20.4, 21.4] },
        "every mixture of the day is doubtful: no limit on it can be called clear",
    ),
    item("software", "Vehicle", "Software versions noted; an official update would overwrite the map")
        .taking(Takes::Words, ""),
    item("load", "Running state", "Lamps, fan and climate control as in every pull"),
    item(
        "modes",
        "Running state",
        "Stability and traction control, gearbox mode and lock-up as in every pull",
    ),
    item("warm", "Running state", "Oil, coolant and intake inside the window before the first pull").taking(
        Takes::Number { unit: "°C oil".into(), window: [70.0, 120.0] },
        "a cold or a hot engine gives another figure: warm up or wait before the baseline",
    ),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_are_unique_and_what_can_hurt_comes_first() {
        let all = usual();
        let mut ids: Vec<&str> = all.iter().map(|i| i.id.as_str()).collect();
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), all.len());
        let last_guard = all.iter().rposition(|i| i.guards).unwrap();
        assert!(all[..=last_guard].iter().all(|i| i.guards));
        assert!(all.iter().all(|i| GROUPS.contains(&i.group.as_str())));
    }
}
