//! One expiration's smile as a raw SVI slice, and its fit to quotes.
//!
//! Total variance w(k) = a + b{ρ(k−m) + √((k−m)² + s²)} at log-moneyness k = ln(K/F) (Gatheral
//! 2004; Gatheral & Jacquier, *Quantitative Finance* 14 (2014) 59–71). Domain: b ≥ 0, |ρ| < 1, s >
//! 0, a + bs√(1−ρ²) ≥ 0. Free of butterfly arbitrage where g(k) = (1 − kw'/(2w))² − (w'²/4)(1/w +
//! ¼) + w''/2 ≥ 0 and b(1+|ρ|) ≤ 2 (Lee's bound on the wings).
//!
//! Fit: for a given (m, s) the slice is linear in (a, d, c) with d = ρbs, c = bs, and least squares
//! solves it; m and ln s are searched by Nelder & Mead (*Computer Journal* 7 (1965) 308–313) from a
//! few starts (the quasi-explicit calibration of De Marco & Martini, 2009). The fit does not force
//! g ≥ 0: it reports where g is lowest. Weakness: with quotes on one side of the money m and s are
//! poorly determined, though w is not.

use crate::terms::Error;

/// One expiration's total variance over log-moneyness, by five numbers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Svi {
    a: f64,
    b: f64,
    rho: f64,
    m: f64,
    s: f64,
}

/// A quote to fit: log-moneyness, total variance, and how much it counts (larger for narrower
/// markets).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SmilePoint {
    /// ln(K/F): zero at the forward, above zero for higher strikes.
    pub k: f64,
    /// σ²T, the variance to the expiration and not a year's.
    pub total_variance: f64,
    /// Weight, at least zero; 1/width² of the market in total variance is the usual choice.
    pub weight: f64,
}

/// A fitted slice and how well it does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fit {
    /// The slice that fits the points best.
    pub slice: Svi,
    /// Largest distance to a point that counts, in total variance.
    pub worst: f64,
    /// Where g is lowest among the points' range and a third beyond, and its value: below zero is
    /// butterfly arbitrage.
    pub lowest_density: (f64, f64),
}

impl Svi {
    /// A slice in the domain above; wings steeper than Lee's bound are refused.
    ///
    /// # Errors
    /// Parameters outside of it.
    pub fn new(a: f64, b: f64, rho: f64, m: f64, s: f64) -> Result<Svi, Error> {
        for (name, value) in [("a", a), ("b", b), ("rho", rho), ("m", m), ("s", s)] {
            if !value.is_finite() {
                return Err(Error::NotFinite(name));
            }
        }
        if rho.abs() >= 1.0 {
            return Err(Error::OutOfRange {
                name: "rho",
                value: rho,
                least: -1.0,
                most: 1.0,
            });
        }
        if s <= 0.0 {
            return Err(Error::NotPositive {
                name: "s",
                value: s,
            });
        }
        if b < 0.0 || b * (1.0 + rho.abs()) > 2.0 {
            return Err(Error::OutOfRange {
                name: "b",
                value: b,
                least: 0.0,
                most: 2.0 / (1.0 + rho.abs()),
            });
        }
        let least = a + b * s * (1.0 - rho * rho).sqrt();
        if least < 0.0 {
            return Err(Error::Negative {
                name: "the least total variance",
                value: least,
            });
        }
        Ok(Svi { a, b, rho, m, s })
    }

    /// Total variance with its first and second derivative.
    ///
    /// ```
    /// let smile = quant::Svi::new(0.01, 0.1, -0.5, 0.0, 0.1)?;
    /// // At m the root is s: w = a + b·s; with ρ below zero the smile falls there.
    /// let (w, slope, bend) = smile.at(0.0);
    /// assert!((w - 0.02).abs() < 1e-12 && slope < 0.0 && bend > 0.0);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn at(&self, k: f64) -> (f64, f64, f64) {
        let x = k - self.m;
        let root = (x * x + self.s * self.s).sqrt();
        (
            self.a + self.b * (self.rho * x + root),
            self.b * (self.rho + x / root),
            self.b * self.s * self.s / root.powi(3),
        )
    }

    /// g(k): below zero there is butterfly arbitrage.
    pub fn density_factor(&self, k: f64) -> f64 {
        let (w, first, second) = self.at(k);
        (1.0 - k * first / (2.0 * w)).powi(2) - first * first / 4.0 * (1.0 / w + 0.25)
            + second / 2.0
    }

    /// The lowest g between two log-moneynesses, on a fine grid.
    pub fn lowest_density(&self, from: f64, to: f64) -> (f64, f64) {
        let places = (0..=400).map(|i| from + (to - from) * f64::from(i) / 400.0);
        places
            .map(|k| (k, self.density_factor(k)))
            .min_by(|a, b| a.1.total_cmp(&b.1))
            .unwrap_or((from, f64::NAN))
    }

    /// Fits a slice to at least five points that count.
    ///
    /// ```
    /// use quant::{SmilePoint, Svi};
    /// let smile = Svi::new(0.01, 0.1, -0.5, 0.0, 0.1)?;
    /// let points: Vec<SmilePoint> = (-8..=8)
    ///     .map(|i| 0.04 * f64::from(i))
    ///     .map(|k| SmilePoint { k, total_variance: smile.at(k).0, weight: 1.0 })
    ///     .collect();
    /// let fitted = Svi::fit(&points)?;
    /// // Exact points give their own smile back.
    /// assert!((fitted.slice.at(0.1).0 - smile.at(0.1).0).abs() < 1e-6);
    /// # Ok::<(), quant::Error>(())
    /// ```
    ///
    /// # Errors
    /// Fewer than five points, or points that no slice follows.
    pub fn fit(points: &[SmilePoint]) -> Result<Fit, Error> {
        for p in points {
            if !(p.k.is_finite() && p.total_variance.is_finite() && p.weight.is_finite()) {
                return Err(Error::NotFinite("a point of the smile"));
            }
            if p.total_variance <= 0.0 {
                return Err(Error::NotPositive {
                    name: "total variance",
                    value: p.total_variance,
                });
            }
        }
        let counting: Vec<SmilePoint> = points.iter().filter(|p| p.weight > 0.0).copied().collect();
        if counting.len() < 5 {
            return Err(Error::OutOfRange {
                name: "number of points",
                value: counting.len() as f64,
                least: 5.0,
                most: f64::INFINITY,
            });
        }
        let (low, high) = counting
            .iter()
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), p| {
                (a.min(p.k), b.max(p.k))
            });
        let width = (high - low).max(1e-6);
        let cost = |x: [f64; 2]| linear(&counting, x[0], x[1].exp()).1;
        let mut best = ([0.0, 0.0], f64::INFINITY);
        for m in [low + 0.25 * width, low + 0.5 * width, low + 0.75 * width] {
            for s in [0.1 * width, 0.4 * width] {
                let found = nelder_mead(cost, [m, s.ln()], 0.2 * width);
                if found.1 < best.1 {
                    best = found;
                }
            }
        }
        let [m, log_s] = best.0;
        let ((a, d, c), _) = linear(&counting, m, log_s.exp());
        let s = log_s.exp();
        let rho = if c > 0.0 { d / c } else { 0.0 };
        let slice = Svi::new(a, c / s, rho, m, s)?;
        let worst = counting
            .iter()
            .map(|p| (slice.at(p.k).0 - p.total_variance).abs())
            .fold(0.0, f64::max);
        Ok(Fit {
            slice,
            worst,
            lowest_density: slice.lowest_density(low - width / 3.0, high + width / 3.0),
        })
    }
}

/// Best (a, d, c) for a given m and s, kept in the domain, and the weighted sum of squares.
fn linear(points: &[SmilePoint], m: f64, s: f64) -> ((f64, f64, f64), f64) {
    const STEEPEST: f64 = 0.999;
    let row = |p: &SmilePoint| {
        let y = (p.k - m) / s;
        [1.0, y, (y * y + 1.0).sqrt()]
    };
    let cost = |(a, d, c): (f64, f64, f64)| -> f64 {
        points
            .iter()
            .map(|p| {
                let r = row(p);
                p.weight * (a + d * r[1] + c * r[2] - p.total_variance).powi(2)
            })
            .sum()
    };
    let fits = |(a, d, c): (f64, f64, f64)| {
        c >= 0.0
            && d.abs() <= STEEPEST * c
            && c + d.abs() <= 2.0 * s
            && a + (c * c - d * d).max(0.0).sqrt() >= 0.0
    };
    // Normal equations over the basis vectors `of` each point.
    let solve = |basis: &dyn Fn(&SmilePoint) -> Vec<f64>, n: usize| -> Option<Vec<f64>> {
        let mut rows = vec![vec![0.0; n + 1]; n];
        for p in points {
            let v = basis(p);
            for i in 0..n {
                for j in 0..n {
                    rows[i][j] += p.weight * v[i] * v[j];
                }
                rows[i][n] += p.weight * v[i] * p.total_variance;
            }
        }
        gauss(rows)
    };
    let lowest = points
        .iter()
        .map(|p| p.total_variance)
        .fold(f64::INFINITY, f64::min);
    let mut best = ((lowest, 0.0, 0.0), f64::INFINITY);
    let mut consider = |x: (f64, f64, f64)| {
        let x_cost = cost(x);
        if fits(x) && x_cost < best.1 {
            best = (x, x_cost);
        }
    };
    consider((lowest, 0.0, 0.0));
    if let Some(x) = solve(&|p| row(p).to_vec(), 3) {
        consider((x[0], x[1], x[2]));
    }
    for rho in [-STEEPEST, STEEPEST] {
        let along = |p: &SmilePoint| {
            let r = row(p);
            vec![r[0], rho * r[1] + r[2]]
        };
        if let Some(x) = solve(&along, 2) {
            consider((x[0], rho * x[1], x[1]));
        }
    }
    best
}

/// Solves a small system given as rows with their right sides; `None` if it is singular.
fn gauss(mut rows: Vec<Vec<f64>>) -> Option<Vec<f64>> {
    let n = rows.len();
    for i in 0..n {
        let pivot = (i..n).max_by(|a, b| rows[*a][i].abs().total_cmp(&rows[*b][i].abs()))?;
        rows.swap(i, pivot);
        if rows[i][i].abs() < 1e-300 {
            return None;
        }
        let lead = rows[i].clone();
        for row in rows.iter_mut().skip(i + 1) {
            let factor = row[i] / lead[i];
            for (cell, l) in row.iter_mut().zip(&lead) {
                *cell -= factor * l;
            }
        }
    }
    let mut x = vec![0.0; n];
    for i in (0..n).rev() {
        let known: f64 = (i + 1..n).map(|j| rows[i][j] * x[j]).sum();
        x[i] = (rows[i][n] - known) / rows[i][i];
    }
    x.iter().all(|v| v.is_finite()).then_some(x)
}

/// Lowest value of a function of two variables near `start`.
fn nelder_mead(f: impl Fn([f64; 2]) -> f64, start: [f64; 2], step: f64) -> ([f64; 2], f64) {
    let mut simplex: Vec<([f64; 2], f64)> = [
        start,
        [start[0] + step, start[1]],
        [start[0], start[1] + 0.7],
    ]
    .into_iter()
    .map(|x| (x, f(x)))
    .collect();
    for _ in 0..300 {
        simplex.sort_by(|a, b| a.1.total_cmp(&b.1));
        let spread = (0..2)
            .map(|i| (simplex[2].0[i] - simplex[0].0[i]).abs())
            .fold(0.0, f64::max);
        if spread < 1e-12 {
            break;
        }
        let middle = [0, 1].map(|i| (simplex[0].0[i] + simplex[1].0[i]) / 2.0);
        let towards = |t: f64| [0, 1].map(|i| middle[i] + t * (simplex[2].0[i] - middle[i]));
        let tried = |t: f64| {
            let x = towards(t);
            (x, f(x))
        };
        let reflected = tried(-1.0);
        let next = if reflected.1 < simplex[0].1 {
            let farther = tried(-2.0);
            if farther.1 < reflected.1 {
                farther
            } else {
                reflected
            }
        } else if reflected.1 < simplex[1].1 {
            reflected
        } else {
            let nearer = if reflected.1 < simplex[2].1 {
                tried(-0.5)
            } else {
                tried(0.5)
            };
            if nearer.1 < simplex[2].1.min(reflected.1) {
                nearer
            } else {
                let best = simplex[0].0;
                for corner in simplex.iter_mut().skip(1) {
                    let x = [0, 1].map(|i| (corner.0[i] + best[i]) / 2.0);
                    *corner = (x, f(x));
                }
                continue;
            }
        };
        simplex[2] = next;
    }
    simplex.sort_by(|a, b| a.1.total_cmp(&b.1));
    simplex[0]
}
