//! What happens to positions without an order, as it is booked and told.

use std::sync::Arc;

use desk::{Cause, Contract, Entry, Instrument, Moment, Price, UnderlyingKind};
use market::lifecycle::{self, Happening};
use store::Fact;

use crate::state::{Desk, State};

impl Desk {
    /// Dividends, expirations, deliveries, assignments and settlements of an opening or a close.
    pub(crate) fn happen_at(&mut self, next: &mut State, at: Moment, facts: &mut Vec<Fact>) {
        let world = Arc::clone(&next.world);
        for happening in lifecycle::due(&world, &mut self.quoter, &next.account, &next.declined, at)
        {
            book(next, at, &happening, facts);
        }
    }
}

/// "20 shares", "2 futures".
fn units(count: i64, kind: UnderlyingKind) -> String {
    let (one, many) = if kind == UnderlyingKind::Future {
        ("future", "futures")
    } else {
        ("share", "shares")
    };
    format!(
        "{} {}",
        count.abs(),
        if count.abs() == 1 { one } else { many }
    )
}

fn book(next: &mut State, at: Moment, happening: &Happening, facts: &mut Vec<Fact>) {
    let world = Arc::clone(&next.world);
    let account = Arc::make_mut(&mut next.account);
    let mut keep = |entry: Option<Entry>, instrument: Instrument, value: Price, quantity: i64| {
        facts.extend(entry.map(|entry| {
            Fact::Booked(
                entry,
                Some(Cause {
                    instrument,
                    value,
                    quantity,
                }),
            )
        }));
    };
    match happening {
        Happening::Dividend { symbol, cash } => {
            let instrument = Instrument::Underlying(symbol.clone());
            let shares = units(account.held(&instrument), UnderlyingKind::Shares);
            let memo = format!("{symbol} dividend of {cash} on {shares}");
            keep(
                account.dividend(at, symbol, *cash, memo).cloned(),
                instrument,
                *cash,
                0,
            );
        }
        Happening::Ended {
            contract,
            value,
            print,
            declined,
        } => {
            let symbol = world
                .owner(contract)
                .map_or(contract.root.as_str(), |u| u.symbol.as_str());
            let how = match (*value == Price::ZERO, declined) {
                (_, true) => "not exercised, as told".to_owned(),
                (true, false) => "expired worthless".to_owned(),
                (false, false) => format!("settled in cash at {}", value.fixed(2)),
            };
            let memo = format!("{symbol} {} {how}, {symbol} at {print}", contract.label());
            keep(
                account.settle(at, contract, *value, memo).cloned(),
                contract.clone().into(),
                *value,
                0,
            );
            forget(next, contract, at, facts);
        }
        Happening::Delivered {
            contract,
            quantity,
            print,
            early,
        } => {
            let Some(underlying) = world.owner(contract) else {
                return;
            };
            let symbol = &underlying.symbol;
            let (how, when) = (
                if *quantity > 0 {
                    "exercised"
                } else {
                    "assigned"
                },
                if *early { " early" } else { "" },
            );
            let bought = (contract.kind == desk::Kind::Call) == (*quantity > 0);
            let what = units(quantity * underlying.lot(), underlying.kind);
            let memo = format!(
                "{symbol} {} × {} {how}{when}: {} {what} at {}, {symbol} at {print}",
                quantity.abs(),
                contract.label(),
                if bought { "bought" } else { "sold" },
                desk::strike_label(contract.strike)
            );
            keep(
                account
                    .deliver(at, contract, *quantity, underlying, memo)
                    .cloned(),
                contract.clone().into(),
                Price::ZERO,
                *quantity,
            );
            if !early {
                forget(next, contract, at, facts);
            }
        }
        Happening::Variation {
            symbol,
            price,
            last,
        } => {
            let instrument = Instrument::Underlying(symbol.clone());
            let shown = world
                .underlying(symbol)
                .map_or_else(|| price.to_string(), |u| u.style_of_price.write(*price));
            if *last {
                let memo = format!("{symbol} traded for the last time, settled at {shown}");
                keep(
                    account.end_future(at, symbol, *price, memo).cloned(),
                    instrument,
                    *price,
                    0,
                );
            } else {
                let memo = format!("{symbol} settled for the day at {shown}");
                keep(
                    account.settle_futures(at, symbol, *price, memo).cloned(),
                    instrument,
                    *price,
                    0,
                );
            }
        }
    }
}

/// An instruction ends with its series.
fn forget(next: &mut State, contract: &Contract, at: Moment, facts: &mut Vec<Fact>) {
    if next.declined.contains(contract) {
        Arc::make_mut(&mut next.declined).remove(contract);
        facts.push(Fact::Declined(contract.clone(), false, at));
    }
}
