//! Which strikes are listed, and the contracts of them.

use desk::{Contract, Expiration, Kind, Moment, Price};

use crate::world::World;

/// The strikes of one expiration at a moment, ascending.
pub fn strikes(world: &World, symbol: &str, expiration: &Expiration, at: Moment) -> Vec<Price> {
    let source = world.source(symbol);
    source.map_or_else(Vec::new, |s| s.strikes(expiration, at))
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
