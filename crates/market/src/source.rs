//! What a market answers of one underlying, wherever that comes from.
//!
//! Two sources stand: [`Simulated`](crate::simulated::Simulated), a path that follows from a seed, and
//! [`Recorded`](crate::Recorded), what was seen and written down. [`World`](crate::World) looks the source
//! of a symbol up and asks it; nobody else tells the two apart but where the kind of source is the very
//! question. There is no default: a source that cannot answer says so by the answer, and what depends on
//! it is told as missing.
//!
//! Every answer is as of a moment: nothing that comes after it plays a part.

use desk::{Carry, Event, EventKind, Expiration, Fees, Moment, Price, Underlying};
use jiff::civil::Date;
use libm::log;
use quant::SsviSlice;

use crate::market_data::Bar;

/// Interest for so many years ahead of a moment, continuously compounded a year.
pub(crate) type Rating<'a> = &'a dyn Fn(Moment, f64) -> f64;

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
    /// What it is to whoever holds an option: news moves the price, an ex-dividend day lowers it by cash
    /// that is known.
    pub(crate) fn seen(self) -> EventKind {
        match self {
            AnnouncedKind::ExDividend => EventKind::ExDividend,
            AnnouncedKind::Earnings | AnnouncedKind::Decision => EventKind::News,
        }
    }
}

/// A dated event that is announced.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Announced {
    /// The day on which it happens.
    pub date: Date,
    /// What kind of event it is.
    pub kind: AnnouncedKind,
    /// In plain words.
    pub what: String,
    /// Cash on a share, of a dividend; absent of news.
    pub cash: Option<Price>,
    /// The opening at which its outcome is known; of a dividend the opening of the ex-date.
    pub known: Moment,
    /// The moment from which on anybody knows that it comes; absent where that was long before.
    pub told: Option<Moment>,
}

impl Announced {
    /// In words: a dividend always with its cash.
    pub(crate) fn words(&self) -> String {
        match (self.kind, self.cash) {
            (AnnouncedKind::ExDividend, Some(cash)) => format!("ex-dividend, {cash} a share"),
            _ => self.what.clone(),
        }
    }

    /// Whether anybody knows at a moment that it comes, or that it came.
    pub(crate) fn is_told(&self, at: Moment) -> bool {
        self.told.is_none_or(|told| told <= at) && at.days_until(self.date) <= ANNOUNCED
    }

    /// As a date ahead.
    pub(crate) fn event(&self) -> Event {
        Event {
            date: self.date,
            kind: self.kind.seen(),
            what: self.words(),
        }
    }
}

/// Days ahead of them that events are announced.
pub const ANNOUNCED: i64 = 1_100;

/// The print that something is settled by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Print {
    /// Price of the underlying.
    pub price: Price,
    /// When it was printed: the opening or close itself, or the moment of the quote that stood there.
    pub at: Moment,
}

/// Which print of a session is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PrintOf {
    /// The first of the session.
    Opening,
    /// The last price of the session.
    Close,
}

/// The smile of one expiration at a moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Slice {
    pub(crate) smile: SsviSlice,
    /// The forward price of the expiration, per unit.
    pub forward: f64,
    /// Years to expiry, a minute at least.
    pub years: f64,
    /// Interest to expiry.
    pub rate: f64,
    /// The yield that gives the forward: of the dividends until expiry, or the rate itself on a
    /// future.
    pub carry_yield: f64,
}

impl Slice {
    /// Volatility a year at a strike.
    pub(crate) fn vol(&self, strike: f64) -> f64 {
        (self.smile.total_variance(log(strike / self.forward)) / self.years).sqrt()
    }
}

/// One underlying of a market.
pub(crate) trait Source: Send + Sync {
    /// What is told of the underlying for good: style, ticks, multiplier.
    fn underlying(&self) -> &Underlying;

    /// Whether it is listed on a date.
    fn is_listed(&self, on: Date) -> bool;

    /// Whether orders in it may trade at a moment, as far as its own hours say.
    fn trades(&self, at: Moment) -> bool;

    /// Its price, on its own tick; outside of sessions the last one. Nothing before anything is known.
    fn spot(&self, at: Moment) -> Option<Price>;

    /// The print of a session, as far as it is known at a moment; nothing while it is still waited for.
    fn print(&self, of: PrintOf, day: Date, at: Moment) -> Option<Print>;

    /// The print that something was settled by as its session went, and the one that counts since, where the
    /// day's bar has said otherwise afterwards.
    fn corrected(&self, of: PrintOf, day: Date, at: Moment) -> Option<(Print, Print)>;

    /// Close of the session before the one that a moment belongs to.
    fn previous_close(&self, at: Moment) -> Option<Price>;

    /// Closes of the last `count` sessions that ended before the date of a moment, with their dates,
    /// oldest first.
    fn closes(&self, at: Moment, count: usize) -> Vec<(Date, f64)>;

    /// Bars of the sessions from a date on; the session that a moment lies in as far as it has come.
    fn bars(&self, from: Date, until: Moment) -> Vec<Bar>;

    /// What it pays its holder, as far as that is known at a moment.
    fn carry(&self, at: Moment) -> Carry;

    /// Its dated events that anybody knows of at a moment, by date; those behind it among them.
    fn announced(&self, at: Moment) -> Vec<Announced>;

    /// Implied total variance at the money, σ²T, from a moment to another; nothing where no option says.
    fn total_variance(&self, at: Moment, until: Moment, rate: Rating<'_>) -> Option<f64>;

    /// The smile of an expiration at a price of the underlying; nothing where there is no surface, but
    /// quotes alone.
    fn slice(&self, at: Moment, expiry: Moment, spot: f64, rate: f64) -> Option<Slice>;

    /// Its listed expirations, ascending.
    fn expirations(&self, at: Moment) -> Vec<Expiration>;

    /// The strikes of one, ascending.
    fn strikes(&self, of: &Expiration, at: Moment) -> Vec<Price>;

    /// Its sector, where it has one.
    fn sector(&self) -> Option<&str>;

    /// Whether it stands for many names: an index, or a fund on many.
    fn is_basket(&self) -> bool;

    /// What trades in it cost, where that differs from the market's.
    fn fees(&self) -> Option<Fees>;

    /// For how long its quotes have stood, in milliseconds of the exchange's time; nothing where they
    /// never stand.
    fn age(&self, at: Moment) -> Option<i64>;

    /// Whether option prices of the day of a moment are known by then.
    fn knows_chain(&self, at: Moment) -> bool;

    /// Whether nothing is known of what it pays.
    fn lacks_dividends(&self) -> bool;

    /// Whether anybody can buy the underlying itself: an index is a number, and what an adjusted contract
    /// delivers is not listed.
    fn is_bought(&self) -> bool;

    /// How much it moves with the index, where that is a fact and not to be estimated.
    fn given_beta(&self) -> Option<f64>;
}
