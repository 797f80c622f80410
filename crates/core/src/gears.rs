//! The gears of a vehicle, and what their ratios say of a measured one.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A measured ratio within this share of a gear's may be that gear (domain, section 2).
const WITHIN: f64 = 0.03;
/// And must be this many times nearer to it than to any other (domain, section 2).
const NEARER: f64 = 3.0;

/// Gear ratios on any one scale, with the gear the dyno's overall ratio holds for.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Gears {
    /// Gear for which the overall ratio is given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reference: Option<String>,
    /// Ratio of each gear by its name.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub ratios: BTreeMap<String, f64>,
    /// Engine rpm ÷ dyno-shaft rpm of gears as once measured in a pull: they belong to this dyno, tyre and final
    /// drive, and come before the list.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub learned: BTreeMap<String, f64>,
}

impl Gears {
    /// Whether nothing is known.
    pub fn is_empty(&self) -> bool {
        self.ratios.is_empty() && self.learned.is_empty()
    }

    /// Engine rpm ÷ dyno-shaft rpm in a gear, from the ratio that holds for the reference gear.
    ///
    /// # Formula
    /// `k(g) = k(ref)·i(g)/i(ref)`
    ///
    /// where
    /// - `k`: engine rpm per rpm of the dyno's shaft; `i`: ratio of the gearbox in a gear (domain, section 2).
    ///
    /// ```
    /// use jamjar_core::gears::Gears;
    /// let gears = Gears {
    ///     reference: Some("4".into()),
    ///     ratios: [("3".to_owned(), 1.36), ("4".to_owned(), 1.04)].into(),
    ///     ..Gears::default()
    /// };
    /// assert!((gears.overall("3", 4.1).unwrap() - 5.3615).abs() < 1e-3);
    /// assert_eq!(gears.overall("third", 4.1), gears.overall("3", 4.1));
    /// assert_eq!(gears.overall("7", 4.1), None);
    /// ```
    pub fn overall(&self, gear: &str, at_reference: f64) -> Option<f64> {
        self.overall_if(gear, Some(at_reference))
    }

    /// The same where the ratio of the reference gear may not be known: then only what was learned holds.
    pub fn overall_if(&self, gear: &str, at_reference: Option<f64>) -> Option<f64> {
        if let Some(k) = found(&self.learned, gear) {
            return Some(k);
        }
        let list = |g: &str| found(&self.ratios, g);
        Some(at_reference? * list(gear)? / list(self.reference.as_deref()?)?)
    }

    /// The gear a measured ratio names, with the ratio that gear has: within 3 % of it, and three times
    /// nearer to it than to any other.
    pub fn named(&self, measured: f64, at_reference: Option<f64>) -> Option<(&str, f64)> {
        let own = self.learned.keys().filter(|g| found(&self.ratios, g).is_none());
        let mut all: Vec<(f64, &str, f64)> = self
            .ratios
            .keys()
            .chain(own)
            .filter_map(|g| Some((g, self.overall_if(g, at_reference)?)))
            .map(|(g, k)| ((measured / k).ln().abs(), g.as_str(), k))
            .collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (off, gear, ratio) = *all.first()?;
        let next = all.get(1).map_or(f64::INFINITY, |n| n.0);
        (off <= WITHIN.ln_1p() && NEARER * off <= next).then_some((gear, ratio))
    }
}

/// The ratio of a gear as people call it: `3`, `3rd`, `third`, `gear 3`.
fn found(ratios: &BTreeMap<String, f64>, gear: &str) -> Option<f64> {
    const ORDINALS: [&str; 10] =
        ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];
    let plain = |g: &str| {
        let g = g.trim().to_lowercase();
        let g = g.trim_start_matches("gear").trim_end_matches("gear").trim();
        match ORDINALS.iter().position(|o| *o == g) {
            Some(i) => (i + 1).to_string(),
            None => {
                let digits = g.trim_end_matches(|c: char| c.is_ascii_alphabetic());
                if !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit()) { digits } else { g }
                    .to_owned()
            }
        }
    };
    let wanted = plain(gear);
    ratios.get(gear.trim()).or_else(|| ratios.iter().find(|(n, _)| plain(n) == wanted).map(|r| r.1)).copied()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ratio_names_a_gear_when_it_is_near_to_it_and_to_no_other() {
        let ratios = [("3", 1.36), ("4", 1.04), ("5", 0.83), ("6", 0.80)];
        let g = Gears {
            reference: Some("4".into()),
            ratios: ratios.map(|(n, r)| (n.to_owned(), r)).into(),
            ..Gears::default()
        };
        let named = |k| g.named(k, Some(4.1)).map(|n| n.0);
        assert_eq!((named(5.36), named(4.15), named(5.6)), (Some("3"), Some("4"), None));
        assert_eq!(named(4.1 * 0.815 / 1.04), None, "between two that stand close");
        assert_eq!(
            Gears { reference: None, ..g.clone() }.named(5.36, Some(4.1)),
            None,
            "no gear the ratio holds for"
        );
    }

    #[test]
    fn a_gear_that_was_learned_needs_no_list_and_comes_before_one() {
        let learned =
            Gears { learned: [("3".to_owned(), 5.36), ("4".to_owned(), 4.1)].into(), ..Gears::default() };
        assert!(!learned.is_empty());
        assert_eq!(learned.overall_if("third", None), Some(5.36));
        assert_eq!(learned.overall_if("5", None), None);
        assert_eq!(learned.named(5.33, None).map(|n| n.0), Some("3"));
        assert_eq!(learned.named(4.7, None), None, "near to neither");
        let both = Gears {
            reference: Some("4".into()),
            ratios: [("3".to_owned(), 1.36), ("4".to_owned(), 1.04)].into(),
            learned: [("3".to_owned(), 5.2)].into(),
        };
        assert_eq!(both.overall("3", 4.1), Some(5.2), "this dyno, tyre and final drive");
        assert_eq!(both.overall("4", 4.1), Some(4.1));
    }
}
