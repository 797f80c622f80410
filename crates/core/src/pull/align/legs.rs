//! The engine computer's speed and its rate at the times of other samples: the inner loop of every fit.

/// One interval of the engine computer's clock: value and slope at its beginning.
#[derive(Debug, Clone, Copy)]
struct Leg {
    from: f64,
    speed: [f64; 2],
    rate: [f64; 2],
}

/// The engine computer's speed over its own clock, cut into intervals once so that reading it divides nothing.
#[derive(Debug)]
pub(super) struct Legs {
    legs: Vec<Leg>,
    /// Where each ends; the last never does.
    ends: Vec<f64>,
    last: f64,
}

/// What was read: speeds, rpm, and rates, rpm/s, of the neighbouring times from `from` on that the clock covers.
#[derive(Debug, Default)]
pub(super) struct Reading {
    pub(super) from: usize,
    pub(super) speed: Vec<f64>,
    pub(super) rate: Vec<f64>,
}

impl Reading {
    /// Number of times that are covered.
    pub(super) fn len(&self) -> usize {
        self.speed.len()
    }

    /// The times that are covered.
    pub(super) fn covered(&self) -> std::ops::Range<usize> {
        self.from..self.from + self.len()
    }
}

impl Legs {
    /// Speed, rpm, and rate, rpm/s, at ascending times `t`, s; all of one length.
    pub(super) fn new(t: &[f64], speed: &[f64], rate: &[f64]) -> Self {
        let n = t.len();
        let slope = |v: &[f64], i: usize| if i + 1 < n { (v[i + 1] - v[i]) / (t[i + 1] - t[i]) } else { 0.0 };
        let leg = |i: usize| Leg {
            from: t[i],
            speed: [speed[i], slope(speed, i)],
            rate: [rate[i], slope(rate, i)],
        };
        Self {
            legs: (0..n).map(leg).collect(),
            ends: t.iter().skip(1).copied().chain([f64::INFINITY]).collect(),
            last: t.last().copied().unwrap_or(f64::NEG_INFINITY),
        }
    }

    /// Reads at `clock(t)` for each of ascending times `t`, `clock` keeping their order.
    pub(super) fn read(&self, t: &[f64], clock: impl Fn(f64) -> f64, out: &mut Reading) {
        out.speed.clear();
        out.rate.clear();
        let Some(first) = self.legs.first().map(|l| l.from) else { return };
        out.from = t.partition_point(|t| clock(*t) < first);
        let to = t.partition_point(|t| clock(*t) <= self.last).max(out.from);
        let Some(start) = t[out.from..to].first().map(|t| clock(*t)) else { return };
        let mut at = self.ends.partition_point(|e| *e <= start);
        for t in &t[out.from..to] {
            let x = clock(*t);
            // Mostly the same interval or the next one.
            at += usize::from(self.ends[at] <= x);
            while self.ends[at] <= x {
                at += 1;
            }
            let leg = &self.legs[at];
            let since = x - leg.from;
            out.speed.push(leg.speed[0] + since * leg.speed[1]);
            out.rate.push(leg.rate[0] + since * leg.rate[1]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::interp::linear;
    use proptest::prelude::*;

    proptest! {
        /// Wherever a clock is read, it says what interpolation says, and nothing outside.
        #[test]
        fn legs_say_what_interpolation_says(
            steps in prop::collection::vec(0.005..0.3_f64, 1..60),
            asked in prop::collection::vec(0.0..0.2_f64, 1..80),
            values in prop::collection::vec(-3.0..3.0_f64, 122),
            lag in -4.0..4.0_f64,
        ) {
            let times = |steps: &[f64]| -> Vec<f64> {
                std::iter::once(0.0).chain(steps.iter().scan(0.0, |t, s| { *t += s; Some(*t) })).collect()
            };
            let (t, at) = (times(&steps), times(&asked));
            let (speed, rate) = (&values[..t.len()], &values[61..61 + t.len()]);
            let mut got = Reading::default();
            Legs::new(&t, speed, rate).read(&at, |t| t + lag, &mut got);
            for (i, x) in at.iter().enumerate() {
                let k = got.covered().contains(&i).then(|| i - got.from);
                for (of, got) in [(speed, &got.speed), (rate, &got.rate)] {
                    match (k, linear(&t, of, x + lag)) {
                        (Some(k), Some(want)) => prop_assert!((got[k] - want).abs() < 1e-9, "{} is not {want}", got[k]),
                        (got, want) => prop_assert_eq!(got.is_some(), want.is_some()),
                    }
                }
            }
        }
    }
}
