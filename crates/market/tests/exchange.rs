//! Orders and time.
#![allow(clippy::unwrap_used)]

use desk::calendar::{close_of, open_of};
use desk::order::Event;
use desk::*;
use jiff::civil::date;
use market::exchange::{advance, chance_inside, market_of, on_arrival};
use market::{DEMO_DAY, Quoter, World, contract, strikes};
use proptest::prelude::*;

fn start() -> Moment {
    Moment::at(DEMO_DAY, 10, 42)
}

/// One or two put verticals near the money, as an order bought.
fn order(world: &World, id: u64, quantity: i64, pricing: Pricing, time_in_force: TimeInForce) -> Order {
    let e = world.expirations("NMOU", start()).unwrap().into_iter().find(|e| start().days_until(e.date) > 30).unwrap();
    let ks = strikes(world, "NMOU", &e, start());
    let leg = |k: Price, quantity| Leg { quantity, contract: contract(world, "NMOU", &e, Kind::Put, k).unwrap() };
    let unit = Structure::new([leg(ks[ks.len() / 2], 1), leg(ks[ks.len() / 2 - 4], -1)]).unwrap();
    let request = Request { client_id: format!("c{id}"), symbol: "NMOU".into(), unit, quantity, pricing, time_in_force, closes: None };
    Order { id, placed: start(), request, events: vec![(start(), Event::Accepted)] }
}

fn market_now(world: &World, o: &Order) -> PackageQuote {
    market_of(world, &mut Quoter::new(), o, start()).unwrap().0
}

#[test]
fn the_cross_fills_now_beyond_the_rest_never_and_the_middle_in_a_while() {
    let world = World::new(1);
    let at = |p| order(&world, 1, 2, Pricing::Limit(p), TimeInForce::Day);
    let m = market_now(&world, &at(Price::ZERO));
    let crossing = on_arrival(&world, &mut Quoter::new(), &at(m.cross), start()).unwrap();
    assert_eq!((crossing.packages, crossing.price), (2.min(m.size), m.cross));
    let sum: Price = crossing.legs.iter().map(|l| l.price * (l.quantity / crossing.packages)).sum();
    assert_eq!(sum, m.cross, "leg prices sum to the net");
    assert_eq!(on_arrival(&world, &mut Quoter::new(), &at(m.middle), start()), None);

    assert_eq!(chance_inside(&m, m.rest - m.tick), 0.0);
    let mut filled = 0;
    let mut waits = Vec::new();
    for id in 1..=40 {
        let mut orders = [Order { id, ..at(m.middle) }];
        let done = advance(&world, &mut Quoter::new(), &mut orders, start(), start().plus_millis(20 * 60_000));
        if let Some((_, when, _)) = done.iter().find(|(_, _, e)| matches!(e, Event::Filled(_))) {
            filled += 1;
            waits.push(when.millis() - start().millis());
        }
        let mut hopeless = [Order { id, ..at(m.rest - Price::cents(200)) }];
        assert!(advance(&world, &mut Quoter::new(), &mut hopeless, start(), start().plus_millis(20 * 60_000)).is_empty());
    }
    assert!(filled > 25, "{filled} of 40 middles filled within twenty minutes");
    assert!(waits.iter().max() > waits.iter().min(), "not all at once: {waits:?}");
}

#[test]
fn a_market_order_walks_and_a_closed_exchange_waits() {
    let world = World::new(2);
    let huge = order(&world, 1, 400, Pricing::Market, TimeInForce::Day);
    let m = market_now(&world, &huge);
    let fill = on_arrival(&world, &mut Quoter::new(), &huge, start()).unwrap();
    assert_eq!(fill.packages, 400);
    assert!(fill.price > m.cross, "{} {}", fill.price, m.cross);
    let night = close_of(DEMO_DAY).plus_millis(3_600_000);
    assert_eq!(on_arrival(&world, &mut Quoter::new(), &huge, night), None);
    let mut waiting = [Order { placed: night, ..order(&world, 1, 1, Pricing::Market, TimeInForce::Day) }];
    let done = advance(&world, &mut Quoter::new(), &mut waiting, night, night.plus_millis(86_400_000));
    assert!(done[0].1 >= open_of(date(2031, 3, 12)) && done[0].1 < open_of(date(2031, 3, 12)).plus_millis(30_000));
}

#[test]
fn a_day_order_ends_with_its_session_and_a_cancelled_limit_with_its_contracts() {
    let world = World::new(3);
    let far = Pricing::Limit(Price::cents(1));
    let mut day = [order(&world, 1, 1, far, TimeInForce::Day)];
    let done = advance(&world, &mut Quoter::new(), &mut day, start(), start().plus_millis(3 * 86_400_000));
    assert_eq!(done[0].1, close_of(DEMO_DAY));
    assert_eq!(day[0].state(), State::Expired);
    let mut gtc = [order(&world, 2, 1, far, TimeInForce::GoodTillCancelled)];
    let expiry = gtc[0].request.unit.legs()[0].contract.expiry;
    advance(&world, &mut Quoter::new(), &mut gtc, start(), close_of(expiry).plus_millis(60_000));
    let (when, last) = gtc[0].events.last().unwrap();
    assert!(*when <= close_of(expiry) && matches!(last, Event::Expired(_) | Event::Filled(_)), "{when} {last:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn stepping_finely_or_at_once_gives_the_same_fills_within_limit_and_quantity(
        prices in prop::collection::vec((50..900_i64, 1..30_i64), 1..4),
        cuts in prop::collection::vec(1..5_400_000_i64, 0..6),
    ) {
        let world = World::new(4);
        let orders: Vec<Order> = prices.iter().enumerate().map(|(i, (cents, quantity))| order(&world, i as u64 + 1, *quantity, Pricing::Limit(Price::cents(*cents)), TimeInForce::Day)).collect();
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
            let Pricing::Limit(limit) = o.pricing() else { unreachable!() };
            for f in o.fills() {
                prop_assert!(f.price <= limit);
                let sum: Price = f.legs.iter().map(|l| l.price * (l.quantity / f.packages)).sum();
                prop_assert_eq!(sum, f.price);
            }
        }
    }
}
