//! Bells: listed, set, answered, snoozed, taken away.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::rules::{Condition, Measure, Side, Subject};
use desk::{Bell, BellSide, Listens, Occurrence, Package, Watched};
use engine::{
    bells::{listens_words, style_of},
    commands::bells::Wanted,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::rules::{decimal, measure_of};
use crate::api::wire::{LegWire, date, parse_price, structure};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// What a bell is set on.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "on", rename_all = "lowercase", deny_unknown_fields)]
enum OnWire {
    /// A price of an underlying, a contract or a package.
    Price {
        /// The symbol of the underlying.
        symbol: String,
        /// A contract or a package, of which one counts; without legs the underlying itself.
        #[serde(default)]
        legs: Vec<LegWire>,
    },
    /// A figure of an open campaign.
    Campaign {
        /// The number of the campaign.
        campaign: u64,
        /// The word of a measure of campaigns.
        measure: String,
    },
    /// The implied volatility of an underlying over thirty days.
    Volatility {
        /// The symbol of the underlying.
        symbol: String,
        /// `vol` in percent, or `rank`.
        measure: String,
    },
    /// A figure of the account.
    Account {
        /// The word of a measure of the account.
        measure: String,
    },
}

/// On which side of its level a bell rings.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
enum RingsWire {
    /// At the level or above it.
    Above,
    /// At the level or below it.
    Below,
    /// When a price comes to the level from where it is now.
    Crossing,
}

/// A bell to be set.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct BellRequest {
    /// What it is set on.
    of: OnWire,
    /// On which side it rings.
    side: RingsWire,
    /// Level: of a package its middle, signed, above zero is paid; of a figure in its unit.
    level: String,
    /// It rings again once what it listens to has gone back by so much; absent: it rings once.
    #[serde(default)]
    again: Option<String>,
    /// The last date that it listens on.
    #[serde(default)]
    until: Option<String>,
    /// What the trader wants to read when it rings.
    #[serde(default)]
    note: String,
}

/// What the trader asked to be told once, when it comes true.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BellWire {
    /// The number by which it is named.
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
    /// It rings: rung, not answered, not snoozed.
    pub rings: bool,
    /// Until when it is snoozed.
    pub snoozed: Option<String>,
    /// It still listens, or will again.
    pub is_set: bool,
    /// It rings again once what it listens to has gone back by so much.
    pub again: Option<String>,
    /// The last date that it listens on.
    pub until: Option<String>,
    /// What the trader wants to read when it rings.
    pub note: String,
    /// The campaign it is about.
    pub campaign: Option<u64>,
}

/// What a bell listens to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum BellKind {
    /// It listens to a price.
    Price,
    /// An order fills.
    Fill,
    /// An order is refused when its turn comes.
    Refusal,
    /// An order ends.
    End,
    /// Margin is short.
    Deficit,
    /// A rule of the trader's rings.
    Rule,
    /// A figure of a campaign, a volatility or the account.
    Figure,
}

fn bell_wire(state: &engine::state::State, b: &Bell) -> BellWire {
    let style = style_of(state, &b.listens);
    let kind = match &b.listens {
        Listens::Price { .. } => BellKind::Price,
        Listens::Figure { .. } => BellKind::Figure,
        Listens::Told(Occurrence::Rule) => BellKind::Rule,
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
        Listens::Figure { of, condition } => (
            match of {
                Watched::Symbol(symbol) => Some(symbol.clone()),
                Watched::Campaign(_) | Watched::Account => None,
            },
            Some(condition.limit.to_string()),
        ),
        Listens::Told(_) => (None, None),
    };
    let campaign = match &b.listens {
        Listens::Figure {
            of: Watched::Campaign(id),
            ..
        } => Some(*id),
        _ => b.campaign,
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
        rings: b.rings_at(state.clock.now),
        snoozed: b
            .snoozed
            .filter(|until| b.unanswered() && *until > state.clock.now)
            .map(|until| until.to_string()),
        is_set: b.is_set(),
        again: b.again.map(|by| by.to_string()),
        until: b.until.map(|d| d.to_string()),
        note: b.note.clone(),
        campaign,
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

/// What a bell listens to.
fn listens_of(state: &engine::State, request: &BellRequest) -> Result<Listens, Refusal> {
    let side = |measure: Measure| match request.side {
        RingsWire::Above => Ok(Side::Above),
        RingsWire::Below => Ok(Side::Below),
        RingsWire::Crossing => Err(Refusal::Field {
            field: "side",
            message: format!(
                "{} rings above or below its level; crossing is for prices",
                measure.facts().noun
            ),
        }),
    };
    let figure = |of: Watched, word: &str, subject: Subject| {
        let measure = measure_of(word)?;
        let fits = match &of {
            Watched::Symbol(_) => matches!(measure, Measure::Vol | Measure::Rank),
            _ => measure.facts().subject == subject,
        };
        if !fits {
            return Err(Refusal::Field {
                field: "measure",
                message: format!("{word} is not a figure of that; choose another"),
            });
        }
        Ok(Listens::Figure {
            of,
            condition: Condition {
                measure,
                side: side(measure)?,
                limit: decimal("level", &request.level)?,
            },
        })
    };
    match &request.of {
        OnWire::Campaign { campaign, measure } => {
            figure(Watched::Campaign(*campaign), measure, Subject::Campaign)
        }
        OnWire::Volatility { symbol, measure } => {
            figure(Watched::Symbol(symbol.clone()), measure, Subject::Campaign)
        }
        OnWire::Account { measure } => figure(Watched::Account, measure, Subject::Account),
        OnWire::Price { symbol, legs } => {
            let style = state
                .world
                .underlying(symbol)
                .map(|u| u.style_of_price)
                .unwrap_or_default();
            let level = parse_price("level", &request.level, style)?;
            let unit = if legs.is_empty() {
                None
            } else {
                Some(Package::of(&structure(legs)?).map_err(Refusal::from)?.0)
            };
            let on = |side| Listens::Price {
                symbol: symbol.clone(),
                unit: unit.clone(),
                side,
                level,
            };
            Ok(match request.side {
                RingsWire::Above => on(BellSide::Above),
                RingsWire::Below => on(BellSide::Below),
                RingsWire::Crossing => {
                    let now = engine::bells::price_now(state, &on(BellSide::Above));
                    on(if now.is_none_or(|now| level > now) {
                        BellSide::Above
                    } else {
                        BellSide::Below
                    })
                }
            })
        }
    }
}

/// Sets a bell on a price or a figure.
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
    let wanted = Wanted {
        listens: listens_of(&app.desk.snapshot(), &request)?,
        again: request
            .again
            .as_deref()
            .map(|by| decimal("again", by))
            .transpose()?,
        until: request
            .until
            .as_deref()
            .map(|text| date("until", text))
            .transpose()?,
        note: request.note,
    };
    let bell = app.command(move |desk| desk.set_bell(wanted)).await?;
    Ok((
        StatusCode::CREATED,
        Json(bell_wire(&app.desk.snapshot(), &bell)),
    ))
}

/// Until when bells are silent.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct SnoozeRequest {
    /// One bell; absent: all that ring.
    #[serde(default)]
    id: Option<u64>,
    /// The moment until which it rests, as an exchange time.
    until: String,
}

/// Lets bells that ring be silent for a time.
#[utoipa::path(
    post,
    path = "/bells/snooze",
    tag = "bells",
    request_body = SnoozeRequest,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)),
)]
async fn snooze_bells(
    State(app): State<AppState>,
    Body(request): Body<SnoozeRequest>,
) -> Result<StatusCode, Problem> {
    let until: desk::Moment =
        request
            .until
            .parse()
            .map_err(|e: desk::MomentError| Refusal::Field {
                field: "until",
                message: e.to_string(),
            })?;
    app.command(move |desk| desk.snooze_bells(request.id, until))
        .await?;
    Ok(StatusCode::NO_CONTENT)
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

/// Moves a bell to another level.
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
        .routes(routes!(snooze_bells))
        .routes(routes!(move_bell, remove_bell))
}
