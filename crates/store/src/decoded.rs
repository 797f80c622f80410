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
    pub(crate) fn read(&self, packed: &[u8]) -> Result<Measured, StoreError> {
        if let Some(known) = self.0.get(packed) {
            return Ok(Measured::clone(&known));
        }
        let measured = jamjar_packed::unpack(packed).map_err(|e| StoreError::Damaged(e.to_string()))?;
        self.0.insert(packed.to_vec(), Arc::new(measured.clone()));
        Ok(measured)
    }
}
