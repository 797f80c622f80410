use super::gain::spans;
use super::*;
use crate::hatch::LimitLine;

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
            rung: None,
            rpm: rpm.clone(),
        })
        .collect();
    let curves = (0..sets)
        .map(|i| CurveOf {
            y: rpm.iter().map(|r| r / 60.0 + i as f64).collect(),
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
    let (title, gain_title, unit) = ("power".into(), "gain".into(), "kW".into());
    LineUpChart {
        series,
        panels: vec![Panel { id: "power", title, gain_title, unit, curves, gains }],
        tracks: Vec::new(),
        lane_title: "margin".into(),
        lane_rpm: rpm,
        lanes,
        focus: 0,
        axis: "engine rpm".into(),
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
    let g = &chart(2).panels[0].gains[0];
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
    let empty = LineUpChart { series: vec![], panels: vec![], lanes: vec![], ..chart(2) };
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
    let (s, o) = (&mut c.series[1], &mut c.panels[0].curves[1]);
    (s.rpm, o.y) = s.rpm.iter().zip(&o.y).filter(|p| !hole(p.0)).map(|p| (*p.0, *p.1)).unzip();
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
        c.panels[0].curves[1].y = vec![50.0; n];
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
            let one = c.panels[0].gains[0].clone();
            c.panels[0].gains = (1..sets).map(|series| Gain { series, ..one.clone() }).collect();
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

#[test]
fn torque_stands_under_power_and_each_has_its_own_gains() {
    let mut c = chart(3);
    let torque = Panel { id: "torque", title: "torque".into(), unit: "N·m".into(), ..c.panels[0].clone() };
    let one = lineup_svg(&c, Paint::Page);
    c.panels.push(torque);
    let both = lineup_svg(&c, Paint::Page);
    assert_eq!(both.matches(">gain<").count(), 2 * one.matches(">gain<").count());
    assert!(both.contains("aria-label=\"power; gain; torque; gain\""));
    let y = baselines(&both, WIDTH - RIGHT + 18.0);
    assert!(y.windows(2).all(|w| w[1] - w[0] >= 11.9), "names of two panels do not collide: {y:?}");
}

#[test]
fn a_channel_shows_the_extremes_of_its_pulls_its_target_and_its_limit() {
    let mut c = chart(2);
    let x = c.series[0].rpm.clone();
    let line = |series, target| TrackLine {
        series,
        x: x.clone(),
        y: x.iter().map(|r| 0.8 + r / 80_000.0).collect(),
        low: if target { Vec::new() } else { vec![0.78; x.len()] },
        high: if target { Vec::new() } else { vec![0.9; x.len()] },
        target,
        ..TrackLine::default()
    };
    let limit = |at: f64| LimitLine { points: vec![(2000.0, at), (6500.0, at)], above: true };
    let track = |limits| Track {
        digits: 2,
        label: "λ <1>".into(),
        lines: vec![line(0, false), line(1, false), line(1, true)],
        limits,
        missing: "not measured: C9".into(),
        tall: false,
    };
    let red = |c: &LineUpChart| lineup_svg(c, Paint::Page).matches("stroke=\"var(--rosehip)\"").count();
    let before = red(&c);
    c.tracks = vec![track(vec![limit(0.92)])];
    let svg = lineup_svg(&c, Paint::Page);
    assert!(svg.contains("λ &lt;1&gt;; not measured: C9") && svg.contains("fill-opacity=\".14\""));
    assert_eq!(svg.matches("stroke-dasharray=\"5 3\"").count(), 1, "one target");
    assert_eq!(red(&c), before + 2, "the line and its hatch");
    assert!(!svg.contains("NaN"));
    let height = |svg: &str| svg.split("viewBox=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    c.tracks[0].tall = true;
    assert_ne!(
        height(&lineup_svg(&c, Paint::Page)),
        height(&svg),
        "twice as high where the picture is about it"
    );
    c.tracks = vec![track(vec![limit(4.0)])];
    assert_eq!(red(&c), before, "a limit far away does not flatten the lines");
    c.tracks = vec![Track { label: "oil".into(), missing: "not measured by any".into(), ..Track::default() }];
    assert!(lineup_svg(&c, Paint::Page).contains("not measured by any"));
}

#[test]
fn rungs_differ_by_mark_and_weight() {
    let mut c = chart(3);
    (c.series[1].rung, c.series[2].rung) = (Some(0), Some(1));
    let svg = lineup_svg(&c, Paint::Page);
    assert!(
        svg.contains("<polygon")
            && svg.contains("stroke-width=\"1.9\"")
            && svg.contains("stroke-width=\"2.4\"")
    );
}
