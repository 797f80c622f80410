//! Lags that fit one pull alike: the recordings as a whole decide, or nobody does.
//!
//! Where both recordings hold several pulls, the lag of one pull's neighbour may fit it as well as its own:
//! ramps look alike. But one lag must lay the whole recordings over each other.

use super::RUNNER_UP_S;
use super::evidence::Fit;
use super::problem::Problem;
use crate::signal::interp::Walk;
use crate::signal::interp::between;

/// Points of the whole recording looked at.
const POINTS: usize = 20_000;
/// A lag whose whole disagreement is below this share of another's is the better one (our choice).
const CLEARLY: f64 = 0.8;
/// Two lags whose fits of the pull differ by less than this share cannot be told apart by it (our choice).
const ALIKE: f64 = 0.03;
/// A moment disagrees by this at most, rpm: one long stretch at another speed must not decide alone.
const CAP_RPM: f64 = 1000.0;

/// Decides between lags that fit one pull alike.
///
/// # Formula
/// `D(τ) = √( Σ min(|n_e(t+τ) − k·n_s(t)|, 1000 rpm)² / N ) / √(N/M)`. Another lag is believed when
/// `D_other < 0.8·D_best`; nobody is when `D_best ≥ 0.8·D_other` and its fit of the pull is within 3 %.
///
/// where
/// - `τ`: lag, s; `n_e`: engine speed of the engine computer, rpm; `n_s`: shaft speed of the dyno, rpm;
/// - `k`: ratio of the two; `M`: moments of the dyno's recording looked at (20 000 at most), `N` of them
///   covered by the other recording as well.
///
/// One lag must lay whole recordings over each other (domain, section 2); the numbers are our choice.
///
/// Puts the lag to be believed first. `fits` come best first; returns the lag that rivals it when neither the
/// pull nor the whole recordings can tell the two apart.
pub(super) fn settle(problem: &Problem<'_>, fits: &mut [Fit]) -> Option<f64> {
    let best = *fits.first()?;
    let rivals: Vec<usize> =
        (1..fits.len()).filter(|&i| (fits[i].lag - best.lag).abs() >= RUNNER_UP_S).collect();
    if rivals.is_empty() {
        return None;
    }
    let own = disagreement(problem, &best)?;
    let (i, theirs) = rivals
        .iter()
        .filter_map(|&i| Some((i, disagreement(problem, &fits[i])?)))
        .min_by(|a, b| a.1.total_cmp(&b.1))?;
    if theirs < CLEARLY * own {
        fits[..=i].rotate_right(1);
        return None;
    }
    let rival = fits[rivals[0]];
    (own >= CLEARLY * theirs && rival.score < best.score * (1.0 + ALIKE)).then_some(rival.lag)
}

/// RMS disagreement of the two speeds over all the time both recordings cover, rpm, dearer the less they
/// cover.
fn disagreement(problem: &Problem<'_>, f: &Fit) -> Option<f64> {
    let (pair, k) = (problem.pair(), problem.ratio(f));
    let every = pair.dyno.len().div_ceil(POINTS).max(1);
    let (mut walk, mut n, mut all, mut rr) = (Walk::new(&pair.ecu.t), 0.0, 0.0, 0.0);
    for i in (0..pair.dyno.len()).step_by(every) {
        all += 1.0;
        if let Some(place) = walk.place(pair.dyno.t[i] + f.lag) {
            n += 1.0;
            rr += (between(&pair.ecu.v, place) - k * pair.dyno.v[i]).abs().min(CAP_RPM).powi(2);
        }
    }
    (n > 0.0).then(|| (rr / n).sqrt() / (n / all).sqrt())
}
