//! Whole days: recordings written, read back, aligned, measured, compared; what comes out against what was
//! put in.

use super::{Share, Subject};
use jamjar_core::analysis::{Figure, Settings, analyse_sets, compare_all};
use jamjar_core::correction::Correction;
use jamjar_core::pull::align::Status;
use jamjar_sim::TrueCurve;
use rayon::prelude::*;

/// What whole days showed.
#[derive(Debug, Clone)]
#[allow(missing_docs)]
pub struct Whole {
    pub days: usize,
    pub pulls: usize,
    /// Right logs that were refused.
    pub refused: usize,
    /// Lag error, ms: root mean square, 95th percentile and largest of its size.
    pub lag_ms: [f64; 3],
    /// Lag error ÷ stated uncertainty, root mean square: 1 when the statement is honest.
    pub lag_ratio: f64,
    /// The same three on the inertia drum, where tyres slip.
    pub drum_lag_ms: [f64; 3],
    /// Coverage of intervals for band-mean differences.
    pub coverage: Share,
    /// Estimate less truth of band-mean differences, kW.
    pub bias_kw: Share,
    /// The same against the baseline's second run, last of the day, when oil is as warm as in the sets
    /// between.
    pub bias_again_kw: Share,
    /// Largest error of power against the pull's own truth between 2400 and 6500 rpm, share; and its 95th
    /// percentile.
    pub power_share: [f64; 2],
}

struct Day {
    lags: Vec<(f64, f64)>,
    refused: usize,
    pulls: usize,
    held: f64,
    bias: f64,
    bias_again: f64,
    power: Vec<f64>,
}

fn band_mean(c: &TrueCurve) -> Option<f64> {
    jamjar_core::signal::interp::integral(&c.rpm, &c.power_kw, 3000.0, 6500.0).map(|a| a / 3500.0)
}

/// Runs `days` whole days on the hub dyno and a few on the drum.
///
/// # Errors
/// A sentence when a built-in scenario is broken.
pub fn study(days: usize) -> Result<Whole, String> {
    let subject = Subject::new("first-light")?;
    let hub: Result<Vec<Day>, String> =
        (0..days as u64).into_par_iter().map(|seed| one_day(&subject, 1000 + seed)).collect();
    let hub = hub?;
    let drum = Subject::new("quillet")?;
    let drums: Result<Vec<Vec<f64>>, String> =
        (0..days.div_ceil(10) as u64).into_par_iter().map(|seed| drum_lags(&drum, 2000 + seed)).collect();
    let lags: Vec<(f64, f64)> = hub.iter().flat_map(|d| d.lags.clone()).collect();
    let ratio: Vec<f64> = lags.iter().map(|(e, s)| e / s).collect();
    let mut power: Vec<f64> = hub.iter().flat_map(|d| d.power.clone()).collect();
    power.sort_by(f64::total_cmp);
    Ok(Whole {
        days,
        pulls: hub.iter().map(|d| d.pulls).sum(),
        refused: hub.iter().map(|d| d.refused).sum(),
        lag_ms: three(lags.iter().map(|l| l.0 * 1e3).collect()),
        lag_ratio: three(ratio)[0],
        drum_lag_ms: three(drums?.into_iter().flatten().collect()),
        coverage: Share::clustered(&hub.iter().map(|d| d.held).collect::<Vec<_>>()),
        bias_kw: Share::clustered(&hub.iter().map(|d| d.bias).collect::<Vec<_>>()),
        bias_again_kw: Share::clustered(&hub.iter().map(|d| d.bias_again).collect::<Vec<_>>()),
        power_share: [
            power.last().copied().unwrap_or(f64::NAN),
            power.get(power.len() * 95 / 100).copied().unwrap_or(f64::NAN),
        ],
    })
}

/// Root mean square, 95th percentile and largest of the sizes.
fn three(v: Vec<f64>) -> [f64; 3] {
    let mut size: Vec<f64> = v.iter().map(|x| x.abs()).collect();
    size.sort_by(f64::total_cmp);
    let n = size.len().max(1) as f64;
    let rms = (size.iter().map(|x| x * x).sum::<f64>() / n).sqrt();
    [
        rms,
        size.get(size.len() * 95 / 100).copied().unwrap_or(f64::NAN),
        size.last().copied().unwrap_or(f64::NAN),
    ]
}

fn one_day(subject: &Subject, seed: u64) -> Result<Day, String> {
    let run = subject.loaded.run(Some(seed), None)?;
    let day = &run.days[0];
    let (inputs, measured) = subject.measure(day)?;
    let settings =
        Settings { correction: Correction::None, band_rpm: Some([3000.0, 6500.0]), ..Settings::default() };
    let sets = analyse_sets(&inputs, &measured, &subject.vehicle.engine, &settings);
    let candidates: Vec<usize> = (1..sets.len()).collect();
    let comparisons = compare_all(&sets, 0, &candidates, &subject.vehicle, &settings);
    let mut out = Day {
        lags: Vec::new(),
        refused: 0,
        pulls: 0,
        held: 0.0,
        bias: 0.0,
        bias_again: 0.0,
        power: Vec::new(),
    };
    for (s, m) in day.sets.iter().zip(&measured) {
        for (p, m) in s.pulls.iter().zip(m) {
            out.pulls += 1;
            match (m.alignment.status, m.alignment.lag_s, m.span, p.truth.lag_s) {
                (Status::Aligned, Some(lag), Some(span), Some(truth)) => {
                    let middle = 0.5 * (span.from_s + span.to_s) * p.truth.drift_ppm * 1e-6;
                    out.lags.push((lag - truth - middle, m.alignment.sigma_lag_s.unwrap_or(f64::NAN)));
                }
                _ => out.refused += 1,
            }
            let c = &p.truth.curve;
            let at = |rpm: f64| jamjar_core::signal::interp::linear(&c.rpm, &c.power_kw, rpm);
            let inside =
                m.grid.rpm.iter().zip(&m.grid.power_kw).filter(|(r, _)| (2400.0..=6500.0).contains(*r));
            out.power.extend(inside.filter_map(|(r, p)| Some((p / at(*r)? - 1.0).abs())));
        }
    }
    let n = comparisons.len() as f64;
    for c in &comparisons {
        let (Some(a), Some(b)) = (band_mean(&day.sets[0].truth), band_mean(&day.sets[c.candidate].truth))
        else {
            continue;
        };
        let Some(x) = c.figure(Figure::BandMeanPower) else { continue };
        let held = x.ci95.is_some_and(|ci| ci[0] <= b - a && b - a <= ci[1]);
        out.held += f64::from(u8::from(held)) / n;
        out.bias += (x.mean_difference.unwrap_or(f64::NAN) - (b - a)) / n;
    }
    let last = sets.len() - 1;
    let others: Vec<usize> = (1..last).collect();
    for c in compare_all(&sets, last, &others, &subject.vehicle, &settings) {
        let (Some(a), Some(b)) = (band_mean(&day.sets[last].truth), band_mean(&day.sets[c.candidate].truth))
        else {
            continue;
        };
        let got = c.figure(Figure::BandMeanPower).and_then(|x| x.mean_difference).unwrap_or(f64::NAN);
        out.bias_again += (got - (b - a)) / others.len() as f64;
    }
    Ok(out)
}

fn drum_lags(subject: &Subject, seed: u64) -> Result<Vec<f64>, String> {
    let mut l = subject.loaded.clone();
    l.scenario.day.truncate(1);
    l.scenario.day[0].set.truncate(2);
    let run = l.run(Some(seed), None)?;
    let (_, measured) = subject.measure(&run.days[0])?;
    let pulls = run.days[0].sets.iter().flat_map(|s| &s.pulls).zip(measured.iter().flatten());
    Ok(pulls
        .filter_map(|(p, m)| {
            let span = m.span?;
            let middle = 0.5 * (span.from_s + span.to_s) * p.truth.drift_ppm * 1e-6;
            Some((m.alignment.usable_lag()? - p.truth.lag_s? - middle) * 1e3)
        })
        .collect())
}
