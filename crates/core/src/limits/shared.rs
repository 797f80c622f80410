//! What limits have in common that judge one log through one gate: worked out once for all of them.

use super::gate::Gate;
use super::model::{Clock, GateTerm};
use crate::log::Samples;
use crate::pull::held::{BAND_SHARE, MIN_HOLD_S};
use crate::signal::median::median_interval;
use crate::signal::runs::runs;
use std::borrow::Cow;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// One time base under one gate.
#[derive(Debug)]
pub(super) struct Shared<'a> {
    pub(super) gate: Gate<'a>,
    /// Whether the gate was open at each sample.
    pub(super) gated: Vec<bool>,
    /// Stretches over which it was.
    pub(super) open: Vec<(usize, usize)>,
    /// Whether a channel of the gate is blank at any sample.
    pub(super) unknown: bool,
    /// Median interval, s.
    pub(super) interval_s: f64,
    /// Longest time between two samples, s.
    pub(super) widest_s: f64,
    pub(super) speed: Option<Samples<'a>>,
    reached: OnceLock<Reached>,
    speeds: OnceLock<Vec<f64>>,
}

/// What the engine did while the gate was open.
#[derive(Debug, Clone, Copy)]
pub(super) struct Reached {
    pub(super) top_rpm: Option<f64>,
    /// Longest time one speed was held, s.
    pub(super) held_s: f64,
}

/// What a shared base is known by. A borrowed time base is known by where it lies: it outlives all of them.
#[derive(Debug, Clone, PartialEq)]
struct Key {
    clock: Clock,
    at: usize,
    samples: usize,
    gate: Vec<GateTerm>,
    speed: &'static str,
}

/// The shared bases of one pull.
#[derive(Debug, Clone, Default)]
pub(super) struct Memo<'a>(Arc<Mutex<Vec<Known<'a>>>>);

type Known<'a> = (Key, Arc<Shared<'a>>);

impl<'a> Memo<'a> {
    /// The base of a channel's samples under a gate, `speed` being what shows that the engine moved; made by `make` where
    /// none of these is known.
    ///
    /// # Errors
    /// Whatever `make` says.
    pub(super) fn base<E>(
        &self,
        s: &Samples<'a>,
        gate: &[GateTerm],
        (clock, speed): (Clock, &'static str),
        make: impl FnOnce() -> Result<Shared<'a>, E>,
    ) -> Result<Arc<Shared<'a>>, E> {
        let Cow::Borrowed(t) = s.t else { return make().map(Arc::new) };
        let key = Key { clock, at: t.as_ptr() as usize, samples: t.len(), gate: gate.to_vec(), speed };
        let all = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let known = all().iter().find(|b| b.0 == key).map(|b| b.1.clone());
        if let Some(base) = known {
            return Ok(base);
        }
        let base = Arc::new(make()?);
        all().push((key, base.clone()));
        Ok(base)
    }
}

impl<'a> Shared<'a> {
    /// A gate over times that ascend.
    pub(super) fn of(t: &[f64], gate: Gate<'a>, speed: Option<Samples<'a>>) -> Self {
        let mut read = gate.reader();
        let states: Vec<Option<bool>> = t.iter().map(|t| read(*t)).collect();
        drop(read);
        let gated: Vec<bool> = states.iter().map(|g| *g == Some(true)).collect();
        Self {
            open: runs(gated.len(), |i| gated[i]),
            unknown: states.contains(&None),
            interval_s: median_interval(t),
            widest_s: t.windows(2).map(|w| w[1] - w[0]).fold(0.0, f64::max),
            speed,
            reached: OnceLock::new(),
            speeds: OnceLock::new(),
            gate,
            gated,
        }
    }

    /// Engine (or shaft) speed at the samples of `t`, rpm; not a number where there is none.
    pub(super) fn speeds(&self, t: &[f64]) -> &[f64] {
        self.speeds.get_or_init(|| {
            let mut read = self.speed.as_ref().map(|n| n.view().reader());
            t.iter().map(|t| read.as_mut().and_then(|r| r.at(*t)).unwrap_or(f64::NAN)).collect()
        })
    }

    /// What the engine did while the gate was open, at the samples of `t`.
    pub(super) fn reached(&self, t: &[f64]) -> Reached {
        *self.reached.get_or_init(|| {
            let speeds = self.speeds(t);
            let open = self.open.iter().flat_map(|(a, b)| *a..*b);
            let at: Vec<(f64, f64)> = open.map(|i| (t[i], speeds[i])).filter(|p| !p.1.is_nan()).collect();
            Reached { top_rpm: at.iter().map(|p| p.1).reduce(f64::max), held_s: longest_held(&at) }
        })
    }
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
