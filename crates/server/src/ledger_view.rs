//! The ledger as it is shown, with the proof that it adds up.

use desk::{Book, EntryKind, Money};
use serde::Serialize;
use utoipa::ToSchema;

use crate::state::State;
use crate::wire::{moment, money};

/// One line of the ledger.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct LedgerLine {
    /// Running number.
    pub number: usize,
    /// When.
    pub at: String,
    /// "deposit", "trade", "settlement", "exercise", "assignment", "dividend", "daily settlement".
    pub kind: String,
    /// In words.
    pub memo: String,
    /// Order behind it.
    pub order: Option<u64>,
    /// Premium or payment, before fees.
    pub amount: String,
    /// Fees.
    pub fees: String,
    /// Profit booked, before fees; absent when nothing was closed.
    pub realised: Option<String>,
    /// Cash after it.
    pub cash: String,
}

/// The ledger, and the proof that it adds up.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LedgerView {
    /// Lines, oldest first.
    pub lines: Vec<LedgerLine>,
    /// Paid in.
    pub paid_in: String,
    /// Profit booked, before fees.
    pub realised: String,
    /// Fees paid.
    pub fees: String,
    /// Cash laid out for open positions (received, below zero).
    pub positions: String,
    /// Cash by the books.
    pub cash: String,
    /// Paid in + realised − fees − positions: must equal cash.
    pub sum: String,
    /// Anything that does not add up; empty when sound.
    pub violations: Vec<String>,
}

/// Builds the ledger.
pub fn ledger(state: &State) -> LedgerView {
    let a = &state.account;
    let mut cash = Money::ZERO;
    let lines = a
        .entries()
        .iter()
        .enumerate()
        .map(|(i, e)| {
            cash += e.amount(Book::Cash);
            let realised = -e.amount(Book::Realised);
            let fees = e.amount(Book::Fees);
            LedgerLine {
                number: i + 1,
                at: moment(e.at),
                kind: match e.kind {
                    EntryKind::Deposit => "deposit",
                    EntryKind::Trade => "trade",
                    EntryKind::Settlement => "settlement",
                    EntryKind::Exercise => "exercise",
                    EntryKind::Assignment => "assignment",
                    EntryKind::Dividend => "dividend",
                    EntryKind::Variation => "daily settlement",
                }
                .into(),
                memo: e.memo.clone(),
                order: e.order,
                amount: money(e.amount(Book::Cash) + fees),
                fees: money(fees),
                realised: (realised != Money::ZERO).then(|| money(realised)),
                cash: money(cash),
            }
        })
        .collect();
    let sum = -a.balance(Book::Capital)
        - a.balance(Book::Realised)
        - a.balance(Book::Fees)
        - a.balance(Book::Positions);
    let mut violations = a.violations();
    if sum != a.balance(Book::Cash) || cash != sum {
        violations.push(format!(
            "the sum {sum} differs from the cash {}",
            a.balance(Book::Cash)
        ));
    }
    LedgerView {
        lines,
        paid_in: money(-a.balance(Book::Capital)),
        realised: money(-a.balance(Book::Realised)),
        fees: money(a.balance(Book::Fees)),
        positions: money(a.balance(Book::Positions)),
        cash: money(a.balance(Book::Cash)),
        sum: money(sum),
        violations,
    }
}
