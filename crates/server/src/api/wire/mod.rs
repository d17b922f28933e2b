//! What goes over the wire. Prices and money are decimal text (exact); model values are numbers.
//! Handlers translate; nothing is computed here.

pub(crate) mod entry;
pub(crate) mod evaluation;
pub(crate) mod words;

use desk::{
    Even, Extent, Holding, Instrument, Leg, Moment, Money, Package, PackageError, PriceStyle,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::api::wire::words::PriceSide;
use crate::app::refusal::Refusal;

/// One leg of a request.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema, PartialEq, Eq)]
#[serde(deny_unknown_fields)]
pub struct LegWire {
    /// OSI symbol of 21 characters, or the underlying's own symbol for shares or a future.
    #[schema(example = "NMOU  310418C00195000")]
    pub contract: String,
    /// Signed contracts, shares or futures: bought above zero.
    pub quantity: i64,
}

fn legs(legs: &[LegWire]) -> Result<Vec<Leg>, Refusal> {
    let read = |l: &LegWire| -> Result<Leg, Refusal> {
        Ok(Leg {
            instrument: l.contract.parse()?,
            quantity: l.quantity,
        })
    };
    legs.iter().map(read).collect()
}

/// Reads the legs of one package.
pub(crate) fn package(wire: &[LegWire]) -> Result<Package, Refusal> {
    Ok(Package::new(legs(wire)?)?)
}

/// Most of one leg in a draft: as many packages of the largest ratio as an order may ask for.
const MOST_OF_A_LEG: i64 = desk::MOST_CONTRACTS * desk::ticket::MOST_PACKAGES;

/// Most legs of a holding that is asked about.
const MOST_HELD: usize = 100;

fn too_many(l: &Leg) -> Refusal {
    PackageError::Quantity {
        instrument: l.instrument.clone(),
        quantity: l.quantity,
        most: MOST_OF_A_LEG,
    }
    .into()
}

/// Reads legs with their full quantities, whether an order may send them or they can only be held.
pub(crate) fn holding(wire: &[LegWire]) -> Result<Holding, Refusal> {
    let legs = legs(wire)?;
    if let Some(l) = legs.iter().find(|l| l.quantity == 0) {
        return Err(too_many(l));
    }
    // The same instrument may be named more than once: what counts is the sum.
    let holding = Holding::new(legs);
    let most = MOST_OF_A_LEG as u64;
    if let Some(l) = holding
        .legs()
        .iter()
        .find(|l| l.quantity.unsigned_abs() > most)
    {
        return Err(too_many(l));
    }
    if holding.is_empty() {
        return Err(PackageError::Empty.into());
    }
    let legs = holding.legs().len();
    if legs > MOST_HELD {
        return Err(Refusal::Field {
            field: "legs",
            message: format!("{legs} legs; at most {MOST_HELD} are judged together"),
        });
    }
    Ok(holding)
}

/// Reads legs with their full quantities: so many packages that an order may send.
pub(crate) fn structure(wire: &[LegWire]) -> Result<Holding, Refusal> {
    let holding = holding(wire)?;
    Package::of(&holding)?;
    Ok(holding)
}

pub(crate) fn legs_wire(s: &Holding) -> Vec<LegWire> {
    s.legs()
        .iter()
        .map(|l| LegWire {
            contract: l.instrument.to_string(),
            quantity: l.quantity,
        })
        .collect()
}

/// A price of a package in words and as a signed number.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct NetPrice {
    /// Signed: above zero is paid by the buyer of the package.
    pub value: String,
    /// Magnitude, as the market writes it.
    pub amount: String,
    /// Which way it goes.
    pub side: PriceSide,
}

pub(crate) fn net_price(p: desk::Price, style: PriceStyle) -> NetPrice {
    NetPrice {
        value: p.to_string(),
        amount: style.write(p.abs()),
        side: p.into(),
    }
}

/// The best or worst outcome.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ExtentWire {
    /// No limit as the price rises.
    pub unlimited: bool,
    /// Signed profit; absent when unlimited.
    pub profit: Option<String>,
}

pub(crate) fn extent(e: &Extent) -> ExtentWire {
    match e {
        Extent::Unlimited => ExtentWire {
            unlimited: true,
            profit: None,
        },
        Extent::Limited { profit, .. } => ExtentWire {
            unlimited: false,
            profit: Some(profit.to_string()),
        },
    }
}

/// Where the profit is zero: a point, or a stretch (without upper end: for ever).
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct EvenWire {
    /// Price, or lower end.
    pub from: String,
    /// Upper end of a stretch.
    pub to: Option<String>,
    /// Whether it is a stretch.
    pub stretch: bool,
}

pub(crate) fn even(e: &Even, style: PriceStyle) -> EvenWire {
    match e {
        Even::Point(p) => EvenWire {
            from: style.nearest(*p),
            to: Some(style.nearest(*p)),
            stretch: false,
        },
        Even::Range(a, b) => EvenWire {
            from: style.nearest(*a),
            to: b.map(|b| style.nearest(b)),
            stretch: true,
        },
    }
}

/// Greeks in money.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct GreeksWire {
    /// Per 1.00 of the underlying.
    pub delta: f64,
    /// Change of delta per 1.00.
    pub gamma: f64,
    /// Per calendar day.
    pub theta: f64,
    /// Per volatility point.
    pub vega: f64,
    /// Something in it ends within a day: of that, theta is the change over what is left of it.
    #[serde(rename = "thetaToTheEnd")]
    pub theta_to_the_end: bool,
}

pub(crate) fn greeks(g: &desk::PositionGreeks) -> GreeksWire {
    GreeksWire {
        delta: g.delta,
        gamma: g.gamma,
        theta: g.theta,
        vega: g.vega,
        theta_to_the_end: g.theta_to_the_end,
    }
}

/// Reads a price of a request, as its market writes it or as a decimal.
pub(crate) fn parse_price(
    field: &'static str,
    text: &str,
    style: PriceStyle,
) -> Result<desk::Price, Refusal> {
    style
        .read(text)
        .map_err(|e: desk::NumberError| Refusal::Field {
            field,
            message: e.to_string(),
        })
}

/// The exchange's clock.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClockWire {
    /// The moment, RFC 3339 with the exchange's offset.
    pub now: String,
    /// Whether time passes by itself.
    pub running: bool,
    /// Multiple of real time.
    pub speed: u32,
    /// Speeds to choose from.
    pub speeds: Vec<u32>,
    /// The exchange trades.
    pub open: bool,
    /// When that changes next.
    pub until: String,
    /// Where a jump leads that is under way.
    pub heading: Option<String>,
    /// Why time stands although the clock runs: what happens cannot be kept.
    pub stands: Option<String>,
    /// The market is one's own, from files; `/feed` says how it stands.
    pub own: bool,
    /// The index of the market, in whose terms deltas are added.
    pub index: String,
    /// The first date of which anything is known.
    pub first: String,
    /// The clock stands at the newest moment of its feed and cannot be led.
    pub follows: bool,
    /// Nothing has come from the feed for longer than quotes stay fresh.
    pub silent: bool,
}

/// The clock of a state.
pub(crate) fn clock_of(state: &engine::state::State) -> ClockWire {
    let (c, world) = (&state.clock, &state.world);
    let (open, until) = engine::state::session(c.now);
    ClockWire {
        now: c.now.to_string(),
        running: c.running,
        speed: c.speed,
        speeds: market::SPEEDS.to_vec(),
        open,
        until: until.to_string(),
        heading: state.heading.map(|m| m.to_string()),
        stands: state.stands.as_ref().map(ToString::to_string),
        own: world.is_own(),
        index: world.index().to_owned(),
        first: world.first().to_string(),
        follows: state.follows,
        silent: state.silent,
    }
}

/// Reads an ISO date.
pub(crate) fn date(field: &'static str, text: &str) -> Result<jiff::civil::Date, Refusal> {
    text.parse().map_err(|_| Refusal::Field {
        field,
        message: format!(
            "{:?} is not a date; write it like 2031-04-18",
            text.chars().take(40).collect::<String>()
        ),
    })
}

pub(crate) fn moment(m: Moment) -> String {
    m.to_string()
}

pub(crate) fn money(m: Money) -> String {
    m.to_string()
}

pub(crate) fn instrument_label(i: &Instrument) -> String {
    i.option().map_or_else(
        || i.label(),
        |c| format!("{}, {}", c.label(), desk::short_date(c.expiry)),
    )
}
