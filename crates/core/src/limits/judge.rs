//! The verdict on prepared samples: over first, then every way the data may fail to answer, then close or
//! clear.

use super::model::{Direction, Verdict};
use super::sources::Sources;
use super::traced::{Thresholds, Traced};
use super::why::{Load, Reach, Why};
use super::windows::{Held, highest_held};
use super::{holes, parts};
use crate::pull::held::MIN_HOLD_S;
use crate::signal::runs::runs;

pub(super) struct Judged {
    pub(super) verdict: Verdict,
    pub(super) held: Option<Held>,
    /// First and last sample of the stretch spent over.
    pub(super) over_run: Option<(usize, usize)>,
    pub(super) why: Option<Why>,
}

/// Judges a traced limit.
pub(super) fn judge<'a>(traced: &Traced<'_, 'a>, sources: &Sources<'a>) -> Judged {
    let Traced { limit, s, .. } = traced;
    let held = worst(traced);
    if let Some(h) = held.filter(|h| h.level > 0.0) {
        let run = over_run(traced, h);
        let seconds = s.t[(run.1 + 1).min(s.t.len() - 1)] - s.t[run.0.saturating_sub(1)];
        let (channel, above) = (limit.channel.clone(), limit.direction == Direction::Above);
        let why = Why::Crossed { channel, above, for_s: seconds, fuel_was_cut: false };
        return Judged { verdict: Verdict::Over, held: Some(h), over_run: Some(run), why: Some(why) };
    }
    let done = |verdict, why: Option<Why>| Judged { verdict, held, over_run: None, why };
    if let Some(why) = holes::hole(traced) {
        let why = parts::undefined(traced, sources, &why).unwrap_or(why);
        return done(Verdict::CantTell, Some(why));
    }
    if traced.base.open.is_empty() {
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

impl Traced<'_, '_> {
    /// How far a sample lies on the wrong side, channel units; not a number where the curve does not reach.
    fn excess(&self, i: usize) -> f64 {
        let sign = self.limit.direction.sign();
        self.thresholds.at(i).map_or(f64::NAN, |x| sign * (self.s.v[i] - x))
    }

    /// Stretches inside the gate over which the limit is drawn.
    fn usable(&self) -> Vec<(usize, usize)> {
        match &self.thresholds {
            Thresholds::One(_) => self.base.open.clone(),
            Thresholds::Each(all) => runs(all.len(), |i| self.base.gated[i] && self.excess(i).is_finite()),
        }
    }
}

/// The most adverse level held, or a lone sample over where samples are sparse.
fn worst(traced: &Traced<'_, '_>) -> Option<Held> {
    let (v, sign): (&[f64], f64) = (&traced.s.v, traced.limit.direction.sign());
    match &traced.thresholds {
        Thresholds::One(x) => worst_of(traced, |i| sign * (v[i] - x)),
        Thresholds::Each(all) => worst_of(traced, |i| all[i].map_or(f64::NAN, |x| sign * (v[i] - x))),
    }
}

fn worst_of(traced: &Traced<'_, '_>, excess: impl Fn(usize) -> f64 + Copy) -> Option<Held> {
    let (t, sustain): (&[f64], f64) = (&traced.s.t, traced.limit.sustain_s);
    let mut held: Option<Held> = None;
    for (a, b) in traced.usable() {
        let lone = (traced.base.widest_s > sustain / 2.0).then(|| {
            (a..b)
                .filter(|&i| spacing(t, i) > sustain / 2.0 && excess(i) > 0.0)
                .max_by(|&i, &j| excess(i).total_cmp(&excess(j)))
                .map(|i| Held { from: i, to: i, at: i, level: excess(i) })
        });
        for h in [highest_held(t, excess, a, b, sustain), lone.flatten()].into_iter().flatten() {
            if held.is_none_or(|x| h.level > x.level) {
                held = Some(h);
            }
        }
    }
    held
}

fn spacing(t: &[f64], i: usize) -> f64 {
    let before = if i > 0 { t[i] - t[i - 1] } else { 0.0 };
    let after = if i + 1 < t.len() { t[i + 1] - t[i] } else { 0.0 };
    before.max(after)
}

/// The whole stretch over the limit a level is part of.
fn over_run(traced: &Traced<'_, '_>, h: Held) -> (usize, usize) {
    let over = |i: usize| traced.base.gated[i] && traced.excess(i) > 0.0;
    let from = (0..h.at).rev().take_while(|&i| over(i)).last().unwrap_or(h.at);
    let to = (h.at + 1..traced.s.t.len()).take_while(|&i| over(i)).last().unwrap_or(h.at);
    (from, to)
}

/// The threshold curve does not reach over what was gated.
fn curve_ends(traced: &Traced<'_, '_>) -> Option<Why> {
    let Thresholds::Each(all) = &traced.thresholds else { return None };
    let inside = |t: f64| traced.judged_span().is_none_or(|[a, b]| t >= a && t <= b);
    let ends = |i: usize| traced.base.gated[i] && all[i].is_none() && inside(traced.s.t[i]);
    (0..all.len()).any(ends).then_some(Why::CurveEnds)
}

fn reach(traced: &Traced<'_, '_>) -> Option<Why> {
    let reached = traced.base.reached(&traced.s.t);
    let slow = traced.limit.channel.kind().is_some_and(|k| k.name == "exhaust_temp");
    let out = Reach {
        top_rpm: reached.top_rpm,
        log_ends: traced.extent.is_some_and(|e| e.open),
        load: slow.then_some(match reached.held_s {
            s if s >= MIN_HOLD_S => Load::Held(s),
            _ => Load::Sweep,
        }),
        stand_ins: traced.base.gate.stand_ins.clone(),
    };
    (out != Reach::default()).then_some(Why::Reaches(out))
}
