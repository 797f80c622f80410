//! Which caveats a comparison needs, most important first.

use super::caveats::{Caveat, Separation};
use super::comparable::{gears, gears_differ, same_unknown};
use super::figure::{FigureComparison, copied, one_curve};
use super::octane::octane_step;
use super::suspects::{Has, suspicions};
use crate::analysis::given::{Aspiration, Headline, Settings, Vehicle};
use crate::analysis::set::{Figure, SetResult};
use crate::analysis::set_vs_set::{CROSS_DAY_SHARE, SecondLooks, Split, cross_day_share};
use crate::curve::index_of;
use crate::factors::Confounding;
use crate::factors::octane::stated_octane;
use crate::pull::dyno::DynoKind;
use crate::pull::engine_speed::SpeedFrom;
use crate::pull::span::PullKind;
use crate::stats::habit::Habit;

/// Ramp rates may differ by this share before torque is doubted.
const RATE_DOUBT: f64 = 0.10;
/// Filter windows may cover rpm spans that differ by this share.
const WINDOW_DOUBT: f64 = 0.20;
/// One set scatters that many times as much as the other.
const UNEVEN: f64 = 3.0;
/// Drift is worth a sentence below this p value.
const DRIFT_P: f64 = 0.05;

/// That factors changed together, with what would tell them apart.
pub(super) fn confounded(c: &Confounding, split: Option<&Split>, candidate_later: bool) -> Option<Caveat> {
    if !c.confounded {
        return None;
    }
    let separation = match (c.separate_with.as_slice(), split) {
        _ if !c.not_safe.is_empty() => Separation::NotSafe(c.not_safe.clone()),
        ([], Some(split)) => Separation::Split(Box::new(split.clone())),
        ([], None) if c.already_run.is_empty() => Separation::Bygone,
        ([], None) => Separation::AlreadyRun(c.already_run.clone()),
        (more, _) if !c.fresh_after.is_empty() => {
            Separation::Fresh { sets: more.to_vec(), after: c.fresh_after.clone(), of_base: candidate_later }
        }
        (more, _) => Separation::Pull(more.to_vec()),
    };
    Some(Caveat::Confounded { factors: c.factors_differ.clone(), separation })
}

/// What stands behind the interval at peak power.
pub(super) struct Behind {
    /// Scatter of the day's own pulls.
    pub(super) measured: bool,
    /// The cell's habit, where that stands in.
    pub(super) habit: Option<Habit>,
    /// Mountings of the pool that were of a configuration mounted before.
    pub(super) run_again: usize,
}

/// Everything about two sets themselves.
pub(super) fn of_pair(
    a: &SetResult,
    b: &SetResult,
    vehicle: &Vehicle,
    settings: &Settings,
    behind: &Behind,
) -> Vec<Caveat> {
    let mut out = Vec::new();
    if gears_differ(a, b) && settings.across_gears {
        out.push(Caveat::AcrossGears(gears(a, b)));
    }
    if a.day != b.day {
        let (days, factors) = ([a.day.clone(), b.day.clone()], [a.factor, b.factor]);
        out.push(Caveat::CrossDay { days, share: cross_day_share(a, b), weight: CROSS_DAY_SHARE, factors });
    }
    match behind.habit {
        Some(h) => out.push(Caveat::Provisional(h)),
        None => out.extend(scatter(a, b, behind.measured)),
    }
    if same_unknown(a, b) {
        let mean = |s: &SetResult| s.figure(Figure::PeakPower).mean;
        let share = mean(a).zip(mean(b)).map(|(x, y)| y / x - 1.0);
        out.push(Caveat::SameUnknown { share });
    }
    if a.kinds == [PullKind::HeldSteps] && b.kinds == a.kinds {
        let shared = a.mean_curve.rpm.iter().filter(|r| index_of(&b.mean_curve.rpm, **r).is_some()).count();
        out.push(Caveat::HeldSteps { shared });
    }
    let mountings_known = behind.habit.is_some_and(|h| h.between.is_some()) || a.shares_mounting(b);
    out.extend(match behind.run_again {
        _ if mountings_known => None,
        0 => Some(Caveat::OneMounting),
        // As measured in docs/validation.md.
        1 | 2 => Some(Caveat::FewMountings),
        _ => None,
    });
    if let (Some(x), Some(y)) = (a.figure(Figure::PeakPower).sd, b.figure(Figure::PeakPower).sd)
        && (x > UNEVEN * y || y > UNEVEN * x)
    {
        out.push(Caveat::UnevenScatter { sd_kw: [x, y] });
    }
    let from = [a, b].map(|s| &s.speeds_from);
    if from.iter().any(|f| f.contains(&SpeedFrom::Measured))
        && from.iter().any(|f| f.contains(&SpeedFrom::Shaft))
    {
        out.push(Caveat::SpeedOrigins);
    }
    if let (Some(x), Some(y)) = (a.rate_rpm_s, b.rate_rpm_s) {
        let apart = (x - y).abs() / x.min(y).max(1.0);
        if apart > RATE_DOUBT && vehicle.dyno.rotating_inertia_kg_m2.is_none() {
            out.push(Caveat::RampRate { apart, rpm_s: [x, y] });
        }
        if apart > WINDOW_DOUBT && settings.smoothing_s > 0.0 {
            out.push(Caveat::WindowSpan { window_s: settings.smoothing_s, apart });
        }
    }
    for s in [a, b] {
        if s.n() > 0 && s.n() < s.pulls.len() {
            out.push(Caveat::Excluded { set: s.id.clone(), n: s.n(), of: s.pulls.len() });
        }
        let caution = s.pulls.iter().flat_map(|p| &p.cautions).next();
        out.extend(caution.map(|c| Caveat::Correction { set: s.id.clone(), caution: *c }));
    }
    if settings.headline != Headline::Mean {
        out.push(Caveat::Headline(settings.headline));
    }
    out
}

/// Whose scatter is behind the interval, or why there is none.
fn scatter(a: &SetResult, b: &SetResult, judged: bool) -> Option<Caveat> {
    let (pulled, single) = (a.n() > 0 && b.n() > 0, a.n() == 1 || b.n() == 1);
    match judged {
        false if pulled && one_curve(a, b) => Some(Caveat::OneCurve),
        false if pulled && single => Some(Caveat::NoRepeats),
        false if pulled && copied(a, b) => Some(Caveat::Copies),
        false if pulled => Some(Caveat::TooCoarse),
        true if single => Some(Caveat::BorrowedScatter),
        _ => None,
    }
}

/// What the second looks found.
pub(super) fn of_second_looks(s: &SecondLooks, a: &SetResult, b: &SetResult) -> Vec<Caveat> {
    let mut out = Vec::new();
    out.extend(s.bracketed.map(Caveat::Bracketed));
    out.extend(s.adjusted.filter(|x| x.p < DRIFT_P).map(Caveat::Drift));
    out.extend(match s.across {
        Some(relative) => Some(Caveat::Across { base: a.id.clone(), candidate: b.id.clone(), relative }),
        None if a.day != b.day => Some(Caveat::NoSharedBaseline),
        None => None,
    });
    out.extend(s.equivalence.map(Caveat::Equivalence));
    out.extend(s.fair_best.map(Caveat::BestOf));
    out
}

/// Hardware that may have changed: looked at only where nothing that was stated differs, or only what time has set.
pub(super) fn of_hardware(a: &SetResult, b: &SetResult, c: &Confounding, vehicle: &Vehicle) -> Vec<Caveat> {
    let in_time = |name: &String| a.in_time.contains(name) || b.in_time.contains(name);
    if !c.factors_differ.iter().all(in_time) {
        return Vec::new();
    }
    let has = Has {
        turbo: vehicle.engine.aspiration == Aspiration::Turbocharged,
        tyres: matches!(vehicle.dyno.kind, DynoKind::RollerBrake | DynoKind::RollerInertia),
    };
    suspicions(a, b, has).into_iter().map(Caveat::Suspected).collect()
}

/// What a step to more octane showed, where the fuel alone differs and both names state a number of one scale.
pub(super) fn of_octane(
    a: &SetResult,
    b: &SetResult,
    c: &Confounding,
    peak: Option<&FigureComparison>,
) -> Option<Caveat> {
    if c.factors_differ != ["fuel"] {
        return None;
    }
    let of = |s: &SetResult| stated_octane(s.factors.get("fuel")?);
    let ((scale, low), (other, high)) = (of(a)?, of(b)?);
    if scale != other || high <= low {
        return None;
    }
    let retard = |s: &SetResult| {
        let each = s.tells.iter().map(|t| t.as_ref()?.retard_deg);
        each.collect::<Option<Vec<f64>>>()?.into_iter().reduce(f64::max)
    };
    let says = octane_step(peak?.verdict, [retard(a), retard(b)]);
    Some(Caveat::Octane { says, scale, octane: [low, high] })
}
