//! Which map should go home in a vehicle, by what was measured: never without the limits that matter to its kind of
//! engine, and never beyond what the scatter allows to tell apart.

use super::comparison::compare_all;
use super::difference::Verdict as Told;
use super::figure::FigureComparison;
use crate::analysis::given::{Engine, Ignition, Settings, Vehicle};
use crate::analysis::set::{Figure, SetResult};
use crate::channel::Channel;
use crate::limits::{Direction, Limit, LimitOutcome, Severity, Verdict, judged};
use serde::Serialize;

/// What breaks an engine of a kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Danger {
    Mixture,
    Knock,
    ExhaustHeat,
    RailPressure,
    Smoke,
    Boost,
}

/// Dangers that must have been watched on an engine (domain, section 10).
pub fn dangers(engine: &Engine) -> Vec<Danger> {
    let mut out = match engine.ignition {
        Ignition::Spark => vec![Danger::Mixture, Danger::Knock, Danger::ExhaustHeat],
        Ignition::Compression => vec![Danger::ExhaustHeat, Danger::RailPressure, Danger::Smoke],
    };
    if engine.is_boosted() {
        out.push(Danger::Boost);
    }
    out
}

impl Danger {
    /// Kind of the channel that shows it.
    pub fn kind(self) -> &'static str {
        match self {
            Self::Mixture | Self::Smoke => "lambda",
            Self::Knock => "knock_retard",
            Self::ExhaustHeat => "exhaust_temp",
            Self::RailPressure => "rail_pressure",
            Self::Boost => "manifold_pressure",
        }
    }

    /// Whether a limit on these channels watches it; `parts` are those behind a computed one.
    fn watched_by(self, limit: &Limit, parts: &[Channel]) -> bool {
        let kind = |c: &Channel| c.kind().map_or("", |k| k.name);
        let side = match self {
            Self::Mixture => limit.direction == Direction::Above,
            Self::Smoke => limit.direction == Direction::Below,
            _ => true,
        };
        let own = |c: &Channel| kind(c) == self.kind() || self == Self::Knock && kind(c) == "knock_level";
        side && (own(&limit.channel) || parts.iter().any(own))
    }
}

/// Why a set cannot be recommended.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Barred {
    /// A stop limit is crossed, or another verdict than clear stands there.
    NotClear { limit: String, verdict: Verdict },
    /// No stop limit that was judged watches a danger: unmonitored.
    Unmonitored { danger: Danger },
    /// A sensor that was logged has no judged stop limit of its own.
    SensorUnwatched { channel: Channel },
    /// Its gain over the baseline has no interval.
    NoInterval,
    /// Its interval is that of the cell's habit.
    Provisional,
}

/// One map on the fuel.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// Index of its set.
    pub set: usize,
    /// Gain of the figure over the baseline, in its unit; 0 for the baseline itself.
    pub gain: Option<f64>,
    /// Interval of the gain: family-wise where there are several.
    pub interval: Option<[f64; 2]>,
    /// Its tightest stop limit and the share of margin used there.
    pub tightest: Option<(String, f64)>,
    /// Why not, if so.
    pub barred: Vec<Barred>,
    /// On the front of gain against margin: none gives more for less.
    pub on_front: bool,
    /// A stop limit it rests on is a starting point nobody has looked at.
    pub on_starting_points: bool,
}

/// What is asked.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wish {
    /// The figure that counts.
    pub figure: Figure,
    /// Smallest gain the user cares about, in its unit.
    pub smallest: f64,
}

/// How the first stands to the second.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RunnerUp {
    /// Index among the candidates.
    pub at: usize,
    /// By how much the first is ahead, and the interval of that.
    pub ahead: Option<f64>,
    /// Interval, family-wise; `None` without one.
    pub interval: Option<[f64; 2]>,
}

/// What came of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Recommendation {
    /// What was asked.
    pub wish: Wish,
    /// Every set on the fuel and build, the baseline among them, in the order given.
    pub candidates: Vec<Candidate>,
    /// The baseline, among the candidates.
    pub base: Option<usize>,
    /// The one with the highest figure of those nothing bars; the baseline itself where none is better.
    pub first: Option<usize>,
    /// The next.
    pub runner_up: Option<RunnerUp>,
    /// Whether the first is shown to gain more than the smallest gain that counts.
    pub worth_it: Option<bool>,
    /// Dangers nobody watched in any candidate, and the channel that would show each, where it was logged.
    pub unwatched: Vec<(Danger, Option<Channel>)>,
}

/// What a set is held against.
#[derive(Debug, Clone, PartialEq)]
pub enum HeldAgainst {
    /// Nothing: it is a baseline itself.
    Baseline,
    /// A baseline, with what came of it.
    By(FigureComparison),
    /// There is no baseline it could be held against.
    Nothing,
}

/// Recommends among some sets, all held against one of them. `eligible` are those on the fuel and build asked for; the
/// baseline may stand among them. `logged` are the channels that the pulls of a set hold.
///
/// Rules: domain, section 10, last paragraph. What counts as watched is a stop limit that was judged.
pub fn recommend(
    sets: &[SetResult],
    base: usize,
    eligible: &[usize],
    (vehicle, limits): (&Vehicle, &[Limit]),
    settings: &Settings,
    wish: Wish,
    logged: &dyn Fn(usize) -> Vec<Channel>,
) -> Recommendation {
    let others: Vec<usize> = eligible.iter().copied().filter(|i| *i != base).collect();
    let compared = compare_all(sets, base, &others, vehicle, settings);
    let held = |set: usize| {
        if set == base {
            return HeldAgainst::Baseline;
        }
        let of = compared.iter().find(|c| c.candidate == set).and_then(|c| c.figure(wish.figure));
        of.map_or(HeldAgainst::Nothing, |f| HeldAgainst::By(f.clone()))
    };
    recommend_held(sets, Some(base), eligible, (vehicle, limits), settings, wish, logged, &held)
}

/// The same where each set has a baseline of its own, that of its day; `base` is the one that is named.
#[allow(clippy::too_many_arguments)]
pub fn recommend_held(
    sets: &[SetResult],
    base: Option<usize>,
    eligible: &[usize],
    (vehicle, limits): (&Vehicle, &[Limit]),
    settings: &Settings,
    wish: Wish,
    logged: &dyn Fn(usize) -> Vec<Channel>,
    held: &dyn Fn(usize) -> HeldAgainst,
) -> Recommendation {
    let formulas = vehicle.formulas();
    let needed = dangers(&vehicle.engine);
    let mut candidates: Vec<Candidate> = Vec::new();
    for &set in eligible {
        let (mut gain, mut interval, mut barred) = (None, None, Vec::new());
        match held(set) {
            HeldAgainst::Baseline => (gain, interval) = (Some(0.0), Some([0.0, 0.0])),
            HeldAgainst::Nothing => barred.push(Barred::NoInterval),
            HeldAgainst::By(f) => {
                (gain, interval) = (f.mean_difference, f.ci95_family.or(f.ci95));
                match (interval, f.provisional) {
                    (None, _) => barred.push(Barred::NoInterval),
                    (Some(_), true) => barred.push(Barred::Provisional),
                    (Some(_), false) if f.verdict == Told::CantTell => barred.push(Barred::NoInterval),
                    (Some(_), false) => {}
                }
            }
        }
        let own = logged(set);
        let stops: Vec<(&Limit, &LimitOutcome)> =
            judged(&sets[set].limits, limits).filter(|j| j.0.severity == Severity::Stop).collect();
        let parts = |l: &Limit| {
            let of = formulas.iter().find(|f| f.name == l.channel);
            of.map_or_else(Vec::new, |f| f.channels(own.iter()))
        };
        for (l, o) in &stops {
            if o.verdict != Verdict::Clear {
                barred.push(Barred::NotClear { limit: l.id.clone(), verdict: o.verdict });
            }
        }
        let seen: Vec<&(&Limit, &LimitOutcome)> = stops.iter().filter(|j| j.1.verdict.is_judged()).collect();
        for danger in &needed {
            let watched = |j: &&&(&Limit, &LimitOutcome)| danger.watched_by(j.0, &parts(j.0));
            if !seen.iter().any(|j| watched(&j)) {
                barred.push(Barred::Unmonitored { danger: *danger });
                continue;
            }
            // Every sensor of the danger that was there must have been watched too.
            let kind = |c: &&Channel| c.kind().is_some_and(|k| k.numbered && k.name == danger.kind());
            for c in own.iter().filter(kind) {
                let on = |j: &&&(&Limit, &LimitOutcome)| j.0.channel == *c || parts(j.0).contains(c);
                if !seen.iter().filter(watched).any(|j| on(&j)) {
                    barred.push(Barred::SensorUnwatched { channel: c.clone() });
                }
            }
        }
        let tightest = seen
            .iter()
            .filter_map(|j| Some((j.0.id.clone(), j.1.share_used?)))
            .max_by(|a, b| a.1.total_cmp(&b.1));
        let on_starting_points = seen.iter().any(|j| j.0.starting_point);
        candidates.push(Candidate {
            set,
            gain,
            interval,
            tightest,
            barred,
            on_front: false,
            on_starting_points,
        });
    }
    mark_front(&mut candidates);
    let shows = |d: Danger| {
        let own = eligible.iter().flat_map(|i| logged(*i));
        own.filter(|c| c.kind().is_some_and(|k| k.name == d.kind())).min()
    };
    let unwatched: Vec<(Danger, Option<Channel>)> = needed
        .into_iter()
        .filter(|d| candidates.iter().all(|c| c.barred.contains(&Barred::Unmonitored { danger: *d })))
        .map(|d| (d, shows(d)))
        .collect();
    let mut ranked: Vec<usize> = (0..candidates.len()).filter(|&i| candidates[i].barred.is_empty()).collect();
    ranked.sort_by(|&a, &b| {
        candidates[b].gain.unwrap_or(f64::MIN).total_cmp(&candidates[a].gain.unwrap_or(f64::MIN))
    });
    let first = ranked.first().copied();
    // Of several baselines the one that is recommended is the one meant.
    let is_base = |i: &usize| held(candidates[*i].set) == HeldAgainst::Baseline;
    let at_base = first.filter(is_base).or_else(|| candidates.iter().position(|c| Some(c.set) == base));
    let runner_up = first.zip(ranked.get(1).copied()).map(|(a, b)| {
        let rest: Vec<usize> = ranked[1..].iter().map(|&i| candidates[i].set).collect();
        let held = compare_all(sets, candidates[a].set, &rest, vehicle, settings);
        let f = held.iter().find(|c| c.candidate == candidates[b].set).and_then(|c| c.figure(wish.figure));
        RunnerUp {
            at: b,
            ahead: f.and_then(|f| f.mean_difference).map(|d| -d),
            interval: f.and_then(|f| f.ci95_family.or(f.ci95)).map(|[low, high]| [-high, -low]),
        }
    });
    let worth_it = first.and_then(|i| {
        if Some(i) == at_base { Some(false) } else { candidates[i].interval.map(|ci| ci[0] > wish.smallest) }
    });
    Recommendation { wish, candidates, base: at_base, first, runner_up, worth_it, unwatched }
}

impl Recommendation {
    /// Whether the first is shown to be ahead of the second; `None` where there is no second or no interval.
    pub fn separated(&self) -> Option<bool> {
        self.runner_up?.interval.map(|ci| ci[0] > 0.0)
    }
}

/// Marks those that no other beats in both gain and margin left; what has no judged margin has no place there.
fn mark_front(all: &mut [Candidate]) {
    let place = |c: &Candidate| c.gain.zip(c.tightest.as_ref().map(|t| t.1));
    let places: Vec<Option<(f64, f64)>> = all.iter().map(place).collect();
    for (i, c) in all.iter_mut().enumerate() {
        c.on_front = places[i].is_some_and(|(gain, used)| {
            !places.iter().enumerate().any(|(k, p)| {
                k != i && p.is_some_and(|(g, u)| g >= gain && u <= used && (g > gain || u < used))
            })
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::analysis::tests::{pull, vehicle};
    use crate::analysis::{Measured, SetInput, analyse_sets};
    use crate::limits::Why;

    fn limit(id: &str, channel: &str, below: bool) -> Limit {
        serde_json::from_value(serde_json::json!({
            "id": id, "channel": channel, "direction": if below { "below" } else { "above" }, "threshold": 1.0, "caution": 0.1
        }))
        .unwrap()
    }

    fn outcome(id: &str, verdict: Verdict, share: f64) -> LimitOutcome {
        LimitOutcome {
            limit: id.into(),
            verdict,
            worst: Some(share),
            threshold: Some(1.0),
            margin: Some(1.0 - share),
            share_used: Some(share),
            from_s: None,
            to_s: None,
            rpm: Some(5000.0),
            clock: None,
            why: None::<Why>,
        }
    }

    /// Sets of three pulls around a peak, with verdicts on λ, knock and exhaust heat.
    fn shop(of: &[(f64, [Verdict; 3], f64)]) -> Vec<SetResult> {
        let ids = ["lean", "knock", "egt"];
        let (mut inputs, mut measured): (Vec<SetInput>, Vec<Vec<Measured>>) = (Vec::new(), Vec::new());
        for (k, (peak, verdicts, share)) in of.iter().enumerate() {
            inputs.push(SetInput {
                id: format!("s{k}"),
                day: "2026-03-02".into(),
                order: k as f64,
                factors: [("map".to_owned(), format!("m{k}"))].into(),
                mounting: Some("one".into()),
                ..SetInput::default()
            });
            let pulls = [-0.2, 0.0, 0.2].map(|d| {
                let mut m = pull("p", peak + d, 0.0, 0.0);
                m.limits = ids.iter().zip(verdicts).map(|(id, v)| outcome(id, *v, *share)).collect();
                m
            });
            measured.push(pulls.to_vec());
        }
        analyse_sets(&inputs, &measured, &vehicle().engine, &Settings::default())
    }

    fn asked(sets: &[SetResult], smallest: f64) -> Recommendation {
        let limits = [
            limit("lean", "lambda_1", false),
            limit("knock", "knock_retard_1", false),
            limit("egt", "exhaust_temp_1", false),
        ];
        let all: Vec<usize> = (0..sets.len()).collect();
        let wish = Wish { figure: Figure::PeakPower, smallest };
        let channels = |_| vec!["lambda_1".parse().unwrap(), "exhaust_temp_1".parse().unwrap()];
        recommend(sets, 0, &all, (&vehicle(), &limits), &Settings::default(), wish, &channels)
    }

    const CLEAR: [Verdict; 3] = [Verdict::Clear; 3];

    #[test]
    fn the_highest_of_those_that_are_clear_is_first_and_a_higher_one_that_crosses_is_not() {
        let over = [Verdict::Over, Verdict::Clear, Verdict::Clear];
        let sets = shop(&[(100.0, CLEAR, 0.2), (110.0, CLEAR, 0.5), (120.0, CLEAR, 0.8), (130.0, over, 1.3)]);
        let r = asked(&sets, 2.0);
        assert_eq!((r.first, r.runner_up.map(|u| u.at), r.worth_it), (Some(2), Some(1), Some(true)));
        assert_eq!(r.separated(), Some(true));
        assert!((r.runner_up.unwrap().ahead.unwrap() - 10.0).abs() < 1e-6);
        assert_eq!(
            r.candidates[3].barred,
            [Barred::NotClear { limit: "lean".into(), verdict: Verdict::Over }]
        );
        assert!(r.candidates.iter().all(|c| c.on_front), "each gives more and costs more");
        assert!(r.unwatched.is_empty());
    }

    #[test]
    fn what_nobody_watched_is_never_recommended_whatever_it_gained() {
        let deaf = [Verdict::Clear, Verdict::NotMeasured, Verdict::Clear];
        let unsure = [Verdict::Clear, Verdict::CantTell, Verdict::Clear];
        let reached = [Verdict::Clear, Verdict::NotReached, Verdict::Clear];
        let close = [Verdict::Clear, Verdict::Close, Verdict::Clear];
        for bad in [deaf, unsure, reached, close] {
            let r = asked(&shop(&[(100.0, CLEAR, 0.2), (150.0, bad, 0.3)]), 1.0);
            assert_eq!((r.first, r.worth_it), (Some(0), Some(false)), "{bad:?}");
            assert!(!r.candidates[1].barred.is_empty());
        }
        let r = asked(&shop(&[(100.0, deaf, 0.2), (150.0, deaf, 0.3)]), 1.0);
        assert_eq!((r.first, r.worth_it, r.unwatched.as_slice()), (None, None, &[(Danger::Knock, None)][..]));
        assert_eq!(r.candidates[1].gain.map(f64::round), Some(50.0), "the figure is there meanwhile");
    }

    #[test]
    fn a_sensor_without_a_limit_of_its_own_keeps_a_map_back() {
        let sets = shop(&[(100.0, CLEAR, 0.2), (110.0, CLEAR, 0.5)]);
        let limits = [
            limit("lean", "lambda_1", false),
            limit("knock", "knock_retard_1", false),
            limit("egt", "exhaust_temp_1", false),
        ];
        let wish = Wish { figure: Figure::PeakPower, smallest: 1.0 };
        let second = |_| vec!["lambda_1".parse().unwrap(), "lambda_2".parse::<Channel>().unwrap()];
        let r = recommend(&sets, 0, &[0, 1], (&vehicle(), &limits), &Settings::default(), wish, &second);
        let unwatched = Barred::SensorUnwatched { channel: "lambda_2".parse().unwrap() };
        assert_eq!((r.first, &r.candidates[1].barred[..]), (None, &[unwatched][..]));
    }

    #[test]
    fn a_gain_within_what_nobody_cares_about_is_not_worth_it_and_equals_are_not_separated() {
        let r = asked(&shop(&[(100.0, CLEAR, 0.2), (101.0, CLEAR, 0.5)]), 2.0);
        assert_eq!((r.first, r.worth_it), (Some(1), Some(false)));
        let r = asked(&shop(&[(100.0, CLEAR, 0.2), (110.0, CLEAR, 0.5), (110.1, CLEAR, 0.9)]), 2.0);
        assert_eq!((r.first, r.separated(), r.worth_it), (Some(2), Some(false), Some(true)));
    }
}
