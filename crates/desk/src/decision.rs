//! Decisions: how the trader answered what rounds asked, and for how long the answer holds.

use jiff::civil::Date;

use crate::bell::BellSide;
use crate::number::Price;
use crate::time::Moment;

/// Until when something is let be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Until {
    /// The opening of a date.
    Date(Date),
    /// A price of the underlying.
    Price {
        /// From which side it comes.
        side: BellSide,
        /// The price of the underlying that ends the wait, per unit.
        level: Price,
    },
    /// The reason begins anew.
    Change,
}

/// What the trader can say to something that asks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Answer {
    /// Closed: by an order that was sent.
    Close,
    /// Exercised at its end.
    Exercise,
    /// Not exercised at its end.
    DoNotExercise,
    /// Let be until something.
    LetBe(Until),
    /// Read, and nothing to do.
    Noted,
}

/// One answer to one reason.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Decision {
    /// The number by which it is named; later ones have higher numbers.
    pub id: u64,
    /// The moment at which it was answered.
    pub at: Moment,
    /// The campaign; absent for the account.
    pub campaign: Option<u64>,
    /// The key of the reason.
    pub reason: String,
    /// What the reason said then.
    pub says: String,
    /// What the trader said to it.
    pub answer: Answer,
    /// The order that was sent for it.
    pub order: Option<u64>,
    /// What the trader wrote beside it, in any words.
    pub note: String,
}

/// A date of the trader's own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnDate {
    /// The number by which it is named; later ones have higher numbers.
    pub id: u64,
    /// The day that the trader wants to be reminded of.
    pub date: Date,
    /// What it is.
    pub what: String,
    /// The campaign it belongs to, if it does.
    pub campaign: Option<u64>,
}
