//! Corrections against errors that were planted, and what must stay as it is.

use super::*;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{Distribution, StandardNormal, Uniform};

fn axis(n: usize, from: f64, step: f64) -> Vec<f64> {
    (0..n).map(|i| from + step * i as f64).collect()
}

/// Passes through a table with an error planted in its cells: each pass wanders, noise goes together in it.
fn passes(x: &[f64], y: &[f64], planted: &[f64], n: usize, seed: u64) -> Vec<Sample> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let (mut out, within) = (Vec::new(), Uniform::new(0.0, 1.0).unwrap());
    let table = crate::maps::Table {
        name: String::new(),
        unit: String::new(),
        x: Axis { channel: String::new(), unit: String::new(), at: x.to_vec() },
        y: Some(Axis { channel: String::new(), unit: String::new(), at: y.to_vec() }),
        rows: planted.chunks(x.len()).map(<[f64]>::to_vec).collect(),
    };
    for pull in 0..n {
        let (x0, x1) = (x[0], x[x.len() - 1]);
        let (a, b): (f64, f64) = (within.sample(&mut rng), within.sample(&mut rng));
        let at = |s: f64| y[0] + (y[y.len() - 1] - y[0]) * s;
        let mut e = 0.0;
        for i in 0..300 {
            let s = f64::from(i) / 299.0;
            let (px, py) = (x0 + (x1 - x0) * s, at(a + (b - a) * s));
            let z: f64 = StandardNormal.sample(&mut rng);
            e = 0.8 * e + 0.6 * z;
            out.push(Sample {
                x: px,
                y: py,
                ratio: table.at(px, py) * (1.0 + 0.01 * e),
                t: f64::from(i) * 0.05,
                pull: pull as u32,
            });
        }
    }
    out
}

#[test]
fn a_planted_error_comes_back_within_the_confidence_stated() {
    let (x, y) = (axis(10, 1000.0, 600.0), axis(26, 20.0, 8.0));
    let mut rng = ChaCha8Rng::seed_from_u64(4);
    let (mut inside, mut all) = (0, 0);
    for seed in 0..6 {
        let planted: Vec<f64> = (0..260)
            .map(|_| {
                let z: f64 = StandardNormal.sample(&mut rng);
                1.0 + 0.04 * z
            })
            .collect();
        let c = corrections(&x, &y, &passes(&x, &y, &planted, 60, seed), &Rules::default()).unwrap();
        for (cell, truth) in c.cells.iter().zip(&planted).filter(|(c, _)| c.hits >= 40.0 && c.visits >= 4) {
            all += 1;
            inside += u32::from((cell.factor.unwrap() - truth).abs() <= cell.half_width.unwrap());
        }
    }
    let share = f64::from(inside) / f64::from(all);
    assert!(all > 600 && (0.90..=0.995).contains(&share), "{share} of {all}");
}

#[test]
fn what_was_not_visited_or_barely_is_untouched_and_a_step_is_held() {
    let (x, y) = (axis(4, 1000.0, 1000.0), axis(3, 50.0, 50.0));
    let at = |x: f64, y: f64, ratio: f64, n: usize| {
        (0..n).map(move |i| Sample {
            x,
            y,
            ratio,
            t: i as f64 * 0.05 + f64::from(i as u32 / 20) * 9.0,
            pull: 0,
        })
    };
    let samples: Vec<Sample> = at(2000.0, 100.0, 1.30, 100)
        .chain(at(1000.0, 50.0, 1.04, 100))
        .chain(at(4000.0, 150.0, 1.20, 3))
        .chain([Sample { x: 1.0, y: f64::NAN, ratio: 1.0, t: 0.0, pull: 0 }])
        .collect();
    let c = corrections(&x, &y, &samples, &Rules::default()).unwrap();
    let cell = |i: usize, j: usize| c.cells[j * 4 + i];
    assert_eq!((cell(1, 1).said, cell(1, 1).apply), (Cell::Clamped, 1.10));
    assert!((cell(1, 1).factor.unwrap() - 1.30).abs() < 1e-6 && cell(1, 1).visits == 5);
    assert_eq!((cell(3, 2).said, cell(3, 2).apply), (Cell::TooFew, 1.0));
    assert_eq!((cell(0, 2).said, cell(0, 2).factor, cell(0, 2).apply), (Cell::Unvisited, None, 1.0));
    assert!((cell(0, 0).apply - 1.04).abs() < 1e-6);
    assert_eq!((c.samples, c.left_out), (203, 1));
    let careful = Rules { only_shown: true, ..Rules::default() };
    let noisy: Vec<Sample> = (0..200)
        .map(|i| Sample {
            x: 2000.0,
            y: 100.0,
            ratio: if i % 40 < 20 { 1.02 } else { 0.99 },
            t: f64::from(i) * 0.05 + f64::from(i / 20) * 9.0,
            pull: i / 20,
        })
        .collect();
    let c = corrections(&x, &y, &noisy, &careful).unwrap();
    assert_eq!(c.cells[5].said, Cell::NotShown, "{:?}", c.cells[5]);
}

#[test]
fn a_table_takes_the_factors_wherever_its_places_are() {
    let (x, y) = (axis(2, 1000.0, 4000.0), axis(2, 50.0, 100.0));
    let samples: Vec<Sample> = x
        .iter()
        .flat_map(|x| y.iter().map(move |y| (*x, *y)))
        .flat_map(|(x, y)| {
            (0..50).map(move |i| Sample {
                x,
                y,
                ratio: if x > 2000.0 { 1.1 } else { 1.0 },
                t: f64::from(i),
                pull: 0,
            })
        })
        .collect();
    let c = corrections(&x, &y, &samples, &Rules { clamp: 0.2, ..Rules::default() }).unwrap();
    let table = crate::maps::Table {
        name: "fuel".into(),
        unit: "ms".into(),
        x: Axis {
            channel: "engine_speed".into(),
            unit: "rpm".into(),
            at: vec![1000.0, 3000.0, 5000.0, 7000.0],
        },
        y: None,
        rows: vec![vec![10.0; 4]],
    };
    let after = c.applied(&table).rows.remove(0);
    for (got, want) in after.iter().zip([10.0, 10.5, 11.0, 11.0]) {
        assert!((got - want).abs() < 1e-3, "{after:?}");
    }
}

#[test]
fn axes_that_do_not_ascend_and_no_samples_are_refused() {
    let ok = [1.0, 2.0];
    assert_eq!(
        corrections(&[2.0, 1.0], &ok, &[], &Rules::default()),
        Err(CellError::Axis { axis: "axis along a row" })
    );
    assert_eq!(corrections(&ok, &ok, &[], &Rules::default()), Err(CellError::NoSamples));
    let (x, y) = (axis(64, 0.0, 1.0), axis(65, 0.0, 1.0));
    assert_eq!(corrections(&x, &y, &[], &Rules::default()), Err(CellError::TooLarge { cells: 64 * 65 }));
}
