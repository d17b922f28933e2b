//! Finding trades: candidates judged a second in one expiration, one symbol over all families, every
//! symbol, and the market as a table.
#![allow(clippy::unwrap_used, missing_docs)]

use std::hint::black_box;
use std::sync::Arc;
use std::time::Instant;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use desk::{Decimal, Moment, Saved};
use engine::Engine;
use jiff::civil::date;
use market::{DEMO_DAY, Quoter, World};
use plans::scout::{FAMILIES, Family, Rank, RankMeasure, ScoutAsked, ScoutLimits};
use studies::scouting::{Expectation, LawFrom, SearchAsked, SearchFound, Where, search, searched};
use studies::universe::universe;

fn engine() -> Engine {
    let start = Moment::at(DEMO_DAY, 10, 42);
    Engine::restore(Arc::new(World::new(1)), Saved::default(), start)
}

fn asked(
    families: &[Family],
    (expirations, strikes): (usize, Option<usize>),
    rank: RankMeasure,
) -> SearchAsked {
    SearchAsked {
        expectation: Expectation {
            by: date(2031, 4, 18),
            region: Where::Deviations(Some(-1.0), Some(1.0)),
            sure: Some(0.75),
            law: LawFrom::Flat,
        },
        what: ScoutAsked {
            families: families.to_vec(),
            width: None,
            reach: 2.0,
            price: "0.5".parse::<Decimal>().unwrap(),
            fees: true,
            rank: Rank::By(rank),
            limits: ScoutLimits {
                unlimited: false,
                market_width: Some(0.25),
                ..ScoutLimits::default()
            },
        },
        expirations,
        strikes,
        rows: 40,
        within_level: true,
        within_rule: false,
        within_lean: false,
    }
}

fn found(engine: &Engine, symbols: &[String], asked: &SearchAsked) -> SearchFound {
    let mut quoter = Quoter::new();
    search(
        engine.state(),
        &mut quoter,
        (symbols, asked),
        &|| false,
        &mut |_, _| {},
    )
}

fn scout(c: &mut Criterion) {
    let engine = engine();
    let all: Vec<Family> = FAMILIES.iter().map(|(f, _)| *f).collect();
    let mut group = c.benchmark_group("scout");
    group.sample_size(10);
    for symbol in ["NMOU", "WXMR"] {
        let one = [symbol.to_owned()];
        let ones: Vec<Family> = all
            .iter()
            .copied()
            .filter(|f| {
                !matches!(
                    f,
                    Family::Calendar | Family::Diagonal | Family::CondorSkewed
                )
            })
            .collect();
        for (name, rank) in [
            ("per capital", RankMeasure::ExpectedPerCapital),
            ("chance", RankMeasure::Chance),
        ] {
            let what = asked(&ones, (1, None), rank);
            let judged = found(&engine, &one, &what).judged;
            group.throughput(Throughput::Elements(judged as u64));
            group.bench_function(format!("one expiration of {symbol}, by {name}"), |b| {
                b.iter(|| black_box(found(&engine, &one, &what)).judged);
            });
        }
        let what = asked(&all, (4, Some(24)), RankMeasure::ExpectedPerCapital);
        let judged = found(&engine, &one, &what).judged;
        group.throughput(Throughput::Elements(judged as u64));
        group.bench_function(format!("all families of {symbol}"), |b| {
            b.iter(|| black_box(found(&engine, &one, &what)).judged);
        });
    }
    group.finish();
    let symbols = searched(engine.state(), date(2031, 4, 18));
    let begun = Instant::now();
    let what = asked(&all, (4, Some(24)), RankMeasure::ExpectedPerCapital);
    let judged = found(&engine, &symbols, &what).judged;
    println!(
        "scout: all {} symbols, {judged} candidates, {:.2} s",
        symbols.len(),
        begun.elapsed().as_secs_f64()
    );
    c.bench_function("the market as a table", |b| {
        b.iter(|| black_box(universe(engine.state(), &mut Quoter::new())).len());
    });
}

criterion_group!(benches, scout);
criterion_main!(benches);
