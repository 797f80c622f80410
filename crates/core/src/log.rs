//! One recording: a time base and channels on it, in canonical units, with what was found while reading it.

mod samples;

pub use samples::{Samples, View};

use crate::channel::Channel;
use crate::findings::Finding;
use crate::signal::interp::Walk;
use crate::units::Unit;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A recording with one time base. A blank cell is NaN; nothing is resampled.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Recording {
    /// File or source name, for messages.
    pub name: String,
    /// Time in s on the recorder's own clock, strictly ascending.
    pub t: Vec<f64>,
    /// Channels, each as long as `t`.
    pub channels: BTreeMap<Channel, Vec<f64>>,
    /// Findings of the import.
    pub flags: Vec<Finding>,
    /// Start of the recording as seconds of the day, when the file carried clock times.
    pub clock_of_day_s: Option<f64>,
    /// What channels were called by whoever recorded them; none for those that were computed.
    pub origins: BTreeMap<Channel, Origin>,
}

/// What a channel was in the file it came from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Origin {
    /// Header of its column.
    pub header: String,
    /// Unit it was read in.
    pub unit: Unit,
}

/// One channel without its blanks.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Series {
    /// Time, s.
    pub t: Vec<f64>,
    /// Value in the canonical unit.
    pub v: Vec<f64>,
}

/// A series being read in order.
#[derive(Debug, Clone)]
pub struct Reader<'a> {
    walk: Walk<'a>,
    v: &'a [f64],
}

impl Reader<'_> {
    /// Value at `t` by linear interpolation; `None` outside.
    pub fn at(&mut self, t: f64) -> Option<f64> {
        self.walk.value(self.v, t)
    }
}

impl Recording {
    /// The column of a channel, blanks as NaN.
    pub fn column(&self, name: &str) -> Option<&[f64]> {
        self.channels.get(name).map(Vec::as_slice)
    }

    /// The channel without blanks; `None` when absent or all blank.
    pub fn series(&self, name: &str) -> Option<Series> {
        self.samples(name).map(Samples::into_series)
    }

    /// The same to look at: nothing is copied where nothing is blank.
    pub fn samples(&self, name: &str) -> Option<Samples<'_>> {
        Samples::of(&self.t, self.column(name)?)
    }

    /// Whether the channel exists with at least one value.
    pub fn has(&self, name: &str) -> bool {
        self.column(name).is_some_and(|c| c.iter().any(|v| v.is_finite()))
    }

    /// Adds injector duty where it was not logged and can be computed. `per_rev` is injections of one
    /// injector per crank revolution, `None` where duty means nothing (direct injection has a permitted
    /// window instead).
    ///
    /// # Formula
    /// `duty = PW·n·z/600`: `PW·n/1200` for a four-stroke with one pulse a cycle, `PW·n/600` for a
    /// two-stroke.
    ///
    /// where
    /// - `duty`: share of the cycle the injector is open, %; `PW`: pulse width, ms;
    /// - `n`: engine speed, rpm, read at the time of each pulse width; `z`: injections per revolution
    ///   (domain, section 7).
    ///
    /// # Examples
    /// ```
    /// use jamjar_core::{channel::Channel, log::Recording};
    ///
    /// let mut log = Recording { t: vec![0.0, 0.1], ..Recording::default() };
    /// log.channels.insert("engine_speed".parse::<Channel>().unwrap(), vec![6000.0; 2]);
    /// log.channels.insert("injector_pulse_width".parse::<Channel>().unwrap(), vec![14.0; 2]);
    /// let duty = log.with_duty(Some(0.5)).series("injector_duty").unwrap();
    /// assert!((duty.v[0] - 70.0).abs() < 1e-9);
    /// ```
    #[must_use]
    #[allow(clippy::float_cmp)]
    pub fn with_duty(mut self, per_rev: Option<f64>) -> Self {
        let (Some(pw), Some(rpm)) = (self.column("injector_pulse_width"), self.series("engine_speed")) else {
            return self;
        };
        // Recordings stored by earlier versions carry the duty of a four-stroke, whatever the engine.
        let ours = |duty: &[f64]| {
            duty.iter()
                .zip(pw)
                .zip(&self.t)
                .all(|((d, p), t)| !d.is_finite() || rpm.at(*t).is_some_and(|n| *d == p * n / 1200.0))
        };
        if self.column("injector_duty").is_some_and(|d| d.iter().any(|v| v.is_finite()) && !ours(d)) {
            return self;
        }
        let mut at = rpm.reader();
        let duty: Option<Vec<f64>> = per_rev.map(|z| {
            pw.iter().zip(&self.t).map(|(p, t)| at.at(*t).map_or(f64::NAN, |n| p * n * z / 600.0)).collect()
        });
        let name = Channel::known("injector_duty");
        match duty {
            Some(d) => self.channels.insert(name, d),
            None => self.channels.remove(&name),
        };
        self
    }

    /// The part with `from ≤ t ≤ to`, name and findings kept.
    #[must_use]
    pub fn window(&self, from: f64, to: f64) -> Self {
        let (a, b) = (self.t.partition_point(|t| *t < from), self.t.partition_point(|t| *t <= to));
        let b = b.max(a);
        Self {
            name: self.name.clone(),
            t: self.t[a..b].to_vec(),
            channels: self.channels.iter().map(|(c, v)| (c.clone(), v[a..b].to_vec())).collect(),
            flags: self.flags.clone(),
            clock_of_day_s: self.clock_of_day_s,
            origins: self.origins.clone(),
        }
    }

    /// First and last time; `None` when empty.
    pub fn span(&self) -> Option<(f64, f64)> {
        Some((*self.t.first()?, *self.t.last()?))
    }
}

impl Series {
    /// To look at.
    pub fn view(&self) -> View<'_> {
        View { t: &self.t, v: &self.v }
    }

    /// Value at `t` by linear interpolation; `None` outside.
    pub fn at(&self, t: f64) -> Option<f64> {
        self.view().at(t)
    }

    /// For reading at many times that mostly ascend.
    pub fn reader(&self) -> Reader<'_> {
        self.view().reader()
    }

    /// The part with `from ≤ t ≤ to`.
    pub fn between(&self, from: f64, to: f64) -> Series {
        let View { t, v } = self.view().between(from, to);
        Series { t: t.to_vec(), v: v.to_vec() }
    }

    /// Mean over the part with `from ≤ t ≤ to`; `None` without samples there.
    pub fn mean_between(&self, from: f64, to: f64) -> Option<f64> {
        let (a, b) = (self.t.partition_point(|t| *t < from), self.t.partition_point(|t| *t <= to));
        let part = &self.v[a..b.max(a)];
        (!part.is_empty()).then(|| part.iter().sum::<f64>() / part.len() as f64)
    }

    /// The same on a clock that is ahead by that much.
    #[must_use]
    pub fn shifted(mut self, by_s: f64) -> Series {
        self.t.iter_mut().for_each(|t| *t += by_s);
        self
    }

    /// Number of samples.
    pub fn len(&self) -> usize {
        self.t.len()
    }

    /// True without samples.
    pub fn is_empty(&self) -> bool {
        self.t.is_empty()
    }
}

#[cfg(test)]
#[allow(clippy::float_cmp)]
mod tests {
    use super::*;

    #[test]
    fn blanks_are_skipped_and_duty_is_computed() {
        let mut log = Recording { t: vec![0.0, 1.0, 2.0], ..Recording::default() };
        log.channels.insert(Channel::new("injector_pulse_width").unwrap(), vec![10.0, f64::NAN, 12.0]);
        log.channels.insert(Channel::new("engine_speed").unwrap(), vec![6000.0, 6000.0, 6000.0]);
        let duty = |per_rev| log.clone().with_duty(per_rev).series("injector_duty").map(|s| s.v);
        assert_eq!(duty(Some(0.5)), Some(vec![50.0, 60.0]), "four strokes, one pulse a cycle");
        assert_eq!(duty(Some(1.0)), Some(vec![100.0, 120.0]), "two strokes");
        assert_eq!(
            duty(Some(1.0)),
            log.clone().with_duty(Some(0.5)).with_duty(Some(1.0)).series("injector_duty").map(|s| s.v),
            "computed again"
        );
        assert_eq!(duty(None), None, "direct injection has no duty");
        assert!(!log.has("throttle"));
        let mut logged = log;
        logged.channels.insert(Channel::new("injector_duty").unwrap(), vec![1.0, 2.0, 3.0]);
        assert_eq!(
            logged.with_duty(Some(1.0)).series("injector_duty").unwrap().v,
            vec![1.0, 2.0, 3.0],
            "what was logged stays"
        );
    }
}
