//! The comparisons made beside the headline, held against days whose answer is known: gains of gains, the same change
//! in several rows, hollows, crossings, each map between its own shifts, equal output, the cell's habit.

use super::coverage::{PULL, Truth, pull, truth};
use super::detections::Claim;
use super::{Share, Subject};
use jamjar_core::analysis::{
    Became, ChannelOnGrid, Comparison, Figure, Measured, OfPulls, SetInput, SetResult, Settings,
    analyse_sets, at_equal_output, compare_all, crossovers, effect_matrix, gain_of_gains, habit_of,
    hollows_compared, own_windows,
};
use jamjar_core::correction::Correction;
use jamjar_core::curve::{Curve, Quantity};
use jamjar_core::stats::habit::Habit;
use jamjar_core::units::RAD_S_PER_RPM;
use jamjar_sim::Noise;
use rayon::prelude::*;

/// Mountings scatter half as much as pulls.
const MOUNTING: f64 = 0.5 * PULL;
/// Depth of the planted hollow, share of torque, its place and reach, rpm.
const HOLLOW: f64 = 0.05;
const HOLLOW_AT: f64 = 4600.0;
const HOLLOW_REACH: f64 = 180.0;
/// Where two planted curves cross, rpm.
const CROSS_AT: f64 = 4500.0;
/// A change acts by this share more in the second row, where it does.
const ROWS_APART: f64 = 0.02;

/// What a true power is multiplied by at each engine speed.
type Shape<'a> = dyn Fn(f64) -> f64 + Sync + 'a;

/// A set to be made: the configuration, what its true power is multiplied by at each speed, its pulls, its factors.
struct Made<'a> {
    which: usize,
    shape: &'a Shape<'a>,
    pulls: usize,
    factors: &'a [(&'a str, &'a str)],
}

fn plain(_: f64) -> f64 {
    1.0
}

fn hollow(share: f64) -> impl Fn(f64) -> f64 + Sync {
    move |rpm| 1.0 - share * (-((rpm - HOLLOW_AT) / HOLLOW_REACH).powi(2)).exp()
}

/// Mean of the torque of a true curve around a speed, as a hollow's depth is read.
fn around(c: &Curve, rpm: f64) -> f64 {
    let near = c.rpm.iter().zip(&c.torque_nm).filter(|(r, _)| (**r - rpm).abs() <= 50.0 + 1e-6);
    let (n, sum) = near.fold((0.0, 0.0), |(n, s), (_, t)| (n + 1.0, s + t));
    sum / n
}

/// Multiplies power at each engine speed; torque follows.
fn shape(by: &Shape<'_>, rpm: &[f64], power_kw: &mut [f64], torque_nm: &mut [f64]) {
    for ((n, p), t) in rpm.iter().zip(power_kw).zip(torque_nm) {
        *p *= by(*n);
        *t = 1000.0 * *p / (n * RAD_S_PER_RPM);
    }
}

struct Cell<'a> {
    subject: &'a Subject,
    truth: &'a Truth,
}

impl Cell<'_> {
    fn true_curve(&self, m: &Made<'_>) -> Curve {
        let mut c = self.truth.raw[m.which].curve();
        shape(m.shape, &c.rpm, &mut c.power_kw, &mut c.torque_nm);
        c
    }

    fn settings() -> Settings {
        Settings { correction: Correction::None, ..Settings::default() }
    }

    /// A day of such sets.
    fn day(&self, date: &str, sets: &[Made<'_>], noise: &mut Noise) -> Vec<SetResult> {
        let (mut inputs, mut measured) = (Vec::new(), Vec::new());
        for (k, s) in sets.iter().enumerate() {
            let mounting = 1.0 + noise.normal(MOUNTING);
            let one = |noise: &mut Noise| -> Measured {
                let mut m = pull(self.truth, s.which, mounting * (1.0 + noise.normal(PULL)), noise);
                let g = &mut m.grid;
                shape(s.shape, &g.rpm, &mut g.power_kw, &mut g.torque_nm);
                m
            };
            measured.push((0..s.pulls).map(|_| one(noise)).collect::<Vec<_>>());
            let mut input = SetInput {
                id: format!("{date} {k}"),
                day: date.to_owned(),
                order: k as f64,
                pulls: Vec::new(),
                ..self.truth.inputs[s.which].clone()
            };
            input.factors.extend(s.factors.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())));
            inputs.push(input);
        }
        analyse_sets(&inputs, &measured, &self.subject.vehicle.engine, &Self::settings())
    }

    fn compared(&self, sets: &[SetResult], habit: Option<Habit>) -> Vec<Comparison> {
        let settings = Settings { habit, ..Self::settings() };
        compare_all(sets, 0, &[1], &self.subject.vehicle, &settings)
    }

    fn true_peak(&self, m: &Made<'_>) -> f64 {
        self.true_curve(m).figures(None).peak_power.map_or(f64::NAN, |p| p.value)
    }
}

/// Set `which` in its usual configuration.
fn usual(which: usize) -> Made<'static> {
    Made { which, shape: &plain, pulls: 3, factors: &[] }
}

fn holds([low, high]: [f64; 2], v: f64) -> bool {
    low <= v && v <= high
}

/// Whether the interval of a gain of gains holds the truth.
fn of_gains(cell: &Cell<'_>, noise: &mut Noise) -> Option<bool> {
    let sets = [0, 1, 2, 3, 0, 1, 2].map(usual);
    let r = cell.day("2026-03-03", &sets, noise);
    let ci = gain_of_gains(&r, &[], [[0, 1], [2, 3]]).ratio?.ci95?;
    let p = [0, 1, 2, 3].map(|i| cell.true_peak(&usual(i)));
    Some(holds(ci, (p[1] / p[0]) / (p[3] / p[2])))
}

/// Two rows of a switch; the second acts by so much more. Whether the rows are called apart, and whether each row's
/// interval holds the truth.
fn of_rows(cell: &Cell<'_>, noise: &mut Noise, more: f64) -> Option<(bool, bool)> {
    let (on, on_more) = (|_: f64| 1.05, move |_: f64| 1.05 + more);
    let rows: [(&[(&str, &str)], &Shape<'_>); 6] = [
        (&[("gear", "3"), ("switch", "off")], &plain),
        (&[("gear", "3"), ("switch", "on")], &on),
        (&[("gear", "4"), ("switch", "off")], &plain),
        (&[("gear", "4"), ("switch", "on")], &on_more),
        (&[("gear", "3"), ("switch", "off")], &plain),
        (&[("gear", "4"), ("switch", "off")], &plain),
    ];
    let sets: Vec<Made<'_>> =
        rows.iter().map(|(factors, shape)| Made { which: 0, shape: *shape, pulls: 3, factors }).collect();
    let r = cell.day("2026-03-03", &sets, noise);
    let m = effect_matrix(&r.iter().collect::<Vec<_>>(), [&r[0], &r[1]])?;
    let wanted = [5.0, 5.0 + 100.0 * more];
    let held = m
        .rows
        .iter()
        .zip(wanted)
        .all(|(row, want)| row.half.is_some_and(|h| (row.percent - want).abs() <= h));
    Some((m.apart?.p < jamjar_core::analysis::APART_P, held))
}

/// A hollow that is left so deep by the candidate: what became of it, and whether the interval of the change holds.
fn of_hollow(cell: &Cell<'_>, noise: &mut Noise, left: f64) -> Option<(Became, bool)> {
    let (base, candidate) = (hollow(HOLLOW), hollow(left));
    let made = |shape| Made { which: 0, shape, pulls: 3, factors: &[] };
    let with = |map| [("map", map)];
    let (a, b) = (with("before"), with("after"));
    let sets = [
        Made { factors: &a, ..made(&base as &Shape<'_>) },
        Made { factors: &b, ..made(&candidate) },
        Made { factors: &a, ..made(&base) },
    ];
    let r = cell.day("2026-03-03", &sets, noise);
    let c = cell.compared(&r, None);
    let band = &c[0].gains(Quantity::Torque).curve;
    let all = hollows_compared(&r, &[], [0, 1], band, false);
    let h = all.iter().find(|h| (h.rpm - HOLLOW_AT).abs() < 250.0)?;
    let depth = |m: &Made<'_>| {
        let (c, [x, y]) = (cell.true_curve(m), h.shoulders);
        let (at, from, to) = (around(&c, h.rpm), around(&c, x), around(&c, y));
        from + (to - from) * (h.rpm - x) / (y - x) - at
    };
    let change = depth(&sets[1]) - depth(&sets[0]);
    Some((h.became, h.change.is_some_and(|i| holds(i.ci95(), change))))
}

/// Whether a crossing is claimed, and where it truly lies; `slope` of nothing: nowhere.
fn of_crossing(cell: &Cell<'_>, noise: &mut Noise, slope: f64) -> (bool, bool) {
    let tilted = move |rpm: f64| 1.0 + slope * (rpm - CROSS_AT) / 2000.0;
    let (a, b) = ([("map", "before")], [("map", "after")]);
    let sets = [
        Made { factors: &a, ..usual(0) },
        Made { which: 0, shape: &tilted, pulls: 3, factors: &b },
        Made { factors: &a, ..usual(0) },
    ];
    let r = cell.day("2026-03-03", &sets, noise);
    let (found, _) = crossovers(&cell.compared(&r, None)[0].power.curve);
    (!found.is_empty(), found.len() == 1 && holds(found[0].between, CROSS_AT))
}

/// Whether the interval between two maps' own shifts holds the truth.
fn of_windows(cell: &Cell<'_>, noise: &mut Noise) -> Option<bool> {
    let sets = [0, 1, 0].map(usual);
    let r = cell.day("2026-03-03", &sets, noise);
    let windows = [Some([3800.0, 6000.0]), Some([4100.0, 6300.0]), Some([3800.0, 6000.0])];
    let i = own_windows(&r, &[], 0, &windows, false)[1].difference?;
    let mean = |m: &Made<'_>, w: Option<[f64; 2]>| cell.true_curve(m).band_mean(w?);
    Some(holds(i.ci95(), mean(&sets[1], windows[1])? - mean(&sets[0], windows[0])?))
}

/// Whether intervals at equal output hold the truth: of a pressure with a scatter of its own, and of engine speed.
fn of_output(cell: &Cell<'_>, noise: &mut Noise) -> Option<[bool; 2]> {
    let sets = [0, 2, 0].map(usual);
    let r = cell.day("2026-03-03", &sets, noise);
    let truly = |which: usize, rpm: f64| 120.0 + 0.01 * rpm - if which == 0 { 0.0 } else { 12.0 };
    let channel = |s: &SetResult, which: usize, noise: &mut Noise| -> Vec<ChannelOnGrid> {
        let of = |c: &Curve, off: f64| {
            let v: Vec<f64> = c.rpm.iter().map(|n| truly(which, *n) + off).collect();
            ChannelOnGrid { rpm: c.rpm.clone(), low: v.clone(), high: v.clone(), mean: v }
        };
        s.included_curves().map(|c| of(c, noise.normal(0.8))).collect()
    };
    let each: Vec<Vec<ChannelOnGrid>> =
        r.iter().zip(&sets).map(|(r, s)| channel(r, s.which, noise)).collect();
    let of: Vec<OfPulls<'_>> = each.iter().map(|s| s.iter().map(Some).collect()).collect();
    let curves = [&sets[0], &sets[1]].map(|m| cell.true_curve(m));
    let level = 0.8 * r[0].figure(Figure::PeakPower).mean?;
    let reached = |c: &Curve| {
        let i = c.power_kw.iter().position(|p| *p >= level)?;
        let (x, y) = (c.power_kw[i - 1], c.power_kw[i]);
        Some(c.rpm[i - 1] + (c.rpm[i] - c.rpm[i - 1]) * (level - x) / (y - x))
    };
    let (x, y) = (reached(&curves[0])?, reached(&curves[1])?);
    let at = at_equal_output(&r, &of, [0, 1], &[level]).pop()?;
    let want = truly(2, y) - truly(0, x);
    Some([holds(at.difference?.ci95(), want), holds(at.rpm_difference?.ci95(), y - x)])
}

/// Whether the provisional interval of a day of single pulls holds the truth.
fn of_habit(cell: &Cell<'_>, noise: &mut Noise) -> Option<bool> {
    let sets = [0, 1, 0].map(usual);
    let earlier: Vec<Vec<SetResult>> =
        (1..=4).map(|d| cell.day(&format!("2026-02-{d:02}"), &sets, noise)).collect();
    let habit = habit_of(&earlier, &earlier[0][0].kinds)?;
    let single = [0, 1].map(|w| Made { pulls: 1, ..usual(w) });
    let r = cell.day("2026-03-03", &single, noise);
    let c = cell.compared(&r, Some(habit));
    let f = c[0].figure(Figure::PeakPower).filter(|f| f.provisional)?;
    Some(holds(f.ci95?, cell.true_peak(&single[1]) - cell.true_peak(&single[0])))
}

/// What many days of one kind answer, those that answer nothing left out.
fn run<T: Send>(days: u64, name: &str, one: impl Fn(&mut Noise) -> Option<T> + Sync) -> Vec<T> {
    (0..days).into_par_iter().filter_map(|seed| one(&mut Noise::new(seed, name))).collect()
}

/// Share of days of which something is so.
fn share<T>(days: &[T], is: impl Fn(&T) -> bool) -> Share {
    Share::clustered(&days.iter().map(|d| f64::from(u8::from(is(d)))).collect::<Vec<_>>())
}

/// Runs every one of them over `days` days.
///
/// # Errors
/// A sentence when the built-in scenario is broken.
pub fn study(days: usize) -> Result<Vec<Claim>, String> {
    let subject = Subject::new("first-light")?;
    let truth = truth(&subject)?;
    let cell = &Cell { subject: &subject, truth: &truth };
    let days = days as u64;
    let gains = run(days, "gains", |n| of_gains(cell, n));
    let [alike, apart] = [0.0, ROWS_APART].map(|more| run(days, "rows", |n| of_rows(cell, n, more)));
    let [filled, halved, whole] =
        [0.0, 0.5 * HOLLOW, HOLLOW].map(|left| run(days, "hollow", |n| of_hollow(cell, n, left)));
    let [crossed, same] =
        [0.03, 0.0].map(|slope| run(days, "crossing", |n| Some(of_crossing(cell, n, slope))));
    let shifts = run(days, "shifts", |n| of_windows(cell, n));
    let output = run(days, "output", |n| of_output(cell, n));
    let habit = run(days, "habit", |n| of_habit(cell, n));
    let became = |of: &[(Became, bool)], want: &[Became]| share(of, |d| want.contains(&d.0));
    let claim = |name, planted: &str, found, false_alarms, when_not| Claim {
        name,
        planted: planted.to_owned(),
        found,
        false_alarms,
        when_not,
    };
    const SOME: &str = "mountings scatter half as much as pulls";
    Ok(vec![
        claim(
            "a gain of gains holds the truth",
            "two steps of one day, three sets run again; mountings scatter half as much as pulls",
            share(&gains, |held| *held),
            None,
            "",
        ),
        claim(
            "the same change in two gears: the intervals of both hold the truth at once, as two of 95 % each do in 90 %",
            SOME,
            share(&alike, |d| d.1),
            None,
            "",
        ),
        claim(
            "… and the gears are called different",
            "the change acts by 2 % more in one",
            share(&apart, |d| d.0),
            Some(share(&alike, |d| d.0)),
            "called different where it acts alike in both",
        ),
        claim(
            "the change of a hollow holds the truth",
            "5 % of torque, half of it left",
            share(&halved, |d| d.1),
            None,
            "",
        ),
        claim(
            "a hollow is filled",
            "nothing of 5 % left",
            became(&filled, &[Became::Filled]),
            Some(became(&halved, &[Became::Filled])),
            "called filled where half of it is left",
        ),
        claim(
            "a hollow is smaller or filled",
            "half of 5 % left",
            became(&halved, &[Became::Filled, Became::Smaller]),
            Some(became(&whole, &[Became::Filled, Became::Smaller])),
            "said where it is as it was",
        ),
        claim(
            "the lead changes hands once, where it does",
            "curves that cross at 4500 rpm, 3 % apart 2000 rpm on",
            share(&crossed, |d| d.1),
            Some(share(&same, |d| d.0)),
            "a crossing claimed of two curves that are one",
        ),
        claim(
            "the difference between each map's own shifts holds the truth",
            SOME,
            share(&shifts, |held| *held),
            None,
            "",
        ),
        claim(
            "a channel at equal output holds the truth",
            "a pressure with a scatter of 0.8 kPa from pull to pull",
            share(&output, |d| d[0]),
            None,
            "",
        ),
        claim("… and so does the engine speed it is reached at", SOME, share(&output, |d| d[1]), None, ""),
        claim(
            "a provisional interval holds the truth",
            "single pulls in mountings of their own, after four days of two configurations with one run again",
            share(&habit, |held| *held),
            None,
            "",
        ),
    ])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn intervals_beside_the_headline_hold_the_truth_as_often_as_they_say() {
        let all = study(160).unwrap();
        for c in &all {
            let name = c.name;
            assert!(c.found.value.is_finite(), "{name}");
            if name.contains("holds the truth") || name.starts_with("… and so does") {
                assert!(c.found.value > 0.88, "{name}: {:?}", c.found);
            } else {
                assert!(c.found.value > 0.5, "{name}: {:?}", c.found);
            }
            if let Some(wrong) = c.false_alarms {
                assert!(wrong.value < 0.1, "{name}: said wrongly {wrong:?}");
            }
        }
    }
}
