//! Beside the cells: cruise spots, the moved probe, fuel by two ways.

use super::common::Encoding;
use super::fuel::FuelFields;
use jamjar_core::calculators::fuel::ethanol_blend;
use jamjar_core::fuelling::injector::{Injection, cross_check, flow_at};
use jamjar_core::words::{cross_check_sentence, moved_sentence};
use jamjar_workflow::cruise::{AtSpot, Cruise};
use jamjar_workflow::fuelling::FuelRead;

/// A spot: its place, and what each set had there.
pub(crate) struct SpotView {
    pub(crate) place: String,
    pub(crate) sets: Vec<[String; 5]>,
}

#[derive(Default)]
pub(crate) struct CruiseView {
    /// Names of the sets with their hue.
    pub(crate) heads: Vec<(String, &'static str)>,
    pub(crate) spots: Vec<SpotView>,
    pub(crate) moved: String,
    /// Fuel by two ways, or what it lacks.
    pub(crate) mass: String,
    /// The form is worth showing.
    pub(crate) can_check: bool,
}

fn at_spot(a: &AtSpot) -> [String; 5] {
    let of =
        |v: Option<f64>, decimals: usize| v.map_or_else(|| "–".to_owned(), |v| format!("{v:.decimals$}"));
    if a.pulls == 0 {
        return ["–", "–", "–", "–", ""].map(str::to_owned);
    }
    let spark = match (a.spark_deg, a.retard_deg.filter(|r| *r >= 0.5)) {
        (Some(s), Some(r)) => format!("{s:.1}, retard {r:.1}"),
        (s, _) => of(s, 1),
    };
    let fuel = match (a.fuel_g_s, a.duty_pct) {
        (Some(g), _) => format!("{g:.2} g/s"),
        (None, Some(d)) => format!("{d:.1} %"),
        (None, None) => "–".into(),
    };
    [of(a.lambda, 3), spark, fuel, of(a.pressure_kpa, 0), a.pulls.to_string()]
}

/// Fuel by the injectors, as typed, and by the air, at the moment of most air.
fn mass(r: &FuelRead, c: &Cruise, f: &FuelFields) -> Result<Option<String>, String> {
    let Some(m) = c.moment else { return Ok(None) };
    let read = |what: &str, s: &str| {
        if s.trim().is_empty() { Ok(None) } else { crate::typed::number(what, s).map(Some) }
    };
    let (Some(flow), Some(dead)) = (read("flow", &f.flow)?, read("dead time", &f.dead)?) else {
        return Ok(None);
    };
    let holds_at = read("pressure of that flow", &f.flow_at)?.unwrap_or(300.0);
    let flow = match m.across_kpa {
        Some(p) => flow_at(flow, holds_at, p).ok_or("the pressure across the injectors is not above zero")?,
        None => flow,
    };
    let blend = ethanol_blend(r.set.fuel_ethanol.ok_or("how much ethanol its fuel holds is not known")?)
        .map_err(|e| e.to_string())?;
    let engine = &r.vehicle.vehicle.engine;
    let per_rev = engine.injections_per_rev().ok_or("how often it injects in a revolution is not known")?;
    let injectors = f64::from(engine.cylinders.ok_or("how many cylinders it has is not known")?);
    let i =
        Injection { injectors, flow_ml_min: flow, density_kg_l: blend.density_kg_l, dead_ms: dead, per_rev };
    let said = cross_check(&i, m.pulse_ms, m.rpm, m.air_g_s, m.lambda, blend.stoich_afr);
    Ok(said.map(|c| {
        let corrected = if m.across_kpa.is_some() {
            ""
        } else {
            " The flow is taken as typed: no fuel pressure was logged."
        };
        format!("At {:.0} rpm, where air is most: {}{corrected}", m.rpm, cross_check_sentence(&c))
    }))
}

pub(super) fn cruise_view(r: &FuelRead, c: &Cruise, f: &FuelFields, e: &Encoding) -> CruiseView {
    let mass = mass(r, c, f);
    CruiseView {
        heads: c
            .sets
            .iter()
            .map(|s| (format!("{} on {}", s.config.map, s.config.fuel), e.tone(s).name()))
            .collect(),
        spots: c
            .spots
            .iter()
            .map(|s| SpotView {
                place: format!("{:.0} rpm, plate {:.0} %", (s.rpm / 10.0).round() * 10.0, s.plate),
                sets: s.sets.iter().map(at_spot).collect(),
            })
            .collect(),
        moved: c.moved.as_ref().map(moved_sentence).unwrap_or_default(),
        can_check: c.moment.is_some(),
        mass: match mass {
            Ok(said) => said.unwrap_or_default(),
            Err(why) => format!("Can't tell: {why}."),
        },
    }
}
