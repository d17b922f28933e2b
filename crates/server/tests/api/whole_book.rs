//! The whole book over the wire, on the demo account: sums, switches, mend, days explained.

use crate::common::*;
use axum::http::StatusCode;
use desk::Money;
use serde_json::{Value, json};
use server::{Beginning, Settings, open};

/// A fresh demo account whose time stands.
async fn demo(place: &Place) -> Program {
    let settings = Settings {
        seed: SEED,
        ..Settings::default()
    };
    let p = place.program_of(open(&place.data(), Beginning::Demo, &settings).unwrap());
    let (status, said) = p.post("/api/clock", &json!({ "running": false })).await;
    assert_eq!(status, StatusCode::OK, "{said}");
    p
}

fn number(v: &Value) -> f64 {
    v.as_f64().unwrap_or_else(|| panic!("{v} is no number"))
}

fn near(a: f64, b: f64, what: &str) {
    assert!((a - b).abs() < 1e-6 * (1.0 + a.abs()), "{what}: {a} {b}");
}

const SUMS: [&str; 10] = [
    "lean",
    "leanMoney",
    "gamma",
    "gammaMoney",
    "theta",
    "vega",
    "weightedVega",
    "rho",
    "value",
    "risk",
];
const MOVES: [f64; 7] = [-20.0, -10.0, -3.0, 0.0, 3.0, 10.0, 20.0];

async fn book(p: &Program, look: &Value) -> Value {
    let request = json!({
        "look": look, "moves": MOVES, "map": true, "lines": [0, 30], "span": { "reach": 20, "days": 60 },
    });
    let (status, answer) = p.post("/api/balance/book", &request).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
    answer
}

/// Profits of an answer: table, lines and map in one row.
fn profits(b: &Value) -> Vec<f64> {
    let table = b["table"]
        .as_array()
        .unwrap()
        .iter()
        .map(|r| number(&r["profit"]));
    let lines = b["drawn"]["lines"].as_array().unwrap().iter();
    let lines = lines.flat_map(|l| l["profits"].as_array().unwrap().iter().map(number));
    let map = b["drawn"]["map"].as_array().unwrap().iter();
    let map = map.flat_map(|row| row.as_array().unwrap().iter().map(number));
    table.chain(lines).chain(map).collect()
}

/// What counts adds up, in every division; a draft switched in adds exactly what it is alone, whatever
/// volatility does; and where nothing happens nothing is made.
#[tokio::test]
async fn the_book_adds_up_with_what_is_switched_in() {
    let place = Place::new();
    let p = demo(&place).await;
    let legs = p.bear_call().await;
    let shares = json!({ "key": "dB", "symbol": "OSKV", "legs": [
        { "contract": "OSKV", "quantity": -40 },
    ] });
    let draft = json!({ "key": "dA", "symbol": "NMOU", "legs": times(&legs, 3) });
    let drafts = json!([draft, shares]);
    for vol in [
        Value::Null,
        json!({ "perMove": 2.5 }),
        json!({ "points": 6 }),
    ] {
        let look = |held: bool, on: Value, off: Value| {
            json!({
                "held": held, "on": on, "off": off, "drafts": drafts, "vol": vol,
                "apart": [{ "symbol": "OSKV", "percent": -8 }, { "sector": "technology", "percent": 1 }],
                "betas": { "sessions": 126, "towardOne": true, "own": { "ZORV": 2.2 } },
            })
        };
        let real = book(&p, &look(true, json!([]), json!([]))).await;
        let with = book(&p, &look(true, json!(["dA", "dB"]), json!(["c49"]))).await;
        let alone = book(&p, &look(false, json!(["dA", "dB"]), json!([]))).await;
        let c49 = json!(["c50", "c51", "c52", "c53", "c55", "c57", "c58", "c59"]);
        let one = book(&p, &look(true, json!([]), c49)).await;
        for figure in SUMS {
            let on = |b: &Value| -> f64 {
                let items = b["items"].as_array().unwrap().iter();
                items
                    .filter(|i| i["on"] == true)
                    .map(|i| number(&i["sums"][figure]))
                    .sum()
            };
            for b in [&real, &with, &alone] {
                near(number(&b["total"][figure]), on(b), figure);
                for d in b["divisions"].as_array().unwrap() {
                    let rows = d["rows"].as_array().unwrap().iter();
                    let sum: f64 = rows.map(|r| number(&r["sums"][figure])).sum();
                    near(number(&b["total"][figure]), sum, figure);
                }
            }
            let total = |b: &Value| number(&b["total"][figure]);
            near(
                total(&with),
                total(&real) - total(&one) + total(&alone),
                figure,
            );
        }
        let (real, with) = (profits(&real), profits(&with));
        let (alone, one) = (profits(&alone), profits(&one));
        for i in 0..real.len() {
            near(with[i], real[i] - one[i] + alone[i], "profit");
        }
    }
    let still = book(&p, &json!({ "held": true })).await;
    assert_eq!(still["table"][3]["profit"], json!(0.0));
    // The lean after a move is a slope over a thousandth of each price either way.
    let [slope, lean] = [&still["table"][3]["lean"], &still["total"]["lean"]].map(number);
    assert!((slope - lean).abs() < 1e-3 * lean.abs(), "{slope} {lean}");
    let masthead = p.get("/api/account").await;
    let lean = (number(&still["total"]["lean"]) * 100.0).round() / 100.0;
    near(lean, number(&masthead["lean"]), "the masthead's lean");
    // The margin of nothing moved is that of the account.
    let (_, margins) = p
        .post(
            "/api/balance/margins",
            &json!({ "look": { "held": true }, "moves": [0] }),
        )
        .await;
    assert_eq!(margins["rows"][0]["margin"], masthead["held"]);
    assert_eq!(margins["rows"][0]["buyingPower"], masthead["buyingPower"]);
    // What is asked in vain is told.
    let wrong = [
        (
            json!({ "held": true, "index": "NONE" }),
            StatusCode::NOT_FOUND,
        ),
        (
            json!({ "held": true, "vol": { "points": 900 } }),
            StatusCode::UNPROCESSABLE_ENTITY,
        ),
        (
            json!({ "held": true, "apart": [{ "percent": 4 }] }),
            StatusCode::UNPROCESSABLE_ENTITY,
        ),
    ];
    for (look, wanted) in wrong {
        let (status, said) = p.post("/api/balance/book", &json!({ "look": look })).await;
        assert_eq!(status, wanted, "{said}");
    }
}

/// Each change that is listed brings the book where it should be: looked at with it, the book is there,
/// and with one package less it is not.
#[tokio::test]
async fn what_mends_is_there_and_one_less_is_not() {
    let place = Place::new();
    let p = demo(&place).await;
    let (from, to) = (-4.0, 4.0);
    let request = json!({
        "look": { "held": true }, "goal": { "of": "lean", "from": from, "to": to },
        "least": "packages",
    });
    let (status, found) = p.post("/api/balance/mend", &request).await;
    assert_eq!(status, StatusCode::OK, "{found}");
    assert_eq!(found["there"], false);
    let best = found["best"].as_array().unwrap();
    assert!(
        best.len() > 8 && found["looked"].as_u64().unwrap() > 10_000,
        "{found}"
    );
    for r in best {
        let n = r["packages"].as_i64().unwrap();
        let lean = |legs: &Value| {
            let legs = legs.clone();
            let off = r["campaign"]
                .as_u64()
                .map_or(json!([]), |c| json!([format!("c{c}")]));
            let drafts = if legs.as_array().unwrap().is_empty() {
                json!([])
            } else {
                json!([{ "key": "t", "symbol": r["symbol"], "legs": legs }])
            };
            let look = json!({ "held": true, "off": off, "on": ["t"], "drafts": drafts });
            let p = &p;
            async move { number(&book(p, &look).await["total"]["lean"]) }
        };
        let there = lean(&r["legs"]).await;
        near(
            there,
            number(&r["after"]["lean"]),
            "lean as it is looked at",
        );
        assert!((from..=to).contains(&there), "{r}");
        if r["campaign"].is_null() && n > 1 {
            let each = r["legs"].as_array().unwrap().iter();
            let less: Value = each
                .map(|l| {
                    let q = l["quantity"].as_i64().unwrap();
                    json!({ "contract": l["contract"], "quantity": q / n * (n - 1) })
                })
                .collect();
            let short = lean(&less).await;
            assert!(!(from..=to).contains(&short), "{r}: {short} does too");
        }
    }
    // Where it should be already, nothing has to be done.
    let wide = json!({
        "look": { "held": true }, "goal": { "of": "lean", "from": -1000, "to": 1000 },
    });
    let (_, found) = p.post("/api/balance/mend", &wide).await;
    assert_eq!(
        (&found["there"], &found["best"]),
        (&json!(true), &json!([]))
    );
}

/// Parts of a day, and of some weeks, add up to the ledger and the marks, to the cent; so do the weeks
/// cut in two.
#[tokio::test]
async fn days_are_explained_to_the_cent() {
    let place = Place::new();
    let p = demo(&place).await;
    let raw = |v: &Value| v.as_str().unwrap().parse::<Money>().unwrap().raw();
    let check = |e: &Value| {
        let made = e["made"].as_array().unwrap();
        let total: i64 = made.iter().map(|m| raw(&m["parts"]["total"])).sum();
        assert_eq!(total, raw(&e["sum"]["total"]));
        assert_eq!(raw(&e["beside"]), 0, "{e}");
        assert_eq!(
            total,
            raw(&e["after"]) - raw(&e["before"]) - raw(&e["deposits"])
        );
        for m in made.iter().chain([&json!({ "parts": e["sum"] })]) {
            let p = &m["parts"];
            let sum: f64 = PARTS.iter().map(|k| number(&p[*k])).sum();
            let fees = raw(&p["fees"]) as f64 / 1e4;
            near(sum + fees, raw(&p["total"]) as f64 / 1e4, "parts");
        }
        total
    };
    check(&p.get("/api/balance/explained").await);
    let days = p.get("/api/days").await["days"].clone();
    let days = days.as_array().unwrap();
    let date = |back: usize| days[days.len() - back]["date"].as_str().unwrap().to_owned();
    let stretch = |from: &str, to: &str| format!("/api/balance/explained?from={from}&to={to}");
    let (a, b, c) = (date(40), date(22), date(2));
    let whole = check(&p.get(&stretch(&a, &c)).await);
    let halves = check(&p.get(&stretch(&a, &b)).await) + check(&p.get(&stretch(&b, &c)).await);
    assert_eq!(whole, halves);
    let value = |back: usize| raw(&days[days.len() - back]["value"]);
    assert_eq!(whole, value(2) - value(40));
    let (status, said) = p.raw("GET", &stretch(&c, &a), "").await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{said}");
    let (status, said) = p
        .raw("GET", "/api/balance/explained?from=2031-03-09", "")
        .await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{said}");
}

/// A paper portfolio is there after a restart, and goes when it is thrown away.
#[tokio::test]
async fn paper_portfolios_are_kept() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let paper = json!({ "held": false, "drafts": [
        { "on": true, "draft": { "symbol": "NMOU", "legs": legs, "name": "calls" } },
        { "on": false, "draft": { "symbol": "OSKV", "legs": [{ "contract": "OSKV", "quantity": 7 }] } },
    ] });
    let place_of = "/api/papers/before%20results";
    let (status, said) = p.raw("PUT", place_of, &paper.to_string()).await;
    assert_eq!(status, StatusCode::NO_CONTENT, "{said}");
    drop(p);
    let p = place.program();
    assert_eq!(
        p.get("/api/papers").await,
        json!({ "before results": paper })
    );
    // It is no draft of the tray or the shelf.
    assert_eq!(p.get("/api/drafts").await, json!([]));
    assert_eq!(p.get("/api/shelf").await, json!({}));
    assert_eq!(
        p.raw("DELETE", place_of, "").await.0,
        StatusCode::NO_CONTENT
    );
    assert_eq!(p.get("/api/papers").await, json!({}));
}
