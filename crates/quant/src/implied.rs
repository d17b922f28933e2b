//! Implied volatility.
//!
//! European: the price is discounted back to the forward and its out-of-the-money part solved for
//! s = σ√T on b(x,s) = Φ(x/s+s/2)e^{x/2} − Φ(x/s−s/2)e^{−x/2}, x = −|ln(F/K)|, by Newton steps on ln b
//! (below the inflection s_c = √(2|x|)) or on ln(b_max − b) (above), inside a bracket that every step
//! must respect. Source of the transformation: P. Jäckel, "Let's be rational", *Wilmott* (2017).
//! Relative tolerance on s: 1e-13. American: Brent's method on the American price, tolerance 1e-9
//! on σ. A price outside the no-arbitrage bounds gives the bound it broke, never a number.

use std::f64::consts::FRAC_1_SQRT_2;

use thiserror::Error;

use crate::brent::find_root;
use crate::dividends::{Dividend, DividendModel};
use crate::model::{Accuracy, Model};
use crate::normal::{cdf, erfcx, inverse_cdf, pdf};
use crate::terms::{self, Kind, Style, Terms};

/// Why a price implies no volatility.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum ImpliedError {
    /// The price lies at or outside a no-arbitrage bound.
    #[error("{bound}: the price {price} must lie above {lower} and below {upper}")]
    OutOfBounds {
        /// Which bound was broken.
        bound: Bound,
        /// The price given.
        price: f64,
        /// Value without volatility.
        lower: f64,
        /// Value at unlimited volatility.
        upper: f64,
    },
    /// Nothing is left to expiry: the price says nothing about volatility.
    #[error("no time is left to expiry")]
    NoTime,
    /// The inputs are outside the domain.
    #[error(transparent)]
    Input(#[from] terms::Error),
    /// The solver gave up; should not happen inside the bounds.
    #[error("no convergence: {0}")]
    Solver(#[from] crate::brent::RootError),
}

/// The two no-arbitrage bounds of an option price.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Bound {
    /// At or below the value without volatility.
    BelowIntrinsic,
    /// At or above the most the option can be worth.
    AboveMaximum,
}

impl std::fmt::Display for Bound {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Bound::BelowIntrinsic => "below intrinsic value",
            Bound::AboveMaximum => "above the maximum",
        })
    }
}

/// The volatility at which the option in `terms` (its own `vol` is ignored) costs `price`.
pub fn implied_vol(terms: &Terms, spot: f64, price: f64) -> Result<f64, ImpliedError> {
    implied_vol_near(terms, spot, price, 0.3, Accuracy::Interactive)
}

/// As [`implied_vol`], starting near `guess`, with the engine accuracy of an American option.
pub fn implied_vol_near(terms: &Terms, spot: f64, price: f64, guess: f64, accuracy: Accuracy) -> Result<f64, ImpliedError> {
    check(terms, spot, price)?;
    match terms.style {
        Style::European => european_implied(terms, spot, price),
        Style::American => american_implied(terms, spot, price, guess, accuracy),
    }
}

/// Refuses what no solver can use.
fn check(terms: &Terms, spot: f64, price: f64) -> Result<(), ImpliedError> {
    terms.check()?;
    terms::price_level("spot", spot)?;
    if !price.is_finite() {
        return Err(terms::Error::NotFinite("price").into());
    }
    if terms.time <= 0.0 {
        return Err(ImpliedError::NoTime);
    }
    Ok(())
}

fn european_implied(t: &Terms, spot: f64, price: f64) -> Result<f64, ImpliedError> {
    let discount = (-t.rate * t.time).exp();
    let forward = spot * ((t.rate - t.carry_yield) * t.time).exp();
    let k = t.strike;
    let intrinsic = t.kind.intrinsic(forward, k);
    let most = if t.kind == Kind::Call { forward } else { k };
    let undiscounted = price / discount;
    let refuse = |bound| ImpliedError::OutOfBounds { bound, price, lower: intrinsic * discount, upper: most * discount };
    if undiscounted < intrinsic {
        return Err(refuse(Bound::BelowIntrinsic));
    }
    if undiscounted >= most {
        return Err(refuse(Bound::AboveMaximum));
    }
    let scale = (forward * k).sqrt();
    let x = -(forward / k).ln().abs();
    let beta = (undiscounted - intrinsic) / scale;
    if beta <= 0.0 {
        return Ok(0.0);
    }
    Ok(normalised_deviation(x, beta) / t.time.sqrt())
}

/// Solves b(x, s) = β for s > 0, where x ≤ 0 and 0 < β < e^{x/2}.
fn normalised_deviation(x: f64, beta: f64) -> f64 {
    if x == 0.0 {
        return 2.0 * inverse_cdf((1.0 + beta) / 2.0);
    }
    let (up, down) = ((x / 2.0).exp(), (-x / 2.0).exp());
    let b = |s: f64| {
        let (h, t) = (x / s, s / 2.0);
        if h + t > -0.5 && s > 0.85 {
            up * cdf(h + t) - down * cdf(h - t)
        } else {
            // The same without the cancellation of two tails (Jäckel's equation 6.10).
            0.5 * (-0.5 * (h * h + t * t)).exp() * (erfcx(-(h + t) * FRAC_1_SQRT_2) - erfcx(-(h - t) * FRAC_1_SQRT_2))
        }
    };
    let slope = |s: f64| up * pdf(x / s + s / 2.0);
    let inflection = (-2.0 * x).sqrt();
    let below = beta < b(inflection);
    let (mut lo, mut hi) = if below { (0.0, inflection) } else { (inflection, f64::INFINITY) };
    let mut s = inflection;
    for _ in 0..200 {
        let (value, v) = (b(s), slope(s));
        let step = if below { (beta.ln() - value.ln()) * value / v } else { -((up - beta) / (up - value)).ln() * (up - value) / v };
        if value < beta {
            lo = lo.max(s);
        } else {
            hi = hi.min(s);
        }
        if step.abs() <= 1e-13 * s {
            return s + step;
        }
        let next = s + step;
        s = if next > lo && next < hi {
            next
        } else if hi.is_finite() {
            0.5 * (lo + hi)
        } else {
            2.0 * s
        };
        if hi - lo <= 1e-15 * s {
            break;
        }
    }
    s
}

fn american_implied(t: &Terms, spot: f64, price: f64, guess: f64, accuracy: Accuracy) -> Result<f64, ImpliedError> {
    let at = |vol: f64, accuracy| Model::new(&Terms { vol, ..*t }, accuracy).map_or(f64::NAN, |m| m.price(spot)) - price;
    let lower = Model::new(&Terms { vol: LEAST, ..*t }, accuracy)?.price(spot);
    let upper = if t.kind == Kind::Call { spot } else { t.strike };
    let first = enclosed(|vol| at(vol, Accuracy::Interactive), price, lower, upper, guess)?;
    if accuracy == Accuracy::Interactive {
        return Ok(first);
    }
    // The quick engine's answer is close: a few secant steps on the exact one, with the quick engine's slope to begin.
    let h = first * 1e-4;
    let mut slope = (at(first + h, Accuracy::Interactive) - at(first - h, Accuracy::Interactive)) / (2.0 * h);
    let (mut vol, mut off) = (first, at(first, accuracy));
    for _ in 0..6 {
        if off.abs() <= 1e-12 * t.strike || slope.abs() < 1e-12 * t.strike {
            break;
        }
        let next = (vol - off / slope).max(LEAST);
        let off_next = at(next, accuracy);
        if next == vol || !off_next.is_finite() || off_next.abs() >= off.abs() {
            break;
        }
        (slope, vol, off) = ((off_next - off) / (next - vol), next, off_next);
    }
    Ok(vol)
}

/// Volatilities that are looked at.
const LEAST: f64 = 1e-4;
const MOST: f64 = 20.0;

/// Checks the bounds, encloses the root around `guess` and finds it; `f` is the price at a volatility less `price`.
fn enclosed(f: impl Fn(f64) -> f64, price: f64, lower: f64, upper: f64, guess: f64) -> Result<f64, ImpliedError> {
    let refuse = |bound| ImpliedError::OutOfBounds { bound, price, lower, upper };
    if price >= upper {
        return Err(refuse(Bound::AboveMaximum));
    }
    if price <= lower {
        return Err(refuse(Bound::BelowIntrinsic));
    }
    let guess = guess.clamp(0.01, 5.0);
    let (mut lo, mut hi) = (guess * 0.9, guess * 1.1);
    while lo > LEAST && f(lo) > 0.0 {
        (lo, hi) = ((lo * 0.5).max(LEAST), lo);
    }
    while hi < MOST && f(hi) < 0.0 {
        (lo, hi) = (hi, (hi * 2.0).min(MOST));
    }
    Ok(find_root(f, lo, hi, 1e-9)?.x)
}

/// The volatility at which an option with cash dividends costs `price`.
pub fn implied_vol_with_dividends(terms: &Terms, dividends: &[Dividend], spot: f64, price: f64, accuracy: Accuracy) -> Result<f64, ImpliedError> {
    check(terms, spot, price)?;
    let at = |vol: f64| -> Result<f64, terms::Error> { DividendModel::new(&Terms { vol, ..*terms }, dividends, accuracy)?.price(spot) };
    let lower = at(0.0)?;
    let american = terms.style == Style::American;
    let upper = match terms.kind {
        Kind::Call => spot * if american { 1.0 } else { (-terms.carry_yield * terms.time).exp() },
        Kind::Put => terms.strike * if american { 1.0 } else { (-terms.rate * terms.time).exp() },
    };
    enclosed(|vol| at(vol).unwrap_or(f64::NAN) - price, price, lower, upper, 0.3)
}
