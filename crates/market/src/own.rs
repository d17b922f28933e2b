//! A market of one's own: underlyings from files in place of the simulated ones, or beside them, and what
//! the world answers of them alone.

use desk::beta::{Beta, returns};
use desk::calendar::close_of;
use desk::{Fees, Moment, UnderlyingKind};
use jiff::civil::Date;

use crate::rates::{Rates, usual};
use crate::recorded::Recorded;
use crate::specs::{FIRST, LAST};
use crate::world::{Place, World};

/// What a market of one's own says of itself as a whole.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct OwnMarket {
    /// The underlying in whose terms the book is told; the first index when absent, or else the first
    /// underlying.
    pub index: Option<String>,
    /// Interest; the simulated market's when absent.
    pub rates: Option<Rates>,
}

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
        for (i, r) in recorded.iter().enumerate() {
            let u = &r.underlying;
            let roots = [
                Some(&u.symbol),
                u.weekly_root.as_ref(),
                u.opening_root.as_ref(),
            ];
            for root in roots.into_iter().flatten() {
                self.roots.insert(root.clone(), Place::Recorded(i));
            }
        }
        self.recorded = recorded;
        self
    }

    /// A market from files alone: of the simulated one nothing is left but its draws, its fees and, where
    /// files tell none, its rates.
    pub fn of_own(mut self, recorded: Vec<Recorded>, own: OwnMarket) -> World {
        self.roots.clear();
        self.own = Some(own);
        self.with_recorded(recorded)
    }

    /// Whether this is a market from files alone.
    pub fn is_own(&self) -> bool {
        self.own.is_some()
    }

    /// Underlyings from files.
    pub fn recordings(&self) -> &[Recorded] {
        &self.recorded
    }

    /// Symbol of the index in whose terms deltas are added.
    pub fn index(&self) -> &str {
        let Some(own) = &self.own else {
            return INDEX;
        };
        let known = |symbol: &&String| self.roots.contains_key(*symbol);
        let index = |r: &&Recorded| r.underlying.kind == UnderlyingKind::Index;
        let first = || self.recorded.iter().find(index).or(self.recorded.first());
        match own.index.as_ref().filter(known) {
            Some(symbol) => symbol,
            None => first().map_or(INDEX, |r| &r.underlying.symbol),
        }
    }

    /// First date of which anything is known.
    pub fn first(&self) -> Date {
        let own = self.recorded.iter().filter_map(Recorded::first_date).min();
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
        let Some(r) = self.recorded(symbol) else {
            return self.underlying(symbol).map_or(1.0, |u| u.beta);
        };
        let index = self.index();
        if symbol == index {
            return 1.0;
        }
        self.estimated(r, index, at).map_or(1.0, |b| b.beta)
    }

    /// Whether a beta could be estimated of an underlying from files; of the simulated ones it is known.
    pub fn knows_beta(&self, symbol: &str, at: Moment) -> bool {
        self.recorded(symbol)
            .is_none_or(|r| symbol == self.index() || self.estimated(r, self.index(), at).is_some())
    }

    fn estimated(&self, r: &Recorded, index: &str, at: Moment) -> Option<Beta> {
        let symbol = &r.underlying.symbol;
        r.beta(index, at.date(), || {
            self.regression(index, symbol, at, YEAR)
        })
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
        let told = self.recorded(symbol).and_then(|r| r.told.fees);
        told.unwrap_or(self.fees())
    }

    /// For how long the quotes of an underlying from files have stood, in milliseconds of the exchange's
    /// time; of the simulated ones they never stand.
    pub fn age(&self, symbol: &str, at: Moment) -> Option<i64> {
        let r = self.recorded(symbol)?;
        let (moment, _) = r.tape.standing(at)?;
        Some(at.millis() - moment.millis())
    }

    /// Whether orders in an underlying may trade at a moment, as far as its own hours say.
    pub fn trades(&self, symbol: &str, at: Moment) -> bool {
        self.recorded(symbol).is_none_or(|r| r.trades(at))
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
            found += usize::from(r.saw_chain(close_of(day)));
        }
        found
    }

    /// Whether nothing is known of what an underlying pays.
    pub fn lacks_dividends(&self, symbol: &str) -> bool {
        self.recorded(symbol).is_some_and(Recorded::lacks_dividends)
    }
}
