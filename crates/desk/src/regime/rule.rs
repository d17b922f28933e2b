//! The table of strategy rules: which contracts may stand together, and what they need.
//!
//! One table serves two number worlds: the search for the least total works in `f64`, the account's
//! requirement is counted in exact prices. The solver names the rule of every group it chooses, and
//! the account counts that rule; neither decides anew what a group is.
//!
//! Rules: the shape of FINRA Rule 4210(f)(2) and of the exchanges' margin manuals (from memory; the
//! percentages are data of [`Strategy`](super::Strategy)).

use std::ops::{Add, Sub};

use quant::Kind;

use crate::number::Price;

/// By which rule contracts stand together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Rule {
    /// Options bought: paid in full, they need nothing more.
    Bought,
    /// One option sold, uncovered: premium + max(a·S − out-of-the-money amount, b·S of a call or
    /// b·K of a put).
    Uncovered,
    /// One put sold against its whole strike.
    WholeStrike,
    /// At most four contracts whose longs end no earlier than their shorts: the largest loss at
    /// expiration, gross of premiums.
    Limited,
    /// A call and a put sold: the larger uncovered side and the other's premium.
    BothSides,
    /// A call sold on a lot of shares held, or on a future: nothing more.
    CoveredCall,
    /// A put sold on a lot of shares sold: what it is in the money.
    CoveredPut,
}

/// A price in one of the two number worlds.
pub(crate) trait Amount:
    Copy + PartialOrd + Add<Output = Self> + Sub<Output = Self>
{
    const ZERO: Self;
    /// So much of it; an exact price is rounded to the nearest 1e-8.
    fn share(self, part: f64) -> Self;

    fn larger(self, other: Self) -> Self {
        if other > self { other } else { self }
    }

    fn smaller(self, other: Self) -> Self {
        if other < self { other } else { self }
    }
}

impl Amount for f64 {
    const ZERO: f64 = 0.0;

    fn share(self, part: f64) -> f64 {
        self * part
    }
}

impl Amount for Price {
    const ZERO: Price = Price::ZERO;

    fn share(self, part: f64) -> Price {
        Price::from_raw((self.raw() as f64 * part).round() as i64)
    }
}

/// Rates of the strategy regime.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Strategy {
    /// Of the price, for an uncovered option: 0.20, say.
    pub naked: f64,
    /// Least: 0.10, say.
    pub minimum: f64,
    /// Of the value of shares: 0.50, say.
    pub stock_initial: f64,
    /// An uncovered put needs its whole strike.
    pub puts_secured: bool,
}

/// One option sold, as the rules see it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Sold<A> {
    pub kind: Kind,
    pub strike: A,
    pub premium: A,
}

/// Of the price: for an uncovered option, and the least.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Shares {
    pub naked: f64,
    pub minimum: f64,
    /// A put counts with its whole strike, also beside a call.
    pub puts_secured: bool,
}

/// [`Rule::Uncovered`] per unit. S = 100, a = 20 %, b = 10 %: a 110 call sold at 1.20 needs
/// 1.20 + max(20 − 10, 10) = 11.20.
pub(crate) fn uncovered<A: Amount>(sold: Sold<A>, spot: A, shares: Shares) -> A {
    if shares.puts_secured && sold.kind == Kind::Put {
        return sold.strike;
    }
    let (away, floor_on) = match sold.kind {
        Kind::Call => (sold.strike - spot, spot),
        Kind::Put => (spot - sold.strike, sold.strike),
    };
    let kept = spot.share(shares.naked) - away.larger(A::ZERO);
    sold.premium + kept.larger(floor_on.share(shares.minimum))
}

/// [`Rule::BothSides`] per unit: the side that needs more uncovered, and the other's premium; of
/// two equal sides the smaller premium.
pub(crate) fn both_sides<A: Amount>(a: Sold<A>, b: Sold<A>, spot: A, shares: Shares) -> A {
    let (x, y) = (uncovered(a, spot, shares), uncovered(b, spot, shares));
    if x > y {
        x + b.premium
    } else if y > x {
        y + a.premium
    } else {
        x + a.premium.smaller(b.premium)
    }
}

/// [`Rule::CoveredPut`] per unit.
pub(crate) fn in_the_money<A: Amount>(put: Sold<A>, spot: A) -> A {
    (put.strike - spot).larger(A::ZERO)
}
