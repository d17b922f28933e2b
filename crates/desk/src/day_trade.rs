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
use crate::order::Order;

/// A rule and the days on which it stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DayTradeRule {
    /// First day.
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
    /// The session.
    pub date: Date,
    /// The order that closed.
    pub order: u64,
    /// How many it counts for.
    pub count: i64,
}

/// Where an account stands under a rule.
#[derive(Debug, Clone, PartialEq)]
pub struct DayTrading {
    /// The rule.
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

/// Day trades among `orders`, which are in the order of their numbers, in the sessions that the
/// rule looks at. `counts` says of a symbol whether it is a security.
pub fn day_trading<'a>(
    rule: DayTradeRule,
    today: Date,
    orders: impl Iterator<Item = &'a Order>,
    counts: impl Fn(&str) -> bool,
) -> DayTrading {
    let first = (1..rule.sessions).fold(today, |day, _| previous_session(day));
    // Executions in the order of time, with their orders.
    let mut fills: Vec<(&Order, &crate::order::Fill)> = orders
        .filter(|o| counts(&o.request.symbol))
        .flat_map(|o| o.fills().map(move |f| (o, f)))
        .collect();
    fills.retain(|(_, f)| f.at.date() >= first);
    fills.sort_by_key(|(_, f)| f.at);
    // What was opened today, by instrument: signed quantity and the last order that opened it.
    let mut opened: BTreeMap<(Date, &Instrument), (i64, u64)> = BTreeMap::new();
    // By order: legs that closed what was opened today, and the orders that opened it.
    let mut closed: BTreeMap<(Date, u64), BTreeMap<&Instrument, u64>> = BTreeMap::new();
    let mut traded: Vec<u64> = Vec::new();
    for (order, fill) in &fills {
        let day = fill.at.date();
        traded.push(order.id);
        for leg in &fill.legs {
            let (quantity, by) = opened
                .entry((day, &leg.instrument))
                .or_insert((0, order.id));
            if *quantity != 0 && quantity.signum() == -leg.quantity.signum() {
                closed
                    .entry((day, order.id))
                    .or_default()
                    .insert(&leg.instrument, *by);
            } else {
                *by = order.id;
            }
            *quantity += leg.quantity;
        }
    }
    traded.sort_unstable();
    traded.dedup();
    let legs_of = |id: u64| {
        fills
            .iter()
            .find(|(o, _)| o.id == id)
            .map_or(0, |(o, _)| o.request.unit.legs().len())
    };
    let trades = closed.into_iter().map(|((date, order), legs)| {
        let mut by: Vec<u64> = legs.values().copied().collect();
        by.dedup();
        // A package closed as it was opened.
        let whole = by.len() == 1 && legs_of(order) == legs.len() && legs_of(by[0]) == legs.len();
        DayTrade {
            date,
            order,
            count: if whole { 1 } else { legs.len() as i64 },
        }
    });
    DayTrading {
        rule,
        trades: trades.collect(),
        orders: traded.len() as i64,
    }
}
