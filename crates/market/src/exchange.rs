//! The exchange: what happens to orders while time passes.
//!
//! A marketable order trades at the cross on arrival, against the displayed size; what is larger waits
//! (limit) or walks one tick per further size (market). An order resting inside the width is drawn once
//! every ten seconds, with a chance that grows from the rest to the cross; a market that moves through
//! the limit always fills it; a limit worse than the rest never trades. Packages fill whole. Draws come
//! from the seed, the order and the time slot, so the same orders in the same world give the same fills
//! however time is stepped.

use desk::calendar::{close_of, is_open, is_session, next_session};
use desk::order::Event;
use desk::{Fill, FillLeg, Moment, Money, Order, PackageQuote, Price, Pricing, Quote, TimeInForce, leg_prices, package_quote};

use crate::noise::Stream;
use crate::quotes::Quoter;
use crate::world::World;

/// Resting orders are drawn this often.
pub const DRAW_EVERY: i64 = 10_000;

/// Fee per contract.
pub const FEE: Money = Money::from_raw(6_500);

/// When an order's time is up, if it has an end besides its contracts' expiry.
pub fn day_end(placed: Moment) -> Moment {
    let day = placed.date();
    if is_session(day) && placed < close_of(day) { close_of(day) } else { close_of(next_session(day)) }
}

/// The moment at which the exchange ends an order by itself, and why.
pub fn ends(world: &World, order: &Order) -> Option<(Moment, String)> {
    let expiry = order
        .request
        .unit
        .legs()
        .iter()
        .filter_map(|l| Some((world.owner(&l.contract)?.expiry_moment(&l.contract), &l.contract)))
        .min_by_key(|(moment, _)| *moment)
        .map(|(moment, c)| (moment, format!("{} expired", c.label())));
    let day = (order.request.time_in_force == TimeInForce::Day).then(|| (day_end(order.placed), "the session ended".to_owned()));
    expiry.into_iter().chain(day).min_by_key(|e| e.0)
}

/// The package's market now, with the quotes of its legs.
pub fn market_of(world: &World, quoter: &mut Quoter, order: &Order, at: Moment) -> Option<(PackageQuote, Vec<Quote>)> {
    let unit = &order.request.unit;
    let underlying = world.underlying(&order.request.symbol)?;
    let quotes = unit.legs().iter().map(|l| Some(quoter.quote(world, &l.contract, at)?.quote)).collect::<Option<Vec<_>>>()?;
    Some((package_quote(unit, &quotes, &underlying.package_ticks(quotes.len())), quotes))
}

/// Fills on arrival: only what is marketable at once.
pub fn on_arrival(world: &World, quoter: &mut Quoter, order: &Order, at: Moment) -> Option<Fill> {
    if !is_open(at) {
        return None;
    }
    let (market, quotes) = market_of(world, quoter, order, at)?;
    let (packages, price) = marketable(order, &market)?;
    Some(fill(order, at, packages, price, &quotes))
}

/// One draw of one resting order at a slot's moment.
fn on_draw(world: &World, quoter: &mut Quoter, order: &Order, at: Moment) -> Option<Fill> {
    let (market, quotes) = market_of(world, quoter, order, at)?;
    let (packages, price) = marketable(order, &market).or_else(|| {
        let Pricing::Limit(limit) = order.pricing() else { return None };
        let chance = chance_inside(&market, limit);
        let drawn = world.noise().uniform(Stream::Fill, order.id, at.millis() / DRAW_EVERY);
        (drawn < chance).then(|| (order.remaining().min(market.size), limit))
    })?;
    Some(fill(order, at, packages, price, &quotes))
}

/// Packages and price of an immediate execution.
fn marketable(order: &Order, market: &PackageQuote) -> Option<(i64, Price)> {
    match order.pricing() {
        Pricing::Market => {
            let sweeps = (order.remaining() - 1) / market.size.max(1);
            Some((order.remaining(), market.cross + market.tick * sweeps))
        }
        Pricing::Limit(limit) if limit >= market.cross => Some((order.remaining().min(market.size), market.cross)),
        Pricing::Limit(_) => None,
    }
}

/// Chance per draw of a limit between rest and cross: 0.4 % at the rest, about 10 % at the middle,
/// 40 % next to the cross; none beyond the rest.
pub fn chance_inside(market: &PackageQuote, limit: Price) -> f64 {
    if limit < market.rest {
        return 0.0;
    }
    let share = (limit - market.rest).raw() as f64 / (market.cross - market.rest).raw().max(1) as f64;
    0.004 + 0.396 * share.clamp(0.0, 1.0).powi(2)
}

fn fill(order: &Order, at: Moment, packages: i64, price: Price, quotes: &[Quote]) -> Fill {
    let unit = &order.request.unit;
    let mids: Vec<Price> = quotes.iter().map(Quote::mid).collect();
    let prices = leg_prices(unit, &mids, price);
    let legs: Vec<FillLeg> =
        unit.legs().iter().zip(prices).map(|(l, price)| FillLeg { contract: l.contract.clone(), quantity: l.quantity * packages, price }).collect();
    let contracts: i64 = legs.iter().map(|l| l.quantity.abs()).sum();
    Fill { order: order.id, at, packages, price, legs, fees: FEE * contracts }
}

/// Everything that happens to the open orders in `(from, to]`, in order of time: fills, and ends by
/// time. The orders themselves are updated as it goes.
pub fn advance(world: &World, quoter: &mut Quoter, orders: &mut [Order], from: Moment, to: Moment) -> Vec<(usize, Moment, Event)> {
    let mut out = Vec::new();
    let mut open: Vec<usize> = (0..orders.len()).filter(|&i| orders[i].state().is_open()).collect();
    let mut apply = |orders: &mut [Order], i: usize, at: Moment, event: Event| {
        orders[i].events.push((at, event.clone()));
        out.push((i, at, event));
    };
    let mut slot = from.millis().div_euclid(DRAW_EVERY) + 1;
    while slot * DRAW_EVERY <= to.millis() && !open.is_empty() {
        let at = Moment::from_millis(slot * DRAW_EVERY);
        slot += 1;
        open.retain(|&i| match ends(world, &orders[i]) {
            Some((end, why)) if end <= at => {
                apply(orders, i, end, Event::Expired(why));
                false
            }
            _ => true,
        });
        if !is_open(at) {
            // Nothing trades before the next opening or the next end of an order.
            let wake = open.iter().filter_map(|&i| ends(world, &orders[i])).map(|e| e.0).chain([desk::calendar::next_open(at)]).min();
            slot = slot.max(wake.map_or(slot, |m| m.millis().div_euclid(DRAW_EVERY)));
            continue;
        }
        for i in open.clone() {
            if let Some(fill) = on_draw(world, quoter, &orders[i], at) {
                apply(orders, i, at, Event::Filled(fill));
            }
        }
        open.retain(|&i| orders[i].state().is_open());
    }
    // An end that falls between the last draw and `to`.
    for i in open {
        if let Some((end, why)) = ends(world, &orders[i]).filter(|e| e.0 <= to && orders[i].state().is_open()) {
            apply(orders, i, end, Event::Expired(why));
        }
    }
    out
}
