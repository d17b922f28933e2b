//! Placing, changing and cancelling orders.

pub(crate) mod wire;

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{
    Easing, EntryPrice, Level, Link, PriceStyle, Pricing, Purpose, Request, TimeInForce, Trigger,
    TriggerSide,
};
use engine::state::underlying_of;
use engine::trading::Tie;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::orders::wire::{OrderWire, order};
use crate::api::wire::{LegWire, package, parse_price};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem, Query};
use crate::interchange::fix;

/// How long an order stands.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum TimeInForceWire {
    /// Until the close.
    Day,
    /// Until filled or cancelled.
    GoodTillCancelled,
    /// Until the close of the date in `goodTill`.
    GoodTillDate,
    /// What can be filled on arrival is, the rest ends.
    ImmediateOrCancel,
    /// Filled whole on arrival or not at all.
    FillOrKill,
}

/// Which price of the package is watched.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum TriggerSideWire {
    /// The middle of its market.
    Mark,
    /// What buying it costs at once.
    Cross,
    /// What others bid for it.
    Rest,
}

/// Holds the order until the price watched stands at or above a level: either a price or a distance
/// above the lowest seen.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct TriggerWire {
    /// What is watched.
    side: TriggerSideWire,
    /// Signed net price of one package.
    #[serde(default)]
    at: Option<String>,
    /// Distance above the lowest price seen.
    #[serde(default)]
    trailing: Option<String>,
}

impl TriggerWire {
    fn parse(self, style: PriceStyle) -> Result<Trigger, Refusal> {
        let side = match self.side {
            TriggerSideWire::Mark => TriggerSide::Mark,
            TriggerSideWire::Cross => TriggerSide::Cross,
            TriggerSideWire::Rest => TriggerSide::Rest,
        };
        let level = match (self.at, self.trailing) {
            (Some(at), None) => Level::At(parse_price("trigger.at", &at, style)?),
            (None, Some(by)) => Level::Trailing(parse_price("trigger.trailing", &by, style)?),
            _ => {
                return Err(Refusal::Field {
                    field: "trigger",
                    message: "write either a price in \"at\" or a distance in \"trailing\"".into(),
                });
            }
        };
        Ok(Trigger { side, level })
    }
}

/// A ticket.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct PlaceRequest {
    /// Chosen by the client, 1 to 64 characters; one ticket is placed once.
    client_id: String,
    /// Underlying symbol.
    symbol: String,
    /// One package, in lowest ratio.
    legs: Vec<LegWire>,
    /// Packages.
    quantity: i64,
    /// Signed net limit; absent for a market order.
    #[serde(default)]
    limit: Option<String>,
    /// Holds it until then: a stop, or with a limit a stop limit.
    #[serde(default)]
    trigger: Option<TriggerWire>,
    /// How long it stands.
    time_in_force: TimeInForceWire,
    /// Last date, with `goodTillDate`.
    #[serde(default)]
    good_till: Option<String>,
    /// Campaign it closes.
    #[serde(default)]
    closes: Option<u64>,
    /// With `closes`: what the campaign does not hold is opened in it.
    #[serde(default)]
    rolls: bool,
}

impl PlaceRequest {
    fn parse(self, state: &engine::state::State) -> Result<Request, Refusal> {
        let style = state
            .world
            .underlying(&self.symbol)
            .map(|u| u.style_of_price)
            .unwrap_or_default();
        let length = self.client_id.chars().count();
        if !(1..=64).contains(&length) {
            return Err(Refusal::Field {
                field: "clientId",
                message: format!("{length} characters; write 1 to 64"),
            });
        }
        Ok(Request {
            client_id: self.client_id,
            symbol: self.symbol,
            unit: package(&self.legs)?,
            quantity: self.quantity,
            pricing: self.limit.map_or(Ok(Pricing::Market), |text| {
                parse_price("limit", &text, style).map(Pricing::Limit)
            })?,
            trigger: self.trigger.map(|t| t.parse(style)).transpose()?,
            link: Link::default(),
            time_in_force: match (self.time_in_force, self.good_till) {
                (TimeInForceWire::GoodTillDate, date) => {
                    let date = date.unwrap_or_default();
                    let message = format!("{date:?} is not a date; write it like 2031-04-18");
                    TimeInForce::GoodTillDate(date.parse().map_err(|_| Refusal::Field {
                        field: "goodTill",
                        message,
                    })?)
                }
                (_, Some(date)) => {
                    return Err(Refusal::Field {
                        field: "goodTill",
                        message: format!("{date:?} needs the time in force goodTillDate"),
                    });
                }
                (TimeInForceWire::Day, None) => TimeInForce::Day,
                (TimeInForceWire::GoodTillCancelled, None) => TimeInForce::GoodTillCancelled,
                (TimeInForceWire::ImmediateOrCancel, None) => TimeInForce::ImmediateOrCancel,
                (TimeInForceWire::FillOrKill, None) => TimeInForce::FillOrKill,
            },
            purpose: match (self.closes, self.rolls) {
                (None, false) => Purpose::Open,
                (Some(campaign), false) => Purpose::Close(campaign),
                (Some(campaign), true) => Purpose::Roll(campaign),
                (None, true) => {
                    return Err(Refusal::Field {
                        field: "rolls",
                        message: "name the campaign that is rolled in \"closes\"".into(),
                    });
                }
            },
            closing: Vec::new(),
        })
    }
}

/// A new limit.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct RepriceRequest {
    /// Signed net limit.
    limit: String,
}

/// Which of the ended orders are listed.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
struct OrdersQuery {
    /// Those before this number; the newest when absent.
    #[serde(default)]
    before: Option<u64>,
    /// So many of them at most.
    #[serde(default)]
    limit: Option<usize>,
}

/// Ended orders that are listed where nothing else is asked for, and at most.
const ENDED: usize = 200;
const MOST_ENDED: usize = 1_000;

/// Open orders, and a page of the ended ones: the newest, or those before a number. Oldest first.
#[utoipa::path(get, path = "/orders", tag = "orders", params(OrdersQuery),
    responses((status = 200, body = Vec<OrderWire>), (status = 422, body = Problem)))]
async fn list_orders(
    State(app): State<AppState>,
    Query(query): Query<OrdersQuery>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let limit = query.limit.unwrap_or(ENDED);
    if !(1..=MOST_ENDED).contains(&limit) {
        return Err(Refusal::Field {
            field: "limit",
            message: format!("{limit} orders; write 1 to {MOST_ENDED}"),
        }
        .into());
    }
    let state = app.desk.snapshot();
    let from = match query.before {
        None => state.orders.len(),
        Some(id) => match state.orders.binary_search_by(|o| o.id.cmp(&id)) {
            Ok(place) | Err(place) => place,
        },
    };
    let ended = (0..from).rev().filter_map(|i| state.orders.get(i));
    let ended = ended.filter(|o| state.open.binary_search(&o.id).is_err());
    let mut listed: Vec<&Arc<desk::Order>> = ended.take(limit).collect();
    if query.before.is_none() {
        listed.extend(state.open_orders());
    }
    listed.sort_by_key(|o| o.id);
    Ok(Json(
        listed
            .into_iter()
            .filter_map(|o| order(o, &state))
            .collect(),
    ))
}

/// Places a ticket.
#[utoipa::path(
    post,
    path = "/orders",
    tag = "orders",
    request_body = PlaceRequest,
    responses(
        (status = 201, body = OrderWire),
        (status = 409, body = Problem),
        (status = 404, body = Problem), (status = 422, body = Problem),
    ),
)]
async fn place(
    State(app): State<AppState>,
    Body(request): Body<PlaceRequest>,
) -> Result<(StatusCode, Json<OrderWire>), Problem> {
    let request = request.parse(&app.desk.snapshot())?;
    let placed = app.command(move |desk| desk.place(request)).await?;
    Ok((StatusCode::CREATED, Json(shown(&app, &placed)?)))
}

/// How orders depend on each other.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum TieWire {
    /// A fill of one takes as many packages from the others.
    OneCancelsOther,
    /// The others become active as the first fills.
    OneTriggersOther,
    /// The first, and two that close it and cancel each other.
    Bracket,
}

impl TieWire {
    fn parse(self) -> Tie {
        match self {
            TieWire::OneCancelsOther => Tie::OneCancelsOther,
            TieWire::OneTriggersOther => Tie::OneTriggersOther,
            TieWire::Bracket => Tie::Bracket,
        }
    }
}

/// Tickets that depend on each other.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct LinkedRequest {
    /// How.
    tie: TieWire,
    /// Two to four; three for a bracket.
    orders: Vec<PlaceRequest>,
}

/// Places tickets that depend on each other, all or none.
#[utoipa::path(
    post,
    path = "/orders/linked",
    tag = "orders",
    request_body = LinkedRequest,
    responses(
        (status = 201, body = Vec<OrderWire>),
        (status = 409, body = Problem),
        (status = 404, body = Problem), (status = 422, body = Problem),
    ),
)]
async fn place_linked(
    State(app): State<AppState>,
    Body(request): Body<LinkedRequest>,
) -> Result<(StatusCode, Json<Vec<OrderWire>>), Problem> {
    let tie = request.tie.parse();
    let state = app.desk.snapshot();
    let requests = request
        .orders
        .into_iter()
        .map(|r| r.parse(&state))
        .collect::<Result<Vec<_>, Refusal>>()?;
    let placed = app
        .command(move |desk| desk.place_linked(requests, tie))
        .await?;
    Ok((
        StatusCode::CREATED,
        Json(
            placed
                .iter()
                .map(|o| shown(&app, o))
                .collect::<Result<_, _>>()?,
        ),
    ))
}

/// One order as FIX 4.4 text, its fields parted by "|" where the standard has a control character.
#[utoipa::path(
    get,
    path = "/orders/{id}/fix",
    tag = "orders",
    params(("id" = u64, Path)),
    responses(
        (status = 200, content_type = "text/plain", body = String),
        (status = 404, body = Problem),
    ),
)]
async fn fix_text(State(app): State<AppState>, Path(id): Path<u64>) -> Result<String, Problem> {
    let state = app.desk.snapshot();
    let found = state.order(id)?;
    let underlying = underlying_of(&state, &found.request.symbol)?;
    Ok(fix::order_text(found, underlying).replace(fix::BETWEEN, "|"))
}

fn shown(app: &AppState, o: &desk::Order) -> Result<OrderWire, Refusal> {
    let state = app.desk.snapshot();
    order(o, &state).ok_or(Refusal::NoOrder(o.id))
}

/// How prices of an order are written.
fn style_of(state: &engine::state::State, id: u64) -> PriceStyle {
    let symbol = state.order(id).map_or("", |o| o.request.symbol.as_str());
    state
        .world
        .underlying(symbol)
        .map(|u| u.style_of_price)
        .unwrap_or_default()
}

/// Changes the limit of a working order.
#[utoipa::path(
    post,
    path = "/orders/{id}/limit",
    tag = "orders",
    params(("id" = u64, Path)),
    request_body = RepriceRequest,
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn reprice(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<RepriceRequest>,
) -> Result<Json<OrderWire>, Problem> {
    let price = parse_price("limit", &request.limit, style_of(&app.desk.snapshot(), id))?;
    let changed = app.command(move |desk| desk.reprice(id, price)).await?;
    Ok(Json(shown(&app, &changed)?))
}

/// A new size.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct ResizeRequest {
    /// Packages in all, what is filled among them.
    quantity: i64,
}

/// Changes the size of a working order.
#[utoipa::path(
    post,
    path = "/orders/{id}/quantity",
    tag = "orders",
    params(("id" = u64, Path)),
    request_body = ResizeRequest,
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn resize(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<ResizeRequest>,
) -> Result<Json<OrderWire>, Problem> {
    let changed = app
        .command(move |desk| desk.resize(id, request.quantity))
        .await?;
    Ok(Json(shown(&app, &changed)?))
}

/// A way of easing; without its three parts easing stops.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct EaseRequest {
    /// Added to the limit at each step: a price above zero.
    #[serde(default)]
    step: Option<String>,
    /// Seconds of exchange time between two steps.
    #[serde(default)]
    every: Option<i64>,
    /// Signed net limit it ends at.
    #[serde(default)]
    to: Option<String>,
}

/// Eases the limit of a working order step by step, or stops easing it.
#[utoipa::path(
    post,
    path = "/orders/{id}/ease",
    tag = "orders",
    params(("id" = u64, Path)),
    request_body = EaseRequest,
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn ease(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<EaseRequest>,
) -> Result<Json<OrderWire>, Problem> {
    let style = style_of(&app.desk.snapshot(), id);
    let easing = match (request.step, request.every, request.to) {
        (Some(step), Some(every), Some(to)) => Some(Easing {
            step: parse_price("step", &step, style)?,
            every,
            to: parse_price("to", &to, style)?,
        }),
        (None, None, None) => None,
        _ => {
            return Err(Refusal::Field {
                field: "step",
                message: "write step, every and to, or none of them to stop".into(),
            }
            .into());
        }
    };
    let changed = app.command(move |desk| desk.ease(id, easing)).await?;
    Ok(Json(shown(&app, &changed)?))
}

/// Working orders that are to depend on each other.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct TieRequest {
    /// How: `bracket` makes the others wait for the first and cancel each other.
    tie: TieWire,
    /// Their numbers, two to four; the first is the one the others wait for.
    orders: Vec<u64>,
}

/// Ties working orders to each other.
#[utoipa::path(
    post,
    path = "/orders/tie",
    tag = "orders",
    request_body = TieRequest,
    responses(
        (status = 200, body = Vec<OrderWire>),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn tie(
    State(app): State<AppState>,
    Body(request): Body<TieRequest>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let changed = app
        .command(move |desk| desk.tie(&request.orders, request.tie.parse()))
        .await?;
    Ok(Json(
        changed
            .iter()
            .map(|o| shown(&app, o))
            .collect::<Result<_, _>>()?,
    ))
}

/// Takes the ties of a working order away.
#[utoipa::path(
    post,
    path = "/orders/{id}/untie",
    tag = "orders",
    params(("id" = u64, Path)),
    responses(
        (status = 200, body = Vec<OrderWire>),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn untie(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let changed = app.command(move |desk| desk.untie(id)).await?;
    Ok(Json(
        changed
            .iter()
            .map(|o| shown(&app, o))
            .collect::<Result<_, _>>()?,
    ))
}

/// A price of the ticket's three.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum MarkWire {
    /// Join one's own side.
    Rest,
    /// The middle.
    Middle,
    /// Take the other side.
    Cross,
}

/// How many packages of a campaign are closed.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct CloseOne {
    /// The campaign.
    campaign: u64,
    /// Packages.
    packages: i64,
}

/// Positions to close, each by an order of its own.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct CloseRequest {
    /// Chosen by the client, 1 to 48 characters; the orders are numbered behind it.
    client_id: String,
    /// Which, one to twenty.
    positions: Vec<CloseOne>,
    /// Limit of each.
    at: MarkWire,
}

/// Closes several positions at their rest, middle or cross, all or none of the orders.
#[utoipa::path(
    post,
    path = "/positions/close",
    tag = "orders",
    request_body = CloseRequest,
    responses(
        (status = 201, body = Vec<OrderWire>),
        (status = 409, body = Problem),
        (status = 404, body = Problem), (status = 422, body = Problem),
    ),
)]
async fn close_positions(
    State(app): State<AppState>,
    Body(request): Body<CloseRequest>,
) -> Result<(StatusCode, Json<Vec<OrderWire>>), Problem> {
    let length = request.client_id.chars().count();
    if !(1..=48).contains(&length) {
        return Err(Refusal::Field {
            field: "clientId",
            message: format!("{length} characters; write 1 to 48"),
        }
        .into());
    }
    if !(1..=20).contains(&request.positions.len()) {
        return Err(Refusal::Field {
            field: "positions",
            message: format!("{} positions; write 1 to 20", request.positions.len()),
        }
        .into());
    }
    let at = match request.at {
        MarkWire::Rest => EntryPrice::Rest,
        MarkWire::Middle => EntryPrice::Middle,
        MarkWire::Cross => EntryPrice::Cross,
    };
    let which: Vec<(u64, i64)> = request
        .positions
        .iter()
        .map(|p| (p.campaign, p.packages))
        .collect();
    let placed = app
        .command(move |desk| desk.close_positions(&request.client_id, &which, &at))
        .await?;
    Ok((
        StatusCode::CREATED,
        Json(
            placed
                .iter()
                .map(|o| shown(&app, o))
                .collect::<Result<_, _>>()?,
        ),
    ))
}

/// Where a campaign is rolled to.
#[derive(Debug, Deserialize, ToSchema, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
struct RollQuery {
    /// Date of the new expiration, ISO 8601.
    expiry: String,
    /// Listed strikes that its options move up (below zero: down).
    #[serde(default)]
    strikes: i64,
}

/// One package of a roll: what is held is closed, the same is opened elsewhere.
#[derive(Debug, serde::Serialize, ToSchema)]
struct RollWire {
    /// Legs in lowest ratio.
    unit: Vec<LegWire>,
    /// What is opened, in words.
    opens: String,
}

/// The package that rolls a campaign to another expiration, strikes moved by as many steps.
#[utoipa::path(
    get,
    path = "/positions/{campaign}/roll",
    tag = "orders",
    params(("campaign" = u64, Path), RollQuery),
    responses(
        (status = 200, body = RollWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn roll_of(
    State(app): State<AppState>,
    Path(campaign): Path<u64>,
    Query(query): Query<RollQuery>,
) -> Result<Json<RollWire>, Problem> {
    let found = app.read(move |state, _| {
        let expiry = query.expiry.parse().map_err(|_| Refusal::Field {
            field: "expiry",
            message: format!(
                "{:?} is not a date; write it like 2031-04-18",
                query.expiry.chars().take(40).collect::<String>()
            ),
        })?;
        let (unit, opens) = engine::campaigns::roll(state, campaign, expiry, query.strikes)?;
        Ok::<_, Refusal>(RollWire {
            unit: crate::api::wire::legs_wire(&unit),
            opens,
        })
    });
    Ok(Json(found.await??))
}

/// Which orders are to be cancelled.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct CancelRequest {
    /// Their numbers, as they were seen to work.
    orders: Vec<u64>,
}

/// Most orders of one command.
const MOST_CANCELLED: usize = 1_000;

/// Cancels several orders at once; for each what has become of it.
#[utoipa::path(
    post,
    path = "/orders/cancel",
    tag = "orders",
    request_body = CancelRequest,
    responses(
        (status = 200, body = Vec<OrderWire>),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn cancel_all(
    State(app): State<AppState>,
    Body(request): Body<CancelRequest>,
) -> Result<Json<Vec<OrderWire>>, Problem> {
    let count = request.orders.len();
    if !(1..=MOST_CANCELLED).contains(&count) {
        return Err(Refusal::Field {
            field: "orders",
            message: format!("{count} orders; name 1 to {MOST_CANCELLED}"),
        }
        .into());
    }
    let ended = app
        .command(move |desk| desk.cancel_all(&request.orders))
        .await?;
    let all = ended.iter().map(|o| shown(&app, o));
    Ok(Json(all.collect::<Result<_, _>>()?))
}

/// Cancels a working order.
#[utoipa::path(
    post,
    path = "/orders/{id}/cancel",
    tag = "orders",
    params(("id" = u64, Path)),
    responses(
        (status = 200, body = OrderWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn cancel(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<Json<OrderWire>, Problem> {
    let changed = app.command(move |desk| desk.cancel(id)).await?;
    Ok(Json(shown(&app, &changed)?))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(list_orders, place))
        .routes(routes!(place_linked))
        .routes(routes!(reprice))
        .routes(routes!(resize))
        .routes(routes!(ease))
        .routes(routes!(tie))
        .routes(routes!(untie))
        .routes(routes!(close_positions))
        .routes(routes!(roll_of))
        .routes(routes!(cancel))
        .routes(routes!(cancel_all))
        .routes(routes!(fix_text))
}
