//! **plans**: structures thought out before anything is traded.
//!
//! Arithmetic over the trade's own, as pure as it: market, account, moment and seed are arguments.
//! - [`ideas`]: structures that fit what somebody intends, from candidates along a chain.
//! - [`scout`]: every structure of chosen families judged under a law of where the price ends.
//! - [`rework`]: what is held or drafted, changed move by move, and the ways out of it.
//! - [`drill`]: a trade told as data, so that it can be made again and again in the past.

pub mod drill;
mod idea;
pub mod rework;
pub mod scout;

pub use idea::{Candidate, Candidates, Idea, Intention, Material, Place, ideas};
