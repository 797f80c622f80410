//! Prints of every kind, as the core takes them: runs of a table, and peaks somebody typed.

use jamjar_core::analysis::{Finished, PrintedCurve, TypedPeaks};
use jamjar_core::bounds::{ENGINE_RPM, PEAK};
use jamjar_core::figures::Peak;
use jamjar_core::findings::Finding;
use jamjar_core::printed::{Print, PrintedAxis};
use jamjar_core::units::Unit;
use jamjar_formats::finished::{ColumnSaid, Doubted, FinishedColumns, FinishedRun};
use jamjar_formats::{Mapping, parse_unit};
use serde::{Deserialize, Serialize};

/// Units a peak of power may have.
pub const POWER: [Unit; 3] = [Unit::KiloWatt, Unit::HorsePower, Unit::MetricHorsePower];
/// Units a peak of torque may have.
pub const TORQUE: [Unit; 2] = [Unit::NewtonMetre, Unit::PoundFoot];

/// Peaks as somebody typed them: the file that stands behind such a pull.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct Typed {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub peak_power: Option<TypedPeak>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub peak_torque: Option<TypedPeak>,
}

/// One of them.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct TypedPeak {
    pub value: f64,
    pub unit: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rpm: Option<f64>,
}

impl Typed {
    /// As the core takes them, with what the print says of itself.
    ///
    /// # Errors
    /// What is wrong with a peak, by the name of its field.
    pub fn peaks(&self, print: Print) -> Result<TypedPeaks, String> {
        let read = |p: &Option<TypedPeak>, units: &[Unit], name| {
            p.as_ref().map(|x| peak(x, units, name)).transpose()
        };
        let power = read(&self.peak_power, &POWER, "peak_power")?;
        let torque = read(&self.peak_torque, &TORQUE, "peak_torque")?;
        if power.is_none() && torque.is_none() {
            return Err("names neither peak_power nor peak_torque".into());
        }
        Ok(TypedPeaks { power, torque, print })
    }
}

fn peak(t: &TypedPeak, units: &[Unit], name: &str) -> Result<Peak, String> {
    let unit = parse_unit(&t.unit).filter(|u| units.contains(u)).ok_or_else(|| {
        let known: Vec<&str> = units.iter().map(|u| u.label()).collect();
        format!("{name}: “{}” is not one of its units: {}", t.unit, known.join(", "))
    })?;
    let value = t.value * unit.to_si(0.0).0;
    if PEAK.check(value).is_err() {
        return Err(format!("{name}: {} {} cannot be", t.value, t.unit));
    }
    if let Some(rpm) = t.rpm.filter(|r| ENGINE_RPM.check(*r).is_err()) {
        return Err(format!("{name}: {rpm} rpm cannot be"));
    }
    Ok(Peak { value, rpm: t.rpm.unwrap_or(f64::NAN) })
}

/// A run of a table with what it says of itself.
pub(crate) fn curve(run: &FinishedRun, print: Print) -> Finished {
    let road = run.rpm.is_empty();
    let guess =
        |d: &Doubted| Finding::UnitGuess { header: d.header.clone(), doubt: d.doubt.clone(), taken: d.taken };
    Finished::Curve(PrintedCurve {
        axis: if road { PrintedAxis::RoadSpeed } else { PrintedAxis::EngineSpeed },
        at: if road { run.road_kmh.clone() } else { run.rpm.clone() },
        power_kw: run.power_kw.clone(),
        torque_nm: if road { Vec::new() } else { run.torque_nm.clone() },
        print,
        open: run.doubt.iter().map(guess).collect(),
    })
}

/// The columns that a person named, of a source whose mapping is remembered like any other.
pub(crate) fn named(mapping: &Mapping) -> FinishedColumns {
    let of = |names: &[&str]| {
        let rule = mapping.rules.iter().find(|r| names.contains(&r.channel.as_str()))?;
        Some(ColumnSaid { column: rule.column.clone(), unit: rule.unit })
    };
    FinishedColumns {
        engine_speed: of(&["engine_speed"]),
        road_speed: of(&["road_speed"]),
        power: of(&["power"]),
        torque: of(&["torque", "hub_torque", "brake_torque"]),
    }
}
