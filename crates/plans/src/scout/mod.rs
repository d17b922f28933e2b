//! Scout: every structure of chosen families, judged under the market's law and under one's own.
//!
//! A candidate is looked at on one date: what ends there counts its exercise value at the price then,
//! what lasts longer its model value there with the interest, the yield and the volatility that it
//! has now, undiscounted; early exercise before the date is left out. The same judgement serves the
//! batch command and the screen.

mod families;
mod field;
mod judge;
mod law;
mod limits;
mod look;
mod measure;
mod ranked;

pub use families::{FAMILIES, Family};
pub use field::{OptionQuoted, ScoutEnding, Scouted};
pub use law::{ExpectationError, Laws, MarketLaw, Region, Upto, Variance};
pub use limits::{LeanBand, ScoutLimit, ScoutLimits};
pub use measure::{Bounds, Measured, Pieces};
pub use ranked::{Found, FoundBest, JudgedFold, ScoutProgress, SoFar, WatchOne, best, scout};

use desk::Instrument;
use desk::{Decimal, Money, Price};

macro_rules! measures {
    ($($(#[$doc:meta])* $name:ident $word:literal;)*) => {
        /// What a candidate is measured by, of one's own law.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub enum RankMeasure { $($(#[$doc])* $name,)* }

        /// Every measure with its word.
        pub const RANK_MEASURES: &[(RankMeasure, &str)] = &[$((RankMeasure::$name, $word),)*];
    };
}

measures! {
    /// The mean profit under one's own law, in money.
    Expected "expected";
    /// Chance of profit.
    Chance "chance";
    /// Mean by one's own law less that by the market's.
    Excess "excess";
    /// Mean for what is tied up.
    ExpectedPerCapital "expected_per_capital";
    /// Mean for what can be lost.
    ExpectedPerLoss "expected_per_loss";
    /// Mean for a calendar day.
    ExpectedPerDay "expected_per_day";
}

impl RankMeasure {
    /// By its word.
    pub fn of_word(word: &str) -> Option<RankMeasure> {
        let found = RANK_MEASURES.iter().find(|(_, w)| *w == word);
        found.map(|(m, _)| *m)
    }

    /// It is a fraction, and no money.
    pub fn is_share(self) -> bool {
        matches!(
            self,
            RankMeasure::Chance | RankMeasure::ExpectedPerCapital | RankMeasure::ExpectedPerLoss
        )
    }
}

/// What the best is measured by.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Rank {
    /// By one measure alone, the best first.
    By(RankMeasure),
    /// A sum of measures, each times its weight, in the order of [`RANK_MEASURES`]: fractions in percent,
    /// money as it is.
    Weighted([f64; 6]),
}

impl Default for Rank {
    fn default() -> Rank {
        Rank::By(RankMeasure::ExpectedPerCapital)
    }
}

/// What is asked.
#[derive(Debug, Clone)]
pub struct ScoutAsked {
    /// The families of structures that are searched.
    pub families: Vec<Family>,
    /// Between neighbouring strikes of one wing, in price; nothing: as wide as may be.
    pub width: Option<f64>,
    /// Deviations of its expiration that a strike lies from the forward at most.
    pub reach: f64,
    /// Part of the way from the middle to the far side that is paid: 0 to 1.
    pub price: Decimal,
    /// Fees of the entry are taken off.
    pub fees: bool,
    /// What the best is measured by.
    pub rank: Rank,
    /// What rules candidates out.
    pub limits: ScoutLimits,
}

/// One package, judged.
#[derive(Debug, Clone, PartialEq)]
pub struct JudgedPack {
    /// The family that it was built as.
    pub family: Family,
    /// Its legs in order: the underlying first, then strikes ascending, puts before calls.
    pub legs: Vec<(Instrument, i64)>,
    /// Net price of one package, bought.
    pub price: Price,
    /// The same as money, before fees.
    pub net: Money,
    /// Margin of it alone by strategy rules, and the net.
    pub capital: Money,
    /// Its figures in money.
    pub measured: Measured,
}

/// Why nothing can be found.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ScoutError {
    /// A model refused.
    #[error(transparent)]
    Model(#[from] quant::Error),
    /// Too many to keep their order.
    #[error(
        "more than {0} candidates; narrow them by families, by the width of a wing or by the reach"
    )]
    TooMany(usize),
    /// More options than places.
    #[error("{0} options take part; at most {1} can: narrow the reach")]
    TooWide(usize, usize),
}

/// "+1 NMOU  310418P00170000; -1 NMOU  310418P00175000".
pub fn legs_text(legs: &[(Instrument, i64)]) -> String {
    let each: Vec<String> = legs
        .iter()
        .map(|(instrument, n)| format!("{n:+} {instrument}"))
        .collect();
    each.join("; ")
}
