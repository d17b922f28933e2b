//! Chances of reaching a profit, against simulation and worked values; touching chances against
//! laws.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use quant::{Kind, Lognormal, Style, Terms, chance_of_reaching, european_price, touch};

const RATE: f64 = 0.04;
const VOL: f64 = 0.25;
const TIME: f64 = 45.0 / 365.0;

/// Value of an iron condor 90/95/105/110 bought (it is sold for its negative), `t` years from now.
fn legs(t: f64, s: f64, carry_yield: f64, legs: &[(f64, Kind, f64)]) -> f64 {
    let price = |kind, strike| {
        let terms = Terms {
            kind,
            style: Style::European,
            strike,
            time: TIME - t,
            rate: RATE,
            carry_yield,
            vol: VOL,
        };
        european_price(&terms, s)
    };
    legs.iter()
        .map(|(n, kind, strike)| n * price(*kind, *strike))
        .sum()
}

/// A profit at one price as the profits at many.
fn each(profit: impl Fn(f64, f64) -> f64) -> impl Fn(f64, &[f64]) -> Vec<f64> {
    move |t, prices| prices.iter().map(|s| profit(t, *s)).collect()
}

const CONDOR: [(f64, Kind, f64); 4] = [
    (1.0, Kind::Put, 90.0),
    (-1.0, Kind::Put, 95.0),
    (-1.0, Kind::Call, 105.0),
    (1.0, Kind::Call, 110.0),
];

/// Worked values (own, by two other methods: grid limits, and simulation with bridges at two
/// standard errors): an iron condor sold for 1.983111 reaches a quarter, half, three quarters of
/// its most; a sold 95 put half.
#[test]
fn half_of_the_most_is_reached_as_often_as_worked_out() {
    let credit = -legs(0.0, 100.0, 0.01, &CONDOR);
    assert!((credit - 1.983111).abs() < 5e-7, "{credit}");
    for (share, want) in [(0.25, 0.8486), (0.5, 0.7242), (0.75, 0.6070)] {
        let got = chance_of_reaching(
            100.0,
            RATE - 0.01,
            VOL,
            TIME,
            each(|t, s| legs(t, s, 0.01, &CONDOR) + credit),
            share * credit,
            None,
        )
        .unwrap();
        assert!((got - want).abs() < 1.5e-3, "{share}: {got} {want}");
    }
    let put = [(-1.0, Kind::Put, 95.0)];
    let premium = -legs(0.0, 100.0, 0.0, &put);
    let got = chance_of_reaching(
        100.0,
        RATE,
        VOL,
        TIME,
        each(|t, s| legs(t, s, 0.0, &put) + premium),
        0.5 * premium,
        None,
    )
    .unwrap();
    assert!((got - 0.8979).abs() < 2e-3, "{got}");
}

/// SplitMix64, for a simulation that is the same everywhere.
struct Dice(u64);

impl Dice {
    fn uniform(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let z = (self.0 ^ (self.0 >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1_u64 << 53) as f64
    }
}

/// A profit that is the price itself makes it a question of touching, whose answer is in closed
/// form; with a stop, of which comes first.
#[test]
fn a_linear_profit_is_touching_and_a_stop_takes_its_share() {
    let ask = |target, stop| {
        chance_of_reaching(100.0, 0.03, VOL, TIME, each(|_, s| s - 100.0), target, stop).unwrap()
    };
    let t = touch(100.0, 90.0, 110.0, 0.03, VOL, TIME).unwrap();
    assert!(
        (ask(10.0, None) - t.high).abs() < 1e-3,
        "{} {}",
        ask(10.0, None),
        t.high
    );
    // Worked by an eigenfunction series of its own: the upper of 90 and 110 is touched first with
    // chance 0.276561.
    assert!(
        (ask(10.0, Some(-10.0)) - 0.276561).abs() < 1e-3,
        "{}",
        ask(10.0, Some(-10.0))
    );
    let mut dice = Dice(1);
    let (steps, paths) = (400, 40_000);
    let dt = TIME / f64::from(steps);
    let mut hits = 0;
    for _ in 0..paths {
        let mut x = 0.0_f64;
        for _ in 0..steps {
            let z = quant::inverse_cdf(dice.uniform().clamp(1e-16, 1.0 - 1e-16));
            let next = x + (0.03 - VOL * VOL / 2.0) * dt + VOL * dt.sqrt() * z;
            // A bridge between the two ends may cross where neither stands.
            let mut crossed = |from: f64, to: f64| {
                from <= 0.0
                    || to <= 0.0
                    || dice.uniform() < (-2.0 * from * to / (VOL * VOL * dt)).exp()
            };
            let (up, down) = (1.1_f64.ln(), 0.95_f64.ln());
            if crossed(up - x, up - next) {
                hits += 1;
                break;
            }
            if crossed(x - down, next - down) {
                break;
            }
            x = next;
        }
    }
    // Standard error 0.0021 or less.
    let simulated = f64::from(hits) / f64::from(paths);
    let got = ask(10.0, Some(-5.0));
    assert!((got - simulated).abs() < 0.009, "{got} {simulated}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn touching_obeys_its_laws(
        a in 0.5..0.99_f64,
        b in 1.01..2.0_f64,
        drift in -0.3..0.3_f64,
        vol in 0.05..1.0_f64,
        time in 0.005..2.0_f64,
    ) {
        let t = touch(100.0, 100.0 * a, 100.0 * b, drift, vol, time).unwrap();
        for p in [t.low, t.high, t.either, t.both, t.neither] {
            prop_assert!((0.0..=1.0).contains(&p), "{t:?}");
        }
        prop_assert!(t.both <= t.low.min(t.high) && t.either >= t.low.max(t.high) - 1e-15);
        // Whoever ends beyond a barrier has touched it; longer and nearer touch more.
        let end = Lognormal::new(100.0, drift, vol, time).unwrap();
        prop_assert!(
            t.low >= end.below(100.0 * a) - 1e-12 && t.high >= end.above(100.0 * b) - 1e-12
        );
        let longer = touch(100.0, 100.0 * a, 100.0 * b, drift, vol, time * 1.5).unwrap();
        prop_assert!(
            longer.low >= t.low - 1e-12
                && longer.high >= t.high - 1e-12
                && longer.neither <= t.neither + 1e-12
        );
        let nearer = touch(100.0, 100.0 * a.sqrt(), 100.0 * b.sqrt(), drift, vol, time).unwrap();
        prop_assert!(
            nearer.low >= t.low - 1e-12
                && nearer.high >= t.high - 1e-12
                && nearer.neither <= t.neither + 1e-12
        );
        // Turned over: 1/S has drift σ² − μ and the barriers change places.
        let mirrored = touch(1.0, 1.0 / b, 1.0 / a, vol * vol - drift, vol, time).unwrap();
        prop_assert!(
            (mirrored.low - t.high).abs() < 1e-10 && (mirrored.neither - t.neither).abs() < 1e-10,
            "{mirrored:?} {t:?}"
        );
    }

    #[test]
    fn any_finite_barriers_give_chances_or_a_named_error(
        s in prop_oneof![Just(0.0), Just(1e12), Just(1e-9), 0.01..1e4_f64],
        low in prop_oneof![Just(0.0), 0.01..1e4_f64],
        high in prop_oneof![Just(1e300), 0.01..1e4_f64],
        drift in prop_oneof![Just(-5.0), Just(5.0), -1.0..1.0_f64],
        vol in prop_oneof![Just(0.0), Just(1e-9), Just(50.0), 0.0..3.0_f64],
        time in prop_oneof![Just(0.0), Just(200.0), 0.0..5.0_f64],
    ) {
        if let Ok(t) = touch(s, low, high, drift, vol, time) {
            for p in [t.low, t.high, t.either, t.both, t.neither] {
                prop_assert!((0.0..=1.0).contains(&p), "{t:?}");
            }
        }
    }
}
