//! The websocket, as a page meets it, on a listening program; and the demo account it opens with.

use std::time::Duration;

use crate::common::{Place, SEED, TOKEN};
use futures_util::{SinkExt, StreamExt};
use serde_json::{Value, json};
use server::{Beginning, Runs, Settings, open, run};
use tokio::net::{TcpListener, TcpStream};
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;
use tokio_tungstenite::{MaybeTlsStream, WebSocketStream, connect_async};

struct Page(WebSocketStream<MaybeTlsStream<TcpStream>>);

impl Page {
    async fn open(address: &str) -> Page {
        Page::of_run(address, "").await
    }

    /// A page of the run at `way`, as in `/runs/NAME`.
    async fn of_run(address: &str, way: &str) -> Page {
        let mut request = format!("ws://{address}{way}/api/stream")
            .into_client_request()
            .unwrap();
        let bearer = format!("Bearer {TOKEN}").parse().unwrap();
        request.headers_mut().insert("authorization", bearer);
        Page(connect_async(request).await.unwrap().0)
    }

    async fn say(&mut self, message: &Value) {
        self.0
            .send(Message::text(message.to_string()))
            .await
            .unwrap();
    }

    /// The next message of one of these types.
    async fn hear(&mut self, kinds: &[&str]) -> Value {
        let wait = async {
            loop {
                let text = self.0.next().await.unwrap().unwrap().into_text().unwrap();
                let message: Value = serde_json::from_str(&text).unwrap();
                if kinds.contains(&message["type"].as_str().unwrap()) {
                    return message;
                }
            }
        };
        tokio::time::timeout(Duration::from_secs(20), wait)
            .await
            .expect("a message")
    }
}

/// A plain request of a program that needs no client: HTTP/1.1 by hand over loopback.
async fn ask(address: &str, method: &str, path: &str, body: &str) -> Value {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let mut stream = TcpStream::connect(address).await.unwrap();
    let head = format!(
        "{method} {path} HTTP/1.1\r\nHost: {address}\r\nAuthorization: Bearer {TOKEN}\r\n\
         Content-Type: application/json\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
        body.len()
    );
    stream
        .write_all(format!("{head}{body}").as_bytes())
        .await
        .unwrap();
    let mut answer = String::new();
    stream.read_to_string(&mut answer).await.unwrap();
    let text = answer.split_once("\r\n\r\n").unwrap().1;
    // A chunked body: the JSON is what lies between the first { or [ and the last } or ].
    let start = text.find(['{', '[']).unwrap();
    serde_json::from_str(&text[start..=text.rfind(['}', ']']).unwrap()]).unwrap()
}

async fn listening(place: &Place) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    let runs = Runs::start(place.desk(), &place.data());
    tokio::spawn(run(
        listener,
        runs,
        place.guard(&address),
        std::future::pending(),
    ));
    address
}

/// Two pages that are open at once hear of every order within a second and then see the same, also
/// when many come at once.
#[tokio::test]
async fn two_pages_never_disagree_for_longer_than_a_second() {
    let place = Place::new();
    let address = listening(&place).await;
    let (mut one, mut other) = (Page::open(&address).await, Page::open(&address).await);
    for page in [&mut one, &mut other] {
        page.say(&json!({ "type": "watchBook", "on": true })).await;
        page.hear(&["book"]).await;
    }
    let rows = ask(
        &address,
        "GET",
        "/api/chain/NMOU?expiration=NMOU:2031-04-18",
        "",
    )
    .await["blocks"][0]["rows"]
        .clone();
    let call =
        rows.as_array().unwrap()[rows.as_array().unwrap().len() / 2]["call"]["contract"].clone();
    for burst in [1, 20] {
        let sent = std::time::Instant::now();
        for n in 0..burst {
            let body = json!({
                "clientId": format!("{burst}-{n}"),
                "symbol": "NMOU",
                "legs": [{ "contract": call, "quantity": 1 }],
                "quantity": 1,
                "timeInForce": "day",
            });
            let order = ask(&address, "POST", "/api/orders", &body.to_string()).await;
            assert_eq!(order["state"], "filled", "{order}");
        }
        let acknowledged = std::time::Instant::now();
        let version = ask(&address, "GET", "/api/orders", "")
            .await
            .as_array()
            .unwrap()
            .len();
        let mut shown = Vec::new();
        for page in [&mut one, &mut other] {
            // Until the book holds what was bought.
            let positions = loop {
                let book = page.hear(&["book"]).await;
                let count = book["book"]["positions"].as_array().unwrap().len();
                if count == version {
                    break book["book"].clone();
                }
            };
            shown.push((positions["positions"].clone(), positions["held"].clone()));
        }
        assert!(
            acknowledged.elapsed() < Duration::from_secs(1),
            "{:?} after the last of {burst} ({:?})",
            acknowledged.elapsed(),
            sent.elapsed()
        );
        assert_eq!(shown[0], shown[1]);
    }
}

#[tokio::test]
async fn differences_add_up_to_the_chain() {
    let place = Place::new();
    let address = listening(&place).await;
    let mut page = Page::open(&address).await;
    let key = "NMOU:2031-04-18";
    page.say(&json!({ "type": "watch", "symbol": "NMOU", "expirations": [key] }))
        .await;
    let head = page.hear(&["head"]).await;
    assert_eq!(head["head"]["symbol"], "NMOU");
    let whole = page.hear(&["rows"]).await;
    assert_eq!(
        (&whole["whole"], &whole["key"]),
        (&json!(true), &json!(key))
    );
    let mut rows = whole["rows"].as_array().unwrap().clone();
    for _ in 0..4 {
        ask(&address, "POST", "/api/clock", r#"{"step":"minute"}"#).await;
        let message = page.hear(&["rows"]).await;
        assert_eq!(message["whole"], json!(false), "only what changed is sent");
        for changed in message["rows"].as_array().unwrap() {
            let place = rows
                .iter()
                .position(|r| r["strike"] == changed["strike"])
                .unwrap();
            assert_ne!(rows[place], *changed);
            rows[place] = changed.clone();
        }
        let fresh = ask(
            &address,
            "GET",
            &format!("/api/chain/NMOU?expiration={key}"),
            "",
        )
        .await;
        assert_eq!(fresh["blocks"][0]["rows"], json!(rows));
    }
}

#[tokio::test]
async fn the_latest_question_is_answered_and_nonsense_leaves_the_line_open() {
    let place = Place::new();
    let address = listening(&place).await;
    let mut page = Page::open(&address).await;
    for nonsense in [
        "",
        "{}",
        "[1,2]",
        r#"{"type":"evaluate"}"#,
        r#"{"type":"watch","symbol":"NMOU","expirations":[],"more":1}"#,
    ] {
        page.0.send(Message::text(nonsense)).await.unwrap();
        let answer = page.hear(&["refused"]).await;
        assert_eq!(
            (&answer["id"], &answer["problem"]["code"]),
            (&Value::Null, &json!("bad_message")),
            "{nonsense}"
        );
    }
    page.say(&json!({ "type": "watch", "symbol": "QQQQ", "expirations": [] }))
        .await;
    assert!(
        page.hear(&["refused"]).await["problem"]["message"]
            .as_str()
            .unwrap()
            .contains("known: WXMR")
    );
    let question = |strike: u32| {
        json!({ "symbol": "NMOU", "legs": [{ "contract": format!("NMOU  \
        310418C00{strike}000"), "quantity": 1 }] })
    };
    for id in 1..=30 {
        page.say(&json!({
            "type": "evaluate",
            "id": id,
            "request": question(if id % 2 == 0 { 190 } else { 200 }),
        }))
        .await;
    }
    let mut last = 0;
    let mut answers = 0;
    while last < 30 {
        let answer = page.hear(&["evaluation"]).await;
        let id = answer["id"].as_u64().unwrap();
        assert!(id > last, "an older answer came after a newer one");
        (last, answers) = (id, answers + 1);
        if id == 30 {
            assert_eq!(
                answer["evaluation"],
                ask(
                    &address,
                    "POST",
                    "/api/evaluate",
                    &question(190).to_string()
                )
                .await
            );
        }
    }
    assert!(answers < 30, "stale questions are dropped");
    page.say(&json!({ "type": "evaluate", "id": 31, "request": question(191) }))
        .await;
    let refused = page.hear(&["refused"]).await;
    assert_eq!(
        (&refused["id"], &refused["problem"]["code"]),
        (&json!(31), &json!("not_listed"))
    );

    // What happens to the account is announced to every page.
    let cross = ask(
        &address,
        "POST",
        "/api/evaluate",
        &question(190).to_string(),
    )
    .await["cross"]["value"]
        .clone();
    let mut other = Page::open(&address).await;
    let before = other.hear(&["changed"]).await["version"].as_u64().unwrap();
    let mut ticket = question(190);
    ticket["clientId"] = json!("announced");
    ticket["quantity"] = json!(1);
    ticket["limit"] = cross;
    ticket["timeInForce"] = json!("day");
    let placed = ask(&address, "POST", "/api/orders", &ticket.to_string()).await;
    assert_eq!(placed["state"], "filled", "{placed}");
    assert!(other.hear(&["changed"]).await["version"].as_u64().unwrap() > before);
    assert_ne!(
        other.hear(&["masthead"]).await["masthead"]["accountValue"],
        "60000.00"
    );
}

#[test]
fn the_demo_account_is_made_by_trading_and_is_the_same_every_time() {
    let folder = tempfile::tempdir().unwrap();
    let make = |name: &str, seed| {
        let desk = open(
            &folder.path().join(name),
            Beginning::Demo,
            &Settings {
                seed,
                ..Settings::default()
            },
        )
        .unwrap();
        let s = desk.state();
        (
            format!("{:?} {:?} {:?}", s.orders, s.account, s.days),
            s.clone(),
        )
    };
    let (first, state) = make("a.db", SEED);
    assert_eq!(make("b.db", SEED).0, first);
    assert_ne!(make("c.db", SEED + 1).0, first);
    assert_eq!(state.account.violations(), Vec::<String>::new());
    assert_eq!(state.clock.now, server::demo::present());
    let fills: usize = state.orders.iter().map(|o| o.fills().count()).sum();
    let by_order = state
        .account
        .entries()
        .iter()
        .filter(|e| e.order.is_some())
        .count();
    assert_eq!(by_order, fills, "one entry for each execution");
    assert!(state.account.lots().len() >= 8 && state.orders.iter().any(|o| o.state().is_open()));
    assert!(
        state
            .orders
            .iter()
            .any(|o| o.request.purpose.campaign().is_some()),
        "something was closed on the way"
    );
    // Opened again it is not traded anew.
    assert_eq!(make("a.db", SEED).0, first);
}

/// A page of another run hears that run's clock and orders, never the account's.
#[tokio::test]
async fn the_stream_of_a_run_is_its_own() {
    let place = Place::new();
    let address = listening(&place).await;
    ask(&address, "POST", "/api/runs", r#"{"name":"second"}"#).await;
    let mut own = Page::open(&address).await;
    let mut other = Page::of_run(&address, "/runs/second").await;
    let (begin, same) = (own.hear(&["clock"]).await, other.hear(&["clock"]).await);
    assert_eq!(begin["clock"]["now"], same["clock"]["now"]);
    let stepped = ask(
        &address,
        "POST",
        "/runs/second/api/clock",
        r#"{"step":"hour"}"#,
    )
    .await;
    // On the way there it may hear of stops.
    loop {
        let heard = other.hear(&["clock"]).await;
        if heard["clock"]["now"] == stepped["now"] {
            break;
        }
    }
    // What changed by that is told as well, on a busy machine a little later.
    let settled = Duration::from_millis(700);
    while tokio::time::timeout(settled, other.hear(&["changed"]))
        .await
        .is_ok()
    {}
    let body = json!({
        "clientId": "one",
        "symbol": "NMOU",
        "legs": [{ "contract": "NMOU", "quantity": 1 }],
        "quantity": 1,
        "limit": "1.00",
        "timeInForce": "day",
    });
    ask(&address, "POST", "/api/orders", &body.to_string()).await;
    let news = own.hear(&["changed", "clock"]).await;
    assert_eq!(
        news["type"], "changed",
        "the account's clock never moved: {news}"
    );
    let quiet = tokio::time::timeout(Duration::from_secs(1), other.hear(&["changed"])).await;
    assert!(quiet.is_err(), "{quiet:?}");
}
