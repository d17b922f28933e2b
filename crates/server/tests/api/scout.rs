//! What the page finds is what the batch writes; scheduled news against the exported files; and an
//! expectation that comes back when its date has passed.

use std::collections::HashMap;
use std::process::Command;

use crate::common::*;
use axum::http::StatusCode;
use serde_json::{Value, json};

type Row = HashMap<String, String>;

/// What the binary writes of the same market.
fn batch(args: &[&str]) -> Vec<Row> {
    let seed = SEED.to_string();
    let out = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(args)
        .args(["--seed", &seed])
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(out.status.success(), "{args:?}: {said}");
    let mut reader = csv::Reader::from_reader(out.stdout.as_slice());
    reader.deserialize().collect::<Result<_, _>>().unwrap()
}

fn number(text: &str) -> f64 {
    text.parse()
        .unwrap_or_else(|_| panic!("{text} is no number"))
}

/// The last piece of a search.
async fn searched(p: &Program, body: &Value) -> Value {
    let (status, text) = p.post("/api/scout/search", body).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    let text = text.as_str().unwrap().to_owned();
    let last = text.trim().rsplit("\n\n").next().unwrap();
    let done: Value = serde_json::from_str(last.strip_prefix("data:").unwrap().trim()).unwrap();
    assert_eq!(done["kind"], "done");
    done
}

/// A clock that stands, and the moment it stands at, to the minute and second.
async fn standing(p: &Program) -> String {
    let (status, answer) = p.post("/api/clock", &json!({ "running": false })).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
    let now = p.get("/api/clock").await["now"]
        .as_str()
        .unwrap()
        .to_owned();
    now.split(['-', '+']).take(3).collect::<Vec<_>>().join("-")
}

fn search_of(symbols: &[&str], more: &Value) -> Value {
    let mut body = json!({
        "symbols": symbols,
        "expectation": {
            "by": "2031-04-18", "low": 175, "high": 200, "sure": 0.6, "law": "flat",
        },
        "families": ["vertical", "condor", "calendar", "collar"],
        "price": "0.37",
        "expirations": 12,
        "reach": 1.2,
        "width": 10,
        "rows": 100,
        "limits": { "unlimited": true },
    });
    for (key, value) in more.as_object().unwrap() {
        body[key] = value.clone();
    }
    body
}

#[tokio::test]
async fn what_the_page_finds_is_what_the_batch_writes() {
    let place = Place::new();
    let p = place.program();
    let at = standing(&p).await;
    let done = searched(&p, &search_of(&["NMOU"], &json!({}))).await;
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("expectation.json");
    let expectation = json!({
        "by": "2031-04-18", "price": 0.37, "fees": true, "law": "flat",
        "regions": [{ "low": 175, "high": 200, "sure": 0.6 }],
    });
    std::fs::write(&file, expectation.to_string()).unwrap();
    let all = batch(&[
        "scout",
        "--symbol",
        "NMOU",
        "--at",
        &at,
        "--expectation",
        file.to_str().unwrap(),
        "--families",
        "vertical,condor,calendar,collar",
        "--width-max",
        "10",
        "--reach",
        "1.2",
        "--all",
    ]);
    let by_legs: HashMap<&str, &Row> = all.iter().map(|r| (r["legs"].as_str(), r)).collect();
    let rows = done["rows"].as_array().unwrap();
    assert!(rows.len() > 40, "{}", rows.len());
    for row in rows {
        // Its legs as the batch writes them: strikes ascending, puts first, the underlying before all.
        let mut legs: Vec<(String, i64)> = row["legs"]
            .as_array()
            .unwrap()
            .iter()
            .map(|l| {
                let contract = l["contract"].as_str().unwrap().to_owned();
                (contract, l["quantity"].as_i64().unwrap())
            })
            .collect();
        legs.sort_by_key(|(c, _)| {
            let option = c.len() == 21;
            let part = |a: usize, b: usize| {
                if option {
                    c[a..b].to_owned()
                } else {
                    String::new()
                }
            };
            (option, part(13, 21), part(12, 13) == "C", part(6, 12))
        });
        let text: Vec<String> = legs.iter().map(|(c, n)| format!("{n:+} {c}")).collect();
        let text = text.join("; ");
        let theirs = by_legs.get(text.as_str());
        let theirs = theirs.unwrap_or_else(|| panic!("{text} is not written"));
        for (ours, name) in [
            ("marketChance", "market_chance"),
            ("marketExpected", "market_expected"),
            ("ownChance", "own_chance"),
            ("ownExpected", "own_expected"),
            ("ownWorst5", "own_worst5"),
        ] {
            // Both are read from text, which may cost the last digit.
            let (a, b) = (row[ours].as_f64().unwrap(), number(&theirs[name]));
            assert!(
                (a - b).abs() <= 1e-12 * (1.0 + b.abs()),
                "{text} {name}: {a} {b}"
            );
        }
        for (ours, name) in [("maxProfit", "max_profit"), ("maxLoss", "max_loss")] {
            let same = match row[ours].as_f64() {
                None => theirs[name] == "unlimited",
                Some(x) => (x - number(&theirs[name])).abs() < 1e-9,
            };
            assert!(same, "{text} {name}");
        }
        assert_eq!(row["net"], theirs["net"].as_str(), "{text}");
        assert_eq!(row["capital"], theirs["capital"].as_str(), "{text}");
        assert_eq!(row["family"], theirs["family"].as_str());
    }
    // Over two at once each keeps its own, and the order is that of the measure.
    let two = searched(
        &p,
        &search_of(
            &["NMOU", "BRLW"],
            &json!({
                "expectation": {
                    "by": "2031-04-18", "low": -1, "high": 1, "unit": "deviations", "sure": 0.8,
                },
                "limits": { "unlimited": false, "maxLoss": 400, "chance": 0.4, "marketWidth": 0.5 },
                "strikes": 20, "expirations": 2,
            }),
        ),
    )
    .await;
    let rows = two["rows"].as_array().unwrap();
    for symbol in ["NMOU", "BRLW"] {
        assert!(rows.iter().any(|r| r["symbol"] == symbol), "{symbol}");
    }
    let ranks: Vec<f64> = rows.iter().map(|r| r["rank"].as_f64().unwrap()).collect();
    assert!(ranks.is_sorted_by(|a, b| a >= b));
    for row in rows {
        assert!(
            row["maxLoss"].as_f64().unwrap() <= 400.0 && row["ownChance"].as_f64() >= Some(0.4)
        );
    }
    assert!(!two["ruledOut"].as_array().unwrap().is_empty());
}

#[tokio::test]
async fn an_expectation_that_makes_no_sense_is_refused() {
    let place = Place::new();
    let p = place.program();
    let right = search_of(&["NMOU"], &json!({}));
    let expect = |change: Value| {
        let mut e = right["expectation"].clone();
        for (key, value) in change.as_object().unwrap() {
            e[key] = value.clone();
        }
        json!({ "expectation": e })
    };
    for (change, words) in [
        (
            expect(json!({ "low": null, "high": null })),
            "both sides are open",
        ),
        (expect(json!({ "low": 210 })), "has no inside"),
        (expect(json!({ "sure": 1.2 })), "is no chance"),
        (expect(json!({ "by": "2031-03-10" })), "is behind"),
        (
            expect(json!({ "low": 1e6, "high": null })),
            "no chance at all",
        ),
        (json!({ "price": "1.5" }), "part of the way"),
        (json!({ "families": [] }), "families"),
        (json!({ "symbols": [] }), "symbols"),
        (json!({ "weights": {} }), "weights"),
        (json!({ "limits": { "chance": 7 } }), "chance"),
    ] {
        let body = search_of(&["NMOU"], &change);
        let (status, answer) = p.post("/api/scout/search", &body).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{change}");
        let said = answer["message"].as_str().unwrap();
        assert!(said.contains(words), "{change}: {said}");
    }
    let (status, _) = p
        .post("/api/scout/search", &search_of(&["NOPE"], &json!({})))
        .await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}

/// The market's own chance is the law's at the exported volatility (lognormal, by quadrature-free
/// formula), and what is written back in deviations is the same region.
#[tokio::test]
async fn the_markets_chance_is_that_of_the_exported_expiration() {
    let place = Place::new();
    let p = place.program();
    let at = standing(&p).await;
    let rows = batch(&["export", "expirations", "--symbol", "NMOU", "--at", &at]);
    let row = rows.iter().find(|r| r["expiry"] == "2031-04-18").unwrap();
    let (forward, years) = (number(&row["forward"]), number(&row["t_years"]));
    let deviation = number(&row["atm_vol"]) * years.sqrt();
    let asked = json!({ "by": "2031-04-18", "low": 175, "high": 200, "sure": 0.6 });
    let (status, e) = p.post("/api/scout/expected/NMOU", &asked).await;
    assert_eq!(status, StatusCode::OK, "{e}");
    let below = |k: f64| quant::cdf(((k / forward).ln() + deviation * deviation / 2.0) / deviation);
    let market = below(200.0) - below(175.0);
    assert!((e["market"].as_f64().unwrap() - market).abs() < 1e-9);
    assert!((e["inside"].as_f64().unwrap() - 0.6 / market).abs() < 1e-9);
    let same = json!({
        "by": "2031-04-18", "low": e["lowDeviations"], "high": e["highDeviations"],
        "unit": "deviations",
    });
    let (_, again) = p.post("/api/scout/expected/NMOU", &same).await;
    assert!((again["low"].as_f64().unwrap() - 175.0).abs() < 1e-9);
    assert!(
        (again["sure"].as_f64().unwrap() - market).abs() < 1e-9,
        "the market’s where none is said"
    );
}

#[tokio::test]
async fn news_is_what_the_exported_files_say() {
    let place = Place::new();
    let p = place.program();
    let at = standing(&p).await;
    let view = p.get("/api/scout/news/NMOU?before=1&after=0").await;
    let next = &view["next"];
    let events = batch(&["export", "events", "--symbol", "NMOU", "--at", &at]);
    let ahead = events
        .iter()
        .find(|e| e["kind"] == "earnings" && e["date"].as_str() >= &at[..10])
        .unwrap();
    assert_eq!(next["date"], ahead["date"].as_str());
    // The two expirations around it, and the batch calculator's formula.
    let all = batch(&["export", "expirations", "--symbol", "NMOU", "--at", &at]);
    let after = all.iter().position(|e| e["ends"] > ahead["known"]).unwrap();
    let (near, far) = (&all[after - 1], &all[after]);
    let w = |e: &Row| number(&e["atm_vol"]).powi(2);
    let variance = (w(far) - w(near)) * number(&far["t_years"]);
    let sd = next["priced"]["deviation"].as_f64().unwrap();
    assert!(
        (sd - variance.sqrt()).abs() < 1e-9,
        "{sd} {}",
        variance.sqrt()
    );
    // A past one, looked at from a session before the last close to the close of its first session.
    let past = &view["past"].as_array().unwrap()[0];
    let moment = |key: &str| past[key].as_str().unwrap()[..19].to_owned();
    let (from, to) = (moment("before"), moment("after"));
    assert!(from.ends_with("16:00:00") && to.ends_with("16:00:00"));
    let bars = batch(&["export", "bars", "--symbol", "NMOU", "--at", &at]);
    let close = |date: &str| number(&bars.iter().find(|b| b["date"] == date).unwrap()["close"]);
    let moved = close(&to[..10]) / close(&from[..10]) - 1.0;
    assert!((past["moved"].as_f64().unwrap() - moved).abs() < 1e-12);
    let d = past["deviation"].as_f64().unwrap();
    let place_of = quant::cdf(((1.0 + moved).ln() + d * d / 2.0) / d);
    assert!((past["place"].as_f64().unwrap() - place_of).abs() < 1e-9);
    let (_, csv) = p
        .raw("GET", "/api/scout/news/NMOU/csv?before=1&after=0", "")
        .await;
    let lines = csv.as_str().unwrap().lines().count();
    assert_eq!(lines, view["past"].as_array().unwrap().len() + 1);

    // An iron condor of the expiration behind the news, carried back by delta: each leg is the one
    // nearest by delta in the exported chain of that day, and the money is that of its bids and asks.
    let expiry = far["expiry"].as_str();
    let chain = batch(&[
        "export", "chain", "--symbol", "NMOU", "--at", &at, "--expiry", expiry,
    ]);
    let nearest = |chain: &[Row], right: &str, delta: f64| {
        let side = chain.iter().filter(|r| r["contract"].contains(right));
        let away = |r: &&Row| (number(&r["delta"]).abs() - delta).abs();
        side.min_by(|a, b| away(a).total_cmp(&away(b)))
            .unwrap()
            .clone()
    };
    let right = |r: &Row| {
        if r["contract"].as_bytes()[12] == b'C' {
            "C0"
        } else {
            "P0"
        }
    };
    let now: Vec<(Row, i64)> = [
        ("P0", 0.1, 1),
        ("P0", 0.3, -1),
        ("C0", 0.3, -1),
        ("C0", 0.1, 1),
    ]
    .into_iter()
    .map(|(r, delta, n)| (nearest(&chain, r, delta), n))
    .collect();
    let legs: Vec<Value> = now
        .iter()
        .map(|(r, n)| json!({ "contract": r["contract"], "quantity": n }))
        .collect();
    let asked = json!({ "legs": legs, "looks": { "before": 1 }, "by": "delta" });
    let (status, replay) = p.post("/api/scout/news/NMOU/replay", &asked).await;
    assert_eq!(status, StatusCode::OK, "{replay}");
    let row = &replay["rows"][0];
    let moment = |key: &str| row[key].as_str().unwrap()[..19].to_owned();
    let (from, to) = (moment("before"), moment("after"));
    let found: Vec<(String, i64)> = row["legs"]
        .as_array()
        .unwrap()
        .iter()
        .map(|l| {
            (
                l["contract"].as_str().unwrap().to_owned(),
                l["quantity"].as_i64().unwrap(),
            )
        })
        .collect();
    let date = format!(
        "20{}-{}-{}",
        &found[0].0[6..8],
        &found[0].0[8..10],
        &found[0].0[10..12]
    );
    let then = |at: &str| {
        batch(&[
            "export", "chain", "--symbol", "NMOU", "--at", at, "--expiry", &date,
        ])
    };
    let (entry, exit) = (then(&from), then(&to));
    for (r, n) in &now {
        let wanted = nearest(&entry, right(r), number(&r["delta"]).abs());
        assert!(
            found.contains(&(wanted["contract"].clone(), *n)),
            "{wanted:?} {found:?}"
        );
    }
    let (mut middle, mut far_side) = (0.0, 0.0);
    for (contract, n) in &found {
        let quote = |chain: &[Row]| {
            let r = chain.iter().find(|r| r["contract"] == *contract).unwrap();
            // Nobody bids where it is empty.
            let bid = Some(&r["bid"]).filter(|b| !b.is_empty());
            (bid.map_or(0.0, |b| number(b)), number(&r["ask"]))
        };
        let ((b0, a0), (b1, a1)) = (quote(&entry), quote(&exit));
        let n = *n as f64 * 100.0;
        middle += n * ((b1 + a1) / 2.0 - (b0 + a0) / 2.0);
        far_side += if n > 0.0 {
            n * (b1 - a0)
        } else {
            n * (a1 - b0)
        };
    }
    let fee = batch(&["export", "instrument", "--symbol", "NMOU", "--at", &at]);
    let fee = number(&fee.iter().find(|r| r["name"] == "fee_option").unwrap()["value"]);
    let told = |key: &str| number(row[key].as_str().unwrap());
    assert!(
        (told("middle") - (middle - 8.0 * fee)).abs() < 1e-6,
        "{row}"
    );
    assert!((told("far") - (far_side - 8.0 * fee)).abs() < 1e-6, "{row}");
    let sum: f64 = replay["rows"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(|r| r["far"].as_str().map(number))
        .sum();
    assert!((number(replay["far"]["sum"].as_str().unwrap()) - sum).abs() < 1e-6);
}

#[tokio::test]
async fn an_expectation_comes_back_when_its_date_has_passed() {
    let place = Place::new();
    let p = place.program();
    standing(&p).await;
    let legs = p.bear_call().await;
    let head = p.get("/api/chain/NMOU").await["head"].clone();
    let spot = head["level"].as_f64().unwrap();
    let keep = |sure: f64, chosen: bool| {
        json!({
            "symbol": "NMOU",
            "expectation": { "by": "2031-03-21", "low": -1, "high": null, "unit": "deviations", "sure": sure },
            "note": "rests",
            "shortlist": [{ "legs": legs, "chosen": chosen }],
        })
    };
    for (id, sure) in [("a", 0.72), ("b", 0.78), ("c", 0.05)] {
        let (status, answer) = p
            .raw(
                "PUT",
                &format!("/api/scout/expectations/{id}"),
                &keep(sure, false).to_string(),
            )
            .await;
        assert_eq!(status, StatusCode::NO_CONTENT, "{answer}");
    }
    let first = p.get("/api/scout/expectations").await;
    let kept = first["kept"].as_array().unwrap();
    let of = |kept: &[Value], id: &str| kept.iter().find(|k| k["id"] == id).unwrap().clone();
    let a = of(kept, "a");
    assert_eq!(
        (&a["right"], &a["price"], &a["spot"]),
        (&Value::Null, &Value::Null, &json!(spot))
    );
    assert_eq!(first["tenths"], json!([]));
    let low = a["expectation"]["low"].as_f64().unwrap();
    assert!(
        low < spot && a["expectation"]["unit"] == "prices" && a["expectation"]["high"].is_null()
    );
    let paid = units(&a["shortlist"][0]["paid"]);
    // Later the same expectation stays as it was made; what was taken and the note change.
    let (status, _) = p.post("/api/clock", &json!({ "goTo": "2031-03-24" })).await;
    assert_eq!(status, StatusCode::OK);
    let (status, answer) = p
        .raw(
            "PUT",
            "/api/scout/expectations/a",
            &keep(0.5, true).to_string(),
        )
        .await;
    assert_eq!(status, StatusCode::NO_CONTENT, "{answer}");
    let (status, _) = p.raw("DELETE", "/api/scout/expectations/c", "").await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    let then = p.get("/api/scout/expectations").await;
    let kept = then["kept"].as_array().unwrap();
    assert_eq!(kept.len(), 2);
    let a = of(kept, "a");
    assert_eq!(
        (&a["sure"], &a["shortlist"][0]["chosen"]),
        (&json!(0.72), &json!(true))
    );
    assert_eq!(units(&a["shortlist"][0]["paid"]), paid);
    let price = a["price"].as_f64().unwrap();
    assert_eq!(a["right"], json!(price >= low));
    let right = if price >= low { 2 } else { 0 };
    let tenth = &then["tenths"][0];
    assert_eq!(
        (&tenth["from"], &tenth["count"], &tenth["right"]),
        (&json!(70), &json!(2), &json!(right))
    );
    assert!((tenth["sure"].as_f64().unwrap() - 0.75).abs() < 1e-9);
    // What it made: its exported middles at the end of that session, less what was paid.
    let contract = |i: usize| {
        a["shortlist"][0]["legs"][i]["contract"]
            .as_str()
            .unwrap()
            .to_owned()
    };
    let chain = batch(&[
        "export",
        "chain",
        "--symbol",
        "NMOU",
        "--at",
        "2031-03-21T16:00",
        "--expiry",
        "2031-04-18",
    ]);
    let mut worth = 0.0;
    for i in 0..2 {
        let r = chain.iter().find(|r| r["contract"] == contract(i)).unwrap();
        let n = a["shortlist"][0]["legs"][i]["quantity"].as_f64().unwrap();
        worth += 50.0 * n * (number(&r["bid"]) + number(&r["ask"]));
    }
    let made = number(a["shortlist"][0]["made"].as_str().unwrap());
    assert!((made - (worth - paid as f64 / 1e4)).abs() < 1e-6, "{made}");
}
