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
use desk::calendar::{close_of, is_session, last_trading, open_of, session_on_or_before};
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
use crate::source::{Announced, Print, PrintOf, Rating, Slice, Source};
use crate::tape::{AtTheMoney, Seen, Sight, Tape};

/// What is told of an underlying beside its prices.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Told {
    /// Dividend yield a year, where one is stated; of a future it is not used.
    pub dividend_yield: Option<f64>,
    /// The sector, where one is told.
    pub sector: Option<String>,
    /// It stands for many names.
    pub basket: bool,
    /// What trades cost, where it differs from the market's.
    pub fees: Option<Fees>,
    /// Its contracts were adjusted: what they deliver is not listed by itself.
    pub adjusted: bool,
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
        let recorded = Recorded {
            underlying,
            told,
            tape: Arc::new(tape),
            memory: Arc::default(),
        };
        recorded.look_through();
        recorded
    }

    /// The last moment seen, of a chain or a session's close.
    pub fn last_moment(&self) -> Option<Moment> {
        let closed = self.tape.told_until(Date::MAX);
        let closed = closed.map(|b| close_of(b.date));
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

    /// What it pays as far as it is known at a moment: a yield where one above or below zero is stated and
    /// always of an index, otherwise the dividends that are told by then.
    fn carry_at(&self, at: Moment) -> Carry {
        if self.underlying.kind == UnderlyingKind::Future {
            return Carry::Future;
        }
        let stated = self.told.dividend_yield.unwrap_or(0.0);
        if stated != 0.0 || self.underlying.kind == UnderlyingKind::Index {
            return Carry::Yield(stated);
        }
        let events = self.tape.events();
        let known = events.iter().flat_map(|all| all.iter());
        let known = known.filter(|e| e.told.is_none_or(|told| told <= at));
        let paid = known.filter_map(|e| Some((e.known, e.cash?)));
        Carry::Dividends(paid.collect())
    }

    /// When a print of a session is made.
    fn printed(&self, of: PrintOf, day: Date) -> Moment {
        self.underlying.end_on(day, of == PrintOf::Opening)
    }

    /// What the day's bar says of a print, once it has been made.
    fn by_bar(&self, of: PrintOf, day: Date, at: Moment) -> Option<Print> {
        let printed = self.printed(of, day);
        let bar = (at >= printed).then(|| self.tape.told_bar(day))??;
        let price = match of {
            PrintOf::Opening => bar.open,
            PrintOf::Close => bar.close,
        };
        Some(Print { price, at: printed })
    }

    /// What the quotes say of a print: the first one of the session as soon as it has come, the last one once
    /// the session is over.
    fn by_quotes(&self, of: PrintOf, day: Date, at: Moment) -> Option<Print> {
        if at < self.printed(of, day) {
            return None;
        }
        let (open, close) = (
            self.printed(PrintOf::Opening, day),
            self.printed(PrintOf::Close, day),
        );
        let session = self.tape.between(open, at.min(close));
        let print = match of {
            PrintOf::Opening => session.first(),
            PrintOf::Close => session.last(),
        };
        print.map(|(at, price)| Print {
            price: *price,
            at: *at,
        })
    }

    /// The price of a moment: of the last quotes, or of a bar's opening or close where that is later.
    fn price_at(&self, at: Moment) -> Option<Price> {
        let seen = self.tape.standing(at);
        // A bar from moments would tell of those that are still to come.
        let day = at.date();
        let day = if open_of(day) <= at {
            day
        } else {
            day.yesterday().unwrap_or(day)
        };
        let told = self.tape.told_until(day).map(|bar| {
            let close = close_of(bar.date);
            if close <= at {
                (close, bar.close)
            } else {
                (open_of(bar.date), bar.open)
            }
        });
        seen.into_iter()
            .chain(told)
            .max_by_key(|(moment, _)| *moment)
            .map(|(_, price)| price)
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

    fn settles_at_opening(&self, contract: &Contract) -> bool {
        self.underlying.opens(&contract.root)
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
        let all = ends.into_iter().map(|(date, am_settled)| {
            let cycle = cycle(date, am_settled);
            self.underlying.expiration(date, cycle, am_settled)
        });
        all.filter(|e| e.moment() > at).collect()
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
            bid_size: None,
            ask_size: None,
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
            carry: self.carry_at(moment),
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
}

/// A price that lies so far from the last one of its session (in logarithms) is held against its options.
const SUSPECT: f64 = 0.05;
/// The same over a night; and without options what is not believed within a session.
const SUSPECT_OVERNIGHT: f64 = 0.25;
/// How far the price may lie from what its options say, in logarithms.
const BY_PARITY: f64 = 0.02;

impl Recorded {
    /// Takes in what was seen at a moment. A price that can stand neither beside the last one nor beside
    /// its own options is not relied on: the last one stands for it.
    pub fn take(&self, at: Moment, sight: Sight) {
        let relied = self.stands_for(at, &sight);
        self.tape.add(at, sight, relied);
    }

    /// Looks through a past that is known by its prices alone, once, and holds suspicious ones against their
    /// options.
    fn look_through(&self) {
        let Some((first, last)) = self.tape.span() else {
            return;
        };
        for (at, price) in self.tape.between(first, last) {
            if self.jump(at, price).is_some_and(|(by, most, _)| by > most)
                && let Some((_, sight)) = self.tape.sight(at)
                && let Some(relied) = self.stands_for(at, &sight)
            {
                self.tape.rely(at, relied);
            }
        }
    }

    /// By how much a price lies from the last one that was relied on, from how much on it is suspicious,
    /// and that last one.
    fn jump(&self, at: Moment, price: Price) -> Option<(f64, f64, Price)> {
        let (before, last) = self.tape.standing(at.plus_millis(-1))?;
        if last <= Price::ZERO || price <= Price::ZERO {
            return Some((f64::INFINITY, SUSPECT, last));
        }
        let by = log(price.to_f64() / last.to_f64()).abs();
        let same = before.date() == at.date();
        Some((by, if same { SUSPECT } else { SUSPECT_OVERNIGHT }, last))
    }

    /// The price that stands for the one that came with a sight, where that is not relied on.
    fn stands_for(&self, at: Moment, sight: &Sight) -> Option<Price> {
        let (by, most, last) = self.jump(at, sight.spot)?;
        if by <= most {
            return None;
        }
        let doubted = match self.by_parity(at, sight) {
            Some(said) => log(sight.spot.to_f64() / said).abs() > BY_PARITY,
            // A price alone is believed after a night, and not within a session.
            None => by > SUSPECT_OVERNIGHT && most == SUSPECT,
        };
        doubted.then_some(last)
    }

    /// The price that pairs of call and put of one strike say by parity, S = C − P + K·e^(−rT) + D with the
    /// interest left out: the median over the pairs of the nearest expiration. American pairs say it
    /// within what early exercise is worth, which is less than a price of another company's differs by.
    fn by_parity(&self, at: Moment, sight: &Sight) -> Option<f64> {
        let all = self.expirations_of(sight, at);
        let nearest = all.first()?;
        let key = (nearest.date, nearest.am_settled);
        let sound = |seen: &Seen| Doubt::of(&seen.quote).is_none() && seen.quote.bid > Price::ZERO;
        let mut said: Vec<f64> = self
            .of(sight, key)
            .filter(|(c, seen)| c.kind == Kind::Call && sound(seen))
            .filter_map(|(c, call)| {
                let put = Contract {
                    kind: Kind::Put,
                    ..c.clone()
                };
                let put = sight.contracts.get(&put).filter(|seen| sound(seen))?;
                Some((call.quote.mid() - put.quote.mid() + c.strike).to_f64())
            })
            .filter(|s| *s > 0.0)
            .collect();
        said.sort_by(f64::total_cmp);
        said.get(said.len() / 2).copied()
    }
}

impl Source for Recorded {
    fn underlying(&self) -> &Underlying {
        &self.underlying
    }

    fn is_listed(&self, _: Date) -> bool {
        // What was seen once can be looked at for good.
        true
    }

    fn trades(&self, at: Moment) -> bool {
        let (hours, day) = (self.underlying.hours_on(at.date()), at.date());
        let minutes = at.time_of_day() / 60_000;
        let ended = self.underlying.last_session.is_some_and(|last| day > last);
        is_session(day) && !ended && (hours.open..hours.close).contains(&minutes)
    }

    fn spot(&self, at: Moment) -> Option<Price> {
        self.price_at(at)
    }

    fn print(&self, of: PrintOf, day: Date, at: Moment) -> Option<Print> {
        self.by_bar(of, day, at)
            .or_else(|| self.by_quotes(of, day, at))
    }

    fn corrected(&self, of: PrintOf, day: Date, at: Moment) -> Option<(Print, Print)> {
        let (seen, told) = (self.by_quotes(of, day, at)?, self.by_bar(of, day, at)?);
        (seen.price != told.price).then_some((seen, told))
    }

    fn previous_close(&self, at: Moment) -> Option<Price> {
        let day = last_trading(at).date();
        self.tape.with_bars(|bars| {
            let end = bars.partition_point(|b| b.date < day);
            bars[..end].last().map(|b| b.close)
        })
    }

    fn closes(&self, at: Moment, count: usize) -> Vec<(Date, f64)> {
        let day = at.date();
        self.tape.with_bars(|bars| {
            let end = bars.partition_point(|b| b.date < day);
            let last = &bars[end.saturating_sub(count)..end];
            last.iter().map(|b| (b.date, b.close.to_f64())).collect()
        })
    }

    fn bars(&self, from: Date, until: Moment) -> Vec<Bar> {
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

    fn carry(&self, at: Moment) -> Carry {
        self.carry_at(at)
    }

    fn announced(&self, at: Moment) -> Vec<Announced> {
        let events = self.tape.events();
        let all = events.iter().flat_map(|all| all.iter());
        all.filter(|e| e.is_told(at))
            .map(|e| Announced {
                what: e.words(),
                ..e.clone()
            })
            .collect()
    }

    fn total_variance(&self, at: Moment, until: Moment, rate: Rating<'_>) -> Option<f64> {
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

    fn slice(&self, _: Moment, _: Moment, _: f64, _: f64) -> Option<Slice> {
        None
    }

    fn expirations(&self, at: Moment) -> Vec<Expiration> {
        let sight = self.tape.sight(at);
        sight.map_or_else(Vec::new, |(_, sight)| self.expirations_of(&sight, at))
    }

    fn strikes(&self, of: &Expiration, at: Moment) -> Vec<Price> {
        let Some((_, sight)) = self.tape.sight(at) else {
            return Vec::new();
        };
        let key = (of.date, of.am_settled);
        let mut out: Vec<Price> = self.of(&sight, key).map(|(c, _)| c.strike).collect();
        out.sort_unstable();
        out.dedup();
        out
    }

    fn sector(&self) -> Option<&str> {
        self.told.sector.as_deref()
    }

    fn is_basket(&self) -> bool {
        self.told.basket || self.underlying.kind == UnderlyingKind::Index
    }

    fn fees(&self) -> Option<Fees> {
        self.told.fees
    }

    fn age(&self, at: Moment) -> Option<i64> {
        let (moment, _) = self.tape.standing(at)?;
        Some(at.millis() - moment.millis())
    }

    fn knows_chain(&self, at: Moment) -> bool {
        let seen = self.tape.standing(at);
        seen.is_some_and(|(seen, _)| seen.date() == at.date())
    }

    fn lacks_dividends(&self) -> bool {
        self.underlying.kind == UnderlyingKind::Shares
            && self.told.dividend_yield.is_none()
            && self.tape.events().is_none()
    }

    fn given_beta(&self) -> Option<f64> {
        None
    }

    fn is_bought(&self) -> bool {
        self.underlying.kind != UnderlyingKind::Index && !self.told.adjusted
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
            on: self.recorded.underlying.priced_on(),
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
        let quote = |seen: &Option<Seen>| seen.map_or(Quote::at(Price::ZERO), |s| s.quote);
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
        let bent = self.bent(rows, doubts);
        let near = |i: usize| -> Option<f64> {
            let mut all = neighbours(rows, vols, i, 2);
            (all.len() >= 2 && (bent[i] || far(vols[i], &all))).then(|| {
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

impl Pricing<'_> {
    /// Which quotes belong to three neighbours of one kind whose butterfly pays whoever takes it, bought at
    /// the asks and sold at the bid: (K₃ − K₂)·ask₁ + (K₂ − K₁)·ask₃ < (K₃ − K₁)·bid₂, which no prices
    /// without arbitrage do.
    fn bent(&self, rows: &[(Contract, Option<Seen>)], doubts: &[Option<Doubt>]) -> Vec<bool> {
        let mut out = vec![false; rows.len()];
        for kind in [Kind::Call, Kind::Put] {
            let own: Vec<usize> = (0..rows.len())
                .filter(|i| rows[*i].0.kind == kind && doubts[*i].is_none())
                .collect();
            for three in own.windows(3) {
                let strike = |k: usize| rows[three[k]].0.strike.to_f64();
                let quote = |k: usize| rows[three[k]].1.map(|s| s.quote);
                let (Some(low), Some(body), Some(high)) = (quote(0), quote(1), quote(2)) else {
                    continue;
                };
                let wide = strike(2) - strike(0);
                let wings = (strike(2) - strike(1)) * low.ask.to_f64()
                    + (strike(1) - strike(0)) * high.ask.to_f64();
                let tick = self.recorded.underlying.ticks.tick_at(body.ask).to_f64();
                if wings / wide < body.bid.to_f64() - tick {
                    for i in three {
                        out[*i] = true;
                    }
                }
            }
        }
        out
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
