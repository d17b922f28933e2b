//! A market from files stands between its moments, and says of itself what its quotes imply.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::close_of;
use desk::*;
use jiff::civil::{Date, date};
use market::{
    Bar, Doubt, Quoter, Recorded, Seen, Sight, Tape, Told, World, check_listed, exchange, strikes,
};
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
                    bid_size: Some(5),
                    ask_size: Some(7),
                    volume: Some(0),
                    open_interest: Some(50),
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
    let chain = quoter.whole_chain(&world, u, &expirations[0], later);
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

/// Quotes that cannot be right are marked, imply nothing and are worth what their neighbours say.
#[test]
fn quotes_in_doubt_are_marked_and_kept_out() {
    let world = World::new(1);
    let at = Moment::at(date(2031, 3, 11), 10, 0);
    let expiry = date(2031, 6, 20);
    let clean = sight(at, SPOT, &[(expiry, 0.25)], &world);
    let key = |kind, strike: i64| Contract {
        root: "OWN".into(),
        expiry,
        kind,
        strike: Price::cents(strike * 100),
    };
    let mut seen = clean.clone();
    let mut change = |kind, strike, of: &dyn Fn(&mut Quote)| {
        of(&mut seen.contracts.get_mut(&key(kind, strike)).unwrap().quote);
    };
    change(Kind::Call, 95, &|q| (q.bid, q.ask) = (q.ask, q.bid));
    change(Kind::Put, 100, &|q| q.bid = q.ask);
    change(Kind::Call, 105, &|q| {
        (q.bid, q.ask) = (Price::ZERO, Price::ZERO)
    });
    change(Kind::Call, 110, &|q| {
        (q.bid, q.ask) = (q.bid * 3, q.ask * 3)
    });
    seen.contracts.remove(&key(Kind::Put, 90));
    let in_doubt = [
        (key(Kind::Call, 95), Doubt::Crossed),
        (key(Kind::Put, 100), Doubt::Locked),
        (key(Kind::Call, 105), Doubt::Zero),
        (key(Kind::Call, 110), Doubt::Outlier),
        (key(Kind::Put, 90), Doubt::Missing),
    ];
    let told = Told {
        dividend_yield: Some(0.01),
        ..Told::default()
    };
    let made = |sight| {
        let tape = Tape::of(Vec::new(), BTreeMap::from([(at, sight)]));
        let recorded = Recorded::new(underlying(), told.clone(), tape);
        World::new(1).of_own(vec![recorded], market::OwnMarket::default())
    };
    let (good, world) = (made(clean), made(seen));
    let chain = |world: &World| {
        let u = world.underlying("OWN").unwrap();
        let e = world.expirations("OWN", at).unwrap()[0].clone();
        let mut quoter = Quoter::new();
        (
            quoter.whole_chain(world, u, &e, at),
            quoter.chain(world, u, &e, at),
        )
    };
    let ((whole, sound), (right, all)) = (chain(&world), chain(&good));
    assert_eq!((whole.len(), sound.len(), all.len()), (18, 13, 18));
    assert!(right.iter().all(|(_, l)| l.doubt.is_none()));
    for ((c, l), (_, r)) in whole.iter().zip(&right) {
        let doubt = in_doubt.iter().find(|(d, _)| d == c).map(|(_, why)| *why);
        assert_eq!(l.doubt, doubt, "{c}");
        if doubt.is_some() {
            assert_eq!(l.implied, None, "{c}");
            // Neighbours lie on one volatility here: what they say is right but for the rounding of quotes.
            assert!(
                (l.theoretical - r.theoretical).abs() < 0.03,
                "{c} {l:?} {r:?}"
            );
            assert!((l.delta - r.delta).abs() < 0.01, "{c}");
        } else {
            assert_eq!(l.quote, r.quote);
        }
    }
    // What has no market of its own is marked at that, what has a crossed one at its own middle.
    let mark = |c: &Contract| {
        Quoter::new()
            .quote(&world, c, at)
            .unwrap()
            .quote
            .mark()
            .to_f64()
    };
    for (c, _) in &in_doubt {
        let r = right.iter().find(|(own, _)| own == c).unwrap().1;
        assert!((mark(c) - r.theoretical).abs() < 0.05, "{c}");
    }
    let variance = |w: &World| w.total_variance("OWN", at, close_of(expiry)).unwrap();
    assert!((variance(&world) / variance(&good) - 1.0).abs() < 0.01);
}

/// A call that is bid 1.40 above what its neighbours allow pays whoever sells two of it and buys one on each
/// side: it is in doubt although its volatility alone is not out of the ordinary, and its neighbours are not.
#[test]
fn a_quote_that_breaks_the_butterfly_bound_is_in_doubt() {
    let at = Moment::at(date(2031, 3, 11), 10, 0);
    let expiry = date(2031, 6, 20);
    let mut seen = sight(at, SPOT, &[(expiry, 0.25)], &World::new(1));
    let body = Contract {
        root: "OWN".into(),
        expiry,
        kind: Kind::Call,
        strike: Price::cents(10_000),
    };
    let quote = &mut seen.contracts.get_mut(&body).unwrap().quote;
    (quote.bid, quote.ask) = (quote.bid + Price::cents(140), quote.ask + Price::cents(140));
    let raised = *quote;
    let told = Told {
        dividend_yield: Some(0.01),
        ..Told::default()
    };
    let tape = Tape::of(Vec::new(), BTreeMap::from([(at, seen)]));
    let recorded = Recorded::new(underlying(), told, tape);
    let world = World::new(1).of_own(vec![recorded], market::OwnMarket::default());
    let u = world.underlying("OWN").unwrap();
    let e = world.expirations("OWN", at).unwrap()[0].clone();
    let mut quoter = Quoter::new();
    let chain = quoter.whole_chain(&world, u, &e, at);
    let doubted: Vec<_> = chain
        .iter()
        .filter_map(|(c, l)| Some((c.clone(), l.doubt?)))
        .collect();
    assert_eq!(doubted, [(body.clone(), Doubt::Outlier)]);
    // Nobody sells it at that bid; it is marked at what its neighbours say.
    let relied = exchange::Reliance::default();
    let market = relied
        .market(&world, &mut quoter, &body.into(), at)
        .unwrap();
    let exchange::LegQuote::Marked(mark, _) = market else {
        panic!("{market:?} is no market");
    };
    assert!(mark < raised.bid - Price::cents(130), "{mark}");
}

/// Beside an exchange that opens at 09:30 and closes at 16:00 a name keeps the hours of another place: it trades
/// then, and its options end at its own close and at no other.
#[test]
fn an_option_ends_at_the_close_of_its_own_session() {
    use desk::calendar::{Hours, OwnSession};
    let at = Moment::at(date(2031, 3, 11), 10, 0);
    let expiry = date(2031, 6, 20);
    let seen = sight(at, SPOT, &[(expiry, 0.25)], &World::new(1));
    let early = Underlying {
        session: Some(OwnSession {
            hours: Hours {
                open: 9 * 60,
                close: 17 * 60 + 30,
            },
            // Six hours ahead, five from the last Sunday of March on.
            shifts: vec![(date(2031, 1, 1), -360), (date(2031, 3, 30), -300)],
        }),
        ..underlying()
    };
    let tape = Tape::of(Vec::new(), BTreeMap::from([(at, seen)]));
    let recorded = Recorded::new(early, Told::default(), tape);
    let world = World::new(1).of_own(vec![recorded], market::OwnMarket::default());
    let ends = world.expirations("OWN", at).unwrap()[0].moment();
    assert_eq!(ends, Moment::at(expiry, 12, 30));
    let call = Contract {
        root: "OWN".into(),
        expiry,
        kind: Kind::Call,
        strike: Price::cents(10_000),
    };
    assert_eq!(world.owner(&call).unwrap().expiry_moment(&call), ends);
    let quoted = |at: Moment| Quoter::new().quote(&world, &call, at).is_some();
    assert!(quoted(ends.plus_millis(-1)) && !quoted(ends));
    // Ten in the morning here is four in the afternoon there; at noon its day is over.
    assert!(world.trades("OWN", at) && !world.trades("OWN", Moment::at(at.date(), 12, 0)));
    let there_other = Contract {
        root: "NMOU".into(),
        ..call
    };
    let like = World::new(1);
    let usual = like.owner(&there_other).unwrap();
    assert_eq!(usual.expiry_moment(&there_other), close_of(expiry));
}

/// Against what is recorded an order trades when it comes, while quotes are fresh and sound, and not otherwise.
#[test]
fn orders_trade_against_fresh_and_sound_quotes_alone() {
    let world = World::new(1);
    let expiry = date(2031, 6, 20);
    let at = |minute: i64, second: i64| {
        Moment::at(date(2031, 3, 11), 10, minute).plus_millis(second * 1_000)
    };
    let (first, second, third) = (at(0, 3), at(20, 7), at(40, 1));
    let mut later = sight(second, 97.0, &[(expiry, 0.25)], &world);
    let call = |strike: i64| Contract {
        root: "OWN".into(),
        expiry,
        kind: Kind::Call,
        strike: Price::cents(strike * 100),
    };
    let quote = &mut later.contracts.get_mut(&call(105)).unwrap().quote;
    quote.bid = quote.ask;
    let last = sight(third, 97.0, &[(expiry, 0.25)], &world);
    let sights = BTreeMap::from([
        (first, sight(first, SPOT, &[(expiry, 0.25)], &world)),
        (second, later),
        (third, last),
    ]);
    let recorded = Recorded::new(underlying(), Told::default(), Tape::of(Vec::new(), sights));
    let world = World::new(1).of_own(vec![recorded], market::OwnMarket::default());
    // A bid below the market of the first moment that the second and third reach.
    let bought = |id, strike| {
        let legs = vec![Leg {
            instrument: Instrument::Option(call(strike)),
            quantity: 1,
        }];
        let quote = Quoter::new()
            .quote(&world, &call(strike), third)
            .unwrap()
            .quote;
        let limit = quote.ask + Price::cents(10);
        Arc::new(Order {
            id,
            placed: first,
            request: Request {
                client_id: id.to_string(),
                symbol: "OWN".into(),
                unit: Package::new(legs).unwrap(),
                quantity: 1,
                pricing: Pricing::Limit(limit),
                time_in_force: TimeInForce::Day,
                purpose: Purpose::Open,
                link: Link::default(),
                trigger: None,
                closing: Vec::new(),
            },
            events: vec![(first, desk::order::Event::Accepted)],
        })
    };
    let mut orders = vec![bought(1, 100), bought(2, 105)];
    let happened = exchange::advance(&world, &mut Quoter::new(), &mut orders, first, at(50, 0));
    let filled: Vec<(u64, Moment)> = happened
        .iter()
        .filter(|h| matches!(h.event, desk::order::Event::Filled(_)))
        .map(|h| (h.order, h.at))
        .collect();
    assert_eq!(filled, [(1, second), (2, third)], "{happened:?}");
    let fresh = |after, silent| exchange::Reliance {
        live: false,
        stale_after: after,
        silent,
    };
    let why = |reliance: exchange::Reliance, at| reliance.of(&world, "OWN", at);
    assert_eq!(why(fresh(60_000, false), first.plus_millis(60_000)), None);
    assert_eq!(
        why(fresh(60_000, false), first.plus_millis(60_001)),
        Some(exchange::Hindrance::Stale(60_001))
    );
    assert_eq!(
        why(fresh(60_000, true), first),
        Some(exchange::Hindrance::Silent)
    );
}

/// A beta pairs closes by their dates: a day that one of two lacks moves no other.
#[test]
fn betas_pair_closes_by_date() {
    let days: Vec<Date> = std::iter::successors(Some(date(2030, 9, 2)), |d| d.tomorrow().ok())
        .filter(|d| desk::calendar::is_session(*d))
        .take(60)
        .collect();
    // The index swings, the name twice as far: powers of the same numbers.
    let swing = |i: usize| 1.0 + 0.01 * (i as f64 * 1.7).sin();
    let bars = |power: i32, lacks: Option<usize>| -> Vec<Bar> {
        let each = days.iter().enumerate().filter(|(i, _)| Some(*i) != lacks);
        each.map(|(i, day)| {
            let close = Price::from_f64(100.0 * swing(i).powi(power)).unwrap();
            Bar {
                date: *day,
                open: close,
                high: close,
                low: close,
                close,
                volume: 1,
            }
        })
        .collect()
    };
    let named = |symbol: &str, kind, bars| {
        let underlying = Underlying {
            symbol: symbol.into(),
            kind,
            ..underlying()
        };
        Recorded::new(underlying, Told::default(), Tape::of(bars, BTreeMap::new()))
    };
    let beta = |lacks, bars: &dyn Fn(i32, Option<usize>) -> Vec<Bar>| {
        let all = vec![
            named("OWNX", UnderlyingKind::Index, bars(1, None)),
            named("OWNY", UnderlyingKind::Shares, bars(2, lacks)),
        ];
        let world = World::new(1).of_own(all, market::OwnMarket::default());
        let at = Moment::at(days[59].tomorrow().unwrap(), 12, 0);
        assert_eq!(world.index(), "OWNX");
        (world.knows_beta("OWNY", at), world.beta("OWNY", at))
    };
    for lacks in [None, Some(30), Some(58)] {
        let (known, of) = beta(lacks, &bars);
        assert!(known && (of - 2.0).abs() < 0.05, "{lacks:?} {of}");
    }
    // Too few of them say nothing: 1 is taken, and that it is taken is known.
    let few = |power, lacks| bars(power, lacks)[..12].to_vec();
    assert_eq!(beta(None, &few), (false, 1.0));
}
