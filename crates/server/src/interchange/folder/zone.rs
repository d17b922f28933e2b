//! Clocks: the wall clock of a symbol's own zone, and that of the market.
//!
//! Moments in this program are times of day on one clock, that of the market. A symbol that names
//! its `time_zone` may give moments with any offset; they are told on its zone's clock, daylight
//! saving as the zone keeps it, and where the market's clock is another one, on that.

use desk::Moment;
use desk::calendar::{Hours, OwnSession};
use jiff::Timestamp;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;

/// A zone by its IANA name.
///
/// # Errors
/// There is none of this name.
pub(super) fn named(name: &str) -> Result<TimeZone, String> {
    TimeZone::get(name).map_err(|_| {
        format!("time_zone: {name:?} is no zone; write an IANA name like America/New_York")
    })
}

fn moment(civil: DateTime) -> Moment {
    let of_day = i64::from(civil.second()) * 1_000 + i64::from(civil.millisecond());
    Moment::at(
        civil.date(),
        i64::from(civil.hour()),
        i64::from(civil.minute()),
    )
    .plus_millis(of_day)
}

fn civil(at: Moment) -> Option<DateTime> {
    let text = at.to_string();
    text.strip_suffix("-05:00")?.parse().ok()
}

/// A moment as a row of a symbol writes it, on the symbol's own clock.
///
/// # Errors
/// It is none.
pub(super) fn read(text: &str, zone: Option<&TimeZone>) -> Result<Moment, String> {
    let Some(zone) = zone else {
        return text.parse::<Moment>().map_err(|e| e.to_string());
    };
    let wrong = || {
        let start: String = text.chars().take(40).collect();
        format!(
            "{start:?} is not a moment; write it like 2031-03-11T10:42 or 2031-03-11T10:42-04:00"
        )
    };
    let (_, time) = text.split_once('T').ok_or_else(wrong)?;
    if time.contains(['Z', 'z', '+', '-']) {
        // An offset needs seconds.
        let at = time.find(['Z', 'z', '+', '-']).unwrap_or(time.len());
        let seconds = if time[..at].len() == 5 { ":00" } else { "" };
        let split = text.len() - time.len() + at;
        let whole = format!("{}{seconds}{}", &text[..split], &text[split..]);
        let instant: Timestamp = whole.parse().map_err(|_| wrong())?;
        return Ok(moment(zone.to_datetime(instant)));
    }
    text.parse().map(moment).map_err(|_| wrong())
}

/// A moment on a symbol's clock as it is on the market's; nothing where either is not told or they are
/// the same.
pub(super) fn carried(at: Moment, from: Option<&TimeZone>, to: Option<&TimeZone>) -> Moment {
    match (from, to) {
        (Some(from), Some(to)) if from != to => {
            let there = civil(at).and_then(|c| from.to_timestamp(c).ok());
            there.map_or(at, |t| moment(to.to_datetime(t)))
        }
        _ => at,
    }
}

/// How a moment is written in a file of a symbol: with the exchange's offset where the symbol names no
/// zone, on its zone's clock without one otherwise.
pub(super) fn written(at: Moment, zone: Option<&TimeZone>) -> String {
    let text = at.to_string();
    match (zone, text.strip_suffix("-05:00")) {
        (Some(_), Some(plain)) => plain.to_owned(),
        _ => text,
    }
}

/// The first and the last year for which clocks are compared day by day.
const YEARS: (i16, i16) = (1990, 2079);

/// A session of a symbol's own hours on the market's clock, on every date.
pub(super) fn own_session(hours: Hours, (own, market): &super::files::Zones) -> OwnSession {
    let shift = |day: Date| {
        let there = Moment::at(day, 0, hours.open);
        let here = carried(there, own.as_ref(), market.as_ref());
        (here.millis() - there.millis()) / 60_000
    };
    let first = jiff::civil::date(YEARS.0, 1, 1);
    let mut shifts = vec![(first, shift(first))];
    if own != market && own.is_some() && market.is_some() {
        let days = std::iter::successors(first.tomorrow().ok(), |d| d.tomorrow().ok());
        for day in days.take_while(|d| d.year() <= YEARS.1) {
            let minutes = shift(day);
            if shifts.last().is_none_or(|(_, before)| *before != minutes) {
                shifts.push((day, minutes));
            }
        }
    }
    OwnSession { hours, shifts }
}

/// The hours of a session at each distance between the clocks that there is.
pub(super) fn all_hours(session: &OwnSession) -> Vec<Hours> {
    let dates = session.shifts.iter().map(|(from, _)| *from);
    let mut all: Vec<Hours> = dates.map(|day| session.hours_on(day)).collect();
    all.dedup();
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn offsets_are_told_on_the_zones_clock_with_its_daylight_saving() {
        let york = named("America/New_York").unwrap();
        let chicago = named("America/Chicago").unwrap();
        let at = |month, hour, minute| Moment::at(date(2031, month, 11), hour, minute);
        for (text, moment) in [
            ("2031-07-11T10:42-04:00", at(7, 10, 42)),
            ("2031-07-11T14:42Z", at(7, 10, 42)),
            ("2031-01-11T10:42:00.000-05:00", at(1, 10, 42)),
            ("2031-07-11T10:42", at(7, 10, 42)),
        ] {
            assert_eq!(read(text, Some(&york)), Ok(moment), "{text}");
        }
        // An opening in Chicago is the one in New York.
        let opens = read("2031-07-11T08:30-05:00", Some(&chicago)).unwrap();
        assert_eq!(opens, at(7, 8, 30));
        assert_eq!(carried(opens, Some(&chicago), Some(&york)), at(7, 9, 30));
        assert_eq!(carried(opens, None, Some(&york)), opens);
        assert_eq!(written(opens, Some(&chicago)), "2031-07-11T08:30:00.000");
        assert_eq!(written(opens, None), "2031-07-11T08:30:00.000-05:00");
        for bad in [
            "2031-07-11",
            "soon",
            "2031-07-11T10:42+",
            "2031-07-11T99:00Z",
            "Té-",
        ] {
            assert!(read(bad, Some(&york)).is_err(), "{bad}");
        }
        assert!(named("America/Nowhere").is_err() && read("2031-07-11T10:42Z", None).is_err());
    }
}
