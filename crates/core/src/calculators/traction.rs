//! Force at the wheels over road speed in every gear, what holds against it, and how sure a strip estimate is.

use super::strip::{StripError, StripInput, StripRun, strip};
use crate::units::RAD_S_PER_RPM;

/// Road speed in a gear, km/h.
///
/// # Formula
/// `v = 3.6·n·π/30·r/(i·i_f)`
///
/// where
/// - `n`: engine speed, rpm; `r`: tyre radius, m; `i`, `i_f`: gear and final drive (domain, section 12).
pub fn road_speed_kmh(rpm: f64, overall: f64, tyre_radius_m: f64) -> f64 {
    3.6 * rpm * RAD_S_PER_RPM * tyre_radius_m / overall
}

/// Force at the wheels over road speed in one gear: pairs of km/h and N.
///
/// # Formula
/// `F = T·i·i_f·η/r`
///
/// where
/// - `T`: engine torque, N·m; `η`: efficiency of the drive, 1 where torque was measured at the wheels (domain,
///   section 12).
///
/// ```
/// use jamjar_core::calculators::traction::tractive;
/// let f = tractive(&[3000.0], &[200.0], 10.0, 0.3, 1.0);
/// assert!((f[0].0 - 33.93).abs() < 0.01 && (f[0].1 - 6666.7).abs() < 0.1);
/// ```
pub fn tractive(
    rpm: &[f64],
    torque_nm: &[f64],
    overall: f64,
    tyre_radius_m: f64,
    efficiency: f64,
) -> Vec<(f64, f64)> {
    let at = |(n, t): (&f64, &f64)| {
        (road_speed_kmh(*n, overall, tyre_radius_m), t * overall * efficiency / tyre_radius_m)
    };
    rpm.iter().zip(torque_nm).map(at).collect()
}

/// What air and tyres hold against a vehicle on a level road, N.
///
/// # Formula
/// `R = ½·ρ·CdA·(v/3.6)² + c_r·m·9.80665`, symbols as in [`strip`]
pub fn resistance_n(i: &StripInput, kmh: f64) -> f64 {
    let v = kmh / 3.6;
    0.5 * i.air_density_kg_m3 * i.drag_area_m2 * v * v + i.rolling_coefficient * i.mass_kg * 9.80665
}

/// How far the inputs of an estimate may be off: standard deviations.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unsure {
    /// Of the mass, share.
    pub mass: f64,
    /// Of the grip of the tyres.
    pub grip: f64,
    /// Of the launch, rpm.
    pub launch_rpm: f64,
    /// Of the whole torque curve, share: the scatter of the mean.
    pub torque: f64,
}

/// A strip estimate with what each input would change.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Estimate {
    /// The run.
    pub run: StripRun,
    /// Change of times and speeds by one standard deviation of mass, grip and launch: the same vehicle and driver with
    /// another map share them.
    pub shared: [[f64; 5]; 3],
    /// The same of the torque curve, each map's own.
    pub own: [f64; 5],
}

fn values(r: &StripRun) -> [f64; 5] {
    [r.t_18m_s, r.t_201m_s, r.v_201m_kmh, r.t_402m_s, r.v_402m_kmh]
}

/// Estimates a run and its sensitivity.
///
/// # Formula
/// Half-width `1.96·√Σ_k (f(x_k + s_k) − f(x_k))²` over mass, grip, launch and torque (first order, our choice; quantiles
/// of drawn inputs come out the same where the run is not on the edge of spinning its tyres)
///
/// # Errors
/// [`StripError`] for bad input or a vehicle that never arrives.
pub fn estimate(i: &StripInput, s: &Unsure) -> Result<Estimate, StripError> {
    let run = strip(i)?;
    let by = |other: StripInput| -> Result<[f64; 5], StripError> {
        let (a, b) = (values(&run), values(&strip(&other)?));
        Ok(std::array::from_fn(|k| b[k] - a[k]))
    };
    Ok(Estimate {
        shared: [
            by(StripInput { mass_kg: i.mass_kg * (1.0 + s.mass), ..i.clone() })?,
            by(StripInput { tyre_friction: i.tyre_friction + s.grip, ..i.clone() })?,
            by(StripInput { launch_rpm: i.launch_rpm + s.launch_rpm, ..i.clone() })?,
        ],
        own: by(StripInput {
            torque_nm: i.torque_nm.iter().map(|t| t * (1.0 + s.torque)).collect(),
            ..i.clone()
        })?,
        run,
    })
}

impl Estimate {
    /// Times and speeds: t18, t201, v201, t402, v402.
    pub fn values(&self) -> [f64; 5] {
        values(&self.run)
    }

    /// Half of each one's 95 % interval.
    pub fn half_widths(&self) -> [f64; 5] {
        std::array::from_fn(|k| {
            let all = self.shared.iter().chain([&self.own]).map(|d| d[k] * d[k]).sum::<f64>();
            1.96 * all.sqrt()
        })
    }

    /// This one less another of the same vehicle and driver, with half of each difference's interval: what both share
    /// falls out as far as it moves them alike.
    pub fn less(&self, other: &Self) -> ([f64; 5], [f64; 5]) {
        let (a, b) = (self.values(), other.values());
        let half = |k: usize| {
            let shared =
                self.shared.iter().zip(&other.shared).map(|(x, y)| (x[k] - y[k]).powi(2)).sum::<f64>();
            1.96 * (shared + self.own[k].powi(2) + other.own[k].powi(2)).sqrt()
        };
        (std::array::from_fn(|k| a[k] - b[k]), std::array::from_fn(half))
    }
}

/// Mean power over a stretch of engine speeds by a torque curve, kW; `None` where the curve does not reach.
///
/// # Formula
/// `P̄ = (1/(b − a))·∫ T·n·π/30000 dn`, by trapezes over steps of 10 rpm
pub fn mean_power_kw(rpm: &[f64], torque_nm: &[f64], [from, to]: [f64; 2]) -> Option<f64> {
    if from < *rpm.first()? || to > *rpm.last()? || to <= from {
        return None;
    }
    let n = ((to - from) / 10.0).ceil().max(1.0) as usize;
    let power = |k: usize| {
        let at = from + (to - from) * k as f64 / n as f64;
        Some(crate::signal::interp::linear_clamped(rpm, torque_nm, at)? * at * RAD_S_PER_RPM / 1000.0)
    };
    let all: Vec<f64> = (0..=n).map(power).collect::<Option<_>>()?;
    Some(all.windows(2).map(|w| 0.5 * (w[0] + w[1])).sum::<f64>() / n as f64)
}

#[cfg(test)]
mod tests {
    use super::super::strip::car;
    use super::*;

    const UNSURE: Unsure = Unsure { mass: 0.02, grip: 0.1, launch_rpm: 300.0, torque: 0.005 };

    #[test]
    fn two_maps_of_one_car_differ_more_surely_than_either_is_known() {
        let (a, b) =
            (estimate(&car(260.0, 1.1), &UNSURE).unwrap(), estimate(&car(300.0, 1.1), &UNSURE).unwrap());
        let (d, half) = b.less(&a);
        assert!(d[3] < 0.0 && d[4] > 0.0, "more torque is quicker and faster: {d:?}");
        assert!(half[3] < a.half_widths()[3], "what both share falls out: {half:?}");
        let (none, sure) = a.less(&a);
        assert!(none.iter().all(|v| v.abs() < 1e-12) && sure[3] > 0.0);
        assert!(a.shared[0][3] > 0.0, "a heavier car is slower");
    }

    #[test]
    fn force_times_speed_is_power_in_every_gear() {
        for overall in [13.0, 5.0] {
            let (v, f) = tractive(&[5000.0], &[250.0], overall, 0.31, 1.0)[0];
            assert!((f * v / 3.6 / 1000.0 - 250.0 * 5000.0 * RAD_S_PER_RPM / 1000.0).abs() < 1e-9);
        }
        assert!(resistance_n(&car(1.0, 1.1), 200.0) > resistance_n(&car(1.0, 1.1), 100.0));
    }

    #[test]
    fn mean_power_is_read_only_where_the_curve_reaches() {
        let (rpm, torque) = ([3000.0, 6000.0], [200.0, 200.0]);
        let mean = mean_power_kw(&rpm, &torque, [3000.0, 6000.0]).unwrap();
        assert!((mean - 200.0 * 4500.0 * RAD_S_PER_RPM / 1000.0).abs() < 1e-6);
        assert_eq!(mean_power_kw(&rpm, &torque, [2900.0, 6000.0]), None);
    }
}
