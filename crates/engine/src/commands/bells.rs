//! Bells as the trader sets them, moves them, answers them and takes them away.

use std::sync::Arc;

use desk::{Bell, BellSide, Fact, Listens, Moment, Occurrence, Price};

use crate::bells::{heard, next_number, tell};
use crate::commands::trading::check_legs;
use crate::engine::Engine;
use crate::judging::figure_now;
use crate::refusal::Refusal;
use crate::state::{State, underlying_of};

/// A bell as it is asked for.
#[derive(Debug, Clone)]
pub struct Wanted {
    /// What it listens to.
    pub listens: Listens,
    /// It rings again once that has gone back by so much; absent: it rings once.
    pub again: Option<desk::Decimal>,
    /// The last date that it listens on.
    pub until: Option<jiff::civil::Date>,
    /// What the trader wants to read when it rings.
    pub note: String,
}

impl Wanted {
    /// Once, without an end or a note.
    pub fn once(listens: Listens) -> Wanted {
        Wanted {
            listens,
            again: None,
            until: None,
            note: String::new(),
        }
    }
}

/// The most characters that a note may have.
pub const MOST_NOTE: usize = 1_000;

/// Most bells that are set at once.
const MOST_BELLS: usize = 300;

impl Engine {
    /// Rings of something that happened.
    ///
    /// # Errors
    /// The books can only be read.
    pub fn ring(&mut self, what: Occurrence, says: String) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        tell(&mut next.bells, what, next.clock.now, says, &mut facts);
        self.commit(next, facts)
    }

    /// Sets a bell on a price or a figure.
    ///
    /// # Errors
    /// An unknown symbol, a leg that is not listed, a campaign that is not open, a figure that is
    /// not known, or a level on whose side it stands already.
    pub fn set_bell(&mut self, wanted: Wanted) -> Result<Bell, Refusal> {
        let state = self.state.clone();
        let now = state.clock.now;
        let set = state.bells.iter().filter(|b| b.is_set()).count();
        if set >= MOST_BELLS {
            return Err(Refusal::TooMany {
                what: "bells are set",
                most: MOST_BELLS,
                remedy: "take one away first",
            });
        }
        if let Some(until) = wanted.until.filter(|until| *until < now.date()) {
            return Err(Refusal::Field {
                field: "until",
                message: format!("{until} is behind; choose {} or a later date", now.date()),
            });
        }
        if wanted.again.is_some_and(|by| by < desk::Decimal::ZERO) {
            return Err(Refusal::Field {
                field: "again",
                message: "what it has to go back by is 0 or more".into(),
            });
        }
        if wanted.note.chars().count() > MOST_NOTE {
            return Err(Refusal::Field {
                field: "note",
                message: format!("write at most {MOST_NOTE} characters"),
            });
        }
        let stands = match &wanted.listens {
            Listens::Price { .. } => self.price_there(&state, &wanted.listens)?,
            Listens::Figure { of, condition } => {
                condition.check().map_err(|message| Refusal::Field {
                    field: "limit",
                    message,
                })?;
                match of {
                    desk::Watched::Campaign(id) => drop(crate::campaigns::open(&state, *id)?),
                    desk::Watched::Symbol(symbol) => drop(underlying_of(&state, symbol)?),
                    desk::Watched::Account => {}
                }
                let figure = figure_now(&state, &mut self.quoter, of, condition.measure);
                let figure = figure.ok_or_else(|| Refusal::Field {
                    field: "measure",
                    message: format!(
                        "{} is not known here; choose another figure",
                        condition.measure.facts().noun
                    ),
                })?;
                let unit = condition.measure.facts().unit;
                condition.rings(figure).then(|| figure.words(unit))
            }
            Listens::Told(_) => {
                return Err(Refusal::Field {
                    field: "listens",
                    message:
                        "only prices and figures are listened to by choice; the rest rings by \
                              itself"
                            .into(),
                });
            }
        };
        if let Some(stands) = stands {
            return Err(Refusal::Field {
                field: "level",
                message: format!("it stands at {stands} already; choose a level on its other side"),
            });
        }
        let mut next = state;
        let bell = Bell {
            again: wanted.again,
            until: wanted.until,
            note: wanted.note,
            ..Bell::on(next_number(&next.bells), now, wanted.listens)
        };
        Arc::make_mut(&mut next.bells).push(Arc::new(bell.clone()));
        self.commit(next, vec![Fact::Bell(bell.clone())])?;
        Ok(bell)
    }

    /// Where a price stands already on the side that would ring, as it is written.
    fn price_there(&mut self, state: &State, listens: &Listens) -> Result<Option<String>, Refusal> {
        let Listens::Price {
            symbol,
            unit,
            level,
            ..
        } = listens
        else {
            return Ok(None);
        };
        let style = underlying_of(state, symbol)?.style_of_price;
        if let Some(unit) = unit {
            check_legs(state, symbol, unit)?;
        } else if *level <= Price::ZERO {
            return Err(Refusal::Field {
                field: "level",
                message: format!("{level} is no price; write one above zero"),
            });
        }
        let test = Bell::on(0, state.clock.now, listens.clone());
        let now = heard(state, &mut self.quoter, listens, state.clock.now);
        Ok(now.filter(|p| test.hears(*p)).map(|price| {
            if unit.is_some() {
                style.net(price)
            } else {
                style.write(price)
            }
        }))
    }

    /// Lets bells that ring be silent until a moment; without a number all of them.
    ///
    /// # Errors
    /// There is no such bell, it does not ring, or the moment is behind.
    pub fn snooze_bells(&mut self, id: Option<u64>, until: Moment) -> Result<(), Refusal> {
        let now = self.state.clock.now;
        if until <= now {
            return Err(Refusal::Field {
                field: "until",
                message: format!("{until} is behind; choose a later moment"),
            });
        }
        self.change_bells(id, |b| {
            b.rings_at(now).then(|| Bell {
                snoozed: Some(until),
                ..b.clone()
            })
        })
    }

    /// Moves a bell that has not rung to another level; it rings once the price comes there from
    /// where it is now.
    ///
    /// # Errors
    /// There is no such bell on a price, it has rung, or the level is not right.
    pub fn move_bell(&mut self, id: u64, level: Price) -> Result<Bell, Refusal> {
        let mut next = self.state.clone();
        let at = place_of_set(&next, id)?;
        let old = Arc::clone(&next.bells[at]);
        let Listens::Price { symbol, unit, .. } = &old.listens else {
            return Err(Refusal::NoBell(id));
        };
        if unit.is_none() && level <= Price::ZERO {
            return Err(Refusal::Field {
                field: "level",
                message: format!("{level} is no price; write one above zero"),
            });
        }
        let now = heard(&next, &mut self.quoter, &old.listens, next.clock.now);
        if now == Some(level) {
            return Err(Refusal::Field {
                field: "level",
                message: "it stands there already; choose another level".into(),
            });
        }
        let side = if now.is_none_or(|now| level > now) {
            BellSide::Above
        } else {
            BellSide::Below
        };
        let moved = Bell {
            listens: Listens::Price {
                symbol: symbol.clone(),
                unit: unit.clone(),
                side,
                level,
            },
            ..Bell::clone(&old)
        };
        Arc::make_mut(&mut next.bells)[at] = Arc::new(moved.clone());
        self.commit(next, vec![Fact::Bell(moved.clone())])?;
        Ok(moved)
    }

    /// Answers bells that ring; without a number all of them.
    ///
    /// # Errors
    /// There is no such bell, or it does not ring.
    pub fn answer_bells(&mut self, id: Option<u64>) -> Result<(), Refusal> {
        self.change_bells(id, |b| {
            b.unanswered().then(|| Bell {
                answered: true,
                ..b.clone()
            })
        })
    }

    /// Takes away a bell that has not rung.
    ///
    /// # Errors
    /// There is no such bell, or it has rung.
    pub fn remove_bell(&mut self, id: u64) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let at = place_of_set(&next, id)?;
        Arc::make_mut(&mut next.bells).remove(at);
        self.commit(next, vec![Fact::BellGone(id)])
    }

    fn change_bells(
        &mut self,
        id: Option<u64>,
        change: impl Fn(&Bell) -> Option<Bell>,
    ) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        for bell in Arc::make_mut(&mut next.bells)
            .iter_mut()
            .filter(|b| id.is_none_or(|id| b.id == id))
        {
            if let Some(changed) = change(bell) {
                facts.push(Fact::Bell(changed.clone()));
                *bell = Arc::new(changed);
            }
        }
        match (facts.is_empty(), id) {
            (true, Some(id)) => Err(Refusal::NoBell(id)),
            (true, None) => Ok(()),
            _ => self.commit(next, facts),
        }
    }
}

/// Where a bell stands that has not rung.
fn place_of_set(state: &State, id: u64) -> Result<usize, Refusal> {
    let found = state.bells.iter().position(|b| b.id == id && b.is_set());
    found.ok_or(Refusal::NoBell(id))
}
