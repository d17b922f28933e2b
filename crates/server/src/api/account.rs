//! Masthead, book and ledger.

use axum::Json;
use axum::extract::State;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::book_view::{self, BookView, LedgerView, Masthead};
use crate::problem::Problem;

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

/// Every cash movement, and the proof that they add up.
#[utoipa::path(get, path = "/ledger", tag = "account", responses((status = 200, body = LedgerView)))]
async fn ledger(State(app): State<AppState>) -> Result<Json<LedgerView>, Problem> {
    Ok(Json(app.read(|state, _| book_view::ledger(state)).await?))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(masthead)).routes(routes!(book)).routes(routes!(ledger))
}
