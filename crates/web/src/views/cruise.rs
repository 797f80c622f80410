//! Beside the cells: cruise spots, the moved probe, fuel by two ways.

use super::common::Encoding;
use super::fuel_fields::FuelFields;
use crate::typed::optional;
use jamjar_core::words::{cross_check_sentence, moved_sentence};
use jamjar_workflow::cruise::{AtSpot, Cruise, Nozzle, two_ways};
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
    let (flow, dead) = (optional("flow", &f.flow)?, optional("dead time", &f.dead)?);
    let holds_at = optional("pressure of that flow", &f.flow_at)?.unwrap_or(300.0);
    let (Some(m), Some(flow_ml_min), Some(dead_ms)) = (c.moment, flow, dead) else { return Ok(None) };
    let said = two_ways(&r.vehicle.vehicle.engine, &r.set, &m, &Nozzle { flow_ml_min, holds_at, dead_ms })?;
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
