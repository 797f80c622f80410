//! The engine computer's stand-in: reads a map, asks for plate, boost, λ and spark, hears knock, cuts and
//! protects.

use crate::engine::EngineSpec;
use jamjar_core::maps::{MapFile, Table};
use thiserror::Error;

/// Most cylinders simulated.
pub(crate) const MOST: usize = 6;
/// Retard for one knocking cycle, °, and how fast it is given back, °/s.
const KNOCK_STEP: f64 = 1.5;
const GIVE_BACK: f64 = 0.9;
/// Share of a pull's mean retard that is learnt, and what a clean pull unlearns, °.
const LEARN: f64 = 0.3;
const UNLEARN: f64 = 0.7;

/// A map that an engine cannot run on.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("map {map}: {problem}")]
pub struct MapProblem {
    /// Name of the map.
    pub map: String,
    /// What is missing and what to do.
    pub problem: String,
}

/// The tables of a map that an engine of that kind needs, found once.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Calibration<'a> {
    plate: Option<&'a Table>,
    spark: Option<&'a Table>,
    lambda: Option<&'a Table>,
    boost: Option<&'a Table>,
    duty: Option<&'a Table>,
    quantity: Option<&'a Table>,
    smoke: Option<&'a Table>,
    rail: Option<&'a Table>,
    start: Option<&'a Table>,
    pub(crate) rev_limit: f64,
    pub(crate) speed_limit: f64,
    /// Stoichiometry it reckons with: the map's, or what its ethanol sensor says.
    pub(crate) stoich: f64,
    overboost: f64,
    exhaust_limit: f64,
    retard_limit: f64,
    /// Factor on the boost target, from the rung of a ladder.
    pub(crate) boost_factor: f64,
}

impl<'a> Calibration<'a> {
    /// Finds what the engine needs in a map; `boost_kpa` replaces the highest boost target.
    ///
    /// # Errors
    /// [`MapProblem`] naming the table that is missing.
    pub(crate) fn new(
        map: &'a MapFile,
        engine: &EngineSpec,
        boost_kpa: Option<f64>,
        stoich_in_tank: f64,
    ) -> Result<Self, MapProblem> {
        let diesel = engine.diesel.is_some();
        let wanted: &[&str] = if diesel {
            &["fuel_quantity", "smoke_limit", "rail_pressure", "injection_start"]
        } else {
            &["spark_advance", "lambda_target"]
        };
        let charged: &[&str] = if engine.turbo.is_some() { &["boost_target", "wastegate_duty"] } else { &[] };
        if let Some(name) = wanted.iter().chain(charged).find(|n| map.table(n).is_none()) {
            return Err(MapProblem {
                map: map.name.clone(),
                problem: format!("this engine needs a table {name}, and the map has none"),
            });
        }
        let boost = map.table("boost_target");
        let boost_factor = match (boost_kpa, boost.map(Table::max)) {
            (Some(k), Some(top)) if top > 0.0 => k / top,
            _ => 1.0,
        };
        Ok(Self {
            plate: map.table("pedal_to_plate"),
            spark: map.table("spark_advance"),
            lambda: map.table("lambda_target"),
            boost,
            duty: map.table("wastegate_duty"),
            quantity: map.table("fuel_quantity"),
            smoke: map.table("smoke_limit"),
            rail: map.table("rail_pressure"),
            start: map.table("injection_start"),
            rev_limit: map.scalar("rev_limit").unwrap_or(f64::INFINITY),
            speed_limit: map.scalar("speed_limit").unwrap_or(f64::INFINITY),
            stoich: if map.scalar("flex_sensor").unwrap_or(0.0) > 0.0 {
                stoich_in_tank
            } else {
                map.scalar("stoich_afr").unwrap_or(14.4)
            },
            overboost: map.scalar("overboost_cut").unwrap_or(f64::INFINITY),
            exhaust_limit: map.scalar("exhaust_protection").unwrap_or(f64::INFINITY),
            retard_limit: map.scalar("knock_retard_most").unwrap_or(10.0),
            boost_factor,
        })
    }
}

fn read(t: Option<&Table>, x: f64, y: f64, otherwise: f64) -> f64 {
    t.map_or(otherwise, |t| t.at(x, y))
}

/// What knock control has learnt, kept from pull to pull until the next flash.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct Adaptation {
    /// Retard kept, °.
    pub(crate) learnt_deg: f64,
}

impl Adaptation {
    /// After a flash: what the map starts from.
    pub(crate) fn fresh(map: &MapFile) -> Self {
        Self { learnt_deg: map.scalar("adaptation_start").unwrap_or(0.0) }
    }

    /// After a pull with that mean retard.
    pub(crate) fn learn(&mut self, mean_retard_deg: f64) {
        let next = if mean_retard_deg > 0.4 {
            self.learnt_deg + LEARN * mean_retard_deg
        } else {
            self.learnt_deg - UNLEARN
        };
        self.learnt_deg = next.clamp(0.0, 6.0);
    }
}

/// What it asks of the engine in one step.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Demand {
    pub(crate) plate: f64,
    pub(crate) boost_target_kpa: f64,
    pub(crate) duty: f64,
    pub(crate) lambda: f64,
    pub(crate) spark_deg: f64,
    pub(crate) quantity_mg: f64,
    pub(crate) rail_mpa: f64,
    pub(crate) start_deg: f64,
    pub(crate) fuel_cut: bool,
}

/// What it reads in one step.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Readings {
    pub(crate) rpm: f64,
    pub(crate) pedal: f64,
    pub(crate) manifold_kpa: f64,
    pub(crate) ambient_kpa: f64,
    pub(crate) road_kmh: f64,
    pub(crate) exhaust_c: f64,
    pub(crate) air_g: f64,
}

/// Moving parts of the computer.
#[derive(Debug, Clone)]
pub(crate) struct Computer<'a> {
    pub(crate) map: Calibration<'a>,
    /// Retard of each cylinder, °.
    pub(crate) retard: [f64; MOST],
    integral: f64,
    cut: bool,
    protect: f64,
}

impl<'a> Computer<'a> {
    pub(crate) fn new(map: Calibration<'a>) -> Self {
        Self { map, retard: [0.0; MOST], integral: 0.0, cut: false, protect: 0.0 }
    }

    /// One step: limits first, then the tables.
    ///
    /// Boost: feed-forward duty of the table plus 0.9 %/kPa of error and its integral (0.8 %/(kPa·s),
    /// bounded). Limiters cut fuel at the limit and give it back 60 rpm (2 km/h) below. Exhaust protection
    /// enriches by up to 8 %.
    pub(crate) fn ask(&mut self, r: &Readings, learnt_deg: f64, dt: f64) -> Demand {
        let m = &self.map;
        let over =
            r.rpm > m.rev_limit || r.road_kmh > m.speed_limit || r.manifold_kpa - r.ambient_kpa > m.overboost;
        let under = r.rpm < m.rev_limit - 60.0
            && r.road_kmh < m.speed_limit - 2.0
            && r.manifold_kpa - r.ambient_kpa < m.overboost - 15.0;
        self.cut = over || (self.cut && !under);
        let plate = read(m.plate, r.pedal, r.rpm, r.pedal) / 100.0;
        let open = plate > 0.6;
        let target_gauge = read(m.boost, r.rpm, 0.0, 0.0) * m.boost_factor;
        let target = r.ambient_kpa + if open { target_gauge } else { 0.0 };
        let error = target - r.manifold_kpa;
        let ahead = read(m.duty, r.rpm, target_gauge, 0.0);
        if open && error.abs() < 25.0 {
            self.integral = (self.integral + 0.8 * error * dt).clamp(-25.0, 25.0);
        }
        let duty = if open { (ahead + 0.9 * error + self.integral).clamp(0.0, 100.0) } else { 0.0 };
        let hot = (r.exhaust_c - m.exhaust_limit).clamp(0.0, 40.0) / 40.0;
        self.protect += (hot - self.protect) * (dt / 0.8).min(1.0);
        for c in &mut self.retard {
            *c = (*c - GIVE_BACK * dt).max(0.0);
        }
        let quantity_wanted = read(m.quantity, r.rpm, r.pedal, 0.0);
        let smoke = read(m.smoke, r.rpm, 0.0, 0.0);
        let quantity_mg = if smoke > 0.0 {
            quantity_wanted.min(r.air_g * 1e3 / (smoke * m.stoich))
        } else {
            quantity_wanted
        };
        Demand {
            plate,
            boost_target_kpa: target,
            duty: duty / 100.0,
            lambda: if open {
                read(m.lambda, r.rpm, r.manifold_kpa, 1.0) * (1.0 - 0.08 * self.protect)
            } else {
                1.0
            },
            spark_deg: read(m.spark, r.rpm, r.manifold_kpa, 20.0) - learnt_deg,
            quantity_mg,
            rail_mpa: read(m.rail, r.rpm, quantity_mg, 0.0),
            start_deg: read(m.start, r.rpm, quantity_mg, 0.0),
            fuel_cut: self.cut || (r.pedal < 2.0 && r.rpm > 1400.0),
        }
    }

    /// A knocking cycle of a cylinder.
    pub(crate) fn hear_knock(&mut self, cylinder: usize, past_deg: f64) {
        let c = &mut self.retard[cylinder];
        *c = (*c + KNOCK_STEP.max(past_deg.min(3.0))).min(self.map.retard_limit);
    }
}
