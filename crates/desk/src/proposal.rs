//! What is asked about, and what it is asked against: a structure that is proposed, its market, the account, and
//! what it does to the account's money.

use jiff::civil::Date;

use crate::account_rules::AccountRules;
use crate::carry::Carry;
use crate::contract::Contract;
use crate::day_trade::DayTrading;
use crate::entry_price::EntryPrice;
use crate::holding::Holding;
use crate::margin::{MarginHolding, NeedsLevel, Requirement};
use crate::number::{Money, Price};
use crate::rules::Rule;
use crate::ticket::OrderError;
use crate::time::Moment;
use crate::underlying::{Fees, Underlying};
use crate::valuation::LegMarket;

/// How far ahead the underlying alone is looked at, in days.
const LOOK_AHEAD: i64 = 30;

/// What kind of event it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EventKind {
    /// Its outcome moves the price: results, a decision.
    News,
    /// The price falls by a dividend.
    ExDividend,
}

/// A dated event that changes volatility or price.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Event {
    /// On which date.
    pub date: Date,
    /// What is scheduled: earnings, a dividend, a decision on rates and so on.
    pub kind: EventKind,
    /// In plain words, e.g. "results after the close".
    pub what: String,
}

/// Everything the market contributes.
#[derive(Debug, Clone)]
pub struct MarketView<'a> {
    /// The moment of prices and quotes.
    pub at: Moment,
    /// The underlying's data.
    pub underlying: &'a Underlying,
    /// The price of the underlying at that moment, per unit.
    pub spot: Price,
    /// One entry per leg, in the order of the structure.
    pub legs: Vec<LegMarket>,
    /// At-the-money volatility of the first expiration.
    pub horizon_vol: f64,
    /// What the underlying pays.
    pub carry: Carry,
    /// Events ahead, ascending.
    pub events: Vec<Event>,
    /// What is uncertain about all this.
    pub cautions: Vec<Caution>,
}

/// When the first option of a structure ends; some weeks ahead where there is none.
pub fn first_expiry(structure: &Holding, market: &MarketView<'_>) -> Moment {
    let ends = structure
        .options()
        .map(|(c, _)| market.underlying.expiry_moment(c));
    ends.min()
        .unwrap_or(market.at.plus_millis(LOOK_AHEAD * 86_400_000))
}

/// Everything the account contributes.
#[derive(Debug, Clone, Default)]
pub struct AccountView {
    /// Cash of the account, below zero where it is owed.
    pub cash: Money,
    /// What other underlyings take of buying power: their margin less the value of shares.
    pub taken_elsewhere: Money,
    /// Buying power set aside for working orders.
    pub reserved: Money,
    /// Open positions in this underlying.
    pub here: MarginHolding,
    /// What a trade of each kind of contract costs.
    pub fees: Fees,
    /// Cash and positions at their marks.
    pub value: Money,
    /// Kind and level of the account.
    pub rules: AccountRules,
    /// Interest a year, for margin that re-values.
    pub rate: f64,
    /// Day trades that forbid opening now; absent where nothing does.
    pub pattern: Option<DayTrading>,
    /// The trader's own rules about new trades.
    pub trade_rules: Vec<Rule>,
}

/// What is asked.
#[derive(Debug, Clone)]
pub struct Proposal {
    /// Legs with full quantities.
    pub structure: Holding,
    /// Where the net price comes from.
    pub entry: EntryPrice,
    /// What was realised before, less fees: part of the profit that is drawn. Zero for a draft.
    pub realised: Money,
    /// Price range to draw; chosen when absent. One without any width draws nothing.
    pub range: Option<(f64, f64)>,
    /// It closes (part of) a campaign.
    pub closing: bool,
}

/// What it does to the account's money.
#[derive(Debug, Clone)]
pub struct MoneyEffect {
    /// Received (above zero) or paid at entry, before fees.
    pub cash: Money,
    /// Fees at entry.
    pub fees: Money,
    /// Buying power before.
    pub buying_power_now: Money,
    /// Buying power after a fill at this price.
    pub buying_power_after: Money,
    /// Margin of this structure taken alone.
    pub alone: Requirement,
    /// What must be there when the order goes in, taken alone: the margin, and what is paid.
    pub needed: Money,
    /// What is tied up afterwards, taken alone: the margin less what was received, or with what was
    /// paid.
    pub tied_up: Money,
    /// The same, each leg taken alone.
    pub leg_by_leg: Money,
    /// Change of the margin held in this underlying.
    pub requirement_change: Money,
    /// What would be held afterwards beyond the account's approval, and is not held now.
    pub beyond: Vec<NeedsLevel>,
    /// What is added to what is held in this underlying.
    pub added: MarginHolding,
}

impl MoneyEffect {
    /// What combining the legs saves.
    pub fn saved(&self) -> Money {
        self.leg_by_leg - self.tied_up
    }

    /// Whether the account cannot bear it. What closes is never refused for a deficit, unless it
    /// uncovers something: then it needs what it opens.
    pub fn unbearable(&self, closing: bool) -> bool {
        let opens = !closing || self.requirement_change > Money::ZERO;
        opens && self.takes() > Money::ZERO && self.buying_power_after < Money::ZERO
    }

    /// What the rules of the account refuse about it, beside buying power: a pattern of day trades,
    /// a level, a deficit (while there is one, nothing is opened that does not make it smaller).
    pub fn refusals(&self, closing: bool, account: &AccountView) -> Vec<OrderError> {
        let pattern =
            account
                .pattern
                .as_ref()
                .filter(|_| !closing)
                .map(|t| OrderError::DayTrades {
                    count: t.count(),
                    sessions: t.rule.sessions,
                    needs: t.rule.value,
                });
        let beyond = self.beyond.iter().map(|need| OrderError::Level {
            what: format!("{} × {}", need.count, need.what),
            level: need.level,
            approved: account.rules.words(),
        });
        let deficit =
            !closing && self.buying_power_now < Money::ZERO && self.takes() >= Money::ZERO;
        pattern
            .into_iter()
            .chain(beyond)
            .chain(deficit.then_some(OrderError::Deficit(-self.buying_power_now)))
            .collect()
    }

    /// Buying power this takes; below zero when it gives some back.
    pub fn takes(&self) -> Money {
        self.buying_power_now - self.buying_power_after
    }
}

/// What is uncertain about what is known of a market.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Caution {
    /// Quotes are not filled against; why.
    Waits(String),
    /// The market of a leg is not to be relied on; why.
    Doubt(Contract, &'static str),
    /// Nothing is known of dividends, and calls may be exercised before one.
    NoDividends,
}
