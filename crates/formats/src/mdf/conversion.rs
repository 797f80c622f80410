//! From raw values to physical ones.

use super::block::{Block, File};

/// What turns a raw value into a physical one.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Conversion {
    /// As it is.
    Same,
    /// `offset + factor·raw`.
    Linear { offset: f64, factor: f64 },
    /// `(p₁·raw² + p₂·raw + p₃) / (p₄·raw² + p₅·raw + p₆)`.
    Rational([f64; 6]),
    /// Places and values, read between where `between`, else at the nearest place.
    Table { at: Vec<f64>, value: Vec<f64>, between: bool },
    /// From, to and the value there; else the last.
    Ranges { ranges: Vec<[f64; 3]>, other: f64 },
}

/// Conversion of a block; `None` for one that is not read.
pub(super) fn conversion(file: File<'_>, at: u64) -> Option<(Conversion, String)> {
    if at == 0 {
        return Some((Conversion::Same, String::new()));
    }
    let b = file.of(at, *b"##CC").ok()?;
    let unit = file.text(b.link(1));
    let n = usize::from(b.u16(6));
    let values: Vec<f64> = (0..n).map(|k| value(&b, k)).collect();
    let read = match b.u8(0) {
        // Values that stand for texts are read as the numbers they are.
        0 | 7 | 8 => Conversion::Same,
        1 => Conversion::Linear { offset: *values.first()?, factor: *values.get(1)? },
        2 => Conversion::Rational(values.get(..6)?.try_into().ok()?),
        kind @ (4 | 5) => {
            let (at, value): (Vec<f64>, Vec<f64>) = values.chunks_exact(2).map(|p| (p[0], p[1])).unzip();
            let ascends = !at.is_empty() && at.windows(2).all(|w| w[0] < w[1]);
            Conversion::Table { at, value, between: kind == 4 }.when(ascends)?
        }
        6 => {
            let ranges = values.chunks_exact(3).map(|p| [p[0], p[1], p[2]]).collect();
            Conversion::Ranges { ranges, other: if n % 3 == 1 { *values.last()? } else { f64::NAN } }
        }
        _ => return None,
    };
    Some((read, unit))
}

fn value(b: &Block<'_>, k: usize) -> f64 {
    b.f64(24 + 8 * k)
}

impl Conversion {
    fn when(self, holds: bool) -> Option<Self> {
        holds.then_some(self)
    }

    /// Physical value of a raw one.
    pub(super) fn of(&self, raw: f64) -> f64 {
        match self {
            Self::Same => raw,
            Self::Linear { offset, factor } => offset + factor * raw,
            Self::Rational([a, b, c, d, e, f]) => ((a * raw + b) * raw + c) / ((d * raw + e) * raw + f),
            Self::Table { at, value, between } => {
                let i = at.partition_point(|x| *x <= raw);
                if raw.is_nan() {
                    return raw;
                }
                if i == 0 {
                    return value[0];
                }
                if i == at.len() {
                    return value[i - 1];
                }
                let share = (raw - at[i - 1]) / (at[i] - at[i - 1]);
                match between {
                    true => value[i - 1] + share * (value[i] - value[i - 1]),
                    false if share > 0.5 => value[i],
                    false => value[i - 1],
                }
            }
            Self::Ranges { ranges, other } => {
                ranges.iter().find(|r| raw >= r[0] && raw <= r[1]).map_or(*other, |r| r[2])
            }
        }
    }
}
