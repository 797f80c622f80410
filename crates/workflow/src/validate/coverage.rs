//! Do 95 % intervals hold the truth 95 % of the time? Many days: true curves of the simulated configurations,
//! with scatter of pulls, scatter between mountings and noise along the curve added, through the very code
//! that makes the intervals.

use super::{Share, Subject};
use jamjar_core::analysis::{Figure, Measured, RawGrid, SetInput, Settings, analyse_sets, compare_all};
use jamjar_core::correction::Correction;
use jamjar_sim::{Noise, SimSet};
use rayon::prelude::*;

/// Scatter of a pull, as a share of power: the demo's.
pub(super) const PULL: f64 = 0.0045;
/// Standard deviation of what a recorder's noise leaves along a filtered curve, kW, and how far it reaches,
/// rpm.
const ALONG: (f64, f64) = (0.12, 150.0);
/// Band of the mean power, rpm.
const BAND: [f64; 2] = [3000.0, 6500.0];

/// A way of running a day.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Design {
    /// Words.
    pub name: &'static str,
    /// Pulls of each set.
    pub pulls: usize,
    /// Scatter between mountings, as a share of that of a pull.
    pub mounting: f64,
    /// How many configurations are run again, from the baseline on.
    pub again: usize,
}

/// The designs studied.
pub const DESIGNS: [Design; 11] = [
    Design {
        name: "3 pulls a set, no scatter between mountings, nothing run again",
        pulls: 3,
        mounting: 0.0,
        again: 0,
    },
    Design {
        name: "3 pulls a set, no scatter between mountings, baseline run again",
        pulls: 3,
        mounting: 0.0,
        again: 1,
    },
    Design {
        name: "2 pulls a set, no scatter between mountings, nothing run again",
        pulls: 2,
        mounting: 0.0,
        again: 0,
    },
    Design {
        name: "3 pulls a set, mountings scatter half as much as pulls, nothing run again",
        pulls: 3,
        mounting: 0.5,
        again: 0,
    },
    Design {
        name: "3 pulls a set, mountings scatter half as much as pulls, baseline run again",
        pulls: 3,
        mounting: 0.5,
        again: 1,
    },
    Design {
        name: "3 pulls a set, mountings scatter half as much as pulls, three sets run again",
        pulls: 3,
        mounting: 0.5,
        again: 3,
    },
    Design {
        name: "3 pulls a set, mountings scatter as much as pulls, baseline run again",
        pulls: 3,
        mounting: 1.0,
        again: 1,
    },
    Design {
        name: "3 pulls a set, mountings scatter as much as pulls, three sets run again",
        pulls: 3,
        mounting: 1.0,
        again: 3,
    },
    Design {
        name: "3 pulls a set, mountings scatter twice as much as pulls, nothing run again",
        pulls: 3,
        mounting: 2.0,
        again: 0,
    },
    Design {
        name: "3 pulls a set, mountings scatter twice as much as pulls, baseline run again",
        pulls: 3,
        mounting: 2.0,
        again: 1,
    },
    Design {
        name: "3 pulls a set, mountings scatter twice as much as pulls, three sets run again",
        pulls: 3,
        mounting: 2.0,
        again: 3,
    },
];

/// What was found for a design.
#[derive(Debug, Clone)]
#[allow(missing_docs)]
pub struct Coverage {
    pub design: Design,
    pub peak: Share,
    pub band_mean: Share,
    /// Days on which every family-wise interval held at once.
    pub family: Share,
    /// Comparisons whose simultaneous band held along the whole curve.
    pub curve: Share,
    /// Mean of estimate less truth of peak differences, kW, with its standard error.
    pub bias_kw: Share,
    /// Mean half-width of the peak's interval, kW.
    pub half_kw: f64,
}

/// True curves of the configurations, and a pull that carries them.
pub(super) struct Truth {
    pub(super) raw: Vec<RawGrid>,
    template: Measured,
    pub(super) inputs: Vec<SetInput>,
}

/// The truth of the built-in day.
pub(super) fn truth(subject: &Subject) -> Result<Truth, String> {
    let run = subject.loaded.run(Some(1), Some(0.0))?;
    let mut day = run.days[0].clone();
    day.sets.truncate(6);
    let (inputs, measured) = subject.measure(&day)?;
    Ok(Truth { raw: day.sets.iter().map(raw_of).collect(), template: measured[0][0].clone(), inputs })
}

/// Runs every design over `days` days.
///
/// # Errors
/// A sentence when the built-in scenario is broken.
pub fn study(days: usize) -> Result<Vec<Coverage>, String> {
    let subject = Subject::new("first-light")?;
    let truth = truth(&subject)?;
    Ok(DESIGNS.iter().map(|d| one(&subject, &truth, *d, days)).collect())
}

/// The true curve of a set as a measured grid.
fn raw_of(s: &SimSet) -> RawGrid {
    let t = &s.truth;
    let n = t.rpm.len();
    RawGrid {
        rpm: t.rpm.clone(),
        power_kw: t.power_kw.clone(),
        torque_nm: t
            .rpm
            .iter()
            .zip(&t.power_kw)
            .map(|(r, p)| p * 30_000.0 / (std::f64::consts::PI * r))
            .collect(),
        edge: vec![false; n],
        time_s: (0..n).map(|i| i as f64 * 0.085).collect(),
        ..RawGrid::default()
    }
}

struct Day {
    peak: f64,
    band_mean: f64,
    family: f64,
    curve: f64,
    bias: f64,
    half: f64,
}

fn one(subject: &Subject, truth: &Truth, design: Design, days: usize) -> Coverage {
    let results: Vec<Day> =
        (0..days as u64).into_par_iter().map(|seed| one_day(subject, truth, design, seed)).collect();
    let of = |pick: fn(&Day) -> f64| Share::clustered(&results.iter().map(pick).collect::<Vec<_>>());
    Coverage {
        design,
        peak: of(|d| d.peak),
        band_mean: of(|d| d.band_mean),
        family: of(|d| d.family),
        curve: of(|d| d.curve),
        bias_kw: of(|d| d.bias),
        half_kw: of(|d| d.half).value,
    }
}

fn one_day(subject: &Subject, truth: &Truth, design: Design, seed: u64) -> Day {
    let mut noise = Noise::new(seed, design.name);
    let (mut inputs, mut measured) = (Vec::new(), Vec::new());
    let order = (0..truth.raw.len()).chain(0..design.again);
    for (k, which) in order.enumerate() {
        let mounting = 1.0 + noise.normal(design.mounting * PULL);
        let pulls: Vec<Measured> = (0..design.pulls)
            .map(|_| pull(truth, which, mounting * (1.0 + noise.normal(PULL)), &mut noise))
            .collect();
        inputs.push(SetInput { id: k.to_string(), pulls: Vec::new(), ..truth.inputs[which].clone() });
        measured.push(pulls);
    }
    let settings = Settings { correction: Correction::None, band_rpm: Some(BAND), ..Settings::default() };
    let sets = analyse_sets(&inputs, &measured, &subject.vehicle.engine, &settings);
    let candidates: Vec<usize> = (1..truth.raw.len()).collect();
    let comparisons = compare_all(&sets, 0, &candidates, &subject.vehicle, &settings);
    let true_value =
        |which: usize, f: Figure| f.of(&truth.raw[which].curve().figures(Some(BAND))).unwrap_or(f64::NAN);
    let n = comparisons.len() as f64;
    let mut day = Day { peak: 0.0, band_mean: 0.0, family: 1.0, curve: 0.0, bias: 0.0, half: 0.0 };
    for c in &comparisons {
        for (f, total) in [(Figure::PeakPower, &mut day.peak), (Figure::BandMeanPower, &mut day.band_mean)] {
            let Some(x) = c.figure(f) else { continue };
            let want = true_value(c.candidate, f) - true_value(0, f);
            let held = |ci: Option<[f64; 2]>| ci.is_some_and(|ci| ci[0] <= want && want <= ci[1]);
            *total += f64::from(u8::from(held(x.ci95))) / n;
            if f == Figure::PeakPower {
                day.bias += (x.mean_difference.unwrap_or(f64::NAN) - want) / n;
                day.half += x.ci95.map_or(f64::NAN, |ci| (ci[1] - ci[0]) / 2.0) / n;
                if !held(x.ci95_family) {
                    day.family = 0.0;
                }
            }
        }
        let holds = c.power.curve.rpm.iter().zip(&c.power.curve.gain).zip(&c.power.curve.half).all(
            |((rpm, gain), half)| {
                let i = truth.raw[0].rpm.iter().position(|r| (r - rpm).abs() < 1e-6);
                i.is_none_or(|i| {
                    (gain - (truth.raw[c.candidate].power_kw[i] - truth.raw[0].power_kw[i])).abs() <= *half
                })
            },
        );
        day.curve += f64::from(u8::from(holds && !c.power.curve.half.is_empty())) / n;
    }
    day
}

/// One pull: the true curve scaled, with noise that lives a few grid steps.
pub(super) fn pull(truth: &Truth, which: usize, scale: f64, noise: &mut Noise) -> Measured {
    let mut grid = truth.raw[which].clone();
    let rho = (-50.0 / ALONG.1).exp();
    let mut e = noise.normal(ALONG.0);
    for (p, (t, rpm)) in grid.power_kw.iter_mut().zip(grid.torque_nm.iter_mut().zip(&grid.rpm)) {
        e = rho * e + (1.0 - rho * rho).sqrt() * noise.normal(ALONG.0);
        *p = *p * scale + e;
        *t = *p * 30_000.0 / (std::f64::consts::PI * rpm);
    }
    // Each is a recording of its own, not a copy of the template.
    Measured { grid, excluded: None, print: None, step_share: None, ..truth.template.clone() }
}
