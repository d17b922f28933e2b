//! Many options at once give what one by one gives.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use quant::{
    Accuracy, Bound, Chain, ChainError, EarlyExercise, ImpliedError, Kind, Model, PricedOn, Style,
    Terms, Valuation, Vanilla, implied_vol_all, price_all, value_all, value_chain, value_chains,
    value_universe,
};

const GREEKS: [fn(&Valuation) -> f64; 6] = [
    |v| v.price,
    |v| v.delta,
    |v| v.gamma,
    |v| v.theta_day,
    |v| v.vega_point,
    |v| v.rho_point,
];

/// Anything a file might hold, good or bad.
fn contracts() -> impl Strategy<Value = Vanilla> {
    let rates = (-0.05..0.2f64, prop_oneof![Just(0.0), -0.02..0.2f64]);
    (
        any::<[bool; 3]>(),
        50.0..200.0f64,
        prop_oneof![Just(0.0), 1e-4..4.0f64],
        rates,
        prop_oneof![Just(0.0), 0.02..2.0f64],
    )
        .prop_map(
            |([call, american, future], strike, time, (rate, carry_yield), vol)| {
                let terms = Terms {
                    kind: if call { Kind::Call } else { Kind::Put },
                    style: if american {
                        Style::American
                    } else {
                        Style::European
                    },
                    strike,
                    time,
                    rate,
                    carry_yield: if future { rate } else { carry_yield },
                    vol,
                };
                Vanilla {
                    terms,
                    spot: 100.0,
                    on: if future {
                        PricedOn::Future
                    } else {
                        PricedOn::Spot
                    },
                }
            },
        )
}

/// Numbers at the ends of what is accepted, and beyond.
fn wild() -> impl Strategy<Value = Vanilla> {
    let level = || {
        prop_oneof![
            Just(1e-9),
            Just(1e12),
            Just(0.0),
            Just(f64::NAN),
            1e-3..1e4f64
        ]
    };
    let time = prop_oneof![Just(0.0), Just(1e-9), Just(200.0), Just(-1.0), 1e-5..5.0f64];
    let vol = prop_oneof![
        Just(0.0),
        Just(1e-12),
        Just(50.0),
        Just(f64::INFINITY),
        1e-4..5.0f64
    ];
    let rate = || prop_oneof![Just(0.0), Just(1e-12), Just(1.0), Just(-1.0), -0.3..0.3f64];
    (contracts(), level(), level(), time, rate(), rate(), vol).prop_map(
        |(c, spot, strike, time, rate, carry_yield, vol)| {
            let carry_yield = if c.on == PricedOn::Future {
                rate
            } else {
                carry_yield
            };
            Vanilla {
                terms: Terms {
                    strike,
                    time,
                    rate,
                    carry_yield,
                    vol,
                    ..c.terms
                },
                spot,
                ..c
            }
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Whatever is asked, the answer is finite or a named error, alone as together.
    #[test]
    fn wild_numbers_give_finite_values_or_named_errors(
        rows in proptest::collection::vec(wild(), 1..20),
        price in prop_oneof![Just(0.0), Just(1e12), Just(f64::NAN), -10.0..1e3f64],
    ) {
        let all = value_all(&rows, Accuracy::Interactive);
        for (row, answer) in rows.iter().zip(&all) {
            if let Ok(v) = answer {
                prop_assert!(GREEKS.iter().all(|g| g(v).is_finite()), "{:?} {:?}", row, v);
                prop_assert!(
                    v.price >= 0.0
                        && v.price
                            <= row.spot.max(row.terms.strike)
                                * (1.0 + 1e-9)
                                * (2.0 * row.terms.time).exp(),
                    "{:?} {:?}",
                    row,
                    v
                );
            }
            // Compared as text: a refused number may be no number.
            prop_assert_eq!(
                format!("{answer:?}"),
                format!("{:?}", value_all(&[*row], Accuracy::Interactive)[0])
            );
        }
        let asked: Vec<(Vanilla, f64)> = rows.iter().map(|c| (*c, price)).collect();
        for ((c, _), vol) in asked
            .iter()
            .zip(implied_vol_all(&asked, Accuracy::Interactive))
        {
            if let Ok(vol) = vol {
                prop_assert!(
                    vol.is_finite() && vol >= 0.0,
                    "{:?} at {}: {}",
                    c,
                    price,
                    vol
                );
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn a_row_does_not_depend_on_its_neighbours(
        rows in proptest::collection::vec(contracts(), 1..40),
        shift in 0usize..40,
    ) {
        let all = value_all(&rows, Accuracy::Interactive);
        let mut turned = rows.clone();
        turned.rotate_left(shift % rows.len());
        let mut answers = value_all(&turned, Accuracy::Interactive);
        answers.rotate_right(shift % rows.len());
        prop_assert_eq!(&all, &answers);
        prop_assert_eq!(&all, &value_universe(&rows, Accuracy::Interactive));
        for ((row, together), price) in rows
            .iter()
            .zip(&all)
            .zip(price_all(&rows, Accuracy::Interactive))
        {
            let model = Model::new(&row.terms, Accuracy::Interactive);
            let alone = model.and_then(|m| m.value_on(row.spot, row.on));
            prop_assert_eq!(together, &alone, "{:?}", row);
            prop_assert_eq!(price, alone.map(|v| v.price));
            if let Ok(v) = together {
                prop_assert!(GREEKS.iter().all(|g| g(v).is_finite()), "{:?} {:?}", row, v);
            }
        }
    }

    #[test]
    fn a_price_gives_its_volatility_back(rows in proptest::collection::vec(contracts(), 1..40)) {
        let rows: Vec<Vanilla> = rows
            .into_iter()
            .filter(|c| c.terms.vol > 0.0 && c.terms.time > 0.01)
            .collect();
        let valued = value_all(&rows, Accuracy::Interactive);
        let asked: Vec<(Vanilla, f64)> = rows
            .iter()
            .zip(&valued)
            .filter_map(|(c, v)| Some((*c, v.as_ref().ok()?.price)))
            .collect();
        for (((c, price), v), answer) in asked
            .iter()
            .zip(valued.iter().flatten())
            .zip(implied_vol_all(&asked, Accuracy::Interactive))
        {
            let alone = implied_vol_all(&[(*c, *price)], Accuracy::Interactive)[0];
            prop_assert_eq!(answer, alone);
            // Without vega the price says nothing about the volatility.
            if v.vega_point * 100.0 > 1e-6 {
                let vol = answer.unwrap_or_else(|e| panic!("{c:?} {price}: {e}"));
                let back = price_all(
                    &[Vanilla {
                        terms: Terms { vol, ..c.terms },
                        ..*c
                    }],
                    Accuracy::Interactive,
                )[0]
                .unwrap();
                let allowed = if c.terms.style == Style::European {
                    1e-12
                } else {
                    1e-10
                };
                prop_assert!(
                    (back - price).abs() <= allowed * 100.0,
                    "{:?}: {} gives {}",
                    c,
                    price,
                    back
                );
                prop_assert!(
                    (vol - c.terms.vol).abs() <= 1e-9 / (v.vega_point * 100.0) + 1e-12,
                    "{:?}: {}",
                    c,
                    vol
                );
            }
        }
    }
}

/// A chain with a smile, both kinds at each strike.
struct Smile {
    kinds: Vec<Kind>,
    strikes: Vec<f64>,
    vols: Vec<f64>,
}

fn smile(steepness: f64) -> Smile {
    let strikes: Vec<f64> = (0..80).map(|i| 60.0 + 1.1 * f64::from(i / 2)).collect();
    let kinds = (0..80)
        .map(|i| if i % 2 == 0 { Kind::Call } else { Kind::Put })
        .collect();
    let vols = strikes
        .iter()
        .map(|k| 0.22 - steepness * (k / 100.0).ln() + 0.5 * (k / 100.0).ln().powi(2))
        .collect();
    Smile {
        kinds,
        strikes,
        vols,
    }
}

impl Smile {
    fn chain(&self, time: f64, rate: f64, carry_yield: f64, on: PricedOn) -> Chain<'_> {
        let Smile {
            kinds,
            strikes,
            vols,
        } = self;
        Chain {
            style: Style::American,
            on,
            spot: 95.0,
            time,
            rate,
            carry_yield,
            kinds,
            strikes,
            vols,
        }
    }

    fn contract(&self, chain: &Chain<'_>, place: usize) -> Vanilla {
        let Chain {
            style,
            on,
            spot,
            time,
            rate,
            carry_yield,
            ..
        } = *chain;
        Vanilla {
            terms: Terms {
                kind: self.kinds[place],
                style,
                strike: self.strikes[place],
                time,
                rate,
                carry_yield,
                vol: self.vols[place],
            },
            spot,
            on,
        }
    }
}

#[test]
fn a_common_boundary_gives_what_each_options_own_gives() {
    let mut worst = [0.0_f64; 6];
    for steepness in [0.0, 0.15, 0.6] {
        let smile = smile(steepness);
        for (time, rate, carry_yield, on) in [
            (7.0 / 365.0, 0.045, 0.013, PricedOn::Spot),
            (0.25, 0.05, 0.0, PricedOn::Spot),
            (0.25, 0.04, 0.04, PricedOn::Future),
            (1.0, 0.03, 0.06, PricedOn::Spot),
            (2.0, 0.05, 0.02, PricedOn::Spot),
        ] {
            let chain = smile.chain(time, rate, carry_yield, on);
            let shared = value_chain(&chain, Accuracy::Interactive).unwrap();
            let rows: Vec<Vanilla> = (0..80).map(|i| smile.contract(&chain, i)).collect();
            for (i, own) in value_all(&rows, Accuracy::Interactive)
                .into_iter()
                .enumerate()
            {
                let own = own.unwrap();
                let got = Valuation {
                    price: shared.price[i],
                    delta: shared.delta[i],
                    gamma: shared.gamma[i],
                    theta_day: shared.theta_day[i],
                    vega_point: shared.vega_point[i],
                    rho_point: shared.rho_point[i],
                };
                for ((worst, greek), allowed) in worst
                    .iter_mut()
                    .zip(GREEKS)
                    .zip([1e-7, 1e-6, 1e-6, 1e-5, 1e-6, 1e-6])
                {
                    let error = (greek(&got) - greek(&own)).abs();
                    assert!(error <= allowed * 95.0, "{:?}\n{got:?}\n{own:?}", rows[i]);
                    *worst = worst.max(error / 95.0);
                }
            }
            assert_eq!(
                value_chains(&[chain, chain], Accuracy::Interactive),
                [Ok(shared.clone()), Ok(shared)]
            );
        }
    }
    println!("in parts of the spot: {worst:?}");
}

/// Boundaries kept: at another spot they give what models of their own give, one by one as
/// together.
#[test]
fn kept_boundaries_price_any_option_of_the_expiration() {
    let smile = smile(0.3);
    for (time, rate, carry_yield) in [
        (0.25, 0.045, 0.013),
        (0.25, 0.045, 0.0),
        (0.02, 0.03, 0.08),
        (1.5, 0.05, 0.02),
    ] {
        let (low, high) = smile
            .vols
            .iter()
            .fold((f64::INFINITY, 0.0_f64), |(a, b), v| (a.min(*v), b.max(*v)));
        let kept = EarlyExercise::new(&[Kind::Call, Kind::Put], time, rate, carry_yield, low, high)
            .unwrap();
        let options: Vec<(Kind, f64, f64)> = (0..80)
            .map(|i| (smile.kinds[i], smile.strikes[i], smile.vols[i]))
            .collect();
        for spot in [70.0, 95.0, 101.3] {
            let together = kept.premiums(&options, spot);
            for (i, premium) in together.iter().enumerate() {
                let (kind, strike, vol) = options[i];
                let t = Terms {
                    kind,
                    style: Style::American,
                    strike,
                    time,
                    rate,
                    carry_yield,
                    vol,
                };
                let american = Model::new(&t, Accuracy::Interactive)
                    .unwrap()
                    .value(spot)
                    .unwrap();
                let european = quant::european(&t, spot);
                let want = (
                    (american.price - european.price).max(0.0),
                    american.delta - european.delta,
                );
                assert!(
                    (premium.0 - want.0).abs() < 2e-6 && (premium.1 - want.1).abs() < 2e-5,
                    "{t:?} at {spot}: {premium:?} {want:?}"
                );
                assert_eq!(kept.premiums(&options[i..=i], spot)[0], *premium);
            }
        }
    }
    assert!(
        EarlyExercise::new(&[Kind::Call, Kind::Put], 0.25, 0.04, 0.0, 0.3, 0.2).is_err()
            && EarlyExercise::new(&[Kind::Call, Kind::Put], 0.25, -0.04, -0.05, 0.2, 0.3).is_err()
    );
}

#[test]
fn a_chain_is_refused_with_the_option_that_spoils_it() {
    let mut smile = smile(0.1);
    smile.vols[7] = -0.2;
    let text = value_chain(
        &smile.chain(0.5, 0.03, 0.0, PricedOn::Spot),
        Accuracy::Interactive,
    )
    .unwrap_err()
    .to_string();
    assert_eq!(
        text,
        "option 7: volatility must not be below zero, not -0.2"
    );
    smile.vols.pop();
    let lengths = value_chain(
        &smile.chain(0.5, 0.03, 0.0, PricedOn::Spot),
        Accuracy::Interactive,
    );
    assert_eq!(
        lengths,
        Err(ChainError::Lengths {
            kinds: 80,
            strikes: 80,
            vols: 79
        })
    );
    let empty = value_chain(
        &Chain {
            kinds: &[],
            strikes: &[],
            vols: &[],
            ..smile.chain(0.5, 0.03, 0.0, PricedOn::Spot)
        },
        Accuracy::Interactive,
    );
    assert!(empty.unwrap().price.is_empty());
}

/// Hours before expiry a price may want a volatility of thousands of percent; what no volatility
/// that is looked at gives is an error, not a number.
#[test]
fn enormous_volatilities_are_found_and_impossible_ones_refused() {
    for (style, kind) in [
        (Style::American, Kind::Put),
        (Style::American, Kind::Call),
        (Style::European, Kind::Put),
    ] {
        let at = |vol: f64| {
            let terms = Terms {
                kind,
                style,
                strike: 100.0,
                time: 0.001,
                rate: 0.05,
                carry_yield: 0.03,
                vol,
            };
            Vanilla {
                terms,
                spot: 100.0,
                on: PricedOn::Spot,
            }
        };
        for vol in [0.02, 5.0, 21.0, 45.0] {
            let price = price_all(&[at(vol)], Accuracy::Interactive)[0].unwrap();
            let back = implied_vol_all(&[(at(0.3), price)], Accuracy::Interactive)[0].unwrap();
            assert!(
                (back / vol - 1.0).abs() < 1e-6,
                "{style:?} {kind:?} {vol}: {back}"
            );
        }
        let answer = implied_vol_all(&[(at(0.3), 99.0)], Accuracy::Interactive)[0];
        let sound = if style == Style::European {
            answer.is_ok_and(|v| v > 100.0)
        } else {
            answer.is_err_and(|e| e.to_string().starts_with("no convergence"))
        };
        assert!(sound, "{answer:?}");
    }
}

/// The bounds of R. C. Merton, "Theory of rational option pricing", *Bell Journal of Economics* 4
/// (1973) 141–183, and for an American option without volatility exercise at the best moment.
#[test]
fn a_price_outside_the_bounds_names_the_bound() {
    let terms = |kind, style, rate, carry_yield| Terms {
        kind,
        style,
        strike: 100.0,
        time: 1.0,
        rate,
        carry_yield,
        vol: 0.0,
    };
    let carried = 110.0 * (-0.01_f64).exp() - 100.0 * (-0.05_f64).exp();
    for (t, lower, upper) in [
        (
            terms(Kind::Call, Style::European, 0.05, 0.01),
            carried,
            110.0 * (-0.01_f64).exp(),
        ),
        (
            terms(Kind::Put, Style::European, 0.05, 0.01),
            0.0,
            100.0 * (-0.05_f64).exp(),
        ),
        (
            terms(Kind::Call, Style::American, 0.05, 0.01),
            carried,
            110.0,
        ),
        (terms(Kind::Call, Style::American, 0.0, 0.05), 10.0, 110.0),
        (terms(Kind::Put, Style::American, 0.05, 0.01), 0.0, 100.0),
    ] {
        let at = |price: f64| {
            implied_vol_all(
                &[(
                    Vanilla {
                        terms: t,
                        spot: 110.0,
                        on: PricedOn::Spot,
                    },
                    price,
                )],
                Accuracy::Interactive,
            )[0]
        };
        for (price, want) in [
            (lower - 0.01, Bound::BelowIntrinsic),
            (upper + 0.01, Bound::AboveMaximum),
        ] {
            match at(price) {
                Err(ImpliedError::OutOfBounds {
                    bound,
                    lower: low,
                    upper: high,
                    ..
                }) => {
                    assert_eq!(bound, want, "{t:?}");
                    assert!(
                        (low - lower).abs() < 1e-12 && (high - upper).abs() < 1e-12,
                        "{t:?}: {low} {lower} {high} {upper}"
                    );
                }
                other => panic!("{t:?} at {price}: {other:?}"),
            }
        }
        assert!(
            at(lower + 0.5).is_ok() && at(upper - 0.5).is_ok(),
            "{t:?}: {:?} {:?}",
            at(lower + 0.5),
            at(upper - 0.5)
        );
    }
}
