//! What rework says before an order is what the book says after it; and what lies ahead, as a calendar.
#![allow(clippy::unwrap_used)]

mod common;

use axum::http::StatusCode;
use common::{HOST, Place, Program, TOKEN, ticket};
use serde_json::{Value, json};

async fn reworked(p: &Program, campaign: u64, body: Value) -> Value {
    let (status, answer) = p
        .post(&format!("/api/campaigns/{campaign}/rework"), &body)
        .await;
    assert_eq!(status, StatusCode::OK, "{body}: {answer}");
    answer
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
    let mut open = ticket("open", &legs, 3, "0.01");
    open.as_object_mut().unwrap().remove("limit");
    open["timeInForce"] = json!("immediateOrCancel");
    let (status, opened) = p.post("/api/orders", &open).await;
    assert_eq!(
        (status, &opened["state"]),
        (StatusCode::CREATED, &json!("filled")),
        "{opened}"
    );
    let id = opened["campaign"].as_u64().unwrap_or(1);

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
    let (then, now) = (&after["outline"], &before["outline"]);
    for place in [0, 50, 100, 150, 199] {
        let at = |side: &Value, curve: &Value| {
            let prices = side["prices"].as_array().unwrap();
            (
                prices[place].as_f64().unwrap(),
                curve[place].as_f64().unwrap(),
            )
        };
        let ((price, profit), (other, same)) = (at(after, then), at(before, now));
        // Both pictures reach as far as their own strikes; where they stand at one price they agree.
        if (price - other).abs() < 1e-9 {
            assert!((profit - same).abs() < 0.011, "{price}: {profit} {same}");
        }
    }
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
    let mut open = ticket("open", &legs, 1, "0.01");
    open.as_object_mut().unwrap().remove("limit");
    open["timeInForce"] = json!("immediateOrCancel");
    p.post("/api/orders", &open).await;
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
