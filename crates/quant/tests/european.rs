//! European prices and Greeks against published values. Sources: H = Hull, *Options, Futures and
//! Other Derivatives*; Hg = Haug, *The Complete Guide to Option Pricing Formulas*. The printed
//! numbers are from memory and were kept because an independent library agrees with them to the
//! tolerance beside each.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use quant::{
    Accuracy, Kind, Lognormal, Model, Outcome, Ssvi, Style, Terms, Valuation,
    butterfly_density_factor, european, european_price, implied_vol,
};

fn terms(kind: Kind, strike: f64, time: f64, rate: f64, carry_yield: f64, vol: f64) -> Terms {
    Terms {
        kind,
        style: Style::European,
        strike,
        time,
        rate,
        carry_yield,
        vol,
    }
}

#[test]
fn published_prices() {
    use Kind::{Call, Put};
    // (source, kind, S, K, T, r, q, σ, price, tolerance)
    let table = [
        (
            "H §15 call",
            Call,
            42.0,
            40.0,
            0.5,
            0.10,
            0.0,
            0.20,
            4.76,
            5e-3,
        ),
        (
            "H §15 put",
            Put,
            42.0,
            40.0,
            0.5,
            0.10,
            0.0,
            0.20,
            0.81,
            5e-3,
        ),
        (
            "Hg 1.1 call",
            Call,
            60.0,
            65.0,
            0.25,
            0.08,
            0.0,
            0.30,
            2.1334,
            5e-5,
        ),
        (
            "Hg 1.1 put",
            Put,
            60.0,
            65.0,
            0.25,
            0.08,
            0.0,
            0.30,
            5.8463,
            5e-5,
        ),
        (
            "Hg Merton yield",
            Put,
            100.0,
            95.0,
            0.5,
            0.10,
            0.05,
            0.20,
            2.4648,
            5e-5,
        ),
        (
            "Hg Black-76 call",
            Call,
            19.0,
            19.0,
            0.75,
            0.10,
            0.10,
            0.28,
            1.7011,
            5e-5,
        ),
        (
            "Hg Black-76 put",
            Put,
            19.0,
            19.0,
            0.75,
            0.10,
            0.10,
            0.28,
            1.7011,
            5e-5,
        ),
        (
            "Hg margined futures",
            Put,
            4200.0,
            3800.0,
            0.75,
            0.0,
            0.0,
            0.15,
            65.6185,
            5e-5,
        ),
        (
            "Hg currency",
            Call,
            1.56,
            1.6,
            0.5,
            0.06,
            0.08,
            0.12,
            0.0291,
            5e-5,
        ),
        (
            "H §17 index",
            Call,
            930.0,
            900.0,
            2.0 / 12.0,
            0.08,
            0.03,
            0.20,
            51.83,
            5e-3,
        ),
        (
            "H Black-76",
            Put,
            20.0,
            20.0,
            4.0 / 12.0,
            0.09,
            0.09,
            0.25,
            1.12,
            5e-3,
        ),
    ];
    for (source, kind, s, k, t, r, q, vol, want, tolerance) in table {
        let got = european_price(&terms(kind, k, t, r, q, vol), s);
        assert!((got - want).abs() <= tolerance, "{source}: {got} {want}");
    }
}

#[test]
fn published_greeks() {
    use Kind::{Call, Put};
    type Pick = fn(&Valuation) -> f64;
    // H §19: the running example of the Greek letters; per year and per unit as printed there.
    let book = terms(Call, 50.0, 0.3846, 0.05, 0.0, 0.20);
    let table: [(&str, Terms, f64, Pick, f64, f64); 12] = [
        ("H §19 price", book, 49.0, |v| v.price, 2.40, 5e-3),
        ("H §19 delta", book, 49.0, |v| v.delta, 0.522, 5e-4),
        ("H §19 gamma", book, 49.0, |v| v.gamma, 0.066, 5e-4),
        (
            "H §19 vega",
            book,
            49.0,
            |v| v.vega_point * 100.0,
            12.1,
            5e-2,
        ),
        ("H §19 rho", book, 49.0, |v| v.rho_point * 100.0, 8.91, 5e-3),
        (
            "H §19 theta",
            book,
            49.0,
            |v| v.theta_day * 365.0,
            -4.31,
            5e-3,
        ),
        (
            "Hg futures delta call",
            terms(Call, 100.0, 0.5, 0.10, 0.10, 0.36),
            105.0,
            |v| v.delta,
            0.5946,
            5e-5,
        ),
        (
            "Hg futures delta put",
            terms(Put, 100.0, 0.5, 0.10, 0.10, 0.36),
            105.0,
            |v| v.delta,
            -0.3566,
            5e-5,
        ),
        (
            "Hg gamma",
            terms(Call, 60.0, 0.75, 0.10, 0.0, 0.30),
            55.0,
            |v| v.gamma,
            0.0278,
            5e-5,
        ),
        (
            "Hg vega",
            terms(Call, 60.0, 0.75, 0.105, 0.0355, 0.30),
            55.0,
            |v| v.vega_point * 100.0,
            18.5027,
            5e-5,
        ),
        (
            "Hg theta put, a day",
            terms(Put, 405.0, 1.0 / 12.0, 0.07, 0.05, 0.20),
            430.0,
            |v| v.theta_day,
            -0.0855,
            5e-5,
        ),
        (
            "Hg rho call",
            terms(Call, 75.0, 1.0, 0.09, 0.0, 0.19),
            72.0,
            |v| v.rho_point * 100.0,
            38.7325,
            5e-5,
        ),
    ];
    for (source, t, spot, pick, want, tolerance) in table {
        let got = pick(&european(&t, spot));
        assert!((got - want).abs() <= tolerance, "{source}: {got} {want}");
    }
}

#[test]
fn published_implied_volatilities_and_the_bounds_by_name() {
    let hull = implied_vol(&terms(Kind::Call, 20.0, 0.25, 0.10, 0.0, 0.0), 21.0, 1.875).unwrap();
    assert!((hull - 0.235).abs() < 1e-3, "H §15.11: {hull}");
    let currency = implied_vol(
        &terms(Kind::Call, 1.6, 4.0 / 12.0, 0.08, 0.11, 0.0),
        1.6,
        0.043,
    )
    .unwrap();
    assert!((currency - 0.141).abs() < 5e-4, "H §17: {currency}");
    // Recomputed with arbitrary-precision arithmetic: F=100, discount .99 and .995.
    let rate = -(0.99_f64.ln()) / 0.1;
    let far = implied_vol(
        &terms(Kind::Call, 150.0, 0.1, rate, rate, 0.0),
        100.0,
        2.5473893694687597e-7,
    )
    .unwrap();
    assert!(
        (far / 0.25 - 1.0).abs() < 1e-9,
        "far out of the money: {far}"
    );
    let t = 30.0 / 365.0;
    let rate = -(0.995_f64.ln()) / t;
    let near = implied_vol(
        &terms(Kind::Put, 80.0, t, rate, rate, 0.0),
        100.0,
        0.040_728_813_237_779_42,
    )
    .unwrap();
    assert!((near / 0.35 - 1.0).abs() < 1e-9, "put: {near}");
    let call = terms(Kind::Call, 100.0, 0.5, 0.0, 0.0, 0.0);
    assert!(
        implied_vol(&call, 105.0, 4.9)
            .unwrap_err()
            .to_string()
            .starts_with("below intrinsic")
    );
    assert_eq!(implied_vol(&call, 105.0, 5.0), Ok(0.0));
    assert!(
        implied_vol(&call, 105.0, 105.0)
            .unwrap_err()
            .to_string()
            .starts_with("above the maximum")
    );
    assert!((implied_vol(&call, 105.0, 5.0000001).unwrap() - 0.01412092).abs() < 1e-7);
}

/// Recomputed with an independent library: S=100, σ=25 %, 45 days, r=4 %, q=1 %; and the flat iron
/// condor 90/95/105/110, whose expected value under its own volatility is the interest on the
/// credit.
#[test]
fn chances_and_expected_value() {
    let t = 45.0 / 365.0;
    let dist = Lognormal::new(100.0, 0.03, 0.25, t).unwrap();
    assert!((1.0 - dist.below(105.0) - 0.288568).abs() < 1e-6);
    assert!((dist.below(95.0) - 0.280089).abs() < 1e-6);
    assert!((dist.below(110.0) - dist.below(95.0) - 0.581510).abs() < 1e-6);
    let credit = 1.983111;
    let flat = |from, to, value, slope| Outcome {
        from,
        to,
        value,
        slope,
    };
    let condor = [
        flat(0.0, 90.0, credit - 5.0, 0.0),
        flat(90.0, 95.0, credit - 5.0, 1.0),
        flat(95.0, 105.0, credit, 0.0),
        flat(105.0, 110.0, credit, -1.0),
        flat(110.0, f64::INFINITY, credit - 5.0, 0.0),
    ];
    let model = Lognormal::new(100.0, 0.04 - 0.01, 0.25, t).unwrap();
    let (chance, expected) = model.profit(&condor);
    assert!((chance - 0.574283).abs() < 2e-3, "{chance}");
    assert!(
        (expected - credit * (1.0 - (0.04 * t).exp())).abs() < 2e-3,
        "{expected}"
    );
}

/// Gatheral & Jacquier (2014): min g of SSVI with η=1, ρ=−.7, γ=½ at θ=.002/.01/.04/.2 over |k| ≤ 2
/// (recomputed); and Vogt's raw-SVI example from the same paper, which does admit a butterfly.
#[test]
fn the_smile_admits_no_butterfly_and_the_classic_counter_example_does() {
    let ssvi = Ssvi::new(-0.7, 1.0, 0.5).unwrap();
    for (theta, want) in [(0.002, 0.256), (0.01, 0.264), (0.04, 0.279), (0.2, 0.323)] {
        let least = (-400..=400)
            .map(|i| {
                butterfly_density_factor(
                    |k| ssvi.total_variance(k, theta),
                    f64::from(i) / 200.0,
                    1e-4,
                )
            })
            .fold(f64::INFINITY, f64::min);
        assert!((least - want).abs() < 2e-3, "theta {theta}: {least}");
    }
    let vogt = |k: f64| {
        -0.0410
            + 0.1331 * (0.3060 * (k - 0.3586) + ((k - 0.3586).powi(2) + 0.4153_f64.powi(2)).sqrt())
    };
    assert!((butterfly_density_factor(vogt, 0.8795, 1e-4) + 0.03286).abs() < 1e-4);
    assert!(
        Ssvi::new(-0.7, 1.3, 0.5).is_err(),
        "eta(1+|rho|) above 2 is refused"
    );
}

fn any_terms() -> impl Strategy<Value = (Terms, f64)> {
    (
        any::<bool>(),
        20.0..400.0_f64,
        0.004..3.0_f64,
        -0.02..0.10_f64,
        -0.02..0.10_f64,
        0.05..1.2_f64,
        0.6..1.6_f64,
    )
        .prop_map(|(call, strike, time, rate, carry, vol, moneyness)| {
            (
                terms(
                    if call { Kind::Call } else { Kind::Put },
                    strike,
                    time,
                    rate,
                    carry,
                    vol,
                ),
                strike * moneyness,
            )
        })
}

/// Own reference values: call S=100 K=95 T=0.4 r=3 % q=1 % σ=25 %, recomputed with an independent
/// library.
#[test]
fn the_greeks_of_greeks_match_the_table_and_their_differences() {
    let t = Terms {
        kind: Kind::Call,
        style: Style::European,
        strike: 95.0,
        time: 0.4,
        rate: 0.03,
        carry_yield: 0.01,
        vol: 0.25,
    };
    let h = quant::european_higher(&t, 100.0).unwrap();
    for (what, got, want) in [
        ("charm", h.charm_day * 365.0, 0.093981),
        ("vanna", h.vanna_point * 100.0, -0.424304),
        ("vomma", h.vomma_point * 1e4, 12.184870),
    ] {
        assert!((got - want).abs() < 5e-7, "{what}: {got} {want}");
    }
    let put = Terms {
        kind: Kind::Put,
        ..t
    };
    for t in [t, put] {
        let h = quant::european_higher(&t, 100.0).unwrap();
        let delta = |t: &Terms| european(t, 100.0).delta;
        let vega = |t: &Terms| european(t, 100.0).vega_point;
        let (d, e) = (1e-5, 1e-5);
        let later = |by: f64| Terms {
            time: t.time - by,
            ..t
        };
        let bumped = |by: f64| Terms {
            vol: t.vol + by,
            ..t
        };
        assert!(
            (h.charm_day - (delta(&later(d)) - delta(&later(-d))) / (2.0 * d) / 365.0).abs() < 1e-9
        );
        assert!(
            (h.vanna_point - (delta(&bumped(e)) - delta(&bumped(-e))) / (2.0 * e) / 100.0).abs()
                < 1e-8
        );
        assert!(
            (h.vomma_point - (vega(&bumped(e)) - vega(&bumped(-e))) / (2.0 * e) / 100.0).abs()
                < 1e-8
        );
    }
    assert_eq!(
        quant::european_higher(&Terms { time: 0.0, ..t }, 100.0),
        None
    );
}

proptest! {
    #[test]
    fn greeks_are_the_derivatives_of_the_price((t, s) in any_terms()) {
        let v = european(&t, s);
        let p = |t: &Terms, s: f64| european_price(t, s);
        let h = s * 1e-4;
        let close = |name: &str, got: f64, want: f64, scale: f64| -> Result<(), TestCaseError> {
            prop_assert!((got - want).abs() <= 1e-5 * scale, "{name}: {got} {want}");
            Ok(())
        };
        close(
            "delta",
            v.delta,
            (p(&t, s + h) - p(&t, s - h)) / (2.0 * h),
            1.0,
        )?;
        let delta = |s: f64| european(&t, s).delta;
        close(
            "gamma",
            v.gamma * s,
            s * (delta(s + h) - delta(s - h)) / (2.0 * h),
            100.0,
        )?;
        let vol = |d: f64| {
            p(
                &Terms {
                    vol: t.vol + d,
                    ..t
                },
                s,
            )
        };
        close(
            "vega",
            v.vega_point,
            (vol(1e-4) - vol(-1e-4)) / 2e-4 / 100.0,
            s,
        )?;
        let time = |d: f64| {
            p(
                &Terms {
                    time: t.time + d,
                    ..t
                },
                s,
            )
        };
        close(
            "theta",
            v.theta_day,
            -(time(1e-5) - time(-1e-5)) / 2e-5 / 365.0,
            s,
        )?;
        let rate = |d: f64| {
            p(
                &Terms {
                    rate: t.rate + d,
                    ..t
                },
                s,
            )
        };
        close(
            "rho",
            v.rho_point,
            (rate(1e-5) - rate(-1e-5)) / 2e-5 / 100.0,
            s,
        )?;
    }

    #[test]
    fn put_call_parity_and_the_round_trip_of_volatility((t, s) in any_terms()) {
        let call = european_price(
            &Terms {
                kind: Kind::Call,
                ..t
            },
            s,
        );
        let put = european_price(
            &Terms {
                kind: Kind::Put,
                ..t
            },
            s,
        );
        let forward = s * (-t.carry_yield * t.time).exp() - t.strike * (-t.rate * t.time).exp();
        prop_assert!((call - put - forward).abs() < 1e-10 * (s + t.strike));
        let price = european_price(&t, s);
        let v = european(&t, s);
        let time_value = price - (t.kind.sign() * forward).max(0.0);
        prop_assume!(time_value > 1e-9 * t.strike);
        let back = implied_vol(&t, s, price).unwrap();
        // What rounding of the price itself allows, through vega.
        let allowed = 1e-9 + 4e-16 * (s + t.strike) / (v.vega_point * 100.0).max(1e-300);
        prop_assert!((back - t.vol).abs() <= allowed, "{back} {}", t.vol);
    }

    #[test]
    fn any_finite_input_gives_a_finite_price_or_a_named_error(
        s in prop_oneof![
            Just(0.0),
            Just(-1.0),
            Just(1e-300),
            Just(1e300),
            0.01..1e4_f64
        ],
        k in prop_oneof![Just(0.0), Just(1e-9), Just(1e12), 0.01..1e4_f64],
        t in prop_oneof![
            Just(0.0),
            Just(1e-12),
            Just(-1.0),
            Just(200.0),
            0.0..5.0_f64
        ],
        r in -0.5..0.5_f64,
        q in -0.5..0.5_f64,
        vol in prop_oneof![Just(0.0), Just(1e-9), Just(-0.1), Just(50.0), 0.0..3.0_f64],
        call in any::<bool>(),
        american in any::<bool>(),
    ) {
        let kind = if call { Kind::Call } else { Kind::Put };
        let style = if american {
            Style::American
        } else {
            Style::European
        };
        let given = Terms {
            kind,
            style,
            strike: k,
            time: t,
            rate: r,
            carry_yield: q,
            vol,
        };
        if let Ok(model) = Model::new(&given, Accuracy::Interactive)
            && let Ok(v) = model.value(s)
        {
            for x in [
                v.price,
                v.delta,
                v.gamma,
                v.theta_day,
                v.vega_point,
                v.rho_point,
            ] {
                prop_assert!(x.is_finite(), "{given:?} at {s}: {v:?}");
            }
        }
    }
}
