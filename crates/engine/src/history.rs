//! Executions made elsewhere, booked as they happened: dated, and with what became of them.
//!
//! A file may reach back to before the account was opened here, as far as the world does. Its
//! campaigns live through the world by themselves between their executions: dividends are paid on
//! their shares, their futures are settled daily, and what expired is settled, exercised or
//! assigned as it then was. Nobody is assigned early in hindsight: what was, is an execution of the
//! file. All of it is booked now, at the dates it has.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use desk::calendar::{next_close, next_open};
use desk::order::Event;
use desk::{
    Account, Fact, Fill, FillLeg, FillTerms, Holding, Instrument, Leg, Link, Moment, Money, Order,
    Package, Price, Pricing, Purpose, Request, TimeInForce,
};
use market::session::{self, Phase};
use market::{Quoter, World, lifecycle};

use crate::engine::Engine;
use crate::lifecycle::book;
use crate::orders::book_fill;
use crate::refusal::Refusal;
use crate::state::State;

/// One execution made elsewhere.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Execution {
    /// Its name, which no other has.
    pub name: String,
    /// The moment of the execution, on the market's clock.
    pub at: Moment,
    /// The symbol of the underlying that its legs are on.
    pub symbol: String,
    /// What was traded at which price, each instrument once.
    pub legs: Vec<FillLeg>,
    /// Commissions that were paid for it, zero or above.
    pub fees: Money,
}

/// What is wrong with an execution, by its place in the list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HistoryProblem {
    /// Its place in the list that was given, from zero.
    pub execution: usize,
    /// What is wrong and what would be right.
    pub message: String,
}

/// How the tickets of executions made elsewhere begin.
const IMPORTED: &str = "import:";

/// The name under which an execution's order is known.
fn ticket(name: &str) -> String {
    format!("{IMPORTED}{name}")
}

/// What can be wrong with one execution by itself.
fn check(state: &State, e: &Execution) -> Result<Package, String> {
    let now = state.clock.now;
    let first = desk::calendar::open_of(state.world.first());
    if e.at > now || e.at < first {
        return Err(format!(
            "at: {} lies outside of this world's past; write a moment from {first} to {now}",
            e.at
        ));
    }
    let underlying = state
        .world
        .underlying(&e.symbol)
        .ok_or_else(|| format!("symbol: {:?} is not known", e.symbol))?;
    for leg in &e.legs {
        match &leg.instrument {
            Instrument::Option(c) => {
                if !underlying.owns_root(&c.root) {
                    return Err(format!("instrument: {c} does not belong to {}", e.symbol));
                }
                if underlying.expiry_moment(c) <= e.at {
                    return Err(format!("instrument: {c} had expired by {}", e.at));
                }
                let held = state.account.held(&leg.instrument) != 0;
                if !held {
                    market::check_listed(&state.world, c, e.at)
                        .map_err(|why| format!("instrument: {why}"))?;
                }
            }
            Instrument::Underlying(own) if *own != e.symbol => {
                return Err(format!("instrument: {own} does not belong to {}", e.symbol));
            }
            Instrument::Underlying(_) if underlying.kind == desk::UnderlyingKind::Index => {
                return Err(format!(
                    "instrument: {} is an index and cannot be held",
                    e.symbol
                ));
            }
            Instrument::Underlying(_) => {}
        }
    }
    let legs = e.legs.iter().map(|l| Leg {
        instrument: l.instrument.clone(),
        quantity: l.quantity,
    });
    let holding = Holding::new(legs);
    if holding.legs().len() != e.legs.len() {
        return Err(format!(
            "fill {} has an instrument twice; write it once with its whole quantity",
            e.name
        ));
    }
    let found = Package::of(&holding).map_err(|why| format!("fill {}: {why}", e.name))?;
    Ok(found.0)
}

/// The campaign that an execution closes: one of the file's own, or one that is held now, which had
/// all of its legs on the other side when it happened.
fn closes(accounts: [&Account; 2], e: &Execution) -> Option<u64> {
    let holds = |account: &Account, campaign: u64| {
        e.legs.iter().all(|l| {
            // What was opened later was not there to be closed.
            let lots = account.lots_of(campaign);
            let there = lots.filter(|lot| lot.instrument == l.instrument && lot.opened <= e.at);
            let held: i64 = there.map(|lot| lot.quantity).sum();
            held.signum() == -l.quantity.signum() && held.abs() >= l.quantity.abs()
        })
    };
    accounts.into_iter().find_map(|account| {
        let campaigns: BTreeSet<u64> = account.lots().iter().map(|l| l.campaign).collect();
        campaigns.into_iter().find(|c| holds(account, *c))
    })
}

/// The history while it is booked: on the account, and on one of its own that knows only the file.
struct Booking {
    next: State,
    alone: Account,
    own: Vec<u64>,
    facts: Vec<Fact>,
    now: Moment,
}

impl Booking {
    /// Lets the file's campaigns live from one moment to another.
    fn live(&mut self, world: &World, quoter: &mut Quoter, to: Moment) {
        while !self.alone.lots().is_empty() {
            let stop = next_open(self.now).min(next_close(self.now));
            if stop > to {
                break;
            }
            self.now = stop;
            for phase in session::phases(stop) {
                match phase {
                    Phase::ExDividend | Phase::Settlement | Phase::DailySettlement => {
                        self.happen(*phase, world, quoter);
                    }
                    // The file's orders are its executions, and who was assigned early is one of them.
                    Phase::FirstDraw | Phase::EarlyAssignment | Phase::Marks => {}
                }
            }
        }
        self.now = self.now.max(to);
    }

    /// What a phase of the session brings to the file's campaigns.
    fn happen(&mut self, phase: Phase, world: &World, quoter: &mut Quoter) {
        let (at, declined) = (self.now, BTreeSet::new());
        let of = (&self.alone, &declined);
        for h in lifecycle::of_phase(phase, world, quoter, of, at) {
            book(&mut self.alone, world, at, &h, &[]);
            let account = Arc::make_mut(&mut self.next.account);
            if let Some((entry, cause)) = book(account, world, at, &h, &self.own) {
                self.facts.push(Fact::Booked(entry, Some(cause)));
            }
        }
    }

    /// Books one execution.
    fn trade(&mut self, world: &World, e: &Execution, unit: Package) {
        let Some(underlying) = world.underlying(&e.symbol) else {
            return;
        };
        let id = self.next.next_number();
        let legs = e
            .legs
            .iter()
            .map(|l| (l.price, l.quantity * underlying.units(&l.instrument)));
        let packages = e.legs[0].quantity.abs() / first_ratio(&unit, &e.legs[0]);
        let price = Price::weighed(legs, packages * underlying.price_units(&unit));
        let closed = closes([&self.alone, &self.next.account], e);
        let fill = Fill {
            order: id,
            at: e.at,
            packages,
            price,
            legs: e
                .legs
                .iter()
                .map(|l| FillLeg {
                    terms: Some(FillTerms::of(&l.instrument, underlying)),
                    ..l.clone()
                })
                .collect(),
            fees: e.fees,
        };
        let request = Request {
            client_id: ticket(&e.name),
            symbol: e.symbol.clone(),
            unit,
            quantity: packages,
            pricing: Pricing::Limit(price),
            trigger: None,
            link: Link::default(),
            time_in_force: TimeInForce::Day,
            purpose: closed.map_or(Purpose::Open, Purpose::Close),
            closing: Vec::new(),
        };
        let events = vec![(e.at, Event::Accepted), (e.at, Event::Filled(fill.clone()))];
        let order = Order {
            id,
            placed: e.at,
            request,
            events,
        };
        self.facts.push(Fact::Placed(order.clone()));
        let account = Arc::make_mut(&mut self.next.account);
        self.facts.extend(book_fill(account, world, &order, &fill));
        self.next.add(order.clone());
        // What closes something held before the file came in is the account's, not the file's.
        let of_file = closed.is_none_or(|c| self.own.contains(&c));
        if of_file {
            book_fill(&mut self.alone, world, &order, &fill);
        }
        if closed.is_none() {
            self.own.push(id);
        }
    }
}

fn first_ratio(unit: &Package, leg: &FillLeg) -> i64 {
    let same = unit.legs().iter().find(|l| l.instrument == leg.instrument);
    same.map_or(1, |l| l.quantity.abs())
}

/// What each execution trades of one package, by its place among them; and what is wrong with
/// those that cannot be booked.
fn examine(
    state: &State,
    executions: &[Execution],
) -> (Vec<(usize, Package)>, Vec<HistoryProblem>) {
    let imported = state.orders.iter().filter_map(|o| {
        let ticket = o.request.client_id.as_str();
        ticket.starts_with(IMPORTED).then_some((ticket, o.id))
    });
    let booked: BTreeMap<&str, u64> = imported.collect();
    let (mut units, mut problems) = (Vec::new(), Vec::new());
    for (execution, e) in executions.iter().enumerate() {
        let found = match booked.get(ticket(&e.name).as_str()) {
            Some(order) => Err(format!(
                "fill {} is booked already, as order {order}",
                e.name
            )),
            None => check(state, e),
        };
        match found {
            Ok(unit) => units.push((execution, unit)),
            Err(message) => problems.push(HistoryProblem { execution, message }),
        }
    }
    (units, problems)
}

/// What is wrong with executions that [`prepare_history`] would refuse, in their order.
pub fn history_problems(state: &State, executions: &[Execution]) -> Vec<HistoryProblem> {
    examine(state, executions).1
}

/// A history booked on a copy of the state, for [`Engine::adopt_history`].
pub struct PreparedHistory {
    /// The state that it was booked on, and as it is then.
    before: State,
    after: State,
    facts: Vec<Fact>,
    executions: usize,
}

/// Books executions made elsewhere on a copy of a state, in the order of their moments, with what
/// became of what they opened; or none of them, and what is wrong with which. It may take its time
/// where nobody waits for it.
///
/// # Errors
/// What is wrong with which execution.
pub fn prepare_history(
    state: &State,
    quoter: &mut Quoter,
    executions: &[Execution],
) -> Result<PreparedHistory, Vec<HistoryProblem>> {
    let (mut units, problems) = examine(state, executions);
    if !problems.is_empty() {
        return Err(problems);
    }
    units.sort_by_key(|(i, _)| executions[*i].at);
    let (world, now) = (Arc::clone(&state.world), state.clock.now);
    let mut booking = Booking {
        next: state.clone(),
        alone: Account::default(),
        own: Vec::new(),
        facts: Vec::new(),
        now: units.first().map_or(now, |(i, _)| executions[*i].at),
    };
    for (i, unit) in units {
        let e = &executions[i];
        booking.live(&world, quoter, e.at);
        booking.trade(&world, e, unit);
    }
    booking.live(&world, quoter, now);
    Ok(PreparedHistory {
        before: state.clone(),
        after: booking.next,
        facts: booking.facts,
        executions: executions.len(),
    })
}

impl Engine {
    /// Takes over a prepared history; how many executions were booked, or nothing where account or
    /// orders are others since it was prepared, or an opening or close lies between: then it is
    /// prepared again.
    ///
    /// # Errors
    /// The books that it makes do not hold.
    pub fn adopt_history(&mut self, prepared: PreparedHistory) -> Result<Option<usize>, Refusal> {
        let PreparedHistory {
            before,
            after,
            mut facts,
            executions,
        } = prepared;
        let then = before.clock.now;
        let same = Arc::ptr_eq(&before.account, &self.state.account)
            && before.orders.len() == self.state.orders.len()
            && before
                .orders
                .iter()
                .zip(&self.state.orders)
                .all(|(a, b)| Arc::ptr_eq(a, b));
        if !same || next_open(then).min(next_close(then)) <= self.state.clock.now {
            return Ok(None);
        }
        let mut next = State {
            account: after.account,
            orders: after.orders,
            open: after.open,
            ..self.state.clone()
        };
        // What works to close may have been closed elsewhere.
        let mut orders = next.floor();
        self.close_no_more_than_held(&mut next, &mut orders, &mut facts);
        self.commit(next, facts)?;
        Ok(Some(executions))
    }

    /// Books executions made elsewhere at once, as [`prepare_history`] does.
    ///
    /// # Errors
    /// The books that they make do not hold.
    pub fn import_history(
        &mut self,
        executions: &[Execution],
    ) -> Result<Result<usize, Vec<HistoryProblem>>, Refusal> {
        match prepare_history(&self.state, &mut self.quoter, executions) {
            Ok(prepared) => Ok(Ok(self.adopt_history(prepared)?.unwrap_or(0))),
            Err(problems) => Ok(Err(problems)),
        }
    }
}
