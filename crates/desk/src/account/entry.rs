//! The journal: balanced entries, each parted by campaign.

use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::time::Moment;

/// Accounts of the journal. A debit is above zero; every entry sums to zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Book {
    /// Money in hand.
    Cash,
    /// What is held at cost (sold ones below zero); futures cost nothing.
    Positions,
    /// Profit (below zero) and loss of what is closed, and dividends, before fees.
    Realised,
    /// What the broker was paid in commissions.
    Fees,
    /// What the owner paid in (below zero).
    Capital,
}

impl Book {
    /// All of them.
    pub const ALL: [Book; 5] = [
        Book::Cash,
        Book::Positions,
        Book::Realised,
        Book::Fees,
        Book::Capital,
    ];
}

/// Why an entry was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum EntryKind {
    /// Money paid in.
    Deposit,
    /// An order was filled, whole or in part.
    Trade,
    /// An expiration that ended in cash, or in nothing.
    Settlement,
    /// A holder's exercise: the underlying changed hands at the strike.
    Exercise,
    /// The same for the one who sold the option.
    Assignment,
    /// A dividend received, or paid on shares sold short.
    Dividend,
    /// Gains and losses of futures settled at the end of a day.
    Variation,
    /// Two campaigns held opposite sides of a series that ended in the money: between them it ends
    /// at its exercise value, and nothing is delivered.
    Offset,
    /// Lots moved from one campaign to another at their cost.
    Transfer,
    /// One campaign became part of another.
    Merge,
    /// The day's bar says another print than the one that something was settled by.
    Correction,
}

/// What an entry that no order made was about: enough to make it again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Cause {
    /// The market did it.
    Market {
        /// The series that ended or was exercised, or the underlying that paid or was settled.
        instrument: Instrument,
        /// Value per unit: of the settlement, the dividend, the future; of a correction what is added to it.
        value: Price,
        /// Contracts that were exercised or assigned, signed as they were held.
        quantity: i64,
        /// The campaigns it was about; all of them where none is named.
        only: Vec<u64>,
    },
    /// The trader moved lots between campaigns.
    Moved {
        /// From this campaign.
        from: u64,
        /// Into this one, which begins with it if it is new.
        to: u64,
        /// Of each instrument so many, signed as they were held.
        parts: Vec<(Instrument, i64)>,
    },
    /// The trader made one campaign part of another.
    Merged {
        /// The one that ended by it.
        from: u64,
        /// The one that goes on.
        into: u64,
    },
}

/// What an entry did to one campaign. Realised profit is cash and change of cost together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Share {
    /// The number of the campaign that this part belongs to.
    pub campaign: u64,
    /// Cash before fees, received above zero.
    pub cash: Money,
    /// Change of the cost of its open lots.
    pub cost: Money,
    /// Commissions that fall on this campaign, zero or above.
    pub fees: Money,
}

impl Share {
    /// Profit that was booked, before fees.
    pub fn realised(&self) -> Money {
        self.cash + self.cost
    }
}

/// One balanced journal entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// The moment at which the entry was booked.
    pub at: Moment,
    /// What kind of thing happened; with it the signs of the amounts can be read.
    pub kind: EntryKind,
    /// In plain words.
    pub memo: String,
    /// The order behind it, if any.
    pub order: Option<u64>,
    /// Amounts by book; they sum to zero.
    pub postings: Vec<(Book, Money)>,
    /// The same by campaign, each once; what was paid in belongs to none.
    pub shares: Vec<Share>,
}

impl Entry {
    /// What it did to one book.
    pub fn amount(&self, book: Book) -> Money {
        self.postings
            .iter()
            .filter(|(b, _)| *b == book)
            .map(|(_, m)| *m)
            .sum()
    }

    /// An entry made of what it did to campaigns.
    pub(super) fn of_shares(
        at: Moment,
        kind: EntryKind,
        memo: String,
        order: Option<u64>,
        shares: Vec<Share>,
    ) -> Entry {
        let sum = |of: fn(&Share) -> Money| shares.iter().map(of).sum::<Money>();
        let (cash, cost, fees) = (sum(|s| s.cash), sum(|s| s.cost), sum(|s| s.fees));
        let mut postings = vec![
            (Book::Cash, cash - fees),
            (Book::Positions, cost),
            (Book::Realised, -(cash + cost)),
        ];
        if kind == EntryKind::Trade {
            postings.push((Book::Fees, fees));
        }
        Entry {
            at,
            kind,
            memo,
            order,
            postings,
            shares,
        }
    }
}
