//! What is seen of a market: a contract as it is listed, a bar of a session.

use desk::{Price, Quote};
use jiff::civil::Date;

/// One contract as the chain shows it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Listed {
    /// Its market.
    pub quote: Quote,
    /// Price of the last trade of the session; absent if there was none.
    pub last: Option<Price>,
    /// Theoretical value per unit.
    pub theoretical: f64,
    /// Delta per unit, at the surface's volatility.
    pub delta: f64,
    /// Volatility implied by the middle; absent without a bid, and where bid and ask lie thirty
    /// points apart.
    pub implied: Option<f64>,
}

/// One session of an underlying.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bar {
    /// The session.
    pub date: Date,
    /// First print.
    pub open: Price,
    /// Highest print.
    pub high: Price,
    /// Lowest print.
    pub low: Price,
    /// Last print.
    pub close: Price,
    /// Units traded.
    pub volume: i64,
}
