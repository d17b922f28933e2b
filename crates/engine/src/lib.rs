//! **engine**: one account living through one market.
//!
//! The clock, the orders and the exchange, what happens to positions without an order, the account,
//! the bells, and every rule of placing and changing orders. A command and the moment go in; facts
//! and the next state come out. Whoever drives an [`Engine`] keeps the facts: the program's desk
//! task in a database, a builder of a demo account all at once, a law of the tests nowhere.
//!
//! - [`Engine`]'s commands work on a copy of the [`State`] (cheap: what grows is shared) and become
//!   it only when the books that they make hold. Nothing is half done.
//! - Time passes stop by stop ([`Engine::advance_to_stop`]): openings, closes and some moments in
//!   between. A long way can be watched, and ended between two stops; cut anywhere, it comes out
//!   the same.
//! - There is no network, no database, no file and no wall clock in here, and no randomness but the
//!   market's own seed.
//!
//! ```
//! use std::sync::Arc;
//! use desk::{Moment, Money, Saved};
//! use engine::Engine;
//! use market::{DEMO_DAY, World};
//! let start = Moment::at(DEMO_DAY, 10, 42);
//! let mut engine = Engine::restore(Arc::new(World::new(1)), Saved::default(), start);
//! engine.deposit(Money::whole(10_000))?;
//! engine.advance(Moment::at(DEMO_DAY, 12, 0))?;
//! // The deposit and the clock are facts to be kept.
//! assert!(!engine.take_facts().is_empty());
//! # Ok::<(), engine::Refusal>(())
//! ```

pub mod balance;
pub mod bells;
pub mod campaigns;
pub mod commands;
mod days;
#[allow(clippy::module_inception)]
mod engine;
mod history;
pub mod judging;
pub mod life;
mod lifecycle;
mod memo;
pub mod money;
pub mod orders;
mod pace;
mod refusal;
pub mod rounds;
pub mod seen;
pub mod sight;
pub mod state;

pub use commands::trading::Tie;
pub use engine::{Checkpoint, Engine};
pub use history::{Execution, HistoryProblem, PreparedHistory, history_problems, prepare_history};
pub use refusal::Refusal;
pub use state::{Drafts, State};
