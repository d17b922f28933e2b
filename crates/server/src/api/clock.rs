//! The exchange's clock: run, pause, speed, step.

use axum::Json;
use axum::extract::State;
use desk::calendar::{close_of, open_of, session_on_or_before};
use engine::rounds::next_that_matters;
use engine::{Engine, State as DeskState};
use market::Step;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::{ClockWire, clock_of};
use crate::app::handle::Way;
use crate::app::refusal::Refusal;
use crate::app::runs::{RunError, about_of};
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// How far a jump to the next ring goes at the most.
const A_YEAR: i64 = 366 * 86_400_000;

/// How far to jump.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum StepWire {
    /// From the moment on by a minute.
    Minute,
    /// From the moment on by an hour.
    Hour,
    /// To the opening of the next session.
    Open,
    /// To the close of the next session.
    Close,
    /// Past the next expiration of any listed underlying.
    Expiration,
}

/// What a jump leads to where no moment is given.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum NextWire {
    /// The opening of the next date on which something held ends, is announced, pays or is due.
    Date,
    /// The next ring of a bell, within a year.
    Ring,
}

/// A change of the clock.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct ClockRequest {
    /// Run or pause.
    #[serde(default)]
    running: Option<bool>,
    /// Multiple of real time.
    #[serde(default)]
    speed: Option<u32>,
    /// How far to jump from the moment on.
    #[serde(default)]
    step: Option<StepWire>,
    /// Jump to a moment (2031-04-18, 2031-04-18 10:30, 10:30) or by a distance (3 sessions, 2 weeks, 45
    /// minutes).
    #[serde(default)]
    go_to: Option<String>,
    /// Jump to the opening of the next date that matters, or until a bell rings.
    #[serde(default)]
    next: Option<NextWire>,
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

fn field(message: String) -> Refusal {
    Refusal::Field {
        field: "goTo",
        message,
    }
}

/// Where a request leads.
fn way(state: &DeskState, engine: &Engine, request: &ClockRequest) -> Result<Way, Refusal> {
    let now = state.clock.now;
    let end = close_of(engine.state().world.last());
    let to = match (&request.step, &request.go_to, request.next) {
        (Some(step), ..) => engine.target(step.parse()),
        (None, Some(text), _) => desk::go_to(now, text).map_err(|e| field(e.to_string()))?,
        (None, None, Some(NextWire::Date)) => match next_that_matters(state) {
            Some(d) => open_of(session_on_or_before(d.date)).max(now.plus_millis(1)),
            None => {
                return Err(field(
                    "no date ahead matters: nothing is held, and none is written down".into(),
                ));
            }
        },
        (None, None, Some(NextWire::Ring)) => {
            return Ok(Way {
                to: now.plus_millis(A_YEAR).min(end),
                until_ring: true,
            });
        }
        (None, None, None) => now,
    };
    if to > end {
        return Err(field(format!(
            "the world ends on {}; {to} lies behind that",
            end.date()
        )));
    }
    Ok(Way::from(to))
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
    let asked = usize::from(request.step.is_some())
        + usize::from(request.go_to.is_some())
        + usize::from(request.next.is_some());
    let (running, speed) = (request.running, request.speed);
    let leads = asked > 0;
    let set = move |engine: &mut Engine| match (running, speed) {
        _ if leads => {
            engine.refuse_followed("step")?;
            engine.set_clock(running, speed)
        }
        (None, None) => Ok(()),
        _ => engine.set_clock(running, speed),
    };
    if about_of(&app.desk.snapshot()).finished && (asked > 0 || running == Some(true)) {
        return Err(Problem::from(field(
            "this run is closed; let it go on from the list of runs first".to_owned(),
        )));
    }
    if asked > 1 {
        return Err(Problem::from(field(
            "write one of step, goTo and next".to_owned(),
        )));
    }
    if asked == 1 {
        let horizon = app.horizon();
        let plan = move |engine: &mut Engine| {
            // Where it leads is looked at first: what cannot be stepped to changes nothing.
            let way = way(engine.state(), engine, &request)?;
            if let Some(end) = horizon.filter(|end| way.to > *end) {
                if !way.until_ring {
                    return Err(field(format!(
                        "{} lies behind {end}, where the account stands; a rehearsal lives in its past",
                        way.to
                    )));
                }
                set(engine)?;
                return Ok(Way { to: end, ..way });
            }
            set(engine)?;
            Ok(way)
        };
        if let Some(looks) = &app.looks {
            let kept = looks.keep(app.desk.snapshot().clock.now).await;
            kept.map_err(RunError::Failed)?;
        }
        let arrived = app.desk.jump(plan).await??;
        let mut state = app.desk.snapshot();
        state.clock = arrived;
        return Ok(Json(clock_of(&state)));
    }
    app.command(set).await?;
    Ok(read(State(app)).await)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(read, change))
}
