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
use crate::api::kept;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// One draft of a paper portfolio.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct PaperDraft {
    /// A draft as it stands in the tray.
    draft: DraftWire,
    /// Whether it counts in the sums.
    on: bool,
}

/// A paper portfolio.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct PaperWire {
    /// What is really held counts beside it.
    held: bool,
    /// The drafts that the portfolio is made of.
    drafts: Vec<PaperDraft>,
}

/// What a paper portfolio is kept as.
const PAPER: &str = "paper";
const MOST_DRAFTS: usize = 60;

/// Paper portfolios by name.
#[utoipa::path(
    get,
    path = "/papers",
    tag = "drafts",
    responses((status = 200, body = BTreeMap<String, PaperWire>)),
)]
async fn papers(State(app): State<AppState>) -> Json<BTreeMap<String, PaperWire>> {
    Json(kept::all(&app.desk.snapshot(), PAPER))
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
    let place = kept::place(PAPER, &name)?;
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
    kept::keep(&app, place, &paper).await
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
    kept::throw_away(&app, kept::place(PAPER, &name)?).await
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(papers))
        .routes(routes!(keep_paper))
        .routes(routes!(drop_paper))
}
