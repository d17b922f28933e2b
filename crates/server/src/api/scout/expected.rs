//! What the market says of an expectation, and what a search over all looks at.

use axum::Json;
use axum::extract::State;
use desk::UnderlyingKind;
use engine::state::State as DeskState;
use serde::{Deserialize, Serialize};
use studies::scouting::{Expected, expected, searched, seen_now};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::chain::{EventMark, event_mark};
use crate::api::scout::asked::ExpectationWire;
use crate::api::wire::{date, moment};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem, Query};

pub(super) fn refused(e: &studies::scouting::SearchError) -> Refusal {
    Refusal::Field {
        field: "expectation",
        message: e.to_string(),
    }
}

/// What the market says of an expectation.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ExpectedWire {
    /// The moment of the figures, with its offset.
    at: String,
    /// Price of now.
    spot: f64,
    /// The moment that is looked at.
    by: String,
    /// The date by which it is expected, as 2031-04-18.
    date: String,
    /// Calendar days to it.
    days: i64,
    /// Units that one option stands for, where they can be bought; absent of an index.
    lot: Option<i64>,
    /// Price carried there.
    forward: f64,
    /// One deviation of the logarithm of the price.
    deviation: f64,
    /// Lower end in prices; absent where open.
    low: Option<f64>,
    /// The upper end of the region; absent where it has none.
    high: Option<f64>,
    /// The same in deviations from the price of now.
    low_deviations: Option<f64>,
    /// The upper end in deviations from the forward.
    high_deviations: Option<f64>,
    /// The market's chance that it ends there.
    market: f64,
    /// One's own chance of it, from 0 to 1.
    sure: f64,
    /// What the market's density is multiplied by inside.
    inside: Option<f64>,
    /// The chance that is left for all other prices.
    elsewhere: Option<f64>,
    /// Prices of the laws.
    prices: Vec<f64>,
    /// The market's density there, a unit of price.
    density: Vec<f64>,
    /// One's own density at each of the prices.
    own_density: Vec<f64>,
    /// Events until then.
    events: Vec<EventMark>,
    /// Dates on which options end, up to two years ahead (ISO).
    dates: Vec<String>,
}

/// Prices at which the laws are drawn.
const DRAWN: usize = 120;

fn expected_wire(state: &DeskState, e: &Expected<'_>) -> ExpectedWire {
    let g = &e.ground;
    let u = g.seen().underlying;
    let spot = g.spot.to_f64();
    let (low, high) = e.region;
    let deviations = |price: f64| (price / spot).ln() / g.deviation();
    let some = |x: f64| (x > 0.0 && x.is_finite()).then_some(x);
    let edge = |i: usize| {
        g.carried.forward * ((6.0 * i as f64 / DRAWN as f64 - 3.0) * g.deviation()).exp()
    };
    // Densities are means over small steps, whose ends lie on the edges of the region too.
    let mut edges: Vec<f64> = (0..=DRAWN).map(edge).collect();
    let (first, last) = (edges[0], edges[DRAWN]);
    edges.extend([low, high].into_iter().filter(|x| *x > first && *x < last));
    edges.sort_by(f64::total_cmp);
    edges.dedup();
    let laws: Vec<_> = edges.iter().map(|p| e.laws.upto(*p)).collect();
    let (mut prices, mut density, mut own_density) = (Vec::new(), Vec::new(), Vec::new());
    for (p, l) in edges.windows(2).zip(laws.windows(2)) {
        let width = p[1] - p[0];
        prices.push(f64::midpoint(p[0], p[1]));
        density.push((l[1].market - l[0].market) / width);
        own_density.push((l[1].own - l[0].own) / width);
    }
    let at = state.clock.now;
    let events = state.world.events(g.seen().symbol(), at, g.days());
    let expirations = g.seen().expirations();
    let mut dates: Vec<String> = expirations.iter().map(|x| x.date.to_string()).collect();
    dates.dedup();
    ExpectedWire {
        at: moment(at),
        spot,
        by: moment(g.by),
        date: g.by.date().to_string(),
        days: g.days(),
        lot: (u.kind != UnderlyingKind::Index).then_some(u.multiplier),
        forward: g.carried.forward,
        deviation: g.deviation(),
        low: some(low),
        high: some(high),
        low_deviations: some(low).map(deviations),
        high_deviations: some(high).map(deviations),
        market: e.market,
        sure: e.sure,
        inside: (e.market > 0.0).then(|| e.sure / e.market),
        elsewhere: (e.market < 1.0).then(|| (1.0 - e.sure) / (1.0 - e.market)),
        prices,
        density,
        own_density,
        events: events.into_iter().map(|v| event_mark(v, at)).collect(),
        dates,
    }
}

/// What the market says of an expectation: its chance, both laws, what lies between.
#[utoipa::path(
    post,
    path = "/scout/expected/{symbol}",
    tag = "evaluate",
    params(("symbol" = String, Path)),
    request_body = ExpectationWire,
    responses(
        (status = 200, body = ExpectedWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn scout_expected(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Body(request): Body<ExpectationWire>,
) -> Result<Json<ExpectedWire>, Problem> {
    let asked = request.read()?;
    let answer = app
        .read(move |state, _| {
            let e = expected(seen_now(state, &symbol)?, &asked).map_err(|e| refused(&e))?;
            Ok::<_, Refusal>(expected_wire(state, &e))
        })
        .await??;
    Ok(Json(answer))
}

/// Which symbols are asked about, and by which date.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct SymbolsQuery {
    /// A date (ISO).
    by: String,
}

/// Every underlying that a search over all looks at: those with options that last to a date; of a
/// future its first such month.
#[utoipa::path(
    get,
    path = "/scout/symbols",
    tag = "chain",
    params(SymbolsQuery),
    responses((status = 200, body = Vec<String>), (status = 422, body = Problem)),
)]
async fn scout_symbols(
    State(app): State<AppState>,
    Query(query): Query<SymbolsQuery>,
) -> Result<Json<Vec<String>>, Problem> {
    let by = date("by", &query.by)?;
    Ok(Json(searched(&app.desk.snapshot(), by)))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(scout_expected))
        .routes(routes!(scout_symbols))
}
