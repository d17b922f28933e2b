//! The early-exercise boundary of an American put, and prices from it.
//!
//! Method: spectral collocation of the boundary and a fixed-point iteration of its integral
//! equation. Source: L. Andersen, M. Lake, D. Offengenden, "High-performance American option
//! pricing", *Journal of Computational Finance* 20 (2016) 39–87, fixed-point systems A (smooth pasting;
//! where |r−q|√τ < σ/2: it converges faster there, and diverges far outside) and B (value matching); the first
//! guess is the QD+ approximation of M. Li, "Analytical approximations for the critical stock
//! prices of American options", *Review of Derivatives Research* 13 (2010) 75–99.
//!
//! Symbols: strike 1 (prices scale with it), x spot over strike, τ time to maturity, r rate, q
//! yield, σ volatility, B(τ) boundary, X = B(0+) = min(1, r/q). With d±(τ,z) = [ln z + (r−q)τ]/(σ√τ)
//! ± σ√τ/2 the put is
//! V(x) = p(T,x) + ∫₀ᵀ [r e^{−r(T−u)} Φ(−d₋(T−u, x/B(u))) − q x e^{−q(T−u)} Φ(−d₊(T−u, x/B(u)))] du.
//!
//! Where we differ from the paper: the integrals over u ∈ (0, τ) are taken in the angle θ with
//! τ − u = τ sin²θ, which makes both √(τ−u) and √u smooth (the paper's substitution serves the first
//! alone), by Gauss–Legendre; and since the quadrature points are fixed fractions of each τ, reading
//! the interpolant there is one fixed matrix per scheme. Errors against an independent library are
//! in `tests/reference.rs`.
//!
//! Valid for r > 0 and any q ≥ 0, or q < 0 < r: one boundary exists. Calls come by the symmetry
//! C(S,K,r,q) = P(K,S,q,r) (McDonald & Schroder 1998). The caller sends every other case
//! elsewhere (see `model.rs`). Weaknesses: very small σ√T with r near q converges slowly; below
//! one minute the caller uses the European price or intrinsic value.

use std::f64::consts::FRAC_PI_4;

use crate::brent::find_root;
use crate::european::{european, european_price};
use crate::normal::{cdf, cdf_with_density, pdf};
use crate::quadrature::gauss_legendre;
use crate::terms::{Kind, Style, Terms, Valuation};

/// One quadrature point in the angle θ ∈ (0, π/2).
#[derive(Debug, Clone, Copy)]
struct Angle {
    /// √((τ−u)/τ).
    sin: f64,
    /// √(u/τ).
    cos: f64,
    /// Weight, Jacobian of the interval included.
    weight: f64,
}

fn angles(points: usize) -> Vec<Angle> {
    let rule = gauss_legendre(points);
    rule.into_iter()
        .map(|(y, w)| {
            let (sin, cos) = ((1.0 + y) * FRAC_PI_4).sin_cos();
            Angle { sin, cos, weight: w * FRAC_PI_4 }
        })
        .collect()
}

/// How finely the boundary and the value integral are resolved.
#[derive(Debug)]
pub(crate) struct Scheme {
    /// Most fixed-point sweeps.
    sweeps: usize,
    /// Sweeps end when the boundary moves less than this (in strikes).
    tolerance: f64,
    /// √(τ/T) of each collocation point; the first is 1, the last (expiry) 0.
    roots: Vec<f64>,
    /// Quadrature of the boundary equation.
    boundary: Vec<Angle>,
    /// Row (i·points + j): what the interpolant at √u = √τᵢ cos θⱼ takes of each collocation value.
    boundary_rows: Vec<f64>,
    /// Quadrature of the value integral.
    value: Vec<Angle>,
    /// The same at √u = √T cos θⱼ.
    value_rows: Vec<f64>,
}

impl Scheme {
    /// `nodes` collocation points besides the one at expiry.
    pub(crate) fn new(nodes: usize, boundary_points: usize, sweeps: usize, tolerance: f64, value_points: usize) -> Scheme {
        let chebyshev: Vec<f64> = (0..=nodes).map(|i| (i as f64 * std::f64::consts::PI / nodes as f64).cos()).collect();
        let roots: Vec<f64> = chebyshev.iter().map(|z| (1.0 + z) / 2.0).collect();
        let (boundary, value) = (angles(boundary_points), angles(value_points));
        let read = |root: f64| interpolation_row(&chebyshev, 2.0 * root - 1.0);
        let boundary_rows = roots[..nodes].iter().flat_map(|root| boundary.iter().flat_map(move |a| read(root * a.cos))).collect();
        let value_rows = value.iter().flat_map(|a| read(a.cos)).collect();
        Scheme { sweeps, tolerance, roots, boundary, boundary_rows, value, value_rows }
    }
}

/// Weights of the polynomial through the Chebyshev points at `z` (barycentric formula; Berrut & Trefethen,
/// *SIAM Review* 46 (2004) 501–517, section 5).
fn interpolation_row(chebyshev: &[f64], z: f64) -> Vec<f64> {
    if let Some(hit) = chebyshev.iter().position(|c| (c - z).abs() < 1e-15) {
        return (0..chebyshev.len()).map(|i| f64::from(u8::from(i == hit))).collect();
    }
    let last = chebyshev.len() - 1;
    let pull = |(i, c): (usize, &f64)| {
        let weight = if i == 0 || i == last { 0.5 } else { 1.0 };
        weight * if i % 2 == 0 { 1.0 } else { -1.0 } / (z - c)
    };
    let pulls: Vec<f64> = chebyshev.iter().enumerate().map(pull).collect();
    let sum: f64 = pulls.iter().sum();
    pulls.into_iter().map(|p| p / sum).collect()
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
    /// B at the collocation points; the first is the boundary today.
    values: Vec<f64>,
    strips: Vec<Strip>,
}

impl Boundary {
    /// Solves for a unit-strike put. Requires `time > 0`, `vol > 0`, `rate > 0`.
    pub(crate) fn solve(time: f64, rate: f64, carry_yield: f64, vol: f64, scheme: &Scheme) -> Boundary {
        let european = Terms { kind: Kind::Put, style: Style::European, strike: 1.0, time, rate, carry_yield, vol };
        let at_expiry = at_expiry(rate, carry_yield);
        let mut values = Vec::with_capacity(scheme.roots.len());
        let mut floor = None;
        for root in &scheme.roots[..scheme.roots.len() - 1] {
            let guess = first_guess(&Terms { time: time * root * root, ..european }, at_expiry, floor);
            values.push(guess);
            // Nearer to expiry the boundary lies higher.
            floor = Some(guess);
        }
        values.push(at_expiry);
        Boundary::refine(european, values, scheme)
    }

    /// The same option under slightly different terms, beginning with this boundary instead of a guess.
    pub(crate) fn nearby(&self, time: f64, rate: f64, carry_yield: f64, vol: f64, scheme: &Scheme) -> Boundary {
        let european = Terms { time, rate, carry_yield, vol, ..self.european };
        let scale = at_expiry(rate, carry_yield) / at_expiry(self.european.rate, self.european.carry_yield);
        Boundary::refine(european, self.values.iter().map(|b| b * scale).collect(), scheme)
    }

    fn refine(european: Terms, mut values: Vec<f64>, scheme: &Scheme) -> Boundary {
        let at_expiry = values[values.len() - 1];
        let mut heights: Vec<f64> = values.iter().map(|b| height(*b, at_expiry)).collect();
        let nodes = scheme.nodes(&european);
        let log_top = at_expiry.ln();
        // System B gains less with each sweep.
        let sweeps = if nodes.iter().all(|n| n.smooth_pasting) { scheme.sweeps } else { 3 * scheme.sweeps };
        for _ in 0..sweeps {
            let mut change = 0.0_f64;
            let points = scheme.boundary.len() * heights.len();
            for ((node, value), rows) in nodes.iter().zip(&mut values).zip(scheme.boundary_rows.chunks_exact(points)) {
                let next = node.sweep(&european, *value, at_expiry, log_top, rows, &heights);
                change = change.max((next - *value).abs());
                *value = next;
            }
            for (h, b) in heights.iter_mut().zip(&values) {
                *h = height(*b, at_expiry);
            }
            if change <= scheme.tolerance {
                break;
            }
        }
        let (time, rate, carry_yield) = (european.time, european.rate, european.carry_yield);
        let strips = scheme.value.iter().zip(scheme.value_rows.chunks_exact(heights.len()));
        let strips = strips
            .map(|(a, row)| {
                let left = time * a.sin * a.sin;
                let weight = 2.0 * time * a.sin * a.cos * a.weight;
                let deviation = european.vol * time.sqrt() * a.sin;
                Strip {
                    shift: log_boundary(row, &heights, log_top) - (rate - carry_yield) * left,
                    inverse_deviation: 1.0 / deviation,
                    half_deviation: deviation / 2.0,
                    interest: rate * (-rate * left).exp() * weight,
                    dividend: if carry_yield == 0.0 { 0.0 } else { carry_yield * (-carry_yield * left).exp() * weight },
                }
            })
            .collect();
        Boundary { european, values, strips }
    }

    /// The spot (in strikes) at and below which exercise is best today.
    pub fn now(&self) -> f64 {
        self.values[0]
    }

    /// Price of the unit-strike put at `x` = spot/strike.
    pub(crate) fn price(&self, x: f64) -> f64 {
        if x <= self.now() {
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
        if x <= self.now() {
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

/// B(0+): where the boundary ends at expiry.
fn at_expiry(rate: f64, carry_yield: f64) -> f64 {
    if carry_yield > rate { rate / carry_yield } else { 1.0 }
}

/// H = ln²(B/X), smooth in √τ.
fn height(boundary: f64, at_expiry: f64) -> f64 {
    (boundary / at_expiry).ln().powi(2)
}

/// ln B where the interpolant of H takes `row` of the collocation values.
fn log_boundary(row: &[f64], heights: &[f64], log_top: f64) -> f64 {
    let height: f64 = row.iter().zip(heights).map(|(w, h)| w * h).sum();
    log_top - height.max(0.0).sqrt()
}

/// One collocation point with its quadrature, everything that no sweep changes.
struct Node {
    /// Whether system A serves here.
    smooth_pasting: bool,
    deviation: f64,
    /// (r−q)τ.
    drift: f64,
    points: Vec<NodePoint>,
}

struct NodePoint {
    /// (r−q)(τ−u).
    drift: f64,
    /// σ√(τ−u).
    v: f64,
    /// 1/(σ√(τ−u)).
    inverse: f64,
    /// r e^{ru} times the weight, and 2√τ cosθ/σ in system A, 2τ sinθ cosθ in system B.
    interest: f64,
    /// q e^{qu} 2√τ cosθ/σ times the weight; system A only.
    density: f64,
    /// q e^{qu} 2τ sinθ cosθ times the weight.
    dividend: f64,
}

impl Scheme {
    fn nodes(&self, t: &Terms) -> Vec<Node> {
        let (r, q, vol) = (t.rate, t.carry_yield, t.vol);
        let node = |root: &f64| {
            let tau = t.time * root * root;
            let root_tau = tau.sqrt();
            let smooth_pasting = (r - q).abs() * root_tau < 0.5 * vol;
            let point = |a: &Angle| {
                let (left, u) = (tau * a.sin * a.sin, tau * a.cos * a.cos);
                let v = vol * root_tau * a.sin;
                let per_root = 2.0 * root_tau * a.cos / vol * a.weight;
                let per_time = 2.0 * tau * a.sin * a.cos * a.weight;
                let grown = if q == 0.0 { 0.0 } else { q * (q * u).exp() };
                NodePoint {
                    drift: (r - q) * left,
                    v,
                    inverse: 1.0 / v,
                    interest: r * (r * u).exp() * if smooth_pasting { per_root } else { per_time },
                    density: grown * per_root,
                    dividend: grown * per_time,
                }
            };
            Node { smooth_pasting, deviation: vol * root_tau, drift: (r - q) * tau, points: self.boundary.iter().map(point).collect() }
        };
        self.roots[..self.roots.len() - 1].iter().map(node).collect()
    }
}

impl Node {
    /// One fixed-point step.
    fn sweep(&self, t: &Terms, current: f64, at_expiry: f64, log_top: f64, rows: &[f64], heights: &[f64]) -> f64 {
        let log = current.ln();
        let d_minus = (log + self.drift) / self.deviation - self.deviation / 2.0;
        let points = self.points.iter().zip(rows.chunks_exact(heights.len()));
        let points = points.map(|(p, row)| (p, (log - log_boundary(row, heights, log_top) + p.drift) * p.inverse));
        let pays = t.carry_yield != 0.0;
        let (top, bottom) = if self.smooth_pasting { self.pasted(d_minus, points, pays) } else { self.matched(d_minus, points, pays) };
        let next = (-self.drift).exp() * top / bottom;
        // A step out of the domain keeps the previous value: the iteration stays defined.
        if next.is_finite() && next > 0.0 { next.min(at_expiry) } else { current }
    }

    /// Numerator and denominator of system A.
    fn pasted<'a>(&self, d_minus: f64, points: impl Iterator<Item = (&'a NodePoint, f64)>, pays: bool) -> (f64, f64) {
        let d_plus = d_minus + self.deviation;
        let mut top = pdf(d_minus) / self.deviation;
        let mut bottom = pdf(d_plus) / self.deviation + cdf(d_plus);
        for (p, d) in points {
            let density = pdf(d - p.v / 2.0);
            top += p.interest * density;
            if pays {
                let density = density * (-d * p.v).exp();
                bottom += p.dividend * cdf_with_density(d + p.v / 2.0, density) + p.density * density;
            }
        }
        (top, bottom)
    }

    /// Numerator and denominator of system B.
    fn matched<'a>(&self, d_minus: f64, points: impl Iterator<Item = (&'a NodePoint, f64)>, pays: bool) -> (f64, f64) {
        let (mut top, mut bottom) = (cdf(d_minus), cdf(d_minus + self.deviation));
        for (p, d) in points {
            top += p.interest * cdf(d - p.v / 2.0);
            if pays {
                bottom += p.dividend * cdf(d + p.v / 2.0);
            }
        }
        (top, bottom)
    }
}

/// The QD+ boundary at one time to maturity, somewhat below B(0+) if no root is bracketed. `floor` is a lower bound if
/// one is known.
fn first_guess(t: &Terms, at_expiry: f64, floor: Option<f64>) -> f64 {
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
    let top = at_expiry * (1.0 - 1e-10);
    // Noise here would wake unstable modes of the sweeps near expiry: the guess must be smooth in τ.
    let solve = |low: f64| find_root(f, low, top, 1e-9 * top).map(|root| root.x);
    floor.map(|low| solve(low * 0.999)).and_then(Result::ok).or_else(|| solve(perpetual).ok()).unwrap_or(at_expiry * 0.999)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Boundary of a put K=100, r=.05, q=.02, σ=.30 by days: computed with an independent
    /// general-purpose library and a second method, good to 1e-3.
    #[test]
    fn boundary_matches_an_independent_computation() {
        let scheme = Scheme::new(32, 40, 40, 1e-14, 56);
        let table = [(1.0, 95.7918), (7.0, 90.6513), (30.0, 83.8943), (90.0, 76.8028), (180.0, 71.5681), (365.0, 65.8975)];
        for (days, want) in table {
            let got = 100.0 * Boundary::solve(days / 365.0, 0.05, 0.02, 0.30, &scheme).now();
            assert!((got - want).abs() < 1e-3, "{days} days: {got} {want}");
        }
    }
}
