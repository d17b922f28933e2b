//! Scout: the market as a table, scheduled news, and what is found by what is expected.

mod asked;
mod events;
mod expectations;
mod expected;
mod market;
mod search;

use utoipa_axum::router::OpenApiRouter;

use crate::http::AppState;

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .merge(market::router())
        .merge(events::router())
        .merge(search::router())
        .merge(expected::router())
        .merge(expectations::router())
}
