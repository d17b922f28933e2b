//! Killed without a word in the middle of busy work, again and again: what was acknowledged is
//! there afterwards, once, and the books reconcile.
//!
//! Six kills by default; `PIKEBELL_KILLS=200` asks for more (`cargo xtask measure` does).
#![allow(clippy::unwrap_used)]

use std::collections::HashSet;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use serde_json::{Value, json};

fn start(data: &Path) -> (Child, String) {
    let mut child = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(["serve", "--listen", "127.0.0.1:0", "--seed", "7", "--data"])
        .arg(data)
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let greeting = BufReader::new(child.stdout.take().unwrap())
        .lines()
        .next()
        .unwrap()
        .unwrap();
    let address = greeting
        .split_whitespace()
        .find_map(|w| w.strip_prefix("http://"))
        .unwrap()
        .to_owned();
    (child, address)
}

/// One request, its status and body; nothing when the line breaks before the whole answer is there.
fn ask(address: &str, method: &str, path: &str, body: &Value) -> Option<(u16, Value)> {
    let mut stream = TcpStream::connect(address).ok()?;
    stream
        .set_read_timeout(Some(Duration::from_secs(20)))
        .ok()?;
    let body = body.to_string();
    let head = format!(
        "{method} {path} HTTP/1.1\r\nHost: {address}\r\nContent-Type: \
         application/json\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
        body.len()
    );
    stream.write_all(head.as_bytes()).ok()?;
    stream.write_all(body.as_bytes()).ok()?;
    let mut answer = String::new();
    stream.read_to_string(&mut answer).ok()?;
    let (head, body) = answer.split_once("\r\n\r\n")?;
    let status = head.split_whitespace().nth(1)?.parse().ok()?;
    Some((status, serde_json::from_str(body).ok()?))
}

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

/// What the program said had happened to an order.
fn promised(order: &Value) -> (u64, i64, usize) {
    (
        order["id"].as_u64().unwrap(),
        order["filled"].as_i64().unwrap(),
        order["events"].as_array().unwrap().len(),
    )
}

/// Works until the line breaks: singles, brackets, cancels, steps. Every answer is kept.
fn busy(address: &str, legs: &Value, run: u64, answers: &Mutex<Vec<(u64, i64, usize)>>) {
    let turned: Value = legs
        .as_array()
        .unwrap()
        .iter()
        .map(|l| json!({ "contract": l["contract"], "quantity": -l["quantity"].as_i64().unwrap() }))
        .collect();
    let mut dice = Dice(run);
    let mut last = 0;
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
        let (path, body) = match dice.below(5) {
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
            _ => ("/api/clock".to_owned(), json!({ "step": "minute" })),
        };
        let Some((status, answer)) = ask(address, "POST", &path, &body) else {
            return;
        };
        assert!(status < 500, "{path} {body}: {status} {answer}");
        if (200..300).contains(&status) && path.starts_with("/api/orders") {
            let orders = answer
                .as_array()
                .cloned()
                .unwrap_or_else(|| vec![answer.clone()]);
            last = promised(&orders[0]).0;
            answers.lock().unwrap().extend(orders.iter().map(promised));
        }
    }
}

#[test]
fn what_was_acknowledged_survives_being_killed() {
    let kills: u64 = std::env::var("PIKEBELL_KILLS")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(6);
    let folder = tempfile::tempdir().unwrap();
    let mut acknowledged = 0;
    let mut legs = Value::Null;
    let answers = Arc::new(Mutex::new(Vec::new()));
    for run in 0..kills {
        // A new file now and then keeps the list of orders short.
        let data = folder.path().join(format!("desk{}.db", run / 10));
        let (mut child, address) = start(&data);
        if run % 10 == 0 {
            answers.lock().unwrap().clear();
            let chain = ask(&address, "GET", "/api/chain/NMOU", &json!({}))
                .unwrap()
                .1;
            let monthly = chain["head"]["marks"]
                .as_array()
                .unwrap()
                .iter()
                .find(|m| m["days"].as_i64() > Some(30))
                .unwrap()["key"]
                .as_str()
                .unwrap()
                .to_owned();
            let rows = ask(
                &address,
                "GET",
                &format!("/api/chain/NMOU?expiration={monthly}"),
                &json!({}),
            )
            .unwrap()
            .1["blocks"][0]["rows"]
                .clone();
            let rows = rows.as_array().unwrap();
            let put = |place: usize, quantity: i64| {
                json!({
                    "contract": rows[place]["put"]["contract"],
                    "quantity": quantity,
                })
            };
            legs = json!([put(rows.len() / 2, -1), put(rows.len() / 2 + 3, 1)]);
        }
        let worker = {
            let (address, legs, answers) = (address.clone(), legs.clone(), Arc::clone(&answers));
            std::thread::spawn(move || busy(&address, &legs, run, &answers))
        };
        std::thread::sleep(Duration::from_millis(30 + Dice(run * 31).below(400)));
        child.kill().unwrap();
        child.wait().unwrap();
        worker.join().unwrap();

        let (mut child, address) = start(&data);
        let orders = ask(&address, "GET", "/api/orders", &json!({})).unwrap().1;
        let orders = orders.as_array().unwrap();
        let names: HashSet<&str> = orders
            .iter()
            .map(|o| o["clientId"].as_str().unwrap())
            .collect();
        assert_eq!(names.len(), orders.len(), "no order is there twice");
        for (id, filled, events) in answers.lock().unwrap().iter() {
            let order = orders
                .iter()
                .find(|o| o["id"].as_u64() == Some(*id))
                .unwrap_or_else(|| panic!("run {run}: order {id} is gone"));
            let (_, now_filled, now_events) = promised(order);
            assert!(
                now_filled >= *filled && now_events >= *events,
                "run {run}: {order} had {filled} filled and {events} events"
            );
        }
        let ledger = ask(&address, "GET", "/api/ledger", &json!({})).unwrap().1;
        assert_eq!(ledger["violations"], json!([]), "run {run}");
        acknowledged += answers.lock().unwrap().len();
        child.kill().unwrap();
        child.wait().unwrap();
    }
    assert!(
        acknowledged > kills as usize,
        "{acknowledged} answers in {kills} runs"
    );
    println!("{kills} kills, {acknowledged} acknowledgements looked for again, none missing");
}
