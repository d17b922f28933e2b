//! Quoting whole chains and the whole market. Run with `cargo bench -p market`.
use criterion::{Criterion, criterion_group, criterion_main};
use desk::Moment;
use market::{DEMO_DAY, Quoter, World};

/// Contracts quoted in every listed expiration of an underlying.
fn all(world: &World, quoter: &mut Quoter, symbol: &str, at: Moment) -> usize {
    let Some(u) = world.underlying(symbol) else { return 0 };
    world.expirations(symbol, at).into_iter().flatten().take(12).map(|e| quoter.chain(world, u, &e, at).len()).sum()
}

fn chains(c: &mut Criterion) {
    let world = World::new(1);
    let start = Moment::at(DEMO_DAY, 10, 42);
    for symbol in ["NMOU", "WXMR", "WXMT"] {
        let count = all(&world, &mut Quoter::new(), symbol, start);
        let (mut quoter, mut at) = (Quoter::new(), start);
        c.bench_function(&format!("re-quote {symbol}, {count} contracts, a quarter second later"), |b| {
            b.iter(|| {
                at = at.plus_millis(250);
                all(&world, &mut quoter, symbol, at)
            })
        });
        let mut past = start;
        c.bench_function(&format!("quote {symbol} at a past moment of its own"), |b| {
            b.iter(|| {
                past = past.plus_millis(-300_000);
                all(&world, &mut Quoter::new(), symbol, past)
            })
        });
    }
}

/// One tick of everything, on two cores as the demo has them: the instruments by turns.
fn universe(c: &mut Criterion) {
    let world = World::new(1);
    let symbols: Vec<String> = world.underlyings().map(|u| u.symbol.clone()).collect();
    let mut quoters = [Quoter::new(), Quoter::new()];
    let mut at = Moment::at(DEMO_DAY, 10, 42);
    let tick = |quoters: &mut [Quoter; 2], at: Moment| -> usize {
        std::thread::scope(|s| {
            let halves = quoters.iter_mut().enumerate().map(|(half, quoter)| {
                let (world, symbols) = (&world, &symbols);
                s.spawn(move || symbols.iter().skip(half).step_by(2).map(|symbol| all(world, quoter, symbol, at)).sum::<usize>())
            });
            halves.collect::<Vec<_>>().into_iter().map(|h| h.join().unwrap_or(0)).sum()
        })
    };
    let count = tick(&mut quoters, at);
    c.bench_function(&format!("one tick of the universe, {count} contracts"), |b| {
        b.iter(|| {
            at = at.plus_millis(250);
            tick(&mut quoters, at)
        })
    });
}

criterion_group!(benches, chains, universe);
criterion_main!(benches);
