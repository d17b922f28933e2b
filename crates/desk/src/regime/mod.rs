//! Margin of one underlying's legs under three regimes, in `f64` and without rounding: what the
//! batch calculator answers. `margin` is the exact-money sibling for the account.
//!
//! - [`strategy`]: published strategy rules (the shape of FINRA Rule 4210(f)(2) and of the
//!   exchanges' margin manuals): the least total over all legal pairings.
//! - [`portfolio`]: theoretical loss over moves of the price (the shape of FINRA Rule 4210(g)).
//! - [`scan`]: sixteen scenarios with an exposure charge (the published parameter layout of scan
//!   margin).
//!
//! Net is Σ quantity × price × multiplier over the options: above zero it was paid.

mod columns;
pub(crate) mod rule;
mod scenarios;
mod strategy;

pub use rule::Rule;
pub use rule::Strategy;
pub use scenarios::{Portfolio, Scan, Scanned, Swept, portfolio, portfolio_paying, scan};
pub use strategy::{Group, MOST_LEGS, strategy};

use quant::Kind;
use thiserror::Error;

/// What a leg is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum RegimeKind {
    /// An option, by right, strike and time.
    Option {
        /// Call or put.
        kind: Kind,
        /// Its strike, per unit of the underlying.
        strike: f64,
        /// Years to its end.
        time: f64,
        /// Volatility a year; needed where legs are re-valued.
        vol: Option<f64>,
    },
    /// Shares of the underlying.
    Stock,
    /// A future on the underlying.
    Future,
}

/// So many of one thing in a case.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RegimeLeg {
    /// Contracts, shares or futures, signed.
    pub quantity: i64,
    /// What it is.
    pub kind: RegimeKind,
    /// Price per unit.
    pub price: f64,
}

impl RegimeLeg {
    fn option(&self) -> Option<(Kind, f64, f64)> {
        if let RegimeKind::Option {
            kind, strike, time, ..
        } = self.kind
        {
            Some((kind, strike, time))
        } else {
            None
        }
    }
}

/// Legs on one underlying.
#[derive(Debug, Clone, PartialEq)]
pub struct RegimeCase {
    /// Price of the underlying.
    pub price: f64,
    /// Units that one option or future stands for.
    pub multiplier: f64,
    /// All that is held, on one underlying.
    pub legs: Vec<RegimeLeg>,
}

impl RegimeCase {
    /// Paid for the options (received below zero).
    pub fn net(&self) -> f64 {
        let options = self.legs.iter().filter(|l| l.option().is_some());
        options
            .map(|l| l.quantity as f64 * l.price * self.multiplier)
            .sum()
    }

    /// Each leg alone.
    pub fn alone(&self) -> impl Iterator<Item = RegimeCase> + '_ {
        self.legs.iter().map(|l| RegimeCase {
            legs: vec![*l],
            ..self.clone()
        })
    }

    /// Checks what every regime needs.
    fn check(&self) -> Result<(), RegimeError> {
        let positive = |what: &'static str, value: f64| {
            if value > 0.0 && value.is_finite() {
                Ok(())
            } else {
                Err(RegimeError::Number { what, value })
            }
        };
        positive("underlying price", self.price)?;
        positive("multiplier", self.multiplier)?;
        for leg in &self.legs {
            if leg.quantity == 0 {
                return Err(RegimeError::Number {
                    what: "qty",
                    value: 0.0,
                });
            }
            if let Some((_, strike, time)) = leg.option() {
                positive("strike", strike)?;
                if !(time >= 0.0 && time.is_finite()) {
                    return Err(RegimeError::Number {
                        what: "t_years",
                        value: time,
                    });
                }
            }
            if !(leg.price >= 0.0 && leg.price.is_finite()) {
                return Err(RegimeError::Number {
                    what: "price",
                    value: leg.price,
                });
            }
        }
        Ok(())
    }
}

/// Why a regime has no answer.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum RegimeError {
    /// A number outside of what it can be.
    #[error("{what} {value} is outside of what it can be")]
    Number {
        /// The name of the number that is wrong.
        what: &'static str,
        /// The number as it was given.
        value: f64,
    },
    /// A kind of leg that the regime does not define.
    #[error("a {kind} is not defined under {regime}")]
    Undefined {
        /// What it is that the regime has no rule for.
        kind: &'static str,
        /// The regime that was asked.
        regime: &'static str,
    },
    /// Points of a move that cannot stand half on each side.
    #[error("{0} points cannot stand half on each side; write an even number above zero")]
    OddPoints(u32),
    /// A leg without a volatility, where it is re-valued.
    #[error("leg {0} has no vol, and is re-valued")]
    NoVol(usize),
    /// A volatility that the scan would take to zero or below.
    #[error("leg {leg}: vol {vol} is not above vol_scan {vol_scan}")]
    VolScan {
        /// Which leg, from 0.
        leg: usize,
        /// The volatility as it was given, a fraction a year.
        vol: f64,
        /// What is added and taken away.
        vol_scan: f64,
    },
    /// More than the search for the least total takes.
    #[error("the least total was not found: {0}")]
    Search(String),
}
