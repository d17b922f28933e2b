//! What is seen of a campaign, of the account and of a trade, as far as rules can be about it.

use std::cmp::Ordering;

use jiff::civil::Date;

use crate::calendar::is_session;
use crate::naming::Structure;
use crate::number::{Decimal, Money, Price};
use crate::rules::measure::{Measure, Subject, Unit};
use crate::time::Moment;

/// A figure to be held against a limit: exact where it is one of money, prices or counts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Figure {
    /// `part / whole`; `whole` is above zero.
    Exact {
        /// What is above the line of the fraction.
        part: i128,
        /// What is below the line; never zero.
        whole: i128,
    },
    /// A model's number.
    Model(f64),
}

impl Figure {
    /// A figure in money, exact to the cent.
    pub fn money(m: Money) -> Figure {
        Figure::Exact {
            part: i128::from(m.raw()),
            whole: 10_000,
        }
    }

    /// Of a price.
    pub fn price(p: Price) -> Figure {
        Figure::Exact {
            part: i128::from(p.raw()),
            whole: i128::from(Price::SCALE),
        }
    }

    /// Of a count.
    pub fn count(n: i64) -> Figure {
        Figure::Exact {
            part: i128::from(n),
            whole: 1,
        }
    }

    /// `times · part / of`; nothing where `of` is not above zero.
    pub fn share(part: Money, of: Money, times: i64) -> Option<Figure> {
        (of > Money::ZERO).then(|| Figure::Exact {
            part: i128::from(part.raw()) * i128::from(times),
            whole: i128::from(of.raw()),
        })
    }

    /// A model's number, where it is one.
    pub fn model(value: f64) -> Option<Figure> {
        value.is_finite().then_some(Figure::Model(value))
    }

    /// Into the model world.
    pub fn to_f64(self) -> f64 {
        match self {
            Figure::Exact { part, whole } => part as f64 / whole as f64,
            Figure::Model(value) => value,
        }
    }

    /// Against a limit, exactly where it is exact.
    pub fn against(self, limit: Decimal) -> Ordering {
        match self {
            Figure::Exact { part, whole } => {
                (part * i128::from(Decimal::SCALE)).cmp(&(i128::from(limit.raw()) * whole))
            }
            Figure::Model(value) => value.total_cmp(&limit.to_f64()),
        }
    }

    /// As it is told in a unit.
    pub fn words(self, unit: Unit) -> String {
        let value = self.to_f64();
        let size = 10_f64.powi(unit.decimals() as i32);
        // A figure short of its limit is not rounded up to it: toward zero, but for dust.
        let shown = ((value.abs() * size + 1e-6).floor() / size).copysign(value);
        let shown = if shown == 0.0 { 0.0 } else { shown };
        unit.write(&format!("{shown:.*}", unit.decimals()))
    }
}

/// A sold option of a campaign.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SoldLeg {
    /// Price per unit.
    pub price: Price,
    /// What of it is not its exercise value.
    pub time_value: Price,
    /// Delta per unit, signed.
    pub delta: f64,
}

/// Greeks of a campaign, as rules know them.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct SeenGreeks {
    /// Delta in index shares.
    pub lean: f64,
    /// Delta in units of the underlying.
    pub delta: f64,
    /// Money that one day's passing brings, all else equal.
    pub theta: f64,
    /// Money that a point of volatility brings.
    pub vega: f64,
}

/// A date ahead.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NextDate {
    /// The day that lies ahead.
    pub date: Date,
    /// Sessions to it; none on the date itself.
    pub sessions: i64,
}

/// An open campaign at a moment. What is absent is not known then, or was not asked for.
#[derive(Debug, Clone, PartialEq)]
pub struct CampaignSeen {
    /// The number of the campaign that was looked at.
    pub campaign: u64,
    /// The symbol of the underlying that it is on.
    pub symbol: String,
    /// What it holds, as a kind of structure.
    pub structure: Structure,
    /// When it was opened.
    pub opened: Moment,
    /// First expiration of what is held.
    pub expiry: Option<Date>,
    /// Profit of the whole campaign, fees taken off.
    pub profit: Option<Money>,
    /// What its opening brought before fees; below zero what it cost.
    pub entry: Money,
    /// Max profit of the whole campaign, where it has a limit.
    pub max_profit: Option<Money>,
    /// Max loss of the whole campaign, below zero, where it has a limit.
    pub max_loss: Option<Money>,
    /// Value of the account.
    pub account: Option<Money>,
    /// Price of the underlying.
    pub spot: Price,
    /// Deviations to the nearest sold strike, below zero beyond it.
    pub to_sold: Option<f64>,
    /// Deviations to the nearest break-even, below zero where it stands in loss.
    pub to_even: Option<f64>,
    /// Its sold options.
    pub sold: Vec<SoldLeg>,
    /// The next earnings or decision.
    pub earnings: Option<NextDate>,
    /// The next ex-date.
    pub ex_date: Option<NextDate>,
    /// Volatility of its first expiration, a fraction.
    pub vol: Option<f64>,
    /// The same at the entry, of what was held then.
    pub vol_entry: Option<f64>,
    /// Rank of the volatility of 30 days, 0 to 100.
    pub rank: Option<f64>,
    /// Its Greeks in money; absent where they were not asked for or cannot be known.
    pub greeks: Option<SeenGreeks>,
}

/// Sessions that lie behind a date up to another; none on the date itself.
pub fn sessions_to(from: Date, to: Date) -> i64 {
    let mut count = 0;
    let mut day = from;
    while day < to {
        day = day.tomorrow().unwrap_or(to);
        count += i64::from(is_session(day));
    }
    count
}

impl CampaignSeen {
    /// What is seen of a measure at a moment; nothing where it is not known or means nothing here.
    pub fn figure(&self, measure: Measure, at: Moment) -> Option<Figure> {
        use Measure as M;
        let lost = self.profit.map(|p| -p);
        let days_open = || (-at.days_until(self.opened.date())).max(0);
        let least = |f: &dyn Fn(&SoldLeg) -> Price| self.sold.iter().map(f).min();
        let greek = |f: &dyn Fn(&SeenGreeks) -> f64| Figure::model(f(self.greeks.as_ref()?));
        match measure {
            M::Profit => self.profit.map(Figure::money),
            M::ProfitOfMax => Figure::share(self.profit?, self.max_profit?, 100),
            M::ProfitOfDebit => Figure::share(self.profit?, -self.entry, 1),
            M::ProfitOfCredit => Figure::share(self.profit?, self.entry, 1),
            M::KeptADay => {
                let Figure::Exact { part, whole } = Figure::share(self.profit?, self.entry, 100)?
                else {
                    return None;
                };
                let whole = whole * i128::from(days_open().max(1));
                Some(Figure::Exact { part, whole })
            }
            M::Loss => lost.map(Figure::money),
            M::LossOfMax => Figure::share(lost?, -self.max_loss?, 100),
            M::LossOfCredit => Figure::share(lost?, self.entry, 1),
            M::LossOfDebit => Figure::share(lost?, -self.entry, 1),
            M::LossOfAccount => Figure::share(lost?, self.account?, 100),
            M::DaysLeft => Some(Figure::count(at.days_until(self.expiry?))),
            M::DaysOpen => Some(Figure::count(days_open())),
            M::EarningsIn => Some(Figure::count(self.earnings?.sessions)),
            M::ExDateIn => Some(Figure::count(self.ex_date?.sessions)),
            M::ToSoldStrike => Figure::model(self.to_sold?),
            M::ToBreakEven => Figure::model(self.to_even?),
            M::SoldDelta => {
                let sizes = self.sold.iter().map(|l| l.delta.abs());
                Figure::model(sizes.max_by(f64::total_cmp)?)
            }
            M::SoldTimeValue => least(&|l| l.time_value).map(Figure::price),
            M::SoldPrice => least(&|l| l.price).map(Figure::price),
            M::Price => Some(Figure::price(self.spot)),
            M::Vol => Figure::model(100.0 * self.vol?),
            M::Rank => Figure::model(self.rank?),
            M::VolSince => Figure::model(100.0 * (self.vol? - self.vol_entry?)),
            M::CampaignLean => greek(&|g| g.lean),
            M::CampaignDelta => greek(&|g| g.delta),
            M::CampaignTheta => greek(&|g| g.theta),
            M::CampaignVega => greek(&|g| g.vega),
            _ => None,
        }
    }
}

/// The account at a moment.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct AccountSeen {
    /// What the account is worth, cash and marks together.
    pub value: Money,
    /// Delta of the book in index shares.
    pub lean: f64,
    /// Price of the index.
    pub index: f64,
    /// Theta a day.
    pub theta: f64,
    /// Vega a point.
    pub vega: f64,
    /// Margin held and buying power set aside.
    pub used: Money,
    /// Capital at risk in the largest trade, symbol, sector and expiration.
    pub largest: Largest,
    /// Loss in the worst of the moves of [`crate::book::STRESS_MOVES`], 0 where none loses.
    pub stress: Money,
    /// How many campaigns are open.
    pub open: i64,
    /// Profit since the close before, and the value then.
    pub day: Option<(Money, Money)>,
    /// Profit since the last close of the week before, and the value then.
    pub week: Option<(Money, Money)>,
}

/// What the most capital is at risk in, by four divisions: which, and how much.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Largest {
    /// The campaign with the most at risk, and how much.
    pub trade: Option<(String, Money)>,
    /// The symbol with the most at risk, and how much.
    pub symbol: Option<(String, Money)>,
    /// The sector with the most at risk, and how much.
    pub sector: Option<(String, Money)>,
    /// The expiration with the most at risk, and how much.
    pub expiration: Option<(String, Money)>,
}

impl AccountSeen {
    /// What is seen of a measure.
    pub fn figure(&self, measure: Measure) -> Option<Figure> {
        use Measure as M;
        let part = |of: &Option<(String, Money)>| Figure::share(of.as_ref()?.1, self.value, 100);
        let lost = |over: Option<(Money, Money)>| over.map(|(profit, _)| Figure::money(-profit));
        let lost_part = |over: Option<(Money, Money)>| {
            let (profit, before) = over?;
            Figure::share(-profit, before, 100)
        };
        match measure {
            M::AccountValue => Some(Figure::money(self.value)),
            M::Lean => Figure::model(self.lean),
            M::LeanOfAccount => {
                let value = self.value.to_f64();
                (value > 0.0).then(|| Figure::Model(100.0 * self.lean * self.index / value))
            }
            M::Theta => Figure::model(self.theta),
            M::Vega => Figure::model(self.vega),
            M::PowerUsed => Figure::share(self.used, self.value, 100),
            M::OneTrade => part(&self.largest.trade),
            M::OneSymbol => part(&self.largest.symbol),
            M::OneSector => part(&self.largest.sector),
            M::OneExpiration => part(&self.largest.expiration),
            M::StressLoss => Some(Figure::money(self.stress)),
            M::StressLossOfAccount => Figure::share(self.stress, self.value, 100),
            M::OpenCampaigns => Some(Figure::count(self.open)),
            M::DayLoss => lost(self.day),
            M::DayLossOfAccount => lost_part(self.day),
            M::WeekLoss => lost(self.week),
            M::WeekLossOfAccount => lost_part(self.week),
            _ => None,
        }
    }

    /// What a measure is largest in, where it is one of the largest.
    pub fn which(&self, measure: Measure) -> Option<&str> {
        let of = match measure {
            Measure::OneTrade => &self.largest.trade,
            Measure::OneSymbol => &self.largest.symbol,
            Measure::OneSector => &self.largest.sector,
            Measure::OneExpiration => &self.largest.expiration,
            _ => return None,
        };
        of.as_ref().map(|(name, _)| name.as_str())
    }
}

/// A trade before it is sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct TradeSeen {
    /// The most it can lose, at least zero; absent without a limit.
    pub at_risk: Option<Money>,
    /// Value of the account.
    pub account: Money,
    /// Contracts open in its thinnest leg; absent without an option.
    pub open_interest: Option<i64>,
    /// Width of its market, and its middle, both at least zero.
    pub width: Option<(Price, Price)>,
}

impl TradeSeen {
    /// What is seen of a measure.
    pub fn figure(&self, measure: Measure) -> Option<Figure> {
        match measure {
            Measure::TradeRisk => Figure::share(self.at_risk?, self.account, 100),
            Measure::TradeRiskMoney => self.at_risk.map(Figure::money),
            Measure::OpenInterest => self.open_interest.map(Figure::count),
            Measure::MarketWidth => {
                let (width, middle) = self.width?;
                (middle > Price::ZERO).then(|| Figure::Exact {
                    part: i128::from(width.raw()) * 100,
                    whole: i128::from(middle.raw()),
                })
            }
            _ => None,
        }
    }
}

/// The open campaigns and the account at a moment.
#[derive(Debug, Clone, PartialEq)]
pub struct BookSeen {
    /// The moment of the look.
    pub at: Moment,
    /// The open campaigns, each as it was seen.
    pub campaigns: Vec<CampaignSeen>,
    /// The account, where it was looked at.
    pub account: Option<AccountSeen>,
}

impl BookSeen {
    /// A measure of a campaign, or of the account.
    pub fn figure(&self, measure: Measure, campaign: Option<u64>) -> Option<Figure> {
        match (measure.facts().subject, campaign) {
            (Subject::Campaign, Some(id)) => {
                let found = self.campaigns.iter().find(|c| c.campaign == id)?;
                found.figure(measure, self.at)
            }
            (Subject::Account, None) => self.account.as_ref()?.figure(measure),
            _ => None,
        }
    }
}
