//! Finding pulls: a small readable language, and an index in memory that answers it.
//!
//! A query is a list of conditions, all of which must hold: `power over 150 kW, E60, third gear, last
//! spring`. Commas are optional, filler words are skipped, so that `where is the pull that made 162 kW?` is a
//! query too. What is not recognised is looked for as text. Every condition has a canonical wording in the
//! same language, which the page shows back to the person.

mod asked;
mod columns;
mod found;
#[cfg(test)]
mod tests;

pub use asked::{
    Clause, End, Extreme, Field, Order, OwnChannel, Quantity, Query, QueryError, Reading, What, extremes,
    parse,
};
pub use columns::{Bits, Facet, FacetKind, Index, Note, Own, Place, Record, Scope};
pub use found::{Found, Hit};
