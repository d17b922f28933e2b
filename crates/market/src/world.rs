//! The world: prices, variances and events as a function of seed and moment.
//!
//! Daily paths come from `series`. Inside a
//! session a Brownian bridge (dyadic midpoints, Glasserman, *Monte Carlo Methods*, 2004, §3.1)
//! joins open to close.
//!
//! Implied total variance of an expiration T away is premium × ∫ expected variance (mean-reverting)
//! plus the priced variance of results before it; the smile around it is SSVI, free of static
//! arbitrage by construction.

use std::collections::HashMap;
use std::sync::Arc;

use desk::calendar::{close_of, is_session, next_session, open_of};
use desk::{
    Carry, Contract, Event, EventKind, Expiration, Fees, Instrument, Moment, Price, Underlying,
    UnderlyingKind, day_number,
};
use jiff::civil::Date;
use libm::{exp, expm1, log};
use quant::{Ssvi, SsviSlice};

use crate::futures::futures;
use crate::noise::{Noise, Stream};
use crate::own::OwnMarket;
use crate::recorded::{Recorded, told_dividend};
use crate::series::{MARKET_VOL, Market, NIGHT, Series, YEAR};
use crate::specs::{DEMO_DAY, FEES, FIRST, LAST, Spec, specs};

/// Yearly speed at which variance returns to its mean.
const REVERSION: f64 = 4.0;

/// One underlying: its data, and its path.
struct Path {
    spec: Spec,
    smile: Ssvi,
    carry: Carry,
    series: Arc<Series>,
    /// Distance in log price from its series: of a future's month.
    offset: f64,
}

/// Days ahead of them that events are announced.
pub const ANNOUNCED: i64 = 1_100;

/// What kind of event was announced.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AnnouncedKind {
    /// A company tells its earnings.
    Earnings,
    /// An authority decides.
    Decision,
    /// Shares trade without their dividend.
    ExDividend,
}

impl AnnouncedKind {
    fn seen(self) -> EventKind {
        match self {
            AnnouncedKind::ExDividend => EventKind::ExDividend,
            AnnouncedKind::Earnings | AnnouncedKind::Decision => EventKind::News,
        }
    }
}

/// A dated event that is announced.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Announced {
    /// Its date.
    pub date: Date,
    /// What kind.
    pub kind: AnnouncedKind,
    /// In plain words.
    pub what: String,
    /// Of a dividend: cash on a share.
    pub cash: Option<Price>,
    /// The opening at which its outcome is known.
    pub known: Moment,
}

/// The simulated world.
pub struct World {
    seed: u64,
    fees: Fees,
    noise: Noise,
    sessions: Vec<Date>,
    market_move: Vec<f64>,
    market_variance: Vec<f64>,
    paths: Vec<Path>,
    /// Underlyings from files.
    pub(crate) recorded: Vec<Recorded>,
    /// What a market of one's own says of itself, where the simulated one is left out.
    pub(crate) own: Option<OwnMarket>,
    /// Where each underlying is, by symbol and by other roots.
    pub(crate) roots: HashMap<String, Place>,
    /// The one underlying that is listed, where all others are left out.
    only: Option<String>,
}

/// A place among the paths, or among what was recorded.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Place {
    Path(usize),
    Recorded(usize),
}

/// The smile of one expiration at a moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Slice {
    smile: SsviSlice,
    forward: f64,
    /// Years to expiry, a minute at least.
    pub years: f64,
    /// Interest to expiry.
    pub rate: f64,
    /// The yield that gives the forward: of the dividends until expiry, or the rate itself on a
    /// future.
    pub carry_yield: f64,
}

/// One expiration of the surface at a moment, as far as anybody may see it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SurfaceSlice {
    /// Years of 365 days to expiry.
    pub years: f64,
    /// Interest to expiry, continuously compounded.
    pub rate: f64,
    /// Forward price.
    pub forward: f64,
    slice: Slice,
}

impl SurfaceSlice {
    /// Volatility a year at a strike.
    pub fn vol(&self, strike: f64) -> f64 {
        self.slice.vol(strike)
    }
}

impl Slice {
    /// Volatility a year at a strike.
    pub(crate) fn vol(&self, strike: f64) -> f64 {
        (self.smile.total_variance(log(strike / self.forward)) / self.years).sqrt()
    }
}

/// Where a moment lies on the session grid.
#[derive(Clone, Copy)]
struct Position {
    /// Session that is running or was the last to close (or, before the first, the first).
    session: usize,
    /// Part of the session that has passed, 0 to 1.
    part: f64,
}

impl World {
    /// Builds the world of a seed.
    pub fn new(seed: u64) -> World {
        let noise = Noise::new(seed);
        let mut sessions = vec![if is_session(FIRST) {
            FIRST
        } else {
            next_session(FIRST)
        }];
        while sessions[sessions.len() - 1] < LAST {
            sessions.push(next_session(sessions[sessions.len() - 1]));
        }
        let anchor = sessions.partition_point(|d| *d < DEMO_DAY);
        let market = Market::build(noise, &sessions, anchor);
        let mut paths: Vec<Path> = Vec::new();
        for specs in specs()
            .into_iter()
            .map(|spec| vec![(spec, 0.0)])
            .chain(futures())
        {
            let Some((first, _)) = specs.first() else {
                continue;
            };
            let series = Arc::new(Series::build(first, &market));
            let months = specs.into_iter().filter_map(|(spec, offset)| {
                let smile = Ssvi::new(spec.rho, spec.eta, 0.5).ok()?;
                let carry = match spec.underlying.kind {
                    UnderlyingKind::Shares => Carry::Dividends(
                        series
                            .dividends
                            .iter()
                            .map(|(ex, cash)| (open_of(*ex), *cash))
                            .collect(),
                    ),
                    UnderlyingKind::Index => Carry::Yield(spec.index_yield),
                    UnderlyingKind::Future => Carry::Future,
                };
                Some(Path {
                    spec,
                    smile,
                    carry,
                    series: Arc::clone(&series),
                    offset,
                })
            });
            paths.extend(months);
        }
        let mut roots = HashMap::new();
        for (i, path) in paths.iter().enumerate() {
            let u = &path.spec.underlying;
            roots.extend(
                [Some(&u.symbol), u.weekly_root.as_ref()]
                    .into_iter()
                    .flatten()
                    .map(|root| (root.clone(), Place::Path(i))),
            );
        }
        let Market {
            day: market_move,
            variance: market_variance,
            ..
        } = market;
        World {
            seed,
            fees: FEES,
            noise,
            sessions,
            market_move,
            market_variance,
            paths,
            recorded: Vec::new(),
            own: None,
            roots,
            only: None,
        }
    }

    /// The same world with one underlying listed. The others go on beside it, since what is held is told
    /// in terms of the index.
    pub fn only(self, symbol: &str) -> World {
        World {
            only: Some(symbol.to_owned()),
            ..self
        }
    }

    /// The same world with other fees.
    pub fn with_fees(self, fees: Fees) -> World {
        World { fees, ..self }
    }

    /// What a trade costs beside its price.
    pub fn fees(&self) -> Fees {
        self.fees
    }

    /// The seed it was built from.
    pub fn seed(&self) -> u64 {
        self.seed
    }

    pub(crate) fn noise(&self) -> Noise {
        self.noise
    }

    /// The underlyings that trade at a moment, in the order of the listing.
    pub fn underlyings(&self, at: Moment) -> impl Iterator<Item = &Underlying> {
        let today = at.date();
        let trades = move |spec: &Spec| {
            spec.listed.is_none_or(|from| from <= today)
                && spec.underlying.last_session.is_none_or(|to| today <= to)
        };
        let hidden = |u: &Underlying| !matches!(self.roots.get(&u.symbol), Some(Place::Path(_)));
        let simulated = self
            .paths
            .iter()
            .filter(move |p| trades(&p.spec) && !hidden(&p.spec.underlying))
            .map(|p| &p.spec.underlying);
        let all = simulated.chain(self.recorded.iter().map(|r| &r.underlying));
        all.filter(|u| self.only.as_ref().is_none_or(|only| *only == u.symbol))
    }

    /// One underlying by symbol.
    pub fn underlying(&self, symbol: &str) -> Option<&Underlying> {
        self.at_root(symbol).filter(|u| u.symbol == symbol)
    }

    /// The underlying whose options trade under a root.
    pub fn owner(&self, contract: &Contract) -> Option<&Underlying> {
        self.at_root(&contract.root)
    }

    /// The underlying that an option is on, or that is itself meant.
    pub fn underlying_of(&self, instrument: &Instrument) -> Option<&Underlying> {
        match instrument {
            Instrument::Option(contract) => self.owner(contract),
            Instrument::Underlying(symbol) => self.underlying(symbol),
        }
    }

    fn path(&self, symbol: &str) -> Option<&Path> {
        let Some(Place::Path(i)) = self.roots.get(symbol) else {
            return None;
        };
        Some(&self.paths[*i]).filter(|p| p.spec.underlying.symbol == symbol)
    }

    /// What was recorded of a symbol, if it is from files.
    pub(crate) fn recorded(&self, symbol: &str) -> Option<&Recorded> {
        let Some(Place::Recorded(i)) = self.roots.get(symbol) else {
            return None;
        };
        self.recorded.get(*i)
    }

    fn at_root(&self, root: &str) -> Option<&Underlying> {
        match self.roots.get(root)? {
            Place::Path(i) => Some(&self.paths[*i].spec.underlying),
            Place::Recorded(i) => Some(&self.recorded[*i].underlying),
        }
    }

    pub(crate) fn spec(&self, symbol: &str) -> Option<&Spec> {
        self.path(symbol).map(|p| &p.spec)
    }

    fn position(&self, at: Moment) -> Position {
        let today = at.date();
        let next = self.sessions.partition_point(|d| *d <= today);
        let session = next.saturating_sub(1);
        let day = self.sessions[session];
        if day == today && at < open_of(day) {
            return Position {
                session: session.saturating_sub(1),
                part: if session == 0 { 0.0 } else { 1.0 },
            };
        }
        let length = (close_of(day).millis() - open_of(day).millis()) as f64;
        let part = (at.millis() - open_of(day).millis()) as f64 / length;
        Position {
            session,
            part: if day == today {
                part.clamp(0.0, 1.0)
            } else {
                1.0
            },
        }
    }

    /// Price of an underlying, on its own tick; the last close outside sessions.
    pub fn spot(&self, symbol: &str, at: Moment) -> Option<Price> {
        if let Some(r) = self.recorded(symbol) {
            return r.spot(at);
        }
        let path = self.path(symbol)?;
        Some(path.price(self.log_price(path, self.position(at))))
    }

    /// Close of the session before the one that `at` belongs to.
    pub fn previous_close(&self, symbol: &str, at: Moment) -> Option<Price> {
        if let Some(r) = self.recorded(symbol) {
            return r.close_before(desk::calendar::last_trading(at).date());
        }
        let path = self.path(symbol)?;
        let index = self.position(at).session.saturating_sub(1);
        Some(path.price(path.series.close[index]))
    }

    /// Closes of the last `count` sessions that ended before the date of `at`, oldest first.
    pub fn closes(&self, symbol: &str, at: Moment, count: usize) -> Option<Vec<f64>> {
        let dated = self.dated_closes(symbol, at, count)?;
        Some(dated.into_iter().map(|(_, close)| close).collect())
    }

    /// The same with their dates.
    pub(crate) fn dated_closes(
        &self,
        symbol: &str,
        at: Moment,
        count: usize,
    ) -> Option<Vec<(Date, f64)>> {
        if let Some(r) = self.recorded(symbol) {
            return Some(r.dated_closes(at.date(), count));
        }
        let path = self.path(symbol)?;
        let end = self.sessions.partition_point(|d| *d < at.date());
        let span = end.saturating_sub(count)..end;
        let closes = path.series.close[span.clone()].iter();
        let closes = closes.map(|c| exp(*c + path.offset));
        Some(self.sessions[span].iter().copied().zip(closes).collect())
    }

    /// Lowest and highest close from a day (by its number) to the last session before `at`; the
    /// last close alone if none lies in between.
    pub(crate) fn close_range(
        &self,
        symbol: &str,
        at: Moment,
        from_day: i64,
    ) -> Option<(f64, f64)> {
        let path = self.path(symbol)?;
        let end = self.sessions.partition_point(|d| *d < at.date()).max(1);
        let start = self
            .sessions
            .partition_point(|d| day_number(*d) < from_day)
            .min(end - 1);
        let closes = path.series.close[start..end]
            .iter()
            .map(|c| exp(*c + path.offset));
        Some(closes.fold((f64::INFINITY, 0.0_f64), |(a, b), c| (a.min(c), b.max(c))))
    }

    /// Sessions from one date to another, both included.
    pub(crate) fn sessions_between(&self, from: Date, to: Date) -> &[Date] {
        let start = self.sessions.partition_point(|d| *d < from);
        &self.sessions[start..self.sessions.partition_point(|d| *d <= to).max(start)]
    }

    fn log_price(&self, path: &Path, p: Position) -> f64 {
        let series = &path.series;
        if p.part >= 1.0 {
            return series.close[p.session];
        }
        let beta = path.spec.underlying.beta;
        let day = p.session as i64;
        let market_sd = (self.market_variance[p.session] * (1.0 - NIGHT) / YEAR).sqrt();
        let own_sd = (series.own_variance[p.session] * (1.0 - NIGHT) / YEAR).sqrt();
        let market = self.bridge(0, day, p.part, self.market_move[p.session], market_sd);
        let own = if own_sd > 0.0 {
            self.bridge(series.key, day, p.part, series.own_move[p.session], own_sd)
        } else {
            0.0
        };
        series.open[p.session] + beta * market + own
    }

    /// Brownian bridge from 0 to `end` over one session, at `part` of it.
    fn bridge(&self, key: u64, day: i64, part: f64, end: f64, sd: f64) -> f64 {
        const LEVELS: u32 = 16;
        let (mut left, mut right) = (0.0, end);
        let (mut start, mut width) = (0.0, 1.0_f64);
        let mut node = 1_i64;
        for _ in 0..LEVELS {
            let middle = start + width / 2.0;
            let value = 0.5 * (left + right)
                + 0.5
                    * width.sqrt()
                    * sd
                    * self.noise.normal(Stream::Bridge, key, day << 20 | node);
            width /= 2.0;
            if part < middle {
                right = value;
                node *= 2;
            } else {
                left = value;
                start = middle;
                node = 2 * node + 1;
            }
        }
        left + (right - left) * ((part - start) / width)
    }

    /// Whether a symbol is from files.
    pub fn is_recorded(&self, symbol: &str) -> bool {
        self.recorded(symbol).is_some()
    }

    /// Whether option prices of the day of a moment are known by then: always in the simulated market,
    /// where a chain was recorded otherwise.
    pub fn knows_chain(&self, symbol: &str, at: Moment) -> bool {
        self.recorded(symbol).is_none_or(|r| r.saw_chain(at))
    }

    /// Implied at-the-money total variance σ²T of an expiration.
    pub fn total_variance(&self, symbol: &str, at: Moment, expiry: Moment) -> Option<f64> {
        if let Some(r) = self.recorded(symbol) {
            return r.total_variance(at, expiry, |at, years| self.rate(at, years));
        }
        let path = self.path(symbol)?;
        let years = at.years_until(expiry);
        if years <= 0.0 {
            return Some(0.0);
        }
        let p = self.position(at);
        let beta = path.spec.underlying.beta;
        let at_session =
            |i: usize| beta * beta * self.market_variance[i] + path.series.own_variance[i];
        let next = (p.session + 1).min(self.sessions.len() - 1);
        let now = at_session(p.session) + p.part * (at_session(next) - at_session(p.session));
        let mean = (beta * MARKET_VOL).powi(2) + path.spec.own_vol.powi(2);
        let expected = mean * years + (now - mean) * -expm1(-REVERSION * years) / REVERSION;
        let jumps = path.spec.event.map_or(0.0, |e| {
            let ahead = path
                .series
                .events
                .iter()
                .filter(|(_, known)| at < *known && expiry > *known);
            ahead.count() as f64 * e.jump * e.jump * e.priced
        });
        Some(path.spec.premium * expected + jumps)
    }

    /// Volatility of the surface for a strike: SSVI around the at-the-money total variance.
    pub fn surface_vol(
        &self,
        symbol: &str,
        at: Moment,
        expiry: Moment,
        strike: f64,
        spot: f64,
    ) -> Option<f64> {
        Some(self.slice(symbol, at, expiry, spot)?.vol(strike))
    }

    /// The surface of one expiration at a moment.
    pub fn surface(&self, symbol: &str, at: Moment, expiry: Moment) -> Option<SurfaceSlice> {
        let spot = self.spot(symbol, at)?.to_f64();
        let slice = self.slice(symbol, at, expiry, spot)?;
        Some(SurfaceSlice {
            years: slice.years,
            rate: slice.rate,
            forward: slice.forward,
            slice,
        })
    }

    /// The smile of one expiration.
    pub(crate) fn slice(
        &self,
        symbol: &str,
        at: Moment,
        expiry: Moment,
        spot: f64,
    ) -> Option<Slice> {
        let path = self.path(symbol)?;
        let years = at.years_until(expiry).max(1.0 / 525_600.0);
        let theta = self.total_variance(symbol, at, expiry)?.max(1e-12);
        let rate = self.rate(at, years);
        let carry_yield = path.carry.yield_until(at, expiry, rate, spot);
        let forward = spot * exp((rate - carry_yield) * years);
        Some(Slice {
            smile: path.smile.slice(theta),
            forward,
            years,
            rate,
            carry_yield,
        })
    }

    /// What an underlying pays its holder.
    pub fn carry(&self, symbol: &str) -> Option<Carry> {
        self.recorded(symbol)
            .map(Recorded::carry)
            .or_else(|| self.path(symbol).map(|p| p.carry.clone()))
    }

    /// Cash dividends of an underlying with ex-dates after `at`, within `days`: ex-date and amount
    /// on a share.
    pub fn dividends(&self, symbol: &str, at: Moment, days: i64) -> Vec<(Date, Price)> {
        if let Some(r) = self.recorded(symbol) {
            let Carry::Dividends(paid) = r.carry() else {
                return Vec::new();
            };
            return paid
                .into_iter()
                .filter(|(ex, _)| *ex > at && at.days_until(ex.date()) <= days)
                .map(|(ex, cash)| (ex.date(), cash))
                .collect();
        }
        let Some(path) = self.path(symbol) else {
            return Vec::new();
        };
        let ahead = path
            .series
            .dividends
            .iter()
            .filter(|(ex, _)| open_of(*ex) > at && at.days_until(*ex) <= days);
        ahead.copied().collect()
    }

    /// Scheduled events from `at` on, within `days`; ex-dividend days among them.
    pub fn events(&self, symbol: &str, at: Moment, days: i64) -> Vec<Event> {
        if let Some(r) = self.recorded(symbol) {
            let ahead = r.announced().iter().filter(|e| at < e.known);
            return ahead
                .filter(|e| at.days_until(e.date) <= days)
                .map(|e| Event {
                    date: e.date,
                    kind: e.kind.seen(),
                    what: e.told(),
                })
                .collect();
        }
        let Some(path) = self.path(symbol) else {
            return Vec::new();
        };
        let ahead = path.scheduled().filter(|e| at < e.known);
        let mut out: Vec<Event> = ahead
            .filter(|e| at.days_until(e.date) <= days)
            .map(|e| Event {
                date: e.date,
                kind: e.kind.seen(),
                what: path.told(&e),
            })
            .collect();
        out.sort_by_key(|e| e.date);
        out
    }

    /// The sector of an underlying, where it has one.
    pub fn sector(&self, symbol: &str) -> Option<&str> {
        if let Some(r) = self.recorded(symbol) {
            return r.told.sector.as_deref();
        }
        Some(self.path(symbol)?.spec.sector?.0)
    }

    /// Whether an underlying stands for many names: an index, or a fund on many.
    pub fn is_basket(&self, symbol: &str) -> bool {
        match self.recorded(symbol) {
            Some(r) => r.told.basket || r.underlying.kind == UnderlyingKind::Index,
            None => self.path(symbol).is_some_and(|p| p.spec.basket),
        }
    }

    /// All dated events of an underlying that are announced at a moment, those behind it among them,
    /// by date. Everything ahead is announced three years before.
    pub fn announced(&self, symbol: &str, at: Moment) -> Vec<Announced> {
        if let Some(r) = self.recorded(symbol) {
            let all = r.announced().iter();
            let told = all.filter(|e| at.days_until(e.date) <= ANNOUNCED);
            return told
                .map(|e| Announced {
                    what: e.told(),
                    ..e.clone()
                })
                .collect();
        }
        let Some(path) = self.path(symbol) else {
            return Vec::new();
        };
        let told = |e: &Scheduling| at.days_until(e.date) <= ANNOUNCED;
        let mut all: Vec<Announced> = path
            .scheduled()
            .filter(told)
            .map(|e| Announced {
                date: e.date,
                kind: e.kind,
                what: path.told(&e),
                cash: e.cash,
                known: e.known,
            })
            .collect();
        all.sort_by_key(|e| (e.date, e.known));
        all
    }

    /// Listed expirations of an underlying.
    pub fn expirations(&self, symbol: &str, at: Moment) -> Option<Vec<Expiration>> {
        self.recorded(symbol)
            .map(|r| r.expirations(at))
            .or_else(|| Some(self.underlying(symbol)?.expirations(at)))
    }
}

/// A dated event without its words.
struct Scheduling {
    date: Date,
    kind: AnnouncedKind,
    cash: Option<Price>,
    known: Moment,
}

impl Path {
    /// Everything that is scheduled over the whole history: news, then dividends.
    fn scheduled(&self) -> impl Iterator<Item = Scheduling> {
        let kind = match self.spec.event {
            Some(e) if e.is_decision() => AnnouncedKind::Decision,
            _ => AnnouncedKind::Earnings,
        };
        let news = self
            .series
            .events
            .iter()
            .map(move |(date, known)| Scheduling {
                date: *date,
                kind,
                cash: None,
                known: *known,
            });
        let dividends = self.series.dividends.iter().map(|(ex, cash)| Scheduling {
            date: *ex,
            kind: AnnouncedKind::ExDividend,
            cash: Some(*cash),
            known: open_of(*ex),
        });
        news.chain(dividends)
    }

    fn told(&self, e: &Scheduling) -> String {
        match e.cash {
            Some(cash) => told_dividend(cash),
            None => self.spec.event.map_or("", |e| e.what).into(),
        }
    }

    /// A log price of the series as a price of this underlying, on its own tick.
    fn price(&self, log: f64) -> Price {
        let tick = self.spec.underlying.own_tick;
        tick * (exp(log + self.offset) / tick.to_f64()).round() as i64
    }
}
