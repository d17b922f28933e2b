//! A run is safe: one program at a time, the token keeps strangers out, copies are whole and books
//! in order, a full disk loses nothing, a desk that failed ends the program.

use std::time::Duration;

use crate::common::{HOST, Place, TOKEN};
use crate::process::{Running, pikebell, spawn};
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use serde_json::{Value, json};
use server::{DeskHandle, Runs};

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// The printed address gives the cookie; the cookie and the header admit, nothing else does.
#[tokio::test]
async fn the_token_lets_in_and_nothing_else_does() {
    let place = Place::new();
    let p = place.program();
    let ask = |path: &str, name: header::HeaderName, value: &str| {
        Request::builder()
            .uri(path)
            .header(header::HOST, HOST)
            .header(name, value)
            .body(Body::empty())
            .unwrap()
    };
    let entered = p
        .answer(ask(
            &format!("/enter?token={TOKEN}"),
            header::ACCEPT,
            "text/html",
        ))
        .await;
    assert_eq!(entered.status(), StatusCode::OK);
    let cookie = entered.headers()[header::SET_COOKIE]
        .to_str()
        .unwrap()
        .to_owned();
    for part in ["pikebell-7311=", "HttpOnly", "SameSite=Strict", "Path=/"] {
        assert!(cookie.contains(part), "{cookie}");
    }
    let pair = cookie.split(';').next().unwrap();
    let many = format!("theme=dark; {pair}; other=1");
    let stale = pair.replace("0123", "3210");
    let cases = [
        ("/api/clock", header::COOKIE, pair.to_owned(), 200),
        ("/api/clock", header::COOKIE, many, 200),
        ("/", header::COOKIE, pair.to_owned(), 200),
        (
            "/api/clock",
            header::AUTHORIZATION,
            format!("Bearer {TOKEN}"),
            200,
        ),
        ("/api/clock", header::COOKIE, stale, 401),
        (
            "/api/clock",
            header::COOKIE,
            pair.replace("7311", "7312"),
            401,
        ),
        ("/api/clock", header::AUTHORIZATION, TOKEN.to_owned(), 401),
        ("/api/clock", header::ACCEPT, "*/*".into(), 401),
        ("/api/stream", header::ACCEPT, "*/*".into(), 401),
        ("/api/openapi.json", header::ACCEPT, "*/*".into(), 401),
        ("/", header::ACCEPT, "text/html".into(), 401),
        ("/enter", header::ACCEPT, "text/html".into(), 401),
        ("/enter?token=", header::ACCEPT, "text/html".into(), 401),
    ];
    for (path, name, value, want) in cases {
        let what = format!("{path} {name}: {value}");
        let answer = p.answer(ask(path, name, &value)).await;
        assert_eq!(answer.status().as_u16(), want, "{what}");
        let headers = answer.headers();
        assert_eq!(
            headers["cross-origin-resource-policy"], "same-origin",
            "{what}"
        );
        assert_eq!(
            headers["cross-origin-opener-policy"], "same-origin",
            "{what}"
        );
    }
    let (status, why) = p.send_bare(ask("/api/clock", header::ACCEPT, "*/*")).await;
    assert_eq!(
        (status.as_u16(), why["code"].as_str()),
        (401, Some("no_token"))
    );
    assert!(
        why["message"]
            .as_str()
            .unwrap()
            .contains("address that the program printed")
    );
}

/// What cannot be written down is refused in words and has not happened; time stands and says why;
/// with room again all goes on by itself.
#[tokio::test]
async fn a_full_disk_loses_nothing_and_all_goes_on_afterwards() {
    let place = Place::new();
    let desk = place.desk();
    let store = desk.store().clone();
    let p = place.program_of(desk);
    let draft = |n: usize| json!({ "symbol": "NMOU", "legs": [], "note": "x".repeat(400), "name": format!("{n}") });
    store.limit_pages(Some(60)).unwrap();
    let mut kept = 0;
    let (status, why) = loop {
        let slot = format!("/api/shelf/full{kept}");
        let (status, answer) = p.raw("PUT", &slot, &draft(kept).to_string()).await;
        if !status.is_success() {
            break (status, answer);
        }
        kept += 1;
        assert!(kept < 2_000, "the file never fills");
    };
    assert_eq!(
        (status.as_u16(), why["code"].as_str()),
        (507, Some("disk_full")),
        "{why}"
    );
    let (status, why) = p
        .post("/api/account/deposit", &json!({ "amount": "5.00" }))
        .await;
    assert!(status.as_u16() == 507 || status.is_success(), "{why}");
    let shelf = p.get("/api/shelf").await;
    assert_eq!(shelf.as_object().unwrap().len(), kept);
    // Time is written down too.
    let (status, why) = p.post("/api/clock", &json!({ "step": "close" })).await;
    assert!(
        status.as_u16() == 507 || status.is_success(),
        "{status} {why}"
    );
    store.limit_pages(None).unwrap();
    let (status, _) = p
        .raw("PUT", "/api/shelf/again", &draft(0).to_string())
        .await;
    assert!(status.is_success());
    let (status, clock) = p.post("/api/clock", &json!({ "step": "minute" })).await;
    assert!(status.is_success(), "{clock}");
    assert_eq!(clock["stands"], Value::Null);
    assert_eq!(p.get("/api/ledger").await["violations"], json!([]));
    // The file is held as long as anything of the program is there.
    drop((p, store));
    let again = place.program();
    let shelf = again.get("/api/shelf").await;
    assert_eq!(shelf.as_object().unwrap().len(), kept + 1);
}

/// While another program holds the file for writing the clock stands and says so; once it lets go,
/// time passes again.
#[tokio::test]
async fn a_locked_file_makes_time_stand_and_says_so() {
    use diesel::Connection;
    use diesel::connection::SimpleConnection;
    let place = Place::new();
    let p = place.program();
    let (status, _) = p
        .post("/api/clock", &json!({ "running": true, "speed": 60 }))
        .await;
    assert!(status.is_success());
    let mut other = diesel::SqliteConnection::establish(place.data().to_str().unwrap()).unwrap();
    other.batch_execute("BEGIN IMMEDIATE").unwrap();
    let (status, why) = p
        .post("/api/account/deposit", &json!({ "amount": "5.00" }))
        .await;
    assert_eq!(
        (status.as_u16(), why["code"].as_str()),
        (503, Some("file_locked")),
        "{why}"
    );
    let stands = async |wanted: bool| {
        for _ in 0..200 {
            let clock = p.get("/api/clock").await;
            if clock["stands"].is_string() == wanted {
                return clock;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("the clock never says that it stands: {wanted}")
    };
    let still = stands(true).await;
    assert!(
        still["stands"].as_str().unwrap().contains("locked"),
        "{still}"
    );
    tokio::time::sleep(Duration::from_millis(600)).await;
    assert_eq!(p.get("/api/clock").await["now"], still["now"]);
    other.batch_execute("ROLLBACK").unwrap();
    let goes = stands(false).await;
    assert_ne!(goes["now"], still["now"]);
    let (status, _) = p
        .post("/api/account/deposit", &json!({ "amount": "5.00" }))
        .await;
    assert!(status.is_success());
    assert_eq!(p.get("/api/ledger").await["paidIn"], "60005.00");
}

/// A panic on the desk's thread ends the program with its reason.
#[tokio::test]
async fn a_desk_that_fails_ends_the_program() {
    let place = Place::new();
    let handle = DeskHandle::start(place.desk());
    let broken = handle
        .call(|_| -> () { panic!("the sum does not fit") })
        .await;
    assert!(broken.is_err());
    let why = tokio::time::timeout(Duration::from_secs(10), handle.failing()).await;
    assert_eq!(why.unwrap().as_deref(), Some("the sum does not fit"));
    drop(handle);
    // The same through the program: it stops serving and says why.
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let guard = place.guard(&listener.local_addr().unwrap().to_string());
    let runs = Runs::start(place.desk(), &place.data());
    let failing = runs.account().clone();
    let served = tokio::spawn(server::run(listener, runs, guard, std::future::pending()));
    let _ = failing.call(|_| -> () { panic!("out of range") }).await;
    let ended = tokio::time::timeout(Duration::from_secs(10), served).await;
    let why = ended.unwrap().unwrap().unwrap_err().to_string();
    assert!(why.contains("out of range"), "{why}");
}

/// A second program on a file, a port that is taken, a file that is not ours: each is refused in
/// words and changes nothing.
#[test]
fn one_program_at_a_time() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("desk.db");
    let first = Running::serve(&data);
    let file = data.to_str().unwrap();
    let second = pikebell(&["serve", "--listen", "127.0.0.1:0", "--data", file]);
    let said = text(&second.stderr);
    assert!(
        !second.status.success() && said.contains("is in use by process"),
        "{said}"
    );
    let other = folder.path().join("other.db");
    let taken = pikebell(&[
        "serve",
        "--listen",
        &first.door.address,
        "--data",
        other.to_str().unwrap(),
    ]);
    let said = text(&taken.stderr);
    assert!(
        !taken.status.success() && said.contains("cannot listen"),
        "{said}"
    );
    assert!(!other.exists(), "the port comes before the file");
    assert_eq!(first.door.get("/api/ledger")["violations"], json!([]));
}

/// A copy taken while clients trade is one moment, whole: it restores, its books are in order, and
/// nothing is ever written over what is there.
#[test]
fn a_backup_of_a_busy_program_restores_and_reconciles() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let data = folder.path().join("desk.db");
    let program = Running::serve(&data);
    let stop = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
    let workers: Vec<_> = (0..50)
        .map(|worker| {
            let (door, stop) = (program.door.clone(), stop.clone());
            std::thread::spawn(move || {
                let mut done = 0;
                while !stop.load(std::sync::atomic::Ordering::Relaxed) {
                    let order = json!({
                        "clientId": format!("w{worker}n{done}"),
                        "symbol": "NMOU",
                        "legs": [{ "contract": "NMOU", "quantity": if done % 2 == 0 { 1 } else { -1 } }],
                        "quantity": 1,
                        "timeInForce": "day",
                    });
                    let (status, answer) = door.ask("POST", "/api/orders", &order).unwrap();
                    assert!(status < 500, "{answer}");
                    done += 1;
                }
                done
            })
        })
        .collect();
    std::thread::sleep(Duration::from_millis(500));
    for n in 0..3 {
        let done = pikebell(&[
            "backup",
            "--data",
            &at("desk.db"),
            "--out",
            &at(&format!("copy{n}.db")),
        ]);
        assert!(done.status.success(), "{}", text(&done.stderr));
        std::thread::sleep(Duration::from_millis(100));
    }
    stop.store(true, std::sync::atomic::Ordering::Relaxed);
    let orders: usize = workers.into_iter().map(|w| w.join().unwrap()).sum();
    assert!(orders > 50, "{orders} orders");
    let there = program.door.get("/api/ledger")["count"].as_u64().unwrap();
    for n in 0..3 {
        let checked = pikebell(&["check", "--data", &at(&format!("copy{n}.db"))]);
        assert_eq!(checked.status.code(), Some(0), "{}", text(&checked.stdout));
    }
    let over = pikebell(&[
        "restore",
        "--from",
        &at("copy1.db"),
        "--data",
        &at("desk.db"),
    ]);
    let said = text(&over.stderr);
    assert!(
        !over.status.success() && said.contains("is in use"),
        "{said}"
    );
    std::fs::write(at("gone.db-wal"), "left behind").unwrap();
    for (to, why) in [
        ("copy2.db", "there already"),
        ("gone.db", "gone.db-wal is left"),
    ] {
        let over = pikebell(&["restore", "--from", &at("copy1.db"), "--data", &at(to)]);
        let said = text(&over.stderr);
        assert!(!over.status.success() && said.contains(why), "{said}");
    }
    assert!(!folder.path().join("gone.db").exists());
    let restored = pikebell(&[
        "restore",
        "--from",
        &at("copy1.db"),
        "--data",
        &at("new/desk.db"),
    ]);
    assert!(restored.status.success(), "{}", text(&restored.stderr));
    let again = Running::serve(&folder.path().join("new/desk.db"));
    let ledger = again.door.get("/api/ledger");
    assert_eq!(ledger["violations"], json!([]));
    let count = ledger["count"].as_u64().unwrap();
    assert!(count > 1 && count <= there, "{count} of {there}");
}

/// `check` names what differs, and an upgrade is not made by looking.
#[test]
fn check_says_what_is_wrong() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("desk.db");
    let file = data.to_str().unwrap();
    assert_eq!(pikebell(&["check", "--data", file]).status.code(), Some(2));
    Running::serve(&data).kill();
    let checked = pikebell(&["check", "--data", file]);
    assert_eq!(checked.status.code(), Some(0), "{}", text(&checked.stdout));
    use diesel::Connection;
    use diesel::connection::SimpleConnection;
    let mut c = diesel::SqliteConnection::establish(file).unwrap();
    c.batch_execute("UPDATE postings SET amount = amount + 1 WHERE rowid = 1")
        .unwrap();
    drop(c);
    let checked = pikebell(&["check", "--data", file]);
    let said = text(&checked.stdout);
    assert_eq!(checked.status.code(), Some(1), "{said}");
    assert!(said.contains("entry 1"), "{said}");
}

/// Killed at any moment of its first start, the program starts again.
#[test]
fn a_first_start_that_was_killed_starts_again() {
    let folder = tempfile::tempdir().unwrap();
    for n in 0..8_u64 {
        let data = folder.path().join(format!("desk{n}.db"));
        let mut child = spawn(&data);
        std::thread::sleep(Duration::from_millis(8 * n));
        child.kill().unwrap();
        child.wait().unwrap();
        let program = Running::serve(&data);
        let ledger = program.door.get("/api/ledger");
        assert_eq!(ledger["paidIn"], "60000.00", "killed after {} ms", 8 * n);
    }
}

/// Two runs at once: neither sees the other's orders, money or clock; after a restart both are
/// there. (`stream.rs` listens to both.)
#[tokio::test]
async fn runs_know_nothing_of_each_other() {
    let place = Place::new();
    let p = place.program();
    let second = "/runs/second/api";
    let order = |id: &str| {
        json!({
            "clientId": id,
            "symbol": "NMOU",
            "legs": [{ "contract": "NMOU", "quantity": 1 }],
            "quantity": 1,
            "limit": "1.00",
            "timeInForce": "goodTillCancelled",
        })
    };
    let post = async |path: String, body: Value| {
        let (status, answer) = p.post(&path, &body).await;
        (status.as_u16(), answer)
    };
    assert_eq!(
        post("/api/runs".into(), json!({ "name": "second" }))
            .await
            .0,
        201
    );
    for (name, want) in [("second", 409), ("account", 422), ("../x", 422), ("", 422)] {
        let (status, answer) = post("/api/runs".into(), json!({ "name": name })).await;
        assert_eq!(status, want, "{name}: {answer}");
    }
    assert_eq!(
        post("/runs/third/api/orders".into(), order("a")).await.0,
        404
    );
    assert_eq!(post(format!("{second}/orders"), order("same")).await.0, 201);
    assert_eq!(post("/api/orders".into(), order("same")).await.0, 201);
    assert_eq!(post("/api/orders".into(), order("other")).await.0, 201);
    let deposit = json!({ "amount": "1000.00" });
    let paid = post(format!("{second}/account/deposit"), deposit).await;
    assert!((200..300).contains(&paid.0), "{}", paid.1);
    let before = p.get("/api/clock").await["now"].clone();
    let stepped = post(format!("{second}/clock"), json!({ "step": "close" })).await;
    assert_eq!(stepped.0, 200, "{}", stepped.1);
    let check = async |p: &crate::common::Program| {
        let count = async |path: &str| p.get(path).await.as_array().unwrap().len();
        assert_eq!(count("/api/orders").await, 2);
        assert_eq!(count("/runs/account/api/orders").await, 2);
        assert_eq!(count(&format!("{second}/orders")).await, 1);
        assert_eq!(p.get("/api/clock").await["now"], before);
        assert_eq!(
            p.get(&format!("{second}/clock")).await["now"],
            stepped.1["now"]
        );
        assert_eq!(p.get("/api/ledger").await["paidIn"], "60000.00");
        assert_eq!(
            p.get(&format!("{second}/ledger")).await["paidIn"],
            "61000.00"
        );
        // Quotes keep their own clocks: at the later close another price is seen.
        let level = async |path: &str| p.get(path).await["head"]["level"].clone();
        assert_ne!(
            level("/api/chain/NMOU").await,
            level(&format!("{second}/chain/NMOU")).await
        );
        let listed = p.get("/api/runs").await;
        assert_eq!(listed[1]["name"], "second");
        assert_eq!(listed[1]["now"], stepped.1["now"]);
    };
    assert_ne!(before, stepped.1["now"]);
    check(&p).await;
    drop(p);
    let again = place.program();
    let listed = again.get("/api/runs").await;
    assert_eq!(listed[1]["open"], false);
    check(&again).await;
}

/// The smallest whole number is refused wherever a quantity is read; none of it ends the program.
#[tokio::test]
async fn the_smallest_number_is_refused_everywhere() {
    let place = Place::new();
    let p = place.program();
    let sold = p.bear_call().await;
    let order = crate::common::ticket("held", &sold, 1, "-0.05");
    let (status, placed) = p.post("/api/orders", &order).await;
    assert!(
        status.is_success() && placed["state"] == "filled",
        "{placed}"
    );
    let id = placed["id"].as_u64().unwrap();
    let worst = |leg: &Value| json!([{ "contract": leg["contract"], "quantity": i64::MIN }]);
    let legs = worst(&sold[0]);
    let draft = json!({ "slot": "A", "legs": legs });
    let cases = [
        (
            "/api/evaluate".to_owned(),
            json!({ "symbol": "NMOU", "legs": legs }),
        ),
        (
            "/api/margin".to_owned(),
            json!({ "symbol": "NMOU", "legs": legs }),
        ),
        (
            "/api/bench".to_owned(),
            json!({ "symbol": "NMOU", "legs": legs, "days": [1.0] }),
        ),
        (
            "/api/compare".to_owned(),
            json!({ "symbol": "NMOU", "drafts": [draft], "price": 190.0, "days": 1.0 }),
        ),
        (format!("/api/campaigns/{id}/move"), json!({ "legs": legs })),
        (
            "/api/orders".to_owned(),
            crate::common::ticket("no", &legs, 1, "-0.05"),
        ),
        (
            format!("/api/orders/{id}/quantity"),
            json!({ "quantity": i64::MIN }),
        ),
    ];
    for (path, body) in cases {
        let (status, answer) = p.post(&path, &body).await;
        assert_eq!(status.as_u16(), 422, "{path}: {answer}");
    }
    assert_eq!(p.get("/api/ledger").await["violations"], json!([]));
}
