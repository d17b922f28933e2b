//! Many clients at once: orders placed, changed, cancelled and filled against the released program,
//! and what became of every one of them. Run by `cargo xtask load [seconds]`; loopback only,
//! against a program and a database of its own, and it ends by itself.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

use e2e::{Door, Program};
use http_body_util::{BodyExt, Full};
use hyper::body::Bytes;
use hyper_util::client::legacy::Client;
use hyper_util::client::legacy::connect::HttpConnector;
use hyper_util::rt::TokioExecutor;
use serde_json::{Value, json};

const CLIENTS: usize = 50;
/// Orders a second of all clients together.
const RATE: u64 = 200;
/// Seconds unless told otherwise, and at most.
const SECONDS: u64 = 60;
const LONGEST: u64 = 600;

type Http = Client<HttpConnector, Full<Bytes>>;

/// What one client saw: how long each order took to be acknowledged, what was answered, and the
/// numbers it was given.
#[derive(Default)]
struct Seen {
    millis: Vec<f64>,
    other_millis: Vec<f64>,
    statuses: BTreeMap<u16, u64>,
    /// Order number by client id.
    placed: BTreeMap<String, u64>,
    doubled: Vec<String>,
    /// Sentences of refusals, counted.
    refused: BTreeMap<String, u64>,
}

#[tokio::main]
async fn main() {
    let seconds = std::env::args()
        .nth(1)
        .and_then(|s| s.parse().ok())
        .unwrap_or(SECONDS)
        .clamp(1, LONGEST);
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("load.db");
    let program = Arc::new(Program::serve(&data, 0));
    let http: Http = Client::builder(TokioExecutor::new())
        .pool_max_idle_per_host(CLIENTS)
        .build_http();
    // Money for everything that rests, and a running market.
    for _ in 0..3 {
        ask(
            &http,
            &program.door,
            "POST",
            "api/account/deposit",
            Some(json!({ "amount": "10000000.00" })),
        )
        .await;
    }
    ask(
        &http,
        &program.door,
        "POST",
        "api/clock",
        Some(json!({ "running": true })),
    )
    .await;
    let legs = Arc::new(puts(&http, &program.door).await);
    println!(
        "{CLIENTS} clients, {RATE} orders a second together, {seconds} s, {} different contracts",
        legs.len()
    );
    let (began, next) = (Instant::now(), Arc::new(AtomicU64::new(0)));
    let all = RATE * seconds;
    let clients: Vec<_> = (0..CLIENTS)
        .map(|_| {
            let (http, program, legs, next) = (
                http.clone(),
                Arc::clone(&program),
                Arc::clone(&legs),
                Arc::clone(&next),
            );
            tokio::spawn(async move {
                let mut seen = Seen::default();
                loop {
                    // Each order has its moment; whoever is free takes the next.
                    let n = next.fetch_add(1, Ordering::Relaxed);
                    if n >= all {
                        return seen;
                    }
                    let due = began + Duration::from_micros(n * 1_000_000 / RATE);
                    tokio::time::sleep_until(due.into()).await;
                    one(&http, &program.door, &legs, n, due, &mut seen).await;
                }
            })
        })
        .collect();
    let mut seen = Seen::default();
    for client in clients {
        merge(&mut seen, client.await.expect("a client ended badly"));
    }
    let took = began.elapsed().as_secs_f64();
    report("order to its acknowledgement", &mut seen.millis, 100.0);
    report(
        "change or cancel to its acknowledgement",
        &mut seen.other_millis,
        100.0,
    );
    println!(
        "answers by status: {:?}; {:.0} orders a second over {took:.1} s",
        seen.statuses,
        seen.millis.len() as f64 / took
    );
    for (why, times) in &seen.refused {
        println!("  refused {times} × {why}");
    }
    let lost = check(&http, &program.door, &seen).await;
    // Killed at this moment it finds everything again.
    let Ok(program) = Arc::try_unwrap(program) else {
        panic!("a client still holds the program")
    };
    drop(program);
    let again = Program::serve(&data, 0);
    let after = check(&http, &again.door, &seen).await;
    let failed = seen
        .statuses
        .iter()
        .filter(|(status, _)| **status >= 500)
        .map(|(_, n)| n)
        .sum::<u64>();
    println!(
        "lost {lost}, lost after a kill {after}, doubled {}, answers of 5xx {failed}",
        seen.doubled.len()
    );
    if lost + after > 0 || !seen.doubled.is_empty() || failed > 0 {
        std::process::exit(1);
    }
}

/// One order, sent twice now and then as a client does that got no answer; some are changed or
/// cancelled.
async fn one(http: &Http, door: &Door, legs: &[Value], n: u64, due: Instant, seen: &mut Seen) {
    let leg = &legs[n as usize % legs.len()];
    let id = format!("load-{n}");
    // Every tenth crosses the market and fills; the others rest below it.
    let limit = if n.is_multiple_of(10) {
        leg["ask"].clone()
    } else {
        json!("0.01")
    };
    let body = json!({
        "clientId": id, "symbol": "WXMT",
        "legs": [{ "contract": leg["contract"], "quantity": 1 }], "quantity": 1 + n % 3,
        "limit": limit, "timeInForce": "day",
    });
    let sent = |body: Value| ask(http, door, "POST", "api/orders", Some(body));
    let (status, answer) = sent(body.clone()).await;
    seen.millis.push(due.elapsed().as_secs_f64() * 1e3);
    count(seen, status, &answer);
    let Some(number) = answer["id"].as_u64() else {
        return;
    };
    if n.is_multiple_of(25) {
        let (status, again) = sent(body).await;
        count(seen, status, &again);
        if again["id"].as_u64() != Some(number) {
            seen.doubled.push(id.clone());
        }
    }
    seen.placed.insert(id, number);
    // Most do not stay: a book of orders as large as a trader's, not as an exchange's.
    if answer["open"] == true && !n.is_multiple_of(40) {
        let began = Instant::now();
        let (status, answer) = if n % 7 == 3 {
            ask(
                http,
                door,
                "POST",
                &format!("api/orders/{number}/limit"),
                Some(json!({ "limit": "0.02" })),
            )
            .await
        } else {
            ask(
                http,
                door,
                "POST",
                &format!("api/orders/{number}/cancel"),
                Some(json!({})),
            )
            .await
        };
        seen.other_millis.push(began.elapsed().as_secs_f64() * 1e3);
        count(seen, status, &answer);
    }
}

fn count(seen: &mut Seen, status: u16, answer: &Value) {
    *seen.statuses.entry(status).or_default() += 1;
    if status >= 400 {
        let why: String = answer["message"]
            .as_str()
            .unwrap_or("no sentence")
            .chars()
            .filter(|c| !c.is_ascii_digit())
            .take(100)
            .collect();
        *seen.refused.entry(why).or_default() += 1;
    }
}

fn merge(all: &mut Seen, one: Seen) {
    all.millis.extend(one.millis);
    all.other_millis.extend(one.other_millis);
    all.placed.extend(one.placed);
    all.doubled.extend(one.doubled);
    for (status, n) in one.statuses {
        *all.statuses.entry(status).or_default() += n;
    }
    for (why, n) in one.refused {
        *all.refused.entry(why).or_default() += n;
    }
}

/// How many acknowledged orders are missing, stand twice or under another number; and whether the
/// ledger adds up.
async fn check(http: &Http, door: &Door, seen: &Seen) -> usize {
    // The open ones come with the first page; the ended ones page by page, the newest first.
    let mut by_client: BTreeMap<String, BTreeSet<u64>> = BTreeMap::new();
    let mut page = String::from("api/orders?limit=1000");
    loop {
        let (_, orders) = ask(http, door, "GET", &page, None).await;
        let orders = orders.as_array().cloned().unwrap_or_default();
        for o in &orders {
            by_client
                .entry(o["clientId"].as_str().unwrap_or_default().into())
                .or_default()
                .insert(o["id"].as_u64().unwrap_or(0));
        }
        let ended = orders.iter().filter(|o| o["open"] == false);
        let Some(oldest) = ended.filter_map(|o| o["id"].as_u64()).min() else {
            break;
        };
        page = format!("api/orders?limit=1000&before={oldest}");
    }
    let (_, ledger) = ask(http, door, "GET", "api/ledger", None).await;
    assert_eq!(
        (
            ledger["violations"].as_array().map(Vec::len),
            &ledger["sum"]
        ),
        (Some(0), &ledger["cash"]),
        "the ledger does not add up"
    );
    seen.placed
        .iter()
        .filter(|(client, number)| {
            by_client.get(client.as_str()) != Some(&BTreeSet::from([**number]))
        })
        .count()
}

/// Cheap puts of the fund's monthly, with their asks.
async fn puts(http: &Http, door: &Door) -> Vec<Value> {
    let (_, chain) = ask(http, door, "GET", "api/chain/WXMT", None).await;
    let marks = chain["head"]["marks"]
        .as_array()
        .cloned()
        .unwrap_or_default();
    let mark = marks
        .iter()
        .find(|m| m["cycle"] == "monthly" && m["days"].as_i64() > Some(30))
        .cloned()
        .expect("a monthly");
    let key = mark["key"].as_str().unwrap_or_default();
    let (_, chain) = ask(
        http,
        door,
        "GET",
        &format!("api/chain/WXMT?expiration={key}"),
        None,
    )
    .await;
    let rows = chain["blocks"][0]["rows"]
        .as_array()
        .cloned()
        .unwrap_or_default();
    let cheap = |r: &Value| {
        r["put"]["ask"]
            .as_str()
            .and_then(|a| a.parse::<f64>().ok())
            .is_some_and(|a| a > 0.1 && a < 3.0)
    };
    rows.iter()
        .filter(|r| cheap(r))
        .map(|r| r["put"].clone())
        .collect()
}

async fn ask(
    http: &Http,
    door: &Door,
    method: &str,
    path: &str,
    body: Option<Value>,
) -> (u16, Value) {
    let base = &door.address;
    let request = hyper::Request::builder()
        .method(method)
        .uri(format!("{base}/{path}"))
        .header("origin", base)
        .header("authorization", format!("Bearer {}", door.token))
        .header("content-type", "application/json");
    let bytes = Bytes::from(body.map(|b| b.to_string()).unwrap_or_default());
    let request = request.body(Full::new(bytes)).expect("a request");
    match http.request(request).await {
        Ok(response) => {
            let status = response.status().as_u16();
            let body = response
                .into_body()
                .collect()
                .await
                .map(|b| b.to_bytes())
                .unwrap_or_default();
            (status, serde_json::from_slice(&body).unwrap_or(Value::Null))
        }
        Err(e) => (599, json!({ "message": e.to_string() })),
    }
}

fn report(what: &str, millis: &mut [f64], wanted: f64) {
    millis.sort_by(f64::total_cmp);
    let at = |share: f64| {
        millis
            .get(((millis.len() as f64 * share) as usize).min(millis.len().saturating_sub(1)))
            .copied()
            .unwrap_or(f64::NAN)
    };
    println!(
        "{what}: median {:.1} ms, 95 % under {:.1}, 99 % under {:.1}, longest {:.1}, {} draws; \
         wanted 99 % under {wanted}",
        at(0.5),
        at(0.95),
        at(0.99),
        at(1.0),
        millis.len()
    );
}
