//! What a market says of itself as a whole, and the dates of a symbol: `rates.csv`, `calendar.csv`,
//! `index.csv`, `events.csv`.

use std::collections::BTreeMap;

use desk::calendar::{Hours, OwnDays, next_session, open_of};
use desk::{Moment, Price};
use jiff::civil::Date;
use market::{Announced, AnnouncedKind, Rates};

use super::facts::time_of_day;
use super::table::{BadRow, Row, Table};

pub(super) fn date(row: &Row<'_>, name: &str) -> Result<Date, String> {
    let text = row.text(name);
    text.parse().map_err(|_| {
        let start: String = text.chars().take(40).collect();
        format!("{name}: {start:?} is not a date; write it like 2031-03-11")
    })
}

/// Reads `from,days,rate`: from a date on, for so many calendar days ahead, continuously compounded a
/// year. Without `from` the row holds always.
pub(super) fn rates(input: &[u8]) -> Result<(Rates, Vec<BadRow>), String> {
    let mut all: BTreeMap<Date, Vec<(f64, f64)>> = BTreeMap::new();
    let bad = Table::open(input, &["days", "rate"])?.rows(|row| {
        let from = if row.text("from").is_empty() {
            Date::MIN
        } else {
            date(row, "from")?
        };
        let (days, rate): (f64, f64) = (row.read("days")?, row.read("rate")?);
        if !(0.0..=20_000.0).contains(&days) || !(-0.5..=0.5).contains(&rate) {
            return Err(format!(
                "days {days}, rate {rate}: write days from 0 to 20,000 and a rate from -0.5 to 0.5, \
                 like 0.0385"
            ));
        }
        let curve = all.entry(from).or_default();
        let years = days / 365.0;
        if curve.iter().any(|(t, _)| *t == years) {
            return Err(format!("days: {days} stands twice for one date"));
        }
        curve.push((years, rate));
        Ok(())
    });
    for curve in all.values_mut() {
        curve.sort_by(|a, b| a.0.total_cmp(&b.0));
    }
    Ok((Rates(all), bad))
}

/// Reads `date,open,close`: times on the market's clock, both empty for a day without a session; `usual`
/// in place of a date for all days of which nothing else is said.
pub(super) fn calendar(input: &[u8]) -> Result<(OwnDays, Vec<BadRow>), String> {
    let mut own = OwnDays::default();
    let bad = Table::open(input, &["date", "open", "close"])?.rows(|row| {
        let (open, close) = (row.text("open").trim(), row.text("close").trim());
        let hours = match (open, close) {
            ("", "") => None,
            _ => {
                let hours = time_of_day(open).zip(time_of_day(close));
                let hours = hours.filter(|(open, close)| open < close).ok_or_else(|| {
                    format!(
                        "open {open:?}, close {close:?}: write times like 09:30 and 13:00, the close \
                         later, or leave both empty for a day without a session"
                    )
                })?;
                Some(Hours {
                    open: hours.0,
                    close: hours.1,
                })
            }
        };
        if row.text("date") == "usual" {
            own.usual = Some(hours.ok_or("usual: write the hours of a usual session")?);
            return Ok(());
        }
        let day = date(row, "date")?;
        if own.days.insert(day, hours).is_some() {
            return Err(format!("date: {day} stands twice; the later row counts"));
        }
        Ok(())
    });
    Ok((own, bad))
}

/// Reads `symbol`: which underlying is the index.
pub(super) fn index(input: &[u8]) -> Result<(Option<String>, Vec<BadRow>), String> {
    let mut found = None;
    let bad = Table::open(input, &["symbol"])?.rows(|row| {
        super::check_symbol(row.text("symbol"))?;
        if let Some(before) = &found {
            return Err(format!("symbol: {before} is the index already; name one"));
        }
        found = Some(row.text("symbol").to_owned());
        Ok(())
    });
    Ok((found, bad))
}

/// Reads `date,kind,what,cash,known` as `export events` writes them; without `known` an ex-date is known
/// at its opening, anything else at the next one.
pub(super) fn events(input: &[u8]) -> Result<(Vec<Announced>, Vec<BadRow>), String> {
    let mut all: Vec<Announced> = Vec::new();
    let bad = Table::open(input, &["date", "kind"])?.rows(|row| {
        let day = date(row, "date")?;
        let kind = match row.text("kind") {
            "earnings" => AnnouncedKind::Earnings,
            "decision" => AnnouncedKind::Decision,
            "ex-dividend" => AnnouncedKind::ExDividend,
            other => {
                return Err(format!(
                    "kind: {other:?} is not known; write one of earnings, decision, ex-dividend"
                ));
            }
        };
        let dividend = kind == AnnouncedKind::ExDividend;
        let cash: Option<Price> = match row.text("cash") {
            "" if dividend => return Err("cash: is empty; write the cash on a share".into()),
            "" => None,
            _ if !dividend => {
                return Err(format!("cash: {} is not paid by news", row.text("cash")));
            }
            _ => Some(row.read("cash")?),
        };
        if cash.is_some_and(|c| c <= Price::ZERO) {
            return Err("cash: write the cash on a share, above zero".into());
        }
        let known: Option<Moment> = match row.text("known") {
            "" => None,
            _ => Some(row.read("known")?),
        };
        // The outcome of news is known at an opening. A dividend is paid at that of its ex-date, and known
        // long before it or since a moment that is told.
        let (known, told) = if dividend {
            let ex = open_of(day);
            if known.is_some_and(|known| known > ex) {
                return Err(format!(
                    "known: a dividend cannot be known after its ex-date's opening, {ex}; write when it \
                     was announced, or nothing"
                ));
            }
            (ex, known.filter(|known| *known < ex))
        } else {
            (known.unwrap_or_else(|| open_of(next_session(day))), None)
        };
        if all.iter().any(|e| (e.date, e.kind) == (day, kind)) {
            return Err(format!("date: {day} has an event of this kind already"));
        }
        let what = match (row.text("what"), kind) {
            ("", AnnouncedKind::Earnings) => "earnings",
            ("", AnnouncedKind::Decision) => "decision",
            (what, _) => what,
        };
        all.push(Announced {
            date: day,
            kind,
            what: what.to_owned(),
            cash,
            known,
            told,
        });
        Ok(())
    });
    all.sort_by_key(|e| (e.date, e.known));
    Ok((all, bad))
}
