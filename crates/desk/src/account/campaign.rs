//! Campaigns: one idea from its first opening to its last close.
//!
//! A campaign begins with the order that opens it and carries its number. Everything that happens
//! to its lots is a chapter of it. Its money is conserved by itself, exactly and at every moment:
//!
//! > net cash = realised − cost of its open lots
//!
//! and the sums over all campaigns are the account's books. What the trader says of a campaign, a
//! name, a note, tags, is a [`Label`]; it changes nothing that is counted.

use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::time::Moment;

/// What a chapter was.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum ChapterKind {
    /// The campaign was opened.
    Opened,
    /// Legs were closed and others opened.
    Rolled,
    /// Legs were added to what was held.
    Adjusted,
    /// A part of what was held was closed.
    PartClosed,
    /// Everything was closed.
    Closed,
    /// A dividend on its shares.
    Dividend,
    /// Its bought options were exercised.
    Exercised,
    /// Its sold options were assigned.
    Assigned,
    /// A series or a future ended.
    Settled,
    /// Its futures were settled for the day.
    Variation,
    /// A series ended against the opposite side that another campaign held.
    Offset,
    /// Lots came from another campaign.
    MovedIn,
    /// Lots went to another campaign.
    MovedOut,
    /// Another campaign became part of it.
    Merged,
    /// What was settled was worth something else by the print that counts; its leg names it, with 0.
    Corrected,
}

/// One thing that happened in a campaign.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chapter {
    /// The moment at which the chapter was written, New York time.
    pub at: Moment,
    /// What made the campaign change: a trade, a roll, an assignment and so on.
    pub kind: ChapterKind,
    /// Number of its journal entry, from 0.
    pub entry: usize,
    /// The order behind it, if any.
    pub order: Option<u64>,
    /// By how much each instrument that the campaign holds changed.
    pub legs: Vec<(Instrument, i64)>,
    /// By how much the value changed that its futures count from: futures bought raise it by what they
    /// are worth at their price, sold ones lower it, a daily settlement moves it to the day's price.
    pub futures: Money,
    /// Cash before fees, received above zero.
    pub cash: Money,
    /// Profit booked, before fees.
    pub realised: Money,
    /// Commissions of this chapter, always zero or above.
    pub fees: Money,
}

/// Totals of one campaign over its life.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct CampaignTotals {
    /// Cash of all its fills and settlements, before fees (received above zero).
    pub net_cash: Money,
    /// Profit booked on what is closed, before fees.
    pub realised: Money,
    /// Commissions of all its trades so far, zero or above.
    pub fees: Money,
}

impl CampaignTotals {
    /// What was realised less the fees: what an outline of the campaign starts from.
    pub fn booked(&self) -> Money {
        self.realised - self.fees
    }
}

/// What the trader says of a campaign.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Label {
    /// A name given to it; empty where it goes by what it holds.
    pub name: String,
    /// What the trader wrote about it, in any words.
    pub note: String,
    /// Tags, in the order they were given.
    pub tags: Vec<String>,
}

/// Everything held and booked under one name, from its opening trade to its last close.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Campaign {
    /// Its number: that of the order that opened it, or one of its own.
    pub id: u64,
    /// The symbol of the one underlying that its legs are on.
    pub symbol: String,
    /// What the trader says of it.
    pub label: Label,
    /// What happened, in the order it was booked.
    pub chapters: Vec<Chapter>,
    /// Totals over its life.
    pub totals: CampaignTotals,
}

impl Campaign {
    /// Per unit of something that ended in a settlement: what it was settled at, and what corrections have added
    /// to that since. Nothing where none of it ended here.
    pub fn settled_at(&self, instrument: &Instrument, units: i64) -> Option<(Price, Price)> {
        let ended = self.settled(instrument) * units;
        let cash = |kind: ChapterKind| {
            let of = |c: &&Chapter| c.kind == kind && c.legs.iter().any(|(i, _)| i == instrument);
            let told = self.chapters.iter().filter(of);
            told.map(|c| c.cash - c.futures).sum::<Money>()
        };
        (ended != 0).then(|| {
            let at = cash(ChapterKind::Settled).over(ended);
            (at, cash(ChapterKind::Corrected).over(ended))
        })
    }

    /// How many of something ended for it in a settlement, below zero where they were sold.
    pub fn settled(&self, instrument: &Instrument) -> i64 {
        let ends = self
            .chapters
            .iter()
            .filter(|c| c.kind == ChapterKind::Settled);
        let legs = ends.flat_map(|c| &c.legs).filter(|(i, _)| i == instrument);
        -legs.map(|(_, change)| change).sum::<i64>()
    }

    /// When it was opened; nothing before its first chapter.
    pub fn opened(&self) -> Option<Moment> {
        self.chapters.first().map(|c| c.at)
    }

    /// What was realised less fees, by each chapter and all before it.
    pub fn running(&self) -> Vec<Money> {
        let mut sum = Money::ZERO;
        let each = self.chapters.iter();
        each.map(|c| {
            sum += c.realised - c.fees;
            sum
        })
        .collect()
    }
}
