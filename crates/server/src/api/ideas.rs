//! Structures by intention, and legs picked by delta, deviation or distance.

use axum::Json;
use axum::extract::State;
use desk::{Instrument, Kind, Proposal};
use engine::money;
use engine::state::{State as DeskState, underlying_of};
use market::Quoter;
use plans::{Candidate, Candidates, Intention, Material, Place};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::smile::expiration_of;
use crate::api::wire::evaluation::{EvaluationWire, evaluation};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Path, Problem, Query};

fn intentions() -> utoipa::openapi::Object {
    let names = Intention::ALL
        .iter()
        .filter_map(|i| serde_json::to_value(i).ok());
    utoipa::openapi::ObjectBuilder::new()
        .schema_type(utoipa::openapi::Type::String)
        .enum_values(Some(names))
        .build()
}

/// For what, and when.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct IdeasQuery {
    /// Key of the expiration.
    expiration: String,
    /// What is wanted to happen.
    #[param(schema_with = intentions)]
    intention: Intention,
}

/// One structure that serves an intention.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct IdeaWire {
    /// What it is for, in a sentence.
    pub why: String,
    /// What it is, costs and makes.
    pub evaluation: EvaluationWire,
    /// Where it is meant to stand on what is held: both together, from the price of now.
    pub held: Option<WithHeld>,
}

/// A structure together with units that are held already.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct WithHeld {
    /// Units held that it stands on.
    pub units: i64,
    /// Both together, the units at their price of now.
    pub evaluation: EvaluationWire,
}

pub(crate) fn candidates(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    e: &desk::Expiration,
) -> Result<Candidates, Refusal> {
    let (u, at) = (underlying_of(state, symbol)?, state.clock.now);
    let listed = quoter
        .chain(&state.world, u, e, at)
        .into_iter()
        .map(|(contract, l)| Candidate {
            contract,
            delta: l.delta,
        });
    Ok(Candidates {
        spot: engine::state::spot_of(state, symbol).to_f64(),
        deviation: state
            .world
            .total_variance(symbol, at, e.moment())
            .unwrap_or(0.0)
            .sqrt(),
        listed: listed.collect(),
    })
}

fn view(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    query: &IdeasQuery,
) -> Result<Vec<IdeaWire>, Refusal> {
    let (u, e) = (
        underlying_of(state, symbol)?,
        expiration_of(state, symbol, &query.expiration)?,
    );
    let later = state
        .world
        .expirations(symbol, state.clock.now)
        .unwrap_or_default()
        .into_iter();
    let far = later
        .filter(|l| l.date > e.date && l.cycle != desk::Cycle::Weekly)
        .find(|l| state.clock.now.days_until(l.date) >= 2 * state.clock.now.days_until(e.date));
    // Calls bought give back what calls sold have promised.
    let of_symbol = |l: &&desk::Lot| {
        let campaign = state.account.campaign(l.campaign);
        campaign.is_some_and(|c| c.symbol == symbol)
    };
    let held_of = |kind: quant::Kind| -> i64 {
        let of_kind = |l: &&desk::Lot| l.instrument.option().is_some_and(|c| c.kind == kind);
        let lots = state.account.lots().iter();
        lots.filter(of_symbol)
            .filter(of_kind)
            .map(|l| l.quantity)
            .sum()
    };
    let own = Instrument::Underlying(symbol.to_owned());
    let material = Material {
        near: candidates(state, quoter, symbol, &e)?,
        far: far
            .map(|far| candidates(state, quoter, symbol, &far))
            .transpose()?,
        own: (u.kind != desk::UnderlyingKind::Index).then(|| symbol.to_owned()),
        lot: u.lot(),
        held: state.account.held(&own),
        promised: (-held_of(Kind::Call)).max(0) * u.lot(),
        covered: held_of(Kind::Put).max(0) * u.lot(),
    };
    let mut told = |structure: desk::Holding| {
        let proposal = Proposal {
            structure,
            entry: desk::EntryPrice::Middle,
            realised: desk::Money::ZERO,
            range: None,
            closing: false,
        };
        let judged = money::evaluate(state, quoter, symbol, &proposal)?;
        Ok::<_, Refusal>(evaluation(&judged, u))
    };
    let made = plans::ideas(query.intention, &material).into_iter();
    made.map(|idea| {
        let held = (idea.on > 0)
            .then(|| {
                let units = desk::Leg {
                    instrument: own.clone(),
                    quantity: idea.on,
                };
                let legs = idea.structure.legs().iter().cloned().chain([units]);
                told(legs.collect()).map(|evaluation| WithHeld {
                    units: idea.on,
                    evaluation,
                })
            })
            .transpose()?;
        Ok(IdeaWire {
            why: idea.why,
            evaluation: told(idea.structure)?,
            held,
        })
    })
    .collect()
}

/// Structures for an intention in one expiration.
#[utoipa::path(
    get,
    path = "/ideas/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), IdeasQuery),
    responses(
        (status = 200, body = Vec<IdeaWire>),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn ideas(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(query): Query<IdeasQuery>,
) -> Result<Json<Vec<IdeaWire>>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| view(state, quoter, &symbol, &query))
            .await??,
    ))
}

/// What a place is measured by.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum By {
    /// The size of delta.
    Delta,
    /// Deviations of the expiration from the price.
    Deviations,
    /// Distance from the price.
    Away,
}

/// Whether calls or puts are wanted.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum Side {
    /// The right to buy the underlying.
    Call,
    /// The right to sell the underlying.
    Put,
}

/// Which single option is looked for.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct PickQuery {
    /// Key of the expiration.
    expiration: String,
    /// Call or put.
    #[param(inline)]
    side: Side,
    /// What it is picked by.
    #[param(inline)]
    by: By,
    /// How much of it; deviations and distance below the price are below zero.
    value: f64,
}

/// A contract that was picked.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Picked {
    /// The contract as an OSI symbol.
    pub contract: String,
    /// The contract as it is shown, like "195 call".
    pub label: String,
}

fn picked(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    query: &PickQuery,
) -> Result<Picked, Refusal> {
    let e = expiration_of(state, symbol, &query.expiration)?;
    let wrong = |message: String| {
        Err(Refusal::Field {
            field: "value",
            message,
        })
    };
    let place = match query.by {
        By::Delta if query.value.abs() > 0.0 && query.value.abs() < 1.0 => {
            Place::Delta(query.value.abs())
        }
        By::Delta => {
            return wrong(format!(
                "{} is not a delta; write above 0, below 1",
                query.value
            ));
        }
        By::Deviations if query.value.abs() <= 8.0 => Place::Deviations(query.value),
        By::Deviations => {
            return wrong(format!(
                "{} deviations are beyond any strike; write −8 to 8",
                query.value
            ));
        }
        By::Away if query.value.is_finite() => Place::Away(query.value),
        By::Away => return wrong(format!("{} is not a distance", query.value)),
    };
    let kind = if query.side == Side::Call {
        Kind::Call
    } else {
        Kind::Put
    };
    let all = candidates(state, quoter, symbol, &e)?;
    let found = all.pick(kind, place).ok_or(Refusal::Field {
        field: "expiration",
        message: format!("{} lists no such side", query.expiration),
    })?;
    Ok(Picked {
        contract: found.to_string(),
        label: found.label(),
    })
}

/// The listed contract nearest to a delta, a deviation or a distance.
#[utoipa::path(
    get,
    path = "/pick/{symbol}",
    tag = "chain",
    params(("symbol" = String, Path), PickQuery),
    responses(
        (status = 200, body = Picked),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn pick(
    State(app): State<AppState>,
    Path(symbol): Path<String>,
    Query(query): Query<PickQuery>,
) -> Result<Json<Picked>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| picked(state, quoter, &symbol, &query))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(ideas))
        .routes(routes!(pick))
}
