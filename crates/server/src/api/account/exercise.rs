//! What is to happen to bought options at their end.

use axum::extract::State;
use axum::http::StatusCode;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

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

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(exercise))
}
