//! The ledger as it is shown, with the proof that it adds up.

use axum::Json;
use axum::extract::State;
use desk::{Account, Book, Entry, Money};
use engine::State as DeskState;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::words::EntryWord;
use crate::api::wire::{moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Problem, Query};

/// One line of the ledger.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct LedgerLine {
    /// Number of the entry, the first being 1.
    pub number: usize,
    /// The moment of the entry, with its offset.
    pub at: String,
    /// What it is.
    pub kind: EntryWord,
    /// What happened, as a sentence.
    pub memo: String,
    /// Order behind it.
    pub order: Option<u64>,
    /// Campaigns that it touched.
    pub campaigns: Vec<u64>,
    /// Premium or payment, before fees.
    pub amount: String,
    /// Commissions of the entry, in money.
    pub fees: String,
    /// Profit booked, before fees; absent when nothing was closed.
    pub realised: Option<String>,
    /// Cash after it.
    pub cash: String,
}

/// Sums over lines.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct LedgerTotals {
    /// Of premiums and payments, before fees.
    pub amount: String,
    /// Commissions of all entries, in money.
    pub fees: String,
    /// Of profit booked, before fees.
    pub realised: String,
}

impl From<[Money; 3]> for LedgerTotals {
    fn from([amount, fees, realised]: [Money; 3]) -> LedgerTotals {
        LedgerTotals {
            amount: money(amount),
            fees: money(fees),
            realised: money(realised),
        }
    }
}

/// The ledger, and the proof that it adds up.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LedgerView {
    /// A page of the lines, oldest first: the newest, or those before a number.
    pub lines: Vec<LedgerLine>,
    /// How many lines there are in all.
    pub count: usize,
    /// How many of them are what was asked for.
    pub found: usize,
    /// What all of those come to.
    pub totals: LedgerTotals,
    /// Money that was paid into the account.
    pub paid_in: String,
    /// Profit booked, before fees.
    pub realised: String,
    /// Commissions that were paid so far, in money.
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

/// Which lines of the ledger are asked for: those for which everything that is named holds.
#[derive(Debug, Default, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct LedgerQuery {
    /// Those before this number; the newest when absent.
    #[serde(default)]
    before: Option<usize>,
    /// Those that touched a campaign in this underlying.
    #[serde(default)]
    symbol: Option<String>,
    /// Those of this kind.
    #[serde(default)]
    kind: Option<EntryWord>,
    /// Those that touched this campaign.
    #[serde(default)]
    campaign: Option<u64>,
    /// Those of this date (YYYY-MM-DD) or later.
    #[serde(default)]
    from: Option<String>,
    /// Those of this date (YYYY-MM-DD) or earlier.
    #[serde(default)]
    to: Option<String>,
}

/// The same with its dates read.
struct Wanted {
    query: LedgerQuery,
    from: Option<jiff::civil::Date>,
    to: Option<jiff::civil::Date>,
}

impl Wanted {
    fn read(query: LedgerQuery) -> Result<Wanted, Refusal> {
        let date = |field: &'static str, text: &Option<String>| match text {
            None => Ok(None),
            Some(text) => text.parse().map(Some).map_err(|_| Refusal::Field {
                field,
                message: format!("{text:?} is no date; write one like 2031-03-11"),
            }),
        };
        Ok(Wanted {
            from: date("from", &query.from)?,
            to: date("to", &query.to)?,
            query,
        })
    }

    fn has(&self, account: &Account, e: &Entry) -> bool {
        let (q, day) = (&self.query, e.at.date());
        let mut campaigns = e.shares.iter().map(|s| account.home(s.campaign));
        let of_symbol = |symbol: &String| {
            let mut own = e.shares.iter().filter_map(|s| account.campaign(s.campaign));
            own.any(|c| c.symbol == *symbol)
        };
        q.kind.is_none_or(|kind| EntryWord::from(e.kind) == kind)
            && self.from.is_none_or(|from| day >= from)
            && self.to.is_none_or(|to| day <= to)
            && q.campaign
                .is_none_or(|id| campaigns.any(|c| c == account.home(id)))
            && q.symbol.as_ref().is_none_or(of_symbol)
    }
}

/// Cash before fees, fees, and profit of an entry.
fn money_of(e: &Entry) -> [Money; 3] {
    let fees = e.amount(Book::Fees);
    [e.amount(Book::Cash) + fees, fees, -e.amount(Book::Realised)]
}

/// Builds a page of the ledger: the last of the lines that are asked for.
fn page(state: &DeskState, wanted: &Wanted) -> LedgerView {
    let a = &state.account;
    let mut cash = a.balance(Book::Cash);
    let (mut lines, mut found, mut totals) = (Vec::new(), 0, [Money::ZERO; 3]);
    for (i, e) in a.entries().iter().enumerate().rev() {
        // Cash after a line is that of the books less what came later.
        let after = cash;
        cash -= e.amount(Book::Cash);
        if !wanted.has(a, e) {
            continue;
        }
        let of_it = money_of(e);
        found += 1;
        for (total, part) in totals.iter_mut().zip(of_it) {
            *total += part;
        }
        let listed = wanted.query.before.is_none_or(|n| i + 1 < n) && lines.len() < PAGE;
        if !listed {
            continue;
        }
        let [amount, fees, realised] = of_it;
        lines.push(LedgerLine {
            number: i + 1,
            at: moment(e.at),
            kind: e.kind.into(),
            memo: e.memo.clone(),
            order: e.order,
            campaigns: e.shares.iter().map(|s| a.home(s.campaign)).collect(),
            amount: money(amount),
            fees: money(fees),
            realised: (realised != Money::ZERO).then(|| money(realised)),
            cash: money(after),
        });
    }
    lines.reverse();
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
        count: a.entries().len(),
        found,
        totals: LedgerTotals::from(totals),
        paid_in: money(-a.balance(Book::Capital)),
        realised: money(-a.balance(Book::Realised)),
        fees: money(a.balance(Book::Fees)),
        positions: money(a.balance(Book::Positions)),
        cash: money(a.balance(Book::Cash)),
        sum: money(sum),
        violations,
    }
}

/// A page of the ledger, and the proof that all of it adds up.
#[utoipa::path(get, path = "/ledger", tag = "account", params(LedgerQuery),
    responses((status = 200, body = LedgerView), (status = 422, body = Problem)))]
async fn ledger(
    State(app): State<AppState>,
    Query(query): Query<LedgerQuery>,
) -> Result<Json<LedgerView>, Problem> {
    let wanted = Wanted::read(query)?;
    Ok(Json(app.read(move |state, _| page(state, &wanted)).await?))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(ledger))
}
