//! Channels a shop computes itself, asked for by the name it gave them.

use super::quantity::scale_between;

/// A computed channel that a query may name.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct OwnChannel {
    /// Its name as a channel, such as `blower_slip_pct`.
    pub name: String,
    /// Its words, lower case: `blower slip`.
    pub words: String,
    /// Unit of its values; empty for a plain ratio.
    pub unit: String,
}

/// Which end of a channel over a pull is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum End {
    /// The least it was.
    Lowest,
    /// The most it was.
    Highest,
}

impl End {
    /// Words that ask for an end; the first of each is shown.
    pub(super) const WORDS: [(Self, &'static str); 6] = [
        (Self::Highest, "highest"),
        (Self::Lowest, "lowest"),
        (Self::Highest, "most"),
        (Self::Lowest, "least"),
        (Self::Highest, "max"),
        (Self::Lowest, "min"),
    ];

    /// As a query shows it.
    pub fn word(self) -> &'static str {
        if self == Self::Lowest { "lowest" } else { "highest" }
    }

    /// What is meant where no end is named: what is under a bound anywhere was lowest there.
    pub(super) fn meant_by(comparison: &str) -> Self {
        if ["under", "at most"].contains(&comparison) { Self::Lowest } else { Self::Highest }
    }
}

impl OwnChannel {
    /// What one of a written unit is worth in its own: scale and offset; `None` where it is another dimension's.
    pub(super) fn worth(&self, written: &str) -> Option<(f64, f64)> {
        let same = written.to_lowercase() == self.unit.to_lowercase();
        if same { Some((1.0, 0.0)) } else { scale_between(written, &self.unit) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_unit_of_the_same_dimension_is_brought_to_its_own() {
        let of = |unit: &str| OwnChannel {
            name: "boost_loss".into(),
            words: "boost loss".into(),
            unit: unit.into(),
        };
        let near = |a: Option<(f64, f64)>, b: f64| (a.unwrap().0 / b - 1.0).abs() < 1e-12;
        assert!(near(of("kPa").worth("bar"), 100.0) && near(of("bar").worth("kpa"), 0.01));
        assert_eq!(of("km/h").worth("KM/H"), Some((1.0, 0.0)));
        assert_eq!(of("kPa").worth("°"), None);
        assert_eq!(of("").worth("kpa"), None);
        let (scale, offset) = of("°F").worth("°C").unwrap();
        assert!((100.0 * scale + offset - 212.0).abs() < 1e-9);
    }
}
