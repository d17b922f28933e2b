//! The desk's whole state, its clock, and how every change of it is kept; what concerns orders is
//! in `trading`.
//!
//! A change is worked out on a copy (cheap: shared parts are copied only when touched), its facts
//! are committed in one transaction, and only then does the copy become the state. Nothing is
//! acknowledged before it is durable, and nothing is half done.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use desk::calendar::{close_of, is_session, next_close, next_open, open_of};
use desk::{
    Account, AccountRules, Bell, Contract, DayTradeRule, DayTradeSwitch, DayTrading, EntryKind,
    HIGHEST_LEVEL, Instrument, Moment, Money, Occurrence, Order, Price, UnderlyingKind,
};
use jiff::civil::Date;
use market::{Clock, LAST, Quoter, SPEEDS, Step, World, exchange};
use store::{ClockState, Fact, Journalled, Saved, Store};

use crate::money::{Memo, Reserves, account_value};
use crate::refusal::Refusal;
use crate::trading::record;

/// Names of the settings that keep the rule about risk, and the account's kind, level and day-trade
/// switch.
pub(crate) const RISK_RULE: &str = "risk_percent";
pub(crate) const KIND: &str = "account_kind";
pub(crate) const LEVEL: &str = "account_level";
pub(crate) const DAY_TRADES: &str = "day_trades";

/// A draft as stored: the text is the client's own, checked when it is saved.
pub type Drafts = BTreeMap<String, String>;

/// Everything readers see; cheap to clone.
#[derive(Clone)]
pub struct State {
    /// The world.
    pub world: Arc<World>,
    /// The clock.
    pub clock: Clock,
    /// Orders by number.
    pub orders: Arc<Vec<Arc<Order>>>,
    /// Places of the open ones among them, ascending.
    pub open: Arc<Vec<usize>>,
    /// The account.
    pub account: Arc<Account>,
    /// Series that are not to be exercised at their end.
    pub declined: Arc<BTreeSet<Contract>>,
    /// Drafts by slot.
    pub drafts: Arc<Drafts>,
    /// Most percent of the account that one trade may lose by the trader's own rule; absent while
    /// there is no such rule.
    pub risk_percent: Option<f64>,
    /// Account value at closes, as (ISO date, value), ascending.
    pub marks: Arc<Vec<(String, Money)>>,
    /// Kind and level of the account.
    pub rules: AccountRules,
    /// Whether day trades are counted.
    pub day_trades: DayTradeSwitch,
    /// Bells by number.
    pub bells: Arc<Vec<Arc<Bell>>>,
    /// Buying power set aside for working orders.
    pub reserved: Money,
    /// Marks and margin worked out last, and the same at the beginning of the ten minutes.
    pub memo: Arc<Memo>,
    /// For what is set aside.
    pub slot_memo: Arc<Memo>,
    /// Counts changes of orders and account, so that readers know when to look again.
    pub version: u64,
}

impl State {
    /// Adds an order, which is open as yet.
    pub(crate) fn add(&mut self, order: Order) -> usize {
        let at = self.orders.len();
        Arc::make_mut(&mut self.orders).push(Arc::new(order));
        Arc::make_mut(&mut self.open).push(at);
        at
    }

    /// Of some orders (by place) those that have ended leave the list of the open ones; none comes
    /// back.
    fn forget_ended(&mut self, touched: &[usize]) {
        for i in touched {
            if !self.orders[*i].state().is_open()
                && let Ok(at) = self.open.binary_search(i)
            {
                Arc::make_mut(&mut self.open).remove(at);
            }
        }
    }

    /// Lets the exchange work on the open orders, given as they stand in the list; what happened
    /// comes back by place among all.
    pub(crate) fn among_open(
        &mut self,
        work: impl FnOnce(&mut [Arc<Order>]) -> Vec<exchange::Happening>,
    ) -> Vec<exchange::Happening> {
        let mut open: Vec<Arc<Order>> = self
            .open
            .iter()
            .map(|i| Arc::clone(&self.orders[*i]))
            .collect();
        let happened = work(&mut open);
        if !happened.is_empty() {
            let all = Arc::make_mut(&mut self.orders);
            for (i, order) in self.open.iter().zip(open) {
                all[*i] = order;
            }
        }
        happened
            .into_iter()
            .map(|(k, at, event)| (self.open[k], at, event))
            .collect()
    }

    /// The day-trade rule that the account stands under today.
    pub fn day_trade_rule(&self) -> Option<DayTradeRule> {
        desk::day_trade_rule(self.clock.now.date(), self.day_trades)
            .filter(|_| self.rules.kind != desk::AccountKind::Cash)
    }

    /// Where the account stands under a rule.
    pub fn day_trading(&self, rule: DayTradeRule) -> DayTrading {
        let today = self.clock.now.date();
        let security = |symbol: &str| {
            self.world
                .underlying(symbol)
                .is_some_and(|u| u.kind != UnderlyingKind::Future)
        };
        // What was placed long ago fills today only if it is still open: the last orders are
        // enough, with all that had events lately.
        let first = (1..rule.sessions).fold(today, |day, _| desk::calendar::previous_session(day));
        let recent = self
            .orders
            .iter()
            .filter(|o| o.events.last().is_some_and(|(at, _)| at.date() >= first));
        desk::day_trading(rule, today, recent.map(Arc::as_ref), security)
    }
}

/// Owner of the state; lives on one thread.
pub struct Desk {
    pub(crate) state: State,
    store: Store,
    pub(crate) quoter: Quoter,
    pub(crate) reserves: Reserves,
    /// Where the order of a ticket stood when it was placed; whoever asks looks whether it is
    /// there.
    by_client: HashMap<String, usize>,
    /// Facts of commands that share a transaction, and the state before the first of them; nothing
    /// while each has its own.
    batch: Option<(Vec<Fact>, State)>,
}

impl Desk {
    /// Rebuilds the state from what is stored, by replaying it, and proves that the books agree.
    pub fn restore(
        store: Store,
        world: Arc<World>,
        saved: Saved,
        start: Moment,
    ) -> Result<Desk, Refusal> {
        let mut account = Account::default();
        let by_id: BTreeMap<u64, &Order> = saved.orders.iter().map(|o| (o.id, o)).collect();
        for (row, j) in saved.journal.iter().enumerate() {
            let replayed = match &j.fill {
                Some(fill) => {
                    let order = by_id.get(&fill.order).ok_or(Refusal::NoOrder(fill.order))?;
                    let underlying = world.underlying(&order.request.symbol);
                    underlying.map(|u| {
                        account.fill(
                            fill,
                            order.request.purpose.campaign(),
                            u,
                            j.entry.memo.clone(),
                        )
                    })
                }
                None => replay(&mut account, &world, j),
            };
            let replayed = replayed.ok_or_else(|| {
                Refusal::Inconsistent(format!(
                    "entry {row} ({}) is about nothing that was held",
                    j.entry.memo
                ))
            })?;
            if replayed.postings != j.entry.postings {
                return Err(Refusal::Inconsistent(format!(
                    "entry {row} ({}) replays to other amounts",
                    j.entry.memo
                )));
            }
        }
        let violations = account.violations();
        if !violations.is_empty() {
            return Err(Refusal::Inconsistent(violations.join("; ")));
        }
        let clock = saved.clock.map_or(
            Clock {
                now: start,
                running: false,
                speed: 1,
            },
            |c| Clock {
                now: c.now,
                running: c.running,
                speed: c.speed,
            },
        );
        let state = State {
            world,
            clock,
            open: Arc::new(
                (0..saved.orders.len())
                    .filter(|i| saved.orders[*i].state().is_open())
                    .collect(),
            ),
            orders: Arc::new(saved.orders.into_iter().map(Arc::new).collect()),
            account: Arc::new(account),
            declined: Arc::new(saved.declined.into_iter().collect()),
            drafts: Arc::new(saved.drafts.into_iter().collect()),
            risk_percent: saved
                .settings
                .get(RISK_RULE)
                .and_then(|text| text.parse().ok()),
            rules: AccountRules {
                kind: desk::AccountKind::ALL
                    .into_iter()
                    .find(|k| Some(k.word()) == saved.settings.get(KIND).map(String::as_str))
                    .unwrap_or_default(),
                level: saved
                    .settings
                    .get(LEVEL)
                    .and_then(|text| text.parse().ok())
                    .unwrap_or(HIGHEST_LEVEL),
            },
            day_trades: if saved.settings.get(DAY_TRADES).is_some_and(|s| s == "off") {
                DayTradeSwitch::Off
            } else {
                DayTradeSwitch::ByDate
            },
            bells: Arc::new(saved.bells.into_iter().map(Arc::new).collect()),
            reserved: Money::ZERO,
            memo: Arc::default(),
            slot_memo: Arc::default(),
            marks: Arc::new(saved.marks),
            version: 1,
        };
        let by_client = state
            .orders
            .iter()
            .enumerate()
            .map(|(i, o)| (o.request.client_id.clone(), i))
            .collect();
        let mut desk = Desk {
            state,
            store,
            quoter: Quoter::new(),
            reserves: Reserves::default(),
            by_client,
            batch: None,
        };
        desk.reserve_anew();
        Ok(desk)
    }

    /// The order that a ticket was placed as.
    pub(crate) fn placed_as(&self, client_id: &str) -> Option<&Arc<Order>> {
        let found = self
            .by_client
            .get(client_id)
            .and_then(|i| self.state.orders.get(*i));
        found.filter(|o| o.request.client_id == client_id)
    }

    /// The state now.
    pub fn state(&self) -> &State {
        &self.state
    }

    /// Keeps facts, then takes the state that follows from them. Among commands that share a
    /// transaction they are kept with the others'.
    pub(crate) fn commit(&mut self, mut next: State, facts: &[Fact]) -> Result<(), Refusal> {
        self.follow(&mut next, facts);
        match self.deficit_bell(&mut next) {
            Some(bell) => self.keep(next, &[facts, &[bell]].concat()),
            None => self.keep(next, facts),
        }
    }

    fn keep(&mut self, next: State, facts: &[Fact]) -> Result<(), Refusal> {
        match &mut self.batch {
            Some((kept, _)) => kept.extend_from_slice(facts),
            None => {
                if let Err(e) = self.store.commit(facts) {
                    self.reserve_anew();
                    return Err(e.into());
                }
            }
        }
        for i in self.state.orders.len()..next.orders.len() {
            self.by_client
                .insert(next.orders[i].request.client_id.clone(), i);
        }
        self.state = next;
        Ok(())
    }

    /// Open orders and reservations after what happened; whether the ten minutes of the
    /// reservations are others.
    fn follow(&mut self, next: &mut State, facts: &[Fact]) -> bool {
        let first = next.orders.first().map_or(0, |o| o.id);
        let mut touched: Vec<usize> = facts
            .iter()
            .filter_map(|f| match f {
                Fact::Placed(order) => Some(order.id),
                Fact::Happened(id, ..) => Some(*id),
                _ => None,
            })
            .map(|id| (id - first) as usize)
            .collect();
        touched.dedup();
        next.forget_ended(&touched);
        self.reserves.follow(next, &mut self.quoter, &touched)
    }

    /// Works the reservations out from nothing; what was remembered may be of what has not
    /// happened.
    fn reserve_anew(&mut self) {
        self.reserves = Reserves::default();
        let mut state = State {
            memo: Arc::default(),
            slot_memo: Arc::default(),
            ..self.state.clone()
        };
        let open = Arc::clone(&state.open);
        self.reserves.follow(&mut state, &mut self.quoter, &open);
        self.state = state;
    }

    /// From here on commands share a transaction, until `flush`.
    pub(crate) fn gather(&mut self) {
        if self.batch.is_none() {
            self.batch = Some((Vec::new(), self.state.clone()));
        }
    }

    /// Keeps what was gathered. If that fails, nothing of it has happened.
    pub(crate) fn flush(&mut self) -> Result<(), Refusal> {
        let Some((facts, before)) = self.batch.take() else {
            return Ok(());
        };
        if facts.is_empty() {
            return Ok(());
        }
        self.store.commit(&facts).map_err(|e| {
            self.state = before;
            self.reserve_anew();
            e.into()
        })
    }

    /// Lets real time pass.
    pub fn pass(&mut self, real_millis: i64, keep_clock: bool) -> Result<(), Refusal> {
        let to = self.state.clock.after(real_millis);
        if to > self.state.clock.now {
            self.advance(to, keep_clock)
        } else {
            Ok(())
        }
    }

    /// Jumps ahead; everything on the way happens in its order.
    pub fn step(&mut self, step: Step) -> Result<(), Refusal> {
        let to = self
            .state
            .clock
            .target(step, self.state.world.underlyings(self.state.clock.now));
        self.advance(to, true)
    }

    /// Jumps to the opening of a date, as text; everything on the way happens in its order.
    pub fn step_to(&mut self, date: &str) -> Result<(), Refusal> {
        let now = self.state.clock.now;
        let wrong = |message: String| Refusal::Field {
            field: "until",
            message,
        };
        let day: Date = date.parse().map_err(|_| {
            wrong(format!(
                "{:?} is not a date; write it like 2031-04-18",
                date.chars().take(40).collect::<String>()
            ))
        })?;
        let to = open_of(day);
        if to <= now || day > LAST {
            return Err(wrong(format!(
                "{day} cannot be stepped to; choose a date after {} and up to {LAST}",
                now.date()
            )));
        }
        self.advance(to, true)
    }

    /// Runs, pauses or changes speed.
    pub fn set_clock(&mut self, running: Option<bool>, speed: Option<u32>) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        next.clock.running = running.unwrap_or(next.clock.running);
        if let Some(speed) = speed {
            if !SPEEDS.contains(&speed) {
                let message = format!("{speed} is not a speed; choose one of {SPEEDS:?}");
                return Err(Refusal::Field {
                    field: "speed",
                    message,
                });
            }
            next.clock.speed = speed;
        }
        let fact = clock_fact(&next.clock);
        self.commit(next, &[fact])
    }

    /// Moves the clock to `to`: fills, ends of orders, settlements and day marks on the way.
    pub fn advance(&mut self, to: Moment, keep_clock: bool) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        while next.clock.now < to {
            let from = next.clock.now;
            let stop = to.min(next_open(from)).min(next_close(from));
            self.trade_until(&mut next, from, stop, &mut facts);
            self.listen_until(&mut next, from, stop, &mut facts);
            next.clock.now = stop;
            self.happen_at(&mut next, stop, &mut facts);
            let day = stop.date();
            if is_session(day) && stop == close_of(day) {
                let value = account_value(&next, &mut self.quoter);
                Arc::make_mut(&mut next.marks).push((day.to_string(), value));
                facts.push(Fact::Mark(day.to_string(), value));
                crate::account_commands::revert_below_least(&mut next, value, &mut facts);
                self.quoter.forget_before(stop);
            }
        }
        if self.follow(&mut next, &facts) || !facts.is_empty() {
            facts.extend(self.deficit_bell(&mut next));
        }
        if !facts.is_empty() {
            next.version += 1;
        }
        if keep_clock || !facts.is_empty() {
            facts.push(clock_fact(&next.clock));
        }
        if facts.is_empty() {
            self.state = next;
            return Ok(());
        }
        self.keep(next, &facts)
    }

    fn trade_until(&mut self, next: &mut State, from: Moment, to: Moment, facts: &mut Vec<Fact>) {
        if next.open.is_empty() {
            return;
        }
        let world = Arc::clone(&next.world);
        let happened =
            next.among_open(|orders| exchange::advance(&world, &mut self.quoter, orders, from, to));
        if happened.is_empty() {
            return;
        }
        for (i, at, event) in &happened {
            let order = &next.orders[*i];
            let told = |what: &str| {
                format!(
                    "order {}: {} × {} {what}",
                    order.id,
                    order.request.symbol,
                    order.request.unit.strikes_label()
                )
            };
            match event {
                desk::order::Event::Filled(f) => {
                    let style = next
                        .world
                        .underlying(&order.request.symbol)
                        .map(|u| u.style_of_price)
                        .unwrap_or_default();
                    let side = if f.price < Price::ZERO {
                        "credit"
                    } else {
                        "debit"
                    };
                    let says = told(&format!(
                        "filled {} at {} {side}",
                        f.packages,
                        style.write(f.price.abs())
                    ));
                    crate::bells::tell(&mut next.bells, Occurrence::Fill, *at, says, facts);
                }
                // What fell away whole did as it was told to.
                desk::order::Event::Expired(why) if order.wanted() > 0 => {
                    crate::bells::tell(
                        &mut next.bells,
                        Occurrence::End,
                        *at,
                        told(&format!("ended: {why}")),
                        facts,
                    );
                }
                _ => {}
            }
        }
        let mut ended: Vec<usize> = happened.iter().map(|(i, ..)| *i).collect();
        ended.dedup();
        record(next, happened, facts);
        next.forget_ended(&ended);
    }
}

/// Makes an entry again that no order made; nothing when what it is about was not held.
fn replay<'a>(account: &'a mut Account, world: &World, j: &Journalled) -> Option<&'a desk::Entry> {
    let (at, memo) = (j.entry.at, j.entry.memo.clone());
    let Some(cause) = &j.cause else {
        return Some(account.deposit(at, j.entry.amount(desk::Book::Cash)));
    };
    match (&cause.instrument, j.entry.kind) {
        (Instrument::Option(contract), EntryKind::Settlement) => {
            account.settle(at, contract, cause.value, memo)
        }
        (Instrument::Option(contract), _) => {
            account.deliver(at, contract, cause.quantity, world.owner(contract)?, memo)
        }
        (Instrument::Underlying(symbol), EntryKind::Variation) => {
            account.settle_futures(at, symbol, cause.value, memo)
        }
        (Instrument::Underlying(symbol), EntryKind::Settlement) => {
            account.end_future(at, symbol, cause.value, memo)
        }
        (Instrument::Underlying(symbol), _) => account.dividend(at, symbol, cause.value, memo),
    }
}

pub(crate) fn clock_fact(clock: &Clock) -> Fact {
    Fact::Clock(ClockState {
        now: clock.now,
        running: clock.running,
        speed: clock.speed,
    })
}

/// Price of a known underlying now.
pub fn spot_of(state: &State, symbol: &str) -> Price {
    state
        .world
        .spot(symbol, state.clock.now)
        .unwrap_or_default()
}

/// An underlying by symbol, or what is known.
pub fn known<'a>(state: &'a State, symbol: &str) -> Result<&'a desk::Underlying, Refusal> {
    let all = || {
        state
            .world
            .underlyings(state.clock.now)
            .map(|u| u.symbol.as_str())
            .collect::<Vec<_>>()
            .join(", ")
    };
    state
        .world
        .underlying(symbol)
        .ok_or_else(|| Refusal::UnknownSymbol(symbol.chars().take(20).collect(), all()))
}

/// Whether the exchange trades now, and when that changes next.
pub fn session(at: Moment) -> (bool, Moment) {
    let open = desk::calendar::is_open(at);
    (open, if open { next_close(at) } else { next_open(at) })
}
