//! The account: cash, lots and a double-entry journal, all computed from what happened.
//!
//! A lot is a key (contract, unit price, opening moment, campaign) with a signed number of
//! contracts. Long and short lots of one contract never coexist: a fill closes opposite lots first
//! (those of the campaign it names, then first in, first out) and opens with the rest. Each fill is one
//! balanced journal entry; sums over the journal are the account's state, so replaying what
//! happened gives the same account to the last digit.

use std::collections::BTreeMap;

use jiff::civil::Date;

use crate::contract::Contract;
use crate::number::{Money, Price};
use crate::order::Fill;
use crate::time::Moment;

/// Accounts of the journal. A debit is above zero; every entry sums to zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Book {
    /// Money in hand.
    Cash,
    /// Open contracts at cost (sold ones below zero).
    Positions,
    /// Profit (below zero) and loss of closed contracts, before fees.
    Realised,
    /// Fees paid.
    Fees,
    /// What the owner paid in (below zero).
    Capital,
}

/// Why an entry was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum EntryKind {
    /// Money paid in.
    Deposit,
    /// An execution.
    Trade,
    /// An expiration settled in cash.
    Settlement,
}

/// One balanced journal entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// When.
    pub at: Moment,
    /// Why.
    pub kind: EntryKind,
    /// In plain words.
    pub memo: String,
    /// The order behind it, if any.
    pub order: Option<u64>,
    /// Amounts by book; they sum to zero.
    pub postings: Vec<(Book, Money)>,
}

impl Entry {
    /// What it did to one book.
    pub fn amount(&self, book: Book) -> Money {
        self.postings.iter().filter(|(b, _)| *b == book).map(|(_, m)| *m).sum()
    }
}

/// Open contracts with one price, moment and campaign.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lot {
    /// The series.
    pub contract: Contract,
    /// Signed contracts; never zero.
    pub quantity: i64,
    /// Price per unit at opening.
    pub price: Price,
    /// When opened.
    pub opened: Moment,
    /// The campaign: the number of the order that opened it.
    pub campaign: u64,
    /// Units per contract.
    pub multiplier: i64,
}

impl Lot {
    /// Cost of the lot (received premiums below zero).
    pub fn cost(&self) -> Money {
        self.price.times(self.quantity * self.multiplier)
    }
}

/// Totals of one campaign over its life.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct CampaignTotals {
    /// Cash of all its fills and settlements, before fees (received above zero).
    pub net_cash: Money,
    /// Profit booked on what is closed, before fees.
    pub realised: Money,
    /// Fees paid.
    pub fees: Money,
}

/// State of the account.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Account {
    lots: Vec<Lot>,
    entries: Vec<Entry>,
    balances: BTreeMap<Book, Money>,
    campaigns: BTreeMap<u64, CampaignTotals>,
}

impl Account {
    /// Open lots, in the order of opening.
    pub fn lots(&self) -> &[Lot] {
        &self.lots
    }

    /// The journal, oldest first.
    pub fn entries(&self) -> &[Entry] {
        &self.entries
    }

    /// Balance of one book.
    pub fn balance(&self, book: Book) -> Money {
        self.balances.get(&book).copied().unwrap_or_default()
    }

    /// Totals of one campaign.
    pub fn campaign(&self, id: u64) -> CampaignTotals {
        self.campaigns.get(&id).copied().unwrap_or_default()
    }

    /// Contracts held of one series, signed.
    pub fn held(&self, contract: &Contract) -> i64 {
        self.lots.iter().filter(|l| l.contract == *contract).map(|l| l.quantity).sum()
    }

    /// Contracts of one series that one campaign holds, signed.
    pub fn held_by(&self, campaign: u64, contract: &Contract) -> i64 {
        self.lots.iter().filter(|l| l.campaign == campaign && l.contract == *contract).map(|l| l.quantity).sum()
    }

    /// Books money paid in.
    pub fn deposit(&mut self, at: Moment, amount: Money) -> &Entry {
        let postings = vec![(Book::Cash, amount), (Book::Capital, -amount)];
        self.record(Entry { at, kind: EntryKind::Deposit, memo: "paid in".into(), order: None, postings })
    }

    /// Books an execution. `closes` names the campaign whose lots are closed first.
    pub fn fill(&mut self, fill: &Fill, closes: Option<u64>, multiplier: i64, memo: String) -> &Entry {
        let mut cash = Money::ZERO;
        let mut cost = Money::ZERO;
        for leg in &fill.legs {
            let paid = leg.price.times(leg.quantity * multiplier);
            cash -= paid;
            cost += paid + self.trade(&leg.contract, leg.quantity, leg.price, fill.at, fill.order, closes, multiplier);
        }
        let realised = cash + cost;
        let campaign = self.campaigns.entry(closes.unwrap_or(fill.order)).or_default();
        campaign.net_cash += cash;
        campaign.fees += fill.fees;
        let postings = vec![(Book::Cash, cash - fill.fees), (Book::Positions, cost), (Book::Realised, -realised), (Book::Fees, fill.fees)];
        self.record(Entry { at: fill.at, kind: EntryKind::Trade, memo, order: Some(fill.order), postings })
    }

    /// Settles every lot of an expired series in cash at `value` per unit.
    pub fn settle(&mut self, at: Moment, contract: &Contract, value: Price, multiplier: i64, memo: String) -> Option<&Entry> {
        let held = self.held(contract);
        if held == 0 {
            return None;
        }
        let cash = value.times(held * multiplier);
        let carried: Money = self.lots.iter().filter(|l| l.contract == *contract).map(Lot::cost).sum();
        for lot in self.lots.iter().filter(|l| l.contract == *contract) {
            let paid = value.times(lot.quantity * multiplier);
            let totals = self.campaigns.entry(lot.campaign).or_default();
            totals.net_cash += paid;
            totals.realised += paid - lot.cost();
        }
        self.lots.retain(|l| l.contract != *contract);
        let postings = vec![(Book::Cash, cash), (Book::Positions, -carried), (Book::Realised, carried - cash)];
        Some(self.record(Entry { at, kind: EntryKind::Settlement, memo, order: None, postings }))
    }

    /// Closes opposite lots, then opens with the rest. Returns the profit booked.
    #[allow(clippy::too_many_arguments)]
    fn trade(&mut self, contract: &Contract, quantity: i64, price: Price, at: Moment, order: u64, closes: Option<u64>, multiplier: i64) -> Money {
        let mut left = quantity;
        let mut booked = Money::ZERO;
        for preferred in [true, false] {
            for lot in &mut self.lots {
                let opposite = lot.contract == *contract && lot.quantity.signum() == -left.signum();
                if left == 0 || !opposite || (preferred && Some(lot.campaign) != closes) {
                    continue;
                }
                let n = left.abs().min(lot.quantity.abs()) * lot.quantity.signum();
                let profit = (price - lot.price).times(n * multiplier);
                self.campaigns.entry(lot.campaign).or_default().realised += profit;
                booked += profit;
                lot.quantity -= n;
                left += n;
            }
        }
        self.lots.retain(|l| l.quantity != 0);
        if left != 0 {
            let campaign = closes.unwrap_or(order);
            self.lots.push(Lot { contract: contract.clone(), quantity: left, price, opened: at, campaign, multiplier });
        }
        booked
    }

    fn record(&mut self, entry: Entry) -> &Entry {
        for (book, amount) in &entry.postings {
            *self.balances.entry(*book).or_default() += *amount;
        }
        self.entries.push(entry);
        &self.entries[self.entries.len() - 1]
    }

    /// Everything about the account that must always hold and does not; empty when sound.
    pub fn violations(&self) -> Vec<String> {
        let mut out = Vec::new();
        for (row, entry) in self.entries.iter().enumerate() {
            let sum: Money = entry.postings.iter().map(|(_, m)| *m).sum();
            if sum != Money::ZERO {
                out.push(format!("entry {row} ({}) does not balance: {sum}", entry.memo));
            }
        }
        let cost: Money = self.lots.iter().map(Lot::cost).sum();
        if cost != self.balance(Book::Positions) {
            out.push(format!("lots cost {cost}, the positions book says {}", self.balance(Book::Positions)));
        }
        let realised: Money = self.campaigns.values().map(|c| c.realised).sum();
        if realised != -self.balance(Book::Realised) {
            out.push(format!("campaigns booked {realised}, the realised book says {}", -self.balance(Book::Realised)));
        }
        for lot in &self.lots {
            if lot.quantity == 0 || self.lots.iter().any(|l| l.contract == lot.contract && l.quantity.signum() != lot.quantity.signum()) {
                out.push(format!("{} has an empty lot, or long and short lots at once", lot.contract));
            }
        }
        out
    }

    /// Series with open lots that expire on or before a date.
    pub fn expiring(&self, by: Date) -> Vec<Contract> {
        let mut found: Vec<Contract> = self.lots.iter().filter(|l| l.contract.expiry <= by).map(|l| l.contract.clone()).collect();
        found.sort();
        found.dedup();
        found
    }
}
