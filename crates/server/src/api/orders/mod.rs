//! Orders: listed, placed, changed, cancelled; positions closed and rolled by them.

mod change;
pub(crate) mod close;
mod markets;
mod place;
pub(crate) mod wire;

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use engine::state::underlying_of;
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::orders::wire::{OrderWire, order};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem, Query};
use crate::interchange::fix;

/// Which of the ended orders are listed.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct OrdersQuery {
    /// Those before this number; the newest when absent.
    #[serde(default)]
    before: Option<u64>,
    /// So many of them at most.
    #[serde(default)]
    limit: Option<usize>,
}

/// Ended orders that are listed where nothing else is asked for, and at most.
const ENDED: usize = 200;
const MOST_ENDED: usize = 1_000;

/// Open orders, and a page of the ended ones: the newest, or those before a number. Oldest first.
#[utoipa::path(get, path = "/orders", tag = "orders", params(OrdersQuery),
    responses((status = 200, body = Vec<OrderWire>), (status = 422, body = Problem)))]
async fn list_orders(
    State(app): State<AppState>,
    Query(query): Query<OrdersQuery>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let limit = query.limit.unwrap_or(ENDED);
    if !(1..=MOST_ENDED).contains(&limit) {
        return Err(Refusal::Field {
            field: "limit",
            message: format!("{limit} orders; write 1 to {MOST_ENDED}"),
        }
        .into());
    }
    let state = app.desk.snapshot();
    let from = match query.before {
        None => state.orders.len(),
        Some(id) => match state.orders.binary_search_by(|o| o.id.cmp(&id)) {
            Ok(place) | Err(place) => place,
        },
    };
    let ended = (0..from).rev().filter_map(|i| state.orders.get(i));
    let ended = ended.filter(|o| !state.is_open(o.id));
    let mut listed: Vec<&Arc<desk::Order>> = ended.take(limit).collect();
    if query.before.is_none() {
        listed.extend(state.open_orders());
    }
    listed.sort_by_key(|o| o.id);
    Ok(Json(
        listed
            .into_iter()
            .filter_map(|o| order(o, &state))
            .collect(),
    ))
}

/// One order as FIX 4.4 text, its fields parted by "|" where the standard has a control character.
#[utoipa::path(
    get,
    path = "/orders/{id}/fix",
    tag = "orders",
    params(("id" = u64, Path)),
    responses(
        (status = 200, content_type = "text/plain", body = String),
        (status = 404, body = Problem),
    ),
)]
async fn fix_text(State(app): State<AppState>, Path(id): Path<u64>) -> Result<String, Problem> {
    let state = app.desk.snapshot();
    let found = state.order(id)?;
    let underlying = underlying_of(&state, &found.request.symbol)?;
    Ok(fix::order_text(found, underlying).replace(fix::BETWEEN, "|"))
}

fn shown(app: &AppState, o: &desk::Order) -> Result<OrderWire, Refusal> {
    let state = app.desk.snapshot();
    order(o, &state).ok_or(Refusal::NoOrder(o.id))
}

/// Several orders as they now stand.
fn all_shown(app: &AppState, orders: &[desk::Order]) -> Result<Json<Vec<OrderWire>>, Refusal> {
    let all = orders.iter().map(|o| shown(app, o));
    Ok(Json(all.collect::<Result<_, _>>()?))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(list_orders))
        .routes(routes!(fix_text))
        .merge(place::router())
        .merge(change::router())
        .merge(close::router())
        .merge(markets::router())
}
