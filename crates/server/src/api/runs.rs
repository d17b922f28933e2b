//! Runs: the catalogue, a new one, and the way to each.
//!
//! Everything under `/api` is the account's. The same under `/runs/NAME/api` is another run's: each
//! is answered from the desk of that run, stream included.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use axum::extract::{Request, State};
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use axum::{Json, Router};
use serde::{Deserialize, Serialize};
use store::Hindrance;
use tower::ServiceExt;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::refusal::Failure;
use crate::app::runs::{RunError, Runs};
use crate::http::problem::{Body, Problem};
use crate::http::{AppState, one_run};

/// A run: a file of its own, with its own clock, orders and ledger.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RunWire {
    /// Its name; the account's is "account".
    name: String,
    /// Its desk is at work.
    open: bool,
}

/// A run to be begun.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct RunRequest {
    /// Small letters, digits and hyphens.
    name: String,
}

impl From<RunError> for Problem {
    fn from(e: RunError) -> Problem {
        let (status, code) = match &e {
            RunError::Unknown(_) => (StatusCode::NOT_FOUND, "unknown_run"),
            RunError::Exists(_) => (StatusCode::CONFLICT, "run_exists"),
            RunError::Name(_) => (StatusCode::UNPROCESSABLE_ENTITY, "bad_field"),
            RunError::Failed(Failure::Store(e)) if e.hindrance() == Hindrance::Full => {
                (StatusCode::INSUFFICIENT_STORAGE, "disk_full")
            }
            RunError::Folder { .. } | RunError::Failed(Failure::Store(_)) => {
                (StatusCode::SERVICE_UNAVAILABLE, "run_not_opened")
            }
            RunError::Failed(Failure::Refusal(_)) => {
                (StatusCode::UNPROCESSABLE_ENTITY, "run_not_opened")
            }
        };
        Problem::new(status, code, e.to_string())
    }
}

/// The catalogue, the account first.
#[utoipa::path(
    get,
    path = "/runs",
    tag = "runs",
    responses((status = 200, body = Vec<RunWire>)),
)]
async fn list_runs(State(runs): State<Arc<Runs>>) -> Result<Json<Vec<RunWire>>, Problem> {
    let listed = runs.list().await?.into_iter().map(|r| RunWire {
        name: r.name,
        open: r.open,
    });
    Ok(Json(listed.collect()))
}

/// Begins a run: money paid in, the clock paused, in the account's world.
#[utoipa::path(
    post,
    path = "/runs",
    tag = "runs",
    request_body = RunRequest,
    responses(
        (status = 201, body = RunWire),
        (status = 409, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn begin_run(
    State(runs): State<Arc<Runs>>,
    Body(request): Body<RunRequest>,
) -> Result<(StatusCode, Json<RunWire>), Problem> {
    runs.begin(&request.name).await?;
    let run = RunWire {
        name: request.name,
        open: true,
    };
    Ok((StatusCode::CREATED, Json(run)))
}

pub(crate) fn router() -> OpenApiRouter<Arc<Runs>> {
    OpenApiRouter::new().routes(routes!(list_runs, begin_run))
}

/// The ways to runs that were asked for, each made once.
pub(crate) struct Ways {
    runs: Arc<Runs>,
    made: Mutex<HashMap<String, Router>>,
}

impl Ways {
    pub(crate) fn new(runs: Arc<Runs>) -> Arc<Ways> {
        Arc::new(Ways {
            runs,
            made: Mutex::default(),
        })
    }

    async fn to(&self, name: &str) -> Result<Router, RunError> {
        let desk = self.runs.desk(name).await?;
        // A panic elsewhere leaves the map as good as it was.
        let mut made = self.made.lock().unwrap_or_else(PoisonError::into_inner);
        let way = made
            .entry(name.into())
            .or_insert_with(|| one_run(AppState::new(desk)));
        Ok(way.clone())
    }
}

/// Leads a request of `/runs/NAME/…` to that run; others go on as they are.
pub(crate) async fn lead(
    State(ways): State<Arc<Ways>>,
    mut request: Request,
    next: Next,
) -> Response {
    let rest = request.uri().path_and_query().map_or("", |p| p.as_str());
    let Some((name, rest)) = rest
        .strip_prefix("/runs/")
        .and_then(|way| way.split_once('/'))
    else {
        return next.run(request).await;
    };
    let (name, inner) = (name.to_owned(), format!("/{rest}"));
    match inner.parse() {
        Ok(uri) => *request.uri_mut() = uri,
        Err(_) => {
            let said = format!("{inner:?} is no address");
            return Problem::new(StatusCode::BAD_REQUEST, "bad_address", said).into_response();
        }
    }
    let way = match ways.to(&name).await {
        Ok(way) => way,
        Err(e) => return Problem::from(e).into_response(),
    };
    match way.oneshot(request).await {
        Ok(answer) => answer,
        Err(never) => match never {},
    }
}
