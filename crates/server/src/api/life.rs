//! The profit of a campaign over the days of its life, and what made it.

use axum::Json;
use axum::extract::State;
use desk::life::{Parts, Stride};
use engine::life::life_of;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::{moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem};

/// What made a profit, in money; the sum is the total.
#[derive(Debug, Serialize, ToSchema)]
pub(crate) struct PartsWire {
    /// All of it.
    total: String,
    /// The move of the price.
    delta: f64,
    /// What the squared move of the price brought beyond delta, in money.
    gamma: f64,
    /// What passing time brought, in money.
    theta: f64,
    /// What changed volatilities brought, in money.
    vega: f64,
    /// What changed interest brought, in money.
    rate: f64,
    /// What dividends on shares brought, in money.
    dividends: f64,
    /// Fills and settlements away from the marks of their moment; cash without a fill.
    trades: f64,
    /// Fees, below zero.
    fees: String,
    /// What none of these explains.
    other: f64,
}

impl From<Parts> for PartsWire {
    fn from(p: Parts) -> PartsWire {
        PartsWire {
            total: money(p.total),
            delta: p.delta,
            gamma: p.gamma,
            theta: p.theta,
            vega: p.vega,
            rate: p.rate,
            dividends: p.dividends,
            trades: p.trades,
            fees: money(p.fees),
            other: p.other,
        }
    }
}

/// What one session's profit was made of.
#[derive(Debug, Serialize, ToSchema)]
struct LifeDay {
    /// The session's date, as 2031-03-11.
    date: String,
    /// Profit of the whole campaign at its end.
    running: String,
    /// What made the profit of the day.
    parts: PartsWire,
}

/// From one chapter to the next.
#[derive(Debug, Serialize, ToSchema)]
struct LifeChapter {
    /// Its place among the chapters.
    chapter: usize,
    /// What made its profit.
    parts: PartsWire,
}

/// The life of a campaign.
#[derive(Debug, Serialize, ToSchema)]
struct LifeWire {
    /// The moment of the last look, with its offset.
    at: String,
    /// Day by day.
    days: Vec<LifeDay>,
    /// Chapter by chapter.
    chapters: Vec<LifeChapter>,
    /// All of it.
    all: PartsWire,
    /// The day at whose end it stood best.
    best: Option<usize>,
    /// The day at whose end it stood worst.
    worst: Option<usize>,
}

fn told(strides: &[Stride]) -> LifeWire {
    let until = strides.last().map(|s| s.at);
    let sum = |some: &[Stride]| {
        some.iter()
            .fold(Parts::default(), |all, s| all.plus(s.parts))
    };
    let by_day: Vec<&[Stride]> = strides
        .chunk_by(|a, b| a.at.date() == b.at.date())
        .collect();
    let last = |day: &&[Stride]| day.last().map_or(desk::Money::ZERO, |s| s.running);
    let ends: Vec<desk::Money> = by_day.iter().map(last).collect();
    let mut ordered = strides.to_vec();
    ordered.sort_by_key(|s| s.chapter);
    LifeWire {
        at: until.map_or_else(String::new, moment),
        days: by_day
            .iter()
            .zip(&ends)
            .map(|(day, running)| LifeDay {
                date: day
                    .first()
                    .map_or_else(String::new, |s| s.at.date().to_string()),
                running: money(*running),
                parts: sum(day).into(),
            })
            .collect(),
        chapters: ordered
            .chunk_by(|a, b| a.chapter == b.chapter)
            .map(|of_it| LifeChapter {
                chapter: of_it.first().map_or(0, |s| s.chapter),
                parts: sum(of_it).into(),
            })
            .collect(),
        all: sum(strides).into(),
        best: (0..ends.len()).max_by_key(|i| (ends[*i], std::cmp::Reverse(*i))),
        worst: (0..ends.len()).min_by_key(|i| (ends[*i], *i)),
    }
}

/// The profit of a campaign over the days of its life, and what made it.
#[utoipa::path(
    get,
    path = "/campaigns/{campaign}/life",
    tag = "campaigns",
    params(("campaign" = u64, Path)),
    responses(
        (status = 200, body = LifeWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn life(
    State(app): State<AppState>,
    Path(campaign): Path<u64>,
) -> Result<Json<LifeWire>, Problem> {
    let strides = app
        .read(move |state, quoter| Ok::<_, Refusal>(told(&life_of(state, quoter, campaign)?)))
        .await??;
    Ok(Json(strides))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(life))
}
