//! Fuelling: the delay between a cylinder and its probe, corrections cell by cell, tables on other axes, and the same
//! table for another injector (domain, section 7).

pub mod cells;
pub mod cylinders;
pub mod delay;
pub mod injector;
pub mod moved;
pub mod paste;
pub mod rescale;
pub mod seen;
pub mod steady;
