//! Masthead, book and ledger.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::book_view::{self, BookView, Masthead};
use crate::ledger_view::{self, LedgerView};
use crate::problem::{Body, Problem, Query};
use crate::refusal::Refusal;

/// Account value, buying power, today's result.
#[utoipa::path(get, path = "/account", tag = "account", responses((status = 200, body = Masthead)))]
async fn masthead(State(app): State<AppState>) -> Result<Json<Masthead>, Problem> {
    Ok(Json(app.read(book_view::masthead).await?))
}

/// Open campaigns.
#[utoipa::path(get, path = "/book", tag = "account", responses((status = 200, body = BookView)))]
async fn book(State(app): State<AppState>) -> Result<Json<BookView>, Problem> {
    Ok(Json(app.read(book_view::book).await?))
}

/// What is to happen to a bought option at its end.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct ExerciseRequest {
    /// OSI symbol of a series that is held long.
    contract: String,
    /// Exercised if it ends in the money by a cent (as without an instruction), or left to expire.
    exercise: bool,
}

/// Says whether a bought option is exercised at its end.
#[utoipa::path(
    put,
    path = "/exercise",
    tag = "account",
    request_body = ExerciseRequest,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn exercise(
    State(app): State<AppState>,
    Body(request): Body<ExerciseRequest>,
) -> Result<StatusCode, Problem> {
    let contract = request.contract.parse().map_err(Refusal::from)?;
    app.command(move |desk| desk.decline(contract, !request.exercise))
        .await?;
    Ok(StatusCode::NO_CONTENT)
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
    let page = move |state: &engine::State, _: &mut market::Quoter| {
        ledger_view::ledger(state, query.before)
    };
    Ok(Json(app.read(page).await?))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(masthead))
        .routes(routes!(book))
        .routes(routes!(exercise))
        .routes(routes!(ledger))
}
