//! What is held in one underlying, as the rows of its chain show it.

use axum::Json;
use axum::extract::State;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::account::position::shown;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem};

/// What one campaign holds of one instrument.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct HeldWire {
    /// OSI symbol, or the symbol of the underlying itself.
    contract: String,
    /// Signed contracts, shares or futures.
    quantity: i64,
    /// Average price at opening.
    opened_at: String,
    /// The number of the campaign that holds it.
    campaign: u64,
    /// What the campaign goes by.
    title: String,
}

fn held(state: &engine::State, symbol: &str) -> Result<Vec<HeldWire>, Refusal> {
    let underlying = engine::state::underlying_of(state, symbol)?;
    let own = state.account.campaigns().filter(|c| c.symbol == symbol);
    let of = |c: &desk::Campaign| {
        let title = state.account.title(c.id, underlying).unwrap_or_default();
        let holding = state.account.holding_of(c.id);
        let each = holding.legs().iter().map(|leg| {
            let lots = state.account.lots_of(c.id);
            let paid = lots
                .filter(|l| l.instrument == leg.instrument)
                .map(|l| l.basis)
                .sum();
            let units = leg.quantity * underlying.units(&leg.instrument);
            HeldWire {
                contract: leg.instrument.to_string(),
                quantity: leg.quantity,
                opened_at: shown(desk::average(paid, units), underlying),
                campaign: c.id,
                title: title.clone(),
            }
        });
        each.collect::<Vec<_>>()
    };
    Ok(own.flat_map(of).collect())
}

/// What is held in an underlying, by campaign.
#[utoipa::path(get, path = "/held/{symbol}", tag = "account", params(("symbol" = String, Path)),
    responses((status = 200, body = Vec<HeldWire>), (status = 404, body = Problem)))]
async fn held_in(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
) -> Result<Json<Vec<HeldWire>>, Problem> {
    Ok(Json(held(&app.desk.snapshot(), &symbol)?))
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(held_in))
}
