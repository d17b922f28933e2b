//! The market as a table: what a row says is what its chain says, and the CSV says the same.

use crate::common::*;
use axum::http::StatusCode;
use serde_json::Value;

#[tokio::test]
async fn a_row_of_the_market_is_its_chain() {
    let place = Place::new();
    let p = place.program();
    let table = p.get("/api/scout/market").await;
    let rows = table["rows"].as_array().unwrap();
    let row = |symbol: &str| rows.iter().find(|r| r["symbol"] == symbol).unwrap();
    let number = |v: &Value| v.as_f64().unwrap_or_else(|| panic!("{v} is no number"));
    for symbol in ["NMOU", "WXMR", "BRLW", "BYQK1", "SKRY"] {
        let head = p.get(&format!("/api/chain/{symbol}")).await["head"].clone();
        let r = row(symbol);
        for (ours, theirs, times) in [
            ("implied", "vol30", 100.0),
            ("realised", "realised", 100.0),
            ("rank", "rank", 1.0),
            ("percentile", "percentile", 1.0),
            ("change", "changePercent", 1.0),
        ] {
            let (a, b) = (number(&r[ours]), times * number(&head[theirs]));
            assert!(
                (a - b).abs() < 1e-9 * (1.0 + b.abs()),
                "{symbol} {ours}: {a} {b}"
            );
        }
        let next = head["events"]
            .as_array()
            .unwrap()
            .iter()
            .find(|e| e["kind"] == "news");
        assert_eq!(
            r["news"]["date"],
            next.map_or(Value::Null, |e| e["date"].clone())
        );
        // In and out of something narrow costs money, and less than its width.
        assert!(
            number(&r["ofWidth"]) > 0.0 && number(&r["ofWidth"]) < 60.0,
            "{r}"
        );
    }
    // Earnings within two expirations have a priced move, and past ones a mean.
    let news = &row("NMOU")["news"];
    let (priced, real) = (number(&news["priced"]), number(&news["real"]));
    assert!((number(&news["premium"]) - priced / real).abs() < 1e-12);
    assert!(
        news["past"].as_i64().unwrap() > 4 && priced > 1.0 && real > 1.0,
        "{news}"
    );
    // A decision that was never before has no past.
    assert_eq!(row("PHYA")["news"]["real"], Value::Null);
    let (status, csv) = p.raw("GET", "/api/scout/market.csv", "").await;
    assert_eq!(status, StatusCode::OK);
    let text = csv.as_str().unwrap_or_default();
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let heads = reader.headers().unwrap().clone();
    let read: Vec<csv::StringRecord> = reader.records().collect::<Result<_, _>>().unwrap();
    assert_eq!(read.len(), rows.len());
    let place_of = |name: &str| heads.iter().position(|h| h == name).unwrap();
    for (line, r) in read.iter().zip(rows) {
        assert_eq!(line.get(0), r["symbol"].as_str());
        let implied: f64 = line[place_of("implied")].parse().unwrap();
        assert!((implied - number(&r["implied"])).abs() < 1e-12);
    }
}
