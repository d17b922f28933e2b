//! From a ticket to a closed trade through the API, and the books after any sequence of commands.

use crate::common::*;
use axum::http::StatusCode;
use desk::{
    Contract, Instrument, Leg, Level, Moment, Money, Package, Price, Pricing, Purpose, Request,
    TimeInForce, Trigger, TriggerSide,
};
use market::Step;
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use serde_json::{Value, json};
use server::{Desk, Engine, Failure, Refusal, Settings, Tie};

#[tokio::test]
async fn opened_at_the_cross_halved_and_closed_gives_everything_back_but_the_result() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let begin = p.get("/api/account").await;
    assert_eq!(
        (
            &begin["accountValue"],
            &begin["buyingPower"],
            &begin["held"]
        ),
        (&json!("60000.00"), &json!("60000.00"), &json!("0.00"))
    );

    // What the ticket says will happen to buying power is what happens: asked of the same program
    // untouched.
    let four = times(&legs, 4);
    let (status, order) = p.post("/api/orders", &at_market("open", &legs, 4)).await;
    assert_eq!(
        (status, order["state"].as_str()),
        (StatusCode::CREATED, Some("filled"))
    );
    let paid_in = order["fillPrice"]["value"].as_str().unwrap().to_owned();
    let untouched = Place::new();
    let preview = untouched.program().evaluate(&four, Some(&paid_in)).await;
    assert_eq!(
        (preview["name"].as_str(), preview["packages"].as_i64()),
        (Some("bear call vertical"), Some(4))
    );
    let opened = p.get("/api/account").await;
    assert_eq!(opened["buyingPower"], preview["money"]["buyingPowerAfter"]);
    assert_eq!(opened["held"], preview["money"]["requirementAlone"]);

    let book = p.get("/api/book").await;
    let position = &book["positions"][0];
    assert_eq!(
        (
            position["campaign"].as_i64(),
            position["packages"].as_i64(),
            position["days"].as_i64()
        ),
        (Some(1), Some(4), Some(38))
    );
    assert_eq!(
        position["closing"],
        turned(&legs),
        "what is held, turned over"
    );
    assert!(
        position["greeks"]["theta"].as_f64() > Some(0.0)
            && position["strip"]["zones"].as_array().unwrap().len() == 2
    );

    // More than is held, or the wrong way round, is refused; half and the rest are taken.
    let closing = |id: &str, quantity: i64, legs: &Value, limit: &str| {
        let mut t = ticket(id, legs, quantity, limit);
        t["closes"] = json!(1);
        t
    };
    let back = turned(&legs);
    let out = p.evaluate(&back, None).await["cross"]["value"]
        .as_str()
        .unwrap()
        .to_owned();
    let (status, answer) = p
        .post("/api/orders", &closing("five", 5, &back, &out))
        .await;
    assert_eq!(
        (status.as_u16(), answer["code"].as_str()),
        (422, Some("more_than_held")),
        "{answer}"
    );
    assert!(
        answer["message"]
            .as_str()
            .unwrap()
            .contains("closing 5 but the campaign holds 4"),
        "{answer}"
    );
    assert_eq!(
        p.post("/api/orders", &closing("wrong", 1, &legs, &paid_in))
            .await
            .1["code"],
        "more_than_held"
    );
    // A resting close keeps its contracts: what it may close cannot be closed twice.
    let far = p.evaluate(&back, None).await["rest"]["value"]
        .as_str()
        .unwrap()
        .to_owned();
    assert_eq!(
        p.post("/api/orders", &closing("resting", 3, &back, &far))
            .await
            .1["state"],
        "working"
    );
    let (_, twice) = p
        .post("/api/orders", &closing("too many", 2, &back, &out))
        .await;
    let words = "closing 2 but the campaign holds 1 that no order closes yet; cancel order 2 first";
    assert!(
        twice["code"] == "more_than_held" && twice["message"].as_str().unwrap().contains(words),
        "{twice}"
    );
    let (_, cancelled) = p.post("/api/orders/2/cancel", &json!({})).await;
    assert_eq!(cancelled["state"], "cancelled", "{cancelled}");
    // Of two that cancel each other one can fill: they keep the larger, not both.
    let pair = [
        closing("one", 2, &back, &far),
        closing("other", 1, &back, &far),
    ];
    let (status, pair) = p
        .post(
            "/api/orders/linked",
            &json!({ "tie": "oneCancelsOther", "orders": pair }),
        )
        .await;
    assert_eq!(
        (status, &pair[0]["cancels"]),
        (StatusCode::CREATED, &json!([4])),
        "{pair}"
    );
    assert_eq!(
        p.post("/api/orders", &closing("third", 3, &back, &far))
            .await
            .1["code"],
        "more_than_held"
    );
    assert_eq!(
        p.post("/api/orders", &closing("fifth", 2, &back, &far))
            .await
            .1["state"],
        "working"
    );
    for id in 3..=5 {
        assert_eq!(
            p.post(&format!("/api/orders/{id}/cancel"), &json!({}))
                .await
                .1["state"],
            "cancelled"
        );
    }
    let units_of = |text: &str| text.parse::<Price>().unwrap();
    let mut result = -units_of(&paid_in).times(400);
    for (id, held) in [("half", "2"), ("rest", "0")] {
        let mut order = closing(id, 2, &back, "0");
        order["limit"] = Value::Null;
        let (_, order) = p.post("/api/orders", &order).await;
        assert_eq!(order["state"], "filled", "{order}");
        result += -units_of(order["fillPrice"]["value"].as_str().unwrap()).times(200);
        let left = p.get("/api/book").await["positions"]
            .as_array()
            .unwrap()
            .first()
            .map_or_else(|| "0".into(), |x| x["packages"].to_string());
        assert_eq!(left, held);
    }

    // In 4 × credit, out 4 × debit, 16 contracts at 0.65 each way of two legs.
    let fees = Money::from_raw(6_500 * 16);
    let ledger = p.get("/api/ledger").await;
    assert_eq!(units(&ledger["realised"]), result.raw());
    assert_eq!(units(&ledger["fees"]), fees.raw());
    assert_eq!(
        (&ledger["sum"], &ledger["violations"], &ledger["positions"]),
        (&ledger["cash"], &json!([]), &json!("0.00"))
    );
    let amounts: i64 = ledger["lines"]
        .as_array()
        .unwrap()
        .iter()
        .map(|l| units(&l["amount"]) - units(&l["fees"]))
        .sum();
    assert_eq!(
        amounts,
        units(&ledger["cash"]),
        "the lines add up to the cash"
    );
    let end = p.get("/api/account").await;
    assert_eq!(
        (units(&end["buyingPower"]), &end["held"]),
        ((Money::whole(60_000) + result - fees).raw(), &json!("0.00"))
    );
}

#[tokio::test]
async fn a_resting_order_keeps_its_buying_power_is_eased_and_fills() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let market = p.evaluate(&legs, None).await;
    let (status, order) = p
        .post(
            "/api/orders",
            &ticket("wait", &legs, 10, market["rest"]["value"].as_str().unwrap()),
        )
        .await;
    assert_eq!(
        (status, order["state"].as_str()),
        (StatusCode::CREATED, Some("working"))
    );
    let kept = units(&p.get("/api/account").await["buyingPower"]);
    assert!(
        kept < Money::whole(60_000).raw(),
        "a working order sets buying power aside"
    );
    let (_, eased) = p
        .post(
            "/api/orders/1/limit",
            &json!({ "limit": market["middle"]["value"] }),
        )
        .await;
    assert_eq!(
        (eased["state"].as_str(), &eased["limit"]),
        (Some("working"), &market["middle"])
    );
    // The clock is paused: time passes by steps, and a middle fills in a while.
    for _ in 0..5 {
        p.post("/api/clock", &json!({ "step": "hour" })).await;
    }
    let order = p.get("/api/orders").await[0].clone();
    assert_eq!(order["state"], "filled", "{order}");
    let (_, late) = p
        .post("/api/orders/1/limit", &json!({ "limit": "-0.10" }))
        .await;
    assert_eq!(
        (late["code"].as_str(), late["message"].as_str()),
        (
            Some("not_working"),
            Some("order 1 is filled and cannot be changed")
        )
    );
}

/// A ticket at the market: it fills whole on arrival, whatever size is displayed.
fn at_market(id: &str, legs: &Value, quantity: i64) -> Value {
    let mut t = ticket(id, legs, quantity, "0");
    t["limit"] = Value::Null;
    t
}

/// One thing a trader, or time, may do.
#[derive(Debug, Clone)]
enum Act {
    Place {
        strikes: (usize, usize),
        call: bool,
        quantity: i64,
        share: i64,
        day: bool,
    },
    Bracket {
        strikes: (usize, usize),
        quantity: i64,
        share: i64,
        off: i64,
    },
    Stop {
        trailing: bool,
        off: i64,
        once: bool,
    },
    Close {
        share: i64,
    },
    Shares {
        quantity: i64,
        call: Option<usize>,
        share: i64,
    },
    Roll {
        strikes: (usize, usize),
        call: bool,
    },
    Decline,
    Reprice {
        cents: i64,
    },
    Cancel,
    Draft(usize),
    Step(Step),
    Minutes(i64),
}

fn any_act() -> impl Strategy<Value = Act> {
    let steps = prop::sample::select(vec![
        Step::Minute,
        Step::Hour,
        Step::Open,
        Step::Close,
        Step::Expiration,
    ]);
    prop_oneof![
        4 => ((0..24_usize, 0..24_usize), any::<bool>(), 1..6_i64, -20..140_i64, any::<bool>())
            .prop_map(|(strikes, call, quantity, share, day)| Act::Place {
                strikes,
                call,
                quantity,
                share,
                day,
            }),
        2 => ((0..24_usize, 0..24_usize), 1..6_i64, 0..120_i64, 1..200_i64)
            .prop_map(|(strikes, quantity, share, off)| Act::Bracket {
                strikes,
                quantity,
                share,
                off,
            }),
        2 => (any::<bool>(), 1..150_i64, any::<bool>())
            .prop_map(|(trailing, off, once)| Act::Stop { trailing, off, once }),
        2 => (0..110_i64).prop_map(|share| Act::Close { share }),
        2 => (-150..250_i64, prop::option::of(0..24_usize), 0..120_i64)
            .prop_map(|(quantity, call, share)| Act::Shares { quantity, call, share }),
        1 => ((0..24_usize, 0..24_usize), any::<bool>())
            .prop_map(|(strikes, call)| Act::Roll { strikes, call }),
        1 => Just(Act::Decline),
        1 => (-300..300_i64).prop_map(|cents| Act::Reprice { cents }),
        1 => Just(Act::Cancel),
        1 => (0..3_usize).prop_map(Act::Draft),
        2 => steps.prop_map(Act::Step),
        2 => (1..400_i64).prop_map(Act::Minutes),
    ]
}

/// A vertical or a single option of the first monthly, by places in its list of strikes.
fn unit_of(desk: &Desk, (a, b): (usize, usize), call: bool) -> Package {
    let state = desk.state();
    let at = state.clock.now;
    let e = state
        .world
        .expirations("NMOU", at)
        .unwrap()
        .into_iter()
        .find(|e| at.days_until(e.date) > 5)
        .unwrap();
    let ks = market::strikes(&state.world, "NMOU", &e, at);
    let kind = if call {
        desk::Kind::Call
    } else {
        desk::Kind::Put
    };
    let leg = |i: usize, quantity| {
        Leg::option(
            market::contract(&state.world, "NMOU", &e, kind, ks[ks.len() / 2 + i - 12]).unwrap(),
            quantity,
        )
    };
    let second = (a != b).then(|| leg(b, 1));
    Package::new([leg(a, -1)].into_iter().chain(second)).unwrap()
}

fn package_market(desk: &Desk, unit: &Package) -> Option<desk::PackageQuote> {
    let state = desk.state();
    let mut quoter = market::Quoter::new();
    let quotes: Option<Vec<_>> = unit
        .legs()
        .iter()
        .map(|l| quoter.quote_any(&state.world, &l.instrument, state.clock.now))
        .collect();
    Some(desk::package_quote(
        unit,
        &quotes?,
        state.world.underlying("NMOU")?,
    ))
}

/// Takes the clock to where a plan leads, and keeps it.
fn advance(
    desk: &mut Desk,
    plan: impl FnOnce(&Engine) -> Result<Moment, Refusal>,
) -> Result<(), Failure> {
    desk.run(|e| {
        let to = plan(e)?;
        e.advance(to)?;
        e.note_clock();
        Ok(())
    })
}

fn act(desk: &mut Desk, number: usize, act: &Act) {
    let request = |desk: &Desk, unit: Package, quantity, share: i64, day, closes: Option<u64>| {
        let m = package_market(desk, &unit)?;
        let ticks = desk.state().world.underlying("NMOU")?.ticks_of(&unit);
        let limit = ticks.floor(m.rest + Price::from_raw((m.cross - m.rest).raw() * share / 100));
        let time_in_force = if day {
            TimeInForce::Day
        } else {
            TimeInForce::GoodTillCancelled
        };
        Some(Request {
            client_id: format!("n{number}"),
            symbol: "NMOU".into(),
            unit,
            quantity,
            pricing: Pricing::Limit(limit),
            trigger: None,
            link: desk::Link::default(),
            time_in_force,
            purpose: closes.map_or(Purpose::Open, Purpose::Close),
            closing: Vec::new(),
        })
    };
    let open = |desk: &Desk| {
        desk.state()
            .orders
            .iter()
            .rev()
            .find(|o| o.state().is_open())
            .map(|o| o.id)
    };
    // Refusals are fine: the law is about what is left afterwards.
    let _ = match *act {
        Act::Place {
            strikes,
            call,
            quantity,
            share,
            day,
        } => {
            let unit = unit_of(desk, strikes, call);
            request(desk, unit, quantity, share, day, None)
                .map(|r| desk.run(|e| e.place(r)).map(drop))
        }
        Act::Bracket {
            strikes,
            quantity,
            share,
            off,
        } => {
            let unit = unit_of(desk, strikes, false);
            let entry = request(desk, unit.clone(), quantity, share, false, None);
            entry.zip(package_market(desk, &unit)).map(|(entry, m)| {
                let off = Price::cents(off * 5);
                let closing = |name: &str, pricing, trigger| Request {
                    client_id: format!("n{number}{name}"),
                    unit: unit.reversed(),
                    pricing,
                    trigger,
                    ..entry.clone()
                };
                let stop = Trigger {
                    side: TriggerSide::Mark,
                    level: Level::At(-m.middle + off),
                };
                let exits = [
                    closing("target", Pricing::Limit(-m.middle - off), None),
                    closing("stop", Pricing::Market, Some(stop)),
                ];
                let all = [entry.clone()].into_iter().chain(exits).collect();
                desk.run(|e| e.place_linked(all, Tie::Bracket)).map(drop)
            })
        }
        Act::Stop {
            trailing,
            off,
            once,
        } => {
            let lot = desk.state().account.lots().last().cloned();
            lot.and_then(|lot| {
                let unit = Package::new([Leg {
                    instrument: lot.instrument,
                    quantity: -lot.quantity.signum(),
                }])
                .ok()?;
                let middle = package_market(desk, &unit)?.middle;
                let off = Price::cents(off * 5);
                let level = if trailing {
                    Level::Trailing(off)
                } else {
                    Level::At(middle + off)
                };
                let mut r = request(desk, unit, 1, 100, true, Some(lot.campaign))?;
                r.trigger = Some(Trigger {
                    side: TriggerSide::Mark,
                    level,
                });
                r.time_in_force = if once {
                    TimeInForce::ImmediateOrCancel
                } else {
                    TimeInForce::GoodTillCancelled
                };
                Some(desk.run(|e| e.place(r)).map(drop))
            })
        }
        Act::Close { share } => {
            let lot = desk.state().account.lots().first().cloned();
            lot.and_then(|lot| {
                let unit = Package::new([Leg {
                    instrument: lot.instrument,
                    quantity: -lot.quantity.signum(),
                }])
                .ok()?;
                request(desk, unit, 1, share, true, Some(lot.campaign))
                    .map(|r| desk.run(|e| e.place(r)).map(drop))
            })
        }
        // Shares alone, or with a call sold against each hundred or part of it.
        Act::Shares {
            quantity,
            call,
            share,
        } => {
            let own = |quantity| Leg {
                instrument: Instrument::Underlying("NMOU".into()),
                quantity,
            };
            let legs = match call {
                Some(place) => unit_of(desk, (place, place), true)
                    .legs()
                    .iter()
                    .cloned()
                    .chain([own(quantity.max(1))])
                    .collect(),
                None => vec![own(quantity.signum())],
            };
            let packages = if call.is_some() {
                1
            } else {
                quantity.abs().max(1)
            };
            let unit = Package::new(legs).ok();
            unit.and_then(|unit| request(desk, unit, packages, share, true, None))
                .map(|r| desk.run(|e| e.place(r)).map(drop))
        }
        Act::Roll { strikes, call } => {
            let lot = desk
                .state()
                .account
                .lots()
                .iter()
                .find(|l| l.instrument.option().is_some())
                .cloned();
            lot.and_then(|lot| {
                let back = Leg {
                    instrument: lot.instrument,
                    quantity: -lot.quantity.signum(),
                };
                let unit = Package::new(
                    unit_of(desk, strikes, call)
                        .legs()
                        .iter()
                        .cloned()
                        .chain([back]),
                )
                .ok()?;
                let mut r = request(desk, unit, 1, 100, true, None)?;
                r.purpose = Purpose::Roll(lot.campaign);
                Some(desk.run(|e| e.place(r)).map(drop))
            })
        }
        Act::Decline => {
            let held = desk.state().account.series().first().cloned();
            held.map(|c| {
                let declined = desk.state().declined.contains(&c);
                desk.run(|e| e.decline(c, !declined))
            })
        }
        Act::Reprice { cents } => {
            open(desk).map(|id| desk.run(|e| e.reprice(id, Price::cents(cents))).map(drop))
        }
        Act::Cancel => open(desk).map(|id| desk.run(|e| e.cancel(id)).map(drop)),
        Act::Draft(slot) => {
            let body = (!number.is_multiple_of(3)).then(|| format!("{{\"n\":{number}}}"));
            Some(desk.run(|e| e.keep_draft(["A", "B", "C"][slot].into(), body)))
        }
        Act::Step(step) => Some(advance(desk, |e| Ok(e.target(step)))),
        Act::Minutes(n) => {
            let to = desk.state().clock.now.plus_millis(n * 60_000);
            Some(advance(desk, |_| Ok(to)))
        }
    };
}

/// Everything the books hold, to compare before and after.
fn everything(desk: &Desk) -> String {
    let s = desk.state();
    format!(
        "{:?} {:?} {:?} {:?} {:?} {:?}",
        s.clock, s.orders, s.account, s.drafts, s.days, s.declined
    )
}

#[test]
fn after_any_sequence_the_books_add_up_and_a_restart_finds_them_as_they_were() {
    let mut runner = TestRunner::new(Config {
        cases: 24,
        failure_persistence: None,
        ..Config::default()
    });
    let ran = runner.run(&prop::collection::vec(any_act(), 4..30), |acts| {
        let place = Place::new();
        let mut desk = place.desk();
        for (i, a) in acts.iter().enumerate() {
            act(&mut desk, i, a);
            prop_assert_eq!(desk.state().account.violations(), Vec::<String>::new());
            for o in desk.state().orders.iter() {
                prop_assert!(
                    o.filled() <= o.wanted() && o.wanted() <= o.request.quantity,
                    "{:?}",
                    o
                );
            }
            let held: Vec<Contract> = desk.state().account.series();
            let now: Moment = desk.state().clock.now;
            prop_assert!(
                held.iter()
                    .all(|c| desk::calendar::close_of(c.expiry) > now),
                "an expired contract is still held at {now}"
            );
            if i % 7 == 3 {
                // Dropped without a word, as a killed program is.
                let before = everything(&desk);
                drop(desk);
                desk = place.desk();
                prop_assert_eq!(everything(&desk), before);
            }
        }
        let filled: Money = desk
            .state()
            .account
            .entries()
            .iter()
            .map(|e| e.amount(desk::Book::Cash))
            .sum();
        prop_assert_eq!(filled, desk.state().account.balance(desk::Book::Cash));
        Ok(())
    });
    if let Err(e) = ran {
        panic!("{e}");
    }
}

#[test]
fn stepping_far_skips_nothing_on_the_way() {
    let place = Place::new();
    let mut desk = place.desk();
    let unit = unit_of(&desk, (4, 4), false);
    let sold = unit.options().next().unwrap().0.clone();
    let expiry = sold.expiry;
    let cross = package_market(&desk, &unit).unwrap().cross;
    let ticks = desk.state().world.underlying("NMOU").unwrap().ticks.clone();
    let better = |cents| Pricing::Limit(ticks.floor(cross - Price::cents(cents)));
    let order = |id: &str, pricing, time_in_force| Request {
        client_id: id.into(),
        symbol: "NMOU".into(),
        unit: unit.clone(),
        quantity: 1,
        pricing,
        trigger: None,
        link: desk::Link::default(),
        time_in_force,
        purpose: Purpose::Open,
        closing: Vec::new(),
    };
    desk.run(|e| e.place(order("filled", better(0), TimeInForce::Day)))
        .unwrap();
    desk.run(|e| e.place(order("never today", better(2_000), TimeInForce::Day)))
        .unwrap();
    desk.run(|e| {
        e.place(order(
            "never",
            better(9_000),
            TimeInForce::GoodTillCancelled,
        ))
    })
    .unwrap();
    advance(&mut desk, |e| {
        Ok(desk::go_to(e.state().clock.now, "2031-04-21").unwrap())
    })
    .unwrap();
    let s = desk.state();
    let ends: Vec<(desk::OrderState, Moment)> = s
        .orders
        .iter()
        .map(|o| (o.state(), o.events.last().unwrap().0))
        .collect();
    assert_eq!(ends[0].0, desk::OrderState::Filled);
    assert_eq!(
        ends[1],
        (
            desk::OrderState::Expired,
            desk::calendar::close_of(market::DEMO_DAY)
        )
    );
    assert_eq!(
        ends[2],
        (desk::OrderState::Expired, desk::calendar::close_of(expiry))
    );
    let last = s.account.entries().last().unwrap();
    assert_eq!(last.at, desk::calendar::close_of(expiry));
    let print = s.world.spot("NMOU", last.at).unwrap();
    let lots: Vec<(String, i64, Price)> = s
        .account
        .lots()
        .iter()
        .map(|l| (l.instrument.to_string(), l.quantity, l.price()))
        .collect();
    if sold.strike - print >= Price::cents(1) {
        assert_eq!(
            (last.kind, last.amount(desk::Book::Cash)),
            (desk::EntryKind::Assignment, -sold.strike.times(100))
        );
        assert_eq!(lots, [("NMOU".to_owned(), 100, sold.strike)]);
    } else {
        assert_eq!(
            (last.kind, last.amount(desk::Book::Cash), lots),
            (desk::EntryKind::Settlement, Money::ZERO, Vec::new())
        );
    }
}

/// Two weeks of a bank's shares with a call sold against them, a call that its holder lets go, and
/// a future: what happens without an order is in the ledger, adds up, and is found again after a
/// restart. Fees are what was asked for.
#[tokio::test]
async fn dividends_assignment_and_daily_settlement_reach_the_ledger() {
    let place = Place::new();
    let asked = || Settings {
        option_fee: Some("1.00".parse().unwrap()),
        ..Settings::default()
    };
    drop(place.desk_with(asked()).unwrap());
    let p = place.program();
    let chain = p.get("/api/chain/TLVN").await;
    let spot = chain["head"]["level"].as_f64().unwrap();
    let call = async |date: &str, near: f64| -> String {
        let rows = p
            .get(&format!("/api/chain/TLVN?expiration=TLVN:{date}"))
            .await["blocks"][0]["rows"]
            .as_array()
            .unwrap()
            .clone();
        let off = |r: &&Value| (r["at"].as_f64().unwrap() - near).abs();
        let nearest = rows
            .iter()
            .min_by(|a, b| off(a).total_cmp(&off(b)))
            .unwrap();
        nearest["call"]["contract"].as_str().unwrap().to_owned()
    };
    let (sold, bought) = (
        call("2031-03-21", spot - 8.0).await,
        call("2031-03-14", spot - 10.0).await,
    );
    let mut fees = 0;
    for (id, symbol, legs) in [
        (
            "covered",
            "TLVN",
            json!([{ "contract": sold, "quantity": -1 }, { "contract": "TLVN", "quantity": 100 }]),
        ),
        (
            "let go",
            "TLVN",
            json!([{ "contract": bought, "quantity": 1 }]),
        ),
        (
            "future",
            "BYQK1",
            json!([{ "contract": "BYQK1", "quantity": 1 }]),
        ),
    ] {
        let mut t = at_market(id, &legs, 1);
        t["symbol"] = json!(symbol);
        let (status, order) = p.post("/api/orders", &t).await;
        assert_eq!(
            (status, order["state"].as_str()),
            (StatusCode::CREATED, Some("filled")),
            "{order}"
        );
        fees += if symbol == "TLVN" { 10_000 } else { 12_000 };
    }
    assert_eq!(
        units(&p.get("/api/ledger").await["fees"]),
        fees,
        "1.00 an option, 1.20 a future, nothing for shares"
    );
    let told = json!({ "contract": bought, "exercise": false }).to_string();
    assert_eq!(
        p.raw("PUT", "/api/exercise", &told).await.0,
        StatusCode::NO_CONTENT
    );
    let legs = p.get("/api/book").await["positions"][1]["legs"].clone();
    assert_eq!(legs[0]["declined"], true);
    drop(p);
    let p = place.program();
    let (status, clock) = p.post("/api/clock", &json!({ "goTo": "2031-03-24" })).await;
    assert_eq!(status, StatusCode::OK, "{clock}");

    let ledger = p.get("/api/ledger").await;
    assert_eq!(
        (&ledger["violations"], &ledger["sum"]),
        (&json!([]), &ledger["cash"])
    );
    let lines = ledger["lines"].as_array().unwrap();
    let of = |kind: &str| {
        lines
            .iter()
            .filter(|l| l["kind"] == kind)
            .collect::<Vec<_>>()
    };
    // Deep in the money and its dividend near: called away, the evening before it goes ex or at its
    // end, with the dividend or without.
    let called = of("assignment");
    assert_eq!(called.len(), 1, "{lines:?}");
    let early = called[0]["memo"]
        .as_str()
        .unwrap()
        .contains("assigned early");
    assert!(
        called[0]["at"].as_str().unwrap().starts_with(if early {
            "2031-03-18T16:00"
        } else {
            "2031-03-21T16:00"
        }),
        "{called:?}"
    );
    assert_eq!(of("dividend").len(), usize::from(!early));
    assert!(
        of("settlement")[0]["memo"]
            .as_str()
            .unwrap()
            .contains("not exercised, as told")
    );
    assert_eq!(
        of("daily settlement").len(),
        9,
        "each close from the 11th to the 21st"
    );
    // The future's results are those of its price since it was bought, to the cent.
    let future = p.get("/api/book").await["positions"]
        .as_array()
        .unwrap()
        .iter()
        .find(|x| x["symbol"] == "BYQK1")
        .unwrap()
        .clone();
    let settled: i64 = of("daily settlement")
        .iter()
        .map(|l| units(&l["amount"]))
        .sum();
    assert_eq!(units(&future["realised"]), settled);
    drop(p);
    assert_eq!(place.program().get("/api/ledger").await, ledger);
}
