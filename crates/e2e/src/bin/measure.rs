//! Measures.
fn main() {}
