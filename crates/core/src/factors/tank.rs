//! What a tank holds, by what was poured into it; and whether a set was refuelled between its pulls.

use chrono::{NaiveDate, NaiveTime};
use std::collections::BTreeMap;

/// Something that was poured.
#[derive(Debug, Clone, PartialEq)]
pub struct Fill {
    /// When.
    pub at: (NaiveDate, NaiveTime),
    /// Name of the fuel, with its batch where it has one.
    pub fuel: String,
    /// Ethanol in it, share of volume; `None` where nobody measured it.
    pub ethanol: Option<f64>,
    /// Litres poured.
    pub litres: f64,
    /// What was in the tank before, L; `None` where nobody knows, 0 where it was drained.
    pub left_l: Option<f64>,
}

/// What a tank holds right after the last fill: pulls burn of it, and nobody counted how much.
#[derive(Debug, Clone, PartialEq)]
pub struct InTank {
    /// When it was last filled.
    pub since: (NaiveDate, NaiveTime),
    /// Share of each fuel, largest first.
    pub shares: Vec<(String, f64)>,
    /// Share nobody knows; `None` where not even how much of it there is.
    pub unknown: Option<f64>,
    /// Litres after the fill; `None` where nobody said what was left.
    pub litres: Option<f64>,
    /// Ethanol, share of volume; `None` where a part of it is unknown.
    pub ethanol: Option<f64>,
}

/// What is in the tank after some fills, oldest first; `None` where there was none.
///
/// Volumes add up (our choice); a fill onto an unknown rest leaves the mixture unknown until the tank is drained.
pub fn in_tank(fills: &[Fill]) -> Option<InTank> {
    let mut shares: BTreeMap<String, f64> = BTreeMap::new();
    let mut unknown = Some(1.0);
    let (mut litres, mut ethanol) = (None, None);
    for f in fills {
        let Some(left) = f.left_l else {
            // Onto who knows how much of what: the same content twice is still the same content.
            ethanol = ethanol.filter(|e: &f64| f.ethanol.is_some_and(|n| (n - e).abs() < 1e-9));
            unknown = None;
            litres = None;
            shares = BTreeMap::from([(f.fuel.clone(), f64::NAN)]);
            continue;
        };
        let all = left + f.litres;
        if all <= 0.0 {
            (shares, unknown, litres, ethanol) = (BTreeMap::new(), Some(0.0), Some(0.0), None);
            continue;
        }
        let (kept, new) = (left / all, f.litres / all);
        if unknown.is_none() {
            shares.clear();
        }
        shares.values_mut().for_each(|s| *s *= kept);
        *shares.entry(f.fuel.clone()).or_default() += new;
        unknown = Some(unknown.unwrap_or(1.0) * kept);
        ethanol = match (ethanol, f.ethanol) {
            (_, Some(n)) if left == 0.0 => Some(n),
            (Some(e), Some(n)) => Some(kept * e + new * n),
            (e, None) if f.litres == 0.0 => e,
            _ => None,
        };
        litres = Some(all);
    }
    let last = fills.last()?;
    let mut shares: Vec<(String, f64)> = shares.into_iter().filter(|s| s.1.is_nan() || s.1 > 1e-3).collect();
    shares.sort_by(|a, b| b.1.total_cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
    Some(InTank { since: last.at, shares, unknown, litres, ethanol })
}

/// The first fill between pulls of a set: its pulls stand on two mixtures. Pulls without a time tell nothing.
pub fn refuelled_between(date: NaiveDate, pulls: &[NaiveTime], fills: &[Fill]) -> Option<NaiveTime> {
    let (first, last) = (pulls.iter().min()?, pulls.iter().max()?);
    let within = |f: &&Fill| f.at.0 == date && f.at.1 > *first && f.at.1 <= *last && f.litres > 0.0;
    fills.iter().find(within).map(|f| f.at.1)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(day: u32, hour: u32) -> (NaiveDate, NaiveTime) {
        (NaiveDate::from_ymd_opt(2026, 3, day).unwrap(), NaiveTime::from_hms_opt(hour, 0, 0).unwrap())
    }

    fn fill(hour: u32, fuel: &str, ethanol: f64, litres: f64, left_l: Option<f64>) -> Fill {
        Fill { at: at(2, hour), fuel: fuel.into(), ethanol: Some(ethanol), litres, left_l }
    }

    #[test]
    fn poured_onto_what_was_left_it_is_the_mean_of_both() {
        let fills = [fill(9, "E5", 0.05, 30.0, Some(0.0)), fill(12, "E85", 0.78, 10.0, Some(20.0))];
        let t = in_tank(&fills).unwrap();
        assert_eq!(t.litres, Some(30.0));
        assert!((t.ethanol.unwrap() - (20.0 * 0.05 + 10.0 * 0.78) / 30.0).abs() < 1e-12);
        assert_eq!(t.shares[0].0, "E5");
        assert!((t.shares[0].1 - 2.0 / 3.0).abs() < 1e-12 && t.unknown == Some(0.0));
    }

    #[test]
    fn onto_an_unknown_rest_nothing_is_known_until_it_is_drained() {
        let first = [fill(9, "E5", 0.05, 30.0, None)];
        let t = in_tank(&first).unwrap();
        assert_eq!((t.ethanol, t.litres, t.unknown), (None, None, None));
        let then = [first[0].clone(), fill(10, "E5", 0.05, 5.0, Some(15.0))];
        let t = in_tank(&then).unwrap();
        assert_eq!((t.ethanol, t.litres, t.unknown), (None, Some(20.0), Some(0.75)));
        let drained = [then[0].clone(), then[1].clone(), fill(11, "E85", 0.78, 10.0, Some(0.0))];
        assert_eq!(in_tank(&drained).unwrap().ethanol, Some(0.78));
        assert_eq!(in_tank(&[]), None);
    }

    #[test]
    fn a_set_is_refuelled_only_between_its_pulls() {
        let fills = [fill(9, "E5", 0.05, 30.0, Some(0.0)), fill(12, "E85", 0.78, 10.0, Some(20.0))];
        let time = |h: u32| at(2, h).1;
        assert_eq!(refuelled_between(at(2, 0).0, &[time(11), time(13)], &fills), Some(time(12)));
        assert_eq!(refuelled_between(at(2, 0).0, &[time(10), time(11)], &fills), None);
        assert_eq!(
            refuelled_between(at(2, 0).0, &[time(12), time(13)], &fills),
            None,
            "filled before the first"
        );
        assert_eq!(refuelled_between(at(3, 0).0, &[time(11), time(13)], &fills), None);
    }
}
