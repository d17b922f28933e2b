//! What a structure makes at its first expiration: exactly when all legs end there, by model value
//! of the later legs otherwise (an estimate, and called one).

use jiff::civil::Date;
use quant::{Outcome, find_root};

use crate::evaluate::{MarketView, first_expiry};
use crate::number::Money;
use crate::shape::{Even, Extent, Kink, Shape};
use crate::structure::Structure;
use crate::time::Moment;
use crate::valuation::shown;

/// The first expiration of a structure.
#[derive(Debug, Clone)]
pub struct Horizon {
    /// Its instant.
    pub moment: Moment,
    /// Its date.
    pub date: Date,
    /// Whole calendar days from now.
    pub days: i64,
    /// Later legs were valued by a model at today's volatility: amounts are estimates.
    pub estimate: bool,
    /// Outline, most, least and break-evens.
    pub shape: Shape,
}

impl Horizon {
    /// Profit at one price.
    pub fn profit_at(&self, price: f64) -> f64 {
        if !self.estimate {
            return self.shape.profit_at(price);
        }
        // Between the many corners of an estimate the outline is straight.
        let kinks = &self.shape.kinks;
        let after = kinks
            .partition_point(|k| k.price.to_f64() <= price)
            .clamp(1, kinks.len() - 1);
        let (a, b) = (kinks[after - 1], kinks[after]);
        let share =
            ((price - a.price.to_f64()) / (b.price.to_f64() - a.price.to_f64())).clamp(0.0, 1.0);
        let beyond = if after == kinks.len() - 1 && share >= 1.0 {
            b.slope as f64 * (price - b.price.to_f64())
        } else {
            0.0
        };
        a.profit.to_f64() + share * (b.profit.to_f64() - a.profit.to_f64()) + beyond
    }

    /// The outline as straight pieces.
    pub fn outcomes(&self) -> Vec<Outcome> {
        if !self.estimate {
            return self.shape.outcomes();
        }
        let kinks = &self.shape.kinks;
        (0..kinks.len())
            .map(|i| {
                let (from, value) = (kinks[i].price.to_f64(), kinks[i].profit.to_f64());
                let Some(next) = kinks.get(i + 1) else {
                    return Outcome {
                        from,
                        to: f64::INFINITY,
                        value,
                        slope: kinks[i].slope as f64,
                    };
                };
                let to = next.price.to_f64();
                Outcome {
                    from,
                    to,
                    value,
                    slope: (next.profit.to_f64() - value) / (to - from),
                }
            })
            .collect()
    }
}

/// Corners of an estimated outline.
const ESTIMATE_POINTS: usize = 401;

/// Worth of the legs in money at a moment, at each of many prices.
pub(crate) type Values<'a> = dyn Fn(Moment, &[f64]) -> Result<Vec<f64>, quant::Error> + 'a;

pub(crate) struct Horizons<'a> {
    pub structure: &'a Structure,
    pub market: &'a MarketView<'a>,
}

impl Horizons<'_> {
    /// `values` gives what the legs are worth in money at a moment, at each of many prices; it is
    /// asked only where a leg outlives the first expiration.
    pub(crate) fn at_first_expiration(
        &self,
        cash: Money,
        values: &Values<'_>,
    ) -> Result<Horizon, quant::Error> {
        let (structure, market) = (self.structure, self.market);
        let moment = first_expiry(structure, market);
        let estimate = !structure.is_one_expiration();
        let shape = if estimate {
            self.estimated(cash, moment, values)?
        } else {
            Shape::of(structure, market.underlying, cash)
        };
        Ok(Horizon {
            moment,
            date: moment.date(),
            days: market.at.days_until(moment.date()),
            estimate,
            shape,
        })
    }

    /// Scans ±6 deviations and zero; break-evens by root finding between corners.
    fn estimated(
        &self,
        cash: Money,
        moment: Moment,
        worth: &Values<'_>,
    ) -> Result<Shape, quant::Error> {
        let market = self.market;
        let paid = cash.to_f64();
        let profit = |s: f64| worth(moment, &[s]).map_or(f64::NAN, |v| v[0] + paid);
        let spot = market.spot.to_f64();
        let reach =
            (6.0 * market.horizon_vol * market.at.years_until(moment).sqrt()).clamp(0.1, 2.5);
        let mut prices: Vec<f64> = (0..ESTIMATE_POINTS)
            .map(|i| spot * (reach * (2.0 * i as f64 / (ESTIMATE_POINTS - 1) as f64 - 1.0)).exp())
            .chain(self.structure.options().map(|(c, _)| c.strike.to_f64()))
            .chain([0.0])
            .collect();
        prices.sort_by(f64::total_cmp);
        prices.dedup();
        let upper = self.structure.upper_slope(market.underlying);
        let values: Vec<f64> = worth(moment, &prices)?
            .into_iter()
            .map(|v| v + paid)
            .collect();
        let last = prices.len() - 1;
        let kinks: Vec<Kink> = prices
            .iter()
            .zip(&values)
            .enumerate()
            .map(|(i, (&p, &v))| Kink {
                price: shown(p),
                profit: Money::from_model(v),
                slope: if i == last { upper } else { 0 },
            })
            .collect();
        let evens = (0..last)
            .filter(|&i| (values[i] > 0.0) != (values[i + 1] > 0.0))
            .filter_map(|i| find_root(profit, prices[i], prices[i + 1], 1e-6).ok())
            .map(|root| Even::Point(shown((root.x * 1e4).round() / 1e4)))
            .collect();
        let extreme = |sign: f64| {
            if upper as f64 * sign > 0.0 {
                return Extent::Unlimited;
            }
            let best = (0..=last)
                .max_by(|&a, &b| (values[a] * sign).total_cmp(&(values[b] * sign)))
                .unwrap_or(0);
            let price = shown((prices[best] * 100.0).round() / 100.0);
            Extent::Limited {
                profit: Money::from_model(values[best]),
                places: vec![(price, (best != last).then_some(price))],
            }
        };
        Ok(Shape {
            kinks,
            evens,
            most: extreme(1.0),
            least: extreme(-1.0),
        })
    }
}
