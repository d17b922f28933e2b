//! The daily record: one row at each close.

use crate::life::Parts;
use crate::number::Money;
use crate::rules::Largest;

/// Moves of the index that each row tells the profit of, in percent.
pub const DAY_MOVES: [i64; 5] = [-5, -1, 0, 1, 5];

/// The form of the rows that are made now. A row keeps the number of its form.
pub const DAY_VERSION: u32 = 3;

/// What the account stood at when a session closed, one row of the daily record.
#[derive(Debug, Clone, PartialEq)]
pub struct Day {
    /// The session's date, as 2031-03-11.
    pub date: String,
    /// The form that it was made in: of form 1 the value alone is known, of form 2 what interest and
    /// dividends made is among the other and the trades.
    pub version: u32,
    /// The account's value.
    pub value: Money,
    /// All other figures; absent where the market could not tell them.
    pub figures: Option<DayFigures>,
}

/// What the book looked like at a close, and what the day made.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct DayFigures {
    /// Paid in (taken out below zero) since the close before.
    pub deposits: Money,
    /// Profit since the close before, by what made it; `total` is all of it, exactly. What is not
    /// known of a campaign's parts is in `other`.
    pub parts: Parts,
    /// Cash at the close, below zero where it is owed.
    pub cash: Money,
    /// What new positions may use at the close.
    pub buying_power: Money,
    /// What the positions tie up at the close, zero or above.
    pub margin: Money,
    /// Greeks of the book.
    pub greeks: DayGreeks,
    /// Profit of the book if the index moves by each of [`DAY_MOVES`], each name by its beta,
    /// volatilities as they are.
    pub at_moves: [Money; 5],
    /// Capital at risk by the direction of the index that is best for each campaign.
    pub at_risk: AtRisk,
    /// Where most of it is.
    pub largest: Largest,
    /// What is held and had no quote or is not told in parts, by name.
    pub missing: Vec<String>,
}

/// Greeks of a book in money and in terms of one index.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct DayGreeks {
    /// Delta in index shares.
    pub lean: f64,
    /// Money made by one percent of the index to first order.
    pub lean_money: f64,
    /// Change of the delta in index shares by one point of the index.
    pub gamma: f64,
    /// Money that one day's passing brings, all else equal.
    pub theta: f64,
    /// A volatility point.
    pub vega: f64,
    /// A percentage point of the rate.
    pub rho: f64,
}

/// Capital at risk by the direction of the index that is best for it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct AtRisk {
    /// What makes most where the index rises by five percent.
    pub up: Money,
    /// Where it falls by as much.
    pub down: Money,
    /// Where it stays.
    pub still: Money,
}

/// How far the profit of all days stands below its highest so far, at each close. Money paid in is
/// no profit. Of rows of form 1 what was paid in is not known: they count from the first row of
/// form 2 on.
pub fn drawdowns(days: &[Day]) -> Vec<Option<Money>> {
    let (mut profit, mut highest) = (Money::ZERO, Money::ZERO);
    days.iter()
        .map(|day| {
            let figures = day.figures.as_ref()?;
            profit += figures.parts.total;
            highest = highest.max(profit);
            Some(highest - profit)
        })
        .collect()
}
