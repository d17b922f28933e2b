//! The batch calculator as it is run: files in, files out, its exit status.

use std::collections::HashMap;
use std::io::Write;
use std::process::{Command, Output, Stdio};

use serde_json::{Value, json};

fn calc(what: &str, input: &str, more: &[&str]) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(["calc", what])
        .args(more)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut stdin = child.stdin.take().unwrap();
    let input = input.to_owned();
    let writer = std::thread::spawn(move || {
        let _ = stdin.write_all(input.as_bytes());
    });
    let out = child.wait_with_output().unwrap();
    writer.join().unwrap();
    out
}

/// Rows of a CSV answer by column name.
fn rows(out: &Output) -> Vec<HashMap<String, String>> {
    let mut reader = csv::Reader::from_reader(&out.stdout[..]);
    reader.deserialize().map(|r| r.unwrap()).collect()
}

fn number(row: &HashMap<String, String>, column: &str) -> f64 {
    row[column]
        .parse()
        .unwrap_or_else(|_| panic!("{column}: {row:?}"))
}

const PRICE: &str = "id,kind,style,on,underlying,strike,t_years,rate,yield,vol,dividends\n";

/// H = Hull, *Options, Futures and Other Derivatives*; Hg = Haug, *The Complete Guide to Option
/// Pricing Formulas*; BD = Broadie & Detemple (1996) table 1; all printed values from memory, kept
/// because an independent library reproduces them.
#[test]
fn prices_meet_printed_values_in_every_kind_of_row() {
    let table = [
        (
            "H 15.6 call",
            "call,european,spot,42,40,0.5,0.10,0,0.20,",
            4.76,
            5e-3,
        ),
        (
            "H 15.6 put",
            "put,european,spot,42,40,0.5,0.10,0,0.20,",
            0.81,
            5e-3,
        ),
        (
            "Hg 1.1",
            "call,european,spot,60,65,0.25,0.08,0,0.30,",
            2.1334,
            5e-5,
        ),
        (
            "Hg Merton",
            "put,european,spot,100,95,0.5,0.10,0.05,0.20,",
            2.4648,
            5e-5,
        ),
        (
            "Hg Black 76",
            "call,european,future,19,19,0.75,0.10,0,0.28,",
            1.7011,
            5e-5,
        ),
        (
            "H 18.8 Black 76",
            "put,european,future,20,20,0.3333333333333333,0.09,0,0.25,",
            1.12,
            5e-3,
        ),
        (
            "BD call",
            "call,american,spot,100,100,0.5,0.03,0.07,0.20,",
            4.7825,
            3e-4,
        ),
        (
            "BD call, r = 0",
            "call,american,spot,110,100,0.5,0,0.07,0.30,",
            12.9552,
            3e-4,
        ),
        (
            "Cox & Rubinstein put",
            "put,american,spot,40,45,0.5833,0.0488,0,0.4,",
            7.3830,
            2e-4,
        ),
        (
            "dividend, early exercise",
            "call,american,spot,105,90,0.1643835616438356,0.05,0,0.20,0.0273972602739726:2",
            15.1234,
            5e-4,
        ),
        (
            "dividend, European",
            "call,european,spot,105,90,0.1643835616438356,0.05,0,0.20,0.0273972602739726:2",
            13.8625,
            5e-4,
        ),
    ];
    let input: String = table
        .iter()
        .enumerate()
        .map(|(i, (_, row, ..))| format!("{i},{row}\n"))
        .collect();
    for more in [&[][..], &["--accuracy", "interactive"]] {
        let out = calc("price", &format!("{PRICE}{input}"), more);
        assert!(
            out.status.success(),
            "{}",
            String::from_utf8_lossy(&out.stderr)
        );
        let rows = rows(&out);
        assert_eq!(rows.len(), table.len());
        for (i, (what, _, want, tolerance)) in table.iter().enumerate() {
            assert_eq!(rows[i]["id"], i.to_string(), "in their order");
            let got = number(&rows[i], "price");
            assert!(
                (got - want).abs() <= tolerance + 1e-4 * f64::from(u8::from(!more.is_empty())),
                "{what}: {got} {want}"
            );
        }
    }
}

#[test]
fn a_bad_row_says_why_and_the_good_ones_are_written() {
    let bad = [
        (
            "call,european,spot,abc,40,0.5,0.1,0,0.2,",
            "underlying \"abc\" is not a number",
        ),
        (
            "call,european,spot,-4,40,0.5,0.1,0,0.2,",
            "spot must be above zero, not -4",
        ),
        (
            "call,european,spot,42,0,0.5,0.1,0,0.2,",
            "strike must be above zero",
        ),
        (
            "call,european,spot,42,40,-1,0.1,0,0.2,",
            "time must not be below zero",
        ),
        (
            "call,european,spot,42,40,0.5,0.1,0,NaN,",
            "vol \"NaN\" is not finite",
        ),
        (
            "straddle,european,spot,42,40,0.5,0.1,0,0.2,",
            "kind \"straddle\" is not known; write call or put",
        ),
        (
            "call,bermudan,spot,42,40,0.5,0.1,0,0.2,",
            "style \"bermudan\" is not known; write european or american",
        ),
        (
            "call,european,spot,42,40,0.5,0.1,0,0.2,0.1",
            "is not time:amount; write them like 0.1:0.5;0.35:0.5",
        ),
        (
            "call,european,future,42,40,0.5,0.1,0,0.2,0.1:1",
            "a future pays none",
        ),
        (
            "put,american,spot,42,40,0.5,-0.02,-0.04,0.2,",
            "inside a band of prices",
        ),
        (
            "call,european,spot,42,40,0.5,0.1",
            "8 fields where the header has 11",
        ),
    ];
    let good = "call,european,spot,42,40,0.5,0.10,0,0.20,\n";
    let mut input = PRICE.to_owned();
    for (i, (row, _)) in bad.iter().enumerate() {
        input += &format!("bad{i},{row}\ngood{i},{good}");
    }
    let out = calc("price", &input, &[]);
    assert_eq!(out.status.code(), Some(1));
    let rows = rows(&out);
    assert_eq!(rows.len(), 2 * bad.len());
    for (i, (row, why)) in bad.iter().enumerate() {
        assert!(
            rows[2 * i]["error"].contains(why) && rows[2 * i]["price"].is_empty(),
            "{row}: {:?}",
            rows[2 * i]
        );
        assert_eq!(
            (&rows[2 * i + 1]["id"], &rows[2 * i + 1]["error"]),
            (&format!("good{i}"), &String::new())
        );
        assert!((number(&rows[2 * i + 1], "price") - 4.759422).abs() < 1e-6);
    }
    for (input, why) in [
        ("id,kind\n1,call\n", "the header lacks style"),
        (
            &PRICE.replace("dividends", "dividends,colour")[..],
            "\"colour\"",
        ),
    ] {
        let out = calc("price", input, &[]);
        assert_eq!(out.status.code(), Some(2));
        assert!(String::from_utf8_lossy(&out.stderr).contains(why) && out.stdout.is_empty());
    }
    let missing = calc("price", "", &["--in", "no/such/file.csv"]);
    assert!(
        missing.status.code() == Some(2)
            && String::from_utf8_lossy(&missing.stderr).contains("no/such/file.csv")
    );
}

#[test]
fn volatility_comes_back_from_the_price_in_order_over_several_blocks() {
    let mut input = PRICE.to_owned();
    let mut wanted = Vec::new();
    for i in 0..5_000 {
        let vol = 0.05 + 0.0002 * f64::from(i % 4_000);
        let style = if i % 50 == 0 { "american" } else { "european" };
        let kind = if i % 2 == 0 { "put" } else { "call" };
        let strike = 80 + i % 41;
        input += &format!(
            "{i},{kind},{style},spot,100,{strike},{},0.04,0.02,{vol},\n",
            0.05 + 0.0003 * f64::from(i)
        );
        wanted.push(vol);
    }
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("prices.csv");
    std::fs::write(folder.path().join("in.csv"), input.clone()).unwrap();
    let files = [
        "--in",
        folder.path().join("in.csv").to_str().unwrap(),
        "--out",
        file.to_str().unwrap(),
        "--accuracy",
        "interactive",
    ]
    .map(str::to_owned);
    let out = calc(
        "price",
        "",
        &files.iter().map(String::as_str).collect::<Vec<_>>(),
    );
    assert!(
        out.status.success() && out.stdout.is_empty(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    let prices: Vec<HashMap<String, String>> = csv::Reader::from_path(&file)
        .unwrap()
        .deserialize()
        .map(|r| r.unwrap())
        .collect();
    let mut back = PRICE.replace(",vol,", ",price,");
    for (line, priced) in input.lines().skip(1).zip(&prices) {
        let mut cells: Vec<&str> = line.split(',').collect();
        cells[9] = &priced["price"];
        back += &format!("{}\n", cells.join(","));
    }
    let out = calc("iv", &back, &["--accuracy", "interactive"]);
    let mut checked = 0;
    for ((i, row), want) in rows(&out).iter().enumerate().zip(wanted) {
        assert_eq!(row["id"], i.to_string());
        if row["error"].is_empty() && number(&prices[i], "vega_pt") > 1e-6 {
            assert!((number(row, "iv") - want).abs() < 1e-8, "{row:?} {want}");
            checked += 1;
        } else {
            assert!(
                row["error"].is_empty() || row["error"].contains("below intrinsic value"),
                "{row:?}"
            );
        }
    }
    assert!(checked > 4_500, "{checked}");
}

/// Worked by closed forms and recomputed with an independent library: S = 100, 90/110, 45 days, σ =
/// 25 %, drift 3 %.
#[test]
fn chances_match_the_worked_example() {
    let out = calc(
        "chance",
        "id,underlying,low,high,t_years,vol,rate,yield\n\
         a,100,90,110,0.1232876712328767,0.25,0.03,0\n\
         b,100,110,90,0.1,0.25,0.03,0\n",
        &[],
    );
    assert_eq!(out.status.code(), Some(1));
    let rows = rows(&out);
    for (column, want) in [
        ("touch_low", 0.230520),
        ("touch_high", 0.277050),
        ("touch_neither", 0.493666),
        ("touch_either", 0.506334),
        ("touch_both", 0.001237),
    ] {
        assert!(
            (number(&rows[0], column) - want).abs() < 5e-7,
            "{column}: {:?}",
            rows[0]
        );
    }
    let sum = number(&rows[0], "below") + number(&rows[0], "between") + number(&rows[0], "above");
    assert!((sum - 1.0).abs() < 1e-15);
    assert!(rows[1]["error"].contains("low"), "{:?}", rows[1]);
}

/// The move that is priced for an event, worked by hand: 36 % over 0.1 years where 30 % holds before
/// the event leaves (0.1296 − 0.09)·0.1 = 0.00396; with both expirations behind it, 50 % over 0.04
/// and 40 % over 0.2 leave a base of (0.032 − 0.01)/0.16 = 0.1375.
#[test]
fn the_move_at_an_event() {
    let out = calc(
        "event",
        "id,t1,vol1,t2,vol2,t_event\n\
         only the later,0.05,0.30,0.10,0.36,0.06\n\
         at the first,0.04,0.5,0.2,0.4,0.04\n\
         nothing left,0.05,0.40,0.10,0.30,0.1\n\
         contradiction,0.1,0.9,0.2,0.3,0.05\n\
         turned,0.2,0.3,0.1,0.3,0.05\n\
         behind,0.05,0.3,0.1,0.3,0.11\n\
         no volatility,0.05,0,0.1,0.3,0.06\n\
         empty,0.05,,0.1,0.3,0.06\n",
        &[],
    );
    assert_eq!(out.status.code(), Some(1));
    let rows = rows(&out);
    let near = |row: usize, column: &str, wanted: f64| {
        let got = number(&rows[row], column);
        assert!(
            (got - wanted).abs() < 1e-12,
            "{row} {column}: {got}, not {wanted}"
        );
    };
    near(0, "event_sd", 0.00396_f64.sqrt());
    near(
        0,
        "mean_move",
        (0.00396 * 2.0 / std::f64::consts::PI).sqrt(),
    );
    near(0, "base_vol", 0.30);
    near(1, "base_vol", 0.1375_f64.sqrt());
    near(1, "event_sd", (0.01_f64 - 0.1375 * 0.04).sqrt());
    near(2, "event_sd", 0.0);
    near(2, "base_vol", 0.40);
    for (row, words) in [
        (3, "below 0"),
        (4, "before the later"),
        (5, "behind the later"),
        (6, "above 0"),
        (7, "vol1"),
    ] {
        assert!(rows[row]["error"].contains(words), "{:?}", rows[row]);
        assert_eq!(rows[row]["event_sd"], "", "{:?}", rows[row]);
    }
}

/// Exact payoffs by rational arithmetic: multiplier 100; net cost, most, least, break-evens,
/// stretches of zero.
#[test]
fn positions_match_the_table_of_payoffs() {
    let leg = |text: &str| {
        let w: Vec<&str> = text.split_whitespace().collect();
        let qty: f64 = w[0].parse().unwrap();
        let entry: f64 = w[2].trim_start_matches('@').parse().unwrap();
        if w[1] == "stock" {
            return json!({
                "qty": qty * 100.0,
                "kind": "stock",
                "entry_price": entry,
                "multiplier": 1,
            });
        }
        let (strike, kind) = w[1].split_at(w[1].len() - 1);
        let kind = if kind == "C" { "call" } else { "put" };
        json!({
            "qty": qty,
            "kind": kind,
            "strike": strike.parse::<f64>().unwrap(),
            "t_years": 0.1,
            "entry_price": entry,
            "multiplier": 100,
            "vol": 0.25,
        })
    };
    let un = || json!("unlimited");
    let table = [
        (
            "-1 95P @1.60, +1 90P @0.70",
            -90.0,
            json!(90.0),
            json!(410.0),
            vec![94.1],
            json!([]),
        ),
        (
            "+1 90P @0.6, -1 95P @1.6, -1 105C @1.7, +1 110C @0.7",
            -200.0,
            json!(200.0),
            json!(300.0),
            vec![93.0, 107.0],
            json!([]),
        ),
        (
            "+1 95C @6.6, -2 100C @3.6, +1 110C @0.6",
            0.0,
            json!(500.0),
            json!(500.0),
            vec![105.0],
            json!([[0.0, 95.0]]),
        ),
        (
            "+1 100C @3.4, -2 105C @1.6",
            20.0,
            json!(480.0),
            un(),
            vec![100.2, 109.8],
            json!([]),
        ),
        (
            "-1 100C @3.2, +2 105C @1.6",
            0.0,
            un(),
            json!(500.0),
            vec![110.0],
            json!([[0.0, 100.0]]),
        ),
        (
            "-1 95P @1.6, -1 105C @1.7, +1 107C @1.1",
            -220.0,
            json!(220.0),
            json!(9280.0),
            vec![92.8],
            json!([]),
        ),
        (
            "+1 stock @100, -1 105C @1.7",
            9830.0,
            json!(670.0),
            json!(9830.0),
            vec![98.3],
            json!([]),
        ),
        (
            "+1 stock @100, +1 95P @1.6, -1 105C @1.7",
            9990.0,
            json!(510.0),
            json!(490.0),
            vec![99.9],
            json!([]),
        ),
        (
            "+1 stock @100, +1 100P @3.1, -1 100C @3.4",
            9970.0,
            json!(30.0),
            json!(-30.0),
            vec![],
            json!([]),
        ),
        (
            "+1 95C @6.6, +1 105P @6.4",
            1300.0,
            un(),
            json!(300.0),
            vec![92.0, 108.0],
            json!([]),
        ),
    ];
    let cases: Vec<Value> = table
        .iter()
        .map(|(legs, ..)| {
            let legs: Vec<Value> = legs.split(',').map(leg).collect();
            json!({
                "id": legs.len(),
                "spot": 100,
                "rate": 0.04,
                "yield": 0.0,
                "prob_vol": 0.25,
                "legs": legs,
                "eval": [{ "spot": 101.0, "elapsed_years": 0.1, "vol_shift": 0.0 }],
            })
        })
        .collect();
    let out = calc("position", &json!({ "cases": cases }).to_string(), &[]);
    assert!(
        out.status.success(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    let answer: Value = serde_json::from_slice(&out.stdout).unwrap();
    let close = |got: &Value, want: &Value| {
        got == want
            || (got.as_f64().unwrap_or(f64::NAN) - want.as_f64().unwrap_or(f64::NAN)).abs() < 1e-9
    };
    for ((legs, cost, most, least, evens, zero), got) in
        table.iter().zip(answer["cases"].as_array().unwrap())
    {
        assert!(
            close(&got["net_cost"], &json!(cost))
                && close(&got["max_profit"], most)
                && close(&got["max_loss"], least),
            "{legs}: {got}"
        );
        let found: Vec<f64> = got["break_evens"]
            .as_array()
            .unwrap()
            .iter()
            .map(|v| v.as_f64().unwrap())
            .collect();
        assert!(
            found.len() == evens.len()
                && found.iter().zip(evens).all(|(a, b)| (a - b).abs() < 1e-9),
            "{legs}: {found:?}"
        );
        assert_eq!(&got["zero_ranges"], zero, "{legs}");
        assert_eq!(
            got["max_profit_side"],
            if *most == un() {
                json!("up")
            } else {
                Value::Null
            }
        );
        // At expiry the value is the payoff.
        let at = got["eval"][0]["pl"].as_f64().unwrap();
        assert!(
            *most == un() || at <= most.as_f64().unwrap() + 1e-9,
            "{legs}: {at}"
        );
    }
}

/// Call calendar 100, 30/60 days, volatilities 25/24 %, r = 4 %: recomputed with an independent
/// library.
#[test]
fn a_calendar_is_valued_at_its_first_expiration_and_greeks_are_null_at_a_corner() {
    let leg = |qty: i64, days: f64, vol: f64, entry: f64| {
        json!({
            "qty": qty,
            "kind": "call",
            "strike": 100,
            "t_years": days / 365.0,
            "entry_price": entry,
            "multiplier": 1,
            "vol": vol,
        })
    };
    let case = json!({
        "id": "calendar", "spot": 100, "rate": 0.04, "yield": 0, "prob_vol": 0.25,
        "legs": [leg(-1, 30.0, 0.25, 3.0), leg(1, 60.0, 0.24, 4.183076)],
        "eval": [{ "spot": 100, "elapsed_years": 30.0 / 365.0, "vol_shift": 0.0 }, { "spot": 100 }] });
    let bad = json!({
        "id": 7,
        "spot": 100,
        "rate": 0.04,
        "yield": 0,
        "prob_vol": 0.25,
        "legs": [{ "qty": 1, "kind": "call", "entry_price": 1, "multiplier": 1 }],
    });
    let out = calc(
        "position",
        &json!({ "cases": [case, bad] }).to_string(),
        &[],
    );
    assert_eq!(out.status.code(), Some(1));
    let answer: Value = serde_json::from_slice(&out.stdout).unwrap();
    let got = &answer["cases"][0];
    let near = |v: &Value, want: f64| (v.as_f64().unwrap() - want).abs() < 2e-6;
    assert!(
        near(&got["max_profit"], 1.724075)
            && near(&got["max_loss"], 1.183076)
            && near(&got["pl_at_zero"], -1.183076),
        "{got}"
    );
    assert!(
        (got["break_evens"][0].as_f64().unwrap() - 95.8140).abs() < 1e-4
            && (got["break_evens"][1].as_f64().unwrap() - 105.2737).abs() < 1e-4
    );
    assert!((got["pl_limit_at_infinity"].as_f64().unwrap() + 0.8548).abs() < 1e-4);
    assert_eq!(got["eval"][0]["gamma"], Value::Null);
    assert!(near(&got["eval"][0]["pl"], 1.724075) && got["eval"][1]["gamma"].is_number());
    assert_eq!(
        (&answer["cases"][1]["id"], &answer["cases"][1]["error"]),
        (&json!(7), &json!("leg 0: strike is missing"))
    );
}
