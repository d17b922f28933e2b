//! Quoting whole chains and the whole market. Run with `cargo bench -p market`.
use criterion::{Criterion, criterion_group, criterion_main};
use desk::order::Event;
use std::sync::Arc;

use desk::{Kind, Leg, Link, Moment, Order, Package, Price, Pricing, Request, TimeInForce};
use market::{DEMO_DAY, Quoter, World, contract, exchange, strikes};

/// Contracts quoted in every listed expiration of an underlying.
fn all(world: &World, quoter: &mut Quoter, symbol: &str, at: Moment) -> usize {
    let Some(u) = world.underlying(symbol) else {
        return 0;
    };
    world
        .expirations(symbol, at)
        .into_iter()
        .flatten()
        .take(12)
        .map(|e| quoter.chain(world, u, &e, at).len())
        .sum()
}

fn chains(c: &mut Criterion) {
    let world = World::new(1);
    let start = Moment::at(DEMO_DAY, 10, 42);
    for symbol in ["NMOU", "WXMR", "WXMT"] {
        let count = all(&world, &mut Quoter::new(), symbol, start);
        let (mut quoter, mut at) = (Quoter::new(), start);
        c.bench_function(
            &format!("re-quote {symbol}, {count} contracts, a quarter second later"),
            |b| {
                b.iter(|| {
                    at = at.plus_millis(250);
                    all(&world, &mut quoter, symbol, at)
                })
            },
        );
        let mut past = start;
        c.bench_function(
            &format!("quote {symbol} at a past moment of its own"),
            |b| {
                b.iter(|| {
                    past = past.plus_millis(-300_000);
                    all(&world, &mut Quoter::new(), symbol, past)
                })
            },
        );
    }
}

/// One tick of everything, on two cores as the demo has them: the instruments by turns.
fn universe(c: &mut Criterion) {
    let world = World::new(1);
    let mut at = Moment::at(DEMO_DAY, 10, 42);
    let symbols: Vec<String> = world.underlyings(at).map(|u| u.symbol.clone()).collect();
    let mut quoters = [Quoter::new(), Quoter::new()];
    let tick = |quoters: &mut [Quoter; 2], at: Moment| -> usize {
        std::thread::scope(|s| {
            let halves = quoters.iter_mut().enumerate().map(|(half, quoter)| {
                let (world, symbols) = (&world, &symbols);
                s.spawn(move || {
                    symbols
                        .iter()
                        .skip(half)
                        .step_by(2)
                        .map(|symbol| all(world, quoter, symbol, at))
                        .sum::<usize>()
                })
            });
            halves
                .collect::<Vec<_>>()
                .into_iter()
                .map(|h| h.join().unwrap_or(0))
                .sum()
        })
    };
    let count = tick(&mut quoters, at);
    c.bench_function(
        &format!("one tick of the universe, {count} contracts"),
        |b| {
            b.iter(|| {
                at = at.plus_millis(250);
                tick(&mut quoters, at)
            })
        },
    );
}

/// A session of 50 resting orders by minute steps: verticals on every instrument, limits out of
/// reach.
fn session(c: &mut Criterion) {
    let world = World::new(1);
    let start = desk::calendar::open_of(DEMO_DAY);
    let symbols: Vec<String> = world.underlyings(start).map(|u| u.symbol.clone()).collect();
    let vertical = |i: usize| -> Option<Order> {
        let symbol = &symbols[i % symbols.len()];
        let e = world
            .expirations(symbol, start)?
            .into_iter()
            .find(|e| start.days_until(e.date) > 20)?;
        let ks = strikes(&world, symbol, &e, start);
        let leg = |place: usize, quantity| {
            Some(Leg::option(
                contract(&world, symbol, &e, Kind::Put, *ks.get(place)?)?,
                quantity,
            ))
        };
        let unit = Package::new([
            leg(ks.len() / 2 + i / symbols.len(), 1)?,
            leg(ks.len() / 2 - 3, -1)?,
        ])
        .ok()?;
        let limit = Pricing::Limit(Price::cents(-900_000));
        let time_in_force = TimeInForce::GoodTillCancelled;
        let request = Request {
            client_id: format!("{i}"),
            symbol: symbol.clone(),
            unit,
            quantity: 1,
            pricing: limit,
            trigger: None,
            link: Link::default(),
            time_in_force,
            purpose: desk::Purpose::Open,
            closing: Vec::new(),
        };
        Some(Order {
            id: i as u64 + 1,
            placed: start,
            request,
            events: vec![(start, Event::Accepted)],
        })
    };
    let orders: Vec<Arc<Order>> = (0..).filter_map(vertical).take(50).map(Arc::new).collect();
    let mut slow = c.benchmark_group("exchange");
    slow.sample_size(10);
    slow.bench_function(
        format!("a session of {} resting orders by minutes", orders.len()),
        |b| {
            b.iter(|| {
                let (mut orders, mut quoter) = (orders.clone(), Quoter::new());
                let minutes = (0..390).map(|m| start.plus_millis(m * 60_000));
                minutes
                    .map(|at| {
                        exchange::advance(
                            &world,
                            &mut quoter,
                            &mut orders,
                            at,
                            at.plus_millis(60_000),
                        )
                        .len()
                    })
                    .sum::<usize>()
            })
        },
    );
    slow.finish();
}

criterion_group!(benches, chains, universe, session);
criterion_main!(benches);
