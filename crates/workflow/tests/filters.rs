//! The display filter: curves drawn again under another one, and what it may not touch.
#![allow(clippy::unwrap_used)]

mod simday;

use jamjar_core::analysis::{Measured, Settings, measure_sets, retrace};
use simday::{Day, day};

fn measured(d: &Day, smoothing_s: f64) -> Vec<Measured> {
    let settings = Settings { smoothing_s, ..Settings::default() };
    measure_sets(&d.inputs, &d.vehicle, &settings, &d.limits).unwrap().into_iter().flatten().collect()
}

/// The same whatever the order in which things were found.
fn sorted(mut m: Measured) -> Measured {
    m.flags.sort_by_key(|f| format!("{f:?}"));
    m
}

#[test]
fn a_curve_drawn_again_is_the_one_that_measuring_anew_gives_and_nothing_else_moves() {
    for name in ["tolvern", "quillet", "brae"] {
        let d = day(name, &[None; 2], "engine_speed", |_| {});
        let usual = measured(&d, Settings::default().smoothing_s);
        for smoothing_s in [0.0, 0.1, 0.5] {
            let settings = Settings { smoothing_s, ..Settings::default() };
            let anew = measured(&d, smoothing_s);
            let pulls = d.inputs.iter().flat_map(|s| &s.pulls);
            for ((p, m), want) in pulls.zip(&usual).zip(&anew) {
                let (_, again) = retrace(m, p, &d.vehicle, &settings).unwrap().unwrap();
                assert_eq!(again.limits, m.limits, "filters never touch limits");
                assert_eq!(sorted(again), sorted(want.clone()), "{name} {smoothing_s}");
            }
        }
    }
}
