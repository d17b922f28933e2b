//! All cycles of a drill: when each is entered, skipped or not, and their lives side by side.

use std::collections::BTreeSet;
use std::sync::atomic::{AtomicUsize, Ordering};

use desk::rules::{CampaignSeen, sessions_to};
use desk::{Decimal, Expiration, Moment, Money, Structure};
use jiff::civil::Date;
use market::Quoter;
use plans::drill::{CycleSeen, Every, Size};
use rayon::prelude::*;

use super::ground::{DrillError, DrillGround};
use super::life::{CycleDone, Entry, Life};

/// Why a cycle was not entered.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Skip {
    /// A condition did not hold, by its number.
    If(usize),
    /// A leg is not listed, or two meet.
    Legs,
    /// Not even one is within the limit of its size.
    Size,
}

impl std::fmt::Display for Skip {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Skip::If(n) => write!(f, "skipped {n}"),
            Skip::Legs => write!(f, "skipped legs"),
            Skip::Size => write!(f, "skipped size"),
        }
    }
}

/// A cycle, or what was skipped.
#[derive(Debug, Clone, PartialEq)]
pub enum Cycle {
    /// It was lived through.
    Done(Box<CycleDone>),
    /// It was not entered.
    Skipped {
        /// In which expiration.
        expiration: Date,
        /// At which look.
        at: Moment,
        /// Why no cycle began at this entry.
        why: Skip,
    },
}

/// A drill that was played.
#[derive(Debug, Clone, PartialEq)]
pub struct Played {
    /// In the order of their entries.
    pub cycles: Vec<Cycle>,
}

impl Played {
    /// Those that were lived through.
    pub fn done(&self) -> impl Iterator<Item = &CycleDone> {
        self.cycles.iter().filter_map(|c| match c {
            Cycle::Done(done) => Some(done.as_ref()),
            Cycle::Skipped { .. } => None,
        })
    }
}

/// Who follows a drill while it is played.
#[derive(Clone, Copy)]
pub struct Watching<'w> {
    /// It should stop.
    pub stopped: &'w (dyn Fn() -> bool + Sync),
    /// So many cycles are done.
    pub done: &'w (dyn Fn(usize) + Sync),
}

impl Watching<'_> {
    /// Nobody follows the play, and nobody stops it.
    pub const NOBODY: Watching<'static> = Watching {
        stopped: &|| false,
        done: &|_| {},
    };
}

/// What came of trying to enter.
enum Tried<'a, 'g> {
    Entered(Box<Life<'a, 'g>>, Option<f64>),
    Skipped(Skip),
}

/// One attempt at a look.
fn attempt<'a, 'g>(
    g: &'g DrillGround<'a>,
    quoter: &mut Quoter,
    look: usize,
    e: &Expiration,
) -> Tried<'a, 'g> {
    let at = g.looks[look];
    let enter = &g.drill.enter;
    let rank = std::cell::OnceCell::new();
    let needs = g.drill.needs().campaign;
    if !enter.conditions.is_empty() {
        let seen = g.seen(at);
        let carried = seen.carried(e);
        let campaign = CampaignSeen {
            campaign: 0,
            symbol: g.drill.symbol.clone(),
            structure: Structure::Other,
            opened: at,
            expiry: Some(e.date),
            profit: None,
            entry: Money::ZERO,
            max_profit: None,
            max_loss: None,
            account: g.drill.stake,
            spot: g.spot(at),
            to_sold: None,
            to_even: None,
            sold: Vec::new(),
            earnings: None,
            ex_date: None,
            vol: carried.and_then(|c| seen.at_the_money(e, &c)),
            vol_entry: None,
            rank: needs
                .rank
                .then(|| *rank.get_or_init(|| g.rank(at)))
                .flatten(),
            greeks: None,
        };
        let seen = CycleSeen {
            campaign,
            at,
            legs: &[],
            events: g.events(at),
        };
        if let Some(i) = enter.conditions.iter().position(|c| !c.holds(&seen)) {
            return Tried::Skipped(Skip::If(i + 1));
        }
    }
    let mut of = |size: i64| {
        let legs = g.build(quoter, e, at, size)?;
        let entry = Entry {
            look,
            expiration: e.clone(),
            legs,
            size,
        };
        Life::enter(g, quoter, &entry)
    };
    let first = match enter.size {
        Size::Times(n) => n,
        Size::PercentOfStake(_) => 1,
    };
    let Some(mut life) = of(first) else {
        return Tried::Skipped(Skip::Legs);
    };
    if let Size::PercentOfStake(percent) = enter.size {
        let most = life.most_to_lose().filter(|l| *l > Money::ZERO);
        let within = most.map(|l| times_within(g.drill.stake.unwrap_or_default(), percent, l));
        match within {
            None | Some(0) => return Tried::Skipped(Skip::Size),
            Some(1) => {}
            Some(n) => match of(n) {
                Some(larger) => life = larger,
                None => return Tried::Skipped(Skip::Legs),
            },
        }
    }
    Tried::Entered(Box::new(life), *rank.get_or_init(|| g.rank(at)))
}

/// How often a loss fits into so many percent of the stake.
fn times_within(stake: Money, percent: Decimal, loss: Money) -> i64 {
    let limit = i128::from(stake.raw()) * i128::from(percent.raw());
    let each = i128::from(loss.raw()) * 100 * i128::from(Decimal::SCALE);
    i64::try_from(limit / each).unwrap_or(0).min(100_000)
}

/// Plays a drill on its ground.
///
/// # Errors
/// It was stopped, or something that must be closed has no market.
pub fn play(g: &DrillGround<'_>, watching: Watching<'_>) -> Result<Played, DrillError> {
    let enter = &g.drill.enter;
    let last = g.looks.len() - 1;
    let mut quoter = Quoter::new();
    let mut begun: BTreeSet<(Date, bool)> = BTreeSet::new();
    let mut entered: Option<Date> = None;
    // Cycles in the order of their entries; those that live are lived through afterwards.
    let mut out: Vec<Cycle> = Vec::new();
    let mut living: Vec<(usize, usize, Box<Life<'_, '_>>, Option<f64>)> = Vec::new();
    let mut listed: (Date, Vec<Expiration>) = (Date::MIN, Vec::new());
    let mut free_from = Moment::from_millis(i64::MIN);
    let done = AtomicUsize::new(0);
    for look in 0..last {
        if (watching.stopped)() {
            return Err(DrillError::Stopped);
        }
        let at = g.looks[look];
        let due = match enter.every {
            Every::Expiration => true,
            Every::Free => at >= free_from,
            Every::Sessions(n) => entered.is_none_or(|d| sessions_to(d, at.date()) >= n),
        };
        if !due {
            continue;
        }
        if listed.0 != at.date() {
            listed = (at.date(), g.expirations(at));
        }
        let window = listed.1.iter().filter(|e| {
            let left = at.days_until(e.date);
            e.moment() > at && (enter.least..=enter.days).contains(&left)
        });
        for e in window {
            let once = (e.date, e.am_settled);
            if enter.every == Every::Expiration && !begun.insert(once) {
                continue;
            }
            match attempt(g, &mut quoter, look, e) {
                Tried::Skipped(why) => {
                    out.push(Cycle::Skipped {
                        expiration: e.date,
                        at,
                        why,
                    });
                }
                Tried::Entered(life, rank) => {
                    entered = Some(at.date());
                    if enter.every == Every::Free {
                        let mut one = life.live(&mut quoter, look, watching.stopped)?;
                        one.rank = rank;
                        free_from = one.left;
                        (watching.done)(done.fetch_add(1, Ordering::Relaxed) + 1);
                        out.push(Cycle::Done(Box::new(one)));
                    } else {
                        living.push((out.len(), look, life, rank));
                        // Its place, until it has been lived through.
                        out.push(Cycle::Skipped {
                            expiration: e.date,
                            at,
                            why: Skip::Legs,
                        });
                    }
                }
            }
            if enter.every != Every::Expiration {
                break;
            }
        }
    }
    let lived: Vec<(usize, CycleDone)> = living
        .into_par_iter()
        .map(|(place, look, life, rank)| {
            let mut one = life.live(&mut Quoter::new(), look, watching.stopped)?;
            one.rank = rank;
            (watching.done)(done.fetch_add(1, Ordering::Relaxed) + 1);
            Ok((place, one))
        })
        .collect::<Result<_, DrillError>>()?;
    for (place, one) in lived {
        out[place] = Cycle::Done(Box::new(one));
    }
    Ok(Played { cycles: out })
}
