//! Orders: every check a ticket passes, placing alone and together, changing, cancelling, and the
//! booking of what the exchange does.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::is_session;
use desk::order::Event;
use desk::ticket;
use desk::{
    EntryPrice, Holding, Instrument, Level, Link, Occurrence, Order, OrderError, Price, Pricing,
    Purpose, Request, TimeInForce, Underlying, UnderlyingKind,
};
use market::{check_listed, exchange};
use store::Fact;

use crate::money::{account_view, effect_of, taken_by};
use crate::refusal::Refusal;
use crate::state::{Desk, State, clock_fact, known, spot_of};

impl Desk {
    /// Places an order: checked, accepted, and filled at once where it is marketable. The same
    /// ticket again gives the same order.
    pub fn place(&mut self, request: Request) -> Result<Order, Refusal> {
        let mut placed = self.place_all(vec![request], None)?;
        Ok(placed.swap_remove(0))
    }

    /// Places orders that depend on each other, all or none.
    pub fn place_linked(
        &mut self,
        requests: Vec<Request>,
        tie: Tie,
    ) -> Result<Vec<Order>, Refusal> {
        let fits = match tie {
            Tie::OneCancelsOther | Tie::OneTriggersOther => (2..=4).contains(&requests.len()),
            Tie::Bracket => requests.len() == 3,
        };
        if !fits {
            let message = format!(
                "{} orders; {}",
                requests.len(),
                if tie == Tie::Bracket {
                    "a bracket is three: the entry and two that close it"
                } else {
                    "write 2 to 4"
                }
            );
            return Err(Refusal::Field {
                field: "orders",
                message,
            });
        }
        self.place_all(requests, Some(tie))
    }

    /// Closes so many packages of each campaign by an order of its own at a price of its market,
    /// all or none.
    pub fn close_positions(
        &mut self,
        client_id: &str,
        which: &[(u64, i64)],
        at: &EntryPrice,
    ) -> Result<Vec<Order>, Refusal> {
        // A retry finds its orders as they were sent, whatever the market does meanwhile.
        let own = |i: usize| format!("{client_id}-{i}");
        let before: Vec<&Arc<Order>> = (0..which.len())
            .filter_map(|i| self.placed_as(&own(i)))
            .collect();
        if !before.is_empty() {
            let same = before.len() == which.len()
                && before.iter().zip(which).all(|(o, (campaign, n))| {
                    o.request.purpose == Purpose::Close(*campaign) && o.request.quantity == *n
                });
            return if same {
                Ok(before.into_iter().map(|o| Order::clone(o)).collect())
            } else {
                Err(Refusal::Duplicate(before[0].id))
            };
        }
        if let Some((twice, _)) = which
            .iter()
            .enumerate()
            .find(|(i, (campaign, _))| which[..*i].iter().any(|(c, _)| c == campaign))
            .map(|(_, w)| w)
        {
            return Err(Refusal::Field {
                field: "positions",
                message: format!(
                    "position {twice} stands twice; write it once with its whole number"
                ),
            });
        }
        let all = crate::campaigns::campaigns(&self.state);
        let mut requests = Vec::new();
        for (i, (campaign, packages)) in which.iter().enumerate() {
            let (symbol, _, lots) = all
                .iter()
                .find(|(_, id, _)| id == campaign)
                .ok_or(Refusal::NoCampaign(*campaign))?;
            let unit = crate::campaigns::structure_of(lots)
                .ok_or(Refusal::NoCampaign(*campaign))?
                .unit()
                .reversed();
            let underlying = known(&self.state, symbol)?;
            let quote = |l: &desk::Leg| {
                let found =
                    self.quoter
                        .quote_any(&self.state.world, &l.instrument, self.state.clock.now);
                found.ok_or_else(|| Refusal::NoQuote(l.instrument.clone()))
            };
            let quotes = unit
                .legs()
                .iter()
                .map(quote)
                .collect::<Result<Vec<_>, _>>()?;
            let market = desk::package_quote(&unit, &quotes, underlying);
            let price = underlying
                .ticks_of(&unit)
                .floor(at.price(&unit, &market, &quotes, underlying));
            requests.push(Request {
                client_id: own(i),
                symbol: symbol.clone(),
                unit,
                quantity: *packages,
                pricing: Pricing::Limit(price),
                trigger: None,
                link: Link::default(),
                time_in_force: TimeInForce::Day,
                purpose: Purpose::Close(*campaign),
            });
        }
        self.place_all(requests, None)
    }

    fn place_all(
        &mut self,
        requests: Vec<Request>,
        tie: Option<Tie>,
    ) -> Result<Vec<Order>, Refusal> {
        let told: Vec<String> = requests
            .iter()
            .map(|r| format!("{} × {} {}", r.quantity, r.symbol, r.unit.strikes_label()))
            .collect();
        let done = self.try_place(requests, tie);
        if let Err(Refusal::Order(why)) = &done {
            self.ring(
                Occurrence::Refusal,
                format!("refused: {}: {why}", told.join(", ")),
            )?;
        }
        done
    }

    fn try_place(
        &mut self,
        mut requests: Vec<Request>,
        tie: Option<Tie>,
    ) -> Result<Vec<Order>, Refusal> {
        let known = |r: &Request| self.placed_as(&r.client_id);
        for (i, request) in requests.iter().enumerate() {
            if requests[..i]
                .iter()
                .any(|r| r.client_id == request.client_id)
            {
                return Err(Refusal::Field {
                    field: "clientId",
                    message: format!(
                        "{:?} stands twice; give each order its own",
                        request.client_id
                    ),
                });
            }
        }
        let now = self.state.clock.now;
        // A retry of what was placed before ties to the numbers that were given then.
        let before = requests.first().and_then(known).map(|o| o.id);
        let first = before.unwrap_or_else(|| self.state.orders.last().map_or(1, |o| o.id + 1));
        if let Some(tie) = tie {
            tie_together(&mut requests, tie, first)?;
        }
        let placed: Vec<Option<&Arc<Order>>> = requests.iter().map(known).collect();
        if let Some(same) = placed.iter().flatten().next() {
            let again = placed
                .iter()
                .zip(&requests)
                .all(|(o, r)| o.is_some_and(|o| o.request == *r));
            return if again {
                Ok(placed
                    .into_iter()
                    .flatten()
                    .map(|o| Order::clone(o))
                    .collect())
            } else {
                Err(Refusal::Duplicate(same.id))
            };
        }
        for request in &requests {
            self.check(request)?;
        }
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        let from = next.orders.len();
        let ids: Vec<u64> = (first..).take(requests.len()).collect();
        for (request, id) in requests.into_iter().zip(&ids) {
            let order = Order {
                id: *id,
                placed: now,
                request,
                events: vec![(now, Event::Accepted)],
            };
            facts.push(Fact::Placed(order.clone()));
            next.add(order);
        }
        for i in from..next.orders.len() {
            if next.orders[i].state().is_open() {
                self.arrive(&mut next, i, &mut facts);
            }
        }
        next.version += 1;
        facts.push(clock_fact(&next.clock));
        let placed = next.orders[from..]
            .iter()
            .map(|o| Order::clone(o))
            .collect();
        self.commit(next, &facts)?;
        Ok(placed)
    }

    pub(crate) fn arrive(&mut self, next: &mut State, i: usize, facts: &mut Vec<Fact>) {
        let (world, now) = (Arc::clone(&next.world), next.clock.now);
        let Some(place) = next.open.iter().position(|k| *k == i) else {
            return;
        };
        let happened = next
            .among_open(|orders| exchange::arrive(&world, &mut self.quoter, orders, place, now));
        // The one who sent it sees what it fills at once.
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
            Pricing::Limit(price) => ticket::check_limit(
                &request.unit,
                underlying,
                spot_of(state, &request.symbol),
                price,
            )?,
            Pricing::Market => {
                for leg in request.unit.legs().iter().filter(|l| l.quantity < 0) {
                    let quote = self
                        .quoter
                        .quote_any(&state.world, &leg.instrument, now)
                        .ok_or_else(|| Refusal::NoQuote(leg.instrument.clone()))?;
                    if quote.bid == Price::ZERO {
                        return Err(OrderError::NoBid(leg.instrument.clone()).into());
                    }
                }
            }
        }
        check_time(state, request)?;
        self.check_trigger(request, &ticks)?;
        match (request.purpose.campaign(), request.link.after) {
            (Some(campaign), after) if after != Some(campaign) => {
                check_closing(&self.state, request, campaign)?
            }
            _ => {}
        }
        self.check_buying_power(request, None)
    }

    fn check_trigger(&mut self, request: &Request, ticks: &desk::TickTable) -> Result<(), Refusal> {
        let Some(trigger) = request.trigger else {
            return Ok(());
        };
        let (Level::At(price) | Level::Trailing(price)) = trigger.level;
        if !ticks.allows(price) {
            let (below, above) = (ticks.floor(price), ticks.ceil(price));
            return Err(OrderError::OffTick {
                price,
                tick: ticks.tick_at(price),
                below,
                above,
            }
            .into());
        }
        match trigger.level {
            Level::Trailing(by) if by <= Price::ZERO => {
                Err(OrderError::TrailingDistance(by).into())
            }
            Level::Trailing(_) => Ok(()),
            // What waits for another order is looked at when that fills.
            Level::At(_) if request.link.after.is_some() => Ok(()),
            Level::At(level) => {
                let now = self.state.clock.now;
                let asked = Order {
                    id: 0,
                    placed: now,
                    request: request.clone(),
                    events: Vec::new(),
                };
                let market = exchange::market_of(&self.state.world, &mut self.quoter, &asked, now);
                match market.map(|(m, _)| exchange::watched(&m, trigger.side)) {
                    Some(now) if now >= level => {
                        Err(OrderError::TriggersAtOnce { now, level }.into())
                    }
                    _ => Ok(()),
                }
            }
        }
    }

    /// What the account's money, its approval and its day trades say.
    pub(crate) fn check_buying_power(
        &mut self,
        request: &Request,
        replacing: Option<u64>,
    ) -> Result<(), Refusal> {
        // What waits for an order of its own closes what that order will open: it takes nothing.
        if request.link.after.is_some() && request.link.after == request.purpose.campaign() {
            return Ok(());
        }
        let closing = matches!(request.purpose, Purpose::Close(_));
        let reserved = replacing.map_or(self.reserves.total(), |id| self.reserves.without(id));
        let view = account_view(&self.state, &mut self.quoter, &request.symbol, reserved);
        let effect = effect_of(
            &self.state,
            &mut self.quoter,
            request,
            request.quantity,
            &view,
        )?;
        if let Some(refusal) = effect.refusals(closing, &view).into_iter().next() {
            return Err(refusal.into());
        }
        if !effect.unbearable(closing) {
            return Ok(());
        }
        let available = effect.buying_power_now;
        let mut most = 0;
        let (mut low, mut high) = (0, request.quantity);
        while low < high {
            let middle = (low + high + 1) / 2;
            if taken_by(&self.state, &mut self.quoter, request, middle, &view)? <= available {
                most = middle;
                low = middle;
            } else {
                high = middle - 1;
            }
        }
        Err(OrderError::BuyingPower {
            needed: effect.takes(),
            available,
            most,
        }
        .into())
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
            Tie::Bracket => {
                request.link = Link {
                    after: Some(first),
                    group: Some(first + 1),
                }
            }
        }
        if request.link.after.is_none() {
            continue;
        }
        if request.quantity != entry.quantity {
            let message = format!(
                "{} where the order it waits for has {}; write the same",
                request.quantity, entry.quantity
            );
            return Err(Refusal::Field {
                field: "quantity",
                message,
            });
        }
        if request.symbol == entry.symbol && request.unit == entry.unit.reversed() {
            request.purpose = Purpose::Close(first);
        } else if tie == Tie::Bracket {
            let message = "the second and third order of a bracket close the first: their legs \
                           are its legs turned over"
                .into();
            return Err(Refusal::Field {
                field: "legs",
                message,
            });
        }
    }
    Ok(())
}

/// Books what happened to orders, and keeps it.
pub(crate) fn record(next: &mut State, happened: Vec<exchange::Happening>, facts: &mut Vec<Fact>) {
    for (i, at, event) in happened {
        facts.push(Fact::Happened(next.orders[i].id, at, event.clone()));
        if let Event::Filled(fill) = &event {
            let order = Arc::clone(&next.orders[i]);
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
            let ends = request
                .unit
                .options()
                .map(|(c, _)| c.expiry)
                .chain(known(state, &request.symbol)?.last_session);
            let to = ends.min().unwrap_or(market::LAST);
            if is_session(date) && date >= from && date <= to {
                Ok(())
            } else {
                Err(OrderError::LastDay { date, from, to }.into())
            }
        }
        TimeInForce::ImmediateOrCancel | TimeInForce::FillOrKill
            if request.trigger.is_some() || request.link.after.is_some() =>
        {
            let message =
                "an order for at once cannot wait for a trigger or another order; give it a day"
                    .into();
            Err(Refusal::Field {
                field: "timeInForce",
                message,
            })
        }
        TimeInForce::ImmediateOrCancel | TimeInForce::FillOrKill
            if !desk::calendar::is_open(now) =>
        {
            Err(OrderError::ClosedForAtOnce.into())
        }
        _ => Ok(()),
    }
}

/// Every leg is listed, belongs to the symbol, and the ratio is the lowest.
pub fn check_legs(state: &State, symbol: &str, unit: &Holding) -> Result<(), Refusal> {
    let underlying = known(state, symbol)?;
    for leg in unit.legs() {
        let belongs = match &leg.instrument {
            Instrument::Option(contract) => {
                // What the account holds stays tradable until it expires.
                let held = state.account.held(&leg.instrument) != 0
                    && underlying.expiry_moment(contract) > state.clock.now;
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
            return Err(Refusal::OtherUnderlying(
                leg.instrument.clone(),
                symbol.to_owned(),
            ));
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

/// A closing order may not close more than its campaign holds, counting what already works; a
/// rolling one may open what it does not hold.
pub(crate) fn check_closing(
    state: &State,
    request: &Request,
    campaign: u64,
) -> Result<(), Refusal> {
    if !state.account.lots().iter().any(|l| l.campaign == campaign) {
        return Err(Refusal::NoCampaign(campaign));
    }
    let working = state
        .open
        .iter()
        .map(|i| &state.orders[*i])
        .filter(|o| o.request.purpose.campaign() == Some(campaign));
    let working: Vec<&Arc<Order>> = working.collect();
    for leg in request.unit.legs() {
        let held = state.account.held_by(campaign, &leg.instrument);
        // Of orders that cancel each other one can fill: the largest counts.
        let mut queued: BTreeMap<u64, i64> = BTreeMap::new();
        for o in &working {
            // What a roll opens is not there yet.
            let closes = o.remaining()
                * o.request
                    .unit
                    .legs()
                    .iter()
                    .filter(|l| l.instrument == leg.instrument)
                    .map(|l| l.quantity)
                    .sum::<i64>();
            let most = queued.entry(o.link().group.unwrap_or(o.id)).or_default();
            *most = if closes.abs() > most.abs() {
                closes
            } else {
                *most
            };
        }
        let queued: i64 = queued.into_values().sum();
        let asked = leg.quantity * request.quantity;
        if matches!(request.purpose, Purpose::Roll(_))
            && (held == 0 || held.signum() == asked.signum())
        {
            continue;
        }
        let queued = if held.signum() == queued.signum() {
            0
        } else {
            queued
        };
        let left = held + queued;
        if left.signum() != -asked.signum() || asked.abs() > left.abs() {
            let by = working
                .iter()
                .filter(|o| {
                    o.request
                        .unit
                        .legs()
                        .iter()
                        .any(|l| l.instrument == leg.instrument)
                })
                .map(|o| o.id)
                .collect();
            // Where other orders close more than there is, nothing is left.
            let free = if left.signum() == held.signum() {
                left.abs()
            } else {
                0
            };
            return Err(OrderError::MoreThanHeld {
                instrument: leg.instrument.clone(),
                asked: asked.abs(),
                held: free,
                by,
            }
            .into());
        }
    }
    Ok(())
}

/// "iron condor 205/200 · 175/165". A closing order is told by the name of what it closes, not of
/// its mirror image.
pub fn told(order: &Order, underlying: &Underlying) -> String {
    let unit = &order.request.unit;
    let name = match order.request.purpose {
        Purpose::Open => desk::recognise(unit, underlying).text,
        Purpose::Close(_) => desk::recognise(&unit.reversed(), underlying).text,
        Purpose::Roll(_) => "roll".to_owned(),
    };
    format!("{name} {}", unit.strikes_label())
        .trim_end()
        .to_owned()
}

/// Books an execution; what it says in the ledger follows from its order.
pub(crate) fn book_fill(next: &mut State, order: &Order, fill: &desk::Fill) -> Option<Fact> {
    let world = Arc::clone(&next.world);
    let underlying = world.underlying(&order.request.symbol)?;
    let (verb, what) = match order.request.purpose {
        Purpose::Open => ("opened", told(order, underlying)),
        Purpose::Close(_) => ("closed", told(order, underlying)),
        Purpose::Roll(_) => ("rolled", order.request.unit.strikes_label()),
    };
    let side = if fill.price < Price::ZERO {
        "credit"
    } else {
        "debit"
    };
    let price = underlying.style_of_price.write(fill.price.abs());
    let memo = format!(
        "{verb} {} × {} {} at {price} {side}",
        fill.packages, order.request.symbol, what
    );
    let entry = Arc::make_mut(&mut next.account)
        .fill(fill, order.request.purpose.campaign(), underlying, memo)
        .clone();
    Some(Fact::Booked(entry, None))
}
