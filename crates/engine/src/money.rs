//! What the market and the account contribute to an evaluation, and what the account is worth.

use std::collections::hash_map::DefaultHasher;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::hash::{Hash, Hasher};
use std::sync::Arc;

use desk::rules::Subject;
use desk::{
    AccountKind, AccountRules, AccountView, Carry, Contract, Holding, Instrument, LegMarket,
    MarginBasis, MarginHolding, MarginLeg, MarketView, Money, Order, OrderError, Pricing, Proposal,
    Request, Requirement, Turn, money_effect, requirement,
};
use market::Quoter;
use rayon::prelude::*;

use crate::memo::{Key, MemoKey};
use crate::refusal::Refusal;
use crate::state::{State, spot_of, underlying_of};

/// Whether the volatility each leg's mark implies is wanted: it costs a solver per leg, and margin
/// needs only quotes.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Vols {
    Solved,
    Unused,
}

fn leg_market(
    state: &State,
    quoter: &mut Quoter,
    instrument: &Instrument,
    vols: Vols,
) -> Option<LegMarket> {
    let at = state.clock.now;
    match vols {
        Vols::Solved => quoter.leg_any(&state.world, instrument, at),
        Vols::Unused => {
            let quote = quoter.quote_any(&state.world, instrument, at)?;
            Some(LegMarket {
                quote,
                vol: 0.0,
                theoretical: 0.0,
                rate: 0.0,
            })
        }
    }
}

/// What the market contributes to an evaluation.
fn market_view<'a>(
    state: &'a State,
    quoter: &mut Quoter,
    symbol: &str,
    structure: &Holding,
    vols: Vols,
) -> Result<MarketView<'a>, Refusal> {
    let underlying = underlying_of(state, symbol)?;
    let at = state.clock.now;
    if let Some((past, _)) = structure
        .options()
        .find(|(c, _)| underlying.expiry_moment(c) <= at)
    {
        return Err(OrderError::PastExpiration {
            contract: past.clone(),
        }
        .into());
    }
    let legs = structure
        .legs()
        .iter()
        .map(|l| {
            leg_market(state, quoter, &l.instrument, vols)
                .ok_or_else(|| Refusal::NoQuote(l.instrument.clone()))
        })
        .collect::<Result<_, _>>()?;
    let carry = state
        .world
        .carry(symbol, state.clock.now)
        .unwrap_or(Carry::Yield(0.0));
    let view = MarketView {
        at,
        underlying,
        spot: spot_of(state, symbol),
        legs,
        horizon_vol: 0.0,
        carry,
        events: Vec::new(),
        cautions: Vec::new(),
    };
    if vols == Vols::Unused {
        return Ok(view);
    }
    let month = at.plus_millis(30 * 86_400_000);
    let expiry = structure
        .options()
        .map(|(c, _)| underlying.expiry_moment(c))
        .min()
        .unwrap_or(month);
    let variance = state
        .world
        .total_variance(symbol, at, expiry)
        .unwrap_or(0.0);
    let horizon_vol = (variance / at.years_until(expiry).max(1e-9)).sqrt();
    let cautions = cautions(state, quoter, symbol, structure);
    Ok(MarketView {
        horizon_vol,
        cautions,
        events: state.world.events(symbol, at, market::ANNOUNCED),
        ..view
    })
}

/// What is uncertain about the market in a structure.
fn cautions(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    structure: &Holding,
) -> Vec<desk::Caution> {
    let (world, at) = (&state.world, state.clock.now);
    if !world.is_recorded(symbol) {
        return Vec::new();
    }
    let mut out = Vec::new();
    if let Some(why) = state.waits(symbol) {
        out.push(desk::Caution::Waits(why.words()));
    }
    for (c, _) in structure.options() {
        if let Some(doubt) = quoter.quote(world, c, at).and_then(|l| l.doubt) {
            out.push(desk::Caution::Doubt(c.clone(), doubt.words()));
        }
    }
    let calls = structure.options().any(|(c, _)| c.kind == desk::Kind::Call);
    if calls && world.lacks_dividends(symbol) {
        out.push(desk::Caution::NoDividends);
    }
    out
}

/// The market in a structure, with the volatility that each leg's mark implies.
///
/// # Errors
/// An unknown symbol, or a leg without a market now.
pub fn market_of<'a>(
    state: &'a State,
    quoter: &mut Quoter,
    symbol: &str,
    structure: &Holding,
) -> Result<MarketView<'a>, Refusal> {
    market_view(state, quoter, symbol, structure, Vols::Solved)
}

/// Interest that margin re-values with: three months.
fn margin_rate(state: &State) -> f64 {
    state.world.rate(state.clock.now, 0.25)
}

/// What margin needs to know of an underlying now.
pub fn basis(state: &State, symbol: &str) -> Option<MarginBasis> {
    let u = state.world.underlying(symbol)?;
    let (at, carry) = (
        state.clock.now,
        state
            .world
            .carry(symbol, state.clock.now)
            .unwrap_or(Carry::Yield(0.0)),
    );
    Some(MarginBasis::of(
        u,
        state.world.spot(symbol, at)?,
        at,
        &carry,
        state.rules,
        margin_rate(state),
    ))
}

fn key_of(state: &State) -> Key {
    (state.clock.now, state.account.stamp())
}

/// The mark of each lot now; nothing where it has no market.
fn marks(state: &State, quoter: &mut Quoter) -> Arc<[Option<desk::Price>]> {
    let key = key_of(state);
    let known = state.memo.read(|m| m.marks.clone());
    if let Some((_, marks)) = known.filter(|(k, _)| *k == key) {
        return marks;
    }
    remember_held(state, quoter);
    let lots = state.account.lots().iter();
    let found: Arc<[Option<desk::Price>]> = lots
        .map(|l| mark_of(state, quoter, &l.instrument))
        .collect();
    state
        .memo
        .read(|m| m.marks = Some((key, Arc::clone(&found))));
    found
}

fn mark_of(state: &State, quoter: &mut Quoter, instrument: &Instrument) -> Option<desk::Price> {
    let quote = quoter.quote_any(&state.world, instrument, state.clock.now);
    quote.map(|q| q.mark())
}

/// A number for what is held in each underlying; another one after every change.
fn signatures(state: &State) -> Arc<BTreeMap<String, u64>> {
    let stamp = state.account.stamp();
    let known = state.memo.read(|m| {
        let of_it = m.signatures.as_ref().filter(|(known, _)| *known == stamp);
        of_it.map(|(_, found)| Arc::clone(found))
    });
    known.unwrap_or_else(|| {
        let mut out: BTreeMap<String, DefaultHasher> = BTreeMap::new();
        for lot in state.account.lots() {
            if let Some(u) = state.world.underlying_of(&lot.instrument) {
                (&lot.instrument, lot.quantity).hash(out.entry(u.symbol.clone()).or_default());
            }
        }
        let found: Arc<BTreeMap<String, u64>> = Arc::new(
            out.into_iter()
                .map(|(symbol, hasher)| (symbol, hasher.finish()))
                .collect(),
        );
        state
            .memo
            .read(|m| m.signatures = Some((stamp, Arc::clone(&found))));
        found
    })
}

/// Open positions of one underlying as margin sees them, at the marks of now.
pub fn holdings_of(state: &State, quoter: &mut Quoter, symbol: &str) -> MarginHolding {
    let key = key_of(state);
    let known = state.memo.read(|m| {
        m.holdings
            .get(symbol)
            .filter(|(k, _)| *k == key)
            .map(|(_, h)| h.clone())
    });
    known.unwrap_or_else(|| {
        let found = held_in(state, quoter, symbol);
        state
            .memo
            .read(|m| m.holdings.insert(symbol.to_owned(), (key, found.clone())));
        found
    })
}

fn held_in(state: &State, quoter: &mut Quoter, symbol: &str) -> MarginHolding {
    let mut held: BTreeMap<&Instrument, (i64, desk::Price)> = BTreeMap::new();
    for (lot, mark) in state.account.lots().iter().zip(&*marks(state, quoter)) {
        if state
            .world
            .underlying_of(&lot.instrument)
            .is_some_and(|u| u.symbol == symbol)
        {
            let mark = mark.unwrap_or(lot.price());
            held.entry(&lot.instrument).or_insert((0, mark)).0 += lot.quantity;
        }
    }
    let mut out = MarginHolding::default();
    for (instrument, (quantity, mark)) in held {
        match instrument.option() {
            Some(c) => {
                out.add(MarginLeg {
                    ends: state
                        .world
                        .owner(c)
                        .map_or(state.clock.now, |u| u.expiry_moment(c)),
                    contract: c.clone(),
                    quantity,
                    mark,
                });
            }
            None => out.underlying += quantity,
        }
    }
    out
}

/// Margin held for one underlying.
pub fn requirement_of(state: &State, quoter: &mut Quoter, symbol: &str) -> Requirement {
    let key = (
        state.clock.now,
        signatures(state).get(symbol).copied().unwrap_or(0),
        state.rules,
    );
    requirement_at(state, quoter, symbol, key)
}

fn requirement_at(state: &State, quoter: &mut Quoter, symbol: &str, key: MemoKey) -> Requirement {
    let known = state.memo.read(|m| {
        m.margins
            .get(symbol)
            .filter(|(k, _)| *k == key)
            .map(|(_, r)| r.clone())
    });
    known.unwrap_or_else(|| {
        let found = basis(state, symbol).map_or_else(Requirement::default, |b| {
            requirement(&holdings_of(state, quoter, symbol), &b)
        });
        state
            .memo
            .read(|m| m.margins.insert(symbol.to_owned(), (key, found.clone())));
        found
    })
}

/// Margin of everything held, by underlying.
pub fn requirements(state: &State, quoter: &mut Quoter) -> Vec<(String, Requirement)> {
    let each = signatures(state);
    let key = |signature: u64| (state.clock.now, signature, state.rules);
    let known = |symbol: &String, signature: u64| {
        state.memo.read(|m| {
            let found = m.margins.get(symbol);
            found
                .filter(|(k, _)| *k == key(signature))
                .map(|(_, r)| r.clone())
        })
    };
    let mut missing = Vec::new();
    for (symbol, signature) in each.iter() {
        if known(symbol, *signature).is_none()
            && let Some(basis) = basis(state, symbol)
        {
            missing.push((
                symbol,
                *signature,
                holdings_of(state, quoter, symbol),
                basis,
            ));
        }
    }
    // The pairing of each is a function of what stands here, whatever thread works it out.
    let found: Vec<Requirement> = missing
        .par_iter()
        .map(|(_, _, holding, basis)| requirement(holding, basis))
        .collect();
    state.memo.read(|m| {
        for ((symbol, signature, ..), r) in missing.iter().zip(found) {
            m.margins.insert((*symbol).clone(), (key(*signature), r));
        }
    });
    each.iter()
        .map(|(symbol, signature)| {
            let found = known(symbol, *signature).unwrap_or_default();
            (symbol.clone(), found)
        })
        .collect()
}

/// Cash that may be used: in a cash account without what is not settled yet.
pub fn usable_cash(state: &State) -> Money {
    let cash = state.account.balance(desk::Book::Cash);
    if state.rules.kind == AccountKind::Cash {
        cash - state.account.unsettled(state.clock.now.date())
    } else {
        cash
    }
}

/// What the account contributes to an evaluation in one underlying; `reserved` is set aside for
/// working orders.
pub fn account_view(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    reserved: Money,
) -> AccountView {
    let elsewhere = requirements(state, quoter)
        .into_iter()
        .filter(|(s, _)| s != symbol)
        .map(|(_, r)| r.takes())
        .sum();
    let value = account_value(state, quoter);
    // Only a small account has to be looked at for day trades.
    let pattern = state
        .day_trade_rule()
        .filter(|rule| value < rule.value)
        .map(|rule| state.day_trading(rule))
        .filter(|t| t.forbids_opening(value));
    AccountView {
        cash: usable_cash(state),
        taken_elsewhere: elsewhere,
        reserved,
        here: holdings_of(state, quoter, symbol),
        fees: state.world.fees_of(symbol),
        value,
        rules: state.rules,
        rate: margin_rate(state),
        pattern,
        trade_rules: state
            .my_rules
            .iter()
            .filter(|r| r.condition.measure.facts().subject == Subject::Trade)
            .cloned()
            .collect(),
    }
}

/// What an order may take, as it was worked out last.
#[derive(Debug, Clone, Copy)]
struct Reservation {
    /// Of orders that cancel each other one fills: the most counts.
    turn: Turn,
    takes: Money,
}

/// Buying power set aside for working orders: what each would take if it filled. Worked out when
/// the order changes, when what is held beside it does (as long as there are not very many of
/// them), and every ten minutes.
#[derive(Default)]
pub struct Reserves {
    slot: i64,
    held: Arc<BTreeMap<String, u64>>,
    rules: AccountRules,
    by_order: HashMap<u64, Reservation>,
    members: HashMap<Turn, Vec<u64>>,
    /// Sum over the turns.
    all: Money,
}

/// Milliseconds after which reservations follow the market.
const RESERVED_FOR: i64 = 600_000;
/// So many orders in an underlying follow every change of what is held in it; more of them wait for
/// the next ten minutes.
const FOLLOWED: usize = 100;

impl Reserves {
    /// All of it.
    pub fn total(&self) -> Money {
        self.all
    }

    /// All but what one order takes.
    pub fn without(&self, id: u64) -> Money {
        let Some(own) = self.by_order.get(&id) else {
            return self.all;
        };
        let others = self
            .members
            .get(&own.turn)
            .map_or(&[][..], Vec::as_slice)
            .iter()
            .filter(|o| **o != id);
        self.all - self.most(own.turn)
            + others
                .filter_map(|o| self.by_order.get(o))
                .map(|r| r.takes)
                .fold(Money::ZERO, Money::max)
    }

    fn most(&self, turn: Turn) -> Money {
        let all = self
            .members
            .get(&turn)
            .map_or(&[][..], Vec::as_slice)
            .iter();
        all.filter_map(|o| self.by_order.get(o))
            .map(|r| r.takes)
            .fold(Money::ZERO, Money::max)
    }

    fn set(&mut self, id: u64, new: Option<Reservation>) {
        if let Some(old) = self.by_order.get(&id).copied() {
            let before = self.most(old.turn);
            self.by_order.remove(&id);
            if let Some(members) = self.members.get_mut(&old.turn) {
                members.retain(|o| *o != id);
                if members.is_empty() {
                    self.members.remove(&old.turn);
                }
            }
            self.all = self.all - before + self.most(old.turn);
        }
        if let Some(new) = new {
            let before = self.most(new.turn);
            self.by_order.insert(id, new);
            self.members.entry(new.turn).or_default().push(id);
            self.all = self.all - before + self.most(new.turn);
        }
    }

    /// Brings the reservations up to date after something happened to some orders; all of them in
    /// another ten minutes, or under other rules.
    pub fn bring_up_to_date(&mut self, state: &mut State, quoter: &mut Quoter, touched: &[u64]) {
        let slot = state.clock.now.millis().div_euclid(RESERVED_FOR);
        let held = signatures(state);
        let anew = slot != self.slot || self.rules != state.rules;
        // By the market at the beginning of the ten minutes, so that a restart finds the same.
        let clock = market::Clock {
            now: desk::Moment::from_millis(slot * RESERVED_FOR),
            ..state.clock
        };
        let then = State {
            clock,
            memo: Arc::clone(&state.slot_memo),
            ..state.clone()
        };
        let mut ids: Vec<u64> = touched.to_vec();
        if anew {
            *self = Reserves {
                slot,
                rules: state.rules,
                ..Reserves::default()
            };
            ids = then.open_numbers();
        } else if *held != *self.held {
            let changed = held.keys().chain(self.held.keys());
            for symbol in changed.filter(|s| held.get(*s) != self.held.get(*s)) {
                let there: Vec<u64> = then
                    .open_orders()
                    .filter(|o| o.request.symbol == **symbol)
                    .map(|o| o.id)
                    .collect();
                if there.len() <= FOLLOWED {
                    ids.extend(there);
                }
            }
        }
        self.held = held;
        ids.sort_unstable();
        ids.dedup();
        let mut views: BTreeMap<&str, AccountView> = BTreeMap::new();
        for order in ids.into_iter().filter_map(|id| then.order(id).ok()) {
            if order.remaining() <= 0 || !order.state().is_open() {
                self.set(order.id, None);
                continue;
            }
            let here = |quoter: &mut Quoter, symbol: &str| AccountView {
                here: holdings_of(&then, quoter, symbol),
                fees: then.world.fees_of(symbol),
                rules: then.rules,
                rate: margin_rate(&then),
                ..AccountView::default()
            };
            let view = views
                .entry(order.request.symbol.as_str())
                .or_insert_with_key(|symbol| here(quoter, symbol));
            let request = Request {
                pricing: most_paid(order),
                ..order.request.clone()
            };
            let takes =
                taken_by(&then, quoter, &request, order.remaining(), view).unwrap_or_default();
            self.set(
                order.id,
                Some(Reservation {
                    turn: order.turn(),
                    takes,
                }),
            );
        }
        state.reserved = self.all;
    }
}

/// The limit in force, or the one that easing ends at.
fn most_paid(order: &Order) -> Pricing {
    order
        .easing()
        .map_or(order.pricing(), |(easing, _)| Pricing::Limit(easing.to))
}

/// The market in so many packages of a request, and the net price it is taken at: a market order at
/// the cross.
fn asked<'a>(
    state: &'a State,
    quoter: &mut Quoter,
    request: &Request,
    packages: i64,
) -> Result<(Holding, MarketView<'a>, desk::Price), Refusal> {
    let structure = request.unit.times(packages);
    let market = market_view(state, quoter, &request.symbol, &structure, Vols::Unused)?;
    let price = match request.pricing {
        Pricing::Limit(p) => p,
        Pricing::Market => {
            let quotes: Vec<_> = market.legs.iter().map(|m| m.quote).collect();
            desk::package_quote(&request.unit, &quotes, market.underlying).cross
        }
    };
    Ok((structure, market, price))
}

/// Money effect of so many packages of a request.
///
/// # Errors
/// A leg without a market now.
pub fn effect_of(
    state: &State,
    quoter: &mut Quoter,
    request: &Request,
    packages: i64,
    view: &AccountView,
) -> Result<desk::MoneyEffect, Refusal> {
    let (structure, market, price) = asked(state, quoter, request, packages)?;
    Ok(money_effect(&structure, &market, view, price))
}

/// Buying power that so many packages of a request take.
///
/// # Errors
/// As [`effect_of`].
pub fn taken_by(
    state: &State,
    quoter: &mut Quoter,
    request: &Request,
    packages: i64,
    view: &AccountView,
) -> Result<Money, Refusal> {
    let (structure, market, price) = asked(state, quoter, request, packages)?;
    Ok(desk::money_taken(&structure, &market, view, price))
}

/// Cash and what all positions are worth at their marks.
pub fn account_value(state: &State, quoter: &mut Quoter) -> Money {
    let key = key_of(state);
    if let Some(value) = state
        .memo
        .read(|m| m.value.filter(|(k, _)| *k == key).map(|(_, v)| v))
    {
        return value;
    }
    let marks = marks(state, quoter);
    let lots = state.account.lots().iter().zip(&*marks);
    let marked: Money = lots
        .map(|(lot, mark)| lot.worth(mark.unwrap_or(lot.price())))
        .sum();
    let value = state.account.balance(desk::Book::Cash) + marked;
    state.memo.read(|m| m.value = Some((key, value)));
    value
}

/// Things held that have no market now, each once: they are counted at what they cost.
pub fn unvalued(state: &State, quoter: &mut Quoter) -> Vec<Instrument> {
    let marks = marks(state, quoter);
    let lots = state.account.lots().iter().zip(&*marks);
    let missing: BTreeSet<&Instrument> = lots
        .filter(|(_, mark)| mark.is_none())
        .map(|(lot, _)| &lot.instrument)
        .collect();
    missing.into_iter().cloned().collect()
}

/// Buying power: cash less all margin and what working orders hold.
pub fn buying_power(state: &State, quoter: &mut Quoter) -> Money {
    let held: Money = requirements(state, quoter)
        .into_iter()
        .map(|(_, r)| r.takes())
        .sum();
    usable_cash(state) - held - state.reserved
}

/// By how much buying power is below zero; nothing where it is not.
///
/// The pairings that were found last, counted anew in the market of now, need no less than the least ones:
/// where buying power is enough for those, nothing is searched.
pub(crate) fn deficit(state: &State, quoter: &mut Quoter) -> Option<Money> {
    let each = signatures(state);
    let mut at_most = |symbol: &str, signature: u64| {
        let ((at, known, rules), last) = state.memo.read(|m| m.margins.get(symbol).cloned())?;
        match at == state.clock.now {
            _ if known != signature || rules != state.rules => None,
            true => Some(last.takes()),
            false => last.at_most(&holdings_of(state, quoter, symbol), &basis(state, symbol)?),
        }
    };
    let needed: Option<Money> = each.iter().map(|(symbol, n)| at_most(symbol, *n)).sum();
    let enough = needed.is_some_and(|all| usable_cash(state) - all - state.reserved >= Money::ZERO);
    if enough {
        return None;
    }
    let free = buying_power(state, quoter);
    (free < Money::ZERO).then_some(-free)
}

/// Quotes everything that is held, together: for a fraction of one by one.
pub(crate) fn remember_held(state: &State, quoter: &mut Quoter) {
    quoter.remember(&state.world, &held_contracts(state), state.clock.now);
}

/// As [`remember_held`], and the volatilities that their marks imply.
pub fn remember_held_legs(state: &State, quoter: &mut Quoter) {
    quoter.remember_legs(&state.world, &held_contracts(state), state.clock.now);
}

/// Options that are held, in order.
fn held_contracts(state: &State) -> Arc<[Contract]> {
    let stamp = state.account.stamp();
    let known = state.memo.read(|m| m.held.clone());
    if let Some((_, held)) = known.filter(|(known, _)| *known == stamp) {
        return held;
    }
    let lots = state.account.lots().iter();
    let held: BTreeSet<&Contract> = lots.filter_map(|l| l.instrument.option()).collect();
    let held: Arc<[Contract]> = held.into_iter().cloned().collect();
    state
        .memo
        .read(|m| m.held = Some((stamp, Arc::clone(&held))));
    held
}

/// Margin held for all positions.
pub fn total_requirement(state: &State, quoter: &mut Quoter) -> Money {
    requirements(state, quoter)
        .into_iter()
        .map(|(_, r)| r.total)
        .sum()
}

/// Evaluates a proposal on the state of now.
///
/// # Errors
/// An unknown symbol, a leg without a market, or what [`desk::evaluate`] refuses.
pub fn evaluate(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    proposal: &Proposal,
) -> Result<desk::Evaluation, Refusal> {
    let market = market_of(state, quoter, symbol, &proposal.structure)?;
    evaluate_in(state, quoter, &market, proposal)
}

/// Evaluates what is held as if the account held nothing else: what it ties up is told alone,
/// nothing is said of buying power, and nothing is drawn. A book of many campaigns is read at every look; the margin of all
/// of them together is worked out once, not once for each.
///
/// # Errors
/// As [`evaluate`].
pub fn evaluate_alone(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    proposal: &Proposal,
) -> Result<desk::Evaluation, Refusal> {
    let market = market_of(state, quoter, symbol, &proposal.structure)?;
    let account = AccountView {
        fees: state.world.fees_of(symbol),
        rules: state.rules,
        rate: margin_rate(state),
        ..AccountView::default()
    };
    let undrawn = Proposal {
        range: Some((0.0, 0.0)),
        ..proposal.clone()
    };
    Ok(desk::evaluate(&undrawn, &market, &account)?)
}

/// Evaluates a proposal in a market that is known already.
///
/// # Errors
/// What [`desk::evaluate`] refuses.
pub fn evaluate_in(
    state: &State,
    quoter: &mut Quoter,
    market: &MarketView<'_>,
    proposal: &Proposal,
) -> Result<desk::Evaluation, Refusal> {
    let account = account_view(state, quoter, &market.underlying.symbol, state.reserved);
    Ok(desk::evaluate(proposal, market, &account)?)
}

/// Something that is held beyond what the account's kind and level allow, in words.
pub fn beyond(state: &State, quoter: &mut Quoter) -> Option<String> {
    let held = signatures(state);
    held.keys().find_map(|symbol| {
        let needs = desk::levels(&holdings_of(state, quoter, symbol), &basis(state, symbol)?);
        needs
            .into_iter()
            .find(|n| n.level > state.rules.allows())
            .map(|n| format!("{symbol} {} × {}", n.count, n.what))
    })
}

/// What a campaign ties up by itself: its margin as if nothing else were held, and what was paid for
/// it.
pub fn alone(state: &State, quoter: &mut Quoter, campaign: u64) -> Money {
    let Some(found) = state.account.campaign(campaign) else {
        return Money::ZERO;
    };
    let (Some(basis), Some(u)) = (
        basis(state, &found.symbol),
        state.world.underlying(&found.symbol),
    ) else {
        return Money::ZERO;
    };
    let held = state.account.holding_of(found.id);
    let options = held.options().filter_map(|(c, quantity)| {
        Some(MarginLeg {
            ends: u.expiry_moment(c),
            contract: c.clone(),
            quantity,
            mark: mark_of(state, quoter, &c.clone().into())?,
        })
    });
    let holding = MarginHolding {
        options: options.collect(),
        underlying: held.underlying_quantity(),
    };
    requirement(&holding, &basis).takes() + state.account.open_cost(found.id)
}
