//! Answers: how a reason is answered, for how long the answer holds, and what else the trader says in
//! rounds.

use std::sync::Arc;

use desk::calendar::{is_open, next_session, open_of};
use desk::rounds::Reason;
use desk::{
    Answer, BellSide, Decision, Fact, Moment, OrderState, OwnDate, Price, Said, SaidOf, Until,
};
use jiff::civil::Date;

use super::Since;
use crate::commands::bells::MOST_NOTE;
use crate::engine::{Engine, LOOKED};
use crate::pace::look_after;
use crate::refusal::Refusal;
use crate::state::State;

/// Most dates of the trader's own.
const MOST_DATES: usize = 500;

/// The answer that was given to a reason and still holds.
pub(super) fn answer_to<'a>(
    state: &'a State,
    campaign: Option<u64>,
    r: &Since,
) -> Option<&'a Decision> {
    let key = r.reason.key();
    let given = state.decisions.iter().rev();
    let mut of_it = given.filter(|d| {
        let home = d.campaign.map(|id| state.account.home(id));
        // What closes a campaign answers everything that it asked then.
        let closes = d.answer == Answer::Close && !matches!(r.reason, Reason::Happened { .. });
        home == campaign && (d.reason == key || closes) && d.at >= r.not_before
    });
    // The newest answer counts.
    of_it.next().filter(|d| holds(state, d))
}

pub(super) fn is_answered(state: &State, campaign: Option<u64>, r: &Since) -> bool {
    answer_to(state, campaign, r).is_some()
}

/// Whether an answer holds still.
fn holds(state: &State, d: &Decision) -> bool {
    let now = state.clock.now;
    match d.answer {
        Answer::Noted | Answer::Exercise | Answer::DoNotExercise => true,
        Answer::LetBe(Until::Change) => true,
        Answer::LetBe(Until::Date(date)) => now < open_of(date),
        Answer::LetBe(Until::Price { side, level }) => {
            let symbol = d
                .campaign
                .and_then(|id| state.account.campaign(id))
                .map(|c| c.symbol.as_str());
            !symbol.is_some_and(|s| came_to(state, s, d.at, (side, level)))
        }
        // The order that closes it works, or has closed it.
        Answer::Close => d
            .order
            .and_then(|id| state.order(id).ok())
            .is_some_and(|o| o.state().is_open() || o.state() == OrderState::Filled),
    }
}

/// Whether a price has come to a level since a moment, looked at every ten minutes.
fn came_to(state: &State, symbol: &str, since: Moment, (side, level): (BellSide, Price)) -> bool {
    let there = |at: Moment| {
        let price = state.world.spot(symbol, at);
        price.is_some_and(|p| match side {
            BellSide::Above => p >= level,
            BellSide::Below => p <= level,
        })
    };
    let now = state.clock.now;
    let mut at = look_after(since);
    while at < now {
        if !is_open(at) {
            at = desk::calendar::next_open(at);
            continue;
        }
        if there(at) {
            return true;
        }
        at = look_after(at);
    }
    there(now)
}

/// An answer as it is given.
#[derive(Debug, Clone)]
pub struct Given {
    /// The campaign; absent for the account.
    pub campaign: Option<u64>,
    /// Key of the reason.
    pub reason: String,
    /// What the reason said.
    pub says: String,
    /// What the trader said to it.
    pub answer: Answer,
    /// The order that was sent for it.
    pub order: Option<u64>,
    /// What the trader wrote beside it.
    pub note: String,
}

impl Engine {
    /// Keeps an answer; one about exercise is done as well.
    ///
    /// # Errors
    /// There is no such campaign, a date or a price that is there already, a note that is too long,
    /// or the books can only be read.
    pub fn decide(&mut self, given: Given) -> Result<Decision, Refusal> {
        let now = self.state.clock.now;
        let wrong = |field, message: String| Err(Refusal::Field { field, message });
        if given.note.chars().count() > MOST_NOTE {
            return wrong("note", format!("write at most {MOST_NOTE} characters"));
        }
        let campaign = match given.campaign {
            None => None,
            Some(id) => {
                let found = self.state.account.campaign(id);
                Some(found.ok_or(Refusal::NoCampaign(id))?.clone())
            }
        };
        match given.answer {
            Answer::LetBe(Until::Date(date)) if open_of(date) <= now => {
                let next = next_session(now.date());
                return wrong(
                    "until",
                    format!("{date} is not ahead; choose {next} or later"),
                );
            }
            Answer::LetBe(Until::Price { side, level }) => {
                let Some(c) = &campaign else {
                    return wrong("until", "the account has no price; choose a date".into());
                };
                if came_to(&self.state, &c.symbol, now, (side, level)) {
                    return wrong(
                        "until",
                        format!(
                            "the price stands there already; choose a level on the other side of {level}"
                        ),
                    );
                }
            }
            _ => {}
        }
        if let Some(order) = given.order {
            self.state.order(order)?;
        }
        let contract = given.reason.strip_prefix("exercise:");
        let exercises = match given.answer {
            Answer::Exercise => Some(false),
            Answer::DoNotExercise => Some(true),
            _ => None,
        };
        let declines = match (exercises, contract) {
            (Some(declined), Some(contract)) => Some((contract.parse()?, declined)),
            (Some(_), None) => {
                return wrong(
                    "answer",
                    "this is no question of exercise; choose another answer".into(),
                );
            }
            (None, _) => None,
        };
        let decision = Decision {
            id: self.state.decisions.last().map_or(1, |d| d.id + 1),
            at: now,
            campaign: campaign.map(|c| c.id),
            reason: given.reason,
            says: given.says,
            answer: given.answer,
            order: given.order,
            note: given.note,
        };
        let exercise = |engine: &mut Engine| match declines {
            Some((contract, declined)) => engine.decline(contract, declined),
            None => Ok(()),
        };
        self.with_meaning(exercise, |engine, ()| {
            let mut next = engine.state.clone();
            Arc::make_mut(&mut next.decisions).push(decision.clone());
            engine.commit(next, vec![Fact::Decided(decision.clone())])?;
            Ok(decision)
        })
    }

    /// Rounds were gone through: what happened until now is read.
    ///
    /// # Errors
    /// The books can only be read.
    pub fn went_through(&mut self) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let now = next.clock.now;
        next.looked = Some(now);
        let fact = Fact::Setting(LOOKED.into(), now.millis().to_string());
        self.commit(next, vec![fact])
    }

    /// Notes something of a day.
    ///
    /// # Errors
    /// A note that is too long, or the books can only be read.
    pub fn note_day(&mut self, day: Date, note: String) -> Result<(), Refusal> {
        refuse_long(&note)?;
        let mut next = self.state.clone();
        let day = day.to_string();
        Arc::make_mut(&mut next.day_notes).insert(day.clone(), note.clone());
        self.commit(next, vec![Fact::DayNote(day, note)])
    }

    /// Notes why something was done: of an entry of the journal.
    ///
    /// # Errors
    /// There is no such entry, a note that is too long, or the books can only be read.
    pub fn note_entry(&mut self, entry: usize, note: String) -> Result<(), Refusal> {
        refuse_long(&note)?;
        if entry >= self.state.account.entries().len() {
            return Err(Refusal::Field {
                field: "entry",
                message: format!(
                    "the ledger has no such line; it has 1 to {}",
                    self.state.account.entries().len()
                ),
            });
        }
        let mut next = self.state.clone();
        Arc::make_mut(&mut next.entry_notes).insert(entry, note.clone());
        self.commit(next, vec![Fact::EntryNote(entry, note)])
    }

    /// Keeps what the trader says of an order, or of a campaign that is closed.
    ///
    /// # Errors
    /// There is no such order or closed campaign, or the books can only be read.
    pub fn say(&mut self, of: SaidOf, said: Said) -> Result<(), Refusal> {
        let known = match of {
            SaidOf::Order(id) => self.state.order(id).is_ok(),
            SaidOf::After(id) => {
                let found = self.state.account.campaigns().any(|c| c.id == id);
                found && self.state.account.lots_of(id).next().is_none()
            }
        };
        if !known {
            return Err(Refusal::Field {
                field: "of",
                message: match of {
                    SaidOf::Order(id) => format!("there is no order {id}"),
                    SaidOf::After(id) => format!("campaign {id} is not closed"),
                },
            });
        }
        let mut next = self.state.clone();
        Arc::make_mut(&mut next.said).insert(of, said.clone());
        self.commit(next, vec![Fact::Said(of, said)])
    }

    /// Adds a date of the trader's own.
    ///
    /// # Errors
    /// Nothing is said of it or too much, there is no such campaign, there are too many, or the
    /// books can only be read.
    pub fn add_date(&mut self, wanted: OwnDate) -> Result<OwnDate, Refusal> {
        let length = wanted.what.trim().chars().count();
        if !(1..=120).contains(&length) {
            return Err(Refusal::Field {
                field: "what",
                message: format!("{length} characters; write 1 to 120"),
            });
        }
        if self.state.own_dates.len() >= MOST_DATES {
            return Err(Refusal::TooMany {
                what: "dates are kept",
                most: MOST_DATES,
                remedy: "take one away first",
            });
        }
        if let Some(id) = wanted.campaign {
            let found = self.state.account.campaign(id);
            found.ok_or(Refusal::NoCampaign(id))?;
        }
        let mut next = self.state.clone();
        let own = OwnDate {
            id: next.own_dates.last().map_or(1, |d| d.id + 1),
            ..wanted
        };
        Arc::make_mut(&mut next.own_dates).push(own.clone());
        self.commit(next, vec![Fact::OwnDate(own.clone())])?;
        Ok(own)
    }

    /// Takes a date of the trader's own away.
    ///
    /// # Errors
    /// There is no such date, or the books can only be read.
    pub fn remove_date(&mut self, id: u64) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let all = Arc::make_mut(&mut next.own_dates);
        let place = all.iter().position(|d| d.id == id);
        all.remove(place.ok_or(Refusal::NoOwnDate(id))?);
        self.commit(next, vec![Fact::OwnDateGone(id)])
    }
}

fn refuse_long(note: &str) -> Result<(), Refusal> {
    if note.chars().count() <= MOST_NOTE {
        return Ok(());
    }
    Err(Refusal::Field {
        field: "note",
        message: format!("write at most {MOST_NOTE} characters"),
    })
}
