//! What else the analysis claims about a day, held against days on which it is and is not so: drift, a pull
//! that does not belong, sameness, a baseline on both sides, two days through a shared baseline, and which
//! factors changed together.

use super::coverage::{PULL, Truth, pull, truth};
use super::{Share, Subject};
use jamjar_core::analysis::measured::Cause;
use jamjar_core::analysis::{
    Beside, Comparison, Event, Measured, SetInput, SetResult, Settings, analyse_sets, compare_all, events,
    find_pulls, note_pulls,
};
use jamjar_core::correction::Correction;
use jamjar_core::factors::{AllKnown, InTime, confounding};
use jamjar_sim::Noise;
use rayon::prelude::*;

/// Power lost from set to set on a day that drifts, as a share.
const DRIFT: f64 = 0.004;
/// How far a pull that does not belong is off, in scatters of a pull.
const OFF: f64 = 6.0;
/// Most whole days for dips.
const MOST_DIP_DAYS: u64 = 10;
/// Where the built-in engine's boost overshoots and falls, rpm.
const BOOST_FALLS: std::ops::Range<f64> = 3300.0..4000.0;
/// Depth from which a hollow counts, as a share of torque.
const HOLLOW: f64 = 0.02;
/// Margin of sameness, kW.
const MARGIN: f64 = 1.5;

/// A claim held against the truth.
#[derive(Debug, Clone)]
#[allow(missing_docs)]
pub struct Claim {
    pub name: &'static str,
    pub planted: String,
    /// Share of days on which it was rightly said.
    pub found: Share,
    /// Share of days on which it was said and is not so; what that means stands in `when_not`.
    pub false_alarms: Option<Share>,
    pub when_not: &'static str,
}

/// Runs every claim over `days` days.
///
/// # Errors
/// A sentence when a built-in scenario is broken.
pub fn study(days: usize) -> Result<Vec<Claim>, String> {
    let subject = Subject::new("first-light")?;
    let truth = truth(&subject)?;
    let days = days as u64;
    let share = |one: &(dyn Fn(u64) -> f64 + Sync)| {
        let all: Vec<f64> = (0..days).into_par_iter().map(one).collect();
        Share::clustered(&all)
    };
    let yes = |b: bool| f64::from(u8::from(b));
    let noted = |c: &[Comparison], kind: &str| c.iter().any(|c| c.notes.iter().any(|n| n.kind() == kind));
    let day = |seed: u64, p: &Plan| run(&subject, &truth, seed, p);
    let (still, drifting) = (Plan::default(), Plan { drift: DRIFT, ..Plan::default() });
    let off = Plan { off: OFF * PULL, ..Plan::default() };
    let same = Plan { twin: Some(0.0), margin: Some(MARGIN), ..Plan::default() };
    let apart = Plan { twin: Some(MARGIN), margin: Some(MARGIN), ..Plan::default() };
    let other_day = Plan { second_day: Some(0.97), ..Plan::default() };
    Ok(vec![
        Claim {
            name: "the day drifts",
            planted: format!(
                "{:.1} % of power lost from set to set, baseline run before and after",
                100.0 * DRIFT
            ),
            found: share(&|s| yes(noted(&day(s, &drifting).comparisons, "drift"))),
            false_alarms: Some(share(&|s| yes(noted(&day(s, &still).comparisons, "drift")))),
            when_not: "said of a day that is still",
        },
        Claim {
            name: "difference from the baseline on both sides holds the truth",
            planted: "the same drift".into(),
            found: share(&|s| held(&truth, &day(s, &drifting), |c| c.second.bracketed.map(|i| i.ci95()))),
            false_alarms: None,
            when_not: "",
        },
        Claim {
            name: "… and lies nearer to it than the difference from the first baseline",
            planted: "the same drift".into(),
            found: share(&|s| nearer(&truth, &day(s, &drifting))),
            false_alarms: Some(share(&|s| nearer(&truth, &day(s, &still)))),
            when_not: "nearer on a still day, where half is chance",
        },
        Claim {
            name: "a pull does not belong",
            planted: format!("one pull {OFF:.0} scatters low"),
            found: share(&|s| yes(outlier(&day(s, &off)) == [(OFF_AT.0, OFF_AT.1)])),
            false_alarms: Some(share(&|s| yes(!outlier(&day(s, &still)).is_empty()))),
            when_not: "said of a day without one",
        },
        Claim {
            name: "the same within the margin",
            planted: format!("no true difference, margin {MARGIN} kW, 3 pulls each"),
            found: share(&|s| yes(twin_is_same(&day(s, &same)))),
            false_alarms: Some(share(&|s| yes(twin_is_same(&day(s, &apart))))),
            when_not: "said where the true difference is the margin itself",
        },
        Claim {
            name: "two days through a shared baseline hold the truth",
            planted: "the second day makes 3 % less of everything".into(),
            found: share(&|s| across(&truth, &day(s, &other_day))),
            false_alarms: None,
            when_not: "",
        },
        Claim {
            name: "each change's share of the whole holds the truth",
            planted: "two changes, every corner run once, 3 pulls each".into(),
            found: share(&|s| shares_held(&truth, &day(s, &still))),
            false_alarms: None,
            when_not: "",
        },
        factors_named()?,
        dips_explained(&subject, days.div_ceil(100).min(MOST_DIP_DAYS))?,
    ])
}

/// Set and pull of the planted outlier.
const OFF_AT: (usize, usize) = (2, 1);

/// What a day is made of.
#[derive(Debug, Clone, Default)]
struct Plan {
    /// Share of power lost from set to set.
    drift: f64,
    /// Share by which one pull is low.
    off: f64,
    /// A second set of the baseline's map under another name, with this true difference, kW.
    twin: Option<f64>,
    margin: Option<f64>,
    /// The later sets on a second day that makes this share of the first.
    second_day: Option<f64>,
}

struct Day {
    sets: Vec<SetResult>,
    measured: Vec<Vec<Measured>>,
    comparisons: Vec<Comparison>,
    /// Which true curve each set has.
    which: Vec<usize>,
}

/// Every configuration with the baseline run again at the end; on two days, the first half and the baseline,
/// then the baseline and the rest.
fn run(subject: &Subject, truth: &Truth, seed: u64, p: &Plan) -> Day {
    let mut noise = Noise::new(seed, "detections");
    let n = truth.raw.len();
    let which: Vec<usize> = match (p.twin, p.second_day) {
        (Some(_), _) => vec![0, 1, 2, 3],
        (None, Some(_)) => (0..n / 2).chain([0]).chain(n / 2..n).collect(),
        (None, None) => (0..n).chain([0]).collect(),
    };
    let (mut inputs, mut measured) = (Vec::new(), Vec::new());
    for (k, &w) in which.iter().enumerate() {
        let later = p.second_day.filter(|_| k >= n / 2);
        let level = later.unwrap_or(1.0) * (1.0 - p.drift * k as f64);
        let twin = p.twin.filter(|_| k == 1);
        let pulls: Vec<Measured> = (0..3)
            .map(|i| {
                let low = if p.off > 0.0 && (k, i) == OFF_AT { 1.0 - p.off } else { 1.0 };
                let mut m = pull(
                    truth,
                    if twin.is_some() { 0 } else { w },
                    level * low * (1.0 + noise.normal(PULL)),
                    &mut noise,
                );
                if let Some(d) = twin {
                    m.grid.power_kw.iter_mut().for_each(|v| *v += d);
                }
                m
            })
            .collect();
        let mut input = SetInput {
            id: k.to_string(),
            pulls: Vec::new(),
            order: k as f64,
            at_h: Some(9.0 + 0.5 * k as f64),
            ..truth.inputs[w].clone()
        };
        if later.is_some() {
            input.day = "2026-03-04".into();
        }
        inputs.push(input);
        measured.push(pulls);
    }
    let settings = Settings { correction: Correction::None, margin_kw: p.margin, ..Settings::default() };
    let sets = analyse_sets(&inputs, &measured, &subject.vehicle.engine, &settings);
    let candidates: Vec<usize> = (1..sets.len()).filter(|&i| which[i] != 0).collect();
    let mut comparisons = compare_all(&sets, 0, &candidates, &subject.vehicle, &settings);
    note_pulls(&mut comparisons, &sets, &measured);
    Day { sets, measured, comparisons, which }
}

/// True peak of a configuration, kW.
fn true_peak(truth: &Truth, which: usize) -> f64 {
    truth.raw[which].curve().figures(None).peak_power.map_or(f64::NAN, |p| p.value)
}

/// Share of a day's comparisons that are right by their true peak and the baseline's, kW; those of which
/// nothing is said do not count.
fn right(truth: &Truth, d: &Day, is: impl Fn(&Comparison, f64, f64) -> Option<bool>) -> f64 {
    let base = true_peak(truth, 0);
    let all: Vec<bool> =
        d.comparisons.iter().filter_map(|c| is(c, true_peak(truth, d.which[c.candidate]), base)).collect();
    all.iter().filter(|r| **r).count() as f64 / all.len().max(1) as f64
}

/// Share of comparisons whose interval holds the true difference.
fn held(truth: &Truth, d: &Day, interval: impl Fn(&Comparison) -> Option<[f64; 2]>) -> f64 {
    right(truth, d, |c, own, base| interval(c).map(|ci| ci[0] <= own - base && own - base <= ci[1]))
}

/// Share of comparisons in which the difference from both baselines is nearer to the truth than that from the
/// first.
fn nearer(truth: &Truth, d: &Day) -> f64 {
    right(truth, d, |c, own, base| {
        let (both, first) = (c.second.bracketed?.difference, c.figures[0].mean_difference?);
        Some((both - (own - base)).abs() < (first - (own - base)).abs())
    })
}

fn outlier(d: &Day) -> Vec<(usize, usize)> {
    find_pulls(&d.sets, &d.measured)
        .iter()
        .filter(|f| f.found.kind() == "outlier")
        .map(|f| (f.set, f.pull))
        .collect()
}

fn twin_is_same(d: &Day) -> bool {
    d.comparisons.iter().any(|c| c.candidate == 1 && c.second.equivalence.is_some_and(|e| e.within))
}

/// Share of comparisons over two days whose relative interval holds the true ratio.
fn across(truth: &Truth, d: &Day) -> f64 {
    right(truth, d, |c, own, base| {
        c.second.across.map(|r| r.shares()).map(|s| s[1] <= own / base - 1.0 && own / base - 1.0 <= s[2])
    })
}

/// Share of order-free splits of two changes whose intervals hold the true share, at peak.
fn shares_held(truth: &Truth, d: &Day) -> f64 {
    let mut held = Vec::new();
    for c in &d.comparisons {
        let Some(free) = c.splits.first().and_then(|s| s.free.as_ref()).filter(|f| f.shares.len() == 2)
        else {
            continue;
        };
        let (a, b) = (&d.sets[c.base].factors, &d.sets[c.candidate].factors);
        let corner = |changed: &str| {
            let is = |(name, value): (&String, &String)| {
                if name == changed { b.get(name) == Some(value) } else { a.get(name) == Some(value) }
            };
            d.sets
                .iter()
                .position(|s| s.factors.len() == a.len() && s.factors.iter().all(is))
                .map(|i| true_peak(truth, d.which[i]))
        };
        let (none, both) = (true_peak(truth, d.which[c.base]), true_peak(truth, d.which[c.candidate]));
        for (k, s) in free.shares.iter().enumerate() {
            let (Some(own), Some(other)) = (corner(&s.factor), corner(&free.shares[1 - k].factor)) else {
                continue;
            };
            let (share, [low, high]) = (0.5 * (own - none + both - other), s.interval.ci95());
            held.push(low <= share && share <= high);
        }
    }
    held.iter().filter(|h| **h).count() as f64 / held.len().max(1) as f64
}

/// Every pair of sets of the built-in days: are exactly the factors named that the scenario changed, and does
/// the path proposed change one factor at a time?
fn factors_named() -> Result<Claim, String> {
    let (mut right, mut pairs) = (0usize, 0usize);
    for name in crate::demo::SCENARIOS {
        let subject = Subject::new(name)?;
        let run = subject.loaded.run(Some(1), Some(0.0))?;
        let sets: Vec<_> = run.days.iter().flat_map(|d| &d.sets).collect();
        let factors: Vec<jamjar_core::factors::Factors> = sets
            .iter()
            .map(|s| serde_json::from_value(crate::simulate::factors(s)).map_err(|e| e.to_string()))
            .collect::<Result<_, String>>()?;
        for (i, a) in sets.iter().enumerate() {
            for (j, b) in sets.iter().enumerate().filter(|(j, _)| *j != i) {
                let c = confounding(&factors[i], &factors[j], &AllKnown::default(), &InTime::default());
                let spec = [
                    ("map", a.spec.map != b.spec.map),
                    ("fuel", a.spec.fuel != b.spec.fuel),
                    ("boost", a.spec.boost_kpa != b.spec.boost_kpa),
                    ("gear", a.spec.gear != b.spec.gear),
                    ("build", a.spec.build != b.spec.build),
                ];
                let named = |f: &str| c.factors_differ.iter().any(|x| x == f);
                let others =
                    c.factors_differ.iter().filter(|f| !spec.iter().any(|s| s.0 == f.as_str())).count();
                let extras = a.spec.extras != b.spec.extras;
                let agrees = spec.iter().all(|(f, differs)| named(f) == *differs) && (others > 0) == extras;
                let enough = c.confounded == (c.factors_differ.len() > 1)
                    && c.separate_with.len() == c.factors_differ.len().saturating_sub(1);
                right += usize::from(agrees && enough);
                pairs += 1;
            }
        }
    }
    let found = Share { value: right as f64 / pairs.max(1) as f64, se: 0.0 };
    Ok(Claim {
        name: "which factors changed together",
        planted: format!("all {pairs} pairs of sets of the demo"),
        found,
        false_alarms: None,
        when_not: "",
    })
}

/// The built-in engine's boost overshoots and falls back at one place: is the hollow found there, with the
/// boost that fell beside it, and none elsewhere?
fn dips_explained(subject: &Subject, days: u64) -> Result<Claim, String> {
    let (mut found, mut elsewhere) = (Vec::new(), Vec::new());
    for seed in 0..days {
        let run = subject.loaded.run(Some(7000 + seed), None)?;
        let (sets, measured) = subject.measure(&run.days[0])?;
        let (mut here, mut other, mut n, mut all_pulls) = (0.0, 0.0, 0.0_f64, 0.0_f64);
        let hollow: Vec<bool> =
            run.days[0].sets.iter().map(|s| depth(&s.truth.rpm, &s.truth.power_kw) > HOLLOW).collect();
        let pulls = sets
            .iter()
            .zip(&measured)
            .zip(&hollow)
            .flat_map(|((s, m), h)| s.pulls.iter().zip(m).map(move |(p, m)| (p, m, *h)));
        for (input, m, hollow) in pulls {
            let beside =
                Beside { ecu: input.ecu.as_deref().zip(m.alignment.usable_lag()), dyno: &input.dyno };
            let all = events(m, &beside, m.air.map(|a| a.pressure_hpa / 10.0));
            let dips: Vec<(&Event, &[Cause])> = all.iter().filter_map(|e| Some((e, e.dip()?))).collect();
            let at = |e: &Event| e.rpm.is_some_and(|r| BOOST_FALLS.contains(&r));
            if hollow {
                here += f64::from(u8::from(dips.iter().any(|(e, causes)| {
                    at(e) && causes.iter().any(|c| matches!(c, Cause::PressureFell { .. }))
                })));
                n += 1.0;
            }
            other += f64::from(u8::from(dips.iter().any(|(e, _)| !at(e))));
            all_pulls += 1.0;
        }
        found.push(here / n.max(1.0));
        elsewhere.push(other / all_pulls.max(1.0));
    }
    Ok(Claim {
        name: "a hollow in the curve, with its cause",
        planted: format!(
            "boost that overshoots and falls near 3600 rpm, where the true torque is {:.0} % hollow or more",
            100.0 * HOLLOW
        ),
        found: Share::clustered(&found),
        false_alarms: Some(Share::clustered(&elsewhere)),
        when_not: "a hollow claimed elsewhere",
    })
}

/// How far true torque lies under the straight line across the place where boost falls, at its deepest, as a
/// share.
fn depth(rpm: &[f64], power_kw: &[f64]) -> f64 {
    let torque: Vec<f64> = rpm.iter().zip(power_kw).map(|(r, p)| p / r).collect();
    let at = |r: f64| jamjar_core::signal::interp::linear(rpm, &torque, r).unwrap_or(f64::NAN);
    let (a, b) = (BOOST_FALLS.start - 200.0, BOOST_FALLS.end + 200.0);
    let line = |r: f64| at(a) + (at(b) - at(a)) * (r - a) / (b - a);
    (0..=14)
        .map(|k| BOOST_FALLS.start + 50.0 * f64::from(k))
        .map(|r| 1.0 - at(r) / line(r))
        .fold(0.0, f64::max)
}
