//! The display filter: curves drawn again under another one, and what it may not touch.
#![allow(clippy::unwrap_used)]

mod simday;

use jamjar_core::analysis::{Lane, Measured, Settings, measure_sets, retrace};
use simday::{Day, day};

fn measured(d: &Day, smoothing_s: f64) -> Vec<Measured> {
    let settings = Settings { smoothing_s, ..Settings::default() };
    measure_sets(&d.inputs, &d.vehicle, &settings, &d.limits).unwrap().into_iter().flatten().collect()
}

/// The same whatever the order in which things were found, without what each limit's lane shows.
fn sorted(mut m: Measured) -> (Measured, Vec<Lane>) {
    m.flags.sort_by_key(|f| format!("{f:?}"));
    let lanes = std::mem::take(&mut m.lanes);
    (m, lanes)
}

#[test]
fn a_curve_drawn_again_is_the_one_that_measuring_anew_gives_and_nothing_else_moves() {
    let mut looked = 0;
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
                let ((again, lanes), (want, anew)) = (sorted(again), sorted(want.clone()));
                assert_eq!(again, want, "{name} {smoothing_s}");
                // A lane is blank where the filter lets the curve reach further than it did, and nowhere else.
                for (lane, anew) in lanes.iter().zip(&anew) {
                    let both = lane.share.iter().flatten().zip(anew.share.iter().flatten());
                    let blank = both.clone().filter(|(a, b)| a != b).collect::<Vec<_>>();
                    assert!(blank.len() <= 2 && blank.iter().all(|(a, _)| a.is_none()), "{name}: {blank:?}");
                    let lengths = [&lane.share, &anew.share].map(|s| s.as_ref().map(Vec::len));
                    assert_eq!(lengths[0], lengths[1], "{name} {smoothing_s}: {}", lane.limit);
                    looked += both.count();
                }
            }
        }
    }
    assert!(looked > 1000, "lanes were compared at {looked} speeds");
}
