//! One expiration's smile: what each strike's market implies, and the smooth line through it.
//!
//! The line is a raw SVI slice fitted by `quant::Svi::fit`; a quote counts by the inverse square of
//! its width in total variance.

use quant::{SmilePoint, Svi};

/// What the out-of-the-money option at a strike implies, as fractions a year.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SmileQuote {
    /// The strike of the quoted option, per unit of the underlying.
    pub strike: f64,
    /// Volatility at the bid; absent where the bid implies none.
    pub bid: Option<f64>,
    /// At the middle.
    pub middle: f64,
    /// At the ask.
    pub ask: f64,
}

/// The smooth line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Smile {
    slice: Svi,
    forward: f64,
    years: f64,
    /// Log-moneyness of the lowest and the highest quote.
    quoted: (f64, f64),
}

/// Least width of a market in total variance, so that a market without width does not outweigh all
/// others.
const LEAST_WIDTH: f64 = 1e-6;

impl Smile {
    /// Fits the line to quotes of one expiration, `years` ahead; five at least are needed.
    ///
    /// # Errors
    /// Fewer than five quotes, or none that the fit can follow.
    pub fn fit(quotes: &[SmileQuote], forward: f64, years: f64) -> Result<Smile, quant::Error> {
        let points: Vec<SmilePoint> = quotes
            .iter()
            .map(|q| {
                let low = q.bid.unwrap_or(0.0);
                let width = ((q.ask * q.ask - low * low) * years).max(LEAST_WIDTH);
                SmilePoint {
                    k: (q.strike / forward).ln(),
                    total_variance: q.middle * q.middle * years,
                    weight: 1.0 / (width * width),
                }
            })
            .collect();
        let quoted = points
            .iter()
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), p| {
                (a.min(p.k), b.max(p.k))
            });
        Ok(Smile {
            slice: Svi::fit(&points)?.slice,
            forward,
            years,
            quoted,
        })
    }

    /// Total variance to the expiration at log-moneyness ln(K/F); beyond the quotes it goes on as
    /// the slice does, so that no corner is made, which would be arbitrage.
    pub fn total_variance(&self, k: f64) -> f64 {
        self.slice.at(k).0
    }

    /// Volatility a year at a strike; beyond the quotes that of the last one.
    pub fn vol(&self, strike: f64) -> f64 {
        let k = (strike / self.forward)
            .ln()
            .clamp(self.quoted.0, self.quoted.1);
        (self.total_variance(k) / self.years).sqrt()
    }
}
