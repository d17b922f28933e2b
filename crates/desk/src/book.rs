//! The book: sums of Greeks in the terms of one index, and a campaign on one line of prices.

use crate::holding::Holding;
use crate::number::Price;
use crate::shape::{Even, Shape};
use crate::valuation::PositionGreeks;

/// Greeks of the whole book.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct BookGreeks {
    /// Delta in shares of the index: delta·beta·price/index, summed.
    pub lean: f64,
    /// Per day.
    pub theta: f64,
    /// Per volatility point; points of different underlyings are added as they are.
    pub vega: f64,
}

impl BookGreeks {
    /// Adds Greeks in one underlying at its price, which moves `beta` times as much as the index.
    pub fn add(&mut self, greeks: &PositionGreeks, beta: f64, spot: f64, index: f64) {
        self.lean += greeks.delta * beta * spot / index;
        self.theta += greeks.theta;
        self.vega += greeks.vega;
    }
}

/// A stretch of the range strip.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Zone {
    /// Lower end.
    pub from: f64,
    /// Upper end.
    pub to: f64,
    /// It makes money there at expiration.
    pub gain: bool,
}

/// The range strip: a holding on one line of prices.
#[derive(Debug, Clone, PartialEq)]
pub struct Strip {
    /// Left end.
    pub low: f64,
    /// Right end.
    pub high: f64,
    /// Zones from left to right, without gaps.
    pub zones: Vec<Zone>,
    /// Price now.
    pub spot: f64,
    /// Sold strikes.
    pub shorts: Vec<f64>,
}

impl Strip {
    /// The strip of a holding with its outline. Strikes, the price and the break-evens are on it,
    /// but for those that lie beyond half and twice the price.
    pub fn of(holding: &Holding, shape: &Shape, spot: f64) -> Strip {
        let mut cuts: Vec<f64> = Vec::new();
        for even in &shape.evens {
            match even {
                Even::Point(p) => cuts.push(p.to_f64()),
                Even::Range(from, to) => {
                    cuts.push(from.to_f64());
                    cuts.extend(to.map(Price::to_f64));
                }
            }
        }
        let near = |p: &f64| *p > 0.5 * spot && *p < 2.0 * spot;
        let strikes = holding.options().map(|(c, _)| c.strike.to_f64());
        let (a, b) = strikes
            .chain(cuts.iter().copied().filter(near))
            .fold((spot, spot), |(a, b), k| (a.min(k), b.max(k)));
        let margin = ((b - a) * 0.25).max(spot * 0.04);
        let (low, high) = ((a - margin).max(0.0), b + margin);
        cuts.retain(|p| *p > low && *p < high);
        cuts.push(high);
        let mut from = low;
        let mut zones = Vec::new();
        for to in cuts {
            zones.push(Zone {
                from,
                to,
                gain: shape.profit_at(f64::midpoint(from, to)) > 0.0,
            });
            from = to;
        }
        let sold = holding.options().filter(|(_, n)| *n < 0);
        Strip {
            low,
            high,
            zones,
            spot,
            shorts: sold.map(|(c, _)| c.strike.to_f64()).collect(),
        }
    }

    /// The same in deviations of the price by a date, from `−reach` to `reach` with the price at 0,
    /// so that strips of any underlying and date are compared by eye. `deviation` is that of the
    /// logarithm of the price; nothing where it is not above zero. What lies farther stands at the
    /// edge.
    pub fn in_deviations(&self, deviation: f64, reach: f64) -> Option<Strip> {
        if !(deviation > 0.0 && self.spot > 0.0) {
            return None;
        }
        let place = |p: f64| ((p / self.spot).ln() / deviation).clamp(-reach, reach);
        let last = self.zones.len().saturating_sub(1);
        let zones = self.zones.iter().enumerate().map(|(i, z)| Zone {
            from: if i == 0 { -reach } else { place(z.from) },
            to: if i == last { reach } else { place(z.to) },
            gain: z.gain,
        });
        Some(Strip {
            low: -reach,
            high: reach,
            zones: zones.filter(|z| z.to > z.from).collect(),
            spot: 0.0,
            shorts: self.shorts.iter().map(|k| place(*k)).collect(),
        })
    }

    /// How many deviations the price is from the nearest sold strike or edge between gain and loss;
    /// nothing where there is none, or no deviation.
    pub fn nearest(&self, deviation: f64) -> Option<f64> {
        let inner = self.zones.iter().skip(1).map(|z| z.from);
        let distance = |p: f64| ((p / self.spot).ln() / deviation).abs();
        (deviation > 0.0 && self.spot > 0.0)
            .then(|| self.shorts.iter().copied().chain(inner).map(distance))?
            .min_by(f64::total_cmp)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A short strangle of 90 and 110 at 100, with 88 and 112 as its break-evens, where one
    /// deviation of the logarithm is 0.1.
    fn strangle() -> Strip {
        let zone = |from: f64, to: f64, gain| Zone { from, to, gain };
        Strip {
            low: 80.0,
            high: 120.0,
            zones: vec![
                zone(80.0, 88.0, false),
                zone(88.0, 112.0, true),
                zone(112.0, 120.0, false),
            ],
            spot: 100.0,
            shorts: vec![90.0, 110.0],
        }
    }

    /// ln(1.10)/0.1 = 0.9531, ln(0.88)/0.1 = −1.2783 (worked by hand); the ends reach to the edge.
    #[test]
    fn a_strip_in_deviations() {
        let strip = strangle();
        let scaled = strip.in_deviations(0.1, 3.0).unwrap();
        assert_eq!((scaled.low, scaled.high, scaled.spot), (-3.0, 3.0, 0.0));
        assert_eq!((scaled.zones[0].from, scaled.zones[2].to), (-3.0, 3.0));
        assert!((scaled.zones[1].from + 1.278_334).abs() < 1e-6);
        assert!((scaled.shorts[1] - 0.953_102).abs() < 1e-6);
        assert!((strip.nearest(0.1).unwrap() - 0.953_102).abs() < 1e-6);
        // A hundredth of the deviation: all of it lies beyond the edge, and nothing is turned over.
        let near = strip.in_deviations(0.001, 3.0).unwrap();
        assert!(near.zones.len() == 1 && near.zones[0].gain);
        assert_eq!(near.shorts, [-3.0, 3.0]);
        assert!(strip.in_deviations(0.0, 3.0).is_none() && strip.nearest(0.0).is_none());
    }
}
