//! Rework: an open campaign changed as a draft, judged before anything is sent.

use axum::Json;
use axum::extract::State;
use desk::{Contract, Holding, Package, Proposal};
use engine::State as DeskState;
use engine::campaigns::{self, after, standing};
use engine::money;
use engine::state::underlying_of;
use market::Quoter;
use plans::rework::{At, Listed, Part, Rework, change, closes_and_opens, notes, rework};
use plans::{Candidates, Place};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::account::book::{BookEffect, effect_on_book};
use crate::api::ideas::candidates;
use crate::api::wire::evaluation::{CheckWire, KinkWire, check_wire, kinks};
use crate::api::wire::{
    EvenWire, ExtentWire, LegWire, NetPrice, even, extent, holding, instrument_label, legs_wire,
    money as money_wire, net_price,
};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// Which legs a move is about.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum ReworkPart {
    /// All that the campaign holds.
    All,
    /// Every call that it holds.
    Calls,
    /// Every put that it holds.
    Puts,
    /// The side whose sold strike the price is nearest to, or farthest beyond.
    Pressed,
    /// The other side.
    Quiet,
    /// One contract, by OSI symbol.
    Leg(String),
}

/// A change of what is held.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
enum ReworkStep {
    /// Options so many listed expirations later and listed strikes higher.
    Roll {
        /// The part of the campaign that it is done to.
        part: ReworkPart,
        /// Expirations later; below zero nearer.
        expirations: i64,
        /// Strikes higher; below zero lower.
        strikes: i64,
    },
    /// One option to a delta in its own expiration.
    ToDelta {
        /// The contract as an OSI symbol.
        leg: String,
        /// The size of the delta, above 0 and below 1.
        delta: f64,
    },
    /// One option to so many deviations from the price.
    ToDeviations {
        /// The contract as an OSI symbol.
        leg: String,
        /// Deviations; below zero under the price.
        deviations: f64,
    },
    /// All options by as many strikes as bring their middle nearest to the price.
    Recentre,
    /// The quiet side so many strikes toward the price.
    Closer(i64),
    /// Closes a part.
    Close(ReworkPart),
    /// What is bought so many strikes away from what is sold beside it; below zero nearer.
    Widen(i64),
    /// So many packages more; below zero fewer.
    More(i64),
    /// Buys a wing so many strikes farther out than what is sold.
    Cover {
        /// OSI symbol of what is sold.
        leg: String,
        /// Strikes farther out.
        strikes: i64,
    },
    /// Sells at a delta against what is bought.
    SellAgainst {
        /// OSI symbol of what is bought.
        leg: String,
        /// The size of the delta, above 0 and below 1.
        delta: f64,
    },
    /// Other legs beside it.
    Add(Vec<LegWire>),
    /// A vertical becomes an iron condor.
    IntoCondor,
    /// Sold calls and puts meet at the price.
    IntoButterfly,
}

fn option_of(symbol: &str) -> Result<Contract, Refusal> {
    symbol.parse().map_err(|e| Refusal::Field {
        field: "move",
        message: format!("{symbol:?} is not the symbol of an option: {e}"),
    })
}

fn delta_of(delta: f64) -> Result<f64, Refusal> {
    if delta > 0.0 && delta < 1.0 {
        Ok(delta)
    } else {
        Err(Refusal::Field {
            field: "move",
            message: format!("{delta} is not the size of a delta; write above 0, below 1"),
        })
    }
}

fn steps(n: i64) -> Result<i64, Refusal> {
    if n.abs() <= MOST_STEPS {
        Ok(n)
    } else {
        Err(Refusal::Field {
            field: "move",
            message: format!("{n} steps; write −{MOST_STEPS} to {MOST_STEPS}"),
        })
    }
}

impl ReworkPart {
    fn parse(&self) -> Result<Part, Refusal> {
        Ok(match self {
            ReworkPart::All => Part::All,
            ReworkPart::Calls => Part::Calls,
            ReworkPart::Puts => Part::Puts,
            ReworkPart::Pressed => Part::Pressed,
            ReworkPart::Quiet => Part::Quiet,
            ReworkPart::Leg(symbol) => Part::Leg(option_of(symbol)?),
        })
    }
}

impl ReworkStep {
    fn parse(&self) -> Result<Rework, Refusal> {
        Ok(match self {
            ReworkStep::Roll {
                part,
                expirations,
                strikes,
            } => Rework::Roll {
                part: part.parse()?,
                expirations: steps(*expirations)?,
                strikes: steps(*strikes)?,
            },
            ReworkStep::ToDelta { leg, delta } => Rework::To {
                leg: option_of(leg)?,
                place: Place::Delta(delta_of(*delta)?),
            },
            ReworkStep::ToDeviations { leg, deviations } => Rework::To {
                leg: option_of(leg)?,
                place: Place::Deviations(deviations.clamp(-8.0, 8.0)),
            },
            ReworkStep::Recentre => Rework::Recentre,
            ReworkStep::Closer(n) => Rework::Closer(steps(*n)?),
            ReworkStep::Close(part) => Rework::Close(part.parse()?),
            ReworkStep::Widen(n) => Rework::Widen(steps(*n)?),
            ReworkStep::More(n) => Rework::More(steps(*n)?),
            ReworkStep::Cover { leg, strikes } => Rework::Cover {
                leg: option_of(leg)?,
                strikes: steps(*strikes)?,
            },
            ReworkStep::SellAgainst { leg, delta } => Rework::SellAgainst {
                leg: option_of(leg)?,
                delta: delta_of(*delta)?,
            },
            ReworkStep::Add(legs) => Rework::Add(holding(legs)?.legs().to_vec()),
            ReworkStep::IntoCondor => Rework::IntoCondor,
            ReworkStep::IntoButterfly => Rework::IntoButterfly,
        })
    }

    /// How many expirations away it looks.
    fn reach(&self) -> i64 {
        match self {
            ReworkStep::Roll { expirations, .. } => *expirations,
            _ => 0,
        }
    }
}

/// Most steps of one move along the list.
const MOST_STEPS: i64 = 40;

/// At which price the change is counted.
#[derive(Debug, Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub(crate) enum ReworkAt {
    /// Join one's own side.
    Rest,
    /// The middle of the package's market.
    #[default]
    Middle,
    /// Take the other side.
    Cross,
}

impl From<ReworkAt> for At {
    fn from(at: ReworkAt) -> At {
        match at {
            ReworkAt::Rest => At::Rest,
            ReworkAt::Middle => At::Middle,
            ReworkAt::Cross => At::Cross,
        }
    }
}

/// A campaign as it would be.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct ReworkRequest {
    /// What would be held; what is held when absent.
    #[serde(default)]
    legs: Option<Vec<LegWire>>,
    /// A move on that.
    #[serde(default)]
    r#move: Option<ReworkStep>,
    /// At which price of the change.
    #[serde(default)]
    at: ReworkAt,
}

/// One instrument of what is held, or would be.
#[derive(Debug, Serialize, ToSchema)]
struct ReworkLeg {
    /// OSI symbol, or the symbol of the underlying itself.
    contract: String,
    /// "195 call, 18 Apr".
    label: String,
    /// Contracts held now, below zero where they were sold.
    held: i64,
    /// Contracts held then, below zero where they were sold.
    then: i64,
}

/// A campaign on one side of the change.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ReworkSide {
    /// "2 × iron condor 205/200 · 175/165, 18 Apr"; "nothing" where it is closed.
    name: String,
    /// Days to its first expiration; absent where nothing is left.
    days: Option<i64>,
    /// Realised less fees by then.
    booked: String,
    /// Most to make with all of it, from its first opening on.
    most: Option<ExtentWire>,
    /// Most to lose.
    least: Option<ExtentWire>,
    /// Prices at which nothing is made or lost.
    evens: Vec<EvenWire>,
    /// Chance of ending in profit, flat volatility.
    chance: Option<f64>,
    /// What is tied up, taken alone.
    capital: String,
    /// Margin taken alone.
    margin: String,
    /// Theta of it, money a day.
    theta: f64,
    /// Corners of the outline; none where it is an estimate.
    kinks: Vec<KinkWire>,
    /// Prices of the curves.
    prices: Vec<f64>,
    /// Profit of all of it at the first expiration.
    outline: Vec<f64>,
    /// Profit of all of it if the price were there now.
    today: Vec<f64>,
}

/// The order between.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ReworkChange {
    /// One package of it.
    unit: Vec<LegWire>,
    /// How many packages the order has.
    packages: i64,
    /// What it closes of what is held, in words.
    closes: Vec<String>,
    /// What it opens.
    opens: Vec<String>,
    /// Why it is not one order; absent where it is.
    sequence: Option<String>,
    /// Join one's own side.
    rest: NetPrice,
    /// The middle of the order's market.
    middle: NetPrice,
    /// Take the other side.
    cross: NetPrice,
    /// At which of them it is counted here.
    price: NetPrice,
    /// Cash at that price before fees, received above zero.
    cash: String,
    /// Commissions of the order, in money.
    fees: String,
    /// What it realises, before its fees.
    realises: String,
    /// The book before and after.
    book: BookEffect,
    /// What to look at.
    checks: Vec<CheckWire>,
    /// What else it means, in sentences.
    notes: Vec<String>,
}

/// A campaign, what it would be, and the order between.
#[derive(Debug, Serialize, ToSchema)]
struct ReworkWire {
    /// Number of the campaign.
    campaign: u64,
    /// What it goes by.
    title: String,
    /// The symbol of the underlying.
    symbol: String,
    /// The price of the underlying, per unit.
    spot: f64,
    /// What would be held, to be sent again with the next move.
    then: Vec<LegWire>,
    /// All instruments of both sides.
    legs: Vec<ReworkLeg>,
    /// As it is.
    before: ReworkSide,
    /// As it would be; absent while nothing is changed.
    after: Option<ReworkSide>,
    /// The order between; absent while nothing is changed.
    change: Option<ReworkChange>,
}

/// Deviations that the pictures reach to each side, and one of them where nothing ends.
const REACH: f64 = 2.5;
const WITHOUT: f64 = 0.05;

fn side(
    name: String,
    booked: desk::Money,
    e: Option<&desk::Evaluation>,
    u: &desk::Underlying,
) -> ReworkSide {
    let shape = e.map(|e| &e.horizon.shape);
    ReworkSide {
        name,
        days: e.map(|e| e.horizon.days),
        booked: money_wire(booked),
        most: shape.map(|s| extent(&s.most)),
        least: shape.map(|s| extent(&s.least)),
        evens: shape.map_or_else(Vec::new, |s| {
            s.evens.iter().map(|x| even(x, u.style_of_price)).collect()
        }),
        chance: e.map(|e| e.chance_of_profit),
        capital: money_wire(e.map_or(desk::Money::ZERO, |e| e.money.tied_up)),
        margin: money_wire(e.map_or(desk::Money::ZERO, |e| e.money.alone.total)),
        theta: e.map_or(0.0, |e| e.greeks.theta),
        kinks: e
            .filter(|e| !e.horizon.estimate)
            .map_or_else(Vec::new, kinks),
        prices: e.map_or_else(Vec::new, |e| e.curves.prices.clone()),
        outline: e.map_or_else(Vec::new, |e| e.curves.outline.clone()),
        today: e.map_or_else(Vec::new, |e| e.curves.today.clone()),
    }
}

pub(super) fn name_of(h: &Holding, u: &desk::Underlying) -> String {
    if h.is_empty() {
        return "nothing".into();
    }
    let name = format!("{} {}", desk::recognise(h, u).text, h.strikes_label());
    let mut ends: Vec<String> = Vec::new();
    for (c, _) in h.options() {
        let end = desk::short_date(c.expiry);
        if !ends.contains(&end) {
            ends.push(end);
        }
    }
    let ends = match ends.len() {
        0 => String::new(),
        _ => format!(", {}", ends.join(" and ")),
    };
    format!("{} × {}{ends}", h.packages(), name.trim_end())
}

/// What is listed where the legs stand, and so many expirations away; the others by name only.
fn listed(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    legs: &Holding,
    reach: i64,
) -> Result<Listed, Refusal> {
    let all = state
        .world
        .expirations(symbol, state.clock.now)
        .unwrap_or_default();
    let stands = |e: &desk::Expiration| legs.options().any(|(c, _)| c.expiry == e.date);
    let places: Vec<i64> = (0..all.len())
        .filter(|i| stands(&all[*i]))
        .map(|i| i as i64)
        .collect();
    let spot = engine::state::spot_of(state, symbol).to_f64();
    let mut dates = Vec::with_capacity(all.len());
    for (i, e) in all.iter().enumerate() {
        let wanted = places
            .iter()
            .any(|p| *p == i as i64 || p + reach == i as i64);
        dates.push(if wanted {
            candidates(state, quoter, symbol, e)?
        } else {
            Candidates {
                spot,
                deviation: 0.0,
                listed: Vec::new(),
            }
        });
    }
    Ok(Listed::new(spot, dates))
}

/// Orders that wait to close the same, in words.
fn in_the_way(state: &DeskState, id: u64, closes: &Holding) -> Vec<String> {
    let told = |order: u64| {
        format!(
            "Order {order} waits to close some of the same: cancel it first, or this is refused."
        )
    };
    let waiting = campaigns::waiting(state, id, closes);
    waiting.into_iter().map(told).collect()
}

/// Prices that both pictures reach: so many deviations of the nearest expiration, and past each
/// strike.
fn reach(state: &DeskState, symbol: &str, u: &desk::Underlying, all: &Holding) -> (f64, f64) {
    let (spot, now) = (
        engine::state::spot_of(state, symbol).to_f64(),
        state.clock.now,
    );
    let ends = all.options().map(|(c, _)| u.expiry_moment(c)).min();
    let variance = ends.and_then(|end| state.world.total_variance(symbol, now, end));
    let away = REACH * variance.map_or(WITHOUT, f64::sqrt);
    let strikes = || all.options().map(|(c, _)| c.strike.to_f64());
    (
        strikes().fold(spot * (-away).exp(), |a, k| a.min(k * 0.97)),
        strikes().fold(spot * away.exp(), |a, k| a.max(k * 1.03)),
    )
}

/// One of each instrument of both sides.
fn both(held: &Holding, then: &Holding) -> Holding {
    let one_each = held.legs().iter().chain(then.legs()).map(|l| desk::Leg {
        quantity: 1,
        ..l.clone()
    });
    Holding::new(one_each)
}

/// All instruments of both sides, in the order of a holding.
fn legs_of(held: &Holding, then: &Holding) -> Vec<ReworkLeg> {
    let of = |h: &Holding, instrument: &desk::Instrument| {
        let same = h.legs().iter().find(|l| l.instrument == *instrument);
        same.map_or(0, |l| l.quantity)
    };
    let told = |l: &desk::Leg| ReworkLeg {
        contract: l.instrument.to_string(),
        label: instrument_label(&l.instrument),
        held: of(held, &l.instrument),
        then: of(then, &l.instrument),
    };
    both(held, then).legs().iter().map(told).collect()
}

/// "sell 1 × 195 call, 18 Apr", leg by leg.
fn in_words(h: &Holding) -> Vec<String> {
    let told = |l: &desk::Leg| {
        let way = if l.quantity > 0 { "buy" } else { "sell" };
        let label = instrument_label(&l.instrument);
        format!("{way} {} × {label}", l.quantity.abs())
    };
    h.legs().iter().map(told).collect()
}

fn remade(
    state: &DeskState,
    quoter: &mut Quoter,
    id: u64,
    request: &ReworkRequest,
) -> Result<ReworkWire, Refusal> {
    let campaign = campaigns::open(state, id)?;
    let (id, symbol, totals) = (campaign.id, campaign.symbol.clone(), campaign.totals);
    let u = underlying_of(state, &symbol)?;
    let held = state.account.holding_of(id);
    let mut then = match &request.legs {
        Some(legs) if legs.is_empty() => Holding::default(),
        Some(legs) => holding(legs)?,
        None => held.clone(),
    };
    if let Some(step) = &request.r#move {
        let parsed = step.parse()?;
        let all = listed(state, quoter, &symbol, &then, step.reach())?;
        then = rework(&then, &parsed, &all).map_err(|why| Refusal::Field {
            field: "move",
            message: why.to_string(),
        })?;
    }
    let order = change(&held, &then);
    let spot = engine::state::spot_of(state, &symbol).to_f64();
    let range = Some(reach(state, &symbol, u, &both(&held, &then)));
    let whole = Proposal {
        range,
        ..standing(state, id)?.proposal()
    };
    let before = money::evaluate(state, quoter, &symbol, &whole)?;
    let (after, made) = if order.is_empty() {
        (None, None)
    } else {
        let of_order = Proposal {
            structure: order.clone(),
            entry: At::from(request.at).into(),
            realised: desk::Money::ZERO,
            range: None,
            closing: false,
        };
        let e = money::evaluate(state, quoter, &symbol, &of_order)?;
        let left = after(state, quoter, id, &order, &e, range)?;
        let (closes, opens) = closes_and_opens(&held, &order);
        let style = u.style_of_price;
        let sequence = Package::of(&order).err().map(|why| {
            format!("{why}. Send it in turn: first what it closes, then what it opens; between the two the campaign stands without what was closed.")
        });
        let made = ReworkChange {
            unit: legs_wire(&order.unit()),
            packages: order.packages(),
            closes: in_words(&closes),
            opens: in_words(&opens),
            sequence,
            rest: net_price(e.quote.rest, style),
            middle: net_price(e.quote.middle, style),
            cross: net_price(e.quote.cross, style),
            price: net_price(e.price, style),
            cash: money_wire(e.money.cash),
            fees: money_wire(e.money.fees),
            realises: money_wire(left.booked - totals.booked() + e.money.fees),
            book: effect_on_book(state, quoter, &e, &symbol),
            checks: e.checks.iter().map(check_wire).collect(),
            notes: in_the_way(state, id, &closes)
                .into_iter()
                .chain(
                    notes(&held, &then, e.price, u)
                        .iter()
                        .map(ToString::to_string),
                )
                .collect(),
        };
        let side = side(
            name_of(&left.holding, u),
            left.booked,
            left.evaluation.as_ref(),
            u,
        );
        (Some(side), Some(made))
    };
    Ok(ReworkWire {
        campaign: id,
        title: state.account.title(id, u).unwrap_or_default(),
        spot,
        then: legs_wire(&then),
        legs: legs_of(&held, &then),
        before: side(name_of(&held, u), totals.booked(), Some(&before), u),
        after,
        change: made,
        symbol,
    })
}

/// Moves an open campaign as a draft and judges what it would be; nothing is sent.
#[utoipa::path(
    post,
    path = "/campaigns/{campaign}/rework",
    tag = "account",
    params(("campaign" = u64, Path)),
    request_body = ReworkRequest,
    responses(
        (status = 200, body = ReworkWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn rework_campaign(
    State(app): State<AppState>,
    Path(campaign): Path<u64>,
    Body(request): Body<ReworkRequest>,
) -> Result<Json<ReworkWire>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| remade(state, quoter, campaign, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(rework_campaign))
}
