//! What the recording of a pull can carry: how coarse its steps are, and whether it is a copy of another.

use crate::log::Recording;
use crate::pull::dyno::DynoKind;
use crate::pull::shaft::{shaft_speed, torque};
use crate::pull::span::PullSpan;
use crate::signal::median::in_order;

/// Coarsest step of power as a share of it, and a fingerprint of the samples.
///
/// # Formula
/// `share = max(δ_T/max|T|, δ_n/max|n|)`; on an inertia drum `share = δ_n/(|n'|·max(w, 0.25 s))`.
///
/// where
/// - `δ_T`, `δ_n`: smallest difference of any two values of torque, N·m, and of shaft speed, rpm, whenever they were
///   recorded: from one sample to the next a ramp moves by more than its last digit;
/// - `T`, `n`: torque and shaft speed of the pull; `n'`: its mean rate, rpm/s; `w`: the filter window, s.
///
/// A figure cannot scatter by less than `share/√12` (uniform rounding) unless its pulls are one recording
/// (domain, section 4; that it is taken at high load is our choice).
pub(super) fn carried(
    log: &Recording,
    span: &PullSpan,
    kind: DynoKind,
    window_s: f64,
) -> (Option<f64>, Option<u64>) {
    let Some(speed) = shaft_speed(log, None).map(|s| s.between(span.from_s, span.to_s)) else {
        return (None, None);
    };
    let load = if kind == DynoKind::RollerInertia {
        None
    } else {
        torque(log, kind).ok().or_else(|| log.series("power")).map(|s| s.between(span.from_s, span.to_s))
    };
    let share = |v: &[f64], of: Option<f64>| Some(grain(v)? / of.filter(|o| *o > 0.0)?);
    let high = |v: &[f64]| v.iter().copied().map(f64::abs).reduce(f64::max);
    let by_speed = if load.is_some() {
        share(&speed.v, high(&speed.v))
    } else {
        share(&speed.v, Some(span.rate.abs() * window_s.max(0.25)))
    };
    let by_torque = load.as_ref().and_then(|q| share(&q.v, high(&q.v)));
    let step = [by_speed, by_torque].into_iter().flatten().reduce(f64::max);
    // FNV-1a over the bits: a copy has the same ones whatever its file or clock is called.
    let all = speed.v.iter().chain(load.iter().flat_map(|q| &q.v));
    let print = all.fold(0xcbf2_9ce4_8422_2325_u64, |h, v| (h ^ v.to_bits()).wrapping_mul(0x0100_0000_01b3));
    (step, (!speed.is_empty()).then_some(print))
}

/// Smallest difference of any two values; `None` when there is one value alone.
fn grain(v: &[f64]) -> Option<f64> {
    let all = in_order(v.iter().copied().filter(|x| x.is_finite()));
    let real = |w: &&[f64]| w[1] - w[0] > 1e-9 * w[1].abs().max(1e-6);
    all.windows(2).filter(real).map(|w| w[1] - w[0]).reduce(f64::min)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ramp_is_recorded_as_finely_as_its_digits_and_not_as_its_samples_lie_apart() {
        let digits = |d: f64| -> Vec<f64> {
            (0..300)
                .map(|i| {
                    ((500.0 + 6.137 * f64::from(i) + 0.31 * f64::from(i * i * 37 % 101)) / d).round() * d
                })
                .collect()
        };
        for d in [1.0, 0.1] {
            let g = grain(&digits(d)).unwrap();
            assert!((g / d - 1.0).abs() < 1e-6, "{d}: {g}");
        }
        // Fine digits: the samples lie six apart, and some of them still come near to each other.
        assert!(grain(&digits(1e-6)).unwrap() < 0.6);
        assert_eq!((grain(&[3.0, 3.0]), grain(&[])), (None, None));
    }
}
