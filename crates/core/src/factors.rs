//! What differs between two configurations, whether a gain can be attributed, and which sets would separate
//! it.

pub mod calibrated;
pub mod crossed;
pub mod octane;
pub mod rungs;
mod safe;
pub mod tank;

pub use safe::{AllKnown, Hazard, Known, hazard, meant_for};

use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// Factors of a configuration: map, fuel, boost, gear, build and any declared extra.
pub type Factors = BTreeMap<String, String>;

/// What every set says of itself, in the order in which it is named; anything else follows alphabetically.
pub const USUAL: [&str; 5] = ["map", "fuel", "boost", "gear", "build"];

fn rank(name: &str) -> usize {
    USUAL.iter().position(|o| *o == name).unwrap_or(USUAL.len())
}

/// Whether a configuration is one that was asked for: it says the same wherever that says anything.
///
/// ```
/// use jamjar_core::factors::{Factors, says};
/// let of = |all: &[(&str, &str)]| all.iter().map(|(k, v)| (k.to_string(), v.to_string())).collect::<Factors>();
/// let pulled = of(&[("map", "C3"), ("fuel", "E60"), ("boost", "as mapped")]);
/// assert!(says(&pulled, &of(&[("map", "C3"), ("fuel", "E60")])));
/// assert!(!says(&pulled, &of(&[("map", "C3"), ("boost", "140 kPa")])));
/// ```
pub fn says(a: &Factors, asked: &Factors) -> bool {
    asked.iter().all(|(k, v)| a.get(k) == Some(v))
}

/// Names of the factors that differ, in naming order. A factor declared on one side only differs.
pub fn differing(a: &Factors, b: &Factors) -> Vec<String> {
    let mut names: Vec<&String> =
        a.keys().chain(b.keys().filter(|k| !a.contains_key(*k))).filter(|k| a.get(*k) != b.get(*k)).collect();
    names.sort_by(|x, y| rank(x).cmp(&rank(y)).then(x.cmp(y)));
    names.into_iter().cloned().collect()
}

/// Factors that time has set, the software of a unit or the calibration of a cell: what was before them is gone, and
/// all of them together stand as they stand now.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct InTime {
    /// Names of such factors.
    pub names: BTreeSet<String>,
    /// The candidate was pulled after the base.
    pub candidate_later: bool,
}

/// What may be concluded from base and candidate alone.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct Confounding {
    /// Factors that differ.
    pub factors_differ: Vec<String>,
    /// True when more than one differs.
    pub confounded: bool,
    /// Extra configurations that would separate them, only the factors that differ; at most k − 1, fewer when
    /// some were run.
    pub separate_with: Vec<Factors>,
    /// Configurations already run that lie on the path, in its order, same form.
    pub already_run: Vec<Factors>,
    /// Factors set by time that the first set proposed comes after: it is the base, or else the candidate, pulled
    /// once more as things stand now.
    pub fresh_after: Vec<String>,
    /// Why no set is proposed although some are missing: every path leads over one that must not be run.
    pub not_safe: Vec<Hazard>,
    /// Every configuration between the two ends, for an order-free split; empty above [`MAX_CORNERED`]
    /// factors.
    pub corners: Vec<Corner>,
}

/// A configuration between base and candidate: some of the factors changed.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct Corner {
    /// Only the factors that differ.
    pub factors: Factors,
    /// Whether it was run.
    pub run: bool,
    /// Why it must not be proposed.
    pub not_safe: Option<Hazard>,
}

/// With more differing factors than this the corners are not listed: there would be thirty and more.
pub const MAX_CORNERED: usize = 4;

/// Finds the shortest path of one-factor steps from base to candidate, preferring configurations already run.
///
/// Factors set by time change in one step, next to the later of the two sets: the cheapest cure is a fresh baseline
/// after them (domain, section 5). Among equally short paths the map changes last (the base map is the one known to be safe on the way; our
/// choice). With more than six differing factors only that order is tried. A path over a configuration that
/// must not be run is never proposed; where there is no other, the reasons are given instead.
pub fn confounding(
    base: &Factors,
    candidate: &Factors,
    known: &AllKnown<'_>,
    in_time: &InTime,
) -> Confounding {
    let differ = differing(base, candidate);
    let mut out = Confounding { confounded: differ.len() > 1, ..Confounding::default() };
    let short = |cell: &Factors| -> Factors {
        cell.iter().filter(|(k, _)| differ.contains(k)).map(|(k, v)| (k.clone(), v.clone())).collect()
    };
    if differ.len() > 1 {
        let (gone, mut first): (Vec<usize>, Vec<usize>) =
            (0..differ.len()).partition(|i| in_time.names.contains(&differ[*i]));
        first.sort_by_key(|&i| (differ[i] == "map", i));
        let orders = if first.len() <= 6 { permutations(&first) } else { vec![first] };
        let steps = |order: &Vec<usize>| {
            let mut steps: Vec<Vec<usize>> = order.iter().map(|i| vec![*i]).collect();
            if !gone.is_empty() {
                steps.insert(if in_time.candidate_later { 0 } else { steps.len() }, gone.clone());
            }
            steps
        };
        let paths: Vec<Vec<usize>> = orders.iter().map(|order| walk(&steps(order))).collect();
        // Many paths lead over the same few configurations.
        let on_the_way: BTreeMap<usize, Cell> = paths
            .iter()
            .flatten()
            .collect::<BTreeSet<_>>()
            .into_iter()
            .map(|chosen| (*chosen, cell(base, corner(base, candidate, &differ, *chosen), known)))
            .collect();
        let cost = |path: &[usize]| {
            let cells = || path.iter().map(|chosen| &on_the_way[chosen]);
            (cells().any(|c| c.not_safe.is_some()), cells().filter(|c| !c.run).count())
        };
        let best = paths.iter().min_by_key(|p| cost(p)).cloned().unwrap_or_default();
        let best: Vec<&Cell> = best.iter().map(|chosen| &on_the_way[chosen]).collect();
        for reason in best.iter().filter_map(|c| c.not_safe.clone()) {
            if !out.not_safe.contains(&reason) {
                out.not_safe.push(reason);
            }
        }
        for cell in &best {
            if cell.run {
                out.already_run.push(short(&cell.factors));
            } else if out.not_safe.is_empty() {
                out.separate_with.push(short(&cell.factors));
            }
        }
        // The step over what time has set lies next to the later of the two.
        let beside = if in_time.candidate_later { best.first() } else { best.last() };
        if out.not_safe.is_empty() && beside.is_some_and(|c| !c.run) {
            out.fresh_after = gone.iter().map(|i| differ[*i].clone()).collect();
        }
    }
    if (2..=MAX_CORNERED).contains(&differ.len()) {
        let all = (1..(1usize << differ.len()) - 1)
            .map(|set| cell(base, corner(base, candidate, &differ, set), known));
        out.corners =
            all.map(|c| Corner { factors: short(&c.factors), run: c.run, not_safe: c.not_safe }).collect();
    }
    out.factors_differ = differ;
    out
}

/// The base with the chosen factors (bits over `differ`) as in the candidate.
fn corner(base: &Factors, candidate: &Factors, differ: &[String], chosen: usize) -> Factors {
    let mut at = base.clone();
    for name in differ.iter().enumerate().filter(|(i, _)| chosen >> i & 1 == 1).map(|(_, n)| n) {
        match candidate.get(name) {
            Some(v) => at.insert(name.clone(), v.clone()),
            None => at.remove(name),
        };
    }
    at
}

/// Which of the differing factors are as in the candidate, the others being as in the base: the bits of
/// [`corner`]. `None` when one is neither.
pub(crate) fn changed(at: &Factors, base: &Factors, candidate: &Factors, differ: &[String]) -> Option<usize> {
    let bit = |(i, name): (usize, &String)| match at.get(name) {
        v if v == candidate.get(name) => Some(1 << i),
        v if v == base.get(name) => Some(0),
        _ => None,
    };
    differ.iter().enumerate().map(bit).sum()
}

/// A configuration on the way.
struct Cell {
    factors: Factors,
    run: bool,
    not_safe: Option<Hazard>,
}

fn cell(base: &Factors, factors: Factors, known: &AllKnown<'_>) -> Cell {
    let run = known.of(&factors).is_some();
    let not_safe = if run { None } else { hazard(&factors, base, known) };
    Cell { factors, run, not_safe }
}

/// The configurations between the ends of an order of steps, each by the bits of what has changed there.
fn walk(order: &[Vec<usize>]) -> Vec<usize> {
    let steps = order[..order.len() - 1].iter().scan(0usize, |chosen, step| {
        step.iter().for_each(|i| *chosen |= 1 << i);
        Some(*chosen)
    });
    steps.collect()
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
        let (a, b) = (
            f(&[("map", "stock"), ("fuel", "RON 95 E5"), ("gear", "4")]),
            f(&[("map", "c3"), ("fuel", "E30"), ("gear", "4")]),
        );
        let c = confounding(&a, &b, &[Known::plain(&a), Known::plain(&b)].into(), &InTime::default());
        assert_eq!(c.factors_differ, ["map", "fuel"]);
        assert!(c.confounded);
        assert_eq!(c.separate_with, vec![f(&[("map", "stock"), ("fuel", "E30")])]);
    }

    #[test]
    fn a_configuration_already_run_is_used() {
        let (a, b) = (f(&[("map", "stock"), ("fuel", "95")]), f(&[("map", "c3"), ("fuel", "E30")]));
        let there = f(&[("map", "c3"), ("fuel", "95")]);
        let c = confounding(&a, &b, &[&a, &b, &there].map(Known::plain).into(), &InTime::default());
        assert!(c.separate_with.is_empty());
        assert_eq!(c.already_run, vec![there]);
    }

    #[test]
    fn one_factor_is_attributed_and_none_is_a_repeat() {
        let a = f(&[("map", "stock"), ("fuel", "95")]);
        let b = f(&[("map", "c1"), ("fuel", "95")]);
        assert!(!confounding(&a, &b, &AllKnown::default(), &InTime::default()).confounded);
        assert!(confounding(&a, &a, &AllKnown::default(), &InTime::default()).factors_differ.is_empty());
    }

    #[test]
    fn a_path_that_must_not_be_run_is_not_proposed() {
        let (a, b) = (f(&[("map", "stock"), ("fuel", "95")]), f(&[("map", "c3"), ("fuel", "E60")]));
        let meant = |stock, c3| {
            [Known { map_fuels: stock, ..Known::plain(&a) }, Known { map_fuels: c3, ..Known::plain(&b) }]
        };
        let c = confounding(&a, &b, &meant(Some("95, 98"), None).into(), &InTime::default());
        assert_eq!(c.separate_with, vec![f(&[("map", "c3"), ("fuel", "95")])], "the other way round");
        assert!(c.not_safe.is_empty());
        let c = confounding(&a, &b, &meant(Some("95"), Some("E60")).into(), &InTime::default());
        assert!(c.separate_with.is_empty() && c.not_safe.len() == 1, "{c:?}");
        assert_eq!(c.corners.iter().filter(|c| c.not_safe.is_some()).count(), 2);
    }

    #[test]
    fn what_time_has_set_is_told_apart_by_a_fresh_baseline_and_never_by_going_back() {
        let before = f(&[("map", "stock"), ("fuel", "95"), ("gearbox software", "A14"), ("cell", "2, old")]);
        let after = f(&[("map", "c3"), ("fuel", "95"), ("gearbox software", "A17"), ("cell", "2, new")]);
        let in_time = |candidate_later| InTime {
            names: ["cell", "gearbox software"].map(str::to_owned).into(),
            candidate_later,
        };
        let c = confounding(&before, &after, &AllKnown::default(), &in_time(true));
        let now = |map| f(&[("map", map), ("gearbox software", "A17"), ("cell", "2, new")]);
        assert_eq!(c.separate_with, [now("stock")], "one set, both changes behind it");
        assert_eq!(c.fresh_after, ["cell", "gearbox software"]);
        let c = confounding(&after, &before, &AllKnown::default(), &in_time(false));
        assert_eq!(
            c.separate_with,
            [now("stock")],
            "the other way round it is the candidate that is pulled again"
        );
        let fresh = f(&[("map", "stock"), ("fuel", "95"), ("gearbox software", "A17"), ("cell", "2, new")]);
        let c = confounding(&before, &after, &[Known::plain(&fresh)].into(), &in_time(true));
        assert!(c.separate_with.is_empty() && c.fresh_after.is_empty() && c.already_run.len() == 1, "{c:?}");
        let alone = Factors::from([
            ("map".into(), "stock".into()),
            ("gearbox software".into(), "A17".into()),
            ("cell".into(), "2, new".into()),
            ("fuel".into(), "95".into()),
        ]);
        let c = confounding(&before, &alone, &AllKnown::default(), &in_time(true));
        assert!(
            c.confounded && c.separate_with.is_empty() && c.already_run.is_empty(),
            "nothing stands between"
        );
    }

    #[test]
    fn all_corners_are_listed_for_an_order_free_split() {
        let (a, b) = (
            f(&[("map", "s"), ("fuel", "95"), ("boost", "60")]),
            f(&[("map", "c"), ("fuel", "E30"), ("boost", "90")]),
        );
        let c = confounding(&a, &b, &[Known::plain(&a), Known::plain(&b)].into(), &InTime::default());
        assert_eq!(c.corners.len(), 6);
        assert!(c.corners.iter().all(|c| !c.run && c.factors.len() == 3));
        assert_eq!(confounding(&a, &a, &AllKnown::default(), &InTime::default()).corners.len(), 0);
    }

    proptest! {
        #[test]
        fn k_factors_need_at_most_k_minus_one_sets(values in prop::collection::vec((0..3u8, 0..3u8), 1..6)) {
            let side = |pick: fn(&(u8, u8)) -> u8| values.iter().enumerate().map(|(i, v)| (format!("f{i}"), pick(v).to_string())).collect::<Factors>();
            let (a, b) = (side(|v| v.0), side(|v| v.1));
            let c = confounding(&a, &b, &[Known::plain(&a), Known::plain(&b)].into(), &InTime::default());
            let k = c.factors_differ.len();
            prop_assert_eq!(c.separate_with.len() + c.already_run.len(), k.saturating_sub(1));
        }
    }
}
