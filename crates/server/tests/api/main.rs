//! The program through its API, in one binary: it links once, and its tests run beside each other.
#![allow(clippy::unwrap_used)]

#[path = "../common/mod.rs"]
mod common;
#[path = "../process/mod.rs"]
mod process;

mod books;
mod columns;
mod drills;
mod import;
mod judging;
mod kept;
mod lessons;
mod lifecycle;
mod market_table;
mod orders_and_money;
mod own_market;
mod packages;
mod refusals;
mod rehearsal;
mod rework;
mod rounds;
mod schema_fuzz;
mod scout;
mod stream;
mod whole_book;
