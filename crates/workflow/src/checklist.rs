//! What is looked at before the first pull of a day: the vehicle's health, the cell, the running state.

/// One thing to look at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Item {
    pub id: &'static str,
    pub group: &'static str,
    pub text: &'static str,
    /// A person can be hurt when it is not right: no pull before it is answered.
    pub guards: bool,
}

const fn item(id: &'static str, group: &'static str, text: &'static str) -> Item {
    Item { id, group, text, guards: false }
}
const fn guard(id: &'static str, text: &'static str) -> Item {
    Item { id, group: "Cell", text, guards: true }
}

/// All of them, in the order they are walked.
pub const ITEMS: &[Item] = &[
    guard("straps", "Straps or hubs tight, wheels chocked, nobody in line with rollers or shafts"),
    guard("guards", "Guards on, rotating parts covered, loose clothing and hair away"),
    guard("air", "Exhaust extraction running, fresh air coming in, CO alarm on and tested"),
    guard("fire", "Extinguisher at hand, fuel shut-off known, no fuel or rags near hot parts"),
    guard("hearing", "Hearing protection on"),
    guard("abort", "Abort words and limits agreed: who lifts, and at what"),
    item("zero", "Cell", "Torque zero taken, calibration date seen, fan and duct in place"),
    item("codes", "Vehicle", "No fault codes, no warning lamp"),
    item("fluids", "Vehicle", "Oil, coolant and fuel level, no leaks"),
    item("leak", "Vehicle", "Boost or intake leak test, belts, hoses"),
    item("tyres", "Vehicle", "Tyre pressure and date, chain or shafts"),
    item("plugs", "Vehicle", "Plugs or injectors known; compression where it was taken"),
    item("wideband", "Vehicle", "λ sensor checked in free air, age known"),
    item("software", "Vehicle", "Software versions noted; an official update would overwrite the map"),
    item("load", "Running state", "Lamps, fan and climate control as in every pull"),
    item(
        "modes",
        "Running state",
        "Stability and traction control, gearbox mode and lock-up as in every pull",
    ),
    item("warm", "Running state", "Oil, coolant and intake inside the window before the first pull"),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_are_unique_and_what_can_hurt_comes_first() {
        let mut ids: Vec<&str> = ITEMS.iter().map(|i| i.id).collect();
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), ITEMS.len());
        let last_guard = ITEMS.iter().rposition(|i| i.guards).unwrap();
        assert!(ITEMS[..=last_guard].iter().all(|i| i.guards));
    }
}
