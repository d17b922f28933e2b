//! The smile of one expiration.

use axum::Json;
use axum::extract::State;
use desk::{Expiration, Kind, Smile, SmileQuote, Underlying};
use engine::state::{State as DeskState, spot_of, underlying_of};
use market::Quoter;
use quant::{Accuracy, Vanilla, implied_vol_all};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::chain::key_of;
use crate::api::wire::words::KindWord;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem, Query};

/// What the out-of-the-money option at one strike implies.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SmilePoint {
    /// Strike as shown.
    pub strike: String,
    /// Strike as a number, for placing it on the price axis.
    pub at: f64,
    /// A call or a put.
    pub side: KindWord,
    /// Volatility at the bid, as a fraction; absent where the bid implies none.
    pub bid: Option<f64>,
    /// At the middle.
    pub middle: f64,
    /// At the ask.
    pub ask: f64,
    /// Of the fitted line; absent where too few strikes are quoted.
    pub fitted: Option<f64>,
}

/// The volatilities of one expiration, with the line through them.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SmileView {
    /// Key of the expiration.
    pub key: String,
    /// Forward price of the underlying.
    pub forward: f64,
    /// Points, strikes from low to high.
    pub points: Vec<SmilePoint>,
}

/// The expiration of a key.
pub fn expiration_of(state: &DeskState, symbol: &str, key: &str) -> Result<Expiration, Refusal> {
    let u = underlying_of(state, symbol)?;
    let all = state
        .world
        .expirations(symbol, state.clock.now)
        .unwrap_or_default();
    let found = all.into_iter().find(|e| key_of(u.root_for(e), e) == key);
    found.ok_or_else(|| Refusal::Field {
        field: "expiration",
        message: format!("{key:?} is not listed on {symbol}"),
    })
}

struct Quoted {
    quotes: Vec<(desk::Contract, SmileQuote)>,
    forward: f64,
    years: f64,
}

/// Implied volatilities of bid, middle and ask of what is out of the money, strikes ascending;
/// strikes without a bid, or whose middle implies nothing, are left out.
fn quoted(state: &DeskState, quoter: &mut Quoter, u: &Underlying, e: &Expiration) -> Quoted {
    let at = state.clock.now;
    let spot = spot_of(state, &u.symbol);
    let years = at.years_until(e.moment()).max(1.0 / 525_600.0);
    let rate = state.world.rate(state.clock.now, years);
    let carry_yield = state
        .world
        .carry(&u.symbol, at)
        .map_or(0.0, |c| c.yield_until(at, e.moment(), rate, spot.to_f64()));
    let forward = spot.to_f64() * ((rate - carry_yield) * years).exp();
    let outside = |c: &desk::Contract| (c.kind == Kind::Call) == (c.strike.to_f64() >= forward);
    let listed: Vec<_> = quoter
        .chain(&state.world, u, e, at)
        .into_iter()
        .filter(|(c, l)| outside(c) && l.quote.bid.raw() > 0)
        .collect();
    let on = u.priced_on();
    let rows: Vec<(Vanilla, f64)> = listed
        .iter()
        .flat_map(|(c, l)| {
            let terms = desk::terms_of(c, u, at, (rate, carry_yield), 0.3);
            [l.quote.bid, l.quote.mid(), l.quote.ask].map(|p| {
                (
                    Vanilla {
                        terms,
                        spot: spot.to_f64(),
                        on,
                    },
                    p.to_f64(),
                )
            })
        })
        .collect();
    let vols = implied_vol_all(&rows, Accuracy::Interactive);
    let (threes, _) = vols.as_chunks::<3>();
    let quote = |((c, _), [bid, middle, ask]): (
        (desk::Contract, market::Listed),
        &[Result<f64, quant::ImpliedError>; 3],
    )| {
        let (middle, ask) = (middle.as_ref().ok().copied()?, ask.as_ref().ok().copied()?);
        Some((
            c.clone(),
            SmileQuote {
                strike: c.strike.to_f64(),
                bid: bid.as_ref().ok().copied(),
                middle,
                ask,
            },
        ))
    };
    let mut quotes: Vec<(desk::Contract, SmileQuote)> =
        listed.into_iter().zip(threes).filter_map(quote).collect();
    quotes.sort_by(|a, b| a.1.strike.total_cmp(&b.1.strike));
    Quoted {
        quotes,
        forward,
        years,
    }
}

/// The line through the smile of an expiration, where enough is quoted.
pub(crate) fn line(
    state: &DeskState,
    quoter: &mut Quoter,
    u: &Underlying,
    e: &Expiration,
) -> Option<Smile> {
    let q = quoted(state, quoter, u, e);
    Smile::fit(
        &q.quotes.iter().map(|(_, quote)| *quote).collect::<Vec<_>>(),
        q.forward,
        q.years,
    )
    .ok()
}

/// The smile as it is drawn.
pub(crate) fn view(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    key: &str,
) -> Result<SmileView, Refusal> {
    let (u, e) = (
        underlying_of(state, symbol)?,
        expiration_of(state, symbol, key)?,
    );
    let q = quoted(state, quoter, u, &e);
    let line = Smile::fit(
        &q.quotes.iter().map(|(_, quote)| *quote).collect::<Vec<_>>(),
        q.forward,
        q.years,
    )
    .ok();
    let point = |(c, quote): &(desk::Contract, SmileQuote)| SmilePoint {
        strike: desk::strike_label(c.strike),
        at: quote.strike,
        side: c.kind.into(),
        bid: quote.bid,
        middle: quote.middle,
        ask: quote.ask,
        fitted: line.as_ref().map(|l| l.vol(quote.strike)),
    };
    Ok(SmileView {
        key: key.to_owned(),
        forward: q.forward,
        points: q.quotes.iter().map(point).collect(),
    })
}

/// Of which expiration.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct SmileQuery {
    /// The key of the expiration, as its mark gives it.
    expiration: String,
}

/// What bid, middle and ask of each strike imply, and the line through them.
#[utoipa::path(
    get,
    path = "/smile/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), SmileQuery),
    responses(
        (status = 200, body = SmileView),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn smile(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(query): Query<SmileQuery>,
) -> Result<Json<SmileView>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| view(state, quoter, &symbol, &query.expiration))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(smile))
}
