//! The desk's whole state and every rule that changes it.
//!
//! A change is worked out on a copy (cheap: shared parts are copied only when touched), its facts are
//! committed in one transaction, and only then does the copy become the state. Nothing is acknowledged
//! before it is durable, and nothing is half done.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::{close_of, is_session, next_close, next_open};
use desk::order::{self, Event};
use desk::{Account, Moment, Money, Order, OrderError, Price, Pricing, Request, Structure};
use market::{Clock, Quoter, SPEEDS, Step, World, check_listed, exchange};
use store::{ClockState, Fact, Saved, Store};

use crate::money::{account_value, account_view, effect_of};
use crate::refusal::Refusal;

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
    pub orders: Arc<Vec<Order>>,
    /// The account.
    pub account: Arc<Account>,
    /// Drafts by slot.
    pub drafts: Arc<Drafts>,
    /// Account value at closes, as (ISO date, value), ascending.
    pub marks: Arc<Vec<(String, Money)>>,
    /// Counts changes of orders and account, so that readers know when to look again.
    pub version: u64,
}

/// Owner of the state; lives on one thread.
pub struct Desk {
    state: State,
    store: Store,
    quoter: Quoter,
}

impl Desk {
    /// Rebuilds the state from what is stored, by replaying it, and proves that the books agree.
    pub fn restore(store: Store, world: Arc<World>, saved: Saved, start: Moment) -> Result<Desk, Refusal> {
        let mut account = Account::default();
        for (row, j) in saved.journal.iter().enumerate() {
            let replayed = match (&j.fill, &j.settled) {
                (Some(fill), _) => {
                    let order = saved.orders.iter().find(|o| o.id == fill.order).ok_or(Refusal::NoOrder(fill.order))?;
                    account.fill(fill, order.request.closes, multiplier(&world, &order.request.symbol), j.entry.memo.clone())
                }
                (None, Some((contract, value))) => {
                    let m = world.owner(contract).map_or(1, |u| u.multiplier);
                    let entry = account.settle(j.entry.at, contract, *value, m, j.entry.memo.clone());
                    entry.ok_or_else(|| Refusal::Inconsistent(format!("entry {row} settles {contract}, which was not held")))?
                }
                (None, None) => account.deposit(j.entry.at, j.entry.amount(desk::Book::Cash)),
            };
            if replayed.postings != j.entry.postings {
                return Err(Refusal::Inconsistent(format!("entry {row} ({}) replays to other amounts", j.entry.memo)));
            }
        }
        let violations = account.violations();
        if !violations.is_empty() {
            return Err(Refusal::Inconsistent(violations.join("; ")));
        }
        let clock = saved.clock.map_or(Clock { now: start, running: false, speed: 1 }, |c| Clock { now: c.now, running: c.running, speed: c.speed });
        let state = State {
            world,
            clock,
            orders: Arc::new(saved.orders),
            account: Arc::new(account),
            drafts: Arc::new(saved.drafts.into_iter().collect()),
            marks: Arc::new(saved.marks),
            version: 1,
        };
        Ok(Desk { state, store, quoter: Quoter::new() })
    }

    /// The state now.
    pub fn state(&self) -> &State {
        &self.state
    }

    fn commit(&mut self, next: State, facts: &[Fact]) -> Result<(), Refusal> {
        self.store.commit(facts)?;
        self.state = next;
        Ok(())
    }

    /// Books money paid in.
    pub fn deposit(&mut self, amount: Money) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let entry = Arc::make_mut(&mut next.account).deposit(next.clock.now, amount).clone();
        next.version += 1;
        self.commit(next, &[Fact::Booked(entry, None)])
    }

    /// Lets real time pass.
    pub fn pass(&mut self, real_millis: i64, keep_clock: bool) -> Result<(), Refusal> {
        let to = self.state.clock.after(real_millis);
        if to > self.state.clock.now { self.advance(to, keep_clock) } else { Ok(()) }
    }

    /// Jumps ahead; everything on the way happens in its order.
    pub fn step(&mut self, step: Step) -> Result<(), Refusal> {
        let to = self.state.clock.target(step, self.state.world.underlyings());
        self.advance(to, true)
    }

    /// Runs, pauses or changes speed.
    pub fn set_clock(&mut self, running: Option<bool>, speed: Option<u32>) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        next.clock.running = running.unwrap_or(next.clock.running);
        if let Some(speed) = speed {
            if !SPEEDS.contains(&speed) {
                let message = format!("{speed} is not a speed; choose one of {SPEEDS:?}");
                return Err(Refusal::Field { field: "speed", message });
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
            next.clock.now = stop;
            self.settle_at(&mut next, stop, &mut facts);
            let day = stop.date();
            if is_session(day) && stop == close_of(day) {
                let value = account_value(&next, &mut self.quoter);
                Arc::make_mut(&mut next.marks).push((day.to_string(), value));
                facts.push(Fact::Mark(day.to_string(), value));
                self.quoter.forget_before(stop);
            }
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
        self.commit(next, &facts)
    }

    fn trade_until(&mut self, next: &mut State, from: Moment, to: Moment, facts: &mut Vec<Fact>) {
        if !next.orders.iter().any(|o| o.state().is_open()) {
            return;
        }
        let world = Arc::clone(&next.world);
        // Worked on a copy so that readers' shared list is copied only when something happened.
        let mut orders = (*next.orders).clone();
        let happened = exchange::advance(&world, &mut self.quoter, &mut orders, from, to);
        if happened.is_empty() {
            return;
        }
        for (i, at, event) in happened {
            facts.push(Fact::Happened(orders[i].id, at, event.clone()));
            if let Event::Filled(fill) = &event {
                facts.push(book_fill(next, &orders[i], fill));
            }
        }
        next.orders = Arc::new(orders);
    }

    /// Settles what expires at this moment in cash at the print of the underlying.
    fn settle_at(&mut self, next: &mut State, at: Moment, facts: &mut Vec<Fact>) {
        let world = Arc::clone(&next.world);
        for contract in next.account.expiring(at.date()) {
            let Some(underlying) = world.owner(&contract) else { continue };
            if underlying.expiry_moment(&contract) > at {
                continue;
            }
            let Some(print) = world.spot(&underlying.symbol, underlying.expiry_moment(&contract)) else { continue };
            let inside = match contract.kind {
                desk::Kind::Call => print - contract.strike,
                desk::Kind::Put => contract.strike - print,
            };
            // Exercise by exception: in the money by a cent or more.
            let value = if inside >= Price::cents(1) { inside } else { Price::ZERO };
            let how = if value == Price::ZERO { "expired worthless".to_owned() } else { format!("settled in cash at {}", value.fixed(2)) };
            let memo = format!("{} {} {how}, {} at {print}", underlying.symbol, contract.label(), underlying.symbol);
            let booked = Arc::make_mut(&mut next.account).settle(at, &contract, value, underlying.multiplier, memo);
            if let Some(entry) = booked {
                facts.push(Fact::Booked(entry.clone(), Some((contract, value))));
            }
        }
    }

    /// Places an order: checked, accepted, and filled at once where it is marketable.
    pub fn place(&mut self, request: Request) -> Result<Order, Refusal> {
        if let Some(same) = self.state.orders.iter().find(|o| o.request.client_id == request.client_id) {
            return Err(Refusal::Duplicate(same.id));
        }
        let now = self.state.clock.now;
        self.check(&request)?;
        let mut next = self.state.clone();
        let id = next.orders.last().map_or(1, |o| o.id + 1);
        let mut order = Order { id, placed: now, request, events: vec![(now, Event::Accepted)] };
        let mut facts = vec![Fact::Placed(order.clone())];
        self.arrive(&mut next, &mut order, &mut facts);
        Arc::make_mut(&mut next.orders).push(order.clone());
        next.version += 1;
        facts.push(clock_fact(&next.clock));
        self.commit(next, &facts)?;
        Ok(order)
    }

    fn arrive(&mut self, next: &mut State, order: &mut Order, facts: &mut Vec<Fact>) {
        let now = next.clock.now;
        if let Some(fill) = exchange::on_arrival(&next.world, &mut self.quoter, order, now) {
            facts.push(Fact::Happened(order.id, now, Event::Filled(fill.clone())));
            facts.push(book_fill(next, order, &fill));
            order.events.push((now, Event::Filled(fill)));
        }
    }

    /// Everything that can be wrong with a request, in the order a trader would look.
    fn check(&mut self, request: &Request) -> Result<(), Refusal> {
        let state = &self.state;
        let now = state.clock.now;
        order::check_quantity(request.quantity)?;
        check_legs(state, &request.symbol, &request.unit)?;
        let underlying = known(state, &request.symbol)?;
        let ticks = underlying.package_ticks(request.unit.legs().len());
        match request.pricing {
            Pricing::Limit(price) => order::check_limit(&request.unit, &ticks, spot_of(state, &request.symbol), price)?,
            Pricing::Market => {
                for leg in request.unit.legs().iter().filter(|l| l.quantity < 0) {
                    let quote = self.quoter.quote(&state.world, &leg.contract, now).ok_or_else(|| Refusal::NoQuote(leg.contract.clone()))?;
                    if quote.quote.bid == Price::ZERO {
                        return Err(OrderError::NoBid(leg.contract.clone()).into());
                    }
                }
            }
        }
        if let Some(campaign) = request.closes {
            check_closing(state, request, campaign)?;
        }
        self.check_buying_power(request, None)
    }

    fn check_buying_power(&mut self, request: &Request, replacing: Option<u64>) -> Result<(), Refusal> {
        let view = account_view(&self.state, &mut self.quoter, &request.symbol, replacing);
        let takes = |quoter: &mut Quoter, n: i64| effect_of(&self.state, quoter, request, n, &view).map(|e| (e.takes(), e.buying_power_now));
        let (needed, available) = takes(&mut self.quoter, request.quantity)?;
        if needed <= Money::ZERO || needed <= available {
            return Ok(());
        }
        let mut most = 0;
        let (mut low, mut high) = (0, request.quantity);
        while low < high {
            let middle = (low + high + 1) / 2;
            if takes(&mut self.quoter, middle)?.0 <= available {
                most = middle;
                low = middle;
            } else {
                high = middle - 1;
            }
        }
        Err(OrderError::BuyingPower { needed, available, most }.into())
    }

    fn find(&self, id: u64) -> Result<(usize, &Order), Refusal> {
        let index = self.state.orders.iter().position(|o| o.id == id).ok_or(Refusal::NoOrder(id))?;
        Ok((index, &self.state.orders[index]))
    }

    /// Changes the limit of a working order; it may fill at once.
    pub fn reprice(&mut self, id: u64, price: Price) -> Result<Order, Refusal> {
        let (index, order) = self.find(id)?;
        order.require_open()?;
        if order.pricing() == Pricing::Market {
            return Err(OrderError::NoLimit(id).into());
        }
        let mut order = order.clone();
        let ticks = known(&self.state, &order.request.symbol)?.package_ticks(order.request.unit.legs().len());
        order::check_limit(&order.request.unit, &ticks, spot_of(&self.state, &order.request.symbol), price)?;
        let asked = Request { pricing: Pricing::Limit(price), quantity: order.remaining(), ..order.request.clone() };
        self.check_buying_power(&asked, Some(id))?;
        let mut next = self.state.clone();
        let now = next.clock.now;
        order.events.push((now, Event::Repriced(price)));
        let mut facts = vec![Fact::Happened(id, now, Event::Repriced(price))];
        self.arrive(&mut next, &mut order, &mut facts);
        Arc::make_mut(&mut next.orders)[index] = order.clone();
        next.version += 1;
        self.commit(next, &facts)?;
        Ok(order)
    }

    /// Cancels what is left of a working order.
    pub fn cancel(&mut self, id: u64) -> Result<Order, Refusal> {
        let (index, order) = self.find(id)?;
        order.require_open()?;
        let mut next = self.state.clone();
        let now = next.clock.now;
        let changed = &mut Arc::make_mut(&mut next.orders)[index];
        changed.events.push((now, Event::Cancelled));
        let changed = changed.clone();
        next.version += 1;
        self.commit(next, &[Fact::Happened(id, now, Event::Cancelled)])?;
        Ok(changed)
    }

    /// Keeps a draft, or throws it away.
    pub fn keep_draft(&mut self, slot: String, body: Option<String>) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let drafts = Arc::make_mut(&mut next.drafts);
        let fact = match body {
            Some(body) => {
                drafts.insert(slot.clone(), body.clone());
                Fact::Draft(slot, body, next.clock.now)
            }
            None => {
                drafts.remove(&slot);
                Fact::DraftGone(slot)
            }
        };
        self.commit(next, &[fact])
    }
}

fn clock_fact(clock: &Clock) -> Fact {
    Fact::Clock(ClockState { now: clock.now, running: clock.running, speed: clock.speed })
}

fn multiplier(world: &World, symbol: &str) -> i64 {
    world.underlying(symbol).map_or(1, |u| u.multiplier)
}

/// Price of a known underlying now.
pub fn spot_of(state: &State, symbol: &str) -> Price {
    state.world.spot(symbol, state.clock.now).unwrap_or_default()
}

/// An underlying by symbol, or what is known.
pub fn known<'a>(state: &'a State, symbol: &str) -> Result<&'a desk::Underlying, Refusal> {
    let all = || state.world.underlyings().map(|u| u.symbol.as_str()).collect::<Vec<_>>().join(", ");
    state.world.underlying(symbol).ok_or_else(|| Refusal::UnknownSymbol(symbol.chars().take(20).collect(), all()))
}

/// Every leg is listed, belongs to the symbol, and the ratio is the lowest.
pub fn check_legs(state: &State, symbol: &str, unit: &Structure) -> Result<(), Refusal> {
    let underlying = known(state, symbol)?;
    for leg in unit.legs() {
        // What the account holds stays tradable until it expires.
        let held = state.account.held(&leg.contract) != 0 && underlying.expiry_moment(&leg.contract) > state.clock.now;
        if !held {
            check_listed(&state.world, &leg.contract, state.clock.now)?;
        }
        if !underlying.owns_root(&leg.contract.root) {
            return Err(Refusal::OtherUnderlying(leg.contract.clone(), symbol.to_owned()));
        }
    }
    match unit.packages() {
        1 => Ok(()),
        n => Err(Refusal::NotUnit(n)),
    }
}

/// A closing order may not close more than its campaign holds, counting what already works.
fn check_closing(state: &State, request: &Request, campaign: u64) -> Result<(), Refusal> {
    if !state.account.lots().iter().any(|l| l.campaign == campaign) {
        return Err(Refusal::NoCampaign(campaign));
    }
    let working = state.orders.iter().filter(|o| o.state().is_open() && o.request.closes == Some(campaign));
    let working: Vec<&Order> = working.collect();
    for leg in request.unit.legs() {
        let held = state.account.held_by(campaign, &leg.contract);
        let queued: i64 = working
            .iter()
            .map(|o| o.remaining() * o.request.unit.legs().iter().filter(|l| l.contract == leg.contract).map(|l| l.quantity).sum::<i64>())
            .sum();
        let asked = leg.quantity * request.quantity;
        let left = held + queued;
        if left.signum() != -asked.signum() || asked.abs() > left.abs() {
            return Err(OrderError::MoreThanHeld { contract: leg.contract.clone(), asked: asked.abs(), held: left.abs() }.into());
        }
    }
    Ok(())
}

/// "iron condor 205/200 · 175/165". A closing order is told by the name of what it closes, not of its
/// mirror image.
pub fn told(order: &Order) -> String {
    let unit = &order.request.unit;
    let named = if order.request.closes.is_some() { unit.turned() } else { unit.clone() };
    format!("{} {}", desk::recognise(&named).text, unit.strikes_label())
}

fn book_fill(next: &mut State, order: &Order, fill: &desk::Fill) -> Fact {
    let verb = if order.request.closes.is_some() { "closed" } else { "opened" };
    let (price, side) = if fill.price < Price::ZERO { (-fill.price, "credit") } else { (fill.price, "debit") };
    let memo = format!("{verb} {} × {} {} at {price} {side}", fill.packages, order.request.symbol, told(order));
    let m = multiplier(&next.world, &order.request.symbol);
    let entry = Arc::make_mut(&mut next.account).fill(fill, order.request.closes, m, memo).clone();
    Fact::Booked(entry, None)
}

/// Whether the exchange trades now, and when that changes next.
pub fn session(at: Moment) -> (bool, Moment) {
    let open = desk::calendar::is_open(at);
    (open, if open { next_close(at) } else { next_open(at) })
}
