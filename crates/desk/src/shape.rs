//! What a structure of one expiration makes and loses at that expiration, exactly.
//!
//! Π(S) = net + h·S + Σ nᵢ·m·(cpᵢ(S − Kᵢ))⁺ with h units of the underlying held, a piecewise-linear
//! function with kinks at zero and at the strikes. Everything here is integer arithmetic: slopes
//! are whole units, values are exact to 1e-8, and only a break-even between two grid points of 1e-8
//! is rounded (to the nearest). A stretch where the profit is exactly zero is a range, not a point,
//! and a kink at zero is finite: a sold put loses at most its strike.

use quant::{Kind, Outcome};

use crate::contract::Contract;
use crate::number::{Money, Price};
use crate::structure::Structure;
use crate::underlying::Underlying;

/// A corner of the outline.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Kink {
    /// Price of the underlying.
    pub price: Price,
    /// Profit there.
    pub profit: Money,
    /// Profit per 1.00 of price from here up to the next kink.
    pub slope: i64,
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
        /// Signed profit.
        profit: Money,
        /// Stretches where it holds, ascending: from one price to another (the same for a point; no
        /// upper end: and everywhere above).
        places: Vec<(Price, Option<Price>)>,
    },
    /// Grows without limit as the price rises.
    Unlimited,
}

/// The outline, exactly.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shape {
    /// Corners, ascending; the first is at zero.
    pub kinks: Vec<Kink>,
    /// Break-evens, ascending.
    pub evens: Vec<Even>,
    /// Most to make.
    pub most: Extent,
    /// Most to lose (its profit is negative, or the smallest gain).
    pub least: Extent,
}

impl Shape {
    /// The outline of `structure` (options of one expiration, the underlying beside them) when
    /// `net` was received (or paid, below zero) for it.
    pub fn of(structure: &Structure, underlying: &Underlying, net: Money) -> Shape {
        let multiplier = underlying.multiplier;
        let options: Vec<(&Contract, i64)> = structure.options().collect();
        let held = structure.underlying_quantity() * multiplier / underlying.lot();
        let mut prices = vec![Price::ZERO];
        prices.extend(options.iter().map(|(c, _)| c.strike));
        prices.sort_unstable();
        prices.dedup();
        let value = |s: Price| -> i128 {
            let payoff: i128 = options
                .iter()
                .map(|(c, n)| {
                    let distance = match c.kind {
                        Kind::Call => s - c.strike,
                        Kind::Put => c.strike - s,
                    };
                    i128::from(distance.raw().max(0)) * i128::from(n * multiplier)
                })
                .sum();
            payoff
                + i128::from(s.raw()) * i128::from(held)
                + i128::from(net.raw()) * i128::from(Price::SCALE / Money::SCALE)
        };
        let slope = |from: Price| -> i64 {
            let of_options = options.iter().map(|(c, n)| match c.kind {
                Kind::Call if c.strike <= from => n * multiplier,
                Kind::Put if c.strike > from => -n * multiplier,
                _ => 0,
            });
            held + of_options.sum::<i64>()
        };
        let exact: Vec<(Price, i128, i64)> = prices
            .into_iter()
            .map(|p| (p, value(p), slope(p)))
            .collect();
        let money = |v: i128| Price::from_raw(i64::try_from(v).unwrap_or(i64::MAX)).times(1);
        Shape {
            kinks: exact
                .iter()
                .map(|&(price, v, slope)| Kink {
                    price,
                    profit: money(v),
                    slope,
                })
                .collect(),
            evens: evens(&exact),
            most: extent(&exact, 1, money),
            least: extent(&exact, -1, money),
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
        kink.profit.to_f64() + kink.slope as f64 * (price - kink.price.to_f64())
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
                slope: self.kinks[i].slope as f64,
            })
            .collect()
    }
}

fn evens(exact: &[(Price, i128, i64)]) -> Vec<Even> {
    let mut found: Vec<(Price, Option<Price>)> = Vec::new();
    for (i, &(at, value, slope)) in exact.iter().enumerate() {
        let next = exact.get(i + 1).map(|k| k.0);
        if value == 0 && slope == 0 {
            found.push((at, next));
            continue;
        }
        if value == 0 {
            found.push((at, Some(at)));
        }
        if slope != 0 {
            let crossing = nearest(
                i128::from(at.raw()) * i128::from(slope) - value,
                i128::from(slope),
            );
            let price = Price::from_raw(i64::try_from(crossing).unwrap_or(-1));
            if price > at && next.is_none_or(|n| price < n) {
                found.push((price, Some(price)));
            }
        }
    }
    let mut merged: Vec<(Price, Option<Price>)> = Vec::new();
    for (from, to) in found {
        match merged.last_mut() {
            Some((_, end @ Some(_))) if *end >= Some(from) => {
                if to.is_none() || to > *end {
                    *end = to;
                }
            }
            Some((_, None)) => {}
            _ => merged.push((from, to)),
        }
    }
    merged
        .into_iter()
        .map(|(from, to)| {
            if to == Some(from) {
                Even::Point(from)
            } else {
                Even::Range(from, to)
            }
        })
        .collect()
}

/// Quotient rounded to the nearest integer.
fn nearest(numerator: i128, denominator: i128) -> i128 {
    let (n, d) = if denominator < 0 {
        (-numerator, -denominator)
    } else {
        (numerator, denominator)
    };
    (2 * n + d).div_euclid(2 * d)
}

fn extent(exact: &[(Price, i128, i64)], sign: i128, money: impl Fn(i128) -> Money) -> Extent {
    let last = exact[exact.len() - 1];
    if i128::from(last.2) * sign > 0 {
        return Extent::Unlimited;
    }
    let best = exact.iter().map(|k| k.1 * sign).max().unwrap_or(0);
    let mut places: Vec<(Price, Option<Price>)> = Vec::new();
    let mut joined = false;
    for (i, &(at, value, slope)) in exact.iter().enumerate() {
        if value * sign == best {
            // A flat stretch reaches to the next corner, which then belongs to it.
            let end = if slope == 0 {
                exact.get(i + 1).map(|k| k.0)
            } else {
                Some(at)
            };
            match places.last_mut().filter(|_| joined) {
                Some(open) => open.1 = end,
                None => places.push((at, end)),
            }
        }
        joined = value * sign == best && slope == 0;
    }
    Extent::Limited {
        profit: money(best * sign),
        places,
    }
}
