//! Bells: listed, set, answered, taken away.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{Bell, BellSide, Listens, Occurrence, Package};
use engine::bells::{listens_words, style_of};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::{LegWire, parse_price, structure};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// On which side of its level a price rings.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum SideWire {
    /// At the level or above it.
    Above,
    /// At the level or below it.
    Below,
}

/// A bell on a price.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct BellRequest {
    /// Underlying symbol.
    symbol: String,
    /// A contract or a package, of which one counts; without legs the underlying itself.
    #[serde(default)]
    legs: Vec<LegWire>,
    /// On which side it rings.
    side: SideWire,
    /// Level: of a package its middle, signed, above zero is paid.
    level: String,
}

/// A bell.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BellWire {
    /// Number.
    pub id: u64,
    /// When it was set.
    pub set: String,
    /// What it listens to.
    pub kind: BellKind,
    /// What it listens to, in words.
    pub listens: String,
    /// The underlying of a price.
    pub symbol: Option<String>,
    /// The level, where it is one of the underlying's price.
    pub level: Option<String>,
    /// When it rang.
    pub rung: Option<String>,
    /// What it says.
    pub says: Option<String>,
    /// It rings: rung and not answered.
    pub rings: bool,
    /// It still listens.
    pub is_set: bool,
}

/// What a bell listens to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum BellKind {
    /// A price.
    Price,
    /// An order fills.
    Fill,
    /// An order is refused when its turn comes.
    Refusal,
    /// An order ends.
    End,
    /// Margin is short.
    Deficit,
}

fn bell_wire(state: &engine::state::State, b: &Bell) -> BellWire {
    let style = style_of(state, &b.listens);
    let kind = match &b.listens {
        Listens::Price { .. } => BellKind::Price,
        Listens::Told(Occurrence::Fill) => BellKind::Fill,
        Listens::Told(Occurrence::Refusal) => BellKind::Refusal,
        Listens::Told(Occurrence::End) => BellKind::End,
        Listens::Told(Occurrence::Deficit) => BellKind::Deficit,
    };
    let (symbol, level) = match &b.listens {
        Listens::Price {
            symbol,
            unit: None,
            level,
            ..
        } => (Some(symbol.clone()), Some(level.to_string())),
        Listens::Price { symbol, .. } => (Some(symbol.clone()), None),
        Listens::Told(_) => (None, None),
    };
    BellWire {
        id: b.id,
        set: b.set.to_string(),
        kind,
        listens: listens_words(&b.listens, style),
        symbol,
        level,
        rung: b.rung.as_ref().map(|(at, _)| at.to_string()),
        says: b.rung.as_ref().map(|(_, says)| says.clone()),
        rings: b.rings(),
        is_set: b.is_set(),
    }
}

/// All bells, newest first.
#[utoipa::path(
    get,
    path = "/bells",
    tag = "bells",
    responses((status = 200, body = Vec<BellWire>)),
)]
async fn bells(State(app): State<AppState>) -> Json<Vec<BellWire>> {
    let state = app.desk.snapshot();
    Json(
        state
            .bells
            .iter()
            .rev()
            .map(|b| bell_wire(&state, b))
            .collect(),
    )
}

/// Sets a bell on a price.
#[utoipa::path(
    post,
    path = "/bells",
    tag = "bells",
    request_body = BellRequest,
    responses(
        (status = 201, body = BellWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn set_bell(
    State(app): State<AppState>,
    Body(request): Body<BellRequest>,
) -> Result<(StatusCode, Json<BellWire>), Problem> {
    let state = app.desk.snapshot();
    let style = state
        .world
        .underlying(&request.symbol)
        .map(|u| u.style_of_price)
        .unwrap_or_default();
    let unit = if request.legs.is_empty() {
        None
    } else {
        Some(
            Package::of(&structure(&request.legs)?)
                .map_err(Refusal::from)?
                .0,
        )
    };
    let side = if matches!(request.side, SideWire::Above) {
        BellSide::Above
    } else {
        BellSide::Below
    };
    let listens = Listens::Price {
        symbol: request.symbol,
        unit,
        side,
        level: parse_price("level", &request.level, style)?,
    };
    let bell = app.command(move |desk| desk.set_bell(listens)).await?;
    Ok((
        StatusCode::CREATED,
        Json(bell_wire(&app.desk.snapshot(), &bell)),
    ))
}

/// Answers a bell that rings.
#[utoipa::path(
    post,
    path = "/bells/{id}/answer",
    tag = "bells",
    params(("id" = u64, Path)),
    responses((status = 204), (status = 404, body = Problem)),
)]
async fn answer_bell(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<StatusCode, Problem> {
    app.command(move |desk| desk.answer_bells(Some(id))).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Answers every bell that rings.
#[utoipa::path(post, path = "/bells/answer", tag = "bells", responses((status = 204)))]
async fn answer_all_bells(State(app): State<AppState>) -> Result<StatusCode, Problem> {
    app.command(move |desk| desk.answer_bells(None)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Another level.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct MoveBellRequest {
    /// Where it is to ring, from either side.
    level: String,
}

/// Moves a bell that has not rung.
#[utoipa::path(
    put,
    path = "/bells/{id}",
    tag = "bells",
    params(("id" = u64, Path)),
    request_body = MoveBellRequest,
    responses(
        (status = 200, body = BellWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn move_bell(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<MoveBellRequest>,
) -> Result<Json<BellWire>, Problem> {
    let state = app.desk.snapshot();
    let bell = state
        .bells
        .iter()
        .find(|b| b.id == id)
        .ok_or(crate::app::refusal::Refusal::NoBell(id))?;
    let level = parse_price("level", &request.level, style_of(&state, &bell.listens))?;
    let moved = app.command(move |desk| desk.move_bell(id, level)).await?;
    Ok(Json(bell_wire(&app.desk.snapshot(), &moved)))
}

/// Takes away a bell that has not rung.
#[utoipa::path(
    delete,
    path = "/bells/{id}",
    tag = "bells",
    params(("id" = u64, Path)),
    responses((status = 204), (status = 404, body = Problem)),
)]
async fn remove_bell(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<StatusCode, Problem> {
    app.command(move |desk| desk.remove_bell(id)).await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(bells, set_bell))
        .routes(routes!(answer_bell))
        .routes(routes!(answer_all_bells))
        .routes(routes!(move_bell, remove_bell))
}
