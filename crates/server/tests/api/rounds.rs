//! Rounds, rules and the daily record over the wire, on the demo account.

use crate::common::*;
use axum::http::StatusCode;
use serde_json::{Value, json};

/// Money as it is written, in hundredths of a cent.
fn raw(text: &Value) -> i64 {
    let money: desk::Money = text.as_str().unwrap_or_default().parse().unwrap();
    money.raw()
}

/// What is saved as a file is read back as the same rules, and takes the place of all.
#[tokio::test]
async fn rules_go_out_and_come_back_as_a_file() {
    let place = Place::new();
    let p = place.program();
    let rules = json!({ "rules": [
        { "scope": { "for": "all" }, "measure": "profit_of_max", "side": "above", "limit": "65",
          "again": "5", "on": true },
        { "scope": { "for": "structure", "structure": "straddle or strangle" },
          "measure": "days_left", "side": "below", "limit": "21", "on": true },
        { "scope": { "for": "symbol", "symbol": "NMOU" }, "measure": "price", "side": "below",
          "limit": "180.5", "again": "0", "on": false },
        { "scope": { "for": "all" }, "measure": "trade_risk", "side": "above", "limit": "2.5",
          "on": true },
    ] });
    let (status, _) = p.raw("PUT", "/api/rules/file", &rules.to_string()).await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    assert_eq!(p.get("/api/rules/file").await, rules);
    drop(p);
    let p = place.program();
    assert_eq!(p.get("/api/rules/file").await, rules, "after a restart");
    // A file with one wrong rule changes nothing.
    let mut wrong = rules.clone();
    wrong["rules"][1]["limit"] = json!("soon");
    let (status, said) = p.raw("PUT", "/api/rules/file", &wrong.to_string()).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(
        said["message"].as_str().unwrap().contains("rule 2"),
        "{said}"
    );
    assert_eq!(p.get("/api/rules/file").await, rules);
    // Every measure of the list can be written in a rule with its usual side.
    let view = p.get("/api/rules").await;
    let measures = view["measures"].as_array().unwrap();
    assert!(measures.len() > 40);
    for m in measures {
        let scope = if m["measure"] == "price" {
            json!({ "for": "symbol", "symbol": "NMOU" })
        } else {
            json!({ "for": "all" })
        };
        let rule = json!({
            "scope": scope, "measure": m["measure"], "side": m["sides"][0], "limit": "7",
        });
        let (status, made) = p.post("/api/rules", &rule).await;
        assert_eq!(status, StatusCode::CREATED, "{made}");
        let sentence = made["sentence"].as_str().unwrap();
        assert!(
            sentence.contains('7') && sentence.ends_with('.'),
            "{sentence}"
        );
    }
}

/// Each close leads to the next: value, deposits and profit add up over the days, in the answer and
/// in the CSV, and a note stands with its day.
#[tokio::test]
async fn the_daily_record_adds_up() {
    let place = Place::new();
    let p = place.program();
    for _ in 0..3 {
        let (status, said) = p.post("/api/clock", &json!({ "step": "close" })).await;
        assert_eq!(status, StatusCode::OK, "{said}");
    }
    let (status, _) = p
        .raw(
            "PUT",
            "/api/days/2031-03-12/note",
            &json!({ "note": "a \"quiet\" day, all in all" }).to_string(),
        )
        .await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    let days = p.get("/api/days").await["days"].clone();
    let days = days.as_array().unwrap();
    assert_eq!(days.len(), 3);
    let mut value = 0;
    for d in days {
        value += raw(&d["figures"]["parts"]["total"]) + raw(&d["figures"]["deposits"]);
        assert_eq!(value, raw(&d["value"]), "{d}");
    }
    let (status, csv) = p.raw("GET", "/api/days.csv", "").await;
    assert_eq!(status, StatusCode::OK);
    let csv = csv.as_str().unwrap_or_default().to_owned();
    let rows: Vec<csv::StringRecord> = csv::Reader::from_reader(csv.as_bytes())
        .records()
        .collect::<Result<_, _>>()
        .unwrap();
    assert_eq!(rows.len(), 3, "{csv}");
    for (row, d) in rows.iter().zip(days) {
        assert_eq!(row.get(2), d["value"].as_str());
        assert_eq!(row.get(4), d["figures"]["parts"]["total"].as_str());
    }
    assert_eq!(
        rows[1].iter().next_back(),
        Some("a \"quiet\" day, all in all")
    );
    // A date of one's own stands in the calendar until it is taken away.
    let own = json!({ "date": "2031-03-21", "what": "look at it again" });
    let (_, own) = p.post("/api/dates", &own).await;
    let calendar = |text: Value| {
        text.as_str()
            .unwrap_or_default()
            .contains("look at it again")
    };
    assert!(calendar(p.raw("GET", "/api/calendar.ics", "").await.1));
    let gone = format!("/api/dates/{}", own["id"]);
    assert_eq!(p.raw("DELETE", &gone, "").await.0, StatusCode::NO_CONTENT);
    assert!(!calendar(p.raw("GET", "/api/calendar.ics", "").await.1));
}
