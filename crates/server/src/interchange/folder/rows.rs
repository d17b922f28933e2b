//! Rows of chains and bars, as `export chain` and `export bars` write them.

use std::collections::BTreeMap;
use std::io::Read;

use desk::{Contract, Kind, Moment, Price, Quote};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use market::{Bar, Seen, Sight};

use super::table::{BadRow, Row, Table};
use super::{check_symbol, whole, zone};

/// What a file of chains brings: sights of one symbol, good rows and bad.
#[derive(Debug, Default)]
pub struct Chains {
    /// Symbol and what was seen, by moment on the symbol's own clock.
    pub sights: BTreeMap<String, BTreeMap<Moment, Sight>>,
    /// Rows that were taken.
    pub good: usize,
    /// Rows that were refused, each with its line and why.
    pub bad: Vec<BadRow>,
}

/// Columns that a chain needs; `expiry`, `kind` and `strike` are checked against the contract where
/// they are given.
pub(super) const CHAIN: [&str; 5] = ["contract", "at", "spot", "bid", "ask"];
/// Columns that bars need.
pub(super) const BARS: [&str; 6] = ["symbol", "date", "open", "high", "low", "close"];

/// Columns of a chain as they are written.
pub(super) const CHAIN_WRITTEN: [&str; 11] = [
    "contract",
    "underlying",
    "at",
    "spot",
    "bid",
    "ask",
    "bid_size",
    "ask_size",
    "last",
    "volume",
    "open_interest",
];

/// One row of a chain.
pub(super) struct ChainRow {
    pub owner: String,
    pub at: Moment,
    pub spot: Price,
    pub contract: Contract,
    pub seen: Seen,
}

/// Whose rows are read, and on which clock their moments are.
#[derive(Clone, Copy)]
pub(super) enum Whose<'a> {
    /// Of the symbol that each row names, on the clock that the program knows for it.
    Named(&'a dyn Fn(&str) -> Option<TimeZone>),
    /// Of one symbol, on its clock.
    One(&'a str, Option<&'a TimeZone>),
    /// All under another name than theirs, on its clock.
    Renamed(&'a str, Option<&'a TimeZone>),
}

/// The root of a contract in a market that is renamed: what differs from the underlying's name stays.
fn renamed(root: &str, named: &str, symbol: &str) -> String {
    let rest = root.strip_prefix(named).unwrap_or_default();
    let whole = format!("{symbol}{rest}");
    if whole.len() <= 6 {
        whole
    } else {
        symbol.to_owned()
    }
}

pub(super) fn chain_row(row: &Row<'_>, whose: Whose<'_>) -> Result<ChainRow, String> {
    let mut contract: Contract = row.read("contract")?;
    let text = row.text("at");
    if text.is_empty() {
        return Err("at is empty".into());
    }
    let spot: Price = row.read("spot")?;
    let (bid, ask): (Price, Price) = (row.or("bid", Price::ZERO)?, row.or("ask", Price::ZERO)?);
    // An empty field, or none, is a count that is not known.
    let count = |name: &str| {
        if row.text(name).is_empty() {
            return Ok(None);
        }
        match row.read::<i64>(name)? {
            n if n < 0 => Err(format!("{name}: {n} is below zero")),
            n => Ok(Some(n)),
        }
    };
    let kind = if contract.kind == Kind::Call {
        "call"
    } else {
        "put"
    };
    agrees(row, "kind", kind)?;
    if !row.text("expiry").is_empty() {
        agrees(row, "expiry", &contract.expiry.to_string())?;
    }
    if let Ok(strike) = row.read::<Price>("strike")
        && strike != contract.strike
    {
        return Err(format!(
            "strike: {strike} is not the contract's {}",
            contract.strike
        ));
    }
    if spot <= Price::ZERO || ask < Price::ZERO || bid < Price::ZERO {
        return Err(format!(
            "spot {spot}, bid {bid}, ask {ask}: the spot must lie above zero, bid and ask not below it \
             (empty: nobody bids, nobody asks)"
        ));
    }
    let named = if row.text("underlying").is_empty() {
        contract.root.clone()
    } else {
        row.text("underlying").to_owned()
    };
    let (owner, at) = match whose {
        Whose::Named(zone_of) => {
            let zone = zone_of(&named);
            (named, zone::read(text, zone.as_ref()))
        }
        Whose::One(symbol, zone) => {
            if named != symbol && !row.text("underlying").is_empty() {
                return Err(format!(
                    "underlying: {named:?} is not {symbol}, whose file this is"
                ));
            }
            (symbol.to_owned(), zone::read(text, zone))
        }
        Whose::Renamed(symbol, zone) => {
            // A renamed market has roots of its own, or they would be another's contracts.
            contract.root = renamed(&contract.root, &named, symbol);
            (symbol.to_owned(), zone::read(text, zone))
        }
    };
    check_symbol(&owner)?;
    let at = at.map_err(|e| format!("at: {e}"))?;
    if at.days_until(contract.expiry) < 0 {
        return Err(format!(
            "at: {at} lies behind the contract's end on {}",
            contract.expiry
        ));
    }
    let last: Option<Price> = if row.text("last").is_empty() {
        None
    } else {
        Some(row.read("last")?)
    };
    let quote = Quote {
        bid,
        ask,
        bid_size: count("bid_size")?,
        ask_size: count("ask_size")?,
        volume: count("volume")?,
        open_interest: count("open_interest")?,
    };
    Ok(ChainRow {
        owner,
        at,
        spot,
        contract,
        seen: Seen { quote, last },
    })
}

fn agrees(row: &Row<'_>, name: &str, contracts: &str) -> Result<(), String> {
    let text = row.text(name);
    if text.is_empty() || text == contracts {
        Ok(())
    } else {
        Err(format!(
            "{name}: {text:?} is not the contract's {contracts}"
        ))
    }
}

/// Adds a row to what was seen at its moment.
///
/// # Errors
/// Another spot than rows before it, or a contract that was seen.
pub(super) fn add(sight: &mut Sight, row: ChainRow) -> Result<(), String> {
    if sight.contracts.is_empty() {
        sight.spot = row.spot;
    }
    if sight.spot != row.spot {
        return Err(format!(
            "spot: {}, but rows of the same moment before it have {}",
            row.spot, sight.spot
        ));
    }
    if sight.contracts.contains_key(&row.contract) {
        return Err(format!(
            "contract: {} stands twice for {}",
            row.contract, row.at
        ));
    }
    sight.contracts.insert(row.contract, row.seen);
    Ok(())
}

/// Reads chains as `export chain` writes them. `symbol` renames what is read; without it the column
/// `underlying` or the contract's root names it. Moments are told on the clock of the symbol's zone.
///
/// # Errors
/// The header lacks a column, or the file cannot be read.
pub fn read_chains(
    input: impl Read,
    symbol: Option<&str>,
    zone_of: &dyn Fn(&str) -> Option<TimeZone>,
) -> Result<Chains, String> {
    let mut out = Chains::default();
    let (sights, good) = (&mut out.sights, &mut out.good);
    let zone = symbol.and_then(zone_of);
    let whose = symbol.map_or(Whose::Named(zone_of), |s| Whose::Renamed(s, zone.as_ref()));
    out.bad = Table::open(input, &CHAIN)?.rows(|row| {
        let row = chain_row(row, whose)?;
        let of = sights.entry(row.owner.clone()).or_default();
        add(of.entry(row.at).or_default(), row)?;
        *good += 1;
        Ok(())
    });
    Ok(out)
}

/// The cells of a row as they are written.
pub(super) fn written(
    symbol: &str,
    at: &str,
    sight: &Sight,
) -> impl Iterator<Item = [String; CHAIN_WRITTEN.len()]> {
    sight.contracts.iter().map(move |(c, s)| {
        let q = &s.quote;
        let price = |p: Price| {
            if p > Price::ZERO {
                p.to_string()
            } else {
                String::new()
            }
        };
        let count = |n: Option<i64>| n.map_or_else(String::new, |n| n.to_string());
        [
            c.to_string(),
            symbol.to_owned(),
            at.to_owned(),
            sight.spot.to_string(),
            price(q.bid),
            price(q.ask),
            count(q.bid_size),
            count(q.ask_size),
            s.last.map_or_else(String::new, |p| p.to_string()),
            count(q.volume),
            count(q.open_interest),
        ]
    })
}

/// What a file of bars brings.
#[derive(Debug, Default)]
pub struct Sessions {
    /// Symbol and its bars, by date.
    pub bars: BTreeMap<String, BTreeMap<Date, Bar>>,
    /// Rows that were taken.
    pub good: usize,
    /// Rows that were refused, each with its line and why.
    pub bad: Vec<BadRow>,
}

pub(super) fn bar_row(row: &Row<'_>, symbol: Option<&str>) -> Result<(String, Bar), String> {
    let owner = symbol.unwrap_or(row.text("symbol")).to_owned();
    check_symbol(&owner)?;
    let bar = Bar {
        date: whole::date(row, "date")?,
        open: row.read("open")?,
        high: row.read("high")?,
        low: row.read("low")?,
        close: row.read("close")?,
        volume: row.or("volume", 0)?,
    };
    if bar.low <= Price::ZERO
        || bar.low > bar.open.min(bar.close)
        || bar.high < bar.open.max(bar.close)
        || bar.volume < 0
    {
        let Bar {
            open,
            high,
            low,
            close,
            volume,
            ..
        } = bar;
        return Err(format!(
            "open {open}, high {high}, low {low}, close {close}, volume {volume}: the low \
             must be the lowest and above zero, the high the highest"
        ));
    }
    if !desk::calendar::is_session(bar.date) {
        return Err(format!(
            "date: {} is no session of this exchange's calendar; calendar.csv names days that differ",
            bar.date
        ));
    }
    Ok((owner, bar))
}

/// Reads bars as `export bars` writes them. `symbol` renames what is read.
///
/// # Errors
/// The header lacks a column, or the file cannot be read.
pub fn read_bars(input: impl Read, symbol: Option<&str>) -> Result<Sessions, String> {
    let mut out = Sessions::default();
    let (bars, good) = (&mut out.bars, &mut out.good);
    out.bad = Table::open(input, &BARS)?.rows(|row| {
        let (owner, bar) = bar_row(row, symbol)?;
        let days = bars.entry(owner).or_default();
        if days.contains_key(&bar.date) {
            return Err(format!("date: {} stands twice", bar.date));
        }
        days.insert(bar.date, bar);
        *good += 1;
        Ok(())
    });
    Ok(out)
}
