//! The engines against values of an independent general-purpose library (`reference/make.py` wrote
//! them), in full digits.
#![allow(clippy::unwrap_used)]

use quant::{Accuracy, Kind, Model, Style, Terms, touch};

/// The rows of a file as text cells.
fn rows(text: &str) -> Vec<Vec<&str>> {
    let rows: Vec<Vec<&str>> = text
        .lines()
        .skip(1)
        .map(|l| l.trim_end().split(',').collect())
        .collect();
    assert!(!rows.is_empty());
    rows
}

fn number(text: &str) -> f64 {
    text.parse().unwrap()
}

fn kind(text: &str) -> Kind {
    if text == "call" {
        Kind::Call
    } else {
        Kind::Put
    }
}

#[test]
fn american_prices_meet_the_stated_accuracy() {
    let rows = rows(include_str!("reference/american.csv"));
    assert_eq!(rows.len(), 400);
    // The library's own rows are good to about 2e-11 of the strike.
    for (accuracy, allowed) in [(Accuracy::Interactive, 1e-6), (Accuracy::Reference, 1e-10)] {
        let mut errors: Vec<f64> = Vec::new();
        for r in &rows {
            let [spot, strike, days, rate, carry_yield, vol, want] =
                [1, 2, 3, 4, 5, 6, 7].map(|i| number(r[i]));
            let terms = Terms {
                kind: kind(r[0]),
                style: Style::American,
                strike,
                time: days / 365.0,
                rate,
                carry_yield,
                vol,
            };
            let got = Model::new(&terms, accuracy).unwrap().price(spot);
            let error = (got - want).abs() / strike;
            assert!(
                error <= allowed,
                "{accuracy:?} {r:?}: {got}, off by {error:.1e} of the strike"
            );
            errors.push(error);
        }
        errors.sort_by(f64::total_cmp);
        println!(
            "{accuracy:?}: 95 % within {:.1e}, worst {:.1e} of the strike",
            errors[errors.len() * 95 / 100],
            errors[errors.len() - 1]
        );
    }
}

#[test]
fn touch_chances_agree() {
    for r in rows(include_str!("reference/touch.csv")) {
        let [
            spot,
            low,
            high,
            days,
            vol,
            rate,
            carry_yield,
            p_low,
            p_high,
            neither,
        ] = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9].map(|i| number(r[i]));
        let got = touch(spot, low, high, rate - carry_yield, vol, days / 365.0).unwrap();
        // The library's series for two barriers is good to about 1e-8.
        for (what, got, want, allowed) in [
            ("low", got.low, p_low, 1e-12),
            ("high", got.high, p_high, 1e-12),
            ("neither", got.neither, neither, 2e-8),
        ] {
            assert!((got - want).abs() < allowed, "{what} {r:?}: {got} {want}");
        }
        assert!(
            (got.low + got.high - got.either - got.both).abs() < 1e-15
                && (got.either + got.neither - 1.0).abs() < 1e-15
        );
    }
}
