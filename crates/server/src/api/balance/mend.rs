//! Mend: the smallest changes that bring the book where it should be.

use axum::Json;
use axum::extract::State;
use desk::book::mend::{Band, Bands, Goal, Least, Stance};
use desk::rules::Measure;
use engine::State as DeskState;
use engine::balance::{MendAsked, Mended, Remedy, mended};
use engine::money::account_value;
use market::Quoter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::balance::asked::{LookWire, within};
use crate::api::balance::bands::limits;
use crate::api::balance::book::{BookDesk, price_of};
use crate::api::wire::{LegWire, legs_wire, moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// Where the book should be.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(
    tag = "of",
    rename_all = "camelCase",
    rename_all_fields = "camelCase",
    deny_unknown_fields
)]
enum GoalWire {
    /// Its lean in a band.
    Lean {
        /// The lowest value that is wanted.
        from: f64,
        /// The highest value that is wanted.
        to: f64,
    },
    /// Its stress loss at most so much money.
    Stress {
        /// The most that it may be.
        most: f64,
    },
    /// Its vega in a band.
    Vega {
        /// The lowest value that is wanted.
        from: f64,
        /// The highest value that is wanted.
        to: f64,
    },
    /// Capital at risk in a sector at most so many percent of the account.
    Sector {
        /// The sector that is meant.
        sector: String,
        /// At most, percent.
        most: f64,
    },
}

/// What the best is measured by.
#[derive(Debug, Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum LeastWord {
    /// What it takes a day.
    #[default]
    CostADay,
    /// As little capital as possible.
    Capital,
    /// Bands that it leaves.
    SideEffects,
    /// As few packages as possible.
    Packages,
}

/// What is asked.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct MendRequest {
    /// What is looked at, and through what.
    look: LookWire,
    /// Where it should be.
    goal: GoalWire,
    /// What the best is measured by.
    #[serde(default)]
    least: LeastWord,
    /// Over these underlyings; empty: over indexes, funds on many names, and futures that move with
    /// the index.
    #[serde(default)]
    symbols: Vec<String>,
    /// Calendar days to the expirations that are looked at, from.
    #[serde(default = "from")]
    days_from: i64,
    /// Calendar days to the expirations that are looked at, up to.
    #[serde(default = "to")]
    days_to: i64,
    /// Most packages, 1 to 100.
    #[serde(default = "most")]
    most: i64,
    /// Options sold with nothing that covers them are looked at too, where the account allows it.
    #[serde(default)]
    uncovered: bool,
}

fn from() -> i64 {
    20
}

fn to() -> i64 {
    60
}

fn most() -> i64 {
    20
}

/// The book in the figures that bands are about.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct StandingWire {
    /// Delta in index shares.
    lean: f64,
    /// Money that one day's passing brings.
    theta: f64,
    /// Money that a point of volatility brings.
    vega: f64,
    /// Loss in the worst move of the index within 10 %.
    stress: f64,
    /// Capital at risk.
    capital: f64,
    /// The same in the sector that is asked about.
    sector: f64,
}

impl From<&Stance> for StandingWire {
    fn from(s: &Stance) -> StandingWire {
        StandingWire {
            lean: s.lean,
            theta: s.theta,
            vega: s.vega,
            stress: s.stress(),
            capital: s.capital,
            sector: s.sector,
        }
    }
}

/// A change that reaches the goal.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RemedyWire {
    /// What is done, as a sentence.
    words: String,
    /// What it is on.
    symbol: String,
    /// The campaign that is changed; absent where something is bought or sold.
    campaign: Option<u64>,
    /// How many packages it takes.
    packages: i64,
    /// Legs of all packages, or what the campaign would hold.
    legs: Vec<LegWire>,
    /// Cash at the middle before fees, received above zero.
    cash: String,
    /// Cost of trading: fees and half the width of its market.
    trading: f64,
    /// Less earned a day, with the trading cost spread over its days; below zero: more.
    cost_a_day: f64,
    /// The book afterwards.
    after: StandingWire,
    /// Bands of my rules that held before and do not afterwards, by name.
    leaves: Vec<&'static str>,
}

/// What was found.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct MendWire {
    /// The moment of the figures, with its offset.
    at: String,
    /// The book as it is looked at.
    before: StandingWire,
    /// It is there already.
    there: bool,
    /// Candidates that were looked at.
    looked: usize,
    /// How many of them are beyond the buying power, even one package.
    beyond: usize,
    /// How many reach the goal.
    reach: usize,
    /// What was looked over.
    symbols: Vec<String>,
    /// The best, the best first, of one kind two at most: what is bought or sold, then what is done
    /// with campaigns.
    best: Vec<RemedyWire>,
}

const BANDS: [&str; 5] = ["lean", "theta", "vega", "stress loss", "capital at risk"];

fn band(field: &'static str, from: f64, to: f64) -> Result<Band, Refusal> {
    if from > to || !from.is_finite() || !to.is_finite() {
        return Err(Refusal::Field {
            field,
            message: format!("{from} to {to} is no band; write the lower end first"),
        });
    }
    Ok(Band { from, to })
}

/// My rules as bands of the search.
fn my_bands(state: &DeskState) -> Bands {
    let both = |measure| match limits(&state.my_rules, measure) {
        (None, None) => None,
        (from, to) => Some(Band {
            from: from.unwrap_or(f64::NEG_INFINITY),
            to: to.unwrap_or(f64::INFINITY),
        }),
    };
    Bands {
        lean: both(Measure::Lean),
        theta: both(Measure::Theta),
        vega: both(Measure::Vega),
        stress: limits(&state.my_rules, Measure::StressLoss).1,
        capital: None,
    }
}

fn remedy_wire(m: Mended) -> RemedyWire {
    let n = m.mending.packages;
    let (words, symbol, campaign, legs) = match &m.remedy {
        Remedy::Trade {
            symbol,
            unit,
            words,
        } => (words, symbol, None, legs_wire(&unit.times(n))),
        Remedy::Change {
            campaign,
            symbol,
            then,
            words,
        } => (words, symbol, Some(*campaign), legs_wire(then)),
    };
    RemedyWire {
        words: words.clone(),
        symbol: symbol.clone(),
        campaign,
        packages: n,
        legs,
        cash: money(m.cash),
        trading: m.mending.trading,
        cost_a_day: m.mending.cost_a_day,
        after: (&m.mending.after).into(),
        leaves: BANDS
            .iter()
            .zip(m.mending.leaves)
            .filter(|(_, leaves)| *leaves)
            .map(|(name, _)| *name)
            .collect(),
    }
}

fn look(
    state: &DeskState,
    quoter: &mut Quoter,
    desk: &BookDesk,
    request: &MendRequest,
) -> Result<MendWire, Refusal> {
    let lens = request.look.lens(state)?;
    let chosen = request.look.chosen(state)?;
    within("most", request.most as f64, (1.0, 100.0), " packages")?;
    within(
        "daysFrom",
        request.days_from as f64,
        (0.0, 1_100.0),
        " days",
    )?;
    within(
        "daysTo",
        request.days_to as f64,
        (request.days_from as f64, 1_100.0),
        " days",
    )?;
    for symbol in &request.symbols {
        engine::state::underlying_of(state, symbol)?;
    }
    let value = account_value(state, quoter).to_f64();
    let (goal, sector) = match &request.goal {
        GoalWire::Lean { from, to } => (Goal::Lean(band("goal", *from, *to)?), None),
        GoalWire::Vega { from, to } => (Goal::Vega(band("goal", *from, *to)?), None),
        GoalWire::Stress { most } => (Goal::Stress(within("goal", *most, (0.0, 1e9), "")?), None),
        GoalWire::Sector { sector, most } => (
            Goal::Sector(value * within("goal", *most, (0.0, 1_000.0), " %")? / 100.0),
            Some(sector.clone()),
        ),
    };
    let asked = MendAsked {
        goal,
        sector,
        least: match request.least {
            LeastWord::CostADay => Least::CostADay,
            LeastWord::Capital => Least::Capital,
            LeastWord::SideEffects => Least::SideEffects,
            LeastWord::Packages => Least::Packages,
        },
        bands: my_bands(state),
        symbols: request.symbols.clone(),
        days: (request.days_from, request.days_to),
        most: request.most,
        uncovered: request.uncovered,
    };
    let index = price_of(state, &lens.index);
    let found = mended(state, quoter, &desk.memo, &chosen, (&lens, index), &asked)?;
    Ok(MendWire {
        at: moment(state.clock.now),
        before: (&found.book).into(),
        there: found.away <= 0.0,
        looked: found.looked,
        beyond: found.beyond,
        reach: found.reach,
        symbols: found.symbols,
        best: found.best.into_iter().map(remedy_wire).collect(),
    })
}

/// Looks for the smallest changes that bring the book where it should be: over what is listed, and
/// over the campaigns held. Nothing is sent.
#[utoipa::path(
    post,
    path = "/balance/mend",
    tag = "account",
    request_body = MendRequest,
    responses(
        (status = 200, body = MendWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn mend(
    State(app): State<AppState>,
    Body(request): Body<MendRequest>,
) -> Result<Json<MendWire>, Problem> {
    let desk = app.book.clone();
    Ok(Json(
        app.read(move |state, quoter| look(state, quoter, &desk, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(mend))
}
