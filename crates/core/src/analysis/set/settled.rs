//! Whether the pulls of a set have come to rest.

/// Consecutive pulls that agree within this share are settled.
pub(in crate::analysis) const SETTLED_SHARE: f64 = 0.007;

/// Whether the pulls of a set have come to rest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Settled {
    /// From this pull on (0 is the first) consecutive pulls agree within 0.7 %.
    From(usize),
    /// The last two differ by this share.
    NotYet(f64),
    /// One pull cannot show it.
    Unknown,
}

impl Settled {
    /// From the values of a set in order of running.
    ///
    /// # Formula
    /// Settled from the first pull after which every `|x_(i+1) − x_i|/|x_i| ≤ 0.007`
    ///
    /// where
    /// - `x_i`: a figure of pull i, in order of running (domain, section 3 and 4: "last settled").
    ///
    /// ```
    /// use jamjar_core::analysis::Settled;
    /// assert_eq!(Settled::of(&[97.0, 100.3, 100.1]), Settled::From(1), "the first was cold");
    /// assert_eq!(Settled::of(&[97.0]), Settled::Unknown);
    /// ```
    pub fn of(values: &[f64]) -> Self {
        let step = |w: &[f64]| (w[1] - w[0]).abs() / w[0].abs().max(1e-12);
        match values {
            [] | [_] => Self::Unknown,
            _ => {
                let from = values.windows(2).rposition(|w| step(w) > SETTLED_SHARE).map_or(0, |i| i + 1);
                if from + 1 < values.len() {
                    Self::From(from)
                } else {
                    Self::NotYet(step(&values[values.len() - 2..]))
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settling_is_read_from_the_end() {
        assert_eq!(Settled::of(&[100.0, 100.3, 100.1]), Settled::From(0));
        assert_eq!(Settled::of(&[97.0, 100.3, 100.1]), Settled::From(1));
        assert!(matches!(Settled::of(&[97.0, 100.3, 98.1]), Settled::NotYet(s) if (s - 0.0219).abs() < 1e-3));
        assert_eq!(Settled::of(&[97.0]), Settled::Unknown);
    }
}
