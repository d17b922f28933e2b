//! What was seen of an underlying, moment by moment: it may grow while it is read, and need not
//! fit into memory.
//!
//! Of each moment the price of the underlying is always known; the contracts seen at it are read
//! again from wherever they are kept when they are asked for, and forgotten when others were asked
//! for since. What a reader was given stays as it is.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, RwLock, RwLockReadGuard, RwLockWriteGuard};

use desk::calendar::{close_of, is_session, open_of};
use desk::{Contract, Moment, Price, Quote};
use jiff::civil::Date;

use crate::market_data::Bar;
use crate::source::Announced;

/// What was seen of one contract.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    /// Its bid, ask, sizes and what was traded.
    pub quote: Quote,
    /// The last trade.
    pub last: Option<Price>,
}

/// Everything seen at one moment.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sight {
    /// Price of the underlying.
    pub spot: Price,
    /// Markets by contract.
    pub contracts: BTreeMap<Contract, Seen>,
}

/// An expiration at a moment: when it ends, and the volatility a year at the strike nearest to the
/// price.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AtTheMoney {
    /// The moment at which its options end.
    pub ends: Moment,
    /// Volatility a year.
    pub vol: f64,
}

/// A moment that can be read.
#[derive(Debug, Clone, PartialEq)]
pub struct MomentKnown {
    /// The moment at which it was seen.
    pub at: Moment,
    /// Price of the underlying.
    pub spot: Price,
    /// What its contracts said at the money, where that was worked out.
    pub money: Option<Arc<[AtTheMoney]>>,
}

/// Reads again what was seen at a moment; nothing where it cannot be read any more.
pub type Reader = dyn Fn(Moment) -> Option<Sight> + Send + Sync;

/// Contracts of all tapes together that are kept in memory before those asked for longest ago are forgotten:
/// some 200 MB.
const KEPT: usize = 1_200_000;
/// So many of them each tape may keep whatever others do: some moments of a large chain.
const ALWAYS: usize = 10_000;

/// Contracts in memory, of all tapes that can read them again.
static HELD: AtomicUsize = AtomicUsize::new(0);

/// What is remembered of one moment.
struct Kept {
    /// The price that is relied on.
    spot: Price,
    /// The price that came with it, where that is not relied on.
    doubted: Option<Price>,
    sight: Option<Arc<Sight>>,
    /// When it was asked for last, by a count of askings.
    asked: AtomicU64,
    money: Option<Arc<[AtTheMoney]>>,
}

#[derive(Default)]
struct Inner {
    /// Sessions as files tell them.
    told: BTreeMap<Date, Bar>,
    /// Every session, ascending: as told, or as its moments show it where nothing is told.
    bars: Vec<Bar>,
    /// What is told of dates ahead and behind; nothing where nothing is.
    events: Option<Arc<[Announced]>>,
    moments: BTreeMap<Moment, Kept>,
    /// Contracts in memory.
    held: usize,
}

/// What was seen, by moment.
#[derive(Default)]
pub struct Tape {
    inner: RwLock<Inner>,
    asked: AtomicU64,
    /// Counts moments to which more has come after they were known.
    again: AtomicU64,
    reader: Option<Box<Reader>>,
}

impl std::fmt::Debug for Tape {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let inner = self.read();
        write!(f, "Tape of {} moments", inner.moments.len())
    }
}

impl Tape {
    /// All of it in memory.
    pub fn of(bars: Vec<Bar>, sights: BTreeMap<Moment, Sight>) -> Tape {
        let tape = Tape::default();
        tape.set_bars(bars);
        for (at, sight) in sights {
            tape.add(at, sight, None);
        }
        tape
    }

    /// Of moments that a reader can read again: price, and where it is known already what the
    /// contracts said at the money.
    pub fn read_by(
        bars: Vec<Bar>,
        moments: impl IntoIterator<Item = MomentKnown>,
        reader: Box<Reader>,
    ) -> Tape {
        let moments = moments.into_iter().map(|known| {
            let kept = Kept {
                spot: known.spot,
                doubted: None,
                sight: None,
                asked: AtomicU64::new(0),
                money: known.money,
            };
            (known.at, kept)
        });
        let tape = Tape {
            inner: RwLock::new(Inner {
                moments: moments.collect(),
                ..Inner::default()
            }),
            asked: AtomicU64::new(0),
            again: AtomicU64::new(0),
            reader: Some(reader),
        };
        tape.set_bars(bars);
        tape
    }

    // A reader that panicked has changed nothing.
    fn read(&self) -> RwLockReadGuard<'_, Inner> {
        self.inner.read().unwrap_or_else(|e| e.into_inner())
    }

    fn write(&self) -> RwLockWriteGuard<'_, Inner> {
        self.inner.write().unwrap_or_else(|e| e.into_inner())
    }

    /// Adds what was seen at a moment; of one that is known already it takes the place. Where the price
    /// that came with it is not relied on, `relied` stands for it.
    pub fn add(&self, at: Moment, sight: Sight, relied: Option<Price>) {
        let turn = self.asked.fetch_add(1, Ordering::Relaxed);
        let mut inner = self.write();
        let more = sight.contracts.len();
        let kept = Kept {
            spot: relied.unwrap_or(sight.spot),
            doubted: relied.map(|_| sight.spot),
            sight: Some(Arc::new(Sight {
                spot: relied.unwrap_or(sight.spot),
                ..sight
            })),
            asked: AtomicU64::new(turn),
            money: None,
        };
        let before = inner.moments.insert(at, kept);
        if before.is_some() {
            self.again.fetch_add(1, Ordering::Relaxed);
        }
        let less = before
            .and_then(|k| k.sight)
            .map_or(0, |s| s.contracts.len());
        self.holds(&mut inner, more, less);
        inner.see(at.date());
        self.make_room(&mut inner, at);
    }

    /// Lets another price stand for the one that came at a moment.
    pub fn rely(&self, at: Moment, relied: Price) {
        let mut inner = self.write();
        if let Some(kept) = inner.moments.get_mut(&at) {
            kept.doubted = Some(kept.spot);
            kept.spot = relied;
            let sight = kept.sight.take();
            kept.sight = sight.map(|s| {
                Arc::new(Sight {
                    spot: relied,
                    ..Sight::clone(&s)
                })
            });
        }
        inner.see(at.date());
    }

    /// The price that came with the moment that stands at another, where it is not relied on.
    pub fn doubted(&self, at: Moment) -> Option<Price> {
        let inner = self.read();
        inner.moments.range(..=at).next_back()?.1.doubted
    }

    /// Puts other dated events in place.
    pub fn set_events(&self, events: Option<Vec<Announced>>) {
        self.write().events = events.map(Arc::from);
        self.again.fetch_add(1, Ordering::Relaxed);
    }

    /// Dated events, ascending; nothing where none are told.
    pub(crate) fn events(&self) -> Option<Arc<[Announced]>> {
        self.read().events.clone()
    }

    /// Counts contracts that came into memory and went out of it.
    fn holds(&self, inner: &mut Inner, more: usize, less: usize) {
        inner.held = inner.held + more - less;
        // What cannot be read again is not forgotten for the sake of others.
        if self.reader.is_some() {
            HELD.fetch_add(more, Ordering::Relaxed);
            HELD.fetch_sub(less, Ordering::Relaxed);
        }
    }

    /// Puts other bars in place. Sessions without one are as their moments show them.
    pub fn set_bars(&self, bars: Vec<Bar>) {
        let mut inner = self.write();
        inner.told = bars.into_iter().map(|b| (b.date, b)).collect();
        inner.bars = inner.told.values().copied().collect();
        let mut days: Vec<Date> = inner.moments.keys().map(|at| at.date()).collect();
        days.dedup();
        for day in days {
            inner.see(day);
        }
    }

    /// The bar of a session as a file tells it.
    pub(crate) fn told_bar(&self, day: Date) -> Option<Bar> {
        self.read().told.get(&day).copied()
    }

    /// The last bar that a file tells of a session up to a date.
    pub(crate) fn told_until(&self, day: Date) -> Option<Bar> {
        let inner = self.read();
        inner.told.range(..=day).next_back().map(|(_, bar)| *bar)
    }

    /// Forgets contracts asked for longest ago, where the reader can read them again; never those of
    /// `but`.
    fn make_room(&self, inner: &mut Inner, but: Moment) {
        let over = HELD.load(Ordering::Relaxed) > KEPT && inner.held > ALWAYS;
        if !over || self.reader.is_none() {
            return;
        }
        let mut all: Vec<(u64, Moment)> = inner
            .moments
            .iter()
            .filter(|(at, kept)| kept.sight.is_some() && **at != but)
            .map(|(at, kept)| (kept.asked.load(Ordering::Relaxed), *at))
            .collect();
        all.sort_unstable();
        // A quarter is freed at once, so that this is done rarely.
        let least = (inner.held / 4 * 3).max(ALWAYS);
        for (_, at) in all {
            if inner.held <= least {
                return;
            }
            if let Some(sight) = inner.moments.get_mut(&at).and_then(|k| k.sight.take()) {
                self.holds(inner, 0, sight.contracts.len());
            }
        }
    }

    /// The bars of all sessions, ascending.
    pub fn bars(&self) -> Vec<Bar> {
        self.read().bars.clone()
    }

    /// What `take` makes of the bars.
    pub(crate) fn with_bars<T>(&self, take: impl FnOnce(&[Bar]) -> T) -> T {
        take(&self.read().bars)
    }

    /// A number that changes when more has come to a moment that was known.
    pub(crate) fn again(&self) -> u64 {
        self.again.load(Ordering::Relaxed)
    }

    /// The moment that stands at another, and the price of the underlying.
    pub fn standing(&self, at: Moment) -> Option<(Moment, Price)> {
        let inner = self.read();
        let (moment, kept) = inner.moments.range(..=at).next_back()?;
        Some((*moment, kept.spot))
    }

    /// Moments and prices over `[from, to]`.
    pub fn between(&self, from: Moment, to: Moment) -> Vec<(Moment, Price)> {
        if from > to {
            return Vec::new();
        }
        let inner = self.read();
        let range = inner.moments.range(from..=to);
        range.map(|(at, kept)| (*at, kept.spot)).collect()
    }

    /// The first moment after another.
    pub fn next_after(&self, at: Moment) -> Option<Moment> {
        let inner = self.read();
        let mut after = inner.moments.range(at.plus_millis(1)..);
        after.next().map(|(moment, _)| *moment)
    }

    /// The first and the last moment.
    pub fn span(&self) -> Option<(Moment, Moment)> {
        let inner = self.read();
        let (first, _) = inner.moments.first_key_value()?;
        let (last, _) = inner.moments.last_key_value()?;
        Some((*first, *last))
    }

    /// How many moments there are.
    pub fn len(&self) -> usize {
        self.read().moments.len()
    }

    /// Whether nothing was seen.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// What was seen at the moment that stands at another.
    pub fn sight(&self, at: Moment) -> Option<(Moment, Arc<Sight>)> {
        let turn = self.asked.fetch_add(1, Ordering::Relaxed);
        let moment = {
            let inner = self.read();
            let (moment, kept) = inner.moments.range(..=at).next_back()?;
            if let Some(sight) = &kept.sight {
                kept.asked.store(turn, Ordering::Relaxed);
                return Some((*moment, Arc::clone(sight)));
            }
            *moment
        };
        let read = (self.reader.as_ref()?)(moment)?;
        let mut inner = self.write();
        let spot = inner.moments.get(&moment).map_or(read.spot, |k| k.spot);
        let sight = Arc::new(Sight { spot, ..read });
        if let Some(kept) = inner.moments.get_mut(&moment) {
            kept.asked.store(turn, Ordering::Relaxed);
            // Another may have read it meanwhile.
            if kept.sight.is_none() {
                kept.sight = Some(Arc::clone(&sight));
                self.holds(&mut inner, sight.contracts.len(), 0);
            }
        }
        self.make_room(&mut inner, moment);
        Some((moment, sight))
    }

    /// What a moment's contracts say at the money, if it was worked out.
    pub(crate) fn money(&self, moment: Moment) -> Option<Arc<[AtTheMoney]>> {
        self.read().moments.get(&moment)?.money.clone()
    }

    /// Keeps what a moment's contracts say at the money.
    pub fn keep_money(&self, moment: Moment, money: Arc<[AtTheMoney]>) {
        if let Some(kept) = self.write().moments.get_mut(&moment) {
            kept.money = Some(money);
        }
    }
}

impl Inner {
    /// Works the bar of a day out anew from its moments, where no file tells it.
    fn see(&mut self, day: Date) {
        if self.told.contains_key(&day) || !is_session(day) {
            return;
        }
        let span = open_of(day)..=close_of(day);
        let mut prices = self.moments.range(span).map(|(_, kept)| kept.spot);
        let Some(open) = prices.next() else { return };
        let first = Bar {
            date: day,
            open,
            high: open,
            low: open,
            close: open,
            volume: 0,
        };
        let bar = prices.fold(first, |bar, price| Bar {
            high: bar.high.max(price),
            low: bar.low.min(price),
            close: price,
            ..bar
        });
        match self.bars.binary_search_by_key(&day, |b| b.date) {
            Ok(place) => self.bars[place] = bar,
            Err(place) => self.bars.insert(place, bar),
        }
    }
}

impl Drop for Tape {
    fn drop(&mut self) {
        if self.reader.is_some() {
            HELD.fetch_sub(self.read().held, Ordering::Relaxed);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    /// A sight of so many contracts, told apart by its price.
    fn sight(number: i64, contracts: i64) -> Sight {
        let quote = Quote {
            bid: Price::cents(100),
            ask: Price::cents(110),
            bid_size: Some(1),
            ask_size: Some(1),
            volume: None,
            open_interest: None,
        };
        let contract = |i: i64| Contract {
            root: "OWN".into(),
            expiry: date(2031, 4, 18),
            kind: desk::Kind::Call,
            strike: Price::cents(i + 1),
        };
        Sight {
            spot: Price::cents(number + 1),
            contracts: (0..contracts)
                .map(|i| (contract(i), Seen { quote, last: None }))
                .collect(),
        }
    }

    #[test]
    fn what_is_forgotten_is_read_again_and_memory_is_bounded() {
        let (moments, each) = (90, 20_000);
        let at = |i: i64| Moment::at(date(2031, 3, 11), 10, 0).plus_millis(i * 1_000);
        let reader = move |moment: Moment| {
            let number = (moment.millis() - at(0).millis()) / 1_000;
            Some(sight(number, each))
        };
        let known = (0..moments / 2).map(|i| MomentKnown {
            at: at(i),
            spot: Price::cents(i + 1),
            money: None,
        });
        let tape = Tape::read_by(Vec::new(), known, Box::new(reader));
        for i in moments / 2..moments {
            tape.add(at(i), sight(i, each), None);
        }
        for i in (0..moments).chain([3, 70, 3]) {
            let (moment, seen) = tape.sight(at(i).plus_millis(999)).unwrap();
            assert_eq!((moment, &*seen), (at(i), &sight(i, each)));
            assert!(HELD.load(Ordering::Relaxed) <= KEPT);
        }
        assert_eq!(tape.span(), Some((at(0), at(moments - 1))));
        assert_eq!(tape.standing(at(-1)), None);
        assert_eq!(tape.between(at(2), at(4)).len(), 3);
        let held = tape.read().held;
        drop(tape);
        assert!(held > 0 && HELD.load(Ordering::Relaxed) == 0);
        // Without a reader nothing is forgotten.
        let whole = Tape::of(
            Vec::new(),
            (0..moments).map(|i| (at(i), sight(i, each))).collect(),
        );
        assert_eq!(whole.read().held, (moments * each) as usize);
    }
}
