use super::engine::TOLVERN_T3;
use super::fuel::{E30, RON_95};
use super::*;

const MAP: Map = Map { name: "x", kind: "custom", boost_kpa: 80.0, lambda: [0.88, 0.84], spark_deg: [4.0, 18.0] };

fn power(map: &Map, fuel: &SimFuel, rpm: f64) -> f64 {
    TOLVERN_T3.hub_power_kw(OperatingPoint { rpm, ambient_kpa: 100.2, intake_c: 31.0 }, map, fuel)
}

#[test]
fn the_same_seed_gives_the_same_bytes_and_another_does_not() {
    let (a, b, c) = (first_light(7, 0.001), first_light(7, 0.001), first_light(8, 0.001));
    assert_eq!(a.sets[0].pulls[0].dyno, b.sets[0].pulls[0].dyno);
    assert_ne!(a.sets[0].pulls[0].dyno.bytes, c.sets[0].pulls[0].dyno.bytes);
}

#[test]
fn boost_and_octane_add_power_and_short_injectors_go_lean() {
    let more = Map { boost_kpa: 100.0, ..MAP };
    assert!(power(&more, &RON_95, 5000.0) > power(&MAP, &RON_95, 5000.0) + 3.0);
    let hot = Map { spark_deg: [6.0, 24.0], ..MAP };
    let at = |f: &SimFuel| TOLVERN_T3.at(OperatingPoint { rpm: 4000.0, ambient_kpa: 100.2, intake_c: 31.0 }, &hot, f);
    assert!(at(&RON_95).knock_retard_deg > at(&E30).knock_retard_deg);
    let greedy = Map { boost_kpa: 140.0, ..MAP };
    let o = TOLVERN_T3.at(OperatingPoint { rpm: 6600.0, ambient_kpa: 100.2, intake_c: 31.0 }, &greedy, &E30);
    assert!(o.lambda > 0.9, "{o:?}");
}

#[test]
fn the_stock_engine_is_of_a_believable_size() {
    let peak = (40..134).map(|k| power(&Map { boost_kpa: 72.0, ..MAP }, &RON_95, f64::from(k) * 50.0)).fold(0.0, f64::max);
    assert!((95.0..135.0).contains(&peak), "{peak}");
}
