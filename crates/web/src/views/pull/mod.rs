//! One pull read closely: its lanes, its held steps, its corrections, what a figure rests on, and its page.

mod beside;
mod evidence;
mod families;
mod held;
mod lanes;
mod page;
mod remarks;

pub(crate) use evidence::evidence_view;
pub(crate) use page::{Asked, pull_page, to_learn};
