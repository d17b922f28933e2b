//! Masthead and book as they are shown.

use axum::Json;
use axum::extract::State;
use desk::{Book, BookGreeks, Campaign, Instrument, Money};
use engine::State as DeskState;
use engine::campaigns::all_open;
use engine::money::{
    account_value, buying_power, remember_held_legs, requirement_of, total_requirement, unvalued,
};
use engine::sight::{book_greeks, index_price, since_close};
use market::Quoter;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::account::position::{Position, carried};
use crate::api::wire::{instrument_label, moment, money};
use crate::http::AppState;
use crate::http::problem::Problem;

/// The strip over every view.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Masthead {
    /// Cash and positions at their marks.
    pub account_value: String,
    /// What new positions may use.
    pub buying_power: String,
    /// Change of the account value since the close before this session (or, when closed, the last
    /// one).
    pub today: String,
    /// Margin that the positions tie up, in money.
    pub held: String,
    /// Delta of the whole book in shares of the index.
    pub lean: f64,
    /// Theta of the whole book per day.
    pub theta: f64,
    /// What is held and has no market now: counted at what it cost, and in no Greek.
    pub unvalued: Vec<String>,
    /// Why nothing can be changed, where the books that were kept do not reconcile.
    pub read_only: Option<String>,
}

/// Builds the masthead.
pub(crate) fn masthead_of(state: &DeskState, quoter: &mut Quoter) -> Masthead {
    let value = account_value(state, quoter);
    // After the close the day's result stands until the next opening.
    let session = desk::calendar::last_trading(state.clock.now).date();
    let today = match since_close(state, value, session) {
        Some((profit, _)) => profit,
        None => value + state.account.balance(Book::Capital),
    };
    let BookGreeks { lean, theta, .. } = book_greeks(state, quoter);
    Masthead {
        account_value: money(value),
        buying_power: money(buying_power(state, quoter)),
        today: money(today),
        held: money(total_requirement(state, quoter)),
        lean: (lean * 100.0).round() / 100.0,
        theta: (theta * 100.0).round() / 100.0,
        unvalued: labels(&unvalued(state, quoter)),
        read_only: state.read_only.as_ref().map(|why| why.to_string()),
    }
}

fn labels(instruments: &[Instrument]) -> Vec<String> {
    instruments.iter().map(instrument_label).collect()
}

/// Lean of the whole book, and how much 1.00 of delta in an underlying adds to it.
pub(crate) fn lean_now(state: &DeskState, quoter: &mut Quoter, symbol: &str) -> (f64, f64) {
    let beta = state.world.beta(symbol, state.clock.now);
    let spot = engine::state::spot_of(state, symbol).to_f64();
    (
        book_greeks(state, quoter).lean,
        beta * spot / index_price(state),
    )
}

/// The book's figures, before or after.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookFigures {
    /// Delta of the whole book in shares of the index.
    pub lean: f64,
    /// Theta a day.
    pub theta: f64,
    /// Vega a point.
    pub vega: f64,
    /// What new positions may use, in money.
    pub buying_power: String,
}

/// What a draft does to the book.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookEffect {
    /// As it is.
    pub before: BookFigures,
    /// As it would be.
    pub after: BookFigures,
    /// The most it can lose as a share of the account; absent without a limit.
    pub at_risk: Option<f64>,
}

/// The effect of an evaluated draft.
pub fn effect_on_book(
    state: &DeskState,
    quoter: &mut Quoter,
    e: &desk::Evaluation,
    symbol: &str,
) -> BookEffect {
    let before = book_greeks(state, quoter);
    let beta = state.world.beta(symbol, state.clock.now);
    let mut after = before;
    after.add(&e.greeks, beta, e.spot.to_f64(), index_price(state));
    let figures = |t: BookGreeks, power: Money| BookFigures {
        lean: t.lean,
        theta: t.theta,
        vega: t.vega,
        buying_power: money(power),
    };
    BookEffect {
        before: figures(before, e.money.buying_power_now),
        after: figures(after, e.money.buying_power_after),
        at_risk: e.at_risk(account_value(state, quoter)),
    }
}

/// All that is held, with what it makes together.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookView {
    /// The moment of the marks, with its offset.
    pub at: String,
    /// Open campaigns, oldest first.
    pub positions: Vec<Position>,
    /// Margin by underlying, as held (positions together).
    pub held: Vec<HeldMargin>,
}

/// Margin held for one underlying.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct HeldMargin {
    /// The symbol of the underlying.
    pub symbol: String,
    /// Margin held for it, in money.
    pub amount: String,
}

/// Builds the book.
pub(crate) fn book_of(state: &DeskState, quoter: &mut Quoter) -> BookView {
    remember_held_legs(state, quoter);
    let open = all_open(state);
    let mut held: Vec<HeldMargin> = Vec::new();
    for Campaign { symbol, .. } in &open {
        if !held.iter().any(|h| h.symbol == *symbol) {
            held.push(HeldMargin {
                symbol: symbol.clone(),
                amount: money(requirement_of(state, quoter, symbol).total),
            });
        }
    }
    let positions = open
        .iter()
        .filter_map(|campaign| carried(state, quoter, campaign, None))
        .map(|c| c.position)
        .collect();
    BookView {
        at: moment(state.clock.now),
        positions,
        held,
    }
}

/// Account value, buying power, today's result.
#[utoipa::path(get, path = "/account", tag = "account", responses((status = 200, body = Masthead)))]
async fn masthead(State(app): State<AppState>) -> Result<Json<Masthead>, Problem> {
    Ok(Json(app.read(masthead_of).await?))
}

/// Gives the open campaigns and what they make together.
#[utoipa::path(get, path = "/book", tag = "account", responses((status = 200, body = BookView)))]
async fn book(State(app): State<AppState>) -> Result<Json<BookView>, Problem> {
    Ok(Json(app.read(book_of).await?))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(masthead))
        .routes(routes!(book))
}
