//! Every pull in memory, column by column, with the names and notes that go with them.

mod bits;
mod facet;
mod groups;
mod index;
mod names;
mod own;
mod record;
mod table;
mod zones;

pub use bits::Bits;
pub use facet::{Facet, FacetKind};
pub use index::Index;
pub(super) use names::{ALIGNED, BOOST, BUILD, ENDED, FUEL, GEAR, LIMIT, MAP, VEHICLE};
pub use record::{Note, Own, Place, Record, Scope};
pub(super) use table::{FIRST_YEAR, YEARS};
pub(super) use zones::{Zones, distance};
