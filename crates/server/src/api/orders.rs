//! Placing, changing and cancelling orders.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use desk::{Pricing, Request, TimeInForce};
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::order_wire::{OrderWire, order};
use crate::problem::{Body, Problem};
use crate::refusal::Refusal;
use crate::wire::{LegWire, parse_price, structure};

/// How long an order stands.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum TimeInForceWire {
    /// Until the close.
    Day,
    /// Until filled or cancelled.
    GoodTillCancelled,
}

/// A ticket.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct PlaceRequest {
    /// Chosen by the client, 1 to 64 characters; one ticket is placed once.
    client_id: String,
    /// Underlying symbol.
    symbol: String,
    /// One package, in lowest ratio.
    legs: Vec<LegWire>,
    /// Packages.
    quantity: i64,
    /// Signed net limit; absent for a market order.
    #[serde(default)]
    limit: Option<String>,
    /// How long it stands.
    time_in_force: TimeInForceWire,
    /// Campaign it closes.
    #[serde(default)]
    closes: Option<u64>,
}

impl PlaceRequest {
    fn parse(self) -> Result<Request, Refusal> {
        let length = self.client_id.chars().count();
        if !(1..=64).contains(&length) {
            return Err(Refusal::Field { field: "clientId", message: format!("{length} characters; write 1 to 64") });
        }
        Ok(Request {
            client_id: self.client_id,
            symbol: self.symbol,
            unit: structure(&self.legs)?,
            quantity: self.quantity,
            pricing: self.limit.map_or(Ok(Pricing::Market), |text| parse_price("limit", &text).map(Pricing::Limit))?,
            time_in_force: match self.time_in_force {
                TimeInForceWire::Day => TimeInForce::Day,
                TimeInForceWire::GoodTillCancelled => TimeInForce::GoodTillCancelled,
            },
            closes: self.closes,
        })
    }
}

/// A new limit.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct RepriceRequest {
    /// Signed net limit.
    limit: String,
}

/// All orders, oldest first.
#[utoipa::path(get, path = "/orders", tag = "orders", responses((status = 200, body = Vec<OrderWire>)))]
async fn list_orders(State(app): State<AppState>) -> Json<Vec<OrderWire>> {
    Json(app.desk.snapshot().orders.iter().map(order).collect())
}

/// Places a ticket.
#[utoipa::path(post, path = "/orders", tag = "orders", request_body = PlaceRequest,
    responses((status = 201, body = OrderWire), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn place(State(app): State<AppState>, Body(request): Body<PlaceRequest>) -> Result<(StatusCode, Json<OrderWire>), Problem> {
    let request = request.parse()?;
    let placed = app.command(move |desk| desk.place(request)).await?;
    Ok((StatusCode::CREATED, Json(order(&placed))))
}

/// Changes the limit of a working order.
#[utoipa::path(post, path = "/orders/{id}/limit", tag = "orders", params(("id" = u64, Path)), request_body = RepriceRequest,
    responses((status = 200, body = OrderWire), (status = 422, body = Problem)))]
async fn reprice(State(app): State<AppState>, Path(id): Path<u64>, Body(request): Body<RepriceRequest>) -> Result<Json<OrderWire>, Problem> {
    let price = parse_price("limit", &request.limit)?;
    Ok(Json(order(&app.command(move |desk| desk.reprice(id, price)).await?)))
}

/// Cancels a working order.
#[utoipa::path(post, path = "/orders/{id}/cancel", tag = "orders", params(("id" = u64, Path)),
    responses((status = 200, body = OrderWire), (status = 422, body = Problem)))]
async fn cancel(State(app): State<AppState>, Path(id): Path<u64>) -> Result<Json<OrderWire>, Problem> {
    Ok(Json(order(&app.command(move |desk| desk.cancel(id)).await?)))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(list_orders, place)).routes(routes!(reprice)).routes(routes!(cancel))
}
