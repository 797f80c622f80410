//! A planted fault shows on the channel it acts on, and by as much as it says.

use super::*;

const RPM: usize = 1;
const THROTTLE: usize = 2;
const LAMBDA: usize = 3;
const PRESSURE: usize = 4;
const RETARD: usize = 5;

fn fault(kind: FaultKind) -> FaultSpec {
    FaultSpec::new(kind, &[2], None)
}

/// The second pull of the brave map, without a fault and with one.
fn pulls(spec: FaultSpec, edit: impl Fn(&mut Scenario)) -> [SimPull; 2] {
    [vec![], vec![spec]].map(|fault| {
        let s = run(|s| {
            s.ecu.as_mut().unwrap().dialect = Dialect::Brackets;
            edit(s);
            s.day[0].set[1].fault = fault;
        });
        sets(&s)[1].pulls[1].clone()
    })
}

/// One channel of the engine computer under full throttle.
fn loaded(pull: &SimPull, channel: usize) -> Vec<f64> {
    let rows = numbers(&pull.ecu.as_ref().unwrap().bytes);
    let full: Vec<f64> = rows.iter().filter(|r| r[THROTTLE] > 95.0).map(|r| r[channel]).collect();
    assert!(full.len() > 40, "{} rows under full throttle", full.len());
    full
}

fn highest(v: &[f64]) -> f64 {
    v.iter().copied().fold(f64::MIN, f64::max)
}

fn kw(pull: &SimPull, rpm: f64) -> f64 {
    linear(&pull.truth.curve.rpm, &pull.truth.curve.power_kw, rpm).unwrap()
}

#[test]
fn a_frozen_sensor_writes_one_value_to_the_end_and_a_saturated_one_its_last() {
    let changes = |pull: &SimPull| {
        let v = loaded(pull, LAMBDA);
        v[v.len() * 2 / 3..].windows(2).filter(|w| w[0] != w[1]).count()
    };
    let [clean, frozen] = pulls(fault(FaultKind::FrozenLambda), |_| {});
    assert!(changes(&clean) > 5 && changes(&frozen) == 0, "{} and {}", changes(&clean), changes(&frozen));
    let at_end = |pull: &SimPull| loaded(pull, LAMBDA).iter().filter(|v| (**v - 0.75).abs() < 1e-9).count();
    let [clean, ended] = pulls(FaultSpec { size: Some(0.75), ..fault(FaultKind::SaturatedLambda) }, |_| {});
    assert!(at_end(&ended) > at_end(&clean) + 20, "{} and {}", at_end(&clean), at_end(&ended));
}

#[test]
fn lean_leaking_and_knocking_engines_show_it_on_their_channels() {
    let top = |spec, channel| pulls(spec, |_| {}).map(|p| highest(&loaded(&p, channel)));
    let [clean, lean] = top(fault(FaultKind::LeanExcursion), LAMBDA);
    assert!(lean > 1.1 * clean, "λ {clean} and {lean}");
    let [clean, leaking] = top(FaultSpec { size: Some(0.5), ..fault(FaultKind::BoostLeak) }, PRESSURE);
    assert!(leaking < clean - 2.0, "{clean} and {leaking} kPa");
    let [clean, knocking] = top(fault(FaultKind::Knock), RETARD);
    assert!(knocking > clean + 1.0, "{clean}° and {knocking}°");
}

#[test]
fn a_pull_that_is_given_up_or_limited_ends_early() {
    let road = |s: &mut Scenario| s.cell.kmh_per_rpm = 0.12;
    let ends = |kind| pulls(fault(kind), road).map(|p| highest(&loaded(&p, RPM)));
    let [clean, aborted] = ends(FaultKind::AbortedPull);
    assert!(aborted < 0.85 * clean, "{clean} and {aborted} rpm");
    for kind in [FaultKind::LimiterCut, FaultKind::SpeedLimiter] {
        let [clean, limited] = ends(kind);
        assert!(limited < clean - 300.0 && limited > clean - 1200.0, "{clean} and {limited} rpm");
    }
}

#[test]
fn another_gear_and_slipping_tyres_show_in_engine_over_shaft_speed() {
    let ratio = |pull: &SimPull| {
        let shaft = numbers(&pull.dyno.bytes).iter().map(|r| r[1]).collect::<Vec<f64>>();
        highest(&loaded(pull, RPM)) / highest(&shaft)
    };
    let [clean, other] = pulls(fault(FaultKind::WrongGear), |_| {}).map(|p| ratio(&p));
    assert!((other / clean - 1.32).abs() < 0.02, "{clean} and {other}");
    let roller = |s: &mut Scenario| s.cell.dyno = jamjar_sim::SimDyno::RollerBrake;
    let [clean, slipping] = pulls(fault(FaultKind::TyreSlip), roller).map(|p| ratio(&p));
    assert!((1.005..1.08).contains(&(slipping / clean)), "{clean} and {slipping}");
}

#[test]
fn what_is_really_in_the_tank_and_in_the_unit_decides() {
    let [clean, choked] = pulls(fault(FaultKind::DirtyFilter), |_| {}).map(|p| kw(&p, 5500.0));
    assert!(choked < 0.995 * clean, "{clean} and {choked} kW");
    let overwritten = FaultSpec { map: Some("Mild".into()), ..fault(FaultKind::SoftwareOverwritten) };
    let [brave, really_mild] = pulls(overwritten, |_| {}).map(|p| highest(&loaded(&p, PRESSURE)));
    assert!(really_mild < brave - 15.0, "{brave} and {really_mild} kPa");
    let other_tank = FaultSpec { fuel: Some("E85".into()), ..fault(FaultKind::WrongFuel) };
    let [meant, poured] = pulls(other_tank, |_| {}).map(|p| highest(&loaded(&p, LAMBDA)));
    assert!(
        poured > meant + 0.03,
        "a tank of ethanol is lean to a unit that knows petrol: {meant}, {poured}"
    );
}
