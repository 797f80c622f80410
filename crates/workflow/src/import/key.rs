//! What the cached measurement of a pull rests on beside its samples, as a short hash.

use super::in_hex;
use jamjar_core::air::AirState;
use jamjar_core::analysis::{Settings, Vehicle};
use jamjar_core::factors::Factors;
use jamjar_core::limits::Limit;
use sha2::{Digest, Sha256};

/// The part all pulls of a vehicle share: the engine, the dyno, the limits and the settings. Whether a pull
/// counts in figures is read beside its measurement and is none of it.
#[derive(Clone)]
pub(crate) struct MeasureKey {
    shared: Sha256,
    /// Limits that are not for every configuration.
    some: Vec<Limit>,
}

impl MeasureKey {
    pub(crate) fn new(vehicle: &Vehicle, limits: &[Limit], settings: &Settings) -> Self {
        let text = serde_json::to_string(&(
            &vehicle.engine,
            &vehicle.dyno,
            limits,
            settings.grid_rpm,
            settings.smoothing_s,
        ))
        .unwrap_or_default();
        let mut shared = Sha256::new_with_prefix(text.trim_end_matches(']'));
        if !vehicle.computed.is_empty() {
            // What they reached is kept for searching since.
            shared.update("ends");
            shared.update(serde_json::to_string(&vehicle.computed).unwrap_or_default());
        }
        Self { shared, some: limits.iter().filter(|l| !l.applies_to.is_empty()).cloned().collect() }
    }

    /// The same for the pulls of one configuration: by which of the limits they are judged.
    #[must_use]
    pub(crate) fn under(&self, factors: &Factors) -> Self {
        let mut shared = self.shared.clone();
        for l in self.some.iter().filter(|l| !l.applies(factors)) {
            shared.update(format!("not {:?}", l.id));
        }
        Self { shared, some: Vec::new() }
    }

    /// The key of a pull: with the air it was made in, and a lag set by hand.
    pub(crate) fn of(&self, air: Option<AirState>, lag_s: Option<f64>) -> String {
        let mut hash = self.shared.clone();
        hash.update(format!(
            ",{}]",
            serde_json::to_string(&(air, lag_s)).unwrap_or_default().trim_matches(['[', ']'])
        ));
        in_hex(&hash.finalize())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::analysis::Engine;
    use jamjar_core::pull::dyno::{Dyno, DynoKind};

    #[test]
    fn everything_a_measurement_rests_on_is_in_its_key() {
        let dyno = Dyno {
            kind: DynoKind::RollerBrake,
            overall_ratio: None,
            inertia_kg_m2: None,
            rotating_inertia_kg_m2: None,
        };
        let vehicle = Vehicle {
            name: "Saloon".into(),
            engine: Engine::default(),
            dyno,
            gears: Default::default(),
            computed: Vec::new(),
        };
        let (settings, air) = (Settings::default(), AirState::new(21.0, 0.5, 1002.0).ok());
        let key = MeasureKey::new(&vehicle, &[], &settings);
        let usual = key.of(air, None);
        assert_eq!(usual, MeasureKey::new(&vehicle, &[], &settings).of(air, None));
        let smoother = Settings { smoothing_s: 0.3, ..settings };
        let geared =
            Vehicle { dyno: Dyno { overall_ratio: Some(4.1), ..vehicle.dyno.clone() }, ..vehicle.clone() };
        let others = [
            MeasureKey::new(&geared, &[], &settings).of(air, None),
            key.of(None, None),
            key.of(AirState::new(21.5, 0.5, 1002.0).ok(), None),
            key.of(air, Some(0.4)),
            MeasureKey::new(&vehicle, &[], &smoother).of(air, None),
        ];
        assert!(others.iter().all(|k| *k != usual && k.len() == usual.len()), "{usual} {others:?}");
    }
}
