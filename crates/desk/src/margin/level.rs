//! Which level of approval what is held needs: the least over the pairings that are feasible,
//! chosen apart from money.
//!
//! What a pairing costs plays no part here. A put sold on shares and another bought below it are a
//! spread (level 3) where that needs less margin, and a put secured by cash beside a put bought
//! (levels 1 and 2) where that needs less approval.
//!
//! A call sold is covered by a lot of the underlying, by a bought call that ends no earlier, or not
//! at all. Lots go to the calls that end last, for which the fewest bought ones would do; with each
//! earlier call the bought ones that may cover it only grow, so taking them in that order misses no
//! pairing.

use quant::Kind;

use super::{MarginBasis, MarginHolding, MarginLeg, in_order, label};
use crate::account_rules::AccountKind;
use crate::time::Moment;
use crate::underlying::UnderlyingKind;

/// What shares sold short need in a cash account, which goes no further than level 2.
const SOLD_SHORT: u8 = 3;

/// Contracts that stand together and need a level of approval.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NeedsLevel {
    /// The level, 0 to 5.
    pub level: u8,
    /// How many such groups.
    pub count: i64,
    /// In plain words.
    pub what: String,
}

/// Contracts of one series that are not yet spoken for.
struct Free<'a> {
    leg: &'a MarginLeg,
    left: i64,
}

fn free<'a>(legs: &'a [MarginLeg], kind: Kind, sold: bool) -> Vec<Free<'a>> {
    let mut out: Vec<Free<'a>> = legs
        .iter()
        .filter(|l| l.contract.kind == kind && (l.quantity < 0) == sold)
        .map(|leg| Free {
            leg,
            left: leg.quantity.abs(),
        })
        .collect();
    // What ends last first; of those that end together the order of the words.
    out.sort_by_key(|f| std::cmp::Reverse(f.leg.ends));
    out
}

/// Takes up to `wanted` contracts that end no earlier than `ends`: which, and how many.
fn cover<'a>(bought: &mut [Free<'a>], ends: Moment, mut wanted: i64) -> Vec<(&'a MarginLeg, i64)> {
    let mut out = Vec::new();
    for b in bought.iter_mut().filter(|b| b.leg.ends >= ends) {
        let n = b.left.min(wanted);
        if n > 0 {
            b.left -= n;
            wanted -= n;
            out.push((b.leg, n));
        }
    }
    out
}

/// The levels that what is held needs.
pub fn levels(held: &MarginHolding, basis: &MarginBasis) -> Vec<NeedsLevel> {
    let legs = in_order(held);
    let lots = held.underlying / basis.lot();
    let mut out = Vec::new();
    let mut say = |level, count, what: String| {
        if count > 0 {
            out.push(NeedsLevel { level, count, what })
        }
    };
    let against =
        |sold: &MarginLeg, bought: &MarginLeg| format!("{} against {}", label(sold), label(bought));
    // Nobody lends shares to a cash account.
    if basis.rules.kind == AccountKind::Cash && basis.kind == UnderlyingKind::Shares {
        let short = (-held.underlying).max(0);
        say(SOLD_SHORT, short, "shares sold short".into());
    }
    let mut calls = free(&legs, Kind::Call, false);
    let mut covering = lots.max(0);
    for sold in free(&legs, Kind::Call, true) {
        let on_lots = sold.left.min(covering);
        covering -= on_lots;
        let mut open = sold.left - on_lots;
        for (bought, n) in cover(&mut calls, sold.leg.ends, open) {
            open -= n;
            say(3, n, against(sold.leg, bought));
        }
        say(5, open, format!("{} uncovered", label(sold.leg)));
    }
    let mut puts = free(&legs, Kind::Put, false);
    // On shares a put needs no more than approval for uncovered ones, or its strike in cash.
    let alone = match (basis.kind, basis.rules.puts_secured()) {
        (UnderlyingKind::Shares, true) => (1, "secured by cash"),
        (UnderlyingKind::Shares, false) => (4, "uncovered"),
        _ => (5, "uncovered"),
    };
    for sold in free(&legs, Kind::Put, true) {
        let mut open = sold.left;
        if alone.0 > 3 {
            for (bought, n) in cover(&mut puts, sold.leg.ends, open) {
                open -= n;
                say(3, n, against(sold.leg, bought));
            }
        }
        say(alone.0, open, format!("{} {}", label(sold.leg), alone.1));
    }
    // So many bought puts protect shares, so many bought calls shares that were sold.
    for (bought, mut protecting) in [(calls, (-lots).max(0)), (puts, lots.max(0))] {
        for b in bought {
            let protects = b.left.min(protecting);
            protecting -= protects;
            say(2, b.left - protects, format!("{} bought", label(b.leg)));
        }
    }
    out
}
