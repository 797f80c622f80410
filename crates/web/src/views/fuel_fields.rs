//! What the form of a set's fuel and spark holds.

use serde::Deserialize;

/// What the form holds.
#[derive(Deserialize, Default, Clone)]
#[serde(default)]
pub(crate) struct FuelFields {
    pub(crate) probe: String,
    pub(crate) y: String,
    pub(crate) x_at: String,
    pub(crate) y_at: String,
    pub(crate) hits: String,
    pub(crate) clamp: String,
    pub(crate) only: String,
    pub(crate) target: String,
    pub(crate) delay: String,
    pub(crate) table: String,
    /// Engine speed of the sweep of spark.
    pub(crate) rpm: String,
    /// What the cells show: factor, hits or confidence.
    pub(crate) cells: String,
    /// Flow of one injector, mL/min, the pressure it holds at, kPa, and dead time, ms.
    pub(crate) flow: String,
    pub(crate) flow_at: String,
    pub(crate) dead: String,
    /// Ethanol of another blend, %.
    pub(crate) blend: String,
    /// Name of a draft.
    pub(crate) draft: String,
}
