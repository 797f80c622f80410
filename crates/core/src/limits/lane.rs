//! A limit drawn along the rpm axis: the largest share of margin used in each grid cell, raw samples inside the gate.

use super::evaluate::{Lookup, Sources};
use super::model::{Limit, Threshold};

/// Largest share of margin used around each grid point; `None` where nothing was measured inside the gate.
///
/// The whole lane is `None` when the channel, a gate channel or the speed is missing, or the limit has no span.
pub fn lane(limit: &Limit, sources: &Sources<'_>, grid: &[f64], step: f64, from_s: f64, to_s: f64) -> Option<Vec<Option<f64>>> {
    let (clock, s) = sources.home(&limit.channel)?;
    limit.span_units()?;
    let found = |name: &str| match sources.beside(name, clock) {
        Lookup::Found(x) => Some(x),
        _ => None,
    };
    let speed = found("engine_speed")?;
    let gates = limit.gate.iter().map(|g| found(g.channel.as_str()).map(|x| (g, x))).collect::<Option<Vec<_>>>()?;
    let axis = match &limit.threshold {
        Threshold::Curve { over, .. } => Some(found(over.as_str())?),
        Threshold::Constant(_) => None,
    };
    let first = *grid.first()?;
    let mut out = vec![None; grid.len()];
    for (t, v) in s.t.iter().zip(&s.v).filter(|(t, _)| **t >= from_s && **t <= to_s) {
        if !gates.iter().all(|(g, x)| x.at(*t).is_some_and(|v| g.holds(v))) {
            continue;
        }
        let Some(rpm) = speed.at(*t) else { continue };
        let Some(threshold) = axis.as_ref().map_or(limit.threshold.at(0.0), |x| x.at(*t).and_then(|x| limit.threshold.at(x))) else { continue };
        let cell = ((rpm - first) / step).round();
        if cell < 0.0 || cell >= grid.len() as f64 {
            continue;
        }
        let slot: &mut Option<f64> = &mut out[cell as usize];
        if let Some(share) = limit.share_used(*v, threshold) {
            *slot = Some(slot.map_or(share, |old| old.max(share)));
        }
    }
    Some(out)
}
