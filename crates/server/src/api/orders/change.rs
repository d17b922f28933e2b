//! Changing orders that work: limit, size, easing, ties; and cancelling them.

use axum::Json;
use axum::extract::State;
use desk::{Easing, PriceStyle};
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::orders::place::TieWire;
use crate::api::orders::wire::OrderWire;
use crate::api::orders::{all_shown, shown};
use crate::api::wire::parse_price;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// How prices of an order are written.
fn style_of(state: &engine::state::State, id: u64) -> PriceStyle {
    let symbol = state.order(id).map_or("", |o| o.request.symbol.as_str());
    state
        .world
        .underlying(symbol)
        .map(|u| u.style_of_price)
        .unwrap_or_default()
}

/// A new limit.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct RepriceRequest {
    /// Signed net limit.
    limit: String,
}

/// Changes the limit of a working order.
#[utoipa::path(
    post,
    path = "/orders/{id}/limit",
    tag = "orders",
    params(("id" = u64, Path)),
    request_body = RepriceRequest,
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn reprice(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<RepriceRequest>,
) -> Result<Json<OrderWire>, Problem> {
    let price = parse_price("limit", &request.limit, style_of(&app.desk.snapshot(), id))?;
    let changed = app.command(move |desk| desk.reprice(id, price)).await?;
    Ok(Json(shown(&app, &changed)?))
}

/// A new size.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct ResizeRequest {
    /// Packages in all, what is filled among them.
    quantity: i64,
}

/// Changes the size of a working order.
#[utoipa::path(
    post,
    path = "/orders/{id}/quantity",
    tag = "orders",
    params(("id" = u64, Path)),
    request_body = ResizeRequest,
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn resize(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<ResizeRequest>,
) -> Result<Json<OrderWire>, Problem> {
    let changed = app
        .command(move |desk| desk.resize(id, request.quantity))
        .await?;
    Ok(Json(shown(&app, &changed)?))
}

/// A way of easing; without its three parts easing stops.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct EaseRequest {
    /// Added to the limit at each step: a price above zero.
    #[serde(default)]
    step: Option<String>,
    /// Seconds of exchange time between two steps.
    #[serde(default)]
    every: Option<i64>,
    /// Signed net limit it ends at.
    #[serde(default)]
    to: Option<String>,
}

/// Eases the limit of a working order step by step, or stops easing it.
#[utoipa::path(
    post,
    path = "/orders/{id}/ease",
    tag = "orders",
    params(("id" = u64, Path)),
    request_body = EaseRequest,
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn ease(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<EaseRequest>,
) -> Result<Json<OrderWire>, Problem> {
    let style = style_of(&app.desk.snapshot(), id);
    let easing = match (request.step, request.every, request.to) {
        (Some(step), Some(every), Some(to)) => Some(Easing {
            step: parse_price("step", &step, style)?,
            every,
            to: parse_price("to", &to, style)?,
        }),
        (None, None, None) => None,
        _ => {
            return Err(Refusal::Field {
                field: "step",
                message: "write step, every and to, or none of them to stop".into(),
            }
            .into());
        }
    };
    let changed = app.command(move |desk| desk.ease(id, easing)).await?;
    Ok(Json(shown(&app, &changed)?))
}

/// Working orders that are to depend on each other.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct TieRequest {
    /// How: `bracket` makes the others wait for the first and cancel each other.
    tie: TieWire,
    /// Their numbers, two to four; the first is the one the others wait for.
    orders: Vec<u64>,
}

/// Ties working orders to each other.
#[utoipa::path(
    post,
    path = "/orders/tie",
    tag = "orders",
    request_body = TieRequest,
    responses(
        (status = 200, body = Vec<OrderWire>),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn tie(
    State(app): State<AppState>,
    Body(request): Body<TieRequest>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let changed = app
        .command(move |desk| desk.tie(&request.orders, request.tie.parse()))
        .await?;
    Ok(all_shown(&app, &changed)?)
}

/// Takes the ties of a working order away.
#[utoipa::path(
    post,
    path = "/orders/{id}/untie",
    tag = "orders",
    params(("id" = u64, Path)),
    responses(
        (status = 200, body = Vec<OrderWire>),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn untie(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let changed = app.command(move |desk| desk.untie(id)).await?;
    Ok(all_shown(&app, &changed)?)
}

/// Which orders are to be cancelled.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct CancelRequest {
    /// Their numbers, as they were seen to work.
    orders: Vec<u64>,
}

/// Most orders of one command.
const MOST_CANCELLED: usize = 1_000;

/// Cancels several orders at once; for each what has become of it.
#[utoipa::path(
    post,
    path = "/orders/cancel",
    tag = "orders",
    request_body = CancelRequest,
    responses(
        (status = 200, body = Vec<OrderWire>),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn cancel_all(
    State(app): State<AppState>,
    Body(request): Body<CancelRequest>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let count = request.orders.len();
    if !(1..=MOST_CANCELLED).contains(&count) {
        return Err(Refusal::Field {
            field: "orders",
            message: format!("{count} orders; name 1 to {MOST_CANCELLED}"),
        }
        .into());
    }
    let ended = app
        .command(move |desk| desk.cancel_all(&request.orders))
        .await?;
    Ok(all_shown(&app, &ended)?)
}

/// Cancels a working order.
#[utoipa::path(
    post,
    path = "/orders/{id}/cancel",
    tag = "orders",
    params(("id" = u64, Path)),
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn cancel(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<Json<OrderWire>, Problem> {
    let changed = app.command(move |desk| desk.cancel(id)).await?;
    Ok(Json(shown(&app, &changed)?))
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(reprice))
        .routes(routes!(resize))
        .routes(routes!(ease))
        .routes(routes!(tie))
        .routes(routes!(untie))
        .routes(routes!(cancel))
        .routes(routes!(cancel_all))
}
