//! Measurements decoded before. The stored bytes are the key: whatever else changes, what is found here is
//! what they say.

use crate::error::StoreError;
use jamjar_core::analysis::Measured;
use moka::sync::Cache;
use std::sync::Arc;

/// Memory for decoded measurements, bytes: some hundred pulls, a few days at work (our choice).
const ROOM: u64 = 48 << 20;
/// A decoded measurement takes about this many times its packed bytes.
const SPREAD: usize = 12;

/// Decodes measurements, each once while it is in use.
#[derive(Clone)]
pub(crate) struct Decoded(Cache<Vec<u8>, Arc<Measured>>);

impl Default for Decoded {
    fn default() -> Self {
        let weight =
            |k: &Vec<u8>, _: &Arc<Measured>| u32::try_from(k.len() * (SPREAD + 1)).unwrap_or(u32::MAX);
        Self(Cache::builder().max_capacity(ROOM).weigher(weight).build())
    }
}

impl Decoded {
    /// What the bytes say.
    ///
    /// # Errors
    /// [`StoreError::Damaged`] when they say nothing.
    pub(crate) fn read(&self, packed: &[u8]) -> Result<Arc<Measured>, StoreError> {
        if let Some(known) = self.0.get(packed) {
            return Ok(known);
        }
        let measured = jamjar_packed::unpack(packed).map_err(|e| StoreError::Damaged(e.to_string()))?;
        let measured = Arc::new(measured);
        self.0.insert(packed.to_vec(), measured.clone());
        Ok(measured)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::analysis::{PullInput, Settings, Vehicle, measure};
    use jamjar_core::channel::Channel;
    use jamjar_core::log::Recording;

    fn measured(id: &str) -> Measured {
        let mut dyno =
            Recording { t: (0..1200).map(|i| f64::from(i) * 0.01).collect(), ..Recording::default() };
        for (channel, from, slope) in [("roller_speed", 440.0, 95.0), ("hub_torque", 700.0, 0.0)] {
            let values = dyno.t.iter().map(|t| from + slope * t).collect();
            dyno.channels.insert(Channel::new(channel).unwrap(), values);
        }
        let vehicle: Vehicle =
            serde_json::from_str(r#"{"name": "x", "dyno": {"kind": "hub", "overall_ratio": 4.1}}"#).unwrap();
        let input = PullInput { id: id.into(), dyno, ..PullInput::default() };
        measure(&input, &vehicle, &Settings::default(), &[]).unwrap()
    }

    #[test]
    fn bytes_that_differ_are_never_taken_for_each_other_and_damage_is_said_each_time() {
        let decoded = Decoded::default();
        let [a, b] = ["a", "b"].map(|id| jamjar_packed::pack(&measured(id)).unwrap());
        for _ in 0..2 {
            let ids = [&a, &b].map(|packed| decoded.read(packed).unwrap().id.clone());
            assert_eq!(ids, ["a", "b"]);
            assert!(matches!(decoded.read(&a[1..]), Err(StoreError::Damaged(_))));
        }
    }
}
