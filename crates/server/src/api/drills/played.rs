//! A drill played up to now: its cycles, what they came to, one cycle look by look.

use axum::Json;
use axum::extract::State;
use desk::{Holding, Underlying, recognise};
use engine::state::State as DeskState;
use plans::drill::{DrillSummary, Split};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use studies::drills::{
    Cycle, CycleDone, DrillError, DrillGround, DrillResults, LookRow, Part, Played, Watching, play,
    results,
};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::{DrillAsked, object, wrong};
use crate::api::streamed::in_background;
use crate::api::wire::{LegWire, legs_wire, moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// A cycle, or what was skipped: then all figures are absent.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct CycleWire {
    /// Its number, from 1; absent where it was skipped.
    number: Option<usize>,
    /// Its expiration at the entry.
    expiration: String,
    /// When it was entered, or skipped.
    entered: String,
    /// Why it was left, or skipped.
    why: String,
    /// How often the same was skipped in a row, this one counted.
    times: usize,
    /// What it came to.
    done: Option<CycleFigures>,
}

/// What a cycle came to.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct CycleFigures {
    /// What was entered, named.
    name: String,
    /// The strikes that were entered, as text.
    strikes: String,
    /// When it was left.
    left: String,
    /// How often it was adjusted.
    adjustments: i64,
    /// Profit before fees.
    net: String,
    /// Commissions of the cycle, in money.
    fees: String,
    /// Profit after fees.
    profit: String,
    /// In percent of the stake.
    return_percent: Option<f64>,
    /// Calendar days from entry to exit.
    days: i64,
    /// Best profit after the trades of a look.
    best: String,
    /// The lowest profit at any of its looks, in money.
    worst: String,
    /// The highest margin that it required, in money.
    most_margin: String,
    /// Rank of volatility at the entry.
    rank: Option<f64>,
    /// Change of the underlying in percent.
    moved: f64,
}

/// Many results together.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(crate) struct SummaryWire {
    /// The number of cycles summed up.
    count: usize,
    /// How many made money.
    won: usize,
    /// Their share, 0 to 1, and its interval (95 %).
    share: Option<f64>,
    share_low: Option<f64>,
    share_high: Option<f64>,
    /// Sum of profits.
    sum: String,
    /// Mean, and its bootstrap interval (95 %).
    mean: Option<f64>,
    mean_low: Option<f64>,
    mean_high: Option<f64>,
    median: Option<f64>,
    /// Standard deviation of the profits; absent below two cycles.
    spread: Option<f64>,
    mean_win: Option<f64>,
    mean_loss: Option<f64>,
    worst: Option<String>,
    best: Option<String>,
    /// Days of all together.
    days: i64,
    /// Profit for each of them.
    a_day: Option<f64>,
    /// The same in percent of the capital that was tied up.
    a_day_of_capital: Option<f64>,
    losses_in_a_row: usize,
}

/// What results are divided by.
#[derive(Debug, Clone, Copy, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum PartWord {
    /// Rank of volatility at the entry.
    Rank,
    /// Where the underlying went.
    Direction,
    /// Why they were left.
    Why,
}

/// One part of them.
#[derive(Debug, Serialize, ToSchema)]
struct SplitWire {
    /// The value that its cycles share, in words.
    part: String,
    /// Numbers of its cycles.
    cycles: Vec<usize>,
    /// Those cycles summed up together.
    summary: SummaryWire,
}

/// All cycles, split by one of their properties.
#[derive(Debug, Serialize, ToSchema)]
struct DivisionWire {
    /// The property that they are split by.
    by: PartWord,
    /// One sum for each of its values.
    parts: Vec<SplitWire>,
}

/// A point of a curve.
#[derive(Debug, Serialize, ToSchema)]
struct CurvePoint {
    /// The moment of the point, with its offset.
    at: String,
    /// Profit of all cycles.
    profit: f64,
}

/// What a drill came to.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct PlayedWire {
    /// As of when: later looks are not there yet.
    at: String,
    /// First and last look.
    first: String,
    last: String,
    /// In the order of their entries.
    cycles: Vec<CycleWire>,
    /// All cycles summed up together.
    all: SummaryWire,
    /// Deepest fall of the curve.
    drawdown: String,
    /// Profit of all cycles at the last look of each session.
    curve: Vec<CurvePoint>,
    /// The same by each division, and by its values.
    parts: Vec<DivisionWire>,
    /// Profit of the underlying held with the stake over the same time; of an index its change.
    held: Option<String>,
    /// Looks of the first cycle.
    looks: Vec<DrillLook>,
}

/// One look of a cycle.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct DrillLook {
    /// The moment of the look, with its offset.
    at: String,
    /// Price of the underlying.
    underlying: f64,
    /// enter | hold | adjust N | leave | end | assigned.
    action: String,
    /// What is held afterwards; where it ends, what was held before.
    legs: Vec<LegWire>,
    /// What is held after it, by its name.
    name: String,
    /// The strikes that are held after it, as text.
    strikes: String,
    /// Prices of the trades, paid above zero.
    prices: Vec<String>,
    /// The profit of the cycle after it, in money.
    profit: Option<String>,
}

/// One cycle of a drill.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct CycleAsked {
    /// The drill whose cycle is lived through.
    #[serde(deserialize_with = "object")]
    #[schema(value_type = BTreeMap<String, Value>)]
    drill: Value,
    /// Number of the cycle.
    cycle: usize,
}

pub(crate) fn summary(s: &DrillSummary) -> SummaryWire {
    let share = (s.count > 0).then(|| s.won as f64 / s.count as f64);
    SummaryWire {
        count: s.count,
        won: s.won,
        share,
        share_low: s.share.map(|i| i.low),
        share_high: s.share.map(|i| i.high),
        sum: money(s.sum),
        mean: s.mean,
        mean_low: s.mean_interval.map(|i| i.low),
        mean_high: s.mean_interval.map(|i| i.high),
        median: s.median,
        spread: s.spread,
        mean_win: s.mean_win,
        mean_loss: s.mean_loss,
        worst: s.worst.map(money),
        best: s.best.map(money),
        days: s.days,
        a_day: s.a_day,
        a_day_of_capital: s.a_day_of_capital,
        losses_in_a_row: s.losses_in_a_row,
    }
}

/// How a drill that could not be played is told.
pub(super) fn refused(e: DrillError) -> Refusal {
    wrong(e.to_string())
}

fn name_of(legs: &Holding, u: &Underlying) -> String {
    if legs.is_empty() {
        "nothing".to_owned()
    } else {
        recognise(legs, u).text
    }
}

fn look(row: &LookRow, u: &Underlying) -> DrillLook {
    DrillLook {
        at: moment(row.at),
        underlying: row.underlying.to_f64(),
        action: row.action.to_string(),
        legs: legs_wire(&row.legs),
        name: name_of(&row.legs, u),
        strikes: row.legs.strikes_label(),
        prices: row.prices.iter().map(ToString::to_string).collect(),
        profit: row.profit.map(money),
    }
}

fn figures(c: &CycleDone, ground: &DrillGround<'_>) -> CycleFigures {
    let stake = ground.drill.stake;
    let (from, to) = c.underlying;
    CycleFigures {
        name: name_of(&c.legs, ground.underlying),
        strikes: c.legs.strikes_label(),
        left: moment(c.left),
        adjustments: c.adjustments,
        net: money(c.net),
        fees: money(c.fees),
        profit: money(c.profit()),
        return_percent: stake.map(|s| 100.0 * c.profit().to_f64() / s.to_f64()),
        days: c.days(),
        best: money(c.best),
        worst: money(c.worst),
        most_margin: money(c.most_margin),
        rank: c.rank,
        moved: 100.0 * (to.to_f64() / from.to_f64() - 1.0),
    }
}

/// Cycles in their order; what was skipped in a row for the same reason is one row.
fn cycles(played: &Played, ground: &DrillGround<'_>) -> Vec<CycleWire> {
    let mut out: Vec<CycleWire> = Vec::new();
    let mut number = 0;
    for c in &played.cycles {
        match c {
            Cycle::Done(done) => {
                number += 1;
                out.push(CycleWire {
                    number: Some(number),
                    expiration: done.expiration.to_string(),
                    entered: moment(done.entered),
                    why: done.why.to_string(),
                    times: 1,
                    done: Some(figures(done, ground)),
                });
            }
            Cycle::Skipped {
                expiration,
                at,
                why,
            } => {
                let why = why.to_string();
                match out.last_mut() {
                    Some(last) if last.done.is_none() && last.why == why => last.times += 1,
                    _ => out.push(CycleWire {
                        number: None,
                        expiration: expiration.to_string(),
                        entered: moment(*at),
                        why,
                        times: 1,
                        done: None,
                    }),
                }
            }
        }
    }
    out
}

fn split(s: &Split) -> SplitWire {
    SplitWire {
        part: s.part.clone(),
        cycles: s.of.iter().map(|i| i + 1).collect(),
        summary: summary(&s.summary),
    }
}

fn played_wire(state: &DeskState, ground: &DrillGround<'_>, played: &Played) -> PlayedWire {
    let DrillResults {
        all,
        drawdown,
        curve,
        parts,
        held,
    } = results(ground, played);
    let word = |p: Part| match p {
        Part::Rank => PartWord::Rank,
        Part::Direction => PartWord::Direction,
        Part::Why => PartWord::Why,
    };
    let ends = |at: Option<&desk::Moment>| at.map_or_else(String::new, |at| moment(*at));
    let first = played.done().next();
    PlayedWire {
        at: moment(state.clock.now),
        first: ends(ground.looks.first()),
        last: ends(ground.looks.last()),
        cycles: cycles(played, ground),
        all: summary(&all),
        drawdown: money(drawdown),
        curve: curve
            .iter()
            .map(|(at, profit)| CurvePoint {
                at: moment(*at),
                profit: profit.to_f64(),
            })
            .collect(),
        parts: parts
            .iter()
            .map(|(by, parts)| DivisionWire {
                by: word(*by),
                parts: parts.iter().map(split).collect(),
            })
            .collect(),
        held: held.map(money),
        looks: first.map_or_else(Vec::new, |c| {
            c.looks.iter().map(|r| look(r, ground.underlying)).collect()
        }),
    }
}

/// Plays a drill over past sessions up to now.
#[utoipa::path(
    post,
    path = "/drills/play",
    tag = "drills",
    request_body = DrillAsked,
    responses((status = 200, body = PlayedWire), (status = 422, body = Problem)),
)]
async fn play_drill(
    State(app): State<AppState>,
    Body(asked): Body<DrillAsked>,
) -> Result<Json<PlayedWire>, Problem> {
    let drill = asked.one()?;
    let answer = app.read(move |state, _| {
        in_background(|| {
            let ground = DrillGround::new(&state.world, &drill, state.clock.now)?;
            let played = play(&ground, Watching::NOBODY)?;
            Ok(played_wire(state, &ground, &played))
        })
    });
    Ok(Json(answer.await?.map_err(refused)?))
}

/// One cycle of a drill, look by look.
#[utoipa::path(
    post,
    path = "/drills/cycle",
    tag = "drills",
    request_body = CycleAsked,
    responses((status = 200, body = Vec<DrillLook>), (status = 422, body = Problem)),
)]
async fn cycle_looks(
    State(app): State<AppState>,
    Body(asked): Body<CycleAsked>,
) -> Result<Json<Vec<DrillLook>>, Problem> {
    let number = asked.cycle;
    let drill = DrillAsked { drill: asked.drill }.one()?;
    let answer = app.read(move |state, _| {
        in_background(|| {
            let ground = DrillGround::new(&state.world, &drill, state.clock.now)?;
            let played = play(&ground, Watching::NOBODY)?;
            let one = number.checked_sub(1).and_then(|i| played.done().nth(i));
            let one = one.ok_or_else(|| {
                DrillError::Wrong(format!(
                    "there is no cycle {number}; there are {}",
                    played.done().count()
                ))
            })?;
            Ok(one
                .looks
                .iter()
                .map(|r| look(r, ground.underlying))
                .collect())
        })
    });
    Ok(Json(answer.await?.map_err(refused)?))
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(play_drill))
        .routes(routes!(cycle_looks))
}
