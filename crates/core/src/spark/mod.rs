//! Spark: what was commanded and what was delivered, what a degree is worth, and maps that learn between pulls
//! (domain, section 8).

pub mod adapts;
pub mod delivered;
pub mod sweep;
