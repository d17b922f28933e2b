//! Bells: a condition or an occurrence that the trader is to be told of. A bell rings once and
//! stays rung until it is answered.

use crate::number::Price;
use crate::package::Package;
use crate::time::Moment;

/// On which side of its level a price rings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BellSide {
    /// At the level or above it.
    Above,
    /// At the level or below it.
    Below,
}

/// What a bell is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Occurrence {
    /// An order was filled.
    Fill,
    /// An order was refused.
    Refusal,
    /// An order ended without being filled whole.
    End,
    /// The account needs more than it has.
    Deficit,
}

/// What a bell listens to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Listens {
    /// A price: of the underlying where `unit` is absent, otherwise the middle of a contract or a
    /// package, signed as a buyer of it pays.
    Price {
        /// Underlying symbol.
        symbol: String,
        /// One package, lowest ratio.
        unit: Option<Package>,
        /// On which side it rings.
        side: BellSide,
        /// The level.
        level: Price,
    },
    /// Something that happened; such a bell is rung from the beginning.
    Told(Occurrence),
}

/// A bell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bell {
    /// Number, ascending.
    pub id: u64,
    /// When it was set.
    pub set: Moment,
    /// What it listens to.
    pub listens: Listens,
    /// When it rang, and what it says.
    pub rung: Option<(Moment, String)>,
    /// Whether the trader has answered.
    pub answered: bool,
}

impl Bell {
    /// Whether it still listens.
    pub fn is_set(&self) -> bool {
        self.rung.is_none() && !self.answered
    }

    /// Whether it rings now.
    pub fn rings(&self) -> bool {
        self.rung.is_some() && !self.answered
    }

    /// Whether a price would make it ring.
    pub fn hears(&self, price: Price) -> bool {
        match &self.listens {
            Listens::Price {
                side: BellSide::Above,
                level,
                ..
            } => price >= *level,
            Listens::Price {
                side: BellSide::Below,
                level,
                ..
            } => price <= *level,
            Listens::Told(_) => false,
        }
    }
}
