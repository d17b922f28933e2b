//! Underlyings: everything about a contract that its symbol does not say.

use quant::Style;

use crate::calendar::{Expiration, ListingRule};
use crate::contract::Contract;
use crate::number::Price;

/// How an exercised contract is settled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Settlement {
    /// Intrinsic value in cash.
    Cash,
    /// Shares change hands.
    Delivery,
}

/// Which margin percentages apply to an uncovered short option.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MarginClass {
    /// Shares, narrow funds: 20 % / 10 %.
    Equity,
    /// Broad index and funds on it: 15 % / 10 %.
    BroadIndex,
}

/// Price steps: from each lower bound (inclusive) upward, the tick in force. Ascending, first at 0.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TickTable(Vec<(Price, Price)>);

impl TickTable {
    /// One tick at every price.
    pub fn single(tick: Price) -> TickTable {
        TickTable(vec![(Price::ZERO, tick)])
    }

    /// One tick below `bound`, another from it on.
    pub fn split(below: Price, bound: Price, above: Price) -> TickTable {
        TickTable(vec![(Price::ZERO, below), (bound, above)])
    }

    /// The tick in force at a price; a negative price (a credit) steps like its magnitude.
    pub fn tick_at(&self, price: Price) -> Price {
        let at = price.abs();
        self.0.iter().rev().find(|(bound, _)| *bound <= at).map_or(self.0[0].1, |(_, tick)| *tick)
    }

    /// Whether the price can be quoted. A bound is legal in both regimes.
    pub fn allows(&self, price: Price) -> bool {
        price.raw() % self.tick_at(price).raw() == 0
    }

    /// The highest allowed price at or below `price`.
    pub fn floor(&self, price: Price) -> Price {
        let tick = self.tick_at(price).raw();
        Price::from_raw(price.raw().div_euclid(tick) * tick)
    }

    /// The lowest allowed price at or above `price`.
    pub fn ceil(&self, price: Price) -> Price {
        let up = -self.floor(-price);
        // Rounding up may cross into the coarser regime.
        if self.allows(up) { up } else { -self.floor(-up) }
    }
}

/// One thing that options are listed on. All of it is data.
#[derive(Debug, Clone, PartialEq)]
pub struct Underlying {
    /// Symbol, e.g. `NMOU`.
    pub symbol: String,
    /// Full name.
    pub name: String,
    /// Exercise style of its options.
    pub style: Style,
    /// How they settle.
    pub settlement: Settlement,
    /// Units of the underlying per contract.
    pub multiplier: i64,
    /// Ticks of a single option.
    pub ticks: TickTable,
    /// Tick of a package's net price.
    pub package_tick: Price,
    /// Margin percentages.
    pub margin_class: MarginClass,
    /// Which expirations are listed.
    pub listing: ListingRule,
    /// Root of the closing-settled weeklies where it differs from the symbol.
    pub weekly_root: Option<String>,
    /// Sensitivity to the index, used to express deltas in index terms.
    pub beta: f64,
    /// Continuously compounded dividend yield per year.
    pub dividend_yield: f64,
}

impl Underlying {
    /// The root under which an expiration's contracts trade.
    pub fn root_for(&self, expiration: &Expiration) -> &str {
        match &self.weekly_root {
            Some(root) if !expiration.am_settled => root,
            _ => &self.symbol,
        }
    }

    /// Whether a root belongs to this underlying.
    pub fn owns_root(&self, root: &str) -> bool {
        root == self.symbol || self.weekly_root.as_deref() == Some(root)
    }

    /// The expiration a contract belongs to, as far as its settlement time is concerned.
    pub fn expiry_moment(&self, contract: &Contract) -> crate::time::Moment {
        let am_settled = self.listing.am_monthlies && contract.root == self.symbol;
        Expiration { date: contract.expiry, cycle: crate::calendar::Cycle::Monthly, am_settled }.moment()
    }

    /// Smallest step of a package of `legs` legs: a single option keeps its own table.
    pub fn package_ticks(&self, legs: usize) -> TickTable {
        if legs <= 1 { self.ticks.clone() } else { TickTable::single(self.package_tick) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn price(text: &str) -> Price {
        text.parse().unwrap()
    }

    #[test]
    fn rounding_looks_the_regime_up_again() {
        let t = TickTable::split(Price::cents(1), Price::cents(300), Price::cents(5));
        let cases =
            [("2.994", "2.99", "3.00"), ("3.00", "3.00", "3.00"), ("3.01", "3.00", "3.05"), ("-2.994", "-3.00", "-2.99"), ("0.004", "0.00", "0.01")];
        for (given, down, up) in cases {
            assert_eq!((t.floor(price(given)), t.ceil(price(given))), (price(down), price(up)), "{given}");
        }
        assert!(t.allows(price("2.99")) && t.allows(price("3.05")) && !t.allows(price("3.01")) && t.allows(price("-0.90")));
    }
}
