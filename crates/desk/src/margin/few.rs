//! The least requirement of at most four contracts and no shares, by trying every way to take them
//! apart: what a search asks of millions of packages. The rules are those of [`super::requirement`]
//! by strategy; a law holds the two against each other.

use quant::Kind;

use super::{MarginBasis, shares_of};
use crate::contract::exercise_value;
use crate::number::Price;
use crate::regime::rule::{Amount, Sold, both_sides, uncovered};
use crate::time::Moment;

/// One contract, held once, as the small search takes contracts apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OneContract {
    /// Whether it is a call or a put.
    pub kind: Kind,
    /// Its strike, per unit of the underlying.
    pub strike: Price,
    /// Current premium per unit.
    pub mark: Price,
    /// When it ends.
    pub ends: Moment,
    /// It is sold.
    pub sold: bool,
}

impl OneContract {
    fn as_sold(&self) -> Sold<Price> {
        Sold {
            kind: self.kind,
            strike: self.strike,
            premium: self.mark.max(Price::ZERO),
        }
    }
}

/// The most contracts that are tried in every way; beyond it the solver chooses.
pub const FEW: usize = 4;

/// The least requirement of these contracts by strategy rules, per unit. Only the first four are looked
/// at; places without one are passed over.
pub fn requirement_of_few(contracts: &[Option<OneContract>], basis: &MarginBasis) -> Price {
    let n = contracts.len().min(FEW);
    // By the set of contracts, as bits: what it needs at the least.
    let mut least = [Price::ZERO; 1 << FEW];
    for set in 1..1_usize << n {
        let first = set & set.wrapping_neg();
        let rest = set ^ first;
        let mut best = together(contracts, set, basis);
        // The first of them stands with some of the others, and those left stand as they do best.
        let mut others = rest;
        while others > 0 {
            others = (others - 1) & rest;
            let apart = together(contracts, first | others, basis);
            let with = least[rest ^ others];
            let sum = apart.map(|a| a + with);
            best = match (best, sum) {
                (Some(a), Some(b)) => Some(a.smaller(b)),
                (a, b) => a.or(b),
            };
        }
        // Each of them can stand alone, so there is a best.
        least[set] = best.unwrap_or_default();
    }
    least[(1 << n) - 1]
}

/// What a set needs as one group; nothing where it may not stand together.
fn together(contracts: &[Option<OneContract>], set: usize, basis: &MarginBasis) -> Option<Price> {
    let of = || {
        let all = contracts.iter().enumerate();
        all.filter(move |(i, _)| set >> i & 1 == 1)
            .filter_map(|(_, c)| c.as_ref())
    };
    let shares = shares_of(basis);
    if set.count_ones() == 1 {
        let Some(one) = of().next().filter(|one| one.sold) else {
            return Some(Price::ZERO);
        };
        let naked = uncovered(one.as_sold(), basis.spot, shares);
        return Some(match one.kind {
            Kind::Call => naked,
            Kind::Put => naked.smaller(one.strike),
        });
    }
    let (mut calls, mut last_sold, mut first_bought) = (0, None, None);
    for c in of() {
        if c.kind == Kind::Call {
            calls += if c.sold { 1 } else { -1 };
        }
        if c.sold {
            last_sold = last_sold.max(Some(c.ends));
        } else {
            first_bought = Some(first_bought.map_or(c.ends, |e: Moment| e.min(c.ends)));
        }
    }
    let in_time = first_bought.is_none_or(|bought| last_sold.is_none_or(|sold| bought >= sold));
    let limited = (calls <= 0 && in_time && last_sold.is_some()).then(|| {
        let at = |price: Price| {
            of().fold(Price::ZERO, |loss, c| {
                let value = exercise_value(c.kind, c.strike, price);
                if c.sold { loss + value } else { loss - value }
            })
        };
        let corners = of().map(|c| c.strike).chain([Price::ZERO]);
        corners.map(at).max().unwrap_or_default().max(Price::ZERO)
    });
    let mut two = of();
    let sides = match (two.next(), two.next(), two.next()) {
        (Some(a), Some(b), None) if a.sold && b.sold && a.kind != b.kind => {
            Some(both_sides(a.as_sold(), b.as_sold(), basis.spot, shares))
        }
        _ => None,
    };
    match (limited, sides) {
        (Some(a), Some(b)) => Some(a.smaller(b)),
        (a, b) => a.or(b),
    }
}
