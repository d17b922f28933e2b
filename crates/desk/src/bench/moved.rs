//! What is supposed to have happened to volatility and interest, and what the legs are worth then.
//!
//! Sticky strike: each leg keeps its own volatility as the price moves. Sticky delta: the smile
//! moves with the price, so a leg's volatility changes as that of the strike with the same
//! moneyness does, v + σ(K·S₀/S) − σ(K). A leg is then valued at five volatilities over the range
//! that is met (Chebyshev's extreme points) and interpolated between them by Lagrange's polynomial:
//! within 5e-4 a unit, and within 5e-3 where a put is about to be exercised early, whose price has
//! a corner there (`tests/bench.rs`).

use jiff::civil::Date;

use crate::holding::{Holding, Leg};
use crate::proposal::MarketView;
use crate::scene::Shift;
use crate::smile::Smile;
use crate::time::Moment;
use crate::valuation::{LegMarket, Legs, PositionGreeks};

/// What happens to the volatility of a leg as the price moves.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Sticky {
    /// Nothing: it belongs to the strike.
    #[default]
    Strike,
    /// It belongs to the moneyness; the smiles by the end of their expirations. A leg whose
    /// expiration has none keeps its volatility.
    Delta(Vec<(Moment, Smile)>),
}

/// A changed market.
#[derive(Debug, Clone, PartialEq)]
pub struct Moved {
    /// Of every expiration that is not named.
    pub everywhere: Shift,
    /// Of expirations by date, in its place.
    pub at: Vec<(Date, Shift)>,
    /// As the price moves.
    pub sticky: Sticky,
    /// Added to interest, as a fraction a year.
    pub rate: f64,
}

impl Default for Moved {
    fn default() -> Moved {
        Moved {
            everywhere: Shift::Points(0.0),
            at: Vec::new(),
            sticky: Sticky::Strike,
            rate: 0.0,
        }
    }
}

/// Lowest volatility that a shift leaves.
const LEAST_VOL: f64 = 0.01;

impl Moved {
    fn shift(&self, expiry: Date) -> Shift {
        self.at
            .iter()
            .find(|(date, _)| *date == expiry)
            .map_or(self.everywhere, |(_, shift)| *shift)
    }

    /// The market with volatilities and interest moved; `first` is the date of the first
    /// expiration.
    pub(crate) fn apply<'a>(
        &self,
        structure: &Holding,
        market: &MarketView<'a>,
        first: Date,
    ) -> MarketView<'a> {
        let leg = |(leg, m): (&Leg, &LegMarket)| match leg.instrument.option() {
            Some(c) => LegMarket {
                vol: self.shift(c.expiry).of(m.vol).max(LEAST_VOL),
                rate: m.rate + self.rate,
                ..*m
            },
            None => *m,
        };
        let legs = structure.legs().iter().zip(&market.legs).map(leg).collect();
        MarketView {
            legs,
            horizon_vol: self.shift(first).of(market.horizon_vol).max(LEAST_VOL),
            ..market.clone()
        }
    }
}

/// A structure in a moved market.
pub(crate) struct Judged<'a> {
    pub structure: &'a Holding,
    pub market: &'a MarketView<'a>,
    /// Each leg alone, with its smile where it moves with the price.
    alone: Option<Vec<(Holding, LegMarket, Option<Smile>)>>,
}

/// Volatilities at which a leg is valued under a moving smile.
const NODES: usize = 5;

impl<'a> Judged<'a> {
    pub(crate) fn new(
        structure: &'a Holding,
        market: &'a MarketView<'a>,
        sticky: &Sticky,
    ) -> Judged<'a> {
        let alone = |smiles: &Vec<(Moment, Smile)>| {
            let one = |(leg, m): (&Leg, &LegMarket)| {
                let ends = leg
                    .instrument
                    .option()
                    .map(|c| market.underlying.expiry_moment(c));
                let smile = smiles
                    .iter()
                    .find(|(end, _)| Some(*end) == ends)
                    .map(|(_, smile)| *smile);
                (Holding::new([leg.clone()]), *m, smile)
            };
            structure.legs().iter().zip(&market.legs).map(one).collect()
        };
        Judged {
            structure,
            market,
            alone: if let Sticky::Delta(smiles) = sticky {
                Some(alone(smiles))
            } else {
                None
            },
        }
    }

    pub(crate) fn legs_at(&self, at: Moment) -> Result<Legs, quant::Error> {
        self.of(self.structure, &self.market.legs, at)
    }

    fn of(
        &self,
        structure: &Holding,
        legs: &[LegMarket],
        at: Moment,
    ) -> Result<Legs, quant::Error> {
        Legs::at(
            structure,
            self.market.underlying,
            legs,
            (&self.market.carry, self.market.spot),
            at,
        )
    }

    /// Volatility of a leg where the price is `spot`.
    fn vol(&self, structure: &Holding, leg: &LegMarket, smile: Option<&Smile>, spot: f64) -> f64 {
        let strike = structure.options().next().map(|(c, _)| c.strike.to_f64());
        match smile.zip(strike) {
            Some((smile, strike)) => (leg.vol
                + smile.vol(strike * self.market.spot.to_f64() / spot.max(1e-9))
                - smile.vol(strike))
            .max(LEAST_VOL),
            None => leg.vol,
        }
    }

    /// Value in money at each price.
    pub(crate) fn values(&self, at: Moment, prices: &[f64]) -> Result<Vec<f64>, quant::Error> {
        let Some(alone) = &self.alone else {
            return Ok(self.legs_at(at)?.values(prices));
        };
        let mut sum = vec![0.0; prices.len()];
        for (structure, leg, smile) in alone {
            let vols: Vec<f64> = prices
                .iter()
                .map(|s| self.vol(structure, leg, smile.as_ref(), *s))
                .collect();
            let (low, high) = vols
                .iter()
                .fold((f64::INFINITY, 0.0_f64), |(a, b), v| (a.min(*v), b.max(*v)));
            let at_vol = |vol: f64| {
                Ok::<_, quant::Error>(
                    self.of(structure, &[LegMarket { vol, ..*leg }], at)?
                        .values(prices),
                )
            };
            if high - low < 1e-6 {
                at_vol(high)?
                    .iter()
                    .zip(&mut sum)
                    .for_each(|(v, sum)| *sum += v);
                continue;
            }
            let node = |i: usize| {
                0.5 * (low + high)
                    - 0.5
                        * (high - low)
                        * (std::f64::consts::PI * i as f64 / (NODES - 1) as f64).cos()
            };
            let nodes: [f64; NODES] = std::array::from_fn(node);
            let valued = nodes
                .iter()
                .map(|vol| at_vol(*vol))
                .collect::<Result<Vec<_>, _>>()?;
            for (i, (vol, sum)) in vols.iter().zip(&mut sum).enumerate() {
                *sum += (0..NODES)
                    .map(|j| valued[j][i] * lagrange(&nodes, j, *vol))
                    .sum::<f64>();
            }
        }
        Ok(sum)
    }

    /// Greeks of each leg in money, each at the volatility it has there.
    pub(crate) fn greeks(
        &self,
        at: Moment,
        prices: &[f64],
    ) -> Result<Vec<Vec<PositionGreeks>>, quant::Error> {
        let Some(alone) = &self.alone else {
            let legs = self.legs_at(at)?;
            return prices.iter().map(|s| legs.greeks(*s)).collect();
        };
        let leg = |(structure, leg, smile): &(Holding, LegMarket, Option<Smile>), spot: f64| {
            let vol = self.vol(structure, leg, smile.as_ref(), spot);
            Ok(self
                .of(structure, &[LegMarket { vol, ..*leg }], at)?
                .greeks(spot)?
                .first()
                .copied()
                .unwrap_or_default())
        };
        prices
            .iter()
            .map(|s| alone.iter().map(|one| leg(one, *s)).collect())
            .collect()
    }
}

/// The polynomial that is one at node `j` and zero at the others.
fn lagrange(nodes: &[f64], j: usize, x: f64) -> f64 {
    (0..nodes.len())
        .filter(|i| *i != j)
        .map(|i| (x - nodes[i]) / (nodes[j] - nodes[i]))
        .product()
}
