//! In what state two sets were pulled: weather, temperatures, mixture, duty, coupling, with the size of each
//! difference.

use crate::analysis::measured::{Measured, refs};
use crate::channel::Channel;
use serde::{Deserialize, Serialize};
use std::borrow::Borrow;

/// Channels whose mean over the pull is worth comparing, and how much is worth a line (our choice: about what
/// weather and preparation do within a day).
const WATCHED: [(&str, f64); 15] = [
    ("intake_temp", 3.0),
    ("oil_temp", 4.0),
    ("coolant_temp", 3.0),
    ("ambient_temp", 2.0),
    ("manifold_pressure", 3.0),
    ("boost_target", 3.0),
    ("lambda_1", 0.01),
    ("spark_advance", 0.5),
    ("injector_duty", 2.0),
    ("exhaust_temp_1", 15.0),
    ("fuel_pressure", 8.0),
    ("ethanol_content", 2.0),
    ("vane_position", 3.0),
    ("filter_pressure", 1.5),
    ("soot_load", 3.0),
];

/// One thing that differs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StateDifference {
    /// What, in words.
    pub label: String,
    /// Its unit.
    pub unit: String,
    /// The channel whose unit a reader sees it in; `None` where it has none of its own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub channel: Option<Channel>,
    /// Mean over the base's pulls.
    pub base: f64,
    /// Mean over the candidate's pulls.
    pub candidate: f64,
    /// True when it is large enough to be worth a thought.
    pub notable: bool,
}

/// State of the included pulls side by side; what was not measured on both sides is left out.
pub fn differs<M: Borrow<Measured>>(base: &[M], candidate: &[M]) -> Vec<StateDifference> {
    let (base, candidate) = (refs(base), refs(candidate));
    let (base, candidate) = (base.as_slice(), candidate.as_slice());
    let mean = |set: &[&Measured], f: &dyn Fn(&Measured) -> Option<f64>| {
        let v: Vec<f64> = set.iter().filter(|m| m.excluded.is_none()).filter_map(|m| f(m)).collect();
        (!v.is_empty()).then(|| v.iter().sum::<f64>() / v.len() as f64)
    };
    let mut out = Vec::new();
    let mut add = |label: String,
                   (unit, channel): (&str, Option<Channel>),
                   worth: f64,
                   f: &dyn Fn(&Measured) -> Option<f64>| {
        if let (Some(a), Some(b)) = (mean(base, f), mean(candidate, f)) {
            out.push(StateDifference {
                label,
                unit: unit.to_owned(),
                channel,
                base: a,
                candidate: b,
                notable: (b - a).abs() >= worth,
            });
        }
    };
    add("cell air".into(), ("°C", Channel::new("ambient_temp").ok()), 3.0, &|m| {
        m.air.map(|a| a.temperature_c)
    });
    add("station pressure".into(), ("hPa", None), 4.0, &|m| m.air.map(|a| a.pressure_hpa));
    add("humidity".into(), ("%", None), 12.0, &|m| m.air.map(|a| 100.0 * a.humidity));
    for (name, worth) in WATCHED {
        let Some(channel) =
            base.iter().flat_map(|m| &m.channels).map(|c| &c.channel).find(|c| c.as_str() == name)
        else {
            continue;
        };
        add(channel.label(), (channel.unit(), Some(channel.clone())), worth, &|m| {
            m.channels.iter().find(|c| c.channel.as_str() == name).map(|c| c.mean)
        });
    }
    add("ramp".into(), ("rpm/s", None), 40.0, &|m| m.rate_rpm_s);
    add("engine ÷ shaft".into(), ("%", None), 0.5, &|m| {
        m.alignment.measured_ratio.filter(|_| m.alignment.usable()).map(|k| 100.0 * (k / m.ratio - 1.0))
    });
    out
}
