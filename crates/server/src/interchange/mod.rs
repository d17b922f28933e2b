//! Open formats in and out: the market as a folder of CSV, executions and statements as CSV and OFX,
//! orders as FIX text, drills as TOML.

pub(crate) mod calendar;
pub(crate) mod days;
pub mod drill;
pub(crate) mod fills;
pub(crate) mod fix;
pub mod folder;
pub(crate) mod lessons;
pub(crate) mod statement;
