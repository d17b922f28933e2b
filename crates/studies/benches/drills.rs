//! Drills: twenty-six monthly cycles of four legs with looks at each close and every half hour, on an index
//! and on shares, and a hundred combinations of one.
#![allow(clippy::unwrap_used, missing_docs)]

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use desk::calendar::close_of;
use desk::rules::{Condition, Measure, Side};
use desk::{Decimal, Kind, Money, Price};
use jiff::civil::date;
use market::World;
use plans::drill::{
    Adjust, Deed, Drill, DrillCondition, DrillKind, DrillLeg, Enter, Every, Leave, LegIn,
    LookTimes, Size, StrikeAt,
};
use rayon::prelude::*;
use studies::drills::{DrillGround, Watching, play};

fn condor(symbol: &str, looks: LookTimes, delta: &str, days_left: i64) -> Drill {
    let option = |quantity, kind, strike| DrillLeg {
        quantity,
        what: LegIn::Option {
            kind,
            strike,
            later: None,
        },
    };
    let near = StrikeAt::Delta(delta.parse().unwrap());
    let from = |leg, points| StrikeAt::Leg {
        leg,
        points: Price::cents(points),
    };
    let rule = |measure, side, limit: Decimal| {
        DrillCondition::Rule(Condition {
            measure,
            side,
            limit,
        })
    };
    let wing = if symbol == "WXMR" { 5_000 } else { 500 };
    Drill {
        name: "condor".into(),
        symbol: symbol.into(),
        from: date(2029, 1, 2),
        to: date(2031, 3, 10),
        looks: vec![looks],
        price: "0.5".parse().unwrap(),
        fees: true,
        stake: Some(Money::whole(5_000)),
        enter: Enter {
            kind: DrillKind::Monthly,
            days: 45,
            least: 38,
            every: Every::Expiration,
            conditions: Vec::new(),
            size: Size::Times(1),
            legs: vec![
                option(-1, Kind::Put, near),
                option(1, Kind::Put, from(1, -wing)),
                option(-1, Kind::Call, near),
                option(1, Kind::Call, from(3, wing)),
            ],
        },
        adjust: vec![Adjust {
            when: DrillCondition::LegDelta {
                leg: 1,
                at_or_above: "0.4".parse().unwrap(),
            },
            deed: Deed::Rebuild,
            most: Some(1),
        }],
        leave: Leave {
            when: vec![
                rule(Measure::ProfitOfMax, Side::Above, Decimal::whole(50)),
                rule(Measure::DaysLeft, Side::Below, Decimal::whole(days_left)),
            ],
            until_expirations: None,
        },
    }
}

fn cycles(world: &World, drill: &Drill) -> usize {
    let ground = DrillGround::new(world, drill, close_of(drill.to)).unwrap();
    play(&ground, Watching::NOBODY).unwrap().done().count()
}

fn drills(c: &mut Criterion) {
    let world = World::new(1);
    let mut group = c.benchmark_group("drills");
    group.sample_size(10);
    for symbol in ["WXMR", "NMOU"] {
        for (words, looks) in [
            ("each close", LookTimes::Close),
            ("every 30 minutes", LookTimes::Every(30)),
        ] {
            let drill = condor(symbol, looks, "0.2", 6);
            println!("{symbol}: {} cycles", cycles(&world, &drill));
            group.bench_function(format!("monthly condors on {symbol}, {words}"), |b| {
                b.iter(|| black_box(cycles(&world, &drill)));
            });
        }
    }
    let many: Vec<Drill> = (0..100)
        .map(|i| {
            let delta = format!("0.{}", 10 + i % 10);
            condor("NMOU", LookTimes::Close, &delta, 3 + i / 10)
        })
        .collect();
    group.bench_function("a hundred combinations on NMOU, each close", |b| {
        b.iter(|| many.par_iter().map(|d| cycles(&world, d)).sum::<usize>());
    });
    group.finish();
}

criterion_group!(benches, drills);
criterion_main!(benches);
