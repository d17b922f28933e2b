//! What made the profit of some days, by campaign and by part.

use axum::Json;
use axum::extract::{Query, State};
use engine::balance::{CampaignMade, explained};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::life::PartsWire;
use crate::api::wire::{date, moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::Problem;

/// The days whose profit is explained.
#[derive(Debug, Clone, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct ExplainedStretch {
    /// From the close of this day (ISO); absent: the last one.
    from: Option<String>,
    /// To the close of this day; absent: to now.
    to: Option<String>,
}

/// What one campaign made.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct MadeWire {
    /// The number of the campaign.
    campaign: u64,
    /// What it is on.
    symbol: String,
    /// What it is called.
    title: String,
    /// What made it.
    parts: PartsWire,
    /// Why its parts are not told, where they are not.
    untold: Option<&'static str>,
}

/// What made the profit between two moments.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ExplainedWire {
    /// The close that it begins at.
    from: String,
    /// The moment at which the days end, with its offset.
    to: String,
    /// Value of the account at the begin.
    before: String,
    /// At the end.
    after: String,
    /// Paid in between.
    deposits: String,
    /// By campaign, the largest first.
    made: Vec<MadeWire>,
    /// The parts of all campaigns together.
    sum: PartsWire,
    /// What the account made beyond its campaigns.
    beside: String,
}

/// What made the profit from one close to another, or to now: by campaign, and by price, time,
/// volatility, interest, dividends, trades and fees. The parts add up to the ledger and the marks.
#[utoipa::path(
    get,
    path = "/balance/explained",
    tag = "account",
    params(ExplainedStretch),
    responses(
        (status = 200, body = ExplainedWire),
        (status = 422, body = Problem),
    ),
)]
async fn book_explained(
    State(app): State<AppState>,
    Query(stretch): Query<ExplainedStretch>,
) -> Result<Json<ExplainedWire>, Problem> {
    let answer = app.read(move |state, quoter| {
        let last = || {
            let row = state.days.last().ok_or_else(|| Refusal::Field {
                field: "from",
                message: "there is no close in the record yet".into(),
            })?;
            date("from", &row.date)
        };
        let from = stretch
            .from
            .as_deref()
            .map_or_else(last, |text| date("from", text))?;
        let to = stretch
            .to
            .as_deref()
            .map(|text| date("to", text))
            .transpose()?;
        let e = explained(state, quoter, from, to)?;
        let wire = |m: CampaignMade| MadeWire {
            campaign: m.campaign,
            symbol: m.symbol,
            title: m.title,
            parts: m.parts.into(),
            untold: m.untold,
        };
        Ok::<_, Refusal>(ExplainedWire {
            from: moment(e.from),
            to: moment(e.to),
            before: money(e.values.0),
            after: money(e.values.1),
            deposits: money(e.deposits),
            made: e.made.into_iter().map(wire).collect(),
            sum: e.sum.into(),
            beside: money(e.beside),
        })
    });
    Ok(Json(answer.await??))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(book_explained))
}
