//! The feed of a market of one's own: how fresh what is seen is, and what is not known.

use axum::Json;
use axum::extract::State;
use engine::State as DeskState;
use market::Recorded;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::follow::{Feeding, Standing};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};
use crate::interchange::folder::Wrong;

/// Most wrong rows that are told.
const TOLD: usize = 40;
/// Sessions of a past year.
const YEAR: usize = 252;

/// One symbol of the feed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct FedSymbol {
    /// The symbol whose quotes are fed.
    symbol: String,
    /// The moment of its quotes; absent before the first.
    at: Option<String>,
    /// How long they have stood, in seconds of the exchange's time.
    age: Option<i64>,
    /// How long ago they came, in seconds of the clock on the wall; absent where they have not since the
    /// program began.
    came: Option<f64>,
    /// Why nothing is filled against them; absent while they are relied on.
    waits: Option<String>,
    /// Sessions of the past year of which quotes are recorded.
    sessions: usize,
    /// What is not known of it and matters.
    lacks: Vec<String>,
}

/// How a market of one's own stands.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct FeedWire {
    /// The clock follows what comes; a rehearsal does not.
    follows: bool,
    /// Nothing has come for longer than quotes stay fresh.
    silent: bool,
    /// How long nothing has come, in seconds of the clock on the wall; absent in a rehearsal.
    silence: Option<f64>,
    /// Something has come since the program began.
    heard: bool,
    /// Quotes are stale after so many seconds.
    stale_after: i64,
    /// The folder; absent in a rehearsal.
    folder: Option<String>,
    /// Each symbol of the market, with the age of its quotes.
    symbols: Vec<FedSymbol>,
    /// What was wrong in its files when it was opened and has been passed over, each with file and line.
    wrong: Vec<String>,
    /// So many more were wrong.
    wrong_more: usize,
    /// Rules of mine that wait for fresh quotes.
    rules_wait: usize,
}

/// A change of the feed.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct FeedRequest {
    /// Quotes are stale after so many seconds, 1 to 86,400.
    stale_after: i64,
}

fn fed(state: &DeskState, r: &Recorded, standing: Option<&Standing>) -> FedSymbol {
    let (world, now) = (&state.world, state.clock.now);
    let symbol = &r.underlying.symbol;
    let seen = r.tape.standing(now);
    let came = standing.and_then(|s| s.came.get(symbol));
    let sessions = world.recorded_sessions(symbol, now, YEAR);
    let mut lacks = Vec::new();
    if !world.knows_rates() {
        lacks.push("no rates.csv: interest of 3.9 to 3.4 % a year is taken".to_owned());
    }
    if world.lacks_dividends(symbol) {
        lacks.push("no dividends known: calls near an ex-date may be misjudged".to_owned());
    }
    let closes = world.closes(symbol, now, YEAR).map_or(0, |c| c.len());
    if closes < 31 {
        lacks.push(format!("{closes} daily bars: what was realised needs 31"));
    }
    if !world.knows_beta(symbol, now) {
        lacks.push(format!(
            "too few common bars with {} for a beta: 1 is taken",
            world.index()
        ));
    }
    if sessions < YEAR {
        let word = if sessions == 1 { "session" } else { "sessions" };
        lacks.push(format!(
            "rank and percentile look at {sessions} recorded {word}, not a year's {YEAR}"
        ));
    }
    FedSymbol {
        symbol: symbol.clone(),
        at: seen.map(|(at, _)| at.to_string()),
        age: world.age(symbol, now).map(|age| age / 1_000),
        came: came.map(|at| at.elapsed().as_secs_f64()),
        waits: state.waits(symbol).map(|why| why.words()),
        sessions,
        lacks,
    }
}

fn feed(state: &DeskState, feeding: Option<&Feeding>) -> Result<FeedWire, Refusal> {
    if !state.world.is_own() {
        return Err(Refusal::Field {
            field: "feed",
            message: "this market is the stand-in; `serve --market FOLDER` opens one of your own"
                .into(),
        });
    }
    let standing = feeding.map(Feeding::standing);
    let wrong = feeding.map_or(&[][..], |f| &f.market.wrong);
    // The folder is named beside it.
    let in_folder = |w: &Wrong| {
        let folder = feeding.map(|f| f.market.folder.as_path());
        let file = folder.and_then(|f| w.file.strip_prefix(f).ok());
        format!("{}: {}", file.unwrap_or(&w.file).display(), w.what)
    };
    let all = state.world.recordings();
    let waiting = engine::judging::waiting(state);
    Ok(FeedWire {
        follows: state.follows,
        silent: state.silent,
        silence: feeding.map(|f| f.silence().as_secs_f64()),
        heard: feeding.is_some_and(Feeding::heard),
        stale_after: state.stale_after / 1_000,
        folder: feeding.map(|f| f.market.folder.display().to_string()),
        symbols: all.map(|r| fed(state, r, standing.as_ref())).collect(),
        wrong: wrong.iter().take(TOLD).map(in_folder).collect(),
        wrong_more: wrong.len().saturating_sub(TOLD),
        rules_wait: waiting,
    })
}

/// How the market stands, where it is one's own.
#[utoipa::path(get, path = "/feed", tag = "clock",
    responses((status = 200, body = FeedWire), (status = 422, body = Problem)))]
async fn read_feed(State(app): State<AppState>) -> Result<Json<FeedWire>, Problem> {
    Ok(Json(feed(&app.desk.snapshot(), app.feeding.as_deref())?))
}

/// Sets when quotes are stale.
#[utoipa::path(post, path = "/feed", tag = "clock", request_body = FeedRequest,
    responses((status = 200, body = FeedWire), (status = 422, body = Problem)))]
async fn change_feed(
    State(app): State<AppState>,
    Body(request): Body<FeedRequest>,
) -> Result<Json<FeedWire>, Problem> {
    let millis = request.stale_after.saturating_mul(1_000);
    app.command(move |desk| desk.set_stale_after(millis))
        .await?;
    Ok(Json(feed(&app.desk.snapshot(), app.feeding.as_deref())?))
}

/// Routes of this file.
pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(read_feed, change_feed))
}
