//! The session: everything that happens by itself on a trading day, in its order.
//!
//! *Opening.*
//! 1. [`ExDividend`](Phase::ExDividend): shares held over the night are paid the dividend of the day; who sold
//!    short owes it. Nobody has traded yet.
//! 2. [`Settlement`](Phase::Settlement): series that settle on opening prints end at the print of the day. One
//!    whose print has not come yet waits for it.
//! 3. [`FirstDraw`](Phase::FirstDraw): the exchange opens. Orders that waited over the night trade, without the
//!    dividend.
//!
//! *In between* what waited for its print is settled as soon as it has come, and what the bar of its day tells
//! otherwise is corrected. Orders trade at every draw ([`exchange`](crate::exchange)).
//!
//! *Close.*
//! 1. [`Settlement`](Phase::Settlement): series that end at the close. In the money by a cent they are exercised
//!    and assigned (common practice: exercise by exception) unless their holder said not to, and the underlying
//!    changes hands or the value is paid.
//! 2. [`DailySettlement`](Phase::DailySettlement): futures count from the day's settlement price, those that
//!    were delivered a moment ago among them; one that traded for the last time ends.
//! 3. [`EarlyAssignment`](Phase::EarlyAssignment): holders exercise early, told as if it were known at once (in
//!    life it is known next morning).
//! 4. [`Marks`](Phase::Marks): the row of the day is written.
//!
//! Each phase looks at the account as the phases before it have left it. The live clock, jumps, rehearsals
//! and the import of old executions all go through this list.

use desk::Moment;
use desk::calendar::{close_of, is_session, open_of};

/// One thing of a session.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Phase {
    /// Dividends of the day.
    ExDividend,
    /// Ends of series whose print is known.
    Settlement,
    /// The exchange's first look at orders.
    FirstDraw,
    /// Futures settled for the day, or ended.
    DailySettlement,
    /// Early exercise by holders.
    EarlyAssignment,
    /// The row of the day.
    Marks,
}

/// What happens at a moment at which something may happen by itself, in its order.
pub fn phases(at: Moment) -> &'static [Phase] {
    let day = at.date();
    if is_session(day) && at == open_of(day) {
        &[Phase::ExDividend, Phase::Settlement, Phase::FirstDraw]
    } else if is_session(day) && at == close_of(day) {
        &[
            Phase::Settlement,
            Phase::DailySettlement,
            Phase::EarlyAssignment,
            Phase::Marks,
        ]
    } else {
        &[Phase::Settlement]
    }
}
