//! What one order may send.

use std::ops::Deref;

use thiserror::Error;

use crate::holding::{Holding, Leg};
use crate::instrument::Instrument;

/// Most legs of one package: a structure of four legs is rolled in one order.
pub const MOST_LEGS: usize = 8;
/// Most contracts of one leg of a package.
pub const MOST_CONTRACTS: i64 = 1_000;
/// Most shares or futures of one leg of a package.
pub const MOST_UNITS: i64 = 100_000;

/// One to eight legs on one underlying, in lowest ratio: what is bought and sold as a whole. It is
/// a [`Holding`] with limits, and can be read like one.
///
/// ```
/// use desk::{Holding, Instrument, Leg, Package, PackageError};
/// let shares = |quantity| Leg { instrument: Instrument::Underlying("TEST".into()), quantity };
/// let (package, times) = Package::of(&Holding::new([shares(300)]))?;
/// assert_eq!((package.legs(), times), (&[shares(1)][..], 300));
/// assert_eq!(Package::new([shares(300)]), Err(PackageError::NotLowest(300)));
/// # Ok::<(), PackageError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Package(Holding);

/// Why legs make no package.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum PackageError {
    /// No legs, or all of them cancel out.
    #[error("a package needs at least one leg that is not cancelled by another")]
    Empty,
    /// More legs than allowed.
    #[error("{0} legs; at most {MOST_LEGS} legs are allowed")]
    TooManyLegs(usize),
    /// A leg of zero, or beyond the limit.
    #[error(
        "{instrument}: quantity {quantity} is not allowed; write −{most} to {most} without zero"
    )]
    Quantity {
        /// The instrument that the fault is about.
        instrument: Instrument,
        /// What was asked for.
        quantity: i64,
        /// The largest quantity that an order may carry.
        most: i64,
    },
    /// The legs are so many packages of a smaller ratio.
    #[error("the legs are {0} packages of a smaller ratio; send one package and quantity {0}")]
    NotLowest(i64),
}

fn most_of(instrument: &Instrument) -> i64 {
    if instrument.option().is_some() {
        MOST_CONTRACTS
    } else {
        MOST_UNITS
    }
}

impl Package {
    /// A package from its legs, which are netted and sorted.
    ///
    /// # Errors
    /// A leg of zero or beyond the limits, more legs than allowed, nothing left after netting, or
    /// legs that are not in lowest ratio.
    pub fn new(legs: impl IntoIterator<Item = Leg>) -> Result<Package, PackageError> {
        let legs: Vec<Leg> = legs.into_iter().collect();
        if let Some(zero) = legs.iter().find(|l| l.quantity == 0) {
            return Err(PackageError::Quantity {
                instrument: zero.instrument.clone(),
                quantity: 0,
                most: most_of(&zero.instrument),
            });
        }
        let holding = Holding::new(legs);
        Package::within_limits(&holding)?;
        match holding.packages() {
            1 => Ok(Package(holding)),
            n => Err(PackageError::NotLowest(n)),
        }
    }

    /// The package that a holding is made of, and how many of it.
    ///
    /// # Errors
    /// Nothing is held, or one package of it is more than an order may send.
    pub fn of(holding: &Holding) -> Result<(Package, i64), PackageError> {
        let unit = holding.unit();
        Package::within_limits(&unit)?;
        Ok((Package(unit), holding.packages()))
    }

    fn within_limits(holding: &Holding) -> Result<(), PackageError> {
        if holding.is_empty() {
            return Err(PackageError::Empty);
        }
        if holding.legs().len() > MOST_LEGS {
            return Err(PackageError::TooManyLegs(holding.legs().len()));
        }
        let large = |l: &&Leg| l.quantity.saturating_abs() > most_of(&l.instrument);
        match holding.legs().iter().find(large) {
            Some(l) => Err(PackageError::Quantity {
                instrument: l.instrument.clone(),
                quantity: l.quantity,
                most: most_of(&l.instrument),
            }),
            None => Ok(()),
        }
    }

    /// The other side: everything bought is sold and the reverse.
    pub fn reversed(&self) -> Package {
        Package(self.0.reversed())
    }

    /// What is held after one of it was bought.
    pub fn holding(&self) -> &Holding {
        &self.0
    }
}

impl Deref for Package {
    type Target = Holding;

    fn deref(&self) -> &Holding {
        &self.0
    }
}
