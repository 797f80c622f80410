//! One channel as it is read: borrowed from its recording where it has no blanks, so that looking at it copies nothing.

use super::{Reader, Series};
use crate::signal::interp::{Walk, linear};
use std::borrow::Cow;

/// One channel without its blanks, borrowed where there are none to take out.
#[derive(Debug, Clone)]
pub struct Samples<'a> {
    /// Time, s.
    pub t: Cow<'a, [f64]>,
    /// Value in the canonical unit.
    pub v: Cow<'a, [f64]>,
}

/// A stretch of one channel that is only looked at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct View<'a> {
    /// Time, s.
    pub t: &'a [f64],
    /// Value in the canonical unit.
    pub v: &'a [f64],
}

impl<'a> Samples<'a> {
    /// A channel of a recording; `None` without any value.
    pub(super) fn of(t: &'a [f64], v: &'a [f64]) -> Option<Self> {
        if v.len() == t.len() && all_finite(v) {
            return (!v.is_empty()).then_some(Self { t: Cow::Borrowed(t), v: Cow::Borrowed(v) });
        }
        let (t, v): (Vec<f64>, Vec<f64>) = t.iter().zip(v).filter(|(_, v)| v.is_finite()).unzip();
        (!t.is_empty()).then_some(Self { t: Cow::Owned(t), v: Cow::Owned(v) })
    }

    /// To look at.
    pub fn view(&self) -> View<'_> {
        View { t: &self.t, v: &self.v }
    }

    /// A copy that outlives the recording.
    pub fn into_series(self) -> Series {
        Series { t: self.t.into_owned(), v: self.v.into_owned() }
    }

    /// The same on a clock that is ahead by that much.
    #[must_use]
    pub fn shifted(mut self, by_s: f64) -> Self {
        self.t.to_mut().iter_mut().for_each(|t| *t += by_s);
        self
    }
}

impl<'a> View<'a> {
    /// Value at `t` by linear interpolation; `None` outside.
    pub fn at(self, t: f64) -> Option<f64> {
        linear(self.t, self.v, t)
    }

    /// For reading at many times that mostly ascend: the same values as [`View::at`], without looking for each from afar.
    pub fn reader(self) -> Reader<'a> {
        Reader { walk: Walk::new(self.t), v: self.v }
    }

    /// Values at ascending times `t`, s, by linear interpolation; not a number outside. On its own times nothing is
    /// looked for.
    pub fn on(self, t: &[f64]) -> Vec<f64> {
        if t == self.t {
            return self.v.to_vec();
        }
        let mut at = self.reader();
        t.iter().map(|t| at.at(*t).unwrap_or(f64::NAN)).collect()
    }

    /// The part with `from ≤ t ≤ to`.
    #[must_use]
    pub fn between(self, from: f64, to: f64) -> Self {
        let (a, b) = (self.t.partition_point(|t| *t < from), self.t.partition_point(|t| *t <= to));
        Self { t: &self.t[a..b.max(a)], v: &self.v[a..b.max(a)] }
    }

    /// Number of samples.
    pub fn len(self) -> usize {
        self.t.len()
    }

    /// True without samples.
    pub fn is_empty(self) -> bool {
        self.t.is_empty()
    }
}

/// In blocks, each without a way out in the middle, so that several values are looked at at once.
fn all_finite(v: &[f64]) -> bool {
    v.chunks(256).all(|c| c.iter().fold(true, |all, x| all & x.is_finite()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn on_its_own_times_a_channel_is_itself_and_on_others_it_is_read_between_them() {
        let (t, v) = ([0.0, 1.0, 3.0], [10.0, 20.0, 0.0]);
        let s = View { t: &t, v: &v };
        assert_eq!(s.on(&t), v);
        let got = s.on(&[-0.1, 0.5, 1.0, 2.0, 3.0, 3.1]);
        assert_eq!(got[1..5], [15.0, 20.0, 10.0, 0.0]);
        assert!(got[0].is_nan() && got[5].is_nan(), "nothing is read outside");
    }
}
