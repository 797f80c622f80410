//! Many candidates held against one baseline at once are what each of them is alone: what is worked out once for all
//! of them belongs to none.

use super::{pull, set, vehicle};
use crate::analysis::*;
use crate::factors::Factors;
use proptest::prelude::*;

/// Sets over two days, two gears and some maps, fuels and rungs, the baseline run before and after.
fn sets(cells: &[(u8, u8, u8, u8, f64)]) -> (Vec<SetInput>, Vec<Vec<Measured>>) {
    let of = |(map, fuel, boost, gear, _): &(u8, u8, u8, u8, f64)| -> Factors {
        [
            ("map", format!("m{map}")),
            ("fuel", format!("f{fuel}")),
            ("boost", format!("{boost}")),
            ("gear", format!("{gear}")),
        ]
        .into_iter()
        .map(|(k, v)| (k.to_owned(), v))
        .collect()
    };
    let base = (0, 0, 0, 4, 0.0);
    let all: Vec<&(u8, u8, u8, u8, f64)> = std::iter::once(&base).chain(cells).chain([&base]).collect();
    let input = |(i, c): (usize, &&(u8, u8, u8, u8, f64))| SetInput {
        day: if i % 5 == 4 { "2026-03-04".into() } else { "2026-03-03".into() },
        at_h: Some(9.0 + 0.4 * i as f64),
        order: i as f64,
        factors: of(c),
        ..set(&format!("s{i}"), &[])
    };
    let pulls = |(i, c): (usize, &&(u8, u8, u8, u8, f64))| {
        let peak = |k: usize| 100.0 + c.4 + 0.1 * ((i * 7 + k * 3) % 5) as f64;
        (0..3).map(|k| pull(&format!("p{}", k + 1), peak(k), 0.0, 0.0)).collect()
    };
    (all.iter().enumerate().map(input).collect(), all.iter().enumerate().map(pulls).collect())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn what_is_shared_by_all_candidates_changes_none(
        cells in prop::collection::vec((0..3u8, 0..2u8, 0..3u8, 3..5u8, -2.0..12.0f64), 2..9),
    ) {
        let (inputs, measured) = sets(&cells);
        let settings = Settings { across_gears: true, margin_kw: Some(1.5), ..Settings::default() };
        let results = analyse_sets(&inputs, &measured, &vehicle().engine, &settings);
        let others: Vec<usize> = (1..results.len()).collect();
        let together = compare_all(&results, 0, &others, &vehicle(), &settings);
        for (c, i) in together.iter().zip(&others) {
            let alone = compare_all(&results, 0, &[*i], &vehicle(), &settings).remove(0);
            prop_assert_eq!(&c.confounding, &alone.confounding);
            // As it is written: what nobody knows is not equal to itself.
            let said = |c: &Comparison| {
                let each: Vec<_> = c.figures.iter().map(|f| (f.figure, f.interval, f.ci95, f.pull_sd)).collect();
                format!("{:?}\n{:?}\n{each:?}\n{:?}", c.second, c.splits, c.power.curve)
            };
            prop_assert_eq!(said(c), said(&alone));
        }
    }

    #[test]
    fn pulls_that_are_shared_and_pulls_that_are_owned_read_the_same(
        cells in prop::collection::vec((0..3u8, 0..2u8, 0..3u8, 3..5u8, -2.0..12.0f64), 1..5),
    ) {
        let (inputs, measured) = sets(&cells);
        let shared: Vec<Vec<std::sync::Arc<Measured>>> =
            measured.iter().map(|p| p.iter().cloned().map(std::sync::Arc::new).collect()).collect();
        let settings = Settings::default();
        let own = analyse_sets(&inputs, &measured, &vehicle().engine, &settings);
        let again = analyse_sets(&inputs, &shared, &vehicle().engine, &settings);
        prop_assert_eq!(format!("{own:?}"), format!("{again:?}"));
        prop_assert_eq!(find_days(&own, &measured), find_days(&own, &shared));
        prop_assert_eq!(set_verdicts(&measured[0]), set_verdicts(&shared[0]));
        prop_assert_eq!(differs(&measured[0], &measured[1]), differs(&shared[0], &shared[1]));
    }
}
