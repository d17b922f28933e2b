//! A market from files: what was seen of an underlying at some moments, in place of a simulated
//! path.
//!
//! Between two moments the earlier stands; before the first nothing is known. The theoretical value of a
//! contract is the middle of its market, its volatility what the middle implies; at-the-money
//! variance lies at the strike nearest to the price, interpolated between expirations in total
//! variance. There are no events, and dividends are a stated yield.

use std::collections::BTreeMap;

use desk::{
    Carry, Contract, Cycle, Expiration, Kind, Moment, Price, Quote, Underlying, UnderlyingKind,
    terms_of,
};
use jiff::civil::Date;
use libm::log;
use quant::{Accuracy, implied_vol_all, total_variance_between, value_all};

use crate::market_data::{Bar, Listed};

/// What was seen of one contract.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    /// Its market.
    pub quote: Quote,
    /// The last trade.
    pub last: Option<Price>,
}

/// Everything seen at one moment.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sight {
    /// Price of the underlying.
    pub spot: Price,
    /// Markets by contract.
    pub contracts: BTreeMap<Contract, Seen>,
}

/// An underlying as recorded.
#[derive(Debug, Clone)]
pub struct Recorded {
    /// Its data; `own_dates` and `listing` are not used: what was seen is listed.
    pub underlying: Underlying,
    /// Dividend yield a year; of a future it is not used.
    pub dividend_yield: f64,
    /// Sessions, ascending.
    pub bars: Vec<Bar>,
    /// Chains, by moment.
    pub sights: BTreeMap<Moment, Sight>,
}

impl Recorded {
    /// The sight that stands at a moment.
    pub(crate) fn sight(&self, at: Moment) -> Option<(Moment, &Sight)> {
        let found = self.sights.range(..=at).next_back();
        found.map(|(moment, sight)| (*moment, sight))
    }

    /// Whether a chain was seen on the date of a moment by then.
    pub(crate) fn saw_chain(&self, at: Moment) -> bool {
        self.sight(at)
            .is_some_and(|(seen, _)| seen.date() == at.date())
    }

    /// The last moment seen, of a chain or a session's close.
    pub fn last_moment(&self) -> Option<Moment> {
        let closed = self.bars.last().map(|b| desk::calendar::close_of(b.date));
        self.sights
            .keys()
            .next_back()
            .copied()
            .into_iter()
            .chain(closed)
            .max()
    }

    /// A number for the recorded moment that stands.
    pub(crate) fn standing(&self, at: Moment) -> i64 {
        self.sight(at).map_or(0, |(moment, _)| moment.millis())
    }

    pub(crate) fn carry(&self) -> Carry {
        if self.underlying.kind == UnderlyingKind::Future {
            Carry::Future
        } else {
            Carry::Yield(self.dividend_yield)
        }
    }

    pub(crate) fn spot(&self, at: Moment) -> Option<Price> {
        let seen = self
            .sights
            .range(..=at)
            .next_back()
            .map(|(moment, sight)| (*moment, sight.spot));
        let closed = self
            .bars
            .iter()
            .rev()
            .map(|b| (desk::calendar::close_of(b.date), b.close))
            .find(|(moment, _)| *moment <= at);
        seen.into_iter()
            .chain(closed)
            .max_by_key(|(moment, _)| *moment)
            .map(|(_, price)| price)
    }

    /// Closes of the sessions before a date, oldest first.
    pub(crate) fn closes_before(&self, day: Date) -> impl DoubleEndedIterator<Item = Price> {
        self.bars
            .iter()
            .filter(move |b| b.date < day)
            .map(|b| b.close)
    }

    pub(crate) fn expirations(&self, at: Moment) -> Vec<Expiration> {
        let Some((_, sight)) = self.sight(at) else {
            return Vec::new();
        };
        let mut dates: Vec<Date> = sight.contracts.keys().map(|c| c.expiry).collect();
        dates.sort_unstable();
        dates.dedup();
        let cycle = |date: Date| match desk::calendar::monthly_expiration(date.year(), date.month())
            == date
        {
            true if at.days_until(date) > 275 => Cycle::Long,
            true => Cycle::Monthly,
            false => Cycle::Weekly,
        };
        let all = dates.into_iter().map(|date| Expiration {
            date,
            cycle: cycle(date),
            am_settled: false,
        });
        all.filter(|e| e.moment() > at).collect()
    }

    pub(crate) fn strikes(&self, expiration: &Expiration, at: Moment) -> Vec<Price> {
        let mut out: Vec<Price> = self
            .of(expiration.date, at)
            .map(|(c, _)| c.strike)
            .collect();
        out.sort_unstable();
        out.dedup();
        out
    }

    fn of(&self, expiry: Date, at: Moment) -> impl Iterator<Item = (&Contract, &Seen)> {
        self.sight(at).into_iter().flat_map(move |(_, sight)| {
            sight
                .contracts
                .iter()
                .filter(move |(c, _)| c.expiry == expiry)
        })
    }

    /// Contracts of one expiration with what their middles imply, strikes ascending, calls before
    /// puts; one that was seen on one side alone is left out.
    pub(crate) fn chain(&self, expiry: Date, at: Moment, rate: f64) -> Vec<(Contract, Listed)> {
        let mut seen: Vec<(&Contract, &Seen)> = self.of(expiry, at).collect();
        seen.sort_by_key(|(c, _)| (c.strike, c.kind));
        let pairs = seen
            .chunk_by(|(a, _), (b, _)| a.strike == b.strike)
            .filter(|pair| pair.len() == 2)
            .flatten()
            .copied();
        self.listed(pairs.collect(), at, rate)
    }

    pub(crate) fn quote(&self, contract: &Contract, at: Moment, rate: f64) -> Option<Listed> {
        let (_, sight) = self.sight(at)?;
        let (contract, seen) = sight.contracts.get_key_value(contract)?;
        self.listed(vec![(contract, seen)], at, rate)
            .pop()
            .map(|(_, listed)| listed)
    }

    fn listed(
        &self,
        seen: Vec<(&Contract, &Seen)>,
        at: Moment,
        rate: f64,
    ) -> Vec<(Contract, Listed)> {
        // What a quote implies is a matter of the moment it was seen at.
        let Some((moment, sight)) = self.sight(at) else {
            return Vec::new();
        };
        let spot = sight.spot.to_f64();
        let on = if self.underlying.kind == UnderlyingKind::Future {
            quant::PricedOn::Future
        } else {
            quant::PricedOn::Spot
        };
        let carry = self.carry();
        let contract = |c: &Contract, vol: f64| {
            let carry_yield =
                carry.yield_until(moment, self.underlying.expiry_moment(c), rate, spot);
            quant::Vanilla {
                terms: terms_of(c, &self.underlying, moment, (rate, carry_yield), vol),
                spot,
                on,
            }
        };
        let rows: Vec<(quant::Vanilla, f64)> = seen
            .iter()
            .map(|(c, s)| (contract(c, 0.3), s.quote.mid().to_f64()))
            .collect();
        let vols = implied_vol_all(&rows, Accuracy::Interactive);
        let at_vol: Vec<quant::Vanilla> = seen
            .iter()
            .zip(&vols)
            .map(|((c, _), vol)| contract(c, vol.as_ref().map_or(0.3, |v| v.max(1e-4))))
            .collect();
        let values = value_all(&at_vol, Accuracy::Interactive);
        let each = seen
            .into_iter()
            .zip(vols)
            .zip(values)
            .map(|(((c, s), vol), value)| {
                let certain = if c.kind == Kind::Call {
                    f64::from(spot > c.strike.to_f64())
                } else {
                    -f64::from(spot < c.strike.to_f64())
                };
                let delta = if vol.is_ok() {
                    value.map_or(certain, |v| v.delta)
                } else {
                    certain
                };
                let implied = vol.ok().filter(|_| s.quote.bid > Price::ZERO);
                (
                    c.clone(),
                    Listed {
                        quote: s.quote,
                        last: s.last,
                        theoretical: s.quote.mid().to_f64(),
                        delta,
                        implied,
                    },
                )
            });
        each.collect()
    }

    /// At-the-money total variance until a moment.
    pub(crate) fn total_variance(
        &self,
        at: Moment,
        until: Moment,
        rate: impl Fn(f64) -> f64,
    ) -> Option<f64> {
        let (moment, sight) = self.sight(at)?;
        let spot = sight.spot.to_f64();
        let known: Vec<(f64, f64)> = self
            .expirations(moment)
            .iter()
            .filter_map(|e| {
                let years = moment.years_until(e.moment());
                let nearest = self.of(e.date, at).map(|(c, _)| c.strike).min_by(|a, b| {
                    log(a.to_f64() / spot)
                        .abs()
                        .total_cmp(&log(b.to_f64() / spot).abs())
                })?;
                let pair = self
                    .of(e.date, at)
                    .filter(|(c, _)| c.strike == nearest)
                    .collect();
                let vols: Vec<f64> = self
                    .listed(pair, at, rate(years))
                    .into_iter()
                    .filter_map(|(_, l)| l.implied)
                    .collect();
                let vol = vols.iter().sum::<f64>() / vols.len() as f64;
                vol.is_finite().then_some((years, vol * vol * years))
            })
            .collect();
        let years = at.years_until(until).max(0.0);
        let after = known.partition_point(|(t, _)| *t < years);
        match (
            after.checked_sub(1).and_then(|i| known.get(i)),
            known.get(after),
        ) {
            (Some(near), Some(far)) => total_variance_between(*near, *far, years)
                .ok()
                .or(Some(near.1 / near.0 * years)),
            (Some((t, w)), None) | (None, Some((t, w))) => Some(w / t * years),
            (None, None) => None,
        }
    }
}
