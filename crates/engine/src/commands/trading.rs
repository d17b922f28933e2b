//! Orders as the trader places them, alone and together, and every check that a ticket passes.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::is_session;
use desk::order::Event;
use desk::ticket;
use desk::ticket::MOST_PACKAGES;
use desk::{
    EntryPrice, Fact, Holding, Instrument, Leg, Level, Link, MOST_UNITS, Money, Occurrence, Order,
    OrderError, Package, Price, Pricing, Purpose, Request, TimeInForce, Turn, UnderlyingKind,
};
use market::exchange::{self};
use market::{Quoter, check_listed};

use crate::engine::Engine;
use crate::money::{account_view, effect_of};
use crate::orders::{bears, bears_in};
use crate::refusal::Refusal;
use crate::state::{State, spot_of, underlying_of};

impl Engine {
    /// Places an order: checked, accepted, and filled at once where it is marketable. The same
    /// ticket again gives the same order.
    ///
    /// # Errors
    /// What is wrong with it, and what would be right.
    pub fn place(&mut self, request: Request) -> Result<Order, Refusal> {
        let mut placed = self.place_all(vec![request], None)?;
        Ok(placed.swap_remove(0))
    }

    /// Places orders that depend on each other, all or none.
    ///
    /// # Errors
    /// As [`Engine::place`]; too few or too many of them, or exits that do not close their entry.
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

    /// Closes so many packages of each campaign by orders of their own at a price of their market,
    /// all or none. What is more than one order may send is closed leg by leg.
    ///
    /// # Errors
    /// A campaign that is not open, stands twice, or holds less; and as [`Engine::place`].
    pub fn close_positions(
        &mut self,
        client_id: &str,
        which: &[(u64, i64)],
        at: &EntryPrice,
    ) -> Result<Vec<Order>, Refusal> {
        // A retry finds its orders as they were sent, whatever the market does meanwhile.
        let part = |i: usize, k: usize| match k {
            0 => format!("{client_id}-{i}"),
            _ => format!("{client_id}-{i}.{k}"),
        };
        let sent = |i: usize| -> Vec<&Arc<Order>> {
            (0..).map_while(|k| self.placed_as(&part(i, k))).collect()
        };
        let before: Vec<Vec<&Arc<Order>>> = (0..which.len()).map(sent).collect();
        if let Some(first) = before.iter().flatten().next() {
            let same = |(orders, (campaign, n)): (&Vec<&Arc<Order>>, &(u64, i64))| {
                let own = |o: &&Arc<Order>| o.request.purpose == Purpose::Close(*campaign);
                let alone = orders.len() == 1 && orders[0].request.quantity == *n;
                orders.iter().all(own) && (alone || orders.len() > 1)
            };
            return if before.iter().zip(which).all(same) {
                Ok(before
                    .into_iter()
                    .flatten()
                    .map(|o| Order::clone(o))
                    .collect())
            } else {
                Err(Refusal::Duplicate(first.id))
            };
        }
        let twice = |(i, w): &(usize, &(u64, i64))| which[..*i].iter().any(|(c, _)| *c == w.0);
        if let Some((_, (twice, _))) = which.iter().enumerate().find(twice) {
            return Err(Refusal::Field {
                field: "positions",
                message: format!(
                    "position {twice} stands twice; write it once with its whole number"
                ),
            });
        }
        let mut requests = Vec::new();
        for (i, (campaign, packages)) in which.iter().enumerate() {
            let held = self.state.account.holding_of(*campaign);
            let found = self.state.account.campaign(*campaign);
            let symbol = found.filter(|_| !held.is_empty());
            let symbol = symbol.ok_or(Refusal::NoCampaign(*campaign))?.symbol.clone();
            for (k, (unit, quantity)) in to_close(&held, *packages)?.into_iter().enumerate() {
                let price = self.price_of(&symbol, &unit, at)?;
                requests.push(Request {
                    client_id: part(i, k),
                    symbol: symbol.clone(),
                    unit,
                    quantity,
                    pricing: Pricing::Limit(price),
                    trigger: None,
                    link: Link::default(),
                    time_in_force: TimeInForce::Day,
                    purpose: Purpose::Close(*campaign),
                    closing: Vec::new(),
                });
            }
        }
        self.place_all(requests, None)
    }

    /// A price of a package's market, on its tick.
    fn price_of(
        &mut self,
        symbol: &str,
        unit: &Package,
        at: &EntryPrice,
    ) -> Result<Price, Refusal> {
        let underlying = underlying_of(&self.state, symbol)?;
        let quote = |l: &desk::Leg| {
            let now = self.state.clock.now;
            let found = self.quoter.quote_any(&self.state.world, &l.instrument, now);
            found.ok_or_else(|| Refusal::NoQuote(l.instrument.clone()))
        };
        let quotes = unit
            .legs()
            .iter()
            .map(quote)
            .collect::<Result<Vec<_>, _>>()?;
        let market = desk::package_quote(unit, &quotes, underlying);
        let ticks = underlying.ticks_of(unit);
        Ok(ticks.floor(at.price(unit, &market, &quotes, underlying)))
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
        let first = before.unwrap_or_else(|| self.state.next_number());
        if let Some(tie) = tie {
            tie_together(&mut requests, tie, first)?;
        }
        let placed: Vec<Option<&Arc<Order>>> = requests.iter().map(known).collect();
        if let Some(same) = placed.iter().flatten().next() {
            // Which legs of a roll close was found when it was placed.
            let asked = |o: &Order| Request {
                closing: Vec::new(),
                ..o.request.clone()
            };
            let again = placed
                .iter()
                .zip(&requests)
                .all(|(o, r)| o.is_some_and(|o| asked(o) == *r));
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
        for request in &mut requests {
            request.closing = closing_legs(&self.state, request);
        }
        for i in 0..requests.len() {
            let (before, request) = (&requests[..i], &requests[i]);
            check(&self.state, &mut self.quoter, request, before)?;
            self.bears_with(request, before, tie)?;
        }
        let mut next = self.state.clone();
        let mut facts = Vec::new();
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
        for id in &ids {
            if next.order(*id)?.state().is_open() {
                self.arrive(&mut next, *id, &mut facts);
            }
        }
        let placed = ids
            .iter()
            .map(|id| next.order(*id).map(|o| Order::clone(o)))
            .collect::<Result<_, _>>()?;
        self.commit(next, facts)?;
        Ok(placed)
    }

    /// Whether the account bears an order that replaces another, or none.
    pub(crate) fn check_buying_power(
        &mut self,
        request: &Request,
        replacing: Option<u64>,
    ) -> Result<(), Refusal> {
        let state = self.state.clone();
        bears(&state, &mut self.quoter, &self.reserves, request, replacing)
    }

    /// The same for one of several tickets that are sent together, after those before it: all that
    /// can fill are judged as if they had, each waiting one as if the one it waits for had.
    fn bears_with(
        &mut self,
        request: &Request,
        before: &[Request],
        tie: Option<Tie>,
    ) -> Result<(), Refusal> {
        let state = self.state.clone();
        let reserved = self.reserves.total();
        let mut view = account_view(&state, &mut self.quoter, &request.symbol, reserved);
        // Of orders that cancel each other one can fill.
        let first = match tie {
            Some(Tie::OneCancelsOther) => &before[..0],
            Some(Tie::Bracket) => &before[..before.len().min(1)],
            _ => before,
        };
        for b in first {
            let effect = effect_of(&state, &mut self.quoter, b, b.quantity, &view)?;
            if b.symbol == request.symbol {
                view.here = view.here.with(&effect.added);
                view.cash += effect.cash - effect.fees;
            } else {
                view.reserved += effect.takes().max(Money::ZERO);
            }
        }
        bears_in(&state, &mut self.quoter, request, &view)
    }
}

/// Everything that can be wrong with a request beside money, in the order a trader would look;
/// `before` are sent with it and go first.
fn check(
    state: &State,
    quoter: &mut Quoter,
    request: &Request,
    before: &[Request],
) -> Result<(), Refusal> {
    let now = state.clock.now;
    ticket::check_quantity(&request.unit, request.quantity)?;
    check_legs(state, &request.symbol, &request.unit)?;
    let underlying = underlying_of(state, &request.symbol)?;
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
                let quote = quoter
                    .quote_any(&state.world, &leg.instrument, now)
                    .ok_or_else(|| Refusal::NoQuote(leg.instrument.clone()))?;
                if quote.bid == Price::ZERO {
                    return Err(OrderError::NoBid(leg.instrument.clone()).into());
                }
            }
        }
    }
    check_time(state, request)?;
    check_trigger(state, quoter, request, &ticks)?;
    match (request.purpose.campaign(), request.link.after) {
        (Some(campaign), after) if after != Some(campaign) => {
            check_closing(state, request, campaign, before)
        }
        _ => Ok(()),
    }
}

fn check_trigger(
    state: &State,
    quoter: &mut Quoter,
    request: &Request,
    ticks: &desk::TickTable,
) -> Result<(), Refusal> {
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
        Level::Trailing(by) if by <= Price::ZERO => Err(OrderError::TrailingDistance(by).into()),
        Level::Trailing(_) => Ok(()),
        // What waits for another order is looked at when that fills.
        Level::At(_) if request.link.after.is_some() => Ok(()),
        Level::At(level) => {
            let now = state.clock.now;
            let asked = Order {
                id: 0,
                placed: now,
                request: request.clone(),
                events: Vec::new(),
            };
            let market = exchange::market_of(&state.world, quoter, &asked, now);
            match market.map(|(m, _)| exchange::watched(&m, trigger.side)) {
                Some(now) if now >= level => Err(OrderError::TriggersAtOnce { now, level }.into()),
                _ => Ok(()),
            }
        }
    }
}

/// What a ticket with this order would be told, beside that it was placed: the first thing that is
/// wrong with it, or that the account does not bear.
pub fn refusal_of(state: &State, quoter: &mut Quoter, request: &Request) -> Option<Refusal> {
    let view = account_view(state, quoter, &request.symbol, state.reserved);
    let checked = check(state, quoter, request, &[]);
    checked
        .and_then(|()| bears_in(state, quoter, request, &view))
        .err()
}

/// The orders that close so many packages of a holding: one, or where that is more than an order
/// may send, each leg by itself.
fn to_close(held: &Holding, packages: i64) -> Result<Vec<(Package, i64)>, Refusal> {
    if let Ok((unit, _)) = Package::of(held) {
        return Ok(vec![(unit.reversed(), packages)]);
    }
    let whole = held.packages();
    if !(1..=whole).contains(&packages) {
        return Err(Refusal::Field {
            field: "packages",
            message: format!("{packages} of {whole}; write 1 to {whole}"),
        });
    }
    let mut out = Vec::new();
    for leg in held.legs() {
        let alone = Holding::new([Leg {
            quantity: -leg.quantity.signum(),
            ..leg.clone()
        }]);
        let (unit, _) = Package::of(&alone)?;
        let most = if leg.instrument.option().is_some() {
            MOST_PACKAGES
        } else {
            MOST_UNITS
        };
        let mut left = leg.quantity.abs() / whole * packages;
        while left > 0 {
            let n = left.min(most);
            out.push((unit.clone(), n));
            left -= n;
        }
    }
    Ok(out)
}

/// The legs of a roll that close what its campaign holds, by their place.
fn closing_legs(state: &State, request: &Request) -> Vec<usize> {
    let Purpose::Roll(campaign) = request.purpose else {
        return Vec::new();
    };
    let legs = request.unit.legs().iter().enumerate();
    legs.filter(|(_, l)| {
        let held = state.account.held_by(campaign, &l.instrument);
        held != 0 && held.signum() == -l.quantity.signum()
    })
    .map(|(place, _)| place)
    .collect()
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
                .chain(underlying_of(state, &request.symbol)?.last_session);
            let to = ends.min().unwrap_or(state.world.last());
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

/// Every leg is listed and belongs to the symbol.
///
/// # Errors
/// A leg that is not listed and not held, or of another underlying, or an index itself.
pub fn check_legs(state: &State, symbol: &str, unit: &Holding) -> Result<(), Refusal> {
    let underlying = underlying_of(state, symbol)?;
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
                underlying_of(state, own)?;
                own == symbol
            }
        };
        if !belongs {
            return Err(Refusal::OtherUnderlying(
                leg.instrument.clone(),
                symbol.to_owned(),
            ));
        }
        if leg.instrument.option().is_none() && !state.world.is_bought(symbol) {
            // What was delivered may be given back.
            let held = state.account.held(&leg.instrument);
            if held.signum() != -leg.quantity.signum() {
                return Err(match underlying.kind {
                    UnderlyingKind::Index => Refusal::NotTradable(symbol.to_owned()),
                    UnderlyingKind::Shares | UnderlyingKind::Future => {
                        Refusal::NotListed(symbol.to_owned())
                    }
                });
            }
        }
    }
    Ok(())
}

/// A closing order may not close more than its campaign holds, counting what already works and what
/// is sent before it; a rolling one may open what it does not hold.
///
/// # Errors
/// The campaign holds nothing, or not so much that no order closes yet.
pub fn check_closing(
    state: &State,
    request: &Request,
    campaign: u64,
    before: &[Request],
) -> Result<(), Refusal> {
    if state.account.lots_of(campaign).next().is_none() {
        return Err(Refusal::NoCampaign(campaign));
    }
    let home = state.account.home(campaign);
    let own = |r: &Request| r.purpose.campaign().map(|c| state.account.home(c)) == Some(home);
    let working: Vec<&Arc<Order>> = state.open_orders().filter(|o| own(&o.request)).collect();
    for leg in request.unit.legs() {
        let ratio = |r: &Request| -> i64 {
            let same = r.unit.legs().iter().enumerate();
            same.filter(|(place, l)| l.instrument == leg.instrument && r.closes(*place))
                .map(|(_, l)| l.quantity)
                .sum()
        };
        let held = state.account.held_by(campaign, &leg.instrument);
        // Of orders that cancel each other one can fill: the largest counts.
        let mut queued: BTreeMap<Turn, i64> = BTreeMap::new();
        let mut queue = |turn: Turn, closes: i64| {
            let most = queued.entry(turn).or_default();
            if closes.abs() > most.abs() {
                *most = closes;
            }
        };
        for o in &working {
            let turn = o.turn();
            queue(turn, o.remaining() * ratio(&o.request));
        }
        // Those sent before have no number yet: behind all that there are.
        let unnumbered = u64::MAX - before.len() as u64;
        for (i, r) in before.iter().enumerate().filter(|(_, r)| own(r)) {
            let alone = Turn::Alone(unnumbered + i as u64);
            let turn = r.link.group.map_or(alone, Turn::Group);
            queue(turn, r.quantity * ratio(r));
        }
        if let Some(group) = request.link.group {
            queued.remove(&Turn::Group(group));
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
            let same = |o: &&&Arc<Order>| ratio(&o.request) != 0;
            let by = working.iter().filter(same).map(|o| o.id).collect();
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
