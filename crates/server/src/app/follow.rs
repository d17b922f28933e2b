//! The account on a market of one's own: what comes to the folder is taken in, and the clock goes to
//! the newest moment.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use std::time::{Duration, Instant};

use crate::app::handle::{DeskHandle, Way};
use crate::interchange::folder::{News, Opened};

/// The folder is looked at this often.
const EVERY: Duration = Duration::from_millis(20);

/// How the feed stands.
#[derive(Debug, Clone, Default)]
pub struct Standing {
    /// When something came last, by symbol; nothing has since the program began where it is absent.
    pub came: BTreeMap<String, Instant>,
}

/// An account's feed.
pub struct Feeding {
    /// The market whose files are followed.
    pub market: Arc<Opened>,
    standing: Mutex<Standing>,
    began: Instant,
}

impl Feeding {
    /// How it stands.
    pub fn standing(&self) -> Standing {
        let standing = self.standing.lock().unwrap_or_else(PoisonError::into_inner);
        standing.clone()
    }

    /// How long nothing has come.
    pub fn silence(&self) -> Duration {
        let standing = self.standing.lock().unwrap_or_else(PoisonError::into_inner);
        let last = standing.came.values().max();
        last.unwrap_or(&self.began).elapsed()
    }

    /// Whether anything has come since the program began.
    pub fn heard(&self) -> bool {
        let standing = self.standing.lock().unwrap_or_else(PoisonError::into_inner);
        !standing.came.is_empty()
    }
}

/// Begins to look at the folder, until the handle is dropped. The account's desk is taken to each new
/// moment.
pub fn follow(market: Arc<Opened>, desk: DeskHandle) -> Arc<Feeding> {
    let feeding = Arc::new(Feeding {
        market,
        standing: Mutex::default(),
        began: Instant::now(),
    });
    let watched = Arc::downgrade(&feeding);
    std::thread::spawn(move || watch(&watched, &desk));
    feeding
}

fn watch(feeding: &Weak<Feeding>, desk: &DeskHandle) {
    while let Some(feeding) = feeding.upgrade() {
        if !looked(&feeding, desk) {
            return;
        }
        drop(feeding);
        std::thread::sleep(EVERY);
    }
}

/// Takes in what has come and takes the desk there; false once its task has ended.
fn looked(feeding: &Feeding, desk: &DeskHandle) -> bool {
    let news = feeding.market.look();
    if !news.is_empty() {
        let now = Instant::now();
        let mut standing = feeding
            .standing
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        for of in &news {
            standing.came.insert(of.symbol.clone(), now);
        }
    }
    let state = desk.snapshot();
    let limit = Duration::from_millis(state.stale_after.unsigned_abs());
    // Without anything heard since the start what is there is as old as it is.
    let silent = !feeding.heard() || feeding.silence() > limit;
    if silent != state.silent && !desk.tell(move |engine| engine.fall_silent(silent)) {
        return false;
    }
    let now = state.clock.now;
    let to = feeding.market.last().unwrap_or(now);
    let moves = state.clock.running && to > now;
    if (moves || !news.is_empty()) && !desk.come_to(Way::from(to)) {
        return false;
    }
    // What came behind the clock is looked at as well.
    let behind = |n: &News| n.moments.first().is_some_and(|at| *at <= now);
    let late: Vec<String> = news.into_iter().filter(behind).map(|n| n.symbol).collect();
    late.is_empty()
        || desk.tell(move |engine| {
            if let Err(e) = engine.look_again(&late) {
                tracing::error!("orders could not be looked at: {e}");
            }
        })
}
