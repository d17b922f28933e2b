//! The one answer to a draft, a ticket or a closing order, and what is asked for it.

use desk::{Evaluation, PriceStyle, Underlying};
use market::exchange::chance_within;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::api::wire::entry::EntryWire;
use crate::api::wire::words::{CheckCodeWord, VerdictWord};
use crate::api::wire::{
    EvenWire, ExtentWire, GreeksWire, LegWire, NetPrice, even, extent, greeks, legs_wire, net_price,
};

/// What is asked about a draft, a ticket or a closing order.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct EvaluateRequest {
    /// The symbol of the underlying.
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

/// A corner of the outline.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct KinkWire {
    /// Price of the underlying.
    pub price: f64,
    /// The profit at that price, in money.
    pub profit: f64,
}

/// One leg of an answer.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LegAnswer {
    /// OSI symbol, or the underlying's own.
    pub contract: String,
    /// The contract as it is shown, like "195 call".
    pub label: String,
    /// Expiry date of an option.
    pub expiry: Option<String>,
    /// Signed contracts per package.
    pub ratio: i64,
    /// How many are added or taken away at one press: an option, a future, a lot of shares.
    pub step: i64,
    /// The highest price at which somebody buys it, per unit.
    pub bid: String,
    /// The lowest price at which somebody sells it, per unit.
    pub ask: String,
    /// Volatility implied by the middle, as a fraction.
    pub vol: f64,
    /// What the model says that it is worth, per unit.
    pub theoretical: String,
    /// Greeks of the whole leg.
    pub greeks: GreeksWire,
}

/// One thing that the ticket was looked at for.
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
    /// Commissions of opening it, in money.
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
    /// The moment of the quotes, with its offset.
    pub at: String,
    /// Price of the underlying.
    pub spot: f64,
    /// What the structure is called, as "iron condor".
    pub name: String,
    /// "205/200 · 175/165".
    pub strikes: String,
    /// The legs of one package.
    pub unit: Vec<LegWire>,
    /// How many packages are judged together.
    pub packages: i64,
    /// The date on which the first leg ends.
    pub expiry: String,
    /// Days to it.
    pub days: i64,
    /// Amounts at it are estimates.
    pub estimate: bool,
    /// Join one's own side.
    pub rest: NetPrice,
    /// The middle of the package's market.
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
    /// Prices at which nothing is made or lost.
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
    /// The Greeks of all packages together.
    pub greeks: GreeksWire,
    /// Each leg with its market and its Greeks.
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
    /// What the ticket was looked at for, and what was found.
    pub checks: Vec<CheckWire>,
    /// What is left of the campaign that it closes or rolls.
    pub after: Option<AfterWire>,
}

/// Most positions of the price slider.
const LADDER: i64 = 200;

/// Seconds within which a fill is looked for.
pub(crate) const FILL_WITHIN: i64 = 300;

/// Corners of an outline.
pub(crate) fn kinks(e: &Evaluation) -> Vec<KinkWire> {
    e.horizon
        .shape
        .kinks
        .iter()
        .map(|k| KinkWire {
            price: k.price.to_f64(),
            profit: k.profit.to_f64(),
        })
        .collect()
}

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
        kinks: kinks(e),
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
                step: underlying.step(&l.instrument),
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
