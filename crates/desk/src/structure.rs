//! Legs, and the canonical form in which structures are compared, named and priced.

use quant::Kind;
use thiserror::Error;

use crate::contract::{Contract, strike_label};

/// Most legs of one structure.
pub const MOST_LEGS: usize = 4;
/// Most contracts of one leg.
pub const MOST_CONTRACTS: i64 = 1_000;

/// So many of one contract; bought above zero, sold below.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Leg {
    /// The series.
    pub contract: Contract,
    /// Contracts, signed.
    pub quantity: i64,
}

/// One to four legs on one underlying, netted, none zero, ascending by expiry, strike and kind.
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
    #[error("{contract}: quantity {quantity} is not allowed; write −{MOST_CONTRACTS} to {MOST_CONTRACTS} without zero")]
    Quantity {
        /// Which contract.
        contract: Contract,
        /// What was asked for.
        quantity: i64,
    },
}

impl Structure {
    /// Nets equal contracts, drops what cancels and sorts.
    pub fn new(legs: impl IntoIterator<Item = Leg>) -> Result<Structure, StructureError> {
        let mut netted: Vec<Leg> = Vec::new();
        for leg in legs {
            if leg.quantity == 0 || leg.quantity.unsigned_abs() > MOST_CONTRACTS.unsigned_abs() {
                return Err(StructureError::Quantity { contract: leg.contract, quantity: leg.quantity });
            }
            match netted.iter_mut().find(|l| l.contract == leg.contract) {
                Some(same) => same.quantity += leg.quantity,
                None => netted.push(leg),
            }
        }
        if let Some(large) = netted.iter().find(|l| l.quantity.abs() > MOST_CONTRACTS) {
            return Err(StructureError::Quantity { contract: large.contract.clone(), quantity: large.quantity });
        }
        netted.retain(|l| l.quantity != 0);
        if netted.is_empty() {
            return Err(StructureError::Empty);
        }
        if netted.len() > MOST_LEGS {
            return Err(StructureError::TooManyLegs(netted.len()));
        }
        netted.sort_by_key(|l| (l.contract.expiry, l.contract.strike, l.contract.kind, l.contract.root.clone()));
        Ok(Structure { legs: netted })
    }

    /// The legs, in canonical order.
    pub fn legs(&self) -> &[Leg] {
        &self.legs
    }

    /// How many packages this is: the greatest common divisor of the quantities.
    pub fn packages(&self) -> i64 {
        self.legs.iter().fold(0, |g, l| gcd(g, l.quantity.abs()))
    }

    /// One package: the same legs in lowest integer ratio.
    pub fn unit(&self) -> Structure {
        let n = self.packages();
        Structure { legs: self.legs.iter().map(|l| Leg { quantity: l.quantity / n, ..l.clone() }).collect() }
    }

    /// The other side: everything bought is sold and the reverse.
    pub fn turned(&self) -> Structure {
        self.times(-1)
    }

    /// So many of each leg; negative turns it over. Zero is not meaningful and gives one.
    pub fn times(&self, n: i64) -> Structure {
        let n = if n == 0 { 1 } else { n };
        Structure { legs: self.legs.iter().map(|l| Leg { quantity: l.quantity * n, ..l.clone() }).collect() }
    }

    /// Whether all legs expire on one date under one root.
    pub fn is_one_expiration(&self) -> bool {
        let first = &self.legs[0].contract;
        self.legs.iter().all(|l| (l.contract.expiry, &l.contract.root) == (first.expiry, &first.root))
    }

    /// "205/200 · 175/165": strikes from high to low, calls before puts, unequal ratios marked.
    pub fn strikes_label(&self) -> String {
        let unit = self.unit();
        let side = |kind: Kind| {
            let legs = unit.legs.iter().rev().filter(|l| l.contract.kind == kind);
            legs.map(|l| match l.quantity.abs() {
                1 => strike_label(l.contract.strike),
                n => format!("{n}×{}", strike_label(l.contract.strike)),
            })
            .collect::<Vec<_>>()
            .join("/")
        };
        let (calls, puts) = (side(Kind::Call), side(Kind::Put));
        if calls.is_empty() || puts.is_empty() || calls == puts { if calls.is_empty() { puts } else { calls } } else { format!("{calls} · {puts}") }
    }
}

fn gcd(a: i64, b: i64) -> i64 {
    if b == 0 { a } else { gcd(b, a % b) }
}
