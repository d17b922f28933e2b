//! Much at once: it is served or refused in words, and nobody else's command waits for long. The
//! longest waits are printed (`cargo xtask measure` shows them of a released build); only words and
//! books are held here, since machines differ.
#![allow(clippy::unwrap_used)]

mod common;

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use common::{HOST, Place, Program, TOKEN};
use serde_json::{Value, json};

/// Parts of a long history, the more the faster the build.
const PARTS: i64 = if cfg!(debug_assertions) { 2 } else { 10 };

/// Someone else at work: a small command every few milliseconds, and how long each waited.
struct Neighbour {
    stop: Arc<AtomicBool>,
    task: tokio::task::JoinHandle<Vec<Duration>>,
}

impl Neighbour {
    fn of(p: &Arc<Program>) -> Neighbour {
        let stop = Arc::new(AtomicBool::new(false));
        let (p, stopped) = (Arc::clone(p), Arc::clone(&stop));
        let task = tokio::spawn(async move {
            let mut waits = Vec::new();
            while !stopped.load(Ordering::Relaxed) {
                let asked = Instant::now();
                let draft = json!({ "symbol": "NMOU", "legs": [] });
                let (status, answer) = p.raw("PUT", "/api/drafts/D", &draft.to_string()).await;
                assert!(status.is_success(), "{answer}");
                waits.push(asked.elapsed());
                tokio::time::sleep(Duration::from_millis(5)).await;
            }
            waits
        });
        Neighbour { stop, task }
    }

    async fn leave(self, what: &str, took: Duration) {
        self.stop.store(true, Ordering::Relaxed);
        let mut waits = self.task.await.unwrap();
        waits.sort();
        println!(
            "{what}: {:.0} ms; others' commands waited {:.1} ms at the median, {:.0} ms at most",
            took.as_secs_f64() * 1e3,
            waits[waits.len() / 2].as_secs_f64() * 1e3,
            waits[waits.len() - 1].as_secs_f64() * 1e3
        );
    }
}

async fn import(p: &Program, rows: &str) -> (u16, Value) {
    use axum::http::{Request, header};
    let request = Request::builder()
        .method("POST")
        .uri("/api/fills/import")
        .header(header::HOST, HOST)
        .header(header::CONTENT_TYPE, "text/csv")
        .header(header::AUTHORIZATION, format!("Bearer {TOKEN}"));
    let body = format!("fill,at,symbol,instrument,quantity,price,fees\n{rows}");
    let (status, answer) = p.send(request.body(body.into()).unwrap()).await;
    (status.as_u16(), answer)
}

fn history(first: i64, rows: i64) -> String {
    (first..first + rows)
        .map(|i| {
            let day = jiff::civil::date(2029, 1, 1)
                .checked_add(jiff::Span::new().days(i / 15))
                .unwrap();
            let side = if i % 2 == 0 { 1 } else { -1 };
            format!(
                "f{i},{day}T{:02}:{:02},NMOU,NMOU,{side},{}.{:02},0\n",
                10 + i % 5,
                i % 60,
                90 + i % 17,
                i % 100
            )
        })
        .collect()
}

/// A file of ten thousand rows is refused with what would be right; split as told it comes in.
#[tokio::test(flavor = "multi_thread")]
async fn ten_thousand_rows_come_in_by_parts() {
    let place = Place::new();
    let p = Arc::new(place.program());
    let (status, answer) = import(&p, &history(0, 10_000)).await;
    let said = answer["problems"][0]["message"].as_str().unwrap();
    assert!(status == 422 && said.contains("split the file"), "{answer}");
    let neighbour = Neighbour::of(&p);
    let began = Instant::now();
    for part in 0..PARTS {
        let (status, answer) = import(&p, &history(part * 1_000, 1_000)).await;
        assert_eq!(
            (status, &answer["booked"]),
            (200, &json!(1_000)),
            "{answer}"
        );
    }
    neighbour
        .leave(&format!("{PARTS} × 1,000 rows of history"), began.elapsed())
        .await;
    assert_eq!(p.get("/api/ledger").await["violations"], json!([]));
    let (status, answer) = import(&p, &history(0, 1_000)).await;
    let said = answer["problems"][0]["message"].as_str().unwrap();
    assert!(status == 422 && said.contains("booked already"), "{answer}");
}

/// A jump of two years with five hundred open orders goes on in short stretches and can be ended.
#[tokio::test(flavor = "multi_thread")]
async fn a_long_jump_with_many_orders_keeps_nobody_waiting() {
    let place = Place::new();
    let p = Arc::new(place.program());
    p.post("/api/account/deposit", &json!({ "amount": "9000000.00" }))
        .await;
    for i in 0..500 {
        let order = json!({
            "clientId": format!("o{i}"),
            "symbol": "NMOU",
            "legs": [{ "contract": "NMOU", "quantity": 1 }],
            "quantity": 1,
            "limit": format!("{}.{:02}", 20 + i / 100, i % 100),
            "timeInForce": "goodTillCancelled",
        });
        let (status, answer) = p.post("/api/orders", &order).await;
        assert!(status.is_success(), "{answer}");
    }
    let from = p.get("/api/clock").await["now"].clone();
    let neighbour = Neighbour::of(&p);
    let began = Instant::now();
    let jumping = {
        let p = Arc::clone(&p);
        tokio::spawn(async move { p.post("/api/clock", &json!({ "goTo": "2033-03-11" })).await })
    };
    tokio::time::sleep(Duration::from_secs(4)).await;
    let heading = p.get("/api/clock").await["heading"].clone();
    assert!(
        heading.as_str().unwrap().starts_with("2033-03-11"),
        "{heading}"
    );
    p.post("/api/clock", &json!({ "stop": true })).await;
    let (status, answer) = jumping.await.unwrap();
    neighbour
        .leave("part of two years with 500 open orders", began.elapsed())
        .await;
    assert!(status.is_success() && answer["now"] != from, "{answer}");
    println!("  from {from} to {}", answer["now"]);
    assert_eq!(p.get("/api/ledger").await["violations"], json!([]));
}

/// Five hundred pages at once: some are served, the others are told why not; when one leaves
/// another comes in.
#[tokio::test(flavor = "multi_thread")]
async fn five_hundred_pages_are_served_or_told() {
    use tokio_tungstenite::connect_async;
    use tokio_tungstenite::tungstenite::Error;
    use tokio_tungstenite::tungstenite::client::IntoClientRequest;
    let place = Place::new();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    let runs = server::Runs::start(place.desk(), &place.data());
    let desk = runs.account().clone();
    tokio::spawn(server::run(
        listener,
        runs,
        place.guard(&address),
        std::future::pending(),
    ));
    let open = async || {
        let mut request = format!("ws://{address}/api/stream")
            .into_client_request()
            .unwrap();
        let bearer = format!("Bearer {TOKEN}").parse().unwrap();
        request.headers_mut().insert("authorization", bearer);
        connect_async(request).await
    };
    let (mut served, mut told) = (Vec::new(), 0);
    for _ in 0..500 {
        match open().await {
            Ok((page, _)) => served.push(page),
            Err(Error::Http(answer)) => {
                assert_eq!(answer.status(), 503);
                told += 1;
            }
            Err(e) => panic!("{e}"),
        }
    }
    assert_eq!((served.len(), told), (100, 400));
    let mut waits = Vec::new();
    for _ in 0..100 {
        let asked = Instant::now();
        desk.call(|engine| engine.state().version).await.unwrap();
        waits.push(asked.elapsed());
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
    println!(
        "with 100 pages a command waits {:?} at most",
        waits.iter().max()
    );
    served.pop();
    for _ in 0..100 {
        if open().await.is_ok() {
            return;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("the place of a page that left is never free");
}

#[tokio::test(flavor = "multi_thread")]
async fn bells_and_drafts_without_end_are_bounded() {
    let place = Place::new();
    let p = Arc::new(place.program());
    let mut set = 0;
    let began = Instant::now();
    let neighbour = Neighbour::of(&p);
    for i in 0..10_000 {
        let bell = json!({
            "of": { "on": "price", "symbol": "NMOU" },
            "side": "above",
            "level": format!("{}", 300 + i),
        });
        let (status, answer) = p.post("/api/bells", &bell).await;
        if !status.is_success() {
            assert_eq!(answer["code"], "too_many", "{answer}");
            break;
        }
        set += 1;
    }
    neighbour
        .leave(&format!("{set} bells of 10,000 set"), began.elapsed())
        .await;
    p.post("/api/clock", &json!({ "running": true, "speed": 3600 }))
        .await;
    let neighbour = Neighbour::of(&p);
    tokio::time::sleep(Duration::from_secs(2)).await;
    neighbour
        .leave("their clock at 3,600", Duration::from_secs(2))
        .await;
    p.post("/api/clock", &json!({ "running": false })).await;
    let mut kept = 0;
    let began = Instant::now();
    let neighbour = Neighbour::of(&p);
    for i in 0..2_000 {
        let draft = json!({ "symbol": "NMOU", "legs": [], "note": "n".repeat(500) });
        let (status, answer) = p
            .raw("PUT", &format!("/api/shelf/d{i}"), &draft.to_string())
            .await;
        if !status.is_success() {
            assert_eq!(answer["code"], "too_many", "{answer}");
            break;
        }
        kept += 1;
    }
    neighbour
        .leave(&format!("{kept} drafts of 2,000 kept"), began.elapsed())
        .await;
    assert!(set == 300 && (900..=1_000).contains(&kept), "{set} {kept}");
    assert_eq!(p.get("/api/shelf").await.as_object().unwrap().len(), kept);
    assert_eq!(p.get("/api/bells").await.as_array().unwrap().len(), set);
}
