//! Repeats and noise: how sure a difference is, and how many pulls would make it surer.

pub mod across;
pub mod band;
pub mod distributions;
mod draws;
pub mod drift;
pub mod equivalence;
pub mod family;
pub mod gains;
pub mod habit;
pub mod outliers;
pub mod plan;
pub mod pooled;
pub mod price;
pub mod release;
pub mod rows;
pub mod spread;
pub mod two_sets;
