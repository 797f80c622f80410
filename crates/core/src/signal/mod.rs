//! Turning raw samples into curves: hygiene, smoothing, interpolation, the rpm grid.

pub mod grid;
pub mod hygiene;
pub mod interp;
pub mod look_over;
pub mod median;
pub(crate) mod runs;
pub mod savgol;
pub mod stuck;
