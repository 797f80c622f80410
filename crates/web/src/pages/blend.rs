//! The blend calculator: what to pour, a water test, rinsing, octane, auxiliary injection. Nothing is kept.

use super::page;
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::{blank_or, ethanol, litres, number};
use crate::views::{
    Answer, BlendPage, FuelChoice, MixAsked, Shell, Typed, aux_answer, mix_answer, rinse_answer, tube_answer,
};
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use jamjar_core::calculators::auxiliary::Auxiliary;
use jamjar_core::calculators::fuel::ethanol_blend;
use jamjar_core::calculators::kind::Kind;
use jamjar_core::calculators::mix::{Can, MOST, Tank, Wanted, mix};
use jamjar_core::calculators::octane::{Scale, of_blend, of_its_gasoline};
use jamjar_core::calculators::rinse::rinses;
use jamjar_core::calculators::water_test::water_test;
use jamjar_store::{FuelBatch, FuelRecord};
use std::collections::HashMap;

/// What is sold as E85 holds, share of volume, by season and place (ASTM D5798).
const FORECOURT_E85: [f64; 2] = [0.51, 0.83];

/// A fuel of the shop with its newest delivery.
struct Known {
    fuel: FuelRecord,
    batch: Option<FuelBatch>,
}

impl Known {
    fn measured(&self) -> Option<f64> {
        self.batch.as_ref().and_then(|b| b.ethanol)
    }

    fn ethanol(&self) -> Option<f64> {
        self.measured().or(self.fuel.said.ethanol)
    }
}

/// What a fuel may hold whose ethanol nobody measured: what a pump may sell under that name.
fn may_hold(e: f64) -> [f64; 2] {
    match e {
        e if (FORECOURT_E85[0]..=0.86).contains(&e) => FORECOURT_E85,
        // A gasoline pump names the most its fuel may hold.
        e if e <= 0.10 => [0.0, e],
        e => [e, e],
    }
}

fn asked_mix(f: &Typed, known: &[Known], prefs: &Prefs) -> Result<Option<MixAsked>, String> {
    if f.of("want").trim().is_empty() {
        return Ok(None);
    }
    let volume = |name: &str| blank_or(f.of(name), |s| litres(s, prefs.volume));
    let in_tank = volume("tank")?.unwrap_or(0.0);
    let tank_e = match blank_or(f.of("tank_e"), |s| ethanol("ethanol in the tank", s))? {
        Some(e) => e,
        None if in_tank == 0.0 => 0.0,
        None => return Err("say how much ethanol the fuel in the tank holds".into()),
    };
    let tank = Tank { litres: in_tank, ethanol: tank_e, capacity: volume("capacity")? };
    let (mut cans, mut names, mut holds) = (Vec::new(), Vec::new(), Vec::new());
    for i in 1..=MOST {
        let chosen = known.iter().find(|k| k.fuel.id.to_string() == f.can("fuel", &i));
        let typed = blank_or(f.can("e", &i), |s| ethanol("ethanol of what is poured", s))?;
        let Some(e) = typed.or(chosen.and_then(Known::ethanol)) else {
            match chosen {
                Some(k) => {
                    return Err(format!("nobody said how much ethanol {} holds: type it", k.fuel.said.name));
                }
                None => continue,
            }
        };
        let price = blank_or(f.can("p", &i), |s| number("price", s))?;
        cans.push(Can {
            ethanol: e,
            litres: blank_or(f.can("l", &i), |s| litres(s, prefs.volume))?,
            price: price.or(chosen.and_then(|k| k.fuel.said.price)),
        });
        names.push(chosen.map_or_else(|| format!("E{:.0}", 100.0 * e), |k| k.fuel.said.name.clone()));
        let sure =
            f.can("sure", &i) == "yes" || typed.is_none() && chosen.and_then(Known::measured).is_some();
        holds.push(if sure { [e, e] } else { may_hold(e) });
    }
    if cans.is_empty() {
        return Err("say what can be poured: choose a fuel, or type its ethanol".into());
    }
    let wanted = Wanted { ethanol: ethanol("ethanol wanted", f.of("want"))?, litres: volume("end")? };
    let made = mix(tank, &cans, wanted).map_err(|e| e.to_string())?;
    let blends =
        [tank.ethanol, made.ethanol].map(|e| ethanol_blend(e.clamp(0.0, 1.0)).map_err(|e| e.to_string()));
    let [was, then] = blends;
    Ok(Some(MixAsked { tank, cans, names, holds, made, blends: [was?, then?] }))
}

fn tube(f: &Typed) -> Result<Option<Answer>, String> {
    if ["sample", "water", "layer"].iter().all(|n| f.of(n).trim().is_empty()) {
        return Ok(None);
    }
    let (s, w, l) = (
        number("sample", f.of("sample"))?,
        number("water", f.of("water"))?,
        number("lower layer", f.of("layer"))?,
    );
    water_test(s, w, l).map(|t| Some(tube_answer(&t))).map_err(|e| e.to_string())
}

fn rinse(f: &Typed, prefs: &Prefs) -> Result<Option<Answer>, String> {
    if f.of("rinse").trim().is_empty() {
        return Ok(None);
    }
    let (left, each) = (litres(f.of("left"), prefs.volume)?, litres(f.of("rinse"), prefs.volume)?);
    let [from, to] = [ethanol("old fuel", f.of("from"))?, ethanol("new fuel", f.of("to"))?];
    let within = blank_or(f.of("within"), |s| number("points allowed", s))?.unwrap_or(1.0) / 100.0;
    rinses(left, each, [from, to], within)
        .map(|r| Some(rinse_answer(&r, each, prefs)))
        .map_err(|e| e.to_string())
}

fn octane(f: &Typed) -> Result<Option<Answer>, String> {
    if f.of("on").trim().is_empty() {
        return Ok(None);
    }
    let scale = Scale::named(f.of("scale")).unwrap_or(Scale::Ron);
    let (on, holds) = (
        number("octane", f.of("on"))?,
        blank_or(f.of("on_e"), |s| ethanol("ethanol in it", s))?.unwrap_or(0.0),
    );
    let blend = ethanol("ethanol in the blend", f.of("blend"))?;
    let gasoline = of_its_gasoline(holds, on, scale).map_err(|e| e.to_string())?;
    let out = of_blend(blend, gasoline, scale).map_err(|e| e.to_string())?;
    Ok(Some(Answer {
        sentence: format!("About {} {out:.0}: an estimate, to put fuels in order by.", scale.label()),
        more: vec![format!(
            "Its gasoline without ethanol is {} {gasoline:.1}; linear in molecules. What a blend lets an engine do shows in its knock retard, never in this number.",
            scale.label()
        )],
        problem: String::new(),
    }))
}

fn auxiliary(f: &Typed, prefs: &Prefs) -> Result<Option<Answer>, String> {
    if f.of("nozzle").trim().is_empty() {
        return Ok(None);
    }
    let kpa = |what: &str, name: &str| number(what, f.of(name));
    let a = Auxiliary {
        nozzle_l_min: litres(f.of("nozzle"), prefs.volume)?,
        rated_kpa: kpa("pressure of the nozzle's flow", "rated")?,
        pump_kpa: kpa("pressure of the pump", "pump")?,
        from_kpa: [kpa("boost it begins at", "start")?, kpa("boost it is full at", "full")?],
        methanol: ethanol("methanol in the mixture", f.of("methanol"))?,
    };
    let flow = a.at(kpa("boost", "boost")?).map_err(|e| e.to_string())?;
    let (lambda, air) =
        (blank_or(f.of("lambda"), |s| number("λ", s))?, blank_or(f.of("air"), |s| number("air flow", s))?);
    let with = match (lambda, air) {
        (Some(l), Some(air)) => Some([l, flow.lambda_with(l, air).map_err(|e| e.to_string())?]),
        _ => None,
    };
    let cools = air.map(|air| flow.cools_at_most(air)).transpose().map_err(|e| e.to_string())?;
    let tank = blank_or(f.of("aux_tank"), |s| litres(s, prefs.volume))?;
    Ok(Some(aux_answer(&flow, with, cools, tank, prefs.volume)))
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(f): Query<HashMap<String, String>>,
) -> Result<Response, WebError> {
    let batches = state.store.batches().await?;
    let newest = |fuel: i64| batches.iter().find(|b| b.fuel_id == fuel && b.ethanol.is_some()).cloned();
    let records = state.store.fuel_records().await?;
    // What is blended by its ethanol; a shop's methanol and diesel are no part of that.
    let blends = |f: &FuelRecord| !matches!(f.said.facts().kind, Some(Kind::Methanol | Kind::Diesel));
    let known: Vec<Known> =
        records.into_iter().filter(blends).map(|fuel| Known { batch: newest(fuel.id), fuel }).collect();
    let f = Typed(f);
    let (mix, picture) = match asked_mix(&f, &known, &prefs) {
        Ok(Some(m)) => mix_answer(&m, &prefs),
        Ok(None) => Default::default(),
        Err(problem) => (Answer { problem, ..Answer::default() }, String::new()),
    };
    let label = |k: &Known| {
        let e =
            k.ethanol().map_or_else(|| "ethanol not measured".to_owned(), |e| format!("{:.0} %", 100.0 * e));
        let from = k.batch.as_ref().map_or_else(String::new, |b| format!(", {}", b.name));
        format!("{} ({e}{from})", k.fuel.said.name)
    };
    let made = BlendPage {
        shell: Shell::new("Blend", &prefs.theme, "blend"),
        unit: prefs.volume.label(),
        fuels: known.iter().map(|k| FuelChoice { id: k.fuel.id.to_string(), label: label(k) }).collect(),
        cans: [1, 2, 3],
        mix,
        picture,
        tube: Answer::of(tube(&f)),
        rinse: Answer::of(rinse(&f, &prefs)),
        octane: Answer::of(octane(&f)),
        aux: Answer::of(auxiliary(&f, &prefs)),
        scales: Scale::ALL.map(Scale::label),
        f,
    };
    let wrong =
        [&made.mix, &made.tube, &made.rinse, &made.octane, &made.aux].iter().any(|a| !a.problem.is_empty());
    let status = if wrong { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    Ok((status, page(&made)?).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_nobody_measured_may_be_what_a_pump_may_sell() {
        let spread = |e: f64| may_hold(e)[1] - may_hold(e)[0];
        assert!((spread(0.85) - 0.32).abs() < 1e-9, "forecourt E85 by season");
        assert!((spread(0.05) - 0.05).abs() < 1e-9, "the pump names the most");
        assert!(spread(0.40).abs() < 1e-12, "nobody sells that: somebody mixed it");
    }
}
