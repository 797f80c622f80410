//! A limit drawn along the rpm axis: the largest share of margin used in each grid cell, raw samples inside the gate, held as long
//! as the verdict asks.
#![cfg_attr(test, allow(clippy::float_cmp))]

use super::evaluate::{Lookup, Sources};
use super::model::{Limit, Threshold};
use super::windows::support;

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
    let mut run: Vec<(f64, f64, f64)> = Vec::new();
    let put = |run: &mut Vec<(f64, f64, f64)>, out: &mut Vec<Option<f64>>| {
        let t: Vec<f64> = run.iter().map(|r| r.0).collect();
        let share: Vec<f64> = run.iter().map(|r| r.2).collect();
        for ((_, rpm, _), held) in run.iter().zip(held(&t, &share, limit.sustain_s)) {
            let cell = ((rpm - first) / step).round();
            if cell >= 0.0 && cell < out.len() as f64 {
                let slot: &mut Option<f64> = &mut out[cell as usize];
                *slot = Some(slot.map_or(held, |old| old.max(held)));
            }
        }
        run.clear();
    };
    for (t, v) in s.t.iter().zip(&s.v).filter(|(t, _)| **t >= from_s && **t <= to_s) {
        let gated = gates.iter().all(|(g, x)| x.at(*t).is_some_and(|v| g.holds(v)));
        let threshold = axis.as_ref().map_or(limit.threshold.at(0.0), |x| x.at(*t).and_then(|x| limit.threshold.at(x)));
        match (gated, speed.at(*t), threshold.and_then(|x| limit.share_used(*v, x))) {
            (true, Some(rpm), Some(share)) => run.push((*t, rpm, share)),
            _ => put(&mut run, &mut out),
        }
    }
    put(&mut run, &mut out);
    Some(out)
}

/// The highest level each sample was part of that was held for the sustain time: what the verdict would count there. A stretch
/// shorter than that counts as its lowest.
fn held(t: &[f64], v: &[f64], sustain_s: f64) -> Vec<f64> {
    let lowest = v.iter().copied().fold(f64::INFINITY, f64::min);
    let mut out = vec![lowest; v.len()];
    for i in 0..t.len() {
        let Some(j) = (i..t.len()).find(|&j| support(t, i, j) >= sustain_s - 1e-9) else { break };
        let low = v[i..=j].iter().copied().fold(f64::INFINITY, f64::min);
        out[i..=j].iter_mut().for_each(|x| *x = x.max(low));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_blip_shorter_than_the_sustain_time_does_not_stand_in_the_lane() {
        let t: Vec<f64> = (0..10).map(|i| f64::from(i) * 0.1).collect();
        let v = [0.5, 1.4, 0.5, 0.6, 1.2, 1.3, 1.25, 1.2, 0.4, 0.4];
        let h = held(&t, &v, 0.3);
        assert!(h[1] < 1.0, "one sample of 0.1 s: {h:?}");
        assert!(h[4..8].iter().all(|x| *x >= 1.2), "held for 0.4 s: {h:?}");
        assert_eq!(held(&t, &v, 0.0), v, "without a sustain time every sample counts");
        assert_eq!(held(&t[..2], &v[..2], 9.0), [0.5, 0.5]);
    }
}
