//! Drafts: structures being considered, kept across restarts.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::problem::{Body, Problem};
use crate::refusal::Refusal;
use crate::state::known;
use crate::wire::{LegWire, structure};

/// A draft as kept.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DraftWire {
    /// Underlying symbol.
    pub symbol: String,
    /// Legs with full quantities; may be empty while it is being built.
    pub legs: Vec<LegWire>,
}

/// A draft in its slot.
#[derive(Debug, Serialize, ToSchema)]
pub struct SlottedDraft {
    /// "A" to "D".
    pub slot: String,
    /// The draft.
    pub draft: DraftWire,
}

const SLOTS: [&str; 4] = ["A", "B", "C", "D"];

fn slot(text: &str) -> Result<String, Refusal> {
    if SLOTS.contains(&text) {
        Ok(text.to_owned())
    } else {
        Err(Refusal::Field { field: "slot", message: format!("{text:?} is not a place in the tray; use A, B, C or D") })
    }
}

/// All drafts, by slot.
#[utoipa::path(get, path = "/drafts", tag = "drafts", responses((status = 200, body = Vec<SlottedDraft>)))]
async fn list_drafts(State(app): State<AppState>) -> Json<Vec<SlottedDraft>> {
    let drafts = app.desk.snapshot().drafts;
    let read = |(slot, body): (&String, &String)| Some(SlottedDraft { slot: slot.clone(), draft: serde_json::from_str(body).ok()? });
    Json(drafts.iter().filter_map(read).collect())
}

/// Keeps a draft.
#[utoipa::path(put, path = "/drafts/{slot}", tag = "drafts", params(("slot" = String, Path)), request_body = DraftWire,
    responses((status = 204), (status = 422, body = Problem)))]
async fn keep(State(app): State<AppState>, Path(name): Path<String>, Body(draft): Body<DraftWire>) -> Result<StatusCode, Problem> {
    let slot = slot(&name)?;
    known(&app.desk.snapshot(), &draft.symbol)?;
    if !draft.legs.is_empty() {
        structure(&draft.legs)?;
    }
    let body = serde_json::to_string(&draft).map_err(|e| Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "bad_body", e.to_string()))?;
    app.command(move |desk| desk.keep_draft(slot, Some(body))).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Throws a draft away.
#[utoipa::path(delete, path = "/drafts/{slot}", tag = "drafts", params(("slot" = String, Path)), responses((status = 204), (status = 422, body = Problem)))]
async fn discard(State(app): State<AppState>, Path(name): Path<String>) -> Result<StatusCode, Problem> {
    let slot = slot(&name)?;
    app.command(move |desk| desk.keep_draft(slot, None)).await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(list_drafts)).routes(routes!(keep, discard))
}
