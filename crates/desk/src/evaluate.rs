//! The one answer about a draft, a ticket or a position: what it is, what it makes and loses, what
//! it is sensitive to, what it ties up. Every view draws from it; there is no second way to compute
//! a profit.

use jiff::civil::Date;
use quant::Lognormal;
use thiserror::Error;

use crate::checks::{Check, checks};
use crate::horizon::{Horizon, Horizons};
use crate::instrument::Underlying;
use crate::margin::{MarginBasis, MarginLeg, Requirement, requirement};
use crate::naming::{Name, recognise};
use crate::number::{Money, Price};
use crate::order::{OrderError, check_bounds};
use crate::package::{PackageQuote, package_quote};
use crate::plain;
use crate::structure::Structure;
use crate::time::Moment;
use crate::valuation::{LegMarket, Legs, PositionGreeks, price_grid};

/// Points of a drawn curve.
pub const CURVE_POINTS: usize = 200;

/// A dated event that changes volatility or price.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Event {
    /// On which date.
    pub date: Date,
    /// In plain words, e.g. "results after the close".
    pub what: String,
}

/// Everything the market contributes.
#[derive(Debug, Clone)]
pub struct MarketView<'a> {
    /// As of.
    pub at: Moment,
    /// The underlying's data.
    pub underlying: &'a Underlying,
    /// Its price.
    pub spot: Price,
    /// One entry per leg, in the order of the structure.
    pub legs: Vec<LegMarket>,
    /// At-the-money volatility of the first expiration.
    pub horizon_vol: f64,
    /// Events ahead, ascending.
    pub events: Vec<Event>,
}

/// Everything the account contributes.
#[derive(Debug, Clone, Default)]
pub struct AccountView {
    /// Cash.
    pub cash: Money,
    /// Margin held for other underlyings.
    pub requirement_elsewhere: Money,
    /// Buying power set aside for working orders.
    pub reserved: Money,
    /// Open positions in this underlying.
    pub here: Vec<MarginLeg>,
    /// Fee per contract.
    pub fee: Money,
}

/// What is asked.
#[derive(Debug, Clone)]
pub struct Proposal {
    /// Legs with full quantities.
    pub structure: Structure,
    /// Net price per package; the middle when absent.
    pub price: Option<Price>,
    /// Price range to draw; chosen when absent.
    pub range: Option<(f64, f64)>,
    /// It closes (part of) a campaign.
    pub closing: bool,
}

/// One leg of the answer.
#[derive(Debug, Clone)]
pub struct LegReport {
    /// Its market.
    pub market: LegMarket,
    /// Its Greeks in money.
    pub greeks: PositionGreeks,
}

/// Curves of profit in money over prices of the underlying.
#[derive(Debug, Clone)]
pub struct Curves {
    /// Prices, ascending.
    pub prices: Vec<f64>,
    /// Profit at the first expiration.
    pub outline: Vec<f64>,
    /// Profit if the price were there now.
    pub today: Vec<f64>,
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
    /// Change of the margin held in this underlying.
    pub requirement_change: Money,
}

impl MoneyEffect {
    /// Buying power this takes; below zero when it gives some back.
    pub fn takes(&self) -> Money {
        self.buying_power_now - self.buying_power_after
    }
}

/// The answer.
#[derive(Debug, Clone)]
pub struct Evaluation {
    /// As of.
    pub at: Moment,
    /// Price of the underlying.
    pub spot: Price,
    /// One package.
    pub unit: Structure,
    /// Packages.
    pub packages: i64,
    /// What it is called.
    pub name: Name,
    /// Market in the package.
    pub quote: PackageQuote,
    /// Net price per package that the profit is counted from.
    pub price: Price,
    /// First expiration and what happens there.
    pub horizon: Horizon,
    /// Curves to draw.
    pub curves: Curves,
    /// Net Greeks in money.
    pub greeks: PositionGreeks,
    /// Per leg, in the order of the unit.
    pub legs: Vec<LegReport>,
    /// Chance of profit at the horizon under a flat volatility.
    pub chance_of_profit: f64,
    /// Money and margin.
    pub money: MoneyEffect,
    /// In plain words.
    pub sentences: Vec<String>,
    /// Things to look at before money moves.
    pub checks: Vec<Check>,
}

/// Why there is no answer.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum EvaluationError {
    /// A contract has expired, or the price is not one.
    #[error(transparent)]
    Order(#[from] OrderError),
    /// The number of leg markets differs from the legs.
    #[error("{legs} legs but {markets} markets")]
    Mismatch {
        /// Legs asked for.
        legs: usize,
        /// Markets given.
        markets: usize,
    },
    /// The numbers are outside the domain of the models.
    #[error(transparent)]
    Model(#[from] quant::Error),
}

/// Margin legs of a structure at the market's marks.
pub fn margin_legs(structure: &Structure, markets: &[LegMarket]) -> Vec<MarginLeg> {
    let pairs = structure.legs().iter().zip(markets);
    pairs
        .map(|(l, m)| MarginLeg {
            kind: l.contract.kind,
            strike: l.contract.strike,
            expiry: l.contract.expiry,
            quantity: l.quantity,
            mark: m.quote.mark(),
        })
        .collect()
}

/// Evaluates a proposal against a market and an account.
pub fn evaluate(proposal: &Proposal, market: &MarketView<'_>, account: &AccountView) -> Result<Evaluation, EvaluationError> {
    let structure = &proposal.structure;
    let legs = structure.legs();
    if legs.len() != market.legs.len() {
        return Err(EvaluationError::Mismatch { legs: legs.len(), markets: market.legs.len() });
    }
    if let Some(past) = legs.iter().find(|l| market.underlying.expiry_moment(&l.contract) <= market.at) {
        return Err(OrderError::PastExpiration { contract: past.contract.clone() }.into());
    }
    let (unit, packages) = (structure.unit(), structure.packages());
    let quotes: Vec<_> = market.legs.iter().map(|m| m.quote).collect();
    let quote = package_quote(&unit, &quotes, &market.underlying.package_ticks(legs.len()));
    let price = proposal.price.unwrap_or(quote.middle);
    check_bounds(&unit, market.spot, price)?;
    let multiplier = market.underlying.multiplier;
    let cash = -price.times(packages * multiplier);

    let horizon = Horizons { structure, market }.at_first_expiration(cash)?;
    let now = Legs::at(structure, market.underlying, &market.legs, market.at)?;
    let spot = market.spot.to_f64();
    let time = market.at.years_until(horizon.moment);
    let (low, high) = proposal.range.filter(|(a, b)| a.is_finite() && b.is_finite() && *a >= 0.0 && a < b).unwrap_or_else(|| {
        let reach = (3.0 * market.horizon_vol * time.sqrt()).clamp(0.02, 2.0);
        let strikes = legs.iter().map(|l| l.contract.strike.to_f64());
        let (a, b) = strikes.fold((spot, spot), |(a, b), k| (a.min(k), b.max(k)));
        ((spot * (-reach).exp()).min(a * 0.98), (spot * reach.exp()).max(b * 1.02))
    });
    let prices = price_grid(low, high, CURVE_POINTS);
    let paid = cash.to_f64();
    let curves = Curves {
        outline: prices.iter().map(|&s| horizon.profit_at(s)).collect(),
        today: now.values(&prices).into_iter().map(|v| v + paid).collect(),
        prices,
    };
    let leg_greeks = now.greeks(spot)?;
    let greeks = leg_greeks.iter().fold(PositionGreeks::default(), |sum, g| sum.plus(*g));
    let rate = market.legs.first().map_or(0.0, |m| m.rate);
    let dist = Lognormal::new(spot, rate - market.underlying.dividend_yield, market.horizon_vol, time)?;
    let chance_of_profit = dist.profit(&horizon.outcomes()).0;
    let money = money_effect(structure, market, account, cash);
    let name = recognise(structure);
    let checks = checks(proposal, market, &quote, &name, &horizon, &money);
    let sentences = plain::sentences(&name, structure, market, &horizon, cash, proposal.closing);
    Ok(Evaluation {
        at: market.at,
        spot: market.spot,
        unit,
        packages,
        name,
        quote,
        price,
        horizon,
        curves,
        greeks,
        legs: market.legs.iter().zip(leg_greeks).map(|(m, greeks)| LegReport { market: *m, greeks }).collect(),
        chance_of_profit,
        money,
        sentences,
        checks,
    })
}

/// Cash and margin before and after a fill; fees included in what comes after.
pub fn money_effect(structure: &Structure, market: &MarketView<'_>, account: &AccountView, cash: Money) -> MoneyEffect {
    let basis = MarginBasis { spot: market.spot, class: market.underlying.margin_class, multiplier: market.underlying.multiplier };
    let added = margin_legs(structure, &market.legs);
    let before = requirement(&account.here, &basis).total;
    let mut joined = account.here.clone();
    for leg in &added {
        match joined.iter_mut().find(|l| (l.kind, l.strike, l.expiry) == (leg.kind, leg.strike, leg.expiry)) {
            Some(same) => same.quantity += leg.quantity,
            None => joined.push(*leg),
        }
    }
    joined.retain(|l| l.quantity != 0);
    let after = requirement(&joined, &basis).total;
    let contracts: i64 = structure.legs().iter().map(|l| l.quantity.abs()).sum();
    let fees = account.fee * contracts;
    let free = account.cash - account.requirement_elsewhere - account.reserved;
    MoneyEffect {
        cash,
        fees,
        buying_power_now: free - before,
        buying_power_after: free + cash - fees - after,
        alone: requirement(&added, &basis),
        requirement_change: after - before,
    }
}
