//! Rounds: which campaigns ask for a decision, since when, and how near the others are to asking.
//!
//! Facts are worked out from the book of now. Since when one holds is found by looking back, close by
//! opening, through the market that was, until it did not hold or until what is held came about: so
//! it is the same after a restart and whatever steps time took.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::{close_of, is_open, last_trading, next_session, open_of, previous_session};
use desk::rounds::{
    EVENT_SESSIONS, HEDGE_SESSIONS, LAST_SESSIONS, LITTLE_TICKS, Reason, WAITED_SESSIONS,
};
use desk::rules::{CampaignSeen, Needs, Rule, Subject, ruling, sessions_to};
use desk::{
    Ahead, Answer, BellSide, Campaign, ChapterKind, Contract, Decision, EventKind, Fact, Kind,
    Moment, Money, Order, OrderState, OwnDate, Price, Pricing, Purpose, TimeInForce, Underlying,
    Until, short_date,
};
use jiff::civil::Date;
use market::{Quoter, exchange};

use crate::bells::MOST_NOTE;
use crate::campaigns::{ahead, all_open};
use crate::engine::{Engine, LOOKED};
use crate::judging::{A_LOOK, look_after};
use crate::money::{buying_power, unvalued};
use crate::refusal::Refusal;
use crate::sight::{AsOf, Sights, at_moment, campaign_seen, shape};
use crate::state::State;

/// How many sessions are looked back through for when something began.
const LOOKED_BACK: usize = 15;
/// How far ahead dates are told, in days.
pub const DATES_AHEAD: i64 = 14;
/// Most dates of the trader's own.
const MOST_DATES: usize = 500;

/// A reason, and since when it holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Since {
    /// The reason.
    pub reason: Reason,
    /// Since when: the first look at which it held. Farther back than was looked it may have held
    /// longer.
    pub since: Moment,
    /// The last look at which it did not hold: an answer given later is one to this reason.
    pub not_before: Moment,
}

impl Since {
    /// A reason whose beginning is known exactly.
    fn exactly(reason: Reason, since: Moment) -> Since {
        Since {
            reason,
            since,
            not_before: since,
        }
    }
}

/// A campaign, or the account, that asks.
#[derive(Debug, Clone, PartialEq)]
pub struct Asks {
    /// The campaign; absent for the account.
    pub campaign: Option<u64>,
    /// Why, the most urgent first.
    pub reasons: Vec<Since>,
}

/// A campaign that does not ask.
#[derive(Debug, Clone, PartialEq)]
pub struct Quiet {
    /// The campaign.
    pub campaign: u64,
    /// How near it is to its next reason, 1 where it is there.
    pub nearness: f64,
    /// That reason, in words; empty where nothing is ahead.
    pub next: String,
    /// An answer that keeps it quiet.
    pub let_be: Option<Decision>,
}

/// A date ahead.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dated {
    /// When.
    pub date: Date,
    /// What kind of date.
    pub kind: DatedKind,
    /// In words.
    pub what: String,
    /// The campaign it is about.
    pub campaign: Option<u64>,
    /// Its number, for a date of the trader's own.
    pub own: Option<u64>,
}

/// Kinds of dates.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum DatedKind {
    /// Something held ends.
    Expiration,
    /// Earnings or a decision.
    News,
    /// An ex-date.
    ExDividend,
    /// A rule about days rings.
    Rule,
    /// The trader's own.
    Own,
}

/// The whole of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Rounds {
    /// Who asks, the most urgent first.
    pub asks: Vec<Asks>,
    /// The others, the nearest to asking first.
    pub quiet: Vec<Quiet>,
    /// Campaigns among the others that changed since the close before: what changed.
    pub changed: Vec<(u64, String)>,
    /// Dates ahead, ascending.
    pub dates: Vec<Dated>,
    /// What was decided today, oldest first.
    pub decided: Vec<Decision>,
    /// Since when things that happened are told.
    pub looked: Moment,
}

/// The close before the session of now.
fn close_before(state: &State) -> Moment {
    close_of(previous_session(last_trading(state.clock.now).date()))
}

/// Everything that asks, and what is near to.
pub fn rounds_of(state: &State, quoter: &mut Quoter) -> Rounds {
    let now = state.clock.now;
    let looked = state.looked.unwrap_or_else(|| close_before(state));
    let mut sights = Sights::default();
    let mut asks: Vec<Asks> = Vec::new();
    let mut quiet = Vec::new();
    let mut changed = Vec::new();
    let mut of_account = account_reasons(state, quoter);
    of_account.retain(|r| !is_answered(state, None, r));
    asks.push(Asks {
        campaign: None,
        reasons: of_account,
    });
    for campaign in all_open(state) {
        let Some(u) = state.world.underlying(&campaign.symbol) else {
            continue;
        };
        let seen = campaign_seen(state, quoter, &mut sights, campaign, Needs::ALL);
        let mut reasons = campaign_reasons(state, quoter, campaign, u, seen.as_ref(), looked);
        let let_be = reasons
            .iter()
            .find_map(|r| answer_to(state, Some(campaign.id), r).cloned());
        reasons.retain(|r| !is_answered(state, Some(campaign.id), r));
        if reasons.is_empty() {
            let (nearness, next) = seen
                .as_ref()
                .map_or((0.0, String::new()), |s| nearest(state, s));
            changed.extend(changes(state, quoter, campaign, u).map(|what| (campaign.id, what)));
            quiet.push(Quiet {
                campaign: campaign.id,
                nearness,
                next,
                let_be,
            });
        } else {
            asks.push(Asks {
                campaign: Some(campaign.id),
                reasons,
            });
        }
    }
    asks.extend(closed_lately(state, looked));
    for a in &mut asks {
        a.reasons
            .sort_by_key(|r| (r.reason.urgency(), r.since, r.reason.key()));
    }
    asks.retain(|a| !a.reasons.is_empty());
    asks.sort_by_key(|a| {
        let first = a.reasons.first();
        first.map(|r| (r.reason.urgency(), r.since))
    });
    quiet.sort_by(|a, b| b.nearness.total_cmp(&a.nearness));
    let today = now.date();
    Rounds {
        asks,
        quiet,
        changed,
        dates: dates(state),
        decided: state
            .decisions
            .iter()
            .filter(|d| d.at.date() == today)
            .cloned()
            .collect(),
        looked,
    }
}

/// What a campaign asks for.
fn campaign_reasons(
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

/// What stands without a bought option once that has ended: a sold one of its right that lasts
/// longer, or the underlying.
fn hedged(held: &desk::Holding, bought: &Contract, u: &Underlying) -> Option<String> {
    let later =
        |(c, n): &(&Contract, i64)| *n < 0 && c.kind == bought.kind && c.expiry > bought.expiry;
    // What is bought elsewhere as long covers it still.
    let covered = |sold: &Contract| {
        held.options()
            .any(|(c, n)| n > 0 && c.kind == sold.kind && c.expiry >= sold.expiry)
    };
    if let Some((sold, _)) = held.options().find(|leg| later(leg) && !covered(leg.0)) {
        return Some(format!(
            "the sold {}, {},",
            sold.label(),
            short_date(sold.expiry)
        ));
    }
    let own = held.underlying_quantity();
    let protects = own > 0 && bought.kind == Kind::Put || own < 0 && bought.kind == Kind::Call;
    let what = match u.kind {
        desk::UnderlyingKind::Future => "the futures",
        _ => "the shares",
    };
    protects.then(|| what.to_owned())
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
fn closed_lately(state: &State, looked: Moment) -> Vec<Asks> {
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
fn account_reasons(state: &State, quoter: &mut Quoter) -> Vec<Since> {
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
                crate::trading::order_words(order, u)
            ),
            sessions,
            away: moved.then(|| (style.write(away), style.write(width))),
            until,
        },
        order.placed,
    ))
}

/// The answer that was given to a reason and still holds.
fn answer_to<'a>(state: &'a State, campaign: Option<u64>, r: &Since) -> Option<&'a Decision> {
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

fn is_answered(state: &State, campaign: Option<u64>, r: &Since) -> bool {
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

/// The next reason of a campaign that does not ask, and how near it is.
fn nearest(state: &State, seen: &CampaignSeen) -> (f64, String) {
    let at = state.clock.now;
    let of_it = (seen.structure, seen.symbol.as_str(), Some(seen.campaign));
    let mut best = (0.0, String::new());
    let mut better = |nearness: f64, says: String| {
        if nearness > best.0 {
            best = (nearness, says);
        }
    };
    for r in ruling(&state.my_rules, Subject::Campaign, of_it) {
        let condition = r.rule.condition;
        let facts = condition.measure.facts();
        let Some(figure) = seen.figure(condition.measure, at) else {
            continue;
        };
        if !condition.rings(figure) {
            let limit = facts.unit.write(&condition.limit.to_string());
            let seen = figure.words(facts.unit);
            better(
                0.99 * condition.nearness(figure),
                format!("{}: {seen}; your rule rings at {limit}", facts.noun),
            );
        }
    }
    if let Some(end) = seen.expiry {
        let left = sessions_to(at.date(), end);
        better(
            2.0 / (2.0 + left as f64),
            format!("ends on {}, in {left} sessions", short_date(end)),
        );
    }
    let events = [
        (seen.earnings, "earnings or a decision"),
        (seen.ex_date, "an ex-date"),
    ];
    for (next, what) in events {
        let inside = next.filter(|n| seen.expiry.is_some_and(|end| n.date <= end));
        if let Some(next) = inside.filter(|_| !seen.sold.is_empty()) {
            better(
                2.0 / (2.0 + next.sessions as f64),
                format!(
                    "{what} on {}, in {} sessions",
                    short_date(next.date),
                    next.sessions
                ),
            );
        }
    }
    best
}

/// What changed in a campaign since the close before: what was done, or on which side of its
/// break-evens the price stands.
fn changes(
    state: &State,
    quoter: &mut Quoter,
    campaign: &Campaign,
    u: &Underlying,
) -> Option<String> {
    let close = close_before(state);
    if campaign.chapters.iter().any(|c| c.at > close) {
        return Some("something was done in it".into());
    }
    let gains = |state: &State, quoter: &mut Quoter| {
        let at = state.clock.now;
        let spot = state.world.spot(&u.symbol, at)?.to_f64();
        let of = AsOf::at(campaign, at, u)?;
        let shape = shape(state, quoter, &of, u)?;
        let zones = desk::zones_of(&shape);
        let here = zones.iter().find(|z| z.from <= spot && spot < z.to)?;
        Some(here.gain)
    };
    let before = gains(&at_moment(state, close), quoter)?;
    let now = gains(state, quoter)?;
    match (before, now) {
        (true, false) => Some("the price left the range in which it ends in profit".into()),
        (false, true) => Some("the price came into the range in which it ends in profit".into()),
        _ => None,
    }
}

/// Dates of the next fourteen days.
fn dates(state: &State) -> Vec<Dated> {
    let now = state.clock.now;
    let soon = |date: Date| (0..=DATES_AHEAD).contains(&now.days_until(date));
    let mut out: Vec<Dated> = Vec::new();
    let mut events: BTreeMap<(String, Date, String), DatedKind> = BTreeMap::new();
    for campaign in all_open(state) {
        let Some(u) = state.world.underlying(&campaign.symbol) else {
            continue;
        };
        let held = state.account.holding_of(campaign.id);
        let title = state.account.title(campaign.id, u).unwrap_or_default();
        let named = format!("{} {title}", campaign.symbol);
        let mut ends: Vec<Date> = held.options().map(|(c, _)| c.expiry).collect();
        ends.sort_unstable();
        ends.dedup();
        for end in ends.iter().filter(|d| soon(**d)) {
            out.push(Dated {
                date: *end,
                kind: DatedKind::Expiration,
                what: named.clone(),
                campaign: Some(campaign.id),
                own: None,
            });
        }
        for e in state.world.events(&campaign.symbol, now, DATES_AHEAD) {
            let kind = match e.kind {
                EventKind::News => DatedKind::News,
                EventKind::ExDividend => DatedKind::ExDividend,
            };
            events.insert((campaign.symbol.clone(), e.date, e.what), kind);
        }
        let of_it = (
            desk::Structure::of(&held, u),
            campaign.symbol.as_str(),
            Some(campaign.id),
        );
        for r in ruling(&state.my_rules, Subject::Campaign, of_it) {
            let rings = rings_on(r.rule, ends.first().copied(), campaign);
            if let Some(date) = rings.filter(|d| soon(*d)) {
                out.push(Dated {
                    date,
                    kind: DatedKind::Rule,
                    what: format!(
                        "{named}: {} {}",
                        r.rule.condition.measure.facts().noun,
                        r.rule.condition.limit
                    ),
                    campaign: Some(campaign.id),
                    own: None,
                });
            }
        }
    }
    out.extend(
        events
            .into_iter()
            .map(|((symbol, date, what), kind)| Dated {
                date,
                kind,
                what: format!("{symbol} {what}"),
                campaign: None,
                own: None,
            }),
    );
    let own = state.own_dates.iter().filter(|d| soon(d.date));
    out.extend(own.map(|d| Dated {
        date: d.date,
        kind: DatedKind::Own,
        what: d.what.clone(),
        campaign: d.campaign,
        own: Some(d.id),
    }));
    out.sort_by(|a, b| (a.date, a.kind, &a.what).cmp(&(b.date, b.kind, &b.what)));
    out
}

/// The date on which a rule about days rings, as long as what is held stays.
fn rings_on(rule: &Rule, end: Option<Date>, campaign: &Campaign) -> Option<Date> {
    use desk::rules::Measure;
    let days = rule.condition.limit.to_f64() as i64;
    match rule.condition.measure {
        Measure::DaysLeft => end?.checked_sub(jiff::Span::new().days(days)).ok(),
        Measure::DaysOpen => {
            let opened = campaign.opened()?.date();
            opened.checked_add(jiff::Span::new().days(days)).ok()
        }
        _ => None,
    }
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
    /// The answer.
    pub answer: Answer,
    /// The order that was sent for it.
    pub order: Option<u64>,
    /// A note.
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
        if let Some(declined) = exercises {
            let Some(contract) = contract else {
                return wrong(
                    "answer",
                    "this is no question of exercise; choose another answer".into(),
                );
            };
            self.decline(contract.parse()?, declined)?;
        }
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
        let mut next = self.state.clone();
        Arc::make_mut(&mut next.decisions).push(decision.clone());
        self.commit(next, vec![Fact::Decided(decision.clone())])?;
        Ok(decision)
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
