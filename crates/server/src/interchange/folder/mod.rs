//! The user's own market from files: a folder with one folder for each underlying, holding CSV
//! files as RFC 4180 has them.
//!
//! ```text
//! FOLDER/SYMBOL/instrument.csv        name,value: what the symbol does not say
//! FOLDER/SYMBOL/bars.csv              symbol,date,open,high,low,close,volume: one row a session
//! FOLDER/SYMBOL/chain-2031-03-11.csv  one row for each contract and moment of that day
//! FOLDER/SYMBOL/events.csv            date,kind,what,cash,known: earnings, decisions, dividends
//! FOLDER/rates.csv                    from,days,rate: interest
//! FOLDER/calendar.csv                 date,open,close: holidays and short days
//! FOLDER/index.csv                    symbol: which underlying is the index
//! ```
//! Columns are found by their name in the first row, in any order; others are passed over. Rows
//! that cannot be what they claim are told one by one, each with its line; the others count. Every
//! file may be absent.

mod day;
mod facts;
mod feed;
mod files;
mod legs;
mod opened;
mod play;
mod rows;
mod table;
mod whole;
mod zone;

use std::collections::{BTreeMap, BTreeSet};
use std::io::Write;
use std::path::Path;

use desk::{Moment, Price};
use facts::FACTS;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use market::{Bar, Sight};
use rows::CHAIN_WRITTEN;
use table::Table;

pub use facts::Facts;
pub use feed::{Fed, Feed};
pub use legs::{legs_csv, read_legs_csv};
pub use opened::{News, Opened, Wrong, keep_calendar, open};
pub use rows::{Chains, Sessions, read_bars, read_chains};
pub use table::BadRow;

/// A symbol that an option symbol can hold.
///
/// # Errors
/// It is empty, too long or has other characters.
pub fn check_symbol(symbol: &str) -> Result<(), String> {
    let good = (1..=6).contains(&symbol.len())
        && symbol
            .bytes()
            .all(|b| b.is_ascii_uppercase() || b.is_ascii_digit())
        && symbol.as_bytes()[0].is_ascii_uppercase();
    if good {
        Ok(())
    } else {
        Err(format!(
            "{symbol:?} is not a symbol; write one to six capital letters and digits, a letter \
             first"
        ))
    }
}

fn path_error(path: &Path) -> impl Fn(std::io::Error) -> String + '_ {
    move |e| format!("{}: {e}", path.display())
}

/// Writes a file whole or not at all, an empty line at its end: what stands there is whole.
fn write_whole(path: &Path, rows: impl Iterator<Item = Vec<String>>) -> Result<(), String> {
    let half = path.with_extension("half");
    let mut table = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_path(&half)
        .map_err(|e| format!("{}: {e}", half.display()))?;
    for row in rows {
        table
            .write_record(&row)
            .map_err(|e| format!("{}: {e}", half.display()))?;
    }
    let mut file = table
        .into_inner()
        .map_err(|e| format!("{}: {e}", half.display()))?;
    file.write_all(b"\r\n").map_err(path_error(&half))?;
    drop(file);
    std::fs::rename(&half, path).map_err(path_error(path))
}

fn words<const N: usize>(row: [&str; N]) -> Vec<String> {
    row.map(str::to_owned).to_vec()
}

/// A zone by its IANA name; nothing of an empty one.
///
/// # Errors
/// There is none of this name.
pub fn zone(name: &str) -> Result<Option<TimeZone>, String> {
    if name.is_empty() {
        return Ok(None);
    }
    zone::named(name).map(Some)
}

/// The zone on whose clock a symbol of a folder is told, where it names one.
///
/// # Errors
/// `instrument.csv` cannot be read, or names no zone.
pub fn zone_in(folder: &Path, symbol: &str) -> Result<Option<TimeZone>, String> {
    let path = folder.join(symbol).join("instrument.csv");
    facts_of(&path, &mut Vec::new())?
        .zone()
        .map_err(|e| format!("{}: {e}", path.display()))
}

/// Adds sights to a symbol's folder, moments on its own clock; of a contract seen at the same moment
/// before, the new row stands. Gives the number of day files written.
///
/// # Errors
/// The folder cannot be read or written, or a row of it is wrong: nothing of the old may get lost.
pub fn keep_sights(
    folder: &Path,
    symbol: &str,
    sights: &BTreeMap<Moment, Sight>,
) -> Result<usize, String> {
    let own = folder.join(symbol);
    std::fs::create_dir_all(&own).map_err(path_error(&own))?;
    let zone = zone_in(folder, symbol)?;
    let zone_of = |_: &str| zone.clone();
    let days: BTreeSet<Date> = sights.keys().map(|at| at.date()).collect();
    for day in &days {
        let path = day::file_of(&own, *day);
        let mut all = if path.exists() {
            sound(&path, |input| {
                read_chains(input, None, &zone_of).map(|c| (c.sights, c.bad))
            })?
        } else {
            BTreeMap::new()
        };
        let kept: &mut BTreeMap<Moment, Sight> = all.entry(symbol.to_owned()).or_default();
        for (at, sight) in sights.iter().filter(|(at, _)| at.date() == *day) {
            let old = kept.entry(*at).or_default();
            old.spot = sight.spot;
            old.contracts
                .extend(sight.contracts.iter().map(|(c, s)| (c.clone(), *s)));
        }
        let rows = kept.iter().flat_map(|(at, sight)| {
            let at = zone::written(*at, zone.as_ref());
            let rows: Vec<Vec<String>> = rows::written(symbol, &at, sight)
                .map(|r| r.to_vec())
                .collect();
            rows
        });
        write_whole(&path, std::iter::once(words(CHAIN_WRITTEN)).chain(rows))?;
    }
    Ok(days.len())
}

/// Adds bars to a symbol's folder; of a session known before, the new row stands.
///
/// # Errors
/// The folder cannot be read or written, or a row of it is wrong: nothing of the old may get lost.
pub fn keep_bars(folder: &Path, symbol: &str, bars: &BTreeMap<Date, Bar>) -> Result<(), String> {
    let own = folder.join(symbol);
    std::fs::create_dir_all(&own).map_err(path_error(&own))?;
    let path = own.join("bars.csv");
    let mut all = if path.exists() {
        sound(&path, |input| {
            read_bars(input, None).map(|s| (s.bars, s.bad))
        })?
    } else {
        BTreeMap::new()
    };
    let kept: &mut BTreeMap<Date, Bar> = all.entry(symbol.to_owned()).or_default();
    kept.extend(bars);
    let rows = kept.values().map(|b| {
        let prices = [b.open, b.high, b.low, b.close].map(|p: Price| p.to_string());
        [symbol.to_owned(), b.date.to_string()]
            .into_iter()
            .chain(prices)
            .chain([b.volume.to_string()])
            .collect()
    });
    write_whole(
        &path,
        std::iter::once(words([
            "symbol", "date", "open", "high", "low", "close", "volume",
        ]))
        .chain(rows),
    )
}

/// Adds to what a symbol's `instrument.csv` says, after proving that it can be used.
///
/// # Errors
/// The facts do not make an underlying, or the folder cannot be written.
pub fn keep_facts(folder: &Path, symbol: &str, given: &[(String, String)]) -> Result<(), String> {
    let own = folder.join(symbol);
    let path = own.join("instrument.csv");
    let mut wrong = Vec::new();
    let mut facts = facts_of(&path, &mut wrong)?;
    if let Some(first) = wrong.first() {
        return Err(first.to_string());
    }
    for (name, value) in given {
        facts.set(name, value)?;
    }
    facts.described(symbol)?;
    std::fs::create_dir_all(&own).map_err(path_error(&own))?;
    let always = FACTS
        .iter()
        .map(|(name, _)| words([*name, facts.get(name), ""]));
    let dated = facts
        .dated()
        .map(|(from, value)| words(["deliverable", value, &from.to_string()]));
    let header = std::iter::once(words(["name", "value", "from"]));
    write_whole(&path, header.chain(always).chain(dated))
}

/// What `instrument.csv` says; rows that it may not have are told.
fn facts_of(path: &Path, wrong: &mut Vec<Wrong>) -> Result<Facts, String> {
    let mut facts = Facts::default();
    if path.exists() {
        let input = std::fs::File::open(path).map_err(path_error(path))?;
        let bad = Table::open(input, &["name", "value"])?.rows(|row| match row.text("from") {
            "" => facts.set(row.text("name"), row.text("value")),
            _ => facts.set_from(
                row.text("name"),
                row.text("value"),
                whole::date(row, "from")?,
            ),
        });
        wrong.extend(bad.into_iter().map(|row| Wrong {
            file: path.to_owned(),
            what: row.to_string(),
        }));
    }
    Ok(facts)
}

/// A file of the folder that shall be written again: all its rows must be good, or they would get lost.
fn sound<T>(
    path: &Path,
    read: impl Fn(std::fs::File) -> Result<(T, Vec<BadRow>), String>,
) -> Result<T, String> {
    let input = std::fs::File::open(path).map_err(path_error(path))?;
    let (all, bad) = read(input).map_err(|e| format!("{}: {e}", path.display()))?;
    match bad.first() {
        Some(first) => Err(format!("{}: {first}", path.display())),
        None => Ok(all),
    }
}
