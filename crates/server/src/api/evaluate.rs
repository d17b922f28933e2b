//! The one answer about a structure.

use axum::Json;
use axum::extract::State;
use desk::Proposal;
use engine::campaigns::after;
use engine::commands::trading;
use engine::money;
use engine::state::State as DeskState;
use engine::state::underlying_of;
use market::Quoter;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::entry::entry;
use crate::api::wire::evaluation::{CheckWire, EvaluateRequest, EvaluationWire, evaluation};
use crate::api::wire::holding;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// Parses, evaluates and translates; also used by the stream.
pub(crate) fn evaluate_now(
    state: &DeskState,
    quoter: &mut Quoter,
    request: &EvaluateRequest,
) -> Result<EvaluationWire, Refusal> {
    let structure = holding(&request.legs)?;
    trading::check_legs(state, &request.symbol, &structure.unit())?;
    let underlying = underlying_of(state, &request.symbol)?;
    let entry = entry(&request.entry, &structure.unit(), underlying.style_of_price)?;
    let proposal = Proposal {
        structure,
        entry,
        realised: desk::Money::ZERO,
        range: request.low.zip(request.high),
        closing: request.closes.is_some() && !request.rolls,
    };
    let answer = money::evaluate(state, quoter, &request.symbol, &proposal)?;
    // An exit that waits for its entry closes a campaign that is not there yet.
    let after = match request
        .closes
        .map(|campaign| after(state, quoter, campaign, &proposal.structure, &answer, None))
    {
        None | Some(Err(Refusal::NoCampaign(_))) => None,
        Some(found) => Some(crate::api::wire::evaluation::after(&found?, underlying)),
    };
    let mut wire = EvaluationWire {
        after,
        ..evaluation(&answer, underlying)
    };
    wire.checks.extend(day_trade(state, request));
    Ok(wire)
}

/// Whether closing this is a day trade, and the how-manieth.
fn day_trade(state: &DeskState, request: &EvaluateRequest) -> Option<CheckWire> {
    let campaign = request.closes.filter(|_| !request.rolls)?;
    let today = state.clock.now.date();
    let opened = |l: &desk::Lot| l.campaign == campaign && l.opened.date() == today;
    let security = state
        .world
        .underlying(&request.symbol)
        .is_some_and(|u| !u.settles_daily());
    if !security || !state.account.lots().iter().any(opened) {
        return None;
    }
    let trading = state.day_trading(state.day_trade_rule()?);
    let (next, most) = (trading.count() + 1, trading.rule.most);
    let text = format!(
        "opened today: closing it is day trade {next} where {most} in {} sessions are free",
        trading.rule.sessions
    );
    Some(CheckWire {
        verdict: desk::Verdict::Note.into(),
        code: desk::CheckCode::DayTrade.into(),
        about: String::new(),
        value: Some(next.to_string()),
        text,
    })
}

/// Evaluates a structure at the market of now.
#[utoipa::path(
    post,
    path = "/evaluate",
    tag = "evaluate",
    request_body = EvaluateRequest,
    responses(
        (status = 200, body = EvaluationWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn evaluate(
    State(app): State<AppState>,
    Body(request): Body<EvaluateRequest>,
) -> Result<Json<EvaluationWire>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| evaluate_now(state, quoter, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(evaluate))
}
