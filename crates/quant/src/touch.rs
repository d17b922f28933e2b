//! Chances of touching one barrier or two before a date, under continuous watching.
//!
//! ln S has drift ν = μ − σ²/2 and volatility σ. With h = ln(H/S), e = sign(h), v = σ√T:
//! one barrier: P = Φ((−eh + eνT)/v) + e^{2νh/σ²} Φ((−eh − eνT)/v) (reflection principle; e.g.
//! Shreve, *Stochastic Calculus for Finance II*, 2004, §3.7 and §7.2). Two barriers a = ln(L/S) < 0
//! < b = ln(U/S), w = b − a, c = ν/σ²: the chance of touching neither is either the eigenfunction
//! series
//!   (2/w) e^{−ν²T/(2σ²)} Σⱼ sin(−kⱼa) kⱼ (e^{ca} − (−1)ʲ e^{cb})/(c² + kⱼ²) e^{−kⱼ²σ²T/2}, kⱼ =
//!   jπ/w or the sum over images
//!   Σⱼ e^{2cjw}[Φ((b−2jw−νT)/v) − Φ((a−2jw−νT)/v)] − e^{2c(a−jw)}[Φ((b−2a+2jw−νT)/v) −
//!   Φ((−a+2jw−νT)/v)] (Cox & Miller, *The Theory of Stochastic Processes*, 1965, ch. 5; Hui 1996
//!   for the first). The series serves wide times, the images short ones; at the switch both agree
//!   to 1e-12 (tested). A barrier at or behind the price counts as touched. Valid for any drift; at
//!   σ = 0 or T = 0 the price moves along S e^{μt}.

use crate::normal::{cdf, log_cdf};
use crate::terms::{Error, not_negative, price_level};

/// Chances of touching a low and a high barrier.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Touch {
    /// The low barrier, whatever happens at the other.
    pub low: f64,
    /// The high barrier, whatever happens at the other.
    pub high: f64,
    /// At least one of them.
    pub either: f64,
    /// Both of them, in any order.
    pub both: f64,
    /// Chance that neither barrier is touched.
    pub neither: f64,
}

/// Above this σ²T/w² the series converges faster than the images.
const SWITCH: f64 = 0.12;

/// Chances of touching `low` and `high` within `time` years; `drift` of the price per year (r − q
/// for the market's own measure). `low` must not be above `high`.
///
/// ```
/// // Without drift a price touches a barrier about twice as often as it ends beyond it (the reflection
/// // principle).
/// let law = quant::Lognormal::new(100.0, 0.0, 0.20, 0.25)?;
/// let chances = quant::touch(100.0, 50.0, 110.0, 0.0, 0.20, 0.25)?;
/// let ends = law.above(110.0);
/// assert!((chances.high / ends - 2.0).abs() < 0.15, "{chances:?} {ends}");
/// # Ok::<(), quant::Error>(())
/// ```
///
/// # Errors
/// Prices out of order, or an input out of range.
pub fn touch(
    spot: f64,
    low: f64,
    high: f64,
    drift: f64,
    vol: f64,
    time: f64,
) -> Result<Touch, Error> {
    let spot = price_level("spot", spot)?;
    let (low, high) = (price_level("low", low)?, price_level("high", high)?);
    let (vol, time) = (
        not_negative("volatility", vol)?,
        not_negative("time", time)?,
    );
    if !drift.is_finite() {
        return Err(Error::NotFinite("drift"));
    }
    if low > high {
        return Err(Error::OutOfRange {
            name: "low",
            value: low,
            least: 1e-9,
            most: high,
        });
    }
    let walk = Walk {
        nu: drift - 0.5 * vol * vol,
        vol,
        time,
    };
    let (a, b) = ((low / spot).ln(), (high / spot).ln());
    let p_low = walk.single(a, -1.0);
    let p_high = walk.single(b, 1.0);
    if a >= 0.0 || b <= 0.0 {
        // One of them is touched already.
        let both = p_low.min(p_high);
        return Ok(Touch {
            low: p_low,
            high: p_high,
            either: 1.0,
            both,
            neither: 0.0,
        });
    }
    let neither = walk.neither(a, b).clamp(0.0, 1.0 - p_low.max(p_high));
    let either = 1.0 - neither;
    let both = (p_low + p_high - either).clamp(0.0, p_low.min(p_high));
    Ok(Touch {
        low: p_low,
        high: p_high,
        either,
        both,
        neither,
    })
}

/// A Brownian motion with drift from zero.
struct Walk {
    nu: f64,
    vol: f64,
    time: f64,
}

/// e^{exponent}·Φ(x) without overflow on the way.
fn weighted(exponent: f64, x: f64) -> f64 {
    if exponent.abs() < 300.0 && x > -30.0 {
        exponent.exp() * cdf(x)
    } else {
        (exponent + log_cdf(x)).exp()
    }
}

/// e^{exponent}·(Φ(x) − Φ(y)), from the tails that are small.
fn weighted_between(exponent: f64, x: f64, y: f64) -> f64 {
    if x > 0.0 && y > 0.0 {
        weighted(exponent, -y) - weighted(exponent, -x)
    } else {
        weighted(exponent, x) - weighted(exponent, y)
    }
}

impl Walk {
    fn still(&self) -> bool {
        self.vol * self.time.sqrt() < 1e-12
    }

    /// Chance of touching `h`; `side` is +1 for a barrier above, −1 below.
    fn single(&self, h: f64, side: f64) -> f64 {
        if side * h <= 0.0 {
            return 1.0;
        }
        if self.still() {
            return f64::from(u8::from(side * self.nu * self.time >= side * h));
        }
        let v = self.vol * self.time.sqrt();
        let moved = self.nu * self.time;
        let direct = cdf(side * (moved - h) / v);
        let reflected = weighted(
            2.0 * self.nu * h / (self.vol * self.vol),
            side * (-h - moved) / v,
        );
        (direct + reflected).clamp(0.0, 1.0)
    }

    fn neither(&self, a: f64, b: f64) -> f64 {
        if self.still() {
            let end = self.nu * self.time;
            return f64::from(u8::from(end > a && end < b));
        }
        let spread = self.vol * self.vol * self.time / ((b - a) * (b - a));
        if spread > SWITCH {
            self.series(a, b)
        } else {
            self.images(a, b)
        }
    }

    fn series(&self, a: f64, b: f64) -> f64 {
        let w = b - a;
        let variance = self.vol * self.vol;
        let c = self.nu / variance;
        let half = 0.5 * variance * self.time;
        let mut sum = 0.0;
        for j in 1..200 {
            let k = f64::from(j) * std::f64::consts::PI / w;
            let parity = if j % 2 == 0 { 1.0 } else { -1.0 };
            // The exponentials join the decay before they can overflow.
            let decay = -(k * k + c * c) * half;
            let ends = (c * a + decay).exp() - parity * (c * b + decay).exp();
            sum += (-k * a).sin() * k * ends / (c * c + k * k);
            if decay + (c * a).max(c * b) < -745.0
                || (k * k * half > 40.0 && decay + (c * a).max(c * b) < -40.0)
            {
                break;
            }
        }
        2.0 / w * sum
    }

    fn images(&self, a: f64, b: f64) -> f64 {
        let w = b - a;
        let v = self.vol * self.time.sqrt();
        let c = self.nu / (self.vol * self.vol);
        let moved = self.nu * self.time;
        let mut sum = 0.0;
        for j in -6..=6 {
            let shift = 2.0 * f64::from(j) * w;
            let (first, second) = (c * shift, 2.0 * c * a - c * shift);
            sum += weighted_between(first, (b - shift - moved) / v, (a - shift - moved) / v);
            sum -= weighted_between(
                second,
                (b - 2.0 * a + shift - moved) / v,
                (-a + shift - moved) / v,
            );
        }
        sum
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn series_and_images_agree_around_the_switch() {
        for nu in [-0.8, -0.05, 0.0, 0.03, 0.6] {
            for spread in [0.08, 0.12, 0.2, 0.3] {
                let (a, b) = (-0.11, 0.07_f64);
                let vol = 0.3;
                let walk = Walk {
                    nu,
                    vol,
                    time: spread * (b - a) * (b - a) / (vol * vol),
                };
                let (series, images) = (walk.series(a, b), walk.images(a, b));
                assert!(
                    (series - images).abs() < 1e-12,
                    "nu {nu} spread {spread}: {series} {images}"
                );
            }
        }
    }
}
