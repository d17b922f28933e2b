//! The outline as it is told: exact money and prices.
//!
//! [`Shape::of`] is the outline of a holding whose options end at one moment; what outlives the
//! first expiration is told through [`crate::Horizon`]. Both come from `outline`; here its numbers
//! become money (to the nearest 1e-4, which is exact for sums of prices on ticks) and prices (to
//! the nearest 1e-8; of an estimate, to the step of the underlying).

use quant::Outcome;

use crate::holding::Holding;
use crate::number::{Money, Price};
use crate::outline::{Extreme, Outline, Profile};
use crate::underlying::Underlying;

/// A corner of the outline.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Kink {
    /// Price of the underlying.
    pub price: Price,
    /// The profit at that price, exact to the cent.
    pub profit: Money,
    /// Profit per 1.00 of price from here up to the next kink.
    pub slope: f64,
}

/// Where the profit is exactly zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Even {
    /// A single price.
    Point(Price),
    /// A flat stretch; without an upper end it goes on for ever.
    Range(Price, Option<Price>),
}

/// The best or the worst that can happen.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Extent {
    /// This amount, at these prices.
    Limited {
        /// The profit there, below zero where it is a loss.
        profit: Money,
        /// Stretches where it holds, ascending: from one price to another (the same for a point; no
        /// upper end: and everywhere above).
        places: Vec<(Price, Option<Price>)>,
    },
    /// Grows without limit as the price rises.
    Unlimited,
}

impl Extent {
    /// The amount, where there is a limit.
    pub fn limited(&self) -> Option<Money> {
        match self {
            Extent::Limited { profit, .. } => Some(*profit),
            Extent::Unlimited => None,
        }
    }
}

/// The outline, exactly.
#[derive(Debug, Clone, PartialEq)]
pub struct Shape {
    /// Corners, ascending; the first is at zero.
    pub kinks: Vec<Kink>,
    /// The prices at which nothing is made or lost, the lowest first.
    pub evens: Vec<Even>,
    /// Most to make.
    pub most: Extent,
    /// Most to lose (its profit is negative, or the smallest gain).
    pub least: Extent,
}

/// What came in for a holding, in all: paid, below zero. A future counts as if it had been paid in full,
/// so that one that is held is worth its price less what it counts from wherever an outline is drawn.
///
/// It is made where it is known what was paid for what: by the standing of a campaign, by the price of a
/// package that was not traded yet, by the books of a drill.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Received(Money);

impl Received {
    /// Of a whole whose futures are counted as if they had been paid in full.
    pub fn counted(money: Money) -> Received {
        Received(money)
    }

    /// Of so much at a net price per package, which counts a future at its price.
    pub fn at_price(holding: &Holding, underlying: &Underlying, price: Price) -> Received {
        Received(-price.times(holding.packages() * underlying.price_units(holding)))
    }

    /// Of legs at a price each, in their order.
    pub fn at_prices(holding: &Holding, underlying: &Underlying, prices: &[Price]) -> Received {
        let each = underlying.weights(holding).into_iter().zip(prices);
        Received(-each.map(|(units, price)| price.times(units)).sum::<Money>())
    }

    /// With what comes in beside it; what is paid counts below zero.
    pub fn and(self, more: Received) -> Received {
        Received(self.0 + more.0)
    }

    /// With fees taken off.
    pub fn less(self, fees: Money) -> Received {
        Received(self.0 - fees)
    }

    /// The amount as money, exact to the cent.
    pub fn money(self) -> Money {
        self.0
    }
}

/// What a holding pays where all its options end at one moment, with so much received (paid below
/// zero) for it.
pub fn profile(holding: &Holding, underlying: &Underlying, received: f64) -> Profile {
    let units = |quantity: i64| (quantity * underlying.multiplier) as f64;
    let held = holding.underlying_quantity() * underlying.multiplier / underlying.lot();
    Profile {
        cash: received,
        ending: holding
            .options()
            .map(|(c, n)| (c.kind, c.strike.to_f64(), units(n)))
            .collect(),
        underlying: held as f64,
    }
}

impl Shape {
    /// The outline of a holding (options of one expiration, the underlying beside them) when
    /// `received` came in for it in all, what was realised before included.
    pub fn of(holding: &Holding, underlying: &Underlying, received: Received) -> Shape {
        let outline = profile(holding, underlying, received.0.to_f64()).exact();
        Shape::exact(&outline, underlying.own_tick)
    }

    /// An outline in exact numbers; prices of an estimate are rounded to `tick`.
    pub fn exact(outline: &Outline, tick: Price) -> Shape {
        let exact = outline.is_exact;
        let price = |p: f64| {
            let step = if exact { 1.0 } else { tick.raw().max(1) as f64 };
            let steps = (p * Price::SCALE as f64 / step).round() * step;
            Price::from_raw(steps.clamp(0.0, 9e18) as i64)
        };
        let money = |v: f64| {
            if exact {
                Money::nearest(v)
            } else {
                Money::from_model(v)
            }
        };
        let stretch = |(from, to): &(f64, Option<f64>)| (price(*from), to.map(price));
        let extent = |e: &Extreme| match e {
            Extreme::Unlimited => Extent::Unlimited,
            Extreme::At { profit, places } => Extent::Limited {
                profit: money(*profit),
                places: places.iter().map(stretch).collect(),
            },
        };
        let points = outline.break_evens.iter().map(|p| Even::Point(price(*p)));
        let ranges = outline.zero_ranges.iter().map(|r| {
            let (from, to) = stretch(r);
            Even::Range(from, to)
        });
        let mut evens: Vec<Even> = points.chain(ranges).collect();
        evens.sort_by_key(|e| match e {
            Even::Point(p) | Even::Range(p, _) => *p,
        });
        Shape {
            kinks: outline
                .corners
                .iter()
                .map(|c| Kink {
                    price: price(c.price),
                    profit: money(c.profit),
                    slope: c.slope,
                })
                .collect(),
            evens,
            most: extent(&outline.most),
            least: extent(&outline.least),
        }
    }

    /// Profit at one price, in the model world; used for drawing only.
    pub fn profit_at(&self, price: f64) -> f64 {
        let kink = self
            .kinks
            .iter()
            .rev()
            .find(|k| k.price.to_f64() <= price)
            .unwrap_or(&self.kinks[0]);
        kink.profit.to_f64() + kink.slope * (price - kink.price.to_f64())
    }

    /// The same outline as straight pieces, for chances.
    pub fn outcomes(&self) -> Vec<Outcome> {
        (0..self.kinks.len())
            .map(|i| Outcome {
                from: self.kinks[i].price.to_f64(),
                to: self
                    .kinks
                    .get(i + 1)
                    .map_or(f64::INFINITY, |k| k.price.to_f64()),
                value: self.kinks[i].profit.to_f64(),
                slope: self.kinks[i].slope,
            })
            .collect()
    }
}
