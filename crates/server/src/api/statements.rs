//! Positions and fills out as files, fills in.

use std::sync::Arc;

use axum::Json;
use axum::extract::{DefaultBodyLimit, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::http::AppState;
use crate::http::problem::Problem;
use crate::interchange::fills::{LineProblem, prepare_fills};
use crate::interchange::statement;
use crate::interchange::{calendar, days};

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

/// The daily record as CSV.
#[utoipa::path(
    get,
    path = "/days.csv",
    tag = "rounds",
    responses((status = 200, content_type = "text/csv", body = String)),
)]
async fn days_csv(State(app): State<AppState>) -> Response {
    file(
        days::days_csv(&app.desk.snapshot()),
        "text/csv; charset=utf-8",
        "attachment; filename=\"days.csv\"",
    )
}

/// Expirations, earnings and ex-dates of open campaigns as a calendar (RFC 5545). A calendar program
/// that cannot send headers shows the token in the address: `?token=…`.
#[utoipa::path(
    get,
    path = "/calendar.ics",
    tag = "account",
    responses((status = 200, content_type = "text/calendar", body = String)),
)]
async fn calendar_ics(State(app): State<AppState>) -> Result<Response, Problem> {
    let text = app.read(|state, _| calendar::calendar(state)).await?;
    Ok(file(
        text,
        "text/calendar; charset=utf-8",
        "inline; filename=\"pikebell.ics\"",
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

/// How often a file is worked out anew because something happened meanwhile.
const TRIES: usize = 20;

/// Books the executions of a CSV file, all or none. They are worked out beside the desk, so that
/// nobody waits for a long file.
#[utoipa::path(
    post,
    path = "/fills/import",
    tag = "account",
    request_body(content = String, content_type = "text/csv"),
    responses(
        (status = 200, body = ImportReport),
        (status = 422, body = ImportReport),
        (status = 503, body = Problem),
    ),
)]
async fn import_fills(
    State(app): State<AppState>,
    text: String,
) -> Result<(StatusCode, Json<ImportReport>), Problem> {
    let text: Arc<str> = text.into();
    for _ in 0..TRIES {
        let file = Arc::clone(&text);
        let prepared = app
            .read(move |state, quoter| prepare_fills(state, quoter, &file))
            .await?;
        let prepared = match prepared {
            Ok(prepared) => prepared,
            Err(problems) => {
                let report = ImportReport {
                    booked: 0,
                    problems,
                };
                return Ok((StatusCode::UNPROCESSABLE_ENTITY, Json(report)));
            }
        };
        let adopted = app
            .command(move |engine| engine.adopt_history(prepared))
            .await?;
        if let Some(booked) = adopted {
            let report = ImportReport {
                booked,
                problems: Vec::new(),
            };
            return Ok((StatusCode::OK, Json(report)));
        }
    }
    Err(Problem::new(
        StatusCode::SERVICE_UNAVAILABLE,
        "busy",
        "orders and time changed the account while the file was worked out; pause the clock and \
         send it again",
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    let larger = OpenApiRouter::new()
        .routes(routes!(import_fills))
        .layer(DefaultBodyLimit::max(MOST_FILE));
    OpenApiRouter::new()
        .routes(routes!(positions_csv))
        .routes(routes!(days_csv))
        .routes(routes!(calendar_ics))
        .routes(routes!(fills_csv))
        .routes(routes!(statement_ofx))
        .merge(larger)
}
