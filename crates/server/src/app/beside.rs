//! Drills that are kept beside the account: nothing is sent for them. What they would do is a function of
//! the market since they were set beside it, worked out anew whenever it is asked for; a bell rings where
//! they enter, adjust or leave.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::is_session;
use desk::{Holding, Moment, Occurrence};
use engine::State;
use plans::drill::Drill;
use serde::{Deserialize, Serialize};
use studies::drills::{Action, CycleDone, DrillError, DrillGround, Played, Watching, Why, play};

use crate::app::handle::DeskHandle;
use crate::interchange::drill::DrillText;

/// What a kept drill is kept as, and what says that one stands beside the account.
pub const DRILL: &str = "drill";
pub const BESIDE: &str = "beside";
/// What the tag of a trade begins with that follows a drill.
pub const TAG: &str = "drill ";

/// Since when a drill stands beside the account.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
pub struct Since {
    /// The moment from which it is followed, in milliseconds.
    pub since: i64,
}

/// A drill beside the account.
#[derive(Debug, Clone)]
pub struct Beside {
    /// The name of the drill.
    pub name: String,
    /// The moment from which it is followed.
    pub since: Moment,
    /// The drill, from then on.
    pub drill: Drill,
}

/// The drills that stand beside an account; one that is kept no more, or cannot be read, does not.
pub fn beside(state: &State) -> Vec<Beside> {
    let one = |(slot, body): (&String, &String)| {
        let name = slot.strip_prefix(BESIDE)?.strip_prefix('/')?;
        let since: Since = serde_json::from_str(body).ok()?;
        let text = state.drafts.get(&format!("{DRILL}/{name}"))?;
        let text: DrillText = serde_json::from_str(text).ok()?;
        let since = Moment::from_millis(since.since);
        let mut drill = text.drill().ok()?;
        drill.from = since.date();
        drill.to = jiff::civil::Date::MAX;
        Some(Beside {
            name: name.to_owned(),
            since,
            drill,
        })
    };
    state.drafts.iter().filter_map(one).collect()
}

/// Something that a drill did at a look, and what it held before and after.
#[derive(Debug, Clone)]
pub struct Deed {
    /// The moment of the deed.
    pub at: Moment,
    /// Which of its cycles.
    pub cycle: usize,
    /// What the drill did.
    pub action: Action,
    /// What it held before.
    pub before: Holding,
    /// What it held after.
    pub after: Holding,
}

/// What a drill would have done since it was set beside the account.
#[derive(Debug, Clone)]
pub struct Lived {
    /// Its cycles; those that are open were marked at the moment of the state.
    pub played: Played,
    /// What it did, in its order.
    pub deeds: Vec<Deed>,
}

/// Whether a cycle of such a drill is open still.
pub fn is_open(c: &CycleDone) -> bool {
    c.why == Why::To
}

/// What a drill would have done up to the moment of a state.
///
/// # Errors
/// Its symbol is not known here.
pub fn lived(state: &State, b: &Beside) -> Result<Lived, DrillError> {
    let now = state.clock.now;
    let drill = Drill {
        to: now.date(),
        ..b.drill.clone()
    };
    let ground = match DrillGround::new(&state.world, &drill, now) {
        Ok(ground) => ground,
        // No look has come yet.
        Err(DrillError::NoLooks { .. }) => {
            return Ok(Lived {
                played: Played { cycles: Vec::new() },
                deeds: Vec::new(),
            });
        }
        Err(e) => return Err(e),
    };
    let ground = ground.open_ended(b.since, now);
    let played = play(&ground, Watching::NOBODY)?;
    let mut deeds: Vec<Deed> = Vec::new();
    for (i, c) in played.done().enumerate() {
        let mut before = Holding::default();
        for row in &c.looks {
            let last = row.at == c.left;
            let after = if last && row.action != Action::Enter {
                Holding::default()
            } else {
                row.legs.clone()
            };
            let done = !matches!(row.action, Action::Hold | Action::End | Action::Assigned);
            // What is marked now has not been left.
            if done && !(last && is_open(c)) {
                deeds.push(Deed {
                    at: row.at,
                    cycle: i + 1,
                    action: row.action,
                    before: before.clone(),
                    after: after.clone(),
                });
            }
            before = after;
        }
    }
    deeds.sort_by_key(|d| (d.at, d.cycle));
    Ok(Lived { played, deeds })
}

/// Whether a drill looks between two moments, the first one excluded.
fn looks_between(drill: &Drill, after: Moment, to: Moment) -> bool {
    let minutes = drill.minutes();
    let days = std::iter::successors(Some(after.date()), |d| d.tomorrow().ok());
    days.take_while(|d| *d <= to.date())
        .filter(|d| is_session(*d))
        .any(|d| {
            let mut looks = minutes.iter().map(|m| Moment::at(d, 0, *m));
            looks.any(|at| at > after && at <= to)
        })
}

/// Rings for what the drills beside an account do as its time passes, until its desk ends.
pub async fn watch(desk: DeskHandle) {
    let mut snapshots = desk.subscribe();
    let mut seen = desk.snapshot().clock.now;
    let mut known: (usize, Vec<Beside>) = (0, Vec::new());
    while snapshots.changed().await.is_ok() {
        let state = snapshots.borrow_and_update().clone();
        let (before, now) = (seen, state.clock.now);
        seen = now;
        // The drafts are shared until one of them changes.
        let mark = Arc::as_ptr(&state.drafts) as usize;
        if known.0 != mark {
            known = (mark, beside(&state));
        }
        let due = |b: &&Beside| looks_between(&b.drill, before, now);
        let due: Vec<Beside> = known.1.iter().filter(due).cloned().collect();
        if now <= before || due.is_empty() {
            continue;
        }
        let told = tokio::task::spawn_blocking(move || {
            let mut told: BTreeMap<(Moment, String), String> = BTreeMap::new();
            for b in &due {
                let Ok(lived) = lived(&state, b) else {
                    continue;
                };
                for d in lived.deeds.iter().filter(|d| d.at > before) {
                    let what = match d.action {
                        Action::Enter => "would enter",
                        Action::Leave => "would leave",
                        _ => "would adjust",
                    };
                    let at = d.at.to_string();
                    let time = at.get(11..16).unwrap_or_default();
                    let says = format!("drill “{}” {what} on {} at {time}", b.name, d.at.date());
                    told.insert((d.at, format!("{}{}", b.name, d.cycle)), says);
                }
            }
            told
        });
        for says in told.await.unwrap_or_default().into_values() {
            // A desk that has ended rings no more.
            let _ = desk
                .call(move |engine| engine.ring(Occurrence::Rule, says))
                .await;
        }
    }
}
