//! Smiles: printed arbitrage examples, fits, interpolation, and the smile's own chances.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use quant::{
    Kind, Lognormal, Outcome, SmilePoint, Ssvi, Style, SurfaceChances, Svi, Terms,
    chance_of_reaching, european_price, event_move, smile_below, total_variance_between, touch,
};

/// Gatheral & Jacquier (2014), example 3.1 (after Vogt): a slice with butterfly arbitrage, its
/// lowest g near k = 0.88 (from memory, recomputed with another library: w(0) = .01742625, g =
/// −.03286).
#[test]
fn the_printed_slice_has_its_arbitrage() {
    let vogt = Svi::new(-0.0410, 0.1331, 0.3060, 0.3586, 0.4153).unwrap();
    assert!((vogt.at(0.0).0 - 0.01742625).abs() < 5e-9);
    let (k, g) = vogt.lowest_density(-1.5, 1.5);
    assert!(
        (k - 0.88).abs() < 0.01 && (g + 0.0329).abs() < 1e-3,
        "{k} {g}"
    );
    for bad in [
        Svi::new(-0.2, 0.13, 0.3, 0.35, 0.41),
        Svi::new(0.04, 1.9, 0.3, 0.0, 0.1),
        Svi::new(0.04, 0.1, -1.0, 0.0, 0.1),
        Svi::new(0.04, 0.1, 0.0, 0.0, 0.0),
    ] {
        assert!(bad.is_err());
    }
}

/// A constant maturity by hand: 23 days at 18 %, 37 days at 19 % give 18.623014 % at 30.
#[test]
fn variance_between_expirations_and_of_an_event() {
    let at = |days: f64, vol: f64| (days / 365.0, vol * vol * days / 365.0);
    let w = total_variance_between(at(23.0, 0.18), at(37.0, 0.19), 30.0 / 365.0).unwrap();
    assert!(((w / (30.0 / 365.0)).sqrt() - 0.18623014).abs() < 5e-9);
    assert!(
        total_variance_between(at(23.0, 0.30), at(37.0, 0.19), 30.0 / 365.0).is_err(),
        "calendar arbitrage is refused"
    );
    assert!(total_variance_between(at(23.0, 0.18), at(37.0, 0.19), 40.0 / 365.0).is_err());
    // A jump of 4.5 % on top of 30 % is found again, whether the nearer expiration contains it or not.
    let jump = 0.045_f64;
    let with = |years: f64| (years, ((0.09 * years + jump * jump) / years).sqrt());
    let (t1, t2) = (10.0 / 365.0, 38.0 / 365.0);
    for (near, event) in [((t1, 0.30), 12.0 / 365.0), (with(t1), 9.0 / 365.0)] {
        let found = event_move(near, with(t2), event).unwrap();
        assert!((found.deviation - jump).abs() < 1e-14 && (found.base_vol - 0.30).abs() < 1e-14);
    }
}

fn any_slice() -> impl Strategy<Value = Svi> {
    (
        0.002..0.1_f64,
        0.02..0.5_f64,
        -0.9..0.6_f64,
        -0.15..0.15_f64,
        0.05..0.5_f64,
    )
        .prop_filter_map("outside the domain", |(a, b, rho, m, s)| {
            Svi::new(a, b, rho, m, s).ok()
        })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn a_fit_gives_the_slice_back_and_stays_within_the_quotes(
        slice in any_slice(),
        noise in prop::collection::vec(-1.0..1.0_f64, 25),
    ) {
        let places: Vec<f64> = (0..25).map(|i| -0.6 + 0.05 * f64::from(i)).collect();
        let exact: Vec<SmilePoint> = places
            .iter()
            .map(|k| SmilePoint {
                k: *k,
                total_variance: slice.at(*k).0,
                weight: 1.0,
            })
            .collect();
        let fit = Svi::fit(&exact).unwrap();
        prop_assert!(fit.worst < 1e-6, "{fit:?} of {slice:?}");
        // Quotes half a percent of variance off: the fit stays within a few times that of the
        // truth.
        let off: Vec<SmilePoint> = exact
            .iter()
            .zip(noise)
            .map(|(p, n)| SmilePoint {
                total_variance: p.total_variance * (1.0 + 0.005 * n),
                ..*p
            })
            .collect();
        let fit = Svi::fit(&off).unwrap();
        let true_worst = places
            .iter()
            .map(|k| (fit.slice.at(*k).0 / slice.at(*k).0 - 1.0).abs())
            .fold(0.0, f64::max);
        prop_assert!(true_worst < 0.03, "{true_worst}");
        // A point without weight does not count.
        let mut wild = exact.clone();
        wild.push(SmilePoint {
            k: 0.02,
            total_variance: 3.0,
            weight: 0.0,
        });
        prop_assert!(Svi::fit(&wild).unwrap().worst < 1e-6);
    }

    #[test]
    fn the_smiles_chance_is_the_slope_of_its_puts(
        rho in -0.8..0.3_f64,
        theta in 0.002..0.2_f64,
        k in -0.5..0.5_f64,
    ) {
        let ssvi = Ssvi::new(rho, 1.0, 0.5).unwrap();
        let w = |k: f64| ssvi.total_variance(k, theta);
        let put = |strike: f64| {
            let t = Terms {
                kind: Kind::Put,
                style: Style::European,
                strike,
                time: 1.0,
                rate: 0.0,
                carry_yield: 0.0,
                vol: w((strike / 100.0).ln()).sqrt(),
            };
            european_price(&t, 100.0)
        };
        let (strike, h) = (100.0 * k.exp(), 1e-3);
        let slope = (put(strike + h) - put(strike - h)) / (2.0 * h);
        let dw = (w(k + 1e-5) - w(k - 1e-5)) / 2e-5;
        let below = smile_below(w(k), dw, k);
        prop_assert!((below - slope).abs() < 1e-5, "{below} {slope}");
        prop_assert!((-1e-12..=1.0 + 1e-12).contains(&below));
        prop_assert!(
            (smile_below(w(k), 0.0, k) - quant::cdf((k + w(k) / 2.0) / w(k).sqrt())).abs() < 1e-15,
            "flat: the lognormal's own"
        );
    }
}

#[test]
fn too_few_or_impossible_points_are_refused_by_name() {
    let point = |k: f64, w: f64| SmilePoint {
        k,
        total_variance: w,
        weight: 1.0,
    };
    assert!(
        Svi::fit(&[point(0.0, 0.04); 4])
            .unwrap_err()
            .to_string()
            .contains("number of points")
    );
    let mut bad = vec![point(0.0, 0.04); 6];
    bad[2].total_variance = -0.1;
    assert!(
        Svi::fit(&bad)
            .unwrap_err()
            .to_string()
            .contains("total variance")
    );
    bad[2].total_variance = f64::NAN;
    assert!(Svi::fit(&bad).is_err());
}

/// A surface of the demo's shape: skewed, its at-the-money variance growing evenly with time.
fn skewed(k: f64, t: f64) -> f64 {
    Ssvi::new(-0.6, 0.9, 0.5)
        .unwrap()
        .total_variance(k, 0.0625 * t)
}

/// On a flat surface everything is the lognormal's own, which has closed forms.
#[test]
fn a_flat_surface_gives_the_closed_forms() {
    let (drift, vol, time) = (0.03, 0.25, 0.3);
    let flat = SurfaceChances::new(100.0, drift, |_, t: f64| vol * vol * t).unwrap();
    let lognormal = Lognormal::new(100.0, drift, vol, time).unwrap();
    for price in [0.0, 50.0, 90.0, 100.0, 130.0, f64::INFINITY] {
        assert!(
            (flat.below(price, time) - lognormal.below(price)).abs() < 1e-13,
            "{price}"
        );
    }
    for share in [0.001, 0.16, 0.5, 0.84, 0.999] {
        assert!(
            (flat.quantile(share, time).unwrap() / lognormal.quantile(share) - 1.0).abs() < 1e-9
        );
        assert!((lognormal.below(lognormal.quantile(share)) - share).abs() < 1e-12);
    }
    // A condor bought, with a jump in its payoff besides.
    let pieces = [
        (0.0, 80.0, -3.0, 0.0),
        (80.0, 95.0, -3.0, 0.4),
        (95.0, 110.0, 3.5, 0.0),
        (110.0, f64::INFINITY, 3.0, -0.5),
    ]
    .map(|(from, to, value, slope)| Outcome {
        from,
        to,
        value,
        slope,
    });
    let (got, want) = (flat.profit(&pieces, time), lognormal.profit(&pieces));
    assert!(
        (got.0 - want.0).abs() < 1e-12 && (got.1 - want.1).abs() < 1e-10,
        "{got:?} {want:?}"
    );
    for (low, high) in [
        (90.0, 110.0),
        (97.0, 104.0),
        (60.0, 101.0),
        (99.5, 180.0),
        (101.0, 120.0),
    ] {
        let (got, want) = (
            flat.touch(low, high, time).unwrap(),
            touch(100.0, low, high, drift, vol, time).unwrap(),
        );
        for (a, b) in [
            (got.low, want.low),
            (got.high, want.high),
            (got.either, want.either),
            (got.both, want.both),
            (got.neither, want.neither),
        ] {
            assert!((a - b).abs() < 1e-4, "{low} {high}: {got:?} {want:?}");
        }
    }
    let gain = |_: f64, prices: &[f64]| prices.iter().map(|s| s - 100.0).collect();
    let (got, want) = (
        flat.reaching(time, gain, 8.0, Some(-6.0)),
        chance_of_reaching(100.0, drift, vol, time, gain, 8.0, Some(-6.0)),
    );
    assert!((got.unwrap() - want.unwrap()).abs() < 1e-6);
}

/// Under a skew: simulated along the local volatility the price ends where the slice says (so the
/// local volatility is the surface's own), and touches and reaches as often as the grids say.
#[test]
fn under_a_skew_simulation_agrees() {
    let (drift, time) = (0.02, 0.25);
    let smile = SurfaceChances::new(100.0, drift, skewed).unwrap();
    let mut state = 7_u64;
    let mut uniform = || {
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        ((state >> 11) as f64 + 0.5) / (1_u64 << 53) as f64
    };
    let (steps, paths, cells) = (150, 20_000, 400);
    let dt = time / f64::from(steps);
    // Local volatility on a table, or the simulation would take minutes.
    let table: Vec<Vec<f64>> = (0..steps)
        .map(|i| {
            (0..=cells)
                .map(|c| {
                    smile
                        .local_vol(
                            100.0 * (f64::from(c) * 0.006 - 1.2).exp(),
                            (f64::from(i) + 0.5) * dt,
                        )
                        .unwrap()
                })
                .collect()
        })
        .collect();
    let (low, high) = (90.0_f64, 108.0_f64);
    let (a, b) = ((low / 100.0).ln(), (high / 100.0).ln());
    let (mut below, mut touched_low, mut touched_high, mut either) = ([0; 3], 0, 0, 0);
    let ends = [88.0, 98.0, 106.0];
    for _ in 0..paths {
        let (mut y, mut at_low, mut at_high) = (0.0_f64, false, false);
        for row in &table {
            let place = ((y + 1.2) / 0.006).clamp(0.0, f64::from(cells) - 1.0);
            let (cell, part) = (place as usize, place.fract());
            let vol = row[cell] * (1.0 - part) + row[cell + 1] * part;
            let next = y
                + (drift - 0.5 * vol * vol) * dt
                + vol * dt.sqrt() * quant::inverse_cdf(uniform());
            let mut crossed = |from: f64, to: f64| {
                from <= 0.0 || to <= 0.0 || uniform() < (-2.0 * from * to / (vol * vol * dt)).exp()
            };
            at_low |= crossed(y - a, next - a);
            at_high |= crossed(b - y, b - next);
            y = next;
        }
        for (count, price) in below.iter_mut().zip(ends) {
            *count += i32::from(100.0 * y.exp() < price);
        }
        touched_low += i32::from(at_low);
        touched_high += i32::from(at_high);
        either += i32::from(at_low || at_high);
    }
    // Three standard errors are 0.0106 at most.
    let share = |count: i32| f64::from(count) / f64::from(paths);
    for (count, price) in below.into_iter().zip(ends) {
        let want = smile.below(price, time);
        assert!(
            (share(count) - want).abs() < 0.0106,
            "below {price}: {} {want}",
            share(count)
        );
    }
    let t = smile.touch(low, high, time).unwrap();
    for (count, want) in [
        (touched_low, t.low),
        (touched_high, t.high),
        (either, t.either),
    ] {
        assert!(
            (share(count) - want).abs() < 0.0106,
            "{} {want} {t:?}",
            share(count)
        );
    }
    let reached = smile
        .reaching(
            time,
            |_, prices| prices.iter().map(|s| 100.0 - s).collect(),
            10.0,
            None,
        )
        .unwrap();
    assert!((reached - t.low).abs() < 1e-3, "{reached} {t:?}");
    // The skew shows: the same barriers under the volatility at the money are touched otherwise.
    let flat = touch(100.0, low, high, drift, 0.25, time).unwrap();
    assert!(
        t.high > flat.high + 0.01,
        "a skewed price rises often and falls far: {t:?} {flat:?}"
    );
    // Sold at the smile's own prices a condor is fair under the smile.
    let pieces = [
        (0.0, 90.0, -5.0, 0.0),
        (90.0, 95.0, -5.0, 1.0),
        (95.0, 105.0, 0.0, 0.0),
        (105.0, 110.0, 0.0, -1.0),
        (110.0, f64::INFINITY, -5.0, 0.0),
    ]
    .map(|(from, to, value, slope)| Outcome {
        from,
        to,
        value,
        slope,
    });
    let forward = 100.0 * (drift * time).exp();
    let black = |kind, strike: f64| {
        let vol = skewed((strike / forward).ln(), time).sqrt();
        european_price(
            &Terms {
                kind,
                style: Style::European,
                strike,
                time: 1.0,
                rate: 0.0,
                carry_yield: 0.0,
                vol,
            },
            forward,
        )
    };
    let premium = black(Kind::Put, 95.0) - black(Kind::Put, 90.0) + black(Kind::Call, 105.0)
        - black(Kind::Call, 110.0);
    let (_, expected) = smile.profit(&pieces, time);
    assert!((expected + premium).abs() < 1e-10, "{expected} {premium}");
}

/// A surface whose variance falls with time, and Vogt's slice (see above): no local volatility,
/// said so.
#[test]
fn a_surface_with_arbitrage_is_refused_where_it_is() {
    let falling = SurfaceChances::new(100.0, 0.0, |_, t: f64| 0.02 - 0.01 * t).unwrap();
    assert!(
        falling
            .local_vol(100.0, 0.5)
            .unwrap_err()
            .to_string()
            .starts_with("the volatility surface has arbitrage at price 100")
    );
    let vogt = Svi::new(-0.0410, 0.1331, 0.3060, 0.3586, 0.4153).unwrap();
    let smile = SurfaceChances::new(100.0, 0.0, |k, t: f64| vogt.at(k).0 * t).unwrap();
    assert!(smile.local_vol(100.0 * 0.88_f64.exp(), 1.0).is_err());
    assert!(smile.touch(50.0, 300.0, 1.0).is_err());
    assert!(
        smile.touch(120.0, 110.0, 1.0).is_err()
            && SurfaceChances::new(100.0, f64::NAN, skewed).is_err()
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Under any admissible smile: chances rise with the price, the cone's edges are where their
    /// shares say, and a payoff of the price itself is worth the forward.
    #[test]
    fn under_any_smile_chances_are_a_distribution(
        rho in -0.9..0.7_f64,
        eta in 0.1..1.0_f64,
        level in 0.005..1.5_f64,
        drift in -0.2..0.2_f64,
        time in 0.003..3.0_f64,
        shares in prop::collection::vec(0.001..0.999_f64, 2..6),
    ) {
        let ssvi = Ssvi::new(rho, eta, 0.5).unwrap();
        let smile =
            SurfaceChances::new(100.0, drift, |k, t: f64| ssvi.total_variance(k, level * t)).unwrap();
        let mut shares = shares;
        shares.sort_by(f64::total_cmp);
        let edges: Vec<f64> = shares
            .iter()
            .map(|p| smile.quantile(*p, time).unwrap())
            .collect();
        for ((share, edge), next) in shares
            .iter()
            .zip(&edges)
            .zip(edges.iter().skip(1).chain([&f64::INFINITY]))
        {
            prop_assert!(
                (smile.below(*edge, time) - share).abs() < 1e-6,
                "{share}: {edge} {}",
                smile.below(*edge, time)
            );
            prop_assert!(edge <= next, "{edges:?}");
        }
        let (chance, expected) = smile.profit(
            &[Outcome {
                from: 0.0,
                to: f64::INFINITY,
                value: 0.0,
                slope: 1.0,
            }],
            time,
        );
        let forward = 100.0 * (drift * time).exp();
        prop_assert!(
            (chance - 1.0).abs() < 1e-12 && (expected / forward - 1.0).abs() < 1e-12,
            "{chance} {expected} {forward}"
        );
        // Its local volatility exists within two deviations of the forward, at any time up to then.
        let deviation = (level * time).sqrt();
        for place in [-2.0, -0.5, 0.0, 0.7, 2.0] {
            let local = smile
                .local_vol(forward * (place * deviation).exp(), time * 0.6)
                .unwrap();
            prop_assert!(local.is_finite() && local > 0.0);
        }
    }
}
