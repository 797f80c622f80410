//! Calculators that stand on their own: fuel, spark, injectors, shift points, strip.

pub mod fuel;
pub mod injector;
pub mod shift;
pub mod spark;
pub mod strip;
