//! One evaluation of a four-leg draft: two curves of 200 points, Greeks, margin, words.
#![allow(clippy::unwrap_used)]

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use desk::position::{Position, PositionKind, PositionLeg, Scene};
use desk::*;
use quant::Accuracy;

#[path = "../tests/common/mod.rs"]
mod common;
use common::*;

fn evaluation(c: &mut Criterion) {
    let u = underlying();
    let quotes = [
        ("0.55", "0.65"),
        ("1.55", "1.65"),
        ("1.65", "1.75"),
        ("0.65", "0.75"),
    ];
    for (what, yearly) in [
        ("no dividend", 0.0),
        ("dividend yield 3.8 %, all four legs exercised early", 0.038),
    ] {
        let market = MarketView {
            at: Moment::at(jiff::civil::date(2031, 3, 11), 10, 42),
            underlying: &u,
            spot: price("100.00"),
            legs: quotes
                .iter()
                .map(|(b, a)| LegMarket {
                    quote: quote(b, a),
                    vol: 0.25,
                    theoretical: 0.0,
                    rate: 0.04,
                })
                .collect(),
            horizon_vol: 0.25,
            carry: Carry::Yield(yearly),
            events: Vec::new(),
            cautions: Vec::new(),
        };
        let p = Proposal {
            structure: structure("+1 90P -1 95P -1 105C +1 110C"),
            entry: EntryPrice::Middle,
            range: None,
            realised: Money::ZERO,
            closing: false,
        };
        let account = AccountView {
            cash: Money::whole(25_000),
            ..AccountView::default()
        };
        c.bench_function(&format!("evaluate an American iron condor, {what}"), |b| {
            b.iter(|| evaluate(black_box(&p), &market, &account))
        });
    }
}

/// Four American legs at 200 prices on five dates: what a drawing of date lines asks for.
fn grid(c: &mut Criterion) {
    let leg = |quantity: f64, kind, strike: f64| PositionLeg {
        instrument: PositionKind::Option {
            kind,
            style: Style::American,
            strike,
            time: 38.0 / 365.0,
            vol: 0.25,
        },
        quantity,
        multiplier: 100.0,
        entry: 1.0,
    };
    let legs = vec![
        leg(1.0, Kind::Put, 90.0),
        leg(-1.0, Kind::Put, 95.0),
        leg(-1.0, Kind::Call, 105.0),
        leg(1.0, Kind::Call, 110.0),
    ];
    let position = Position {
        spot: 100.0,
        rate: 0.04,
        carry_yield: 0.02,
        legs,
    };
    let prices: Vec<f64> = (0..200).map(|i| 80.0 + 0.2 * f64::from(i)).collect();
    let scenes: Vec<Scene> = (0..5)
        .map(|i| Scene::later(7.0 * f64::from(i) / 365.0))
        .collect();
    let values = |scene: &Scene| position.values(scene, &prices, Accuracy::Interactive);
    c.bench_function("four American legs, values at 200 prices × 5 dates", |b| {
        b.iter(|| scenes.iter().map(values).collect::<Vec<_>>())
    });
    c.bench_function("the same with Greeks", |b| {
        b.iter(|| position.grid(black_box(&scenes), &prices, Accuracy::Interactive))
    });
}

/// Six American legs over two expirations: five date lines, the map of 60 dates × 80 prices and the
/// grid, as the bench asks for them together.
fn judged(c: &mut Criterion) {
    let u = underlying();
    let quotes = [
        ("0.55", "0.65"),
        ("1.55", "1.65"),
        ("1.65", "1.75"),
        ("0.65", "0.75"),
        ("1.20", "1.30"),
        ("1.30", "1.40"),
    ];
    let m = market(&u, &quotes);
    let far = jiff::civil::date(2031, 5, 16);
    let legs = structure("+1 90P -1 95P -1 105C +1 110C")
        .legs()
        .iter()
        .chain(on("+1 92P +1 112C", far).legs())
        .cloned()
        .collect::<Vec<_>>();
    let asked = Judgement {
        structure: Holding::new(legs),
        price: price("0.50"),
        realised: Money::ZERO,
        moved: Moved::default(),
        days: vec![0.0, 7.0, 14.0, 21.0, 28.0],
        span: Span::Usual,
        map: true,
        greeks: None,
        grid: Some((Steps::Matter, vec![0.0, 10.0])),
        chances: None,
    };
    c.bench_function(
        "judge six American legs: five lines, map 60 × 80, grid",
        |b| b.iter(|| bench(black_box(&asked), &m).unwrap()),
    );
    let outline = Judgement {
        map: false,
        grid: None,
        greeks: Some((Along::Price, vec![14.0])),
        ..asked
    };
    c.bench_function("the same, outline with Greeks alone", |b| {
        b.iter(|| bench(black_box(&outline), &m).unwrap())
    });
}

/// Forty option legs of one underlying: the least total over all pairings.
fn paired(c: &mut Criterion) {
    use desk::regime::{RegimeCase, RegimeKind, RegimeLeg, Strategy, strategy};
    let leg = |i: i64| {
        let (kind, strike) = (
            if i % 2 == 0 { Kind::Call } else { Kind::Put },
            80.0 + 2.0 * (i / 2) as f64,
        );
        let quantity = if (i * 7 + i / 3) % 5 < 3 {
            -(1 + i % 3)
        } else {
            1 + i % 4
        };
        let time = [0.1, 0.2, 0.4][(i % 3) as usize];
        RegimeLeg {
            quantity,
            kind: RegimeKind::Option {
                kind,
                strike,
                time,
                vol: None,
            },
            price: 0.5 + 0.1 * (i % 20) as f64,
        }
    };
    let case = RegimeCase {
        price: 100.0,
        multiplier: 100.0,
        legs: (0..40).map(leg).collect(),
    };
    let rules = Strategy {
        naked: 0.20,
        minimum: 0.10,
        stock_initial: 0.50,
        puts_secured: false,
    };
    c.bench_function("least margin of forty option legs", |b| {
        b.iter(|| strategy(black_box(&case), &rules).unwrap())
    });
}

/// An account of sixty positions in twelve underlyings (condors, verticals, strangles, covered
/// calls, ratios, calendars), margined anew.
fn account(c: &mut Criterion) {
    let legs: [&[(i64, &str, bool)]; 5] = [
        &[
            (1, "80P", false),
            (-1, "85P", false),
            (-1, "115C", false),
            (1, "120C", false),
        ],
        &[(-3, "90P", false), (3, "86P", false)],
        &[(-1, "88P", true), (-1, "112C", true)],
        &[(1, "100C", true), (-2, "108C", true)],
        &[(-2, "104C", false), (2, "104C", true)],
    ];
    let u = underlying();
    let at = Moment::at(jiff::civil::date(2031, 3, 11), 10, 42);
    let basis = MarginBasis::of(
        &u,
        price("100"),
        at,
        &Carry::Dividends(Vec::new()),
        AccountRules::default(),
        0.04,
    );
    let held: Vec<MarginHolding> = (0..12)
        .map(|i| {
            let mut all = MarginHolding {
                underlying: 100 * (i % 3),
                ..MarginHolding::default()
            };
            for (quantity, text, later) in legs.iter().flat_map(|l| l.iter()) {
                let c = contract(
                    text,
                    if *later {
                        jiff::civil::date(2031, 5, 16)
                    } else {
                        day()
                    },
                );
                all.add(MarginLeg {
                    ends: underlying().expiry_moment(&c),
                    contract: c.clone(),
                    quantity: *quantity,
                    mark: Price::cents(120 + 7 * i),
                });
            }
            all
        })
        .collect();
    c.bench_function(
        "margin of an account of sixty positions in twelve underlyings",
        |b| {
            b.iter(|| {
                held.iter()
                    .map(|h| requirement(black_box(h), &basis).total)
                    .sum::<Money>()
            })
        },
    );
}

criterion_group!(benches, evaluation, grid, judged, paired, account);
criterion_main!(benches);
