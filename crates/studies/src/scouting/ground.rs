//! What a search stands on: an underlying at a moment, the date that is looked at, how the price is
//! carried there, the market's law of it, and the options that end then or later.

use desk::calendar::{Cycle, close_of};
use desk::{Carry, Expiration, Lognormal, Moment, Price};
use jiff::civil::Date;
use market::{CarriedTo, Quoter, UnderlyingAt};
use plans::scout::{Laws, MarketLaw, OptionQuoted, ScoutEnding, Scouted, Variance};
use quant::SurfaceChances;
use thiserror::Error;

/// What the market's law is taken from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LawFrom {
    /// The variance at the forward: the logarithm of the price is normal.
    #[default]
    Flat,
    /// The smile of the expiration's quotes.
    Smile,
}

/// Why there is nothing to stand on.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum GroundError {
    /// Nothing is known of the underlying then.
    #[error("no price is known at that moment")]
    NoPrice,
    /// No expiration has a volatility.
    #[error("no expiration has a volatility at that moment")]
    NoVolatility,
    /// The date is over.
    #[error("by {by} is behind {at}; write a later date")]
    Behind {
        /// The date by which profit is judged.
        by: Date,
        /// The moment of prices and quotes.
        at: Moment,
    },
    /// No option is known to have a volatility.
    #[error("no smile is known at that moment")]
    NoSmile,
    /// A model refused.
    #[error(transparent)]
    Model(#[from] quant::Error),
}

/// An underlying, and a date ahead of it.
pub struct Ground<'a> {
    seen: UnderlyingAt<'a>,
    /// The price of the underlying at that moment, per unit.
    pub spot: Price,
    /// The latest moment at which options of it end on the date; the close where none do.
    pub by: Moment,
    /// How the price is carried there.
    pub carried: CarriedTo,
    /// Total variance at the forward until then.
    pub variance: f64,
    carry: Carry,
    /// Each expiration, how the price is carried to it, total variance at its forward.
    all: Vec<(Expiration, CarriedTo, f64)>,
}

/// Total variance at the forward by years: straight between what is known, in proportion to time
/// before the first and after the last.
fn variance_at(known: &[(f64, f64)], years: f64) -> f64 {
    let Some(first) = known.first() else {
        return 0.0;
    };
    let last = known[known.len() - 1];
    if years <= first.0 {
        return first.1 * years / first.0;
    }
    if years >= last.0 {
        return last.1 * years / last.0;
    }
    let after = known.partition_point(|(t, _)| *t < years).max(1);
    let (a, b) = (known[after - 1], known[after]);
    if b.0 == years {
        return b.1;
    }
    a.1 + (b.1 - a.1) * (years - a.0) / (b.0 - a.0)
}

/// A smile by log-moneyness: total variances, straight between, flat beyond.
fn along(points: &[(f64, f64)], k: f64) -> f64 {
    let after = points.partition_point(|(x, _)| *x < k);
    if after == 0 {
        return points[0].1;
    }
    if after == points.len() {
        return points[after - 1].1;
    }
    let (a, b) = (points[after - 1], points[after]);
    a.1 + (b.1 - a.1) * (k - a.0) / (b.0 - a.0)
}

impl<'a> Ground<'a> {
    /// Of an underlying and a date.
    ///
    /// # Errors
    /// The date is over, or too little is known.
    pub fn new(seen: UnderlyingAt<'a>, by: Date) -> Result<Ground<'a>, GroundError> {
        let spot = seen.world.spot(seen.symbol(), seen.at);
        let spot = spot.ok_or(GroundError::NoPrice)?;
        let expirations = seen.expirations();
        let of_date = expirations.iter().filter(|e| e.date == by);
        let then = of_date.map(Expiration::moment).max();
        let then = then.unwrap_or_else(|| close_of(by));
        if then <= seen.at {
            return Err(GroundError::Behind { by, at: seen.at });
        }
        let all: Vec<(Expiration, CarriedTo, f64)> = expirations
            .into_iter()
            .filter_map(|e| {
                let carried = seen.carried(&e)?;
                let vol = seen.at_the_money(&e, &carried)?;
                Some((e, carried, vol * vol * carried.years))
            })
            .collect();
        if all.is_empty() {
            return Err(GroundError::NoVolatility);
        }
        let known: Vec<(f64, f64)> = all.iter().map(|(_, c, w)| (c.years, *w)).collect();
        let carried = seen.carried_to(then, spot.to_f64());
        let carried = carried.ok_or(GroundError::NoPrice)?;
        Ok(Ground {
            spot,
            by: then,
            variance: variance_at(&known, carried.years),
            carried,
            carry: seen
                .world
                .carry(seen.symbol(), seen.at)
                .unwrap_or(Carry::Yield(0.0)),
            all,
            seen,
        })
    }

    /// The underlying, and the moment.
    pub fn seen(&self) -> &UnderlyingAt<'a> {
        &self.seen
    }

    /// One deviation of the logarithm of the price at the date.
    pub fn deviation(&self) -> f64 {
        self.variance.sqrt()
    }

    /// The price so many deviations away from the price of now.
    pub fn deviations_away(&self, count: f64) -> f64 {
        self.spot.to_f64() * (count * self.deviation()).exp()
    }

    /// Calendar days to the date.
    pub fn days(&self) -> i64 {
        self.seen.at.days_until(self.by.date())
    }

    /// The market's law of the price at the date.
    ///
    /// # Errors
    /// No smile is known, or the model refuses.
    pub fn law(&self, from: LawFrom) -> Result<MarketLaw, GroundError> {
        let (spot, c) = (self.spot.to_f64(), &self.carried);
        Ok(match from {
            LawFrom::Flat => {
                let vol = (self.variance / c.years).sqrt();
                MarketLaw::Flat(Lognormal::new(spot, c.rate - c.paid, vol, c.years)?)
            }
            LawFrom::Smile => MarketLaw::Smile {
                chances: SurfaceChances::new(
                    spot,
                    (c.forward / spot).ln() / c.years,
                    self.smiles()?,
                )?,
                time: c.years,
                forward: c.forward,
            },
        })
    }

    /// Total variance by log-moneyness and years, between the smiles of all expirations.
    fn smiles(&self) -> Result<Variance, GroundError> {
        type Slice = (f64, Box<dyn Fn(f64) -> f64 + Send + Sync>);
        let mut slices: Vec<Slice> = Vec::new();
        for (e, c, _) in &self.all {
            let seen = &self.seen;
            match seen.world.surface(seen.symbol(), seen.at, e.moment()) {
                Some(slice) => slices.push((
                    c.years,
                    Box::new(move |k: f64| {
                        slice.vol(slice.forward * k.exp()).powi(2) * slice.years
                    }),
                )),
                None => {
                    let smile = seen.smile(e, c.forward).into_iter();
                    let points: Vec<(f64, f64)> = smile
                        .map(|(k, vol)| ((k.to_f64() / c.forward).ln(), vol * vol * c.years))
                        .collect();
                    if !points.is_empty() {
                        slices.push((c.years, Box::new(move |k| along(&points, k))));
                    }
                }
            }
        }
        if slices.is_empty() {
            return Err(GroundError::NoSmile);
        }
        Ok(Box::new(move |k, t| {
            // Only the two expirations around it are asked.
            let after = slices.partition_point(|(years, _)| *years < t);
            let near = slices[after.saturating_sub(1)..(after + 1).min(slices.len())].iter();
            let known: Vec<(f64, f64)> = near.map(|(years, w)| (*years, w(k))).collect();
            variance_at(&known, t)
        }))
    }

    /// The expirations that end at the date or later, with what is quoted there.
    pub fn endings(
        &self,
        quoter: &mut Quoter,
        wanted: impl Fn(usize, &Expiration) -> bool,
    ) -> Vec<ScoutEnding> {
        let seen = &self.seen;
        let later = self.all.iter().filter(|(e, ..)| e.moment() >= self.by);
        let mut out = Vec::new();
        for (_, (e, c, variance)) in later.enumerate().filter(|(i, (e, ..))| wanted(*i, e)) {
            let chain = quoter.chain(seen.world, seen.underlying, e, seen.at);
            let options = chain.into_iter().map(|(contract, l)| OptionQuoted {
                contract,
                bid: l.quote.bid.max(Price::ZERO),
                ask: l.quote.ask,
                vol: l.implied,
                delta: l.delta,
                // What is not known reaches no minimum.
                open_interest: l.quote.open_interest.unwrap_or(0),
            });
            out.push(ScoutEnding {
                ends: e.moment(),
                years: c.years,
                rate: c.rate,
                paid: c.paid,
                forward: c.forward,
                variance: *variance,
                options: options.collect(),
            });
        }
        out
    }

    /// So many expirations from the date on: the two nearest, and of the later ones the monthly.
    pub fn some_endings(&self, quoter: &mut Quoter, count: usize) -> Vec<ScoutEnding> {
        let later = self.all.iter().filter(|(e, ..)| e.moment() >= self.by);
        let chosen: Vec<usize> = later
            .enumerate()
            .filter(|(i, (e, ..))| *i < 2 || e.cycle != Cycle::Weekly)
            .map(|(i, _)| i)
            .take(count)
            .collect();
        self.endings(quoter, |i, _| chosen.contains(&i))
    }

    /// What is looked over.
    pub fn scouted<'l>(&'l self, laws: &'l Laws, endings: Vec<ScoutEnding>) -> Scouted<'l> {
        let seen = &self.seen;
        let paid = self.carry.dividends(seen.at, self.by);
        Scouted {
            underlying: seen.underlying,
            spot: self.spot,
            at: seen.at,
            by: self.by,
            days: self.days(),
            laws,
            forward: self.carried.forward,
            deviation: self.deviation(),
            fees: seen.world.fees_of(seen.symbol()),
            dividends: paid.map(|(_, cash)| cash.to_f64()).sum(),
            endings,
        }
    }
}

/// Leaves at most so many strikes of an expiration within some deviations of its forward: of those that
/// are listed every second, every fourth and so on, by their own multiples, so that expirations keep
/// strikes in common.
pub fn thin(ending: &mut ScoutEnding, reach: f64, most: usize) {
    let far = reach * ending.variance.sqrt();
    let near = |k: Price| (k.to_f64() / ending.forward).ln().abs() <= far;
    let options = ending.options.iter().map(|o| o.contract.strike);
    let mut strikes: Vec<i64> = options.filter(|k| near(*k)).map(Price::raw).collect();
    strikes.sort_unstable();
    strikes.dedup();
    let gaps = strikes.windows(2).map(|w| w[1] - w[0]);
    let Some(least) = gaps.min().filter(|_| strikes.len() > most.max(1)) else {
        return;
    };
    let kept = |step: i64| strikes.iter().filter(|k| *k % step == 0).count();
    let mut step = least;
    while kept(step) > most.max(1) {
        step *= 2;
    }
    if 4 * kept(step) < most {
        // They are no multiples of the distance between them: by their places, then.
        let every = strikes.len().div_ceil(most.max(1));
        let left: Vec<i64> = strikes.iter().copied().step_by(every).collect();
        let stays = |o: &OptionQuoted| left.contains(&o.contract.strike.raw());
        ending.options.retain(stays);
        return;
    }
    ending
        .options
        .retain(|o| o.contract.strike.raw() % step == 0);
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// However strikes lie, at most so many are left of those within reach and a quarter of that at the
        /// least, where there were so many.
        #[test]
        fn thinned_strikes_are_neither_too_many_nor_gone(
            first in 50_i64..400,
            gap in 1_i64..9,
            count in 5_usize..120,
            most in 4_usize..40,
        ) {
            let strikes = (0..count as i64).map(|i| Price::cents(100 * (first + gap * i)));
            let options = strikes.map(|strike| OptionQuoted {
                contract: desk::Contract {
                    root: "TEST".into(),
                    expiry: jiff::civil::date(2031, 4, 18),
                    kind: desk::Kind::Call,
                    strike,
                },
                bid: Price::ZERO,
                ask: Price::ZERO,
                vol: None,
                delta: 0.0,
                open_interest: 0,
            });
            let mut ending = ScoutEnding {
                ends: Moment::at(jiff::civil::date(2031, 4, 18), 16, 0),
                years: 0.1,
                rate: 0.0,
                paid: 0.0,
                forward: 100.0,
                variance: 1.0,
                options: options.collect(),
            };
            thin(&mut ending, 10.0, most);
            let left = ending.options.len();
            prop_assert!(left <= most.max(1) || count <= most);
            prop_assert!(4 * left >= most.min(count), "{left} of {count}");
        }
    }
}
