//! European options in closed form.
//!
//! Everything is priced through the forward F = S e^{(r−q)T} and the discount factor e^{−rT}:
//! V = e^{−rT}·cp·[F Φ(cp d₁) − K Φ(cp d₂)], d₁,₂ = ln(F/K)/(σ√T) ± σ√T/2.
//!
//! Sources: Black & Scholes (1973), Merton (1973) for the yield, Black (1976) for q = r; Greeks as
//! in Hull, *Options, Futures and Other Derivatives*, ch. 19. Valid for S, K > 0, T ≥ 0, σ ≥ 0 and
//! any rates; T = 0 or σ = 0 is the discounted intrinsic value of the forward. Weakness: where
//! both terms nearly cancel (far out of the money), about three of the sixteen digits are lost.

use crate::normal::{cdf, pdf};
use crate::terms::{Kind, Terms, Valuation};

/// Price alone; the cheap path for curves.
pub fn european_price(t: &Terms, spot: f64) -> f64 {
    let discount = (-t.rate * t.time).exp();
    let forward = spot * ((t.rate - t.carry_yield) * t.time).exp();
    let deviation = t.vol * t.time.sqrt();
    let sign = t.kind.sign();
    if deviation < 1e-12 {
        return discount * t.kind.intrinsic(forward, t.strike);
    }
    let d1 = (forward / t.strike).ln() / deviation + 0.5 * deviation;
    (discount * sign * (forward * cdf(sign * d1) - t.strike * cdf(sign * (d1 - deviation)))).max(0.0)
}

/// Price and Greeks. At expiry, or without volatility, the Greeks are those of the discounted
/// payoff (gamma and vega zero; at the kink itself the delta of the out-of-the-money side).
pub fn european(t: &Terms, spot: f64) -> Valuation {
    let discount = (-t.rate * t.time).exp();
    let carry = (-t.carry_yield * t.time).exp();
    let sign = t.kind.sign();
    let root = t.time.sqrt();
    let deviation = t.vol * root;
    if deviation < 1e-12 {
        return without_volatility(t, spot, discount, carry);
    }
    let d1 = ((spot / t.strike).ln() + (t.rate - t.carry_yield) * t.time) / deviation + 0.5 * deviation;
    let d2 = d1 - deviation;
    let (n1, n2, density) = (cdf(sign * d1), cdf(sign * d2), pdf(d1));
    let asset = spot * carry * n1;
    let cash = t.strike * discount * n2;
    let theta_year = -spot * carry * density * t.vol / (2.0 * root) + sign * (t.carry_yield * asset - t.rate * cash);
    Valuation {
        price: (sign * (asset - cash)).max(0.0),
        delta: sign * carry * n1,
        gamma: carry * density / (spot * deviation),
        theta_day: theta_year / 365.0,
        vega_point: spot * carry * density * root / 100.0,
        rho_point: sign * t.time * cash / 100.0,
    }
}

/// How the Greeks themselves change; European options only.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Higher {
    /// Change of delta per calendar day passing.
    pub charm_day: f64,
    /// Change of delta per volatility point.
    pub vanna_point: f64,
    /// Change of vega (per point) per volatility point.
    pub vomma_point: f64,
}

/// Charm, vanna and vomma (Haug, *The Complete Guide to Option Pricing Formulas*, 2007, ch. 2). `None` without time or
/// volatility, where they do not exist at the strike.
pub fn european_higher(t: &Terms, spot: f64) -> Option<Higher> {
    let root = t.time.sqrt();
    let deviation = t.vol * root;
    if deviation < 1e-12 {
        return None;
    }
    let carry = (-t.carry_yield * t.time).exp();
    let b = t.rate - t.carry_yield;
    let d1 = ((spot / t.strike).ln() + b * t.time) / deviation + 0.5 * deviation;
    let d2 = d1 - deviation;
    let density = carry * pdf(d1);
    let sign = t.kind.sign();
    let charm = sign * t.carry_yield * carry * cdf(sign * d1) - density * (2.0 * b * t.time - d2 * deviation) / (2.0 * t.time * deviation);
    let vega = spot * density * root;
    Some(Higher { charm_day: charm / 365.0, vanna_point: -density * d2 / t.vol / 100.0, vomma_point: vega * d1 * d2 / t.vol / 1e4 })
}

fn without_volatility(t: &Terms, spot: f64, discount: f64, carry: f64) -> Valuation {
    let sign = t.kind.sign();
    let value = sign * (spot * carry - t.strike * discount);
    if value <= 0.0 {
        return Valuation::default();
    }
    Valuation {
        price: value,
        delta: sign * carry,
        theta_day: sign * (t.carry_yield * spot * carry - t.rate * t.strike * discount) / 365.0,
        rho_point: sign * t.time * t.strike * discount / 100.0,
        ..Valuation::default()
    }
}

/// The value at expiry or exercise, with the delta of exercise.
pub(crate) fn exercise_value(kind: Kind, spot: f64, strike: f64) -> Valuation {
    let price = kind.intrinsic(spot, strike);
    Valuation { price, delta: if price > 0.0 { kind.sign() } else { 0.0 }, ..Valuation::default() }
}
