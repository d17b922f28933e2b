//! Bells: set, rung by prices and by what happens, answered.

use std::sync::Arc;

use desk::calendar::{is_open, next_open};
use desk::{
    Bell, BellSide, Fact, Listens, Moment, Money, Occurrence, Order, Price, PriceStyle, Request,
};
use market::exchange::{self, DRAW_EVERY};

use crate::engine::A_MINUTE;
use crate::engine::Engine;
use crate::money::buying_power;
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
    let id = bells.last().map_or(1, |b| b.id + 1);
    let bell = Bell {
        id,
        set: at,
        listens: Listens::Told(what),
        rung: Some((at, says)),
        answered: false,
    };
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
        Listens::Told(Occurrence::Fill) => "a fill".into(),
        Listens::Told(Occurrence::Refusal) => "a refusal".into(),
        Listens::Told(Occurrence::End) => "the end of an order".into(),
        Listens::Told(Occurrence::Deficit) => "a deficit".into(),
    }
}

/// Most bells that are set at once.
const MOST_BELLS: usize = 300;

impl Engine {
    /// The price that a bell hears at a moment.
    fn heard(&mut self, state: &State, listens: &Listens, at: Moment) -> Option<Price> {
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
            exchange::market_of(&state.world, &mut self.quoter, &asked, at)
        };
        market.map(|(m, _)| m.middle)
    }

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
            let every = if matches!(bell.listens, Listens::Price { unit: Some(_), .. }) {
                A_MINUTE
            } else {
                DRAW_EVERY
            };
            let mut slot = from.millis().div_euclid(every) + 1;
            while slot * every <= to.millis() {
                let at = Moment::from_millis(slot * every);
                if !is_open(at) {
                    slot = next_open(at).millis().div_euclid(every).max(slot + 1);
                    continue;
                }
                slot += 1;
                if let Some(price) = self
                    .heard(next, &bell.listens, at)
                    .filter(|p| bell.hears(*p))
                {
                    let style = style_of(next, &bell.listens);
                    let now = if matches!(bell.listens, Listens::Price { unit: None, .. }) {
                        style.write(price)
                    } else {
                        style.net(price)
                    };
                    let rung = Bell {
                        rung: Some((
                            at,
                            format!("{}: now {now}", listens_words(&bell.listens, style)),
                        )),
                        ..Bell::clone(&bell)
                    };
                    facts.push(Fact::Bell(rung.clone()));
                    Arc::make_mut(&mut next.bells)[i] = Arc::new(rung);
                    break;
                }
            }
        }
    }

    /// A bell that rings where the account needs more than it has; once until it is answered.
    pub(crate) fn deficit_bell(&mut self, next: &mut State) -> Option<Fact> {
        let ringing = |b: &Arc<Bell>| b.listens == Listens::Told(Occurrence::Deficit) && b.rings();
        if next.account.lots().is_empty() || next.bells.iter().any(ringing) {
            return None;
        }
        let free = buying_power(next, &mut self.quoter);
        if free >= Money::ZERO {
            return None;
        }
        let says = format!(
            "the account is {} short: nothing is opened until that is mended; closing stays \
             possible",
            (-free).grouped()
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
    pub(crate) fn ring(&mut self, what: Occurrence, says: String) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        tell(&mut next.bells, what, next.clock.now, says, &mut facts);
        self.commit(next, facts)
    }

    /// Sets a bell on a price.
    ///
    /// # Errors
    /// An unknown symbol, a leg that is not listed, or a level on whose side the price stands
    /// already.
    pub fn set_bell(&mut self, listens: Listens) -> Result<Bell, Refusal> {
        let Listens::Price {
            symbol,
            unit,
            level,
            ..
        } = &listens
        else {
            return Err(Refusal::Field {
                field: "listens",
                message: "only prices are listened to by choice; the rest rings by itself".into(),
            });
        };
        let underlying = underlying_of(&self.state, symbol)?;
        let style = underlying.style_of_price;
        if let Some(unit) = unit {
            crate::trading::check_legs(&self.state, symbol, unit)?;
        } else if *level <= Price::ZERO {
            return Err(Refusal::Field {
                field: "level",
                message: format!("{level} is no price; write one above zero"),
            });
        }
        let set = self.state.bells.iter().filter(|b| b.is_set()).count();
        if set >= MOST_BELLS {
            return Err(Refusal::TooMany {
                what: "bells are set",
                most: MOST_BELLS,
                remedy: "take one away first",
            });
        }
        let state = self.state.clone();
        let now = self.heard(&state, &listens, state.clock.now);
        let test = Bell {
            id: 0,
            set: state.clock.now,
            listens: listens.clone(),
            rung: None,
            answered: false,
        };
        if let Some(price) = now.filter(|p| test.hears(*p)) {
            let message = format!(
                "it stands at {} already; choose a level on its other side",
                if unit.is_some() {
                    style.net(price)
                } else {
                    style.write(price)
                }
            );
            return Err(Refusal::Field {
                field: "level",
                message,
            });
        }
        let mut next = state;
        let bell = Bell {
            id: next.bells.last().map_or(1, |b| b.id + 1),
            ..test
        };
        Arc::make_mut(&mut next.bells).push(Arc::new(bell.clone()));
        self.commit(next, vec![Fact::Bell(bell.clone())])?;
        Ok(bell)
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
        let now = self.heard(&next, &old.listens, next.clock.now);
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
            b.rings().then(|| Bell {
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
