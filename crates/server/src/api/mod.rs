//! One use case per file: request type, parse, core call, answer.

mod account;
pub(crate) mod balance;
mod bells;
pub(crate) mod bench;
mod campaigns;
mod chain;
mod clock;
mod compare;
mod days;
mod drafts;
mod drills;
mod evaluate;
mod feed;
mod history;
mod ideas;
mod kept;
pub(crate) mod lessons;
mod life;
mod orders;
mod own_dates;
mod packages;
mod rework;
mod rounds;
mod rules;
pub(crate) mod runs;
mod scout;
mod smile;
mod statements;
pub(crate) mod stream;
mod streamed;
mod ways;
pub(crate) mod wire;

pub(crate) use evaluate::evaluate_now;

use utoipa_axum::router::OpenApiRouter;

use crate::http::AppState;

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .merge(chain::router())
        .merge(packages::router())
        .merge(bench::router())
        .merge(compare::router())
        .merge(ideas::router())
        .merge(scout::router())
        .merge(smile::router())
        .merge(history::router())
        .merge(rules::router())
        .merge(rounds::router())
        .merge(own_dates::router())
        .merge(feed::router())
        .merge(days::router())
        .merge(account::router())
        .merge(balance::router())
        .merge(bells::router())
        .merge(orders::router())
        .merge(campaigns::router())
        .merge(life::router())
        .merge(lessons::router())
        .merge(rework::router())
        .merge(ways::router())
        .merge(statements::router())
        .merge(drafts::router())
        .merge(drills::router())
        .merge(clock::router())
        .merge(evaluate::router())
}
