//! The account: masthead and book, instructions for exercise, ledger.

pub(crate) mod book;
mod exercise;
mod held;
pub(crate) mod ledger;
pub(crate) mod position;

use utoipa_axum::router::OpenApiRouter;

use crate::http::AppState;

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .merge(book::router())
        .merge(exercise::router())
        .merge(held::router())
        .merge(ledger::router())
}
