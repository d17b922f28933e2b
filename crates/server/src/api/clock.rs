//! The exchange's clock: run, pause, speed, step.

use axum::Json;
use axum::extract::State;
use desk::Moment;
use engine::Engine;
use market::Step;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::{ClockWire, clock, clock_of};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

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
    /// End a jump that is under way at its next stop.
    #[serde(default)]
    stop: bool,
}

impl StepWire {
    fn parse(self) -> Step {
        match self {
            StepWire::Minute => Step::Minute,
            StepWire::Hour => Step::Hour,
            StepWire::Open => Step::Open,
            StepWire::Close => Step::Close,
            StepWire::Expiration => Step::Expiration,
        }
    }
}

/// The clock now.
#[utoipa::path(get, path = "/clock", tag = "clock", responses((status = 200, body = ClockWire)))]
async fn read(State(app): State<AppState>) -> Json<ClockWire> {
    Json(clock_of(&app.desk.snapshot()))
}

/// Changes the clock; everything on the way of a jump happens in its order. A jump is answered when
/// it has arrived, or where it was ended. All of a request holds, or none of it.
#[utoipa::path(post, path = "/clock", tag = "clock", request_body = ClockRequest,
    responses((status = 200, body = ClockWire), (status = 422, body = Problem)))]
async fn change(
    State(app): State<AppState>,
    Body(request): Body<ClockRequest>,
) -> Result<Json<ClockWire>, Problem> {
    if request.stop {
        app.desk.stop_jump();
    }
    let jumps = request.step.is_some() || request.until.is_some();
    let (running, speed) = (request.running, request.speed);
    let set = move |engine: &mut Engine| match (running, speed) {
        (None, None) => Ok(()),
        _ => engine.set_clock(running, speed),
    };
    // Where it leads is looked at first: what cannot be stepped to changes nothing.
    let target = move |engine: &Engine| -> Result<Moment, Refusal> {
        match (request.step, &request.until) {
            (Some(step), None) => Ok(engine.target(step.parse())),
            (None, Some(date)) => engine.opening_of(date),
            _ => Err(Refusal::Field {
                field: "step",
                message: "write either a step or a date in \"until\"".into(),
            }),
        }
    };
    if jumps {
        let plan = move |engine: &mut Engine| {
            let to = target(engine)?;
            set(engine)?;
            Ok(to)
        };
        let arrived = app.desk.jump(plan).await??;
        return Ok(Json(clock(&arrived)));
    }
    app.command(set).await?;
    Ok(read(State(app)).await)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(read, change))
}
