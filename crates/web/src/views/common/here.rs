//! What the readings of a page rest on: one station pressure and one fuel, or none.

use crate::prefs::Prefs;
use jamjar_core::air::AirState;
use jamjar_core::analysis::Engine;
use jamjar_core::units::Here;
use jamjar_store::Set;
use jamjar_workflow::lineup::LineUp;

/// For one set: the mean pressure of the air its pulls were made in, and its fuel.
pub(crate) fn here_of(engine: &Engine, set: &Set, air: impl Iterator<Item = AirState>) -> Here {
    let (sum, n) = air.fold((0.0, 0.0), |(s, n), a| (s + a.pressure_hpa / 10.0, n + 1.0));
    let burns = engine.burns(&set.fuel);
    Here { station_kpa: (n > 0.0).then(|| sum / n), stoich_afr: burns.map(|f| f.stoich_afr) }
}

/// View settings as they hold for a line-up.
pub(crate) fn on_lineup(prefs: &Prefs, l: &LineUp) -> Prefs {
    prefs.fitting(&l.vehicle.vehicle.engine).reading(here_of_lineup(l))
}

/// For a line-up: one picture has one zero, that of its baseline, so that a difference is one of pressures; and a
/// fuel's own scale only where all its sets burn the same.
fn here_of_lineup(l: &LineUp) -> Here {
    let engine = &l.vehicle.vehicle.engine;
    let base = here_of(engine, &l.sets[l.base].set, l.measured[l.base].iter().filter_map(|m| m.air));
    let stoich = |set: &Set| engine.burns(&set.fuel).map(|f| f.stoich_afr);
    let same = l.sets.iter().all(|s| stoich(&s.set) == base.stoich_afr);
    Here { stoich_afr: base.stoich_afr.filter(|_| same), ..base }
}
