//! A position of any legs in the model world: what it makes and loses at its first expiration, and
//! its value and Greeks at chosen prices, times and volatilities.
//!
//! Profit at the horizon is exact piecewise-linear arithmetic in `f64` (no rounding to money) when
//! nothing outlives the first expiration; otherwise later legs are valued by their models there and
//! extremes and break-evens are found on a fine grid and refined. `shape` is the exact-money
//! sibling for tickets.
//!
//! A future is held like stock: a leg whose unit is the underlying itself. Options on a future are
//! the case of a yield equal to the rate, `spot` being the future.

pub use crate::scene::{Scene, Shift, VolShift};
use quant::{
    Accuracy, Kind, Lognormal, Model, Outcome, Style, Terms, chance_of_reaching, find_root,
};
use rayon::prelude::*;

/// What a leg is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum PositionKind {
    /// An option.
    Option {
        /// Call or put.
        kind: Kind,
        /// When it may be exercised.
        style: Style,
        /// Strike per unit.
        strike: f64,
        /// Years to expiry.
        time: f64,
        /// Its volatility per year.
        vol: f64,
    },
    /// The underlying itself, stock or future.
    Stock,
}

/// One leg.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PositionLeg {
    /// What.
    pub instrument: PositionKind,
    /// Contracts or shares, signed.
    pub quantity: f64,
    /// Units per contract.
    pub multiplier: f64,
    /// Price per unit at entry.
    pub entry: f64,
}

impl PositionLeg {
    fn units(&self) -> f64 {
        self.quantity * self.multiplier
    }

    fn time(&self) -> Option<f64> {
        if let PositionKind::Option { time, .. } = self.instrument {
            Some(time)
        } else {
            None
        }
    }
}

/// The position and its market.
#[derive(Debug, Clone, PartialEq)]
pub struct Position {
    /// Price of the underlying.
    pub spot: f64,
    /// Interest, continuously compounded.
    pub rate: f64,
    /// Dividend yield.
    pub carry_yield: f64,
    /// Its legs.
    pub legs: Vec<PositionLeg>,
}

/// The best or worst profit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Limit {
    /// This much (the limit, where it is only approached).
    At(f64),
    /// Beyond all bounds as the price rises.
    Unlimited,
}

/// What happens at the horizon.
#[derive(Debug, Clone, PartialEq)]
pub struct Horizon {
    /// Years to the first expiration.
    pub time: f64,
    /// Best profit.
    pub most: Limit,
    /// Worst profit.
    pub least: Limit,
    /// Prices where profit changes sign or touches zero, ascending.
    pub break_evens: Vec<f64>,
    /// Stretches of exactly zero; without an upper end: for ever.
    pub zero_ranges: Vec<(f64, Option<f64>)>,
    /// Profit at a price of zero.
    pub at_zero: f64,
    /// Profit per unit of price far above everything.
    pub slope_at_infinity: f64,
    /// Profit there, if the slope is zero.
    pub limit_at_infinity: Option<f64>,
    /// Chance of a profit.
    pub chance: f64,
    /// Expected profit, undiscounted.
    pub expected: f64,
}

/// Value and Greeks at one point; a Greek that does not exist there is `None`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Point {
    /// What the position is worth.
    pub value: f64,
    /// Value less the cost.
    pub profit: f64,
    /// Per unit of price.
    pub delta: Option<f64>,
    /// Change of delta per unit of price.
    pub gamma: Option<f64>,
    /// Per calendar day.
    pub theta_day: Option<f64>,
    /// Per volatility point.
    pub vega_point: Option<f64>,
}

/// Value of legs at many prices.
fn worth(models: &[(Option<Model>, f64)], prices: &[f64]) -> Vec<f64> {
    let (mut sum, mut leg) = (vec![0.0; prices.len()], vec![0.0; prices.len()]);
    for (model, units) in models {
        match model {
            Some(model) => model.prices(prices, &mut leg),
            None => leg.copy_from_slice(prices),
        }
        for (sum, price) in sum.iter_mut().zip(&leg) {
            *sum += units * price;
        }
    }
    sum
}

/// Value and Greeks of legs at one price.
fn point(models: &[(Option<Model>, f64)], spot: f64, cost: f64) -> Result<Point, quant::Error> {
    let mut out = Point {
        value: 0.0,
        profit: 0.0,
        delta: Some(0.0),
        gamma: Some(0.0),
        theta_day: Some(0.0),
        vega_point: Some(0.0),
    };
    for (model, units) in models {
        let add = |sum: &mut Option<f64>, greek: Option<f64>| {
            *sum = sum.zip(greek).map(|(a, b)| a + b * units)
        };
        let Some(model) = model else {
            out.value += units * spot;
            add(&mut out.delta, Some(1.0));
            continue;
        };
        let v = model.value(spot)?;
        // At expiry the payoff has a corner at the strike: no derivative exists there.
        let smooth = model.terms().time > 0.0 || spot != model.terms().strike;
        let exists = |g: f64| smooth.then_some(g);
        out.value += units * v.price;
        add(&mut out.delta, exists(v.delta));
        add(&mut out.gamma, exists(v.gamma));
        add(&mut out.theta_day, exists(v.theta_day));
        add(&mut out.vega_point, exists(v.vega_point));
    }
    out.profit = out.value - cost;
    Ok(out)
}

/// Points of the grid on which a position that outlives its horizon is searched.
const SCAN: usize = 2_001;

impl Position {
    /// Paid for the position (received below zero).
    pub fn net_cost(&self) -> f64 {
        self.legs.iter().map(|l| l.units() * l.entry).sum()
    }

    fn terms(&self, leg: &PositionLeg, scene: &Scene) -> Option<Terms> {
        let PositionKind::Option {
            kind,
            style,
            strike,
            time,
            vol,
        } = leg.instrument
        else {
            return None;
        };
        let vol = scene.vols.shifted(vol, time);
        Some(Terms {
            kind,
            style,
            strike,
            time: (time - scene.elapsed).max(0.0),
            rate: self.rate,
            carry_yield: self.carry_yield,
            vol,
        })
    }

    /// Each leg's units and, for an option, its model in the scene.
    fn models(
        &self,
        scene: &Scene,
        accuracy: Accuracy,
    ) -> Result<Vec<(Option<Model>, f64)>, quant::Error> {
        self.legs
            .iter()
            .map(|l| {
                Ok((
                    self.terms(l, scene)
                        .map(|t| Model::new(&t, accuracy))
                        .transpose()?,
                    l.units(),
                ))
            })
            .collect()
    }

    /// Value at each price of the underlying.
    pub fn values(
        &self,
        scene: &Scene,
        prices: &[f64],
        accuracy: Accuracy,
    ) -> Result<Vec<f64>, quant::Error> {
        Ok(worth(&self.models(scene, accuracy)?, prices))
    }

    /// Value and Greeks at each price of the underlying; several times the work of
    /// [`Position::values`].
    pub fn points(
        &self,
        scene: &Scene,
        prices: &[f64],
        accuracy: Accuracy,
    ) -> Result<Vec<Point>, quant::Error> {
        let models = self.models(scene, accuracy)?;
        let cost = self.net_cost();
        prices
            .iter()
            .map(|spot| point(&models, *spot, cost))
            .collect()
    }

    /// [`Position::points`] of many scenes, on all cores: price × date × volatility.
    pub fn grid(
        &self,
        scenes: &[Scene],
        prices: &[f64],
        accuracy: Accuracy,
    ) -> Result<Vec<Vec<Point>>, quant::Error> {
        scenes
            .par_iter()
            .map(|scene| self.points(scene, prices, accuracy))
            .collect()
    }

    /// Chance that the profit reaches `target` within `time` years, before it falls to `stop` if
    /// one is given: the price moves with `vol`, the legs keep their volatilities. Meant for a
    /// `time` up to the first expiration.
    pub fn chance_of_reaching(
        &self,
        vol: f64,
        time: f64,
        target: f64,
        stop: Option<f64>,
        accuracy: Accuracy,
    ) -> Result<f64, quant::Error> {
        self.models(&Scene::later(0.0), accuracy)?;
        let cost = self.net_cost();
        // The legs are good now, so they are at any later time.
        let gain = |t: f64, prices: &[f64]| match self.values(&Scene::later(t), prices, accuracy) {
            Ok(values) => values.into_iter().map(|v| v - cost).collect(),
            Err(_) => vec![f64::NAN; prices.len()],
        };
        chance_of_reaching(
            self.spot,
            self.rate - self.carry_yield,
            vol,
            time,
            gain,
            target,
            stop,
        )
    }

    /// The first expiration; `None` without options. `vol` is that of the price up to it.
    pub fn horizon(&self, vol: f64, accuracy: Accuracy) -> Result<Option<Horizon>, quant::Error> {
        let Some(time) = self
            .legs
            .iter()
            .filter_map(PositionLeg::time)
            .reduce(f64::min)
        else {
            return Ok(None);
        };
        let lasting = self.legs.iter().any(|l| l.time().is_some_and(|t| t > time));
        let curve = if lasting {
            self.scanned(time, vol, accuracy)?
        } else {
            self.exact()
        };
        let chances = Lognormal::new(self.spot, self.rate - self.carry_yield, vol, time)?;
        let (chance, expected) = chances.profit(&curve.pieces);
        Ok(Some(Horizon {
            time,
            most: curve.most,
            least: curve.least,
            break_evens: curve.break_evens,
            zero_ranges: curve.zero_ranges,
            at_zero: curve.pieces[0].value,
            slope_at_infinity: curve.slope,
            limit_at_infinity: curve.limit,
            chance,
            expected,
        }))
    }

    /// Corners at zero and the strikes, straight in between.
    fn exact(&self) -> Curve {
        let mut prices = vec![0.0];
        prices.extend(self.legs.iter().filter_map(|l| {
            if let PositionKind::Option { strike, .. } = l.instrument {
                Some(strike)
            } else {
                None
            }
        }));
        prices.sort_by(f64::total_cmp);
        prices.dedup();
        let profit = |s: f64| -> f64 {
            let worth = self.legs.iter().map(|l| {
                l.units()
                    * match l.instrument {
                        PositionKind::Option { kind, strike, .. } => {
                            kind.intrinsic(s, strike) - l.entry
                        }
                        PositionKind::Stock => s - l.entry,
                    }
            });
            worth.sum()
        };
        let slope = |s: f64| -> f64 {
            let each = self.legs.iter().map(|l| match l.instrument {
                PositionKind::Option {
                    kind: Kind::Call,
                    strike,
                    ..
                } if strike <= s => l.units(),
                PositionKind::Option {
                    kind: Kind::Put,
                    strike,
                    ..
                } if strike > s => -l.units(),
                PositionKind::Stock => l.units(),
                PositionKind::Option { .. } => 0.0,
            });
            each.sum()
        };
        // What rounding of the sums can leave of an exact zero.
        let top = prices[prices.len() - 1];
        let scale: f64 = self
            .legs
            .iter()
            .map(|l| l.units().abs() * (l.entry.abs() + top))
            .sum();
        let zero = |v: f64| if v.abs() <= 1e-12 * scale { 0.0 } else { v };
        let flat = |v: f64| {
            if v.abs() <= 1e-12 * self.legs.iter().map(|l| l.units().abs()).sum::<f64>() {
                0.0
            } else {
                v
            }
        };
        let pieces: Vec<Outcome> = (0..prices.len())
            .map(|i| Outcome {
                from: prices[i],
                to: prices.get(i + 1).copied().unwrap_or(f64::INFINITY),
                value: zero(profit(prices[i])),
                slope: flat(slope(prices[i])),
            })
            .collect();
        Curve::straight(pieces)
    }

    /// Later legs by their models at the horizon, on a fine grid.
    fn scanned(&self, time: f64, vol: f64, accuracy: Accuracy) -> Result<Curve, quant::Error> {
        let cost = self.net_cost();
        let models = self.models(&Scene::later(time), accuracy)?;
        let profit = |s: f64| worth(&models, &[s])[0] - cost;
        // Far above everything a call is worth what exercise, or the forward, is.
        let (mut slope, mut level) = (0.0, -cost);
        for (model, units) in &models {
            let Some(model) = model else {
                slope += units;
                continue;
            };
            let t = model.terms();
            if t.kind == Kind::Call {
                let exercised =
                    t.time == 0.0 || (t.style == Style::American && t.carry_yield > 0.0);
                let (asset, cash) = if exercised {
                    (1.0, 1.0)
                } else {
                    ((-t.carry_yield * t.time).exp(), (-t.rate * t.time).exp())
                };
                slope += units * asset;
                level -= units * t.strike * cash;
            }
        }
        let gross: f64 = models.iter().map(|(_, units)| units.abs()).sum();
        let slope = if slope.abs() <= 1e-12 * gross {
            0.0
        } else {
            slope
        };
        let strikes = models
            .iter()
            .filter_map(|(m, _)| m.as_ref().map(|m| m.terms().strike));
        let (low, high) = strikes
            .clone()
            .fold((self.spot, self.spot), |(a, b), k| (a.min(k), b.max(k)));
        let widest = self.legs.iter().filter_map(|l| {
            if let PositionKind::Option { vol, time, .. } = l.instrument {
                Some(vol * time.sqrt())
            } else {
                None
            }
        });
        let reach = (8.0 * widest.fold(vol * time.sqrt(), f64::max)).clamp(0.5, 6.0);
        let (from, to) = (low.ln() - reach, high.ln() + reach);
        let mut prices: Vec<f64> = (0..SCAN)
            .map(|i| (from + (to - from) * i as f64 / (SCAN - 1) as f64).exp())
            .chain(strikes)
            .chain([0.0])
            .collect();
        prices.sort_by(f64::total_cmp);
        prices.dedup();
        let values: Vec<f64> = worth(&models, &prices)
            .into_iter()
            .map(|v| v - cost)
            .collect();
        let limit = (slope == 0.0).then_some(level);
        let extreme = |sign: f64| {
            if slope * sign > 0.0 {
                return Limit::Unlimited;
            }
            let best = (0..values.len())
                .max_by(|a, b| (sign * values[*a]).total_cmp(&(sign * values[*b])))
                .unwrap_or(0);
            let bracket = (
                prices[best.saturating_sub(1)],
                prices[(best + 1).min(prices.len() - 1)],
            );
            let peak = golden(|s| sign * profit(s), bracket.0, bracket.1).max(sign * values[best]);
            Limit::At(sign * limit.map_or(peak, |l| peak.max(sign * l)))
        };
        let break_evens = (0..prices.len() - 1)
            .filter(|&i| (values[i] > 0.0) != (values[i + 1] > 0.0))
            .filter_map(|i| {
                find_root(profit, prices[i], prices[i + 1], 1e-12 * prices[i + 1])
                    .ok()
                    .map(|r| r.x)
            })
            .collect();
        let pieces = (0..prices.len())
            .map(|i| match prices.get(i + 1) {
                Some(next) => Outcome {
                    from: prices[i],
                    to: *next,
                    value: values[i],
                    slope: (values[i + 1] - values[i]) / (next - prices[i]),
                },
                None => Outcome {
                    from: prices[i],
                    to: f64::INFINITY,
                    value: values[i],
                    slope,
                },
            })
            .collect();
        Ok(Curve {
            most: extreme(1.0),
            least: extreme(-1.0),
            break_evens,
            zero_ranges: Vec::new(),
            pieces,
            slope,
            limit,
        })
    }
}

/// Profit against price at the horizon.
struct Curve {
    pieces: Vec<Outcome>,
    most: Limit,
    least: Limit,
    break_evens: Vec<f64>,
    zero_ranges: Vec<(f64, Option<f64>)>,
    slope: f64,
    limit: Option<f64>,
}

impl Curve {
    fn straight(pieces: Vec<Outcome>) -> Curve {
        let last = pieces[pieces.len() - 1];
        let extreme = |sign: f64| {
            if last.slope * sign > 0.0 {
                return Limit::Unlimited;
            }
            Limit::At(
                sign * pieces
                    .iter()
                    .map(|p| sign * p.value)
                    .fold(f64::NEG_INFINITY, f64::max),
            )
        };
        let mut break_evens: Vec<f64> = Vec::new();
        let mut zero_ranges: Vec<(f64, Option<f64>)> = Vec::new();
        for p in &pieces {
            let end = p.to.is_finite().then_some(p.to);
            if p.value == 0.0 && p.slope == 0.0 {
                match zero_ranges.last_mut().filter(|r| r.1 == Some(p.from)) {
                    Some(range) => range.1 = end,
                    None => zero_ranges.push((p.from, end)),
                }
            } else if p.value == 0.0 {
                break_evens.push(p.from);
            } else if p.slope != 0.0 {
                let at = p.from - p.value / p.slope;
                if at > p.from && at < p.to {
                    break_evens.push(at);
                }
            }
        }
        // An end of a stretch of zero belongs to the stretch.
        break_evens.retain(|b| {
            !zero_ranges
                .iter()
                .any(|(from, to)| *b >= *from && to.is_none_or(|to| *b <= to))
        });
        Curve {
            most: extreme(1.0),
            least: extreme(-1.0),
            break_evens,
            zero_ranges,
            slope: last.slope,
            limit: (last.slope == 0.0).then_some(last.value),
            pieces,
        }
    }
}

/// The highest value of a function with one peak between `a` and `b` (golden section).
fn golden(f: impl Fn(f64) -> f64, mut a: f64, mut b: f64) -> f64 {
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
    }
    fc.max(fd)
}
