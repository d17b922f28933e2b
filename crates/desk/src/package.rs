//! Quotes of single contracts and of packages, and how a package price spreads over its legs.
//!
//! Sign convention everywhere: a package is *bought*; its price is above zero when the buyer pays
//! (debit) and below zero when the buyer receives (credit). Only labels and forms show magnitudes.

use crate::number::Price;
use crate::structure::{Leg, Structure};

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
pub fn package_quote(unit: &Structure, quotes: &[Quote], ticks: &crate::instrument::TickTable) -> PackageQuote {
    let legs = unit.legs();
    let pairs = || legs.iter().zip(quotes);
    let side = |bought: fn(&Quote) -> Price, sold: fn(&Quote) -> Price| -> Price {
        pairs().map(|(l, q)| if l.quantity > 0 { bought(q) } else { sold(q) } * l.quantity).sum()
    };
    let (sum_rest, sum_cross) = (side(|q| q.bid, |q| q.ask), side(|q| q.ask, |q| q.bid));
    let middle = (sum_rest + sum_cross).half();
    let percent = if legs.len() == 1 { 100 } else { PACKAGE_WIDTH_PERCENT };
    let half_width = Price::from_raw((sum_cross - sum_rest).raw() * percent / 200);
    let (rest, cross) = (ticks.floor(middle - half_width).max(sum_rest), ticks.ceil(middle + half_width).min(sum_cross));
    let (rest, mut cross) = (ticks.floor(rest), ticks.ceil(cross));
    let tick = ticks.tick_at(middle);
    if cross <= rest {
        cross = ticks.ceil(rest + tick);
    }
    let size = pairs().map(|(l, q)| if l.quantity > 0 { q.ask_size / l.quantity } else { q.bid_size / -l.quantity }).min().unwrap_or(0);
    PackageQuote { rest, middle: ticks.floor(middle), cross, tick, size: size.max(1) }
}

/// Prices of the legs that sum exactly to `net`: the mids, with the residue put where it fits.
///
/// Leg prices may lie off the tick inside a package. Every package has quantities with greatest
/// common divisor one, so a whole-number solution exists at the 1e-8 of a price.
pub fn leg_prices(unit: &Structure, mids: &[Price], net: Price) -> Vec<Price> {
    let legs = unit.legs();
    let residue = net - legs.iter().zip(mids).map(|(l, m)| *m * l.quantity).sum::<Price>();
    let mut prices = mids.to_vec();
    spread(legs, &mut prices, residue.raw());
    prices
}

/// Adds whole steps to prices so that Σ quantity·step = residue; the leg with the smallest ratio
/// takes what the others, moved by less than its ratio, leave divisible.
fn spread(legs: &[Leg], prices: &mut [Price], residue: i64) {
    let Some(main) = (0..legs.len()).min_by_key(|&i| legs[i].quantity.abs()) else { return };
    let divisor = legs[main].quantity;
    let others: Vec<usize> = (0..legs.len()).filter(|&i| i != main).collect();
    let combinations = divisor.abs().pow(u32::try_from(others.len()).unwrap_or(0).min(3));
    for n in 0..combinations.max(1) {
        let mut rest = residue;
        let mut code = n;
        let steps: Vec<i64> = others
            .iter()
            .map(|&i| {
                let step = code % divisor.abs();
                code /= divisor.abs();
                rest -= step * legs[i].quantity;
                step
            })
            .collect();
        if rest % divisor == 0 {
            for (&i, step) in others.iter().zip(steps) {
                prices[i] += Price::from_raw(step);
            }
            prices[main] += Price::from_raw(rest / divisor);
            return;
        }
    }
}
