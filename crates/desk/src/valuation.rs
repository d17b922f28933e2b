//! What a structure is worth before expiration: legs × prices × dates, in the model world.
//!
//! Each leg keeps its own implied volatility as the price moves (sticky strike). Position Greeks
//! are in money: a leg's Greek × contracts × multiplier.

use quant::{Accuracy, Kind, Model, Terms, Valuation};

use crate::contract::Contract;
use crate::instrument::Underlying;
use crate::number::Price;
use crate::package::Quote;
use crate::structure::Structure;
use crate::time::Moment;

/// The market in one leg, as far as valuation needs it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LegMarket {
    /// Bid, ask and sizes.
    pub quote: Quote,
    /// Volatility implied by the mark (or of the surface, where the mark implies none).
    pub vol: f64,
    /// Theoretical value per unit, by the surface.
    pub theoretical: f64,
    /// Interest to its expiry, continuously compounded.
    pub rate: f64,
}

/// Greeks of a position in money.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct PositionGreeks {
    /// Per 1.00 of the underlying.
    pub delta: f64,
    /// Change of delta per 1.00 of the underlying.
    pub gamma: f64,
    /// Per calendar day.
    pub theta: f64,
    /// Per volatility point.
    pub vega: f64,
}

impl PositionGreeks {
    /// Adds another position's.
    pub fn plus(self, o: PositionGreeks) -> PositionGreeks {
        PositionGreeks { delta: self.delta + o.delta, gamma: self.gamma + o.gamma, theta: self.theta + o.theta, vega: self.vega + o.vega }
    }

    fn of(v: &Valuation, units: f64) -> PositionGreeks {
        PositionGreeks { delta: v.delta * units, gamma: v.gamma * units, theta: v.theta_day * units, vega: v.vega_point * units }
    }
}

/// The terms of a contract at a moment.
pub fn terms_of(contract: &Contract, underlying: &Underlying, at: Moment, rate: f64, vol: f64) -> Terms {
    Terms {
        kind: contract.kind,
        style: underlying.style,
        strike: contract.strike.to_f64(),
        time: at.years_until(underlying.expiry_moment(contract)).max(0.0),
        rate,
        carry_yield: underlying.dividend_yield,
        vol,
    }
}

/// A structure's legs made ready to be priced at many spots, at one moment.
pub struct Legs {
    models: Vec<(Model, f64)>,
}

impl Legs {
    /// Prepares every leg as of `at`; a leg past its expiry is worth its intrinsic value.
    pub fn at(structure: &Structure, underlying: &Underlying, markets: &[LegMarket], at: Moment) -> Result<Legs, quant::Error> {
        let models = structure.legs().iter().zip(markets).map(|(leg, m)| {
            let terms = terms_of(&leg.contract, underlying, at, m.rate, m.vol);
            Ok((Model::new(&terms, Accuracy::Interactive)?, (leg.quantity * underlying.multiplier) as f64))
        });
        Ok(Legs { models: models.collect::<Result<_, quant::Error>>()? })
    }

    /// Value in money at one price of the underlying.
    pub fn value(&self, spot: f64) -> f64 {
        self.models.iter().map(|(m, units)| m.price(spot) * units).sum()
    }

    /// Value in money at each of many prices.
    pub fn values(&self, spots: &[f64]) -> Vec<f64> {
        let (mut sum, mut leg) = (vec![0.0; spots.len()], vec![0.0; spots.len()]);
        for (model, units) in &self.models {
            model.prices(spots, &mut leg);
            for (sum, price) in sum.iter_mut().zip(&leg) {
                *sum += price * units;
            }
        }
        sum
    }

    /// Greeks of each leg, in money.
    pub fn greeks(&self, spot: f64) -> Result<Vec<PositionGreeks>, quant::Error> {
        self.models.iter().map(|(m, units)| Ok(PositionGreeks::of(&m.value(spot)?, *units))).collect()
    }

    /// Profit per 1.00 far above every strike: net calls.
    pub fn upper_slope(&self) -> f64 {
        self.models.iter().filter(|(m, _)| m.terms().kind == Kind::Call).map(|(_, units)| units).sum()
    }
}

/// `points` prices evenly spaced from `low` to `high`, both included.
pub fn price_grid(low: f64, high: f64, points: usize) -> Vec<f64> {
    let step = (high - low) / (points.max(2) - 1) as f64;
    (0..points.max(2)).map(|i| low + step * i as f64).collect()
}

/// A model price as an exact one, for labels; zero if it cannot be written.
pub fn shown(value: f64) -> Price {
    Price::from_f64(value).unwrap_or_default()
}
