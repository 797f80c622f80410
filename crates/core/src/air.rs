//! The state of the air an engine breathes, from temperature, humidity and *station* pressure.

use crate::bounds::{AIR_TEMPERATURE_C, ALTITUDE_M, HUMIDITY, OutOfRange, STATION_PRESSURE_HPA};
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Absolute zero used for density, in °C below zero.
pub const KELVIN_OFFSET: f64 = 273.15;

/// Why an air state was refused.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum AirError {
    /// A value lies outside its range.
    #[error(transparent)]
    Range(#[from] OutOfRange),
    /// Humidity looks like per cent.
    #[error("relative humidity {value} is above 1: give a fraction; if it is per cent write {}", value / 100.0)]
    HumidityInPerCent {
        /// The value given.
        value: f64,
    },
    /// Pressure looks like another unit.
    #[error("station pressure {value} hPa is not an atmosphere: it looks like {unit}; write {hpa:.1}")]
    PressureUnit {
        /// The value given.
        value: f64,
        /// The unit it looks like.
        unit: &'static str,
        /// The value converted to hPa.
        hpa: f64,
    },
}

/// Ambient air: temperature, relative humidity and absolute station pressure.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct AirState {
    /// Dry-bulb temperature, °C.
    pub temperature_c: f64,
    /// Relative humidity, 0–1.
    pub humidity: f64,
    /// Absolute station pressure, hPa.
    pub pressure_hpa: f64,
}

impl AirState {
    /// Checks the three readings and recognises the usual wrong units.
    ///
    /// # Errors
    /// [`AirError`] naming the reading, its range, and what it was probably meant to be.
    pub fn new(temperature_c: f64, humidity: f64, pressure_hpa: f64) -> Result<Self, AirError> {
        AIR_TEMPERATURE_C.check(temperature_c)?;
        if humidity > 1.0 && humidity <= 100.0 {
            return Err(AirError::HumidityInPerCent { value: humidity });
        }
        HUMIDITY.check(humidity)?;
        for (unit, low, high, factor) in [
            ("inHg", 15.0, 33.0, 33.8639),
            ("kPa", 50.0, 110.0, 10.0),
            ("bar", 0.5, 1.1, 1000.0),
            ("psi", 7.0, 14.99, 68.947_57),
            ("mmHg", 375.0, 499.9, 1.333_224),
            ("Pa", 50_000.0, 108_500.0, 0.01),
        ] {
            if pressure_hpa >= low && pressure_hpa <= high {
                return Err(AirError::PressureUnit { value: pressure_hpa, unit, hpa: pressure_hpa * factor });
            }
        }
        STATION_PRESSURE_HPA.check(pressure_hpa)?;
        Ok(Self { temperature_c, humidity, pressure_hpa })
    }

    /// Air as it is stored: temperature, humidity and pressure, when all three are there and can be.
    pub fn whole(columns: [Option<f64>; 3]) -> Option<Self> {
        let [Some(t), Some(h), Some(p)] = columns else { return None };
        Self::new(t, h, p).ok()
    }

    /// Like [`AirState::new`] from a weather-service reading reduced to sea level.
    ///
    /// # Formula
    /// `p = p_sea·(1 − 0.0065·h/288.15)^5.25588` with h the altitude of the cell in m (ISO 2533 standard
    /// atmosphere).
    ///
    /// # Errors
    /// As [`AirState::new`], and when the altitude is out of range.
    pub fn from_sea_level(
        temperature_c: f64,
        humidity: f64,
        sea_level_hpa: f64,
        altitude_m: f64,
    ) -> Result<Self, AirError> {
        ALTITUDE_M.check(altitude_m)?;
        Self::new(
            temperature_c,
            humidity,
            sea_level_hpa * (1.0 - 0.0065 * altitude_m / 288.15).powf(5.255_88),
        )
    }

    /// Saturation vapour pressure, hPa.
    ///
    /// # Formula
    /// `es = 6.1094·exp(17.625·t/(t + 243.04))`, t in °C (Magnus form, Alduchov & Eskridge 1996).
    ///
    /// ```
    /// use jamjar_core::air::AirState;
    /// let air = AirState::new(20.0, 0.5, 1000.0)?;
    /// assert!((air.saturation_hpa() - 23.3).abs() < 0.1 && (air.vapour_hpa() - 0.5 * air.saturation_hpa()).abs() < 1e-9);
    /// # Ok::<(), jamjar_core::air::AirError>(())
    /// ```
    pub fn saturation_hpa(&self) -> f64 {
        let t = self.temperature_c;
        6.1094 * (17.625 * t / (t + 243.04)).exp()
    }

    /// Partial pressure of water vapour, hPa.
    pub fn vapour_hpa(&self) -> f64 {
        self.humidity * self.saturation_hpa()
    }

    /// Dry pressure `p − e`, hPa.
    ///
    /// # Formula
    /// `pd = p − e`, `e = RH·es`
    ///
    /// where
    /// - `p`: absolute pressure at the dyno, hPa; `RH`: relative humidity as a share;
    /// - `es`: [`saturation_hpa`](Self::saturation_hpa), hPa (domain, section 1).
    pub fn dry_hpa(&self) -> f64 {
        self.pressure_hpa - self.vapour_hpa()
    }

    /// Density of the moist air, kg/m³.
    ///
    /// # Formula
    /// `ρ = pd/(287.05·T) + e/(461.5·T)` with pressures in Pa and T in K.
    ///
    /// where
    /// - `pd`, `e`: partial pressures of dry air and of water vapour; 287.05 and 461.5 their gas constants, J/(kg·K);
    /// - `T = t + 273.15` (domain, section 1).
    ///
    /// ```
    /// use jamjar_core::air::AirState;
    /// let dry = AirState::new(15.0, 0.0, 1013.25)?;
    /// assert!((dry.density_kg_m3() - 1.225).abs() < 1e-3);
    /// assert!(AirState::new(15.0, 1.0, 1013.25)?.density_kg_m3() < dry.density_kg_m3(), "moist air is lighter");
    /// # Ok::<(), jamjar_core::air::AirError>(())
    /// ```
    pub fn density_kg_m3(&self) -> f64 {
        let t = self.temperature_c + KELVIN_OFFSET;
        self.dry_hpa() * 100.0 / (287.05 * t) + self.vapour_hpa() * 100.0 / (461.5 * t)
    }

    /// Altitude in the standard atmosphere with the same density, m.
    ///
    /// # Formula
    /// `h = 44330.77·(1 − (ρ/1.225)^(1/4.2559))`.
    ///
    /// where
    /// - `ρ`: density of the moist air, kg/m³, against 1.225 at sea level in the standard atmosphere (ISO 2533).
    ///
    /// ```
    /// use jamjar_core::air::AirState;
    /// assert!(AirState::new(15.0, 0.0, 1013.25)?.density_altitude_m().abs() < 5.0);
    /// assert!(AirState::new(35.0, 0.2, 1013.25)?.density_altitude_m() > 600.0, "a hot day is a hill");
    /// # Ok::<(), jamjar_core::air::AirError>(())
    /// ```
    pub fn density_altitude_m(&self) -> f64 {
        44_330.77 * (1.0 - (self.density_kg_m3() / 1.225).powf(1.0 / 4.2559))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn per_cent_humidity_is_explained_not_used() {
        let e = AirState::new(21.0, 52.0, 1002.0).unwrap_err();
        assert_eq!(
            e.to_string(),
            "relative humidity 52 is above 1: give a fraction; if it is per cent write 0.52"
        );
    }

    #[test]
    fn pressure_in_another_unit_is_recognised() {
        for (value, word) in [(29.6, "inHg"), (100.2, "kPa"), (1.002, "bar"), (14.5, "psi")] {
            let e = AirState::new(21.0, 0.5, value).unwrap_err().to_string();
            assert!(e.contains(word), "{e}");
        }
    }

    #[test]
    fn five_hundred_metres_are_about_six_per_cent() {
        let a = AirState::from_sea_level(20.0, 0.0, 1013.25, 500.0).unwrap();
        assert!((a.pressure_hpa / 1013.25 - 0.942).abs() < 0.002);
    }
}
