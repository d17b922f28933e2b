//! Bells as they ring by themselves: by prices on the way, by what happens, and when they end.

use std::sync::Arc;

use desk::calendar::{is_open, next_open};
use desk::{Bell, BellSide, Fact, Listens, Moment, Occurrence, Order, Price, PriceStyle, Request};
use market::Quoter;
use market::exchange::{self, DRAW_EVERY};

use crate::money::deficit;
use crate::pace::{A_MINUTE, look_after};
use crate::state::State;

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
pub(crate) fn next_number(bells: &[Arc<Bell>]) -> u64 {
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

/// Rings what prices on the way from one moment to another make ring. An underlying is looked
/// at when the exchange draws, a contract or a package every minute.
pub(crate) fn listen_until(
    next: &mut State,
    quoter: &mut Quoter,
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
            let Some(price) = heard(next, quoter, &now.listens, at) else {
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
pub(crate) fn deficit_bell(next: &mut State, quoter: &mut Quoter) -> Option<Fact> {
    let ringing = |b: &Arc<Bell>| b.listens == Listens::Told(Occurrence::Deficit) && b.unanswered();
    if next.account.lots().is_empty() || next.bells.iter().any(ringing) {
        return None;
    }
    let short = deficit(next, quoter)?;
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

/// The price that a bell hears at a moment.
pub(crate) fn heard(
    state: &State,
    quoter: &mut Quoter,
    listens: &Listens,
    at: Moment,
) -> Option<Price> {
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
        look_after(at)
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
