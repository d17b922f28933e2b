//! What one index cannot show: names alone, and the book drawn from the past.

use axum::Json;
use axum::extract::State;
use desk::book::tails::PathsDrawn;
use engine::balance::{ahead, items};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::balance::asked::{LookWire, within};
use crate::api::wire::moment;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// What is asked.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct TailsRequest {
    /// What is looked at, and through what.
    look: LookWire,
    /// Closes ahead, 1 to 63.
    sessions: usize,
    /// Paths, 1,000 to 50,000.
    paths: usize,
}

/// One name moving alone.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct NameAlone {
    /// The symbol that is looked at by itself.
    symbol: String,
    /// Two deviations of its price, percent.
    two_sigma: f64,
    /// Profit where it falls by as much.
    fallen: f64,
    /// And where it rises.
    risen: f64,
}

/// The worst part of the paths.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct WorstPart {
    /// Percent of the paths.
    percent: f64,
    /// So many make less than this.
    edge: f64,
    /// The mean of those worst results, in money.
    mean: f64,
    /// Standard error of that.
    error: f64,
}

/// Profit over the paths.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct TailsDrawn {
    /// How many futures of the book were drawn.
    paths: usize,
    /// The mean profit over all of them, in money.
    mean: f64,
    /// Its standard error.
    error: f64,
    /// The standard deviation of the profit, in money.
    deviation: f64,
    /// Part that loses.
    losing: f64,
    /// The worst 5 and 1 percent.
    worst: Vec<WorstPart>,
    /// Edges of the bars.
    edges: Vec<f64>,
    /// Paths in each.
    bars: Vec<usize>,
}

impl From<PathsDrawn> for TailsDrawn {
    fn from(d: PathsDrawn) -> TailsDrawn {
        TailsDrawn {
            paths: d.paths,
            mean: d.mean,
            error: d.error,
            deviation: d.deviation,
            losing: d.losing,
            worst: d
                .tails
                .iter()
                .map(|t| WorstPart {
                    percent: 100.0 * t.part,
                    edge: t.edge,
                    mean: t.mean,
                    error: t.error,
                })
                .collect(),
            edges: d.edges,
            bars: d.bars,
        }
    }
}

/// The book some closes ahead.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct TailsWire {
    /// The moment from which they are drawn, with its offset.
    at: String,
    /// The close that is looked at.
    until: String,
    /// Calendar days to it.
    days: f64,
    /// Each name alone, the worst first.
    alone: Vec<NameAlone>,
    /// Correlations as in the past; absent where nothing counts.
    past: Option<TailsDrawn>,
    /// All of them one.
    as_one: Option<TailsDrawn>,
    /// Sessions that are drawn from.
    sessions: usize,
    /// Names without such a past: their beta times the index.
    by_beta: Vec<String>,
    /// What is in none of it, and why.
    missing: Vec<String>,
}

/// Each name alone by two of its deviations, and the profit of the book some closes ahead as drawn
/// from sessions of the past: estimates, with their errors.
#[utoipa::path(
    post,
    path = "/balance/ahead",
    tag = "account",
    request_body = TailsRequest,
    responses(
        (status = 200, body = TailsWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn book_ahead(
    State(app): State<AppState>,
    Body(request): Body<TailsRequest>,
) -> Result<Json<TailsWire>, Problem> {
    let answer = app.read(move |state, quoter| {
        within("sessions", request.sessions as f64, (1.0, 63.0), "")?;
        within("paths", request.paths as f64, (1_000.0, 50_000.0), "")?;
        let lens = request.look.lens(state)?;
        let chosen = request.look.chosen(state)?;
        let all = items(state, quoter, &chosen);
        let a = ahead(state, &all, &lens, (request.sessions, request.paths));
        let alone = a.alone.iter().map(|x| NameAlone {
            symbol: x.symbol.clone(),
            two_sigma: 100.0 * x.two_sigma,
            fallen: x.fallen,
            risen: x.risen,
        });
        Ok::<_, Refusal>(TailsWire {
            at: moment(state.clock.now),
            until: moment(a.until),
            days: a.days,
            alone: alone.collect(),
            past: a.past.map(Into::into),
            as_one: a.as_one.map(Into::into),
            sessions: a.sessions,
            by_beta: a.by_beta,
            missing: a.missing,
        })
    });
    Ok(Json(answer.await??))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(book_ahead))
}
