//! Rungs of a ladder: sets of one map on one fuel that differ in something that has an order, boost or any extra.

use super::{Factors, USUAL};
use std::cmp::Ordering;
use std::collections::BTreeSet;

/// Where a set stands on a ladder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rung {
    /// The factor that is climbed.
    pub factor: String,
    /// Its place among the others of its map and fuel, from the lowest.
    pub place: usize,
}

/// The number a value begins with, and what follows it: `"120 kPa"`, `"2"`.
///
/// ```
/// assert_eq!(jamjar_core::factors::rungs::measured("120 kPa"), Some((120.0, "kPa")));
/// assert_eq!(jamjar_core::factors::rungs::measured("as mapped"), None);
/// ```
pub fn measured(value: &str) -> Option<(f64, &str)> {
    let value = value.trim();
    let end = value
        .char_indices()
        .find(|(i, c)| !(c.is_ascii_digit() || *c == '.' || (*i == 0 && *c == '-')))
        .map_or(value.len(), |(i, _)| i);
    Some((value[..end].parse().ok()?, value[end..].trim()))
}

/// Whether a factor is one that a person named: none of the usual, and not the cell.
pub fn is_extra(name: &str) -> bool {
    !USUAL.contains(&name) && name != "cell"
}

/// Words by the alphabet, then numbers by size.
pub fn by_size(a: &str, b: &str) -> Ordering {
    let number = |s: &str| measured(s).map(|m| m.0);
    match (number(a), number(b)) {
        (Some(x), Some(y)) => x.total_cmp(&y).then_with(|| a.cmp(b)),
        (Some(_), None) => Ordering::Greater,
        (None, Some(_)) => Ordering::Less,
        (None, None) => a.cmp(b),
    }
}

/// Whether values have an order: every one begins with a number, and the same follows it.
pub fn ordered(values: &BTreeSet<&str>) -> bool {
    let mut units = values.iter().map(|v| measured(v).map(|m| m.1));
    let first = units.next().flatten();
    first.is_some() && units.all(|u| u == first)
}

/// Rungs among sets that stand beside each other; `None` for one that stands alone.
///
/// A ladder of one map on one fuel climbs its boost targets where they differ, whatever they are called; else the
/// first extra, by name, whose values are numbers of one unit (our choice: gears and build states are no rungs).
///
/// ```
/// use jamjar_core::factors::{Factors, rungs::rungs};
/// let set = |flow: &str| Factors::from([("map", "C3"), ("fuel", "E30"), ("methanol flow", flow)].map(|(k, v)| (k.into(), v.into())));
/// let (low, high) = (set("300 ml/min"), set("1200 ml/min"));
/// let places: Vec<_> = rungs(&[&high, &low]).into_iter().map(|r| r.unwrap().place).collect();
/// assert_eq!(places, [1, 0]);
/// ```
pub fn rungs(sets: &[&Factors]) -> Vec<Option<Rung>> {
    let of = |s: &Factors, name: &str| s.get(name).cloned();
    let kin = |a: &Factors, b: &Factors| of(a, "map") == of(b, "map") && of(a, "fuel") == of(b, "fuel");
    sets.iter()
        .map(|s| {
            let family: Vec<&&Factors> = sets.iter().filter(|o| kin(o, s)).collect();
            let values = |name: &str| -> BTreeSet<&str> {
                family
                    .iter()
                    .filter_map(|o| o.get(name))
                    .map(String::as_str)
                    .filter(|v| !v.is_empty())
                    .collect()
            };
            let extra = || {
                let names: BTreeSet<&String> = family.iter().flat_map(|o| o.keys()).collect();
                names
                    .into_iter()
                    .filter(|n| is_extra(n))
                    .find(|n| values(n).len() > 1 && ordered(&values(n)))
                    .cloned()
            };
            let factor = if values("boost").len() > 1 { Some("boost".to_owned()) } else { extra() }?;
            let mut all: Vec<&str> = values(&factor).into_iter().collect();
            let number = |v: &str| measured(v).map_or(f64::NEG_INFINITY, |m| m.0);
            all.sort_by(|a, b| number(a).total_cmp(&number(b)).then(a.cmp(b)));
            let place = all.iter().position(|v| Some(*v) == s.get(&factor).map(String::as_str))?;
            Some(Rung { factor, place })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn f(pairs: &[(&str, &str)]) -> Factors {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
    }

    fn places(sets: &[&Factors]) -> Vec<Option<usize>> {
        rungs(sets).into_iter().map(|r| r.map(|r| r.place)).collect()
    }

    #[test]
    fn rungs_stand_by_size_and_words_before_numbers() {
        let mut v = vec!["150 kPa", "60 kPa", "factory", "100 kPa", ""];
        v.sort_by(|a, b| by_size(a, b));
        assert_eq!(v, ["", "factory", "60 kPa", "100 kPa", "150 kPa"]);
    }

    #[test]
    fn boosts_climb_by_their_numbers_and_one_alone_is_no_rung() {
        let set = |map: &str, boost: &str| f(&[("map", map), ("fuel", "E30"), ("boost", boost)]);
        let all =
            [set("C3", "120 kPa"), set("C3", "60 kPa"), set("stock", "as mapped"), set("C3", "as mapped")];
        assert_eq!(places(&all.each_ref()), [Some(2), Some(1), None, Some(0)]);
    }

    #[test]
    fn an_extra_of_numbers_is_a_ladder_and_a_switch_or_a_gear_is_none() {
        let set = |more: &[(&str, &str)]| {
            let mut s = f(&[("map", "C3"), ("fuel", "E30"), ("boost", "120 kPa")]);
            s.extend(f(more));
            s
        };
        let nozzles = [set(&[("nozzle", "3")]), set(&[("nozzle", "1")]), set(&[])];
        assert_eq!(places(&nozzles.each_ref()), [Some(1), Some(0), None]);
        for (name, a, b) in
            [("cover", "on", "off"), ("gear", "3", "4"), ("build", "1", "2"), ("flow", "3 kg/h", "3 L/h")]
        {
            let two = [set(&[(name, a)]), set(&[(name, b)])];
            assert_eq!(places(&two.each_ref()), [None, None], "{name}");
        }
    }
}
