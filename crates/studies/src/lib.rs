//! **studies**: what is asked of a run and of its market, and changes neither.
//!
//! Each study reads a state of the engine, or a market alone, and answers:
//! - `drills`: the same trade again and again in the past, each time as it would have been filled.
//! - `lessons`: what closed campaigns tell, and the roads that were not taken.
//! - `tried`: a rule held against what is closed.
//! - `scouting`: structures for what is expected, over one underlying or all; news past and ahead.
//! - `universe`: every underlying of the market in one row.
//! - `ways`: what can be done with a campaign in the market of now, asked of the ticket's own rules.
//!
//! There is no network, no database, no file and no wall clock in here. A long study tells whoever watches it how
//! far it is and stops when it is told to; threads share out work whose result does not depend on them.

pub mod drills;
pub mod lessons;
pub mod scouting;
pub mod tried;
pub mod universe;
pub mod ways;
