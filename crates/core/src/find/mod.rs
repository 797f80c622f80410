//! Finding pulls: a small readable language, and an index in memory that answers it.
//!
//! A query is a list of conditions, all of which must hold: `power over 150 kW, E60, third gear, last
//! spring`. Commas are optional, filler words are skipped, so that `where is the pull that made 162 kW?` is a
//! query too. What is not recognised is looked for as text. Every condition has a canonical wording in the
//! same language, which the page shows back to the person.

mod bits;
mod dates;
mod facets;
mod index;
mod lexer;
mod matching;
mod parse;
mod quantity;
mod query;
#[cfg(test)]
mod tests;
mod zones;

pub use bits::Bits;
pub use facets::{Facet, FacetKind};
pub use index::{Index, Note, Place, Record, Scope};
pub use matching::{Found, Hit};
pub use parse::{Reading, parse};
pub use quantity::{Quantity, Usual};
pub use query::{Clause, Field, Order, Query, QueryError, What};
