//! The ledger as it is shown, with the proof that it adds up.

use axum::Json;
use axum::extract::State;
use desk::{Book, Money};
use engine::State as DeskState;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::words::EntryWord;
use crate::api::wire::{moment, money};
use crate::http::AppState;
use crate::http::problem::{Problem, Query};

/// One line of the ledger.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct LedgerLine {
    /// Running number.
    pub number: usize,
    /// When.
    pub at: String,
    /// What it is.
    pub kind: EntryWord,
    /// In words.
    pub memo: String,
    /// Order behind it.
    pub order: Option<u64>,
    /// Campaigns that it touched.
    pub campaigns: Vec<u64>,
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
    /// A page of the lines, oldest first: the newest, or those before a number.
    pub lines: Vec<LedgerLine>,
    /// How many lines there are in all.
    pub count: usize,
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

/// Lines of a page.
pub const PAGE: usize = 300;

/// Builds a page of the ledger: the lines before number `before`, or the newest.
fn page(state: &DeskState, before: Option<usize>) -> LedgerView {
    let a = &state.account;
    let count = a.entries().len();
    let end = before.map_or(count, |n| n.saturating_sub(1).min(count));
    let begin = end.saturating_sub(PAGE);
    // Cash after a line is that of the books less what came later.
    let later: Money = (begin..count)
        .map(|i| a.entries()[i].amount(Book::Cash))
        .sum();
    let mut cash = a.balance(Book::Cash) - later;
    let line = |i: usize| {
        let e = &a.entries()[i];
        cash += e.amount(Book::Cash);
        let realised = -e.amount(Book::Realised);
        let fees = e.amount(Book::Fees);
        LedgerLine {
            number: i + 1,
            at: moment(e.at),
            kind: e.kind.into(),
            memo: e.memo.clone(),
            order: e.order,
            campaigns: e.shares.iter().map(|s| a.home(s.campaign)).collect(),
            amount: money(e.amount(Book::Cash) + fees),
            fees: money(fees),
            realised: (realised != Money::ZERO).then(|| money(realised)),
            cash: money(cash),
        }
    };
    let lines = (begin..end).map(line).collect();
    let sum = -a.balance(Book::Capital)
        - a.balance(Book::Realised)
        - a.balance(Book::Fees)
        - a.balance(Book::Positions);
    let mut violations = a.violations();
    violations.extend(state.read_only.as_ref().map(|why| why.to_string()));
    if sum != a.balance(Book::Cash) {
        violations.push(format!(
            "the sum {sum} differs from the cash {}",
            a.balance(Book::Cash)
        ));
    }
    LedgerView {
        lines,
        count,
        paid_in: money(-a.balance(Book::Capital)),
        realised: money(-a.balance(Book::Realised)),
        fees: money(a.balance(Book::Fees)),
        positions: money(a.balance(Book::Positions)),
        cash: money(a.balance(Book::Cash)),
        sum: money(sum),
        violations,
    }
}

/// Which lines of the ledger are asked for.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct LedgerQuery {
    /// Those before this number; the newest when absent.
    #[serde(default)]
    before: Option<usize>,
}

/// A page of the ledger, and the proof that all of it adds up.
#[utoipa::path(get, path = "/ledger", tag = "account", params(LedgerQuery),
    responses((status = 200, body = LedgerView)))]
async fn ledger(
    State(app): State<AppState>,
    Query(query): Query<LedgerQuery>,
) -> Result<Json<LedgerView>, Problem> {
    Ok(Json(
        app.read(move |state, _| page(state, query.before)).await?,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(ledger))
}
