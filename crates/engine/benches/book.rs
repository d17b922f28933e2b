//! The whole book: sixty iron condors in twelve symbols, all American, some of them on shares that
//! pay dividends; re-valued under moves, volatilities and dates, drawn as a map, switched, mended,
//! and drawn from the past.
#![allow(clippy::unwrap_used, missing_docs)]

use std::hint::black_box;
use std::sync::Arc;
use std::time::Instant;

use criterion::{Criterion, criterion_group, criterion_main};
use desk::book::mend::{Band, Bands, Goal, Least};
use desk::book::{Scenario, VolAnswer};
use desk::{Accuracy, Holding, Kind, Leg, Moment, Money, Saved};
use engine::Engine;
use engine::balance::{
    BookMemo, Chosen, Considered, Item, Lens, LookWanted, MendAsked, ahead, items, mended, worked,
};
use engine::sight::index_price;
use market::{DEMO_DAY, Quoter, World, contract, strikes};
use rayon::prelude::*;

const SYMBOLS: [&str; 12] = [
    "NMOU", "VXLO", "ZORV", "TKZR", "WXMT", "SMLX", "TLVN", "OSKV", "KVLN", "ARDN", "PHYA", "BRLW",
];

/// An iron condor: farther out and wider the later the round.
fn condor(world: &World, symbol: &str, at: Moment, round: usize) -> Option<Holding> {
    let all = world.expirations(symbol, at)?;
    let far: Vec<_> = all.iter().filter(|e| at.days_until(e.date) > 15).collect();
    let e = far[round % far.len()];
    let ks = strikes(world, symbol, e, at);
    let middle = ks.partition_point(|k| *k < world.spot(symbol, at).unwrap_or_default()) as i64;
    let leg = |off: i64, kind, quantity| {
        let place = (middle + off).clamp(0, ks.len() as i64 - 1) as usize;
        Some(Leg::option(
            contract(world, symbol, e, kind, ks[place])?,
            quantity,
        ))
    };
    let wide = 3 + round as i64 % 3;
    Some(Holding::new([
        leg(-wide - 2, Kind::Put, 1)?,
        leg(-2, Kind::Put, -1)?,
        leg(2, Kind::Call, -1)?,
        leg(wide + 2, Kind::Call, 1)?,
    ]))
}

fn sixty(engine: &Engine) -> Chosen {
    let state = engine.state();
    let at = state.clock.now;
    let mut chosen = Chosen::default();
    for round in 0..5 {
        for symbol in SYMBOLS {
            let key = format!("{symbol} {round}");
            if let Some(holding) = condor(&state.world, symbol, at, round) {
                chosen.on.insert(key.clone());
                chosen.drafts.push(Considered {
                    key,
                    name: None,
                    symbol: symbol.into(),
                    holding,
                });
            }
        }
    }
    chosen
}

fn evenly(from: f64, to: f64, points: usize) -> Vec<f64> {
    (0..points)
        .map(|i| from + (to - from) * i as f64 / (points - 1) as f64)
        .collect()
}

/// Every combination of 21 moves, 5 volatilities and 4 dates.
fn combinations(beta: f64, vols: [VolAnswer; 5]) -> Vec<Scenario> {
    let mut out = Vec::new();
    for vol in vols {
        for days in [0.0, 7.0, 21.0, 45.0] {
            out.extend(evenly(-0.2, 0.2, 21).into_iter().map(|m| Scenario {
                own: beta * m,
                days,
                vol,
            }));
        }
    }
    out
}

fn revalued(engine: &Engine, all: &[Item], vols: [VolAnswer; 5]) -> f64 {
    let state = engine.state();
    let sum = |item: &Item| {
        let u = state.world.underlying(&item.symbol).unwrap();
        let scenarios = combinations(u.beta, vols);
        let position = item.position(u, state.clock.now);
        let profits = position.profits(&scenarios, Accuracy::Interactive).unwrap();
        profits.iter().sum::<f64>()
    };
    all.par_iter().map(sum).sum()
}

fn benches(c: &mut Criterion) {
    let world = Arc::new(World::new(1));
    let at = Moment::at(DEMO_DAY, 10, 42);
    let mut engine = Engine::restore(Arc::clone(&world), Saved::default(), at);
    engine.deposit(Money::whole(500_000)).unwrap();
    let state = engine.state();
    let chosen = sixty(&engine);
    let mut quoter = Quoter::new();
    let all = items(state, &mut quoter, &chosen);
    let legs: usize = all.iter().map(|i| i.holding.legs().len()).sum();
    println!("{} positions, {legs} American legs", all.len());
    let mut group = c.benchmark_group("book");
    group.sample_size(15);
    let points = [-0.05, 0.0, 0.05, 0.1, 0.15].map(VolAnswer::Points);
    group.bench_function("21 moves x 5 volatilities x 4 dates (wanted 150 ms)", |b| {
        b.iter(|| black_box(revalued(&engine, &all, points)));
    });
    let answers = [1.0, 1.5, 2.0, 2.5, 3.0].map(VolAnswer::PerMove);
    group.bench_function("the same, each volatility answering its own move", |b| {
        b.iter(|| black_box(revalued(&engine, &all, answers)));
    });
    let wanted = LookWanted {
        moves: evenly(-0.2, 0.2, 17),
        across: evenly(-0.15, 0.15, 37),
        ahead: evenly(0.0, 60.0, 25),
        ..LookWanted::default()
    };
    let index = index_price(state);
    for (what, vol) in [
        (
            "map and table, volatility stays (wanted 250 ms)",
            VolAnswer::Stays,
        ),
        ("map and table, volatility answers", VolAnswer::PerMove(2.0)),
    ] {
        let lens = Lens::plain(&world, vol);
        group.bench_function(what, |b| {
            b.iter(|| {
                let memo = BookMemo::default();
                let all = items(state, &mut quoter, &chosen);
                black_box(worked(
                    state,
                    &mut quoter,
                    &memo,
                    all,
                    (&lens, index),
                    &wanted,
                ));
            });
        });
    }
    let memo = BookMemo::default();
    let lens = Lens::plain(&world, VolAnswer::PerMove(2.0));
    group.bench_function(
        "one of sixty switched, at the same moment (wanted 60 ms)",
        |b| {
            let mut out = chosen.clone();
            let mut turn = 0;
            b.iter(|| {
                let key = &chosen.drafts[turn % chosen.drafts.len()].key;
                if !out.on.remove(key) {
                    out.on.insert(key.clone());
                }
                turn += 1;
                let all = items(state, &mut quoter, &out);
                black_box(worked(
                    state,
                    &mut quoter,
                    &memo,
                    all,
                    (&lens, index),
                    &wanted,
                ));
            });
        },
    );
    group.bench_function("20,000 paths of 10 sessions, twice", |b| {
        b.iter(|| black_box(ahead(state, &all, &lens, (10, 20_000))));
    });
    group.finish();
    // A search is looked at once, with quotes to be made and with quotes that are known.
    let asked = MendAsked {
        goal: Goal::Lean(Band {
            from: -400.0,
            to: -300.0,
        }),
        sector: None,
        least: Least::CostADay,
        bands: Bands::default(),
        symbols: Vec::new(),
        days: (10, 90),
        most: 100,
        uncovered: true,
    };
    let mut fresh = Quoter::new();
    for what in ["the first time", "again"] {
        let began = Instant::now();
        let found = mended(
            state,
            &mut fresh,
            &BookMemo::default(),
            &chosen,
            (&Lens::plain(&world, VolAnswer::Stays), index),
            &asked,
        )
        .unwrap();
        println!(
            "mend {what}: {} candidates against the index, {} reach it, {:.0} ms (wanted 50,000 under \
             2,000 ms)",
            found.looked,
            found.reach,
            began.elapsed().as_secs_f64() * 1e3
        );
    }
}

criterion_group!(all, benches);
criterion_main!(all);
