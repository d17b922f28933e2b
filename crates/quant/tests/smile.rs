//! Smiles: printed arbitrage examples, fits, interpolation, and the smile's own chances.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use quant::{Kind, SmilePoint, Ssvi, Style, Svi, Terms, european_price, event_variance, smile_below, total_variance_between};

/// Gatheral & Jacquier (2014), example 3.1 (after Vogt): a slice with butterfly arbitrage, its lowest g near k = 0.88 (from memory, recomputed
/// with another library: w(0) = .01742625, g = −.03286).
#[test]
fn the_printed_slice_has_its_arbitrage() {
    let vogt = Svi::new(-0.0410, 0.1331, 0.3060, 0.3586, 0.4153).unwrap();
    assert!((vogt.at(0.0).0 - 0.01742625).abs() < 5e-9);
    let (k, g) = vogt.lowest_density(-1.5, 1.5);
    assert!((k - 0.88).abs() < 0.01 && (g + 0.0329).abs() < 1e-3, "{k} {g}");
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
    assert!(total_variance_between(at(23.0, 0.30), at(37.0, 0.19), 30.0 / 365.0).is_err(), "calendar arbitrage is refused");
    assert!(total_variance_between(at(23.0, 0.18), at(37.0, 0.19), 40.0 / 365.0).is_err());
    let jump = 0.045_f64;
    let (near, far) = (at(10.0, 0.30), at(38.0, 0.30));
    assert!((event_variance(near, (far.0, far.1 + jump * jump)).unwrap() - jump * jump).abs() < 1e-15);
}

fn any_slice() -> impl Strategy<Value = Svi> {
    (0.002..0.1_f64, 0.02..0.5_f64, -0.9..0.6_f64, -0.15..0.15_f64, 0.05..0.5_f64)
        .prop_filter_map("outside the domain", |(a, b, rho, m, s)| Svi::new(a, b, rho, m, s).ok())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn a_fit_gives_the_slice_back_and_stays_within_the_quotes(slice in any_slice(), noise in prop::collection::vec(-1.0..1.0_f64, 25)) {
        let places: Vec<f64> = (0..25).map(|i| -0.6 + 0.05 * f64::from(i)).collect();
        let exact: Vec<SmilePoint> = places.iter().map(|k| SmilePoint { k: *k, total_variance: slice.at(*k).0, weight: 1.0 }).collect();
        let fit = Svi::fit(&exact).unwrap();
        prop_assert!(fit.worst < 1e-6, "{fit:?} of {slice:?}");
        // Quotes half a percent of variance off: the fit stays within a few times that of the truth.
        let off: Vec<SmilePoint> = exact.iter().zip(noise).map(|(p, n)| SmilePoint { total_variance: p.total_variance * (1.0 + 0.005 * n), ..*p }).collect();
        let fit = Svi::fit(&off).unwrap();
        let true_worst = places.iter().map(|k| (fit.slice.at(*k).0 / slice.at(*k).0 - 1.0).abs()).fold(0.0, f64::max);
        prop_assert!(true_worst < 0.03, "{true_worst}");
        // A point without weight does not count.
        let mut wild = exact.clone();
        wild.push(SmilePoint { k: 0.02, total_variance: 3.0, weight: 0.0 });
        prop_assert!(Svi::fit(&wild).unwrap().worst < 1e-6);
    }

    #[test]
    fn the_smiles_chance_is_the_slope_of_its_puts(rho in -0.8..0.3_f64, theta in 0.002..0.2_f64, k in -0.5..0.5_f64) {
        let ssvi = Ssvi::new(rho, 1.0, 0.5).unwrap();
        let w = |k: f64| ssvi.total_variance(k, theta);
        let put = |strike: f64| {
            let t = Terms { kind: Kind::Put, style: Style::European, strike, time: 1.0, rate: 0.0, carry_yield: 0.0, vol: w((strike / 100.0).ln()).sqrt() };
            european_price(&t, 100.0)
        };
        let (strike, h) = (100.0 * k.exp(), 1e-3);
        let slope = (put(strike + h) - put(strike - h)) / (2.0 * h);
        let dw = (w(k + 1e-5) - w(k - 1e-5)) / 2e-5;
        let below = smile_below(w(k), dw, k);
        prop_assert!((below - slope).abs() < 1e-5, "{below} {slope}");
        prop_assert!((-1e-12..=1.0 + 1e-12).contains(&below));
        prop_assert!((smile_below(w(k), 0.0, k) - quant::cdf((k + w(k) / 2.0) / w(k).sqrt())).abs() < 1e-15, "flat: the lognormal's own");
    }
}

#[test]
fn too_few_or_impossible_points_are_refused_by_name() {
    let point = |k: f64, w: f64| SmilePoint { k, total_variance: w, weight: 1.0 };
    assert!(Svi::fit(&[point(0.0, 0.04); 4]).unwrap_err().to_string().contains("number of points"));
    let mut bad = vec![point(0.0, 0.04); 6];
    bad[2].total_variance = -0.1;
    assert!(Svi::fit(&bad).unwrap_err().to_string().contains("total variance"));
    bad[2].total_variance = f64::NAN;
    assert!(Svi::fit(&bad).is_err());
}
