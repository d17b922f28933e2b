//! Closing several positions at once, and the package that rolls one.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::EntryPrice;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::orders::all_shown;
use crate::api::orders::wire::OrderWire;
use crate::api::wire::{LegWire, date, legs_wire};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem, Query};

/// A price of the ticket's three.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(crate) enum MarkWire {
    /// Join one's own side.
    Rest,
    /// The middle of the package's market.
    Middle,
    /// Take the other side.
    Cross,
}

impl From<MarkWire> for EntryPrice {
    fn from(at: MarkWire) -> EntryPrice {
        match at {
            MarkWire::Rest => EntryPrice::Rest,
            MarkWire::Middle => EntryPrice::Middle,
            MarkWire::Cross => EntryPrice::Cross,
        }
    }
}

/// How many packages of a campaign are closed.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct CloseOne {
    /// The number of the campaign that is closed.
    campaign: u64,
    /// How many packages of it are closed.
    packages: i64,
}

/// Positions to close, each by an order of its own.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct CloseRequest {
    /// Chosen by the client, 1 to 48 characters; the orders are numbered behind it.
    client_id: String,
    /// Which, one to twenty.
    positions: Vec<CloseOne>,
    /// Limit of each.
    at: MarkWire,
}

/// Closes several positions at their rest, middle or cross, all or none of the orders.
#[utoipa::path(
    post,
    path = "/positions/close",
    tag = "orders",
    request_body = CloseRequest,
    responses(
        (status = 201, body = Vec<OrderWire>),
        (status = 409, body = Problem),
        (status = 404, body = Problem), (status = 422, body = Problem),
    ),
)]
async fn close_positions(
    State(app): State<AppState>,
    Body(request): Body<CloseRequest>,
) -> Result<(StatusCode, Json<Vec<OrderWire>>), Problem> {
    let length = request.client_id.chars().count();
    if !(1..=48).contains(&length) {
        return Err(Refusal::Field {
            field: "clientId",
            message: format!("{length} characters; write 1 to 48"),
        }
        .into());
    }
    if !(1..=20).contains(&request.positions.len()) {
        return Err(Refusal::Field {
            field: "positions",
            message: format!("{} positions; write 1 to 20", request.positions.len()),
        }
        .into());
    }
    let at: EntryPrice = request.at.into();
    let which: Vec<(u64, i64)> = request
        .positions
        .iter()
        .map(|p| (p.campaign, p.packages))
        .collect();
    let placed = app
        .command(move |desk| desk.close_positions(&request.client_id, &which, &at))
        .await?;
    Ok((StatusCode::CREATED, all_shown(&app, &placed)?))
}

/// Where a campaign is rolled to.
#[derive(Debug, Deserialize, ToSchema, IntoParams)]
#[serde(deny_unknown_fields)]
struct RollQuery {
    /// Date of the new expiration, ISO 8601.
    expiry: String,
    /// Listed strikes that its options move up (below zero: down).
    #[serde(default)]
    strikes: i64,
}

/// One package of a roll: what is held is closed, the same is opened elsewhere.
#[derive(Debug, Serialize, ToSchema)]
struct RollWire {
    /// Legs in lowest ratio.
    unit: Vec<LegWire>,
    /// What is opened, in words.
    opens: String,
}

/// The package that rolls a campaign to another expiration, strikes moved by as many steps.
#[utoipa::path(
    get,
    path = "/positions/{campaign}/roll",
    tag = "orders",
    params(("campaign" = u64, Path), RollQuery),
    responses(
        (status = 200, body = RollWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn roll_of(
    State(app): State<AppState>,
    Path(campaign): Path<u64>,
    Query(query): Query<RollQuery>,
) -> Result<Json<RollWire>, Problem> {
    let found = app.read(move |state, _| {
        let expiry = date("expiry", &query.expiry)?;
        let (unit, opens) = engine::campaigns::roll(state, campaign, expiry, query.strikes)?;
        Ok::<_, Refusal>(RollWire {
            unit: legs_wire(&unit),
            opens,
        })
    });
    Ok(Json(found.await??))
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(close_positions))
        .routes(routes!(roll_of))
}
