//! The user's own market from files: a folder with one folder for each underlying, holding CSV
//! files as RFC 4180 has them.
//!
//! ```text
//! FOLDER/SYMBOL/instrument.csv        name,value: what the symbol does not say
//! FOLDER/SYMBOL/bars.csv              symbol,date,open,high,low,close,volume: one row a session
//! FOLDER/SYMBOL/chain-2031-03-11.csv  one row for each contract and moment of that day
//! ```
//! Columns are found by their name in the first row, in any order; others are passed over. Rows
//! that cannot be what they claim are refused one by one, each with its line; the others count.

mod facts;
mod legs;
mod table;

use std::collections::{BTreeMap, BTreeSet};
use std::io::Read;
use std::path::Path;

use desk::{Contract, Kind, Moment, Price, Quote};
use facts::FACTS;
use jiff::civil::Date;
use market::{Bar, Recorded, Seen, Sight};

pub use facts::Facts;
pub use legs::{legs_csv, read_legs_csv};
pub use table::BadRow;
use table::{Row, Table};

/// What a file of chains brings: sights of one symbol, good rows and bad.
#[derive(Debug, Default)]
pub struct Chains {
    /// Symbol and what was seen, by moment.
    pub sights: BTreeMap<String, BTreeMap<Moment, Sight>>,
    /// Rows taken.
    pub good: usize,
    /// Rows refused.
    pub bad: Vec<BadRow>,
}

/// Most columns a chain needs; `expiry`, `kind` and `strike` are checked against the contract where
/// they are given.
const CHAIN: [&str; 5] = ["contract", "at", "spot", "bid", "ask"];

/// Reads chains as `export chain` writes them. `symbol` renames what is read; without it the column
/// `underlying` or the contract's root names it.
///
/// # Errors
/// The header lacks a column, or the file cannot be read.
pub fn read_chains(input: impl Read, symbol: Option<&str>) -> Result<Chains, String> {
    let mut out = Chains::default();
    let (sights, good) = (&mut out.sights, &mut out.good);
    let bad = Table::open(input, &CHAIN)?.rows(|row| {
        let mut contract: Contract = row.read("contract")?;
        let at: Moment = row.read("at")?;
        let spot: Price = row.read("spot")?;
        let (bid, ask): (Price, Price) = (row.or("bid", Price::ZERO)?, row.read("ask")?);
        let count = |name: &str| {
            row.or::<i64>(name, 0).and_then(|n| {
                if n < 0 {
                    Err(format!("{name}: {n} is below zero"))
                } else {
                    Ok(n)
                }
            })
        };
        agrees(row, "expiry", &contract.expiry.to_string())?;
        agrees(
            row,
            "kind",
            if contract.kind == Kind::Call {
                "call"
            } else {
                "put"
            },
        )?;
        if let Ok(strike) = row.read::<Price>("strike")
            && strike != contract.strike
        {
            return Err(format!(
                "strike: {strike} is not the contract's {}",
                contract.strike
            ));
        }
        if spot <= Price::ZERO || ask <= Price::ZERO || bid < Price::ZERO {
            return Err(format!(
                "spot {spot}, bid {bid}, ask {ask}: spot and ask must lie above \
                                zero, the bid not below it (empty: nobody bids)"
            ));
        }
        if bid > ask {
            return Err(format!("bid: {bid} lies above the ask {ask}"));
        }
        if at.days_until(contract.expiry) < 0 {
            return Err(format!(
                "at: {at} lies behind the contract's end on {}",
                contract.expiry
            ));
        }
        let named = if row.text("underlying").is_empty() {
            contract.root.clone()
        } else {
            row.text("underlying").to_owned()
        };
        let owner = symbol.map_or(named, str::to_owned);
        check_symbol(&owner)?;
        // A renamed market has roots of its own, or they would be another's contracts.
        if let Some(symbol) = symbol {
            contract.root = symbol.to_owned();
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
        let sight = sights
            .entry(owner)
            .or_default()
            .entry(at)
            .or_insert_with(|| Sight {
                spot,
                contracts: BTreeMap::new(),
            });
        if sight.spot != spot {
            return Err(format!(
                "spot: {spot}, but rows of the same moment before it have {}",
                sight.spot
            ));
        }
        if sight.contracts.contains_key(&contract) {
            return Err(format!("contract: {contract} stands twice for {at}"));
        }
        sight.contracts.insert(contract, Seen { quote, last });
        *good += 1;
        Ok(())
    });
    out.bad = bad;
    Ok(out)
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

/// What a file of bars brings.
#[derive(Debug, Default)]
pub struct Sessions {
    /// Symbol and its bars, by date.
    pub bars: BTreeMap<String, BTreeMap<Date, Bar>>,
    /// Rows taken.
    pub good: usize,
    /// Rows refused.
    pub bad: Vec<BadRow>,
}

/// Reads bars as `export bars` writes them. `symbol` renames what is read.
///
/// # Errors
/// The header lacks a column, or the file cannot be read.
pub fn read_bars(input: impl Read, symbol: Option<&str>) -> Result<Sessions, String> {
    let mut out = Sessions::default();
    let (bars, good) = (&mut out.bars, &mut out.good);
    let bad =
        Table::open(input, &["symbol", "date", "open", "high", "low", "close"])?.rows(|row| {
            let owner = symbol.unwrap_or(row.text("symbol")).to_owned();
            check_symbol(&owner)?;
            let date: Date = row.text("date").parse().map_err(|_| {
                format!(
                    "date: {:?} is not a date; \
            write it like 2031-03-11",
                    row.text("date")
                )
            })?;
            let bar = Bar {
                date,
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
            if !desk::calendar::is_session(date) {
                return Err(format!(
                    "date: {date} is no session of this exchange's calendar"
                ));
            }
            let days = bars.entry(owner).or_default();
            if days.contains_key(&date) {
                return Err(format!("date: {date} stands twice"));
            }
            days.insert(date, bar);
            *good += 1;
            Ok(())
        });
    out.bad = bad;
    Ok(out)
}

fn path_error(path: &Path) -> impl Fn(std::io::Error) -> String + '_ {
    move |e| format!("{}: {e}", path.display())
}

/// Writes a file whole or not at all.
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
    table.flush().map_err(path_error(&half))?;
    drop(table);
    std::fs::rename(&half, path).map_err(path_error(path))
}

fn words<const N: usize>(row: [&str; N]) -> Vec<String> {
    row.map(str::to_owned).to_vec()
}

/// Adds sights to a symbol's folder; of a contract seen at the same moment before, the new row
/// stands. Gives the number of day files written.
///
/// # Errors
/// The folder cannot be read or written.
pub fn keep_sights(
    folder: &Path,
    symbol: &str,
    sights: &BTreeMap<Moment, Sight>,
) -> Result<usize, String> {
    let own = folder.join(symbol);
    std::fs::create_dir_all(&own).map_err(path_error(&own))?;
    let days: BTreeSet<Date> = sights.keys().map(|at| at.date()).collect();
    for day in &days {
        let path = own.join(format!("chain-{day}.csv"));
        let mut all = if path.exists() {
            sound(&path, |input| {
                read_chains(input, None).map(|c| (c.sights, c.bad))
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
        let header = words([
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
        ]);
        let rows = kept.iter().flat_map(|(at, sight)| {
            sight.contracts.iter().map(move |(c, s)| {
                let q = &s.quote;
                vec![
                    c.to_string(),
                    symbol.to_owned(),
                    at.to_string(),
                    sight.spot.to_string(),
                    if q.bid > Price::ZERO {
                        q.bid.to_string()
                    } else {
                        String::new()
                    },
                    q.ask.to_string(),
                    q.bid_size.to_string(),
                    q.ask_size.to_string(),
                    s.last.map_or_else(String::new, |p| p.to_string()),
                    q.volume.to_string(),
                    q.open_interest.to_string(),
                ]
            })
        });
        write_whole(&path, std::iter::once(header).chain(rows))?;
    }
    Ok(days.len())
}

/// Adds bars to a symbol's folder; of a session known before, the new row stands.
///
/// # Errors
/// The folder cannot be read or written.
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
        let prices = [b.open, b.high, b.low, b.close].map(|p| p.to_string());
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
    let mut facts = read_facts(&path)?;
    for (name, value) in given {
        facts.set(name, value)?;
    }
    facts.underlying(symbol)?;
    std::fs::create_dir_all(&own).map_err(path_error(&own))?;
    let rows = FACTS
        .iter()
        .map(|(name, _)| vec![(*name).to_owned(), facts.get(name).to_owned()]);
    write_whole(&path, std::iter::once(words(["name", "value"])).chain(rows))
}

fn read_facts(path: &Path) -> Result<Facts, String> {
    let mut facts = Facts::default();
    if path.exists() {
        let input = std::fs::File::open(path).map_err(path_error(path))?;
        let bad = Table::open(input, &["name", "value"])?
            .rows(|row| facts.set(row.text("name"), row.text("value")));
        refuse(path, &bad)?;
    }
    Ok(facts)
}

/// A file of the folder, which the program wrote or the user has edited: all its rows must be good.
fn sound<T>(
    path: &Path,
    read: impl Fn(std::fs::File) -> Result<(T, Vec<BadRow>), String>,
) -> Result<T, String> {
    let input = std::fs::File::open(path).map_err(path_error(path))?;
    let (all, bad) = read(input).map_err(|e| format!("{}: {e}", path.display()))?;
    refuse(path, &bad)?;
    Ok(all)
}

fn refuse(path: &Path, bad: &[BadRow]) -> Result<(), String> {
    match bad.first() {
        Some(first) => Err(format!("{}: {first}", path.display())),
        None => Ok(()),
    }
}

/// Everything in a folder, by symbol.
///
/// # Errors
/// A file of it cannot be read; which, and why.
pub fn read_folder(folder: &Path) -> Result<Vec<Recorded>, String> {
    let mut out = Vec::new();
    let entries = |path: &Path| -> Result<Vec<std::path::PathBuf>, String> {
        let listed = std::fs::read_dir(path).map_err(path_error(path))?;
        let mut all = listed
            .map(|e| e.map(|e| e.path()))
            .collect::<Result<Vec<_>, _>>()
            .map_err(path_error(path))?;
        all.sort();
        Ok(all)
    };
    for own in entries(folder)?.into_iter().filter(|p| p.is_dir()) {
        let symbol = own
            .file_name()
            .map(|n| n.to_string_lossy().into_owned())
            .unwrap_or_default();
        check_symbol(&symbol).map_err(|e| format!("{}: {e}", own.display()))?;
        let (underlying, dividend_yield) = read_facts(&own.join("instrument.csv"))?
            .underlying(&symbol)
            .map_err(|e| format!("{}: {e}", own.display()))?;
        let mut recorded = Recorded {
            underlying,
            dividend_yield,
            bars: Vec::new(),
            sights: BTreeMap::new(),
        };
        for path in entries(&own)?
            .into_iter()
            .filter(|p| p.extension().is_some_and(|e| e == "csv"))
        {
            let name = path
                .file_name()
                .map(|n| n.to_string_lossy().into_owned())
                .unwrap_or_default();
            if name == "bars.csv" {
                let mut bars = sound(&path, |input| {
                    read_bars(input, None).map(|s| (s.bars, s.bad))
                })?;
                recorded.bars = bars
                    .remove(&symbol)
                    .unwrap_or_default()
                    .into_values()
                    .collect();
            } else if name.starts_with("chain-") {
                let mut sights = sound(&path, |input| {
                    read_chains(input, None).map(|c| (c.sights, c.bad))
                })?;
                recorded
                    .sights
                    .extend(sights.remove(&symbol).unwrap_or_default());
            }
        }
        let roots = recorded
            .sights
            .values()
            .flat_map(|s| s.contracts.keys())
            .map(|c| &c.root);
        recorded.underlying.weekly_root = roots.into_iter().find(|root| **root != symbol).cloned();
        out.push(recorded);
    }
    if out.is_empty() {
        return Err(format!(
            "{} holds no market; bring one in with `pikebell import`",
            folder.display()
        ));
    }
    Ok(out)
}
