//! What maps do on the road: force at the wheels gear by gear, where to shift, and a standing start, from measured curves.

use crate::error::{WorkflowError, blocking};
use crate::sets::{SetRead, newest_of_each, read_sets, recent_days};
use jamjar_core::analysis::{Figure, Settings};
use jamjar_core::calculators::shift::{Shift, shift_points};
use jamjar_core::calculators::slip::{Slip, as_slip};
use jamjar_core::calculators::strip::{StripInput, StripRun, strip as strip_run};
use jamjar_core::calculators::traction::{Estimate, Unsure, estimate, mean_power_kw};
use jamjar_core::calculators::wanted_time::{NotByPower, Wanted, power_for};
use jamjar_core::pull::dyno::DynoKind;
use jamjar_store::{SetWithPulls, SlipRecord, Store, VehicleRecord};

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
    /// Time over 402 m that is wanted, s.
    pub wanted_s: Option<f64>,
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

/// Seed of the inputs that are drawn for a wanted time: the same page says the same twice.
const WANTED_SEED: u64 = 402;

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

/// What a wanted time takes.
#[derive(Debug, Clone)]
pub struct WantedTime {
    /// Over 402 m, s.
    pub seconds: f64,
    /// The set whose curve is scaled: its place among those shown, and its peak, kW.
    pub of: (usize, f64),
    /// The factor on its power.
    pub found: Result<Wanted, NotByPower>,
    /// Of all sets that would run it by their own curve the one with the least power, and its time.
    pub mildest: Option<(SetWithPulls, f64)>,
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
    /// What the time that was asked for takes.
    pub wanted: Option<WantedTime>,
    /// Timing slips, newest first; each with what the estimate of its map and fuel would have shown, where there is one.
    pub slips: Vec<(SlipRecord, Option<Slip>)>,
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
    let slips = store.slips(vehicle.id).await?;
    let (vehicle, asked, settings) = (vehicle.clone(), asked.clone(), *settings);
    blocking(move || put_together(vehicle, choices, &asked, &settings, (days, slips))).await
}

fn put_together(
    vehicle: VehicleRecord,
    choices: Vec<SetWithPulls>,
    asked: &Asked,
    settings: &Settings,
    (days, slips): (Vec<i64>, Vec<SlipRecord>),
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
    let read = if lacks.is_empty() { read_sets(choices.clone(), &vehicle, settings) } else { Vec::new() };
    let shown = shown(&vehicle, &read, asked, with);
    let wanted = asked.wanted_s.and_then(|s| wanted(&vehicle, &read, &shown, (asked, with), s));
    let slips = slips.into_iter().map(|s| {
        let own = estimated(&vehicle, &read, &s, (asked, with));
        (s, own)
    });
    let slips = slips.collect();
    Road { vehicle, choices, lacks, shown, wanted, slips, with, days }
}

/// What a slip would show by the measured curve of its map on its fuel, in its own air and with its launch.
fn estimated(
    vehicle: &VehicleRecord,
    read: &[SetRead],
    s: &SlipRecord,
    (asked, with): (&Asked, [f64; 5]),
) -> Option<Slip> {
    let same = |r: &&SetRead| {
        let c = &r.stored.set.config;
        c.map == s.map && c.fuel == s.fuel
    };
    let set = read.iter().filter(has_curve).find(same)?;
    let mut input = input_of(vehicle, set, asked, with);
    input.launch_rpm = s.launch_rpm.unwrap_or(input.launch_rpm);
    if let (Some(t), Some(p)) = (s.temperature_c, s.pressure_hpa) {
        // Dry air: damp changes the density by less than a hundredth.
        input.air_density_kg_m3 = 100.0 * p / (287.05 * (t + 273.15));
    }
    as_slip(&input, s.rollout_m).ok()
}

/// A slip as it is held against others.
pub fn slip_of(s: &SlipRecord) -> Slip {
    Slip { t18_s: s.t18_s, t201_s: s.t201_s, v201_kmh: s.v201_kmh, t402_s: s.t402_s, v402_kmh: s.v402_kmh }
}

fn has_curve(s: &&SetRead) -> bool {
    s.result.mean_curve.rpm.len() > 4
}

fn peak(s: &SetRead) -> f64 {
    s.result.figure(Figure::PeakPower).mean.unwrap_or(0.0)
}

/// What a time takes of the last set shown, and which of all sets would run it as it is.
fn wanted(
    vehicle: &VehicleRecord,
    read: &[SetRead],
    shown: &[OnRoad],
    (asked, with): (&Asked, [f64; 5]),
    seconds: f64,
) -> Option<WantedTime> {
    let of = shown.len().checked_sub(1)?;
    let last = &shown[of];
    let found = power_for(&last.input, &unsure_of(&last.set), seconds, WANTED_SEED);
    let runs = read.iter().filter(has_curve).filter_map(|s| {
        let t = strip_run(&input_of(vehicle, s, asked, with)).ok()?.t_402m_s;
        (t <= seconds).then_some((s, t))
    });
    let mildest = runs.min_by(|a, b| peak(a.0).total_cmp(&peak(b.0)));
    let mildest = mildest.map(|(s, t)| (s.stored.clone(), t));
    Some(WantedTime { seconds, of: (of, peak(&last.set)), found, mildest })
}

fn shown(vehicle: &VehicleRecord, read: &[SetRead], asked: &Asked, with: [f64; 5]) -> Vec<OnRoad> {
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

/// What goes into the estimate of a set.
fn input_of(
    vehicle: &VehicleRecord,
    set: &SetRead,
    asked: &Asked,
    [mass, grip, driven, launch, pause]: [f64; 5],
) -> StripInput {
    let (sheet, curve) = (&vehicle.sheet, &set.result.mean_curve);
    let at_wheels = !matches!(vehicle.vehicle.dyno.kind, DynoKind::Engine | DynoKind::Pto);
    let air = set.measured.iter().find_map(|m| m.air).map_or(AIR, |a| a.density_kg_m3());
    let top = curve.rpm.last().copied().unwrap_or(0.0);
    StripInput {
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
        shift_rpm: asked.limit_rpm.unwrap_or(top).max(1000.0),
        launch_rpm: launch,
        shift_pause_s: pause,
    }
}

/// How far what goes in may be off.
fn unsure_of(set: &SetRead) -> Unsure {
    let figure = set.result.figure(Figure::PeakPower);
    let of_mean = figure.sd.zip(figure.mean).map(|(sd, m)| sd / m / (set.result.n().max(1) as f64).sqrt());
    Unsure {
        mass: MASS_SHARE,
        grip: GRIP_SD,
        launch_rpm: LAUNCH_SD,
        // Without repeats the scatter of a pull is taken as a usual one.
        torque: of_mean.unwrap_or(0.006),
    }
}

fn one(vehicle: &VehicleRecord, set: &SetRead, asked: &Asked, with: [f64; 5]) -> OnRoad {
    let input = input_of(vehicle, set, asked, with);
    let (unsure, limit) = (unsure_of(set), input.shift_rpm);
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
