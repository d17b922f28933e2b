//! What a profit over the price comes to under two laws: its ends, its break-evens, the chance that
//! it is above zero, its mean, and the mean of its worst twentieth.
//!
//! The profit is straight between its knots and beyond the last. On a straight piece v + s·(S − a)
//! every figure follows from the chance and the partial mean of its ends.

use super::law::{Laws, Upto};

/// A profit that is straight between its knots.
#[derive(Debug, Clone, Copy)]
pub struct Pieces<'a> {
    /// Prices, ascending from 0.
    pub prices: &'a [f64],
    /// The profit at each of the prices, in money.
    pub profits: &'a [f64],
    /// Both laws up to there.
    pub upto: &'a [Upto],
    /// Change of the profit for 1.00 beyond the last price.
    pub slope: f64,
    /// What the profit goes to far above, where it has no slope there; it may be reached by no price.
    pub far: Option<f64>,
}

/// Its ends and its chances.
#[derive(Debug, Clone, PartialEq)]
pub struct Bounds {
    /// The most; nothing without a limit.
    pub most: Option<f64>,
    /// The least; nothing without a limit.
    pub least: Option<f64>,
    /// Prices at which it is zero, ascending; of a stretch its ends.
    pub evens: Vec<f64>,
    /// Chance that it is above zero, by the market.
    pub market_chance: f64,
    /// By one's own law.
    pub own_chance: f64,
    /// The least and the most it comes to at a price or far above, whatever its slope there.
    reached: (f64, f64),
}

/// What a profit comes to under the market's law and one's own.
#[derive(Debug, Clone, PartialEq)]
pub struct Measured {
    /// The most; nothing without a limit.
    pub most: Option<f64>,
    /// The least; nothing without a limit.
    pub least: Option<f64>,
    /// Prices at which it is zero, ascending; of a stretch its ends.
    pub evens: Vec<f64>,
    /// Chance that it is above zero, by the market.
    pub market_chance: f64,
    /// Its mean, by the market.
    pub market_mean: f64,
    /// By one's own law.
    pub own_chance: f64,
    /// By one's own law.
    pub own_mean: f64,
    /// Mean over the worst twentieth of one's own law.
    pub own_worst: f64,
}

/// The worst part that is looked at.
const WORST: f64 = 0.05;
/// More prices than this are a grid.
const MANY: usize = 16;
/// Less than this is no profit and no loss: a ten-millionth of a cent.
const NOTHING: f64 = 1e-9;

/// Mass and mean of the price between two marks, by the market and by one's own law.
fn between(a: &Upto, b: &Upto) -> Upto {
    Upto {
        market: b.market - a.market,
        market_mean: b.market_mean - a.market_mean,
        own: b.own - a.own,
        own_mean: b.own_mean - a.own_mean,
    }
}

/// A straight piece of the profit.
#[derive(Debug, Clone, Copy)]
struct Piece {
    from: f64,
    to: f64,
    value: f64,
    slope: f64,
    a: Upto,
    b: Upto,
}

impl Piece {
    /// Its profit at its end; of the last one infinite, or its own value.
    fn end(&self) -> f64 {
        if self.to.is_finite() {
            self.value + self.slope * (self.to - self.from)
        } else if self.slope == 0.0 {
            self.value
        } else {
            self.slope * f64::INFINITY
        }
    }

    /// The price at which it passes a profit.
    fn at(&self, profit: f64) -> f64 {
        (self.from + (profit - self.value) / self.slope).clamp(self.from, self.to)
    }

    /// Mean of the profit over a part of it.
    fn mean(&self, part: &Upto) -> (f64, f64) {
        let base = self.value - self.slope * self.from;
        (
            base * part.market + self.slope * part.market_mean,
            base * part.own + self.slope * part.own_mean,
        )
    }
}

impl Pieces<'_> {
    fn each(&self) -> impl Iterator<Item = Piece> + '_ {
        let last = self.prices.len() - 1;
        let whole = Upto {
            market: 1.0,
            market_mean: f64::NAN,
            own: 1.0,
            own_mean: f64::NAN,
        };
        (0..=last).map(move |i| {
            let (from, value) = (self.prices[i], self.profits[i]);
            if i == last {
                return Piece {
                    from,
                    to: f64::INFINITY,
                    value,
                    slope: self.slope,
                    a: self.upto[i],
                    b: whole,
                };
            }
            let to = self.prices[i + 1];
            Piece {
                from,
                to,
                value,
                slope: (self.profits[i + 1] - value) / (to - from),
                a: self.upto[i],
                b: self.upto[i + 1],
            }
        })
    }

    /// Chance and partial mean of profits below `q`, by one's own law.
    fn under(&self, laws: &Laws, whole: &Upto, q: f64) -> (f64, f64) {
        let (mut chance, mut mean) = (0.0, 0.0);
        for mut p in self.each() {
            if !p.to.is_finite() {
                p.b = *whole;
            }
            let (a, b) = (p.value, p.end());
            let part = if a < q && b <= q {
                between(&p.a, &p.b)
            } else if a >= q && b >= q {
                continue;
            } else {
                let cut = laws.upto(p.at(q));
                if a < q {
                    between(&p.a, &cut)
                } else {
                    between(&cut, &p.b)
                }
            };
            chance += part.own;
            mean += p.mean(&part).1;
        }
        (chance, mean)
    }

    /// The profit at a price.
    pub fn at(&self, price: f64) -> f64 {
        let after = self.prices.partition_point(|p| *p <= price).max(1);
        let (x, v) = (self.prices[after - 1], self.profits[after - 1]);
        let slope = match (self.prices.get(after), self.profits.get(after)) {
            (Some(to), Some(end)) => (end - v) / (to - x),
            _ => self.slope,
        };
        v + slope * (price - x)
    }

    /// All figures; the means by the market and by one's own law are given.
    pub fn measured(
        &self,
        laws: &Laws,
        whole: &Upto,
        (market_mean, own_mean): (f64, f64),
    ) -> Measured {
        let b = self.bounds(laws, whole);
        Measured {
            own_worst: self.worst(laws, whole, b.reached),
            most: b.most,
            least: b.least,
            evens: b.evens,
            market_chance: b.market_chance,
            own_chance: b.own_chance,
            market_mean,
            own_mean,
        }
    }

    /// Its ends, its break-evens and its chances.
    pub fn bounds(&self, laws: &Laws, whole: &Upto) -> Bounds {
        let (mut most, mut least) = (f64::NEG_INFINITY, f64::INFINITY);
        let (mut chance, mut own_chance) = (0.0, 0.0);
        let mut evens: Vec<f64> = Vec::new();
        let zero = |v: f64| v.abs() < NOTHING;
        for mut p in self.each() {
            if !p.to.is_finite() {
                p.b = *whole;
            }
            let (a, b) = (p.value, p.end());
            most = most.max(a);
            least = least.min(a);
            // A price of nothing is an even one only as the end of a stretch.
            if zero(a) && (p.from > 0.0 || zero(b)) && evens.last() != Some(&p.from) {
                evens.push(p.from);
            }
            let up = a > NOTHING || (zero(a) && b > NOTHING);
            let down = a < -NOTHING || (zero(a) && b < -NOTHING);
            let crosses = (up && b < -NOTHING) || (down && b > NOTHING);
            let all = between(&p.a, &p.b);
            if crosses {
                let even = p.at(0.0);
                evens.push(even);
                let cut = laws.upto(even);
                let part = if up {
                    between(&p.a, &cut)
                } else {
                    between(&cut, &p.b)
                };
                chance += part.market;
                own_chance += part.own;
            } else if up || (b > NOTHING && !down) {
                chance += all.market;
                own_chance += all.own;
            }
        }
        if let Some(far) = self.far {
            most = most.max(far);
            least = least.min(far);
        }
        Bounds {
            most: (self.slope <= 0.0).then_some(most),
            least: (self.slope >= 0.0).then_some(least),
            evens,
            market_chance: chance,
            own_chance,
            reached: (least, most),
        }
    }

    /// The quantile of a twentieth where pieces are many and small: the price is taken as even over
    /// each.
    fn quantile(&self, whole: &Upto, (mut a, mut b): (f64, f64)) -> f64 {
        let last = self.prices.len() - 1;
        let under = |q: f64| {
            let mut chance = 0.0;
            for i in 0..last {
                let (x, y) = (self.profits[i], self.profits[i + 1]);
                let mass = self.upto[i + 1].own - self.upto[i].own;
                if x < q && y < q {
                    chance += mass;
                } else if x < q || y < q {
                    chance += mass * (q - x.min(y)) / (x - y).abs();
                }
            }
            // Beyond the last price hardly anything is left.
            let beyond = whole.own - self.upto[last].own;
            if self.profits[last] < q {
                chance + beyond
            } else {
                chance
            }
        };
        for _ in 0..40 {
            let q = f64::midpoint(a, b);
            let f = under(q) - WORST;
            if f.abs() < 1e-5 || b - a <= 1e-9 * (a.abs() + b.abs()) {
                return q;
            }
            if f < 0.0 {
                a = q;
            } else {
                b = q;
            }
        }
        f64::midpoint(a, b)
    }

    /// (E[X; X < q] + q·(0.05 − P(X < q)))/0.05 with q the quantile of a twentieth: P(X < q) ≤ 0.05 ≤
    /// P(X ≤ q). The quantile is looked for between the ends by the method of false position
    /// (Illinois); that it is not quite met costs the square of the miss.
    fn worst(&self, laws: &Laws, whole: &Upto, (least, most): (f64, f64)) -> f64 {
        let of = |q: f64| {
            let (chance, mean) = self.under(laws, whole, q);
            (chance, (mean + q * (WORST - chance)) / WORST)
        };
        let mut low = least;
        if self.slope < 0.0 {
            // A loss without a limit: so far down that hardly anything is left below.
            let mut step = (most - least).abs().max(1.0);
            while of(low).0 > 1e-12 && step < 1e18 {
                low -= step;
                step *= 2.0;
            }
        }
        let mut high = most;
        if self.slope > 0.0 {
            let mut step = (most - least).abs().max(1.0);
            while of(high).0 < WORST && step < 1e18 {
                high += step;
                step *= 2.0;
            }
        }
        let size = (high - low).abs().max(NOTHING);
        // An atom at the least: a twentieth or more ends there.
        let (mut a, mut b) = (low, high + 1e-9 * size);
        let just = of(low + 1e-9 * size);
        if just.0 >= WORST && self.slope >= 0.0 {
            return low;
        }
        if self.prices.len() > MANY {
            return of(self.quantile(whole, (a, b))).1;
        }
        let (mut fa, mut fb) = (of(a).0 - WORST, of(b).0 - WORST);
        if fb < 0.0 {
            return of(b).1;
        }
        for step in 0..90 {
            if b - a <= 1e-10 * size {
                break;
            }
            let mut q = (a * fb - b * fa) / (fb - fa);
            // Where the law steps, false position creeps: every third time the middle is taken.
            if step % 3 == 2 || !(q > a && q < b) {
                q = f64::midpoint(a, b);
            }
            let (chance, mean) = of(q);
            let f = chance - WORST;
            // The answer's error is that of the chance times that of the quantile.
            if f.abs() < 1e-8 {
                return mean;
            }
            if f < 0.0 {
                (a, fa) = (q, f);
                fb *= 0.5;
            } else {
                (b, fb) = (q, f);
                fa *= 0.5;
            }
        }
        of(f64::midpoint(a, b)).1
    }
}
