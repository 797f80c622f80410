//! Injectors: flow at another pressure, dead time, duty and pump flow on another blend, and fuel against air.

use crate::bounds::OutOfRange;
use crate::calculators::fuel::{Fuel, ethanol_blend};
use serde::Serialize;

/// Flow of an injector at another pressure.
///
/// # Formula
/// `Q = Q0·√(Δp/Δp0)`
///
/// where
/// - `Q0`: flow at `Δp0`, in any unit; `Δp`: fuel pressure less manifold pressure, kPa (Bernoulli; domain, section 7).
///
/// `None` where nothing flows.
///
/// ```
/// use jamjar_core::fuelling::injector::flow_at;
/// assert_eq!(flow_at(440.0, 300.0, 300.0), Some(440.0));
/// assert!((flow_at(440.0, 300.0, 432.0).unwrap() - 528.0).abs() < 1e-9);
/// assert_eq!(flow_at(440.0, 300.0, -5.0), None);
/// ```
pub fn flow_at(flow: f64, at_kpa: f64, now_kpa: f64) -> Option<f64> {
    (flow > 0.0 && at_kpa > 0.0 && now_kpa > 0.0).then(|| flow * (now_kpa / at_kpa).sqrt())
}

/// What another blend asks of injectors and pump.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct OnBlend {
    /// Volume of the new blend for one of that in use, at equal air and λ.
    pub ratio: f64,
    /// Pulse width, ms.
    pub pulse_ms: f64,
    /// Share of the cycle the injector is open, %.
    pub duty_percent: f64,
    /// Volume flow of the pump for one of that in use.
    pub pump_ratio: f64,
}

/// Duty and pump flow on another blend, from a pulse in the one that is in use.
///
/// # Formula
/// `PW' = d + (PW − d)·r`, `duty' = PW'·n·z/600`, `r = r(e')/r(e)`
///
/// where
/// - `PW`: pulse width, ms; `d`: dead time, ms; `n`: engine speed, rpm; `z`: injections per revolution;
/// - `r(e)`: volume of a blend for one of gasoline at equal air and λ, by [`ethanol_blend`] (domain, section 6).
///
/// # Errors
/// [`OutOfRange`] for a share of ethanol outside 0 to 1.
pub fn on_blend(
    pulse_ms: f64,
    dead_ms: f64,
    rpm: f64,
    per_rev: f64,
    [now, then]: [f64; 2],
) -> Result<OnBlend, OutOfRange> {
    let fuels = [Fuel::from(ethanol_blend(now)?), ethanol_blend(then)?.into()];
    Ok(on_fuel(pulse_ms, dead_ms, rpm, per_rev, fuels))
}

/// Duty and pump flow on another fuel: [`on_blend`] for fuels of any kind, `r` by [`Fuel::volume_flow`].
pub fn on_fuel(pulse_ms: f64, dead_ms: f64, rpm: f64, per_rev: f64, [now, then]: [Fuel; 2]) -> OnBlend {
    let ratio = then.volume_flow() / now.volume_flow();
    let pulse = dead_ms + (pulse_ms - dead_ms).max(0.0) * ratio;
    OnBlend { ratio, pulse_ms: pulse, duty_percent: pulse * rpm * per_rev / 600.0, pump_ratio: ratio }
}

/// Fuel that injectors should have given against what the air asks for.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct CrossCheck {
    /// By pulse width, g/s.
    pub by_injector_g_s: f64,
    /// By air and λ, g/s.
    pub by_air_g_s: f64,
    /// The first over the second.
    pub ratio: f64,
}

/// Mass of fuel by two ways.
///
/// # Formula
/// `ṁ_inj = N·Q·ρ·(PW − d)·n·z/60000`, `ṁ_air = ṁ_a/(λ·AFR_st)`
///
/// where
/// - `N`: injectors; `Q`: flow, mL/min at the pressure there is; `ρ`: kg/L; `PW`, `d`: ms; `n`: rpm;
/// - `z`: injections per revolution; `ṁ_a`: air, g/s; `AFR_st`: by mass (domain, section 7).
///
/// ```
/// use jamjar_core::fuelling::injector::{Injection, cross_check};
/// let i = Injection { injectors: 4.0, flow_ml_min: 500.0, density_kg_l: 0.75, dead_ms: 1.0, per_rev: 0.5 };
/// let c = cross_check(&i, 11.0, 6000.0, 176.4, 0.8, 14.7).unwrap();
/// assert!((c.by_injector_g_s - 12.5).abs() < 1e-9 && (c.by_air_g_s - 15.0).abs() < 1e-9);
/// ```
pub fn cross_check(
    i: &Injection,
    pulse_ms: f64,
    rpm: f64,
    air_g_s: f64,
    lambda: f64,
    stoich_afr: f64,
) -> Option<CrossCheck> {
    // A share of a minute open, times millilitres a minute, times grams a millilitre, in a second.
    let open = (pulse_ms - i.dead_ms).max(0.0) * rpm * i.per_rev / 60_000.0;
    let by_injector = i.injectors * i.flow_ml_min * i.density_kg_l * open / 60.0;
    let by_air = air_g_s / (lambda * stoich_afr);
    let ratio = by_injector / by_air;
    (ratio.is_finite() && ratio > 0.0).then_some(CrossCheck {
        by_injector_g_s: by_injector,
        by_air_g_s: by_air,
        ratio,
    })
}

/// Injectors of an engine.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Injection {
    /// How many.
    pub injectors: f64,
    /// Flow of one, mL/min, at the pressure there is.
    pub flow_ml_min: f64,
    /// Density of the fuel, kg/L.
    pub density_kg_l: f64,
    /// Dead time, ms.
    pub dead_ms: f64,
    /// Injections per crank revolution.
    pub per_rev: f64,
}

/// A change of injectors.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Swap {
    /// Flow of the old and of the new one, in one unit, each at its own pressure.
    pub flow: [f64; 2],
    /// Pressure across each at which that flow holds, kPa.
    pub flow_at_kpa: [f64; 2],
    /// Pressure across each in the engine, kPa.
    pub pressure_kpa: [f64; 2],
    /// Dead time of each at working voltage, ms.
    pub dead_ms: [f64; 2],
}

impl Swap {
    /// Flow of the new for one of the old, in the engine; `None` where one does not flow.
    ///
    /// # Formula
    /// `k = Q1·√(Δp1/Δp1_0) / (Q0·√(Δp0/Δp0_0))` (domain, section 7).
    pub fn flow_ratio(&self) -> Option<f64> {
        let at = |i: usize| flow_at(self.flow[i], self.flow_at_kpa[i], self.pressure_kpa[i]);
        Some(at(1)? / at(0)?)
    }

    /// The pulse that gives as much fuel through the new one.
    ///
    /// # Formula
    /// `PW1 = d1 + (PW0 − d0)/k` (domain, section 7); a pulse no longer than its dead time stays one.
    ///
    /// ```
    /// use jamjar_core::fuelling::injector::Swap;
    /// let s = Swap { flow: [440.0, 880.0], flow_at_kpa: [300.0; 2], pressure_kpa: [300.0; 2], dead_ms: [1.0, 0.8] };
    /// assert_eq!(s.pulse(9.0), Some(4.8));
    /// ```
    pub fn pulse(&self, old_ms: f64) -> Option<f64> {
        Some(self.dead_ms[1] + (old_ms - self.dead_ms[0]).max(0.0) / self.flow_ratio()?)
    }
}

/// How far fuel pressure fell below what it was held at, and where.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Sag {
    /// Median of the first tenth of the pull, kPa across the injector.
    pub held_kpa: f64,
    /// Lowest, kPa.
    pub lowest_kpa: f64,
    /// Share lost.
    pub share: f64,
    /// When, s.
    pub at_s: f64,
}

/// Sag of fuel pressure less manifold pressure over a pull, both on one clock, in order of time; `None` below ten
/// samples.
///
/// # Formula
/// `sag = 1 − min(Δp)/median(first tenth of Δp)` over a running median of five samples (our choice: one sample is noise).
pub fn sag(t: &[f64], across_kpa: &[f64]) -> Option<Sag> {
    let n = t.len().min(across_kpa.len());
    if n < 10 {
        return None;
    }
    let mut first = across_kpa[..(n / 10).max(5)].to_vec();
    let held = crate::signal::median::median_in_place(&mut first);
    let middle = |i: usize| crate::signal::median::median_in_place(&mut across_kpa[i..i + 5].to_vec());
    let (i, lowest) = (0..=n - 5).map(|i| (i, middle(i))).min_by(|a, b| a.1.total_cmp(&b.1))?;
    (held > 0.0).then(|| Sag {
        held_kpa: held,
        lowest_kpa: lowest,
        share: 1.0 - lowest / held,
        at_s: t[i + 2],
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ethanol_lengthens_the_pulse_but_not_the_dead_time() {
        let b = on_blend(9.0, 1.0, 6000.0, 0.5, [0.05, 0.85]).unwrap();
        assert!(b.ratio > 1.3 && b.ratio < 1.5, "{b:?}");
        assert!((b.pulse_ms - (1.0 + 8.0 * b.ratio)).abs() < 1e-12);
        assert!((b.duty_percent - b.pulse_ms * 6000.0 / 1200.0).abs() < 1e-9);
        let back = on_blend(b.pulse_ms, 1.0, 6000.0, 0.5, [0.85, 0.05]).unwrap();
        assert!((back.pulse_ms - 9.0).abs() < 1e-9);
        assert!(on_blend(9.0, 1.0, 6000.0, 0.5, [0.0, 1.2]).is_err());
    }

    #[test]
    fn another_injector_gives_as_much_at_its_own_pressure() {
        let s = Swap {
            flow: [440.0, 440.0],
            flow_at_kpa: [300.0, 300.0],
            pressure_kpa: [300.0, 400.0],
            dead_ms: [1.0, 1.0],
        };
        let k = s.flow_ratio().unwrap();
        assert!((k - (4.0_f64 / 3.0).sqrt()).abs() < 1e-12);
        assert!((s.pulse(11.0).unwrap() - (1.0 + 10.0 / k)).abs() < 1e-12);
        assert_eq!(s.pulse(0.5), Some(1.0), "below its dead time nothing was injected");
        assert_eq!(Swap { pressure_kpa: [300.0, 0.0], ..s }.pulse(9.0), None);
    }

    #[test]
    fn pressure_that_falls_is_found_and_one_sample_is_none() {
        let t: Vec<f64> = (0..200).map(|i| f64::from(i) * 0.05).collect();
        let mut p: Vec<f64> =
            (0..200).map(|i| if i < 120 { 300.0 } else { 300.0 - 0.5 * f64::from(i - 120) }).collect();
        p[40] = 100.0;
        p[41] = 500.0;
        let s = sag(&t, &p).unwrap();
        assert!((s.held_kpa - 300.0).abs() < 1e-9 && s.at_s > 9.0 && (s.share - 0.128).abs() < 0.01, "{s:?}");
        assert_eq!(sag(&t[..5], &p[..5]), None);
    }
}
