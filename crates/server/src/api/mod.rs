//! One use case per file: request type, parse, core call, answer.

mod account;
mod bench;
mod chain;
mod clock;
mod drafts;
mod evaluate;
mod orders;
mod packages;

pub(crate) use evaluate::evaluate_now;

use utoipa_axum::router::OpenApiRouter;

use crate::app::AppState;

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .merge(chain::router())
        .merge(packages::router())
        .merge(bench::router())
        .merge(account::router())
        .merge(orders::router())
        .merge(drafts::router())
        .merge(clock::router())
        .merge(evaluate::router())
}
