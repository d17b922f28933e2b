//! A holding on one line of prices, in prices and in deviations of them.

use crate::common::*;
use desk::*;

/// A short strangle of 90 and 110 for 2.00: break-evens of 88 and 112, zones worked by hand.
fn strangle() -> (Holding, Shape) {
    let (holding, cash) = priced("-1 90P @1.00, -1 110C @1.00");
    let shape = Shape::of(&holding, &underlying(), desk::Received::counted(cash));
    (holding, shape)
}

/// ln(1.10)/0.1 = 0.9531 and ln(0.88)/0.1 = −1.2783, where one deviation of the logarithm is 0.1.
#[test]
fn a_strip_in_deviations() {
    let (holding, shape) = strangle();
    let zones = zones_of(&shape);
    let ends: Vec<(f64, f64, bool)> = zones.iter().map(|z| (z.from, z.to, z.gain)).collect();
    assert_eq!(
        ends,
        [
            (0.0, 88.0, false),
            (88.0, 112.0, true),
            (112.0, f64::INFINITY, false)
        ]
    );
    let strip = |deviation| Strip::in_deviations((&holding, &shape, &[]), 100.0, deviation, 3.0);
    let scaled = strip(0.1).unwrap();
    assert_eq!((scaled.low, scaled.high, scaled.spot), (-3.0, 3.0, 0.0));
    assert_eq!((scaled.zones[0].from, scaled.zones[2].to), (-3.0, 3.0));
    assert!((scaled.zones[1].from + 1.278_334).abs() < 1e-6);
    assert!((scaled.shorts[1] - 0.953_102).abs() < 1e-6);
    let nearest = |deviation| deviations_to_nearest(&holding, &shape, 100.0, deviation);
    assert!((nearest(0.1).unwrap() - 0.953_102).abs() < 1e-6);
    // A hundredth of the deviation: all of it lies beyond the edge, and nothing is turned over.
    let near = strip(0.001).unwrap();
    assert!(near.zones.len() == 1 && near.zones[0].gain);
    assert_eq!(near.shorts, [-3.0, 3.0]);
    assert!(strip(0.0).is_none() && nearest(0.0).is_none());
}

/// A ratio of calls turns to loss far above, at more than twice the price. The strip in prices leaves
/// that out; the one in deviations has it, where it lies within its reach.
#[test]
fn a_far_break_even_is_on_the_wide_strip() {
    let (holding, cash) = priced("+2 100C @10.00, -3 160C @2.00");
    let shape = Shape::of(&holding, &underlying(), desk::Received::counted(cash));
    // 2·(p − 100) − 3·(p − 160) − 14 = 0 at 266.
    let edges: Vec<f64> = zones_of(&shape).iter().skip(1).map(|z| z.from).collect();
    assert_eq!(edges, [107.0, 266.0]);
    let last = |s: &Strip| *s.zones.last().unwrap();
    let narrow = Strip::of(&holding, &shape, &[], 100.0);
    assert!(narrow.high < 266.0 && last(&narrow).gain);
    let wide = Strip::in_deviations((&holding, &shape, &[]), 100.0, 0.6, 3.0).unwrap();
    assert!(!last(&wide).gain);
    assert!((last(&wide).from - (2.66_f64).ln() / 0.6).abs() < 1e-12);
}
