//! Cash dividends: a fine grid of another kind, an independent library, printed values and laws.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use quant::{Accuracy, Dividend, DividendModel, Kind, Model, Style, Terms};

#[path = "oracle/fine_grid.rs"]
mod fine_grid;

fn terms(kind: Kind, style: Style, strike: f64, days: f64, rate: f64, vol: f64) -> Terms {
    Terms {
        kind,
        style,
        strike,
        time: days / 365.0,
        rate,
        carry_yield: 0.0,
        vol,
    }
}

fn paid(text: &str) -> Vec<Dividend> {
    let one = |part: &str| {
        let (day, amount) = part.split_once(':').unwrap();
        Dividend {
            time: day.parse::<f64>().unwrap() / 365.0,
            amount: amount.parse().unwrap(),
        }
    };
    text.split(';').filter(|p| !p.is_empty()).map(one).collect()
}

fn price(t: &Terms, spot: f64, dividends: &[Dividend], accuracy: Accuracy) -> f64 {
    DividendModel::new(t, dividends, accuracy)
        .unwrap()
        .price(spot)
        .unwrap()
}

/// Values (spot model) on which an independent library and another grid agree; not published.
#[test]
fn check_values() {
    use Kind::{Call, Put};
    let table = [
        (Call, 100.0, 100.0, 90.0, 0.04, 0.25, "30:1", 4.9117, 4.9092),
        (Put, 100.0, 100.0, 90.0, 0.04, 0.25, "30:1", 5.0137, 4.9245),
        (
            Call,
            100.0,
            95.0,
            180.0,
            0.05,
            0.30,
            "20:0.9;111:0.9",
            11.1241,
            f64::NAN,
        ),
        (
            Put,
            100.0,
            105.0,
            365.0,
            0.04,
            0.35,
            "45:0.6;136:0.6;227:0.6;318:0.6",
            15.9192,
            15.6291,
        ),
        (
            Call, 105.0, 90.0, 60.0, 0.05, 0.20, "10:2", 15.1234, 13.8625,
        ),
        (
            Put,
            80.0,
            100.0,
            30.0,
            0.05,
            0.20,
            "15:0.5",
            20.2937,
            f64::NAN,
        ),
    ];
    for (kind, spot, strike, days, rate, vol, text, american, european) in table {
        for (style, want) in [(Style::American, american), (Style::European, european)] {
            let got = price(
                &terms(kind, style, strike, days, rate, vol),
                spot,
                &paid(text),
                Accuracy::Reference,
            );
            assert!(
                want.is_nan() || (got - want).abs() < 5e-4,
                "{kind:?} {style:?} {strike} {text}: {got} {want}"
            );
        }
    }
}

#[test]
fn both_settings_meet_the_fine_grid_and_the_library() {
    let text = include_str!("reference/dividends.csv");
    let rows: Vec<Vec<&str>> = text
        .lines()
        .skip(1)
        .map(|l| l.trim_end().split(',').collect())
        .collect();
    assert_eq!(rows.len(), 60);
    let mut worst = [0.0_f64; 2];
    for (i, r) in rows.iter().enumerate() {
        let number = |i: usize| r[i].parse::<f64>().unwrap();
        let kind = if r[0] == "call" {
            Kind::Call
        } else {
            Kind::Put
        };
        let style = if r[1] == "american" {
            Style::American
        } else {
            Style::European
        };
        let t = terms(kind, style, number(3), number(4), number(5), number(6));
        let dividends = paid(r[7]);
        let exact = price(&t, number(2), &dividends, Accuracy::Reference);
        // The library's own error is about the difference of its two resolutions.
        assert!(
            (exact - number(8)).abs() < 4.0 * number(9) + 2e-4,
            "{r:?}: {exact}"
        );
        worst[1] =
            worst[1].max((exact - price(&t, number(2), &dividends, Accuracy::Interactive)).abs());
        if i % 6 == 0 {
            let fine = fine_grid::price(&t, number(2), &dividends, 6_000, 2_000);
            worst[0] = worst[0].max((exact - fine).abs());
        }
    }
    println!(
        "reference to the fine grid {:.1e}, interactive to reference {:.1e}, spot 100",
        worst[0], worst[1]
    );
    assert!(worst[0] < 1e-3 && worst[1] < 2e-3, "{worst:?}");
}

fn any_case() -> impl Strategy<Value = (Terms, f64, Vec<Dividend>)> {
    let kind = prop_oneof![Just(Kind::Call), Just(Kind::Put)];
    let dividends = prop::collection::vec((0.0..1.2_f64, 0.0..3.0_f64), 0..5);
    (
        kind,
        0.02..1.5_f64,
        0.0..0.08_f64,
        0.0..0.05_f64,
        0.08..0.7_f64,
        70.0..140.0_f64,
        dividends,
    )
        .prop_map(|(kind, time, rate, carry_yield, vol, spot, d)| {
            let t = Terms {
                kind,
                style: Style::American,
                strike: 100.0,
                time,
                rate,
                carry_yield,
                vol,
            };
            (
                t,
                spot,
                d.into_iter()
                    .map(|(time, amount)| Dividend { time, amount })
                    .collect(),
            )
        })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn laws((t, spot, d) in any_case()) {
        let p = price(&t, spot, &d, Accuracy::Interactive);
        let european = Terms {
            style: Style::European,
            ..t
        };
        let e = price(&european, spot, &d, Accuracy::Interactive);
        prop_assert!(
            p >= e - 2e-3 && p >= t.kind.intrinsic(spot, 100.0),
            "{p} {e}"
        );
        // Parity of the European pair with the dividends' present value.
        let other = Terms {
            kind: if t.kind == Kind::Call {
                Kind::Put
            } else {
                Kind::Call
            },
            ..european
        };
        let pair = t.kind.sign() * (e - price(&other, spot, &d, Accuracy::Interactive));
        let paid: f64 = d
            .iter()
            .filter(|d| d.time < t.time)
            .map(|d| d.amount * (-t.rate * d.time - t.carry_yield * (t.time - d.time)).exp())
            .sum();
        let forward =
            spot * (-t.carry_yield * t.time).exp() - paid - 100.0 * (-t.rate * t.time).exp();
        prop_assert!((pair - forward).abs() < 5e-3, "{pair} {forward}");
        // Longer is worth no less; a dividend after expiry changes nothing; none at all is the
        // engine without dividends.
        let longer = Terms {
            time: t.time * 1.1,
            ..t
        };
        prop_assert!(price(&longer, spot, &d, Accuracy::Interactive) >= p - 4e-3);
        let mut later = d.clone();
        later.push(Dividend {
            time: t.time,
            amount: 2.0,
        });
        prop_assert_eq!(price(&t, spot, &later, Accuracy::Interactive), p);
        let plain = Model::new(&t, Accuracy::Interactive).unwrap().price(spot);
        prop_assert!((price(&t, spot, &[], Accuracy::Interactive) - plain).abs() < 2e-3);
    }

    #[test]
    fn greeks_are_derivatives((t, spot, d) in any_case()) {
        let at = |t: &Terms, s: f64| price(t, s, &d, Accuracy::Reference);
        let v = DividendModel::new(&t, &d, Accuracy::Reference)
            .unwrap()
            .value(spot)
            .unwrap();
        let h = spot * 2e-3;
        let slope = (at(&t, spot + h) - at(&t, spot - h)) / (2.0 * h);
        prop_assert!((v.delta - slope).abs() < 4e-3, "delta {} {slope}", v.delta);
        // Where less volatility means exercise at once there is a kink between.
        let b = 5e-3;
        let [less, more] = [t.vol - b, t.vol + b].map(|vol| at(&Terms { vol, ..t }, spot));
        let held = t.style == Style::European || less > t.kind.intrinsic(spot, t.strike);
        if v.gamma != 0.0 && held {
            let vega = (more - less) / (2.0 * b) / 100.0;
            prop_assert!(
                (v.vega_point - vega).abs() < 2e-3 + 0.02 * vega.abs(),
                "vega {} {vega}",
                v.vega_point
            );
        }
        for x in [
            v.price,
            v.delta,
            v.gamma,
            v.theta_day,
            v.vega_point,
            v.rho_point,
        ] {
            prop_assert!(x.is_finite());
        }
    }
}

/// Next to a dividend the gamma of the quick setting is that of the slow one to a thousandth of the
/// larger of gamma and one over the price.
#[test]
fn gamma_next_to_a_dividend() {
    for kind in [Kind::Put, Kind::Call] {
        for time in [0.0005, 0.002, 0.01, 0.05] {
            for amount in [0.5, 2.0] {
                for spot in [80.0, 95.0, 100.0, 105.0, 110.0, 120.0] {
                    let t = Terms {
                        time: 0.25,
                        ..terms(kind, Style::American, 100.0, 90.0, 0.04, 0.25)
                    };
                    let gamma = |accuracy| {
                        let paid = [Dividend { time, amount }];
                        let model = DividendModel::new(&t, &paid, accuracy).unwrap();
                        model.value(spot).unwrap().gamma
                    };
                    let (quick, slow) = (gamma(Accuracy::Interactive), gamma(Accuracy::Reference));
                    let scale = slow.max(1.0 / spot);
                    assert!(
                        (quick - slow).abs() < 1e-3 * scale,
                        "{kind:?} {time} {amount} {spot}: {quick} {slow}"
                    );
                }
            }
        }
    }
}

/// With interest below zero a call on shares that pay cash is exercised early as without it; held
/// against another grid. A put is never.
#[test]
fn negative_interest_with_cash_dividends() {
    let dividends = paid("30:1");
    for spot in [90.0, 100.0, 115.0] {
        let call = terms(Kind::Call, Style::American, 100.0, 180.0, -0.03, 0.25);
        let value = price(&call, spot, &dividends, Accuracy::Reference);
        let grid = fine_grid::price(&call, spot, &dividends, 800, 400);
        assert!((value - grid).abs() < 2e-3, "{spot}: {value} {grid}");
        let put = Terms {
            kind: Kind::Put,
            ..call
        };
        let european = Terms {
            style: Style::European,
            ..put
        };
        let early = price(&put, spot, &dividends, Accuracy::Reference)
            - price(&european, spot, &dividends, Accuracy::Reference);
        assert!(early.abs() < 1e-4, "{spot}: {early}");
    }
}
