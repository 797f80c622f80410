//! The answer: which pulls match, in which order, and what they have in common.

mod facets;
mod matching;
mod meant;

pub use matching::{Found, Hit};
