//! What happens to positions without an order: dividends, exercise and assignment, settlements, the
//! end of a future.
//!
//! At an opening: dividends of that ex-date, then series that settle on the opening prints. At a
//! close: series that end there, the day's gains and losses of futures, the end of a future that
//! traded for the last time, and then the holders' early exercise, told as if it were known at once
//! (in life it is known next morning). A series in the money by a cent is exercised (common
//! practice: exercise by exception) unless its holder said not to; sold ones are then assigned in
//! full.
//!
//! Early exercise of what others hold: a call the night before an ex-date when the put of the same
//! strike and the interest on the strike are worth less than the dividend (the rule that follows
//! from European parity), by most of its holders; a put whose value is its exercise value, by a
//! part of them each night. Who is assigned is drawn from the seed, contract by contract.

use std::collections::BTreeSet;

use desk::calendar::{close_of, is_session, next_session, open_of};
use desk::{
    Account, Contract, Instrument, Kind, Moment, Price, Settlement, Style, Underlying, day_number,
};
use jiff::civil::Date;
use quant::{Terms, european_price};

use crate::noise::{Stream, contract_key};
use crate::quotes::Quoter;
use crate::world::World;

/// One thing that happens to a position.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LifecycleEvent {
    /// Shares paid a dividend of so much each.
    Dividend {
        /// The underlying.
        symbol: String,
        /// On a share.
        cash: Price,
    },
    /// A series ended and is settled in cash at so much per unit: at its value, or at nothing.
    Ended {
        /// Which.
        contract: Contract,
        /// What it is worth.
        value: Price,
        /// The print of the underlying.
        print: Price,
        /// In the money, but its holder had said not to exercise.
        declined: bool,
    },
    /// Campaigns hold opposite sides of a series that ended in the money: between them it ends at
    /// its value, and only the rest is delivered.
    Offset {
        /// Which.
        contract: Contract,
        /// What it is worth.
        value: Price,
        /// The print of the underlying.
        print: Price,
    },
    /// So many contracts (signed as they are held; below zero: assigned) change into the underlying
    /// at the strike.
    Delivered {
        /// Which.
        contract: Contract,
        /// How many, signed.
        quantity: i64,
        /// The print of the underlying.
        print: Price,
        /// Before the end of its life.
        early: bool,
    },
    /// A future's gains and losses of the day are settled.
    Variation {
        /// Which.
        symbol: String,
        /// The day's settlement price.
        price: Price,
        /// It traded for the last time: positions end here.
        last: bool,
    },
}

/// How likely a holder is to act in time where exercise before an ex-date pays.
const DILIGENT: f64 = 0.92;
/// How likely a holder of a put that is worth its exercise value is to exercise it on a given
/// night.
const TIRED: f64 = 0.25;
/// Time value below which a put counts as worth its exercise value.
const NOTHING: f64 = 0.005;

/// Everything that happens to an account's positions at an opening or a close, in order.
pub fn due(
    world: &World,
    quoter: &mut Quoter,
    account: &Account,
    declined: &BTreeSet<Contract>,
    at: Moment,
) -> Vec<LifecycleEvent> {
    let day = at.date();
    let mut out = Vec::new();
    if !is_session(day) {
        return out;
    }
    if at == open_of(day) {
        out.extend(dividends(world, account, day));
    }
    let mut left: Vec<Contract> = Vec::new();
    for contract in account.series() {
        match world.owner(&contract) {
            Some(underlying) if underlying.expiry_moment(&contract) <= at => {
                out.extend(ended(world, account, declined, underlying, contract))
            }
            _ => left.push(contract),
        }
    }
    if at == close_of(day) {
        out.extend(variation(world, account, day));
        out.extend(
            left.into_iter()
                .filter_map(|contract| assigned_early(world, quoter, account, contract, at)),
        );
    }
    out
}

fn dividends(world: &World, account: &Account, day: Date) -> Vec<LifecycleEvent> {
    let before = open_of(day).plus_millis(-1);
    let paying = |symbol: String| {
        let cash = world.dividends(&symbol, before, 0).first()?.1;
        Some(LifecycleEvent::Dividend { symbol, cash })
    };
    account
        .underlyings()
        .into_iter()
        .filter_map(paying)
        .collect()
}

/// What happens to a series at its end. Opposite sides of it end against each other; what is left
/// is exercised, assigned or settled.
fn ended(
    world: &World,
    account: &Account,
    declined: &BTreeSet<Contract>,
    underlying: &Underlying,
    contract: Contract,
) -> Vec<LifecycleEvent> {
    let instrument = Instrument::Option(contract.clone());
    let held = account.held(&instrument);
    let own = || account.lots().iter().filter(|l| l.instrument == instrument);
    let both_sides = own().any(|l| l.quantity > 0) && own().any(|l| l.quantity < 0);
    let Some(print) = world.spot(&underlying.symbol, underlying.expiry_moment(&contract)) else {
        return Vec::new();
    };
    let inside = match contract.kind {
        Kind::Call => print - contract.strike,
        Kind::Put => contract.strike - print,
    };
    let exercised = inside >= Price::cents(1);
    let declines = exercised && held > 0 && declined.contains(&contract);
    let delivers = exercised && underlying.settlement == Settlement::Delivery;
    let mut out = Vec::new();
    if both_sides && delivers {
        out.push(LifecycleEvent::Offset {
            contract: contract.clone(),
            value: inside,
            print,
        });
    }
    if delivers && !declines {
        if held != 0 {
            out.push(LifecycleEvent::Delivered {
                contract,
                quantity: held,
                print,
                early: false,
            });
        }
        return out;
    }
    let value = if exercised && !declines {
        inside
    } else {
        Price::ZERO
    };
    out.push(LifecycleEvent::Ended {
        contract,
        value,
        print,
        declined: declines,
    });
    out
}

fn variation(world: &World, account: &Account, day: Date) -> Vec<LifecycleEvent> {
    let settled = |symbol: String| {
        let last_session = world.underlying(&symbol)?.last_session?;
        let price = world.spot(&symbol, close_of(day))?;
        Some(LifecycleEvent::Variation {
            symbol,
            price,
            last: day >= last_session,
        })
    };
    account
        .underlyings()
        .into_iter()
        .filter_map(settled)
        .collect()
}

/// How likely a holder is to exercise a series the night of a day that closes at the prices of a
/// moment; none where nobody would.
pub fn exercised_tonight(
    world: &World,
    quoter: &mut Quoter,
    contract: &Contract,
    at: Moment,
) -> Option<f64> {
    let underlying = world.owner(contract)?;
    if underlying.style != Style::American || underlying.settlement != Settlement::Delivery {
        return None;
    }
    let print = world.spot(&underlying.symbol, at)?;
    match contract.kind {
        Kind::Call => {
            pays_before_dividend(world, underlying, contract, print, at).then_some(DILIGENT)
        }
        Kind::Put => {
            let inside = contract.strike - print;
            let value = quoter.quote(world, contract, at)?.theoretical;
            (inside > Price::ZERO && value - inside.to_f64() < NOTHING).then_some(TIRED)
        }
    }
}

/// How many of so many sold contracts are assigned the night of a day that closes at the prices of a
/// moment.
pub fn assigned_tonight(
    world: &World,
    quoter: &mut Quoter,
    contract: &Contract,
    sold: i64,
    at: Moment,
) -> i64 {
    let Some(chance) = exercised_tonight(world, quoter, contract, at) else {
        return 0;
    };
    let key = contract_key(contract);
    let night = day_number(at.date()) << 20;
    let drawn = |i: &i64| world.noise().uniform(Stream::Assignment, key, night | i) < chance;
    (0..sold).filter(drawn).count() as i64
}

fn assigned_early(
    world: &World,
    quoter: &mut Quoter,
    account: &Account,
    contract: Contract,
    at: Moment,
) -> Option<LifecycleEvent> {
    let held = account.held(&Instrument::Option(contract.clone()));
    if held >= 0 {
        return None;
    }
    let print = world.spot(&world.owner(&contract)?.symbol, at)?;
    let assigned = assigned_tonight(world, quoter, &contract, -held, at);
    (assigned > 0).then_some(LifecycleEvent::Delivered {
        contract,
        quantity: -assigned,
        print,
        early: true,
    })
}

/// Whether a call is best exercised tonight for tomorrow's dividend: P + K(1 − e^{−rτ}) < D, with
/// the put at what is left after the fall.
fn pays_before_dividend(
    world: &World,
    underlying: &Underlying,
    contract: &Contract,
    print: Price,
    at: Moment,
) -> bool {
    let tomorrow = next_session(at.date());
    let Some((_, cash)) = world
        .dividends(&underlying.symbol, at, 30)
        .into_iter()
        .find(|(ex, _)| *ex == tomorrow)
    else {
        return false;
    };
    let (expiry, strike) = (underlying.expiry_moment(contract), contract.strike.to_f64());
    let spot = (print - cash).to_f64();
    let Some(slice) = world.slice(&underlying.symbol, open_of(tomorrow), expiry, spot) else {
        return false;
    };
    let put = Terms {
        kind: Kind::Put,
        style: Style::European,
        strike,
        time: slice.years,
        rate: slice.rate,
        carry_yield: slice.carry_yield,
        vol: slice.vol(strike),
    };
    print > contract.strike
        && european_price(&put, spot) + strike * (1.0 - libm::exp(-slice.rate * slice.years))
            < cash.to_f64()
}
