//! Orders as the account lives with them: what it bears, what may still close, and the booking of what the
//! exchange does.

use std::sync::Arc;

use desk::order::Event;
use desk::{Account, AccountView, Fact, Order, OrderError, Purpose, Request, Underlying};
use market::exchange::ExecutionReport;
use market::{Quoter, World};

use crate::money::{Reserves, account_view, effect_of, taken_by};
use crate::refusal::Refusal;
use crate::state::State;

/// Packages of an order that what its campaign holds lets fill now; nothing where it closes
/// nothing.
pub(crate) fn closable(account: &Account, order: &Order) -> Option<i64> {
    let request = &order.request;
    let campaign = request.purpose.campaign()?;
    let legs = request.unit.legs().iter().enumerate();
    legs.filter(|(place, _)| request.closes(*place))
        .map(|(_, l)| {
            let held = account.held_by(campaign, &l.instrument);
            if held.signum() == -l.quantity.signum() {
                held.abs() / l.quantity.abs()
            } else {
                0
            }
        })
        .min()
}

/// Books what happened to orders, and keeps it.
pub(crate) fn record(next: &mut State, happened: Vec<ExecutionReport>, facts: &mut Vec<Fact>) {
    for ExecutionReport { order, at, event } in happened {
        facts.push(Fact::Happened(order, at, event.clone()));
        if let (Event::Filled(fill), Ok(order)) = (&event, next.order(order).cloned()) {
            let world = Arc::clone(&next.world);
            Arc::make_mut(&mut next.displayed).note(&world, fill);
            let booked = book_fill(Arc::make_mut(&mut next.account), &world, &order, fill);
            facts.extend(booked);
        }
    }
}

/// "iron condor 205/200 · 175/165". A closing order is told by the name of what it closes, not of
/// its mirror image.
pub fn order_words(order: &Order, underlying: &Underlying) -> String {
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
pub(crate) fn book_fill(
    account: &mut Account,
    world: &World,
    order: &Order,
    fill: &desk::Fill,
) -> Option<Fact> {
    let underlying = world.underlying(&order.request.symbol)?;
    let (verb, what) = match order.request.purpose {
        Purpose::Open => ("opened", order_words(order, underlying)),
        Purpose::Close(_) => ("closed", order_words(order, underlying)),
        Purpose::Roll(_) => ("rolled", order.request.unit.strikes_label()),
    };
    let memo = format!(
        "{verb} {} × {} {} at {}",
        fill.packages,
        order.request.symbol,
        what,
        underlying.style_of_price.net(fill.price)
    );
    let campaign = order.request.purpose.campaign();
    let entry = account.fill(fill, campaign, underlying, memo).clone();
    Some(Fact::Booked(entry, None))
}

/// What an account as seen here says to an order.
pub(crate) fn bears_in(
    state: &State,
    quoter: &mut Quoter,
    request: &Request,
    view: &AccountView,
) -> Result<(), Refusal> {
    // What waits for an order of its own closes what that order will open: it takes nothing.
    if request.link.after.is_some() && request.link.after == request.purpose.campaign() {
        return Ok(());
    }
    let closing = matches!(request.purpose, Purpose::Close(_));
    let effect = effect_of(state, quoter, request, request.quantity, view)?;
    if let Some(refusal) = effect.refusals(closing, view).into_iter().next() {
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
        if taken_by(state, quoter, request, middle, view)? <= available {
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

/// What the account's money, its approval and its day trades say to an order in a state; what
/// `replacing` sets aside is free for it.
pub(crate) fn bears(
    state: &State,
    quoter: &mut Quoter,
    reserves: &Reserves,
    request: &Request,
    replacing: Option<u64>,
) -> Result<(), Refusal> {
    let reserved = replacing.map_or(reserves.total(), |id| reserves.without(id));
    let view = account_view(state, quoter, &request.symbol, reserved);
    bears_in(state, quoter, request, &view)
}
