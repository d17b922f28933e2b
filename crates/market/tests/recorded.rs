//! A market from files stands between its moments, and says of itself what its quotes imply.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;

use desk::calendar::close_of;
use desk::*;
use jiff::civil::{Date, date};
use market::{Bar, Quoter, Recorded, Seen, Sight, Tape, Told, World, check_listed, strikes};
use quant::{Terms, european_price};

const SPOT: f64 = 100.0;

fn underlying() -> Underlying {
    let world = World::new(1);
    let like = world.underlying("NMOU").unwrap().clone();
    Underlying {
        symbol: "OWN".into(),
        name: "Own".into(),
        style: Style::European,
        settlement: Settlement::Cash,
        ..like
    }
}

/// Quotes two cents around European values at a stated volatility.
fn sight(at: Moment, spot: f64, vols: &[(Date, f64)], world: &World) -> Sight {
    let mut contracts = BTreeMap::new();
    for (expiry, vol) in vols {
        for strike in (80..=120).step_by(5) {
            for kind in [Kind::Call, Kind::Put] {
                let time = at.years_until(close_of(*expiry));
                let terms = Terms {
                    kind,
                    style: Style::European,
                    strike: f64::from(strike),
                    time,
                    rate: world.rate(at, time),
                    carry_yield: 0.01,
                    vol: *vol,
                };
                let value = Price::cents((european_price(&terms, spot) * 100.0).round() as i64);
                let quote = Quote {
                    bid: (value - Price::cents(1)).max(Price::ZERO),
                    ask: value + Price::cents(1),
                    bid_size: 5,
                    ask_size: 7,
                    volume: 0,
                    open_interest: 50,
                };
                let contract = Contract {
                    root: "OWN".into(),
                    expiry: *expiry,
                    kind,
                    strike: Price::cents(i64::from(strike) * 100),
                };
                contracts.insert(contract, Seen { quote, last: None });
            }
        }
    }
    Sight {
        spot: Price::from_f64(spot).unwrap(),
        contracts,
    }
}

#[test]
fn the_earlier_moment_stands_and_volatility_is_what_the_quotes_imply() {
    let world = World::new(1);
    let (near, far) = (date(2031, 4, 18), date(2031, 6, 20));
    let (morning, later) = (
        Moment::at(date(2031, 3, 11), 10, 0),
        Moment::at(date(2031, 3, 11), 15, 0),
    );
    let first = sight(morning, SPOT, &[(near, 0.25), (far, 0.30)], &world);
    let mut second = sight(later, 104.0, &[(near, 0.22), (far, 0.29)], &world);
    // Of a contract seen on one side alone the other is marked.
    let alone = Contract {
        root: "OWN".into(),
        expiry: near,
        kind: Kind::Call,
        strike: Price::cents(13_000),
    };
    let lonely = *second.contracts.values().next().unwrap();
    second.contracts.insert(alone.clone(), lonely);
    let bar = |day, close| Bar {
        date: day,
        open: close,
        high: close,
        low: close,
        close,
        volume: 1,
    };
    let bars = vec![
        bar(date(2031, 3, 7), Price::cents(9_700)),
        bar(date(2031, 3, 10), Price::cents(9_900)),
    ];
    let sights = BTreeMap::from([(morning, first), (later, second)]);
    let told = Told {
        dividend_yield: Some(0.01),
        ..Told::default()
    };
    let recorded = Recorded::new(underlying(), told, Tape::of(bars, sights));
    assert_eq!(recorded.last_moment(), Some(later));
    let world = world.with_recorded(vec![recorded.clone()]);

    let price = |at: Moment| world.spot("OWN", at).unwrap().to_f64();
    assert_eq!(
        (
            price(morning),
            price(later.plus_millis(-1)),
            price(later),
            price(later.plus_millis(86_400_000))
        ),
        (SPOT, SPOT, 104.0, 104.0)
    );
    assert_eq!(
        price(close_of(date(2031, 3, 10))),
        99.0,
        "before the first chain the last close"
    );
    assert_eq!(
        world.previous_close("OWN", morning),
        Some(Price::cents(9_900))
    );
    assert_eq!(world.closes("OWN", morning, 30), Some(vec![97.0, 99.0]));

    let expirations = world.expirations("OWN", later).unwrap();
    assert_eq!(
        expirations.iter().map(|e| e.date).collect::<Vec<_>>(),
        [near, far]
    );
    assert!(
        world
            .expirations("OWN", close_of(near))
            .unwrap()
            .iter()
            .all(|e| e.date == far),
        "what has ended is listed no more"
    );
    let u = world.underlying("OWN").unwrap();
    let mut quoter = Quoter::new();
    let chain = quoter.chain(&world, u, &expirations[0], later);
    assert_eq!(chain.len(), 20, "ten strikes, both kinds");
    for (c, l) in chain.iter().filter(|(c, _)| c.strike != alone.strike) {
        check_listed(&world, c, later).unwrap();
        assert_eq!(
            quoter.quote(&world, c, later),
            Some(*l),
            "one alone is as in the chain"
        );
        let strike = c.strike.to_f64();
        if (90.0..=115.0).contains(&strike) {
            assert!(
                (l.implied.unwrap() - 0.22).abs() < 0.004,
                "{c} {:?}",
                l.implied
            );
            let leg = quoter.leg(&world, c, later).unwrap();
            assert!((leg.vol - 0.22).abs() < 0.004 && leg.rate > 0.03);
        }
    }
    assert!(strikes(&world, "OWN", &expirations[0], later).contains(&alone.strike));
    // Total variance at the money is linear in time between the two expirations.
    let variance = |moment: Moment| world.total_variance("OWN", later, moment).unwrap();
    let (a, b) = (variance(close_of(near)), variance(close_of(far)));
    assert!((a / (0.22 * 0.22 * later.years_until(close_of(near))) - 1.0).abs() < 0.02);
    let middle = Moment::from_millis((close_of(near).millis() + close_of(far).millis()) / 2);
    assert!((variance(middle) - 0.5 * (a + b)).abs() < 1e-6);

    assert!(
        world.events("OWN", later, 400).is_empty() && world.dividends("OWN", later, 400).is_empty()
    );
    // What is the trader's own takes the place of what is simulated under the same name.
    let mine = Underlying {
        symbol: "NMOU".into(),
        ..underlying()
    };
    let mine = Recorded::new(
        mine,
        recorded.told.clone(),
        Tape::of(Vec::new(), BTreeMap::new()),
    );
    let both = World::new(1).with_recorded(vec![mine, recorded]);
    assert_eq!(both.underlying("NMOU").unwrap().name, "Own");
    assert_eq!((both.spot("NMOU", later), both.index()), (None, "WXMR"));
    let listed = both.underlyings(later).filter(|u| u.symbol == "NMOU");
    assert_eq!(listed.count(), 1);
}
