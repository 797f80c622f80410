//! Calculators that stand on their own: fuel and blends, spark, injectors, auxiliary injection, shift points, strip.

pub mod auxiliary;
pub mod fuel;
pub mod injector;
pub mod kind;
pub mod mix;
pub mod octane;
pub mod rinse;
pub mod shift;
pub mod slip;
pub mod spark;
pub mod strip;
pub mod traction;
pub mod wanted_time;
pub mod water_test;
