//! The day files of one symbol: which moments stand where in them, so that any can be read again.
//!
//! The places are written down in `.index.json` beside the files and read from there at the next
//! start; a file that has grown is read on, one that has changed is read anew.

use std::collections::BTreeMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};
use std::sync::{PoisonError, RwLock, RwLockReadGuard, RwLockWriteGuard};

use desk::{Moment, Price};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use market::{AtTheMoney, MomentKnown, Sight};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::day::{self, Day};
use super::facts::Deliverable;
use super::{Wrong, path_error, zone};

/// Where the places of moments are kept, beside the day files.
const INDEX: &str = ".index.json";
/// The form of that file.
const FORM: u32 = 2;

#[derive(Serialize, Deserialize, Default)]
struct Index {
    form: u32,
    /// Of what else volatilities at the money depend on.
    told: u64,
    days: BTreeMap<Date, Day>,
}

/// The clock of a symbol, and that of the market.
pub(super) type Zones = (Option<TimeZone>, Option<TimeZone>);

/// The day files of one symbol.
pub(super) struct Files {
    pub symbol: String,
    /// The folder that the files lie in.
    pub own: PathBuf,
    zones: Zones,
    days: RwLock<BTreeMap<Date, Day>>,
    told: u64,
    /// What an adjusted contract delivers from each date on, and its multiplier.
    delivers: (Vec<(Date, Deliverable)>, i64),
}

/// The last moment that was read of a file, on the symbol's clock.
pub(super) struct LastSeen {
    date: Date,
    at: Moment,
    pub sight: Sight,
}

/// A file that has been read.
struct DayRead {
    date: Date,
    day: Day,
    last: Option<(Moment, Sight)>,
    failed: Option<String>,
}

pub(super) fn entries(path: &Path) -> Result<Vec<PathBuf>, String> {
    let listed = std::fs::read_dir(path).map_err(path_error(path))?;
    let mut all = listed
        .map(|e| e.map(|e| e.path()))
        .collect::<Result<Vec<_>, _>>()
        .map_err(path_error(path))?;
    all.sort();
    Ok(all)
}

/// Length of a file and when it was changed.
pub(super) fn changed_of(path: &Path) -> (u64, i64) {
    std::fs::metadata(path).map_or((0, 0), |data| (data.len(), day::changed(&data)))
}

/// A number for everything that volatilities at the money depend on beside quotes.
fn told_number(own: &Path) -> u64 {
    let mut hasher = DefaultHasher::new();
    let market = own.parent().unwrap_or(own);
    for file in [
        own.join("instrument.csv"),
        own.join("events.csv"),
        market.join("rates.csv"),
        market.join("calendar.csv"),
    ] {
        std::fs::read(file).ok().hash(&mut hasher);
    }
    hasher.finish()
}

/// Reads what is new of a day file.
fn brought_up(
    (date, path, mut day): (Date, &PathBuf, Day),
    whose: (&str, Option<&TimeZone>),
) -> DayRead {
    let mut last: Option<(Moment, Sight)> = None;
    let mut keep = |at, sight| {
        if last.as_ref().is_none_or(|(before, _)| *before <= at) {
            last = Some((at, sight));
        }
    };
    let mut done = day.read_on(path, whose, &mut keep);
    if done.is_ok() && day.is_open() {
        // It was written just now: whether what stands at its end is whole is seen in a moment.
        std::thread::sleep(day::AT_REST);
        done = day.read_on(path, whose, &mut keep);
    }
    DayRead {
        date,
        day,
        last,
        failed: done.err(),
    }
}

impl Files {
    /// Brings what is known of the files up to date; what is wrong in them, and the last moment of each that
    /// was read.
    pub fn open(
        symbol: &str,
        own: &Path,
        zones: Zones,
        delivers: (Vec<(Date, Deliverable)>, i64),
    ) -> Result<(Files, Vec<Wrong>, Vec<LastSeen>), String> {
        let told = told_number(own);
        let index: Option<Index> = std::fs::read(own.join(INDEX))
            .ok()
            .and_then(|text| serde_json::from_slice(&text).ok());
        let mut days = index
            .filter(|i| i.form == FORM && i.told == told)
            .map(|i| i.days)
            .unwrap_or_default();
        let listed: BTreeMap<Date, PathBuf> = entries(own)?
            .into_iter()
            .filter_map(|p| Some((day::dated(&p)?, p)))
            .collect();
        days.retain(|date, _| listed.contains_key(date));
        let todo: Vec<(Date, &PathBuf, Day)> = listed
            .iter()
            .filter_map(|(date, path)| {
                let known = days.get(date).cloned().unwrap_or_default();
                let (length, at) = changed_of(path);
                if (known.read, known.changed) == (length, at) && !known.is_open() {
                    return None;
                }
                // What has only grown is read on.
                let grown = known.read < length && known.changed <= at || known.is_open();
                Some((*date, path, if grown { known } else { Day::new() }))
            })
            .collect();
        let whose = (symbol, zones.0.as_ref());
        let read: Vec<DayRead> = todo
            .into_par_iter()
            .map(|one| brought_up(one, whose))
            .collect();
        let (mut wrong, mut last_seen) = (Vec::new(), Vec::new());
        for of in read {
            let date = of.date;
            wrong.extend(of.failed.map(|what| Wrong {
                file: day::file_of(own, date),
                what,
            }));
            days.insert(date, of.day);
            last_seen.extend(of.last.map(|(at, sight)| LastSeen { date, at, sight }));
        }
        for (date, day) in &days {
            wrong.extend(day.wrong().map(|what| Wrong {
                file: day::file_of(own, *date),
                what,
            }));
        }
        let files = Files {
            symbol: symbol.to_owned(),
            own: own.to_owned(),
            zones,
            days: RwLock::new(days),
            told,
            delivers,
        };
        for seen in &mut last_seen {
            seen.sight.spot = files.worth(seen.at, seen.sight.spot);
        }
        Ok((files, wrong, last_seen))
    }

    pub fn days(&self) -> RwLockReadGuard<'_, BTreeMap<Date, Day>> {
        self.days.read().unwrap_or_else(PoisonError::into_inner)
    }

    pub fn days_mut(&self) -> RwLockWriteGuard<'_, BTreeMap<Date, Day>> {
        self.days.write().unwrap_or_else(PoisonError::into_inner)
    }

    pub fn whose(&self) -> (&str, Option<&TimeZone>) {
        (&self.symbol, self.zones.0.as_ref())
    }

    /// A moment of the symbol's clock on the market's.
    pub fn on_market(&self, at: Moment) -> Moment {
        zone::carried(at, self.zones.0.as_ref(), self.zones.1.as_ref())
    }

    fn on_own(&self, at: Moment) -> Moment {
        zone::carried(at, self.zones.1.as_ref(), self.zones.0.as_ref())
    }

    /// A moment of the market's clock as the files write it.
    pub fn written(&self, at: Moment) -> String {
        zone::written(self.on_own(at), self.zones.0.as_ref())
    }

    /// Reads what was seen at a moment of the market's clock.
    pub fn read(&self, at: Moment) -> Option<Sight> {
        let mut sight = self.read_rows(at)?;
        sight.spot = self.worth(self.on_own(at), sight.spot);
        Some(sight)
    }

    /// The same as the rows have it, the price of the shares.
    pub fn read_rows(&self, at: Moment) -> Option<Sight> {
        let own = self.on_own(at);
        let days = self.days();
        let holds = |(_, day): &(&Date, &Day)| day.moments.contains_key(&own.millis());
        let named = days.get_key_value(&own.date()).filter(holds);
        let (date, day) = named.or_else(|| days.iter().find(holds))?;
        day.again(&day::file_of(&self.own, *date), own, self.whose())
    }

    /// What contracts are on at a moment of the symbol's clock, for the price of the shares: of adjusted ones
    /// what they deliver, for each unit of their price.
    pub fn worth(&self, own: Moment, spot: Price) -> Price {
        let (all, multiplier) = &self.delivers;
        let held = all.iter().rev().find(|(from, _)| *from <= own.date());
        held.map_or(spot, |(_, d)| d.worth(spot, *multiplier))
    }

    /// The last moment of the market's clock.
    pub fn newest(&self) -> Option<Moment> {
        let days = self.days();
        let last = days.values().filter_map(|d| d.moments.last_key_value());
        let last = last.map(|(at, _)| *at).max()?;
        Some(self.on_market(Moment::from_millis(last)))
    }

    /// Every moment that is known.
    pub fn known(&self) -> Vec<MomentKnown> {
        let days = self.days();
        let all = days.values().flat_map(|d| &d.moments);
        all.map(|(at, place)| MomentKnown {
            at: self.on_market(Moment::from_millis(*at)),
            spot: self.worth(Moment::from_millis(*at), Price::from_raw(place.spot)),
            money: place.money.as_ref().map(|all| {
                let one = |(ends, vol): &(i64, f64)| AtTheMoney {
                    ends: Moment::from_millis(*ends),
                    vol: *vol,
                };
                all.iter().map(one).collect()
            }),
        })
        .collect()
    }

    /// When a moment was that was read last of a file, on the market's clock.
    pub fn when(&self, seen: &LastSeen) -> Moment {
        self.on_market(seen.at)
    }

    /// Keeps what a moment says at the money.
    pub fn keep_money(&self, seen: &LastSeen, money: &[AtTheMoney]) {
        let mut days = self.days_mut();
        let place = days
            .get_mut(&seen.date)
            .and_then(|d| d.moments.get_mut(&seen.at.millis()));
        if let Some(place) = place {
            place.money = Some(money.iter().map(|m| (m.ends.millis(), m.vol)).collect());
        }
    }

    /// Writes the places down. Where that cannot be done the files are read anew at the next start.
    pub fn write_index(&self) {
        let index = Index {
            form: FORM,
            told: self.told,
            days: self.days().clone(),
        };
        let half = self.own.join(".index.half");
        let written = serde_json::to_vec(&index)
            .map_err(std::io::Error::other)
            .and_then(|text| std::fs::write(&half, text))
            .and_then(|()| std::fs::rename(&half, self.own.join(INDEX)));
        if let Err(e) = written {
            let half = half.display();
            tracing::warn!("{half}: {e}; day files are read anew at the next start");
        }
    }
}
