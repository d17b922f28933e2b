//! Drills over the wire: kept, read back, played, swept, and beside the account.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::common::{Place, Program};

async fn done(p: &Program, method: &str, path: &str, body: Value) -> Value {
    let (status, answer) = p.raw(method, path, &body.to_string()).await;
    assert!(status.is_success(), "{path}: {answer}");
    answer
}

fn drill() -> Value {
    json!({
        "name": "puts",
        "symbol": "WXMR",
        "from": "2030-01-02",
        "to": "2030-12-31",
        "looks": ["close"],
        "price": 0.5,
        "fees": true,
        "stake": 5000,
        "enter": {
            "expiration": { "kind": "monthly", "days": 40 },
            "every": "expiration",
            "size": 1,
            "legs": [
                { "side": "sell", "quantity": 1, "right": "put", "strike": { "delta": 0.2 } },
                { "side": "buy", "quantity": 1, "right": "put", "strike": { "leg": 1, "points": -50 } },
            ],
        },
        "leave": { "when": [{ "profit": { "percent_of_max": 60 } }, { "days_left": 6 }] },
    })
}

/// The pieces of a stream of events.
async fn streamed(p: &Program, path: &str, body: &Value) -> Vec<Value> {
    let (status, text) = p.post(path, body).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    let text = text.as_str().unwrap();
    let data = text.lines().filter_map(|l| l.strip_prefix("data:"));
    data.map(|l| serde_json::from_str(l.trim()).unwrap())
        .collect()
}

#[tokio::test]
async fn a_drill_is_kept_read_back_and_played() {
    let place = Place::new();
    let p = place.program();
    let asked = json!({ "drill": drill() });
    let read = done(&p, "POST", "/api/drills/read", asked.clone()).await;
    assert_eq!(
        (&read["problem"], &read["count"]),
        (&Value::Null, &json!(1))
    );
    let words = read["words"].as_array().unwrap();
    assert_eq!(
        words[2],
        "Then it will (1) sell 1 put with a delta of 0.2 and (2) buy 1 put 50 below leg 1."
    );
    // Its text is the same drill.
    let again = done(
        &p,
        "POST",
        "/api/drills/text",
        json!({ "toml": read["toml"] }),
    )
    .await;
    assert_eq!(again["drill"], drill());
    let (status, wrong) = p
        .post(
            "/api/drills/text",
            &json!({ "toml": "name = \"x\"\nprice = what\n" }),
        )
        .await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(
        wrong["message"].as_str().unwrap().contains("line 2"),
        "{wrong}"
    );
    done(&p, "PUT", "/api/drills/mine", asked.clone()).await;
    assert_eq!(p.get("/api/drills").await, json!({ "mine": drill() }));

    let played = done(&p, "POST", "/api/drills/play", asked.clone()).await;
    let cycles = played["cycles"].as_array().unwrap();
    let done_ones: Vec<&Value> = cycles.iter().filter(|c| !c["done"].is_null()).collect();
    assert_eq!(
        done_ones.len(),
        played["all"]["count"].as_u64().unwrap() as usize
    );
    assert!(done_ones.len() >= 11, "{played}");
    // The curve ends at the sum, and the looks of a cycle at its profit.
    let sum: f64 = played["all"]["sum"].as_str().unwrap().parse().unwrap();
    let end = played["curve"].as_array().unwrap().last().unwrap()["profit"]
        .as_f64()
        .unwrap();
    assert!((sum - end).abs() < 1e-9);
    let third = json!({ "drill": drill(), "cycle": 3 });
    let looks = done(&p, "POST", "/api/drills/cycle", third).await;
    let looks = looks.as_array().unwrap();
    assert_eq!(looks[0]["action"], "enter");
    assert_eq!(
        looks.last().unwrap()["profit"],
        done_ones[2]["done"]["profit"]
    );

    // Nothing behind the account's clock is looked at: it stands on 11 March 2031.
    let mut ahead = drill();
    ahead["to"] = json!("2032-12-31");
    let told = done(&p, "POST", "/api/drills/play", json!({ "drill": ahead })).await;
    assert!(told["last"].as_str().unwrap() <= told["at"].as_str().unwrap());
    ahead["from"] = json!("2031-06-01");
    let (status, answer) = p.post("/api/drills/play", &json!({ "drill": ahead })).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(
        answer["message"]
            .as_str()
            .unwrap()
            .contains("it lies ahead"),
        "{answer}"
    );
}

/// Twelve combinations come to what each comes to alone, and choosing among them is told.
#[tokio::test]
async fn a_sweep_plays_each_combination_as_it_is_played_alone() {
    let place = Place::new();
    let p = place.program();
    let mut many = drill();
    many["enter"]["legs"][0]["strike"]["delta"] = json!([0.15, 0.2, 0.25]);
    many["enter"]["legs"][1]["strike"]["points"] = json!([-25, -50]);
    many["leave"]["when"][1]["days_left"] = json!([6, 14]);
    let (status, one) = p.post("/api/drills/play", &json!({ "drill": many })).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{one}");
    let lines = streamed(&p, "/api/drills/sweep", &json!({ "drill": many })).await;
    let end = lines.last().unwrap();
    assert_eq!(end["kind"], "done");
    let rows = end["rows"].as_array().unwrap();
    assert_eq!(rows.len(), 12);
    let told = lines.iter().filter(|l| l["kind"] == "rows");
    let seen: usize = told.map(|l| l["rows"].as_array().unwrap().len()).sum();
    assert!(seen <= 12);
    let mut best = 0;
    let amount = |v: &Value| v.as_str().unwrap().parse::<f64>().unwrap();
    for (i, row) in rows.iter().enumerate() {
        let v = row["values"].as_array().unwrap();
        let mut alone = drill();
        alone["enter"]["legs"][0]["strike"]["delta"] = v[0].clone();
        alone["enter"]["legs"][1]["strike"]["points"] = v[1].clone();
        alone["leave"]["when"][1]["days_left"] = v[2].clone();
        let played = done(&p, "POST", "/api/drills/play", json!({ "drill": alone })).await;
        assert_eq!(played["all"], row["summary"], "{v:?}");
        let halves = amount(&row["firstHalf"]) + amount(&row["secondHalf"]);
        assert!((halves - amount(&row["summary"]["sum"])).abs() < 1e-9);
        if amount(&row["firstHalf"]) > amount(&rows[best]["firstHalf"]) {
            best = i;
        }
    }
    assert_eq!(end["chosen"]["place"], best);
    assert_eq!(end["chosen"]["secondHalf"], rows[best]["secondHalf"]);
}

/// A drill beside the account does what it does in a rehearsal over the same days, and sends nothing.
#[tokio::test]
async fn a_drill_beside_the_account_goes_on_with_the_market_of_now() {
    let place = Place::new();
    let p = place.program();
    let mut own = drill();
    own["enter"]["expiration"] = json!({ "kind": "weekly", "days": 9, "least": 2 });
    own["enter"]["every"] = json!(3);
    own["leave"] = json!({ "when": [{ "days_open": 3 }] });
    let (status, _) = p
        .raw("PUT", "/api/drills/weekly/beside", r#"{"on":true}"#)
        .await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    done(&p, "PUT", "/api/drills/weekly", json!({ "drill": own })).await;
    done(
        &p,
        "PUT",
        "/api/drills/weekly/beside",
        json!({ "on": true }),
    )
    .await;
    let now = p.get("/api/clock").await["now"].clone();
    let at_once = p.get("/api/drills/beside").await[0].clone();
    assert_eq!((&at_once["since"], &at_once["would"]), (&now, &json!([])));
    done(&p, "POST", "/api/clock", json!({ "goTo": "8 sessions" })).await;
    let beside = p.get("/api/drills/beside").await[0].clone();
    let would = beside["would"].as_array().unwrap();
    assert!(would.len() >= 2, "{beside}");
    assert!(would[0]["left"].is_string() && would[0]["why"] == "leave 1");
    // The same days as a drill of the past: what is closed came to the same.
    own["from"] = json!(now.as_str().unwrap()[..10]);
    own["to"] = json!("2032-12-31");
    let played = done(&p, "POST", "/api/drills/play", json!({ "drill": own })).await;
    let first = &played["cycles"][0];
    assert_eq!(first["done"]["profit"], would[0]["profit"]);
    assert_eq!(first["entered"], would[0]["entered"]);
    assert_eq!(p.get("/api/orders").await, json!([]));
    // The trade that goes along with its last deed.
    assert!(
        !beside["last"]["legs"].as_array().unwrap().is_empty(),
        "{beside}"
    );
}
