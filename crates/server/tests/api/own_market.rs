//! What the stand-in market exports, fed back as a market of one's own, is the stand-in market: the
//! same chain, Greeks, evaluation, fills and campaigns, to the rounding of the files.

use std::io::Write;
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::Duration;

use axum::http::StatusCode;
use proptest::prelude::*;
use serde_json::{Value, json};
use server::folder::{Feed, open};

use crate::common::{Place, Program};

const SYMBOLS: [&str; 3] = ["WXMR", "NMOU", "TLVN"];

pub fn pikebell(arguments: &[&str], input: &[u8]) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    // Who does not read all of it has its reason.
    let _ = child.stdin.take().unwrap().write_all(input);
    child.wait_with_output().unwrap()
}

fn export(arguments: &[&str]) -> Vec<u8> {
    let out = pikebell(&[&["export"], arguments].concat(), &[]);
    let told = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(out.status.success(), "{told}");
    out.stdout
}

/// What describes the market, and its bars until a moment.
fn describe(folder: &Path, at: &str) {
    for symbol in SYMBOLS {
        let own = folder.join(symbol);
        std::fs::create_dir_all(&own).unwrap();
        let facts = export(&["instrument", "--symbol", symbol, "--at", at]);
        std::fs::write(own.join("instrument.csv"), facts).unwrap();
        let since = ["--from", "2028-06-01", "--at", at];
        let events = export(&[&["events", "--symbol", symbol][..], &since].concat());
        std::fs::write(own.join("events.csv"), events).unwrap();
        let bars = export(&[
            "bars",
            "--symbol",
            symbol,
            "--from",
            "2030-01-02",
            "--at",
            at,
        ]);
        std::fs::write(own.join("bars.csv"), bars).unwrap();
    }
}

/// Feeds what the stand-in shows at a moment.
fn feed(folder: &Path, at: &str) {
    feed_as(folder, at, at);
}

/// Feeds what the stand-in shows at a moment as what is seen at another.
fn feed_as(folder: &Path, shown: &str, at: &str) {
    let mut rows = String::new();
    for symbol in SYMBOLS {
        let all = export(&["chain", "--symbol", symbol, "--at", shown]);
        rows += &String::from_utf8(all).unwrap().replace(shown, at);
    }
    let out = pikebell(
        &["feed", "--into", folder.to_str().unwrap()],
        rows.as_bytes(),
    );
    let told = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(
        out.status.success() && told.contains(" 0 refused"),
        "{told}"
    );
}

async fn wait_for(own: &Program, now: &str) {
    for _ in 0..400 {
        let feed = own.get("/api/feed").await;
        let symbols = feed["symbols"].as_array().unwrap().clone();
        if symbols
            .iter()
            .all(|s| s["at"] == now && s["waits"] == Value::Null)
        {
            return;
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    panic!(
        "the clock never came to {now}: {}",
        own.get("/api/feed").await
    );
}

/// Waits until what works has met the moment.
async fn filled_at(own: &Program, now: &str) {
    wait_for(own, now).await;
    for _ in 0..400 {
        let orders = own.get("/api/orders").await;
        if orders
            .as_array()
            .unwrap()
            .iter()
            .all(|o| o["open"] == false)
        {
            return;
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    panic!("orders work still: {}", own.get("/api/orders").await);
}

fn number(v: &Value) -> f64 {
    v.as_f64()
        .or_else(|| v.as_str().and_then(|t| t.replace(',', "").parse().ok()))
        .unwrap_or_else(|| panic!("no number: {v}"))
}

/// Rows of a symbol's expiration that lies so many days ahead at the least.
async fn rows(p: &Program, symbol: &str, days: i64) -> (String, Vec<Value>) {
    let head = p.get(&format!("/api/chain/{symbol}")).await["head"].clone();
    let marks = head["marks"].as_array().unwrap().clone();
    let far = |m: &&Value| m["days"].as_i64().unwrap() >= days;
    let key = marks.iter().find(far).unwrap()["key"]
        .as_str()
        .unwrap()
        .to_owned();
    let asked = format!("/api/chain/{symbol}?expiration={key}&columns=theta,vega,gamma");
    let blocks = p.get(&asked).await["blocks"].clone();
    (key, blocks[0]["rows"].as_array().unwrap().clone())
}

/// The chain of both, row by row.
async fn compare_chains(stand_in: &Program, own: &Program, symbol: &str, days: i64) -> usize {
    let (key, theirs) = rows(stand_in, symbol, days).await;
    let (own_key, mine) = rows(own, symbol, days).await;
    assert_eq!((&key, theirs.len()), (&own_key, mine.len()), "{symbol}");
    let mut compared = 0;
    for (a, b) in theirs.iter().zip(&mine) {
        for side in ["call", "put"] {
            let (a, b) = (&a[side], &b[side]);
            for cell in ["contract", "bid", "ask", "bidSize", "askSize"] {
                assert_eq!(a[cell], b[cell], "{symbol} {cell}");
            }
            assert_eq!(b["doubt"], Value::Null, "{b}");
            let delta = number(&a["delta"]);
            // Where a tick of the middle is little: the same volatility, and the same Greeks by it.
            if let (Some(vol), Some(own_vol), true) = (
                a["implied"].as_f64(),
                b["implied"].as_f64(),
                (0.15..0.85).contains(&delta.abs()),
            ) {
                assert!((vol - own_vol).abs() < 0.004, "{symbol} {a} {b}");
                assert!(
                    (delta - number(&b["delta"])).abs() < 0.015,
                    "{symbol} {a} {b}"
                );
                for i in 0..3 {
                    let read = |c: &Value| {
                        let text = c["values"][i].as_str().unwrap().replace('−', "-");
                        text.parse::<f64>().unwrap()
                    };
                    let (x, y) = (read(a), read(b));
                    assert!(
                        (x - y).abs() <= 0.02 * x.abs() + 0.0021,
                        "{symbol} {i} {a} {b}"
                    );
                }
                compared += 1;
            }
        }
    }
    compared
}

/// A vertical of puts below the price.
async fn vertical(p: &Program, symbol: &str, signs: (i64, i64)) -> Value {
    let (_, rows) = rows(p, symbol, 30).await;
    let level = number(&p.get(&format!("/api/chain/{symbol}")).await["head"]["level"]);
    let below = rows.iter().position(|r| number(&r["at"]) < level).unwrap();
    json!([
        { "contract": rows[below]["put"]["contract"], "quantity": signs.0 },
        { "contract": rows[below + 4]["put"]["contract"], "quantity": signs.1 },
    ])
}

async fn place(p: &Program, id: &str, symbol: &str, legs: &Value, campaign: Option<u64>) -> Value {
    let mut asked = json!({ "symbol": symbol, "legs": legs });
    if let Some(id) = campaign {
        asked["closes"] = json!(id);
    }
    let (status, judged) = p.post("/api/evaluate", &asked).await;
    assert_eq!(status, StatusCode::OK, "{judged}");
    let mut order = json!({
        "clientId": id, "symbol": symbol, "legs": legs, "quantity": 1,
        "limit": judged["cross"]["value"], "timeInForce": "day",
    });
    if let Some(id) = campaign {
        order["closes"] = json!(id);
    }
    let (status, order) = p.post("/api/orders", &order).await;
    assert_eq!(status, StatusCode::CREATED, "{order}");
    order
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_was_exported_and_fed_back_is_the_same_market() {
    let folder = tempfile::tempdir().unwrap();
    let market = folder.path().join("mine");
    let (first, second) = ("2031-03-11T10:42:00", "2031-03-11T11:02:00");
    describe(&market, "2031-03-10");
    feed(&market, "2031-03-11T10:31:00");
    let (there, here) = (Place::new(), Place::new());
    let stand_in = {
        let seed = server::demo::DEMO_SEED;
        let desk = server::open(
            &there.data().with_file_name("same.db"),
            server::Beginning::Empty,
            &server::Settings {
                seed,
                ..server::Settings::default()
            },
        );
        there.program_of(desk.unwrap())
    };
    let own = here.program_with(Some(&market)).unwrap();
    assert_eq!(
        own.get("/api/markets").await.as_array().unwrap().len(),
        SYMBOLS.len()
    );
    // What comes while it runs is followed.
    feed(&market, first);
    wait_for(&own, &format!("{first}.000-05:00")).await;
    assert_eq!(
        stand_in.get("/api/clock").await["now"],
        format!("{first}.000-05:00")
    );

    let mut compared = 0;
    for symbol in SYMBOLS {
        for days in [1, 30, 120] {
            compared += compare_chains(&stand_in, &own, symbol, days).await;
        }
        // Evaluation: what is exact is the same, what the model says lies close.
        let legs = vertical(&stand_in, symbol, (-1, 1)).await;
        let asked = json!({ "symbol": symbol, "legs": legs });
        let (_, a) = stand_in.post("/api/evaluate", &asked).await;
        let (_, b) = own.post("/api/evaluate", &asked).await;
        for same in [
            "name",
            "cross",
            "middle",
            "rest",
            "maxProfit",
            "maxLoss",
            "breakEvens",
        ] {
            assert_eq!(a[same], b[same], "{symbol} {same}");
        }
        for close in ["delta", "theta", "vega"] {
            let (x, y) = (number(&a["greeks"][close]), number(&b["greeks"][close]));
            assert!(
                (x - y).abs() <= 0.04 * x.abs() + 0.25,
                "{symbol} {close} {x} {y}"
            );
        }
        let filled = place(&stand_in, &format!("open {symbol}"), symbol, &legs, None).await;
        assert_eq!(filled["state"], "filled", "{filled}");
        // On a feed it is filled by what comes next.
        let waits = place(&own, &format!("open {symbol}"), symbol, &legs, None).await;
        assert_eq!(waits["state"], "working", "{waits}");
    }
    feed_as(&market, first, "2031-03-11T10:42:01");
    filled_at(&own, "2031-03-11T10:42:01.000-05:00").await;
    assert!(compared > 300, "{compared}");
    // The book as a whole: its lean by betas of a year's closes, its Greeks, what the account is worth.
    let (a, b) = (
        stand_in.get("/api/account").await,
        own.get("/api/account").await,
    );
    assert_eq!(
        (&a["accountValue"], &a["today"]),
        (&b["accountValue"], &b["today"])
    );
    let (x, y) = (number(&a["theta"]), number(&b["theta"]));
    assert!(x.abs() > 1.0 && (x - y).abs() < 0.05 * x.abs(), "{a} {b}");
    assert!(
        number(&b["lean"]) > 1.0 && b["unvalued"] == json!([]),
        "{a} {b}"
    );

    // Twenty minutes on, what was opened is closed at the cross.
    feed(&market, second);
    wait_for(&own, &format!("{second}.000-05:00")).await;
    stand_in
        .post("/api/clock", &json!({ "goTo": "11:02" }))
        .await;
    for p in [&stand_in, &own] {
        let held = p.get("/api/book").await["positions"].clone();
        for position in held.as_array().unwrap() {
            let symbol = position["symbol"].as_str().unwrap();
            let legs: Vec<Value> = position["legs"]
                .as_array()
                .unwrap()
                .iter()
                .map(|l| json!({ "contract": l["contract"], "quantity": -l["quantity"].as_i64().unwrap() }))
                .collect();
            let id = position["campaign"].as_u64();
            place(p, &format!("close {symbol}"), symbol, &json!(legs), id).await;
        }
    }
    feed_as(&market, second, "2031-03-11T11:02:01");
    filled_at(&own, "2031-03-11T11:02:01.000-05:00").await;
    // Money, fees and what each campaign made are the same to the cent.
    for path in ["/api/ledger", "/api/orders"] {
        let (mut a, mut b) = (stand_in.get(path).await, own.get(path).await);
        // The two accounts began at different moments, and what is fed fills a second later.
        timeless(&mut a);
        timeless(&mut b);
        assert_eq!(a, b, "{path}");
    }
}

/// What is quoted of four invented symbols at a moment: an index whose options settle on the opening print, a
/// future, shares, and a contract that was adjusted. The sizes are told or not.
fn four(at: &str, levels: [f64; 4], sizes: &str) -> String {
    let [index, future, shares, adjusted] = levels;
    let mut rows = "contract,underlying,at,spot,bid,ask,bid_size,ask_size\n".to_owned();
    let mut quote = |contract: &str, spot: f64, bid: f64, ask: f64| {
        let symbol = contract[..6].trim_end();
        rows += &format!("{contract},{symbol},{at},{spot},{bid:.2},{ask:.2},{sizes}\n");
    };
    // The near ones have ended after the first day.
    if at < "2031-03-14" {
        quote("INDX  310314P05000000", index, 28.0, 30.0);
        quote(
            "INDX  310314C05000000",
            index,
            28.0 + index - 5000.0,
            30.0 + index - 5000.0,
        );
    }
    quote("INDX  310321P05000000", index, 160.0, 162.0);
    quote(
        "INDX  310321C05000000",
        index,
        160.0 + index - 5000.0,
        162.0 + index - 5000.0,
    );
    quote("FUTR  310314C00072000", future, 0.40, 0.44);
    quote(
        "FUTR  310314P00072000",
        future,
        72.4 - future,
        72.44 - future,
    );
    quote(
        "SHRS  310328C00100000",
        shares,
        2.5 + shares - 100.0,
        2.6 + shares - 100.0,
    );
    quote("SHRS  310328P00100000", shares, 2.5, 2.6);
    quote("LUMA1 310328C00050000", adjusted, 38.0, 38.4);
    quote("LUMA1 310328P00050000", adjusted, 0.5, 0.6);
    rows
}

/// Two days of a market fed while the program runs, against cash worked out by hand. An order is filled by the
/// quotes after it; a price ten times too high is not believed and fills nothing; sizes that are not told are
/// not known; a dividend that is changed in its file is paid as it then stands; the index settles on its first
/// print, which the bar of its day corrects; the future is settled twice and gone.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn two_days_of_a_feed_end_with_the_cash_of_hand() {
    let (folder, here) = (tempfile::tempdir().unwrap(), Place::new());
    let market = folder.path().join("mine");
    let write = |path: &str, text: &str| {
        let path = market.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    };
    let ex = |cash: &str| {
        format!("date,kind,what,cash,known\n2031-03-14,ex-dividend,,{cash},2031-03-13T09:00\n")
    };
    write(
        "INDX/instrument.csv",
        "name,value\nkind,index\nstyle,european\nsettlement,cash\nopening_root,INDX\nclosing_root,INDXW\n",
    );
    write(
        "FUTR/instrument.csv",
        "name,value\nkind,future\nmultiplier,1000\nlast_session,2031-03-14\n",
    );
    write("SHRS/instrument.csv", "name,value\nkind,shares\n");
    write("SHRS/events.csv", &ex("4.00"));
    write(
        "LUMA1/instrument.csv",
        "name,value\nkind,shares\ndeliverable,150 + 12.50\n",
    );
    let come = |at: &str, levels, sizes| {
        let into = ["feed", "--into", market.to_str().unwrap()];
        let out = pikebell(
            &into,
            four(&format!("2031-03-{at}"), levels, sizes).as_bytes(),
        );
        let told = String::from_utf8_lossy(&out.stderr).into_owned();
        assert!(told.contains(" 0 refused"), "{told}");
    };
    let told = "20,20";
    come("13T10:00:00", [5010.0, 68.40, 100.0, 50.2], told);
    let own = here.program_with(Some(&market)).unwrap();
    let until = async |what: &str, path: &str, holds: &dyn Fn(&Value) -> bool| {
        for _ in 0..400 {
            let seen = own.get(path).await;
            if holds(&seen) {
                return seen;
            }
            tokio::time::sleep(Duration::from_millis(25)).await;
        }
        panic!("never {what}: {}", own.get(path).await);
    };
    let buy = async |symbol: &str, contract: &str, quantity: i64| {
        let order = json!({
            "clientId": format!("{contract} {quantity}"), "symbol": symbol, "quantity": quantity,
            "legs": [{ "contract": contract, "quantity": 1 }], "timeInForce": "day",
        });
        own.post("/api/orders", &order).await
    };
    come("13T10:00:30", [5010.0, 68.40, 100.0, 50.2], told);
    wait_for(&own, "2031-03-13T10:00:30.000-05:00").await;
    for (symbol, contract, quantity) in [
        ("INDX", "INDX  310314P05000000", 1),
        ("FUTR", "FUTR", 1),
        ("SHRS", "SHRS", 100),
    ] {
        let (status, order) = buy(symbol, contract, quantity).await;
        assert_eq!(status, StatusCode::CREATED, "{order}");
        assert_eq!(order["state"], "working", "{order}");
    }
    let (status, refused) = buy("LUMA1", "LUMA1", 100).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{refused}");
    assert!(
        refused["message"]
            .as_str()
            .unwrap()
            .contains("not listed by itself")
    );
    come("13T10:01:00", [5009.0, 68.41, 100.2, 50.2], told);
    filled_at(&own, "2031-03-13T10:01:00.000-05:00").await;

    // The options say 100.2 still.
    let spike = four("2031-03-13T10:01:02", [5009.0, 68.41, 100.2, 50.2], told);
    let spike = spike.replace(",100.2,", ",1002,");
    pikebell(
        &["feed", "--into", market.to_str().unwrap()],
        spike.as_bytes(),
    );
    let doubts = |f: &Value| {
        f.to_string()
            .contains("came as 1002.00 and is not believed")
    };
    until("doubted", "/api/feed", &doubts).await;
    let (_, order) = buy("SHRS", "SHRS", 10).await;
    assert_eq!(order["state"], "working", "{order}");
    let cancel = format!("/api/orders/{}/cancel", order["id"]);
    assert!(own.post(&cancel, &json!({})).await.0.is_success());
    let value = own.get("/api/account").await["accountValue"].clone();
    assert!((59_000.0..61_000.0).contains(&number(&value)), "{value}");

    come("13T10:01:10", [5009.0, 68.41, 100.2, 50.2], ",");
    wait_for(&own, "2031-03-13T10:01:10.000-05:00").await;
    let (_, rows) = rows(&own, "SHRS", 15).await;
    assert_eq!(rows[0]["call"]["bidSize"], Value::Null, "{}", rows[0]);

    write("SHRS/events.csv", &ex("5.00"));
    until("5.00", "/api/chain/SHRS", &|c| {
        c.to_string().contains("5.00 a share")
    })
    .await;
    come("13T15:59:00", [5000.0, 69.00, 104.0, 50.2], told);
    wait_for(&own, "2031-03-13T15:59:00.000-05:00").await;
    come("14T09:30:05", [4930.0, 68.10, 99.2, 50.2], told);
    let of = |ledger: &Value, kind: &str| -> Vec<(String, String)> {
        let lines = ledger["lines"].as_array().unwrap().iter();
        let own = lines.filter(|l| l["kind"] == kind);
        let text = |v: &Value| v.as_str().unwrap().to_owned();
        own.map(|l| (text(&l["memo"]), text(&l["amount"])))
            .collect()
    };
    until("settled", "/api/ledger", &|l| {
        !of(l, "settlement").is_empty()
    })
    .await;
    write(
        "INDX/bars.csv",
        "symbol,date,open,high,low,close\nINDX,2031-03-14,4925,4960,4920,4941\n",
    );
    come("14T10:00:00", [4941.0, 68.10, 99.2, 50.2], told);
    come("14T15:59:30", [4941.0, 67.50, 99.0, 50.2], told);
    wait_for(&own, "2031-03-14T15:59:30.000-05:00").await;
    come("14T16:00:10", [4941.0, 67.50, 99.0, 50.2], told);
    let ledger = until("over", "/api/ledger", &|l| of(l, "settlement").len() == 2).await;
    let one = |kind: &str| of(&ledger, kind).remove(0);
    let line = |memo: &str, amount: &str| (memo.to_owned(), amount.to_owned());
    assert_eq!(
        one("daily settlement"),
        // Bought at 68.42, for 1,000 units.
        line(
            "FUTR settled for the day at 69.00, printed 13 Mar 15:59:00",
            "580.00"
        )
    );
    assert_eq!(
        one("dividend"),
        line("SHRS dividend of 5.00 on 100 shares", "500.00")
    );
    assert_eq!(
        one("correction"),
        line(
            "INDX 5000 put was settled at 5.00 too little: the day's bar says INDX at 4925.00, printed 14 Mar 09:30:00",
            "500.00"
        )
    );
    let mut ends = of(&ledger, "settlement");
    ends.sort();
    assert_eq!(
        ends,
        [
            line(
                "FUTR traded for the last time, settled at 67.50, printed 14 Mar 15:59:30",
                "-1500.00"
            ),
            line(
                "INDX 5000 put settled in cash at 70.00, INDX at 4930.00, printed 14 Mar 09:30:05",
                "7000.00"
            ),
        ]
    );
    // What is left is the shares alone.
    let held = own.get("/api/book").await["positions"].clone();
    assert_eq!(held.as_array().unwrap().len(), 1, "{held}");
}

/// Takes out when something happened.
fn timeless(v: &mut Value) {
    match v {
        Value::Array(all) => all.iter_mut().for_each(timeless),
        Value::Object(fields) => {
            fields.retain(|name, _| !["at", "placed", "ended", "since"].contains(&name.as_str()));
            fields.values_mut().for_each(timeless);
        }
        _ => {}
    }
}

const HEADER: &str =
    "contract,underlying,at,spot,bid,ask,bid_size,ask_size,last,volume,open_interest";

/// Good rows of a moment: so many strikes of both kinds.
fn good_rows(symbol: &str, at: &str, strikes: usize) -> String {
    let mut out = String::new();
    for i in 0..strikes {
        for kind in ["C", "P"] {
            let strike = 95_000 + 2_500 * i;
            out += &format!(
                "{symbol:<6}310418{kind}{strike:08},{symbol},{at},100.00,2.00,2.10,5,6,,1,9\n"
            );
        }
    }
    out
}

/// Lines as a feed may bring them: good, nearly good and anything.
fn lines() -> impl Strategy<Value = Vec<Vec<u8>>> {
    let minute = 0..60_u32;
    let good = (
        prop::sample::select(vec!["OWNA", "OWNB"]),
        minute,
        0..4_usize,
    )
        .prop_map(|(symbol, minute, n)| {
            let rows = good_rows(symbol, &format!("2031-03-11T10:{minute:02}"), 2);
            rows.lines().nth(n).unwrap_or_default().as_bytes().to_vec()
        });
    let broken = ("[0-9A-Z ,.:T-]{0,90}", any::<bool>()).prop_map(|(text, quote)| {
        let quote = if quote { "\"" } else { "" };
        format!("{text}{quote}").into_bytes()
    });
    let header = prop::sample::select(vec![
        HEADER,
        "symbol,date,open,high,low,close,volume",
        "contract,at",
        "",
        "OWNA,2031-03-10,100,101,99,100.5,7",
        "OWNB,2031-03-09,100,101,99,100.5,7",
    ]);
    let header = header.prop_map(|text| text.as_bytes().to_vec());
    let anything = prop::collection::vec(any::<u8>(), 0..60);
    let line = prop_oneof![5 => good, 2 => broken, 2 => header, 1 => anything];
    prop::collection::vec(line, 0..60)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Whatever comes, rows are kept or told; what was kept is whole and good.
    #[test]
    fn any_bytes_are_fed_or_told(all in lines()) {
        let place = tempfile::tempdir().unwrap();
        let mut told = 0;
        let fed = {
            let mut feed = Feed::into(place.path()).unwrap();
            let mut tell = |what: String| told += usize::from(what.starts_with("line "));
            feed.line(HEADER.as_bytes(), &mut tell).unwrap();
            for line in all.iter().flat_map(|l| l.split(|b| *b == b'\n')) {
                feed.line(line, &mut tell).unwrap();
            }
            feed.close().unwrap();
            feed.fed()
        };
        prop_assert_eq!(told, fed.refused);
        if let Ok(opened) = open(place.path()) {
            prop_assert!(opened.wrong.is_empty(), "{:?}", opened.wrong);
            let moments: usize = opened.recorded.iter().map(|r| r.tape.len()).sum();
            prop_assert!(moments <= fed.moments && (fed.moments == 0) == (moments == 0));
        } else {
            prop_assert_eq!(fed.moments, 0);
        }
        prop_assert!(halves(place.path()).is_empty());
    }

    /// Any files are opened, or it is said why not; what is wrong in them is told.
    #[test]
    fn any_folder_is_opened_or_refused(files in prop::collection::vec(
        (0..7_usize, prop::collection::vec(any::<u8>(), 0..200), any::<bool>()), 0..6)) {
        let place = tempfile::tempdir().unwrap();
        let own = place.path().join("OWNA");
        std::fs::create_dir_all(&own).unwrap();
        for (which, bytes, headed) in &files {
            let (path, header) = match which {
                0 => (own.join("instrument.csv"), "name,value\n"),
                1 => (own.join("bars.csv"), "symbol,date,open,high,low,close\n"),
                2 => (own.join("events.csv"), "date,kind,what,cash,known\n"),
                3 => (own.join("chain-2031-03-11.csv"), "contract,at,spot,bid,ask\n"),
                4 => (place.path().join("rates.csv"), "from,days,rate\n"),
                5 => (place.path().join("index.csv"), "symbol\n"),
                _ => (own.join(".index.json"), "{\"form\":1,\"told\":0,\"days\":{}}"),
            };
            let mut all = if *headed { header.as_bytes().to_vec() } else { Vec::new() };
            all.extend(bytes);
            // An empty line: it is whole, and nobody waits for more.
            all.extend(b"\n\n");
            std::fs::write(path, all).unwrap();
        }
        if let Ok(opened) = open(place.path()) {
            opened.look();
            prop_assert!(opened.recorded.iter().all(|r| r.tape.is_empty()));
        }
    }

    /// Wherever a writer is cut off, what is read is whole moments: none by half, and in the end all.
    #[test]
    fn what_is_half_written_is_not_half_read(cuts in prop::collection::vec(0.0..1.0_f64, 1..12)) {
        let place = tempfile::tempdir().unwrap();
        let own = place.path().join("OWNA");
        std::fs::create_dir_all(&own).unwrap();
        let path = own.join("chain-2031-03-11.csv");
        let moment = |minute: usize| good_rows("OWNA", &format!("2031-03-11T10:{minute:02}"), 3);
        std::fs::write(&path, format!("{HEADER}\n{}\n", moment(0))).unwrap();
        let opened = open(place.path()).unwrap();
        let rest: String = (1..=4).map(|m| moment(m) + "\n").collect();
        let mut ends: Vec<usize> = cuts.iter().map(|c| (c * rest.len() as f64) as usize).collect();
        ends.push(rest.len());
        ends.sort_unstable();
        let mut from = 0;
        let tape = &opened.recorded[0].tape;
        for end in ends {
            let mut file = std::fs::OpenOptions::new().append(true).open(&path).unwrap();
            file.write_all(&rest.as_bytes()[from..end]).unwrap();
            drop(file);
            from = end;
            opened.look();
            let (first, last) = tape.span().unwrap();
            for (at, _) in tape.between(first, last) {
                prop_assert_eq!(tape.sight(at).unwrap().1.contracts.len(), 6, "{} at {}", at, end);
            }
        }
        prop_assert_eq!(tape.len(), 5);
        prop_assert!(opened.wrong.is_empty());
    }
}

/// Files that were begun and not ended.
fn halves(folder: &Path) -> Vec<std::path::PathBuf> {
    let mut out = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            out.extend(halves(&path));
        } else if path.extension().is_some_and(|e| e == "half") {
            out.push(path);
        }
    }
    out
}

/// After three for two, and cash, a contract is on what it delivers, for each of its hundred units.
#[test]
fn an_adjusted_contract_is_on_what_it_delivers() {
    let place = tempfile::tempdir().unwrap();
    let own = place.path().join("LUMA1");
    std::fs::create_dir_all(&own).unwrap();
    let facts = "name,value,from\nname,Lumara (adjusted)\ndeliverable,150 + 12.50,2031-03-11\nmultiplier,50,2031-03-11\n";
    std::fs::write(own.join("instrument.csv"), facts).unwrap();
    for (day, spot) in [("2031-03-10", "90.00"), ("2031-03-11", "60.00")] {
        let rows = good_rows("LUMA1", &format!("{day}T10:00"), 2)
            .replace(",100.00,", &format!(",{spot},"));
        std::fs::write(
            own.join(format!("chain-{day}.csv")),
            format!("{HEADER}\n{rows}\n"),
        )
        .unwrap();
    }
    let bars = "symbol,date,open,high,low,close\nLUMA1,2031-03-10,90,91,89,90\nLUMA1,2031-03-11,60,61,59,60\n";
    std::fs::write(own.join("bars.csv"), bars).unwrap();
    let opened = open(place.path()).unwrap();
    // What goes by date and may not is told.
    assert_eq!(opened.wrong.len(), 1);
    assert!(
        opened.wrong[0]
            .what
            .contains("line 4: from: multiplier holds for good")
    );
    let tape = &opened.recorded[0].tape;
    let prices: Vec<String> = tape
        .between(
            "2031-03-10T00:00".parse().unwrap(),
            "2031-03-12T00:00".parse().unwrap(),
        )
        .iter()
        .map(|(at, spot)| {
            assert_eq!(tape.sight(*at).unwrap().1.spot, *spot);
            spot.to_string()
        })
        .collect();
    // (150 × 60.00 + 12.50) / 100, worked by hand.
    assert_eq!(prices, ["90.00", "90.125"]);
    assert_eq!(tape.bars()[1].high.to_string(), "91.625");
    assert_eq!(opened.recorded[0].underlying.multiplier, 100);
}

/// The page that tells how to bring one's own data is right: its files and rows are taken as they stand.
#[test]
fn the_worked_example_of_the_page_works() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let page = std::fs::read_to_string(root.join("docs/own-market.md")).unwrap();
    let block = |name: &str| {
        let begin = page.find(&format!("```csv {name}\n")).unwrap();
        let text = &page[begin..];
        let text = &text[text.find('\n').unwrap() + 1..];
        text[..text.find("```").unwrap()].to_owned()
    };
    let place = tempfile::tempdir().unwrap();
    let own = place.path().join("LUMA");
    std::fs::create_dir_all(&own).unwrap();
    for name in ["instrument", "events", "bars"] {
        std::fs::write(own.join(format!("{name}.csv")), block(name)).unwrap();
    }
    let folder = place.path().to_str().unwrap();
    let out = pikebell(&["feed", "--into", folder], block("feed").as_bytes());
    let told = String::from_utf8_lossy(&out.stderr).into_owned();
    assert_eq!(told.trim(), "12 rows taken, 0 refused, 2 moments kept");
    let of = ["--symbol", "LUMA", "--market", folder];
    let chain = String::from_utf8(export(&[&["chain"][..], &of].concat())).unwrap();
    let lines: Vec<&str> = chain.lines().collect();
    assert_eq!(lines.len(), 7, "{chain}");
    assert!(
        lines
            .iter()
            .skip(1)
            .all(|l| l.contains("2031-03-11T10:01") && l.contains("50.35"))
    );
    let column = lines[0].split(',').position(|c| c == "iv").unwrap();
    let implied = |l: &&str| l.split(',').nth(column).unwrap().parse::<f64>().unwrap();
    let vols: Vec<f64> = lines.iter().skip(1).map(implied).collect();
    assert!(vols.iter().all(|v| (0.25..0.35).contains(v)), "{vols:?}");
    let events = String::from_utf8(export(&[&["events"][..], &of].concat())).unwrap();
    assert!(events.contains("ex-dividend, 0.32 a share"), "{events}");
    let opened = open(place.path()).unwrap();
    assert!(opened.wrong.is_empty(), "{:?}", opened.wrong);
}

/// Moments with any offset are told on their zone's clock, and those of another zone on the market's.
#[test]
fn zones_come_together_on_one_clock() {
    let place = tempfile::tempdir().unwrap();
    let market = place.path();
    for (symbol, facts) in [
        ("OWNA", "time_zone,America/New_York"),
        ("OWNB", "time_zone,America/Chicago\nsession,08:30-15:00"),
    ] {
        std::fs::create_dir_all(market.join(symbol)).unwrap();
        let facts = format!("name,value\n{facts}\n");
        std::fs::write(market.join(symbol).join("instrument.csv"), facts).unwrap();
    }
    std::fs::write(market.join("index.csv"), "symbol\nOWNA\n").unwrap();
    let rows = |symbol: &str, at: &str| good_rows(symbol, at, 2).replace("310418", "310919");
    let (here, there) = (
        rows("OWNA", "2031-07-11T10:42-04:00"),
        rows("OWNB", "2031-07-11T14:42:00Z"),
    );
    let out = pikebell(
        &["feed", "--into", market.to_str().unwrap()],
        format!("{HEADER}\n{here}{there}").as_bytes(),
    );
    assert!(
        out.status.success(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    // Each file is on its symbol's own clock, and needs no offset.
    let kept = std::fs::read_to_string(market.join("OWNB/chain-2031-07-11.csv")).unwrap();
    assert!(kept.contains(",2031-07-11T09:42:00.000,"), "{kept}");
    let opened = open(market).unwrap();
    assert_eq!(opened.own.index.as_deref(), Some("OWNA"));
    let at: desk::Moment = "2031-07-11T10:42".parse().unwrap();
    for r in &opened.recorded {
        assert_eq!(r.tape.span(), Some((at, at)), "{}", r.underlying.symbol);
        assert_eq!(r.tape.sight(at).unwrap().1.contracts.len(), 4);
    }
    let hours = opened.recorded[1].underlying.hours_on(at.date());
    assert_eq!((hours.open, hours.close), (9 * 60 + 30, 16 * 60));
    // Played, they come back as they were written.
    let out = pikebell(
        &[
            "play",
            "--market",
            market.to_str().unwrap(),
            "--symbol",
            "OWNB",
        ],
        &[],
    );
    let played = String::from_utf8(out.stdout).unwrap();
    assert_eq!(
        played.matches(",2031-07-11T09:42:00.000,").count(),
        4,
        "{played}"
    );
}

/// Interest, days and hours of a market are its own where it tells them; what is wrong is told by line.
#[test]
fn rates_and_days_are_the_markets_own() {
    let place = tempfile::tempdir().unwrap();
    let market = place.path();
    let own = market.join("OWNA");
    std::fs::create_dir_all(&own).unwrap();
    let rows = good_rows("OWNA", "2031-03-11T10:00", 3);
    std::fs::write(
        own.join("chain-2031-03-11.csv"),
        format!("{HEADER}\n{rows}\n"),
    )
    .unwrap();
    let bars = "symbol,date,open,high,low,close\nOWNA,2031-03-10,99,101,98,100\nOWNA,2031-03-08,99,101,98,100\n";
    std::fs::write(own.join("bars.csv"), bars).unwrap();
    // A Saturday with a session, a Monday without one, and an expiration that ends at one.
    let days =
        "date,open,close\n2031-03-08,09:30,12:00\n2031-03-10,,\n2031-04-18,09:30,13:00\nnever,,\n";
    std::fs::write(market.join("calendar.csv"), days).unwrap();
    std::fs::write(market.join("rates.csv"), "days,rate\n0,0.02\n76,0.04\n").unwrap();
    let folder = market.to_str().unwrap();
    let out = pikebell(
        &[
            "export",
            "expirations",
            "--symbol",
            "OWNA",
            "--market",
            folder,
        ],
        &[],
    );
    let (table, told) = (
        String::from_utf8(out.stdout).unwrap(),
        String::from_utf8(out.stderr).unwrap(),
    );
    assert!(out.status.success(), "{told}");
    let row: Vec<&str> = table.lines().nth(1).unwrap().split(',').collect();
    assert_eq!(row[2], "2031-04-18T13:00:00.000-05:00", "{table}");
    let (t, rate): (f64, f64) = (row[6].parse().unwrap(), row[7].parse().unwrap());
    // From 10:00 on 11 March to 13:00 on 18 April: 38 days and 3 hours.
    assert!((t - 38.125 / 365.0).abs() < 1e-12, "{t}");
    assert!(
        (rate - (0.02 + 0.02 * 38.125 / 76.0)).abs() < 1e-12,
        "{rate}"
    );
    for line in [
        "calendar.csv: line 5: date: \"never\" is not a date",
        "bars.csv: line 2: date: 2031-03-10 is no session",
    ] {
        assert!(told.contains(line), "{told}");
    }
    let out = pikebell(
        &[
            "export",
            "bars",
            "--symbol",
            "OWNA",
            "--market",
            folder,
            "--from",
            "2031-03-01",
        ],
        &[],
    );
    let table = String::from_utf8(out.stdout).unwrap();
    assert!(
        table.contains("OWNA,2031-03-08,") && !table.contains("OWNA,2031-03-10,"),
        "{table}"
    );
}

/// A file whose first line is not that of a chain is told once and passed over, whatever comes to it.
#[test]
fn a_file_without_its_columns_is_told_once() {
    let place = tempfile::tempdir().unwrap();
    let own = place.path().join("OWNA");
    std::fs::create_dir_all(&own).unwrap();
    let rows = good_rows("OWNA", "2031-03-11T10:00", 1);
    std::fs::write(
        own.join("chain-2031-03-11.csv"),
        format!("{HEADER}\n{rows}\n"),
    )
    .unwrap();
    let path = own.join("chain-2031-03-12.csv");
    std::fs::write(&path, format!("contract,when\n{rows}\n")).unwrap();
    for _ in 0..2 {
        let opened = open(place.path()).unwrap();
        let told: Vec<&str> = opened.wrong.iter().map(|w| w.what.as_str()).collect();
        assert_eq!(told.len(), 1, "{told:?}");
        assert!(
            told[0].starts_with("line 1: there is no column \"at\""),
            "{told:?}"
        );
        let mut file = std::fs::OpenOptions::new()
            .append(true)
            .open(&path)
            .unwrap();
        file.write_all(rows.as_bytes()).unwrap();
        assert!(opened.look().is_empty());
        assert_eq!(opened.recorded[0].tape.len(), 1);
    }
}

/// A source that gives what has changed alone is completed to whole moments, within a day.
#[test]
fn a_feed_of_changes_is_completed() {
    let place = tempfile::tempdir().unwrap();
    let mut feed = Feed::into(place.path()).unwrap().of_changes();
    let mut give = |text: &str| {
        for line in text.split_inclusive('\n') {
            feed.line(line.as_bytes(), &mut |told| {
                assert!(told.starts_with("OWNA"), "{told}")
            })
            .unwrap();
        }
    };
    give(&format!(
        "{HEADER}\n{}\n",
        good_rows("OWNA", "2031-03-11T10:00", 3)
    ));
    let one = good_rows("OWNA", "2031-03-11T10:01", 1).replace(",2.00,2.10,", ",3.00,3.10,");
    give(&format!("{one}\n"));
    give(&format!("{}\n", good_rows("OWNA", "2031-03-12T10:00", 1)));
    drop(feed);
    let opened = open(place.path()).unwrap();
    let seen = |at: &str| {
        let (_, sight) = opened.recorded[0].tape.sight(at.parse().unwrap()).unwrap();
        let asks = sight.contracts.values().map(|s| s.quote.ask.to_string());
        asks.collect::<Vec<_>>()
    };
    assert_eq!(seen("2031-03-11T10:00"), ["2.10"; 6]);
    assert_eq!(
        seen("2031-03-11T10:01"),
        ["3.10", "2.10", "2.10", "3.10", "2.10", "2.10"]
    );
    assert_eq!(seen("2031-03-12T10:00"), ["2.10"; 2]);
    assert!(opened.wrong.is_empty());
}
