//! What a holding makes at its first expiration: exactly when all its options end there, by model
//! value of the later ones otherwise (an estimate, and called one).

use jiff::civil::Date;
use quant::Tail;

use crate::holding::{Holding, Leg};
use crate::number::Money;
use crate::outline::{Lasting, Outline, Profile, Worth};
use crate::proposal::{MarketView, first_expiry};
use crate::shape::{Shape, profile};
use crate::time::Moment;
use crate::valuation::LegMarket;

/// The first expiration of a holding.
#[derive(Debug, Clone)]
pub struct Horizon {
    /// The instant at which the first of the legs ends.
    pub moment: Moment,
    /// The exchange's date of that instant.
    pub date: Date,
    /// Whole calendar days from now.
    pub days: i64,
    /// Later legs were valued by a model at today's volatility: amounts are estimates.
    pub estimate: bool,
    /// Profit over price.
    pub outline: Outline,
    /// The same as it is told: corners, most, least and break-evens in exact numbers.
    pub shape: Shape,
}

impl Horizon {
    /// Profit at one price.
    pub fn profit_at(&self, price: f64) -> f64 {
        self.outline.profit_at(price)
    }
}

/// A holding parted by what ends at its first expiration and what lasts longer.
pub(crate) struct Parted<'a> {
    market: &'a MarketView<'a>,
    moment: Moment,
    ending: Profile,
    /// What lasts longer, and its markets.
    pub lasting: Holding,
    pub markets: Vec<LegMarket>,
}

impl<'a> Parted<'a> {
    pub(crate) fn of(holding: &Holding, market: &'a MarketView<'a>) -> Parted<'a> {
        let moment = first_expiry(holding, market);
        let lasts = |leg: &Leg| {
            leg.instrument
                .option()
                .is_some_and(|c| market.underlying.expiry_moment(c) > moment)
        };
        let legs = holding.legs();
        let ending: Holding = legs.iter().filter(|l| !lasts(l)).cloned().collect();
        let (lasting, markets): (Vec<Leg>, Vec<LegMarket>) = legs
            .iter()
            .zip(&market.legs)
            .filter(|(l, _)| lasts(l))
            .map(|(l, m)| (l.clone(), *m))
            .unzip();
        Parted {
            market,
            moment,
            ending: profile(&ending, market.underlying, 0.0),
            lasting: Holding::new(lasting),
            markets,
        }
    }

    /// When the first option ends.
    pub(crate) fn moment(&self) -> Moment {
        self.moment
    }

    /// The market of what lasts longer.
    pub(crate) fn lasting_market(&self) -> MarketView<'a> {
        MarketView {
            legs: self.markets.clone(),
            ..self.market.clone()
        }
    }

    /// The outline with so much received in all. `lasting` gives the worth of the later legs at
    /// the first expiration, and their tail; it is asked only where there are some.
    pub(crate) fn horizon(
        &self,
        received: Money,
        lasting: &Worth<'_>,
        tail: Tail,
    ) -> Result<Horizon, quant::Error> {
        let market = self.market;
        let profile = Profile {
            cash: received.to_f64(),
            ..self.ending.clone()
        };
        let estimate = !self.lasting.is_empty();
        let outline = if estimate {
            profile.with(&Lasting {
                values: lasting,
                strikes: self
                    .lasting
                    .options()
                    .map(|(c, _)| c.strike.to_f64())
                    .collect(),
                tail,
                spot: market.spot.to_f64(),
                deviation: self.deviation(),
            })?
        } else {
            profile.exact()
        };
        Ok(Horizon {
            moment: self.moment,
            date: self.moment.date(),
            days: market.at.days_until(self.moment.date()),
            estimate,
            shape: Shape::exact(&outline, market.underlying.own_tick),
            outline,
        })
    }

    /// The largest deviation that matters: of the price until the first expiration, or of a leg
    /// until its own.
    fn deviation(&self) -> f64 {
        let (market, at) = (self.market, self.market.at);
        let own = self
            .lasting
            .options()
            .zip(&self.markets)
            .map(|((c, _), m)| {
                m.vol
                    * at.years_until(market.underlying.expiry_moment(c))
                        .max(0.0)
                        .sqrt()
            });
        let first = market.horizon_vol * at.years_until(self.moment).max(0.0).sqrt();
        own.fold(first, f64::max)
    }
}
