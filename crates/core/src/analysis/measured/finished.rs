//! Pulls that come finished, measured: what is printed goes on the grid as it stands, nothing is filtered,
//! aligned or judged that was not recorded.

use super::printed::Printed;
use super::raw_grid::RawGrid;
use super::result::{Measured, RatioSource};
use crate::analysis::given::{PrintedCurve, PullInput, Settings, TypedPeaks};
use crate::findings::Finding;
use crate::limits::{Limit, Sources, evaluate_all};
use crate::log::Recording;
use crate::printed::{Place, PrintedAxis};
use crate::pull::align::Alignment;
use crate::pull::span::PullKind;
use crate::units::RAD_S_PER_RPM;

/// Neighbouring points of a printed curve are joined by a line when they are no further apart: rpm, and km/h
/// (our choice).
const JOINED_RPM: f64 = 500.0;
const JOINED_KMH: f64 = 20.0;
/// Grid of a curve over road speed, km/h (our choice).
const GRID_KMH: f64 = 1.0;
/// Printed power and torque may differ by this share before they are asked about (domain, section 2).
const AGREE: f64 = 0.01;

/// A pull of which nothing was recorded yet.
pub(super) fn blank(input: &PullInput, limits: &[Limit]) -> Measured {
    let (nothing, alignment) = (Recording::default(), Alignment::single_log());
    let sources = Sources::new(&nothing, None, &alignment, None);
    Measured {
        id: input.id.clone(),
        excluded: input.excluded.clone(),
        span: None,
        pulls_in_file: 1,
        ratio: 1.0,
        ratio_from: RatioSource::Unknown,
        speed_from: crate::pull::engine_speed::SpeedFrom::Shaft,
        filter: None,
        grid: RawGrid::default(),
        steps: Vec::new(),
        rate_rpm_s: None,
        estimated: false,
        has_road_speed: false,
        air: input.air,
        step_share: None,
        print: None,
        limits: evaluate_all(limits, &sources),
        lanes: Vec::new(),
        channels: Vec::new(),
        flags: input.dyno.flags.clone(),
        tells: None,
        own_window: [None, None],
        alignment,
        printed: None,
        log_only: false,
    }
}

/// A printed curve on the grid.
///
/// # Formula
/// Between neighbours `i`, `i+1` no more than 500 rpm (20 km/h) apart: `y(x) = yᵢ + (yᵢ₊₁ − yᵢ)·(x −
/// xᵢ)/(xᵢ₊₁ − xᵢ)` at every multiple of the grid; then `T = P/ω` or `P = T·ω`, whichever is missing, with `ω
/// = n·π/30`.
///
/// where
/// - `x`: engine speed `n`, rpm, or road speed, km/h; `y`: printed power `P`, W, or torque `T`, N·m;
/// - `ω`: angular speed of the engine, rad/s; on an axis of road speed there is none, and no torque (domain, section 2).
pub(super) fn curve(input: &PullInput, c: &PrintedCurve, settings: &Settings, limits: &[Limit]) -> Measured {
    let mut out = blank(input, limits);
    out.flags.extend(c.open.iter().cloned());
    let road = c.axis == PrintedAxis::RoadSpeed;
    let (step, joined) = if road { (GRID_KMH, JOINED_KMH) } else { (settings.grid_rpm, JOINED_RPM) };
    let mut grid = RawGrid::default();
    let (first, last) = (c.at.first().copied().unwrap_or(0.0), c.at.last().copied().unwrap_or(-1.0));
    let mut k = (first / step - 1e-9).ceil();
    while k * step <= last + 1e-9 {
        let x = k * step;
        k += 1.0;
        let (p, q) = (read(&c.at, &c.power_kw, x, joined), read(&c.at, &c.torque_nm, x, joined));
        let w = x * RAD_S_PER_RPM;
        let (p, q) = match (p, q, road) {
            (Some(p), _, true) => (p, f64::NAN),
            (Some(p), Some(q), false) => (p, q),
            (Some(p), None, false) => (p, 1000.0 * p / w),
            (None, Some(q), false) => (q * w / 1000.0, q),
            _ => continue,
        };
        grid.rpm.push(x);
        grid.power_kw.push(p);
        grid.torque_nm.push(q);
        grid.edge.push(false);
        grid.time_s.push(f64::NAN);
    }
    if !road && let Some((share, rpm)) = disagreement(c) {
        out.flags.push(Finding::PrintedDisagree { share, rpm });
    }
    if grid.rpm.is_empty() {
        out.flags.push(Finding::NoPull { log: input.dyno.name.clone() });
    }
    out.grid = grid;
    said(
        &mut out,
        Printed { kind: PullKind::CurveOnly, axis: c.axis, print: c.print.clone(), peaks: [None, None] },
    );
    out
}

/// Peaks as typed.
pub(super) fn peaks(input: &PullInput, t: &TypedPeaks, limits: &[Limit]) -> Measured {
    let mut out = blank(input, limits);
    let printed = Printed {
        kind: PullKind::PeaksOnly,
        axis: PrintedAxis::EngineSpeed,
        print: t.print.clone(),
        peaks: [t.power, t.torque],
    };
    said(&mut out, printed);
    out
}

fn said(out: &mut Measured, p: Printed) {
    out.estimated = p.print.place == Some(Place::Estimated);
    out.flags.push(Finding::Printed {
        kind: p.kind,
        applied: p.print.applied,
        place: p.print.place,
        smoothing: p.print.smoothing.clone(),
    });
    out.printed = Some(p);
}

/// A printed value between two points; `None` outside, in a hole and where a point is blank.
fn read(at: &[f64], values: &[f64], x: f64, joined: f64) -> Option<f64> {
    let known = |i: usize| values.get(i).copied().filter(|v| v.is_finite());
    let above = at.partition_point(|v| *v < x - 1e-9);
    if let Some(v) = known(above).filter(|_| at.get(above).is_some_and(|v| (v - x).abs() < 1e-9)) {
        return Some(v);
    }
    // Blank cells between two printed values are a wider gap, not a hole.
    let high = (above..at.len()).find(|i| known(*i).is_some())?;
    let low = (0..above).rev().find(|i| known(*i).is_some())?;
    if at[high] - at[low] > joined {
        return None;
    }
    let (a, b) = (known(low)?, known(high)?);
    Some(a + (b - a) * (x - at[low]) / (at[high] - at[low]))
}

/// The largest share by which printed power departs from printed torque times speed, and where; `None` when
/// they agree.
fn disagreement(c: &PrintedCurve) -> Option<(f64, f64)> {
    let both = (0..c.at.len()).filter_map(|i| Some((c.at[i], *c.power_kw.get(i)?, *c.torque_nm.get(i)?)));
    both.filter(|(n, p, q)| p.is_finite() && q.is_finite() && *n > 0.0 && *q != 0.0)
        .map(|(n, p, q)| (1000.0 * p / (q * n * RAD_S_PER_RPM) - 1.0, n))
        .filter(|(share, _)| share.abs() > AGREE)
        .max_by(|a, b| a.0.abs().total_cmp(&b.0.abs()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::correction::Correction;
    use crate::printed::{Applied, Print};

    fn printed(at: Vec<f64>, power_kw: Vec<f64>, torque_nm: Vec<f64>) -> Measured {
        let print = Print { applied: Applied::Family(Correction::None), ..Print::default() };
        let c = PrintedCurve { at, power_kw, torque_nm, print, ..PrintedCurve::default() };
        curve(&PullInput::default(), &c, &Settings::default(), &[])
    }

    #[test]
    fn power_becomes_torque_and_torque_power_on_the_grid() {
        let m = printed(vec![2990.0, 3010.0, 3260.0], vec![59.8, 60.2, 65.2], vec![]);
        assert_eq!(m.grid.rpm, [3000.0, 3050.0, 3100.0, 3150.0, 3200.0, 3250.0], "no extrapolation");
        assert!((m.grid.power_kw[1] - 61.0).abs() < 1e-9 && (m.grid.torque_nm[0] - 190.986).abs() < 1e-3);
        let m = printed(vec![3000.0, 3050.0], vec![], vec![190.986, 190.986]);
        assert!((m.grid.power_kw[0] - 60.0).abs() < 1e-3);
        assert!(m.flags.iter().all(|f| !matches!(f, Finding::PrintedDisagree { .. })));
    }

    #[test]
    fn holes_stay_holes_and_blank_cells_do_not() {
        let m = printed(vec![3000.0, 4000.0, 4050.0], vec![60.0, 80.0, 81.0], vec![]);
        assert_eq!(m.grid.rpm, [3000.0, 4000.0, 4050.0]);
        let m = printed(vec![3000.0, 3050.0, 3100.0], vec![60.0, f64::NAN, 62.0], vec![]);
        assert!((m.grid.power_kw[1] - 61.0).abs() < 1e-9);
    }

    #[test]
    fn power_that_is_not_torque_times_speed_is_said() {
        let m = printed(vec![3000.0, 3100.0], vec![60.0, 62.0], vec![190.986, 180.0]);
        let said = m.flags.iter().find_map(|f| match f {
            Finding::PrintedDisagree { share, rpm } => Some((*share, *rpm)),
            _ => None,
        });
        let (share, rpm) = said.unwrap();
        assert!((share - 0.061).abs() < 0.001 && (rpm - 3100.0).abs() < 1e-9);
    }
}
