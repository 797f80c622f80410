//! Power along one pull, as it is derived.

use crate::findings::Finding;
use crate::signal::savgol::FilterRecord;

/// Power along one pull, sample by sample.
#[derive(Debug, Clone, PartialEq)]
pub struct PowerTrace {
    /// Time on the dyno clock, s.
    pub t: Vec<f64>,
    /// Engine speed, rpm: shaft speed × ratio, or as it was measured.
    pub rpm: Vec<f64>,
    /// Speed of the dyno's shaft, rpm.
    pub shaft_rpm: Vec<f64>,
    /// Uncorrected power, kW.
    pub power_kw: Vec<f64>,
    /// Engine-referred torque P/ω, N·m.
    pub torque_nm: Vec<f64>,
    /// True within half a window of a segment's end: barred from peaks.
    pub edge: Vec<bool>,
    /// Rate of engine speed, rpm/s.
    pub rate: Vec<f64>,
    /// The filter used.
    pub filter: FilterRecord,
    /// True when a coast-down loss was added: an estimate, never mixed with plain figures.
    pub estimated: bool,
    /// Index where each segment begins: nothing is filtered or read from one into the next.
    pub starts: Vec<usize>,
    /// Cuts of fuel, spark or torque within the pull, s.
    pub cuts: Vec<[f64; 2]>,
    /// Findings.
    pub flags: Vec<Finding>,
}
