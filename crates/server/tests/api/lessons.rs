//! Lessons of the demo's fourteen months, and words: why at the ticket, and afterwards.

use axum::http::StatusCode;
use serde_json::{Value, json};
use server::{Beginning, Settings, demo, open};

use crate::common::{Place, ticket, turned};

fn amount(v: &Value) -> f64 {
    v.as_str().unwrap().parse().unwrap()
}

/// Every division parts the campaigns it knows of without losing or doubling one; sums, CSV and page tell
/// the same.
#[tokio::test]
async fn divisions_part_the_closed_campaigns() {
    let place = Place::new();
    let settings = Settings {
        seed: demo::DEMO_SEED,
        ..Settings::default()
    };
    let p = place.program_of(open(&place.data(), Beginning::Demo, &settings).unwrap());
    let l = p.get("/api/lessons").await;
    let campaigns = l["campaigns"].as_array().unwrap();
    let count = campaigns.len();
    assert!(count >= 20, "{count}");
    let sum: f64 = campaigns.iter().map(|c| amount(&c["profit"])).sum();
    assert!((sum - amount(&l["all"]["summary"]["sum"])).abs() < 1e-6);
    for d in l["divisions"].as_array().unwrap() {
        let parts = d["parts"].as_array().unwrap();
        let all = |f: &dyn Fn(&Value) -> f64| parts.iter().map(f).sum::<f64>();
        let counted = all(&|x| x["summary"]["count"].as_f64().unwrap());
        let summed = all(&|x| amount(&x["summary"]["sum"]));
        // Every campaign has a structure, a symbol, days and a size; sectors and tags only where there are.
        let whole = !["sector", "tag", "drill"].contains(&d["by"].as_str().unwrap());
        if whole {
            assert_eq!(
                (counted, (summed - sum).abs() < 1e-6),
                (count as f64, true),
                "{d}"
            );
        }
        for part in parts {
            let named = part["campaigns"].as_array().unwrap();
            assert_eq!(
                named.len() as u64,
                part["summary"]["count"].as_u64().unwrap()
            );
        }
    }
    for c in campaigns {
        let (best, worst, made) = (
            amount(&c["best"]),
            amount(&c["worst"]),
            amount(&c["profit"]),
        );
        assert!(worst <= made && made <= best, "{c}");
    }
    let (_, csv) = p.raw("GET", "/api/lessons.csv", "").await;
    let csv = csv.as_str().unwrap();
    let mut rows = csv::Reader::from_reader(csv.as_bytes());
    let head = rows.headers().unwrap().clone();
    let profit = head.iter().position(|h| h == "profit").unwrap();
    let told: f64 = rows
        .records()
        .map(|r| r.unwrap()[profit].parse::<f64>().unwrap())
        .sum();
    assert!((told - sum).abs() < 1e-6);
    let (_, page) = p.raw("GET", "/api/lessons.html", "").await;
    let page = page.as_str().unwrap();
    assert!(page.contains("The road not taken") && page.contains("income"));
    assert!(
        !page.contains("http") && !page.contains("<script"),
        "it stands by itself"
    );

    let roads = p
        .get("/api/lessons/roads?measure=profit_of_max&side=above&limit=50")
        .await;
    let names: Vec<&str> = roads["roads"]
        .as_array()
        .unwrap()
        .iter()
        .map(|r| r["name"].as_str().unwrap())
        .collect();
    assert_eq!(
        names[..2],
        [
            "hold to the end",
            "leave when it has made 50 % of its max profit or more"
        ]
    );
    for (i, road) in roads["roads"].as_array().unwrap().iter().enumerate() {
        let taken = roads["campaigns"].as_array().unwrap().iter();
        let would: f64 = taken
            .filter(|c| !c["roads"][i].is_null())
            .map(|c| amount(&c["roads"][i]["profit"]))
            .sum();
        assert!((would - amount(&road["would"])).abs() < 1e-6, "{road}");
    }
    let (status, wrong) = p
        .raw("GET", "/api/lessons/roads?measure=lean&limit=5", "")
        .await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{wrong}");
}

/// Why at the ticket stands on the campaign, at its opening and at its close; the campaign asks for a word
/// once it is over, and not again.
#[tokio::test]
async fn words_at_the_ticket_and_afterwards() {
    let place = Place::new();
    let p = place.program();
    let legs = p.bear_call().await;
    let mut order = ticket("a", &legs, 1, "-0.05");
    order["why"] = json!("  It has run too far ");
    order["tags"] = json!(["fade", "fade", " income "]);
    let (status, placed) = p.post("/api/orders", &order).await;
    assert!(
        status.is_success() && placed["state"] == "filled",
        "{placed}"
    );
    let id = placed["id"].as_u64().unwrap();
    // The same ticket again is the same order, and says nothing new.
    let (_, again) = p.post("/api/orders", &order).await;
    assert_eq!(again["id"], placed["id"]);
    let page = p.get(&format!("/api/campaigns/{id}")).await;
    assert_eq!(page["chapters"][0]["note"], "It has run too far");
    assert_eq!(page["tags"], json!(["fade", "income"]));
    let mut close = ticket("b", &turned(&legs), 1, "9.00");
    close["closes"] = json!(id);
    close["why"] = json!("Taken");
    close["tags"] = json!(["quick"]);
    let (status, closed) = p.post("/api/orders", &close).await;
    assert!(
        status.is_success() && closed["state"] == "filled",
        "{closed}"
    );
    let page = p.get(&format!("/api/campaigns/{id}")).await;
    assert_eq!(page["chapters"][1]["note"], "Taken");
    assert_eq!(page["tags"], json!(["fade", "income", "quick"]));
    let over = p.get("/api/rounds").await["over"].clone();
    assert_eq!(
        (over.as_array().unwrap().len(), &over[0]["campaign"]),
        (1, &json!(id))
    );
    let afterword = format!("/api/campaigns/{id}/afterword");
    let (status, _) = p
        .raw("PUT", &afterword, r#"{"words":"Too small to matter"}"#)
        .await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    drop(p);
    let p = place.program();
    assert_eq!(p.get("/api/rounds").await["over"], json!([]));
    let l = p.get("/api/lessons").await;
    assert_eq!(l["campaigns"][0]["after"], "Too small to matter");
    assert_eq!(
        (&l["few"], &l["campaigns"][0]["tags"]),
        (&json!(true), &json!(["fade", "income", "quick"]))
    );
    let (status, _) = p.raw("PUT", "/api/campaigns/999/afterword", "{}").await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
}
