//! Which channels share a lane, on the pull's page and under a line-up, and the limits on it.

use jamjar_chart::LimitLine;
use jamjar_core::analysis::Along;
use jamjar_core::channel::Channel;
use jamjar_core::limits::{Direction, Limit, Threshold};
use jamjar_core::units::Units;

/// A lane that may be shown: its id in links, its name, and the kinds of channel on it.
pub(crate) struct LaneDef {
    pub(crate) id: &'static str,
    pub(crate) label: &'static str,
    pub(crate) kinds: &'static [&'static str],
}

pub(crate) const LANES: &[LaneDef] = &[
    LaneDef { id: "power", label: "power", kinds: &[] },
    LaneDef { id: "torque", label: "torque", kinds: &[] },
    LaneDef {
        id: "pressure",
        label: "manifold pressure",
        kinds: &["manifold_pressure", "boost_target", "back_pressure"],
    },
    LaneDef { id: "mixture", label: "mixture", kinds: &["lambda_target", "lambda"] },
    LaneDef { id: "spark", label: "spark", kinds: &["spark_advance"] },
    LaneDef { id: "knock", label: "knock retard", kinds: &["knock_retard"] },
    LaneDef { id: "exhaust", label: "exhaust temperature", kinds: &["exhaust_temp"] },
    LaneDef { id: "duty", label: "duty", kinds: &["injector_duty", "wastegate_duty", "vane_position"] },
    LaneDef { id: "rail", label: "rail pressure", kinds: &["rail_pressure"] },
    LaneDef { id: "fuel", label: "fuel pressure", kinds: &["fuel_pressure"] },
    LaneDef { id: "heat", label: "temperatures", kinds: &["intake_temp", "oil_temp", "coolant_temp"] },
    LaneDef { id: "throttle", label: "throttle and pedal", kinds: &["throttle", "pedal"] },
    LaneDef { id: "ears", label: "knock level", kinds: &["knock_level"] },
    LaneDef { id: "oil", label: "oil pressure", kinds: &["oil_pressure"] },
    LaneDef { id: "pulse", label: "injector pulse width", kinds: &["injector_pulse_width"] },
    LaneDef { id: "flow", label: "fuel and air flow", kinds: &["fuel_flow", "air_flow"] },
    LaneDef { id: "turbo", label: "turbo speed", kinds: &["turbo_speed"] },
    LaneDef { id: "blower", label: "blower speed", kinds: &["blower_speed"] },
    LaneDef { id: "injection", label: "injection start", kinds: &["injection_start"] },
    LaneDef { id: "duration", label: "injection duration", kinds: &["injection_duration"] },
    LaneDef { id: "cuts", label: "cuts", kinds: &["fuel_cut", "spark_cut"] },
    LaneDef { id: "road", label: "road speed", kinds: &["road_speed"] },
    LaneDef { id: "brake", label: "torque as recorded", kinds: &["hub_torque", "brake_torque"] },
    LaneDef { id: "speeds", label: "speeds", kinds: &["engine_speed", "roller_speed"] },
    LaneDef { id: "ratio", label: "engine ÷ shaft", kinds: &[] },
];

/// A channel's name with the unit it is read in.
pub(crate) fn named_with_unit(c: &Channel, units: Units) -> String {
    let unit = units.shown(c).unit();
    if unit.is_empty() || unit == "λ" { c.label() } else { format!("{}, {unit}", c.label()) }
}

/// A limit on a lane whose axis has these ends; `None` where it goes by something that the axis does not show.
pub(crate) fn limit_line(l: &Limit, units: Units, along: Along, ends: [f64; 2]) -> Option<LimitLine> {
    let shown = units.shown(&l.channel);
    let points = match &l.threshold {
        Threshold::Constant(v) => ends.map(|x| (x, shown.value(*v))).to_vec(),
        Threshold::Curve { over, at, value }
            if over.as_str() == "engine_speed" && along == Along::EngineSpeed =>
        {
            at.iter().zip(value).map(|(x, v)| (*x, shown.value(*v))).collect()
        }
        Threshold::Curve { .. } => return None,
    };
    Some(LimitLine { points, above: l.direction == Direction::Above })
}

/// Most lanes that are remembered, and the longest id.
const REMEMBERED: usize = 40;
const LONGEST_ID: usize = 60;

/// What may be an id of a lane among those asked for, each once.
pub(crate) fn lane_ids(asked: &str) -> Vec<String> {
    let is_id = |s: &&str| {
        let letters = s.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'_');
        (1..=LONGEST_ID).contains(&s.len()) && letters
    };
    let mut ids: Vec<String> = Vec::new();
    for id in asked.split(',').filter(is_id).take(REMEMBERED) {
        if ids.iter().all(|known| known != id) {
            ids.push(id.to_owned());
        }
    }
    ids
}
