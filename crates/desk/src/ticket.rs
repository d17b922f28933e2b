//! What can be wrong with an order, and the checks that need no market.

use jiff::civil::Date;
use thiserror::Error;

use crate::contract::Contract;
use crate::holding::Holding;
use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::package::MOST_UNITS;
use crate::underlying::Underlying;

/// Most packages of one order.
pub const MOST_PACKAGES: i64 = 500;

/// Why an order is refused or cannot be changed.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum OrderError {
    /// Quantity out of range.
    #[error("quantity {quantity} is not allowed; write 1 to {most}")]
    Quantity {
        /// What was asked for.
        quantity: i64,
        /// The largest quantity that an order may carry.
        most: i64,
    },
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
        /// The lowest price that the package could be worth.
        least: Price,
        /// The highest price that the package could be worth.
        most: Price,
    },
    /// A contract has expired.
    #[error("{contract} expired on {}; choose a later expiration", contract.expiry)]
    PastExpiration {
        /// The contract whose expiration has passed.
        contract: Contract,
    },
    /// No one quotes the other side of a leg.
    #[error("nobody bids for {0}; it cannot be sold at the market, set a limit instead")]
    NoBid(Instrument),
    /// Costs more than the account can bear.
    #[error(
        "this needs {} of buying power and {} is available; at most {most} would fit",
        needed.grouped(),
        available.grouped()
    )]
    BuyingPower {
        /// What the order takes.
        needed: Money,
        /// What is there.
        available: Money,
        /// Packages that would fit.
        most: i64,
    },
    /// The account is short of money.
    #[error("the account is {} short; until that is mended only orders that close or need less \
             are taken", .0.grouped())]
    Deficit(Money),
    /// What would be held is beyond the account's approval.
    #[error("{what} needs level {level}; the account {approved}")]
    Level {
        /// In plain words.
        what: String,
        /// Level that it needs.
        level: u8,
        /// How far the account goes.
        approved: String,
    },
    /// Too many day trades for the account's value.
    #[error("{count} day trades in {sessions} sessions are a pattern and need an account of {}; \
             until then only what closes is taken", needs.grouped())]
    DayTrades {
        /// How many day trades there would be.
        count: i64,
        /// In how many sessions.
        sessions: usize,
        /// Account value that is needed.
        needs: Money,
    },
    /// Too few packages for what is filled already.
    #[error("order {id} has {filled} filled already; write more than that, or cancel it")]
    FewerThanFilled {
        /// The number of the order that was to be changed.
        id: u64,
        /// Packages of it that are filled.
        filled: i64,
    },
    /// An order whose size or ties cannot change.
    #[error("order {id} {why}")]
    Bound {
        /// The number of the order that was to be changed.
        id: u64,
        /// Why, and what can be done.
        why: String,
    },
    /// A way of easing that leads nowhere.
    #[error("{0}")]
    Easing(String),
    /// A trigger that the market has passed already.
    #[error("the market stands at {}: a stop at {} would trigger at once; set it worse than that, \
             or send the order without it", debit_or_credit(*now), debit_or_credit(*level))]
    TriggersAtOnce {
        /// What is watched now.
        now: Price,
        /// The level asked for.
        level: Price,
    },
    /// A trailing distance of nothing.
    #[error("a trailing stop needs a distance above zero, not {0}")]
    TrailingDistance(Price),
    /// A last day that is past, or beyond the contracts.
    #[error("{date} is not a day this order can stand until; choose one from {from} to {to}")]
    LastDay {
        /// What was asked for.
        date: Date,
        /// The first day that it could stand until.
        from: Date,
        /// The last day that it could stand until.
        to: Date,
    },
    /// At once, while nothing trades.
    #[error(
        "the exchange is closed: an order for at once or never cannot wait; send it as a day order"
    )]
    ClosedForAtOnce,
    /// The order has ended.
    #[error("order {id} is {state} and cannot be changed")]
    NotWorking {
        /// The number of the order that was to be changed.
        id: u64,
        /// What it is instead.
        state: &'static str,
    },
    /// A market order has no limit to change.
    #[error("order {0} is a market order and has no limit to change")]
    NoLimit(u64),
    /// Closing more than there is.
    #[error(
        "{instrument}: closing {asked} but the campaign holds {held}{}",
        closed_by(by)
    )]
    MoreThanHeld {
        /// The instrument of which too much would be closed.
        instrument: Instrument,
        /// Contracts asked for.
        asked: i64,
        /// Contracts that no order closes yet.
        held: i64,
        /// Open orders that close the others.
        by: Vec<u64>,
    },
}

fn closed_by(orders: &[u64]) -> String {
    if orders.is_empty() {
        return String::new();
    }
    let numbers: Vec<String> = orders.iter().map(u64::to_string).collect();
    format!(
        " that no order closes yet; cancel order {} first",
        numbers.join(" and ")
    )
}

/// A net price without a sign.
fn debit_or_credit(price: Price) -> String {
    if price < Price::ZERO {
        format!("{} credit", price.abs())
    } else {
        format!("{price} debit")
    }
}

/// Checks a limit against the tick and against what the package could ever be worth.
///
/// # Errors
/// It lies off the tick or is absurd; the error names the nearest that is right.
pub fn check_limit(
    unit: &Holding,
    underlying: &Underlying,
    spot: Price,
    price: Price,
) -> Result<(), OrderError> {
    let ticks = underlying.ticks_of(unit);
    check_bounds(unit, underlying, spot, price)?;
    if !ticks.allows(price) {
        return Err(OrderError::OffTick {
            price,
            tick: ticks.tick_at(price),
            below: ticks.floor(price),
            above: ticks.ceil(price),
        });
    }
    Ok(())
}

/// Checks a net price against what the package could ever be worth.
///
/// A call is worth no more than its underlying, a put no more than its strike (Merton 1973); twice
/// that is a wide fence against typing errors.
///
/// # Errors
/// It is absurd; the error names the bounds.
pub fn check_bounds(
    unit: &Holding,
    underlying: &Underlying,
    spot: Price,
    price: Price,
) -> Result<(), OrderError> {
    let highest = unit.options().map(|(c, _)| c.strike).fold(spot, Price::max);
    let bound = |sign: i64| {
        let legs = unit
            .legs()
            .iter()
            .filter(|l| l.quantity * sign > 0)
            .map(|l| {
                (
                    highest + highest,
                    l.quantity * underlying.units(&l.instrument),
                )
            });
        Price::weighed(legs, underlying.price_units(unit))
    };
    let (least, most) = (bound(-1), bound(1));
    if price < least || price > most {
        Err(OrderError::Absurd { price, least, most })
    } else {
        Ok(())
    }
}

/// Checks a number of packages: of shares or futures alone there may be more.
///
/// # Errors
/// None, or too many; the error names the most.
pub fn check_quantity(unit: &Holding, quantity: i64) -> Result<(), OrderError> {
    let most = if unit.options().next().is_some() {
        MOST_PACKAGES
    } else {
        MOST_UNITS
    };
    if (1..=most).contains(&quantity) {
        Ok(())
    } else {
        Err(OrderError::Quantity { quantity, most })
    }
}
