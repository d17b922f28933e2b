//! The world: what a market answers of every underlying at any moment.
//!
//! A world holds a source for each underlying ([`Source`](crate::source::Source)) and what they share:
//! fees, interest, the draws of the exchange. Every answer is a function of world and moment; a question
//! about a symbol is looked up here and answered by its source.

use std::collections::HashMap;
use std::sync::Arc;

use desk::calendar::{is_session, next_session};
use desk::{Carry, Contract, Event, Expiration, Fees, Instrument, Moment, Price, Underlying};
use jiff::civil::Date;

use crate::futures::futures;
use crate::market_data::Bar;
use crate::noise::Noise;
use crate::rates::Rates;
use crate::recorded::Recorded;
use crate::series::{Market, Series};
use crate::simulated::{Shared, Simulated};
use crate::source::{Announced, Print, PrintOf, Slice, Source};
use crate::specs::{DEMO_DAY, FEES, FIRST, LAST, specs};

/// A source as the world keeps it.
pub(crate) enum Kept {
    Simulated(Box<Simulated>),
    Recorded(Box<Recorded>),
}

impl Kept {
    /// Whichever it is.
    pub(crate) fn source(&self) -> &dyn Source {
        match self {
            Kept::Simulated(s) => s.as_ref(),
            Kept::Recorded(r) => &**r,
        }
    }
}

/// What a market of one's own says of itself as a whole.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct OwnMarket {
    /// The underlying in whose terms the book is told; the first index when absent, or else the first
    /// underlying.
    pub index: Option<String>,
    /// Interest; the simulated market's when absent.
    pub rates: Option<Rates>,
}

/// Every underlying of one market, at any moment that can be known.
pub struct World {
    seed: u64,
    fees: Fees,
    noise: Noise,
    /// A source for each underlying, simulated ones first, in the order of the listing.
    pub(crate) kept: Vec<Kept>,
    /// What a market of one's own says of itself, where the simulated one is left out.
    pub(crate) own: Option<OwnMarket>,
    /// Where each underlying is, by symbol and by other roots.
    pub(crate) roots: HashMap<String, usize>,
    /// The one underlying that is listed, where all others are left out.
    only: Option<String>,
}

/// One expiration of the surface at a moment, as far as anybody may see it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SurfaceSlice {
    /// Years of 365 days to expiry.
    pub years: f64,
    /// Interest to expiry, continuously compounded.
    pub rate: f64,
    /// The forward price of the expiration, per unit.
    pub forward: f64,
    slice: Slice,
}

impl SurfaceSlice {
    /// Volatility a year at a strike.
    pub fn vol(&self, strike: f64) -> f64 {
        self.slice.vol(strike)
    }
}

impl World {
    /// Builds the world of a seed.
    pub fn new(seed: u64) -> World {
        World::drawn(Noise::new(seed), seed)
    }

    pub(crate) fn drawn(noise: Noise, seed: u64) -> World {
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
        let all = specs()
            .into_iter()
            .map(|spec| vec![(spec, 0.0)])
            .chain(futures());
        let drawn: Vec<_> = all
            .filter_map(|specs| {
                let series = Arc::new(Series::build(&specs.first()?.0, &market));
                Some((specs, series))
            })
            .collect();
        let Market { day, variance, .. } = market;
        let shared = Arc::new(Shared {
            noise,
            sessions,
            market_move: day,
            market: variance,
        });
        let months = drawn.into_iter().flat_map(|(specs, series)| {
            let shared = Arc::clone(&shared);
            specs
                .into_iter()
                .filter_map(move |(spec, offset)| Simulated::new(spec, offset, &series, &shared))
        });
        let kept: Vec<Kept> = months.map(|s| Kept::Simulated(Box::new(s))).collect();
        let mut world = World {
            seed,
            fees: FEES,
            noise,
            kept,
            own: None,
            roots: HashMap::new(),
            only: None,
        };
        world.find_roots(0);
        world
    }

    /// Knows the roots of the sources from a place on; what they have takes the place of earlier ones.
    pub(crate) fn find_roots(&mut self, from: usize) {
        for (i, kept) in self.kept.iter().enumerate().skip(from) {
            let u = kept.source().underlying();
            let roots = [
                Some(&u.symbol),
                u.weekly_root.as_ref(),
                u.opening_root.as_ref(),
            ];
            for root in roots.into_iter().flatten() {
                self.roots.insert(root.clone(), i);
            }
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
        // Of a name that two sources have the one that is meant is found by its root.
        let meant = |(i, kept): (usize, &'_ Kept)| {
            self.roots.get(&kept.source().underlying().symbol) == Some(&i)
        };
        let all = self
            .kept
            .iter()
            .enumerate()
            .filter(move |x| meant((x.0, x.1)));
        all.map(|(_, kept)| kept.source())
            .filter(move |s| s.is_listed(today))
            .map(|s| s.underlying())
            .filter(|u| self.only.as_ref().is_none_or(|only| *only == u.symbol))
    }

    /// The source that has a root.
    fn at_root(&self, root: &str) -> Option<&Kept> {
        self.kept.get(*self.roots.get(root)?)
    }

    /// The source of a symbol.
    pub(crate) fn source(&self, symbol: &str) -> Option<&dyn Source> {
        let source = self.at_root(symbol)?.source();
        (source.underlying().symbol == symbol).then_some(source)
    }

    /// One underlying by symbol.
    pub fn underlying(&self, symbol: &str) -> Option<&Underlying> {
        self.source(symbol).map(Source::underlying)
    }

    /// The underlying whose options trade under a root.
    pub fn owner(&self, contract: &Contract) -> Option<&Underlying> {
        Some(self.at_root(&contract.root)?.source().underlying())
    }

    /// The underlying that an option is on, or that is itself meant.
    pub fn underlying_of(&self, instrument: &Instrument) -> Option<&Underlying> {
        match instrument {
            Instrument::Option(contract) => self.owner(contract),
            Instrument::Underlying(symbol) => self.underlying(symbol),
        }
    }

    /// The path of a symbol, if it is simulated.
    pub(crate) fn simulated(&self, symbol: &str) -> Option<&Simulated> {
        match self.at_root(symbol)? {
            Kept::Simulated(s) => Some(s.as_ref()).filter(|s| s.spec.underlying.symbol == symbol),
            Kept::Recorded(_) => None,
        }
    }

    /// What was recorded of a symbol, if it is from files.
    pub(crate) fn recorded(&self, symbol: &str) -> Option<&Recorded> {
        match self.at_root(symbol)? {
            Kept::Recorded(r) => Some(r),
            Kept::Simulated(_) => None,
        }
    }

    /// Whether a symbol is from files.
    pub fn is_recorded(&self, symbol: &str) -> bool {
        self.recorded(symbol).is_some()
    }

    /// Whether an underlying itself can be bought: see [`Source::is_bought`].
    pub fn is_bought(&self, symbol: &str) -> bool {
        self.source(symbol).is_some_and(Source::is_bought)
    }

    /// Price of an underlying, on its own tick; the last close outside sessions.
    pub fn spot(&self, symbol: &str, at: Moment) -> Option<Price> {
        self.source(symbol)?.spot(at)
    }

    /// The print of a session by which something is settled, as far as it is known at a moment; nothing
    /// while it is waited for.
    pub fn print(&self, symbol: &str, of: PrintOf, day: Date, at: Moment) -> Option<Print> {
        self.source(symbol)?.print(of, day, at)
    }

    /// The print that a series is settled by: that of the opening or of the close of its last day. Nothing
    /// as long as it is not known at a moment.
    pub fn settled_by(&self, contract: &Contract, at: Moment) -> Option<Print> {
        let (symbol, of, day) = self.ends_by(&contract.clone().into())?;
        self.print(&symbol, of, day, at)
    }

    /// What a series or a future was settled by and what counts since, where the day's bar has said otherwise
    /// afterwards.
    pub(crate) fn corrected(&self, ended: &Instrument, at: Moment) -> Option<(Print, Print)> {
        let (symbol, of, day) = self.ends_by(ended)?;
        self.source(&symbol)?.corrected(of, day, at)
    }

    /// The underlying, the print and the day that something ends by.
    fn ends_by(&self, ended: &Instrument) -> Option<(String, PrintOf, Date)> {
        let u = self.underlying_of(ended)?;
        let (of, day) = match ended {
            Instrument::Option(c) if u.opens(&c.root) => (PrintOf::Opening, c.expiry),
            Instrument::Option(c) => (PrintOf::Close, c.expiry),
            Instrument::Underlying(_) => (PrintOf::Close, u.last_session?),
        };
        Some((u.symbol.clone(), of, day))
    }

    /// Close of the session before the one that `at` belongs to.
    pub fn previous_close(&self, symbol: &str, at: Moment) -> Option<Price> {
        self.source(symbol)?.previous_close(at)
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
        Some(self.source(symbol)?.closes(at, count))
    }

    /// Bars of the sessions from `from` on; the session that `until` lies in counts as far as it
    /// has come. Nothing for an unknown symbol.
    pub fn bars(&self, symbol: &str, from: Date, until: Moment) -> Vec<Bar> {
        let source = self.source(symbol);
        source.map_or_else(Vec::new, |s| s.bars(from, until))
    }

    /// Whether option prices of the day of a moment are known by then: always in the simulated market,
    /// where a chain was recorded otherwise.
    pub fn knows_chain(&self, symbol: &str, at: Moment) -> bool {
        self.source(symbol).is_none_or(|s| s.knows_chain(at))
    }

    /// Implied at-the-money total variance σ²T of an expiration.
    pub fn total_variance(&self, symbol: &str, at: Moment, expiry: Moment) -> Option<f64> {
        let rate = |at, years| self.rate(at, years);
        self.source(symbol)?.total_variance(at, expiry, &rate)
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
        let rate = self.rate(at, at.years_until(expiry).max(1.0 / 525_600.0));
        self.source(symbol)?.slice(at, expiry, spot, rate)
    }

    /// What an underlying pays its holder, as far as it is known at a moment.
    pub fn carry(&self, symbol: &str, at: Moment) -> Option<Carry> {
        Some(self.source(symbol)?.carry(at))
    }

    /// Cash dividends of an underlying that are known at `at` and have ex-dates after it, within `days`:
    /// ex-date and amount on a share.
    pub fn dividends(&self, symbol: &str, at: Moment, days: i64) -> Vec<(Date, Price)> {
        let Some(Carry::Dividends(paid)) = self.carry(symbol, at) else {
            return Vec::new();
        };
        paid.into_iter()
            .filter(|(ex, _)| *ex > at && at.days_until(ex.date()) <= days)
            .map(|(ex, cash)| (ex.date(), cash))
            .collect()
    }

    /// Scheduled events from `at` on, within `days`; ex-dividend days among them.
    pub fn events(&self, symbol: &str, at: Moment, days: i64) -> Vec<Event> {
        let all = self.announced(symbol, at).into_iter();
        all.filter(|e| at < e.known && at.days_until(e.date) <= days)
            .map(|e| e.event())
            .collect()
    }

    /// The sector of an underlying, where it has one.
    pub fn sector(&self, symbol: &str) -> Option<&str> {
        self.source(symbol)?.sector()
    }

    /// Whether an underlying stands for many names: an index, or a fund on many.
    pub fn is_basket(&self, symbol: &str) -> bool {
        self.source(symbol).is_some_and(Source::is_basket)
    }

    /// All dated events of an underlying that are announced at a moment, those behind it among them,
    /// by date. Everything ahead is announced three years before.
    pub fn announced(&self, symbol: &str, at: Moment) -> Vec<Announced> {
        let source = self.source(symbol);
        source.map_or_else(Vec::new, |s| s.announced(at))
    }

    /// Listed expirations of an underlying.
    pub fn expirations(&self, symbol: &str, at: Moment) -> Option<Vec<Expiration>> {
        Some(self.source(symbol)?.expirations(at))
    }
}
