//! A chain read as packages says what the one evaluation says of each of them.

use crate::common::*;
use axum::http::StatusCode;
use serde_json::{Value, json};

const TEMPLATES: [(&str, &str); 13] = [
    ("bullPutVertical", "bull put vertical"),
    ("bearCallVertical", "bear call vertical"),
    ("bullCallVertical", "bull call vertical"),
    ("bearPutVertical", "bear put vertical"),
    ("ironCondor", "iron condor"),
    ("straddle", "long straddle"),
    ("strangle", "long strangle"),
    ("callButterfly", "long call butterfly"),
    ("putButterfly", "long put butterfly"),
    ("callCalendar", "long call calendar"),
    ("putCalendar", "long put calendar"),
    ("callRatio", "call ratio spread 1×2"),
    ("putRatio", "put ratio spread 1×2"),
];

#[tokio::test]
async fn every_package_is_what_its_evaluation_says() {
    let place = Place::new();
    let p = place.program();
    let (key, rows) = p.monthly().await;
    let spot = p.get("/api/chain/NMOU").await["head"]["level"]
        .as_f64()
        .unwrap();
    for (template, name) in TEMPLATES {
        let view = p
            .get(&format!(
                "/api/packages/NMOU?expiration={key}&template={template}"
            ))
            .await;
        let lines = view["lines"].as_array().unwrap();
        assert!(
            lines.len() > 20 && lines.len() <= rows.len(),
            "{template}: {}",
            lines.len()
        );
        assert!(
            lines
                .windows(2)
                .all(|w| w[0]["at"].as_f64() > w[1]["at"].as_f64()),
            "{template}: strikes from high to low"
        );
        for line in lines
            .iter()
            .filter(|l| (l["at"].as_f64().unwrap() / spot - 1.0).abs() < 0.06)
            .step_by(3)
        {
            let e = p.evaluate(&line["legs"], None).await;
            assert_eq!(e["name"], name, "{line}");
            assert_eq!(
                (&line["middle"], &line["side"]),
                (&e["middle"]["amount"], &e["middle"]["side"]),
                "{line}"
            );
            assert_eq!(
                (&line["rest"], &line["cross"]),
                (&e["rest"]["amount"], &e["cross"]["amount"]),
                "{line}"
            );
            if e["estimate"] == true {
                assert_eq!(
                    (&line["most"], &line["chance"]),
                    (&Value::Null, &Value::Null),
                    "a later leg decides: {line}"
                );
                continue;
            }
            assert_eq!(
                (&line["most"], &line["least"]),
                (&e["most"]["profit"], &e["least"]["profit"]),
                "{line}"
            );
            let evens: Vec<&Value> = e["evens"]
                .as_array()
                .unwrap()
                .iter()
                .map(|x| &x["from"])
                .collect();
            assert_eq!(
                line["evens"].as_array().unwrap().iter().collect::<Vec<_>>(),
                evens,
                "{line}"
            );
            let chance = |v: &Value| v.as_f64().unwrap();
            assert!(
                (chance(&line["chance"]) - chance(&e["chanceOfProfit"])).abs() < 2e-3,
                "{line} {}",
                e["chanceOfProfit"]
            );
        }
    }
    let wide = p
        .get(&format!(
            "/api/packages/NMOU?expiration={key}&template=bullPutVertical&width=12.5"
        ))
        .await;
    let first = &wide["lines"][3];
    let legs = first["legs"].as_array().unwrap();
    let strike = |l: &Value| {
        l["contract"].as_str().unwrap()[13..]
            .parse::<f64>()
            .unwrap()
            / 1000.0
    };
    assert_eq!(strike(&legs[1]) - strike(&legs[0]), 12.5, "{first}");
    for (query, code, words) in [
        (
            format!("expiration={key}&template=straddle&width=x"),
            "bad_field",
            "width",
        ),
        (
            format!("expiration={key}&template=ironCondor&width=-5"),
            "bad_field",
            "a price above zero",
        ),
        (
            "expiration=NMOU:2031-04-19&template=straddle".to_owned(),
            "bad_field",
            "is not listed on NMOU",
        ),
    ] {
        let (status, refused) = p
            .raw(
                "GET",
                &format!("/api/packages/NMOU?{query}"),
                &json!({}).to_string(),
            )
            .await;
        assert_eq!(
            (status, refused["code"].as_str()),
            (StatusCode::UNPROCESSABLE_ENTITY, Some(code)),
            "{query}"
        );
        assert!(
            refused["message"].as_str().unwrap().contains(words),
            "{refused}"
        );
    }
}
