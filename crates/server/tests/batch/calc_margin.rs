//! `pikebell calc margin` as it is run: JSON in, JSON out in the same order, its exit status. The
//! amounts' sources stand in the desk's tests.

use std::io::Write;
use std::process::{Command, Output, Stdio};

use serde_json::{Value, json};

fn margin(document: &Value) -> (Output, Vec<Value>) {
    let mut child = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(["calc", "margin"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child
        .stdin
        .take()
        .unwrap()
        .write_all(document.to_string().as_bytes())
        .unwrap();
    let out = child.wait_with_output().unwrap();
    let read: Value = serde_json::from_slice(&out.stdout).unwrap_or_default();
    let cases = read["cases"].as_array().cloned().unwrap_or_default();
    (out, cases)
}

fn option(qty: i64, kind: &str, strike: f64, price: f64) -> Value {
    json!({
        "qty": qty,
        "kind": kind,
        "strike": strike,
        "t_years": 0.25,
        "price": price,
        "vol": 0.25,
    })
}

fn strategy(id: &str, price: f64, legs: &[Value]) -> Value {
    let params = json!({ "naked": 0.20, "minimum": 0.10, "stock_initial": 0.50 });
    json!({
        "id": id,
        "regime": "strategy",
        "underlying": { "price": price, "multiplier": 100 },
        "params": params,
        "legs": legs,
    })
}

#[test]
fn three_regimes_in_one_document() {
    let condor = [
        option(1, "put", 90.0, 0.6),
        option(-1, "put", 95.0, 1.6),
        option(-1, "call", 105.0, 1.7),
        option(1, "call", 110.0, 0.7),
    ];
    let covered = [
        json!({ "qty": 150, "kind": "stock" }),
        option(-1, "call", 105.0, 1.7),
    ];
    let portfolio = json!({
        "down": 0.15,
        "up": 0.15,
        "points": 10,
        "minimum_per_contract": 0.375,
        "rate": 0.04,
        "yield": 0.0,
    });
    let scan = json!({
        "price_scan": 1400,
        "vol_scan": 0.04,
        "extreme_multiple": 3,
        "extreme_cover": 0.33,
        "exposure_rate": 0.02,
        "short_option_minimum": 2000,
        "rate": 0,
    });
    let straddle = [option(1, "call", 100.0, 5.5), option(1, "put", 100.0, 4.5)];
    let future = [json!({ "qty": -2, "kind": "future" })];
    let (out, cases) = margin(&json!({ "cases": [
        strategy("condor", 100.0, &condor),
        strategy("covered", 100.0, &covered),
        { "id": 7, "regime": "portfolio", "underlying": { "price": 100, "multiplier": 100 },
            "params": portfolio, "legs": straddle },
        { "id": null, "regime": "scan", "underlying": { "price": 20_000, "multiplier": 50 },
            "params": scan, "legs": future },
    ] }));
    assert_eq!(
        out.status.code(),
        Some(0),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    let near =
        |v: &Value, want: f64| assert!((v.as_f64().unwrap() - want).abs() < 1e-6, "{v} {want}");
    // Width 500, 200 received: nothing more is needed for the order, 300 stay tied up.
    let c = &cases[0];
    assert_eq!(c["id"], "condor");
    near(&c["requirement"], 500.0);
    near(&c["needed_at_order"], 500.0);
    near(&c["tied_up"], 300.0);
    // Alone: 60 and 70 paid, 1,660 − 160 and 1,670 − 170.
    near(&c["leg_by_leg"], 3_130.0);
    near(&c["saved"], 2_830.0);
    assert_eq!(
        c["groups"],
        json!([
            {
                "legs": [
                    { "leg": 0, "qty": 1 },
                    { "leg": 1, "qty": -1 },
                    { "leg": 2, "qty": -1 },
                    { "leg": 3, "qty": 1 },
                ],
                "requirement": 500.0,
            },
        ])
    );
    // 150 shares at half their value; a hundred of them carry the call.
    near(&cases[1]["requirement"], 7_500.0);
    near(&cases[1]["tied_up"], 7_500.0 - 170.0);
    assert_eq!(
        cases[1]["groups"],
        json!([
            {
                "legs": [{ "leg": 1, "qty": -1 }, { "leg": 0, "qty": 100 }],
                "requirement": 5_000.0,
            },
            { "legs": [{ "leg": 0, "qty": 50 }], "requirement": 2_500.0 },
        ])
    );
    // Bought at 10 the straddle cannot lose 75 over the points … it can lose what it costs: more
    // than the minimum near the middle.
    assert!(cases[2]["requirement"].as_f64().unwrap() >= 75.0 && cases[2]["id"] == 7);
    near(
        &cases[2]["needed_at_order"],
        cases[2]["requirement"].as_f64().unwrap() + 1_000.0,
    );
    near(
        &cases[2]["tied_up"],
        cases[2]["requirement"].as_f64().unwrap(),
    );
    // Two futures at the full scan, without exposure.
    let f = &cases[3];
    near(&f["requirement"], 140_000.0);
    near(&f["scan_risk"], 140_000.0);
    near(&f["exposure"], 0.0);
    near(&f["net_option_value"], 0.0);
    near(&f["saved"], 0.0);
}

#[test]
fn what_a_regime_does_not_define_is_refused_by_name_and_the_others_are_answered() {
    let with = |change: fn(&mut Value)| {
        let mut c = strategy("x", 100.0, &[option(-1, "put", 95.0, 1.6)]);
        change(&mut c);
        c
    };
    type Spoil = fn(&mut Value);
    let refused: [(Spoil, &str); 9] = [
        (
            |c| c["legs"][0] = json!({ "qty": 1, "kind": "future" }),
            "a future is not defined under strategy",
        ),
        (
            |c| c["legs"][0]["qty"] = json!(1.5),
            "leg 0: qty 1.5 is not a whole number",
        ),
        (
            |c| c["legs"][0]["kind"] = json!("warrant"),
            "kind \"warrant\" is not known; write call, put, stock or future",
        ),
        (
            |c| c["legs"][0]["strike"] = Value::Null,
            "a put needs strike",
        ),
        (|c| c["legs"][0]["price"] = json!(-1), "price -1"),
        (
            |c| c["regime"] = json!("house"),
            "regime \"house\" is not known; write strategy, portfolio or scan",
        ),
        (
            |c| c["params"]["rate"] = json!(0.1),
            "params of strategy: unknown field `rate`",
        ),
        (
            |c| c["underlying"]["price"] = json!(0),
            "underlying price 0",
        ),
        (|c| c["legs"] = json!([]), "there are no legs"),
    ];
    let mut cases: Vec<Value> = refused.iter().map(|(change, _)| with(*change)).collect();
    cases.push(strategy("good", 100.0, &[option(-1, "put", 95.0, 1.6)]));
    let (out, answers) = margin(&json!({ "cases": cases }));
    assert_eq!((out.status.code(), answers.len()), (Some(1), 10));
    for ((_, words), answer) in refused.iter().zip(&answers) {
        assert!(
            answer["error"].as_str().is_some_and(|e| e.contains(words)) && answer["id"] == "x",
            "{words}: {answer}"
        );
    }
    assert!(
        answers[9]["id"] == "good"
            && (answers[9]["requirement"].as_f64().unwrap() - 1_660.0).abs() < 1e-9,
        "{}",
        answers[9]
    );
    let (out, _) = margin(&json!({ "case": [] }));
    assert_eq!(out.status.code(), Some(2));
}
