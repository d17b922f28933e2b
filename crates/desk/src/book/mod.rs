//! The book: everything that is held, in the terms of one index and under any market.

pub mod mend;
mod strip;
pub mod tails;
mod worth;

pub use strip::{Strip, Zone, bands, deviations_to_nearest, zones_of};
pub use worth::{
    BookLeg, BookOption, BookPosition, LegError, LegWorth, OwnGreeks, Scenario, VolAnswer,
};

use crate::valuation::PositionGreeks;

/// How many shares of an index one share of a name at `spot` stands for, where it moves `beta` times
/// as much: beta·spot/index.
pub fn weight(beta: f64, spot: f64, index: f64) -> f64 {
    beta * spot / index
}

/// Moves of the index that the stress loss of rules is the worst of.
pub const STRESS_MOVES: [f64; 12] = [
    -0.10, -0.075, -0.05, -0.03, -0.02, -0.01, 0.01, 0.02, 0.03, 0.05, 0.075, 0.10,
];

/// How volatility answers there: by twice what its own name falls (common practice, no source).
pub const STRESS_ANSWER: VolAnswer = VolAnswer::PerMove(2.0);

/// Delta and gamma in shares of an index.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct IndexGreeks {
    /// The same as so many shares of the index: money that one point of it makes.
    pub delta: f64,
    /// Change of the delta per point of the index.
    pub gamma: f64,
}

impl IndexGreeks {
    /// Of a delta and a gamma in the terms of a name with this [`weight`].
    pub fn of(delta: f64, gamma: f64, weight: f64) -> IndexGreeks {
        IndexGreeks {
            delta: delta * weight,
            gamma: gamma * weight * weight,
        }
    }

    /// Adds the Greeks of two parts of a book.
    pub fn plus(self, o: IndexGreeks) -> IndexGreeks {
        IndexGreeks {
            delta: self.delta + o.delta,
            gamma: self.gamma + o.gamma,
        }
    }
}

/// Greeks of the whole book.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct BookGreeks {
    /// Delta in shares of the index: delta·beta·price/index, summed.
    pub lean: f64,
    /// Money that one day's passing brings, all else equal.
    pub theta: f64,
    /// Per volatility point; points of different underlyings are added as they are.
    pub vega: f64,
}

impl BookGreeks {
    /// Adds Greeks in one underlying at its price, which moves `beta` times as much as the index.
    pub fn add(&mut self, greeks: &PositionGreeks, beta: f64, spot: f64, index: f64) {
        self.lean += greeks.delta * weight(beta, spot, index);
        self.theta += greeks.theta;
        self.vega += greeks.vega;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// An index at 5,000; 120 shares' worth at 100 with beta 1.3 and gamma −4, −300 at 50 with beta
    /// 0.8 and gamma 6, and −8 of the index itself with gamma −0.004 (worked out by hand): −7.28 and
    /// −0.00632; a rise of 1 % loses 364.00 along the line, 371.90 with the curve.
    #[test]
    fn three_names_in_the_terms_of_one_index() {
        let index = 5_000.0;
        let names = [
            (120.0, -4.0, 1.3, 100.0, 3.12, -0.002_704),
            (-300.0, 6.0, 0.8, 50.0, -2.4, 0.000_384),
            (-8.0, -0.004, 1.0, index, -8.0, -0.004),
        ];
        let mut sum = IndexGreeks::default();
        for (delta, gamma, beta, spot, lean, curve) in names {
            let one = IndexGreeks::of(delta, gamma, weight(beta, spot, index));
            assert!((one.delta - lean).abs() < 1e-12 && (one.gamma - curve).abs() < 1e-15);
            sum = sum.plus(one);
        }
        assert!((sum.delta + 7.28).abs() < 1e-12 && (sum.gamma + 0.006_32).abs() < 1e-12);
        let points = 0.01 * index;
        let line = sum.delta * points;
        let curve = line + 0.5 * sum.gamma * points * points;
        assert!((line + 364.0).abs() < 1e-9 && (curve + 371.9).abs() < 1e-9);
    }
}
