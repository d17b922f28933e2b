//! Interest: a curve by date.

use std::collections::BTreeMap;

use desk::Moment;
use jiff::civil::Date;
use libm::exp;

/// Interest as it was told: of each date from which it holds, years ahead and the continuously compounded
/// rate a year, ascending.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Rates(pub BTreeMap<Date, Vec<(f64, f64)>>);

impl Rates {
    /// The rate for so many years ahead of a moment: linear between what is told, beyond its ends the
    /// nearest; before the first date what that one tells.
    pub fn rate(&self, at: Moment, years: f64) -> Option<f64> {
        let held = self.0.range(..=at.date()).next_back();
        let (_, curve) = held.or_else(|| self.0.first_key_value())?;
        let after = curve.partition_point(|(t, _)| *t < years);
        match (
            after.checked_sub(1).and_then(|i| curve.get(i)),
            curve.get(after),
        ) {
            (Some((t, r)), Some((u, s))) => Some(r + (s - r) * (years - t) / (u - t)),
            (Some((_, r)), None) | (None, Some((_, r))) => Some(*r),
            (None, None) => None,
        }
    }
}

/// The simulated market's: a short curve from 3.9 % down to 3.4 %.
pub(crate) fn usual(years: f64) -> f64 {
    0.034 + 0.005 * exp(-years.max(0.0) / 1.5)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn a_curve_holds_from_its_date_and_is_linear_between_its_points() {
        let early = vec![(0.25, 0.03), (1.25, 0.05)];
        let late = vec![(0.5, 0.01)];
        let rates = Rates(BTreeMap::from([
            (date(2031, 1, 1), early),
            (date(2031, 6, 1), late),
        ]));
        let at = |m, years| {
            rates
                .rate(Moment::at(date(2031, m, 1), 10, 0), years)
                .unwrap()
        };
        assert_eq!((at(1, 0.1), at(5, 2.0), at(6, 0.1)), (0.03, 0.05, 0.01));
        assert!((at(3, 0.75) - 0.04).abs() < 1e-15);
        assert_eq!(
            rates.rate(Moment::at(date(2030, 1, 1), 0, 0), 0.0),
            Some(0.03)
        );
        assert_eq!(
            Rates::default().rate(Moment::at(date(2030, 1, 1), 0, 0), 1.0),
            None
        );
    }
}
