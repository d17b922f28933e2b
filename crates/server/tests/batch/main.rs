//! The batch commands, run as a user runs them.
#![allow(clippy::unwrap_used)]

mod calc;
mod calc_book;
mod calc_campaign;
mod calc_margin;
mod export;
mod rehearse;
mod scout;
