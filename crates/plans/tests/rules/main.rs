//! The rules of planning, in one binary: it links once, and its tests run beside each other.
#![allow(clippy::unwrap_used)]

#[path = "../../../desk/tests/common/mod.rs"]
mod common;

mod field;
mod ideas;
mod rework;
mod scout;
mod ways;
