//! Positions in the model world: shapes worked by hand, and values over price × date × volatility
//! against the models themselves.

use desk::position::*;
use desk::{Kind, Style};
use proptest::prelude::*;
use quant::{Accuracy, Model, Terms};

fn option(
    quantity: f64,
    multiplier: f64,
    kind: Kind,
    strike: f64,
    time: f64,
    entry: f64,
) -> PositionLeg {
    PositionLeg {
        instrument: PositionKind::Option {
            kind,
            style: Style::American,
            strike,
            time,
            vol: 0.25,
        },
        quantity,
        multiplier,
        entry,
    }
}

fn stock(quantity: f64, entry: f64) -> PositionLeg {
    PositionLeg {
        instrument: PositionKind::Stock,
        quantity,
        multiplier: 1.0,
        entry,
    }
}

fn position(legs: Vec<PositionLeg>) -> Position {
    Position {
        spot: 100.0,
        rate: 0.04,
        carry_yield: 0.01,
        legs,
    }
}

/// The amount, if there is one.
fn ends(e: &Extreme) -> Option<f64> {
    match e {
        Extreme::At { profit, .. } => Some(*profit),
        Extreme::Unlimited => None,
    }
}

/// Worked by hand: shares with fewer and more calls than they cover, and lots of 10 against lots of
/// 100.
#[test]
fn unequal_ratios_and_mixed_lots_have_exact_shapes() {
    let at = |p: &Position| {
        let horizon = p.horizon(0.25, 0.0, Accuracy::Interactive);
        horizon.unwrap().unwrap().outline
    };
    // 150 shares at 100, one call 110 sold at 2.50: 50 shares stay free above.
    let covered = at(&position(vec![
        stock(150.0, 100.0),
        option(-1.0, 100.0, Kind::Call, 110.0, 0.1, 2.5),
    ]));
    assert_eq!(
        (
            &covered.most,
            ends(&covered.least),
            covered.slope_at_infinity()
        ),
        (&Extreme::Unlimited, Some(-14_750.0), 50.0)
    );
    assert!(
        (covered.break_evens[0] - (100.0 - 250.0 / 150.0)).abs() < 1e-12
            && covered.break_evens.len() == 1
    );
    // 100 shares, three calls: short two hundred above 110.
    let over = at(&position(vec![
        stock(100.0, 100.0),
        option(-3.0, 100.0, Kind::Call, 110.0, 0.1, 2.5),
    ]));
    assert_eq!(
        (ends(&over.most), &over.least, over.slope_at_infinity()),
        (Some(1_750.0), &Extreme::Unlimited, -200.0)
    );
    assert!(
        (over.break_evens[0] - 92.5).abs() < 1e-12 && (over.break_evens[1] - 118.75).abs() < 1e-12
    );
    // Ten puts of lot 10 against one of lot 100: a spread 90/95 for 1.20.
    let lots = at(&position(vec![
        option(10.0, 10.0, Kind::Put, 95.0, 0.1, 2.0),
        option(-1.0, 100.0, Kind::Put, 90.0, 0.1, 0.8),
    ]));
    assert_eq!(
        (ends(&lots.most), ends(&lots.least)),
        (Some(380.0), Some(-120.0))
    );
    assert_eq!(lots.break_evens, [93.8]);
    // A box is worth its width everywhere, less what it cost.
    let legs = [
        (1.0, Kind::Call, 95.0, 7.0),
        (-1.0, Kind::Call, 105.0, 2.0),
        (1.0, Kind::Put, 105.0, 7.1),
        (-1.0, Kind::Put, 95.0, 2.1),
    ];
    let flat = at(&position(
        legs.map(|(n, kind, k, entry)| option(n, 100.0, kind, k, 0.1, entry))
            .to_vec(),
    ));
    assert_eq!(
        (
            ends(&flat.most),
            ends(&flat.least),
            flat.break_evens.len(),
            flat.zero_ranges.as_slice()
        ),
        (Some(0.0), Some(0.0), 0, &[(0.0, None)][..])
    );
}

#[test]
fn at_the_horizon_values_are_the_shape() {
    let p = position(vec![
        stock(100.0, 99.0),
        option(-1.0, 100.0, Kind::Call, 108.0, 0.2, 1.4),
        option(2.0, 100.0, Kind::Put, 92.0, 0.2, 0.9),
        option(-1.0, 10.0, Kind::Put, 80.0, 0.2, 0.1),
    ]);
    let horizon = p.horizon(0.25, 0.0, Accuracy::Interactive);
    let outline = horizon.unwrap().unwrap().outline;
    let prices: Vec<f64> = (0..60).map(|i| 3.0 * f64::from(i)).collect();
    let values = p
        .values(&Scene::later(0.2), &prices, Accuracy::Interactive)
        .unwrap();
    let profit = |s: f64| {
        100.0 * (s - 99.0) - 100.0 * (s - 108.0).max(0.0) + 140.0 + 200.0 * (92.0 - s).max(0.0)
            - 180.0
            - 10.0 * (80.0 - s).max(0.0)
            + 1.0
    };
    for (s, v) in prices.iter().zip(values) {
        assert!((v - p.net_cost() - profit(*s)).abs() < 1e-9, "{s}");
    }
    assert!(outline.break_evens.iter().all(|b| profit(*b).abs() < 1e-9));
    assert!((outline.profit_at(0.0) - profit(0.0)).abs() < 1e-9);
}

/// One expiration's volatility moves alone; a factor is not a sum.
#[test]
fn shifts_move_the_expirations_they_name() {
    let near = option(-1.0, 100.0, Kind::Call, 100.0, 0.1, 3.2);
    let far = option(1.0, 100.0, Kind::Call, 100.0, 0.3, 5.6);
    let calendar = position(vec![near, far]);
    let price = |time: f64, vol: f64, spot: f64| {
        let terms = Terms {
            kind: Kind::Call,
            style: Style::American,
            strike: 100.0,
            time,
            rate: 0.04,
            carry_yield: 0.01,
            vol,
        };
        100.0
            * Model::new(&terms, Accuracy::Interactive)
                .unwrap()
                .price(spot)
    };
    let prices = [90.0, 100.0, 113.0];
    let scene = |vols: VolShift| Scene {
        elapsed: 0.05,
        vols,
    };
    for (vols, near_vol, far_vol) in [
        (VolShift::from(Shift::Points(0.03)), 0.28, 0.28),
        (VolShift::from(Shift::Factor(1.2)), 0.30, 0.30),
        (
            VolShift {
                everywhere: Shift::Points(0.0),
                at: vec![(0.1, Shift::Points(-0.05))],
            },
            0.20,
            0.25,
        ),
        (
            VolShift {
                everywhere: Shift::Factor(1.1),
                at: vec![(0.3, Shift::Points(0.01))],
            },
            0.275,
            0.26,
        ),
    ] {
        let scenes = [scene(vols.clone()), Scene::later(0.0)];
        let grid = calendar
            .grid(&scenes, &prices, Accuracy::Interactive)
            .unwrap();
        let values = calendar
            .values(&scenes[0], &prices, Accuracy::Interactive)
            .unwrap();
        for (i, spot) in prices.iter().enumerate() {
            let want = price(0.3 - 0.05, far_vol, *spot) - price(0.1 - 0.05, near_vol, *spot);
            assert!(
                (values[i] - want).abs() < 1e-9 && (grid[0][i].value - want).abs() < 1e-9,
                "{vols:?} {spot}"
            );
            assert!(
                (grid[1][i].value - price(0.3, 0.25, *spot) + price(0.1, 0.25, *spot)).abs() < 1e-9
            );
        }
    }
    assert!(
        calendar
            .values(
                &scene(Shift::Points(-0.3).into()),
                &prices,
                Accuracy::Interactive
            )
            .is_err(),
        "a volatility below zero"
    );
}

/// The worked condor of `quant`'s own tests, here as a position: sold for 1.983111, half its most
/// is reached with chance 0.7242 (European).
#[test]
fn half_of_the_most_is_reached_as_often_as_worked_out() {
    let leg = |n: f64, kind, strike: f64, entry: f64| PositionLeg {
        instrument: PositionKind::Option {
            kind,
            style: Style::European,
            strike,
            time: 45.0 / 365.0,
            vol: 0.25,
        },
        quantity: n,
        multiplier: 100.0,
        entry,
    };
    let legs = vec![
        leg(1.0, Kind::Put, 90.0, 0.0),
        leg(-1.0, Kind::Put, 95.0, 1.983111),
        leg(-1.0, Kind::Call, 105.0, 0.0),
        leg(1.0, Kind::Call, 110.0, 0.0),
    ];
    let p = Position {
        spot: 100.0,
        rate: 0.04,
        carry_yield: 0.01,
        legs,
    };
    let reach = |target: f64, stop: Option<f64>| {
        p.chance_of_reaching(0.25, 45.0 / 365.0, target, stop, Accuracy::Interactive)
            .unwrap()
    };
    assert!(
        (reach(99.155, None) - 0.7242).abs() < 2e-3,
        "{}",
        reach(99.155, None)
    );
    assert!(
        reach(99.155, Some(-200.0)) < reach(99.155, None),
        "a stop takes its share"
    );
    assert_eq!((reach(-50.0, None), reach(50.0, Some(10.0))), (1.0, 0.0));
}

fn european(n: f64, kind: Kind, strike: f64, time: f64, entry: f64) -> PositionLeg {
    PositionLeg {
        instrument: PositionKind::Option {
            kind,
            style: Style::European,
            strike,
            time,
            vol: 0.25,
        },
        quantity: n,
        multiplier: 1.0,
        entry,
    }
}

/// Spot 100: two 108 calls of one day sold, one 100 call of sixty days bought. Far above, the sold
/// calls win over the bought one, and the last break-even lies beyond the highest strike.
#[test]
fn a_break_even_beyond_the_highest_strike_is_found() {
    let legs = vec![
        european(-2.0, Kind::Call, 108.0, 1.0 / 365.0, 0.01),
        european(1.0, Kind::Call, 100.0, 60.0 / 365.0, 4.5),
    ];
    let p = Position {
        spot: 100.0,
        rate: 0.04,
        carry_yield: 0.0,
        legs,
    };
    let h = p.horizon(0.25, 0.0, Accuracy::Reference).unwrap().unwrap();
    let last = h.outline.break_evens.last().unwrap();
    // The later call by Black and Scholes at the horizon, the sold ones at their exercise value.
    let terms = Terms {
        kind: Kind::Call,
        style: Style::European,
        strike: 100.0,
        time: 59.0 / 365.0,
        rate: 0.04,
        carry_yield: 0.0,
        vol: 0.25,
    };
    let profit = |s: f64| quant::european_price(&terms, s) - 2.0 * (s - 108.0).max(0.0) - 4.48;
    assert!(profit(*last).abs() < 1e-9, "{last} {}", profit(*last));
    assert!((112.0..113.5).contains(last), "{last}");
    assert_eq!(h.outline.break_evens.len(), 2);
    assert_eq!(h.outline.least, Extreme::Unlimited);
}

/// A European calendar of calls under a yield: the bought one rises by e^(−qτ) a point far above
/// and the sold one by 1, so the loss has no limit; without a yield it has. The chance of a profit
/// is that of ending between the break-evens themselves.
#[test]
fn tails_of_calendars_are_those_of_the_model() {
    let calendar = |carry_yield: f64| {
        let legs = vec![
            european(-1.0, Kind::Call, 100.0, 0.1, 3.2),
            european(1.0, Kind::Call, 100.0, 0.5, 7.3),
        ];
        Position {
            spot: 100.0,
            rate: 0.04,
            carry_yield,
            legs,
        }
    };
    let at = |q: f64| {
        let h = calendar(q).horizon(0.25, 0.0, Accuracy::Reference);
        h.unwrap().unwrap()
    };
    let (paying, plain) = (at(0.03), at(0.0));
    assert_eq!(paying.outline.least, Extreme::Unlimited);
    assert!((paying.outline.slope_at_infinity() - ((-0.012_f64).exp() - 1.0)).abs() < 1e-12);
    let limit = 100.0 * (1.0 - (-0.016_f64).exp()) - 4.1;
    assert!((plain.outline.limit_at_infinity.unwrap() - limit).abs() < 1e-9);
    let law = quant::Lognormal::new(100.0, 0.04, 0.25, 0.1).unwrap();
    let [low, high] = plain.outline.break_evens[..] else {
        panic!("{:?}", plain.outline.break_evens)
    };
    assert!((plain.chance - (law.below(high) - law.below(low))).abs() < 1e-15);
    // The mean by the trapezoidal rule over two hundred thousand prices.
    let p = calendar(0.0);
    let (n, width) = (200_000, 16.0);
    let step = width / n as f64;
    let z = |i: usize| -0.5 * width + step * i as f64;
    let s = 0.25 * 0.1_f64.sqrt();
    let prices: Vec<f64> = (0..=n)
        .map(|i| 100.0 * (0.004 + s * z(i) - 0.5 * s * s).exp())
        .collect();
    let values = p.values(&Scene::later(0.1), &prices, Accuracy::Reference);
    let mean: f64 = values
        .unwrap()
        .iter()
        .enumerate()
        .map(|(i, v)| (v - 4.1) * quant::pdf(z(i)) * step)
        .sum();
    assert!(
        (plain.expected - mean).abs() < 1e-7,
        "{} {mean}",
        plain.expected
    );
}

/// What was realised is part of the profit: it moves the outline as a whole.
#[test]
fn what_was_realised_moves_the_outline() {
    let p = position(vec![
        option(-1.0, 100.0, Kind::Put, 95.0, 0.1, 1.6),
        option(1.0, 100.0, Kind::Put, 90.0, 0.1, 0.6),
    ]);
    let at = |realised: f64| {
        let h = p.horizon(0.25, realised, Accuracy::Interactive);
        h.unwrap().unwrap().outline
    };
    let (alone, whole) = (at(0.0), at(-60.0));
    assert_eq!(
        (ends(&alone.most), ends(&alone.least)),
        (Some(100.0), Some(-400.0))
    );
    assert_eq!(
        (ends(&whole.most), ends(&whole.least)),
        (Some(40.0), Some(-460.0))
    );
    assert_eq!((alone.break_evens[0], whole.break_evens[0]), (94.0, 94.6));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Greeks are the derivatives of the values beside them.
    #[test]
    fn greeks_are_the_slopes_of_values(
        legs in prop::collection::vec(
            (-3..=3_i32, any::<bool>(), 85.0..115.0_f64, 0.1..0.6_f64),
            1..5,
        ),
        spot in 90.0..110.0_f64,
        shares in -100..=100_i32,
    ) {
        let mut all: Vec<PositionLeg> = legs
            .iter()
            .map(|(n, call, k, t)| {
                option(
                    f64::from(*n),
                    100.0,
                    if *call { Kind::Call } else { Kind::Put },
                    *k,
                    *t,
                    1.0,
                )
            })
            .collect();
        all.push(stock(f64::from(shares), 100.0));
        let p = position(all);
        let value = |spot: f64, elapsed: f64, shift: f64| {
            p.values(
                &Scene {
                    elapsed,
                    vols: Shift::Points(shift).into(),
                },
                &[spot],
                Accuracy::Reference,
            )
            .unwrap()[0]
        };
        let point = p
            .points(&Scene::later(0.05), &[spot], Accuracy::Reference)
            .unwrap()[0];
        let slope = |f: &dyn Fn(f64) -> f64, h: f64| (f(h) - f(-h)) / (2.0 * h);
        let gross: f64 = 100.0 * legs.iter().map(|l| f64::from(l.0.abs())).sum::<f64>()
            + f64::from(shares.abs());
        for (greek, slope, allowed) in [
            (
                point.delta,
                slope(&|h| value(spot + h, 0.05, 0.0), 1e-3),
                1e-6,
            ),
            (
                point.theta_day,
                slope(&|h| value(spot, 0.05 + h, 0.0), 1e-5) / 365.0,
                1e-5,
            ),
            (
                point.vega_point,
                slope(&|h| value(spot, 0.05, h), 1e-4) / 100.0,
                1e-6,
            ),
        ] {
            prop_assert!(
                (greek.unwrap() - slope).abs() <= allowed * gross.max(1.0),
                "{:?} {}",
                point,
                slope
            );
        }
        prop_assert!((point.profit - point.value + p.net_cost()).abs() < 1e-9);
    }
}
