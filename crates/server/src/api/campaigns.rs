//! A campaign: its chapters, its name and note, and how it is rearranged.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{Campaign, Label};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::words::ChapterWord;
use crate::api::wire::{LegWire, legs_wire, moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// One thing that happened in a campaign.
#[derive(Debug, Serialize, ToSchema)]
struct ChapterWire {
    /// When.
    at: String,
    /// What it is.
    kind: ChapterWord,
    /// Number of its line in the ledger.
    entry: usize,
    /// The order behind it.
    order: Option<u64>,
    /// By how much each instrument that the campaign holds changed.
    legs: Vec<LegWire>,
    /// Cash before fees, received above zero.
    cash: String,
    /// Profit booked, before fees.
    realised: String,
    /// Fees.
    fees: String,
}

/// A campaign.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct CampaignWire {
    /// Number.
    campaign: u64,
    /// Underlying symbol.
    symbol: String,
    /// The name it was given; empty where it goes by what it holds.
    name: String,
    /// A note.
    note: String,
    /// Tags.
    tags: Vec<String>,
    /// What it holds now.
    held: Vec<LegWire>,
    /// Cash of all that happened, before fees: realised less what the open lots cost.
    net_cash: String,
    /// Profit booked, before fees.
    realised: String,
    /// Fees paid.
    fees: String,
    /// Cost of the open lots, received below zero.
    open_cost: String,
    /// What happened, oldest first.
    chapters: Vec<ChapterWire>,
}

fn leg(contract: &desk::Instrument, quantity: i64) -> LegWire {
    LegWire {
        contract: contract.to_string(),
        quantity,
    }
}

fn wire(state: &engine::State, c: &Campaign) -> CampaignWire {
    let chapter = |chapter: &desk::Chapter| ChapterWire {
        at: moment(chapter.at),
        kind: chapter.kind.into(),
        entry: chapter.entry + 1,
        order: chapter.order,
        legs: chapter.legs.iter().map(|(i, n)| leg(i, *n)).collect(),
        cash: money(chapter.cash),
        realised: money(chapter.realised),
        fees: money(chapter.fees),
    };
    CampaignWire {
        campaign: c.id,
        symbol: c.symbol.clone(),
        name: c.label.name.clone(),
        note: c.label.note.clone(),
        tags: c.label.tags.clone(),
        held: legs_wire(&state.account.holding_of(c.id)),
        net_cash: money(c.totals.net_cash),
        realised: money(c.totals.realised),
        fees: money(c.totals.fees),
        open_cost: money(state.account.open_cost(c.id)),
        chapters: c.chapters.iter().map(chapter).collect(),
    }
}

fn found(app: &AppState, id: u64) -> Result<Json<CampaignWire>, Problem> {
    let state = app.desk.snapshot();
    let campaign = state.account.campaign(id).ok_or(Refusal::NoCampaign(id))?;
    Ok(Json(wire(&state, campaign)))
}

/// A campaign from its first opening on, also one that is closed.
#[utoipa::path(get, path = "/campaigns/{id}", tag = "campaigns", params(("id" = u64, Path)),
    responses((status = 200, body = CampaignWire), (status = 404, body = Problem)))]
async fn campaign(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<Json<CampaignWire>, Problem> {
    found(&app, id)
}

/// What the trader says of a campaign.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct LabelRequest {
    /// A name, at most 60 characters; empty takes it away.
    #[serde(default)]
    name: String,
    /// A note, at most 4,000 characters.
    #[serde(default)]
    note: String,
    /// Tags, at most 20 of at most 30 characters each.
    #[serde(default)]
    tags: Vec<String>,
}

impl LabelRequest {
    fn parse(self) -> Result<Label, Refusal> {
        let wrong = |field, message: String| Err(Refusal::Field { field, message });
        let one_line = |text: &str| text.chars().all(|c| !c.is_control());
        let name = self.name.trim().to_owned();
        if name.chars().count() > 60 || !one_line(&name) {
            return wrong("name", "write at most 60 characters on one line".into());
        }
        if self.note.chars().count() > 4_000 {
            return wrong("note", "write at most 4,000 characters".into());
        }
        let mut tags: Vec<String> = Vec::new();
        for tag in self.tags {
            let tag = tag.trim().to_owned();
            if tag.is_empty() || tag.chars().count() > 30 || !one_line(&tag) {
                return wrong("tags", format!("{tag:?}: write 1 to 30 characters"));
            }
            if !tags.contains(&tag) {
                tags.push(tag);
            }
        }
        if tags.len() > 20 {
            return wrong("tags", format!("{} tags; write at most 20", tags.len()));
        }
        Ok(Label {
            name,
            note: self.note,
            tags,
        })
    }
}

/// Names a campaign, and keeps a note and tags with it.
#[utoipa::path(
    put,
    path = "/campaigns/{id}",
    tag = "campaigns",
    params(("id" = u64, Path)),
    request_body = LabelRequest,
    responses(
        (status = 200, body = CampaignWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn describe(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<LabelRequest>,
) -> Result<Json<CampaignWire>, Problem> {
    let label = request.parse()?;
    app.command(move |engine| engine.describe(id, label))
        .await?;
    found(&app, id)
}

/// Lots that move.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct MoveRequest {
    /// What moves, signed as it is held; each instrument once.
    legs: Vec<LegWire>,
    /// The campaign it moves to; absent: a new one.
    #[serde(default)]
    to: Option<u64>,
}

/// Moves lots of a campaign to another, or to one of their own, at what they cost: the campaign
/// that they are in then.
#[utoipa::path(
    post,
    path = "/campaigns/{id}/move",
    tag = "campaigns",
    params(("id" = u64, Path)),
    request_body = MoveRequest,
    responses(
        (status = 201, body = CampaignWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn move_lots(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<MoveRequest>,
) -> Result<(StatusCode, Json<CampaignWire>), Problem> {
    let part = |l: &LegWire| -> Result<(desk::Instrument, i64), Refusal> {
        Ok((l.contract.parse()?, l.quantity))
    };
    let parts = request
        .legs
        .iter()
        .map(part)
        .collect::<Result<Vec<_>, _>>()?;
    let to = app
        .command(move |engine| engine.move_lots(id, request.to, &parts))
        .await?;
    Ok((StatusCode::CREATED, found(&app, to)?))
}

/// A campaign that becomes part of another.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct MergeRequest {
    /// The other.
    into: u64,
}

/// Makes a campaign part of another in the same underlying, with all that happened in it: the
/// other.
#[utoipa::path(
    post,
    path = "/campaigns/{id}/merge",
    tag = "campaigns",
    params(("id" = u64, Path)),
    request_body = MergeRequest,
    responses(
        (status = 200, body = CampaignWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn merge(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<MergeRequest>,
) -> Result<Json<CampaignWire>, Problem> {
    let into = request.into;
    app.command(move |engine| engine.merge(id, into)).await?;
    found(&app, into)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(campaign, describe))
        .routes(routes!(move_lots))
        .routes(routes!(merge))
}
