//! One underlying at a moment, as its options price it: the expirations, how the price is carried to
//! them, the volatility of each strike and that at the forward; of the simulated market and of one
//! from files alike.

use desk::{Contract, Expiration, Kind, Moment, Price, Underlying};

use crate::listing::strikes;
use crate::quotes::Quoter;
use crate::world::World;

/// One underlying at a moment.
#[derive(Clone, Copy)]
pub struct UnderlyingAt<'a> {
    /// The market that is asked.
    pub world: &'a World,
    /// The underlying that is looked at.
    pub underlying: &'a Underlying,
    /// The moment at which it is looked at.
    pub at: Moment,
}

/// How a price is carried to a moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CarriedTo {
    /// Years of 365 days until then.
    pub years: f64,
    /// Interest, continuously compounded.
    pub rate: f64,
    /// What the underlying pays, continuously compounded.
    pub paid: f64,
    /// The price carried there.
    pub forward: f64,
}

impl UnderlyingAt<'_> {
    /// The symbol by which the underlying is traded.
    pub fn symbol(&self) -> &str {
        &self.underlying.symbol
    }

    /// Its expirations, ascending.
    pub fn expirations(&self) -> Vec<Expiration> {
        let all = self.world.expirations(self.symbol(), self.at);
        all.unwrap_or_default()
    }

    /// Price of the underlying, and how it is carried to the end of an expiration.
    pub fn carried(&self, e: &Expiration) -> Option<CarriedTo> {
        let spot = self.world.spot(self.symbol(), self.at)?.to_f64();
        self.carried_to(e.moment(), spot)
    }

    /// How a price is carried to a moment.
    pub fn carried_to(&self, then: Moment, spot: f64) -> Option<CarriedTo> {
        let years = self.at.years_until(then).max(1.0 / 525_600.0);
        let rate = self.world.rate(self.at, years);
        let carry = self.world.carry(self.symbol(), self.at)?;
        let paid = carry.yield_until(self.at, then, rate, spot);
        Some(CarriedTo {
            years,
            rate,
            paid,
            forward: spot * ((rate - paid) * years).exp(),
        })
    }

    /// Volatility of each strike: of the surface, or of a market from files that of the option out
    /// of the money, where it has one. Strikes ascending.
    pub fn smile(&self, e: &Expiration, forward: f64) -> Vec<(Price, f64)> {
        if let Some(slice) = self.world.surface(self.symbol(), self.at, e.moment()) {
            let all = strikes(self.world, self.symbol(), e, self.at);
            return all
                .into_iter()
                .map(|k| (k, slice.vol(k.to_f64())))
                .collect();
        }
        let chain = Quoter::new().chain(self.world, self.underlying, e, self.at);
        let outside = |c: &Contract| (c.kind == Kind::Call) == (c.strike.to_f64() >= forward);
        chain
            .iter()
            .filter(|(c, _)| outside(c))
            .filter_map(|(c, l)| Some((c.strike, l.implied?)))
            .collect()
    }

    /// The volatility at the forward.
    pub fn at_the_money(&self, e: &Expiration, carried: &CarriedTo) -> Option<f64> {
        if let Some(slice) = self.world.surface(self.symbol(), self.at, e.moment()) {
            return Some(slice.vol(slice.forward));
        }
        let listed = strikes(self.world, self.symbol(), e, self.at);
        let known = self.smile(e, carried.forward);
        let variance = |k: &Price| {
            let (_, vol) = known.iter().find(|(strike, _)| strike == k)?;
            Some((
                (k.to_f64() / carried.forward).ln(),
                vol * vol * carried.years,
            ))
        };
        let below = listed.iter().rfind(|k| k.to_f64() <= carried.forward)?;
        let above = listed.iter().find(|k| k.to_f64() >= carried.forward)?;
        let ((a, low), (b, high)) = (variance(below)?, variance(above)?);
        let at = if below == above {
            low
        } else {
            low + (high - low) * (0.0 - a) / (b - a)
        };
        Some((at / carried.years).sqrt())
    }
}
