//! Scout by the market: every underlying in one row, and the same as CSV.

use axum::Json;
use axum::extract::State;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::IntoResponse;
use desk::rules::Measure;
use serde::Serialize;
use studies::universe::{UniverseRow, universe};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::balance::bands::limits;
use crate::api::wire::{moment, money};
use crate::http::AppState;
use crate::http::problem::Problem;
use crate::interchange::statement::csv_of;

/// News that is scheduled.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct NewsWire {
    /// The day of the news, as 2031-03-20.
    date: String,
    /// In plain words.
    what: String,
    /// Sessions to it.
    sessions: i64,
    /// Mean size of the move that is priced, percent.
    priced: Option<f64>,
    /// Mean size of past moves, percent.
    real: Option<f64>,
    /// How many those were.
    past: usize,
    /// The priced one over the past ones.
    premium: Option<f64>,
}

/// One underlying: volatilities in percent a year, differences in points.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ScoutRow {
    /// The symbol by which it is traded.
    symbol: String,
    /// The name in full.
    name: String,
    /// The sector, where one is told.
    sector: Option<String>,
    /// Price as its market writes it.
    price: String,
    /// The same as a number.
    level: f64,
    /// Change since the close before, percent.
    change: Option<f64>,
    /// Closes of the past month.
    month: Vec<f64>,
    /// Implied volatility of 30 days.
    implied: Option<f64>,
    /// Its rank in the past year.
    rank: Option<f64>,
    /// Its percentile there.
    percentile: Option<f64>,
    /// Realised over the past 30 sessions.
    realised: Option<f64>,
    /// Implied over realised.
    over_realised: Option<f64>,
    /// Chance that the price stays within one deviation that is priced if it moves as it did, 0 to 1.
    within_one: Option<f64>,
    /// Near less far, points.
    near_far: Option<f64>,
    /// Put side less call side, points.
    put_call: Option<f64>,
    /// The next earnings or decision.
    news: Option<NewsWire>,
    /// In and out of an at-the-money vertical of one expected move.
    round_trip: Option<String>,
    /// The same in percent of its width.
    of_width: Option<f64>,
    /// Calendar days to the expiration that is looked at for that.
    days: Option<i64>,
    /// Contracts open there.
    open_interest: Option<i64>,
    /// Traded there today.
    volume: Option<i64>,
    /// How much it moves with the index.
    beta: f64,
    /// Open campaigns in it.
    held: usize,
    /// Capital at risk in it, percent of the account.
    risk: f64,
    /// The same in its sector; absent without one.
    sector_risk: Option<f64>,
}

/// Every underlying of the market in one row.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ScoutTable {
    /// The moment of the figures, with its offset.
    at: String,
    /// Most capital at risk in one symbol by my rules, percent of the account.
    symbol_limit: Option<f64>,
    /// The same in one sector.
    sector_limit: Option<f64>,
    /// One row for each underlying.
    rows: Vec<ScoutRow>,
}

fn wire(r: UniverseRow, style: desk::PriceStyle) -> ScoutRow {
    let percent = |x: Option<f64>| x.map(|x| 100.0 * x);
    ScoutRow {
        price: style.write(r.price),
        level: r.price.to_f64(),
        change: percent(r.change),
        month: r.month,
        implied: percent(r.implied),
        rank: r.rank,
        percentile: r.percentile,
        realised: percent(r.realised),
        over_realised: r
            .implied
            .zip(r.realised)
            .filter(|(_, real)| *real > 0.0)
            .map(|(a, b)| a / b),
        within_one: r.within_one,
        near_far: percent(r.near_far),
        put_call: percent(r.put_call),
        news: r.news.map(|n| NewsWire {
            date: n.date.to_string(),
            what: n.what,
            sessions: n.sessions,
            priced: percent(n.priced),
            real: percent(n.real),
            past: n.past,
            premium: n
                .priced
                .zip(n.real)
                .filter(|(_, real)| *real > 0.0)
                .map(|(a, b)| a / b),
        }),
        round_trip: r.round_trip.map(|t| money(t.cost)),
        of_width: r.round_trip.map(|t| t.of_width),
        days: r.round_trip.map(|t| t.days),
        open_interest: r.open_interest,
        volume: r.volume,
        beta: r.beta,
        held: r.held,
        risk: r.risk,
        sector_risk: r.sector_risk,
        symbol: r.symbol,
        name: r.name,
        sector: r.sector,
    }
}

async fn rows(app: &AppState) -> Result<ScoutTable, Problem> {
    app.read(|state, quoter| ScoutTable {
        at: moment(state.clock.now),
        symbol_limit: limits(&state.my_rules, Measure::OneSymbol).1,
        sector_limit: limits(&state.my_rules, Measure::OneSector).1,
        rows: universe(state, quoter)
            .into_iter()
            .map(|r| {
                let u = state.world.underlying(&r.symbol);
                let style = u.map_or(desk::PriceStyle::Decimal, |u| u.style_of_price);
                wire(r, style)
            })
            .collect(),
    })
    .await
}

/// Every underlying in one row: is it dear, what comes, what does trading it cost, what does it add to
/// my book.
#[utoipa::path(
    get,
    path = "/scout/market",
    tag = "chain",
    responses((status = 200, body = ScoutTable)),
)]
async fn scout_market(State(app): State<AppState>) -> Result<Json<ScoutTable>, Problem> {
    Ok(Json(rows(&app).await?))
}

const COLUMNS: [&str; 26] = [
    "symbol",
    "name",
    "sector",
    "price",
    "change_percent",
    "implied",
    "rank",
    "percentile",
    "realised",
    "over_realised",
    "near_far",
    "put_call",
    "news",
    "news_date",
    "news_sessions",
    "priced_move",
    "real_move",
    "past_events",
    "round_trip",
    "of_width",
    "open_interest",
    "volume",
    "beta",
    "held",
    "risk_percent",
    "sector_risk_percent",
];

fn cells(r: ScoutRow) -> Vec<String> {
    let of = |x: Option<f64>| x.map_or_else(String::new, |x| x.to_string());
    let n = r.news.as_ref();
    vec![
        r.symbol,
        r.name,
        r.sector.unwrap_or_default(),
        r.price,
        of(r.change),
        of(r.implied),
        of(r.rank),
        of(r.percentile),
        of(r.realised),
        of(r.over_realised),
        of(r.near_far),
        of(r.put_call),
        n.map(|n| n.what.clone()).unwrap_or_default(),
        n.map(|n| n.date.clone()).unwrap_or_default(),
        n.map(|n| n.sessions.to_string()).unwrap_or_default(),
        of(n.and_then(|n| n.priced)),
        of(n.and_then(|n| n.real)),
        n.map(|n| n.past.to_string()).unwrap_or_default(),
        r.round_trip.unwrap_or_default(),
        of(r.of_width),
        r.open_interest.map_or_else(String::new, |n| n.to_string()),
        r.volume.map_or_else(String::new, |n| n.to_string()),
        r.beta.to_string(),
        r.held.to_string(),
        r.risk.to_string(),
        of(r.sector_risk),
    ]
}

/// The same as CSV.
#[utoipa::path(
    get,
    path = "/scout/market.csv",
    tag = "chain",
    responses((status = 200, content_type = "text/csv", body = String)),
)]
async fn scout_market_csv(State(app): State<AppState>) -> Result<impl IntoResponse, Problem> {
    let table = rows(&app).await?;
    let text = csv_of(&COLUMNS, table.rows.into_iter().map(cells));
    Ok((
        [
            (CONTENT_TYPE, "text/csv; charset=utf-8"),
            (CONTENT_DISPOSITION, "attachment; filename=\"market.csv\""),
        ],
        text,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(scout_market))
        .routes(routes!(scout_market_csv))
}
