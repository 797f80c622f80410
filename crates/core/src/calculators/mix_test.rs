use super::*;
use proptest::prelude::*;

fn can(ethanol: f64) -> Can {
    Can { ethanol, litres: None, price: None }
}

fn tank(litres: f64, ethanol: f64) -> Tank {
    Tank { litres, ethanol, capacity: None }
}

fn wanted(ethanol: f64, litres: impl Into<Option<f64>>) -> Wanted {
    Wanted { ethanol, litres: litres.into() }
}

#[test]
fn one_fuel_is_poured_as_the_formula_says() {
    let m = mix(tank(30.0, 0.10), &[can(0.85)], wanted(0.40, None)).unwrap();
    assert!((m.pour[0] - 20.0).abs() < 1e-9 && m.reached && m.drain == 0.0);
    let there = mix(tank(30.0, 0.10), &[can(0.85)], wanted(0.10, None)).unwrap();
    assert!(there.pour[0].abs() < 1e-12 && there.reached);
}

#[test]
fn a_target_above_every_fuel_is_refused_with_what_there_is() {
    let e = mix(tank(30.0, 0.10), &[can(0.78), can(0.05)], wanted(0.85, None)).unwrap_err();
    assert_eq!(
        e.to_string(),
        "a target of 85.0 %: what is in the tank and what can be poured hold 5.0 % to 78.0 %, and the target must lie between"
    );
    assert!(matches!(mix(tank(30.0, 0.10), &[can(85.0)], wanted(0.4, None)), Err(MixError::Range(_))));
    assert!(matches!(mix(tank(30.0, 0.10), &[], wanted(0.4, None)), Err(MixError::NoFuel)));
    assert!(matches!(mix(tank(0.0, 0.0), &[can(0.4)], wanted(0.4, None)), Err(MixError::HowMuch)));
    let small = Tank { capacity: Some(20.0), ..tank(30.0, 0.10) };
    assert!(matches!(mix(small, &[can(0.8)], wanted(0.4, None)), Err(MixError::TankTooSmall { .. })));
}

#[test]
fn what_would_run_over_is_drained_first() {
    let full = Tank { capacity: Some(60.0), ..tank(50.0, 0.10) };
    let m = mix(full, &[can(0.85)], wanted(0.40, None)).unwrap();
    // 60·0.3/0.75 poured, what is left of the tank makes up the rest.
    assert!((m.pour[0] - 24.0).abs() < 1e-9 && (m.drain - 14.0).abs() < 1e-9 && m.reached, "{m:?}");
    assert!((m.litres - 60.0).abs() < 1e-9 && (m.ethanol - 0.40).abs() < 1e-12);
}

#[test]
fn of_three_the_cheapest_way_is_taken_and_nothing_drained_for_it() {
    let priced = |ethanol: f64, price: f64| Can { ethanol, litres: None, price: Some(price) };
    let cans = [priced(0.05, 1.8), priced(0.10, 1.7), priced(0.80, 1.1)];
    let m = mix(tank(10.0, 0.05), &cans, wanted(0.40, 50.0)).unwrap();
    assert!(m.reached && m.drain == 0.0 && (m.litres - 50.0).abs() < 1e-9, "{m:?}");
    assert!(m.pour[0].abs() < 1e-9, "the dearer of two like fuels stays in its can: {m:?}");
    let cost: f64 = m.pour.iter().zip([1.8, 1.7, 1.1]).map(|(x, p)| x * p).sum();
    assert!((m.cost.unwrap() - cost).abs() < 1e-9);
    // Without a price of what is poured there is no sum.
    let unpriced = [can(0.05), can(0.80)];
    assert_eq!(mix(tank(10.0, 0.05), &unpriced, wanted(0.40, 50.0)).unwrap().cost, None);
}

#[test]
fn with_too_little_on_hand_it_says_the_nearest() {
    let few = [Can { ethanol: 0.85, litres: Some(5.0), price: None }];
    let m = mix(tank(30.0, 0.10), &few, wanted(0.40, None)).unwrap();
    assert!(!m.reached && (m.pour[0] - 5.0).abs() < 1e-9, "{m:?}");
    assert!(m.ethanol < 0.40 && m.ethanol > 0.20);
}

#[test]
fn what_is_poured_unmeasured_leaves_a_range() {
    let (t, cans) = (tank(30.0, 0.10), [can(0.85)]);
    let m = mix(t, &cans, wanted(0.40, None)).unwrap();
    let [low, high] = within(t, &cans, &m, &[[0.51, 0.83]]);
    assert!(
        (low - (3.0 + 20.0 * 0.51) / 50.0).abs() < 1e-12 && (high - (3.0 + 20.0 * 0.83) / 50.0).abs() < 1e-12
    );
}

proptest! {
    #[test]
    fn what_is_reached_is_reached_when_it_is_poured(
        v in 0.0..60.0f64, e0 in 0.0..1.0f64, e in prop::array::uniform3(0.0..1.0f64), target in 0.0..1.0f64,
        end in 5.0..80.0f64, on_hand in prop::array::uniform3(0.0..60.0f64),
    ) {
        let cans: Vec<Can> = (0..3).map(|i| Can { ethanol: e[i], litres: Some(on_hand[i]), price: Some(1.0 + i as f64) }).collect();
        let Ok(m) = mix(tank(v, e0), &cans, wanted(target, end)) else { return Ok(()) };
        prop_assert!(m.drain >= 0.0 && m.drain <= v + 1e-9);
        for (x, h) in m.pour.iter().zip(on_hand) {
            prop_assert!(*x >= 0.0 && *x <= h + 1e-9);
        }
        if m.reached {
            prop_assert!((m.litres - end).abs() < 1e-4 && (m.ethanol - target).abs() < 1e-5, "{m:?}");
        }
    }

    /// Held against a search over a fine grid: where that finds a way, so does the formula.
    #[test]
    fn nothing_that_can_be_reached_is_missed(v in 0.0..40.0f64, a in 0.0..20.0f64, b in 0.0..20.0f64, d in 0.0..1.0f64) {
        let drained = d * v;
        let (e0, cans) = (0.1, [can(0.05), can(0.85)]);
        let end = v - drained + a + b;
        if end < 1.0 { return Ok(()) }
        let target = ((v - drained) * e0 + a * 0.05 + b * 0.85) / end;
        let m = mix(tank(v, e0), &cans, wanted(target, end)).unwrap();
        prop_assert!(m.reached && m.drain <= drained + 1e-6, "{m:?} for {a} {b} drained {drained}");
    }
}
