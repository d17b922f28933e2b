//! What a structure is worth before expiration: legs × prices × dates, in the model world.
//!
//! Each leg keeps its own implied volatility as the price moves (sticky strike). Position Greeks
//! are in money: a leg's Greek × contracts × multiplier.

use quant::{Accuracy, Kind, Model, Style, Terms, Valuation};

use crate::carry::Carry;
use crate::contract::Contract;
use crate::number::Price;
use crate::package::Quote;
use crate::structure::Structure;
use crate::time::Moment;
use crate::underlying::{Underlying, UnderlyingKind};

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

impl LegMarket {
    /// The market in the underlying itself: no volatility, no interest.
    pub fn of_underlying(quote: Quote, price: Price) -> LegMarket {
        LegMarket {
            quote,
            vol: 0.0,
            theoretical: price.to_f64(),
            rate: 0.0,
        }
    }
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
        PositionGreeks {
            delta: self.delta + o.delta,
            gamma: self.gamma + o.gamma,
            theta: self.theta + o.theta,
            vega: self.vega + o.vega,
        }
    }

    fn of(v: &Valuation, units: f64) -> PositionGreeks {
        PositionGreeks {
            delta: v.delta * units,
            gamma: v.gamma * units,
            theta: v.theta_day * units,
            vega: v.vega_point * units,
        }
    }
}

/// The terms of a contract at a moment.
pub fn terms_of(
    contract: &Contract,
    underlying: &Underlying,
    at: Moment,
    (rate, carry_yield): (f64, f64),
    vol: f64,
) -> Terms {
    Terms {
        kind: contract.kind,
        style: underlying.style,
        strike: contract.strike.to_f64(),
        time: at.years_until(underlying.expiry_moment(contract)).max(0.0),
        rate,
        carry_yield,
        vol,
    }
}

/// What values one option, at any price of the underlying: a model, and for an American call on
/// shares one more for each way to exercise it just before an ex-date, of which the best counts (F.
/// Black, *Financial Analysts Journal* 31 (1975); a lower bound that misses the right to wait and
/// see, some cents at most). The dividends until the end come in as the yield with the same forward
/// at `spot`.
pub struct Priced {
    held: Model,
    exercised: Vec<Model>,
}

impl Priced {
    /// Prepares an option as of `at`; past its expiry it is worth its intrinsic value.
    pub fn new(
        contract: &Contract,
        underlying: &Underlying,
        at: Moment,
        market: &PricedIn<'_>,
    ) -> Result<Priced, quant::Error> {
        let expiry = underlying.expiry_moment(contract);
        let until = |end: Moment| market.carry.yield_until(at, end, market.rate, market.spot);
        let terms = terms_of(
            contract,
            underlying,
            at,
            (market.rate, until(expiry)),
            market.vol,
        );
        let exes = market
            .carry
            .dividends(at, expiry)
            .map(|(ex, _)| ex.plus_millis(-1));
        let early = terms.style == Style::American
            && contract.kind == Kind::Call
            && underlying.kind == UnderlyingKind::Shares;
        if !early {
            return Ok(Priced {
                held: Model::new(&terms, Accuracy::Interactive)?,
                exercised: Vec::new(),
            });
        }
        let european = |end: Moment| {
            let time = at.years_until(end).max(0.0);
            Model::new(
                &Terms {
                    style: Style::European,
                    time,
                    carry_yield: until(end),
                    ..terms
                },
                Accuracy::Interactive,
            )
        };
        Ok(Priced {
            held: european(expiry)?,
            exercised: exes.map(european).collect::<Result<_, _>>()?,
        })
    }

    /// Price per unit.
    pub fn price(&self, spot: f64) -> f64 {
        self.exercised
            .iter()
            .fold(self.held.price(spot), |best, m| best.max(m.price(spot)))
    }

    fn prices(&self, spots: &[f64], out: &mut [f64]) {
        self.held.prices(spots, out);
        let mut other = vec![0.0; spots.len()];
        for model in &self.exercised {
            model.prices(spots, &mut other);
            for (best, price) in out.iter_mut().zip(&other) {
                *best = best.max(*price);
            }
        }
    }

    fn value(&self, spot: f64) -> Result<Valuation, quant::Error> {
        let best = self
            .exercised
            .iter()
            .max_by(|a, b| a.price(spot).total_cmp(&b.price(spot)));
        best.filter(|m| m.price(spot) > self.held.price(spot))
            .unwrap_or(&self.held)
            .value(spot)
    }
}

/// What an option is priced in.
#[derive(Debug, Clone, Copy)]
pub struct PricedIn<'a> {
    /// Interest to its expiry.
    pub rate: f64,
    /// What the underlying pays.
    pub carry: &'a Carry,
    /// Price of the underlying that dividends are compared with.
    pub spot: f64,
    /// Volatility.
    pub vol: f64,
}

/// What values a leg.
enum Valued {
    Option(Box<Priced>),
    Underlying,
}

/// A structure's legs made ready to be priced at many spots, at one moment.
pub struct Legs {
    legs: Vec<(Valued, f64)>,
}

impl Legs {
    /// Prepares every leg as of `at`; a leg past its expiry is worth its intrinsic value.
    pub fn at(
        structure: &Structure,
        underlying: &Underlying,
        markets: &[LegMarket],
        (carry, spot): (&Carry, Price),
        at: Moment,
    ) -> Result<Legs, quant::Error> {
        let spot = spot.to_f64();
        let legs = structure.legs().iter().zip(markets).map(|(leg, m)| {
            let priced = match leg.instrument.option() {
                Some(contract) => Valued::Option(Box::new(Priced::new(
                    contract,
                    underlying,
                    at,
                    &PricedIn {
                        rate: m.rate,
                        carry,
                        spot,
                        vol: m.vol,
                    },
                )?)),
                None => Valued::Underlying,
            };
            Ok((
                priced,
                (leg.quantity * underlying.units(&leg.instrument)) as f64,
            ))
        });
        Ok(Legs {
            legs: legs.collect::<Result<_, quant::Error>>()?,
        })
    }

    /// Value in money at each of many prices.
    pub fn values(&self, spots: &[f64]) -> Vec<f64> {
        let (mut sum, mut leg) = (vec![0.0; spots.len()], vec![0.0; spots.len()]);
        for (valued, units) in &self.legs {
            match valued {
                Valued::Option(model) => model.prices(spots, &mut leg),
                Valued::Underlying => leg.copy_from_slice(spots),
            }
            for (sum, price) in sum.iter_mut().zip(&leg) {
                *sum += price * units;
            }
        }
        sum
    }

    /// Greeks of each leg, in money.
    pub fn greeks(&self, spot: f64) -> Result<Vec<PositionGreeks>, quant::Error> {
        let of = |valued: &Valued| match valued {
            Valued::Option(model) => model.value(spot),
            Valued::Underlying => Ok(Valuation {
                delta: 1.0,
                ..Valuation::default()
            }),
        };
        self.legs
            .iter()
            .map(|(valued, units)| Ok(PositionGreeks::of(&of(valued)?, *units)))
            .collect()
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
