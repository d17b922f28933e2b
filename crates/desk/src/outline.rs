//! The one outline engine: profit over the price of the underlying at one moment, and what follows
//! from it.
//!
//! At the first expiration the options that end there are worth their exercise value, straight
//! between the strikes: Π(S) = cash + h·S + Σ nᵢ·m·(cpᵢ(S − Kᵢ))⁺, with h units of the underlying
//! held. Where nothing lasts longer, corners, extremes and break-evens are solved and not searched.
//! Legs that last longer are valued by their models there; the curve is then searched on a grid
//! that is dense between the strikes, extremes are refined by golden section and break-evens by
//! Brent's method, and far above everything the curve goes over into its straight tail (a European
//! call is worth S·e^(−qτ) − K·e^(−rτ) there), which decides whether a loss has a limit and where
//! the last break-even lies.
//!
//! `cash` is everything received less everything paid: what was realised before is simply part of
//! it, so that the outline of a whole campaign comes from the same code as that of a draft.
//!
//! Numbers are `f64`. Sums of prices on ticks are exact to about 1e-15 of their size; what lies
//! within [`NOTHING`] of zero, relative to the gross amount, is zero.

use quant::{Kind, Lognormal, Outcome, Tail, find_root};

/// Relative to the gross amounts, what rounding of sums can leave of an exact zero.
const NOTHING: f64 = 1e-12;
/// Points of the grid between the strikes, and in each tail.
const BETWEEN: usize = 241;
const BEYOND: usize = 90;

/// A corner of the outline, or a point of the grid.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Corner {
    /// Price of the underlying.
    pub price: f64,
    /// Profit at that price, in money; below zero is a loss.
    pub profit: f64,
    /// Profit per 1.00 of price from here up to the next corner; at the last one, for ever.
    pub slope: f64,
}

/// The best or the worst profit.
#[derive(Debug, Clone, PartialEq)]
pub enum Extreme {
    /// This much, at these prices.
    At {
        /// The profit (its limit, where it is only approached).
        profit: f64,
        /// Stretches where it holds, ascending; no upper end: and everywhere above.
        places: Vec<(f64, Option<f64>)>,
    },
    /// Beyond all bounds as the price rises.
    Unlimited,
}

/// What the legs pay at the moment looked at.
#[derive(Debug, Clone, Default)]
pub struct Profile {
    /// Received less paid, what was realised before included.
    pub cash: f64,
    /// Options that end at this moment: right, strike, and money per 1.00 of their price.
    pub ending: Vec<(Kind, f64, f64)>,
    /// Money per 1.00 of the underlying's price that is held of itself.
    pub underlying: f64,
}

/// What something is worth in money at each of many prices.
pub type Worth<'a> = dyn Fn(&[f64]) -> Result<Vec<f64>, quant::Error> + 'a;

/// Legs that last longer than the moment looked at.
pub struct Lasting<'a> {
    /// Worth of these legs in money at each of many prices; every one above zero or at it.
    pub values: &'a Worth<'a>,
    /// Strikes of what lasts longer, the lowest first.
    pub strikes: Vec<f64>,
    /// Their worth far above everything.
    pub tail: Tail,
    /// Price of the underlying now, and the largest deviation of the logarithm that matters.
    pub spot: f64,
    /// σ√T of the leg that lasts longest, or of the price until the moment looked at.
    pub deviation: f64,
}

/// Profit over price at one moment.
#[derive(Debug, Clone, PartialEq)]
pub struct Outline {
    /// Straight between its corners; otherwise the corners are a grid on a smooth curve.
    pub is_exact: bool,
    /// Ascending; the first at a price of zero.
    pub corners: Vec<Corner>,
    /// The largest profit at the first expiration, or that there is no largest.
    pub most: Extreme,
    /// The largest loss at the first expiration, or that there is no largest.
    pub least: Extreme,
    /// Where the profit crosses zero or only touches it, ascending; ends of a stretch of zero are
    /// not among them.
    pub break_evens: Vec<f64>,
    /// Stretches of exactly zero; without an upper end: for ever.
    pub zero_ranges: Vec<(f64, Option<f64>)>,
    /// Where the profit is above zero, ascending; the last may reach to infinity.
    pub gains: Vec<(f64, f64)>,
    /// Profit there, if the slope at infinity is zero.
    pub limit_at_infinity: Option<f64>,
}

impl Profile {
    /// Profit at one price, of what ends and of the underlying.
    fn straight(&self, price: f64) -> f64 {
        let ending: f64 = self
            .ending
            .iter()
            .map(|(kind, strike, units)| units * kind.intrinsic(price, *strike))
            .sum();
        ending + self.underlying * price + self.cash
    }

    /// Profit per 1.00 just above a price.
    fn slope(&self, price: f64) -> f64 {
        let ending = self.ending.iter().map(|(kind, strike, units)| match kind {
            Kind::Call if *strike <= price => *units,
            Kind::Put if *strike > price => -units,
            _ => 0.0,
        });
        self.underlying + ending.sum::<f64>()
    }

    /// What is worth nothing, of profits and of slopes.
    fn nothing(&self, gross: f64) -> (f64, f64) {
        let top = self.ending.iter().fold(0.0_f64, |a, (_, k, _)| a.max(*k));
        let units = gross
            + self.underlying.abs()
            + self.ending.iter().map(|(_, _, u)| u.abs()).sum::<f64>();
        (
            NOTHING * (units * top + self.cash.abs()).max(1e-300),
            NOTHING * units,
        )
    }

    /// The outline where nothing lasts longer.
    pub fn exact(&self) -> Outline {
        let (none, flat) = self.nothing(0.0);
        let mut prices: Vec<f64> = self
            .ending
            .iter()
            .map(|(_, k, _)| *k)
            .chain([0.0])
            .collect();
        prices.sort_by(f64::total_cmp);
        prices.dedup();
        let snap = |v: f64, to: f64| if v.abs() <= to { 0.0 } else { v };
        let corners: Vec<Corner> = prices
            .iter()
            .map(|p| Corner {
                price: *p,
                profit: snap(self.straight(*p), none),
                slope: snap(self.slope(*p), flat),
            })
            .collect();
        let (break_evens, zero_ranges) = crossings(&corners);
        let last = corners[corners.len() - 1];
        Outline {
            is_exact: true,
            most: extreme(&corners, 1.0, none),
            least: extreme(&corners, -1.0, none),
            gains: gains(&corners, &break_evens, &zero_ranges, |p| {
                value_at(&corners, p)
            }),
            break_evens,
            zero_ranges,
            limit_at_infinity: (last.slope == 0.0).then_some(last.profit),
            corners,
        }
    }

    /// The outline with legs that last longer.
    ///
    /// # Errors
    /// What the models of the lasting legs refuse.
    pub fn with(&self, lasting: &Lasting<'_>) -> Result<Outline, quant::Error> {
        let (none, flat) = self.nothing(lasting.tail.slope.abs());
        let at = |prices: &[f64]| -> Result<Vec<f64>, quant::Error> {
            let mut all = (lasting.values)(prices)?;
            for (value, price) in all.iter_mut().zip(prices) {
                *value += self.straight(*price);
            }
            Ok(all)
        };
        let prices = self.grid(lasting);
        let values = at(&prices)?;
        // The models answered at every point of the grid, so they do in between.
        let profit = |price: f64| at(&[price]).map_or(f64::NAN, |v| v[0]);
        let slope = self.slope(f64::INFINITY) + lasting.tail.slope;
        let slope = if slope.abs() <= flat { 0.0 } else { slope };
        let calls = self.ending.iter().filter(|(kind, ..)| *kind == Kind::Call);
        let level =
            self.cash + lasting.tail.level - calls.map(|(_, k, units)| units * k).sum::<f64>();
        let last = prices.len() - 1;
        let corners: Vec<Corner> = (0..=last)
            .map(|i| Corner {
                price: prices[i],
                profit: values[i],
                slope: if i == last {
                    slope
                } else {
                    (values[i + 1] - values[i]) / (prices[i + 1] - prices[i])
                },
            })
            .collect();
        let mut break_evens = Vec::new();
        let root = |a: f64, b: f64| find_root(profit, a, b, 1e-13 * b).ok().map(|r| r.x);
        for i in 0..last {
            if (values[i] > 0.0) != (values[i + 1] > 0.0) {
                break_evens.extend(root(prices[i], prices[i + 1]));
            }
        }
        break_evens.extend(touches(&prices, &values, profit, none));
        break_evens.extend(beyond(
            (prices[last], values[last]),
            (slope, level),
            profit,
            none,
        ));
        break_evens.sort_by(f64::total_cmp);
        break_evens.dedup_by(|b, a| (*b - *a).abs() <= 1e-10 * a.abs());
        let searched = |sign: f64| {
            if slope * sign > 0.0 {
                return Extreme::Unlimited;
            }
            let best = (0..=last)
                .max_by(|a, b| (sign * values[*a]).total_cmp(&(sign * values[*b])))
                .unwrap_or(0);
            let (a, b) = (prices[best.saturating_sub(1)], prices[(best + 1).min(last)]);
            let (place, peak) = golden(|s| sign * profit(s), a, b);
            let (place, peak) = if peak > sign * values[best] {
                (place, peak)
            } else {
                (prices[best], sign * values[best])
            };
            match (slope == 0.0).then_some(sign * level).filter(|l| *l > peak) {
                Some(limit) => Extreme::At {
                    profit: sign * limit,
                    places: vec![(prices[last], None)],
                },
                None => Extreme::At {
                    profit: sign * peak,
                    places: vec![(place, Some(place))],
                },
            }
        };
        Ok(Outline {
            is_exact: false,
            most: searched(1.0),
            least: searched(-1.0),
            gains: gains(&corners, &break_evens, &[], profit),
            break_evens,
            zero_ranges: Vec::new(),
            limit_at_infinity: (slope == 0.0).then_some(level),
            corners,
        })
    }

    /// Zero, every strike, evenly between two deviations beyond the outer ones, and in growing
    /// steps out to eight.
    fn grid(&self, lasting: &Lasting<'_>) -> Vec<f64> {
        let strikes = || {
            let ending = self.ending.iter().map(|(_, k, _)| *k);
            ending.chain(lasting.strikes.iter().copied())
        };
        let (low, high) = strikes().fold((lasting.spot, lasting.spot), |(a, b), k| {
            (a.min(k), b.max(k))
        });
        let near = (2.0 * lasting.deviation).clamp(0.05, 1.5);
        let far = (8.0 * lasting.deviation).clamp(0.5, 6.0);
        let (from, to) = (low.ln() - near, high.ln() + near);
        let even = (0..BETWEEN).map(|i| from + (to - from) * i as f64 / (BETWEEN - 1) as f64);
        let out = |i: usize| (far - near) * (i as f64 / BEYOND as f64).powi(2);
        let tails = (1..=BEYOND).flat_map(|i| [from - out(i), to + out(i)]);
        let mut prices: Vec<f64> = even
            .chain(tails)
            .map(f64::exp)
            .chain(strikes())
            .chain([0.0])
            .collect();
        prices.sort_by(f64::total_cmp);
        prices.dedup();
        prices
    }
}

impl Outline {
    /// Profit at one price; between the points of a grid it is straight.
    pub fn profit_at(&self, price: f64) -> f64 {
        value_at(&self.corners, price)
    }

    /// Profit per 1.00 far above everything.
    pub fn slope_at_infinity(&self) -> f64 {
        self.corners[self.corners.len() - 1].slope
    }

    /// The outline as straight pieces.
    pub fn pieces(&self) -> Vec<Outcome> {
        let to = |i: usize| self.corners.get(i + 1).map_or(f64::INFINITY, |c| c.price);
        self.corners
            .iter()
            .enumerate()
            .map(|(i, c)| Outcome {
                from: c.price,
                to: to(i),
                value: c.profit,
                slope: c.slope,
            })
            .collect()
    }

    /// Chance of a profit above zero: of the price ending where there is one, between the
    /// break-evens themselves.
    pub fn chance(&self, law: &Lognormal) -> f64 {
        self.gains
            .iter()
            .map(|(from, to)| law.below(*to) - law.below(*from))
            .sum()
    }
}

fn value_at(corners: &[Corner], price: f64) -> f64 {
    let after = corners.partition_point(|c| c.price <= price);
    let c = corners[after.saturating_sub(1)];
    c.profit + c.slope * (price - c.price)
}

/// Break-evens and stretches of zero of straight pieces.
fn crossings(corners: &[Corner]) -> (Vec<f64>, Vec<(f64, Option<f64>)>) {
    let mut points: Vec<f64> = Vec::new();
    let mut ranges: Vec<(f64, Option<f64>)> = Vec::new();
    for (i, c) in corners.iter().enumerate() {
        let end = corners.get(i + 1).map(|n| n.price);
        if c.profit == 0.0 && c.slope == 0.0 {
            match ranges.last_mut().filter(|r| r.1 == Some(c.price)) {
                Some(range) => range.1 = end,
                None => ranges.push((c.price, end)),
            }
        } else if c.profit == 0.0 {
            points.push(c.price);
        } else if c.slope != 0.0 {
            let at = c.price - c.profit / c.slope;
            // Where the next corner is at zero itself, it says so.
            let before = end.is_none_or(|e| at < e && corners[i + 1].profit != 0.0);
            if at > c.price && before {
                points.push(at);
            }
        }
    }
    points.retain(|b| {
        !ranges
            .iter()
            .any(|(from, to)| *b >= *from && to.is_none_or(|to| *b <= to))
    });
    (points, ranges)
}

/// The best (sign 1) or worst (sign −1) of straight pieces, and everywhere it holds.
fn extreme(corners: &[Corner], sign: f64, none: f64) -> Extreme {
    let last = corners[corners.len() - 1];
    if last.slope * sign > 0.0 {
        return Extreme::Unlimited;
    }
    let best = corners
        .iter()
        .map(|c| c.profit * sign)
        .fold(f64::NEG_INFINITY, f64::max);
    let mut places: Vec<(f64, Option<f64>)> = Vec::new();
    let mut joined = false;
    for (i, c) in corners.iter().enumerate() {
        let holds = best - c.profit * sign <= none;
        if holds {
            // A flat stretch reaches to the next corner, which then belongs to it.
            let end = if c.slope == 0.0 {
                corners.get(i + 1).map(|n| n.price)
            } else {
                Some(c.price)
            };
            match places.last_mut().filter(|_| joined) {
                Some(open) => open.1 = end,
                None => places.push((c.price, end)),
            }
        }
        joined = holds && c.slope == 0.0;
    }
    Extreme::At {
        profit: best * sign,
        places,
    }
}

/// Where the profit is above zero: between the places where it is zero it has one sign.
fn gains(
    corners: &[Corner],
    break_evens: &[f64],
    zero_ranges: &[(f64, Option<f64>)],
    profit: impl Fn(f64) -> f64,
) -> Vec<(f64, f64)> {
    let mut cuts: Vec<f64> = break_evens.to_vec();
    cuts.extend(
        zero_ranges
            .iter()
            .flat_map(|(a, b)| [Some(*a), *b])
            .flatten(),
    );
    cuts.push(0.0);
    cuts.sort_by(f64::total_cmp);
    cuts.dedup();
    let far = corners[corners.len() - 1].price.max(cuts[cuts.len() - 1]);
    let is_zero = |p: f64| {
        zero_ranges
            .iter()
            .any(|(a, b)| p >= *a && b.is_none_or(|b| p <= b))
    };
    let mut out: Vec<(f64, f64)> = Vec::new();
    for (i, from) in cuts.iter().enumerate() {
        let to = cuts.get(i + 1).copied();
        let probe = to.map_or(2.0 * far + 1.0, |to| 0.5 * (from + to));
        if is_zero(probe) || profit(probe) <= 0.0 {
            continue;
        }
        let to = to.unwrap_or(f64::INFINITY);
        match out.last_mut().filter(|g| g.1 == *from) {
            Some(open) => open.1 = to,
            None => out.push((*from, to)),
        }
    }
    out
}

/// Break-evens that the grid steps over: where a dip or a bump between two points of one sign comes
/// to zero or goes through it.
fn touches(
    prices: &[f64],
    values: &[f64],
    profit: impl Fn(f64) -> f64 + Copy,
    none: f64,
) -> Vec<f64> {
    let mut out = Vec::new();
    for i in 1..prices.len() - 1 {
        let sign = if values[i] > 0.0 { 1.0 } else { -1.0 };
        let [before, here, after] = [i - 1, i, i + 1].map(|j| sign * values[j]);
        let nearest = here > 0.0 && before > 0.0 && after > 0.0 && here <= before && here <= after;
        // A parabola through the three dips below the least of them by no more than this.
        if !nearest || here > (before - here).max(after - here) {
            continue;
        }
        let (place, bump) = golden(|s| -sign * profit(s), prices[i - 1], prices[i + 1]);
        if bump.abs() <= none.max(1e-9 * here) {
            out.push(place);
        } else if bump > 0.0 {
            let ends = [(prices[i - 1], place), (place, prices[i + 1])];
            out.extend(
                ends.iter()
                    .filter_map(|(a, b)| find_root(profit, *a, *b, 1e-13 * b).ok().map(|r| r.x)),
            );
        }
    }
    out
}

/// The break-even beyond the last point of the grid, if the straight tail lies on the other side of
/// zero.
fn beyond(
    (price, value): (f64, f64),
    (slope, level): (f64, f64),
    profit: impl Fn(f64) -> f64 + Copy,
    none: f64,
) -> Option<f64> {
    let (in_the_end, guess) = if slope != 0.0 {
        (slope, -level / slope)
    } else {
        (level, price)
    };
    if slope == 0.0 && level.abs() <= none.max(1e-9 * value.abs()) {
        return None;
    }
    if (value > 0.0) == (in_the_end > 0.0) {
        return None;
    }
    let mut high = 2.0 * price.max(guess);
    for _ in 0..30 {
        if (profit(high) > 0.0) == (in_the_end > 0.0) {
            return find_root(profit, price, high, 1e-13 * high)
                .ok()
                .map(|r| r.x);
        }
        high *= 2.0;
    }
    None
}

/// Where a function with one peak between `a` and `b` is highest, and how high (golden section).
fn golden(f: impl Fn(f64) -> f64, mut a: f64, mut b: f64) -> (f64, f64) {
    let share = (5.0_f64.sqrt() - 1.0) / 2.0;
    let (mut c, mut d) = (b - share * (b - a), a + share * (b - a));
    let (mut fc, mut fd) = (f(c), f(d));
    for _ in 0..60 {
        if fc > fd {
            (b, d, fd) = (d, c, fc);
            c = b - share * (b - a);
            fc = f(c);
        } else {
            (a, c, fc) = (c, d, fd);
            d = a + share * (b - a);
            fd = f(d);
        }
        if (b - a).abs() <= 1e-9 * b.abs() {
            break;
        }
    }
    if fc > fd { (c, fc) } else { (d, fd) }
}

/// The mean profit under a law of the price, before costs: by quadrature of the very values, so
/// that no piece of a curve is taken for straight.
///
/// # Errors
/// What the models of the lasting legs refuse.
pub fn expected(
    profile: &Profile,
    lasting: Option<&Lasting<'_>>,
    outline: &Outline,
    law: &Lognormal,
) -> Result<f64, quant::Error> {
    let Some(lasting) = lasting else {
        return Ok(law.profit(&outline.pieces()).1);
    };
    let strikes: Vec<f64> = profile.ending.iter().map(|(_, k, _)| *k).collect();
    law.mean(&strikes, |prices| {
        let mut all = (lasting.values)(prices)?;
        for (value, price) in all.iter_mut().zip(prices) {
            *value += profile.straight(*price);
        }
        Ok(all)
    })
}
