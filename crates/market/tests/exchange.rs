//! Orders and time.
#![allow(clippy::unwrap_used)]

use std::sync::Arc;

use desk::calendar::{close_of, open_of};
use desk::order::Event;
use desk::*;
use jiff::civil::date;
use market::exchange::{
    self, Displayed, ExecutionReport, Looks, Reliance, Round, chance_inside, chance_within,
    market_of,
};
use market::{DEMO_DAY, Quoter, World, contract, strikes};
use proptest::prelude::*;

/// The exchange shares orders with readers; here they are plain.
fn shared<T>(orders: &mut [Order], f: impl FnOnce(&mut [Arc<Order>]) -> T) -> T {
    let mut all: Vec<Arc<Order>> = orders.iter().cloned().map(Arc::new).collect();
    let out = f(&mut all);
    orders
        .iter_mut()
        .zip(all)
        .for_each(|(o, new)| *o = Order::clone(&new));
    out
}

fn advance(
    world: &World,
    quoter: &mut Quoter,
    orders: &mut [Order],
    from: Moment,
    to: Moment,
) -> Vec<ExecutionReport> {
    shared(orders, |all| {
        exchange::advance(world, quoter, all, from, to)
    })
}

fn arrive(
    world: &World,
    quoter: &mut Quoter,
    orders: &mut [Order],
    i: usize,
    at: Moment,
) -> Vec<ExecutionReport> {
    let looks = Looks {
        world,
        most: &|_| None,
        displayed: &Displayed::default(),
        reliance: Reliance::default(),
    };
    let id = orders[i].id;
    shared(orders, |all| exchange::arrive(&looks, quoter, all, id, at))
}

fn cancel(orders: &mut [Order], i: usize, at: Moment) -> Vec<ExecutionReport> {
    let id = orders[i].id;
    shared(orders, |all| exchange::end(all, id, at, Event::Cancelled))
}

fn start() -> Moment {
    Moment::at(DEMO_DAY, 10, 42)
}

/// One or two put verticals near the money, as an order bought.
fn order(
    world: &World,
    id: u64,
    quantity: i64,
    pricing: Pricing,
    time_in_force: TimeInForce,
) -> Order {
    let e = world
        .expirations("NMOU", start())
        .unwrap()
        .into_iter()
        .find(|e| start().days_until(e.date) > 30)
        .unwrap();
    let ks = strikes(world, "NMOU", &e, start());
    let leg = |k: Price, quantity| {
        Leg::option(contract(world, "NMOU", &e, Kind::Put, k).unwrap(), quantity)
    };
    let legs = [leg(ks[ks.len() / 2], 1), leg(ks[ks.len() / 2 - 4], -1)];
    let unit = Package::new(legs).unwrap();
    let request = Request {
        client_id: format!("c{id}"),
        symbol: "NMOU".into(),
        unit,
        quantity,
        pricing,
        trigger: None,
        link: Link::default(),
        time_in_force,
        purpose: desk::Purpose::Open,
        closing: Vec::new(),
    };
    Order {
        id,
        placed: start(),
        request,
        events: vec![(start(), Event::Accepted)],
    }
}

/// What an order's arrival fills at once.
fn on_arrival(world: &World, order: &Order, at: Moment) -> Option<Fill> {
    let happened = arrive(world, &mut Quoter::new(), &mut [order.clone()], 0, at);
    happened.into_iter().find_map(|h| {
        if let Event::Filled(f) = h.event {
            Some(f)
        } else {
            None
        }
    })
}

fn market_now(world: &World, o: &Order) -> PackageQuote {
    market_of(world, &mut Quoter::new(), o, start()).unwrap().0
}

#[test]
fn the_cross_fills_now_beyond_the_rest_never_and_the_middle_in_a_while() {
    let world = World::new(1);
    let at = |p| order(&world, 1, 2, Pricing::Limit(p), TimeInForce::Day);
    let m = market_now(&world, &at(Price::ZERO));
    let crossing = on_arrival(&world, &at(m.cross), start()).unwrap();
    assert_eq!(
        (crossing.packages, crossing.price),
        (2.min(m.size.unwrap()), m.cross)
    );
    let sum: Price = crossing
        .legs
        .iter()
        .map(|l| l.price * (l.quantity / crossing.packages))
        .sum();
    assert_eq!(sum, m.cross, "leg prices sum to the net");
    assert_eq!(on_arrival(&world, &at(m.middle), start()), None);

    assert_eq!(chance_inside(&m, m.rest - m.tick), 0.0);
    let mut filled = 0;
    let mut waits = Vec::new();
    for id in 1..=40 {
        let mut orders = [Order { id, ..at(m.middle) }];
        let done = advance(
            &world,
            &mut Quoter::new(),
            &mut orders,
            start(),
            start().plus_millis(20 * 60_000),
        );
        let first = done.iter().find(|h| matches!(h.event, Event::Filled(_)));
        if let Some(ExecutionReport { at: when, .. }) = first {
            filled += 1;
            waits.push(when.millis() - start().millis());
        }
        let mut hopeless = [Order {
            id,
            ..at(m.rest - Price::cents(200))
        }];
        assert!(
            advance(
                &world,
                &mut Quoter::new(),
                &mut hopeless,
                start(),
                start().plus_millis(20 * 60_000)
            )
            .is_empty()
        );
    }
    assert!(
        filled > 25,
        "{filled} of 40 middles filled within twenty minutes"
    );
    assert!(
        waits.iter().max() > waits.iter().min(),
        "not all at once: {waits:?}"
    );
}

#[test]
fn a_market_order_walks_and_a_closed_exchange_waits() {
    let world = World::new(2);
    let huge = order(&world, 1, 400, Pricing::Market, TimeInForce::Day);
    let m = market_now(&world, &huge);
    let fill = on_arrival(&world, &huge, start()).unwrap();
    assert_eq!(fill.packages, 400);
    assert!(fill.price > m.cross, "{} {}", fill.price, m.cross);
    let night = close_of(DEMO_DAY).plus_millis(3_600_000);
    assert_eq!(on_arrival(&world, &huge, night), None);
    let mut waiting = [Order {
        placed: night,
        ..order(&world, 1, 1, Pricing::Market, TimeInForce::Day)
    }];
    let done = advance(
        &world,
        &mut Quoter::new(),
        &mut waiting,
        night,
        night.plus_millis(86_400_000),
    );
    assert!(
        done[0].at >= open_of(date(2031, 3, 12))
            && done[0].at < open_of(date(2031, 3, 12)).plus_millis(30_000)
    );
}

#[test]
fn a_day_order_ends_with_its_session_and_a_cancelled_limit_with_its_contracts() {
    let world = World::new(3);
    let far = Pricing::Limit(Price::cents(1));
    let mut day = [order(&world, 1, 1, far, TimeInForce::Day)];
    let done = advance(
        &world,
        &mut Quoter::new(),
        &mut day,
        start(),
        start().plus_millis(3 * 86_400_000),
    );
    assert_eq!(done[0].at, close_of(DEMO_DAY));
    assert_eq!(day[0].state(), OrderState::Expired);
    let mut gtc = [order(&world, 2, 1, far, TimeInForce::GoodTillCancelled)];
    let expiry = gtc[0].request.unit.options().next().unwrap().0.expiry;
    advance(
        &world,
        &mut Quoter::new(),
        &mut gtc,
        start(),
        close_of(expiry).plus_millis(60_000),
    );
    let (when, last) = gtc[0].events.last().unwrap();
    assert!(
        *when <= close_of(expiry) && matches!(last, Event::Expired(_) | Event::Filled(_)),
        "{when} {last:?}"
    );
}

/// A stop waits while the package is cheaper than its level and trades once it is not; a trailing
/// one follows the lowest price seen, never back up.
#[test]
fn stops_watch_the_package_and_trailing_ones_ratchet() {
    let world = World::new(6);
    let plain = order(
        &world,
        1,
        1,
        Pricing::Market,
        TimeInForce::GoodTillCancelled,
    );
    let mid = |at: Moment| {
        market_of(&world, &mut Quoter::new(), &plain, at)
            .unwrap()
            .0
            .middle
    };
    let now = mid(start());
    let end = start().plus_millis(8 * 86_400_000);
    // The package's middle at every draw, for comparison.
    let slots = (1..)
        .map(|n| Moment::from_millis((start().millis() / 10_000 + n) * 10_000))
        .take_while(|at| *at <= end);
    let seen: Vec<(Moment, Price)> = slots
        .filter(|at| desk::calendar::is_open(*at))
        .step_by(30)
        .map(|at| (at, mid(at)))
        .collect();
    for (side, level) in [
        (TriggerSide::Mark, Level::At(now + Price::cents(40))),
        (TriggerSide::Mark, Level::Trailing(Price::cents(60))),
    ] {
        let mut held = plain.clone();
        held.request.trigger = Some(Trigger { side, level });
        let mut orders = [held];
        advance(&world, &mut Quoter::new(), &mut orders, start(), end);
        let o = &orders[0];
        let triggered = o.events.iter().find_map(|(at, e)| {
            if let Event::Triggered(p) = e {
                Some((*at, *p))
            } else {
                None
            }
        });
        let lows: Vec<Price> = o
            .events
            .iter()
            .filter_map(|(_, e)| {
                if let Event::Trailed(p) = e {
                    Some(*p)
                } else {
                    None
                }
            })
            .collect();
        assert!(lows.windows(2).all(|w| w[1] < w[0]), "{lows:?}");
        let Some((at, price)) = triggered else {
            let level = o.trigger_level().unwrap();
            assert!(
                seen.iter().all(|(_, p)| *p < level),
                "it never traded that high"
            );
            continue;
        };
        assert!(price >= o.trigger_level().unwrap());
        let mut lowest = now;
        for (_, p) in seen.iter().filter(|(t, _)| *t < at) {
            lowest = lowest.min(*p);
            let then = match level {
                Level::At(level) => level,
                Level::Trailing(by) => lowest + by,
            };
            assert!(*p < then, "it would have triggered before");
        }
        let fill = o.fills().next().unwrap();
        assert!(
            fill.at >= at && fill.at.millis() - at.millis() <= 10_000,
            "at the market in the same draw"
        );
        assert_eq!(o.state(), OrderState::Filled);
    }
    // A stop limit that triggers below its limit is an order like others; an untriggered one never
    // trades though it is marketable.
    let mut held = order(
        &world,
        2,
        1,
        Pricing::Limit(now + Price::cents(500)),
        TimeInForce::Day,
    );
    held.request.trigger = Some(Trigger {
        side: TriggerSide::Mark,
        level: Level::At(now + Price::cents(5_000)),
    });
    assert_eq!(
        (on_arrival(&world, &held, start()), held.state()),
        (None, OrderState::Watching)
    );
}

#[test]
fn at_once_orders_never_rest() {
    let world = World::new(7);
    let m = market_now(
        &world,
        &order(&world, 1, 1, Pricing::Market, TimeInForce::Day),
    );
    let many = m.size.unwrap() + 3;
    for (quantity, pricing, time, filled) in [
        (
            many,
            Pricing::Limit(m.cross),
            TimeInForce::ImmediateOrCancel,
            m.size.unwrap(),
        ),
        (many, Pricing::Limit(m.cross), TimeInForce::FillOrKill, 0),
        (1, Pricing::Limit(m.cross), TimeInForce::FillOrKill, 1),
        (
            1,
            Pricing::Limit(m.middle),
            TimeInForce::ImmediateOrCancel,
            0,
        ),
        (many, Pricing::Market, TimeInForce::FillOrKill, many),
    ] {
        let mut orders = [order(&world, 1, quantity, pricing, time)];
        arrive(&world, &mut Quoter::new(), &mut orders, 0, start());
        assert_eq!(
            (orders[0].filled(), orders[0].state().is_open()),
            (filled, false),
            "{quantity} {pricing:?} {time:?}"
        );
    }
    let mut dated = [order(
        &world,
        1,
        1,
        Pricing::Limit(Price::cents(1)),
        TimeInForce::GoodTillDate(date(2031, 3, 13)),
    )];
    let done = advance(
        &world,
        &mut Quoter::new(),
        &mut dated,
        start(),
        start().plus_millis(5 * 86_400_000),
    );
    assert_eq!(
        (done[0].at, dated[0].state()),
        (close_of(date(2031, 3, 13)), OrderState::Expired)
    );
}

/// An entry, and a target and a stop that close it and cancel each other.
fn bracket(world: &World, quantity: i64, entry: Pricing, target: Price, stop: Price) -> Vec<Order> {
    let first = order(world, 1, quantity, entry, TimeInForce::GoodTillCancelled);
    let closing = |id: u64, pricing, trigger| {
        let mut o = order(world, id, quantity, pricing, TimeInForce::GoodTillCancelled);
        o.request.unit = first.request.unit.reversed();
        o.request.link = Link {
            after: Some(1),
            group: Some(2),
        };
        o.request.trigger = trigger;
        o
    };
    let stop = Trigger {
        side: TriggerSide::Mark,
        level: Level::At(stop),
    };
    vec![
        first.clone(),
        closing(2, Pricing::Limit(target), None),
        closing(3, Pricing::Market, Some(stop)),
    ]
}

#[test]
fn a_bracket_opens_then_closes_once_whichever_side_comes_first() {
    let mut ends = [0, 0];
    for seed in 1..=12 {
        let world = World::new(seed);
        let m = market_now(
            &world,
            &order(&world, 1, 1, Pricing::Market, TimeInForce::Day),
        );
        let off = Price::cents(60);
        let mut orders = bracket(
            &world,
            5,
            Pricing::Limit(m.cross),
            -(m.middle + off),
            -(m.middle - off),
        );
        assert_eq!(orders[1].state(), OrderState::Waiting);
        let mut quoter = Quoter::new();
        let mut happened = arrive(&world, &mut quoter, &mut orders, 0, start());
        happened.extend(advance(
            &world,
            &mut quoter,
            &mut orders,
            start(),
            start().plus_millis(20 * 86_400_000),
        ));
        let filled: Vec<i64> = orders.iter().map(Order::filled).collect();
        assert_eq!(filled[0], 5, "seed {seed}");
        assert!(
            filled[1] + filled[2] <= 5,
            "seed {seed}: {filled:?} closes more than was opened"
        );
        // What one side filled the other lost, and nothing closes before it is open.
        let mut open = 0;
        for h in &happened {
            if let Event::Filled(f) = &h.event {
                open += if h.order == 1 {
                    f.packages
                } else {
                    -f.packages
                };
                assert!(open >= 0, "seed {seed}");
            }
        }
        if filled[1] + filled[2] == 5 {
            assert!(orders.iter().all(|o| !o.state().is_open()), "seed {seed}");
            ends[usize::from(filled[2] > 0)] += 1;
        }
    }
    assert!(
        ends[0] > 0 && ends[1] > 0,
        "targets and stops both happen: {ends:?}"
    );
    // The entry cancelled: what waited for it goes with it.
    let world = World::new(1);
    let mut orders = bracket(
        &world,
        2,
        Pricing::Limit(Price::cents(1)),
        Price::cents(-500),
        Price::cents(-100),
    );
    cancel(&mut orders, 0, start());
    assert_eq!(
        orders.iter().map(Order::state).collect::<Vec<_>>(),
        [
            OrderState::Cancelled,
            OrderState::Expired,
            OrderState::Expired
        ]
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn stepping_finely_or_at_once_gives_the_same_fills_within_limit_and_quantity(
        prices in prop::collection::vec((50..900_i64, 1..30_i64), 1..4),
        cuts in prop::collection::vec(1..5_400_000_i64, 0..6),
    ) {
        let world = World::new(4);
        let orders: Vec<Order> = prices
            .iter()
            .enumerate()
            .map(|(i, (cents, quantity))| {
                order(
                    &world,
                    i as u64 + 1,
                    *quantity,
                    Pricing::Limit(Price::cents(*cents)),
                    TimeInForce::Day,
                )
            })
            .collect();
        let end = start().plus_millis(5_400_000);
        let mut once = orders.clone();
        advance(&world, &mut Quoter::new(), &mut once, start(), end);
        let mut stepped = orders;
        let mut stops: Vec<Moment> = cuts.iter().map(|c| start().plus_millis(*c)).collect();
        stops.push(end);
        stops.sort();
        let mut from = start();
        let mut quoter = Quoter::new();
        for to in stops {
            advance(&world, &mut quoter, &mut stepped, from, to);
            from = to;
        }
        prop_assert_eq!(&once, &stepped);
        for o in &once {
            prop_assert!(o.filled() <= o.request.quantity);
            let Pricing::Limit(limit) = o.pricing() else {
                unreachable!()
            };
            for f in o.fills() {
                prop_assert!(f.price <= limit);
                let sum: Price = f
                    .legs
                    .iter()
                    .map(|l| l.price * (l.quantity / f.packages))
                    .sum();
                prop_assert_eq!(sum, f.price);
            }
        }
    }

    /// Random streams of orders (some with shares among their legs), links, cancels, replacements
    /// and steps: no fill beyond limit or quantity, legs in ratio, one of a group in the other's
    /// place, and the same stream gives the same fills.
    #[test]
    fn random_streams_keep_the_exchange_honest(
        seed in 1..6_u64,
        stream in prop::collection::vec((0..8_u8, 1..12_i64, -60..90_i64, 1..4_000_000_i64), 1..14),
    ) {
        let world = World::new(seed);
        let play = || {
            let mut orders: Vec<Order> = Vec::new();
            let mut quoter = Quoter::new();
            let mut happened: Vec<ExecutionReport> = Vec::new();
            let mut at = start();
            for (what, quantity, cents, millis) in &stream {
                let id = orders.len() as u64 + 1;
                let with_shares = |mut o: Order| {
                    if *what == 7 {
                        let shares = Leg {
                            instrument: Instrument::Underlying("NMOU".into()),
                            quantity: 30 + 10 * quantity,
                        };
                        let legs = o.request.unit.legs().iter().cloned();
                        o.request.unit = Package::new(legs.chain([shares])).unwrap();
                    }
                    o
                };
                let probe = with_shares(order(
                    &world,
                    id,
                    *quantity,
                    Pricing::Market,
                    TimeInForce::Day,
                ));
                let middle =
                    market_of(&world, &mut quoter, &probe, at).map_or(Price::ZERO, |m| m.0.middle);
                let near = middle + Price::cents(*cents);
                let mut new = with_shares(order(
                    &world,
                    id,
                    *quantity,
                    Pricing::Limit(near),
                    TimeInForce::GoodTillCancelled,
                ));
                new.placed = at;
                match what {
                    0 => {
                        let next = at.plus_millis(*millis);
                        happened.extend(advance(&world, &mut quoter, &mut orders, at, next));
                        at = next;
                        continue;
                    }
                    1 if !orders.is_empty() => {
                        let i = *quantity as usize % orders.len();
                        if orders[i].state().is_open() {
                            happened.extend(cancel(&mut orders, i, at));
                        }
                        continue;
                    }
                    6 if !orders.is_empty() => {
                        let i = *quantity as usize % orders.len();
                        if orders[i].state().is_open() && orders[i].pricing() != Pricing::Market {
                            orders[i].events.push((at, Event::Repriced(near)));
                            happened.push(ExecutionReport {
                                order: orders[i].id,
                                at,
                                event: Event::Repriced(near),
                            });
                            happened.extend(arrive(&world, &mut quoter, &mut orders, i, at));
                        }
                        continue;
                    }
                    7 => {}
                    2 => {
                        new.request.trigger = Some(Trigger {
                            side: TriggerSide::Mark,
                            level: Level::Trailing(Price::cents(5 + cents.abs())),
                        })
                    }
                    3 => new.request.time_in_force = TimeInForce::ImmediateOrCancel,
                    4 => new.request.link.group = Some(1),
                    5 if !orders.is_empty() => {
                        let parent = &orders[*quantity as usize % orders.len()];
                        if parent.state().is_open()
                            && parent.filled() == 0
                            && parent.wanted() == parent.request.quantity
                            && parent.request.link == Link::default()
                        {
                            new.request.link.after = Some(parent.id);
                            new.request.quantity = parent.request.quantity;
                        }
                    }
                    _ => new.request.pricing = Pricing::Market,
                }
                orders.push(new);
                let last = orders.len() - 1;
                happened.extend(arrive(&world, &mut quoter, &mut orders, last, at));
            }
            let end = at.plus_millis(86_400_000);
            happened.extend(advance(&world, &mut quoter, &mut orders, at, end));
            (orders, happened)
        };
        let (orders, happened) = play();
        prop_assert_eq!(
            &(orders.clone(), happened.clone()),
            &play(),
            "the same stream, the same \
                world"
        );
        for o in &orders {
            prop_assert!(
                o.filled() <= o.wanted() && o.wanted() <= o.request.quantity && o.wanted() >= 0,
                "{:?}",
                o
            );
            let mut limit = o.request.pricing;
            for (_, e) in &o.events {
                match (e, limit) {
                    (Event::Repriced(p), _) => limit = Pricing::Limit(*p),
                    (Event::Filled(f), Pricing::Limit(limit)) => {
                        prop_assert!(f.price <= limit, "{:?}", f)
                    }
                    _ => {}
                }
            }
            let u = world.underlying("NMOU").unwrap();
            for f in o.fills() {
                prop_assert!(f.packages > 0);
                for (leg, unit) in f.legs.iter().zip(o.request.unit.legs()) {
                    prop_assert_eq!(leg.quantity, unit.quantity * f.packages);
                }
                // To the last digit: what the legs cost is what the package cost.
                let worth = |price: Price, units: i64| i128::from(price.raw()) * i128::from(units);
                let legs: i128 = f
                    .legs
                    .iter()
                    .zip(o.request.unit.legs())
                    .map(|(l, part)| worth(l.price, part.quantity * u.units(&l.instrument)))
                    .sum();
                prop_assert_eq!(legs, worth(f.price, u.price_units(&o.request.unit)));
            }
            if let Some(parent) = o.request.link.after {
                let parent = orders.iter().find(|p| p.id == parent).unwrap();
                prop_assert!(
                    o.filled() <= parent.filled(),
                    "no more than the order it waits for"
                );
                prop_assert!(
                    parent.state().is_open() || o.waiting() == 0,
                    "nothing waits for \
                        what has ended"
                );
            }
        }
        // Of a group no more is filled, from the moment all its members are there, than the largest
        // of them asked for.
        let group: Vec<&Order> = orders
            .iter()
            .filter(|o| o.request.link.group == Some(1))
            .collect();
        if let (Some(youngest), Some(largest)) = (
            group.iter().map(|o| o.placed).max(),
            group.iter().map(|o| o.request.quantity).max(),
        ) {
            let after: i64 = group
                .iter()
                .flat_map(|o| o.fills())
                .filter(|f| f.at > youngest)
                .map(|f| f.packages)
                .sum();
            prop_assert!(after <= largest, "{} of {}", after, largest);
        }
        for h in &happened {
            let order = orders.iter().find(|o| o.id == h.order).unwrap();
            prop_assert!(order.events.contains(&(h.at, h.event.clone())));
        }
    }
}

/// An eased limit moves by its step when it has stood its time, never beyond its end, is filled on
/// the way like any other, and the same whether time passes at once or in pieces, stopped in
/// between or not.
#[test]
fn an_eased_limit_walks_to_its_end_and_no_further() {
    let world = World::new(2);
    let far = order(&world, 1, 1, Pricing::Limit(Price::ZERO), TimeInForce::Day);
    let m = market_now(&world, &far);
    let from = m.rest - Price::cents(40);
    let eased = |to: Price| {
        let mut o = order(&world, 1, 1, Pricing::Limit(from), TimeInForce::Day);
        o.events.push((
            start(),
            Event::Eased(Some(Easing {
                step: Price::cents(3),
                every: 30,
                to,
            })),
        ));
        o
    };
    let limits = |o: &Order| -> Vec<(i64, Price)> {
        o.events
            .iter()
            .filter_map(|(at, e)| {
                if let Event::Repriced(p) = e {
                    Some(((at.millis() - start().millis()) / 1_000, *p))
                } else {
                    None
                }
            })
            .collect()
    };
    let end = start().plus_millis(400_000);
    let mut whole = [eased(from + Price::cents(10))];
    advance(&world, &mut Quoter::new(), &mut whole, start(), end);
    let steps: Vec<Price> = limits(&whole[0]).iter().map(|(_, p)| *p - from).collect();
    assert_eq!(
        steps,
        [3, 6, 9, 10].map(Price::cents),
        "three whole steps, then what is left"
    );
    assert!(
        limits(&whole[0]).windows(2).all(|w| w[1].0 - w[0].0 == 30),
        "{:?}",
        limits(&whole[0])
    );
    assert!(whole[0].easing().is_none() && whole[0].state() == OrderState::Working);

    let mut at_once = [eased(m.cross + Price::cents(30))];
    advance(
        &world,
        &mut Quoter::new(),
        &mut at_once,
        start(),
        end.plus_millis(1_200_000),
    );
    let (fill, last) = (
        at_once[0].fills().next().expect("it comes to the market"),
        *limits(&at_once[0]).last().unwrap(),
    );
    assert!(
        fill.price <= last.1
            && at_once[0]
                .events
                .last()
                .map(|(_, e)| matches!(e, Event::Filled(_)))
                == Some(true),
        "nothing is eased after the fill"
    );
    let mut pieces = [eased(m.cross + Price::cents(30))];
    let mut at = start();
    while at < end.plus_millis(1_200_000) {
        advance(
            &world,
            &mut Quoter::new(),
            &mut pieces,
            at,
            at.plus_millis(7_000),
        );
        at = at.plus_millis(7_000);
    }
    assert_eq!(pieces[0].events, at_once[0].events);
}

/// What is promised as a chance is what happens: over many orders, as many fill within five minutes
/// as was said, as long as the market stays.
#[test]
fn the_chance_of_a_fill_is_how_often_it_fills() {
    let (mut said, mut filled, mut orders_tried) = (0.0, 0, 0);
    for seed in 1..=40 {
        let world = World::new(seed);
        let probe = order(&world, 1, 1, Pricing::Market, TimeInForce::Day);
        let m = market_now(&world, &probe);
        let limit = m.rest + (m.middle - m.rest).half();
        for id in 1..=10 {
            let mut o = [Order {
                id,
                ..order(&world, id, 1, Pricing::Limit(limit), TimeInForce::Day)
            }];
            said += chance_within(&m, limit, 300);
            advance(
                &world,
                &mut Quoter::new(),
                &mut o,
                start(),
                start().plus_millis(300_000),
            );
            filled += i32::from(o[0].state() == OrderState::Filled);
            orders_tried += 1;
        }
        assert_eq!(
            (
                chance_within(&m, m.cross, 300),
                chance_within(&m, m.rest - m.tick, 300)
            ),
            (1.0, 0.0)
        );
    }
    let (said, filled) = (
        said / f64::from(orders_tried),
        f64::from(filled) / f64::from(orders_tried),
    );
    // The market moves meanwhile: it only has to be near.
    assert!((said - filled).abs() < 0.15, "said {said}, filled {filled}");
}

/// What is traded of a displayed size is gone until the quote changes; an order for the market
/// walks on from where the one before it stopped.
#[test]
fn displayed_size_is_consumed() {
    let world = World::new(1);
    let probe = order(&world, 1, 1, Pricing::Market, TimeInForce::Day);
    let m = market_now(&world, &probe);
    let whole = order(
        &world,
        1,
        m.size.unwrap(),
        Pricing::Limit(m.cross),
        TimeInForce::Day,
    );
    let second = order(
        &world,
        2,
        m.size.unwrap(),
        Pricing::Limit(m.cross),
        TimeInForce::Day,
    );
    let mut walker = order(&world, 3, 1, Pricing::Market, TimeInForce::Day);
    walker.id = 3;
    let mut orders: Vec<Arc<Order>> = [whole, second, walker].map(Arc::new).to_vec();
    let mut displayed = Displayed::default();
    let mut look = |orders: &mut Vec<Arc<Order>>, id: u64, at: Moment| -> Option<Fill> {
        let looks = Looks {
            world: &world,
            most: &|_| None,
            displayed: &displayed,
            reliance: Reliance::default(),
        };
        let happened = exchange::arrive(&looks, &mut Quoter::new(), orders, id, at);
        let fill = happened.into_iter().find_map(|h| match h.event {
            Event::Filled(f) => Some(f),
            _ => None,
        });
        if let Some(f) = &fill {
            displayed.note(&world, f);
        }
        fill
    };
    let first = look(&mut orders, 1, start()).unwrap();
    assert_eq!((first.packages, first.price), (m.size.unwrap(), m.cross));
    assert_eq!(look(&mut orders, 2, start()), None, "nothing is left of it");
    let walked = look(&mut orders, 3, start()).unwrap();
    assert_eq!((walked.packages, walked.price), (1, m.cross + m.tick));
    // A quarter of a minute later the market is another.
    assert!(look(&mut orders, 2, start().plus_millis(15_000)).is_some_and(|f| f.packages > 0));
}

/// A bracket of five whose entry filled two: when the target fills these two, nothing is left
/// active on the stop, and three still wait.
#[test]
fn a_bracket_half_filled_leaves_nothing_active_on_the_other_side() {
    let world = World::new(1);
    let m = market_now(
        &world,
        &order(&world, 1, 1, Pricing::Market, TimeInForce::Day),
    );
    let off = Price::cents(60);
    let far = Pricing::Limit(m.rest - Price::cents(400));
    let mut orders = bracket(&world, 5, far, -(m.middle + off), -(m.middle - off));
    let partly = Fill {
        order: 1,
        at: start(),
        packages: 2,
        price: m.middle,
        legs: Vec::new(),
        fees: Money::ZERO,
    };
    let fill = |orders: &mut Vec<Order>, id: u64| {
        let filled = Event::Filled(Fill {
            order: id,
            ..partly.clone()
        });
        shared(orders, |all| exchange::end(all, id, start(), filled))
    };
    fill(&mut orders, 1);
    let stands = |o: &Order| (o.remaining(), o.waiting());
    assert_eq!((stands(&orders[1]), stands(&orders[2])), ((2, 3), (2, 3)));
    fill(&mut orders, 2);
    assert_eq!((stands(&orders[1]), stands(&orders[2])), ((0, 3), (0, 3)));
    // The entry ends: what waited goes, and nothing is left to close with.
    cancel(&mut orders, 0, start());
    assert!(!orders[1].state().is_open() && !orders[2].state().is_open());
}

/// What is no longer held cannot be closed: at each look the account says how much may fill.
#[test]
fn no_more_fills_than_the_account_says() {
    let world = World::new(1);
    let m = market_now(
        &world,
        &order(&world, 1, 1, Pricing::Market, TimeInForce::Day),
    );
    let limit = Pricing::Limit(m.cross + Price::cents(50));
    let mut orders: Vec<Arc<Order>> = [1, 2]
        .map(|id| Arc::new(order(&world, id, 3, limit, TimeInForce::Day)))
        .to_vec();
    // Four are held, and two orders would close three each.
    let (mut held, mut quoter) = (4, Quoter::new());
    let (displayed, to) = (Displayed::default(), start().plus_millis(600_000));
    let mut round = Round::new(&world, &orders, start(), to);
    loop {
        let looks = Looks {
            world: &world,
            most: &|_| Some(held),
            displayed: &displayed,
            reliance: Reliance::default(),
        };
        let happened = round.next(&looks, &mut quoter, &mut orders);
        if happened.is_empty() {
            break;
        }
        for h in &happened {
            if let Event::Filled(f) = &h.event {
                held -= f.packages;
            }
        }
        assert!(held >= 0);
    }
    assert_eq!(held, 0);
    assert_eq!(orders.iter().map(|o| o.filled()).sum::<i64>(), 4);
}
