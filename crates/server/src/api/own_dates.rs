//! Dates of the trader's own: they stand in rounds and in the calendar.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::OwnDate;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::date;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// A date of the trader's own.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct OwnDateRequest {
    /// The date, as 2031-03-20.
    date: String,
    /// What it is, 1 to 120 characters.
    what: String,
    /// The campaign it belongs to.
    #[serde(default)]
    campaign: Option<u64>,
}

/// A date of the trader's own, kept.
#[derive(Debug, Serialize, ToSchema)]
struct OwnDateWire {
    /// The number by which it is named.
    id: u64,
    /// The date, as 2031-03-20.
    date: String,
    /// What it is.
    what: String,
    /// The campaign it belongs to.
    campaign: Option<u64>,
}

/// Adds a date of the trader's own: it stands in rounds and in the calendar.
#[utoipa::path(
    post,
    path = "/dates",
    tag = "rounds",
    request_body = OwnDateRequest,
    responses(
        (status = 201, body = OwnDateWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn add_date(
    State(app): State<AppState>,
    Body(request): Body<OwnDateRequest>,
) -> Result<(StatusCode, Json<OwnDateWire>), Problem> {
    let wanted = OwnDate {
        id: 0,
        date: date("date", &request.date)?,
        what: request.what,
        campaign: request.campaign,
    };
    let kept = app.command(move |desk| desk.add_date(wanted)).await?;
    let wire = OwnDateWire {
        id: kept.id,
        date: kept.date.to_string(),
        what: kept.what,
        campaign: kept.campaign,
    };
    Ok((StatusCode::CREATED, Json(wire)))
}

/// Takes a date of the trader's own away.
#[utoipa::path(
    delete,
    path = "/dates/{id}",
    tag = "rounds",
    params(("id" = u64, Path)),
    responses((status = 204), (status = 404, body = Problem)),
)]
async fn remove_date(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<StatusCode, Problem> {
    app.command(move |desk| desk.remove_date(id)).await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(add_date))
        .routes(routes!(remove_date))
}
