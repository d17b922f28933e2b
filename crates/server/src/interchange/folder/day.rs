//! A file of one day's chains, read as far as it has come: where in it the rows of each moment stand,
//! so that they can be read again alone.
//!
//! A moment is whole once a row of another moment or an empty line follows it, or once nothing has
//! been written to the file for [`AT_REST`]. A line is read once it has its end. So what another program
//! is still writing is not read by half.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use desk::{Moment, Price};
use jiff::tz::TimeZone;
use market::Sight;
use serde::{Deserialize, Serialize};

use super::rows::{self, CHAIN, Whose};
use super::table::Columns;

/// Nothing has been written to a file for so long: what stands at its end is whole.
pub const AT_REST: Duration = Duration::from_secs(2);
/// Bytes that are read at a time.
const AT_A_TIME: usize = 8 << 20;
/// Bad rows of a file that are kept to be told.
const TOLD: usize = 20;

/// Where the rows of one moment stand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Place {
    /// Price of the underlying.
    pub spot: i64,
    /// From which byte to which, not included.
    pub parts: Vec<(u64, u64)>,
    /// How many rows of the moment are good.
    pub rows: u32,
    /// Ends of expirations in milliseconds and volatilities at the money, where they were worked out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub money: Option<Vec<(i64, f64)>>,
}

/// A file of chains, as far as it has been read.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Day {
    /// Bytes that have been read.
    pub read: u64,
    /// Lines that have been read.
    lines: u64,
    /// When it was changed last, in milliseconds.
    pub changed: i64,
    /// The columns of its first line.
    columns: Option<Columns>,
    /// Its first line is not that of a chain, so that nothing in it can be read.
    headless: bool,
    /// Whole moments on the symbol's clock, in milliseconds.
    pub moments: BTreeMap<i64, Place>,
    /// The moment whose rows stand at the end and which may not be whole.
    open: Option<(i64, Place)>,
    /// Rows that were refused, and the first of them.
    pub bad: (usize, Vec<(u64, String)>),
}

/// When a file was changed last, in milliseconds.
pub fn changed(data: &std::fs::Metadata) -> i64 {
    let since = data
        .modified()
        .ok()
        .and_then(|t| t.duration_since(UNIX_EPOCH).ok());
    since.map_or(0, |d| i64::try_from(d.as_millis()).unwrap_or(i64::MAX))
}

/// Whether a file has been left alone.
pub fn rests(changed: i64) -> bool {
    let now = SystemTime::now()
        .duration_since(UNIX_EPOCH)
        .unwrap_or_default();
    i64::try_from(now.as_millis()).unwrap_or(i64::MAX) - changed >= AT_REST.as_millis() as i64
}

impl Day {
    /// Of which nothing has been read.
    pub fn new() -> Day {
        Day {
            read: 0,
            lines: 0,
            changed: 0,
            columns: None,
            headless: false,
            moments: BTreeMap::new(),
            open: None,
            bad: (0, Vec::new()),
        }
    }

    /// What is wrong in it.
    pub fn wrong(&self) -> impl Iterator<Item = String> {
        let (all, first) = &self.bad;
        let more = all - first.len();
        let rest = (more > 0).then(|| format!("{more} more rows are wrong"));
        let told = first
            .iter()
            .map(|(line, what)| format!("line {line}: {what}"));
        told.chain(rest)
    }

    /// Whether a moment stands at its end that is not whole.
    pub fn is_open(&self) -> bool {
        self.open.is_some()
    }

    /// Reads on to the end of the file; `keep` is given each moment that has become whole by that, with all
    /// its rows.
    ///
    /// # Errors
    /// It cannot be read.
    pub fn read_on(
        &mut self,
        path: &Path,
        (symbol, zone): (&str, Option<&TimeZone>),
        keep: &mut dyn FnMut(Moment, Sight),
    ) -> Result<(), String> {
        let failed = |e: std::io::Error| e.to_string();
        let mut file = File::open(path).map_err(failed)?;
        let data = file.metadata().map_err(failed)?;
        if data.len() < self.read {
            // It was put in place anew.
            *self = Day::new();
        }
        self.changed = changed(&data);
        let resting = rests(self.changed);
        file.seek(SeekFrom::Start(self.read)).map_err(failed)?;
        let mut rest: Vec<u8> = Vec::new();
        // Rows of moments that are not whole, and of those that go on after having been.
        let mut seen: BTreeMap<i64, Sight> = BTreeMap::new();
        if let Some((at, place)) = &self.open {
            let mut whole = place.clone();
            if let Some(known) = self.moments.get(at) {
                whole.parts.splice(0..0, known.parts.iter().copied());
            }
            let again = read_again(path, &whole, self.columns.as_ref(), (symbol, zone));
            seen.insert(*at, again.unwrap_or_default());
        }
        loop {
            let mut chunk = (&mut file).take(AT_A_TIME as u64);
            let got = chunk.read_to_end(&mut rest).map_err(failed)?;
            let end = if got == 0 && resting {
                rest.len()
            } else {
                rest.iter().rposition(|b| *b == b'\n').map_or(0, |i| i + 1)
            };
            if end > 0 {
                self.take(&rest[..end], path, (symbol, zone), &mut seen);
                rest.drain(..end);
                let open = self.open.as_ref().map(|(at, _)| *at);
                let done: Vec<i64> = seen
                    .keys()
                    .copied()
                    .filter(|at| Some(*at) != open)
                    .collect();
                for at in done {
                    if let Some(sight) = seen.remove(&at).filter(|s| !s.contracts.is_empty()) {
                        keep(Moment::from_millis(at), sight);
                    }
                }
            }
            if got == 0 {
                break;
            }
        }
        if resting && let Some((at, place)) = self.open.take() {
            self.close(at, place);
            if let Some(sight) = seen.remove(&at).filter(|s| !s.contracts.is_empty()) {
                keep(Moment::from_millis(at), sight);
            }
        }
        Ok(())
    }

    fn close(&mut self, at: i64, place: Place) {
        if place.rows == 0 {
            return;
        }
        match self.moments.get_mut(&at) {
            Some(known) => {
                known.parts.extend(place.parts);
                known.rows += place.rows;
                known.money = None;
            }
            None => {
                self.moments.insert(at, place);
            }
        }
    }

    fn refuse(&mut self, line: u64, what: String) {
        self.bad.0 += 1;
        if self.bad.1.len() < TOLD {
            self.bad.1.push((line, what));
        }
    }

    /// Takes whole lines.
    fn take(
        &mut self,
        bytes: &[u8],
        path: &Path,
        (symbol, zone): (&str, Option<&TimeZone>),
        seen: &mut BTreeMap<i64, Sight>,
    ) {
        let mut from = 0;
        while from < bytes.len() {
            let end = super::table::end_of_row(&bytes[from..]) + from;
            let (line, row) = (self.lines + 1, &bytes[from..end]);
            self.lines += row.iter().filter(|b| **b == b'\n').count().max(1) as u64;
            let place = (self.read, self.read + row.len() as u64);
            self.read = place.1;
            from = end;
            let record = match super::table::record(row) {
                Ok(Some(record)) => record,
                Ok(None) => {
                    // An empty line: the moment is whole.
                    if let Some((at, place)) = self.open.take() {
                        self.close(at, place);
                    }
                    continue;
                }
                Err(what) => {
                    self.refuse(line, what);
                    continue;
                }
            };
            if self.headless {
                continue;
            }
            let Some(columns) = &self.columns else {
                match Columns::of(&record, &CHAIN) {
                    Ok(columns) => self.columns = Some(columns),
                    Err(what) => {
                        self.headless = true;
                        self.bad.0 += 1;
                        self.bad
                            .1
                            .push((1, format!("{what}; the file is passed over")));
                    }
                }
                continue;
            };
            let row = match rows::chain_row(&columns.row(&record), Whose::One(symbol, zone)) {
                Ok(row) => row,
                Err(what) => {
                    self.refuse(line, what);
                    continue;
                }
            };
            let at = row.at.millis();
            if self.open.as_ref().is_some_and(|(open, _)| *open != at)
                && let Some((open, place)) = self.open.take()
            {
                self.close(open, place);
            }
            let spot = row.spot.raw();
            // Rows of a moment that was whole already: it goes on.
            let (moments, columns) = (&self.moments, self.columns.as_ref());
            let sight = seen.entry(at).or_insert_with(|| {
                let known = moments.get(&at);
                known
                    .and_then(|known| read_again(path, known, columns, (symbol, zone)))
                    .unwrap_or_default()
            });
            if let Err(what) = rows::add(sight, row) {
                self.refuse(line, what);
                continue;
            }
            match &mut self.open {
                Some((_, open)) => {
                    open.rows += 1;
                    match open.parts.last_mut() {
                        Some(last) if last.1 == place.0 => last.1 = place.1,
                        _ => open.parts.push(place),
                    }
                }
                None => {
                    let parts = vec![place];
                    let begun = Place {
                        spot,
                        parts,
                        rows: 1,
                        money: None,
                    };
                    self.open = Some((at, begun));
                }
            }
        }
    }

    /// Reads the rows of a moment again; nothing where the file is no longer what it was.
    pub fn again(
        &self,
        path: &Path,
        at: Moment,
        whose: (&str, Option<&TimeZone>),
    ) -> Option<Sight> {
        read_again(
            path,
            self.moments.get(&at.millis())?,
            self.columns.as_ref(),
            whose,
        )
    }
}

impl Default for Day {
    fn default() -> Day {
        Day::new()
    }
}

fn read_again(
    path: &Path,
    place: &Place,
    columns: Option<&Columns>,
    (symbol, zone): (&str, Option<&TimeZone>),
) -> Option<Sight> {
    let columns = columns?;
    let mut file = File::open(path).ok()?;
    let mut sight = Sight {
        spot: Price::from_raw(place.spot),
        ..Sight::default()
    };
    for (from, to) in &place.parts {
        let mut bytes = vec![0; usize::try_from(to - from).ok()?];
        file.seek(SeekFrom::Start(*from)).ok()?;
        file.read_exact(&mut bytes).ok()?;
        let mut at = 0;
        while at < bytes.len() {
            let end = at + super::table::end_of_row(&bytes[at..]);
            if let Ok(Some(record)) = super::table::record(&bytes[at..end])
                && let Ok(row) = rows::chain_row(&columns.row(&record), Whose::One(symbol, zone))
            {
                // What was taken once is taken again.
                let _ = rows::add(&mut sight, row);
            }
            at = end;
        }
    }
    Some(sight).filter(|s| !s.contracts.is_empty())
}

/// The date in the name of a file of chains.
pub fn dated(path: &Path) -> Option<jiff::civil::Date> {
    let name = path.file_name()?.to_str()?;
    name.strip_prefix("chain-")?
        .strip_suffix(".csv")?
        .parse()
        .ok()
}

/// The file of a date.
pub fn file_of(own: &Path, day: jiff::civil::Date) -> PathBuf {
    own.join(format!("chain-{day}.csv"))
}
