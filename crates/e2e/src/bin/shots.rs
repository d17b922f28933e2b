//! Pictures.
fn main() {}
