//! The daily record: a row for each close, with its note and what was decided.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{Day, Money, drawdowns};
use engine::State as DeskState;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::life::PartsWire;
use crate::api::rounds::{DecisionWire, decision_wire};
use crate::api::wire::{date, money};
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// What most capital is at risk in.
#[derive(Debug, Serialize, ToSchema)]
struct LargestWire {
    /// What it is called: a campaign, a symbol or a sector.
    name: String,
    /// How much is at risk in it, in money.
    amount: String,
}

/// What the book was at a close, and what the day made.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct DayFiguresWire {
    /// Paid in since the close before.
    deposits: String,
    /// Profit since the close before, by what made it.
    parts: PartsWire,
    /// Cash at the close, below zero where it is owed.
    cash: String,
    /// What new positions could use at the close.
    buying_power: String,
    /// What the positions tied up at the close.
    margin: String,
    /// Delta in index shares.
    lean: f64,
    /// Money made by one percent of the index to first order.
    lean_money: f64,
    /// Change of the delta in index shares by one point of the index.
    gamma: f64,
    /// Money that one day's passing brings.
    theta: f64,
    /// A volatility point.
    vega: f64,
    /// A percentage point of the rate.
    rho: f64,
    /// Profit at index moves of −5, −1, 0, 1 and 5 percent.
    at_moves: Vec<String>,
    /// Capital at risk in what makes most where the index rises.
    risk_up: String,
    /// Where it falls.
    risk_down: String,
    /// Where it stays.
    risk_still: String,
    /// The largest trade.
    largest_trade: Option<LargestWire>,
    /// The largest symbol.
    largest_symbol: Option<LargestWire>,
    /// The largest sector.
    largest_sector: Option<LargestWire>,
    /// The largest expiration.
    largest_expiration: Option<LargestWire>,
    /// What had no quote or is not told in parts.
    missing: Vec<String>,
    /// How far the profit of all days stands below its highest so far.
    drawdown: String,
}

/// What the account stood at when a session closed.
#[derive(Debug, Serialize, ToSchema)]
pub(crate) struct DayWire {
    /// The session's date, as 2031-03-11.
    date: String,
    /// The form that the row was made in; of form 1 the value alone is known.
    version: u32,
    /// The account's value.
    value: String,
    /// All other figures; absent where the market could not tell them.
    figures: Option<DayFiguresWire>,
    /// What was noted of it.
    note: String,
}

fn largest(of: &Option<(String, Money)>) -> Option<LargestWire> {
    let (name, amount) = of.as_ref()?;
    Some(LargestWire {
        name: name.clone(),
        amount: money(*amount),
    })
}

fn wire(state: &DeskState, day: &Day, drawdown: Option<Money>) -> DayWire {
    DayWire {
        date: day.date.clone(),
        version: day.version,
        value: money(day.value),
        figures: day.figures.as_ref().map(|f| DayFiguresWire {
            deposits: money(f.deposits),
            parts: f.parts.into(),
            cash: money(f.cash),
            buying_power: money(f.buying_power),
            margin: money(f.margin),
            lean: f.greeks.lean,
            lean_money: f.greeks.lean_money,
            gamma: f.greeks.gamma,
            theta: f.greeks.theta,
            vega: f.greeks.vega,
            rho: f.greeks.rho,
            at_moves: f.at_moves.map(money).to_vec(),
            risk_up: money(f.at_risk.up),
            risk_down: money(f.at_risk.down),
            risk_still: money(f.at_risk.still),
            largest_trade: largest(&f.largest.trade),
            largest_symbol: largest(&f.largest.symbol),
            largest_sector: largest(&f.largest.sector),
            largest_expiration: largest(&f.largest.expiration),
            missing: f.missing.clone(),
            drawdown: money(drawdown.unwrap_or_default()),
        }),
        note: state.day_notes.get(&day.date).cloned().unwrap_or_default(),
    }
}

/// The row at a place.
pub(crate) fn day_wire(state: &DeskState, place: usize) -> Option<DayWire> {
    let drawdown = drawdowns(&state.days).get(place).copied().flatten();
    Some(wire(state, state.days.get(place)?, drawdown))
}

/// The daily record.
#[derive(Debug, Serialize, ToSchema)]
struct DaysView {
    /// Rows, oldest first.
    days: Vec<DayWire>,
    /// Everything that was decided, oldest first.
    decisions: Vec<DecisionWire>,
}

/// The daily record.
#[utoipa::path(get, path = "/days", tag = "rounds", responses((status = 200, body = DaysView)))]
async fn days(State(app): State<AppState>) -> Json<DaysView> {
    let state = app.desk.snapshot();
    let each = state.days.iter().zip(drawdowns(&state.days));
    Json(DaysView {
        days: each.map(|(day, down)| wire(&state, day, down)).collect(),
        decisions: state
            .decisions
            .iter()
            .map(|d| decision_wire(&state, d))
            .collect(),
    })
}

/// Replaces what the trader noted of a day.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct NoteRequest {
    /// At most 1,000 characters; empty takes it away.
    note: String,
}

/// Notes something of a day.
#[utoipa::path(
    put,
    path = "/days/{date}/note",
    tag = "rounds",
    params(("date" = String, Path, description = "ISO date")),
    request_body = NoteRequest,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn note_day(
    State(app): State<AppState>,
    Path(day): Path<String>,
    Body(request): Body<NoteRequest>,
) -> Result<StatusCode, Problem> {
    let day = date("date", &day)?;
    app.command(move |desk| desk.note_day(day, request.note))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Notes why something was done: of a line of the ledger, which is a chapter of its campaigns.
#[utoipa::path(
    put,
    path = "/ledger/{entry}/note",
    tag = "account",
    params(("entry" = usize, Path)),
    request_body = NoteRequest,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn note_entry(
    State(app): State<AppState>,
    Path(entry): Path<usize>,
    Body(request): Body<NoteRequest>,
) -> Result<StatusCode, Problem> {
    // Lines are counted from 1; before the first there is none.
    let place = entry.checked_sub(1).unwrap_or(usize::MAX);
    app.command(move |desk| desk.note_entry(place, request.note))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(days))
        .routes(routes!(note_day))
        .routes(routes!(note_entry))
}
