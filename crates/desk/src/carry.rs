//! What holding an underlying brings: nothing, a yield, or dividends in cash.

use crate::number::Price;
use crate::time::Moment;

/// What an underlying pays its holder.
#[derive(Debug, Clone, PartialEq)]
pub enum Carry {
    /// A continuous yield a year: an index.
    Yield(f64),
    /// Cash at ex-moments, ascending: shares. Empty: nothing.
    Dividends(Vec<(Moment, Price)>),
    /// A future costs nothing to hold: its yield is the rate.
    Future,
}

impl Carry {
    /// Dividends with ex-moments in `(at, until]`; one at the very moment of expiry counts.
    pub fn dividends(&self, at: Moment, until: Moment) -> impl Iterator<Item = (Moment, Price)> {
        let all: &[(Moment, Price)] = if let Carry::Dividends(list) = self {
            list
        } else {
            &[]
        };
        all.iter()
            .copied()
            .filter(move |(ex, _)| *ex > at && *ex <= until)
    }

    /// Present value of the dividends until `expiry`: what a holder of the option forgoes. Nothing
    /// where the underlying pays a yield or is a future.
    pub fn present_value(&self, at: Moment, expiry: Moment, rate: f64) -> f64 {
        self.dividends(at, expiry)
            .map(|(ex, cash)| cash.to_f64() * libm::exp(-rate * at.years_until(ex)))
            .sum()
    }

    /// The continuous yield with the same forward: of the present value of the dividends until
    /// `expiry`, relative to `spot`, at most half of it.
    pub fn yield_until(&self, at: Moment, expiry: Moment, rate: f64, spot: f64) -> f64 {
        match self {
            Carry::Yield(yearly) => *yearly,
            Carry::Future => rate,
            Carry::Dividends(_) => {
                let present = self.present_value(at, expiry, rate);
                -libm::log(1.0 - (present / spot).min(0.5))
                    / at.years_until(expiry).max(1.0 / 525_600.0)
            }
        }
    }
}
