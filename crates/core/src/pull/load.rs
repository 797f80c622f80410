//! Whether a pull is under full load: by throttle or pedal, else by torque.

use crate::log::{Recording, Series};

/// Throttle or pedal counts as full from here, %.
pub const FULL_THROTTLE: f64 = 90.0;
/// A plate or pedal that stops lower in the whole recording is full from there on, when it is at least this
/// far open, % (our choice).
const LOWEST_FULL: f64 = 75.0;
/// Torque that counts as load where no throttle was recorded, as a share of the recording's high values: a
/// sweep is one by its ramp, a held speed may be a cruise to warm up (our choice).
const SWEPT_SHARE: f64 = 0.25;
const HELD_SHARE: f64 = 0.5;

/// Evidence of full load beside the speed trace.
#[derive(Debug, Clone, Default)]
pub struct Load {
    /// Throttle or pedal, %.
    pub throttle: Option<Series>,
    /// Torque, used only without a throttle channel.
    pub torque: Option<Series>,
}

impl Load {
    /// Takes throttle (else pedal) and torque from a log.
    pub fn from_log(log: &Recording) -> Self {
        let throttle = log.series("throttle").or_else(|| log.series("pedal"));
        let torque = ["hub_torque", "brake_torque", "power"].iter().find_map(|n| log.series(n));
        Self { throttle, torque }
    }

    /// Where the load is full enough for a sweep.
    pub(super) fn swept(&self, t: &[f64]) -> Vec<bool> {
        self.mask(t, SWEPT_SHARE)
    }

    /// Where the load is full enough for a held speed.
    pub(super) fn held(&self, t: &[f64]) -> Vec<bool> {
        self.mask(t, HELD_SHARE)
    }

    /// Where the load is full: by throttle, else where torque is at least that share of its high values, else
    /// everywhere.
    fn mask(&self, t: &[f64], share: f64) -> Vec<bool> {
        if let Some(s) = &self.throttle {
            let full = full_throttle(s);
            return s.view().on(t).into_iter().map(|v| v >= full).collect();
        }
        if let Some(s) = &self.torque {
            let high = ranked(&mut s.v.clone(), 95);
            if high > 0.0 {
                return s.view().on(t).into_iter().map(|v| v >= share * high).collect();
            }
        }
        vec![true; t.len()]
    }
}

/// From where a plate or pedal counts as full, %: 90, or just under the plateau it stays at when it never
/// gets there.
pub fn full_throttle(s: &Series) -> f64 {
    let top = s.v.iter().copied().fold(0.0, f64::max);
    let near = s.v.iter().filter(|v| **v >= 0.97 * top).count();
    if (LOWEST_FULL..FULL_THROTTLE).contains(&top) && near * 20 >= s.len() {
        0.95 * top
    } else {
        FULL_THROTTLE
    }
}

/// The value below which that per cent of a non-empty buffer lies, reordering it.
pub(super) fn ranked(v: &mut [f64], per_cent: usize) -> f64 {
    let at = (v.len() - 1) * per_cent / 100;
    *v.select_nth_unstable_by(at, f64::total_cmp).1
}
