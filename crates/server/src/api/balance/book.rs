//! The whole book in the terms of one index: its Greeks, who makes and loses, the table of moves, the
//! lines and the map, and its margin after moves.

use std::sync::{Mutex, PoisonError};

use axum::Json;
use axum::extract::State;
use desk::Money;
use engine::State as DeskState;
use engine::balance::{
    BetaSource, BookMemo, ItemLooked, LookWanted, Source, items, margins, past_answer, worked,
};
use engine::money::account_value;
use market::Quoter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::balance::asked::{LookWire, within};
use crate::api::wire::{LegWire, instrument_label, legs_wire, moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// What readers of the book remember together: what was worked out, and the snapshot that an answer
/// was given of, so that switching something in or out is about the same moment.
#[derive(Default)]
pub(crate) struct BookDesk {
    pub memo: BookMemo,
    pinned: Mutex<Option<DeskState>>,
}

impl BookDesk {
    /// The snapshot of an answer given before, where it is still kept.
    pub(crate) fn at(&self, wanted: Option<&str>) -> Option<DeskState> {
        let kept = self.pinned.lock().unwrap_or_else(PoisonError::into_inner);
        kept.as_ref()
            .filter(|s| Some(moment(s.clock.now).as_str()) == wanted)
            .cloned()
    }

    fn pin(&self, state: &DeskState) {
        let mut kept = self.pinned.lock().unwrap_or_else(PoisonError::into_inner);
        *kept = Some(state.clone());
    }
}

/// Most moves of the table, days of the lines, and moves along them.
const MOST_MOVES: usize = 41;
const MOST_LINES: usize = 6;
/// Points along a line, and over the map.
const ALONG: usize = 81;
const ACROSS: usize = 37;
const AHEAD: usize = 25;

/// How far the map goes.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct BookSpan {
    /// Percent of the index either way, 1 to 60.
    reach: f64,
    /// Calendar days ahead, 1 to 1,100; absent: to the last expiration, 60 at most.
    #[serde(default)]
    days: Option<f64>,
}

/// What is asked of the book.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct BookRequest {
    /// What is looked at, and through what.
    look: LookWire,
    /// Moves of the table in percent, ascending.
    #[serde(default)]
    moves: Vec<f64>,
    /// Calendar days on at which the table stands.
    #[serde(default)]
    days: f64,
    /// Lines over the move at so many days on, and one at the last expiration of what counts; without
    /// any none is drawn.
    #[serde(default)]
    lines: Vec<f64>,
    /// The reach of lines and map; without it neither is drawn.
    #[serde(default)]
    span: Option<BookSpan>,
    /// The map is drawn.
    #[serde(default)]
    map: bool,
    /// Answer about the moment of an earlier answer, where it is still known.
    #[serde(default)]
    at: Option<String>,
}

/// Figures that add up.
#[derive(Debug, Clone, Copy, Default, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookSums {
    /// Delta in index shares.
    lean: f64,
    /// The same as money for one percent of the index.
    lean_money: f64,
    /// Change of the lean for one point of the index.
    gamma: f64,
    /// Change of the money for one percent by one percent more.
    gamma_money: f64,
    /// Money that one day's passing brings.
    theta: f64,
    /// A volatility point; points of different names are added as they are.
    vega: f64,
    /// The same, each leg weighted by √(30/days) and by beta.
    weighted_vega: f64,
    /// A percentage point of the rate.
    rho: f64,
    /// What it is worth by its models.
    value: f64,
    /// Capital at risk.
    risk: f64,
}

impl BookSums {
    fn of(l: &ItemLooked, index: f64) -> BookSums {
        let (w, percent) = (&l.worked, index * 0.01);
        BookSums {
            lean: w.index.delta,
            lean_money: w.index.delta * percent,
            gamma: w.index.gamma,
            gamma_money: w.index.gamma * percent * percent,
            theta: w.greeks.theta,
            vega: w.greeks.vega,
            weighted_vega: w.weighted_vega,
            rho: w.greeks.rho,
            value: w.greeks.value,
            risk: w.risk.to_f64(),
        }
    }

    fn add(&mut self, o: &BookSums) {
        self.lean += o.lean;
        self.lean_money += o.lean_money;
        self.gamma += o.gamma;
        self.gamma_money += o.gamma_money;
        self.theta += o.theta;
        self.vega += o.vega;
        self.weighted_vega += o.weighted_vega;
        self.rho += o.rho;
        self.value += o.value;
        self.risk += o.risk;
    }
}

/// Where an item comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum BookSource {
    /// An open campaign.
    Campaign,
    /// What is left of an open order.
    Order,
    /// A draft that is considered.
    Draft,
}

/// Which way of the index is good for something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum BookDirection {
    /// The index rises.
    Up,
    /// The index falls.
    Down,
    /// Neither: its delta stands for less than 0.05 % of the account.
    Neither,
}

/// One item of the book.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookItem {
    /// The name that it is switched by.
    key: String,
    /// Where it comes from.
    source: BookSource,
    /// Number of the campaign or the order.
    number: Option<u64>,
    /// What it is on.
    symbol: String,
    /// What it is called.
    name: String,
    /// The sector of the underlying, where one is told.
    sector: Option<String>,
    /// Kind of structure.
    structure: &'static str,
    /// First expiration (ISO).
    expiry: Option<String>,
    /// Which way is good for it.
    direction: BookDirection,
    /// Whether it counts in the sums.
    on: bool,
    /// The legs of one package.
    legs: Vec<LegWire>,
    /// What it adds.
    sums: BookSums,
    /// Profit at each move of the table.
    moves: Vec<f64>,
}

/// The beta of one name.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookBeta {
    /// The symbol of the underlying.
    symbol: String,
    /// The one that counts.
    used: f64,
    /// Where it comes from.
    source: &'static str,
    /// The market's own.
    market: f64,
    /// The beta by a year of closes; absent where they are too few.
    estimated: Option<f64>,
    /// Its standard error.
    error: Option<f64>,
    /// Part of the variance that the index explains.
    r_squared: Option<f64>,
    /// Pairs of returns.
    pairs: Option<usize>,
}

/// One division of the book.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookPart {
    /// What the part is called: a symbol, a sector or an expiration.
    name: String,
    /// Items in it that count.
    count: usize,
    /// What it adds.
    sums: BookSums,
    /// Profit at each move of the table.
    moves: Vec<f64>,
}

/// The book divided in one way.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookDivision {
    /// By what: symbol, sector, structure, expiration or direction.
    by: &'static str,
    /// Its rows, the largest capital at risk first.
    rows: Vec<BookPart>,
}

/// One move of the table.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookMove {
    /// The move of the index, in percent.
    percent: f64,
    /// Price of the index then.
    price: f64,
    /// Profit of what counts.
    profit: f64,
    /// The same in percent of the account's value.
    of_account: Option<f64>,
    /// The lean of the book after the move.
    lean: f64,
}

/// A line over the move.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookLine {
    /// How many days on the line is drawn.
    days: f64,
    /// Profit at each move.
    profits: Vec<f64>,
}

/// Lines and map.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookDrawn {
    /// Moves along the lines in percent.
    along: Vec<f64>,
    /// Profit over the moves, a line for each day.
    lines: Vec<BookLine>,
    /// Moves across the map in percent.
    across: Vec<f64>,
    /// Days of the map; empty where it is not drawn.
    ahead: Vec<f64>,
    /// Profit over the map: for each day, at each move.
    map: Vec<Vec<f64>>,
}

/// The book as it is looked at.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct BookLooked {
    /// The moment of the figures, with its offset.
    at: String,
    /// The symbol of the index that they are told in.
    index: String,
    /// The price of the index at that moment.
    price: f64,
    /// Its own deviation a year, by 30-day volatility: the cone of the map.
    volatility: Option<f64>,
    /// How volatility has answered the broad index in the past year: by so many times its fall.
    past_answer: Option<f64>,
    /// The account's value.
    value: String,
    /// Everything that can be looked at, in or out.
    items: Vec<BookItem>,
    /// Sum of what counts.
    total: BookSums,
    /// The same divided.
    divisions: Vec<BookDivision>,
    /// The table of moves.
    table: Vec<BookMove>,
    /// Lines and map.
    drawn: Option<BookDrawn>,
    /// The beta of each underlying that is held.
    betas: Vec<BookBeta>,
    /// Days to the last expiration of what counts.
    last_days: Option<f64>,
    /// What is in no figure, and why.
    missing: Vec<String>,
}

fn ascending(field: &'static str, all: &[f64], most: usize) -> Result<(), Refusal> {
    if all.len() > most || all.windows(2).any(|w| w[0] >= w[1]) {
        return Err(Refusal::Field {
            field,
            message: format!("write at most {most}, each above the one before"),
        });
    }
    Ok(())
}

fn evenly(from: f64, to: f64, points: usize) -> Vec<f64> {
    (0..points)
        .map(|i| from + (to - from) * i as f64 / (points - 1) as f64)
        .collect()
}

/// BookSums lists of equal length.
fn add_all(sum: &mut [f64], more: &[f64]) {
    for (s, m) in sum.iter_mut().zip(more) {
        *s += m;
    }
}

fn direction(lean: f64, index: f64, value: Money) -> BookDirection {
    let least = 0.0005 * value.to_f64().abs();
    match lean * index {
        d if d > least => BookDirection::Up,
        d if d < -least => BookDirection::Down,
        _ => BookDirection::Neither,
    }
}

fn item_wire(l: &ItemLooked, index: f64, value: Money) -> BookItem {
    let (source, number) = match l.item.source {
        Source::Campaign(id) => (BookSource::Campaign, Some(id)),
        Source::Order(id) => (BookSource::Order, Some(id)),
        Source::Draft => (BookSource::Draft, None),
    };
    BookItem {
        key: l.item.key.clone(),
        source,
        number,
        symbol: l.item.symbol.clone(),
        name: l.item.name.clone(),
        sector: l.item.sector.clone(),
        structure: l.item.structure.word(),
        expiry: l.item.expiry.map(|d| d.to_string()),
        direction: direction(l.worked.index.delta, index, value),
        on: l.item.on,
        legs: legs_wire(&l.item.holding),
        sums: BookSums::of(l, index),
        moves: l.worked.moves.clone(),
    }
}

/// Divides what counts.
fn division(
    by: &'static str,
    on: &[&ItemLooked],
    (index, moves): (f64, usize),
    name: impl Fn(&ItemLooked) -> String,
) -> BookDivision {
    let mut rows: Vec<BookPart> = Vec::new();
    for l in on {
        let name = name(l);
        let place = rows.iter().position(|r| r.name == name);
        let place = place.unwrap_or_else(|| {
            rows.push(BookPart {
                name,
                count: 0,
                sums: BookSums::default(),
                moves: vec![0.0; moves],
            });
            rows.len() - 1
        });
        let row = &mut rows[place];
        row.count += 1;
        row.sums.add(&BookSums::of(l, index));
        add_all(&mut row.moves, &l.worked.moves);
    }
    rows.sort_by(|a, b| b.sums.risk.total_cmp(&a.sums.risk));
    BookDivision { by, rows }
}

fn divisions(on: &[&ItemLooked], (index, moves): (f64, usize), value: Money) -> Vec<BookDivision> {
    let word = |d: BookDirection| match d {
        BookDirection::Up => "a rise is good for it",
        BookDirection::Down => "a fall is good for it",
        BookDirection::Neither => "neither way",
    };
    let of = (index, moves);
    vec![
        division("symbol", on, of, |l| l.item.symbol.clone()),
        division("sector", on, of, |l| {
            l.item.sector.clone().unwrap_or_else(|| "none".into())
        }),
        division("structure", on, of, |l| l.item.structure.word().into()),
        division("expiration", on, of, |l| {
            l.item
                .expiry
                .map_or_else(|| "none".into(), |d| d.to_string())
        }),
        division("direction", on, of, |l| {
            word(direction(l.worked.index.delta, index, value)).into()
        }),
    ]
}

/// Whatever is looked at and has no figure.
fn missing(looked: &[ItemLooked]) -> Vec<String> {
    let each = looked.iter().filter(|l| l.item.on).flat_map(|l| {
        let quotes = l.item.missing.iter().map(|i| {
            format!(
                "{}: {} has no market now and is in no figure",
                l.item.symbol,
                instrument_label(i)
            )
        });
        quotes.chain(l.worked.unvalued.clone())
    });
    each.collect()
}

fn betas(looked: &[ItemLooked]) -> Vec<BookBeta> {
    let mut out: Vec<BookBeta> = Vec::new();
    for l in looked {
        if out.iter().any(|b| b.symbol == l.item.symbol) {
            continue;
        }
        let e = l.beta.estimated;
        out.push(BookBeta {
            symbol: l.item.symbol.clone(),
            used: l.beta.used,
            source: match l.beta.source {
                BetaSource::Own => "own",
                BetaSource::Market => "market",
                BetaSource::Estimated => "estimated",
            },
            market: l.beta.market,
            estimated: e.map(|e| e.beta),
            error: e.map(|e| e.error),
            r_squared: e.map(|e| e.r_squared),
            pairs: e.map(|e| e.pairs),
        });
    }
    out
}

/// What the lists of a request come to, as the engine wants it.
fn wanted(request: &BookRequest, last: Option<f64>) -> Result<LookWanted, Refusal> {
    ascending("moves", &request.moves, MOST_MOVES)?;
    for m in &request.moves {
        within("moves", *m, (-100.0, 200.0), " %")?;
    }
    within("days", request.days, (0.0, 1_100.0), " days")?;
    ascending("lines", &request.lines, MOST_LINES)?;
    for d in &request.lines {
        within("lines", *d, (0.0, 1_100.0), " days")?;
    }
    let mut out = LookWanted {
        moves: request.moves.iter().map(|m| m / 100.0).collect(),
        days: request.days,
        ..LookWanted::default()
    };
    if let Some(span) = &request.span {
        let reach = within("span", span.reach, (1.0, 60.0), " %")? / 100.0;
        let days = match span.days {
            Some(days) => within("span", days, (1.0, 1_100.0), " days")?,
            None => last.unwrap_or(30.0).clamp(1.0, 60.0),
        };
        if !request.lines.is_empty() {
            out.along = evenly(-reach, reach, ALONG);
            out.lines = request.lines.clone();
            // The last end has its line where none is near it.
            let near = |end: f64| out.lines.iter().any(|d| (d - end).abs() < 1.0);
            if let Some(end) = last.filter(|end| !near(*end)) {
                out.lines.push(end);
                out.lines.sort_by(f64::total_cmp);
            }
        }
        if request.map {
            out.across = evenly(-reach, reach, ACROSS);
            out.ahead = evenly(0.0, days, AHEAD);
        }
    }
    Ok(out)
}

/// The price of an index.
pub(crate) fn price_of(state: &DeskState, index: &str) -> f64 {
    engine::state::spot_of(state, index).to_f64()
}

fn look(
    state: &DeskState,
    quoter: &mut Quoter,
    desk: &BookDesk,
    request: &BookRequest,
) -> Result<BookLooked, Refusal> {
    let kept = desk.at(request.at.as_deref());
    // A clock that stands still keeps its moment while orders change the account: now is newer.
    let kept = kept.filter(|k| k.clock.now != state.clock.now);
    let state = kept.as_ref().unwrap_or(state);
    let lens = request.look.lens(state)?;
    let chosen = request.look.chosen(state)?;
    let at = state.clock.now;
    let index = price_of(state, &lens.index);
    let all = items(state, quoter, &chosen);
    let last = all.iter().filter(|i| i.on).filter_map(|i| i.last).max();
    let last = last.map(|end| (end.millis() - at.millis()) as f64 / 86_400_000.0);
    let wanted = wanted(request, last)?;
    let looked = worked(state, quoter, &desk.memo, all, (&lens, index), &wanted);
    let on: Vec<&ItemLooked> = looked.iter().filter(|l| l.item.on).collect();
    let value = account_value(state, quoter);
    let mut total = BookSums::default();
    let n = wanted.moves.len();
    let (mut profits, mut leans) = (vec![0.0; n], vec![0.0; n]);
    let mut lines = vec![vec![0.0; wanted.along.len()]; wanted.lines.len()];
    let mut map = vec![vec![0.0; wanted.across.len()]; wanted.ahead.len()];
    for l in &on {
        total.add(&BookSums::of(l, index));
        add_all(&mut profits, &l.worked.moves);
        add_all(&mut leans, &l.worked.leans);
        for (sum, more) in lines.iter_mut().zip(&l.worked.lines) {
            add_all(sum, more);
        }
        for (sum, more) in map.iter_mut().zip(&l.worked.map) {
            add_all(sum, more);
        }
    }
    let of = value.to_f64();
    let table = (0..n).map(|i| BookMove {
        percent: request.moves[i],
        price: (index * (1.0 + wanted.moves[i])).max(0.0),
        profit: profits[i],
        of_account: (of > 0.0).then(|| 100.0 * profits[i] / of),
        lean: leans[i],
    });
    let percents = |all: &[f64]| all.iter().map(|x| 100.0 * x).collect();
    let drawn = request.span.is_some().then(|| BookDrawn {
        along: percents(&wanted.along),
        lines: wanted
            .lines
            .iter()
            .zip(lines)
            .map(|(days, profits)| BookLine {
                days: *days,
                profits,
            })
            .collect(),
        across: percents(&wanted.across),
        ahead: wanted.ahead.clone(),
        map,
    });
    let answer = BookLooked {
        at: moment(at),
        price: index,
        volatility: engine::sight::vol30(&state.world, &lens.index, at),
        past_answer: past_answer(&state.world, at),
        value: money(value),
        table: table.collect(),
        divisions: divisions(&on, (index, n), value),
        items: looked.iter().map(|l| item_wire(l, index, value)).collect(),
        total,
        drawn,
        betas: betas(&looked),
        last_days: last,
        missing: missing(&looked),
        index: lens.index,
    };
    if kept.is_none() {
        desk.pin(state);
    }
    Ok(answer)
}

/// The whole book in the terms of one index, under its moves, with what is only being considered.
#[utoipa::path(
    post,
    path = "/balance/book",
    tag = "account",
    request_body = BookRequest,
    responses(
        (status = 200, body = BookLooked),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn book_looked(
    State(app): State<AppState>,
    Body(request): Body<BookRequest>,
) -> Result<Json<BookLooked>, Problem> {
    let desk = app.book.clone();
    Ok(Json(
        app.read(move |state, quoter| look(state, quoter, &desk, &request))
            .await??,
    ))
}

/// What is asked of the margin.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct MarginsRequest {
    /// What is looked at, and through what.
    look: LookWire,
    /// Moves in percent, ascending.
    moves: Vec<f64>,
}

/// Margin after one move.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct MarginAfter {
    /// The move of the index, in percent.
    percent: f64,
    /// Margin that would be held after it, in money.
    margin: String,
    /// Buying power that would be left, in money.
    buying_power: String,
}

/// Margin after moves.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct MarginsWire {
    /// The moment of the figures, with its offset.
    at: String,
    /// Move by move.
    rows: Vec<MarginAfter>,
}

/// Margin and buying power after moves of the index: what is considered is entered at its middle, and
/// what is left out closed at it.
#[utoipa::path(
    post,
    path = "/balance/margins",
    tag = "account",
    request_body = MarginsRequest,
    responses(
        (status = 200, body = MarginsWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn book_margins(
    State(app): State<AppState>,
    Body(request): Body<MarginsRequest>,
) -> Result<Json<MarginsWire>, Problem> {
    let desk = app.book.clone();
    let answer = app.read(move |state, quoter| {
        let lens = request.look.lens(state)?;
        let chosen = request.look.chosen(state)?;
        ascending("moves", &request.moves, MOST_MOVES)?;
        for m in &request.moves {
            within("moves", *m, (-100.0, 200.0), " %")?;
        }
        let index = price_of(state, &lens.index);
        let all = items(state, quoter, &chosen);
        let none = LookWanted::default();
        let looked = worked(state, quoter, &desk.memo, all, (&lens, index), &none);
        let apart = |l: &ItemLooked| lens.apart(&l.item.symbol, l.item.sector.as_deref());
        let moves: Vec<f64> = request.moves.iter().map(|m| m / 100.0).collect();
        let after = margins(state, &looked, apart, &moves);
        let rows = request.moves.iter().zip(after).map(|(m, a)| MarginAfter {
            percent: *m,
            margin: money(a.margin),
            buying_power: money(a.buying_power),
        });
        Ok::<_, Refusal>(MarginsWire {
            at: moment(state.clock.now),
            rows: rows.collect(),
        })
    });
    Ok(Json(answer.await??))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(book_looked))
        .routes(routes!(book_margins))
}
