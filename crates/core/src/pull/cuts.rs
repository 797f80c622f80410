//! Fuel and spark cuts within a pull: power missing for a moment, which no filter may smear over its
//! neighbours.

use crate::log::Series;

/// Torque below this share of the line over the moment is a cut (domain, section 2).
const SHARE: f64 = 0.8;
/// The line joins what stands this long before and after, s.
const BESIDE_S: f64 = 0.2;
/// A cut is over within this time, s; what lasts longer is a weak stretch of the curve.
const LONGEST_S: f64 = 1.0;
/// One odd sample is a spike, not a cut, s (our choice).
const SHORTEST_S: f64 = 0.03;
/// Below this share of the pull's high torque nothing is looked for: a line through little is noise (our
/// choice).
const LOADED: f64 = 0.25;
/// Cuts this close together are one, s (our choice): no window fits between them.
const JOINED_S: f64 = 0.05;

/// Stretches of a cut channel, from the last sample before it to the first after it.
pub fn from_channel(s: &Series) -> Vec<[f64; 2]> {
    let mut out: Vec<[f64; 2]> = Vec::new();
    for i in (0..s.len()).filter(|&i| s.v[i] > 0.5) {
        let (a, b) = (s.t[i.saturating_sub(1)], s.t[(i + 1).min(s.len() - 1)]);
        match out.last_mut() {
            Some(last) if a <= last[1] => last[1] = b,
            _ => out.push([a, b]),
        }
    }
    out
}

/// Stretches in which raw torque falls under 80 % of the line joining what stands before and after, back
/// within a second.
pub fn from_torque(t: &[f64], torque: &[f64]) -> Vec<[f64; 2]> {
    let n = t.len().min(torque.len());
    let mut finite: Vec<f64> = torque[..n].iter().copied().filter(|v| v.is_finite()).collect();
    if finite.len() < 8 {
        return Vec::new();
    }
    let high = finite.len() * 9 / 10;
    let floor = LOADED * *finite.select_nth_unstable_by(high, f64::total_cmp).1;
    let mean = |from: usize, to: usize| {
        (to > from).then(|| torque[from..to].iter().sum::<f64>() / (to - from) as f64)
    };
    let mut out: Vec<[f64; 2]> = Vec::new();
    let (mut i, mut clear_from, mut behind) = (0, 0, 0);
    while i < n {
        while t[behind] < t[i] - BESIDE_S {
            behind += 1;
        }
        let before = mean(behind.max(clear_from), i).filter(|b| *b > floor);
        let end = before.filter(|b| torque[i] < SHARE * b).and_then(|b| back(t, torque, i, b));
        match end {
            Some(j) if t[j] - t[i] >= SHORTEST_S => {
                out.push([t[i.saturating_sub(1)], t[j]]);
                (i, clear_from) = (j, j);
            }
            _ => i += 1,
        }
    }
    out
}

/// First sample after `i` that stands on the line from `before` to what follows it.
fn back(t: &[f64], torque: &[f64], i: usize, before: f64) -> Option<usize> {
    for j in i + 1..t.len() {
        if t[j] - t[i] > LONGEST_S {
            return None;
        }
        let end = t.partition_point(|x| *x <= t[j] + BESIDE_S);
        let after = torque[j..end].iter().sum::<f64>() / (end - j) as f64;
        // What comes back to less than that is the pull's own end, or a weaker stretch.
        if torque[j] >= SHARE * 0.5 * (before + after) && after >= SHARE * before && torque[j] >= 0.9 * after
        {
            return Some(j);
        }
    }
    None
}

/// All cuts in order, those next to each other joined, inside `from..to`.
pub fn joined(mut all: Vec<[f64; 2]>, from: f64, to: f64) -> Vec<[f64; 2]> {
    all.retain(|c| c[1] > from && c[0] < to);
    all.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let mut out: Vec<[f64; 2]> = Vec::new();
    for c in all {
        match out.last_mut() {
            Some(last) if c[0] <= last[1] + JOINED_S => last[1] = last[1].max(c[1]),
            _ => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// 6 s at 100 Hz of torque that rises and falls gently, with something done to it.
    fn torque(f: impl Fn(f64, f64) -> f64) -> (Vec<f64>, Vec<f64>) {
        let t: Vec<f64> = (0..600).map(|i| f64::from(i) * 0.01).collect();
        let v = t
            .iter()
            .enumerate()
            .map(|(i, t)| f(*t, 200.0 + 40.0 * (t / 2.0).sin() + ((i * 7919 % 13) as f64 - 6.0) / 3.0))
            .collect();
        (t, v)
    }

    #[test]
    fn a_moment_without_torque_is_a_cut_and_a_weak_stretch_a_spike_and_an_end_are_not() {
        let (t, v) = torque(|t, v| if (3.0..3.2).contains(&t) { 0.3 * v } else { v });
        let cuts = from_torque(&t, &v);
        assert_eq!(cuts.len(), 1, "{cuts:?}");
        assert!((cuts[0][0] - 2.99).abs() < 0.02 && (cuts[0][1] - 3.2).abs() < 0.02, "{cuts:?}");
        for (name, f) in [
            ("nothing", &(|_, v| v) as &dyn Fn(f64, f64) -> f64),
            ("a spike", &|t, v| if (t - 3.0).abs() < 0.004 { 0.0 } else { v }),
            ("a weak stretch", &|t, v| if (3.0..4.5).contains(&t) { 0.7 * v } else { v }),
            ("the end", &|t, v| if t > 5.5 { 0.1 * v } else { v }),
            ("a dip of a tenth", &|t, v| if (3.0..3.2).contains(&t) { 0.9 * v } else { v }),
        ] {
            let (t, v) = torque(f);
            assert!(from_torque(&t, &v).is_empty(), "{name}");
        }
    }

    #[test]
    fn a_channel_says_from_the_last_good_sample_to_the_next() {
        let s = Series {
            t: (0..10).map(|i| f64::from(i) * 0.1).collect(),
            v: vec![0.0, 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 1.0, 0.0, 0.0],
        };
        let cuts = from_channel(&s);
        assert_eq!(cuts.len(), 2);
        assert!((cuts[0][0] - 0.2).abs() < 1e-9 && (cuts[0][1] - 0.5).abs() < 1e-9);
        assert_eq!(joined(cuts.clone(), 0.0, 0.55).len(), 1);
        assert_eq!(joined(vec![[1.0, 1.2], [1.22, 1.4]], 0.0, 9.0), [[1.0, 1.4]]);
    }
}
