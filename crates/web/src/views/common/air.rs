//! The air of a cell in words.

use crate::prefs::Prefs;
use jamjar_core::air::AirState;
use jamjar_core::units::{PressureUnit, SpeedUnit, TemperatureUnit, Unit};

const FOOT_M: f64 = 0.3048;

/// "21.3 °C, 52 % humidity, 1002.1 hPa at the station, density altitude 270 m". Heights go by the unit of road
/// speed, station pressure is in hPa unless inHg or psi was chosen (our choice: what barometers show).
pub(crate) fn air_words(a: &AirState, prefs: &Prefs) -> String {
    let in_unit = |v: f64, unit: Unit| {
        let (scale, offset) = unit.to_si(0.0);
        (v - offset) / scale
    };
    let temperature = match prefs.temperature {
        TemperatureUnit::Celsius => format!("{:.1} °C", a.temperature_c),
        TemperatureUnit::Fahrenheit => format!("{:.1} °F", in_unit(a.temperature_c, Unit::Fahrenheit)),
    };
    let kpa = a.pressure_hpa / 10.0;
    let pressure = match prefs.pressure {
        PressureUnit::Kpa | PressureUnit::Bar => format!("{:.1} hPa", a.pressure_hpa),
        PressureUnit::Psi => format!("{:.2} psi", in_unit(kpa, Unit::PsiAbs)),
        PressureUnit::InHg => format!("{:.2} inHg", in_unit(kpa, Unit::InHg)),
    };
    let (height, unit) = match prefs.speed {
        SpeedUnit::KmPerH => (a.density_altitude_m(), "m"),
        SpeedUnit::Mph => (a.density_altitude_m() / FOOT_M, "ft"),
    };
    let height = (height / 10.0).round() * 10.0 + 0.0;
    let humidity = 100.0 * a.humidity;
    format!(
        "{temperature}, {humidity:.0} % humidity, {pressure} at the station, density altitude {height:.0} {unit}"
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_store::Ways;

    #[test]
    fn air_is_told_in_the_readers_units_with_its_density_altitude() {
        let air = AirState::new(35.0, 0.2, 1000.0).unwrap();
        let plain = air_words(&air, &Prefs::default());
        assert_eq!(plain, "35.0 °C, 20 % humidity, 1000.0 hPa at the station, density altitude 870 m");
        let units = "temperature:f|pressure:inhg|speed:mph".to_owned();
        let reader = Prefs::of_shop(Ways { units, ..Ways::default() });
        let told = air_words(&air, &reader);
        assert!(told.starts_with("95.0 °F, 20 % humidity, 29.53 inHg") && told.ends_with("ft"), "{told}");
    }
}
