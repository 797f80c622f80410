//! What a set was pulled with.

use jamjar_core::factors::Factors;

/// What a set was pulled with, and what was said of it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub struct Configuration {
    pub build: String,
    pub map: String,
    /// `stock`, `off_the_shelf`, `custom` or `unknown`.
    pub map_kind: String,
    pub fuel: String,
    pub boost: String,
    pub gear: String,
    pub extras: Factors,
    pub note: String,
}

impl Configuration {
    /// As factors; what is blank is no factor.
    pub fn factors(&self) -> Factors {
        let mut f = self.extras.clone();
        for (k, v) in [
            ("map", &self.map),
            ("fuel", &self.fuel),
            ("boost", &self.boost),
            ("gear", &self.gear),
            ("build", &self.build),
        ] {
            if !v.is_empty() {
                f.insert(k.to_owned(), v.clone());
            }
        }
        f
    }
}
