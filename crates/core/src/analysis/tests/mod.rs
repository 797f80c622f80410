//! Comparisons of pulls whose curves are known in closed form.

mod edges;
mod held_against;
mod noise;
mod noticed;
mod second_looks;
mod split;
mod together;

use crate::air::AirState;
use crate::analysis::*;
use crate::correction::Correction;
use crate::factors::Factors;
use crate::limits::{Limit, LimitOutcome, Verdict as LimitVerdict};
use crate::pull::align::Alignment;
use crate::pull::dyno::{Dyno, DynoKind};
use crate::units::{PowerUnit, Units};
use crate::words::{Speech, caveat, headline_sentence, limit_sentence};

/// A measured pull with a closed-form curve of the given peak, plus a gain that begins at some speed.
pub(in crate::analysis) fn pull(id: &str, peak_kw: f64, extra_kw: f64, from_rpm: f64) -> Measured {
    let rpm: Vec<f64> = (40..=130).map(|k| f64::from(k) * 50.0).collect();
    let power_kw: Vec<f64> = rpm
        .iter()
        .map(|r| {
            peak_kw * (1.0 - ((r - 6000.0) / 6500.0).powi(2)) + if *r >= from_rpm { extra_kw } else { 0.0 }
        })
        .collect();
    let torque_nm =
        rpm.iter().zip(&power_kw).map(|(r, p)| p * 30_000.0 / (std::f64::consts::PI * r)).collect();
    Measured {
        step_share: None,
        print: None,
        id: id.into(),
        excluded: None,
        span: None,
        pulls_in_file: 1,
        own_window: [None, None],
        alignment: Alignment::single_log(),
        ratio: 4.0,
        ratio_from: RatioSource::Geometry,
        speed_from: crate::pull::engine_speed::SpeedFrom::Shaft,
        filter: None,
        grid: RawGrid {
            edge: vec![false; rpm.len()],
            time_s: vec![0.0; rpm.len()],
            rpm,
            power_kw,
            torque_nm,
            ..RawGrid::default()
        },
        steps: Vec::new(),
        rate_rpm_s: Some(600.0),
        estimated: false,
        has_road_speed: false,
        air: Some(AirState::new(25.0, 0.0, 990.0).unwrap()),
        limits: Vec::new(),
        lanes: Vec::new(),
        channels: Vec::new(),
        flags: Vec::new(),
        tells: None,
        printed: None,
        log_only: false,
    }
}

fn said(c: &Caveat) -> String {
    caveat(c, &Speech::PLAIN)
}

fn in_hp() -> Speech<'static> {
    Speech { units: Units { power: PowerUnit::Hp, ..Units::default() }, ..Speech::PLAIN }
}

pub(crate) fn vehicle() -> Vehicle {
    let dyno = Dyno {
        kind: DynoKind::Hub,
        overall_ratio: Some(4.0),
        inertia_kg_m2: None,
        rotating_inertia_kg_m2: None,
    };
    Vehicle {
        name: "test".into(),
        engine: Engine::default(),
        dyno,
        gears: Default::default(),
        computed: Vec::new(),
    }
}

pub(super) fn set(id: &str, factors: &[(&str, &str)]) -> SetInput {
    let factors: Factors = factors.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
    SetInput { id: id.into(), day: "2026-03-03".into(), factors, ..SetInput::default() }
}

/// Three pulls a set, ±0.3 kW around the peak, the second set with `extra` from `from` rpm up.
fn two(extra: f64, from: f64) -> (Vec<SetInput>, Vec<Vec<Measured>>) {
    let sets =
        vec![set("Stock", &[("map", "stock"), ("gear", "4")]), set("C1", &[("map", "c1"), ("gear", "4")])];
    let wobble = [-0.3, 0.0, 0.3];
    let pulls = |extra: f64| {
        wobble
            .iter()
            .enumerate()
            .map(|(i, w)| pull(&format!("p{}", i + 1), 110.0 + w, extra, from))
            .collect::<Vec<_>>()
    };
    (sets, vec![pulls(0.0), pulls(extra)])
}

pub(super) fn compared(
    sets: &[SetInput],
    measured: &[Vec<Measured>],
    settings: &Settings,
) -> (Vec<SetResult>, Vec<Comparison>) {
    let results = analyse_sets(sets, measured, &vehicle().engine, settings);
    let candidates: Vec<usize> = (1..results.len()).collect();
    let c = compare_all(&results, 0, &candidates, &vehicle(), settings);
    (results, c)
}

fn sentence(extra: f64, from: f64) -> String {
    let (sets, measured) = two(extra, from);
    let (results, c) = compared(&sets, &measured, &Settings::default());
    headline_sentence(&c[0], &results, &Speech::PLAIN)
}

#[test]
fn the_sentence_says_gain_loss_or_no_difference() {
    assert!(sentence(8.0, 0.0).starts_with("C1 gains 8.0 ± "), "{}", sentence(8.0, 0.0));
    assert!(sentence(-8.0, 0.0).starts_with("C1 loses 8.0 ± "), "{}", sentence(-8.0, 0.0));
    let none = sentence(0.1, 0.0);
    assert!(none.starts_with("No difference shown between C1 and Stock"), "never “no difference”: {none}");
    assert!(
        sentence(8.0, 4000.0).ends_with("Below 4000 rpm no difference is shown."),
        "{}",
        sentence(8.0, 4000.0)
    );
}

#[test]
fn the_sentence_follows_the_unit() {
    let (sets, measured) = two(10.0, 0.0);
    let (results, c) = compared(&sets, &measured, &Settings::default());
    let s = headline_sentence(&c[0], &results, &in_hp());
    assert!(s.contains("13.4") && s.contains("hp"), "{s}");
}

#[test]
fn significant_spans_begin_where_the_gain_does() {
    let (sets, measured) = two(8.0, 4000.0);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert_eq!(c[0].power.significant_rpm, vec![[4000.0, 6500.0]]);
    assert_eq!(c[0].power.largest.map(|l| l.significant), Some(Some(true)));
    assert!((c[0].power.largest.unwrap().difference - 8.0).abs() < 1e-9);
}

#[test]
fn one_pull_each_gives_a_difference_without_an_interval() {
    let (sets, mut measured) = two(8.0, 0.0);
    measured.iter_mut().for_each(|m| m.truncate(1));
    let (results, c) = compared(&sets, &measured, &Settings::default());
    let f = c[0].figure(Figure::PeakPower).unwrap();
    assert_eq!((f.verdict, f.ci95), (Verdict::CantTell, None));
    assert!(c[0].power.curve.half.is_empty(), "no band either");
    let s = headline_sentence(&c[0], &results, &Speech::PLAIN);
    assert!(s.starts_with("Can't tell whether C1 differs from Stock: +8.0 kW"), "{s}");
}

#[test]
fn everything_excluded_leaves_nothing_to_compare_but_breaks_nothing() {
    let (sets, mut measured) = two(8.0, 0.0);
    measured[1].iter_mut().for_each(|m| m.excluded = Some("wrong fuel".into()));
    let (results, c) = compared(&sets, &measured, &Settings::default());
    assert_eq!(results[1].n(), 0);
    assert_eq!(c[0].figure(Figure::PeakPower).unwrap().verdict, Verdict::CantTell);
    assert!(said(&c[0].notes[0]).contains("no pull with a power curve that counts"));
}

#[test]
fn a_repeated_configuration_brings_the_scatter_between_mountings() {
    let (mut sets, mut measured) = two(8.0, 0.0);
    let (_, once) = compared(&sets, &measured, &Settings::default());
    sets.push(set("Stock again", &[("map", "stock"), ("gear", "4")]));
    measured.push((0..3).map(|i| pull(&format!("p{i}"), 112.0 + 0.3 * f64::from(i - 1), 0.0, 0.0)).collect());
    let (_, again) = compared(&sets, &measured, &Settings::default());
    let width = |c: &Comparison| c.figure(Figure::PeakPower).unwrap().ci95.map(|i| i[1] - i[0]).unwrap();
    assert!(width(&again[0]) > 2.0 * width(&once[0]), "2 kW between mountings must show");
    let says = |c: &Comparison, kind: &str| c.notes.iter().any(|n| n.kind() == kind);
    assert!(says(&once[0], "one_mounting") && !says(&once[0], "few_mountings"));
    assert!(
        says(&again[0], "few_mountings") && !says(&again[0], "one_mounting"),
        "one difference knows little of a scatter"
    );
    let family = again[0].figure(Figure::PeakPower).unwrap().ci95_family.unwrap();
    assert!(family[1] - family[0] > width(&again[0]), "two candidates: the family-wise interval is wider");
}

#[test]
fn a_corner_already_run_splits_the_difference() {
    let f = |map: &'static str, fuel: &'static str| vec![("map", map), ("fuel", fuel), ("gear", "4")];
    let sets =
        vec![set("a", &f("stock", "95")), set("corner", &f("stock", "E30")), set("both", &f("c1", "E30"))];
    let pulls = |peak: f64| [-0.2, 0.2].iter().map(|w| pull("p", peak + w, 0.0, 0.0)).collect::<Vec<_>>();
    let (_, c) = compared(&sets, &[pulls(100.0), pulls(103.0), pulls(115.0)], &Settings::default());
    let note = said(c[1].notes.iter().find(|n| n.kind() == "confounded").unwrap());
    assert!(note.contains("+3.0 ± 0.9 kW is the fuel, then +12.0 ± 0.9 kW is the map"), "{note}");
}

#[test]
fn ramp_rates_apart_are_cautioned_unless_the_inertia_is_known() {
    let (sets, mut measured) = two(8.0, 0.0);
    measured[1].iter_mut().for_each(|m| m.rate_rpm_s = Some(900.0));
    let (_, c) = compared(&sets, &measured, &Settings::default());
    let kinds: Vec<&str> = c[0].notes.iter().map(|n| n.kind()).collect();
    assert!(kinds.contains(&"ramp_rate") && kinds.contains(&"window_span"), "{kinds:?}");
}

#[test]
fn estimated_and_measured_figures_are_never_mixed() {
    let (sets, mut measured) = two(8.0, 0.0);
    measured[1].iter_mut().for_each(|m| m.estimated = true);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert_eq!(c[0].figure(Figure::PeakPower).unwrap().verdict, Verdict::CantTell);
}

#[test]
fn changing_the_family_scales_kilowatts_and_not_per_cent() {
    let (sets, mut measured) = two(8.0, 0.0);
    measured.iter_mut().flatten().for_each(|m| m.air = Some(AirState::new(35.0, 0.6, 960.0).unwrap()));
    let gain = |correction| {
        let (r, c) = compared(&sets, &measured, &Settings { correction, ..Settings::default() });
        let d = c[0].figure(Figure::PeakPower).unwrap().difference.unwrap();
        (d, d / r[0].figure(Figure::PeakPower).headline.unwrap())
    };
    let (none, sae) = (gain(Correction::None), gain(Correction::SaeJ1349));
    assert!(sae.0 > 1.05 * none.0 && (sae.1 - none.1).abs() < 1e-9);
}

#[test]
fn a_set_is_as_bad_as_its_worst_pull_also_an_excluded_one() {
    let outcome = |verdict, share| LimitOutcome {
        limit: "lean".into(),
        verdict,
        worst: Some(0.9),
        threshold: Some(0.9),
        margin: Some(0.0),
        share_used: Some(share),
        from_s: None,
        to_s: None,
        rpm: Some(6000.0),
        clock: None,
        why: None,
    };
    let mut pulls =
        vec![pull("p1", 100.0, 0.0, 0.0), pull("p2", 100.0, 0.0, 0.0), pull("p3", 100.0, 0.0, 0.0)];
    for (p, o) in pulls.iter_mut().zip([
        outcome(LimitVerdict::Clear, 0.4),
        outcome(LimitVerdict::Clear, 0.7),
        outcome(LimitVerdict::Over, 1.2),
    ]) {
        p.limits = vec![o];
    }
    pulls[2].excluded = Some("aborted".into());
    assert_eq!(set_verdicts(&pulls)[0].verdict, LimitVerdict::Over);
    assert_eq!(set_verdicts(&pulls[..2])[0].share_used, Some(0.7), "among equals the tightest");
    let limit: Limit = serde_json::from_str(
        r#"{"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.9, "caution": 0.03}"#,
    )
    .unwrap();
    assert_eq!(limit_sentence(&limit, &pulls[1].limits[0]), "λ 1 clear, 0.000 left at 6000 rpm");
}
