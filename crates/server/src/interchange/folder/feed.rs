//! A feed: rows that come without end are checked, kept as they close a moment, and told where they
//! are wrong.

use std::collections::BTreeMap;
use std::fs::{File, OpenOptions};
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use desk::Moment;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use market::{Bar, Sight};

use super::rows::{self, BARS, CHAIN, CHAIN_WRITTEN, Whose};
use super::table::{self, Columns};
use super::{day, keep_bars, keep_facts, path_error, zone, zone_in};

/// Bytes at the end of a day file in which its last moment is looked for.
const TAIL: u64 = 256 << 10;

/// What rows mean.
enum Reading {
    Chains(Columns),
    Bars(Columns),
}

/// A symbol that rows have come for.
struct Of {
    zone: Option<TimeZone>,
    /// Keeps other feeds from the same symbol while this one lives.
    _lock: File,
    /// The last moment in the folder when it began.
    before: Option<Moment>,
    /// The last moment that was kept since, and what was seen at it.
    kept: Option<(Moment, Sight)>,
    /// The moment that is coming.
    open: Option<(Moment, Sight)>,
}

/// What a feed has taken so far.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Fed {
    /// Rows that were taken.
    pub rows: usize,
    /// Moments that were written.
    pub moments: usize,
    /// Rows that were refused, each with a message.
    pub refused: usize,
}

/// Rows on their way into a market's folder.
pub struct Feed {
    folder: PathBuf,
    reading: Option<Reading>,
    line: u64,
    symbols: BTreeMap<String, Of>,
    bars: BTreeMap<String, BTreeMap<Date, Bar>>,
    fed: Fed,
    /// A moment holds what has changed since the one before alone.
    changes: bool,
}

impl Feed {
    /// Into a folder, which is made where it is not there.
    ///
    /// # Errors
    /// It cannot be made, or its calendar cannot be used.
    pub fn into(folder: &Path) -> Result<Feed, String> {
        std::fs::create_dir_all(folder).map_err(path_error(folder))?;
        super::keep_calendar(folder)?;
        Ok(Feed {
            folder: folder.to_owned(),
            reading: None,
            line: 0,
            symbols: BTreeMap::new(),
            bars: BTreeMap::new(),
            fed: Fed::default(),
            changes: false,
        })
    }

    /// Moments hold what has changed since the one before alone: what else was quoted on that day still is, and
    /// is written with them.
    pub fn of_changes(self) -> Feed {
        Feed {
            changes: true,
            ..self
        }
    }

    /// What it has taken.
    pub fn fed(&self) -> Fed {
        self.fed
    }

    /// Takes one line; what is wrong with it is told with its number.
    ///
    /// # Errors
    /// The folder cannot be written any more.
    pub fn line(&mut self, line: &[u8], tell: &mut dyn FnMut(String)) -> Result<(), String> {
        self.line += 1;
        let record = match table::record(line) {
            Ok(Some(record)) => record,
            Ok(None) => return self.close(),
            Err(what) => {
                self.refuse(&what, tell);
                return Ok(());
            }
        };
        // A line that names columns; no row of either kind has such a cell.
        let names = |name: &str| {
            record
                .iter()
                .any(|cell| cell.trim_start_matches('\u{feff}') == name)
        };
        if names("contract") || names("symbol") {
            self.close()?;
            let chains = Columns::of(&record, &CHAIN).map(Reading::Chains);
            match chains.or_else(|_| Columns::of(&record, &BARS).map(Reading::Bars)) {
                Ok(reading) => self.reading = Some(reading),
                Err(_) => {
                    self.reading = None;
                    self.refuse(&columns_needed(), tell);
                }
            }
            return Ok(());
        }
        let done = match self.reading.take() {
            None => Err(Unkept::Wrong(columns_needed())),
            Some(Reading::Chains(columns)) => {
                let done = self.chain_row(&columns.row(&record), tell);
                self.reading = Some(Reading::Chains(columns));
                done
            }
            Some(Reading::Bars(columns)) => {
                let read = rows::bar_row(&columns.row(&record), None);
                self.reading = Some(Reading::Bars(columns));
                let read = read.map(|(symbol, bar)| {
                    self.bars.entry(symbol).or_default().insert(bar.date, bar);
                });
                read.map_err(Unkept::Wrong)
            }
        };
        match done {
            Ok(()) => self.fed.rows += 1,
            Err(Unkept::Wrong(what)) => self.refuse(&what, tell),
            Err(Unkept::Failed(what)) => return Err(what),
        }
        Ok(())
    }

    /// A line that is none: it is told and passed over.
    pub fn no_line(&mut self, what: &str, tell: &mut dyn FnMut(String)) {
        self.line += 1;
        self.refuse(what, tell);
    }

    fn refuse(&mut self, what: &str, tell: &mut dyn FnMut(String)) {
        self.fed.refused += 1;
        tell(format!("line {}: {what}", self.line));
    }

    fn chain_row(
        &mut self,
        row: &table::Row<'_>,
        tell: &mut dyn FnMut(String),
    ) -> Result<(), Unkept> {
        let folder = self.folder.clone();
        let symbols = &self.symbols;
        let zone_of = |symbol: &str| match symbols.get(symbol) {
            Some(of) => of.zone.clone(),
            None => zone_in(&folder, symbol).ok().flatten(),
        };
        let row = rows::chain_row(row, Whose::Named(&zone_of)).map_err(Unkept::Wrong)?;
        let (symbol, at) = (row.owner.clone(), row.at);
        if !self.symbols.contains_key(&symbol) {
            let of = Of::begin(&self.folder, &symbol, tell).map_err(Unkept::Failed)?;
            self.symbols.insert(symbol.clone(), of);
        }
        let zone = self.symbols.get(&symbol).and_then(|of| of.zone.clone());
        // What came before on the same clock is whole now.
        let done: Vec<String> = self
            .symbols
            .iter()
            .filter(|(own, of)| {
                let open = of.open.as_ref().map(|(open, _)| *open);
                if **own == symbol {
                    open.is_some_and(|open| open != at)
                } else {
                    of.zone == zone && open.is_some_and(|open| open < at)
                }
            })
            .map(|(own, _)| own.clone())
            .collect();
        for own in done {
            self.keep_moment(&own).map_err(Unkept::Failed)?;
        }
        let Some(of) = self.symbols.get_mut(&symbol) else {
            return Ok(());
        };
        let kept = of.kept.as_ref().map(|(kept, _)| *kept);
        if kept.is_some_and(|kept| at < kept) || of.before.is_some_and(|last| at <= last) {
            let last = kept.or(of.before).unwrap_or_default();
            return Err(Unkept::Wrong(format!(
                "at: {at} does not lie behind the last moment of {symbol}, {last}; `pikebell import` brings \
                 in the past"
            )));
        }
        let again = of.kept.as_ref().filter(|(kept, _)| *kept == at);
        if again.is_some_and(|(_, seen)| {
            seen.spot != row.spot || seen.contracts.contains_key(&row.contract)
        }) {
            return Err(Unkept::Wrong(format!(
                "contract: {} stands twice for {at}, or at another spot",
                row.contract
            )));
        }
        let (_, sight) = of.open.get_or_insert_with(|| (at, Sight::default()));
        rows::add(sight, row).map_err(Unkept::Wrong)
    }

    /// Closes what has come: an empty line, the end, or nothing more for a while.
    ///
    /// # Errors
    /// The folder cannot be written.
    pub fn close(&mut self) -> Result<(), String> {
        let open: Vec<String> = self
            .symbols
            .iter()
            .filter(|(_, of)| of.open.is_some())
            .map(|(symbol, _)| symbol.clone())
            .collect();
        for symbol in open {
            self.keep_moment(&symbol)?;
        }
        self.keep_bars()
    }

    fn keep_bars(&mut self) -> Result<(), String> {
        for (symbol, bars) in std::mem::take(&mut self.bars) {
            if !self.folder.join(&symbol).join("instrument.csv").exists() {
                keep_facts(&self.folder, &symbol, &[])?;
            }
            keep_bars(&self.folder, &symbol, &bars)?;
        }
        Ok(())
    }

    fn keep_moment(&mut self, symbol: &str) -> Result<(), String> {
        let Some(of) = self.symbols.get_mut(symbol) else {
            return Ok(());
        };
        let Some((at, mut sight)) = of.open.take() else {
            return Ok(());
        };
        let before = of
            .kept
            .iter()
            .filter(|(kept, _)| self.changes && kept.date() == at.date());
        // Rows of the very moment that was kept are written already.
        for (c, seen) in before
            .filter(|(kept, _)| *kept < at)
            .flat_map(|(_, s)| &s.contracts)
        {
            sight.contracts.entry(c.clone()).or_insert(*seen);
        }
        let own = self.folder.join(symbol);
        let path = day::file_of(&own, at.date());
        append(
            &path,
            &own,
            symbol,
            &zone::written(at, of.zone.as_ref()),
            &sight,
        )?;
        self.fed.moments += 1;
        match &mut of.kept {
            Some((kept, seen)) if *kept == at => seen.contracts.extend(sight.contracts),
            kept => *kept = Some((at, sight)),
        }
        Ok(())
    }
}

fn columns_needed() -> String {
    format!(
        "no columns are named for this; a line before the rows must have {} of a chain, or {} of bars",
        CHAIN.join(", "),
        BARS.join(", ")
    )
}

/// Why a row was not kept.
enum Unkept {
    /// It is wrong.
    Wrong(String),
    /// The folder cannot be written.
    Failed(String),
}

impl Of {
    fn begin(folder: &Path, symbol: &str, tell: &mut dyn FnMut(String)) -> Result<Of, String> {
        let own = folder.join(symbol);
        if !own.join("instrument.csv").exists() {
            keep_facts(folder, symbol, &[])?;
            tell(format!(
                "{symbol}: {} was made with what holds where nothing is said (shares, American, 100 of \
                 them); write what differs there",
                own.join("instrument.csv").display()
            ));
        }
        let place = own.join(".feed.lock");
        let lock = File::create(&place).map_err(path_error(&place))?;
        lock.try_lock()
            .map_err(|_| format!("another feed writes {symbol} already; end that first"))?;
        let zone = zone_in(folder, symbol)?;
        let before = last_moment(&own, zone.as_ref());
        Ok(Of {
            zone,
            _lock: lock,
            before,
            kept: None,
            open: None,
        })
    }
}

/// The latest moment among the last rows of a symbol's last day file.
fn last_moment(own: &Path, zone: Option<&TimeZone>) -> Option<Moment> {
    let files = std::fs::read_dir(own)
        .ok()?
        .filter_map(|e| Some(e.ok()?.path()));
    let path = files.filter(|p| day::dated(p).is_some()).max()?;
    let mut file = File::open(path).ok()?;
    let mut head = vec![0; 4096];
    let got = file.read(&mut head).ok()?;
    let first = table::record(&head[..table::end_of_row(&head[..got])]).ok()??;
    let columns = Columns::of(&first, &CHAIN).ok()?;
    let length = file.metadata().ok()?.len();
    file.seek(SeekFrom::Start(length.saturating_sub(TAIL)))
        .ok()?;
    let mut tail = Vec::new();
    file.read_to_end(&mut tail).ok()?;
    let rows = tail.split(|b| *b == b'\n').skip(1);
    let moments = rows.filter_map(|row| {
        let record = table::record(row).ok()??;
        let row = columns.row(&record);
        zone::read(row.text("at"), zone).ok()
    });
    moments.max()
}

/// Adds a moment to the end of a day file, whole or not at all, an empty line behind it.
fn append(path: &Path, own: &Path, symbol: &str, at: &str, sight: &Sight) -> Result<(), String> {
    std::fs::create_dir_all(own).map_err(path_error(own))?;
    let mut file = OpenOptions::new()
        .create(true)
        .append(true)
        .open(path)
        .map_err(path_error(path))?;
    let before = file.metadata().map_err(path_error(path))?.len();
    let mut table = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(Vec::new());
    let written = |e: csv::Error| format!("{}: {e}", path.display());
    let mut columns = CHAIN_WRITTEN.to_vec();
    if before > 0 {
        columns = columns_of(path)?;
    } else {
        table.write_record(&columns).map_err(written)?;
    }
    for row in rows::written(symbol, at, sight) {
        let cell = |name: &&str| {
            let place = CHAIN_WRITTEN.iter().position(|own| own == name);
            place.map_or("", |i| row[i].as_str())
        };
        table
            .write_record(columns.iter().map(cell))
            .map_err(written)?;
    }
    let mut bytes = table
        .into_inner()
        .map_err(|e| format!("{}: {e}", path.display()))?;
    bytes.extend_from_slice(b"\r\n");
    // A line that another program left without its end is ended first.
    if before > 0 && !ends_a_line(path)? {
        bytes.splice(0..0, *b"\r\n");
    }
    file.write_all(&bytes).map_err(|e| {
        // What was written of it is taken back.
        let _ = file.set_len(before);
        path_error(path)(e)
    })
}

fn ends_a_line(path: &Path) -> Result<bool, String> {
    let mut file = File::open(path).map_err(path_error(path))?;
    file.seek(SeekFrom::End(-1)).map_err(path_error(path))?;
    let mut last = [0];
    file.read_exact(&mut last).map_err(path_error(path))?;
    Ok(last == *b"\n")
}

/// The columns of a day file that is there, in its own order.
fn columns_of(path: &Path) -> Result<Vec<&'static str>, String> {
    let mut head = vec![0; 4096];
    let got = File::open(path)
        .and_then(|mut f| f.read(&mut head))
        .map_err(path_error(path))?;
    let first = table::record(&head[..table::end_of_row(&head[..got])])
        .map_err(|e| format!("{}: line 1: {e}", path.display()))?
        .unwrap_or_default();
    Columns::of(&first, &CHAIN).map_err(|e| format!("{}: line 1: {e}", path.display()))?;
    // Columns of other names are left empty.
    let known = |name: &str| {
        let name = name.trim_start_matches('\u{feff}').trim();
        let own = CHAIN_WRITTEN.iter().find(|own| **own == name);
        own.copied().unwrap_or("")
    };
    Ok(first.iter().map(known).collect())
}
