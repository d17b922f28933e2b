//! The account as rules would see it, if what is chosen were all that is held.

use desk::Money;
use desk::book::{STRESS_ANSWER, STRESS_MOVES};
use desk::rules::{AccountNeeds, AccountSeen, Largest};
use market::Quoter;

use super::margins::set_aside;
use super::{BookMemo, Chosen, ItemLooked, Lens, LookWanted, items, margins, worked};
use crate::seen::account_seen;
use crate::sight::index_price;
use crate::state::State;

/// Through the lens of rules: the broad index, the market's betas, the standard stress.
pub fn plainly(
    state: &State,
    quoter: &mut Quoter,
    memo: &BookMemo,
    chosen: &Chosen,
) -> Vec<ItemLooked> {
    let wanted = LookWanted {
        moves: STRESS_MOVES.to_vec(),
        ..LookWanted::default()
    };
    let lens = Lens::plain(&state.world, STRESS_ANSWER);
    let all = items(state, quoter, chosen);
    worked(
        state,
        quoter,
        memo,
        all,
        (&lens, index_price(state)),
        &wanted,
    )
}

/// In which most capital is at risk, by a division of items.
fn most(on: &[&ItemLooked], of: impl Fn(&ItemLooked) -> Option<String>) -> Option<(String, Money)> {
    let mut sums: Vec<(String, Money)> = Vec::new();
    for l in on {
        let Some(name) = of(l) else { continue };
        match sums.iter_mut().find(|(known, _)| *known == name) {
            Some((_, sum)) => *sum += l.worked.risk,
            None => sums.push((name, l.worked.risk)),
        }
    }
    // Of equal ones the first.
    sums.into_iter().rev().max_by_key(|(_, sum)| *sum)
}

/// What rules would see of the account. Its value, and the losses of day and week, are the real
/// ones.
pub fn seen_with(state: &State, quoter: &mut Quoter, looked: &[ItemLooked]) -> AccountSeen {
    let real = account_seen(state, quoter, AccountNeeds::default());
    let on: Vec<&ItemLooked> = looked.iter().filter(|l| l.item.on).collect();
    let sum = |of: fn(&ItemLooked) -> f64| on.iter().map(|l| of(l)).sum::<f64>();
    let mut moves = vec![0.0; STRESS_MOVES.len()];
    for l in &on {
        for (sum, p) in moves.iter_mut().zip(&l.worked.moves) {
            *sum += p;
        }
    }
    let after = margins(state, looked, |_| 0.0, &[0.0]);
    let reserved = set_aside(state, looked);
    AccountSeen {
        lean: sum(|l| l.worked.index.delta),
        theta: sum(|l| l.worked.greeks.theta),
        vega: sum(|l| l.worked.greeks.vega),
        used: after.first().map_or(Money::ZERO, |a| a.margin) + reserved,
        largest: Largest {
            trade: most(&on, |l| Some(format!("{} {}", l.item.symbol, l.item.name))),
            symbol: most(&on, |l| Some(l.item.symbol.clone())),
            sector: most(&on, |l| l.item.sector.clone()),
            expiration: most(&on, |l| l.item.expiry.map(|d| d.to_string())),
        },
        stress: Money::from_model(-moves.into_iter().fold(0.0, f64::min)),
        open: on.len() as i64,
        ..real
    }
}
