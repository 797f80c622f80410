//! Correction families: factors that refer power to standard air. Chosen after the fact, never baked into
//! stored data.

use crate::air::AirState;
use crate::units::HPA_PER_INHG;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// A correction family. Every shown figure names the one in force.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Correction {
    /// SAE J1349, spark-ignition form with 85 % mechanical efficiency assumed.
    #[default]
    SaeJ1349,
    /// SAE J607 ("STD").
    SaeJ607,
    /// DIN 70020: total pressure, no humidity.
    #[serde(rename = "din_70020")]
    Din70020,
    /// ISO 1585, spark ignition.
    #[serde(rename = "iso_1585_si")]
    Iso1585Si,
    /// ISO 1585, compression ignition.
    #[serde(rename = "iso_1585_ci")]
    Iso1585Ci,
    /// As measured.
    None,
}

/// Factor range in which the spark-ignition forms are stated to hold.
pub const VALID_SPARK: (f64, f64) = (0.93, 1.07);

impl Correction {
    /// All families, in the order they are offered.
    pub const ALL: [Self; 6] =
        [Self::SaeJ1349, Self::SaeJ607, Self::Din70020, Self::Iso1585Si, Self::Iso1585Ci, Self::None];

    /// The name in files and links.
    pub fn id(self) -> &'static str {
        match self {
            Self::SaeJ1349 => "sae_j1349",
            Self::SaeJ607 => "sae_j607",
            Self::Din70020 => "din_70020",
            Self::Iso1585Si => "iso_1585_si",
            Self::Iso1585Ci => "iso_1585_ci",
            Self::None => "none",
        }
    }

    /// The family with that id.
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|c| c.id() == id)
    }

    /// The name people use.
    pub fn label(self) -> &'static str {
        match self {
            Self::SaeJ1349 => "SAE J1349",
            Self::SaeJ607 => "SAE J607 (STD)",
            Self::Din70020 => "DIN 70020",
            Self::Iso1585Si => "ISO 1585 spark",
            Self::Iso1585Ci => "ISO 1585 diesel",
            Self::None => "uncorrected",
        }
    }

    /// Factor that depends on the air alone; `None` for [`Correction::Iso1585Ci`], which also needs fuel and
    /// charge pressure.
    ///
    /// # Formula
    /// with t in °C, pd dry and p total pressure in hPa, tF in °F:
    /// SAE J1349 `1.180·(990/pd)·√((t+273)/298) − 0.18`;
    /// SAE J607 `(29.92/pd_inHg)·√((tF+460)/520)`;
    /// DIN 70020 `(1013/p)·√((t+273)/293)`;
    /// ISO 1585 spark `(99/pd_kPa)^1.2·((t+273)/298)^0.6`.
    ///
    /// ```
    /// use jamjar_core::air::AirState;
    /// use jamjar_core::correction::Correction;
    /// let hot = AirState::new(35.0, 0.2, 990.0)?;
    /// assert!(Correction::SaeJ1349.air_factor(&hot).unwrap() > 1.0);
    /// assert_eq!(Correction::None.air_factor(&hot), Some(1.0));
    /// assert_eq!(Correction::Iso1585Ci.air_factor(&hot), None, "air alone does not correct a diesel");
    /// # Ok::<(), jamjar_core::air::AirError>(())
    /// ```
    pub fn air_factor(self, air: &AirState) -> Option<f64> {
        let (t, pd) = (air.temperature_c, air.dry_hpa());
        match self {
            Self::SaeJ1349 => Some(1.180 * (990.0 / pd) * ((t + 273.0) / 298.0).sqrt() - 0.18),
            Self::SaeJ607 => Some(29.92 / (pd / HPA_PER_INHG) * ((t * 1.8 + 32.0 + 460.0) / 520.0).sqrt()),
            Self::Din70020 => Some(1013.0 / air.pressure_hpa * ((t + 273.0) / 293.0).sqrt()),
            Self::Iso1585Si => Some((990.0 / pd).powf(1.2) * ((t + 273.0) / 298.0).powf(0.6)),
            Self::Iso1585Ci => None,
            Self::None => Some(1.0),
        }
    }

    /// Cautions that belong beside a factor.
    pub fn cautions(self, factor: f64, compression_ignition: bool, boosted: bool) -> Vec<Caution> {
        let mut out = Vec::new();
        let spark = matches!(self, Self::SaeJ1349 | Self::SaeJ607 | Self::Din70020 | Self::Iso1585Si);
        if spark && !(VALID_SPARK.0..=VALID_SPARK.1).contains(&factor) {
            out.push(Caution::FarFromStandard {
                family: self,
                factor,
                valid: [VALID_SPARK.0, VALID_SPARK.1],
            });
        }
        if spark && compression_ignition {
            out.push(Caution::OnDiesel(self));
        }
        if boosted && spark && (factor - 1.0).abs() > 0.02 {
            out.push(Caution::BoostControlled);
        }
        out
    }
}

/// What the diesel factor would need.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum DieselNeeds {
    FuelFlowAndDisplacement,
    PressureRatio,
    PositiveFuelFlow,
}

/// What belongs beside a corrected figure.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Caution {
    /// Left uncorrected, as no air conditions were given.
    NoAir,
    /// As printed: by this family, or by one nobody knows, and it cannot be brought to the one asked for.
    AsPrinted(Option<Correction>),
    /// Left uncorrected: the diesel factor needs something that is not there.
    LeftUncorrected(DieselNeeds),
    /// The factor is outside the range the family is meant for.
    #[allow(missing_docs)]
    FarFromStandard { family: Correction, factor: f64, valid: [f64; 2] },
    /// A spark-ignition family on compression ignition.
    OnDiesel(Correction),
    /// The diesel family on spark ignition.
    DieselOnSpark,
    /// A boost-controlled engine compensates by itself.
    BoostControlled,
}

/// Inputs of the ISO 1585 compression-ignition factor.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DieselState {
    /// Dry pressure, kPa.
    pub dry_kpa: f64,
    /// Intake air temperature, °C.
    pub temp_c: f64,
    /// True when an exhaust turbocharger fills the engine.
    pub turbocharged: bool,
    /// True for a two-stroke engine (Z = 60000).
    pub two_stroke: bool,
    /// Fuel flow F, g/s.
    pub fuel_g_s: f64,
    /// Displacement D, L.
    pub displacement_l: f64,
    /// Engine speed N, rpm.
    pub rpm: f64,
    /// Charger pressure ratio r, 1 when there is no charger.
    pub boost_pressure_ratio: f64,
}

/// The ISO 1585 compression-ignition factor and its intermediate values.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct DieselFactor {
    pub q: f64,
    pub qc: f64,
    pub fa: f64,
    pub fm: f64,
    pub alpha_d: f64,
}

/// An input of the diesel factor that cannot be used.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("{name} must be a positive number, got {value}")]
pub struct NotPositive {
    /// Which input.
    pub name: &'static str,
    /// Its value.
    pub value: f64,
}

/// ISO 1585 compression-ignition correction.
///
/// # Formula
/// `αd = fa^fm`; `fa = (99/pd)·(T/298)^0.7` naturally aspirated or mechanically charged,
/// `(99/pd)^0.7·(T/298)^1.5` turbocharged; `fm = 0.036·qc − 1.14` for 40 ≤ qc ≤ 65, 0.3 below, 1.2 above; `qc
/// = q/r`; `q = Z·F/(D·N)` mg/(L·cycle), Z = 120000 four-stroke or 60000 two-stroke; T = t + 273.
///
/// where
/// - `pd`: dry pressure, kPa, the 99 above against it; `T`: K; `fa`: atmospheric factor;
/// - `F`: fuel flow, g/s; `D`: displacement, L; `N`: engine speed, rpm; `r`: charger pressure ratio, 1 without one;
/// - `fm`: engine factor; `qc`: corrected fuel a cycle, mg/(L·cycle) (ISO 1585, compression ignition; domain, section
///   1).
///
/// ```
/// use jamjar_core::correction::{DieselState, iso1585_diesel};
/// let f = iso1585_diesel(&DieselState {
///     dry_kpa: 87.34, temp_c: 13.6, turbocharged: true, two_stroke: false,
///     fuel_g_s: 5.0, displacement_l: 2.0, rpm: 3000.0, boost_pressure_ratio: 2.0,
/// })?;
/// assert_eq!((f.q, f.qc), (100.0, 50.0));
/// assert!((f.fm - 0.66).abs() < 1e-9 && (f.alpha_d - 1.019_465).abs() < 1e-6);
/// # Ok::<(), jamjar_core::correction::NotPositive>(())
/// ```
///
/// # Errors
/// [`NotPositive`] when an input is zero, negative or not finite.
pub fn iso1585_diesel(s: &DieselState) -> Result<DieselFactor, NotPositive> {
    for (name, value) in [
        ("dry_kpa", s.dry_kpa),
        ("fuel_g_s", s.fuel_g_s),
        ("displacement_l", s.displacement_l),
        ("rpm", s.rpm),
        ("boost_pressure_ratio", s.boost_pressure_ratio),
        ("temp_c + 273", s.temp_c + 273.0),
    ] {
        if !(value.is_finite() && value > 0.0) {
            return Err(NotPositive { name, value });
        }
    }
    let z = if s.two_stroke { 60_000.0 } else { 120_000.0 };
    let q = z * s.fuel_g_s / (s.displacement_l * s.rpm);
    let qc = q / s.boost_pressure_ratio;
    let t = (s.temp_c + 273.0) / 298.0;
    let p = 99.0 / s.dry_kpa;
    let fa = if s.turbocharged { p.powf(0.7) * t.powf(1.5) } else { p * t.powf(0.7) };
    let fm = if qc < 40.0 {
        0.3
    } else if qc > 65.0 {
        1.2
    } else {
        0.036 * qc - 1.14
    };
    Ok(DieselFactor { q, qc, fa, fm, alpha_d: fa.powf(fm) })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn standard_air_of_each_family_gives_one() {
        let iso = AirState::new(25.0, 0.0, 990.0).unwrap();
        for c in [Correction::SaeJ1349, Correction::Iso1585Si] {
            assert!((c.air_factor(&iso).unwrap() - 1.0).abs() < 1e-12);
        }
        let din = AirState::new(20.0, 0.9, 1013.0).unwrap();
        assert!((Correction::Din70020.air_factor(&din).unwrap() - 1.0).abs() < 1e-12);
    }

    #[test]
    fn a_factor_far_from_one_carries_a_caution() {
        assert_eq!(Correction::SaeJ1349.cautions(1.02, false, false), vec![]);
        let far = Correction::SaeJ1349.cautions(1.09, false, false);
        assert_eq!(
            far,
            [Caution::FarFromStandard { family: Correction::SaeJ1349, factor: 1.09, valid: [0.93, 1.07] }]
        );
        assert_eq!(Correction::SaeJ607.cautions(1.0, true, false), [Caution::OnDiesel(Correction::SaeJ607)]);
    }

    #[test]
    fn ids_round_trip() {
        for c in Correction::ALL {
            assert_eq!(Correction::from_id(c.id()), Some(c));
            assert_eq!(serde_json::to_value(c).unwrap(), c.id());
        }
    }
}
