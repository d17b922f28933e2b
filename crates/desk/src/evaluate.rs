//! The one answer about a draft, a ticket or a position: what it is, what it makes and loses, what
//! it is sensitive to, what it ties up. Every view draws from it; there is no second way to compute
//! a profit.

use quant::Lognormal;
use thiserror::Error;

use crate::account_rules::HIGHEST_LEVEL;
use crate::checks::{Check, Checked, checks};
use crate::contract::Contract;
use crate::entry_price::EntryPrice;
use crate::holding::Holding;
use crate::horizon::{Horizon, Parted};
use crate::margin::{
    MarginBasis, MarginHolding, MarginLeg, NeedsLevel, Requirement, levels, requirement,
};
use crate::naming::{Name, Structure, in_place, recognise};
use crate::number::{Decimal, Money, Price};
use crate::package_quote::{PackageQuote, package_quote};
use crate::plain;
use crate::proposal::{AccountView, MarketView, MoneyEffect, Proposal};
use crate::rules::{Measure, Subject, ruling};
use crate::ticket::{OrderError, check_bounds};
use crate::time::Moment;
use crate::underlying::Underlying;
use crate::valuation::{LegMarket, Legs, PositionGreeks, price_grid};

/// Points of a drawn curve.
pub const CURVE_POINTS: usize = 200;

/// One leg of the answer.
#[derive(Debug, Clone)]
pub struct LegReport {
    /// Whether it can be traded now, and at what quote.
    pub market: LegMarket,
    /// Its Greeks in money.
    pub greeks: PositionGreeks,
}

/// Curves of profit in money over prices of the underlying.
#[derive(Debug, Clone)]
pub struct Curves {
    /// Prices of the underlying, the lowest first.
    pub prices: Vec<f64>,
    /// Profit at the first expiration.
    pub outline: Vec<f64>,
    /// Profit if the price were there now.
    pub today: Vec<f64>,
}

impl Curves {
    /// The outline without what was realised before, less fees: that of the open legs alone.
    pub fn alone(&self, booked: Money) -> Vec<f64> {
        let booked = booked.to_f64();
        self.outline.iter().map(|v| v - booked).collect()
    }
}

/// All that is said of one package at one moment: the answer that every screen draws from.
#[derive(Debug, Clone)]
pub struct Evaluation {
    /// The moment of the quotes that it rests on.
    pub at: Moment,
    /// Price of the underlying.
    pub spot: Price,
    /// The legs of one package.
    pub unit: Holding,
    /// How many packages are judged together.
    pub packages: i64,
    /// What it is called.
    pub name: Name,
    /// Market in the package.
    pub quote: PackageQuote,
    /// Net price per package that the profit is counted from.
    pub price: Price,
    /// Theoretical value of one package, by the surface.
    pub theoretical: f64,
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
    /// How many packages the trader's rule about risk allows; absent without such a rule or without
    /// a limit of the loss.
    pub allowed: Option<i64>,
    /// In plain words.
    pub sentences: Vec<String>,
    /// Things to look at before money moves.
    pub checks: Vec<Check>,
}

/// A profit as a share of what is tied up for it; none where either has no meaning.
pub(crate) fn part_of(profit: Money, tied_up: Money) -> Option<f64> {
    (profit > Money::ZERO && tied_up > Money::ZERO).then(|| profit.to_f64() / tied_up.to_f64())
}

impl Evaluation {
    /// "iron condor 205/200 · 175/165".
    pub fn label(&self) -> String {
        format!("{} {}", self.name.text, self.unit.strikes_label())
            .trim_end()
            .to_owned()
    }

    /// The most it can make as a share of what it ties up; none where either has no meaning.
    pub fn part(&self) -> Option<f64> {
        part_of(self.horizon.shape.most.limited()?, self.money.tied_up)
    }

    /// The same for a year, without compounding; what ends today counts as one day.
    pub fn part_a_year(&self) -> Option<f64> {
        self.part()
            .map(|part| part * 365.0 / self.horizon.days.max(1) as f64)
    }

    /// The most it can lose as a share of an account's value; none without a limit and for an
    /// account that is worth nothing.
    pub fn at_risk(&self, account_value: Money) -> Option<f64> {
        let least = self.horizon.shape.least.limited()?;
        let value = account_value.to_f64();
        (value > 0.0).then(|| (-least.to_f64()).max(0.0) / value)
    }
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
        /// How many legs' markets were given.
        markets: usize,
    },
    /// The numbers are outside the domain of the models.
    #[error(transparent)]
    Model(#[from] quant::Error),
}

/// A holding as margin sees it, at the market's marks.
pub fn margined(
    structure: &Holding,
    underlying: &Underlying,
    markets: &[LegMarket],
) -> MarginHolding {
    // Options come first among the legs.
    let options = structure
        .options()
        .zip(markets)
        .map(|((c, quantity), m)| MarginLeg {
            contract: c.clone(),
            ends: underlying.expiry_moment(c),
            quantity,
            mark: m.quote.mark(),
        });
    MarginHolding {
        options: options.collect(),
        underlying: structure.underlying_quantity(),
    }
}

/// A market for every leg, and none that has ended.
fn check_legs(structure: &Holding, market: &MarketView<'_>) -> Result<(), EvaluationError> {
    let legs = structure.legs().len();
    if legs != market.legs.len() {
        return Err(EvaluationError::Mismatch {
            legs,
            markets: market.legs.len(),
        });
    }
    let ended = |(c, _): &(&Contract, i64)| market.underlying.expiry_moment(c) <= market.at;
    match structure.options().find(ended) {
        Some((past, _)) => Err(OrderError::PastExpiration {
            contract: past.clone(),
        }
        .into()),
        None => Ok(()),
    }
}

/// The prices that are drawn: those asked for, or three deviations and past every strike.
fn drawn_range(
    asked: Option<(f64, f64)>,
    structure: &Holding,
    market: &MarketView<'_>,
    years: f64,
) -> (f64, f64) {
    let sound = |(a, b): &(f64, f64)| a.is_finite() && b.is_finite() && *a >= 0.0 && a < b;
    asked.filter(sound).unwrap_or_else(|| {
        let spot = market.spot.to_f64();
        let reach = (3.0 * market.horizon_vol * years.sqrt()).clamp(0.02, 2.0);
        let strikes = structure.options().map(|(c, _)| c.strike.to_f64());
        let (a, b) = strikes.fold((spot, spot), |(a, b), k| (a.min(k), b.max(k)));
        (
            (spot * (-reach).exp()).min(a * 0.98),
            (spot * reach.exp()).max(b * 1.02),
        )
    })
}

/// Chance of profit at the first expiration, under one volatility and the drift of interest less
/// what the underlying pays.
fn chance_of_profit(horizon: &Horizon, market: &MarketView<'_>) -> Result<f64, quant::Error> {
    let spot = market.spot.to_f64();
    let rate = market.legs.first().map_or(0.0, |m| m.rate);
    let carry_yield = market
        .carry
        .yield_until(market.at, horizon.moment, rate, spot);
    let years = market.at.years_until(horizon.moment);
    let law = Lognormal::new(spot, rate - carry_yield, market.horizon_vol, years)?;
    Ok(horizon.outline.chance(&law))
}

/// Packages that the trader's own rules about risk allow, the strictest of them; absent without a
/// rule or a limit of the loss.
fn allowed(
    account: &AccountView,
    (structure, underlying): (&Holding, &Underlying),
    horizon: &Horizon,
    packages: i64,
) -> Option<i64> {
    let risked = -horizon.shape.least.limited().filter(|l| *l < Money::ZERO)?;
    let of_it = (
        Structure::of(structure, underlying),
        underlying.symbol.as_str(),
        None,
    );
    let in_force = ruling(&account.trade_rules, Subject::Trade, of_it);
    let most = in_force.iter().filter_map(|r| {
        let limit = i128::from(r.rule.condition.limit.raw());
        // Money in 1e-4 times a limit in 1e-8: so much may be lost, exactly.
        let (bearable, scale) = match r.rule.condition.measure {
            Measure::TradeRisk => (i128::from(account.value.raw()) * limit, 100),
            Measure::TradeRiskMoney => (limit * 10_000, 1),
            _ => return None,
        };
        let each = i128::from(risked.raw()) * i128::from(Decimal::SCALE) * scale;
        Some((bearable.max(0) * i128::from(packages) / each) as i64)
    });
    most.min()
}

/// Theoretical net price of one package.
fn theoretical_of(unit: &Holding, market: &MarketView<'_>) -> f64 {
    let underlying = market.underlying;
    let each = underlying.weights(unit).into_iter().zip(&market.legs);
    let worth: f64 = each.map(|(w, m)| m.theoretical * w as f64).sum();
    worth / underlying.price_units(unit) as f64
}

/// Profit over prices, at the first expiration and now; none over an empty range.
fn curves(
    proposal: &Proposal,
    market: &MarketView<'_>,
    horizon: &Horizon,
    (now, net): (&Legs, Money),
) -> Curves {
    let years = market.at.years_until(horizon.moment);
    let (low, high) = drawn_range(proposal.range, &proposal.structure, market, years);
    let prices = if proposal.range.is_none_or(|(a, b)| a < b) {
        price_grid(low, high, CURVE_POINTS)
    } else {
        Vec::new()
    };
    let paid = net.to_f64();
    Curves {
        outline: prices.iter().map(|&s| horizon.profit_at(s)).collect(),
        today: now.values(&prices).into_iter().map(|v| v + paid).collect(),
        prices,
    }
}

/// The delta of one unit of the first leg, by which a name tells what is in the money.
fn delta_of_first(structure: &Holding, u: &Underlying, greeks: &[PositionGreeks]) -> f64 {
    let first = greeks.first().zip(structure.legs().first());
    first.map_or(0.0, |(g, l)| {
        g.delta / (l.quantity * u.units(&l.instrument)) as f64
    })
}

/// Evaluates a proposal against a market and an account.
///
/// # Errors
/// A leg without a market or past its end, a price that no market has, terms that no model covers.
pub fn evaluate(
    proposal: &Proposal,
    market: &MarketView<'_>,
    account: &AccountView,
) -> Result<Evaluation, EvaluationError> {
    let structure = &proposal.structure;
    check_legs(structure, market)?;
    let (unit, packages) = (structure.unit(), structure.packages());
    let quotes: Vec<_> = market.legs.iter().map(|m| m.quote).collect();
    let quote = package_quote(&unit, &quotes, market.underlying);
    let price = proposal
        .entry
        .price(&unit, &quote, &quotes, market.underlying);
    check_bounds(&unit, market.underlying, market.spot, price)?;
    // Profit counts a future at its price, though nothing is paid for it.
    let paid = match &proposal.entry {
        EntryPrice::Paid(cost) => *cost,
        _ => price.times(packages * market.underlying.price_units(structure)),
    };
    let net = proposal.realised - paid;

    let parted = Parted::of(structure, market);
    let later = Legs::at(
        &parted.lasting,
        market.underlying,
        &parted.markets,
        (&market.carry, market.spot),
        parted.moment(),
    )?;
    let horizon = parted.horizon(net, &|prices| Ok(later.values(prices)), later.tail())?;
    let now = Legs::at(
        structure,
        market.underlying,
        &market.legs,
        (&market.carry, market.spot),
        market.at,
    )?;
    let curves = curves(proposal, market, &horizon, (&now, net));
    let leg_greeks = now.greeks(market.spot.to_f64())?;
    let greeks = leg_greeks
        .iter()
        .fold(PositionGreeks::default(), |sum, g| sum.plus(*g));
    let money = money_effect(structure, market, account, price);
    let theoretical = theoretical_of(&unit, market);
    let delta = delta_of_first(structure, market.underlying, &leg_greeks);
    let name = in_place(
        recognise(structure, market.underlying),
        structure,
        market.underlying,
        (delta, horizon.days),
        money.buying_power_now.min(account.cash - account.reserved),
    );
    let checks = checks(&Checked {
        proposal,
        market,
        quote: &quote,
        price,
        theoretical,
        name: &name,
        horizon: &horizon,
        money: &money,
        account,
    });
    let sentences = plain::sentences(
        &name,
        structure,
        market,
        &horizon,
        money.cash,
        proposal.closing,
    );
    Ok(Evaluation {
        at: market.at,
        spot: market.spot,
        unit,
        packages,
        name,
        quote,
        price,
        theoretical,
        chance_of_profit: chance_of_profit(&horizon, market)?,
        allowed: allowed(account, (structure, market.underlying), &horizon, packages),
        horizon,
        curves,
        greeks,
        legs: market
            .legs
            .iter()
            .zip(leg_greeks)
            .map(|(m, greeks)| LegReport { market: *m, greeks })
            .collect(),
        money,
        sentences,
        checks,
    })
}

/// Received (above zero) or paid for a structure at a net price per package. Nothing is paid for a
/// future; beside options it trades at its middle.
fn entry_cash(structure: &Holding, market: &MarketView<'_>, price: Price) -> Money {
    let underlying = market.underlying;
    let future = structure
        .legs()
        .iter()
        .zip(&market.legs)
        .find(|(l, _)| underlying.is_margined(&l.instrument));
    let unpaid = future.map_or(Money::ZERO, |(l, m)| {
        m.quote.mid().times(l.quantity * underlying.multiplier)
    });
    let net = -price.times(structure.packages() * underlying.price_units(structure));
    if future.is_some() && structure.options().next().is_none() {
        Money::ZERO
    } else {
        net + unpaid
    }
}

/// Buying power that a fill at a net price per package takes, fees included; below zero when it
/// gives some back.
pub fn money_taken(
    structure: &Holding,
    market: &MarketView<'_>,
    account: &AccountView,
    price: Price,
) -> Money {
    let underlying = market.underlying;
    let basis = MarginBasis::of(
        underlying,
        market.spot,
        market.at,
        &market.carry,
        account.rules,
        account.rate,
    );
    let joined = account
        .here
        .with(&margined(structure, underlying, &market.legs));
    let rises = requirement(&joined, &basis).takes() - requirement(&account.here, &basis).takes();
    rises + underlying.fees(structure, &account.fees) - entry_cash(structure, market, price)
}

/// Cash and margin before and after a fill at a net price per package; fees included in what comes
/// after.
pub fn money_effect(
    structure: &Holding,
    market: &MarketView<'_>,
    account: &AccountView,
    price: Price,
) -> MoneyEffect {
    let underlying = market.underlying;
    let basis = MarginBasis::of(
        underlying,
        market.spot,
        market.at,
        &market.carry,
        account.rules,
        account.rate,
    );
    let cash = entry_cash(structure, market, price);
    let added = margined(structure, underlying, &market.legs);
    let alone = requirement(&added, &basis);
    let tied = |held: &Requirement, cash: Money| held.takes() - cash;
    let leg_by_leg = structure.legs().iter().zip(&market.legs).map(|(leg, m)| {
        let one = Holding::new([leg.clone()]);
        let held = requirement(&margined(&one, underlying, std::slice::from_ref(m)), &basis);
        let paid = if underlying.is_margined(&leg.instrument) {
            Money::ZERO
        } else {
            m.quote
                .mark()
                .times(leg.quantity * underlying.units(&leg.instrument))
        };
        tied(&held, -paid)
    });
    let before = requirement(&account.here, &basis);
    let joined = account.here.with(&added);
    let after = requirement(&joined, &basis);
    let fees = underlying.fees(structure, &account.fees);
    let free = account.cash - account.taken_elsewhere - account.reserved;
    MoneyEffect {
        cash,
        fees,
        buying_power_now: free - before.takes(),
        buying_power_after: free + cash - fees - after.takes(),
        // Of shares half the value is needed, not the price; options are paid in full.
        needed: alone.total + (-cash - alone.collateral).max(Money::ZERO),
        tied_up: tied(&alone, cash),
        leg_by_leg: leg_by_leg.sum(),
        alone,
        requirement_change: after.total - before.total,
        beyond: beyond(&account.here, &joined, &basis),
        added,
    }
}

/// What is held afterwards beyond the account's approval and was not before.
fn beyond(before: &MarginHolding, after: &MarginHolding, basis: &MarginBasis) -> Vec<NeedsLevel> {
    let allowed = basis.rules.allows();
    if allowed == HIGHEST_LEVEL {
        return Vec::new();
    }
    let over = |held: &MarginHolding| -> Vec<NeedsLevel> {
        levels(held, basis)
            .into_iter()
            .filter(|n| n.level > allowed)
            .collect()
    };
    let count = |needs: &[NeedsLevel]| needs.iter().map(|n| n.count).sum::<i64>();
    let (now, then) = (over(before), over(after));
    if count(&then) > count(&now) {
        then.into_iter().filter(|n| !now.contains(n)).collect()
    } else {
        Vec::new()
    }
}
