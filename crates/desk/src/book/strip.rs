//! The range strip: a campaign on one line of prices, and how far the price is from its edges.

use crate::holding::Holding;
use crate::number::Price;
use crate::shape::{Even, Shape};

/// A stretch of the range strip.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Zone {
    /// The lowest price of the zone, per unit of the underlying.
    pub from: f64,
    /// The highest price of the zone, per unit of the underlying.
    pub to: f64,
    /// It makes money there at expiration.
    pub gain: bool,
}

/// The range strip: a holding on one line of prices.
#[derive(Debug, Clone, PartialEq)]
pub struct Strip {
    /// The price at the left end of the strip.
    pub low: f64,
    /// The price at the right end of the strip.
    pub high: f64,
    /// Zones from left to right, without gaps.
    pub zones: Vec<Zone>,
    /// The price of the underlying now.
    pub spot: f64,
    /// Strikes of which more is sold than bought.
    pub shorts: Vec<f64>,
    /// Where the trader's rules about the price ring.
    pub rings: Vec<f64>,
}

/// Where an outline ends in profit and where not, from a price of zero on and without gaps; the last
/// zone has no upper end.
pub fn zones_of(shape: &Shape) -> Vec<Zone> {
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
    cuts.retain(|p| *p > 0.0);
    let mut from = 0.0;
    let mut zones = Vec::with_capacity(cuts.len() + 1);
    for to in cuts.into_iter().chain([f64::INFINITY]) {
        let inside = if to.is_finite() {
            f64::midpoint(from, to)
        } else {
            2.0 * from + 1.0
        };
        zones.push(Zone {
            from,
            to,
            gain: shape.profit_at(inside) > 0.0,
        });
        from = to;
    }
    zones
}

/// Sold strikes of a holding.
fn sold(holding: &Holding) -> impl Iterator<Item = f64> {
    let sold = holding.options().filter(|(_, n)| *n < 0);
    sold.map(|(c, _)| c.strike.to_f64())
}

/// How many deviations the price is from the nearest sold strike or edge between profit and loss;
/// nothing where there is none, or no deviation. `deviation` is that of the logarithm of the price.
pub fn deviations_to_nearest(
    holding: &Holding,
    shape: &Shape,
    spot: f64,
    deviation: f64,
) -> Option<f64> {
    if !(deviation > 0.0 && spot > 0.0) {
        return None;
    }
    let zones = zones_of(shape);
    let edges = zones.iter().skip(1).map(|z| z.from);
    sold(holding)
        .chain(edges)
        .map(|p| ((p / spot).ln() / deviation).abs())
        .min_by(f64::total_cmp)
}

impl Strip {
    /// A strip from `low` to `high`, each price at the place that it is given.
    fn drawn(
        (holding, shape, rings): (&Holding, &Shape, &[f64]),
        (low, high, spot): (f64, f64, f64),
        place: impl Fn(f64) -> f64,
    ) -> Strip {
        let at = |p: f64| place(p).clamp(low, high);
        let zones = zones_of(shape).into_iter().map(|z| Zone {
            from: at(z.from),
            to: at(z.to),
            gain: z.gain,
        });
        Strip {
            low,
            high,
            zones: zones.filter(|z| z.to > z.from).collect(),
            spot,
            shorts: sold(holding).map(at).collect(),
            // What rings beyond the strip is not on it.
            rings: rings
                .iter()
                .map(|p| place(*p))
                .filter(|p| (low..=high).contains(p))
                .collect(),
        }
    }

    /// The strip of a holding with its outline. Strikes, the price and the break-evens are on it,
    /// but for those that lie beyond half and twice the price.
    pub fn of(holding: &Holding, shape: &Shape, rings: &[f64], spot: f64) -> Strip {
        let near = |p: &f64| *p > 0.5 * spot && *p < 2.0 * spot;
        let edges = zones_of(shape).into_iter().skip(1).map(|z| z.from);
        let strikes = holding.options().map(|(c, _)| c.strike.to_f64());
        let (a, b) = strikes
            .chain(edges.filter(near))
            .fold((spot, spot), |(a, b), k| (a.min(k), b.max(k)));
        let margin = ((b - a) * 0.25).max(spot * 0.04);
        let (low, high) = ((a - margin).max(0.0), b + margin);
        Strip::drawn((holding, shape, rings), (low, high, spot), |p| p)
    }

    /// The same in deviations of the price by a date, from `−reach` to `reach` with the price at 0,
    /// so that strips of any underlying and date are compared by eye. `deviation` is that of the
    /// logarithm of the price; nothing where it is not above zero. What lies farther stands at the
    /// edge.
    pub fn in_deviations(
        (holding, shape, rings): (&Holding, &Shape, &[f64]),
        spot: f64,
        deviation: f64,
        reach: f64,
    ) -> Option<Strip> {
        let place = |p: f64| (p / spot).ln() / deviation;
        (deviation > 0.0 && spot > 0.0)
            .then(|| Strip::drawn((holding, shape, rings), (-reach, reach, 0.0), place))
    }
}

/// Prices −2, −1, 1 and 2 deviations from a price; `deviation` is that of its logarithm.
pub fn bands(price: f64, deviation: f64) -> [f64; 4] {
    [-2.0, -1.0, 1.0, 2.0].map(|k: f64| price * (k * deviation).exp())
}
