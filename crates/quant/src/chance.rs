//! Chances under a lognormal price.
//!
//! ln S_T is normal with mean ln S + (μ − σ²/2)T and deviation σ√T; μ is the drift the caller
//! chooses (r − q for the market's own measure). The partial expectation is
//! E[S_T; S_T < K] = S e^{μT} Φ((ln(K/S) − (μ+σ²/2)T)/(σ√T)) (Hull, ch. 15, appendix). At T = 0 or
//! σ = 0 all chance lies on S e^{μT}.

use crate::normal::{cdf, inverse_cdf, pdf};
use crate::quadrature::gauss_legendre;
use crate::terms::{Error, not_negative, positive};

/// Points of each stretch of a mean.
const MEAN_POINTS: usize = 12;

/// The price of the underlying at one future moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lognormal {
    spot: f64,
    forward: f64,
    deviation: f64,
}

/// One straight piece of a payoff: `value + slope·(S − from)` on `[from, to)`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Outcome {
    /// Lower end, ≥ 0.
    pub from: f64,
    /// Upper end; infinity for the last piece.
    pub to: f64,
    /// Payoff at `from`.
    pub value: f64,
    /// Payoff per unit of price above `from`.
    pub slope: f64,
}

impl Lognormal {
    /// `spot` now, `drift` and `vol` per year, `time` in years.
    ///
    /// # Errors
    /// A spot, a volatility or a time out of range.
    pub fn new(spot: f64, drift: f64, vol: f64, time: f64) -> Result<Lognormal, Error> {
        let spot = positive("spot", spot)?;
        let deviation = not_negative("volatility", vol)? * not_negative("time", time)?.sqrt();
        if !drift.is_finite() {
            return Err(Error::NotFinite("drift"));
        }
        Ok(Lognormal {
            spot,
            forward: spot * (drift * time).exp(),
            deviation,
        })
    }

    /// The price `deviations` standard deviations of the log price from its median, but centred on
    /// the price now: S·e^{kσ√T}, the band a chain draws.
    ///
    /// ```
    /// // A fifth of the price in a quarter: e^{0.1} of it up and as far down in the logarithm.
    /// let law = quant::Lognormal::new(100.0, 0.0, 0.20, 0.25)?;
    /// assert!((law.band(1.0) - 110.517).abs() < 1e-3 && (law.band(-1.0) - 90.484).abs() < 1e-3);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn band(&self, deviations: f64) -> f64 {
        self.spot * (deviations * self.deviation).exp()
    }

    /// The price below which it finishes with chance `share` (0 < share < 1): an edge of the cone.
    ///
    /// ```
    /// // Hull (from memory): a share at 40 with 16 % expected and 20 % volatility lies with 95 % between 32.55
    /// // and 56.56 after half a year.
    /// let law = quant::Lognormal::new(40.0, 0.16, 0.20, 0.5)?;
    /// assert!((law.quantile(0.025) - 32.55).abs() < 0.05 && (law.quantile(0.975) - 56.56).abs() < 0.05);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn quantile(&self, share: f64) -> f64 {
        self.forward
            * (self.deviation * inverse_cdf(share) - 0.5 * self.deviation * self.deviation).exp()
    }

    /// Chance of finishing below `price`.
    ///
    /// ```
    /// let law = quant::Lognormal::new(100.0, 0.0, 0.20, 0.25)?;
    /// assert!((law.below(90.0) + law.above(90.0) - 1.0).abs() < 1e-12);
    /// assert_eq!(law.below(0.0), 0.0);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn below(&self, price: f64) -> f64 {
        if price <= 0.0 {
            0.0
        } else if price == f64::INFINITY {
            1.0
        } else if self.deviation < 1e-12 {
            f64::from(u8::from(self.forward < price))
        } else {
            cdf((price / self.forward).ln() / self.deviation + 0.5 * self.deviation)
        }
    }

    /// Chance of finishing above `price`, with the digits of a small tail kept.
    ///
    /// ```
    /// let law = quant::Lognormal::new(100.0, 0.0, 0.20, 0.25)?;
    /// // Ten deviations up: not nothing.
    /// let far = law.above(100.0 * 1.0_f64.exp());
    /// assert!(far > 0.0 && far < 1e-20);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn above(&self, price: f64) -> f64 {
        if price <= 0.0 {
            1.0
        } else if price == f64::INFINITY {
            0.0
        } else if self.deviation < 1e-12 {
            f64::from(u8::from(self.forward > price))
        } else {
            cdf(-(price / self.forward).ln() / self.deviation - 0.5 * self.deviation)
        }
    }

    /// Expected price counted only where it finishes below `price`.
    ///
    /// ```
    /// // All of the law together has the mean of the price.
    /// let law = quant::Lognormal::new(100.0, 0.04, 0.20, 0.25)?;
    /// assert!((law.partial(f64::INFINITY) - 100.0 * 0.01_f64.exp()).abs() < 1e-9);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn partial(&self, price: f64) -> f64 {
        if price <= 0.0 {
            0.0
        } else if price == f64::INFINITY {
            self.forward
        } else if self.deviation < 1e-12 {
            if self.forward < price {
                self.forward
            } else {
                0.0
            }
        } else {
            self.forward * cdf((price / self.forward).ln() / self.deviation - 0.5 * self.deviation)
        }
    }

    /// Mean of a function of the price: `of` gives its values at many prices at once. By
    /// Gauss–Legendre in standard deviations of ln S, out to nine on each side, in stretches that
    /// end at the `corners`, where the function may have a kink. A smooth function comes out to
    /// about 1e-12 of its size.
    ///
    /// # Errors
    /// What `of` refuses.
    pub fn mean<E>(
        &self,
        corners: &[f64],
        of: impl Fn(&[f64]) -> Result<Vec<f64>, E>,
    ) -> Result<f64, E> {
        if self.deviation < 1e-12 {
            return Ok(of(&[self.forward])?[0]);
        }
        let s = self.deviation;
        let place = |price: f64| (price / self.forward).ln() / s + 0.5 * s;
        let kinks = corners.iter().filter(|c| **c > 0.0).map(|c| place(*c));
        let mut cuts: Vec<f64> = (-9..=9).map(f64::from).collect();
        cuts.extend(kinks.filter(|z| z.abs() < 9.0));
        cuts.sort_by(f64::total_cmp);
        cuts.dedup();
        let rule = gauss_legendre(MEAN_POINTS);
        let (mut prices, mut weights) = (Vec::new(), Vec::new());
        for ends in cuts.windows(2) {
            let (middle, half) = (0.5 * (ends[0] + ends[1]), 0.5 * (ends[1] - ends[0]));
            for (x, weight) in &rule {
                let z = middle + half * x;
                prices.push(self.forward * (s * z - 0.5 * s * s).exp());
                weights.push(weight * half * pdf(z));
            }
        }
        let values = of(&prices)?;
        Ok(values.iter().zip(&weights).map(|(v, w)| v * w).sum())
    }

    /// Chance that a piecewise-linear payoff finishes above zero, and its expected value
    /// (undiscounted). Points of exactly zero count as no profit.
    ///
    /// ```
    /// use quant::{Lognormal, Outcome};
    /// // A call on 100 bought for 4.00: nothing but its cost below, a gain from 104 on.
    /// let law = Lognormal::new(100.0, 0.0, 0.20, 0.25)?;
    /// let below = Outcome { from: 0.0, to: 100.0, value: -4.0, slope: 0.0 };
    /// let above = Outcome { from: 100.0, to: f64::INFINITY, value: -4.0, slope: 1.0 };
    /// let (chance, expected) = law.profit(&[below, above]);
    /// assert!((chance - law.above(104.0)).abs() < 1e-12);
    /// // The call itself is worth 3.99 here.
    /// assert!((expected + 0.012).abs() < 0.001, "{expected}");
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn profit(&self, pieces: &[Outcome]) -> (f64, f64) {
        let mut chance = 0.0;
        let mut expected = 0.0;
        for p in pieces {
            let mass = self.below(p.to) - self.below(p.from);
            expected += (p.value - p.slope * p.from) * mass
                + p.slope * (self.partial(p.to) - self.partial(p.from));
            let even = if p.slope == 0.0 {
                f64::NAN
            } else {
                p.from - p.value / p.slope
            };
            chance += if p.slope == 0.0 {
                if p.value > 0.0 { mass } else { 0.0 }
            } else if p.slope > 0.0 {
                self.below(p.to) - self.below(even.clamp(p.from, p.to))
            } else {
                self.below(even.clamp(p.from, p.to)) - self.below(p.from)
            };
        }
        (chance, expected)
    }
}
