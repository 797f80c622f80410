//! What must never be proposed: a map on a fuel it is not meant for, or a configuration whose forecast
//! crosses a limit.

use super::{Factors, corner, differing};
use serde::Serialize;
use std::collections::HashMap;

/// Why a configuration must not be proposed. `share` is of the limit's margin; above 1 it is crossed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Hazard {
    /// The map is meant for another fuel.
    MeantForOther { map: String, meant_for: String, fuel: String },
    /// A limit was crossed one change away.
    CrossedNearby { limit: String, share: f64 },
    /// A limit would be crossed if the changes, each seen alone, add up.
    WouldCross { limit: String, share: f64 },
}

/// A configuration that was run, with what it says about proposing others.
#[derive(Debug, Clone)]
pub struct Known<'a> {
    /// The configuration.
    pub factors: &'a Factors,
    /// Fuels its map is meant for, several separated by commas; `None` when nobody said.
    pub map_fuels: Option<&'a str>,
    /// Share of margin used by each limit, by id; above 1 it was crossed.
    pub shares: Vec<(&'a str, f64)>,
}

impl<'a> Known<'a> {
    /// A configuration of which only the factors are known.
    pub fn plain(factors: &'a Factors) -> Self {
        Self { factors, map_fuels: None, shares: Vec::new() }
    }

    fn share(&self, limit: &str) -> Option<f64> {
        self.shares.iter().find(|s| s.0 == limit).map(|s| s.1)
    }
}

/// Everything that was run and may count, found by its factors.
#[derive(Debug, Clone, Default)]
pub struct AllKnown<'a> {
    all: Vec<Known<'a>>,
    at: HashMap<&'a Factors, usize>,
}

impl<'a> FromIterator<Known<'a>> for AllKnown<'a> {
    fn from_iter<T: IntoIterator<Item = Known<'a>>>(known: T) -> Self {
        let all: Vec<Known<'a>> = known.into_iter().collect();
        let mut at = HashMap::new();
        all.iter().enumerate().for_each(|(i, k)| {
            at.entry(k.factors).or_insert(i);
        });
        Self { all, at }
    }
}

impl<'a, const N: usize> From<[Known<'a>; N]> for AllKnown<'a> {
    fn from(known: [Known<'a>; N]) -> Self {
        known.into_iter().collect()
    }
}

impl<'a> AllKnown<'a> {
    /// The first with just these factors.
    pub fn of(&self, factors: &Factors) -> Option<&Known<'a>> {
        self.at.get(factors).map(|i| &self.all[*i])
    }
}

/// Why a configuration must not be proposed; `None` when nothing known speaks against it, which is no
/// promise.
///
/// The forecast of a limit is the most adverse of what was seen one factor away, and of adding up the changes
/// each seen alone from `base` (our choice: a rough forecast that errs on the side of refusing).
pub fn hazard(wanted: &Factors, base: &Factors, known: &AllKnown<'_>) -> Option<Hazard> {
    outside_target(wanted, known).or_else(|| crossed(wanted, base, known))
}

/// Whether a fuel is one of those a map is meant for, which commas separate.
pub fn meant_for(map_fuels: &str, fuel: &str) -> bool {
    map_fuels.split(',').any(|m| m.trim().eq_ignore_ascii_case(fuel))
}

fn outside_target(wanted: &Factors, known: &AllKnown<'_>) -> Option<Hazard> {
    let (map, fuel) = (wanted.get("map")?, wanted.get("fuel")?);
    let meant = known.all.iter().find(|k| k.factors.get("map") == Some(map)).and_then(|k| k.map_fuels)?;
    (!meant_for(meant, fuel)).then(|| Hazard::MeantForOther {
        map: map.clone(),
        meant_for: meant.to_owned(),
        fuel: fuel.clone(),
    })
}

/// How many factors differ.
fn apart(a: &Factors, b: &Factors) -> usize {
    let other = a.iter().filter(|(k, v)| b.get(*k) != Some(v)).count();
    other + b.keys().filter(|k| !a.contains_key(*k)).count()
}

fn crossed(wanted: &Factors, base: &Factors, known: &AllKnown<'_>) -> Option<Hazard> {
    let near = known.all.iter().filter(|k| apart(k.factors, wanted) <= 1);
    let seen =
        near.flat_map(|k| k.shares.iter().copied().filter(|s| s.1 > 1.0)).max_by(|a, b| a.1.total_cmp(&b.1));
    if let Some((limit, share)) = seen {
        return Some(Hazard::CrossedNearby { limit: limit.to_owned(), share });
    }
    let start = known.of(base)?;
    let alone: Option<Vec<&Known<'_>>> = differing(base, wanted)
        .iter()
        .map(|f| known.of(&corner(base, wanted, std::slice::from_ref(f), 1)))
        .collect();
    let alone = alone?;
    let forecast = |(limit, share): &(&str, f64)| {
        let added: Option<f64> = alone.iter().map(|k| k.share(limit).map(|s| s - share)).sum();
        added.map(|a| (limit.to_string(), share + a))
    };
    let (limit, share) = start.shares.iter().filter_map(forecast).max_by(|a, b| a.1.total_cmp(&b.1))?;
    (share > 1.0).then_some(Hazard::WouldCross { limit, share })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn f(map: &str, fuel: &str) -> Factors {
        [("map", map), ("fuel", fuel)].into_iter().map(|(k, v)| (k.to_owned(), v.to_owned())).collect()
    }

    #[test]
    fn a_map_is_not_proposed_on_a_fuel_it_is_not_meant_for() {
        let (stock, c3) = (f("stock", "RON 95"), f("C3", "E60"));
        let known = [Known::plain(&stock), Known { map_fuels: Some("E60, E85"), ..Known::plain(&c3) }].into();
        let meant =
            Hazard::MeantForOther { map: "C3".into(), meant_for: "E60, E85".into(), fuel: "RON 95".into() };
        assert_eq!(hazard(&f("C3", "RON 95"), &stock, &known), Some(meant));
        assert_eq!(hazard(&f("C3", "e85"), &stock, &known), None);
        assert_eq!(hazard(&f("stock", "E60"), &stock, &known), None, "nobody said what stock is meant for");
    }

    #[test]
    fn a_limit_crossed_nearby_or_by_adding_up_forbids() {
        let (a, map, fuel, far) = (f("stock", "95"), f("C1", "95"), f("stock", "98"), f("C9", "E85"));
        let with = |factors, lean: f64| Known {
            shares: vec![("lean", lean), ("egt", 0.2)],
            ..Known::plain(factors)
        };
        let wanted = f("C1", "98");
        let calm = [with(&a, 0.3), with(&map, 0.6), with(&fuel, 0.5), with(&far, 1.4)].into();
        assert_eq!(hazard(&wanted, &a, &calm), None, "0.8, and what is two changes away says nothing");
        let adds = [with(&a, 0.3), with(&map, 0.8), with(&fuel, 0.7)].into();
        let forecast = hazard(&wanted, &a, &adds);
        assert!(
            matches!(&forecast, Some(Hazard::WouldCross { limit, share }) if limit == "lean" && (share - 1.2).abs() < 1e-9),
            "{forecast:?}"
        );
        let near = [with(&a, 0.3), with(&map, 1.1)].into();
        assert_eq!(
            hazard(&wanted, &a, &near),
            Some(Hazard::CrossedNearby { limit: "lean".into(), share: 1.1 })
        );
    }
}
