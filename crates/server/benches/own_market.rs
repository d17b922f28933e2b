//! A market of one's own by the clock: how long a start takes on day files, the first time and with
//! its index, and how long a moment takes from its rows to the chain that a page asks for.
//!
//! `OWN_SYMBOLS` (4) and `OWN_DAYS` (20) size the folder; 20 and 252 are a year: 5 GB of files.
#![allow(clippy::unwrap_used, clippy::print_stdout, missing_docs)]

use std::io::Write;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use axum::body::{Body, to_bytes};
use axum::http::{Request, header};
use desk::calendar::is_session;
use desk::{Contract, Kind, Moment, Price};
use jiff::civil::{Date, date};
use quant::{Style, Terms, european_price};
use server::folder::{Feed, open};
use server::{Beginning, Guard, Runs, Settings, Token, router};
use tower::ServiceExt;

const HOST: &str = "127.0.0.1:7311";
const MOMENTS: i64 = 10;

fn size(name: &str, usual: usize) -> usize {
    let told = std::env::var(name).ok().and_then(|t| t.parse().ok());
    told.unwrap_or(usual)
}

/// Rows of a moment: so many strikes and both kinds for each of ten monthly expirations.
fn rows(symbol: &str, at: Moment, spot: f64, strikes: i64) -> String {
    let mut out = String::new();
    let mut month = at.date().first_of_month();
    for _ in 0..10 {
        let expiry = desk::calendar::monthly_expiration(month.year(), month.month());
        month = month.last_of_month().tomorrow().unwrap();
        let time = at.years_until(desk::calendar::close_of(expiry));
        if time <= 0.0 {
            continue;
        }
        for i in 0..strikes {
            let strike = (spot * 0.7).round() as i64 + i;
            for kind in [Kind::Call, Kind::Put] {
                let terms = Terms {
                    kind,
                    style: Style::European,
                    strike: strike as f64,
                    time,
                    rate: 0.035,
                    carry_yield: 0.0,
                    vol: 0.25,
                };
                let mid = (european_price(&terms, spot) * 100.0).round() as i64;
                let contract = Contract {
                    root: symbol.into(),
                    expiry,
                    kind,
                    strike: Price::cents(strike * 100),
                };
                let (bid, ask) = (Price::cents((mid - 2).max(0)), Price::cents(mid + 3));
                out += &format!("{contract},{symbol},{at},{spot:.2},{bid},{ask},11,12,,5,1200\n");
            }
        }
    }
    out
}

const HEADER: &str =
    "contract,underlying,at,spot,bid,ask,bid_size,ask_size,last,volume,open_interest\n";

fn days(count: usize) -> Vec<Date> {
    let all = std::iter::successors(Some(date(2030, 3, 11)), |d| d.tomorrow().ok());
    all.filter(|d| is_session(*d)).take(count).collect()
}

fn name(i: usize) -> String {
    format!("OWN{}", char::from(b'A' + u8::try_from(i).unwrap()))
}

fn write_year(folder: &Path, symbols: usize, count: usize) {
    for i in 0..symbols {
        let symbol = name(i);
        let own = folder.join(&symbol);
        std::fs::create_dir_all(&own).unwrap();
        std::fs::write(own.join("instrument.csv"), "name,value\nstyle,american\n").unwrap();
        for (n, day) in days(count).into_iter().enumerate() {
            let path = own.join(format!("chain-{day}.csv"));
            let mut file = std::io::BufWriter::new(std::fs::File::create(path).unwrap());
            file.write_all(HEADER.as_bytes()).unwrap();
            let spot = 100.0 + 10.0 * (n as f64 / 7.0).sin();
            for k in 0..MOMENTS {
                let at = Moment::at(day, 9, 35 + 38 * k);
                file.write_all(rows(&symbol, at, spot + k as f64 * 0.1, 50).as_bytes())
                    .unwrap();
            }
            file.write_all(b"\n").unwrap();
        }
    }
}

fn memory() -> f64 {
    let told = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = told.lines().find(|l| l.starts_with("VmRSS"));
    let kb = line.and_then(|l| l.split_whitespace().nth(1)?.parse::<f64>().ok());
    kb.unwrap_or(0.0) / 1024.0
}

/// From rows to the chain, so many moments of a symbol with 2,000 contracts.
async fn live(folder: &Path) {
    let place = tempfile::tempdir().unwrap();
    let data = place.path().join("desk.db");
    std::fs::write(Token::place(&data), "a".repeat(64)).unwrap();
    let settings = Settings {
        market: Some(folder.into()),
        ..Settings::default()
    };
    let begin = Moment::at(date(2031, 3, 11), 9, 35);
    let mut feed = Feed::into(folder).unwrap();
    let mut give = |at: Moment, spot: f64| {
        for line in format!("{HEADER}{}\n", rows("LIVE", at, spot, 100)).lines() {
            feed.line(line.as_bytes(), &mut |_| {}).unwrap();
        }
        feed.line(b"", &mut |_| {}).unwrap();
    };
    give(begin, 100.0);
    let desk = server::open(&data, Beginning::Empty, &settings).unwrap();
    let runs = Arc::new(Runs::start(desk, &data));
    let guard = Guard::loopback(HOST.parse().unwrap(), Token::of(&data).unwrap());
    let app = router(Arc::clone(&runs), guard);
    let key = {
        let mark = desk::calendar::monthly_expiration(2031, 4);
        format!("LIVE:{mark}")
    };
    let (mut seen, mut shown) = (Vec::new(), Vec::new());
    for i in 1..=60_i64 {
        let at = begin.plus_millis(i * 1_000);
        let began = Instant::now();
        give(at, 100.0 + i as f64 * 0.01);
        while runs.account().snapshot().clock.now < at {
            tokio::time::sleep(Duration::from_micros(200)).await;
        }
        seen.push(began.elapsed());
        let asked = Request::builder()
            .uri(format!("/api/chain/LIVE?expiration={key}"))
            .header(header::HOST, HOST)
            .header(header::AUTHORIZATION, format!("Bearer {}", "a".repeat(64)));
        let answer = app
            .clone()
            .oneshot(asked.body(Body::empty()).unwrap())
            .await;
        let body = to_bytes(answer.unwrap().into_body(), 10_000_000)
            .await
            .unwrap();
        assert!(body.len() > 10_000, "{}", String::from_utf8_lossy(&body));
        shown.push(began.elapsed());
    }
    for (what, mut all) in [("taken in", seen), ("in the chain's answer", shown)] {
        all.sort();
        println!(
            "2,000 rows of one moment {what}: {:.1} ms in the middle, {:.1} ms at 95 % (wanted 50)",
            all[30].as_secs_f64() * 1e3,
            all[56].as_secs_f64() * 1e3,
        );
    }
}

fn main() {
    let place = tempfile::tempdir().unwrap();
    let folder = place.path();
    let (symbols, count) = (size("OWN_SYMBOLS", 4), size("OWN_DAYS", 20));
    write_year(folder, symbols, count);
    // Files that were written just now are looked at twice.
    std::thread::sleep(Duration::from_secs(3));
    let rows = symbols * count * 10_000;
    for what in ["the first time", "with its index"] {
        let began = Instant::now();
        let opened = open(folder).unwrap();
        let took = began.elapsed().as_secs_f64();
        assert_eq!((opened.recorded.len(), opened.wrong.len()), (symbols, 0));
        println!(
            "start on {rows} rows ({symbols} symbols, {count} days), {what}: {took:.2} s, {:.0} MB",
            memory()
        );
    }
    let live_folder = tempfile::tempdir().unwrap();
    let runtime = tokio::runtime::Runtime::new().unwrap();
    runtime.block_on(live(live_folder.path()));
    println!(
        "memory at the end: {:.0} MB (wanted less than 1,000)",
        memory()
    );
}
