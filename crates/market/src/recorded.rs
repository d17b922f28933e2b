//! A market from files: what was seen of an underlying at some moments, in place of a simulated
//! path.
//!
//! Between two moments the earlier stands; before the first nothing is known. What a contract's
//! middle implies is its volatility. A quote that cannot be right ([`Doubt`]) is marked, implies
//! nothing and is worth what its neighbours say. At-the-money variance lies at the strike nearest
//! to the price, interpolated between expirations in total variance.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use desk::beta::Beta;
use desk::calendar::{close_of, is_session, open_of, session_on_or_before};
use desk::{
    Carry, Contract, Cycle, Expiration, Fees, Kind, Moment, Price, Quote, Underlying,
    UnderlyingKind, terms_of,
};
use jiff::civil::Date;
use libm::log;
use quant::{
    Accuracy, Style, Terms, europeans, find_root, implied_vol_all, total_variance_between,
    value_all,
};

use crate::market_data::{Bar, Doubt, Listed};
use crate::paid::{before_dividends, without_dividends};
use crate::tape::{AtTheMoney, Seen, Sight, Tape};
use crate::world::{Announced, AnnouncedKind};

/// What is told of an underlying beside its prices.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Told {
    /// Dividend yield a year, where one is stated; of a future it is not used.
    pub dividend_yield: Option<f64>,
    /// Dated events, ascending; nothing where none are told.
    pub events: Option<Vec<Announced>>,
    /// The sector.
    pub sector: Option<String>,
    /// It stands for many names.
    pub basket: bool,
    /// What trades cost, where it differs from the market's.
    pub fees: Option<Fees>,
    /// Its own session on each date, in minutes of the exchange's clock, where it is shorter than the
    /// market's.
    pub hours: Option<desk::calendar::Hours>,
}

/// An underlying as recorded.
#[derive(Debug, Clone)]
pub struct Recorded {
    /// Its data; `own_dates` and `listing` are not used: what was seen is listed.
    pub underlying: Underlying,
    /// What else is told of it.
    pub told: Told,
    /// What was seen.
    pub tape: Arc<Tape>,
    memory: Arc<Mutex<Memory>>,
}

/// Expirations that were valued last, and betas of a day; only a memory.
#[derive(Debug, Default)]
struct Memory {
    /// By moment, what had come to it again, and expiration.
    chains: BTreeMap<(Moment, u64, Date, bool), (u64, Chain)>,
    asked: u64,
    betas: BTreeMap<(String, Date), Option<Beta>>,
}

type Chain = Arc<Vec<(Contract, Listed)>>;

/// Most expirations that are remembered.
const REMEMBERED: usize = 192;
/// A volatility that lies so far from its neighbours', as a factor, may be an outlier.
const FAR: f64 = 1.3;

impl Recorded {
    /// An underlying, what is told of it, and what was seen.
    pub fn new(underlying: Underlying, told: Told, tape: Tape) -> Recorded {
        Recorded {
            underlying,
            told,
            tape: Arc::new(tape),
            memory: Arc::default(),
        }
    }

    /// Whether a chain was seen on the date of a moment by then.
    pub(crate) fn saw_chain(&self, at: Moment) -> bool {
        let seen = self.tape.standing(at);
        seen.is_some_and(|(seen, _)| seen.date() == at.date())
    }

    /// The last moment seen, of a chain or a session's close.
    pub fn last_moment(&self) -> Option<Moment> {
        let closed = self
            .tape
            .with_bars(|bars| bars.last().map(|b| close_of(b.date)));
        let seen = self.tape.span().map(|(_, last)| last);
        seen.into_iter().chain(closed).max()
    }

    /// The first date of which anything is known.
    pub fn first_date(&self) -> Option<Date> {
        let bar = self.tape.with_bars(|bars| bars.first().map(|b| b.date));
        let seen = self.tape.span().map(|(first, _)| first.date());
        seen.into_iter().chain(bar).min()
    }

    /// A number for the recorded moment that stands.
    pub(crate) fn standing(&self, at: Moment) -> i64 {
        let seen = self.tape.standing(at);
        seen.map_or(0, |(moment, _)| moment.millis())
    }

    /// What it pays: a yield where one above or below zero is stated and always of an index, otherwise the
    /// dividends that are told.
    pub fn carry(&self) -> Carry {
        if self.underlying.kind == UnderlyingKind::Future {
            return Carry::Future;
        }
        let stated = self.told.dividend_yield.unwrap_or(0.0);
        if stated != 0.0 || self.underlying.kind == UnderlyingKind::Index {
            return Carry::Yield(stated);
        }
        let events = self.told.events.iter().flatten();
        let paid = events.filter_map(|e| Some((e.known, e.cash?)));
        Carry::Dividends(paid.collect())
    }

    pub(crate) fn announced(&self) -> &[Announced] {
        self.told.events.as_deref().unwrap_or_default()
    }

    /// Whether nothing is known of what it pays.
    pub(crate) fn lacks_dividends(&self) -> bool {
        self.underlying.kind == UnderlyingKind::Shares
            && self.told.dividend_yield.is_none()
            && self.told.events.is_none()
    }

    pub(crate) fn spot(&self, at: Moment) -> Option<Price> {
        let seen = self.tape.standing(at);
        let told = self.tape.with_bars(|bars| {
            let after = bars.partition_point(|b| open_of(b.date) <= at);
            let last = bars[..after].last()?;
            let close = close_of(last.date);
            Some(if close <= at {
                (close, last.close)
            } else {
                (open_of(last.date), last.open)
            })
        });
        seen.into_iter()
            .chain(told)
            .max_by_key(|(moment, _)| *moment)
            .map(|(_, price)| price)
    }

    /// Close of the last session before a date.
    pub(crate) fn close_before(&self, day: Date) -> Option<Price> {
        self.tape.with_bars(|bars| {
            let end = bars.partition_point(|b| b.date < day);
            bars[..end].last().map(|b| b.close)
        })
    }

    /// Closes of the last `count` sessions before a date with their dates, oldest first.
    pub(crate) fn dated_closes(&self, day: Date, count: usize) -> Vec<(Date, f64)> {
        self.tape.with_bars(|bars| {
            let end = bars.partition_point(|b| b.date < day);
            let last = &bars[end.saturating_sub(count)..end];
            last.iter().map(|b| (b.date, b.close.to_f64())).collect()
        })
    }

    /// Bars from a date on that are closed by a moment; the session it lies in as the moments seen
    /// show it.
    pub(crate) fn bars(&self, from: Date, until: Moment) -> Vec<Bar> {
        let mut out: Vec<Bar> = self.tape.with_bars(|bars| {
            let told = bars.iter().filter(|b| b.date >= from);
            told.filter(|b| close_of(b.date) <= until)
                .copied()
                .collect()
        });
        let day = session_on_or_before(until.date());
        if day >= from && out.last().is_none_or(|b| b.date < day) {
            let prices = self.tape.between(open_of(day), until.min(close_of(day)));
            if let (Some((_, open)), Some((_, close))) = (prices.first(), prices.last()) {
                let all = prices.iter().map(|(_, p)| *p);
                out.push(Bar {
                    date: day,
                    open: *open,
                    high: all.clone().max().unwrap_or(*open),
                    low: all.min().unwrap_or(*open),
                    close: *close,
                    volume: 0,
                });
            }
        }
        out
    }

    /// The beta against another, worked out once for a date.
    pub(crate) fn beta(
        &self,
        of: &str,
        day: Date,
        estimate: impl FnOnce() -> Option<Beta>,
    ) -> Option<Beta> {
        let key = (of.to_owned(), day);
        let mut memory = self.memory.lock().unwrap_or_else(|e| e.into_inner());
        if memory.betas.len() > 1_000 {
            memory.betas.clear();
        }
        *memory.betas.entry(key).or_insert_with(estimate)
    }

    /// Whether it trades at a moment, as far as its own hours say.
    pub(crate) fn trades(&self, at: Moment) -> bool {
        let minutes = at.time_of_day() / 60_000;
        let own = self.told.hours;
        is_session(at.date()) && own.is_none_or(|h| (h.open..h.close).contains(&minutes))
    }

    fn settles_at_opening(&self, contract: &Contract) -> bool {
        self.underlying.opens(&contract.root)
    }

    pub(crate) fn expirations(&self, at: Moment) -> Vec<Expiration> {
        let Some((_, sight)) = self.tape.sight(at) else {
            return Vec::new();
        };
        self.expirations_of(&sight, at)
    }

    fn expirations_of(&self, sight: &Sight, at: Moment) -> Vec<Expiration> {
        let mut ends: Vec<(Date, bool)> = Vec::new();
        let own = |c: &&Contract| self.underlying.owns_root(&c.root);
        for contract in sight.contracts.keys().filter(own) {
            let end = (contract.expiry, self.settles_at_opening(contract));
            if ends.last() != Some(&end) {
                ends.push(end);
            }
        }
        // What settles at the opening of a date comes before what settles at its close.
        ends.sort_unstable_by_key(|(date, opens)| (*date, !*opens));
        ends.dedup();
        let third = |date: Date| desk::calendar::monthly_expiration(date.year(), date.month());
        let cycle = |date: Date, opens: bool| {
            let monthly = third(date) == date && (opens || self.underlying.opening_root.is_none());
            if monthly && at.days_until(date) > 275 {
                Cycle::Long
            } else if monthly {
                Cycle::Monthly
            } else if date.month() % 3 == 0 && session_on_or_before(date.last_of_month()) == date {
                Cycle::Quarterly
            } else {
                Cycle::Weekly
            }
        };
        let all = ends.into_iter().map(|(date, am_settled)| Expiration {
            date,
            cycle: cycle(date, am_settled),
            am_settled,
        });
        all.filter(|e| e.moment() > at).collect()
    }

    pub(crate) fn strikes(&self, expiration: &Expiration, at: Moment) -> Vec<Price> {
        let Some((_, sight)) = self.tape.sight(at) else {
            return Vec::new();
        };
        let key = (expiration.date, expiration.am_settled);
        let mut out: Vec<Price> = self.of(&sight, key).map(|(c, _)| c.strike).collect();
        out.sort_unstable();
        out.dedup();
        out
    }

    fn of<'a>(
        &'a self,
        sight: &'a Sight,
        (expiry, opens): (Date, bool),
    ) -> impl Iterator<Item = (&'a Contract, &'a Seen)> {
        let all = sight.contracts.iter();
        all.filter(move |(c, _)| {
            c.expiry == expiry
                && self.settles_at_opening(c) == opens
                && self.underlying.owns_root(&c.root)
        })
    }

    /// Contracts of one expiration with what their middles imply, strikes ascending, calls before
    /// puts. Of a strike seen on one side alone the other is marked as missing.
    pub(crate) fn chain(
        &self,
        key: (Date, bool),
        at: Moment,
        rate: impl Fn(Moment, f64) -> f64,
    ) -> Chain {
        let Some((moment, _)) = self.tape.standing(at) else {
            return Chain::default();
        };
        let known = (moment, self.tape.again(), key.0, key.1);
        {
            let mut memory = self.memory.lock().unwrap_or_else(|e| e.into_inner());
            memory.asked += 1;
            let now = memory.asked;
            if let Some((asked, chain)) = memory.chains.get_mut(&known) {
                *asked = now;
                return Arc::clone(chain);
            }
        }
        let Some((moment, sight)) = self.tape.sight(moment) else {
            return Chain::default();
        };
        let chain = Arc::new(self.valued(&sight, moment, key, rate));
        let mut memory = self.memory.lock().unwrap_or_else(|e| e.into_inner());
        let now = memory.asked;
        memory.chains.insert(known, (now, Arc::clone(&chain)));
        if memory.chains.len() > REMEMBERED {
            let mut turns: Vec<u64> = memory.chains.values().map(|(asked, _)| *asked).collect();
            turns.sort_unstable();
            let old = turns[REMEMBERED / 4];
            memory.chains.retain(|_, (asked, _)| *asked > old);
        }
        chain
    }

    pub(crate) fn quote(
        &self,
        contract: &Contract,
        at: Moment,
        rate: impl Fn(Moment, f64) -> f64,
    ) -> Option<Listed> {
        let key = (contract.expiry, self.settles_at_opening(contract));
        let chain = self.chain(key, at, rate);
        let order = |c: &Contract| (c.strike, c.kind);
        let place = chain.binary_search_by_key(&order(contract), |(c, _)| order(c));
        let (found, listed) = &chain[place.ok()?];
        if found.root != contract.root {
            return None;
        }
        let unseen = matches!(
            listed.doubt,
            Some(Doubt::Missing | Doubt::Zero | Doubt::Outlier)
        );
        if !unseen {
            return Some(*listed);
        }
        // What has no market of its own is marked at what its neighbours say, where they say anything.
        let worth = Price::from_f64(listed.theoretical).filter(|p| *p > Price::ZERO)?;
        let mark = self.underlying.ticks.floor(worth);
        let quote = Quote {
            bid: mark,
            ask: mark,
            bid_size: 0,
            ask_size: 0,
            ..listed.quote
        };
        Some(Listed { quote, ..*listed })
    }

    /// Contracts of an expiration as a sight has them, both sides of every strike.
    fn valued(
        &self,
        sight: &Sight,
        moment: Moment,
        key: (Date, bool),
        rate: impl Fn(Moment, f64) -> f64,
    ) -> Vec<(Contract, Listed)> {
        let mut rows: BTreeMap<(Price, Kind), (Contract, Option<Seen>)> = BTreeMap::new();
        for (c, seen) in self.of(sight, key) {
            for kind in [Kind::Call, Kind::Put] {
                let other = Contract { kind, ..c.clone() };
                rows.entry((c.strike, kind)).or_insert((other, None));
            }
            rows.insert((c.strike, c.kind), (c.clone(), Some(*seen)));
        }
        let rows: Vec<(Contract, Option<Seen>)> = rows.into_values().collect();
        let Some((first, _)) = rows.first() else {
            return Vec::new();
        };
        let ends = self.underlying.expiry_moment(first);
        if ends <= moment {
            return Vec::new();
        }
        let pricing = Pricing {
            recorded: self,
            carry: self.carry(),
            spot: sight.spot.to_f64(),
            moment,
            ends,
            rate: rate(moment, moment.years_until(ends)),
        };
        pricing.listed(rows)
    }

    /// What the contracts of a moment say at the money, expirations ascending.
    pub fn at_the_money(
        &self,
        moment: Moment,
        sight: &Sight,
        rate: impl Fn(Moment, f64) -> f64,
    ) -> Arc<[AtTheMoney]> {
        let spot = sight.spot.to_f64();
        let away = |strike: Price| log(strike.to_f64() / spot).abs();
        let all = self.expirations_of(sight, moment);
        let known = all.iter().filter_map(|e| {
            let key = (e.date, e.am_settled);
            let strikes = self.of(sight, key).map(|(c, _)| c.strike);
            let nearest = strikes.min_by(|a, b| away(*a).total_cmp(&away(*b)))?;
            let pair = self.of(sight, key).filter(|(c, _)| c.strike == nearest);
            let few = Sight {
                spot: sight.spot,
                contracts: pair.map(|(c, s)| (c.clone(), *s)).collect(),
            };
            let listed = self.valued(&few, moment, key, &rate);
            let vols: Vec<f64> = listed.iter().filter_map(|(_, l)| l.implied).collect();
            let vol = vols.iter().sum::<f64>() / vols.len() as f64;
            vol.is_finite().then_some(AtTheMoney {
                ends: e.moment(),
                vol,
            })
        });
        known.collect()
    }

    /// At-the-money total variance until a moment.
    pub(crate) fn total_variance(
        &self,
        at: Moment,
        until: Moment,
        rate: impl Fn(Moment, f64) -> f64,
    ) -> Option<f64> {
        let (moment, _) = self.tape.standing(at)?;
        let money = match self.tape.money(moment) {
            Some(money) => money,
            None => {
                let (_, sight) = self.tape.sight(moment)?;
                let money = self.at_the_money(moment, &sight, rate);
                self.tape.keep_money(moment, Arc::clone(&money));
                money
            }
        };
        let known = money.iter().map(|m| {
            let years = moment.years_until(m.ends);
            (years, m.vol * m.vol * years)
        });
        let known: Vec<(f64, f64)> = known.collect();
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

/// Prices the contracts of one expiration at a moment.
struct Pricing<'a> {
    recorded: &'a Recorded,
    carry: Carry,
    spot: f64,
    moment: Moment,
    ends: Moment,
    rate: f64,
}

impl Pricing<'_> {
    fn terms(&self, c: &Contract, vol: f64) -> Terms {
        let paid = self
            .carry
            .yield_until(self.moment, self.ends, self.rate, self.spot);
        terms_of(
            c,
            &self.recorded.underlying,
            self.moment,
            (self.rate, paid),
            vol,
        )
    }

    fn vanilla(&self, c: &Contract, vol: f64) -> quant::Vanilla {
        quant::Vanilla {
            terms: self.terms(c, vol),
            spot: self.spot,
            on: if self.recorded.underlying.kind == UnderlyingKind::Future {
                quant::PricedOn::Future
            } else {
                quant::PricedOn::Spot
            },
        }
    }

    /// Whether early exercise of a call is a matter of ex-dates.
    fn before_ex_dates(&self, c: &Contract) -> bool {
        c.kind == Kind::Call
            && self.recorded.underlying.style == Style::American
            && self
                .carry
                .dividends(self.moment, self.ends)
                .next()
                .is_some()
    }

    /// Price and delta of calls that may be exercised before ex-dates.
    fn calls(&self, rows: &[(Terms, f64)]) -> Vec<quant::Valuation> {
        let span = (self.moment, self.ends);
        let mut values = europeans(&without_dividends(&self.carry, rows, span));
        before_dividends(&self.carry, rows, span, &mut values);
        values
    }

    /// Volatilities that middles imply; nothing where they imply none.
    fn implied(&self, rows: &[(&Contract, f64)]) -> Vec<Option<f64>> {
        let all: Vec<(quant::Vanilla, f64)> = rows
            .iter()
            .map(|(c, mid)| (self.vanilla(c, 0.3), *mid))
            .collect();
        let solved = implied_vol_all(&all, Accuracy::Interactive);
        rows.iter()
            .zip(solved)
            .map(|((c, mid), plain)| {
                if !self.before_ex_dates(c) {
                    return plain.ok();
                }
                let price = |vol: f64| {
                    let value = self.calls(&[(self.terms(c, vol), self.spot)]);
                    value.first().map_or(f64::NAN, |v| v.price)
                };
                let root = find_root(|vol| price(vol) - mid, 1e-3, 5.0, 1e-7);
                root.ok().map(|root| root.x)
            })
            .collect()
    }

    /// Value and delta at given volatilities.
    fn values(&self, rows: &[(&Contract, f64)]) -> Vec<Option<(f64, f64)>> {
        let all: Vec<quant::Vanilla> = rows.iter().map(|(c, vol)| self.vanilla(c, *vol)).collect();
        let terms: Vec<(Terms, f64)> = all.iter().map(|v| (v.terms, v.spot)).collect();
        let span = (self.moment, self.ends);
        let pays = self
            .carry
            .dividends(self.moment, self.ends)
            .next()
            .is_some();
        let plain = value_all(&all, Accuracy::Interactive);
        // A move of the price leaves dividends as they are.
        let moved = pays.then(|| {
            let with = europeans(&without_dividends(&self.carry, &terms, span));
            (with, europeans(&terms), self.calls(&terms))
        });
        let each = rows.iter().zip(plain).enumerate();
        each.map(|(i, ((c, _), plain))| match (&moved, plain.ok()) {
            (Some((_, _, calls)), _) if self.before_ex_dates(c) => {
                Some((calls[i].price, calls[i].delta))
            }
            (Some((with, yielding, _)), Some(v)) => {
                let delta = v.delta + with[i].delta - yielding[i].delta;
                Some((v.price, delta.clamp(-1.0, 1.0)))
            }
            (None, Some(v)) => Some((v.price, v.delta)),
            (_, None) => None,
        })
        .collect()
    }

    fn listed(&self, rows: Vec<(Contract, Option<Seen>)>) -> Vec<(Contract, Listed)> {
        let nothing = Quote {
            bid: Price::ZERO,
            ask: Price::ZERO,
            bid_size: 0,
            ask_size: 0,
            volume: 0,
            open_interest: 0,
        };
        let quote = |seen: &Option<Seen>| seen.map_or(nothing, |s| s.quote);
        let mut doubts: Vec<Option<Doubt>> = rows
            .iter()
            .map(|(_, seen)| seen.map_or(Some(Doubt::Missing), |s| Doubt::of(&s.quote)))
            .collect();
        let sound: Vec<usize> = (0..rows.len()).filter(|i| doubts[*i].is_none()).collect();
        let asked: Vec<(&Contract, f64)> = sound
            .iter()
            .map(|i| (&rows[*i].0, quote(&rows[*i].1).mid().to_f64()))
            .collect();
        let mut vols: Vec<Option<f64>> = vec![None; rows.len()];
        for (i, vol) in sound.iter().zip(self.implied(&asked)) {
            vols[*i] = vol;
        }
        // The worst first: what it says of its neighbours is then left out.
        while let Some(i) = self.outlier(&rows, &vols, &doubts) {
            doubts[i] = Some(Doubt::Outlier);
            vols[i] = None;
        }
        // What is in doubt is worth what its neighbours say.
        let at: Vec<Option<f64>> = (0..rows.len())
            .map(|i| vols[i].or_else(|| neighbours(&rows, &vols, i, 1).first().copied()))
            .collect();
        let valued: Vec<(&Contract, f64)> = rows
            .iter()
            .zip(&at)
            .map(|((c, _), vol)| (c, vol.unwrap_or(0.3).max(1e-4)))
            .collect();
        let values = self.values(&valued);
        let spot = self.spot;
        let each = rows
            .iter()
            .zip(doubts)
            .zip(vols.iter().zip(&at))
            .zip(values);
        each.map(|((((c, seen), doubt), (vol, at)), value)| {
            let strike = c.strike.to_f64();
            let certain = if c.kind == Kind::Call {
                f64::from(spot > strike)
            } else {
                -f64::from(spot < strike)
            };
            let quote = quote(seen);
            let worth = value.filter(|_| at.is_some());
            let listed = Listed {
                quote,
                last: seen.and_then(|s| s.last),
                theoretical: if doubt.is_some() {
                    worth.map_or(quote.mid().to_f64(), |(price, _)| price)
                } else {
                    quote.mid().to_f64()
                },
                delta: worth.map_or(certain, |(_, delta)| delta),
                implied: vol.filter(|_| quote.bid > Price::ZERO),
                doubt,
            };
            (c.clone(), listed)
        })
        .collect()
    }

    /// The quote that can least stand beside its neighbours': its middle implies a volatility far from
    /// theirs, or none, and lies outside of its own width around what theirs makes it worth.
    fn outlier(
        &self,
        rows: &[(Contract, Option<Seen>)],
        vols: &[Option<f64>],
        doubts: &[Option<Doubt>],
    ) -> Option<usize> {
        // Far from most of them: beside one outlier a quote is none yet.
        let far = |own: Option<f64>, theirs: &[f64]| {
            let apart = |of: &&f64| own.is_none_or(|own| own > **of * FAR || own < **of / FAR);
            theirs.iter().filter(apart).count() * 2 > theirs.len()
        };
        let near = |i: usize| -> Option<f64> {
            let mut all = neighbours(rows, vols, i, 2);
            (all.len() >= 2 && far(vols[i], &all)).then(|| {
                all.sort_by(f64::total_cmp);
                0.5 * (all[(all.len() - 1) / 2] + all[all.len() / 2])
            })
        };
        let bid = |i: usize| rows[i].1.is_some_and(|s| s.quote.bid > Price::ZERO);
        let suspects: Vec<(usize, f64)> = (0..rows.len())
            .filter(|i| doubts[*i].is_none() && bid(*i))
            .filter_map(|i| Some((i, near(i)?)))
            .collect();
        if suspects.is_empty() {
            return None;
        }
        let valued: Vec<(&Contract, f64)> =
            suspects.iter().map(|(i, v)| (&rows[*i].0, *v)).collect();
        let tick = |p: Price| self.recorded.underlying.ticks.tick_at(p).to_f64();
        let values = self.values(&valued);
        let off = suspects.iter().zip(values).filter_map(|((i, _), value)| {
            let quote = rows[*i].1?.quote;
            let allowed = 1.5 * (quote.ask - quote.bid).to_f64() + 2.0 * tick(quote.ask);
            let off = (quote.mid().to_f64() - value?.0).abs() / allowed;
            (off > 1.0).then_some((*i, off))
        });
        off.max_by(|a, b| a.1.total_cmp(&b.1)).map(|(i, _)| i)
    }
}

/// Volatilities of the nearest strikes of the same kind that imply one, up to so many on each side,
/// the nearest first.
fn neighbours(
    rows: &[(Contract, Option<Seen>)],
    vols: &[Option<f64>],
    i: usize,
    each: usize,
) -> Vec<f64> {
    let kind = rows[i].0.kind;
    let same = |j: &usize| rows[*j].0.kind == kind;
    let below = (0..i).rev().filter(same).filter_map(|j| vols[j]).take(each);
    let above = (i + 1..rows.len())
        .filter(same)
        .filter_map(|j| vols[j])
        .take(each);
    let (below, above): (Vec<f64>, Vec<f64>) = (below.collect(), above.collect());
    let mut out = Vec::new();
    for k in 0..each {
        out.extend(below.get(k));
        out.extend(above.get(k));
    }
    out
}

/// The words of a dividend.
pub(crate) fn told_dividend(cash: Price) -> String {
    format!("ex-dividend, {cash} a share")
}

impl Announced {
    /// In words: a dividend always with its cash.
    pub(crate) fn told(&self) -> String {
        match (self.kind, self.cash) {
            (AnnouncedKind::ExDividend, Some(cash)) => told_dividend(cash),
            _ => self.what.clone(),
        }
    }
}
