//! Which strikes are listed of a simulated underlying.
//!
//! An expiration is listed so many days before its end: from then on coarse strikes stand around
//! every close, and fine ones around the closes of its last hundred days. As the price wanders
//! strikes are added; none is withdrawn.

use desk::calendar::monthly_expiration;
use desk::{Expiration, LISTED_AHEAD, Moment, Price, Underlying, day_number};
use jiff::civil::Date;

use crate::specs::Spec;

/// Calendar days before its end on which an expiration is listed.
fn life(underlying: &Underlying, expiry: Date) -> i64 {
    if !underlying.own_dates.is_empty() {
        LISTED_AHEAD
    } else if monthly_expiration(expiry.year(), expiry.month()) != expiry {
        45
    } else if expiry.month() == 1 {
        1_000
    } else if expiry.month() % 3 == 0 {
        400
    } else {
        150
    }
}

/// Days before the end from which fine strikes are added.
const FINE: i64 = 100;

/// How far from a close strikes reach, as a share of the outermost step's distance.
fn reach(life: i64) -> f64 {
    if life <= 45 { 0.45 } else { 0.75 }
}

/// Distance of strikes (in cents) at a strike: twice the stated step for each doubling of the price
/// since the name began, half of it below six tenths of that price.
fn step_at(strike: i64, step: i64, anchor: f64) -> i64 {
    let level = strike as f64 / 100.0 / anchor;
    if level < 0.6 {
        half(step)
    } else {
        step << (libm::log2(level / 1.6).floor() + 1.0).clamp(0.0, 8.0) as i64
    }
}

/// Half a step, where that is one that is listed anywhere.
fn half(step: i64) -> i64 {
    if matches!(step, 100 | 200 | 500 | 1_000 | 2_000) {
        step / 2
    } else {
        step
    }
}

/// The strikes of one expiration of a simulated underlying at a moment, ascending; `closes` tells the lowest
/// and the highest close from a day on.
pub(crate) fn ladder(
    spec: &Spec,
    closes: impl Fn(i64) -> (f64, f64),
    expiration: &Expiration,
    at: Moment,
) -> Vec<Price> {
    let expiry = expiration.date;
    let life = life(&spec.underlying, expiry);
    let range = |days: i64| closes(day_number(expiry) - days);
    let outermost = spec.steps.last().map_or(0.3, |s| s.0) * reach(life);
    let mut out = Vec::new();
    for (i, (distance, step)) in spec.steps.iter().enumerate() {
        let coarse = i + 1 == spec.steps.len();
        let near = at.days_until(expiry) <= FINE;
        if !coarse && !near {
            continue;
        }
        let (low, high) = range(if coarse { life } else { life.min(FINE) });
        let distance = distance.min(outermost);
        let grid = |value: f64| (value * 100.0 / *step as f64).round() as i64 * step;
        let mut strike = grid(low * (1.0 - distance)).max(*step);
        while strike <= grid(high * (1.0 + distance)) {
            if strike % step_at(strike, *step, spec.anchor) == 0 {
                out.push(Price::cents(strike));
            }
            strike += half(*step);
        }
    }
    out.sort_unstable();
    out.dedup();
    out
}
