//! Day trades: what is opened and closed again in one session, how many there were, and what
//! follows from it.
//!
//! Rule: FINRA 4210(f)(8)(B), from memory: four or more in five business days that are more than 6
//! % of all trades make a pattern, and a pattern needs an account value of 25,000. A leg counts as
//! a security of its own; a package that is closed as it was opened counts once. Futures and their
//! options are no securities. The rule is dated data: when it changes, a line is added here.

use std::collections::BTreeMap;

use jiff::civil::{Date, date};

use crate::calendar::previous_session;
use crate::instrument::Instrument;
use crate::number::Money;
use crate::time::Moment;

/// A rule and the days on which it stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DayTradeRule {
    /// The first day on which this version of the rule holds.
    pub from: Date,
    /// Last day, if it has one.
    pub until: Option<Date>,
    /// Day trades that are free.
    pub most: i64,
    /// Sessions that are looked back on, the present one among them.
    pub sessions: usize,
    /// Share of all trades above which they are a pattern.
    pub share: f64,
    /// Account value that a pattern needs.
    pub value: Money,
}

/// Rules by their days.
pub const DAY_TRADE_RULES: [DayTradeRule; 1] = [DayTradeRule {
    from: date(2001, 9, 28),
    until: None,
    most: 3,
    sessions: 5,
    share: 0.06,
    value: Money::whole(25_000),
}];

/// Whether day trades are counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum DayTradeSwitch {
    /// As the dated rules say.
    #[default]
    ByDate,
    /// Not at all: the account stands under no such rule.
    Off,
}

/// The rule in force on a day.
pub fn day_trade_rule(on: Date, switch: DayTradeSwitch) -> Option<DayTradeRule> {
    let stands = |r: &&DayTradeRule| r.from <= on && r.until.is_none_or(|last| on <= last);
    DAY_TRADE_RULES
        .iter()
        .find(stands)
        .copied()
        .filter(|_| switch == DayTradeSwitch::ByDate)
}

/// What closed something that was opened in the same session.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DayTrade {
    /// The session in which it was opened and closed.
    pub date: Date,
    /// The order that closed.
    pub order: u64,
    /// How many it counts for.
    pub count: i64,
}

/// Where an account stands under a rule.
#[derive(Debug, Clone, PartialEq)]
pub struct DayTrading {
    /// The rule that held at that moment.
    pub rule: DayTradeRule,
    /// Day trades in its sessions, oldest first.
    pub trades: Vec<DayTrade>,
    /// Orders that traded in them.
    pub orders: i64,
}

impl DayTrading {
    /// How many there were.
    pub fn count(&self) -> i64 {
        self.trades.iter().map(|t| t.count).sum()
    }

    /// Whether they are a pattern.
    pub fn is_pattern(&self) -> bool {
        self.count() > self.rule.most && self.count() as f64 > self.rule.share * self.orders as f64
    }

    /// Whether a pattern forbids opening, at such an account value.
    pub fn forbids_opening(&self, value: Money) -> bool {
        self.is_pattern() && value < self.rule.value
    }
}

/// A change of what the account holds: by an execution, or by the market (without an order).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Change<'a> {
    /// The moment of the execution.
    pub at: Moment,
    /// The order that traded.
    pub order: Option<u64>,
    /// The option, share or future that was traded.
    pub instrument: &'a Instrument,
    /// By how much, signed.
    pub quantity: i64,
}

/// What an instrument holds in the course of a day.
#[derive(Debug, Clone, Copy, Default)]
struct Course {
    /// Held since before the day, signed.
    overnight: i64,
    /// Opened in it and still held.
    today: i64,
    /// The order that opened last.
    opener: u64,
}

/// The part of `quantity` that closes `held`, which it makes smaller.
fn close(held: &mut i64, quantity: &mut i64) -> bool {
    if held.signum() != -quantity.signum() || *held == 0 {
        return false;
    }
    let n = held.abs().min(quantity.abs());
    *held -= n * held.signum();
    *quantity -= n * quantity.signum();
    true
}

/// Day trades in the sessions that the rule looks at.
///
/// What is bought and sold again (or the reverse) on one day is a day trade. What was held
/// overnight and is sold before anything was bought anew is none, nor is buying it back afterwards:
/// that opens.
///
/// `changes` are all of those sessions, in any order; `held` is what is held of an instrument after
/// them; `counts` says of an instrument whether it is a security.
pub fn day_trading<'a>(
    rule: DayTradeRule,
    today: Date,
    changes: impl Iterator<Item = Change<'a>>,
    held: impl Fn(&Instrument) -> i64,
    counts: impl Fn(&Instrument) -> bool,
) -> DayTrading {
    let first = (1..rule.sessions).fold(today, |day, _| previous_session(day));
    let mut changes: Vec<Change<'a>> = changes
        .filter(|c| c.at.date() >= first && counts(c.instrument))
        .collect();
    changes.sort_by_key(|c| c.at);
    let mut courses: BTreeMap<&Instrument, (Date, Course)> = BTreeMap::new();
    for c in &changes {
        let start = courses.entry(c.instrument).or_insert_with(|| {
            let overnight = held(c.instrument);
            (
                first,
                Course {
                    overnight,
                    ..Course::default()
                },
            )
        });
        start.1.overnight -= c.quantity;
    }
    // By order: legs that closed what was opened on the same day, and the orders that opened it.
    let mut closed: BTreeMap<(Date, u64), BTreeMap<&Instrument, u64>> = BTreeMap::new();
    let mut legs: BTreeMap<u64, Vec<&Instrument>> = BTreeMap::new();
    for c in &changes {
        let day = c.at.date();
        let Some((of, course)) = courses.get_mut(c.instrument) else {
            continue;
        };
        if *of != day {
            course.overnight += std::mem::take(&mut course.today);
            *of = day;
        }
        let Some(order) = c.order else {
            course.overnight += c.quantity;
            continue;
        };
        let own = legs.entry(order).or_default();
        if !own.contains(&c.instrument) {
            own.push(c.instrument);
        }
        let mut left = c.quantity;
        if close(&mut course.today, &mut left) {
            let by = closed.entry((day, order)).or_default();
            by.insert(c.instrument, course.opener);
        }
        close(&mut course.overnight, &mut left);
        if left != 0 {
            course.today += left;
            course.opener = order;
        }
    }
    let count_of = |id: u64| legs.get(&id).map_or(0, Vec::len);
    let trades = closed.iter().map(|((date, order), own)| {
        let mut by: Vec<u64> = own.values().copied().collect();
        by.sort_unstable();
        by.dedup();
        // A package closed as it was opened.
        let whole = by.len() == 1 && count_of(*order) == own.len() && count_of(by[0]) == own.len();
        DayTrade {
            date: *date,
            order: *order,
            count: if whole { 1 } else { own.len() as i64 },
        }
    });
    DayTrading {
        rule,
        trades: trades.collect(),
        orders: legs.len() as i64,
    }
}
