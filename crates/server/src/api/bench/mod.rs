//! A draft under judgement.

pub(crate) mod wire;

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use desk::{
    Along, Bench, ChancesAsked, Evaluation, Holding, Judgement, Law, MOST_GRID, Moved, Proposal,
    Shift, Span, Steps, Sticky, Underlying,
};
use engine::commands::trading;
use engine::money;
use engine::state::{State as DeskState, underlying_of};
use market::Quoter;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::account::book::effect_on_book;
use crate::api::bench::wire::{BenchWire, bench_wire};
use crate::api::chain::event_mark;
use crate::api::smile;
use crate::api::wire::entry::{EntryWire, entry};
use crate::api::wire::{LegWire, holding};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// A change of volatility.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum ShiftWire {
    /// So many points are added.
    Points(f64),
    /// So many percent of itself are added.
    Percent(f64),
}

/// What a leg's volatility does as the price moves.
#[derive(Debug, Clone, Copy, Default, PartialEq, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum StickyWire {
    /// It stays with the strike.
    #[default]
    Strike,
    /// It moves with the price: a strike as far from the price has the same volatility.
    Delta,
}

/// What is supposed to have happened to the market.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct MovedWire {
    /// Of every expiration that is not named.
    #[serde(default)]
    pub everywhere: Option<ShiftWire>,
    /// By date of the expiration, in its place.
    #[serde(default)]
    pub at: BTreeMap<String, ShiftWire>,
    /// As the price moves.
    #[serde(default)]
    pub sticky: StickyWire,
    /// Points added to interest.
    #[serde(default)]
    pub rate_points: f64,
}

/// Prices to draw between.
#[derive(Debug, Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum SpanWire {
    /// Two and a half deviations of the first expiration, and past every strike.
    #[default]
    Usual,
    /// So many deviations to each side.
    Deviations(f64),
    /// So many percent to each side.
    Percent(f64),
    /// From one price to another.
    Between([f64; 2]),
}

/// Prices of the grid.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum StepsWire {
    /// Those that matter to the draft: the price now, break-evens, strikes, whole deviations, and
    /// round prices where none of these is near.
    Matter,
    /// Chosen, at most 25.
    Prices(Vec<f64>),
}

/// What the grid's profit is told in.
#[derive(Debug, Clone, Copy, Default, PartialEq, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum GridUnit {
    /// Cells are told in money.
    #[default]
    Money,
    /// Percent of the most that can be made.
    OfMost,
    /// Percent of what is tied up.
    OfCapital,
}

/// A grid of profits.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct GridAsked {
    /// The prices that the columns stand for.
    pub steps: StepsWire,
    /// What it is told in.
    #[serde(default)]
    pub unit: GridUnit,
}

/// What the Greeks are drawn over: prices or time.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct GreeksAsked {
    /// Over time to the first expiration in place of over price.
    #[serde(default)]
    pub over_time: bool,
    /// Over time: at this price; the price now when absent.
    #[serde(default)]
    pub price: Option<f64>,
    /// Over price: a line for each of these, in days from now; the first is also told leg by leg.
    #[serde(default)]
    pub days: Vec<f64>,
}

/// Which chances are wanted, and by which dates.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct ChancesWanted {
    /// Under the smile of the first expiration in place of one volatility.
    #[serde(default)]
    pub smile: bool,
    /// Lower price; one deviation below when absent.
    #[serde(default)]
    pub lower: Option<f64>,
    /// Higher price; one deviation above when absent.
    #[serde(default)]
    pub higher: Option<f64>,
    /// Profit to reach, in percent of the most that can be made (of what is tied up, where that has
    /// no limit).
    #[serde(default)]
    pub target_percent: Option<f64>,
    /// Loss at which it is given up, in percent of the most that can be lost (of what is tied up,
    /// where that has no limit).
    #[serde(default)]
    pub stop_percent: Option<f64>,
}

/// What is asked.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct BenchRequest {
    /// The symbol of the underlying.
    pub symbol: String,
    /// Legs with full quantities.
    pub legs: Vec<LegWire>,
    /// Where the net price per package comes from; the middle when absent.
    #[serde(default)]
    pub entry: EntryWire,
    /// What is supposed to have happened to the market.
    #[serde(default)]
    pub moved: MovedWire,
    /// Dates to look at, in days from now; at most eight.
    pub days: Vec<f64>,
    /// Prices to draw between.
    #[serde(default)]
    pub span: SpanWire,
    /// Whether the map over date and price is wanted.
    #[serde(default)]
    pub map: bool,
    /// Greeks, if they are wanted.
    #[serde(default)]
    pub greeks: Option<GreeksAsked>,
    /// A grid, if it is wanted.
    #[serde(default)]
    pub grid: Option<GridAsked>,
    /// Chances, if they are wanted.
    #[serde(default)]
    pub chances: Option<ChancesWanted>,
}

/// The most dates that may be asked for at once.
pub(crate) const MOST_DATES: usize = 8;
/// Most days ahead.
const MOST_DAYS: f64 = 2_000.0;

fn refuse<T>(field: &'static str, message: String) -> Result<T, Refusal> {
    Err(Refusal::Field { field, message })
}

/// Checks days from now.
pub(crate) fn check_days(days: &[f64]) -> Result<(), Refusal> {
    if days.len() > MOST_DATES || days.iter().any(|d| !(0.0..=MOST_DAYS).contains(d)) {
        return refuse(
            "days",
            format!("{days:?}: write at most {MOST_DATES} dates, each 0 to 2,000 days from now"),
        );
    }
    Ok(())
}

fn shift(wire: ShiftWire) -> Result<Shift, Refusal> {
    match wire {
        ShiftWire::Points(p) if (-100.0..=300.0).contains(&p) => Ok(Shift::Points(p / 100.0)),
        ShiftWire::Percent(p) if (-100.0..=500.0).contains(&p) => {
            Ok(Shift::Factor(1.0 + p / 100.0))
        }
        ShiftWire::Points(p) => refuse(
            "moved",
            format!("{p} is not a shift of volatility; write −100 to 300 points"),
        ),
        ShiftWire::Percent(p) => refuse(
            "moved",
            format!("{p} is not a shift of volatility; write −100 to 500 percent"),
        ),
    }
}

/// The smiles of the expirations of a structure, by their ends.
fn smiles(
    state: &DeskState,
    quoter: &mut Quoter,
    u: &Underlying,
    structure: &Holding,
) -> Result<Vec<(desk::Moment, desk::Smile)>, Refusal> {
    let listed = state
        .world
        .expirations(&u.symbol, state.clock.now)
        .unwrap_or_default();
    let ends: std::collections::BTreeSet<desk::Moment> = structure
        .options()
        .map(|(c, _)| u.expiry_moment(c))
        .collect();
    let of = |end: &desk::Moment| {
        let smile = listed
            .iter()
            .find(|e| e.moment() == *end)
            .and_then(|e| smile::line(state, quoter, u, e));
        let missing = || {
            let date = desk::short_date(end.date());
            Refusal::Field {
                field: "moved",
                message: format!(
                    "too few strikes of {date} are quoted for a smile; ask under one volatility, \
                     with the smile at the strike"
                ),
            }
        };
        Ok((*end, smile.ok_or_else(missing)?))
    };
    ends.iter().map(of).collect()
}

fn moved(wire: &MovedWire, smiles: &[(desk::Moment, desk::Smile)]) -> Result<Moved, Refusal> {
    if !(-20.0..=20.0).contains(&wire.rate_points) {
        return refuse(
            "moved",
            format!(
                "{} is not a shift of interest; write −20 to 20 points",
                wire.rate_points
            ),
        );
    }
    let dated = |(date, by): (&String, &ShiftWire)| match date.parse() {
        Ok(date) => Ok((date, shift(*by)?)),
        Err(_) => refuse(
            "moved",
            format!("{date:?} is not a date; write it like 2031-04-18"),
        ),
    };
    Ok(Moved {
        everywhere: wire.everywhere.map_or(Ok(Shift::Points(0.0)), shift)?,
        at: wire.at.iter().map(dated).collect::<Result<_, _>>()?,
        sticky: if wire.sticky == StickyWire::Delta {
            Sticky::Delta(smiles.to_vec())
        } else {
            Sticky::Strike
        },
        rate: wire.rate_points / 100.0,
    })
}

fn span(wire: SpanWire) -> Result<Span, Refusal> {
    match wire {
        SpanWire::Usual => Ok(Span::Usual),
        SpanWire::Deviations(k) if k > 0.0 && k <= 8.0 => Ok(Span::Deviations(k)),
        SpanWire::Percent(p) if p > 0.0 && p <= 100.0 => Ok(Span::Percent(p)),
        SpanWire::Between([low, high]) if low >= 0.0 && low < high && high.is_finite() => {
            Ok(Span::Between(low, high))
        }
        SpanWire::Deviations(k) => refuse(
            "span",
            format!("{k} deviations are not to be drawn; write above 0, at most 8"),
        ),
        SpanWire::Percent(p) => refuse(
            "span",
            format!("{p} percent are not to be drawn; write above 0, at most 100"),
        ),
        SpanWire::Between([low, high]) => refuse(
            "span",
            format!("{low} to {high} are not prices to draw between; write the lower one first"),
        ),
    }
}

fn steps(wire: &StepsWire) -> Result<Steps, Refusal> {
    match wire {
        StepsWire::Matter => Ok(Steps::Matter),
        StepsWire::Prices(all)
            if (1..=MOST_GRID).contains(&all.len())
                && all.iter().all(|p| *p > 0.0 && p.is_finite()) =>
        {
            Ok(Steps::These(all.clone()))
        }
        StepsWire::Prices(all) => refuse(
            "grid",
            format!("{all:?}: write 1 to {MOST_GRID} prices above zero"),
        ),
    }
}

fn chances(
    wire: &ChancesWanted,
    e: &Evaluation,
    smile: Option<desk::Smile>,
) -> Result<ChancesAsked, Refusal> {
    let law = match (wire.smile, smile) {
        (true, Some(smile)) => Law::Smile(smile),
        (true, None) => {
            return refuse(
                "chances",
                "without options there is no smile; ask under one volatility".into(),
            );
        }
        (false, _) => Law::Flat,
    };
    let between = match (wire.lower, wire.higher) {
        (None, None) => None,
        (Some(low), Some(high)) if low > 0.0 && low < high && high.is_finite() => Some((low, high)),
        (low, high) => {
            return refuse(
                "chances",
                format!("{low:?} and {high:?}: write both prices, the lower one first, above zero"),
            );
        }
    };
    let percent = |p: Option<f64>| match p {
        Some(p) if !(p > 0.0 && p <= 1_000.0) => refuse(
            "chances",
            format!("{p} percent is not a target or a stop; write above 0, at most 1,000"),
        ),
        p => Ok(p),
    };
    // What a percentage is of, in money.
    let whole = |extent: &desk::Extent| match extent {
        desk::Extent::Limited { profit, .. } => profit.to_f64().abs(),
        desk::Extent::Unlimited => e.money.tied_up.to_f64().abs(),
    };
    let (target, stop) = (percent(wire.target_percent)?, percent(wire.stop_percent)?);
    Ok(ChancesAsked {
        law,
        between,
        target: target.map(|p| p / 100.0 * whole(&e.horizon.shape.most)),
        stop: stop.map(|p| -p / 100.0 * whole(&e.horizon.shape.least)),
    })
}

/// An answer with the evaluation that it goes with.
pub(crate) struct Judged {
    pub evaluation: Evaluation,
    pub bench: Bench,
    pub asked: Judgement,
}

/// The dates that matter, in days from now: today, the chosen one, and each event before the first
/// expiration.
fn grid_days(state: &DeskState, request: &BenchRequest, structure: &desk::Holding) -> Vec<f64> {
    let now = state.clock.now;
    let first = structure.options().map(|(c, _)| c.expiry).min();
    let until = first.map_or(0, |first| now.days_until(first));
    let mut days = vec![0.0];
    days.extend(request.days.first());
    let events = state.world.events(&request.symbol, now, until);
    days.extend(events.iter().map(|e| now.days_until(e.date) as f64));
    days
}

/// Evaluates and judges on one snapshot.
pub(crate) fn judge(
    state: &DeskState,
    quoter: &mut Quoter,
    request: &BenchRequest,
) -> Result<Judged, Refusal> {
    let structure = holding(&request.legs)?;
    trading::check_legs(state, &request.symbol, &structure.unit())?;
    let underlying = underlying_of(state, &request.symbol)?;
    check_days(&request.days)?;
    let greeks = match &request.greeks {
        Some(g) => {
            check_days(&g.days)?;
            let spot = engine::state::spot_of(state, &request.symbol).to_f64();
            let price = g.price.unwrap_or(spot);
            if !(price > 0.0 && price.is_finite()) {
                return refuse(
                    "greeks",
                    format!("{price} is not a price; write one above zero"),
                );
            }
            Some((
                if g.over_time {
                    Along::Time(price)
                } else {
                    Along::Price
                },
                g.days.clone(),
            ))
        }
        None => None,
    };
    let entry = entry(&request.entry, &structure.unit(), underlying.style_of_price)?;
    let proposal = Proposal {
        structure: structure.clone(),
        entry,
        realised: desk::Money::ZERO,
        range: None,
        closing: false,
    };
    let market = money::market_of(state, quoter, &request.symbol, &structure)?;
    let evaluation = money::evaluate_in(state, quoter, &market, &proposal)?;
    let needs_smile = request.moved.sticky == StickyWire::Delta
        || request.chances.as_ref().is_some_and(|c| c.smile);
    let smiles = if needs_smile {
        smiles(state, quoter, underlying, &structure)?
    } else {
        Vec::new()
    };
    let asked = Judgement {
        price: evaluation.price,
        realised: desk::Money::ZERO,
        moved: moved(&request.moved, &smiles)?,
        days: request.days.clone(),
        span: span(request.span)?,
        map: request.map,
        greeks,
        grid: request
            .grid
            .as_ref()
            .map(|g| steps(&g.steps).map(|s| (s, grid_days(state, request, &structure))))
            .transpose()?,
        chances: request
            .chances
            .as_ref()
            .map(|c| chances(c, &evaluation, smiles.first().map(|(_, s)| *s)))
            .transpose()?,
        structure,
    };
    Ok(Judged {
        bench: desk::bench(&asked, &market).map_err(Refusal::from)?,
        evaluation,
        asked,
    })
}

fn answered(
    state: &DeskState,
    quoter: &mut Quoter,
    request: &BenchRequest,
) -> Result<BenchWire, Refusal> {
    let judged = judge(state, quoter, request)?;
    let effect = effect_on_book(state, quoter, &judged.evaluation, &request.symbol);
    let unit = request.grid.as_ref().map_or(GridUnit::Money, |g| g.unit);
    let (now, last) = (
        state.clock.now,
        judged
            .asked
            .structure
            .options()
            .map(|(c, _)| c.expiry)
            .max(),
    );
    let ahead = last.map_or(0, |last| now.days_until(last));
    let events = state
        .world
        .events(&request.symbol, now, ahead)
        .into_iter()
        .map(|e| event_mark(e, now))
        .collect();
    Ok(bench_wire(
        judged,
        underlying_of(state, &request.symbol)?,
        (effect, events),
        unit,
    ))
}

/// Judges a structure at the market of now.
#[utoipa::path(
    post,
    path = "/bench",
    tag = "evaluate",
    request_body = BenchRequest,
    responses(
        (status = 200, body = BenchWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn bench(
    State(app): State<AppState>,
    Body(request): Body<BenchRequest>,
) -> Result<Json<BenchWire>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| answered(state, quoter, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(bench))
}
