//! Faults a scenario can plant, each with where and how much, so that what the analysis finds can be compared
//! with what is true.

use serde::{Deserialize, Serialize};

/// Kinds of fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum FaultKind {
    HeatSoak,
    WrongGear,
    TyreSlip,
    BeltSlip,
    BoostLeak,
    LazyWastegate,
    Knock,
    WeakCylinder,
    LeanExcursion,
    FuelPumpSag,
    SaturatedLambda,
    FrozenLambda,
    ClockDrift,
    MisplacedUnit,
    LimiterCut,
    SpeedLimiter,
    AbortedPull,
    ConverterSlip,
    DirtyFilter,
    LowTyrePressure,
    WrongFuel,
    SoftwareOverwritten,
    ExhaustHeat,
    SmallInjectors,
    DeafKnockControl,
}

impl FaultKind {
    /// All of them.
    pub const ALL: [Self; 25] = [
        Self::HeatSoak,
        Self::WrongGear,
        Self::TyreSlip,
        Self::BeltSlip,
        Self::BoostLeak,
        Self::LazyWastegate,
        Self::Knock,
        Self::WeakCylinder,
        Self::LeanExcursion,
        Self::FuelPumpSag,
        Self::SaturatedLambda,
        Self::FrozenLambda,
        Self::ClockDrift,
        Self::MisplacedUnit,
        Self::LimiterCut,
        Self::SpeedLimiter,
        Self::AbortedPull,
        Self::ConverterSlip,
        Self::DirtyFilter,
        Self::LowTyrePressure,
        Self::WrongFuel,
        Self::SoftwareOverwritten,
        Self::ExhaustHeat,
        Self::SmallInjectors,
        Self::DeafKnockControl,
    ];

    /// Id in files.
    pub fn id(self) -> String {
        serde_json::to_value(self).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
    }

    /// Size when none is given, and what it means.
    pub fn size(self) -> (f64, &'static str) {
        match self {
            Self::HeatSoak => (22.0, "K of intake air over the first pull"),
            Self::WrongGear => (1.32, "ratio of the gear taken to the gear meant"),
            Self::TyreSlip => (0.05, "share of slip at full torque"),
            Self::BeltSlip => (0.35, "share of the belt's grip lost"),
            Self::BoostLeak => (0.16, "share of boost lost for each bar of it"),
            Self::LazyWastegate => (9.0, "times slower, and one eighth always open"),
            Self::Knock => (6.0, "° the onset is brought nearer"),
            Self::WeakCylinder => (0.10, "share of fuel one cylinder lacks"),
            Self::LeanExcursion => (0.25, "share of fuel lacking right after tip-in"),
            Self::FuelPumpSag => (0.30, "share of the pump's flow lost"),
            Self::SaturatedLambda => (0.85, "λ at which the sensor ends"),
            Self::FrozenLambda => (0.5, "share of the pull after which the sensor stands still"),
            Self::ClockDrift => (1800.0, "ppm the engine computer's clock is fast"),
            Self::MisplacedUnit => (1.0, "a pressure written in kPa under a header that says bar"),
            Self::LimiterCut => (600.0, "rpm below the end of the pull"),
            Self::SpeedLimiter => (900.0, "rpm below the end of the pull"),
            Self::AbortedPull => (0.55, "share of the pull driven"),
            Self::ConverterSlip => (0.06, "share of slip at full torque"),
            Self::DirtyFilter => (6.0, "times the clean filter's loss"),
            Self::LowTyrePressure => (3.0, "times the rolling loss"),
            Self::WrongFuel => (1.0, "the fuel named is in the tank"),
            Self::SoftwareOverwritten => (1.0, "the map named is in the unit"),
            Self::ExhaustHeat => (160.0, "K the exhaust is hotter"),
            Self::SmallInjectors => (0.45, "share of the injectors' flow that is missing, as the map knows"),
            Self::DeafKnockControl => (1.0, "the knock sensor hears nothing, and the engine knocks"),
        }
    }

    /// Half the usual size, counted from no fault at all; `None` where that means nothing.
    pub fn half(self) -> Option<f64> {
        let usual = self.size().0;
        match self {
            // Factors: nothing is one.
            Self::WrongGear | Self::LazyWastegate | Self::DirtyFilter | Self::LowTyrePressure => {
                Some(1.0 + 0.5 * (usual - 1.0))
            }
            Self::AbortedPull | Self::FrozenLambda => Some(0.5 + 0.5 * usual),
            Self::SaturatedLambda => Some(0.86),
            Self::MisplacedUnit | Self::WrongFuel | Self::SoftwareOverwritten | Self::DeafKnockControl => {
                None
            }
            _ => Some(0.5 * usual),
        }
    }
}

/// A planted fault as a scenario states it.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FaultSpec {
    /// What.
    pub kind: FaultKind,
    /// Pulls of the set, from 1; all of them when absent.
    #[serde(default)]
    pub pulls: Vec<usize>,
    /// How much; see [`FaultKind::size`].
    pub size: Option<f64>,
    /// Engine speed where it acts, rpm, for those that act at one.
    pub at_rpm: Option<f64>,
    /// Cylinder, from 1.
    pub cylinder: Option<usize>,
    /// Map that is really in the unit.
    pub map: Option<String>,
    /// Fuel that is really in the tank.
    pub fuel: Option<String>,
}

impl FaultSpec {
    /// A fault in some pulls of a set, in all of them where none is named, of its usual size where none is given.
    pub fn new(kind: FaultKind, pulls: &[usize], size: Option<f64>) -> Self {
        Self { kind, pulls: pulls.to_vec(), size, at_rpm: None, cylinder: None, map: None, fuel: None }
    }
}

/// What was planted in one pull, for the truth file.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Planted {
    /// What.
    pub kind: FaultKind,
    /// How much.
    pub size: f64,
    /// What the size means.
    pub meaning: &'static str,
    /// Span of engine speed it acts over, rpm, where it has one.
    pub rpm: Option<[f64; 2]>,
    /// Span on the dyno's clock, s, where it has one.
    pub at_s: Option<[f64; 2]>,
}

/// All faults of a pull, flattened to what the model reads.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Faults {
    pub(crate) inlet_extra_c: f64,
    pub(crate) gear_factor: f64,
    pub(crate) tyre_slip: f64,
    pub(crate) converter_slip: f64,
    pub(crate) belt_slip: f64,
    pub(crate) boost_leak: f64,
    pub(crate) gate_slow: f64,
    pub(crate) gate_leak: f64,
    pub(crate) knock_deg: f64,
    pub(crate) knock_rpm: [f64; 2],
    pub(crate) weak: Option<(usize, f64)>,
    pub(crate) lean_tip: f64,
    pub(crate) pump_factor: f64,
    pub(crate) lambda_end: Option<f64>,
    pub(crate) lambda_frozen: Option<f64>,
    pub(crate) clock_ppm: f64,
    pub(crate) misplaced_unit: bool,
    pub(crate) cut_below_end: Option<f64>,
    pub(crate) speed_cut_below_end: Option<f64>,
    pub(crate) abort_share: Option<f64>,
    pub(crate) filter_factor: f64,
    pub(crate) rolling_factor: f64,
    pub(crate) exhaust_k: f64,
    pub(crate) injector_factor: f64,
    pub(crate) deaf: bool,
    pub(crate) map: Option<String>,
    pub(crate) fuel: Option<String>,
    pub(crate) planted: Vec<Planted>,
}

impl Default for Faults {
    fn default() -> Self {
        Self {
            inlet_extra_c: 0.0,
            gear_factor: 1.0,
            tyre_slip: 0.0,
            converter_slip: 0.0,
            belt_slip: 0.0,
            boost_leak: 0.0,
            gate_slow: 1.0,
            gate_leak: 0.0,
            knock_deg: 0.0,
            knock_rpm: [0.0, 1e9],
            weak: None,
            lean_tip: 0.0,
            pump_factor: 1.0,
            lambda_end: None,
            lambda_frozen: None,
            clock_ppm: 0.0,
            misplaced_unit: false,
            cut_below_end: None,
            speed_cut_below_end: None,
            abort_share: None,
            filter_factor: 1.0,
            rolling_factor: 1.0,
            exhaust_k: 0.0,
            injector_factor: 1.0,
            deaf: false,
            map: None,
            fuel: None,
            planted: Vec::new(),
        }
    }
}

impl Faults {
    /// The faults of pull `number` (from 1) of a set.
    pub(crate) fn of(specs: &[FaultSpec], number: usize) -> Self {
        let mut f = Self::default();
        for s in specs.iter().filter(|s| s.pulls.is_empty() || s.pulls.contains(&number)) {
            f.add(s);
        }
        f
    }

    fn add(&mut self, s: &FaultSpec) {
        let (usual, meaning) = s.kind.size();
        let v = s.size.unwrap_or(usual);
        let mut rpm = None;
        match s.kind {
            FaultKind::HeatSoak => self.inlet_extra_c += v,
            FaultKind::WrongGear => self.gear_factor = v,
            FaultKind::TyreSlip => self.tyre_slip = v,
            FaultKind::ConverterSlip => self.converter_slip = v,
            FaultKind::BeltSlip => self.belt_slip = v,
            FaultKind::BoostLeak => self.boost_leak = v,
            FaultKind::LazyWastegate => (self.gate_slow, self.gate_leak) = (v, 0.125),
            FaultKind::Knock => {
                self.knock_deg = v;
                if let Some(at) = s.at_rpm {
                    self.knock_rpm = [at - 500.0, at + 500.0];
                    rpm = Some(self.knock_rpm);
                }
            }
            FaultKind::WeakCylinder => self.weak = Some((s.cylinder.unwrap_or(1).saturating_sub(1), v)),
            FaultKind::LeanExcursion => self.lean_tip = v,
            FaultKind::FuelPumpSag => self.pump_factor = 1.0 - v,
            FaultKind::SaturatedLambda => self.lambda_end = Some(v),
            FaultKind::FrozenLambda => self.lambda_frozen = Some(v),
            FaultKind::ClockDrift => self.clock_ppm = v,
            FaultKind::MisplacedUnit => self.misplaced_unit = true,
            FaultKind::LimiterCut => self.cut_below_end = Some(v),
            FaultKind::SpeedLimiter => self.speed_cut_below_end = Some(v),
            FaultKind::AbortedPull => self.abort_share = Some(v),
            FaultKind::DirtyFilter => self.filter_factor = v,
            FaultKind::LowTyrePressure => self.rolling_factor = v,
            FaultKind::WrongFuel => self.fuel.clone_from(&s.fuel),
            FaultKind::SoftwareOverwritten => self.map.clone_from(&s.map),
            FaultKind::ExhaustHeat => self.exhaust_k = v,
            FaultKind::SmallInjectors => self.injector_factor = 1.0 - v,
            FaultKind::DeafKnockControl => self.deaf = true,
        }
        self.planted.push(Planted { kind: s.kind, size: v, meaning, rpm, at_s: None });
    }
}
