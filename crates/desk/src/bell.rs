//! Bells: a condition or an occurrence that the trader is to be told of. A bell rings once and
//! stays rung until it is answered.

use jiff::civil::Date;

use crate::number::{Decimal, Price};
use crate::package::Package;
use crate::rules::Condition;
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
    /// A rule of the trader's rang.
    Rule,
}

/// What a bell on a figure watches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Watched {
    /// The campaign of this number.
    Campaign(u64),
    /// The implied volatility of an underlying.
    Symbol(String),
    /// The account as a whole.
    Account,
}

/// What a bell listens to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Listens {
    /// A price: of the underlying where `unit` is absent, otherwise the middle of a contract or a
    /// package, signed as a buyer of it pays.
    Price {
        /// The symbol of the underlying whose price is watched.
        symbol: String,
        /// One package, lowest ratio.
        unit: Option<Package>,
        /// On which side it rings.
        side: BellSide,
        /// The price that has to be reached, per unit.
        level: Price,
    },
    /// A figure of a campaign, of an underlying's volatility or of the account.
    Figure {
        /// The campaign or account whose figure is watched.
        of: Watched,
        /// Where it rings.
        condition: Condition,
    },
    /// Something that happened; such a bell is rung from the beginning.
    Told(Occurrence),
}

/// What the trader asked to be told once, when it comes true.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bell {
    /// The number by which it is named; later bells have higher ones.
    pub id: u64,
    /// When it was set.
    pub set: Moment,
    /// What it listens to.
    pub listens: Listens,
    /// When it rang last, and what it says.
    pub rung: Option<(Moment, String)>,
    /// Whether the trader has answered.
    pub answered: bool,
    /// It rings again once what it listens to has gone back by so much; absent: it rings once.
    pub again: Option<Decimal>,
    /// It has rung and waits for that.
    pub spent: bool,
    /// The last date that it listens on.
    pub until: Option<Date>,
    /// Until when the trader does not want to hear it.
    pub snoozed: Option<Moment>,
    /// What the trader wants to read when it rings.
    pub note: String,
    /// The campaign it is about, for a bell of something that happened.
    pub campaign: Option<u64>,
    /// The rule that rang it.
    pub rule: Option<u64>,
}

impl Bell {
    /// A bell that listens to something from a moment on, once.
    pub fn on(id: u64, set: Moment, listens: Listens) -> Bell {
        Bell {
            id,
            set,
            listens,
            rung: None,
            answered: false,
            again: None,
            spent: false,
            until: None,
            snoozed: None,
            note: String::new(),
            campaign: None,
            rule: None,
        }
    }

    /// Whether it still listens, or will again.
    pub fn is_set(&self) -> bool {
        match (&self.listens, self.again) {
            (Listens::Told(_), _) => false,
            (_, None) => self.rung.is_none() && !self.answered,
            (_, Some(_)) => true,
        }
    }

    /// Whether it would ring now if what it listens to came.
    pub fn is_armed(&self) -> bool {
        self.is_set() && !self.spent
    }

    /// Whether it has rung and was not answered.
    pub fn unanswered(&self) -> bool {
        self.rung.is_some() && !self.answered
    }

    /// Whether it rings at a moment: rung, not answered, and not snoozed.
    pub fn rings_at(&self, now: Moment) -> bool {
        self.unanswered() && self.snoozed.is_none_or(|until| until <= now)
    }

    /// The bell after it rang.
    pub fn after_ringing(&self, at: Moment, says: String) -> Bell {
        Bell {
            rung: Some((at, says)),
            answered: false,
            snoozed: None,
            spent: true,
            ..self.clone()
        }
    }

    /// Whether a price is far enough back for it to listen again.
    pub fn is_back(&self, price: Price) -> bool {
        let Some(by) = self.again else { return false };
        let by = Price::from_raw(by.raw()).max(Price::from_raw(1));
        match &self.listens {
            Listens::Price { side, level, .. } => match side {
                BellSide::Above => price <= *level - by,
                BellSide::Below => price >= *level + by,
            },
            Listens::Figure { .. } | Listens::Told(_) => false,
        }
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
            Listens::Figure { .. } | Listens::Told(_) => false,
        }
    }
}
