//! `pikebell calc campaign`: worked examples, and the outline against `calc position`.

use std::io::Write;
use std::process::{Command, Stdio};

use serde_json::{Value, json};

pub fn calc(what: &str, cases: &Value) -> (Vec<Value>, Option<i32>) {
    let mut child = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(["calc", what])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let document = json!({ "cases": cases }).to_string();
    child
        .stdin
        .take()
        .unwrap()
        .write_all(document.as_bytes())
        .unwrap();
    let out = child.wait_with_output().unwrap();
    let answer: Value = serde_json::from_slice(&out.stdout).unwrap();
    (
        answer["cases"].as_array().unwrap().clone(),
        out.status.code(),
    )
}

fn option(kind: &str, strike: f64, expires: &str, qty: f64, price: f64) -> Value {
    json!({ "kind": kind, "strike": strike, "expires": expires, "qty": qty, "price": price })
}

fn stock(qty: f64, price: f64) -> Value {
    json!({ "kind": "stock", "qty": qty, "price": price })
}

fn fill(at: &str, legs: Value, fees: f64) -> Value {
    json!({ "at": at, "legs": legs, "fees": fees })
}

fn mark(kind: &str, strike: f64, expires: &str, t: f64, price: f64, vol: f64) -> Value {
    json!({
        "kind": kind, "strike": strike, "expires": expires,
        "t_years": t, "price": price, "vol": vol,
    })
}

fn case(id: &str, fills: Value, marks: Value) -> Value {
    json!({
        "id": id, "at": "2031-04-01T10:42", "underlying": { "price": 100.0, "multiplier": 100.0 },
        "rate": 0.03, "yield": 0.01, "prob_vol": 0.25, "fills": fills, "marks": marks,
    })
}

fn near(value: &Value, wanted: f64) {
    let got = value
        .as_f64()
        .unwrap_or_else(|| panic!("{value} is no number"));
    assert!((got - wanted).abs() < 1e-9, "{got} where {wanted} is right");
}

/// The domain's worked examples: the wheel (a put sold at 1.50 and assigned at 50, a call sold at
/// 1.20 and assigned at 52: 470.00); a put rolled twice for 160.00 gross and 156.10 net with running
/// credits of 2.50, 4.40, 2.60 and 1.60; and first in first out (+200, then +70 and two sold at
/// 4.20).
#[test]
fn worked_examples() {
    let (jan, feb, mar) = ("2031-01-17", "2031-02-21", "2031-03-21");
    let wheel = case(
        "wheel",
        json!([
            fill(
                "2031-01-02T10:00",
                json!([option("put", 50.0, jan, -1.0, 1.5)]),
                0.0
            ),
            fill(
                "2031-01-17T16:00",
                json!([option("put", 50.0, jan, 1.0, 0.0), stock(100.0, 50.0)]),
                0.0
            ),
            fill(
                "2031-01-20T10:00",
                json!([option("call", 52.0, feb, -1.0, 1.2)]),
                0.0
            ),
            fill(
                "2031-02-21T16:00:00",
                json!([option("call", 52.0, feb, 1.0, 0.0), stock(-100.0, 52.0)]),
                0.0
            ),
        ]),
        json!([]),
    );
    let rolled = case(
        "rolled",
        json!([
            fill(
                "2031-01-02T10:00",
                json!([option("put", 100.0, jan, -1.0, 2.5)]),
                0.65
            ),
            fill(
                "2031-01-16T10:00",
                json!([
                    option("put", 100.0, jan, 1.0, 4.1),
                    option("put", 100.0, feb, -1.0, 6.0)
                ]),
                1.3
            ),
            fill(
                "2031-02-20T10:00",
                json!([
                    option("put", 100.0, feb, 1.0, 7.0),
                    option("put", 95.0, mar, -1.0, 5.2)
                ]),
                1.3
            ),
            fill(
                "2031-03-10T10:00",
                json!([option("put", 95.0, mar, 1.0, 1.0)]),
                0.65
            ),
        ]),
        json!([]),
    );
    let fifo = case(
        "fifo",
        json!([
            fill(
                "2031-03-01T10:00",
                json!([option("call", 100.0, "2031-06-20", 2.0, 3.0)]),
                0.0
            ),
            fill(
                "2031-03-01T10:00",
                json!([option("call", 100.0, "2031-06-20", 1.0, 3.5)]),
                0.0
            ),
            fill(
                "2031-03-02T10:00",
                json!([option("call", 100.0, "2031-06-20", -2.0, 4.0)]),
                0.0
            ),
            fill(
                "2031-03-03T10:00",
                json!([option("call", 100.0, "2031-06-20", -3.0, 4.2)]),
                0.0
            ),
        ]),
        json!([
            mark("call", 100.0, "2031-06-20", 0.2, 4.0, 0.2),
            mark("call", 999.0, "2031-04-18", 0.01, 4.0, 0.2),
        ]),
    );
    let (answers, status) = calc("campaign", &json!([wheel, rolled, fifo]));
    assert_eq!(status, Some(0), "{answers:?}");
    let [wheel, rolled, fifo] = &answers[..] else {
        panic!("{answers:?}")
    };
    near(&wheel["realised"], 470.0);
    near(&wheel["net_cash"], 470.0);
    assert_eq!(wheel["chapters"][3]["at"], "2031-02-21T16:00:00");
    for key in [
        "percent_of_max",
        "horizon_t_years",
        "max_profit",
        "prob_profit",
        "expected_pl",
    ] {
        assert_eq!(wheel[key], Value::Null, "{key}");
    }
    assert_eq!(wheel["open_cost"].to_string(), "0.0");
    assert_eq!(wheel["break_evens"], json!([]));
    assert_eq!(
        wheel["alone"],
        json!({
            "max_profit": null, "max_profit_side": null, "max_loss": null, "max_loss_side": null,
            "break_evens": [], "zero_ranges": [],
        })
    );
    for (i, (running, realised)) in [
        (250.0, 0.0),
        (440.0, -160.0),
        (260.0, -100.0),
        (160.0, 420.0),
    ]
    .iter()
    .enumerate()
    {
        near(&rolled["chapters"][i]["running"], *running);
        near(&rolled["chapters"][i]["realised"], *realised);
    }
    near(&rolled["total"], 156.1);
    near(&rolled["open_cost"], 0.0);
    near(&fifo["chapters"][2]["realised"], 200.0);
    near(&fifo["chapters"][3]["realised"], 70.0);
    near(&fifo["open_cost"], -840.0);
    near(&fifo["open_profit"], 40.0);
    near(&fifo["total"], 310.0);
    // The mark of what is not held does not move the horizon.
    near(&fifo["horizon_t_years"], 0.2);
    near(&fifo["max_profit"], 270.0 + 840.0);
    near(&fifo["percent_of_max"], 100.0 * 310.0 / 1110.0);
    near(&fifo["break_evens"][0], 100.0 + 11.1 / 2.0);
    assert_eq!(
        (&fifo["max_loss"], &fifo["max_loss_side"]),
        (&json!("unlimited"), &json!("up"))
    );
}

/// What is open alone is judged as `calc position` judges it, and the whole campaign as the same
/// with what was booked on top: a calendar, of which a part was closed before.
#[test]
fn its_outline_is_that_of_the_position_and_what_was_booked() {
    let (near_date, far_date) = ("2031-04-18", "2031-05-16");
    let fills = json!([
        fill(
            "2031-03-03T10:00",
            json!([
                option("put", 100.0, near_date, -3.0, 2.0),
                option("put", 100.0, far_date, 3.0, 3.5),
            ]),
            3.9
        ),
        fill(
            "2031-03-20T10:00",
            json!([
                option("put", 100.0, near_date, 1.0, 1.2),
                option("put", 100.0, far_date, -1.0, 3.1),
            ]),
            1.3
        ),
    ]);
    let marks = json!([
        mark("put", 100.0, near_date, 0.05, 1.5, 0.25),
        mark("put", 100.0, far_date, 0.13, 3.2, 0.27),
    ]);
    let (answers, _) = calc("campaign", &json!([case("a", fills, marks)]));
    let a = &answers[0];
    let leg = |qty: f64, t: f64, entry: f64, vol: f64| {
        json!({
            "qty": qty, "kind": "put", "strike": 100.0, "t_years": t, "entry_price": entry,
            "multiplier": 100.0, "vol": vol,
        })
    };
    let position = json!([{
        "id": "p", "spot": 100.0, "rate": 0.03, "yield": 0.01, "prob_vol": 0.25,
        "legs": [leg(-2.0, 0.05, 2.0, 0.25), leg(2.0, 0.13, 3.5, 0.27)],
    }]);
    let (position, _) = calc("position", &position);
    let p = &position[0];
    let alone = &a["alone"];
    let same = |x: &Value, y: &Value, more: f64| {
        let (x, y) = (x.as_f64().unwrap(), y.as_f64().unwrap());
        assert!((x - y - more).abs() < 1e-6, "{x} {y} {more}");
    };
    same(&alone["max_profit"], &p["max_profit"], 0.0);
    same(&alone["max_loss"], &p["max_loss"], 0.0);
    for i in 0..2 {
        same(&alone["break_evens"][i], &p["break_evens"][i], 0.0);
    }
    // Sold at 2.00 bought at 1.20, bought at 3.50 sold at 3.10: 40.00 less 5.20.
    near(&a["realised"], 40.0);
    same(&a["max_profit"], &p["max_profit"], 34.8);
    same(&a["max_loss"], &p["max_loss"], -34.8);
    same(&a["expected_pl"], &p["expected_pl"], 34.8);
    assert!(a["prob_profit"].as_f64() > p["prob_profit"].as_f64());
    assert!(a["break_evens"][0].as_f64() < p["break_evens"][0].as_f64());
    near(
        &a["net_cash"],
        a["realised"].as_f64().unwrap() - a["open_cost"].as_f64().unwrap(),
    );
}

/// Shares alone are a straight line: their break-even is the basis less what was realised.
#[test]
fn shares_alone_and_shares_sold() {
    let assigned = json!([
        fill(
            "2031-03-03T10:00",
            json!([option("put", 50.0, "2031-03-21", -1.0, 1.5)]),
            0.0
        ),
        fill(
            "2031-03-21T16:00",
            json!([
                option("put", 50.0, "2031-03-21", 1.0, 0.0),
                stock(100.0, 50.0)
            ]),
            0.0
        ),
    ]);
    let sold = json!([fill("2031-03-03T10:00", json!([stock(-10.0, 80.0)]), 1.0)]);
    let marks = json!([{ "kind": "stock", "price": 52.0 }]);
    let (answers, status) = calc(
        "campaign",
        &json!([
            case("long", assigned, marks.clone()),
            case("short", sold, marks)
        ]),
    );
    assert_eq!(status, Some(0), "{answers:?}");
    let (long, short) = (&answers[0], &answers[1]);
    assert_eq!(long["break_evens"], json!([48.5]));
    assert_eq!(long["alone"]["break_evens"], json!([50.0]));
    assert_eq!(
        (
            &long["max_profit"],
            &long["max_profit_side"],
            &long["percent_of_max"]
        ),
        (&json!("unlimited"), &json!("up"), &Value::Null)
    );
    near(&long["max_loss"], 4850.0);
    near(&long["total"], 350.0);
    assert_eq!(
        (
            &long["horizon_t_years"],
            &long["prob_profit"],
            &long["expected_pl"]
        ),
        (&Value::Null, &Value::Null, &Value::Null)
    );
    near(&short["max_profit"], 799.0);
    assert_eq!(short["max_loss"], json!("unlimited"));
    near(&short["percent_of_max"], 100.0 * 279.0 / 799.0);
}

/// What cannot be worked out has its id and why, and nothing else; the others are written.
#[test]
fn what_is_wrong_is_named() {
    let call = || option("call", 105.0, "2031-03-21", 1.0, 1.0);
    let held = || json!([fill("2031-03-03T10:00", json!([call()]), 0.0)]);
    let turned = json!([
        fill("2031-03-03T10:00", json!([call()]), 0.0),
        fill("2031-03-03T09:59", json!([call()]), 0.0),
    ]);
    let both = json!([fill(
        "2031-03-03T10:00",
        json!([call(), stock(1.0, 1.0)]),
        0.0
    )]);
    let same_date = json!([fill(
        "2031-03-03T10:00",
        json!([call(), option("put", 95.0, "2031-03-21", 1.0, 1.0)]),
        0.0
    )]);
    let marked = mark("call", 105.0, "2031-03-21", 0.1, 1.0, 0.2);
    let cases = [
        (held(), json!([]), "call 105 2031-03-21"),
        (both, json!([marked]), "stock is held and has no mark"),
        (turned, json!([marked]), "fill 2"),
        (
            same_date,
            json!([marked, mark("put", 95.0, "2031-03-21", 0.2, 1.0, 0.2)]),
            "one date has one figure",
        ),
        (
            held(),
            json!([{ "kind": "call", "strike": 105, "expires": "2031-03-21", "t_years": 0.1, "price": 1 }]),
            "has no vol",
        ),
        (
            json!([fill(
                "2031-03-03T10:00",
                json!([{ "kind": "future", "qty": 1, "price": 1 }]),
                0.0
            )]),
            json!([]),
            "fill 1, leg 1",
        ),
        (
            json!([fill("3 Mar", json!([call()]), 0.0)]),
            json!([marked]),
            "2031-03-11T10:42",
        ),
    ];
    let written: Vec<Value> = cases
        .iter()
        .map(|(fills, marks, _)| case("x", fills.clone(), marks.clone()))
        .chain([case(
            "good",
            held(),
            json!([mark("call", 105.0, "2031-03-21", 0.1, 1.0, 0.2)]),
        )])
        .collect();
    let (answers, status) = calc("campaign", &json!(written));
    assert_eq!(status, Some(1));
    for ((_, _, words), answer) in cases.iter().zip(&answers) {
        let keys: Vec<&String> = answer.as_object().unwrap().keys().collect();
        assert_eq!(keys, ["error", "id"], "{answer}");
        assert!(
            answer["error"].as_str().unwrap().contains(words),
            "{answer}"
        );
    }
    near(&answers.last().unwrap()["total"], 0.0);
}
