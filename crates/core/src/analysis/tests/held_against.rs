//! Hollows, the same change in several rows, each map's own shifts, equal output.

use super::*;
use crate::curve::Quantity;
use crate::words::ChannelWords;
use crate::words::{effect_sentence, equal_output_sentence, hollow_sentence, own_window_sentence};

/// A pull with a wide plateau of torque and a hollow of that share of it at 4000 rpm; `noise` moves single points.
fn with_hollow(id: &str, peak_kw: f64, share: f64, noise: f64) -> Measured {
    let mut m = pull(id, peak_kw, 0.0, 0.0);
    for (i, rpm) in m.grid.rpm.clone().into_iter().enumerate() {
        let hollow = share * (-((rpm - 4000.0) / 180.0).powi(2)).exp();
        let wave = noise * (rpm / 170.0 + peak_kw * 7.0).sin();
        let plateau = 2.0 * peak_kw * (1.0 - ((rpm - 4200.0) / 6000.0).powi(2));
        m.grid.torque_nm[i] = plateau * (1.0 - hollow + wave);
        m.grid.power_kw[i] = m.grid.torque_nm[i] * rpm * crate::units::RAD_S_PER_RPM / 1000.0;
    }
    m
}

fn set_of(share: f64) -> Vec<Measured> {
    [-0.3, 0.0, 0.3].iter().map(|w| with_hollow("p", 110.0 + w, share, 0.0008)).collect()
}

fn hollow(base: f64, candidate: f64) -> (Vec<HollowCompared>, String) {
    let (sets, _) = two(0.0, 0.0);
    let (r, c) = compared(&sets, &[set_of(base), set_of(candidate)], &Settings::default());
    let band = &c[0].gains(Quantity::Torque).curve;
    let found = hollows_compared(&r, &[], [0, 1], band, false);
    let said = found.iter().map(|h| hollow_sentence(h, [&r[0], &r[1]], &Speech::PLAIN)).collect();
    (found, said)
}

#[test]
fn a_hollow_is_filled_smaller_as_it_was_or_deeper() {
    for (base, candidate, became, says) in [
        (0.08, 0.0, Became::Filled, "C1 fills the hollow at 4000 rpm"),
        (0.08, 0.04, Became::Smaller, "smaller and leaves some of it"),
        (0.08, 0.08, Became::Unchanged, "No change shown in the hollow at 4000 rpm"),
        (0.04, 0.08, Became::Deeper, "makes the hollow at 4000 rpm deeper"),
        (0.0, 0.08, Became::Deeper, "that Stock is not shown to have"),
    ] {
        let (found, said) = hollow(base, candidate);
        assert_eq!(found.len(), 1, "{base} {candidate}: {found:?}");
        assert_eq!(found[0].became, became, "{base} {candidate}: {found:?}");
        assert!((found[0].rpm - 4000.0).abs() <= 50.0 && said.contains(says), "{said}");
        let deepest = base.max(candidate) * 220.0;
        let depth = found[0].depth.map(Option::unwrap);
        assert!(depth[0].max(depth[1]) > 0.6 * deepest, "{depth:?}");
    }
    assert!(hollow(0.0, 0.0).0.is_empty(), "no hollow, nothing said");
}

#[test]
fn a_hollow_without_scatter_is_not_judged() {
    let (sets, _) = two(0.0, 0.0);
    let one = |share| vec![with_hollow("p", 110.0, share, 0.0)];
    let (r, c) = compared(&sets, &[one(0.08), one(0.0)], &Settings::default());
    let band = &c[0].gains(Quantity::Torque).curve;
    assert!(hollows_compared(&r, &[], [0, 1], band, false).is_empty(), "no band shows it to be there");
}

fn in_gear(gear: &str, switch: &str, peak: f64) -> (SetInput, Vec<Measured>) {
    let factors = [("map", "c3"), ("gear", gear), ("switch", switch)];
    let pulls = [-0.3, 0.0, 0.3].iter().map(|w| pull("p", peak + w, 0.0, 0.0)).collect();
    (set(&format!("{gear}{switch}"), &factors), pulls)
}

fn matrix(peaks: &[(&str, f64, f64)]) -> EffectMatrix {
    let all: Vec<_> =
        peaks.iter().flat_map(|(g, off, on)| [in_gear(g, "off", *off), in_gear(g, "on", *on)]).collect();
    let (sets, measured): (Vec<_>, Vec<_>) = all.into_iter().unzip();
    let (r, _) = compared(&sets, &measured, &Settings::default());
    effect_matrix(&r.iter().collect::<Vec<_>>(), [&r[0], &r[1]]).unwrap()
}

#[test]
fn the_same_change_is_held_against_itself_in_every_gear() {
    let m = matrix(&[("2", 100.0, 106.0), ("3", 104.0, 104.1), ("4", 108.0, 114.5)]);
    assert_eq!(
        (m.change.as_slice(), m.across.as_slice()),
        (&["switch".to_owned()][..], &["gear".to_owned()][..])
    );
    let verdicts: Vec<Verdict> = m.rows.iter().map(|r| r.verdict).collect();
    assert_eq!(verdicts, [Verdict::Gain, Verdict::NoDifferenceShown, Verdict::Gain]);
    assert!(m.apart.unwrap().p < 0.001);
    let said = effect_sentence(&m);
    assert!(said.contains("acts in gear 2 (+6.0 %) and gear 4 (+6.0 %), is not shown in gear 3"), "{said}");
    assert!(
        said.contains("The rows differ from each other") && said.contains("Within one mounting only"),
        "{said}"
    );

    let alike = matrix(&[("2", 100.0, 106.0), ("4", 108.0, 114.5)]);
    assert!(alike.apart.unwrap().p > 0.3);
    assert!(effect_sentence(&alike).contains("differ from each other is not shown"));
}

#[test]
fn a_change_made_once_has_no_rows() {
    let (sets, measured) = two(8.0, 0.0);
    let (r, _) = compared(&sets, &measured, &Settings::default());
    assert!(effect_matrix(&r.iter().collect::<Vec<_>>(), [&r[0], &r[1]]).is_none());
}

#[test]
fn each_map_is_judged_between_its_own_shifts() {
    let (sets, measured) = two(6.0, 0.0);
    let (r, _) = compared(&sets, &measured, &Settings::default());
    let windows = [Some([4000.0, 6000.0]), Some([4500.0, 6400.0])];
    let w = own_windows(&r, &[], 0, &windows, false);
    let own = |s: &SetResult, at: [f64; 2]| s.mean_curve.band_mean(at).unwrap();
    let want = own(&r[1], [4500.0, 6400.0]) - own(&r[0], [4000.0, 6000.0]);
    let i = w[1].difference.unwrap();
    assert!((i.difference - want).abs() < 1e-9 && w[1].verdict == Verdict::Gain, "{i:?} {want}");
    assert!(
        w[0].difference.is_none()
            && (w[0].entry_kw.unwrap() - r[0].mean_curve.power_at(4000.0).unwrap()).abs() < 1e-9
    );
    let said = own_window_sentence(&w[1], [&r[0], &r[1]], &Speech::PLAIN);
    assert!(said.starts_with("Between its own shifts, from 4500 to 6400 rpm, C1 has"), "{said}");
    let none = own_windows(&r, &[], 0, &[windows[0], None], false);
    assert!(none[1].difference.is_none());
    assert!(own_window_sentence(&none[1], [&r[0], &r[1]], &Speech::PLAIN).contains("shows no shift"));
}

/// Manifold pressure that falls short of a base's by so many kPa, with a scatter of its own.
fn pressure(m: &Measured, less: f64, wobble: f64) -> ChannelOnGrid {
    let v: Vec<f64> = m.grid.rpm.iter().map(|n| 120.0 + 0.01 * n - less + wobble).collect();
    ChannelOnGrid { rpm: m.grid.rpm.clone(), low: v.clone(), high: v.clone(), mean: v }
}

#[test]
fn the_same_output_is_reached_with_less_pressure_at_another_speed() {
    let (sets, measured) = two(6.0, 0.0);
    let (r, _) = compared(&sets, &measured, &Settings::default());
    let each: Vec<Vec<ChannelOnGrid>> = measured
        .iter()
        .zip([0.0, 14.0])
        .map(|(s, less)| s.iter().zip([-0.4, 0.1, 0.3]).map(|(m, w)| pressure(m, less, w)).collect())
        .collect();
    let channels: Vec<OfPulls<'_>> = each.iter().map(|s| s.iter().map(Some).collect()).collect();
    let [low, high] = shared_output(&r[0], &r[1]).unwrap();
    assert!((high - 0.95 * 110.0).abs() < 0.1 && low > 60.0, "{low} {high}");
    let at = at_equal_output(&r, &channels, [0, 1], &[100.0, 200.0]);
    let (a, b) = (at[0].rpm[0].unwrap(), at[0].rpm[1].unwrap());
    assert!(b < a - 100.0, "the stronger map reaches it earlier: {a} {b}");
    let d = at[0].difference.unwrap();
    assert!((d.difference - (-14.0 + 0.01 * (b - a))).abs() < 0.2 && d.half_width < 2.0, "{d:?}");
    assert!(at[1].rpm[0] == Err(NotRead::Outside) && at[1].difference.is_none());
    let words = ChannelWords { label: "manifold pressure", unit: "kPa", scale: 1.0, digits: 1 };
    let said = equal_output_sentence(&at, words, [&r[0], &r[1]], &Speech::PLAIN);
    assert!(
        said.starts_with("The same 100 kW in C1 as in Stock with ") && said.contains("kPa less"),
        "{said}"
    );
    assert!(said.contains(" rpm less"), "{said}");
}

#[test]
fn a_level_reached_twice_is_kept_apart_and_an_unlogged_channel_is_said() {
    let (sets, mut measured) = two(0.0, 0.0);
    for m in &mut measured[1] {
        let at = m.grid.rpm.iter().position(|r| *r == 4500.0).unwrap();
        m.grid.power_kw[at..at + 4].iter_mut().for_each(|p| *p -= 25.0);
    }
    let (r, _) = compared(&sets, &measured, &Settings::default());
    let level = r[1].mean_curve.power_at(4450.0).unwrap() - 1.0;
    let none: Vec<OfPulls<'_>> = vec![vec![None; 3], vec![None; 3]];
    let at = at_equal_output(&r, &none, [0, 1], &[level]);
    assert_eq!((at[0].rpm[1], at[0].value[0]), (Err(NotRead::Twice), Err(NotRead::NotLogged)));
    let words = ChannelWords { label: "boost", unit: "", scale: 1.0, digits: 1 };
    assert!(
        equal_output_sentence(&at, words, [&r[0], &r[1]], &Speech::PLAIN)
            .contains("share no power at which boost")
    );
}
