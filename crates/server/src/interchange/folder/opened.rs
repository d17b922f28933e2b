//! A market folder that is open: its instruments, what is recorded of them, and what comes to it while it is
//! open.
//!
//! Day files are not held in memory: where in them the rows of each moment stand is (`files`).

use std::collections::{BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError, Weak};

use desk::Moment;
use desk::calendar::{self, Hours, OwnDays, USUAL};
use jiff::civil::Date;
use market::{OwnMarket, Recorded, Tape, World};
use rayon::prelude::*;

use super::facts::{Described, Facts};
use super::files::{Files, LastSeen, Zones, changed_of, entries};
use super::{check_symbol, day, facts_of, path_error, read_bars, whole, zone};

/// Bytes of new rows after which the places of moments are written down again.
const WRITTEN_AFTER: u64 = 64 << 20;

/// What was wrong with a market's files and has been passed over.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wrong {
    /// The file that the fault is in.
    pub file: PathBuf,
    /// What, with its line.
    pub what: String,
}

impl std::fmt::Display for Wrong {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}: {}", self.file.display(), self.what)
    }
}

/// A market that is open.
pub struct Opened {
    /// The folder that was opened.
    pub folder: PathBuf,
    /// Its underlyings, in the order of their symbols.
    pub recorded: Vec<Recorded>,
    /// What it says of itself as a whole.
    pub own: OwnMarket,
    /// What was passed over.
    pub wrong: Vec<Wrong>,
    watched: Mutex<Vec<Watched>>,
}

/// A symbol that is looked at while the market is open.
struct Watched {
    files: Arc<Files>,
    /// The bars as they were read: length and change.
    bars: (u64, i64),
    /// The dated events as they were read, likewise.
    events: (u64, i64),
    /// The folder when its files were listed, and those of the last day and later.
    listed: i64,
    days: Vec<(Date, PathBuf)>,
    /// Bytes read since the places were written.
    unwritten: u64,
}

/// What has come of one symbol.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct News {
    /// The symbol of which something came.
    pub symbol: String,
    /// Its moments, ascending, on the market's clock.
    pub moments: Vec<Moment>,
}

impl std::fmt::Debug for Opened {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Opened({})", self.folder.display())
    }
}

static OPEN: Mutex<Option<HashMap<PathBuf, Weak<Opened>>>> = Mutex::new(None);

/// Opens a market; one that is open already is the same for all who ask for it.
///
/// # Errors
/// The folder cannot be read, or holds no market.
pub fn open(folder: &Path) -> Result<Arc<Opened>, String> {
    let place = std::fs::canonicalize(folder).map_err(path_error(folder))?;
    let mut open = OPEN.lock().unwrap_or_else(PoisonError::into_inner);
    let all = open.get_or_insert_default();
    if let Some(opened) = all.get(&place).and_then(Weak::upgrade) {
        return Ok(opened);
    }
    let opened = Arc::new(Opened::read(folder)?);
    all.insert(place, Arc::downgrade(&opened));
    Ok(opened)
}

/// Keeps the days and hours of a market's `calendar.csv`, for whoever writes into the folder.
///
/// # Errors
/// The file cannot be read.
pub fn keep_calendar(folder: &Path) -> Result<Vec<Wrong>, String> {
    let mut wrong = Vec::new();
    let own = OwnDays::default();
    let own = told(&folder.join("calendar.csv"), whole::calendar, &mut wrong)?.unwrap_or(own);
    if own != OwnDays::default() {
        calendar::keep(own).map_err(|e| e.to_string())?;
    }
    Ok(wrong)
}

/// Reads a file if it is there; its bad rows are told.
fn told<T>(
    path: &Path,
    read: impl Fn(&[u8]) -> Result<(T, Vec<super::BadRow>), String>,
    wrong: &mut Vec<Wrong>,
) -> Result<Option<T>, String> {
    let bytes = match std::fs::read(path) {
        Ok(bytes) => bytes,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        Err(e) => return Err(path_error(path)(e)),
    };
    let mut tell = |what: String| {
        wrong.push(Wrong {
            file: path.to_owned(),
            what,
        });
    };
    match read(&bytes) {
        Ok((all, bad)) => {
            bad.iter().for_each(|row| tell(row.to_string()));
            Ok(Some(all))
        }
        Err(what) => {
            tell(what);
            Ok(None)
        }
    }
}

impl Opened {
    fn read(folder: &Path) -> Result<Opened, String> {
        let mut wrong = Vec::new();
        let rates = told(&folder.join("rates.csv"), whole::rates, &mut wrong)?;
        let index = told(&folder.join("index.csv"), whole::index, &mut wrong)?.flatten();
        let days = told(&folder.join("calendar.csv"), whole::calendar, &mut wrong)?;
        let mut all: Vec<(String, PathBuf, Described)> = Vec::new();
        for own in entries(folder)?.into_iter().filter(|p| p.is_dir()) {
            let name = own.file_name().unwrap_or_default().to_string_lossy();
            let symbol = name.into_owned();
            let place = own.join("instrument.csv");
            let described = check_symbol(&symbol)
                .and_then(|()| facts_of(&place, &mut wrong))
                .and_then(|facts: Facts| facts.described(&symbol));
            match described {
                Ok(described) => all.push((symbol, own, described)),
                // What is not known is not guessed: the symbol is left out.
                Err(what) => wrong.push(Wrong {
                    file: place,
                    what: format!("{what}; {symbol} is left out"),
                }),
            }
        }
        if all.is_empty() {
            let said: Vec<String> = wrong.iter().map(ToString::to_string).collect();
            return Err(format!(
                "{} holds no market; bring one in with `pikebell import` or `pikebell feed`{}{}",
                folder.display(),
                if said.is_empty() { "" } else { ": " },
                said.join("; ")
            ));
        }
        let clock = |symbol: &String| {
            let of = all.iter().find(|(own, ..)| own == symbol);
            of.and_then(|(_, _, d)| d.zone.clone())
        };
        let first = || all.iter().find_map(|(_, _, d)| d.zone.clone());
        let market_zone = index.as_ref().and_then(clock).or_else(first);
        let usual = days.as_ref().and_then(|d| d.usual);
        let mut hull = usual;
        for (_, _, d) in &mut all {
            let zones = (d.zone.clone(), market_zone.clone());
            d.underlying.session = d.hours.map(|hours| zone::own_session(hours, &zones));
            if usual.is_none() {
                let own = d.underlying.session.as_ref();
                // The widest that it is at any time of the year.
                let all: Vec<Hours> = own.map_or(vec![USUAL], zone::all_hours);
                for own in all {
                    let so_far = hull.unwrap_or(own);
                    hull = Some(Hours {
                        open: so_far.open.min(own.open),
                        close: so_far.close.max(own.close),
                    });
                }
            }
        }
        let own_days = OwnDays {
            usual: hull.filter(|h| *h != USUAL),
            days: days.map(|d| d.days).unwrap_or_default(),
        };
        if own_days != OwnDays::default() {
            calendar::keep(own_days.clone()).map_err(|e| format!("{}: {e}", folder.display()))?;
        }
        let own = OwnMarket { index, rates };
        let for_rates = own.clone();
        let rating = World::rating(&for_rates);
        let read: Vec<_> = all
            .into_par_iter()
            .map(|(symbol, path, described)| {
                let zones = (described.zone.clone(), market_zone.clone());
                one(&symbol, &path, described, zones, &rating)
            })
            .collect::<Result<_, String>>()?;
        let mut opened = Opened {
            folder: folder.to_owned(),
            recorded: Vec::new(),
            own,
            wrong,
            watched: Mutex::default(),
        };
        let watched = opened
            .watched
            .get_mut()
            .unwrap_or_else(PoisonError::into_inner);
        for of in read {
            opened.wrong.extend(of.wrong);
            opened.recorded.push(of.recorded);
            watched.push(Watched {
                bars: changed_of(&of.files.own.join("bars.csv")),
                events: changed_of(&of.files.own.join("events.csv")),
                listed: 0,
                days: Vec::new(),
                unwritten: 0,
                files: of.files,
            });
        }
        Ok(opened)
    }

    /// A moment of the symbol at a place as its files write it, with what was seen.
    pub(super) fn written(&self, i: usize, at: Moment) -> Option<(String, market::Sight)> {
        let watched = self.watched.lock().unwrap_or_else(PoisonError::into_inner);
        let files = &watched[i].files;
        Some((files.written(at), files.read_rows(at)?))
    }

    /// The newest moment of any quotes; without quotes the close of the last bar.
    pub fn last(&self) -> Option<Moment> {
        let quotes = self.recorded.iter().filter_map(|r| r.tape.span());
        let bars = || self.recorded.iter().filter_map(Recorded::last_moment).max();
        quotes.map(|(_, last)| last).max().or_else(bars)
    }

    /// Takes in what has been written since it was looked at last.
    pub fn look(&self) -> Vec<News> {
        let mut watched = self.watched.lock().unwrap_or_else(PoisonError::into_inner);
        let each = watched.iter_mut().zip(&self.recorded);
        each.filter_map(|(of, recorded)| of.look(recorded))
            .collect()
    }
}

impl Watched {
    fn look(&mut self, recorded: &Recorded) -> Option<News> {
        let tape = &recorded.tape;
        self.look_at_events(tape);
        let bars = self.files.own.join("bars.csv");
        let now = changed_of(&bars);
        if now != self.bars {
            self.bars = now;
            let mut wrong = Vec::new();
            if let Some(read) = bars_of(&bars, &self.files, &mut wrong) {
                tape.set_bars(read);
            }
            wrong.iter().for_each(|w| tracing::warn!("{w}"));
        }
        self.list();
        let mut moments = Vec::new();
        for (date, path) in &self.days {
            let (read, seen) = read_on(&self.files, *date, path);
            self.unwritten += read;
            for (at, mut sight) in seen {
                sight.spot = self.files.worth(at, sight.spot);
                let at = self.files.on_market(at);
                recorded.take(at, sight);
                moments.push(at);
            }
        }
        if self.unwritten > WRITTEN_AFTER {
            self.unwritten = 0;
            self.files.write_index();
        }
        moments.sort_unstable();
        moments.dedup();
        (!moments.is_empty()).then(|| News {
            symbol: self.files.symbol.clone(),
            moments,
        })
    }

    /// Takes in dated events that were edited.
    fn look_at_events(&mut self, tape: &Tape) {
        let path = self.files.own.join("events.csv");
        let now = changed_of(&path);
        if now == self.events {
            return;
        }
        self.events = now;
        let mut wrong = Vec::new();
        match told(&path, whole::events, &mut wrong) {
            Ok(events) => tape.set_events(events),
            Err(what) => tracing::warn!("{what}"),
        }
        wrong.iter().for_each(|w| tracing::warn!("{w}"));
    }

    /// Lists the files of the last day and later anew where the folder has changed; those of days gone by are
    /// not looked at again.
    fn list(&mut self) {
        let (_, changed) = changed_of(&self.files.own);
        // What was changed a moment ago may change again within the same tick of the file system's clock.
        if changed == self.listed && day::rests(changed) {
            return;
        }
        self.listed = changed;
        let last = newest(&self.files);
        let all = entries(&self.files.own).unwrap_or_default();
        let dated = all.into_iter().filter_map(|p| Some((day::dated(&p)?, p)));
        self.days = dated
            .filter(|(d, _)| last.is_none_or(|l| *d >= l))
            .collect();
    }
}

/// Reads what is new of a day file: so many bytes, and the moments that have become whole.
fn read_on(files: &Files, date: Date, path: &Path) -> (u64, Vec<(Moment, market::Sight)>) {
    let mut days = files.days_mut();
    let day = days.entry(date).or_default();
    let waits = day.is_open() && day::rests(day.changed);
    let mut seen = Vec::new();
    if changed_of(path) == (day.read, day.changed) && !waits {
        return (0, seen);
    }
    let (read, refused) = (day.read, day.bad.0);
    let done = day.read_on(path, files.whose(), &mut |at, sight| seen.push((at, sight)));
    if let Err(what) = done {
        tracing::warn!("{}: {what}", path.display());
    } else if day.bad.0 > refused {
        let told = day.bad.1.last();
        let what = told.map_or(String::new(), |(n, what)| format!("line {n}: {what}"));
        let more = day.bad.0 - refused;
        tracing::warn!("{}: {more} rows refused; {what}", path.display());
    }
    (day.read.saturating_sub(read), seen)
}

/// Date of the last file that has been read.
fn newest(files: &Files) -> Option<Date> {
    files.days().last_key_value().map(|(date, _)| *date)
}

fn bars_of(path: &Path, files: &Files, wrong: &mut Vec<Wrong>) -> Option<Vec<market::Bar>> {
    let read = |bytes: &[u8]| read_bars(bytes, None).map(|s| (s.bars, s.bad));
    let mut all = told(path, read, wrong).unwrap_or_else(|what| {
        let file = path.to_owned();
        wrong.push(Wrong { file, what });
        None
    })?;
    let mut bars = all.remove(&files.symbol).unwrap_or_default();
    for (date, bar) in &mut bars {
        let at = Moment::at(*date, 12, 0);
        for price in [&mut bar.open, &mut bar.high, &mut bar.low, &mut bar.close] {
            *price = files.worth(at, *price);
        }
    }
    Some(bars.into_values().collect())
}

/// One symbol as it was read.
struct One {
    recorded: Recorded,
    files: Arc<Files>,
    wrong: Vec<Wrong>,
}

fn one(
    symbol: &str,
    path: &Path,
    described: Described,
    zones: Zones,
    rate: &(impl Fn(Moment, f64) -> f64 + Sync),
) -> Result<One, String> {
    let Described {
        mut underlying,
        told,
        delivers,
        ..
    } = described;
    let delivers = (delivers, underlying.multiplier);
    let (files, mut wrong, last_seen) = Files::open(symbol, path, zones, delivers)?;
    let events = self::told(&path.join("events.csv"), whole::events, &mut wrong)?;
    let bars = bars_of(&path.join("bars.csv"), &files, &mut wrong).unwrap_or_default();
    find_roots(&files, &mut underlying, &mut wrong);
    find_end(&files, &mut underlying, &mut wrong);
    let files = Arc::new(files);
    let reader = Arc::clone(&files);
    let tape = Tape::read_by(bars, files.known(), Box::new(move |at| reader.read(at)));
    tape.set_events(events);
    let recorded = Recorded::new(underlying, told, tape);
    // What the last moment of each day says at the money is kept: ranks ask for a year of them.
    last_seen.par_iter().for_each(|seen: &LastSeen| {
        let at = files.when(seen);
        let money = recorded.at_the_money(at, &seen.sight, rate);
        files.keep_money(seen, &money);
        recorded.tape.keep_money(at, money);
    });
    if !last_seen.is_empty() {
        files.write_index();
    }
    Ok(One {
        recorded,
        files,
        wrong,
    })
}

/// The last session of a future for which none is told: that of its last options.
fn find_end(files: &Files, underlying: &mut desk::Underlying, wrong: &mut Vec<Wrong>) {
    if underlying.kind != desk::UnderlyingKind::Future || underlying.last_session.is_some() {
        return;
    }
    let seen = files.newest().and_then(|at| files.read(at));
    let all = seen.into_iter().flat_map(|s| s.contracts.into_keys());
    underlying.last_session = all.map(|c| c.expiry).max();
    let what = match underlying.last_session {
        Some(last) => format!(
            "last_session: nothing is said; {last} is taken, when the last of its options end"
        ),
        None => {
            "last_session: nothing is said, and no option says it; the future does not end until \
                 instrument.csv tells when"
                .into()
        }
    };
    wrong.push(Wrong {
        file: files.own.join("instrument.csv"),
        what,
    });
}

/// The root of what settles at the close, as the last moment has it where nothing is said; other roots are
/// told.
fn find_roots(files: &Files, underlying: &mut desk::Underlying, wrong: &mut Vec<Wrong>) {
    let seen = files.newest().and_then(|at| files.read(at));
    let all = seen.into_iter().flat_map(|s| s.contracts.into_keys());
    let roots: BTreeSet<String> = all.map(|c| c.root).collect();
    let symbol = underlying.symbol.clone();
    let mut closing = roots.iter().filter(|root| !underlying.opens(root));
    if underlying.weekly_root.is_none() && !closing.clone().any(|root| *root == symbol) {
        let usual = underlying.opens(&symbol).then(|| format!("{symbol}W"));
        underlying.weekly_root = closing.next().cloned().or(usual.filter(|r| r.len() <= 6));
    }
    for root in roots.iter().filter(|r| !underlying.owns_root(r)) {
        wrong.push(Wrong {
            file: files.own.clone(),
            what: format!(
                "contracts of root {root} are passed over; give them a folder {root} of their own"
            ),
        });
    }
}
