//! The rules of the trade, in one binary: it links once, and its tests run beside each other.
#![allow(clippy::unwrap_used)]

#[path = "../common/mod.rs"]
mod common;

mod account;
mod account_rules;
mod ahead;
mod bench;
mod book;
mod evaluation;
mod ledger_law;
mod margin;
mod my_rules;
mod position;
mod regime;
mod structures;
mod templates;
mod worth;
