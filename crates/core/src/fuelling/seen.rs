//! What the mixture of a pull did against its target, with the transport delay taken out.

use crate::log::Series;
use crate::signal::runs::runs;
use serde::Serialize;

/// Leaner than wanted by this much λ for [`HELD_S`] is an excursion, richer by [`RICH`] is more than useful (our choice:
/// three and six times what a wide-band probe repeats to).
const LEAN: f64 = 0.03;
const RICH: f64 = 0.06;
const HELD_S: f64 = 0.2;
/// A mixture that crosses its own mean at least so often a second, by this much, oscillates (our choice).
const CROSSINGS_HZ: f64 = 1.5;
const SWING: f64 = 0.015;
const LONG_S: f64 = 1.5;
/// A probe that stays at one value for this long from the start, s, has not lit (our choice).
const COLD_S: f64 = 1.0;

/// One thing seen. Times are on the clock of the recording, engine speeds where it began.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Seen {
    /// What.
    pub what: What,
    /// From, s.
    pub from_s: f64,
    /// To, s.
    pub to_s: f64,
    /// Engine speed there, rpm.
    pub rpm: Option<f64>,
}

/// Kinds of things seen of a mixture.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum What {
    /// Leaner than wanted, by so much λ at most.
    Lean { by: f64, fuel_was_cut: bool },
    /// Richer than wanted.
    Rich { by: f64 },
    /// To and fro.
    Oscillating { hz: f64, swing: f64 },
    /// At the end of what the probe reads.
    EndOfRange { value: f64 },
    /// The probe was not yet hot.
    WarmingUp,
}

/// Recordings a mixture is held against.
#[derive(Debug, Clone, Copy)]
pub struct Around<'a> {
    /// Wanted.
    pub target: &'a Series,
    /// Engine speed.
    pub speed: Option<&'a Series>,
    /// Fuel cut, 0 or 1.
    pub fuel_cut: Option<&'a Series>,
    /// The pull.
    pub span: [f64; 2],
    /// Transport delay, s: what is measured at t was burned at t − delay.
    pub delay_s: f64,
}

/// Everything seen of a mixture in a pull, in order of time.
pub fn seen(lambda: &Series, a: &Around<'_>) -> Vec<Seen> {
    let [from, to] = a.span;
    let inside = lambda.between(from + a.delay_s, to + a.delay_s);
    if inside.len() < 3 {
        return Vec::new();
    }
    let t: Vec<f64> = inside.t.iter().map(|t| t - a.delay_s).collect();
    let v = &inside.v;
    let mut out = Vec::new();
    let at = |t: f64| a.speed.and_then(|n| n.at(t));
    let cold = v.iter().take_while(|x| (**x - v[0]).abs() < 1e-6).count();
    let mut start = 0;
    if cold < v.len() && t[cold - 1] - t[0] >= COLD_S && a.span[0] + 0.5 >= t[0] {
        out.push(Seen { what: What::WarmingUp, from_s: t[0], to_s: t[cold - 1], rpm: at(t[0]) });
        start = cold;
    }
    let stuck = at_end(v, &t, start);
    out.extend(stuck.iter().map(|&(i, j)| Seen {
        what: What::EndOfRange { value: v[i] },
        from_s: t[i],
        to_s: t[j],
        rpm: at(t[i]),
    }));
    let off: Vec<Option<f64>> =
        (0..v.len()).map(|i| (i >= start).then(|| a.target.at(t[i]).map(|w| v[i] - w)).flatten()).collect();
    for (sign, by) in [(1.0, LEAN), (-1.0, RICH)] {
        for (i, j) in stretches(&off, |d| sign * d > by) {
            if t[j] - t[i] < HELD_S || stuck.iter().any(|s| s.0 <= i && j <= s.1) {
                continue;
            }
            let most = off[i..=j].iter().flatten().map(|d| sign * d).fold(0.0, f64::max);
            let what = if sign > 0.0 {
                What::Lean { by: most, fuel_was_cut: a.fuel_cut.is_some_and(|c| was_cut(c, t[i], t[j])) }
            } else {
                What::Rich { by: most }
            };
            out.push(Seen { what, from_s: t[i], to_s: t[j], rpm: at(t[i]) });
        }
    }
    out.extend(oscillation(&off, &t).map(|(i, j, hz, swing)| Seen {
        what: What::Oscillating { hz, swing },
        from_s: t[i],
        to_s: t[j],
        rpm: at(t[i]),
    }));
    out.sort_by(|a, b| a.from_s.total_cmp(&b.from_s));
    out
}

/// Whether fuel was cut in a stretch or just before it.
fn was_cut(cut: &Series, from: f64, to: f64) -> bool {
    let inside = cut.between(from - 0.4, to).v;
    inside.iter().filter(|c| **c > 0.5).count() * 5 > inside.len().max(1)
}

/// First and last sample of every stretch over which something holds.
fn stretches(v: &[Option<f64>], on: impl Fn(f64) -> bool) -> Vec<(usize, usize)> {
    runs(v.len(), |i| v[i].is_some_and(&on)).into_iter().map(|(a, b)| (a, b - 1)).collect()
}

/// Stretches of at least 0.3 s at the highest or the lowest value, to the last digit.
fn at_end(v: &[f64], t: &[f64], start: usize) -> Vec<(usize, usize)> {
    let (low, high) =
        v[start..].iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), x| (a.min(*x), b.max(*x)));
    let some: Vec<Option<f64>> = v.iter().enumerate().map(|(i, x)| (i >= start).then_some(*x)).collect();
    let ends = [low, high].into_iter().flat_map(|end| stretches(&some, move |x| (x - end).abs() < 1e-9));
    ends.filter(|(i, j)| high > low && j - i >= 4 && t[*j] - t[*i] >= 0.3).collect()
}

/// The longest stretch in which the difference goes to and fro around its own running mean.
fn oscillation(off: &[Option<f64>], t: &[f64]) -> Option<(usize, usize, f64, f64)> {
    let mut best: Option<(usize, usize, f64, f64)> = None;
    for (a, b) in stretches(off, |_| true) {
        let d: Vec<f64> = off[a..=b].iter().flatten().copied().collect();
        let step = (t[b] - t[a]) / d.len().max(2) as f64;
        let half = ((0.5 / step.max(1e-6)) as usize).max(2);
        let mean = |i: usize| {
            let part = &d[i.saturating_sub(half)..(i + half + 1).min(d.len())];
            part.iter().sum::<f64>() / part.len() as f64
        };
        let rest: Vec<f64> = (0..d.len()).map(|i| d[i] - mean(i)).collect();
        // Half-waves between crossings of nothing, each with its height.
        let (mut waves, mut from): (Vec<(usize, f64)>, usize) = (Vec::new(), 0);
        for i in 1..rest.len() {
            if rest[i].signum() != rest[i - 1].signum() {
                waves.push((i, rest[from..i].iter().map(|x| x.abs()).fold(0.0, f64::max)));
                from = i;
            }
        }
        let mut k = 0;
        while k < waves.len() {
            let strong = waves[k..].iter().take_while(|w| w.1 >= SWING).count();
            if strong >= 4 {
                let (i, j) = (a + waves[k].0, a + waves[k + strong - 1].0);
                let (long, height) =
                    (t[j] - t[i], waves[k..k + strong].iter().map(|w| w.1).sum::<f64>() / strong as f64);
                let hz = (strong - 1) as f64 / 2.0 / long;
                if long >= LONG_S && hz * 2.0 >= CROSSINGS_HZ && best.is_none_or(|b| t[b.1] - t[b.0] < long) {
                    best = Some((i, j, hz, 2.0 * height));
                }
            }
            k += strong.max(1);
        }
    }
    best
}

#[cfg(test)]
mod tests {
    use super::*;

    fn times() -> Vec<f64> {
        (0..400).map(|i| f64::from(i) * 0.02).collect()
    }

    fn of(f: impl Fn(f64) -> f64) -> Series {
        Series { v: times().iter().map(|t| f(*t)).collect(), t: times() }
    }

    fn noise(t: f64) -> f64 {
        ((t * 12_989.8).sin() * 43_758.5).fract() * 0.004
    }

    fn seen_of(lambda: &Series, cut: Option<&Series>, delay_s: f64) -> Vec<Seen> {
        let (target, speed) = (of(|t| 0.9 - 0.01 * t), of(|t| 2000.0 + 500.0 * t));
        seen(
            lambda,
            &Around { target: &target, speed: Some(&speed), fuel_cut: cut, span: [0.2, 7.5], delay_s },
        )
    }

    #[test]
    fn a_mixture_on_target_shows_nothing() {
        assert_eq!(seen_of(&of(|t| 0.9 - 0.01 * t + noise(t)), None, 0.0), []);
    }

    #[test]
    fn each_departure_is_found_where_it_was() {
        let base = |t: f64| 0.9 - 0.01 * t + noise(t);
        let lean = of(|t| base(t) + if (3.1..3.8).contains(&t) { 0.05 } else { 0.0 });
        let s = seen_of(&lean, None, 0.1);
        assert!(
            matches!(s[..], [Seen { what: What::Lean { by, fuel_was_cut: false }, .. }] if (by - 0.05).abs() < 0.01),
            "{s:?}"
        );
        assert!((s[0].from_s - 3.0).abs() < 0.03, "the delay is taken out: {s:?}");
        assert!((s[0].rpm.unwrap() - 3500.0).abs() < 20.0);
        let cut = of(|t| f64::from(u8::from((2.9..3.5).contains(&t))));
        let s = seen_of(&lean, Some(&cut), 0.1);
        assert!(matches!(s[0].what, What::Lean { fuel_was_cut: true, .. }), "labelled, not dropped");
        let rich = seen_of(&of(|t| base(t) - if t > 5.0 { 0.1 } else { 0.0 }), None, 0.0);
        assert!(matches!(rich[..], [Seen { what: What::Rich { .. }, .. }]), "{rich:?}");
        let to_and_fro = seen_of(&of(|t| base(t) + 0.02 * (t * 18.0).sin()), None, 0.0);
        assert!(
            matches!(to_and_fro[..], [Seen { what: What::Oscillating { hz, swing }, .. }] if (hz - 2.86).abs() < 0.4 && swing > 0.02),
            "{to_and_fro:?}"
        );
        let end = seen_of(&of(|t| base(t).max(0.86)), None, 0.0);
        assert!(
            end.iter().any(|s| matches!(s.what, What::EndOfRange { value } if (value - 0.86).abs() < 1e-9)),
            "{end:?}"
        );
        let cold = seen_of(&of(|t| if t < 2.0 { 1.05 } else { base(t) }), None, 0.0);
        assert!(matches!(cold[0].what, What::WarmingUp) && cold.len() == 1, "{cold:?}");
    }
}
