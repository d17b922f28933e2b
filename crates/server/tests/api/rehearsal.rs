//! Runs that live in the past: where they begin, how their clock goes, and branches.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::common::{Place, Program, ticket};

async fn done(p: &Program, path: &str, body: Value) -> Value {
    let (status, answer) = p.post(path, &body).await;
    assert!(status.is_success(), "{path} {body}: {answer}");
    answer
}

async fn refused(p: &Program, path: &str, body: Value, says: &str) {
    let (status, answer) = p.post(path, &body).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{body}: {answer}");
    assert!(
        answer["message"].as_str().unwrap().contains(says),
        "{answer}"
    );
}

/// A put vertical of a run's chain some five weeks ahead: bought at the first strikes below the price.
async fn vertical(p: &Program, run: &str) -> Value {
    let chain = p.get(&format!("/runs/{run}/api/chain/NMOU")).await;
    let marks = chain["head"]["marks"].as_array().unwrap();
    let mark = marks
        .iter()
        .find(|m| m["cycle"] == "monthly" && m["days"].as_i64() > Some(25))
        .unwrap();
    let key = mark["key"].as_str().unwrap();
    let rows = p
        .get(&format!("/runs/{run}/api/chain/NMOU?expiration={key}"))
        .await["blocks"][0]["rows"]
        .clone();
    let puts: Vec<Value> = rows
        .as_array()
        .unwrap()
        .iter()
        .map(|r| r["put"].clone())
        .collect();
    let half = puts.len() / 2;
    json!([
        { "contract": puts[half]["contract"], "quantity": 1 },
        { "contract": puts[half + 2]["contract"], "quantity": -1 },
    ])
}

/// What is in the books of a run, in the order it came.
async fn books(p: &Program, run: &str) -> (Value, Value, Value) {
    let way = format!("/runs/{run}/api");
    (
        p.get(&format!("{way}/ledger")).await["entries"].clone(),
        p.get(&format!("{way}/orders")).await,
        p.get(&format!("{way}/bells")).await,
    )
}

#[tokio::test]
async fn a_run_lives_in_the_past_and_its_branch_goes_another_way() {
    let place = Place::new();
    let p = place.program();
    let account = books(&p, "account").await;
    let now = p.get("/api/clock").await["now"].clone();
    let begin = |name: &str, at: &str| json!({ "name": name, "at": at, "money": "25000", "symbol": "NMOU", "note": "a try" });
    let run = done(&p, "/api/runs", begin("spring", "2030-03-11")).await;
    assert_eq!(run["began"], "2030-03-11T09:30:00.000-05:00");
    assert_eq!(
        (&run["symbol"], &run["note"]),
        (&json!("NMOU"), &json!("a try"))
    );
    for (at, says) in [
        ("2031-03-12", "lies ahead of the account's clock"),
        ("2020-01-02", "before the world"),
        ("soon", "is no moment"),
    ] {
        refused(&p, "/api/runs", begin("other", at), says).await;
    }
    let mut poor = begin("other", "2030-03-11");
    poor["money"] = json!("0");
    refused(&p, "/api/runs", poor, "write an amount above zero").await;

    let clock = "/runs/spring/api/clock";
    let listed = p.get("/runs/spring/api/scout/market").await["rows"].clone();
    assert_eq!(
        (listed.as_array().unwrap().len(), &listed[0]["symbol"]),
        (1, &json!("NMOU"))
    );
    done(&p, clock, json!({ "goTo": "10:30" })).await;
    let legs = vertical(&p, "spring").await;
    let order = ticket("a", &legs, 1, "5.00");
    let placed = done(&p, "/runs/spring/api/orders", order).await;
    assert_eq!(placed["state"], "filled", "{placed}");
    let there = done(&p, clock, json!({ "goTo": "3 sessions" })).await;
    assert_eq!(there["now"], "2030-03-14T10:30:00.000-05:00");
    let fork = books(&p, "spring").await;
    // The look is kept before the clock leaves it.
    done(&p, clock, json!({ "next": "date" })).await;
    let after = ticket("b", &legs, 1, "5.00");
    done(&p, "/runs/spring/api/orders", after).await;
    let origin = books(&p, "spring").await;
    assert_ne!(origin, fork);

    let looks = p.get("/api/runs/spring/looks").await;
    let at = "2030-03-14T10:30:00.000-05:00";
    assert_eq!(looks.as_array().unwrap().len(), 3, "{looks}");
    assert_eq!(looks[2], at);
    let branch = json!({ "name": "spring-2", "at": at });
    let made = done(&p, "/api/runs/spring/branch", branch.clone()).await;
    assert_eq!(
        (&made["from"], &made["now"]),
        (&json!("spring"), &json!(at))
    );
    assert_eq!(p.get("/api/runs/spring-2/looks").await, looks);
    // It equals its origin up to the look, and goes its own way from there.
    assert_eq!(books(&p, "spring-2").await, fork);
    let own = ticket("c", &legs, 2, "5.00");
    done(&p, "/runs/spring-2/api/orders", own).await;
    done(&p, "/runs/spring-2/api/clock", json!({ "goTo": "2 weeks" })).await;
    assert_eq!(books(&p, "spring").await, origin);
    assert_eq!(books(&p, "account").await, account);
    assert_eq!(p.get("/api/clock").await["now"], now);
    let (status, _) = p.post("/api/runs/spring/branch", &branch).await;
    assert_eq!(status, StatusCode::CONFLICT);
    let nowhere = json!({ "name": "x", "at": "2030-03-15T10:30" });
    let (status, _) = p.post("/api/runs/spring/branch", &nowhere).await;
    assert_eq!(status, StatusCode::NOT_FOUND);

    // Played again in the same way it comes to the same books.
    let again = json!({ "name": "again", "at": at });
    done(&p, "/api/runs/spring/branch", again).await;
    done(&p, "/runs/again/api/clock", json!({ "next": "date" })).await;
    done(&p, "/runs/again/api/orders", ticket("b", &legs, 1, "5.00")).await;
    assert_eq!(books(&p, "again").await, origin);

    let beside = p.get("/api/runs/compare?names=spring,spring-2").await;
    let days = |i: usize| beside[i]["days"].as_array().unwrap().clone();
    assert_eq!(days(0)[..3], days(1)[..3]);
    assert!(days(1).len() > days(0).len());
    assert_eq!(beside[0]["decisions"][0]["what"], "opened");

    let (status, over) = p
        .raw(
            "PUT",
            "/api/runs/spring",
            r#"{"finished":true,"note":"enough"}"#,
        )
        .await;
    assert_eq!(status, StatusCode::OK);
    assert_eq!(
        (&over["finished"], &over["note"]),
        (&json!(true), &json!("enough"))
    );
    refused(
        &p,
        clock,
        json!({ "goTo": "1 session" }),
        "this run is closed",
    )
    .await;
    let (status, _) = p.raw("DELETE", "/api/runs/spring", "").await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    let (status, _) = p.raw("GET", "/runs/spring/api/clock", "").await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    assert_eq!(p.get("/runs/spring-2/api/clock").await["running"], false);
    drop(p);
    // After a restart the others are there, and a run of the same name is a new one.
    let p = place.program();
    let fresh = done(&p, "/api/runs", begin("spring", "2030-06-03")).await;
    assert_eq!(
        (&fresh["looks"], &fresh["finished"]),
        (&json!(0), &json!(false))
    );
    assert_eq!(p.get("/api/runs").await.as_array().unwrap().len(), 4);
}

/// The clock of a run stops where a bell rings, and never passes the account's.
#[tokio::test]
async fn to_the_next_ring_and_no_farther_than_the_account() {
    let place = Place::new();
    let p = place.program();
    let run = json!({ "name": "last", "at": "2031-02-03" });
    done(&p, "/api/runs", run).await;
    let way = "/runs/last/api";
    let level = p.get(&format!("{way}/chain/WXMR")).await["head"]["level"].clone();
    let price = level.as_f64().unwrap();
    let bell = json!({ "of": { "on": "price", "symbol": "WXMR" }, "side": "above", "level": format!("{:.0}.00", price + 15.0) });
    done(&p, &format!("{way}/bells"), bell).await;
    let clock = format!("{way}/clock");
    let there = done(&p, &clock, json!({ "next": "ring" })).await;
    let bells = p.get(&format!("{way}/bells")).await;
    let rung = bells
        .as_array()
        .unwrap()
        .iter()
        .find(|b| !b["rung"].is_null());
    let rung = rung.unwrap_or_else(|| panic!("{bells}"))["rung"]
        .as_str()
        .unwrap()
        .to_owned();
    // It stands at the look at which it rang, ten minutes later at the most.
    let now = there["now"].as_str().unwrap();
    assert!(
        now >= rung.as_str() && now[..13] <= *"2031-03-11T10",
        "{now} {rung}"
    );
    assert_eq!(now[..10], rung[..10]);
    // With nothing else to ring it ends where the account stands.
    let end = done(&p, &clock, json!({ "next": "ring" })).await;
    assert_eq!(end["now"], p.get("/api/clock").await["now"]);
    done(
        &p,
        "/api/runs",
        json!({ "name": "beyond", "at": "2031-03-10" }),
    )
    .await;
    let clock = "/runs/beyond/api/clock";
    refused(&p, clock, json!({ "goTo": "2 weeks" }), "lives in its past").await;
    refused(
        &p,
        clock,
        json!({ "goTo": "yesterday" }),
        "no moment and no distance",
    )
    .await;
    refused(&p, clock, json!({ "goTo": "2031-03-07" }), "lies behind").await;
    refused(&p, clock, json!({ "next": "date" }), "nothing is held").await;
    refused(
        &p,
        clock,
        json!({ "next": "ring", "step": "hour" }),
        "one of step, goTo and next",
    )
    .await;
}
