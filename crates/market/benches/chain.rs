//! Re-quoting whole chains. Run with `cargo bench -p market`.
use criterion::{Criterion, criterion_group, criterion_main};
use desk::{Contract, Kind, Moment};
use market::{DEMO_DAY, Quoter, World, contract, strikes};

/// Every contract of the first twelve expirations, sixty strikes around the money at most.
fn contracts(world: &World, symbol: &str, at: Moment) -> Vec<Contract> {
    let mut out = Vec::new();
    for e in world.expirations(symbol, at).into_iter().flatten().take(12) {
        let all = strikes(world, symbol, &e, at);
        let skip = all.len().saturating_sub(60) / 2;
        for k in all.into_iter().skip(skip).take(60) {
            out.extend([Kind::Call, Kind::Put].into_iter().filter_map(|kind| contract(world, symbol, &e, kind, k)));
        }
    }
    out
}

fn chains(c: &mut Criterion) {
    let world = World::new(1);
    for symbol in ["NMOU", "WXMR", "WXMT"] {
        let start = Moment::at(DEMO_DAY, 10, 42);
        let all = contracts(&world, symbol, start);
        let mut quoter = Quoter::new();
        let mut at = start;
        c.bench_function(&format!("re-quote {symbol}, {} contracts, a quarter second later", all.len()), |b| {
            b.iter(|| {
                at = at.plus_millis(250);
                all.iter().filter_map(|x| quoter.quote(&world, x, at)).count()
            })
        });
        let mut cold = start;
        c.bench_function(&format!("quote {symbol} at a moment of its own"), |b| {
            b.iter(|| {
                cold = cold.plus_millis(300_000);
                all.iter().filter_map(|x| quoter.quote(&world, x, cold)).count()
            })
        });
    }
}

criterion_group!(benches, chains);
criterion_main!(benches);
