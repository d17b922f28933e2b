//! The exchange's clock: run, pause, speed, step.

use axum::Json;
use axum::extract::State;
use market::Step;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::problem::{Body, Problem};
use crate::wire::{ClockWire, clock};

/// How far to jump.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum StepWire {
    /// One minute.
    Minute,
    /// One hour.
    Hour,
    /// Next opening.
    Open,
    /// Next close.
    Close,
    /// Next expiration.
    Expiration,
}

/// A change of the clock.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct ClockRequest {
    /// Run or pause.
    #[serde(default)]
    running: Option<bool>,
    /// Multiple of real time.
    #[serde(default)]
    speed: Option<u32>,
    /// Jump.
    #[serde(default)]
    step: Option<StepWire>,
    /// Jump to 09:30 of this date.
    #[serde(default)]
    until: Option<String>,
}

/// The clock now.
#[utoipa::path(get, path = "/clock", tag = "clock", responses((status = 200, body = ClockWire)))]
async fn read(State(app): State<AppState>) -> Json<ClockWire> {
    Json(clock(&app.desk.snapshot().clock))
}

/// Changes the clock; everything on the way of a step happens in its order.
#[utoipa::path(post, path = "/clock", tag = "clock", request_body = ClockRequest, responses((status = 200, body = ClockWire), (status = 422, body = Problem)))]
async fn change(
    State(app): State<AppState>,
    Body(request): Body<ClockRequest>,
) -> Result<Json<ClockWire>, Problem> {
    let now = app
        .command(move |desk| {
            if request.running.is_some() || request.speed.is_some() {
                desk.set_clock(request.running, request.speed)?;
            }
            if let Some(step) = request.step {
                desk.step(match step {
                    StepWire::Minute => Step::Minute,
                    StepWire::Hour => Step::Hour,
                    StepWire::Open => Step::Open,
                    StepWire::Close => Step::Close,
                    StepWire::Expiration => Step::Expiration,
                })?;
            }
            if let Some(date) = request.until {
                desk.step_to(&date)?;
            }
            Ok(desk.state().clock)
        })
        .await?;
    Ok(Json(clock(&now)))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(read, change))
}
