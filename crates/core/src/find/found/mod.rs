//! The answer: which pulls match, in which order, and what they have in common.

mod facets;
mod matching;

pub use matching::{Found, Hit};
