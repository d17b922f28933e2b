//! Rounds in traders' words: before, what happens, what rounds say, and what an answer does.
#![allow(clippy::unwrap_used)]

mod common;

use common::*;
use desk::calendar::{close_of, next_session, open_of};
use desk::rounds::{Fits, Reason};
use desk::rules::{Condition, Measure, Rule, Scope, Side};
use desk::*;
use engine::rounds::{Given, Rounds, rounds_of};
use market::{Quoter, contract, strikes};

/// One option: days to its expiration at least, how many listed strikes off the price (above zero:
/// out of the money), contracts.
struct Pick(i64, Kind, i64, i64);

fn legs(run: &Run, symbol: &str, picks: &[Pick]) -> Vec<Leg> {
    let (world, at) = (&run.world, run.engine.state().clock.now);
    let spot = world.spot(symbol, at).unwrap();
    let one = |Pick(days, kind, off, quantity): &Pick| {
        let all = world.expirations(symbol, at).unwrap();
        let e = all.into_iter().find(|e| at.days_until(e.date) >= *days);
        let e = e.unwrap();
        let ks = strikes(world, symbol, &e, at);
        let middle = ks.partition_point(|k| *k < spot) as i64;
        let off = if *kind == Kind::Call { *off } else { -off };
        let strike = ks[(middle + off) as usize];
        Leg::option(
            contract(world, symbol, &e, *kind, strike).unwrap(),
            *quantity,
        )
    };
    picks.iter().map(one).collect()
}

/// Sends an order at the cross, moved by so many hundredths of a point in its own favour.
fn send(run: &mut Run, symbol: &str, legs: Vec<Leg>, cheaper: i64) -> u64 {
    let (world, at) = (run.world.clone(), run.engine.state().clock.now);
    let (unit, quantity) = Package::of(&Holding::new(legs)).unwrap();
    let mut quoter = Quoter::new();
    let quotes: Vec<Quote> = unit
        .legs()
        .iter()
        .map(|l| quoter.quote_any(&world, &l.instrument, at).unwrap())
        .collect();
    let u = world.underlying(symbol).unwrap();
    let cross = package_quote(&unit, &quotes, u).cross - Price::cents(cheaper);
    let request = Request {
        client_id: format!("t{}", run.engine.state().orders.len()),
        symbol: symbol.into(),
        pricing: Pricing::Limit(u.ticks_of(&unit).ceil(cross)),
        unit,
        quantity,
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::GoodTillCancelled,
        purpose: Purpose::Open,
        closing: Vec::new(),
    };
    run.engine.place(request).unwrap().id
}

fn rich() -> Run {
    let mut run = Run::new(3);
    run.engine.deposit(Money::whole(200_000)).unwrap();
    run
}

fn look(run: &Run) -> Rounds {
    let r = rounds_of(run.engine.state(), &mut Quoter::new());
    // No campaign is in the list and among the others, and every open one is in one of them.
    let mut seen: Vec<u64> = r.asks.iter().filter_map(|a| a.campaign).collect();
    seen.extend(r.quiet.iter().map(|q| q.campaign));
    let distinct: std::collections::BTreeSet<u64> = seen.iter().copied().collect();
    assert_eq!(seen.len(), distinct.len(), "{seen:?}");
    for c in engine::campaigns::all_open(run.engine.state()) {
        assert!(distinct.contains(&c.id), "campaign {} is nowhere", c.id);
    }
    for s in r.asks.iter().flat_map(|a| &a.reasons) {
        assert!(s.since <= run.engine.state().clock.now);
        assert!(!s.reason.says().is_empty() && !s.reason.fits().is_empty());
    }
    r
}

/// The reasons of a campaign, by the words before their colon.
fn keys(r: &Rounds, campaign: u64) -> Vec<String> {
    let of_it = r.asks.iter().filter(|a| a.campaign == Some(campaign));
    let all = of_it.flat_map(|a| &a.reasons);
    all.map(|s| s.reason.key().split(':').next().unwrap().to_owned())
        .collect()
}

fn reason(r: &Rounds, campaign: Option<u64>, key: &str) -> (Reason, Moment) {
    let mut all = r.asks.iter().filter(|a| a.campaign == campaign);
    let found = all.find_map(|a| a.reasons.iter().find(|s| s.reason.key().starts_with(key)));
    let found = found.unwrap_or_else(|| panic!("{key}: {r:#?}"));
    (found.reason.clone(), found.since)
}

fn answer(run: &mut Run, campaign: Option<u64>, key: &str, answer: Answer) {
    let (reason, _) = reason(&look(run), campaign, key);
    run.engine
        .decide(Given {
            campaign,
            reason: reason.key(),
            says: reason.says(),
            answer,
            order: None,
            note: "thought about it".into(),
        })
        .unwrap();
    again(run);
}

/// Closed where the clock stands, and opened again.
fn again(run: &mut Run) {
    run.engine.note_clock();
    run.restart();
}

/// A call in the money ends tomorrow: rounds ask from the session before its last on; answered with
/// "not to be exercised" it is quiet, and the answer is done.
#[test]
fn an_end_in_the_money_asks_and_is_answered() {
    let mut run = rich();
    let bought = legs(&run, "NMOU", &[Pick(3, Kind::Call, -6, 1)]);
    let call = bought[0].instrument.option().unwrap().clone();
    let id = send(&mut run, "NMOU", bought, 0);
    assert_eq!(keys(&look(&run), id), ["exercise"], "in its last week");
    let eve = desk::calendar::previous_session(call.expiry);
    run.engine.advance(open_of(eve)).unwrap();
    let asked = keys(&look(&run), id);
    assert_eq!(asked, ["end", "exercise"]);
    let (exercise, _) = reason(&look(&run), Some(id), "exercise");
    assert_eq!(exercise.if_nothing(), "it is exercised");
    assert!(exercise.fits().contains(&Fits::DoNotExercise));
    answer(&mut run, Some(id), "end", Answer::LetBe(Until::Change));
    assert_eq!(keys(&look(&run), id), ["exercise"]);
    let no = Answer::DoNotExercise;
    answer(&mut run, Some(id), "exercise", no);
    assert!(run.engine.state().declined.contains(&call));
    let quiet = look(&run);
    assert!(keys(&quiet, id).is_empty());
    assert_eq!(
        quiet.quiet[0].let_be.as_ref().unwrap().note,
        "thought about it"
    );
    assert_eq!(run.engine.state().decisions.len(), 2);
}

/// A sold call whose time value is less than the dividend before it.
#[test]
fn a_sold_call_before_an_ex_date_asks() {
    let mut run = rich();
    let ex = run.world.dividends("TLVN", start(), 60)[0].0;
    let days = start().days_until(ex) + 1;
    let mut held = legs(&run, "TLVN", &[Pick(days, Kind::Call, -4, -1)]);
    held.push(Leg {
        instrument: Instrument::Underlying("TLVN".into()),
        quantity: 100,
    });
    let id = send(&mut run, "TLVN", held, 0);
    let r = look(&run);
    assert_eq!(keys(&r, id), ["dividend"]);
    let (told, since) = reason(&r, Some(id), "dividend");
    // What is held came about now: nothing about it began before.
    assert_eq!(since, start());
    assert!(
        told.says().contains("less than the dividend"),
        "{}",
        told.says()
    );
    assert!(
        told.if_nothing().contains("the shares go at"),
        "{}",
        told.if_nothing()
    );
    assert_eq!(told.fits(), [Fits::Close, Fits::Rework, Fits::LetBe]);
}

/// Results fall into the life of a sold put: asked from ten sessions before, told by what they are;
/// a bought straddle does not ask for it.
#[test]
fn earnings_within_the_life_of_a_sold_option_ask() {
    let mut run = rich();
    let event = run.world.events("BRLW", start(), 30)[0].clone();
    let days = start().days_until(event.date) + 1;
    let short = legs(&run, "BRLW", &[Pick(days, Kind::Put, 2, -1)]);
    let id = send(&mut run, "BRLW", short, 0);
    let bought = [Pick(days, Kind::Call, 0, 1), Pick(days, Kind::Put, 0, 1)];
    let bought = legs(&run, "BRLW", &bought);
    let straddle = send(&mut run, "BRLW", bought, 0);
    let r = look(&run);
    let (told, _) = reason(&r, Some(id), "event");
    assert!(
        told.says().contains("within the life of the sold"),
        "{}",
        told.says()
    );
    assert!(!keys(&r, straddle).contains(&"event".to_owned()));
    // A date that is no opening ahead is refused.
    let today = Answer::LetBe(Until::Date(start().date()));
    let given = Given {
        campaign: Some(id),
        reason: told.key(),
        says: told.says(),
        answer: today,
        order: None,
        note: String::new(),
    };
    let refused = run.engine.decide(given).unwrap_err().to_string();
    assert!(refused.contains("not ahead"), "{refused}");
    // Let be until tomorrow it asks again tomorrow.
    let tomorrow = next_session(start().date());
    answer(
        &mut run,
        Some(id),
        "event",
        Answer::LetBe(Until::Date(tomorrow)),
    );
    assert!(keys(&look(&run), id).is_empty());
    run.engine.advance(open_of(tomorrow)).unwrap();
    assert!(keys(&look(&run), id).contains(&"event".to_owned()));
}

/// A put in the money is assigned at its end: told until it is read.
#[test]
fn what_happened_is_told_until_it_is_read() {
    let mut run = rich();
    let short = legs(&run, "NMOU", &[Pick(2, Kind::Put, -8, -1)]);
    let put = short[0].instrument.option().unwrap().clone();
    let id = send(&mut run, "NMOU", short, 0);
    run.engine.went_through().unwrap();
    let end = close_of(put.expiry);
    run.engine.advance(end.plus_millis(60_000)).unwrap();
    again(&mut run);
    let (told, since) = reason(&look(&run), Some(id), "happened");
    assert!(told.says().contains("assigned"), "{}", told.says());
    assert!(since <= end);
    answer(&mut run, Some(id), "happened", Answer::Noted);
    assert!(!keys(&look(&run), id).contains(&"happened".to_owned()));
    // Gone through: nothing of before is told any more.
    run.engine.went_through().unwrap();
    run.restart();
    assert_eq!(run.engine.state().looked, Some(end.plus_millis(60_000)));
}

/// An opening order waits: three sessions long, or its market moved away.
#[test]
fn an_order_that_waits_asks() {
    let mut run = rich();
    let bought = legs(&run, "NMOU", &[Pick(30, Kind::Call, 2, 1)]);
    let near = send(&mut run, "NMOU", bought.clone(), 30);
    let waits = |r: &Rounds, id: u64| {
        r.asks
            .iter()
            .filter(|a| a.campaign.is_none())
            .flat_map(|a| &a.reasons)
            .find(|s| s.reason.key() == format!("waits:{id}"))
            .cloned()
    };
    assert_eq!(waits(&look(&run), near), None);
    let far = send(&mut run, "NMOU", bought, 560);
    let told = waits(&look(&run), far).unwrap();
    assert!(
        told.reason.says().contains("from the middle"),
        "{}",
        told.reason.says()
    );
    assert_eq!(told.reason.fits(), [Fits::ToOrder, Fits::LetBe]);
    let mut day = start().date();
    for _ in 0..3 {
        day = next_session(day);
    }
    run.engine.advance(Moment::at(day, 10, 0)).unwrap();
    let told = waits(&look(&run), far).unwrap();
    assert!(
        told.reason.says().contains("for 3 sessions"),
        "{}",
        told.reason.says()
    );
    assert_eq!(told.since, start());
}

/// Sold puts grow until the account is short: asked first of all.
#[test]
fn an_account_that_is_short_asks_first() {
    let mut run = Run::new(3);
    run.engine.deposit(Money::whole(16_400)).unwrap();
    let short = legs(&run, "VXLO", &[Pick(100, Kind::Put, 1, -1)]);
    let world = run.world.clone();
    let id = send(&mut run, "VXLO", short, 0);
    let mut day = start().date();
    let (mut was_short, mut quoter) = (false, Quoter::new());
    for _ in 0..60 {
        day = next_session(day);
        run.engine.advance(Moment::at(day, 11, 0)).unwrap();
        let free = engine::money::buying_power(run.engine.state(), &mut quoter);
        let r = look(&run);
        let first = r.asks.first();
        let asked = first.is_some_and(|a| a.reasons[0].reason.key() == "short");
        assert_eq!(asked, free < Money::ZERO, "{day}: {free} {first:?}");
        was_short |= asked;
    }
    assert!(was_short, "{:?} {id}", world.spot("VXLO", start()));
}

/// A sold option that hardly brings anything more, and a hedge that ends first.
#[test]
fn little_that_is_left_and_a_hedge_that_ends_ask() {
    let mut run = rich();
    let condor = [Pick(3, Kind::Put, 1, -1), Pick(3, Kind::Put, 4, 1)];
    let short = legs(&run, "MYRR", &condor);
    let put = short[0].instrument.option().unwrap().clone();
    let id = send(&mut run, "MYRR", short, 0);
    let mut found = false;
    while run.engine.state().clock.now.date() < put.expiry {
        let r = look(&run);
        let mut quoter = Quoter::new();
        let (world, at) = (&run.world, run.engine.state().clock.now);
        let held = run.engine.state().account.holding_of(id);
        for (c, n) in held.options().filter(|(_, n)| *n < 0) {
            let quote = quoter.quote(world, c, at).unwrap().quote;
            let tick = world
                .underlying("MYRR")
                .unwrap()
                .ticks
                .tick_at(quote.mark());
            let little = quote.ask < tick * 2 && n < 0;
            assert_eq!(keys(&r, id).contains(&"little".to_owned()), little, "{at}");
            found |= little;
        }
        let next = at.plus_millis(3_600_000);
        run.engine.advance(next).unwrap();
    }
    let next = next_session(put.expiry);
    run.engine.advance(Moment::at(next, 10, 0)).unwrap();
    // Sold later than bought: the put that hedges ends in its last five sessions first.
    let diagonal = [Pick(4, Kind::Put, 4, 1), Pick(30, Kind::Put, 2, -1)];
    let held = legs(&run, "NMOU", &diagonal);
    let id = send(&mut run, "NMOU", held, 0);
    let (told, _) = reason(&look(&run), Some(id), "hedge");
    assert!(told.says().contains("that it hedges"), "{}", told.says());
    assert!(
        told.if_nothing().contains("stands alone"),
        "{}",
        told.if_nothing()
    );
    // What lasts covers one of two; the other stands alone.
    let part = [
        Pick(4, Kind::Put, 4, 2),
        Pick(30, Kind::Put, 2, -2),
        Pick(60, Kind::Put, 6, 1),
    ];
    let held = legs(&run, "VXLO", &part);
    let id = send(&mut run, "VXLO", held, 0);
    let (told, _) = reason(&look(&run), Some(id), "hedge");
    assert!(
        told.says().contains("before 1 × the sold"),
        "{}",
        told.says()
    );
    let shares = vec![
        Leg {
            instrument: Instrument::Underlying("OSKV".into()),
            quantity: 100,
        },
        legs(&run, "OSKV", &[Pick(3, Kind::Put, 2, 1)]).remove(0),
    ];
    let id = send(&mut run, "OSKV", shares, 0);
    let (told, _) = reason(&look(&run), Some(id), "hedge");
    assert!(told.says().contains("before 100 shares"), "{}", told.says());
    assert!(found, "the sold put came near nothing once");
}

/// A rule rings, is let be until a price, and asks again when that came; thrown away it is silent.
#[test]
fn a_rule_asks_until_it_is_answered_or_thrown_away() {
    let mut run = rich();
    let short = legs(
        &run,
        "NMOU",
        &[Pick(25, Kind::Put, 3, -1), Pick(25, Kind::Put, 6, 1)],
    );
    let id = send(&mut run, "NMOU", short, 0);
    let rule = Rule {
        id: 0,
        scope: Scope::Structure(Structure::Vertical),
        condition: Condition {
            measure: Measure::DaysLeft,
            side: Side::Below,
            limit: Decimal::whole(60),
        },
        again: Some(Decimal::ZERO),
        on: true,
    };
    let kept = run.engine.set_rule(None, rule).unwrap();
    run.restart();
    let (told, since) = reason(&look(&run), Some(id), "rule");
    assert_eq!(since, start());
    assert!(told.says().contains("days left: "), "{}", told.says());
    let bells = |run: &Run| {
        let all = run.engine.state().bells.iter();
        all.filter(|b| b.rule == Some(1) && b.unanswered()).count()
    };
    assert_eq!(bells(&run), 1);
    // The price stands below already: that is no time to wait for.
    let spot = run.world.spot("NMOU", start()).unwrap();
    let until = |side, level| Answer::LetBe(Until::Price { side, level });
    let given = |answer| Given {
        campaign: Some(id),
        reason: told.key(),
        says: told.says(),
        answer,
        order: None,
        note: String::new(),
    };
    let there = given(until(BellSide::Below, spot + Price::cents(100)));
    assert!(run.engine.decide(there).is_err());
    answer(
        &mut run,
        Some(id),
        "rule",
        until(BellSide::Above, spot + Price::cents(150)),
    );
    let mut came = false;
    for hour in 1..400 {
        let at = start().plus_millis(hour * 3_600_000);
        run.engine.advance(at).unwrap();
        if engine::campaigns::open(run.engine.state(), id).is_err() {
            break;
        }
        if keys(&look(&run), id).contains(&"rule".to_owned()) {
            came = true;
            break;
        }
    }
    assert!(came, "the price rose by 1.50 within days");
    run.engine.remove_rule(kept.id).unwrap();
    run.restart();
    assert!(!keys(&look(&run), id).contains(&"rule".to_owned()));
    assert_eq!(bells(&run), 0);
}

/// What is held and has no market is named.
#[test]
fn the_daily_record_adds_up_and_is_replayed_alike() {
    let mut run = rich();
    let short = legs(
        &run,
        "NMOU",
        &[Pick(25, Kind::Put, 3, -2), Pick(25, Kind::Put, 6, 2)],
    );
    send(&mut run, "NMOU", short, 0);
    let future = vec![Leg {
        instrument: Instrument::Underlying("TNYBM1".into()),
        quantity: 1,
    }];
    send(&mut run, "TNYBM1", future, 0);
    let mut to = start();
    for day in 0..12 {
        to = to.plus_millis(86_400_000);
        run.engine.advance(to).unwrap();
        if day == 3 {
            run.engine.deposit(Money::whole(1_000)).unwrap();
        }
        if day % 3 == 0 {
            run.restart();
        }
    }
    let days = run.engine.state().days.clone();
    assert!(days.len() >= 8);
    let mut value = Money::ZERO;
    for d in days.iter() {
        let f = d.figures.as_ref().unwrap();
        // Each day's profit and deposits lead from one value to the next, to the cent.
        value += f.parts.total + f.deposits;
        assert_eq!(value, d.value, "{}", d.date);
        let p = f.parts;
        let sum = p.explained() + p.dividends + p.trades + p.fees.to_f64() + p.other;
        assert!((sum - p.total.to_f64()).abs() < 1e-6, "{}", d.date);
        assert_eq!(f.at_moves[2], Money::ZERO);
        assert!(f.missing.iter().any(|m| m.contains("not told in parts")));
        // A short vertical of puts and a long future both gain where the market rises… the future is
        // on bonds, whose beta is its own.
        assert_eq!(
            f.largest.symbol.as_ref().map(|(s, _)| s.len() > 2),
            Some(true)
        );
    }
    assert_eq!(
        days.iter()
            .map(|d| d.figures.as_ref().unwrap().deposits)
            .sum::<Money>(),
        Money::whole(201_000)
    );
    let downs = drawdowns(&days);
    assert!(downs.iter().all(|d| d.unwrap() >= Money::ZERO));
}
