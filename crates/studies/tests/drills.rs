//! Laws of drills: the same orders by hand end with the same ledger, no look sees what comes later, and a
//! market from files gives the same cycles as the one that it was written from.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::{close_of, is_session};
use desk::rules::{Condition, Measure, Side};
use desk::{
    Contract, Decimal, Holding, Kind, Link, Moment, Money, OrderState, Package, Price, Pricing,
    Purpose, Request, Saved, TimeInForce, Underlying,
};
use engine::Engine;
use jiff::civil::{Date, date};
use market::{Quoter, Recorded, Seen, Sight, Tape, Told, World};
use plans::drill::{
    Adjust, Deed, Drill, DrillCondition, DrillKind, DrillLeg, Enter, Every, Leave, LegIn,
    LookTimes, Size, StrikeAt,
};
use studies::drills::{Action, CycleDone, DrillGround, Played, Watching, Why, play};

fn decimal(text: &str) -> Decimal {
    text.parse().unwrap()
}

fn option(quantity: i64, kind: Kind, strike: StrikeAt) -> DrillLeg {
    DrillLeg {
        quantity,
        what: LegIn::Option {
            kind,
            strike,
            later: None,
        },
    }
}

fn rule(measure: Measure, side: Side, limit: &str) -> DrillCondition {
    DrillCondition::Rule(Condition {
        measure,
        side,
        limit: decimal(limit),
    })
}

/// A put vertical, once for each expiration.
fn vertical(symbol: &str, span: (Date, Date), points: (i64, i64), price: &str) -> Drill {
    let from_leg = StrikeAt::Leg {
        leg: 1,
        points: Price::cents(points.1 * 100),
    };
    Drill {
        name: "vertical".into(),
        symbol: symbol.into(),
        from: span.0,
        to: span.1,
        looks: vec![LookTimes::Open],
        price: decimal(price),
        fees: true,
        stake: Some(Money::whole(5_000)),
        enter: Enter {
            kind: DrillKind::Any,
            days: 30,
            least: 20,
            every: Every::Expiration,
            conditions: Vec::new(),
            size: Size::Times(2),
            legs: vec![
                option(
                    -1,
                    Kind::Put,
                    StrikeAt::Points(Price::cents(points.0 * 100)),
                ),
                option(1, Kind::Put, from_leg),
            ],
        },
        adjust: Vec::new(),
        leave: Leave {
            when: vec![
                rule(Measure::ProfitOfMax, Side::Above, "40"),
                rule(Measure::LossOfCredit, Side::Above, "1.5"),
                rule(Measure::DaysLeft, Side::Below, "9"),
            ],
            until_expirations: None,
        },
    }
}

fn played(world: &World, drill: &Drill, until: Moment) -> Played {
    play(
        &DrillGround::new(world, drill, until).unwrap(),
        Watching::NOBODY,
    )
    .unwrap()
}

/// Sends what a cycle traded, at its prices and looks, through the exchange; what became of it, or
/// nothing where an order found the market better, or none within the session.
fn by_hand(world: &Arc<World>, cycle: &CycleDone) -> Option<(Money, Money)> {
    let start = cycle.entered.plus_millis(-60_000);
    let mut engine = Engine::restore(Arc::clone(world), Saved::default(), start);
    engine.deposit(Money::whole(100_000)).unwrap();
    let mut campaign = None;
    for (n, row) in cycle.looks.iter().enumerate() {
        let trades: Vec<(Holding, Purpose)> = match (row.action, campaign) {
            (Action::Enter, _) => vec![(row.legs.clone(), Purpose::Open)],
            (Action::Leave, Some(id)) => vec![(row.legs.reversed(), Purpose::Close(id))],
            _ => continue,
        };
        engine.advance(row.at).unwrap();
        for ((legs, purpose), price) in trades.into_iter().zip(&row.prices) {
            let (unit, quantity) = Package::of(&legs).unwrap();
            let order = engine
                .place(Request {
                    client_id: format!("{n}"),
                    symbol: world
                        .owner(legs.options().next().unwrap().0)
                        .unwrap()
                        .symbol
                        .clone(),
                    unit,
                    quantity,
                    pricing: Pricing::Limit(*price),
                    trigger: None,
                    link: Link::default(),
                    time_in_force: TimeInForce::Day,
                    purpose,
                    closing: Vec::new(),
                })
                .unwrap();
            engine.advance(close_of(row.at.date())).unwrap();
            let state = engine.state();
            let order = state.order(order.id).unwrap();
            let at_its_price = order.fills().all(|f| f.price == *price);
            if order.state() != OrderState::Filled || !at_its_price {
                return None;
            }
            campaign.get_or_insert(order.id);
        }
    }
    let state = engine.state();
    let own = state.account.campaigns().find(|c| Some(c.id) == campaign)?;
    Some((own.totals.net_cash, own.totals.fees))
}

/// Of some hundred cycles on a fund whose packages trade in cents, each whose orders fill by hand at the
/// prices of the drill ends with the drill's ledger to the cent; a good part of them does fill so.
#[test]
fn the_same_orders_by_hand_end_with_the_same_ledger() {
    let mut held = 0;
    for seed in [3, 4] {
        let world = Arc::new(World::new(seed));
        for symbol in ["SMLX", "TKZR"] {
            let span = (date(2029, 6, 1), date(2030, 12, 31));
            let drill = vertical(symbol, span, (-6, -5), "0.6");
            let all = played(&world, &drill, close_of(span.1));
            for c in all.done() {
                let Some((cash, fees)) = by_hand(&world, c) else {
                    continue;
                };
                assert_eq!((cash, fees), (c.net, c.fees), "{symbol} {}", c.entered);
                held += 1;
            }
        }
    }
    assert!(held >= 20, "{held}");
}

/// A call assigned early takes the shares that covered it: the cycle is over at that moment, its profit
/// is what came in at the strike and at the entry, and no trade follows.
#[test]
fn shares_held_cover_an_early_assignment() {
    let mut seen = 0;
    for seed in [7, 8] {
        let world = World::new(seed);
        let mut drill = vertical("TLVN", (date(2029, 1, 2), date(2031, 3, 10)), (0, 0), "1");
        let call = option(-1, Kind::Call, StrikeAt::Percent(decimal("1")));
        let shares = DrillLeg {
            quantity: 100,
            what: LegIn::Underlying,
        };
        drill.enter.legs = vec![shares, call];
        drill.enter.every = Every::Free;
        drill.enter.size = Size::Times(1);
        drill.leave.when.clear();
        let all = played(&world, &drill, close_of(drill.to));
        for c in all.done() {
            let Some(last) = c.looks.iter().find(|l| l.action == Action::Assigned) else {
                continue;
            };
            assert_eq!((c.left, c.why), (last.at, Why::End), "{}", c.entered);
            assert_eq!(c.looks.last().map(|l| l.at), Some(last.at));
            let strike = c.legs.options().map(|(c, _)| c.strike).next().unwrap();
            let dividends = c.net - (strike - c.price).times(100);
            // A dividend or two of a month, never a share's price.
            assert!(
                dividends >= Money::ZERO && dividends < Money::whole(500),
                "{dividends}"
            );
            seen += 1;
        }
    }
    assert!(seen > 0);
}

/// Whatever comes after a moment, every look up to it is the same: played to a moment and played far
/// beyond, a drill that adjusts has the same rows.
#[test]
fn no_look_sees_what_comes_later() {
    let world = World::new(5);
    let span = (date(2029, 9, 3), date(2030, 9, 30));
    let mut drill = vertical("WXMR", span, (-90, -50), "0.5");
    drill.enter.legs[0] = option(-1, Kind::Put, StrikeAt::Delta(decimal("0.25")));
    drill.enter.conditions = vec![rule(Measure::Rank, Side::Above, "20")];
    drill.adjust = vec![Adjust {
        when: DrillCondition::LegDelta {
            leg: 1,
            at_or_above: decimal("0.4"),
        },
        deed: Deed::Roll(35),
        most: Some(2),
    }];
    let whole = played(&world, &drill, close_of(span.1));
    let rows = |p: &Played, until: Moment| -> Vec<String> {
        let all = p.done().flat_map(|c| &c.looks);
        let mut told: Vec<String> = all
            .filter(|r| r.at < until)
            .map(|r| format!("{} {:?}", r.at, r))
            .collect();
        told.sort();
        told
    };
    assert!(whole.done().any(|c| c.adjustments > 0));
    for day in [date(2029, 11, 14), date(2030, 2, 28), date(2030, 7, 19)] {
        let now = Moment::at(day, 9, 45);
        let cut = played(&world, &drill, now);
        assert!(!rows(&cut, now).is_empty());
        assert_eq!(rows(&cut, now), rows(&whole, now), "{day}");
    }
}

/// A vertical on an index that is held to its end by hand: the road that holds to the end makes the same to
/// the cent, and one that leaves by days makes what its close at the far sides of that day makes.
#[test]
fn the_road_not_taken_from_the_same_opening() {
    let world = Arc::new(World::new(8));
    let start = Moment::at(date(2030, 2, 4), 10, 30);
    let mut engine = Engine::restore(Arc::clone(&world), Saved::default(), start);
    engine.deposit(Money::whole(50_000)).unwrap();
    let u = world.underlying("WXMR").unwrap();
    let expirations = world.expirations("WXMR", start).unwrap();
    let e = expirations
        .iter()
        .find(|e| e.am_settled && start.days_until(e.date) > 30)
        .unwrap();
    let spot = world.spot("WXMR", start).unwrap();
    let mut quoter = Quoter::new();
    let chain = quoter.chain(&world, u, e, start);
    let puts: Vec<&Contract> = chain
        .iter()
        .map(|(c, _)| c)
        .filter(|c| c.kind == Kind::Put)
        .collect();
    let below = puts.iter().rposition(|c| c.strike < spot).unwrap();
    let legs = Holding::new([
        desk::Leg::option(puts[below - 12].clone(), 1),
        desk::Leg::option(puts[below - 4].clone(), -1),
    ]);
    let order = engine
        .place(Request {
            client_id: "a".into(),
            symbol: "WXMR".into(),
            unit: Package::of(&legs).unwrap().0,
            quantity: 2,
            pricing: Pricing::Market,
            trigger: None,
            link: Link::default(),
            time_in_force: TimeInForce::Day,
            purpose: Purpose::Open,
            closing: Vec::new(),
        })
        .unwrap();
    assert_eq!(order.state(), OrderState::Filled);
    engine.advance(e.moment().plus_millis(3_600_000)).unwrap();
    let state = engine.state();
    let own = state.account.campaigns().next().unwrap();
    let days = Condition {
        measure: Measure::DaysLeft,
        side: Side::Below,
        limit: decimal("20"),
    };
    let (roads, campaigns) = studies::lessons::roads(state, Some(days));
    assert_eq!(
        (roads[0].road.name.as_str(), campaigns.len()),
        ("hold to the end", 1)
    );
    let [held, left] = campaigns[0].roads.as_slice() else {
        panic!("{campaigns:?}")
    };
    assert_eq!(held.unwrap().profit, own.totals.booked());
    assert_eq!(roads[0].made, roads[0].would);
    // By hand: the first close with twenty days left or fewer, at what others bid and ask.
    let left = left.unwrap();
    let mut day = e.date;
    while Moment::at(day, 15, 45).days_until(e.date) < 20 || !is_session(day) {
        day = day.yesterday().unwrap();
    }
    let at = left.left;
    assert!(
        at.days_until(e.date) <= 20 && at >= Moment::at(day, 15, 45),
        "{at}"
    );
    let quote = |quoter: &mut Quoter, c: &Contract| quoter.quote(&world, c, at).unwrap().quote;
    let (low, high) = (puts[below - 12], puts[below - 4]);
    let back = quote(&mut quoter, low).bid - quote(&mut quoter, high).ask;
    let opened: Money = own.chapters[0].cash;
    let fees = own.chapters[0].fees * 2;
    assert_eq!(left.profit, opened + back.times(200) - fees);
    // What is learnt of it: it ended by itself, and its best and worst lie around what it made.
    let learnt = studies::lessons::learnt(state);
    assert_eq!((learnt.len(), learnt[0].by_itself), (1, true));
    assert!(learnt[0].worst <= own.totals.booked() && own.totals.booked() <= learnt[0].best);
    assert_eq!(learnt[0].days_left, Some(start.days_until(e.date)));
}

/// What a market showed at the looks of a drill, kept as one from files under another name.
fn recorded(world: &World, of: &Underlying, span: (Date, Date), name: &str) -> Recorded {
    let mut quoter = Quoter::new();
    let mut sights: BTreeMap<Moment, Sight> = BTreeMap::new();
    let mut day = span.0;
    while day <= span.1 {
        if is_session(day) {
            let at = Moment::at(day, 9, 45);
            let mut sight = Sight {
                spot: world.spot(&of.symbol, at).unwrap(),
                contracts: BTreeMap::new(),
            };
            let near = |e: &desk::Expiration| at.days_until(e.date) <= 40;
            for e in world
                .expirations(&of.symbol, at)
                .unwrap()
                .iter()
                .filter(|e| near(e))
            {
                for (c, l) in quoter.chain(world, of, e, at) {
                    let c = Contract {
                        root: name.into(),
                        ..c
                    };
                    let seen = Seen {
                        quote: l.quote,
                        last: l.last,
                    };
                    sight.contracts.insert(c, seen);
                }
            }
            sights.insert(at, sight);
        }
        day = day.tomorrow().unwrap();
    }
    let underlying = Underlying {
        symbol: name.into(),
        weekly_root: None,
        opening_root: None,
        ..of.clone()
    };
    let told = Told {
        dividend_yield: Some(0.0),
        ..Told::default()
    };
    let bars = world.bars(&of.symbol, span.0, close_of(span.1));
    Recorded::new(underlying, told, Tape::of(bars, sights))
}

/// An index written to files and read again gives the same cycles to the cent where strikes go by points; and
/// records that come after a look change nothing before it.
#[test]
fn a_market_from_files_gives_the_same_cycles() {
    let world = World::new(6);
    let span = (date(2030, 3, 1), date(2030, 5, 31));
    // European, so that nobody is assigned early: that is drawn for each contract by its name.
    let of = world.underlying("SKRY").unwrap().clone();
    let drill = vertical("SKRY", span, (-150, -100), "0.5");
    let own = played(&world, &drill, close_of(span.1));
    let kept = recorded(&world, &of, span, "OWNX");
    let half = {
        let (first, _) = kept.tape.span().unwrap();
        let all = kept.tape.between(first, close_of(date(2030, 4, 12)));
        let sight = |at| kept.tape.sight(at).unwrap();
        let sights = all.iter().map(|(at, _)| (*at, (*sight(*at).1).clone()));
        let mut bars = kept.tape.bars();
        bars.retain(|b| b.date <= date(2030, 4, 12));
        let tape = Tape::of(bars, sights.collect());
        Recorded::new(kept.underlying.clone(), kept.told.clone(), tape)
    };
    let drill = Drill {
        symbol: "OWNX".into(),
        ..drill
    };
    let ledger = |p: &Played| -> Vec<_> {
        p.done()
            .map(|c| (c.entered, c.left, c.why, c.net, c.fees, c.best, c.worst))
            .collect()
    };
    let files = World::new(6).with_recorded(vec![kept]);
    let read = played(&files, &drill, close_of(span.1));
    assert!(ledger(&own).len() > 8);
    assert_eq!(ledger(&own), ledger(&read));
    // Of the half that is recorded the looks are those of the whole; nothing is made up behind it.
    let fewer = World::new(6).with_recorded(vec![half]);
    let cut = played(&fewer, &drill, close_of(span.1));
    let last = cut.done().map(|c| c.left).max().unwrap();
    assert!(last <= Moment::at(date(2030, 4, 12), 16, 0));
    let before = |p: &Played| -> Vec<_> {
        let all = p.done().flat_map(|c| &c.looks);
        let early = all.filter(|r| r.at.date() < date(2030, 4, 12));
        early.map(|r| (r.at, r.action, r.profit)).collect()
    };
    assert_eq!(before(&cut), before(&read));
}

/// A drill fills nothing against a quote that is in doubt: where the leg that it sells is crossed at its look, it
/// does not enter there.
#[test]
fn a_drill_does_not_fill_against_a_quote_in_doubt() {
    let world = World::new(6);
    let span = (date(2030, 3, 1), date(2030, 4, 30));
    let of = world.underlying("SKRY").unwrap().clone();
    let drill = Drill {
        symbol: "OWNX".into(),
        ..vertical("SKRY", span, (-150, -100), "0.5")
    };
    let kept = recorded(&world, &of, span, "OWNX");
    let sound = World::new(6).with_recorded(vec![kept.clone()]);
    let first = played(&sound, &drill, close_of(span.1))
        .done()
        .next()
        .cloned();
    let first = first.unwrap();
    let held = first.looks[0].legs.clone();
    let (sold, _) = held.options().find(|(_, n)| *n < 0).unwrap();
    let (from, _) = kept.tape.span().unwrap();
    let moments = kept.tape.between(from, close_of(span.1));
    let sights = moments.iter().map(|(at, _)| {
        let mut sight = (*kept.tape.sight(*at).unwrap().1).clone();
        if *at == first.entered {
            let quote = &mut sight.contracts.get_mut(sold).unwrap().quote;
            (quote.bid, quote.ask) = (quote.ask, quote.bid);
        }
        (*at, sight)
    });
    let tape = Tape::of(kept.tape.bars(), sights.collect());
    let crossed = Recorded::new(kept.underlying.clone(), kept.told.clone(), tape);
    let crossed = World::new(6).with_recorded(vec![crossed]);
    let again = played(&crossed, &drill, close_of(span.1));
    assert!(again.done().count() > 0);
    for cycle in again.done() {
        let same = cycle.looks[0].legs.options().any(|(c, _)| c == sold);
        assert!(
            cycle.entered != first.entered || !same,
            "{:?}",
            cycle.looks[0]
        );
    }
}
