//! What a rule can be about: every measure once, with its word in files, its unit, and how a limit
//! on it is said.

use crate::number::Decimal;

/// What is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Subject {
    /// An open campaign.
    Campaign,
    /// The account as a whole.
    Account,
    /// A trade before it is sent.
    Trade,
}

/// Where a measure stands in the form.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Group {
    /// What has been made.
    Profit,
    /// What has been lost.
    Loss,
    /// Days and dates.
    Time,
    /// The price and the sold options.
    Price,
    /// Measures of implied and realised volatility.
    Volatility,
    /// A campaign's Greeks.
    Greeks,
    /// The whole account.
    Account,
    /// Trades before they are sent.
    NewTrades,
}

/// What a limit is counted in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Unit {
    /// Money, to the cent.
    Money,
    /// Hundredths of a whole.
    Percent,
    /// How many times something is another.
    Times,
    /// Days of the calendar, weekends among them.
    Days,
    /// Days on which the market trades.
    Sessions,
    /// Deviations of the price.
    Deviations,
    /// A plain number.
    Number,
    /// Price per unit.
    Price,
    /// Points of volatility: 1 is from 25 % to 26 %.
    Points,
    /// A number of whole things.
    Count,
}

impl Unit {
    /// A number with its unit.
    pub fn write(self, number: &str) -> String {
        match self {
            // "1 session", "1.0 points".
            Unit::Sessions if number == "1" => "1 session".to_owned(),
            Unit::Percent => format!("{number} %"),
            Unit::Times => format!("{number} times"),
            Unit::Deviations => format!("{number} σ"),
            Unit::Days => format!("{number} d"),
            Unit::Sessions => format!("{number} sessions"),
            Unit::Points => format!("{number} points"),
            Unit::Money | Unit::Number | Unit::Price | Unit::Count => number.to_owned(),
        }
    }

    /// Decimals that a figure seen is told with.
    pub fn decimals(self) -> usize {
        match self {
            Unit::Money | Unit::Price | Unit::Times | Unit::Deviations | Unit::Number => 2,
            Unit::Percent | Unit::Points => 1,
            Unit::Days | Unit::Sessions | Unit::Count => 0,
        }
    }
}

/// On which side of its limit a rule rings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Side {
    /// The figure is at the level or above it.
    Above,
    /// The figure is at the level or below it.
    Below,
}

impl Side {
    /// The word in files.
    pub fn word(self) -> &'static str {
        match self {
            Side::Above => "above",
            Side::Below => "below",
        }
    }
}

/// Everything there is to know of a measure.
#[derive(Debug, Clone, Copy)]
pub struct MeasureFacts {
    /// The measure that these facts are about.
    pub measure: Measure,
    /// The word in files.
    pub word: &'static str,
    /// What it is of.
    pub subject: Subject,
    /// Where it stands in the form.
    pub group: Group,
    /// What its limit is counted in.
    pub unit: Unit,
    /// On which sides it can ring; the first is the usual one.
    pub sides: &'static [Side],
    /// It rings where the limit is reached; otherwise only beyond it.
    pub reached: bool,
    /// What it is, as a noun.
    pub noun: &'static str,
}

const ABOVE: &[Side] = &[Side::Above];
const BELOW: &[Side] = &[Side::Below];
const BOTH: &[Side] = &[Side::Above, Side::Below];
const EITHER: &[Side] = &[Side::Below, Side::Above];

macro_rules! measures {
    ($($(#[$doc:meta])* $name:ident $word:literal, $subject:ident, $group:ident, $unit:ident,
       $sides:ident, $reached:literal, $noun:literal;)*) => {
        /// What a rule looks at.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub enum Measure { $($(#[$doc])* $name,)* }

        /// Every measure, in the order of the form.
        pub const MEASURES: &[MeasureFacts] = &[$(MeasureFacts {
            measure: Measure::$name,
            word: $word,
            subject: Subject::$subject,
            group: Group::$group,
            unit: Unit::$unit,
            sides: $sides,
            reached: $reached,
            noun: $noun,
        },)*];
    };
}

measures! {
    /// Profit of the whole campaign, fees taken off.
    Profit "profit", Campaign, Profit, Money, ABOVE, true, "profit";
    /// The same in percent of its max profit.
    ProfitOfMax "profit_of_max", Campaign, Profit, Percent, ABOVE, true, "part of max profit made";
    /// The same in multiples of what its opening cost.
    ProfitOfDebit "profit_of_debit", Campaign, Profit, Times, ABOVE, true, "profit over the debit paid";
    /// The same in multiples of what its opening brought.
    ProfitOfCredit "profit_of_credit", Campaign, Profit, Times, ABOVE, true, "profit over the credit received";
    /// Percent of what its opening brought that is kept, for each day since.
    KeptADay "kept_a_day", Campaign, Profit, Percent, ABOVE, true, "credit kept a day";
    /// Loss of the whole campaign.
    Loss "loss", Campaign, Loss, Money, ABOVE, true, "loss";
    /// The same in percent of its max loss.
    LossOfMax "loss_of_max", Campaign, Loss, Percent, ABOVE, true, "part of max loss lost";
    /// The same in multiples of what its opening brought.
    LossOfCredit "loss_of_credit", Campaign, Loss, Times, ABOVE, true, "loss over the credit received";
    /// The same in multiples of what its opening cost.
    LossOfDebit "loss_of_debit", Campaign, Loss, Times, ABOVE, true, "loss over the debit paid";
    /// The same in percent of the account's value.
    LossOfAccount "loss_of_account", Campaign, Loss, Percent, ABOVE, true, "part of the account lost";
    /// Calendar days to its first expiration.
    DaysLeft "days_left", Campaign, Time, Days, BELOW, true, "days left";
    /// Calendar days since it was opened.
    DaysOpen "days_open", Campaign, Time, Days, ABOVE, true, "days open";
    /// Sessions to earnings or a decision.
    EarningsIn "earnings_in", Campaign, Time, Sessions, BELOW, true, "time to earnings or a decision";
    /// Sessions to an ex-date.
    ExDateIn "ex_date_in", Campaign, Time, Sessions, BELOW, true, "time to an ex-date";
    /// Deviations to the nearest sold strike, below zero beyond it.
    ToSoldStrike "to_sold_strike", Campaign, Price, Deviations, BELOW, true, "distance to a sold strike";
    /// Deviations to the nearest break-even, below zero where it stands in loss.
    ToBreakEven "to_break_even", Campaign, Price, Deviations, BELOW, true, "distance to a break-even";
    /// The largest delta of a sold option, its size.
    SoldDelta "sold_delta", Campaign, Price, Number, ABOVE, true, "delta of a sold option";
    /// The least time value of a sold option, per unit.
    SoldTimeValue "sold_time_value", Campaign, Price, Price, BELOW, true, "time value of a sold option";
    /// The least price of a sold option, per unit.
    SoldPrice "sold_price", Campaign, Price, Price, BELOW, true, "price of a sold option";
    /// Price of the underlying.
    Price "price", Campaign, Price, Price, BOTH, true, "price of the underlying";
    /// Volatility of its first expiration, in percent.
    Vol "vol", Campaign, Volatility, Percent, BOTH, true, "implied volatility";
    /// Rank of the 30-day volatility in its past year.
    Rank "rank", Campaign, Volatility, Percent, BOTH, true, "volatility rank";
    /// Change of the volatility of its first expiration since the entry, in points.
    VolSince "vol_since", Campaign, Volatility, Points, BOTH, true, "change of volatility since the entry";
    /// Its delta in shares of the index.
    CampaignLean "campaign_lean", Campaign, Greeks, Number, BOTH, true, "lean in index shares";
    /// Its delta in units of its underlying.
    CampaignDelta "campaign_delta", Campaign, Greeks, Number, BOTH, true, "delta";
    /// Its theta a day, in money.
    CampaignTheta "campaign_theta", Campaign, Greeks, Money, EITHER, true, "theta a day";
    /// Its vega a point, in money.
    CampaignVega "campaign_vega", Campaign, Greeks, Money, BOTH, true, "vega a point";
    /// Value of the account.
    AccountValue "account_value", Account, Account, Money, EITHER, true, "account value";
    /// Delta of the book in shares of the index.
    Lean "lean", Account, Account, Number, BOTH, false, "lean in index shares";
    /// The same as index money in percent of the account's value.
    LeanOfAccount "lean_of_account", Account, Account, Percent, BOTH, false, "lean in percent of the account";
    /// Theta of the book a day.
    Theta "theta", Account, Account, Money, EITHER, false, "theta a day";
    /// Vega of the book a point.
    Vega "vega", Account, Account, Money, BOTH, false, "vega a point";
    /// Margin held and set aside, in percent of the account's value.
    PowerUsed "power_used", Account, Account, Percent, ABOVE, false, "buying power used";
    /// Capital at risk in one campaign, in percent of the account's value.
    OneTrade "one_trade", Account, Account, Percent, ABOVE, false, "largest trade";
    /// In one symbol.
    OneSymbol "one_symbol", Account, Account, Percent, ABOVE, false, "largest symbol";
    /// In one sector.
    OneSector "one_sector", Account, Account, Percent, ABOVE, false, "largest sector";
    /// In one expiration.
    OneExpiration "one_expiration", Account, Account, Percent, ABOVE, false, "largest expiration";
    /// Loss of the book in the worst move of the index up to ten percent either way.
    StressLoss "stress_loss", Account, Account, Money, ABOVE, false, "stress loss, index within 10 %";
    /// The same in percent of the account's value.
    StressLossOfAccount "stress_loss_of_account", Account, Account, Percent, ABOVE, false, "stress loss, of the account";
    /// How many campaigns are open.
    OpenCampaigns "open_campaigns", Account, Account, Count, ABOVE, false, "open campaigns";
    /// Loss since the close before, money paid in left out.
    DayLoss "day_loss", Account, Account, Money, ABOVE, true, "loss of the day";
    /// The same in percent of the value then.
    DayLossOfAccount "day_loss_of_account", Account, Account, Percent, ABOVE, true, "loss of the day, of the account";
    /// Loss since the last close of the week before.
    WeekLoss "week_loss", Account, Account, Money, ABOVE, true, "loss of the week";
    /// The same in percent of the value then.
    WeekLossOfAccount "week_loss_of_account", Account, Account, Percent, ABOVE, true, "loss of the week, of the account";
    /// What a trade can lose, in percent of the account's value.
    TradeRisk "trade_risk", Trade, NewTrades, Percent, ABOVE, false, "part of the account at risk";
    /// What a trade can lose.
    TradeRiskMoney "trade_risk_money", Trade, NewTrades, Money, ABOVE, false, "money at risk";
    /// Contracts open in its thinnest leg.
    OpenInterest "open_interest", Trade, NewTrades, Count, BELOW, false, "contracts open in the thinnest leg";
    /// Width of its market in percent of the middle.
    MarketWidth "market_width", Trade, NewTrades, Percent, ABOVE, false, "width of the market";
}

impl Measure {
    /// What is known of it.
    pub fn facts(self) -> &'static MeasureFacts {
        // The table is written in the order of the enumeration.
        &MEASURES[self as usize]
    }

    /// By its word in files.
    pub fn of_word(word: &str) -> Option<Measure> {
        let found = MEASURES.iter().find(|f| f.word == word);
        found.map(|f| f.measure)
    }

    /// What must be known of a campaign to judge it.
    pub fn needs(self) -> Needs {
        use Measure as M;
        let mut n = Needs::default();
        match self {
            M::Profit
            | M::ProfitOfDebit
            | M::ProfitOfCredit
            | M::KeptADay
            | M::Loss
            | M::LossOfCredit
            | M::LossOfDebit
            | M::LossOfAccount => n.marks = true,
            M::ProfitOfMax | M::LossOfMax => {
                n.marks = true;
                n.shape = true;
            }
            M::ToBreakEven => {
                n.shape = true;
                n.vol = true;
            }
            M::ToSoldStrike | M::Vol | M::VolSince => n.vol = true,
            M::SoldDelta | M::SoldTimeValue | M::SoldPrice => n.marks = true,
            M::EarningsIn | M::ExDateIn => n.events = true,
            M::Rank => n.rank = true,
            M::CampaignLean | M::CampaignDelta | M::CampaignTheta | M::CampaignVega => {
                n.greeks = true;
            }
            _ => {}
        }
        // A part of the account needs to know what that is worth.
        n.account = self == M::LossOfAccount;
        n
    }

    /// What must be known of the account to judge it.
    pub fn account_needs(self) -> AccountNeeds {
        use Measure as M;
        AccountNeeds {
            greeks: matches!(self, M::Lean | M::LeanOfAccount | M::Theta | M::Vega),
            largest: matches!(
                self,
                M::OneTrade | M::OneSymbol | M::OneSector | M::OneExpiration
            ),
            margin: self == M::PowerUsed,
            stress: matches!(self, M::StressLoss | M::StressLossOfAccount),
        }
    }

    /// What holds where a rule with this limit rings, after "it".
    pub fn predicate(self, side: Side, limit: Decimal) -> String {
        use Measure as M;
        let or = match side {
            Side::Above => "or more",
            Side::Below => "or less",
        };
        let beyond = match side {
            Side::Above => "above",
            Side::Below => "below",
        };
        let size = Decimal::from_raw(limit.raw().abs());
        let near = |what: &str| match limit.raw().cmp(&0) {
            std::cmp::Ordering::Equal => format!("has its price at {what} or beyond it"),
            std::cmp::Ordering::Greater => {
                format!("has its price within {limit} σ of {what} or beyond it")
            }
            std::cmp::Ordering::Less => format!("has its price {size} σ beyond {what}, or more"),
        };
        let sessions = |what: &str| match limit.raw() {
            0 => format!("has {what} today"),
            n if n == Decimal::SCALE => format!("has {what} today or in the next session"),
            _ => format!("has {what} within {limit} sessions"),
        };
        match self {
            M::Profit => format!("has made {limit} {or}"),
            M::ProfitOfMax => format!("has made {limit} % of its max profit {or}"),
            M::ProfitOfDebit => format!("has made {limit} times what was paid for it, {or}"),
            M::ProfitOfCredit => format!("has made {limit} times what was received for it, {or}"),
            M::KeptADay => format!("keeps {limit} % of its credit a day {or}"),
            M::Loss => format!("has lost {limit} {or}"),
            M::LossOfMax => format!("has lost {limit} % of its max loss {or}"),
            M::LossOfCredit => format!("has lost {limit} times what was received for it, {or}"),
            M::LossOfDebit => format!("has lost {limit} times what was paid for it, {or}"),
            M::LossOfAccount => format!("has lost {limit} % of the account {or}"),
            M::DaysLeft => format!("has {limit} days left or fewer"),
            M::DaysOpen => format!("has been open for {limit} days {or}"),
            M::EarningsIn => sessions("earnings or a decision"),
            M::ExDateIn => sessions("an ex-date"),
            M::ToSoldStrike => near("a sold strike"),
            M::ToBreakEven => near("a break-even"),
            M::SoldDelta => format!("has a sold option with a delta of {limit} {or}"),
            M::SoldTimeValue => format!("has a sold option with a time value of {limit} {or}"),
            M::SoldPrice => format!("has a sold option worth {limit} {or}"),
            M::Price => format!("has its underlying at {limit} {or}"),
            M::Vol => {
                format!("has an implied volatility of {limit} % {or} at its first expiration")
            }
            M::Rank => format!("has a volatility rank of {limit} {or}"),
            M::VolSince => {
                let way = if limit < Decimal::ZERO {
                    "fallen"
                } else {
                    "risen"
                };
                format!("has seen volatility {way} by {size} points or more since its entry")
            }
            M::CampaignLean => format!("leans {limit} index shares {or}"),
            M::CampaignDelta => format!("has a delta of {limit} {or}"),
            M::CampaignTheta => format!("has a theta of {limit} a day {or}"),
            M::CampaignVega => format!("has a vega of {limit} a point {or}"),
            M::AccountValue => format!("is worth {limit} {or}"),
            M::Lean => format!("leans {beyond} {limit} index shares"),
            M::LeanOfAccount => format!("leans {beyond} {limit} % of its value"),
            M::Theta => format!("has a theta {beyond} {limit} a day"),
            M::Vega => format!("has a vega {beyond} {limit} a point"),
            M::PowerUsed => format!("uses more than {limit} % of its value as margin"),
            M::OneTrade => format!("risks more than {limit} % of its value in one trade"),
            M::OneSymbol => format!("risks more than {limit} % of its value in one symbol"),
            M::OneSector => format!("risks more than {limit} % of its value in one sector"),
            M::OneExpiration => format!("risks more than {limit} % of its value in one expiration"),
            M::StressLoss => {
                format!("would lose more than {limit} in the worst move of the index within 10 %")
            }
            M::StressLossOfAccount => format!(
                "would lose more than {limit} % of its value in the worst move of the index within \
                 10 %"
            ),
            M::OpenCampaigns => format!("has more than {limit} campaigns open"),
            M::DayLoss => format!("has lost {limit} {or} today"),
            M::DayLossOfAccount => format!("has lost {limit} % {or} today"),
            M::WeekLoss => format!("has lost {limit} {or} this week"),
            M::WeekLossOfAccount => format!("has lost {limit} % {or} this week"),
            M::TradeRisk => format!("can lose more than {limit} % of the account"),
            M::TradeRiskMoney => format!("can lose more than {limit}"),
            M::OpenInterest => format!("has a leg with fewer than {limit} contracts open"),
            M::MarketWidth => format!("has a market wider than {limit} % of its middle"),
        }
    }
}

/// What must be known of a campaign: the rest is not worked out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Needs {
    /// Marks of what is held.
    pub marks: bool,
    /// The outline of what it holds has to be worked out.
    pub shape: bool,
    /// Volatility of its first expiration, and the price in deviations of it.
    pub vol: bool,
    /// Scheduled events ahead have to be known.
    pub events: bool,
    /// Rank of volatility.
    pub rank: bool,
    /// The Greeks of what it holds have to be worked out.
    pub greeks: bool,
    /// What the account is worth.
    pub account: bool,
}

impl Needs {
    /// All of it, where it is not known what is asked.
    pub const ALL: Needs = Needs {
        marks: true,
        shape: true,
        vol: true,
        events: true,
        rank: true,
        greeks: true,
        account: true,
    };

    /// What either needs.
    pub fn and(self, o: Needs) -> Needs {
        Needs {
            marks: self.marks || o.marks,
            shape: self.shape || o.shape,
            vol: self.vol || o.vol,
            events: self.events || o.events,
            rank: self.rank || o.rank,
            greeks: self.greeks || o.greeks,
            account: self.account || o.account,
        }
    }
}

/// What must be known of the account beside its value: the rest is not worked out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct AccountNeeds {
    /// Greeks of the book.
    pub greeks: bool,
    /// Where most capital is at risk.
    pub largest: bool,
    /// The margin that is held has to be worked out.
    pub margin: bool,
    /// Its stress loss.
    pub stress: bool,
}

impl AccountNeeds {
    /// All of it, where it is not known what is asked.
    pub const ALL: AccountNeeds = AccountNeeds {
        greeks: true,
        largest: true,
        margin: true,
        stress: true,
    };

    /// What either needs.
    pub fn and(self, o: AccountNeeds) -> AccountNeeds {
        AccountNeeds {
            greeks: self.greeks || o.greeks,
            largest: self.largest || o.largest,
            margin: self.margin || o.margin,
            stress: self.stress || o.stress,
        }
    }
}
