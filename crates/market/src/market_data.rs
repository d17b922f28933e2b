//! What is seen of a market: a contract as it is listed, a bar of a session.

use desk::{Price, Quote};
use jiff::civil::Date;

/// One contract as the chain shows it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Listed {
    /// Its bid, ask, sizes and what was traded.
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
    /// Why its market is not to be relied on: nothing is fitted to it and nothing fills against it.
    pub doubt: Option<Doubt>,
}

/// Why the market of a contract is not to be relied on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Doubt {
    /// Nothing was seen of it although the other side of its strike was.
    Missing,
    /// Nobody asks, so nobody sells it.
    Zero,
    /// Bid and ask are the same.
    Locked,
    /// The bid lies above the ask.
    Crossed,
    /// It cannot stand beside its neighbours' markets.
    Outlier,
}

impl Doubt {
    /// What a market says of itself alone. A bid of nothing is none: far from the money nobody bids.
    pub(crate) fn of(quote: &Quote) -> Option<Doubt> {
        if quote.ask <= Price::ZERO {
            Some(Doubt::Zero)
        } else if quote.bid > quote.ask {
            Some(Doubt::Crossed)
        } else if quote.bid == quote.ask {
            Some(Doubt::Locked)
        } else {
            None
        }
    }

    /// Why it is doubted, as a part of a sentence.
    pub fn words(self) -> &'static str {
        match self {
            Doubt::Missing => "not quoted at this moment",
            Doubt::Zero => "nobody asks",
            Doubt::Locked => "locked: bid and ask are the same",
            Doubt::Crossed => "crossed: the bid lies above the ask",
            Doubt::Outlier => "outlier: far from what its neighbours are worth",
        }
    }
}

/// One session of an underlying.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bar {
    /// The date of the session.
    pub date: Date,
    /// The first price of the session.
    pub open: Price,
    /// The highest price of the session.
    pub high: Price,
    /// The lowest price of the session.
    pub low: Price,
    /// The last price of the session.
    pub close: Price,
    /// Shares or contracts that changed hands; 0 where it is not known.
    pub volume: i64,
}
