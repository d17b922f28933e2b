//! What a trader can do: each command works on a copy of the state and is kept whole or not at all.

mod account;
pub mod bells;
mod campaigns;
mod changes;
pub mod rules;
pub mod trading;
