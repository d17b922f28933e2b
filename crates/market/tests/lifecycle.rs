//! Dividends, exercise and assignment, daily settlement and the months of a future.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeSet;

use desk::calendar::{close_of, next_session, open_of, previous_session};
use desk::*;
use jiff::civil::{Date, date};
use market::lifecycle::{LifecycleEvent, of_phase};
use market::session::phases;
use market::{DEMO_DAY, Print, Quoter, World, check_listed, contract, strikes};

const DEMO_SEED: u64 = 20_310_311;

fn fill(order: u64, at: Moment, instrument: Instrument, quantity: i64, price: Price) -> Fill {
    let legs = vec![FillLeg {
        instrument,
        quantity,
        price,
        terms: None,
    }];
    Fill {
        order,
        at,
        packages: 1,
        price,
        legs,
        fees: Money::ZERO,
    }
}

/// What all phases of a moment bring to an account that nothing is booked on meanwhile.
fn due(
    world: &World,
    quoter: &mut Quoter,
    account: &Account,
    declined: &BTreeSet<Contract>,
    at: Moment,
) -> Vec<LifecycleEvent> {
    let each = phases(at).iter();
    each.flat_map(|phase| of_phase(*phase, world, quoter, (account, declined), at))
        .collect()
}

/// An account that holds so many of each.
fn holding(world: &World, held: &[(Instrument, i64)], at: Moment) -> Account {
    let mut a = Account::default();
    for (i, (instrument, quantity)) in held.iter().enumerate() {
        let u = world.underlying_of(instrument).unwrap();
        a.fill(
            &fill(
                i as u64 + 1,
                at,
                instrument.clone(),
                *quantity,
                Price::cents(100),
            ),
            None,
            u,
            "held".into(),
        );
    }
    a
}

fn listed(
    world: &World,
    symbol: &str,
    expiry: Date,
    kind: Kind,
    near: f64,
    at: Moment,
) -> Contract {
    let e = world
        .expirations(symbol, at)
        .unwrap()
        .into_iter()
        .find(|e| e.date == expiry)
        .unwrap();
    let ks = strikes(world, symbol, &e, at);
    let strike = ks
        .into_iter()
        .min_by(|a, b| {
            (a.to_f64() - near)
                .abs()
                .total_cmp(&(b.to_f64() - near).abs())
        })
        .unwrap();
    contract(world, symbol, &e, kind, strike).unwrap()
}

#[test]
fn a_price_falls_by_its_dividend_and_holders_are_paid() {
    let world = World::new(DEMO_SEED);
    let from = open_of(date(2028, 7, 3));
    let (mut seen, mut unexplained, mut yields) = (0.0, 0.0, 0.0);
    for u in world.underlyings(from) {
        for (ex, cash) in world.dividends(&u.symbol, from, 1_900) {
            let before = world
                .spot(&u.symbol, close_of(previous_session(ex)))
                .unwrap();
            let opened = world.spot(&u.symbol, open_of(ex)).unwrap();
            unexplained += ((opened + cash).to_f64() / before.to_f64()).ln();
            yields += cash.to_f64() / before.to_f64();
            seen += 1.0;
            let held = holding(
                &world,
                &[(Instrument::Underlying(u.symbol.clone()), 100)],
                from,
            );
            let paid = due(
                &world,
                &mut Quoter::new(),
                &held,
                &BTreeSet::new(),
                open_of(ex),
            );
            assert_eq!(
                paid,
                [LifecycleEvent::Dividend {
                    symbol: u.symbol.clone(),
                    cash
                }]
            );
            assert_eq!(
                due(
                    &world,
                    &mut Quoter::new(),
                    &held,
                    &BTreeSet::new(),
                    close_of(ex)
                ),
                []
            );
        }
    }
    assert!(
        seen > 150.0 && yields / seen > 0.003,
        "{seen} dividends of {}",
        yields / seen
    );
    // What the nights do besides: half a percent each way, nothing on average.
    assert!(
        (unexplained / seen).abs() < 0.0015,
        "{}",
        unexplained / seen
    );
    assert_eq!(
        world.dividends("TLVN", Moment::at(DEMO_DAY, 10, 42), 30),
        [(date(2031, 3, 19), Price::cents(87))]
    );
}

#[test]
fn a_cent_in_the_money_is_exercised_unless_told_otherwise_and_sold_ones_are_assigned() {
    let world = World::new(DEMO_SEED);
    let (expiry, at) = (date(2031, 3, 21), Moment::at(DEMO_DAY, 10, 42));
    let print = world.spot("NMOU", close_of(expiry)).unwrap();
    let inside = listed(&world, "NMOU", expiry, Kind::Call, print.to_f64() - 6.0, at);
    let outside = listed(&world, "NMOU", expiry, Kind::Call, print.to_f64() + 6.0, at);
    let put = listed(&world, "NMOU", expiry, Kind::Put, print.to_f64() + 6.0, at);
    let declined = listed(&world, "NMOU", expiry, Kind::Put, print.to_f64() + 11.0, at);
    let held = [
        (inside.clone(), -2),
        (outside.clone(), 3),
        (put.clone(), 1),
        (declined.clone(), 4),
    ];
    let account = holding(&world, &held.clone().map(|(c, n)| (c.into(), n)), at);
    let told = BTreeSet::from([declined.clone(), outside.clone()]);
    let mut got = due(
        &world,
        &mut Quoter::new(),
        &account,
        &told,
        close_of(expiry),
    );
    let print = Print {
        price: print,
        at: close_of(expiry),
    };
    let ended = |contract: Contract, declined| LifecycleEvent::Ended {
        contract,
        value: Price::ZERO,
        print,
        declined,
    };
    let delivered = |contract: Contract, quantity| LifecycleEvent::Delivered {
        contract,
        quantity,
        print,
        early: false,
    };
    let mut want = vec![
        delivered(inside, -2),
        ended(outside, false),
        delivered(put, 1),
        ended(declined, true),
    ];
    let order = |h: &LifecycleEvent| format!("{h:?}");
    got.sort_by_key(order);
    want.sort_by_key(order);
    assert_eq!(got, want);
    assert_eq!(
        due(&world, &mut Quoter::new(), &account, &told, open_of(expiry)),
        [],
        "nothing happens before the end"
    );

    // The index's monthlies settle in cash, on the opening prints.
    let opening = world.spot("WXMR", open_of(expiry)).unwrap();
    let e = world
        .expirations("WXMR", at)
        .unwrap()
        .into_iter()
        .find(|e| e.date == expiry && e.am_settled)
        .unwrap();
    let strike = strikes(&world, "WXMR", &e, at)
        .into_iter()
        .find(|k| *k > opening + Price::cents(2_000))
        .unwrap();
    let index = contract(&world, "WXMR", &e, Kind::Put, strike).unwrap();
    let account = holding(&world, &[(index.clone().into(), -1)], at);
    let settled = due(
        &world,
        &mut Quoter::new(),
        &account,
        &BTreeSet::new(),
        open_of(expiry),
    );
    assert_eq!(
        settled,
        [LifecycleEvent::Ended {
            contract: index,
            value: strike - opening,
            print: Print {
                price: opening,
                at: open_of(expiry)
            },
            declined: false
        }]
    );
}

#[test]
fn calls_are_assigned_before_a_dividend_and_deep_puts_on_some_night() {
    let world = World::new(DEMO_SEED);
    let at = Moment::at(DEMO_DAY, 10, 42);
    // The night before the bank's shares go ex, two days before the monthly expires.
    let eve = close_of(date(2031, 3, 18));
    let spot = world.spot("TLVN", eve).unwrap().to_f64();
    let call = |near: f64, expiry: Date| listed(&world, "TLVN", expiry, Kind::Call, near, at);
    let assigned = |contract: &Contract, held: i64, at: Moment| {
        let account = holding(&world, &[(contract.clone().into(), held)], at);
        due(&world, &mut Quoter::new(), &account, &BTreeSet::new(), at)
            .into_iter()
            .filter_map(|h| {
                if let LifecycleEvent::Delivered {
                    quantity,
                    early: true,
                    ..
                } = h
                {
                    Some(-quantity)
                } else {
                    None
                }
            })
            .sum::<i64>()
    };
    let deep = call(spot - 8.0, date(2031, 3, 21));
    let most = assigned(&deep, -200, eve);
    assert!((160..200).contains(&most), "{most} of 200");
    assert_eq!(most, assigned(&deep, -200, eve), "drawn from the seed");
    assert_eq!(
        assigned(&deep, -200, close_of(date(2031, 3, 17))),
        0,
        "a night too early"
    );
    assert_eq!(
        assigned(&deep, -200, close_of(date(2031, 3, 19))),
        0,
        "after the dividend"
    );
    assert_eq!(assigned(&deep, 200, eve), 0, "a holder decides for himself");
    assert_eq!(
        assigned(&call(spot + 4.0, date(2031, 3, 21)), -200, eve),
        0,
        "out of the money"
    );
    assert_eq!(
        assigned(&call(spot, date(2031, 6, 20)), -200, eve),
        0,
        "its time value is worth more than the dividend"
    );

    let spot = world.spot("NMOU", at).unwrap().to_f64();
    let put = listed(&world, "NMOU", date(2031, 4, 18), Kind::Put, spot * 1.4, at);
    let mut day = DEMO_DAY;
    let nights: Vec<i64> = (0..8)
        .map(|_| {
            day = next_session(day);
            assigned(&put, -40, close_of(day))
        })
        .collect();
    assert!(
        nights.iter().all(|n| *n < 30) && nights.iter().filter(|n| **n > 0).count() >= 4,
        "{nights:?}"
    );
    let index = listed(&world, "WXMR", date(2031, 4, 18), Kind::Put, 3_600.0, at);
    assert_eq!(assigned(&index, -40, close_of(DEMO_DAY)), 0, "European");
}

#[test]
fn each_month_of_a_future_is_its_own_underlying() {
    let world = World::new(DEMO_SEED);
    let at = Moment::at(DEMO_DAY, 10, 42);
    let months = |code: &str| -> Vec<&Underlying> {
        world
            .underlyings(at)
            .filter(|u| u.symbol.starts_with(code) && u.kind == UnderlyingKind::Future)
            .collect()
    };
    for (code, count, near, units) in [
        ("BYQ", 12, 68.40, 1_000),
        ("WRY", 7, 612.25, 50),
        ("TNYB", 3, 111.75, 1_000),
    ] {
        let months = months(code);
        assert!(
            (count - 1..=count + 1).contains(&months.len()),
            "{code}: {}",
            months.len()
        );
        let first = world.spot(&months[0].symbol, open_of(DEMO_DAY)).unwrap();
        assert!(
            (first.to_f64() / near - 1.0).abs() < 0.002,
            "{code} {first}"
        );
        for u in &months {
            assert_eq!(
                (
                    u.multiplier,
                    u.lot(),
                    u.price_units(&Holding::new([Leg {
                        instrument: Instrument::Underlying(u.symbol.clone()),
                        quantity: 1
                    }]))
                ),
                (units, 1, units)
            );
            let spot = world.spot(&u.symbol, at).unwrap();
            assert_eq!(spot.raw() % u.own_tick.raw(), 0, "{} {spot}", u.symbol);
            assert!(
                u.own_dates.iter().all(|d| *d < u.last_session.unwrap()),
                "options end before their future"
            );
            for e in world.expirations(&u.symbol, at).unwrap() {
                for (c, l) in Quoter::new().chain(&world, u, &e, at) {
                    assert_eq!(c.root, u.symbol);
                    check_listed(&world, &c, at).unwrap();
                    let written = u.style_of_price.write(l.quote.ask);
                    assert_eq!(u.style_of_price.read(&written).unwrap(), l.quote.ask);
                    assert!(
                        u.style_of_price == PriceStyle::Decimal || written.contains('-'),
                        "{c} {written}"
                    );
                }
            }
        }
    }
    // Options named for April end on the last Friday of March, on the June bond.
    let june = world.underlying("TNYBM1").unwrap();
    assert_eq!(
        june.own_dates,
        [date(2031, 3, 28), date(2031, 4, 25), date(2031, 5, 23)]
    );
    assert_eq!(june.last_session, Some(date(2031, 5, 30)));
    assert!(
        world
            .underlying("TNYBH1")
            .is_some_and(|march| world.underlyings(at).all(|u| u.symbol != march.symbol)),
        "March has ended"
    );
}

#[test]
fn futures_are_settled_every_day_and_end_on_their_last() {
    let world = World::new(DEMO_SEED);
    let at = Moment::at(DEMO_DAY, 10, 42);
    let (symbol, last) = (
        "BYQJ1",
        world.underlying("BYQJ1").unwrap().last_session.unwrap(),
    );
    assert_eq!(last, date(2031, 3, 31));
    let account = holding(&world, &[(Instrument::Underlying(symbol.into()), -2)], at);
    for (day, ends) in [(DEMO_DAY, false), (last, true)] {
        let price = world.spot(symbol, close_of(day)).unwrap();
        let got = due(
            &world,
            &mut Quoter::new(),
            &account,
            &BTreeSet::new(),
            close_of(day),
        );
        assert_eq!(
            got,
            [LifecycleEvent::Variation {
                symbol: symbol.into(),
                print: Print {
                    price,
                    at: close_of(day)
                },
                last: ends
            }]
        );
    }
    // An option on it becomes the future.
    let c = listed(
        &world,
        "TNYBM1",
        date(2031, 3, 28),
        Kind::Put,
        world
            .spot("TNYBM1", close_of(date(2031, 3, 28)))
            .unwrap()
            .to_f64()
            + 2.0,
        at,
    );
    let account = holding(&world, &[(c.clone().into(), -3)], at);
    let got = due(
        &world,
        &mut Quoter::new(),
        &account,
        &BTreeSet::new(),
        close_of(date(2031, 3, 28)),
    );
    assert!(
        matches!(
            &got[..],
            [LifecycleEvent::Delivered {
                quantity: -3,
                early: false,
                ..
            }]
        ),
        "{got:?}"
    );
}
