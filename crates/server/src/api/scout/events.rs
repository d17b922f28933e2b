//! Scheduled news of an underlying: what is priced, what past ones were priced at and what came, and
//! what a structure would have made around them.

use axum::Json;
use axum::extract::State;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::IntoResponse;
use desk::rules::sessions_to;
use desk::{Money, recognise};
use engine::state::State as DeskState;
use market::{Quoter, UnderlyingAt};
use serde::{Deserialize, Serialize};
use studies::scouting::{
    After, Distance, Looks, MovePriced, PastNews, Replayed, move_priced, next_news, past_moves,
    past_news, priced_against_real, replayed, seen_now,
};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::{LegWire, holding, legs_wire, moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem, Query};
use crate::interchange::statement::csv_of;

/// From when to when news is looked at.
#[derive(Debug, Clone, Copy, Default, Deserialize, IntoParams, ToSchema)]
#[serde(deny_unknown_fields)]
struct LooksWire {
    /// Sessions before the last close ahead of it, 0 to 60.
    #[serde(default)]
    before: usize,
    /// Sessions after the one that knows it, to its close, 0 to 60; absent: to its opening.
    #[serde(default)]
    after: Option<usize>,
}

const MOST_SESSIONS: usize = 60;

impl LooksWire {
    fn read(self) -> Result<Looks, Refusal> {
        let ends = [("before", self.before), ("after", self.after.unwrap_or(0))];
        for (field, n) in ends {
            if n > MOST_SESSIONS {
                return Err(Refusal::Field {
                    field,
                    message: format!("{n} sessions; write 0 to {MOST_SESSIONS}"),
                });
            }
        }
        Ok(Looks {
            before: self.before,
            after: self.after.map_or(After::Open, After::Close),
        })
    }
}

/// A move that is priced, and how it was taken out.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct MovePricedWire {
    /// One deviation of the logarithm of the price.
    deviation: f64,
    /// Mean size of the move.
    mean_move: f64,
    /// Volatility a year without it.
    base_vol: f64,
    /// Date of the nearer expiration (ISO).
    near: String,
    /// Its volatility at the forward.
    near_vol: f64,
    /// Date of the later.
    far: String,
    /// Volatility a year of the later expiration, as a fraction.
    far_vol: f64,
    /// Both contain the news: what lies between them is the base; otherwise the nearer is.
    both: bool,
}

fn priced_wire(p: &MovePriced) -> MovePricedWire {
    MovePricedWire {
        deviation: p.of.deviation,
        mean_move: p.of.mean_move,
        base_vol: p.of.base_vol,
        near: p.near.0.to_string(),
        near_vol: p.near.1,
        far: p.far.0.to_string(),
        far_vol: p.far.1,
        both: p.both,
    }
}

/// The next news.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct NextNews {
    /// The day of the news, as 2031-03-20.
    date: String,
    /// In plain words.
    what: String,
    /// Sessions to it.
    sessions: i64,
    /// The opening at which its outcome is known.
    known: String,
    /// The move that is priced; absent where the expirations do not tell it.
    priced: Option<MovePricedWire>,
    /// Mean size of past moves from the close before to the opening after, a fraction; absent without any.
    past_mean: Option<f64>,
    /// Its standard error; absent of fewer than two.
    past_error: Option<f64>,
    /// How many those were.
    past_count: usize,
    /// The priced mean move over the past mean.
    premium: Option<f64>,
    /// The error that the past mean's brings it.
    premium_error: Option<f64>,
}

/// Volatility of an expiration around past news.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct VolAroundWire {
    /// The day of the news, as 2031-03-20.
    date: String,
    /// At the look before.
    before: f64,
    /// At the look after; absent where it has ended.
    after: Option<f64>,
    /// It ends behind the news.
    contains: bool,
}

/// One past news.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct PastNewsWire {
    /// The day of the news, as 2031-03-20.
    date: String,
    /// In plain words.
    what: String,
    /// The look before.
    before: String,
    /// The look after.
    after: String,
    /// The last price before the news.
    price_before: f64,
    /// The price by which the move is measured.
    price_after: f64,
    /// Its move, a fraction.
    moved: f64,
    /// What was priced; absent where the expirations did not tell it.
    priced: Option<MovePricedWire>,
    /// One deviation that was priced from look to look.
    deviation: Option<f64>,
    /// Part of the priced law below the move, 0 to 1.
    place: Option<f64>,
    /// It moved more than one deviation.
    outside: Option<bool>,
    /// Volatilities by expiration.
    vols: Vec<VolAroundWire>,
}

fn past_wire(p: &PastNews) -> PastNewsWire {
    PastNewsWire {
        date: p.news.date.to_string(),
        what: p.news.what.clone(),
        before: moment(p.before),
        after: moment(p.after),
        price_before: p.price_before.to_f64(),
        price_after: p.price_after.to_f64(),
        moved: p.moved,
        priced: p.priced.as_ref().map(priced_wire),
        deviation: p.deviation,
        place: p.place,
        outside: p.outside(),
        vols: p
            .vols
            .iter()
            .map(|v| VolAroundWire {
                date: v.date.to_string(),
                before: v.before,
                after: v.after,
                contains: v.contains,
            })
            .collect(),
    }
}

/// News of an underlying.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct NewsView {
    /// The moment of the figures, with its offset.
    at: String,
    /// Price of now.
    spot: f64,
    /// The next; absent where none is announced.
    next: Option<NextNews>,
    /// Past ones of its kind, the newest first.
    past: Vec<PastNewsWire>,
    /// How many of them had a price.
    count: usize,
    /// How many moved more than one deviation.
    outside: usize,
    /// Mean of the squares of the moves in deviations: 1 where they came as they were priced; absent where
    /// none had a price.
    squares: Option<f64>,
    /// Its standard error.
    squares_error: Option<f64>,
}

fn next_wire(seen: &UnderlyingAt<'_>) -> Option<NextNews> {
    let next = next_news(seen)?;
    let past = past_moves(seen, next.kind);
    let priced = move_priced(seen, next.known);
    let premium = priced.and_then(|p| past.ratio(p.of.mean_move));
    Some(NextNews {
        date: next.date.to_string(),
        sessions: sessions_to(seen.at.date(), next.date),
        known: moment(next.known),
        priced: priced.as_ref().map(priced_wire),
        past_mean: (past.count > 0).then_some(past.mean),
        past_error: past.error,
        past_count: past.count,
        premium: premium.map(|p| p.0),
        premium_error: premium.and_then(|p| p.1),
        what: next.what,
    })
}

fn news(state: &DeskState, symbol: &str, looks: Looks) -> Result<NewsView, Refusal> {
    let seen = seen_now(state, symbol)?;
    let past = past_news(&seen, looks);
    let sums = priced_against_real(&past);
    Ok(NewsView {
        at: moment(seen.at),
        spot: state
            .world
            .spot(symbol, seen.at)
            .map_or(0.0, desk::Price::to_f64),
        next: next_wire(&seen),
        past: past.iter().map(past_wire).collect(),
        count: sums.count,
        outside: sums.outside,
        squares: (sums.count > 0).then_some(sums.squares),
        squares_error: sums.error,
    })
}

/// The next news of an underlying with what is priced for it, and past ones with what was.
#[utoipa::path(
    get,
    path = "/scout/news/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), LooksWire),
    responses(
        (status = 200, body = NewsView),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn scout_news(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(looks): Query<LooksWire>,
) -> Result<Json<NewsView>, Problem> {
    let looks = looks.read()?;
    Ok(Json(
        app.read(move |state, _| news(state, &symbol, looks))
            .await??,
    ))
}

const COLUMNS: [&str; 15] = [
    "date",
    "what",
    "before",
    "after",
    "price_before",
    "price_after",
    "move",
    "deviation",
    "place",
    "event_sd",
    "mean_move",
    "base_vol",
    "near_vol",
    "far_vol",
    "vols",
];

fn cells(p: PastNewsWire) -> Vec<String> {
    let text = |x: Option<f64>| x.map_or_else(String::new, |x| x.to_string());
    let of = |f: fn(&MovePricedWire) -> f64| text(p.priced.as_ref().map(f));
    vec![
        p.date.clone(),
        p.what.clone(),
        p.before.clone(),
        p.after.clone(),
        p.price_before.to_string(),
        p.price_after.to_string(),
        p.moved.to_string(),
        text(p.deviation),
        text(p.place),
        of(|m| m.deviation),
        of(|m| m.mean_move),
        of(|m| m.base_vol),
        of(|m| m.near_vol),
        of(|m| m.far_vol),
        // "2030-12-20 0.551>0.402; 2030-12-27 …": by expiration, before and after; nothing behind where it has
        // ended.
        p.vols
            .iter()
            .map(|v| format!("{} {}>{}", v.date, v.before, text(v.after)))
            .collect::<Vec<_>>()
            .join("; "),
    ]
}

/// The figures behind past news as CSV.
#[utoipa::path(
    get,
    path = "/scout/news/{symbol}/csv",
    tag = "chain",
    params(("symbol" = String, Path), LooksWire),
    responses(
        (status = 200, content_type = "text/csv", body = String),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn scout_news_csv(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(looks): Query<LooksWire>,
) -> Result<impl IntoResponse, Problem> {
    let looks = looks.read()?;
    let view = app
        .read(move |state, _| news(state, &symbol, looks))
        .await??;
    Ok((
        [
            (CONTENT_TYPE, "text/csv; charset=utf-8"),
            (CONTENT_DISPOSITION, "attachment; filename=\"news.csv\""),
        ],
        csv_of(&COLUMNS, view.past.into_iter().map(cells)),
    ))
}

/// What distances are measured by.
#[derive(Debug, Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum DistanceWord {
    /// The size of delta.
    #[default]
    Delta,
    /// Deviations of its expiration from the forward.
    Deviations,
}

/// What is carried back.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct ReplayRequest {
    /// Legs with full quantities.
    legs: Vec<LegWire>,
    /// When it is entered and left.
    #[serde(default)]
    looks: LooksWire,
    /// What distances are measured by.
    #[serde(default)]
    by: DistanceWord,
}

/// What a structure would have made around one past news.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ReplayRow {
    /// Date of the news.
    date: String,
    /// The moment of entry, with its offset.
    before: String,
    /// The moment of exit, with its offset.
    after: String,
    /// The move of the price, a fraction.
    moved: f64,
    /// What it would have been: "iron condor 205/200 · 175/165"; absent where there was none.
    name: Option<String>,
    /// The legs that stood for it at that time.
    legs: Vec<LegWire>,
    /// Paid at the middle, received below zero.
    paid: Option<String>,
    /// Profit at the middles, after fees.
    middle: Option<String>,
    /// Profit at the far sides, after fees.
    far: Option<String>,
    /// Why there was none.
    none: Option<String>,
}

/// Results taken together.
#[derive(Debug, Serialize, ToSchema)]
struct SumsWire {
    /// The sum of all replays, in money.
    sum: String,
    /// The mean of all replays, in money.
    mean: f64,
    /// The worst of all replays, in money.
    worst: String,
    /// How many were above zero.
    gains: usize,
}

/// Results around all past news.
#[derive(Debug, Serialize, ToSchema)]
struct ReplayView {
    /// The newest first.
    rows: Vec<ReplayRow>,
    /// At the middles; absent where nothing was found.
    middle: Option<SumsWire>,
    /// At the far sides.
    far: Option<SumsWire>,
}

fn sums(of: &[Money]) -> Option<SumsWire> {
    let worst = *of.iter().min()?;
    let sum: Money = of.iter().copied().sum();
    Some(SumsWire {
        sum: money(sum),
        mean: sum.to_f64() / of.len() as f64,
        worst: money(worst),
        gains: of.iter().filter(|m| **m > Money::ZERO).count(),
    })
}

fn replay_row(seen: &UnderlyingAt<'_>, r: Replayed) -> ReplayRow {
    let made = r.made.as_ref().ok();
    ReplayRow {
        date: r.news.news.date.to_string(),
        before: moment(r.news.before),
        after: moment(r.news.after),
        moved: r.news.moved,
        name: made.map(|m| {
            let name = recognise(&m.legs, seen.underlying).text;
            format!("{name} {}", m.legs.strikes_label())
                .trim_end()
                .to_owned()
        }),
        legs: made.map_or_else(Vec::new, |m| legs_wire(&m.legs)),
        paid: made.map(|m| money(m.paid)),
        middle: made.map(|m| money(m.middle)),
        far: made.map(|m| money(m.far)),
        none: r.made.err(),
    }
}

fn replay(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    request: &ReplayRequest,
) -> Result<ReplayView, Refusal> {
    let seen = seen_now(state, symbol)?;
    let legs = holding(&request.legs)?;
    let by = match request.by {
        DistanceWord::Delta => Distance::Delta,
        DistanceWord::Deviations => Distance::Deviations,
    };
    let found = replayed(&seen, quoter, &legs, request.looks.read()?, by);
    let found = found.map_err(|message| Refusal::Field {
        field: "legs",
        message,
    })?;
    let each = |of: fn(&studies::scouting::ReplayMade) -> Money| -> Vec<Money> {
        let made = found.iter().filter_map(|r| r.made.as_ref().ok());
        made.map(of).collect()
    };
    Ok(ReplayView {
        middle: sums(&each(|m| m.middle)),
        far: sums(&each(|m| m.far)),
        rows: found.into_iter().map(|r| replay_row(&seen, r)).collect(),
    })
}

/// What a structure around the next news would have made around past ones: carried back at the same
/// distances, entered and left at looks of one's choice, at the middles and at the far sides.
#[utoipa::path(
    post,
    path = "/scout/news/{symbol}/replay",
    tag = "evaluate",
    params(("symbol" = String, Path)),
    request_body = ReplayRequest,
    responses(
        (status = 200, body = ReplayView),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn scout_replay(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Body(request): Body<ReplayRequest>,
) -> Result<Json<ReplayView>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| replay(state, quoter, &symbol, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(scout_news))
        .routes(routes!(scout_news_csv))
        .routes(routes!(scout_replay))
}
