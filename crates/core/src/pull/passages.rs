//! A measured engine speed that falls back within a sweep: each speed stands where it was first passed.

use super::trace::PowerTrace;
use crate::findings::Finding;

/// A measured engine speed may waver by this much within a sweep, rpm (our choice: half a step of the grid).
const WAVERS_RPM: f64 = 25.0;

/// Leaves out what lies behind the speed reached already, and says so.
pub(super) fn first_passages(p: &mut PowerTrace, falling: bool) -> Option<Finding> {
    let ahead = |x: f64, y: f64| if falling { x < y } else { x > y };
    let mut reached = p.rpm.first().copied()?;
    let mut keep = vec![true; p.rpm.len()];
    let (mut most, mut from) = (0.0_f64, reached);
    let mut i = 0;
    while i < p.rpm.len() {
        if !ahead(reached, p.rpm[i]) {
            reached = p.rpm[i];
            i += 1;
            continue;
        }
        let back = p.rpm[i..].iter().position(|x| !ahead(reached, *x)).map_or(p.rpm.len(), |k| i + k);
        let depth = p.rpm[i..back].iter().map(|x| (x - reached).abs()).fold(0.0, f64::max);
        if depth > WAVERS_RPM {
            keep[i..back].iter_mut().for_each(|k| *k = false);
            if depth > most {
                (most, from) = (depth, reached);
            }
        }
        i = back;
    }
    if most <= 0.0 {
        return None;
    }
    let starts = std::mem::take(&mut p.starts);
    for (at, i) in (0..keep.len()).filter(|i| keep[*i]).enumerate() {
        if at == 0 || starts.contains(&i) || !keep[i - 1] {
            p.starts.push(at);
        }
    }
    for v in [&mut p.t, &mut p.rpm, &mut p.shaft_rpm, &mut p.power_kw, &mut p.torque_nm, &mut p.rate] {
        retain(v, &keep);
    }
    retain(&mut p.edge, &keep);
    Some(Finding::SpeedFellBack { from_rpm: from, by_rpm: most })
}

fn retain<T>(v: &mut Vec<T>, keep: &[bool]) {
    let mut k = keep.iter();
    v.retain(|_| k.next().copied().unwrap_or(true));
}
