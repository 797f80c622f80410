//! The columns themselves.

use super::names::NAMED;
use super::record::Place;
use crate::correction::Correction;
use crate::find::asked::Extreme;

/// Years are counted from here, so many of them.
pub(in crate::find) const FIRST_YEAR: i32 = 1900;
pub(in crate::find) const YEARS: usize = 400;

/// Correction families kept, in the order of [`Correction::ALL`]; the diesel form needs more than the air and
/// is kept as 1.
pub(in crate::find) const FAMILIES: usize = Correction::ALL.len();

#[derive(Debug, Clone, Default)]
pub(in crate::find) struct Columns {
    pub(in crate::find) place: Vec<Place>,
    pub(in crate::find) position: Vec<u16>,
    pub(in crate::find) date: Vec<i32>,
    pub(in crate::find) named: [Vec<u16>; NAMED],
    pub(in crate::find) ethanol: Vec<f32>,
    pub(in crate::find) power: Vec<f32>,
    pub(in crate::find) peak_rpm: Vec<f32>,
    pub(in crate::find) torque: Vec<f32>,
    pub(in crate::find) air: Vec<f32>,
    pub(in crate::find) boost: Vec<f32>,
    pub(in crate::find) used: Vec<f32>,
    pub(in crate::find) factor: [Vec<f32>; FAMILIES],
    pub(in crate::find) flags: Vec<u64>,
    /// Numbers of combinations that are counted together.
    pub(in crate::find) set_values: Vec<u32>,
    pub(in crate::find) own_values: Vec<u32>,
    pub(in crate::find) left_out: Vec<bool>,
    pub(in crate::find) archived: Vec<bool>,
    /// What channels reached, in the order of [`Extreme::ALL`].
    pub(in crate::find) reached: [Vec<f32>; Extreme::ALL.len()],
    /// Which mean of [`Columns::bases`] gains are counted from.
    pub(in crate::find) base: Vec<u32>,
    pub(in crate::find) alive: Vec<bool>,
    /// Mean power of baselines in every family, kW; the first is none.
    pub(in crate::find) bases: Vec<[f32; FAMILIES]>,
}
