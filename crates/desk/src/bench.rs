//! A draft under judgement: its profit and Greeks over price, on several dates, with volatility moved; and its chances.
//!
//! Every leg keeps its own volatility as the price moves (sticky strike), all of them moved by the same points. The same model as
//! `evaluate`: unmoved and today it says the same.

use quant::{Lognormal, Touch, chance_of_reaching, touch};

use crate::evaluate::{EvaluationError, MarketView};
use crate::horizon::{Horizon, Horizons};
use crate::number::Price;
use crate::structure::Structure;
use crate::ticket::check_bounds;
use crate::time::Moment;
use crate::valuation::{LegMarket, Legs, PositionGreeks, price_grid};

/// What is asked.
#[derive(Debug, Clone)]
pub struct Judgement {
    /// Legs with full quantities.
    pub structure: Structure,
    /// Net price per package that the profit is counted from.
    pub price: Price,
    /// Added to every volatility, as a fraction a year.
    pub vol_shift: f64,
    /// Dates to look at, in days from now; those behind the first expiration count as it.
    pub days: Vec<f64>,
    /// Prices to draw between.
    pub range: (f64, f64),
    /// Two prices for the chances, the lower first.
    pub between: (f64, f64),
    /// Share of the most that can be made, whose reaching is asked for.
    pub target: f64,
    /// Whether the map over price and date is wanted.
    pub map: bool,
}

/// Profit over date and price.
#[derive(Debug, Clone)]
pub struct Map {
    /// Days from now, ascending; the last is the first expiration.
    pub days: Vec<f64>,
    /// Prices, ascending.
    pub prices: Vec<f64>,
    /// Profit at each date, at each price.
    pub profit: Vec<Vec<f64>>,
}

/// One date.
#[derive(Debug, Clone)]
pub struct DateLine {
    /// When.
    pub at: Moment,
    /// Profit at each of the prices.
    pub profit: Vec<f64>,
    /// Profit at each price of the grid.
    pub grid: Vec<f64>,
}

/// The answer.
#[derive(Debug, Clone)]
pub struct Bench {
    /// First expiration at the moved volatility.
    pub horizon: Horizon,
    /// Prices, ascending.
    pub prices: Vec<f64>,
    /// Profit at the first expiration.
    pub outline: Vec<f64>,
    /// The dates asked for.
    pub lines: Vec<DateLine>,
    /// Prices of the grid: half deviations of the first expiration around the price now.
    pub grid_prices: Vec<f64>,
    /// Profit at the first expiration at them.
    pub grid_outline: Vec<f64>,
    /// Prices of the Greeks, and the Greeks on the first date asked for.
    pub greek_prices: Vec<f64>,
    /// In money.
    pub greeks: Vec<PositionGreeks>,
    /// Of ending below the lower, between both and above the higher price.
    pub ends: [f64; 3],
    /// Of touching them before.
    pub touches: Touch,
    /// Of profit, and the mean profit, at the first expiration.
    pub profit: (f64, f64),
    /// Of having made the wanted share of the most before then; nothing where the most has no limit or is an estimate.
    pub reaching: Option<f64>,
    /// The map, where it was wanted.
    pub map: Option<Map>,
}

/// Dates and prices of the map.
const MAP: (usize, usize) = (49, 61);
/// Points of a drawn curve.
const POINTS: usize = 240;
/// Points of the Greeks.
const GREEK_POINTS: usize = 61;
/// Half deviations to each side in the grid.
const GRID_REACH: i32 = 5;
/// Lowest volatility that a shift leaves.
const LEAST_VOL: f64 = 0.01;

/// Judges a draft.
pub fn bench(asked: &Judgement, market: &MarketView<'_>) -> Result<Bench, EvaluationError> {
    let structure = &asked.structure;
    let (unit, packages) = (structure.unit(), structure.packages());
    check_bounds(&unit, market.underlying, market.spot, asked.price)?;
    let moved = |vol: f64| (vol + asked.vol_shift).max(LEAST_VOL);
    let legs: Vec<LegMarket> = market.legs.iter().map(|m| LegMarket { vol: moved(m.vol), ..*m }).collect();
    let market = &MarketView { legs, horizon_vol: moved(market.horizon_vol), ..market.clone() };
    let net = -asked.price.times(packages * market.underlying.price_units(structure));
    let paid = net.to_f64();
    let horizon = Horizons { structure, market }.at_first_expiration(net)?;
    let spot = market.spot.to_f64();
    let time = market.at.years_until(horizon.moment);
    let deviation = market.horizon_vol * time.sqrt();
    // The corners lie on it, so that straight pieces are drawn straight.
    let mut prices = price_grid(asked.range.0, asked.range.1, POINTS);
    prices.extend(structure.options().map(|(c, _)| c.strike.to_f64()).filter(|k| (asked.range.0..=asked.range.1).contains(k)));
    prices.sort_by(f64::total_cmp);
    prices.dedup();
    let grid_prices: Vec<f64> = (-GRID_REACH..=GRID_REACH).map(|k| spot * (f64::from(k) * 0.5 * deviation).exp()).collect();
    let legs_at = |at: Moment| Legs::at(structure, market.underlying, &market.legs, (&market.carry, market.spot), at);
    let after = |days: f64| {
        let at = market.at.plus_millis((days.max(0.0) * 86_400_000.0) as i64);
        at.min(horizon.moment.plus_millis(-60_000)).max(market.at)
    };
    let line = |days: &f64| {
        let at = after(*days);
        let legs = legs_at(at)?;
        let profit = |prices: &[f64]| legs.values(prices).into_iter().map(|v| v + paid).collect();
        Ok(DateLine { at, profit: profit(&prices), grid: profit(&grid_prices) })
    };
    let lines = asked.days.iter().map(line).collect::<Result<Vec<_>, quant::Error>>()?;
    let first = legs_at(after(asked.days.first().copied().unwrap_or(0.0)))?;
    let greek_prices = price_grid(asked.range.0, asked.range.1, GREEK_POINTS);
    let greeks = greek_prices
        .iter()
        .map(|s| Ok(first.greeks(*s)?.into_iter().fold(PositionGreeks::default(), PositionGreeks::plus)))
        .collect::<Result<Vec<_>, quant::Error>>()?;
    let mut map = Map { days: price_grid(0.0, time * 365.0, MAP.0), prices: price_grid(asked.range.0, asked.range.1, MAP.1), profit: Vec::new() };
    if asked.map {
        for days in &map.days[..MAP.0 - 1] {
            map.profit.push(legs_at(after(*days))?.values(&map.prices).into_iter().map(|v| v + paid).collect());
        }
        map.profit.push(map.prices.iter().map(|s| horizon.profit_at(*s)).collect());
    }
    let rate = market.legs.first().map_or(0.0, |m| m.rate);
    let drift = rate - market.carry.yield_until(market.at, horizon.moment, rate, spot);
    let dist = Lognormal::new(spot, drift, market.horizon_vol, time)?;
    let (low, high) = asked.between;
    let (below, above) = (dist.below(low), dist.above(high));
    Ok(Bench {
        outline: prices.iter().map(|s| horizon.profit_at(*s)).collect(),
        grid_outline: grid_prices.iter().map(|s| horizon.profit_at(*s)).collect(),
        ends: [below, (1.0 - below - above).max(0.0), above],
        touches: touch(spot, low, high, drift, market.horizon_vol, time)?,
        profit: dist.profit(&horizon.outcomes()),
        map: if asked.map { Some(map) } else { None },
        reaching: reaching(asked, market, &horizon, (drift, time), paid)?,
        horizon,
        prices,
        lines,
        grid_prices,
        greek_prices,
        greeks,
    })
}

/// Chance of having made so much of the most before the first expiration.
fn reaching(
    asked: &Judgement,
    market: &MarketView<'_>,
    horizon: &Horizon,
    (drift, time): (f64, f64),
    paid: f64,
) -> Result<Option<f64>, quant::Error> {
    let most = match &horizon.shape.most {
        crate::shape::Extent::Limited { profit, .. } if !horizon.estimate => profit.to_f64(),
        _ => return Ok(None),
    };
    if most <= 0.0 || time <= 0.0 {
        return Ok(None);
    }
    let gain = |t: f64, prices: &[f64]| -> Vec<f64> {
        let at = market.at.plus_millis((t * 365.0 * 86_400_000.0) as i64);
        let legs = Legs::at(&asked.structure, market.underlying, &market.legs, (&market.carry, market.spot), at.min(horizon.moment));
        legs.map_or_else(|_| vec![f64::NAN; prices.len()], |legs| legs.values(prices).into_iter().map(|v| v + paid).collect())
    };
    Ok(Some(chance_of_reaching(market.spot.to_f64(), drift, market.horizon_vol, time, gain, asked.target * most, None)?))
}
