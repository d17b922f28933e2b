//! Is it right for this account: bands of the trader's own rules with where the book stands, as it is
//! and as it is looked at, today and over the past weeks.

use axum::Json;
use axum::extract::State;
use desk::rules::{AccountNeeds, Measure, Rule, Side, Subject, ruling};
use desk::{Day, Money};
use engine::State as DeskState;
use engine::balance::{plainly, seen_with};
use engine::{seen::account_seen, sight::index_price};
use market::Quoter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::balance::asked::{LookWire, within};
use crate::api::balance::book::BookDesk;
use crate::api::wire::words::UnitWord;
use crate::api::wire::{moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// What is asked.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct BandsRequest {
    /// What is looked at. Rules look through the broad index and the market's betas.
    look: LookWire,
    /// A loss that is accepted, percent of the account, 0.1 to 100.
    #[serde(default)]
    accepted_loss: Option<f64>,
    /// In this fall of the index, percent, 0.1 to 90.
    #[serde(default)]
    in_fall: Option<f64>,
}

/// A figure of a past close.
#[derive(Debug, Serialize, ToSchema)]
struct PastFigure {
    /// The session's date, as 2031-03-11.
    date: String,
    /// The figure at that close.
    value: f64,
}

/// A figure with the band that it should lie in, and its past.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ScaleWire {
    /// The measure, by its word.
    measure: &'static str,
    /// As a noun.
    noun: &'static str,
    /// What it is counted in.
    unit: UnitWord,
    /// Decimals that it is told with.
    decimals: usize,
    /// At least, by my rules.
    from: Option<f64>,
    /// At most, by my rules.
    to: Option<f64>,
    /// As the account is.
    now: Option<f64>,
    /// As it is looked at.
    then: Option<f64>,
    /// In which it is largest, where it is one of the largest.
    which: Option<String>,
    /// At the closes of the past weeks, oldest first.
    past: Vec<PastFigure>,
}

/// What an accepted loss comes to: arithmetic, no advice.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct Suggested {
    /// That loss in money.
    loss: String,
    /// The lean that loses it along a straight line; the same below zero in a rise.
    lean: f64,
    /// How it is worked out.
    words: String,
}

/// Bands of my rules.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ScalesWire {
    /// The moment of the figures, with its offset.
    at: String,
    /// The bands: of each measure that a rule is about, and of the others that the book has.
    bands: Vec<ScaleWire>,
    /// What an accepted loss comes to.
    suggested: Option<Suggested>,
}

/// The measures that a book is balanced by.
const BALANCED: [Measure; 12] = [
    Measure::Lean,
    Measure::LeanOfAccount,
    Measure::Theta,
    Measure::Vega,
    Measure::PowerUsed,
    Measure::StressLoss,
    Measure::StressLossOfAccount,
    Measure::OneTrade,
    Measure::OneSymbol,
    Measure::OneSector,
    Measure::OneExpiration,
    Measure::OpenCampaigns,
];

/// The closes that a band is drawn over: twelve weeks.
const PAST: usize = 60;

/// The narrowest limits of the rules on a measure: at least, and at most.
pub(crate) fn limits(rules: &[Rule], measure: Measure) -> (Option<f64>, Option<f64>) {
    let account = ruling(rules, Subject::Account, (desk::Structure::Other, "", None));
    let of = |side: Side| {
        let found = account.iter().map(|r| r.rule.condition);
        let found = found.filter(move |c| c.measure == measure && c.side == side);
        found.map(|c| c.limit.to_f64())
    };
    (
        of(Side::Below).max_by(f64::total_cmp),
        of(Side::Above).min_by(f64::total_cmp),
    )
}

/// A measure at a past close, where its row has it.
fn past(day: &Day, measure: Measure) -> Option<f64> {
    let f = day.figures.as_ref()?;
    let value = day.value.to_f64();
    let part = |of: Option<Money>| {
        (value > 0.0)
            .then_some(())
            .and_then(|()| Some(100.0 * of?.to_f64() / value))
    };
    let amount = |of: &Option<(String, Money)>| of.as_ref().map(|(_, m)| *m);
    match measure {
        Measure::Lean => Some(f.greeks.lean),
        Measure::LeanOfAccount => {
            // Money for one percent is a hundredth of the index money.
            part(Some(Money::from_model(f.greeks.lean_money * 100.0)))
        }
        Measure::Theta => Some(f.greeks.theta),
        Measure::Vega => Some(f.greeks.vega),
        Measure::PowerUsed => part(Some(f.margin)),
        Measure::OneTrade => part(amount(&f.largest.trade)),
        Measure::OneSymbol => part(amount(&f.largest.symbol)),
        Measure::OneSector => part(amount(&f.largest.sector)),
        Measure::OneExpiration => part(amount(&f.largest.expiration)),
        _ => None,
    }
}

fn bands(
    state: &DeskState,
    quoter: &mut Quoter,
    desk: &BookDesk,
    request: &BandsRequest,
) -> Result<ScalesWire, Refusal> {
    let chosen = request.look.chosen(state)?;
    let looked = plainly(state, quoter, &desk.memo, &chosen);
    let then = seen_with(state, quoter, &looked);
    let now = account_seen(state, quoter, AccountNeeds::ALL);
    let days = &state.days[state.days.len().saturating_sub(PAST)..];
    let wire = |measure: Measure| {
        let facts = measure.facts();
        let (from, to) = limits(&state.my_rules, measure);
        ScaleWire {
            measure: facts.word,
            noun: facts.noun,
            unit: facts.unit.into(),
            decimals: facts.unit.decimals(),
            from,
            to,
            now: now.figure(measure).map(desk::rules::Figure::to_f64),
            then: then.figure(measure).map(desk::rules::Figure::to_f64),
            which: then.which(measure).map(str::to_owned),
            past: days
                .iter()
                .filter_map(|d| {
                    Some(PastFigure {
                        date: d.date.clone(),
                        value: past(d, measure)?,
                    })
                })
                .collect(),
        }
    };
    let suggested = match (request.accepted_loss, request.in_fall) {
        (Some(loss), Some(fall)) => {
            within("acceptedLoss", loss, (0.1, 100.0), " %")?;
            within("inFall", fall, (0.1, 90.0), " %")?;
            let money_lost = now.value.to_f64() * loss / 100.0;
            let points = index_price(state) * fall / 100.0;
            let lean = money_lost / points;
            Some(Suggested {
                loss: money(Money::from_model(money_lost)),
                lean,
                words: format!(
                    "{loss} % of {} are {}; the index falls by {points:.2}; {} over that is a lean \
                     of {lean:.1}",
                    now.value.grouped(),
                    Money::from_model(money_lost).grouped(),
                    Money::from_model(money_lost).grouped(),
                ),
            })
        }
        _ => None,
    };
    Ok(ScalesWire {
        at: moment(state.clock.now),
        bands: BALANCED.map(wire).into(),
        suggested,
    })
}

/// Bands of my rules with where the book stands, as it is and as it is looked at, and at the closes
/// of the past weeks.
#[utoipa::path(
    post,
    path = "/balance/bands",
    tag = "account",
    request_body = BandsRequest,
    responses(
        (status = 200, body = ScalesWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn book_bands(
    State(app): State<AppState>,
    Body(request): Body<BandsRequest>,
) -> Result<Json<ScalesWire>, Problem> {
    let desk = app.book.clone();
    Ok(Json(
        app.read(move |state, quoter| bands(state, quoter, &desk, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(book_bands))
}
