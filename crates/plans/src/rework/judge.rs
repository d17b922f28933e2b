//! What many holdings of one underlying would make at their first expirations, quickly: each series
//! is valued once over one grid of prices, and a holding is a sum of those.
//!
//! The grid has every listed strike on it, so what ends together is exact; what lasts longer comes
//! from the same models as everywhere, straight between the points.

use std::collections::HashMap;

use quant::{Lognormal, Tail};
use rayon::prelude::*;

use crate::idea::Candidates;
use desk::Carry;
use desk::Contract;
use desk::MarketView;
use desk::Moment;
use desk::Price;
use desk::{Fees, Underlying};
use desk::{Holding, Leg};
use desk::{LegMarket, Legs};

/// One listed expiration: what is listed there, its markets in the same order, and its law.
#[derive(Debug, Clone)]
pub struct Dated {
    /// What is listed.
    pub candidates: Candidates,
    /// The market of each.
    pub markets: Vec<LegMarket>,
    /// When it ends.
    pub ends: Moment,
    /// Calendar days until then.
    pub days: i64,
    /// Where the price is then, under one volatility.
    pub law: Lognormal,
}

/// Where a series stands: its expiration, and its place there.
pub(super) type Slot = (usize, usize);

/// An underlying and what is listed on it, found by name.
#[derive(Debug, Clone)]
pub struct Field<'a> {
    /// The moment of prices and quotes.
    pub at: Moment,
    /// The underlying of the campaign.
    pub underlying: &'a Underlying,
    /// Its price at that moment, per unit.
    pub spot: Price,
    /// What it pays.
    pub carry: &'a Carry,
    /// What a trade of each kind of contract costs.
    pub fees: Fees,
    /// Lean of the whole book now, and how much 1.00 of delta adds to it.
    pub lean: (f64, f64),
    /// By expiration, ascending.
    dates: Vec<Dated>,
    slots: HashMap<Contract, Slot>,
}

impl<'a> Field<'a> {
    /// What is listed, by expiration, ascending.
    pub fn new(
        at: Moment,
        (underlying, spot, carry): (&'a Underlying, Price, &'a Carry),
        fees: Fees,
        lean: (f64, f64),
        dates: Vec<Dated>,
    ) -> Field<'a> {
        let of_date = |(d, date): (usize, &Dated)| {
            let all = date.candidates.listed.iter().enumerate();
            let each = all.map(|(i, c)| (c.contract.clone(), (d, i)));
            each.collect::<Vec<(Contract, Slot)>>()
        };
        Field {
            at,
            underlying,
            spot,
            carry,
            fees,
            lean,
            slots: dates.iter().enumerate().flat_map(of_date).collect(),
            dates,
        }
    }

    /// By expiration, ascending.
    pub fn dates(&self) -> &[Dated] {
        &self.dates
    }

    pub(super) fn slot(&self, c: &Contract) -> Option<Slot> {
        self.slots.get(c).copied()
    }

    /// The markets of options, in the order of their legs; absent where one is not listed, and for
    /// the underlying itself.
    pub fn markets_of(&self, options: &Holding) -> Option<Vec<LegMarket>> {
        let of = |l: &Leg| {
            let (d, i) = self.slot(l.instrument.option()?)?;
            Some(self.dates[d].markets[i])
        };
        options.legs().iter().map(of).collect()
    }

    /// A market in legs that are known.
    pub fn market(&self, legs: Vec<LegMarket>) -> MarketView<'a> {
        MarketView {
            at: self.at,
            underlying: self.underlying,
            spot: self.spot,
            legs,
            horizon_vol: 0.0,
            carry: self.carry.clone(),
            events: Vec::new(),
            cautions: Vec::new(),
        }
    }

    /// Delta in money of what is held.
    pub(super) fn delta(&self, held: &Holding) -> Option<f64> {
        let units = |l: &Leg| (l.quantity * self.underlying.units(&l.instrument)) as f64;
        let each = held.legs().iter().map(|l| match l.instrument.option() {
            Some(c) => {
                let (d, i) = self.slot(c)?;
                Some(self.dates[d].candidates.listed[i].delta * units(l))
            }
            None => Some(units(l)),
        });
        each.sum()
    }

    /// Which expiration is the first of what is held, and where its series stand; nothing without
    /// an option, or where one is not listed.
    pub(super) fn horizon(&self, held: &Holding) -> Option<(usize, Vec<(Slot, i64)>)> {
        let slots: Option<Vec<(Slot, i64)>> = held
            .options()
            .map(|(c, quantity)| Some((self.slot(c)?, quantity)))
            .collect();
        let slots = slots?;
        let first = slots.iter().map(|((d, _), _)| *d).min()?;
        Some((first, slots))
    }
}

/// Worth of a series at each price of a grid, and far above.
type Worth = (Vec<f64>, Tail);

/// The grid of one horizon.
pub(super) struct Table<'a> {
    date: &'a Dated,
    prices: Vec<f64>,
    below: Vec<f64>,
    worth: HashMap<Slot, Worth>,
    multiplier: f64,
}

/// Deviations that the even part of a grid reaches to each side, and its points.
const REACH: f64 = 5.0;
const POINTS: usize = 160;

/// What a holding makes at its horizon.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Made {
    /// Chance of a profit above zero.
    pub chance: f64,
    /// Most to make; none without a limit.
    pub most: Option<f64>,
    /// Most to lose, as a profit; none without a limit.
    pub least: Option<f64>,
    /// Deviations from the price now to the nearest break-even: above zero where it ends in profit
    /// at that price. Infinite without a break-even.
    pub room: f64,
}

impl<'a> Table<'a> {
    /// Makes the grid of an expiration, with the worth of each series that is asked for.
    pub(super) fn new(
        field: &'a Field<'_>,
        horizon: usize,
        wanted: &[Slot],
    ) -> Result<Table<'a>, quant::Error> {
        let date = &field.dates[horizon];
        let spot = field.spot.to_f64();
        let reach = (REACH * date.candidates.deviation).clamp(0.05, 3.0);
        let step = |i: usize| reach * (2.0 * i as f64 / (POINTS - 1) as f64 - 1.0);
        let strikes = wanted.iter().map(|(d, i)| {
            let c = &field.dates[*d].candidates.listed[*i].contract;
            c.strike.to_f64()
        });
        let even = (0..POINTS).map(|i| spot * step(i).exp());
        let mut prices: Vec<f64> = [0.0, spot].into_iter().chain(even).chain(strikes).collect();
        prices.sort_by(f64::total_cmp);
        prices.dedup();
        let worth = wanted.par_iter().map(|slot| {
            let (d, i) = *slot;
            let listed = &field.dates[d];
            let contract = &listed.candidates.listed[i].contract;
            let one = Holding::new([Leg::option(contract.clone(), 1)]);
            let legs = Legs::at(
                &one,
                field.underlying,
                &listed.markets[i..=i],
                (field.carry, field.spot),
                date.ends,
            )?;
            Ok((*slot, (legs.values(&prices), legs.tail())))
        });
        Ok(Table {
            date,
            below: prices.iter().map(|p| date.law.below(*p)).collect(),
            worth: worth.collect::<Result<_, quant::Error>>()?,
            prices,
            multiplier: field.underlying.multiplier as f64,
        })
    }

    /// What it makes with so much received in all, and so much money per 1.00 of the underlying
    /// beside its options. The worth of each series must have been asked for.
    pub(super) fn made(
        &self,
        received: f64,
        underlying: f64,
        legs: &[(Slot, i64)],
        spot: f64,
    ) -> Option<Made> {
        let mut profit: Vec<f64> = self
            .prices
            .iter()
            .map(|p| received + underlying * p)
            .collect();
        let mut slope = underlying;
        let mut gross = received.abs();
        for (slot, quantity) in legs {
            let (worth, tail) = self.worth.get(slot)?;
            // A value counts one contract.
            let n = *quantity as f64;
            for (sum, one) in profit.iter_mut().zip(worth) {
                *sum += n * one;
            }
            slope += n * tail.slope;
            gross += n.abs() * self.multiplier * spot;
        }
        // What rounding leaves of an exact zero is none.
        let nothing = 1e-12 * gross;
        for p in &mut profit {
            if p.abs() <= nothing {
                *p = 0.0;
            }
        }
        let slope = if slope.abs() <= 1e-9 * self.multiplier {
            0.0
        } else {
            slope
        };
        Some(self.told(&profit, slope, spot))
    }

    fn told(&self, profit: &[f64], slope: f64, spot: f64) -> Made {
        let last = profit.len() - 1;
        let bottom = profit.iter().copied().fold(f64::INFINITY, f64::min);
        let top = profit.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let (mut chance, mut nearest) = (0.0, f64::INFINITY);
        let mut even = |price: f64| {
            let away = (price / spot).ln().abs();
            nearest = f64::min(nearest, away);
        };
        for i in 0..=last {
            let a = profit[i];
            let (b, from, to) = if i == last {
                (a + slope, self.prices[i], f64::INFINITY)
            } else {
                (profit[i + 1], self.prices[i], self.prices[i + 1])
            };
            let above = if i == last { 1.0 } else { self.below[i + 1] };
            let crosses = (a > 0.0) != (b > 0.0) || (i == last && a != 0.0 && a * slope < 0.0);
            if !crosses {
                if a > 0.0 || b > 0.0 {
                    chance += above - self.below[i];
                }
                continue;
            }
            let at = if i == last {
                from - a / slope
            } else {
                from + (to - from) * a / (a - b)
            };
            even(at.max(f64::MIN_POSITIVE));
            let part = self.date.law.below(at);
            chance += if a > 0.0 {
                part - self.below[i]
            } else {
                above - part
            };
        }
        let here = self.prices.partition_point(|p| *p < spot);
        let sign = if profit[here.min(last)] > 0.0 {
            1.0
        } else {
            -1.0
        };
        Made {
            chance,
            most: (slope <= 0.0).then_some(top),
            least: (slope >= 0.0).then_some(bottom),
            room: sign * nearest / self.date.candidates.deviation.max(1e-9),
        }
    }
}
