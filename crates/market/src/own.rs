//! A market of one's own: underlyings from files in place of the simulated ones, or beside them, and what
//! the world answers of them alone.

use desk::beta::{Beta, returns};
use desk::calendar::close_of;
use desk::{Fees, Moment, Price, UnderlyingKind};
use jiff::civil::Date;

use crate::rates::usual;
use crate::recorded::Recorded;
use crate::source::Source;
use crate::specs::{FIRST, LAST};
use crate::world::{Kept, OwnMarket, World};

/// Sessions of a beta.
const YEAR: usize = 252;
/// Returns without which a regression on bars from files says nothing.
const LEAST: usize = 20;

/// The index of the simulated market.
const INDEX: &str = "WXMR";

impl World {
    /// The same world with underlyings from files beside its own; of a name that both have, that of the
    /// files is meant.
    pub fn with_recorded(mut self, recorded: Vec<Recorded>) -> World {
        let from = self.kept.len();
        self.kept
            .extend(recorded.into_iter().map(|r| Kept::Recorded(Box::new(r))));
        self.find_roots(from);
        self
    }

    /// A market from files alone: of the simulated one nothing is left but its draws, its fees and, where
    /// files tell none, its rates.
    pub fn of_own(mut self, recorded: Vec<Recorded>, own: OwnMarket) -> World {
        self.roots.clear();
        self.kept.clear();
        self.own = Some(own);
        self.with_recorded(recorded)
    }

    /// Whether this is a market from files alone.
    pub fn is_own(&self) -> bool {
        self.own.is_some()
    }

    /// Underlyings from files.
    pub fn recordings(&self) -> impl Iterator<Item = &Recorded> {
        self.kept.iter().filter_map(|kept| match kept {
            Kept::Recorded(r) => Some(&**r),
            Kept::Simulated(_) => None,
        })
    }

    /// Symbol of the index in whose terms deltas are added.
    pub fn index(&self) -> &str {
        let Some(own) = &self.own else {
            return INDEX;
        };
        let known = |symbol: &&String| self.roots.contains_key(*symbol);
        let index = |r: &&Recorded| r.underlying.kind == UnderlyingKind::Index;
        let first = || self.recordings().find(index).or(self.recordings().next());
        match own.index.as_ref().filter(known) {
            Some(symbol) => symbol,
            None => first().map_or(INDEX, |r| &r.underlying.symbol),
        }
    }

    /// First date of which anything is known.
    pub fn first(&self) -> Date {
        let own = self.recordings().filter_map(Recorded::first_date).min();
        own.filter(|_| self.is_own()).unwrap_or(FIRST)
    }

    /// Last date to which time may come.
    pub fn last(&self) -> Date {
        if self.is_own() { Date::MAX } else { LAST }
    }

    /// Continuously compounded interest for so many years ahead of a moment.
    pub fn rate(&self, at: Moment, years: f64) -> f64 {
        match &self.own {
            Some(own) => World::rating(own)(at, years),
            None => usual(years),
        }
    }

    /// Whether interest is known: in a market of one's own only where it tells some.
    pub fn knows_rates(&self) -> bool {
        self.own.as_ref().is_none_or(|own| own.rates.is_some())
    }

    /// The rates of a market of one's own: those it tells, or the simulated market's.
    pub fn rating(own: &OwnMarket) -> impl Fn(Moment, f64) -> f64 + Sync + use<'_> {
        |at, years| {
            let told = own.rates.as_ref().and_then(|rates| rates.rate(at, years));
            told.unwrap_or_else(|| usual(years))
        }
    }

    /// How much an underlying moves with the index: as the simulated market was made, of one from files as
    /// the closes of the year before say; 1 without enough of them.
    pub fn beta(&self, symbol: &str, at: Moment) -> f64 {
        self.known_beta(symbol, at).unwrap_or(1.0)
    }

    /// Whether a beta could be estimated of an underlying from files; of the simulated ones it is known.
    pub fn knows_beta(&self, symbol: &str, at: Moment) -> bool {
        self.known_beta(symbol, at).is_some()
    }

    /// A beta that is a fact, or that could be estimated.
    fn known_beta(&self, symbol: &str, at: Moment) -> Option<f64> {
        if let Some(given) = self.source(symbol)?.given_beta() {
            return Some(given);
        }
        let index = self.index();
        if symbol == index {
            return Some(1.0);
        }
        let estimate = || self.regression(index, symbol, at, YEAR);
        let found = self.recorded(symbol)?.beta(index, at.date(), estimate);
        found.map(|b| b.beta)
    }

    /// The beta of an underlying against an index over the last so many sessions before a moment, from the
    /// closes of days that both have; nothing where they are too few.
    pub fn regression(
        &self,
        index: &str,
        symbol: &str,
        at: Moment,
        sessions: usize,
    ) -> Option<Beta> {
        let of = |symbol: &str| self.dated_closes(symbol, at, sessions + 1);
        let (theirs, own) = (of(index)?, of(symbol)?);
        let (mut x, mut y) = (Vec::new(), Vec::new());
        for (date, close) in own {
            if let Ok(place) = theirs.binary_search_by_key(&date, |(d, _)| *d) {
                x.push(theirs[place].1);
                y.push(close);
            }
        }
        let recorded = self.is_recorded(index) || self.is_recorded(symbol);
        if recorded && x.len() <= LEAST {
            return None;
        }
        Beta::of(&returns(&x), &returns(&y))
    }

    /// What trades in an underlying cost beside their price.
    pub fn fees_of(&self, symbol: &str) -> Fees {
        let told = self.source(symbol).and_then(Source::fees);
        told.unwrap_or(self.fees())
    }

    /// For how long the quotes of an underlying from files have stood, in milliseconds of the exchange's
    /// time; of the simulated ones they never stand.
    pub fn age(&self, symbol: &str, at: Moment) -> Option<i64> {
        self.source(symbol)?.age(at)
    }

    /// The price of an underlying that came with the quotes of a moment and is not relied on, and the one
    /// that stands for it.
    pub fn doubted(&self, symbol: &str, at: Moment) -> Option<(Price, Price)> {
        let r = self.recorded(symbol)?;
        let (_, stands) = r.tape.standing(at)?;
        Some((r.tape.doubted(at)?, stands))
    }

    /// The first moment after another at which something recorded of an underlying comes.
    pub fn comes_after(&self, symbol: &str, at: Moment) -> Option<Moment> {
        self.recorded(symbol)?.tape.next_after(at)
    }

    /// Whether orders in an underlying may trade at a moment, as far as its own hours say.
    pub fn trades(&self, symbol: &str, at: Moment) -> bool {
        self.source(symbol).is_none_or(|s| s.trades(at))
    }

    /// On how many of the last so many sessions before a moment quotes of an underlying were seen.
    pub fn recorded_sessions(&self, symbol: &str, at: Moment, most: usize) -> usize {
        let Some(r) = self.recorded(symbol) else {
            return most;
        };
        let mut day = at.date();
        let mut found = 0;
        for _ in 0..most {
            day = desk::calendar::previous_session(day);
            if r.first_date().is_none_or(|first| day < first) {
                break;
            }
            found += usize::from(r.knows_chain(close_of(day)));
        }
        found
    }

    /// Whether nothing is known of what an underlying pays.
    pub fn lacks_dividends(&self, symbol: &str) -> bool {
        self.source(symbol).is_some_and(Source::lacks_dividends)
    }
}
