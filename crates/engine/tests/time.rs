//! Time: a long way comes out the same however it is cut, nothing that was acknowledged stands
//! before the clock, and what is left of a millisecond is not lost.
#![allow(clippy::unwrap_used)]

mod common;

use common::*;
use desk::rules::{Condition, Measure, Rule, Scope, Side};
use desk::*;
use engine::commands::bells::Wanted;
use market::{Quoter, contract, strikes};
use proptest::prelude::*;

/// A put sold a month out, a covered call, a bell, and two orders that wait.
fn busy() -> Run {
    let mut run = Run::new(3);
    run.engine.deposit(Money::whole(150_000)).unwrap();
    let (world, at) = (run.world.clone(), start());
    let leg = |symbol: &str, days: i64, kind, off: i64, quantity| {
        let e = world.expirations(symbol, at).unwrap();
        let e = e
            .into_iter()
            .find(|e| at.days_until(e.date) >= days)
            .unwrap();
        let ks = strikes(&world, symbol, &e, at);
        let spot = world.spot(symbol, at).unwrap();
        let place = ks.partition_point(|k| *k < spot) as i64 + off;
        let c = contract(&world, symbol, &e, kind, ks[place as usize]).unwrap();
        Leg::option(c, quantity)
    };
    let own = |symbol: &str| Leg {
        instrument: Instrument::Underlying(symbol.into()),
        quantity: 100,
    };
    let far = |symbol: &str, unit: &Package, share: i64| {
        let u = world.underlying(symbol).unwrap();
        let mut quoter = Quoter::new();
        let quotes: Vec<Quote> = unit
            .legs()
            .iter()
            .map(|l| quoter.quote_any(&world, &l.instrument, at).unwrap())
            .collect();
        let m = package_quote(unit, &quotes, u);
        let ticks = u.ticks_of(unit);
        Pricing::Limit(
            ticks.floor(m.rest + Price::from_raw((m.cross - m.rest).raw() * share / 100)),
        )
    };
    let all = [
        ("NMOU", vec![leg("NMOU", 20, Kind::Put, 1, -2)], 100),
        (
            "TLVN",
            vec![own("TLVN"), leg("TLVN", 5, Kind::Call, -1, -1)],
            100,
        ),
        ("NMOU", vec![leg("NMOU", 3, Kind::Call, 1, 1)], 40),
        (
            "NMOU",
            vec![
                leg("NMOU", 30, Kind::Put, -2, 1),
                leg("NMOU", 30, Kind::Put, 0, -1),
            ],
            -500,
        ),
    ];
    for (i, (symbol, legs, share)) in all.into_iter().enumerate() {
        let holding = Holding::new(legs);
        let (unit, quantity) = Package::of(&holding).unwrap();
        let request = Request {
            client_id: format!("t{i}"),
            symbol: symbol.into(),
            pricing: far(symbol, &unit, share),
            unit,
            quantity,
            trigger: None,
            link: Link::default(),
            time_in_force: TimeInForce::GoodTillCancelled,
            purpose: Purpose::Open,
            closing: Vec::new(),
        };
        run.engine.place(request).unwrap();
    }
    let level = run.world.spot("NMOU", at).unwrap() + Price::cents(200);
    let bell = Listens::Price {
        symbol: "NMOU".into(),
        unit: None,
        side: BellSide::Above,
        level,
    };
    run.engine.set_bell(Wanted::once(bell)).unwrap();
    look_for_much(&mut run, level);
    run.keep();
    run
}

/// Rules and bells of every kind that time can ring, some of them again and again.
fn look_for_much(run: &mut Run, level: Price) {
    use Measure as M;
    use Side::{Above, Below};
    let again = Some("0.02".parse().unwrap());
    let table = [
        (M::Profit, Above, "20", Some("15".parse().unwrap())),
        (M::Loss, Above, "30", Some(Decimal::ZERO)),
        (M::ProfitOfMax, Above, "20", Some(Decimal::ZERO)),
        (M::DaysLeft, Below, "20", None),
        (M::ToSoldStrike, Below, "0.6", Some("0.1".parse().unwrap())),
        (M::ToBreakEven, Below, "0.5", again),
        (M::SoldDelta, Above, "0.4", again),
        (M::SoldTimeValue, Below, "0.5", again),
        (M::ExDateIn, Below, "3", None),
        (M::EarningsIn, Below, "2", None),
        (M::Vol, Above, "45", Some(Decimal::ZERO)),
        (M::Rank, Above, "60", Some(Decimal::whole(5))),
        (M::VolSince, Below, "-3", Some(Decimal::ZERO)),
        (M::CampaignTheta, Above, "10", Some(Decimal::ZERO)),
        (M::Lean, Above, "12", Some(Decimal::ZERO)),
        (M::DayLoss, Above, "100", Some(Decimal::ZERO)),
        (M::OneSymbol, Above, "5", Some(Decimal::ZERO)),
    ];
    for (measure, side, limit, again) in table {
        let condition = Condition {
            measure,
            side,
            limit: limit.parse().unwrap(),
        };
        let rule = Rule {
            id: 0,
            scope: Scope::All,
            condition,
            again,
            on: true,
        };
        run.engine.set_rule(None, rule).unwrap();
    }
    let figure = |of: Watched, measure, side, limit: &str| Wanted {
        again: Some(Decimal::ZERO),
        ..Wanted::once(Listens::Figure {
            of,
            condition: Condition {
                measure,
                side,
                limit: limit.parse().unwrap(),
            },
        })
    };
    let campaign = run.engine.state().account.campaigns().next().unwrap().id;
    for wanted in [
        figure(Watched::Campaign(campaign), M::Profit, Above, "55.5"),
        figure(Watched::Symbol("NMOU".into()), M::Vol, Above, "60"),
        figure(Watched::Account, M::AccountValue, Below, "149000"),
        Wanted {
            again: Some(Decimal::whole(1)),
            until: Some(start().plus_millis(30 * 86_400_000).date()),
            ..Wanted::once(Listens::Price {
                symbol: "NMOU".into(),
                unit: None,
                side: BellSide::Above,
                level: level + Price::cents(50),
            })
        },
    ] {
        run.engine.set_bell(wanted).unwrap();
    }
}

/// Six weeks: fills, a bell, dividends, expirations, assignments and day marks on the way.
const DAYS: i64 = 43;

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn a_way_comes_out_the_same_however_it_is_cut(
        cuts in prop::collection::vec(0..DAYS * 86_400_000, 0..12),
        restarted in any::<bool>(),
    ) {
        let to = start().plus_millis(DAYS * 86_400_000);
        let mut once = busy();
        once.engine.advance(to).unwrap();
        let mut cut = busy();
        let mut cuts: Vec<i64> = cuts;
        cuts.sort_unstable();
        for millis in cuts {
            cut.engine.advance(start().plus_millis(millis)).unwrap();
            cut.engine.note_clock();
            if restarted {
                cut.restart();
            }
        }
        cut.engine.advance(to).unwrap();
        prop_assert_eq!(difference(&once.engine, &cut.engine), None);
        let state = once.engine.state();
        prop_assert!(state.account.entries().len() > 6);
        let of_rules = state.bells.iter().filter(|b| b.rule.is_some());
        prop_assert!(of_rules.count() > 10, "rules ring on the way");
    }
}

/// A long way is taken stop by stop: it can be looked at in between, and left there.
#[test]
fn a_long_way_can_be_left_between_two_stops() {
    let mut run = busy();
    let to = start().plus_millis(DAYS * 86_400_000);
    let mut stops = 0;
    while stops < 40 {
        assert!(run.engine.advance_to_stop(to).unwrap());
        stops += 1;
    }
    let left = run.engine.state().clock.now;
    assert!(left > start() && left < to);
    run.keep();
    // What was kept by then is a whole account.
    let again = run.again();
    assert_eq!(again.state().read_only, None);
    assert!(again.state().clock.now <= left);
    run.engine.advance(to).unwrap();
    let mut other = busy();
    other.engine.advance(to).unwrap();
    assert_eq!(difference(&run.engine, &other.engine), None);
}

/// After every acknowledged change the clock that was kept stands where the change was made: also
/// after a deposit, a cancellation and a bell, at any speed.
#[test]
fn an_acknowledged_change_never_stands_after_the_clock_that_was_kept() {
    let mut run = busy();
    run.engine.set_clock(Some(true), Some(3_600)).unwrap();
    run.keep();
    let open = run.engine.state().open_numbers().pop().unwrap();
    let hour = |run: &mut Run| {
        assert!(run.pass(1_000_000_000));
        run.engine.state().clock.now
    };
    let acts: [fn(&mut Run, u64); 3] = [
        |run, _| run.engine.deposit(Money::whole(5)).unwrap(),
        |run, id| drop(run.engine.cancel(id).unwrap()),
        |run, _| run.engine.note_day(start().date(), "busy".into()).unwrap(),
    ];
    for act in acts {
        let now = hour(&mut run);
        act(&mut run, open);
        run.keep();
        assert_eq!(run.again().state().clock.now, now);
    }
}

/// 0.4 of a millisecond at a time, three times: one millisecond has passed, and a fifth is kept.
#[test]
fn what_is_left_of_a_millisecond_counts_the_next_time() {
    let mut run = busy();
    run.engine.set_clock(Some(true), Some(1)).unwrap();
    let moved = |run: &mut Run, nanos| {
        run.pass(nanos);
        run.engine.state().clock.now.millis() - start().millis()
    };
    assert_eq!([400_000; 3].map(|n| moved(&mut run, n)), [0, 0, 1]);
    assert_eq!(moved(&mut run, 800_000), 2);
    // A file whose last entry says something else can be read and not changed.
    run.keep();
    let entry = &mut run.saved.journal.last_mut().unwrap().entry;
    entry.postings[0].1 += Money::from_raw(1);
    let memo = entry.memo.clone();
    let mut broken = run.again();
    let why = broken.state().read_only.clone().unwrap();
    assert!(why.contains(&memo) && why.contains("entry 3"), "{why}");
    let refused = broken.deposit(Money::whole(1)).unwrap_err();
    assert!(matches!(refused, engine::Refusal::ReadOnly(_)), "{refused}");
    assert!(broken.due(1_000_000_000).is_none() && broken.take_facts().is_empty());
}

/// A bell on a volatility rings where nothing is held, and stands behind its last day until it is
/// answered.
#[test]
fn a_bell_on_a_volatility_needs_no_position_and_outlives_its_last_day_once_rung() {
    let mut run = Run::new(3);
    let wanted = Wanted {
        again: Some(Decimal::ZERO),
        until: Some(start().plus_millis(10 * 86_400_000).date()),
        ..Wanted::once(Listens::Figure {
            of: Watched::Symbol("NMOU".into()),
            condition: Condition {
                measure: Measure::Vol,
                side: Side::Above,
                limit: "43.5".parse().unwrap(),
            },
        })
    };
    run.engine.set_bell(wanted.clone()).unwrap();
    let never = Listens::Figure {
        of: Watched::Symbol("NMOU".into()),
        condition: Condition {
            measure: Measure::Vol,
            side: Side::Above,
            limit: "900".parse().unwrap(),
        },
    };
    let never = Wanted {
        listens: never,
        ..wanted
    };
    run.engine.set_bell(never).unwrap();
    run.engine
        .advance(start().plus_millis(15 * 86_400_000))
        .unwrap();
    let bells = &run.engine.state().bells;
    assert_eq!(bells.len(), 1, "{bells:?}");
    assert!(bells[0].unanswered() && bells[0].again.is_none());
    run.engine.note_clock();
    run.keep();
    assert_eq!(difference(&run.engine, &run.again()), None);
}
