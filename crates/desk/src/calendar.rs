//! Sessions and expirations.
//!
//! Trading days are weekdays without the ten rule-made holidays below; a session runs 09:30–16:00.
//! A monthly expiration is the third Friday, or the session before it when that Friday is a
//! holiday. Easter is by the anonymous Gregorian algorithm (Meeus, *Astronomical Algorithms*, ch.
//! 8). A market that keeps other days or hours brings them ([`keep`]).

use std::collections::BTreeMap;
use std::sync::OnceLock;

use jiff::civil::{Date, Weekday, date};
use jiff::{Span, ToSpan};

use crate::time::Moment;

/// Which listing cycle an expiration belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Cycle {
    /// Any week's expiration that is not a monthly.
    Weekly,
    /// Ends on the third Friday of its month, or on the session before where that is a holiday.
    Monthly,
    /// Last session of a quarter.
    Quarterly,
    /// A monthly more than nine months out.
    Long,
}

/// One expiration of one underlying.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Expiration {
    /// The date of expiry.
    pub date: Date,
    /// Whether it is a weekly, a monthly or another of the listing cycles.
    pub cycle: Cycle,
    /// Settled on the opening prints of the date rather than at its close.
    pub am_settled: bool,
    /// The instant at which its contracts end: opening or close of the session they trade in.
    pub ends: Moment,
}

impl Expiration {
    /// An expiration in the exchange's own session.
    pub fn on(date: Date, cycle: Cycle, am_settled: bool) -> Expiration {
        let ends = if am_settled {
            open_of(date)
        } else {
            close_of(date)
        };
        Expiration {
            date,
            cycle,
            am_settled,
            ends,
        }
    }

    /// The instant at which the contracts expire.
    pub fn moment(&self) -> Moment {
        self.ends
    }
}

/// Which expirations an underlying lists.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ListingRule {
    /// Weekdays of the short-dated expirations.
    pub weekly_on: &'static [Weekday],
    /// How many of them are listed at a time.
    pub weeklies: usize,
    /// How many consecutive monthlies.
    pub monthlies: usize,
    /// How many further quarter-cycle months (March, June, September, December).
    pub quarter_months: usize,
    /// How many Januaries beyond those.
    pub januaries: usize,
    /// Quarter-end expirations are listed too.
    pub quarter_ends: bool,
    /// Monthlies settle on the opening prints.
    pub am_monthlies: bool,
}

fn plus(d: Date, span: Span) -> Date {
    d.checked_add(span).unwrap_or(d)
}

fn nth_weekday(year: i16, month: i8, nth: i8, weekday: Weekday) -> Date {
    date(year, month, 1)
        .nth_weekday_of_month(nth, weekday)
        .unwrap_or(date(year, month, 1))
}

fn easter(year: i16) -> Date {
    let y = i32::from(year);
    let (a, b, c) = (y % 19, y / 100, y % 100);
    let (d, e) = (b / 4, b % 4);
    let g = (8 * b + 13) / 25;
    let h = (19 * a + b - d - g + 15) % 30;
    let (i, k) = (c / 4, c % 4);
    let l = (32 + 2 * e + 2 * i - h - k) % 7;
    let m = (a + 11 * h + 22 * l) / 451;
    let n = h + l - 7 * m + 114;
    date(year, (n / 31) as i8, (n % 31 + 1) as i8)
}

/// A fixed-date holiday is kept on Monday when it falls on Sunday, on Friday when on Saturday.
fn observed(d: Date) -> Date {
    match d.weekday() {
        Weekday::Saturday => plus(d, (-1).days()),
        Weekday::Sunday => plus(d, 1.day()),
        _ => d,
    }
}

fn is_holiday(d: Date) -> bool {
    let y = d.year();
    [
        observed(date(y, 1, 1)),
        nth_weekday(y, 1, 3, Weekday::Monday),
        nth_weekday(y, 2, 3, Weekday::Monday),
        plus(easter(y), (-2).days()),
        nth_weekday(y, 5, -1, Weekday::Monday),
        observed(date(y, 6, 19)),
        observed(date(y, 7, 4)),
        nth_weekday(y, 9, 1, Weekday::Monday),
        nth_weekday(y, 11, 4, Weekday::Thursday),
        observed(date(y, 12, 25)),
    ]
    .contains(&d)
}

/// Opening and close of a session, in minutes from midnight on the exchange's clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hours {
    /// Minutes from midnight to the opening, on the exchange's clock.
    pub open: i64,
    /// Close, after the opening.
    pub close: i64,
}

/// The hours that hold where nothing else is said: 09:30 to 16:00.
pub const USUAL: Hours = Hours {
    open: 9 * 60 + 30,
    close: 16 * 60,
};

/// A session that an instrument keeps within the exchange's day, because it trades elsewhere: its hours on
/// its own clock, and what that clock is behind the exchange's from each date on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnSession {
    /// Opening and close on its own clock.
    pub hours: Hours,
    /// Minutes that are added to its own clock to read the exchange's, from each date on, ascending. Two
    /// clocks that keep daylight saving on other dates have several.
    pub shifts: Vec<(Date, i64)>,
}

impl OwnSession {
    /// Its hours on the exchange's clock on a date.
    ///
    /// ```
    /// use desk::calendar::{Hours, OwnSession};
    /// use jiff::civil::date;
    /// // New York beside Berlin: six hours, five while only one of them keeps summer time.
    /// let (spring, summer) = (date(2031, 3, 9), date(2031, 3, 30));
    /// let york = OwnSession {
    ///     hours: Hours { open: 570, close: 960 },
    ///     shifts: vec![(date(2030, 11, 3), 360), (spring, 300), (summer, 360)],
    /// };
    /// assert_eq!(york.hours_on(date(2031, 3, 3)).close, 22 * 60);
    /// assert_eq!(york.hours_on(date(2031, 3, 10)).close, 21 * 60);
    /// ```
    pub fn hours_on(&self, day: Date) -> Hours {
        let next = self.shifts.partition_point(|(from, _)| *from <= day);
        let known = self.shifts.get(next.saturating_sub(1));
        let shift = known.map_or(0, |(_, minutes)| *minutes);
        Hours {
            open: self.hours.open + shift,
            close: self.hours.close + shift,
        }
    }
}

/// Days and hours that differ from the rules.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct OwnDays {
    /// Hours of a session for which nothing else is said.
    pub usual: Option<Hours>,
    /// Single dates: their hours, or closed.
    pub days: BTreeMap<Date, Option<Hours>>,
}

static OWN_DAYS: OnceLock<OwnDays> = OnceLock::new();

/// The days that were kept before differ.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("this program keeps another calendar already; one market at a time can bring one")]
pub struct AnotherCalendar;

/// Keeps days and hours of the market that the program is opened on. Like the rules they hold for
/// the whole program and for good: once for a process, before anything is asked of the calendar.
///
/// # Errors
/// Others were kept before.
pub fn keep(own: OwnDays) -> Result<(), AnotherCalendar> {
    if *OWN_DAYS.get_or_init(|| own.clone()) == own {
        Ok(())
    } else {
        Err(AnotherCalendar)
    }
}

fn own_day(d: Date) -> Option<Option<Hours>> {
    OWN_DAYS.get()?.days.get(&d).copied()
}

/// Opening and close of the exchange's session on a date.
pub fn hours_of(d: Date) -> Hours {
    let Some(own) = OWN_DAYS.get() else {
        return USUAL;
    };
    let said = own.days.get(&d).copied().flatten();
    said.or(own.usual).unwrap_or(USUAL)
}

/// Whether the exchange trades on this date.
pub fn is_session(d: Date) -> bool {
    if let Some(own) = own_day(d) {
        return own.is_some();
    }
    !matches!(d.weekday(), Weekday::Saturday | Weekday::Sunday) && !is_holiday(d)
}

/// The first session after `d`.
pub fn next_session(d: Date) -> Date {
    let mut day = plus(d, 1.day());
    while !is_session(day) {
        day = plus(day, 1.day());
    }
    day
}

/// `d` itself if it is a session, otherwise the last one before it.
pub fn session_on_or_before(d: Date) -> Date {
    let mut day = d;
    while !is_session(day) {
        day = plus(day, (-1).days());
    }
    day
}

/// The last session before `d`.
pub fn previous_session(d: Date) -> Date {
    session_on_or_before(plus(d, (-1).days()))
}

/// When a session opens.
pub fn open_of(d: Date) -> Moment {
    Moment::at(d, 0, hours_of(d).open)
}

/// When a session closes.
pub fn close_of(d: Date) -> Moment {
    Moment::at(d, 0, hours_of(d).close)
}

/// Whether the exchange is trading at this moment.
pub fn is_open(at: Moment) -> bool {
    let d = at.date();
    is_session(d) && at >= open_of(d) && at < close_of(d)
}

/// `at` itself while the exchange trades, otherwise the last instant of the last session.
pub fn last_trading(at: Moment) -> Moment {
    if is_open(at) {
        return at;
    }
    let today = session_on_or_before(at.date());
    let day = if at < close_of(today) {
        previous_session(today)
    } else {
        today
    };
    close_of(day).plus_millis(-1)
}

/// The first opening strictly after `at`.
pub fn next_open(at: Moment) -> Moment {
    let today = at.date();
    if is_session(today) && at < open_of(today) {
        open_of(today)
    } else {
        open_of(next_session(today))
    }
}

/// The first close strictly after `at`.
pub fn next_close(at: Moment) -> Moment {
    let today = at.date();
    if is_session(today) && at < close_of(today) {
        close_of(today)
    } else {
        close_of(next_session(today))
    }
}

/// The monthly expiration of a month.
pub fn monthly_expiration(year: i16, month: i8) -> Date {
    session_on_or_before(nth_weekday(year, month, 3, Weekday::Friday))
}

impl ListingRule {
    /// The expirations listed at `now`, ascending; those already past are left out.
    pub fn expirations(&self, now: Moment) -> Vec<Expiration> {
        let today = now.date();
        let mut out: Vec<Expiration> = Vec::new();
        let mut add = |day: Date, cycle: Cycle, am_settled: bool| {
            let e = Expiration::on(day, cycle, am_settled);
            if e.moment() > now
                && !out
                    .iter()
                    .any(|x| x.date == day && x.am_settled == am_settled)
            {
                out.push(e);
            }
        };
        let cycle_of = |day: Date| {
            if (day - today).get_days() > 275 {
                Cycle::Long
            } else {
                Cycle::Monthly
            }
        };
        let mut month = date(today.year(), today.month(), 1);
        let (mut monthlies, mut quarters, mut januaries) =
            (self.monthlies, self.quarter_months, self.januaries);
        while monthlies + quarters + januaries > 0 {
            let day = monthly_expiration(month.year(), month.month());
            let settles = Expiration::on(day, Cycle::Monthly, self.am_monthlies);
            if settles.moment() > now {
                if monthlies > 0 {
                    monthlies -= 1;
                    add(day, cycle_of(day), self.am_monthlies);
                } else if quarters > 0 && month.month() % 3 == 0 {
                    quarters -= 1;
                    add(day, cycle_of(day), self.am_monthlies);
                } else if januaries > 0 && month.month() == 1 {
                    januaries -= 1;
                    add(day, cycle_of(day), self.am_monthlies);
                }
            }
            month = plus(month, 1.month());
        }
        let mut day = today;
        let mut weeklies = self.weeklies;
        while weeklies > 0 {
            if self.weekly_on.contains(&day.weekday()) {
                let trading = session_on_or_before(day);
                if close_of(trading) > now {
                    weeklies -= 1;
                    add(trading, Cycle::Weekly, false);
                }
            }
            day = plus(day, 1.day());
        }
        if self.quarter_ends {
            for offset in 0..2 {
                let first = date(today.year(), (today.month() - 1) / 3 * 3 + 1, 1);
                let end = plus(plus(first, (3 * (offset + 1)).months()), (-1).days());
                add(session_on_or_before(end), Cycle::Quarterly, false);
            }
        }
        out.sort_by_key(Expiration::moment);
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn monthlies_step_back_from_holidays() {
        // Exchange calendars of those years: Good Friday 2025 and the June holiday 2026.
        assert_eq!(monthly_expiration(2025, 4), date(2025, 4, 17));
        assert_eq!(monthly_expiration(2026, 6), date(2026, 6, 18));
        assert_eq!(monthly_expiration(2031, 4), date(2031, 4, 18));
        assert!(!is_session(date(2031, 4, 11)), "Good Friday 2031");
        let sessions = (0..365)
            .filter(|i| is_session(plus(date(2031, 1, 1), i.days())))
            .count();
        assert!((250..=253).contains(&sessions), "{sessions}");
    }

    #[test]
    fn listing_has_no_past_no_double_and_ages_into_monthlies() {
        let rule = ListingRule {
            weekly_on: &[Weekday::Friday],
            weeklies: 6,
            monthlies: 3,
            quarter_months: 2,
            januaries: 2,
            quarter_ends: false,
            am_monthlies: false,
        };
        let now = Moment::at(date(2031, 3, 11), 10, 42);
        let days: Vec<i64> = rule
            .expirations(now)
            .iter()
            .map(|e| now.days_until(e.date))
            .collect();
        assert_eq!(days, [3, 10, 17, 24, 30, 38, 66, 101, 192, 311, 682]);
        let friday_close = Moment::at(date(2031, 3, 14), 16, 0);
        assert!(
            rule.expirations(friday_close)
                .iter()
                .all(|e| e.moment() > friday_close)
        );
        assert_eq!(
            next_open(friday_close),
            Moment::at(date(2031, 3, 17), 9, 30)
        );
        assert_eq!(next_close(now), Moment::at(date(2031, 3, 11), 16, 0));
        let last = friday_close.plus_millis(-1);
        for at in [
            friday_close,
            Moment::at(date(2031, 3, 15), 11, 0),
            Moment::at(date(2031, 3, 17), 9, 29),
        ] {
            assert_eq!(last_trading(at), last);
        }
        assert_eq!((last_trading(now), last_trading(last)), (now, last));
    }
}
