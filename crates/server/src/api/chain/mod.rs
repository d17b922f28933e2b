//! What is listed, and the quotes of it.

pub(crate) mod columns;

use axum::Json;
use axum::extract::State;
use desk::{Expiration, Moment};
use engine::sight::{vol_standing, vol30};
use engine::state::{State as DeskState, underlying_of};
use market::{Listed, Quoter, World, strikes};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::chain::columns::{Column, MOST_COLUMNS, Sheet};
use crate::api::wire::words::{CycleWord, EventWord, OwnWord};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem, Query};

/// One contract of a row.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Cell {
    /// The contract as an OSI symbol.
    pub contract: String,
    /// Best bid; absent when nobody bids.
    pub bid: Option<String>,
    /// Best ask; empty when nobody asks.
    pub ask: String,
    /// Contracts bid for.
    pub bid_size: Option<i64>,
    /// Contracts offered at the ask; absent where it is not known.
    pub ask_size: Option<i64>,
    /// Delta per unit.
    pub delta: f64,
    /// Implied volatility of the middle as a fraction; absent where it means nothing.
    pub implied: Option<f64>,
    /// The columns asked for, as they are shown; empty text where there is nothing.
    pub values: Vec<String>,
    /// Why this market is not to be relied on; nothing is fitted to it and nothing fills against it.
    pub doubt: Option<String>,
}

/// Both contracts of one strike.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Row {
    /// Strike as shown.
    pub strike: String,
    /// Strike as a number, for placing it on the price axis.
    pub at: f64,
    /// The call of this strike.
    pub call: Cell,
    /// The put of this strike.
    pub put: Cell,
}

/// One expiration on the ribbon.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Mark {
    /// Key: root and date.
    pub key: String,
    /// The date of the expiration, as 2031-04-18.
    pub date: String,
    /// The date as it is shown, like "18 Apr".
    pub label: String,
    /// Calendar days until then.
    pub days: i64,
    /// How often it comes.
    pub cycle: CycleWord,
    /// Settles on the opening prints.
    pub am_settled: bool,
    /// At-the-money volatility as a fraction.
    pub vol: f64,
    /// One standard deviation of the price to its end, in price.
    pub expected_move: f64,
    /// Prices at −2, −1, +1, +2 deviations.
    pub bands: Vec<f64>,
    /// Number of strikes.
    pub strikes: usize,
}

/// An event on the ribbon.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct EventMark {
    /// The date of the event, as 2031-03-20.
    pub date: String,
    /// The date as it is shown, like "20 Mar".
    pub label: String,
    /// Calendar days until then.
    pub days: i64,
    /// What it is.
    pub kind: EventWord,
    /// What happens, in words.
    pub what: String,
}

/// The head of a chain: underlying and ribbon.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChainHead {
    /// The symbol of the underlying.
    pub symbol: String,
    /// The name of the underlying.
    pub name: String,
    /// The moment of the prices, with its offset.
    pub at: String,
    /// The price of the underlying, per unit.
    pub spot: String,
    /// Price as a number, for the axis.
    pub level: f64,
    /// Market in the underlying itself; absent for an index.
    pub own: Option<OwnMarket>,
    /// Change since the last close, signed.
    pub change: String,
    /// The same in percent.
    pub change_percent: f64,
    /// Volatility of 30 days, at the money, as a fraction.
    pub vol30: f64,
    /// Volatility of the closes of the last 30 sessions, as a fraction; absent where fewer than
    /// three are known.
    pub realised: Option<f64>,
    /// Where the volatility of 30 days stands between the lowest (0) and the highest (100) of its
    /// past year; absent where that is not known.
    pub rank: Option<f64>,
    /// Percent of the past year's days on which it was lower.
    pub percentile: Option<f64>,
    /// "American · delivery · 100".
    pub terms: String,
    /// The expirations that are listed, the nearest first.
    pub marks: Vec<Mark>,
    /// Scheduled events, the nearest first.
    pub events: Vec<EventMark>,
}

/// The market in shares or a future.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OwnMarket {
    /// What it is counted in.
    pub word: OwnWord,
    /// How many one option stands for.
    pub lot: i64,
    /// The highest price at which somebody buys it.
    pub bid: String,
    /// Best ask; empty when nobody asks.
    pub ask: String,
}

/// One expiration's rows.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Block {
    /// Key of the expiration.
    pub key: String,
    /// Rows, strikes from high to low.
    pub rows: Vec<Row>,
}

pub(crate) fn key_of(root: &str, e: &Expiration) -> String {
    format!("{root}:{}", e.date)
}

/// An event as it is shown.
pub(crate) fn event_mark(e: desk::Event, now: Moment) -> EventMark {
    EventMark {
        date: e.date.to_string(),
        label: desk::short_date(e.date),
        days: now.days_until(e.date),
        kind: e.kind.into(),
        what: e.what,
    }
}

/// Head of a symbol's chain at the state's moment.
pub fn head(state: &DeskState, symbol: &str) -> Result<ChainHead, Refusal> {
    let u = underlying_of(state, symbol)?;
    let (world, at) = (&state.world, state.clock.now);
    let spot = world.spot(symbol, at).unwrap_or_default();
    let before = world.previous_close(symbol, at).unwrap_or(spot);
    let level = spot.to_f64();
    let stands = vol_standing(world, symbol, at);
    let marks = world
        .expirations(symbol, at)
        .unwrap_or_default()
        .iter()
        .map(|e| mark(world, u, e, at, level))
        .collect();
    let settlement = if u.settlement == desk::Settlement::Cash {
        "cash"
    } else {
        "delivery"
    };
    let style = if u.style == desk::Style::American {
        "American"
    } else {
        "European"
    };
    Ok(ChainHead {
        symbol: u.symbol.clone(),
        name: u.name.clone(),
        at: at.to_string(),
        spot: u.style_of_price.write(spot),
        level,
        own: Quoter::new()
            .quote_any(world, &desk::Instrument::Underlying(u.symbol.clone()), at)
            .map(|q| OwnMarket {
                word: u.kind.into(),
                lot: u.lot(),
                bid: u.style_of_price.write(q.bid),
                ask: u.style_of_price.write(q.ask),
            }),
        change: u.style_of_price.write(spot - before),
        change_percent: (level / before.to_f64() - 1.0) * 100.0,
        vol30: vol30(world, symbol, at).unwrap_or(0.0),
        realised: engine::sight::realised30(world, symbol, at),
        rank: stands.map(|s| s.rank),
        percentile: stands.map(|s| s.percentile),
        terms: format!("{style} · {settlement} · {}", u.multiplier),
        marks,
        events: world
            .events(symbol, at, 400)
            .into_iter()
            .map(|e| event_mark(e, at))
            .collect(),
    })
}

fn mark(world: &World, u: &desk::Underlying, e: &Expiration, at: Moment, level: f64) -> Mark {
    let variance = world
        .total_variance(&u.symbol, at, e.moment())
        .unwrap_or(0.0);
    let years = at.years_until(e.moment()).max(1e-9);
    let deviation = variance.sqrt();
    Mark {
        key: key_of(u.root_for(e), e),
        date: e.date.to_string(),
        label: desk::short_date(e.date),
        days: at.days_until(e.date),
        cycle: e.cycle.into(),
        am_settled: e.am_settled,
        vol: (variance / years).sqrt(),
        expected_move: level * deviation,
        bands: desk::bands(level, deviation).to_vec(),
        strikes: strikes(world, &u.symbol, e, at).len(),
    }
}

fn cell(l: &Listed, c: &desk::Contract, style: desk::PriceStyle, values: Vec<String>) -> Cell {
    Cell {
        contract: c.to_string(),
        bid: (l.quote.bid.raw() > 0).then(|| style.write(l.quote.bid)),
        ask: if l.quote.ask.raw() > 0 {
            style.write(l.quote.ask)
        } else {
            String::new()
        },
        bid_size: l.quote.bid_size,
        ask_size: l.quote.ask_size,
        delta: (l.delta * 1e4).round() / 1e4,
        implied: l.implied.map(|v| (v * 1e4).round() / 1e4),
        values,
        doubt: l.doubt.map(|d| d.words().to_owned()),
    }
}

/// Rows of the named expirations (all when `keys` is empty).
pub fn blocks(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    keys: &[String],
    columns: &[Column],
) -> Result<Vec<Block>, Refusal> {
    let u = underlying_of(state, symbol)?;
    let (world, at) = (&state.world, state.clock.now);
    let mut out = Vec::new();
    for e in world.expirations(symbol, at).unwrap_or_default() {
        let key = key_of(u.root_for(&e), &e);
        if !keys.is_empty() && !keys.contains(&key) {
            continue;
        }
        let listed = quoter.whole_chain(world, u, &e, at);
        let closes = columns
            .contains(&Column::Change)
            .then(|| quoter.closing_middles(world, u, &e, at));
        let sheet = Sheet::of(columns, world, u, &e, at, &listed, closes);
        let values = |place: usize| {
            sheet.as_ref().map_or_else(Vec::new, |s| {
                s.cells(place, &listed[place].0, &listed[place].1)
            })
        };
        let (pairs, _) = listed.as_chunks::<2>();
        let row = |(i, [(call, c), (put, p)]): (usize, &[(desk::Contract, Listed); 2])| {
            let (strike, style) = (call.strike, u.style_of_price);
            Row {
                strike: desk::strike_label(strike),
                at: strike.to_f64(),
                call: cell(c, call, style, values(2 * i)),
                put: cell(p, put, style, values(2 * i + 1)),
            }
        };
        let rows = pairs.iter().enumerate().rev().map(row).collect();
        out.push(Block { key, rows });
    }
    Ok(out)
}

/// One symbol of the universe.
#[derive(Debug, Serialize, ToSchema)]
pub struct MarketLine {
    /// The symbol by which it is traded.
    pub symbol: String,
    /// The name of the underlying.
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

/// Gives the head of a chain and the expirations that are asked for.
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
