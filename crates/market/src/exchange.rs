//! The exchange: what happens to orders while time passes.
//!
//! A marketable order trades at the cross on arrival, against the displayed size; what is larger
//! waits (limit) or walks one tick per further size (market). An order resting inside the width is
//! drawn once every ten seconds, with a chance that grows from the rest to the cross; a market that
//! moves through the limit always fills it; a limit worse than the rest never trades. Packages fill
//! whole. Draws come from the seed, the order and the time slot, so the same orders in the same
//! world give the same fills however time is stepped.
//!
//! Held orders: a trigger looks at the price it watches at each draw, of the whole package, never
//! of a leg; a trailing one follows the lowest price seen. What one order's fill or end means for
//! others (one cancels other, one triggers other) happens in the same instant, so no stop between
//! two moments can see half of it.
//!
//! Easing: at a draw, a limit that is eased and has stood its time moves by its step before the
//! draw is made, never beyond its end.

use std::sync::Arc;

use desk::calendar::{close_of, is_open, is_session, next_session};
use desk::order::Event;
use desk::{
    Contract, Fees, Fill, FillLeg, Level, Moment, Money, Order, PackageQuote, Price, Pricing,
    Quote, TimeInForce, TriggerSide, leg_prices, package_quote,
};

use crate::noise::Stream;
use crate::quotes::Quoter;
use crate::world::World;

/// Resting orders are drawn this often.
pub const DRAW_EVERY: i64 = 10_000;

/// What exchange and broker charge where nothing else is set.
pub const FEES: Fees = Fees {
    option: Money::from_raw(6_500),
    future: Money::from_raw(12_000),
};

/// When an order's time is up, if it has an end besides its contracts' expiry.
pub fn day_end(placed: Moment) -> Moment {
    let day = placed.date();
    if is_session(day) && placed < close_of(day) {
        close_of(day)
    } else {
        close_of(next_session(day))
    }
}

/// The moment at which the exchange ends an order by itself, and why.
pub fn ends(world: &World, order: &Order) -> Option<(Moment, String)> {
    let expiry = order
        .request
        .unit
        .options()
        .filter_map(|(c, _)| Some((world.owner(c)?.expiry_moment(c), c)))
        .min_by_key(|(moment, _)| *moment)
        .map(|(moment, c)| (moment, format!("{} expired", c.label())));
    let month = world
        .underlying(&order.request.symbol)
        .and_then(|u| Some((close_of(u.last_session?), format!("{} ended", u.symbol))));
    let day = match order.request.time_in_force {
        TimeInForce::Day => Some((day_end(order.placed), "the session ended".to_owned())),
        TimeInForce::GoodTillDate(date) => Some((close_of(date), "its last day ended".to_owned())),
        TimeInForce::GoodTillCancelled
        | TimeInForce::ImmediateOrCancel
        | TimeInForce::FillOrKill => None,
    };
    expiry
        .into_iter()
        .chain(day)
        .chain(month)
        .min_by_key(|e| e.0)
}

/// The package's market now, with the quotes of its legs.
pub fn market_of(
    world: &World,
    quoter: &mut Quoter,
    order: &Order,
    at: Moment,
) -> Option<(PackageQuote, Vec<Quote>)> {
    let unit = &order.request.unit;
    let underlying = world.underlying(&order.request.symbol)?;
    let quotes = unit
        .legs()
        .iter()
        .map(|l| quoter.quote_any(world, &l.instrument, at))
        .collect::<Option<Vec<_>>>()?;
    Some((package_quote(unit, &quotes, underlying), quotes))
}

/// The price that a trigger watches.
pub fn watched(market: &PackageQuote, side: TriggerSide) -> Price {
    match side {
        TriggerSide::Mark => market.middle,
        TriggerSide::Cross => market.cross,
        TriggerSide::Rest => market.rest,
    }
}

/// An order's number in the list, when, and what.
pub type Happening = (usize, Moment, Event);

/// The orders while something happens to them, and what has.
struct Floor<'a> {
    orders: &'a mut [Arc<Order>],
    happened: Vec<Happening>,
}

impl Floor<'_> {
    /// Lets an event happen, and what follows from it for other orders.
    fn apply(&mut self, i: usize, at: Moment, event: Event) {
        Arc::make_mut(&mut self.orders[i])
            .events
            .push((at, event.clone()));
        self.happened.push((i, at, event.clone()));
        let id = self.orders[i].id;
        let linked = |floor: &Self, tied: &dyn Fn(&Order) -> bool| -> Vec<usize> {
            (0..floor.orders.len())
                .filter(|j| {
                    *j != i && tied(&floor.orders[*j]) && floor.orders[*j].state().is_open()
                })
                .collect()
        };
        match event {
            Event::Filled(fill) => {
                if let Some(group) = self.orders[i].link().group {
                    for j in linked(self, &|o| o.link().group == Some(group)) {
                        self.reduce(j, at, fill.packages, &format!("order {id} filled"));
                    }
                }
                for j in linked(self, &|o| o.link().after == Some(id)) {
                    self.apply(
                        j,
                        at,
                        Event::Activated(fill.packages.min(self.orders[j].waiting())),
                    );
                }
            }
            Event::Expired(_) | Event::Cancelled => {
                for j in linked(self, &|o| o.link().after == Some(id)) {
                    self.reduce(
                        j,
                        at,
                        self.orders[j].waiting(),
                        &format!("order {id} ended"),
                    );
                }
            }
            _ => {}
        }
    }

    /// Takes packages away from an order; one that keeps none and filled none has ended.
    fn reduce(&mut self, i: usize, at: Moment, packages: i64, why: &str) {
        let order = &self.orders[i];
        let packages = packages.min(order.wanted() - order.filled());
        if packages <= 0 {
            return;
        }
        self.apply(i, at, Event::Reduced(packages));
        let order = &self.orders[i];
        if order.wanted() == 0 {
            self.apply(i, at, Event::Expired(why.to_owned()));
        }
    }

    /// Looks at an order's market at a draw (or on arrival, when only what is marketable at once
    /// trades).
    fn look(&mut self, world: &World, quoter: &mut Quoter, i: usize, at: Moment, arriving: bool) {
        let order = &self.orders[i];
        if order.remaining() <= 0 {
            return;
        }
        if let (false, None, Some((easing, since)), Pricing::Limit(limit)) =
            (arriving, order.watches(), order.easing(), order.pricing())
            && at.millis() - since.millis() >= easing.every * 1_000
        {
            self.apply(i, at, Event::Repriced((limit + easing.step).min(easing.to)));
        }
        let order = &self.orders[i];
        let Some((market, quotes)) = market_of(world, quoter, order, at) else {
            return;
        };
        if let Some(trigger) = order.watches() {
            let now = watched(&market, trigger.side);
            if let Level::Trailing(by) = trigger.level {
                let lowest = order.trigger_level().map(|level| level - by);
                if lowest.is_none_or(|lowest| now < lowest) {
                    self.apply(i, at, Event::Trailed(now));
                    return;
                }
            }
            if self.orders[i]
                .trigger_level()
                .is_none_or(|level| now < level)
            {
                return;
            }
            self.apply(i, at, Event::Triggered(now));
        }
        let order = &self.orders[i];
        let whole = order.request.time_in_force == TimeInForce::FillOrKill;
        let traded = marketable(order, &market).or_else(|| {
            if arriving {
                None
            } else {
                resting(world, order, &market, at)
            }
        });
        if let Some((packages, price)) =
            traded.filter(|(packages, _)| !whole || *packages == order.remaining())
        {
            let Some(fill) = fill(world, order, at, packages, price, &quotes) else {
                return;
            };
            self.apply(i, at, Event::Filled(fill));
        }
    }
}

/// What happens when order `i` arrives: fills of what is marketable at once, the end of an order
/// that does not wait, and what follows for others.
pub fn arrive(
    world: &World,
    quoter: &mut Quoter,
    orders: &mut [Arc<Order>],
    i: usize,
    at: Moment,
) -> Vec<Happening> {
    let mut floor = Floor {
        orders,
        happened: Vec::new(),
    };
    if is_open(at) {
        floor.look(world, quoter, i, at, true);
    }
    let order = &floor.orders[i];
    let at_once = matches!(
        order.request.time_in_force,
        TimeInForce::ImmediateOrCancel | TimeInForce::FillOrKill
    );
    if at_once && order.state().is_open() {
        floor.apply(
            i,
            at,
            Event::Expired("nothing more could be filled at once".into()),
        );
    }
    floor.happened
}

/// Cancels order `i`, and what waits for it.
pub fn cancel(orders: &mut [Arc<Order>], i: usize, at: Moment) -> Vec<Happening> {
    let mut floor = Floor {
        orders,
        happened: Vec::new(),
    };
    floor.apply(i, at, Event::Cancelled);
    floor.happened
}

/// One draw of a resting order at a slot's moment.
fn resting(
    world: &World,
    order: &Order,
    market: &PackageQuote,
    at: Moment,
) -> Option<(i64, Price)> {
    let Pricing::Limit(limit) = order.pricing() else {
        return None;
    };
    let drawn = world
        .noise()
        .uniform(Stream::Fill, order.id, at.millis() / DRAW_EVERY);
    (drawn < chance_inside(market, limit)).then(|| (order.remaining().min(market.size), limit))
}

/// Packages and price of an immediate execution.
fn marketable(order: &Order, market: &PackageQuote) -> Option<(i64, Price)> {
    match order.pricing() {
        Pricing::Market => {
            let sweeps = (order.remaining() - 1) / market.size.max(1);
            Some((order.remaining(), market.cross + market.tick * sweeps))
        }
        Pricing::Limit(limit) if limit >= market.cross => {
            Some((order.remaining().min(market.size), market.cross))
        }
        Pricing::Limit(_) => None,
    }
}

/// Chance that a limit fills within so many seconds if the market stays as it is: at the cross at
/// once, inside the width by one draw after another, beyond the rest never.
pub fn chance_within(market: &PackageQuote, limit: Price, seconds: i64) -> f64 {
    if limit >= market.cross {
        return 1.0;
    }
    let draws = seconds * 1_000 / DRAW_EVERY;
    1.0 - (1.0 - chance_inside(market, limit)).powf(draws as f64)
}

/// Chance per draw of a limit between rest and cross: 0.4 % at the rest, about 10 % at the middle,
/// 40 % next to the cross; none beyond the rest.
pub fn chance_inside(market: &PackageQuote, limit: Price) -> f64 {
    if limit < market.rest {
        return 0.0;
    }
    let share =
        (limit - market.rest).raw() as f64 / (market.cross - market.rest).raw().max(1) as f64;
    0.004 + 0.396 * share.clamp(0.0, 1.0).powi(2)
}

fn fill(
    world: &World,
    order: &Order,
    at: Moment,
    packages: i64,
    price: Price,
    quotes: &[Quote],
) -> Option<Fill> {
    let underlying = world.underlying(&order.request.symbol)?;
    let unit = &order.request.unit;
    let mids: Vec<Price> = quotes.iter().map(Quote::mid).collect();
    let prices = leg_prices(unit, &mids, price, underlying);
    let legs: Vec<FillLeg> = unit
        .legs()
        .iter()
        .zip(prices)
        .map(|(l, price)| FillLeg {
            instrument: l.instrument.clone(),
            quantity: l.quantity * packages,
            price,
        })
        .collect();
    Some(Fill {
        order: order.id,
        at,
        packages,
        price,
        legs,
        fees: underlying.fees(unit, &world.fees()) * packages,
    })
}

/// The contracts of some orders, each once, those that end together side by side.
fn contracts_of(orders: &[Arc<Order>], which: &[usize]) -> Vec<Contract> {
    let mut out: Vec<Contract> = which
        .iter()
        .flat_map(|i| orders[*i].request.unit.options())
        .map(|(c, _)| c.clone())
        .collect();
    out.sort();
    out.dedup();
    out
}

/// Everything that happens to the open orders in `(from, to]`, in order of time: triggers, fills,
/// ends by time, and what they mean for other orders. The orders themselves are updated as it goes.
pub fn advance(
    world: &World,
    quoter: &mut Quoter,
    orders: &mut [Arc<Order>],
    from: Moment,
    to: Moment,
) -> Vec<Happening> {
    let mut floor = Floor {
        orders,
        happened: Vec::new(),
    };
    let mut open: Vec<usize> = (0..floor.orders.len())
        .filter(|&i| floor.orders[i].state().is_open())
        .collect();
    // An order's end is known when it is placed.
    let last: Vec<Option<(Moment, String)>> = open
        .iter()
        .map(|&i| ends(world, &floor.orders[i]))
        .collect();
    let mut last: Vec<(usize, Moment, String)> = open
        .iter()
        .zip(last)
        .filter_map(|(i, end)| end.map(|(at, why)| (*i, at, why)))
        .collect();
    last.sort_by_key(|(i, at, _)| (*at, *i));
    let mut last = last.into_iter().peekable();
    let mut end_until = |floor: &mut Floor<'_>, at: Moment| {
        while let Some((i, end, why)) = last.next_if(|(_, end, _)| *end <= at) {
            if floor.orders[i].state().is_open() {
                floor.apply(i, end, Event::Expired(why));
            }
        }
        last.peek().map(|(_, end, _)| *end)
    };
    let mut contracts = contracts_of(floor.orders, &open);
    let mut slot = from.millis().div_euclid(DRAW_EVERY) + 1;
    while slot * DRAW_EVERY <= to.millis() && !open.is_empty() {
        let at = Moment::from_millis(slot * DRAW_EVERY);
        slot += 1;
        let before = floor.happened.len();
        let next_end = end_until(&mut floor, at);
        if is_open(at) {
            quoter.remember(world, &contracts, at);
            for &i in &open {
                if floor.orders[i].state().is_open() {
                    floor.look(world, quoter, i, at, false);
                }
            }
        } else {
            // Nothing trades before the next opening or the next end of an order.
            let wake = next_end
                .into_iter()
                .chain([desk::calendar::next_open(at)])
                .min();
            slot = slot.max(wake.map_or(slot, |m| m.millis().div_euclid(DRAW_EVERY)));
        }
        if floor.happened.len() > before {
            open.retain(|&i| floor.orders[i].state().is_open());
            contracts = contracts_of(floor.orders, &open);
        }
    }
    // An end that falls between the last draw and `to`.
    end_until(&mut floor, to);
    floor.happened
}
