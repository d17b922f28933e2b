//! Building and judging through the API: what is said in two places is the same, and what is
//! written down comes back.

use crate::common::*;
use axum::http::StatusCode;
use serde_json::{Value, json};

fn number(v: &Value) -> f64 {
    v.as_f64()
        .or_else(|| v.as_str()?.parse().ok())
        .unwrap_or_else(|| panic!("{v}"))
}

#[tokio::test]
async fn the_bench_says_what_the_evaluation_says_and_what_it_does_to_the_book() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let plain = p.evaluate(&legs, None).await;
    for entry in [
        json!("middle"),
        json!("rest"),
        json!("cross"),
        json!({ "net": "-1.10" }),
        json!({ "legs": { legs[0]["contract"].as_str().unwrap(): "7.00" } }),
    ] {
        let asked = json!({ "symbol": "NMOU", "legs": legs, "entry": entry });
        let (_, e) = p.post("/api/evaluate", &asked).await;
        let mut more = asked.clone();
        more["days"] = json!([10, 0]);
        more["grid"] = json!({ "steps": "matter", "unit": "ofMost" });
        more["chances"] = json!({ "smile": true, "targetPercent": 50, "stopPercent": 50 });
        let (status, b) = p.post("/api/bench", &more).await;
        assert_eq!(status, StatusCode::OK, "{b}");
        assert_eq!(b["evaluation"], e, "{entry}");
        assert_eq!(
            (&b["most"], &b["least"]),
            (&e["most"], &e["least"]),
            "nothing is moved"
        );
        // A share of the most is the money over the most.
        let (most, last) = (
            number(&e["most"]["profit"]),
            b["grid"]["values"]
                .as_array()
                .unwrap()
                .last()
                .unwrap()
                .as_array()
                .unwrap()[0]
                .clone(),
        );
        assert!(
            (number(&last) - 100.0).abs() < 1e-6,
            "far below it keeps all of its most, {most}: {last}"
        );
        let c = &b["chances"];
        assert!(
            (number(&c["target"]) - most / 2.0).abs() < 0.01
                && number(&c["reached"]) + number(&c["stopped"]) < 1.01,
            "{c}"
        );
    }
    let (_, b) = p
        .post(
            "/api/bench",
            &json!({ "symbol": "NMOU", "legs": legs, "days": [0] }),
        )
        .await;
    let (before, after) = (&b["effect"]["before"], &b["effect"]["after"]);
    assert_eq!(
        (number(&before["theta"]), number(&before["vega"])),
        (0.0, 0.0),
        "nothing is held"
    );
    assert!((number(&after["theta"]) - number(&plain["greeks"]["theta"])).abs() < 1e-9);
    let index = number(&p.get("/api/chain/WXMR").await["head"]["level"]);
    let weighted = number(&plain["greeks"]["delta"]) * number(&plain["spot"]) / index;
    let beta = number(&after["lean"]) / weighted;
    assert!(
        (0.5..2.5).contains(&beta),
        "lean is delta in index shares by beta: {beta}"
    );
    assert_eq!(after["buyingPower"], plain["money"]["buyingPowerAfter"]);
    let share = -number(&plain["least"]["profit"]) / 60_000.0;
    assert!((number(&b["effect"]["atRisk"]) - share).abs() < 1e-9);
    // The trader's own rule is asked for, kept, and warns.
    assert_eq!(p.get("/api/rules").await["rules"], json!([]));
    let rule = json!({
        "scope": { "for": "all" }, "measure": "trade_risk", "side": "above", "limit": "0.1",
    });
    let (status, _) = p.post("/api/rules", &rule).await;
    assert_eq!(status, StatusCode::CREATED);
    drop(p);
    let again = place.program();
    let kept = again.get("/api/rules").await["rules"][0].clone();
    assert_eq!(
        (kept["rule"]["limit"].as_str(), kept["sentence"].as_str()),
        (
            Some("0.1"),
            Some("A new trade is marked where it can lose more than 0.1 % of the account.")
        )
    );
    let warned = again.evaluate(&legs, None).await;
    assert!(warned["checks"].as_array().unwrap().iter().any(|c| {
        c["verdict"] == "warning"
            && c["text"]
                .as_str()
                .unwrap()
                .contains("your rule says at most 0.1 %")
    }));
}

#[tokio::test]
async fn a_draft_comes_back_from_table_text_and_shelf_as_it_was() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let prices = json!({ legs[0]["contract"].as_str().unwrap(): "2.05" });
    let draft = json!({
        "symbol": "NMOU", "legs": legs, "name": "over results", "note": "half at the \
            middle,\nrest by Friday",
        "entry": { "legs": prices }, "target": { "price": 191.5, "date": "2031-04-04" }
    });
    let (status, _) = p.raw("PUT", "/api/drafts/C", &draft.to_string()).await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    let (status, _) = p
        .raw("PUT", "/api/shelf/over%20results", &draft.to_string())
        .await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    drop(p);
    let p = place.program();
    assert_eq!(
        p.get("/api/drafts").await,
        json!([{ "slot": "C", "draft": draft }]),
        "the shelf is no place of the tray"
    );
    assert_eq!(p.get("/api/shelf").await, json!({ "over results": draft }));
    let (status, read) = p
        .post("/api/drafts/read", &json!({ "text": draft.to_string() }))
        .await;
    assert_eq!(
        (status, &read),
        (StatusCode::OK, &json!({ "draft": draft, "expired": [] }))
    );
    // The table has the legs and their prices.
    let (_, table) = p.post("/api/drafts/csv", &draft).await;
    let table = table.as_str().unwrap();
    assert!(
        table.starts_with("contract,quantity,price\r\nNMOU  310418C00")
            && table.lines().count() == 3,
        "{table:?}"
    );
    let (_, read) = p.post("/api/drafts/read", &json!({ "text": table })).await;
    assert_eq!(
        read["draft"],
        json!({ "symbol": "NMOU", "legs": legs, "entry": { "legs": prices } })
    );
    // Careless tools strip the spaces of a symbol.
    let (_, read) = p
        .post(
            "/api/drafts/read",
            &json!({ "text": table.replace("  ", "") }),
        )
        .await;
    assert_eq!(read["draft"]["legs"], legs);
    // What has expired since is named, and the draft is still read.
    let old = json!({
        "symbol": "NMOU",
        "legs": [{ "contract": "NMOU  310307C00190000", "quantity": 1 }],
    });
    let (status, read) = p
        .post("/api/drafts/read", &json!({ "text": old.to_string() }))
        .await;
    assert_eq!(
        (status, &read["expired"]),
        (StatusCode::OK, &json!(["190 call, 7 Mar"]))
    );
    let (status, _) = p.raw("DELETE", "/api/shelf/over%20results", "").await;
    assert_eq!(
        (status, p.get("/api/shelf").await),
        (StatusCode::NO_CONTENT, json!({}))
    );
}

#[tokio::test]
async fn ideas_are_structures_with_names_and_legs_are_picked_from_the_chain() {
    let place = Place::new();
    let p = place.program();
    let (key, rows) = p.monthly().await;
    for intention in [
        "rises",
        "falls",
        "stays",
        "moves",
        "income",
        "protection",
        "replaceStock",
    ] {
        let ideas = p
            .get(&format!(
                "/api/ideas/NMOU?expiration={key}&intention={intention}"
            ))
            .await;
        assert!(ideas.as_array().unwrap().len() >= 3, "{intention}");
        for idea in ideas.as_array().unwrap() {
            let e = &idea["evaluation"];
            assert_ne!(e["name"], "custom", "{intention}");
            assert_eq!(p.evaluate(&e["unit"], None).await["name"], e["name"]);
        }
    }
    let index = p.get("/api/chain/WXMR").await;
    let wxmr = index["head"]["marks"]
        .as_array()
        .unwrap()
        .iter()
        .find(|m| m["days"].as_i64() > Some(25))
        .unwrap()["key"]
        .as_str()
        .unwrap()
        .to_owned();
    let floor = p
        .get(&format!(
            "/api/ideas/WXMR?expiration={wxmr}&intention=protection"
        ))
        .await;
    assert_eq!(
        floor.as_array().unwrap().len(),
        1,
        "an index itself cannot be bought: {floor}"
    );
    let picked = p
        .get(&format!(
            "/api/pick/NMOU?expiration={key}&side=put&by=delta&value=0.2"
        ))
        .await;
    let delta = |r: &Value| (r["put"]["delta"].as_f64().unwrap().abs() - 0.2).abs();
    let nearest = rows
        .iter()
        .min_by(|a, b| delta(a).total_cmp(&delta(b)))
        .unwrap();
    assert_eq!(picked["contract"], nearest["put"]["contract"]);
    let (status, refused) = p
        .raw(
            "GET",
            &format!("/api/pick/NMOU?expiration={key}&side=put&by=delta&value=1.2"),
            "",
        )
        .await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY
            && refused["message"]
                .as_str()
                .unwrap()
                .contains("write above 0, below 1"),
        "{refused}"
    );
}

#[tokio::test]
async fn the_smile_runs_through_its_markets_and_the_past_has_its_volatilities() {
    let place = Place::new();
    let p = place.program();
    let (key, _) = p.monthly().await;
    let smile = p.get(&format!("/api/smile/NMOU?expiration={key}")).await;
    let points = smile["points"].as_array().unwrap();
    assert!(points.len() > 15, "{}", points.len());
    for point in points {
        let (middle, ask, fitted) = (
            number(&point["middle"]),
            number(&point["ask"]),
            number(&point["fitted"]),
        );
        let bid = point["bid"].as_f64().unwrap_or(0.0);
        assert!(bid <= middle && middle <= ask, "{point}");
        let near = (number(&point["at"]) / number(&smile["forward"]) - 1.0).abs() < 0.15;
        assert!(
            !near || (fitted - middle).abs() < 0.01,
            "within a point near the money: {point}"
        );
    }
    let head = p.get("/api/chain/NMOU").await["head"].clone();
    assert!(
        (0.0..=100.0).contains(&number(&head["rank"]))
            && (0.0..=100.0).contains(&number(&head["percentile"]))
    );
    let days = p.get("/api/history/NMOU?bars=60").await;
    let bars = days["bars"].as_array().unwrap();
    assert_eq!(
        (bars.len(), bars[59]["date"].as_str()),
        (60, Some("2031-03-11"))
    );
    for b in bars {
        let [open, high, low, close] = ["open", "high", "low", "close"].map(|k| number(&b[k]));
        assert!(
            low <= open.min(close)
                && open.max(close) <= high
                && number(&b["implied"]) > 0.1
                && number(&b["realised"]) > 0.05,
            "{b}"
        );
    }
    assert!(
        (number(&bars[59]["close"]) - number(&head["level"])).abs() < 1e-9
            && (number(&bars[59]["implied"]) - number(&head["vol30"])).abs() < 1e-9
    );
    let weeks = p.get("/api/history/NMOU?bars=8&weekly=true").await;
    let week = &weeks["bars"].as_array().unwrap()[6];
    let inside: Vec<&Value> = bars
        .iter()
        .filter(|b| {
            b["date"].as_str() > Some("2031-02-28") && b["date"].as_str() <= week["date"].as_str()
        })
        .collect();
    let highest = inside
        .iter()
        .map(|b| number(&b["high"]))
        .fold(0.0, f64::max);
    assert_eq!(
        (inside.len(), number(&week["high"])),
        (5, highest),
        "a week is its five days"
    );
    let (status, refused) = p.raw("GET", "/api/history/NMOU?bars=0", "").await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY
            && refused["message"]
                .as_str()
                .unwrap()
                .contains("write 1 to 260")
    );
}

#[tokio::test]
async fn drafts_and_the_shares_are_compared_at_one_price_and_date() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let call = json!([{ "contract": legs[0]["contract"], "quantity": 1 }]);
    let spot = number(&p.get("/api/chain/NMOU").await["head"]["level"]);
    let asked = json!({
        "symbol": "NMOU",
        "drafts": [{ "slot": "A", "legs": legs }, { "slot": "B", "legs": call }],
        "price": spot * 1.1,
        "days": 60,
    });
    let (status, c) = p.post("/api/compare", &asked).await;
    assert_eq!(status, StatusCode::OK, "{c}");
    let columns = c["columns"].as_array().unwrap();
    assert_eq!(
        columns
            .iter()
            .map(|k| k["slot"].as_str().unwrap())
            .collect::<Vec<_>>(),
        ["A", "B", "stock"]
    );
    let best = |row: &str| {
        columns
            .iter()
            .filter(|k| k["best"].as_array().unwrap().contains(&json!(row)))
            .map(|k| k["slot"].as_str().unwrap())
            .collect::<Vec<_>>()
    };
    // Ten percent up: the shares make most, the vertical sold against it loses; a hundred shares
    // are what the call stands for.
    assert!(
        (number(&columns[2]["profit"]) - spot * 10.0).abs() < 3.0,
        "{}",
        columns[2]["profit"]
    );
    assert_eq!(best("profit"), ["stock"]);
    assert_eq!(best("leverage").len(), 1);
    assert!(
        number(&columns[0]["profit"]) < 0.0
            && number(&columns[1]["leverage"]) > 5.0
            && (number(&columns[2]["leverage"]) - 2.0).abs() < 0.01
    );
    // Past the first expiration a draft counts at its end: exactly what its outline says there.
    let e = p.evaluate(&legs, None).await;
    assert!(
        (number(&columns[0]["profit"]) - number(&e["least"]["profit"])).abs() < 0.01
            || number(&columns[0]["profit"]) > number(&e["least"]["profit"])
    );
    let index = p.get("/api/chain/WXMR").await;
    let root = index["head"]["marks"][3]["key"]
        .as_str()
        .unwrap()
        .to_owned();
    let rows = p.get(&format!("/api/chain/WXMR?expiration={root}")).await;
    let put = &rows["blocks"][0]["rows"][40]["put"]["contract"];
    let (_, only) = p
        .post(
            "/api/compare",
            &json!({
                "symbol": "WXMR",
                "drafts": [{ "slot": "A", "legs": [{ "contract": put, "quantity": 1 }] }],
                "price": 2_900,
                "days": 1,
            }),
        )
        .await;
    assert_eq!(
        only["columns"].as_array().unwrap().len(),
        1,
        "an index is not bought: {only}"
    );
}

/// The fields of a message, by tag in their order; its length and sum are checked (FIX 4.4, volume
/// 1: body length counts from after its own field to before the sum).
fn fields(text: &str) -> Vec<(String, String)> {
    let raw = text.replace('|', "\u{1}");
    let (body, sum) = raw.rsplit_once("10=").unwrap();
    let counted = body.bytes().map(u32::from).sum::<u32>() % 256;
    assert_eq!(
        sum.trim_end_matches('\u{1}').parse::<u32>().unwrap(),
        counted,
        "{text}"
    );
    let length: usize = body
        .split('\u{1}')
        .nth(1)
        .unwrap()
        .trim_start_matches("9=")
        .parse()
        .unwrap();
    assert_eq!(
        body.splitn(3, '\u{1}').nth(2).unwrap().len(),
        length,
        "{text}"
    );
    text.split('|')
        .filter_map(|f| f.split_once('='))
        .map(|(t, v)| (t.to_owned(), v.to_owned()))
        .collect()
}

#[tokio::test]
async fn orders_are_written_as_the_standard_has_them() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let e = p.evaluate(&legs, None).await;
    let rest = e["rest"]["value"].as_str().unwrap().to_owned();
    let (_, package) = p.post("/api/orders", &ticket("a|b", &legs, 2, &rest)).await;
    let sold = json!([legs[0]]);
    let one = p.evaluate(&sold, None).await;
    let mut alone = ticket("c", &sold, 1, one["rest"]["value"].as_str().unwrap());
    alone["timeInForce"] = json!("goodTillDate");
    alone["goodTill"] = json!("2031-03-20");
    let (_, alone) = p.post("/api/orders", &alone).await;
    let get = async |id: &Value| {
        p.raw("GET", &format!("/api/orders/{id}/fix"), "")
            .await
            .1
            .as_str()
            .unwrap()
            .to_owned()
    };
    let text = get(&package["id"]).await;
    let all = fields(&text);
    let value = |all: &[(String, String)], tag: &str| {
        all.iter()
            .filter(|(t, _)| t == tag)
            .map(|(_, v)| v.clone())
            .collect::<Vec<_>>()
    };
    assert_eq!(
        (
            value(&all, "35"),
            value(&all, "555"),
            value(&all, "38"),
            value(&all, "54")
        ),
        (
            vec!["AB".into()],
            vec!["2".into()],
            vec!["2".into()],
            vec!["1".into()]
        )
    );
    assert_eq!(
        value(&all, "44")[0].parse::<f64>().unwrap(),
        rest.parse::<f64>().unwrap(),
        "a credit is a price below zero"
    );
    assert_eq!(
        value(&all, "608"),
        ["OCASPS", "OCASPS"],
        "American calls on shares, delivered, standard"
    );
    assert_eq!(
        (value(&all, "623"), value(&all, "624"), value(&all, "564")),
        (
            vec!["1".into(); 2],
            vec!["2".into(), "1".into()],
            vec!["O".into(); 2]
        )
    );
    assert_eq!(
        value(&all, "52"),
        ["20310311-15:42:00.000"],
        "UTC is five hours ahead of the exchange"
    );
    let all = fields(&get(&alone["id"]).await);
    let told = ["35", "54", "201", "167", "59", "432", "77"].map(|tag| value(&all, tag).concat());
    assert_eq!(told, ["D", "2", "1", "OPT", "6", "20310320", "O"]);
    assert!(
        value(&all, "44")[0].parse::<f64>().unwrap() > 0.0,
        "what is sold alone has the price that is received"
    );
    let (status, _) = p.raw("GET", "/api/orders/999/fix", "").await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}
