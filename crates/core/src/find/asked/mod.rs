//! The question: words and numbers read as conditions, and conditions worded again.

mod dates;
mod extreme;
mod lexer;
mod own;
mod parse;
mod quantity;
mod query;
mod range;

pub use extreme::{Extreme, extremes};
pub use own::{End, OwnChannel};
pub use parse::{Reading, parse};
pub use quantity::Quantity;
pub use query::{Clause, Field, Order, Query, QueryError, What};
pub(super) use query::{STATES, State};
