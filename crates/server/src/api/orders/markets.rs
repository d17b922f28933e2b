//! The market of each order that works: where it stands now, and how far from its limit.

use axum::Json;
use axum::extract::State;
use desk::calendar::is_open;
use desk::{Order, Pricing};
use market::Quoter;
use market::exchange::{chance_within, market_of};
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::evaluation::FILL_WITHIN;
use crate::api::wire::{NetPrice, net_price};
use crate::http::AppState;
use crate::http::problem::Problem;

/// The market of an order's package now.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct OrderMarket {
    /// The number of the order that works.
    order: u64,
    /// The side that waits.
    rest: NetPrice,
    /// Halfway between what crosses the market and what rests in it.
    middle: NetPrice,
    /// The side that trades at once.
    cross: NetPrice,
    /// From the middle to the limit, as its market writes prices, above zero where the market has
    /// to come nearer; absent for a market order.
    away: Option<String>,
    /// Chance of a fill within five minutes, from 0 to 1; absent for a market order, and for one
    /// that waits for another or for its trigger.
    chance: Option<f64>,
    /// Why nothing is filled although the exchange is open: quotes of a market of one's own that are stale
    /// or in doubt.
    waits: Option<String>,
}

fn market(state: &engine::State, quoter: &mut Quoter, o: &Order) -> Option<OrderMarket> {
    let style = state.world.underlying(&o.request.symbol)?.style_of_price;
    let (quote, _) = market_of(&state.world, quoter, o, state.clock.now)?;
    let limit = match o.pricing() {
        Pricing::Limit(limit) => Some(limit),
        Pricing::Market => None,
    };
    let at_work = o.waiting() == 0 && o.request.trigger.is_none();
    Some(OrderMarket {
        order: o.id,
        rest: net_price(quote.rest, style),
        middle: net_price(quote.middle, style),
        cross: net_price(quote.cross, style),
        away: limit.map(|l| style.write(quote.middle - l)),
        chance: limit
            .filter(|_| at_work)
            .map(|l| chance_within(&quote, l, FILL_WITHIN)),
        waits: waits(state, quoter, o),
    })
}

fn waits(state: &engine::State, quoter: &mut Quoter, o: &Order) -> Option<String> {
    let at = state.clock.now;
    let reliance = state.reliance();
    let hindrance = || reliance.hindrance(&state.world, quoter, o, at);
    is_open(at).then(hindrance).flatten().map(|why| why.words())
}

/// The markets of all orders that are open; those without a market now are left out.
#[utoipa::path(get, path = "/orders/markets", tag = "orders",
    responses((status = 200, body = Vec<OrderMarket>)))]
async fn order_markets(State(app): State<AppState>) -> Result<Json<Vec<OrderMarket>>, Problem> {
    let read = |state: &engine::State, quoter: &mut Quoter| {
        let open = state.open_orders();
        open.filter_map(|o| market(state, quoter, o)).collect()
    };
    Ok(Json(app.read(read).await?))
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(order_markets))
}
