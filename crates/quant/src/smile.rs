//! Chances under the smile.
//!
//! A surface gives the total variance w(k, t) = σ²t at log-moneyness k = ln(K/F_t), F_t = S e^{μt}.
//! Where the price stands at one date follows from the slice alone: Φ(−d₂) + φ(d₂)·w′/(2√w) below K
//! (Breeden & Litzenberger, *Journal of Business* 51 (1978) 621–651), and E(S−K)⁺ is Black's
//! formula at the slice's variance. What happens on the way follows the local volatility σ²(k, t) =
//! ∂w/∂t / g(k), g as in [`crate::butterfly_density_factor`] (B. Dupire, *Risk* 7 (1994) 18–20, in
//! J. Gatheral's form,
//! *The Volatility Surface*, 2006, eq. 1.10), the one diffusion that gives all slices back;
//! derivatives are central differences.
//!
//! Touching: Crank–Nicolson in ln S on a grid with nodes at the price and at the barriers, steps t
//! = (i/n)²T from the end, the first four fully implicit (R. Rannacher, *Numerische Mathematik* 43
//! (1984) 309–327). Error about 5e-5 on a flat surface against the closed form. Reaching a profit:
//! the grid of `reach`. Valid where the surface has no arbitrage (∂w/∂t > 0 and g > 0 wherever the
//! price is likely to go: [`Error::Arbitrage`] otherwise). Weakness: a surface of arbitrary slices
//! joined linearly in time has a local volatility that jumps at the dates; chances are right, but
//! less smooth in their inputs.

use crate::brent::find_root;
use crate::chance::Outcome;
use crate::european::european_price;
use crate::reach::{self, Aim};
use crate::surface::{butterfly_density_factor, smile_below};
use crate::terms::{Error, Kind, Style, Terms, not_negative, price_level};
use crate::touch::Touch;

/// A price whose chances come from a surface `w(k, t)`.
pub struct SurfaceChances<W> {
    spot: f64,
    drift: f64,
    total_variance: W,
}

/// Nodes from the price to either barrier, and steps in time.
const NODES: usize = 200;
const STEPS: usize = 250;
/// Steps of the fully implicit start.
const START: usize = 4;
/// Step of the derivatives by log-moneyness, in deviations.
const SLOPE: f64 = 1e-3;

impl<W: Fn(f64, f64) -> f64> SurfaceChances<W> {
    /// `spot` now, `drift` of the price a year, and the surface: total variance at log-moneyness k,
    /// t years ahead.
    ///
    /// # Errors
    /// A spot or a drift out of range.
    pub fn new(spot: f64, drift: f64, total_variance: W) -> Result<SurfaceChances<W>, Error> {
        if !drift.is_finite() {
            return Err(Error::NotFinite("drift"));
        }
        Ok(SurfaceChances {
            spot: price_level("spot", spot)?,
            drift,
            total_variance,
        })
    }

    fn forward(&self, time: f64) -> f64 {
        self.spot * (self.drift * time).exp()
    }

    /// Chance of finishing below `price`, `time` years ahead.
    ///
    /// ```
    /// // A surface without a smile is the lognormal law.
    /// let flat = quant::SurfaceChances::new(100.0, 0.0, |_, t| 0.04 * t)?;
    /// let law = quant::Lognormal::new(100.0, 0.0, 0.20, 0.25)?;
    /// assert!((flat.below(95.0, 0.25) - law.below(95.0)).abs() < 1e-6);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn below(&self, price: f64, time: f64) -> f64 {
        if price <= 0.0 {
            return 0.0;
        }
        if price == f64::INFINITY {
            return 1.0;
        }
        let k = (price / self.forward(time)).ln();
        let w = |k: f64| (self.total_variance)(k, time);
        let h = SLOPE * w(k).sqrt();
        smile_below(w(k), (w(k + h) - w(k - h)) / (2.0 * h), k).clamp(0.0, 1.0)
    }

    /// E(S − K)⁺, undiscounted; the whole forward less the strike at a strike of 0 or below.
    ///
    /// ```
    /// let flat = quant::SurfaceChances::new(100.0, 0.0, |_, t| 0.04 * t)?;
    /// // Undiscounted; at the money about 0.4·σ√T of the price.
    /// assert!((flat.call(100.0, 0.25) - 3.99).abs() < 0.01);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn call(&self, strike: f64, time: f64) -> f64 {
        let forward = self.forward(time);
        if strike <= 0.0 {
            return forward - strike;
        }
        let vol = (self.total_variance)((strike / forward).ln(), time).sqrt();
        european_price(
            &Terms {
                kind: Kind::Call,
                style: Style::European,
                strike,
                time: 1.0,
                rate: 0.0,
                carry_yield: 0.0,
                vol,
            },
            forward,
        )
    }

    /// Chance that a piecewise-linear payoff finishes above zero, and its expected value
    /// (undiscounted). Points of exactly zero count as no profit; the pieces are ascending and
    /// without gaps, as [`crate::Lognormal::profit`] takes them.
    pub fn profit(&self, pieces: &[Outcome], time: f64) -> (f64, f64) {
        let (mut chance, mut expected) = (0.0, 0.0);
        for p in pieces {
            let (low, high) = (self.below(p.from, time), self.below(p.to, time));
            // The payoff of the piece is `value` on it, and a call spread of its slope with the
            // step at its end taken off.
            let (from, to) = (
                self.call(p.from, time),
                if p.to.is_finite() {
                    self.call(p.to, time)
                } else {
                    0.0
                },
            );
            let beyond = if p.to.is_finite() {
                p.slope * (p.to - p.from) * (1.0 - high)
            } else {
                0.0
            };
            expected += p.value * (high - low) + p.slope * (from - to) - beyond;
            let even = p.from - p.value / p.slope;
            chance += if p.slope == 0.0 {
                if p.value > 0.0 { high - low } else { 0.0 }
            } else if p.slope > 0.0 {
                high - self.below(even.clamp(p.from, p.to), time)
            } else {
                self.below(even.clamp(p.from, p.to), time) - low
            };
        }
        (chance, expected)
    }

    /// The price below which it finishes with chance `share`: an edge of the cone.
    ///
    /// ```
    /// let flat = quant::SurfaceChances::new(100.0, 0.0, |_, t| 0.04 * t)?;
    /// let low = flat.quantile(0.16, 0.25)?;
    /// assert!((flat.below(low, 0.25) - 0.16).abs() < 1e-6);
    /// # Ok::<(), quant::Error>(())
    /// ```
    ///
    /// # Errors
    /// A share outside of 0 to 1, or a surface with arbitrage.
    pub fn quantile(&self, share: f64, time: f64) -> Result<f64, Error> {
        crate::terms::within("share", share, 1e-12, 1.0 - 1e-12)?;
        let forward = self.forward(time);
        let deviation = (self.total_variance)(0.0, time).sqrt();
        let off = |k: f64| self.below(forward * k.exp(), time) - share;
        let mut reach = 4.0 * deviation;
        while off(-reach) > 0.0 || off(reach) < 0.0 {
            reach *= 1.5;
            if reach > 50.0 {
                return Err(Error::Arbitrage {
                    price: forward,
                    time,
                });
            }
        }
        find_root(off, -reach, reach, 1e-12)
            .map(|root| forward * root.x.exp())
            .map_err(|_| Error::Arbitrage {
                price: forward,
                time,
            })
    }

    /// Local volatility a year at `price`, `time` years ahead.
    ///
    /// # Errors
    /// The surface has arbitrage there.
    pub fn local_vol(&self, price: f64, time: f64) -> Result<f64, Error> {
        self.local_variance((price / self.spot).ln(), time)
            .map(f64::sqrt)
    }

    /// σ² at y = ln(S_t/S).
    fn local_variance(&self, y: f64, time: f64) -> Result<f64, Error> {
        let time = time.max(1e-6);
        let k = y - self.drift * time;
        let later = time * 1e-4;
        let gain = ((self.total_variance)(k, time + later)
            - (self.total_variance)(k, time - later))
            / (2.0 * later);
        let h = 10.0 * SLOPE * (self.total_variance)(0.0, time).sqrt();
        let factor = butterfly_density_factor(|k| (self.total_variance)(k, time), k, h);
        let variance = gain / factor;
        if variance > 0.0 && variance.is_finite() && factor > 0.0 {
            Ok(variance)
        } else {
            Err(Error::Arbitrage {
                price: self.spot * y.exp(),
                time,
            })
        }
    }

    /// Chances of touching `low` and `high` within `time` years, as [`crate::touch`] gives them for
    /// a flat volatility.
    ///
    /// # Errors
    /// Prices out of order, or a surface with arbitrage where the price is likely to go.
    pub fn touch(&self, low: f64, high: f64, time: f64) -> Result<Touch, Error> {
        let (low, high) = (price_level("low", low)?, price_level("high", high)?);
        let time = crate::terms::positive("time", time)?;
        if low > high {
            return Err(Error::OutOfRange {
                name: "low",
                value: low,
                least: 1e-9,
                most: high,
            });
        }
        let (a, b) = ((low / self.spot).ln(), (high / self.spot).ln());
        let far = 8.0 * (self.total_variance)(0.0, time).sqrt() + (self.drift * time).abs();
        let p_low = if a >= 0.0 {
            1.0
        } else {
            self.absorbed([a, far], [1.0, 0.0], time)?
        };
        let p_high = if b <= 0.0 {
            1.0
        } else {
            self.absorbed([-far, b], [0.0, 1.0], time)?
        };
        let either = if a >= 0.0 || b <= 0.0 {
            1.0
        } else {
            self.absorbed([a, b], [1.0, 1.0], time)?
        };
        let either = either.clamp(p_low.max(p_high), 1.0);
        let both = (p_low + p_high - either).clamp(0.0, p_low.min(p_high));
        Ok(Touch {
            low: p_low,
            high: p_high,
            either,
            both,
            neither: 1.0 - either,
        })
    }

    /// Chance of being absorbed at the ends (in ln of price over spot), each worth what is given.
    fn absorbed(&self, ends: [f64; 2], worth: [f64; 2], time: f64) -> Result<f64, Error> {
        // Beyond eight deviations a barrier is never met.
        let far = 8.0 * (self.total_variance)(0.0, time).sqrt() + (self.drift * time).abs();
        let (low, high) = (ends[0].max(-far), ends[1].min(far));
        let nodes: Vec<f64> = (0..=2 * NODES)
            .map(|i| {
                if i <= NODES {
                    low * (1.0 - i as f64 / NODES as f64)
                } else {
                    high * (i - NODES) as f64 / NODES as f64
                }
            })
            .collect();
        let last = nodes.len() - 1;
        let mut u = vec![0.0; nodes.len()];
        (u[0], u[last]) = (
            if low == ends[0] { worth[0] } else { 0.0 },
            if high == ends[1] { worth[1] } else { 0.0 },
        );
        let (mut upper, mut side) = (vec![0.0; nodes.len()], vec![0.0; nodes.len()]);
        let left = |i: usize| time * (i as f64 / STEPS as f64).powi(2);
        for i in 1..=STEPS {
            let dt = left(i) - left(i - 1);
            let implicit = if i <= START { 1.0 } else { 0.5 };
            let at = time - 0.5 * (left(i) + left(i - 1));
            (upper[0], side[0]) = (0.0, u[0]);
            for j in 1..last {
                let variance = self.local_variance(nodes[j], at)?;
                let (down, up) = (nodes[j] - nodes[j - 1], nodes[j + 1] - nodes[j]);
                let carried = self.drift - 0.5 * variance;
                let to_low = dt * (variance - carried * up) / (down * (down + up));
                let to_high = dt * (variance + carried * down) / (up * (down + up));
                let explicit = 1.0 - implicit;
                let right =
                    u[j] + explicit * (to_low * (u[j - 1] - u[j]) + to_high * (u[j + 1] - u[j]));
                let (a, b, c) = (
                    -implicit * to_low,
                    1.0 + implicit * (to_low + to_high),
                    -implicit * to_high,
                );
                let pivot = b - a * upper[j - 1];
                upper[j] = c / pivot;
                side[j] = (right - a * side[j - 1]) / pivot;
            }
            for j in (1..last).rev() {
                u[j] = side[j] - upper[j] * u[j + 1];
            }
        }
        Ok(u[NODES].clamp(0.0, 1.0))
    }

    /// Chance of reaching `target` within `time` years, before falling to `stop` if one is given;
    /// `gain(t, prices)` gives the profit `t` years from now at each of the prices. As
    /// [`crate::chance_of_reaching`], under the local volatility.
    ///
    /// # Errors
    /// As [`SurfaceChances::touch`].
    pub fn reaching(
        &self,
        time: f64,
        gain: impl Fn(f64, &[f64]) -> Vec<f64>,
        target: f64,
        stop: Option<f64>,
    ) -> Result<f64, Error> {
        let time = not_negative("time", time)?;
        let spread = (self.total_variance)(0.0, time.max(1e-6)).sqrt();
        let aim = Aim::new(target, stop)?;
        reach::chance(self.spot, self.drift, spread, time, gain, aim, |t, s| {
            self.local_variance((s / self.spot).ln(), t)
        })
    }
}
