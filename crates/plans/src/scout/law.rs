//! Where the price stands at a date: the market's law, and one's own.
//!
//! One's own law is, of all laws that give each region its percentage, the one nearest the market's
//! by relative entropy (S. Kullback, *Information Theory and Statistics*, 1959; Cover and Thomas,
//! *Elements of Information Theory*, ch. 11): inside a region the market's density times p/m, with p
//! one's own chance of it and m the market's; elsewhere times (1 − Σp)/(1 − Σm).

use quant::{Lognormal, SurfaceChances};
use thiserror::Error;

/// Total variance at a log-moneyness, so many years ahead.
pub type Variance = Box<dyn Fn(f64, f64) -> f64 + Send + Sync>;

/// The market's law of the price at one moment.
pub enum MarketLaw {
    /// The logarithm of the price is normal.
    Flat(Lognormal),
    /// Under the smile: years ahead, the chances there, and the mean.
    Smile {
        /// Chances of the surface.
        chances: SurfaceChances<Variance>,
        /// Years from now to the moment that the law is for.
        time: f64,
        /// Mean of the price.
        forward: f64,
    },
}

impl MarketLaw {
    /// Chance of a price below.
    pub fn below(&self, price: f64) -> f64 {
        match self {
            MarketLaw::Flat(law) => law.below(price),
            MarketLaw::Smile { .. } if price == f64::INFINITY => 1.0,
            MarketLaw::Smile { chances, time, .. } => chances.below(price, *time),
        }
    }

    /// E[S; S < price].
    pub fn partial(&self, price: f64) -> f64 {
        match self {
            MarketLaw::Flat(law) => law.partial(price),
            MarketLaw::Smile { forward, .. } if price == f64::INFINITY => *forward,
            MarketLaw::Smile { .. } if price <= 0.0 => 0.0,
            MarketLaw::Smile {
                chances,
                time,
                forward,
            } => {
                // E[S; S ≥ K] = E(S − K)⁺ + K·P(S ≥ K).
                let above = 1.0 - chances.below(price, *time);
                forward - chances.call(price, *time) - price * above
            }
        }
    }
}

/// What is expected: the price ends here, this surely.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Region {
    /// Lowest price; 0 where its side is open.
    pub low: f64,
    /// Highest price; infinity where its side is open.
    pub high: f64,
    /// One's own chance of it, 0 to 1.
    pub sure: f64,
}

/// Why an expectation is none.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum ExpectationError {
    /// A region whose ends are the wrong way round, or no prices.
    #[error("region {low} to {high} has no inside: low has to be a price below high")]
    Inside {
        /// The lowest price of the region, as it was given.
        low: f64,
        /// The highest price of the region, as it was given.
        high: f64,
    },
    /// A chance that is none.
    #[error("sure {0} is no chance; write a number from 0 to 1")]
    Sure(f64),
    /// Two regions share prices.
    #[error("the regions to {until} and from {from} overlap; they may touch and no more")]
    Overlap {
        /// Highest price of the lower.
        until: f64,
        /// Lowest of the upper.
        from: f64,
    },
    /// More than everything.
    #[error("the regions are sure by {0} together; 1 is the most")]
    TooSure(f64),
    /// The market gives a region no chance.
    #[error("the market gives {low} to {high} no chance at all, so no law gives it {sure}")]
    Impossible {
        /// The lowest price of the region.
        low: f64,
        /// The highest price of the region.
        high: f64,
        /// One's own chance of it.
        sure: f64,
    },
    /// Nothing is left for the rest.
    #[error("the regions cover every price and are sure by {0} together; it has to be 1")]
    Everything(f64),
}

/// A stretch of prices with what the market's density is multiplied by there.
#[derive(Debug, Clone, Copy, PartialEq)]
struct LawStretch {
    from: f64,
    to: f64,
    factor: f64,
    /// Of one's own law up to its begin.
    below: f64,
    partial: f64,
    /// Of the market's there.
    market_below: f64,
    market_partial: f64,
}

/// Chances and partial means of both laws up to a price.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Upto {
    /// Chance of less, by the market.
    pub market: f64,
    /// E[S; S < price], by the market.
    pub market_mean: f64,
    /// By one's own law.
    pub own: f64,
    /// E[S; S < price], by one's own law.
    pub own_mean: f64,
}

/// The market's law and one's own.
pub struct Laws {
    market: MarketLaw,
    stretches: Vec<LawStretch>,
}

impl Laws {
    /// Of the market and of regions, in any order; without regions one's own is the market's.
    ///
    /// # Errors
    /// Regions that make no law.
    pub fn new(market: MarketLaw, regions: &[Region]) -> Result<Laws, ExpectationError> {
        let mut regions = regions.to_vec();
        regions.sort_by(|a, b| a.low.total_cmp(&b.low));
        for r in &regions {
            if !(r.low >= 0.0 && r.low < r.high) {
                return Err(ExpectationError::Inside {
                    low: r.low,
                    high: r.high,
                });
            }
            if !(0.0..=1.0).contains(&r.sure) {
                return Err(ExpectationError::Sure(r.sure));
            }
        }
        if let Some(w) = regions.windows(2).find(|w| w[1].low < w[0].high) {
            return Err(ExpectationError::Overlap {
                until: w[0].high,
                from: w[1].low,
            });
        }
        let sure: f64 = regions.iter().map(|r| r.sure).sum();
        if sure > 1.0 + 1e-12 {
            return Err(ExpectationError::TooSure(sure));
        }
        let mass = |r: &Region| market.below(r.high) - market.below(r.low);
        let mut given = 0.0;
        for r in &regions {
            let m = mass(r);
            if m <= 0.0 && r.sure > 0.0 {
                return Err(ExpectationError::Impossible {
                    low: r.low,
                    high: r.high,
                    sure: r.sure,
                });
            }
            given += m;
        }
        let closed = regions.windows(2).all(|w| w[0].high == w[1].low)
            && regions.first().is_some_and(|r| r.low <= 0.0)
            && regions.last().is_some_and(|r| r.high == f64::INFINITY);
        let rest = 1.0 - given;
        if (closed || rest <= 1e-15) && (sure - 1.0).abs() > 1e-12 && !regions.is_empty() {
            return Err(ExpectationError::Everything(sure));
        }
        let elsewhere = if closed || rest <= 1e-15 {
            0.0
        } else {
            (1.0 - sure) / rest
        };
        let mut laws = Laws {
            market,
            stretches: Vec::with_capacity(2 * regions.len() + 1),
        };
        let mut from = 0.0;
        for r in &regions {
            if r.low > from {
                laws.push(from, r.low, elsewhere);
            }
            let m = laws.market.below(r.high) - laws.market.below(r.low);
            let factor = if m > 0.0 { r.sure / m } else { 0.0 };
            laws.push(r.low, r.high, factor);
            from = r.high;
        }
        if from < f64::INFINITY {
            let factor = if regions.is_empty() { 1.0 } else { elsewhere };
            laws.push(from, f64::INFINITY, factor);
        }
        Ok(laws)
    }

    fn push(&mut self, from: f64, to: f64, factor: f64) {
        let (below, partial) = match self.stretches.last() {
            None => (0.0, 0.0),
            Some(last) => {
                let mass = self.market.below(from) - last.market_below;
                let mean = self.market.partial(from) - last.market_partial;
                (
                    last.below + last.factor * mass,
                    last.partial + last.factor * mean,
                )
            }
        };
        self.stretches.push(LawStretch {
            from,
            to,
            factor,
            below,
            partial,
            market_below: self.market.below(from),
            market_partial: self.market.partial(from),
        });
    }

    /// The market's law.
    pub fn market(&self) -> &MarketLaw {
        &self.market
    }

    /// Both laws up to a price.
    pub fn upto(&self, price: f64) -> Upto {
        let (market, market_mean) = (self.market.below(price), self.market.partial(price));
        let at = self.stretches.partition_point(|s| s.from <= price).max(1) - 1;
        let s = &self.stretches[at];
        Upto {
            market,
            market_mean,
            own: s.below + s.factor * (market - s.market_below),
            own_mean: s.partial + s.factor * (market_mean - s.market_partial),
        }
    }

    /// The edges of the regions, ascending, without 0 and infinity.
    pub fn edges(&self) -> impl Iterator<Item = f64> + '_ {
        let ends = self.stretches.iter().map(|s| s.to);
        ends.filter(|e| e.is_finite())
    }
}
