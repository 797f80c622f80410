//! Measurements decoded before. The stored bytes are the key: whatever else changes, what is found here is
//! what they say.

use crate::error::StoreError;
use moka::sync::Cache;
use serde::de::DeserializeOwned;
use std::sync::Arc;

/// Memory for decoded measurements, bytes: some hundred pulls, a few days at work (our choice).
const ROOM: u64 = 48 << 20;
/// A decoded measurement takes about this many times its packed bytes.
const SPREAD: usize = 12;

/// Decodes measurements, each once while it is in use.
#[derive(Clone)]
pub(crate) struct Decoded<T>(Cache<Vec<u8>, Arc<T>>);

impl<T: Send + Sync + 'static> Default for Decoded<T> {
    fn default() -> Self {
        let weight = |k: &Vec<u8>, _: &Arc<T>| u32::try_from(k.len() * (SPREAD + 1)).unwrap_or(u32::MAX);
        Self(Cache::builder().max_capacity(ROOM).weigher(weight).build())
    }
}

impl<T: DeserializeOwned + Clone + Send + Sync + 'static> Decoded<T> {
    /// What the bytes say.
    ///
    /// # Errors
    /// [`StoreError::Damaged`] when they say nothing.
    pub(crate) fn read(&self, packed: &[u8]) -> Result<T, StoreError> {
        if let Some(known) = self.0.get(packed) {
            return Ok(T::clone(&known));
        }
        let json = zstd::decode_all(packed).map_err(|e| StoreError::Damaged(e.to_string()))?;
        let measured: T = serde_json::from_slice(&json).map_err(|e| StoreError::Damaged(e.to_string()))?;
        self.0.insert(packed.to_vec(), Arc::new(measured.clone()));
        Ok(measured)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_that_differ_are_never_taken_for_each_other_and_damage_is_said_each_time() {
        let decoded: Decoded<String> = Decoded::default();
        let pack = |text: &str| zstd::encode_all(serde_json::to_vec(text).unwrap().as_slice(), 3).unwrap();
        let (a, b) = (pack("a"), pack("b"));
        for _ in 0..2 {
            assert_eq!((decoded.read(&a).unwrap(), decoded.read(&b).unwrap()), ("a".into(), "b".into()));
            assert!(matches!(decoded.read(&a[1..]), Err(StoreError::Damaged(_))));
        }
    }
}
