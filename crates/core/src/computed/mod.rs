//! Channels a person computes from measured ones: a small language of sums, products and a few functions, with its
//! units checked before anything is computed. It knows no loops, no files and no clock.

mod compile;
mod dimension;
mod evaluate;
mod lexer;
mod parse;
#[cfg(test)]
mod tests;

pub use compile::{Formula, compile_all};
pub use evaluate::{Lacking, WithComputed, with_computed, with_computed_owned};

use crate::channel::Channel;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Most computed channels of one vehicle or job.
pub const MOST: usize = 40;

/// A computed channel as a person wrote it.
///
/// Expressions know `+ − × ÷ ^`, brackets, `abs`, `sqrt`, `min`, `max`, `mean` and `spread`, numbers with or without
/// a unit, channels by name or by their words in square brackets, and whole families of sensors: `spread(lambda)`
/// takes every λ that was logged. Which words and functions there are is our choice.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Computed {
    /// Its name as a channel.
    pub name: Channel,
    /// Unit of its values; empty for a plain ratio.
    #[serde(default)]
    pub unit: String,
    /// The expression.
    pub expr: String,
}

/// An expression that cannot be computed.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("computed “{name}”{}: {problem}", .column.map_or_else(String::new, |c| format!(", column {c}")))]
pub struct ComputedError {
    /// Name of the computed channel.
    pub name: String,
    /// Where in the expression, in letters from 1.
    pub column: Option<usize>,
    /// What is wrong and what to do.
    pub problem: String,
}

/// What is wrong with an expression, and at which letter.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Fault {
    at: Option<usize>,
    problem: String,
}

impl Fault {
    fn new(at: usize, problem: impl Into<String>) -> Self {
        Self { at: Some(at), problem: problem.into() }
    }

    fn whole(problem: impl Into<String>) -> Self {
        Self { at: None, problem: problem.into() }
    }
}
