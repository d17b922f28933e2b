//! American prices against published tables and an independent library.
//!
//! BD = Broadie & Detemple, *Review of Financial Studies* 9 (1996) table 1; CR = Cox & Rubinstein /
//! Geske & Johnson put table; ALO = Andersen, Lake & Offengenden (2016). The printed numbers are
//! from memory and were kept because an independent library reproduces each.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use quant::{Accuracy, Error, ImpliedError, Kind, Model, Style, Terms, implied_vol};

#[path = "oracle/lattice.rs"]
mod lattice;
use lattice::leisen_reimer;

fn american(kind: Kind, strike: f64, time: f64, rate: f64, carry_yield: f64, vol: f64) -> Terms {
    Terms {
        kind,
        style: Style::American,
        strike,
        time,
        rate,
        carry_yield,
        vol,
    }
}

fn price(t: &Terms, spot: f64, accuracy: Accuracy) -> f64 {
    Model::new(t, accuracy).unwrap().price(spot)
}

/// Every row as (source, terms, spot, value, half a unit of the last digit).
fn published() -> Vec<(&'static str, Terms, f64, f64, f64)> {
    let mut rows = Vec::new();
    let spots = [80.0, 90.0, 100.0, 110.0, 120.0];
    let calls = [
        (
            "BD r.03 q.07 s.2",
            0.5,
            0.03,
            0.07,
            0.20,
            [0.2194, 1.3864, 4.7825, 11.0978, 20.0004],
            3e-4,
        ),
        (
            "BD r.03 q.07 s.4",
            0.5,
            0.03,
            0.07,
            0.40,
            [2.6889, 5.7223, 10.2385, 16.1812, 23.3598],
            3e-4,
        ),
        (
            "BD r0 q.07 s.3",
            0.5,
            0.0,
            0.07,
            0.30,
            [1.0373, 3.1233, 7.0354, 12.9552, 20.7173],
            3e-4,
        ),
        (
            "BD r.07 q.03 s.3",
            0.5,
            0.07,
            0.03,
            0.30,
            [1.6644, 4.4947, 9.2506, 15.7977, 23.7062],
            3e-4,
        ),
        (
            "BD 3y r.03 q.07 s.2",
            3.0,
            0.03,
            0.07,
            0.20,
            [2.580, 5.167, 9.066, 14.443, 21.414],
            1.1e-3,
        ),
        (
            "BD 3y r.03 q.07 s.4",
            3.0,
            0.03,
            0.07,
            0.40,
            [11.326, 15.722, 20.793, 26.495, 32.781],
            1.1e-3,
        ),
    ];
    for (source, t, r, q, vol, values, tolerance) in calls {
        for (s, v) in spots.iter().zip(values) {
            rows.push((
                source,
                american(Kind::Call, 100.0, t, r, q, vol),
                *s,
                v,
                tolerance,
            ));
        }
    }
    let times = [0.0833, 0.3333, 0.5833];
    let puts = [
        (
            0.2,
            [
                [0.0062, 0.2004, 0.4328],
                [0.8522, 1.5798, 1.9904],
                [5.0, 5.0883, 5.2670],
            ],
        ),
        (
            0.3,
            [
                [0.0774, 0.6975, 1.2198],
                [1.3099, 2.4825, 3.1696],
                [5.0597, 5.7056, 6.2436],
            ],
        ),
        (
            0.4,
            [
                [0.2466, 1.3460, 2.1549],
                [1.7681, 3.3874, 4.3526],
                [5.2868, 6.5099, 7.3830],
            ],
        ),
    ];
    for (vol, by_strike) in puts {
        for (k, row) in [35.0, 40.0, 45.0].iter().zip(by_strike) {
            for (t, v) in times.iter().zip(row) {
                rows.push((
                    "CR puts r.0488",
                    american(Kind::Put, *k, *t, 0.0488, 0.0, vol),
                    40.0,
                    v,
                    2e-4,
                ));
            }
        }
    }
    // Own reference values: an independent library and a second implementation agree to 1e-6.
    let d = 365.0;
    for (s, k, t, r, q, vol, v) in [
        (100.0, 100.0, 30.0 / d, 0.05, 0.0, 0.2, 2.1134286),
        (90.0, 100.0, 0.25, 0.05, 0.0, 0.3, 11.3640199),
        (100.0, 100.0, 0.5, 0.05, 0.02, 0.3, 7.7297011),
        (110.0, 100.0, 1.0, 0.04, 0.01, 0.25, 5.1820817),
        (95.0, 100.0, 7.0 / d, 0.045, 0.0, 0.6, 6.2739433),
        (100.0, 100.0, 2.0, 0.03, 0.06, 0.35, 20.7854710),
    ] {
        rows.push((
            "independent put",
            american(Kind::Put, k, t, r, q, vol),
            s,
            v,
            2e-5,
        ));
    }
    for (s, k, t, r, q, vol, v) in [
        (100.0, 100.0, 0.5, 0.03, 0.07, 0.2, 4.7826058),
        (120.0, 100.0, 1.0, 0.02, 0.08, 0.3, 22.1453245),
        (100.0, 90.0, 0.25, 0.0, 0.05, 0.4, 12.9112951),
    ] {
        rows.push((
            "independent call",
            american(Kind::Call, k, t, r, q, vol),
            s,
            v,
            2e-5,
        ));
    }
    rows
}

#[test]
fn every_engine_setting_meets_the_tables() {
    let rows = published();
    assert_eq!(rows.len(), 66);
    for (accuracy, slack) in [(Accuracy::Reference, 0.0), (Accuracy::Interactive, 1e-4)] {
        let mut worst = 0.0_f64;
        for (source, t, s, want, tolerance) in &rows {
            let got = price(t, *s, accuracy);
            worst = worst.max((got - want).abs());
            assert!(
                (got - want).abs() <= tolerance + slack,
                "{accuracy:?} {source} {t:?} at {s}: {got} {want}"
            );
        }
        println!("{accuracy:?}: worst difference to a printed value {worst:.1e}");
    }
}

#[test]
fn known_limits() {
    let t = american(Kind::Put, 100.0, 1.0, 0.05, 0.05, 0.25);
    let premium = price(&t, 100.0, Accuracy::Reference)
        - price(
            &Terms {
                style: Style::European,
                ..t
            },
            100.0,
            Accuracy::Reference,
        );
    assert!(
        (premium - 0.106952702747).abs() < 1e-10,
        "ALO table: {premium}"
    );
    // Merton's perpetual put: V = (K−B)(S/B)^l; a century is nearly for ever.
    let century = american(Kind::Put, 100.0, 100.0, 0.05, 0.02, 0.30);
    assert!((price(&century, 100.0, Accuracy::Reference) - 26.850124).abs() < 5e-3);
    // Negative rates: European where early exercise never pays, refused by name where it pays
    // inside a band.
    let never = american(Kind::Put, 100.0, 1.0, -0.02, -0.01, 0.2);
    assert_eq!(
        price(&never, 95.0, Accuracy::Reference),
        price(
            &Terms {
                style: Style::European,
                ..never
            },
            95.0,
            Accuracy::Reference
        )
    );
    for (kind, r, q) in [(Kind::Put, -0.01, -0.03), (Kind::Call, -0.03, -0.01)] {
        let refused =
            Model::new(&american(kind, 100.0, 1.0, r, q, 0.2), Accuracy::Reference).unwrap_err();
        assert!(matches!(refused, Error::TwoBoundaries { .. }), "{refused}");
    }
    // A positive rate with a negative yield has one boundary: fine CRR lattice, n = 4000.
    assert!(
        (price(
            &american(Kind::Put, 100.0, 1.0, 0.02, -0.02, 0.2),
            100.0,
            Accuracy::Reference
        ) - 6.480)
            .abs()
            < 2e-3
    );
    // Boundary: delta is −1 at and under it, and the Greeks vanish.
    let deep = Model::new(
        &american(Kind::Put, 100.0, 0.25, 0.05, 0.0, 0.3),
        Accuracy::Interactive,
    )
    .unwrap()
    .value(60.0)
    .unwrap();
    assert_eq!(
        (deep.price, deep.delta, deep.gamma, deep.vega_point),
        (40.0, -1.0, 0.0, 0.0)
    );
}

fn any_put() -> impl Strategy<Value = (Terms, f64)> {
    (
        0.02..2.0_f64,
        0.005..0.10_f64,
        0.0..0.10_f64,
        0.10..0.8_f64,
        0.7..1.4_f64,
    )
        .prop_map(|(t, r, q, vol, x)| (american(Kind::Put, 100.0, t, r, q, vol), 100.0 * x))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    #[test]
    fn agrees_with_the_lattice_and_keeps_its_bounds((t, s) in any_put()) {
        let model = Model::new(&t, Accuracy::Interactive).unwrap();
        let v = model.price(s);
        let european = price(
            &Terms {
                style: Style::European,
                ..t
            },
            s,
            Accuracy::Interactive,
        );
        prop_assert!(v >= european - 1e-9 && v >= 100.0 - s - 1e-9 && v <= 100.0);
        // The lattice's error falls as 1/n: extrapolated, it is good to a few thousandths here.
        let lattice = 2.0 * leisen_reimer(&t, s, 801) - leisen_reimer(&t, s, 401);
        prop_assert!((v - lattice).abs() < 6e-3, "{v} {lattice}");
    }

    #[test]
    fn the_two_settings_agree_to_two_millionths_of_the_strike(
        t in 0.003..3.0_f64,
        r in 0.0005..0.12_f64,
        q in prop_oneof![Just(0.0), 0.0..0.12_f64],
        vol in 0.05..1.0_f64,
        x in 0.4..2.5_f64,
    ) {
        let terms = american(Kind::Put, 100.0, t, r, q, vol);
        let (quick, exact) = (
            price(&terms, 100.0 * x, Accuracy::Interactive),
            price(&terms, 100.0 * x, Accuracy::Reference),
        );
        prop_assert!(
            (quick - exact).abs() < 2e-4,
            "{quick} {exact}: {:.1e} of the strike",
            (quick - exact).abs() / 100.0
        );
    }

    #[test]
    fn put_call_symmetry_scaling_and_smooth_greeks((t, s) in any_put()) {
        let put = Model::new(&t, Accuracy::Interactive).unwrap();
        let mirrored = Terms {
            kind: Kind::Call,
            strike: s,
            rate: t.carry_yield,
            carry_yield: t.rate,
            ..t
        };
        prop_assert!((put.price(s) - price(&mirrored, 100.0, Accuracy::Interactive)).abs() < 1e-9);
        let triple = price(
            &Terms { strike: 300.0, ..t },
            3.0 * s,
            Accuracy::Interactive,
        );
        prop_assert!((triple - 3.0 * put.price(s)).abs() < 1e-8);
        let v = put.value(s).unwrap();
        let h = 0.02;
        let slope = (put.price(s + h) - put.price(s - h)) / (2.0 * h);
        prop_assert!((v.delta - slope).abs() < 5e-3, "delta {} {slope}", v.delta);
        prop_assert!((-1.0..=1e-12).contains(&v.delta));
        prop_assert!(v.vega_point >= -1e-6 && v.gamma >= -1e-6);
    }

    #[test]
    fn implied_volatility_comes_back((t, s) in any_put()) {
        let v = price(&t, s, Accuracy::Interactive);
        prop_assume!(v > 100.0 - s + 0.02 && v > 0.02);
        let back = match implied_vol(&t, s, v) {
            Ok(back) => back,
            // Only what is worth hardly more than without volatility may tell none.
            Err(e) => {
                let still = price(&Terms { vol: 0.0, ..t }, s, Accuracy::Interactive);
                let none = matches!(
                    e,
                    ImpliedError::Indeterminate { .. } | ImpliedError::OutOfBounds { .. }
                );
                prop_assert!(none && v < still + 1e-6, "{e} {v} {still}");
                return Ok(());
            }
        };
        let again = price(&Terms { vol: back, ..t }, s, Accuracy::Interactive);
        prop_assert!((again - v).abs() < 1e-7, "{again} {v}");
    }
}

/// Without volatility an option is exercised at the best moment of the one path there is: worked by
/// hand from the path S e^{(r−q)t}.
#[test]
fn without_volatility_the_best_moment_counts() {
    let still = |kind, spot: f64, strike, r, q| {
        let t = american(kind, strike, 1.0, r, q, 0.0);
        let v = Model::new(&t, Accuracy::Interactive).unwrap().value(spot);
        (price(&t, spot, Accuracy::Interactive), v.unwrap())
    };
    let (call, greeks) = still(Kind::Call, 90.0, 80.0, 0.05, 0.02);
    let (held, paid) = (90.0 * (-0.02_f64).exp(), 80.0 * (-0.05_f64).exp());
    assert!(
        (call - (held - paid)).abs() < 1e-12 && (call - 12.12).abs() < 5e-3,
        "{call}"
    );
    assert!((greeks.delta - held / 90.0).abs() < 1e-12);
    assert!((greeks.theta_day * 365.0 - (0.02 * held - 0.05 * paid)).abs() < 1e-12);
    assert!((greeks.rho_point * 100.0 - paid).abs() < 1e-12);
    // In between: the yield outweighs the interest only later, once 0.06·S e^{−0.06 t} has fallen.
    let turn = (0.06 * 90.0 / (0.05 * 100.0_f64)).ln() / 0.01;
    assert!(
        turn > 1.0,
        "a put that waits gains interest on the strike last"
    );
    assert_eq!(still(Kind::Put, 90.0, 100.0, 0.05, 0.0).0, 10.0);
    for s in [60.0, 79.0, 80.0, 81.0, 120.0] {
        for (r, q) in [(0.05, 0.02), (0.02, 0.05), (0.0, -0.03), (-0.01, 0.0)] {
            for kind in [Kind::Call, Kind::Put] {
                let t = american(kind, 80.0, 1.0, r, q, 0.0);
                let least = (0..=1000).map(|i| {
                    let at = f64::from(i) / 1000.0;
                    kind.sign() * (s * (-q * at).exp() - 80.0 * (-r * at).exp())
                });
                let least = least.fold(0.0, f64::max);
                let got = price(&t, s, Accuracy::Interactive);
                assert!(
                    got >= least - 1e-12 && got <= least + 1e-4,
                    "{kind:?} {s} {r} {q}: {got} {least}"
                );
            }
        }
    }
}

/// With interest below zero and no yield a call has one ordinary boundary, and so has its mirror, a
/// put without interest on what costs to hold: held against a lattice, and against each other.
#[test]
fn negative_interest_without_a_yield_has_one_boundary() {
    for (r, vol, time) in [(-0.01, 0.2, 0.5), (-0.03, 0.2, 1.0), (-0.05, 0.4, 2.0)] {
        for spot in [80.0, 95.0, 100.0, 110.0, 140.0] {
            let call = american(Kind::Call, 100.0, time, r, 0.0, vol);
            let value = price(&call, spot, Accuracy::Reference);
            let lattice = lattice::leisen_reimer(&call, spot, 2001);
            assert!(
                (value - lattice).abs() < 4e-3,
                "{r} {spot}: {value} {lattice}"
            );
            let put = american(Kind::Put, spot, time, 0.0, r, vol);
            let mirror = price(&put, 100.0, Accuracy::Reference);
            assert!(
                (mirror - value).abs() < 1e-9,
                "{r} {spot}: {mirror} {value}"
            );
            let interactive = Model::new(&call, Accuracy::Interactive).unwrap();
            assert!((interactive.price(spot) - value).abs() < 1e-5 * spot);
            // Rho against a wider difference of prices, the other Greeks against differences too.
            for t in [call, put] {
                let s = if t.kind == Kind::Call { spot } else { 100.0 };
                let v = Model::new(&t, Accuracy::Reference)
                    .unwrap()
                    .value(s)
                    .unwrap();
                let at = |rate: f64| price(&Terms { rate, ..t }, s, Accuracy::Reference);
                // One-sided, of the third order: the put has no price below zero.
                let h = 1e-3;
                let rho = (-11.0 * at(t.rate) + 18.0 * at(t.rate + h) - 9.0 * at(t.rate + 2.0 * h)
                    + 2.0 * at(t.rate + 3.0 * h))
                    / (6.0 * h);
                if v.gamma != 0.0 {
                    assert!(
                        (v.rho_point * 100.0 - rho).abs() < 2e-3 * t.strike,
                        "{t:?} {s} {rho} {v:?}"
                    );
                }
            }
        }
    }
}

/// Far from the money the volatility is right to 1e-7 or refused, never a number of rounding.
#[test]
fn far_from_the_money_the_volatility_is_right_or_refused() {
    let (mut right, mut refused) = (0, 0);
    for kind in [Kind::Put, Kind::Call] {
        for i in 1..60 {
            let spot = 100.0 * (-f64::from(i) * 0.06 * kind.sign()).exp();
            for vol in [0.1, 0.2, 0.5] {
                let t = american(kind, 100.0, 0.25, 0.05, 0.03, vol);
                let contract = quant::Vanilla {
                    terms: t,
                    spot,
                    on: quant::PricedOn::Spot,
                };
                let value = price(&t, spot, Accuracy::Reference);
                match quant::implied_vol_all(&[(contract, value)], Accuracy::Reference)[0] {
                    Ok(back) => {
                        assert!((back - vol).abs() < 1e-7, "{kind:?} {spot} {vol}: {back}");
                        right += 1;
                    }
                    Err(_) => refused += 1,
                }
            }
        }
    }
    assert!(right > 40 && refused > 20, "{right} {refused}");
}

/// The quick setting's gamma against the fine one's, from deep in the money to out of it, counted
/// in max(gamma, 1/S).
#[test]
fn quick_gamma_stays_close_to_the_fine_one() {
    let mut off = Vec::new();
    for (rate, carry_yield) in [(0.01, 0.0), (0.05, 0.02), (0.04, 0.07), (0.09, 0.0)] {
        for vol in [0.08, 0.25, 0.7] {
            for time in [0.02, 0.3, 1.5_f64] {
                let terms = american(Kind::Put, 100.0, time, rate, carry_yield, vol);
                let [quick, fine] = [Accuracy::Interactive, Accuracy::Reference]
                    .map(|accuracy| Model::new(&terms, accuracy).unwrap());
                for step in -12..=12 {
                    let spot = 100.0 * (0.25 * f64::from(step) * vol * time.sqrt()).exp();
                    let [a, b] = [&quick, &fine].map(|model| model.value(spot).unwrap().gamma);
                    off.push((a - b).abs() / b.max(1.0 / spot));
                }
            }
        }
    }
    off.sort_by(f64::total_cmp);
    let share = |percent: usize| off[(off.len() - 1) * percent / 100];
    println!(
        "half {:.1e}, 95 % {:.1e}, all {:.1e}",
        share(50),
        share(95),
        share(100)
    );
    assert!(share(50) < 1e-7 && share(95) < 1e-5 && share(100) < 5e-4);
}

/// Gamma right up to where exercise begins: at the boundary B it is 2(rK − qB)/(σ²B²) (there V =
/// K − S does not change with time and the pricing equation leaves nothing else), and added up from
/// B to any spot it is what delta has risen by since −1 (smooth pasting).
#[test]
fn gamma_is_right_up_to_the_exercise_boundary() {
    for (accuracy, edge_within, sum_within) in [
        (Accuracy::Reference, 1e-6, 1e-7),
        (Accuracy::Interactive, 2e-5, 1e-4),
    ] {
        for (rate, carry_yield, vol, time) in [
            (0.05, 0.0, 0.3, 0.5_f64),
            (0.05, 0.02, 0.3, 30.0 / 365.0),
            (0.03, 0.06, 0.2, 1.0),
            (0.08, 0.0, 0.15, 2.0),
        ] {
            let terms = american(Kind::Put, 100.0, time, rate, carry_yield, vol);
            let model = Model::new(&terms, accuracy).unwrap();
            let gamma = |spot: f64| model.value(spot).unwrap().gamma;
            // Where it is exercised its gamma is zero.
            let (mut low, mut high) = (1.0, 100.0);
            for _ in 0..60 {
                let middle = 0.5 * (low + high);
                if gamma(middle) == 0.0 {
                    low = middle
                } else {
                    high = middle
                }
            }
            let edge = 2.0 * (rate * 100.0 - carry_yield * high) / (vol * vol * high * high);
            let scale = edge.max(1.0 / high);
            assert!(
                (gamma(high * (1.0 + 1e-9)) - edge).abs() < edge_within * scale,
                "{accuracy:?} {terms:?}: {} for {edge}",
                gamma(high * (1.0 + 1e-9))
            );
            let far = high * (1.5 * vol * time.sqrt()).exp();
            let steps = 2000;
            let step = (far - high) / f64::from(steps);
            // Simpson's rule.
            let sum: f64 = (0..=steps)
                .map(|i| {
                    let weight = if i == 0 || i == steps {
                        1.0
                    } else {
                        f64::from(2 + 2 * (i % 2))
                    };
                    let spot = (high + f64::from(i) * step).max(high * (1.0 + 1e-12));
                    weight * gamma(spot) * step / 3.0
                })
                .sum();
            let rise = model.value(far).unwrap().delta + 1.0;
            assert!(
                (sum - rise).abs() < sum_within,
                "{accuracy:?} {terms:?}: {sum} for {rise}"
            );
        }
    }
}
