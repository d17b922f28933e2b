//! A market of one's own end to end, against cash worked out by hand: live with quotes that come, opened
//! from a folder that has them all, and rehearsed from the past; the three agree to the cent.
#![allow(clippy::unwrap_used)]

// The engine that is driven from outside, as its own tests drive it.
#[path = "../../engine/tests/common/mod.rs"]
mod common;

use std::collections::BTreeMap;
use std::sync::Arc;

use common::keep;
use desk::calendar::{close_of, open_of};
use desk::*;
use engine::{Engine, Execution};
use jiff::civil::{Date, date};
use market::{
    Announced, AnnouncedKind, Bar, OwnMarket, Quoter, Recorded, Seen, Sight, Tape, Told, World,
};

/// Two sessions that follow each other.
const FIRST: Date = date(2031, 3, 13);
const SECOND: Date = date(2031, 3, 14);

fn price(text: &str) -> Price {
    text.parse().unwrap()
}

fn at(day: Date, time: &str) -> Moment {
    format!("{day}T{time}").parse().unwrap()
}

/// What is seen at a moment, and what the trader sends then.
struct Step {
    at: Moment,
    spot: &'static str,
    quotes: Vec<(Contract, &'static str, &'static str)>,
    /// Contracts bid for and offered of each; absent where nobody says.
    size: Option<i64>,
    sends: Vec<(Instrument, i64)>,
}

fn seen(at: Moment, spot: &'static str) -> Step {
    Step {
        at,
        spot,
        quotes: Vec::new(),
        size: None,
        sends: Vec::new(),
    }
}

impl Step {
    fn quoting(mut self, c: &Contract, bid: &'static str, ask: &'static str) -> Step {
        self.quotes.push((c.clone(), bid, ask));
        self
    }

    fn sending(mut self, of: &Instrument, quantity: i64) -> Step {
        self.sends.push((of.clone(), quantity));
        self
    }

    fn sight(&self) -> Sight {
        let quote = |bid, ask| Quote {
            bid: price(bid),
            ask: price(ask),
            bid_size: self.size,
            ask_size: self.size,
            ..Quote::at(Price::ZERO)
        };
        let rows = self.quotes.iter().map(|(c, bid, ask)| {
            let seen = Seen {
                quote: quote(bid, ask),
                last: None,
            };
            (c.clone(), seen)
        });
        Sight {
            spot: price(self.spot),
            contracts: rows.collect(),
        }
    }
}

/// One symbol, what is told of it, and what happens.
struct Story {
    underlying: Underlying,
    events: Vec<Announced>,
    told: Told,
    deposit: i64,
    steps: Vec<Step>,
}

fn like(symbol: &str, of: &str) -> Underlying {
    let world = World::new(1);
    Underlying {
        symbol: symbol.into(),
        own_dates: Vec::new(),
        weekly_root: None,
        opening_root: None,
        last_session: None,
        beta: 1.0,
        ..world.underlying(of).unwrap().clone()
    }
}

fn option(root: &str, expiry: Date, kind: Kind, strike: &str) -> Contract {
    Contract {
        root: root.into(),
        expiry,
        kind,
        strike: price(strike),
    }
}

impl Story {
    fn market(&self, bars: Vec<Bar>, moments: usize) -> (Arc<World>, Arc<Tape>) {
        let sights = self.steps[..moments].iter().map(|s| (s.at, s.sight()));
        let tape = Tape::of(bars, sights.collect::<BTreeMap<_, _>>());
        tape.set_events(Some(self.events.clone()));
        let recorded = Recorded::new(self.underlying.clone(), self.told.clone(), tape);
        let tape = Arc::clone(&recorded.tape);
        let world = World::new(1).with_fees(Fees::default());
        (
            Arc::new(world.of_own(vec![recorded], OwnMarket::default())),
            tape,
        )
    }

    fn engine(&self, world: &Arc<World>) -> Engine {
        let mut engine = Engine::restore(Arc::clone(world), Saved::default(), self.steps[0].at);
        engine.deposit(Money::whole(self.deposit)).unwrap();
        engine
    }

    fn send(&self, engine: &mut Engine, step: &Step) {
        for (i, (of, quantity)) in step.sends.iter().enumerate() {
            let unit = Holding::new([Leg {
                instrument: of.clone(),
                quantity: quantity.signum(),
            }]);
            let request = Request {
                client_id: format!("{}-{i}", step.at),
                symbol: self.underlying.symbol.clone(),
                unit: Package::of(&unit).unwrap().0,
                quantity: quantity.abs(),
                pricing: Pricing::Market,
                trigger: None,
                link: Link::default(),
                time_in_force: TimeInForce::GoodTillCancelled,
                purpose: Purpose::Open,
                closing: Vec::new(),
            };
            engine.place(request).unwrap();
        }
    }

    /// Live: each moment comes while the program runs.
    fn live(&self) -> Engine {
        let (world, tape) = self.market(Vec::new(), 1);
        let mut engine = self.engine(&world);
        engine.follow();
        for (i, step) in self.steps.iter().enumerate() {
            if i > 0 {
                let recorded = world.recordings().next().unwrap();
                assert!(Arc::ptr_eq(&recorded.tape, &tape));
                recorded.take(step.at, step.sight());
                engine.advance(step.at).unwrap();
            }
            self.send(&mut engine, step);
        }
        engine
    }

    /// Rehearsed: everything is recorded, and the clock is led through it.
    fn rehearsed(&self) -> Engine {
        let (world, _) = self.market(Vec::new(), self.steps.len());
        let mut engine = self.engine(&world);
        for step in &self.steps {
            engine.advance(step.at).unwrap();
            self.send(&mut engine, step);
        }
        engine
    }

    /// From a folder: stopped after the last order, opened again when everything is there, bars too, and
    /// taken to the end at one stroke.
    fn by_folder(&self) -> Engine {
        let last = self
            .steps
            .iter()
            .rposition(|s| !s.sends.is_empty())
            .unwrap();
        let (world, _) = self.market(Vec::new(), last + 1);
        let mut engine = self.engine(&world);
        engine.follow();
        let mut saved = Saved::default();
        for step in &self.steps[..=last] {
            engine.advance(step.at).unwrap();
            self.send(&mut engine, step);
        }
        keep(&mut saved, engine.take_facts());
        let (world, _) = self.market(Vec::new(), self.steps.len());
        let mut again = Engine::restore(world, saved, self.steps[0].at);
        assert_eq!(again.state().read_only, None);
        again.follow();
        again.advance(self.steps[self.steps.len() - 1].at).unwrap();
        again
    }

    /// The three ways through it, which leave the same books.
    fn told(&self) -> Engine {
        let [live, folder, rehearsed] = [self.live(), self.by_folder(), self.rehearsed()];
        let books = |e: &Engine| {
            let lines = e.state().account.entries().iter();
            lines
                .map(|l| format!("{} {} {:?}", l.at, l.memo, l.postings))
                .collect::<Vec<_>>()
        };
        assert_eq!(books(&live), books(&folder), "live and from the folder");
        assert_eq!(books(&live), books(&rehearsed), "live and rehearsed");
        live
    }
}

fn cash(engine: &Engine) -> Money {
    engine.state().account.balance(Book::Cash)
}

/// An index closes at 5,000 and opens at 4,930: a 5,000 put that settles on the opening print, bought for
/// 31.00, pays 70.00. The print comes five seconds after the opening, and is named with its moment.
#[test]
fn an_index_settles_on_the_first_print_of_its_day() {
    let index = Underlying {
        opening_root: Some("INDX".into()),
        weekly_root: Some("INDXW".into()),
        ..like("INDX", "WXMR")
    };
    let put = option("INDX", SECOND, Kind::Put, "5000");
    let bought = Instrument::Option(put.clone());
    let story = Story {
        underlying: index,
        events: Vec::new(),
        told: Told::default(),
        deposit: 10_000,
        steps: vec![
            seen(at(FIRST, "10:00"), "5010")
                .quoting(&put, "28.00", "30.00")
                .sending(&bought, 1),
            seen(at(FIRST, "10:01"), "5009").quoting(&put, "29.00", "31.00"),
            seen(at(FIRST, "15:59"), "5000").quoting(&put, "33.00", "35.00"),
            seen(at(SECOND, "09:30:05"), "4930"),
            seen(at(SECOND, "10:00"), "4941"),
        ],
    };
    let engine = story.told();
    assert_eq!(cash(&engine), Money::whole(10_000 - 3_100 + 7_000));
    let account = &engine.state().account;
    let last = account.entries().last().unwrap();
    assert_eq!(last.at, at(SECOND, "09:30:05"), "it waits for the print");
    assert!(
        last.memo
            .ends_with("INDX at 4930.00, printed 14 Mar 09:30:05"),
        "{}",
        last.memo
    );
}

/// The bar of a day comes after what was settled by its quotes, and says otherwise: the index opened at 4,925 and
/// not at 4,930, so the put of 5,000 that a campaign sold owes another 500.00, once. The same again after a
/// restart; a bar that says the same as the quotes changes nothing.
#[test]
fn a_settlement_is_corrected_by_the_bar_of_its_day() {
    let index = Underlying {
        opening_root: Some("INDX".into()),
        weekly_root: Some("INDXW".into()),
        ..like("INDX", "WXMR")
    };
    let put = option("INDX", SECOND, Kind::Put, "5000");
    let story = Story {
        underlying: index,
        events: Vec::new(),
        told: Told::default(),
        deposit: 200_000,
        steps: vec![
            seen(at(FIRST, "10:00"), "5010")
                .quoting(&put, "28.00", "30.00")
                .sending(&Instrument::Option(put.clone()), -1),
            seen(at(FIRST, "10:01"), "5009").quoting(&put, "29.00", "31.00"),
            seen(at(SECOND, "09:30:05"), "4930"),
            seen(at(SECOND, "10:00"), "4941"),
        ],
    };
    let bar = |open| Bar {
        date: SECOND,
        open: price(open),
        high: price("4960"),
        low: price("4920"),
        close: price("4941"),
        volume: 0,
    };
    let settled = Money::whole(200_000 + 2_900 - 7_000);
    for (open, owed) in [("4930", 0), ("4925", 500)] {
        let (world, tape) = story.market(Vec::new(), 1);
        let mut engine = story.engine(&world);
        engine.follow();
        story.send(&mut engine, &story.steps[0]);
        for step in &story.steps[1..] {
            world
                .recordings()
                .next()
                .unwrap()
                .take(step.at, step.sight());
            engine.advance(step.at).unwrap();
        }
        assert_eq!(cash(&engine), settled);
        tape.set_bars(vec![bar(open)]);
        for time in ["17:00", "18:00"] {
            let now = at(SECOND, time);
            world
                .recordings()
                .next()
                .unwrap()
                .take(now, seen(now, "4941").sight());
            engine.advance(now).unwrap();
            assert_eq!(cash(&engine), settled - Money::whole(owed), "{open} {time}");
        }
        let account = &engine.state().account;
        let last = account.entries().last().unwrap();
        if owed > 0 {
            assert_eq!(last.kind, EntryKind::Correction);
            assert_eq!(
                last.memo,
                "INDX 5000 put was settled at 5.00 too little: the day's bar says INDX at 4925.00, printed 14 Mar \
                 09:30:00"
            );
            let campaign = account.campaigns().next().unwrap();
            assert_eq!(campaign.totals.realised, Money::whole(2_900 - 7_500));
        }
        let mut saved = Saved::default();
        keep(&mut saved, engine.take_facts());
        let mut again = Engine::restore(Arc::clone(&world), saved, story.steps[0].at);
        assert_eq!(again.state().read_only, None);
        again.follow();
        again.advance(at(SECOND, "18:00")).unwrap();
        assert_eq!(cash(&again), settled - Money::whole(owed));
    }
}

/// A future bought at 68.41 closes at 69.00, and at 67.50 on its last session: 590.00 are paid, 1,500.00
/// are owed, and nothing is held any more.
#[test]
fn a_future_is_settled_every_day_and_ends_on_its_last() {
    let future = Underlying {
        last_session: Some(SECOND),
        ..like("FUTR", "BYQJ1")
    };
    let own = Instrument::Underlying("FUTR".into());
    let story = Story {
        underlying: future,
        events: Vec::new(),
        told: Told::default(),
        deposit: 10_000,
        steps: vec![
            seen(at(FIRST, "10:00"), "68.20").sending(&own, 1),
            seen(at(FIRST, "10:01"), "68.40"),
            seen(at(FIRST, "15:59"), "69.00"),
            seen(at(SECOND, "10:00"), "68.10"),
            seen(at(SECOND, "15:59:30"), "67.50"),
            seen(at(SECOND, "16:05"), "67.45"),
        ],
    };
    let engine = story.told();
    assert_eq!(cash(&engine), Money::whole(10_000 + 590 - 1_500));
    assert!(engine.state().account.lots().is_empty());
}

/// Options on a future that are exercised at a close take part in that close's settlement: two 68 calls
/// become futures at 68.00, and the close of 69.00 pays 2,000.00 at once.
#[test]
fn what_is_delivered_at_a_close_is_settled_at_that_close() {
    let future = Underlying {
        last_session: Some(date(2031, 3, 31)),
        ..like("FUTR", "BYQJ1")
    };
    let call = option("FUTR", FIRST, Kind::Call, "68");
    let put = option("FUTR", FIRST, Kind::Put, "68");
    let bought = Instrument::Option(call.clone());
    let step = |time, spot, bid, ask| {
        seen(at(FIRST, time), spot)
            .quoting(&call, bid, ask)
            .quoting(&put, "0.20", "0.24")
    };
    let story = Story {
        underlying: future,
        events: Vec::new(),
        told: Told::default(),
        deposit: 20_000,
        steps: vec![
            step("10:00", "68.30", "0.48", "0.52").sending(&bought, 2),
            step("10:01", "68.30", "0.48", "0.52"),
            step("15:59", "69.00", "0.98", "1.04"),
            seen(at(FIRST, "16:05"), "69.00"),
        ],
    };
    let engine = story.told();
    assert_eq!(cash(&engine), Money::whole(20_000 - 1_040 + 2_000));
    let account = &engine.state().account;
    let stands = account.standing(1).unwrap();
    assert_eq!(stands.held.underlying_quantity(), 2);
    // They count from the close: 2 × 69.00 × 1,000.
    assert_eq!(stands.futures, Money::whole(138_000));
    assert_eq!(stands.profit(Money::whole(138_000)), Money::whole(960));
}

/// Ten calls deep in the money are sold on a thousand shares the day before 4.00 are paid: those that are
/// assigned that night deliver at 90, the shares that stay are paid the dividend.
#[test]
fn sold_calls_are_assigned_before_an_ex_date() {
    let call = option("SHRS", date(2031, 3, 28), Kind::Call, "90");
    let put = Contract {
        kind: Kind::Put,
        ..call.clone()
    };
    let (shares, sold) = (
        Instrument::Underlying("SHRS".into()),
        Instrument::Option(call.clone()),
    );
    let step = |day, time, spot, bid, ask| {
        seen(at(day, time), spot)
            .quoting(&call, bid, ask)
            .quoting(&put, "0.05", "0.08")
    };
    let story = Story {
        underlying: Underlying {
            own_tick: price("0.01"),
            ..like("SHRS", "NMOU")
        },
        events: vec![Announced {
            date: SECOND,
            kind: AnnouncedKind::ExDividend,
            what: String::new(),
            cash: Some(price("4")),
            known: open_of(SECOND),
            told: Some(at(FIRST, "09:00")),
        }],
        told: Told::default(),
        deposit: 200_000,
        steps: vec![
            step(FIRST, "10:00", "100.00", "9.90", "10.10")
                .sending(&shares, 1_000)
                .sending(&sold, -10),
            step(FIRST, "10:01", "100.00", "10.00", "10.20"),
            step(FIRST, "15:59", "100.00", "10.00", "10.20"),
            step(SECOND, "09:30:02", "96.00", "6.10", "6.30"),
            step(SECOND, "10:00", "96.20", "6.30", "6.50"),
        ],
    };
    let engine = story.told();
    let account = &engine.state().account;
    let left: i64 = account
        .lots()
        .iter()
        .filter(|l| l.instrument == shares)
        .map(|l| l.quantity)
        .sum();
    let assigned = (1_000 - left) / 100;
    assert!((5..=10).contains(&assigned), "{assigned} of 10");
    let paid = -1_000 * 10_001 + 10 * 100_000 + assigned * 900_000 + left * 400;
    assert_eq!(cash(&engine), Money::from_raw((20_000_000 + paid) * 100));
}

/// After a merger contracts deliver 150 shares and 12.50 in cash: their unit is 1.5 shares and 0.125. A 50 call
/// bought and a 55 call sold on it end in the money: what the one delivers the other takes, and 5.00 a unit stay.
/// The unit itself is listed nowhere, so nobody can buy it.
#[test]
fn an_adjusted_spread_delivers_against_itself() {
    let [low, high] = ["50", "55"].map(|k| option("ADJS", SECOND, Kind::Call, k));
    let step = |day, time, spot, of_low: [&'static str; 2], of_high: [&'static str; 2]| {
        seen(at(day, time), spot)
            .quoting(&low, of_low[0], of_low[1])
            .quoting(&high, of_high[0], of_high[1])
    };
    let story = Story {
        underlying: Underlying {
            own_tick: price("0.001"),
            ..like("ADJS", "NMOU")
        },
        events: Vec::new(),
        told: Told {
            adjusted: true,
            ..Told::default()
        },
        deposit: 20_000,
        steps: vec![
            step(
                FIRST,
                "10:00",
                "60.125",
                ["10.10", "10.30"],
                ["5.15", "5.35"],
            )
            .sending(&low.clone().into(), 1)
            .sending(&high.clone().into(), -1),
            step(
                FIRST,
                "10:01",
                "60.200",
                ["10.20", "10.40"],
                ["5.20", "5.40"],
            ),
            step(
                SECOND,
                "15:59",
                "61.250",
                ["11.20", "11.40"],
                ["6.20", "6.40"],
            ),
            seen(at(SECOND, "16:05"), "61.250"),
        ],
    };
    let mut engine = story.told();
    let account = &engine.state().account;
    // What one campaign was delivered the other delivered.
    let units: Vec<i64> = account.lots().iter().map(|l| l.quantity).collect();
    assert_eq!(units, [100, -100]);
    // 10.40 is paid, 5.20 received; 50.00 is paid for what is delivered, 55.00 received.
    assert_eq!(
        cash(&engine),
        Money::whole(20_000 - 1_040 + 520 - 5_000 + 5_500)
    );
    let unit = Instrument::Underlying("ADJS".into());
    let one = Holding::new([Leg {
        instrument: unit,
        quantity: 1,
    }]);
    let refused = engine.place(Request {
        client_id: "unit".into(),
        symbol: "ADJS".into(),
        unit: Package::of(&one).unwrap().0,
        quantity: 100,
        pricing: Pricing::Market,
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::Day,
        purpose: Purpose::Open,
        closing: Vec::new(),
    });
    let why = refused.unwrap_err().to_string();
    assert!(why.contains("not listed by itself"), "{why}");
}

/// Quotes of the very moment at which the clock stands come late, and an order fills by them: a rule about the
/// price is held against what has come and not against what was seen of that moment before.
#[test]
fn a_rule_is_held_against_quotes_of_the_same_moment_that_come_late() {
    use desk::rules::{Condition, Measure, Rule, Scope, Side};
    let shares = Instrument::Underlying("SHRS".into());
    let story = Story {
        underlying: Underlying {
            own_tick: price("0.01"),
            ..like("SHRS", "NMOU")
        },
        events: Vec::new(),
        told: Told::default(),
        deposit: 60_000,
        steps: vec![
            seen(at(FIRST, "10:00"), "100.00").sending(&shares, 100),
            seen(at(FIRST, "10:01"), "100.00").sending(&shares, 100),
            seen(at(FIRST, "10:02"), "100.10"),
        ],
    };
    let (world, _) = story.market(Vec::new(), 1);
    let mut engine = story.engine(&world);
    engine.follow();
    let recorded = world.recordings().next().unwrap();
    story.send(&mut engine, &story.steps[0]);
    recorded.take(story.steps[1].at, story.steps[1].sight());
    engine.advance(story.steps[1].at).unwrap();
    let rule = Rule {
        id: 0,
        scope: Scope::Symbol("SHRS".into()),
        condition: Condition {
            measure: Measure::Price,
            side: Side::Above,
            limit: Decimal::whole(102),
        },
        again: None,
        on: true,
    };
    engine.set_rule(None, rule).unwrap();
    story.send(&mut engine, &story.steps[1]);
    let far = Request {
        client_id: "late".into(),
        symbol: "SHRS".into(),
        unit: Package::of(&Holding::new([Leg {
            instrument: shares,
            quantity: -1,
        }]))
        .unwrap()
        .0,
        quantity: 50,
        pricing: Pricing::Limit(price("-103")),
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::Day,
        purpose: Purpose::Open,
        closing: Vec::new(),
    };
    engine.place(far).unwrap();
    recorded.take(story.steps[2].at, story.steps[2].sight());
    engine.advance(story.steps[2].at).unwrap();
    // The rule looks at this moment when it is set again, with the price of 100.10.
    let kept = engine.state().my_rules[0].clone();
    engine.set_rule(Some(kept.id), kept).unwrap();
    assert!(engine.state().standing.is_empty());
    recorded.take(
        at(FIRST, "10:02"),
        seen(at(FIRST, "10:02"), "103.50").sight(),
    );
    engine.look_again(&["SHRS".to_owned()]).unwrap();
    let filled = engine.state().orders.last().unwrap().fills().count();
    // It is found of each of the three campaigns that hold shares or sold them.
    assert_eq!((filled, engine.state().standing.len()), (1, 3));
}

/// An order that is sent while nothing comes is filled by what comes after it: 84.87 was seen a while ago,
/// 90.00 is what it pays, one tick more for its ask.
#[test]
fn an_order_is_filled_against_what_comes_after_it() {
    let shares = Instrument::Underlying("SHRS".into());
    let mut underlying = like("SHRS", "NMOU");
    underlying.own_tick = price("0.01");
    let story = Story {
        underlying,
        events: Vec::new(),
        told: Told::default(),
        deposit: 20_000,
        steps: vec![
            seen(at(FIRST, "10:00"), "84.87").sending(&shares, 100),
            seen(at(FIRST, "10:01:10"), "88.00"),
            seen(at(FIRST, "10:02"), "88.10"),
        ],
    };
    let engine = story.told();
    let state = engine.state();
    let fill = state.order(1).unwrap().fills().next().unwrap().clone();
    assert_eq!(
        (fill.at, fill.price),
        (at(FIRST, "10:01:10"), price("88.01"))
    );
}

/// A price ten times too high for two seconds is held against the one before and against its options: it
/// is told, fills nothing, and nothing is valued at it.
#[test]
fn a_price_that_cannot_be_right_fills_nothing() {
    let call = option("SHRS", date(2031, 3, 28), Kind::Call, "85");
    let put = Contract {
        kind: Kind::Put,
        ..call.clone()
    };
    let shares = Instrument::Underlying("SHRS".into());
    let step = |time, spot| {
        seen(at(FIRST, time), spot)
            .quoting(&call, "1.80", "1.90")
            .quoting(&put, "1.95", "2.05")
    };
    let mut underlying = like("SHRS", "NMOU");
    underlying.own_tick = price("0.01");
    let story = Story {
        underlying,
        events: Vec::new(),
        told: Told::default(),
        deposit: 20_000,
        steps: vec![
            step("10:00:00", "84.67").sending(&shares, 10),
            step("10:00:01", "846.70"),
            step("10:00:02", "846.70"),
            step("10:00:03", "84.70"),
        ],
    };
    let engine = story.told();
    let state = engine.state();
    let fill = state.order(1).unwrap().fills().next().unwrap().clone();
    assert_eq!(
        (fill.at, fill.price),
        (at(FIRST, "10:00:03"), price("84.71"))
    );
    let (wrong, world) = (at(FIRST, "10:00:02"), &state.world);
    assert_eq!(world.spot("SHRS", wrong), Some(price("84.67")));
    assert_eq!(
        world.doubted("SHRS", wrong),
        Some((price("846.70"), price("84.67")))
    );
    assert_eq!(world.doubted("SHRS", at(FIRST, "10:00:03")), None);
}

/// A dividend is priced from the moment on that it is announced, and paid at its ex-date's opening.
#[test]
fn a_dividend_is_known_from_its_announcement_on() {
    let story = Story {
        underlying: like("SHRS", "NMOU"),
        events: vec![Announced {
            date: SECOND,
            kind: AnnouncedKind::ExDividend,
            what: String::new(),
            cash: Some(price("0.50")),
            known: open_of(SECOND),
            told: Some(at(FIRST, "12:00")),
        }],
        told: Told::default(),
        deposit: 1,
        steps: vec![seen(at(FIRST, "10:00"), "50")],
    };
    let (world, _) = story.market(Vec::new(), 1);
    let until = close_of(date(2031, 4, 18));
    let paid = |time| {
        let at = at(FIRST, time);
        let carry = world.carry("SHRS", at).unwrap();
        carry.dividends(at, until).count()
    };
    assert_eq!((paid("11:59"), paid("12:00")), (0, 1));
    assert_eq!(world.dividends("SHRS", at(FIRST, "13:00"), 30).len(), 1);
}

/// A session for which no file tells a bar is as its moments show it; the day before it is what the
/// change of the day counts from.
#[test]
fn sessions_without_a_bar_come_from_their_moments() {
    let story = Story {
        underlying: like("SHRS", "NMOU"),
        events: Vec::new(),
        told: Told::default(),
        deposit: 1,
        steps: vec![
            seen(at(FIRST, "10:00"), "50"),
            seen(at(FIRST, "11:00"), "53"),
            seen(at(FIRST, "15:59"), "52"),
            seen(at(SECOND, "10:00"), "51"),
        ],
    };
    let told = Bar {
        date: date(2031, 3, 12),
        open: price("48"),
        high: price("49"),
        low: price("47"),
        close: price("49"),
        volume: 7,
    };
    let (world, _) = story.market(vec![told], 4);
    let now = at(SECOND, "10:30");
    assert_eq!(world.previous_close("SHRS", now), Some(price("52")));
    assert_eq!(world.closes("SHRS", now, 5), Some(vec![49.0, 52.0]));
    let bars = world.bars("SHRS", date(2031, 3, 12), now);
    let seen = Bar {
        date: FIRST,
        open: price("50"),
        high: price("53"),
        low: price("50"),
        close: price("52"),
        volume: 0,
    };
    assert_eq!(bars[..2], [told, seen]);
    assert_eq!((bars.len(), bars[2].close), (3, price("51")));
    // Before the opening of a day nothing of it is known.
    assert_eq!(
        world.spot("SHRS", open_of(SECOND)),
        Some(price("52")),
        "the price of the day before"
    );
}

/// A future and a call sold on it, opened as one package at what its legs were filled at: page, rules,
/// rounds and the road not taken all count the future from the price it was bought at.
#[test]
fn a_future_held_is_worth_its_price_less_what_it_counts_from_everywhere() {
    let future = Underlying {
        last_session: Some(date(2031, 3, 31)),
        ..like("FUTR", "BYQJ1")
    };
    let own = Instrument::Underlying("FUTR".into());
    let call = option("FUTR", SECOND, Kind::Call, "72");
    let put = Contract {
        kind: Kind::Put,
        ..call.clone()
    };
    let step = |day, time, spot, bid, ask| {
        seen(at(day, time), spot)
            .quoting(&call, bid, ask)
            .quoting(&put, "4.60", "4.90")
    };
    let story = Story {
        underlying: future,
        events: Vec::new(),
        told: Told::default(),
        deposit: 30_000,
        steps: vec![
            step(FIRST, "10:00", "68.40", "1.20", "1.30"),
            step(FIRST, "10:01", "68.40", "1.20", "1.30"),
            step(FIRST, "10:02", "68.60", "1.25", "1.35"),
            step(FIRST, "10:03", "68.60", "1.25", "1.35"),
            step(FIRST, "15:59", "69.20", "1.00", "1.10"),
            step(SECOND, "10:00", "69.10", "0.40", "0.50"),
            seen(at(SECOND, "15:59"), "69.00"),
            seen(at(SECOND, "16:05"), "69.00"),
        ],
    };
    let (world, _) = story.market(Vec::new(), story.steps.len());
    let mut engine = story.engine(&world);
    let unit = Holding::new([
        Leg {
            instrument: own,
            quantity: 1,
        },
        Leg::option(call, -1),
    ]);
    let order = |unit: &Holding, purpose| Request {
        client_id: format!("{purpose:?}"),
        symbol: "FUTR".into(),
        unit: Package::of(unit).unwrap().0,
        quantity: 1,
        pricing: Pricing::Market,
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::Day,
        purpose,
        closing: Vec::new(),
    };
    engine.place(order(&unit, Purpose::Open)).unwrap();
    engine.advance(at(FIRST, "10:01")).unwrap();
    let state = engine.state();
    let fill = state.order(1).unwrap().fills().next().unwrap().clone();
    let paid = |i: usize| fill.legs[i].price.to_f64();
    // Options come first among the legs.
    let (sold, bought) = (paid(0), paid(1));
    let most = Money::from_raw(((72.0 - bought + sold) * 1e7).round() as i64);
    let least = Money::from_raw(((sold - bought) * 1e7).round() as i64);

    let stands = state.account.standing(1).unwrap();
    assert_eq!(stands.received().money(), least);
    let mut quoter = Quoter::new();
    let page = engine::money::evaluate(state, &mut quoter, "FUTR", &stands.proposal()).unwrap();
    let extents = (
        page.horizon.shape.most.limited(),
        page.horizon.shape.least.limited(),
    );
    assert_eq!(extents, (Some(most), Some(least)));
    let mut sights = engine::sight::Sights::default();
    let needs = desk::rules::Needs::ALL;
    let book = engine::seen::book_seen(state, &mut quoter, &mut sights, needs, None);
    let rules = &book.campaigns[0];
    assert_eq!(
        (rules.max_profit, rules.max_loss),
        (Some(most), Some(least)),
        "what rules look at"
    );
    // The future at the middle of its market, the call at the middle of its own.
    let now = Money::from_raw(((68.40 - bought + sold - 1.25) * 1e7).round() as i64);
    assert_eq!(rules.profit, Some(now));

    // Closed again; held to its end it would have made what the last print says.
    let closing = order(&unit.reversed(), Purpose::Close(1));
    engine.advance(at(FIRST, "10:02")).unwrap();
    engine.place(closing).unwrap();
    engine.advance(at(SECOND, "16:05")).unwrap();
    let state = engine.state();
    assert!(state.account.lots().is_empty());
    let (_, roads) = studies::lessons::roads(state, None);
    let held = Money::from_raw(((69.0 - bought + sold) * 1e7).round() as i64);
    assert_eq!(roads[0].roads[0].map(|r| r.profit), Some(held));
}

/// A market order to sell a call that nobody bids for waits; it is not given away for nothing.
#[test]
fn nothing_is_sold_where_nobody_bids() {
    let call = option("SHRS", date(2031, 3, 28), Kind::Call, "70");
    let put = Contract {
        kind: Kind::Put,
        ..call.clone()
    };
    let held = Instrument::Option(call.clone());
    let step = |time, bid, ask| {
        seen(at(FIRST, time), "50")
            .quoting(&call, bid, ask)
            .quoting(&put, "19.90", "20.10")
    };
    let mut story = Story {
        underlying: like("SHRS", "NMOU"),
        events: Vec::new(),
        told: Told::default(),
        deposit: 10_000,
        steps: vec![
            step("10:00", "0.10", "0.15").sending(&held, 3),
            step("10:01", "0.10", "0.15"),
            step("10:02", "0.00", "0.05"),
            step("10:03", "0.00", "0.05"),
            step("10:04", "0.05", "0.10"),
        ],
    };
    let sell = Request {
        client_id: "sell".into(),
        symbol: "SHRS".into(),
        unit: Package::of(&Holding::new([Leg::option(call.clone(), -1)]))
            .unwrap()
            .0,
        quantity: 3,
        pricing: Pricing::Market,
        // At the market as soon as its middle has come down to 0.04 for the one who sells.
        trigger: Some(Trigger {
            side: TriggerSide::Mark,
            level: Level::At(price("-0.04")),
        }),
        link: Link::default(),
        time_in_force: TimeInForce::GoodTillCancelled,
        purpose: Purpose::Close(1),
        closing: Vec::new(),
    };
    let (world, _) = story.market(Vec::new(), story.steps.len());
    let mut engine = story.engine(&world);
    let first = story.steps.remove(0);
    story.send(&mut engine, &first);
    engine.advance(at(FIRST, "10:01")).unwrap();
    engine.place(sell).unwrap();
    engine.advance(at(FIRST, "10:03:30")).unwrap();
    let order = engine.state().order(2).unwrap();
    assert_eq!(order.fills().count(), 0, "{:?}", order.events);
    assert!(
        order
            .events
            .iter()
            .any(|(_, e)| matches!(e, order::Event::Triggered(_))),
        "its trigger watches on"
    );
    engine.advance(at(FIRST, "10:05")).unwrap();
    let order = engine.state().order(2).unwrap();
    assert_eq!(
        order.fills().map(|f| f.price).collect::<Vec<_>>(),
        [price("-0.05")]
    );
}

/// Two sold against one bought need two contracts bid for: one is not enough for a package.
#[test]
fn a_package_fills_only_where_every_leg_is_displayed_for_it() {
    let near = option("SHRS", date(2031, 3, 28), Kind::Call, "50");
    let far = option("SHRS", date(2031, 3, 28), Kind::Call, "55");
    let puts = [&near, &far].map(|c| Contract {
        kind: Kind::Put,
        ..c.clone()
    });
    let step = |time, size| Step {
        size: Some(size),
        ..seen(at(FIRST, time), "50")
            .quoting(&near, "1.50", "1.54")
            .quoting(&far, "0.40", "0.44")
            .quoting(&puts[0], "1.45", "1.49")
            .quoting(&puts[1], "5.30", "5.40")
    };
    let story = Story {
        underlying: like("SHRS", "NMOU"),
        events: Vec::new(),
        told: Told::default(),
        deposit: 50_000,
        steps: vec![
            step("10:00", 1),
            step("10:01", 1),
            step("10:02", 1),
            step("10:03", 2),
        ],
    };
    let (world, _) = story.market(Vec::new(), 4);
    let mut engine = story.engine(&world);
    let unit = Holding::new([Leg::option(near, 1), Leg::option(far, -2)]);
    let ratio = Request {
        client_id: "ratio".into(),
        symbol: "SHRS".into(),
        unit: Package::of(&unit).unwrap().0,
        quantity: 1,
        pricing: Pricing::Limit(price("0.90")),
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::Day,
        purpose: Purpose::Open,
        closing: Vec::new(),
    };
    engine.place(ratio).unwrap();
    engine.advance(at(FIRST, "10:02:59")).unwrap();
    assert_eq!(engine.state().order(1).unwrap().fills().count(), 0);
    engine.advance(at(FIRST, "10:03")).unwrap();
    assert_eq!(engine.state().order(1).unwrap().fills().count(), 1);
}

/// Executions come in any order: a sale at ten closes nothing that was bought at noon, and the chapters of
/// a campaign stand in the order of time.
#[test]
fn an_import_closes_only_what_was_there() {
    let call = option("SHRS", date(2031, 3, 28), Kind::Call, "50");
    let put = Contract {
        kind: Kind::Put,
        ..call.clone()
    };
    let held = Instrument::Option(call.clone());
    let step = |time| {
        seen(at(FIRST, time), "50")
            .quoting(&call, "1.50", "1.60")
            .quoting(&put, "1.45", "1.55")
    };
    let story = Story {
        underlying: like("SHRS", "NMOU"),
        events: Vec::new(),
        told: Told::default(),
        deposit: 50_000,
        steps: vec![
            step("09:45"),
            step("12:00").sending(&held, 1),
            step("12:01"),
            step("13:00"),
        ],
    };
    let mut engine = story.rehearsed();
    let executed = |name: &str, time, quantity, paid| Execution {
        name: name.into(),
        at: at(FIRST, time),
        symbol: "SHRS".into(),
        legs: vec![FillLeg {
            instrument: held.clone(),
            quantity,
            price: price(paid),
            terms: None,
        }],
        fees: Money::ZERO,
    };
    // Sold at ten, bought back at eleven; the rows come the other way round.
    let file = [
        executed("back", "11:00", 1, "1.20"),
        executed("sold", "10:00", -1, "1.50"),
    ];
    assert_eq!(engine.import_history(&file).unwrap(), Ok(2));
    let account = &engine.state().account;
    assert_eq!(
        account.held(&held),
        1,
        "what was bought at noon is held still"
    );
    let made: Vec<(usize, Money)> = account
        .campaigns()
        .map(|c| (c.chapters.len(), c.totals.realised))
        .collect();
    assert_eq!(made, [(1, Money::ZERO), (2, Money::whole(30))]);
    for campaign in account.campaigns() {
        let moments: Vec<Moment> = campaign.chapters.iter().map(|c| c.at).collect();
        assert!(moments.is_sorted(), "{moments:?}");
    }
    assert_eq!(account.violations(), Vec::<String>::new());
}
