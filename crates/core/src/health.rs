//! Values of a health check: what was read, whether it lies in its window, and what it does to a comparison when it does
//! not.

use crate::units::typed;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use thiserror::Error;

/// What a line of a health check takes beside a tick.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Takes {
    /// One number in a unit, good within a window.
    Number {
        /// Unit.
        unit: Cow<'static, str>,
        /// Lowest and highest that are good.
        window: [f64; 2],
    },
    /// A number for each cylinder, wheel or bank, good where the lowest lies within a share of the highest.
    Each {
        /// Unit.
        unit: Cow<'static, str>,
        /// Largest share `(highest − lowest)/highest` that is good.
        spread: f64,
    },
    /// Numbers, each good within a window.
    All {
        /// Unit.
        unit: Cow<'static, str>,
        /// Lowest and highest that are good.
        window: [f64; 2],
    },
    /// Pressure held: from, to and seconds; good where it falls by no more than a share of it in a minute.
    Held {
        /// Largest share lost in a minute.
        share: f64,
    },
    /// Fault codes; good where there are none.
    Codes,
    /// Words, never judged.
    Words,
}

/// What a value came to.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub enum Read {
    /// Never judged.
    Words(String),
    /// Fault codes; none is good.
    Codes(Vec<String>),
    Number {
        value: f64,
        unit: Cow<'static, str>,
        window: [f64; 2],
    },
    /// Places, from 1, of those outside the window.
    All {
        outside: Vec<usize>,
        unit: Cow<'static, str>,
        window: [f64; 2],
    },
    /// How far apart as a share of the highest, beside what is good; place, from 1, and value of the lowest.
    Each {
        apart: f64,
        good_to: f64,
        lowest: (usize, f64),
        unit: Cow<'static, str>,
    },
    /// Share lost in a minute, beside what is good.
    Held {
        lost: f64,
        good_to: f64,
    },
}

impl Read {
    /// In its window; `None` where nothing is judged.
    pub fn good(&self) -> Option<bool> {
        match self {
            Self::Words(_) => None,
            Self::Codes(codes) => Some(codes.is_empty()),
            Self::Number { value, window, .. } => Some(inside(*value, *window)),
            Self::All { outside, .. } => Some(outside.is_empty()),
            Self::Each { apart, good_to, .. } => Some(apart <= good_to),
            Self::Held { lost, good_to } => Some(lost <= good_to),
        }
    }
}

fn inside(v: f64, [low, high]: [f64; 2]) -> bool {
    (low..=high).contains(&v)
}

/// Why a value cannot be read.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum Unread {
    #[error("“{0}” holds no number: write it as {1}")]
    NoNumber(String, &'static str),
    #[error("{0} needs two numbers and more, one for each, with blanks between them")]
    One(String),
    #[error("pressure held needs three numbers: from, to, and seconds, as 150 143 60")]
    NotThree,
    #[error("pressure held: {from} to {to} in {seconds} s cannot be")]
    CannotBe { from: f64, to: f64, seconds: f64 },
}

impl Takes {
    /// How it is written, for the field.
    pub fn form(&self) -> String {
        match self {
            Self::Number { unit, .. } => unit.clone().into_owned(),
            Self::Each { unit, .. } | Self::All { unit, .. } => format!("{unit}, each"),
            Self::Held { .. } => "kPa from, to, seconds".to_owned(),
            Self::Codes => "codes, or none".to_owned(),
            Self::Words => String::new(),
        }
    }

    /// What it is good within: lowest and highest, or the largest share; none where nothing is judged.
    pub fn bounds(&self) -> Vec<f64> {
        match self {
            Self::Number { window, .. } | Self::All { window, .. } => window.to_vec(),
            Self::Each { spread: share, .. } | Self::Held { share } => vec![*share],
            Self::Codes | Self::Words => Vec::new(),
        }
    }

    /// The same with other bounds; `None` where it takes another number of them, or they cannot be.
    ///
    /// ```
    /// use jamjar_core::health::Takes;
    /// let gap = Takes::All { unit: "mm".into(), window: [0.4, 1.2] };
    /// assert_eq!(gap.bounded(&[0.6, 0.8]).unwrap().bounds(), [0.6, 0.8]);
    /// assert_eq!(gap.bounded(&[0.8, 0.6]), None);
    /// ```
    pub fn bounded(&self, bounds: &[f64]) -> Option<Self> {
        let mut out = self.clone();
        match (&mut out, bounds) {
            (Self::Number { window, .. } | Self::All { window, .. }, [low, high]) if low < high => {
                *window = [*low, *high];
            }
            (Self::Each { spread: share, .. } | Self::Held { share }, [to]) if (0.0..1.0).contains(to) => {
                *share = *to
            }
            _ => return None,
        }
        Some(out)
    }

    /// Reads and judges a value as somebody wrote it; blank is nothing.
    ///
    /// # Formula
    /// Spread `(v_max − v_min)/v_max`; loss of pressure `(p₀ − p₁)/p₀ · 60/t` per minute.
    ///
    /// where
    /// - `v`: a value for each cylinder or wheel; `p₀`, `p₁`: gauge pressure before and after, kPa; `t`: seconds between.
    ///
    /// The windows are places to begin (our choice); the maker's data comes first.
    ///
    /// ```
    /// use jamjar_core::health::Takes;
    /// let compression = Takes::Each { unit: "bar".into(), spread: 0.10 };
    /// assert_eq!(compression.read("12.1 11.8 12.0 9.9").unwrap().unwrap().good(), Some(false));
    /// ```
    ///
    /// # Errors
    /// [`Unread`] where it holds no number of the kind.
    pub fn read(&self, written: &str) -> Result<Option<Read>, Unread> {
        let written = written.trim();
        if written.is_empty() {
            return Ok(None);
        }
        let numbers = || match numbers_of(written) {
            Some(n) if !n.is_empty() => Ok(n),
            _ => Err(Unread::NoNumber(written.to_owned(), "12.5, several with blanks between them")),
        };
        Ok(Some(match self {
            Self::Words => Read::Words(written.to_owned()),
            Self::Codes if ["none", "no", "0", "-", "–"].contains(&written.to_lowercase().as_str()) => {
                Read::Codes(Vec::new())
            }
            Self::Codes => {
                let codes = written.split([',', ';', ' ', '\n']).map(str::trim).filter(|s| !s.is_empty());
                Read::Codes(codes.map(str::to_owned).collect())
            }
            Self::Number { unit, window } => {
                Read::Number { value: numbers()?[0], unit: unit.clone(), window: *window }
            }
            Self::All { unit, window } => {
                let out = numbers()?.into_iter().enumerate().filter(|(_, v)| !inside(*v, *window));
                Read::All { outside: out.map(|(i, _)| i + 1).collect(), unit: unit.clone(), window: *window }
            }
            Self::Each { unit, spread } => {
                let all = numbers()?;
                if all.len() < 2 {
                    return Err(Unread::One(written.to_owned()));
                }
                let high = all.iter().copied().fold(f64::NEG_INFINITY, f64::max);
                let low = (0..all.len()).min_by(|&a, &b| all[a].total_cmp(&all[b])).unwrap_or(0);
                let apart = if high > 0.0 { (high - all[low]) / high } else { f64::INFINITY };
                Read::Each { apart, good_to: *spread, lowest: (low + 1, all[low]), unit: unit.clone() }
            }
            Self::Held { share } => {
                let [from, to, seconds] = numbers()?[..] else { return Err(Unread::NotThree) };
                if !(from > 0.0 && to >= 0.0 && to <= 1.02 * from && seconds > 0.0) {
                    return Err(Unread::CannotBe { from, to, seconds });
                }
                Read::Held { lost: ((from - to) / from).max(0.0) * 60.0 / seconds, good_to: *share }
            }
        }))
    }
}

/// Numbers with blanks or semicolons between them, or commas where each still is one.
fn numbers_of(written: &str) -> Option<Vec<f64>> {
    let parts = || {
        written
            .split(|c: char| c.is_whitespace() || c == ';')
            .map(|p| p.trim_end_matches(','))
            .filter(|p| !p.is_empty())
    };
    let one = |p: &str| match typed(&p.replace('−', "-")) {
        Some(v) => Some(vec![v]),
        None => p.split(',').map(typed).collect(),
    };
    parts().map(one).collect::<Option<Vec<Vec<f64>>>>().map(|all| all.concat())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn good(t: &Takes, s: &str) -> Option<bool> {
        t.read(s).unwrap().unwrap().good()
    }

    #[test]
    fn values_are_held_against_their_windows() {
        let zero = Takes::Number { unit: "N·m".into(), window: [-2.0, 2.0] };
        assert_eq!([good(&zero, "0.4"), good(&zero, "−3,1")], [Some(true), Some(false)]);
        let trims = Takes::All { unit: "%".into(), window: [-10.0, 10.0] };
        assert_eq!(good(&trims, "3 -4"), Some(true));
        let outside = |s: &str| match trims.read(s).unwrap().unwrap() {
            Read::All { outside, .. } => outside,
            other => panic!("{other:?}"),
        };
        assert_eq!(outside("3 -14"), [2]);
        let compression = Takes::Each { unit: "bar".into(), spread: 0.10 };
        let Read::Each { apart, lowest, .. } = compression.read("12.1, 11.8, 12.0, 9.9").unwrap().unwrap()
        else {
            panic!("one for each");
        };
        assert!((apart - 0.1818).abs() < 1e-3 && lowest == (4, 9.9));
        assert_eq!(good(&compression, "12,1 11,8"), Some(true), "decimal commas");
        let held = Takes::Held { share: 0.05 };
        assert_eq!([good(&held, "150 147 60"), good(&held, "150 140 30")], [Some(true), Some(false)]);
        assert_eq!(
            [good(&Takes::Codes, "none"), good(&Takes::Codes, "P0301, P0420")],
            [Some(true), Some(false)]
        );
        assert_eq!(good(&Takes::Words, "2.1.0"), None);
        assert_eq!(zero.read("  "), Ok(None));
    }

    #[test]
    fn what_cannot_be_read_is_said_and_never_judged() {
        let number = Takes::Number { unit: "°C".into(), window: [0.0, 1.0] };
        assert!(matches!(number.read("warm"), Err(Unread::NoNumber(..))));
        assert!(matches!(Takes::Each { unit: "bar".into(), spread: 0.1 }.read("12"), Err(Unread::One(_))));
        let held = Takes::Held { share: 0.05 };
        assert_eq!(held.read("150 140"), Err(Unread::NotThree));
        assert!(matches!(held.read("150 190 60"), Err(Unread::CannotBe { .. })));
        assert!(matches!(held.read("150 140 0"), Err(Unread::CannotBe { .. })));
    }
}
