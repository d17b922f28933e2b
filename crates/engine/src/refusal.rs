//! Why a command was refused, in words that say what is wrong and what would be right.

use desk::{EvaluationError, Instrument, OrderError, PackageError, SymbolError};
use market::ListingError;
use thiserror::Error;

/// Why a command was refused.
#[derive(Debug, Error)]
pub enum Refusal {
    /// An order cannot be as asked.
    #[error(transparent)]
    Order(#[from] OrderError),
    /// A contract is not listed.
    #[error(transparent)]
    Listing(#[from] ListingError),
    /// Text that is no contract.
    #[error(transparent)]
    Symbol(#[from] SymbolError),
    /// Legs that make no package.
    #[error(transparent)]
    Package(#[from] PackageError),
    /// No such underlying.
    #[error("{0:?} is not a known symbol; known: {1}")]
    UnknownSymbol(String, String),
    /// A leg of another underlying.
    #[error("{0} does not belong to {1}; all legs must be on one underlying")]
    OtherUnderlying(Instrument, String),
    /// An index as a leg.
    #[error("{0} is an index: it cannot be bought or sold, its options can")]
    NotTradable(String),
    /// What an adjusted contract delivers, as a leg.
    #[error(
        "{0} is what its adjusted contracts deliver: it is not listed by itself; buy the shares under \
         their own symbol"
    )]
    NotListed(String),
    /// The same ticket again.
    #[error("this ticket was already placed as order {0}; nothing was sent twice")]
    Duplicate(u64),
    /// No such order.
    #[error("there is no order {0}")]
    NoOrder(u64),
    /// No such bell.
    #[error("there is no bell {0} that could be changed so")]
    NoBell(u64),
    /// No such rule.
    #[error("there is no rule {0}")]
    NoRule(u64),
    /// No such date of the trader's own.
    #[error("there is no date {0} of yours")]
    NoOwnDate(u64),
    /// No such campaign.
    #[error("there is no open position {0}")]
    NoCampaign(u64),
    /// There are as many as there may be.
    #[error("{most} {what}, and no more can be; {remedy}")]
    TooMany {
        /// What they are, and what is done with them.
        what: &'static str,
        /// How many of them are allowed at most.
        most: usize,
        /// What would make room.
        remedy: &'static str,
    },
    /// A field that cannot be read.
    #[error("{field}: {message}")]
    Field {
        /// The field of the request that is wrong.
        field: &'static str,
        /// What is wrong and what would be right.
        message: String,
    },
    /// No quote for a leg.
    #[error("there is no quote for {0} now")]
    NoQuote(Instrument),
    /// The models refused.
    #[error(transparent)]
    Evaluation(#[from] EvaluationError),
    /// What was kept does not add up, so nothing may be changed.
    #[error("the books do not reconcile, so they can be read and not changed: {0}")]
    ReadOnly(String),
    /// A change would make books that do not add up.
    #[error("this would make books that do not reconcile, so nothing was done: {0}")]
    Inconsistent(String),
}
