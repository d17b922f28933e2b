//! A volatility surface free of static arbitrage.
//!
//! SSVI (J. Gatheral & A. Jacquier, "Arbitrage-free SVI volatility surfaces", *Quantitative
//! Finance* 14 (2014) 59–71): total variance at log-moneyness k = ln(K/F) and at-the-money total
//! variance θ is w = (θ/2){1 + ρφk + √((φk+ρ)² + 1 − ρ²)}, with the power law
//! φ(θ) = η/(θ^γ (1+θ)^{1−γ}). Their theorem: with 0 < γ ≤ ½ and η(1+|ρ|) ≤ 2 there is no butterfly
//! arbitrage, and none across expirations while θ does not fall with time.

use crate::normal::{cdf, pdf};
use crate::terms::Error;

/// Shape of the smile; the level θ is given at each call.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ssvi {
    rho: f64,
    eta: f64,
    gamma: f64,
}

impl Ssvi {
    /// Accepts only parameters that satisfy the sufficient no-arbitrage conditions.
    ///
    /// ```
    /// // Skewed to the downside: puts below the price imply more than calls as far above it.
    /// let ssvi = quant::Ssvi::new(-0.6, 1.0, 0.5)?;
    /// assert!(ssvi.vol(-0.1, 0.01, 0.25) > ssvi.vol(0.1, 0.01, 0.25));
    /// // A surface that allowed arbitrage is refused.
    /// assert!(quant::Ssvi::new(-0.9, 3.0, 0.5).is_err());
    /// # Ok::<(), quant::Error>(())
    /// ```
    ///
    /// # Errors
    /// Parameters that do not.
    pub fn new(rho: f64, eta: f64, gamma: f64) -> Result<Ssvi, Error> {
        for (name, value) in [("rho", rho), ("eta", eta), ("gamma", gamma)] {
            if !value.is_finite() {
                return Err(Error::NotFinite(name));
            }
        }
        if rho.abs() >= 1.0 {
            return Err(Error::NotPositive {
                name: "1 − |rho|",
                value: 1.0 - rho.abs(),
            });
        }
        if eta <= 0.0 || eta * (1.0 + rho.abs()) > 2.0 {
            return Err(Error::NotPositive {
                name: "2 − eta(1 + |rho|)",
                value: 2.0 - eta * (1.0 + rho.abs()),
            });
        }
        if gamma <= 0.0 || gamma > 0.5 {
            return Err(Error::NotPositive {
                name: "gamma up to 0.5",
                value: gamma,
            });
        }
        Ok(Ssvi { rho, eta, gamma })
    }

    /// Total variance σ²T at log-moneyness `k`, where the at-the-money total variance is `theta`.
    pub fn total_variance(&self, k: f64, theta: f64) -> f64 {
        if theta <= 0.0 {
            0.0
        } else {
            self.slice(theta).total_variance(k)
        }
    }

    /// The slice whose at-the-money total variance is `theta`, above zero.
    ///
    /// ```
    /// let ssvi = quant::Ssvi::new(-0.6, 1.0, 0.5)?;
    /// let slice = ssvi.slice(0.01);
    /// // At the money it has the total variance that it was asked for.
    /// assert!((slice.total_variance(0.0) - 0.01).abs() < 1e-12);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn slice(&self, theta: f64) -> SsviSlice {
        let phi =
            self.eta / (libm::pow(theta, self.gamma) * libm::pow(1.0 + theta, 1.0 - self.gamma));
        SsviSlice {
            theta,
            phi,
            rho: self.rho,
        }
    }

    /// Volatility per year at log-moneyness `k`, `time` years ahead.
    pub fn vol(&self, k: f64, theta: f64, time: f64) -> f64 {
        (self.total_variance(k, theta) / time).sqrt()
    }
}

/// One expiration of an SSVI surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SsviSlice {
    theta: f64,
    phi: f64,
    rho: f64,
}

impl SsviSlice {
    /// Total variance at log-moneyness `k`.
    pub fn total_variance(&self, k: f64) -> f64 {
        let a = self.phi * k + self.rho;
        0.5 * self.theta
            * (1.0 + self.rho * self.phi * k + (a * a + 1.0 - self.rho * self.rho).sqrt())
    }
}

/// Gatheral & Jacquier's g(k), the factor that turns a normal density into the smile's: a slice has
/// no butterfly arbitrage where it is not negative. `w` is the slice's total variance as a function
/// of k; derivatives are central differences with step `h`.
///
/// ```
/// // A flat smile turns the normal density into itself.
/// let g = quant::butterfly_density_factor(|_| 0.04, 0.1, 1e-3);
/// assert!((g - 1.0).abs() < 1e-9);
/// // One that is bent downwards sells a butterfly for less than nothing.
/// assert!(quant::butterfly_density_factor(|k: f64| 0.04 - 2.0 * k * k, 0.0, 1e-3) < 0.0);
/// ```
pub fn butterfly_density_factor(w: impl Fn(f64) -> f64, k: f64, h: f64) -> f64 {
    let (down, mid, up) = (w(k - h), w(k), w(k + h));
    let first = (up - down) / (2.0 * h);
    let second = (up - 2.0 * mid + down) / (h * h);
    (1.0 - k * first / (2.0 * mid)).powi(2) - first * first / 4.0 * (1.0 / mid + 0.25)
        + second / 2.0
}

/// Total variance between two expirations at one log-moneyness, linear in time; `near` and `far`
/// are (years, total variance). Refuses a far variance below the near one: that would be calendar
/// arbitrage.
///
/// ```
/// // Half way in time, half way in total variance.
/// let w = quant::total_variance_between((0.1, 0.004), (0.3, 0.016), 0.2)?;
/// assert!((w - 0.010).abs() < 1e-12);
/// # Ok::<(), quant::Error>(())
/// ```
///
/// # Errors
/// A time outside of the two, or a total variance below zero.
pub fn total_variance_between(near: (f64, f64), far: (f64, f64), time: f64) -> Result<f64, Error> {
    if !(near.0..=far.0).contains(&time) {
        return Err(Error::OutOfRange {
            name: "time",
            value: time,
            least: near.0,
            most: far.0,
        });
    }
    if far.1 < near.1 || near.1 < 0.0 {
        return Err(Error::OutOfRange {
            name: "near total variance",
            value: near.1,
            least: 0.0,
            most: far.1,
        });
    }
    if far.0 == near.0 {
        return Ok(near.1);
    }
    Ok(near.1 + (far.1 - near.1) * (time - near.0) / (far.0 - near.0))
}

/// The smile's own chance that the price ends below log-moneyness `k`, where its total variance is
/// `w` with slope `dw`: Φ(−d₂) + φ(d₂)·dw/(2√w) (Breeden & Litzenberger, *Journal of Business* 51
/// (1978) 621–651, applied to Black's formula).
pub fn smile_below(w: f64, dw: f64, k: f64) -> f64 {
    let s = w.sqrt();
    let d2 = -k / s - s / 2.0;
    cdf(-d2) + pdf(d2) * dw / (2.0 * s)
}
