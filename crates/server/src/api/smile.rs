//! The smile of one expiration.

use axum::Json;
use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::problem::{Path, Problem, Query};
use crate::smile_view::{SmileView, smile_view};

/// Of which expiration.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct SmileQuery {
    /// Its key.
    expiration: String,
}

/// What bid, middle and ask of each strike imply, and the line through them.
#[utoipa::path(
    get,
    path = "/smile/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), SmileQuery),
    responses(
        (status = 200, body = SmileView),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn smile(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(query): Query<SmileQuery>,
) -> Result<Json<SmileView>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| smile_view(state, quoter, &symbol, &query.expiration))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(smile))
}
