//! Margin and buying power of the chosen book after moves of the index.

use std::collections::BTreeMap;

use desk::{MarginBasis, MarginHolding, Money, at_move, margined};
use rayon::prelude::*;

use super::{ItemLooked, Source};
use crate::money::{basis, usable_cash};
use crate::state::State;

/// Margin after a move.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct After {
    /// Margin that would be held after the move, zero or above.
    pub margin: Money,
    /// Buying power left.
    pub buying_power: Money,
}

/// What one item brings if it is closed at its mark; futures bring nothing.
fn worth(state: &State, looked: &ItemLooked) -> Money {
    let Some(u) = state.world.underlying(&looked.item.symbol) else {
        return Money::ZERO;
    };
    let legs = looked.item.holding.legs().iter().zip(&looked.item.markets);
    let paid = legs.filter(|(l, _)| !u.is_margined(&l.instrument));
    paid.map(|(l, m)| m.quote.mark().times(l.quantity * u.units(&l.instrument)))
        .sum()
}

/// What stays aside for working orders: nothing where all of them are taken as filled.
pub(super) fn set_aside(state: &State, looked: &[ItemLooked]) -> Money {
    let orders = || {
        let order = |l: &&ItemLooked| matches!(l.item.source, Source::Order(_));
        looked.iter().filter(order)
    };
    if orders().next().is_some() && orders().all(|l| l.item.on) {
        Money::ZERO
    } else {
        state.reserved
    }
}

/// Margin and buying power after each move of the index. What is only considered is entered at its
/// middle, what is left out closed at it. Options are re-valued at the volatility that their marks
/// imply. Money set aside for working orders stays aside, but where all of them are taken as filled.
pub fn margins(
    state: &State,
    looked: &[ItemLooked],
    apart: impl Fn(&ItemLooked) -> f64 + Sync,
    moves: &[f64],
) -> Vec<After> {
    let mut held: BTreeMap<&str, (MarginHolding, f64, f64)> = BTreeMap::new();
    let mut cash = usable_cash(state);
    for l in looked {
        let own = matches!(l.item.source, Source::Campaign(_));
        match (own, l.item.on) {
            (true, false) => cash += worth(state, l),
            (false, true) => cash -= worth(state, l),
            _ => {}
        }
        if !l.item.on {
            continue;
        }
        let Some(u) = state.world.underlying(&l.item.symbol) else {
            continue;
        };
        let added = margined(&l.item.holding, u, &l.item.markets);
        let here = held
            .entry(&l.item.symbol)
            .or_insert_with(|| (MarginHolding::default(), l.beta.used, apart(l)));
        here.0 = here.0.with(&added);
    }
    let reserved = set_aside(state, looked);
    let all: Vec<(MarginHolding, MarginBasis, f64, f64)> = held
        .into_iter()
        .filter_map(|(symbol, (holding, beta, apart))| {
            Some((holding, basis(state, symbol)?, beta, apart))
        })
        .collect();
    let after = |m: &f64| {
        let (mut margin, mut takes) = (Money::ZERO, Money::ZERO);
        for (holding, basis, beta, apart) in &all {
            let r = at_move(holding, basis, (beta * m + apart).max(-0.95));
            margin += r.total;
            takes += r.takes();
        }
        After {
            margin,
            buying_power: cash - takes - reserved,
        }
    };
    moves.par_iter().map(after).collect()
}
