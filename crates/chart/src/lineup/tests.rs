use super::gain::spans;
use super::*;

fn chart(sets: usize) -> LineUpChart {
    let rpm: Vec<f64> = (40..130).map(|k| f64::from(k) * 50.0).collect();
    let series: Vec<Series> = (0..sets)
        .map(|i| Series {
            key: i.to_string(),
            name: format!("C{i} <b>"),
            detail: "RON 95 E5".into(),
            tone: Tone::Damson,
            dash: Dash(i),
            baseline: i == 0,
            rpm: rpm.clone(),
            power: rpm.iter().map(|r| r / 60.0 + i as f64).collect(),
            peak: Some((6000.0, 100.0)),
            headline: "100.0 at 6000".into(),
        })
        .collect();
    let gains = vec![Gain {
        series: sets - 1,
        rpm: rpm.clone(),
        gain: rpm.iter().map(|r| (r - 4000.0) / 200.0).collect(),
        half: vec![2.0; rpm.len()],
    }];
    let lanes = vec![
        Lane {
            label: "λ 1".into(),
            share: Some(rpm.iter().map(|r| Some(r / 6000.0)).collect()),
            note: "over from 6000".into(),
            over: true,
            unknown: false,
        },
        Lane {
            label: "back pressure".into(),
            share: None,
            note: "not measured".into(),
            over: false,
            unknown: true,
        },
    ];
    LineUpChart {
        power_title: "power".into(),
        gain_title: "gain".into(),
        lane_title: "margin".into(),
        series,
        gains,
        lane_rpm: rpm,
        lanes,
        focus: 0,
        axis: "engine rpm".into(),
        unit: "kW".into(),
        scale: 1.0,
    }
}

#[test]
fn names_are_escaped_and_every_set_is_drawn() {
    for sets in [2, 5, 16] {
        let svg = lineup_svg(&chart(sets), Paint::Page);
        assert!(!svg.contains("<b>"));
        assert_eq!(svg.matches("&lt;b&gt;").count(), sets + 1);
        assert!(!svg.contains("NaN") && !svg.contains("inf"));
    }
}

#[test]
fn not_measured_is_drawn_and_over_is_red() {
    let svg = lineup_svg(&chart(2), Paint::Light);
    assert!(svg.contains("not measured") && svg.contains(r#"stroke-dasharray="3 3""#));
    assert!(svg.contains("#b0361e"));
    assert!(!svg.contains("var(--"), "a file stands alone");
}

#[test]
fn the_gain_is_solid_only_where_the_band_excludes_zero() {
    let g = &chart(2).gains[0];
    let s = spans(g);
    assert_eq!(s.iter().map(|x| x.0).collect::<Vec<_>>(), vec![true, false, true]);
    assert!(g.gain[s[1].1.start].abs() <= 2.0);
    let mut bare = g.clone();
    bare.half.clear();
    assert_eq!(spans(&bare).len(), 1);
    assert!(!spans(&bare)[0].0);
}

#[test]
fn nothing_to_draw_is_still_a_picture() {
    let empty = LineUpChart { series: vec![], gains: vec![], lanes: vec![], ..chart(2) };
    assert!(lineup_svg(&empty, Paint::Dark).starts_with("<svg"));
}

#[test]
fn a_lane_that_reaches_beyond_the_curves_is_cut_at_the_panel() {
    let mut c = chart(2);
    c.lane_rpm = (0..90).map(|k| 1000.0 + 100.0 * f64::from(k)).collect();
    let svg = lineup_svg(&c, Paint::Page);
    let widths: Vec<f64> = svg
        .split("<rect ")
        .skip(1)
        .filter_map(|r| r.split_once("width=\"")?.1.split_once('"')?.0.parse().ok())
        .collect();
    assert!(widths.len() > 40 && widths.len() < 60 && widths.iter().all(|w| *w > 0.0), "{widths:?}");
}

#[test]
fn no_line_crosses_a_hole_and_held_speeds_are_marked() {
    let mut c = chart(2);
    let hole = |r: &f64| (3000.0..4000.0).contains(r);
    let s = &mut c.series[1];
    (s.rpm, s.power) = s.rpm.iter().zip(&s.power).filter(|p| !hole(p.0)).map(|p| (*p.0, *p.1)).unzip();
    let svg = lineup_svg(&c, Paint::Page);
    let group = svg.split(r#"data-key="1""#).nth(1).unwrap();
    assert_eq!(
        group.split_once("d=\"").unwrap().1.split_once('"').unwrap().0.matches('M').count(),
        2,
        "two strokes"
    );
    assert_eq!(stretches(&[2000.0, 2050.0, 3000.0, 3050.0]), [0..2, 2..4]);
    assert_eq!(stretches(&[2000.0, 2500.0, 3000.0, 4000.0]).len(), 1, "held speeds are joined");
    let stepped = |n: usize| {
        let mut c = chart(2);
        c.series[1].rpm = (0..n).map(|i| 2000.0 + 500.0 * i as f64).collect();
        c.series[1].power = vec![50.0; n];
        lineup_svg(&c, Paint::Page).matches(r#"r="2.4""#).count()
    };
    assert_eq!(stepped(7), 7);
    assert_eq!(lineup_svg(&chart(3), Paint::Page).matches(r#"r="2.4""#).count(), 0, "a sweep has no marks");
}

/// Lower edges of the texts that begin at one x, top to bottom.
fn baselines(svg: &str, x: f64) -> Vec<f64> {
    let number = |text: &str, name: &str| {
        text.split_once(&format!("{name}=\""))
            .and_then(|(_, r)| r.split_once('"'))
            .and_then(|(v, _)| v.parse().ok())
    };
    let mut out: Vec<f64> = svg
        .split("<text ")
        .skip(1)
        .filter(|t| number(t, "x").is_some_and(|at: f64| (at - x).abs() < 0.6))
        .filter_map(|t| number(t, "y"))
        .collect();
    out.sort_by(f64::total_cmp);
    out
}

#[test]
fn names_never_collide_however_many_sets_there_are() {
    for sets in [2, 7, 9, 16] {
        for scale in [1.0, 1.28] {
            let mut c = LineUpChart { scale, ..chart(sets) };
            let one = c.gains[0].clone();
            c.gains = (1..sets).map(|series| Gain { series, ..one.clone() }).collect();
            let svg = lineup_svg(&c, Paint::Page);
            let y = baselines(&svg, WIDTH - RIGHT * scale + 18.0);
            assert!(y.len() >= 2 * sets - 1, "every set is named twice: {y:?}");
            assert!(y.windows(2).all(|w| w[1] - w[0] >= 11.9 * scale), "{sets} sets at {scale}: {y:?}");
            assert_eq!(
                svg.matches("fill-opacity=\".15\"").count(),
                if sets > MANY { 0 } else { sets - 1 },
                "bands of {sets} sets"
            );
        }
    }
}
