//! Targets of the engine computer that differ from other pulls of the same map: another map in the unit?

use super::beside::Beside;
use super::result::Measured;
use crate::analysis::given::SetInput;
use crate::channel::Channel;
use crate::findings::Finding;
use crate::signal::median::median_in_place;

/// Targets compared, with the difference that counts, in the channel's unit (our choice: beyond what a
/// computer trims by).
const TARGETS: [(&str, f64); 2] = [("boost_target", 6.0), ("lambda_target", 0.02)];
/// Read at multiples of this engine speed, rpm.
const EVERY_RPM: f64 = 250.0;
/// So many neighbouring speeds must differ (our choice).
const IN_A_ROW: usize = 3;
/// So many other pulls, and more than half of them, must agree on what is usual.
const OTHERS: usize = 2;

/// What is said to be in the unit: pulls that share it should share their targets. Nothing follows where no
/// map is named.
fn alike(a: &SetInput, b: &SetInput) -> bool {
    a.factors.contains_key("map")
        && ["map", "fuel", "boost"].iter().all(|f| a.factors.get(*f) == b.factors.get(*f))
}

/// A target at multiples of [`EVERY_RPM`], by number of the multiple.
type Target = Vec<(i64, f64)>;

/// A pull by set and place in it, with its target.
struct PullTarget {
    set: usize,
    pull: usize,
    target: Target,
}

/// One pull's target where it was pulled.
fn read(input: &SetInput, i: usize, m: &Measured, name: &str) -> Target {
    let p = &input.pulls[i];
    let beside = Beside { dyno: &p.dyno, ecu: p.ecu.as_deref().zip(m.alignment.usable_lag()) };
    let Some(s) = beside.series(name) else { return Vec::new() };
    let at = m.grid.rpm.iter().zip(&m.grid.time_s).filter(|(r, _)| (*r / EVERY_RPM).fract() == 0.0);
    at.filter_map(|(r, t)| Some(((r / EVERY_RPM) as i64, s.at(*t)?))).collect()
}

/// Flags pulls whose targets differ from what the other pulls of the same map, fuel and boost agree on.
pub(super) fn flag_other_targets(sets: &[SetInput], measured: &mut [Vec<Measured>]) {
    for (name, worth) in TARGETS {
        let all: Vec<PullTarget> = measured
            .iter()
            .enumerate()
            .flat_map(|(s, pulls)| pulls.iter().enumerate().map(move |(i, m)| (s, i, m)))
            .map(|(set, pull, m)| PullTarget { set, pull, target: read(&sets[set], pull, m, name) })
            .filter(|x| !x.target.is_empty())
            .collect();
        for own in &all {
            let others: Vec<&Target> = all
                .iter()
                .filter(|o| (o.set, o.pull) != (own.set, own.pull) && alike(&sets[o.set], &sets[own.set]))
                .map(|o| &o.target)
                .collect();
            if let Some((most, rpm)) = differs(&own.target, &others, worth) {
                measured[own.set][own.pull].flags.push(Finding::OtherTargets {
                    target: Channel::known(name),
                    most,
                    rpm,
                });
            }
        }
    }
}

/// The largest lasting difference to the median of the others, and where.
fn differs(own: &[(i64, f64)], others: &[&Target], worth: f64) -> Option<(f64, f64)> {
    let mut run: Vec<(i64, f64)> = Vec::new();
    let mut worst: Option<(f64, f64)> = None;
    for (k, v) in own {
        let mut there: Vec<f64> =
            others.iter().filter_map(|o| o.iter().find(|x| x.0 == *k).map(|x| x.1)).collect();
        let usual = if there.is_empty() { 0.0 } else { median_in_place(&mut there) };
        let agree = there.iter().filter(|x| (*x - usual).abs() < worth).count();
        let off = if agree < OTHERS || 2 * agree <= there.len() { 0.0 } else { v - usual };
        if off.abs() < worth || run.last().is_some_and(|l| l.0 + 1 != *k || l.1 * off < 0.0) {
            run.clear();
        }
        if off.abs() >= worth {
            run.push((*k, off));
        }
        if run.len() >= IN_A_ROW {
            for (k, off) in &run {
                if worst.is_none_or(|w| off.abs() > w.0.abs()) {
                    worst = Some((*off, *k as f64 * EVERY_RPM));
                }
            }
        }
    }
    worst
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sets_without_a_named_map_are_not_held_against_each_other() {
        let of = |map: &str| SetInput {
            factors: [("map".to_owned(), map.to_owned())].into(),
            ..SetInput::default()
        };
        assert!(alike(&of("C1"), &of("C1")) && !alike(&of("C1"), &of("C2")));
        assert!(!alike(&SetInput::default(), &SetInput::default()));
    }

    #[test]
    fn a_lasting_difference_counts_and_a_single_place_does_not() {
        let line = |f: &dyn Fn(i64) -> f64| (8..24).map(|k| (k, 150.0 + f(k))).collect::<Vec<_>>();
        let (usual, odd) = (line(&|_| 0.0), line(&|k| if k >= 20 { 12.0 + k as f64 } else { 0.0 }));
        assert_eq!(differs(&odd, &[&usual, &usual, &odd], 6.0), Some((35.0, 5750.0)));
        assert_eq!(differs(&usual, &[&usual, &odd, &usual], 6.0), None, "the odd one is outvoted");
        assert_eq!(differs(&odd, &[&usual], 6.0), None, "one other pull is no usage");
        assert_eq!(differs(&usual, &[&usual, &odd], 6.0), None, "two that contradict each other are none");
        assert_eq!(differs(&line(&|k| if k == 12 { 30.0 } else { 0.0 }), &[&usual, &usual], 6.0), None);
        assert_eq!(differs(&line(&|k| if k % 2 == 0 { 9.0 } else { -9.0 }), &[&usual, &usual], 6.0), None);
    }
}
