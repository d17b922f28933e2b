//! The exchange: what happens to orders while time passes.
//!
//! A marketable order trades at the cross on arrival, against the displayed size that is left; what
//! is larger waits (limit) or walks one tick per further size (market). Displayed size stands until
//! the quote changes, and what was traded of it is gone until then ([`Displayed`]). An order
//! resting inside the width is drawn once every ten seconds, with a chance that grows from the rest
//! to the cross; a market that moves through the limit always fills it; a limit worse than the rest
//! never trades. Packages fill whole. Draws come from the seed, the order and the time slot, so the
//! same orders in the same world give the same fills however time is stepped.
//!
//! Held orders: a trigger looks at the price it watches at each draw, of the whole package, never
//! of a leg; a trailing one follows the lowest price seen. What one order's fill or end means for
//! others (one cancels other, one triggers other) happens in the same instant, so no stop between
//! two moments can see half of it.
//!
//! What an order closes must be held at the moment of each fill. The exchange does not know
//! accounts: whoever lets it work says at each look how many packages may fill ([`Looks`]), books
//! what happened, and lets it go on. So the second order of two that would close the same thing
//! finds nothing left.
//!
//! A market from files: what is recorded is looked at when it comes as well, and what is marketable against
//! it trades then, an order never against quotes that came before it. Nothing trades against quotes that are
//! stale or in doubt: the market of a leg is [`Tradable`](LegQuote::Tradable), or it is only marked.
//!
//! Easing: at a draw, a limit that is eased and has stood its time moves by its step, on to the
//! tick at or above that, before the draw is made, never beyond its end.

use std::collections::HashMap;
use std::sync::Arc;

use desk::calendar::{close_of, is_open, is_session, next_session};
use desk::order::Event;
use desk::{
    Contract, Fill, FillLeg, FillTerms, Instrument, Level, Moment, Order, PackageQuote, Price,
    Pricing, Quote, TimeInForce, TriggerSide, leg_prices, package_quote,
};

use crate::market_data::Doubt;
use crate::noise::Stream;
use crate::quotes::{Quoter, quote_standing};
use crate::world::World;

/// Resting orders are drawn this often.
pub const DRAW_EVERY: i64 = 10_000;

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
    let month = world.underlying(&order.request.symbol).and_then(|u| {
        let last = u.end_on(u.last_session?, false);
        Some((last, format!("{} ended", u.symbol)))
    });
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

/// Something that happened to an order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ExecutionReport {
    /// The order's number.
    pub order: u64,
    /// The moment at which it happened.
    pub at: Moment,
    /// What happened to the order.
    pub event: Event,
}

/// What has been traded of the sizes displayed. Only a memory of executions: [`Displayed::note`] of
/// each that is recent gives it again.
#[derive(Debug, Clone, Default)]
pub struct Displayed {
    /// By instrument, and whether it was bought: in which standing of the quote, and how many.
    taken: HashMap<(Instrument, bool), (i64, i64)>,
}

impl Displayed {
    /// Remembers what an execution took.
    pub fn note(&mut self, world: &World, fill: &Fill) {
        for leg in &fill.legs {
            let standing = quote_standing(world, &leg.instrument, fill.at);
            let key = (leg.instrument.clone(), leg.quantity > 0);
            let (known, taken) = self.taken.entry(key).or_insert((standing, 0));
            if *known != standing {
                (*known, *taken) = (standing, 0);
            }
            *taken += leg.quantity.abs();
        }
    }

    /// Packages of the displayed size that are gone: as many as the leg of which most was taken
    /// stands for.
    fn gone(&self, world: &World, order: &Order, at: Moment) -> i64 {
        let leg = |l: &desk::Leg| {
            let (standing, taken) = self.taken.get(&(l.instrument.clone(), l.quantity > 0))?;
            let stands = *standing == quote_standing(world, &l.instrument, at);
            stands.then(|| (taken + l.quantity.abs() - 1) / l.quantity.abs())
        };
        order
            .request
            .unit
            .legs()
            .iter()
            .filter_map(leg)
            .max()
            .unwrap_or(0)
    }
}

/// How far quotes of a market from files are relied on. Those of the simulated market always are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Reliance {
    /// Quotes that have stood for longer are stale, in milliseconds of the exchange's time.
    pub stale_after: i64,
    /// Nothing has come for longer than that by the clock on the wall.
    pub silent: bool,
    /// The clock follows a feed: what comes next is not recorded yet.
    pub live: bool,
}

/// Quotes are stale after five minutes where nothing else is said.
pub const STALE_AFTER: i64 = 5 * 60_000;

impl Default for Reliance {
    fn default() -> Reliance {
        Reliance {
            stale_after: STALE_AFTER,
            silent: false,
            live: false,
        }
    }
}

/// The market of one leg.
#[derive(Debug, Clone, PartialEq)]
pub enum LegQuote {
    /// Somebody trades in it: it can be bought at its ask, and sold where somebody bids.
    Tradable(Quote),
    /// Nobody can be relied on to trade in it: it has a mark, and a reason.
    Marked(Price, Hindrance),
}

impl LegQuote {
    /// Its market for so many, signed as they are bought.
    ///
    /// # Errors
    /// Nothing trades in it, or nobody bids for what is sold.
    pub fn for_side(self, instrument: &Instrument, quantity: i64) -> Result<Quote, Hindrance> {
        match self {
            LegQuote::Marked(_, why) => Err(why),
            LegQuote::Tradable(quote) if quantity < 0 && quote.bid <= Price::ZERO => {
                Err(Hindrance::NoBid(instrument.label()))
            }
            LegQuote::Tradable(quote) => Ok(quote),
        }
    }
}

/// Why nothing trades although the exchange is open.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Hindrance {
    /// Nothing has come from the feed for too long.
    Silent,
    /// The quotes have stood for so many milliseconds.
    Stale(i64),
    /// The instrument's own session is over or has not begun.
    Closed,
    /// The market of a contract is not to be relied on.
    Doubt(Contract, Doubt),
    /// The price of the underlying that came can stand neither beside the one before nor beside its
    /// options; that one stands for it.
    Price(Price, Price),
    /// Nobody bids for what is sold.
    NoBid(String),
    /// The quotes came before the order.
    Before,
}

impl Hindrance {
    /// Why nothing is filled, as a part of a sentence.
    pub fn words(&self) -> String {
        match self {
            Hindrance::Silent => "nothing has come from the feed for too long".into(),
            Hindrance::Stale(age) => format!("the quotes are {} old", lasts(age / 1_000)),
            Hindrance::Closed => "its own session is over or has not begun".into(),
            Hindrance::Doubt(contract, doubt) => format!("{}: {}", contract.label(), doubt.words()),
            Hindrance::Price(came, stands) => format!(
                "its price came as {came} and is not believed beside {stands} and its options"
            ),
            Hindrance::NoBid(label) => format!("nobody bids for the {label}"),
            Hindrance::Before => "the quotes came before it; it waits for the next".into(),
        }
    }
}

/// A duration of so many seconds in words.
fn lasts(seconds: i64) -> String {
    match seconds {
        ..60 => format!("{seconds} s"),
        60..3_600 => format!("{} min {} s", seconds / 60, seconds % 60),
        3_600..86_400 => format!("{} h {} min", seconds / 3_600, seconds / 60 % 60),
        86_400.. => format!("{} days", seconds / 86_400),
    }
}

impl Reliance {
    /// Why quotes of a symbol are not relied on.
    pub fn of(&self, world: &World, symbol: &str, at: Moment) -> Option<Hindrance> {
        let age = world.age(symbol, at)?;
        if age > self.stale_after {
            Some(Hindrance::Stale(age))
        } else if self.silent {
            Some(Hindrance::Silent)
        } else if !world.trades(symbol, at) {
            Some(Hindrance::Closed)
        } else {
            let (came, stands) = world.doubted(symbol, at)?;
            Some(Hindrance::Price(came, stands))
        }
    }

    /// The market of one thing at a moment; nothing where it has none at all.
    pub fn market(
        &self,
        world: &World,
        quoter: &mut Quoter,
        instrument: &Instrument,
        at: Moment,
    ) -> Option<LegQuote> {
        let (quote, doubted) = match instrument {
            Instrument::Option(contract) => {
                let listed = quoter.quote(world, contract, at)?;
                (listed.quote, listed.doubt.map(|doubt| (contract, doubt)))
            }
            Instrument::Underlying(_) => (quoter.quote_any(world, instrument, at)?, None),
        };
        let doubt = || doubted.map(|(contract, doubt)| Hindrance::Doubt(contract.clone(), doubt));
        let symbol = &world.underlying_of(instrument)?.symbol;
        Some(match self.of(world, symbol, at).or_else(doubt) {
            Some(why) => LegQuote::Marked(quote.mark(), why),
            None => LegQuote::Tradable(quote),
        })
    }

    /// Why an order cannot trade at a moment; nothing where it can, or has no market at all.
    pub fn hindrance(
        &self,
        world: &World,
        quoter: &mut Quoter,
        order: &Order,
        at: Moment,
    ) -> Option<Hindrance> {
        let legs = order.request.unit.legs().iter();
        let sides = legs.map(|l| {
            let market = self.market(world, quoter, &l.instrument, at)?;
            market.for_side(&l.instrument, l.quantity).err()
        });
        sides
            .flatten()
            .next()
            .or_else(|| self.before(world, order, at))
    }

    /// An order trades against what comes after it. Where a past is gone through in which nothing more
    /// comes in a session, what stands is all there is.
    fn before(&self, world: &World, order: &Order, at: Moment) -> Option<Hindrance> {
        let tape = &world.recorded(&order.request.symbol)?.tape;
        let (seen, _) = tape.standing(at)?;
        let comes = || {
            let next = tape.next_after(at);
            next.is_some_and(|next| next.date() == at.date())
        };
        (seen <= order.stands_since() && (self.live || comes())).then_some(Hindrance::Before)
    }
}

/// What the exchange needs to know while it looks at orders.
pub struct Looks<'a> {
    /// Where prices come from.
    pub world: &'a World,
    /// Most packages of an order that may fill now, where what it closes limits it.
    pub most: &'a dyn Fn(&Order) -> Option<i64>,
    /// What has been traded of the sizes displayed.
    pub displayed: &'a Displayed,
    /// How far quotes are relied on.
    pub reliance: Reliance,
}

impl Looks<'_> {
    /// Packages that may fill now.
    fn open(&self, order: &Order) -> i64 {
        let active = order.remaining();
        (self.most)(order).map_or(active, |most| active.min(most))
    }
}

/// The orders while something happens to them, and what has.
struct Floor<'a> {
    orders: &'a mut [Arc<Order>],
    happened: Vec<ExecutionReport>,
}

impl Floor<'_> {
    /// Lets an event happen, and what follows from it for other orders.
    fn apply(&mut self, i: usize, at: Moment, event: Event) {
        Arc::make_mut(&mut self.orders[i])
            .events
            .push((at, event.clone()));
        let id = self.orders[i].id;
        self.happened.push(ExecutionReport {
            order: id,
            at,
            event: event.clone(),
        });
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
                    let waiting = self.orders[j].waiting();
                    let why = format!("order {id} ended");
                    self.lose(j, at, Event::Forgone(waiting), waiting, &why);
                }
            }
            _ => {}
        }
    }

    /// Takes packages away from an order, those that could fill first.
    fn reduce(&mut self, i: usize, at: Moment, packages: i64, why: &str) {
        let progress = self.orders[i].progress();
        let packages = packages.min(progress.active + progress.waiting);
        self.lose(i, at, Event::Reduced(packages), packages, why);
    }

    /// Lets packages fall away; an order that keeps none and filled none has ended.
    fn lose(&mut self, i: usize, at: Moment, event: Event, packages: i64, why: &str) {
        if packages <= 0 {
            return;
        }
        self.apply(i, at, event);
        if self.orders[i].wanted() == 0 {
            self.apply(i, at, Event::Expired(why.to_owned()));
        }
    }

    /// Looks at an order's market at a draw (or on arrival, when only what is marketable at once
    /// trades).
    fn look(
        &mut self,
        looks: &Looks<'_>,
        quoter: &mut Quoter,
        i: usize,
        (at, arriving): (Moment, bool),
    ) {
        let world = looks.world;
        let order = &self.orders[i];
        if looks.open(order) <= 0 {
            return;
        }
        let hindrance = looks.reliance.hindrance(world, quoter, order, at);
        // A trigger watches a market that nobody can sell in as well; every other reason stops all.
        if !matches!(hindrance, None | Some(Hindrance::NoBid(_))) {
            return;
        }
        if let (false, None, Some((easing, since)), Pricing::Limit(limit)) =
            (arriving, order.watches(), order.easing(), order.pricing())
            && at.millis() - since.millis() >= easing.every * 1_000
        {
            let next = limit + easing.step;
            let on_tick = world
                .underlying(&order.request.symbol)
                .map_or(next, |u| u.ticks_of(&order.request.unit).ceil(next));
            self.apply(i, at, Event::Repriced(on_tick.min(easing.to)));
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
        if hindrance.is_some() {
            return;
        }
        let order = &self.orders[i];
        let whole = order.request.time_in_force == TimeInForce::FillOrKill;
        let open = looks.open(order);
        let gone = looks.displayed.gone(world, order, at);
        let traded = marketable(order, &market, open, gone).or_else(|| {
            if arriving {
                None
            } else {
                resting(world, order, &market, (open, at))
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

/// What happens when an order arrives: fills of what is marketable at once, the end of an order
/// that does not wait, and what follows for others.
pub fn arrive(
    looks: &Looks<'_>,
    quoter: &mut Quoter,
    orders: &mut [Arc<Order>],
    id: u64,
    at: Moment,
) -> Vec<ExecutionReport> {
    let Some(i) = place(orders, id) else {
        return Vec::new();
    };
    let mut floor = Floor {
        orders,
        happened: Vec::new(),
    };
    if is_open(at) {
        floor.look(looks, quoter, i, (at, true));
    }
    let order = &floor.orders[i];
    let at_once = matches!(
        order.request.time_in_force,
        TimeInForce::ImmediateOrCancel | TimeInForce::FillOrKill
    );
    if at_once && order.state().is_open() {
        let why = "nothing more could be filled at once";
        floor.apply(i, at, Event::Expired(why.into()));
    }
    floor.happened
}

/// Ends an order by an event, a cancellation or an expiration, and with it what waits for it.
pub fn end(orders: &mut [Arc<Order>], id: u64, at: Moment, event: Event) -> Vec<ExecutionReport> {
    let Some(i) = place(orders, id) else {
        return Vec::new();
    };
    let mut floor = Floor {
        orders,
        happened: Vec::new(),
    };
    floor.apply(i, at, event);
    floor.happened
}

/// Takes packages away from an order because what it closes is no longer held.
pub fn reduce(
    orders: &mut [Arc<Order>],
    id: u64,
    (at, packages): (Moment, i64),
    why: &str,
) -> Vec<ExecutionReport> {
    let Some(i) = place(orders, id) else {
        return Vec::new();
    };
    let mut floor = Floor {
        orders,
        happened: Vec::new(),
    };
    floor.reduce(i, at, packages, why);
    floor.happened
}

/// Where an order stands in a list that ascends by number.
fn place(orders: &[Arc<Order>], id: u64) -> Option<usize> {
    orders.binary_search_by_key(&id, |o| o.id).ok()
}

/// One draw of a resting order at a slot's moment.
fn resting(
    world: &World,
    order: &Order,
    market: &PackageQuote,
    (open, at): (i64, Moment),
) -> Option<(i64, Price)> {
    let Pricing::Limit(limit) = order.pricing() else {
        return None;
    };
    let drawn = world
        .noise()
        .uniform(Stream::Fill, order.id, at.millis() / DRAW_EVERY);
    let packages = market.size.map_or(open, |size| open.min(size));
    (packages > 0 && drawn < chance_inside(market, limit)).then_some((packages, limit))
}

/// Packages and price of an immediate execution of up to `open` packages, where so many of the
/// displayed size are `gone`.
fn marketable(order: &Order, market: &PackageQuote, open: i64, gone: i64) -> Option<(i64, Price)> {
    match order.pricing() {
        Pricing::Market => {
            // Each further size costs a tick; where not even one package is displayed, so does the first.
            let sweeps = match market.size {
                None => 0,
                Some(size) if size <= 0 => gone + open,
                Some(size) => (gone + open - 1) / size,
            };
            let walked = market.cross + market.tick * sweeps;
            // What is only sold brings nothing at the least; nobody pays to be rid of it.
            let sold = order.request.unit.legs().iter().all(|l| l.quantity < 0);
            let price = if sold {
                walked.min(Price::ZERO)
            } else {
                walked
            };
            Some((open, price))
        }
        Pricing::Limit(limit) if limit >= market.cross => {
            let left = market.size.map_or(open, |size| open.min(size - gone));
            (left > 0).then_some((left, market.cross))
        }
        Pricing::Limit(_) => None,
    }
}

/// Chance that a limit fills within so many seconds if the market stays as it is: at the cross at
/// once, inside the width by one draw after another, beyond the rest never.
pub fn chance_within(market: &PackageQuote, limit: Price, seconds: i64) -> f64 {
    if market.size == Some(0) {
        return 0.0;
    }
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
    let prices = leg_prices(unit, quotes, price, underlying);
    let legs: Vec<FillLeg> = unit
        .legs()
        .iter()
        .zip(prices)
        .map(|(l, price)| FillLeg {
            instrument: l.instrument.clone(),
            quantity: l.quantity * packages,
            price,
            terms: Some(FillTerms::of(&l.instrument, underlying)),
        })
        .collect();
    Some(Fill {
        order: order.id,
        at,
        packages,
        price,
        legs,
        fees: underlying.fees(unit, &world.fees_of(&underlying.symbol)) * packages,
    })
}

/// The contracts of some orders, each once, those that end together side by side.
fn contracts_of(orders: &[Arc<Order>]) -> Vec<Contract> {
    let mut out: Vec<Contract> = orders
        .iter()
        .filter(|o| o.state().is_open())
        .flat_map(|o| o.request.unit.options())
        .map(|(c, _)| c.clone())
        .collect();
    out.sort();
    out.dedup();
    out
}

/// The exchange at work on the open orders from one moment to another, order by order: ends by
/// time, triggers, fills, and what they mean for other orders.
///
/// [`Round::next`] gives what happened at the next look at which something did, so that whoever
/// drives it can book that before the exchange looks at the next order. The orders are updated as
/// it goes.
pub struct Round {
    to: Moment,
    /// The first look at `to` is left to the round after this one: at an opening other things happen before
    /// anybody trades.
    before: bool,
    /// The look that is being taken, whether it is a draw, and the place of the next order to look at.
    at: Moment,
    draws: bool,
    next: usize,
    /// When something recorded comes on the way, ascending; those before `come` are behind.
    coming: Vec<Moment>,
    come: usize,
    /// Whether the market was remembered for this draw.
    prepared: bool,
    /// Ends that are known beforehand, ascending; those before `ended` have been dealt with.
    ends: Vec<(Moment, u64, String)>,
    ended: usize,
    contracts: Vec<Contract>,
}

impl Round {
    /// Prepares the way over `(from, to)`: the looks before `to`, and the ends of orders up to it. The look
    /// at `to` itself is [`Round::new`]'s from the millisecond before.
    pub fn before(world: &World, orders: &[Arc<Order>], from: Moment, to: Moment) -> Round {
        Round {
            before: true,
            ..Round::new(world, orders, from, to)
        }
    }

    /// Prepares the way over `(from, to]`. Orders ascend by number.
    pub fn new(world: &World, orders: &[Arc<Order>], from: Moment, to: Moment) -> Round {
        let end = |o: &Arc<Order>| ends(world, o).map(|(at, why)| (at, o.id, why));
        let mut ends: Vec<_> = orders.iter().filter_map(end).collect();
        ends.sort_by_key(|(at, id, _)| (*at, *id));
        let mut symbols: Vec<&String> = orders.iter().map(|o| &o.request.symbol).collect();
        symbols.sort_unstable();
        symbols.dedup();
        let recorded = symbols.into_iter().filter_map(|s| world.recorded(s));
        let after = from.plus_millis(1);
        let mut coming: Vec<Moment> = recorded
            .flat_map(|r| r.tape.between(after, to))
            .map(|(at, _)| at)
            .collect();
        coming.sort_unstable();
        coming.dedup();
        let mut round = Round {
            to,
            before: false,
            at: from,
            draws: false,
            next: 0,
            coming,
            come: 0,
            prepared: false,
            ends,
            ended: 0,
            contracts: contracts_of(orders),
        };
        round.begin_after(from);
        round
    }

    /// What happened next; nothing once the way is done.
    pub fn next(
        &mut self,
        looks: &Looks<'_>,
        quoter: &mut Quoter,
        orders: &mut [Arc<Order>],
    ) -> Vec<ExecutionReport> {
        let mut floor = Floor {
            orders,
            happened: Vec::new(),
        };
        loop {
            let at = self.at;
            // An order's end is known when it is placed, and comes before the draw of its moment.
            while let Some((end, id, why)) = self.ends.get(self.ended) {
                if *end > at.min(self.to) {
                    break;
                }
                self.ended += 1;
                let open = place(floor.orders, *id).filter(|i| floor.orders[*i].state().is_open());
                if let Some(i) = open {
                    floor.apply(i, *end, Event::Expired(why.clone()));
                    return self.reports(floor);
                }
            }
            let any = floor.orders.iter().any(|o| o.state().is_open());
            if at > self.to || (self.before && at == self.to) || !any {
                return floor.happened;
            }
            if !is_open(at) {
                self.sleep(at);
                continue;
            }
            if !self.prepared {
                quoter.remember(looks.world, &self.contracts, at);
                self.prepared = true;
            }
            while self.next < floor.orders.len() {
                let i = self.next;
                self.next += 1;
                let symbol = &floor.orders[i].request.symbol;
                let looked = self.draws || looks.world.is_recorded(symbol);
                if looked && floor.orders[i].state().is_open() {
                    floor.look(looks, quoter, i, (at, !self.draws));
                    if !floor.happened.is_empty() {
                        return self.reports(floor);
                    }
                }
            }
            self.begin_after(at);
        }
    }

    /// Nothing trades before the next opening or the next end of an order.
    fn sleep(&mut self, at: Moment) {
        let end = self.ends.get(self.ended).map(|(end, ..)| *end);
        let wake = desk::calendar::next_open(at).min(end.unwrap_or(self.to));
        let slot = wake.min(self.to).millis().div_euclid(DRAW_EVERY);
        // The draw at the waking itself counts.
        self.begin_after(at.max(Moment::from_millis(slot * DRAW_EVERY - 1)));
    }

    /// The next look after a moment: a draw, or something that comes.
    fn begin_after(&mut self, at: Moment) {
        let slot = at.millis().div_euclid(DRAW_EVERY) + 1;
        let draw = Moment::from_millis(slot * DRAW_EVERY);
        while self.coming.get(self.come).is_some_and(|c| *c <= at) {
            self.come += 1;
        }
        let comes = self.coming.get(self.come).filter(|c| **c < draw);
        (self.at, self.draws) = (comes.copied().unwrap_or(draw), comes.is_none());
        (self.next, self.prepared) = (0, false);
    }

    fn reports(&mut self, floor: Floor<'_>) -> Vec<ExecutionReport> {
        self.contracts = contracts_of(floor.orders);
        floor.happened
    }
}

/// The way over `(from, to]` for orders without an account: nothing limits what may fill.
pub fn advance(
    world: &World,
    quoter: &mut Quoter,
    orders: &mut [Arc<Order>],
    from: Moment,
    to: Moment,
) -> Vec<ExecutionReport> {
    let mut round = Round::new(world, orders, from, to);
    let (mut displayed, mut out) = (Displayed::default(), Vec::new());
    loop {
        let looks = Looks {
            world,
            most: &|_| None,
            displayed: &displayed,
            reliance: Reliance::default(),
        };
        let happened = round.next(&looks, quoter, orders);
        if happened.is_empty() {
            return out;
        }
        for h in &happened {
            if let Event::Filled(fill) = &h.event {
                displayed.note(world, fill);
            }
        }
        out.extend(happened);
    }
}
