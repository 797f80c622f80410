//! Legal ranges, each declared once: constructors, messages, forms and test generators read them here.

use thiserror::Error;

/// A closed range of one quantity, with the words needed to explain a refusal.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bound {
    /// What is bounded, as a person would say it.
    pub name: &'static str,
    /// Unit of `min` and `max`; empty for a ratio.
    pub unit: &'static str,
    /// Smallest accepted value.
    pub min: f64,
    /// Largest accepted value.
    pub max: f64,
}

/// A value outside its [`Bound`], or not finite.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
#[error("{} is {value}{}{}, outside {}–{}{}{}", bound.name, space(bound.unit), bound.unit, bound.min, bound.max, space(bound.unit), bound.unit)]
pub struct OutOfRange {
    /// The offending value.
    pub value: f64,
    /// The range it had to lie in.
    pub bound: Bound,
}

fn space(unit: &str) -> &'static str {
    if unit.is_empty() { "" } else { " " }
}

impl Bound {
    /// Declares a range.
    pub const fn new(name: &'static str, unit: &'static str, min: f64, max: f64) -> Self {
        Self { name, unit, min, max }
    }

    /// Returns `value` when it is finite and inside the range.
    ///
    /// # Errors
    /// [`OutOfRange`] with the value and the range otherwise.
    pub fn check(self, value: f64) -> Result<f64, OutOfRange> {
        if value.is_finite() && value >= self.min && value <= self.max {
            Ok(value)
        } else {
            Err(OutOfRange { value, bound: self })
        }
    }
}

/// Air temperature in a cell or outdoors.
pub const AIR_TEMPERATURE_C: Bound = Bound::new("air temperature", "°C", -40.0, 60.0);
/// Relative humidity as a fraction.
pub const HUMIDITY: Bound = Bound::new("relative humidity", "", 0.0, 1.0);
/// Absolute station pressure; the lower end is about 5000 m of altitude.
pub const STATION_PRESSURE_HPA: Bound = Bound::new("station pressure", "hPa", 500.0, 1085.0);
/// Altitude of the cell, for converting a sea-level-reduced reading.
pub const ALTITUDE_M: Bound = Bound::new("altitude", "m", -450.0, 5000.0);
/// A peak somebody typed: power in kW or torque in N·m.
pub const PEAK: Bound = Bound::new("peak", "", 0.1, 20_000.0);
/// Volume fraction of ethanol.
pub const ETHANOL: Bound = Bound::new("ethanol fraction", "", 0.0, 1.0);
/// Engine rpm ÷ dyno-shaft rpm.
pub const OVERALL_RATIO: Bound = Bound::new("overall ratio", "", 0.05, 60.0);
/// Ratio of a gear, on any scale.
pub const GEAR_RATIO: Bound = Bound::new("gear ratio", "", 0.02, 200.0);
/// Width of the smoothing window.
pub const SMOOTHING_S: Bound = Bound::new("smoothing window", "s", 0.0, 5.0);
/// Spacing of the rpm grid.
pub const GRID_RPM: Bound = Bound::new("rpm grid", "rpm", 1.0, 500.0);

/// Engine speed; kart and turbine-like small engines included.
pub const ENGINE_RPM: Bound = Bound::new("engine speed", "rpm", 1.0, 30_000.0);
/// Swept volume.
pub const DISPLACEMENT_L: Bound = Bound::new("displacement", "L", 0.01, 200.0);
/// Cylinders.
pub const CYLINDERS: Bound = Bound::new("cylinders", "", 1.0, 48.0);
/// Pulses of one injector in a cycle.
pub const PULSES_PER_CYCLE: Bound = Bound::new("pulses per cycle", "", 1.0, 16.0);
/// Inertia of a drum or a driveline.
pub const INERTIA_KG_M2: Bound = Bound::new("inertia", "kg·m²", 0.0, 100_000.0);
/// Power that two sets may differ by.
pub const MARGIN_KW: Bound = Bound::new("margin", "kW", 0.001, 10_000.0);
/// Lag between two clocks: a little over a year, for recorders that never were set.
pub const LAG_S: Bound = Bound::new("lag", "s", -4.0e8, 4.0e8);
/// Time of a day.
pub const HOUR_OF_DAY: Bound = Bound::new("hour", "h", 0.0, 24.0);
/// Pulls in a file.
pub const NUMBER_IN_FILE: Bound = Bound::new("number in the file", "", 1.0, 10_000.0);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_refusal_names_value_and_range() {
        let e = HUMIDITY.check(52.0).unwrap_err();
        assert_eq!(e.to_string(), "relative humidity is 52, outside 0–1");
        let e = STATION_PRESSURE_HPA.check(29.6).unwrap_err();
        assert_eq!(e.to_string(), "station pressure is 29.6 hPa, outside 500–1085 hPa");
    }

    #[test]
    fn not_a_number_is_never_in_range() {
        assert!(HUMIDITY.check(f64::NAN).is_err());
        assert!(HUMIDITY.check(f64::INFINITY).is_err());
    }
}
