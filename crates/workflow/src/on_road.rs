//! What maps do on the road: force at the wheels gear by gear, where to shift, and a standing start, from measured curves.

use crate::error::{WorkflowError, blocking};
use crate::sets::{SetRead, newest_of_each, read_sets, recent_days};
use jamjar_core::analysis::{Figure, Settings};
use jamjar_core::calculators::shift::{Shift, shift_points};
use jamjar_core::calculators::strip::{StripInput, StripRun, strip as strip_run};
use jamjar_core::calculators::traction::{Estimate, Unsure, estimate, mean_power_kw};
use jamjar_core::pull::dyno::DynoKind;
use jamjar_store::{SetWithPulls, Store, VehicleRecord};

/// Days looked through, newest first (our choice).
const DAYS: i64 = 60;
/// Most sets beside each other (our choice: more lines in every gear nobody tells apart).
const MOST: usize = 3;

/// What is typed; what is not is the vehicle's sheet, or usual.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Asked {
    /// Sets; the newest stock and the strongest other where none is chosen.
    pub sets: Vec<i64>,
    /// Mass, kg.
    pub mass_kg: Option<f64>,
    /// Grip of the tyres.
    pub grip: Option<f64>,
    /// Share of the weight on driven wheels.
    pub driven: Option<f64>,
    /// Launch, rpm.
    pub launch_rpm: Option<f64>,
    /// Pause of a shift, s.
    pub pause_s: Option<f64>,
    /// Highest engine speed; the end of each set's curve where nobody says.
    pub limit_rpm: Option<f64>,
}

/// Usual values where neither the sheet nor a person says (our choice: a road car on road tyres).
const GRIP: f64 = 1.0;
/// Share of the weight on driven wheels.
const DRIVEN: f64 = 0.6;
/// Launch, rpm.
const LAUNCH_RPM: f64 = 3000.0;
/// Pause of a shift, s.
const PAUSE_S: f64 = 0.3;
const ROLLING: f64 = 0.013;
const AIR: f64 = 1.2;
/// Efficiency of the drive where torque was measured at the engine.
const DRIVE: f64 = 0.88;
/// How far typed inputs may be off (our choice).
const MASS_SHARE: f64 = 0.02;
const GRIP_SD: f64 = 0.08;
const LAUNCH_SD: f64 = 300.0;
/// A limit raised by this, rpm, is asked what it is worth.
pub const RAISED_RPM: f64 = 300.0;

/// One set on the road.
#[derive(Debug, Clone)]
pub struct OnRoad {
    /// The set.
    pub set: SetRead,
    /// What went into the estimate: its curve, gears and the rest.
    pub input: StripInput,
    /// Where to shift, gear by gear.
    pub shifts: Vec<Shift>,
    /// Mean power from after each shift to the next, kW; `None` where the curve does not reach.
    pub between_kw: Vec<Option<f64>>,
    /// A standing start, or why there is none.
    pub strip: Result<Estimate, String>,
    /// The same with a limit raised by [`RAISED_RPM`], torque held at its last measured value.
    pub raised: Option<StripRun>,
}

/// A page of it.
#[derive(Debug, Clone)]
pub struct Road {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Sets to choose from: id, day and configuration of the newest of each.
    pub choices: Vec<SetWithPulls>,
    /// What the vehicle's sheet lacks.
    pub lacks: Vec<&'static str>,
    /// The sets shown.
    pub shown: Vec<OnRoad>,
    /// What was assumed: mass, grip, share on driven wheels, launch, pause.
    pub with: [f64; 5],
    /// Days it was read from.
    pub days: Vec<i64>,
}

/// Reads it.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn on_road(
    store: &Store,
    vehicle: &VehicleRecord,
    asked: &Asked,
    settings: &Settings,
) -> Result<Road, WorkflowError> {
    let (days, all): (Vec<i64>, Vec<Vec<SetWithPulls>>) =
        recent_days(store, vehicle, DAYS).await?.into_iter().unzip();
    let choices = newest_of_each(all);
    let (vehicle, asked, settings) = (vehicle.clone(), asked.clone(), *settings);
    blocking(move || put_together(vehicle, choices, &asked, &settings, days)).await
}

fn put_together(
    vehicle: VehicleRecord,
    choices: Vec<SetWithPulls>,
    asked: &Asked,
    settings: &Settings,
    days: Vec<i64>,
) -> Road {
    let sheet = &vehicle.sheet;
    let mut lacks = Vec::new();
    if sheet.gears.len() < 2 {
        lacks.push("gear ratios");
    }
    for (missing, what) in [
        (sheet.final_drive.is_none(), "final drive"),
        (sheet.tyre_radius_m.is_none(), "rolling radius"),
        (sheet.drag_area_m2.is_none(), "drag area"),
        (asked.mass_kg.or(sheet.mass_kg).is_none(), "mass"),
    ] {
        if missing {
            lacks.push(what);
        }
    }
    let with = [
        asked.mass_kg.or(sheet.mass_kg).unwrap_or(f64::NAN),
        asked.grip.unwrap_or(GRIP),
        asked.driven.unwrap_or(DRIVEN),
        asked.launch_rpm.unwrap_or(LAUNCH_RPM),
        asked.pause_s.unwrap_or(PAUSE_S),
    ];
    let shown = if lacks.is_empty() { shown(&vehicle, &choices, asked, settings, with) } else { Vec::new() };
    Road { vehicle, choices, lacks, shown, with, days }
}

fn shown(
    vehicle: &VehicleRecord,
    choices: &[SetWithPulls],
    asked: &Asked,
    settings: &Settings,
    with: [f64; 5],
) -> Vec<OnRoad> {
    let read = read_sets(choices.to_vec(), vehicle, settings);
    let has_curve = |s: &&SetRead| s.result.mean_curve.rpm.len() > 4;
    let peak = |s: &SetRead| s.result.figure(Figure::PeakPower).mean.unwrap_or(0.0);
    let chosen: Vec<&SetRead> = if asked.sets.is_empty() {
        let stock = read.iter().filter(has_curve).find(|s| s.stored.set.config.map_kind == "stock");
        let best = read
            .iter()
            .filter(has_curve)
            .filter(|s| s.stored.set.config.map_kind != "stock")
            .max_by(|a, b| peak(a).total_cmp(&peak(b)));
        stock.into_iter().chain(best).collect()
    } else {
        let of = |id: &i64| read.iter().filter(has_curve).find(|s| s.stored.set.id == *id);
        asked.sets.iter().take(MOST).filter_map(of).collect()
    };
    chosen.into_iter().map(|s| one(vehicle, s, asked, with)).collect()
}

fn one(
    vehicle: &VehicleRecord,
    set: &SetRead,
    asked: &Asked,
    [mass, grip, driven, launch, pause]: [f64; 5],
) -> OnRoad {
    let (sheet, curve) = (&vehicle.sheet, &set.result.mean_curve);
    let at_wheels = !matches!(vehicle.vehicle.dyno.kind, DynoKind::Engine | DynoKind::Pto);
    let air = set.measured.iter().find_map(|m| m.air).map_or(AIR, |a| a.density_kg_m3());
    let top = curve.rpm.last().copied().unwrap_or(0.0);
    let limit = asked.limit_rpm.unwrap_or(top).max(1000.0);
    let input = StripInput {
        mass_kg: mass,
        tyre_friction: grip,
        driven_axle_load_fraction: driven,
        drag_area_m2: sheet.drag_area_m2.unwrap_or(0.0),
        rolling_coefficient: ROLLING,
        tyre_radius_m: sheet.tyre_radius_m.unwrap_or(f64::NAN),
        final_drive: sheet.final_drive.unwrap_or(f64::NAN),
        drivetrain_efficiency: if at_wheels { 1.0 } else { DRIVE },
        air_density_kg_m3: air,
        gears: sheet.gears.clone(),
        rpm: curve.rpm.clone(),
        torque_nm: curve.torque_nm.clone(),
        shift_rpm: limit,
        launch_rpm: launch,
        shift_pause_s: pause,
    };
    let figure = set.result.figure(Figure::PeakPower);
    let of_mean = figure.sd.zip(figure.mean).map(|(sd, m)| sd / m / (set.result.n().max(1) as f64).sqrt());
    let unsure = Unsure {
        mass: MASS_SHARE,
        grip: GRIP_SD,
        launch_rpm: LAUNCH_SD,
        // Without repeats the scatter of a pull is taken as a usual one.
        torque: of_mean.unwrap_or(0.006),
    };
    let shifts = shift_points(&input.rpm, &input.torque_nm, &input.gears, limit).unwrap_or_default();
    let between_kw = shifts
        .iter()
        .map(|s| mean_power_kw(&input.rpm, &input.torque_nm, [s.after_rpm, s.upshift_rpm]))
        .collect();
    let strip = estimate(&input, &unsure).map_err(|e| e.to_string());
    let higher = StripInput { shift_rpm: limit + RAISED_RPM, ..input.clone() };
    let raised = strip_run(&higher).ok();
    OnRoad { set: set.clone(), input, shifts, between_kw, strip, raised }
}
