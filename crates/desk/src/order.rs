//! Orders: what is asked of the exchange, and what became of it.
//!
//! An order is its immutable request plus a list of events; its state is computed from them. Prices
//! follow the sign convention of `package`: a limit is the most a buyer of the package pays, so a
//! better price is always a lower one.

use thiserror::Error;

use crate::contract::Contract;
use crate::instrument::TickTable;
use crate::number::{Money, Price};
use crate::structure::Structure;
use crate::time::Moment;

/// Most packages of one order.
pub const MOST_PACKAGES: i64 = 500;

/// How the price of an order is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Pricing {
    /// At the cross, whatever it is.
    Market,
    /// At this price or better (lower).
    Limit(Price),
}

/// How long an order stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeInForce {
    /// Until the close of the session it is placed in (or for: when closed, the next).
    Day,
    /// Until it is filled or cancelled.
    GoodTillCancelled,
}

/// What was asked for; never changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// Given by the client; a second request with the same id is the same order.
    pub client_id: String,
    /// Underlying symbol.
    pub symbol: String,
    /// One package, lowest ratio, bought.
    pub unit: Structure,
    /// Packages.
    pub quantity: i64,
    /// Price at placement.
    pub pricing: Pricing,
    /// How long it stands.
    pub time_in_force: TimeInForce,
    /// The campaign whose lots it closes first, if it was sent from one.
    pub closes: Option<u64>,
}

/// One execution.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fill {
    /// The order.
    pub order: u64,
    /// When.
    pub at: Moment,
    /// Whole packages.
    pub packages: i64,
    /// Net price of one package.
    pub price: Price,
    /// Contract, signed contracts, price of each leg; the prices sum to `price` over the ratio.
    pub legs: Vec<FillLeg>,
    /// Fees of this execution.
    pub fees: Money,
}

/// One leg of an execution.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FillLeg {
    /// The series.
    pub contract: Contract,
    /// Signed contracts.
    pub quantity: i64,
    /// Price per unit.
    pub price: Price,
}

/// Something that happened to an order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// Taken in by the exchange.
    Accepted,
    /// Has a new limit.
    Repriced(Price),
    /// Executed, at least partly.
    Filled(Fill),
    /// Cancelled by the trader.
    Cancelled,
    /// Ended by the exchange, with the reason.
    Expired(String),
}

/// Where an order stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// At the exchange, nothing filled.
    Working,
    /// At the exchange, some filled.
    PartlyFilled,
    /// Done.
    Filled,
    /// Cancelled; what was filled before stays.
    Cancelled,
    /// Ended unfilled (or partly) by time or expiration.
    Expired,
}

/// A request with its history.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Order {
    /// Number given by the desk, ascending.
    pub id: u64,
    /// When it was placed.
    pub placed: Moment,
    /// What was asked for.
    pub request: Request,
    /// Moments and events, oldest first.
    pub events: Vec<(Moment, Event)>,
}

/// Why an order is refused or cannot be changed.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum OrderError {
    /// Quantity out of range.
    #[error("quantity {0} is not allowed; write 1 to {MOST_PACKAGES}")]
    Quantity(i64),
    /// The limit is not on the tick.
    #[error("{price} is off the tick of {tick}; nearest: {below} and {above}")]
    OffTick {
        /// What was asked for.
        price: Price,
        /// Tick in force.
        tick: Price,
        /// Nearest allowed price below.
        below: Price,
        /// Nearest allowed price above.
        above: Price,
    },
    /// A limit no package could ever be worth.
    #[error("{price} is not a price this package can have; it must lie between {least} and {most}")]
    Absurd {
        /// What was asked for.
        price: Price,
        /// Lowest sensible.
        least: Price,
        /// Highest sensible.
        most: Price,
    },
    /// A contract has expired.
    #[error("{contract} expired on {}; choose a later expiration", contract.expiry)]
    PastExpiration {
        /// Which.
        contract: Contract,
    },
    /// No one quotes the other side of a leg.
    #[error("nobody bids for {0}; it cannot be sold at the market, set a limit instead")]
    NoBid(Contract),
    /// Costs more than the account can bear.
    #[error("this needs {} of buying power and {} is available; at most {most} would fit", needed.grouped(), available.grouped())]
    BuyingPower {
        /// What the order takes.
        needed: Money,
        /// What is there.
        available: Money,
        /// Packages that would fit.
        most: i64,
    },
    /// The order has ended.
    #[error("order {id} is {state} and cannot be changed")]
    NotWorking {
        /// Order number.
        id: u64,
        /// What it is instead.
        state: &'static str,
    },
    /// A market order has no limit to change.
    #[error("order {0} is a market order and has no limit to change")]
    NoLimit(u64),
    /// Closing more than there is.
    #[error("{contract}: closing {asked} but the campaign holds {held}")]
    MoreThanHeld {
        /// Which contract.
        contract: Contract,
        /// Contracts asked for.
        asked: i64,
        /// Contracts open.
        held: i64,
    },
}

impl State {
    /// In one or two words.
    pub fn word(self) -> &'static str {
        match self {
            State::Working => "working",
            State::PartlyFilled => "partly filled",
            State::Filled => "filled",
            State::Cancelled => "cancelled",
            State::Expired => "expired",
        }
    }

    /// Whether it can still be filled, changed or cancelled.
    pub fn is_open(self) -> bool {
        matches!(self, State::Working | State::PartlyFilled)
    }
}

impl Order {
    /// Packages filled so far.
    pub fn filled(&self) -> i64 {
        self.fills().map(|f| f.packages).sum()
    }

    /// Executions, oldest first.
    pub fn fills(&self) -> impl Iterator<Item = &Fill> {
        self.events.iter().filter_map(|(_, e)| if let Event::Filled(f) = e { Some(f) } else { None })
    }

    /// Packages still asked for.
    pub fn remaining(&self) -> i64 {
        self.request.quantity - self.filled()
    }

    /// Pricing now in force.
    pub fn pricing(&self) -> Pricing {
        let last = self.events.iter().rev().find_map(|(_, e)| if let Event::Repriced(p) = e { Some(*p) } else { None });
        last.map_or(self.request.pricing, Pricing::Limit)
    }

    /// State computed from the events.
    pub fn state(&self) -> State {
        let ended = self.events.iter().find_map(|(_, e)| match e {
            Event::Cancelled => Some(State::Cancelled),
            Event::Expired(_) => Some(State::Expired),
            _ => None,
        });
        if self.remaining() <= 0 {
            State::Filled
        } else if let Some(state) = ended {
            state
        } else if self.filled() > 0 {
            State::PartlyFilled
        } else {
            State::Working
        }
    }

    /// Refuses to touch an order that has ended.
    pub fn require_open(&self) -> Result<(), OrderError> {
        let state = self.state();
        if state.is_open() { Ok(()) } else { Err(OrderError::NotWorking { id: self.id, state: state.word() }) }
    }
}

/// Checks a limit against the tick and against what the package could ever be worth.
pub fn check_limit(unit: &Structure, ticks: &TickTable, spot: Price, price: Price) -> Result<(), OrderError> {
    check_bounds(unit, spot, price)?;
    if !ticks.allows(price) {
        return Err(OrderError::OffTick { price, tick: ticks.tick_at(price), below: ticks.floor(price), above: ticks.ceil(price) });
    }
    Ok(())
}

/// Checks a net price against what the package could ever be worth.
///
/// A call is worth no more than its underlying, a put no more than its strike (Merton 1973); twice that
/// is a wide fence against typing errors.
pub fn check_bounds(unit: &Structure, spot: Price, price: Price) -> Result<(), OrderError> {
    let highest = unit.legs().iter().map(|l| l.contract.strike).fold(spot, Price::max);
    let bound = |sign: i64| -> Price { unit.legs().iter().filter(|l| l.quantity * sign > 0).map(|l| (highest + highest) * l.quantity).sum() };
    let (least, most) = (bound(-1), bound(1));
    if price < least || price > most { Err(OrderError::Absurd { price, least, most }) } else { Ok(()) }
}

/// Checks a number of packages.
pub fn check_quantity(quantity: i64) -> Result<(), OrderError> {
    if (1..=MOST_PACKAGES).contains(&quantity) { Ok(()) } else { Err(OrderError::Quantity(quantity)) }
}
