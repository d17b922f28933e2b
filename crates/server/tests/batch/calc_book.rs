//! `pikebell calc book`: the domain's worked examples, and the laws of its format.

use serde_json::{Value, json};

use crate::calc_campaign::calc;

fn option(kind: &str, style: &str, strike: f64, t: f64, qty: f64, vol: f64) -> Value {
    json!({
        "kind": kind, "style": style, "strike": strike, "t_years": t, "qty": qty,
        "multiplier": 100.0, "price": 1.0, "vol": vol,
    })
}

fn position(id: &str, price: f64, beta: f64, legs: Value) -> Value {
    json!({ "id": id, "price": price, "beta": beta, "rate": 0.04, "yield": 0.0, "legs": legs })
}

fn case(positions: Value, shocks: &Value) -> Value {
    json!({ "id": "one", "index": { "price": 5000.0 }, "positions": positions, "shocks": shocks })
}

fn near(got: &Value, wanted: f64, within: f64) {
    let got = got.as_f64().unwrap_or_else(|| panic!("{got} is no number"));
    assert!(
        (got - wanted).abs() <= within,
        "{got} where {wanted} is right"
    );
}

/// Five puts of 95 sold at 100, 30 %, 45 days, 4 %, beta 1.3, volatility answering by twice the
/// index (two over the beta of the own move): the domain's profits to the cent.
#[test]
fn a_worked_example_of_shocks() {
    let puts = json!([option("put", "european", 95.0, 45.0 / 365.0, -5.0, 0.3)]);
    let answers = json!({ "per_move": 2.0 / 1.3 });
    let shock = |m: f64| json!({ "move": m, "days": 0, "vol": answers });
    let shocks = json!([
        shock(-0.1),
        { "move": -0.1, "days": 0 },
        shock(-0.05),
        shock(0.05),
        shock(0.1),
        { "move": 0, "days": 0, "vol": answers },
        { "move": 0, "days": 0, "vol": { "points": 0 } },
        { "move": -2, "days": 45, "vol": { "points": 0.1 } },
    ]);
    let (cases, status) = calc(
        "book",
        &json!([case(json!([position("P", 100.0, 1.3, puts)]), &shocks)]),
    );
    assert_eq!(status, Some(0));
    let made: Vec<&Value> = cases[0]["shocks"]
        .as_array()
        .unwrap()
        .iter()
        .map(|s| &s["pl"])
        .collect();
    for (i, wanted) in [-3685.85, -3392.07, -1479.80, 723.12, 933.06]
        .iter()
        .enumerate()
    {
        near(made[i], *wanted, 0.005);
    }
    assert_eq!((made[5], made[6]), (&json!(0.0), &json!(0.0)));
    // Ended at a price of nothing: 95 a put less what it was worth.
    let value = cases[0]["positions"][0]["value"].as_f64().unwrap();
    near(made[7], -5.0 * 100.0 * 95.0 - value, 1e-9);
}

/// Three names in the terms of one index (the domain's example has given gammas; shares and futures
/// have none): deltas of 120, −300 and −8 at betas 1.3, 0.8 and 1 are 3.12, −2.40 and −8.
#[test]
fn deltas_in_the_terms_of_the_index() {
    let unit = |kind: &str, qty: f64| json!([{ "kind": kind, "qty": qty, "multiplier": 1.0 }]);
    let positions = json!([
        position("A", 100.0, 1.3, unit("stock", 120.0)),
        position("B", 50.0, 0.8, unit("stock", -300.0)),
        position("I", 5000.0, 1.0, unit("future", -8.0)),
    ]);
    let shocks = json!([{ "move": 0.01, "days": 3 }]);
    let (cases, _) = calc("book", &json!([case(positions, &shocks)]));
    let of = |i: usize| &cases[0]["positions"][i]["index_delta"];
    for (i, wanted) in [3.12, -2.4, -8.0].iter().enumerate() {
        near(of(i), *wanted, 1e-12);
    }
    let total = &cases[0]["total"];
    near(&total["index_delta"], -7.28, 1e-12);
    // A future counts nothing in the value.
    near(&total["value"], 120.0 * 100.0 - 300.0 * 50.0, 1e-9);
    near(&cases[0]["shocks"][0]["pl"], -364.0, 1e-9);
}

/// Sums are the sums of the positions, Greeks those of `calc price` times quantity and multiplier, and
/// an option on a future is Black's whatever the yield of its position.
#[test]
fn sums_and_single_options() {
    let future = json!({
        "kind": "call", "style": "american", "on": "future", "strike": 68.0, "t_years": 0.2,
        "qty": 2.0, "multiplier": 1000.0, "vol": 0.35,
    });
    let with_yield = |y: f64| {
        json!({
            "id": y, "price": 68.4, "beta": 0.2, "rate": 0.04, "yield": y, "legs": [future],
        })
    };
    let other = position(
        "C",
        100.0,
        1.0,
        json!([
            option("call", "american", 105.0, 0.4, 3.0, 0.25),
            option("put", "american", 120.0, 0.4, -1.0, 0.25),
        ]),
    );
    let shocks = json!([
        { "move": -0.03, "days": 2.5, "vol": { "points": 0.02 } },
        { "move": 0.08, "days": 0, "vol": { "per_move": 2 } },
    ]);
    let (cases, _) = calc(
        "book",
        &json!([
            case(json!([with_yield(0.0), other]), &shocks),
            case(json!([with_yield(0.03)]), &shocks),
        ]),
    );
    let (two, one) = (&cases[0], &cases[1]);
    for figure in ["value", "delta", "gamma", "theta_day", "vega_pt", "rho_pt"] {
        assert_eq!(
            two["positions"][0][figure], one["positions"][0][figure],
            "{figure}"
        );
    }
    for figure in [
        "value",
        "theta_day",
        "vega_pt",
        "rho_pt",
        "index_delta",
        "index_gamma",
    ] {
        let each = two["positions"]
            .as_array()
            .unwrap()
            .iter()
            .map(|p| p[figure].as_f64().unwrap());
        near(&two["total"][figure], each.sum(), 1e-9);
    }
    for shock in two["shocks"].as_array().unwrap() {
        let each = shock["positions"]
            .as_array()
            .unwrap()
            .iter()
            .map(|p| p.as_f64().unwrap());
        near(&shock["pl"], each.sum(), 1e-9);
    }
    // A put deep inside its exercise region: delta −1, nothing else.
    let deep = case(
        json!([position(
            "D",
            100.0,
            1.0,
            json!([option("put", "american", 200.0, 0.3, 1.0, 0.2),])
        )]),
        &json!([]),
    );
    let (cases, _) = calc("book", &json!([deep]));
    let p = &cases[0]["positions"][0];
    near(&p["value"], 10_000.0, 1e-6);
    near(&p["delta"], -100.0, 1e-9);
    for figure in ["gamma", "theta_day", "vega_pt", "rho_pt"] {
        near(&p[figure], 0.0, 0.0);
    }
    assert_eq!(cases[0]["shocks"], json!([]));
}

/// What cannot be valued is named by position, leg and field, and the other cases are answered.
#[test]
fn errors_name_position_leg_and_field() {
    let good = option("put", "european", 95.0, 0.1, 1.0, 0.3);
    let mut no_vol = option("call", "american", 95.0, 0.1, 1.0, 0.3);
    no_vol.as_object_mut().unwrap().remove("vol");
    let mut band = position(
        "N",
        100.0,
        1.0,
        json!([option("put", "american", 95.0, 0.5, 1.0, 0.2)]),
    );
    band["rate"] = json!(-0.01);
    band["yield"] = json!(-0.03);
    let shock = |vol: Value| json!([{ "move": 0.1, "days": 0, "vol": vol }]);
    let of = |legs: Value, shocks: Value| case(json!([position("P", 100.0, 1.0, legs)]), &shocks);
    let (cases, status) = calc(
        "book",
        &json!([
            of(json!([good, no_vol]), json!([])),
            case(json!([band]), &json!([])),
            of(
                json!([good]),
                shock(json!({ "points": 0.1, "per_move": 1 }))
            ),
            of(json!([good]), json!([{ "move": 0.1, "days": -1 }])),
            of(json!([good]), shock(json!(null))),
        ]),
    );
    assert_eq!(status, Some(1));
    let said = |i: usize| cases[i]["error"].as_str().unwrap();
    assert!(
        said(0).starts_with("position P, leg 2: vol is missing"),
        "{}",
        said(0)
    );
    assert!(
        said(1).starts_with("position N, leg 1: vol "),
        "{}",
        said(1)
    );
    assert!(!said(2).is_empty());
    assert!(said(3).contains("shock 1: days -1"), "{}", said(3));
    assert!(cases[4]["shocks"][0]["pl"].is_number());
}
