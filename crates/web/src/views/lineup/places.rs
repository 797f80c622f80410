//! What a figure of a line-up is called, where it was read, and which are there.

use jamjar_core::analysis::{Figure, FigureComparison};
use jamjar_core::figures::{FALL_OFF_RPM, PLATEAU_SHARE};
use jamjar_workflow::lineup::LineUp;

/// What the figure is, with the speeds it was read at: "mean power from 3000 to 6500 rpm".
pub(crate) fn place_of(f: Figure, l: &LineUp) -> String {
    let s = &l.settings;
    let span = |b: Option<[f64; 2]>| {
        b.map_or_else(|| "not set".to_owned(), |b| format!("{:.0} to {:.0} rpm", b[0], b[1]))
    };
    match f {
        Figure::PeakPower => "power at peak".into(),
        Figure::PeakTorque => "torque at peak".into(),
        Figure::BandMeanPower => format!("mean power from {}", span(s.band_rpm)),
        Figure::BandMeanTorque => format!("mean torque from {}", span(s.band_rpm)),
        Figure::PowerAt | Figure::TorqueAt => {
            let at = s.at_rpm.map_or_else(|| "one speed".to_owned(), |r| format!("{r:.0} rpm"));
            format!("{} at {at}", f.quantity().label())
        }
        Figure::DrivenPower => {
            format!("mean power where it is driven ({})", span(s.driven.map(|d| d.span())))
        }
        Figure::ShiftPower => format!("mean power in the shift window ({})", span(s.shift_rpm)),
        Figure::PlateauRpm => format!("width within {:.0} % of peak", 100.0 * PLATEAU_SHARE),
        Figure::FallOffPct => format!("fall-off {FALL_OFF_RPM:.0} rpm after the peak"),
    }
}

/// Why a figure is not there for any set.
pub(super) fn missing(f: Figure, l: &LineUp) -> Option<&'static str> {
    let s = &l.settings;
    match f {
        Figure::DrivenPower if s.driven.is_none() => {
            Some("the vehicle's sheet does not say where it is driven")
        }
        Figure::ShiftPower if s.shift_rpm.is_none() => {
            Some("the vehicle's sheet names no gears, or its curve shows no shift")
        }
        _ if l.results.iter().all(|r| r.figure(f).values.is_empty()) => Some("no curve covers it"),
        _ => None,
    }
}

/// Headings of the table; figures without any value are left out of it.
pub(super) fn shown(l: &LineUp) -> Vec<Figure> {
    Figure::ALL.into_iter().filter(|f| missing(*f, l).is_none()).collect()
}

pub(super) fn half(f: &FigureComparison) -> Option<f64> {
    f.ci95.map(|c| (c[1] - c[0]) / 2.0)
}
