//! What is listed, and the quotes of it.

use axum::Json;
use axum::extract::State;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::chain_view::{Block, ChainHead, blocks, head};
use crate::columns::{Column, MOST_COLUMNS};
use crate::problem::{Path, Problem, Query};
use crate::refusal::Refusal;

/// One symbol of the universe.
#[derive(Debug, Serialize, ToSchema)]
pub struct MarketLine {
    /// Symbol.
    pub symbol: String,
    /// Name.
    pub name: String,
}

/// A chain: its head and the rows of the asked expirations.
#[derive(Debug, Serialize, ToSchema)]
pub struct ChainView {
    /// Underlying and ribbon.
    pub head: ChainHead,
    /// Rows by expiration.
    pub blocks: Vec<Block>,
}

/// Which expirations to give rows for.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct ChainQuery {
    /// Key of one expiration; none for the head alone.
    expiration: Option<String>,
    /// Columns of each contract beside bid and ask, by name, with commas between.
    columns: Option<String>,
}

/// Reads the names of columns.
fn columns(text: &str) -> Result<Vec<Column>, Refusal> {
    let one = |name: &str| {
        serde_json::from_value(serde_json::Value::from(name)).map_err(|e| Refusal::Field {
            field: "columns",
            message: e.to_string(),
        })
    };
    text.split(',').take(MOST_COLUMNS).map(one).collect()
}

/// The symbols that can be opened.
#[utoipa::path(
    get,
    path = "/markets",
    tag = "chain",
    responses((status = 200, body = Vec<MarketLine>)),
)]
async fn markets(State(app): State<AppState>) -> Json<Vec<MarketLine>> {
    let state = app.desk.snapshot();
    Json(
        state
            .world
            .underlyings(state.clock.now)
            .map(|u| MarketLine {
                symbol: u.symbol.clone(),
                name: u.name.clone(),
            })
            .collect(),
    )
}

/// One chain.
#[utoipa::path(
    get,
    path = "/chain/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), ChainQuery),
    responses(
        (status = 200, body = ChainView),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn chain(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(query): Query<ChainQuery>,
) -> Result<Json<ChainView>, Problem> {
    let columns = query
        .columns
        .as_deref()
        .map_or_else(|| Ok(Vec::new()), columns)?;
    let view = app
        .read(move |state, quoter| {
            let head = head(state, &symbol)?;
            let blocks = match query.expiration {
                Some(key) => blocks(state, quoter, &symbol, &[key], &columns)?,
                None => Vec::new(),
            };
            Ok::<_, Problem>(ChainView { head, blocks })
        })
        .await??;
    Ok(Json(view))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(markets))
        .routes(routes!(chain))
}
