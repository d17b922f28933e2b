//! Killed without a word in the middle of busy work, again and again: what was acknowledged is
//! there afterwards, once, and the books reconcile.
//!
//! Thirty kills by default; `PIKEBELL_KILLS=1000` asks for more (`cargo xtask measure` does).
#![allow(clippy::unwrap_used)]

mod process;

use std::collections::HashSet;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use process::{Door, Running};
use serde_json::{Value, json};

/// SplitMix64: the same kills on every run.
struct Dice(u64);

impl Dice {
    fn below(&mut self, n: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let z = (self.0 ^ (self.0 >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (z ^ (z >> 31)) % n
    }
}

/// What the program said had happened, in the order of its answers.
#[derive(Default)]
struct Promised {
    /// Number, packages filled and events of orders.
    orders: Vec<(u64, i64, usize)>,
    /// Limits that were changed, by order.
    limits: Vec<(u64, String)>,
    /// Money paid in, in all.
    deposits: i64,
    /// Bells that were set.
    bells: Vec<u64>,
    /// The latest moment of the clock.
    clock: String,
}

fn order_of(order: &Value) -> (u64, i64, usize) {
    (
        order["id"].as_u64().unwrap(),
        order["filled"].as_i64().unwrap(),
        order["events"].as_array().unwrap().len(),
    )
}

/// Works until the line breaks: singles, brackets, cancels, changes, deposits, bells, with the
/// clock at its fastest. Every answer is kept.
fn busy(door: &Door, legs: &Value, run: u64, promised: &Mutex<Promised>) {
    let turned: Value = legs
        .as_array()
        .unwrap()
        .iter()
        .map(|l| json!({ "contract": l["contract"], "quantity": -l["quantity"].as_i64().unwrap() }))
        .collect();
    let mut dice = Dice(run);
    let mut last = 0;
    let fast = json!({ "running": true, "speed": 3_600 });
    let Some((200, _)) = door.ask("POST", "/api/clock", &fast) else {
        return;
    };
    for number in 0.. {
        let ticket = |name: &str, legs: &Value, limit: Value| {
            json!({
                "clientId": format!("r{run}n{number}{name}"),
                "symbol": "NMOU",
                "legs": legs,
                "quantity": 1 + number % 2,
                "limit": limit,
                "timeInForce": "goodTillCancelled",
            })
        };
        let limit = format!("-0.{:02}", 5 + dice.below(90));
        let (path, body) = match dice.below(9) {
            0 => ("/api/orders".to_owned(), ticket("", legs, Value::Null)),
            1 => ("/api/orders".to_owned(), ticket("", &turned, Value::Null)),
            2 => {
                let stop = json!({ "side": "mark", "trailing": "0.40" });
                let mut exit = ticket("stop", &turned, Value::Null);
                exit["trigger"] = stop;
                let entry = ticket("in", legs, Value::Null);
                (
                    "/api/orders/linked".to_owned(),
                    json!({
                        "tie": "bracket",
                        "orders": [entry, ticket("out", &turned, json!("0.05")), exit],
                    }),
                )
            }
            3 => (format!("/api/orders/{last}/cancel"), json!({})),
            4 => (
                "/api/orders".to_owned(),
                ticket("rest", legs, json!("-9.50")),
            ),
            5 => (
                format!("/api/orders/{last}/limit"),
                json!({ "limit": limit }),
            ),
            6 => (
                "/api/account/deposit".to_owned(),
                json!({ "amount": "100.00" }),
            ),
            7 => (
                "/api/bells".to_owned(),
                json!({ "of": { "on": "price", "symbol": "NMOU" }, "side": "above", "level": "999" }),
            ),
            _ => ("/api/clock".to_owned(), json!({ "running": true })),
        };
        let Some((status, answer)) = door.ask("POST", &path, &body) else {
            return;
        };
        assert!(status < 500, "{path} {body}: {status} {answer}");
        if !(200..300).contains(&status) {
            continue;
        }
        let mut promised = promised.lock().unwrap();
        if path.ends_with("/limit") {
            promised.limits.push((last, limit));
        }
        match path.as_str() {
            "/api/account/deposit" => promised.deposits += 100,
            "/api/bells" => promised.bells.push(answer["id"].as_u64().unwrap()),
            "/api/clock" => promised.clock = answer["now"].as_str().unwrap().to_owned(),
            _ => {
                let orders = answer
                    .as_array()
                    .cloned()
                    .unwrap_or_else(|| vec![answer.clone()]);
                last = order_of(&orders[0]).0;
                promised.orders.extend(orders.iter().map(order_of));
            }
        }
    }
}

/// What is there after a kill is at least what was said before it.
fn look_again(door: &Door, promised: &Promised, run: u64) {
    let orders = every_order(door);
    let names: HashSet<&str> = orders
        .iter()
        .map(|o| o["clientId"].as_str().unwrap())
        .collect();
    assert_eq!(names.len(), orders.len(), "no order is there twice");
    let by_id = |id: u64| {
        orders
            .iter()
            .find(|o| o["id"].as_u64() == Some(id))
            .unwrap_or_else(|| panic!("run {run}: order {id} is gone"))
    };
    for (id, filled, events) in &promised.orders {
        let order = by_id(*id);
        let (_, now_filled, now_events) = order_of(order);
        assert!(
            now_filled >= *filled && now_events >= *events,
            "run {run}: {order} had {filled} filled and {events} events"
        );
    }
    for (id, limit) in &promised.limits {
        let told = format!("limit changed to {}", limit.trim_start_matches('-'));
        let events = by_id(*id)["events"].to_string();
        assert!(events.contains(&told), "run {run}: {events} without {told}");
    }
    let ledger = door.get("/api/ledger");
    assert_eq!(ledger["violations"], json!([]), "run {run}");
    let paid: f64 = ledger["paidIn"].as_str().unwrap().parse().unwrap();
    let said = 60_000 + promised.deposits;
    // One payment more may have been kept whose answer was cut off, in each run on this file.
    let most = said + 100 * i64::try_from(run % 10 + 1).unwrap();
    assert!(
        paid >= said as f64 && paid <= most as f64,
        "run {run}: {paid} for {said}"
    );
    let bells = door.get("/api/bells");
    for id in &promised.bells {
        let there = bells
            .as_array()
            .unwrap()
            .iter()
            .any(|b| b["id"].as_u64() == Some(*id));
        assert!(there, "run {run}: bell {id} is gone");
    }
    let clock = door.get("/api/clock")["now"].as_str().unwrap().to_owned();
    // Moments of one offset compare as text.
    assert!(
        clock >= promised.clock,
        "run {run}: {clock} after {}",
        promised.clock
    );
}

/// All orders, the pages of the ended ones put together.
fn every_order(door: &Door) -> Vec<Value> {
    let mut all: Vec<Value> = Vec::new();
    let mut path = "/api/orders".to_owned();
    loop {
        let page = door.get(&path);
        let page = page.as_array().unwrap();
        let first = page
            .iter()
            .filter(|o| o["open"] == false)
            .filter_map(|o| o["id"].as_u64())
            .min();
        let new: Vec<Value> = page
            .iter()
            .filter(|o| all.iter().all(|a| a["id"] != o["id"]))
            .cloned()
            .collect();
        let Some(first) = first.filter(|_| !new.is_empty()) else {
            all.extend(new);
            return all;
        };
        all.extend(new);
        path = format!("/api/orders?before={first}");
    }
}

/// Legs of a bull put vertical on NMOU about a month out.
fn vertical(door: &Door) -> Value {
    let chain = door.get("/api/chain/NMOU");
    let marks = chain["head"]["marks"].as_array().unwrap().clone();
    let monthly = marks
        .iter()
        .find(|m| m["days"].as_i64() > Some(30))
        .unwrap();
    let key = monthly["key"].as_str().unwrap();
    let block = door.get(&format!("/api/chain/NMOU?expiration={key}"));
    let rows = block["blocks"][0]["rows"].as_array().unwrap().clone();
    let put = |place: usize, quantity: i64| {
        json!({
            "contract": rows[place]["put"]["contract"],
            "quantity": quantity,
        })
    };
    json!([put(rows.len() / 2, -1), put(rows.len() / 2 + 3, 1)])
}

#[test]
fn what_was_acknowledged_survives_being_killed() {
    let kills: u64 = std::env::var("PIKEBELL_KILLS")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(30);
    let folder = tempfile::tempdir().unwrap();
    let mut acknowledged = 0;
    let mut legs = Value::Null;
    let mut promised = Arc::new(Mutex::new(Promised::default()));
    for run in 0..kills {
        // A new file now and then keeps the list of orders short.
        let data = folder.path().join(format!("desk{}.db", run / 10));
        let program = Running::serve(&data);
        if run % 10 == 0 {
            promised = Arc::default();
            legs = vertical(&program.door);
        } else {
            look_again(&program.door, &promised.lock().unwrap(), run);
        }
        let worker = {
            let (door, legs, promised) = (program.door.clone(), legs.clone(), promised.clone());
            std::thread::spawn(move || busy(&door, &legs, run, &promised))
        };
        std::thread::sleep(Duration::from_millis(30 + Dice(run * 31).below(300)));
        program.kill();
        worker.join().unwrap();
        acknowledged = acknowledged.max(promised.lock().unwrap().orders.len());
        if run % 10 == 9 || run + 1 == kills {
            let program = Running::serve(&data);
            look_again(&program.door, &promised.lock().unwrap(), run);
        }
    }
    assert!(acknowledged > 20, "{acknowledged} answers in a file");
    println!("{kills} kills, up to {acknowledged} orders a file looked for again, none missing");
}
