//! Paper portfolios: drafts in several symbols, kept together under a name.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::drafts::DraftWire;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// One draft of a paper portfolio.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct PaperDraft {
    /// The draft.
    draft: DraftWire,
    /// It counts.
    on: bool,
}

/// A paper portfolio.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct PaperWire {
    /// What is really held counts beside it.
    held: bool,
    /// Its drafts.
    drafts: Vec<PaperDraft>,
}

/// Before the name of a paper portfolio among the drafts that are kept.
const PAPER: &str = "paper/";
const MOST_NAME: usize = 60;
const MOST_DRAFTS: usize = 60;

fn place(name: &str) -> Result<String, Refusal> {
    let length = name.chars().count();
    if name.trim().is_empty() || length > MOST_NAME {
        return Err(Refusal::Field {
            field: "name",
            message: format!("{name:?} is not a name; write 1 to {MOST_NAME} characters"),
        });
    }
    Ok(format!("{PAPER}{}", name.trim()))
}

/// Paper portfolios by name.
#[utoipa::path(
    get,
    path = "/papers",
    tag = "drafts",
    responses((status = 200, body = BTreeMap<String, PaperWire>)),
)]
async fn papers(State(app): State<AppState>) -> Json<BTreeMap<String, PaperWire>> {
    let drafts = app.desk.snapshot().drafts;
    let read = |(place, body): (&String, &String)| {
        Some((
            place.strip_prefix(PAPER)?.to_owned(),
            serde_json::from_str(body).ok()?,
        ))
    };
    Json(drafts.iter().filter_map(read).collect())
}

/// Keeps a paper portfolio under a name; one of the same name is replaced.
#[utoipa::path(
    put,
    path = "/papers/{name}",
    tag = "drafts",
    params(("name" = String, Path)),
    request_body = PaperWire,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)),
)]
async fn keep_paper(
    State(app): State<AppState>,
    Path(name): Path<String>,
    Body(paper): Body<PaperWire>,
) -> Result<StatusCode, Problem> {
    let place = place(&name)?;
    if paper.drafts.len() > MOST_DRAFTS {
        return Err(Refusal::TooMany {
            what: "drafts are kept together",
            most: MOST_DRAFTS,
            remedy: "leave some out",
        }
        .into());
    }
    let state = app.desk.snapshot();
    for d in &paper.drafts {
        d.draft.check(&state)?;
    }
    let body = serde_json::to_string(&paper)
        .map_err(|e| Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "bad_body", e.to_string()))?;
    app.command(move |desk| desk.keep_draft(place, Some(body)))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Throws a paper portfolio away.
#[utoipa::path(
    delete,
    path = "/papers/{name}",
    tag = "drafts",
    params(("name" = String, Path)),
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn drop_paper(
    State(app): State<AppState>,
    Path(name): Path<String>,
) -> Result<StatusCode, Problem> {
    let place = place(&name)?;
    app.command(move |desk| desk.keep_draft(place, None))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(papers))
        .routes(routes!(keep_paper))
        .routes(routes!(drop_paper))
}
