//! What happens to positions without an order, as it is booked and told.

use std::sync::Arc;

use desk::{
    Account, Cause, Contract, Entry, Fact, Instrument, Moment, Price, PriceStyle, Settlement,
    Underlying, UnderlyingKind,
};
use market::lifecycle::{self, LifecycleEvent};
use market::session::Phase;
use market::{Print, World};

use crate::engine::Engine;
use crate::state::State;

impl Engine {
    /// What a phase of the session brings, and what it leaves of the orders that would close what is
    /// gone.
    pub(crate) fn happen(
        &mut self,
        phase: Phase,
        next: &mut State,
        at: Moment,
        facts: &mut Vec<Fact>,
    ) {
        let world = Arc::clone(&next.world);
        let of = (&*next.account, &*next.declined);
        let brought = lifecycle::of_phase(phase, &world, &mut self.quoter, of, at);
        if brought.is_empty() {
            return;
        }
        for happening in brought {
            let account = Arc::make_mut(&mut next.account);
            if let Some((entry, cause)) = book(account, &world, at, &happening, &[]) {
                facts.push(Fact::Booked(entry, Some(cause)));
            }
            match &happening {
                LifecycleEvent::Ended { contract, .. }
                | LifecycleEvent::Delivered {
                    contract,
                    early: false,
                    ..
                } => forget(next, contract, at, facts),
                _ => {}
            }
        }
        let mut orders = next.floor();
        self.close_no_more_than_held(next, &mut orders, facts);
    }
}

/// "at 4930.2, printed 18 Apr 09:30:05", the price as its market writes it.
fn told(world: &World, symbol: &str, print: &Print) -> String {
    let style = world.underlying(symbol).map(|u| u.style_of_price);
    let price = style.unwrap_or(PriceStyle::Decimal).write(print.price);
    let seconds = print.at.time_of_day() / 1_000;
    format!(
        "at {price}, printed {} {:02}:{:02}:{:02}",
        desk::short_date(print.at.date()),
        seconds / 3_600,
        seconds / 60 % 60,
        seconds % 60
    )
}

/// How a series ended that was not delivered.
fn ended_words(value: Price, declined: bool) -> String {
    match (value == Price::ZERO, declined) {
        (_, true) => "not exercised, as told".to_owned(),
        (true, false) => "expired worthless".to_owned(),
        (false, false) => format!("settled in cash at {}", value.fixed(2)),
    }
}

/// What was exercised or assigned, and what changed hands.
fn delivered_words(
    underlying: &Underlying,
    contract: &Contract,
    quantity: i64,
    (print, early): (&str, bool),
) -> String {
    let symbol = &underlying.symbol;
    let how = if quantity > 0 {
        "exercised"
    } else {
        "assigned"
    };
    let when = if early { " early" } else { "" };
    let bought = (contract.kind == desk::Kind::Call) == (quantity > 0);
    let what = underlying.kind.counted(quantity * underlying.lot());
    format!(
        "{symbol} {} × {} {how}{when}: {} {what} at {}, {symbol} {print}",
        quantity.abs(),
        contract.label(),
        if bought { "bought" } else { "sold" },
        desk::strike_label(contract.strike),
    )
}

/// What a settlement was off by.
fn corrected_words(symbol: &str, ended: &Instrument, by: Price, print: &str) -> String {
    let off = if by < Price::ZERO { "much" } else { "little" };
    format!(
        "{symbol} {} was settled at {} too {off}: the day's bar says {symbol} {print}",
        ended.label(),
        by.abs().fixed(2),
    )
}

/// How many of an instrument the campaigns named in `only` hold, or all of them.
fn held_by(account: &Account, instrument: &Instrument, only: &[u64]) -> i64 {
    let own = |campaign: u64| only.is_empty() || only.contains(&campaign);
    let lots = account.lots().iter();
    lots.filter(|l| l.instrument == *instrument && own(l.campaign))
        .map(|l| l.quantity)
        .sum()
}

/// Books one thing that happened, to all campaigns or to those named in `only`: the entry, and what
/// is needed to make it again. Nothing where none of them holds what it is about.
pub(crate) fn book(
    account: &mut Account,
    world: &World,
    at: Moment,
    happening: &LifecycleEvent,
    only: &[u64],
) -> Option<(Entry, Cause)> {
    let cause = |instrument: Instrument, value: Price, quantity: i64| Cause::Market {
        instrument,
        value,
        quantity,
        only: only.to_vec(),
    };
    let owner = |c: &Contract| world.owner(c).map_or(c.root.clone(), |u| u.symbol.clone());
    Some(match happening {
        LifecycleEvent::Dividend { symbol, cash } => {
            let instrument = Instrument::Underlying(symbol.clone());
            let shares = UnderlyingKind::Shares.counted(held_by(account, &instrument, only));
            let memo = format!("{symbol} dividend of {cash} on {shares}");
            let entry = account.dividend(at, symbol, *cash, only, memo)?.clone();
            (entry, cause(instrument, *cash, 0))
        }
        LifecycleEvent::Ended {
            contract,
            value,
            print,
            declined,
        } => {
            let symbol = owner(contract);
            let how = ended_words(*value, *declined);
            let memo = format!(
                "{symbol} {} {how}, {symbol} {}",
                contract.label(),
                told(world, &symbol, print)
            );
            let entry = account.settle(at, contract, *value, only, memo)?.clone();
            (entry, cause(contract.clone().into(), *value, 0))
        }
        LifecycleEvent::Offset {
            contract,
            value,
            print,
        } => {
            let symbol = owner(contract);
            let memo = format!(
                "{symbol} {} held on both sides: the campaigns settle it between them at {}, \
                 {symbol} {}",
                contract.label(),
                value.fixed(2),
                told(world, &symbol, print)
            );
            let entry = account.offset(at, contract, *value, only, memo)?.clone();
            (entry, cause(contract.clone().into(), *value, 0))
        }
        LifecycleEvent::Delivered {
            contract,
            quantity,
            print,
            early,
        } => {
            let underlying = world.owner(contract)?;
            debug_assert_eq!(underlying.settlement, Settlement::Delivery);
            let print = told(world, &underlying.symbol, print);
            let memo = delivered_words(underlying, contract, *quantity, (&print, *early));
            let whose = (underlying, only);
            let entry = account.deliver(at, contract, *quantity, whose, memo)?;
            let entry = entry.clone();
            (
                entry,
                cause(contract.clone().into(), Price::ZERO, *quantity),
            )
        }
        LifecycleEvent::Corrected { ended, by, print } => {
            let underlying = world.underlying_of(ended)?;
            let print = told(world, &underlying.symbol, print);
            let memo = corrected_words(&underlying.symbol, ended, *by, &print);
            let of = (ended, underlying.units(ended));
            let entry = account.correct(at, of, *by, only, memo)?.clone();
            (entry, cause(ended.clone(), *by, 0))
        }
        LifecycleEvent::Variation {
            symbol,
            print,
            last,
        } => {
            let (instrument, price) = (Instrument::Underlying(symbol.clone()), &print.price);
            let settled = told(world, symbol, print);
            let entry = if *last {
                let memo = format!("{symbol} traded for the last time, settled {settled}");
                account.end_future(at, symbol, *price, only, memo)?
            } else {
                let memo = format!("{symbol} settled for the day {settled}");
                account.settle_futures(at, symbol, *price, only, memo)?
            };
            (entry.clone(), cause(instrument, *price, 0))
        }
    })
}

/// An instruction ends with its series.
fn forget(next: &mut State, contract: &Contract, at: Moment, facts: &mut Vec<Fact>) {
    if next.declined.contains(contract) {
        Arc::make_mut(&mut next.declined).remove(contract);
        facts.push(Fact::Declined(contract.clone(), false, at));
    }
}
