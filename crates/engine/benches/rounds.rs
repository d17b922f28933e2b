//! Sixty campaigns and forty rules: held against each other, looked at, asked; and time that passes
//! under them.
#![allow(clippy::unwrap_used, missing_docs)]

use std::hint::black_box;
use std::sync::Arc;
use std::time::Instant;

use criterion::{BatchSize, Criterion, criterion_group, criterion_main};
use desk::rules::{Condition, Measure, Needs, Rule, Scope, Side, judge};
use desk::{
    Decimal, Holding, Kind, Leg, Link, Moment, Money, Package, Pricing, Purpose, Request, Saved,
    Structure, TimeInForce, package_quote,
};
use engine::Engine;
use engine::rounds::rounds_of;
use engine::{seen::book_seen, sight::Sights};
use market::{DEMO_DAY, Quoter, World, contract, strikes};

const SYMBOLS: [&str; 12] = [
    "NMOU", "VXLO", "ZORV", "TKZR", "WXMT", "SMLX", "TLVN", "OSKV", "KVLN", "ARDN", "PHYA", "MYRR",
];

/// An iron condor more than a hundred days out, wider the later the round.
fn condor(world: &World, symbol: &str, at: Moment, round: usize) -> Option<Package> {
    let all = world.expirations(symbol, at)?;
    let far: Vec<_> = all.iter().filter(|e| at.days_until(e.date) > 100).collect();
    let e = far[round % far.len().min(3)];
    let ks = strikes(world, symbol, e, at);
    let middle = ks.partition_point(|k| *k < world.spot(symbol, at).unwrap_or_default()) as i64;
    let leg = |off: i64, kind, quantity| {
        let place = (middle + off).clamp(0, ks.len() as i64 - 1) as usize;
        Some(Leg::option(
            contract(world, symbol, e, kind, ks[place])?,
            quantity,
        ))
    };
    let wide = 4 + (round % 2) as i64;
    let legs = [
        leg(-wide, Kind::Put, 1)?,
        leg(-2, Kind::Put, -1)?,
        leg(2, Kind::Call, -1)?,
        leg(wide, Kind::Call, 1)?,
    ];
    Package::new(legs).ok()
}

/// A rich account with some sixty condors in twelve symbols.
fn sixty() -> Engine {
    let world = Arc::new(World::new(1));
    let at = Moment::at(DEMO_DAY, 10, 42);
    let mut engine = Engine::restore(Arc::clone(&world), Saved::default(), at);
    engine.deposit(Money::whole(5_000_000)).unwrap();
    let mut quoter = Quoter::new();
    for (ticket, symbol) in SYMBOLS.iter().cycle().take(72).enumerate() {
        if engine::campaigns::all_open(engine.state()).len() >= 60 {
            break;
        }
        let Some(unit) = condor(&world, symbol, at, ticket / SYMBOLS.len()) else {
            continue;
        };
        let u = world.underlying(symbol).unwrap();
        let quotes: Vec<_> = unit
            .legs()
            .iter()
            .map(|l| quoter.quote_any(&world, &l.instrument, at).unwrap())
            .collect();
        let cross = package_quote(&unit, &quotes, u).cross;
        // Where the chain is too narrow for one there is none.
        let _ = engine.place(Request {
            client_id: format!("t{ticket}"),
            symbol: (*symbol).into(),
            pricing: Pricing::Limit(u.ticks_of(&unit).ceil(cross)),
            unit,
            quantity: 1,
            trigger: None,
            link: Link::default(),
            time_in_force: TimeInForce::Day,
            purpose: Purpose::Open,
            closing: Vec::new(),
        });
    }
    engine
}

/// Forty rules on everything that can be seen of a campaign.
fn forty(engine: &mut Engine) {
    use Measure as M;
    use Side::{Above, Below};
    let table = [
        (M::ProfitOfMax, Above, 60),
        (M::LossOfCredit, Above, 2),
        (M::LossOfMax, Above, 60),
        (M::DaysLeft, Below, 21),
        (M::DaysOpen, Above, 60),
        (M::ToSoldStrike, Below, 0),
        (M::ToBreakEven, Below, 0),
        (M::SoldDelta, Above, 1),
        (M::SoldTimeValue, Below, 0),
        (M::SoldPrice, Below, 0),
        (M::EarningsIn, Below, 1),
        (M::ExDateIn, Below, 2),
        (M::Vol, Above, 80),
        (M::Rank, Above, 95),
        (M::VolSince, Above, 15),
        (M::Profit, Above, 2_000),
        (M::Loss, Above, 1_500),
        (M::LossOfAccount, Above, 1),
        (M::KeptADay, Above, 5),
        (M::ProfitOfDebit, Above, 3),
    ];
    for scope in [Scope::All, Scope::Structure(Structure::Condor)] {
        for (measure, side, limit) in table {
            let condition = Condition {
                measure,
                side,
                limit: Decimal::whole(limit),
            };
            let rule = Rule {
                id: 0,
                scope: scope.clone(),
                condition,
                again: Some(Decimal::whole(1)),
                on: true,
            };
            engine.set_rule(None, rule).unwrap();
        }
    }
}

fn of_sixty(c: &mut Criterion) {
    let plain = sixty();
    let mut ruled = sixty();
    forty(&mut ruled);
    let open = engine::campaigns::all_open(ruled.state());
    let legs: usize = open
        .iter()
        .map(|x| Holding::legs(&ruled.state().account.holding_of(x.id)).len())
        .sum();
    let rules = ruled.state().my_rules.len();
    println!("{} campaigns, {legs} legs, {rules} rules", open.len());
    let mut quoter = Quoter::new();
    let mut sights = Sights::default();
    let book = book_seen(ruled.state(), &mut quoter, &mut sights, Needs::ALL, None);
    c.bench_function("rules held against a book that was seen", |b| {
        b.iter(|| judge(black_box(&ruled.state().my_rules), black_box(&book)));
    });
    c.bench_function("rounds", |b| {
        b.iter_batched(
            Quoter::new,
            |mut quoter| rounds_of(ruled.state(), &mut quoter),
            BatchSize::SmallInput,
        );
    });
    // Three months are too long for a sample: each way once.
    for (name, mut engine) in [("without rules", plain), ("under the rules", ruled)] {
        let to = engine.state().clock.now.plus_millis(92 * 86_400_000);
        let began = Instant::now();
        engine.advance(to).unwrap();
        println!(
            "three months of sixty campaigns {name}: {:.2?}",
            began.elapsed()
        );
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(10);
    targets = of_sixty
}
criterion_main!(benches);
