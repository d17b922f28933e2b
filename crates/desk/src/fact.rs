//! Facts: what happened in one run, and all that is ever kept of it.
//!
//! Positions, lots, campaigns and balances are computed from facts and never stored. Whoever keeps
//! them keeps them in the order they come, all that belong together or none.

use std::collections::HashMap;

use crate::account::{Cause, Entry, Label};
use crate::bell::Bell;
use crate::contract::Contract;
use crate::day::Day;
use crate::decision::{Decision, OwnDate};
use crate::order::{Event, Fill, Order};
use crate::rules::{Rule, Rung};
use crate::time::Moment;
use crate::words::{Said, SaidOf};

/// State of the exchange's clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ClockState {
    /// Where the clock stands, New York time.
    pub now: Moment,
    /// Whether it runs.
    pub running: bool,
    /// Multiple of real time.
    pub speed: u32,
}

/// One thing to keep.
#[derive(Debug, Clone, PartialEq)]
pub enum Fact {
    /// A setting, replaced.
    Setting(String, String),
    /// The clock, replaced.
    Clock(ClockState),
    /// A new order, with its first events.
    Placed(Order),
    /// Something that happened to an order.
    Happened(u64, Moment, Event),
    /// A journal entry. A trade belongs to the order's fill just before it; one that no order made
    /// names its cause.
    Booked(Entry, Option<Cause>),
    /// What the trader says of a campaign, replaced.
    Described(u64, Label),
    /// A series is not to be exercised at its end, or is after all.
    Declined(Contract, bool, Moment),
    /// A draft, replaced, as the text its keeper gave.
    Draft(String, String, Moment),
    /// A draft thrown away.
    DraftGone(String),
    /// The row of a close.
    Day(Day),
    /// A rule, new or changed.
    Rule(Rule),
    /// A rule thrown away.
    RuleGone(u64),
    /// That a rule has rung for a campaign or the account and stands; absent: may ring again.
    Stands(u64, Option<u64>, Option<Rung>),
    /// An answer of the trader.
    Decided(Decision),
    /// A date of the trader's own, new or changed.
    OwnDate(OwnDate),
    /// Such a date taken away.
    OwnDateGone(u64),
    /// What the trader noted of a day, replaced.
    DayNote(String, String),
    /// Why something was done in a campaign: what the trader noted of an entry, replaced.
    EntryNote(usize, String),
    /// What the trader says of an order or of a closed campaign, replaced.
    Said(SaidOf, Said),
    /// A bell, new or changed.
    Bell(Bell),
    /// A bell taken away.
    BellGone(u64),
}

/// A journal entry with what caused it.
#[derive(Debug, Clone, PartialEq)]
pub struct Journalled {
    /// The entry as booked. Its parts by campaign are not kept: they follow from its cause.
    pub entry: Entry,
    /// The execution, for a trade.
    pub fill: Option<Fill>,
    /// What it was about, where no order made it.
    pub cause: Option<Cause>,
}

/// Everything kept of a run, in the order it happened.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Saved {
    /// Settings by name.
    pub settings: HashMap<String, String>,
    /// The clock, if ever set.
    pub clock: Option<ClockState>,
    /// Orders by number.
    pub orders: Vec<Order>,
    /// All entries of the journal, in the order they were booked.
    pub journal: Vec<Journalled>,
    /// What the trader says of campaigns.
    pub labels: Vec<(u64, Label)>,
    /// Drafts as (slot, text), by slot.
    pub drafts: Vec<(String, String)>,
    /// Rows of closes, ascending.
    pub days: Vec<Day>,
    /// Rules by number.
    pub rules: Vec<Rule>,
    /// Rules that have rung, as (rule, campaign, standing).
    pub standing: Vec<(u64, Option<u64>, Rung)>,
    /// Answers by number.
    pub decisions: Vec<Decision>,
    /// The trader's own dates by number.
    pub own_dates: Vec<OwnDate>,
    /// Notes of days, as (date, note).
    pub day_notes: Vec<(String, String)>,
    /// Notes of journal entries, as (number, note).
    pub entry_notes: Vec<(usize, String)>,
    /// What the trader says of orders and of closed campaigns.
    pub said: Vec<(SaidOf, Said)>,
    /// Series that are not to be exercised at their end.
    pub declined: Vec<Contract>,
    /// Bells by number.
    pub bells: Vec<Bell>,
}
