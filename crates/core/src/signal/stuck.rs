//! Sensors that stand still: frozen, or at the end of their range. Constant to the last digit proves nothing
//! by itself; what the channel does in the rest of the recording does.
// Rests are meant to the bit here: a sensor that stands still repeats its value exactly.
#![allow(clippy::float_cmp)]

use super::median::median_in_place;
use crate::channel::{Kind, Rest};
use crate::log::View;
use statrs::distribution::{ContinuousCDF, Normal};

/// A stretch shorter than this is nobody's standstill, s (our choice).
const MIN_STILL_S: f64 = 0.3;
/// Chance of a live sensor's standstill below which it is called frozen, and stuck at its end (which is one
/// coincidence more).
const FROZEN_CHANCE: f64 = 1e-6;
const END_CHANCE: f64 = 1e-4;
/// The channel's slope on engine speed must predict this many of its own smallest steps over the stretch
/// (domain, section 10).
const STEPS: f64 = 3.0;
/// The engine must move this far before a sensor may be asked to, rpm; further where nothing but its kind
/// speaks (our choice).
const EXCITED_RPM: f64 = 150.0;
const SWEPT_RPM: f64 = 500.0;
/// A standstill of a channel without a time of its own must last this long, s (our choice).
const STILL_AFTER_S: f64 = 0.5;
/// Samples needed elsewhere before anything is concluded from them.
const ENOUGH: usize = 10;
/// How often a live λ repeats its last digit where too little is seen of it to say (our choice: every second time).
const LAMBDA_REPEATS: f64 = 0.5;

/// A stretch of samples `from..to` at one exact value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Still {
    /// First sample.
    pub from: usize,
    /// One past the last.
    pub to: usize,
    /// The value.
    pub value: f64,
}

impl Still {
    fn samples(self) -> usize {
        self.to - self.from
    }

    fn seconds(self, t: &[f64]) -> f64 {
        t[self.to - 1] - t[self.from]
    }
}

/// Stretches of two samples and more at one exact value, each as long as it is.
pub(super) fn repeats(v: &[f64]) -> Vec<Still> {
    let mut out: Vec<Still> = Vec::new();
    let mut i = 1;
    while let Some(k) = next_repeat(v, i) {
        let from = k - 1;
        let to = (k..v.len()).find(|&j| v[j] != v[from]).unwrap_or(v.len());
        out.push(Still { from, to, value: v[from] });
        i = to + 1;
    }
    out
}

/// The first sample from `from` on that repeats the one before. Most do not: a block is passed at once.
fn next_repeat(v: &[f64], from: usize) -> Option<usize> {
    let mut i = from;
    while i < v.len() {
        let block = v.len().min(i + 64);
        let (now, before) = (&v[i..block], &v[i - 1..block - 1]);
        if now.iter().zip(before).fold(false, |any, (x, y)| any | (x == y)) {
            return (i..block).find(|&k| v[k] == v[k - 1]);
        }
        i = block;
    }
    None
}

/// Lowest and highest value; infinite without any. Eight values are looked at at once.
pub(super) fn extremes(v: &[f64]) -> (f64, f64) {
    let (mut low, mut high) = ([f64::INFINITY; 8], [f64::NEG_INFINITY; 8]);
    let blocks = v.chunks_exact(8);
    let rest = blocks.remainder();
    for c in blocks.chain(std::iter::once(rest)) {
        for (k, &x) in c.iter().enumerate() {
            low[k] = if x < low[k] { x } else { low[k] };
            high[k] = if x > high[k] { x } else { high[k] };
        }
    }
    (low.into_iter().fold(f64::INFINITY, f64::min), high.into_iter().fold(f64::NEG_INFINITY, f64::max))
}

/// Smallest step a channel was recorded with; `None` when it never moved.
pub fn resolution(v: &[f64]) -> Option<f64> {
    let step = |w: &[f64]| (w[1] - w[0]).abs();
    let real = |w: &&[f64]| step(w) > 1e-9 * w[0].abs().max(w[1].abs()).max(1e-6);
    v.windows(2).filter(real).map(step).reduce(f64::min)
}

/// How a channel breathes where it does not stand still.
#[derive(Debug, Clone, Copy)]
struct Liveliness {
    /// Chance that one more sample repeats the one before.
    repeat: f64,
    /// Whether noise, not only a trend, moves the last digit.
    noisy: bool,
    /// Longest run of one value, samples.
    longest: usize,
}

/// Noise of this many steps that bends the other way from sample to sample in this share of places is noise on any
/// slope (our choice: rounding alone makes less than half a step, white noise flips in three of four).
const NOISE_STEPS: f64 = 1.0;
const FLIPS: f64 = 0.5;
/// A standstill is this many times as long as any other (our choice).
const OUTLASTS: usize = 4;

impl Liveliness {
    /// From the samples outside a stretch: those of the pull where there are enough, else all. `pull` are its
    /// samples; a rest outside it is no measure of how long a channel may stand still in it.
    fn outside(v: &[f64], still: Still, pull: (usize, usize)) -> Option<Self> {
        let own = vec![&v[pull.0.min(still.from)..still.from], &v[still.to..pull.1.max(still.to)]];
        Self::of(v, own, || vec![&v[..still.from], &v[still.to..]])
    }

    /// From the samples that are not at a value: a sensor that comes to its end again and again is no
    /// livelier for it.
    fn away_from(v: &[f64], value: f64, pull: (usize, usize)) -> Option<Self> {
        let own = v[pull.0..pull.1].split(|x| *x == value).filter(|p| !p.is_empty()).collect();
        Self::of(v, own, || v.split(|x| *x == value).filter(|p| !p.is_empty()).collect())
    }

    /// `None` where too little is seen of it.
    fn of<'v>(v: &[f64], own: Vec<&'v [f64]>, all: impl FnOnce() -> Vec<&'v [f64]>) -> Option<Self> {
        let single = own.iter().any(|p| !p.is_empty());
        let longest =
            own.iter().flat_map(|p| repeats(p)).map(Still::samples).fold(usize::from(single), usize::max);
        let bent = |parts: &[&[f64]]| parts.iter().map(|p| p.len().saturating_sub(2)).sum::<usize>();
        let enough = own.iter().map(|p| p.len()).sum::<usize>() >= 2 * ENOUGH && bent(&own) >= ENOUGH;
        let parts = if enough { own } else { all() };
        let step = resolution(v)?;
        let (mut turns, mut bends, mut same, mut pairs) = (0usize, Vec::new(), 0usize, 0usize);
        for p in &parts {
            same += p.windows(2).filter(|w| w[0] == w[1]).count();
            pairs += p.len().saturating_sub(1);
            for w in p.windows(3) {
                turns += usize::from((w[1] - w[0]) * (w[2] - w[1]) < 0.0);
                bends.push((w[2] - 2.0 * w[1] + w[0]).abs());
            }
        }
        if bends.len() < ENOUGH {
            return None;
        }
        let share = turns as f64 / bends.len() as f64;
        // On a slope nothing turns, and yet noise shows: it bends to and fro, a smooth curve to one side.
        let flips: usize = parts.iter().map(|p| to_and_fro(p)).sum();
        let flips = flips as f64 / bends.len() as f64;
        // Second differences of white noise have six times its variance.
        let sd = median_in_place(&mut bends) / (0.6745 * 6.0_f64.sqrt());
        // Noise of the size of a step repeats more often where its middle lies on a step than elsewhere.
        let by_step =
            if sd >= 0.5 * step { Normal::standard().cdf(0.5 * step / sd).mul_add(2.0, -1.0) } else { 0.0 };
        Some(Self {
            repeat: (same as f64 / pairs.max(1) as f64).max(by_step).clamp(0.03, 1.0),
            noisy: share >= 0.1 || sd >= NOISE_STEPS * step && flips >= FLIPS,
            longest,
        })
    }

    /// Whether a standstill of that many samples is less likely than `chance`.
    fn forbids(self, samples: usize, chance: f64) -> bool {
        self.noisy
            && samples >= OUTLASTS * self.longest
            && (samples as f64 - 1.0) * self.repeat.ln() < chance.ln()
    }
}

/// Places where a line bends the other way than just before.
fn to_and_fro(v: &[f64]) -> usize {
    let bend = |w: &[f64]| w[2] - 2.0 * w[1] + w[0];
    v.windows(4).filter(|w| bend(&w[..3]) * bend(&w[1..]) < 0.0).count()
}

/// One channel over one pull, with the engine speed on the same clock.
#[derive(Debug, Clone, Copy)]
pub struct Watched<'a> {
    /// The channel.
    pub s: View<'a>,
    /// What it is.
    pub kind: &'a Kind,
    /// Engine (or shaft) speed.
    pub speed: Option<View<'a>>,
    /// Start and end of the pull; outside it a sensor may rest.
    pub pull: Option<[f64; 2]>,
}

impl Watched<'_> {
    /// First sample in the pull and one past the last; all of them without a pull.
    fn inside(&self) -> (usize, usize) {
        match self.pull {
            Some([a, b]) => (self.s.t.partition_point(|t| *t < a), self.s.t.partition_point(|t| *t <= b)),
            None => (0, self.s.len()),
        }
    }

    /// Stretches of one value, cut to the pull.
    fn stills(&self) -> Vec<Still> {
        let (a, b) = self.inside();
        repeats(&self.s.v[a..b.max(a)])
            .into_iter()
            .map(|s| Still { from: s.from + a, to: s.to + a, ..s })
            .collect()
    }

    /// Stretches in the pull over which a live sensor would have moved.
    ///
    /// Either its noise elsewhere says so, or its slope on engine speed in the rest of the pull predicts
    /// three of its smallest steps. What is regulated may be flat and is asked for its noise only, or for a
    /// difference between a closed throttle and an open one.
    ///
    /// # Formula
    /// Frozen by noise: `q^(m−1) < 10⁻⁶`, `m ≥ 4·m_max` and the channel turns in a tenth of the places at
    /// least, or bends to and fro in half of them by noise of a step or more. Frozen by slope: `|b|·Δn ≥ 3·δ` with `b = Σ(nᵢ−n̄)(vᵢ−v̄) / Σ(nᵢ−n̄)²`.
    ///
    /// where
    /// - `m`: samples of the standstill; `m_max`: longest standstill elsewhere;
    /// - `q`: chance that a sample repeats the one before: the share that does elsewhere, and at least
    ///   `2·Φ(δ/2σ) − 1` where the noise is half a step or more; `σ = median|v₊₁ − 2v + v₋₁| / (0.6745·√6)`;
    /// - `δ`: smallest step the channel was recorded with; `Φ`: the standard normal distribution;
    /// - `b`: slope of the channel on engine speed outside the standstill, per rpm; `Δn`: travel of engine
    ///   speed during it, rpm.
    ///
    /// Three steps are domain, section 10; the chance, the noise and the least lengths are our choice.
    ///
    /// # Examples
    /// ```
    /// use jamjar_core::{channel::KINDS, log::Series, signal::stuck::Watched};
    ///
    /// let t: Vec<f64> = (0..400).map(|i| 0.02 * f64::from(i)).collect();
    /// let speed = Series { t: t.clone(), v: t.iter().map(|t| 2000.0 + 500.0 * t).collect() };
    /// let live = |t: f64| (40.0 + 10.0 * t).round();
    /// let v = t.iter().map(|t| live(t.min(4.0))).collect();
    /// let kind = KINDS.iter().find(|k| k.name == "back_pressure").unwrap();
    /// let log = Series { t, v };
    /// let watched = Watched { s: log.view(), kind, speed: Some(speed.view()), pull: Some([0.0, 8.0]) };
    /// let frozen = watched.frozen();
    /// assert_eq!(frozen.len(), 1);
    /// assert!((3.9..4.1).contains(&watched.s.t[frozen[0].from]));
    /// ```
    pub fn frozen(&self) -> Vec<Still> {
        self.stills().into_iter().filter(|s| self.is_frozen(*s)).collect()
    }

    fn is_frozen(&self, still: Still) -> bool {
        let View { t, v } = self.s;
        let seconds = still.seconds(t);
        if seconds < MIN_STILL_S || still.samples() < 4 || self.kind.rest == Rest::Natural {
            return false;
        }
        let elsewhere = Liveliness::outside(v, self.widest(still), self.inside());
        if elsewhere.is_some_and(|l| l.forbids(still.samples(), FROZEN_CHANCE)) {
            return true;
        }
        let Some((rest_rpm, moved)) = self.speed.map(|n| (n, travelled(n, t[still.from], t[still.to - 1])))
        else {
            return false;
        };
        let after = self.kind.frozen_after_s.unwrap_or(STILL_AFTER_S);
        if self.kind.rest == Rest::Regulated {
            return self.never_moved() && moved >= SWEPT_RPM && seconds > after;
        }
        // Through the lift and on at the same value is one standstill.
        if self.widest(still).seconds(t) <= after || moved < EXCITED_RPM {
            return false;
        }
        match self.slope(still, rest_rpm) {
            Some((slope, step)) => slope.abs() * moved >= STEPS * step,
            None => moved >= SWEPT_RPM,
        }
    }

    /// The whole stretch a cut one is part of.
    fn widest(&self, still: Still) -> Still {
        let v = self.s.v;
        let from = (0..still.from).rev().take_while(|&i| v[i] == still.value).last().unwrap_or(still.from);
        let to = (still.to..v.len()).take_while(|&i| v[i] == still.value).last().map_or(still.to, |i| i + 1);
        Still { from, to, ..still }
    }

    /// One value from end to end of a recording that also holds a second of something else than the pull.
    fn never_moved(&self) -> bool {
        let (a, b) = self.inside();
        let t = self.s.t;
        let outside =
            if self.pull.is_some() && b > a { (t[t.len() - 1] - t[b - 1]) + (t[a] - t[0]) } else { 0.0 };
        outside >= 1.0 && self.s.v.iter().all(|x| *x == self.s.v[0])
    }

    /// Slope of the channel on engine speed in the rest of the pull, per rpm, and the channel's smallest
    /// step.
    fn slope(&self, still: Still, speed: View<'_>) -> Option<(f64, f64)> {
        let (a, b) = self.inside();
        let mut at = speed.reader();
        let rest: Vec<(f64, f64)> = (a..b)
            .filter(|i| !(still.from..still.to).contains(i))
            .filter_map(|i| Some((at.at(self.s.t[i])?, self.s.v[i])))
            .collect();
        let n = rest.len() as f64;
        let (mx, my) = (rest.iter().map(|p| p.0).sum::<f64>() / n, rest.iter().map(|p| p.1).sum::<f64>() / n);
        let (xx, xy) = rest
            .iter()
            .fold((0.0, 0.0), |(xx, xy), (x, y)| (xx + (x - mx).powi(2), xy + (x - mx) * (y - my)));
        let spread =
            rest.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), p| (l.min(p.0), h.max(p.0)));
        let step = resolution(self.s.v)?;
        (rest.len() >= ENOUGH && spread.1 - spread.0 >= EXCITED_RPM && xx > 0.0).then(|| (xy / xx, step))
    }

    /// Stretches in the pull at the top (`true`) or the bottom of everything the channel ever read, where it
    /// would not stay of itself: its noise stopped, or it came there on a slope that went on.
    pub fn at_end(&self) -> Vec<(Still, bool)> {
        let v = self.s.v;
        if !self.kind.saturates {
            return Vec::new();
        }
        let (low, high) = extremes(v);
        let ends = |s: &Still| low < high && (s.value == low || s.value == high);
        let long = |s: &Still| {
            let seconds = s.seconds(self.s.t);
            s.samples() >= 4 && seconds >= MIN_STILL_S || s.samples() >= 6 && seconds >= 0.5 * MIN_STILL_S
        };
        let stuck = |s: &Still| {
            let other = Liveliness::away_from(v, s.value, self.inside());
            // A wideband sensor has ends within what engines do, and nothing holds λ flat to the last digit
            // on its way. It may leave its end for single samples only, which tell nothing of how it breathes.
            let other = if self.kind.name == "lambda" {
                let unseen = Liveliness { repeat: LAMBDA_REPEATS, noisy: true, longest: 0 };
                Some(other.map_or(unseen, |o| Liveliness { noisy: true, ..o }))
            } else {
                other
            };
            other.is_some_and(|o| o.forbids(s.samples(), END_CHANCE))
                || self.kind.rest == Rest::Driven && self.was_cut_off(*s)
        };
        self.stills()
            .into_iter()
            .filter(|s| ends(s) && long(s) && stuck(s))
            .map(|s| (s, s.value == high))
            .collect()
    }

    /// Whether the channel came to its end on a slope that would have carried it on by many of its steps.
    fn was_cut_off(&self, still: Still) -> bool {
        let View { t, v } = self.s;
        let seconds = still.seconds(t);
        let before = self.s.between(t[still.from] - seconds.min(1.0), t[still.from]);
        let Some(step) = resolution(v).filter(|_| {
            before.len() >= 4 && seconds > self.kind.frozen_after_s.unwrap_or(STILL_AFTER_S) / 2.0
        }) else {
            return false;
        };
        // Of the last half of the way only: what levels off is no end of range.
        let late = &before.v[before.len() / 2..];
        let time = before.t[before.len() - 1] - before.t[before.len() / 2];
        time > 0.0 && (late[late.len() - 1] - late[0]).abs() / time * seconds >= 5.0 * step
    }
}

/// How far the engine moved between two times, from its lowest to its highest.
pub fn travelled(speed: View<'_>, from_s: f64, to_s: f64) -> f64 {
    let inside = speed.between(from_s, to_s);
    let ends = [speed.at(from_s), speed.at(to_s)];
    // The extremes, not the ends: up through a pull and down again afterwards is movement too.
    let (low, high) = inside
        .v
        .iter()
        .copied()
        .chain(ends.into_iter().flatten())
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
    (high - low).max(0.0)
}

#[cfg(test)]
#[path = "stuck_test.rs"]
mod tests;
