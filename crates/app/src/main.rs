//! The `jamjar` command.
fn main() {}
