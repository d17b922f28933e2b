//! Campaigns, deposits and history from files, through the API.

use crate::common::{HOST, Place, Program, ticket, units};
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use serde_json::{Value, json};

async fn step(p: &Program, to: &str) {
    let (status, answer) = p.post("/api/clock", &json!({ "step": to })).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
}

async fn import(p: &Program, rows: &str) -> (StatusCode, Value) {
    let request = Request::builder()
        .method("POST")
        .uri("/api/fills/import")
        .header(header::HOST, HOST)
        .header(header::CONTENT_TYPE, "text/csv");
    let body = format!("fill,at,symbol,instrument,quantity,price,fees\n{rows}");
    p.send(request.body(Body::from(body)).unwrap()).await
}

/// Cash of a campaign is its booked profit less the cost of its open lots.
fn assert_conserved(c: &Value) {
    let (cash, realised, cost) = (
        units(&c["netCash"]),
        units(&c["realised"]),
        units(&c["openCost"]),
    );
    assert_eq!(cash, realised - cost, "{c}");
}

/// The page of a campaign: its outline is that of the open legs and what was booked, at every price;
/// its chapters come to its totals; its trail ends with what it holds.
fn assert_told(page: &Value) {
    let c = &page["campaign"];
    assert_conserved(c);
    let booked = units(&c["realised"]) - units(&c["fees"]);
    let last = &c["chapters"].as_array().unwrap().last().unwrap()["running"];
    assert_eq!(units(last), booked, "{c}");
    let position = &page["position"];
    assert_eq!(
        units(&position["total"]),
        units(&position["openProfit"]) + booked,
        "{position}"
    );
    let curve = |v: &Value| -> Vec<f64> {
        let each = v.as_array().unwrap().iter();
        each.map(|x| x.as_f64().unwrap()).collect()
    };
    let (whole, alone) = (curve(&page["whole"]["outline"]), curve(&page["alone"]));
    assert!(whole.len() > 100 && whole.len() == alone.len());
    for (w, a) in whole.iter().zip(alone) {
        assert!(
            (w - a - booked as f64 / 1e4).abs() < 1e-6,
            "{w} {a} {booked}"
        );
    }
    let open: Vec<(&Value, &Value)> = page["trail"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|s| s["to"].is_null())
        .map(|s| (&s["contract"], &s["quantity"]))
        .collect();
    let held = c["held"].as_array().unwrap().iter();
    let held: Vec<(&Value, &Value)> = held.map(|l| (&l["contract"], &l["quantity"])).collect();
    for leg in &held {
        assert!(open.contains(leg), "{leg:?} of {open:?}");
    }
    assert_eq!(open.len(), held.len());
}

/// A campaign is named, one of its legs is moved to a campaign of its own and merged back; each
/// time cash, profit and cost are conserved, and a restart finds it all.
#[tokio::test]
async fn campaigns_are_named_split_and_merged() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let cross = p.evaluate(&legs, None).await["cross"]["value"].clone();
    let (_, order) = p
        .post(
            "/api/orders",
            &ticket("a", &legs, 2, cross.as_str().unwrap()),
        )
        .await;
    assert_eq!(order["filled"], json!(2), "{order}");
    let id = order["id"].as_u64().unwrap();
    let path = format!("/api/campaigns/{id}");
    let label =
        json!({ "name": "Wheel", "note": "two lines\nof text", "tags": ["wheel", "wheel"] });
    let (status, named) = p.raw("PUT", &path, &label.to_string()).await;
    assert_eq!(
        (status, &named["name"], &named["tags"]),
        (StatusCode::OK, &json!("Wheel"), &json!(["wheel"]))
    );
    assert_conserved(&named);
    let page = p.get(&format!("{path}/page")).await;
    assert_told(&page);
    let sentence = page["sentence"].as_str().unwrap();
    assert!(
        sentence.starts_with("Wheel on NMOU since 11 Mar 2031, today: ")
            && sentence.contains(" received in all, realised 0.00, open ")
            && sentence.contains("As it stands it ends in profit below "),
        "{sentence}"
    );
    // One of the sold calls becomes a campaign of its own.
    let part = json!({ "legs": [{ "contract": legs[0]["contract"], "quantity": -1 }] });
    let (status, moved) = p.post(&format!("{path}/move"), &part).await;
    assert_eq!(status, StatusCode::CREATED, "{moved}");
    let whole = p.get(&path).await;
    for c in [&moved, &whole] {
        assert_conserved(c);
    }
    assert_eq!(
        units(&moved["netCash"]) + units(&whole["netCash"]),
        units(&named["netCash"])
    );
    assert_eq!(
        p.get("/api/book").await["positions"]
            .as_array()
            .unwrap()
            .len(),
        2
    );
    let kept = p.get("/api/ledger").await;
    assert_eq!(kept["violations"], json!([]));
    assert_eq!(
        kept["lines"].as_array().unwrap().last().unwrap()["kind"],
        "moved between campaigns"
    );
    drop(p);
    let p = place.program();
    assert_eq!(p.get("/api/ledger").await, kept, "a restart finds it");
    let own = moved["campaign"].as_u64().unwrap();
    let (status, merged) = p
        .post(
            &format!("/api/campaigns/{own}/merge"),
            &json!({ "into": id }),
        )
        .await;
    assert_eq!(status, StatusCode::OK, "{merged}");
    assert_conserved(&merged);
    assert_eq!(
        (&merged["netCash"], &merged["held"], &merged["name"]),
        (&named["netCash"], &named["held"], &named["name"])
    );
    // What is not there, and more than there is.
    for (path, body, status) in [
        (
            "/api/campaigns/999/merge".to_owned(),
            json!({ "into": id }),
            404,
        ),
        (
            format!("/api/campaigns/{id}/merge"),
            json!({ "into": id }),
            422,
        ),
        (
            format!("/api/campaigns/{id}/move"),
            json!({ "legs": [{ "contract": legs[0]["contract"], "quantity": -3 }] }),
            422,
        ),
    ] {
        let (got, answer) = p.post(&path, &body).await;
        assert_eq!(got.as_u16(), status, "{path} {body}: {answer}");
    }
}

/// Money paid in changes what the account is worth and is no profit of the day.
#[tokio::test]
async fn a_deposit_is_no_profit() {
    let place = Place::new();
    let p = place.program();
    step(&p, "close").await;
    step(&p, "open").await;
    let before = p.get("/api/account").await;
    let (status, _) = p
        .post("/api/account/deposit", &json!({ "amount": "5000.00" }))
        .await;
    assert!(status.is_success(), "{status}");
    let after = p.get("/api/account").await;
    assert_eq!(after["today"], before["today"]);
    assert_eq!(
        units(&after["accountValue"]) - units(&before["accountValue"]),
        50_000_000
    );
}

/// Fills of the past come in with contracts that have expired since: what they became is booked as
/// of then, told in the ledger and written into the statement.
#[tokio::test]
async fn history_comes_in_with_what_expired_since() {
    let place = Place::new();
    let p = place.program();
    // A put far below and one far above the price: one expires, one is assigned.
    let rows = "H-1,2031-02-03T11:00:00,NMOU,NMOU  310221P00150000,-1,0.40,1.30\n\
                H-2,2031-02-04T11:00:00,NMOU,NMOU  310221P00250000,-1,62.00,1.30\n";
    let (status, report) = import(&p, rows).await;
    assert_eq!(status, StatusCode::OK, "{report}");
    let ledger = p.get("/api/ledger").await;
    let kinds: Vec<(&str, &str)> = ledger["lines"]
        .as_array()
        .unwrap()
        .iter()
        .map(|l| {
            (
                l["kind"].as_str().unwrap(),
                &l["at"].as_str().unwrap()[..10],
            )
        })
        .collect();
    assert!(
        kinds.contains(&("trade", "2031-02-03"))
            && kinds.contains(&("settlement", "2031-02-21"))
            && kinds.iter().any(|(kind, _)| *kind == "assignment"),
        "{kinds:?}"
    );
    assert_eq!(ledger["violations"], json!([]));
    let held = p.get("/api/positions.csv").await;
    assert!(held.as_str().unwrap().contains("NMOU,100"), "{held}");
    let statement = p.get("/api/statement.ofx").await;
    let statement = statement.as_str().unwrap();
    for part in ["CLOSUREOPT", "EXPIRE", "ASSIGN"] {
        assert!(statement.contains(part), "{part}: {statement}");
    }
    // Two shares at a price between the cents, one sold, and a restart: no half step is lost.
    let rows = "S-1,2031-03-10T11:00:00,NMOU,NMOU,2,10.12345,\n\
                S-2,2031-03-10T11:01:00,NMOU,NMOU,-1,11.00,\n";
    let (status, report) = import(&p, rows).await;
    assert_eq!(status, StatusCode::OK, "{report}");
    let kept = p.get("/api/ledger").await;
    drop(p);
    let again = place.program();
    assert_eq!(again.get("/api/ledger").await, kept);
    assert_eq!(again.get("/api/account").await["readOnly"], Value::Null);
}
