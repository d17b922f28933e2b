//! A campaign: its chapters, its name and note, and how it is rearranged.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{Campaign, ChapterKind, Label};
use engine::campaigns::ahead;
use engine::state::underlying_of;
use market::Quoter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::account::position::{Position, carried};
use crate::api::wire::evaluation::{EvaluationWire, evaluation};
use crate::api::wire::words::ChapterWord;
use crate::api::wire::{LegWire, instrument_label, legs_wire, moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// One thing that happened in a campaign.
#[derive(Debug, Serialize, ToSchema)]
struct ChapterWire {
    /// The moment of the chapter, with its offset.
    at: String,
    /// What it is.
    kind: ChapterWord,
    /// Number of its line in the ledger.
    entry: usize,
    /// In words, as the ledger has it.
    words: String,
    /// Why, as the trader noted it.
    note: String,
    /// Days since the campaign was opened.
    day: i64,
    /// The order behind it.
    order: Option<u64>,
    /// The other campaign, where lots moved between two: moving them there takes it back.
    other: Option<u64>,
    /// By how much each instrument that the campaign holds changed.
    legs: Vec<LegWire>,
    /// Cash before fees, received above zero.
    cash: String,
    /// Profit booked, before fees.
    realised: String,
    /// Commissions of the chapter, in money.
    fees: String,
    /// Realised less fees, of this chapter and all before it.
    running: String,
}

/// So many of an instrument, held without a change.
#[derive(Debug, Serialize, ToSchema)]
struct StretchWire {
    /// OSI symbol, or the symbol of the underlying itself.
    contract: String,
    /// "195 call, 18 Apr".
    label: String,
    /// Strike of an option.
    strike: Option<f64>,
    /// Signed contracts, shares or futures.
    quantity: i64,
    /// The moment from which the legs stood so, with its offset.
    from: String,
    /// Until when; absent while it is held.
    to: Option<String>,
}

/// A campaign as its page shows it.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct CampaignPage {
    /// The campaign that the page is about.
    campaign: CampaignWire,
    /// It in a sentence.
    sentence: String,
    /// What it held, and for how long.
    trail: Vec<StretchWire>,
    /// Price of the underlying now.
    spot: f64,
    /// Prices that its picture reaches from and to: around every strike that it ever held.
    low: f64,
    /// Where they end.
    high: f64,
    /// Calendar days since it was opened.
    days: i64,
    /// What is open of it, as the book has it; absent where it is closed.
    position: Option<Position>,
    /// Its outline and today line with what was realised and the fees in them; absent where it is
    /// closed or a leg has no market.
    whole: Option<EvaluationWire>,
    /// Prices −2, −1, 1 and 2 deviations away at its first expiration; empty without an option.
    bands: Vec<f64>,
    /// The outline of the open legs alone, at the prices of the whole one.
    alone: Vec<f64>,
    /// What is coming of it by itself, the most pressing first; empty where it is closed.
    ahead: Vec<AheadWire>,
    /// Other campaigns in the same underlying.
    others: Vec<OtherWire>,
}

/// One thing that is coming: exercise, assignment, settlement, an end.
#[derive(Debug, Serialize, ToSchema)]
struct AheadWire {
    /// In a sentence.
    words: String,
    /// It asks for a decision.
    presses: bool,
    /// OSI symbol, where it is about one contract.
    contract: Option<String>,
    /// Of a bought option: what was said, that it is not to be exercised; absent elsewhere.
    declined: Option<bool>,
}

fn ahead_wire(a: &desk::Ahead) -> AheadWire {
    AheadWire {
        words: a.to_string(),
        presses: a.presses(),
        contract: a.contract().map(ToString::to_string),
        declined: match a {
            desk::Ahead::Exercise { declined, .. } => Some(*declined),
            _ => None,
        },
    }
}

/// Another campaign of the same underlying.
#[derive(Debug, Serialize, ToSchema)]
struct OtherWire {
    /// The number of the campaign.
    campaign: u64,
    /// What it goes by.
    title: String,
    /// Whether it holds anything.
    open: bool,
}

/// A campaign with its legs, its money and its story.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct CampaignWire {
    /// The number by which it is named.
    campaign: u64,
    /// The symbol of the underlying.
    symbol: String,
    /// What it goes by: its name, otherwise what it holds or held.
    title: String,
    /// The name it was given; empty where it goes by what it holds.
    name: String,
    /// What the trader wrote about it.
    note: String,
    /// The tags that the trader gave it.
    tags: Vec<String>,
    /// What it holds now.
    held: Vec<LegWire>,
    /// Cash of all that happened, before fees: realised less what the open lots cost.
    net_cash: String,
    /// Profit booked, before fees.
    realised: String,
    /// Commissions that were paid so far, in money.
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

/// What a campaign goes by.
fn title(state: &engine::State, c: &Campaign) -> String {
    let underlying = state.world.underlying(&c.symbol);
    underlying
        .and_then(|u| state.account.title(c.id, u))
        .unwrap_or_else(|| format!("campaign {}", c.id))
}

/// The campaign that lots came from or went to.
fn other_of(state: &engine::State, id: u64, chapter: &desk::Chapter) -> Option<u64> {
    let moved = |kind| matches!(kind, ChapterKind::MovedIn | ChapterKind::MovedOut);
    if !moved(chapter.kind) {
        return None;
    }
    let same = |x: &&desk::Chapter| x.entry == chapter.entry && moved(x.kind);
    let mut all = state.account.campaigns().filter(|c| c.id != id);
    let other = all.find(|c| c.chapters.iter().any(|x| same(&x)))?;
    Some(other.id)
}

fn wire(state: &engine::State, c: &Campaign) -> CampaignWire {
    let chapter = |(chapter, running): (&desk::Chapter, desk::Money)| ChapterWire {
        at: moment(chapter.at),
        kind: chapter.kind.into(),
        entry: chapter.entry + 1,
        note: studies::lessons::why_of(state, chapter),
        words: state
            .account
            .entries()
            .get(chapter.entry)
            .map(|e| e.memo.clone())
            .unwrap_or_default(),
        day: c
            .opened()
            .map_or(0, |first| first.days_until(chapter.at.date())),
        running: money(running),
        order: chapter.order,
        other: other_of(state, c.id, chapter),
        legs: chapter.legs.iter().map(|(i, n)| leg(i, *n)).collect(),
        cash: money(chapter.cash),
        realised: money(chapter.realised),
        fees: money(chapter.fees),
    };
    CampaignWire {
        campaign: c.id,
        symbol: c.symbol.clone(),
        title: title(state, c),
        name: c.label.name.clone(),
        note: c.label.note.clone(),
        tags: studies::lessons::tags_of(state, c),
        held: legs_wire(&state.account.holding_of(c.id)),
        net_cash: money(c.totals.net_cash),
        realised: money(c.totals.realised),
        fees: money(c.totals.fees),
        open_cost: money(state.account.open_cost(c.id)),
        chapters: c.chapters.iter().zip(c.running()).map(chapter).collect(),
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

/// Prices beyond the strikes and the price now that the picture of a campaign shows, as a share.
const AROUND: f64 = 0.08;
/// Sessions of its life that the picture makes room for.
const MOST_SESSIONS: i64 = 520;

/// The prices around all strikes that a campaign ever held, the price now and, while anything was
/// held, at each close.
fn around(spot: f64, closes: &[f64], trail: &[desk::Stretch]) -> (f64, f64) {
    let strikes = trail
        .iter()
        .filter_map(|s| s.instrument.option())
        .map(|o| o.strike.to_f64());
    let prices = strikes.chain(closes.iter().copied());
    let (low, high) = prices.fold((spot, spot), |(a, b), k| (a.min(k), b.max(k)));
    (low * (1.0 - AROUND), high * (1.0 + AROUND))
}

fn page(state: &engine::State, quoter: &mut Quoter, id: u64) -> Result<CampaignPage, Refusal> {
    let c = state.account.campaign(id).ok_or(Refusal::NoCampaign(id))?;
    let underlying = underlying_of(state, &c.symbol)?;
    let trail = desk::trail(c);
    let spot = state.world.spot(&c.symbol, state.clock.now);
    let spot = spot.map_or(0.0, desk::Price::to_f64);
    let is_open = state.account.lots_of(c.id).next().is_some();
    let now = state.clock.now;
    let since = c.opened().unwrap_or(now);
    let last = c.chapters.last().map_or(now, |chapter| chapter.at);
    let until = if is_open { now } else { last };
    let days = since.days_until(until.date());
    let sessions = (days * 5 / 7 + 2).clamp(2, MOST_SESSIONS) as usize;
    let closes = state.world.closes(&c.symbol, until, sessions);
    let range = around(spot, &closes.unwrap_or_default(), &trail);
    let carried = carried(state, quoter, c, Some(range));
    let judged = carried.as_ref().and_then(|p| p.judged.as_ref());
    let title_of_it = title(state, c);
    let zones = judged.map_or_else(Vec::new, |e| desk::zones_of(&e.horizon.shape));
    let sentence = desk::campaign_sentence(&desk::CampaignFigures {
        title: &title_of_it,
        symbol: &c.symbol,
        since: since.date(),
        days,
        totals: c.totals,
        // Without any market it counts at what it cost.
        open_profit: is_open.then(|| {
            let carried = carried.as_ref();
            carried.map_or(desk::Money::ZERO, |p| p.open_profit)
        }),
        zones: &zones,
        style: underlying.style_of_price,
    });
    let deviation = carried.as_ref().map_or(0.0, |p| p.deviation);
    let coming = if is_open {
        ahead(state, quoter, c.id)?
    } else {
        Vec::new()
    };
    let others = state
        .account
        .campaigns()
        .filter(|o| o.symbol == c.symbol && o.id != c.id);
    Ok(CampaignPage {
        campaign: wire(state, c),
        sentence,
        trail: trail
            .iter()
            .map(|s| StretchWire {
                contract: s.instrument.to_string(),
                label: instrument_label(&s.instrument),
                strike: s.instrument.option().map(|o| o.strike.to_f64()),
                quantity: s.quantity,
                from: moment(s.from),
                to: s.to.map(moment),
            })
            .collect(),
        spot,
        low: range.0,
        high: range.1,
        days: since.days_until(now.date()),
        whole: judged.map(|e| evaluation(e, underlying)),
        alone: judged.map_or_else(Vec::new, |e| e.curves.alone(c.totals.booked())),
        bands: if deviation > 0.0 {
            desk::bands(spot, deviation).to_vec()
        } else {
            Vec::new()
        },
        position: carried.map(|p| p.position),
        ahead: coming.iter().map(ahead_wire).collect(),
        others: others
            .map(|o| OtherWire {
                campaign: o.id,
                title: title(state, o),
                open: state.account.lots_of(o.id).next().is_some(),
            })
            .collect(),
    })
}

/// A campaign as its page shows it: in a sentence, its trail, its outline with what was realised.
#[utoipa::path(get, path = "/campaigns/{id}/page", tag = "campaigns", params(("id" = u64, Path)),
    responses((status = 200, body = CampaignPage), (status = 404, body = Problem)))]
async fn campaign_page(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<Json<CampaignPage>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| page(state, quoter, id))
            .await??,
    ))
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
    /// The number of the campaign that it becomes a part of.
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
        .routes(routes!(campaign_page))
        .routes(routes!(move_lots))
        .routes(routes!(merge))
}
