//! Comparisons at the edge of what can be said.

use super::{compared, pull, said, set, two};
use crate::analysis::*;
use crate::words::{Speech, headline_sentence, sentence_about};

fn named(c: &Comparison, r: &[SetResult]) -> String {
    headline_sentence(c, r, &Speech::PLAIN)
}

fn peak(c: &Comparison) -> &FigureComparison {
    c.figure(Figure::PeakPower).unwrap()
}

fn pulls(peaks: &[f64]) -> Vec<Measured> {
    peaks.iter().enumerate().map(|(i, p)| pull(&format!("p{}", i + 1), *p, 0.0, 0.0)).collect()
}

fn kinds(c: &Comparison) -> Vec<&str> {
    c.notes.iter().map(|n| n.kind()).collect()
}

#[test]
fn copies_of_one_pull_have_no_scatter_to_speak_of() {
    let sets = [set("Stock", &[("map", "stock")]), set("C1", &[("map", "c1")])];
    let (_, c) = compared(&sets, &[pulls(&[110.0; 3]), pulls(&[118.0; 3])], &Settings::default());
    assert_eq!(peak(&c[0]).verdict, Verdict::CantTell);
    assert!(c[0].notes.iter().any(|n| said(n).contains("copies of one file")));
}

#[test]
fn one_pull_against_thirty_borrows_their_scatter() {
    let many: Vec<f64> = (0..30).map(|i| 110.0 + 0.4 * ((f64::from(i) * 1.7).sin())).collect();
    let sets = [set("Stock", &[("map", "stock")]), set("C1", &[("map", "c1")])];
    let (_, c) = compared(&sets, &[pulls(&many), pulls(&[113.0])], &Settings::default());
    let [low, high] = peak(&c[0]).ci95.unwrap();
    assert!(low > 0.0 && high < 6.0, "{low} {high}");
    assert!(kinds(&c[0]).contains(&"borrowed_scatter"));
    assert!((high - low) / 2.0 > 0.5, "one pull is worth no more than one pull");
}

#[test]
fn sets_without_a_shared_speed_cannot_be_compared() {
    let sets = [set("Low", &[("map", "stock")]), set("High", &[("map", "c1")])];
    let cut = |m: Vec<Measured>, keep: fn(f64) -> bool| {
        let thin = |mut m: Measured| {
            let at: Vec<usize> = (0..m.grid.rpm.len()).filter(|&i| keep(m.grid.rpm[i])).collect();
            let of = |v: &[f64]| at.iter().map(|&i| v[i]).collect::<Vec<_>>();
            let g = &m.grid;
            m.grid = RawGrid {
                rpm: of(&g.rpm),
                power_kw: of(&g.power_kw),
                torque_nm: of(&g.torque_nm),
                time_s: of(&g.time_s),
                edge: vec![false; at.len()],
                ..RawGrid::default()
            };
            m
        };
        m.into_iter().map(thin).collect::<Vec<_>>()
    };
    let measured = [
        cut(pulls(&[110.0, 110.4, 110.2]), |r| r < 4000.0),
        cut(pulls(&[118.0, 118.3, 118.4]), |r| r > 4000.0),
    ];
    let (r, c) = compared(&sets, &measured, &Settings::default());
    assert_eq!(peak(&c[0]).verdict, Verdict::CantTell);
    assert!(
        c[0].power.curve.rpm.is_empty() && said(&c[0].notes[0]).contains("share no engine speed"),
        "{:?}",
        c[0].notes
    );
    assert!(named(&c[0], &r).starts_with("Can't tell"));
}

#[test]
fn a_baseline_without_power_or_with_everything_left_out_is_said() {
    let sets = [set("Stock", &[("map", "stock")]), set("C1", &[("map", "c1")])];
    let mut bare = pulls(&[110.0, 111.0]);
    bare.iter_mut().for_each(|m| m.grid = RawGrid::default());
    let mut out = pulls(&[110.0, 111.0]);
    out.iter_mut().for_each(|m| m.excluded = Some("strap slipped".into()));
    for base in [bare, out] {
        let (r, c) = compared(&sets, &[base, pulls(&[118.0, 118.5])], &Settings::default());
        assert_eq!(
            (r[0].n(), peak(&c[0]).verdict, peak(&c[0]).mean_difference),
            (0, Verdict::CantTell, None)
        );
        assert!(named(&c[0], &r).contains("cannot be compared"), "{}", named(&c[0], &r));
        assert!(said(&c[0].notes[0]).contains("no pull with a power curve that counts"), "{:?}", c[0].notes);
    }
}

#[test]
fn different_gears_are_compared_only_when_a_person_accepts_it() {
    let sets = [set("Stock", &[("map", "stock"), ("gear", "4")]), set("C1", &[("map", "c1"), ("gear", "3")])];
    let measured = [pulls(&[110.0, 110.4, 110.2]), pulls(&[118.0, 118.3, 118.4])];
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert_eq!(peak(&c[0]).verdict, Verdict::CantTell);
    assert!(said(&c[0].notes[0]).contains("the gears differ"));
    let (_, c) = compared(&sets, &measured, &Settings { across_gears: true, ..Settings::default() });
    assert_eq!(peak(&c[0]).verdict, Verdict::Gain);
    assert!(kinds(&c[0]).contains(&"gears"), "and the page goes on saying so: {:?}", kinds(&c[0]));
}

#[test]
fn a_comparison_by_another_figure_has_its_own_sentence() {
    let sets = [set("Stock", &[("map", "stock")]), set("C1", &[("map", "c1")])];
    let settings = Settings { at_rpm: Some(4000.0), band_rpm: Some([3000.0, 6000.0]), ..Settings::default() };
    let measured = [pulls(&[110.0, 110.4, 110.2]), pulls(&[118.0, 118.3, 118.4])];
    let (r, c) = compared(&sets, &measured, &settings);
    let say =
        |f: Figure, place: &str| sentence_about(&c[0], &r, &Speech::PLAIN, f, place, (f.unit(), &|v| v));
    let at = say(Figure::PowerAt, "power at 4000 rpm");
    assert!(
        at.starts_with("C1 has 7.3 ± ") && at.contains("kW more power at 4000 rpm than Stock (3 pulls each"),
        "{at}"
    );
    assert!(say(Figure::BandMeanPower, "mean power from 3000 to 6000 rpm").contains("more mean power"));
    assert!(
        say(Figure::ShiftPower, "mean power in the shift window").contains("is not known of both"),
        "no window was given"
    );
}

/// Twenty minutes at a thousand samples a second: three sweeps of one ramp, the engine computer begun a
/// minute later.
#[test]
fn a_long_recording_at_a_kilohertz_gives_its_pulls_one_by_one() {
    use crate::channel::Channel;
    use crate::log::Recording;
    use crate::pull::dyno::{Dyno, DynoKind};
    let tips = [100.0, 500.0, 1100.0];
    let at = |t: f64| -> (f64, f64) {
        let begun = tips.iter().copied().find(|tip| (0.0..9.0).contains(&(t - tip)));
        begun.map_or((1500.0, 40.0), |tip| (1900.0 + 530.0 * (t - tip), 180.0))
    };
    let recording = |hz: u32, from: f64, columns: &[(&'static str, &dyn Fn(f64) -> f64)]| {
        let t: Vec<f64> = (0..1140 * hz).map(|i| from + f64::from(i) / f64::from(hz)).collect();
        let channels = columns
            .iter()
            .map(|(name, f)| (Channel::known(name), t.iter().map(|t| f(*t)).collect()))
            .collect();
        Recording { t, channels, ..Recording::default() }
    };
    let dyno =
        recording(1000, 0.0, &[("roller_speed", &|t| at(t).0 / 4.0), ("hub_torque", &|t| 4.0 * at(t).1)]);
    let ecu = recording(
        100,
        72.5,
        &[
            ("engine_speed", &|t| at(t - 12.5).0),
            ("throttle", &|t| if at(t - 12.5).1 > 100.0 { 100.0 } else { 10.0 }),
        ],
    );
    let geometry = Dyno {
        kind: DynoKind::Hub,
        overall_ratio: Some(4.0),
        inertia_kg_m2: None,
        rotating_inertia_kg_m2: None,
    };
    let vehicle = Vehicle {
        name: "long".into(),
        engine: Engine::default(),
        dyno: geometry,
        gears: Default::default(),
        computed: Vec::new(),
    };
    let all = PullInput { id: "p".into(), dyno, ecu: Some(ecu.into()), ..PullInput::default() };
    for (i, tip) in tips.iter().enumerate() {
        let m =
            measure(&PullInput { pull_index: Some(i), ..all.clone() }, &vehicle, &Settings::default(), &[])
                .unwrap();
        let span = m.span.unwrap();
        assert_eq!(m.pulls_in_file, 3);
        assert!((span.from_s - tip).abs() < 0.6, "pull {} begins at {:.1} s", i + 1, span.from_s);
        assert!((m.alignment.usable_lag().unwrap() - 12.5).abs() < 0.02, "pull {}: {:?}", i + 1, m.alignment);
        let power = m.grid.curve().figures(None).peak_power.unwrap();
        assert!((power.value - 180.0 * power.rpm * std::f64::consts::PI / 30_000.0).abs() < 1.0, "{power:?}");
    }
}

#[test]
fn an_aborted_pull_alone_makes_no_headline_and_beside_a_whole_one_it_counts() {
    let (sets, mut measured) = two(8.0, 0.0);
    let abort = |m: &mut Measured| {
        m.span = Some(crate::pull::span::PullSpan {
            from_s: 0.0,
            to_s: 5.0,
            from_rpm: 2000.0,
            to_rpm: 4800.0,
            ended_by: crate::pull::span::EndedBy::Abort,
            kind: crate::pull::span::PullKind::SweepUp,
            plateau_rpm: None,
            rate: 600.0,
        });
    };
    measured[1].iter_mut().for_each(abort);
    let (r, c) = compared(&sets, &measured, &Settings::default());
    assert_eq!(r[1].figure(Figure::PeakPower).headline, None);
    assert!(r[1].only_aborted && !r[0].only_aborted && r[1].n() == 3);
    assert_eq!(c[0].figure(Figure::PeakPower).unwrap().verdict, Verdict::CantTell);
    measured[1].pop();
    measured[1].push(pull("p3", 110.0, 8.0, 0.0));
    let (r, _) = compared(&sets, &measured, &Settings::default());
    assert!(r[1].figure(Figure::PeakPower).headline.is_some() && !r[1].only_aborted);
}
