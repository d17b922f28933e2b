//! The chosen columns of a chain agree with each other and with the contracts they describe.

use crate::common::*;
use axum::http::StatusCode;
use serde_json::Value;

fn number(text: &Value) -> Option<f64> {
    let text = text.as_str().unwrap();
    (!text.is_empty()).then(|| {
        text.replace('−', "-")
            .replace(',', "")
            .parse()
            .unwrap_or_else(|e| panic!("{text}: {e}"))
    })
}

#[tokio::test]
async fn columns_agree_with_each_other() {
    let place = Place::new();
    let p = place.program();
    let (key, _) = p.monthly().await;
    let names = "middle,intrinsic,timeValue,delta,gamma,theta,vega,rho,chanceIn,chanceTouch,\
                 width,implied,openInterest,volume,bidSize,askSize,theoretical,last,timeValueDay,change";
    let chain = p
        .get(&format!("/api/chain/NMOU?expiration={key}&columns={names}"))
        .await;
    let spot = chain["head"]["level"].as_f64().unwrap();
    let moved = number(&chain["head"]["change"]).unwrap();
    let mut full = 0;
    for row in chain["blocks"][0]["rows"].as_array().unwrap() {
        let strike = row["at"].as_f64().unwrap();
        let read = |side: &str| -> Vec<Option<f64>> {
            row[side]["values"]
                .as_array()
                .unwrap()
                .iter()
                .map(number)
                .collect()
        };
        let (call, put) = (read("call"), read("put"));
        assert_eq!((call.len(), put.len()), (20, 20));
        // A call less a put of one strike moves as the shares do (put-call parity), near the money.
        if (strike / spot - 1.0).abs() < 0.05 {
            assert!(
                (call[19].unwrap() - put[19].unwrap() - moved).abs() < 0.25,
                "{row}"
            );
        }
        for (side, cells) in [(1.0, &call), (-1.0, &put)] {
            let (middle, intrinsic, time) =
                (cells[0].unwrap(), cells[1].unwrap(), cells[2].unwrap());
            assert!(
                (intrinsic - (side * (spot - strike)).max(0.0)).abs() < 1e-9,
                "{row}"
            );
            assert!((middle - intrinsic - time).abs() < 1e-9, "{row}");
            assert!(
                (cells[18].unwrap() - time / 38.0).abs() < 6e-4,
                "time value a day: {row}"
            );
            assert!(
                (cells[16].unwrap() - middle).abs() < 0.05 * middle + 0.05,
                "theoretical: {row}"
            );
            let Some(implied) = cells[11] else { continue };
            let [delta, gamma, theta, vega, within, touched] =
                [3, 4, 5, 6, 8, 9].map(|i| cells[i].unwrap());
            assert!(
                delta * side >= 0.0 && gamma >= 0.0 && theta <= 0.0 && vega >= 0.0,
                "{row}"
            );
            // A strike is touched at least as often as it is ended beyond, about twice as often
            // where it lies out of the money.
            assert!(touched + 1.0 >= within || intrinsic > 0.0, "{row}");
            assert!(
                (within / 100.0 - delta.abs()).abs() < 0.12 && implied > 5.0,
                "{row}"
            );
            full += 1;
        }
    }
    assert!(full > 40, "{full}");
    let (status, refused) = p
        .raw(
            "GET",
            &format!("/api/chain/NMOU?expiration={key}&columns=delta,colour"),
            "",
        )
        .await;
    assert_eq!(
        (status, refused["code"].as_str()),
        (StatusCode::UNPROCESSABLE_ENTITY, Some("bad_field")),
        "{refused}"
    );
}
