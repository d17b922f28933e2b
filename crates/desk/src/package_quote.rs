//! Quotes of single contracts and of packages, and how a package price spreads over its legs.
//!
//! The price is per unit of an option: shares in a package count by how many of them one option
//! stands for.
//!
//! Sign convention everywhere: a package is *bought*; its price is above zero when the buyer pays
//! (debit) and below zero when the buyer receives (credit). Only labels and forms show magnitudes.

use crate::holding::{Holding, gcd};
use crate::number::Price;
use crate::underlying::Underlying;

/// The market in one contract.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Quote {
    /// Best price to sell at; zero means that nobody bids.
    pub bid: Price,
    /// Best price to buy at.
    pub ask: Price,
    /// Contracts bid for; absent where the size is not known.
    pub bid_size: Option<i64>,
    /// Contracts offered; absent where the size is not known.
    pub ask_size: Option<i64>,
    /// Contracts traded today; absent where that is not known.
    pub volume: Option<i64>,
    /// Contracts open; absent where that is not known.
    pub open_interest: Option<i64>,
}

impl Quote {
    /// One price on both sides, of which nothing else is known.
    pub fn at(price: Price) -> Quote {
        Quote {
            bid: price,
            ask: price,
            bid_size: None,
            ask_size: None,
            volume: None,
            open_interest: None,
        }
    }

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
    /// Packages available at the cross: as many as every leg's displayed size holds, 0 where one leg's
    /// does not reach for a single package. Absent where a size is not known: then nothing limits it.
    pub size: Option<i64>,
}

/// Prices between rest and cross to choose from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ladder {
    /// Ascending, from rest to cross; the middle is one of them.
    pub prices: Vec<Price>,
    /// Where the middle stands among them.
    pub middle: usize,
}

impl PackageQuote {
    /// Every price on the tick from rest to cross; of more than `most` only some, evenly apart.
    pub fn ladder(&self, most: i64) -> Ladder {
        let ticks = (self.cross - self.rest).raw() / self.tick.raw().max(1);
        let stride = (ticks / most).max(1);
        let step = self.tick * stride;
        let mut prices: Vec<Price> = (0..=ticks / stride).map(|i| self.rest + step * i).collect();
        prices.extend([self.middle, self.cross]);
        prices.sort_unstable();
        prices.dedup();
        Ladder {
            middle: prices.iter().position(|p| *p == self.middle).unwrap_or(0),
            prices,
        }
    }
}

/// How much of the summed width of its legs a package keeps: market makers hedge a package as a
/// whole (common practice; the exchange of this market quotes by the same rule).
const PACKAGE_WIDTH_PERCENT: i64 = 60;

/// Quotes the unit package. `quotes` gives each leg's market, in the order of the legs.
pub fn package_quote(unit: &Holding, quotes: &[Quote], underlying: &Underlying) -> PackageQuote {
    let legs = unit.legs();
    let ticks = underlying.ticks_of(unit);
    let (weights, whole) = (underlying.weights(unit), underlying.price_units(unit));
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
        let shown = if l.quantity > 0 {
            q.ask_size
        } else {
            q.bid_size
        };
        Some(shown? / l.quantity.abs())
    });
    let sizes: Option<Vec<i64>> = each.collect();
    PackageQuote {
        rest,
        middle: ticks.floor(middle),
        cross,
        tick,
        size: sizes.and_then(|all| all.into_iter().min()),
    }
}

/// Prices of the legs of a package that trades at `net`: their sum is exactly `net`, each lies
/// within its own bid and ask, and none is below zero.
///
/// Beginning from the middles, every leg goes the same share of its own way toward the side that
/// makes the package dearer or cheaper, so a leg that is nearly worthless cannot be pushed below
/// zero by what the others are worth. A condor with middles of .05, .60, .70 and .08 and markets of
/// .10 around them, sold at 1.25 instead of 1.17, takes 40 % of each way.
///
/// Leg prices may lie off the tick inside a package, in steps of 1e-4 (finer where the net price
/// is, or where no such prices fit): the money of each contract is exact, and so is that of the
/// package. A price beyond the sum of the far sides (a market order that walks) leaves every leg at
/// its far side and puts the rest where prices can rise.
pub fn leg_prices(
    unit: &Holding,
    quotes: &[Quote],
    net: Price,
    underlying: &Underlying,
) -> Vec<Price> {
    let weights = underlying.weights(unit);
    let units = underlying.price_units(unit);
    let mut prices = Vec::new();
    for step in [10_000, 100, 1] {
        let step = gcd(step, net.raw().abs());
        let markets: Vec<Market> = quotes.iter().map(|q| Market::of(q, step)).collect();
        let wanted = i128::from(net.raw() / step) * i128::from(units);
        let (found, fits) = legs_at(&weights, &markets, wanted);
        prices = found
            .into_iter()
            .map(|p| Price::from_raw(p * step))
            .collect();
        if fits {
            break;
        }
    }
    prices
}

/// The market of a leg in whole steps of the leg prices.
struct Market {
    bid: i64,
    middle: i64,
    ask: i64,
}

impl Market {
    fn of(q: &Quote, step: i64) -> Market {
        let bid = (q.bid.raw().max(0) + step - 1) / step;
        let ask = (q.ask.raw() / step).max(bid);
        Market {
            bid,
            middle: (q.mid().raw() / step).clamp(bid, ask),
            ask,
        }
    }

    fn holds(&self, price: i64) -> bool {
        (self.bid..=self.ask).contains(&price)
    }
}

/// Prices of the legs in whole steps with Σ weight·price = wanted; whether each lies inside its
/// market, or wanted lies beyond what they allow.
fn legs_at(weights: &[i64], markets: &[Market], wanted: i128) -> (Vec<i64>, bool) {
    let mids: Vec<i64> = markets.iter().map(|m| m.middle).collect();
    let sum = |prices: &[i64]| -> i128 {
        let each = weights.iter().zip(prices);
        each.map(|(w, p)| i128::from(*w) * i128::from(*p)).sum()
    };
    let residue = wanted - sum(&mids);
    // Where each leg goes as the package becomes dearer or cheaper.
    let end = |(w, m): (&i64, &Market)| {
        if (*w > 0) == (residue > 0) {
            m.ask
        } else {
            m.bid
        }
    };
    let ends: Vec<i64> = weights.iter().zip(markets).map(end).collect();
    let whole = sum(&ends) - sum(&mids);
    let beyond = whole == 0 || residue.abs() >= whole.abs();
    let mut prices: Vec<i64> = if beyond {
        ends
    } else {
        let part = |(end, mid): (&i64, &i64)| {
            // Toward the end, and never past it: the quotient is cut off toward zero.
            let way = i128::from(end - mid) * residue / whole;
            mid + i64::try_from(way).unwrap_or(0)
        };
        ends.iter().zip(&mids).map(part).collect()
    };
    let left = wanted - sum(&prices);
    settle(&mut prices, weights, left, markets);
    let inside = prices.iter().zip(markets).all(|(p, m)| m.holds(*p));
    let beyond = beyond && prices.iter().all(|p| *p >= 0);
    (prices, inside || beyond)
}

/// Puts what is left of the sum on the legs, in whole steps: within their markets where it fits,
/// else on what can rise.
fn settle(prices: &mut [i64], weights: &[i64], left: i128, markets: &[Market]) {
    let common = weights.iter().fold(0, |g, w| gcd(g, w.abs())).max(1);
    let left = i64::try_from(left / i128::from(common)).unwrap_or(0);
    let lowest: Vec<i64> = weights.iter().map(|w| w / common).collect();
    // One leg alone, where it divides and stays inside; then all together.
    let alone = (0..prices.len())
        .find(|i| left % lowest[*i] == 0 && markets[*i].holds(prices[*i] + left / lowest[*i]));
    if let Some(i) = alone {
        prices[i] += left / lowest[i];
        return;
    }
    let steps = spread(&lowest, left);
    if (0..prices.len()).all(|i| markets[i].holds(prices[i] + steps[i])) {
        for (price, step) in prices.iter_mut().zip(&steps) {
            *price += step;
        }
        return;
    }
    // Beyond what the legs show: bought legs rise where it costs more, sold ones where it pays
    // less.
    let rising: Vec<usize> = (0..prices.len())
        .filter(|i| (lowest[*i] > 0) == (left > 0))
        .collect();
    let heavy: i64 = rising.iter().map(|i| lowest[*i].abs()).sum();
    let each = left.abs().checked_div(heavy).unwrap_or(0);
    for i in &rising {
        prices[*i] += each;
    }
    let rest = left - each * heavy * left.signum();
    for (price, step) in prices.iter_mut().zip(spread(&lowest, rest)) {
        *price += step;
    }
    lift(prices, &lowest);
}

/// Brings legs that fell below zero back to it without a change of the sum: with a leg of the other
/// side both rise; where all are on one side the dearest gives way.
fn lift(prices: &mut [i64], weights: &[i64]) {
    for i in 0..prices.len() {
        if prices[i] >= 0 {
            continue;
        }
        let other = |j: &usize| weights[*j].signum() != weights[i].signum();
        let opposite = (0..prices.len()).find(other);
        let dearest = (0..prices.len()).max_by_key(|j| prices[*j]);
        let Some(j) = opposite.or(dearest).filter(|j| *j != i) else {
            continue;
        };
        let times = (-prices[i] + weights[j].abs() - 1) / weights[j].abs();
        prices[i] += times * weights[j].abs();
        let way = if opposite.is_some() { 1 } else { -1 };
        prices[j] += way * times * weights[i].abs();
    }
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
