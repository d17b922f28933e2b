//! What rules a candidate out: limits of the trader's own, each of one package.

use desk::AccountRules;
use desk::Money;

/// The lean of the book, and the band that it should stay in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LeanBand {
    /// The book's lean now.
    pub now: f64,
    /// What one unit of delta adds to it.
    pub of_delta: f64,
    /// At least; −infinity where it has no lower end.
    pub from: f64,
    /// The highest lean that is allowed; infinity where there is no upper end.
    pub to: f64,
}

/// ScoutLimits; what is nothing rules nothing out.
#[derive(Debug, Clone, PartialEq)]
pub struct ScoutLimits {
    /// Legs, the underlying among them.
    pub legs: Option<usize>,
    /// Only what is paid for (true), or only what pays (false).
    pub pays: Option<bool>,
    /// Contracts that are open of each option, at least.
    pub open_interest: i64,
    /// A loss without a limit is allowed.
    pub unlimited: bool,
    /// The band of the book's lean: what leads farther out of it is ruled out.
    pub lean: Option<LeanBand>,
    /// Kind and level of the account.
    pub account: Option<AccountRules>,
    /// The most capital that one package may tie up.
    pub capital: Option<Money>,
    /// The markets of its legs together, as a part of what it ties up.
    pub market_width: Option<f64>,
    /// The most that one package may lose, above zero.
    pub max_loss: Option<Money>,
    /// Max loss that the trader's own rule about risk allows.
    pub rule: Option<Money>,
    /// Chance of profit by one's own law, at least.
    pub chance: Option<f64>,
}

impl Default for ScoutLimits {
    fn default() -> ScoutLimits {
        ScoutLimits {
            legs: None,
            pays: None,
            open_interest: 0,
            unlimited: true,
            lean: None,
            account: None,
            capital: None,
            market_width: None,
            max_loss: None,
            rule: None,
            chance: None,
        }
    }
}

/// The limit that ruled a candidate out: the first that it breaks, in this order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ScoutLimit {
    /// Too many legs.
    Legs,
    /// A debit where a credit is wanted, or the other way round.
    Pays,
    /// Too few contracts open.
    OpenInterest,
    /// A loss without a limit.
    Unlimited,
    /// The book would lean farther out of its band.
    Lean,
    /// Above the account's level.
    Level,
    /// Too much tied up.
    Capital,
    /// A wide market.
    MarketWidth,
    /// Too much to lose.
    MaxLoss,
    /// More to lose than my rule about risk allows.
    Rule,
    /// Too small a chance.
    Chance,
}

impl ScoutLimit {
    /// How many there are.
    pub(super) const COUNT: usize = ScoutLimit::Chance as usize + 1;
    /// All, in order.
    pub const ALL: [ScoutLimit; ScoutLimit::COUNT] = [
        ScoutLimit::Legs,
        ScoutLimit::Pays,
        ScoutLimit::OpenInterest,
        ScoutLimit::Unlimited,
        ScoutLimit::Lean,
        ScoutLimit::Level,
        ScoutLimit::Capital,
        ScoutLimit::MarketWidth,
        ScoutLimit::MaxLoss,
        ScoutLimit::Rule,
        ScoutLimit::Chance,
    ];
}
