//! What a campaign stands at: what it holds, what came in for it and what was booked, as of a moment.
//!
//! Only the account makes a [`Standing`], of today or of any moment before. Whoever draws, values or
//! judges a campaign reads it: its page, rounds, rules, the book, rework, lessons, the road not taken.
//!
//! Nothing is paid for a future, so cash alone does not say what one held is worth: it is worth its price
//! less the value that it counts from, which is what it was bought at or its last daily settlement. That
//! value is part of the standing, so that no reader can forget it.

use super::campaign::Campaign;
use crate::entry_price::EntryPrice;
use crate::holding::{Holding, Leg};
use crate::life::held_by;
use crate::number::Money;
use crate::proposal::Proposal;
use crate::shape::Received;
use crate::time::Moment;

/// A campaign as of a moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Standing {
    /// The number of the campaign that stands so.
    pub campaign: u64,
    /// What it is on.
    pub symbol: String,
    /// The moment of its first chapter.
    pub opened: Moment,
    /// What it holds; nothing once it is closed.
    pub held: Holding,
    /// Cash that its first order brought, in all its parts, before fees; below zero where it was paid.
    pub entry: Money,
    /// Cash of all chapters before fees, received above zero.
    pub cash: Money,
    /// Profit booked on what is closed, before fees.
    pub realised: Money,
    /// Fees paid, above zero.
    pub fees: Money,
    /// The value in money that its futures count from, sold ones below zero; zero where none is held.
    pub futures: Money,
}

impl Standing {
    /// What was realised less the fees.
    pub fn booked(&self) -> Money {
        self.realised - self.fees
    }

    /// What its open lots cost (received below zero); futures cost nothing.
    pub fn open_cost(&self) -> Money {
        self.realised - self.cash
    }

    /// The money that the profit of what is held counts from: what was paid for it, and the value that
    /// futures count from.
    pub fn basis(&self) -> Money {
        self.open_cost() + self.futures
    }

    /// What came in for all that is held, what was realised and the fees included: an outline of the
    /// campaign starts from it.
    ///
    /// One future bought at 68.40 (×1,000) and a 72 call sold on it at 1.20: 1,200.00 came in, and the
    /// future counts from 68,400.00, so that −67,200.00 is what the outline starts from. At 72 and above
    /// it makes 72,000 − 67,200 = 4,800.00.
    pub fn received(&self) -> Received {
        Received::counted(self.cash - self.fees - self.futures)
    }

    /// Profit of the whole campaign when what is held is worth so much in all, a future counted at its
    /// price; fees of a later close are not in it.
    pub fn profit(&self, worth: Money) -> Money {
        worth + self.received().money()
    }

    /// The whole campaign as it is held, to be judged: what was realised before is part of its profit.
    pub fn proposal(&self) -> Proposal {
        Proposal {
            structure: self.held.clone(),
            entry: EntryPrice::Paid(self.basis()),
            realised: self.booked(),
            range: None,
            closing: false,
        }
    }
}

impl Campaign {
    /// What it stands at after everything that had happened to it by a moment; nothing before its
    /// opening.
    pub fn standing(&self, at: Moment) -> Option<Standing> {
        let chapters = || self.chapters.iter().filter(|c| c.at <= at);
        let first = chapters().next()?;
        // An order that fills in parts opens in several chapters.
        let parts = chapters().filter(|c| c.order.is_some() && c.order == first.order);
        let entry = if first.order.is_some() {
            parts.map(|c| c.cash).sum()
        } else {
            first.cash
        };
        let legs = held_by(&self.chapters, at).into_iter();
        Some(Standing {
            campaign: self.id,
            symbol: self.symbol.clone(),
            opened: first.at,
            held: legs
                .map(|(instrument, quantity)| Leg {
                    instrument,
                    quantity,
                })
                .collect(),
            entry,
            cash: chapters().map(|c| c.cash).sum(),
            realised: chapters().map(|c| c.realised).sum(),
            fees: chapters().map(|c| c.fees).sum(),
            futures: chapters().map(|c| c.futures).sum(),
        })
    }
}
