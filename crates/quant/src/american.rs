//! The early-exercise boundary of an American put, and prices from it.
//!
//! Method: spectral collocation of the boundary and a fixed-point iteration of its integral
//! equation. Source: L. Andersen, M. Lake, D. Offengenden, "High-performance American option
//! pricing", *Journal of Computational Finance* 20 (2016) 39–87, fixed-point system A; the first
//! guess is the QD+ approximation of M. Li, "Analytical approximations for the critical stock
//! prices of American options", *Review of Derivatives Research* 13 (2010) 75–99.
//!
//! Symbols: strike 1 (prices scale with it), x spot over strike, τ time to maturity, r rate, q
//! yield, σ volatility, B(τ) boundary, X = B(0+) = min(1, r/q). With d±(τ,z) = [ln z + (r−q)τ]/(σ√τ)
//! ± σ√τ/2 the put is
//! V(x) = p(T,x) + ∫₀ᵀ [r e^{−r(T−u)} Φ(−d₋(T−u, x/B(u))) − q x e^{−q(T−u)} Φ(−d₊(T−u, x/B(u)))] du.
//!
//! Valid for r > 0 and any q ≥ 0, or q < 0 < r: one boundary exists. Calls come by the symmetry
//! C(S,K,r,q) = P(K,S,q,r) (McDonald & Schroder 1998). The caller sends every other case
//! elsewhere (see `model.rs`). Weaknesses: very small σ√T with r near q converges slowly; below
//! one minute the caller uses the European price or intrinsic value.

use crate::brent::find_root;
use crate::european::{european, european_price};
use crate::normal::{cdf, pdf};
use crate::quadrature::gauss_legendre;
use crate::terms::{Kind, Style, Terms, Valuation};

/// How finely the boundary and the value integral are resolved.
#[derive(Debug)]
pub(crate) struct Scheme {
    /// Collocation points besides the one at expiry.
    nodes: usize,
    /// Fixed-point sweeps.
    sweeps: usize,
    /// Quadrature of the boundary equation, on [−1, 1].
    boundary_rule: Vec<(f64, f64)>,
    /// Quadrature of the value integral, on [−1, 1].
    value_rule: Vec<(f64, f64)>,
    /// Chebyshev points cos(iπ/n), i = 0..=n.
    chebyshev: Vec<f64>,
}

impl Scheme {
    pub(crate) fn new(boundary_points: usize, sweeps: usize, nodes: usize, value_points: usize) -> Scheme {
        Scheme {
            nodes,
            sweeps,
            boundary_rule: gauss_legendre(boundary_points),
            value_rule: gauss_legendre(value_points),
            chebyshev: (0..=nodes).map(|i| (i as f64 * std::f64::consts::PI / nodes as f64).cos()).collect(),
        }
    }
}

/// One point of the value integral, everything that does not depend on the spot.
#[derive(Debug, Clone, Copy)]
struct Strip {
    /// ln B(u) − (r−q)(T−u): subtract from ln x to get the numerator of d.
    shift: f64,
    /// 1/(σ√(T−u)).
    inverse_deviation: f64,
    /// σ√(T−u)/2.
    half_deviation: f64,
    /// r e^{−r(T−u)} times the quadrature weight.
    interest: f64,
    /// q e^{−q(T−u)} times the quadrature weight.
    dividend: f64,
}

/// A solved boundary for a put with strike 1: prices any spot.
#[derive(Debug, Clone)]
pub struct Boundary {
    european: Terms,
    now: f64,
    strips: Vec<Strip>,
}

impl Boundary {
    /// Solves for a unit-strike put. Requires `time > 0`, `vol > 0`, `rate > 0`.
    pub(crate) fn solve(time: f64, rate: f64, carry_yield: f64, vol: f64, scheme: &Scheme) -> Boundary {
        let european = Terms { kind: Kind::Put, style: Style::European, strike: 1.0, time, rate, carry_yield, vol };
        let at_expiry = if carry_yield > rate { rate / carry_yield } else { 1.0 };
        let n = scheme.nodes;
        let taus: Vec<f64> = scheme.chebyshev.iter().map(|z| time * ((1.0 + z) / 2.0).powi(2)).collect();
        let mut values: Vec<f64> = taus[..n].iter().map(|&tau| first_guess(&Terms { time: tau, ..european }, at_expiry)).collect();
        values.push(at_expiry);
        let mut curve = Interpolant::fit(&values, at_expiry, &scheme.chebyshev);
        let nodes: Vec<Node> = taus[..n].iter().map(|&tau| Node::new(&european, tau, &scheme.boundary_rule)).collect();
        for _ in 0..scheme.sweeps {
            for (node, value) in nodes.iter().zip(&mut values) {
                *value = node.sweep(&european, *value, at_expiry, &curve);
            }
            curve = Interpolant::fit(&values, at_expiry, &scheme.chebyshev);
        }
        let strips = scheme
            .value_rule
            .iter()
            .map(|&(y, w)| {
                let left = time * (1.0 + y) * (1.0 + y) / 4.0;
                let weight = w * time / 2.0 * (1.0 + y);
                let deviation = vol * left.sqrt();
                Strip {
                    shift: curve.log_at(((time - left).max(0.0) / time).sqrt()) - (rate - carry_yield) * left,
                    inverse_deviation: 1.0 / deviation,
                    half_deviation: deviation / 2.0,
                    interest: rate * (-rate * left).exp() * weight,
                    dividend: carry_yield * (-carry_yield * left).exp() * weight,
                }
            })
            .collect();
        Boundary { european, now: values[0], strips }
    }

    /// The spot (in strikes) at and below which exercise is best today.
    pub fn now(&self) -> f64 {
        self.now
    }

    /// Price of the unit-strike put at `x` = spot/strike.
    pub(crate) fn price(&self, x: f64) -> f64 {
        if x <= self.now {
            return 1.0 - x;
        }
        let log = x.ln();
        let premium: f64 = self
            .strips
            .iter()
            .map(|s| {
                let d = (log - s.shift) * s.inverse_deviation;
                let cash = s.interest * cdf(s.half_deviation - d);
                if s.dividend == 0.0 { cash } else { cash - x * s.dividend * cdf(-d - s.half_deviation) }
            })
            .sum();
        (european_price(&self.european, x) + premium.max(0.0)).max(1.0 - x)
    }

    /// Price, delta, gamma and (from the pricing equation) theta of the unit-strike put.
    /// Vega and rho are left at zero: they need neighbouring boundaries.
    pub(crate) fn value(&self, x: f64) -> Valuation {
        if x <= self.now {
            return Valuation { price: 1.0 - x, delta: -1.0, ..Valuation::default() };
        }
        let mut out = european(&self.european, x);
        let log = x.ln();
        for s in &self.strips {
            let d = (log - s.shift) * s.inverse_deviation;
            let (minus, plus) = (d - s.half_deviation, d + s.half_deviation);
            let v = 1.0 / s.inverse_deviation;
            out.price += s.interest * cdf(-minus);
            out.delta -= s.interest * pdf(minus) / (x * v);
            out.gamma += s.interest * pdf(minus) * (minus / v + 1.0) / (x * x * v);
            if s.dividend != 0.0 {
                out.price -= x * s.dividend * cdf(-plus);
                out.delta += s.dividend * (pdf(plus) / v - cdf(-plus));
                out.gamma += s.dividend * pdf(plus) * (1.0 - plus / v) / (x * v);
            }
        }
        let t = &self.european;
        let theta = t.rate * out.price - (t.rate - t.carry_yield) * x * out.delta - 0.5 * t.vol * t.vol * x * x * out.gamma;
        Valuation { theta_day: theta / 365.0, vega_point: 0.0, rho_point: 0.0, ..out }
    }
}

/// Chebyshev interpolant of H(√τ) = ln²(B/X).
struct Interpolant {
    coefficients: Vec<f64>,
    log_at_expiry: f64,
}

impl Interpolant {
    fn fit(values: &[f64], at_expiry: f64, chebyshev: &[f64]) -> Interpolant {
        let n = values.len() - 1;
        let heights: Vec<f64> = values.iter().map(|b| (b / at_expiry).ln().powi(2)).collect();
        // cos(ikπ/n) is chebyshev[ik mod 2n], reflected.
        let cosine = |j: usize| {
            let j = j % (2 * n);
            chebyshev[if j > n { 2 * n - j } else { j }]
        };
        let mut coefficients: Vec<f64> = (0..=n)
            .map(|k| {
                let inner: f64 = (1..n).map(|i| heights[i] * cosine(i * k)).sum();
                2.0 / n as f64 * (0.5 * heights[0] + 0.5 * heights[n] * cosine(n * k) + inner)
            })
            .collect();
        coefficients[0] *= 0.5;
        coefficients[n] *= 0.5;
        Interpolant { coefficients, log_at_expiry: at_expiry.ln() }
    }

    /// ln B where √(τ/T) = `root`, by Clenshaw's recurrence.
    fn log_at(&self, root: f64) -> f64 {
        let z = 2.0 * root - 1.0;
        let (mut b1, mut b2) = (0.0, 0.0);
        for c in self.coefficients[1..].iter().rev() {
            (b1, b2) = (c + 2.0 * z * b1 - b2, b1);
        }
        let height: f64 = self.coefficients[0] + z * b1 - b2;
        self.log_at_expiry - height.max(0.0).sqrt()
    }
}

/// One collocation point with its quadrature, everything that no sweep changes.
struct Node {
    tau: f64,
    deviation: f64,
    points: Vec<NodePoint>,
}

struct NodePoint {
    /// √(u/T), where the interpolant is read.
    root: f64,
    /// (r−q)(τ−u).
    drift: f64,
    /// σ√(τ−u).
    v: f64,
    /// r e^{ru} √τ/σ times the quadrature weight.
    interest: f64,
    /// q e^{qu} √τ/σ times the quadrature weight.
    density: f64,
    /// q e^{qu} (τ/2)(1+y) times the quadrature weight.
    dividend: f64,
}

impl Node {
    fn new(t: &Terms, tau: f64, rule: &[(f64, f64)]) -> Node {
        let (r, q, vol) = (t.rate, t.carry_yield, t.vol);
        let deviation = vol * tau.sqrt();
        let points = rule
            .iter()
            .map(|&(y, w)| {
                let left = tau * (1.0 + y) * (1.0 + y) / 4.0;
                let u = (tau - left).max(0.0);
                let per_root = w * tau.sqrt() / vol;
                let grown = q * (q * u).exp();
                NodePoint {
                    root: (u / t.time).sqrt(),
                    drift: (r - q) * left,
                    v: vol * left.sqrt(),
                    interest: r * (r * u).exp() * per_root,
                    density: grown * per_root,
                    dividend: grown * w * tau / 2.0 * (1.0 + y),
                }
            })
            .collect();
        Node { tau, deviation, points }
    }

    /// One fixed-point step (system A, smooth pasting).
    fn sweep(&self, t: &Terms, current: f64, at_expiry: f64, curve: &Interpolant) -> f64 {
        let carry = t.rate - t.carry_yield;
        let log = current.ln();
        let d_minus = (log + carry * self.tau) / self.deviation - self.deviation / 2.0;
        let d_plus = d_minus + self.deviation;
        let mut top = pdf(d_minus) / self.deviation;
        let mut bottom = pdf(d_plus) / self.deviation + cdf(d_plus);
        for p in &self.points {
            let d = (log - curve.log_at(p.root) + p.drift) / p.v;
            top += p.interest * pdf(d - p.v / 2.0);
            if t.carry_yield != 0.0 {
                let plus = d + p.v / 2.0;
                bottom += p.dividend * cdf(plus) + p.density * pdf(plus);
            }
        }
        let next = (-carry * self.tau).exp() * top / bottom;
        // A step out of the domain keeps the previous value: the iteration stays defined.
        if next.is_finite() && next > 0.0 { next.min(at_expiry) } else { current }
    }
}

/// The QD+ boundary at one time to maturity; the boundary at expiry if no root is bracketed.
fn first_guess(t: &Terms, at_expiry: f64) -> f64 {
    let variance = t.vol * t.vol;
    let (alpha, omega) = (2.0 * t.rate / variance, 2.0 * (t.rate - t.carry_yield) / variance);
    let h = -(-t.rate * t.time).exp_m1();
    let root = ((omega - 1.0).powi(2) + 4.0 * alpha / h).sqrt();
    let lambda = (-(omega - 1.0) - root) / 2.0;
    let slope = alpha / (h * h * root);
    let width = 2.0 * lambda + omega - 1.0;
    let grown = (t.rate * t.time).exp();
    let f = |b: f64| {
        let e = european(t, b);
        let gap = 1.0 - b - e.price;
        let theta = e.theta_day * 365.0;
        (1.0 + e.delta) * b + lambda * gap - (1.0 - h) * alpha / width * ((1.0 / h + slope / width) * gap - theta * grown / t.rate)
    };
    let b = (t.rate - t.carry_yield) / variance;
    let l = 0.5 - b - ((b - 0.5).powi(2) + 2.0 * t.rate / variance).sqrt();
    let perpetual = l / (l - 1.0);
    find_root(f, perpetual, at_expiry * (1.0 - 1e-10), 1e-5).map_or(at_expiry * 0.999, |root| root.x)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Boundary of a put K=100, r=.05, q=.02, σ=.30 by days: computed with an independent
    /// general-purpose library and a second method (see tests/values.rs), good to 1e-3.
    #[test]
    fn boundary_matches_an_independent_computation() {
        let scheme = Scheme::new(32, 8, 16, 64);
        let table = [(1.0, 95.7918), (7.0, 90.6513), (30.0, 83.8943), (90.0, 76.8028), (180.0, 71.5681), (365.0, 65.8975)];
        for (days, want) in table {
            let got = 100.0 * Boundary::solve(days / 365.0, 0.05, 0.02, 0.30, &scheme).now();
            assert!((got - want).abs() < 1e-3, "{days} days: {got} {want}");
        }
    }
}
