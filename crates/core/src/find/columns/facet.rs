//! What is counted of the pulls found.

use crate::find::asked::Clause;

/// What a facet counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FacetKind {
    /// Vehicles.
    Vehicle,
    /// Maps by name.
    Map,
    /// Fuels.
    Fuel,
    /// Gears.
    Gear,
    /// Calendar years.
    Year,
    /// Worst limit verdict.
    Limit,
    /// What ended the pull.
    Ended,
    /// Flags.
    Flag,
}

/// How many of the pulls found have each value; the condition that asks for it comes along.
#[derive(Debug, Clone, PartialEq)]
pub struct Facet {
    /// What is counted.
    pub kind: FacetKind,
    /// Condition and number of pulls, most first.
    pub values: Vec<(Clause, usize)>,
}
