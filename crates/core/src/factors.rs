//! What differs between two configurations, whether a gain can be attributed, and which sets would separate it.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Factors of a configuration: map, fuel, boost, gear, build and any declared extra.
pub type Factors = BTreeMap<String, String>;

/// Order in which factors are named; anything else follows alphabetically.
const ORDER: [&str; 5] = ["map", "fuel", "boost", "gear", "build"];

fn rank(name: &str) -> usize {
    ORDER.iter().position(|o| *o == name).unwrap_or(ORDER.len())
}

/// Names of the factors that differ, in naming order. A factor declared on one side only differs.
pub fn differing(a: &Factors, b: &Factors) -> Vec<String> {
    let mut names: Vec<&String> = a.keys().chain(b.keys().filter(|k| !a.contains_key(*k))).filter(|k| a.get(*k) != b.get(*k)).collect();
    names.sort_by(|x, y| rank(x).cmp(&rank(y)).then(x.cmp(y)));
    names.into_iter().cloned().collect()
}

/// What may be concluded from base and candidate alone.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Confounding {
    /// Factors that differ.
    pub factors_differ: Vec<String>,
    /// True when more than one differs.
    pub confounded: bool,
    /// Extra configurations that would separate them, only the factors that differ; at most k − 1, fewer when some were run.
    pub separate_with: Vec<Factors>,
    /// Configurations already run that lie on the path, same form.
    pub already_run: Vec<Factors>,
}

/// Finds the shortest path of one-factor steps from base to candidate, preferring configurations already run.
///
/// Among equally short paths the map changes last (the base map is the one known to be safe on the way; our choice).
/// With more than six differing factors only that order is tried.
pub fn confounding(base: &Factors, candidate: &Factors, run: &[&Factors]) -> Confounding {
    let differ = differing(base, candidate);
    let mut out = Confounding { confounded: differ.len() > 1, ..Confounding::default() };
    if differ.len() > 1 {
        let mut first: Vec<usize> = (0..differ.len()).collect();
        first.sort_by_key(|&i| (differ[i] == "map", i));
        let orders = if differ.len() <= 6 { permutations(&first) } else { vec![first] };
        let mut best: Option<(usize, Vec<(Factors, bool)>)> = None;
        for order in orders {
            let path = walk(base, candidate, &differ, &order, run);
            let missing = path.iter().filter(|p| !p.1).count();
            if best.as_ref().is_none_or(|b| missing < b.0) {
                best = Some((missing, path));
            }
        }
        for (cell, exists) in best.map(|b| b.1).unwrap_or_default() {
            let short: Factors = cell.into_iter().filter(|(k, _)| differ.contains(k)).collect();
            if exists { out.already_run.push(short) } else { out.separate_with.push(short) }
        }
    }
    out.factors_differ = differ;
    out
}

fn walk(base: &Factors, candidate: &Factors, differ: &[String], order: &[usize], run: &[&Factors]) -> Vec<(Factors, bool)> {
    let mut at = base.clone();
    let mut out = Vec::new();
    for &i in &order[..order.len() - 1] {
        match candidate.get(&differ[i]) {
            Some(v) => at.insert(differ[i].clone(), v.clone()),
            None => at.remove(&differ[i]),
        };
        let exists = run.iter().any(|r| **r == at);
        out.push((at.clone(), exists));
    }
    out
}

/// All orders, the given one first.
fn permutations(items: &[usize]) -> Vec<Vec<usize>> {
    if items.len() <= 1 {
        return vec![items.to_vec()];
    }
    let mut out = Vec::new();
    for i in 0..items.len() {
        let mut rest = items.to_vec();
        let head = rest.remove(i);
        out.extend(permutations(&rest).into_iter().map(|mut p| {
            p.insert(0, head);
            p
        }));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn f(pairs: &[(&str, &str)]) -> Factors {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
    }

    #[test]
    fn the_example_of_the_contract() {
        let (a, b) = (f(&[("map", "stock"), ("fuel", "RON 95 E5"), ("gear", "4")]), f(&[("map", "c3"), ("fuel", "E30"), ("gear", "4")]));
        let c = confounding(&a, &b, &[&a, &b]);
        assert_eq!(c.factors_differ, ["map", "fuel"]);
        assert!(c.confounded);
        assert_eq!(c.separate_with, vec![f(&[("map", "stock"), ("fuel", "E30")])]);
    }

    #[test]
    fn a_configuration_already_run_is_used() {
        let (a, b) = (f(&[("map", "stock"), ("fuel", "95")]), f(&[("map", "c3"), ("fuel", "E30")]));
        let there = f(&[("map", "c3"), ("fuel", "95")]);
        let c = confounding(&a, &b, &[&a, &b, &there]);
        assert!(c.separate_with.is_empty());
        assert_eq!(c.already_run, vec![there]);
    }

    #[test]
    fn one_factor_is_attributed_and_none_is_a_repeat() {
        let a = f(&[("map", "stock"), ("fuel", "95")]);
        let b = f(&[("map", "c1"), ("fuel", "95")]);
        assert!(!confounding(&a, &b, &[]).confounded);
        assert!(confounding(&a, &a, &[]).factors_differ.is_empty());
    }

    proptest! {
        #[test]
        fn k_factors_need_at_most_k_minus_one_sets(values in prop::collection::vec((0..3u8, 0..3u8), 1..6)) {
            let side = |pick: fn(&(u8, u8)) -> u8| values.iter().enumerate().map(|(i, v)| (format!("f{i}"), pick(v).to_string())).collect::<Factors>();
            let (a, b) = (side(|v| v.0), side(|v| v.1));
            let c = confounding(&a, &b, &[&a, &b]);
            let k = c.factors_differ.len();
            prop_assert_eq!(c.separate_with.len() + c.already_run.len(), k.saturating_sub(1));
        }
    }
}
