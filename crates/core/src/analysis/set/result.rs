//! Sets: figures of the included pulls, their headline, their mean curve, their limits.

use super::along::{OtherAxis, other_axis};
use super::corrected::{Corrected, corrected};
use super::curves::mean_curve;
use super::figure::Figure;
use super::settled::SETTLED_SHARE;
use crate::air::AirState;
use crate::analysis::given::{Along, Engine, Headline, SetInput, Settings};
use crate::analysis::measured::{Measured, Tells, refs};
use crate::correction::Correction;
use crate::curve::Curve;
use crate::factors::{Factors, Known};
use crate::figures::{Figures, Looks, Peak};
use crate::limits::{LimitOutcome, Verdict};
use crate::printed::{Place, PrintedAxis};
use crate::pull::engine_speed::SpeedFrom;
use crate::pull::span::{EndedBy, PullKind};
use crate::stats::two_sets::{mean, mean_of, sample_sd};
use std::borrow::Borrow;
use std::collections::BTreeSet;

/// One figure over the included pulls of a set.
#[derive(Debug, Clone, PartialEq)]
pub struct SetFigures {
    /// Which figure.
    pub figure: Figure,
    /// One value for each included pull that has it, in order of running.
    pub values: Vec<f64>,
    /// Headline; `None` when no pull has the figure, or none settled.
    pub headline: Option<f64>,
    /// Mean, to which intervals belong.
    pub mean: Option<f64>,
    /// Standard deviation of the pulls.
    pub sd: Option<f64>,
    /// Engine speed of the peak on the mean curve, rpm.
    pub rpm: Option<f64>,
}

/// A set with everything derived from it.
#[derive(Debug, Clone, PartialEq)]
pub struct SetResult {
    /// Id.
    pub id: String,
    /// Day.
    pub day: String,
    /// Clock time of its first pull, h, when known.
    pub at_h: Option<f64>,
    /// Place in the order of running.
    pub order: f64,
    /// Configuration.
    pub factors: Factors,
    /// Those of them that time has set.
    pub in_time: BTreeSet<String>,
    /// Name of its mounting; `None`: one of its own.
    pub mounting: Option<String>,
    /// Corrected pulls, in order of running.
    pub pulls: Vec<Corrected>,
    /// Their figures.
    pub pull_figures: Vec<Figures>,
    /// Whether each counts in figures.
    pub included: Vec<bool>,
    /// Figures of the set.
    pub figures: Vec<SetFigures>,
    /// Mean of the included curves where all of them have a value.
    pub mean_curve: Curve,
    /// The same along the axis that was asked for, when it is not engine speed.
    pub other: Option<OtherAxis>,
    /// The same at equal speed of the dyno's shaft, where a pull of the job goes by a measured engine speed:
    /// behind a converter two sets are at one engine speed at different places.
    pub at_shaft: Option<OtherAxis>,
    /// Whose engine speed its included recordings go by, each once.
    pub speeds_from: Vec<SpeedFrom>,
    /// Mean rate of the included pulls, rpm/s.
    pub rate_rpm_s: Option<f64>,
    /// Kinds of the included pulls, each once: sweeps, lug-downs, held steps.
    pub kinds: Vec<PullKind>,
    /// True when a coast-down loss was added.
    pub estimated: bool,
    /// Fuels its map is meant for, in words; `None` when nobody said.
    pub map_fuels: Option<String>,
    /// Its verdict on each limit.
    pub limits: Vec<LimitOutcome>,
    /// Mean correction factor of the included pulls.
    pub factor: f64,
    /// Coarsest recorded step behind its power, as a share of it.
    pub step_share: f64,
    /// What each of its included pulls tells of the hardware, where it does.
    pub tells: Vec<Option<Tells>>,
    /// Fingerprints of the recordings its included pulls were made from.
    pub prints: Vec<u64>,
    /// Where its included pulls were measured, each once; `None` is where the dyno measures.
    pub places: Vec<Option<Place>>,
    /// Its curves stand against road speed.
    pub road_axis: bool,
    /// Every included pull was aborted: it has no peaks of its own.
    pub only_aborted: bool,
    /// An included pull carries a correction that is not the one asked for and cannot be brought to it.
    pub unknown: bool,
    /// Share by which the families, and none, differ in its air; `None` without air.
    pub spread: Option<f64>,
}

impl SetResult {
    /// Included pulls.
    pub fn n(&self) -> usize {
        self.included.iter().filter(|i| **i).count()
    }

    /// What it says about proposing other configurations.
    pub fn known(&self) -> Known<'_> {
        let share = |o: &LimitOutcome| match (o.verdict, o.share_used) {
            (Verdict::Over, share) => Some(share.unwrap_or(1.0).max(1.01)),
            (Verdict::NotMeasured | Verdict::NotReached | Verdict::CantTell, _) => None,
            (_, share) => share,
        };
        let shares = self.limits.iter().filter_map(|o| Some((o.limit.as_str(), share(o)?))).collect();
        Known { factors: &self.factors, map_fuels: self.map_fuels.as_deref(), shares }
    }

    /// A value of every included pull, in order; none at all where one of them has none.
    pub(in crate::analysis) fn of_pulls(&self, f: impl Fn(&Curve) -> Option<f64>) -> Vec<f64> {
        self.included_curves().map(f).collect::<Option<_>>().unwrap_or_default()
    }

    /// Whether it was pulled after another set.
    pub fn began_after(&self, other: &Self) -> bool {
        let by_clock = || match (self.at_h, other.at_h) {
            (Some(own), Some(other)) => own.total_cmp(&other),
            _ => self.order.total_cmp(&other.order),
        };
        self.day.cmp(&other.day).then_with(by_clock).is_gt()
    }

    /// Whether two of its included pulls were made from one recording.
    pub fn has_copies(&self) -> bool {
        self.prints.iter().enumerate().any(|(i, p)| self.prints[..i].contains(p))
    }

    /// Whether a pull of its and one of another set were made from one recording.
    pub fn shares_with(&self, other: &SetResult) -> bool {
        self.prints.iter().any(|p| other.prints.contains(p))
    }

    /// Whether another set of its day stood in the same mounting.
    pub fn shares_mounting(&self, other: &Self) -> bool {
        self.day == other.day && self.mounting.is_some() && self.mounting == other.mounting
    }

    /// Values of one figure.
    pub fn figure(&self, f: Figure) -> &SetFigures {
        self.figures.iter().find(|s| s.figure == f).unwrap_or(&self.figures[0])
    }

    /// Index of the pull behind the `i`-th value of peak power: excluded pulls have none.
    pub(in crate::analysis) fn pull_of_value(&self, i: usize) -> usize {
        let mut with = (0..self.included.len())
            .filter(|&k| self.included[k] && self.pull_figures[k].peak_power.is_some());
        with.nth(i).unwrap_or(i)
    }

    /// Curves of the included pulls at engine speed.
    pub fn included_curves(&self) -> impl Iterator<Item = &Curve> {
        self.pulls.iter().zip(&self.included).filter(|(_, i)| **i).map(|(p, _)| &p.curve)
    }

    /// The mean curve along the axis that was asked for.
    pub fn drawn(&self) -> &Curve {
        self.other.as_ref().map_or(&self.mean_curve, |o| &o.mean)
    }

    /// The place of an engine speed on that axis.
    pub fn place(&self, rpm: f64) -> Option<f64> {
        self.other.as_ref().map_or(Some(rpm), |o| o.place(rpm))
    }
}

/// Headline statistic of a list of values in order of running.
fn headline(values: &[f64], h: Headline) -> Option<f64> {
    if values.is_empty() {
        return None;
    }
    match h {
        Headline::Mean => Some(mean(values)),
        Headline::Median => Some(crate::signal::median::median_in_place(&mut values.to_vec())),
        Headline::Best => values.iter().copied().reduce(f64::max),
        Headline::LastSettled => {
            let agrees = |w: &[f64]| (w[1] - w[0]).abs() <= SETTLED_SHARE * w[0].abs();
            let unsettled = values.windows(2).rposition(|w| !agrees(w)).map_or(0, |i| i + 1);
            (values.len() - unsettled >= 2).then(|| mean(&values[unsettled..]))
        }
    }
}

/// Corrects every pull and derives the sets.
pub fn analyse_sets<M: Borrow<Measured>>(
    sets: &[SetInput],
    measured: &[Vec<M>],
    engine: &Engine,
    settings: &Settings,
) -> Vec<SetResult> {
    let slips = measured.iter().flatten().any(|m| m.borrow().grid.shaft_rpm.is_some());
    sets.iter().zip(measured).map(|(s, m)| analyse_set(s, &refs(m), engine, settings, slips)).collect()
}

fn analyse_set(
    input: &SetInput,
    measured: &[&Measured],
    engine: &Engine,
    settings: &Settings,
    slips: bool,
) -> SetResult {
    let pulls: Vec<Corrected> =
        measured.iter().map(|m| corrected(m, engine, settings.correction_of(engine))).collect();
    let looks = settings.looks();
    let pull_figures: Vec<Figures> =
        measured.iter().zip(&pulls).map(|(m, p)| figures_of(m, p, &looks)).collect();
    let included: Vec<bool> =
        measured.iter().zip(&pulls).map(|(m, p)| m.excluded.is_none() && has_figures(m, p)).collect();
    let chosen = |i: &usize| included[*i];
    let indices: Vec<usize> = (0..pulls.len()).filter(chosen).collect();
    let curves: Vec<&Curve> = indices.iter().map(|&i| &pulls[i].curve).collect();
    let mean_curve = mean_curve(&curves);
    let along = |axis: Along| {
        let all: Vec<&Curve> = pulls.iter().map(|p| &p.curve).collect();
        other_axis(axis, measured, &all, &included, &mean_curve.rpm)
    };
    let other = (settings.along != Along::EngineSpeed).then(|| along(settings.along));
    let at_shaft = slips.then(|| along(Along::ShaftSpeed));
    let recorded = |i: &&usize| measured[**i].printed.is_none() && !measured[**i].log_only;
    let of_mean = mean_curve.figures(None);
    // An aborted pull never reached its peak: alone it makes no headline.
    let aborted = |i: &usize| measured[*i].span.is_some_and(|s| s.ended_by == EndedBy::Abort);
    let only_aborted = !indices.is_empty() && indices.iter().all(aborted);
    let figures = Figure::ALL
        .into_iter()
        .map(|figure| {
            let stands = !(only_aborted && matches!(figure, Figure::PeakPower | Figure::PeakTorque));
            let known = indices.iter().filter(|_| stands);
            let values: Vec<f64> = known.filter_map(|&i| figure.of(&pull_figures[i])).collect();
            let rpm = match figure {
                Figure::PeakPower => of_mean.peak_power.map(|p| p.rpm),
                Figure::PeakTorque => of_mean.peak_torque.map(|p| p.rpm),
                Figure::PowerAt | Figure::TorqueAt => looks.at_rpm,
                _ => None,
            };
            SetFigures {
                figure,
                headline: headline(&values, settings.headline),
                mean: headline(&values, Headline::Mean),
                sd: sample_sd(&values),
                rpm,
                values,
            }
        })
        .collect();
    let average = |v: Vec<f64>| mean_of(&v);
    SetResult {
        id: input.id.clone(),
        day: input.day.clone(),
        at_h: input.at_h,
        order: input.order,
        factors: input.factors.clone(),
        in_time: input.in_time.clone(),
        mounting: input.mounting.clone(),
        map_fuels: input.map_fuels.clone(),
        limits: set_verdicts(measured),
        rate_rpm_s: average(indices.iter().filter_map(|&i| measured[i].rate_rpm_s).collect()),
        kinds: once(indices.iter().filter_map(|&i| measured[i].kind())),
        speeds_from: once(indices.iter().filter(recorded).map(|&i| measured[i].speed_from)),
        places: once(indices.iter().map(|&i| measured[i].printed.as_ref().and_then(|p| p.print.place))),
        road_axis: indices.iter().any(|&i| is_on_road(measured[i])),
        only_aborted,
        unknown: indices.iter().any(|&i| measured[i].printed.is_some() && pulls[i].is_as_printed()),
        spread: indices.iter().find_map(|&i| measured[i].air.as_ref().map(spread)),
        estimated: indices.iter().any(|&i| measured[i].estimated),
        step_share: indices.iter().filter_map(|&i| measured[i].step_share).fold(0.0, f64::max),
        tells: indices.iter().map(|&i| measured[i].tells.clone()).collect(),
        prints: indices.iter().filter_map(|&i| measured[i].print).collect(),
        factor: average(indices.iter().map(|&i| pulls[i].factor).collect()).unwrap_or(1.0),
        pulls,
        pull_figures,
        included,
        figures,
        mean_curve,
        other,
        at_shaft,
    }
}

/// Whether a pull has a curve, or peaks.
fn has_figures(m: &Measured, p: &Corrected) -> bool {
    !p.curve.rpm.is_empty() || m.printed.as_ref().is_some_and(|p| p.peaks.iter().any(Option::is_some))
}

/// Figures of a pull: of its curve, or as they were typed.
pub fn figures_of(m: &Measured, p: &Corrected, looks: &Looks) -> Figures {
    let typed = m.printed.as_ref().filter(|p| p.kind == PullKind::PeaksOnly);
    typed.map_or_else(
        || p.curve.looked_at(looks),
        |t| {
            let [power, torque] = t.peaks.map(|k| k.map(|k| Peak { value: k.value * p.scale, rpm: k.rpm }));
            Figures { peak_power: power, peak_torque: torque, ..Figures::default() }
        },
    )
}

fn is_on_road(m: &Measured) -> bool {
    m.printed.as_ref().is_some_and(|p| p.axis == PrintedAxis::RoadSpeed)
}

/// How far the families, and none, lie apart in an air.
///
/// # Formula
/// `(max f − min f) / mean f` over the factors `f` of the families that need the air alone, and 1 (domain,
/// section 2).
fn spread(air: &AirState) -> f64 {
    let all: Vec<f64> = Correction::ALL.iter().filter_map(|c| c.air_factor(air)).collect();
    let (low, high) = all.iter().fold((f64::INFINITY, 0.0_f64), |(a, b), v| (a.min(*v), b.max(*v)));
    (high - low) / mean(&all)
}

fn once<T: PartialEq>(of: impl Iterator<Item = T>) -> Vec<T> {
    let mut out: Vec<T> = Vec::new();
    for k in of {
        if !out.contains(&k) {
            out.push(k);
        }
    }
    out
}

/// The set's verdict on each limit: the worst over all its pulls, those excluded from figures too.
pub fn set_verdicts<M: Borrow<Measured>>(measured: &[M]) -> Vec<LimitOutcome> {
    worst_of(&measured.iter().map(|m| m.borrow().limits.as_slice()).collect::<Vec<_>>())
}

fn worst_of(pulls: &[&[LimitOutcome]]) -> Vec<LimitOutcome> {
    let Some(first) = pulls.first() else { return Vec::new() };
    let worst = |limit: &str| {
        let all = pulls.iter().filter_map(|p| p.iter().find(|o| o.limit == limit));
        all.min_by(|a, b| a.verdict.cmp(&b.verdict).then(margin(a).total_cmp(&margin(b)))).cloned()
    };
    first.iter().filter_map(|l| worst(&l.limit)).collect()
}

/// Margin left; an outcome without one comes after those that have it. Shares may be unknown, margins of one
/// limit always compare.
fn margin(o: &LimitOutcome) -> f64 {
    o.share_used.map(|s| 1.0 - s).or(o.margin).unwrap_or(f64::INFINITY)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_headline_is_what_it_says() {
        let v = [100.0, 101.0, 101.2, 101.1];
        for (h, want) in [
            (Headline::Mean, 100.825),
            (Headline::Median, 101.05),
            (Headline::Best, 101.2),
            (Headline::LastSettled, 101.1),
        ] {
            assert!((headline(&v, h).unwrap() - want).abs() < 1e-9, "{h:?}");
        }
        assert_eq!(headline(&[100.0, 102.0], Headline::LastSettled), None);
        assert_eq!(headline(&[], Headline::Mean), None);
    }

    #[test]
    fn the_pull_shown_for_a_set_is_the_worst_also_without_shares() {
        let outcome = |verdict, margin: f64| LimitOutcome {
            limit: "oil".into(),
            verdict,
            worst: Some(100.0 - margin),
            threshold: Some(100.0),
            margin: Some(margin),
            share_used: None,
            from_s: None,
            to_s: None,
            rpm: None,
            clock: None,
            why: None,
        };
        let pulls: Vec<[LimitOutcome; 1]> = [9.0, 4.0, 7.0].map(|m| [outcome(Verdict::Clear, m)]).to_vec();
        let lists: Vec<&[LimitOutcome]> = pulls.iter().map(<[_; 1]>::as_slice).collect();
        assert_eq!(worst_of(&lists)[0].margin, Some(4.0));
        let over =
            [[outcome(Verdict::Clear, 1.0)], [outcome(Verdict::Over, -1.0)], [outcome(Verdict::Over, -3.0)]];
        assert_eq!(worst_of(&over.each_ref().map(<[_; 1]>::as_slice))[0].margin, Some(-3.0));
    }
}
