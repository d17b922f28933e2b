//! A draft under judgement: its profit and Greeks over price, dates and moved volatility; and its
//! chances.
//!
//! The same model as `evaluate`: unmoved and today it says the same.

mod chances;
mod compare;
mod moved;

pub use chances::{Asked as ChancesAsked, Chances, ChancesAt, Law};
pub use compare::{Compared, ComparedRow, best_of, shared_prices, units_controlled};
pub use moved::{Moved, Sticky};

use rayon::prelude::*;

use crate::evaluate::EvaluationError;
use crate::holding::Holding;
use crate::horizon::{Horizon, Parted};
use crate::number::{Money, Price};
use crate::proposal::{MarketView, first_expiry};
use crate::shape::Even;
use crate::ticket::check_bounds;
use crate::time::Moment;
use crate::valuation::{PositionGreeks, price_grid};
use moved::Judged;

/// Prices around the price now.
#[derive(Debug, Clone, PartialEq)]
pub enum Span {
    /// So many deviations of the first expiration to each side, and past every strike.
    Usual,
    /// So many deviations to each side.
    Deviations(f64),
    /// So many percent to each side.
    Percent(f64),
    /// From one price to another.
    Between(f64, f64),
}

/// Prices of a grid.
#[derive(Debug, Clone, PartialEq)]
pub enum Steps {
    /// Those that matter to the draft: the price now, break-evens, strikes, whole deviations, and
    /// round prices where none of these is near.
    Matter,
    /// The prices that the trader typed, per unit of the underlying.
    These(Vec<f64>),
}

/// What a price of the grid is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum GridPrice {
    /// The price now.
    Now,
    /// The draft is even there at the first expiration.
    BreakEven,
    /// A leg's strike.
    Strike,
    /// So many deviations of the first expiration from the price now.
    Deviation(i8),
    /// A round number.
    Round,
    /// A price that the trader typed.
    Chosen,
}

/// What Greeks are drawn over.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Along {
    /// Price, a line for each date.
    Price,
    /// Time to the first expiration, at this price.
    Time(f64),
}

/// What is asked.
#[derive(Debug, Clone)]
pub struct Judgement {
    /// Legs with full quantities.
    pub structure: Holding,
    /// Net price per package that the profit is counted from.
    pub price: Price,
    /// What was realised before, less fees: part of the profit. Zero for a draft.
    pub realised: Money,
    /// What is supposed to have happened to volatility and interest.
    pub moved: Moved,
    /// Dates to look at, in days from now; those behind the first expiration count as it.
    pub days: Vec<f64>,
    /// Prices to draw between.
    pub span: Span,
    /// Whether the map over price and date is wanted.
    pub map: bool,
    /// Greeks, over what and on which dates.
    pub greeks: Option<(Along, Vec<f64>)>,
    /// Prices of the grid and its dates in days from now, if it is wanted.
    pub grid: Option<(Steps, Vec<f64>)>,
    /// Chances, if they are wanted.
    pub chances: Option<ChancesAsked>,
}

/// Profit over date and price.
#[derive(Debug, Clone)]
pub struct Map {
    /// Days from now, ascending; the last is the first expiration.
    pub days: Vec<f64>,
    /// Prices of the underlying, the lowest first.
    pub prices: Vec<f64>,
    /// Profit at each date, at each price.
    pub profit: Vec<Vec<f64>>,
}

/// Profit over the prices at one moment.
#[derive(Debug, Clone)]
pub struct DateLine {
    /// The moment at which the legs are valued.
    pub at: Moment,
    /// Profit at each of the prices.
    pub profit: Vec<f64>,
    /// Prices where it is even, within the span.
    pub evens: Vec<f64>,
}

/// Greeks in money along price or time.
#[derive(Debug, Clone)]
pub struct GreekCurves {
    /// Prices, or days from now.
    pub along: Vec<f64>,
    /// When each line is (one line along time: now).
    pub dates: Vec<Moment>,
    /// Of the whole, by line.
    pub net: Vec<Vec<PositionGreeks>>,
    /// Of each leg, on the first line.
    pub legs: Vec<Vec<PositionGreeks>>,
}

/// Profit at prices on the grid's dates, and at the first expiration.
#[derive(Debug, Clone)]
pub struct Grid {
    /// Prices of the underlying, the lowest first.
    pub prices: Vec<f64>,
    /// All that each price is.
    pub names: Vec<Vec<GridPrice>>,
    /// When each date is, in the order asked for; the first expiration is not among them.
    pub dates: Vec<Moment>,
    /// By date, in the order asked for; the first expiration last.
    pub profit: Vec<Vec<f64>>,
}

/// All that the bench shows of one draft, valued at one moment.
#[derive(Debug, Clone)]
pub struct Bench {
    /// First expiration in the moved market.
    pub horizon: Horizon,
    /// Prices at −2, −1, +1 and +2 deviations of the first expiration, at the moved volatility.
    pub bands: [f64; 4],
    /// Prices of the underlying, the lowest first.
    pub prices: Vec<f64>,
    /// Profit at the first expiration.
    pub outline: Vec<f64>,
    /// Chance of ending below each price at the first expiration, flat volatility.
    pub below: Vec<f64>,
    /// The dates asked for.
    pub lines: Vec<DateLine>,
    /// The map, where it was wanted.
    pub map: Option<Map>,
    /// Greeks, where they were wanted.
    pub greeks: Option<GreekCurves>,
    /// The grid, where it was wanted.
    pub grid: Option<Grid>,
    /// Chances, where they were wanted and can be told.
    pub chances: Option<Chances>,
    /// Why the chances cannot be told: the smile has arbitrage in a wing. All else is answered.
    pub no_chances: Option<quant::Error>,
}

/// Dates and prices of the map.
const MAP: (usize, usize) = (60, 80);
/// Points of a drawn curve.
const POINTS: usize = 240;
/// Points of the Greeks.
const GREEK_POINTS: usize = 41;
/// About so many round prices on the span of a grid.
const ROUND: f64 = 12.0;
/// Most prices of a grid that are chosen one by one.
pub const MOST_GRID: usize = 25;

/// Judges a draft.
///
/// # Errors
/// A price that no market has, terms that no model covers, a leg without a market.
pub fn bench(asked: &Judgement, market: &MarketView<'_>) -> Result<Bench, EvaluationError> {
    let structure = &asked.structure;
    check_bounds(
        &structure.unit(),
        market.underlying,
        market.spot,
        asked.price,
    )?;
    let end = first_expiry(structure, market);
    let market = &asked.moved.apply(structure, market, end.date());
    let units = structure.packages() * market.underlying.price_units(structure);
    let net = asked.realised - asked.price.times(units);
    let drawn = Drawn {
        asked,
        market,
        judged: Judged::new(structure, market, &asked.moved.sticky),
        paid: net.to_f64(),
        end,
        years: market.at.years_until(end),
        horizon: horizon(asked, market, net, end)?,
    };
    let (low, high) = drawn.span();
    let prices = drawn.prices(low, high);
    let lines = asked
        .days
        .par_iter()
        .map(|days| drawn.line(*days, &prices))
        .collect::<Result<Vec<_>, quant::Error>>()?;
    let chances = |wanted| drawn.chances(wanted, &lines, &prices);
    let (chances, no_chances) = match asked.chances.as_ref().map(chances) {
        None => (None, None),
        Some(Ok(chances)) => (Some(chances), None),
        Some(Err(why @ quant::Error::Arbitrage { .. })) => (None, Some(why)),
        Some(Err(why)) => return Err(why.into()),
    };
    let map = asked.map.then(|| drawn.map(low, high)).transpose()?;
    let greeks = |(along, days): &(Along, Vec<f64>)| drawn.greeks(along, days, (low, high));
    let flat = quant::Lognormal::new(drawn.spot(), drawn.drift(), market.horizon_vol, drawn.years)?;
    Ok(Bench {
        bands: [-2.0, -1.0, 1.0, 2.0].map(|k| drawn.away(k)),
        outline: drawn.at_end(&prices),
        below: prices.iter().map(|s| flat.below(*s)).collect(),
        map,
        greeks: asked.greeks.as_ref().map(greeks).transpose()?,
        grid: asked
            .grid
            .as_ref()
            .map(|(steps, days)| drawn.grid(steps, days, (low, high)))
            .transpose()?,
        chances,
        no_chances,
        horizon: drawn.horizon,
        prices,
        lines,
    })
}

/// The outline at the first expiration, with so much received in all.
fn horizon(
    asked: &Judgement,
    market: &MarketView<'_>,
    net: Money,
    end: Moment,
) -> Result<Horizon, quant::Error> {
    let parted = Parted::of(&asked.structure, market);
    let lasting_market = parted.lasting_market();
    let lasting = Judged::new(&parted.lasting, &lasting_market, &asked.moved.sticky);
    parted.horizon(
        net,
        &|prices| lasting.values(end, prices),
        lasting.legs_at(end)?.tail(),
    )
}

/// A draft in the market it is judged in, ready to be drawn.
struct Drawn<'a> {
    asked: &'a Judgement,
    market: &'a MarketView<'a>,
    judged: Judged<'a>,
    /// Received less paid, with what was realised before.
    paid: f64,
    /// The first expiration, and the years until then.
    end: Moment,
    years: f64,
    horizon: Horizon,
}

impl Drawn<'_> {
    fn spot(&self) -> f64 {
        self.market.spot.to_f64()
    }

    /// Interest less what the underlying pays, until the first expiration.
    fn drift(&self) -> f64 {
        let market = self.market;
        let rate = market.legs.first().map_or(0.0, |m| m.rate);
        let paid = market
            .carry
            .yield_until(market.at, self.end, rate, self.spot());
        rate - paid
    }

    /// So many deviations of the first expiration away.
    fn away(&self, k: f64) -> f64 {
        self.spot() * (k * self.market.horizon_vol * self.years.sqrt()).exp()
    }

    fn strikes(&self) -> Vec<f64> {
        let strikes = self.asked.structure.options();
        strikes.map(|(c, _)| c.strike.to_f64()).collect()
    }

    /// The ends of the price axis.
    fn span(&self) -> (f64, f64) {
        let away = |k: f64| self.away(k);
        span(&self.asked.span, self.spot(), &away, &self.strikes())
    }

    /// Points of the price axis. The corners lie on it, so that straight pieces are drawn straight.
    fn prices(&self, low: f64, high: f64) -> Vec<f64> {
        let mut prices = price_grid(low, high, POINTS);
        let inside = |k: &f64| (low..=high).contains(k);
        prices.extend(self.strikes().into_iter().filter(inside));
        prices.sort_by(f64::total_cmp);
        prices.dedup();
        prices
    }

    /// So many days from now, and a minute before the first expiration at the latest.
    fn after(&self, days: f64) -> Moment {
        let at = self
            .market
            .at
            .plus_millis((days.max(0.0) * 86_400_000.0) as i64);
        at.min(self.end.plus_millis(-60_000)).max(self.market.at)
    }

    fn profit(&self, at: Moment, prices: &[f64]) -> Result<Vec<f64>, quant::Error> {
        let values = self.judged.values(at, prices)?;
        Ok(values.into_iter().map(|v| v + self.paid).collect())
    }

    fn at_end(&self, prices: &[f64]) -> Vec<f64> {
        prices.iter().map(|s| self.horizon.profit_at(*s)).collect()
    }

    fn line(&self, days: f64, prices: &[f64]) -> Result<DateLine, quant::Error> {
        let at = self.after(days);
        let profit = self.profit(at, prices)?;
        Ok(DateLine {
            at,
            evens: evens(prices, &profit, |fine| self.profit(at, fine))?,
            profit,
        })
    }

    /// Profit over prices at each of these days, the first expiration last.
    fn over(&self, days: &[f64], prices: &[f64]) -> Result<Vec<Vec<f64>>, quant::Error> {
        let mut over = days
            .par_iter()
            .map(|d| self.profit(self.after(*d), prices))
            .collect::<Result<Vec<_>, _>>()?;
        over.push(self.at_end(prices));
        Ok(over)
    }

    fn map(&self, low: f64, high: f64) -> Result<Map, quant::Error> {
        let days = price_grid(0.0, self.years * 365.0, MAP.0);
        let prices = price_grid(low, high, MAP.1);
        let profit = self.over(&days[..MAP.0 - 1], &prices)?;
        Ok(Map {
            days,
            prices,
            profit,
        })
    }

    /// Prices that matter between two, each with all that it is.
    fn mattering(&self, (low, high): (f64, f64)) -> Vec<(f64, Vec<GridPrice>)> {
        let (spot, tick) = (self.spot(), self.market.underlying.own_tick.to_f64());
        let evens = self.horizon.shape.evens.iter().flat_map(|e| match e {
            Even::Point(p) => vec![p.to_f64()],
            Even::Range(from, to) => std::iter::once(*from)
                .chain(*to)
                .map(Price::to_f64)
                .collect(),
        });
        let mut found: Vec<(f64, GridPrice)> = vec![(spot, GridPrice::Now)];
        found.extend(evens.map(|p| (p, GridPrice::BreakEven)));
        found.extend(self.strikes().into_iter().map(|k| (k, GridPrice::Strike)));
        found.extend([-2, -1, 1, 2].map(|k| (self.away(f64::from(k)), GridPrice::Deviation(k))));
        found.retain(|(p, _)| *p > 0.0 && (low..=high).contains(p));
        let step = round_step((high - low) / ROUND);
        let first = (low / step).ceil() as i64;
        let last = (high / step).floor() as i64;
        for n in first..=last {
            let round = n as f64 * step;
            let near = |(p, _): &(f64, GridPrice)| (p - round).abs() < 0.6 * step;
            if round > 0.0 && !found.iter().any(near) {
                found.push((round, GridPrice::Round));
            }
        }
        found.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut rows: Vec<(f64, Vec<GridPrice>)> = Vec::new();
        for (price, name) in found {
            match rows.last_mut() {
                // The same price to the tick is one row.
                Some((at, names)) if (price - *at).abs() < tick.max(1e-9) => {
                    if !names.contains(&name) {
                        names.push(name);
                    }
                }
                _ => rows.push((price, vec![name])),
            }
        }
        rows
    }

    fn grid(&self, steps: &Steps, days: &[f64], span: (f64, f64)) -> Result<Grid, quant::Error> {
        let mut rows = match steps {
            Steps::Matter => self.mattering(span),
            Steps::These(prices) => {
                let chosen = |p: &f64| (*p, vec![GridPrice::Chosen]);
                prices.iter().map(chosen).collect()
            }
        };
        rows.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (prices, names): (Vec<f64>, Vec<_>) = rows.into_iter().unzip();
        Ok(Grid {
            profit: self.over(days, &prices)?,
            dates: days.iter().map(|d| self.after(*d)).collect(),
            prices,
            names,
        })
    }

    fn greeks(
        &self,
        along: &Along,
        days: &[f64],
        (low, high): (f64, f64),
    ) -> Result<GreekCurves, quant::Error> {
        let sum = |each: &Vec<PositionGreeks>| {
            each.iter()
                .fold(PositionGreeks::default(), |sum, g| sum.plus(*g))
        };
        let (along, dates, each) = match along {
            Along::Price => {
                let prices = price_grid(low, high, GREEK_POINTS);
                let dates: Vec<Moment> = days.iter().map(|d| self.after(*d)).collect();
                let each = dates
                    .par_iter()
                    .map(|at| self.judged.greeks(*at, &prices))
                    .collect::<Result<Vec<_>, _>>()?;
                (prices, dates, each)
            }
            Along::Time(price) => {
                let days = price_grid(0.0, self.years * 365.0, GREEK_POINTS);
                let one = |d: &f64| {
                    let at = self.after(*d);
                    self.judged.greeks(at, &[*price]).map(|mut g| g.remove(0))
                };
                let each = days.par_iter().map(one).collect::<Result<Vec<_>, _>>()?;
                (days, vec![self.market.at], vec![each])
            }
        };
        let of_leg = |i: usize| {
            each.first()
                .map_or_else(Vec::new, |line| line.iter().map(|point| point[i]).collect())
        };
        let legs = (0..self.asked.structure.legs().len()).map(of_leg).collect();
        Ok(GreekCurves {
            along,
            dates,
            net: each
                .iter()
                .map(|line| line.iter().map(sum).collect())
                .collect(),
            legs,
        })
    }

    /// Chances at the first of the lines and at the first expiration.
    fn chances(
        &self,
        asked: &ChancesAsked,
        lines: &[DateLine],
        prices: &[f64],
    ) -> Result<Chances, quant::Error> {
        let law = chances::Price {
            spot: self.spot(),
            drift: self.drift(),
            vol: self.market.horizon_vol,
            years: self.years,
            law: &asked.law,
        };
        let between = asked.between.unwrap_or((self.away(-1.0), self.away(1.0)));
        // Far enough that nothing beyond counts.
        let wide: Vec<f64> = price_grid(-6.0, 6.0, 2 * POINTS)
            .into_iter()
            .map(|k| self.away(k))
            .collect();
        let at = lines.first().map_or(self.market.at, |l| l.at);
        let now = law.at(
            at,
            self.market.at.years_until(at),
            between,
            (&chances::pieces(&wide, &self.profit(at, &wide)?), None),
            prices,
        )?;
        let outline = &self.horizon.outline;
        let then = law.at(
            self.end,
            self.years,
            between,
            (&outline.pieces(), Some(&outline.gains[..])),
            prices,
        )?;
        let (reached, stopped) = law.aims(&self.judged, self.end, self.paid, asked)?;
        Ok(Chances {
            between,
            dates: vec![now, then],
            reached,
            stopped,
        })
    }
}

fn span(asked: &Span, spot: f64, away: &impl Fn(f64) -> f64, strikes: &[f64]) -> (f64, f64) {
    match asked {
        Span::Usual => {
            let reach = |side: f64, most: fn(f64, f64) -> f64| {
                strikes.iter().fold(away(side * 2.5), |far, k| {
                    most(far, *k * (1.0 + side * 0.02))
                })
            };
            (reach(-1.0, f64::min), reach(1.0, f64::max))
        }
        Span::Deviations(k) => (away(-k), away(*k)),
        Span::Percent(by) => (
            (spot * (1.0 - by / 100.0)).max(0.0),
            spot * (1.0 + by / 100.0),
        ),
        Span::Between(low, high) => (*low, *high),
    }
}

/// Where a curve crosses zero: straight between points that are a sixteenth of the drawn ones
/// apart.
fn evens(
    prices: &[f64],
    values: &[f64],
    at: impl Fn(&[f64]) -> Result<Vec<f64>, quant::Error>,
) -> Result<Vec<f64>, quant::Error> {
    let crossed = |v: &[f64]| {
        (0..v.len().saturating_sub(1))
            .filter(|i| (v[*i] > 0.0) != (v[*i + 1] > 0.0))
            .collect::<Vec<_>>()
    };
    let mut out = Vec::new();
    for i in crossed(values) {
        let fine = price_grid(prices[i], prices[i + 1], 17);
        let fine_values = at(&fine)?;
        for j in crossed(&fine_values) {
            let (a, b) = (fine_values[j], fine_values[j + 1]);
            out.push(fine[j] + (fine[j + 1] - fine[j]) * a / (a - b));
        }
    }
    Ok(out)
}

/// The next larger of 1, 2 and 5 times a power of ten.
fn round_step(at_least: f64) -> f64 {
    let whole = 10f64.powf(at_least.log10().floor());
    [1.0, 2.0, 5.0, 10.0]
        .map(|m| m * whole)
        .into_iter()
        .find(|s| *s >= at_least)
        .unwrap_or(10.0 * whole)
}
