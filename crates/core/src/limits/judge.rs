//! The verdict on prepared samples: over first, then every way the data may fail to answer, then close or
//! clear.

use super::model::{Direction, Verdict};
use super::sources::Sources;
use super::traced::Traced;
use super::why::{Load, Reach, Why};
use super::windows::{Held, highest_held};
use super::{holes, parts};
use crate::pull::held::{BAND_SHARE, MIN_HOLD_S};
use crate::signal::runs::runs;

pub(super) struct Judged {
    pub(super) verdict: Verdict,
    pub(super) held: Option<Held>,
    /// First and last sample of the stretch spent over.
    pub(super) over_run: Option<(usize, usize)>,
    pub(super) why: Option<Why>,
}

/// Judges a traced limit.
pub(super) fn judge(traced: &Traced<'_>, sources: &Sources<'_>) -> Judged {
    let Traced { limit, s, gated, thresholds, .. } = traced;
    let sign = limit.direction.sign();
    let excess: Vec<f64> =
        s.v.iter().zip(thresholds).map(|(v, t)| t.map_or(f64::NAN, |t| sign * (v - t))).collect();
    let usable: Vec<bool> = (0..s.len()).map(|i| gated[i] && excess[i].is_finite()).collect();
    let mut held: Option<Held> = None;
    for (a, b) in runs(usable.len(), |i| usable[i]) {
        let sparse = (a..b)
            .filter(|&i| spacing(&s.t, i) > limit.sustain_s / 2.0 && excess[i] > 0.0)
            .max_by(|&i, &j| excess[i].total_cmp(&excess[j]))
            .map(|i| Held { from: i, to: i, at: i, level: excess[i] });
        for h in [highest_held(&s.t, &excess, a, b, limit.sustain_s), sparse].into_iter().flatten() {
            if held.is_none_or(|x| h.level > x.level) {
                held = Some(h);
            }
        }
    }
    if let Some(h) = held.filter(|h| h.level > 0.0) {
        let run = over_run(&excess, &usable, h);
        let seconds = s.t[(run.1 + 1).min(s.len() - 1)] - s.t[run.0.saturating_sub(1)];
        let (channel, above) = (limit.channel.clone(), limit.direction == Direction::Above);
        let why = Why::Crossed { channel, above, for_s: seconds, fuel_was_cut: false };
        return Judged { verdict: Verdict::Over, held: Some(h), over_run: Some(run), why: Some(why) };
    }
    let done = |verdict, why: Option<Why>| Judged { verdict, held, over_run: None, why };
    if let Some(why) = holes::hole(traced) {
        let why = parts::undefined(traced, sources, &why).unwrap_or(why);
        return done(Verdict::CantTell, Some(why));
    }
    if !gated.iter().any(|g| *g) {
        return done(Verdict::NotReached, Some(Why::NeverGated));
    }
    if let Some(why) = parts::cannot_answer(traced, sources).or_else(|| curve_ends(traced)) {
        return done(Verdict::CantTell, Some(why));
    }
    let Some(h) = held else {
        return done(Verdict::NotReached, Some(Why::NeverHeld { sustain_s: limit.sustain_s }));
    };
    let verdict = if h.level > -limit.caution { Verdict::Close } else { Verdict::Clear };
    done(verdict, reach(traced))
}

fn spacing(t: &[f64], i: usize) -> f64 {
    let before = if i > 0 { t[i] - t[i - 1] } else { 0.0 };
    let after = if i + 1 < t.len() { t[i + 1] - t[i] } else { 0.0 };
    before.max(after)
}

fn over_run(excess: &[f64], usable: &[bool], h: Held) -> (usize, usize) {
    let (mut a, mut b) = (h.at, h.at);
    while a > 0 && usable[a - 1] && excess[a - 1] > 0.0 {
        a -= 1;
    }
    while b + 1 < excess.len() && usable[b + 1] && excess[b + 1] > 0.0 {
        b += 1;
    }
    (a, b)
}

/// The threshold curve does not reach over what was gated.
fn curve_ends(traced: &Traced<'_>) -> Option<Why> {
    let Traced { s, gated, thresholds, .. } = traced;
    let inside = |t: f64| traced.judged_span().is_none_or(|[a, b]| t >= a && t <= b);
    (0..s.len()).any(|i| gated[i] && thresholds[i].is_none() && inside(s.t[i])).then_some(Why::CurveEnds)
}

fn reach(traced: &Traced<'_>) -> Option<Why> {
    let Traced { limit, s, gated, speed, .. } = traced;
    let at: Vec<(f64, f64)> = speed.as_ref().map_or_else(Vec::new, |n| {
        let mut read = n.reader();
        (0..s.len()).filter(|&i| gated[i]).filter_map(|i| Some((s.t[i], read.at(s.t[i])?))).collect()
    });
    let slow = limit.channel.kind().is_some_and(|k| k.name == "exhaust_temp");
    let out = Reach {
        top_rpm: at.iter().map(|p| p.1).reduce(f64::max),
        log_ends: traced.extent.is_some_and(|e| e.open),
        load: slow.then(|| match longest_held(&at) {
            s if s >= MIN_HOLD_S => Load::Held(s),
            _ => Load::Sweep,
        }),
        stand_ins: traced.gate.stand_ins.clone(),
    };
    (out != Reach::default()).then_some(Why::Reaches(out))
}

/// Longest time the speed stayed where it was, s; held as in a step test.
fn longest_held(at: &[(f64, f64)]) -> f64 {
    let (mut longest, mut start) = (0.0_f64, 0);
    for i in 1..at.len() {
        if (at[i].1 - at[start].1).abs() > BAND_SHARE * at[start].1 || at[i].0 - at[i - 1].0 > MIN_HOLD_S {
            start = i;
        }
        longest = longest.max(at[i].0 - at[start].0);
    }
    longest
}
