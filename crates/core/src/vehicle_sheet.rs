//! The sheet of a vehicle: what it is, how it drives, what its papers promise.

use crate::bounds::{Bound, OutOfRange};
use crate::computed::Computed;
use crate::diesel::flow_sheet::FlowSheet;
use crate::driven::Driven;
use crate::gears::Gears;
use crate::maps::Table;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

const MASS_KG: Bound = Bound::new("mass", "kg", 20.0, 60_000.0);
const RATIO: Bound = Bound::new("gear ratio", "", 0.2, 60.0);
const RADIUS_M: Bound = Bound::new("rolling radius", "m", 0.05, 2.0);
const DRAG_M2: Bound = Bound::new("drag area", "m²", 0.05, 20.0);
const POWER_KW: Bound = Bound::new("quoted power", "kW", 0.5, 3_000.0);
const TORQUE_NM: Bound = Bound::new("quoted torque", "N·m", 1.0, 20_000.0);
/// Most gears.
pub const MOST_GEARS: usize = 24;

/// Everything on it is optional: a shop fills in what it knows.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct VehicleSheet {
    /// What it is, in words.
    pub model: String,
    /// How the shop tells it from others of its kind.
    pub plate: String,
    /// Mass as tested, kg.
    pub mass_kg: Option<f64>,
    /// Driven wheels or shaft.
    pub drive: String,
    /// Gearbox, in words.
    pub gearbox: String,
    /// Final drive.
    pub final_drive: Option<f64>,
    /// Gear ratios, first to highest.
    pub gears: Vec<f64>,
    /// Gear in which the dyno's overall ratio holds, counted from 1.
    pub reference_gear: Option<usize>,
    /// Engine rpm ÷ dyno-shaft rpm of gears as measured once in a pull.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub learned: BTreeMap<String, f64>,
    /// Software version in each unit.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub software: BTreeMap<String, String>,
    /// Tyre, in words.
    pub tyre: String,
    /// Rolling radius, m.
    pub tyre_radius_m: Option<f64>,
    /// Drag area, m².
    pub drag_area_m2: Option<f64>,
    /// Quoted power, kW.
    pub quoted_power_kw: Option<f64>,
    /// Where and by whom it is quoted.
    pub quoted_at: String,
    /// Quoted torque, N·m.
    pub quoted_torque_nm: Option<f64>,
    /// Where it is driven.
    #[serde(alias = "driven_rpm")]
    pub driven: Option<Driven>,
    /// What limits it, in words.
    pub limits_it: String,
    /// Flow sheet of its injectors.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub flow_sheet: Option<FlowSheet>,
    /// Quantity map of its injectors: durations, µs, along a row, pressures, MPa, down the rows, mg a shot.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub quantity_map: Option<Table>,
    /// Names of its cylinders, first to last: front, rear, left, right. Blank where they go by number.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub cylinders: Vec<String>,
    /// Channels the shop computes from those that are measured.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub computed: Vec<Computed>,
}

impl VehicleSheet {
    /// Checks every number that is there.
    ///
    /// # Errors
    /// [`OutOfRange`] with the value and the range.
    pub fn validate(&self) -> Result<(), OutOfRange> {
        let one = |v: Option<f64>, b: Bound| v.map_or(Ok(()), |v| b.check(v).map(|_| ()));
        one(self.mass_kg, MASS_KG)?;
        one(self.final_drive, RATIO)?;
        one(self.tyre_radius_m, RADIUS_M)?;
        one(self.drag_area_m2, DRAG_M2)?;
        one(self.quoted_power_kw, POWER_KW)?;
        one(self.quoted_torque_nm, TORQUE_NM)?;
        self.gears.iter().chain(self.learned.values()).try_for_each(|g| RATIO.check(*g).map(|_| ()))
    }

    /// Its gears by number, when it is said in which of them the dyno's ratio holds.
    pub fn as_gears(&self) -> Gears {
        match self.reference_gear.filter(|g| (1..=self.gears.len()).contains(g)) {
            Some(g) => Gears {
                reference: Some(g.to_string()),
                ratios: self.gears.iter().enumerate().map(|(i, r)| ((i + 1).to_string(), *r)).collect(),
                learned: self.learned.clone(),
            },
            None => Gears { learned: self.learned.clone(), ..Gears::default() },
        }
    }

    /// Engine rpm ÷ wheel rpm in a gear counted from 1; `None` when gears or final drive are not known.
    pub fn overall_ratio(&self, gear: usize) -> Option<f64> {
        Some(self.gears.get(gear.checked_sub(1)?)? * self.final_drive?)
    }

    /// Road speed at 1000 rpm in a gear counted from 1, km/h.
    pub fn kmh_per_1000(&self, gear: usize) -> Option<f64> {
        Some(
            1000.0 / self.overall_ratio(gear)? * 2.0 * std::f64::consts::PI * self.tyre_radius_m? * 60.0
                / 1000.0,
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sheet() -> VehicleSheet {
        VehicleSheet {
            final_drive: Some(3.94),
            gears: vec![3.6, 2.05, 1.36, 1.041],
            tyre_radius_m: Some(0.302),
            ..VehicleSheet::default()
        }
    }

    #[test]
    fn a_gear_gives_ratio_and_road_speed() {
        assert!((sheet().overall_ratio(4).unwrap() - 4.1015).abs() < 1e-3);
        assert!((sheet().kmh_per_1000(4).unwrap() - 27.76).abs() < 0.02);
        assert_eq!(sheet().overall_ratio(0), None);
        assert_eq!(sheet().overall_ratio(5), None);
        assert_eq!(VehicleSheet::default().kmh_per_1000(1), None);
    }

    #[test]
    fn nonsense_is_refused_with_its_range() {
        let bad = VehicleSheet { mass_kg: Some(3.0), ..sheet() };
        assert!(bad.validate().unwrap_err().to_string().contains("mass is 3 kg, outside 20"));
        assert!(sheet().validate().is_ok());
    }
}
