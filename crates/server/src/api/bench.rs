//! A draft under judgement.

use axum::Json;
use axum::extract::State;
use desk::{Judgement, Price};
use market::Quoter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::money;
use crate::problem::{Body, Problem};
use crate::refusal::Refusal;
use crate::state::{State as DeskState, known};
use crate::trading;
use crate::wire::{GreeksWire, LegWire, greeks, parse_price, structure};

/// What is asked.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct BenchRequest {
    /// Underlying symbol.
    pub symbol: String,
    /// Legs with full quantities.
    pub legs: Vec<LegWire>,
    /// Net price per package; the middle when absent.
    #[serde(default)]
    pub price: Option<String>,
    /// Added to every volatility, in points.
    #[serde(default)]
    pub vol_points: f64,
    /// Dates to look at, in days from now; at most eight.
    pub days: Vec<f64>,
    /// Lowest and highest price to draw; three deviations when absent.
    #[serde(default)]
    pub low: Option<f64>,
    /// Highest price to draw.
    #[serde(default)]
    pub high: Option<f64>,
    /// Lower price of the chances; one deviation below when absent.
    #[serde(default)]
    pub lower: Option<f64>,
    /// Higher price of the chances; one deviation above when absent.
    #[serde(default)]
    pub higher: Option<f64>,
    /// Share of the most that can be made, whose reaching is asked for.
    #[serde(default = "half")]
    pub target: f64,
    /// Whether the map over date and price is wanted.
    #[serde(default)]
    pub map: bool,
}

/// Profit over date and price.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct MapWire {
    /// Days from now, ascending; the last is the first expiration.
    pub days: Vec<f64>,
    /// Prices, ascending.
    pub prices: Vec<f64>,
    /// Profit at each date, at each price.
    pub profit: Vec<Vec<f64>>,
}

fn half() -> f64 {
    0.5
}

/// One date.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct DateLineWire {
    /// When.
    pub at: String,
    /// Days from now.
    pub days: f64,
    /// Profit at each of the prices.
    pub profit: Vec<f64>,
    /// Profit at each price of the grid.
    pub grid: Vec<f64>,
}

/// The answer.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BenchWire {
    /// Price of the underlying.
    pub spot: f64,
    /// Days to the first expiration, with its fraction.
    pub days: f64,
    /// Its date.
    pub expiry: String,
    /// Amounts at it are estimates.
    pub estimate: bool,
    /// Prices at −2, −1, +1, +2 deviations of the first expiration, at the moved volatility.
    pub bands: Vec<f64>,
    /// Break-evens at the first expiration.
    pub evens: Vec<f64>,
    /// Prices, ascending.
    pub prices: Vec<f64>,
    /// Profit at the first expiration.
    pub outline: Vec<f64>,
    /// The dates asked for.
    pub lines: Vec<DateLineWire>,
    /// Prices of the grid.
    pub grid_prices: Vec<f64>,
    /// Profit at the first expiration at them.
    pub grid_outline: Vec<f64>,
    /// Prices of the Greeks.
    pub greek_prices: Vec<f64>,
    /// Greeks on the first date, in money.
    pub greeks: Vec<GreeksWire>,
    /// The lower price of the chances.
    pub lower: f64,
    /// The higher price.
    pub higher: f64,
    /// Of ending below, between and above them.
    pub ends: Vec<f64>,
    /// Of touching the lower, the higher, either, both and neither before.
    pub touches: Vec<f64>,
    /// Of profit at the first expiration.
    pub chance_of_profit: f64,
    /// Mean profit at it, before costs.
    pub expected: f64,
    /// Of having made the wanted share of the most before; absent where the most has no limit or is an estimate.
    pub reaching: Option<f64>,
    /// The map, where it was wanted.
    pub map: Option<MapWire>,
}

/// Most dates.
const MOST_DATES: usize = 8;

fn judged(state: &DeskState, quoter: &mut Quoter, request: &BenchRequest) -> Result<BenchWire, Refusal> {
    let refuse = |field: &'static str, message: String| Err(Refusal::Field { field, message });
    let structure = structure(&request.legs)?;
    trading::check_legs(state, &request.symbol, &structure.unit())?;
    let underlying = known(state, &request.symbol)?;
    if request.days.len() > MOST_DATES || request.days.iter().any(|d| !(0.0..=2_000.0).contains(d)) {
        return refuse("days", format!("{:?}: write at most {MOST_DATES} dates, each 0 to 2,000 days from now", request.days));
    }
    if !(-100.0..=300.0).contains(&request.vol_points) {
        return refuse("volPoints", format!("{} is not a shift of volatility; write −100 to 300 points", request.vol_points));
    }
    if !(0.01..=1.0).contains(&request.target) {
        return refuse("target", format!("{} is not a share of the most; write 0.01 to 1", request.target));
    }
    let market = money::market_of(state, quoter, &request.symbol, &structure)?;
    let quotes: Vec<desk::Quote> = market.legs.iter().map(|m| m.quote).collect();
    let middle = desk::package_quote(&structure.unit(), &quotes, underlying).middle;
    let price = request.price.as_deref().map(|text| parse_price("price", text, underlying.style_of_price)).transpose()?.unwrap_or(middle);
    let (spot, first) = (market.spot.to_f64(), desk::first_expiry(&structure, &market));
    let vol = (market.horizon_vol + request.vol_points / 100.0).max(0.01);
    let deviation = vol * market.at.years_until(first).sqrt();
    let at = |k: f64| spot * (k * deviation).exp();
    let strikes: Vec<f64> = structure.options().map(|(c, _)| c.strike.to_f64()).collect();
    let reach = |side: f64, most: fn(f64, f64) -> f64| strikes.iter().fold(at(side * 2.5), |far, k| most(far, *k * (1.0 + side * 0.02)));
    let range = (request.low.unwrap_or_else(|| reach(-1.0, f64::min)), request.high.unwrap_or_else(|| reach(1.0, f64::max)));
    if !(range.0 >= 0.0 && range.0 < range.1 && range.1.is_finite()) {
        return refuse("low", format!("{} to {} are not prices to draw between", range.0, range.1));
    }
    let between = (request.lower.unwrap_or_else(|| at(-1.0)), request.higher.unwrap_or_else(|| at(1.0)));
    if !(between.0 > 0.0 && between.0 < between.1 && between.1.is_finite()) {
        return refuse("lower", format!("{} and {}: write the lower price first, both above zero", between.0, between.1));
    }
    let asked = Judgement {
        structure,
        price,
        vol_shift: request.vol_points / 100.0,
        days: request.days.clone(),
        range,
        between,
        target: request.target,
        map: request.map,
    };
    let b = desk::bench(&asked, &market).map_err(Refusal::from)?;
    let even = |e: &desk::Even| match e {
        desk::Even::Point(p) | desk::Even::Range(p, _) => Price::to_f64(*p),
    };
    let since = |moment: desk::Moment| market.at.years_until(moment) * 365.0;
    Ok(BenchWire {
        spot,
        days: since(b.horizon.moment),
        expiry: b.horizon.date.to_string(),
        estimate: b.horizon.estimate,
        bands: [-2.0, -1.0, 1.0, 2.0].map(at).to_vec(),
        evens: b.horizon.shape.evens.iter().map(even).collect(),
        outline: b.outline,
        lines: b.lines.into_iter().map(|l| DateLineWire { at: l.at.to_string(), days: since(l.at), profit: l.profit, grid: l.grid }).collect(),
        grid_prices: b.grid_prices,
        grid_outline: b.grid_outline,
        greek_prices: b.greek_prices,
        greeks: b.greeks.iter().map(greeks).collect(),
        lower: between.0,
        higher: between.1,
        ends: b.ends.to_vec(),
        touches: vec![b.touches.low, b.touches.high, b.touches.either, b.touches.both, b.touches.neither],
        chance_of_profit: b.profit.0,
        expected: b.profit.1,
        reaching: b.reaching,
        map: b.map.map(|m| MapWire { days: m.days, prices: m.prices, profit: m.profit }),
        prices: b.prices,
    })
}

/// Judges a structure at the market of now.
#[utoipa::path(post, path = "/bench", tag = "evaluate", request_body = BenchRequest, responses((status = 200, body = BenchWire), (status = 422, body = Problem)))]
async fn bench(State(app): State<AppState>, Body(request): Body<BenchRequest>) -> Result<Json<BenchWire>, Problem> {
    Ok(Json(app.read(move |state, quoter| judged(state, quoter, &request)).await??))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(bench))
}
