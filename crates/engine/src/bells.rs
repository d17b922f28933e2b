//! Bells: set, rung by prices and by what happens, answered.

use std::sync::Arc;

use desk::calendar::{is_open, next_open};
use desk::{Bell, BellSide, Fact, Listens, Moment, Occurrence, Order, Price, PriceStyle, Request};
use market::Quoter;
use market::exchange::{self, DRAW_EVERY};

use crate::engine::A_MINUTE;
use crate::engine::Engine;
use crate::judging::figure_now;
use crate::money::deficit;
use crate::refusal::Refusal;
use crate::state::{State, underlying_of};

/// Bells of what happened that are kept; older ones make room.
const KEPT: usize = 200;

/// Adds a bell that rings at once.
pub(crate) fn tell(
    bells: &mut Arc<Vec<Arc<Bell>>>,
    what: Occurrence,
    at: Moment,
    says: String,
    facts: &mut Vec<Fact>,
) {
    let bell = Bell {
        rung: Some((at, says)),
        ..Bell::on(next_number(bells), at, Listens::Told(what))
    };
    add(bells, bell, facts);
}

/// The number of the next bell.
fn next_number(bells: &[Arc<Bell>]) -> u64 {
    bells.last().map_or(1, |b| b.id + 1)
}

/// Adds a bell that a rule rang for a campaign or the account.
pub(crate) fn tell_of_rule(
    bells: &mut Arc<Vec<Arc<Bell>>>,
    (rule, campaign): (u64, Option<u64>),
    at: Moment,
    says: String,
    facts: &mut Vec<Fact>,
) {
    let bell = Bell {
        rung: Some((at, says)),
        rule: Some(rule),
        campaign,
        ..Bell::on(next_number(bells), at, Listens::Told(Occurrence::Rule))
    };
    add(bells, bell, facts);
}

/// Bells whose last date is behind are taken away.
pub(crate) fn end_bells(next: &mut State, facts: &mut Vec<Fact>) {
    let today = next.clock.now.date();
    let over = |b: &Arc<Bell>| b.is_set() && b.until.is_some_and(|until| until < today);
    if next.bells.iter().any(over) {
        let all = Arc::make_mut(&mut next.bells);
        all.retain_mut(|b| {
            if !over(b) {
                return true;
            }
            if !b.unanswered() {
                facts.push(Fact::BellGone(b.id));
                return false;
            }
            // What it rang stands until it is answered; it only listens no more.
            let bell = Arc::make_mut(b);
            bell.again = None;
            facts.push(Fact::Bell(bell.clone()));
            true
        });
    }
}

fn add(bells: &mut Arc<Vec<Arc<Bell>>>, bell: Bell, facts: &mut Vec<Fact>) {
    facts.push(Fact::Bell(bell.clone()));
    let all = Arc::make_mut(bells);
    all.push(Arc::new(bell));
    let told = |b: &Bell| matches!(b.listens, Listens::Told(_));
    if all.iter().filter(|b| told(b)).count() > KEPT
        && let Some(oldest) = all.iter().position(|b| told(b))
    {
        facts.push(Fact::BellGone(all.remove(oldest).id));
    }
}

/// What a bell listens to, in words: "NMOU at or above 190".
pub fn listens_words(listens: &Listens, style: PriceStyle) -> String {
    match listens {
        Listens::Price {
            symbol,
            unit: None,
            side,
            level,
        } => {
            format!(
                "{symbol} at or {} {}",
                if *side == BellSide::Above {
                    "above"
                } else {
                    "below"
                },
                style.write(*level)
            )
        }
        Listens::Price {
            symbol,
            unit: Some(unit),
            side,
            level,
        } => {
            // A package that pays more has a lower price: the words follow the amount.
            let credit = *level < Price::ZERO;
            let more = (*side == BellSide::Above) != credit;
            let what = if unit.legs().len() == 1 {
                unit.legs()[0].instrument.label()
            } else {
                unit.strikes_label()
            };
            let (word, amount) = (
                if credit { "credit" } else { "debit" },
                style.write(level.abs()),
            );
            format!(
                "{symbol} {what}, middle at {amount} {word} or {}",
                if more { "more" } else { "less" }
            )
        }
        Listens::Figure { of, condition } => {
            let whose = match of {
                desk::Watched::Campaign(id) => format!("campaign {id}"),
                desk::Watched::Symbol(symbol) => symbol.clone(),
                desk::Watched::Account => "the account".into(),
            };
            let facts = condition.measure.facts();
            let limit = facts.unit.write(&condition.limit.to_string());
            let side = condition.side.word();
            format!("{whose}: {} at or {side} {limit}", facts.noun)
        }
        Listens::Told(Occurrence::Rule) => "a rule of yours".into(),
        Listens::Told(Occurrence::Fill) => "a fill".into(),
        Listens::Told(Occurrence::Refusal) => "a refusal".into(),
        Listens::Told(Occurrence::End) => "the end of an order".into(),
        Listens::Told(Occurrence::Deficit) => "a deficit".into(),
    }
}

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
    /// Rings what prices on the way from one moment to another make ring. An underlying is looked
    /// at when the exchange draws, a contract or a package every minute.
    pub(crate) fn listen_until(
        &mut self,
        next: &mut State,
        from: Moment,
        to: Moment,
        facts: &mut Vec<Fact>,
    ) {
        for i in 0..next.bells.len() {
            let bell = Arc::clone(&next.bells[i]);
            if !bell.is_set() {
                continue;
            }
            let every = match bell.listens {
                Listens::Price { unit: None, .. } => DRAW_EVERY,
                Listens::Price { unit: Some(_), .. } => A_MINUTE,
                Listens::Figure { .. } | Listens::Told(_) => continue,
            };
            let mut now = Bell::clone(&bell);
            let mut slot = from.millis().div_euclid(every) + 1;
            while slot * every <= to.millis() && now.is_set() {
                let at = Moment::from_millis(slot * every);
                if !is_open(at) {
                    slot = next_open(at).millis().div_euclid(every).max(slot + 1);
                    continue;
                }
                slot += 1;
                let Some(price) = heard(next, &mut self.quoter, &now.listens, at) else {
                    continue;
                };
                if now.spent {
                    now.spent = !now.is_back(price);
                } else if now.hears(price) {
                    let style = style_of(next, &now.listens);
                    let shown = match now.listens {
                        Listens::Price { unit: None, .. } => style.write(price),
                        _ => style.net(price),
                    };
                    let says = format!("{}: now {shown}", listens_words(&now.listens, style));
                    now = now.after_ringing(at, says);
                }
            }
            if now != *bell {
                facts.push(Fact::Bell(now.clone()));
                Arc::make_mut(&mut next.bells)[i] = Arc::new(now);
            }
        }
    }

    /// A bell that rings where the account needs more than it has; once until it is answered.
    pub(crate) fn deficit_bell(&mut self, next: &mut State) -> Option<Fact> {
        let ringing =
            |b: &Arc<Bell>| b.listens == Listens::Told(Occurrence::Deficit) && b.unanswered();
        if next.account.lots().is_empty() || next.bells.iter().any(ringing) {
            return None;
        }
        let short = deficit(next, &mut self.quoter)?;
        let says = format!(
            "the account is {} short: nothing is opened until that is mended; closing stays \
             possible",
            short.grouped()
        );
        let mut facts = Vec::new();
        tell(
            &mut next.bells,
            Occurrence::Deficit,
            next.clock.now,
            says,
            &mut facts,
        );
        facts.into_iter().next()
    }

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
            crate::trading::check_legs(state, symbol, unit)?;
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
        let at = next
            .bells
            .iter()
            .position(|b| b.id == id && b.is_set())
            .ok_or(Refusal::NoBell(id))?;
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
        let at = next
            .bells
            .iter()
            .position(|b| b.id == id && b.is_set())
            .ok_or(Refusal::NoBell(id))?;
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

/// The price that a bell hears at a moment.
fn heard(state: &State, quoter: &mut Quoter, listens: &Listens, at: Moment) -> Option<Price> {
    let Listens::Price { symbol, unit, .. } = listens else {
        return None;
    };
    let Some(unit) = unit else {
        return state.world.spot(symbol, at);
    };
    let past = unit.options().any(|(c, _)| {
        state
            .world
            .owner(c)
            .is_none_or(|u| u.expiry_moment(c) <= at)
    });
    let request = Request {
        client_id: String::new(),
        symbol: symbol.clone(),
        unit: unit.clone(),
        quantity: 1,
        pricing: desk::Pricing::Market,
        trigger: None,
        link: desk::Link::default(),
        time_in_force: desk::TimeInForce::Day,
        purpose: desk::Purpose::Open,
        closing: Vec::new(),
    };
    let asked = Order {
        id: 0,
        placed: at,
        request,
        events: Vec::new(),
    };
    let market = if past {
        None
    } else {
        exchange::market_of(&state.world, quoter, &asked, at)
    };
    market.map(|(m, _)| m.middle)
}

/// When a bell rang last; nothing where none has rung and stayed.
pub fn last_ring(state: &State) -> Option<Moment> {
    let rung = state.bells.iter().filter_map(|b| b.rung.as_ref());
    rung.map(|(at, _)| *at).max()
}

/// The next moment at which a bell can ring: every ten minutes of a session, and its opening.
pub fn next_look(at: Moment) -> Moment {
    if desk::calendar::is_open(at) {
        crate::judging::look_after(at)
    } else {
        desk::calendar::next_open(at)
    }
}

/// The price that a bell would hear now.
pub fn price_now(state: &State, listens: &Listens) -> Option<Price> {
    heard(state, &mut Quoter::new(), listens, state.clock.now)
}

/// How the prices that a bell listens to are written.
pub fn style_of(state: &State, listens: &Listens) -> PriceStyle {
    let Listens::Price { symbol, .. } = listens else {
        return PriceStyle::default();
    };
    state
        .world
        .underlying(symbol)
        .map(|u| u.style_of_price)
        .unwrap_or_default()
}
