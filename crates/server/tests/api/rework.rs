//! What rework says before an order is what the book says after it; and what lies ahead, as a calendar.

use crate::common::{HOST, PARTS, Place, Program, TOKEN, ticket, units};
use axum::http::StatusCode;
use serde_json::{Value, json};

async fn reworked(p: &Program, campaign: u64, body: Value) -> Value {
    let (status, answer) = p
        .post(&format!("/api/campaigns/{campaign}/rework"), &body)
        .await;
    assert_eq!(status, StatusCode::OK, "{body}: {answer}");
    answer
}

/// Sends an order at the market that is filled at once, into a campaign where one is named: the
/// campaign it is in.
async fn filled(p: &Program, name: &str, legs: &Value, packages: i64, into: Option<u64>) -> u64 {
    let mut order = ticket(name, legs, packages, "0.01");
    order.as_object_mut().unwrap().remove("limit");
    order["timeInForce"] = json!("immediateOrCancel");
    if let Some(id) = into {
        (order["closes"], order["rolls"]) = (json!(id), json!(true));
    }
    let (status, placed) = p.post("/api/orders", &order).await;
    assert_eq!(
        (status, &placed["state"]),
        (StatusCode::CREATED, &json!("filled")),
        "{placed}"
    );
    placed["campaign"].as_u64().unwrap_or(1)
}

fn amount(v: &Value) -> f64 {
    v.as_str().unwrap().parse().unwrap()
}

/// The campaign as rework would leave it is the campaign after the order filled at those prices:
/// outline, extremes, break-evens, what is booked and what is tied up.
#[tokio::test]
async fn after_is_the_book_after_its_fills() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let id = filled(&p, "open", &legs, 3, None).await;

    // Nothing is changed yet: no order, and what is held is judged as the book judges it.
    let now = reworked(&p, id, json!({})).await;
    assert!(now["after"].is_null() && now["change"].is_null());
    let book = p.get("/api/book").await;
    let position = &book["positions"][0];
    assert_eq!(now["before"]["margin"], position["margin"]);
    assert_eq!(now["before"]["evens"], position["evens"]);

    // Step by step, each on what the step before left.
    let moves = [
        json!({ "roll": { "part": "pressed", "expirations": 1, "strikes": 1 } }),
        json!({ "more": -1 }),
        "intoCondor".into(),
        json!({ "widen": 1 }),
    ];
    let mut then = Value::Null;
    let mut last = now.clone();
    for step in moves {
        last = reworked(&p, id, json!({ "legs": then, "move": step, "at": "cross" })).await;
        then = last["then"].clone();
    }
    assert!(
        last["after"]["name"]
            .as_str()
            .unwrap()
            .contains("iron condor"),
        "{last}"
    );
    let change = &last["change"];
    assert!(
        change["sequence"].is_null(),
        "six legs are one order: {change}"
    );
    let mut order = ticket(
        "rework",
        &change["unit"],
        change["packages"].as_i64().unwrap(),
        change["cross"]["value"].as_str().unwrap(),
    );
    order["timeInForce"] = json!("fillOrKill");
    (order["closes"], order["rolls"]) = (json!(id), json!(true));
    let (status, filled) = p.post("/api/orders", &order).await;
    assert_eq!(
        (status, &filled["state"]),
        (StatusCode::CREATED, &json!("filled")),
        "{filled}"
    );

    let after = &last["after"];
    let kept = reworked(&p, id, json!({})).await;
    let before = &kept["before"];
    for figure in ["name", "booked", "most", "least", "evens", "margin", "days"] {
        assert_eq!(after[figure], before[figure], "{figure}: {after} {before}");
    }
    // The two pictures have points of their own: between corners both are straight.
    let strikes: Vec<f64> = last["then"]
        .as_array()
        .unwrap()
        .iter()
        .map(|l| {
            l["contract"].as_str().unwrap()[13..]
                .parse::<f64>()
                .unwrap()
                / 1000.0
        })
        .collect();
    let points = |side: &Value| -> Vec<(f64, f64)> {
        let curve = |name: &str| side[name].as_array().unwrap().clone();
        let pairs = curve("prices").into_iter().zip(curve("outline"));
        pairs
            .map(|(p, v)| (p.as_f64().unwrap(), v.as_f64().unwrap()))
            .collect()
    };
    let (then, now) = (points(after), points(before));
    let mut compared = 0;
    for (price, profit) in then {
        let Some(pair) = now.windows(2).find(|w| (w[0].0..=w[1].0).contains(&price)) else {
            continue;
        };
        if strikes.iter().any(|k| (pair[0].0..=pair[1].0).contains(k)) {
            continue;
        }
        let part = (price - pair[0].0) / (pair[1].0 - pair[0].0);
        let same = pair[0].1 + part * (pair[1].1 - pair[0].1);
        assert!((profit - same).abs() < 0.011, "{price}: {profit} {same}");
        compared += 1;
    }
    assert!(compared > 100, "only {compared} prices were compared");
    let ledger = p.get("/api/ledger").await;
    let line = ledger["lines"].as_array().unwrap().last().unwrap();
    assert!(
        (amount(&line["amount"]) - amount(&change["cash"])).abs() < 0.001,
        "{line}"
    );
    assert!((amount(&line["realised"]) - amount(&change["realises"])).abs() < 0.001);
    assert!((amount(&line["fees"]) - amount(&change["fees"])).abs() < 0.001);

    // What leads nowhere says so.
    for (body, says) in [
        (
            json!({ "move": { "roll": { "part": "all", "expirations": 39, "strikes": 0 } } }),
            "is not listed",
        ),
        (
            json!({ "move": { "roll": { "part": "all", "expirations": 400, "strikes": 0 } } }),
            "steps",
        ),
        (
            json!({ "move": { "toDelta": { "leg": "NMOU", "delta": 0.2 } } }),
            "not the symbol of an option",
        ),
        (
            json!({ "move": { "close": { "leg": "NMOU  310418C00195000" } } }),
            "change nothing",
        ),
    ] {
        let (status, answer) = p.post(&format!("/api/campaigns/{id}/rework"), &body).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{body}: {answer}");
        assert!(
            answer["message"].as_str().unwrap().contains(says),
            "{body}: {answer}"
        );
    }
    let (status, _) = p.post("/api/campaigns/99/rework", &json!({})).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}

/// The calendar has each expiration of what is held and the events before it, as RFC 5545 writes
/// them, the same at each reading; a calendar program shows the token in the address, and only that
/// address takes it so.
#[tokio::test]
async fn dates_of_open_campaigns_are_a_calendar() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    filled(&p, "open", &legs, 1, None).await;
    let read = |path: &'static str| {
        let request = axum::http::Request::builder()
            .uri(path)
            .header("host", HOST)
            .header("authorization", format!("Bearer {TOKEN}"));
        p.answer(request.body(axum::body::Body::empty()).unwrap())
    };
    let text = |answer: axum::response::Response| async {
        let body = axum::body::to_bytes(answer.into_body(), 1 << 20).await;
        String::from_utf8(body.unwrap().to_vec()).unwrap()
    };
    let answer = read("/api/calendar.ics").await;
    assert_eq!(
        answer.headers()["content-type"],
        "text/calendar; charset=utf-8"
    );
    let told = text(answer).await;
    assert_eq!(told, text(read("/api/calendar.ics").await).await);
    assert!(
        told.starts_with("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n")
            && told.ends_with("END:VCALENDAR\r\n")
    );
    let contract = legs[0]["contract"].as_str().unwrap();
    let end = format!("DTSTART;VALUE=DATE:20{}", &contract[6..12]);
    assert_eq!(told.matches(end.as_str()).count(), 1, "{told}");
    let events = told.matches("BEGIN:VEVENT").count();
    for line in [
        "UID:",
        "DTSTAMP:2031",
        "DTSTART;VALUE=DATE:",
        "SUMMARY:NMOU",
    ] {
        assert_eq!(told.matches(line).count(), events, "{line} in {told}");
    }
    assert!(told.contains("earnings after the close"), "{told}");
    assert!(
        told.lines().all(|l| l.len() <= 75),
        "lines are folded at 75 octets"
    );
    // By its address alone, and nothing else by it.
    let bare = |path: String| {
        let request = axum::http::Request::builder()
            .uri(path)
            .header("host", HOST);
        p.send_bare(request.body(axum::body::Body::empty()).unwrap())
    };
    let by_address = |path: &str| format!("{path}?token={TOKEN}");
    assert_eq!(
        bare(by_address("/api/calendar.ics")).await.0,
        StatusCode::OK
    );
    for path in [
        by_address("/api/book"),
        "/api/calendar.ics".into(),
        "/api/calendar.ics?token=00".into(),
    ] {
        assert_eq!(
            bare(path.clone()).await.0,
            StatusCode::UNAUTHORIZED,
            "{path}"
        );
    }
}

/// One case for `pikebell calc campaign`.
fn calc_campaign(case: &Value) -> Value {
    use std::io::Write;
    use std::process::{Command, Stdio};
    let mut child = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(["calc", "campaign"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let cases = json!({ "cases": [case] }).to_string();
    child
        .stdin
        .take()
        .unwrap()
        .write_all(cases.as_bytes())
        .unwrap();
    let out = child.wait_with_output().unwrap();
    let answer: Value = serde_json::from_slice(&out.stdout).unwrap();
    answer["cases"][0].clone()
}

/// A leg of the batch: kind, strike and date of an OSI symbol.
fn leg_of(contract: &str, quantity: f64, price: f64) -> Value {
    json!({
        "kind": if &contract[12..13] == "C" { "call" } else { "put" },
        "strike": contract[13..].parse::<f64>().unwrap() / 1000.0,
        "expires": format!("20{}-{}-{}", &contract[6..8], &contract[8..10], &contract[10..12]),
        "qty": quantity,
        "price": price,
    })
}

/// The batch fed with a campaign's fills and marks tells what its page tells: opened in parts,
/// rolled, half taken off.
#[tokio::test]
async fn the_page_of_a_campaign_is_the_batch_fed_with_its_fills() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let id = filled(&p, "open", &legs, 4, None).await;
    for (name, step) in [
        (
            "roll",
            json!({ "roll": { "part": "pressed", "expirations": 1, "strikes": 1 } }),
        ),
        ("half", json!({ "more": -2 })),
    ] {
        let made = reworked(&p, id, json!({ "move": step })).await;
        let change = &made["change"];
        let packages = change["packages"].as_i64().unwrap();
        filled(&p, name, &change["unit"], packages, Some(id)).await;
    }
    let text = p.get("/api/fills.csv").await;
    let mut fills: Vec<Value> = Vec::new();
    let mut last = String::new();
    for row in csv::Reader::from_reader(text.as_str().unwrap().as_bytes()).records() {
        let row = row.unwrap();
        let number = |i: usize| row[i].parse::<f64>().unwrap_or(0.0);
        let leg = leg_of(&row[4], number(5), number(6));
        if row[0] == last {
            fills.last_mut().unwrap()["legs"]
                .as_array_mut()
                .unwrap()
                .push(leg);
        } else {
            last = row[0].to_owned();
            fills.push(json!({ "at": &row[2][..19], "fees": number(7), "legs": [leg] }));
        }
    }
    assert!(fills.len() >= 3, "{fills:?}");
    let book = p.get("/api/book").await;
    let position = &book["positions"][0];
    let days = position["days"].as_f64().unwrap();
    let held = position["legs"].as_array().unwrap();
    let marks: Vec<Value> = held
        .iter()
        .map(|l| {
            let mut mark = leg_of(l["contract"].as_str().unwrap(), 0.0, amount(&l["mark"]));
            (mark["t_years"], mark["vol"]) = (json!(days / 365.0), json!(0.4));
            mark.as_object_mut().unwrap().remove("qty");
            mark
        })
        .collect();
    let batch = calc_campaign(&json!({
        "id": "page", "at": "2031-03-11T10:42", "rate": 0.03, "yield": 0.0, "prob_vol": 0.4,
        "underlying": { "price": 186.0, "multiplier": 100.0 },
        "fills": fills, "marks": marks,
    }));
    for (of_batch, of_page) in [
        ("net_cash", "netCash"),
        ("fees", "fees"),
        ("realised", "realised"),
        ("open_profit", "openProfit"),
        ("total", "total"),
        ("max_profit", "most"),
        ("max_loss", "least"),
    ] {
        let (one, other) = (
            batch[of_batch].as_f64().unwrap(),
            amount(&position[of_page]),
        );
        // The batch tells a loss as a size.
        let one = if of_batch == "max_loss" { -one } else { one };
        assert!(
            (one - other).abs() < 0.006,
            "{of_batch} {one}, {of_page} {other}: {batch}"
        );
    }
    let evens = batch["break_evens"].as_array().unwrap();
    let told = position["evens"].as_array().unwrap();
    assert_eq!(evens.len(), told.len(), "{batch} {position}");
    for (one, other) in evens.iter().zip(told) {
        assert!((one.as_f64().unwrap() - amount(&other["from"])).abs() < 0.006);
    }
}

/// Asked for ways out, the program lists what rework says of them, within the limits, and what the
/// ticket takes; what it leaves out it counts.
#[tokio::test]
async fn ways_out_are_drafts_that_the_ticket_takes() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let id = filled(&p, "open", &legs, 3, None).await;
    let ask = async |body: Value| p.post(&format!("/api/campaigns/{id}/ways"), &body).await;
    let limits = json!({ "credit": "-200", "loss": "1500", "daysFrom": 20, "leanTo": 400.0,
        "capital": "2000" });
    let mut told = 0;
    for measure in ["chance", "creditADay", "lean", "loss", "room"] {
        let asked = json!({ "limits": limits, "measure": measure, "at": "cross" });
        let (status, found) = ask(asked).await;
        assert_eq!(status, StatusCode::OK, "{found}");
        let ruled = found["ruledOut"].as_array().unwrap().iter();
        let ruled: u64 = ruled.map(|r| r["count"].as_u64().unwrap()).sum();
        let kept = found["kept"].as_u64().unwrap();
        assert_eq!(found["looked"].as_u64().unwrap(), kept + ruled, "{found}");
        let ways = found["ways"].as_array().unwrap();
        assert!((1..=12).contains(&ways.len()), "{found}");
        for (i, way) in ways.iter().enumerate() {
            let r = reworked(&p, id, json!({ "legs": way["then"], "at": "cross" })).await;
            let (after, change) = (&r["after"], &r["change"]);
            for figure in ["most", "least", "evens", "chance", "days", "capital"] {
                assert_eq!(way[figure], after[figure], "{figure} of {way}");
            }
            assert_eq!(way["cash"], change["cash"]);
            let lean = change["book"]["after"]["lean"].as_f64().unwrap();
            assert!((way["lean"].as_f64().unwrap() - lean).abs() < 1e-6, "{way}");
            assert!(amount(&way["cash"]) >= -200.0 && lean <= 400.0, "{way}");
            assert!(amount(&way["least"]["profit"]) >= -1500.0, "{way}");
            assert!(amount(&way["capital"]) <= 2000.0 && way["days"].as_i64() >= Some(20));
            // Far below its market, so that nothing fills and the next is asked of the same book.
            if i < 3 {
                let value = amount(&change["rest"]["value"]) - 0.5;
                let limit = format!("{value:.2}");
                let packages = change["packages"].as_i64().unwrap();
                let name = format!("{measure} {i}");
                let mut order = ticket(&name, &change["unit"], packages, &limit);
                (order["closes"], order["rolls"]) = (json!(id), json!(true));
                let (status, placed) = p.post("/api/orders", &order).await;
                assert_eq!(status, StatusCode::CREATED, "{way}: {placed}");
                let path = format!("/api/orders/{}/cancel", placed["id"]);
                let (status, _) = p.post(&path, &json!({})).await;
                assert_eq!(status, StatusCode::OK);
                told += 1;
            }
        }
    }
    assert!(told >= 10, "only {told} were asked of the ticket");
    for (limits, says) in [
        (json!({ "credit": "much" }), "\"much\" is not an amount"),
        (json!({ "loss": "-5" }), "write the amount without a sign"),
        (
            json!({ "daysFrom": 9, "daysTo": 3 }),
            "from 9 to 3 days is empty",
        ),
    ] {
        let (status, problem) = ask(json!({ "limits": limits })).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        assert!(
            problem["message"].as_str().unwrap().contains(says),
            "{problem}"
        );
    }
    let (status, _) = p.post("/api/campaigns/99/ways", &json!({})).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}

/// The parts of a campaign's profit come to what the ledger and the marks say, to the cent, over
/// fills, a roll, an end and a dividend; each chapter's and each day's come to the same.
#[tokio::test]
async fn what_made_a_profit_adds_up() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let step = async |to: &str| {
        let (status, answer) = p.post("/api/clock", &json!({ "step": to })).await;
        assert_eq!(status, StatusCode::OK, "{answer}");
    };
    let id = filled(&p, "open", &legs, 2, None).await;
    let adds_up = async |what: &str| {
        let life = p.get(&format!("/api/campaigns/{id}/life")).await;
        let page = p.get(&format!("/api/campaigns/{id}/page")).await;
        let c = &page["campaign"];
        let open = page["position"]["openProfit"]
            .as_str()
            .map_or(0, |t| units(&json!(t)));
        let total = units(&c["realised"]) + open - units(&c["fees"]);
        let parts = |p: &Value| -> f64 {
            PARTS.iter().map(|k| p[k].as_f64().unwrap()).sum::<f64>() + amount(&p["fees"])
        };
        assert_eq!(units(&life["all"]["total"]), total, "{what}: {life}");
        for sums in ["days", "chapters"] {
            let all = life[sums].as_array().unwrap();
            let sum: i64 = all.iter().map(|x| units(&x["parts"]["total"])).sum();
            assert_eq!(sum, total, "{what}, {sums}");
            for one in all {
                let (told, made) = (amount(&one["parts"]["total"]), parts(&one["parts"]));
                assert!((told - made).abs() < 1e-6, "{what}: {one}");
            }
        }
        let last = life["days"].as_array().unwrap().last().unwrap();
        assert_eq!(units(&last["running"]), total);
        life["days"].as_array().unwrap().len()
    };
    assert_eq!(adds_up("opened").await, 1);
    for _ in 0..3 {
        step("open").await;
    }
    assert_eq!(adds_up("carried").await, 4);
    let moved = json!({ "move": { "roll": { "part": "all", "expirations": 1, "strikes": 1 } } });
    let r = reworked(&p, id, moved).await;
    filled(&p, "roll", &r["change"]["unit"], 2, Some(id)).await;
    step("close").await;
    adds_up("rolled").await;
    for _ in 0..60 {
        step("close").await;
    }
    adds_up("ended").await;
    let (status, _) = p.raw("GET", "/api/campaigns/99/life", "").await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}
