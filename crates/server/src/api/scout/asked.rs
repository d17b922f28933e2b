//! What is expected and what is searched for, as they cross.

use desk::{Decimal, Money};
use plans::scout::{Family, Rank, RankMeasure, ScoutAsked, ScoutLimits};
use serde::{Deserialize, Serialize};
use studies::scouting::{Expectation, LawFrom, SearchAsked, Where};
use utoipa::ToSchema;

use crate::api::wire::date;
use crate::app::refusal::Refusal;

/// What the ends of a region are counted in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(crate) enum RegionUnit {
    /// Ends of the region are prices of the underlying.
    #[default]
    Prices,
    /// Deviations from the price of now.
    Deviations,
}

/// What the market's law is taken from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(crate) enum LawWord {
    /// The variance at the forward: lognormal.
    #[default]
    Flat,
    /// The law that the smile of the quotes says.
    Smile,
}

/// What is expected of a price.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub(crate) struct ExpectationWire {
    /// By when (ISO).
    pub by: String,
    /// Lower end; absent for an open side.
    #[serde(default)]
    pub low: Option<f64>,
    /// Upper end; absent for an open side.
    #[serde(default)]
    pub high: Option<f64>,
    /// What the ends are counted in.
    #[serde(default)]
    pub unit: RegionUnit,
    /// How surely it ends there, 0 to 1; absent: as the market says.
    #[serde(default)]
    pub sure: Option<f64>,
    /// What the market's law is taken from.
    #[serde(default)]
    pub law: LawWord,
}

fn wrong<T>(field: &'static str, message: String) -> Result<T, Refusal> {
    Err(Refusal::Field { field, message })
}

impl ExpectationWire {
    /// What it says.
    pub fn read(&self) -> Result<Expectation, Refusal> {
        let by = date("by", &self.by)?;
        if self.low.is_none() && self.high.is_none() {
            return wrong(
                "low",
                "both sides are open: write a lower end, an upper end, or both".into(),
            );
        }
        if let Some(s) = self.sure.filter(|s| !(0.0..=1.0).contains(s)) {
            return wrong("sure", format!("{s} is no chance; write 0 to 1"));
        }
        if self.unit == RegionUnit::Deviations {
            for end in [self.low, self.high].into_iter().flatten() {
                if end.abs() > 8.0 {
                    return wrong("low", format!("{end} deviations; write −8 to 8"));
                }
            }
        }
        Ok(Expectation {
            by,
            region: match self.unit {
                RegionUnit::Prices => Where::Prices(self.low, self.high),
                RegionUnit::Deviations => Where::Deviations(self.low, self.high),
            },
            sure: self.sure,
            law: match self.law {
                LawWord::Flat => LawFrom::Flat,
                LawWord::Smile => LawFrom::Smile,
            },
        })
    }
}

/// A family of structures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum FamilyWord {
    /// A single option, bought or sold.
    Single,
    /// Two strikes of one right and expiration.
    Vertical,
    /// Call and put of one strike.
    Straddle,
    /// Put and call of two strikes.
    Strangle,
    /// One against two.
    Ratio,
    /// Three strikes as far apart.
    Butterfly,
    /// Three strikes unevenly apart.
    ButterflySkewed,
    /// Four strikes, wings as wide.
    Condor,
    /// Four strikes, wings unevenly wide.
    CondorSkewed,
    /// One strike, two expirations.
    Calendar,
    /// Two strikes, two expirations.
    Diagonal,
    /// Shares and a sold call.
    Covered,
    /// Shares and a bought put.
    Protected,
    /// Shares between a bought put and a sold call.
    Collar,
    /// The underlying alone.
    Shares,
}

impl From<Family> for FamilyWord {
    fn from(f: Family) -> FamilyWord {
        use FamilyWord as W;
        match f {
            Family::Single => W::Single,
            Family::Vertical => W::Vertical,
            Family::Straddle => W::Straddle,
            Family::Strangle => W::Strangle,
            Family::Ratio => W::Ratio,
            Family::Butterfly => W::Butterfly,
            Family::ButterflySkewed => W::ButterflySkewed,
            Family::Condor => W::Condor,
            Family::CondorSkewed => W::CondorSkewed,
            Family::Calendar => W::Calendar,
            Family::Diagonal => W::Diagonal,
            Family::Covered => W::Covered,
            Family::Protected => W::Protected,
            Family::Collar => W::Collar,
            Family::Shares => W::Shares,
        }
    }
}

/// What the best is measured by: a measure of one's own law.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(crate) enum RankWord {
    /// By the mean profit under one's own law.
    Expected,
    /// Chance of profit.
    Chance,
    /// Mean by one's own law less that by the market's.
    Excess,
    /// Mean for what is tied up.
    #[default]
    ExpectedPerCapital,
    /// Mean for what can be lost.
    ExpectedPerLoss,
    /// Mean for a calendar day.
    ExpectedPerDay,
}

/// A weight for each measure: the sum is what the best is measured by. Money for one package counts as
/// it is, fractions in percent.
#[derive(Debug, Clone, Copy, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields, default)]
pub(crate) struct WeightsWire {
    /// Of the mean profit.
    expected: f64,
    /// Of the chance of profit.
    chance: f64,
    /// Of the excess.
    excess: f64,
    /// Of the mean for what is tied up.
    expected_per_capital: f64,
    /// Of the mean for what can be lost.
    expected_per_loss: f64,
    /// Of the mean for a calendar day.
    expected_per_day: f64,
}

/// A debit or a credit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(crate) enum PaysWord {
    /// It is paid for.
    Debit,
    /// The package pays when it is opened.
    Credit,
}

/// Limits of one package; what is absent rules nothing out.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields, default)]
pub(crate) struct LimitsWire {
    /// Max loss, money.
    max_loss: Option<f64>,
    /// Capital tied up, money.
    capital: Option<f64>,
    /// A loss without a limit is allowed.
    unlimited: bool,
    /// Only what the account's level allows.
    level: bool,
    /// Chance of profit by one's own law at least, 0 to 1.
    chance: Option<f64>,
    /// A debit or a credit.
    pays: Option<PaysWord>,
    /// Legs at most.
    legs: Option<usize>,
    /// The markets of its legs together at most so large a part of what it ties up, 0 to 1.
    market_width: Option<f64>,
    /// Contracts open of each option at least.
    open_interest: i64,
    /// Only what keeps the book's lean in the band of my rules, or leads it back there.
    lean: bool,
    /// Only what my rule about risk allows.
    rule: bool,
}

/// What is searched for.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub(crate) struct SearchRequest {
    /// Over these underlyings, 1 to 200.
    pub symbols: Vec<String>,
    /// What is expected of each.
    pub expectation: ExpectationWire,
    /// Families of structures, one at least.
    pub families: Vec<FamilyWord>,
    /// Part of the way from the middle to the far side of every leg that is paid: decimal text, 0 to 1.
    #[serde(default = "zero")]
    pub price: String,
    /// Fees of the entry are taken off.
    #[serde(default = "yes")]
    pub fees: bool,
    /// So many expirations from the date on, 1 to 12: the two nearest, and of the later ones the
    /// monthly.
    #[serde(default = "four")]
    pub expirations: usize,
    /// Deviations of its expiration that a strike lies from the forward at most, above 0 to 6.
    #[serde(default = "reach")]
    pub reach: f64,
    /// Between neighbouring strikes of one wing at most, in price; absent: as wide as may be.
    #[serde(default)]
    pub width: Option<f64>,
    /// What the best is measured by.
    #[serde(default)]
    pub rank: RankWord,
    /// In its place, weights of one's own.
    #[serde(default)]
    pub weights: Option<WeightsWire>,
    /// What a candidate must keep to be listed.
    #[serde(default)]
    pub limits: LimitsWire,
    /// So many strikes of an expiration at most, 4 to 60: of those that are listed every second, every
    /// fourth and so on; absent: every one.
    #[serde(default)]
    pub strikes: Option<usize>,
    /// So many rows, 1 to 100.
    #[serde(default = "rows")]
    pub rows: usize,
}

fn zero() -> String {
    "0".into()
}

fn yes() -> bool {
    true
}

fn four() -> usize {
    4
}

fn reach() -> f64 {
    3.0
}

fn rows() -> usize {
    40
}

/// Most underlyings of a search.
const MOST_SYMBOLS: usize = 200;

impl SearchRequest {
    /// What it says.
    pub fn read(&self) -> Result<SearchAsked, Refusal> {
        let count = |field, n: usize, most: usize| {
            if (1..=most).contains(&n) {
                Ok(())
            } else {
                wrong(field, format!("{n}; write 1 to {most}"))
            }
        };
        count("symbols", self.symbols.len(), MOST_SYMBOLS)?;
        count("families", self.families.len(), 15)?;
        count("expirations", self.expirations, 12)?;
        count("rows", self.rows, 100)?;
        if let Some(n) = self.strikes.filter(|n| !(4..=60).contains(n)) {
            return wrong("strikes", format!("{n}; write 4 to 60, or nothing for all"));
        }
        let price: Decimal = self.price.parse().or_else(|e| {
            wrong(
                "price",
                format!("{e}; write 0 (the middle) to 1 (the far side of every leg)"),
            )
        })?;
        if !(Decimal::ZERO..=Decimal::whole(1)).contains(&price) {
            return wrong(
                "price",
                format!("{price} is no part of the way; write 0 (the middle) to 1 (the far side)"),
            );
        }
        if !(self.reach > 0.0 && self.reach <= 6.0) {
            return wrong("reach", format!("{} deviations; write up to 6", self.reach));
        }
        if let Some(w) = self.width.filter(|w| !(*w > 0.0 && w.is_finite())) {
            return wrong("width", format!("{w} is no width; write one above zero"));
        }
        let mut families = Vec::new();
        for (family, _) in plans::scout::FAMILIES {
            if self.families.contains(&FamilyWord::from(*family)) {
                families.push(*family);
            }
        }
        Ok(SearchAsked {
            expectation: self.expectation.read()?,
            what: ScoutAsked {
                families,
                width: self.width,
                reach: self.reach,
                price,
                fees: self.fees,
                rank: self.rank()?,
                limits: self.limits.read()?,
            },
            expirations: self.expirations,
            strikes: self.strikes,
            rows: self.rows,
            within_level: self.limits.level,
            within_rule: self.limits.rule,
            within_lean: self.limits.lean,
        })
    }

    fn rank(&self) -> Result<Rank, Refusal> {
        let Some(w) = self.weights else {
            return Ok(Rank::By(match self.rank {
                RankWord::Expected => RankMeasure::Expected,
                RankWord::Chance => RankMeasure::Chance,
                RankWord::Excess => RankMeasure::Excess,
                RankWord::ExpectedPerCapital => RankMeasure::ExpectedPerCapital,
                RankWord::ExpectedPerLoss => RankMeasure::ExpectedPerLoss,
                RankWord::ExpectedPerDay => RankMeasure::ExpectedPerDay,
            }));
        };
        let all = [
            w.expected,
            w.chance,
            w.excess,
            w.expected_per_capital,
            w.expected_per_loss,
            w.expected_per_day,
        ];
        if all.iter().any(|x| x.abs() > 1e6) || all.iter().all(|x| *x == 0.0) {
            return wrong(
                "weights",
                "one of them at least has to be another number than 0, none beyond a million"
                    .into(),
            );
        }
        Ok(Rank::Weighted(all))
    }
}

impl LimitsWire {
    fn read(&self) -> Result<ScoutLimits, Refusal> {
        let amount = |field, x: Option<f64>| match x {
            None => Ok(None),
            Some(x) if (0.0..=1e12).contains(&x) => Ok(Some(Money::nearest(x))),
            Some(x) => wrong(field, format!("{x} is no amount; write one above zero")),
        };
        let part = |field, x: Option<f64>| match x {
            Some(x) if !(0.0..=1.0).contains(&x) => {
                wrong(field, format!("{x} is no part; write 0 to 1"))
            }
            x => Ok(x),
        };
        Ok(ScoutLimits {
            legs: self.legs,
            pays: self.pays.map(|p| p == PaysWord::Debit),
            open_interest: self.open_interest,
            unlimited: self.unlimited,
            lean: None,
            account: None,
            capital: amount("capital", self.capital)?,
            market_width: part("marketWidth", self.market_width)?,
            max_loss: amount("maxLoss", self.max_loss)?,
            rule: None,
            chance: part("chance", self.chance)?,
        })
    }
}
