//! Bad input: each is refused with what is wrong, where, and what would be right; nothing is half
//! done.

use crate::common::*;
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use serde_json::{Value, json};

/// Everything the account is made of, to prove that a refusal left it alone.
async fn books(p: &Program) -> Value {
    json!([
        p.get("/api/orders").await,
        p.get("/api/ledger").await,
        p.get("/api/account").await,
        p.get("/api/drafts").await,
        p.get("/api/clock").await
    ])
}

#[tokio::test]
async fn each_refusal_names_the_fault_the_place_and_the_remedy() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let contract = legs[0]["contract"].as_str().unwrap();
    let with = |field: &str, value: Value| {
        let mut t = ticket("t", &legs, 1, "-0.50");
        t[field] = value;
        t.to_string()
    };
    let on = |contract: &str| with("legs", json!([{ "contract": contract, "quantity": 1 }]));
    let strange = format!("{}00191300", &contract[..13]);
    let cheap_puts = with(
        "legs",
        json!([{ "contract": contract.replace('C', "P"), "quantity": -1 }]),
    );
    let judged = |field: &str, value: Value| {
        let mut asked = json!({ "symbol": "NMOU", "legs": legs, "days": [0, 10] });
        asked[field] = value;
        asked.to_string()
    };
    let on_symbol = |symbol: &str, contract: &str, limit: &str| {
        let mut t = ticket(
            "t",
            &json!([{ "contract": contract, "quantity": 1 }]),
            1,
            limit,
        );
        t["symbol"] = json!(symbol);
        t.to_string()
    };
    let rule = |measure: &str, side: &str, limit: &str| {
        json!({ "scope": { "for": "all" }, "measure": measure, "side": side, "limit": limit })
            .to_string()
    };
    let index_bought = on_symbol("WXMR", "WXMR", "2940");
    let bond = |limit: &str| on_symbol("TNYBM1", "TNYBM1", limit);
    let unread = |body: &str| body.to_owned();
    let dated = |day: &str| {
        let mut t = ticket("t", &legs, 1, "-0.50");
        (t["timeInForce"], t["goodTill"]) = (json!("goodTillDate"), json!(day));
        t.to_string()
    };
    let mut held_at_once = ticket("t", &legs, 1, "-0.50");
    (held_at_once["timeInForce"], held_at_once["trigger"]) = (
        json!("fillOrKill"),
        json!({ "side": "mark", "trailing": "0.10" }),
    );
    let held_at_once = held_at_once.to_string();
    let tickets = |count: usize| {
        (0..count)
            .map(|i| ticket(&format!("t{i}"), &legs, 1, "-0.50"))
            .collect::<Vec<_>>()
    };
    let linked =
        |tie: &str, count: usize| json!({ "tie": tie, "orders": tickets(count) }).to_string();
    let same_twice = json!({
        "tie": "oneCancelsOther",
        "orders": [ticket("t", &legs, 1, "-0.50"), ticket("t", &legs, 1, "-0.60")],
    })
    .to_string();
    let unequal = json!({
        "tie": "oneTriggersOther",
        "orders": [ticket("t", &legs, 1, "-0.50"), ticket("u", &legs, 9, "-0.60")],
    })
    .to_string();
    let table: Vec<(&str, String, u16, &str, &[&str])> = vec![
        (
            "POST /api/orders",
            with("symbol", json!("ZZZZ")),
            404,
            "unknown_symbol",
            &["\"ZZZZ\"", "NMOU", "WXMR"],
        ),
        (
            "POST /api/orders",
            on("ZZZZ  310418C00195000"),
            422,
            "not_listed",
            &[
                "ZZZZ",
                "known \
            symbols: WXMR",
            ],
        ),
        (
            "POST /api/orders",
            on(&strange),
            422,
            "not_listed",
            &["191.3 is not a listed strike for", "nearest: 190 and 192.5"],
        ),
        (
            "POST /api/orders",
            on("NMOU  310419C00195000"),
            422,
            "not_listed",
            &[
                "2031-04-19 is not \
            a listed expiration",
                "nearest: 2031-04-18",
            ],
        ),
        (
            "POST /api/orders",
            on("NMOU  310307C00195000"),
            422,
            "not_listed",
            &[
                "expired on \
            2031-03-07",
                "choose a later expiration",
            ],
        ),
        (
            "POST /api/orders",
            on("NMOU 195 call"),
            422,
            "bad_contract",
            &[
                "NMOU 195 call",
                "write \
            it like",
            ],
        ),
        (
            "POST /api/orders",
            on("WXMT  310418C00300000"),
            422,
            "bad_legs",
            &["does not belong to \
            NMOU"],
        ),
        (
            "POST /api/orders",
            with(
                "legs",
                json!([
                    { "contract": "WXMT", "quantity": 1 },
                ]),
            ),
            422,
            "bad_legs",
            &["WXMT does not belong to NMOU"],
        ),
        (
            "POST /api/orders",
            with(
                "legs",
                json!([
                    { "contract": "NMOU", "quantity": 100_001 },
                ]),
            ),
            422,
            "bad_legs",
            &["100001", "−100000 to 100000"],
        ),
        (
            "POST /api/orders",
            with(
                "legs",
                json!([
                    { "contract": "NMOU", "quantity": 100 },
                ]),
            ),
            422,
            "bad_legs",
            &["100 packages of a smaller ratio"],
        ),
        (
            "POST /api/orders",
            index_bought,
            422,
            "bad_legs",
            &["WXMR is an index", "its options can"],
        ),
        (
            "POST /api/orders",
            with("rolls", json!(true)),
            422,
            "bad_field",
            &[
                "rolls",
                "name the \
            campaign",
            ],
        ),
        (
            "POST /api/orders",
            bond("12-64"),
            422,
            "bad_field",
            &["limit", "not a price in 64ths", "12-4"],
        ),
        (
            "PUT /api/exercise",
            json!({
                "contract": contract,
                "exercise": false,
            })
            .to_string(),
            422,
            "bad_field",
            &["is not held long"],
        ),
        (
            "PUT /api/exercise",
            json!({
                "contract": "NMOU",
                "exercise": false,
            })
            .to_string(),
            422,
            "bad_contract",
            &["is not an option symbol"],
        ),
        (
            "POST /api/bench",
            judged("days", json!([0, -1])),
            422,
            "bad_field",
            &[
                "days",
                "0 to \
            2,000 days",
            ],
        ),
        (
            "POST /api/bench",
            judged(
                "moved",
                json!({
                    "everywhere": { "points": 900 },
                }),
            ),
            422,
            "bad_field",
            &["moved", "−100 to 300"],
        ),
        (
            "POST /api/bench",
            judged(
                "moved",
                json!({
                    "everywhere": { "percent": -101 },
                }),
            ),
            422,
            "bad_field",
            &["−100 to 500 percent"],
        ),
        (
            "POST /api/bench",
            judged(
                "moved",
                json!({
                    "at": { "April": { "points": 1 } },
                }),
            ),
            422,
            "bad_field",
            &["April", "2031-04-18"],
        ),
        (
            "POST /api/bench",
            judged(
                "moved",
                json!({
                    "ratePoints": 40,
                }),
            ),
            422,
            "bad_field",
            &["interest", "−20 to 20"],
        ),
        (
            "POST /api/bench",
            judged(
                "span",
                json!({
                    "between": [200, 100],
                }),
            ),
            422,
            "bad_field",
            &["are not prices to draw between"],
        ),
        (
            "POST /api/bench",
            judged("span", json!({ "deviations": 9 })),
            422,
            "bad_field",
            &["at \
            most 8"],
        ),
        (
            "POST /api/bench",
            judged(
                "grid",
                json!({
                    "steps": { "prices": [] },
                }),
            ),
            422,
            "bad_field",
            &["1 to 25 prices"],
        ),
        (
            "POST /api/bench",
            judged(
                "greeks",
                json!({
                    "overTime": true,
                    "price": -1,
                }),
            ),
            422,
            "bad_field",
            &["one above zero"],
        ),
        (
            "POST /api/bench",
            judged(
                "chances",
                json!({
                    "lower": 9_000,
                    "higher": 10,
                }),
            ),
            422,
            "bad_field",
            &["the lower one first"],
        ),
        (
            "POST /api/bench",
            judged(
                "chances",
                json!({
                    "targetPercent": 0,
                }),
            ),
            422,
            "bad_field",
            &["above 0, at most 1,000"],
        ),
        (
            "POST /api/rules",
            rule("trade_risk", "above", "-1"),
            422,
            "bad_field",
            &["-1 is below zero"],
        ),
        (
            "POST /api/rules",
            rule("luck", "above", "1"),
            422,
            "bad_field",
            &["\"luck\" is no measure", "profit_of_max"],
        ),
        (
            "POST /api/rules",
            rule("days_left", "above", "21"),
            422,
            "bad_field",
            &["write \"below\""],
        ),
        (
            "POST /api/rules",
            rule("price", "above", "190"),
            422,
            "bad_field",
            &["choose a symbol or a campaign"],
        ),
        (
            "PUT /api/rules/99",
            rule("profit", "above", "100"),
            404,
            "unknown_rule",
            &["no rule 99"],
        ),
        (
            "PUT /api/rules/file",
            json!({ "rules": [
                { "scope": { "for": "all" }, "measure": "days_left", "side": "below", "limit": "2.5" }
            ] })
            .to_string(),
            422,
            "bad_field",
            &["rule 1", "not whole"],
        ),
        (
            "POST /api/rules/tried",
            rule("lean", "above", "10"),
            422,
            "bad_field",
            &["only a rule about campaigns"],
        ),
        (
            "POST /api/bells",
            json!({
                "of": { "on": "account", "measure": "profit" }, "side": "above", "level": "1",
            })
            .to_string(),
            422,
            "bad_field",
            &["choose another"],
        ),
        (
            "POST /api/rounds/decisions",
            json!({ "reason": "rule:9", "answer": { "as": "noted" } }).to_string(),
            422,
            "bad_field",
            &["does not ask any more"],
        ),
        (
            "POST /api/dates",
            json!({ "date": "2031-02-30", "what": "x" }).to_string(),
            422,
            "bad_field",
            &["not a date"],
        ),
        (
            "DELETE /api/dates/4",
            String::new(),
            404,
            "unknown_date",
            &["no date 4"],
        ),
        (
            "PUT /api/ledger/0/note",
            json!({ "note": "why" }).to_string(),
            422,
            "bad_field",
            &["no such line"],
        ),
        (
            "PUT /api/shelf/%20",
            json!({
                "symbol": "NMOU",
                "legs": [],
            })
            .to_string(),
            422,
            "bad_field",
            &["1 to 60 characters"],
        ),
        (
            "PUT /api/drafts/A",
            json!({
                "symbol": "NMOU",
                "legs": [],
                "name": "x".repeat(61),
            })
            .to_string(),
            422,
            "bad_field",
            &["61 characters"],
        ),
        (
            "PUT /api/drafts/A",
            json!({ "symbol": "NMOU", "legs": [], "target": { "price": 0 } }).to_string(),
            422,
            "bad_field",
            &["target", "above zero"],
        ),
        (
            "POST /api/drafts/read",
            json!({
                "text": "contract,quantity\r\nNMOU  310418C00195000,one\r\nnonsense,1\r\n",
            })
            .to_string(),
            422,
            "bad_field",
            &["line 2", "quantity", "line 3"],
        ),
        (
            "POST /api/drafts/read",
            json!({
                "text": "{\"symbol\":\"NMOU\"}",
            })
            .to_string(),
            422,
            "bad_field",
            &["no draft", "legs"],
        ),
        (
            "POST /api/compare",
            json!({
                "symbol": "NMOU",
                "drafts": [],
                "price": 200,
                "days": 5,
            })
            .to_string(),
            422,
            "bad_field",
            &["compare 1 to 4"],
        ),
        (
            "POST /api/orders",
            with("quantity", json!(0)),
            422,
            "bad_quantity",
            &[
                "quantity 0",
                "1 \
            to 500",
            ],
        ),
        (
            "POST /api/orders",
            with("quantity", json!(-3)),
            422,
            "bad_quantity",
            &["-3"],
        ),
        (
            "POST /api/orders",
            with("quantity", json!(1_000_000_000_000_i64)),
            422,
            "bad_quantity",
            &["1000000000000"],
        ),
        (
            "POST /api/orders",
            with("quantity", json!(1e30)),
            422,
            "bad_body",
            &["quantity"],
        ),
        (
            "POST /api/orders",
            with("quantity", json!(1.5)),
            422,
            "bad_body",
            &["quantity"],
        ),
        (
            "POST /api/orders",
            with("limit", json!("-0.503")),
            422,
            "off_tick",
            &["-0.503", "0.01", "-0.51 and -0.50"],
        ),
        (
            "POST /api/orders",
            with("limit", json!("99999")),
            422,
            "absurd_price",
            &["99999", "between"],
        ),
        (
            "POST /api/orders",
            with("limit", json!("-92233720368")),
            422,
            "absurd_price",
            &["between"],
        ),
        (
            "POST /api/orders",
            with("limit", json!("1e3")),
            422,
            "bad_field",
            &["limit", "1e3", "write it like 4.75"],
        ),
        (
            "POST /api/orders",
            with("limit", json!(-0.5)),
            422,
            "bad_body",
            &["limit"],
        ),
        (
            "POST /api/orders",
            with("legs", json!([])),
            422,
            "bad_legs",
            &["at least one leg"],
        ),
        (
            "POST /api/orders",
            with(
                "legs",
                json!([
                    { "contract": contract, "quantity": 0 },
                ]),
            ),
            422,
            "bad_legs",
            &["quantity 0"],
        ),
        (
            "POST /api/orders",
            with(
                "legs",
                json!([
                    { "contract": contract, "quantity": -2 },
                ]),
            ),
            422,
            "bad_legs",
            &["send one package and quantity 2"],
        ),
        (
            "POST /api/orders",
            with(
                "trigger",
                json!({
                    "side": "mark",
                }),
            ),
            422,
            "bad_field",
            &["trigger", "either a price in \"at\" or a distance"],
        ),
        (
            "POST /api/orders",
            with("trigger", json!({ "side": "mark", "at": "-99.00" })),
            422,
            "triggers_at_once",
            &[
                "a stop at 99.00 credit would trigger at once",
                "set it worse",
            ],
        ),
        (
            "POST /api/orders",
            with(
                "trigger",
                json!({
                    "side": "mark",
                    "trailing": "-0.10",
                }),
            ),
            422,
            "trailing_distance",
            &["above zero", "-0.10"],
        ),
        (
            "POST /api/orders",
            with(
                "trigger",
                json!({
                    "side": "mark",
                    "trailing": "0.105",
                }),
            ),
            422,
            "off_tick",
            &["0.105", "0.01"],
        ),
        (
            "POST /api/orders",
            with(
                "trigger",
                json!({
                    "side": "last",
                    "at": "1",
                }),
            ),
            422,
            "bad_body",
            &["side"],
        ),
        (
            "POST /api/orders",
            held_at_once,
            422,
            "bad_field",
            &[
                "timeInForce",
                "cannot wait for a \
            trigger",
            ],
        ),
        (
            "POST /api/orders",
            dated("2031-03-10"),
            422,
            "last_day",
            &[
                "2031-03-10",
                "from \
            2031-03-11 to 2031-04-18",
            ],
        ),
        (
            "POST /api/orders",
            dated("2031-04-13"),
            422,
            "last_day",
            &["2031-04-13"],
        ),
        (
            "POST /api/orders",
            dated("soon"),
            422,
            "bad_field",
            &[
                "goodTill",
                "soon",
                "write it \
            like 2031-04-18",
            ],
        ),
        (
            "POST /api/orders",
            with("goodTill", json!("2031-03-20")),
            422,
            "bad_field",
            &["goodTill", "needs the time in force goodTillDate"],
        ),
        (
            "POST /api/orders/linked",
            linked("bracket", 2),
            422,
            "bad_field",
            &["orders", "2 orders", "a bracket is three"],
        ),
        (
            "POST /api/orders/linked",
            linked("bracket", 3),
            422,
            "bad_field",
            &[
                "legs",
                "its legs \
            turned over",
            ],
        ),
        (
            "POST /api/orders/linked",
            linked("oneCancelsOther", 1),
            422,
            "bad_field",
            &["1 orders", "write 2 to 4"],
        ),
        (
            "POST /api/orders/linked",
            linked("oneTriggersOther", 5),
            422,
            "bad_field",
            &["5 orders"],
        ),
        (
            "POST /api/orders/linked",
            same_twice,
            422,
            "bad_field",
            &["clientId", "stands twice"],
        ),
        (
            "POST /api/orders/linked",
            unequal,
            422,
            "bad_field",
            &[
                "quantity",
                "9 where the order \
            it waits for has 1",
            ],
        ),
        (
            "POST /api/orders",
            with("clientId", json!("")),
            422,
            "bad_field",
            &["clientId", "1 to 64"],
        ),
        (
            "POST /api/orders",
            with("clientId", json!("x".repeat(65))),
            422,
            "bad_field",
            &["65 \
            characters"],
        ),
        (
            "POST /api/orders",
            with("closes", json!(99)),
            404,
            "unknown_position",
            &["99"],
        ),
        (
            "POST /api/orders",
            with("timeInForce", json!("forever")),
            422,
            "bad_body",
            &["forever", "day"],
        ),
        (
            "POST /api/orders",
            with("colour", json!("red")),
            422,
            "bad_body",
            &["unknown field \
            `colour`"],
        ),
        (
            "POST /api/orders",
            with("quantity", json!(500)),
            422,
            "buying_power",
            &["of buying power", "available; at most", "would fit"],
        ),
        (
            "POST /api/orders",
            cheap_puts.replace("\"quantity\":1,", "\"quantity\":400,"),
            422,
            "buying_power",
            &["at most"],
        ),
        (
            "POST /api/orders",
            unread("{\"clientId\": \"a\","),
            400,
            "bad_json",
            &["EOF"],
        ),
        (
            "POST /api/orders",
            unread("[]"),
            422,
            "bad_body",
            &["invalid length 0"],
        ),
        ("POST /api/orders", unread(""), 400, "bad_json", &[]),
        (
            "POST /api/orders/7/limit",
            json!({
                "limit": "1.00",
            })
            .to_string(),
            404,
            "unknown_order",
            &["no order 7"],
        ),
        (
            "POST /api/orders/7/cancel",
            String::new(),
            404,
            "unknown_order",
            &["no order 7"],
        ),
        (
            "PUT /api/drafts/E",
            json!({
                "symbol": "NMOU",
                "legs": [],
            })
            .to_string(),
            422,
            "bad_field",
            &["\"E\"", "A, B, C or D"],
        ),
        (
            "PUT /api/drafts/A",
            json!({
                "symbol": "QQ",
                "legs": [],
            })
            .to_string(),
            404,
            "unknown_symbol",
            &["QQ"],
        ),
        (
            "PUT /api/drafts/A",
            json!({
                "symbol": "NMOU",
                "legs": [{ "contract": "x", "quantity": 1 }],
            })
            .to_string(),
            422,
            "bad_contract",
            &["\"x\""],
        ),
        (
            "POST /api/clock",
            json!({
                "speed": 7,
            })
            .to_string(),
            422,
            "bad_field",
            &["speed", "7", "3600"],
        ),
        (
            "POST /api/clock",
            json!({
                "goTo": "2031-03-11",
            })
            .to_string(),
            422,
            "bad_field",
            &["goTo", "2031-03-11T09:30", "lies behind"],
        ),
        (
            "POST /api/clock",
            json!({
                "goTo": "2044-01-04",
            })
            .to_string(),
            422,
            "bad_field",
            &["2044-01-04", "2033-12-30"],
        ),
        (
            "POST /api/clock",
            json!({
                "goTo": "tomorrow",
            })
            .to_string(),
            422,
            "bad_field",
            &["tomorrow", "no moment and no distance"],
        ),
        (
            "POST /api/clock",
            json!({ "step": "back" }).to_string(),
            422,
            "bad_body",
            &["back"],
        ),
        (
            "GET /api/chain/zzzz",
            String::new(),
            404,
            "unknown_symbol",
            &[
                "zzzz",
                "WXMR, WXMT, \
            SMLX, TKZR, NMOU",
            ],
        ),
        (
            "POST /api/evaluate",
            json!({
                "symbol": "NMOU",
                "legs": [{ "contract": "NMOU  310307C00195000", "quantity": 1 }],
            })
            .to_string(),
            422,
            "not_listed",
            &["expired on"],
        ),
        (
            "POST /api/evaluate",
            json!({ "symbol": "NMOU", "legs": legs, "entry": { "net": "cheap" } }).to_string(),
            422,
            "bad_field",
            &["entry", "cheap"],
        ),
        (
            "POST /api/evaluate",
            json!({
                "symbol": "NMOU",
                "legs": legs,
                "entry": { "net": "-92233720368" },
            })
            .to_string(),
            422,
            "absurd_price",
            &["between"],
        ),
        (
            "POST /api/evaluate",
            json!({
                "symbol": "NMOU",
                "legs": vec![json!({ "contract": contract, "quantity": 400_000 }); 40],
            })
            .to_string(),
            422,
            "bad_legs",
            &["16000000"],
        ),
    ];
    let before = books(&p).await;
    let mut wrong = Vec::new();
    for (call, body, status, code, says) in table {
        let (method, path) = call.split_once(' ').unwrap();
        let (got, answer) = p.raw(method, path, &body).await;
        let message = answer["message"].as_str().unwrap_or_default();
        if (got.as_u16(), answer["code"].as_str()) != (status, Some(code))
            || !says.iter().all(|words| message.contains(words))
        {
            wrong.push(format!(
                "{call} {body}: {got} {answer}; wanted {status} {code} {says:?}"
            ));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert_eq!(books(&p).await, before, "a refusal changed something");
}

#[tokio::test]
async fn a_second_submit_of_a_ticket_is_the_same_order() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let rest = p.evaluate(&legs, None).await["rest"]["value"].clone();
    let body = ticket("once", &legs, 1, rest.as_str().unwrap());
    assert_eq!(p.post("/api/orders", &body).await.0, StatusCode::CREATED);
    let before = books(&p).await;
    // A retry after a lost answer gets the order; another ticket under the same name does not pass
    // for it.
    let (status, answer) = p.post("/api/orders", &body).await;
    assert_eq!(
        (status, answer["id"].as_u64()),
        (StatusCode::CREATED, Some(1))
    );
    let (status, answer) = p
        .post("/api/orders", &ticket("once", &legs, 5, "-0.10"))
        .await;
    assert_eq!(
        (status.as_u16(), answer["code"].as_str()),
        (409, Some("duplicate"))
    );
    assert!(
        answer["message"]
            .as_str()
            .unwrap()
            .contains("already placed as order 1"),
        "{answer}"
    );
    assert_eq!(books(&p).await, before);
    assert_eq!(p.get("/api/orders").await.as_array().unwrap().len(), 1);
    p.post("/api/orders/1/cancel", &json!({})).await;
    let (status, answer) = p.post("/api/orders/1/cancel", &json!({})).await;
    assert_eq!(
        (status.as_u16(), answer["code"].as_str()),
        (422, Some("not_working"))
    );
    assert!(
        answer["message"]
            .as_str()
            .unwrap()
            .contains("order 1 is cancelled")
    );
}

#[tokio::test]
async fn strangers_neither_read_nor_write() {
    let place = Place::new();
    let p = place.program();
    let ask = |method: &str, host: &str, origin: Option<&str>| {
        let mut r = Request::builder()
            .method(method)
            .uri("/api/clock")
            .header(header::HOST, host)
            .header(header::CONTENT_TYPE, "application/json");
        if let Some(origin) = origin {
            r = r.header(header::ORIGIN, origin);
        }
        r.body(Body::from("{}")).unwrap()
    };
    let cases = [
        (ask("GET", HOST, None), 200),
        (ask("GET", "localhost:7311", None), 200),
        (ask("GET", "pikebell.example:7311", None), 421),
        (ask("GET", "127.0.0.1", None), 421),
        (ask("POST", HOST, Some("http://127.0.0.1:7311")), 200),
        (ask("POST", HOST, Some("http://127.0.0.1:9999")), 403),
        (ask("POST", HOST, Some("https://elsewhere.example")), 403),
        (ask("POST", HOST, Some("null")), 403),
    ];
    for (request, want) in cases {
        let what = format!("{request:?}");
        assert_eq!(p.send(request).await.0.as_u16(), want, "{what}");
    }
    let stream = Request::builder()
        .uri("/api/stream")
        .header(header::HOST, HOST)
        .header(header::ORIGIN, "http://elsewhere.example");
    let stream = stream
        .header(header::UPGRADE, "websocket")
        .body(Body::empty())
        .unwrap();
    assert_eq!(p.send(stream).await.0.as_u16(), 403);
    let large = format!("{{\"clientId\":\"{}\"}}", "x".repeat(100_000));
    assert_eq!(p.raw("POST", "/api/orders", &large).await.0.as_u16(), 413);
    let plain = Request::builder()
        .method("POST")
        .uri("/api/clock")
        .header(header::HOST, HOST)
        .body(Body::from("{}"))
        .unwrap();
    assert_eq!(p.send(plain).await.0.as_u16(), 415);
}

/// JSON of every shape, with the names and values that the API knows mixed in.
fn any_json() -> impl Strategy<Value = Value> {
    let text = prop_oneof![
        Just("NMOU".to_owned()),
        Just("NMOU  310418C00195000".to_owned()),
        Just("NMOU  310418P00180000".to_owned()),
        Just("-1.00".to_owned()),
        Just("92233720368.54775807".to_owned()),
        Just("day".to_owned()),
        any::<String>(),
    ];
    let number = prop_oneof![
        any::<i64>().prop_map(|n| json!(n)),
        (-3..4_i64).prop_map(|n| json!(n)),
        any::<f64>().prop_map(|x| json!(x))
    ];
    let leaf = prop_oneof![
        Just(Value::Null),
        any::<bool>().prop_map(Value::from),
        number,
        text.prop_map(Value::from)
    ];
    const NAMES: &[&str] = &[
        "clientId",
        "symbol",
        "legs",
        "contract",
        "quantity",
        "limit",
        "timeInForce",
        "closes",
        "price",
        "low",
        "high",
        "speed",
        "running",
        "trigger",
        "tie",
        "orders",
        "goodTill",
    ];
    leaf.prop_recursive(3, 24, 5, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(Value::from),
            prop::collection::hash_map(
                prop::sample::select(NAMES).prop_map(str::to_owned),
                inner,
                0..6
            )
            .prop_map(|m| m.into_iter().collect()),
        ]
    })
}

/// A ticket or question that is right but for what is replaced in it.
fn nearly_right() -> impl Strategy<Value = Value> {
    let field = prop::sample::select(
        &[
            "clientId", "symbol", "legs", "quantity", "limit", "entry", "low", "high", "closes",
        ][..],
    );
    let leg = (
        prop::sample::select(&["195000", "200000", "180000", "190000"][..]),
        any::<bool>(),
        prop_oneof![-4..5_i64, any::<i64>()],
    );
    let legs = prop::collection::vec(leg, 1..6).prop_map(|legs| {
        let leg = |(k, call, n): (&str, bool, i64)| {
            json!({
                "contract": format!("NMOU  310418{}00{k}", if call { "C" } else { "P" }),
                "quantity": n,
            })
        };
        legs.into_iter().map(leg).collect::<Value>()
    });
    (legs, field, any_json(), any::<bool>(), 1..600_i64).prop_map(
        |(legs, field, odd, spoil, quantity)| {
            let mut t = json!({
                "clientId": format!("c{quantity}"),
                "symbol": "NMOU",
                "legs": legs,
                "quantity": quantity,
                "limit": "1.00",
                "timeInForce": "day",
            });
            if spoil {
                t[field] = odd;
            }
            t
        },
    )
}

/// Whatever is sent, the answer is a value or a refusal in words, never a failure of the program,
/// and the books always add up.
#[test]
fn nothing_that_can_be_sent_breaks_the_program() {
    let runtime = tokio::runtime::Runtime::new().unwrap();
    let place = Place::new();
    let p = runtime.block_on(async { place.program() });
    const PATHS: &[&str] = &[
        "/api/orders",
        "/api/orders/linked",
        "/api/evaluate",
        "/api/clock",
        "/api/orders/1/limit",
        "/api/drafts/A",
    ];
    let mut runner = TestRunner::new(Config {
        cases: 400,
        failure_persistence: None,
        ..Config::default()
    });
    let cases = (
        prop::sample::select(PATHS),
        prop_oneof![any_json(), nearly_right()],
    );
    let ran = runner.run(&cases, |(path, body)| {
        runtime.block_on(async {
            let method = if path.contains("drafts") {
                "PUT"
            } else {
                "POST"
            };
            let mut body = body;
            if path == "/api/evaluate"
                && let Some(fields) = body.as_object_mut()
            {
                fields.retain(|name, _| {
                    !["clientId", "quantity", "limit", "timeInForce"].contains(&name.as_str())
                });
            }
            let (status, answer) = p.raw(method, path, &body.to_string()).await;
            prop_assert!(
                !status.is_server_error(),
                "{path} {body}: {status} {answer}"
            );
            prop_assert!(
                status.is_success() || answer["message"].is_string(),
                "{path} {body}: {status} {answer}"
            );
            let ledger = p.get("/api/ledger").await;
            prop_assert_eq!(&ledger["violations"], &json!([]));
            Ok(())
        })
    });
    if let Err(e) = ran {
        panic!("{e}");
    }
}
