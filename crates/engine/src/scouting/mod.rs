//! Finding trades: what a search stands on, the search over one underlying or all, past events, and
//! what became of expectations.

mod ground;

pub use ground::{Ground, GroundError, LawFrom};
