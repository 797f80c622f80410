//! What is fitted, against what was planted: the best angle of a sweep of spark, the cells of a fuel table, the delay
//! of a probe, and cylinders that are equal or not.

use super::Share;
use super::detections::Claim;
use jamjar_core::analysis::{RungSeen, Would, detune, next_rung};
use jamjar_core::fuelling::cells::{Rules, Sample, corrections};
use jamjar_core::fuelling::cylinders::cylinders;
use jamjar_core::fuelling::delay::{fit, lagged};
use jamjar_core::log::Series;
use jamjar_core::maps::{Axis, Table};
use jamjar_core::spark::sweep::{Best, Point, sweep};
use jamjar_core::stats::release::{OnVehicle, release};
use jamjar_sim::Noise;
use rayon::prelude::*;

/// Scatter of a pull's power in a sweep, kW, and curvature of the truth, kW per degree².
const SCATTER_KW: f64 = 0.35;
const CURVATURE: f64 = -0.06;
/// Error planted in a fuel table, share; noise of a probe beside it.
const PLANTED: f64 = 0.04;
const PROBE: f64 = 0.01;

/// Runs every claim over `days` draws.
pub fn study(days: usize) -> Vec<Claim> {
    let seeds = || (0..days as u64).into_par_iter();
    let mbt: Vec<Option<bool>> = seeds().map(best_angle).collect();
    let resolved: Vec<f64> = mbt.iter().flatten().map(|held| f64::from(u8::from(*held))).collect();
    let cells: Vec<f64> = (0..days.div_ceil(20) as u64).into_par_iter().map(table).collect();
    let delays: Vec<f64> = seeds().map(|s| f64::from(u8::from(delay(s)))).collect();
    let (lean, equal): (Vec<f64>, Vec<f64>) =
        seeds().map(|s| (f64::from(u8::from(named(s, 0.015))), f64::from(u8::from(named(s, 0.0))))).unzip();
    let ladders: Vec<Climbed> = seeds().map(|s| climb(s, [-0.001, 0.001])).collect();
    let bent: Vec<Climbed> = seeds().map(|s| climb(s, [0.0, 0.002])).collect();
    let share = |of: fn(&Climbed) -> bool, all: &[Climbed]| {
        Share::clustered(&all.iter().map(|c| f64::from(u8::from(of(c)))).collect::<Vec<_>>())
    };
    let of = |f: fn(u64) -> bool| {
        Share::clustered(&seeds().map(|s| f64::from(u8::from(f(s)))).collect::<Vec<_>>())
    };
    vec![
        Claim {
            name: "the place of a wanted power between two rungs holds the truth",
            planted: "rungs 20 kPa apart, three pulls each, scatter 0.8 kW, 0.3 kW a kPa, straight".into(),
            found: of(|s| placed(s, 0.0)),
            false_alarms: None,
            when_not: "–",
        },
        Claim {
            name: "… and where power bends over the rungs, which no straight line follows",
            planted: "the same, each step 20 % less than the one before".into(),
            found: of(|s| placed(s, 0.0015)),
            false_alarms: None,
            when_not: "–",
        },
        Claim {
            name: "what a revision gained elsewhere holds its gain on the next vehicle",
            planted: "12 % over stock, 1.5 % from vehicle to vehicle, pulls that know each gain to 0.3 to 0.8 %; 3 to 8 vehicles".into(),
            found: of(expected),
            false_alarms: None,
            when_not: "–",
        },
        Claim {
            name: "the bound of a margin at the next rung holds it",
            planted: "ladders of 3 to 6 rungs, three pulls each, scatter 1 to 4, straight or bending either way by up to 4 in 20 kPa over a hundred".into(),
            found: share(|c| c.held, &ladders),
            false_alarms: Some(share(|c| c.missed, &ladders)),
            when_not: "a crossing by more than the caution band of which neither “would” nor “could” was said",
        },
        Claim {
            name: "… and where every ladder bends upward, twice as much",
            planted: "the same; no line follows a bend with the rungs that are there".into(),
            found: share(|c| c.held, &bent),
            false_alarms: Some(share(|c| c.missed, &bent)),
            when_not: "a crossing by more than the caution band of which neither “would” nor “could” was said",
        },
        Claim {
            name: "the interval of the best spark holds it, of those resolved",
            planted: format!(
                "six angles twice each, scatter {SCATTER_KW} kW, {CURVATURE} kW per degree²; {} of {days} resolved",
                resolved.len()
            ),
            found: Share::clustered(&resolved),
            false_alarms: None,
            when_not: "–",
        },
        Claim {
            name: "a cell's confidence holds the error planted there",
            planted: format!(
                "{:.0} % in each cell of 10 × 26, 60 passes, a probe that scatters {:.0} % and wanders; cells with 40 hits in 4 passages",
                100.0 * PLANTED,
                100.0 * PROBE
            ),
            found: Share::clustered(&cells),
            false_alarms: None,
            when_not: "–",
        },
        Claim {
            name: "the delay of a probe is found within 20 ms",
            planted: "40 to 500 ms, lags of 0 to 200 ms, two steps of the target".into(),
            found: Share::clustered(&delays),
            false_alarms: None,
            when_not: "–",
        },
        Claim {
            name: "a cylinder that is lean by 0.015 λ is named",
            planted: "four cylinders in four pulls, scatter 0.004 λ".into(),
            found: Share::clustered(&lean),
            false_alarms: Some(Share::clustered(&equal)),
            when_not: "a spread named among equal cylinders",
        },
    ]
}

/// Whether the bound of a planted ladder held, and whether a crossing was missed.
struct Climbed {
    held: bool,
    missed: bool,
}

/// Caution band of the planted ladders' limit.
const BAND: f64 = 10.0;

fn climb(seed: u64, bends: [f64; 2]) -> Climbed {
    let mut noise = Noise::new(seed, "ladder");
    let mut between = |a: f64, b: f64| a + (b - a) * noise.uniform();
    let (slope, bend, s) = (between(0.2, 1.2), between(bends[0], bends[1]), between(1.0, 4.0));
    let rungs = 3 + (seed % 4) as usize;
    let truth = |x: f64| -120.0 + slope * (x - 50.0) + bend * (x - 50.0).powi(2);
    let at = |r: usize| 60.0 + 20.0 * r as f64;
    let mut rung =
        |r: usize| RungSeen { at: at(r), excess: (0..3).map(|_| truth(at(r)) + noise.normal(s)).collect() };
    let seen: Vec<RungSeen> = (0..rungs).map(&mut rung).collect();
    let next = at(rungs);
    // Every planted ladder has rungs, scatter and a step no larger than the last.
    let Ok(f) = next_rung(&seen, next, BAND) else { return Climbed { held: false, missed: true } };
    let said = matches!(f.would, Would::Cross | Would::PerhapsCross);
    Climbed { held: f.bound >= truth(next), missed: truth(next) > BAND && !said }
}

/// Whether the interval of a wanted power holds the place that truly makes it.
fn placed(seed: u64, bend: f64) -> bool {
    let mut noise = Noise::new(seed, "detune");
    let truth = |x: f64| 100.0 + 0.3 * (x - 60.0) - bend * (x - 60.0).powi(2);
    let at = [60.0, 80.0, 100.0];
    let pulls: Vec<Vec<f64>> =
        at.iter().map(|x| (0..3).map(|_| truth(*x) + noise.normal(0.8)).collect()).collect();
    let rungs: Vec<(f64, &[f64])> = at.iter().copied().zip(pulls.iter().map(Vec::as_slice)).collect();
    let place = 64.0 + 32.0 * noise.uniform();
    match detune(&rungs, truth(place)) {
        // An end that is cut off at a rung lies at it or beyond.
        Ok(d) => {
            d.interval.is_some_and(|[low, high]| (place >= low || d.open[0]) && (place <= high || d.open[1]))
        }
        Err(_) => false,
    }
}

/// Whether the gain on one more vehicle lies where those on others let expect it.
fn expected(seed: u64) -> bool {
    let mut noise = Noise::new(seed, "release");
    let mut one = || {
        let sd = 0.3 + 0.5 * noise.uniform();
        OnVehicle { percent: 12.0 + noise.normal(1.5) + noise.normal(sd), variance: sd * sd }
    };
    let others: Vec<OnVehicle> = (0..3 + seed % 6).map(|_| one()).collect();
    let next = one();
    release(&others).is_some_and(|r| {
        let [low, high] = r.expected(next.variance);
        (low..=high).contains(&next.percent)
    })
}

/// Whether the interval holds the best angle; `None` where nothing is resolved.
fn best_angle(seed: u64) -> Option<bool> {
    let mut noise = Noise::new(seed, "best spark");
    let vertex = 16.0 + 4.0 * noise.uniform();
    let angles = (0..12).map(|i| 12.0 + 2.0 * f64::from(i / 2));
    let point = |deg: f64| Point {
        spark_deg: deg,
        value: 110.0 + CURVATURE * (deg - vertex).powi(2) + noise.normal(SCATTER_KW),
        retard_deg: 0.0,
    };
    let s = sweep(&angles.map(point).collect::<Vec<_>>()).ok()?;
    let [low, high] = s.fit.filter(|_| s.best != Best::NotResolved)?.vertex_ci95?;
    Some((low..=high).contains(&vertex))
}

/// Share of the well-visited cells whose confidence holds what was planted.
fn table(seed: u64) -> f64 {
    let mut noise = Noise::new(seed, "cells");
    let x: Vec<f64> = (0..10).map(|i| 1000.0 + 600.0 * f64::from(i)).collect();
    let y: Vec<f64> = (0..26).map(|i| 20.0 + 8.0 * f64::from(i)).collect();
    let axis = |at: &[f64]| Axis { channel: "x".into(), unit: String::new(), at: at.to_vec() };
    let rows = (0..26).map(|_| (0..10).map(|_| 1.0 + noise.normal(PLANTED)).collect()).collect();
    let truth = Table { name: String::new(), unit: String::new(), x: axis(&x), y: Some(axis(&y)), rows };
    let mut samples = Vec::new();
    for pull in 0..60 {
        let (a, b) = (noise.uniform(), noise.uniform());
        let mut wander = 0.0;
        for i in 0..300 {
            let s = f64::from(i) / 299.0;
            let (px, py) = (x[0] + (x[9] - x[0]) * s, y[0] + (y[25] - y[0]) * (a + (b - a) * s));
            wander = 0.8 * wander + noise.normal(0.6);
            let ratio = truth.at(px, py) * (1.0 + PROBE * wander);
            samples.push(Sample { x: px, y: py, ratio, t: f64::from(i) * 0.05, pull });
        }
    }
    let Ok(c) = corrections(&x, &y, &samples, &Rules::default()) else { return 0.0 };
    let planted = truth.rows.iter().flatten();
    let well = c.cells.iter().zip(planted).filter(|(c, _)| c.hits >= 40.0 && c.visits >= 4);
    let held: Vec<bool> = well.filter_map(|(c, t)| Some((c.factor? - t).abs() <= c.half_width?)).collect();
    held.iter().filter(|h| **h).count() as f64 / held.len().max(1) as f64
}

fn delay(seed: u64) -> bool {
    let mut noise = Noise::new(seed, "delay");
    let (late, lag) = (0.04 + 0.46 * noise.uniform(), 0.2 * noise.uniform());
    let t: Vec<f64> = (0..600).map(|i| f64::from(i) * 0.02).collect();
    let v = t.iter().map(|t| if (4.0..8.0).contains(t) { 0.82 } else { 0.95 }).collect();
    let target = Series { t: t.clone(), v };
    let behind = lagged(&target, lag);
    let v = t.iter().map(|t| behind.at((t - late).max(0.0)).unwrap_or(0.95) + noise.normal(0.004)).collect();
    fit(&target, &Series { t, v }).is_some_and(|f| (f.delay_s - late).abs() <= 0.02)
}

/// Whether a spread is named of cylinders one of which is lean by so much.
fn named(seed: u64, lean: f64) -> bool {
    let mut noise = Noise::new(seed, "cylinders");
    let pulls: Vec<Vec<Option<f64>>> = (0..4)
        .map(|_| {
            let shared = noise.normal(0.01);
            (0..4)
                .map(|c| Some(0.85 + shared + noise.normal(0.004) + if c == 1 { lean } else { 0.0 }))
                .collect()
        })
        .collect();
    cylinders(&pulls).and_then(|c| c.is_named()).unwrap_or(false)
}
