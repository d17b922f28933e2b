//! Orders: every check a ticket passes, placing alone and together, changing, cancelling, and the booking of what the exchange does.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::is_session;
use desk::order::Event;
use desk::ticket;
use desk::{Instrument, Level, Link, Money, Order, OrderError, Price, Pricing, Purpose, Request, Structure, TimeInForce, Underlying, UnderlyingKind};
use market::{Quoter, check_listed, exchange};
use store::Fact;

use crate::money::{account_view, effect_of};
use crate::refusal::Refusal;
use crate::state::{Desk, State, clock_fact, known, spot_of};

impl Desk {
    /// Places an order: checked, accepted, and filled at once where it is marketable.
    pub fn place(&mut self, request: Request) -> Result<Order, Refusal> {
        let mut placed = self.place_all(vec![request], None)?;
        Ok(placed.swap_remove(0))
    }

    /// Places orders that depend on each other, all or none.
    pub fn place_linked(&mut self, requests: Vec<Request>, tie: Tie) -> Result<Vec<Order>, Refusal> {
        let fits = match tie {
            Tie::OneCancelsOther | Tie::OneTriggersOther => (2..=4).contains(&requests.len()),
            Tie::Bracket => requests.len() == 3,
        };
        if !fits {
            let message = format!(
                "{} orders; {}",
                requests.len(),
                if tie == Tie::Bracket { "a bracket is three: the entry and two that close it" } else { "write 2 to 4" }
            );
            return Err(Refusal::Field { field: "orders", message });
        }
        self.place_all(requests, Some(tie))
    }

    fn place_all(&mut self, mut requests: Vec<Request>, tie: Option<Tie>) -> Result<Vec<Order>, Refusal> {
        for (i, request) in requests.iter().enumerate() {
            if let Some(same) = self.state.orders.iter().find(|o| o.request.client_id == request.client_id) {
                return Err(Refusal::Duplicate(same.id));
            }
            if requests[..i].iter().any(|r| r.client_id == request.client_id) {
                return Err(Refusal::Field { field: "clientId", message: format!("{:?} stands twice; give each order its own", request.client_id) });
            }
        }
        let now = self.state.clock.now;
        let first = self.state.orders.last().map_or(1, |o| o.id + 1);
        if let Some(tie) = tie {
            tie_together(&mut requests, tie, first)?;
        }
        for request in &requests {
            self.check(request)?;
        }
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        let from = next.orders.len();
        let ids: Vec<u64> = (first..).take(requests.len()).collect();
        for (request, id) in requests.into_iter().zip(&ids) {
            let order = Order { id: *id, placed: now, request, events: vec![(now, Event::Accepted)] };
            facts.push(Fact::Placed(order.clone()));
            Arc::make_mut(&mut next.orders).push(order);
        }
        for i in from..next.orders.len() {
            if next.orders[i].state().is_open() {
                self.arrive(&mut next, i, &mut facts);
            }
        }
        next.version += 1;
        facts.push(clock_fact(&next.clock));
        let placed = next.orders[from..].to_vec();
        self.commit(next, &facts)?;
        Ok(placed)
    }

    fn arrive(&mut self, next: &mut State, i: usize, facts: &mut Vec<Fact>) {
        let (world, now) = (Arc::clone(&next.world), next.clock.now);
        let happened = exchange::arrive(&world, &mut self.quoter, Arc::make_mut(&mut next.orders).as_mut_slice(), i, now);
        record(next, happened, facts);
    }

    /// Everything that can be wrong with a request, in the order a trader would look.
    fn check(&mut self, request: &Request) -> Result<(), Refusal> {
        let state = &self.state;
        let now = state.clock.now;
        ticket::check_quantity(&request.unit, request.quantity)?;
        check_legs(state, &request.symbol, &request.unit)?;
        let underlying = known(state, &request.symbol)?;
        let ticks = underlying.ticks_of(&request.unit);
        match request.pricing {
            Pricing::Limit(price) => ticket::check_limit(&request.unit, underlying, spot_of(state, &request.symbol), price)?,
            Pricing::Market => {
                for leg in request.unit.legs().iter().filter(|l| l.quantity < 0) {
                    let quote = self.quoter.quote_any(&state.world, &leg.instrument, now).ok_or_else(|| Refusal::NoQuote(leg.instrument.clone()))?;
                    if quote.bid == Price::ZERO {
                        return Err(OrderError::NoBid(leg.instrument.clone()).into());
                    }
                }
            }
        }
        check_time(state, request)?;
        self.check_trigger(request, &ticks)?;
        match (request.purpose.campaign(), request.link.after) {
            // What waits for an order of its own closes what that order will open.
            (Some(campaign), Some(after)) if campaign == after => return Ok(()),
            (Some(campaign), _) => check_closing(&self.state, request, campaign)?,
            (None, _) => {}
        }
        self.check_buying_power(request, None)
    }

    fn check_trigger(&mut self, request: &Request, ticks: &desk::TickTable) -> Result<(), Refusal> {
        let Some(trigger) = request.trigger else { return Ok(()) };
        let (Level::At(price) | Level::Trailing(price)) = trigger.level;
        if !ticks.allows(price) {
            let (below, above) = (ticks.floor(price), ticks.ceil(price));
            return Err(OrderError::OffTick { price, tick: ticks.tick_at(price), below, above }.into());
        }
        match trigger.level {
            Level::Trailing(by) if by <= Price::ZERO => Err(OrderError::TrailingDistance(by).into()),
            Level::Trailing(_) => Ok(()),
            // What waits for another order is looked at when that fills.
            Level::At(_) if request.link.after.is_some() => Ok(()),
            Level::At(level) => {
                let now = self.state.clock.now;
                let asked = Order { id: 0, placed: now, request: request.clone(), events: Vec::new() };
                let market = exchange::market_of(&self.state.world, &mut self.quoter, &asked, now);
                match market.map(|(m, _)| exchange::watched(&m, trigger.side)) {
                    Some(now) if now >= level => Err(OrderError::TriggersAtOnce { now, level }.into()),
                    _ => Ok(()),
                }
            }
        }
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
        let underlying = known(&self.state, &order.request.symbol)?;
        ticket::check_limit(&order.request.unit, underlying, spot_of(&self.state, &order.request.symbol), price)?;
        let asked = Request { pricing: Pricing::Limit(price), quantity: order.remaining(), ..order.request.clone() };
        self.check_buying_power(&asked, Some(id))?;
        let mut next = self.state.clone();
        let now = next.clock.now;
        order.events.push((now, Event::Repriced(price)));
        let mut facts = vec![Fact::Happened(id, now, Event::Repriced(price))];
        Arc::make_mut(&mut next.orders)[index] = order;
        self.arrive(&mut next, index, &mut facts);
        next.version += 1;
        let order = next.orders[index].clone();
        self.commit(next, &facts)?;
        Ok(order)
    }

    /// Cancels what is left of a working order.
    pub fn cancel(&mut self, id: u64) -> Result<Order, Refusal> {
        let (index, order) = self.find(id)?;
        order.require_open()?;
        let mut next = self.state.clone();
        let now = next.clock.now;
        let happened = exchange::cancel(Arc::make_mut(&mut next.orders).as_mut_slice(), index, now);
        let mut facts = Vec::new();
        record(&mut next, happened, &mut facts);
        next.version += 1;
        let changed = next.orders[index].clone();
        self.commit(next, &facts)?;
        Ok(changed)
    }
}

/// How orders placed together depend on each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tie {
    /// A fill of one takes as many packages from the others.
    OneCancelsOther,
    /// The others become active as the first fills.
    OneTriggersOther,
    /// The first, and two that close it and cancel each other.
    Bracket,
}

/// Numbers the orders that each waits for or cancels; the first will get the number `first`.
fn tie_together(requests: &mut [Request], tie: Tie, first: u64) -> Result<(), Refusal> {
    let (entry, rest) = requests.split_at_mut(1);
    let entry = &mut entry[0];
    if tie == Tie::OneCancelsOther {
        entry.link.group = Some(first);
    }
    for request in rest {
        match tie {
            Tie::OneCancelsOther => request.link.group = Some(first),
            Tie::OneTriggersOther => request.link.after = Some(first),
            Tie::Bracket => request.link = Link { after: Some(first), group: Some(first + 1) },
        }
        if request.link.after.is_none() {
            continue;
        }
        if request.quantity != entry.quantity {
            let message = format!("{} where the order it waits for has {}; write the same", request.quantity, entry.quantity);
            return Err(Refusal::Field { field: "quantity", message });
        }
        if request.symbol == entry.symbol && request.unit == entry.unit.turned() {
            request.purpose = Purpose::Close(first);
        } else if tie == Tie::Bracket {
            let message = "the second and third order of a bracket close the first: their legs are its legs turned over".into();
            return Err(Refusal::Field { field: "legs", message });
        }
    }
    Ok(())
}

/// Books what happened to orders, and keeps it.
pub(crate) fn record(next: &mut State, happened: Vec<exchange::Happening>, facts: &mut Vec<Fact>) {
    for (i, at, event) in happened {
        facts.push(Fact::Happened(next.orders[i].id, at, event.clone()));
        if let Event::Filled(fill) = &event {
            let order = next.orders[i].clone();
            facts.extend(book_fill(next, &order, fill));
        }
    }
}

/// A last day lies between the next session and the first expiry; at once needs an open market.
fn check_time(state: &State, request: &Request) -> Result<(), Refusal> {
    let now = state.clock.now;
    match request.time_in_force {
        TimeInForce::GoodTillDate(date) => {
            let from = exchange::day_end(now).date();
            let ends = request.unit.options().map(|(c, _)| c.expiry).chain(known(state, &request.symbol)?.last_session);
            let to = ends.min().unwrap_or(market::LAST);
            if is_session(date) && date >= from && date <= to { Ok(()) } else { Err(OrderError::LastDay { date, from, to }.into()) }
        }
        TimeInForce::ImmediateOrCancel | TimeInForce::FillOrKill if request.trigger.is_some() || request.link.after.is_some() => {
            let message = "an order for at once cannot wait for a trigger or another order; give it a day".into();
            Err(Refusal::Field { field: "timeInForce", message })
        }
        TimeInForce::ImmediateOrCancel | TimeInForce::FillOrKill if !desk::calendar::is_open(now) => Err(OrderError::ClosedForAtOnce.into()),
        _ => Ok(()),
    }
}

/// Every leg is listed, belongs to the symbol, and the ratio is the lowest.
pub fn check_legs(state: &State, symbol: &str, unit: &Structure) -> Result<(), Refusal> {
    let underlying = known(state, symbol)?;
    for leg in unit.legs() {
        let belongs = match &leg.instrument {
            Instrument::Option(contract) => {
                // What the account holds stays tradable until it expires.
                let held = state.account.held(&leg.instrument) != 0 && underlying.expiry_moment(contract) > state.clock.now;
                if !held {
                    check_listed(&state.world, contract, state.clock.now)?;
                }
                underlying.owns_root(&contract.root)
            }
            Instrument::Underlying(own) => {
                known(state, own)?;
                own == symbol
            }
        };
        if !belongs {
            return Err(Refusal::OtherUnderlying(leg.instrument.clone(), symbol.to_owned()));
        }
        if leg.instrument.option().is_none() && underlying.kind == UnderlyingKind::Index {
            return Err(Refusal::NotTradable(symbol.to_owned()));
        }
    }
    match unit.packages() {
        1 => Ok(()),
        n => Err(Refusal::NotUnit(n)),
    }
}

/// A closing order may not close more than its campaign holds, counting what already works; a rolling one may open what it does not hold.
fn check_closing(state: &State, request: &Request, campaign: u64) -> Result<(), Refusal> {
    if !state.account.lots().iter().any(|l| l.campaign == campaign) {
        return Err(Refusal::NoCampaign(campaign));
    }
    let working = state.orders.iter().filter(|o| o.state().is_open() && o.request.purpose.campaign() == Some(campaign));
    let working: Vec<&Order> = working.collect();
    for leg in request.unit.legs() {
        let held = state.account.held_by(campaign, &leg.instrument);
        // Of orders that cancel each other one can fill: the largest counts.
        let mut queued: BTreeMap<u64, i64> = BTreeMap::new();
        for o in &working {
            // What a roll opens is not there yet.
            let closes = o.remaining() * o.request.unit.legs().iter().filter(|l| l.instrument == leg.instrument).map(|l| l.quantity).sum::<i64>();
            let most = queued.entry(o.request.link.group.unwrap_or(o.id)).or_default();
            *most = if closes.abs() > most.abs() { closes } else { *most };
        }
        let queued: i64 = queued.into_values().sum();
        let asked = leg.quantity * request.quantity;
        if matches!(request.purpose, Purpose::Roll(_)) && (held == 0 || held.signum() == asked.signum()) {
            continue;
        }
        let queued = if held.signum() == queued.signum() { 0 } else { queued };
        let left = held + queued;
        if left.signum() != -asked.signum() || asked.abs() > left.abs() {
            let by = working.iter().filter(|o| o.request.unit.legs().iter().any(|l| l.instrument == leg.instrument)).map(|o| o.id).collect();
            // Where other orders close more than there is, nothing is left.
            let free = if left.signum() == held.signum() { left.abs() } else { 0 };
            return Err(OrderError::MoreThanHeld { instrument: leg.instrument.clone(), asked: asked.abs(), held: free, by }.into());
        }
    }
    Ok(())
}

/// "iron condor 205/200 · 175/165". A closing order is told by the name of what it closes, not of its
/// mirror image.
pub fn told(order: &Order, underlying: &Underlying) -> String {
    let unit = &order.request.unit;
    let name = match order.request.purpose {
        Purpose::Open => desk::recognise(unit, underlying).text,
        Purpose::Close(_) => desk::recognise(&unit.turned(), underlying).text,
        Purpose::Roll(_) => "roll".to_owned(),
    };
    format!("{name} {}", unit.strikes_label()).trim_end().to_owned()
}

fn book_fill(next: &mut State, order: &Order, fill: &desk::Fill) -> Option<Fact> {
    let world = Arc::clone(&next.world);
    let underlying = world.underlying(&order.request.symbol)?;
    let (verb, what) = match order.request.purpose {
        Purpose::Open => ("opened", told(order, underlying)),
        Purpose::Close(_) => ("closed", told(order, underlying)),
        Purpose::Roll(_) => ("rolled", order.request.unit.strikes_label()),
    };
    let side = if fill.price < Price::ZERO { "credit" } else { "debit" };
    let price = underlying.style_of_price.write(fill.price.abs());
    let memo = format!("{verb} {} × {} {} at {price} {side}", fill.packages, order.request.symbol, what);
    let entry = Arc::make_mut(&mut next.account).fill(fill, order.request.purpose.campaign(), underlying, memo).clone();
    Some(Fact::Booked(entry, None))
}
