//! The verdict on prepared samples: over first, then every way the data may fail to answer, then close or clear.

use super::model::{Limit, Verdict};
use super::windows::{Held, highest_held};
use crate::log::Series;
use crate::pull::held::{BAND_SHARE, MIN_HOLD_S};
use crate::signal::hygiene::{frozen, saturated, swept};

/// A gap inside the gate longer than this, or than the sustain time, hides too much, s.
const MAX_GAP_S: f64 = 0.2;
/// Half of the last digit of the time stamps recorders write, s.
const STAMP_S: f64 = 5e-4;

pub(super) struct Judged {
    pub(super) verdict: Verdict,
    pub(super) held: Option<Held>,
    /// First and last sample of the stretch spent over.
    pub(super) over_run: Option<(usize, usize)>,
    pub(super) reason: Option<String>,
}

pub(super) fn judge(limit: &Limit, s: &Series, gated: &[bool], thresholds: &[Option<f64>], speed: Option<&Series>) -> Judged {
    let sign = limit.direction.sign();
    let excess: Vec<f64> = s.v.iter().zip(thresholds).map(|(v, t)| t.map_or(f64::NAN, |t| sign * (v - t))).collect();
    let usable: Vec<bool> = (0..s.len()).map(|i| gated[i] && excess[i].is_finite()).collect();
    let mut held: Option<Held> = None;
    for (a, b) in runs(&usable) {
        let sparse =
            (a..b).find(|&i| spacing(&s.t, i) > limit.sustain_s / 2.0 && excess[i] > 0.0).map(|i| Held { from: i, to: i, at: i, level: excess[i] });
        for h in [highest_held(&s.t, &excess, a, b, limit.sustain_s), sparse].into_iter().flatten() {
            if held.is_none_or(|x| h.level > x.level) {
                held = Some(h);
            }
        }
    }
    if let Some(h) = held.filter(|h| h.level > 0.0) {
        let run = over_run(&excess, &usable, h);
        let seconds = s.t[(run.1 + 1).min(s.len() - 1)] - s.t[run.0.saturating_sub(1)];
        let reason = format!("{} {} the limit for {seconds:.2} s", limit.channel.label(), limit.direction.label());
        return Judged { verdict: Verdict::Over, held: Some(h), over_run: Some(run), reason: Some(reason) };
    }
    let done = |verdict, reason: Option<String>| Judged { verdict, held, over_run: None, reason };
    if !gated.iter().any(|g| *g) {
        return done(Verdict::NotReached, Some("the gate was never true".into()));
    }
    if let Some(why) = cannot_answer(limit, s, gated, thresholds, speed) {
        return done(Verdict::CantTell, Some(why));
    }
    let Some(h) = held else {
        return done(Verdict::NotReached, Some(format!("the gate never held for {} s", limit.sustain_s)));
    };
    let verdict = if h.level > -limit.caution { Verdict::Close } else { Verdict::Clear };
    done(verdict, reach(limit, s, gated, speed))
}

fn spacing(t: &[f64], i: usize) -> f64 {
    let before = if i > 0 { t[i] - t[i - 1] } else { 0.0 };
    let after = if i + 1 < t.len() { t[i + 1] - t[i] } else { 0.0 };
    before.max(after)
}

fn runs(mask: &[bool]) -> Vec<(usize, usize)> {
    let mut out = Vec::new();
    let mut start = None;
    for i in 0..=mask.len() {
        match (start, i < mask.len() && mask[i]) {
            (None, true) => start = Some(i),
            (Some(a), false) => {
                out.push((a, i));
                start = None;
            }
            _ => {}
        }
    }
    out
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

fn cannot_answer(limit: &Limit, s: &Series, gated: &[bool], thresholds: &[Option<f64>], speed: Option<&Series>) -> Option<String> {
    let touches = |a: usize, b: usize| gated[a..b].iter().any(|g| *g);
    if let Some(kind) = limit.channel.kind() {
        let toward = limit.direction.sign() > 0.0;
        if let Some((a, b, _)) = saturated(&s.t, &s.v, kind).into_iter().find(|(a, b, top)| *top == toward && touches(*a, *b)) {
            return Some(format!(
                "{} sat at the end of its range ({}) from {:.2} to {:.2} s, short of the limit: beyond is unknown",
                limit.channel.label(),
                s.v[a],
                s.t[a],
                s.t[b - 1]
            ));
        }
        let was_swept = |a: usize, b: usize| match speed {
            Some(n) => swept(n, s.t[a], s.t[b]),
            None => (a..=b).all(|i| gated[i]),
        };
        if let Some((a, b)) = frozen(&s.t, &s.v, kind, was_swept).filter(|(a, b)| touches(*a, *b)) {
            return Some(format!("{} stood still at {} from {:.2} to {:.2} s: frozen sensor?", limit.channel.label(), s.v[a], s.t[a], s.t[b - 1]));
        }
    }
    let longest = if limit.sustain_s > 0.0 { limit.sustain_s.min(MAX_GAP_S) } else { MAX_GAP_S };
    if let Some(i) = (1..s.len()).find(|&i| gated[i - 1] && gated[i] && s.t[i] - s.t[i - 1] > longest + STAMP_S) {
        return Some(format!("{} has a gap of {:.2} s at {:.2} s, longer than {longest} s", limit.channel.label(), s.t[i] - s.t[i - 1], s.t[i - 1]));
    }
    if (0..s.len()).any(|i| gated[i] && thresholds[i].is_none()) {
        return Some("the threshold curve does not reach over the whole gated range".into());
    }
    None
}

fn reach(limit: &Limit, s: &Series, gated: &[bool], speed: Option<&Series>) -> Option<String> {
    let at: Vec<(f64, f64)> =
        speed.map_or_else(Vec::new, |n| (0..s.len()).filter(|&i| gated[i]).filter_map(|i| Some((s.t[i], n.at(s.t[i])?))).collect());
    let top = at.iter().map(|p| p.1).reduce(f64::max).map(|rpm| format!("measured up to {:.0} rpm", (rpm / 10.0).floor() * 10.0));
    let slow = limit.channel.kind().is_some_and(|k| k.name == "exhaust_temp").then(|| match longest_held(&at) {
        s if s >= MIN_HOLD_S => format!("one speed held for {s:.0} s at most, not sustained load"),
        _ => "for a sweep, not sustained load".to_owned(),
    });
    let all: Vec<String> = top.into_iter().chain(slow).collect();
    (!all.is_empty()).then(|| all.join(", "))
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
