//! What is written is what is read, and a command is written whole or not at all.
#![allow(clippy::unwrap_used)]

use desk::order::Event;
use desk::*;
use store::{ClockState, Fact, Store};

fn order(id: u64, client: &str) -> Order {
    let leg = |symbol: &str, quantity| Leg { contract: symbol.parse().unwrap(), quantity };
    let unit = Structure::new([leg("NMOU  310418P00175000", -1), leg("NMOU  310418P00165000", 1)]).unwrap();
    let at = Moment::from_millis(1_930_000_000_000);
    let request = Request {
        client_id: client.into(),
        symbol: "NMOU".into(),
        unit,
        quantity: 2,
        pricing: Pricing::Limit("-2.15".parse().unwrap()),
        time_in_force: TimeInForce::GoodTillCancelled,
        closes: None,
    };
    Order { id, placed: at, request, events: vec![(at, Event::Accepted)] }
}

fn fill(o: &Order) -> Fill {
    let legs = o.request.unit.legs().iter().zip(["2.20", "4.35"]);
    let legs = legs.map(|(l, p)| FillLeg { contract: l.contract.clone(), quantity: 2 * l.quantity, price: p.parse().unwrap() }).collect();
    Fill { order: o.id, at: o.placed.plus_millis(5_000), packages: 2, price: "-2.15".parse().unwrap(), legs, fees: "2.60".parse().unwrap() }
}

#[test]
fn everything_comes_back_as_it_went_in_also_after_reopening() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let mut o = order(1, "first");
    let f = fill(&o);
    let mut account = Account::default();
    let clock = ClockState { now: o.placed, running: true, speed: 60 };
    let deposit = account.deposit(o.placed, Money::whole(60_000)).clone();
    let trade = account.fill(&f, None, 100, "sold 2 bull put verticals".into()).clone();
    let c: Contract = "NMOU  310418P00175000".parse().unwrap();
    let settled = account.settle(f.at, &c, "1.25".parse().unwrap(), 100, "settled".into()).unwrap().clone();
    {
        let store = Store::open(&path).unwrap();
        store.commit(&[Fact::Setting("seed".into(), "7".into()), Fact::Clock(clock), Fact::Booked(deposit, None)]).unwrap();
        store.commit(&[Fact::Placed(o.clone()), Fact::Happened(1, f.at, Event::Filled(f.clone())), Fact::Booked(trade, None)]).unwrap();
        store.commit(&[Fact::Booked(settled, Some((c.clone(), "1.25".parse().unwrap()))), Fact::Draft("A".into(), "{}".into(), f.at)]).unwrap();
        store
            .commit(&[
                Fact::Draft("B".into(), "{\"x\":1}".into(), f.at),
                Fact::DraftGone("A".into()),
                Fact::Mark("2031-03-10".into(), Money::whole(60_123)),
            ])
            .unwrap();
    }
    let saved = Store::open(&path).unwrap().load().unwrap();
    o.events.push((f.at, Event::Filled(f.clone())));
    assert_eq!(saved.orders, [o]);
    assert_eq!(saved.clock, Some(clock));
    assert_eq!(saved.settings["seed"], "7");
    assert_eq!(saved.drafts, [("B".to_owned(), "{\"x\":1}".to_owned())]);
    assert_eq!(saved.marks, [("2031-03-10".to_owned(), Money::whole(60_123))]);
    let entries: Vec<Entry> = saved.journal.iter().map(|j| j.entry.clone()).collect();
    assert_eq!(entries, account.entries());
    assert_eq!(saved.journal[1].fill, Some(f));
    assert_eq!(saved.journal[2].settled, Some((c, "1.25".parse().unwrap())));
}

#[test]
fn a_command_that_fails_half_way_leaves_nothing_behind() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("desk.db")).unwrap();
    store.commit(&[Fact::Placed(order(1, "same"))]).unwrap();
    let before = store.load().unwrap();
    let twice = store.commit(&[Fact::Mark("2031-03-11".into(), Money::whole(1)), Fact::Placed(order(2, "same"))]);
    assert!(twice.unwrap_err().to_string().contains("UNIQUE"), "a client id is used once");
    let orphan = store.commit(&[Fact::Mark("2031-03-11".into(), Money::whole(1)), Fact::Happened(9, Moment::from_millis(0), Event::Cancelled)]);
    assert!(orphan.unwrap_err().to_string().contains("FOREIGN KEY"));
    assert_eq!(store.load().unwrap(), before);
}
