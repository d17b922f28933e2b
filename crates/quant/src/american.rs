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

use crate::brent::find_root;
use crate::european::{european, european_price};
use crate::normal::{cdf, cdf_lane, exp_lane, pdf, pdf_lane};
use crate::scheme::Scheme;
use crate::terms::{Kind, Style, Terms, Valuation};

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
        let log_top = at_expiry.ln();
        let mut heights: Vec<f64> = values.iter().map(|b| height(*b, at_expiry)).collect();
        let mut equation = Equation::new(&european, scheme);
        // System B gains less with each sweep.
        let sweeps = if equation.nodes.iter().all(|n| n.smooth_pasting) { scheme.sweeps } else { 3 * scheme.sweeps };
        for _ in 0..sweeps {
            let change = equation.sweep(&mut values, &heights, log_top, scheme);
            for (h, b) in heights.iter_mut().zip(&values) {
                *h = height(*b, at_expiry);
            }
            if change <= scheme.tolerance {
                break;
            }
        }
        let (time, rate, carry_yield) = (european.time, european.rate, european.carry_yield);
        let mut read = vec![0.0; scheme.value.len()];
        combine(&mut read, &scheme.value_columns, &heights);
        let strips = scheme
            .value
            .iter()
            .zip(read)
            .map(|(a, height)| {
                let left = time * a.sin * a.sin;
                let weight = 2.0 * time * a.sin * a.cos * a.weight;
                let deviation = european.vol * time.sqrt() * a.sin;
                Strip {
                    shift: log_top - height.max(0.0).sqrt() - (rate - carry_yield) * left,
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

/// `out` = Σ columns[k]·weights[k]; the last weight, at expiry, is always zero.
fn combine(out: &mut [f64], columns: &[Vec<f64>], weights: &[f64]) {
    out.fill(0.0);
    for (column, weight) in columns.iter().zip(&weights[..weights.len() - 1]) {
        for (o, c) in out.iter_mut().zip(column) {
            *o += c * weight;
        }
    }
}

/// One collocation point.
struct Node {
    /// Whether system A serves here.
    smooth_pasting: bool,
    deviation: f64,
    /// (r−q)τ.
    drift: f64,
    /// e^{−(r−q)τ}.
    shrink: f64,
}

/// The boundary equation at all points of all nodes, as arrays (node by node): what no sweep changes, and room to work in.
struct Equation {
    nodes: Vec<Node>,
    pays: bool,
    /// (r−q)(τ−u).
    drift: Vec<f64>,
    /// σ√(τ−u)/2.
    half: Vec<f64>,
    /// 1/(σ√(τ−u)).
    inverse: Vec<f64>,
    /// r e^{ru} times the weight, and 2√τ cosθ/σ in system A, 2τ sinθ cosθ in system B.
    interest: Vec<f64>,
    /// q e^{qu} 2√τ cosθ/σ times the weight; zero in system B.
    density: Vec<f64>,
    /// q e^{qu} 2τ sinθ cosθ times the weight.
    dividend: Vec<f64>,
    d: Vec<f64>,
    top: Vec<f64>,
    bottom: Vec<f64>,
}

impl Equation {
    fn new(t: &Terms, scheme: &Scheme) -> Equation {
        let (r, q, vol) = (t.rate, t.carry_yield, t.vol);
        let (u, time) = (&scheme.unscaled, t.time);
        let deviation = vol * time.sqrt();
        let scaled = |from: &[f64], by: f64| from.iter().map(|x| x * by).collect::<Vec<f64>>();
        let grown = |rate: f64| u.until.iter().map(|x| rate * exp_lane(rate * time * x)).collect::<Vec<f64>>();
        let pays = q != 0.0;
        let count = u.left.len();
        let mut e = Equation {
            nodes: Vec::with_capacity(scheme.roots.len()),
            pays,
            drift: scaled(&u.left, (r - q) * time),
            half: scaled(&u.root_left, deviation / 2.0),
            inverse: scaled(&u.inverse, 1.0 / deviation),
            interest: grown(r),
            density: if pays { grown(q) } else { Vec::new() },
            dividend: if pays { scaled(&u.per_time, time) } else { Vec::new() },
            d: vec![0.0; count],
            top: vec![0.0; count],
            bottom: vec![0.0; if pays { count } else { 0 }],
        };
        for (i, root) in scheme.roots[..scheme.roots.len() - 1].iter().enumerate() {
            let tau = time * root * root;
            let smooth_pasting = (r - q).abs() * tau.sqrt() < 0.5 * vol;
            let here = i * scheme.points..(i + 1) * scheme.points;
            let (weights, by) = if smooth_pasting { (&u.per_root, time.sqrt() / vol) } else { (&u.per_time, time) };
            for (interest, w) in e.interest[here.clone()].iter_mut().zip(&weights[here.clone()]) {
                *interest *= w * by;
            }
            if pays {
                // The dividend term takes the growth before the density takes its weight.
                for (dividend, grown) in e.dividend[here.clone()].iter_mut().zip(&e.density[here.clone()]) {
                    *dividend *= grown;
                }
                for (density, w) in e.density[here.clone()].iter_mut().zip(&u.per_root[here]) {
                    *density *= if smooth_pasting { w * by } else { 0.0 };
                }
            }
            let drift = (r - q) * tau;
            e.nodes.push(Node { smooth_pasting, deviation: vol * tau.sqrt(), drift, shrink: (-drift).exp() });
        }
        e
    }

    /// One fixed-point step of every node from the same boundary; gives the largest move.
    fn sweep(&mut self, values: &mut [f64], heights: &[f64], log_top: f64, scheme: &Scheme) -> f64 {
        let points = scheme.points;
        combine(&mut self.d, &scheme.boundary_columns, heights);
        let logs: Vec<f64> = values.iter().map(|b| b.ln()).collect();
        for ((d, log), drift) in self.d.chunks_exact_mut(points).zip(&logs).zip(self.drift.chunks_exact(points)) {
            let base = log - log_top;
            for (d, drift) in d.iter_mut().zip(drift) {
                let height = if *d > 0.0 { *d } else { 0.0 };
                *d = base + height.sqrt() + drift;
            }
        }
        for (d, inverse) in self.d.iter_mut().zip(&self.inverse) {
            *d *= inverse;
        }
        // Long maturities come first, and with them the nodes of system B.
        let matched = self.nodes.iter().take_while(|n| !n.smooth_pasting).count() * points;
        for i in 0..matched {
            let minus = self.d[i] - self.half[i];
            self.top[i] = self.interest[i] * cdf_lane(minus, pdf_lane(minus));
        }
        for (((top, d), half), interest) in
            self.top[matched..].iter_mut().zip(&self.d[matched..]).zip(&self.half[matched..]).zip(&self.interest[matched..])
        {
            *top = interest * pdf_lane(d - half);
        }
        if self.pays {
            let weights = self.dividend.iter().zip(&self.density);
            for (((bottom, d), half), (dividend, density)) in self.bottom.iter_mut().zip(&self.d).zip(&self.half).zip(weights) {
                let plus = d + half;
                let phi = pdf_lane(plus);
                *bottom = dividend * cdf_lane(plus, phi) + density * phi;
            }
        }
        let mut change = 0.0_f64;
        for (i, node) in self.nodes.iter().enumerate() {
            let here = i * points..(i + 1) * points;
            let d_minus = (logs[i] + node.drift) / node.deviation - node.deviation / 2.0;
            let d_plus = d_minus + node.deviation;
            let (mut above, mut under) = if node.smooth_pasting {
                (pdf(d_minus) / node.deviation, pdf(d_plus) / node.deviation + cdf(d_plus))
            } else {
                (cdf(d_minus), cdf(d_plus))
            };
            above += self.top[here.clone()].iter().sum::<f64>();
            if self.pays {
                under += self.bottom[here].iter().sum::<f64>();
            }
            let next = node.shrink * above / under;
            // A step out of the domain keeps the previous value: the iteration stays defined.
            if next.is_finite() && next > 0.0 {
                let next = next.min(values[values.len() - 1]);
                change = change.max((next - values[i]).abs());
                values[i] = next;
            }
        }
        change
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
    let (grown, discount, carry) = ((t.rate * t.time).exp(), (-t.rate * t.time).exp(), (-t.carry_yield * t.time).exp());
    let (deviation, drift) = (t.vol * t.time.sqrt(), (t.rate - t.carry_yield) * t.time);
    let decay = t.vol / (2.0 * t.time.sqrt());
    let f = |b: f64| {
        let d1 = (b.ln() + drift) / deviation + deviation / 2.0;
        let d2 = d1 - deviation;
        let density = pdf_lane(d1);
        let asset = b * carry * cdf_lane(-d1, density);
        let cash = discount * cdf_lane(-d2, pdf_lane(d2));
        let gap = 1.0 - b - (cash - asset);
        let theta = t.rate * cash - t.carry_yield * asset - b * carry * density * decay;
        b - asset + lambda * gap - (1.0 - h) * alpha / width * ((1.0 / h + slope / width) * gap - theta * grown / t.rate)
    };
    let b = (t.rate - t.carry_yield) / variance;
    let l = 0.5 - b - ((b - 0.5).powi(2) + 2.0 * t.rate / variance).sqrt();
    let perpetual = l / (l - 1.0);
    let top = at_expiry * (1.0 - 1e-10);
    // Noise here would wake unstable modes of the sweeps near expiry: the guess must be smooth in τ.
    let solve = |low: f64| find_root(f, low, top, 1e-7 * top).map(|root| root.x);
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
