//! Open lots: exact money for what is held.

use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::time::Moment;

/// Open contracts, shares or futures that were bought or sold at one moment in one campaign.
///
/// A lot carries its cost as money. What is closed of it takes its part of that cost away, rounded
/// once, and the rest keeps the difference, so that no sequence of partial closings loses or finds
/// a hundredth of a cent: 2 shares bought at 10.12345 cost 20.2469; one sold takes 10.1234 with it
/// and leaves 10.1235.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lot {
    /// The option series, or the underlying.
    pub instrument: Instrument,
    /// Signed contracts, shares or futures; never zero.
    pub quantity: i64,
    /// The money that profit counts from: what was paid (received below zero); of a future, its
    /// value at the last daily settlement.
    pub basis: Money,
    /// The moment of the trade or delivery that opened it; the oldest lots are closed first.
    pub opened: Moment,
    /// The campaign it belongs to.
    pub campaign: u64,
    /// Money per 1.00 of price, of one.
    pub units: i64,
    /// Nothing was paid for it, gains and losses are settled every day.
    pub margined: bool,
}

impl Lot {
    fn at(&self, price: Price) -> Money {
        price.times(self.quantity * self.units)
    }

    /// Cost of the lot (received premiums below zero); nothing of a future.
    pub fn cost(&self) -> Money {
        if self.margined {
            Money::ZERO
        } else {
            self.basis
        }
    }

    /// The value that it counts from as a future; nothing of what was paid for.
    pub fn counted(&self) -> Money {
        self.basis - self.cost()
    }

    /// Price per unit that profit counts from, to the nearest 1e-8: for showing.
    pub fn price(&self) -> Price {
        average(self.basis, self.quantity * self.units)
    }

    /// What the account holds in it at a price: its value, or of a future what was gained since its
    /// last settlement.
    pub fn worth(&self, price: Price) -> Money {
        if self.margined {
            self.profit(price)
        } else {
            self.at(price)
        }
    }

    /// Profit since it was opened (of a future, since its last settlement).
    pub fn profit(&self, price: Price) -> Money {
        self.at(price) - self.basis
    }

    /// Takes `n` (above zero, at most all) of it away, with their part of its basis, to the nearest
    /// 1e-4, ties to even. The lot keeps the difference.
    pub(super) fn take(&mut self, n: i64) -> Money {
        let part = self.basis.part(n, self.quantity.abs());
        self.basis -= part;
        self.quantity -= n * self.quantity.signum();
        part
    }

    /// Counts from a price on, and gives what was gained until then.
    pub(super) fn settle_at(&mut self, price: Price) -> Money {
        let gained = self.profit(price);
        self.basis += gained;
        gained
    }
}

/// Price per unit of so much money for so many units, to the nearest 1e-8; zero for none.
pub fn average(money: Money, units: i64) -> Price {
    money.over(units)
}
