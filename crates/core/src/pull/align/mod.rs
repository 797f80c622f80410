//! Aligning the dyno's clock with the engine computer's.
//!
//! Ramps all look alike, so the shape alone proves nothing: candidates come from the shape, the decision from
//! the level.

mod closed;
mod coarse;
mod evidence;
mod fine;
mod kinks;
mod legs;
mod problem;
mod rivals;
#[cfg(test)]
mod tests;

use super::span::PullSpan;
use crate::findings::Refusal;
use crate::log::Series;
use evidence::Fit;
use problem::Problem;
use serde::{Deserialize, Serialize};

/// Residual above this share of the mean speed refuses the pair.
pub const MAX_RESIDUAL_SHARE: f64 = 0.005;
/// Slow residual structure above this share refuses a pair that cannot slip (our choice: half the limit
/// above; a true pair on a hub leaves only noise there, another pull's log leaves its different ramp).
pub const MAX_STRUCTURE_SHARE: f64 = 0.0025;
/// Ends may differ by this much, rpm.
pub const MAX_END_RPM: f64 = 100.0;
/// A lag known worse than this is no lag, s (our choice): a speed that is held says nothing about when.
pub const MAX_SIGMA_S: f64 = 0.25;
/// Share of the pull the other log must cover.
pub const MIN_COVERAGE: f64 = 0.9;
/// Clock-of-day stamps may disagree by this much, s.
pub const MAX_CLOCK_GAP_S: f64 = 60.0;
/// Beyond this rate difference a time scale is fitted, ppm.
pub const FIT_DRIFT_PPM: f64 = 1000.0;
/// No recorder's clock is further off than this, ppm (our choice): beyond, it is another ramp, not another
/// clock.
pub const MAX_DRIFT_PPM: f64 = 6000.0;

/// A clock rate this many times its uncertainty is believed.
const RATE_SURE: f64 = 3.0;

/// A runner-up is at least this far from the best lag, s.
const RUNNER_UP_S: f64 = 0.5;
/// Candidates that end this close to each other are one, s.
const SAME_LAG_S: f64 = 0.005;

/// What is known of the speed ratio engine computer ÷ dyno trace.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Ratio {
    /// From geometry, or 1 when both are engine speed.
    Known(f64),
    /// To be fitted.
    Free,
}

/// Two speed traces to be aligned.
#[derive(Debug, Clone, Copy)]
pub struct Pair<'a> {
    /// Dyno trace on the dyno clock.
    pub dyno: &'a Series,
    /// Engine-computer speed on its own clock.
    pub ecu: &'a Series,
    /// The pull on the dyno clock.
    pub pull: &'a PullSpan,
    /// Ratio engine computer ÷ dyno trace.
    pub ratio: Ratio,
    /// True when the two cannot slip against each other.
    pub rigid: bool,
    /// Load on the dyno clock, 1 at its highest, where tyres, clutch or converter may slip: slip is fitted in
    /// proportion to it.
    pub load: Option<&'a Series>,
    /// True when both clocks are times of day.
    pub clocks_of_day: bool,
}

/// Outcome of an alignment.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Status {
    /// Found and trusted.
    Aligned,
    /// Set by a person.
    Manual,
    /// Refused; see why.
    Refused,
    /// There is only one log.
    SingleLog,
}

/// The lag and the evidence for it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Alignment {
    /// Outcome.
    pub status: Status,
    /// Engine-computer time − dyno time, s.
    pub lag_s: Option<f64>,
    /// Standard uncertainty of the lag, s.
    pub sigma_lag_s: Option<f64>,
    /// Correlation on level over the pull.
    pub r: Option<f64>,
    /// RMS residual over the pull, rpm of the engine computer.
    pub residual_rpm: Option<f64>,
    /// RMS of the slow part of the residual (0.3 s averages), rpm: noise aside, what the two ramps disagree
    /// in.
    #[serde(default)]
    pub structure_rpm: Option<f64>,
    /// Second-best lag at least 0.5 s away, s.
    pub runner_up_s: Option<f64>,
    /// Residual at the second-best lag, rpm.
    pub runner_up_residual_rpm: Option<f64>,
    /// Clock rate difference, ppm, only when it exceeds its own noise.
    pub drift_ppm: Option<f64>,
    /// Best estimate of the clock rate difference, ppm, significant or not.
    #[serde(default)]
    pub rate_ppm: Option<f64>,
    /// Its standard error, ppm.
    #[serde(default)]
    pub rate_se_ppm: Option<f64>,
    /// Median measured ratio engine computer ÷ dyno trace.
    pub measured_ratio: Option<f64>,
    /// Slip at full load as a share of speed, fitted where the coupling can slip and the ratio is known.
    #[serde(default)]
    pub slip_share: Option<f64>,
    /// Why it was refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub refusal: Option<Refusal>,
}

impl Alignment {
    /// No second log.
    pub fn single_log() -> Self {
        Self::empty(Status::SingleLog, None)
    }

    fn empty(status: Status, refusal: Option<Refusal>) -> Self {
        Self {
            status,
            lag_s: None,
            sigma_lag_s: None,
            r: None,
            residual_rpm: None,
            structure_rpm: None,
            runner_up_s: None,
            runner_up_residual_rpm: None,
            drift_ppm: None,
            rate_ppm: None,
            rate_se_ppm: None,
            measured_ratio: None,
            slip_share: None,
            refusal,
        }
    }

    /// True when the lag may be used.
    pub fn usable(&self) -> bool {
        matches!(self.status, Status::Aligned | Status::Manual)
    }

    /// The lag when it may be used, s.
    pub fn usable_lag(&self) -> Option<f64> {
        self.lag_s.filter(|_| self.usable())
    }

    /// Turns an accepted alignment into a refusal that keeps its evidence.
    #[must_use]
    pub fn refuse(mut self, why: Refusal) -> Self {
        self.status = Status::Refused;
        self.refusal = Some(why);
        self
    }
}

/// Finds the lag, or refuses and says why.
///
/// # Formula
/// The lag that minimises `Σ ρ(n_e(t_i·(1+δ) + lag) − k·n_d(t_i)·(1 + s·load_i))`
///
/// where
/// - `n_e`, `n_d`: engine speed of the engine computer and speed of the dyno, rpm, each on its own clock, s;
/// - `k`: engine ÷ dyno speed, from geometry, or fitted where it is not known;
/// - `δ`: difference of the two clock rates, fitted above 1000 ppm;
/// - `s`, `load`: slip at full load and load from 0 to 1, where tyres, clutch or converter can slip; else 0;
/// - `ρ`: Huber's loss beyond 2.5 robust deviations of the residual, at least 1 rpm (our choice).
///
/// `σ_lag = σ/(|slope|·√N_eff)`: σ of the residual, rpm; slope of the ramp, rpm/s; `N_eff` counts what is
/// left of N when neighbours resemble each other. Candidates come from normalised correlation over the whole
/// record, because all ramps look alike; the level decides between them (domain, section 2, "Alignment").
///
/// ```
/// use jamjar_core::log::Series;
/// use jamjar_core::pull::align::{Pair, Ratio, align};
/// use jamjar_core::pull::detect::detect;
/// use jamjar_core::pull::load::Load;
///
/// // One engine, seen by two recorders at 50 and 20 samples a second; the second began 3.25 s earlier.
/// let engine = |t: f64| 2000.0 + 700.0 * (t - 2.0).clamp(0.0, 6.0) - 3000.0 * (t - 8.0).clamp(0.0, 0.8);
/// let seen = |hz: f64, ahead: f64| {
///     let t: Vec<f64> = (0..(hz * 12.0) as usize).map(|i| i as f64 / hz).collect();
///     Series { v: t.iter().map(|t| engine(*t)).collect(), t: t.iter().map(|t| t + ahead).collect() }
/// };
/// let (dyno, ecu) = (seen(50.0, 0.0), seen(20.0, 3.25));
/// let pull = &detect(&dyno, &Load::default(), 1.0)[0];
/// let pair =
///     Pair { dyno: &dyno, ecu: &ecu, pull, ratio: Ratio::Known(1.0), rigid: true, load: None, clocks_of_day: false };
/// let lag = align(&pair).usable_lag().unwrap();
/// assert!((lag - 3.25).abs() < 0.002, "{lag}");
/// ```
pub fn align(pair: &Pair<'_>) -> Alignment {
    let candidates = coarse::candidates(pair);
    if candidates.is_empty() {
        return Alignment::empty(Status::Refused, Some(Refusal::NotCovered));
    }
    let problem = Problem::new(pair);
    let mut sketched: Vec<fine::Sketch> = candidates.iter().filter_map(|c| problem.sketch(*c)).collect();
    sketched.sort_by(|a, b| a.score.total_cmp(&b.score));
    let mut fits: Vec<Fit> =
        worth_fitting(&sketched).into_iter().filter_map(|lag| problem.fit(lag)).collect();
    fits.sort_by(|a, b| a.score.total_cmp(&b.score));
    let undecided = rivals::settle(&problem, &mut fits);
    let Some(best) = fits.first().copied() else {
        return Alignment::empty(Status::Refused, Some(Refusal::NoLag));
    };
    let fitted = fits.iter().map(|f| (f.lag, f.residual));
    let runner = fitted
        .chain(sketched.iter().map(|s| (s.lag, s.residual)))
        .find(|(lag, _)| (lag - best.lag).abs() >= RUNNER_UP_S);
    let out = supported(&best, runner, Status::Aligned);
    let undecided = undecided.map(|rival_s| Refusal::Rivals { lag_s: best.lag, rival_s });
    match reason_to_refuse(pair, &best, problem.kink_gap(&best)).or(undecided) {
        Some(why) => problem.behind_a_converter(best.noise).unwrap_or_else(|| out.refuse(why)),
        None => out,
    }
}

/// Lags worth a fit on all points: the best of the sketch, and what comes near it.
fn worth_fitting(sketched: &[fine::Sketch]) -> Vec<f64> {
    let mut out: Vec<f64> = Vec::new();
    let Some(best) = sketched.first() else { return out };
    for s in sketched.iter().filter(|s| s.score < 1.5 * best.score + 1e-4) {
        if out.iter().all(|l| (l - s.lag).abs() >= SAME_LAG_S) {
            out.push(s.lag);
        }
    }
    out
}

/// Evidence for a lag set by a person; recorded as such and never refused.
pub fn manual(pair: &Pair<'_>, lag_s: f64) -> Alignment {
    match Problem::new(pair).evaluate(lag_s) {
        Some(f) => supported(&Fit { lag: lag_s, ..f }, None, Status::Manual),
        None => Alignment { lag_s: Some(lag_s), ..Alignment::empty(Status::Manual, None) },
    }
}

/// `runner`: the second-best lag and its residual.
fn supported(f: &Fit, runner: Option<(f64, f64)>, status: Status) -> Alignment {
    Alignment {
        status,
        lag_s: Some(f.lag),
        sigma_lag_s: Some(f.sigma_lag),
        r: Some(f.r),
        residual_rpm: Some(f.residual),
        structure_rpm: Some(f.structure),
        runner_up_s: runner.map(|r| r.0),
        runner_up_residual_rpm: runner.map(|r| r.1),
        drift_ppm: f.drift_ppm,
        rate_ppm: Some(f.rate.0 * 1e6),
        rate_se_ppm: Some(f.rate.1 * 1e6),
        measured_ratio: Some(f.ratio),
        slip_share: f.slip,
        refusal: None,
    }
}

/// Time zones differ by whole half hours; together with a midnight between the two recordings by at most
/// this, s.
const MAX_ZONE_S: f64 = 38.0 * 3600.0;
const ZONE_STEP_S: f64 = 1800.0;

/// The nearest whole half hour, s: by this much two clocks of day may differ without contradicting each
/// other, when one recorder runs on another time zone, on summer time, or began after midnight.
pub fn zone_difference(lag_s: f64) -> f64 {
    ((lag_s / ZONE_STEP_S).round() * ZONE_STEP_S).clamp(-MAX_ZONE_S, MAX_ZONE_S)
}

/// `kinks`: how much further apart tip-in and lift are in one recording, s, and its tolerance.
fn reason_to_refuse(pair: &Pair<'_>, f: &Fit, kinks: Option<(f64, f64)>) -> Option<Refusal> {
    let share = f.residual / f.mean_rpm;
    if f.coverage < MIN_COVERAGE {
        return Some(Refusal::Coverage { share: f.coverage });
    }
    let off_s = (f.lag - zone_difference(f.lag)).abs();
    if pair.clocks_of_day && off_s > MAX_CLOCK_GAP_S {
        return Some(Refusal::Clocks { off_s });
    }
    if share > MAX_RESIDUAL_SHARE {
        let ratio_off = match pair.ratio {
            Ratio::Known(k) => Some(f.ratio / k - 1.0).filter(|off| off.abs() > 0.01),
            Ratio::Free => None,
        };
        return Some(Refusal::Residual { share, limit: MAX_RESIDUAL_SHARE, ratio_off });
    }
    if f.end_gap > MAX_END_RPM {
        return Some(Refusal::Ends { rpm: f.end_gap, limit_rpm: MAX_END_RPM });
    }
    if let Some((gap_s, tolerance)) = kinks
        && gap_s.abs() > tolerance
    {
        return Some(Refusal::Kinks { gap_s });
    }
    let (ppm, se) = (f.rate.0 * 1e6, f.rate.1 * 1e6);
    if ppm.abs() > MAX_DRIFT_PPM && ppm.abs() > RATE_SURE * se {
        return Some(Refusal::Rate { ppm });
    }
    if f.sigma_lag > MAX_SIGMA_S {
        return Some(Refusal::Uncertain { sigma_s: f.sigma_lag });
    }
    if pair.rigid && f.structure / f.mean_rpm > MAX_STRUCTURE_SHARE {
        return Some(Refusal::Shape { rpm: f.structure });
    }
    if pair.ratio == Ratio::Free && !f.has_kink {
        return Some(Refusal::BareRamp);
    }
    None
}
