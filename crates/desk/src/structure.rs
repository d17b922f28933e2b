//! Legs, and the canonical form in which structures are compared, named and priced.

use quant::Kind;
use thiserror::Error;

use crate::contract::{Contract, strike_label};
use crate::instrument::Instrument;
use crate::underlying::Underlying;

/// Most legs of one structure.
pub const MOST_LEGS: usize = 6;
/// Most contracts of one leg.
pub const MOST_CONTRACTS: i64 = 1_000;
/// Most shares or futures of one leg.
pub const MOST_UNITS: i64 = 100_000;

/// So many of one instrument; bought above zero, sold below.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Leg {
    /// The option series, or the underlying.
    pub instrument: Instrument,
    /// Contracts, shares or futures, signed.
    pub quantity: i64,
}

impl Leg {
    /// A leg in options.
    pub fn option(contract: Contract, quantity: i64) -> Leg {
        Leg {
            instrument: Instrument::Option(contract),
            quantity,
        }
    }

    fn most(&self) -> i64 {
        if self.instrument.option().is_some() {
            MOST_CONTRACTS
        } else {
            MOST_UNITS
        }
    }
}

/// One to six legs on one underlying, netted, none zero: options ascending by expiry, strike and
/// kind, then the underlying.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Structure {
    legs: Vec<Leg>,
}

/// Why legs make no structure.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum StructureError {
    /// No legs, or all of them cancel out.
    #[error("a structure needs at least one leg that is not cancelled by another")]
    Empty,
    /// More legs than allowed.
    #[error("{0} legs; at most {MOST_LEGS} are allowed")]
    TooManyLegs(usize),
    /// A leg of zero, or beyond the limit.
    #[error(
        "{instrument}: quantity {quantity} is not allowed; write −{most} to {most} without zero"
    )]
    Quantity {
        /// Of what.
        instrument: Instrument,
        /// What was asked for.
        quantity: i64,
        /// Largest size.
        most: i64,
    },
}

impl Structure {
    /// Nets equal contracts, drops what cancels and sorts.
    pub fn new(legs: impl IntoIterator<Item = Leg>) -> Result<Structure, StructureError> {
        let mut netted: Vec<Leg> = Vec::new();
        let too_many = |l: &Leg| StructureError::Quantity {
            instrument: l.instrument.clone(),
            quantity: l.quantity,
            most: l.most(),
        };
        for leg in legs {
            if leg.quantity == 0 || leg.quantity.unsigned_abs() > leg.most().unsigned_abs() {
                return Err(too_many(&leg));
            }
            match netted.iter_mut().find(|l| l.instrument == leg.instrument) {
                Some(same) => same.quantity += leg.quantity,
                None => netted.push(leg),
            }
        }
        if let Some(large) = netted.iter().find(|l| l.quantity.abs() > l.most()) {
            return Err(too_many(large));
        }
        netted.retain(|l| l.quantity != 0);
        if netted.is_empty() {
            return Err(StructureError::Empty);
        }
        if netted.len() > MOST_LEGS {
            return Err(StructureError::TooManyLegs(netted.len()));
        }
        netted.sort_by(
            |a, b| match (a.instrument.option(), b.instrument.option()) {
                (Some(x), Some(y)) => (x.expiry, x.strike, x.kind, &x.root)
                    .cmp(&(y.expiry, y.strike, y.kind, &y.root)),
                _ => a.instrument.cmp(&b.instrument),
            },
        );
        Ok(Structure { legs: netted })
    }

    /// The legs, in canonical order.
    pub fn legs(&self) -> &[Leg] {
        &self.legs
    }

    /// The option legs: series and signed contracts.
    pub fn options(&self) -> impl Iterator<Item = (&Contract, i64)> {
        self.legs
            .iter()
            .filter_map(|l| Some((l.instrument.option()?, l.quantity)))
    }

    /// Shares or futures, signed; zero where there are none.
    pub fn underlying_quantity(&self) -> i64 {
        self.legs
            .iter()
            .filter(|l| l.instrument.option().is_none())
            .map(|l| l.quantity)
            .sum()
    }

    /// Profit per 1.00 far above every strike: net calls and what is held of the underlying.
    pub(crate) fn upper_slope(&self, underlying: &Underlying) -> i64 {
        let rises = |l: &&Leg| l.instrument.option().is_none_or(|c| c.kind == Kind::Call);
        self.legs
            .iter()
            .filter(rises)
            .map(|l| l.quantity * underlying.units(&l.instrument))
            .sum()
    }

    /// How many packages this is: the greatest common divisor of the quantities.
    pub fn packages(&self) -> i64 {
        self.legs.iter().fold(0, |g, l| gcd(g, l.quantity.abs()))
    }

    /// One package: the same legs in lowest integer ratio.
    pub fn unit(&self) -> Structure {
        let n = self.packages();
        Structure {
            legs: self
                .legs
                .iter()
                .map(|l| Leg {
                    quantity: l.quantity / n,
                    ..l.clone()
                })
                .collect(),
        }
    }

    /// The other side: everything bought is sold and the reverse.
    pub fn turned(&self) -> Structure {
        self.times(-1)
    }

    /// So many of each leg; negative turns it over. Zero is not meaningful and gives one.
    pub fn times(&self, n: i64) -> Structure {
        let n = if n == 0 { 1 } else { n };
        Structure {
            legs: self
                .legs
                .iter()
                .map(|l| Leg {
                    quantity: l.quantity * n,
                    ..l.clone()
                })
                .collect(),
        }
    }

    /// Whether all options expire on one date under one root.
    pub fn is_one_expiration(&self) -> bool {
        let ends = |c: &Contract| (c.expiry, c.root.clone());
        let mut all = self.options().map(|(c, _)| ends(c));
        let first = all.next();
        all.all(|end| Some(end) == first)
    }

    /// "205/200 · 175/165": strikes from high to low, calls before puts, unequal ratios marked;
    /// nothing for the underlying alone.
    pub fn strikes_label(&self) -> String {
        let ratio = self.options().fold(0, |g, (_, n)| gcd(g, n.abs())).max(1);
        let side = |kind: Kind| {
            let mut legs: Vec<(&Contract, i64)> =
                self.options().filter(|(c, _)| c.kind == kind).collect();
            legs.reverse();
            legs.iter()
                .map(|(c, n)| match n.abs() / ratio {
                    1 => strike_label(c.strike),
                    n => format!("{n}×{}", strike_label(c.strike)),
                })
                .collect::<Vec<_>>()
                .join("/")
        };
        let (calls, puts) = (side(Kind::Call), side(Kind::Put));
        if calls.is_empty() || puts.is_empty() || calls == puts {
            if calls.is_empty() { puts } else { calls }
        } else {
            format!("{calls} · {puts}")
        }
    }
}

pub(crate) fn gcd(a: i64, b: i64) -> i64 {
    if b == 0 { a } else { gcd(b, a % b) }
}
