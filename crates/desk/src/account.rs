//! The account: cash, lots and a double-entry journal, all computed from what happened.
//!
//! A lot is a key (instrument, unit price, opening moment, campaign) with a signed number of
//! contracts, shares or futures. Long and short lots of one instrument never coexist: a fill closes
//! opposite lots first (those of the campaign it names, then first in, first out) and opens with
//! the rest. Each fill is one balanced journal entry; sums over the journal are the account's
//! state, so replaying what happened gives the same account to the last digit.
//!
//! Nothing is paid for a future: its lots cost nothing, and what they gained or lost is settled in
//! cash when they are closed and at the end of every day. An exercised or assigned option ends at
//! its cost and the underlying changes hands at the strike; the campaign goes on in it.

use std::collections::BTreeMap;

use jiff::civil::Date;
use quant::Kind;

use crate::calendar::{next_session, previous_session};
use crate::contract::Contract;
use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::order::Fill;
use crate::time::Moment;
use crate::underlying::{Settlement, Underlying};

/// Sessions after which a trade in shares or options is settled (SEC Rule 15c6-1 as amended in
/// 2024, from memory).
pub const SETTLEMENT_SESSIONS: usize = 1;

/// Accounts of the journal. A debit is above zero; every entry sums to zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Book {
    /// Money in hand.
    Cash,
    /// What is held at cost (sold ones below zero); futures cost nothing.
    Positions,
    /// Profit (below zero) and loss of what is closed, and dividends, before fees.
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
}

/// What an entry that no order made was about: enough to make it again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cause {
    /// The series that ended or was exercised, or the underlying that paid or was settled.
    pub instrument: Instrument,
    /// Value per unit: of the settlement, the dividend, the future.
    pub value: Price,
    /// Contracts that were exercised or assigned, signed as they were held.
    pub quantity: i64,
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
        self.postings
            .iter()
            .filter(|(b, _)| *b == book)
            .map(|(_, m)| *m)
            .sum()
    }
}

/// Open contracts with one price, moment and campaign.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lot {
    /// The option series, or the underlying.
    pub instrument: Instrument,
    /// Signed contracts, shares or futures; never zero.
    pub quantity: i64,
    /// Price per unit at opening; of a future, at its last settlement.
    pub price: Price,
    /// When opened.
    pub opened: Moment,
    /// The campaign: the number of the order that opened it.
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

    /// Cost of the lot (received premiums below zero).
    pub fn cost(&self) -> Money {
        if self.margined {
            Money::ZERO
        } else {
            self.at(self.price)
        }
    }

    /// What the account holds in it at a price: its value, or of a future what was gained since its
    /// last settlement.
    pub fn worth(&self, price: Price) -> Money {
        if self.margined {
            self.at(price) - self.at(self.price)
        } else {
            self.at(price)
        }
    }

    /// Profit since it was opened (of a future, since its last settlement).
    pub fn profit(&self, price: Price) -> Money {
        self.at(price) - self.at(self.price)
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

/// What an event moved: money in hand, and the cost of what is held.
#[derive(Debug, Clone, Copy, Default)]
struct Moved {
    cash: Money,
    cost: Money,
}

impl Moved {
    /// What neither explains is profit.
    fn postings(self) -> Vec<(Book, Money)> {
        vec![
            (Book::Cash, self.cash),
            (Book::Positions, self.cost),
            (Book::Realised, -(self.cash + self.cost)),
        ]
    }
}

impl std::ops::AddAssign for Moved {
    fn add_assign(&mut self, o: Moved) {
        self.cash += o.cash;
        self.cost += o.cost;
    }
}

/// Where a trade is booked: the campaign it opens in, the one whose lots it closes first, and when.
struct Place {
    campaign: u64,
    closes: Option<u64>,
    at: Moment,
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

    /// Proceeds of trades that are not settled on a day: sales of the last sessions, which a cash
    /// account may not spend yet.
    pub fn unsettled(&self, today: Date) -> Money {
        let settles =
            |at: Moment| (0..SETTLEMENT_SESSIONS).fold(at.date(), |day, _| next_session(day));
        let recent = self
            .entries
            .iter()
            .rev()
            .take_while(|e| e.at.date() >= previous_session(today));
        let traded = recent.filter(|e| {
            matches!(
                e.kind,
                EntryKind::Trade | EntryKind::Exercise | EntryKind::Assignment
            )
        });
        traded
            .filter(|e| settles(e.at) > today)
            .map(|e| e.amount(Book::Cash).max(Money::ZERO))
            .sum()
    }

    /// Totals of one campaign.
    pub fn campaign(&self, id: u64) -> CampaignTotals {
        self.campaigns.get(&id).copied().unwrap_or_default()
    }

    fn lots_in<'a>(&'a self, instrument: &'a Instrument) -> impl Iterator<Item = &'a Lot> {
        self.lots
            .iter()
            .filter(move |l| l.instrument == *instrument)
    }

    /// How many are held of one instrument, signed.
    pub fn held(&self, instrument: &Instrument) -> i64 {
        self.lots_in(instrument).map(|l| l.quantity).sum()
    }

    /// How many of one instrument one campaign holds, signed.
    pub fn held_by(&self, campaign: u64, instrument: &Instrument) -> i64 {
        self.lots_in(instrument)
            .filter(|l| l.campaign == campaign)
            .map(|l| l.quantity)
            .sum()
    }

    /// Books money paid in.
    pub fn deposit(&mut self, at: Moment, amount: Money) -> &Entry {
        let postings = vec![(Book::Cash, amount), (Book::Capital, -amount)];
        self.record(Entry {
            at,
            kind: EntryKind::Deposit,
            memo: "paid in".into(),
            order: None,
            postings,
        })
    }

    /// Books an execution. `closes` names the campaign whose lots are closed first.
    pub fn fill(
        &mut self,
        fill: &Fill,
        closes: Option<u64>,
        underlying: &Underlying,
        memo: String,
    ) -> &Entry {
        let mut moved = Moved::default();
        for leg in &fill.legs {
            let campaign = Place {
                campaign: closes.unwrap_or(fill.order),
                closes,
                at: fill.at,
            };
            moved += self.trade(
                &leg.instrument,
                leg.quantity,
                leg.price,
                &campaign,
                underlying,
            );
        }
        let campaign = self
            .campaigns
            .entry(closes.unwrap_or(fill.order))
            .or_default();
        campaign.net_cash += moved.cash;
        campaign.fees += fill.fees;
        let mut postings = moved.postings();
        postings[0].1 -= fill.fees;
        postings.push((Book::Fees, fill.fees));
        self.record(Entry {
            at: fill.at,
            kind: EntryKind::Trade,
            memo,
            order: Some(fill.order),
            postings,
        })
    }

    /// Settles every lot of an expired series in cash at `value` per unit.
    pub fn settle(
        &mut self,
        at: Moment,
        contract: &Contract,
        value: Price,
        memo: String,
    ) -> Option<&Entry> {
        self.end(at, &Instrument::Option(contract.clone()), value, memo)
    }

    /// Ends every lot of a future that traded for the last time, at `price`.
    pub fn end_future(
        &mut self,
        at: Moment,
        symbol: &str,
        price: Price,
        memo: String,
    ) -> Option<&Entry> {
        self.end(at, &Instrument::Underlying(symbol.to_owned()), price, memo)
    }

    fn end(
        &mut self,
        at: Moment,
        instrument: &Instrument,
        value: Price,
        memo: String,
    ) -> Option<&Entry> {
        let mut moved = Moved::default();
        let (ended, kept): (Vec<Lot>, Vec<Lot>) = std::mem::take(&mut self.lots)
            .into_iter()
            .partition(|l| l.instrument == *instrument);
        self.lots = kept;
        for lot in &ended {
            let paid = lot.worth(value);
            let totals = self.campaigns.entry(lot.campaign).or_default();
            totals.net_cash += paid;
            totals.realised += paid - lot.cost();
            moved += Moved {
                cash: paid,
                cost: -lot.cost(),
            };
        }
        let entry = Entry {
            at,
            kind: EntryKind::Settlement,
            memo,
            order: None,
            postings: moved.postings(),
        };
        (!ended.is_empty()).then(|| self.record(entry))
    }

    /// Exercises so many contracts of a series (signed as they are held; below zero they are
    /// assigned), the oldest first: the options end at what they cost, the underlying changes hands
    /// at the strike. Nothing happens when fewer are held.
    pub fn deliver(
        &mut self,
        at: Moment,
        contract: &Contract,
        quantity: i64,
        underlying: &Underlying,
        memo: String,
    ) -> Option<&Entry> {
        let instrument = Instrument::Option(contract.clone());
        let held = self.held(&instrument);
        if quantity == 0
            || held.signum() != quantity.signum()
            || held.abs() < quantity.abs()
            || underlying.settlement == Settlement::Cash
        {
            return None;
        }
        let mut left = quantity.abs();
        let mut ended: Vec<Lot> = Vec::new();
        for lot in self.lots.iter_mut().filter(|l| l.instrument == instrument) {
            let n = left.min(lot.quantity.abs()) * lot.quantity.signum();
            ended.push(Lot {
                quantity: n,
                ..lot.clone()
            });
            lot.quantity -= n;
            left -= n.abs();
        }
        ended.retain(|l| l.quantity != 0);
        self.lots.retain(|l| l.quantity != 0);
        let mut moved = Moved::default();
        let side = if contract.kind == Kind::Call { 1 } else { -1 };
        for option in &ended {
            let taken = side * option.quantity * underlying.lot();
            let place = Place {
                campaign: option.campaign,
                closes: Some(option.campaign),
                at,
            };
            let delivered = self.trade(
                &Instrument::Underlying(underlying.symbol.clone()),
                taken,
                contract.strike,
                &place,
                underlying,
            );
            let totals = self.campaigns.entry(option.campaign).or_default();
            totals.net_cash += delivered.cash;
            totals.realised -= option.cost();
            moved += delivered;
            moved += Moved {
                cash: Money::ZERO,
                cost: -option.cost(),
            };
        }
        let kind = if quantity > 0 {
            EntryKind::Exercise
        } else {
            EntryKind::Assignment
        };
        Some(self.record(Entry {
            at,
            kind,
            memo,
            order: None,
            postings: moved.postings(),
        }))
    }

    /// Books a dividend of `value` a share on what is held of an underlying; sold shares owe it.
    pub fn dividend(
        &mut self,
        at: Moment,
        symbol: &str,
        value: Price,
        memo: String,
    ) -> Option<&Entry> {
        self.pay(at, symbol, EntryKind::Dividend, memo, |lot| lot.at(value))
    }

    /// Settles the gains and losses of futures at a price; from there on they count anew.
    pub fn settle_futures(
        &mut self,
        at: Moment,
        symbol: &str,
        price: Price,
        memo: String,
    ) -> Option<&Entry> {
        self.pay(at, symbol, EntryKind::Variation, memo, |lot| {
            let gained = lot.profit(price);
            lot.price = price;
            gained
        })
    }

    /// Pays something on each lot of an underlying, as a result of its campaign.
    fn pay(
        &mut self,
        at: Moment,
        symbol: &str,
        kind: EntryKind,
        memo: String,
        mut amount: impl FnMut(&mut Lot) -> Money,
    ) -> Option<&Entry> {
        let instrument = Instrument::Underlying(symbol.to_owned());
        let mut cash = Money::ZERO;
        let mut any = false;
        for lot in self.lots.iter_mut().filter(|l| l.instrument == instrument) {
            let paid = amount(lot);
            let totals = self.campaigns.entry(lot.campaign).or_default();
            totals.net_cash += paid;
            totals.realised += paid;
            cash += paid;
            any = true;
        }
        let entry = Entry {
            at,
            kind,
            memo,
            order: None,
            postings: Moved {
                cash,
                cost: Money::ZERO,
            }
            .postings(),
        };
        any.then(|| self.record(entry))
    }

    /// Closes opposite lots, then opens with the rest; books the profit to the campaigns of what
    /// was closed.
    fn trade(
        &mut self,
        instrument: &Instrument,
        quantity: i64,
        price: Price,
        place: &Place,
        underlying: &Underlying,
    ) -> Moved {
        let (units, margined) = (
            underlying.units(instrument),
            underlying.is_margined(instrument),
        );
        let mut left = quantity;
        let mut booked = Money::ZERO;
        for preferred in [true, false] {
            for lot in &mut self.lots {
                let opposite =
                    lot.instrument == *instrument && lot.quantity.signum() == -left.signum();
                if left == 0 || !opposite || (preferred && Some(lot.campaign) != place.closes) {
                    continue;
                }
                let n = left.abs().min(lot.quantity.abs()) * lot.quantity.signum();
                let profit = (price - lot.price).times(n * units);
                self.campaigns.entry(lot.campaign).or_default().realised += profit;
                booked += profit;
                lot.quantity -= n;
                left += n;
            }
        }
        self.lots.retain(|l| l.quantity != 0);
        if left != 0 {
            let lot = Lot {
                instrument: instrument.clone(),
                quantity: left,
                price,
                opened: place.at,
                campaign: place.campaign,
                units,
                margined,
            };
            self.lots.push(lot);
        }
        let paid = price.times(quantity * units);
        if margined {
            Moved {
                cash: booked,
                cost: Money::ZERO,
            }
        } else {
            Moved {
                cash: -paid,
                cost: paid + booked,
            }
        }
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
                out.push(format!(
                    "entry {row} ({}) does not balance: {sum}",
                    entry.memo
                ));
            }
        }
        let cost: Money = self.lots.iter().map(Lot::cost).sum();
        if cost != self.balance(Book::Positions) {
            out.push(format!(
                "lots cost {cost}, the positions book says {}",
                self.balance(Book::Positions)
            ));
        }
        let realised: Money = self.campaigns.values().map(|c| c.realised).sum();
        if realised != -self.balance(Book::Realised) {
            out.push(format!(
                "campaigns booked {realised}, the realised book says {}",
                -self.balance(Book::Realised)
            ));
        }
        for lot in &self.lots {
            if lot.quantity == 0
                || self
                    .lots_in(&lot.instrument)
                    .any(|l| l.quantity.signum() != lot.quantity.signum())
            {
                out.push(format!(
                    "{} has an empty lot, or long and short lots at once",
                    lot.instrument
                ));
            }
        }
        out
    }

    /// Option series with open lots, each once, in order.
    pub fn series(&self) -> Vec<Contract> {
        let mut found: Vec<Contract> = self
            .lots
            .iter()
            .filter_map(|l| l.instrument.option().cloned())
            .collect();
        found.sort();
        found.dedup();
        found
    }

    /// Underlyings with open lots of their own, each once, in order.
    pub fn underlyings(&self) -> Vec<String> {
        let own = |l: &Lot| {
            if let Instrument::Underlying(symbol) = &l.instrument {
                Some(symbol.clone())
            } else {
                None
            }
        };
        let mut found: Vec<String> = self.lots.iter().filter_map(own).collect();
        found.sort();
        found.dedup();
        found
    }

    /// Series with open lots that expire on or before a date.
    pub fn expiring(&self, by: Date) -> Vec<Contract> {
        self.series()
            .into_iter()
            .filter(|c| c.expiry <= by)
            .collect()
    }
}
