//! Exchange time. The exchange keeps one offset all year (UTC−05:00, no daylight saving), so a
//! moment is a count of milliseconds on its own clock.

use std::fmt;
use std::str::FromStr;

use jiff::civil::{Date, DateTime, Time, date};
use thiserror::Error;

/// An instant on the exchange's clock: milliseconds since 1970-01-01T00:00 exchange time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Moment(i64);

const DAY: i64 = 86_400_000;

/// Days since 1970-01-01; counts calendar days between dates.
pub fn day_number(d: Date) -> i64 {
    i64::from(date(1970, 1, 1).until(d).map_or(0, |span| span.get_days()))
}

impl Moment {
    /// From the stored milliseconds.
    pub const fn from_millis(millis: i64) -> Moment {
        Moment(millis)
    }

    /// The stored milliseconds.
    pub const fn millis(self) -> i64 {
        self.0
    }

    /// A time of day on a date.
    pub fn at(day: Date, hour: i64, minute: i64) -> Moment {
        Moment(day_number(day) * DAY + (hour * 60 + minute) * 60_000)
    }

    /// The calendar date.
    pub fn date(self) -> Date {
        self.civil().date()
    }

    /// Milliseconds since midnight.
    pub fn time_of_day(self) -> i64 {
        self.0.rem_euclid(DAY)
    }

    fn civil(self) -> DateTime {
        let days = i32::try_from(self.0.div_euclid(DAY)).unwrap_or(0);
        let day = date(1970, 1, 1)
            .checked_add(jiff::Span::new().days(days))
            .unwrap_or(Date::MAX);
        let seconds = self.time_of_day() / 1000;
        let part = |n: i64| i8::try_from(n).unwrap_or(0);
        let nanos = i32::try_from(self.time_of_day() % 1000 * 1_000_000).unwrap_or(0);
        let time = Time::new(
            part(seconds / 3600),
            part(seconds / 60 % 60),
            part(seconds % 60),
            nanos,
        );
        day.to_datetime(time.unwrap_or(Time::midnight()))
    }

    /// Later (or earlier) by so many milliseconds.
    pub fn plus_millis(self, millis: i64) -> Moment {
        Moment(self.0 + millis)
    }

    /// Years of 365 days from here to `later`; negative if it lies before.
    pub fn years_until(self, later: Moment) -> f64 {
        (later.0 - self.0) as f64 / (365.0 * DAY as f64)
    }

    /// Whole calendar days between the dates; the expiry day itself is 0.
    pub fn days_until(self, day: Date) -> i64 {
        day_number(day) - self.0.div_euclid(DAY)
    }
}

impl fmt::Display for Moment {
    /// RFC 3339 with the exchange's offset.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let c = self.civil();
        write!(
            f,
            "{}T{:02}:{:02}:{:02}.{:03}-05:00",
            c.date(),
            c.hour(),
            c.minute(),
            c.second(),
            c.millisecond()
        )
    }
}

/// Text that is no moment.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("{0:?} is not a moment of the exchange; write it like 2031-03-11T10:42")]
pub struct MomentError(String);

impl FromStr for Moment {
    type Err = MomentError;

    /// A date and a time of day, to the minute at least, with the exchange's own offset or without
    /// one.
    fn from_str(text: &str) -> Result<Moment, MomentError> {
        let wrong = || MomentError(text.chars().take(40).collect());
        let civil = text.strip_suffix("-05:00").unwrap_or(text);
        let (_, time) = civil.split_once('T').ok_or_else(wrong)?;
        if !time
            .bytes()
            .all(|b| b.is_ascii_digit() || b == b':' || b == b'.')
        {
            return Err(wrong());
        }
        let civil: DateTime = civil.parse().map_err(|_| wrong())?;
        let millis = i64::from(civil.second()) * 1_000 + i64::from(civil.millisecond());
        Ok(Moment::at(
            civil.date(),
            i64::from(civil.hour()),
            i64::from(civil.minute()),
        )
        .plus_millis(millis))
    }
}

/// "18 Apr", the short form used in labels and sentences.
pub fn short_date(d: Date) -> String {
    const MONTHS: [&str; 12] = [
        "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec",
    ];
    format!(
        "{} {}",
        d.day(),
        MONTHS[usize::from(d.month().unsigned_abs()) - 1]
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn counts_minutes_and_days() {
        let a = Moment::at(date(2024, 1, 15), 10, 0);
        let b = Moment::at(date(2024, 2, 16), 16, 0);
        assert!((a.years_until(b) - 0.088356164).abs() < 1e-9);
        assert_eq!(a.days_until(date(2024, 2, 16)), 32);
        assert_eq!(
            Moment::at(date(2031, 3, 11), 10, 42)
                .plus_millis(7_250)
                .to_string(),
            "2031-03-11T10:42:07.250-05:00"
        );
        let written = Moment::at(date(2031, 3, 11), 10, 42).plus_millis(7_250);
        assert_eq!(
            (written.to_string().parse(), "2031-03-11T10:42".parse()),
            (Ok(written), Ok(Moment::at(date(2031, 3, 11), 10, 42)))
        );
        for bad in [
            "2031-03-11",
            "10:42",
            "2031-03-11T10:42Z",
            "2031-03-11T10:42+01:00",
            "2031-02-30T10:42",
            "",
        ] {
            assert!(bad.parse::<Moment>().is_err(), "{bad}");
        }
        assert_eq!(
            Moment::at(date(1969, 12, 31), 23, 0).date(),
            date(1969, 12, 31)
        );
    }
}
