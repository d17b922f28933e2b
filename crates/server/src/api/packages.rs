//! A chain read as packages: one structure at every strike, with its market and what it makes and
//! loses.

use std::collections::HashMap;

use axum::Json;
use axum::extract::State;
use desk::{
    Contract, Even, Extent, Holding, Kind, MarginBasis, MarginHolding, MarginLeg, Money, Price,
    Shape, Template,
};
use market::{Listed, Quoter};
use quant::Lognormal;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::AppState;
use crate::chain_view::key_of;
use crate::problem::{Path, Problem, Query};
use crate::refusal::Refusal;
use crate::state::{State as DeskState, known};
use crate::wire::{LegWire, legs_wire};

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

/// Which packages.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct PackagesQuery {
    /// Key of the expiration.
    expiration: String,
    /// The structure.
    #[param(schema_with = templates)]
    template: Template,
    /// Its width in price, where it has one.
    width: Option<String>,
}

/// One package.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PackageLine {
    /// The strike it is anchored at.
    pub strike: String,
    /// The same as a number, for placing it on the price axis.
    pub at: f64,
    /// "205/200 · 175/165".
    pub strikes: String,
    /// Its legs.
    pub legs: Vec<LegWire>,
    /// Join one's own side, as the market writes it.
    pub rest: String,
    /// The middle.
    pub middle: String,
    /// Take the other side.
    pub cross: String,
    /// Of the middle: "debit", "credit" or "even".
    pub side: String,
    /// Most to make in money at the middle; absent without a limit, or where a later leg decides.
    pub most: Option<String>,
    /// Most to lose.
    pub least: Option<String>,
    /// Break-evens.
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

/// Widths as multiples of the usual distance of strikes.
const WIDTHS: [i64; 9] = [1, 2, 3, 4, 6, 8, 12, 20, 30];

/// One expiration's contracts with their markets.
type Listing = HashMap<(Kind, Price), (Contract, Listed)>;

fn listing(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    e: &desk::Expiration,
) -> Result<Listing, Refusal> {
    let underlying = known(state, symbol)?;
    let chain = quoter.chain(&state.world, underlying, e, state.clock.now);
    Ok(chain
        .into_iter()
        .map(|(c, l)| ((c.kind, c.strike), (c, l)))
        .collect())
}

fn view(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    query: &PackagesQuery,
) -> Result<PackagesView, Refusal> {
    let underlying = known(state, symbol)?;
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
    let mut strikes: Vec<Price> = near.keys().map(|(_, strike)| *strike).collect();
    strikes.sort_unstable();
    strikes.dedup();
    let usual = usual_step(&strikes);
    let width = match query.width.as_deref().filter(|w| !w.is_empty()) {
        Some(text) => text
            .parse()
            .map_err(|e: desk::NumberError| Refusal::Field {
                field: "width",
                message: e.to_string(),
            })?,
        None => {
            usual
                * at_first(
                    template,
                    spot.to_f64() * vol * years.sqrt() / usual.to_f64(),
                )
        }
    };
    if template.has_width() && width <= Price::ZERO {
        return Err(Refusal::Field {
            field: "width",
            message: format!("{width} is not a width; write a price above zero"),
        });
    }
    let rate = state.world.rate(years);
    let carry = state
        .world
        .carry(symbol)
        .map_or(0.0, |c| c.yield_until(at, e.moment(), rate, spot.to_f64()));
    let basis = crate::money::basis(state, symbol)
        .ok_or_else(|| Refusal::UnknownSymbol(symbol.to_owned(), String::new()))?;
    let market = Market {
        underlying,
        basis,
        chances: Lognormal::new(spot.to_f64(), rate - carry, vol, years).ok(),
        near: &near,
        far: &far,
    };
    let find = |side: &Listing, kind, strike| side.get(&(kind, strike)).map(|(c, _)| c.clone());
    let lines = strikes.iter().rev().filter_map(|anchor| {
        let unit = template.at(
            *anchor,
            width,
            |kind, strike| find(&near, kind, strike),
            |kind, strike| find(&far, kind, strike),
        )?;
        market.line(*anchor, &unit)
    });
    let widths = if template.has_width() {
        WIDTHS
            .iter()
            .map(|n| desk::strike_label(usual * *n))
            .collect()
    } else {
        Vec::new()
    };
    Ok(PackagesView {
        width: desk::strike_label(width),
        widths,
        lines: lines.collect(),
    })
}

/// The width at first, in steps: two for verticals and ratios; for what stands around the price
/// about half the expected move.
fn at_first(template: Template, expected_steps: f64) -> i64 {
    match template {
        Template::IronCondor
        | Template::Strangle
        | Template::CallButterfly
        | Template::PutButterfly => {
            let wanted = (expected_steps / 2.0).round() as i64;
            WIDTHS
                .iter()
                .copied()
                .min_by_key(|n| (n - wanted).abs())
                .unwrap_or(2)
        }
        _ => 2,
    }
}

/// The distance of strikes that is met most often.
fn usual_step(strikes: &[Price]) -> Price {
    let mut counts: HashMap<Price, usize> = HashMap::new();
    for pair in strikes.windows(2) {
        *counts.entry(pair[1] - pair[0]).or_default() += 1;
    }
    counts
        .into_iter()
        .max_by_key(|(step, count)| (*count, std::cmp::Reverse(*step)))
        .map_or(Price::cents(100), |(step, _)| step)
}

struct Market<'a> {
    underlying: &'a desk::Underlying,
    basis: MarginBasis,
    chances: Option<Lognormal>,
    near: &'a Listing,
    far: &'a Listing,
}

impl Market<'_> {
    fn listed(&self, c: &Contract) -> Option<&Listed> {
        let found = |side: &'_ Listing| {
            side.get(&(c.kind, c.strike))
                .is_some_and(|(known, _)| known == c)
        };
        let side = if found(self.near) {
            self.near
        } else {
            self.far
        };
        side.get(&(c.kind, c.strike)).map(|(_, listed)| listed)
    }

    fn line(&self, anchor: Price, unit: &Holding) -> Option<PackageLine> {
        let u = self.underlying;
        let quotes = unit
            .options()
            .map(|(c, _)| Some(self.listed(c)?.quote))
            .collect::<Option<Vec<_>>>()?;
        let quote = desk::package_quote(unit, &quotes, u);
        let cash = -quote.middle.times(u.multiplier);
        // With a later leg nothing exact can be said of the first expiration.
        let shape = unit.is_one_expiration().then(|| Shape::of(unit, u, cash));
        let limited = |e: &Extent| {
            if let Extent::Limited { profit, .. } = e {
                Some(*profit)
            } else {
                None
            }
        };
        let most = shape.as_ref().and_then(|s| limited(&s.most));
        let options = unit
            .options()
            .zip(&quotes)
            .map(|((c, quantity), q)| MarginLeg {
                ends: u.expiry_moment(c),
                contract: c.clone(),
                quantity,
                mark: q.mark(),
            });
        let tied = desk::requirement(
            &MarginHolding {
                options: options.collect(),
                underlying: 0,
            },
            &self.basis,
        )
        .takes()
            - cash;
        let style = u.style_of_price;
        let middle = crate::wire::net_price(quote.middle, style);
        let even = |e: &Even| match e {
            Even::Point(p) | Even::Range(p, _) => p.fixed(2),
        };
        Some(PackageLine {
            strike: desk::strike_label(anchor),
            at: anchor.to_f64(),
            strikes: unit.strikes_label(),
            legs: legs_wire(unit),
            rest: style.write(quote.rest.abs()),
            middle: middle.amount,
            cross: style.write(quote.cross.abs()),
            side: middle.side,
            most: most.map(|m| m.to_string()),
            least: shape
                .as_ref()
                .and_then(|s| limited(&s.least))
                .map(|m| m.to_string()),
            evens: shape
                .as_ref()
                .map_or_else(Vec::new, |s| s.evens.iter().map(even).collect()),
            chance: shape
                .as_ref()
                .zip(self.chances.as_ref())
                .map(|(s, d)| d.profit(&s.outcomes()).0),
            part: most
                .filter(|m| *m > Money::ZERO && tied > Money::ZERO)
                .map(|m| m.to_f64() / tied.to_f64()),
        })
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
