//! Where a clock is asked to go, as it is typed: a moment, or a distance.

use jiff::civil::{Date, Time};
use jiff::{Span, ToSpan};
use thiserror::Error;

use crate::calendar::{close_of, is_session, next_close, next_open, next_session, open_of};
use crate::time::Moment;

/// Text that leads nowhere.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum GoToError {
    /// It is neither a moment nor a distance.
    #[error(
        "{0:?} is no moment and no distance; write a date (2030-04-18), a date with a time (2030-04-18 \
         10:30), a time (10:30), or a distance: 3 sessions, 2 weeks, 1 month, 45 minutes"
    )]
    Unknown(String),
    /// It lies behind.
    #[error("{0} lies behind; the clock goes forward alone")]
    Behind(Moment),
}

fn plus(now: Moment, span: Span) -> Option<Moment> {
    let day = now.date().checked_add(span).ok()?;
    Some(Moment::at(day, 0, 0).plus_millis(now.time_of_day()))
}

fn sessions_later(now: Moment, n: i64) -> Moment {
    let mut day = now.date();
    for _ in 0..n {
        day = next_session(day);
    }
    Moment::at(day, 0, 0).plus_millis(now.time_of_day())
}

fn time(text: &str) -> Option<Time> {
    let (hour, minute) = text.split_once(':')?;
    Time::new(hour.parse().ok()?, minute.parse().ok()?, 0, 0).ok()
}

fn at(day: Date, t: Time) -> Moment {
    Moment::at(day, i64::from(t.hour()), i64::from(t.minute()))
}

fn distance(now: Moment, n: i64, unit: &str) -> Option<Moment> {
    let unit = unit.strip_suffix('s').unwrap_or(unit);
    match unit {
        "minute" | "min" => Some(now.plus_millis(n * 60_000)),
        "hour" | "h" => Some(now.plus_millis(n * 3_600_000)),
        "session" => Some(sessions_later(now, n)),
        "day" | "d" => plus(now, n.days()),
        "week" | "w" => plus(now, n.weeks()),
        "month" => plus(now, n.months()),
        _ => None,
    }
}

fn read(now: Moment, text: &str) -> Option<Moment> {
    let words: Vec<&str> = text.split([' ', 'T']).filter(|w| !w.is_empty()).collect();
    let count = |word: &str| {
        let n: i64 = word.strip_prefix('+').unwrap_or(word).parse().ok()?;
        (0..=10_000).contains(&n).then_some(n)
    };
    match words.as_slice() {
        ["open"] => Some(next_open(now)),
        ["close"] => Some(next_close(now)),
        [one] => {
            if let Ok(day) = one.parse::<Date>() {
                return Some(open_of(day));
            }
            if let Some(t) = time(one) {
                let today = at(now.date(), t);
                let ahead = is_session(now.date()) && today > now;
                return Some(if ahead {
                    today
                } else {
                    at(next_session(now.date()), t)
                });
            }
            // "3d", "2w", "+5": sessions where no unit is written.
            let digits = one.trim_start_matches('+');
            let end = digits
                .find(|c: char| !c.is_ascii_digit())
                .unwrap_or(digits.len());
            let n = count(&digits[..end])?;
            match &digits[end..] {
                "" => Some(sessions_later(now, n)),
                unit => distance(now, n, unit),
            }
        }
        [date, "open"] => Some(open_of(date.parse().ok()?)),
        [date, "close"] => Some(close_of(date.parse().ok()?)),
        [a, b] => match a.parse::<Date>() {
            Ok(day) => Some(at(day, time(b)?)),
            Err(_) => distance(now, count(a)?, b),
        },
        _ => None,
    }
}

/// The moment that is meant, seen from `now`: a date is its opening, a bare number counts sessions.
///
/// ```
/// use desk::{Moment, go_to};
/// let now: Moment = "2031-03-11T10:42".parse().unwrap();
/// assert_eq!(go_to(now, "3 sessions"), Ok("2031-03-14T10:42".parse().unwrap()));
/// assert_eq!(go_to(now, "2031-04-18 15:30"), Ok("2031-04-18T15:30".parse().unwrap()));
/// assert!(go_to(now, "2031-03-10").is_err());
/// ```
///
/// # Errors
/// It is neither a moment nor a distance, or it does not lie ahead.
pub fn go_to(now: Moment, text: &str) -> Result<Moment, GoToError> {
    let to = read(now, text.trim())
        .ok_or_else(|| GoToError::Unknown(text.chars().take(40).collect()))?;
    if to > now {
        Ok(to)
    } else {
        Err(GoToError::Behind(to))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Tuesday 11 March 2031, 10:42; Friday the 18th of April is a Good Friday no more than the 11th is.
    #[test]
    fn moments_and_distances() {
        let now: Moment = "2031-03-11T10:42".parse().unwrap();
        for (text, to) in [
            ("2031-03-12", "2031-03-12T09:30"),
            ("2031-03-12T15:45", "2031-03-12T15:45"),
            ("2031-03-12 close", "2031-03-12T16:00"),
            ("11:00", "2031-03-11T11:00"),
            ("10:00", "2031-03-12T10:00"),
            ("open", "2031-03-12T09:30"),
            ("close", "2031-03-11T16:00"),
            ("45 minutes", "2031-03-11T11:27"),
            ("2h", "2031-03-11T12:42"),
            ("4", "2031-03-17T10:42"),
            ("+4", "2031-03-17T10:42"),
            ("4 days", "2031-03-15T10:42"),
            ("2w", "2031-03-25T10:42"),
            ("1 month", "2031-04-11T10:42"),
        ] {
            assert_eq!(go_to(now, text), Ok(to.parse().unwrap()), "{text}");
        }
        for text in [
            "",
            "soon",
            "3 moons",
            "25:00",
            "2031-02-30",
            "-3 days",
            "1 2 3",
        ] {
            assert!(
                matches!(go_to(now, text), Err(GoToError::Unknown(_))),
                "{text}"
            );
        }
        assert!(matches!(go_to(now, "0 days"), Err(GoToError::Behind(_))));
    }
}
