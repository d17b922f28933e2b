//! Which strikes are listed.
//!
//! An expiration is listed so many days before its end: from then on coarse strikes stand around
//! every close, and fine ones around the closes of its last hundred days. As the price wanders
//! strikes are added; none is withdrawn.

use desk::calendar::monthly_expiration;
use desk::{Contract, Expiration, Kind, LISTED_AHEAD, Moment, Price, Underlying, day_number};
use jiff::civil::Date;

use crate::simulated::Simulated;
use crate::world::World;

/// Calendar days before its end on which an expiration is listed.
fn life(underlying: &Underlying, expiry: Date) -> i64 {
    if !underlying.own_dates.is_empty() {
        LISTED_AHEAD
    } else if monthly_expiration(expiry.year(), expiry.month()) != expiry {
        45
    } else if expiry.month() == 1 {
        1_000
    } else if expiry.month() % 3 == 0 {
        400
    } else {
        150
    }
}

/// Days before the end from which fine strikes are added.
const FINE: i64 = 100;

/// How far from a close strikes reach, as a share of the outermost step's distance.
fn reach(life: i64) -> f64 {
    if life <= 45 { 0.45 } else { 0.75 }
}

/// Distance of strikes (in cents) at a strike: twice the stated step for each doubling of the price
/// since the name began, half of it below six tenths of that price.
fn step_at(strike: i64, step: i64, anchor: f64) -> i64 {
    let level = strike as f64 / 100.0 / anchor;
    if level < 0.6 {
        half(step)
    } else {
        step << (libm::log2(level / 1.6).floor() + 1.0).clamp(0.0, 8.0) as i64
    }
}

/// Half a step, where that is one that is listed anywhere.
fn half(step: i64) -> i64 {
    if matches!(step, 100 | 200 | 500 | 1_000 | 2_000) {
        step / 2
    } else {
        step
    }
}

/// The strikes of one expiration at a moment, ascending.
pub fn strikes(world: &World, symbol: &str, expiration: &Expiration, at: Moment) -> Vec<Price> {
    let source = world.source(symbol);
    source.map_or_else(Vec::new, |s| s.strikes(expiration, at))
}

/// The strikes of one expiration of a simulated underlying at a moment, ascending.
pub(crate) fn simulated(of: &Simulated, expiration: &Expiration, at: Moment) -> Vec<Price> {
    let spec = &of.spec;
    let expiry = expiration.date;
    let life = life(&spec.underlying, expiry);
    let range = |days: i64| of.close_range(at, day_number(expiry) - days);
    let outermost = spec.steps.last().map_or(0.3, |s| s.0) * reach(life);
    let mut out = Vec::new();
    for (i, (distance, step)) in spec.steps.iter().enumerate() {
        let coarse = i + 1 == spec.steps.len();
        let near = at.days_until(expiry) <= FINE;
        if !coarse && !near {
            continue;
        }
        let (low, high) = range(if coarse { life } else { life.min(FINE) });
        let distance = distance.min(outermost);
        let grid = |value: f64| (value * 100.0 / *step as f64).round() as i64 * step;
        let mut strike = grid(low * (1.0 - distance)).max(*step);
        while strike <= grid(high * (1.0 + distance)) {
            if strike % step_at(strike, *step, spec.anchor) == 0 {
                out.push(Price::cents(strike));
            }
            strike += half(*step);
        }
    }
    out.sort_unstable();
    out.dedup();
    out
}

/// The contract of an expiration, right and strike.
pub fn contract(
    world: &World,
    symbol: &str,
    expiration: &Expiration,
    kind: Kind,
    strike: Price,
) -> Option<Contract> {
    let root = world.underlying(symbol)?.root_for(expiration).to_owned();
    Some(Contract {
        root,
        expiry: expiration.date,
        kind,
        strike,
    })
}

/// Why a contract cannot be traded.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ListingError {
    /// No such root.
    #[error("{0} is not listed here; known symbols: {1}")]
    Symbol(String, String),
    /// The expiration is past.
    #[error("{contract} expired on {}; choose a later expiration", contract.expiry)]
    Expired {
        /// The contract that was asked for.
        contract: Contract,
    },
    /// No such expiration.
    #[error("{} is not a listed expiration of {symbol}; nearest: {nearest}", contract.expiry)]
    Expiration {
        /// The contract that was asked for.
        contract: Contract,
        /// The underlying that it would be on.
        symbol: String,
        /// Nearest listed dates.
        nearest: String,
    },
    /// No such strike.
    #[error(
        "{} is not a listed strike for {}; nearest: {nearest}",
        desk::strike_label(contract.strike),
        desk::short_date(contract.expiry)
    )]
    Strike {
        /// The contract that was asked for.
        contract: Contract,
        /// Nearest listed strikes.
        nearest: String,
    },
}

fn nearest_two<T: Clone>(items: &[T], at: usize, show: impl Fn(&T) -> String) -> String {
    let low = at.checked_sub(1).and_then(|i| items.get(i));
    low.into_iter()
        .chain(items.get(at))
        .map(show)
        .collect::<Vec<_>>()
        .join(" and ")
}

/// Says whether a contract is listed, and what would be if it is not.
///
/// # Errors
/// It is not; the error names the nearest that is.
pub fn check_listed(world: &World, contract: &Contract, at: Moment) -> Result<(), ListingError> {
    let Some(underlying) = world.owner(contract) else {
        let known: Vec<&str> = world.underlyings(at).map(|u| u.symbol.as_str()).collect();
        return Err(ListingError::Symbol(
            contract.root.clone(),
            known.join(", "),
        ));
    };
    if underlying.expiry_moment(contract) <= at {
        return Err(ListingError::Expired {
            contract: contract.clone(),
        });
    }
    let listed = world
        .expirations(&underlying.symbol, at)
        .unwrap_or_default();
    let Some(expiration) = listed
        .iter()
        .find(|e| e.date == contract.expiry && underlying.root_for(e) == contract.root)
    else {
        let place = listed.partition_point(|e| e.date < contract.expiry);
        let nearest = nearest_two(&listed, place, |e| e.date.to_string());
        return Err(ListingError::Expiration {
            contract: contract.clone(),
            symbol: underlying.symbol.clone(),
            nearest,
        });
    };
    let strikes = strikes(world, &underlying.symbol, expiration, at);
    if strikes.binary_search(&contract.strike).is_err() {
        let place = strikes.partition_point(|s| *s < contract.strike);
        let nearest = nearest_two(&strikes, place, |s| desk::strike_label(*s));
        return Err(ListingError::Strike {
            contract: contract.clone(),
            nearest,
        });
    }
    Ok(())
}
