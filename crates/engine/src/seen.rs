//! The whole book as rules, bells and rounds see it: its campaigns, and the account's own figures.

use desk::book::STRESS_MOVES;
use desk::calendar::last_trading;
use desk::rules::{AccountNeeds, AccountSeen, BookSeen, Needs};
use desk::{BookGreeks, Campaign, Money};
use market::Quoter;

use crate::balance::{Chosen, items, stress_moves};
use crate::campaigns::all_open;
use crate::money::{account_value, remember_held, total_requirement};
use crate::sight::{
    Sights, at_risk, book_greeks, campaign_seen, index_price, largest, since_close,
};
use crate::state::State;

/// Loss of what is held in the worst of the moves of [`STRESS_MOVES`], each name by its beta. What
/// cannot be valued is in none of them.
pub fn stress_loss(state: &State, quoter: &mut Quoter) -> Money {
    let chosen = Chosen {
        held: true,
        ..Chosen::default()
    };
    let mut sum = [0.0; STRESS_MOVES.len()];
    let at = state.clock.now;
    for item in items(state, quoter, &chosen).iter().filter(|i| i.on) {
        if let Some(u) = state.world.underlying(&item.symbol) {
            // What a model refuses is told where the book is shown.
            let _ = stress_moves(
                &item.position(u, at),
                state.world.beta(&item.symbol, at),
                &mut sum,
            );
        }
    }
    Money::from_model(-sum.into_iter().fold(0.0, f64::min))
}

/// What is seen of the account at the state's moment; what is not needed is left at nothing.
pub fn account_seen(state: &State, quoter: &mut Quoter, needs: AccountNeeds) -> AccountSeen {
    let value = account_value(state, quoter);
    let greeks = if needs.greeks {
        book_greeks(state, quoter)
    } else {
        BookGreeks::default()
    };
    let open = all_open(state);
    let risks: Vec<(&Campaign, Money)> = if needs.largest {
        open.iter()
            .map(|c| (*c, at_risk(state, quoter, c)))
            .collect()
    } else {
        Vec::new()
    };
    let today = last_trading(state.clock.now).date();
    let monday = today
        .checked_sub(jiff::Span::new().days(i64::from(today.weekday().to_monday_zero_offset())))
        .unwrap_or(today);
    let used = if needs.margin {
        total_requirement(state, quoter) + state.reserved
    } else {
        Money::ZERO
    };
    AccountSeen {
        value,
        lean: greeks.lean,
        index: index_price(state),
        theta: greeks.theta,
        vega: greeks.vega,
        used,
        largest: largest(state, &risks),
        stress: if needs.stress {
            stress_loss(state, quoter)
        } else {
            Money::ZERO
        },
        open: open.len() as i64,
        day: since_close(state, value, today),
        week: since_close(state, value, monday),
    }
}

/// What is seen of the open campaigns, and of the account where something of it is needed.
pub fn book_seen(
    state: &State,
    quoter: &mut Quoter,
    sights: &mut Sights,
    needs: Needs,
    account: Option<AccountNeeds>,
) -> BookSeen {
    if needs.marks || needs.account {
        remember_held(state, quoter);
    }
    let open = all_open(state);
    let seen = open
        .into_iter()
        .filter_map(|c| campaign_seen(state, quoter, sights, c, needs))
        .collect();
    BookSeen {
        at: state.clock.now,
        campaigns: seen,
        account: account.map(|needs| account_seen(state, quoter, needs)),
    }
}
