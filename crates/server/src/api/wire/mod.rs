//! What goes over the wire. Prices and money are decimal text (exact); model values are numbers.
//! Handlers translate; nothing is computed here.

pub(crate) mod entry;
pub(crate) mod words;

use desk::{
    Evaluation, Even, Extent, Holding, Instrument, Leg, Moment, Money, Package, PackageError,
    PriceStyle, Underlying,
};
use market::exchange::chance_within;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::api::wire::entry::EntryWire;
use crate::api::wire::words::{CheckCodeWord, PriceSide, VerdictWord};
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
const MOST_OF_A_LEG: i64 = desk::MOST_CONTRACTS * desk::order::MOST_PACKAGES;

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

/// What is asked about a draft, a ticket or a closing order.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct EvaluateRequest {
    /// Underlying symbol.
    pub symbol: String,
    /// Legs with full quantities.
    pub legs: Vec<LegWire>,
    /// Where the net price per package comes from; the middle when absent.
    #[serde(default)]
    pub entry: EntryWire,
    /// Lowest price to draw.
    #[serde(default)]
    pub low: Option<f64>,
    /// Highest price to draw.
    #[serde(default)]
    pub high: Option<f64>,
    /// The campaign it closes, if any.
    #[serde(default)]
    pub closes: Option<u64>,
    /// With `closes`: it opens other legs in that campaign.
    #[serde(default)]
    pub rolls: bool,
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

/// A corner of the outline.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct KinkWire {
    /// Price of the underlying.
    pub price: f64,
    /// Profit there.
    pub profit: f64,
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

/// One leg of an answer.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LegAnswer {
    /// OSI symbol, or the underlying's own.
    pub contract: String,
    /// "195 call".
    pub label: String,
    /// Expiry date of an option.
    pub expiry: Option<String>,
    /// Signed contracts per package.
    pub ratio: i64,
    /// Best bid.
    pub bid: String,
    /// Best ask.
    pub ask: String,
    /// Volatility implied by the middle, as a fraction.
    pub vol: f64,
    /// Theoretical value.
    pub theoretical: String,
    /// Greeks of the whole leg.
    pub greeks: GreeksWire,
}

/// One check.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct CheckWire {
    /// How it came out.
    pub verdict: VerdictWord,
    /// What was looked at.
    pub code: CheckCodeWord,
    /// Which leg or event it is about; empty where it is about the whole.
    pub about: String,
    /// The number that it turns on; absent where there is none.
    pub value: Option<String>,
    /// Reason with its number.
    pub text: String,
}

pub(crate) fn check_wire(c: &desk::Check) -> CheckWire {
    CheckWire {
        verdict: c.verdict.into(),
        code: c.code.into(),
        about: c.about.clone(),
        value: c.value.clone(),
        text: c.text.clone(),
    }
}

/// Money of a fill at the given price.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MoneyWire {
    /// Received above zero, paid below, before fees.
    pub cash: String,
    /// Fees.
    pub fees: String,
    /// Buying power now.
    pub buying_power_now: String,
    /// Buying power after a fill.
    pub buying_power_after: String,
    /// Change of buying power.
    pub buying_power_change: String,
    /// Margin of the structure taken alone.
    pub requirement_alone: String,
    /// What must be there when the order goes in, taken alone.
    pub needed: String,
    /// What is tied up afterwards, taken alone.
    pub tied_up: String,
    /// The same, each leg taken alone.
    pub leg_by_leg: String,
    /// What combining the legs saves.
    pub saved: String,
    /// Most to make as a share of what is tied up; absent where either has no meaning.
    pub part: Option<f64>,
    /// The same for a year, without compounding.
    pub part_a_year: Option<f64>,
    /// Change of margin held.
    pub requirement_change: String,
    /// How the margin comes about.
    pub parts: Vec<String>,
}

/// A campaign after an order: what is left, and what all of it makes from its first opening on.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AfterWire {
    /// "2 × iron condor 205/200 · 175/165"; absent where nothing is left.
    pub left: Option<String>,
    /// Profit booked by then, fees taken off.
    pub booked: String,
    /// Prices of the curves.
    pub prices: Vec<f64>,
    /// Profit of the whole campaign at the first expiration of what is left.
    pub outline: Vec<f64>,
    /// The same if the price were there now.
    pub today: Vec<f64>,
}

pub(crate) fn after(left: &engine::campaigns::Left, underlying: &Underlying) -> AfterWire {
    let holding = &left.holding;
    let name = || {
        let name = desk::recognise(holding, underlying).text;
        format!(
            "{} × {name} {}",
            holding.packages(),
            holding.strikes_label()
        )
    };
    let curves = left.evaluation.as_ref().map(|e| &e.curves);
    let copied =
        |of: fn(&desk::Curves) -> &Vec<f64>| curves.map_or_else(Vec::new, |c| of(c).clone());
    AfterWire {
        left: (!holding.is_empty()).then(|| name().trim_end().to_owned()),
        booked: left.booked.to_string(),
        prices: copied(|c| &c.prices),
        outline: copied(|c| &c.outline),
        today: copied(|c| &c.today),
    }
}

/// The one answer.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EvaluationWire {
    /// As of.
    pub at: String,
    /// Price of the underlying.
    pub spot: f64,
    /// "iron condor".
    pub name: String,
    /// "205/200 · 175/165".
    pub strikes: String,
    /// One package.
    pub unit: Vec<LegWire>,
    /// Packages.
    pub packages: i64,
    /// First expiration.
    pub expiry: String,
    /// Days to it.
    pub days: i64,
    /// Amounts at it are estimates.
    pub estimate: bool,
    /// Join one's own side.
    pub rest: NetPrice,
    /// The middle.
    pub middle: NetPrice,
    /// Take the other side.
    pub cross: NetPrice,
    /// Net price used.
    pub price: NetPrice,
    /// Theoretical net price.
    pub theoretical: NetPrice,
    /// Prices from rest to cross, one per tick (thinned when there are very many).
    pub ladder: Vec<NetPrice>,
    /// For each of them, the chance of a fill within five minutes by the exchange's own model, if
    /// the market stays.
    pub fill_chances: Vec<f64>,
    /// The same at the price used.
    pub fill_chance: f64,
    /// Position of the middle in the ladder.
    pub ladder_middle: usize,
    /// Tick of the net price.
    pub tick: String,
    /// Most to make.
    pub most: ExtentWire,
    /// Most to lose.
    pub least: ExtentWire,
    /// Break-evens.
    pub evens: Vec<EvenWire>,
    /// What happens far above.
    pub tail_above: String,
    /// What happens down to zero.
    pub tail_below: String,
    /// Corners of the outline.
    pub kinks: Vec<KinkWire>,
    /// Prices of the curves.
    pub prices: Vec<f64>,
    /// Profit at the first expiration.
    pub outline: Vec<f64>,
    /// Profit if the price were there now.
    pub today: Vec<f64>,
    /// Net Greeks.
    pub greeks: GreeksWire,
    /// Legs.
    pub legs: Vec<LegAnswer>,
    /// Chance of profit at the first expiration, flat volatility.
    pub chance_of_profit: f64,
    /// Money and margin.
    pub money: MoneyWire,
    /// How many packages the trader's own rule about risk allows; absent without such a rule or
    /// without a limit of the loss.
    pub allowed: Option<i64>,
    /// In plain words.
    pub sentences: Vec<String>,
    /// Checks.
    pub checks: Vec<CheckWire>,
    /// What is left of the campaign that it closes or rolls.
    pub after: Option<AfterWire>,
}

/// Most positions of the price slider.
const LADDER: i64 = 200;

/// Seconds within which a fill is looked for.
const FILL_WITHIN: i64 = 300;

pub(crate) fn evaluation(e: &Evaluation, underlying: &Underlying) -> EvaluationWire {
    let style = underlying.style_of_price;
    let (above, below) = desk::tails(&e.horizon);
    let ladder = e.quote.ladder(LADDER);
    let shown = |v: f64| desk::Price::from_f64((v * 100.0).round() / 100.0).unwrap_or_default();
    EvaluationWire {
        at: e.at.to_string(),
        spot: e.spot.to_f64(),
        name: e.name.text.clone(),
        strikes: e.unit.strikes_label(),
        unit: legs_wire(&e.unit),
        packages: e.packages,
        expiry: e.horizon.date.to_string(),
        days: e.horizon.days,
        estimate: e.horizon.estimate,
        rest: net_price(e.quote.rest, style),
        middle: net_price(e.quote.middle, style),
        cross: net_price(e.quote.cross, style),
        price: net_price(e.price, style),
        theoretical: net_price(shown(e.theoretical), PriceStyle::Decimal),
        fill_chances: ladder
            .prices
            .iter()
            .map(|p| chance_within(&e.quote, *p, FILL_WITHIN))
            .collect(),
        ladder_middle: ladder.middle,
        ladder: ladder
            .prices
            .into_iter()
            .map(|p| net_price(p, style))
            .collect(),
        fill_chance: chance_within(&e.quote, e.price, FILL_WITHIN),
        tick: style.write(e.quote.tick),
        most: extent(&e.horizon.shape.most),
        least: extent(&e.horizon.shape.least),
        evens: e
            .horizon
            .shape
            .evens
            .iter()
            .map(|e| even(e, style))
            .collect(),
        tail_above: above,
        tail_below: below,
        kinks: e
            .horizon
            .shape
            .kinks
            .iter()
            .map(|k| KinkWire {
                price: k.price.to_f64(),
                profit: k.profit.to_f64(),
            })
            .collect(),
        prices: e.curves.prices.clone(),
        outline: e.curves.outline.clone(),
        today: e.curves.today.clone(),
        greeks: greeks(&e.greeks),
        legs: e
            .unit
            .legs()
            .iter()
            .zip(&e.legs)
            .map(|(l, r)| LegAnswer {
                contract: l.instrument.to_string(),
                label: l.instrument.label(),
                expiry: l.instrument.option().map(|c| c.expiry.to_string()),
                ratio: l.quantity,
                bid: style.write(r.market.quote.bid),
                ask: style.write(r.market.quote.ask),
                vol: r.market.vol,
                theoretical: shown(r.market.theoretical).to_string(),
                greeks: greeks(&r.greeks),
            })
            .collect(),
        chance_of_profit: e.chance_of_profit,
        allowed: e.allowed,
        money: MoneyWire {
            cash: e.money.cash.to_string(),
            fees: e.money.fees.to_string(),
            buying_power_now: e.money.buying_power_now.to_string(),
            buying_power_after: e.money.buying_power_after.to_string(),
            buying_power_change: (-e.money.takes()).to_string(),
            requirement_alone: e.money.alone.total.to_string(),
            needed: e.money.needed.to_string(),
            tied_up: e.money.tied_up.to_string(),
            leg_by_leg: e.money.leg_by_leg.to_string(),
            saved: e.money.saved().to_string(),
            part: e.part(),
            part_a_year: e.part_a_year(),
            requirement_change: e.money.requirement_change.to_string(),
            parts: e
                .money
                .alone
                .parts
                .iter()
                .map(|p| format!("{}: {}", p.what, p.amount))
                .collect(),
        },
        sentences: e.sentences.clone(),
        checks: e.checks.iter().map(check_wire).collect(),
        after: None,
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
    /// Time passes.
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
}

/// The clock of a state.
pub(crate) fn clock_of(state: &engine::state::State) -> ClockWire {
    ClockWire {
        heading: state.heading.map(|m| m.to_string()),
        stands: state.stands.as_ref().map(ToString::to_string),
        ..clock(&state.clock)
    }
}

/// A clock that stands still.
pub(crate) fn clock(c: &market::Clock) -> ClockWire {
    let (open, until) = engine::state::session(c.now);
    ClockWire {
        now: c.now.to_string(),
        running: c.running,
        speed: c.speed,
        speeds: market::SPEEDS.to_vec(),
        open,
        until: until.to_string(),
        heading: None,
        stands: None,
    }
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
