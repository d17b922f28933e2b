//! Positions and fills out as files, fills in.

use axum::Json;
use axum::extract::{DefaultBodyLimit, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::fills_import::LineProblem;
use crate::problem::Problem;
use crate::statement;

/// Most bytes of a file of fills.
const MOST_FILE: usize = 2 * 1024 * 1024;

/// Text as a file to keep.
fn file(text: String, kind: &'static str, name: &'static str) -> Response {
    let mut response = text.into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static(kind));
    headers.insert(header::CONTENT_DISPOSITION, HeaderValue::from_static(name));
    response
}

/// Open lots as CSV.
#[utoipa::path(
    get,
    path = "/positions.csv",
    tag = "account",
    responses((status = 200, content_type = "text/csv", body = String)),
)]
async fn positions_csv(State(app): State<AppState>) -> Result<Response, Problem> {
    let text = app.read(statement::positions_csv).await?;
    Ok(file(
        text,
        "text/csv; charset=utf-8",
        "attachment; filename=\"positions.csv\"",
    ))
}

/// Executions as CSV.
#[utoipa::path(
    get,
    path = "/fills.csv",
    tag = "account",
    responses((status = 200, content_type = "text/csv", body = String)),
)]
async fn fills_csv(State(app): State<AppState>) -> Result<Response, Problem> {
    let text = app.read(|state, _| statement::fills_csv(state)).await?;
    Ok(file(
        text,
        "text/csv; charset=utf-8",
        "attachment; filename=\"fills.csv\"",
    ))
}

/// Executions, positions and cash as an OFX investment statement.
#[utoipa::path(
    get,
    path = "/statement.ofx",
    tag = "account",
    responses((status = 200, content_type = "application/x-ofx", body = String)),
)]
async fn statement_ofx(State(app): State<AppState>) -> Result<Response, Problem> {
    let text = app.read(statement::ofx).await?.map_err(|e| {
        Problem::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "statement",
            e.to_string(),
        )
    })?;
    Ok(file(
        text,
        "application/x-ofx",
        "attachment; filename=\"statement.ofx\"",
    ))
}

/// What became of a file of executions.
#[derive(Debug, Serialize, ToSchema)]
struct ImportReport {
    /// Executions booked; none where there are problems.
    booked: usize,
    /// What is wrong, by line.
    problems: Vec<LineProblem>,
}

/// Books the executions of a CSV file, all or none.
#[utoipa::path(
    post,
    path = "/fills/import",
    tag = "account",
    request_body(content = String, content_type = "text/csv"),
    responses((status = 200, body = ImportReport), (status = 422, body = ImportReport)),
)]
async fn import_fills(
    State(app): State<AppState>,
    text: String,
) -> Result<(StatusCode, Json<ImportReport>), Problem> {
    Ok(
        match app
            .command(move |engine| crate::fills_import::import_fills(engine, &text))
            .await?
        {
            Ok(booked) => (
                StatusCode::OK,
                Json(ImportReport {
                    booked,
                    problems: Vec::new(),
                }),
            ),
            Err(problems) => (
                StatusCode::UNPROCESSABLE_ENTITY,
                Json(ImportReport {
                    booked: 0,
                    problems,
                }),
            ),
        },
    )
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    let larger = OpenApiRouter::new()
        .routes(routes!(import_fills))
        .layer(DefaultBodyLimit::max(MOST_FILE));
    OpenApiRouter::new()
        .routes(routes!(positions_csv))
        .routes(routes!(fills_csv))
        .routes(routes!(statement_ofx))
        .merge(larger)
}
