//! Orders that are eased, resized, tied and closed together, bells, the rules of the account, and
//! the books as files: through the API.

use crate::common::*;
use axum::http::StatusCode;
use desk::{Money, Price};
use serde_json::{Value, json};

async fn step(p: &Program, step: &str) {
    let (status, answer) = p.post("/api/clock", &json!({ "step": step })).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
}

async fn refused(p: &Program, path: &str, body: &Value) -> (u16, String, String) {
    let (status, answer) = p.post(path, body).await;
    let text = |key: &str| answer[key].as_str().unwrap_or_default().to_owned();
    (status.as_u16(), text("code"), text("message"))
}

fn price(v: &Value) -> Price {
    v.as_str().unwrap().parse().unwrap()
}

fn at_cross(id: &str, legs: &Value, quantity: i64) -> Value {
    let mut t = ticket(id, legs, quantity, "0");
    t["limit"] = Value::Null;
    t
}

/// Easing goes on where it was after a restart, and gives the same fills as without one; stopped it
/// stays where it is.
#[tokio::test]
async fn easing_survives_a_restart_and_can_be_stopped() {
    let run = async |restart: bool| {
        let place = Place::new();
        let mut p = place.program();
        let legs = p.bear_call().await;
        let m = p.evaluate(&legs, None).await;
        let from = price(&m["rest"]["value"]) - Price::cents(30);
        p.post("/api/orders", &ticket("eased", &legs, 1, &from.to_string()))
            .await;
        let (_, other) = p
            .post(
                "/api/orders",
                &ticket("stopped", &legs, 1, &from.to_string()),
            )
            .await;
        assert_eq!(other["id"], 2);
        let end = (price(&m["cross"]["value"]) + Price::cents(20)).to_string();
        let way = json!({ "step": "0.01", "every": 20, "to": end });
        for (body, says) in [
            (
                json!({ "step": "0.00", "every": 20, "to": end }),
                "a step of 0",
            ),
            (
                json!({ "step": "0.01", "every": 7, "to": end }),
                "7 seconds",
            ),
            (
                json!({ "step": "0.01", "every": 20, "to": from.to_string() }),
                "toward the market",
            ),
            (
                json!({ "step": "0.005", "every": 20, "to": end }),
                "off the tick",
            ),
            (json!({ "step": "0.01" }), "write step, every and to"),
        ] {
            let (status, _, message) = refused(&p, "/api/orders/1/ease", &body).await;
            assert!(status == 422 && message.contains(says), "{body}: {message}");
        }
        for id in [1, 2] {
            let (_, eased) = p.post(&format!("/api/orders/{id}/ease"), &way).await;
            assert_eq!(
                (
                    eased["easing"]["every"].as_i64(),
                    &eased["easing"]["to"]["value"]
                ),
                (Some(20), &json!(end)),
                "{eased}"
            );
        }
        step(&p, "minute").await;
        let (_, stopped) = p.post("/api/orders/2/ease", &json!({})).await;
        assert_eq!(
            (&stopped["easing"], price(&stopped["limit"]["value"])),
            (&Value::Null, from + Price::cents(3))
        );
        if restart {
            drop(p);
            p = place.program();
            let order = p.get("/api/orders").await[0].clone();
            assert_eq!(
                (
                    order["easing"]["step"].as_str(),
                    price(&order["limit"]["value"])
                ),
                (Some("0.01"), from + Price::cents(3))
            );
        }
        step(&p, "hour").await;
        let orders = p.get("/api/orders").await;
        assert_eq!(
            (price(&orders[1]["limit"]["value"]), &orders[0]["state"]),
            (from + Price::cents(3), &json!("filled")),
            "{orders}"
        );
        (orders[0]["events"].clone(), orders[0]["fills"].clone())
    };
    assert_eq!(run(false).await, run(true).await);
}

/// A working order is made larger and smaller; two are tied by hand, and what one fills the other
/// loses; untied each stands alone.
#[tokio::test]
async fn orders_change_their_size_and_are_tied_by_hand() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let m = p.evaluate(&legs, None).await;
    let far = (price(&m["rest"]["value"]) - Price::cents(50)).to_string();
    for id in ["a", "b", "c"] {
        p.post("/api/orders", &ticket(id, &legs, 2, &far)).await;
    }
    let kept = units(&p.get("/api/account").await["buyingPower"]);
    let (_, larger) = p
        .post("/api/orders/1/quantity", &json!({ "quantity": 5 }))
        .await;
    assert_eq!(
        (larger["quantity"].as_i64(), larger["state"].as_str()),
        (Some(5), Some("working")),
        "{larger}"
    );
    assert!(
        units(&p.get("/api/account").await["buyingPower"]) < kept,
        "more is set aside"
    );
    p.post("/api/orders/1/quantity", &json!({ "quantity": 2 }))
        .await;
    assert_eq!(units(&p.get("/api/account").await["buyingPower"]), kept);
    for (body, code) in [
        (json!({ "quantity": 0 }), "bad_quantity"),
        (json!({ "quantity": 501 }), "bad_quantity"),
        (json!({ "quantity": 400 }), "buying_power"),
    ] {
        assert_eq!(
            refused(&p, "/api/orders/1/quantity", &body).await.1,
            code,
            "{body}"
        );
    }
    assert!(
        refused(
            &p,
            "/api/orders/tie",
            &json!({ "tie": "oneCancelsOther", "orders": [1, 1] })
        )
        .await
        .2
        .contains("1 different orders")
    );
    let (status, tied) = p
        .post(
            "/api/orders/tie",
            &json!({ "tie": "oneCancelsOther", "orders": [1, 2] }),
        )
        .await;
    assert_eq!(
        (status, &tied[0]["cancels"], &tied[1]["cancels"]),
        (StatusCode::OK, &json!([2]), &json!([1])),
        "{tied}"
    );
    assert!(
        units(&p.get("/api/account").await["buyingPower"]) > kept,
        "of two that cancel each other one is kept for"
    );
    assert!(
        refused(&p, "/api/orders/1/quantity", &json!({ "quantity": 3 }))
            .await
            .2
            .contains("untie it first")
    );
    assert!(
        refused(
            &p,
            "/api/orders/tie",
            &json!({ "tie": "oneTriggersOther", "orders": [3, 1] })
        )
        .await
        .2
        .contains("order 1 is tied already")
    );
    // The first crosses and fills whole: the second falls away.
    p.post(
        "/api/orders/1/limit",
        &json!({ "limit": m["cross"]["value"] }),
    )
    .await;
    let orders = p.get("/api/orders").await;
    assert_eq!(
        (&orders[0]["state"], &orders[1]["state"]),
        (&json!("filled"), &json!("expired")),
        "{orders}"
    );

    for id in ["d", "e"] {
        p.post("/api/orders", &ticket(id, &legs, 2, &far)).await;
    }
    let (_, tree) = p
        .post(
            "/api/orders/tie",
            &json!({ "tie": "oneTriggersOther", "orders": [3, 4, 5] }),
        )
        .await;
    assert_eq!(tree.as_array().unwrap().len(), 2);
    let waiting = p.get("/api/orders").await;
    assert_eq!(
        (
            &waiting[3]["state"],
            &waiting[3]["after"],
            &waiting[4]["after"]
        ),
        (&json!("waiting"), &json!(3), &json!(3))
    );
    let (_, free) = p.post("/api/orders/4/untie", &json!({})).await;
    assert_eq!(
        (free[0]["state"].as_str(), &free[0]["after"]),
        (Some("working"), &Value::Null)
    );
    // What the first order took of the displayed sizes is gone until the quotes change.
    let above = price(&m["cross"]["value"]) + Price::cents(50);
    p.post(
        "/api/orders/3/limit",
        &json!({ "limit": above.to_string() }),
    )
    .await;
    let orders = p.get("/api/orders").await;
    assert_eq!(&orders[2]["state"], &json!("working"), "{orders}");
    step(&p, "minute").await;
    let orders = p.get("/api/orders").await;
    assert_eq!(
        (&orders[2]["state"], &orders[4]["state"]),
        (&json!("filled"), &json!("working")),
        "the one that waited goes out"
    );
    let leg_prices: Price = orders[2]["fills"][0]["legs"]
        .as_array()
        .unwrap()
        .iter()
        .map(|l| price(&l["price"]) * l["quantity"].as_i64().unwrap().signum())
        .sum();
    assert_eq!(
        leg_prices,
        price(&orders[2]["fills"][0]["price"]["value"]),
        "leg prices sum to the net"
    );
}

/// Several positions are closed at once, a chosen number of each, all or none; the same command
/// again gives the same orders. Before it is sent the ticket knows what is left, and what is then
/// booked is what it said.
#[tokio::test]
async fn several_positions_close_together_and_the_ticket_knows_what_is_left() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    for id in ["one", "two"] {
        assert_eq!(
            p.post("/api/orders", &at_cross(id, &legs, 4)).await.1["state"],
            "filled"
        );
    }
    let back: Value = turned(&legs);
    let three = times(&back, 3);
    let ask = async |legs: &Value, closes: u64| {
        let body = json!({ "symbol": "NMOU", "legs": legs, "entry": "cross", "closes": closes });
        let (status, answer) = p.post("/api/evaluate", &body).await;
        assert_eq!(status, StatusCode::OK, "{answer}");
        answer
    };
    let preview = ask(&three, 1).await;
    assert!(
        preview["after"]["left"]
            .as_str()
            .unwrap()
            .starts_with("1 × bear call vertical"),
        "{}",
        preview["after"]
    );
    let missing = json!({
        "clientId": "no",
        "at": "cross",
        "positions": [{ "campaign": 1, "packages": 1 }, { "campaign": 9, "packages": 1 }],
    });
    assert_eq!(
        refused(&p, "/api/positions/close", &missing).await.1,
        "unknown_position"
    );
    let too_many = json!({
        "clientId": "no",
        "at": "cross",
        "positions": [{ "campaign": 1, "packages": 1 }, { "campaign": 2, "packages": 5 }],
    });
    assert_eq!(
        refused(&p, "/api/positions/close", &too_many).await.1,
        "more_than_held"
    );
    assert_eq!(
        p.get("/api/orders").await.as_array().unwrap().len(),
        2,
        "all or none"
    );
    let twice = json!({
        "clientId": "no",
        "at": "cross",
        "positions": [{ "campaign": 1, "packages": 3 }, { "campaign": 1, "packages": 3 }],
    });
    assert!(
        refused(&p, "/api/positions/close", &twice)
            .await
            .2
            .contains("position 1 stands twice"),
        "together they would close more than is held"
    );
    let body = json!({
        "clientId": "both",
        "at": "cross",
        "positions": [{ "campaign": 1, "packages": 3 }, { "campaign": 2, "packages": 4 }],
    });
    let (status, orders) = p.post("/api/positions/close", &body).await;
    assert_eq!(
        (status, &orders[0]["state"], &orders[1]["state"]),
        (StatusCode::CREATED, &json!("filled"), &json!("filled")),
        "{orders}"
    );
    assert_eq!(
        p.post("/api/positions/close", &body).await.1,
        orders,
        "a retry after a lost answer"
    );
    assert_eq!(p.get("/api/orders").await.as_array().unwrap().len(), 4);
    let book = p.get("/api/book").await;
    let left = &book["positions"][0];
    assert_eq!(
        (
            book["positions"].as_array().unwrap().len(),
            left["packages"].as_i64()
        ),
        (1, Some(1))
    );
    let booked = units(&left["realised"]) - units(&left["fees"]);
    assert_eq!(
        units(&preview["after"]["booked"]),
        booked,
        "as the ticket said, to the cent"
    );
    let last = ask(&back, 1).await;
    assert_eq!(last["after"]["left"], Value::Null);
    // A covering leg alone: the preview says by how much the margin rises, before it happens.
    let cover = json!([
        { "contract": back[0]["contract"], "quantity": back[0]["quantity"] },
        { "contract": back[1]["contract"], "quantity": back[1]["quantity"] },
    ]);
    let long = cover
        .as_array()
        .unwrap()
        .iter()
        .find(|l| l["quantity"] == -1)
        .unwrap()
        .clone();
    let uncovers = ask(&json!([long]), 1).await;
    let rise = units(&uncovers["money"]["requirementChange"]);
    assert!(
        rise > 0
            && uncovers["checks"]
                .as_array()
                .unwrap()
                .iter()
                .any(|c| c["text"]
                    .as_str()
                    .unwrap()
                    .contains("leaves something uncovered")),
        "{uncovers}"
    );
    let held = units(&p.get("/api/account").await["held"]);
    let mut sell = at_cross("uncover", &json!([long]), 1);
    sell["closes"] = json!(1);
    assert_eq!(p.post("/api/orders", &sell).await.1["state"], "filled");
    assert_eq!(units(&p.get("/api/account").await["held"]), held + rise);
}

/// A roll closes and opens in one package of the same campaign.
#[tokio::test]
async fn a_roll_is_one_package_in_the_same_campaign() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    p.post("/api/orders", &at_cross("open", &legs, 2)).await;
    let marks = p.get("/api/chain/NMOU").await["head"]["marks"].clone();
    let later = marks
        .as_array()
        .unwrap()
        .iter()
        .find(|m| m["days"].as_i64() > Some(60))
        .unwrap()["date"]
        .as_str()
        .unwrap()
        .to_owned();
    let roll = p
        .get(&format!("/api/positions/1/roll?expiry={later}&strikes=1"))
        .await;
    assert_eq!(
        (
            roll["unit"].as_array().unwrap().len(),
            roll["opens"]
                .as_str()
                .unwrap()
                .starts_with("bear call vertical")
        ),
        (4, true),
        "{roll}"
    );
    for (path, says) in [
        ("/api/positions/1/roll?expiry=2031-04-19", "no expiration"),
        ("/api/positions/1/roll?expiry=soon", "is not a date"),
        (
            &format!("/api/positions/1/roll?expiry={later}&strikes=900"),
            "no strike",
        ),
    ] {
        let (status, answer) = p.raw("GET", path, "").await;
        assert!(
            status == StatusCode::UNPROCESSABLE_ENTITY
                && answer["message"].as_str().unwrap().contains(says),
            "{path}: {answer}"
        );
    }
    let mut order = at_cross("roll", &roll["unit"], 2);
    (order["closes"], order["rolls"]) = (json!(1), json!(true));
    assert_eq!(p.post("/api/orders", &order).await.1["state"], "filled");
    let book = p.get("/api/book").await;
    assert_eq!(
        (
            book["positions"].as_array().unwrap().len(),
            book["positions"][0]["campaign"].as_i64()
        ),
        (1, Some(1))
    );
    assert!(
        book["positions"][0]["legs"]
            .as_array()
            .unwrap()
            .iter()
            .all(|l| l["contract"]
                .as_str()
                .unwrap()
                .contains(&later[2..].replace('-', "")))
    );
}

/// Bells on prices ring once and stay until they are answered, also over a restart; fills and
/// refusals ring by themselves.
#[tokio::test]
async fn bells_ring_and_stay_rung() {
    let place = Place::new();
    let mut p = place.program();
    let spot = p.get("/api/chain/NMOU").await["head"]["level"]
        .as_f64()
        .unwrap();
    let legs = p.bear_call().await;
    let m = p.evaluate(&legs, None).await;
    let above = format!("{:.2}", spot + 0.05);
    let below = format!("{:.2}", spot - 0.05);
    for (side, level) in [("above", &above), ("below", &below)] {
        let (status, bell) = p
            .post(
                "/api/bells",
                &json!({ "of": { "on": "price", "symbol": "NMOU" }, "side": side, "level": level }),
            )
            .await;
        assert_eq!(
            (status, bell["isSet"].as_bool()),
            (StatusCode::CREATED, Some(true)),
            "{bell}"
        );
    }
    // Moved to the other side of the price it listens from there.
    let (_, moved) = p
        .raw(
            "PUT",
            "/api/bells/1",
            &json!({ "level": format!("{:.2}", spot - 3.0) }).to_string(),
        )
        .await;
    assert!(
        moved["listens"].as_str().unwrap().contains("at or below"),
        "{moved}"
    );
    let (_, back) = p
        .raw(
            "PUT",
            "/api/bells/1",
            &json!({ "level": above }).to_string(),
        )
        .await;
    assert_eq!(
        (
            back["level"].as_str(),
            back["listens"].as_str().unwrap().contains("at or above")
        ),
        (Some(above.as_str()), true)
    );
    assert_eq!(
        p.raw("PUT", "/api/bells/1", &json!({ "level": "-1" }).to_string())
            .await
            .0,
        StatusCode::UNPROCESSABLE_ENTITY
    );
    // A package whose credit grows: its signed price falls.
    let more = (price(&m["middle"]["value"]) - Price::cents(3)).to_string();
    let (_, package) = p
        .post(
            "/api/bells",
            &json!({
                "of": { "on": "price", "symbol": "NMOU", "legs": legs },
                "side": "below",
                "level": more,
            }),
        )
        .await;
    assert!(
        package["listens"]
            .as_str()
            .unwrap()
            .ends_with("credit or more"),
        "{package}"
    );
    assert!(
        refused(
            &p,
            "/api/bells",
            &json!({ "of": { "on": "price", "symbol": "NMOU" }, "side": "below", "level": above })
        )
        .await
        .2
        .contains("already")
    );
    assert_eq!(
        refused(
            &p,
            "/api/bells",
            &json!({ "of": { "on": "price", "symbol": "NOPE" }, "side": "below", "level": "1" })
        )
        .await
        .1,
        "unknown_symbol"
    );
    assert_eq!(
        refused(
            &p,
            "/api/bells",
            &json!({ "of": { "on": "price", "symbol": "NMOU" }, "side": "below", "level": "-1" })
        )
        .await
        .1,
        "bad_field"
    );
    p.post(
        "/api/orders",
        &ticket("resting", &legs, 1, m["middle"]["value"].as_str().unwrap()),
    )
    .await;
    let (_, _, message) = refused(
        &p,
        "/api/orders",
        &ticket(
            "too large",
            &legs,
            500,
            m["middle"]["value"].as_str().unwrap(),
        ),
    )
    .await;
    assert!(message.contains("buying power"));
    step(&p, "hour").await;
    drop(p);
    p = place.program();
    let bells = p.get("/api/bells").await;
    let of = |kind: &str| {
        bells
            .as_array()
            .unwrap()
            .iter()
            .filter(|b| b["kind"] == kind)
            .cloned()
            .collect::<Vec<Value>>()
    };
    assert!(
        of("price").iter().filter(|b| b["rings"] == true).count() >= 1,
        "the price moved by a nickel within an hour: {bells}"
    );
    assert_eq!((of("refusal").len(), of("fill").len()), (1, 1), "{bells}");
    assert!(
        of("refusal")[0]["says"]
            .as_str()
            .unwrap()
            .contains("buying power")
            && of("fill")[0]["says"].as_str().unwrap().contains("order 1")
    );
    let ringing = bells
        .as_array()
        .unwrap()
        .iter()
        .find(|b| b["rings"] == true)
        .unwrap()["id"]
        .clone();
    assert_eq!(
        p.raw("POST", &format!("/api/bells/{ringing}/answer"), "")
            .await
            .0,
        StatusCode::NO_CONTENT
    );
    assert_eq!(
        p.raw("POST", &format!("/api/bells/{ringing}/answer"), "")
            .await
            .0,
        StatusCode::NOT_FOUND
    );
    p.raw("POST", "/api/bells/answer", "").await;
    for b in p.get("/api/bells").await.as_array().unwrap() {
        assert_eq!(b["rings"], false, "{b}");
        if b["isSet"] == true {
            assert_eq!(
                p.raw("DELETE", &format!("/api/bells/{}", b["id"]), "")
                    .await
                    .0,
                StatusCode::NO_CONTENT
            );
        }
    }
    assert!(
        p.get("/api/bells")
            .await
            .as_array()
            .unwrap()
            .iter()
            .all(|b| b["isSet"] == false)
    );
}

/// Approval and kind of the account decide by what is held afterwards; a deficit rings, forbids
/// opening and never closing; paper money mends it.
#[tokio::test]
async fn the_rules_of_the_account_are_kept() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let set = async |kind: &str, level: i64| {
        p.raw(
            "PUT",
            "/api/account/rules",
            &json!({ "kind": kind, "level": level, "dayTradesByDate": true }).to_string(),
        )
        .await
    };
    assert_eq!(set("margin", 2).await.0, StatusCode::NO_CONTENT);
    let (status, code, message) = refused(&p, "/api/orders", &at_cross("no", &legs, 1)).await;
    assert!(
        status == 422
            && code == "level"
            && message.contains("needs level 3")
            && message.contains("up to level 2"),
        "{message}"
    );
    let blocked = p.evaluate(&legs, None).await;
    assert!(
        blocked["checks"]
            .as_array()
            .unwrap()
            .iter()
            .any(|c| c["verdict"] == "blocking"),
        "the ticket says so before"
    );
    // An exit that waits for its entry closes what is not there yet: it needs no approval of its
    // own, is judged, and its price changes.
    let call = json!([{ "contract": legs[0]["contract"], "quantity": 1 }]);
    let exit = ticket("exit", &turned(&call), 1, "-40.00");
    let (status, pair) = p
        .post(
            "/api/orders/linked",
            &json!({
                "tie": "oneTriggersOther",
                "orders": [ticket("entry", &call, 1, "0.10"), exit],
            }),
        )
        .await;
    assert_eq!(status, StatusCode::CREATED, "{pair}");
    let (status, judged) = p
        .post(
            "/api/evaluate",
            &json!({ "symbol": "NMOU", "legs": turned(&call), "closes": pair[0]["id"] }),
        )
        .await;
    assert_eq!(
        (status, &judged["after"]),
        (StatusCode::OK, &Value::Null),
        "{judged}"
    );
    let (status, moved) = p
        .post(
            &format!("/api/orders/{}/limit", pair[1]["id"]),
            &json!({ "limit": "-38.00" }),
        )
        .await;
    assert_eq!(
        (status, moved["limit"]["value"].as_str()),
        (StatusCode::OK, Some("-38.00")),
        "{moved}"
    );
    p.post(&format!("/api/orders/{}/cancel", pair[0]["id"]), &json!({}))
        .await;
    set("margin", 5).await;
    let (status, answer) = set("portfolio", 5).await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY
            && answer["message"].as_str().unwrap().contains("100,000"),
        "{answer}"
    );
    assert_eq!(set("margin", 6).await.0, StatusCode::UNPROCESSABLE_ENTITY);

    // Uncovered puts at level 5, then approval goes: each needs its whole strike.
    let (_, rows) = p.monthly().await;
    let spot = p.get("/api/chain/NMOU").await["head"]["level"]
        .as_f64()
        .unwrap();
    let put = rows
        .iter()
        .find(|r| r["at"].as_f64().unwrap() < spot * 0.97)
        .unwrap()["put"]["contract"]
        .clone();
    let sold = json!([{ "contract": put, "quantity": -1 }]);
    let campaign = p.post("/api/orders", &at_cross("puts", &sold, 4)).await.1["id"].clone();
    let before = p.get("/api/balance").await;
    let held = &before["held"][0];
    assert_eq!(
        units(&held["saved"]),
        units(&held["legByLeg"]) - units(&held["takes"])
    );
    assert_eq!(
        (
            before["deficit"].clone(),
            before["held"][0]["requirement"]["regime"].as_str()
        ),
        (Value::Null, Some("strategy rules"))
    );
    set("margin", 3).await;
    let short = p.get("/api/balance").await;
    assert!(
        short["deficit"].is_string() && short["moved"].as_array().unwrap().len() == 7,
        "{short}"
    );
    let bells = p.get("/api/bells").await;
    assert!(
        bells
            .as_array()
            .unwrap()
            .iter()
            .any(|b| b["kind"] == "deficit" && b["rings"] == true),
        "{bells}"
    );
    let bought = json!([{ "contract": legs[0]["contract"], "quantity": 1 }]);
    assert_eq!(
        refused(&p, "/api/orders", &at_cross("open", &bought, 1))
            .await
            .1,
        "deficit"
    );
    let mut close = at_cross("close", &turned(&sold), 1);
    close["closes"] = campaign.clone();
    let (status, closed) = p.post("/api/orders", &close).await;
    assert_eq!(
        (status, closed["state"].as_str()),
        (StatusCode::CREATED, Some("filled")),
        "closing is never refused for a deficit: {closed}"
    );
    assert_eq!(
        p.post("/api/account/deposit", &json!({ "amount": "60000.00" }))
            .await
            .0,
        StatusCode::NO_CONTENT
    );
    for wrong in ["-5", "0", "1.005", "ten", "99999999999"] {
        assert_eq!(
            refused(&p, "/api/account/deposit", &json!({ "amount": wrong }))
                .await
                .0,
            422,
            "{wrong}"
        );
    }
    assert_eq!(p.get("/api/balance").await["deficit"], Value::Null);
    assert_eq!(
        set("cash", 3).await.0,
        StatusCode::NO_CONTENT,
        "secured by cash"
    );
    assert!(
        refused(&p, "/api/orders", &at_cross("spread", &legs, 1))
            .await
            .2
            .contains("cash account")
    );
    let ledger = p.get("/api/ledger").await;
    assert_eq!(
        (&ledger["violations"], &ledger["sum"]),
        (&json!([]), &ledger["cash"])
    );
    // Proceeds of a sale are not settled before the next session.
    let mut sale = at_cross("again", &turned(&sold), 3);
    sale["closes"] = campaign;
    p.post("/api/orders", &sale).await;
    p.post("/api/orders", &at_cross("buy", &bought, 1)).await;
    let mut back = at_cross("sell", &turned(&bought), 1);
    back["closes"] = json!(p.get("/api/book").await["positions"][0]["campaign"]);
    assert_eq!(p.post("/api/orders", &back).await.1["state"], "filled");
    let balance = p.get("/api/balance").await;
    assert!(units(&balance["unsettled"]) > 0, "{balance}");
    assert_eq!(
        units(&balance["forOptions"]),
        units(&balance["cash"]) - units(&balance["unsettled"]) - units(&balance["reserved"])
    );
}

/// Under portfolio rules the same book needs another amount; the sheet's parts add up, and what the
/// ticket says before is what is so after.
#[tokio::test]
async fn portfolio_rules_and_the_sheet() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let sheet = async |legs: &Value| {
        let (status, s) = p
            .post("/api/margin", &json!({ "symbol": "NMOU", "legs": legs }))
            .await;
        assert_eq!(status, StatusCode::OK, "{s}");
        let sum: i64 = s["alone"]["parts"]
            .as_array()
            .unwrap()
            .iter()
            .map(|x| units(&x["amount"]))
            .sum();
        assert_eq!(sum, units(&s["alone"]["total"]), "{s}");
        assert_eq!(
            units(&s["money"]["legByLeg"]) - units(&s["money"]["tiedUp"]),
            units(&s["money"]["saved"])
        );
        s
    };
    let strategy = sheet(&legs).await;
    assert!(
        strategy["farther"].as_array().unwrap().len() > 3
            && strategy["moved"].as_array().unwrap().len() == 7
    );
    p.post("/api/account/deposit", &json!({ "amount": "50000.00" }))
        .await;
    let rules = json!({ "kind": "portfolio", "level": 5, "dayTradesByDate": false });
    assert_eq!(
        p.raw("PUT", "/api/account/rules", &rules.to_string())
            .await
            .0,
        StatusCode::NO_CONTENT
    );
    let swept = sheet(&legs).await;
    assert_eq!(swept["alone"]["regime"], "portfolio rules");
    assert!(units(&swept["alone"]["total"]) < units(&strategy["alone"]["total"]));
    let (_, order) = p.post("/api/orders", &at_cross("open", &legs, 1)).await;
    let preview = Place::new();
    let q = preview.program();
    q.post("/api/account/deposit", &json!({ "amount": "50000.00" }))
        .await;
    q.raw("PUT", "/api/account/rules", &rules.to_string()).await;
    let told = q
        .evaluate(&legs, order["fillPrice"]["value"].as_str())
        .await;
    assert_eq!(
        p.get("/api/account").await["buyingPower"],
        told["money"]["buyingPowerAfter"]
    );
    drop(p);
    let p = place.program();
    assert_eq!(
        p.get("/api/balance").await["kind"],
        "portfolio",
        "it is kept"
    );
    // A loss takes the account below what these rules ask for: at the close it is a margin account
    // again, and a bell says so.
    let (_, rows) = p.monthly().await;
    let far = rows.last().unwrap()["call"]["contract"].clone();
    let deep = json!([{ "contract": far, "quantity": 1 }]);
    let worth = |b: &Value| units(&b["value"]) / 10_000;
    for n in 0..40 {
        if worth(&p.get("/api/balance").await) < 100_000 {
            break;
        }
        // Bought at the ask and sold at the bid of something dear and wide, over and over.
        let (_, bought) = p
            .post("/api/orders", &at_cross(&format!("in {n}"), &deep, 60))
            .await;
        let mut back = at_cross(
            &format!("out {n}"),
            &turned(&deep),
            bought["filled"].as_i64().unwrap_or(1),
        );
        back["closes"] = bought["id"].clone();
        p.post("/api/orders", &back).await;
    }
    assert!(
        worth(&p.get("/api/balance").await) < 100_000,
        "{}",
        p.get("/api/balance").await["value"]
    );
    step(&p, "close").await;
    assert_eq!(p.get("/api/balance").await["kind"], "margin");
    let bells = p.get("/api/bells").await;
    assert!(
        bells.as_array().unwrap().iter().any(|b| b["says"]
            .as_str()
            .is_some_and(|s| s.contains("margined by strategy rules"))),
        "{bells}"
    );
}

/// Fills written to a file and read into an empty account give the same positions and the same
/// money; a file with problems books nothing and names every line; the same file again is refused.
#[tokio::test]
async fn fills_go_out_and_come_in_whole_or_not_at_all() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    p.post("/api/orders", &at_cross("open", &legs, 4)).await;
    let mut close = at_cross("close", &turned(&legs), 1);
    close["closes"] = json!(1);
    p.post("/api/orders", &close).await;
    let shares = json!([{ "contract": "NMOU", "quantity": 1 }]);
    p.post("/api/orders", &at_cross("shares", &shares, 30))
        .await;
    let text = |v: Value| v.as_str().unwrap().to_owned();
    let fills = text(p.get("/api/fills.csv").await);
    let positions = text(p.get("/api/positions.csv").await);
    assert!(
        fills.starts_with("fill,order,at,symbol,instrument,quantity,price,fees\r\n")
            && fills.lines().count() == 6,
        "{fills}"
    );
    let other = Place::new();
    let q = other.program();
    let import = async |body: &str| {
        let request = axum::http::Request::builder()
            .method("POST")
            .uri("/api/fills/import")
            .header("host", HOST)
            .header("content-type", "text/csv");
        q.send(
            request
                .body(axum::body::Body::from(body.to_owned()))
                .unwrap(),
        )
        .await
    };
    let spoiled = fills
        .replacen(",-4,", ",4.5,", 1)
        .replacen("NMOU,NMOU,30", "NMOU,WXMT,30", 1);
    let (status, report) = import(&spoiled).await;
    assert_eq!(
        (status, report["booked"].as_i64()),
        (StatusCode::UNPROCESSABLE_ENTITY, Some(0)),
        "{report}"
    );
    let lines: Vec<(i64, String)> = report["problems"]
        .as_array()
        .unwrap()
        .iter()
        .map(|x| (x["line"].as_i64().unwrap(), text(x["message"].clone())))
        .collect();
    assert!(
        lines.len() == 2
            && lines[0].1.contains("not a whole number")
            && lines[1] == (6, "instrument: WXMT does not belong to NMOU".into()),
        "{lines:?}"
    );
    for (body, says) in [
        ("fill,at\n", "the header lacks"),
        ("", "the header lacks"),
        (fills.lines().next().unwrap(), "no rows"),
        (
            &fills.replace("2031-03-11T10:42", "2033-03-11T10:42"),
            "outside of this world's past",
        ),
        (&fills.replace("310418", "310419"), "not"),
    ] {
        let (status, report) = import(body).await;
        assert!(
            status == StatusCode::UNPROCESSABLE_ENTITY
                && report["problems"][0]["message"]
                    .as_str()
                    .unwrap()
                    .contains(says),
            "{says}: {report}"
        );
    }
    assert_eq!(
        q.get("/api/orders").await,
        json!([]),
        "nothing of all that is booked"
    );
    let (status, report) = import(&fills).await;
    assert_eq!(
        (status, report["booked"].as_i64()),
        (StatusCode::OK, Some(3)),
        "{report}"
    );
    assert_eq!(text(q.get("/api/positions.csv").await), positions);
    let (a, b) = (p.get("/api/ledger").await, q.get("/api/ledger").await);
    for key in ["cash", "realised", "fees", "positions"] {
        assert_eq!(a[key], b[key], "{key}");
    }
    let (status, again) = import(&fills).await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY
            && again["problems"][0]["message"]
                .as_str()
                .unwrap()
                .contains("booked already, as order 1"),
        "{again}"
    );
    drop(q);
    assert_eq!(
        other.program().get("/api/ledger").await["violations"],
        json!([]),
        "and it replays"
    );

    // OFX: well formed, every total is money that moved, option symbols keep their spaces.
    let ofx = text(p.get("/api/statement.ofx").await);
    let mut reader = quick_xml::Reader::from_str(&ofx);
    let (mut path, mut totals, mut symbols) = (Vec::new(), 0_i64, 0);
    loop {
        match reader.read_event().unwrap() {
            quick_xml::events::Event::Start(e) => path.push(e.name().as_ref().to_owned()),
            quick_xml::events::Event::End(_) => drop(path.pop()),
            quick_xml::events::Event::Text(t) => {
                let content = t.as_ref().to_owned();
                match path.last().map(String::as_str) {
                    Some("TOTAL") => totals += content.parse::<Money>().unwrap().raw(),
                    Some("UNIQUEID") if content.len() == 21 => symbols += 1,
                    _ => {}
                }
            }
            quick_xml::events::Event::Eof => break,
            _ => {}
        }
    }
    assert!(ofx.contains("OFXHEADER=\"200\" VERSION=\"220\"") && symbols >= 6 && path.is_empty());
    assert_eq!(totals, units(&a["cash"]) - units(&a["paidIn"]));
}

/// Day trades are told before they are made and counted after, as long as the switch is on.
#[tokio::test]
async fn day_trades_are_told_and_counted() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let open = async |id: &str| p.post("/api/orders", &at_cross(id, &legs, 1)).await;
    for n in 1..=4 {
        let (_, order) = open(&format!("open {n}")).await;
        let campaign = order["id"].clone();
        let told = p
            .post(
                "/api/evaluate",
                &json!({ "symbol": "NMOU", "legs": turned(&legs), "closes": campaign }),
            )
            .await
            .1;
        let note = told["checks"]
            .as_array()
            .unwrap()
            .iter()
            .find(|c| c["text"].as_str().unwrap().starts_with("opened today"))
            .unwrap()
            .clone();
        assert!(
            note["text"]
                .as_str()
                .unwrap()
                .contains(&format!("day trade {n} where 3 in 5 sessions are free")),
            "{note}"
        );
        let mut close = at_cross(&format!("close {n}"), &turned(&legs), 1);
        close["closes"] = campaign;
        assert_eq!(p.post("/api/orders", &close).await.1["state"], "filled");
    }
    let day = p.get("/api/balance").await["dayTrades"].clone();
    assert_eq!(
        (
            day["count"].as_i64(),
            day["pattern"].as_bool(),
            day["forbids"].as_bool()
        ),
        (Some(4), Some(true), Some(false)),
        "{day}"
    );
    assert_eq!(
        open("a large account").await.0,
        StatusCode::CREATED,
        "the account is worth more than 25,000"
    );
    let off = json!({ "kind": "margin", "level": 5, "dayTradesByDate": false });
    assert_eq!(
        p.raw("PUT", "/api/account/rules", &off.to_string()).await.0,
        StatusCode::NO_CONTENT
    );
    assert_eq!(p.get("/api/balance").await["dayTrades"], Value::Null);
}

/// A ticket sent many times at the same moment is one order.
#[tokio::test]
async fn a_double_click_sends_one_order() {
    let place = Place::new();
    let p = std::sync::Arc::new(place.program());
    let legs = p.bear_call().await;
    let body = at_cross("click", &legs, 1);
    let clicks: Vec<_> = (0..16)
        .map(|_| {
            let (p, body) = (std::sync::Arc::clone(&p), body.clone());
            tokio::spawn(async move { p.post("/api/orders", &body).await })
        })
        .collect();
    for click in clicks {
        let (status, order) = click.await.unwrap();
        assert_eq!(
            (status, order["id"].as_u64(), order["filled"].as_i64()),
            (StatusCode::CREATED, Some(1), Some(1)),
            "{order}"
        );
    }
    assert_eq!(
        (
            p.get("/api/orders").await.as_array().unwrap().len(),
            p.get("/api/book").await["positions"][0]["packages"].as_i64()
        ),
        (1, Some(1))
    );
}
