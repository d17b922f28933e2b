//! Options on an underlying that pays known cash dividends.
//!
//! Spot model: between dividends ln S moves with volatility σ and drift r − q − σ²/2; at each
//! ex-date S falls by the amount (to zero at least). The value solves V_t + ½σ²V_xx + (r−q−σ²/2)V_x
//! − rV = 0 in x = ln S, with V(S) = V(S − D) across an ex-date and, for an American option, V ≥
//! exercise value at every moment, just before a dividend included.
//!
//! Method: Crank–Nicolson on an even grid in x with a node on ln S and the payoff averaged over the
//! cell of the strike; time steps that grow quadratically away from expiry and from each ex-date,
//! the first two replaced by four implicit half-steps (Rannacher,
//! *Numerische Mathematik* 43 (1984) 309–327); early exercise by the direct solver of Brennan &
//! Schwartz (*Journal of Finance* 32 (1977) 449–462); the shift at an ex-date by cubic
//! interpolation; two resolutions extrapolated (4·fine − coarse)/3.
//!
//! Valid for American options whose exercise region has one end (at negative rates and yields it
//! may have two: refused), and for all European ones. Error in parts of the spot: about 1e-5 at the
//! interactive setting; at the reference one below 5e-6, which is also what the oracle in
//! `tests/oracle` can show. Weakness: a dividend as large as a deviation of the price to expiry
//! gives the largest error. The volatility is that of the spot, not of the spot less the present
//! value of dividends.

use crate::model::Accuracy;
use crate::terms::{Error, Kind, Style, Terms, Valuation, not_negative, price_level};

/// Cash paid per unit of the underlying.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Dividend {
    /// Years from now to the ex-date.
    pub time: f64,
    /// Amount per unit.
    pub amount: f64,
}

/// An option with the dividends that fall before its expiry, made ready to be priced at one spot.
#[derive(Debug, Clone)]
pub struct DividendModel {
    terms: Terms,
    dividends: Vec<Dividend>,
    accuracy: Accuracy,
}

/// Price and the two derivatives that a grid gives by itself.
#[derive(Debug, Clone, Copy)]
struct Reading {
    price: f64,
    delta: f64,
    gamma: f64,
}

impl DividendModel {
    /// Checks the terms and the dividends; those at expiry or later have no influence and are left
    /// out.
    ///
    /// # Errors
    /// Terms that the grid does not cover, or a dividend below zero.
    pub fn new(
        terms: &Terms,
        dividends: &[Dividend],
        accuracy: Accuracy,
    ) -> Result<DividendModel, Error> {
        terms.check()?;
        // Between dividends: the same cases as without them.
        let below = match terms.kind {
            Kind::Call => terms.carry_yield < 0.0 && terms.rate < terms.carry_yield,
            Kind::Put => terms.rate < 0.0 && terms.carry_yield < terms.rate,
        };
        if terms.style == Style::American && below {
            return Err(Error::TwoBoundaries {
                rate: terms.rate,
                carry_yield: terms.carry_yield,
            });
        }
        let mut kept = Vec::new();
        for d in dividends {
            not_negative("dividend time", d.time)?;
            not_negative("dividend amount", d.amount)?;
            if d.time < terms.time && d.amount > 0.0 {
                kept.push(*d);
            }
        }
        kept.sort_by(|a, b| a.time.total_cmp(&b.time));
        Ok(DividendModel {
            terms: *terms,
            dividends: kept,
            accuracy,
        })
    }

    /// Price per unit at `spot`, above zero.
    ///
    /// ```
    /// // Hull (from memory): a European call on 40 with 0.50 paid after two and five months costs 3.67; his
    /// // escrowed share has less volatility than the share itself, which is modelled here: 3.72 or so.
    /// use quant::{Accuracy, Dividend, DividendModel, Kind, Style, Terms};
    /// let terms = Terms {
    ///     kind: Kind::Call,
    ///     style: Style::European,
    ///     strike: 40.0,
    ///     time: 0.5,
    ///     rate: 0.09,
    ///     carry_yield: 0.0,
    ///     vol: 0.30,
    /// };
    /// let paid = [2.0, 5.0].map(|month| Dividend { time: month / 12.0, amount: 0.5 });
    /// let price = DividendModel::new(&terms, &paid, Accuracy::Interactive)?.price(40.0)?;
    /// assert!(price > 3.67 && price < 3.80, "{price}");
    /// # Ok::<(), quant::Error>(())
    /// ```
    ///
    /// # Errors
    /// A spot out of range.
    pub fn price(&self, spot: f64) -> Result<f64, Error> {
        Ok(self
            .extrapolated(&self.terms, price_level("spot", spot)?)
            .price)
    }

    /// Price and Greeks at `spot`. Theta follows from the pricing equation: expiry and dividends
    /// come nearer together.
    ///
    /// # Errors
    /// A spot out of range.
    pub fn value(&self, spot: f64) -> Result<Valuation, Error> {
        let spot = price_level("spot", spot)?;
        let t = &self.terms;
        let here = self.extrapolated(t, spot);
        let exercise = t.kind.intrinsic(spot, t.strike);
        if t.style == Style::American && exercise > 0.0 && here.price <= exercise * (1.0 + 1e-13) {
            return Ok(Valuation {
                price: exercise,
                delta: t.kind.sign(),
                ..Valuation::default()
            });
        }
        let theta = t.rate * here.price
            - (t.rate - t.carry_yield) * spot * here.delta
            - 0.5 * t.vol * t.vol * spot * spot * here.gamma;
        let derivative = |change: fn(&mut Terms, f64), by: f64| {
            let at = |by: f64| {
                let mut terms = *t;
                change(&mut terms, by);
                self.extrapolated(&terms, spot).price
            };
            (at(by) - at(-by)) / (2.0 * by) / 100.0
        };
        Ok(Valuation {
            price: here.price,
            delta: here.delta,
            gamma: here.gamma,
            theta_day: theta / 365.0,
            vega_point: derivative(|t, by| t.vol += by, 1e-3_f64.min(t.vol / 2.0)),
            rho_point: derivative(|t, by| t.rate += by, 1e-4),
        })
    }

    /// Two resolutions, extrapolated. Bumped terms use the grid of the model's own terms, so that
    /// its error cancels.
    fn extrapolated(&self, terms: &Terms, spot: f64) -> Reading {
        let t = &self.terms;
        if t.time <= 0.0 || t.vol * t.time.sqrt() < 1e-8 {
            return self.without_volatility(terms, spot);
        }
        let (nodes, steps) = match self.accuracy {
            Accuracy::Interactive => (200, 50),
            Accuracy::Reference => (600, 150),
        };
        // A dividend so near that the price hardly moves before it leaves a kink that a coarse grid
        // steps over.
        let (nodes, steps) = match self.dividends.first() {
            Some(d) if t.style == Style::American => {
                let finer = (t.time / d.time.max(1e-6)).sqrt() * NEAR_DIVIDEND;
                let times = (finer as usize).clamp(1, (FINEST / nodes).max(2));
                (nodes * times, steps * times)
            }
            _ => (nodes, steps),
        };
        let fine = Grid::new(t, &self.dividends, spot, nodes).solve(terms, &self.dividends, steps);
        let coarse =
            Grid::new(t, &self.dividends, spot, nodes / 2).solve(terms, &self.dividends, steps / 2);
        let mix = |a: f64, b: f64| (4.0 * a - b) / 3.0;
        let price = mix(fine.price, coarse.price);
        let floor = if t.style == Style::American {
            t.kind.intrinsic(spot, t.strike)
        } else {
            0.0
        };
        Reading {
            price: price.max(floor),
            delta: mix(fine.delta, coarse.delta),
            gamma: mix(fine.gamma, coarse.gamma),
        }
    }

    /// The best of exercising now, just before a dividend, or at expiry along the path without
    /// chance.
    fn without_volatility(&self, t: &Terms, spot: f64) -> Reading {
        let value = |spot: f64| {
            let mut level = spot;
            let mut at = 0.0;
            let mut best = if t.style == Style::American {
                t.kind.intrinsic(spot, t.strike)
            } else {
                0.0
            };
            for d in &self.dividends {
                level *= ((t.rate - t.carry_yield) * (d.time - at)).exp();
                if t.style == Style::American {
                    best = best.max((-t.rate * d.time).exp() * t.kind.intrinsic(level, t.strike));
                }
                level = (level - d.amount).max(0.0);
                at = d.time;
                if t.style == Style::American {
                    best = best.max((-t.rate * d.time).exp() * t.kind.intrinsic(level, t.strike));
                }
            }
            level *= ((t.rate - t.carry_yield) * (t.time - at)).exp();
            best.max((-t.rate * t.time).exp() * t.kind.intrinsic(level, t.strike))
        };
        let h = spot * 1e-6;
        Reading {
            price: value(spot),
            delta: (value(spot + h) - value(spot - h)) / (2.0 * h),
            gamma: 0.0,
        }
    }
}

/// An even grid in ln S.
struct Grid {
    step: f64,
    /// Node at ln S.
    here: usize,
    spots: Vec<f64>,
}

/// The grid grows finer as the deviation until the first dividend shrinks against that to expiry:
/// by so much of their ratio, twice at least and up to so many intervals.
const NEAR_DIVIDEND: f64 = 0.8;
const FINEST: usize = 800;

/// How many deviations the grid reaches beyond spot and strike.
const REACH: f64 = 4.5;

impl Grid {
    /// About `intervals` intervals, wide enough for the terms and the dividends.
    fn new(t: &Terms, dividends: &[Dividend], spot: f64, intervals: usize) -> Grid {
        let deviation = t.vol * t.time.sqrt();
        let paid: f64 = dividends.iter().map(|d| d.amount).sum();
        let (x, k) = (spot.ln(), t.strike.ln());
        let low = x.min(k) - REACH * deviation - 0.05 - (paid / spot).min(2.0);
        let high = x.max(k) + REACH * deviation + 0.05;
        let step = (high - low) / intervals as f64;
        let here = ((x - low) / step).round() as usize;
        let spots = (0..=intervals)
            .map(|j| (x + (j as f64 - here as f64) * step).exp())
            .collect();
        Grid { step, here, spots }
    }

    fn solve(&self, t: &Terms, dividends: &[Dividend], steps: usize) -> Reading {
        let mut march = March::new(self, t, dividends);
        let mut until = t.time;
        for d in dividends.iter().rev() {
            march.back(until, d.time, steps);
            march.shift(d);
            until = d.time;
        }
        march.back(until, 0.0, steps);
        let (v, j, h) = (&march.values, self.here, self.step);
        let spot = self.spots[j];
        let slope = (v[j + 1] - v[j - 1]) / (2.0 * h);
        let curve = (v[j + 1] - 2.0 * v[j] + v[j - 1]) / (h * h);
        Reading {
            price: v[j],
            delta: slope / spot,
            gamma: (curve - slope) / (spot * spot),
        }
    }
}

/// Values on the grid, marching from expiry to now.
struct March<'a> {
    grid: &'a Grid,
    terms: &'a Terms,
    dividends: &'a [Dividend],
    exercise: Vec<f64>,
    values: Vec<f64>,
    /// Of the equation's spatial operator: below, on and above the diagonal.
    stencil: [f64; 3],
    pivots: Vec<f64>,
    sides: Vec<f64>,
}

impl<'a> March<'a> {
    fn new(grid: &'a Grid, terms: &'a Terms, dividends: &'a [Dividend]) -> March<'a> {
        let (h, k) = (grid.step, terms.strike.ln());
        let exercise: Vec<f64> = grid
            .spots
            .iter()
            .map(|s| terms.kind.intrinsic(*s, terms.strike))
            .collect();
        let mut values = exercise.clone();
        // The cell that holds the strike takes the average of the payoff over it.
        for (value, spot) in values.iter_mut().zip(&grid.spots) {
            let (a, b) = (spot.ln() - h / 2.0, spot.ln() + h / 2.0);
            if a < k && k < b {
                *value = match terms.kind {
                    Kind::Call => (b.exp() - terms.strike - terms.strike * (b - k)) / h,
                    Kind::Put => (terms.strike * (k - a) - (terms.strike - a.exp())) / h,
                };
            }
        }
        let diffusion = 0.5 * terms.vol * terms.vol / (h * h);
        let drift = (terms.rate - terms.carry_yield - 0.5 * terms.vol * terms.vol) / (2.0 * h);
        let stencil = [
            diffusion - drift,
            -2.0 * diffusion - terms.rate,
            diffusion + drift,
        ];
        let n = values.len();
        March {
            grid,
            terms,
            dividends,
            exercise,
            values,
            stencil,
            pivots: vec![0.0; n],
            sides: vec![0.0; n],
        }
    }

    /// From `later`, expiry or an ex-date, back to `earlier` (years from now).
    fn back(&mut self, later: f64, earlier: f64, steps: usize) {
        let span = later - earlier;
        if span <= 0.0 {
            return;
        }
        // Where a holder exercises just before a dividend the values have a kink there, as they
        // have at expiry: both need the same care.
        let share = span / self.terms.time;
        let n = ((steps as f64 * share.sqrt()).ceil() as usize).max(8);
        let at = |i: usize| later - span * (i as f64 / n as f64).powi(2);
        for i in 0..n {
            let (from, to) = (at(i), at(i + 1));
            if i < 2 {
                let half = (from + to) / 2.0;
                self.step(from, half, 1.0);
                self.step(half, to, 1.0);
            } else {
                self.step(from, to, 0.5);
            }
        }
    }

    /// Values at the two ends of the grid, `now` years from now.
    fn ends(&self, now: f64) -> (f64, f64) {
        let t = self.terms;
        let left = t.time - now;
        let (money, asset) = ((-t.rate * left).exp(), (-t.carry_yield * left).exp());
        let paid: f64 = self
            .dividends
            .iter()
            .filter(|d| d.time > now)
            .map(|d| d.amount * (-t.rate * (d.time - now)).exp())
            .sum();
        let (low, high) = (
            self.grid.spots[0],
            self.grid.spots[self.grid.spots.len() - 1],
        );
        let american = t.style == Style::American;
        match t.kind {
            Kind::Call => {
                let held = high * asset - t.strike * money - paid;
                (
                    0.0,
                    if american {
                        held.max(high - t.strike)
                    } else {
                        held.max(0.0)
                    },
                )
            }
            Kind::Put => {
                let held = (t.strike * money - (low * asset - paid).max(0.0)).max(0.0);
                (
                    if american {
                        held.max(t.strike - low)
                    } else {
                        held
                    },
                    0.0,
                )
            }
        }
    }

    /// One step from `from` back to `to`; `theta` 1 is implicit, ½ Crank–Nicolson.
    fn step(&mut self, from: f64, to: f64, theta: f64) {
        let dt = from - to;
        let n = self.values.len();
        let [below, on, above] = self.stencil;
        let (low, high) = self.ends(to);
        let explicit = (1.0 - theta) * dt;
        for j in 1..n - 1 {
            let v = &self.values;
            self.sides[j] = v[j] + explicit * (below * v[j - 1] + on * v[j] + above * v[j + 1]);
        }
        let (a, b, c) = (
            -theta * dt * below,
            1.0 - theta * dt * on,
            -theta * dt * above,
        );
        self.sides[1] -= a * low;
        self.sides[n - 2] -= c * high;
        self.values[0] = low;
        self.values[n - 1] = high;
        let american = self.terms.style == Style::American;
        // Elimination ends where exercise begins, so that substitution can take the better of the
        // two as it goes.
        match self.terms.kind {
            Kind::Put => {
                self.pivots[n - 2] = b;
                for j in (1..n - 2).rev() {
                    let f = c / self.pivots[j + 1];
                    self.pivots[j] = b - f * a;
                    self.sides[j] -= f * self.sides[j + 1];
                }
                for j in 1..n - 1 {
                    let known = if j == 1 { 0.0 } else { a * self.values[j - 1] };
                    let held = (self.sides[j] - known) / self.pivots[j];
                    self.values[j] = if american {
                        held.max(self.exercise[j])
                    } else {
                        held
                    };
                }
            }
            Kind::Call => {
                self.pivots[1] = b;
                for j in 2..n - 1 {
                    let f = a / self.pivots[j - 1];
                    self.pivots[j] = b - f * c;
                    self.sides[j] -= f * self.sides[j - 1];
                }
                for j in (1..n - 1).rev() {
                    let known = if j == n - 2 {
                        0.0
                    } else {
                        c * self.values[j + 1]
                    };
                    let held = (self.sides[j] - known) / self.pivots[j];
                    self.values[j] = if american {
                        held.max(self.exercise[j])
                    } else {
                        held
                    };
                }
            }
        }
    }

    /// Across an ex-date: V(S) = V(S − D), or exercise just before it.
    fn shift(&mut self, d: &Dividend) {
        let t = self.terms;
        let after = self.values.clone();
        let (first, h) = (self.grid.spots[0].ln(), self.grid.step);
        let american = t.style == Style::American;
        let worthless = match t.kind {
            Kind::Call => 0.0,
            Kind::Put if american => t.strike,
            Kind::Put => t.strike * (-t.rate * (t.time - d.time)).exp(),
        };
        for (j, spot) in self.grid.spots.iter().enumerate() {
            let left = spot - d.amount;
            let value = if left <= self.grid.spots[0] {
                worthless + (after[0] - worthless) * left.max(0.0) / self.grid.spots[0]
            } else {
                cubic(&after, (left.ln() - first) / h)
            };
            self.values[j] = if american {
                value.max(self.exercise[j])
            } else {
                value
            };
        }
    }
}

/// Cubic through the four nearest nodes at place `x` (in steps from the first), kept between its
/// two neighbours.
fn cubic(v: &[f64], x: f64) -> f64 {
    let n = v.len();
    let left = (x.floor() as usize).min(n - 2);
    let start = left.saturating_sub(1).min(n - 4);
    let s = x - start as f64;
    let [a, b, c, d] = [v[start], v[start + 1], v[start + 2], v[start + 3]];
    let value = -a * (s - 1.0) * (s - 2.0) * (s - 3.0) / 6.0 + b * s * (s - 2.0) * (s - 3.0) / 2.0
        - c * s * (s - 1.0) * (s - 3.0) / 2.0
        + d * s * (s - 1.0) * (s - 2.0) / 6.0;
    let (low, high) = (v[left].min(v[left + 1]), v[left].max(v[left + 1]));
    value.clamp(low, high)
}
