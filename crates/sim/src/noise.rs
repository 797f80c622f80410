//! Seeded noise: the same seed gives the same bytes.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};
use rand_distr::{Distribution, StandardNormal};

/// A stream of random numbers of its own.
#[derive(Debug, Clone)]
pub struct Noise(ChaCha8Rng);

impl Noise {
    /// A stream for a seed and a purpose: other purposes do not shift it.
    pub fn new(seed: u64, purpose: &str) -> Self {
        let mixed = purpose.bytes().fold(seed ^ 0x9e37_79b9_7f4a_7c15, |h, b| {
            (h ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3).rotate_left(23)
        });
        Self(ChaCha8Rng::seed_from_u64(mixed))
    }

    /// A normal value of that standard deviation.
    pub fn normal(&mut self, sd: f64) -> f64 {
        let z: f64 = StandardNormal.sample(&mut self.0);
        z * sd
    }

    /// A value in 0–1.
    pub fn uniform(&mut self) -> f64 {
        (self.0.next_u64() >> 11) as f64 / (1u64 << 53) as f64
    }
}
