//! The reasons: facts about what is held, what happened, what waits, and rules that have rung; and
//! since when each holds.

use std::sync::Arc;

use desk::calendar::{close_of, is_open, last_trading, open_of, previous_session};
use desk::rounds::{
    EVENT_SESSIONS, HEDGE_SESSIONS, LAST_SESSIONS, LITTLE_TICKS, Reason, WAITED_SESSIONS,
};
use desk::rules::{CampaignSeen, sessions_to};
use desk::{
    Ahead, Campaign, ChapterKind, Contract, EventKind, Kind, Moment, Money, Order, OrderState,
    Pricing, Purpose, TimeInForce, Underlying, short_date,
};
use market::{Quoter, exchange};

use super::answers::is_answered;
use super::{Asks, Since};
use crate::campaigns::ahead;
use crate::money::{buying_power, unvalued};
use crate::pace::{A_LOOK, look_after};
use crate::sight::at_moment;
use crate::state::State;

/// How many sessions are looked back through for when something began.
const LOOKED_BACK: usize = 15;

/// What a campaign asks for.
pub(super) fn campaign_reasons(
    state: &State,
    quoter: &mut Quoter,
    campaign: &Campaign,
    u: &Underlying,
    seen: Option<&CampaignSeen>,
    looked: Moment,
) -> Vec<Since> {
    let now = state.clock.now;
    let mut out = Vec::new();
    // What is held came about with the last chapter: nothing about it began before.
    let came_about = campaign.chapters.last().map_or(now, |c| c.at);
    for reason in facts_of(state, quoter, campaign, u) {
        let key = reason.key();
        let (since, not_before) = began(state, quoter, came_about, |then, quoter| {
            let same = |r: &Reason| r.key() == key;
            facts_of(then, quoter, campaign, u).iter().any(same)
        });
        out.push(Since {
            reason,
            since,
            not_before,
        });
    }
    let stands = state.standing.iter();
    for ((rule, _), s) in stands.filter(|((_, c), s)| *c == Some(campaign.id) && s.holds) {
        if let Some(found) = state.my_rules.iter().find(|r| r.id == *rule) {
            out.push(Since::exactly(
                Reason::Rule {
                    rule: *rule,
                    measure: found.condition.measure,
                    says: s.seen.clone(),
                    max_loss: seen.and_then(|s| s.max_loss),
                    ends: seen.and_then(|s| s.expiry),
                },
                s.since,
            ));
        }
    }
    out.extend(happened(state, campaign, looked));
    let held = state.account.holding_of(campaign.id);
    let missing = unvalued(state, quoter);
    for leg in held.legs() {
        if missing.contains(&leg.instrument) {
            out.push(Since::exactly(
                Reason::Unvalued {
                    label: leg.instrument.label(),
                },
                came_about,
            ));
        }
    }
    out
}

/// The facts about what a campaign holds, in the market of the state's moment.
fn facts_of(
    state: &State,
    quoter: &mut Quoter,
    campaign: &Campaign,
    u: &Underlying,
) -> Vec<Reason> {
    let (at, world) = (state.clock.now, &state.world);
    let held = state.account.holding_of(campaign.id);
    let sessions = |c: &Contract| sessions_to(at.date(), c.expiry);
    let mut out = Vec::new();
    for coming in ahead(state, quoter, campaign.id).unwrap_or_default() {
        let last = match &coming {
            Ahead::AtTheEnd { date, inside, .. } => {
                !inside.is_empty() && sessions_to(at.date(), *date) < LAST_SESSIONS
            }
            // What is needed in the last sessions is told by the assignment itself until then.
            _ => coming.presses(),
        };
        if last {
            out.push(Reason::Coming(coming));
        }
    }
    let sold = || held.options().filter(|(_, n)| *n < 0).map(|(c, _)| c);
    let reach = sold().map(|c| c.expiry).max();
    for event in world.events(&u.symbol, at, 40) {
        let inside = sold()
            .filter(|c| c.expiry >= event.date)
            .min_by_key(|c| c.expiry);
        let left = sessions_to(at.date(), event.date);
        if event.kind == EventKind::News
            && left <= EVENT_SESSIONS
            && reach.is_some_and(|last| event.date <= last)
            && let Some(contract) = inside
        {
            out.push(Reason::Event {
                what: event.what,
                date: event.date,
                sessions: left,
                contract: contract.clone(),
            });
        }
    }
    for (contract, quantity) in held.options() {
        let left = sessions(contract);
        if quantity < 0
            && let Some(price) = quoter.quote(world, contract, at).map(|l| l.quote.mark())
        {
            let tick = u.ticks.tick_at(price);
            let buying = quoter
                .quote(world, contract, at)
                .map_or(price, |l| l.quote.ask);
            if buying < tick * LITTLE_TICKS && left >= 1 {
                out.push(Reason::LittleLeft {
                    contract: contract.clone(),
                    price: buying,
                    left: buying.times(-quantity * u.multiplier),
                });
            }
        }
        if quantity > 0
            && left <= HEDGE_SESSIONS
            && let Some(covers) = hedged(&held, contract, u)
        {
            out.push(Reason::HedgeEnds {
                contract: contract.clone(),
                covers,
                sessions: left,
            });
        }
    }
    out
}

/// What stands without a bought option once that has ended: sold ones of its right that last longer, as far
/// as nothing else that lasts covers them, or the underlying that it protects.
fn hedged(held: &desk::Holding, bought: &Contract, u: &Underlying) -> Option<String> {
    let of_right = || held.options().filter(|(c, _)| c.kind == bought.kind);
    let count = |sold: bool, lasting: &dyn Fn(&Contract) -> bool| -> i64 {
        of_right()
            .filter(|(c, n)| (*n < 0) == sold && lasting(c))
            .map(|(_, n)| n.abs())
            .sum()
    };
    let own = held.underlying_quantity();
    let lots = match bought.kind {
        Kind::Call => (own / u.lot()).max(0),
        Kind::Put => (-own / u.lot()).max(0),
    };
    let later = of_right().find(|(c, n)| *n < 0 && c.expiry > bought.expiry);
    if let Some((sold, _)) = later {
        let open = count(true, &|c| c.expiry > bought.expiry);
        let covered = count(false, &|c| c.expiry > bought.expiry) + lots;
        let bare = open - covered;
        if bare > 0 {
            return Some(format!(
                "{bare} × the sold {}, {},",
                sold.label(),
                short_date(sold.expiry)
            ));
        }
    }
    let protects = own > 0 && bought.kind == Kind::Put || own < 0 && bought.kind == Kind::Call;
    let lasting = count(false, &|c| c.expiry > bought.expiry) * u.lot();
    let bare = own.abs() - lasting;
    (protects && bare > 0).then(|| u.kind.counted(bare))
}

/// Looks before a moment, the newest first: every ten minutes of its session, then closes and
/// openings.
fn looks_before(now: Moment) -> Vec<Moment> {
    let today = last_trading(now).date();
    let (mut out, open) = (Vec::new(), open_of(today));
    let mut at = close_of(today).min(now);
    while at > open {
        at = look_after(at.plus_millis(-1)).plus_millis(-A_LOOK);
        if at < now && at >= open {
            out.push(at);
        }
    }
    let mut day = today;
    for _ in 0..LOOKED_BACK {
        day = previous_session(day);
        out.extend([close_of(day), open_of(day)]);
    }
    out
}

/// Since when something holds, and the last look at which it did not: looked back for, no farther
/// than `least`.
fn began(
    state: &State,
    quoter: &mut Quoter,
    least: Moment,
    mut holds: impl FnMut(&State, &mut Quoter) -> bool,
) -> (Moment, Moment) {
    let mut since = state.clock.now;
    for at in looks_before(since) {
        let at = at.max(least);
        if at >= since {
            break;
        }
        if !holds(&at_moment(state, at), quoter) {
            return (since, at);
        }
        since = at;
    }
    (since, since)
}

/// What happened to a campaign by itself, or by an order that had waited, since a moment.
fn happened(state: &State, campaign: &Campaign, looked: Moment) -> Vec<Since> {
    let fresh = campaign.chapters.iter().filter(|c| c.at > looked);
    let told = fresh.filter(|c| match c.kind {
        ChapterKind::Exercised
        | ChapterKind::Assigned
        | ChapterKind::Settled
        | ChapterKind::Corrected
        | ChapterKind::Offset => true,
        ChapterKind::Opened
        | ChapterKind::Rolled
        | ChapterKind::Adjusted
        | ChapterKind::PartClosed
        | ChapterKind::Closed => {
            let order = c.order.and_then(|id| state.order(id).ok());
            order.is_some_and(|o| o.placed < c.at)
        }
        ChapterKind::Dividend
        | ChapterKind::Variation
        | ChapterKind::MovedIn
        | ChapterKind::MovedOut
        | ChapterKind::Merged => false,
    });
    told.filter_map(|c| {
        let entry = state.account.entries().get(c.entry)?;
        Some(Since::exactly(
            Reason::Happened {
                entry: c.entry,
                says: entry.memo.clone(),
            },
            c.at,
        ))
    })
    .collect()
}

/// Campaigns that were closed by themselves since a moment: nothing is open of them any more.
pub(super) fn closed_lately(state: &State, looked: Moment) -> Vec<Asks> {
    let closed = state.account.campaigns().filter(|c| {
        let last = c.chapters.last().map(|chapter| chapter.at);
        last.is_some_and(|at| at > looked) && state.account.lots_of(c.id).next().is_none()
    });
    closed
        .filter_map(|c| {
            let mut reasons = happened(state, c, looked);
            reasons.retain(|r| !is_answered(state, Some(c.id), r));
            (!reasons.is_empty()).then_some(Asks {
                campaign: Some(c.id),
                reasons,
            })
        })
        .collect()
}

/// What the account asks for: margin that is short, its own rules, orders that wait.
pub(super) fn account_reasons(state: &State, quoter: &mut Quoter) -> Vec<Since> {
    let now = state.clock.now;
    let mut out = Vec::new();
    let free = buying_power(state, quoter);
    if free < Money::ZERO && !state.account.lots().is_empty() {
        // The bell of the deficit knows when it began.
        let rang = state.bells.iter().rev().find(|b| {
            b.listens == desk::Listens::Told(desk::Occurrence::Deficit) && b.unanswered()
        });
        out.push(Since::exactly(
            Reason::Short { by: -free },
            rang.map_or(now, |b| b.set),
        ));
    }
    for ((rule, campaign), s) in state.standing.iter() {
        let found = state.my_rules.iter().find(|r| r.id == *rule);
        if let (None, true, Some(rule)) = (campaign, s.holds, found) {
            out.push(Since::exactly(
                Reason::Rule {
                    rule: rule.id,
                    measure: rule.condition.measure,
                    says: s.seen.clone(),
                    max_loss: None,
                    ends: None,
                },
                s.since,
            ));
        }
    }
    for order in state.open_orders() {
        out.extend(waits(state, quoter, order));
    }
    out
}

/// An opening order or a roll that has waited long, or whose market has moved away from it.
fn waits(state: &State, quoter: &mut Quoter, order: &Arc<Order>) -> Option<Since> {
    // A target, a stop and what follows another order are there to wait.
    let is_idle = order.request.trigger.is_some()
        || order.request.link.after.is_some()
        || matches!(order.request.purpose, Purpose::Close(_));
    let Pricing::Limit(limit) = order.pricing() else {
        return None;
    };
    let now = state.clock.now;
    if is_idle || order.state() != OrderState::Working || !is_open(now) {
        return None;
    }
    let u = state.world.underlying(&order.request.symbol)?;
    let (market, _) = exchange::market_of(&state.world, quoter, order, now)?;
    let sessions = sessions_to(order.placed.date(), now.date());
    let (away, width) = (market.middle - limit, market.cross - market.rest);
    let moved = away > width * 2 && away.to_f64() > 0.1 * market.middle.abs().to_f64();
    if !moved && sessions < WAITED_SESSIONS {
        return None;
    }
    let style = u.style_of_price;
    let until = match order.request.time_in_force {
        TimeInForce::Day => "until the close".to_owned(),
        TimeInForce::GoodTillDate(date) => format!("until {}", short_date(date)),
        _ => "until it is cancelled".to_owned(),
    };
    Some(Since::exactly(
        Reason::Waits {
            order: order.id,
            name: format!(
                "order {}: {} {}",
                order.id,
                order.request.symbol,
                crate::orders::order_words(order, u)
            ),
            sessions,
            away: moved.then(|| (style.write(away), style.write(width))),
            until,
        },
        order.placed,
    ))
}
