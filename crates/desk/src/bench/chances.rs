//! Where the price may end at a date, what it may touch before, and what profit that means.
//!
//! Under a flat volatility (lognormal), or under the smile of the first expiration: total variance
//! at an earlier time is its share by time, so events on the way are spread evenly.

use quant::{Lognormal, Outcome, Touch, chance_of_reaching, touch};

use super::moved::Judged;
use crate::smile::Smile;
use crate::time::Moment;

/// What moves the price.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum Law {
    /// One volatility at every price.
    #[default]
    Flat,
    /// The smile of the first expiration.
    Smile(Smile),
}

/// Which chances are asked for.
#[derive(Debug, Clone, PartialEq)]
pub struct Asked {
    /// What moves the price.
    pub law: Law,
    /// Two prices, the lower first; one deviation of the first expiration to each side when absent.
    pub between: Option<(f64, f64)>,
    /// Profit in money whose reaching before the first expiration is asked for.
    pub target: Option<f64>,
    /// Profit (a loss, below zero) at which it would be given up before.
    pub stop: Option<f64>,
}

/// Chances at one date.
#[derive(Debug, Clone)]
pub struct ChancesAt {
    /// The moment for which the chances are told.
    pub at: Moment,
    /// Of ending below the lower, between both and above the higher price.
    pub ends: [f64; 3],
    /// Of touching them before.
    pub touches: Touch,
    /// Of a profit.
    pub profit: f64,
    /// The mean profit, before costs.
    pub expected: f64,
    /// Chance per 1.00 of price, at each of the prices drawn.
    pub density: Vec<f64>,
}

/// Chances of profit, of touching and of the largest results, at a date.
#[derive(Debug, Clone)]
pub struct Chances {
    /// The two prices.
    pub between: (f64, f64),
    /// At the first date asked for, and at the first expiration.
    pub dates: Vec<ChancesAt>,
    /// Of reaching the target before the first expiration, and before the stop if there is one.
    pub reached: Option<f64>,
    /// Of falling to the stop before, and before the target if there is one.
    pub stopped: Option<f64>,
}

/// The price's law as numbers.
pub(crate) struct Price<'a> {
    pub spot: f64,
    pub drift: f64,
    pub vol: f64,
    /// Years to the first expiration.
    pub years: f64,
    pub law: &'a Law,
}

/// Stretches of prices, ascending.
type Stretches = [(f64, f64)];

impl Price<'_> {
    fn flat(&self, years: f64) -> Result<Lognormal, quant::Error> {
        Lognormal::new(self.spot, self.drift, self.vol, years)
    }

    fn smile(
        &self,
        smile: Smile,
    ) -> Result<quant::SurfaceChances<impl Fn(f64, f64) -> f64 + use<>>, quant::Error> {
        let years = self.years;
        quant::SurfaceChances::new(self.spot, self.drift, move |k: f64, t: f64| {
            smile.total_variance(k) * t / years
        })
    }

    fn below(&self, price: f64, years: f64) -> Result<f64, quant::Error> {
        match self.law {
            Law::Flat => Ok(self.flat(years)?.below(price)),
            Law::Smile(smile) => Ok(self.smile(*smile)?.below(price, years)),
        }
    }

    /// Chances `years` ahead, where the profit then is made of the pieces, and above zero in the
    /// stretches of `gains` where they are known.
    pub(crate) fn at(
        &self,
        at: Moment,
        years: f64,
        (low, high): (f64, f64),
        (pieces, gains): (&[Outcome], Option<&Stretches>),
        drawn: &[f64],
    ) -> Result<ChancesAt, quant::Error> {
        let years = years.max(1.0 / 525_600.0);
        let (touches, (profit, expected)) = match self.law {
            Law::Flat => (
                touch(self.spot, low, high, self.drift, self.vol, years)?,
                self.flat(years)?.profit(pieces),
            ),
            Law::Smile(smile) => {
                let law = self.smile(*smile)?;
                (law.touch(low, high, years)?, law.profit(pieces, years))
            }
        };
        let profit = match gains {
            Some(gains) => {
                let each = gains
                    .iter()
                    .map(|(a, b)| Ok(self.below(*b, years)? - self.below(*a, years)?));
                each.sum::<Result<f64, quant::Error>>()?
            }
            None => profit,
        };
        let (below, above) = (self.below(low, years)?, 1.0 - self.below(high, years)?);
        let step = drawn
            .last()
            .zip(drawn.first())
            .map_or(1.0, |(b, a)| (b - a) / drawn.len().max(2) as f64);
        let density = |s: &f64| {
            Ok(((self.below(s + step / 2.0, years)?
                - self.below((s - step / 2.0).max(0.0), years)?)
                / step)
                .max(0.0))
        };
        let density = drawn
            .iter()
            .map(density)
            .collect::<Result<_, quant::Error>>()?;
        Ok(ChancesAt {
            at,
            ends: [below, (1.0 - below - above).max(0.0), above],
            touches,
            profit,
            expected,
            density,
        })
    }

    /// Chance that the gain reaches `target` within the first expiration, before it falls to
    /// `stop`.
    fn reaching(
        &self,
        gain: impl Fn(f64, &[f64]) -> Vec<f64>,
        target: f64,
        stop: Option<f64>,
    ) -> Result<f64, quant::Error> {
        match self.law {
            Law::Flat => chance_of_reaching(
                self.spot, self.drift, self.vol, self.years, gain, target, stop,
            ),
            Law::Smile(smile) => self.smile(*smile)?.reaching(self.years, gain, target, stop),
        }
    }

    /// Of reaching the target, and of falling to the stop.
    pub(crate) fn aims(
        &self,
        judged: &Judged<'_>,
        end: Moment,
        paid: f64,
        asked: &Asked,
    ) -> Result<(Option<f64>, Option<f64>), quant::Error> {
        // The legs are good now, so they are at any later time.
        let gain = |t: f64, prices: &[f64]| -> Vec<f64> {
            let at = judged
                .market
                .at
                .plus_millis((t * 365.0 * 86_400_000.0) as i64)
                .min(end);
            judged.values(at, prices).map_or_else(
                |_| vec![f64::NAN; prices.len()],
                |v| v.into_iter().map(|v| v + paid).collect(),
            )
        };
        let lost = |t: f64, prices: &[f64]| -> Vec<f64> {
            gain(t, prices).into_iter().map(|v| -v).collect()
        };
        let reached = asked
            .target
            .map(|target| self.reaching(gain, target, asked.stop))
            .transpose()?;
        let stopped = asked
            .stop
            .map(|stop| self.reaching(lost, -stop, asked.target.map(|t| -t)))
            .transpose()?;
        Ok((reached, stopped))
    }
}

/// A curve as straight pieces from zero to infinity; beyond its ends it goes on as its last piece
/// does.
pub(crate) fn pieces(prices: &[f64], profit: &[f64]) -> Vec<Outcome> {
    let last = prices.len() - 1;
    let slope = |i: usize| (profit[i + 1] - profit[i]) / (prices[i + 1] - prices[i]);
    let first = Outcome {
        from: 0.0,
        to: prices[0],
        value: profit[0] - slope(0) * prices[0],
        slope: slope(0),
    };
    let rest = (0..=last).map(|i| {
        let to = if i == last {
            f64::INFINITY
        } else {
            prices[i + 1]
        };
        Outcome {
            from: prices[i],
            to,
            value: profit[i],
            slope: slope(i.min(last - 1)),
        }
    });
    std::iter::once(first)
        .filter(|p| p.to > 0.0)
        .chain(rest)
        .collect()
}
