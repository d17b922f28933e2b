//! Which level of approval what is held needs.

use quant::Kind;

use super::{Holdings, MarginBasis, MarginLeg, grouped, in_order, labels};
use crate::underlying::UnderlyingKind;

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

/// The levels that what is held needs.
pub fn levels(held: &Holdings, basis: &MarginBasis) -> Vec<NeedsLevel> {
    let legs = in_order(held);
    let lots = held.underlying / basis.lot();
    // So many bought puts protect shares, so many bought calls shares that were sold.
    let (mut puts, mut calls) = (lots.max(0), (-lots).max(0));
    let mut out = Vec::new();
    let mut say = |level, count, what: String| {
        if count > 0 {
            out.push(NeedsLevel { level, count, what })
        }
    };
    let mut bought = |leg: &MarginLeg, count: i64, say: &mut dyn FnMut(u8, i64, String)| {
        let left = if leg.kind == Kind::Put {
            &mut puts
        } else {
            &mut calls
        };
        let protects = count.min(*left);
        *left -= protects;
        say(2, count - protects, format!("{} bought", labels(&[leg])));
    };
    if legs.iter().all(|l| l.quantity > 0) {
        legs.iter().for_each(|l| bought(l, l.quantity, &mut say));
        return out;
    }
    for (group, times) in grouped(&legs, held.underlying, basis) {
        let all: Vec<&MarginLeg> = group.members.iter().map(|i| &legs[*i]).collect();
        let (shorts, longs): (Vec<&MarginLeg>, Vec<&MarginLeg>) =
            all.iter().partition(|l| l.quantity < 0);
        let sold = labels(&shorts);
        match shorts.as_slice() {
            [] => longs.iter().for_each(|l| bought(l, times, &mut say)),
            [short] if group.with_underlying && short.kind == Kind::Call => {}
            [short]
                if short.kind == Kind::Put
                    && longs.is_empty()
                    && basis.kind == UnderlyingKind::Shares =>
            {
                let secured = basis.rules.puts_secured() && !group.with_underlying;
                say(
                    if secured { 1 } else { 4 },
                    times,
                    format!(
                        "{sold} {}",
                        if secured {
                            "secured by cash"
                        } else {
                            "uncovered"
                        }
                    ),
                );
            }
            [_, ..] if longs.is_empty() => say(5, times, format!("{sold} uncovered")),
            _ => say(3, times, format!("{sold} against {}", labels(&longs))),
        }
    }
    out
}
