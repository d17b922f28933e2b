//! The search: its rows come as they are found, and it ends when nobody listens.

use std::time::{Duration, Instant};

use axum::extract::State;
use axum::response::IntoResponse;
use desk::{CheckCode, EventKind, Verdict, recognise};
use engine::state::{State as DeskState, underlying_of};
use jiff::civil::Date;
use market::Quoter;
use plans::scout::ScoutLimit;
use serde::Serialize;
use studies::scouting::{
    FoundRow, SearchAsked, SearchFound, SearchProgress, expected, held_units, judged, most_of_each,
    proposal_of, search, seen_now,
};
use tokio::sync::mpsc;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::scout::asked::{FamilyWord, SearchRequest};
use crate::api::scout::expected::refused;
use crate::api::streamed::{WAITING, events, in_background};
use crate::api::wire::{LegWire, NetPrice, legs_wire, moment, money, net_price};
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// A candidate, for one package in money; the figures are those of `pikebell scout`.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct CandidateWire {
    /// The symbol of the underlying.
    symbol: String,
    /// The family that it was built as.
    family: FamilyWord,
    /// What the structure is called, as "iron condor".
    name: String,
    /// "205/200 · 175/165".
    strikes: String,
    /// Dates its options end on, ascending (ISO).
    expiries: Vec<String>,
    /// Legs of one package.
    legs: Vec<LegWire>,
    /// Net price of one package.
    price: NetPrice,
    /// The same as money, paid above zero, before fees.
    net: String,
    /// The most at the date; absent where unlimited.
    max_profit: Option<f64>,
    /// The most that can be lost there, above zero; absent where unlimited.
    max_loss: Option<f64>,
    /// Break-evens there, ascending.
    break_evens: Vec<f64>,
    /// Chance of profit by the market's law.
    market_chance: f64,
    /// Mean profit by it.
    market_expected: f64,
    /// Chance of profit by one's own.
    own_chance: f64,
    /// Mean profit by it.
    own_expected: f64,
    /// Mean of the worst twentieth by it.
    own_worst5: f64,
    /// Tied up after the entry.
    capital: String,
    /// What it was ranked by; absent where that does not exist for it.
    rank: Option<f64>,
    /// Others that are nearly like it.
    like: usize,
    /// Prices of the curve.
    prices: Vec<f64>,
    /// Profit at the date there.
    profits: Vec<f64>,
    /// What speaks against it, in words; only in the last answer.
    against: Vec<String>,
    /// Packages that my rule about risk allows; absent without one.
    allowed: Option<i64>,
    /// Units held that its options could stand on; 0 where it needs none.
    on_held: i64,
}

/// Why candidates were ruled out.
#[derive(Debug, Clone, Serialize, ToSchema)]
struct RuledOutWire {
    /// Why they were ruled out, in words.
    why: &'static str,
    /// How many were ruled out for it.
    count: usize,
}

/// An underlying that was not looked over.
#[derive(Debug, Clone, Serialize, ToSchema)]
struct LeftOutWire {
    /// The symbol that was left out.
    symbol: String,
    /// Why, in words.
    why: String,
}

/// How far a search is, and the best so far.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct SearchGoing {
    /// Which underlying is looked over.
    symbol: String,
    /// Part of all that is done, 0 to 1.
    part: f64,
    /// How many candidates have been judged so far.
    judged: usize,
    /// The best so far.
    rows: Vec<CandidateWire>,
}

/// The end of a search.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct SearchDone {
    /// The moment of the quotes, with its offset.
    at: String,
    /// The best that were found, the best first.
    rows: Vec<CandidateWire>,
    /// How many candidates were judged.
    judged: usize,
    /// What ruled others out, each counted at the first limit that it breaks.
    ruled_out: Vec<RuledOutWire>,
    /// Longer options without an implied volatility: in no candidate.
    unvalued: usize,
    /// Underlyings that were not looked over.
    left_out: Vec<LeftOutWire>,
    /// So many rows of each underlying at most.
    each: usize,
    /// Milliseconds that it took.
    took: u64,
}

/// One piece of the answer.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(tag = "kind", rename_all = "camelCase")]
enum SearchLine {
    /// How far it is.
    Progress(SearchGoing),
    /// The end of the answer, with what was found.
    Done(SearchDone),
}

fn words(limit: ScoutLimit) -> &'static str {
    match limit {
        ScoutLimit::Legs => "more legs",
        ScoutLimit::Pays => "the other of debit and credit",
        ScoutLimit::OpenInterest => "too few contracts open",
        ScoutLimit::Unlimited => "a loss without limit",
        ScoutLimit::Lean => "leads the book’s lean out of its band",
        ScoutLimit::Level => "above the account’s level",
        ScoutLimit::Capital => "more capital",
        ScoutLimit::MarketWidth => "a wider market",
        ScoutLimit::MaxLoss => "a larger max loss",
        ScoutLimit::Rule => "above my rule about risk",
        ScoutLimit::Chance => "a smaller chance",
    }
}

fn candidate(state: &DeskState, row: FoundRow) -> Option<CandidateWire> {
    let u = state.world.underlying(&row.symbol)?;
    let structure = proposal_of(&row).structure;
    let mut expiries: Vec<String> = structure
        .options()
        .map(|(c, _)| c.expiry.to_string())
        .collect();
    expiries.sort();
    expiries.dedup();
    let needs = structure.underlying_quantity();
    let held = held_units(state, &row.symbol);
    let (pack, m) = (&row.fold.pack, &row.fold.pack.measured);
    Some(CandidateWire {
        family: pack.family.into(),
        name: recognise(&structure, u).text,
        strikes: structure.strikes_label(),
        expiries,
        legs: legs_wire(&structure),
        price: net_price(pack.price, u.style_of_price),
        net: money(pack.net),
        max_profit: m.most,
        max_loss: m.least.map(|l| -l),
        break_evens: m.evens.clone(),
        market_chance: m.market_chance,
        market_expected: m.market_mean,
        own_chance: m.own_chance,
        own_expected: m.own_mean,
        own_worst5: m.own_worst,
        capital: money(pack.capital),
        rank: Some(row.fold.rank).filter(|r| r.is_finite()),
        like: row.fold.like,
        prices: row.fold.curve.iter().map(|(p, _)| *p).collect(),
        profits: row.fold.curve.iter().map(|(_, v)| *v).collect(),
        against: Vec::new(),
        allowed: None,
        on_held: if needs > 0 && held >= needs { held } else { 0 },
        symbol: row.symbol,
    })
}

/// News behind a date that longer options of a structure hold already: on the date they are taken at
/// their volatility of now, which is too kind to what is sold before it or too hard.
fn news_behind(state: &DeskState, row: &FoundRow, by: Date) -> Option<String> {
    let legs = proposal_of(row).structure;
    let last = legs.options().map(|(c, _)| c.expiry).max()?;
    let now = state.clock.now;
    let all = state.world.events(&row.symbol, now, now.days_until(last));
    let behind = |e: &&desk::Event| e.kind == EventKind::News && e.date >= by && e.date < last;
    let news = all.iter().find(behind)?;
    Some(format!(
        "{} on {} comes after the date: longer options are taken at the volatility that they have now, \
         and will have more of it then",
        news.what,
        desk::short_date(news.date)
    ))
}

/// With what the rest of the program says of it.
fn in_full(
    state: &DeskState,
    quoter: &mut Quoter,
    row: FoundRow,
    by: Date,
) -> Option<CandidateWire> {
    let said = judged(state, quoter, &row);
    let behind = news_behind(state, &row, by);
    let mut out = candidate(state, row)?;
    out.against.extend(behind);
    match said {
        Ok(e) => {
            // News inside is worth knowing here, whatever else is only noted.
            let heavy = |c: &&desk::Check| match c.verdict {
                Verdict::Warning | Verdict::Blocking => true,
                Verdict::Note => c.code == CheckCode::Event,
                Verdict::Fine => false,
            };
            let against = e.checks.iter().filter(heavy);
            out.against.extend(against.map(|c| c.text.clone()));
            out.allowed = e.allowed;
        }
        Err(why) => out.against.push(why.to_string()),
    }
    Some(out)
}

/// The best so far is told so often; for the first time sooner.
const EVERY: Duration = Duration::from_millis(150);
const FIRST: Duration = Duration::from_millis(40);

fn searching(
    state: &DeskState,
    quoter: &mut Quoter,
    (symbols, asked): (&[String], &SearchAsked),
    out: &mpsc::Sender<SearchLine>,
) {
    let began = Instant::now();
    let mut told = None;
    let mut watch = |p: &SearchProgress, so_far: &dyn Fn() -> Vec<FoundRow>| {
        let rest = told.map_or(began.elapsed() < FIRST, |t: Instant| t.elapsed() < EVERY);
        if rest || p.judged == 0 {
            return;
        }
        told = Some(Instant::now());
        let part = p.within.done as f64 / p.within.of.max(1) as f64;
        let rows = so_far().into_iter();
        let line = SearchLine::Progress(SearchGoing {
            symbol: p.symbol.clone(),
            part: (p.done as f64 + part) / p.of as f64,
            judged: p.judged,
            rows: rows.filter_map(|r| candidate(state, r)).collect(),
        });
        // Who reads slowly misses some of it.
        let _ = out.try_send(line);
    };
    let found: SearchFound = search(
        state,
        quoter,
        (symbols, asked),
        &|| out.is_closed(),
        &mut watch,
    );
    let rows = found.rows.into_iter();
    let line = SearchLine::Done(SearchDone {
        at: moment(state.clock.now),
        rows: rows
            .filter_map(|r| in_full(state, quoter, r, asked.expectation.by))
            .collect(),
        judged: found.judged,
        ruled_out: found
            .ruled_out
            .iter()
            .map(|(limit, count)| RuledOutWire {
                why: words(*limit),
                count: *count,
            })
            .collect(),
        unvalued: found.unvalued,
        left_out: found
            .left_out
            .into_iter()
            .map(|(symbol, why)| LeftOutWire { symbol, why })
            .collect(),
        each: most_of_each(symbols.len(), asked.rows),
        took: began.elapsed().as_millis() as u64,
    });
    let _ = out.blocking_send(line);
}

/// Looks over every structure of chosen families by what is expected. The answer is a stream of events
/// (HTML Living Standard, 9.2), each a piece as JSON; who closes it stops the search. Nothing is sent.
#[utoipa::path(
    post,
    path = "/scout/search",
    tag = "evaluate",
    request_body = SearchRequest,
    responses(
        (status = 200, content_type = "text/event-stream", body = SearchLine),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn scout_search(
    State(app): State<AppState>,
    Body(request): Body<SearchRequest>,
) -> Result<impl IntoResponse, Problem> {
    let asked = request.read()?;
    let state = app.desk.snapshot();
    for symbol in &request.symbols {
        underlying_of(&state, symbol)?;
    }
    if let [one] = request.symbols.as_slice() {
        expected(seen_now(&state, one)?, &asked.expectation).map_err(|e| refused(&e))?;
    }
    let (send, receive) = mpsc::channel(WAITING);
    let reader = app.clone();
    tokio::spawn(async move {
        let done = reader.read(move |state, quoter| {
            in_background(|| searching(state, quoter, (&request.symbols, &asked), &send));
        });
        // What could not be told has nobody to be told to.
        let _ = done.await;
    });
    Ok(events(receive))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(scout_search))
}
