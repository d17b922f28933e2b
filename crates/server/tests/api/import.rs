//! A market of one's own from CSV files: read back, opened, and every bad row named by its line.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use crate::common::Place;
use axum::http::StatusCode;
use proptest::prelude::*;
use serde_json::{Value, json};
use server::folder::{read_bars, read_chains};

fn pikebell(arguments: &[&str], input: &[u8]) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), input).unwrap();
    child.wait_with_output().unwrap()
}

fn export(what: &str, symbol: &str, at: &str) -> Vec<u8> {
    let out = pikebell(&["export", what, "--symbol", symbol, "--at", at], &[]);
    assert!(out.status.success());
    out.stdout
}

/// Every file of a folder with its text.
fn whole(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut out = BTreeMap::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            out.extend(whole(&path));
        } else {
            out.insert(
                path.to_string_lossy().into_owned(),
                std::fs::read(&path).unwrap(),
            );
        }
    }
    out
}

#[tokio::test]
async fn what_was_exported_is_read_back_and_the_chain_opens_on_it() {
    let folder = tempfile::tempdir().unwrap();
    let market = folder.path().join("mine");
    let into = market.to_str().unwrap();
    let import = |what: &str, rows: &[u8], extra: &[&str]| {
        let arguments: Vec<&str> = ["import", what, "--into", into, "--symbol", "OWNED"]
            .iter()
            .chain(extra)
            .copied()
            .collect();
        let out = pikebell(&arguments, rows);
        assert!(
            out.status.success(),
            "{}",
            String::from_utf8_lossy(&out.stderr)
        );
    };
    let chain = export("chain", "NMOU", "2031-03-10T11:00");
    import("chain", &chain, &["--fact", "name=My own name"]);
    import("chain", &export("chain", "NMOU", "2031-03-10T15:30"), &[]);
    import("bars", &export("bars", "NMOU", "2031-03-07"), &[]);
    let kept = whole(&market);
    assert_eq!(kept.len(), 3, "facts, bars and one day: {:?}", kept.keys());
    import("chain", &chain, &[]);
    assert_eq!(whole(&market), kept, "the same rows again change nothing");

    let place = Place::new();
    let p = place.program_with(Some(&market)).unwrap();
    assert_eq!(
        p.get("/api/clock").await["now"],
        "2031-03-10T15:30:00.000-05:00",
        "it begins at the last moment seen"
    );
    let markets = p.get("/api/markets").await;
    assert!(
        markets
            .as_array()
            .unwrap()
            .iter()
            .any(|m| m["symbol"] == "OWNED" && m["name"] == "My own name")
    );
    let head = p.get("/api/chain/OWNED").await["head"].clone();
    let seed = server::demo::DEMO_SEED;
    assert!(
        head["level"].as_f64() > Some(100.0)
            && head["realised"].as_f64() > Some(0.1)
            && head["vol30"].as_f64() > Some(0.1),
        "{head}"
    );
    let world = market::World::new(seed);
    let at: desk::Moment = "2031-03-10T15:30".parse().unwrap();
    let listed = world.expirations("NMOU", at).unwrap();
    assert_eq!(head["marks"].as_array().unwrap().len(), listed.len());
    let mark = head["marks"]
        .as_array()
        .unwrap()
        .iter()
        .find(|m| m["days"].as_i64() > Some(30))
        .unwrap()
        .clone();
    let rows = p
        .get(&format!(
            "/api/chain/OWNED?expiration={}",
            mark["key"].as_str().unwrap()
        ))
        .await["blocks"][0]["rows"]
        .as_array()
        .unwrap()
        .clone();

    // Row by row what the world of that seed quoted at that moment.
    let mut compared = 0;
    for row in &rows {
        for side in ["call", "put"] {
            let mut contract: desk::Contract =
                row[side]["contract"].as_str().unwrap().parse().unwrap();
            contract.root = "NMOU".into();
            let want = market::Quoter::new().quote(&world, &contract, at).unwrap();
            assert_eq!(row[side]["ask"], want.quote.ask.to_string());
            let bid = (want.quote.bid > desk::Price::ZERO).then(|| want.quote.bid.to_string());
            assert_eq!(row[side]["bid"], bid.map_or(Value::Null, Value::from));
            let near = (0.1..0.9).contains(&want.delta.abs());
            if let (Some(mine), Some(theirs), true) =
                (row[side]["implied"].as_f64(), want.implied, near)
            {
                assert!((mine - theirs).abs() < 0.003, "{contract} {mine} {theirs}");
                assert!(
                    (row[side]["delta"].as_f64().unwrap() - want.delta).abs() < 0.02,
                    "{contract}"
                );
                compared += 1;
            }
        }
    }
    assert!(compared > 40, "{compared}");

    // A draft on it is judged and traded like any other.
    let near = rows
        .iter()
        .position(|r| r["at"].as_f64() < head["level"].as_f64())
        .unwrap();
    let legs = json!([
        { "contract": rows[near]["put"]["contract"], "quantity": -1 },
        { "contract": rows[near + 3]["put"]["contract"], "quantity": 1 },
    ]);
    let (status, answer) = p
        .post("/api/evaluate", &json!({ "symbol": "OWNED", "legs": legs }))
        .await;
    assert_eq!(
        (status, answer["name"].as_str()),
        (StatusCode::OK, Some("bull put vertical")),
        "{answer}"
    );
    // The bench judges it too, under the smile that was recorded; implied volatility is told only
    // of days that were.
    let (judged, b) = p
        .post(
            "/api/bench",
            &json!({ "symbol": "OWNED", "legs": legs, "days": [1], "chances": { "smile": true } }),
        )
        .await;
    assert_eq!((judged, &b["evaluation"]), (StatusCode::OK, &answer));
    let past = p.get("/api/history/OWNED?bars=5").await;
    let told: Vec<bool> = past["bars"]
        .as_array()
        .unwrap()
        .iter()
        .map(|bar| bar["implied"].is_number())
        .collect();
    assert!(told.iter().rev().skip(1).all(|known| !known), "{told:?}");
    let order = json!({
        "clientId": "a",
        "symbol": "OWNED",
        "legs": legs,
        "quantity": 1,
        "limit": answer["cross"]["value"],
        "timeInForce": "day",
    });
    // Nothing has come since the program began: the quotes are as old as their file.
    let (status, order) = p.post("/api/orders", &order).await;
    assert_eq!(
        (status, order["state"].as_str()),
        (StatusCode::CREATED, Some("working")),
        "{order}"
    );
    let number = order["id"].clone();
    let rows = String::from_utf8(export("chain", "NMOU", "2031-03-10T15:31")).unwrap();
    let rows = rows.replace("NMOU  ", "OWNED ").replace("NMOU", "OWNED");
    let fed = pikebell(&["feed", "--into", into], rows.as_bytes());
    assert!(
        fed.status.success(),
        "{}",
        String::from_utf8_lossy(&fed.stderr)
    );
    let mut state = String::new();
    for _ in 0..200 {
        let orders = p.get("/api/orders").await;
        let mine = orders
            .as_array()
            .unwrap()
            .iter()
            .find(|o| o["id"] == number);
        state = mine.unwrap()["state"].as_str().unwrap().to_owned();
        if state == "filled" {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
    }
    assert_eq!(state, "filled");
    assert_eq!(
        p.get("/api/clock").await["now"],
        "2031-03-10T15:31:00.000-05:00",
        "the clock stands at the newest moment"
    );
    assert_eq!(p.get("/api/book").await["positions"][0]["symbol"], "OWNED");
    // The database remembers the folder.
    drop(p);
    let again = place.program_with(None).unwrap();
    assert_eq!(
        again.get("/api/book").await["positions"][0]["symbol"],
        "OWNED"
    );
}

#[test]
fn bad_rows_are_named_by_line_and_good_ones_load() {
    let header = "contract,at,spot,bid,ask,strike,volume\r\n";
    let good = "NMOU  310418C00195000,2031-03-10T11:00,187.10,3.10,3.20,195,4\r\n";
    let table = [
        (
            "NMOU310418X00195000,2031-03-10T11:00,187.10,3.10,3.20,195,4",
            "the right must be C or P",
        ),
        (
            "NMOU  310418C00195000,2031-03-10,187.10,3.10,3.20,195,4",
            "is not a moment of the exchange",
        ),
        (
            "NMOU  310418C00195000,2031-03-10T11:00,187.1O,3.10,3.20,195,4",
            "spot: \"187.1O\" is not a decimal number",
        ),
        (
            "NMOU  310418C00195000,2031-03-10T11:00,187.10,-3.10,3.20,195,4",
            "bid and ask not below it",
        ),
        (
            "NMOU  310418C00195000,2031-03-10T11:00,187.10,3.10,3.20,200,4",
            "strike: 200.00 is not the contract's 195.00",
        ),
        (
            "NMOU  310418C00195000,2031-03-10T11:00,187.10,3.10,3.20,195,-4",
            "volume: -4 is below zero",
        ),
        (
            "NMOU  310418C00195000,2031-05-10T11:00,187.10,3.10,3.20,195,4",
            "lies behind the contract's end",
        ),
        (
            "NMOU  310418C00200000,2031-03-10T11:00,187.20,3.10,3.20,200,4",
            "but rows of the same moment before it have 187.10",
        ),
        (
            "NMOU  310418C00195000,2031-03-10T11:00,187.10,3.10,3.20,195,4",
            "stands twice",
        ),
        ("NMOU  310418C00205000", "at is empty"),
    ];
    let text: String = std::iter::once(format!("{header}{good}"))
        .chain(table.iter().map(|(row, _)| format!("{row}\r\n")))
        .collect();
    let last = "NMOU  310418P00195000,2031-03-10T11:00,187.10,,0.05,,\r\n";
    let read = read_chains(format!("{text}{last}").as_bytes(), None, &|_| None).unwrap();
    assert_eq!(
        (read.good, read.bad.len()),
        (2, table.len()),
        "{:?}",
        read.bad
    );
    for (i, (bad, (row, why))) in read.bad.iter().zip(&table).enumerate() {
        assert_eq!(bad.line, i as u64 + 3, "{row}");
        assert!(bad.what.contains(why), "{row}: {}", bad.what);
    }
    assert!(
        read_chains("contract,at,spot,bid\n".as_bytes(), None, &|_| None)
            .unwrap_err()
            .contains("no column \"ask\"")
    );

    let bars = "symbol,date,open,high,low,close,volume\n\
        NMOU,2031-03-10,187,188,186,187.5,10\n\
        NMOU,2031-03-09,187,188,186,187.5,10\n\
        NMOU,2031-03-11,187,186,186,187.5,10\n\
        nmou,2031-03-11,1,1,1,1,1\n\
        NMOU,2031-03-10,187,188,186,187.5,10\n\
        NMOU,2031-13-10,1,1,1,1,1\n";
    let read = read_bars(bars.as_bytes(), None).unwrap();
    let lines: Vec<(u64, bool)> = read
        .bad
        .iter()
        .map(|b| (b.line, b.what.is_empty()))
        .collect();
    assert_eq!(
        (read.good, lines),
        (
            1,
            vec![(3, false), (4, false), (5, false), (6, false), (7, false)]
        ),
        "{:?}",
        read.bad
    );

    let folder = tempfile::tempdir().unwrap();
    let out = pikebell(
        &[
            "import",
            "bars",
            "--into",
            folder.path().to_str().unwrap(),
            "--symbol",
            "MINE",
        ],
        bars.as_bytes(),
    );
    assert_eq!(out.status.code(), Some(1), "some rows were bad");
    let told = String::from_utf8(out.stderr).unwrap();
    assert!(
        told.contains("line 3: date: 2031-03-09 is no session") && told.lines().count() == 4,
        "{told}"
    );
    let out = pikebell(
        &[
            "import",
            "bars",
            "--into",
            folder.path().to_str().unwrap(),
            "--fact",
            "style=bermudan",
        ],
        bars.as_bytes(),
    );
    assert_eq!(
        (
            out.status.code(),
            String::from_utf8(out.stderr)
                .unwrap()
                .contains("write one of american, european")
        ),
        (Some(2), true)
    );
}

proptest! {
    #[test]
    fn any_text_is_read_or_refused(rows in prop::collection::vec("[ -~\"\\r\\n]{0,60}", 0..12)) {
        let body = rows.join("\n");
        let read =
            read_chains(format!("contract,at,spot,bid,ask\n{body}").as_bytes(), None, &|_| None).unwrap();
        prop_assert_eq!(
            read.good,
            read.sights
                .values()
                .flat_map(|s| s.values())
                .map(|s| s.contracts.len())
                .sum::<usize>()
        );
        prop_assert!(read.bad.windows(2).all(|w| w[0].line <= w[1].line));
        let _ = read_bars(
            format!("symbol,date,open,high,low,close\n{body}").as_bytes(),
            None,
        )
        .unwrap();
        let _ = read_chains(body.as_bytes(), Some("MINE"), &|_| None);
    }
}
