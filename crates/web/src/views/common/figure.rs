//! A figure as it is shown, and as it is asked for in an address.

use super::address::query_of;
use super::words::{engine_speed, stretch};
use crate::prefs::Prefs;
use jamjar_core::analysis::Figure;
use jamjar_core::curve::Quantity;
use jamjar_core::figures::Looks;

/// A value in the unit shown.
pub(crate) fn in_unit(f: Figure, v: f64, prefs: &Prefs) -> f64 {
    match (f, f.quantity()) {
        (Figure::PlateauRpm | Figure::FallOffPct, _) => v,
        (_, q) => in_quantity(q, v, prefs),
    }
}

/// The unit shown.
pub(crate) fn unit_of(f: Figure, prefs: &Prefs) -> &'static str {
    match (f, f.quantity()) {
        (Figure::PlateauRpm | Figure::FallOffPct, _) => f.unit(),
        (_, q) => quantity_unit(q, prefs),
    }
}

/// Power or torque in the unit shown.
pub(crate) fn in_quantity(q: Quantity, v: f64, prefs: &Prefs) -> f64 {
    match q {
        Quantity::Power => prefs.power.from_kw(v),
        Quantity::Torque => prefs.torque.from_nm(v),
    }
}

/// The unit shown of power or torque.
pub(crate) fn quantity_unit(q: Quantity, prefs: &Prefs) -> &'static str {
    match q {
        Quantity::Power => prefs.power.label(),
        Quantity::Torque => prefs.torque.label(),
    }
}

/// A figure asked for in a pull's address.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct FigureAsked {
    pub(crate) figure: Figure,
    pub(crate) looks: Looks,
    /// The line-up it was opened from, as its query.
    pub(crate) back: String,
}

impl FigureAsked {
    /// From the fields of an address; `None` when no figure is asked for. `read` is a stretch such as
    /// `3000-6500` or one speed.
    pub(crate) fn new(figure: &str, read: &str, back: &str, looks: Looks) -> Option<Self> {
        let figure = Figure::from_id(figure)?;
        let stretch = stretch(read);
        let looks = match figure {
            Figure::BandMeanPower | Figure::BandMeanTorque => Looks { band_rpm: stretch, ..looks },
            Figure::ShiftPower => Looks { shift_rpm: stretch, ..looks },
            Figure::PowerAt | Figure::TorqueAt => Looks { at_rpm: engine_speed(read), ..looks },
            _ => looks,
        };
        Some(Self { figure, looks, back: back.to_owned() })
    }
}

/// Engine speed shown on either side of a place looked at, rpm.
const AROUND: f64 = 500.0;

/// The fields of a pull's address that show a stretch of engine speeds and what lies around it.
pub(crate) fn around([a, b]: [f64; 2]) -> [(&'static str, String); 2] {
    [("from", format!("{:.0}", (a - AROUND).max(0.0))), ("to", format!("{:.0}", b + AROUND))]
}

impl FigureAsked {
    /// The query that opens a pull where the figure is read.
    pub(crate) fn query(&self, read_at: Option<[f64; 2]>) -> String {
        let mut pairs = vec![("axis", "rpm".to_owned()), ("figure", self.figure.id().to_owned())];
        if let Some([a, b]) = read_at {
            pairs.push((
                "read",
                if a.total_cmp(&b).is_eq() { format!("{a:.0}") } else { format!("{a:.0}-{b:.0}") },
            ));
            pairs.extend(around([a, b]));
        }
        pairs.push(("back", self.back.clone()));
        query_of(&pairs)
    }
}
