//! The account: cash, lots, campaigns and a double-entry journal, all computed from what happened.
//!
//! Each execution is booked in one campaign: that of the order that opened it, or the one it was
//! sent from. It closes opposite lots of that campaign, first in first out, and opens with the
//! rest; it never touches another campaign's lots. Two campaigns may hold opposite sides of one
//! series: they stand side by side in the books, and are netted only where the account as a whole
//! is looked at, in margin and in exercise. When such a series ends in the money, the sides end
//! against each other at its exercise value ([`Account::offset`]) and only the rest is delivered.
//!
//! Every event is one balanced journal entry, parted by campaign; sums over the journal are the
//! account's state, so replaying what happened gives the same account to the last digit. Nothing is
//! paid for a future: its lots cost nothing, and what they gained or lost is settled in cash when
//! they are closed and at the end of every day. An exercised or assigned option ends at its cost
//! and the underlying changes hands at the strike; the campaign goes on in it.
//!
//! What grows with history, entries and campaigns, is kept in shared structures: a clone of an
//! account with 60,000 entries costs no more than one of an account with ten.

mod campaign;
mod entry;
mod lot;
mod standing;
mod trail;

use std::collections::BTreeMap;
use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

use imbl::{OrdMap, OrdSet, Vector};
use jiff::civil::Date;
use quant::Kind;

use crate::calendar::{next_session, previous_session};
use crate::contract::Contract;
use crate::day_trade::Change;
use crate::holding::{Holding, Leg};
use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::order::{Fill, FillTerms};
use crate::time::Moment;
use crate::underlying::{Settlement, Underlying};

pub use campaign::{Campaign, CampaignTotals, Chapter, ChapterKind, Label};
pub use entry::{Book, Cause, Entry, EntryKind, Share};
pub use lot::{Lot, average};
pub use standing::Standing;
pub use trail::{Stretch, trail};

/// Sessions after which a trade in shares or options is settled (SEC Rule 15c6-1 as amended in
/// 2024, from memory).
pub const SETTLEMENT_SESSIONS: usize = 1;

/// State of the account.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Account {
    lots: Vec<Lot>,
    entries: Vector<Entry>,
    /// Numbers of the entries by their date: imported ones may be older than those before them.
    dated: OrdSet<(Date, usize)>,
    balances: BTreeMap<Book, Money>,
    campaigns: OrdMap<u64, Arc<Campaign>>,
    /// Campaigns that became part of others.
    merged: OrdMap<u64, u64>,
    /// A number for everything that was booked.
    stamp: u64,
}

/// What one event did, while it is put together: shares by campaign, and what each campaign's
/// holding changed by.
#[derive(Default)]
struct Moves {
    shares: BTreeMap<u64, Share>,
    legs: BTreeMap<u64, Vec<(Instrument, i64)>>,
    /// By campaign, what the value changed by that its futures count from.
    futures: BTreeMap<u64, Money>,
    /// Campaigns in which something was closed, and in which something was opened.
    closed: Vec<u64>,
    opened: Vec<u64>,
}

impl Moves {
    fn share(&mut self, campaign: u64) -> &mut Share {
        let share = self.shares.entry(campaign).or_default();
        share.campaign = campaign;
        share
    }

    fn pay(&mut self, campaign: u64, cash: Money, cost: Money) {
        let share = self.share(campaign);
        share.cash += cash;
        share.cost += cost;
    }

    /// Futures of a campaign count from so much more.
    fn count(&mut self, campaign: u64, more: Money) {
        *self.futures.entry(campaign).or_default() += more;
    }

    fn change(&mut self, campaign: u64, instrument: &Instrument, quantity: i64) {
        let legs = self.legs.entry(campaign).or_default();
        match legs.iter_mut().find(|(i, _)| i == instrument) {
            Some((_, n)) => *n += quantity,
            None => legs.push((instrument.clone(), quantity)),
        }
    }
}

/// Where a trade is booked.
#[derive(Clone, Copy)]
struct Place {
    campaign: u64,
    at: Moment,
}

/// Whether a campaign is meant; every one is where none is named.
fn meant(only: &[u64], campaign: u64) -> bool {
    only.is_empty() || only.contains(&campaign)
}

impl Account {
    /// Open lots, in the order of opening.
    pub fn lots(&self) -> &[Lot] {
        &self.lots
    }

    /// The journal, in the order it was booked.
    pub fn entries(&self) -> &Vector<Entry> {
        &self.entries
    }

    /// Entries of a date and later, whenever they were booked, in the order of their dates.
    pub fn entries_since(&self, date: Date) -> impl Iterator<Item = &Entry> {
        self.dated
            .range((date, 0)..)
            .filter_map(|(_, number)| self.entries.get(*number))
    }

    /// Changes of what is held since a date, whenever they were booked.
    pub fn changes_since(&self, date: Date) -> Vec<Change<'_>> {
        let numbers = self.dated.range((date, 0)..).map(|(_, number)| *number);
        let mut out = Vec::new();
        for number in numbers {
            let entry = &self.entries[number];
            let touched = entry
                .shares
                .iter()
                .filter_map(|s| self.campaign(s.campaign));
            let chapters = touched.flat_map(|c| c.chapters.iter().rev());
            for chapter in chapters.filter(|c| c.entry == number) {
                let changed = chapter.legs.iter().filter(|(_, quantity)| *quantity != 0);
                out.extend(changed.map(|(instrument, quantity)| Change {
                    at: entry.at,
                    order: entry.order,
                    instrument,
                    quantity: *quantity,
                }));
            }
        }
        out
    }

    /// A number that stands for everything booked so far: accounts that went different ways have
    /// different ones, so that what was worked out for one is never taken for another.
    pub fn stamp(&self) -> u64 {
        self.stamp
    }

    /// Balance of one book.
    pub fn balance(&self, book: Book) -> Money {
        self.balances.get(&book).copied().unwrap_or_default()
    }

    /// Money paid in after a moment.
    pub fn paid_in_since(&self, moment: Moment) -> Money {
        self.entries_since(moment.date())
            .filter(|e| e.kind == EntryKind::Deposit && e.at > moment)
            .map(|e| e.amount(Book::Cash))
            .sum()
    }

    /// Proceeds of trades that are not settled on a day: sales of the last sessions, which a cash
    /// account may not spend yet.
    pub fn unsettled(&self, today: Date) -> Money {
        let settles =
            |at: Moment| (0..SETTLEMENT_SESSIONS).fold(at.date(), |day, _| next_session(day));
        let trades = |e: &&Entry| {
            matches!(
                e.kind,
                EntryKind::Trade | EntryKind::Exercise | EntryKind::Assignment
            )
        };
        self.entries_since(previous_session(today))
            .filter(trades)
            .filter(|e| settles(e.at) > today)
            .map(|e| e.amount(Book::Cash).max(Money::ZERO))
            .sum()
    }

    /// A campaign, by its number or by that of one that became part of it.
    pub fn campaign(&self, id: u64) -> Option<&Campaign> {
        self.campaigns.get(&self.home(id)).map(Arc::as_ref)
    }

    /// All campaigns, by number.
    pub fn campaigns(&self) -> impl Iterator<Item = &Campaign> {
        self.campaigns.values().map(Arc::as_ref)
    }

    /// The campaign that a number stands for now.
    pub fn home(&self, id: u64) -> u64 {
        self.merged.get(&id).map_or(id, |into| self.home(*into))
    }

    /// What a campaign goes by: the name it was given, otherwise what it holds, otherwise what
    /// opened it.
    pub fn title(&self, id: u64, underlying: &Underlying) -> Option<String> {
        let campaign = self.campaign(id)?;
        if !campaign.label.name.is_empty() {
            return Some(campaign.label.name.clone());
        }
        let held = self.holding_of(id);
        let holding = if held.legs().is_empty() {
            let first = campaign.chapters.first()?;
            first
                .legs
                .iter()
                .map(|(instrument, quantity)| Leg {
                    instrument: instrument.clone(),
                    quantity: *quantity,
                })
                .collect()
        } else {
            held
        };
        let (name, strikes) = (
            crate::naming::recognise(&holding, underlying).text,
            holding.strikes_label(),
        );
        Some(format!("{name} {strikes}").trim_end().to_owned())
    }

    /// What a campaign stands at now: everything booked in it has happened. Nothing where there is
    /// none.
    pub fn standing(&self, id: u64) -> Option<Standing> {
        let campaign = self.campaign(id)?;
        let last = campaign.chapters.iter().map(|c| c.at).max()?;
        campaign.standing(last)
    }

    /// Totals of one campaign.
    pub fn totals(&self, id: u64) -> CampaignTotals {
        self.campaign(id).map(|c| c.totals).unwrap_or_default()
    }

    /// The largest number of a campaign.
    pub fn last_campaign(&self) -> Option<u64> {
        let own = self.campaigns.get_max().map(|(id, _)| *id);
        own.max(self.merged.get_max().map(|(id, _)| *id))
    }

    /// Open lots of one campaign, in the order of opening.
    pub fn lots_of(&self, campaign: u64) -> impl Iterator<Item = &Lot> {
        let home = self.home(campaign);
        self.lots.iter().filter(move |l| l.campaign == home)
    }

    /// What one campaign holds.
    pub fn holding_of(&self, campaign: u64) -> Holding {
        self.lots_of(campaign)
            .map(|l| Leg {
                instrument: l.instrument.clone(),
                quantity: l.quantity,
            })
            .collect()
    }

    /// Cost of one campaign's open lots.
    pub fn open_cost(&self, campaign: u64) -> Money {
        self.lots_of(campaign).map(Lot::cost).sum()
    }

    fn lots_in<'a>(&'a self, instrument: &'a Instrument) -> impl Iterator<Item = &'a Lot> {
        self.lots
            .iter()
            .filter(move |l| l.instrument == *instrument)
    }

    /// How many are held of one instrument in all, signed: opposite sides are netted.
    pub fn held(&self, instrument: &Instrument) -> i64 {
        self.lots_in(instrument).map(|l| l.quantity).sum()
    }

    /// How many of one instrument one campaign holds, signed.
    pub fn held_by(&self, campaign: u64, instrument: &Instrument) -> i64 {
        let home = self.home(campaign);
        self.lots_in(instrument)
            .filter(|l| l.campaign == home)
            .map(|l| l.quantity)
            .sum()
    }

    /// Books money paid in.
    pub fn deposit(&mut self, at: Moment, amount: Money) -> &Entry {
        let entry = Entry {
            at,
            kind: EntryKind::Deposit,
            memo: "paid in".into(),
            order: None,
            postings: vec![(Book::Cash, amount), (Book::Capital, -amount)],
            shares: Vec::new(),
        };
        self.keep(entry)
    }

    /// Books an execution in a campaign: the one it was sent from, or for an opening order the one
    /// that its number begins.
    pub fn fill(
        &mut self,
        fill: &Fill,
        campaign: Option<u64>,
        underlying: &Underlying,
        memo: String,
    ) -> &Entry {
        let place = Place {
            campaign: self.home(campaign.unwrap_or(fill.order)),
            at: fill.at,
        };
        let mut moves = Moves::default();
        for leg in &fill.legs {
            let now = || FillTerms::of(&leg.instrument, underlying);
            self.trade(
                (&leg.instrument, leg.quantity, leg.price),
                place,
                leg.terms.unwrap_or_else(now),
                &mut moves,
            );
        }
        moves.share(place.campaign).fees += fill.fees;
        let kind = self.kind_of_trade(place.campaign, fill.order, &moves);
        self.record(
            (fill.at, EntryKind::Trade, memo, Some(fill.order)),
            &underlying.symbol,
            moves,
            |_| kind,
        )
    }

    /// What an execution was to its campaign.
    fn kind_of_trade(&self, campaign: u64, order: u64, moves: &Moves) -> ChapterKind {
        let begun = self.campaigns.get(&campaign);
        let opening = |c: &Arc<Campaign>| c.chapters.iter().all(|c| c.order == Some(order));
        let (closes, opens) = (
            moves.closed.contains(&campaign),
            moves.opened.contains(&campaign),
        );
        match (closes, opens) {
            (false, _) if begun.is_none_or(opening) => ChapterKind::Opened,
            (false, _) => ChapterKind::Adjusted,
            (true, true) => ChapterKind::Rolled,
            (true, false) if self.lots_of(campaign).next().is_none() => ChapterKind::Closed,
            (true, false) => ChapterKind::PartClosed,
        }
    }

    /// Settles the lots of an expired series in cash at `value` per unit: of every campaign, or of
    /// those named in `only`. Nothing happens where none is held.
    pub fn settle(
        &mut self,
        at: Moment,
        contract: &Contract,
        value: Price,
        only: &[u64],
        memo: String,
    ) -> Option<&Entry> {
        self.end(at, &contract.clone().into(), value, only, memo)
    }

    /// Ends the lots of a future that traded for the last time, at `price`.
    pub fn end_future(
        &mut self,
        at: Moment,
        symbol: &str,
        price: Price,
        only: &[u64],
        memo: String,
    ) -> Option<&Entry> {
        let instrument = Instrument::Underlying(symbol.to_owned());
        self.end(at, &instrument, price, only, memo)
    }

    fn end(
        &mut self,
        at: Moment,
        instrument: &Instrument,
        value: Price,
        only: &[u64],
        memo: String,
    ) -> Option<&Entry> {
        let ends = |l: &Lot| l.instrument == *instrument && meant(only, l.campaign);
        let (ended, kept): (Vec<Lot>, Vec<Lot>) =
            std::mem::take(&mut self.lots).into_iter().partition(ends);
        self.lots = kept;
        let mut moves = Moves::default();
        for lot in &ended {
            moves.pay(lot.campaign, lot.worth(value), -lot.cost());
            moves.count(lot.campaign, -lot.counted());
            moves.change(lot.campaign, instrument, -lot.quantity);
        }
        if ended.is_empty() {
            return None;
        }
        let head = (at, EntryKind::Settlement, memo, None);
        Some(self.record(head, "", moves, |_| ChapterKind::Settled))
    }

    /// Pays what a settlement was off by, per unit of `instrument`, to each campaign for which it ended.
    pub fn correct(
        &mut self,
        at: Moment,
        (instrument, units): (&Instrument, i64),
        by: Price,
        only: &[u64],
        memo: String,
    ) -> Option<&Entry> {
        let mut moves = Moves::default();
        for campaign in self.campaigns.values().filter(|c| meant(only, c.id)) {
            let ended = campaign.settled(instrument);
            if ended != 0 {
                moves.pay(campaign.id, by.times(ended * units), Money::ZERO);
                moves.change(campaign.id, instrument, 0);
            }
        }
        if moves.shares.is_empty() {
            return None;
        }
        let head = (at, EntryKind::Correction, memo, None);
        Some(self.record(head, "", moves, |_| ChapterKind::Corrected))
    }

    /// Ends opposite sides of one series against each other at `value` per unit, the oldest first:
    /// as many as both sides have. Nothing is paid and nothing delivered; the campaigns book what
    /// the series was worth to them.
    pub fn offset(
        &mut self,
        at: Moment,
        contract: &Contract,
        value: Price,
        only: &[u64],
        memo: String,
    ) -> Option<&Entry> {
        let instrument: Instrument = contract.clone().into();
        let side = |sign: i64| -> i64 {
            let own = self
                .lots_in(&instrument)
                .filter(|l| meant(only, l.campaign));
            own.filter(|l| l.quantity.signum() == sign)
                .map(|l| l.quantity.abs())
                .sum()
        };
        let pairs = side(1).min(side(-1));
        if pairs == 0 {
            return None;
        }
        let mut moves = Moves::default();
        for sign in [1, -1] {
            let mut left = pairs;
            for lot in &mut self.lots {
                let own = lot.instrument == instrument
                    && lot.quantity.signum() == sign
                    && meant(only, lot.campaign);
                let n = left.min(lot.quantity.abs());
                if !own || n == 0 {
                    continue;
                }
                let worth = value.times(n * sign * lot.units);
                moves.pay(lot.campaign, worth, -lot.take(n));
                moves.change(lot.campaign, &instrument, -n * sign);
                left -= n;
            }
        }
        self.lots.retain(|l| l.quantity != 0);
        let head = (at, EntryKind::Offset, memo, None);
        Some(self.record(head, "", moves, |_| ChapterKind::Offset))
    }

    /// Exercises so many contracts of a series (signed as they are held; below zero they are
    /// assigned), the oldest first: the options end at what they cost, the underlying changes hands
    /// at the strike. Nothing happens when fewer are held.
    pub fn deliver(
        &mut self,
        at: Moment,
        contract: &Contract,
        quantity: i64,
        (underlying, only): (&Underlying, &[u64]),
        memo: String,
    ) -> Option<&Entry> {
        let instrument = Instrument::Option(contract.clone());
        let own = |l: &Lot| {
            l.instrument == instrument
                && l.quantity.signum() == quantity.signum()
                && meant(only, l.campaign)
        };
        let there: i64 = self
            .lots
            .iter()
            .filter(|l| own(l))
            .map(|l| l.quantity.abs())
            .sum();
        if quantity == 0 || there < quantity.abs() || underlying.settlement == Settlement::Cash {
            return None;
        }
        let mut left = quantity.abs();
        let mut moves = Moves::default();
        let mut ended: Vec<(u64, i64)> = Vec::new();
        for lot in self.lots.iter_mut().filter(|l| own(l)) {
            let n = left.min(lot.quantity.abs());
            if n > 0 {
                let signed = n * lot.quantity.signum();
                moves.pay(lot.campaign, Money::ZERO, -lot.take(n));
                moves.change(lot.campaign, &instrument, -signed);
                ended.push((lot.campaign, signed));
                left -= n;
            }
        }
        self.lots.retain(|l| l.quantity != 0);
        let side = if contract.kind == Kind::Call { 1 } else { -1 };
        let shares = Instrument::Underlying(underlying.symbol.clone());
        for (campaign, options) in ended {
            let taken = side * options * underlying.lot();
            let place = Place { campaign, at };
            self.trade(
                (&shares, taken, contract.strike),
                place,
                FillTerms::of(&shares, underlying),
                &mut moves,
            );
        }
        let (kind, chapter) = if quantity > 0 {
            (EntryKind::Exercise, ChapterKind::Exercised)
        } else {
            (EntryKind::Assignment, ChapterKind::Assigned)
        };
        Some(self.record((at, kind, memo, None), "", moves, |_| chapter))
    }

    /// Books a dividend of `value` a share on what is held of an underlying; sold shares owe it.
    pub fn dividend(
        &mut self,
        at: Moment,
        symbol: &str,
        value: Price,
        only: &[u64],
        memo: String,
    ) -> Option<&Entry> {
        let head = (at, EntryKind::Dividend, memo, None);
        self.pay((symbol, only), head, ChapterKind::Dividend, |lot, _| {
            value.times(lot.quantity * lot.units)
        })
    }

    /// Settles the gains and losses of futures at a price; from there on they count anew.
    pub fn settle_futures(
        &mut self,
        at: Moment,
        symbol: &str,
        price: Price,
        only: &[u64],
        memo: String,
    ) -> Option<&Entry> {
        let head = (at, EntryKind::Variation, memo, None);
        self.pay(
            (symbol, only),
            head,
            ChapterKind::Variation,
            |lot, moves| {
                let gained = lot.settle_at(price);
                moves.count(lot.campaign, gained);
                gained
            },
        )
    }

    /// Pays something on each lot of an underlying, as a result of its campaign.
    fn pay(
        &mut self,
        (symbol, only): (&str, &[u64]),
        head: (Moment, EntryKind, String, Option<u64>),
        kind: ChapterKind,
        mut amount: impl FnMut(&mut Lot, &mut Moves) -> Money,
    ) -> Option<&Entry> {
        let instrument = Instrument::Underlying(symbol.to_owned());
        let mut moves = Moves::default();
        let own = |l: &&mut Lot| l.instrument == instrument && meant(only, l.campaign);
        for lot in self.lots.iter_mut().filter(own) {
            let paid = amount(lot, &mut moves);
            moves.pay(lot.campaign, paid, Money::ZERO);
        }
        let any = !moves.shares.is_empty();
        any.then(|| self.record(head, "", moves, |_| kind))
    }

    /// Moves lots from one campaign to another at their cost, the oldest first; the other begins
    /// with it if it is new. Opposite lots that meet there close each other. Nothing happens where
    /// the first does not hold what is named.
    pub fn transfer(
        &mut self,
        at: Moment,
        (from, to): (u64, u64),
        parts: &[(Instrument, i64)],
        memo: String,
    ) -> Option<&Entry> {
        let (from, to) = (self.home(from), self.home(to));
        let symbol = self.campaigns.get(&from)?.symbol.clone();
        let other = self.campaigns.get(&to).map(|c| &c.symbol);
        let fits = |(instrument, n): &(Instrument, i64)| {
            let held = self.held_by(from, instrument);
            *n != 0 && held.signum() == n.signum() && held.unsigned_abs() >= n.unsigned_abs()
        };
        let twice = (1..parts.len()).any(|i| parts[..i].iter().any(|p| p.0 == parts[i].0));
        if from == to
            || parts.is_empty()
            || twice
            || other.is_some_and(|s| *s != symbol)
            || !parts.iter().all(fits)
        {
            return None;
        }
        let mut moves = Moves::default();
        for (instrument, quantity) in parts {
            let mut left = quantity.abs();
            let mut moved: Vec<Lot> = Vec::new();
            for lot in &mut self.lots {
                let n = left.min(lot.quantity.abs());
                if lot.campaign != from || lot.instrument != *instrument || n == 0 {
                    continue;
                }
                let whole = lot.clone();
                let basis = lot.take(n);
                left -= n;
                moved.push(Lot {
                    quantity: n * whole.quantity.signum(),
                    basis,
                    campaign: to,
                    ..whole
                });
            }
            for lot in moved {
                moves.pay(from, lot.cost(), -lot.cost());
                moves.pay(to, -lot.cost(), lot.cost());
                moves.count(from, -lot.counted());
                moves.count(to, lot.counted());
                self.lots.push(lot);
            }
            moves.change(from, instrument, -quantity);
            moves.change(to, instrument, *quantity);
        }
        self.lots.retain(|l| l.quantity != 0);
        self.lots.sort_by_key(|l| l.opened);
        self.close_within(to, &mut moves);
        let head = (at, EntryKind::Transfer, memo, None);
        let kind = move |campaign| {
            if campaign == from {
                ChapterKind::MovedOut
            } else {
                ChapterKind::MovedIn
            }
        };
        Some(self.record(head, &symbol, moves, kind))
    }

    /// Makes one campaign part of another of the same underlying, with its lots, its totals and its
    /// chapters. From here on its number stands for the other.
    pub fn merge(&mut self, at: Moment, from: u64, into: u64, memo: String) -> Option<&Entry> {
        let (from, into) = (self.home(from), self.home(into));
        let (ended, goes_on) = (self.campaigns.get(&from)?, self.campaigns.get(&into)?);
        if from == into || ended.symbol != goes_on.symbol {
            return None;
        }
        let ended = Arc::clone(ended);
        let symbol = ended.symbol.clone();
        let joined = Arc::make_mut(self.campaigns.get_mut(&into)?);
        joined.totals.net_cash += ended.totals.net_cash;
        joined.totals.realised += ended.totals.realised;
        joined.totals.fees += ended.totals.fees;
        joined.chapters.extend(ended.chapters.iter().cloned());
        joined.chapters.sort_by_key(|c| (c.at, c.entry));
        self.campaigns.remove(&from);
        self.merged.insert(from, into);
        for lot in self.lots.iter_mut().filter(|l| l.campaign == from) {
            lot.campaign = into;
        }
        let mut moves = Moves::default();
        moves.share(into);
        self.close_within(into, &mut moves);
        let head = (at, EntryKind::Merge, memo, None);
        Some(self.record(head, &symbol, moves, |_| ChapterKind::Merged))
    }

    /// Says something of a campaign; nothing where there is none.
    pub fn describe(&mut self, id: u64, label: Label) -> Option<&Campaign> {
        let campaign = self.campaigns.get_mut(&self.home(id))?;
        Arc::make_mut(campaign).label = label;
        Some(campaign)
    }

    /// Closes opposite lots of one instrument within a campaign against each other, the oldest
    /// first: what they cost together is its loss.
    fn close_within(&mut self, campaign: u64, moves: &mut Moves) {
        let own = |l: &Lot, i: &Instrument| l.campaign == campaign && l.instrument == *i;
        let mut instruments: Vec<Instrument> = self
            .lots
            .iter()
            .filter(|l| l.campaign == campaign)
            .map(|l| l.instrument.clone())
            .collect();
        instruments.sort();
        instruments.dedup();
        for instrument in instruments {
            let side = |lots: &[Lot], sign: i64| -> i64 {
                let some = lots.iter().filter(|l| own(l, &instrument));
                some.filter(|l| l.quantity.signum() == sign)
                    .map(|l| l.quantity.abs())
                    .sum()
            };
            let pairs = side(&self.lots, 1).min(side(&self.lots, -1));
            for sign in [1, -1] {
                let mut left = pairs;
                for lot in &mut self.lots {
                    let n = left.min(lot.quantity.abs());
                    if n == 0 || lot.quantity.signum() != sign || !own(lot, &instrument) {
                        continue;
                    }
                    let (margined, part) = (lot.margined, lot.take(n));
                    // Of a future nothing was paid: the difference is settled in cash.
                    if margined {
                        moves.pay(campaign, -part, Money::ZERO);
                        moves.count(campaign, -part);
                    } else {
                        moves.pay(campaign, Money::ZERO, -part);
                    }
                    left -= n;
                }
            }
        }
        self.lots.retain(|l| l.quantity != 0);
    }

    /// Closes opposite lots of the campaign, the oldest first, and opens with the rest. Money is
    /// rounded once for the whole leg; its lots share it by differences.
    fn trade(
        &mut self,
        (instrument, quantity, price): (&Instrument, i64, Price),
        place: Place,
        FillTerms { units, margined }: FillTerms,
        moves: &mut Moves,
    ) {
        let Place { campaign, at } = place;
        let side = quantity.signum();
        let mut done = 0;
        for lot in &mut self.lots {
            let n = (quantity.abs() - done).min(lot.quantity.abs());
            let opposite = lot.campaign == campaign
                && lot.instrument == *instrument
                && lot.quantity.signum() == -side;
            if !opposite || n == 0 {
                continue;
            }
            let paid = price.times(side * (done + n) * units) - price.times(side * done * units);
            let basis = lot.take(n);
            if margined {
                moves.pay(campaign, -(paid + basis), Money::ZERO);
                moves.count(campaign, -basis);
            } else {
                moves.pay(campaign, -paid, -basis);
            }
            moves.closed.push(campaign);
            done += n;
        }
        self.lots.retain(|l| l.quantity != 0);
        let left = quantity - side * done;
        if left != 0 {
            let basis = price.times(quantity * units) - price.times(side * done * units);
            if margined {
                moves.count(campaign, basis);
            } else {
                moves.pay(campaign, -basis, basis);
            }
            moves.opened.push(campaign);
            self.lots.push(Lot {
                instrument: instrument.clone(),
                quantity: left,
                basis,
                opened: at,
                campaign,
                units,
                margined,
            });
        }
        moves.share(campaign);
        moves.change(campaign, instrument, quantity);
    }

    /// Books what happened: the journal entry, and a chapter in each campaign. A campaign that is
    /// not there yet begins, in `symbol`.
    fn record(
        &mut self,
        (at, kind, memo, order): (Moment, EntryKind, String, Option<u64>),
        symbol: &str,
        moves: Moves,
        chapter: impl Fn(u64) -> ChapterKind,
    ) -> &Entry {
        let number = self.entries.len();
        let (mut changed, futures) = (moves.legs, moves.futures);
        for share in moves.shares.values() {
            let campaign = self.campaigns.entry(share.campaign).or_insert_with(|| {
                Arc::new(Campaign {
                    id: share.campaign,
                    symbol: symbol.to_owned(),
                    label: Label::default(),
                    chapters: Vec::new(),
                    totals: CampaignTotals::default(),
                })
            });
            let campaign = Arc::make_mut(campaign);
            campaign.totals.net_cash += share.cash;
            campaign.totals.realised += share.realised();
            campaign.totals.fees += share.fees;
            // What is booked late has happened when it happened.
            let place = campaign.chapters.partition_point(|c| c.at <= at);
            let told = Chapter {
                at,
                kind: chapter(share.campaign),
                entry: number,
                order,
                legs: changed.remove(&share.campaign).unwrap_or_default(),
                futures: futures.get(&share.campaign).copied().unwrap_or_default(),
                cash: share.cash,
                realised: share.realised(),
                fees: share.fees,
            };
            campaign.chapters.insert(place, told);
        }
        let shares = moves.shares.into_values().collect();
        self.keep(Entry::of_shares(at, kind, memo, order, shares))
    }

    fn keep(&mut self, entry: Entry) -> &Entry {
        for (book, amount) in &entry.postings {
            *self.balances.entry(*book).or_default() += *amount;
        }
        let number = self.entries.len();
        let mut hasher = DefaultHasher::new();
        (self.stamp, entry.at.millis(), entry.kind, &entry.memo).hash(&mut hasher);
        for share in &entry.shares {
            (share.campaign, share.cash.raw(), share.cost.raw()).hash(&mut hasher);
        }
        self.stamp = hasher.finish();
        self.dated.insert((entry.at.date(), number));
        self.entries.push_back(entry);
        &self.entries[number]
    }

    /// Everything about the account that must always hold and does not; empty when sound. Looks at
    /// the whole history.
    pub fn violations(&self) -> Vec<String> {
        let mut out = self.violations_since(0);
        for campaign in self.campaigns() {
            self.check_campaign(campaign, &mut out);
            let sum = |of: fn(&Chapter) -> Money| campaign.chapters.iter().map(of).sum::<Money>();
            let chapters = CampaignTotals {
                net_cash: sum(|c| c.cash),
                realised: sum(|c| c.realised),
                fees: sum(|c| c.fees),
            };
            if chapters != campaign.totals {
                out.push(format!(
                    "the chapters of campaign {} do not add up to its totals",
                    campaign.id
                ));
            }
            let counted: Money = self.lots_of(campaign.id).map(Lot::counted).sum();
            if sum(|c| c.futures) != counted {
                out.push(format!(
                    "futures of campaign {} count from {counted}, its chapters say {}",
                    campaign.id,
                    sum(|c| c.futures)
                ));
            }
        }
        let sum = |of: fn(&CampaignTotals) -> Money| -> Money {
            self.campaigns().map(|c| of(&c.totals)).sum()
        };
        let cash = sum(|t| t.net_cash) - sum(|t| t.fees) - self.balance(Book::Capital);
        let books = [
            ("cash", cash, self.balance(Book::Cash)),
            (
                "realised",
                sum(|t| t.realised),
                -self.balance(Book::Realised),
            ),
            ("fees", sum(|t| t.fees), self.balance(Book::Fees)),
        ];
        for (book, campaigns, says) in books {
            if campaigns != says {
                out.push(format!(
                    "the campaigns make {campaigns} of {book}, the book says {says}"
                ));
            }
        }
        out
    }

    /// The same for what was booked from an entry on, the lots as they are, and the campaigns that
    /// those entries touched: what is looked at before anything is written.
    pub fn violations_since(&self, entry: usize) -> Vec<String> {
        let mut out = Vec::new();
        let mut touched: Vec<u64> = Vec::new();
        for row in entry..self.entries.len() {
            let entry = &self.entries[row];
            let sum: Money = entry.postings.iter().map(|(_, m)| *m).sum();
            if sum != Money::ZERO {
                out.push(format!(
                    "entry {row} ({}) does not balance: {sum}",
                    entry.memo
                ));
            }
            touched.extend(entry.shares.iter().map(|s| self.home(s.campaign)));
        }
        let cost: Money = self.lots.iter().map(Lot::cost).sum();
        if cost != self.balance(Book::Positions) {
            out.push(format!(
                "lots cost {cost}, the positions book says {}",
                self.balance(Book::Positions)
            ));
        }
        touched.sort_unstable();
        touched.dedup();
        for campaign in touched.iter().filter_map(|id| self.campaigns.get(id)) {
            self.check_campaign(campaign, &mut out);
        }
        let mut sides: BTreeMap<(u64, &Instrument), i64> = BTreeMap::new();
        for lot in &self.lots {
            let side = lot.quantity.signum();
            let first = sides.entry((lot.campaign, &lot.instrument)).or_insert(side);
            if side == 0 || *first != side {
                out.push(format!(
                    "{} has an empty lot, or long and short lots in one campaign",
                    lot.instrument
                ));
            }
            if !self.campaigns.contains_key(&lot.campaign) {
                out.push(format!("{} has a lot without a campaign", lot.instrument));
            }
        }
        out
    }

    fn check_campaign(&self, campaign: &Campaign, out: &mut Vec<String>) {
        let totals = campaign.totals;
        let cost = self.open_cost(campaign.id);
        if totals.net_cash != totals.realised - cost {
            out.push(format!(
                "campaign {} took in {}, realised {} and holds at {cost}: {} is unexplained",
                campaign.id,
                totals.net_cash,
                totals.realised,
                totals.net_cash - totals.realised + cost
            ));
        }
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
        let own = |l: &Lot| match &l.instrument {
            Instrument::Underlying(symbol) => Some(symbol.clone()),
            Instrument::Option(_) => None,
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
