//! Runs: the catalogue, a new one, and the way to each.
//!
//! Everything under `/api` is the account's. The same under `/runs/NAME/api` is another run's: each
//! is answered from the desk of that run, stream included.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use axum::extract::{Path, Request, State};
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use axum::{Json, Router};
use desk::calendar::{open_of, session_on_or_before};
use desk::{Moment, Money};
use serde::{Deserialize, Serialize};
use store::Hindrance;
use tower::ServiceExt;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::words::ChapterWord;
use crate::app::refusal::Failure;
use crate::app::runs::{ACCOUNT, About, Listed, NewRun, RunError, Runs};
use crate::http::problem::{Body, Problem, Query};
use crate::http::{AppState, one_run};

/// A run: a file of its own, with its own clock, orders and ledger.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RunWire {
    /// Its name; the account's is "account".
    name: String,
    /// Its desk is at work.
    open: bool,
    /// The trader's words.
    note: String,
    /// The symbol that it is on; the whole market when absent.
    symbol: Option<String>,
    /// Where its clock began.
    began: Option<String>,
    /// Where its clock stands.
    now: Option<String>,
    /// Value of its account at the last close.
    value: Option<String>,
    /// The run that it branched from.
    from: Option<String>,
    /// It is over: it can be read.
    finished: bool,
    /// Looks that can be gone back to.
    looks: usize,
}

impl From<Listed> for RunWire {
    fn from(r: Listed) -> RunWire {
        let began = Some(r.about.began).filter(|ms| *ms != 0);
        RunWire {
            name: r.name,
            open: r.open,
            note: r.about.note,
            symbol: r.about.symbol,
            began: began.map(|ms| Moment::from_millis(ms).to_string()),
            now: r.now.map(|m| m.to_string()),
            value: r.value.map(|v| v.to_string()),
            from: r.about.from,
            finished: r.about.finished,
            looks: r.looks,
        }
    }
}

/// A run to be begun.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct RunRequest {
    /// Small letters, digits and hyphens.
    name: String,
    /// Where its clock begins: a date, for its opening, or a moment; where the account stands when absent.
    #[serde(default)]
    at: Option<String>,
    /// Money paid in; 60000 when absent.
    #[serde(default)]
    money: Option<String>,
    /// The symbol that it is on; the whole market when absent.
    #[serde(default)]
    symbol: Option<String>,
    /// With my rules.
    #[serde(default)]
    rules: bool,
    /// With kind and level of the account.
    #[serde(default)]
    account: bool,
    /// The trader's words.
    #[serde(default)]
    note: String,
}

/// A change of what a run is about.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct RunChange {
    /// The trader's words.
    #[serde(default)]
    note: Option<String>,
    /// It is over, or goes on.
    #[serde(default)]
    finished: Option<bool>,
}

/// A branch to be begun.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct BranchRequest {
    /// The look that it begins at.
    at: String,
    /// The name of the new run.
    name: String,
}

/// Which runs are compared.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
struct ComparedRuns {
    /// Their names, with commas between; at most six.
    names: String,
}

/// One run beside others.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RunCompared {
    /// The name of the run.
    name: String,
    /// What it stood at when sessions closed.
    days: Vec<RunDay>,
    /// What was decided.
    decisions: Vec<RunDecision>,
}

/// A close of a run.
#[derive(Debug, Serialize, ToSchema)]
struct RunDay {
    /// The session's date, as 2031-03-11.
    date: String,
    /// Value of the account.
    value: String,
    /// How far its profit stands below its highest so far.
    drawdown: Option<String>,
}

/// A decision in a run.
#[derive(Debug, Serialize, ToSchema)]
struct RunDecision {
    /// The moment of the decision, with its offset.
    at: String,
    /// In which symbol.
    symbol: String,
    /// What was done.
    what: ChapterWord,
    /// The number of the campaign that it was about.
    campaign: u64,
}

/// Most runs beside each other.
const MOST_COMPARED: usize = 6;
/// Longest note, in characters.
const MOST_NOTE: usize = 2_000;

impl From<RunError> for Problem {
    fn from(e: RunError) -> Problem {
        let (status, code) = match &e {
            RunError::Unknown(_) => (StatusCode::NOT_FOUND, "unknown_run"),
            RunError::Exists(_) => (StatusCode::CONFLICT, "run_exists"),
            RunError::Name(_) | RunError::Beginning(_) => {
                (StatusCode::UNPROCESSABLE_ENTITY, "bad_field")
            }
            RunError::Look { .. } => (StatusCode::NOT_FOUND, "unknown_look"),
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

fn wrong(message: String) -> Problem {
    Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "bad_field", message)
}

fn moment(text: &str) -> Result<Moment, Problem> {
    if !text.contains('T')
        && let Ok(day) = text.parse()
    {
        return Ok(open_of(session_on_or_before(day)));
    }
    text.parse().map_err(|_| {
        wrong(format!(
            "{text:?} is no moment; write a date (2030-03-11) or 2030-03-11T10:42"
        ))
    })
}

fn note(text: &str) -> Result<String, Problem> {
    if text.chars().count() > MOST_NOTE {
        return Err(wrong(format!("a note has at most {MOST_NOTE} characters")));
    }
    Ok(text.trim().to_owned())
}

/// The catalogue, the account first.
#[utoipa::path(
    get,
    path = "/runs",
    tag = "runs",
    responses((status = 200, body = Vec<RunWire>)),
)]
async fn list_runs(State(ways): State<Arc<Ways>>) -> Result<Json<Vec<RunWire>>, Problem> {
    let listed = ways.runs.list().await?;
    Ok(Json(listed.into_iter().map(RunWire::from).collect()))
}

async fn told(ways: &Ways, name: &str) -> Result<Json<RunWire>, Problem> {
    let listed = ways.runs.list().await?.into_iter().find(|r| r.name == name);
    let found = listed.ok_or_else(|| RunError::Unknown(name.to_owned()))?;
    Ok(Json(found.into()))
}

/// Begins a run: money paid in, the clock paused, in the account's world and its past.
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
    State(ways): State<Arc<Ways>>,
    Body(request): Body<RunRequest>,
) -> Result<(StatusCode, Json<RunWire>), Problem> {
    let money = match &request.money {
        None => Money::whole(60_000),
        Some(text) => text.parse().map_err(|e| wrong(format!("money: {e}")))?,
    };
    let new = NewRun {
        at: request.at.as_deref().map(moment).transpose()?,
        money,
        symbol: request.symbol.filter(|s| !s.is_empty()),
        rules: request.rules,
        account: request.account,
        note: note(&request.note)?,
        name: request.name.clone(),
    };
    ways.runs.begin(new).await?;
    Ok((StatusCode::CREATED, told(&ways, &request.name).await?))
}

/// Changes the note of a run, or says that it is over.
#[utoipa::path(
    put,
    path = "/runs/{name}",
    tag = "runs",
    params(("name" = String, Path)),
    request_body = RunChange,
    responses(
        (status = 200, body = RunWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn change_run(
    State(ways): State<Arc<Ways>>,
    Path(name): Path<String>,
    Body(change): Body<RunChange>,
) -> Result<Json<RunWire>, Problem> {
    if name == ACCOUNT {
        return Err(wrong(
            "the account is no run that could be changed so".into(),
        ));
    }
    let words = change.note.as_deref().map(note).transpose()?;
    let desk = ways.runs.desk(&name).await?;
    let set = move |about: &mut About| {
        about.note = words.unwrap_or(std::mem::take(&mut about.note));
        about.finished = change.finished.unwrap_or(about.finished);
    };
    ways.runs.describe(&desk, set).await?;
    told(&ways, &name).await
}

/// Throws a run away.
#[utoipa::path(
    delete,
    path = "/runs/{name}",
    tag = "runs",
    params(("name" = String, Path)),
    responses((status = 204), (status = 404, body = Problem)),
)]
async fn delete_run(
    State(ways): State<Arc<Ways>>,
    Path(name): Path<String>,
) -> Result<StatusCode, Problem> {
    ways.runs.delete(&name).await?;
    ways.made().remove(&name);
    Ok(StatusCode::NO_CONTENT)
}

/// The looks of a run that can be gone back to, ascending.
#[utoipa::path(
    get,
    path = "/runs/{name}/looks",
    tag = "runs",
    params(("name" = String, Path)),
    responses((status = 200, body = Vec<String>)),
)]
async fn looks_of_run(
    State(ways): State<Arc<Ways>>,
    Path(name): Path<String>,
) -> Json<Vec<String>> {
    let looks = ways.runs.looks(&name);
    let all = tokio::task::spawn_blocking(move || looks.list()).await;
    let all = all.unwrap_or_default();
    Json(all.iter().map(ToString::to_string).collect())
}

/// Begins a run as another one stood at a look; the other one stays as it is.
#[utoipa::path(
    post,
    path = "/runs/{name}/branch",
    tag = "runs",
    params(("name" = String, Path)),
    request_body = BranchRequest,
    responses(
        (status = 201, body = RunWire),
        (status = 404, body = Problem),
        (status = 409, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn branch_run(
    State(ways): State<Arc<Ways>>,
    Path(name): Path<String>,
    Body(request): Body<BranchRequest>,
) -> Result<(StatusCode, Json<RunWire>), Problem> {
    let at = moment(&request.at)?;
    ways.runs.branch(&name, at, &request.name).await?;
    Ok((StatusCode::CREATED, told(&ways, &request.name).await?))
}

/// Runs beside each other: value, drawdown and decisions.
#[utoipa::path(
    get,
    path = "/runs/compare",
    tag = "runs",
    params(ComparedRuns),
    responses((status = 200, body = Vec<RunCompared>), (status = 404, body = Problem), (status = 422, body = Problem)),
)]
async fn compare_runs(
    State(ways): State<Arc<Ways>>,
    Query(asked): Query<ComparedRuns>,
) -> Result<Json<Vec<RunCompared>>, Problem> {
    let names: Vec<&str> = asked.names.split(',').filter(|n| !n.is_empty()).collect();
    if names.is_empty() || names.len() > MOST_COMPARED {
        return Err(wrong(format!(
            "names: write 1 to {MOST_COMPARED} of them, with commas between"
        )));
    }
    let mut out = Vec::new();
    for name in names {
        let state = ways.runs.desk(name).await?.snapshot();
        let lows = desk::drawdowns(&state.days);
        let days = state.days.iter().zip(lows).map(|(d, low)| RunDay {
            date: d.date.clone(),
            value: d.value.to_string(),
            drawdown: low.map(|m| m.to_string()),
        });
        let decisions = state.account.campaigns().flat_map(|c| {
            let ordered = c.chapters.iter().filter(|ch| ch.order.is_some());
            ordered.map(|ch| RunDecision {
                at: ch.at.to_string(),
                symbol: c.symbol.clone(),
                what: ch.kind.into(),
                campaign: c.id,
            })
        });
        out.push(RunCompared {
            name: name.to_owned(),
            days: days.collect(),
            decisions: decisions.collect(),
        });
    }
    Ok(Json(out))
}

pub(crate) fn router() -> OpenApiRouter<Arc<Ways>> {
    OpenApiRouter::new()
        .routes(routes!(list_runs, begin_run))
        .routes(routes!(compare_runs))
        .routes(routes!(change_run, delete_run))
        .routes(routes!(looks_of_run))
        .routes(routes!(branch_run))
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
        let state = || {
            if name == ACCOUNT {
                return AppState::of_account(desk, self.runs.feeding().cloned());
            }
            AppState::of_run(desk, self.runs.account().clone(), self.runs.looks(name))
        };
        let mut made = self.made();
        let way = made.entry(name.into()).or_insert_with(|| one_run(state()));
        Ok(way.clone())
    }

    fn made(&self) -> MutexGuard<'_, HashMap<String, Router>> {
        // A panic elsewhere leaves the map as good as it was.
        self.made.lock().unwrap_or_else(PoisonError::into_inner)
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
