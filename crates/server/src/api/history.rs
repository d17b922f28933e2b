//! The past of an underlying: bars, events, implied and realised volatility of the same days.

use axum::Json;
use axum::extract::State;
use desk::calendar::close_of;
use engine::state::{State as DeskState, underlying_of};
use jiff::ToSpan;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::chain::{EventMark, event_mark};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem, Query};
use engine::sight::vol30;

/// How much of it.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct HistoryQuery {
    /// Bars of weeks in place of days.
    #[serde(default)]
    weekly: bool,
    /// So many bars at most, up to 260.
    bars: usize,
}

/// One bar, and the volatilities at its close.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BarWire {
    /// The session, or the last one of the week.
    pub date: String,
    /// The first price of the session.
    pub open: f64,
    /// The highest price of the session.
    pub high: f64,
    /// The lowest price of the session.
    pub low: f64,
    /// The last price of the session.
    pub close: f64,
    /// Shares or contracts that changed hands.
    pub volume: i64,
    /// Implied volatility of 30 days at its close, as a fraction; absent where nothing is known.
    pub implied: Option<f64>,
    /// Realised volatility of the 30 sessions up to it.
    pub realised: Option<f64>,
}

/// What is known of an underlying's past sessions.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct HistoryView {
    /// Bars, oldest first; the last one may still be running.
    pub bars: Vec<BarWire>,
    /// Events in between, oldest first.
    pub events: Vec<EventMark>,
}

/// The most bars that are given at once.
const MOST_BARS: usize = 260;
/// Sessions of realised volatility.
const REALISED: usize = 31;

fn history(state: &DeskState, symbol: &str, query: &HistoryQuery) -> Result<HistoryView, Refusal> {
    underlying_of(state, symbol)?;
    if !(1..=MOST_BARS).contains(&query.bars) {
        return Err(Refusal::Field {
            field: "bars",
            message: format!("{} bars; write 1 to {MOST_BARS}", query.bars),
        });
    }
    let (world, now) = (&state.world, state.clock.now);
    let sessions = query.bars * if query.weekly { 5 } else { 1 };
    let from = now
        .date()
        .checked_sub((sessions as i64 * 7 / 5 + 10).days())
        .unwrap_or(now.date());
    let days = world.bars(symbol, from, now);
    let week = |b: &market::Bar| (desk::day_number(b.date) + 3).div_euclid(7);
    let merged: Vec<market::Bar> = if query.weekly {
        let weeks = days.chunk_by(|a, b| week(a) == week(b));
        weeks
            .map(|w| {
                w[1..].iter().fold(w[0], |a, b| market::Bar {
                    date: b.date,
                    high: a.high.max(b.high),
                    low: a.low.min(b.low),
                    close: b.close,
                    volume: a.volume + b.volume,
                    ..a
                })
            })
            .collect()
    } else {
        days
    };
    let bars = merged[merged.len().saturating_sub(query.bars)..].iter();
    let bars: Vec<BarWire> = bars
        .map(|b| {
            let at = close_of(b.date).min(now);
            let closes = world
                .closes(symbol, at.plus_millis(86_400_000), REALISED)
                .unwrap_or_default();
            BarWire {
                date: b.date.to_string(),
                open: b.open.to_f64(),
                high: b.high.to_f64(),
                low: b.low.to_f64(),
                close: b.close.to_f64(),
                volume: b.volume,
                implied: world
                    .knows_chain(symbol, at)
                    .then(|| vol30(world, symbol, at))
                    .flatten(),
                realised: desk::realised(&closes),
            }
        })
        .collect();
    let first = bars
        .first()
        .and_then(|b| b.date.parse().ok())
        .unwrap_or(now.date());
    let begin = desk::calendar::open_of(first);
    let events = world.events(symbol, begin, begin.days_until(now.date()));
    let past = events
        .into_iter()
        .filter(|e| e.date <= now.date())
        .map(|e| event_mark(e, now))
        .collect();
    Ok(HistoryView { bars, events: past })
}

/// Bars with volume and volatilities, and the events between them.
#[utoipa::path(
    get,
    path = "/history/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), HistoryQuery),
    responses(
        (status = 200, body = HistoryView),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn past(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(query): Query<HistoryQuery>,
) -> Result<Json<HistoryView>, Problem> {
    Ok(Json(
        app.read(move |state, _| history(state, &symbol, &query))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(past))
}
