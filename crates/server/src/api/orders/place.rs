//! Placing orders: a ticket, or several that depend on each other.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{
    Level, Link, PriceStyle, Pricing, Purpose, Request, Said, SaidOf, TimeInForce, Trigger,
    TriggerSide,
};
use engine::Engine;
use engine::commands::trading::Tie;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::orders::wire::OrderWire;
use crate::api::orders::{all_shown, shown};
use crate::api::wire::{LegWire, package, parse_price};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

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

/// An order as the trader sends it.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct PlaceRequest {
    /// Chosen by the client, 1 to 64 characters; one ticket is placed once.
    client_id: String,
    /// The symbol of the underlying.
    symbol: String,
    /// One package, in lowest ratio.
    legs: Vec<LegWire>,
    /// How many packages are wanted, above zero.
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
    /// Why, in a sentence.
    #[serde(default)]
    why: String,
    /// Tags that its campaign gets.
    #[serde(default)]
    tags: Vec<String>,
}

impl PlaceRequest {
    fn said(&self) -> Result<Said, Refusal> {
        Said::new(&self.why, self.tags.clone()).map_err(|message| Refusal::Field {
            field: "why",
            message,
        })
    }

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

/// Keeps why an order was placed; a retry of the same ticket says nothing new.
fn say(desk: &mut Engine, order: u64, said: Said) -> Result<(), Refusal> {
    if said.is_empty() || desk.state().said.get(&SaidOf::Order(order)) == Some(&said) {
        return Ok(());
    }
    desk.say(SaidOf::Order(order), said)
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
    let said = request.said()?;
    let request = request.parse(&app.desk.snapshot())?;
    let placed = app.command(move |desk| {
        let placed = desk.place(request)?;
        say(desk, placed.id, said)?;
        Ok(placed)
    });
    let placed = placed.await?;
    Ok((StatusCode::CREATED, Json(shown(&app, &placed)?)))
}

/// How orders depend on each other.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(super) enum TieWire {
    /// A fill of one takes as many packages from the others.
    OneCancelsOther,
    /// The others become active as the first fills.
    OneTriggersOther,
    /// The first, and two that close it and cancel each other.
    Bracket,
}

impl TieWire {
    pub(super) fn parse(self) -> Tie {
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
    /// How it depends on the order beside it.
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
    let said = request.orders.first().map(PlaceRequest::said);
    let said = said.transpose()?.unwrap_or_default();
    let state = app.desk.snapshot();
    let requests = request
        .orders
        .into_iter()
        .map(|r| r.parse(&state))
        .collect::<Result<Vec<_>, Refusal>>()?;
    let placed = app
        .command(move |desk| {
            let placed = desk.place_linked(requests, tie)?;
            if let Some(first) = placed.first() {
                say(desk, first.id, said)?;
            }
            Ok(placed)
        })
        .await?;
    Ok((StatusCode::CREATED, all_shown(&app, &placed)?))
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(place))
        .routes(routes!(place_linked))
}
