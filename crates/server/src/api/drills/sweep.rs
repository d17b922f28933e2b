//! All drills that one stands for whose numbers are lists: each is played, and told as it is done.

use std::sync::Mutex;
use std::sync::PoisonError;
use std::time::Instant;

use axum::extract::State;
use axum::response::IntoResponse;
use desk::Money;
use engine::state::State as DeskState;
use jiff::civil::Date;
use rayon::prelude::*;
use serde::Serialize;
use serde_json::Value;
use studies::drills::{DrillError, DrillGround, Watching, halves, play, results};
use tokio::sync::mpsc;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::played::{SummaryWire, refused, summary};
use super::{DrillAsked, wrong};
use crate::api::streamed::{WAITING, events, in_background};
use crate::api::wire::money;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};
use crate::interchange::drill::{Combination, varied};

/// What one combination of the varied numbers came to.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct SweepRow {
    /// Its place among all.
    place: usize,
    /// Its numbers, in the order of the places that vary.
    values: Vec<Value>,
    /// What it came to; absent where it could not be played.
    summary: Option<SummaryWire>,
    /// Deepest fall of its curve.
    drawdown: Option<String>,
    /// Sum of the cycles entered in the first half of the span, and in the second.
    first_half: Option<String>,
    second_half: Option<String>,
    /// Why it could not be played.
    problem: Option<String>,
}

/// What choosing the best of the first half would have brought in the second.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ChosenWire {
    /// The last date of the first half.
    until: String,
    /// The place of the best of the first half.
    place: usize,
    /// What it made there.
    first_half: String,
    /// What it made in the second half.
    second_half: String,
    /// Mean of all combinations in the second half.
    mean_second: f64,
    /// How many of them were better in the second half.
    better: usize,
}

/// What the sweep tells.
#[derive(Debug, Serialize, ToSchema)]
#[serde(tag = "kind", rename_all = "camelCase")]
enum SweepLine {
    /// Some more are done.
    Rows(SweepRows),
    /// Every combination has been played.
    Done(SweepDone),
}

/// Combinations that were played since the last line.
#[derive(Debug, Serialize, ToSchema)]
struct SweepRows {
    /// How many are done.
    done: usize,
    /// Of how many.
    of: usize,
    /// Those done since the last word.
    rows: Vec<SweepRow>,
}

/// The end of the answer, with its sums.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct SweepDone {
    /// Where the numbers stand that vary.
    varied: Vec<String>,
    /// Each combination, in their order.
    rows: Vec<SweepRow>,
    /// What choosing would have brought; absent where nothing could be chosen.
    chosen: Option<ChosenWire>,
    /// Milliseconds that it took.
    took: u64,
}

/// One combination and its halves in money.
type Lived = (SweepRow, Option<(Money, Money)>);

fn one(
    state: &DeskState,
    (place, (values, text)): (usize, &Combination),
    stopped: &(dyn Fn() -> bool + Sync),
) -> Lived {
    let lived = || {
        let drill = text.drill().map_err(DrillError::Wrong)?;
        let ground = DrillGround::new(&state.world, &drill, state.clock.now)?;
        let watching = Watching {
            stopped,
            ..Watching::NOBODY
        };
        let played = play(&ground, watching)?;
        let results = results(&ground, &played);
        let halves = middle(&ground).map(|m| halves(&played, m));
        Ok::<_, DrillError>((summary(&results.all), results.drawdown, halves))
    };
    let lived = lived();
    let row = SweepRow {
        place,
        values: values.clone(),
        problem: lived.as_ref().err().map(ToString::to_string),
        summary: lived.as_ref().ok().map(|(s, ..)| s.clone()),
        drawdown: lived.as_ref().ok().map(|(_, d, _)| money(*d)),
        first_half: lived.as_ref().ok().and_then(|l| Some(money(l.2?.0))),
        second_half: lived.as_ref().ok().and_then(|l| Some(money(l.2?.1))),
    };
    (row, lived.ok().and_then(|l| l.2))
}

/// The date in the middle of the looks.
fn middle(ground: &DrillGround<'_>) -> Option<Date> {
    let looks = &ground.looks;
    looks.get(looks.len() / 2).map(|at| at.date())
}

/// What the best of the first half made in the second.
fn chosen(all: &[Lived], until: Option<Date>) -> Option<ChosenWire> {
    let halves: Vec<(usize, (Money, Money))> = all
        .iter()
        .filter_map(|(row, h)| Some((row.place, (*h)?)))
        .collect();
    // Of equal ones the first.
    let best = halves.iter().rev().max_by_key(|(_, (first, _))| *first)?;
    let (place, (first, second)) = *best;
    let later = halves.iter().map(|(_, (_, s))| s.to_f64());
    Some(ChosenWire {
        until: until?.to_string(),
        place,
        first_half: money(first),
        second_half: money(second),
        mean_second: later.sum::<f64>() / halves.len() as f64,
        better: halves.iter().filter(|(_, (_, s))| *s > second).count(),
    })
}

fn sweeping(
    state: &DeskState,
    (all, places): (&[Combination], Vec<String>),
    out: &mpsc::Sender<SweepLine>,
) {
    let began = Instant::now();
    let waiting: Mutex<(usize, Vec<SweepRow>)> = Mutex::default();
    let stopped = || out.is_closed();
    let lived: Vec<Lived> = all
        .par_iter()
        .enumerate()
        .map(|pair| {
            let lived = one(state, pair, &stopped);
            // A panic elsewhere leaves the rows as good as they were.
            let mut told = waiting.lock().unwrap_or_else(PoisonError::into_inner);
            told.0 += 1;
            told.1.push(lived.0.clone());
            let rows = SweepRows {
                done: told.0,
                of: all.len(),
                rows: std::mem::take(&mut told.1),
            };
            // Who reads slowly hears more at once.
            if let Err(e) = out.try_send(SweepLine::Rows(rows))
                && let SweepLine::Rows(rows) = e.into_inner()
            {
                told.1 = rows.rows;
            }
            lived
        })
        .collect();
    let until = all.first().and_then(|(_, text)| {
        let drill = text.drill().ok()?;
        middle(&DrillGround::new(&state.world, &drill, state.clock.now).ok()?)
    });
    let done = SweepDone {
        varied: places,
        chosen: chosen(&lived, until).filter(|_| lived.len() > 1),
        rows: lived.into_iter().map(|(row, _)| row).collect(),
        took: began.elapsed().as_millis() as u64,
    };
    let _ = out.blocking_send(SweepLine::Done(done));
}

/// Plays every drill that one stands for. The answer is a stream of events, each a piece as JSON; who
/// closes it stops the sweep.
#[utoipa::path(
    post,
    path = "/drills/sweep",
    tag = "drills",
    request_body = DrillAsked,
    responses(
        (status = 200, content_type = "text/event-stream", body = SweepLine),
        (status = 422, body = Problem),
    ),
)]
async fn sweep_drills(
    State(app): State<AppState>,
    Body(asked): Body<DrillAsked>,
) -> Result<impl IntoResponse, Problem> {
    let all = asked.all()?;
    let state = app.desk.snapshot();
    for (_, text) in &all {
        text.drill().map_err(wrong)?;
    }
    // What the first one cannot stand on, none can.
    if let Some((_, text)) = all.first() {
        let drill = text.drill().map_err(wrong)?;
        DrillGround::new(&state.world, &drill, state.clock.now).map_err(refused)?;
    }
    let places = varied(&asked.drill).into_iter().map(|v| v.place).collect();
    let (send, receive) = mpsc::channel(WAITING);
    let reader = app.clone();
    tokio::spawn(async move {
        let done = reader.read(move |state, _| {
            in_background(|| sweeping(state, (&all, places), &send));
        });
        // What could not be told has nobody to be told to.
        let _ = done.await;
    });
    Ok(events(receive))
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(sweep_drills))
}
