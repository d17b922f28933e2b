//! Orders that depend on each other are judged as a set, and again when their turn comes; what a
//! campaign no longer holds is not closed; a jump of months shows itself on the way.
#![allow(clippy::unwrap_used)]

mod common;

use common::*;
use desk::*;
use engine::{Refusal, Tie};
use market::{Quoter, contract, strikes};

fn funded() -> Run {
    let mut run = Run::new(3);
    run.engine.deposit(Money::whole(60_000)).unwrap();
    run
}

/// An option on NMOU about so many days out, so many strikes above the price.
fn option(run: &Run, days: i64, kind: Kind, off: i64) -> Instrument {
    let (world, at) = (&run.world, run.engine.state().clock.now);
    let e = world.expirations("NMOU", at).unwrap().into_iter();
    let e = e
        .into_iter()
        .find(|e| at.days_until(e.date) >= days)
        .unwrap();
    let ks = strikes(world, "NMOU", &e, at);
    let spot = world.spot("NMOU", at).unwrap();
    let place = ks.partition_point(|k| *k < spot) as i64 + off;
    Instrument::Option(contract(world, "NMOU", &e, kind, ks[place as usize]).unwrap())
}

fn ask(run: &Run, of: &Instrument) -> Price {
    let now = run.engine.state().clock.now;
    Quoter::new().quote_any(&run.world, of, now).unwrap().ask
}

fn request(id: &str, of: &Instrument, quantity: i64, limit: Price) -> Request {
    let unit = Holding::new([Leg {
        instrument: of.clone(),
        quantity: quantity.signum(),
    }]);
    Request {
        client_id: id.into(),
        symbol: "NMOU".into(),
        unit: Package::of(&unit).unwrap().0,
        quantity: quantity.abs(),
        pricing: Pricing::Limit(limit),
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::GoodTillCancelled,
        purpose: Purpose::Open,
        closing: Vec::new(),
    }
}

/// Each of two purchases is borne alone, both are not: as a chain they are refused.
#[test]
fn a_chain_is_judged_as_a_set() {
    let mut run = funded();
    let call = option(&run, 30, Kind::Call, 0);
    let limit = ask(&run, &call);
    let most = (36_000.0 / (limit.to_f64() * 100.0)) as i64;
    let orders = |a: &str, b: &str| {
        vec![
            request(a, &call, most, Price::cents(5)),
            request(b, &call, most, limit),
        ]
    };
    for alone in orders("a", "b") {
        let placed = run.engine.place(alone).unwrap();
        if placed.state().is_open() {
            run.engine.cancel(placed.id).unwrap();
        }
        run = funded();
    }
    let mut dear = orders("c", "d");
    // Waiting far from the market it would still be paid when it fills.
    dear[0].pricing = Pricing::Limit(limit - Price::cents(100));
    let refused = run.engine.place_linked(dear, Tie::OneTriggersOther);
    assert!(refused.is_err(), "{refused:?}");
    assert!(run.engine.state().orders.is_empty(), "all or none");
}

/// A put that waits to be sold until a share is bought was borne when it was placed; before its
/// turn the approval goes. It ends then, with the reason, and a bell says so.
#[test]
fn what_goes_out_later_is_judged_again() {
    let mut run = funded();
    let (share, put) = (
        Instrument::Underlying("NMOU".into()),
        option(&run, 30, Kind::Put, -6),
    );
    let chain = vec![
        request("share", &share, 1, Price::cents(1)),
        request("put", &put, -1, Price::cents(-1)),
    ];
    let placed = run
        .engine
        .place_linked(chain, Tie::OneTriggersOther)
        .unwrap();
    let rules = AccountRules {
        level: 0,
        ..AccountRules::default()
    };
    let switch = run.engine.state().day_trades;
    run.engine.set_account_rules(rules, switch).unwrap();
    let limit = ask(&run, &share) + Price::cents(20);
    let bought = run.engine.reprice(placed[0].id, limit).unwrap();
    assert_eq!(bought.state().word(), "filled", "{bought:?}");
    let put = run.engine.state().order(placed[1].id).unwrap().clone();
    let says = format!("{:?}", put.events.last().unwrap());
    assert!(
        !put.state().is_open() && says.contains("refused when its turn came"),
        "{says}"
    );
    let told = run.engine.state().bells.iter();
    assert!(
        told.into_iter()
            .any(|b| format!("{b:?}").contains("its turn")),
        "a bell says so"
    );
}

/// Two orders that wait to close the same put: when one has closed a part, the other keeps only
/// what is left, also when they are not tied; and what is assigned takes its buy-back with it.
#[test]
fn nothing_closes_what_is_no_longer_held() {
    let mut run = funded();
    let put = option(&run, 3, Kind::Put, 3);
    let limit = ask(&run, &put);
    let sold = run
        .engine
        .place(request("open", &put, -2, Price::cents(-1)))
        .unwrap();
    assert_eq!(sold.progress().filled, 2, "{sold:?}");
    let close = |id: &str, quantity, limit| Request {
        purpose: Purpose::Close(sold.id),
        ..request(id, &put, quantity, limit)
    };
    let waiting = run.engine.place(close("far", 2, Price::cents(1))).unwrap();
    let near = close("near", 1, limit + Price::cents(20));
    match run.engine.place(near) {
        Ok(near) => {
            assert_eq!(near.progress().filled, 1);
            let left = run.engine.state().order(waiting.id).unwrap().progress();
            assert_eq!((left.active, left.wanted()), (1, 1));
        }
        // Two that close may not ask for more than is held.
        Err(why) => assert!(
            matches!(
                why,
                Refusal::Order(_) | Refusal::Field { .. } | Refusal::Package(_)
            ),
            "{why}"
        ),
    }
    let end = run.engine.state().clock.now.plus_millis(8 * 86_400_000);
    run.engine.advance(end).unwrap();
    let waiting = run.engine.state().order(waiting.id).unwrap();
    assert!(!waiting.state().is_open(), "{waiting:?}");
}

/// A new price for an order that is being eased stops the easing where it is put: two facts of it
/// and no more, one change told of, and the same after a restart.
#[test]
fn repricing_an_eased_order_happens_once() {
    let mut run = funded();
    let call = option(&run, 30, Kind::Call, 0);
    let far = ask(&run, &call) - Price::cents(200);
    let placed = run.engine.place(request("a", &call, 1, far)).unwrap();
    let to = far + Price::cents(50);
    let step = Price::cents(5);
    let easing = Easing {
        step,
        every: 30,
        to,
    };
    run.engine.ease(placed.id, Some(easing)).unwrap();
    let before = run.engine.state().order(placed.id).unwrap().events.len();
    let told = run.engine.reprice(placed.id, far + step).unwrap();
    let since: Vec<&order::Event> = told.events[before..]
        .iter()
        .map(|(_, event)| event)
        .collect();
    assert!(
        matches!(
            since[..],
            [order::Event::Eased(None), order::Event::Repriced(price)] if *price == far + step
        ),
        "{since:?}"
    );
    let later = run.engine.state().clock.now.plus_millis(120_000);
    run.engine.advance(later).unwrap();
    let limit = |engine: &engine::Engine| engine.state().order(placed.id).unwrap().pricing();
    assert_eq!(
        limit(&run.engine),
        Pricing::Limit(far + step),
        "it is eased no further"
    );
    run.restart();
    assert_eq!(limit(&run.engine), Pricing::Limit(far + step));
}

/// Two states that went different ways from one, by as many entries at the same moment, share what was worked
/// out before: neither is told the other's margin, value or buying power.
#[test]
fn states_that_went_different_ways_do_not_share_their_margin() {
    use engine::money::{account_value, buying_power, requirement_of};
    let mut run = funded();
    let far = |run: &Run, off| option(run, 30, Kind::Put, off);
    let way = |run: &mut Run, off: i64, quantity: i64| {
        let put = far(run, off);
        let bid = {
            let now = run.engine.state().clock.now;
            Quoter::new().quote_any(&run.world, &put, now).unwrap().bid
        };
        let sold = run
            .engine
            .place(request(&format!("{off}"), &put, -quantity, -bid));
        assert!(!sold.unwrap().state().is_open(), "it is sold at the bid");
        run.engine.state().clone()
    };
    let before = run.engine.checkpoint();
    let one = way(&mut run, -4, 1);
    run.engine.go_back(before);
    let other = way(&mut run, -1, 2);
    assert_eq!(one.clock.now, other.clock.now);
    assert_eq!(one.account.entries().len(), other.account.entries().len());
    let told = |state: &engine::State| {
        let quoter = &mut Quoter::new();
        (
            requirement_of(state, quoter, "NMOU").total,
            account_value(state, quoter),
            buying_power(state, quoter),
        )
    };
    let anew = |state: &engine::State| {
        let mut fresh = state.clone();
        fresh.memo = std::sync::Arc::default();
        told(&fresh)
    };
    // In turn, so that each finds what the other has left.
    for _ in 0..2 {
        assert_eq!((told(&one), told(&other)), (anew(&one), anew(&other)));
    }
    assert_ne!(told(&one), told(&other));
}
