//! A chain read as packages: one structure at every strike, with its market and what it makes and
//! loses.

use axum::Json;
use axum::extract::State;
use desk::{
    Even, Extent, ListedPackage, Listing, ListingView, Price, Shape, Template, first_width, widths,
};
use engine::state::{State as DeskState, underlying_of};
use market::Quoter;
use quant::Lognormal;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::chain::key_of;
use crate::api::wire::words::PriceSide;
use crate::api::wire::{LegWire, legs_wire, net_price};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem, Query};

/// The names of all templates.
fn templates() -> utoipa::openapi::Object {
    let names = Template::ALL
        .iter()
        .filter_map(|t| serde_json::to_value(t).ok());
    utoipa::openapi::ObjectBuilder::new()
        .schema_type(utoipa::openapi::Type::String)
        .enum_values(Some(names))
        .build()
}

/// Which structure is listed, and in which expiration.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct PackagesQuery {
    /// Key of the expiration.
    expiration: String,
    /// The structure that is built along the chain.
    #[param(schema_with = templates)]
    template: Template,
    /// Its width in price, where it has one.
    width: Option<String>,
}

/// One package of the structure, with its market.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PackageLine {
    /// The strike it is anchored at.
    pub strike: String,
    /// The same as a number, for placing it on the price axis.
    pub at: f64,
    /// "205/200 · 175/165".
    pub strikes: String,
    /// The legs of one package.
    pub legs: Vec<LegWire>,
    /// Join one's own side, as the market writes it.
    pub rest: String,
    /// The middle of its market, as money per unit.
    pub middle: String,
    /// Take the other side.
    pub cross: String,
    /// Which way the middle goes.
    pub side: PriceSide,
    /// Most to make in money at the middle; absent without a limit, or where a later leg decides.
    pub most: Option<String>,
    /// Most to lose.
    pub least: Option<String>,
    /// Prices at which nothing is made or lost.
    pub evens: Vec<String>,
    /// Chance of profit at the expiration, under a flat volatility; absent where a later leg
    /// decides.
    pub chance: Option<f64>,
    /// Most to make as a share of what it ties up.
    pub part: Option<f64>,
}

/// Packages along an expiration, strikes from high to low, and the widths that its strikes allow.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PackagesView {
    /// Width that was used.
    pub width: String,
    /// Widths to choose from.
    pub widths: Vec<String>,
    /// The packages; strikes without one are left out.
    pub lines: Vec<PackageLine>,
}

fn listing(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    e: &desk::Expiration,
) -> Result<Listing, Refusal> {
    let underlying = underlying_of(state, symbol)?;
    let chain = quoter.chain(&state.world, underlying, e, state.clock.now);
    Ok(chain
        .into_iter()
        .map(|(c, l)| ((c.kind, c.strike), (c, l.quote)))
        .collect())
}

fn view(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    query: &PackagesQuery,
) -> Result<PackagesView, Refusal> {
    let underlying = underlying_of(state, symbol)?;
    let at = state.clock.now;
    let expirations = state.world.expirations(symbol, at).unwrap_or_default();
    let place = expirations
        .iter()
        .position(|e| key_of(underlying.root_for(e), e) == query.expiration);
    let missing = || Refusal::Field {
        field: "expiration",
        message: format!("{:?} is not listed on {symbol}", query.expiration),
    };
    let e = &expirations[place.ok_or_else(missing)?];
    let near = listing(state, quoter, symbol, e)?;
    let template = query.template;
    let next = expirations
        .iter()
        .find(|later| later.date > e.date && later.cycle != desk::Cycle::Weekly);
    let far = match (template, next) {
        (Template::CallCalendar | Template::PutCalendar, Some(next)) => {
            listing(state, quoter, symbol, next)?
        }
        _ => Listing::new(),
    };
    let spot = state.world.spot(symbol, at).unwrap_or_default();
    let years = at.years_until(e.moment()).max(1.0 / 525_600.0);
    let vol = (state
        .world
        .total_variance(symbol, at, e.moment())
        .unwrap_or(0.0)
        / years)
        .sqrt();
    let width = match query.width.as_deref().filter(|w| !w.is_empty()) {
        Some(text) => text
            .parse()
            .map_err(|e: desk::NumberError| Refusal::Field {
                field: "width",
                message: e.to_string(),
            })?,
        None => first_width(template, &near, spot.to_f64() * vol * years.sqrt()),
    };
    if template.has_width() && width <= Price::ZERO {
        return Err(Refusal::Field {
            field: "width",
            message: format!("{width} is not a width; write a price above zero"),
        });
    }
    let rate = state.world.rate(state.clock.now, years);
    let carry = state
        .world
        .carry(symbol, at)
        .map_or(0.0, |c| c.yield_until(at, e.moment(), rate, spot.to_f64()));
    let basis = engine::money::basis(state, symbol)
        .ok_or_else(|| Refusal::UnknownSymbol(symbol.to_owned(), String::new()))?;
    let listed = ListingView {
        underlying,
        near: &near,
        far: &far,
        basis,
        ends: Lognormal::new(spot.to_f64(), rate - carry, vol, years).ok(),
    };
    let packages = listed.packages(template, width);
    Ok(PackagesView {
        width: desk::strike_label(width),
        widths: widths(template, &near)
            .into_iter()
            .map(desk::strike_label)
            .collect(),
        lines: packages.iter().map(|p| line(p, underlying)).collect(),
    })
}

fn line(p: &ListedPackage, u: &desk::Underlying) -> PackageLine {
    let style = u.style_of_price;
    let middle = net_price(p.quote.middle, style);
    let even = |e: &Even| match e {
        Even::Point(p) | Even::Range(p, _) => style.nearest(*p),
    };
    let shape = p.shape.as_ref();
    let told = |of: fn(&Shape) -> &Extent| Some(of(shape?).limited()?.to_string());
    PackageLine {
        strike: desk::strike_label(p.anchor),
        at: p.anchor.to_f64(),
        strikes: p.unit.strikes_label(),
        legs: legs_wire(&p.unit),
        rest: style.write(p.quote.rest.abs()),
        middle: middle.amount,
        cross: style.write(p.quote.cross.abs()),
        side: middle.side,
        most: told(|s| &s.most),
        least: told(|s| &s.least),
        evens: shape.map_or_else(Vec::new, |s| s.evens.iter().map(even).collect()),
        chance: p.chance,
        part: p.part(),
    }
}

/// One structure at every strike of an expiration.
#[utoipa::path(
    get,
    path = "/packages/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), PackagesQuery),
    responses(
        (status = 200, body = PackagesView),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn packages(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(query): Query<PackagesQuery>,
) -> Result<Json<PackagesView>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| view(state, quoter, &symbol, &query))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(packages))
}
