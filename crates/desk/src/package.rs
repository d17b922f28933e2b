//! Quotes of single contracts and of packages, and how a package price spreads over its legs.
//!
//! The price is per unit of an option: shares in a package count by how many of them one option
//! stands for.
//!
//! Sign convention everywhere: a package is *bought*; its price is above zero when the buyer pays
//! (debit) and below zero when the buyer receives (credit). Only labels and forms show magnitudes.

use crate::number::Price;
use crate::structure::{Structure, gcd};
use crate::underlying::Underlying;

/// The market in one contract.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Quote {
    /// Best price to sell at; zero means that nobody bids.
    pub bid: Price,
    /// Best price to buy at.
    pub ask: Price,
    /// Contracts bid for.
    pub bid_size: i64,
    /// Contracts offered.
    pub ask_size: i64,
    /// Contracts traded today.
    pub volume: i64,
    /// Contracts open.
    pub open_interest: i64,
}

impl Quote {
    /// Middle of bid and ask.
    pub fn mid(&self) -> Price {
        (self.bid + self.ask).half()
    }

    /// The price a position is carried at: the middle; without a bid, half the ask (common
    /// practice), which is the same number.
    pub fn mark(&self) -> Price {
        self.mid()
    }
}

/// The market in one package, seen by its buyer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PackageQuote {
    /// Join one's own side: the best price that waits.
    pub rest: Price,
    /// The middle, on the tick (rounded in the buyer's favour).
    pub middle: Price,
    /// Take the other side: trades now.
    pub cross: Price,
    /// Tick of the net price.
    pub tick: Price,
    /// Packages available at the cross.
    pub size: i64,
}

/// How much of the summed width of its legs a package keeps: market makers hedge a package as a
/// whole (common practice; the exchange of this market quotes by the same rule).
const PACKAGE_WIDTH_PERCENT: i64 = 60;

/// Quotes the unit package. `quotes` gives each leg's market, in the order of the legs.
pub fn package_quote(unit: &Structure, quotes: &[Quote], underlying: &Underlying) -> PackageQuote {
    let legs = unit.legs();
    let ticks = underlying.ticks_of(unit);
    let (weights, whole) = (weights(unit, underlying), underlying.price_units(unit));
    let side = |bought: fn(&Quote) -> Price, sold: fn(&Quote) -> Price| {
        Price::weighed(
            weights
                .iter()
                .zip(quotes)
                .map(|(w, q)| (if *w > 0 { bought(q) } else { sold(q) }, *w)),
            whole,
        )
    };
    let (sum_rest, sum_cross) = (side(|q| q.bid, |q| q.ask), side(|q| q.ask, |q| q.bid));
    let middle = (sum_rest + sum_cross).half();
    let percent = if legs.len() == 1 {
        100
    } else {
        PACKAGE_WIDTH_PERCENT
    };
    let half_width = Price::from_raw((sum_cross - sum_rest).raw() * percent / 200);
    let (rest, cross) = (
        ticks.floor(middle - half_width).max(sum_rest),
        ticks.ceil(middle + half_width).min(sum_cross),
    );
    let (rest, mut cross) = (ticks.floor(rest), ticks.ceil(cross));
    let tick = ticks.tick_at(middle);
    if cross <= rest {
        cross = ticks.ceil(rest + tick);
    }
    let each = legs.iter().zip(quotes).map(|(l, q)| {
        if l.quantity > 0 {
            q.ask_size / l.quantity
        } else {
            q.bid_size / -l.quantity
        }
    });
    PackageQuote {
        rest,
        middle: ticks.floor(middle),
        cross,
        tick,
        size: each.min().unwrap_or(0).max(1),
    }
}

/// Money per 1.00 of each leg's price.
pub(crate) fn weights(unit: &Structure, underlying: &Underlying) -> Vec<i64> {
    unit.legs()
        .iter()
        .map(|l| l.quantity * underlying.units(&l.instrument))
        .collect()
}

/// Prices of the legs that sum exactly to `net`: the mids, with the residue put where it fits.
///
/// Leg prices may lie off the tick inside a package. Net prices are multiples of 1e-4, so a
/// whole-number solution exists at the 1e-8 of a price.
pub fn leg_prices(
    unit: &Structure,
    mids: &[Price],
    net: Price,
    underlying: &Underlying,
) -> Vec<Price> {
    let weights = weights(unit, underlying);
    let common = weights.iter().fold(0, |g, w| gcd(g, w.abs())).max(1);
    let worth: i128 = weights
        .iter()
        .zip(mids)
        .map(|(w, m)| i128::from(m.raw()) * i128::from(*w))
        .sum();
    let residue = (i128::from(net.raw()) * i128::from(underlying.price_units(unit)) - worth)
        / i128::from(common);
    let steps = spread(
        &weights.iter().map(|w| w / common).collect::<Vec<_>>(),
        i64::try_from(residue).unwrap_or(0),
    );
    mids.iter()
        .zip(steps)
        .map(|(m, step)| *m + Price::from_raw(step))
        .collect()
}

/// Whole steps with Σ weight·step = residue, for weights without a common divisor: the lightest
/// takes what as few single steps of the others as can be leave divisible.
fn spread(weights: &[i64], residue: i64) -> Vec<i64> {
    let mut steps = vec![0; weights.len()];
    let Some(main) = (0..weights.len()).min_by_key(|&i| weights[i].abs()) else {
        return steps;
    };
    let modulus = weights[main].abs();
    let wanted = residue.rem_euclid(modulus);
    // How each remainder is reached from zero first: by one more step of which leg.
    let mut by: Vec<Option<usize>> = vec![None; modulus as usize];
    let mut reached = vec![0];
    let mut next = 0;
    while next < reached.len() && by[wanted as usize].is_none() && wanted != 0 {
        for i in (0..weights.len()).filter(|i| *i != main) {
            let to = (reached[next] + weights[i]).rem_euclid(modulus);
            if to != 0 && by[to as usize].is_none() {
                by[to as usize] = Some(i);
                reached.push(to);
            }
        }
        next += 1;
    }
    let (mut at, mut left) = (wanted, residue);
    while let Some(i) = by[at as usize] {
        steps[i] += 1;
        left -= weights[i];
        at = (at - weights[i]).rem_euclid(modulus);
    }
    steps[main] = left / weights[main];
    steps
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_residue_is_spread_to_the_last_digit(
            weights in prop::collection::vec((1_i64..400, any::<bool>()), 1..6),
            residue in -1_000_000_000_i64..1_000_000_000,
        ) {
            let weights: Vec<i64> = weights
                .into_iter()
                .map(|(w, sold)| if sold { -w } else { w })
                .collect();
            let common = weights.iter().fold(0, |g, w| gcd(g, w.abs()));
            let weights: Vec<i64> = weights.iter().map(|w| w / common).collect();
            let steps = spread(&weights, residue);
            prop_assert_eq!(
                weights.iter().zip(&steps).map(|(w, s)| w * s).sum::<i64>(),
                residue
            );
        }
    }
}
